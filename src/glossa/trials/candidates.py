"""Which of many names or phrases are worth comparing by sound: all pairs of a few, and of many those with a like skeleton."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import combinations

from glossa.language.phones import VOWELS, phones

ALL_PAIRS = 250
"""So many texts are compared each with each."""
WITH_A_SLIP = 1500
"""In so many texts one consonant of a skeleton may be another, or be missing."""
MOST_LIKELY = 25
MOST_ALIKE = 60
"""Of more texts with one skeleton, only neighbours in the order of the file are compared."""

_CLASS = {
    **dict.fromkeys(("P", "B"), "p"), **dict.fromkeys(("K", "G"), "k"), **dict.fromkeys(("M", "N", "NG"), "n"), **dict.fromkeys(("L", "R"), "r"),
    **dict.fromkeys(("T", "D", "TH", "DH", "CH", "JH", "S", "Z", "SH", "ZH", "F", "V"), "t"),
}  # fmt: skip
_SILENT = frozenset(("HH", "Y", "W", "h", "w"))


def candidates(texts: Sequence[tuple[str, ...]], tag: str) -> Iterator[tuple[int, int]]:
    """Pairs of texts that may sound alike, as their numbers, each once and the smaller first.

    Args:
        texts: folded words.
        tag: BCP 47 tag of their language.
    """
    if len(texts) <= ALL_PAIRS:
        yield from combinations(range(len(texts)), 2)
        return
    held: dict[str, list[int]] = {}
    for number, text in enumerate(texts):
        whole = skeleton(text, tag)
        slips = {whole[:i] + "?" + whole[i + 1 :] for i in range(len(whole))} if len(texts) <= WITH_A_SLIP else set()
        for key in {whole, *slips, *(s.replace("?", "") for s in slips)}:
            held.setdefault(key, []).append(number)
    pairs: set[tuple[int, int]] = set()
    for numbers in held.values():
        for at, number in enumerate(numbers):
            pairs.update((number, other) for other in numbers[at + 1 : at + MOST_ALIKE])
    yield from sorted(pairs)


def skeleton(text: tuple[str, ...], tag: str) -> str:
    """The consonants of a text, those that are taken for each other as one.

    >>> skeleton(("bath", "lamp"), "en") == skeleton(("path", "ramp"), "en")
    True
    """
    found: list[str] = []
    for word in text:
        for phone in phones(word, tag):
            if phone not in VOWELS and phone not in _SILENT:
                found.append(_CLASS.get(phone, phone.lower()))
    return "".join(found)


class Likely:
    """Texts that are found again by words that sound like theirs.

    Args:
        tag: BCP 47 tag of their language.
    """

    def __init__(self, tag: str) -> None:
        self._tag = tag
        self._held: dict[str, list[int]] = {}
        self._sizes: list[int] = []

    def add(self, text: tuple[str, ...]) -> None:
        """Take a further text; its number is one more than the last one's, from 0."""
        keys = self._keys(text)
        for key in keys:
            self._held.setdefault(key, []).append(len(self._sizes))
        self._sizes.append(len(keys))

    def near(self, text: tuple[str, ...], most: int = MOST_LIKELY) -> list[int]:
        """The numbers of the texts that share most words with a text, as they sound; at most ``most``, the nearest first."""
        keys = self._keys(text)
        shared = Counter(number for key in keys for number in self._held.get(key, ()))
        return sorted(shared, key=lambda n: (-shared[n] / max(self._sizes[n], len(keys)), n))[:most]

    def _keys(self, text: tuple[str, ...]) -> set[str]:
        return {skeleton((word,), self._tag) or word for word in text}
