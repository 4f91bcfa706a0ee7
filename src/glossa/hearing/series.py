"""Names that are told apart by a number, "spot one" and "spot two", and what else they are called: "spot number two", "the second spot"."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from glossa.language import Language, plural_of
from glossa.language.phrases import Words


class Stem(Struct, frozen=True, gc=False):
    """The words that the names of a series share.

    Attributes:
        devices: all of the series, as a bit mask.
        many: whether the words are a plural, which is no name of one of them.
        numbered: the devices of each number, as bit masks, in the order of the numbers.
    """

    devices: int
    many: bool
    numbered: tuple[tuple[int, int], ...]


class Series:
    """Splits the names of one language into words and numbers.

    Args:
        language: the language.
    """

    def __init__(self, language: Language) -> None:
        self._language, self._counting = language, language.number_words
        self._ordinals = dict(enumerate(language.answers.ordinals, 1))

    def counts(self, word: str) -> bool:
        """Whether a word is a number."""
        return word in self._counting or word.isdigit()

    def split(self, name: Words) -> tuple[Words, Words]:
        """A name in two: its words, and the number at its end that tells it from others, "spot" and "two"."""
        at = len(name)
        while at > 0 and self.counts(name[at - 1]):
            at -= 1
        return (name[:at], name[at:]) if at else (name, ())

    def number(self, words: Words) -> int:
        """What a number is that is one word, -1 for any other."""
        word = words[0] if len(words) == 1 else ""
        return int(word) if word.isdecimal() else self._counting.get(word, -1)

    def otherwise(self, name: Words) -> Iterator[Words]:
        """The same name with its number said in other ways."""
        stem, number = self.split(name)
        if number:
            yield from ((*stem, label, *number) for label in self._language.numbers.labels)
            yield from ((*ordinal.split(), *stem) for ordinal in self._ordinals.get(self.number(number), ()))

    def which(self, number: Words) -> Iterator[Words]:
        """A number as what says which one, without the words that the names share: "one", "the first one"."""
        yield number
        ordinals, ones = self._ordinals.get(self.number(number), ()), self._language.grammar.one
        yield from ((*ordinal.split(), one) for ordinal in ordinals for one in ones if " " not in one)

    def parts(self, named: Mapping[Words, int]) -> tuple[dict[Words, Stem], dict[Words, int]]:
        """The words and the numbers of names, for "spots one and three" and "spots one to three".

        Args:
            named: for a name, the devices that it is for, as a bit mask.
        """
        numbered: dict[Words, dict[int, int]] = {}
        members: dict[Words, int] = {}
        every: dict[Words, int] = {}
        for way, devices in named.items():
            stem, number = self.split(way)
            if number:
                members[number] = members.get(number, 0) | devices
                every[stem] = every.get(stem, 0) | devices
                of_stem = numbered.setdefault(stem, {})
                of_stem[self.number(number)] = of_stem.get(self.number(number), 0) | devices
        stems: dict[Words, Stem] = {}
        for stem, devices in every.items():
            run = tuple(sorted((n, d) for n, d in numbered[stem].items() if n >= 0))
            for form in dict.fromkeys((stem, plural_of(stem, self._language))):
                stems[form] = Stem(devices, form != stem, run)
        return stems, members
