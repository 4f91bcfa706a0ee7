"""Alignments: a phrase laid over an utterance, as a list of items that everything else is computed from."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import ClassVar

from msgspec import Struct

from glossa.hearing.costs import COSTS
from glossa.hearing.devices import Devices
from glossa.hearing.roles import How, Role
from glossa.hearing.utterance import Utterance
from glossa.hearing.vocabulary import WordEdge
from glossa.house.enumeration import Enumeration
from glossa.house.values import Value
from glossa.language import Language
from glossa.matching.grammar import Pattern, Place

_CLAUSES = 1 << Role.PREAMBLE | 1 << Role.REASON

REWORDED = How.FORM | How.SYNONYM | How.TOWARD | How.REWRITTEN


class Candidate(Struct, frozen=True, gc=False):
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


class Option(Struct, frozen=True, gc=False):
    """What a place of a phrase may take.

    Attributes:
        gain: what taking it saves at most: the weight of its tokens less its cost. ``least`` is what it saves at least, for bounds: another
            word of the phrase may make a token weigh less.
        tokens: as a bit mask; ``start`` and ``end`` where it stands.
        cost: in content words.
        weight: what it adds to the weight of the phrase.
        edge: for a word.
        candidate: for a slot, with the number of its specification.
    """

    gain: float
    least: float
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


class Kind(Enumeration):
    """What an item of an alignment is."""

    WORD: ClassVar[Kind]
    SLOT: ClassVar[Kind]
    LEFT: ClassVar[Kind]
    """A token that nothing explains."""
    UNHEARD: ClassVar[Kind]
    """A place of the phrase that was not said."""
    ORDER: ClassVar[Kind]
    MISFIT: ClassVar[Kind]
    """What leads to a value and tells against it: "by" before what it becomes, or the "for" of "table two for four" before another number."""
    RARE: ClassVar[Kind]
    AIMLESS: ClassVar[Kind]
    """A direction right before what a value becomes, or before an amount out of range: "down ten"."""
    ELSEWHERE: ClassVar[Kind]
    """The intent's own device is another one than that which was spoken of."""


class About(Enumeration):
    """What was spoken of before, seen from an intent with a device of its own."""

    NOTHING: ClassVar[About]
    OWN: ClassVar[About]
    OTHER: ClassVar[About]


class Where(Enumeration):
    """Where what is left over stands, seen from the stretch that the phrase covers."""

    BEFORE: ClassVar[Where]
    INSIDE: ClassVar[Where]
    BEHIND: ClassVar[Where]


class Item(Struct, frozen=True, gc=False):
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


class Alignment(Struct, frozen=True, gc=False):
    """A phrase laid over an utterance.

    Attributes:
        pattern: the phrase.
        chosen: for every place what it took, or None.
        items: everything that was matched, left over, not heard or out of order.
        cost: the sum of the items' costs.
        weight: of the utterance and the phrase together.
        score: ``1 - cost / weight``, 0 to 1: the share of what was said and expected that fits.
        covered: the tokens that the phrase explains, as a bit mask.
        left: the roles of the tokens that it does not, as a bit mask.
    """

    pattern: Pattern
    chosen: tuple[Option | None, ...]
    items: tuple[Item, ...]
    cost: float
    weight: float
    score: float
    covered: int
    left: int

    def left_over(self, *roles: Role) -> list[int]:
        """The tokens with some roles that nothing explains."""
        for role in roles:
            if self.left >> role & 1:
                break
        else:
            return []
        return [i.start for i in self.items if i.kind == Kind.LEFT and i.role in roles]

    @property
    def beside(self) -> int:
        """The tokens of clauses of their own, in front and behind, as a bit mask."""
        if not self.left & _CLAUSES:
            return 0
        return sum(1 << i.start for i in self.items if i.kind == Kind.LEFT and i.role in (Role.PREAMBLE, Role.REASON))

    @property
    def own_words(self) -> int:
        """The tokens that are words of the phrase, of a name or of a free text and were not only guessed by sound, as a bit mask."""
        mask = 0
        for option in self.chosen:
            if option is None or any(e.how & How.SOUND for e in option.edges):
                continue
            free = option.candidate is not None and option.candidate.note == "words"
            if option.edges or free:
                mask |= option.tokens
        return mask

    def told_of(self, utterance: Utterance) -> int:
        """The tokens of whole sentences beside the command, as a bit mask: their times and numbers are not the command's."""
        beside, said = self.beside, utterance.beside
        if not (beside and said.ended | said.begun):
            return 0
        front = ((beside + 1) & ~beside) - 1  # the run of tokens from the first one on
        behind = beside & ~front
        told = front if front and said.ended >> front.bit_length() & 1 else 0
        return told | (behind if behind and behind & -behind & said.begun else 0)

    def turned_round(self, at: int) -> bool:
        """Whether a token has its place in the phrase behind what stands behind it: the "is" of "is supper ready" for "supper is ready"."""
        chosen = [o for o in self.chosen if o is not None and o.tokens]
        own = next((i for i, o in enumerate(chosen) if o.tokens >> at & 1), 0)
        return any(o.start > at for o in chosen[:own])

    def candidate(self, slot: str) -> Candidate | None:
        """What a slot took."""
        places, chosen = self.pattern.places, self.chosen
        for number in self.pattern.slots_at:
            option = chosen[number]
            if option is not None and places[number].slot == slot:
                return option.candidate
        return None


def guessed_apart(candidate: Candidate, nouns: Mapping[str, int]) -> float:
    """What the words of a name cost that were heard by sound, where nothing but they tells devices from others of their kind, else 0.

    Args:
        candidate: what a device is taken from.
        nouns: for every word of a noun, the devices that it may be, as a bit mask.
    """
    if not isinstance(candidate.value, Devices):
        return 0.0
    heard = [nouns.get(e.word, 0) for e in candidate.used if not e.how & How.SOUND]
    apart = all(devices and devices != candidate.value.devices for devices in heard)
    return sum(e.cost for e in candidate.used if e.how & How.SOUND) if apart else 0.0


def leads_to_its_direction(
    utterance: Utterance, language: Language, place: Place, option: Option, chosen: Iterable[Option | None]
) -> bool:
    """Whether an amount of change stands right before the word for its direction, where it belongs too: "a degree warmer", "five percent more".

    Args:
        utterance: what was heard.
        language: its language.
        place: the place of the phrase that took the amount.
        option: what it took.
        chosen: what the places of the phrase took.
    """
    if place.relation != "by":
        return False
    at, roles = option.end, utterance.roles
    while at < len(roles) and roles[at] in (Role.SMALL, Role.FILLER):
        at += 1
    behind = (o.edge for o in chosen if o is not None and o.edge is not None and o.start == at)
    return any(e.how & REWORDED or e.word in language.poles for e in behind)


def scales(pattern: Pattern, chosen: tuple[Option | None, ...]) -> bool:
    """Whether "a bit" says by how much: the amount of the change was not said."""
    if not pattern.scaled:
        return bool(pattern.intent.change)  # "zoom in a bit": the phrase says by how much
    return any(o is None and p.slot in pattern.scaled for p, o in zip(pattern.places, chosen, strict=True)) or all(
        p.slot not in pattern.scaled for p in pattern.places
    )


def heard_in_full(pattern: Pattern, chosen: tuple[Option | None, ...]) -> bool:
    """Whether all of a phrase that has to be said was heard as it is, in its order."""
    last = -1
    for place, option in zip(pattern.places, chosen, strict=True):
        if option is None:
            if place.missing >= COSTS.missing_default and not place.small:
                return False
        elif option.cost >= COSTS.form:
            return False
        elif option.tokens and not place.small:
            if option.start < last:
                return False
            last = option.start
    return last >= 0
