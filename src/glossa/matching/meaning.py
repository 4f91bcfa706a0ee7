"""When two readings do the same: what a reading would change, without its wire form."""

from __future__ import annotations

from collections.abc import Mapping

from glossa.house.model import House, Intent, Wire
from glossa.house.values import Value
from glossa.house.wires import placeholders
from glossa.matching.result import SlotValue


def slot_or(value: str, slots: Mapping[str, SlotValue]) -> SlotValue | None:
    """What a ``set`` value stands for: a slot's value, None where the slot has none, else the text itself."""
    found = placeholders(value) if value.startswith("$") else ()
    return slots.get(found[0]) if found else value


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
        for name, value in intent.set.items():
            for device in devices:
                changes.append((device, name, _value(house, device, name, slot_or(value, slots))))
        return ("set", mode, tuple(sorted(changes, key=repr)))
    if intent.change and devices:
        times = slots.get("times")
        amounts = tuple(
            (k, "*", _number(times)) if times is not None else (k, *_amount(v, slots)) for k, v in intent.change.items()
        )
        return ("change", mode, devices, amounts)
    if intent.read:
        return ("read", mode, devices, intent.read)
    if intent.steps:
        return ("steps", mode, tuple(_step(s, slots) for s in intent.steps))
    return ("intent", intent.id, tuple(sorted((k, repr(v)) for k, v in slots.items())))


def _amount(change: str, slots: Mapping[str, SlotValue]) -> tuple[str, object]:
    """The sign of a change and its amount."""
    used = placeholders(change)
    return change[:1], _number(slots.get(used[0]) if used else change[1:])


def _number(value: object) -> object:
    """Numbers that are the same, equal: 2, 2.0 and the "2" of a house file."""
    try:
        return float(str(value))
    except ValueError:
        return repr(value)


def _value(house: House, device: str, name: str, value: object) -> object:
    prop = house.devices[device].properties.get(name)
    if prop is None or value is None or isinstance(value, tuple):
        return repr(value)
    return repr(literal(value, prop.values.choices, prop.values.named))


def literal(value: object, choices: Mapping[str, str], named: Mapping[str, Mapping[str, Value]]) -> object:
    """The value that a literal of ``set`` stands for: a choice's name, a named value, a number."""
    if not isinstance(value, str) or value in choices:
        return value
    for names in named.values():
        if value.lower() in names:
            return names[value.lower()]
    try:
        number = float(value)
    except ValueError:
        return value
    return int(number) if number.is_integer() else number


def _step(step: Wire, slots: Mapping[str, SlotValue]) -> tuple[object, ...]:
    held = (step.link, step.topic, step.payload, step.text, step.bytes, step.path, step.body, step.call, step.wait, step.device)
    used = {n for t in (*(h for h in held), *step.set.values()) for n in placeholders(t)}
    return (*held, tuple(sorted(step.set.items())), tuple(sorted((n, repr(slots.get(n))) for n in used)))
