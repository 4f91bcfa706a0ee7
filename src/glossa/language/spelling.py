"""Numbers in words, composed by the rules of a language file.

The rules are a part of those of Unicode Technical Standard #35, part 3, section 6 (rule-based number formatting): ``base: text`` or
``base/divisor: text``, where ``<<`` stands for how often the divisor goes into the number, ``>>`` for what is left over, and what is in
brackets is only said where something is. The divisor is the largest power of ten that the base holds, where none is written.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from decimal import Decimal
from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.text import fold

MOST = 10**12
_RULE = re.compile(r"\s*(\d[\d_]*)\s*(?:/\s*(\d[\d_]*)\s*)?:\s*(.*)")
_PARTS = re.compile(r"<<|>>|\[|\]|[^<>\[\]]+|.")


class SpellingRule(Struct, frozen=True):
    """A rule: it counts from ``base`` up to the next rule's; the text with its blanks."""

    base: int
    divisor: int
    text: str


def read_rules(written: Sequence[str]) -> tuple[SpellingRule, ...]:
    """The rules, by their base.

    Raises:
        ValueError: where one is not in the form, with what to write instead.
    """
    found = []
    for text in written:
        match = _RULE.fullmatch(text)
        if match is None:
            raise ValueError(f"'{text}' is no rule; write one as in '20: twenty[ >>]'")
        base, divisor = int(match[1]), int(match[2] or 0)
        if match[2] and divisor < 2:
            raise ValueError(f"'{text}': a divisor is 2 or more")
        inside = re.sub(r"<<|>>", "", match[3])
        if inside.count("[") != inside.count("]") or re.search(r"[<>]", inside) or re.search(r"\[[^\]]*\[", inside):
            raise ValueError(f"'{text}': blanks are << and >>, and brackets stand in pairs, none in another")
        if (">>" in match[3] or "<<" in match[3]) and base == 0:
            raise ValueError(f"'{text}': nothing can be left over of 0")
        found.append(SpellingRule(base, divisor or 10 ** (len(str(base)) - 1), match[3].strip(" ")))
    return tuple(sorted(found, key=lambda r: r.base))


def _plain(text: str) -> str:
    return fold(text).replace("-", " ")


class Spelling:
    """Says numbers.

    Args:
        rules: as a language file has them.
        changes: (pattern, replacement), applied one after the other to what the rules make.
        minus, point: the words for a sign and for the mark of decimals, ``""`` for none.

    Raises:
        ValueError: where a rule is not in the form.
    """

    def __init__(self, rules: Sequence[str], changes: Sequence[Sequence[str]] = (), minus: str = "", point: str = "") -> None:
        self._rules = read_rules(rules)
        self._changes = [(re.compile(pattern), replacement) for pattern, replacement in changes]
        self._minus, self._point = minus, point
        self._said = lru_cache(4096)(self._composed)

    def folded(self) -> Spelling:
        """The same without accents, capitals and hyphens: what it says is what is heard, word by word."""
        made = object.__new__(Spelling)
        made._rules = tuple(replace(r, text=_plain(r.text)) for r in self._rules)
        made._changes = [(re.compile(_plain(p.pattern)), _plain(r)) for p, r in self._changes]
        made._minus, made._point = _plain(self._minus), _plain(self._point)
        made._said = lru_cache(4096)(made._composed)
        return made

    def say(self, number: float) -> str:
        """A number as it is said, ``""`` where the rules have no words for it.

        >>> Spelling(["0: null", "1: ein", "2: zwei", "20: [>>und]zwanzig"]).say(22)
        'zweiundzwanzig'
        """
        if number < 0:
            rest = self.say(-number)
            return f"{self._minus} {rest}" if self._minus and rest else ""
        whole, _, decimals = f"{Decimal(repr(number)):f}".partition(".")
        said = self._changed(self._said(int(whole)))
        if not decimals.strip("0") or not said:
            return said
        digits = [self._changed(self._said(int(d))) for d in decimals.rstrip("0")]
        return " ".join((said, self._point, *digits)) if self._point and all(digits) else ""

    def _changed(self, text: str) -> str:
        for pattern, replacement in self._changes:
            text = pattern.sub(replacement, text)
        return " ".join(text.split())

    def _composed(self, number: int) -> str:
        rule = next((r for r in reversed(self._rules) if r.base <= number), None)
        if rule is None or number >= MOST:
            return ""
        many, left = divmod(number, rule.divisor)
        if rule.base == number and not re.search("<<|>>", rule.text):
            return rule.text
        if not re.search("<<|>>", rule.text) or (rule.divisor == 1 and "<<" in rule.text):
            return ""
        text, keep = "", True
        for part in _PARTS.findall(rule.text):
            if part in ("[", "]"):
                keep = left > 0 or part == "]"
            elif not keep:
                continue
            elif part in ("<<", ">>"):
                if part == ">>" and not left:
                    return ""
                said = self._said(many if part == "<<" else left)
                if not said:
                    return ""
                text += said
            else:
                text += part
        return text
