"""What may be said instead of a phrase as it is written: other words for a run of it, other names, and what goes without saying."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from glossa.hearing.costs import COSTS
from glossa.hearing.house_words import words_of
from glossa.hearing.lexicon import NO_WAYS, Lexicon
from glossa.house.effects import Fixed, FromSlot
from glossa.house.model import House, Intent
from glossa.house.sorts import SwitchValues
from glossa.language.phrases import Words

Position = tuple[Words, str, bool]
"""Words, or a slot, and whether it may be left out."""

MOST_VARIANTS = 8
"""Ways to say a run of several words otherwise that a phrase is compiled with."""

DEVICE: Position = ((), "device", False)


class Variants:
    """The variants of the phrases of one house in one language."""

    def __init__(self, house: House, lexicon: Lexicon) -> None:
        self.house, self.lexicon = house, lexicon
        self._from_slots = {n for i in house.intents.values() for n, s in i.set.items() if isinstance(s, FromSlot)}

    def of(self, said: Sequence[Position], intent: Intent, amounts: Sequence[str]) -> Iterator[tuple[Sequence[Position], float]]:
        """The variants of a phrase of an intent with some slots for amounts, each with what it costs."""
        for variant in (*self._otherwise(said), *self._renamed(said, intent), *self._led(said), *self._compared(said, intent)):
            yield variant, COSTS.household
        for slot in amounts:
            if all(slot != s for _, s, _ in said):
                yield [*said, ((), slot, False)], COSTS.rewritten

    def implied(self, intent: Intent) -> Iterator[tuple[Sequence[Position], float]]:
        """What an intent is said with, whatever its phrases are, each with what it costs."""
        for variant in (*self._switched(intent), *self._opened(intent), *self._asked(intent)):
            yield variant, COSTS.household

    def _otherwise(self, positions: Sequence[Position]) -> Iterator[list[Position]]:
        """The same positions with a run of several words said otherwise: "good night", "nighty night"."""
        made = 0
        for at, position in enumerate(positions):
            runs = ((said, others) for word in position[0] for said, others in self.lexicon.several.get(word, NO_WAYS).items())
            for said, others in runs:
                run = positions[at : at + len(said)]
                if len(run) < len(said) or not all(w in p[0] for w, p in zip(said, run, strict=True)):
                    continue
                for other in sorted(others):
                    if made < MOST_VARIANTS:
                        made += 1
                        yield [*positions[:at], *(((w,), "", False) for w in other), *positions[at + len(said) :]]

    def _renamed(self, positions: Sequence[Position], intent: Intent) -> Iterator[list[Position]]:
        """The same positions with a name of the intent's own device exchanged for its other names."""
        own = self.house.devices.get(intent.device) or self.house.groups.get(intent.device)
        names = list(dict.fromkeys(self.lexicon.bare(n) for n in self.lexicon.texts(own.names))) if own is not None else []
        made = 0
        for name in names if len(names) > 1 else ():
            for at in range(len(positions) - len(name) + 1):
                run = positions[at : at + len(name)]
                if not all(w in p[0] for w, p in zip(name, run, strict=True)):
                    continue
                for other in (n for n in names if n != name):
                    if made < MOST_VARIANTS:
                        made += 1
                        yield [*positions[:at], *(((w,), "", False) for w in other), *positions[at + len(name) :]]

    def _switched(self, intent: Intent) -> list[list[Position]]:
        """How an intent is said that sets a switch to one value, where no phrase has a slot for it: "kiln off" for "stop the kiln"."""
        if len(intent.set) != 1 or intent.device or intent.steps or intent.change:
            return []
        (name, setting), *_ = intent.set.items()
        if name in self._from_slots:
            return []
        said = words_of([intent], self.lexicon.tag)
        found: dict[str, None] = {}
        for spec in (self.lexicon.specs[n] for n in self.lexicon.specs_of.get(name, ())):
            if isinstance(spec, SwitchValues) and isinstance(setting, Fixed):
                meant = spec.literal(setting.value)
                forms = spec.forms(self.lexicon.tag, self.lexicon.language)
                found.update((f.words[0], None) for f in forms if f.value == meant and len(f.words) == 1 and not f.cost)
        unsaid = tuple(w for w in found if w not in said)
        if not unsaid:
            return []
        value: Position = (unsaid, "", False)
        return [[value, DEVICE], [DEVICE, value]]

    def _opened(self, intent: Intent) -> list[list[Position]]:
        """What raises and lowers a thing opens and shuts it, where no phrase says so: "open the barrier" for "raise the barrier"."""
        said = self.lexicon.opening.get(intent.id, ())
        return [[(said, "", False), DEVICE]] if said else []

    def _asked(self, intent: Intent) -> list[list[Position]]:
        """How one asks for what an intent reads: "how bright is the lamp"."""
        asked = self.lexicon.asking.get(intent.read, ()) if intent.to_a_device else ()
        return [[*(((w,), "", False) for w in text), DEVICE] for text in asked]

    def _compared(self, positions: Sequence[Position], intent: Intent) -> Iterator[list[Position]]:
        """The same in one word, where a phrase says what changes and in which direction: "telly louder" for "volume up"."""
        words, measures = self.lexicon.comparing.get(intent.id, ()), self.lexicon.language.amounts.measures
        if not words or not any(w in measures for said, _, _ in positions for w in said):
            return
        said = [(words, "", False), *(p for p in positions if p[1])]
        own = self.house.devices.get(intent.device) or self.house.groups.get(intent.device)
        if own is None:
            yield said
        else:
            yield from ([*(((w,), "", False) for w in self.lexicon.bare(name)), *said] for name in self.lexicon.texts(own.names))

    def amounts(self, intent: Intent) -> list[str]:
        """The slots for amounts of change that some of its phrases have, so that any of them may be said with one."""
        phrases = intent.phrases_in(self.lexicon.tag)
        slots = dict.fromkeys(p.slot for phrase in phrases for s in phrase.sequences for p in s.positions)
        return [s for s in slots if s in intent.changed_by and s in intent.defaults]

    def _led(self, positions: Sequence[Position]) -> Iterator[list[Position]]:
        """The same positions without a preposition that leads from one slot to the next: a slot that isn't said takes it along."""
        poles, articles = self.lexicon.language.poles, self.lexicon.articles
        for at, (said, _, optional) in enumerate(positions):
            following = next((p for p in positions[at + 1 :] if not (p[0] and articles.issuperset(p[0]))), None)
            between = at and positions[at - 1][1] and following is not None and following[1]
            if between and said and not optional and all(w in poles for w in said):
                yield [*positions[:at], *positions[at + 1 :]]
