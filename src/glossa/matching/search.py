"""The search: the best way to lay every phrase over an utterance.

A phrase and an utterance are aligned by choosing, for each place of the phrase, a stretch of tokens or none, no token
twice.  What is left over on either side costs its weight, sound-alikes and other words cost a share of theirs, and places
out of their order cost ``ORDER`` each.  The score is ``1 - cost / (weight of the utterance + weight of the phrase)``.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec import Struct

from glossa.hearing.heard import SMALL, Candidate, Heard
from glossa.hearing.vocabulary import Step
from glossa.house.model import Intent
from glossa.house.values import tidy
from glossa.matching.grammar import Element, Grammar, Pattern
from glossa.matching.meaning import meaning
from glossa.matching.result import Piece, Reading, SlotValue

ORDER = 0.12
MISFIT_RELATION = 0.8
UNKNOWN_UNIT = 0.6
GARBAGE_SHARE = 0.1
FLOOR = 0.3
"""Readings with a lower score are not given."""

BEHIND = 0.35
"""Readings further than this behind the best one are not given."""

SLACK = 1.6
FREE_WORDS = 0.3
MOST_LEAVES = 64
MOST_READINGS = 5


class Option(Struct):
    """A stretch of tokens that an element may take."""

    gain: float
    mask: int
    start: int
    end: int
    cost: float
    weight: float
    candidate: Candidate | None = None
    step: Step | None = None
    spec: int = -1


class Options(Struct):
    """All options of an element, best first, with the largest gain and weight among them."""

    all: tuple[Option, ...] = ()
    gain: float = float("-inf")
    weight: float = 0.0

    @classmethod
    def of(cls, options: Sequence[Option]) -> Options:
        """Options with their largest gain and weight."""
        if not options:
            return NOTHING
        return cls(tuple(options), max(o.gain for o in options), max(abs(o.weight) for o in options))


NOTHING = Options()


class Leaf(Struct):
    """One way to lay a pattern over the utterance."""

    score: float
    pattern: Pattern
    chosen: tuple[Option | None, ...]
    cost: float
    weight: float
    inversions: int
    relation: tuple[int, ...]
    strange: tuple[int, ...]
    covered: int


class Search:
    """Reads one utterance with one grammar.

    Args:
        heard: the utterance taken apart.
        grammar: the compiled phrases.
        extra: what was paid for before, such as a rewriting.
        live: whether an intent's phrases count.
    """

    def __init__(
        self, heard: Heard, grammar: Grammar, extra: float = 0.0, live: Callable[[Intent], bool] = lambda _: True
    ) -> None:
        self.heard, self.grammar, self.extra, self.live = heard, grammar, extra, live
        self.order = ORDER * grammar.house.matching.order
        self.total = heard.weight(0, len(heard.words))
        self._hits = self._find_hits()
        self._said = frozenset(heard.words)
        self._slots: dict[int, Options] = {}
        words = grammar.lexicon.language.section("grammar")
        self._relative = frozenset(words.get("relative", ()))
        self._absolute = frozenset(words.get("absolute", ()))

    def leaves(self, least: float = FLOOR) -> list[Leaf]:
        """Every way worth looking at, best first; ties in the order of the house file."""
        bounds = []
        for pattern in self._touched():
            bound = self._bound(pattern)
            if bound >= least:
                bounds.append((-bound, pattern.number, pattern))
        bounds.sort(key=lambda b: b[:2])
        best = 0.0
        found: list[Leaf] = []
        for negative, _, pattern in bounds:
            if -negative < max(least, best - BEHIND):
                break
            for leaf in self._search(pattern):
                if leaf.score >= max(least, best - BEHIND):
                    found.append(leaf)
                    best = max(best, leaf.score)
        found.sort(key=lambda f: (-f.score, f.pattern.number, f.cost, [o.start if o else -1 for o in f.chosen]))
        return [f for f in found if f.score >= best - BEHIND]

    # --- options ----------------------------------------------------------------------------------------------------

    def _find_hits(self) -> dict[int, Options]:
        hits: dict[int, list[Option]] = {}
        grammar, heard = self.grammar, self.heard
        for steps in heard.steps:
            for step in steps:
                positions = grammar.of_word.get(step.word)
                if positions is None:
                    continue
                weight = grammar.word_weight[step.word]
                cost = step.cost * weight
                taken = heard.weight(step.start, step.end)
                mask = (1 << step.end) - (1 << step.start)
                for position in positions:
                    hits.setdefault(position, []).append(
                        Option(taken - cost, mask, step.start, step.end, cost, weight, None, step)
                    )
        found: dict[int, Options] = {}
        for position, options in hits.items():
            best: dict[tuple[int, int], Option] = {}
            for option in options:
                key = (option.start, option.end)
                if key not in best or option.cost < best[key].cost:
                    best[key] = option
            found[position] = Options.of(sorted(best.values(), key=lambda o: (-o.gain, o.start))[:4])
        return found

    def _touched(self) -> list[Pattern]:
        """The patterns that count: of a phrase with words of weight, one word at least was heard."""
        grammar = self.grammar
        seen: set[int] = set()
        for position in self._hits:
            seen.update(grammar.of_position.get(position, ()))
        return [p for p in grammar.patterns if (p.number in seen or not p.worded) and self.live(p.intent)]

    def options(self, pattern: Pattern, element: Element) -> Options:
        """What an element may take, best first; their gains do not count what it costs to leave the element out."""
        if element.position >= 0:
            return self._hits.get(element.position, NOTHING)
        known = self._slots.get(element.key)
        if known is None:
            known = self._slots[element.key] = Options.of(self._slot_options(pattern.intent, element.slot))
        return known

    def _slot_options(self, intent: Intent, slot: str) -> list[Option]:
        heard, lexicon = self.heard, self.grammar.lexicon
        if slot == "device":
            return self._made(heard.devices(intent.properties), -1)
        if slot == "room":
            return self._made(heard.rooms(), -1)
        if slot == "pin":
            digits = [c for at in range(len(heard.tokens)) if (c := self._pin(at)) is not None]
            return self._made(digits, -1)
        if slot in lexicon.slot_spec:
            return self._made(heard.values(lexicon.slot_spec[slot]), lexicon.slot_spec[slot])
        specs = lexicon.specs_of.get(slot, [])
        if intent.device:
            members = self.grammar.house.members(intent.device)
            specs = list(dict.fromkeys(lexicon.spec_of[d, slot] for d in members if (d, slot) in lexicon.spec_of))
        return [option for spec in specs for option in self._made(heard.values(spec), spec)]

    def _pin(self, at: int) -> Candidate | None:
        found = self.grammar.lexicon.numbers.digits(self.heard.tokens, at)
        return Candidate(at, found[0], found[1], 0.0, "passcode") if found and len(found[1]) > 1 else None

    def _made(self, candidates: Sequence[Candidate], spec: int) -> list[Option]:
        heard = self.heard
        found = []
        for c in candidates:
            weight = heard.weight(c.start, c.end) + heard.weight(*c.also)
            mask = (1 << c.end) - (1 << c.start) | (1 << c.also[1]) - (1 << c.also[0])
            # Free words fit anything, so they count on neither side of the score.
            counts = FREE_WORDS - weight if c.why == "words" else max(weight, 0.5)
            found.append(Option(weight - c.cost, mask, c.start, c.end, c.cost, counts, c, None, spec))
        return found

    # --- bounds and search ------------------------------------------------------------------------------------------

    def _bound(self, pattern: Pattern) -> float:
        """A score that no way to lay the pattern can exceed."""
        cost, weight = self.total + self.extra, self.total
        if pattern.garbage:
            cost = self.extra
        cost += pattern.prior
        if not pattern.measures.isdisjoint(self._said):
            named = (w for word, w in zip(self.heard.words, self.heard.weights, strict=True) if word in pattern.measures)
            cost -= sum(max(0.0, w - SMALL) for w in named)
        hits, slots = self._hits, self._slots
        for element in pattern.elements:
            if element.position >= 0:
                options = hits.get(element.position, NOTHING)
            else:
                options = slots.get(element.key) or self.options(pattern, element)
            cost += -options.gain if options.gain > -element.missing else element.missing
            weight += options.weight if options.weight > element.weight else element.weight
        return 1.0 - max(cost, 0.0) / max(weight, 1e-9)

    def _search(self, pattern: Pattern) -> list[Leaf]:
        main = [(i, e) for i, e in enumerate(pattern.elements) if not e.small]
        main.sort(key=lambda p: (p[1].slot != "device", len(self.options(pattern, p[1]).all)))
        lists = [[o for o in self.options(pattern, e).all if o.gain + e.missing > -0.5] for _, e in main]
        ahead = [0.0] * (len(main) + 1)
        for at in range(len(main) - 1, -1, -1):
            ahead[at] = ahead[at + 1] + max([0.0, *(o.gain + main[at][1].missing for o in lists[at])])
        chosen: list[Option | None] = [None] * len(pattern.elements)
        found: list[tuple[float, tuple[Option | None, ...], int]] = []
        best = 0.0
        lexicon = self.grammar.lexicon
        device_at = next((i for i, e in enumerate(pattern.elements) if e.slot == "device"), -1)
        only = pattern.intent.device

        def visit(at: int, gain: float, mask: int) -> None:
            nonlocal best
            if gain + ahead[at] < best - SLACK or len(found) >= MOST_LEAVES * 4:
                return
            if at == len(main):
                best = max(best, gain)
                found.append((gain, tuple(chosen), mask))
                return
            index, element = main[at]
            spec = -1
            if element.position < 0 and element.slot not in ("device", "room", "pin") and element.slot not in lexicon.slot_spec:
                device = chosen[device_at] if device_at >= 0 else None
                if device is not None and device.candidate is not None and isinstance(device.candidate.value, tuple):
                    spec = lexicon.spec_of.get((device.candidate.value[0], element.slot), -1)
                elif only:
                    spec = lexicon.spec_of.get((self.grammar.house.members(only)[0], element.slot), -1)
            for option in lists[at]:
                if option.mask & mask or (spec >= 0 and option.spec != spec):
                    continue
                chosen[index] = option
                visit(at + 1, gain + option.gain + element.missing, mask | option.mask)
            chosen[index] = None
            visit(at + 1, gain, mask)

        visit(0, 0.0, 0)
        found.sort(key=lambda f: -f[0])
        return [self._leaf(pattern, list(c), mask) for _, c, mask in found[:MOST_LEAVES]]

    def _leaf(self, pattern: Pattern, chosen: list[Option | None], covered: int) -> Leaf:
        heard = self.heard
        cost = self.extra + pattern.prior
        weight = self.total
        order = sorted((o.start, i) for i, o in enumerate(chosen) if o is not None)
        inversions = sum(1 for (_, a), (_, b) in zip(order, order[1:], strict=False) if b < a)
        relation: list[int] = []
        strange: list[int] = []
        for index, element in enumerate(pattern.elements):
            option = chosen[index]
            if element.small:
                option = chosen[index] = self._small(pattern, element, index, chosen, covered)
                if option is not None:
                    covered |= option.mask
            if option is None:
                cost += element.missing
                weight += element.weight
                continue
            cost += option.cost
            weight += option.weight
            if element.relation and self._misfit(element, option):
                relation.append(index)
                cost += MISFIT_RELATION
            if self._unexpected(chosen, option) or self._counts_something_else(option, covered):
                strange.append(index)
                cost += UNKNOWN_UNIT
        share = GARBAGE_SHARE if pattern.garbage else 1.0
        for at, token_weight in enumerate(heard.weights):
            if not covered >> at & 1:
                cost += min(token_weight, SMALL) if heard.words[at] in pattern.measures else token_weight * share
        cost += self.order * inversions
        cost = round(cost, 9)
        score = round(max(0.0, 1.0 - cost / max(weight, 1e-9)), 9)
        return Leaf(score, pattern, tuple(chosen), cost, weight, inversions, tuple(relation), tuple(strange), covered)

    def _small(
        self, pattern: Pattern, element: Element, index: int, chosen: Sequence[Option | None], covered: int
    ) -> Option | None:
        """A small word is taken where it stands free, best between its neighbours."""
        free = [o for o in self._hits.get(element.position, NOTHING).all if not o.mask & covered and o.cost < 0.1]
        if not free:
            return None
        before = max((o.end for o in chosen[:index] if o is not None), default=0)
        after = min((o.start for o in chosen[index + 1 :] if o is not None), default=len(self.heard.words))
        return min(free, key=lambda o: (not before <= o.start < after, o.cost, o.start))

    def _misfit(self, element: Element, option: Option) -> bool:
        """Whether "by" stands before what becomes the value, or "to" before an amount of change."""
        if option.candidate is None or not isinstance(option.candidate.value, (int, float)):
            return False
        at = option.start - 1
        while at >= 0 and self.heard.kinds[at] in ("filler",):
            at -= 1
        if at < 0:
            return False
        word = self.heard.words[at]
        return word in self._relative if element.relation == "to" else word in self._absolute

    @staticmethod
    def _unexpected(chosen: Sequence[Option | None], option: Option) -> bool:
        """Whether no word of the phrase stands right before a "to" that was taken for two: "the lamp too", unlike "speed to"."""
        if option.candidate is None or option.candidate.why != "sounds like":
            return False
        return not any(o is not None and o.step is not None and o.end == option.start for o in chosen)

    def _counts_something_else(self, option: Option, covered: int) -> bool:
        """Whether an unknown word right behind a number says that it counts something else: "twenty pounds"."""
        after, candidate = option.end, option.candidate
        if candidate is None or not isinstance(candidate.value, (int, float)) or after >= len(self.heard.words):
            return False
        return candidate.steps == () and self.heard.kinds[after] == "unknown" and not covered >> after & 1

    # --- readings ---------------------------------------------------------------------------------------------------

    def reading(self, leaf: Leaf) -> Reading:
        """A leaf with its slots and what it means, still without its alignment."""
        pattern, intent = leaf.pattern, leaf.pattern.intent
        slots: dict[str, SlotValue] = {}
        missing, outside = [], []
        which = wrong = False
        order = sorted(range(len(pattern.elements)), key=lambda i: pattern.elements[i].slot != "device")
        for index in order:
            element, option = pattern.elements[index], leaf.chosen[index]
            if not element.slot:
                continue
            if option is None or option.candidate is None:
                if element.slot not in intent.defaults and element.slot != "pin":
                    missing.append(element.slot)
                continue
            candidate = option.candidate
            slots[element.slot] = candidate.value
            if candidate.devices is not None:
                which, wrong = candidate.devices.which, candidate.devices.wrong_room
            if candidate.outside:
                outside.append(element.slot)
        said = tuple(slots)
        if intent.change and self.heard.times and not any(s in slots for s in self._change_slots(intent)):
            slots["times"] = tidy(self.heard.times)
        for name, value in intent.defaults.items():
            if "times" in slots and name in self._change_slots(intent):
                continue
            slots.setdefault(name, self.heard.scaled(value) if name in self._change_slots(intent) else value)
        return Reading(
            intent=intent.id,
            slots=slots,
            score=leaf.score,
            cost=leaf.cost,
            weight=leaf.weight,
            language=self.grammar.tag,
            phrase=pattern.phrase,
            missing=tuple(dict.fromkeys(missing)),
            which=which,
            wrong_room=wrong,
            outside=tuple(outside),
            said=said,
            meaning=("ask", intent.id, tuple(missing), repr(slots))
            if missing or which
            else meaning(self.grammar.house, intent, {k: v for k, v in slots.items() if k not in self.grammar.free}),
        )

    @staticmethod
    def _change_slots(intent: Intent) -> set[str]:
        return {v[1:].strip("${}") for v in intent.change.values() if "$" in v}

    def pieces(self, leaf: Leaf) -> list[Piece]:
        """The alignment of a leaf: its costs add up to the leaf's, but for what was paid before."""
        heard, pieces = self.heard, []
        tokens = heard.tokens
        for index, element in enumerate(leaf.pattern.elements):
            option = leaf.chosen[index]
            if option is None:
                if element.missing:
                    shown = f"${element.slot}" if element.slot else " | ".join(element.words)
                    pieces.append((len(tokens), Piece("", shown, "not heard", element.missing, "not said")))
                continue
            text = " ".join(heard.words[option.start : option.end])
            if option.candidate is not None and option.candidate.also[1]:
                text += " … " + " ".join(heard.words[slice(*option.candidate.also)])
            span = tokens[option.start].start, tokens[option.end - 1].end
            if option.step is not None:
                pieces.append((option.start, Piece(text, option.step.word, "word", option.cost, option.step.why, *span)))
            elif option.candidate is not None:
                why = _why(option.candidate)
                pieces.append(
                    (
                        option.start,
                        Piece(text, _shown(element.slot, option.candidate), f"${element.slot}", option.cost, why, *span),
                    )
                )
            if index in leaf.strange:
                pieces.append((option.end, Piece("", f"${element.slot}", "order", UNKNOWN_UNIT, "hardly a number here")))
            if index in leaf.relation:
                word = "by" if element.relation == "to" else "to"
                pieces.append(
                    (option.end, Piece("", f"${element.slot}", "order", MISFIT_RELATION, f"“{word}” does not fit here"))
                )
        share = GARBAGE_SHARE if leaf.pattern.garbage else 1.0
        for at, token in enumerate(tokens):
            if not leaf.covered >> at & 1:
                why = _SKIPPED.get(heard.kinds[at], heard.kinds[at])
                cost = heard.weights[at] * share
                if token.word in leaf.pattern.measures:
                    cost, why = min(heard.weights[at], SMALL), "what the phrase is about"
                pieces.append((at, Piece(heard.words[at], "", "skipped", cost, why, token.start, token.end)))
        if leaf.inversions:
            pieces.append(
                (len(tokens) + 1, Piece("", "", "order", self.order * leaf.inversions, f"{leaf.inversions} out of order"))
            )
        if leaf.pattern.prior:
            pieces.append((len(tokens) + 1, Piece("", "", "order", leaf.pattern.prior, "a rare alternative")))
        return [p for _, p in sorted(pieces, key=lambda p: p[0])]


_SKIPPED = {
    "filler": "filler", "small": "small word", "light": "a verb that says little", "pole": "turns the meaning", "talk": "tells or asks",
    "negation": "negation", "number": "a number with no place", "content": "a word of the house with no place", "unknown": "unknown word",
    "aside": "a preposition here", "twice": "said twice",
}  # fmt: skip


def _why(candidate: Candidate) -> str:
    if candidate.devices is not None:
        if candidate.devices.wrong_room:
            return "not in that room"
        if candidate.devices.which:
            return "which one?"
        unsure = [s for s in candidate.steps if s.why not in ("same",)]
        return "; ".join(dict.fromkeys(f"{s.why} {s.word}" for s in unsure)) or "device"
    unsure = [s for s in candidate.steps if s.why != "same"]
    return "; ".join(dict.fromkeys(f"{s.why} {s.word}" for s in unsure)) or (
        "out of range" if candidate.outside else candidate.why
    )


def _shown(slot: str, candidate: Candidate) -> str:
    if slot == "pin":
        return "****"
    return ", ".join(candidate.value) if isinstance(candidate.value, tuple) else str(candidate.value)
