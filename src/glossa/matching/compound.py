"""Several commands in one utterance: where one may end and the next begin, and the way to part it that is understood best.

A command may end where a joiner stands ("and", "then"), at a pause, or where what a phrase explains ends and something else is named. Each
stretch between two such places is understood as if it were said alone, with what was named before it for "it"; of all ways to part the
utterance the one with the highest confidence is taken (a shortest path over the places; P. E. Hart, N. J. Nilsson and
B. Raphael, "A Formal Basis for the Heuristic Determination of Minimum Cost Paths", 1968).
"""

from __future__ import annotations

import math
from collections.abc import Callable, Container, Iterable, Sequence
from heapq import heappop, heappush

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.devices import PLAIN_NAME, DeviceExpression
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Utterance
from glossa.language import Language
from glossa.matching.result import Match, Outcome, Reading

MOST_STRETCHES = 4
"""Stretches between such places that one command may hold: a list of devices, a pause."""

MOST_BOUNDARIES = 12
"""Places at which a command may end that are looked at; a line with more of them is talk."""

SURE = 0.7
"""The confidence that each part needs, so that talk that holds two halves of commands stays talk."""

HALF_SURE = 0.9
"""The confidence of the part that was understood, for the house to say that the other one was not."""

PART = 0.05
"""What a further part costs, in log-odds of its confidence, so that fewer parts go before more."""

UNHEARD = 1e-3
"""The confidence of a stretch that is no command at all."""

MOST_PATH = -2 * math.log(UNHEARD)
"""What a way to part an utterance costs at most: with two stretches that are no commands it is not worth a word."""

LITTLE_LEFT = 0.95
"""The score from which on a command explains all that was said."""

LEAST_FIT = 0.8
"""The score that a command has at least where neither a word nor a pause parts it from another one."""

_NO_COMMAND = frozenset((Role.FILLER, Role.SMALL, Role.TALK, Role.UNKNOWN, Role.ASIDE))
"""A stretch that holds nothing else is no command."""

TELLING = (Role.WORD, Role.POLE, Role.NUMBER)
LEAST_TOLD = 2
"""Words of the house that a command holds at least where neither a word nor a pause parts it from the next one."""

_ASKED = (Outcome.CONFIRM, Outcome.ASK)

_UNCLEAR = frozenset(("confidence", "nothing", "filler", "empty", "missing"))
"""Reasons for which a stretch was not understood; others are refusals of something that was."""

Understand = Callable[[str, Sequence[str]], Match]
"""From a stretch of text, and the devices that were spoken of before, to what it is on its own."""


class Boundary(Struct, frozen=True, gc=False):
    """A place between two commands: the token at which the first one ends, the one at which the next begins, and whether there is a pause."""

    end: int
    start: int
    pause: bool = False

    @property
    def joined(self) -> bool:
        """Whether a word such as "and" stands there."""
        return self.start > self.end


class Path(Struct, frozen=True, gc=False):
    """A way to part the beginning of an utterance: its parts, what they cost, the devices that they named, and whether words join all of them."""

    parts: tuple[Match, ...] = ()
    cost: float = 0.0
    devices: tuple[tuple[str, ...], ...] = ()
    joined: bool = True

    def then(self, match: Match, place: Boundary | None) -> Path:
        """This way and one stretch more, behind a place where a command may end; None for the first one."""
        cost = self.cost + PART - math.log(max(UNHEARD, match.confidence if _is_command(match) else 0.0))
        device = match.best.slots.get("device") if match.best is not None else None
        named = (*self.devices, device) if isinstance(device, tuple) else self.devices
        return Path((*self.parts, match), cost, named, self.joined and (place is None or place.joined))


def boundaries(utterance: Utterance, covered: Iterable[int], language: Language) -> list[Boundary]:
    """The places at which a command may end, in order.

    Args:
        utterance: what was heard.
        covered: what the best alignments explain, as bit masks: a command may end where one of them does.
        language: of the utterance.
    """
    words, count = utterance.words, len(utterance.words)
    joiners = language.phrases("grammar", "then")
    found: dict[int, Boundary] = {}
    at = 1
    while at < count:
        length = joiners.at(words, at) if words[at] in joiners.first else 0
        if length and at + length < count:
            found[at] = Boundary(at, at + length)
            at += length
            continue
        if utterance.pauses >> at & 1:
            found[at] = Boundary(at, at, pause=True)
        at += 1
    joined = {i for b in found.values() for i in range(b.end, b.start + 1)}
    leading = {*language.grammar.absolute, *language.grammar.relative, *language.phrases("grammar", "inside").single}
    ends = [at for mask in covered for at in ((mask & -mask).bit_length() - 1, mask.bit_length()) if utterance.telling & ~mask]
    plain = [e for e in utterance.expressions if e.cost < PLAIN_NAME]
    names = [_opening(utterance, e.start, language) for e in plain]
    single = [e for e in plain if Role.POLE not in utterance.roles[e.start : e.end]]  # "lamp on kitchen speaker" may be two
    within = {i for e in single for i in range(e.start + 1, e.end)}
    verbs = [at for at in range(1, count) if words[at] in language.verbs or utterance.roles[at] == Role.VERB]
    verbs = [at for at in verbs if not any(e.start < at < e.end for e in utterance.expressions)]  # no "light" of "ceiling light"
    for at in (*((*ends, *names) if _apart(plain) > 1 else ()), *verbs):
        if 0 < at < count and at not in joined and at not in within and words[at] not in leading:
            found.setdefault(at, Boundary(at, at))
    whole = [(q.start, q.end) for q in utterance.quantities if q.end - q.start > 1 and not q.cost]
    whole += [(t.start, t.end) for t in utterance.timed]
    return [b for _, b in sorted(found.items()) if not any(start < b.end and b.start < end for start, end in whole)]


def _apart(expressions: Iterable[DeviceExpression]) -> int:
    """How many devices are named, none of them within another."""
    count, end = 0, 0
    for expression in sorted(expressions, key=lambda e: (e.end, -e.start)):
        if expression.start >= end:
            count, end = count + 1, expression.end
    return count


def _opening(utterance: Utterance, start: int, language: Language) -> int:
    """Where a command begins that names a device at a token: before its article and its verb."""
    while start > 0 and (utterance.words[start - 1] in language.grammar.articles or utterance.roles[start - 1] == Role.VERB):
        start -= 1
    return start


def parted(
    utterance: Utterance, places: Sequence[Boundary], language: Language, nouns: Container[str], understand: Understand
) -> Path | None:
    """The best way to part an utterance into two or more stretches; None where there is none.

    Args:
        utterance: what was heard.
        places: where a command may end.
        language: of the utterance.
        nouns: what devices are called, so that one that was said need not be said again.
        understand: what a stretch is on its own.
    """
    if len(places) > MOST_BOUNDARIES:
        places = [b for b in places if b.joined or b.pause]
    if not places or len(places) > MOST_BOUNDARIES:
        return None
    count = len(utterance.words)
    ends = [*(b.end for b in places), count]
    starts = [language.phrases("grammar", "then").at(utterance.words, 0), *(b.start for b in places)]  # "first ..., then ..."

    def says_nothing(start: int, end: int) -> bool:
        return all(r in _NO_COMMAND for r in utterance.roles[start:end])

    def accepted(first: int, last: int) -> bool:
        start, end = starts[first], ends[last]
        return not says_nothing(start, end) and understand(utterance.written(start, end), ()).outcome == Outcome.ACCEPT

    def falls_apart(first: int, last: int) -> bool:
        """Whether a stretch is commands of its own: each of its parts, or what stands before a joiner and what stands behind it."""
        if first < last and all(accepted(number, number) for number in range(first, last + 1)):
            return True
        joiners = (at for at in range(first, last) if places[at].joined)
        return any(accepted(first, at) and accepted(at + 1, last) for at in joiners)

    def plainly() -> Path | None:
        """The way past joiners and pauses alone, where each stretch is a command that leaves no word over: parting it further costs more."""
        path, first = Path(), 0
        lasts = [*(at for at, place in enumerate(places) if place.joined or place.pause), len(ends) - 1]
        for last in lasts if len(lasts) > 1 else ():
            start, end = starts[first], ends[last]
            if start >= end or last - first >= MOST_STRETCHES or says_nothing(start, end):
                return None
            match = _understood(utterance, start, end, path, language, nouns, understand)
            if match.outcome != Outcome.ACCEPT or match.best is None or match.best.score < LITTLE_LEFT:
                return None
            if len(lasts) > 2 and not accepted(first, last):
                return None  # "make it brighter" may go together with what stands before it
            path = path.then(match, places[first - 1] if first else None)
            first = last + 1
        return path if path.parts and path.cost <= (len(path.parts) + 1) * PART else None

    def stretch(first: int, last: int, before: Path) -> Path | None:
        """The way to the end of a stretch that begins where another way ends; None where the stretch can't be a command."""
        start, end = starts[first], ends[last]
        if start >= end or (first == 0 and last == len(ends) - 1) or says_nothing(start, end):
            return None
        place = places[first - 1] if first else None
        loose = [b for b in (place, places[last] if last < len(places) else None) if b and not b.joined and not b.pause]
        if loose and sum(r in TELLING for r in utterance.roles[start:end]) < LEAST_TOLD:
            return None  # the "lower" of "lower the vent" is no command of its own
        if falls_apart(first, last):
            return None  # these need no joining to others
        known_before = before if place is None or place.joined or place.pause else Path()
        match = _understood(utterance, start, end, known_before, language, nouns, understand)
        if loose and match.best is not None and match.best.score < LEAST_FIT:
            return None  # the "wir gehen jetzt" of "wir gehen jetzt los mach ..." is no phrase about a sauna
        return before.then(match, place)

    def rest(last: int) -> float:
        return PART if last < len(ends) - 1 else 0.0

    plain = plainly()
    if plain is not None:
        return plain
    # Stretches wait in the order of what a way through them costs at least, and are only understood when their turn comes.
    reached: dict[int, Path] = {}
    waiting: list[tuple[float, int, int, int, Path | None]] = [(0.0, 0, 0, -1, Path())]
    while waiting:
        cost, _, first, last, path = heappop(waiting)
        if cost > MOST_PATH or last + 1 in reached:
            continue
        if path is None:
            path = stretch(first, last, reached[first])
            if path is not None:
                heappush(waiting, (round(path.cost + rest(last), 9), 1, first, last, path))
            continue
        if last == len(ends) - 1:
            return path if len(path.parts) > 1 else None
        reached[last + 1] = path
        for further in range(last + 1, min(last + 1 + MOST_STRETCHES, len(ends))):
            heappush(waiting, (round(path.cost + PART + rest(further), 9), 0, last + 1, further, None))
    return None


def _understood(
    utterance: Utterance, start: int, end: int, before: Path, language: Language, nouns: Container[str], understand: Understand
) -> Match:
    """What a stretch is on its own, or about what was named before it: "it" is the last of that, "them" all of it, "off in the hall"
    its noun in another room."""
    text, words = utterance.written(start, end), utterance.words[start:end]
    alone = understand(text, ())
    pronouns = language.phrases("grammar", "pronouns")
    points = any(pronouns.at(words, i) for i in range(len(words)))
    if set(utterance.roles[start:end]) <= {Role.NUMBER, Role.FILLER} and not any(
        q.unit for q in utterance.quantities if start <= q.start and q.end <= end
    ):
        return alone  # the "two" of "rooms one and two" sets nothing
    strange = Role.UNKNOWN in utterance.roles[start:end]  # another device may be named, one that the house doesn't have
    if not before.devices or alone.outcome == Outcome.ACCEPT or (strange and not points):
        return alone
    again = _with_its_noun(utterance, start, end, language, nouns)
    elsewhere = understand(again, ()) if again else alone
    if elsewhere.outcome == Outcome.ACCEPT:
        return elsewhere
    several = any(w in language.grammar.them for w in words)
    about = tuple(dict.fromkeys(d for ids in before.devices for d in ids)) if several else before.devices[-1]
    pointing = understand(text, about)
    return pointing if pointing.confidence > alone.confidence or pointing.outcome == Outcome.ACCEPT else alone


def _with_its_noun(utterance: Utterance, start: int, end: int, language: Language, nouns: Container[str]) -> str:
    """A stretch that names only a room, with what is in it as it was called before; ``""`` where it names more, or nothing was called so.

    "off in the hall" and "the hall ones off" behind "kitchen lights on" are about the hall lights.
    """
    words = utterance.words
    rooms = any(s.entry.kind == "room" and s.cost < PLAIN_NAME for at in range(start, end) for s in utterance.spans[at])
    said = [at for at in range(start) if words[at] in nouns]
    if not rooms or not said or any(w in nouns for w in words[start:end]):
        return ""
    first = last = said[-1]
    while first and words[first - 1] in nouns:
        first -= 1
    noun = utterance.written(first, last + 1)
    ones = [at for at in range(start, end) if words[at] in language.grammar.one and words[at] not in language.grammar.articles]
    if not ones:
        return f"{noun} {utterance.written(start, end)}"
    parts = (utterance.written(start, ones[0]) if ones[0] > start else "", noun, utterance.written(ones[0] + 1, end))
    return " ".join(part for part in parts if part)


def _is_command(match: Match) -> bool:
    return (
        match.best is not None
        and match.outcome != Outcome.CANCEL
        and not (match.outcome == Outcome.REJECT and match.reason in _UNCLEAR)
    )


def compound(whole: Match, path: Path, language: Language) -> Match:
    """The match of an utterance that may hold several commands: several, or one as before, or one that is only half understood.

    Args:
        whole: the utterance as a single command.
        path: the best way to part it.
        language: of the utterance.
    """
    least = min(path.parts, key=lambda m: m.confidence)
    surest = max(path.parts, key=lambda m: m.confidence)
    commands = all(_is_command(m) for m in path.parts)
    if commands and least.confidence >= SURE and (whole.outcome != Outcome.ACCEPT or _all_accepted(path)):
        if _taken_back(path.parts, language) or _said_again(path):
            return replace(path.parts[1], utterance=whole.utterance)
        several = _several(whole, path.parts)
        # Parts that contradict each other are rather one command that was misheard: "the lamp to too and a half".
        return whole if several.reason == "contradiction" and whole.outcome in _ASKED else several
    orders = {*language.verbs, *language.light, *language.poles}
    unsure = whole.outcome == Outcome.REJECT or (whole.outcome == Outcome.CONFIRM and whole.confidence < SURE)
    if unsure and surest.outcome == Outcome.ACCEPT and surest.confidence >= HALF_SURE:
        unclear = [m for m in path.parts if not _is_command(m)]
        if len(unclear) == 1 and path.joined and any(w in orders for w in unclear[0].utterance.lower().split()):
            return Match(
                whole.utterance,
                Outcome.REJECT,
                whole.readings,
                whole.lead,
                "half",
                unclear[0].utterance,
                whole.language,
                whole.limits,
            )
    return whole


def _taken_back(parts: Sequence[Match], language: Language) -> bool:
    """Whether the second of two commands takes the first one back: "map light off, sorry, hut light off"."""
    first, last = (m.best.intent if m.best is not None else "" for m in (parts[0], parts[-1]))
    correction = language.phrases("grammar", "correction")
    before, behind = (m.utterance.lower().split() for m in (parts[0], parts[-1]))
    corrects = correction.at(behind, 0) or correction.whole(before[-1:])
    return len(parts) == 2 and first == last and bool(corrects)


def _said_again(path: Path) -> bool:
    """Whether the second of two commands says in other words what the first one does: "too loud, put it down"."""
    first, last = (m.best.meaning if m.best is not None else None for m in (path.parts[0], path.parts[-1]))
    return len(path.parts) == 2 and not path.joined and first == last


def _all_accepted(path: Path) -> bool:
    return all(m.outcome == Outcome.ACCEPT for m in path.parts)


def _several(whole: Match, parts: tuple[Match, ...]) -> Match:
    """All or nothing: what one part is refused, asked or confirmed for holds for all of them."""
    outcome, reason, detail = Outcome.ACCEPT, "", ""
    for kind in (Outcome.REJECT, Outcome.ASK, Outcome.CONFIRM):
        first = next((m for m in parts if m.outcome == kind), None)
        if first is not None:
            outcome, reason, detail = kind, first.reason, first.detail
            break
    if outcome in (Outcome.ACCEPT, Outcome.CONFIRM):
        against = contradiction([m.best for m in parts if m.best is not None])
        if against:
            outcome, reason, detail = Outcome.CONFIRM, "contradiction", against
    lead = min(m.lead for m in parts)
    return Match(whole.utterance, outcome, (), lead, reason, detail, whole.language, parts=parts)


def contradiction(readings: Sequence[Reading]) -> str:
    """A property that one command sets to one value and another to another one, ``""`` for none."""
    known: dict[tuple[str, str], str] = {}
    for reading in readings:
        meaning = reading.meaning
        if isinstance(meaning, tuple) and meaning[:1] == ("set",):
            for device, name, value in meaning[2]:
                if known.setdefault((device, name), value) != value:
                    return f"{device} {name}"
    return ""
