"""Words whose borders were heard elsewhere: "saloonlamp", "turnonthe", "twopoint", "enel", "gestroom", and "I scream freezer"."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence, Set
from functools import lru_cache
from itertools import pairwise

from glossa.hearing.costs import COSTS
from glossa.hearing.roles import How
from glossa.hearing.sounding import SoundTable
from glossa.hearing.vocabulary import MOST_CACHED, Vocabulary, WordEdge
from glossa.language.phones import VOWELS, Phones, apart, distance
from glossa.language.phrases import Words

SHORTEST, SHORTEST_OF_THREE = 5, 8
"""Letters at least of two words, and of three, that were written together."""

SHIFTED = How.SPLIT | How.SOUND
"""How one word of a name is heard whose border to the next one is somewhere else."""

FARTHEST_SHIFTED = 0.12
"""How far by sound two words may be together from two of a name whose border is heard elsewhere."""

LEAST_TELLING = 4
"""Letters that one of three words at least has that says something: "turn" of "turnonthe", but not the "fan" of "infantry"."""

LEAST_MISHEARD, FARTHEST = 6, 0.2
"""Letters at least of a merged word that was misheard besides, and how far by sound it may be from the two words."""


class Merged:
    """Takes words apart that are several of a house or of its language.

    Args:
        vocabulary: the words of the house.
        pairs: words that stand side by side in a name.

    Attributes:
        parts: the words that one is made of, two or three; None where it is one.
    """

    def __init__(self, vocabulary: Vocabulary, pairs: Iterable[tuple[str, str]]) -> None:
        self._vocabulary, self._language = vocabulary, vocabulary.language
        language = self._language
        grammar = language.grammar
        self._articles = frozenset(a for a in grammar.articles if len(a) > 1)
        self._leading = frozenset((*language.phrases("grammar", "inside").single, *grammar.absolute, *grammar.relative))
        self._pronouns = language.phrases("grammar", "pronouns").single
        self._letters = frozenset(w for w in language.small if len(w) == 1)
        self._joined = language.phrases("grammar", "joined").single
        self._toward = frozenset(grammar.directions), frozenset((*grammar.absolute, *grammar.relative))
        self._counting = vocabulary.number_parts | language.number_words.keys()
        amounts = (w for name in ("usual", "little", "lot") for w in language.phrases("amounts", name).words)
        self._behind_letter = frozenset(w for w in (*self._counting, *amounts) if len(w) > 2) - language.small
        self._loose = vocabulary.ordinary.union(language.numbers.point).difference(language.numbers.hesitation)
        self._small = language.small | language.light | self._articles
        self._pairs = {a + b: (a, b) for a, b in sorted(pairs)}
        self._table: SoundTable | None = None
        self.parts = lru_cache(MOST_CACHED)(self._taken_apart)

    def _taken_apart(self, word: str) -> Words | None:
        if self._vocabulary.knows(word):
            return None
        small = self._with_a_small_word(word)
        if small is not None:
            return small
        if len(word) < SHORTEST:
            return None
        ways = [(word[:at], word[at:]) for at in range(2, len(word) - 1)]
        return (
            self._plainest(ways, self._loose, 2)
            or self._plainest(self._in_three(word), self._small, LEAST_TELLING)
            or self._misheard(word)
        )

    def _with_a_small_word(self, word: str) -> Words | None:
        """Small words that are written together with what follows or goes before: "dela", "inthe", "halfa", "afifth", "abit", "upto", "iton"."""
        for at in range(1, len(word)):
            first, rest = word[:at], word[at:]
            if first in self._leading and rest in self._articles and at > 1:
                return first, rest
            if first in self._pronouns and rest in self._language.poles and rest in self._vocabulary.words:
                return first, rest
            if first in self._toward[0] and rest in self._toward[1]:
                return first, rest
            if at == 1 and first in self._letters and rest in self._behind_letter:
                return first, rest
            if len(rest) == 1 and at > 2 and rest in self._language.grammar.articles:
                if first in self._counting or first in self._joined:
                    return first, rest
        return None

    def _in_three(self, word: str) -> Iterator[Words]:
        for one in range(2, len(word) - 3) if len(word) >= SHORTEST_OF_THREE else ():
            for two in range(one + 2, len(word) - 1):
                yield word[:one], word[one:two], word[two:]

    def _plainest(self, ways: Iterable[Words], loose: Set[str], telling: int) -> Words | None:
        """The way of which every part is a word and one at least says something; the one whose shortest part is longest.

        Args:
            ways: to take the word apart.
            loose: words that a part may be beside those of the house.
            telling: letters that one part of them at least has that is a word of the house or a verb.
        """
        says, light, negation = self._vocabulary.says, self._language.light, self._language.negation.single
        whole = [
            w
            for w in ways
            if all(p in loose or says(p) for p in w)
            and any(map(says, w))
            and any(len(p) >= telling and (says(p) or p in light) for p in w)
            and not any(len(p) < 3 and p in negation for p in w[1:])  # "sonne" is no "son ne"
        ]
        return min(whole, key=lambda w: (-min(map(len, w)), w)) if whole else None

    def _misheard(self, word: str) -> Words | None:
        """The two parts of a merged word that sounds like two words of the house side by side: "gest" and "room" of "gestroom"."""
        if len(word) < LEAST_MISHEARD:
            return None
        if self._table is None:
            sounds = [self._vocabulary.sound(a) + self._vocabulary.sound(b) for a, b in self._pairs.values()]
            self._table = SoundTable(tuple(self._pairs), sounds, self._vocabulary.prices)
        near = self._table.within(word, self._vocabulary.sound(word), FARTHEST, 1)
        alone = self._vocabulary.near(word)
        if not near or (alone and alone[0].cost < COSTS.sound + COSTS.sound_slope * near[0][1] + COSTS.split):
            return None
        meant = self._pairs[near[0][0]]

        def unlike(at: int) -> float:
            parts = zip((word[:at], word[at:]), meant, strict=True)
            return sum(
                apart(said, m, self._language.tag, (self._vocabulary.sound(said), self._vocabulary.sound(m))) for said, m in parts
            )

        at = min(range(2, len(word) - 1), key=unlike)
        return word[:at], word[at:]


class Shifted:
    """Two words that sound together like two of a name, though neither sounds like one of them: "I scream" for "ice cream".

    Names are found by their consonants, in order, which stay the same wherever the border is.

    Args:
        vocabulary, pairs: as in :class:`Merged`.
    """

    def __init__(self, vocabulary: Vocabulary, pairs: Iterable[tuple[str, str]]) -> None:
        self._vocabulary = vocabulary
        self._meant = lru_cache(MOST_CACHED)(self._two_of_a_name)
        self._by_consonants: dict[Phones, list[tuple[str, str]]] = {}
        for pair in sorted(pairs):
            self._by_consonants.setdefault(_consonants(self._sound(pair)), []).append(pair)

    def edges(self, tokens: Words, edges: Sequence[tuple[WordEdge, ...]]) -> tuple[tuple[WordEdge, ...], ...]:
        """What every token may be taken for, with the words of names whose border is heard elsewhere."""
        found = [(at, meant) for at, pair in enumerate(pairwise(tokens)) if (meant := self._meant(*pair)) is not None]
        made = list(edges)
        for at, (words, cost) in found:
            for start, word in enumerate(words, at):
                made[start] = (*made[start], WordEdge(start, start + 1, word, cost, SHIFTED))
        return tuple(made)

    def _two_of_a_name(self, one: str, other: str) -> tuple[tuple[str, str], float] | None:
        """The two words of a name that two heard words are, and the share of their weight that it costs; None for none."""
        known = self._vocabulary.words
        if one in known and other in known:
            return None
        heard = self._sound((one, other))
        best: tuple[float, tuple[str, str]] | None = None
        for pair in self._by_consonants.get(_consonants(heard), ()):
            if one in pair or other in pair:
                continue
            apart = distance(heard, self._sound(pair))
            if apart <= FARTHEST_SHIFTED and (best is None or (apart, pair) < best):
                best = apart, pair
        return (best[1], COSTS.split + COSTS.sound + COSTS.sound_slope * best[0]) if best is not None else None

    def _sound(self, pair: tuple[str, str]) -> Phones:
        return (*self._vocabulary.sound(pair[0]), *self._vocabulary.sound(pair[1]))


def _consonants(sound: Phones) -> Phones:
    return tuple(p for p in sound if p not in VOWELS)
