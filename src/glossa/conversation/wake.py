"""Wake words: whether an utterance starts with one, by sound and by letters."""

from __future__ import annotations

from functools import lru_cache
from itertools import pairwise

from msgspec import Struct

from glossa.hearing.tokens import MOST_TOKENS, Token, tokenize
from glossa.house.model import House
from glossa.language import language_of
from glossa.language.phones import distance, letters, phones

Words = tuple[str, ...]
SLIP = 1.6
"""A wake word ``d`` apart scores ``1 - SLIP * d``."""


class Woken(Struct, frozen=True):
    """A wake word at the start of an utterance: its score 0 to 1, and the text behind it."""

    score: float
    word: str
    rest: str


class WakeWords:
    """Listens for the wake words and end phrases of a house."""

    def __init__(self, house: House) -> None:
        self.house = house
        self._forms: list[tuple[Words, Words, str]] = []
        self._hesitation: frozenset[str] = frozenset()
        self._doubled: frozenset[str] = frozenset()
        wake = house.wake
        self.accept = wake.accept if wake else 1.0
        if wake is None:
            return
        for language, ways in wake.words.items():
            for way in ways:
                self._forms.append((way, way, language or house.languages[0]))
        for language, ways in wake.also_heard.items():
            first = next((w for ws in wake.words.values() for w in ws), ())
            for way in ways:
                self._forms.append((way, first, language or house.languages[0]))
        said = [heard for heard, _, _ in self._forms]
        hesitation = {w for tag in house.languages for w in language_of(house, tag).numbers.hesitation}
        self._hesitation = frozenset(hesitation).difference(*said)
        self._doubled = frozenset(a for heard in said for a, b in pairwise(heard) if a == b)

    def hear(self, text: str) -> Woken | None:
        """The best wake word at the start of a text, after filler, where it reaches the house's threshold."""
        best = self.best(text)
        return best if best is not None and best.score >= self.accept else None

    def best(self, text: str) -> Woken | None:
        """The best candidate for a wake word at the start of a text, whatever its score."""
        tokens = self._fluent(tokenize(text))
        words = tuple(t.word for t in tokens)
        best: Woken | None = None
        for heard, meant, tag in self._forms:
            for start in self._starts(words, tag):
                for length in range(max(1, len(heard) - 1), len(heard) + 2):
                    end = start + length
                    if end > len(words):
                        continue
                    score = self.score(words[start:end], heard, tag)
                    if best is None or score > best.score + 1e-9:
                        best = Woken(score, " ".join(meant), _rest(text, tokens, end))
        return best

    def _fluent(self, tokens: tuple[Token, ...]) -> tuple[Token, ...]:
        """Tokens without hesitations and without what is said twice: "ahoy er barnacle", "ahoy ahoy barnacle"."""
        behind = (*(t.word for t in tokens[1:]), "")[: len(tokens)]
        kept = (t for t, following in zip(tokens, behind, strict=True) if t.word != following or t.word in self._doubled)
        return tuple(t for t in kept if t.word not in self._hesitation)

    @staticmethod
    @lru_cache(maxsize=16_384)
    def score(said: Words, meant: Words, tag: str) -> float:
        """How well what was said fits a wake word, 0 to 1."""
        if said == meant:
            return 1.0
        one, other = "".join(said), "".join(meant)
        by_sound = distance(tuple(p for w in said for p in phones(w, tag)), tuple(p for w in meant for p in phones(w, tag)))
        by_letter = distance(letters(one), letters(other))
        near, far = sorted((by_sound, by_letter))
        return round(max(0.0, 1.0 - SLIP * (0.7 * near + 0.3 * far)), 6)

    def idle(self, text: str, tag: str) -> bool:
        """Whether a text holds nothing but filler."""
        return language_of(self.house, tag).filler.made_of([t.word for t in tokenize(text)])

    def _starts(self, words: Words, tag: str) -> list[int]:
        filler = language_of(self.house, tag).filler
        starts, at = [0], 0
        while at < min(len(words), MOST_TOKENS):
            length = filler.at(words, at)
            if not length:
                break
            at += length
            starts.append(at)
        return starts

    def ends(self, text: str) -> bool:
        """Whether a text is an end phrase, but for filler."""
        wake = self.house.wake
        if wake is None:
            return False
        words = tuple(t.word for t in tokenize(text))
        for language, ways in wake.end.items():
            tag = language or self.house.languages[0]
            filler = language_of(self.house, tag).filler
            bare: list[str] = []
            at = 0
            while at < len(words):
                length = filler.at(words, at)
                if not length or any(words[at : at + len(w)] == w for w in ways):
                    bare.append(words[at])
                    at += 1
                else:
                    at += length
            for way in ways:
                if words == way or tuple(bare) == way or (len(words) == len(way) and self.score(words, way, tag) >= self.accept):
                    return True
        return False


def _rest(text: str, tokens: tuple[Token, ...], end: int) -> str:
    return text[tokens[end - 1].end :].lstrip(" ,.;:!?-") if end < len(tokens) else ""
