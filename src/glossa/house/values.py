"""What a property or a slot can be, and how a value becomes what goes over the wire.

Wire scaling is the linear map of the W3C Web of Things use of ``minimum`` and ``maximum``: the ends of the range map
onto the ends of ``raw``, which may be reversed.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from decimal import ROUND_HALF_UP, Decimal
from types import MappingProxyType

from msgspec import Struct, field

from glossa.house.text import fold

Value = int | float | str
Texts = Mapping[str, tuple[str, ...]]
"""Texts by BCP 47 language tag; those under ``""`` belong to every language of the house."""

NO_TEXTS: Texts = MappingProxyType({})
TEMPERATURES = ("celsius", "fahrenheit")
DURATIONS: Mapping[str, int] = MappingProxyType({"seconds": 1, "minutes": 60, "hours": 3600})


def texts_for(texts: Texts, language: str) -> tuple[str, ...]:
    """The texts that count in one language: its own, and those that belong to every language."""
    return (*texts.get(language, ()), *texts.get("", ()))


def tidy(number: float) -> int | float:
    """The same number without a needless fraction: 40.0 becomes 40, and sums lose their binary dust.

    >>> tidy(40.0), tidy(0.1 + 0.2)
    (40, 0.3)
    """
    if isinstance(number, int):
        return number
    rounded = round(number, 9)
    return int(rounded) if rounded == int(rounded) else rounded


def round_to(number: float, step: float, start: float = 0.0) -> float:
    """``number`` on the grid ``start + n * step``, halves up.

    >>> round_to(2.5, 1), round_to(21.26, 0.5)
    (3.0, 21.5)
    """
    size, origin = Decimal(repr(step)), Decimal(repr(start))
    steps = ((Decimal(repr(number)) - origin) / size).quantize(Decimal(1), rounding=ROUND_HALF_UP)
    return float(origin + steps * size)


class Values(Struct, frozen=True):
    """What a slot or property takes.

    Attributes:
        type: ``switch``, ``number``, ``choice``, ``colour``, ``digits`` or ``words``.
        unit: the unit of a number as it is spoken; ``percent``, ``celsius``, ``degrees`` (an angle), ``seconds``,
            ``minutes``, ``hours``, a word of its own, or ``""``.
        minimum, maximum: the range in that unit, or None where it is open.
        step: spoken values are rounded to it; None leaves them as they are.
        raw: what minimum and maximum are on the wire, or None for the value itself.
        raw_step: what the wire takes is a multiple of it; None where it isn't rounded.
        choices: wire text by the value's name, for ``switch`` and ``choice``, in the file's order.
        spoken: spoken forms by the value's name.
        named: spoken form -> value, by language.
        initial: where the simulated device starts.
        outside: ``refuse`` or ``clamp`` what lies out of range.
        difference: whether a temperature is a difference of two.
        doubt: ``ask`` to have a number with a sound-alike twin read back, else ``""``.
        doubt_share: how far apart the twins must be for that, as a share of the range, 0 to 1.
    """

    type: str
    unit: str = ""
    minimum: float | None = None
    maximum: float | None = None
    step: float | None = None
    raw: tuple[float, float] | None = None
    raw_step: float | None = None
    choices: Mapping[str, str] = field(default_factory=dict)
    spoken: Mapping[str, Texts] = field(default_factory=dict)
    named: Mapping[str, Mapping[str, Value]] = field(default_factory=dict)
    initial: Value | None = None
    outside: str = "refuse"
    difference: bool = False
    doubt: str = ""
    doubt_share: float = 0.1

    @property
    def duration(self) -> bool:
        """Whether the unit is one of time; such values are given in seconds everywhere but in the range and on the wire."""
        return self.unit in DURATIONS

    @property
    def factor(self) -> int:
        """Seconds in the slot's own unit of time, else 1."""
        return DURATIONS.get(self.unit, 1)

    @property
    def ranged(self) -> bool:
        """Whether it is a number with both a minimum and a maximum."""
        return self.type == "number" and self.minimum is not None and self.maximum is not None

    def limits(self) -> tuple[float, float]:
        """The range in the value's unit (seconds for times); infinite where it is open."""
        low = -math.inf if self.minimum is None else self.minimum * self.factor
        high = math.inf if self.maximum is None else self.maximum * self.factor
        return low, high

    def nearest(self, number: float) -> int | float:
        """The number rounded to ``step`` (in the unit of the range), halves up."""
        if self.step is None or not math.isfinite(number) or abs(number) > 1e15:
            return tidy(number) if math.isfinite(number) else number
        return tidy(round_to(number / self.factor, self.step) * self.factor)

    def within(self, number: float) -> bool:
        """Whether a number lies in the range, ends included."""
        low, high = self.limits()
        return low <= number <= high

    def clamp(self, number: float) -> int | float:
        """The number, or the end of the range that it lies beyond."""
        low, high = self.limits()
        return tidy(min(max(number, low), high))

    def wire(self, value: Value) -> str:
        """The wire text of a value.

        Numbers are mapped linearly from ``minimum``..``maximum`` onto ``raw`` and rounded to ``raw_step``, halves up;
        choices have their wire value; everything else stands for itself.

        >>> Values("number", minimum=0, maximum=100, raw=(0, 255), raw_step=1).wire(40)
        '102'
        """
        if isinstance(value, str):
            return self.choices.get(value, value)
        number: float = value / self.factor
        if self.raw is not None and self.minimum is not None and self.maximum is not None:
            low, high = self.raw
            number = low + (number - self.minimum) * (high - low) / (self.maximum - self.minimum)
        if self.raw_step is not None:
            start = self.raw[0] if self.raw is not None else 0.0
            number = round_to(round(number, 9), self.raw_step, 0.0 if float(start / self.raw_step).is_integer() else start)
        return str(tidy(number))

    def unwire(self, text: str) -> Value | None:
        """The value that a wire text stands for, or None where it stands for none: the way back from :meth:`wire`."""
        text = text.strip()
        for value, wire in self.choices.items():
            if wire == text or (fold(wire) == fold(text)):
                return value
        if self.type == "colour":
            return text.lower() if len(text) == 7 and text.startswith("#") else None
        if self.type != "number":
            return text if not self.choices else None
        try:
            number = float(text)
        except ValueError:
            return None
        if not math.isfinite(number):
            return None
        if self.raw is not None and self.minimum is not None and self.maximum is not None:
            low, high = self.raw
            number = self.minimum + (number - low) * (self.maximum - self.minimum) / (high - low)
        return self.nearest(number * self.factor)

    def start(self) -> Value:
        """Where a simulated device starts: ``initial``, else the minimum, else the first value."""
        if self.initial is not None:
            return self.initial
        if self.type == "number":
            return tidy((self.minimum or 0) * self.factor)
        if self.type == "switch":
            return "off"
        return next(iter(self.choices), "#000000" if self.type == "colour" else "")


def colour(text: str) -> str | None:
    """``#rrggbb`` for a CSS colour name or a hex colour (CSS Color Module Level 4, section 6.1), else None."""
    import webcolors

    try:
        found = webcolors.normalize_hex(text) if text.startswith("#") else webcolors.name_to_hex(text.replace(" ", ""))
        return str(found)
    except ValueError:
        return None
