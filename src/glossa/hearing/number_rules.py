"""The grammar of numbers: rules over the words of a language, each with what it makes of them.

Whole numbers, digits one by one, decimals, fractions, signs, units, times, approximations and corrections; the parser is in ``chart``.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from msgspec import Struct
from msgspec.structs import replace as _replace

from glossa.hearing.chart import Grammar, Rule, identity
from glossa.house.sorts import DURATIONS
from glossa.house.values import tidy

HOMOPHONE = 0.45
"""What a number costs that usually is another word: "to" for two. Such a number is taken where nothing else fits."""

ORDINAL, GUESSED, RESPELT, MISHEARD, DIGITS, NOUN = 0.3, 0.1, 0.1, 0.2, 0.05, 0.4
"""What a number costs that is an ordinal, was strung together, was misspelt, was written as other words of the same sound, was said digit by
digit, or whose unit stands alone."""

CLOCK = {**DURATIONS, "days": 86_400, "weeks": 604_800}
"""Units of time, in seconds."""

MOST_DIGITS = 15
"""Digits that a number may have; a longer one has no value that a device could take."""


class Num(Struct, frozen=True, gc=False):
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
    return Num(float(values[0]), note="digits") if len(values[0]) > 1 else None


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
    if not 0 < top < 100 or not float(top).is_integer() or (top > 1 and top * part >= 1 and part.denominator < 3):
        return None
    return Num(float(int(top) * part), share=True)


def _mixed(values: Sequence[Any]) -> Num | None:
    whole, part = values[0], values[-1]
    return Num(whole.value + part.value, note=whole.note) if float(whole.value).is_integer() and part.value < 1 else None


def _times(values: Sequence[Any]) -> Num | None:
    """ "two and a half thousand", "half a dozen"."""
    count, size = values[0], values[-1]
    return Num(tidy(float(count.value if isinstance(count, Num) else count) * size.value))


def _dozens(values: Sequence[Num]) -> Num:
    return Num(values[0].value * values[1].value, size=values[1].value)


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
    """ "two minutes thirty", "an hour and twenty"."""
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


def _one_unit(values: Sequence[Any]) -> Num:
    """ "a degree", "a degree and a half"."""
    return Num(1 + (values[3].value if len(values) > 3 else 0.0), values[1])


RULES = (
    # whole numbers
    Rule("tens", ("ten", "digit"), _tens),
    Rule("tens", ("ten", "numeral"), _tens),
    Rule("tens", ("ten", "ordinal"), _tens, 2 * ORDINAL),  # "a sixty second exposure" is a minute
    Rule("tens", ("ten", "misheard"), _tens, GUESSED),
    Rule("tens", ("ten",), identity),
    Rule("below100", ("tens",), identity),
    Rule("below100", ("teen",), identity),
    Rule("below100", ("digit",), identity),
    Rule("below100", ("zero",), identity),
    Rule("below100", ("numeral",), identity),
    Rule("hundreds", ("below100", "hundred"), _hundreds),
    Rule("hundreds", ("misheard", "hundred"), _hundreds, RESPELT),
    Rule("hundreds", ("one", "hundred"), _hundreds),
    Rule("hundreds", ("hundred",), _hundreds),
    Rule("hundreds", ("counted", "hundred"), _hundreds),
    Rule("below1000", ("hundreds", "below100"), _sum),
    Rule("below1000", ("hundreds", "and", "below100"), _sum),
    Rule("below1000", ("hundreds",), identity),
    Rule("below1000", ("below100",), identity),
    Rule("below1000", ("spelled_out",), identity),
    Rule("below1000", ("digit", "teen"), _strung, GUESSED),
    Rule("below1000", ("digit", "tens"), _strung, GUESSED),
    Rule("below1000", ("teen", "tens"), _strung, GUESSED),
    Rule("below1000", ("teen", "teen"), _strung, GUESSED),
    Rule("below1000", ("tens", "teen"), _strung, GUESSED),
    Rule("below1000", ("ten", "tens"), _strung, GUESSED),
    Rule("below1000", ("digit", "oh", "digit"), _strung),
    Rule("below1000", ("digit", "zero", "digit"), _strung),
    Rule("thousands", ("below1000", "scale"), _scaled),
    Rule("thousands", ("one", "scale"), _scaled),
    Rule("thousands", ("scale",), _scaled),
    Rule("thousands", ("counted", "scale"), _scaled),
    Rule("whole", ("thousands", "whole"), _more),
    Rule("whole", ("thousands", "and", "whole"), _more),
    Rule("whole", ("thousands",), identity),
    Rule("whole", ("below1000",), identity),
    # digits one by one
    Rule("figure", ("figure_digit",), identity),
    Rule("figure", ("twice", "figure_digit"), lambda v: v[1] * v[0]),
    Rule("figures", ("figure", "figures"), _digits),
    Rule("figures", ("figure",), _digits),
    Rule("spelled", ("figures",), _spelled, DIGITS),
    # decimals and fractions
    Rule("places", ("figures",), identity),
    Rule("places", ("below100",), _below_100),
    Rule("places", ("numeral",), _numeral_digits),
    Rule("decimal", ("whole", "point", "places"), _decimal),
    Rule("decimal", ("oh", "point", "places"), lambda v: _decimal(v[1:])),
    Rule("decimal", ("point", "places"), _decimal),
    Rule("fraction", ("slashed",), identity),
    Rule("fraction", ("part",), _part),
    Rule("fraction", ("one", "part"), lambda v: _part((Num(1), v[1]))),
    Rule("fraction", ("digit", "part"), _part),
    Rule("fraction", ("numeral", "part"), _part),
    Rule("fraction", ("homophone", "parts"), _part, GUESSED),
    Rule("fraction", ("teen", "part"), _part),
    Rule("share", ("fraction", "of_all"), identity),
    Rule("share", ("fraction",), identity),
    Rule("mixed", ("whole", "and", "fraction"), _mixed),
    Rule("mixed", ("whole", "slashed"), _mixed),
    # numbers of all sorts
    Rule("dozens", ("whole", "dozen"), _dozens),
    Rule("dozens", ("one", "dozen"), _dozens),
    Rule("number", ("decimal", "scale"), _times),
    Rule("number", ("decimal", "hundred"), _times),
    Rule("number", ("decimal",), identity),
    Rule("number", ("mixed", "scale"), _times),
    Rule("number", ("mixed", "hundred"), _times),
    Rule("number", ("mixed",), identity),
    Rule("number", ("share",), identity),
    Rule("number", ("whole", "dozen"), _times),
    Rule("number", ("whole",), identity),
    Rule("number", ("spelled",), identity),
    Rule("number", ("counted",), identity),
    Rule("number", ("one", "counted"), _last),
    Rule("number", ("dozens", "and", "fraction"), _and_part),
    Rule("number", ("part", "one", "scale"), _times),
    Rule("number", ("part", "one", "hundred"), _times),
    Rule("number", ("part", "one", "dozen"), _times),
    Rule("number", ("part", "of", "of", "scale"), _times),
    Rule("number", ("ordinal",), identity, ORDINAL),
    Rule("number", ("homophone",), identity, HOMOPHONE),
    Rule("signed", ("minus", "number"), _negative),
    Rule("signed", ("number", "below"), _below_zero),
    Rule("signed", ("number", "degree", "below"), _below_zero),
    Rule("signed", ("number",), identity),
    Rule("rough", ("about", "signed"), _about),
    Rule("rough", ("signed", "roughly"), lambda v: _about(v[:1])),
    Rule("rough", ("signed",), identity),
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
    Rule("duration", ("time", "and", "whole"), _bare_rest),
    Rule("duration", ("time",), identity),
    Rule("unit_part", ("fraction", "of", "unit"), _unit_part),
    Rule("unit_part", ("fraction", "of", "of", "unit"), _unit_part),
    Rule("unit_part", ("one", "unit"), _one_unit),
    Rule("unit_part", ("one", "unit", "and", "fraction"), _one_unit),
    Rule("quantity", ("rough", "unit"), _with_unit),
    Rule(
        "quantity",
        ("rough", "unit", "and", "fraction"),
        lambda v: _with_unit((_mixed((v[0], v[3])), v[1])) if _mixed((v[0], v[3])) else None,
    ),
    Rule("quantity", ("minus", "unit_part"), _negative),
    Rule("quantity", ("unit_part", "below"), _below_zero),
    Rule("quantity", ("unit_part",), identity),
    Rule("quantity", ("duration",), identity),
    Rule("quantity", ("rough",), identity),
    Rule("corrected", ("quantity", "correction", "corrected"), _corrected),
    Rule("corrected", ("quantity", "correction", "preposition", "corrected"), _corrected),
    Rule("corrected", ("quantity", "hesitation", "corrected"), _corrected, GUESSED),
    Rule("corrected", ("quantity",), identity),
)
GRAMMAR = Grammar(RULES, ("corrected",))
