"""The device expressions of an utterance, and what they stand for."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.chart import Cells, Edge
from glossa.hearing.costs import COSTS
from glossa.hearing.device_rules import GRAMMAR, PAIR, RANK, Front, Things, other_there, sparing, without
from glossa.hearing.lexicon import Lexicon, NamedSpan
from glossa.hearing.roles import How
from glossa.hearing.vocabulary import WordEdge
from glossa.language import PhraseSet, is_plural

PLAIN_NAME = 0.15
"""A name, or a value, that costs less than this was named plainly."""

COUNTS = range(2, 20)
"""Numbers that count devices: "the two lamps"."""

PLACES = ("room", "among", "stem", "member", "room stem", "room member", "front")
"""Kinds of entries that the rules tell apart; the others are what a device is called."""

MOST_APART = 2
"""Modifiers of one expression that may stand apart: a room and an exception."""

MOST_EXPRESSIONS = 60


class DeviceExpression(Struct, frozen=True, gc=False):
    """A device expression in an utterance: its tokens (also as a bit mask with the modifiers that stand apart), cost and meaning."""

    start: int
    end: int
    tokens: int
    cost: float
    things: Things
    used: tuple[WordEdge, ...] = ()


class Devices(Struct, frozen=True, gc=False):
    """What an expression stands for among some devices.

    Attributes:
        devices: the devices as a bit mask, or the candidates of a question.
        which: whether the house has to ask which of them is meant.
        wrong_room: whether a room was named in which it is not.
        doubted: whether something else was named before, and what is meant was only guessed from a hesitation or by sound.
        sure: what is meant whatever the answer is: the radio of "the radio and one of the lamps".
    """

    devices: int
    which: bool = False
    wrong_room: bool = False
    doubted: bool = False
    sure: int = 0


def resolve(things: Things, among: int) -> Devices | None:
    """The devices that an expression stands for among some; None where there is none."""
    held = which = 0
    wrong = False
    for reference in things.references:
        devices = reference.devices & among
        count = devices.bit_count()
        if reference.count and count != reference.count and reference.called & among:
            devices = reference.called & among
            count = devices.bit_count()
        if count < (reference.count or 1):
            return None
        some = reference.some or 0 < reference.count < count
        if (reference.many and not some) or count == 1:
            held |= devices
        elif which:
            return None
        else:
            which = devices
        wrong = wrong or reference.wrong_room
    if which:
        left = which & ~held & ~things.excepted or which
        single = left.bit_count() == 1
        if single:
            return Devices(held | left, False, wrong, things.doubted)
        return Devices(left, True, wrong, things.doubted, held & ~things.excepted)
    held &= ~things.excepted
    return Devices(held, False, wrong, things.doubted) if held else None


class DeviceGrammar:
    """Finds the device expressions of the utterances of one house."""

    def __init__(self, lexicon: Lexicon) -> None:
        self._lexicon = lexicon
        language = lexicon.language
        names = (
            "everything",
            "except",
            "leaving",
            "as_it_is",
            "inside",
            "one",
            "correction",
            "pair",
            "and",
            "all",
            "some",
            "any_one",
        )
        fields = {"except": "excepted", "and": "joined"}
        self._shares = tuple(language.phrases("grammar", name) for name in ("some", "any_one"))
        self._of = PhraseSet.of(language.numbers.of)
        sets = (
            *((symbol, language.phrases("grammar", fields.get(symbol, symbol))) for symbol in names),
            ("hesitation", PhraseSet.of(language.numbers.hesitation)),
            ("of", self._of),
            *((("through", language.phrases("grammar", "through")),) if lexicon.series else ()),
        )
        self._absolute = frozenset(language.grammar.absolute)
        counts = {n: language.spelling.folded().say(n) for n in COUNTS} if language.numbers.spell else {}
        self._counts = {word: n for n, said in counts.items() for word in (said, str(n))}
        self._starting: dict[str, list[tuple[str, PhraseSet]]] = {}
        for symbol, phrases in sets:
            for word in phrases.first:
                self._starting.setdefault(word, []).append((symbol, phrases))
        joiners = {w for s, p in sets if s in ("and", "except", "leaving") for w in p.first}
        rooms = {w for names in lexicon.house.rooms.values() for name in lexicon.texts(names) for w in name}
        # "Everything in then bedroom off" joins nothing, and "in the bar" takes nothing out.
        self.joiners = frozenset(joiners - language.filler.single - rooms)

    def expressions(
        self, words: Sequence[str], spans: Sequence[Sequence[NamedSpan]], passable: Sequence[bool], fixed: int = 0
    ) -> tuple[DeviceExpression, ...]:
        """Every device expression of an utterance, with its modifiers that stand apart.

        Args:
            words: the tokens' words.
            spans: for every token, the names that start there.
            passable: for every token, whether it can be passed over inside an expression, as an article can.
            fixed: tokens of fixed expressions that say nothing, as a bit mask: the "any" of "any chance of".
        """
        cells: Cells = [self._cell(words, at, spans[at]) for at in range(len(words))]
        for at in (
            at for at in range(len(words) if fixed else 0) if fixed >> at & 1
        ):  # the "I mean" that says nothing may correct something, and "and then" joins
            cells[at] = {symbol: edges for symbol, edges in cells[at].items() if symbol in ("correction", "and")}
        if not any("core" in cell or "room" in cell or "everything" in cell or "all" in cell for cell in cells):
            return ()
        following = self._following(passable)
        for cell in cells:  # "all off", but not the "all" of "all the lamps"
            for edge in (*cell.get("all", ()), *cell.get("pair", ())):
                # "turn off all the", "turn all the off": what, was not said; "both off": two that were spoken of
                articles = self._lexicon.articles.difference(self._lexicon.language.numbers.of)
                cut = words[edge.end - 1] in self._lexicon.articles or not articles.isdisjoint(words[edge.end : edge.end + 1])
                grammar = self._lexicon.language.grammar
                cut = cut or words[edge.start] in grammar.them or " ".join(words[edge.start : edge.end]) in grammar.distributive
                if not cut and not any(
                    "core" in cells[at] or "room" in cells[at] for at in following[edge.end] if at < len(cells)
                ):
                    cell.setdefault("only_all", []).append(Edge(edge.start, edge.end, "only_all", "all"))
        GRAMMAR.parse(cells, following)
        apart = self._apart(cells, words, passable)
        plain = [self._expression(e) for cell in cells for e in cell.get("expression", ()) if not _guessed_wrong(e)]
        every = [*plain, *(m for e in plain for m in self._modified(e, apart, following, 0))]
        every.sort(key=lambda e: (e.cost - e.tokens.bit_count(), e.start))
        return tuple(every[:MOST_EXPRESSIONS])

    def _apart(self, cells: Cells, words: Sequence[str], passable: Sequence[bool]) -> tuple[Edge, ...]:
        """What may stand apart from a device: places and exceptions anywhere, and at the end of all what is added, or a bare room."""
        apart = tuple(e for cell in cells for s in ("place", "among", "excepted", "spared", "instead") for e in cell.get(s, ()))
        added = [e for cell in cells for e in cell.get("added", ())]  # "turn the lamp on and the fan too"
        rooms = [e for cell in cells for e in cell.get("room", ())]  # "all lights off kitchen"
        if not (added or rooms):
            return apart
        joins = [any(s in cell for s in ("and", "except", "leaving")) for cell in cells]
        said = (at for at, passed in enumerate(passable) if not (passed or (words[at] in self.joiners and not joins[at])))
        last = max(said, default=-1) + 1
        apart += tuple(e for e in added if e.end >= last)
        for room in rooms:
            excepted = any(
                e.start <= room.start < e.end for cell in cells for e in (*cell.get("excepted", ()), *cell.get("spared", ()))
            )
            if room.end < last or excepted or any(w.how & How.SOUND for w in room.used):
                continue
            led = room.start and words[room.start - 1] in self._lexicon.articles  # "light up the foyer" is something else
            apart += (replace(room, symbol="place", cost=room.cost + (COSTS.room_led if led else COSTS.room_alone)),)
        return apart

    def shares(self, words: Sequence[str]) -> tuple[tuple[int, int], ...]:
        """Where somebody speaks of a part of several, whatever these are: the "one of" of "one of them", the "two of" of "two of the lamps"."""
        found = []
        for at, word in enumerate(words):
            lengths = [p.at(words, at) for p in self._shares if word in p.first]
            if word in self._counts and at + 1 < len(words):
                lengths.append(1 + self._of.at(words, at + 1))
            if lengths and max(lengths) > 1:
                found.append((at, at + max(lengths)))
        return tuple(found)

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
                symbol = "doubtful" if taken else kind if kind in PLACES else "core"
                value: Any = Front(span.entry.words, self._lexicon) if kind == "front" else span.entry
                if span.entry.called and any(e.how & ~How.FORM for e in span.used):
                    value = replace(span.entry, called=0)  # "blinds" are not called shades, though they mean the same
                cell.setdefault(symbol, []).append(Edge(at, span.end, symbol, value, span.cost, span.used))
        word = words[at]
        for symbol, phrases in self._starting.get(word, ()):
            for length in phrases.starts(words, at):
                several = symbol == "one" and is_plural(words[at + length - 1], self._lexicon.language)
                meaning: Any = PAIR if symbol == "pair" else self._lexicon if symbol == "one" else symbol
                named = "ones" if several else symbol
                if symbol == "one" and any(p.at(words, at) > length for p in self._shares):
                    continue  # "except one of the lamps" is not "except the one of the house"
                if symbol == "through":
                    meaning = self._absolute.isdisjoint(words[at : at + length])
                cell.setdefault(named, []).append(Edge(at, at + length, named, meaning))
        if word in self._counts:  # "the two lamps" are all that are called so, "two lamps" may be any
            led = at > 0 and words[at - 1] in self._lexicon.articles
            symbol = "count" if led else "number"
            cell[symbol] = [Edge(at, at + 1, symbol, self._counts[word])]
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
            if edge.symbol in ("instead", "added") and edge.start < one.end:
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
            other = modifier.value if isinstance(modifier.value, Things) else other_there((things, *modifier.value))
            guessed = any(e.how & How.SOUND for e in modifier.used)
            return replace(other, doubted=True) if other is not None and guessed else other
        if modifier.symbol == "added":
            added = modifier.value if isinstance(modifier.value, Things) else other_there((things, *modifier.value))
            return replace(things, references=(*things.references, *added.references)) if added is not None else None
        if modifier.symbol == "excepted":
            return without(things, modifier.value)
        if modifier.symbol == "spared":
            elsewhere = not things.devices & modifier.value
            guessed = elsewhere and any(e.how & How.SOUND for e in modifier.used)  # what is left may be one of these
            return None if guessed else sparing(things, modifier.value)
        placed = []
        for reference in things.references:
            inside = reference.devices & modifier.value.devices
            if not inside or reference.wrong_room:
                return None
            placed.append(replace(reference, devices=inside))
        return replace(things, references=tuple(placed))


def _guessed_wrong(edge: Edge) -> bool:
    """Whether a wrong room, or what should be in it, was only guessed by sound: that is no room that was named."""
    for reference in edge.value.references:
        if reference.wrong_room:
            return any(e.how & How.SOUND for e in edge.used)
    return False
