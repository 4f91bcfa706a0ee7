"""Which words of a house a heard word may stand for, and what that costs.

The answers for a word are kept: people say the same words again and again.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from glossa.hearing.language import Language, plural
from glossa.hearing.phones import (
    OTHER,
    Phones,
    gap_price,
    letters,
    phones,
    swap_price,
)

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

INFLECTED, SYNONYM, TOWARD, ALIKE, MERGED = 0.08, 0.06, 0.25, 0.3, 0.1
MANY_FOR_ONE = 0.2
"""A singular that was heard for a plural: the difference between one device and all of them."""

BASE_SOUND, SOUND = 0.1, 1.3
"""A word that is ``d`` apart by sound costs ``BASE_SOUND + SOUND * d`` of its weight."""

FARTHEST = 0.34
"""Words further apart than this are not bridged by sound."""

MOST_NEAR = 6
_MEANING = ("means the same", "stands for")
MOST_CACHED = 20_000


class Near(Struct, frozen=True):
    """A word of the house that a heard word may stand for; ``cost`` is the share of its weight, 0 to 1."""

    word: str
    cost: float
    why: str


class Step(Struct, frozen=True):
    """Tokens ``start`` to ``end`` taken for one word of the house."""

    start: int
    end: int
    word: str
    cost: float
    why: str


class Vocabulary:
    """The words of one house in one language.

    Args:
        words: every folded word that a phrase, name or value of the house holds.
        language: the word lists.
        same: what the household says beside them, as sets of single words.
        sounds: respelt words, word -> the words that say how it sounds.
        kin: words that are never taken for each other by sound, such as the names of colours.
        sound_price, synonym_price: factors on what sound-alikes and words that mean the same cost.
        strict: words that are only bridged by sound up to a distance of their own.
    """

    def __init__(
        self,
        words: Iterable[str],
        language: Language,
        same: Sequence[frozenset[str]] = (),
        sounds: Mapping[str, tuple[str, ...]] | None = None,
        strict: Mapping[str, float] | None = None,
        kin: frozenset[str] = frozenset(),
        sound_price: float = 1.0,
        synonym_price: float = 1.0,
    ) -> None:
        self.language = language
        self.words = frozenset(words)
        self._order = tuple(sorted(self.words))
        self._same = same
        self._sounds = dict(sounds or {})
        self._strict, self._kin = dict(strict or {}), kin
        self._sound_price, self._synonym_price = sound_price, synonym_price
        self._near: dict[str, tuple[Near, ...]] = {}
        self._splits: dict[str, tuple[str, str] | None] = {}
        self._table: _SoundTable | None = None
        self._plurals: dict[str, list[str]] = {}
        for word in self._order:
            self._plurals.setdefault(plural(word, language), []).append(word)
        self._fixed = _never_misheard(language)
        self._endings = tuple(language.section("grammar").get("endings", ("ing", "ed", "es", "s", "d")))

    def sound(self, word: str) -> Phones:
        """The phones of a word, by the household's respelling where there is one."""
        respelt = self._sounds.get(word)
        if respelt:
            return tuple(p for part in respelt for p in phones(part, self.language.tag))
        return phones(word, self.language.tag)

    def near(self, word: str) -> tuple[Near, ...]:
        """The words of the house that a heard word may stand for, cheapest first."""
        found = self._near.get(word)
        if found is None:
            if len(self._near) > MOST_CACHED:
                self._near.clear()
            found = self._near[word] = self._find(word)
        return found

    def _find(self, word: str) -> tuple[Near, ...]:
        found: dict[str, Near] = {}

        def offer(said: str, cost: float, why: str) -> None:
            cost *= self._sound_price if "sounds like" in why else self._synonym_price if why in _MEANING else 1.0
            if said in self.words and (said not in found or cost < found[said].cost) and not self.language.opposite(word, said):
                found[said] = Near(said, cost, why)

        language = self.language
        offer(word, 0.0, "same")
        for group in self._same:
            if word in group:
                for said in group:
                    offer(said, 0.0 if said == word else SYNONYM / 2, "means the same")
        for said in language.same.get(word, ()):
            offer(said, SYNONYM, "means the same")
        for base in self.bases(word):
            offer(base, INFLECTED, "another form of")
            for said in language.same.get(base, ()):
                offer(said, SYNONYM + INFLECTED, "means the same")
        for said in self._plurals.get(word, ()):
            offer(said, INFLECTED, "another form of")
        longer = plural(word, language)
        if longer in self.words:
            offer(longer, MANY_FOR_ONE, "another form of")
        for said in language.toward.get(word, ()):
            offer(said, TOWARD, "stands for")
        for said in language.alike.get(word, ()):
            offer(said, ALIKE, "sounds like")
            for other in language.same.get(said, ()):
                offer(other, ALIKE + SYNONYM, "sounds like a word for")
        if (
            (word not in self.words or word in self._strict)
            and word not in self._fixed
            and 3 <= len(word) <= 30
            and not word[0].isdigit()
        ):
            for said, apart in self._sounding(word):
                if apart > self._strict.get(said, FARTHEST) or (word in self._kin and said in self._kin):
                    continue
                if said not in language.small and not (self._one_small_word_turns(word, said)):
                    offer(said, BASE_SOUND + SOUND * apart, "sounds like")
        return tuple(sorted(found.values(), key=lambda n: (n.cost, n.word))[:MOST_NEAR])

    def bases(self, word: str) -> tuple[str, ...]:
        """What a word may be a form of: "turned" of "turn", "dimming" of "dim"."""
        found = []
        for ending in self._endings:
            if word.endswith(ending) and len(word) - len(ending) >= 3:
                stem = word[: -len(ending)]
                found += [stem, stem + "e"]
                if len(stem) > 3 and stem[-1] == stem[-2]:
                    found.append(stem[:-1])
        return tuple(f for f in dict.fromkeys(found) if f in self.words or f in self.language.verbs or f in self.language.same)

    def _one_small_word_turns(self, word: str, said: str) -> bool:
        """Whether only a syllable that turns the meaning round tells the two apart: unlock and lock, dislike and like."""
        long, short = (word, said) if len(word) > len(said) else (said, word)
        return long.endswith(short) and long.removesuffix(short) in ("un", "dis", "de", "non", "in", "im")

    def _sounding(self, word: str) -> list[tuple[str, float]]:
        """Words of the house within ``FARTHEST`` by sound, nearest first."""
        if self._table is None:
            said = [w for w in self._order if len(w) >= 3 and not w.isdigit()]
            self._table = _SoundTable(said, [self.sound(w) for w in said])
        return self._table.within(word, self.sound(word), FARTHEST)

    def split(self, word: str) -> tuple[str, str] | None:
        """The two words of the house that a merged word is made of, or None: "saloonlamp", "turnoff"."""
        if word in self._splits:
            return self._splits[word]
        found = None
        if word not in self.words and len(word) >= 5 and word not in self._fixed:
            options = []
            for at in range(2, len(word) - 1):
                one, other = word[:at], word[at:]
                known = (self._whole(one), self._whole(other))
                if all(known):
                    options.append((0.0, -min(at, len(word) - at), one, other))
            if options:
                found = min(options)[2:]
        if len(self._splits) > MOST_CACHED:
            self._splits.clear()
        self._splits[word] = found
        return found

    def _whole(self, word: str) -> bool:
        """Whether a part of a merged word is a word of the house, or means the same as one."""
        if word in self.words or word in self._plurals:
            return True
        return len(word) > 2 and any(w in self.words for w in (*self.language.same.get(word, ()), *self.bases(word)))

    def steps(self, tokens: Sequence[str]) -> list[list[Step]]:
        """For every token the words of the house that start there, alone or merged with the token behind it."""
        found: list[list[Step]] = []
        for at, word in enumerate(tokens):
            here = [Step(at, at + 1, n.word, n.cost, n.why) for n in self.near(word)]
            if at + 1 < len(tokens):
                here += self._merged(tokens, at, here)
            found.append(here)
        return found

    def _merged(self, tokens: Sequence[str], at: int, here: Sequence[Step]) -> list[Step]:
        one, other = tokens[at], tokens[at + 1]
        if (one in self.words and other in self.words) or len(one) + len(other) < 4 or one[0].isdigit() or other[0].isdigit():
            return []
        joined = one + other
        if joined in self.words:
            return [Step(at, at + 2, joined, MERGED, "split in two")]
        if one in self.words or other in self.words or (one in self._fixed and other in self._fixed):
            return []
        return [
            Step(at, at + 2, n.word, MERGED + n.cost, "split in two, sounds like" if n.why == "sounds like" else "split in two")
            for n in self.near(joined)
            if n.cost < 0.3 and len(n.word) > max(len(one), len(other))
        ]


def _never_misheard(language: Language) -> frozenset[str]:
    """Words that are taken as they are: what carries little, negations, opposites, number words."""
    numbers = language.section("numbers")
    phrases = (language.filler, language.negation, language.talk)
    single = {p[0] for phrase_set in phrases for ps in phrase_set.by_first.values() for p in ps if len(p) == 1}
    counted = {
        w for name in ("ones", "tens", "scales", "hundred", "fractions", "ordinals", "spellings") for w in numbers.get(name, ())
    }
    return frozenset(single | counted) | language.small | language.light | frozenset(language.poles)


class _SoundTable:
    """Distances from one word to all words of a house at once: the edit distance of :func:`phones.distance`, a column a word."""

    def __init__(self, words: Sequence[str], sounds: Sequence[Phones]) -> None:
        self.words = words
        self._by_sound = _Columns(sounds)
        self._by_letter = _Columns([letters(w) for w in words])
        self._sounds = sounds

    def within(self, word: str, sound: Phones, farthest: float) -> list[tuple[str, float]]:
        if not self.words:
            return []
        by_sound = self._by_sound.distances(sound)
        by_letter = self._by_letter.distances(letters(word))
        apart = 0.8 * _least(by_sound, by_letter) + 0.2 * _most(by_sound, by_letter)
        hits = [(float(round(apart[i], 9)), self.words[i]) for i in (apart <= farthest).nonzero()[0]]
        return [(w, d) for d, w in sorted(hits)[:MOST_NEAR]]


def _least(one: Any, other: Any) -> Any:
    import numpy as np

    return np.minimum(one, other)


def _most(one: Any, other: Any) -> Any:
    import numpy as np

    return np.maximum(one, other)


class _Columns:
    """Sequences of symbols, padded into one array, to be compared with one sequence in one pass."""

    def __init__(self, sequences: Sequence[Phones]) -> None:
        import numpy as np

        self._symbols = sorted({s for q in sequences for s in q})
        self._index = {s: i for i, s in enumerate(self._symbols)}
        self._lengths = np.array([max(1, len(q)) for q in sequences], dtype=np.intp)
        width = int(self._lengths.max()) if len(sequences) else 1
        self._codes: NDArray[np.intp] = np.zeros((width, len(sequences)), dtype=np.intp)
        self._gaps: NDArray[np.float64] = np.zeros((width, len(sequences)))
        for column, sequence in enumerate(sequences):
            for row, symbol in enumerate(sequence):
                self._codes[row, column] = self._index[symbol]
                self._gaps[row, column] = gap_price(sequence, row)
        self._empty = np.array([not q for q in sequences])

    def distances(self, one: Phones) -> NDArray[np.float64]:
        """Distances 0 to 1 from one sequence to every column."""
        import numpy as np

        count = self._codes.shape[1]
        if not one:
            return np.ones(count, dtype=np.float64)
        rows = np.zeros((len(self._lengths) and self._codes.shape[0] + 1, count))
        rows[1:] = np.cumsum(self._gaps, axis=0)
        for at, symbol in enumerate(one):
            prices = np.array([swap_price(symbol, s) if s != symbol else 0.0 for s in self._symbols] or [OTHER])
            skip = gap_price(one, at)
            best = np.minimum(rows[:-1] + prices[self._codes], rows[1:] + skip)
            left = rows[0] + skip
            new = np.empty_like(rows)
            new[0] = left
            for row in range(best.shape[0]):
                left = np.minimum(best[row], left + self._gaps[row])
                new[row + 1] = left
            rows = new
        ends = rows[np.where(self._empty, 0, self._lengths), np.arange(count)]
        longest = np.maximum(self._lengths, len(one))
        found: NDArray[np.float64] = np.minimum(1.0, ends / longest)
        found[self._empty] = 1.0
        return found
