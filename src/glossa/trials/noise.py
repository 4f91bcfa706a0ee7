"""What a recogniser may write instead of what was said: every single error, each with how likely it is, and texts with some of them."""

from __future__ import annotations

import math
import random
from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from itertools import accumulate

from msgspec import Struct

from glossa.hearing.lexicon import Lexicon
from glossa.hearing.numbers import twins
from glossa.hearing.sounding import SoundTable
from glossa.hearing.tokens import Token, tokenize
from glossa.house.model import House
from glossa.house.recogniser import USUAL, Recogniser
from glossa.language import Language, language_of
from glossa.language.phones import VOWELS, Phones, SoundPrices, phones

SORTS = {
    "substitution": "taken for another", "twin": "a number's twin", "deletion": "lost", "insertion": "added", "merge": "run together",
    "split": "split",
}  # fmt: skip
"""The sorts of errors, and what they do to a word, for people."""

FARTHEST = 0.42
"""Words further apart by sound are not taken for each other."""

PARTS_FARTHEST = 0.3
"""What two words that were written for one, or one for two, may be apart from it together."""

SLOPE = 0.15
"""The distance over which a word that sounds like another one gets e times less likely to be written for it."""

SHORT = 2.0
"""Sounds by which a word gets e times less likely to be dropped, or to be written together with its neighbour."""

RANKED, AT_HOME = 10.0, 100
"""A word is as common as its place in the list of common words, and so many more, to the power of -1/2; one of the house is at least as common
as if it stood at the second place."""

MOST_ALIKE = 12
"""Words that one word may be taken for."""

MOST_INSERTED = 2
"""Small words, and as many that say nothing, that may be added."""


class Slip(Struct, frozen=True):
    """One error.

    Attributes:
        sort: ``substitution``, ``deletion``, ``insertion``, ``merge``, ``split`` or ``twin``.
        start, end: the tokens that it is made in; both the same for a word that is added.
        said: what was said there.
        heard: what is written instead, ``""`` where it is lost.
        likelihood: how likely it is, as a share of what can go wrong in a word.
    """

    sort: str
    start: int
    end: int
    said: str
    heard: str
    likelihood: float


class Noise:
    """Makes the errors of a recogniser; everything that is drawn is the same for the same seed.

    Args:
        language: whose words are taken for each other.
        pool: further words that may be written instead, such as those of the house.
        recogniser: how it mishears.
    """

    def __init__(self, language: Language, pool: Sequence[str] = (), recogniser: Recogniser = USUAL) -> None:
        self.language, self.recogniser = language, recogniser
        self._rank = {**language.common, **{w: min(AT_HOME, language.common.get(w, AT_HOME)) for w in pool}}
        self._last = len(language.common)
        fillers = language.filler.single
        listed = {*language.common, *pool, *language.small, *language.poles, *language.number_words, *fillers}
        self._pool = sorted(w for w in listed if w.isalpha())
        self._table = SoundTable(self._pool, [phones(w, language.tag) for w in self._pool], SoundPrices(recogniser.sounds))
        self._numbers = language.number_words
        self._said = {value: word for word, value in reversed(tuple(self._numbers.items()))}
        self._alike: dict[str, tuple[tuple[str, float], ...]] = {}
        self._halves: dict[str, tuple[str, float]] = {}
        by_rank = sorted(language.small, key=lambda w: (language.common.get(w, self._last), w))
        short = sorted(fillers, key=lambda w: (len(w), w))
        self._inserted = (*by_rank[:MOST_INSERTED], *short[:MOST_INSERTED])

    def _common(self, word: str) -> float:
        return float((RANKED + self._rank.get(word, self._last)) ** -0.5)

    def _phones(self, word: str) -> Phones:
        return phones(word, self.language.tag)

    # --- what a word may be written as ------------------------------------------------------------------------------

    def alike(self, word: str) -> tuple[tuple[str, float], ...]:
        """The words that may be written for a word, likeliest first, with how likely: by their sound, by how common they are, and by what
        the recogniser is known to have written."""
        known = self._alike.get(word)
        if known is None:
            known = self._alike[word] = self._found(word)
        return known

    def _found(self, word: str) -> tuple[tuple[str, float], ...]:
        near = self._table.within(word, self._phones(word), FARTHEST, 4 * MOST_ALIKE)
        shares = {w: self._common(w) * math.exp(-d / SLOPE) for w, d in near if w != word and not self._is_twin(word, w)}
        total = sum(shares.values()) + self._common(word)
        shares = {w: share / total for w, share in shares.items()}
        seen = self.recogniser.written.get(word, {})
        count = sum(seen.values())
        for heard, times in seen.items():
            if heard != word:
                shares[heard] = (shares.get(heard, 0.0) + times) / (1 + count)
        return tuple(sorted(shares.items(), key=lambda s: (-s[1], s[0]))[:MOST_ALIKE])

    def _is_twin(self, word: str, other: str) -> bool:
        value = self._numbers.get(word)
        return value is not None and self._numbers.get(other) in twins(value, self.language)

    def _twins(self, token: Token) -> Iterator[str]:
        value = token.number if token.number is not None else self._numbers.get(token.word)
        for twin in twins(value, self.language) if value is not None and value < 10_000 else ():
            if token.number is not None:
                yield str(twin)
            elif twin in self._said:
                yield self._said[twin]

    def _split(self, word: str) -> tuple[str, float]:
        """The two words that are likeliest to be written for one, and how likely; ``""`` for none."""
        known = self._halves.get(word)
        if known is None:
            known = self._halves[word] = max(self._parted(word), key=lambda p: (p[1], p[0]), default=("", 0.0))
        return known

    def _parted(self, word: str) -> Iterator[tuple[str, float]]:
        """The ways to hear a word as two words of the language, each with a vowel."""
        for at in range(2, len(word) - 1):
            parts = [(p, self._phones(p)) for p in (word[:at], word[at:])]
            if not all(any(s in VOWELS for s in sound) for _, sound in parts):
                continue
            near = [self._table.within(p, sound, PARTS_FARTHEST, 1) for p, sound in parts]
            if all(near):
                (one, far), (other, farther) = near[0][0], near[1][0]
                if far + farther <= PARTS_FARTHEST:
                    yield f"{one} {other}", math.exp(-(far + farther) / SLOPE)

    def _merged(self, one: str, other: str) -> Iterator[tuple[str, float]]:
        """Two words as one: as a word of the language that sounds like both together, or just written without a blank."""
        sound = (*self._phones(one), *self._phones(other))
        near = self._table.within(one + other, sound, PARTS_FARTHEST, 1)
        yield one + other, 0.5
        for word, far in near:
            if word not in (one, other, one + other):
                yield word, math.exp(-far / SLOPE)

    # --- every error of a text --------------------------------------------------------------------------------------

    def every(self, text: str) -> list[Slip]:
        """Every single error that may be made in a text, in the order of its words, with how likely each is."""
        tokens = self._tokens(text)
        return [slip for at in range(len(tokens) + 1) for slip in self._at(tokens, at)]

    def substitutions(self, text: str) -> list[Slip]:
        """The errors of :meth:`every` in which a word is taken for another one."""
        tokens = self._tokens(text)
        return [slip for at in range(len(tokens)) for slip in self._substitutions(tokens, at)]

    def _substitutions(self, tokens: Sequence[Token], at: int) -> Iterator[Slip]:
        word = tokens[at].word
        for heard, share in self.alike(word) if word.isalpha() else ():
            yield Slip("substitution", at, at + 1, word, heard, self.recogniser.sorts.substitution * share)

    def _tokens(self, text: str) -> tuple[Token, ...]:
        return tuple(t for t in tokenize(text, self.language.numbers.thousands) if t.end > t.start)

    def _at(self, tokens: Sequence[Token], at: int) -> Iterator[Slip]:
        sorts = self.recogniser.sorts
        for word in self._inserted if sorts.insertion and tokens else ():
            share = sorts.insertion / len(self._inserted) / (len(tokens) + 1)
            if not any(t.word == word for t in tokens[max(0, at - 1) : at + 1]):
                yield Slip("insertion", at, at, "", word, share)
        if at >= len(tokens):
            return
        token = tokens[at]
        word = token.word
        yield from self._substitutions(tokens, at)
        for heard in self._twins(token):
            yield Slip("twin", at, at + 1, word, heard, sorts.twin)
        weak = math.exp(-len(self._phones(word)) / SHORT)
        if len(tokens) > 1:
            yield Slip("deletion", at, at + 1, word, "", sorts.deletion * weak)
        if word.isalpha():
            parts, share = self._split(word)
            if parts:
                yield Slip("split", at, at + 1, word, parts, sorts.split * share)
        if at + 1 < len(tokens) and word.isalpha() and tokens[at + 1].word.isalpha():
            following = tokens[at + 1].word
            short = min(len(self._phones(word)), len(self._phones(following)))
            for heard, share in self._merged(word, following):
                yield Slip("merge", at, at + 2, f"{word} {following}", heard, sorts.merge * share * math.exp(-short / SHORT))

    def heard(self, text: str, slip: Slip) -> str:
        """A text with one error in it; everything else stays as it is written."""
        tokens = self._tokens(text)
        if slip.start == slip.end:
            at = tokens[slip.start].start if slip.start < len(tokens) else len(text.rstrip())
            return f"{text[:at].rstrip()} {slip.heard} {text[at:]}".strip()
        start, end = tokens[slip.start].start, tokens[slip.end - 1].end
        return " ".join(f"{text[:start]}{slip.heard}{text[end:]}".split())

    # --- texts with errors drawn ------------------------------------------------------------------------------------

    def one_error(self, text: str, dice: random.Random) -> str | None:
        """A text with exactly one error, drawn by how likely each is; None where none could be made."""
        slip = _draw(self.every(text), dice)
        return None if slip is None else self.heard(text, slip)

    def hear(self, text: str, rate: float, dice: random.Random) -> tuple[str, list[str]]:
        """A text with errors at a word error rate, and the words that were struck."""
        tokens = self._tokens(text)
        slips: list[Slip] = []
        at = 0
        while at < len(tokens):
            slip = _draw(list(self._at(tokens, at)), dice) if dice.random() < rate else None
            if slip is not None:
                slips.append(slip)
            at = max(at + 1, slip.end if slip is not None else 0)
        heard = text
        for slip in reversed(slips):
            heard = self.heard(heard, slip) or heard
        return heard, [tokens[s.start].word for s in slips]


def _draw(slips: Sequence[Slip], dice: random.Random) -> Slip | None:
    """One error, by how likely each is; None where there is none."""
    totals = list(accumulate(s.likelihood for s in slips))
    if not totals or totals[-1] <= 0:
        return None
    return slips[bisect_left(totals, dice.random() * totals[-1])]


def noises(house: House, recogniser: Recogniser = USUAL) -> Mapping[str, Noise]:
    """What makes the errors, for every language of a house."""
    return {
        tag: Noise(language_of(house, tag), sorted(Lexicon(house, tag).vocabulary.words), recogniser) for tag in house.languages
    }
