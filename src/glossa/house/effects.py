"""What ``set`` and ``change`` of an intent mean, read once: to a value, by an amount, times a factor."""

from __future__ import annotations

import re

from msgspec import Struct

_SLOT = re.compile(r"\$(?:(\w+)|\{(\w+)\})\s*")
_CHANGE = re.compile(r"\s*([+\-*])\s*(\d+(?:\.\d+)?|\$\w+|\$\{\w+\})\s*")


class FromSlot(Struct, frozen=True):
    """What a slot holds."""

    slot: str


class Fixed(Struct, frozen=True):
    """A value as the house file writes it; each device has its own idea of what that is."""

    value: int | float | str


class Shift(Struct, frozen=True):
    """Up or down by an amount in the property's unit; ``sign`` is 1 or -1."""

    sign: int
    amount: FromSlot | float


class Scale(Struct, frozen=True):
    """Times a factor."""

    factor: FromSlot | float


Setting = FromSlot | Fixed
"""What a property becomes."""

Change = Shift | Scale
"""How a property changes."""


def read_setting(written: object) -> Setting:
    """What a value of ``set`` means; ``True`` is on.

    >>> read_setting("$level"), read_setting("shut")
    (FromSlot(slot='level'), Fixed(value='shut'))
    """
    found = _SLOT.fullmatch(written) if isinstance(written, str) else None
    if found is not None:
        return FromSlot(found[1] or found[2])
    if isinstance(written, bool):
        return Fixed("on" if written else "off")
    return Fixed(written if isinstance(written, (int, float)) else str(written))


def read_change(written: object) -> Change | None:
    """What a value of ``change`` means; None where it is no change.

    >>> read_change("+$amount"), read_change("*0.5")
    (Shift(sign=1, amount=FromSlot(slot='amount')), Scale(factor=0.5))
    """
    found = _CHANGE.fullmatch(str(written))
    if found is None:
        return None
    slot = _SLOT.fullmatch(found[2])
    amount = FromSlot(slot[1] or slot[2]) if slot else float(found[2])
    return Scale(amount) if found[1] == "*" else Shift(-1 if found[1] == "-" else 1, amount)


def slot_of(effect: Setting | Change) -> str:
    """The slot that an effect takes its value from, ``""`` for none."""
    source = effect.amount if isinstance(effect, Shift) else effect.factor if isinstance(effect, Scale) else effect
    return source.slot if isinstance(source, FromSlot) else ""
