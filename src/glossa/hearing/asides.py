"""Sentences beside a command: where one has ended so that a command may follow, and where one begins behind a command.

"I've just got in turn the lamp on" holds a command, "he told me to turn the lamp on" and "they left the lamp on" hold none. Nobody writes
commas when a recogniser listens. What tells the two apart is the word right before: one that governs what follows ("to", "should", "he")
makes it a part of what is told; any other one may end a sentence. A verb that gives an order can hardly be anything but an order then; the
name of a device may still be what the sentence is about.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from msgspec import Struct

from glossa.hearing.lexicon import Lexicon
from glossa.hearing.roles import Role, first_said

_SUBSTANCE = frozenset((Role.TALK, Role.UNKNOWN, Role.NEGATION))
"""Roles without which there is no sentence beside the command."""

_NAMING = frozenset((Role.UNKNOWN, Role.WORD))

_PASSED = frozenset((Role.POLE, Role.BROKEN, Role.EXCEPTION))
"""Roles of tokens that may stand in a sentence behind a command though a command may hold them: "... there's nothing but rubbish"."""

SHORTEST = 3
"""Words that a sentence has at least; a contraction such as "I'm" is two."""

REPORTED_WITHIN = 3
"""Words behind a command within which a verb of speech shows that the command was only told of: "turn it on he said"."""

PREDICATE_WITHIN = 4
"""Words within which a sentence that begins with its subject says something of it."""


class Beside(Struct, frozen=True, gc=False):
    """Where sentences beside a command end and begin, as bit masks of tokens.

    Attributes:
        ended: the tokens before which a sentence may have ended.
        begun: the tokens at which a sentence may begin.
        governed: the tokens before which stands a word that makes them a part of what is told.
    """

    ended: int = 0
    begun: int = 0
    governed: int = 0


class Asides:
    """Finds the sentences beside a command in the utterances of one house in one language.

    Args:
        lexicon: the house's words.
        orders: whether a word is a verb that gives orders.
    """

    def __init__(self, lexicon: Lexicon, orders: Callable[[str], bool]) -> None:
        language, own, grammar = lexicon.language, lexicon.language.asides, lexicon.language.grammar
        self._orders, self._language, self._articles = orders, language, lexicon.articles
        self._governing, self._passing, self._objects = frozenset(own.governing), frozenset(own.passing), frozenset(own.objects)
        self._taking = frozenset(own.taking)
        self._causing, self._ending, self._subjects = frozenset(own.causing), frozenset(own.ending), frozenset(own.subjects)
        self._felt, self._told, self._copula = language.felt, tuple(grammar.told), frozenset(grammar.copula)
        self._doers = self._subjects - self._articles
        self._persons = self._doers - self._objects
        self._signs = self._felt | self._persons  # of a sentence: "I dropped it", "it's dark"
        self._asked = frozenset(own.asked)
        self._conditions, self._linking = language.phrases("when", "condition"), frozenset(own.linking)
        self._reporting, self._particles = frozenset(own.speech), frozenset(own.particles)
        self._joined, self._movable = frozenset(grammar.joined), frozenset(grammar.after_number_only)
        self._timing = language.phrases("when", "delay").single | frozenset(grammar.absolute)
        self._leading = language.phrases("grammar", "consequence").first
        self._beginning, self._opened = language.phrases("grammar", "clause"), language.phrases("grammar", "request")

    def of(
        self, words: Sequence[str], written: Sequence[str], roles: Sequence[Role], telling: int, names: Mapping[int, int]
    ) -> Beside:
        """The sentences of an utterance.

        Args:
            words: its words.
            written: the same as they were written, for their apostrophes.
            roles: what each of them does.
            telling: the tokens that belong to a command, wherever they stand: names, directions, numbers; as a bit mask.
            names: where the name of a device starts, and where it ends.
        """
        if not self._governing or (_SUBSTANCE.isdisjoint(roles) and self._signs.isdisjoint(words)):
            return Beside()
        line = _Heard(words, written, roles, telling, names, first_said(roles))
        return Beside(self._ended(line), self._begun(line), self._governed(line))

    def reports(self, words: Sequence[str], at: int) -> bool:
        """Whether what begins at a token only says who said what stands before it: "he shouted"."""
        return not self._reporting.isdisjoint(words[at : at + REPORTED_WITHIN])

    # --- in front ---------------------------------------------------------------------------------------------------

    def _ended(self, line: _Heard) -> int:
        words, roles = line.words, line.roles
        start = next((at for at in range(line.first) if self._beginning.at(words, at)), line.first)  # the "mir" of "mir ist kalt"
        if self._conditions.at(words, start):  # "if you see her turn the lamp on" is for another time
            return 0
        if (words[line.first] in self._language.verbs and line.first not in line.names) or self._forbids(line, start):
            return 0  # "turn the lamp on ...", "never turn the lamp on"
        mask, substance, named = 0, False, False
        predicate = bool(self._beginning.at(words, start))
        count = max((at + 1 for at, role in enumerate(roles) if role != Role.FILLER), default=0)
        for at in range(start + 1, count):
            said, role = at - 1, roles[at - 1]
            if words[said] in self._reporting:
                break
            named = named or (line.telling >> said & 1 == 1 and role not in (Role.NUMBER, Role.POLE))
            says = self._says(line, said)
            substance = substance or role in _SUBSTANCE or words[said] in self._felt or (says and role in _NAMING)
            predicate = predicate or says or self._told_of(line, start, said)
            if substance and predicate and self._may_end(line, start, at, named=named):
                mask |= 1 << at
        return mask

    def _forbids(self, line: _Heard, start: int) -> bool:
        """Whether a negation opens an utterance and no "no veo nada": "never turn the lamp on"."""
        if line.roles[start] != Role.NEGATION or line.words[start] in self._language.grammar.nothing:
            return False
        return not self._beginning.at(line.words, start) and Role.TALK not in line.roles[start + 1 : start + 2]

    def _told_of(self, line: _Heard, start: int, at: int) -> bool:
        """Whether a word says something of what was named right before: "the neighbours complained", "das Radio nervt"."""
        if at != start + 2 or line.words[start] not in self._articles:
            return False
        return line.roles[at - 1] in (*_NAMING, Role.TALK) and line.roles[at] in (Role.UNKNOWN, Role.TALK)

    def _may_end(self, line: _Heard, start: int, at: int, *, named: bool) -> bool:
        """Whether a sentence that began at ``start`` may end before a token; one that names something of the house only before an order."""
        words, roles = line.words, line.roles
        last = self._last_word(line, start, at)
        if last < start or words[last] in self._articles or self._governs(line, start, last):
            return False
        short = "'" in line.written[start] or self._beginning.at(words, start) > 0 or words[start] in self._doers
        if at - start < SHORTEST - short:  # "I'm late", "estoy helada"
            return False
        if words[at - 1] in self._leading and words[at] not in self._felt and not named:  # "we've run out of ice so freezer on"
            return True
        if words[at] in self._felt and all(r == Role.FILLER for r in roles[at + 1 :]):  # "is it warm"
            return False
        if self._orders(words[at]) or self._opened.at(words, at) or words[at] in self._language.question:
            return True
        if named or words[at] in self._movable or words[at] in self._objects:
            return False  # "they left the galley fan on", "mind your head on the lamp", "he wished them good night"
        return self._ends_before_a_name(line, start, last, at)

    def _ends_before_a_name(self, line: _Heard, start: int, last: int, at: int) -> bool:
        """Whether a sentence may end with its word ``last``, so that what is named behind it is no part of it."""
        words, roles = line.words, line.roles
        if self._to_be_done(line, start, last):
            return False
        described = last > start and words[last - 1] in self._articles  # "they left the galley fan on"
        if words[last] in self._ending or (words[last] in self._felt and not described):
            return True
        before = words[last - 1] if last > start + 1 and roles[last - 1] in (Role.UNKNOWN, Role.TALK) else ""
        if words[last] in self._particles and before and before not in self._copula:
            return True  # "the sun's gone down", and not "what's on channel five"
        spoken = roles[last] == Role.TALK and (described or (last > start and words[last - 1] in self._doers))
        if self._language.tells(words[last]) or not (roles[last] in _NAMING or spoken):  # "I hate this song", "it smells"
            return False
        return not described or line.names.get(at, at) - at > 1

    def _to_be_done(self, line: _Heard, start: int, last: int) -> bool:
        """Whether a word of the house says what is to be done, and is told of: the "dim" of "you should dim", not of "it is dim"."""
        before = self._last_word(line, start, last)
        if before < start or line.words[before] in self._copula:
            return False
        state = line.words[last] in self._felt and not self._orders(line.words[last])  # "it's getting dark"
        return line.roles[last] in (Role.WORD, Role.POLE) and not state and self._governs(line, start, before)

    def _governs(self, line: _Heard, start: int, last: int) -> bool:
        """Whether a word makes what follows a part of what is told: "should", "she'd", the "him" of "let him"."""
        if last < start:
            return False
        word, before = line.words[last], line.words[last - 1] if last > start else ""
        following = line.words[last + 1]
        if not (self._articles.isdisjoint(self._language.alike.get(word, ())) or self._orders(following)):
            return False  # "turn they lamp on"
        if word in self._taking and not self._orders(following):
            return True
        if word in self._governing or word in self._reporting or line.written[last].lower() in self._governing:
            return f"{before} {word}" not in self._asked
        if word in self._objects:
            made = before in self._causing and line.roles[last - 1] != Role.FILLER
            return made or (last > start and line.roles[last - 1] == Role.NEGATION)  # "no se encienda"
        return self._seen_doing(line, start, last)

    def _seen_doing(self, line: _Heard, start: int, last: int) -> bool:
        """Whether somebody that is named was seen to do what follows: "we saw the plumber turn"; but not "I can't see the stairs, turn"."""
        at = last
        while at > start and (line.roles[at] == Role.UNKNOWN or line.words[at] in self._articles):
            at -= 1
        seen = start < at < last and line.words[at] in self._taking and line.words[at] in self._causing
        return seen and Role.NEGATION not in line.roles[start:at]

    def _governed(self, line: _Heard) -> int:
        start, mask, told = line.first, 0, False
        for at in range(start + 1, len(line.words)):
            told = told or line.roles[at - 1] == Role.NEGATION or self._says(line, at - 1) or line.words[at - 1] in self._subjects
            told = told or self._told_of(line, start, at - 1)
            last = self._last_word(line, start, at) if told else -1
            if last >= start and self._governs(line, start, last):
                mask |= 1 << at
        return mask

    def _last_word(self, line: _Heard, start: int, at: int) -> int:
        """The last word before a token that says something: no adverb and no filler; before ``start`` where there is none."""
        words, roles = line.words, line.roles
        last = at - 1
        while last >= start and words[last] not in self._ending:
            if roles[last] != Role.FILLER and (words[last] not in self._passing or words[last] in self._governing):
                break
            last -= 1
        return last

    def _says(self, line: _Heard, at: int) -> bool:
        """Whether a word says something of a subject: a verb that tells, "is", or the "'s" of "dinner's ready"."""
        word, role = line.words[at], line.roles[at]
        if at == line.first and word not in self._language.question and "'" not in line.written[at]:
            return False  # "be a star and turn the lamp on" tells of nobody
        if word in self._copula or ("'" in line.written[at] and role != Role.FILLER):
            return True
        if role == Role.TALK:
            return not any(word in held for held in (self._passing, self._subjects, self._objects, self._linking))
        if role not in _NAMING:
            return False
        done = at > 0 and line.words[at - 1] in self._doers  # "I nearly fell over"
        return self._language.tells(word) or (done and (role == Role.UNKNOWN or word.endswith(self._told)))

    # --- behind -----------------------------------------------------------------------------------------------------

    def _begun(self, line: _Heard) -> int:
        mask = 0
        for at in range(len(line.words) - 1, 0, -1):
            timed = line.roles[at] == Role.NUMBER and self._timed(line, at)
            if line.telling >> at & 1 and not timed and line.roles[at] not in _PASSED:
                break
            if self._may_begin(line, at):
                mask |= 1 << at
        return mask

    def _timed(self, line: _Heard, at: int) -> bool:
        """Whether a number may be when something is: "we eat in a minute", "they come at seven", "it's half past eleven"."""
        while at > 0 and (
            line.roles[at] == Role.NUMBER or (line.roles[at] == Role.UNKNOWN and line.roles[at - 1] == Role.NUMBER)
        ):
            at -= 1
        said = line.words[max(0, at - 1) : at + 1]  # "it's six", "it's gone six"
        return line.words[at] in self._timing or any(w in self._copula for w in said)

    def _may_begin(self, line: _Heard, at: int) -> bool:
        """Whether a sentence may begin at a token that says something of a subject, or why."""
        words, roles = line.words, line.roles
        if at + 1 == len(words):
            return False
        if words[at] in self._linking:
            return words[at + 1] not in self._felt  # "half as bright"
        if self.reports(words, at):
            return False
        if words[at] in self._persons:  # "I need to spend a penny"
            return True
        says = any(self._says(line, i) for i in range(at + 1, min(at + PREDICATE_WITHIN, len(words))))
        contracted = "'" in line.written[at]
        if words[at] in self._subjects:
            return says or contracted or (roles[at + 1] == Role.UNKNOWN and words[at] in self._doers)
        subject = words[at - 1] in self._articles or (at == 2 and words[0] in self._articles)  # "the lower shelf is ..."
        stated = words[at + 1] in self._copula and not subject
        if roles[at] in _NAMING and (stated or contracted):  # "breakfast is over", "dinner's ready"
            return True
        return words[at] in self._articles and self._tells_of(line, at, says=says)

    def _tells_of(self, line: _Heard, at: int, *, says: bool) -> bool:
        """Whether an article begins a sentence of its own: "the kids are asleep", "my eyes hurt"."""
        words, roles = line.words, line.roles
        before = words[at - 1]  # "the signal on my phone is awful", "and a tea towel"
        if before in self._movable or before in self._joined:
            return False
        if roles[at + 1] == Role.WORD:
            return words[at + 2 : at + 3] != () and words[at + 2] in self._copula
        led = roles[at - 1] in (Role.UNKNOWN, Role.VERB) or self._orders(before)  # "close the parler certain"
        unknown = tuple(roles[at + 1 :]) == (Role.UNKNOWN, Role.UNKNOWN) and not led
        return roles[at + 1] in _SUBSTANCE and (says or unknown)


class _Heard(Struct, frozen=True, gc=False):
    """What is known of an utterance; see :meth:`Asides.of`. ``first`` is its first token that is no filler."""

    words: Sequence[str]
    written: Sequence[str]
    roles: Sequence[Role]
    telling: int
    names: Mapping[int, int]
    first: int
