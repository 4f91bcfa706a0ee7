"""Quantities: numbers with their units, shares of a range, times, corrections and approximations."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.counting import GUESSED, HOMOPHONE, Counting, Part, twins
from glossa.hearing.language import Language, PhraseSet
from glossa.hearing.tokens import Token
from glossa.house.values import DURATIONS, tidy


class Quantity(Struct, frozen=True):
    """A number as it was said.

    Attributes:
        start, end: the tokens that it takes, ``start`` included and ``end`` not.
        value: the number, in ``unit``; times are in seconds.
        unit: ``percent``, ``celsius``, ``fahrenheit``, ``degrees``, ``seconds`` (for every time), a word of the house's own, or ``""``.
        share: whether it is a bare fraction such as "three quarters", which is a share of the range for a percent.
        cost: what the reading costs, 0 for a plain one.
        note: how it was read, where that is not plain.
    """

    start: int
    end: int
    value: float
    unit: str = ""
    share: bool = False
    cost: float = 0.0
    note: str = ""


class NumberReader(Counting):
    """Reads the numbers of one language with their units, corrections and approximations.

    Args:
        language: its word lists.
        units: further unit words of the house, word -> unit.
    """

    def __init__(self, language: Language, units: Mapping[str, str] | None = None) -> None:
        super().__init__(language, units)
        self.about = PhraseSet.of(language.section("numbers").get("about", ()))
        grammar = language.section("grammar")
        self.prepositions = frozenset((*grammar.get("relative", ()), *grammar.get("absolute", ())))
        self.corrections = language.phrases("grammar", "correction")

    # --- whole utterances -------------------------------------------------------------------------------------------

    def read(self, tokens: Sequence[Token]) -> tuple[Quantity, ...]:
        """Every quantity of an utterance, from left to right, none inside another; corrected ones joined with what corrects them."""
        words = [t.word for t in tokens]
        found: list[Quantity] = []
        at = 0
        while at < len(words):
            quantity = self.at(tokens, words, at)
            if quantity is None:
                at += 1
                continue
            if quantity.cost >= HOMOPHONE and quantity.end < len(words):
                following = self.at(tokens, words, quantity.end)
                if following is not None and following.cost < HOMOPHONE:  # the "to" of "to forty" is no two
                    at = quantity.end
                    continue
            found.append(quantity)
            at = quantity.end
        return tuple(self._corrected(found, words))

    def _corrected(self, found: list[Quantity], words: list[str]) -> list[Quantity]:
        """ "fifty no sixty": where a marker stands between two numbers, the last one counts."""
        kept: list[Quantity] = []
        for quantity in found:
            before = kept[-1] if kept else None
            if before is not None and before.end < quantity.start:
                gap = self._strip_hesitation(words[before.end : quantity.start])
                bare = gap[:-1] if gap[-1:] and gap[-1] in self.prepositions else gap  # "to fifty, no, to sixty"
                if self.corrections.whole(gap) or self.corrections.whole(bare):
                    unit = quantity.unit or before.unit
                    value = quantity.value
                    if not quantity.unit and before.unit == "seconds" and before.note.startswith("x"):
                        value *= float(before.note[1:])
                    kept[-1] = replace(quantity, start=before.start, value=value, unit=unit, note="corrected")
                    continue
            kept.append(quantity)
        return kept

    def _strip_hesitation(self, words: list[str]) -> list[str]:
        kept = list(words)
        while kept and (kept[0] in self.hesitation.by_first) and len(kept) > 1:
            kept.pop(0)
        while kept and (kept[-1] in self.hesitation.by_first) and len(kept) > 1:
            kept.pop()
        return kept

    def at(self, tokens: Sequence[Token], words: Sequence[str], start: int) -> Quantity | None:
        """The longest quantity that starts at a token, or None."""
        here = start
        about = self.about.at(words, here)
        if about and start + about < len(words):
            inner = self.number(tokens, words, start + about)
            if inner is not None and not (inner.cost >= HOMOPHONE):
                return self._with_unit(tokens, words, start, inner, "about")
        part = self.number(tokens, words, here)
        if part is None:
            return self._lone_unit(tokens, words, here)
        return self._with_unit(tokens, words, start, part, part.note)

    # --- units ------------------------------------------------------------------------------------------------------

    def _with_unit(self, tokens: Sequence[Token], words: Sequence[str], start: int, part: Part, note: str) -> Quantity | None:
        if not math.isfinite(part.value):
            return None
        end = part.end
        here = end
        while part.share and here < len(words) and words[here] in self.of:  # "half an hour", "a quarter of a degree"
            here += 1
        unit = self.unit_at(words, here)
        if unit is None or (part.share and here > end and unit[0] == "percent"):
            unit = self.unit_at(words, end)
            here = end
        if unit is None:
            return Quantity(start, end, tidy(part.value), part.unit, part.share, part.cost, note)
        name, length = unit
        if length == 1 and len(words[here]) == 1 and not (tokens[here].glued or tokens[here - 1].number is not None):
            return Quantity(start, end, tidy(part.value), "", part.share, part.cost, note)
        if part.cost >= HOMOPHONE and name not in DURATIONS and name != "percent":
            return Quantity(start, end, tidy(part.value), "", part.share, part.cost, note)
        if name in DURATIONS:
            return self._duration(tokens, words, start, part, name, here + length)
        cost = GUESSED if part.cost >= HOMOPHONE else part.cost  # a unit behind it makes "to" a number
        return Quantity(start, here + length, tidy(part.value), name, False, cost, note)

    def _lone_unit(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Quantity | None:
        """ "an hour and a half", "a minute"."""
        if words[at] not in self.single or at + 1 >= len(words):
            return None
        unit = self.unit_at(words, at + 1)
        if unit is None or unit[0] not in DURATIONS or len(words[at + 1]) == 1:
            return None
        return self._duration(tokens, words, at, Part(at + 1, 1), unit[0], at + 1 + unit[1])

    def _duration(self, tokens: Sequence[Token], words: Sequence[str], start: int, part: Part, unit: str, end: int) -> Quantity:
        """ "two minutes thirty", "an hour and a half", "1 h 20 min": in seconds."""
        total, factor = part.value * DURATIONS[unit], DURATIONS[unit]
        first = factor
        cost = 0.0 if part.cost >= HOMOPHONE else part.cost
        while end < len(words):
            here = self.skip(words, end)
            joined = here + 1 if here < len(words) and words[here] in self.joins else here
            if joined >= len(words):
                break
            fraction = self.fraction(tokens, words, joined)
            if fraction is not None and joined > here:
                after = self.unit_at(words, fraction.end)
                if after is None or after[0] not in DURATIONS:
                    total += fraction.value * factor
                    end = fraction.end
                    break
            more = self.unsigned(tokens, words, joined)
            if more is None or more.share or more.cost >= HOMOPHONE or not 0 <= more.value < 60:
                break
            next_unit = self.unit_at(words, more.end)
            if next_unit is not None and next_unit[0] in DURATIONS and DURATIONS[next_unit[0]] < factor:
                factor = DURATIONS[next_unit[0]]
                total += more.value * factor
                end = more.end + next_unit[1]
                continue
            if next_unit is None and joined == here and factor > 1:
                total += more.value * factor / 60
                end = more.end
            break
        return Quantity(start, end, tidy(total), "seconds", False, cost, f"x{first}")


def alternatives(reader: NumberReader, tokens: Sequence[Token], quantity: Quantity) -> list[str]:
    """Other readings of the same words: its parts, where it was put together, and what it could be mistaken for by sound."""
    words = [t.word for t in tokens]
    found = []
    if quantity.note == "strung together":
        parts = [reader.below_hundred(tokens, words, i) for i in range(quantity.start, quantity.end)]
        found.append(" and ".join(str(tidy(p.value)) for p in parts if p is not None))
    if quantity.note == "corrected":
        first = reader.at(tokens, words, quantity.start)
        found += [f"{first.value} first"] if first is not None else []
    if quantity.note == "sounds like" or quantity.note == "ordinal":
        found.append("no number")
    if quantity.unit != "seconds":
        found += [f"{tidy(t)}?" for t in twins(quantity.value, reader.language)]
    digits = reader.digits(tokens, quantity.start)
    if digits is not None and digits[0] > quantity.end:
        found.append(f"digits {digits[1]}")
    return found
