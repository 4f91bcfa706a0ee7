"""Keeping passcodes out of everything that is shown, sent on or kept: the one place through which it all passes."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Iterator, Mapping
from functools import lru_cache
from typing import Any

from msgspec import Struct

from glossa.conversation.event import Event
from glossa.conversation.passcode import expected, guarded
from glossa.hearing.numbers import NumberReader
from glossa.hearing.utterance import Hearing
from glossa.house.text import fold, printable
from glossa.language.phones import distance, phones
from glossa.matching import Matcher, Outcome
from glossa.matching.result import HIDDEN

DOUBT = 60.0
"""Seconds after a question for a passcode in which digits may be one."""
FEW = 3
"""Digits in a row that are starred out in that time."""
LIKE_A_DIGIT = 0.35
"""A word whose sound is as near to a digit's may be that digit, misheard."""
MOST_REMEMBERED = 4096
"""Texts of records that are remembered, for most of them come again and again."""
SPOKEN = ("utterance", "text", "why", "reply", "alternatives", "parts")
"""What of a record goes back to what somebody said."""

_PIECE = re.compile(r"\d+|[^\W\d_]+(?:['’][^\W\d_]+)*")


class _Piece(Struct, frozen=True):
    word: str
    start: int
    end: int


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
        if asked and event.outcome == Outcome.REJECT:
            return HIDDEN
        return self.text(event.utterance, doubt=doubt, few=2 if event.intent in self._guarded else FEW)

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
        pieces = [_Piece(fold(m.group()), *m.span()) for m in _PIECE.finditer(_with_plain_digits(text))]
        spans: set[tuple[int, int]] = set()
        for hearing in self._hearings:
            reader = hearing.lexicon.numbers
            for digits, start, end in (*_runs(reader, pieces), *self._as_a_number(hearing, text, pieces)):
                if any(code in digits for code in self._codes) or ((doubt or few < FEW) and len(digits) >= few):
                    spans.add((start, end))
        shown, at = "", 0
        for start, end in sorted(spans):
            if start >= at:
                shown += text[at:start] + HIDDEN
            at = max(at, end)
        return shown + text[at:]

    def _as_a_number(self, hearing: Hearing, text: str, pieces: list[_Piece]) -> Iterator[tuple[str, int, int]]:
        """ "two thousand four hundred and forty six" """
        words = hearing.lexicon.numbers.words
        if any(p.word in words.hundred or p.word in words.scales for p in pieces):
            utterance = hearing.analyse(text)
            for quantity in utterance.quantities:
                start, end = utterance.tokens[quantity.start].start, utterance.tokens[quantity.end - 1].end
                yield str(quantity.value), start, end


def _with_plain_digits(text: str) -> str:
    """Digits of any script or style as 0 to 9, each in its own place."""
    if text.isascii():
        return text
    return "".join(str(unicodedata.digit(c)) if unicodedata.digit(c, None) is not None else c for c in text)


def _runs(reader: NumberReader, pieces: list[_Piece]) -> Iterator[tuple[str, int, int]]:
    """Runs of what may be digits, as digits, with where each stands in the text."""
    at = 0
    while at < len(pieces):
        digits, end = _run(reader, pieces, at)
        if digits:
            yield digits, pieces[at].start, pieces[end - 1].end
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
