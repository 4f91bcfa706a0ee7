"""How devices are named, as rules: names, rooms, groups, nouns, "and", "all", "except" and corrections, each with what it means.

Sets of devices are bit masks. A room, an exception or a correction that stands apart from its device, as in "all the lamps off except the
desk lamp", is an edge of its own that any expression may take.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.chart import Grammar, Rule, identity
from glossa.hearing.costs import COSTS
from glossa.hearing.lexicon import Entry, Lexicon
from glossa.language.phrases import Words

RANK = {"name": 0, "rest": 0, "some": 0, "group": 1, "all": 2, "nouns": 3, "noun": 3, "part": 4, "room": 5}
"""In this order one reading of the same words goes before another."""

PAIR = 2
"""How many "both" are."""


class Reference(Struct, frozen=True, gc=False):
    """One thing that is named.

    Attributes:
        devices: what it may be, as a bit mask.
        many: whether it means all of them.
        rank: its place among the readings of the same words, smaller goes first.
        wrong_room: whether a room was named in which it is not.
        count: how many of them are meant, as in "the two lamps"; 0 for any number. Which ones, is asked where there are more.
        some: whether only some of them are meant, as in "half the lamps": which ones, is asked.
        called: those that are called so, which are meant where these are so many: the two shutters of a house with three blinds.
    """

    devices: int
    many: bool
    rank: int
    wrong_room: bool = False
    count: int = 0
    called: int = 0
    some: bool = False


class Things(Struct, frozen=True, gc=False):
    """Everything that an expression names, and what it takes out again, as a bit mask; doubted where somebody may have changed their mind."""

    references: tuple[Reference, ...]
    excepted: int = 0
    doubted: bool = False

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


class Front(Struct, frozen=True, gc=False):
    """The words before those that a name shares with another one, and the lexicon that knows which names there are."""

    words: Words
    lexicon: Lexicon


class Fronted(Struct, frozen=True, gc=False):
    """Devices whose names share their end, which is the end of some words."""

    devices: tuple[int, ...]
    words: Words


# --- what rules do --------------------------------------------------------------------------------------------------


def _alone(values: Sequence[Any]) -> Things | None:
    entry: Entry = values[-1]
    if entry.kind == "rest":
        return None
    return Things((Reference(entry.devices, entry.kind in ("nouns", "group"), RANK[entry.kind], called=entry.called),))


def _every(values: Sequence[Any]) -> Things | None:
    """ "all the lamps", "each lamp"."""
    entry: Entry = values[-1]
    if entry.kind in ("name", "rest", "part"):
        return None
    return Things((Reference(entry.devices, True, RANK[entry.kind], called=entry.called),))


def _placed(entry: Entry, place: Entry, *, many: bool) -> Things | None:
    """A thing in a room, or among a group."""
    inside = entry.devices & place.devices
    if entry.kind == "rest" and place.kind == "among":
        return None  # the "light" of the "hall light" is one of the "downstairs lights", not all of them
    if not inside and (place.kind == "among" or entry.kind in ("group", "rest")):
        return None
    if not inside and entry.kind in ("nouns", "noun", "part") and entry.devices.bit_count() > 1:
        return None
    wrong, called = not inside, entry.called & place.devices
    many = many or entry.kind in ("nouns", "group") or place.kind == "rooms"
    return Things((Reference(inside or entry.devices, many, RANK[entry.kind], wrong, called=called),))


def _in_room(values: Sequence[Any]) -> Things | None:
    """ "the radio in the galley"."""
    return _placed(values[0], values[-1], many=False)


def _room_first(values: Sequence[Any]) -> Things | None:
    """ "galley radio"."""
    return _placed(values[-1], values[0], many=False)


def _doubtful_room_first(values: Sequence[Any]) -> Things | None:
    """A room that was taken from another word tells nouns apart, but adds nothing to a name: the "spared" of "left the drying fan on"."""
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
    place: Entry = values[-1]
    return Things((Reference(place.devices, place.kind == "rooms", RANK["room"]),)) if place.devices else None


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


def _numbered(values: Sequence[Any]) -> Things | None:
    """ "two lamps", "two of the lamps": any two, where there are more."""
    things = _counted(values)
    if things is None or len(things.references) > 1:
        return things
    return Things((replace(things.references[0], called=0),))


def _some(values: Sequence[Any]) -> Things | None:
    """ "some lamps", "half the lamps", but not "some light"."""
    first = values[-1].references[0]
    return _any_one(values) if first.many else None


def _any_one(values: Sequence[Any]) -> Things | None:
    """ "one of the lamps", "just one lamp"."""
    things: Things = values[-1]
    first = things.references[0]
    if len(things.references) > 1 or first.rank in (RANK["name"], RANK["all"], RANK["room"]):
        return None
    return Things((replace(first, many=False, some=True, rank=RANK["some"]),))


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


def _run(values: Sequence[Any]) -> tuple[int, int, bool] | None:
    """ "one to three": the first and the last of a series, and whether what stands between can only mean that."""
    first, last = values[0].value, values[-1].value
    return (first, last, values[1]) if 0 <= first < last else None


def _through(values: Sequence[Any]) -> list[int]:
    """The devices of a series from one to another, each as a bit mask; none where "spot one to three" may set it to three."""
    (first, last, certain), stem = values[-1], values[0].value
    found = [devices for number, devices in stem.numbered if first <= number <= last]
    ends = {number for number, _ in stem.numbered} >= {first, last}
    return found if ends and (certain or stem.many) else []


def _of_a_run(values: Sequence[Any]) -> Things | None:
    """ "spots one to three"."""
    devices = _through(values)
    if not devices or any(d.bit_count() != 1 for d in devices):
        return None
    return Things(tuple(Reference(d, False, RANK["name"]) for d in devices))


def _run_of_names(values: Sequence[Any]) -> Things | None:
    """ "spot one to spot three"."""
    stem, first, _, other, last = values
    run = _run((first, True, last))
    return _of_a_run((stem, run)) if run and other.devices == stem.devices else None


def _run_of_rooms(values: Sequence[Any]) -> Entry | None:
    """ "rooms one to three" as one place."""
    devices = 0
    for inside in _through(values):
        devices |= inside
    return Entry("rooms", devices) if devices else None


def _rooms(values: Sequence[Any]) -> Entry:
    """ "rooms one and three" as one place."""
    devices = 0
    for member in values[-1]:
        devices |= values[0].devices & member.devices
    return Entry("rooms", devices)


def _rooms_apart(values: Sequence[Any]) -> Entry:
    """ "in the hall and the landing" as one place, for what stands apart from it."""
    return Entry("rooms", values[1].devices | values[-1].devices)


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
    other = other_there(values)
    return Things((*values[0].references, *other.references)) if other is not None else None


def other_there(values: Sequence[Any]) -> Things | None:
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
    indefinite = isinstance(taken, Things) and any(r.some for r in taken.references)
    return 0 if indefinite else taken.devices  # "except one of them" takes nothing out that is known


def _one_of(values: Sequence[Any]) -> int:
    """What "except the kitchen one" takes out."""
    lexicon: Lexicon = values[2]
    return lexicon.one_of(values[1].devices)


def _masks(values: Sequence[Any]) -> int:
    """What "all but one and three" takes out."""
    mask = 0
    for member in values[-1]:
        mask |= member.devices
    return mask


def without(things: Things, taken: int) -> Things | None:
    """ "all the lamps except the desk lamp": several things without some."""
    return replace(things, excepted=things.excepted | taken) if things.many and things.devices & taken else None


def sparing(things: Things, spared: int) -> Things | None:
    """ "the kettle, but leave the desk lamp on": what is left as it is may be something else altogether."""
    return without(things, spared) or (None if things.devices & spared or not spared else things)


def _each(values: Sequence[Any]) -> Things | None:
    """ "the desk lamp and the hall lamp both", "the hall lamps each"."""
    things: Things = values[0]
    two = PAIR in (len(things.references), things.devices.bit_count())
    several = two if values[-1] == PAIR else things.many
    return things if several else None


def _last(values: Sequence[Any]) -> Any:
    return values[-1]


def _doubted(values: Sequence[Any]) -> Things:
    """ "the lamp, er, the radio": the radio, or both."""
    things: Things = values[-1]
    return Things(things.references, things.excepted, doubted=True)


RULES = (
    Rule("room members", ("room member", "and", "room member"), _members),
    Rule("room members", ("room member", "room members"), _members),
    Rule("room run", ("room member", "through", "room member"), _run),
    Rule("room", ("room stem", "room members"), _rooms),
    Rule("room", ("room stem", "room run"), _run_of_rooms),
    Rule("place", ("inside", "room"), _last, COSTS.moved),
    Rule("place", ("inside", "room", "and", "room"), _rooms_apart, COSTS.moved),
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
    Rule("run", ("member", "through", "member"), _run),
    Rule("thing", ("stem", "members"), _of_a_series),
    Rule("thing", ("stem", "run"), _of_a_run),
    Rule("thing", ("stem", "member", "through", "stem", "member"), _run_of_names),
    Rule("thing", ("fronted",), _of_fronts),
    Rule("thing", ("everything",), _everything),
    Rule("thing", ("only_all",), _everything, COSTS.everything),
    Rule("thing", ("everything", "where"), _everything_in),
    Rule("thing", ("place", "everything"), lambda v: _everything_in(v[:1])),
    Rule("thing", ("place", "all", "core"), _every_of),
    Rule("thing", ("place",), _room_only, COSTS.room_only),
    Rule("thing", ("room",), _room_only, COSTS.room_bare),
    Rule("counted", ("count", "thing"), _counted),
    Rule("counted", ("all", "count", "thing"), _counted),
    Rule("counted", ("all", "number", "thing"), _counted),
    Rule("counted", ("all", "number", "of", "thing"), _counted),
    Rule("counted", ("number", "thing"), _numbered),
    Rule("counted", ("number", "of", "thing"), _numbered),
    Rule("counted", ("pair", "thing"), _counted),
    Rule("counted", ("some", "thing"), _some),
    Rule("counted", ("any_one", "thing"), _any_one),
    Rule("counted", ("any_one", "counted"), _any_one),
    Rule("list", ("thing",), identity),
    Rule("list", ("counted",), identity),
    Rule("list", ("thing", "and", "list"), _joined),
    Rule("list", ("thing", "and", "one", "place"), _one_there),
    Rule("list", ("thing", "and", "room", "one"), lambda v: _one_there((v[0], v[1], v[3], v[2]))),
    Rule("list", ("pair", "thing", "and", "thing"), _pair),
    Rule("list", ("counted", "and", "list"), _joined),
    Rule("list", ("thing", "enumerated"), _joined),
    Rule("enumerated", ("thing", "and", "thing"), _joined),
    Rule("enumerated", ("thing", "enumerated"), _joined),
    Rule("excepted", ("except", "list"), _mask),
    Rule("excepted", ("except", "list", "one"), _mask),
    Rule("excepted", ("except", "list", "ones"), _mask),
    Rule("excepted", ("except", "room", "one"), _one_of),
    Rule("excepted", ("except", "room", "ones"), _mask),
    Rule("excepted", ("except", "place", "one"), _one_of),
    Rule("excepted", ("except", "place", "ones"), _mask),
    Rule("excepted", ("except", "one", "place"), lambda v: v[1].one_of(v[2].devices)),
    Rule("excepted", ("except", "ones", "place"), lambda v: v[2].devices),
    Rule("excepted", ("except", "member"), _mask),
    Rule("excepted", ("except", "members"), _masks),
    Rule("spared", ("leaving", "list"), _mask),
    Rule("spared", ("leaving", "list", "as_it_is"), _mask),
    Rule("added", ("and", "list"), _last),
    Rule("added", ("and", "room", "one"), lambda v: (v[0], v[2], v[1])),
    Rule("instead", ("correction", "list"), lambda v: v[1]),
    Rule("instead", ("correction", "one", "place"), tuple),
    Rule("expression", ("list", "excepted"), lambda v: without(*v)),
    Rule("expression", ("list", "spared"), lambda v: sparing(*v)),
    Rule("expression", ("list", "pair"), _each),
    Rule("expression", ("list", "all"), _each),
    Rule("expression", ("list",), identity),
    Rule("expression", ("list", "correction", "list"), _last, COSTS.apart),
    Rule("expression", ("list", "hesitation", "list"), _doubted, COSTS.apart),
    Rule("expression", ("list", "correction", "one", "place"), other_there, COSTS.apart),
    Rule("expression", ("list", "correction", "one", "room"), other_there, COSTS.apart),
)
GRAMMAR = Grammar(RULES, ("expression",))
