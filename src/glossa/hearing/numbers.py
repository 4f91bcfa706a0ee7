"""Numbers, shares and quantities with units, as people say them and as recognisers write them.

:func:`quantities` reads every number of an utterance.  English numbers are read by a small grammar over the word lists;
languages whose lists hold no number words are read by turning a library that spells numbers out the other way round.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.language import Language, PhraseSet
from glossa.hearing.tokens import Token
from glossa.house.text import words as fold_words
from glossa.house.values import DURATIONS, tidy

HOMOPHONE, ORDINAL, GUESSED, RESPELT = 0.45, 0.3, 0.1, 0.1
MOST_DIGITS = 15
"""Digits that a number may have; a longer one has no value that a device could take."""


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


class _Part(Struct, frozen=True):
    """A number without its unit, or with one that stood inside it, as in "three degrees below zero"."""

    end: int
    value: float
    share: bool = False
    cost: float = 0.0
    note: str = ""
    unit: str = ""


class NumberReader:
    """Reads the numbers of one language.

    Args:
        language: its word lists.
        units: further unit words of the house, word -> unit.
    """

    def __init__(self, language: Language, units: Mapping[str, str] | None = None) -> None:
        data = language.section("numbers")
        self.language = language
        self.known = "ones" in data
        self.ones: dict[str, int] = dict(data.get("ones", {}))
        self.tens: dict[str, int] = dict(data.get("tens", {}))
        self.spellings: dict[str, str] = dict(data.get("spellings", {}))
        self.homophones: dict[str, int] = dict(data.get("homophones", {}))
        self.digits_only: dict[str, int] = dict(data.get("digits_only", {}))
        self.hundred = frozenset(data.get("hundred", ()))
        self.scales: dict[str, int] = dict(data.get("scales", {}))
        self.joins = frozenset(data.get("and", ()))
        self.point = frozenset(data.get("point", ()))
        self.minus = frozenset(data.get("minus", ()))
        self.below = PhraseSet.of(data.get("below_zero", ()))
        self.fractions = {k: Fraction(v) for k, v in data.get("fractions", {}).items()}
        self.groups = {tuple(k.split()): v for k, v in data.get("groups", {}).items()}
        self.ordinals: dict[str, int] = dict(data.get("ordinals", {}))
        self.about = PhraseSet.of(data.get("about", ()))
        self.hesitation = PhraseSet.of(data.get("hesitation", ()))
        self.of_all = PhraseSet.of(data.get("of_all", ()))
        self.corrections = language.phrases("grammar", "correction")
        self.of = frozenset(data.get("of", ("of", "an", "a")))
        self.single = frozenset(data.get("single", ("a", "an", "one")))
        named = {u: PhraseSet.of(ws) for u, ws in data.get("units", {}).items()}
        for word, unit in (units or {}).items():
            named.setdefault(unit, PhraseSet({}))
            if unit not in data.get("units", {}):
                named[unit] = PhraseSet.of([*(" ".join(p) for ps in named[unit].by_first.values() for p in ps), word])
        self.units = named
        self.table = _spelled(language.tag) if not self.known else {}
        self.most = max((len(k) for k in self.table), default=0)
        if not self.known:
            self.ones = {k[0]: v for k, v in self.table.items() if len(k) == 1 and v < 30}
            self.ones |= {w: 1 for w in self.single if w not in self.ones and data.get("groups")}

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
                between = [w for w in words[before.end : quantity.start] if w not in ("to", "at", "by", "its")]
                gap = self._strip_hesitation(between)
                if gap and self.corrections.whole(gap):
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
            inner = self._signed(tokens, words, start + about)
            if inner is not None and not (inner.cost >= HOMOPHONE):
                return self._with_unit(tokens, words, start, inner, "about")
        part = self._signed(tokens, words, here)
        if part is None:
            return self._lone_unit(tokens, words, here)
        return self._with_unit(tokens, words, start, part, part.note)

    # --- numbers ----------------------------------------------------------------------------------------------------

    def _signed(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        if words[at] in self.minus and at + 1 < len(words):
            inner = self._mixed(tokens, words, at + 1)
            if inner is None or inner.share or inner.cost >= HOMOPHONE:
                return None
            return replace(inner, value=-abs(inner.value))
        part = self._mixed(tokens, words, at)
        if part is not None and part.end < len(words) and not part.share and part.value > 0:
            end = part.end
            unit = self._unit_at(words, end)
            if unit and unit[0] in ("celsius", "degrees"):
                end += unit[1]
            length = self.below.at(words, end) if end < len(words) else 0
            if length:
                return replace(
                    part, end=end + length, value=-part.value, note="below zero", unit=unit[0] if unit and end > part.end else ""
                )
        return part

    def _mixed(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        """A number with a fraction or decimals behind it, or either of them alone."""
        alone = self._fraction(tokens, words, at)
        if alone is not None:
            return alone
        part = self._point(tokens, words, at, None) or self._cardinal(tokens, words, at)
        if part is None:
            return None
        part = self._point(tokens, words, part.end, part) or part
        if float(part.value).is_integer():
            after = self._skip(words, part.end)
            if after < len(words):
                joined = after + 1 if words[after] in self.joins else after
                fraction = self._fraction(tokens, words, joined) if joined < len(words) else None
                written = fraction is not None and joined == after and tokens[joined].number is not None
                if fraction is not None and (joined > after or written):
                    return replace(part, end=fraction.end, value=part.value + fraction.value)
        return part

    def _skip(self, words: Sequence[str], at: int) -> int:
        """The next token after hesitation."""
        while at < len(words) and words[at] in self.hesitation.by_first:
            at += max(1, self.hesitation.at(words, at))
        return at

    def _fraction(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        """ "three quarters", "a half", "two thirds", 3/4."""
        if at >= len(words):
            return None
        number = tokens[at].number
        if number is not None and "/" in words[at]:
            return _Part(at + 1, number, share=True)
        for phrase, value in self.groups.items():
            if value == 6 and tuple(words[at : at + len(phrase)]) == phrase:
                return None
        top, next_ = 1, at
        if words[at] in self.single:
            next_ = at + 1
        elif words[at] in self.ones and self.ones[words[at]] and at + 1 < len(words) and words[at + 1] in self.fractions:
            top, next_ = self.ones[words[at]], at + 1
        elif (
            number is not None
            and number.is_integer()
            and 0 < number < 100
            and at + 1 < len(words)
            and words[at + 1] in self.fractions
        ):
            top, next_ = int(number), at + 1
        if next_ >= len(words) or words[next_] not in self.fractions:
            return None
        bottom = self.fractions[words[next_]]
        if next_ == at and bottom != Fraction(1, 2) and bottom.denominator != 4:
            return None
        if top * bottom > 1 and top > 1 and bottom.denominator < 3:
            return None
        end = next_ + 1
        if (end + 1 < len(words) and words[end] in self.single and words[end + 1] in self.scales) or (
            end < len(words) and words[end] in self.single and end + 1 < len(words) and (words[end + 1],) in self.groups
        ):
            return None
        value = float(top * bottom)
        length = self.of_all.at(words, end) if end < len(words) else 0
        return _Part(end + length, value, share=True)

    def _point(self, tokens: Sequence[Token], words: Sequence[str], at: int, whole: _Part | None) -> _Part | None:
        """Decimals: "point seven five", with or without a number before them."""
        if whole is not None:
            at = self._skip(words, at)
        if at + 1 >= len(words) or words[at] not in self.point:
            return None
        if whole is not None and not float(whole.value).is_integer():
            return None
        here, digits = at + 1, ""
        while here < len(words):
            word = self.spellings.get(words[here], words[here])
            number = tokens[here].number
            if (word in self.ones and self.ones[word] < 10) or (word in self.digits_only and self.digits_only[word] == 0):
                digits += str(self.ones.get(word, 0))
            elif not digits and (word in self.tens or word in self.ones):
                part = self._cardinal(tokens, words, here)
                if part is None or part.value >= 100:
                    return None
                digits, here = str(int(part.value)), part.end
                break
            elif not digits and number is not None and words[here].isdigit() and len(words[here]) <= 6:
                digits, here = words[here], here + 1
                break
            else:
                break
            here += 1
        if not digits or len(digits) > MOST_DIGITS:
            return None
        base = whole.value if whole else 0.0
        cost = whole.cost if whole else 0.0
        return _Part(here, float(f"{int(base)}.{digits}"), cost=cost)

    def _cardinal(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        """A whole number in words or digits."""
        if at >= len(words):
            return None
        if not self.known:
            return self._looked_up(tokens, words, at)
        for phrase, size in self.groups.items():
            first = at + 1 if words[at] in self.single else at
            if tuple(words[first : first + len(phrase)]) == phrase:
                end = first + len(phrase)
                if words[end : end + 1] == ["of"]:
                    end += 1
                return _Part(end, size, note="about" if size == 2 else "")
        if (
            words[at] in self.fractions
            and at + 2 < len(words)
            and words[at + 1] in self.single
            and (words[at + 2],) in self.groups
        ):
            return _Part(at + 3, self.groups[words[at + 2],] * float(self.fractions[words[at]]))
        part = self._below_thousand(tokens, words, at)
        if part is None and words[at] in self.single and at + 1 < len(words) and words[at + 1] in self.scales:
            part = _Part(at + 1, 1)
        if part is None:
            return self._last_resort(tokens, words, at)
        total = 0.0
        limit = math.inf
        while True:
            scale = self.scales.get(words[part.end]) if part.end < len(words) else None
            if scale is None or scale >= limit or (part.value >= 1000 and scale == 1000):
                total += part.value
                break
            total += part.value * scale
            limit = scale
            here = self._skip(words, part.end + 1)
            joined = self._skip(words, here + 1) if here < len(words) and words[here] in self.joins else here
            more = self._below_thousand(tokens, words, joined) if joined < len(words) else None
            if more is None:
                part = replace(part, end=part.end + 1)
                break
            part = replace(more, cost=part.cost + more.cost)
        if part.end < len(words) and (words[part.end],) in self.groups and self.groups[words[part.end],] >= 12 and total < 100:
            return _Part(part.end + 1, total * self.groups[words[part.end],], cost=part.cost)
        return _Part(part.end, total, cost=part.cost, note=part.note)

    def _below_thousand(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        part = self._below_hundred(tokens, words, at)
        here = at
        if part is None:
            if words[at] in self.single and at + 1 < len(words) and words[at + 1] in self.hundred:
                part, here = _Part(at + 1, 1), at + 1
            elif words[at] in self.hundred:
                part, here = _Part(at, 1), at
            else:
                return None
        here = part.end
        if here < len(words) and words[here] in self.hundred and 0 < part.value < 100 and float(part.value).is_integer():
            total, end = part.value * 100, here + 1
            next_ = self._skip(words, end)
            joined = self._skip(words, next_ + 1) if next_ < len(words) and words[next_] in self.joins else next_
            more = self._below_hundred(tokens, words, joined) if joined < len(words) else None
            if more is not None and more.value < 100 and more.value > 0 and more.cost < HOMOPHONE:
                return _Part(more.end, total + more.value, cost=part.cost + more.cost)
            return _Part(end, total, cost=part.cost)
        return self._strung(tokens, words, part)

    def _strung(self, tokens: Sequence[Token], words: Sequence[str], part: _Part) -> _Part:
        """ "one oh five" is 105 and "one twenty" is 120: a digit, then two more."""
        if not (1 <= part.value <= 9) or part.end >= len(words) or tokens[part.end - 1].number is not None:
            return part
        word = self.spellings.get(words[part.end], words[part.end])
        if (word in self.digits_only and self.digits_only[word] == 0) or (word in self.ones and self.ones[word] == 0):
            last = words[part.end + 1] if part.end + 1 < len(words) else ""
            if last in self.ones and 0 < self.ones[last] < 10:
                return _Part(part.end + 2, part.value * 100 + self.ones[last], cost=part.cost)
        if word in self.tens or self.ones.get(word, 0) >= 10:
            more = self._below_hundred(tokens, words, part.end)
            if more is not None and more.value < 100 and more.value >= 10:
                return _Part(more.end, part.value * 100 + more.value, cost=part.cost + GUESSED, note="strung together")
        return part

    def _below_hundred(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        if at >= len(words):
            return None
        number = tokens[at].number
        if number is not None:
            if not math.isfinite(number) or len(words[at].lstrip("-")) > MOST_DIGITS or "/" in words[at]:
                return None
            return _Part(at + 1, number)
        split = self._split(tokens, words, at)
        if split is not None:
            return split
        word = self.spellings.get(words[at], words[at])
        cost = RESPELT if word != words[at] else 0.0
        if (
            word in self.homophones
            and word not in self.language.small
            and words[at + 1 : at + 2]
            and words[at + 1] in self.hundred
        ):
            return _Part(at + 1, self.homophones[word], cost=RESPELT)  # "won hundred"
        if word in self.tens:
            after = self._skip(words, at + 1)
            if after < len(words):
                ones = self.spellings.get(words[after], words[after])
                if ones in self.ones and 0 < self.ones[ones] < 10:
                    fraction = (
                        after + 1 < len(words)
                        and words[after + 1] in self.fractions
                        and self.fractions[words[after + 1]].denominator > 2
                    )
                    if not fraction:
                        return _Part(after + 1, self.tens[word] + self.ones[ones], cost=cost)
                if tokens[after].number is not None and words[after].isdigit() and 0 < int(words[after][:3]) < 10:
                    return _Part(after + 1, self.tens[word] + int(words[after]), cost=cost)
                if ones in self.ordinals and 0 < self.ordinals[ones] < 10:
                    return _Part(after + 1, self.tens[word] + self.ordinals[ones], cost=cost + ORDINAL, note="ordinal")
            return _Part(at + 1, self.tens[word], cost=cost)
        if word in self.ones:
            return _Part(at + 1, self.ones[word], cost=cost)
        return None

    def _split(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        """A number word that was written as two: "six ty", "four teen"."""
        if at + 1 >= len(words) or tokens[at + 1].number is not None or words[at + 1] in self.ones or words[at + 1] in self.tens:
            return None
        joined = words[at] + words[at + 1]
        word = self.spellings.get(joined, joined)
        value = self.tens.get(word, self.ones.get(word))
        return _Part(at + 2, value, cost=RESPELT) if value is not None else None

    def _last_resort(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        """What is only a number where nothing else fits: "to" for two, "third" for three."""
        word = words[at]
        if word in self.ordinals:
            return _Part(at + 1, self.ordinals[word], cost=ORDINAL, note="ordinal")
        if word in self.homophones and word not in self.single:
            return _Part(at + 1, self.homophones[word], cost=HOMOPHONE, note="sounds like")
        return None

    def _looked_up(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> _Part | None:
        number = tokens[at].number
        if number is not None:
            usable = math.isfinite(number) and len(words[at].lstrip("-")) <= MOST_DIGITS and "/" not in words[at]
            return _Part(at + 1, number) if usable else None
        for length in range(min(self.most, len(words) - at), 0, -1):
            value = self.table.get(tuple(words[at : at + length]))
            if value is not None:
                thousand = self.language.section("numbers").get("thousand", "")
                end = at + length
                if value == 1000 and end < len(words):
                    rest = self._looked_up(tokens, words, end)
                    if rest is not None and rest.value < 1000 and tokens[end].number is None:
                        return _Part(rest.end, 1000 + rest.value)
                if end < len(words) and words[end] == thousand and 1 <= value < 1000:
                    rest = self._looked_up(tokens, words, end + 1) if end + 1 < len(words) else None
                    if rest is not None and rest.value < 1000 and tokens[end + 1].number is None:
                        return _Part(rest.end, value * 1000 + rest.value)
                    return _Part(end + 1, value * 1000)
                return _Part(end, value)
        return None

    # --- units ------------------------------------------------------------------------------------------------------

    def _unit_at(self, words: Sequence[str], at: int) -> tuple[str, int] | None:
        """The unit whose longest word or phrase stands at a token, and how many words it has."""
        best: tuple[str, int] | None = None
        if at < len(words):
            for unit, phrases in self.units.items():
                length = phrases.at(words, at) if words[at] in phrases.by_first else 0
                if length and (best is None or length > best[1]):
                    best = unit, length
        return best

    def _with_unit(self, tokens: Sequence[Token], words: Sequence[str], start: int, part: _Part, note: str) -> Quantity | None:
        if not math.isfinite(part.value):
            return None
        end = part.end
        here = end
        while part.share and here < len(words) and words[here] in self.of:  # "half an hour", "a quarter of a degree"
            here += 1
        unit = self._unit_at(words, here)
        if unit is None or (part.share and here > end and unit[0] == "percent"):
            unit = self._unit_at(words, end)
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
        unit = self._unit_at(words, at + 1)
        if unit is None or unit[0] not in DURATIONS or len(words[at + 1]) == 1:
            return None
        return self._duration(tokens, words, at, _Part(at + 1, 1), unit[0], at + 1 + unit[1])

    def _duration(self, tokens: Sequence[Token], words: Sequence[str], start: int, part: _Part, unit: str, end: int) -> Quantity:
        """ "two minutes thirty", "an hour and a half", "1 h 20 min": in seconds."""
        total, factor = part.value * DURATIONS[unit], DURATIONS[unit]
        first = factor
        cost = 0.0 if part.cost >= HOMOPHONE else part.cost
        while end < len(words):
            here = self._skip(words, end)
            joined = here + 1 if here < len(words) and words[here] in self.joins else here
            if joined >= len(words):
                break
            fraction = self._fraction(tokens, words, joined)
            if fraction is not None and joined > here:
                after = self._unit_at(words, fraction.end)
                if after is None or after[0] not in DURATIONS:
                    total += fraction.value * factor
                    end = fraction.end
                    break
            more = self._mixed(tokens, words, joined)
            if more is None or more.share or more.cost >= HOMOPHONE or not 0 <= more.value < 60:
                break
            next_unit = self._unit_at(words, more.end)
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

    # --- digits one by one ------------------------------------------------------------------------------------------

    def digits(self, tokens: Sequence[Token], start: int) -> tuple[int, str] | None:
        """Digits said one by one or in groups: "two four double six" is ``2466``. The end and the digits, or None."""
        found, here, times = "", start, 1
        end = start
        while here < len(tokens) and len(found) < 32:
            word = self.spellings.get(tokens[here].word, tokens[here].word)
            if word in self.digits_only and self.digits_only[word] < 0:
                times, here = -self.digits_only[word], here + 1
                continue
            if tokens[here].number is not None and word.isdigit():
                piece = word
            elif word in self.digits_only:
                piece = str(self.digits_only[word])
            elif word in self.ones and self.ones[word] < 10:
                piece = str(self.ones[word])
            elif word in self.homophones and found and word not in self.single:
                piece = str(self.homophones[word])
            elif (part := self._below_hundred(tokens, [t.word for t in tokens], here)) is not None and part.cost < HOMOPHONE:
                piece, here = str(int(part.value)), part.end - 1
            elif (looked := self._looked_up(tokens, [t.word for t in tokens], here) if not self.known else None) is not None:
                piece, here = str(int(looked.value)), looked.end - 1
            elif word in self.hesitation.by_first and found:
                here += 1
                continue
            else:
                break
            found += piece * times
            times, here = 1, here + 1
            end = here
        return (end, found) if found else None


@lru_cache(maxsize=8)
def _spelled(tag: str) -> dict[tuple[str, ...], int]:
    """Number words -> number for 0 to 999 (and 1000), from a library that spells numbers out."""
    try:
        from num2words import num2words
    except ImportError:  # pragma: no cover - a dependency
        return {}
    found: dict[tuple[str, ...], int] = {}
    for number in range(1001):
        try:
            spelled: Any = num2words(number, lang=tag)
        except NotImplementedError:
            return {}
        found.setdefault(fold_words(str(spelled)), number)
    return found


def alternatives(reader: NumberReader, tokens: Sequence[Token], quantity: Quantity) -> list[str]:
    """Other readings of the same words: its parts, where it was put together, and what it could be mistaken for by sound."""
    words = [t.word for t in tokens]
    found = []
    if quantity.note == "strung together":
        parts = [reader._below_hundred(tokens, words, i) for i in range(quantity.start, quantity.end)]
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


def twins(value: float, language: Language) -> tuple[int, ...]:
    """The numbers that sound like one: 13 and 30, ... 19 and 90, within larger numbers too, and the pairs of the language's list.

    >>> from glossa.hearing.language import load_language
    >>> twins(13, load_language("en")), twins(115, load_language("en")), twins(42, load_language("en"))
    ((30,), (150,), ())
    """
    if not float(value).is_integer() or value < 0:
        return ()
    rest = int(value) % 100
    base = int(value) - rest
    found = [base + (rest - 10) * 10] if 13 <= rest <= 19 else []
    found += [base + rest // 10 + 10] if rest in range(30, 100, 10) else []
    for one, other in language.section("numbers").get("alike", ()):
        found += [b for a, b in ((one, other), (other, one)) if a == value]
    return tuple(dict.fromkeys(found))
