"""The house's own voice, heard by its own microphone."""

from __future__ import annotations

from collections import deque

from glossa.hearing.tokens import tokenize
from glossa.matching import Matcher

MOST = 8


class Echo:
    """Knows what the house has just said.

    Args:
        matcher: of the house; its word lists say what is a number, for a voice says "40" as "forty".
        seconds: how long a reply may come back; 0 for never.
    """

    def __init__(self, matcher: Matcher, seconds: float) -> None:
        self._readers = [matcher.grammar(tag).lexicon.numbers for tag in matcher.house.languages]
        self._seconds = seconds
        self._said: deque[tuple[float, tuple[str, ...]]] = deque(maxlen=MOST)

    def said(self, text: str, at: float) -> None:
        """Take what the house says."""
        if self._seconds:
            self._said.append((at, self._words(text)))

    def heard(self, text: str, at: float) -> bool:
        """Whether a text is, word for word, what the house has just said."""
        recent = [words for when, words in self._said if 0 <= at - when <= self._seconds]
        return bool(recent) and self._words(text) in recent

    def _words(self, text: str) -> tuple[str, ...]:
        tokens = tokenize(text)
        words = [t.word for t in tokens]
        plain = [q for reader in self._readers for q in reader.read(tokens) if not q.cost]
        by_start = {q.start: q for q in reversed(plain)}
        kept: list[str] = []
        at = 0
        while at < len(tokens):
            number = by_start.get(at)
            kept += [words[at]] if number is None else [str(float(number.value)), *([number.unit] if number.unit else [])]
            at = at + 1 if number is None else number.end
        return tuple(kept)
