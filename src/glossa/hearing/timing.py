"""Other times than now, and conditions: "at half past seven", "ten minutes from now", "as soon as the guests are here".

Nothing in a house knows times, so that an order with one beside it must not be carried out at once. What is found here says so unless the phrase
itself takes it ("wake me at $time"), or it belongs to a sentence beside the order ("we eat at seven"); see ``matching/stops.py``.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from glossa.hearing.numbers import HOMOPHONE, Quantity
from glossa.hearing.roles import Role
from glossa.language import Language
from glossa.language.phrases import PhraseSet

LATER, CONDITION = "later", "condition"
"""The kinds: another time than now, and a condition."""

HOURS_OF_A_DAY, MINUTES_OF_AN_HOUR = 24, 60


class Timed(Struct, frozen=True, gc=False):
    """Words for another time, or those that a condition begins with.

    Attributes:
        kind: ``LATER`` or ``CONDITION``.
        start, end: its tokens.
        core: those that say so whatever the others are, as a bit mask: the "o'clock" of "at eight o'clock". It is none where the words of the phrase
            are just these; where there are no such tokens ("at eight"), it is none where the phrase takes any of it.
    """

    kind: str
    start: int
    end: int
    core: int


class Timing:
    """Finds times and conditions in the utterances of one language.

    Args:
        language: the language.
    """

    def __init__(self, language: Language) -> None:
        self._later, self._condition, self._now, self._clock, self._hour, self._past, self._between, self._delay, self._hence = (
            sets
        ) = tuple(
            language.phrases("when", name)
            for name in ("later", "condition", "now", "clock", "hour", "past", "between", "delay", "hence")
        )
        self._through = frozenset(language.grammar.through)
        self._orders = language.verbs | language.light
        self._any: frozenset[str] = frozenset().union(*(s.first for s in sets))

    def of(self, words: Sequence[str], roles: Sequence[Role], quantities: Sequence[Quantity]) -> tuple[Timed, ...]:
        """The times and conditions of an utterance, in their order.

        Args:
            words: its words.
            roles: what each of them does.
            quantities: the quantities in it.
        """
        if self._any.isdisjoint(words):
            return ()
        numbers = [q for q in quantities if q.cost < HOMOPHONE]
        found: list[Timed] = []
        at = 0
        while at < len(words):
            passed = self._now.at(words, at)
            timed = None if passed else next(self._at(words, roles, numbers, at), None)
            if timed is not None:
                found.append(timed)
            at = max(at + 1, at + passed, timed.end if timed is not None else 0)
        return tuple(found)

    def _at(self, words: Sequence[str], roles: Sequence[Role], numbers: Sequence[Quantity], at: int) -> Iterator[Timed]:
        """What begins at a token, the surest first."""
        if length := self._later.at(words, at):
            yield _timed(LATER, at, at + length, at, at + length)
        yield from self._of_the_clock(words, roles, numbers, at)
        yield from self._delayed(words, numbers, at)
        length = self._condition.at(words, at)
        if not length or at + length == len(words) or set(roles[at : at + length]) == {Role.FILLER}:  # "if you don't mind"
            return
        runs = at > 0 and roles[at - 1] == roles[at + length] == Role.NUMBER  # "spots one till three"
        if not runs and words[at + length] not in self._orders:  # "once turn the lamp on"
            yield _timed(CONDITION, at, at + length, at, at + length)

    def _of_the_clock(self, words: Sequence[str], roles: Sequence[Role], numbers: Sequence[Quantity], at: int) -> Iterator[Timed]:
        """A time of day: "at eight o'clock", "half past seven", "at ten to nine", "at 7 30", "at eight"."""
        runs = at > 0 and words[at] in self._through and roles[at - 1] == Role.NUMBER  # "spots one till two to forty"
        led = 0 if runs else _longest(self._clock, words, at)
        for start in (at + led, at):
            past = _longest(self._past, words, start)
            hour = _hour(numbers, start + past)
            lasts = start == at and any(q.start == start and q.unit for q in numbers)  # "pendant une heure et demie"
            if not hour or lasts:
                continue
            between = _longest(self._between, words, hour) if led and not past else 0
            minutes = (_hour(numbers, hour + between) or hour) if words[start + past].isdigit() or between else hour
            behind = minutes + _longest(self._hour, words, minutes)
            if behind > minutes or past:
                yield _timed(LATER, at, behind, *((minutes, behind) if behind > minutes else (start, start + past)))
            elif led and start > at:
                sure = at, minutes if minutes > hour else start if led > 1 else at  # "at 7 30", "a las ocho", but not "at eight"
                yield _timed(LATER, at, minutes, *sure)

    def _delayed(self, words: Sequence[str], numbers: Sequence[Quantity], at: int) -> Iterator[Timed]:
        """A time from now: "in ten minutes", "ten minutes from now"."""
        led = _longest(self._delay, words, at)
        for quantity in numbers:
            if quantity.unit != "seconds" or quantity.start not in (at, at + led):
                continue
            hence = _longest(self._hence, words, quantity.end)
            if hence:
                yield _timed(LATER, at, quantity.end + hence, quantity.end, quantity.end + hence)
            elif led and quantity.start == at + led:
                yield _timed(LATER, at, quantity.end, at, at + led)


def _longest(phrases: PhraseSet, words: Sequence[str], at: int) -> int:
    return phrases.at(words, at) if at < len(words) else 0


def _hour(numbers: Sequence[Quantity], at: int) -> int:
    """Where the longest plain number ends that starts at a token and may be of a clock, "nine thirty" for one; 0 where there is none."""
    plain = [q for q in numbers if q.start == at and not q.unit]
    longest = max(plain, key=lambda q: q.end, default=None)
    if longest is None or not float(longest.value).is_integer():
        return 0
    hours, minutes = divmod(int(longest.value), 100)
    of_a_day = 0 <= longest.value < MINUTES_OF_AN_HOUR or (hours <= HOURS_OF_A_DAY and minutes < MINUTES_OF_AN_HOUR)
    return longest.end if of_a_day else 0


def _timed(kind: str, start: int, end: int, core: int, core_end: int) -> Timed:
    return Timed(kind, start, end, _mask(core, core_end))


def _mask(start: int, end: int) -> int:
    return (1 << end) - (1 << start)
