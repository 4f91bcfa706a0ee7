"""Alignments: a phrase laid over an utterance, as a list of items that everything else is computed from."""

from __future__ import annotations

from enum import IntEnum

from msgspec import Struct

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Utterance
from glossa.hearing.vocabulary import WordEdge
from glossa.house.values import Value
from glossa.language import Language
from glossa.matching.grammar import Pattern

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


def align(
    utterance: Utterance,
    pattern: Pattern,
    chosen: tuple[Option | None, ...],
    *,
    relative: frozenset[str],
    absolute: frozenset[str],
    order: float,
    about_own: bool,
    claimed: int,
    language: Language,
) -> Alignment:
    """The alignment in which the places of a phrase take what was chosen for them.

    Args:
        utterance: what was heard.
        pattern: the phrase.
        chosen: for every place what it takes, or None.
        relative, absolute: prepositions before an amount of change, and before what a value becomes.
        order: what two places out of their order cost.
        about_own: whether the intent's own device is what was spoken of last, so that it need not be named.
        claimed: tokens that a slot of the intent has a value for, as a bit mask, so that they can't just say by how much.
        language: of the phrase.
    """
    items: list[Item] = []
    covered = main = 0
    weight = utterance.weight((1 << len(utterance.words)) - 1)
    also: set[str] = set()
    for number, option in enumerate(chosen):
        if option is not None:
            covered |= option.tokens
            if not pattern.places[number].small:
                main |= option.tokens
            if option.edge is not None:
                also.update(option.edge.also)
    starts = [o.start for p, o in zip(pattern.places, chosen, strict=True) if o is not None and not p.small and o.tokens]
    inversions = sum(b < a for a, b in zip(starts, starts[1:], strict=False))
    for number, (place, option) in enumerate(zip(pattern.places, chosen, strict=True)):
        if option is not None:
            kind = Kind.WORD if option.edge is not None else Kind.SLOT
            items.append(Item(kind, option.cost, option.start, option.end, number, option=option))
            weight += option.weight
            if place.relation and _misfit(utterance, place.relation, option, relative, absolute):
                items.append(Item(Kind.MISFIT, COSTS.misfit, option.start, option.end, number))
        elif place.missing:
            taken = place.own and about_own
            cost = COSTS.assumed if taken else 0.0 if not also.isdisjoint(place.words) else place.missing
            items.append(Item(Kind.UNHEARD, cost, place=number))
            weight += place.missing
    towards = any(
        p.relation == "to" and o is not None and o.candidate is not None and _led_by(utterance, o.start, absolute)
        for p, o in zip(pattern.places, chosen, strict=True)
    )
    first = (main & -main).bit_length() - 1 if main else 0
    last = main.bit_length()
    for at, (role, cost) in enumerate(zip(utterance.roles, utterance.weights, strict=True)):
        if not covered >> at & 1:
            where = Where.BEFORE if at < first else Where.BEHIND if at >= last else Where.INSIDE
            if role == Role.POLE and _goes_without_saying(utterance.words[at], chosen, towards, language):
                role, cost = Role.VERB, WEIGHT[Role.VERB]
            items.append(Item(Kind.LEFT, left_cost(utterance, pattern, chosen, at, cost, claimed), at, at + 1, -1, role, where))
    if inversions:
        items.append(Item(Kind.ORDER, order * inversions))
    if pattern.prior:
        items.append(Item(Kind.RARE, pattern.prior))
    total = 0.0
    for item in items:
        total += item.cost
    return Alignment(pattern, chosen, tuple(items), round(total, 9), round(weight, 9), covered)


def left_cost(
    utterance: Utterance, pattern: Pattern, chosen: tuple[Option | None, ...], at: int, weight: float, claimed: int
) -> float:
    """What leaving a token unexplained costs beside a phrase."""
    if pattern.garbage:
        return weight * COSTS.garbage
    if utterance.words[at] in pattern.measures:
        return min(weight, WEIGHT[Role.SMALL])
    if utterance.roles[at] == Role.AMOUNT and (claimed >> at & 1 or not scales(pattern, chosen)):
        return MOST_AMOUNT
    return weight


def scales(pattern: Pattern, chosen: tuple[Option | None, ...]) -> bool:
    """Whether "a bit" says by how much: the amount of the change was not said."""
    return any(o is None and p.slot in pattern.scaled for p, o in zip(pattern.places, chosen, strict=True)) or (
        bool(pattern.scaled) and all(p.slot not in pattern.scaled for p in pattern.places)
    )


def _goes_without_saying(word: str, chosen: tuple[Option | None, ...], towards: bool, language: Language) -> bool:
    """Whether a word of direction says no more than the value or another word: "raise it to twenty", "slow it down"."""
    if towards and language.changes(word):
        return True
    poles = language.poles[word]
    heard = (e.word for o in chosen if o is not None for e in ((o.edge,) if o.edge else o.candidate.used if o.candidate else ()))
    return any(pole in poles for said in heard if said != word for pole in language.poles.get(said, ()))


def _misfit(utterance: Utterance, relation: str, option: Option, relative: frozenset[str], absolute: frozenset[str]) -> bool:
    """Whether "by" stands before what becomes the value, or "to" before an amount of change."""
    if option.candidate is None or not isinstance(option.candidate.value, (int, float)):
        return False
    return _led_by(utterance, option.start, relative if relation == "to" else absolute)


def _led_by(utterance: Utterance, start: int, words: frozenset[str]) -> bool:
    """Whether one of some words leads to what starts at a token, but for filler."""
    at = start - 1
    while at >= 0 and utterance.roles[at] in (Role.FILLER, Role.AMOUNT):
        at -= 1
    return at >= 0 and utterance.words[at] in words
