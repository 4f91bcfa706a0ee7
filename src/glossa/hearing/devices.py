"""Device expressions: a grammar over names, rooms, groups, nouns, "and", "all" and "except", and what they stand for.

Sets of devices are bit masks; the rules below are all there is to how devices are named. A room or an exception that stands apart from its
device, as in "all the lamps off except the desk lamp", is an edge of its own that any expression may take; so is what it is corrected to.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.chart import Cells, Edge, Grammar, Rule, identity
from glossa.hearing.costs import COSTS
from glossa.hearing.lexicon import Entry, Lexicon, NamedSpan
from glossa.hearing.roles import How
from glossa.hearing.vocabulary import WordEdge
from glossa.language import PhraseSet
from glossa.language.phrases import Words

RANK = {"name": 0, "rest": 0, "group": 1, "all": 2, "nouns": 3, "noun": 3, "part": 4, "room": 5}
"""In this order one reading of the same words goes before another."""

PLAIN_NAME = 0.15
"""A name, or a value, that costs less than this was named plainly."""

MOST_APART = 2
"""Modifiers of one expression that may stand apart: a room and an exception."""

PAIR = 2
"""How many "both" are."""

MOST_EXPRESSIONS = 60


class Reference(Struct, frozen=True):
    """One thing that is named.

    Attributes:
        devices: what it may be, as a bit mask.
        many: whether it means all of them.
        rank: its place among the readings of the same words, smaller goes first.
        wrong_room: whether a room was named in which it is not.
        count: how many there have to be, as in "the two lamps"; 0 for any number.
    """

    devices: int
    many: bool
    rank: int
    wrong_room: bool = False
    count: int = 0


class Things(Struct, frozen=True):
    """Everything that an expression names, and what it takes out again, as a bit mask."""

    references: tuple[Reference, ...]
    excepted: int = 0

    @property
    def rank(self) -> int:
        """The rank of its lowest part."""
        return self.references[0].rank if len(self.references) == 1 else max(r.rank for r in self.references)

    @property
    def devices(self) -> int:
        """Everything that it may be, before anything is taken out again."""
        mask = 0
        for reference in self.references:
            mask |= reference.devices
        return mask

    @property
    def many(self) -> bool:
        """Whether it names several, so that some can be taken out."""
        return len(self.references) > 1 or any(r.many for r in self.references)


class DeviceExpression(Struct, frozen=True):
    """A device expression in an utterance: its tokens (also as a bit mask with the modifiers that stand apart), cost and meaning."""

    start: int
    end: int
    tokens: int
    cost: float
    things: Things
    used: tuple[WordEdge, ...] = ()


class Devices(Struct, frozen=True):
    """What an expression stands for among some devices.

    Attributes:
        devices: the devices as a bit mask, or the candidates of a question.
        which: whether the house has to ask which of them is meant.
        wrong_room: whether a room was named in which it is not.
    """

    devices: int
    which: bool = False
    wrong_room: bool = False


def resolve(things: Things, among: int) -> Devices | None:
    """The devices that an expression stands for among some; None where there is none."""
    held = which = 0
    wrong = False
    for reference in things.references:
        devices = reference.devices & among
        count = devices.bit_count()
        if not count or (reference.count and count != reference.count):
            return None
        if reference.many or count == 1:
            held |= devices
        elif which:
            return None
        else:
            which = devices
        wrong = wrong or reference.wrong_room
    if which:
        left = which & ~held & ~things.excepted or which
        return Devices(held | left, False, wrong) if left.bit_count() == 1 else Devices(left, True, wrong)
    held &= ~things.excepted
    return Devices(held, False, wrong) if held else None


class Front(Struct, frozen=True):
    """The words before those that a name shares with another one, and the lexicon that knows which names there are."""

    words: Words
    lexicon: Lexicon


class Fronted(Struct, frozen=True):
    """Devices whose names share their end, which is the end of some words."""

    devices: tuple[int, ...]
    words: Words


# --- what rules do --------------------------------------------------------------------------------------------------


def _alone(values: Sequence[Any]) -> Things | None:
    entry: Entry = values[-1]
    if entry.kind == "rest":
        return None
    return Things((Reference(entry.devices, entry.kind in ("nouns", "group"), RANK[entry.kind]),))


def _every(values: Sequence[Any]) -> Things | None:
    """ "all the lamps", "each lamp"."""
    entry: Entry = values[-1]
    if entry.kind in ("name", "rest", "part"):
        return None
    return Things((Reference(entry.devices, True, RANK[entry.kind]),))


def _placed(entry: Entry, place: Entry, *, many: bool) -> Things | None:
    """A thing in a room, or among a group."""
    inside = entry.devices & place.devices
    if entry.kind == "rest" and place.kind == "among":
        return None  # the "light" of the "hall light" is one of the "downstairs lights", not all of them
    if not inside and (place.kind == "among" or entry.kind in ("group", "rest")):
        return None
    if not inside and entry.kind in ("nouns", "noun", "part") and entry.devices.bit_count() > 1:
        return None
    wrong = not inside
    return Things((Reference(inside or entry.devices, many or entry.kind in ("nouns", "group"), RANK[entry.kind], wrong),))


def _in_room(values: Sequence[Any]) -> Things | None:
    """ "the radio in the galley"."""
    return _placed(values[0], values[-1], many=False)


def _room_first(values: Sequence[Any]) -> Things | None:
    """ "galley radio"."""
    return _placed(values[-1], values[0], many=False)


def _doubtful_room_first(values: Sequence[Any]) -> Things | None:
    """A room that was taken from another word tells nouns apart, but adds nothing to a name: the "left" of "left the drying fan on"."""
    return None if values[-1].kind in ("name", "rest", "group") else _room_first(values)


def _every_in(values: Sequence[Any]) -> Things | None:
    """ "all the lamps in the galley"."""
    return None if values[1].kind in ("name", "rest", "part") else _placed(values[1], values[-1], many=True)


def _every_of(values: Sequence[Any]) -> Things | None:
    """ "all the galley lamps", "the galley, all lamps"."""
    place = next(v for v in values if isinstance(v, Entry))
    return None if values[-1].kind in ("name", "rest", "part") else _placed(values[-1], place, many=True)


def _everything(values: Sequence[Any]) -> Things:
    return Things((Reference(-1, True, RANK["all"]),))


def _everything_in(values: Sequence[Any]) -> Things | None:
    room = values[-1].devices
    return Things((Reference(room, True, RANK["all"]),)) if room else None


def _room_only(values: Sequence[Any]) -> Things | None:
    """ "make it warmer in the study": the one device there that fits."""
    room = values[-1].devices
    return Things((Reference(room, False, RANK["room"]),)) if room else None


def _of_both_rooms(values: Sequence[Any]) -> Things | None:
    """ "the saloon and galley lamps"."""
    first, second = _placed(values[-1], values[0], many=False), _placed(values[-1], values[2], many=False)
    return _both(first, second)


def _in_both_rooms(values: Sequence[Any]) -> Things | None:
    """ "the lamps in the saloon and the galley"."""
    first, second = _placed(values[0], values[1], many=False), _placed(values[0], values[-1], many=False)
    return _both(first, second)


def _both(first: Things | None, second: Things | None) -> Things | None:
    if first is None or second is None or any(r.wrong_room for t in (first, second) for r in t.references):
        return None
    return Things((*first.references, *second.references))


def _counted(values: Sequence[Any]) -> Things | None:
    """ "the two lamps": all of them, where there are just so many."""
    count = next(v for v in values if isinstance(v, int))
    things: Things = values[-1]
    first = things.references[0]
    if len(things.references) == count and all(r.devices.bit_count() == 1 for r in things.references):
        return things  # "both spots one and two"
    if len(things.references) > 1 or not (first.many or first.devices.bit_count() == count):
        return None
    return Things((replace(first, many=True, count=count),))


def _members(values: Sequence[Any]) -> tuple[Entry, ...]:
    """ "one and three", "one, two and three"."""
    last = values[-1]
    return (values[0], *last) if isinstance(last, tuple) else (values[0], last)


def _of_a_series(values: Sequence[Any]) -> Things | None:
    """ "spots one and three"."""
    devices = [values[0].devices & member.devices for member in values[-1]]
    if any(d.bit_count() != 1 for d in devices):
        return None
    return Things(tuple(Reference(d, False, RANK["name"]) for d in devices))


def _sharing(values: Sequence[Any]) -> Fronted | None:
    """ "the left and right bedside lamps", "left, middle and right lamps"."""
    front: Front = values[0]
    last: Entry | Fronted = values[-1]
    known = last if isinstance(last, Fronted) else Fronted((last.devices,), last.words)
    device = front.lexicon.sharing(front.words, known.words) if known.words else 0
    return Fronted((device, *known.devices), known.words) if device and known.devices[-1].bit_count() == 1 else None


def _of_fronts(values: Sequence[Any]) -> Things:
    fronted: Fronted = values[0]
    return Things(tuple(Reference(d, False, RANK["name"]) for d in fronted.devices))


def _one_there(values: Sequence[Any]) -> Things | None:
    """ "the lounge blind and the one in the bedroom": another of its kind."""
    other = _other_there(values)
    return Things((*values[0].references, *other.references)) if other is not None else None


def _other_there(values: Sequence[Any]) -> Things | None:
    """ "the lounge blind, no, the one in the bedroom"."""
    things: Things = values[0]
    lexicon: Lexicon = values[2]
    inside = lexicon.akin(things.devices) & values[-1].devices & ~things.devices
    if len(things.references) > 1 or things.devices.bit_count() > 1 or not inside:
        return None
    return Things((Reference(inside, False, RANK["noun"]),))


def _pair(values: Sequence[Any]) -> Things:
    """ "both the kettle and the lamp"."""
    return _joined(values[1:])


def _joined(values: Sequence[Any]) -> Things:
    return Things((*values[0].references, *values[-1].references))


def _mask(values: Sequence[Any]) -> int:
    """What an exception takes out."""
    taken: Entry | Things = values[1]
    return taken.devices


def _masks(values: Sequence[Any]) -> int:
    """What "all but one and three" takes out."""
    mask = 0
    for member in values[-1]:
        mask |= member.devices
    return mask


def _without(values: Sequence[Any]) -> Things | None:
    things: Things = values[0]
    return Things(things.references, values[-1]) if things.many and things.devices & values[-1] else None


def _last(values: Sequence[Any]) -> Any:
    return values[-1]


RULES = (
    Rule("place", ("inside", "room"), _last, COSTS.moved),
    Rule("place", ("inside", "among"), _last, COSTS.moved),
    Rule("place", ("inside", "doubtful"), _last, COSTS.moved),
    Rule("where", ("inside", "room"), _last, COSTS.moved),
    Rule("where", ("inside", "among"), _last, COSTS.moved),
    Rule("where", ("inside", "doubtful"), _last, COSTS.moved),
    Rule("where", ("room",), _last, COSTS.room_alone),
    Rule("where", ("among",), _last, COSTS.room_alone),
    Rule("fronted", ("front", "and", "core"), _sharing),
    Rule("fronted", ("front", "fronted"), _sharing),
    Rule("thing", ("core",), _alone),
    Rule("thing", ("core", "where"), _in_room),
    Rule("thing", ("room", "core"), _room_first),
    Rule("thing", ("among", "core"), _room_first),
    Rule("thing", ("doubtful", "core"), _doubtful_room_first),
    Rule("thing", ("all", "core"), _every),
    Rule("thing", ("all", "core", "where"), _every_in),
    Rule("thing", ("all", "room", "core"), _every_of),
    Rule("thing", ("all", "among", "core"), _every_of),
    Rule("thing", ("all", "doubtful", "core"), _every_of),
    Rule("thing", ("room", "all", "core"), _every_of),
    Rule("thing", ("room", "and", "room", "core"), _of_both_rooms),
    Rule("thing", ("core", "place", "and", "room"), _in_both_rooms),
    Rule("thing", ("core", "place", "and", "place"), _in_both_rooms),
    Rule("members", ("member", "and", "member"), _members),
    Rule("members", ("member", "members"), _members),
    Rule("thing", ("stem", "members"), _of_a_series),
    Rule("thing", ("fronted",), _of_fronts),
    Rule("thing", ("everything",), _everything),
    Rule("thing", ("only_all",), _everything, COSTS.everything),
    Rule("thing", ("everything", "where"), _everything_in),
    Rule("thing", ("place",), _room_only, COSTS.room_only),
    Rule("thing", ("room",), _room_only, COSTS.room_bare),
    Rule("counted", ("count", "thing"), _counted),
    Rule("counted", ("all", "count", "thing"), _counted),
    Rule("counted", ("pair", "thing"), _counted),
    Rule("list", ("thing",), identity),
    Rule("list", ("counted",), identity),
    Rule("list", ("thing", "and", "list"), _joined),
    Rule("list", ("thing", "and", "one", "place"), _one_there),
    Rule("list", ("pair", "thing", "and", "thing"), _pair),
    Rule("list", ("counted", "and", "list"), _joined),
    Rule("list", ("thing", "enumerated"), _joined),
    Rule("enumerated", ("thing", "and", "thing"), _joined),
    Rule("enumerated", ("thing", "enumerated"), _joined),
    Rule("excepted", ("except", "list"), _mask),
    Rule("excepted", ("except", "list", "one"), _mask),
    Rule("excepted", ("except", "room", "one"), _mask),
    Rule("excepted", ("except", "place", "one"), _mask),
    Rule("excepted", ("except", "one", "place"), lambda v: v[2].devices),
    Rule("excepted", ("except", "member"), _mask),
    Rule("excepted", ("except", "members"), _masks),
    Rule("excepted", ("leaving", "list"), _mask),
    Rule("excepted", ("leaving", "list", "as_it_is"), _mask),
    Rule("instead", ("correction", "list"), lambda v: v[1]),
    Rule("instead", ("correction", "one", "place"), tuple),
    Rule("expression", ("list", "excepted"), _without),
    Rule("expression", ("list",), identity),
    Rule("expression", ("list", "correction", "list"), _last, COSTS.apart),
    Rule("expression", ("list", "correction", "one", "place"), _other_there, COSTS.apart),
    Rule("expression", ("list", "correction", "one", "room"), _other_there, COSTS.apart),
)
GRAMMAR = Grammar(RULES)


class DeviceGrammar:
    """Finds the device expressions of the utterances of one house."""

    def __init__(self, lexicon: Lexicon) -> None:
        self._lexicon = lexicon
        language = lexicon.language
        names = ("everything", "except", "leaving", "as_it_is", "inside", "one", "correction", "pair", "and", "all")
        fields = {"except": "excepted", "and": "joined"}
        sets = tuple((symbol, language.phrases("grammar", fields.get(symbol, symbol))) for symbol in names)
        self._starting: dict[str, list[tuple[str, PhraseSet]]] = {}
        for symbol, phrases in sets:
            for word in phrases.by_first:
                self._starting.setdefault(word, []).append((symbol, phrases))
        self._counts = {**language.numbers.ones, **{str(n): n for n in range(2, 20)}}
        self.joiners = frozenset(w for s, p in sets if s in ("and", "except", "leaving") for w in p.by_first)

    def expressions(
        self, words: Sequence[str], spans: Sequence[Sequence[NamedSpan]], passable: Sequence[bool], fixed: int = 0
    ) -> tuple[tuple[DeviceExpression, ...], tuple[Edge, ...]]:
        """Every device expression of an utterance, and its modifiers that may stand apart.

        Args:
            words: the tokens' words.
            spans: for every token, the names that start there.
            passable: for every token, whether it can be passed over inside an expression, as an article can.
            fixed: tokens of fixed expressions that say nothing, as a bit mask: the "any" of "any chance of".
        """
        cells: Cells = [self._cell(words, at, spans[at]) if not fixed >> at & 1 else {} for at in range(len(words))]
        if not any("core" in cell or "room" in cell or "everything" in cell or "all" in cell for cell in cells):
            return (), ()
        following = self._following(passable)
        for cell in cells:  # "all off", but not the "all" of "all the lamps"
            for edge in (*cell.get("all", ()), *cell.get("pair", ())):
                # "turn off all the", "turn all the off": what, was not said; "both off": two that were spoken of
                articles = self._lexicon.articles.difference(self._lexicon.language.numbers.of)
                cut = words[edge.end - 1] in self._lexicon.articles or not articles.isdisjoint(words[edge.end : edge.end + 1])
                cut = cut or words[edge.start] in self._lexicon.language.grammar.them
                if not cut and not any(
                    "core" in cells[at] or "room" in cells[at] for at in following[edge.end] if at < len(cells)
                ):
                    cell.setdefault("only_all", []).append(Edge(edge.start, edge.end, "only_all", "all"))
        GRAMMAR.parse(cells, following)
        apart = tuple(e for cell in cells for s in ("place", "among", "excepted", "instead") for e in cell.get(s, ()))
        plain = [self._expression(e) for cell in cells for e in cell.get("expression", ()) if not _guessed_wrong(e)]
        every = [*plain, *(m for e in plain for m in self._modified(e, apart, following, 0))]
        every.sort(key=lambda e: (e.cost - e.tokens.bit_count(), e.start))
        return tuple(every[:MOST_EXPRESSIONS]), apart

    @staticmethod
    def _following(passable: Sequence[bool]) -> list[tuple[int, ...]]:
        places: list[tuple[int, ...]] = [(len(passable),)]
        for at in range(len(passable) - 1, -1, -1):
            places.append((at, *places[-1][:3]) if passable[at] else (at,))
        return places[::-1]

    def _cell(self, words: Sequence[str], at: int, spans: Sequence[NamedSpan]) -> dict[str, list[Edge]]:
        cell: dict[str, list[Edge]] = {}
        for span in spans:
            kind = span.entry.kind
            if kind != "value":
                taken = kind == "room" and any(e.how & How.TAKEN for e in span.used)
                symbol = "doubtful" if taken else kind if kind in ("room", "among", "stem", "member", "front") else "core"
                value = Front(span.entry.words, self._lexicon) if kind == "front" else span.entry
                cell.setdefault(symbol, []).append(Edge(at, span.end, symbol, value, span.cost, span.used))
        word = words[at]
        for symbol, phrases in self._starting.get(word, ()):
            for length in phrases.starts(words, at):
                meaning = PAIR if symbol == "pair" else self._lexicon if symbol == "one" else symbol
                cell.setdefault(symbol, []).append(Edge(at, at + length, symbol, meaning))
        count = self._counts.get(word, 0)
        if count > 1:
            cell["count"] = [Edge(at, at + 1, "count", count)]
        return cell

    @staticmethod
    def _expression(edge: Edge) -> DeviceExpression:
        return DeviceExpression(edge.start, edge.end, (1 << edge.end) - (1 << edge.start), edge.cost, edge.value, edge.used)

    def _modified(
        self, one: DeviceExpression, apart: Sequence[Edge], following: Sequence[Sequence[int]], taken: int
    ) -> list[DeviceExpression]:
        """An expression with rooms and exceptions that stand apart from it: "of the hall" right before it is none of these."""
        made: list[DeviceExpression] = []
        for edge in apart if taken < MOST_APART else ():
            tokens = (1 << edge.end) - (1 << edge.start)
            beside = one.start in following[edge.end] or edge.start in following[one.end]
            if tokens & one.tokens or beside or one.things.rank == RANK["room"]:
                continue
            if edge.symbol == "instead" and edge.start < one.end:
                continue
            things = self._taking(one.things, edge)
            if things is not None:
                cost = one.cost + edge.cost + COSTS.apart
                with_it = DeviceExpression(one.start, one.end, one.tokens | tokens, cost, things, (*one.used, *edge.used))
                made += [with_it, *self._modified(with_it, [e for e in apart if e.start > edge.start], following, taken + 1)]
        return made

    @staticmethod
    def _taking(things: Things, modifier: Edge) -> Things | None:
        if modifier.symbol == "instead":  # "turn the hall light off, sorry, the bathroom light"
            return modifier.value if isinstance(modifier.value, Things) else _other_there((things, *modifier.value))
        if modifier.symbol == "excepted":
            taken = things.many and things.devices & modifier.value
            return Things(things.references, things.excepted | modifier.value) if taken else None
        placed = []
        for reference in things.references:
            inside = reference.devices & modifier.value.devices
            if not inside or reference.wrong_room:
                return None
            placed.append(replace(reference, devices=inside))
        return Things(tuple(placed), things.excepted)


def _guessed_wrong(edge: Edge) -> bool:
    """Whether a wrong room, or what should be in it, was only guessed by sound: that is no room that was named."""
    return any(r.wrong_room for r in edge.value.references) and any(e.how & How.SOUND for e in edge.used)
