"""Wire commands with their placeholders filled in, escaped for the place that each fills.

MQTT topics: MQTT 3.1.1, section 4.7.  URL parts: RFC 3986, section 2.1.  JSON text: RFC 8259, section 7.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from urllib.parse import quote

from glossa.commands.command import (
    BytesCommand,
    CallCommand,
    Command,
    Fill,
    RequestCommand,
    TextCommand,
    TopicCommand,
    WaitCommand,
)  # fmt: skip
from glossa.house.forms import BytesWire, CallWire, RequestWire, TextualWire, TextWire, TopicWire, WaitWire, Wire
from glossa.house.model import House
from glossa.house.templates import PLACEHOLDER, fill_template
from glossa.house.values import Value, tidy


class Refused(ValueError):
    """A command that can't be made: a value that has no place in it."""


def fill(wire: Wire, fills: Mapping[str, Fill], house: House, effects: tuple[tuple[str, str, Value], ...] = ()) -> Command:
    """A wire command with its placeholders filled in.

    Raises:
        Refused: where a value can't stand in its place, or a placeholder has no value.
    """
    link = wire.link
    if isinstance(wire, TextualWire) and wire.separators:
        for name in wire.free:
            held = set(_plain(fills.get(name, ""))).intersection(wire.separators)
            if held:
                raise Refused(f"'{_plain(fills[name])}' can't stand in a command whose parts '{min(held)}' separates")
    match wire:
        case WaitWire():
            return WaitCommand(wait=float(_replace(wire.wait, fills, _number)))
        case TopicWire():
            topic = _replace(wire.topic, fills, _topic_level)
            if not topic:
                raise Refused("the topic is empty")
            return TopicCommand(link, effects, topic, _filled(wire.payload, wire, fills), wire.qos, wire.retain)
        case TextWire():
            frame = house.links[link].options.frame if link in house.links else ""
            if wire.content == "json":
                framed = {name: v if not isinstance(v, str) else _framed(v, frame) for name, v in fills.items()}
                return TextCommand(link, effects, _filled(wire.text, wire, framed))
            return TextCommand(link, effects, _replace(wire.text, fills, lambda v: _framed(v, frame)))
        case BytesWire():
            return BytesCommand(link, effects, bytes.fromhex(_replace(wire.bytes, fills, _byte)))
        case RequestWire():
            path = _replace(wire.path, fills, _url_part)
            return RequestCommand(link, effects, wire.method, path, _filled(wire.body, wire, fills), wire.content)
        case CallWire():
            return CallCommand(link, effects, wire.call, {k: v for k, v in fills.items() if k != "house"})
    raise TypeError(f"a step that is no command: {wire.form}")


def _filled(template: str, wire: TextualWire, fills: Mapping[str, Fill]) -> str:
    def value(name: str) -> str:
        if name not in fills:
            raise Refused(f"${name} has no value")
        return _plain(fills[name])

    return fill_template(template, wire.content, value, wire.free)


def _replace(template: str, fills: Mapping[str, Fill], escape: Callable[[Fill], str]) -> str:
    def one(found: re.Match[str]) -> str:
        name = found[1] or found[2]
        if name not in fills:
            raise Refused(f"${name} has no value")
        return escape(fills[name])

    return PLACEHOLDER.sub(one, template)


def _plain(value: Fill) -> str:
    if isinstance(value, tuple):
        return "+".join(value)
    return str(tidy(value)) if isinstance(value, (int, float)) else value


def _url_part(value: Fill) -> str:
    text = _plain(value)
    if text in (".", ".."):  # RFC 3986, section 5.2.4: they lead elsewhere
        raise Refused(f"'{text}' can't stand in a path")
    return quote(text, safe="")


def _number(value: Fill) -> str:
    try:
        return str(max(0.0, float(_plain(value))))
    except ValueError:
        raise Refused(f"'{_plain(value)}' is not a time") from None


def _topic_level(value: Fill) -> str:
    text = _plain(value)
    if not text or not text.isprintable() or any(c in text for c in "+#/") or len(text.encode()) > 1000:
        raise Refused(f"'{text}' can't stand in a topic")
    return text


def _framed(value: Fill, frame: str) -> str:
    text = _plain(value)
    if any(c in frame or ord(c) < 32 or ord(c) == 127 for c in text):
        raise Refused(f"'{text}' can't stand in a framed command")
    return text


def _byte(value: Fill) -> str:
    try:
        number = float(_plain(value))
    except ValueError:
        number = -1.0
    if not number.is_integer() or not 0 <= number <= 255:
        raise Refused(f"'{_plain(value)}' is not a whole number from 0 to 255")
    return f"{int(number):02X}"
