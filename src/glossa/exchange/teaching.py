"""Which phrases to teach to a recogniser that holds a few, in which group and order, so that it takes as few as can be for one another."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Iterable, Iterator, Sequence

from msgspec import Struct

from glossa.exchange.of_house import grammar_of
from glossa.exchange.rules import likeliest
from glossa.house.codes import Codes
from glossa.house.sources import CodedSource, SerialSource, Source
from glossa.house.text import words as folded
from glossa.matching import Match, Matcher, Outcome
from glossa.trials.findings import apart_by_sound
from glossa.trials.modules import TOO_NEAR, seconds_of

MOST_WAYS = 6
"""Ways to say one thing that are tried."""
MOST_SENTENCES = 60
"""Sentences of each intent that are looked at."""
WANTED = 24
"""Phrases that are proposed where the house file does not say how many fit."""


class Lesson(Struct, frozen=True):
    """A phrase to teach.

    Attributes:
        code: what the recogniser will send for it.
        phrase: what to say.
        intent: what the house takes it for.
        nearest: the phrase of its group that sounds most like it, "" for none.
        apart: how far from that one it is, 0 to 1.
        seconds: about how long it takes.
    """

    code: str
    phrase: str
    intent: str
    nearest: str = ""
    apart: float = 1.0
    seconds: float = 0.0

    @property
    def near(self) -> bool:
        """Whether it is likely to be taken for another one of its group."""
        return self.apart < TOO_NEAR


class Group(Struct, frozen=True):
    """Phrases that are live at once, the mode in which they are, and what the source is told to load them; its free places have lessons without a phrase."""

    mode: str
    loading: tuple[str, ...]
    lessons: tuple[Lesson, ...]


class Plan(Struct, frozen=True):
    """What to teach, what is left out as (phrase, why), and the codes that stand for nothing."""

    groups: tuple[Group, ...]
    left: tuple[tuple[str, str], ...]
    silent: tuple[str, ...] = ()

    @property
    def phrases(self) -> tuple[str, ...]:
        """What is taught, in order."""
        return tuple(lesson.phrase for group in self.groups for lesson in group.lessons if lesson.phrase)

    def table(self) -> str:
        """The table of codes (CSV) that the plan makes, in the order of teaching."""
        out = io.StringIO()
        rows = csv.writer(out, lineterminator="\n")
        rows.writerow(("code", "utterance"))
        rows.writerows((lesson.code, lesson.phrase) for group in self.groups for lesson in group.lessons)
        rows.writerows((code, "") for code in self.silent)
        return out.getvalue()


class _Candidate(Struct, frozen=True):
    """Ways to say one thing to the house, and whether the household has asked for it."""

    ways: tuple[str, ...]
    intent: str
    asked: bool


def teaching_plan(
    matcher: Matcher, source: Source, *, more: bool = False, progress: Callable[[int], object] | None = None
) -> Plan:
    """What to teach to a source that sends codes.

    Its table is what is wanted; where it is empty, or ``more`` is asked for, what the house can do besides is proposed, something of each intent
    before a second thing of any. In a group the next phrase is always the one that sounds least like those before it. With ``modes`` on the source,
    each mode has a group of its own; else every group takes anything, and what sounds alike goes into different ones.

    Args:
        matcher: of the house.
        source: one with codes.
        more: propose further phrases for places that are free.
        progress: called with the number of sentences looked at.
    """
    options, codes = source.options, source.codes or Codes()
    assert isinstance(options, CodedSource)
    tag = matcher.house.languages[0]
    most = options.most or max(len(codes.phrases), WANTED if more or not codes.phrases else 0)
    size = min(options.group or most, most)
    sets = options.sets if isinstance(options, SerialSource) and options.modes else ()
    rooms = [_Room(mode, size, tag, options.seconds) for mode in sets] or [
        _Room("", size, tag, options.seconds) for _ in range(-(-most // size))
    ]
    left: list[tuple[str, str]] = []
    for mode in sets or ("",):
        mine = [room for room in rooms if room.mode == mode]
        _fill(mine, _asked(matcher, codes.phrases, mode, left, bool(sets)), left, more=False)
    taken = {phrase for room in rooms for phrase, _ in room.held}
    told = {phrase for phrase, _ in left} | taken
    left += [(p, "the house takes it in no mode that the module has a group for") for p in codes.phrases if p not in told]
    if more or not codes.phrases:
        for mode in sets or ("",):
            mine = [room for room in rooms if room.mode == mode]
            _fill(mine, _able(matcher, mode, taken, progress, bool(sets)), left, more=True)
    numbers = iter(_codes(codes, len(rooms) * size))
    groups = []
    for at, room in enumerate(rooms):
        lessons = list(room.lessons(numbers))
        if at + 1 < len(rooms) and any(r.held for r in rooms[at + 1 :]):
            lessons += [Lesson(next(numbers), "", "") for _ in range(size - len(lessons))]
        loading = options.modes.get(room.mode, ()) if isinstance(options, SerialSource) else ()
        if lessons:
            groups.append(Group(room.mode, loading, tuple(lessons)))
    return Plan(tuple(groups), tuple(left), codes.silent)


class _Room:
    """A group while it is filled."""

    def __init__(self, mode: str, size: int, tag: str, seconds: float | None) -> None:
        self.mode, self._size, self._tag, self._seconds = mode, size, tag, seconds
        self.held: list[tuple[str, str]] = []

    @property
    def full(self) -> bool:
        return len(self.held) >= self._size

    def apart(self, phrase: str) -> tuple[float, str]:
        """How far a phrase is from the one that sounds most like it, and which that is."""
        return min(
            ((round(apart_by_sound(folded(phrase), folded(p), self._tag), 3), p) for p, _ in self.held if p != phrase),
            default=(1.0, ""),
        )

    def fits(self, phrase: str) -> bool:
        return self._seconds is None or seconds_of(phrase, self._tag) <= self._seconds

    def best(self, candidate: _Candidate) -> tuple[float, str]:
        """How far the best way to say something is from what is held, and that way."""
        ways = [w for w in candidate.ways if self.fits(w)]
        distance, _, way = max(((self.apart(w)[0], -at, w) for at, w in enumerate(ways)), default=(-1.0, 0, ""))
        return distance, way

    def lessons(self, codes: Iterator[str]) -> Iterator[Lesson]:
        for phrase, intent in self.held:
            distance, nearest = self.apart(phrase)
            yield Lesson(next(codes), phrase, intent, nearest, distance, round(seconds_of(phrase, self._tag), 1))


def _fill(rooms: Sequence[_Room], candidates: Iterable[_Candidate], left: list[tuple[str, str]], *, more: bool) -> None:
    """Put into some groups what fits, the most distinct first, and something of each intent before a second thing of any."""
    todo = list(candidates)
    count: dict[str, int] = {}
    while todo:
        fewest = min(count.get(c.intent, 0) for c in todo) if more else 0
        free = [r for r in rooms if not r.full]
        if not free:
            left += [(c.ways[0], "there is no room for it") for c in todo]
            return
        ranked = [
            ((*room.best(c), -at, -number), c, room)
            for at, c in enumerate(todo)
            if not more or count.get(c.intent, 0) == fewest
            for number, room in enumerate(free)
        ]
        (distance, way, *_), chosen, room = max(ranked, key=lambda r: (r[0][0], *r[0][2:]))
        todo.remove(chosen)
        count[chosen.intent] = count.get(chosen.intent, 0) + 1
        if distance < 0:
            left.append((chosen.ways[0], f"it takes about {seconds_of(chosen.ways[0], room._tag):.1f} s, which is too long"))
        elif more and distance < TOO_NEAR:
            left.append((chosen.ways[0], f"it sounds like “{room.apart(way)[1]}”"))
        else:
            room.held.append((way, chosen.intent))


def _live(matcher: Matcher, mode: str, intent: str, by_mode: bool) -> bool:
    """Whether an intent belongs into a mode's group."""
    own = matcher.house.intents[intent].modes
    if not by_mode or not mode:
        return by_mode is False or not own
    return mode in own or not matcher.house.modes[mode].exclusive


def _understood(match: Match) -> bool:
    return match.outcome != Outcome.REJECT and match.best is not None


def _asked(
    matcher: Matcher, phrases: Iterable[str], mode: str, left: list[tuple[str, str]], by_mode: bool
) -> Iterator[_Candidate]:
    """The phrases of a table that the house takes in a mode."""
    modes = (mode,) if by_mode else ("", *matcher.house.modes)
    for phrase in phrases:
        best = next((m.best for other in modes if _understood(m := matcher.match(phrase, mode=other))), None)
        if best is not None and _live(matcher, mode, best.intent, by_mode):
            yield _Candidate((phrase,), best.intent, True)
        elif best is None and not by_mode:
            left.append((phrase, "the house does not understand it"))


def _able(
    matcher: Matcher, mode: str, taken: Iterable[str], progress: Callable[[int], object] | None, by_mode: bool
) -> Iterator[_Candidate]:
    """What else the house can do in a mode, each with the ways to say it, shortest first."""
    house, tag = matcher.house, matcher.house.languages[0]
    grammar = grammar_of(house, tag, mode, thin=True, commands=True)
    known = {_meaning(matcher.match(phrase, mode=mode)) for phrase in taken}
    looked = 0
    for intent in house.intents.values():
        rule = f"intent_{intent.id}"
        if rule not in grammar.rules or intent.pin is not None or not _live(matcher, mode, intent.id, by_mode):
            continue
        ways: dict[object, list[str]] = {}
        for sentence in likeliest(grammar, rule, MOST_SENTENCES):
            text = " ".join(sentence.words)
            match = matcher.match(text, tag, mode)
            looked += 1
            if progress is not None:
                progress(looked)
            if (
                match.outcome == Outcome.ACCEPT
                and match.best is not None
                and match.best.intent == intent.id
                and _meaning(match) not in known
            ):
                ways.setdefault(_meaning(match), []).append(text)
        for found in ways.values():
            yield _Candidate(tuple(sorted(found, key=lambda t: (len(t.split()), found.index(t)))[:MOST_WAYS]), intent.id, False)


def _meaning(match: Match) -> object:
    return match.best and (match.best.intent, repr(sorted(match.best.slots.items())))


def _codes(codes: Codes, count: int) -> Iterator[str]:
    """The codes of a table in its order, those that are sent for nothing left out, and then the next ones."""
    known = [code for code, utterance in codes.utterances.items() if utterance]
    yield from known
    used = set(codes.utterances)
    last = known[-1] if known else (" ".join(["00"] * codes.size) if codes.size else "0")
    for _ in range(count):
        last = _next(last, codes.size)
        while last in used:
            last = _next(last, codes.size)
        used.add(last)
        yield last


def _next(code: str, size: int) -> str:
    """The code after one: the next number of bytes, or the same text with the next number at its end."""
    if size:
        number: int = int.from_bytes(bytes.fromhex(code), "big") + 1
        return (number & (1 << 8 * size) - 1).to_bytes(size, "big").hex(" ").upper()
    found = re.search(r"\d+$", code)
    return code[: found.start()] + str(int(found[0]) + 1).zfill(len(found[0])) if found else f"{code}1"
