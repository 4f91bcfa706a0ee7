"""Sentences that a house should understand: its own phrases, names and values, said plainly."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from msgspec import Struct

from glossa.house.model import Device, House, Intent
from glossa.house.notation import Position, Sequence
from glossa.house.values import Value, Values
from glossa.language import language_of

MOST_SAMPLES = 4
"""Sentences for one phrase, unless more are asked for."""


class Sentence(Struct, frozen=True):
    """A sentence and what it has to be understood as.

    Attributes:
        text: the sentence.
        intent: the intent.
        slot, value: what it was made for: ``device`` and the ids, or another slot and its value; ``""`` and None for the phrase.
        about: what it was made for, as it was said.
        place: the dotted key in the house file.
    """

    text: str
    intent: str
    slot: str = ""
    value: Value | tuple[str, ...] | None = None
    about: str = ""
    place: str = ""


def samples(house: House, intent: Intent, tag: str, most: int = MOST_SAMPLES) -> list[str]:
    """Plain sentences that an intent's phrases stand for, one for each sequence, its first words and values filled in."""
    found = []
    for phrase in intent.phrases_in(tag):
        kept = 0
        for sequence in phrase.sequences:
            text = sentence_of(house, intent, sequence, tag) if kept < most else ""
            if text:
                found.append(text)
                kept += 1
    return list(dict.fromkeys(found))


def own_sentences(house: House, tag: str) -> Iterator[Sentence]:
    """A sentence for every phrase, every name of a device or group, and every value that the house has a name for, where an intent takes it."""
    for intent in house.intents.values():
        for text in samples(house, intent, tag, 1):
            yield Sentence(text, intent.id, about=text, place=f"intents.{intent.id}.phrases")
    general = [i for i in house.intents.values() if i.to_a_device and i.pin is None]
    for device in house.devices.values():
        for way in _ways(device.names, tag):
            yield from _naming(house, general, tag, "devices", device.id, (device.id,), " ".join(way))
    for group in house.groups.values():
        for way in _ways(group.names, tag):
            yield from _naming(house, general, tag, "groups", group.id, group.members, " ".join(way))
    seen: set[tuple[str, str, str]] = set()
    for intent in house.intents.values():
        for slot, owner, values in _taken(house, intent):
            for form in values.forms(tag, language_of(house, tag)):
                said = " ".join(form.words)
                own = bool(values.choices) or any(said in values.named.get(key, ()) for key in (tag, ""))
                if own and (intent.id, slot, said) not in seen and intent.pin is None:
                    seen.add((intent.id, slot, said))
                    text = _first(house, intent, tag, slot, {slot: said}, owner)
                    if text:
                        yield Sentence(text, intent.id, slot, form.value, said, f"intents.{intent.id}")


def _naming(
    house: House, general: list[Intent], tag: str, section: str, key: str, ids: tuple[str, ...], name: str
) -> Iterator[Sentence]:
    """A sentence with a name, for the first intent that takes all the devices that it stands for."""
    for intent in general:
        if all(intent.fits(house.devices[d]) for d in ids):
            text = _first(house, intent, tag, "device", {"device": name}, house.devices[ids[0]]) if ids else ""
            if text:
                yield Sentence(text, intent.id, "device", ids, name, f"{section}.{key}.names")
                return


def _taken(house: House, intent: Intent) -> Iterator[tuple[str, Device | None, Values]]:
    """The slots of an intent with what they take, and a device that has it."""
    for slot in intent.needs:
        if slot in house.slots:
            yield slot, None, house.slots[slot]
        for key in house.members(intent.device) if intent.device else house.devices:
            device = house.devices[key]
            if slot in device.properties and slot not in house.slots and intent.fits(device):
                yield slot, device, device.properties[slot].values


def _first(house: House, intent: Intent, tag: str, slot: str, said: Mapping[str, str], device: Device | None) -> str:
    """The first sentence of an intent that holds a slot."""
    for phrase in intent.phrases_in(tag):
        for sequence in phrase.sequences:
            if any(p.slot == slot for p in sequence.positions):
                text = sentence_of(house, intent, sequence, tag, said, device)
                if text:
                    return text
    return ""


def sentence_of(
    house: House,
    intent: Intent,
    sequence: Sequence,
    tag: str,
    said: Mapping[str, str] | None = None,
    device: Device | None = None,
) -> str:
    """A sequence with its places filled, ``""`` where one can't be."""
    parts = [_filled(house, intent, p, tag, said or {}, device) for p in sequence.positions if not p.optional]
    return " ".join(parts) if all(parts) else ""


def _filled(house: House, intent: Intent, position: Position, tag: str, said: Mapping[str, str], device: Device | None) -> str:
    if position.words:
        return position.words[0]
    if position.slot in said:
        return said[position.slot]
    if position.slot == "device":
        fit = device or next((d for d in house.devices.values() if intent.fits(d)), None)
        return "" if fit is None else next((" ".join(way) for way in _ways(fit.names, tag)), fit.id)
    if position.slot == "room":
        return house.room_name(next(iter(house.rooms), ""), tag)
    if position.slot == "pin":
        return ""  # a sentence never holds a passcode
    if position.slot == "GARBAGE":
        return "whatever"
    own = device.properties.get(position.slot) if device is not None else None
    owners = (d.properties[position.slot].values for d in house.devices.values() if position.slot in d.properties)
    values = house.slots.get(position.slot) or (own.values if own is not None else next(owners, None))
    return "" if values is None else values.sample(tag, language_of(house, tag))


def _ways(names: Mapping[str, tuple[tuple[str, ...], ...]], tag: str) -> Iterator[tuple[str, ...]]:
    yield from names.get(tag, ())
    yield from names.get("", ())
