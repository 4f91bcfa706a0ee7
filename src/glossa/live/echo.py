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
        found: list[str] = []
        at = 0
        while at < len(tokens):
            part = next((p for r in self._readers if (p := r.at(tokens, words, at)) is not None and p.cost == 0), None)
            found.append(str(float(part.value)) if part is not None else words[at])
            at = part.end if part is not None else at + 1
        return tuple(found)
