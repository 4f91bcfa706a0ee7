"""Checks of what the sections of a house file mean together: references, slots, names, actions."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from typing import Any

from msgspec import Struct

from glossa.house import notation
from glossa.house.effects import Change, Setting, read_change, read_setting, slot_of
from glossa.house.links import Link, LinkOptions, link_options, link_types
from glossa.house.model import Device, Group, Mode, Phrase
from glossa.house.notation import NotationError
from glossa.house.problems import Problem, nearest
from glossa.house.reader import Reader, meant
from glossa.house.schema import IntentSection
from glossa.house.shapes import Path, convert
from glossa.house.sheets import SheetIntent
from glossa.house.sorts import FREE, NumberValues
from glossa.house.sources import Source, SourceOptions, source_options, source_types
from glossa.house.templates import placeholders
from glossa.house.values import Value, Values

Bad = Callable[..., None]
BUILT_IN = ("device", "room", "pin")
LANGUAGE = re.compile(r"[A-Za-z]{2,3}(-[A-Za-z0-9]{2,8})*")


class Parts(Struct, frozen=True):
    """What of the house is known when its intents are checked."""

    reader: Reader
    raw: Mapping[str, Any]
    devices: Mapping[str, Device]
    groups: Mapping[str, Group]
    slots: Mapping[str, Values]
    modes: Mapping[str, Mode]
    links: Mapping[str, Link]

    def owners(self, name: str, device: str = "") -> list[Values]:
        """The values of a property over the devices that have it, or over those of one device or group."""
        return [self.devices[d].properties[name].values for d in self.members(device) if name in self.devices[d].properties]

    def members(self, device: str) -> tuple[str, ...]:
        """The devices that the id of a device or group stands for, all of them for ``""``."""
        ids = self.groups[device].members if device in self.groups else (device,) if device else tuple(self.devices)
        return tuple(d for d in ids if d in self.devices)

    @property
    def free(self) -> frozenset[str]:
        """The slots and properties that hold what somebody said, word for word."""
        owned = ((p.name, p.values) for d in self.devices.values() for p in d.properties.values())
        return frozenset(name for name, values in (*self.slots.items(), *owned) if values.sort in FREE)

    @property
    def property_names(self) -> tuple[str, ...]:
        """Every property that a device has, or would have if nothing were wrong with it."""
        own = (p for d in self.devices.values() for p in d.properties)
        return tuple(dict.fromkeys((*own, *(self.written if self.reader.problems else ()))))

    @property
    def written(self) -> dict[str, bool]:
        """Every property that stands in the file, and whether a command stands there for it, right or wrong."""
        entries = (e for name in ("kinds", "devices") if isinstance(s := self.raw.get(name), dict) for e in s.values())
        held = (e.get("properties") for e in entries if isinstance(e, dict))
        found: dict[str, bool] = {}
        for name, entry in ((str(p), e) for h in held if isinstance(h, dict) for p, e in h.items()):
            found[name] = found.get(name, False) or (isinstance(entry, dict) and "command" in entry)
        return found

    def default(self, slot: str, written: Value, section: IntentSection) -> Value:
        """The value of a default, in the units that slots are given in."""
        for values in self._values_of(slot, section):
            found = values.written(written)
            if found is not None:
                return found
        return written

    def _values_of(self, slot: str, section: IntentSection) -> list[Values]:
        return [self.slots[slot]] if slot in self.slots else self.owners(slot, section.device)


def languages(tags: Iterable[str], known: Collection[str], bad: Bad) -> None:
    """Language tags have the shape that BCP 47 gives them, and there are word lists for them."""
    for number, tag in enumerate(tags):
        if not LANGUAGE.fullmatch(tag):
            bad(("house", "languages", number), f"'{tag}' is not a language tag", 'write one as in "en" or "es" (BCP 47)')
        elif known and not {tag.lower(), tag.split("-")[0].lower()} & set(known):
            bad(
                ("house", "languages", number),
                f"there are no word lists for '{tag}'",
                f"there are for: {', '.join(sorted(known))}",
            )


def link(key: str, written: Mapping[str, Any], reader: Reader) -> Link | None:
    """A link with what its type needs and nothing of another type; None where it can't be used."""
    path, kind = ("links", key), written.get("type", "simulated")
    options = _typed(path, kind, written, link_options(kind) if isinstance(kind, str) else None, link_types, reader)
    if not isinstance(options, LinkOptions):
        return None
    for name, message, hint in options.complaints():
        reader.bad((*path, name) if name else path, message, hint)
    return Link(key, kind, options)


def source(key: str, written: Mapping[str, Any], links: Mapping[str, Link], reader: Reader) -> Source | None:
    """A source with what its type needs and nothing of another type; None where it can't be used."""
    path, kind = ("sources", key), written.get("type")
    if kind is None:
        reader.bad(path, "'type' is missing", "one of: " + ", ".join(source_types()))
        return None
    options = _typed(path, kind, written, source_options(kind) if isinstance(kind, str) else None, source_types, reader)
    if not isinstance(options, SourceOptions):
        return None
    for name, message, hint in options.complaints(links):
        reader.bad((*path, name) if name else path, message, hint)
    return Source(key, kind, options)


def _typed(
    path: tuple[str, str],
    kind: object,
    written: Mapping[str, Any],
    shape: type | None,
    types: Callable[[], Collection[str]],
    reader: Reader,
) -> object:
    """The keys of a type, as an object of its class; None where something was wrong and noted."""
    if shape is None:
        reader.bad((*path, "type"), f"unknown value '{kind}'", nearest(str(kind), types()))
        return None
    options, faults = convert({k: v for k, v in written.items() if k != "type"}, shape)
    for fault in faults:
        foreign = fault.kind == "unknown key" and len(fault.path) == 1
        message = f"a {kind} {path[0][:-1]} has no '{fault.written}'" if foreign else fault.message
        reader.bad((*path, *fault.path), message, meant(fault.written, fault.known))
    return None if faults else options


def names(devices: Mapping[str, Device], groups: Mapping[str, Group], bad: Bad) -> None:
    """No two devices of one room, and no two groups, share a spoken name."""
    seen: dict[tuple[str, tuple[str, ...], str], str] = {}
    for section, items in (("devices", devices), ("groups", groups)):
        for key, item in items.items():
            room = item.room if isinstance(item, Device) else "/group"
            for language, ways in item.names.items():
                for way in ways:
                    other = seen.setdefault((language, way, room), key)
                    if other != key:
                        bad(
                            (section, key, "names"),
                            f"'{' '.join(way)}' is what '{other}' is called too",
                            "give one of them another name",
                        )


def slot_names(slots: Any, bad: Bad) -> None:
    """No slot takes a built-in name."""
    for name in slots if isinstance(slots, dict) else ():
        if name in BUILT_IN or name in ("GARBAGE", "NULL", "VOID"):
            bad(("slots", name), f"${name} is built in", "choose another name")


def fills(phrases: Mapping[str, tuple[Phrase, ...]], section: IntentSection) -> frozenset[str]:
    """The placeholders that an intent's steps can use."""
    said = {p.slot for ps in phrases.values() for phrase in ps for s in phrase.sequences for p in s.positions if p.slot}
    device = {"id", "name", "room"} if "device" in said or section.device else set()
    return frozenset({"house", *said, *section.defaults, *device} - {"GARBAGE", "pin"})


def intent(key: str, section: IntentSection, phrases: Mapping[str, tuple[Phrase, ...]], parts: Parts) -> None:
    """Everything that an intent refers to exists and fits."""
    bad, path = parts.reader.bad, ("intents", key)
    said = _said(key, section, phrases, parts)
    actions = [name for name in ("set", "change", "read", "steps") if getattr(section, name) is not None]
    if len(actions) > 1:
        bad(
            (*path, actions[1]),
            "an intent has one of set, change, read, steps",
            "split it into two intents, or write it as steps",
        )
    if not actions and not section.enter_mode and not section.leave_mode and not section.reply:
        bad(path, "the intent does nothing", "write one of: set, change, read, steps, enter_mode, leave_mode, reply")
    if section.device and section.device not in parts.devices and section.device not in parts.groups:
        if section.device not in parts.raw.get("devices", {}) and section.device not in parts.raw.get("groups", {}):
            bad(
                (*path, "device"),
                f"there is no device or group '{section.device}'",
                nearest(section.device, (*parts.devices, *parts.groups)),
            )
        return
    needs_device = [a for a in actions if a != "steps"]
    if needs_device and not section.device and "device" not in said:
        bad(path, f"{needs_device[0]} needs a device", 'write $device in the phrases, or device = "..."')
    for name, value in (section.set or {}).items():
        _set(name, value, (*path, "set", name), said, section, parts)
    for name, value in (section.change or {}).items():
        _change(name, value, (*path, "change", name), said, section, parts)
    if section.read is not None and not parts.owners(section.read, section.device):
        _no_property(section.read, (*path, "read"), section, parts)
    for number, step in enumerate(section.steps or ()):
        _step_device(step.device, step.set, (*path, "steps", number), said, section, parts)
    _fillable(key, section, phrases, parts)
    for slot in section.ask:
        if slot not in said:
            bad((*path, "ask", slot), f"no phrase of the intent holds ${slot}", nearest(slot, said))
    for slot in section.defaults:
        if slot in BUILT_IN:
            advice = f'write device = "..." in place of ${slot} in the phrases' if slot == "device" else f"leave {slot} out"
            bad((*path, "defaults", slot), f"{slot} can't have a default", advice)
        elif slot not in said and slot not in parts.slots and not parts.owners(slot, section.device):
            bad((*path, "defaults", slot), f"no phrase of the intent holds ${slot}", nearest(slot, said))
    for number, mode in enumerate(section.modes):
        if mode not in parts.raw.get("modes", {}):
            bad((*path, "modes", number), f"there is no mode '{mode}'", nearest(mode, parts.modes))
    if section.enter_mode and section.enter_mode not in parts.raw.get("modes", {}):
        bad((*path, "enter_mode"), f"there is no mode '{section.enter_mode}'", nearest(section.enter_mode, parts.modes))
    if section.pin is not None and not section.pin.env and not section.pin.test:
        bad((*path, "pin"), "a passcode is missing", 'write env = "NAME_OF_A_VARIABLE" and test = "..."')
    if section.pin is not None and section.pin.test and not re.fullmatch(r"\s*\d[\d\s]*", section.pin.test):
        bad((*path, "pin", "test"), "a passcode is made of digits")
    known = {
        *said,
        *section.defaults,
        "value",
        "name",
        "id",
        "room",
        "house",
        "device",
        *(section.set or {}),
        *(section.change or {}),
    }
    replies = section.reply.values() if isinstance(section.reply, dict) else [section.reply]
    for name in placeholders(*replies):
        if name not in known or name == "pin":
            bad((*path, "reply"), f"${name} has no value here", nearest(name, known - {"pin"}))


def _said(key: str, section: IntentSection, phrases: Mapping[str, tuple[Phrase, ...]], parts: Parts) -> set[str]:
    """The slots that the phrases hold, each checked to be known."""
    bad, said = parts.reader.bad, set()
    if not any(phrases.values()) and not parts.reader.problems:
        bad(("intents", key, "phrases"), "needs at least one phrase")
    known = {*BUILT_IN, *parts.slots, *parts.property_names}
    declared = set(parts.raw.get("slots", {})) if isinstance(parts.raw.get("slots"), dict) else set()
    for language, spoken in phrases.items():
        for phrase in spoken:
            for name in notation.slots(notation.parse(phrase.text)):
                said.add(name)
                where: Path = ("intents", key, "phrases", *((language,) if language else ()))
                if name not in known and name not in declared:
                    bad(where, f"${name} in '{phrase.text}' is no slot and no property of a device", nearest(name, sorted(known)))
                elif name == "pin" and section.pin is None:
                    bad(where, "$pin needs a passcode", 'write pin = { env = "...", test = "..." }')
                elif parts.reader.problems and name in parts.written:
                    continue
                elif name not in BUILT_IN and name not in declared and not parts.owners(name, section.device):
                    bad(where, f"{section.device} has no property '{name}'", nearest(name, sorted(known)))
    return said | _half_written(section, phrases)


def _half_written(section: IntentSection, phrases: Mapping[str, tuple[Phrase, ...]]) -> set[str]:
    """The slots that stand in phrases whose notation is wrong, which is told already."""
    held = section.phrases.values() if isinstance(section.phrases, dict) else [section.phrases]
    texts = [text for h in held for text in ([h] if isinstance(h, str) else h)]
    known = {phrase.text for spoken in phrases.values() for phrase in spoken}
    return {name for text in texts if text not in known for name in placeholders(text)}


def _fillable(key: str, section: IntentSection, phrases: Mapping[str, tuple[Phrase, ...]], parts: Parts) -> None:
    """Every phrase can fill what its intent sets, or the slot has a default or is asked for."""
    effects = [read_setting(v) for s in (section.set, *(step.set for step in section.steps or ())) for v in (s or {}).values()]
    changes = [change for v in (section.change or {}).values() if (change := read_change(v)) is not None]
    needed = dict.fromkeys(slot for e in (*effects, *changes) if (slot := slot_of(e)))
    texts = section.phrases if isinstance(section.phrases, dict) else {"": section.phrases}
    holding = {
        phrase: {p.slot for s in phrase.sequences for p in s.positions} for spoken in phrases.values() for phrase in spoken
    }
    sayable = set().union(*holding.values())
    for language, spoken in phrases.items():
        for slot in needed:
            if slot in section.defaults or slot in section.ask or slot not in sayable:
                continue
            for phrase in spoken:
                if slot not in holding[phrase]:
                    listed = texts.get(language) or ()
                    number = list(listed).index(phrase.text) if not isinstance(listed, str) else 0
                    parts.reader.bad(
                        ("intents", key, "phrases", *((language,) if language else ()), number),
                        f"'{phrase.text}' can't say ${slot}, which the intent needs",
                        f'write ${slot} in it, or give the intent defaults = {{ {slot} = ... }} or ask = {{ {slot} = "..." }}',
                    )


def _no_property(name: str, path: Path, section: IntentSection, parts: Parts) -> None:
    if parts.reader.problems and (name in parts.written or not parts.devices):
        return  # what is wrong with it is told already
    whose = f"'{section.device}' has no" if section.device else "no device has a"
    parts.reader.bad(path, f"{whose} property '{name}'", nearest(name, parts.property_names))


def _from_slot(effect: Setting | Change, path: Path, said: set[str], section: IntentSection, parts: Parts) -> bool:
    """Whether a value comes from a slot; a slot that nothing fills is noted."""
    slot = slot_of(effect)
    if slot and slot not in said and slot not in section.defaults:
        parts.reader.bad(path, f"no phrase of the intent holds ${slot}", nearest(slot, said))
    return bool(slot)


def _set(name: str, value: Any, path: Path, said: set[str], section: IntentSection, parts: Parts) -> None:
    owners = parts.owners(name, section.device)
    if not owners:
        _no_property(name, path, section, parts)
    elif not _from_slot(read_setting(value), path, said, section, parts):
        if all(values.written(value) is None for values in owners):
            parts.reader.bad(path, f"'{value}' is not a value of {name}", parts.reader.value_hint(value, owners[0]))
    _settable(name, path, section.device, parts)


def _change(name: str, value: Any, path: Path, said: set[str], section: IntentSection, parts: Parts) -> None:
    owners = parts.owners(name, section.device)
    change = read_change(value)
    if not owners:
        _no_property(name, path, section, parts)
    elif not any(isinstance(v, NumberValues) for v in owners):
        parts.reader.bad(path, f"{name} is no number, so it can't be changed by an amount", "use set")
    elif change is None:
        parts.reader.bad(path, f"'{value}' is not a relative change", 'write "+10", "-10", "*2", "*0.5", "+$slot" or "-$slot"')
    else:
        _from_slot(change, path, said, section, parts)
    _settable(name, path, section.device, parts)


def _settable(name: str, path: Path, device: str, parts: Parts) -> None:
    """A property that is set has a command; one without can only be read."""
    ids = parts.members(device)
    if any(name in parts.devices[d].properties for d in ids):
        if not any(name in parts.devices[d].properties and parts.devices[d].properties[name].command for d in ids):
            if not (parts.reader.problems and parts.written.get(name)):  # what is wrong with its command is told already
                parts.reader.bad(path, f"'{name}' has no command, so it can only be read", "write a command for it, or use read")


def _step_device(
    device: str | None, changes: Mapping[str, Any] | None, path: Path, said: set[str], section: IntentSection, parts: Parts
) -> None:
    if device is None:
        return
    if device.startswith("$"):
        if device.strip("${}") != "device" or "device" not in said:
            parts.reader.bad((*path, "device"), f"{device} is no device here", "write $device in the phrases, or a device's id")
        device = ""
    elif device not in parts.devices and device not in parts.groups:
        if device not in parts.raw.get("devices", {}) and device not in parts.raw.get("groups", {}):
            parts.reader.bad(
                (*path, "device"), f"there is no device or group '{device}'", nearest(device, (*parts.devices, *parts.groups))
            )
        return
    for name, value in (changes or {}).items():
        owners = parts.owners(name, device)
        if not owners and parts.reader.problems and name in parts.written:
            continue
        if not owners:
            whose = f"'{device}' has no" if device else "no device has a"
            parts.reader.bad((*path, "set", name), f"{whose} property '{name}'", nearest(name, parts.property_names))
        elif not _from_slot(read_setting(value), (*path, "set", name), said, section, parts):
            if all(v.written(value) is None for v in owners):
                parts.reader.bad(
                    (*path, "set", name), f"'{value}' is not a value of {name}", parts.reader.value_hint(value, owners[0])
                )


def sheet_slots(file: str, sheet: SheetIntent, phrases: Sequence[Phrase], parts: Parts) -> None:
    """Every slot in a spreadsheet's phrases is known."""
    known = {"device", "room", *parts.slots, *parts.property_names}
    for phrase, line in zip(phrases, sheet.lines, strict=False):
        try:
            held = notation.slots(notation.parse(phrase.text))
        except NotationError:
            continue
        for name in held:
            if name not in known:
                hint = nearest(name, sorted(known))
                parts.reader.problems.append(
                    Problem(file, line, "phrase", f"${name} is no slot and no property of a device", hint)
                )
