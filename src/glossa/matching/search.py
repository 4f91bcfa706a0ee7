"""The search: the cheapest ways to lay every phrase over an utterance.

A phrase and an utterance are aligned by choosing, for each place of the phrase, a stretch of tokens or none, no token twice. What is left
over on either side costs its weight, sound-alikes and other words cost a share of theirs, and places out of their order cost a little.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from heapq import heapify, heappop, heappush

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.devices import Devices
from glossa.hearing.roles import How, Role
from glossa.hearing.utterance import Utterance
from glossa.matching.aligner import Aligner
from glossa.matching.alignment import About, Alignment, Option
from glossa.matching.grammar import BUILT_IN, Grammar, Pattern, Place
from glossa.matching.options import Choices, Options
from glossa.matching.savings import Savings

FLOOR = 0.45
"""Alignments with a lower score are not given; of 10,763 rows and misheard rows that were acted on or asked about, none had less than 0.46."""

BEHIND = 1.05
"""Alignments that cost more than this, in content words, above the cheapest one are not given."""

ROUNDING = 2e-9
"""Costs are rounded to nine digits, what they are at least is not: one that is this much higher may be the same."""

MOST_ALIGNMENTS = 48
MOST_TRIED = 400
"""Ways to lay one phrase over the utterance that are looked at."""


MOST_STEPS = 1_250
"""Steps of a search, about 10 µs each; rows of real households take up to 800. What takes more is not understood, whatever it is."""
STEPS_OF_A_PHRASE = 2
"""What it costs to look at a phrase at all, in steps."""
NEVER = 1 << 30


Waiting = tuple[float, int, list[Options] | None]
"""A phrase that waits: what it costs at least, its number, and what its places can take where that is known."""


class Search:
    """Looks for alignments of one utterance; made for one utterance and thrown away.

    Args:
        utterance: what was heard, not empty and not too long.
        grammar: the compiled phrases.
        about: device ids that were spoken of before, which need not be named again.
        most: steps that it may take.

    Attributes:
        steps: how many steps it took.
    """

    def __init__(self, utterance: Utterance, grammar: Grammar, about: Iterable[str] = (), most: int = MOST_STEPS) -> None:
        self.utterance, self.grammar = utterance, grammar
        self.about = grammar.lexicon.mask(about)
        language = grammar.lexicon.language
        self._aligner = Aligner(utterance, language, COSTS.order * grammar.house.matching.order)
        floors = self._aligner.floors()
        self._floor, self._weight = sum(floors), sum(utterance.weights)
        self._choices = Choices(utterance, grammar, self.about, floors)
        self._said = frozenset(utterance.words)
        self._scaling = Role.AMOUNT in utterance.roles
        self._rests: dict[int, float] = {}
        self._hits = self._choices.hits
        self._savings = Savings(self._aligner, floors)
        self._most_asked = self._aligner.most_asked()
        self.steps, self._most_steps = 0, most
        self._with_others = self._aligner.others
        self._usual = not (self._with_others or self.about or utterance.pointed)
        self._measured = {number for word in self._said & grammar.of_measure.keys() for number in grammar.of_measure[word]}

    @property
    def ended(self) -> bool:
        """Whether it looked at everything that counts; one that took too many steps did not."""
        return self.steps <= self._most_steps

    def alignments(self) -> list[Alignment]:
        """Every alignment worth looking at, cheapest first; among equals the one that fits more, then the order of the house file."""
        patterns = self.grammar.patterns
        # Phrases wait in the order of what they cost at least: first by a rough bound, then by one that knows what their slots can take.
        waiting = self._loose_bounds()
        heapify(waiting)
        best = math.inf
        kept: list[Alignment] = []
        cheapest: dict[tuple[int, int], Alignment] = {}
        while waiting:
            bound, number, options = heappop(waiting)
            if bound > best + BEHIND + ROUNDING or self.steps > self._most_steps:
                break
            pattern = patterns[number]
            if options is None:
                self.steps += STEPS_OF_A_PHRASE
                options = self._choices.of_places(pattern)
                bound = self._bound(pattern, options)
                if bound <= self._most(pattern, options):
                    heappush(waiting, (bound, number, options))
                continue
            alike = id(pattern.intent), pattern.slot_set
            known = cheapest.get(alike)
            if (
                known is not None
                and known.cost + ROUNDING < bound
                and not self._says_more(pattern, options, known, best + BEHIND - bound)
            ):
                continue
            most = min(best + BEHIND, self._most(pattern, options)) + ROUNDING
            for alignment in self._lay(pattern, options, most):
                if alignment.score >= FLOOR:
                    kept.append(alignment)
                    best = min(best, alignment.cost)
                    if known is None or alignment.cost < known.cost:
                        known = cheapest[alike] = alignment
        if len(kept) > 1:
            kept.sort(key=lambda a: (a.cost, -a.score, a.pattern.number, [o.start if o else -1 for o in a.chosen]))
        return [a for a in kept if a.cost <= best + BEHIND + ROUNDING][:MOST_ALIGNMENTS]

    def _says_more(self, pattern: Pattern, options: Sequence[Options], known: Alignment, most: float) -> bool:
        """Whether a pattern that costs more than another one with the same slots may mean something else, for so much more than it costs at least."""
        if self._scaling or self.utterance.times_at:
            return True
        for place, offered in zip(pattern.places, options, strict=True):
            if not place.slot:
                continue
            took = known.candidate(place.slot)
            if took is None or offered.least + place.missing <= most:
                return True
            for option in offered.all:
                if offered.least - option.least <= most:
                    other = option.candidate
                    if other is None or other.value != took.value or other.outside != took.outside:
                        return True
        return False

    # --- laying a phrase over the utterance -------------------------------------------------------------------------

    def _loose_bounds(self) -> list[Waiting]:
        """For every pattern that counts a cost that no way to lay it can be under, without a look at what its slots can take.

        Those count of which a word was heard, and those that have no word that has to be said.
        """
        patterns, of_position, taken = self.grammar.patterns, self.grammar.of_position, self.grammar.taken
        saved = dict.fromkeys(self.grammar.unworded, 0.0)
        for position, options in self._hits.items():
            for missing, numbers in of_position[position].items():
                more = max(0.0, options.least + missing)
                for number in numbers:
                    saved[number] = saved.get(number, 0.0) + more
        by_slots: dict[int, float] = {}
        heaviest: dict[int, float] = {}
        found: list[Waiting] = []
        floor, beside, usual, measured = self._floor, self._savings.most, self._usual, self._measured
        for number, words in saved.items():
            pattern = patterns[number]
            slots = by_slots.get(pattern.slot_set)
            if slots is None:
                slots = 0.0
                for what, missing in pattern.slots:
                    if what not in heaviest:
                        heaviest[what] = self._choices.heaviest(taken[what])
                    slots += max(0.0, heaviest[what] + missing)
                by_slots[pattern.slot_set] = slots
            plain = usual and not (pattern.garbage or pattern.reads or number in measured)
            rest = floor + pattern.fixed if plain else self._rest(pattern)  # the same, without a call
            found.append((rest - beside - words - slots, number, None))
        return found

    def _bound(self, pattern: Pattern, options: Sequence[Options]) -> float:
        """A cost that no way to lay the pattern can be under."""
        cost = self._rest(pattern) - self._savings.beside(pattern, options).most - _saved_by_small(pattern, options)
        for number in pattern.main:
            saved = options[number].least + pattern.places[number].missing
            if saved > 0:
                cost -= saved
        return cost

    def _most(self, pattern: Pattern, options: Sequence[Options]) -> float:
        """What a way to lay the pattern may cost at most, so that its score can reach the floor."""
        weight = self._weight
        for place, offered in zip(pattern.places, options, strict=True):
            weight += max(offered.most, place.missing)
        return (1 - FLOOR) * weight

    def _rest(self, pattern: Pattern) -> float:
        """What it costs at least when no place of weight takes anything, with no clause beside it."""
        known = self._rests.get(pattern.number)
        if known is None:
            known = self._rests[pattern.number] = self._untaken(pattern)
        return known

    def _untaken(self, pattern: Pattern) -> float:
        cost = self._floor * COSTS.garbage if pattern.garbage else self._floor
        if not pattern.measures.isdisjoint(self._said):
            named = (w for word, w in zip(self.utterance.words, self.utterance.weights, strict=True) if word in pattern.measures)
            cost -= sum(max(0.0, w - WEIGHT[Role.SMALL]) for w in named)
        if self._with_others:  # the "turn" that "kill" was said for
            cost -= sum(p.missing for p in pattern.places if not self._with_others.isdisjoint(p.words))
        if pattern.reads:
            cost -= self._most_asked
        if self._about(pattern) == About.OWN:
            cost -= sum(p.missing for p in pattern.places if p.own)
        return cost + pattern.fixed

    def _about(self, pattern: Pattern) -> About:
        """What was spoken of before, seen from a pattern."""
        own, about = pattern.intent.device, self.about or self.utterance.pointed
        if not about or not own:
            return About.NOTHING
        return About.OWN if self.grammar.lexicon.mask(self.grammar.house.members(own)) == about else About.OTHER

    def _lay(self, pattern: Pattern, options: Sequence[Options], most: float) -> list[Alignment]:
        """The alignments of a pattern that cost no more than ``most``."""
        places = pattern.places
        order = sorted(pattern.main, key=lambda i: (i != pattern.device_at, len(options[i].all)))
        offers: list[list[Option | None]] = []
        ahead = [0.0]
        for number in reversed(order):
            missing = places[number].missing
            ahead.append(ahead[-1] + max(0.0, options[number].least + missing))
            offers.append([*(o for o in options[number].all if o.gain + missing > 0), None])
        offers.reverse()
        ahead.reverse()
        base = self._rest(pattern) - _saved_by_small(pattern, options)
        chosen: list[Option | None] = [None] * len(places)
        kept: list[Alignment] = []
        about = self._about(pattern)
        claimed = self._claimed(pattern)
        heard = [(i, [o for o in options[i].all if o.gain > 0]) for i in pattern.small if options[i].all]
        steps_of_an_alignment = len(self.utterance.words) // 4
        saved = self._savings.beside(pattern, options)
        before_it, behind_it, beside = saved.before, saved.behind, saved.most > 0
        last = len(order)

        # Of neighbours for the same words the first are filled first, in the order of the words: all other ways are the same.
        before = pattern.twins

        def visit(at: int, cost: float, tokens: int) -> None:
            nonlocal most
            if at == last:
                self.steps += steps_of_an_alignment
                taken = self._with_small(heard, chosen, tokens) if heard else tuple(chosen)
                alignment = self._aligner.align(pattern, taken, about=about, claimed=claimed)
                if alignment.cost <= most:
                    kept.append(alignment)
                    most = min(most, alignment.cost + BEHIND + ROUNDING)
                return
            number = order[at]
            place = places[number]
            spec = -1 if place.position >= 0 else self._spec(pattern, place, chosen)
            first = 0
            if number in before:
                twin = chosen[before[number]]
                first = twin.start + 1 if twin is not None else NEVER
            for option in offers[at]:  # nothing at last
                after, costing = tokens, cost
                if option is not None:
                    if option.start < first or option.tokens & tokens or (spec >= 0 and option.spec != spec):
                        continue
                    after, costing = tokens | option.tokens, cost - option.least - place.missing
                self.steps += 1
                least = costing - ahead[at + 1]
                if beside:
                    least -= before_it[(after & -after).bit_length() - 1] + behind_it[after.bit_length()]
                if least <= most and len(kept) < MOST_TRIED and self.steps <= self._most_steps:
                    chosen[number] = option
                    visit(at + 1, costing, after)

        self.steps += 1
        visit(0, base, 0)
        return kept

    def _claimed(self, pattern: Pattern) -> int:
        """The words of amount that a slot of the intent has a value for: "a bit" where the house says how much that is."""
        if not self._scaling:
            return 0
        tokens = 0
        for slot in pattern.scaled:
            for option in (
                self._choices.values(self.grammar.lexicon.slot_spec[slot]) if slot in self.grammar.lexicon.slot_spec else ()
            ):
                if option.candidate is not None and option.candidate.used and option.cost < COSTS.toward:
                    tokens |= option.tokens
        for at, role in enumerate(self.utterance.roles[:-1]):  # the "a" of "a lot" goes with the "lot"
            if role == Role.AMOUNT and tokens >> at + 1 & 1:
                tokens |= 1 << at
        return tokens

    def _spec(self, pattern: Pattern, place: Place, chosen: Sequence[Option | None]) -> int:
        """The specification that the value of a property has to be of, once the device is known; -1 for any."""
        lexicon = self.grammar.lexicon
        if place.slot in BUILT_IN or place.slot in lexicon.slot_spec:
            return -1
        device = chosen[pattern.device_at] if pattern.device_at >= 0 else None
        if device is not None and device.candidate is not None and isinstance(device.candidate.value, Devices):
            first = device.candidate.value.devices
            return lexicon.spec_of.get((lexicon.ids[(first & -first).bit_length() - 1], place.slot), -1)
        if pattern.intent.device:
            return lexicon.spec_of.get((self.grammar.house.members(pattern.intent.device)[0], place.slot), -1)
        return -1

    def _with_small(
        self, heard: Sequence[tuple[int, Sequence[Option]]], chosen: Sequence[Option | None], tokens: int
    ) -> tuple[Option | None, ...]:
        """A small word is taken where it stands free, best between its neighbours.

        Args:
            heard: the small places of which something was heard, each with what it may take.
            chosen: what the other places take, ``tokens`` as a bit mask.
        """
        made = list(chosen)
        for number, options in heard:
            free = [o for o in options if not o.tokens & tokens and _fits(o, made)]
            if not free:
                continue
            best = free[0]
            if len(free) > 1:
                before = max((o.end for o in made[:number] if o is not None), default=0)
                after = min((o.start for o in made[number + 1 :] if o is not None), default=len(self.utterance.words))
                best = min(free, key=lambda o: (not before <= o.start < after, o.cost, o.start))
            made[number] = best
            tokens |= best.tokens
        return tuple(made)


def _saved_by_small(pattern: Pattern, options: Sequence[Options]) -> float:
    """What the small places of a pattern save at most."""
    return sum(max(0.0, options[number].least) for number in pattern.small)


def _fits(option: Option, made: Sequence[Option | None]) -> bool:
    """Whether a small word was heard as it is, or by sound right before something of the phrase: "they" is only "the" before a name."""
    assert option.edge is not None
    return not option.edge.how & How.SOUND or any(o.start == option.end for o in made if o is not None and o.tokens)
