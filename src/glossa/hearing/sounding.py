"""Words by their sound: which of many are near one, in one pass over all of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

from glossa.language.phones import PLAIN, SMALL_GAP, Phones, SoundPrices, letters, phones

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

MOST_LIKE = 5

_CLASSES = (
    ("P", "B", "F", "V", "W", "TH", "DH"), ("T", "D", "S", "Z", "SH", "ZH", "CH", "JH"), ("K", "G", "HH"), ("M", "N", "NG"), ("L", "R", "Y"),
)  # fmt: skip
"""Phones that are made alike; all vowels are one class, and every letter of a language without rules for its sounds is its own."""

_LETTERS = ("aeiouy", "td", "h", "pb", "kg", "fvw", "sz", "mn", "lr")
"""Letters of which one may be taken for another for less than the whole price; of "t", "d" and "h" one may be lost for less too."""

UNLIKE = 0.6
"""Words that differ in more than this share of their phones, by class, are not compared phone by phone."""

FEW_UNLIKE = 2.0
"""Words that differ in no more phones than this always are."""


class SoundTable:
    """Words by their sound. What they are made of tells in one pass over all which of them may be near another.

    Args:
        words: the words.
        sounds: their phones.
        prices: what it costs to take one phone for another.
    """

    def __init__(self, words: Sequence[str], sounds: Sequence[Phones], prices: SoundPrices = PLAIN) -> None:
        self._words = words
        self._class: dict[str, int] = {p: i for i, group in enumerate(_CLASSES) for p in group}
        vowels = len(_CLASSES)
        for symbol in {s for sound in sounds for s in sound}:
            self._class.setdefault(symbol, vowels if symbol.isupper() else vowels + 1 + ord(symbol[0]) % 32)
        import numpy as np

        self._sounds, self._letters = _Columns(sounds, prices), _Columns([letters(w) for w in words])
        self._made_of: NDArray[np.int16] = np.array([self._bag(s) for s in sounds] or [self._bag(())], dtype=np.int16)
        spelt = [letters(w) for w in words]
        signs = sorted({c for word in spelt for c in word} - set("".join(_LETTERS)))
        self._written = {c: i for i, group in enumerate((*_LETTERS, *signs)) for c in group}
        self._spelt: NDArray[np.float64] = np.array([self._weighed(w) for w in spelt] or [self._weighed(())])

    def _bag(self, sound: Phones) -> list[int]:
        bag = [0] * (len(_CLASSES) + 33)
        for symbol in sound:
            bag[self._class.get(symbol, len(_CLASSES))] += 1
        return bag

    def _weighed(self, word: Phones) -> list[float]:
        """How much of each kind of letter is in a word, at the price of losing one; of those that no word of the table has last."""
        bag = [0.0] * (len(self._written) + 1)
        for letter in word:
            bag[self._written.get(letter, -1)] += SMALL_GAP if letter in ("t", "d", "h") else 1.0
        return bag

    def _apart_at_least(self, written: Phones, near: NDArray[np.intp]) -> NDArray[np.float64]:
        """What is the least that some words can be apart from one by letter: what one has more of has to be lost or changed."""
        import numpy as np

        more = self._spelt[near] - np.array(self._weighed(written))
        surplus = np.maximum(np.maximum(more, 0.0).sum(axis=1), np.maximum(-more, 0.0).sum(axis=1))
        least: NDArray[np.float64] = np.minimum(1.0, surplus / np.maximum(self._letters.lengths[near], max(len(written), 1)))
        return least

    def within(self, word: str, sound: Phones, farthest: float, most: int) -> list[tuple[str, float]]:
        """The words within a distance of :func:`glossa.language.phones.apart`, nearest first, at most so many."""
        import numpy as np

        if not self._words:
            return []
        unlike = np.abs(self._made_of - np.array(self._bag(sound), dtype=np.int16)).sum(axis=1)
        longest = np.maximum(self._sounds.lengths, len(sound))
        near = (unlike <= np.maximum(FEW_UNLIKE, UNLIKE * longest)).nonzero()[0]
        if not near.size:
            return []
        by_sound, written = self._sounds.distances(sound, near), letters(word)
        least = self._apart_at_least(written, near)
        may_be = (0.8 * np.minimum(by_sound, least) + 0.2 * np.maximum(by_sound, least) <= farthest + 1e-9).nonzero()[0]
        near, by_sound = near[may_be], by_sound[may_be]
        if not near.size:
            return []
        by_letter = self._letters.distances(written, near)
        apart = 0.8 * np.minimum(by_sound, by_letter) + 0.2 * np.maximum(by_sound, by_letter)
        hits = sorted((round(float(apart[i]), 9), self._words[near[i]]) for i in (apart <= farthest + 1e-9).nonzero()[0])
        return [(w, d) for d, w in hits[:most] if d <= farthest]


class _Columns:
    """Sequences of symbols, a column each, to be compared with one sequence in one pass."""

    def __init__(self, sequences: Sequence[Phones], prices: SoundPrices = PLAIN) -> None:
        import numpy as np

        self._by = prices
        self._symbols = sorted({s for q in sequences for s in q})
        index = {s: i for i, s in enumerate(self._symbols)}
        self.lengths: NDArray[np.intp] = np.array([len(q) for q in sequences], dtype=np.intp)
        width = int(self.lengths.max()) if len(sequences) else 0
        self._codes: NDArray[np.intp] = np.zeros((width, len(sequences)), dtype=np.intp)
        gaps = np.zeros((width + 1, len(sequences)))
        for column, sequence in enumerate(sequences):
            for row, symbol in enumerate(sequence):
                self._codes[row, column] = index[symbol]
                gaps[row + 1, column] = prices.gap(sequence, row)
        self._skipped: NDArray[np.float64] = np.cumsum(gaps, axis=0)
        self._prices: dict[str, NDArray[np.float64]] = {}

    def distances(self, one: Phones, columns: NDArray[np.intp]) -> NDArray[np.float64]:
        """Distances 0 to 1 from one sequence to some columns: the edit distance of :func:`glossa.language.phones.distance`.

        What it costs to leave out symbols of a column adds up along it, so that the least over all ways to do so is a running minimum.
        """
        import numpy as np

        lengths = self.lengths[columns]
        if not one:
            return np.ones(len(columns))
        codes, skipped = self._codes[:, columns], self._skipped[:, columns]
        rows = skipped
        for at, symbol in enumerate(one):
            prices = self._prices.get(symbol)
            if prices is None:
                prices = self._prices[symbol] = np.array([self._by.swap(symbol, s) for s in self._symbols])
            new = rows + self._by.gap(one, at)
            np.minimum(new[1:], rows[:-1] + prices[codes], out=new[1:])
            new -= skipped
            np.minimum.accumulate(new, axis=0, out=new)
            new += skipped
            rows = new
        ends = rows[lengths, np.arange(len(columns))]
        found: NDArray[np.float64] = np.minimum(1.0, ends / np.maximum(lengths, len(one)))
        found[lengths == 0] = 1.0
        return found


class Like:
    """Tells whether a word sounds like one of some others; with ``begins`` one that begins with the same sound."""

    def __init__(self, words: Iterable[str], tag: str, farthest: float, *, begins: bool = False) -> None:
        self._words, self._tag, self._farthest, self._begins = sorted(words), tag, farthest, begins
        self._table: SoundTable | None = None
        self._first: frozenset[Phones] = frozenset()

    def __call__(self, word: str) -> bool:
        """Whether a word does."""
        sound = phones(word, self._tag)
        if self._table is None:
            sounds = [phones(w, self._tag) for w in self._words]
            self._first = frozenset(s[:1] for s in sounds)  # before the table, for another thread may look at that
            self._table = SoundTable(self._words, sounds)
        if self._begins and sound[:1] not in self._first:
            return False
        near = self._table.within(word, sound, self._farthest, MOST_LIKE)
        return any(not self._begins or phones(w, self._tag)[:1] == sound[:1] for w, _ in near)
