"""Wire commands with their placeholders filled in, escaped for the place that each fills.

MQTT topics: MQTT 3.1.1, section 4.7.  URL parts: RFC 3986, section 2.1.  JSON text: RFC 8259, section 7.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from urllib.parse import quote

from msgspec import Struct

from glossa.house.model import House, Wire
from glossa.house.templates import PLACEHOLDER, fill_template
from glossa.house.values import Value, tidy

Fill = Value | tuple[str, ...]


class Refused(ValueError):
    """A command that can't be made: a value that has no place in it."""


class Command(Struct, frozen=True):
    """One command, ready to be sent, or a wait.

    Attributes:
        form: ``topic``, ``text``, ``bytes``, ``http``, ``call`` or ``wait``.
        link: the id of the link.
        topic, payload, qos, retain: an MQTT message.
        text: serial text without its frame.
        data: bytes.
        method, path, body: an HTTP request; ``content`` says whether its body is ``json``, a ``form`` or ``text``.
        call: the name of a callable; ``slots`` are what it is called with.
        wait: seconds, 0 or more.
        effects: (device, property, value) of everything that it changes.
    """

    form: str
    link: str = ""
    topic: str = ""
    payload: str = ""
    qos: int = 1
    retain: bool = False
    text: str = ""
    data: bytes = b""
    method: str = ""
    path: str = ""
    body: str = ""
    content: str = ""
    call: str = ""
    slots: Mapping[str, Fill] | None = None
    wait: float = 0.0
    effects: tuple[tuple[str, str, Value], ...] = ()

    def __str__(self) -> str:
        """The command in one line, ``;`` escaped."""
        match self.form:
            case "wait":
                line = f"wait {tidy(self.wait)}"
            case "topic":
                line = f"{self.link} {self.topic} {self.payload}".rstrip()
            case "text":
                line = f'{self.link} "{self.text}"'
            case "bytes":
                line = f"{self.link} {self.data.hex(' ').upper()}"
            case "http":
                line = f"{self.link} {self.method} {self.path} {self.body}".rstrip()
            case _:
                line = f"{self.link} call {self.call}"
        return line.replace(";", "\\;")


def fill(wire: Wire, fills: Mapping[str, Fill], house: House, effects: tuple[tuple[str, str, Value], ...] = ()) -> Command:
    """A wire command with its placeholders filled in.

    Raises:
        Refused: where a value can't stand in its place, or a placeholder has no value.
    """
    link = wire.link
    for name in wire.free if wire.separators else ():
        held = set(_plain(fills.get(name, ""))).intersection(wire.separators)
        if held:
            raise Refused(f"'{_plain(fills[name])}' can't stand in a command whose parts '{min(held)}' separates")
    match wire.form:
        case "wait":
            seconds = float(_replace(wire.wait, fills, _number))
            return Command("wait", wait=seconds)
        case "topic":
            topic = _replace(wire.topic, fills, _topic_level)
            if not topic:
                raise Refused("the topic is empty")
            payload = _filled(wire.payload, wire, fills)
            return Command("topic", link, topic=topic, payload=payload, qos=wire.qos, retain=wire.retain, effects=effects)
        case "text":
            options = house.links[link].options if link in house.links else {}
            frame = "".join(str(options.get(k, "")) for k in ("start", "end"))
            if wire.content == "json":
                text = _filled(
                    wire.text, wire, {name: v if not isinstance(v, str) else _framed(v, frame) for name, v in fills.items()}
                )
            else:
                text = _replace(wire.text, fills, lambda v: _framed(v, frame))
            return Command("text", link, text=text, effects=effects)
        case "bytes":
            return Command("bytes", link, data=bytes.fromhex(_replace(wire.bytes, fills, _byte)), effects=effects)
        case "http":
            path = _replace(wire.path, fills, _url_part)
            body = _filled(wire.body, wire, fills)
            return Command("http", link, method=wire.method, path=path, body=body, content=wire.content, effects=effects)
        case _:
            return Command("call", link, call=wire.call, slots={k: v for k, v in fills.items() if k != "house"}, effects=effects)


def _filled(template: str, wire: Wire, fills: Mapping[str, Fill]) -> str:
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
