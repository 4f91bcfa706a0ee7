"""One utterance, analysed once: its tokens with their roles, and the chart of what every stretch of it could mean.

The matcher, answers and follow-ups share this one immutable value. Wake words are listened for before it is known whether anything else
in the line counts, and in which language, so that they look at its tokens only.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

from msgspec import Struct

from glossa.hearing.chart import Edge
from glossa.hearing.clauses import ClauseGrammar
from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.devices import PLAIN_NAME, DeviceExpression, DeviceGrammar
from glossa.hearing.lexicon import Lexicon, NamedSpan
from glossa.hearing.numbers import HOMOPHONE, Quantity, widest
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.tokens import MOST_TOKENS, Token, tokenize
from glossa.hearing.vocabulary import WordEdge
from glossa.language import PhraseSet

LITTLE, LOT = 0.5, 2.0
"""What "slightly" and "a lot" make of the usual amount of a change."""

MOST_RECENT = 8
"""Utterances that are kept for whoever looks at them next."""

LONGEST_REPEAT = 4
"""Words of the longest false start that is looked for."""

_COUNTED = frozenset((Role.NUMBER, Role.NEGATION, Role.TALK))


class Utterance(Struct, frozen=True):
    """An utterance in one language of a house.

    Attributes:
        text: what was heard.
        tokens, words: its tokens, contractions folded and merged words taken apart, and their words.
        roles: what each token does.
        weights: what leaving each token unexplained costs, in content words.
        edges: for every token, the words of the house that start there.
        spans: for every token, the names that start there.
        quantities: all quantities, also inside others; ``widest`` of them count for roles.
        expressions: device expressions, the likeliest first.
        apart: rooms, exceptions and corrections that may stand apart from their device.
        degree: the share of the usual amount that was asked for: "slightly" 0.5.
        times: the multiple of what it is now that was asked for, 0 for none; ``times_at`` its tokens as a bit mask.
        pauses: the tokens before which there is a pause in the writing, as a bit mask.
        clauses: the tokens at which a clause of its own may begin, as a bit mask; ``requests`` those at which a request begins behind
            one, without a pause: "it's cold in here, could you ...".
        telling: the tokens that no clause holds that is beside the command: names, directions, numbers; as a bit mask.
        pointed: the devices that "it" stands for because a clause in front names them, as a bit mask.
    """

    text: str
    tokens: tuple[Token, ...]
    words: tuple[str, ...]
    roles: tuple[Role, ...] = ()
    weights: tuple[float, ...] = ()
    edges: tuple[tuple[WordEdge, ...], ...] = ()
    spans: tuple[tuple[NamedSpan, ...], ...] = ()
    quantities: tuple[Quantity, ...] = ()
    expressions: tuple[DeviceExpression, ...] = ()
    apart: tuple[Edge, ...] = ()
    degree: float = 1.0
    times: float = 0.0
    times_at: int = 0
    pauses: int = 0
    clauses: int = 0
    requests: int = 0
    telling: int = 0
    pointed: int = 0

    def weight(self, mask: int) -> float:
        """What the tokens of a bit mask weigh together."""
        total = 0.0
        weights = self.weights
        while mask:
            low = mask & -mask
            total += weights[low.bit_length() - 1]
            mask ^= low
        return total

    def written(self, start: int, end: int) -> str:
        """The tokens from ``start`` to ``end`` as they were written, so that "don't" stays what it was."""
        return " ".join(self.text[self.tokens[start].start : self.tokens[end - 1].end].split())

    @property
    def bare(self) -> tuple[str, ...]:
        """The words without filler."""
        return tuple(w for w, r in zip(self.words, self.roles, strict=True) if r != Role.FILLER)

    def rooms(self) -> list[NamedSpan]:
        """The rooms that are named."""
        return [s for spans in self.spans for s in spans if s.entry.kind == "room"]


class Hearing:
    """Analyses the utterances of one house in one language.

    Args:
        lexicon: the house's words.
    """

    def __init__(self, lexicon: Lexicon) -> None:
        self.lexicon, self.language = lexicon, lexicon.language
        self._devices = DeviceGrammar(lexicon)
        self._recent = lru_cache(MOST_RECENT)(self._analysed)
        language = lexicon.language
        grammar = language.grammar
        self._degrees = tuple(
            (language.phrases("amounts", name), share) for name, share in (("usual", 1.0), ("little", LITTLE), ("lot", LOT))
        )
        amounts = (*(p for p, _ in self._degrees), *(p for _, p in lexicon.multiples))
        phrases = (language.filler, lexicon.ignored, language.negation, language.talk, *amounts)
        self.opening = frozenset(w for p in phrases for w in p.by_first)
        self._movable, self._directions = frozenset(grammar.after_number_only), frozenset(grammar.directions)
        self._absolute = frozenset(grammar.absolute)
        self._leading = tuple(w for w in grammar.absolute if w in language.small and w in lexicon.vocabulary.words)
        prepositions = {*grammar.absolute, *grammar.relative, *language.phrases("grammar", "inside").single}
        articles = frozenset(grammar.articles) - language.phrases("grammar", "pronouns").single
        self._wanting = ((prepositions & language.small) - frozenset(grammar.after_number_only)) | articles
        numbers = language.numbers
        self.named_levels = PhraseSet.of((*numbers.maximum, *numbers.minimum, *numbers.halfway))
        self.excepting = frozenset(language.phrases("grammar", "excepted").by_first)
        self._clauses = ClauseGrammar(lexicon)
        self._pronouns = language.phrases("grammar", "pronouns").single
        self._filler_factor = lexicon.house.matching.filler
        known = lexicon.vocabulary.words
        self._subtracting = language.amounts.taken_off.keys() | language.amounts.added.keys()
        self._measures = {m: d for m, d in language.amounts.measures.items() if d in known}

    def analyse(self, text: str) -> Utterance:
        """An utterance with its roles and chart; one that is empty or too long has only its tokens, at most ``MOST_TOKENS`` + 1.

        The last few are kept: the matcher, answers and follow-ups look at the same one.
        """
        return self._recent(text)

    def _analysed(self, text: str) -> Utterance:
        tokens = self._prepared(text)
        words = tuple(t.word for t in tokens)
        if not tokens or len(tokens) > MOST_TOKENS:
            return Utterance(text, tokens, words)
        edges = self.lexicon.vocabulary.edges(words)
        quantities = tuple(self.lexicon.numbers.every(tokens))
        edges = _without_numbers(edges, quantities)
        roles = _Roles(self, words, edges, quantities)
        if roles.fixed_at:  # the "mind" of "would you mind" stands for no other word
            edges = tuple(
                tuple(e for e in here if e.how == How.SAME) if roles.fixed_at >> at & 1 else here for at, here in enumerate(edges)
            )
        if roles.unnumbered_at:  # the "un" of "un peu" and the "second" of "hang on a second" are no numbers
            quantities = tuple(q for q in quantities if ((1 << q.end) - (1 << q.start)) & ~roles.unnumbered_at)
        if roles.times_at:
            quantities = tuple(q for q in quantities if not ((1 << q.end) - (1 << q.start)) & roles.times_at)
            edges = self._with_measures(words, edges)
        if roles.ordered >= 0:  # the "is" of "make sure it is locked" asks nothing
            edges = tuple(() if at == roles.ordered else here for at, here in enumerate(edges))
        weights = roles.weights(self._filler_factor)
        joiners = self._devices.joiners
        passed = (Role.FILLER, Role.SMALL, Role.ASIDE)
        skips = [
            w if r in passed and word not in joiners else math.inf for r, w, word in zip(roles.roles, weights, words, strict=True)
        ]
        spans = self.lexicon.spans(edges, skips)
        edges = self._with_prepositions(words, edges, spans, quantities)
        if not self._subtracting.isdisjoint(words):
            edges = self._with_subtracted(words, edges, roles.roles, quantities)
        articles = self.lexicon.articles
        passable = [
            (word in articles and following not in joiners) or (r == Role.FILLER and word not in joiners)
            for r, word, following in zip(roles.roles, words, (*words[1:], ""), strict=True)
        ]
        expressions, apart = self._devices.expressions(words, spans, passable, roles.fixed_at)
        clauses = self._clauses.of(text, tokens, roles.roles, spans, expressions)
        return Utterance(
            text, tokens, words, tuple(roles.roles), tuple(weights), edges, spans, quantities, clauses.expressions, apart,
            roles.degree, roles.times, roles.times_at, clauses.pauses, clauses.beginnings, clauses.requests, clauses.telling,
            clauses.pointed,
        )  # fmt: skip

    def _with_prepositions(
        self,
        words: Sequence[str],
        edges: Sequence[tuple[WordEdge, ...]],
        spans: Sequence[Sequence[NamedSpan]],
        quantities: Sequence[Quantity],
    ) -> tuple[tuple[WordEdge, ...], ...]:
        """Right before a value one preposition is as good as another: "at twenty" and "on twenty" for "to twenty"."""
        values = {q.start for q in quantities if q.cost < HOMOPHONE}
        values.update(at for at, here in enumerate(spans) if any(s.entry.kind == "value" and s.cost < PLAIN_NAME for s in here))
        made = list(edges)
        for at in (v - 1 for v in values if v and words[v - 1] in self._absolute):
            others = (w for w in self._leading if w != words[at])
            made[at] = (*made[at], *(WordEdge(at, at + 1, w, COSTS.synonym, How.SYNONYM) for w in others))
        return tuple(made)

    def _with_subtracted(
        self, words: Sequence[str], edges: Sequence[tuple[WordEdge, ...]], roles: Sequence[Role], quantities: Sequence[Quantity]
    ) -> tuple[tuple[WordEdge, ...], ...]:
        """Beside an amount the "off" of "ten percent off the lamp" and the "another" of "another ten percent" say which way."""
        made = list(edges)
        plain, amounts = [q for q in quantities if q.cost < HOMOPHONE], self.language.amounts
        behind = {q.end for q in plain} | {i + 1 for i, r in enumerate(roles) if r == Role.AMOUNT}
        ways = {at: amounts.taken_off.get(words[at], "") for at in behind if at + 1 < len(words)}
        ways |= {
            q.start - 1: amounts.added.get(words[q.start - 1], "")
            for q in plain
            if q.start and words[q.start - 1] in amounts.added
        }
        for at, way in ways.items():
            near = self.lexicon.vocabulary.near(way) if way else ()
            made[at] = (*made[at], *(WordEdge(at, at + 1, n.word, n.cost + COSTS.synonym, How.REWRITTEN) for n in near))
        return tuple(made)

    def _with_measures(self, words: Sequence[str], edges: Sequence[tuple[WordEdge, ...]]) -> tuple[tuple[WordEdge, ...], ...]:
        """In "double the brightness" the measure stands for the direction."""
        more = []
        for at, here in enumerate(edges):
            said = self._measures.get(words[at])
            extra = (WordEdge(at, at + 1, said, COSTS.toward, How.TOWARD),) if said else ()
            more.append((*here, *extra))
        return tuple(more)

    def _prepared(self, text: str) -> tuple[Token, ...]:
        """The tokens of a text: contractions folded, merged words taken apart, at most ``MOST_TOKENS`` + 1."""
        tokens = tokenize(text, self.language.numbers.thousands)[: MOST_TOKENS + 1]
        contractions, expansions = self.language.contractions, self.language.expansions
        vocabulary = self.lexicon.vocabulary
        known = vocabulary.words
        done: list[Token] = []
        at = 0
        while at < len(tokens):
            token = tokens[at]
            pair = (token.word, tokens[at + 1].word) if at + 1 < len(tokens) else ("", "")
            if pair in contractions and pair[0] not in known:
                done += [Token(word, token.start, tokens[at + 1].end) for word in contractions[pair]]
                at += 2
                continue
            at += 1
            written = text[token.start : token.end].lower().replace("’", "'")
            expanded = expansions.get(written) or expansions.get(token.word)
            if expanded and token.word not in known and all(w in known for w in expanded):
                done += [Token(w, token.start, token.end) for w in expanded]
                continue
            parts = vocabulary.split(token.word) if token.number is None else None
            if parts is None:
                done.append(token)
                continue
            half = min(token.start + len(parts[0]), token.end)
            done += [Token(parts[0], token.start, half), Token(parts[1], half, token.end, None, True)]
        return tuple(done)


class _Roles:
    """The roles of the tokens of one utterance."""

    def __init__(
        self, hearing: Hearing, words: tuple[str, ...], edges: Sequence[Sequence[WordEdge]], quantities: Sequence[Quantity]
    ) -> None:
        self._hearing, self._words, self._edges = hearing, words, edges
        self._language = hearing.language
        self._known = hearing.lexicon.vocabulary.words
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
        for at in range(1, len(words)):  # the "sie" of "mach sie an"
            if self.roles[at] == Role.TALK and self.roles[at - 1] == Role.VERB and words[at] in hearing._pronouns:
                self.roles[at] = Role.SMALL
        self._ordered()
        self._relayed()
        self._returning()
        self._kept()
        self._asides()
        if repeats:
            self._repeats()
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
        if words[at] not in self._hearing.opening:
            return [self._word(at)]
        ignored = self._hearing.lexicon.ignored.at(words, at)
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
        named = filler == 1 and words[at] in known and not ignored and not (at == 0 and self._opens(words))
        if filler and filler == length and not named:
            if length > 1:
                self.unnumbered_at |= (1 << at + length) - (1 << at)
                self.fixed_at |= (1 << at + length) - (1 << at)
            return [Role.FILLER] * length
        if negation and negation == length:
            return [Role.NEGATION] * length
        if talk and talk == length and not (talk == 1 and words[at] in known and words[at] not in language.question):
            return [Role.TALK] * length
        return [self._word(at)]

    def _opens(self, words: tuple[str, ...]) -> bool:
        """Whether the first word opens what is said, though a name holds it: the "right" of "right turn the lamp off"."""
        lexicon = self._hearing.lexicon
        return words[0] in lexicon.only_named and words[1:2] != () and words[1] not in lexicon.named

    def _some(self, at: int) -> bool:
        """Whether a word is an article rather than an amount: the "some" of "play some music"."""
        following = self._words[at + 1] if at + 1 < len(self._words) else ""
        article = self._words[at] in self._hearing.lexicon.articles
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
        if word in self._hearing.excepting:
            return Role.EXCEPTION
        if language.tells(word):
            return Role.TALK
        return Role.WORD if self._edges[at] and self._edges[at][0].cost < COSTS.many_for_one else Role.UNKNOWN

    def _times(self, at: int) -> tuple[int, float]:
        """How many words ask for a multiple of what it is now, and which: "twice as"."""
        for factor, phrases in self._hearing.lexicon.multiples:
            length = phrases.at(self._words, at)
            inside = any(q.start <= at < q.end and q.end > at + length for q in self._quantities)
            if length and at + 1 < len(self._words) and not inside:
                return length, factor
        return 0, 0.0

    def _degree(self, at: int) -> tuple[int, float]:
        """How many words say by how much, and the share of the usual amount."""
        best = (0, 1.0)
        for phrases, share in self._hearing._degrees:
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

    def _ordered(self) -> None:
        """The "is" of "make sure the lamp is off" states nothing: it says how something is to be."""
        ordering, copula = self._language.phrases("grammar", "ordering"), self._language.grammar.copula
        if ordering.by_first.keys().isdisjoint(self._words):
            return
        at = next((i for i in range(len(self._words)) if ordering.at(self._words, i)), len(self._words))
        for here in range(at + 1, len(self._words)):
            if self._words[here] in copula and self.roles[here] in (Role.TALK, Role.SMALL):
                self.roles[here] = Role.FILLER
                self.ordered = here
                return

    def _relayed(self) -> None:
        """The "tell" and the "to" of "tell the sweeper to go home" hand a command on."""
        words, roles, grammar = self._words, self.roles, self._language.grammar
        first = first_said(roles)
        if first + 2 < len(words) and words[first] in grammar.relaying:
            article = words[first + 1] in self._hearing.lexicon.articles
            named = words[first + 1 + article] in self._hearing.lexicon.named  # "tell her to" is said to somebody
            to = next((i for i in range(first + 2 + article, len(words) - 1) if words[i] in grammar.relayed), 0)
            becomes = any(q.start == to + 1 for q in self._quantities)  # "get the oven to two hundred"
            if named and to and not becomes and roles[to] in (Role.SMALL, Role.FILLER):
                roles[first] = roles[to] = Role.FILLER

    def _kept(self) -> None:
        """The "deja" of "deja la luz encendida": as it is, so that nothing is to be done."""
        grammar = self._language.grammar
        state = self._language.phrases("grammar", "as_it_is").by_first
        last = max((i for i, w in enumerate(self._words) if w in state), default=0)
        for at in (i for i, w in enumerate(self._words[:last]) if w in grammar.keeping):
            self.roles[at] = Role.NEGATION

    def _returning(self) -> None:
        """The "back" of "turn the lamp back on" and "put it back to twenty" says no more than "again"."""
        for at in (i for i, w in enumerate(self._words[:-1]) if w in self._language.grammar.returning):
            following = self._words[at + 1]
            leads = following in self._hearing._absolute or following in self._hearing._movable
            leads = leads or following in self._language.switch.on or following in self._language.switch.off
            if at and (leads or following in self._hearing._directions):
                self.roles[at] = Role.FILLER

    def _asides(self) -> None:
        """The "on" of "forty percent on the lamp" and the "up" of "up to twenty" are prepositions."""
        words, roles, hearing = self._words, self.roles, self._hearing
        first = first_said(roles)
        poles = [i for i, r in enumerate(roles) if r == Role.POLE]
        if poles[:1] == [first] and len(poles) == 2 and words[first] in hearing._movable:
            article = words[first + 1] in hearing.lexicon.articles and poles[1] > first + 2
            if article and self._language.opposite(words[first], words[poles[1]]):  # "on the landing lights off"
                roles[first] = Role.ASIDE
        for at, word in enumerate(words):
            if word not in hearing._movable or roles[at] not in (Role.POLE, Role.SMALL):
                continue
            before = roles[at - 1] if at else None
            following = words[at + 1] if at + 1 < len(words) else ""
            leads = before == Role.POLE and self._leads(words[at - 1], word)
            named = before in (Role.NUMBER, Role.WORD, Role.UNKNOWN) or leads
            nears = any(r == Role.NUMBER for r in roles[at + 2 : at + 4])
            level = any(hearing.named_levels.at(words, i) for i in range(at + 2, min(at + 4, len(words))))  # "up to the max"
            up_to = word in hearing._directions and following in hearing._absolute and (nears or level)
            up_to = up_to or (word in hearing._directions and bool(following) and bool(hearing.named_levels.at(words, at + 1)))
            counted = any(q.start == at + 1 for q in self._quantities)  # "down a couple of degrees"
            article = following in hearing.lexicon.articles and roles[at + 1] != Role.AMOUNT and not counted
            becomes = counted and word in hearing._absolute and before in (Role.WORD, Role.UNKNOWN)  # "the stereo on thirty"
            behind = before == Role.NUMBER and following and not self._ends_a_name(at - 1)  # "forty percent on the lamp"
            leads_to_name = leads and following in hearing.lexicon.named  # "brighter on spot two"
            if (article and named) or up_to or becomes or self._goes_with_value(word) or behind or leads_to_name:
                roles[at] = Role.ASIDE

    def _ends_a_name(self, at: int) -> bool:
        """Whether a number ends a name: "spot two up" moves spot two up."""
        named = self._hearing.lexicon.named
        return at > 0 and self._words[at] in named and self._words[at - 1] in named

    def _goes_with_value(self, word: str) -> bool:
        """Whether it goes without saying that something is on, for it is turned to a value: "turn on the lamp to fifty"."""
        if word not in self._language.switch.on:
            return False
        to = self._language.grammar.absolute[:1]
        return any(q.unit == "percent" or self._words[q.start - 1 : q.start] == tuple(to) for q in self._quantities)

    def _leads(self, before: str, word: str) -> bool:
        """Whether a direction such as "brighter" may stand before a preposition."""
        return before not in self._hearing._movable and not self._language.opposite(before, word)

    def _repeats(self) -> None:
        """A false start: the first of two same runs; numbers, negations and opposites are left alone."""
        words, roles, count = self._words, self.roles, len(self._words)
        for size in range(min(LONGEST_REPEAT, count // 2), 0, -1):
            for at in range(count - 2 * size + 1):
                for gap in (0, 1, 2):
                    again = at + size + gap
                    if again + size > count or words[at : at + size] != words[again : again + size]:
                        continue
                    if any(r not in (Role.FILLER, Role.SMALL) for r in roles[at + size : again]):
                        continue
                    run = roles[at : at + size]
                    if not any(r in _COUNTED or (r == Role.POLE and size == 1 and gap) for r in run):
                        roles[at : at + size] = [Role.REPEAT] * size

    def _broken(self) -> None:
        """A preposition or an article at the end, with nothing behind it: "dim the lamp to ..."."""
        if self._words[0] in self._language.question:  # "what is the lamp at"
            return
        at = len(self.roles) - 1
        while at > 0 and self.roles[at] == Role.FILLER:
            at -= 1
        numbers = self._language.numbers
        one = self._words[at] in numbers.single and self._words[at] not in numbers.homophones
        if at > 0 and one and self._words[at - 1] in self._language.grammar.relative:
            return  # the "un" of "baisse de un"
        while at > 0 and self.roles[at] in (Role.SMALL, Role.ASIDE) and self._words[at] in self._hearing._wanting:
            self.roles[at] = Role.BROKEN
            at -= 1


def _without_numbers(edges: tuple[tuple[WordEdge, ...], ...], quantities: Sequence[Quantity]) -> tuple[tuple[WordEdge, ...], ...]:
    """The edges without those that take a part of a number with a unit, or of several words, for another word: the "ten" of "ten minutes"."""
    plain = (q for q in quantities if q.cost < HOMOPHONE and (q.unit or q.end - q.start > 1))
    firm = {at for q in plain for at in range(q.start, q.end)}
    if not firm:
        return edges
    return tuple(tuple(e for e in here if at not in firm or not e.how & How.TAKEN) for at, here in enumerate(edges))
