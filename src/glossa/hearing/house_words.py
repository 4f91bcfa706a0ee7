"""What the words of a house's phrases and slots do: which of them order, change and count something, and how one asks for what it reads."""

from __future__ import annotations

from collections import Counter
from collections.abc import Container, Iterable, Iterator, Mapping, Set
from itertools import pairwise

from glossa.house.effects import Fixed
from glossa.house.model import House, Intent
from glossa.house.notation import Sequence
from glossa.house.sorts import NumberValues
from glossa.language import Language, plural
from glossa.language.phrases import Words

OPENING = "open"
"""The pair of opposites that opens and shuts things."""


def sequences(intents: Iterable[Intent], tag: str) -> Iterator[Sequence]:
    """Every sequence of the phrases of some intents in a language."""
    return (s for intent in intents for phrase in intent.phrases_in(tag) for s in phrase.sequences)


def words_of(intents: Iterable[Intent], tag: str) -> set[str]:
    """The words of the phrases of some intents."""
    return {w for sequence in sequences(intents, tag) for position in sequence.positions for w in position.words}


def doubled(intents: Iterable[Intent], tag: str) -> set[str]:
    """The words that the phrases of some intents have twice in a row: "knock knock"."""
    pairs = (pair for sequence in sequences(intents, tag) for pair in pairwise(sequence.positions))
    return {word for one, other in pairs for word in one.words if word in other.words}


def verbs(house: House, tag: str, language: Language) -> frozenset[str]:
    """What the phrases of a house order with, where they begin with it and the device follows: the "water" of "water $device"."""
    articles = frozenset(language.grammar.articles)
    states = {*language.switch.on, *language.switch.off, *language.grammar.directions, *language.small}
    found: set[str] = set()
    for sequence in sequences((i for i in house.intents.values() if not i.read), tag):
        said = [p for p in sequence.positions if p.slot or not (p.optional or articles.issuperset(p.words))]
        if [p.slot for p in said[:2]] == ["", "device"]:
            found.update(said[0].words)
    return frozenset(found - states)


def openers(house: House, tag: str, language: Language) -> frozenset[str]:
    """The words that phrases of a house begin with, where they hold more: the "clear" of "clear table $table"."""
    articles = frozenset(language.grammar.articles)
    found: set[str] = set()
    for sequence in sequences((i for i in house.intents.values() if not i.read), tag):
        said = [p for p in sequence.positions if p.slot or not (p.optional or articles.issuperset(p.words))]
        if len(said) > 1:
            found.update(said[0].words)
    return frozenset(found)


def counted(house: House, language: Language, taken: Container[str]) -> frozenset[str]:
    """What slots without a unit are called, as the unit of their numbers: "five notches" for ``$notches``.

    Args:
        house: the house.
        language: the language.
        taken: the words that have another use in the house.
    """
    names = [name for name, values in house.slots.items() if isinstance(values, NumberValues) and not values.unit]
    forms = {form for n in names for form in (n, plural(n, language), n.removesuffix("s"))}
    return frozenset(form for form in forms if len(form) > 2 and form.isalpha() and form not in taken)


def ways_of_opening(house: House, tag: str, language: Language) -> dict[str, tuple[str, ...]]:
    """For an intent that raises or lowers something to an end, the words that open or shut it, where no phrase of the house says so."""
    own = {word: axes[0] for word, axes in language.poles.items()}
    moving = {own[w][0] for w in language.grammar.directions if w in own}
    leading = frozenset(language.grammar.absolute)  # the "auf" of "auf fünfzig"
    ranges = {n for d in house.devices.values() for n, p in d.properties.items() if isinstance(p.values, NumberValues)}
    found = {}
    for intent in house.intents.values():
        ends = [name for name, setting in intent.set.items() if isinstance(setting, Fixed) and name in ranges]
        if len(ends) != 1 or len(intent.set) > 1 or not intent.to_a_device or intent.change:
            continue
        others = [i for i in house.intents.values() if ends[0] in i.set]
        if any(own[w][0] == OPENING for w in words_of(others, tag) if w in own and w not in leading):
            continue
        sides = {own[w][1] for w in words_of([intent], tag) if w in own and own[w][0] in moving}
        found[intent.id] = tuple(sorted(w for w, (axis, side) in own.items() if axis == OPENING and {side} == sides))
    return found


def positions(house: House, tag: str, language: Language) -> frozenset[str]:
    """The properties that say how far something is open or up: those that phrases open and shut, or raise and lower to an end."""
    own = {word: axes[0][0] for word, axes in language.poles.items()}
    moving = {own[w] for w in language.grammar.directions if w in own}
    leading = frozenset(language.grammar.absolute)  # the "auf" of "auf fünfzig"
    found: set[str] = set()
    for intent in house.intents.values():
        said = {own[w] for w in words_of([intent], tag) if w in own and w not in leading}
        for name, setting in intent.set.items():
            if OPENING in said or (isinstance(setting, Fixed) and not said.isdisjoint(moving)):
                found.add(name)
    return frozenset(found)


def ways_of_changing(house: House, tag: str, language: Language) -> dict[str, set[str]]:
    """For a property, the words of its phrases that are for one way of changing: "dim", "louder", not "up"."""
    poles = language.poles  # the first axis of a word is its own, the others are what it may stand for
    one_way = set(language.grammar.changing) - {poles[w][0][0] for w in language.grammar.directions if w in poles}
    found: dict[str, set[str]] = {}
    for intent in house.intents.values():
        words = {w for w in words_of([intent], tag) if w in poles and poles[w][0][0] in one_way}
        for name in intent.properties:
            found.setdefault(name, set()).update(words)
    return found


def ways_of_comparing(house: House, tag: str, language: Language) -> dict[str, tuple[str, ...]]:
    """For an intent whose phrases say what changes and in which direction, the words that say both, where no phrase of the house has them:
    "louder" for "volume up".
    """
    poles, measures = language.poles, language.amounts.measures
    axes = {poles[w][0][0] for w in language.grammar.directions if w in poles}
    every = words_of(house.intents.values(), tag)
    found = {}
    for intent in (i for i in house.intents.values() if i.change):
        said = words_of([intent], tag)
        sides = {poles[w][0][1] for w in said if w in poles and poles[w][0][0] in axes}
        about = {poles[measures[w]][0][0] for w in said if w in measures and measures[w] in poles}
        if len(sides) == 1 and len(about) == 1:
            meant = (*about, *sides)
            words = tuple(sorted(w for w in language.toward if poles[w][0] == meant))
            if every.isdisjoint(words):
                found[intent.id] = words
    return found


def ways_of_asking(house: House, language: Language, changing: Mapping[str, Set[str]]) -> dict[str, tuple[Words, ...]]:
    """For a property that one intent alone reads, how one asks for it, whatever the phrases are: "how bright is".

    Args:
        house: the house.
        language: the language.
        changing: what :func:`ways_of_changing` gives.
    """
    readers = Counter(i.read for i in house.intents.values() if i.read and i.to_a_device)
    found = {}
    for name in (n for n, count in readers.items() if count == 1):
        kinds = (d.properties[name].values for d in house.devices.values() if name in d.properties)
        about = {v.unit for v in kinds if isinstance(v, NumberValues)}
        about |= {language.poles[w][0][0] for w in changing.get(name, ())}
        asked = language.amounts.asked
        found[name] = tuple(tuple(text.split()) for key in asked if key in about for text in asked[key])
    return found
