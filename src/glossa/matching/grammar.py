"""The phrases of a house in one language, compiled for matching."""

from __future__ import annotations

import math

from msgspec import Struct

from glossa.hearing.heard import CONTENT, FILLER, LIGHT, POLE, SMALL
from glossa.hearing.lexicon import Lexicon, texts_for_phrases
from glossa.hearing.things import Things
from glossa.house.model import House, Intent
from glossa.house.text import words
from glossa.house.wires import placeholders

MISSING_SLOT, MISSING_ASKED, MISSING_DEFAULT = 1.5, 0.6, 0.3
GARBAGE = "GARBAGE"
RARE_WEIGHT = 0.05
"""A phrase alternative of weight w costs ``RARE_WEIGHT * -log2(w)``, w relative to the heaviest one."""


class Element(Struct, frozen=True):
    """One place of a compiled phrase.

    Attributes:
        position: the number of its set of words, -1 for a slot.
        words: the words, each with its weight.
        slot: the slot's name, or ``""``.
        missing: what it costs when it was not said.
        weight: what it adds to the phrase's weight when it was not said.
        small: whether it carries so little that its order doesn't matter.
        key: equal for slots that can take the same.
        relation: for a number, ``to`` where it becomes the value, ``by`` where it is an amount of change, else ``""``.
    """

    position: int = -1
    words: tuple[str, ...] = ()
    slot: str = ""
    missing: float = 0.0
    weight: float = 0.0
    small: bool = False
    relation: str = ""
    key: int = -1


class Pattern(Struct, frozen=True):
    """A linear sequence of an intent's phrase, ready to be searched."""

    number: int
    intent: Intent
    phrase: str
    elements: tuple[Element, ...]
    garbage: bool
    prior: float
    measures: frozenset[str]
    """The names of the properties that it is about: "the brightness of the lamp" says no more than "the lamp"."""
    worded: bool
    """Whether it holds words of some weight that have to be said."""


class Grammar:
    """Everything of a house that one language needs.

    Attributes:
        patterns: all phrases as linear sequences.
        of_word: for a word, the numbers of the positions that hold it.
        of_position: for a position, the patterns that hold it.
        word_weight: what a word of a phrase weighs.
    """

    def __init__(self, house: House, tag: str) -> None:
        self.house, self.tag = house, tag
        self.lexicon = Lexicon(house, tag)
        self.things = Things(self.lexicon)
        self.free = frozenset(name for name, values in house.slots.items() if values.type == "words")
        self._keys: dict[tuple[object, ...], int] = {}
        self._positions: dict[frozenset[str], int] = {}
        self.of_word: dict[str, list[int]] = {}
        self.word_weight: dict[str, float] = {}
        self.patterns: list[Pattern] = []
        for intent in house.intents.values():
            measures = self._measures(intent)
            seen: set[tuple[Element, ...]] = set()
            for phrase in texts_for_phrases(intent.phrases, tag):
                for sequence in phrase.sequences:
                    elements = tuple(
                        self._element(p.words, p.slot, p.optional, intent) for p in sequence.positions if p.slot != GARBAGE
                    )
                    garbage = any(p.slot == GARBAGE for p in sequence.positions)
                    if elements and elements not in seen:
                        seen.add(elements)
                        prior = RARE_WEIGHT * -math.log2(max(sequence.weight, 1e-6))
                        worded = any(e.position >= 0 and e.missing > LIGHT for e in elements)
                        self.patterns.append(
                            Pattern(len(self.patterns), intent, phrase.text, elements, garbage, prior, measures, worded)
                        )
        self.of_position: dict[int, list[int]] = {}
        for pattern in self.patterns:
            for element in pattern.elements:
                if element.position >= 0:
                    self.of_position.setdefault(element.position, []).append(pattern.number)

    def _measures(self, intent: Intent) -> frozenset[str]:
        names = [w for name in intent.properties for w in words(name)]
        same = self.lexicon.language.same
        own = self.house.members(intent.device) if intent.device else ()
        names += [w for d in own for ways in self.house.devices[d].names.values() for way in ways for w in way]
        found = {w for name in names for w in (name, *same.get(name, ()))}
        phrases = [p for s in texts_for_phrases(intent.phrases, self.tag) for q in s.sequences for p in q.positions]
        return frozenset(
            found - {w for p in phrases for w in p.words} - set(self.lexicon.language.poles) - self.lexicon.language.light
        )

    def weigh(self, word: str) -> float:
        """What a word of a phrase weighs."""
        language = self.lexicon.language
        if word in language.small:
            return SMALL
        if word in language.light:
            return LIGHT
        if word in language.poles:
            return POLE
        if word in language.filler.by_first and language.filler.whole((word,)):
            return FILLER * 15
        return CONTENT

    def _element(self, said: tuple[str, ...], slot: str, optional: bool, intent: Intent) -> Element:
        if slot:
            used = [
                k
                for k, v in (*intent.set.items(), *((k, v) for s in intent.steps for k, v in s.set.items()))
                if slot in placeholders(v)
            ]
            changed = [k for k, v in intent.change.items() if slot in placeholders(v)]
            asked = slot in intent.ask or (slot == "pin")
            cost = MISSING_DEFAULT if slot in intent.defaults else MISSING_ASKED if asked else MISSING_SLOT
            if slot == "pin":
                cost = 0.0
            about: tuple[object, ...] = (slot, intent.properties) if slot == "device" else (slot, intent.device)
            key = self._keys.setdefault(about, len(self._keys))
            return Element(slot=slot, missing=cost, weight=cost, relation="to" if used else "by" if changed else "", key=key)
        for word in said:
            self.word_weight[word] = self.weigh(word)
        held_words = frozenset(said)
        number = self._positions.setdefault(held_words, len(self._positions))
        for word in said:
            held = self.of_word.setdefault(word, [])
            if number not in held:
                held.append(number)
        least = min(self.word_weight[w] for w in said)
        return Element(number, said, "", 0.0 if optional else least, 0.0 if optional else least, least <= SMALL * 2)
