"""Alignments: a phrase laid over an utterance, as a list of items that everything else is computed from."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import ClassVar

from msgspec import Struct

from glossa.hearing.clauses import SHORTEST_CLAUSE
from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.devices import Devices
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.tokens import mask_of, places_of
from glossa.hearing.utterance import Utterance
from glossa.hearing.vocabulary import WordEdge
from glossa.house.enumeration import Enumeration
from glossa.house.values import Value
from glossa.language import Language
from glossa.matching.grammar import Pattern, Place

_CLAUSES = 1 << Role.PREAMBLE | 1 << Role.REASON

_Poles = tuple[tuple[str, int], ...]

_SAID_IN_ASKING = frozenset((Role.TALK, Role.VERB, Role.AMOUNT, Role.UNKNOWN, Role.SMALL))

REWORDED = How.FORM | How.SYNONYM | How.TOWARD | How.REWRITTEN

MOST_AMOUNT = 0.5
"""What a token of an amount costs where nothing changes by an amount."""


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

    def candidate(self, slot: str) -> Candidate | None:
        """What a slot took."""
        places, chosen = self.pattern.places, self.chosen
        for number in self.pattern.slots_at:
            option = chosen[number]
            if option is not None and places[number].slot == slot:
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
        self._weight = sum(utterance.weights)
        self._relative, self._absolute, alike = language.grammar.relative, language.grammar.absolute, language.alike
        self._heard_as = {  # the "too" of "up too sixty"
            w: said
            for w in utterance.words
            if w in alike
            for said in alike[w]
            if said in self._absolute and w not in self._absolute
        }
        self._directions = language.grammar.directions
        words, roles = utterance.words, utterance.roles
        self._every, self._said = (1 << len(words)) - 1, frozenset(words)
        asking = language.grammar.asking
        self._asked = mask_of(w in asking for w in words)
        self._poles = places_of(Role.POLE, roles)
        self._depends = self._poles | places_of(Role.AMOUNT, roles)  # on what else the phrase takes
        self._left: tuple[dict[int, Item], ...] = ({}, {}, {})
        self._openings = utterance.pauses | utterance.requests | utterance.clauses
        self._rooms = 0  # "it's dark in the hall": where it is so may stand in a complaint
        for room in utterance.rooms() if utterance.requests else ():
            self._rooms |= (1 << room.end) - (1 << room.start)
        self._telling = utterance.telling & ~self._rooms
        self._announced = self._announcing()
        self._beside: dict[tuple[int, int], tuple[int, int]] = {}

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
        unheard: list[tuple[int, Place]] = []
        values = 0
        for option in chosen:
            if option is not None and option.candidate is not None:
                values |= option.tokens
        for number, (place, option) in enumerate(zip(pattern.places, chosen, strict=True)):
            if option is None:
                if place.missing:
                    unheard.append((number, place))
                continue
            tokens, edge, start = option.tokens, option.edge, option.start
            covered |= tokens
            if tokens and not place.small:
                main |= tokens
                if start >= last_start:
                    last_start = start
                elif not leads_to_its_direction(self._utterance, self._language, place, option, chosen):
                    inversions += 1
                    last_start = start
            kind = Kind.WORD if edge is not None else Kind.SLOT
            if edge is not None and edge.also:
                also += edge.also
            items.append(Item(kind, option.cost, start, option.end, number, Role.FILLER, Where.INSIDE, option))
            weight += option.weight
            candidate = option.candidate
            if place.relation and candidate is not None and isinstance(candidate.value, (int, float)):
                before = self._before(option.start, values)
                towards = towards or (place.relation == "to" and before in self._absolute)
                if before in self._directions and (place.relation == "to" or candidate.outside):
                    items.append(Item(Kind.AIMLESS, COSTS.aimless, option.start, option.end, number))
                if before in (self._relative if place.relation == "to" else self._absolute):
                    items.append(Item(Kind.MISFIT, COSTS.misfit, option.start, option.end, number))
        for number, option in _changed_places(chosen) if pattern.numbers > 1 else ():
            items.append(Item(Kind.MISFIT, COSTS.misfit, option.start, option.end, number))
        for number, place in unheard:
            cost = place.missing
            if place.own and about == About.OWN:
                cost = COSTS.assumed
            elif also and any(w in also for w in place.words):
                cost = 0.0
            items.append(Item(Kind.UNHEARD, cost, 0, 0, number))
            weight += place.missing
        self._leave(items, pattern, chosen, covered, main, towards=towards, claimed=claimed)
        if inversions:
            items.append(Item(Kind.ORDER, self._order * inversions))
        if about == About.OTHER:
            items.append(Item(Kind.ELSEWHERE, COSTS.elsewhere))
        if pattern.prior:
            items.append(Item(Kind.RARE, pattern.prior))
        total, left = 0.0, 0
        for item in items:
            total += item.cost
            if item.kind == Kind.LEFT:
                left |= 1 << item.role
        cost, weight = round(total, 9), round(weight, 9)
        score = round(1.0 - cost / weight, 9) if cost < weight else 0.0
        return Alignment(pattern, chosen, tuple(items), cost, weight, score, covered, left)

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
        left, known = self._every & ~covered, self._left
        beside = preamble | reason
        asked = self._asked if pattern.intent.read else 0
        depends = self._depends | beside | asked | ((1 << self._announced) - 1)
        if pattern.garbage:
            depends = left
        elif not pattern.measures.isdisjoint(self._said):
            depends |= mask_of(w in pattern.measures for w in utterance.words)
        directed = self._directed(chosen) if left & self._poles else {}
        while left:
            bit = left & -left
            left ^= bit
            at = bit.bit_length() - 1
            where = Where.BEFORE if at < first else Where.BEHIND if at >= last else Where.INSIDE
            plain = known[where].get(at)
            if plain is None:
                plain = known[where][at] = Item(Kind.LEFT, utterance.weights[at], at, at + 1, -1, utterance.roles[at], where)
            if not bit & depends:
                items.append(plain)
                continue
            word, role, cost = utterance.words[at], plain.role, plain.cost
            if bit & beside:  # words of the house are less likely to be beside the command
                clause = Role.PREAMBLE if bit & preamble else Role.REASON
                cost = min(cost, COSTS.beside if role == Role.WORD else WEIGHT[clause])
                role = clause
            if role == Role.POLE and self._goes_without_saying(word, directed, pattern, towards=towards):
                role, cost = Role.VERB, WEIGHT[Role.VERB]
            if at < first == self._announced and not pattern.slots and _plain(chosen):  # "it's film night"
                role, cost = Role.FILLER, WEIGHT[Role.FILLER]
            if bit & asked and role in _SAID_IN_ASKING:
                role, cost = Role.FILLER, WEIGHT[Role.FILLER]
            if pattern.garbage:
                cost *= COSTS.garbage
            elif word in pattern.measures:
                cost = min(cost, WEIGHT[Role.SMALL])
            elif role == Role.AMOUNT and (claimed & bit or not scales(pattern, chosen)):
                cost = MOST_AMOUNT
            items.append(Item(Kind.LEFT, cost, at, at + 1, -1, role, where))

    def floors(self) -> tuple[float, ...]:
        """What leaving each token costs at least, whatever the phrase: little where a word of direction may go without saying."""
        utterance, poles = self._utterance, self._language.poles
        floors = [*utterance.weights]
        floors[: self._announced] = [min(f, WEIGHT[Role.FILLER]) for f in floors[: self._announced]]
        if self._poles:
            heard = {(at, e.word) for at, edges in enumerate(utterance.edges) for e in edges if e.word in poles}
            led = not self._said.isdisjoint(self._absolute)
            for at, word in enumerate(utterance.words):
                if self._poles >> at & 1:
                    others = {other for where, other in heard if where != at and other != word}
                    same = any(not set(poles[other]).isdisjoint(poles[word]) for other in others)
                    if same or (led and self._language.changes(word)):
                        floors[at] = min(floors[at], WEIGHT[Role.VERB])
        return tuple(floors)

    def _announcing(self) -> int:
        """Where what leads to the name of a scene ends: behind "it's"; 0 where nothing leads."""
        utterance = self._utterance
        announcing = self._language.phrases("grammar", "announcing")
        start = first_said(utterance.roles)
        return next((i + n for i in range(start + 1) if (n := announcing.at(utterance.words, i)) and i + n > start), 0)

    def most_asked(self) -> float:
        """What words that only ask can save at most, where a phrase asks."""
        utterance, filler = self._utterance, WEIGHT[Role.FILLER]
        if not self._asked:
            return 0.0
        tokens = zip(utterance.roles, utterance.weights, strict=True)
        return sum(max(0.0, w - filler) for i, (r, w) in enumerate(tokens) if self._asked >> i & 1 and r in _SAID_IN_ASKING)

    def most_beside(self) -> tuple[list[float], list[float]]:
        """What clauses of their own can save at most: in front, by the first token that a phrase covers, and behind, by where what it covers ends."""
        utterance = self._utterance
        count = len(utterance.words)
        before, behind = [0.0] * (count + 1), [0.0] * (count + 1)
        openings, closings = utterance.pauses | utterance.requests, utterance.clauses
        if not openings | closings >> 1:
            return before, behind
        savings = [max(0.0, w - WEIGHT[Role.PREAMBLE]) for w in utterance.weights]
        for at in range(1, count):
            opens = openings >> at & 1 and not ((1 << at) - 1) & self._telling
            before[at] = max(before[at - 1], sum(savings[:at]) if opens else 0.0)
        before[count] = before[count - 1]
        for at in range(count - 1, 0, -1):
            closes = closings >> at & 1 and not ((1 << count) - (1 << at)) & self._telling
            behind[at] = max(behind[at + 1], sum(savings[at:]) if closes else 0.0)
        behind[0] = behind[1]
        return before, behind

    def _clauses_beside(self, first: int, last: int) -> tuple[int, int]:
        """The tokens of clauses of their own in front of what a phrase covers and behind it, as bit masks."""
        known = self._beside.get((first, last))
        if known is None:
            known = self._beside[first, last] = self._clauses_around(first, last) if self._openings else (0, 0)
        return known

    def _clauses_around(self, first: int, last: int) -> tuple[int, int]:
        utterance = self._utterance
        count = len(utterance.words)
        light = (Role.FILLER, Role.SMALL, Role.REPEAT, Role.AMOUNT)
        preamble = reason = pause = 0
        for at in range(first, 0, -1):
            if utterance.pauses >> at & 1:
                preamble, pause = (1 << at) - 1, at
                break
            if utterance.requests >> at & 1:
                preamble = (1 << at) - 1
            if utterance.roles[at - 1] not in light and not (self._rooms | utterance.requests) >> at - 1 & 1:
                break
        for at in range(last, count - 1):
            if utterance.clauses >> at & 1 and utterance.roles[at] != Role.NEGATION:
                if any(r not in light for r in utterance.roles[at:]):  # "por favor" behind a pause is no reason
                    reason = (1 << count) - (1 << at)
                break
            if utterance.roles[at] not in light:
                break
        negated = [i for i in range(preamble.bit_length()) if utterance.roles[i] == Role.NEGATION]
        unable, nothing = self._language.grammar.unable, self._language.grammar.nothing
        if pause:  # "I can't see, ..."
            complained = utterance.clauses & 1 and negated == [1] and utterance.roles[pause - 1] != Role.SMALL
        else:
            few = preamble.bit_length() - SHORTEST_CLAUSE  # "he can't even turn it off"
            known = all(not i or utterance.words[i] in unable for i in negated)
            begun = next((i for i, r in enumerate(utterance.roles) if r not in light), 0) + 2  # "blast I can't see a thing"
            early = all(i <= few or utterance.words[i] in nothing for i in negated[:1])
            complained = utterance.clauses & ((1 << begun) - 1) and known and early
        if preamble & self._telling or (negated and not complained):
            preamble = 0
        return preamble, 0 if reason & self._telling else reason

    def _directed(self, chosen: tuple[Option | None, ...]) -> dict[str, _Poles]:
        """The words of direction within what was chosen, with the poles they are at."""
        taken = (o for o in chosen if o is not None)
        edges = (e for o in taken for e in o.edges)
        return {e.word: self._language.poles[e.word] for e in edges if e.word in self._language.poles}

    def _goes_without_saying(self, word: str, directed: Mapping[str, _Poles], pattern: Pattern, *, towards: bool) -> bool:
        """Whether a word of direction says no more than the value or another word: "raise it to twenty", "slow it down"."""
        if towards and word not in pattern.elsewhere and self._language.changes(word):
            return True
        poles = self._language.poles[word]
        most = 1 if word in pattern.elsewhere else None  # "warm the den up" is not for its lamps
        return any(said != word and not set(its[:most]).isdisjoint(poles[:most]) for said, its in directed.items())

    def _before(self, start: int, values: int) -> str:
        """The word that leads to what starts at a token, but for filler; one that is no value itself may be a preposition by its sound."""
        at = start - 1
        while (
            at >= 0
            and self._utterance.roles[at] in (Role.FILLER, Role.AMOUNT)
            and self._utterance.words[at] not in self._heard_as
        ):
            at -= 1
        word = self._utterance.words[at] if at >= 0 else ""
        return word if values >> max(at, 0) & 1 else self._heard_as.get(word, word)


def _changed_places(chosen: tuple[Option | None, ...]) -> Iterator[tuple[int, Option]]:
    """The places that take a number from somewhere else, though their own word leads to a number that another place takes."""
    numbers = {n: o for n, o in enumerate(chosen) if o is not None and o.candidate is not None and _is_number(o.candidate.value)}
    starts = {o.start for o in numbers.values()}
    for number, option in numbers.items():
        leading = chosen[number - 1] if number else None
        if leading is not None and leading.edge is not None and leading.end != option.start and leading.end in starts:
            yield number, option


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


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


def _plain(chosen: tuple[Option | None, ...]) -> bool:
    """Whether everything was heard as it is."""
    return all(o is None or o.cost < COSTS.form for o in chosen)
