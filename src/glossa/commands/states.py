"""The way back: what a device reports, as values of its properties."""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Callable, Iterator, Mapping
from typing import Any

import msgspec
from msgspec import Struct

from glossa.commands.command import Fill, TextCommand, TopicCommand
from glossa.commands.wire import Refused, fill
from glossa.house.forms import TextWire, TopicWire
from glossa.house.model import Device, House, Property
from glossa.house.sorts import NumberValues
from glossa.house.values import Value, round_to, tidy

MOST_CHARACTERS = 4096
"""A report longer than this is no value."""

_RAW = "\ue000"


class Report(Struct, frozen=True):
    """A value that a device reported.

    Attributes:
        device, property: whose value it is.
        value: in the property's own unit.
        raw: the wire text that it was read from.
    """

    device: str
    property: str
    value: Value
    raw: str


_TRUTHS = {"true": "1", "false": "0"}


class States:
    """Where the devices of a house report, and what that means.

    A state of the house file is a topic, whose payload is the wire value or holds it at ``$raw``, or a line of text with
    ``$raw`` in it. Where the payload is written as JSON, only the place of ``$raw`` in it counts: devices may report more.

    Args:
        house: the house.
        commands: read what is sent to the devices instead of what they report, as a device does.

    Attributes:
        topics: link -> the topics to subscribe to, in the order of the house file.
    """

    def __init__(self, house: House, *, commands: bool = False) -> None:
        self._lately: dict[tuple[str, str], deque[tuple[float, float]]] = {}
        self._by_topic: dict[tuple[str, str], list[tuple[Device, Property, Callable[[str], str | None]]]] = {}
        self._by_text: dict[str, list[tuple[Device, Property, Callable[[str], str | None]]]] = {}
        for device, prop, wire in _places(house, commands):
            entry = (device, prop, _reader(wire.payload if isinstance(wire, TopicCommand) else wire.text))
            if isinstance(wire, TopicCommand):
                self._by_topic.setdefault((wire.link, wire.topic), []).append(entry)
            else:
                self._by_text.setdefault(wire.link, []).append(entry)
        self.topics: Mapping[str, tuple[str, ...]] = {
            link: tuple(dict.fromkeys(topic for other, topic in self._by_topic if other == link)) for link in house.links
        }

    def read(self, link: str, place: str, data: bytes, at: float | None = None) -> tuple[list[Report], bool]:
        """The values in what arrived, and whether a state was expected there at all.

        Args:
            link: the id of the link.
            place: the topic, ``""`` on a link without topics.
            data: the payload, or the text of a line or frame.
            at: when it arrived, in seconds; where it is given, values that the house wants averaged are.
        """
        entries = self._by_topic.get((link, place), []) if place else self._by_text.get(link, [])
        text = data[:MOST_CHARACTERS].decode("utf-8", errors="replace").strip() if len(data) <= MOST_CHARACTERS else ""
        found = []
        for device, prop, reader in entries:
            raw = reader(text)
            value = prop.values.unwire(raw) if raw is not None else None
            if value is None and raw in _TRUTHS:  # JSON's true and false are on and off, whatever these are on the wire
                raw = _TRUTHS[raw]
                value = prop.values.unwire(raw)
            if raw is not None and value is not None:
                if at is not None and prop.average and isinstance(value, (int, float)):
                    value = self._mean(device, prop, value, at)
                found.append(Report(device.id, prop.name, value, raw))
        return found, bool(entries) and (bool(place) or bool(found))

    def _mean(self, device: Device, prop: Property, value: float, at: float) -> Value:
        """The mean of what was reported lately, rounded as the property's values are, or to two decimals."""
        lately = self._lately.setdefault((device.id, prop.name), deque())
        lately.append((at, value))
        while at - lately[0][0] > prop.average:
            lately.popleft()
        mean = sum(v for _, v in lately) / len(lately)
        values = prop.values
        step = values.step if isinstance(values, NumberValues) else None
        return tidy(round_to(mean, step) if step else round(mean, 2))


def _places(house: House, commands: bool) -> Iterator[tuple[Device, Property, TopicCommand | TextCommand]]:
    every = ((d, p) for d in house.devices.values() for p in d.properties.values())
    for device, prop in every:
        for wire in prop.command if commands else (prop.state,):
            if not isinstance(wire, (TopicWire, TextWire)):
                continue
            fills: dict[str, Fill] = {
                "raw": _RAW, "value": _RAW, "id": device.id, "name": device.name(), "room": device.room, "house": house.id,
            }  # fmt: skip
            try:
                made = fill(wire, fills, house)
            except Refused:
                continue
            if isinstance(made, (TopicCommand, TextCommand)):
                yield device, prop, made


def _reader(template: str) -> Callable[[str], str | None]:
    """What finds the wire value in a payload or line, None where it holds none."""
    path = _path(_decoded(template)) if template.startswith(("{", "[")) else None
    if path is None:
        before, _, after = template.partition(_RAW)
        pattern = re.compile(re.escape(before) + "(.*)" + re.escape(after), re.DOTALL)
        return lambda text: found[1] if (found := pattern.fullmatch(text)) else None

    def read(text: str) -> str | None:
        value = _decoded(text)
        for step in path:
            try:
                value = value[step]
            except (LookupError, TypeError):
                return None
        if isinstance(value, bool):
            return "true" if value else "false"
        return str(value) if isinstance(value, (str, int, float)) else None

    return read


def _decoded(text: str) -> Any:
    try:
        return msgspec.json.decode(text)
    except (ValueError, RecursionError):
        return None


def _path(found: Any) -> tuple[str | int, ...] | None:
    """Where the wire value stands in JSON."""
    if found == _RAW:
        return ()
    parts = found.items() if isinstance(found, dict) else enumerate(found) if isinstance(found, list) else ()
    for key, value in parts:
        path = _path(value)
        if path is not None:
            return (key, *path)
    return None
