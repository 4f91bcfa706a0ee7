"""What the words of one house mean in one language: its vocabulary, and a tree of its names and values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import pairwise

from msgspec import Struct, field
from msgspec.structs import replace

from glossa.hearing.costs import COSTS
from glossa.hearing.house_words import (
    counted,
    openers,
    positions,
    verbs,
    ways_of_asking,
    ways_of_changing,
    ways_of_comparing,
    ways_of_opening,
    words_of,
)
from glossa.hearing.numbers import NumberReader
from glossa.hearing.roles import How
from glossa.hearing.series import Series, Stem
from glossa.hearing.vocabulary import Vocabulary, WordEdge
from glossa.house.effects import Fixed
from glossa.house.model import House, Intent
from glossa.house.sorts import DURATIONS, NumberValues
from glossa.house.values import Value, Values
from glossa.language import Language, PhraseSet, language_of, plural, plural_of, singulars_of
from glossa.language.phrases import Words

BUILT_IN_UNITS = ("percent", "celsius", "degrees", "fahrenheit", *DURATIONS)
MOST_PART_WORDS = 5
NO_WAYS: dict[Words, set[Words]] = {}
FOREIGN = 0.1
"""What a name of another language of the house costs."""
COSTLIEST_NAME = 1.2
"""What the words of a name may cost together."""


class Entry(Struct, frozen=True, gc=False):
    """What a run of words may name.

    Attributes:
        kind: ``name``, ``rest`` (a name without the room that it holds), ``group``, ``among`` (a group as the place of its members),
            ``noun``, ``nouns``, ``part``, ``room``, ``value``, or for names that are told apart by a number ``stem`` (the words before it)
            and ``member`` (the number), for such rooms ``room stem`` and ``room member``, or ``front``, the words before those that a
            name shares with another one.
        devices: the devices as a bit mask, the first of the file the lowest bit; those in it for a room.
        spec, value: for a value, the number of its specification, and the value; for the parts of numbered names the series, or the number.
        room: the room's id.
        cost: what naming it so costs.
        words: of a name and of a front.
        called: of nouns, the devices whose own names end with them.
        turned: whether it is a name with its noun at the other end.
    """

    kind: str
    devices: int = 0
    spec: int = -1
    value: Value | Stem | None = None
    room: str = ""
    cost: float = 0.0
    words: Words = ()
    turned: bool = False
    called: int = 0


class _Node(Struct):
    next: dict[str, _Node] = field(default_factory=dict)
    entries: list[Entry] = field(default_factory=list)


class NamedSpan(Struct, frozen=True, gc=False):
    """Tokens ``start`` to ``end`` that name something, with the word edges that took each token for a word."""

    start: int
    end: int
    entry: Entry
    cost: float
    used: tuple[WordEdge, ...]


class Lexicon:
    """The names, values and words of a house in one language.

    Attributes:
        vocabulary: its words.
        specs: the specifications of values, each once; ``spec_of`` by (device, property), ``slot_spec`` by slot, ``specs_of`` all of a property.
        having, settable: for a property, the devices that have it, and those on which it can be set, as bit masks.
        named: the words of the names of devices and groups; only_named: those that no phrase and no value has.
        of_noun_word: for a word of a noun, the devices that it may be said of.
        of_longer_value: for the number of a specification, the words of its values of several words.
        choices: the first words of values that are one of a choice, directions left out.
        numbers: what reads quantities.
        ordering: the words that its phrases order with. opening_words: those that they begin with.
        changing: for a property, the words of its phrases for one way of changing. asking: for a property, how one asks for it.
        opening: for an intent that raises or lowers something, the words that open or shut it. comparing: for one that changes something,
            the words that say what and in which direction.
        pairs: words that follow each other in names. series: the last words before the numbers of names that are told apart by them.
        several: runs of several words by their first one, with the other ways to say each.
    """

    def __init__(self, house: House, tag: str) -> None:
        self.house, self.tag = house, tag
        self.language: Language = language_of(house, tag)
        self.articles = frozenset(self.language.grammar.articles)
        self._series = Series(self.language)
        self.ids = tuple(house.devices)
        self._bit = {device: 1 << i for i, device in enumerate(house.devices)}
        self._root = _Node()
        self._words: set[str] = set()
        self._of_spec: dict[tuple[str, int], int] = {}
        self.pairs: set[tuple[str, str]] = set()
        self.series: set[str] = set()
        self._strict: dict[str, float] = {}
        self._kin: set[str] = set()
        self.choices: set[str] = set()
        self.specs: list[Values] = []
        self.spec_of: dict[tuple[str, str], int] = {}
        self.specs_of: dict[str, list[int]] = {}
        self._spec_numbers: dict[str, int] = {}
        self.slot_spec: dict[str, int] = {}
        self.having: dict[str, int] = {}
        self.settable: dict[str, int] = {}
        self.of_longer_value: dict[int, set[str]] = {}
        self.several: dict[str, dict[Words, set[Words]]] = {}
        for said, others in self._several_words().items():
            self.several.setdefault(said[0], {})[said] = others
        self._collect_specs()
        self._add_rooms()
        self._add_devices()
        for number, spec in enumerate(self.specs):
            self._add_values(number, spec)
        in_phrases = words_of(house.intents.values(), tag)
        self._strict = {w: cost for w, cost in self._strict.items() if w not in in_phrases}
        in_phrases.update(w for spec in self.specs for form in spec.forms(tag, self.language) for w in form.words)
        self._words |= in_phrases
        self.ordering = verbs(house, tag, self.language)
        self.opening_words = openers(house, tag, self.language)
        self.changing = ways_of_changing(house, tag, self.language)
        self.asking = ways_of_asking(house, self.language, self.changing)
        self.opening = ways_of_opening(house, tag, self.language)
        self.positions = positions(house, tag, self.language)
        self.comparing = ways_of_comparing(house, tag, self.language)
        self._words.update(w for said in self.comparing.values() for w in said)
        self._words.update(w for texts in self.asking.values() for text in texts for w in text)
        self._words.update(w for words in self.opening.values() for w in words)
        for ways in self.several.values():
            for said, others in ways.items():
                if all(w in self._words for w in said):
                    self._words.update(w for other in others for w in other)
        self.only_named = self.named - in_phrases
        self.valued = self.named | {w for spec in self.specs for form in spec.forms(tag, self.language) for w in form.words}
        wake = self.texts(house.wake.words) if house.wake is not None else ()  # "lamp on, ahoy barnacle"
        self.ignored = PhraseSet.of((*self.texts(house.words.ignore), *(w for w in wake if not self._words.issuperset(w))))
        same = [(a, b) for forms in self._household_same() for a in forms for b in forms if a != b]
        self.vocabulary = Vocabulary(
            self._words, self.language, same, house.words.sounds, self._strict, frozenset(self._kin), house.matching.sound, house.matching.synonyms, house.recogniser, self.pairs,
        )  # fmt: skip
        units: dict[str, str] = {}
        for spec in self.specs:
            if isinstance(spec, NumberValues) and spec.unit:
                own = (spec.unit, plural(spec.unit, self.language), spec.unit.removesuffix("s"))
                built_in = spec.unit in BUILT_IN_UNITS
                spoken = (" ".join(form) for form in self.texts(spec.unit_words))
                units.update(dict.fromkeys((*(() if built_in else own), *spoken), spec.unit))
        units.update(dict.fromkeys(counted(house, self.language, self._words), ""))
        self.multiples = tuple((float(factor), PhraseSet.of(p)) for factor, p in self.language.amounts.times.items())
        self.numbers = NumberReader(
            self.language, units, self._words, [language_of(house, t) for t in house.languages if t != tag]
        )

    # --- devices as bits --------------------------------------------------------------------------------------------

    def mask(self, ids: Iterable[str]) -> int:
        """Device ids as a bit mask."""
        mask = 0
        for device in ids:
            mask |= self._bit[device]
        return mask

    def devices(self, mask: int) -> tuple[str, ...]:
        """The device ids of a bit mask, in the file's order."""
        ids, found = self.ids, []
        while mask:
            low = mask & -mask
            found.append(ids[low.bit_length() - 1])
            mask ^= low
        return tuple(found)

    def akin(self, mask: int) -> int:
        """The devices that are of the same kinds as some, as a bit mask."""
        kinds = {self.house.devices[d].kind for d in self.devices(mask)}
        return self.mask(d.id for d in self.house.devices.values() if d.kind in kinds)

    def fitting(self, intent: Intent) -> int:
        """The devices that an intent can be for: they have every property of it, and take what it sets."""
        mask = (1 << len(self.ids)) - 1
        for name in intent.properties:
            mask &= (self.having if name == intent.read else self.settable).get(name, 0)
        unfit = 0
        for name, setting in intent.set.items():
            for spec in self.specs_of.get(name, ()):
                if isinstance(setting, Fixed) and self.specs[spec].written(setting.value) is None:
                    unfit |= self._of_spec[name, spec]
        return mask & ~unfit or mask

    # --- what the house holds ---------------------------------------------------------------------------------------

    def _household_same(self) -> list[tuple[Words, ...]]:
        same = self.house.words.same
        return [forms for key in (self.tag, "") for forms in same.get(key, ())]

    def _several_words(self) -> dict[Words, set[Words]]:
        """For a run of several words, the other ways to say it: "living room", "lounge"."""
        ways: dict[Words, set[Words]] = {}
        for forms in self._household_same():
            for one in forms:
                if len(one) > 1:
                    ways.setdefault(one, set()).update(f for f in forms if f != one)
        for apart, together in self.language.contractions.items():
            ways.setdefault(apart, set()).add(together)
        light = self.language.light | self.language.small
        for rewriting in self.language.rewritings:
            if len(rewriting.said) > 1 and not any(w in light for w in rewriting.said):
                ways.setdefault(rewriting.said, set()).add(rewriting.heard)
        return ways

    def otherwise(self, words: Words) -> Iterator[Words]:
        """The same words with one run of several exchanged for another way to say it."""
        for at, word in enumerate(words):
            for said, others in self.several.get(word, NO_WAYS).items():
                if words[at : at + len(said)] == said:
                    for other in sorted(others):
                        yield words[:at] + other + words[at + len(said) :]

    def _collect_specs(self) -> None:
        for device in self.house.devices.values():
            for name, prop in device.properties.items():
                spec = self.spec_of[device.id, name] = self._spec(prop.values)
                if spec not in self.specs_of.setdefault(name, []):
                    self.specs_of[name].append(spec)
                self._of_spec[name, spec] = self._of_spec.get((name, spec), 0) | self._bit[device.id]
                self.having[name] = self.having.get(name, 0) | self._bit[device.id]
                self.settable[name] = self.settable.get(name, 0) | (self._bit[device.id] if prop.command else 0)
        for name, values in self.house.slots.items():
            self.slot_spec[name] = self._spec(values)

    def _spec(self, values: Values) -> int:
        key = repr(values)
        if key not in self._spec_numbers:
            self._spec_numbers[key] = len(self.specs)
            self.specs.append(values)
        return self._spec_numbers[key]

    def bare(self, words: Words) -> Words:
        """The words of a name without articles; one at its end is a number: "lampe un"."""
        return (*(w for w in words[:-1] if w not in self.articles), *words[-1:])

    def _add(self, words: Iterable[str], entry: Entry, *, whole: bool = False) -> None:
        bare = tuple(words) if whole else self.bare(tuple(words))
        for way, cost in ((bare, 0.0), *((w, COSTS.household) for w in self.otherwise(bare))):
            node = self._root
            for word in way:
                node = node.next.setdefault(word, _Node())
            self._words.update(way)
            if entry.kind in ("name", "group", "room"):
                self.pairs.update(pairwise(way))
            made = replace(entry, cost=entry.cost + cost) if cost else entry
            if made not in node.entries:
                node.entries.append(made)

    def texts(self, by_language: Mapping[str, tuple[Words, ...]]) -> tuple[Words, ...]:
        """The texts of the language, and those that belong to every language."""
        return (*by_language.get(self.tag, ()), *by_language.get("", ()))

    def _add_rooms(self) -> None:
        devices = self.house.devices.values()
        self.in_room = {room: self.mask(d.id for d in devices if d.room == room) for room in self.house.rooms}
        for room, names in self.house.rooms.items():
            for name in self.texts(names):
                self._add(name, Entry("room", self.in_room[room], room=room))
                for other in self._series.otherwise(self.bare(name)):
                    self._add(other, Entry("room", self.in_room[room], room=room, cost=COSTS.household))
        named = {self.bare(n): self.in_room[room] for room, names in self.house.rooms.items() for n in self.texts(names)}
        self._add_numbered(named, "room ")

    def _add_devices(self) -> None:
        house, self._of_its_room = self.house, 0
        self._room_names = {name for names in house.rooms.values() for name in self.texts(names)}
        named: dict[Words, int] = {}
        rests: dict[Words, int] = {}
        parts: dict[Words, dict[int, float]] = {}
        nouns = {k: {n: plural_of(n, self.language) for n in self.texts(v.nouns)} for k, v in house.kinds.items()}
        of_noun: dict[Words, int] = {}
        called: dict[Words, int] = {}
        exact = {self.bare(name) for device in house.devices.values() for name in self.texts(device.names)}
        self.of_noun_word: dict[str, int] = {}
        for device in house.devices.values():
            mine, bit = nouns.get(device.kind, {}), self._bit[device.id]
            for noun in mine:
                of_noun[noun] = of_noun.get(noun, 0) | bit
            rooms = self.texts(house.rooms.get(device.room, {}))
            for name in self.texts(device.names):
                bare = self.bare(name)
                for noun, many in mine.items():
                    if self._ends_with(bare, noun) or self._ends_with(bare, many):
                        called[noun] = called.get(noun, 0) | bit
                for way in self._ways(bare, (*mine,)):
                    if way in exact and way != bare:
                        continue  # another noun than its own makes no other device's name of it
                    named[way] = named.get(way, 0) | bit
                    for rest in self._rests(way, rooms):
                        rests[rest] = rests.get(rest, 0) | bit
                        if rest in mine:
                            self._of_its_room |= bit
                    for part, cost in self._parts(way):
                        if part not in mine:
                            kept = parts.setdefault(part, {})
                            kept[bit] = min(cost, kept.get(bit, cost))
        for way, devices in self._named_elsewhere(named).items():
            self._add(way, Entry("name", devices, cost=FOREIGN))
        for name, owner in self._told_apart_by_articles():
            self._add(name, Entry("name", self._bit[owner]), whole=True)
        self._by_name = named
        for way, devices in named.items():
            self._add(way, Entry("name", devices, words=way))
            for other in self._series.otherwise(way):
                if other not in named:
                    self._add(other, Entry("name", devices, cost=COSTS.household, words=way))
            turned = self._turned(way)  # "the lamp on the left bedside"
            if turned and turned not in named:
                self._add(turned, Entry("name", devices, cost=COSTS.head_first, turned=True))
        self._add_numbered(named)
        self._add_fronts(named)
        for rest, devices in rests.items():
            self._add(rest, Entry("rest", devices))
        for part, costs in parts.items():
            best = min(costs.values())
            self._add(part, Entry("part", sum(d for d, c in costs.items() if c <= best + 1e-9), cost=best))
        for noun, devices in of_noun.items():
            many = plural_of(noun, self.language)
            if noun != many:
                self._add(noun, Entry("noun", devices))
            self._add(many, Entry("nouns", devices, called=called.get(noun, 0)))
            for word in {*noun, *many}:
                self.of_noun_word[word] = self.of_noun_word.get(word, 0) | devices
        for kind in house.kinds.values():
            devices = self.mask(d.id for d in house.devices.values() if d.kind == kind.id)
            for many in self.texts(kind.plurals):
                self._add(many, Entry("nouns", devices))
        for group in house.groups.values():
            self._add_group(self.texts(group.names), self.mask(group.members))
        groups = (n for g in house.groups.values() for n in self.texts(g.names))
        self.named = frozenset(w for way in (*named, *groups) for w in self.bare(way))

    def _ends_with(self, name: Words, noun: Words) -> bool:
        """Whether a noun stands where a name of the language has its noun."""
        return (name[-len(noun) :] if self.language.grammar.head == "last" else name[: len(noun)]) == noun

    def _add_numbered(self, named: Mapping[Words, int], before: str = "") -> None:
        """The two parts of names that are told apart by a number, for "spots one and three", as entries of two kinds."""
        stems, members = self._series.parts(named)
        for words, stem in stems.items():
            self._add(words, Entry(f"{before}stem", stem.devices, value=stem))
        for number, devices in members.items():
            for words in self._series.which(number):
                self._add(words, Entry(f"{before}member", devices, value=self._series.number(number)))
        self.series |= {words[-1] for words in stems}

    def _add_fronts(self, named: Mapping[Words, int]) -> None:
        """What stands before the words that a name shares with others, for "the left and right bedside lamps"."""
        if self.language.grammar.head != "last":
            return
        holders: dict[Words, int] = {}
        for way in named:
            for at in range(1, len(way)):
                holders[way[at:]] = holders.get(way[at:], 0) + 1
        fronts: dict[Words, int] = {}
        for way, devices in named.items():
            for at in range(1, len(way)):
                if holders[way[at:]] > 1 and not self._series.split(way)[1]:
                    fronts[way[:at]] = fronts.get(way[:at], 0) | devices
        for front, devices in fronts.items():
            self._add(front, Entry("front", devices, words=front))

    def sharing(self, front: Words, name: Words) -> int:
        """The device whose name is a front and the end of another name, as a bit mask: "left" and "right bedside lamp"; 0 for none."""
        found = (self._by_name.get(front + name[at:], 0) for at in range(1, len(name)))
        return next((d for d in found if d.bit_count() == 1), 0)

    def one_of(self, inside: int) -> int:
        """Of the devices of a room those that "the one" may be: "kitchen light" rather than the hood light of the kitchen."""
        plain = {self.house.devices[d].kind for d in self.devices(inside & self._of_its_room)}
        return inside & (self._of_its_room | ~self.mask(d.id for d in self.house.devices.values() if d.kind in plain))

    def _told_apart_by_articles(self) -> list[tuple[Words, str]]:
        """Names that are one without their articles, and the device of each: "his lamp" and "her lamp"."""
        names = [(name, d.id) for d in self.house.devices.values() for name in self.texts(d.names)]
        owners: dict[Words, set[str]] = {}
        for name, device in names:
            owners.setdefault(self.bare(name), set()).add(device)
        return [(name, device) for name, device in names if self.bare(name) != name and len(owners[self.bare(name)]) > 1]

    def _named_elsewhere(self, named: Mapping[Words, int]) -> dict[Words, int]:
        """Names of the house's other languages that are none in this one; they are heard in its sentences too."""
        found: dict[Words, int] = {}
        others = [tag for tag in self.house.languages if tag != self.tag]
        for device in self.house.devices.values():
            for name in (n for tag in others for n in device.names.get(tag, ())):
                bare = self.bare(name)
                if bare not in named:
                    found[bare] = found.get(bare, 0) | self._bit[device.id]
        return found

    def _add_group(self, names: Iterable[Words], members: int) -> None:
        for name in names:
            self._add(name, Entry("group", members))
            self._add(name, Entry("among", members))
            turned = self._turned(name)  # "the lights upstairs"
            if turned:
                self._add(turned, Entry("group", members, cost=COSTS.head_first / 2))
            for one in singulars_of(name, self.language):  # "evening lamp" is one of the evening lamps
                self._add(one, Entry("noun", members))

    def _turned(self, name: Words) -> Words:
        """A name with its noun at the other end."""
        if len(name) < 2 or self._series.split(name)[1]:
            return ()
        return (name[-1], *name[:-1]) if self.language.grammar.head == "last" else (*name[1:], name[0])

    def _ways(self, name: Words, nouns: Sequence[Words]) -> Iterator[Words]:
        """A name without articles, and the same with its class word exchanged for the kind's other ones."""
        bare, number = self._series.split(name)
        for way in self._renamed(bare, nouns, least=len(number)):
            yield way + number

    def _renamed(self, bare: Words, nouns: Sequence[Words], least: int) -> Iterator[Words]:
        yield bare
        last = self.language.grammar.head == "last"
        forms = [f for n in nouns for f in (n, plural_of(n, self.language))]
        if nouns and not any(self._ends_with(bare, f) for f in forms):  # a lamp called "shaving mirror" is the mirror light too
            yield from ((*bare, *noun) if last else (*noun, *bare) for noun in nouns)
        for noun in nouns:
            for form in (noun, plural_of(noun, self.language)):
                if len(bare) + least > len(form) and self._ends_with(bare, form):
                    for other in nouns:
                        said = other if form == noun else plural_of(other, self.language)
                        if said != form:
                            yield bare[: -len(form)] + said if last else said + bare[len(form) :]

    def _rests(self, way: Words, rooms: Sequence[Words]) -> Iterator[Words]:
        """What is left of a name that holds its room."""
        for room in rooms:
            for at in range(len(way) - len(room) + 1):
                if way[at : at + len(room)] == room and len(way) > len(room):
                    yield way[:at] + way[at + len(room) :]

    def _parts(self, way: Words) -> Iterator[tuple[Words, float]]:
        """Parts of a name: those that keep its noun, and at a price its other words alone; a number alone names nothing."""
        if not 1 < len(way) <= MOST_PART_WORDS:
            return
        last = self.language.grammar.head == "last"
        head = len(self._series.split(way)[0]) - 1 if last else 0
        others = [i for i in range(len(way)) if i != head]
        for bits in range((1 << len(others)) - 1):
            kept = tuple(way[i] for i in sorted((head, *(i for at, i in enumerate(others) if bits >> at & 1))))
            directs = all(w in self.language.poles for w in kept)  # the "warmer" of a "boot warmer"
            yield kept, COSTS.first_words if directs else COSTS.part
        for end in range(1, len(way)):
            first = way[:end] if last else way[-end:]
            says = any(w not in self.language.poles and not self._series.counts(w) for w in first)
            if says and first not in self._room_names:
                yield first, COSTS.first_words

    def _add_values(self, number: int, spec: Values) -> None:
        for form in spec.forms(self.tag, self.language):
            if form.kin:
                self._kin.update(form.words)
            if form.farthest is not None:
                self._strict.update({w: form.farthest for w in form.words if w not in self._words})
            bare = self.bare(form.words)
            if isinstance(form.value, str) and self.language.poles.keys().isdisjoint(form.words):
                self.choices.add(form.words[0])
            superlative = len(bare) > 1 and bare[0] in self.language.poles  # "au plus bas" is no "plus bas"
            self._add(form.words, Entry("value", spec=number, value=form.value, cost=form.cost), whole=superlative)
            if len(form.words) > 1:
                self.of_longer_value.setdefault(number, set()).update(form.words)

    # --- what an utterance holds ------------------------------------------------------------------------------------

    def spans(self, edges: Sequence[Sequence[WordEdge]], skips: Sequence[float]) -> tuple[tuple[NamedSpan, ...], ...]:
        """Every entry in an utterance, by the token that it starts at.

        Args:
            edges: for every token, what it can be taken for.
            skips: what it costs to pass over a token inside a name; infinite where it can't be.
        """
        count = len(edges)
        every = []
        for start in range(count):
            best: dict[tuple[int, int], NamedSpan] = {}
            stack: list[tuple[_Node, int, float, tuple[WordEdge, ...]]] = [(self._root, start, 0.0, ())]
            while stack:
                node, here, cost, used = stack.pop()
                if used and used[-1].end == here:
                    for entry in node.entries:
                        price = cost + entry.cost
                        if entry.turned and any(e.how & How.SOUND for e in used):
                            price += COSTS.turned
                        key = (here, id(entry))
                        if key not in best or price < best[key].cost:
                            best[key] = NamedSpan(start, here, entry, price, used)
                if here >= count or cost > COSTLIEST_NAME or not node.next:
                    continue
                for edge in edges[here]:
                    after = node.next.get(edge.word)
                    if after is not None:
                        stack.append((after, edge.end, cost + edge.cost, (*used, edge)))
                if used and skips[here] < 1 and here - used[-1].end < 2:
                    stack.append((node, here + 1, cost + skips[here], used))
            every.append(tuple(best.values()))
        return tuple(every)
