"""When two readings do the same: what a reading would change, without its wire form."""

from __future__ import annotations

from collections.abc import Mapping

from glossa.house.effects import Change, Fixed, FromSlot, Scale, Setting, Shift
from glossa.house.forms import CallWire, SetWire, Wire
from glossa.house.model import House, Intent
from glossa.house.sorts import NumberValues
from glossa.house.values import Values
from glossa.matching.result import SlotValue


def given(house: House, setting: Setting, slots: Mapping[str, SlotValue], values: Values) -> SlotValue | None:
    """What a ``set`` gives a property: what its slot holds, in the property's unit, or the value that is written; None where there is none.

    Args:
        house: the house, which knows the slots' units.
        setting: of the intent.
        slots: what was said.
        values: what the property takes.
    """
    if isinstance(setting, Fixed):
        return values.written(setting.value)
    value = slots.get(setting.slot)
    if value is None or isinstance(value, tuple):
        return value
    if isinstance(value, str):
        return values.written(value)
    return in_unit(house, setting.slot, value, values)


def in_unit(house: House, slot: str, value: int | float, values: Values) -> int | float:
    """A slot's number in the unit of a property: a slot in minutes may set a property in seconds."""
    own = house.slots.get(slot)
    return values.from_unit(value, own.unit) if isinstance(own, NumberValues) and isinstance(values, NumberValues) else value


def targets(house: House, intent: Intent, slots: Mapping[str, SlotValue]) -> tuple[str, ...]:
    """The devices that a reading is about."""
    said = slots.get("device")
    if isinstance(said, tuple):
        return said
    return house.members(intent.device) if intent.device else ()


def meaning(house: House, intent: Intent, slots: Mapping[str, SlotValue]) -> object:
    """Equal for two readings that send the same commands; readings that send nothing are told apart by intent and slots."""
    devices = targets(house, intent, slots)
    mode = (intent.enter_mode, intent.leave_mode)
    if intent.set and devices:
        changes: list[tuple[str, str, object]] = []
        for name, setting in intent.set.items():
            for device in devices:
                prop = house.devices[device].properties.get(name)
                value = given(house, setting, slots, prop.values) if prop is not None else None
                changes.append((device, name, repr(value if value is not None else _unknown(setting, slots))))
        return ("set", mode, tuple(sorted(changes, key=repr)))
    if intent.change and devices:
        times = slots.get("times")
        amounts = tuple(
            (k, _amount(Scale(float(times)) if isinstance(times, (int, float)) else v, slots)) for k, v in intent.change.items()
        )
        return ("change", mode, devices, amounts)
    if intent.read:
        return ("read", mode, devices, intent.read)
    if intent.steps:
        return ("steps", mode, tuple(_step(s, slots) for s in intent.steps))
    return ("intent", intent.id, tuple(sorted((k, repr(v)) for k, v in slots.items())))


def _unknown(setting: Setting, slots: Mapping[str, SlotValue]) -> object:
    return slots.get(setting.slot) if isinstance(setting, FromSlot) else setting.value


def _amount(change: Change, slots: Mapping[str, SlotValue]) -> tuple[object, ...]:
    """The direction of a change and its amount."""
    amount = change.factor if isinstance(change, Scale) else change.amount
    by = slots.get(amount.slot) if isinstance(amount, FromSlot) else amount
    return (change.sign if isinstance(change, Shift) else "*", float(by) if isinstance(by, (int, float)) else repr(by))


def _step(step: Wire, slots: Mapping[str, SlotValue]) -> tuple[object, ...]:
    if isinstance(step, SetWire):
        held: tuple[object, ...] = (step.device, tuple(sorted(step.set.items(), key=repr)))
    else:
        held = (step.call,) if isinstance(step, CallWire) else step.templates
    return (step.form, step.link, *held, tuple(sorted((n, repr(slots.get(n))) for n in step.names)))
