"""What the phrases of a house say of its properties: the words for one way of changing, and how one asks for what they are."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Set

from glossa.house.model import House
from glossa.house.sorts import NumberValues
from glossa.language import Language
from glossa.language.phrases import Words


def ways_of_changing(house: House, tag: str, language: Language) -> dict[str, set[str]]:
    """For a property, the words of its phrases that are for one way of changing: "dim", "louder", not "up"."""
    poles = language.poles  # the first axis of a word is its own, the others are what it may stand for
    one_way = set(language.grammar.changing) - {poles[w][0][0] for w in language.grammar.directions if w in poles}
    found: dict[str, set[str]] = {}
    for intent in house.intents.values():
        for phrase in (*intent.phrases.get(tag, ()), *intent.phrases.get("", ())):
            words = {w for sequence in phrase.sequences for position in sequence.positions for w in position.words}
            for name in intent.properties:
                found.setdefault(name, set()).update(w for w in words if w in poles and poles[w][0][0] in one_way)
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
