"""What the places of a phrase may take in one utterance: words, devices, rooms and values, each with what it costs."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from typing import cast

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.costs import COSTS
from glossa.hearing.device_rules import RANK
from glossa.hearing.devices import PLAIN_NAME, Devices, resolve
from glossa.hearing.lexicon import NamedSpan
from glossa.hearing.numbers import GUESSED, HOMOPHONE, ROUGH, Quantity
from glossa.hearing.roles import How, Role
from glossa.hearing.utterance import Utterance
from glossa.house.sorts import TEMPERATURES, NumberValues
from glossa.house.values import Value, Values, Way
from glossa.matching.alignment import Candidate, Option
from glossa.matching.grammar import Grammar, Pattern, Place, Taken

MOST_DEVICES, MOST_VALUES, MOST_FREE, MOST_WORDS = 8, 10, 120, 4
FREE_TOKENS = 14
"""Tokens of an utterance in which free words may end anywhere; in a longer one they go to its end."""


class Options(Struct, frozen=True, gc=False):
    """All options of a place, best first, the most that one of them saves at least, and what the heaviest weighs."""

    all: tuple[Option, ...] = ()
    least: float = -math.inf
    most: float = 0.0

    @classmethod
    def of(cls, options: Sequence[Option]) -> Options:
        """Options, with the most that one of them saves at least, and what the heaviest weighs."""
        if len(options) == 1:
            return cls((options[0],), options[0].least, options[0].weight)
        if not options:
            return NOTHING
        return cls(tuple(options), max(o.least for o in options), max(o.weight for o in options))


NOTHING = Options()


class Choices:
    """What places may take in one utterance; made for one utterance and thrown away.

    Args:
        utterance: what was heard, not empty and not too long.
        grammar: the compiled phrases.
        about: devices that were spoken of before, as a bit mask, which need not be named again.
        floors: what leaving each token unexplained costs at least; its weight unless given.
    """

    def __init__(self, utterance: Utterance, grammar: Grammar, about: int = 0, floors: Sequence[float] = ()) -> None:
        self.utterance, self.grammar = utterance, grammar
        self._floors = floors or utterance.weights
        self._floor = sum(self._floors)
        self._weighed: dict[int, tuple[float, float]] = {}
        corrections = grammar.lexicon.language.phrases("grammar", "correction")
        self._correcting = not corrections.first.keys().isdisjoint(utterance.words)
        self._named_floors: list[tuple[int, float]] | None = None
        self._value_floors: tuple[float, dict[int, float]] | None = None
        self._spoken_about = about
        self._absolute = grammar.lexicon.language.grammar.absolute
        self._directions = grammar.lexicon.language.grammar.directions
        self._slots: dict[int, Options] = {}
        self._values: dict[int, tuple[Option, ...]] = {}
        self._expressions = [(e, e.things.rank, round(e.cost, 9)) for e in utterance.expressions]
        self._named = -1 if about else 0
        for expression in utterance.expressions:
            self._named |= expression.things.devices
        self._devices: dict[int, Options] = {}
        self._numbers: tuple[Quantity, ...] | None = None
        self._named_values: dict[int, list[NamedSpan]] = {}
        for span in (s for spans in utterance.spans for s in spans if s.entry.value is not None):
            self._named_values.setdefault(span.entry.spec, []).append(span)
        self.hits = self._word_options()

    def weighed(self, tokens: int) -> tuple[float, float]:
        """What the tokens of a bit mask weigh, and what leaving them costs at least."""
        known = self._weighed.get(tokens)
        if known is None:
            floor, left = 0.0, tokens
            while left:
                low = left & -left
                floor += self._floors[low.bit_length() - 1]
                left ^= low
            known = self._weighed[tokens] = self.utterance.weight(tokens), floor
        return known

    def heaviest(self, taken: Taken) -> float:
        """What leaving the heaviest tokens that a place for a slot may take costs at least; minus infinity where it can take none."""
        if taken.devices:
            if self._spoken_about:
                return self._floor
            for devices, floor in self._floors_of_devices():
                if devices & taken.devices:
                    return floor
            return -math.inf
        if taken.anything:
            return self._floor
        numbers, named = self._floors_of_values()
        most = numbers if taken.numbers else -math.inf
        if named:
            most = max((most, *(named[spec] for spec in taken.specs if spec in named)))
        return self._floor if most > -math.inf and self._correcting else most

    def _floors_of_devices(self) -> list[tuple[int, float]]:
        """For the device expressions the devices that they may be, and what leaving their tokens costs at least, the heaviest first."""
        if self._named_floors is None:
            heaviest: dict[int, float] = {}
            for expression in self.utterance.expressions:
                devices, floor = expression.things.devices, self.weighed(expression.tokens)[1]
                if floor > heaviest.get(devices, -1.0):
                    heaviest[devices] = floor
            self._named_floors = sorted(heaviest.items(), key=lambda h: -h[1])
        return self._named_floors

    def _floors_of_values(self) -> tuple[float, dict[int, float]]:
        """What leaving the heaviest number costs at least, and for each specification the heaviest of its values that are named."""
        if self._value_floors is None:
            numbers = (self.weighed((1 << q.end) - (1 << q.start))[1] for q in self.utterance.quantities)
            named = {
                spec: max(self.weighed((1 << s.end) - (1 << s.start))[1] for s in spans)
                for spec, spans in self._named_values.items()
            }
            self._value_floors = max(numbers, default=-math.inf), named
        return self._value_floors

    # --- options of words -------------------------------------------------------------------------------------------

    def _word_options(self) -> dict[int, Options]:
        hits: dict[int, dict[tuple[int, int], Option]] = {}
        grammar, utterance = self.grammar, self.utterance
        for edges in utterance.edges:
            for edge in edges:
                positions = grammar.of_word.get(edge.word)
                if positions is None:
                    continue
                weight = grammar.word_weight[edge.word]
                cost = edge.cost * weight
                tokens = (1 << edge.end) - (1 << edge.start)
                heavy, floor = self.weighed(tokens)
                option = Option(heavy - cost, floor - cost, tokens, edge.start, edge.end, cost, weight, edge)
                for position in positions:
                    best = hits.setdefault(position, {})
                    known = best.get((edge.start, edge.end))
                    if known is None or cost < known.cost:
                        best[edge.start, edge.end] = option
        return {
            position: Options.of(
                [*best.values()] if len(best) == 1 else sorted(best.values(), key=lambda o: (-o.gain, o.start))[:MOST_WORDS]
            )
            for position, best in hits.items()
        }

    # --- options of slots -------------------------------------------------------------------------------------------

    def of_places(self, pattern: Pattern) -> list[Options]:
        """What every place of a phrase may take, each best first."""
        hits, slots = self.hits, self._slots
        return [hits.get(p.position, NOTHING) if p.position >= 0 else slots.get(p.key) or self.of_slot(p) for p in pattern.places]

    def of_slot(self, place: Place) -> Options:
        """What a place for a slot may take, best first."""
        known = self._slots.get(place.key)
        if known is None:
            if place.slot == "device":
                known = self._device_options(self.grammar.taken[place.taken].devices)
            else:
                options = self._slot_options(place)
                if place.relation == "by":  # nothing changes by "full"
                    options = [o for o in options if not any(e.word in self.grammar.extremes for e in o.edges)]
                known = Options.of(options)
            self._slots[place.key] = known
        return known

    def _device_options(self, among: int) -> Options:
        """The options for a device among some, which are the same for all sets that hold the same of the devices that were named."""
        named = among & self._named
        known = self._devices.get(named)
        if known is None:
            known = self._devices[named] = Options.of([self._option(c) for c in self.devices(among)])
        return known

    def _slot_options(self, place: Place) -> list[Option]:
        if place.slot == "room":
            return [self._option(self._room(s)) for s in self.utterance.rooms()]
        if place.slot == "pin":
            return [self._option(c) for c in self._digits() if len(str(c.value)) > 1]
        return [option for spec in self.grammar.taken[place.taken].specs for option in self.values(spec)]

    @staticmethod
    def _room(span: NamedSpan) -> Candidate:
        tokens = (1 << span.end) - (1 << span.start)
        return Candidate(span.start, span.end, tokens, span.entry.room, span.cost, used=span.used)

    def _option(self, candidate: Candidate, spec: int = -1) -> Option:
        weight, floor = self.weighed(candidate.tokens)
        if candidate.note == "words":  # free words fit anything, so they count on neither side of the score
            counts = COSTS.free - weight
        else:
            counts = max(weight, COSTS.least)
        cost = candidate.cost
        return Option(
            weight - cost, floor - cost, candidate.tokens, candidate.start, candidate.end, cost, counts, None, candidate, spec
        )

    def devices(self, among: int) -> list[Candidate]:
        """What the device expressions stand for among some devices, best first.

        Of the readings of the same words, those in the right room go before others, a name before a group, a group before a noun; beside the
        first one only those are kept that take other words by their sound. What lies inside another expression is not given where that
        is as cheap and means something else, or where it is the whole of a name of which this is a part.
        """
        spans: dict[int, list[tuple[int, Candidate]]] = {}
        unfit: list[int] = []  # plain names of devices that can't do it: the "lamp" of "floor lamp" is no other lamp
        for expression, rank, cost in self._expressions:
            devices = resolve(expression.things, among)
            if devices is not None:
                made = Candidate(expression.start, expression.end, expression.tokens, devices, cost, used=expression.used)
                spans.setdefault(expression.tokens, []).append((rank, made))
            elif rank <= RANK["group"] and expression.cost < PLAIN_NAME:
                unfit.append(expression.tokens)
        if unfit:  # the "telly" is the television rather than the telly lights, the "hut light" no other light in the wrong room
            for tokens, readings in spans.items():
                if tokens in unfit:
                    spans[tokens] = [
                        (r, replace(c, cost=c.cost + COSTS.other_name) if r == RANK["part"] or _devices(c).wrong_room else c)
                        for r, c in readings
                    ]
        kept = [c for readings in spans.values() for c in _first_ones(readings)]
        if unfit:
            kept = [c for c in kept if not any(c.tokens != t and c.tokens & t == c.tokens for t in unfit)]
        if len(kept) > 1:
            kept = [c for c in kept if not any(_hidden(c, o) for o in kept)]
        kept.sort(key=lambda c: (c.cost - self.weighed(c.tokens)[0], c.start, c.value.devices))  # type: ignore[union-attr]
        return [*self._spoken_of(among), *kept[:MOST_DEVICES]]

    def _spoken_of(self, among: int) -> list[Candidate]:
        """What was spoken of before, said with a pronoun or not at all."""
        devices = self._spoken_about & among
        if not devices:
            return []
        value = Devices(devices)
        language, words = self.grammar.lexicon.language, self.utterance.words
        pronouns = language.phrases("grammar", "pronouns")
        spans = [(at, at + n) for at in range(len(words)) for n in pronouns.starts(words, at)[:1]]
        said = [Candidate(a, b, (1 << b) - (1 << a), value, COSTS.assumed / 2, note="assumed") for a, b in spans]
        if devices & devices - 1:  # "one of them"
            open_ones = [(at, b) for a, b in spans for at, end in self.utterance.shares if end == a]
            some = Devices(devices, which=True)
            said = [Candidate(a, b, (1 << b) - (1 << a), some, COSTS.assumed / 2, note="assumed") for a, b in open_ones] or said
        return [*self._told_apart(devices, among), *said, Candidate(0, 0, 0, value, COSTS.assumed, note="assumed")]

    def _told_apart(self, devices: int, among: int) -> list[Candidate]:
        """ "the left one": of what was spoken of, or else of its kind, the one whose name holds every word before "one"."""
        utterance, lexicon = self.utterance, self.grammar.lexicon
        house, made = self.grammar.house, []
        for at, word in enumerate(utterance.words):
            start = at
            while start > 0 and utterance.roles[start - 1] in (Role.WORD, Role.POLE) and at - start < MOST_WORDS:
                start -= 1
            if word not in lexicon.language.grammar.one or start == at:
                continue
            kinds = {house.devices[d].kind for d in lexicon.devices(devices)}
            kin = lexicon.mask(d.id for d in house.devices.values() if d.kind in kinds) & among
            for offered in (devices, kin):
                fit = [d for d in lexicon.devices(offered) if self._holds(house.devices[d].names.values(), start, at)]
                if len(fit) == 1:
                    tokens = (1 << at + 1) - (1 << start)
                    made.append(Candidate(start, at + 1, tokens, Devices(lexicon.mask(fit)), 0.0, note="assumed"))
                    break
        return made

    def _holds(self, names: Iterable[Sequence[Sequence[str]]], start: int, end: int) -> bool:
        """Whether a name holds what each of some tokens was taken for."""
        held = {w for ways in names for way in ways for w in way}
        return all(any(e.word in held for e in self.utterance.edges[i] if e.end == i + 1) for i in range(start, end))

    def values(self, spec: int) -> tuple[Option, ...]:
        """Options for a slot or property of one specification, best first."""
        known = self._values.get(spec)
        if known is None:
            candidates = self._candidates(spec, self.grammar.lexicon.specs[spec])
            options = [self._option(c, spec) for c in candidates]
            if len(options) > 1:
                options.sort(key=lambda o: (-o.gain, o.start, str(o.candidate.value if o.candidate else "")))
            most = MOST_FREE if Way.FREE in self.grammar.lexicon.specs[spec].ways else MOST_VALUES
            known = self._values[spec] = tuple(options[:most])
        return known

    def _candidates(self, spec: int, values: Values) -> list[Candidate]:
        named: list[Candidate] = []
        for way in values.ways:
            named += self._heard(way, spec, values)
        return [*named, *self._corrected(named)] if values.corrected else named

    def _heard(self, way: Way, spec: int, values: Values) -> list[Candidate]:
        """The candidates for a value that are heard in one way."""
        if way in (Way.NAMED, Way.NAMED_AS_IS):
            named = [
                Candidate(s.start, s.end, (1 << s.end) - (1 << s.start), cast(Value, s.entry.value), s.cost, used=s.used)
                for s in self._named_values.get(spec, ())
                if not any(e.how & How.SYNONYM and self.utterance.words[e.start] in self._directions for e in s.used)
            ]  # "up" is no "boost"
            return named if way == Way.NAMED else [c for c in named if not any(e.how & How.FORM for e in c.used)]
        if way == Way.NUMBER:
            assert isinstance(values, NumberValues)
            numbers = self._usable_numbers() if values.unit else (*self._usable_numbers(), *self._before_own_units())
            made = [(q, c) for q in numbers if (c := fit(q, values)) is not None]
            return [c for q, fits in made for c in ((fits, *self._led(q, values)) if fits.outside else (fits,))]
        return self._digits() if way == Way.DIGITS else self._free()

    def _free(self) -> list[Candidate]:
        """Any stretch of words."""
        utterance = self.utterance
        count = len(utterance.words)
        ends = range(1, count + 1) if count <= FREE_TOKENS else (count,)
        return [
            Candidate(i, j, (1 << j) - (1 << i), utterance.written(i, j), 0.0, note="words")
            for i in range(count)
            for j in ends
            if i < j
        ]

    def _usable_numbers(self) -> tuple[Quantity, ...]:
        """The quantities that are not inside another one that is as plain, nor a homophone right before a number."""
        if self._numbers is None:
            small, words, roles = self.grammar.lexicon.language.small, self.utterance.words, self.utterance.roles
            every = [
                replace(q, cost=q.cost + COSTS.article) if q.cost >= HOMOPHONE and words[q.start] in small else q
                for q in self.utterance.quantities
                if not (q.cost >= HOMOPHONE and roles[q.start] == Role.BROKEN)  # the "to" of "dim the lamp to" is begun, not said
            ]
            plain_starts = {q.start for q in every if q.cost < HOMOPHONE}
            self._numbers = tuple(
                q
                for q in every
                if not (q.cost >= HOMOPHONE and q.end in plain_starts)
                and not any(
                    r is not q
                    and r.start <= q.start
                    and q.end <= r.end
                    and r.end - r.start > q.end - q.start
                    and r.cost < q.cost + ROUGH
                    for r in every
                )
            )
        return self._numbers

    def _led(self, quantity: Quantity, values: NumberValues) -> Iterator[Candidate]:
        """What a number that is out of range may be where a preposition was written as its first word: the "to forty" of "lamp two forty"."""
        words, at = self.utterance.words, quantity.start
        numbers, following = self.grammar.lexicon.language.numbers, words[at + 1] if at + 1 < len(words) else ""
        if words[at] not in self.grammar.lexicon.numbers.like_prepositions or (at and words[at - 1] in self._absolute):
            return
        if following in (*numbers.hundred, *numbers.scales):  # "two hundred" is nothing else
            return
        for rest in self.utterance.quantities:
            inside = fit(rest, values) if (rest.start, rest.end) == (at + 1, quantity.end) and rest.cost < HOMOPHONE else None
            if inside is not None and not inside.outside:
                yield replace(inside, start=at, tokens=inside.tokens | 1 << at, cost=inside.cost + GUESSED)

    def _before_own_units(self) -> Iterator[Quantity]:
        """Numbers before a unit that a phrase holds: the "forty" of "forty degrees" for "spotlight $bearing degrees"."""
        own, words = self.grammar.lexicon.vocabulary.words, self.utterance.words
        with_unit = {(q.start, q.end - 1) for q in self.utterance.quantities if q.unit and words[q.end - 1] in own}
        return (q for q in self.utterance.quantities if (q.start, q.end) in with_unit and not q.unit)

    def _corrected(self, named: Sequence[Candidate]) -> list[Candidate]:
        """ "red no blue": the last one counts."""
        corrections = self.grammar.lexicon.language.phrases("grammar", "correction")
        words = self.utterance.words
        if corrections.first.keys().isdisjoint(words):
            return []
        passed = {*self._absolute, *self.grammar.lexicon.articles}  # "ring Ann, no, the doctor"
        return [
            replace(b, start=a.start, tokens=(1 << b.end) - (1 << a.start), cost=b.cost + COSTS.apart, note="corrected")
            for a in named
            for b in named
            if b.start > a.end and corrections.whole([w for w in words[a.end : b.start] if w not in passed])
        ]

    def _digits(self) -> list[Candidate]:
        tokens, reader = self.utterance.tokens, self.grammar.lexicon.numbers
        made, at = [], 0
        while at < len(tokens):
            digits = reader.digits(tokens, at)
            if digits is None:
                at += 1
                continue
            end, said = digits
            made.append(Candidate(at, end, (1 << end) - (1 << at), said, 0.0, note="digits"))
            at = end
        return made


def fit(quantity: Quantity, values: NumberValues) -> Candidate | None:
    """A quantity as a value of a slot: its unit converted, its range looked at, rounded to the slot's step."""
    number, cost, unit = float(quantity.value), quantity.cost, quantity.unit
    if quantity.share and values.unit == "percent":
        low = 0.0 if values.minimum in (None, 1) else float(values.minimum or 0.0)  # 1: a range that only leaves out 0
        number = low + number * ((100.0 if values.maximum is None else values.maximum) - low)
    elif unit == "seconds" and values.duration:
        number = values.from_unit(number, unit)
    elif unit == "fahrenheit" and values.unit in TEMPERATURES:
        number = number * 5 / 9 if values.difference else (number - 32) * 5 / 9
    elif unit and unit not in _SAID_FOR.get(values.unit, (values.unit,)):
        cost += COSTS.unit
    if quantity.note == "ordinal" and values.unit == "percent":  # "to third" is rather a third
        cost += HOMOPHONE
    if not math.isfinite(number):
        return None
    value = values.nearest(number)
    outside = not values.within(value)
    if outside and values.outside == "clamp":
        value, outside = values.clamp(value), False
    tokens = (1 << quantity.end) - (1 << quantity.start)
    cost = round(cost + (COSTS.outside if outside else 0.0), 9)
    return Candidate(quantity.start, quantity.end, tokens, value, cost, outside, quantity.note)


_SAID_FOR = {"celsius": ("celsius", "degrees"), "fahrenheit": ("celsius", "degrees"), "degrees": ("celsius", "degrees")}
"""The spoken units that are as good as a unit's own: "degrees" are of warmth and of an angle."""


def _first_ones(readings: Sequence[tuple[int, Candidate]]) -> list[Candidate]:
    """Of the readings of the same words, the first, and those that take other words by their sound."""
    if len(readings) == 1:
        return [readings[0][1]]
    right = [r for r in readings if not _devices(r[1]).wrong_room] or list(readings)
    least = min(c.cost for _, c in right)
    first = min((r for r in right if r[1].cost <= least + COSTS.moved), key=lambda r: (r[0], r[1].cost))[1]
    meant, guessed = _devices(first), _guesses(first)
    others: dict[Devices, Candidate] = {}
    for _, candidate in right:
        devices = _devices(candidate)
        if devices != meant and _guesses(candidate) - guessed:
            if devices not in others or candidate.cost < others[devices].cost:
                others[devices] = candidate
    return [first, *others.values()]


def _devices(candidate: Candidate) -> Devices:
    assert isinstance(candidate.value, Devices)
    return candidate.value


def _guesses(candidate: Candidate) -> set[tuple[int, str]]:
    """The words of the house that were only guessed by sound, and where."""
    return {(e.start, e.word.removesuffix("s")) for e in candidate.used if e.how & How.SOUND}


def _hidden(one: Candidate, other: Candidate) -> bool:
    """Whether one candidate's tokens are some, not all, of another one's that is about as cheap and means something else, or is clearly cheaper."""
    if one.tokens == other.tokens or one.tokens & other.tokens != one.tokens:
        return False
    return other.cost <= (one.cost + COSTS.outside if one.value != other.value else one.cost - COSTS.outside)
