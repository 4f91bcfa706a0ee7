"""Numbers and quantities: a grammar over the words of a language.

The words come from the language's file, the rules below make numbers of them: whole ones, decimals, fractions, signs, digits one by one,
with their units, approximations and corrections.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Any

from msgspec import Struct
from msgspec.structs import replace as _replace

from glossa.hearing.chart import Cells, Edge, Grammar, Rule
from glossa.hearing.tokens import Token
from glossa.house.text import words as fold_words
from glossa.house.values import DURATIONS, tidy
from glossa.language import Language, PhraseSet
from glossa.language.language import is_plural
from glossa.language.phones import phones

HOMOPHONE = 0.45
"""What a number costs that usually is another word: "to" for two. Such a number is taken where nothing else fits."""

ORDINAL, GUESSED, RESPELT, MISHEARD, DIGITS, NOUN = 0.3, 0.1, 0.1, 0.2, 0.05, 0.4
"""What a number costs that is an ordinal, was strung together, was misspelt, was written as other words of the same sound, was said digit by
digit, or whose unit stands alone."""

CLOCK = {**DURATIONS, "days": 86_400, "weeks": 604_800}
"""Units of time, in seconds."""

SIGNS = {"percent": "percent", "celsius": "degrees", "degrees": "degrees"}
"""Units by the words that stand for their signs, ``%`` and ``°``, in the tokens of every language."""

MOST_DIGITS = 15
"""Digits that a number may have; a longer one has no value that a device could take."""

ROUGH = 0.1
"""A quantity inside another one is kept where the other costs more than this."""


class Quantity(Struct, frozen=True):
    """A number as it was said.

    Attributes:
        start, end: the tokens that it takes, ``start`` included and ``end`` not.
        value: the number, in ``unit``; times are in seconds.
        unit: ``percent``, ``celsius``, ``fahrenheit``, ``degrees``, ``seconds`` (for every time), a word of the house's own, or ``""``.
        share: whether it is a bare fraction such as "three quarters", which is a share of the range for a percent.
        cost: what the reading costs, 0 for a plain one.
        note: how it was read, where that is not plain: ``corrected``, ``about``, ``ordinal``, ``sounds like``, ``strung together``, ``digits``.
    """

    start: int
    end: int
    value: float
    unit: str = ""
    share: bool = False
    cost: float = 0.0
    note: str = ""


class Num(Struct, frozen=True):
    """A number inside the grammar.

    Attributes:
        value: the number; seconds for a time.
        unit: its unit, ``""`` for none yet.
        share: whether it is a bare fraction.
        size: what it was counted in last: 100 for hundreds, seconds of the smallest unit of a time.
        note: how it was read.
    """

    value: float
    unit: str = ""
    share: bool = False
    size: float = 1
    note: str = ""


def _changed(number: Num, **fields: Any) -> Num:
    changed: Num = _replace(number, **fields)
    return changed


# --- what rules do --------------------------------------------------------------------------------------------------


def _same(values: Sequence[Any]) -> Any:
    return values[0]


def _last(values: Sequence[Any]) -> Any:
    return values[-1]


def _sum(values: Sequence[Any]) -> Num | None:
    """A tens and a digit, hundreds and what is below."""
    high, low = values[0], values[-1]
    return Num(high.value + low.value, size=low.size) if 0 < low.value < high.size else None


def _tens(values: Sequence[Any]) -> Num | None:
    ten, one = values
    return Num(ten.value + one.value, note=one.note) if 0 < one.value < 10 and float(one.value).is_integer() else None


def _hundreds(values: Sequence[Any]) -> Num | None:
    count = values[0].value if len(values) > 1 else 1
    return Num(count * 100, size=100) if 0 < count < 100 and float(count).is_integer() else None


def _scaled(values: Sequence[Any]) -> Num | None:
    count, scale = values[0].value if len(values) > 1 else 1, values[-1].value
    return Num(count * scale, size=scale) if 0 < abs(count) < 1000 else None


def _more(values: Sequence[Any]) -> Num | None:
    """Thousands and what is below them."""
    high, low = values[0], values[-1]
    return Num(high.value + low.value, size=low.size) if 0 < low.value < high.size and not low.share else None


def _strung(values: Sequence[Any]) -> Num | None:
    """ "one twenty" is 120, "one oh five" 105, "seventeen ninety" 1790."""
    high, low = values[0], values[-1]
    if not high.value or (low.value < 10 and len(values) < 3):
        return None
    return Num(high.value * 100 + low.value, note="strung together" if len(values) < 3 else "digits")


def _digits(values: Sequence[Any]) -> str | None:
    text = "".join(values)
    return text if len(text) <= MOST_DIGITS else None


def _spelled(values: Sequence[str]) -> Num | None:
    return Num(float(values[0]), note="digits") if len(values[0]) > 1 and values[0][0] != "0" else None


def _decimal(values: Sequence[Any]) -> Num | None:
    whole, digits = (values[0].value if len(values) > 2 else 0.0), values[-1]
    return Num(float(f"{int(whole)}.{digits}")) if float(whole).is_integer() and len(digits) <= MOST_DIGITS else None


def _below_100(values: Sequence[Num]) -> str | None:
    value = values[0].value
    return str(int(value)) if 10 <= value < 100 and float(value).is_integer() else None


def _numeral_digits(values: Sequence[Num]) -> str | None:
    value = values[0].value
    return str(int(value)) if 0 <= value < 1e6 and float(value).is_integer() else None


def _part(values: Sequence[Any]) -> Num | None:
    """ "a half", "three quarters", "two thirds"."""
    part = values[-1]
    top = values[0].value if len(values) > 1 else 1
    if len(values) == 1 and part.denominator not in (2, 4):
        return None
    if not 0 < top < 100 or not float(top).is_integer() or (top > 1 and top * part > 1 and part.denominator < 3):
        return None
    return Num(float(int(top) * part), share=True)


def _mixed(values: Sequence[Any]) -> Num | None:
    whole, part = values[0], values[-1]
    return Num(whole.value + part.value, note=whole.note) if float(whole.value).is_integer() and part.value < 1 else None


def _times(values: Sequence[Any]) -> Num | None:
    """ "two and a half thousand", "half a dozen"."""
    count, size = values[0], values[-1]
    return Num(tidy(float(count.value if isinstance(count, Num) else count) * size.value))


def _negative(values: Sequence[Any]) -> Num | None:
    inner = values[-1]
    return _changed(inner, value=-abs(inner.value)) if inner.value else None


def _below_zero(values: Sequence[Any]) -> Num | None:
    if values[0].value <= 0 or values[0].share:
        return None
    unit = values[1] if len(values) > 2 else ""
    return _changed(values[0], value=-values[0].value, unit=unit, note="below zero")


def _about(values: Sequence[Any]) -> Num | None:
    return _changed(values[-1], note=values[-1].note or "about")


def _with_unit(values: Sequence[Any]) -> Num | None:
    number, unit = values[0], values[-1]
    return _changed(number, unit=unit, share=False) if not number.unit else None


def _time(values: Sequence[Any]) -> Num | None:
    number, unit = values[0], values[-1]
    if number.unit:
        return None
    return Num(number.value * CLOCK[unit], "seconds", size=CLOCK[unit], note=number.note)


def _lone_time(values: Sequence[Any]) -> Num:
    return Num(CLOCK[values[-1]], "seconds", size=CLOCK[values[-1]])


def _and_part(values: Sequence[Any]) -> Num:
    """ "a minute and a half"."""
    first, part = values[0], values[-1]
    return _changed(first, value=first.value + part.value * first.size)


def _longer(values: Sequence[Any]) -> Num | None:
    """ "one hour twenty minutes"."""
    first, more = values[0], values[-1]
    return _changed(more, value=first.value + more.value) if more.size < first.size and more.value < first.size else None


def _bare_rest(values: Sequence[Any]) -> Num | None:
    """ "two minutes thirty"."""
    first, more = values[0], values[-1]
    if first.size <= 1 or more.share or more.unit or not 0 <= more.value < 60 or not float(more.value).is_integer():
        return None
    return _changed(first, value=first.value + more.value * first.size / 60)


def _corrected(values: Sequence[Any]) -> Num:
    """ "fifty no sixty": the last one counts; a unit that was said once holds for both."""
    first, last = values[0], values[-1]
    if not last.unit and first.unit:
        factor = first.size if first.unit == "seconds" else 1
        last = _changed(last, value=last.value * factor, unit=first.unit, share=False)
    return _changed(last, note="corrected")


def _unit_part(values: Sequence[Any]) -> Num:
    """ "half a percent": a part of one, not of the range."""
    return Num(values[0].value, values[-1])


RULES = (
    # whole numbers
    Rule("tens", ("ten", "digit"), _tens),
    Rule("tens", ("ten", "numeral"), _tens),
    Rule("tens", ("ten", "ordinal"), _tens, 0.0),
    Rule("tens", ("ten", "misheard"), _tens, GUESSED),
    Rule("tens", ("ten",), _same),
    Rule("below100", ("tens",), _same),
    Rule("below100", ("teen",), _same),
    Rule("below100", ("digit",), _same),
    Rule("below100", ("zero",), _same),
    Rule("below100", ("numeral",), _same),
    Rule("hundreds", ("below100", "hundred"), _hundreds),
    Rule("hundreds", ("misheard", "hundred"), _hundreds, RESPELT),
    Rule("hundreds", ("one", "hundred"), _hundreds),
    Rule("hundreds", ("hundred",), _hundreds),
    Rule("hundreds", ("counted", "hundred"), _hundreds),
    Rule("below1000", ("hundreds", "below100"), _sum),
    Rule("below1000", ("hundreds", "and", "below100"), _sum),
    Rule("below1000", ("hundreds",), _same),
    Rule("below1000", ("below100",), _same),
    Rule("below1000", ("spelled_out",), _same),
    Rule("below1000", ("digit", "teen"), _strung, GUESSED),
    Rule("below1000", ("digit", "tens"), _strung, GUESSED),
    Rule("below1000", ("teen", "tens"), _strung, GUESSED),
    Rule("below1000", ("teen", "teen"), _strung, GUESSED),
    Rule("below1000", ("tens", "teen"), _strung, GUESSED),
    Rule("below1000", ("digit", "oh", "digit"), _strung),
    Rule("below1000", ("digit", "zero", "digit"), _strung),
    Rule("thousands", ("below1000", "scale"), _scaled),
    Rule("thousands", ("one", "scale"), _scaled),
    Rule("thousands", ("scale",), _scaled),
    Rule("thousands", ("counted", "scale"), _scaled),
    Rule("whole", ("thousands", "whole"), _more),
    Rule("whole", ("thousands", "and", "whole"), _more),
    Rule("whole", ("thousands",), _same),
    Rule("whole", ("below1000",), _same),
    # digits one by one
    Rule("figure", ("figure_digit",), _same),
    Rule("figure", ("twice", "figure_digit"), lambda v: v[1] * v[0]),
    Rule("figures", ("figure", "figures"), _digits),
    Rule("figures", ("figure",), _digits),
    Rule("spelled", ("figures",), _spelled, DIGITS),
    # decimals and fractions
    Rule("places", ("figures",), _same),
    Rule("places", ("below100",), _below_100),
    Rule("places", ("numeral",), _numeral_digits),
    Rule("decimal", ("whole", "point", "places"), _decimal),
    Rule("decimal", ("oh", "point", "places"), lambda v: _decimal(v[1:])),
    Rule("decimal", ("point", "places"), _decimal),
    Rule("fraction", ("slashed",), _same),
    Rule("fraction", ("part",), _part),
    Rule("fraction", ("one", "part"), lambda v: _part((Num(1), v[1]))),
    Rule("fraction", ("digit", "part"), _part),
    Rule("fraction", ("numeral", "part"), _part),
    Rule("fraction", ("teen", "part"), _part),
    Rule("share", ("fraction", "of_all"), _same),
    Rule("share", ("fraction",), _same),
    Rule("mixed", ("whole", "and", "fraction"), _mixed),
    Rule("mixed", ("whole", "slashed"), _mixed),
    # numbers of all sorts
    Rule("number", ("decimal", "scale"), _times),
    Rule("number", ("decimal", "hundred"), _times),
    Rule("number", ("decimal",), _same),
    Rule("number", ("mixed", "scale"), _times),
    Rule("number", ("mixed", "hundred"), _times),
    Rule("number", ("mixed",), _same),
    Rule("number", ("share",), _same),
    Rule("number", ("whole", "dozen"), _times),
    Rule("number", ("whole",), _same),
    Rule("number", ("spelled",), _same),
    Rule("number", ("counted",), _same),
    Rule("number", ("one", "counted"), _last),
    Rule("number", ("part", "one", "scale"), _times),
    Rule("number", ("part", "one", "hundred"), _times),
    Rule("number", ("part", "one", "dozen"), _times),
    Rule("number", ("ordinal",), _same, ORDINAL),
    Rule("number", ("homophone",), _same, HOMOPHONE),
    Rule("signed", ("minus", "number"), _negative),
    Rule("signed", ("number", "below"), _below_zero),
    Rule("signed", ("number", "degree", "below"), _below_zero),
    Rule("signed", ("number",), _same),
    Rule("rough", ("about", "signed"), _about),
    Rule("rough", ("signed",), _same),
    # with units
    Rule("time", ("rough", "clock"), _time),
    Rule("time", ("one", "clock"), _lone_time),
    Rule("time", ("moment",), _lone_time, NOUN),
    Rule("time", ("share", "clock"), _time),
    Rule("time", ("share", "of", "clock"), _time),
    Rule("time", ("share", "of", "of", "clock"), _time),
    Rule("duration", ("time", "and", "fraction"), _and_part),
    Rule("duration", ("time", "and", "fraction", "of", "clock"), lambda v: _longer((v[0], _time((v[2], v[4]))))),
    Rule("duration", ("time", "and", "duration"), _longer),
    Rule("duration", ("time", "duration"), _longer),
    Rule("duration", ("time", "whole"), _bare_rest),
    Rule("duration", ("time",), _same),
    Rule("quantity", ("rough", "unit"), _with_unit),
    Rule(
        "quantity",
        ("rough", "unit", "and", "fraction"),
        lambda v: _with_unit((_mixed((v[0], v[3])), v[1])) if _mixed((v[0], v[3])) else None,
    ),
    Rule("quantity", ("fraction", "of", "unit"), _unit_part),
    Rule("quantity", ("fraction", "of", "of", "unit"), _unit_part),
    Rule("quantity", ("duration",), _same),
    Rule("quantity", ("rough",), _same),
    Rule("corrected", ("quantity", "correction", "corrected"), _corrected),
    Rule("corrected", ("quantity", "correction", "preposition", "corrected"), _corrected),
    Rule("corrected", ("quantity",), _same),
)
GRAMMAR = Grammar(RULES)


class NumberReader:
    """Reads the quantities of one language.

    Args:
        language: the language.
        units: further unit words of the house, word -> unit.
    """

    def __init__(self, language: Language, units: Mapping[str, str] | None = None) -> None:
        words = language.numbers
        self.language, self.words = language, words
        self.ones = dict(words.ones)
        self.table = _spelled_out(language.tag) if not words.ones else {}
        self._longest = max((len(k) for k in self.table), default=0)
        if self.table:
            self.ones = {k[0]: v for k, v in self.table.items() if len(k) == 1 and v < 10}
        named = {unit: list(texts) for unit, texts in words.units.items()}
        for unit, sign in SIGNS.items():
            named.setdefault(unit, []).append(sign)
        for word, unit in (units or {}).items():
            if unit not in words.units:
                named.setdefault(unit, []).append(word)
        self._units = {unit: PhraseSet.of(texts) for unit, texts in named.items()}
        self._first_of_unit = {first for phrases in self._units.values() for first in phrases.by_first}
        self._fractions = {k: Fraction(v) for k, v in words.fractions.items()}
        self._groups = PhraseSet.of(words.groups)
        self._hesitation = frozenset(words.hesitation)
        self._sets = {
            "below": PhraseSet.of(words.below_zero),
            "of_all": PhraseSet.of(words.of_all),
            "about": PhraseSet.of(words.about),
            "correction": language.phrases("grammar", "correction"),
        }
        self._single_words = {
            "and": words.joined, "point": words.point, "minus": words.minus, "of": words.of, "one": words.single,
            "preposition": [*language.grammar.relative, *language.grammar.absolute],
        }  # fmt: skip
        spoken = (*words.tens, *(w for w, n in words.ones.items() if n > 9))
        self._by_sound = {phones(w, language.tag): w for w in spoken}
        self._symbols: dict[str, tuple[tuple[str, Any, float], ...]] = {}

    @property
    def known(self) -> bool:
        """Whether the language has number words."""
        return bool(self.ones)

    # --- whole utterances -------------------------------------------------------------------------------------------

    def read(self, tokens: Sequence[Token]) -> tuple[Quantity, ...]:
        """Every quantity of an utterance, from left to right, none inside another; corrected ones joined with what corrects them."""
        return widest(self.every(tokens))

    def every(self, tokens: Sequence[Token]) -> list[Quantity]:
        """Every quantity of an utterance, those inside others too, by start and length."""
        words = tuple(t.word for t in tokens)
        cells = self._cells(tokens, words)
        if not any(cells):
            return []
        following = self._following(words)
        GRAMMAR.parse(cells, following)
        made = [self._quantity(edge) for cell in cells for edge in cell.get("corrected", ())]
        kept = [q for q in made if q is not None and not self._stands_for_a_thing(words, q)]
        return sorted(kept, key=lambda q: (q.start, q.start - q.end, q.cost))

    @staticmethod
    def _quantity(edge: Edge) -> Quantity | None:
        number: Num = edge.value
        if not math.isfinite(number.value) or abs(number.value) >= 10**MOST_DIGITS:
            return None
        cost = edge.cost
        if cost >= HOMOPHONE and number.unit:  # a unit behind it makes "to" a number
            cost = cost - HOMOPHONE + GUESSED
        note = number.note or ("sounds like" if cost >= HOMOPHONE else "ordinal" if cost == ORDINAL else "")
        return Quantity(edge.start, edge.end, tidy(number.value), number.unit, number.share, round(cost, 9), note)

    def _stands_for_a_thing(self, words: tuple[str, ...], quantity: Quantity) -> bool:
        """Whether a "one" means what was named: "the near one", "that one"."""
        at = quantity.start
        if quantity.end != at + 1 or words[at] not in self.language.grammar.one or at == 0:
            return False
        before = words[max(0, at - 2) : at]
        return any(w in self.language.grammar.articles or w in self.language.grammar.all for w in before)

    def _following(self, words: tuple[str, ...]) -> list[tuple[int, ...]]:
        """Hesitation may stand between the words of a number."""
        places: list[tuple[int, ...]] = [(len(words),)]
        for at in range(len(words) - 1, -1, -1):
            places.append((at, *places[-1]) if words[at] in self._hesitation else (at,))
        return places[::-1]

    # --- single words -----------------------------------------------------------------------------------------------

    def _cells(self, tokens: Sequence[Token], words: tuple[str, ...]) -> Cells:
        cells: Cells = []
        for at, token in enumerate(tokens):
            cell: dict[str, list[Edge]] = {}
            cells.append(cell)
            if token.number is not None:
                self._add_numeral(cell, token, at)
            for symbol, value, cost in self._of_word(words[at]):
                if symbol in cell:
                    cell[symbol].append(Edge(at, at + 1, symbol, value, cost))
                else:
                    cell[symbol] = [Edge(at, at + 1, symbol, value, cost)]
            self._add_phrases(cell, tokens, words, at)
        return cells

    @staticmethod
    def _add_numeral(cell: dict[str, list[Edge]], token: Token, at: int) -> None:
        number = token.number
        assert number is not None
        if "/" in token.word:
            cell["slashed"] = [Edge(at, at + 1, "slashed", Num(number, share=True))]
        elif math.isfinite(number) and len(token.word.lstrip("-")) <= MOST_DIGITS:
            cell["numeral"] = [Edge(at, at + 1, "numeral", Num(number))]
            if token.word.isdigit() and len(token.word) == 1:
                cell["figure_digit"] = [Edge(at, at + 1, "figure_digit", token.word)]

    def _of_word(self, word: str) -> tuple[tuple[str, Any, float], ...]:
        """What a word is in the grammar: (symbol, value, cost)."""
        known = self._symbols.get(word)
        if known is None:
            if len(self._symbols) > 20_000:
                self._symbols.clear()
            known = self._symbols[word] = tuple(self._look_up(word))
        return known

    def _look_up(self, word: str) -> list[tuple[str, Any, float]]:
        words = self.words
        spelt = words.spellings.get(word, word)
        cost = RESPELT if spelt != word else 0.0
        symbols: list[tuple[str, Any, float]] = []
        value = self.ones.get(spelt)
        if value is not None:
            symbols.append(("zero" if value == 0 else "digit" if value < 10 else "teen", Num(value), cost))
            if value < 10:
                symbols.append(("figure_digit", str(value), cost))
        if spelt in words.tens:
            symbols.append(("ten", Num(words.tens[spelt], size=10), cost))
        figure = words.digits_only.get(word)
        if figure is not None:
            symbols.append(("twice", -figure, 0.0) if figure < 0 else ("figure_digit", str(figure), 0.0))
            symbols += [("oh", Num(0), 0.0)] if figure == 0 else []
        if word in words.hundred:
            symbols.append(("hundred", Num(100), 0.0))
        scale = words.scales.get(word, 1000 if word == words.thousand else None)
        if scale:
            symbols.append(("scale", Num(scale), 0.0))
        if word in self._fractions:
            symbols.append(("part", self._fractions[word], 0.0))
        if word in words.ordinals:
            symbols.append(("ordinal", Num(words.ordinals[word], note="ordinal"), 0.0))
        if word in words.homophones and word not in words.single:
            symbols.append(("homophone", Num(words.homophones[word], note="sounds like"), 0.0))
            if word not in self.language.small:
                symbols.append(("misheard", Num(words.homophones[word]), 0.0))
        return [*symbols, *((name, Num(1), 0.0) for name, listed in self._single_words.items() if word in listed)]

    def _add_phrases(self, cell: dict[str, list[Edge]], tokens: Sequence[Token], words: tuple[str, ...], at: int) -> None:
        def add(symbol: str, length: int, value: Any, cost: float = 0.0) -> None:
            cell.setdefault(symbol, []).append(Edge(at, at + length, symbol, value, cost))

        word = words[at]
        for name, phrases in self._sets.items():
            if word in phrases.by_first:
                for length in phrases.starts(words, at):
                    add(name, length, word)
        if word in self._groups.by_first:
            for length in self._groups.starts(words, at):
                value = self.words.groups[" ".join(words[at : at + length])]
                following = words[at + length : at + length + 1]
                length += following[:1] == ("of",) and "of" in self.words.of
                add("counted", length, Num(value, note="about" if value == 2 else ""))
                if value >= 12:
                    add("dozen", length, Num(value))
        if word in self._first_of_unit and self._may_be_unit(tokens, at):
            for unit, phrases in self._units.items():
                for length in phrases.starts(words, at):
                    add("clock" if unit in CLOCK else "unit", length, unit)
                    if unit in CLOCK and len(word) > 3 and not is_plural(words[at + length - 1], self.language):
                        add("moment", length, unit)
                    if unit in ("celsius", "degrees"):
                        add("degree", length, unit)
        self._add_split(cell, tokens, words, at)
        for length in range(min(self._longest, len(words) - at), 0, -1):
            spelt = tuple(self.words.spellings.get(w, w) for w in words[at : at + length])
            known = self.table.get(
                words[at : at + length], self.table.get(spelt) if length > 1 or word not in self.words.single else None
            )
            if known is not None:
                add("spelled_out", length, Num(known, size=1))

    def _add_split(self, cell: dict[str, list[Edge]], tokens: Sequence[Token], words: tuple[str, ...], at: int) -> None:
        """A number word that was written as two: "six ty", "four teen"."""
        if at + 1 >= len(words) or tokens[at + 1].number is not None or len(words[at + 1]) > 5 or not self.words.tens:
            return
        if words[at + 1] in self.ones or words[at + 1] in self.words.tens:
            return
        tag, joined, more = self.language.tag, words[at] + words[at + 1], RESPELT
        if joined not in self.ones and joined not in self.words.tens and joined not in self.words.spellings:
            joined, more = self._by_sound.get(phones(words[at], tag) + phones(words[at + 1], tag), ""), MISHEARD
        for symbol, value, cost in self._of_word(joined) if joined else ():
            if symbol in ("ten", "teen", "digit"):
                cell.setdefault(symbol, []).append(Edge(at, at + 2, symbol, value, cost + more))

    def _may_be_unit(self, tokens: Sequence[Token], at: int) -> bool:
        """Whether a letter is a unit here: only where it stands right behind digits."""
        return len(tokens[at].word) > 1 or tokens[at].glued or (at > 0 and tokens[at - 1].number is not None)

    # --- digits one by one ------------------------------------------------------------------------------------------

    def digits(self, tokens: Sequence[Token], start: int) -> tuple[int, str] | None:
        """Digits said one by one or in groups: "two four double six" is ``2466``. The end and the digits, or None."""
        said, here, times, end = "", start, 1, start
        words = tuple(t.word for t in tokens)
        while here < len(tokens) and len(said) < 32:
            word = self.words.spellings.get(words[here], words[here])
            figure = self.words.digits_only.get(word)
            if figure is not None and figure < 0:
                times, here = -figure, here + 1
                continue
            if tokens[here].number is not None and word.isdigit():
                piece, length = word, 1
            elif figure is not None:
                piece, length = str(figure), 1
            elif self.ones.get(word, 10) < 10:
                piece, length = str(self.ones[word]), 1
            elif word in self.words.homophones and said and word not in self.words.single:
                piece, length = str(self.words.homophones[word]), 1
            elif (value := self._below_1000(words, here)) is not None:
                piece, length = value
            elif word in self._hesitation and said:
                here += 1
                continue
            else:
                break
            said += piece * times
            times, here = 1, here + length
            end = here
        return (end, said) if said else None

    def _below_1000(self, words: tuple[str, ...], at: int) -> tuple[str, int] | None:
        """A tens, a teen or a number out of the table, as digits and how many words it takes."""
        tens, word = self.words.tens, words[at]
        if word in tens:
            one = self.ones.get(words[at + 1], 10) if at + 1 < len(words) else 10
            return (str(tens[word] + one), 2) if 0 < one < 10 else (str(tens[word]), 1)
        if self.ones.get(word, 0) >= 10:
            return str(self.ones[word]), 1
        for length in range(min(self._longest, len(words) - at), 0, -1):
            if words[at : at + length] in self.table:
                return str(self.table[words[at : at + length]]), length
        return None

    def alternatives(self, tokens: Sequence[Token], quantity: Quantity) -> list[str]:
        """Other readings of the same words: its parts, the first of a correction, digits, and what it could be mistaken for by sound."""
        others = []
        inside = [q for q in self.every(tokens) if quantity.start <= q.start and q.end <= quantity.end and q.cost < HOMOPHONE]
        if quantity.note == "strung together":
            parts = widest([q for q in inside if q.end - q.start < quantity.end - quantity.start])
            others.append(" and ".join(str(p.value) for p in parts))
        if quantity.note == "corrected":
            others += [f"{q.value} first" for q in inside if q.start == quantity.start and q.note != "corrected"][:1]
        if quantity.note in ("sounds like", "ordinal"):
            others.append("no number")
        if quantity.unit != "seconds":
            others += [f"{t}?" for t in twins(quantity.value, self.language)]
        digits = self.digits(tokens, quantity.start)
        if digits is not None and digits[0] > quantity.end:
            others.append(f"digits {digits[1]}")
        return others


def widest(quantities: Sequence[Quantity]) -> tuple[Quantity, ...]:
    """From left to right the longest quantities, none inside another; a homophone right before a number is none: "to forty"."""
    kept: list[Quantity] = []
    by_start: dict[int, Quantity] = {}
    for quantity in quantities:
        known = by_start.get(quantity.start)
        if known is None or (-quantity.end, quantity.cost) < (-known.end, known.cost):
            by_start[quantity.start] = quantity
    at = 0
    for start in sorted(by_start):
        quantity = by_start[start]
        if start < at:
            continue
        after = by_start.get(quantity.end)
        if quantity.cost >= HOMOPHONE and after is not None and after.cost < HOMOPHONE:
            continue
        kept.append(quantity)
        at = quantity.end
    return tuple(kept)


@lru_cache(maxsize=8)
def _spelled_out(tag: str) -> dict[tuple[str, ...], int]:
    """Number words -> number for 0 to 999, from a library that spells numbers out."""
    from num2words import num2words

    table: dict[tuple[str, ...], int] = {}
    for number in range(1000):
        try:
            table.setdefault(fold_words(str(num2words(number, lang=tag))), number)
        except NotImplementedError:
            return {}
    return table


def twins(value: float, language: Language) -> tuple[int, ...]:
    """The numbers that sound like one: 13 and 30, ... 19 and 90, within larger numbers too, and the pairs of the language's list.

    >>> from glossa.language import load_language
    >>> twins(13, load_language("en")), twins(115, load_language("en")), twins(42, load_language("en"))
    ((30,), (150,), ())
    """
    if not float(value).is_integer() or value < 0:
        return ()
    alike = []
    if language.numbers.teens:
        rest = int(value) % 100
        base = int(value) - rest
        alike += [base + (rest - 10) * 10] if 13 <= rest <= 19 else []
        alike += [base + rest // 10 + 10] if rest in range(30, 100, 10) else []
    for one, other in language.numbers.alike:
        alike += [b for a, b in ((one, other), (other, one)) if a == value]
    return tuple(dict.fromkeys(alike))
