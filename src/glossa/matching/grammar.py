"""The phrases of a house in one language, compiled for matching."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence, Set
from functools import lru_cache
from itertools import pairwise

from msgspec import Struct

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.house_words import words_of
from glossa.hearing.lexicon import Lexicon
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Hearing
from glossa.house.effects import slot_of
from glossa.house.forms import SetWire
from glossa.house.frozen import Frozen
from glossa.house.model import House, Intent
from glossa.house.sorts import DURATIONS, NumberValues, WordsValues
from glossa.house.text import words
from glossa.house.values import Way
from glossa.language.phrases import Words
from glossa.matching.variants import Variants

GARBAGE = "GARBAGE"
BUILT_IN = ("device", "room", "pin")
LITTLE_SAID = 0.3
"""A word of a phrase that is filler elsewhere weighs this much."""


class Place(Struct, frozen=True, gc=False):
    """One place of a compiled phrase, for a word or a slot.

    Attributes:
        position: the number of its set of words, -1 for a slot.
        words: the words.
        slot: the slot's name, or ``""``.
        missing: what it costs when it was not said.
        small: whether it carries so little that its order doesn't matter.
        key: equal for slots that can take the same in phrases that say what becomes of it in the same way.
        taken: the number of what a slot can take.
        relation: for a number, ``to`` where it becomes the value, ``by`` where it is an amount of change, else ``""``.
        own: whether its words name the intent's own device.
        measure: whether its words only say what a value of the phrase measures: the "speed" of "speed $speed".
    """

    position: int = -1
    words: Words = ()
    slot: str = ""
    missing: float = 0.0
    small: bool = False
    key: int = -1
    taken: int = -1
    relation: str = ""
    own: bool = False
    measure: bool = False


class Taken(Struct, frozen=True, gc=False):
    """What a place for a slot may take.

    Attributes:
        devices: for the device those that have all properties of the intent, as a bit mask; 0 for other slots.
        specs: the numbers of the specifications that its values may be of.
        numbers: whether one of these is for numbers; ``anything`` whether one is for digits or free words, so that any token may be taken.
    """

    devices: int = 0
    specs: tuple[int, ...] = ()
    numbers: bool = False
    anything: bool = False


class Pattern(Struct, frozen=True, gc=False):
    """A linear sequence of an intent's phrase.

    Attributes:
        number: its place in the file.
        intent: the intent. ``phrase`` is the phrase as written.
        places: its places in order; ``main`` are the numbers of those that are not small, ``small`` those of the others.
        twins: for a place, the one before it that is for the same words.
        garbage: whether anything at all may stand beside it.
        prior: what it costs for being a rare alternative.
        measures: the names of the properties that it is about: "the brightness of the lamp" says no more than "the lamp".
        worded: whether it holds words of some weight that have to be said.
        fixed: what all its places cost when nothing was said, and its prior; those of the small ones are not in it.
        slots: for the places for slots, the number of what they can take and what it costs when it was not said; ``slot_set`` is equal for
            patterns with the same places for slots.
        slots_at: the numbers of the places for slots, that for the device first.
        device_at: the place of its device, -1 for none.
        reads: whether it asks for a state.
        numbers: how many slots it has but the device.
        scaled: the slots of a change that have a default, which "a bit" and "a lot" scale.
        needs: the slots that have to be filled, or the intent would do nothing.
        elsewhere: words for one way of changing, where the house changes other properties that way only: "dim" where vents are opened.
        lasts: whether it says how long something is to run, so that "stop" and "close" are never it.
        moves: whether what it sets is how far something is open or up, so that "forty up" says where it is to be.
    """

    number: int
    intent: Intent
    phrase: str
    places: tuple[Place, ...]
    main: tuple[int, ...]
    small: tuple[int, ...]
    twins: Mapping[int, int]
    garbage: bool
    prior: float
    measures: frozenset[str]
    worded: bool
    fixed: float
    slots: tuple[tuple[int, float], ...]
    slot_set: int
    slots_at: tuple[int, ...]
    reads: bool
    device_at: int
    numbers: int
    scaled: tuple[str, ...]
    needs: tuple[str, ...]
    elsewhere: frozenset[str]
    moves: bool
    lasts: bool


class Grammar:
    """Everything of a house that one language needs.

    Attributes:
        patterns: all phrases as linear sequences, in the order of the file.
        of_word: for a word, the numbers of the positions that hold it.
        of_position: for a position, the numbers of the patterns that hold it, by what it costs when it was not said beyond nothing at all.
        of_measure: for a word, the numbers of the patterns that are about it.
        taken: what places for slots may take, by number.
        unworded: the patterns without a word that has to be said.
        word_weight: what a word of a phrase weighs.
        extremes: the words for the most and the least of a range.
        free: slots that take any words; ``anything`` says whether any slot or property does.
    """

    def __init__(self, house: House, tag: str) -> None:
        self.house, self.tag = house, tag
        self.lexicon = Lexicon(house, tag)
        self.hearing = Hearing(self.lexicon)
        self.free = frozenset(name for name, values in house.slots.items() if isinstance(values, WordsValues))
        self.anything = self.free or any(
            isinstance(values, WordsValues)
            for d in house.devices.values()
            for values in (p.values for p in d.properties.values())
        )
        numbers = self.lexicon.language.numbers
        self.extremes = frozenset(w for text in (*numbers.maximum, *numbers.minimum) for w in text.split())
        self._keys: dict[tuple[object, ...], tuple[int, int]] = {}
        self._taken: dict[Taken, int] = {}
        self._slot_sets: dict[tuple[tuple[int, float], ...], int] = {}
        self._positions: dict[frozenset[str], int] = {}
        self.of_word: dict[str, list[int]] = {}
        self.word_weight: dict[str, float] = {}
        self.patterns: list[Pattern] = []
        self._said_of = self.lexicon.changing
        self._verbs = self.lexicon.language.verbs | self.lexicon.ordering
        self._axis = {word: poles[0][0] for word, poles in self.lexicon.language.poles.items()}
        self._on_axes = lru_cache(None)(lambda axes: frozenset(w for w, axis in self._axis.items() if axis in axes))
        self._variants = Variants(house, self.lexicon)
        for intent in house.intents.values():
            self._compile(intent)
        self.taken = (*self._taken,)
        self.of_position: dict[int, dict[float, list[int]]] = {}
        for pattern in self.patterns:
            for place in pattern.places:
                if place.position >= 0:
                    missing = 0.0 if place.small else place.missing
                    self.of_position.setdefault(place.position, {}).setdefault(missing, []).append(pattern.number)
        language = self.lexicon.language
        self.asking_verbs = language.question & {*language.grammar.copula, *language.grammar.auxiliary}
        self.of_measure: dict[str, list[int]] = {}
        for pattern in self.patterns:
            for word in pattern.measures:
                self.of_measure.setdefault(word, []).append(pattern.number)
        self.unworded = frozenset(p.number for p in self.patterns if not p.worded)

    def _compile(self, intent: Intent) -> None:
        measures, names = self._measures(intent), self._own_words(intent)
        needs = intent.needs
        scaled = tuple(s for s in intent.defaults if s in intent.changed_by)
        own = {self._axis[w] for name in intent.properties for w in self._said_of.get(name, ())}
        others = {self._axis[w] for words in self._said_of.values() for w in words} - own if intent.properties else set()
        elsewhere = self._on_axes(frozenset(others))
        moves = not self.lexicon.positions.isdisjoint(intent.set)
        lasts = any(self._is_time(n) for name in intent.set for n in self.lexicon.specs_of.get(name, ()))
        amounts, implied = self._variants.amounts(intent), [*self._variants.implied(intent)]
        seen: set[tuple[Place, ...]] = set()
        for phrase in intent.phrases_in(self.tag):
            for sequence in phrase.sequences:
                garbage = any(p.slot == GARBAGE for p in sequence.positions)
                said = [(p.words, p.slot, p.optional) for p in sequence.positions if p.slot != GARBAGE]
                if intent.to_a_device and all(slot != "device" for _, slot, _ in said):
                    said.append(((), "device", False))  # it is said all the same, or was spoken of before
                prior = COSTS.rare * -math.log2(max(sequence.weight, 1e-6))
                for positions, cost in ((said, 0.0), *self._variants.of(said, intent, amounts), *implied):
                    places = self._places(positions, intent, names)
                    if not places or places in seen:
                        continue
                    seen.add(places)
                    main = tuple(i for i, p in enumerate(places) if not p.small)
                    slot_set = tuple((p.key, p.missing) for p in places if p.position < 0)
                    self.patterns.append(
                        Pattern(
                            number=len(self.patterns),
                            intent=intent,
                            phrase=phrase.text,
                            places=places,
                            main=main,
                            small=tuple(i for i, p in enumerate(places) if p.small),
                            twins=Frozen({b: a for a, b in pairwise(main) if _same(places[a], places[b])}),
                            garbage=garbage,
                            prior=prior + cost,
                            measures=measures,
                            worded=any(p.position >= 0 and p.missing > COSTS.missing_verb for p in places),
                            fixed=sum(p.missing for p in places if not p.small) + prior + cost,
                            slots=tuple((p.taken, p.missing) for p in places if p.position < 0),
                            slot_set=self._slot_sets.setdefault(slot_set, len(self._slot_sets)),
                            slots_at=tuple(
                                sorted((i for i, p in enumerate(places) if p.slot), key=lambda i: places[i].slot != "device")
                            ),
                            reads=bool(intent.read),
                            device_at=next((i for i, p in enumerate(places) if p.slot == "device"), -1),
                            numbers=sum(bool(p.slot) and p.slot != "device" for p in places),
                            scaled=scaled,
                            needs=needs,
                            elsewhere=elsewhere,
                            moves=moves,
                            lasts=lasts or any(self._is_time(self.lexicon.slot_spec.get(p.slot)) for p in places),
                        )
                    )

    def _is_time(self, spec: int | None) -> bool:
        values = self.lexicon.specs[spec] if spec is not None else None
        return isinstance(values, NumberValues) and values.unit in DURATIONS

    def _own_words(self, intent: Intent) -> frozenset[str]:
        """The words of the names of an intent's own device."""
        own = self.house.members(intent.device) if intent.device else ()
        return frozenset(w for d in own for ways in self.house.devices[d].names.values() for way in ways for w in way)

    def _measures(self, intent: Intent) -> frozenset[str]:
        same = self.lexicon.language.same
        names = [*(w for name in intent.properties for w in words(name)), *self._own_words(intent)]
        lexicon = self.lexicon
        specs = (lexicon.specs[n] for name in intent.properties for n in lexicon.specs_of.get(name, ()))
        units = {spec.unit if isinstance(spec, NumberValues) else spec.sort for spec in specs}
        names += [w for unit in sorted(units) for w in lexicon.language.amounts.of_units.get(unit, ())]
        said = {w for name in names for w in (name, *same.get(name, ()))}
        language = self.lexicon.language
        return frozenset(said - words_of([intent], self.tag) - set(language.poles) - language.light)

    def weigh(self, word: str) -> float:
        """What a word of a phrase weighs."""
        language = self.lexicon.language
        if word in language.small:
            return WEIGHT[Role.SMALL]
        if word in language.light:
            return WEIGHT[Role.VERB]
        if word in language.poles:
            return WEIGHT[Role.POLE]
        if word in language.question:
            return WEIGHT[Role.TALK]
        return LITTLE_SAID if language.filler.whole((word,)) else WEIGHT[Role.WORD]

    def _places(self, positions: Sequence[tuple[Words, str, bool]], intent: Intent, names: frozenset[str]) -> tuple[Place, ...]:
        slots = {slot for _, slot, optional in positions if slot and not optional}
        measures, little = self._measured(positions, intent, slots), self._adding_little(intent, slots)
        last = max((i for i, (said, _, optional) in enumerate(positions) if said and not optional), default=-1)
        if intent.read or any(slot and slot != "device" for _, slot, _ in positions[last + 1 :]):
            last = -1  # a preposition leads to what follows it, and ends a question
        return tuple(
            self._slot_place(slot, intent) if slot else self._place(said, optional, names, measures, little, last=at == last)
            for at, (said, slot, optional) in enumerate(positions)
        )

    def _measured(self, positions: Sequence[tuple[Words, str, bool]], intent: Intent, slots: Set[str]) -> Set[str]:
        """The words of a phrase that only say what its values measure: the "speed" of "speed $speed", the "volume" of "less volume on $device"."""
        language = self.lexicon.language

        def called(names: Iterable[str]) -> set[str]:
            return {said for name in names for w in words(name) for said in (w, *language.same.get(w, ()))}

        found = called(name for name, setting in intent.set.items() if slot_of(setting) in slots) if len(slots) > 1 else set()
        directed = any(not optional and any(w in language.poles for w in said) for said, _, optional in positions)
        return found | called(intent.change) - language.poles.keys() if directed and "device" in slots else found

    def _adding_little(self, intent: Intent, slots: Set[str]) -> Set[str]:
        """The verbs that add little to the slots of a phrase, where these are two at least.

        A direction adds something, but not beside what a property becomes: the "dim" of "dim $device to $level".
        """
        language = self.lexicon.language
        if len(slots) < 2:
            return frozenset()
        verbs = self._verbs if len(slots - intent.defaults.keys()) > 1 else language.verbs  # "wash up" fades nothing up
        sets = any(slot_of(setting) in slots for setting in intent.set.values())
        return verbs if sets else verbs - language.poles.keys()

    def _place(
        self, said: Words, optional: bool, names: frozenset[str], measures: Set[str], little: Set[str], *, last: bool
    ) -> Place:
        """A place for words.

        Args:
            said: the words.
            optional: whether it may be left out.
            names: the words of the names of the intent's own device.
            measures: the words for what its values measure.
            little: the verbs that add little to its slots.
            last: whether no other words are said behind it, so that a word that may be a preposition is none: the "auf" of "mach die Luke auf".
        """
        for word in said:
            self.word_weight[word] = self.weigh(word)
        held_words = frozenset(said)
        number = self._positions.setdefault(held_words, len(self._positions))
        for word in said:
            held = self.of_word.setdefault(word, [])
            if number not in held:
                held.append(number)
        language = self.lexicon.language
        directing = {w for w in said if w in language.poles or (last and w in language.grammar.after_number_only)}
        directs = last or not directing <= language.small
        least = min(WEIGHT[Role.POLE] if directs and w in directing else self.word_weight[w] for w in said)
        small = least <= 2 * WEIGHT[Role.SMALL]
        own = bool(names) and all(w in names for w in said)
        measure = not small and held_words <= measures
        most = COSTS.missing_measure if measure else COSTS.missing_verb if held_words <= little else least
        missing = min(least, most)
        return Place(number, said, "", 0.0 if optional else missing, small, own=own, measure=measure)

    def _slot_place(self, slot: str, intent: Intent) -> Place:
        steps = [s.set for s in intent.steps if isinstance(s, SetWire)]
        used = any(slot_of(v) == slot for setting in (intent.set, *steps) for v in setting.values())
        changed = slot in intent.changed_by
        asked = slot in intent.ask
        missing = COSTS.missing_default if slot in intent.defaults else COSTS.missing_asked if asked else COSTS.missing_slot
        relation = "to" if used else "by" if changed else ""
        about: tuple[object, ...] = (slot, self.lexicon.fitting(intent)) if slot == "device" else (slot, intent.device, relation)
        if about not in self._keys:
            self._keys[about] = len(self._keys), self._taken.setdefault(self._taken_by(slot, intent), len(self._taken))
        key, taken = self._keys[about]
        return Place(slot=slot, missing=0.0 if slot == "pin" else missing, relation=relation, key=key, taken=taken)

    def _taken_by(self, slot: str, intent: Intent) -> Taken:
        """What a slot of an intent may take."""
        lexicon = self.lexicon
        if slot == "device":
            return Taken(devices=lexicon.fitting(intent))
        specs: Iterable[int] = lexicon.specs_of.get(slot, ())
        if slot in lexicon.slot_spec:
            specs = (lexicon.slot_spec[slot],)
        elif intent.device:
            members = self.house.members(intent.device)
            specs = dict.fromkeys(lexicon.spec_of[d, slot] for d in members if (d, slot) in lexicon.spec_of)
        specs = tuple(specs)
        ways = {way for spec in specs for way in lexicon.specs[spec].ways}
        anything = slot in ("room", "pin") or Way.FREE in ways or Way.DIGITS in ways
        return Taken(0, specs, Way.NUMBER in ways, anything)


def _same(one: Place, other: Place) -> bool:
    """Whether two places are for the same words."""
    return one.position >= 0 and one.position == other.position and one.missing == other.missing
