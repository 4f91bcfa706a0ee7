"""Device expressions: names, rooms, groups, nouns in singular and plural, "and", "all", "except", and what they stand for."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.language import PhraseSet
from glossa.hearing.lexicon import Atom, Entry, Lexicon
from glossa.hearing.vocabulary import ALIKE, Step

WRONG_ROOM, MOVED, ALONE, LONE_GUESS, APART, ROOM_ALONE = 0.3, 0.03, 0.02, 0.6, 0.05, 0.45
MOST_JOINED = 12
MOST_KEPT = 5_000

# In this order one reading of the same words goes before another.
_RANK = {"name": 0, "rest": 0, "group": 1, "all": 2, "noun": 3, "part": 4, "room": 5}


class Reference(Struct, frozen=True):
    """One thing that is named: the devices that it may be, and whether it means all of them."""

    ids: tuple[str, ...]
    many: bool
    rank: int
    wrong_room: bool = False
    count: int = 0
    """How many there have to be, as in "the two lamps"; 0 for any number."""


class Expression(Struct, frozen=True):
    """A device expression over tokens ``start`` to ``end``."""

    start: int
    end: int
    cost: float
    references: tuple[Reference, ...]
    excepted: tuple[Reference, ...] = ()
    also: tuple[int, int] = (0, 0)
    """A room that stands apart, as in "lights off in the saloon": its tokens."""
    steps: tuple[Step, ...] = ()

    @property
    def rank(self) -> int:
        """The lowest precedence of its parts; smaller goes first."""
        return max(r.rank for r in self.references)


class Devices(Struct, frozen=True):
    """What an expression stands for under a property.

    Attributes:
        ids: the devices in the file's order, or the candidates of a question.
        which: whether the house has to ask which of them is meant.
        wrong_room: whether a room was named in which it is not.
        several: whether a group, a plural or a list was named.
    """

    ids: tuple[str, ...]
    which: bool = False
    wrong_room: bool = False
    several: bool = False


class Things:
    """Finds the device expressions of utterances of one house."""

    def __init__(self, lexicon: Lexicon) -> None:
        self.lexicon = lexicon
        grammar = lexicon.language
        self._all = grammar.phrases("grammar", "all")
        self._everything = grammar.phrases("grammar", "everything")
        self._and = grammar.phrases("grammar", "and")
        self._except = grammar.phrases("grammar", "except")
        self._inside = grammar.phrases("grammar", "inside")
        self._room_of = {d.id: d.room for d in lexicon.house.devices.values()}
        self._every = tuple(lexicon.house.devices)
        self._fits: dict[tuple[tuple[str, ...], tuple[str, ...]], tuple[str, ...]] = {}
        self._apart: list[tuple[str, tuple[int, int], float, tuple[Step, ...]]] = []
        numbers = grammar.section("numbers").get("ones", {})
        self._counts: dict[str, int] = {**numbers, **{str(n): n for n in range(2, 20)}}
        self._one = frozenset(grammar.section("grammar").get("one", ("one", "ones")))

    def expressions(self, words: Sequence[str], atoms: Sequence[Sequence[Atom]]) -> list[Expression]:
        """Every device expression of an utterance; joined ones beside their parts."""
        self._apart = self._rooms_apart(words, atoms)
        single: list[list[Expression]] = [self._starting(words, atoms, at) for at in range(len(words))]
        found: list[Expression] = []
        for at in range(len(words)):
            for one in single[at]:
                found.append(one)
                joined = self._joined(one, words, atoms, single)
                if joined is not one:
                    found.append(joined)
        return found

    def resolve(self, expression: Expression, properties: Iterable[str]) -> Devices | None:
        """The devices that an expression stands for among those that have all the properties; None where there is none."""
        needed = tuple(properties)
        held: dict[str, None] = {}
        which: tuple[str, ...] = ()
        wrong = several = False
        for reference in expression.references:
            ids = self._fitting(reference.ids, needed)
            if not ids or (reference.count and len(ids) != reference.count):
                return None
            if reference.many or len(ids) == 1:
                held.update(dict.fromkeys(ids))
                several |= reference.many
            elif which:
                return None
            else:
                which = ids
            wrong |= reference.wrong_room
        if which:
            left = tuple(d for d in which if d not in held)
            return (
                Devices(left or which, which=True, wrong_room=wrong)
                if len(left) != 1
                else Devices(self._order((*held, *left)), False, wrong, True)
            )
        out = {d for r in expression.excepted for d in r.ids}
        ids = self._order(d for d in held if d not in out)
        return Devices(ids, False, wrong, several or len(expression.references) > 1) if ids else None

    def _fitting(self, ids: tuple[str, ...], properties: tuple[str, ...]) -> tuple[str, ...]:
        """Those of some devices that have all the properties."""
        key = (ids, properties)
        known = self._fits.get(key)
        if known is None:
            if len(self._fits) > MOST_KEPT:
                self._fits.clear()
            devices = self.lexicon.house.devices
            known = self._fits[key] = tuple(d for d in ids if all(p in devices[d].properties for p in properties))
        return known

    def _order(self, ids: Iterable[str]) -> tuple[str, ...]:
        held = set(ids)
        return tuple(d for d in self._every if d in held)

    # --- parts ------------------------------------------------------------------------------------------------------

    def _skip(self, words: Sequence[str], at: int) -> int:
        """The next token that is no article."""
        while at < len(words) and words[at] in self.lexicon.articles:
            at += 1
        return at

    def _starting(self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int) -> list[Expression]:
        found: list[Expression] = []
        for length in self._everything.starts(words, at):
            end = at + length
            found.append(Expression(at, end, 0.0, (Reference(self._every, True, _RANK["all"]),)))
            for room, after, cost, steps in self._rooms_after(words, atoms, end):
                ids = tuple(d for d in self._every if self._room_of[d] == room)
                if ids:
                    found.append(Expression(at, after, cost, (Reference(ids, True, _RANK["all"]),), steps=steps))
            for room, span, cost, steps in self._apart:
                ids = tuple(d for d in self._every if self._room_of[d] == room)
                if ids and span[0] > end:
                    found.append(Expression(at, end, cost, (Reference(ids, True, _RANK["all"]),), also=span, steps=steps))
        if self._inside.starts(words, at):
            for room, end, cost, steps in self._rooms_after(words, atoms, at):
                ids = tuple(d for d in self._every if self._room_of[d] == room)
                if ids:  # "make it warmer in the study": the one device there that fits
                    found.append(Expression(at, end, cost + ROOM_ALONE, (Reference(ids, False, _RANK["room"]),), steps=steps))
        count = self._counts.get(words[at], 0)
        if count > 1 and at + 1 < len(words):
            found += self._counted(words, atoms, at, at, count)
        for length in self._all.starts(words, at):
            here = self._skip(words, at + length)
            if here + 1 < len(words) and self._counts.get(words[here], 0) > 1:
                found += self._counted(words, atoms, at, here, self._counts[words[here]])
        quantified = [at + length for length in self._all.starts(words, at)]
        for here, every in ((at, False), *((q, True) for q in quantified)):
            core = self._skip(words, here) if every else here
            if core >= len(words):
                continue
            for atom in atoms[core]:
                if atom.entry.kind == "room":
                    found += self._room_first(words, atoms, at, atom, every)
                elif atom.entry.kind != "value":
                    found += self._thing_first(words, atoms, at, atom, every)
        longest = max((e.end for e in found if e.rank < _RANK["room"]), default=0)
        return [e for e in found if e.rank < _RANK["room"] or e.end > longest]

    def _counted(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, number: int, count: int
    ) -> list[Expression]:
        """ "the two lamps", "all three vents": all of them, where there are just so many."""
        found: list[Expression] = []
        core = self._skip(words, number + 1)
        for atom in atoms[core] if core < len(words) else ():
            if atom.entry.kind == "room":
                found += self._room_first(words, atoms, at, atom, False)
            elif atom.entry.kind != "value":
                found += self._thing_first(words, atoms, at, atom, False)
        return [
            replace(e, references=(replace(e.references[0], count=count),))
            for e in found
            if len(e.references) == 1 and e.references[0].many
        ]

    def _reference(self, entry: Entry, every: bool, room: str | None) -> Reference | None:
        """What an entry stands for in a room, or anywhere."""
        if every and entry.kind in ("name", "rest", "part"):
            return None
        many = entry.many or every
        ids, wrong = entry.ids, False
        if room is not None and entry.kind != "group":
            inside = tuple(d for d in ids if self._room_of[d] == room)
            if not inside and (entry.kind == "name" or len(ids) == 1):
                wrong = True
            elif not inside:
                return None
            else:
                ids = inside
        elif room is not None:
            ids = tuple(d for d in ids if self._room_of[d] == room)
            if not ids:
                return None
        if entry.kind == "rest" and (room is None or wrong):
            return None
        return Reference(ids, many, _RANK[entry.kind], wrong)

    def _thing_first(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, atom: Atom, every: bool
    ) -> list[Expression]:
        found = []
        alone = self._reference(atom.entry, every, None)
        if alone is not None:
            far = len(atom.steps) == 1 and "sounds like" in atom.steps[0].why and atom.steps[0].cost > ALIKE
            found.append(Expression(at, atom.end, atom.cost + (LONE_GUESS if far else 0.0), (alone,), steps=atom.steps))
        for room, end, cost, steps in self._rooms_after(words, atoms, atom.end):
            reference = self._reference(atom.entry, every, room)
            if reference is not None and reference.many:
                found += self._and_rooms(
                    words, atoms, at, atom, every, Expression(at, end, atom.cost + cost, (reference,), steps=steps)
                )
            if reference is not None:
                price = cost + (WRONG_ROOM if reference.wrong_room else 0.0)
                found.append(Expression(at, end, atom.cost + price, (reference,), steps=(*atom.steps, *steps)))
        for room, span, cost, steps in self._apart:
            if span[0] <= atom.end and span[1] > at:
                continue
            reference = self._reference(atom.entry, every, room)
            if reference is not None and not reference.wrong_room:
                found.append(
                    Expression(at, atom.end, atom.cost + cost + APART, (reference,), also=span, steps=(*atom.steps, *steps))
                )
        return found

    def _and_rooms(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, atom: Atom, every: bool, first: Expression
    ) -> list[Expression]:
        """ "the lamps in the bedroom and the kitchen": what is meant in each of the rooms."""
        found = []
        for length in self._and.starts(words, first.end) if first.end < len(words) else ():
            inside = self._inside.starts(words, first.end + length) if first.end + length < len(words) else ()
            here = self._skip(words, first.end + length + next(iter(inside), 0))
            for other in atoms[here] if here < len(words) else ():
                if other.entry.kind == "room":
                    second = self._reference(atom.entry, every, other.entry.ids[0])
                    if second is not None and second.many and not second.wrong_room:
                        both = (*first.references, second)
                        steps = (*atom.steps, *first.steps, *other.steps)
                        found.append(Expression(at, other.end, first.cost + other.cost, both, steps=steps))
        return found

    def _room_first(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, room: Atom, every: bool
    ) -> list[Expression]:
        found = self._rooms_together(words, atoms, at, room)
        here = self._skip(words, room.end)
        for length in self._all.starts(words, here) if here < len(words) else ():
            found += self._after_room(words, atoms, at, room, self._skip(words, here + length), True)
        return found + self._after_room(words, atoms, at, room, here, every)

    def _rooms_together(self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, room: Atom) -> list[Expression]:
        """ "the saloon and galley lamps": two rooms, and then what is meant in each."""
        found = []
        for length in self._and.starts(words, room.end) if room.end < len(words) else ():
            here = self._skip(words, room.end + length)
            for other in atoms[here] if here < len(words) else ():
                if other.entry.kind != "room":
                    continue
                first = self._after_room(words, atoms, at, room, self._skip(words, other.end), False)
                for expression in self._after_room(words, atoms, here, other, self._skip(words, other.end), False):
                    for twin in first:
                        if twin.end == expression.end and all(
                            r.many or len(r.ids) == 1 for r in (*twin.references, *expression.references)
                        ):
                            both = (*twin.references, *expression.references)
                            steps = (*room.steps, *expression.steps)
                            found.append(Expression(at, expression.end, room.cost + expression.cost, both, steps=steps))
        several = [e for e in found if all(r.many for r in e.references)]
        return several or found

    def _after_room(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int, room: Atom, here: int, every: bool
    ) -> list[Expression]:
        found = []
        for atom in atoms[here] if here < len(words) else ():
            if atom.entry.kind in ("room", "value"):
                continue
            reference = self._reference(atom.entry, every, room.entry.ids[0])
            if reference is not None:
                cost = (
                    room.cost + atom.cost + (WRONG_ROOM if reference.wrong_room else MOVED if atom.entry.kind == "rest" else 0.0)
                )
                found.append(Expression(at, atom.end, cost, (reference,), steps=(*room.steps, *atom.steps)))
        return found

    def _rooms_after(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int
    ) -> list[tuple[str, int, float, tuple[Step, ...]]]:
        """(room, end, cost, steps) of every room named right behind, as in "in the galley"."""
        found: list[tuple[str, int, float, tuple[Step, ...]]] = []
        if at >= len(words):
            return found
        starts = [(self._skip(words, at + length), MOVED) for length in self._inside.starts(words, at)]
        starts.append((self._skip(words, at), MOVED + ALONE))
        for here, price in starts:
            for atom in atoms[here] if here < len(words) else ():
                if atom.entry.kind == "room":
                    found.append((atom.entry.ids[0], atom.end, price + atom.cost, atom.steps))
        return found

    def _rooms_apart(
        self, words: Sequence[str], atoms: Sequence[Sequence[Atom]]
    ) -> list[tuple[str, tuple[int, int], float, tuple[Step, ...]]]:
        """(room, tokens, cost, steps) of every "in the saloon" wherever it stands."""
        if not any(a.entry.kind == "room" for found in atoms for a in found):
            return []
        return [
            (room, (at, end), cost, steps)
            for at in range(len(words))
            if self._inside.starts(words, at)
            for room, end, cost, steps in self._rooms_after(words, atoms, at)
        ]

    def _room_out(self, words: Sequence[str], atoms: Sequence[Sequence[Atom]], at: int) -> Expression | None:
        """ "except the galley ones", "but not in the galley"."""
        for length in self._except.starts(words, at):
            start = at + length
            inside = next(iter(self._inside.starts(words, start)), 0) if start < len(words) else 0
            here = self._skip(words, start + inside)
            for atom in atoms[here] if here < len(words) else ():
                if atom.entry.kind == "room":
                    ids = tuple(d for d in self._every if self._room_of[d] == atom.entry.ids[0])
                    end = atom.end + (atom.end < len(words) and words[atom.end] in self._one)
                    return Expression(here, end, atom.cost, (Reference(ids, True, _RANK["all"]),), steps=atom.steps)
        return None

    def _joined(
        self, first: Expression, words: Sequence[str], atoms: Sequence[Sequence[Atom]], single: Sequence[Sequence[Expression]]
    ) -> Expression:
        """An expression with everything that "and" and "except" add to it."""
        joined = first
        for _ in range(MOST_JOINED):
            at = joined.end
            if at >= len(words):
                break
            more = self._next(self._and, words, at, single)
            if more is not None and not joined.excepted:
                joined = replace(
                    joined,
                    end=more.end,
                    cost=joined.cost + more.cost,
                    references=(*joined.references, *more.references),
                    steps=(*joined.steps, *more.steps),
                )
                continue
            if more is None:
                more = self._next(self._except, words, at, single) or self._room_out(words, atoms, at)
            if more is None:
                break
            joined = replace(
                joined,
                end=more.end,
                cost=joined.cost + more.cost,
                excepted=(*joined.excepted, *more.references),
                steps=(*joined.steps, *more.steps),
            )
        return joined

    def _next(
        self, joiner: PhraseSet, words: Sequence[str], at: int, single: Sequence[Sequence[Expression]]
    ) -> Expression | None:
        for length in joiner.starts(words, at):
            here = self._skip(words, at + length)
            if here < len(words) and single[here]:
                best = min(single[here], key=lambda e: (-(e.end - e.start) + e.cost, e.rank, e.end))
                alone = best.end < len(words) and words[best.end] in self._one
                return replace(best, end=best.end + 1) if alone else best
        return None
