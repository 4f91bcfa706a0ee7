"""Alignments: a phrase laid over an utterance, as a list of items that everything else is computed from."""

from __future__ import annotations

from collections.abc import Mapping
from enum import IntEnum

from msgspec import Struct

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Utterance, mask_of
from glossa.hearing.vocabulary import WordEdge
from glossa.house.values import Value
from glossa.language import Language
from glossa.matching.grammar import Pattern

_Poles = tuple[tuple[str, int], ...]

_SAID_IN_ASKING = frozenset((Role.TALK, Role.VERB, Role.AMOUNT, Role.UNKNOWN, Role.SMALL))

MOST_AMOUNT = 0.5
"""What a token of an amount costs where nothing changes by an amount."""


class Candidate(Struct, frozen=True):
    """A value for a slot.

    Attributes:
        start, end: the tokens that it stands at; ``tokens`` all that it takes, as a bit mask.
        value: in the slot's unit; for a device what it stands for.
        cost: 0 or more, in content words.
        outside: whether it lies outside the range.
        note: how a number was read; ``words`` for free words, ``assumed`` for a device that was spoken of before.
        used: the word edges that it is made of.
    """

    start: int
    end: int
    tokens: int
    value: Value | Devices
    cost: float
    outside: bool = False
    note: str = ""
    used: tuple[WordEdge, ...] = ()


class Option(Struct, frozen=True):
    """What a place of a phrase may take.

    Attributes:
        gain: what taking it saves: the weight of its tokens less its cost.
        tokens: as a bit mask; ``start`` and ``end`` where it stands.
        cost: in content words.
        weight: what it adds to the weight of the phrase.
        edge: for a word.
        candidate: for a slot, with the number of its specification.
    """

    gain: float
    tokens: int
    start: int
    end: int
    cost: float
    weight: float
    edge: WordEdge | None = None
    candidate: Candidate | None = None
    spec: int = -1

    @property
    def edges(self) -> tuple[WordEdge, ...]:
        """The word edges that it is made of."""
        return (self.edge,) if self.edge is not None else self.candidate.used if self.candidate is not None else ()


class Kind(IntEnum):
    """What an item of an alignment is."""

    WORD = 0
    SLOT = 1
    LEFT = 2
    """A token that nothing explains."""
    UNHEARD = 3
    """A place of the phrase that was not said."""
    ORDER = 4
    MISFIT = 5
    """A preposition that tells against the value: "by" before what it becomes."""
    RARE = 6
    ELSEWHERE = 7
    """The intent's own device is another one than that which was spoken of."""


class About(IntEnum):
    """What was spoken of before, seen from an intent with a device of its own."""

    NOTHING = 0
    OWN = 1
    OTHER = 2


class Where(IntEnum):
    """Where what is left over stands, seen from the stretch that the phrase covers."""

    BEFORE = 0
    INSIDE = 1
    BEHIND = 2


class Item(Struct, frozen=True):
    """One row of an alignment.

    Attributes:
        kind: what it is.
        cost: 0 or more, in content words; the items' costs add up to the alignment's.
        start, end: the tokens, both 0 for what was not said.
        place: the place of the phrase, -1 for none.
        role, where: of a token that is left over.
        option: what the place took.
    """

    kind: Kind
    cost: float
    start: int = 0
    end: int = 0
    place: int = -1
    role: Role = Role.FILLER
    where: Where = Where.INSIDE
    option: Option | None = None


class Alignment(Struct, frozen=True):
    """A phrase laid over an utterance.

    Attributes:
        pattern: the phrase.
        chosen: for every place what it took, or None.
        items: everything that was matched, left over, not heard or out of order.
        cost: the sum of the items' costs.
        weight: of the utterance and the phrase together.
        covered: the tokens that the phrase explains, as a bit mask.
    """

    pattern: Pattern
    chosen: tuple[Option | None, ...]
    items: tuple[Item, ...]
    cost: float
    weight: float
    covered: int

    @property
    def score(self) -> float:
        """``1 - cost / weight``, 0 to 1: the share of what was said and expected that fits."""
        return round(max(0.0, 1.0 - self.cost / max(self.weight, 1e-9)), 9)

    def candidate(self, slot: str) -> Candidate | None:
        """What a slot took."""
        for place, option in zip(self.pattern.places, self.chosen, strict=True):
            if place.slot == slot and option is not None:
                return option.candidate
        return None


class Aligner:
    """Makes the alignments of one utterance.

    Args:
        utterance: what was heard.
        language: its language.
        order: what two places out of their order cost.
    """

    def __init__(self, utterance: Utterance, language: Language, order: float) -> None:
        self._utterance, self._language, self._order = utterance, language, order
        self._weight = utterance.weight((1 << len(utterance.words)) - 1)
        self._relative, self._absolute = frozenset(language.grammar.relative), frozenset(language.grammar.absolute)
        words, roles, weights = utterance.words, utterance.roles, utterance.weights
        self._asked = mask_of(w in language.grammar.asking for w in words)
        self._poles = mask_of(r == Role.POLE for r in roles)
        self._depends = self._poles | mask_of(r == Role.AMOUNT for r in roles)  # on what else the phrase takes
        self._left = {
            where: tuple(Item(Kind.LEFT, weights[i], i, i + 1, -1, roles[i], where) for i in range(len(words))) for where in Where
        }

    def align(self, pattern: Pattern, chosen: tuple[Option | None, ...], *, about: About, claimed: int) -> Alignment:
        """The alignment in which the places of a phrase take what was chosen for them.

        Args:
            pattern: the phrase.
            chosen: for every place what it takes, or None.
            about: whether the intent's own device is what was spoken of last, so that it need not be named, or another one.
            claimed: tokens that a slot of the intent has a value for, as a bit mask, so that they can't just say by how much.
        """
        items: list[Item] = []
        covered = main = inversions = 0
        weight, last_start = self._weight, -1
        towards = False
        also: list[str] = []
        for number, (place, option) in enumerate(zip(pattern.places, chosen, strict=True)):
            if option is None:
                continue
            covered |= option.tokens
            if not place.small:
                main |= option.tokens
                if option.tokens:
                    inversions += option.start < last_start
                    last_start = option.start
            if option.edge is not None:
                also += option.edge.also
            items.append(
                Item(
                    Kind.SLOT if option.edge is None else Kind.WORD, option.cost, option.start, option.end, number, option=option
                )
            )
            weight += option.weight
            if place.relation and option.candidate is not None and isinstance(option.candidate.value, (int, float)):
                before = self._before(option.start)
                towards = towards or (place.relation == "to" and before in self._absolute)
                if before in (self._relative if place.relation == "to" else self._absolute):
                    items.append(Item(Kind.MISFIT, COSTS.misfit, option.start, option.end, number))
        for number, place in enumerate(pattern.places):
            if place.missing and chosen[number] is None:
                cost = (
                    COSTS.assumed
                    if place.own and about == About.OWN
                    else 0.0
                    if any(w in also for w in place.words)
                    else place.missing
                )
                items.append(Item(Kind.UNHEARD, cost, place=number))
                weight += place.missing
        self._leave(items, pattern, chosen, covered, main, towards=towards, claimed=claimed)
        if inversions:
            items.append(Item(Kind.ORDER, self._order * inversions))
        if about == About.OTHER:
            items.append(Item(Kind.ELSEWHERE, COSTS.elsewhere))
        if pattern.prior:
            items.append(Item(Kind.RARE, pattern.prior))
        total = 0.0
        for item in items:
            total += item.cost
        return Alignment(pattern, chosen, tuple(items), round(total, 9), round(weight, 9), covered)

    def _leave(
        self,
        items: list[Item],
        pattern: Pattern,
        chosen: tuple[Option | None, ...],
        covered: int,
        main: int,
        *,
        towards: bool,
        claimed: int,
    ) -> None:
        """The tokens that nothing explains, with where they stand."""
        utterance = self._utterance
        first, last = (main & -main).bit_length() - 1, main.bit_length()
        preamble, reason = self._clauses_beside(first, last) if main else (0, 0)
        left = (1 << len(utterance.words)) - 1 & ~covered
        beside = preamble | reason
        asked = self._asked if pattern.intent.read else 0
        depends = self._depends | beside | asked
        directed = self._directed(chosen) if left & self._poles else {}
        while left:
            bit = left & -left
            left ^= bit
            at = bit.bit_length() - 1
            where = Where.BEFORE if at < first else Where.BEHIND if at >= last else Where.INSIDE
            word = utterance.words[at]
            if not bit & depends and not pattern.garbage and word not in pattern.measures:
                items.append(self._left[where][at])
                continue
            role, cost = utterance.roles[at], utterance.weights[at]
            if bit & beside:  # words of the house are less likely to be beside the command
                clause = Role.PREAMBLE if bit & preamble else Role.REASON
                cost = min(cost, COSTS.beside if role == Role.WORD else WEIGHT[clause])
                role = clause
            if role == Role.POLE and self._goes_without_saying(word, directed, towards):
                role, cost = Role.VERB, WEIGHT[Role.VERB]
            if bit & asked and role in _SAID_IN_ASKING:
                role, cost = Role.FILLER, WEIGHT[Role.FILLER]
            if pattern.garbage:
                cost *= COSTS.garbage
            elif word in pattern.measures:
                cost = min(cost, WEIGHT[Role.SMALL])
            elif role == Role.AMOUNT and (claimed & bit or not scales(pattern, chosen)):
                cost = MOST_AMOUNT
            items.append(Item(Kind.LEFT, cost, at, at + 1, -1, role, where))

    def most_beside(self) -> float:
        """What clauses of their own, in front and behind, can save at most."""
        utterance = self._utterance
        count = len(utterance.words)
        openings, closings = utterance.pauses | utterance.requests, utterance.clauses
        if not openings | closings:
            return 0.0
        most = [0.0, 0.0]
        for at in range(1, count):
            for side, mask in (
                (0, (1 << at) - 1 if openings >> at & 1 else 0),
                (1, (1 << count) - (1 << at) if closings >> at & 1 else 0),
            ):
                if not mask & utterance.telling:
                    saved = sum(max(0.0, w - WEIGHT[Role.PREAMBLE]) for i, w in enumerate(utterance.weights) if mask >> i & 1)
                    most[side] = max(most[side], saved)
        return sum(most)

    def _clauses_beside(self, first: int, last: int) -> tuple[int, int]:
        """The tokens of clauses of their own in front of what a phrase covers and behind it, as bit masks."""
        utterance = self._utterance
        count = len(utterance.words)
        light = (Role.FILLER, Role.SMALL, Role.REPEAT, Role.AMOUNT)
        rooms = 0  # "it's dark in the hall": where it is so may stand behind a complaint
        for room in utterance.rooms() if utterance.requests else ():
            rooms |= (1 << room.end) - (1 << room.start)
        preamble = reason = pause = 0
        for at in range(first, 0, -1):
            if utterance.pauses >> at & 1:
                preamble, pause = (1 << at) - 1, at
                break
            if utterance.requests >> at & 1:
                preamble = (1 << at) - 1
            if utterance.roles[at - 1] not in light and not rooms >> at - 1 & 1:
                break
        for at in range(last, count - 1):
            if utterance.clauses >> at & 1 and utterance.roles[at] != Role.NEGATION:
                reason = (1 << count) - (1 << at)
                break
            if utterance.roles[at] not in light:
                break
        negated = [i for i in range(preamble.bit_length()) if utterance.roles[i] == Role.NEGATION]
        complained = (
            pause and utterance.clauses & 1 and negated == [1] and utterance.roles[pause - 1] != Role.SMALL
        )  # "I can't see, ..."
        if preamble & utterance.telling or (negated and not complained):
            preamble = 0
        return preamble, 0 if reason & utterance.telling else reason

    def _directed(self, chosen: tuple[Option | None, ...]) -> dict[str, _Poles]:
        """The words of direction within what was chosen, with the poles they are at."""
        taken = (o for o in chosen if o is not None)
        edges = (e for o in taken for e in o.edges)
        return {e.word: self._language.poles[e.word] for e in edges if e.word in self._language.poles}

    def _goes_without_saying(self, word: str, directed: Mapping[str, _Poles], towards: bool) -> bool:
        """Whether a word of direction says no more than the value or another word: "raise it to twenty", "slow it down"."""
        if towards and self._language.changes(word):
            return True
        poles = self._language.poles[word]
        return any(said != word and any(pole in poles for pole in its) for said, its in directed.items())

    def _before(self, start: int) -> str:
        """The word that leads to what starts at a token, but for filler."""
        at = start - 1
        while at >= 0 and self._utterance.roles[at] in (Role.FILLER, Role.AMOUNT):
            at -= 1
        return self._utterance.words[at] if at >= 0 else ""


def scales(pattern: Pattern, chosen: tuple[Option | None, ...]) -> bool:
    """Whether "a bit" says by how much: the amount of the change was not said."""
    return any(o is None and p.slot in pattern.scaled for p, o in zip(pattern.places, chosen, strict=True)) or (
        bool(pattern.scaled) and all(p.slot not in pattern.scaled for p in pattern.places)
    )
