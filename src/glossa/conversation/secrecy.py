"""Keeping passcodes out of everything that is shown, sent on or kept: the one place through which it all passes."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.conversation.event import Event
from glossa.conversation.passcode import expected, guarded
from glossa.hearing.numbers import NumberReader
from glossa.hearing.utterance import Hearing
from glossa.house.text import fold, printable
from glossa.language.phones import distance, phones
from glossa.matching import Match, Matcher, Outcome
from glossa.matching.result import HIDDEN

DOUBT = 60.0
"""Seconds after a question for a passcode in which digits may be one."""
FEW = 3
"""Digits in a row that are starred out in that time."""
APART = 2
"""Other words that may stand between two digits of a passcode."""
LIKE_A_DIGIT = 0.35
"""A word whose sound is as near to a digit's may be that digit, misheard."""
MOST_REMEMBERED = 4096
"""Texts of records that are remembered, for most of them come again and again."""
SPOKEN = ("utterance", "text", "why", "alternatives", "parts")
"""What of a record goes back to what somebody said."""

_DECIMAL = re.compile(r"\d[.,]\d")
_PIECE = re.compile(r"\d+|[^\W\d_]+(?:['’][^\W\d_]+)*")


class _Piece(Struct, frozen=True):
    word: str
    start: int
    end: int


class _Run(Struct, frozen=True):
    """Digits in a row: where they stand in the text, and from which piece to which, -1 for those that were read as one number."""

    digits: str
    start: int
    end: int
    at: int = -1
    behind: int = -1
    whole: bool = True


class Secrecy:
    """Knows the passcodes of a house and stars them out: as digits of any script, as words, misheard, or with anything between.

    Args:
        matcher: of the house; its word lists say what is a digit.
        secrets: the environments that hold passcodes; None is offline, where the tests' own count.
    """

    def __init__(self, matcher: Matcher, secrets: Iterable[Mapping[str, str] | None]) -> None:
        house = matcher.house
        self._starred = lru_cache(MOST_REMEMBERED)(self._star)
        self._guarded = guarded(house)
        pins = [i.pin for i in house.intents.values() if i.pin is not None]
        codes = {"".join(filter(str.isalnum, expected(pin, held))) for pin in pins for held in secrets}
        self._codes = tuple(sorted((c for c in codes if c.isdigit()), key=len, reverse=True))
        self._hearings = [matcher.grammar(tag).hearing for tag in house.languages] if self._guarded else []

    def utterance(self, event: Event, *, asked: bool, doubt: bool) -> str:
        """An event's utterance, fit to be kept.

        Args:
            event: the event.
            asked: whether the house had asked for a passcode; what it then can't use may be a passcode heard wrongly.
            doubt: as in :meth:`text`.
        """
        if asked and event.outcome == Outcome.REJECT and self._may_hold_digits(event.utterance):
            return HIDDEN
        return self.text(event.utterance, doubt=doubt, few=2 if event.intent in self._guarded else FEW)

    def shown(self, event: Event) -> Event:
        """An event fit to be shown on a screen: no passcode in its text, its reply, or in what its readings were made of."""
        few = 2 if event.intent in self._guarded else FEW
        if not self._guarded or self.text(event.utterance, few=few) == event.utterance:
            return event
        match = self._match(event.match, few) if event.match is not None else None
        parts = tuple(map(self.shown, event.parts))
        utterance, reply = self.text(event.utterance, few=few), self.text(event.reply, few=few)
        return replace(event, utterance=utterance, reply=reply, detail=self.text(event.detail, few=few), match=match, parts=parts)

    def _match(self, match: Match, few: int) -> Match:
        readings = tuple(
            replace(
                r,
                pieces=tuple(replace(p, heard=self.text(p.heard, few=few), taken=self.text(p.taken, few=few)) for p in r.pieces),
            )
            for r in match.readings
        )
        parts = tuple(self._match(part, few) for part in match.parts)
        return replace(match, utterance=self.text(match.utterance, few=few), readings=readings, parts=parts)

    def reply(self, text: str, utterance: str, *, doubt: bool) -> str:
        """A reply fit to be kept: what is in doubt in it is only what was said, and not how many seconds there are to wait."""
        for hearing in self._hearings if doubt else ():
            for run in _runs(hearing.lexicon.numbers, _pieces(utterance)):
                if len(run.digits) >= FEW:
                    text = text.replace(utterance[run.start : run.end], HIDDEN)
        return self.text(text)

    def _may_hold_digits(self, utterance: str) -> bool:
        """Whether an utterance holds a number, or two words in a row that may be digits."""
        pieces = _pieces(utterance)
        readers = [hearing.lexicon.numbers for hearing in self._hearings]
        sure = any(p.word.isdigit() or any(r.begins_number(p.word) for r in readers) for p in pieces)
        return sure or any(len(run.digits) > 1 for r in readers for run in _runs(r, pieces))

    def data(self, found: Any, *, doubt: bool = False) -> Any:
        """Plain data fit to be shown: without passcodes in its texts and numbers, and without characters that can't be printed.

        Args:
            found: the data; of a record, ``doubt`` is only about what somebody said.
            doubt: as in :meth:`text`.
        """
        if isinstance(found, dict):
            return {k: self.data(v, doubt=doubt) for k, v in found.items()}
        if isinstance(found, (list, tuple)):
            return [self.data(v, doubt=doubt) for v in found]
        if isinstance(found, str):
            return self.text(found, doubt=doubt)
        whole = isinstance(found, (int, float)) and not isinstance(found, bool) and found == found // 1
        return HIDDEN if whole and any(code in f"{found:.0f}" for code in self._codes) else found

    def record(self, data: Mapping[str, Any], *, doubt: bool) -> dict[str, Any]:
        """The data of a record: digits are only in doubt where they go back to what somebody said."""
        return {k: self.data(v, doubt=doubt and k in SPOKEN) for k, v in data.items()}

    def text(self, text: str, *, doubt: bool = False, few: int = FEW) -> str:
        """A text fit to be shown.

        Args:
            text: the text.
            doubt: a passcode may have been said that nobody knows: so many digits in a row are starred out, whatever they are.
            few: how many.
        """
        text = printable(text)
        return self._starred(text, doubt, few) if self._guarded and (self._codes or doubt or few < FEW) else text

    def _star(self, text: str, doubt: bool, few: int) -> str:
        pieces = _pieces(text)
        spans: set[tuple[int, int]] = set()
        for hearing in self._hearings:
            runs = [*_runs(hearing.lexicon.numbers, pieces), *self._as_a_number(hearing, text, pieces)]
            plainly = any(code in run.digits for run in runs for code in self._codes)
            for run in runs if plainly else (*runs, *_joined(runs)):
                known = any(code in run.digits for code in self._codes)
                doubted = (doubt or few < FEW) and len(run.digits) >= few and run.whole
                if known or doubted:
                    spans.add((run.start, run.end))
        shown, at = "", 0
        for start, end in sorted(spans, key=lambda span: (span[0], -span[1])):
            if start >= at:
                shown += text[at:start] + HIDDEN
            at = max(at, end)
        return shown + text[at:]

    def _as_a_number(self, hearing: Hearing, text: str, pieces: list[_Piece]) -> Iterator[_Run]:
        """ "two thousand four hundred and forty six", "zweitausendvierhundert", "24.46" """
        if any(p.word.isalpha() and hearing.lexicon.numbers.begins_number(p.word) for p in pieces) or _DECIMAL.search(text):
            utterance = hearing.analyse(text)
            for quantity in utterance.quantities:
                start, end = utterance.tokens[quantity.start].start, utterance.tokens[quantity.end - 1].end
                yield _Run("".join(filter(str.isdigit, f"{quantity.value:.10g}")), start, end)


def _pieces(text: str) -> list[_Piece]:
    return [_Piece(fold(m.group()), *m.span()) for m in _PIECE.finditer(_with_plain_digits(text))]


def _joined(runs: Sequence[_Run]) -> Iterator[_Run]:
    """Runs with few other words between them as one: "four, well, eight, then two and six"."""
    placed = sorted((r for r in runs if r.at >= 0), key=lambda r: r.at)
    for number, first in enumerate(placed):
        digits, before = first.digits, first
        for run in placed[number + 1 :]:
            if not 0 <= run.at - before.behind <= APART:
                break
            digits, before = digits + run.digits, run
            yield _Run(digits, first.start, run.end, whole=False)


def _with_plain_digits(text: str) -> str:
    """Digits of any script or style as 0 to 9, each in its own place."""
    if text.isascii():
        return text
    return "".join(str(unicodedata.digit(c)) if unicodedata.digit(c, None) is not None else c for c in text)


def _runs(reader: NumberReader, pieces: list[_Piece]) -> Iterator[_Run]:
    """Runs of what may be digits, as digits, with where each stands in the text."""
    at = 0
    while at < len(pieces):
        digits, end = _run(reader, pieces, at)
        if digits:
            yield _Run(digits, pieces[at].start, pieces[end - 1].end, at, end)
        at = max(end, at + 1)


def _run(reader: NumberReader, pieces: list[_Piece], at: int) -> tuple[str, int]:
    words = tuple(reader.words.spellings.get(p.word, p.word) for p in pieces)
    digits, times, end = "", 1, at
    while at < len(words):
        word, length = words[at], 1
        figure = reader.words.digits_only.get(word)
        if figure is not None and figure < 0:
            times, at = -figure, at + 1
            continue
        if digits and (word in reader.words.hesitation or word in reader.words.joined):
            at += 1
            continue
        if word.isdigit():
            piece = word
        elif (below := reader.below_1000(words, at)) is not None:
            piece, length = below
        else:
            piece = _as_digit(reader, word)
        if not piece:
            break
        digits += piece * times
        times, at = 1, at + length
        end = at
    return digits, end


def _as_digit(reader: NumberReader, word: str) -> str:
    """The digit that a word is, is written for, or sounds like; ``""`` for none."""
    own = reader.words.digits_only.get(word, reader.words.homophones.get(word))
    if own is None and reader.ones.get(word, 10) < 10:
        own = reader.ones[word]
    digits = tuple((w, n) for w, n in reader.ones.items() if n < 10)
    return str(own) if own is not None else _sounds_like(digits, word, reader.language.tag)


@lru_cache(maxsize=4096)
def _sounds_like(digits: tuple[tuple[str, int], ...], word: str, tag: str) -> str:
    said = phones(word, tag)
    apart, digit = min(((distance(said, phones(d, tag)), n) for d, n in digits), default=(1.0, 0))
    return str(digit) if apart <= LIKE_A_DIGIT and len(word) > 1 else ""
