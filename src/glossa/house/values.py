"""What a property or a slot can be: what all sorts of values have in common, and how numbers are rounded.

The sorts themselves, a class each, are in :mod:`glossa.house.sorts`.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import ROUND_HALF_UP, Decimal
from types import MappingProxyType
from typing import ClassVar, Protocol

from msgspec import Struct, field

from glossa.house.enumeration import Enumeration
from glossa.house.text import fold, words

Value = int | float | str
Texts = Mapping[str, tuple[str, ...]]
"""Texts by BCP 47 language tag; those under ``""`` belong to every language of the house."""

NO_TEXTS: Texts = MappingProxyType({})


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
    """``number`` on the grid ``start + n * step``, halves away from zero.

    >>> round_to(2.5, 1), round_to(21.26, 0.5), round_to(-2.25, 0.1)
    (3.0, 21.5, -2.3)
    """
    size, origin = Decimal(repr(step)), Decimal(repr(start))
    steps = ((Decimal(repr(number)) - origin) / size).quantize(Decimal(1), rounding=ROUND_HALF_UP)
    return float(origin + steps * size)


class OutsideRange(ValueError):
    """A number that a property does not take; ``value`` is the number, rounded."""

    def __init__(self, value: int | float) -> None:
        super().__init__(f"{value} is out of range")
        self.value = value


class Way(Enumeration):
    """A way in which values of a sort are heard."""

    NAMED: ClassVar[Way]
    """By their spoken forms."""
    NAMED_AS_IS: ClassVar[Way]
    """By their spoken forms, no word of them in another form: the "lights" of "string lights grey" is no "light"."""
    NUMBER: ClassVar[Way]
    DIGITS: ClassVar[Way]
    """Digits one by one."""
    FREE: ClassVar[Way]
    """Any words at all."""


class Form(Struct, frozen=True):
    """A spoken form of a value.

    Attributes:
        words: what is said.
        value: what it stands for.
        cost: what taking it costs, in content words.
        farthest: how far by sound its words may be from what was heard; None for the usual distance.
        kin: whether its words are many, and never taken for one another.
    """

    words: tuple[str, ...]
    value: Value
    cost: float = 0.0
    farthest: float | None = None
    kin: bool = False


class Speech(Protocol):
    """What the sorts need to know of a language."""

    def switched(self, value: str) -> tuple[tuple[str, ...], bool]:
        """The built-in words for ``on`` or ``off``, and whether the value's own name is said too."""

    @property
    def extremes(self) -> tuple[Sequence[str], Sequence[str], Sequence[str]]:
        """How the highest, the lowest and the middle of a range are said."""

    @property
    def colour_names(self) -> Mapping[tuple[str, ...], str]:
        """The names of colours, and their codes."""


class Values(Struct, frozen=True):
    """What a slot or property takes; a class for each sort.

    A new sort is a class with a ``sort`` (the house file's ``type``) that overrides what is different about it.

    Attributes:
        choices: wire text by the value's name, for a ``switch`` and a ``choice``, in the file's order.
        spoken: spoken forms by the value's name.
        named: spoken form -> value, by language.
        initial: where the simulated device starts.
    """

    sort: ClassVar[str] = ""
    ways: ClassVar[tuple[Way, ...]] = ()
    """How its values are heard."""
    takes_names: ClassVar[bool] = False
    """Whether a house may name values of it."""
    corrected: ClassVar[bool] = False
    """Whether "red no blue" corrects one; numbers have a grammar for that."""

    choices: Mapping[str, str] = field(default_factory=dict)
    spoken: Mapping[str, Texts] = field(default_factory=dict)
    named: Mapping[str, Mapping[str, Value]] = field(default_factory=dict)
    initial: Value | None = None

    # --- as the house file writes it --------------------------------------------------------------------------------

    def written(self, value: object) -> Value | None:
        """The value that a house file's ``"shut"``, ``5`` or ``"#ff0000"`` stands for, or None."""
        if isinstance(value, str):
            name = " ".join(words(value))
            for names in self.named.values():
                if name in names:
                    return names[name]
        return self.literal(value)

    def literal(self, value: object) -> Value | None:
        """The value that something written stands for, names aside; None where it is none."""
        return None if isinstance(value, bool) or value is None else str(value)

    def hint(self) -> str:
        """What to write for a value."""
        return ""

    def described(self) -> str:
        """What a value is, in a few words: "a number of percent"."""
        return f"a {self.sort}"

    def examples(self) -> tuple[Value, ...]:
        """Values that show what is sent: all choices, the lowest number."""
        return tuple(self.choices)

    # --- as it is spoken --------------------------------------------------------------------------------------------

    def forms(self, tag: str, speech: Speech) -> Iterator[Form]:
        """Every spoken form of a value in a language."""
        for key in (tag, ""):
            for text, value in self.named.get(key, {}).items():
                yield Form(tuple(text.split()), value)

    def sample(self, tag: str, speech: Speech) -> str:
        """A value as it may be said."""
        return next((" ".join(form.words) for form in self.forms(tag, speech)), "")

    def shown(self, value: Value, tag: str, speech: Speech) -> str:
        """A value as a reply says it."""
        return str(value)

    # --- what a device gets -----------------------------------------------------------------------------------------

    def settle(self, value: Value) -> Value:
        """The value that a device is set to: rounded, and kept in range where the house says so.

        Raises:
            OutsideRange: where it is out of range, and that is refused.
        """
        return value

    def wire(self, value: Value) -> str:
        """The wire text of a value."""
        return str(value)

    def unwire(self, text: str) -> Value | None:
        """The value that a wire text stands for, or None where it stands for none: the way back from :meth:`wire`."""
        return text.strip()

    def fills(self, value: Value) -> Mapping[str, Value]:
        """What a command may hold of a value beside ``$raw`` and ``$value``."""
        return {}

    def seconds(self, value: Value) -> Value:
        """A value as a time to wait."""
        return value

    def start(self) -> Value:
        """Where a simulated device starts."""
        return self.initial if self.initial is not None else next(iter(self.choices), "")


def unwired(text: str, choices: Mapping[str, str]) -> str | None:
    """The choice that a wire text stands for: that text, or where only one choice has it so, the same in another case."""
    exact = [value for value, wire in choices.items() if wire == text]
    loose = exact or [value for value, wire in choices.items() if fold(wire) == fold(text)]
    return loose[0] if exact or len(loose) == 1 else None
