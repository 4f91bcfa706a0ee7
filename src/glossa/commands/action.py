"""What an intent does with its slots: commands, the states that they change, and the reply."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from glossa.commands.command import Command, Fill
from glossa.commands.wire import Refused, fill
from glossa.house.effects import Change, Fixed, FromSlot, Scale, Setting, slot_of
from glossa.house.forms import SetWire, WaitWire, Wire
from glossa.house.model import Device, House, Intent, Property
from glossa.house.sorts import NumberValues
from glossa.house.templates import PLACEHOLDER
from glossa.house.values import OutsideRange, Value, Values, texts_for, tidy
from glossa.language import Language, language_of
from glossa.matching.meaning import given, in_unit, targets
from glossa.matching.result import SlotValue

State = Mapping[tuple[str, str], Value]
"""The last known value of (device, property)."""

MOST_NAMED = 3


class Action(Struct, frozen=True):
    """What is to be done.

    Attributes:
        commands: in order, waits included.
        reply: what the house says.
        changes: the new value of every (device, property) that is set.
        refused: why nothing is done, ``""`` where all is well: ``range``, ``unknown`` or ``value``.
    """

    commands: tuple[Command, ...] = ()
    reply: str = ""
    changes: Mapping[tuple[str, str], Value] | None = None
    refused: str = ""


class _Maker:
    def __init__(self, house: House, intent: Intent, slots: Mapping[str, SlotValue], state: State, tag: str) -> None:
        self.house, self.intent, self.slots, self.state = house, intent, slots, state
        self.tag = tag or house.languages[0]
        self.language = language_of(house, self.tag)
        self.commands: list[Command] = []
        self.changes: dict[tuple[str, str], Value] = {}
        self.value: Value | None = None
        self.limit = ""

    def device(self, device: Device, changes: Mapping[str, Value]) -> None:
        """Set properties of one device."""
        for name, value in changes.items():
            prop = device.properties[name]
            try:
                value = prop.values.settle(value)
            except OutsideRange as error:
                raise _OutOfRange(device, prop, error.value) from None
            self.value = value
            self.changes[device.id, name] = value
            fills = self._fills(device, prop.values, value)
            waits = {**fills, "value": prop.values.seconds(value), "raw": prop.values.seconds(value)}
            wires = prop.command
            last = max((i for i, w in enumerate(wires) if not isinstance(w, WaitWire)), default=-1)
            for number, wire in enumerate(wires):
                effects = ((device.id, name, value),) if number == last else ()
                self.commands.append(fill(wire, waits if isinstance(wire, WaitWire) else fills, self.house, effects))

    def _fills(self, device: Device, values: Values, value: Value) -> dict[str, Fill]:
        return {
            "raw": values.wire(value),
            "value": value,
            "id": device.id,
            "name": device.name(self.tag),
            "room": device.room,
            "house": self.house.id,
            **values.fills(value),
        }

    def resolve(self, device: Device, name: str, setting: Setting, slots: Mapping[str, SlotValue]) -> Value:
        """The value that a ``set`` gives a property of a device."""
        prop = device.properties.get(name)
        if prop is None or not prop.command:
            raise Refused(f"{device.name(self.tag)} has no {name} to set")
        value = given(self.house, setting, slots, prop.values)
        if value is None or isinstance(value, tuple):
            said = setting.value if isinstance(setting, Fixed) else slots.get(setting.slot)
            raise Refused(f"{device.name(self.tag)} has no {name} '{said}'" if said is not None else f"{name} has no value")
        return value

    def change(self, device: Device, name: str, change: Change) -> None:
        """Change a property of a device by an amount, within its range."""
        values = device.properties[name].values
        now = self.state.get((device.id, name))
        if not isinstance(now, (int, float)) or not isinstance(values, NumberValues):
            raise _Unknown(device, name)
        times = self.slots.get("times")
        if isinstance(times, (int, float)):
            wanted = now * times
        elif isinstance(change, Scale):
            wanted = now * self._amount(change.factor, None)
        else:
            wanted = now + change.sign * self._amount(change.amount, values)
        new = values.moved(wanted)
        if new == now and wanted != now:
            self.limit = "highest" if wanted > now else "lowest"
        self.device(device, {name: new})

    def _amount(self, amount: FromSlot | float, values: NumberValues | None) -> float:
        if not isinstance(amount, FromSlot):
            return amount
        said = self.slots.get(amount.slot)
        number = said if isinstance(said, (int, float)) else 0
        return in_unit(self.house, amount.slot, number, values) if values is not None else number

    def steps(self, wires: Sequence[Wire]) -> None:
        """Several steps, one after the other."""
        said = targets(self.house, self.intent, self.slots)
        for wire in wires:
            if isinstance(wire, SetWire):
                ids = said if wire.device.startswith("$") else self.house.members(wire.device)
                for device_id in ids:
                    device = self.house.devices[device_id]
                    fitting = {k: v for k, v in wire.set.items() if k in device.properties}
                    self.device(device, {k: self.resolve(device, k, v, self.slots) for k, v in fitting.items()})
                continue
            fills: dict[str, Fill] = {**self.slots, "house": self.house.id}
            if isinstance(wire, WaitWire):  # in seconds, whatever unit a slot is in
                fills |= {n: v.seconds(self.slots[n]) for n, v in self._slot_values(said) if n in self.slots}  # type: ignore[arg-type]
            for device_id in said[:1]:
                device = self.house.devices[device_id]
                fills |= {"id": device.id, "name": device.name(self.tag), "device": device.id}
                fills.setdefault("room", device.room)
            self.commands.append(fill(wire, fills, self.house))

    def _slot_values(self, devices: Sequence[str]) -> list[tuple[str, Values]]:
        """The slots of the house, and the properties of the devices that are meant, with what they take."""
        return [*((n, p.values) for d in devices for n, p in self.house.devices[d].properties.items()), *self.house.slots.items()]

    # --- replies ----------------------------------------------------------------------------------------------------

    def reply(self) -> str:
        """What the house says when it was done."""
        devices = targets(self.house, self.intent, self.slots)
        if self.limit and devices:
            name, unit = self._property_of(devices[0])
            return self.language.text(
                self.limit, device=names(self.house, devices, self.language), value=self._shown(name, self.value), unit=unit
            )
        written = next(iter(texts_for(self.intent.reply, self.tag)), "") or next((t[0] for t in self.intent.reply.values()), "")
        if not written:
            if self.value is None or not devices:
                return self.language.text("done")
            written = "$device $value"
        first = next(iter(self.intent.properties), "")
        fills: dict[str, str] = {"house": self.house.name, "value": self._shown(first, self.value)}
        if devices:
            fills |= {
                "device": names(self.house, devices, self.language),
                "id": devices[0],
                "name": self.house.devices[devices[0]].name(self.tag),
            }
            fills["room"] = self.house.room_name(self.house.devices[devices[0]].room, self.tag)
        for name, value in self.slots.items():
            if name == "room":
                fills["room"] = self.house.room_name(str(value), self.tag)
            elif name != "device" and not isinstance(value, tuple):
                fills[name] = self._shown(name, self._sent(name, value))
        for (_, name), value in self.changes.items():
            fills.setdefault(name, self._shown(name, value))
        return PLACEHOLDER.sub(lambda m: fills.get(m[1] or m[2], ""), written)

    def _sent(self, slot: str, value: Value) -> Value:
        """The value that was really sent for a slot."""
        for name, setting in self.intent.set.items():
            if slot_of(setting) == slot:
                sent = [v for (_, n), v in self.changes.items() if n == name]
                return sent[0] if sent and all(v == sent[0] for v in sent) else value
        return value

    def _property_of(self, device: str) -> tuple[str, str]:
        name = next(iter(self.intent.properties), "")
        prop = self.house.devices[device].properties.get(name)
        return name, unit_shown(prop.values, self.language) if prop else ""

    def _shown(self, name: str, value: Value | None) -> str:
        if value is None:
            return ""
        meant = targets(self.house, self.intent, self.slots) or self.house.devices
        owners = (p.values for d in meant if (p := self.house.devices[d].properties.get(name)) is not None)
        values = self.house.slots.get(name) or next(owners, None)
        if values is not None:
            return values.shown(value, self.tag, self.language)
        return value if isinstance(value, str) else str(tidy(value))


class _OutOfRange(Refused):
    def __init__(self, device: Device, prop: Property, value: int | float) -> None:
        super().__init__("out of range")
        self.device, self.prop, self.value = device, prop, value


class _Unknown(Refused):
    def __init__(self, device: Device, name: str) -> None:
        super().__init__("unknown")
        self.device, self.name = device, name


def unit_shown(values: Values, language: Language) -> str:
    """A unit as it stands behind a number in a reply."""
    return f" {language.units.get(values.unit, values.unit)}" if isinstance(values, NumberValues) and values.unit else ""


def names(house: House, ids: Sequence[str], language: Language, joiner: str = "and") -> str:
    """Device names in a row: "galley lamp, saloon lamp and 2 more"."""
    shown = [house.devices[d].name(language.tag) for d in ids]
    if len(set(shown)) < len(shown):  # devices in different rooms may share a name
        rooms = [house.room_name(house.devices[d].room, language.tag) if house.devices[d].room else "" for d in ids]
        first = language.grammar.head == "last"
        told = [(room, name) if first else (name, room) for room, name in zip(rooms, shown, strict=True)]
        shown = [" ".join(filter(None, both)) if shown.count(name) > 1 else name for both, name in zip(told, shown, strict=True)]
    if len(shown) > MOST_NAMED + 1:
        rest = len(shown) - MOST_NAMED
        return f"{', '.join(shown[:MOST_NAMED])} {language.text('and_more', count=rest)}"
    if len(shown) < 2:
        return "".join(shown)
    return f"{', '.join(shown[:-1])} {language.text(joiner)} {shown[-1]}"


def range_reply(house: House, intent: Intent, slots: Mapping[str, SlotValue], slot: str, tag: str) -> str:
    """The reply to a value out of range: the range, the unit, and what was said."""
    language = language_of(house, tag)
    value = slots.get(slot)
    for name, setting in intent.set.items():
        if slot in (slot_of(setting), name):
            for device in targets(house, intent, slots):
                prop = house.devices[device].properties.get(name)
                number = given(house, setting, slots, prop.values) if prop is not None else None
                if (
                    prop is not None
                    and isinstance(number, (int, float))
                    and isinstance(prop.values, NumberValues)
                    and not prop.values.within(number)
                ):
                    return _range_text(language, "range", prop.values, name, number, house.devices[device].name(tag))
    owners = (d.properties[slot].values for d in house.devices.values() if slot in d.properties)
    values = house.slots.get(slot) or next(owners, None)
    if not isinstance(values, NumberValues) or not isinstance(value, (int, float)):
        return language.text("rejected")
    return _range_text(language, "range_slot", values, slot, value, "")


def _range_text(language: Language, name: str, values: NumberValues, slot: str, value: float, device: str) -> str:
    low, high = (tidy(v) if abs(v) != float("inf") else v for v in values.limits())
    unit = unit_shown(values, language)
    return language.text(name, slot=slot.replace("_", " "), device=device, low=low, high=high, unit=unit, value=tidy(value))


def restore(house: House, values: Mapping[tuple[str, str], Value], language: str = "") -> Action:
    """Set properties to given values, as they were before.

    Args:
        house: the house.
        values: the value of every (device, property) to set.
        language: the BCP 47 tag that the reply is in.
    """
    maker = _Maker(house, Intent("restore", {}), {}, {}, language)
    for (device, name), value in values.items():
        maker.device(house.devices[device], {name: value})
    alike: dict[str, list[str]] = {}
    for (device, name), value in values.items():
        alike.setdefault(maker._shown(name, value), []).append(device)
    said = (f"{names(house, tuple(dict.fromkeys(ids)), maker.language)} {shown}" for shown, ids in alike.items())
    return Action(tuple(maker.commands), ", ".join(said), dict(maker.changes))


def act(house: House, intent: Intent, slots: Mapping[str, SlotValue], state: State, language: str = "") -> Action:
    """What an intent does with its slots.

    Args:
        house: the house.
        intent: one of its intents.
        slots: every slot that the intent needs.
        state: the last known values; a relative change and an answer need them.
        language: the BCP 47 tag that the reply is in, the house's first one by default.

    Returns:
        The action; where ``refused`` is set there are no commands and the reply says why.
    """
    maker = _Maker(house, intent, slots, state, language)
    try:
        ids = targets(house, intent, slots)
        for device_id in ids:
            device = house.devices[device_id]
            if intent.set:
                fitting = {k: v for k, v in intent.set.items() if k in device.properties}
                maker.device(device, {k: maker.resolve(device, k, v, slots) for k, v in fitting.items()})
            for name, change in intent.change.items():
                if name in device.properties:
                    maker.change(device, name, change)
            if intent.read:
                known = state.get((device_id, intent.read))
                if known is None:
                    raise _Unknown(device, intent.read)
                maker.value = known
        maker.steps(intent.steps)
    except _OutOfRange as error:
        prop, value = error.prop, error.value
        assert isinstance(prop.values, NumberValues)
        text = _range_text(maker.language, "range", prop.values, prop.name, value, error.device.name(maker.tag))
        return Action(reply=text, refused="range")
    except _Unknown as error:
        text = maker.language.text("unknown", slot=error.name.replace("_", " "), device=error.device.name(maker.tag))
        return Action(reply=text, refused="unknown")
    except Refused as error:
        return Action(reply=f"{maker.language.text('rejected')}: {error}", refused="value")
    return Action(tuple(maker.commands), maker.reply(), dict(maker.changes))
