"""Rating wake words: how long they are, what they sound like, and how often household talk would set them off."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.conversation.wake import WakeWords
from glossa.house.model import House, Wake
from glossa.house.notation import NotationError, expand
from glossa.house.text import many
from glossa.language import language_of
from glossa.language.phones import VOWELS, phones
from glossa.trials.findings import apart_by_sound

THRESHOLDS = (0.6, 0.65, 0.7, 0.75, 0.8, 0.85, 0.9, 0.95)
FEWEST_SYLLABLES, FEWEST_PHONES = 3, 6
TOO_NEAR = 0.3
MOST_NEIGHBOURS = 3
Words = tuple[str, ...]


class Neighbour(Struct, frozen=True, order=True):
    """Something that a wake word sounds like: how far apart, 0 to 1, what it is, and where it comes from."""

    apart: float
    text: str
    source: str


class WakeRating(Struct, frozen=True):
    """How good a wake word is.

    Attributes:
        word: the wake word.
        syllables, phones: its length.
        neighbours: what it is nearest to, nearest first.
        fired: for each of ``THRESHOLDS``, how many lines of talk would have woken the house.
        lines: the number of lines of talk.
        loudest: the line of talk that came nearest, and its score.
        threshold: the suggested ``accept``.
        faults: what is wrong with it, in words; empty for a good one.
    """

    word: str
    syllables: int
    phones: int
    neighbours: tuple[Neighbour, ...]
    fired: tuple[int, ...]
    lines: int
    loudest: tuple[str, float]
    threshold: float
    faults: tuple[str, ...]


def rate_wake_word(house: House, word: str, talk: Sequence[str] = (), language: str = "") -> WakeRating:
    """Rate a wake word before anybody gets used to it.

    Args:
        house: the house that it is for.
        word: the wake word, in the phrase notation.
        talk: lines of household talk.
        language: its BCP 47 tag, the house's first language by default.

    Raises:
        NotationError: where the word is not in the notation.
    """
    tag = language or house.languages[0]
    ways = [w for s in expand(word) if (w := tuple(p.words[0] for p in s.positions if p.words))]
    if not ways:
        raise NotationError(word, 0, "the wake word holds no word")
    way = ways[0]
    sound = [p for w in way for p in phones(w, tag)]
    syllables = sum(p in VOWELS for p in sound)
    neighbours = _neighbours(house, way, tag)
    wake = house.wake or Wake({}, {}, {})
    probe = WakeWords(replace(house, wake=replace(wake, words={tag: tuple(ways)}, also_heard={}, accept=0.0)))
    scores = [(found.score if (found := probe.best(line)) is not None else 0.0, line) for line in talk]
    fired = tuple(sum(s >= t for s, _ in scores) for t in THRESHOLDS)
    loudest = max(scores, default=(0.0, ""))
    free = [t for t, count in zip(THRESHOLDS, fired, strict=True) if count == 0]
    threshold = max(free[0], 0.75) if free else THRESHOLDS[-1]
    faults = []
    if syllables < FEWEST_SYLLABLES:
        faults.append(f"it has {many(syllables, 'syllable')}; three or more are told apart better")
    elif len(sound) < FEWEST_PHONES:
        faults.append(f"it has only {len(sound)} sounds; six or more are told apart better")
    for near in neighbours:
        if near.apart < TOO_NEAR:
            same = "is" if near.apart == 0 else "sounds like"
            faults.append(f"it {same} “{near.text}”, {near.source}")
    if len(way) == 1 and not neighbours[:1]:
        faults.append("it is a single word")
    everyday = _everyday(house, tag)
    if all(w in everyday for w in way):
        faults.append("it is made of everyday words only")
    if fired and not free:
        faults.append(f"talk sets it off even at {THRESHOLDS[-1]}: “{loudest[1]}”")
    return WakeRating(
        word=" ".join(way),
        syllables=syllables,
        phones=len(sound),
        neighbours=neighbours,
        fired=fired,
        lines=len(talk),
        loudest=(loudest[1], loudest[0]),
        threshold=threshold,
        faults=tuple(faults),
    )


def _everyday(house: House, tag: str) -> frozenset[str]:
    language = language_of(house, tag)
    single = language.filler.single | language.talk.single | language.negation.single
    return single | language.small | language.light | frozenset(language.poles) | frozenset(language.same)


def _neighbours(house: House, way: Words, tag: str) -> tuple[Neighbour, ...]:
    """What a wake word is nearest to: phrases, names, and everyday words of about its length."""
    others: dict[Words, str] = {}
    for intent in house.intents.values():
        for phrase in intent.phrases_in(tag):
            for sequence in phrase.sequences[:20]:
                said = tuple(p.words[0] for p in sequence.positions if p.words and not p.optional)
                if said:
                    others.setdefault(said, f"a phrase of {intent.id}")
    for device in house.devices.values():
        for name in (*device.names.get(tag, ()), *device.names.get("", ())):
            others.setdefault(name, f"the device {device.id}")
    for word in _everyday(house, tag):
        others.setdefault((word,), "an everyday word")
    length = len("".join(way))
    near = [
        Neighbour(round(apart_by_sound(way, other, tag), 3), " ".join(other), source)
        for other, source in others.items()
        if abs(len("".join(other)) - length) <= max(3, length // 2)
    ]
    return tuple(sorted(near)[:MOST_NEIGHBOURS])


def wake_words(house: House) -> list[str]:
    """The wake words of a house, as plain text."""
    ways = house.wake.words.values() if house.wake else ()
    return list(dict.fromkeys(" ".join(w) for ws in ways for w in ws))
