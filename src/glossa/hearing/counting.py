"""Numbers without their units: words and digits, fractions and decimals, negative ones, digits one by one.

English numbers are read by a small grammar over the word lists; languages whose lists hold no number words are read by
turning a library that spells numbers out the other way round.
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
from glossa.house.values import tidy

HOMOPHONE, ORDINAL, GUESSED, RESPELT = 0.45, 0.3, 0.1, 0.1
"""What a number costs that sounds like another word, is an ordinal, is strung together, or is misspelt."""

MOST_DIGITS = 15
"""Digits that a number may have; a longer one has no value that a device could take."""


class Part(Struct, frozen=True):
    """A number without its unit, or with one that stood inside it, as in "three degrees below zero"."""

    end: int
    value: float
    share: bool = False
    cost: float = 0.0
    note: str = ""
    unit: str = ""


class Counting:
    """Reads the numbers of one language, without what they count.

    Args:
        language: its word lists.
        units: further unit words of the house, word -> unit; "degrees" may stand inside a number: "three degrees below zero".
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
        self.hesitation = PhraseSet.of(data.get("hesitation", ()))
        self.of_all = PhraseSet.of(data.get("of_all", ()))
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

    def unit_at(self, words: Sequence[str], at: int) -> tuple[str, int] | None:
        """The unit whose longest word or phrase stands at a token, and how many words it has."""
        best: tuple[str, int] | None = None
        if at < len(words):
            for unit, phrases in self.units.items():
                length = phrases.at(words, at) if words[at] in phrases.by_first else 0
                if length and (best is None or length > best[1]):
                    best = unit, length
        return best

    # --- numbers ----------------------------------------------------------------------------------------------------

    def number(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """The longest number that starts at a token, with its sign; None where there is none."""
        if words[at] in self.minus and at + 1 < len(words):
            inner = self.unsigned(tokens, words, at + 1)
            if inner is None or inner.share or inner.cost >= HOMOPHONE:
                return None
            return replace(inner, value=-abs(inner.value))
        part = self.unsigned(tokens, words, at)
        if part is not None and part.end < len(words) and not part.share and part.value > 0:
            end = part.end
            unit = self.unit_at(words, end)
            if unit and unit[0] in ("celsius", "degrees"):
                end += unit[1]
            length = self.below.at(words, end) if end < len(words) else 0
            if length:
                return replace(
                    part, end=end + length, value=-part.value, note="below zero", unit=unit[0] if unit and end > part.end else ""
                )
        return part

    def unsigned(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """A number with a fraction or decimals behind it, or either of them alone."""
        alone = self.fraction(tokens, words, at)
        if alone is not None:
            return alone
        part = self._point(tokens, words, at, None) or self._cardinal(tokens, words, at)
        if part is None:
            return None
        part = self._point(tokens, words, part.end, part) or part
        if float(part.value).is_integer():
            after = self.skip(words, part.end)
            if after < len(words):
                joined = after + 1 if words[after] in self.joins else after
                fraction = self.fraction(tokens, words, joined) if joined < len(words) else None
                written = fraction is not None and joined == after and tokens[joined].number is not None
                if fraction is not None and (joined > after or written):
                    part = replace(part, end=fraction.end, value=part.value + fraction.value)
        if part.end < len(words) and not float(part.value).is_integer():
            size = 100 if words[part.end] in self.hundred else self.scales.get(words[part.end])
            if size:  # "two and a half thousand", "two point seven thousand"
                part = replace(part, end=part.end + 1, value=tidy(part.value * size))
        return part

    def skip(self, words: Sequence[str], at: int) -> int:
        """The next token after hesitation."""
        while at < len(words) and words[at] in self.hesitation.by_first:
            at += max(1, self.hesitation.at(words, at))
        return at

    def fraction(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """ "three quarters", "a half", "two thirds", 3/4."""
        if at >= len(words):
            return None
        number = tokens[at].number
        if number is not None and "/" in words[at]:
            return Part(at + 1, number, share=True)
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
        return Part(end + length, value, share=True)

    def _point(self, tokens: Sequence[Token], words: Sequence[str], at: int, whole: Part | None) -> Part | None:
        """Decimals: "point seven five", with or without a number before them."""
        if whole is not None:
            at = self.skip(words, at)
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
        return Part(here, float(f"{int(base)}.{digits}"), cost=cost)

    def _cardinal(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
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
                return Part(end, size, note="about" if size == 2 else "")
        if (
            words[at] in self.fractions
            and at + 2 < len(words)
            and words[at + 1] in self.single
            and ((words[at + 2],) in self.groups or words[at + 2] in self.scales)
        ):
            size = self.groups.get((words[at + 2],)) or self.scales[words[at + 2]]
            return Part(at + 3, size * float(self.fractions[words[at]]))
        part = self._below_thousand(tokens, words, at)
        if part is None and words[at] in self.single and at + 1 < len(words) and words[at + 1] in self.scales:
            part = Part(at + 1, 1)
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
            here = self.skip(words, part.end + 1)
            joined = self.skip(words, here + 1) if here < len(words) and words[here] in self.joins else here
            more = self._below_thousand(tokens, words, joined) if joined < len(words) else None
            if more is None:
                part = replace(part, end=part.end + 1)
                break
            part = replace(more, cost=part.cost + more.cost)
        if part.end < len(words) and (words[part.end],) in self.groups and self.groups[words[part.end],] >= 12 and total < 100:
            return Part(part.end + 1, total * self.groups[words[part.end],], cost=part.cost)
        return Part(part.end, total, cost=part.cost, note=part.note)

    def _below_thousand(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        part = self.below_hundred(tokens, words, at)
        here = at
        if part is None:
            if words[at] in self.single and at + 1 < len(words) and words[at + 1] in self.hundred:
                part, here = Part(at + 1, 1), at + 1
            elif words[at] in self.hundred:
                part, here = Part(at, 1), at
            else:
                return None
        here = part.end
        if here < len(words) and words[here] in self.hundred and 0 < part.value < 100 and float(part.value).is_integer():
            total, end = part.value * 100, here + 1
            next_ = self.skip(words, end)
            joined = self.skip(words, next_ + 1) if next_ < len(words) and words[next_] in self.joins else next_
            more = self.below_hundred(tokens, words, joined) if joined < len(words) else None
            if more is not None and more.value < 100 and more.value > 0 and more.cost < HOMOPHONE:
                return Part(more.end, total + more.value, cost=part.cost + more.cost)
            return Part(end, total, cost=part.cost)
        return self._strung(tokens, words, part)

    def _strung(self, tokens: Sequence[Token], words: Sequence[str], part: Part) -> Part:
        """ "one oh five" is 105 and "one twenty" is 120: a digit, then two more."""
        if not (1 <= part.value <= 9) or part.end >= len(words) or tokens[part.end - 1].number is not None:
            return part
        word = self.spellings.get(words[part.end], words[part.end])
        if (word in self.digits_only and self.digits_only[word] == 0) or (word in self.ones and self.ones[word] == 0):
            last = words[part.end + 1] if part.end + 1 < len(words) else ""
            if last in self.ones and 0 < self.ones[last] < 10:
                return Part(part.end + 2, part.value * 100 + self.ones[last], cost=part.cost)
        if word in self.tens or self.ones.get(word, 0) >= 10:
            more = self.below_hundred(tokens, words, part.end)
            if more is not None and more.value < 100 and more.value >= 10:
                return Part(more.end, part.value * 100 + more.value, cost=part.cost + GUESSED, note="strung together")
        return part

    def below_hundred(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """A number up to 99 in words, or one in digits."""
        if at >= len(words):
            return None
        number = tokens[at].number
        if number is not None:
            if not math.isfinite(number) or len(words[at].lstrip("-")) > MOST_DIGITS or "/" in words[at]:
                return None
            return Part(at + 1, number)
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
            return Part(at + 1, self.homophones[word], cost=RESPELT)  # "won hundred"
        if word in self.tens:
            after = self.skip(words, at + 1)
            if after < len(words):
                ones = self.spellings.get(words[after], words[after])
                if ones in self.ones and 0 < self.ones[ones] < 10:
                    fraction = (
                        after + 1 < len(words)
                        and words[after + 1] in self.fractions
                        and self.fractions[words[after + 1]].denominator > 2
                    )
                    if not fraction:
                        return Part(after + 1, self.tens[word] + self.ones[ones], cost=cost)
                if tokens[after].number is not None and words[after].isdigit() and 0 < int(words[after][:3]) < 10:
                    return Part(after + 1, self.tens[word] + int(words[after]), cost=cost)
                if ones in self.ordinals and 0 < self.ordinals[ones] < 10:
                    return Part(after + 1, self.tens[word] + self.ordinals[ones], cost=cost + ORDINAL, note="ordinal")
            return Part(at + 1, self.tens[word], cost=cost)
        if word in self.ones:
            return Part(at + 1, self.ones[word], cost=cost)
        return None

    def _split(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """A number word that was written as two: "six ty", "four teen"."""
        if at + 1 >= len(words) or tokens[at + 1].number is not None or words[at + 1] in self.ones or words[at + 1] in self.tens:
            return None
        joined = words[at] + words[at + 1]
        word = self.spellings.get(joined, joined)
        value = self.tens.get(word, self.ones.get(word))
        return Part(at + 2, value, cost=RESPELT) if value is not None else None

    def _last_resort(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        """What is only a number where nothing else fits: "to" for two, "third" for three."""
        word = words[at]
        if word in self.ordinals:
            return Part(at + 1, self.ordinals[word], cost=ORDINAL, note="ordinal")
        if word in self.homophones and word not in self.single:
            return Part(at + 1, self.homophones[word], cost=HOMOPHONE, note="sounds like")
        return None

    def _looked_up(self, tokens: Sequence[Token], words: Sequence[str], at: int) -> Part | None:
        number = tokens[at].number
        if number is not None:
            usable = math.isfinite(number) and len(words[at].lstrip("-")) <= MOST_DIGITS and "/" not in words[at]
            return Part(at + 1, number) if usable else None
        for length in range(min(self.most, len(words) - at), 0, -1):
            value = self.table.get(tuple(words[at : at + length]))
            if value is not None:
                thousand = self.language.section("numbers").get("thousand", "")
                end = at + length
                if value == 1000 and end < len(words):
                    rest = self._looked_up(tokens, words, end)
                    if rest is not None and rest.value < 1000 and tokens[end].number is None:
                        return Part(rest.end, 1000 + rest.value)
                if end < len(words) and words[end] == thousand and 1 <= value < 1000:
                    rest = self._looked_up(tokens, words, end + 1) if end + 1 < len(words) else None
                    if rest is not None and rest.value < 1000 and tokens[end + 1].number is None:
                        return Part(rest.end, value * 1000 + rest.value)
                    return Part(end + 1, value * 1000)
                return Part(end, value)
        return None

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
            elif (part := self.below_hundred(tokens, [t.word for t in tokens], here)) is not None and part.cost < HOMOPHONE:
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
