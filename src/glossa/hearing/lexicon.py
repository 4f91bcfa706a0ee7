"""What the words of one house mean in one language: its vocabulary, and a tree of its names and values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from glossa.hearing.colours import spoken_colours
from glossa.hearing.language import Language, PhraseSet, load_language, plural
from glossa.hearing.numbers import NumberReader
from glossa.hearing.vocabulary import Step, Vocabulary
from glossa.house.model import House
from glossa.house.text import words as fold_words
from glossa.house.values import DURATIONS, Value, Values, texts_for

Words = tuple[str, ...]
BUILT_IN_UNITS = ("percent", "celsius", "degrees", "fahrenheit", *DURATIONS)
MOST_PART_WORDS = 5
EXACT, NEARLY = 0.0, 0.2
"""How far by sound the built-in words for "full" and the many colour names may be from what was heard."""


class Entry(Struct, frozen=True):
    """What a run of words may name.

    Attributes:
        kind: ``name``, ``rest`` (a name without the room that it holds), ``group``, ``noun``, ``part``, ``room`` or ``value``.
        ids: devices, in the file's order; the room for a room, the group for a group.
        many: whether it means all of them.
        spec: for a value, the number of the specification that it belongs to.
        value: the value.
    """

    kind: str
    ids: tuple[str, ...] = ()
    many: bool = False
    spec: int = -1
    value: Value | None = None
    cost: float = 0.0


class _Node(Struct):
    next: dict[str, _Node] = field(default_factory=dict)
    entries: list[Entry] = field(default_factory=list)


class Atom(Struct):
    """An entry found in an utterance, over tokens ``start`` to ``end``, with the steps that took each token for a word."""

    start: int
    end: int
    entry: Entry
    cost: float
    steps: tuple[Step, ...]


class Lexicon:
    """The names, values and words of a house in one language."""

    def __init__(self, house: House, tag: str) -> None:
        self.house, self.tag = house, tag
        self.language: Language = load_language(tag)
        self.articles = frozenset(self.language.section("grammar").get("articles", ()))
        self._root = _Node()
        self._words: set[str] = set()
        self._strict: dict[str, float] = {}
        self._kin: set[str] = set()
        self.specs: list[Values] = []
        self.spec_of: dict[tuple[str, str], int] = {}
        self.specs_of: dict[str, list[int]] = {}
        self._spec_keys: dict[str, int] = {}
        self.slot_spec: dict[str, int] = {}
        self._collect_specs()
        self._add_rooms()
        self._add_devices()
        for number, spec in enumerate(self.specs):
            self._add_values(number, spec)
        for intent in house.intents.values():
            for phrase in texts_for_phrases(intent.phrases, tag):
                for sequence in phrase.sequences:
                    for position in sequence.positions:
                        self._words.update(position.words)
                        for word in position.words:
                            self._strict.pop(word, None)
        self.ignored = PhraseSet.of(w for key in (tag, "") for w in house.words.ignore.get(key, ()))
        same = [s for key in (tag, "") for s in house.words.same.get(key, ())]
        single = [frozenset(w[0] for w in forms if len(w) == 1) for forms in same]
        for group in single:
            if any(self._known(w) for w in group):
                self._words.update(group)
        self.rewrites: dict[str, list[tuple[Words, Words, float]]] = {}
        for heard, said, cost in self._rewrites(same):
            self.rewrites.setdefault(heard[0], []).append((heard, said, cost))
        self.vocabulary = Vocabulary(
            self._words,
            self.language,
            [g for g in single if len(g) > 1],
            house.words.sounds,
            self._strict,
            frozenset(self._kin),
            house.matching.sound,
            house.matching.synonyms,
        )
        units = {}
        for spec in self.specs:
            if spec.unit and spec.unit not in BUILT_IN_UNITS:
                units.update(
                    {spec.unit: spec.unit, plural(spec.unit, self.language): spec.unit, spec.unit.removesuffix("s"): spec.unit}
                )
        times = self.language.section("amounts").get("times", {})
        self.multiples = [(float(factor), PhraseSet.of(phrases)) for factor, phrases in times.items()]
        self.numbers = NumberReader(self.language, units)

    def _known(self, word: str) -> bool:
        return word in self._words

    def _rewrites(self, same: Sequence[tuple[Words, ...]]) -> Iterator[tuple[Words, Words, float]]:
        """(heard words, said words, cost) for every way to say it otherwise that takes more than one word."""
        for forms in same:
            for heard in forms:
                for said in forms:
                    if heard != said and (len(heard) > 1 or len(said) > 1):
                        yield heard, said, 0.03
        for heard, said in self.language.rewrites:
            whole = " ".join(heard)
            if whole not in self._words and not (len(heard) == 1 and heard[0] in self._words):
                yield heard, said, 0.15

    # --- what the house holds ---------------------------------------------------------------------------------------

    def _collect_specs(self) -> None:
        for device in self.house.devices.values():
            for name, prop in device.properties.items():
                self.spec_of[device.id, name] = self._spec(prop.values)
        for (_, name), spec in self.spec_of.items():
            if spec not in self.specs_of.setdefault(name, []):
                self.specs_of[name].append(spec)
        for name, values in self.house.slots.items():
            self.slot_spec[name] = self._spec(values)

    def _spec(self, values: Values) -> int:
        key = repr(values)
        if key not in self._spec_keys:
            self._spec_keys[key] = len(self.specs)
            self.specs.append(values)
        return self._spec_keys[key]

    def _add(self, words: Iterable[str], entry: Entry) -> None:
        kept = tuple(words)
        bare = tuple(w for w in kept if w not in self.articles) or kept
        node = self._root
        for word in bare:
            node = node.next.setdefault(word, _Node())
        self._words.update(bare)
        if entry not in node.entries:
            node.entries.append(entry)

    def _texts(self, by_language: Mapping[str, tuple[Words, ...]]) -> tuple[Words, ...]:
        return (*by_language.get(self.tag, ()), *by_language.get("", ()))

    def _add_rooms(self) -> None:
        for room, names in self.house.rooms.items():
            for name in self._texts(names):
                self._add(name, Entry("room", (room,)))

    def _add_devices(self) -> None:
        house = self.house
        self._room_names = {name for names in house.rooms.values() for name in self._texts(names)}
        named: dict[Words, list[str]] = {}
        rests: dict[Words, list[str]] = {}
        parts: dict[Words, dict[str, float]] = {}
        nouns: dict[str, tuple[Words, ...]] = {k: self._texts(v.nouns) for k, v in house.kinds.items()}
        of_noun: dict[Words, list[str]] = {}
        for device in house.devices.values():
            mine = nouns.get(device.kind, ())
            for noun in mine:
                of_noun.setdefault(noun, []).append(device.id)
            rooms = self._texts(house.rooms.get(device.room, {}))
            for name in self._texts(device.names):
                for way in self._ways(name, mine):
                    named.setdefault(way, []).append(device.id)
                    for rest in self._rests(way, rooms):
                        rests.setdefault(rest, []).append(device.id)
                    for part, cost in self._parts(way):
                        if part not in mine:
                            kept = parts.setdefault(part, {})
                            kept[device.id] = min(cost, kept.get(device.id, cost))
        for way, ids in named.items():
            self._add(way, Entry("name", self._ordered(ids)))
            turned = (way[-1], *way[:-1])  # "the lamp on the left bedside"
            if len(way) > 1 and turned not in named:
                self._add(turned, Entry("name", self._ordered(ids), cost=0.05))
        for rest, ids in rests.items():
            self._add(rest, Entry("rest", self._ordered(ids)))
        for part, costs in parts.items():
            best = min(costs.values())
            self._add(part, Entry("part", self._ordered(d for d, c in costs.items() if c <= best + 1e-9), cost=best))
        for noun, ids in of_noun.items():
            many = plural_of(noun, self.language)
            alone = noun == many
            if not alone:
                self._add(noun, Entry("noun", self._ordered(ids)))
            self._add(many, Entry("noun", self._ordered(ids), many=True))
        for group in house.groups.values():
            for name in self._texts(group.names):
                self._add(name, Entry("group", group.members, many=True))
                if len(name) > 1:  # "the lights upstairs"
                    self._add((name[-1], *name[:-1]), Entry("group", group.members, many=True, cost=0.02))
        self.name_words = frozenset(
            w for way in (*named, *(n for g in house.groups.values() for n in self._texts(g.names))) for w in way
        )

    def _ordered(self, ids: Iterable[str]) -> tuple[str, ...]:
        held = set(ids)
        return tuple(d for d in self.house.devices if d in held)

    def _ways(self, name: Words, nouns: Sequence[Words]) -> Iterator[Words]:
        """A name, and the same with its class word exchanged for the kind's other ones."""
        bare = tuple(w for w in name if w not in self.articles) or name
        yield bare
        forms = [f for n in nouns for f in (n, plural_of(n, self.language))]
        if nouns and not any(bare[-len(f) :] == f for f in forms):  # a lamp called "shaving mirror" is the mirror light too
            yield from ((*bare, *noun) for noun in nouns)
        for noun in nouns:
            for form in (noun, plural_of(noun, self.language)):
                if len(bare) > len(form) and bare[-len(form) :] == form:
                    for other in nouns:
                        said = other if form == noun else plural_of(other, self.language)
                        if said != form:
                            yield bare[: -len(form)] + said

    def _rests(self, way: Words, rooms: Sequence[Words]) -> Iterator[Words]:
        """What is left of a name that holds its room."""
        for room in rooms:
            for at in range(len(way) - len(room) + 1):
                if way[at : at + len(room)] == room and len(way) > len(room):
                    yield way[:at] + way[at + len(room) :]

    def _parts(self, way: Words) -> Iterator[tuple[Words, float]]:
        """Parts of a name: those that keep its last word, and at a price its first words alone."""
        if not 1 < len(way) <= MOST_PART_WORDS:
            return
        for mask in range(1 << (len(way) - 1)):
            kept = tuple(w for i, w in enumerate(way[:-1]) if mask >> i & 1)
            if len(kept) < len(way) - 1:
                yield (*kept, way[-1]), 0.05
        for end in range(1, len(way)):
            if any(w not in self.language.poles for w in way[:end]) and way[:end] not in self._room_names:
                yield way[:end], 0.4

    def _add_values(self, number: int, spec: Values) -> None:
        for value in spec.choices:
            spoken = texts_for(spec.spoken.get(value, {}), self.tag)
            built_in = self.language.section("switch").get(value, ()) if spec.type == "switch" else ()
            own = () if spoken and spec.type == "switch" and self.tag != "en" else (value,)
            for text in (*own, *built_in, *spoken):
                if fold_words(text):
                    self._add(fold_words(text), Entry("value", spec=number, value=value))
        for key in (self.tag, ""):
            for text, named in spec.named.get(key, {}).items():
                self._add(text.split(), Entry("value", spec=number, value=named))
        if spec.ranged:
            low, high = spec.limits()
            for name, reached in (("maximum", high), ("minimum", low), ("halfway", low + (high - low) / 2)):
                for text in self.language.section("numbers").get(name, ()):
                    self._strict.update({w: EXACT for w in text.split() if w not in self._words})
                    self._add(text.split(), Entry("value", spec=number, value=spec.nearest(reached), cost=0.02))
        if spec.type == "colour":
            for words, colour in spoken_colours(self.language).items():
                self._kin.update(words)
                self._strict.update({w: NEARLY for w in words if w not in self._words})
                self._add(words, Entry("value", spec=number, value=colour))

    # --- what an utterance holds ------------------------------------------------------------------------------------

    def atoms(self, words: Sequence[str], steps: Sequence[Sequence[Step]], skips: Sequence[float]) -> list[list[Atom]]:
        """Every entry in an utterance, by the token that it starts at.

        Args:
            words: the tokens' words.
            steps: for every token, what it can be taken for.
            skips: what it costs to pass over a token inside a name; infinite where it can't be.
        """
        found: list[list[Atom]] = [[] for _ in words]
        for start in range(len(words)):
            best: dict[tuple[int, int], Atom] = {}
            stack: list[tuple[_Node, int, float, tuple[Step, ...]]] = [(self._root, start, 0.0, ())]
            while stack:
                node, here, cost, taken = stack.pop()
                for entry in node.entries:
                    key = (here, id(entry))
                    if key not in best or cost + entry.cost < best[key].cost:
                        best[key] = Atom(start, here, entry, cost + entry.cost, taken)
                if here >= len(words) or cost > 1.2:
                    continue
                for step in steps[here]:
                    after = node.next.get(step.word)
                    if after is not None:
                        stack.append((after, step.end, cost + step.cost, (*taken, step)))
                if taken and skips[here] < 1 and node.next and (not taken or here - taken[-1].end < 2):
                    stack.append((node, here + 1, cost + skips[here], taken))
            found[start] = [a for a in best.values() if a.steps and a.end == a.steps[-1].end]
        return found


def plural_of(words: Words, language: Language) -> Words:
    """A noun of several words in the plural; one that is a plural already stays."""
    last = words[-1]
    if last.endswith("s") and not last.endswith("ss") and len(last) > 3 and last not in ("bus", "gas", "canvas", "iris"):
        return words
    return (*words[:-1], plural(last, language))


def texts_for_phrases(phrases: Mapping[str, tuple[Any, ...]], tag: str) -> tuple[Any, ...]:
    """The phrases of a language, and those that belong to every language."""
    return (*phrases.get(tag, ()), *phrases.get("", ()))
