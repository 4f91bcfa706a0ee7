"""The sorts of values: switches, choices, numbers, colours, digits and words, a class each.

Wire scaling is the linear map of the W3C Web of Things use of ``minimum`` and ``maximum``: the ends of the range map
onto the ends of ``raw``, which may be reversed.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import ClassVar

from glossa.house.colours import colour_code
from glossa.house.text import words
from glossa.house.values import Form, OutsideRange, Speech, Value, Values, Way, round_to, texts_for, tidy, unwired

DURATIONS: Mapping[str, int] = {"seconds": 1, "minutes": 60, "hours": 3600}
"""Units of time that a value may be in, in seconds."""

UNITS = ("percent", "celsius", "degrees", *DURATIONS)
"""The units that are built in; any other is a word of the house's own."""

UNIT_SIGNS: Mapping[str, str] = {
    "%": "percent", "pct": "percent", "c": "celsius", "°c": "celsius", "centigrade": "celsius", "°": "degrees", "deg": "degrees", "degree": "degrees",
    "s": "seconds", "sec": "seconds", "second": "seconds", "m": "minutes", "min": "minutes", "minute": "minutes", "h": "hours", "hr": "hours", "hour": "hours",
    "f": "celsius", "°f": "celsius", "fahrenheit": "celsius", "days": "hours", "day": "hours",
}  # fmt: skip
"""What is written for a unit and is none, and the unit to write instead."""

TEMPERATURES = ("celsius", "fahrenheit")
FINE = 0.01
"""What a percentage or degrees are rounded to where the house gives no ``step``: a third is 33.33."""

ROUNDED = ("percent", "celsius", "degrees")
"""Units of which no device and no person wants more than two decimals."""

EXACT, NEARLY = 0.0, 0.2
"""How far by sound the built-in words for "full" and the many colour names may be from what was heard."""

EXTREME = 0.02
"""What "full" costs beside a name that the house gives itself."""

FULL_CIRCLE = 360


class ChoiceValues(Values, frozen=True):
    """One of some values, each with its wire text."""

    sort: ClassVar[str] = "choice"
    ways: ClassVar[tuple[Way, ...]] = (Way.NAMED,)
    corrected: ClassVar[bool] = True

    def literal(self, value: object) -> Value | None:
        """The choice of that name."""
        return str(value) if str(value) in self.choices else None

    def forms(self, tag: str, speech: Speech) -> Iterator[Form]:
        """The spoken forms, and the value's own name but where a language has its own ones or the name is said for another value."""
        said = {text: value for value in self.choices for text in texts_for(self.spoken.get(value, {}), tag)}
        for value in self.choices:
            spoken = texts_for(self.spoken.get(value, {}), tag)
            own = [name for name in self._besides(value, tag) if said.get(name, value) == value]
            for text in dict.fromkeys((*spoken, *own) if spoken else self._built_in(value, speech)):
                if words(text):
                    yield Form(words(text), value)

    def _built_in(self, value: str, speech: Speech) -> tuple[str, ...]:
        return (value,)

    def _besides(self, value: str, tag: str) -> tuple[str, ...]:
        """What a value is called besides its spoken forms."""
        return () if tag in self.spoken.get(value, {}) else (value,)

    def shown(self, value: Value, tag: str, speech: Speech) -> str:
        """The first spoken form of the language, where there is one."""
        own = self.spoken.get(str(value), {}).get(tag)
        return own[0] if own else str(value)

    def wire(self, value: Value) -> str:
        """The wire text of a choice."""
        return self.choices.get(str(value), str(value))

    def unwire(self, text: str) -> Value | None:
        """The choice that a wire text stands for."""
        return unwired(text.strip(), self.choices)


class SwitchValues(ChoiceValues, frozen=True):
    """On or off."""

    sort: ClassVar[str] = "switch"

    def literal(self, value: object) -> Value | None:
        """``True`` is on, ``False`` off."""
        return super().literal(("off", "on")[value] if isinstance(value, bool) else value)

    def _besides(self, value: str, tag: str) -> tuple[str, ...]:
        """Nothing: a switch that opens and shuts something is not turned on."""
        return ()

    def _built_in(self, value: str, speech: Speech) -> tuple[str, ...]:
        built_in, own = speech.switched(value)
        return (*((value,) if own or not built_in else ()), *built_in)

    def shown(self, value: Value, tag: str, speech: Speech) -> str:
        """The first spoken form of the language, the house's own or built in; the value where the language says just that."""
        own = self.spoken.get(str(value), {}).get(tag)
        return own[0] if own else self._built_in(str(value), speech)[0]

    def start(self) -> Value:
        """Off."""
        return self.initial if self.initial is not None else "off"


class NumberValues(Values, frozen=True):
    """A number with a unit, a range, and a scale on the wire.

    Attributes:
        unit: the unit of everything here, as it is spoken; ``percent``, ``celsius``, ``degrees`` (an angle), ``seconds``, ``minutes``,
            ``hours``, a word of its own, or ``""``.
        unit_words: the words that it is spoken with besides, by language.
        minimum, maximum: the range in that unit, or None where it is open.
        step: values are rounded to it; None leaves them as they are, a percentage and degrees to two decimals.
        raw: what minimum and maximum are on the wire, or None for the value itself.
        raw_step: what the wire takes is a multiple of it; None where it isn't rounded.
        outside: ``refuse`` or ``clamp`` what lies out of range.
        difference: whether a temperature is a difference of two.
        cyclic: whether the range closes on itself, so that changes run round.
        doubt: ``ask`` to have a number with a sound-alike twin read back, else ``""``.
        doubt_share: how far apart the twins must be for that, as a share of the range, 0 to 1.
    """

    sort: ClassVar[str] = "number"
    ways: ClassVar[tuple[Way, ...]] = (Way.NAMED, Way.NUMBER)
    takes_names: ClassVar[bool] = True

    unit: str = ""
    unit_words: Mapping[str, tuple[tuple[str, ...], ...]] = MappingProxyType({})
    minimum: float | None = None
    maximum: float | None = None
    step: float | None = None
    raw: tuple[float, float] | None = None
    raw_step: float | None = None
    outside: str = "refuse"
    difference: bool = False
    cyclic: bool = False
    doubt: str = ""
    doubt_share: float = 0.1

    # --- the range --------------------------------------------------------------------------------------------------

    @property
    def duration(self) -> bool:
        """Whether the unit is one of time."""
        return self.unit in DURATIONS

    @property
    def factor(self) -> int:
        """Seconds in the unit of time, else 1."""
        return DURATIONS.get(self.unit, 1)

    @property
    def ranged(self) -> bool:
        """Whether it has both a minimum and a maximum."""
        return self.minimum is not None and self.maximum is not None

    def limits(self) -> tuple[float, float]:
        """The range; infinite where it is open."""
        return -math.inf if self.minimum is None else self.minimum, math.inf if self.maximum is None else self.maximum

    def nearest(self, number: float) -> int | float:
        """The number rounded to ``step``, halves away from zero; without one, a percentage and degrees to two decimals."""
        step = self.step or (FINE if self.unit in ROUNDED else None)
        if step is None or not math.isfinite(number) or abs(number) > 1e15:
            return tidy(number) if math.isfinite(number) else number
        return tidy(round_to(tidy(number), step))

    def within(self, number: float) -> bool:
        """Whether a number lies in the range, ends included."""
        low, high = self.limits()
        return low <= number <= high

    def clamp(self, number: float) -> int | float:
        """The number, or the end of the range that it lies beyond."""
        low, high = self.limits()
        return tidy(min(max(number, low), high))

    def moved(self, number: float) -> int | float:
        """Where a change ends: kept within the range, or run round a range that closes on itself.

        >>> NumberValues(unit="degrees", minimum=0, maximum=359, cyclic=True).moved(370)
        10
        """
        low, high = self.limits()
        if not self.cyclic or not math.isfinite(high - low) or not math.isfinite(number):
            return self.clamp(self.nearest(number))
        span = high - low
        period = span if self.unit == "degrees" and span == FULL_CIRCLE else span + (self.step or 1)
        return self.clamp(self.nearest(low + (number - low) % period))

    def settle(self, value: Value) -> Value:
        """The number rounded, and kept in range where the house says so."""
        if isinstance(value, str):
            return value
        number = self.nearest(value)
        if self.within(number):
            return number
        if self.outside == "refuse":
            raise OutsideRange(number)
        return self.clamp(number)

    def from_unit(self, number: float, unit: str) -> int | float:
        """A number in another unit of time, in the unit here."""
        if unit in DURATIONS and self.duration and unit != self.unit:
            return tidy(number * DURATIONS[unit] / self.factor)
        return tidy(number)

    # --- as it is written and spoken --------------------------------------------------------------------------------

    def literal(self, value: object) -> Value | None:
        """A number."""
        return tidy(value) if isinstance(value, (int, float)) and not isinstance(value, bool) else None

    def hint(self) -> str:
        """The range."""
        return "write a number" + (f" from {self.minimum} to {self.maximum}" if self.ranged else "")

    def described(self) -> str:
        """A number and its unit."""
        return "a number" + (f" of {self.unit}" if self.unit else "")

    def examples(self) -> tuple[Value, ...]:
        """Where it starts."""
        return (self.start(),)

    def forms(self, tag: str, speech: Speech) -> Iterator[Form]:
        """The house's own names, and "full", "minimum" and "halfway" of a range."""
        yield from super().forms(tag, speech)
        if self.minimum is None or self.maximum is None or self.duration:  # nobody runs a pump for "minimum"
            return
        low, high = self.minimum, self.maximum
        for texts, reached in zip(speech.extremes, (high, low, low + (high - low) / 2), strict=True):
            for text in texts:
                yield Form(tuple(text.split()), self.nearest(reached), EXTREME, EXACT)

    def sample(self, tag: str, speech: Speech) -> str:
        """A number in the middle of the range."""
        low, high = self.minimum, self.maximum
        middle = (low + high) / 2 if low is not None and high is not None else low if low is not None else 5
        return str(int(middle) if middle >= 1 else middle)

    def shown(self, value: Value, tag: str, speech: Speech) -> str:
        """The number without a needless fraction."""
        return value if isinstance(value, str) else str(tidy(value))

    # --- on the wire ------------------------------------------------------------------------------------------------

    def wire(self, value: Value) -> str:
        """Mapped linearly from ``minimum``..``maximum`` onto ``raw`` and rounded to ``raw_step``, halves away from zero.

        >>> NumberValues(minimum=0, maximum=100, raw=(0, 255), raw_step=1).wire(40)
        '102'
        """
        if isinstance(value, str):
            return value
        number: float = value
        if self.raw is not None and self.minimum is not None and self.maximum is not None:
            low, high = self.raw
            number = low + (number - self.minimum) * (high - low) / (self.maximum - self.minimum)
        if self.raw_step is not None:
            start = self.raw[0] if self.raw is not None else 0.0
            number = round_to(round(number, 9), self.raw_step, 0.0 if float(start / self.raw_step).is_integer() else start)
        return str(tidy(number))

    def unwire(self, text: str) -> Value | None:
        """The number back from the wire, rounded as a spoken one is."""
        try:
            number = float(text.strip())
        except ValueError:
            return None
        if not math.isfinite(number):
            return None
        if self.raw is not None and self.minimum is not None and self.maximum is not None:
            low, high = self.raw
            number = self.minimum + (number - low) * (self.maximum - self.minimum) / (high - low)
        return self.nearest(number)

    def seconds(self, value: Value) -> Value:
        """A time in seconds, whatever unit the value is in."""
        return value if isinstance(value, str) else tidy(value * self.factor)

    def start(self) -> Value:
        """``initial``, else the minimum, else 0."""
        return self.initial if self.initial is not None else tidy(self.minimum or 0)


class ColourValues(Values, frozen=True):
    """A colour, as ``#rrggbb``."""

    sort: ClassVar[str] = "colour"
    ways: ClassVar[tuple[Way, ...]] = (Way.NAMED_AS_IS,)
    takes_names: ClassVar[bool] = True
    corrected: ClassVar[bool] = True

    def literal(self, value: object) -> Value | None:
        """A CSS colour name or a hex colour (CSS Color Module Level 4, section 6.1)."""
        return colour_code(str(value))

    def hint(self) -> str:
        """Names and codes."""
        return 'write a CSS colour name or "#rrggbb"'

    def forms(self, tag: str, speech: Speech) -> Iterator[Form]:
        """The house's own names, and those of the language."""
        yield from super().forms(tag, speech)
        for name, code in speech.colour_names.items():
            yield Form(name, code, farthest=NEARLY, kin=True)

    def sample(self, tag: str, speech: Speech) -> str:
        """The first name that the house gives one, else the shortest of the language."""
        own = next(iter(super().forms(tag, speech)), None)
        return " ".join(
            own.words if own is not None else min(speech.colour_names, key=lambda w: sum(map(len, w)), default=("red",))
        )

    def shown(self, value: Value, tag: str, speech: Speech) -> str:
        """The house's own name, or that of the language, or the code."""
        own = [name for key in (tag, "") for name, code in self.named.get(key, {}).items() if code == value]
        return (
            own[0] if own else next((" ".join(name) for name, code in speech.colour_names.items() if code == value), str(value))
        )

    def unwire(self, text: str) -> Value | None:
        """A code."""
        text = text.strip().lower()
        return text if re.fullmatch(r"#[0-9a-f]{6}", text) else None

    def fills(self, value: Value) -> Mapping[str, Value]:
        """``$red``, ``$green`` and ``$blue``, 0 to 255."""
        text = str(value)
        return {name: int(text[at : at + 2], 16) for name, at in (("red", 1), ("green", 3), ("blue", 5))}

    def start(self) -> Value:
        """Black."""
        return self.initial if self.initial is not None else "#000000"


class DigitsValues(Values, frozen=True):
    """Digits, as text from hearing to wire: ``007`` stays ``007``."""

    sort: ClassVar[str] = "digits"
    ways: ClassVar[tuple[Way, ...]] = (Way.DIGITS,)

    def sample(self, tag: str, speech: Speech) -> str:
        """Four digits."""
        return "1 2 3 4"


class WordsValues(Values, frozen=True):
    """Any words."""

    sort: ClassVar[str] = "words"
    ways: ClassVar[tuple[Way, ...]] = (Way.FREE,)

    def sample(self, tag: str, speech: Speech) -> str:
        """Some word."""
        return "something"


FREE = ("words", "digits")
"""The sorts whose values are what somebody said, word for word."""

_sorts: dict[str, type[Values]] = {
    c.sort: c for c in (SwitchValues, NumberValues, ChoiceValues, ColourValues, DigitsValues, WordsValues)
}
BUILT_IN_SORTS = tuple(_sorts)


def sorts() -> Mapping[str, type[Values]]:
    """The sorts by the ``type`` of the house file: those that are built in, then those of one's own."""
    return MappingProxyType(_sorts)


def register_sort(sort: type[Values]) -> None:
    """Let houses that are read from now on have values of a sort of one's own.

    Args:
        sort: a frozen class over :class:`~glossa.house.values.Values`, with a ``sort`` of its own: the ``type`` of the house file.

    Raises:
        ValueError: where it has no name, or that of a sort that is built in.
    """
    if not sort.sort or sort.sort in BUILT_IN_SORTS:
        raise ValueError(f"a sort of values needs a name of its own, not '{sort.sort}'")
    _sorts[sort.sort] = sort
