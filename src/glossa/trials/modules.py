"""Whether the phrases of a recogniser that sends codes fit into it, are told apart by it, and mean something to the house."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from itertools import combinations

from glossa.house.sources import CodedSource, Source
from glossa.house.text import many
from glossa.house.text import words as folded
from glossa.language.phones import VOWELS, phones
from glossa.matching import Matcher, Outcome

SYLLABLE = 0.22
"""Seconds that a syllable of a command takes, spoken with care; people differ by ``ERROR`` of it either way."""
ERROR = 0.3
TOO_NEAR = 0.25
"""Phrases of one group that are nearer than this by sound are taken for each other; a module compares whole phrases, and has nothing else to go by."""

Told = tuple[str, str, str, str, str]
"""The place, the sort of finding, what was found, why it matters, what to do instead."""


def of_modules(matcher: Matcher, apart: Callable[[tuple[str, ...], tuple[str, ...], str], float]) -> Iterator[Told]:
    """What is likely to go wrong with the sources of a house that send codes.

    Args:
        matcher: of the house.
        apart: how far two runs of words are apart by sound in a language, 0 to 1.
    """
    for source in matcher.house.sources.values():
        if source.codes is not None and isinstance(source.options, CodedSource):
            phrases = list(source.codes.phrases)
            yield from _meant(source, phrases, matcher)
            yield from _fitting(source, source.options, phrases, matcher.house.languages[0])
            groups = source.codes.groups(source.options.group or len(source.codes.utterances) or 1)
            yield from _told_apart(source, groups, apart, matcher.house.languages[0])


def seconds_of(phrase: str, tag: str) -> float:
    """About how many seconds a phrase takes, from its syllables; ``ERROR`` of it either way."""
    return SYLLABLE * sum(p in VOWELS for word in folded(phrase) for p in phones(word, tag))


def _meant(source: Source, phrases: list[str], matcher: Matcher) -> Iterator[Told]:
    modes = ("", *matcher.house.modes)
    for phrase in phrases:
        if all(matcher.match(phrase, mode=mode).outcome == Outcome.REJECT for mode in modes):
            yield (
                f"sources.{source.id}.codes", "code without a meaning", f"“{phrase}” is no command of this house",
                "the recogniser hears it, and nothing happens", "give an intent a phrase for it, or take it out of the table",
            )  # fmt: skip


def _fitting(source: Source, options: CodedSource, phrases: list[str], tag: str) -> Iterator[Told]:
    place = f"sources.{source.id}"
    if options.most is not None and len(phrases) > options.most:
        yield (
            f"{place}.most", "too many phrases", f"its table has {many(len(phrases), 'phrase')}, and it holds {options.most}",
            "the last ones can't be taught", "take out what is said least, or say it another way to the house",
        )  # fmt: skip
    for phrase in phrases if options.seconds is not None else ():
        taken = seconds_of(phrase, tag)
        if options.seconds is not None and taken > options.seconds:
            yield (
                f"{place}.seconds", "phrase too long",
                f"“{phrase}” takes about {taken:.1f} s ({taken * (1 - ERROR):.1f} to {taken * (1 + ERROR):.1f}), and it takes {options.seconds:g} s",
                "its end is cut off, and what is left may be another phrase", "say it in fewer syllables",
            )  # fmt: skip


def _told_apart(
    source: Source,
    groups: Iterable[Iterable[str]],
    apart: Callable[[tuple[str, ...], tuple[str, ...], str], float],
    tag: str,
) -> Iterator[Told]:
    for group in groups:
        for one, other in combinations(dict.fromkeys(group), 2):
            distance = apart(folded(one), folded(other), tag)
            if distance < TOO_NEAR:
                yield (
                    f"sources.{source.id}.codes", "sound alike in one group", f"“{one}” and “{other}” ({distance:.2f} apart)",
                    "it listens for both at once, and takes one for the other",
                    "put them into different groups, or say one of them otherwise",
                )  # fmt: skip
