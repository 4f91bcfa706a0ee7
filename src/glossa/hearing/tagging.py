"""What each token of an utterance does: filler, verbs, directions, numbers, talk, negations, and those that say something else where they stand."""

from __future__ import annotations

from collections.abc import Sequence

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.lexicon import Lexicon
from glossa.hearing.merged import SHIFTED
from glossa.hearing.numbers import HOMOPHONE, Quantity, widest
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.vocabulary import WordEdge
from glossa.language import PhraseSet

LITTLE, LOT = 0.5, 2.0
"""What "slightly" and "a lot" make of the usual amount of a change."""

HALF = "1/2"


_SAID_OF_AN_ORDER = frozenset((Role.FILLER, Role.SMALL, Role.POLE, Role.NUMBER, Role.AMOUNT, Role.ASIDE))
"""What may stand behind the form that says what is to be done: "turned down a bit to forty"."""


class Tagging:
    """Finds the roles of the tokens of the utterances of one house in one language.

    Attributes:
        degrees: words for how much, each with its share of the usual amount.
        opening: the words that a phrase of the language may begin with.
        movable, directions, absolute: words that may be prepositions, the smallest directions, prepositions before what a value becomes.
        states: the words that switch on and off. wanting: the words that want something behind them. pronouns: "it" and its kin.
        named_levels: the words for the most, the least and the middle; halfway: those for the middle. excepting: those that an exception begins with.
    """

    def __init__(self, lexicon: Lexicon) -> None:
        self.lexicon, self.language = lexicon, lexicon.language
        language, grammar, numbers = self.language, self.language.grammar, self.language.numbers
        self.degrees = tuple(
            (language.phrases("amounts", name), share) for name, share in (("usual", 1.0), ("little", LITTLE), ("lot", LOT))
        )
        amounts = (*(p for p, _ in self.degrees), *(p for _, p in lexicon.multiples))
        phrases = (language.filler, lexicon.ignored, language.negation, language.talk, *amounts)
        self.opening = frozenset(w for p in phrases for w in p.first)
        self.movable, self.directions = frozenset(grammar.after_number_only), frozenset(grammar.directions)
        self.absolute = frozenset(grammar.absolute)
        self.pronouns = language.phrases("grammar", "pronouns").single
        prepositions = {*grammar.absolute, *grammar.relative, *language.phrases("grammar", "inside").single}
        self.wanting = ((prepositions & language.small) - self.movable) | (frozenset(grammar.articles) - self.pronouns)
        self.states = frozenset((*self.language.switch.on, *self.language.switch.off))
        halves = (w for w, share in numbers.fractions.items() if share == HALF)
        self.halfway = PhraseSet.of((*numbers.halfway, *halves))
        self.named_levels = PhraseSet.of((*numbers.maximum, *numbers.minimum, *numbers.halfway))
        self.excepting = frozenset(language.phrases("grammar", "excepted").first)

    def of(self, words: tuple[str, ...], edges: Sequence[Sequence[WordEdge]], quantities: Sequence[Quantity]) -> Tags:
        """The roles of the tokens of an utterance.

        Args:
            words: its words.
            edges: for every token, what it can be taken for.
            quantities: the quantities in it.
        """
        return Tags(self, words, edges, quantities)


class Tags:
    """The roles of the tokens of one utterance, and what they say of it as a whole.

    Attributes:
        roles: what each token does.
        degree: the share of the usual amount that was asked for. times: the multiple of what it is now, 0 for none.
        times_at, unnumbered_at, fixed_at: as bit masks the tokens of that multiple, those that are no numbers though they look like some,
            and those of fixed expressions.
        ordered: the token of a verb that says how something is to be, -1 for none.
    """

    def __init__(
        self, tagging: Tagging, words: tuple[str, ...], edges: Sequence[Sequence[WordEdge]], quantities: Sequence[Quantity]
    ) -> None:
        self._tagging, self._words, self._edges = tagging, words, edges
        self._language = tagging.language
        self._known = tagging.lexicon.vocabulary.words
        self._joined = self._language.grammar.joined
        self.degree, self.times, self.times_at, self.unnumbered_at, self.ordered = 1.0, 0.0, 0, 0, -1
        self.fixed_at = 0
        self._quantities = [q for q in widest(quantities) if q.cost < HOMOPHONE]
        self.roles: list[Role] = []
        while len(self.roles) < len(words):
            self.roles += self._phrase(len(self.roles))
        # The "half" of "half as bright", the "un" of "un peu", the "second" of "hang on a second".
        self._quantities = [q for q in self._quantities if not self.times_at >> q.start & 1 and not self._in_words(q)]
        repeats = len(set(words)) < len(words)
        self._again = {
            i for i, w in enumerate(words if repeats else ()) if self.roles[i] in (Role.WORD, Role.VERB) and w in words[i + 1 :]
        }
        self._numbers()
        for at, here in enumerate(edges):  # the "I scream" of "I scream freezer" is a name
            if any(e.how == SHIFTED and e.end == at + 1 for e in here):
                self.roles[at] = Role.WORD
        for at in range(1, len(words)):  # the "sie" of "mach sie an"
            if self.roles[at] == Role.TALK and self.roles[at - 1] == Role.VERB and words[at] in tagging.pronouns:
                self.roles[at] = Role.SMALL
        self._going_on()
        self._ordered()
        self._to_be_done()
        self._halfway()
        self._even()
        self._relayed()
        self._returning()
        self._kept()
        self._asides()
        self._broken()

    def weights(self, filler: float) -> list[float]:
        """What each token weighs."""
        weights = [WEIGHT[r] * (filler if r == Role.FILLER else 1.0) for r in self.roles]
        for quantity in self._quantities:  # a number weighs the same however many words it takes
            places = [i for i in range(quantity.start, quantity.end) if self.roles[i] == Role.NUMBER]
            for place in places:
                weights[place] = WEIGHT[Role.NUMBER] / len(places)
        for at in self._again:
            weights[at] = min(weights[at], COSTS.said_again)
        return weights

    def _phrase(self, at: int) -> list[Role]:
        """The roles of the longest phrase of the language that starts at a token, or of the word there."""
        language, words, known = self._language, self._words, self._known
        if words[at] not in self._tagging.opening:
            return [self._word(at)]
        ignored = self._tagging.lexicon.ignored.at(words, at)
        filler = max(language.filler.at(words, at), ignored)
        negation, talk = language.negation.at(words, at), language.talk.at(words, at)
        length = max(filler, negation, talk)
        times, factor = self._times(at)
        if times > length:
            self.times, self.times_at = factor, (1 << at + times) - (1 << at)
            return [Role.FILLER] * times
        degree, share = self._degree(at)
        if degree == 1 and self._some(at):
            degree = 0
        if degree >= max(length, 1):
            self.degree = share
            self.unnumbered_at |= (1 << at + degree) - (1 << at)
            return [Role.AMOUNT] * degree
        named = filler == 1 and words[at] in self._tagging.lexicon.valued and not ignored and not (at == 0 and self._opens(words))
        if filler and filler == length and not named:
            if length > 1 or (words[at] in language.numbers.ordinals and self._orders(at + 1)):  # "first turn the lamp on"
                self.unnumbered_at |= (1 << at + length) - (1 << at)
            if length > 1:
                self.fixed_at |= (1 << at + length) - (1 << at)
            return [Role.FILLER] * length
        if negation and negation == length:
            return [Role.NEGATION] * length
        if talk and talk == length and not (talk == 1 and words[at] in known and words[at] not in language.question):
            return [Role.TALK] * length
        return [self._word(at)]

    def _opens(self, words: tuple[str, ...]) -> bool:
        """Whether the first word opens what is said, though a name holds it: the "right" of "right turn the lamp off"."""
        lexicon = self._tagging.lexicon
        return words[0] in lexicon.only_named and words[1:2] != () and words[1] not in lexicon.named

    def _orders(self, at: int) -> bool:
        """Whether a verb or an article stands at a token, or what says nothing."""
        language, word = self._language, self._words[at] if at < len(self._words) else ""
        return (
            word in language.light
            or word in language.verbs
            or word in language.grammar.articles
            or word in language.filler.single
        )

    def _some(self, at: int) -> bool:
        """Whether a word is an article rather than an amount: the "some" of "play some music"."""
        following = self._words[at + 1] if at + 1 < len(self._words) else ""
        article = self._words[at] in self._tagging.lexicon.articles
        return article and following in self._known and following not in self._language.poles

    def _in_words(self, quantity: Quantity) -> bool:
        return not ((1 << quantity.end) - (1 << quantity.start)) & ~self.unnumbered_at

    def _word(self, at: int) -> Role:
        language, word = self._language, self._words[at]
        if word in language.small:
            return Role.SMALL
        if word in language.light:
            return Role.VERB
        if word in language.poles:
            return Role.POLE
        if word in self._known:
            return Role.WORD
        if word in self._tagging.excepting:
            return Role.EXCEPTION
        if language.tells(word):
            return Role.TALK
        return Role.WORD if self._edges[at] and self._edges[at][0].cost < COSTS.many_for_one else Role.UNKNOWN

    def _times(self, at: int) -> tuple[int, float]:
        """How many words ask for a multiple of what it is now, and which: "twice as"."""
        for factor, phrases in self._tagging.lexicon.multiples:
            length = phrases.at(self._words, at)
            inside = any(q.start <= at < q.end and q.end > at + length for q in self._quantities)
            if length and at + 1 < len(self._words) and not inside:
                return length, factor
        return 0, 0.0

    def _degree(self, at: int) -> tuple[int, float]:
        """How many words say by how much, and the share of the usual amount."""
        best = (0, 1.0)
        for phrases, share in self._tagging.degrees:
            length = phrases.at(self._words, at)
            if length > best[0]:
                best = length, share
        return best

    def _numbers(self) -> None:
        for quantity in self._quantities:
            for at in range(quantity.start, quantity.end):
                if self.roles[at] != Role.POLE or quantity.end - quantity.start > 1:
                    self.roles[at] = Role.NUMBER
            if quantity.start and self._words[quantity.start - 1] in self._language.numbers.labels:
                self.roles[quantity.start - 1] = Role.FILLER  # "number four"
            behind = self._words[quantity.end] if quantity.end < len(self._words) and not quantity.unit else ""
            if behind in self._language.numbers.steps and behind not in self._known:
                self.roles[quantity.end] = Role.FILLER  # "two notches"

    def _even(self) -> None:
        """The "even" of "even louder" and the "still" of "louder still" say nothing more."""
        words, roles, even = self._words, self.roles, self._language.amounts.even
        for at, word in enumerate(words):
            if word in even and word not in self._known and roles[at] not in (Role.NUMBER, Role.NEGATION):
                beside = (i for i in (at - 1, at + 1) if 0 <= i < len(words))
                if any(roles[i] == Role.POLE and self._language.changes(words[i]) for i in beside):
                    roles[at] = Role.FILLER

    def _ordered(self) -> None:
        """The "is" of "make sure the lamp is off" states nothing: it says how something is to be."""
        ordering, copula = self._language.phrases("grammar", "ordering"), self._language.grammar.copula
        if ordering.first.keys().isdisjoint(self._words):
            return
        filler = self._language.filler  # the "let" of "let me know if the lamp is on" orders nothing
        says = (i for i in range(len(self._words)) if ordering.at(self._words, i) >= max(1, filler.at(self._words, i)))
        at = next(says, len(self._words))
        for here in range(at + 1, len(self._words)):
            if self._words[here] in copula and self.roles[here] in (Role.TALK, Role.SMALL):
                self.roles[here] = Role.FILLER
                self.ordered = here
                return

    def _to_be_done(self) -> None:
        """A form that else tells of something is what is to be done in "how about turning the lamp off", "the lamp needs turning off",
        "I want the lamp turned off" and "can the lamp be turned off"."""
        words, roles, language = self._words, self.roles, self._language
        grammar, first = language.grammar, first_said(roles)
        permitted = words[first] in grammar.modal
        if not permitted and Role.TALK not in roles:
            return
        for at in range(1, len(words)):
            word, before = words[at], at - 1
            told = roles[at] == Role.TALK and language.tells(word)
            counted = before and roles[before - 1] == Role.NUMBER  # "table four needs clearing", not "the cat wants feeding"
            if counted and words[before] in grammar.needing and self._form_of_an_order(at):
                roles[before], roles[at] = Role.FILLER, Role.WORD
            if permitted and before > first:
                moving = words[before] in grammar.going and roles[at] == Role.POLE  # "could the heating go up"
                if moving or (words[before] in grammar.passive and (told or word in language.verbs)):
                    roles[first] = roles[before] = Role.FILLER
            if told and before > 1 and words[before] in grammar.passive and words[before - 1] in grammar.modal:
                if all(r in _SAID_OF_AN_ORDER for r in roles[at + 1 :]):  # "the kettle can be turned off now"
                    roles[before - 1], roles[before], roles[at] = Role.TALK, Role.FILLER, Role.FILLER  # or a remark
            if told and words[before] in grammar.needing and language.tells(word, language.light):  # not "the cat wants feeding"
                roles[before] = Role.FILLER
            if told and (self._said_for_it(before) or (Role.TALK not in roles[first:at] and self._wanted(at))):
                roles[at] = Role.FILLER

    def _form_of_an_order(self, at: int) -> bool:
        """Whether a word is a form of one that a phrase of the house begins with, and none of the house's itself."""
        word = self._words[at]
        if word in self._known or not word.endswith(tuple(self._language.grammar.told)):
            return False
        return any(e.how & How.FORM and e.word in self._tagging.lexicon.opening_words for e in self._edges[at])

    def _halfway(self) -> None:
        """The "down" of "halfway down" says nothing: it is as far up."""
        if self._tagging.halfway.first.keys().isdisjoint(self._words):
            return
        for at in range(len(self._words) - 1):
            behind = at + self._tagging.halfway.at(self._words, at)
            directed = at < behind < len(self._words) and self.roles[behind] == Role.POLE
            if directed and self._words[behind] not in self._tagging.states:
                self.roles[behind] = Role.FILLER

    def _wanted(self, at: int) -> bool:
        """Whether what stands in front of a token says how something is to be: "I want the lamp", "get the lamp"."""
        ordering, relaying = self._language.phrases("grammar", "ordering"), self._language.grammar.relaying
        words, roles = self._words, self.roles
        return any(ordering.at(words, i) or (words[i] in relaying and roles[i] == Role.VERB) for i in range(at))

    def _said_for_it(self, at: int) -> bool:
        """Whether a token says nothing and is no mere hesitation: the "mind" of "would you mind turning"."""
        return self.roles[at] == Role.FILLER and self._words[at] not in self._language.numbers.hesitation

    def _going_on(self) -> None:
        """The "and" of "and turn the lamp on" says no more than "so"."""
        first = first_said(self.roles)
        if first + 1 < len(self.roles) and self._words[first] in self._joined and self.roles[first] == Role.SMALL:
            self.roles[first] = Role.FILLER

    def _relayed(self) -> None:
        """The "tell" and the "to" of "tell the sweeper to go home" hand a command on."""
        words, roles, grammar = self._words, self.roles, self._language.grammar
        first = first_said(roles)
        if first + 2 < len(words) and words[first] in grammar.relaying:
            article = words[first + 1] in self._tagging.lexicon.articles
            named = words[first + 1 + article] in self._tagging.lexicon.named  # "tell her to" is said to somebody
            to = next((i for i in range(first + 2 + article, len(words) - 1) if words[i] in grammar.relayed), 0)
            becomes = any(q.start == to + 1 for q in self._quantities)  # "get the oven to two hundred"
            if named and to and not becomes and roles[to] in (Role.SMALL, Role.FILLER):
                roles[first] = roles[to] = Role.FILLER

    def _kept(self) -> None:
        """The "deja" of "deja la luz encendida": as it is, so that nothing is to be done."""
        grammar = self._language.grammar
        if not any(w in grammar.keeping for w in self._words):
            return
        state = self._language.phrases("grammar", "as_it_is").first
        last = max((i for i, w in enumerate(self._words) if w in state), default=0)
        for at in (i for i, w in enumerate(self._words[:last]) if w in grammar.keeping):
            self.roles[at] = Role.NEGATION

    def _returning(self) -> None:
        """The "back" of "turn the lamp back on" and "put it back to twenty" says no more than "again"."""
        for at in (i for i, w in enumerate(self._words[:-1]) if w in self._language.grammar.returning):
            following = self._words[at + 1]
            leads = following in self._tagging.absolute or following in self._tagging.movable
            leads = leads or following in self._language.switch.on or following in self._language.switch.off
            if at and (leads or following in self._tagging.directions):
                self.roles[at] = Role.FILLER

    def _asides(self) -> None:
        """The "on" of "forty percent on the lamp" and the "up" of "up to twenty" are prepositions."""
        words, roles, tagging = self._words, self.roles, self._tagging
        first = first_said(roles)
        poles = [i for i, r in enumerate(roles) if r == Role.POLE]
        if poles[:1] == [first] and len(poles) == 2 and words[first] in tagging.movable:
            article = words[first + 1] in tagging.lexicon.articles and poles[1] > first + 2
            if article and self._language.opposite(words[first], words[poles[1]]):  # "on the landing lights off"
                roles[first] = Role.ASIDE
        for at, word in enumerate(words):
            if word not in tagging.movable or roles[at] not in (Role.POLE, Role.SMALL):
                continue
            before = roles[at - 1] if at else None
            following = words[at + 1] if at + 1 < len(words) else ""
            leads = before == Role.POLE and self._leads(words[at - 1], word)
            named = before in (Role.NUMBER, Role.WORD, Role.UNKNOWN) or leads
            nears = any(r == Role.NUMBER for r in roles[at + 2 : at + 4])
            level = any(tagging.named_levels.at(words, i) for i in range(at + 2, min(at + 4, len(words))))  # "up to the max"
            up_to = word in tagging.directions and following in tagging.absolute and (nears or level)
            up_to = up_to or (word in tagging.directions and bool(following) and bool(tagging.named_levels.at(words, at + 1)))
            counted = any(q.start == at + 1 for q in self._quantities)  # "down a couple of degrees"
            article = following in tagging.lexicon.articles and roles[at + 1] != Role.AMOUNT and not counted
            valued = counted or following in tagging.lexicon.choices  # "the stereo on thirty", "the stereo on jazz"
            becomes = valued and word in tagging.absolute and before in (Role.WORD, Role.UNKNOWN)
            behind = before == Role.NUMBER and following and not self._ends_a_name(at - 1)  # "forty percent on the lamp"
            leads_to_name = leads and following in tagging.lexicon.named  # "brighter on spot two"
            if (article and named) or up_to or becomes or self._goes_with_value(word) or behind or leads_to_name:
                roles[at] = Role.ASIDE

    def _ends_a_name(self, at: int) -> bool:
        """Whether a number ends a name, or several: "spot two up" moves spot two up, "spots one and two on" switches them on."""
        lexicon, grammar, start = self._tagging.lexicon, self._language.grammar, at
        if self._words[at] not in lexicon.named:
            return False
        while at > 0 and (self.roles[at] == Role.NUMBER or self._words[at] in (*grammar.joined, *grammar.through)):
            at -= 1
        return at < start and (self._words[at] in lexicon.named or self._words[at] in lexicon.series)

    def _goes_with_value(self, word: str) -> bool:
        """Whether it goes without saying that something is on, for it is turned to a value: "turn on the lamp to fifty"."""
        if word not in self._language.switch.on:
            return False
        to = tuple(self._language.grammar.absolute[:1])
        led = (q for q in self._quantities if self._words[q.start - 1 : q.start] == to)
        return any(q.unit == "percent" for q in self._quantities) or any(not self._ends_a_name(q.end - 1) for q in led)

    def _leads(self, before: str, word: str) -> bool:
        """Whether a direction such as "brighter" may stand before a preposition."""
        return before not in self._tagging.movable and not self._language.opposite(before, word)

    def _broken(self) -> None:
        """A preposition or an article at the end, with nothing behind it: "dim the lamp to ..."."""
        first = next((w for w, r in zip(self._words, self.roles, strict=True) if r != Role.FILLER and w not in self._joined), "")
        question, copula = self._language.question, self._language.grammar.copula
        if first in question or any(w in question and w not in copula for w in self._words):  # "tell me what the lamp is at"
            return
        at = len(self.roles) - 1
        while at > 0 and self.roles[at] == Role.FILLER:
            at -= 1
        numbers = self._language.numbers
        one = self._words[at] in numbers.single and self._words[at] not in numbers.homophones
        if at > 0 and one and self._words[at - 1] in self._language.grammar.relative:
            return  # the "un" of "baisse de un"
        while at > 0 and self.roles[at] in (Role.SMALL, Role.ASIDE) and self._words[at] in self._tagging.wanting:
            self.roles[at] = Role.BROKEN
            at -= 1
