"""Where text comes from and replies go to, as a person writes it: ``mqtt:boat:house/heard``, ``serial:/dev/ttyUSB1?baud=115200``."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from msgspec import Struct, field

from glossa.house.codes import Codes
from glossa.house.links import LinkOptions, MqttOptions, SerialOptions
from glossa.house.model import House
from glossa.house.problems import nearest
from glossa.house.sources import (
    HttpSource,
    MqttSource,
    SerialSource,
    Source,
    SourceOptions,
    StdinSource,
    TcpSource,
    WebSocketSource,
)

SERIAL_KEYS = ("baud", "start", "end")


class SerialCodes(SerialOptions, frozen=True):
    """A serial line that brings in codes of one size, or, where that is 0, text."""

    size: int = 0

    @property
    def code_bytes(self) -> int:
        """The size of a code."""
        return self.size


class PlaceError(ValueError):
    """A place that can't be; the text says what to write instead."""


class Place(Struct, frozen=True):
    """Somewhere to listen at or to talk to.

    Attributes:
        type: ``stdin``, ``serial``, ``mqtt``, ``http``, ``tcp``, ``udp``, ``websocket`` or ``run``.
        written: as the person wrote it; the id of a source of the house.
        link: the id of the house's link, or the name of one that is made for this place.
        topic: for MQTT.
        options: of the link that is made for this place, as a house file has them.
        host, port, path: where to listen; the path for HTTP alone.
        frame: start and end of what comes in at a TCP or UDP port.
        url, token_env: of a WebSocket, and the variable with its bearer token.
        codes: what comes in there instead of text.
        modes: what the source is told when the house enters a mode, ``""`` for none.
        own: the keys of a source whose type another package brings.
        program: for ``run``: the program and its arguments.
    """

    type: str
    written: str
    link: str = ""
    topic: str = ""
    options: LinkOptions | None = None
    host: str = "127.0.0.1"
    port: int = 0
    path: str = ""
    frame: tuple[str, str] = ("", "")
    url: str = ""
    token_env: str = ""
    codes: Codes | None = None
    modes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    own: SourceOptions | None = None
    program: tuple[str, ...] = ()


def read_place(written: str, house: House, takes: tuple[str, ...]) -> Place:
    """A place as a person wrote it.

    Args:
        written: ``stdin``; ``serial:LINK`` or ``serial:PORT?baud=9600&start=<&end=>``; ``mqtt:TOPIC`` on the house's only MQTT link,
            ``mqtt:LINK:TOPIC`` or ``mqtt://HOST:PORT/TOPIC``; ``http:PORT/PATH`` or ``http:HOST:PORT/PATH``;
            ``tcp:PORT`` or ``tcp:HOST:PORT?start=<&end=>``, ``udp:`` likewise; ``run:PROGRAM ARGUMENT...``.
        house: whose links may be named.
        takes: the types that fit here.

    Raises:
        PlaceError: where it is none of these.
    """
    kind, _, rest = written.partition(":")
    if kind not in takes:
        known = ", ".join("stdin" if t == "stdin" else f"{t}:..." for t in takes)
        raise PlaceError(f"'{written}' is not known here; write one of: {known}")
    if kind == "stdin":
        if rest:
            raise PlaceError("'stdin' takes nothing after it")
        return Place("stdin", written)
    if not rest:
        raise PlaceError(f"'{written}' says not where; see --help for examples")
    return {"serial": _serial, "mqtt": _mqtt, "http": _http, "tcp": _socket, "udp": _socket, "run": _run}[kind](
        written, rest, house
    )


def _serial(written: str, rest: str, house: House) -> Place:
    name, _, query = rest.partition("?")
    if name in house.links:
        if house.links[name].type != "serial":
            raise PlaceError(
                f"'{name}' is a {house.links[name].type} link; name a serial one, or a port as in serial:/dev/ttyUSB0"
            )
        return Place("serial", written, link=name)
    options: dict[str, Any] = {"port": name}
    for key, value in parse_qsl(query.replace("#", "%23").replace("+", "%2B"), keep_blank_values=True):
        if key not in SERIAL_KEYS:
            raise PlaceError(f"a serial port has no '{key}' ({nearest(key, SERIAL_KEYS)})")
        if key == "baud" and not (value.isascii() and value.isdigit() and int(value) > 0):
            raise PlaceError(f"baud '{value}' is no number; write it as in baud=9600")
        options[key] = int(value) if key == "baud" else value.encode().decode("unicode_escape")
    return Place("serial", written, link=f"serial:{name}", options=SerialOptions(**options))


def _mqtt(written: str, rest: str, house: House) -> Place:
    brokers = [name for name, link in house.links.items() if link.type == "mqtt"]
    if rest.startswith("//"):
        parts = urlsplit(written)
        try:
            port = parts.port or 1883
        except ValueError:
            raise PlaceError(f"'{written}' has no port from 1 to 65535") from None
        topic = unquote(parts.path.lstrip("/")) + (
            f"#{parts.fragment}" if parts.fragment else "#" if written.endswith("#") else ""
        )
        if not parts.hostname or not topic:
            raise PlaceError(f"'{written}' lacks a host or a topic; write mqtt://127.0.0.1:1883/my/topic")
        options = MqttOptions(host=parts.hostname, port=port)
        return Place("mqtt", written, f"mqtt://{parts.hostname}:{port}", topic, options)
    name, colon, topic = rest.partition(":")
    if colon and name in house.links:
        if name not in brokers:
            raise PlaceError(
                f"'{name}' is a {house.links[name].type} link; an mqtt link is needed ({', '.join(brokers) or 'there is none'})"
            )
        return Place("mqtt", written, name, topic)
    if len(brokers) != 1:
        held = f"several mqtt links ({', '.join(brokers)})" if brokers else "no mqtt link"
        raise PlaceError(f"the house has {held}; write mqtt:LINK:{rest} or mqtt://127.0.0.1:1883/{rest}")
    return Place("mqtt", written, brokers[0], rest)


def _http(written: str, rest: str, house: House) -> Place:
    address, slash, path = rest.removeprefix("//").partition("/")
    host, _, port = address.rpartition(":")
    if not (port.isascii() and port.isdigit() and int(port) < 65536):
        raise PlaceError(f"'{written}' has no port; write http:8090 or http:127.0.0.1:8090/heard")
    return Place("http", written, host=host.strip("[]") or "127.0.0.1", port=int(port), path=slash + path)


def _socket(written: str, rest: str, house: House) -> Place:
    kind = written.partition(":")[0]
    address, _, query = rest.partition("?")
    host, _, port = address.rpartition(":")
    if not (port.isascii() and port.isdigit() and 0 < int(port) < 65536):
        raise PlaceError(f"'{written}' has no port; write {kind}:4000 or {kind}:127.0.0.1:4000")
    ends = {"start": "", "end": ""}
    for key, value in parse_qsl(query.replace("#", "%23").replace("+", "%2B"), keep_blank_values=True):
        if key not in ends:
            raise PlaceError(f"a {kind} port has no '{key}' ({nearest(key, ends)})")
        ends[key] = value.encode().decode("unicode_escape")
    return Place(kind, written, host=host.strip("[]") or "127.0.0.1", port=int(port), frame=(ends["start"], ends["end"]))


def place_of(source: Source, house: House) -> Place:
    """A source of the house file as a place."""
    match source.options:
        case SerialSource(link=link) if link:
            return Place("serial", source.id, link=link, codes=source.codes)
        case SerialSource() as own:
            line = SerialCodes(
                port=own.port,
                baud=own.baud,
                start=own.start,
                end=own.end,
                gap=own.gap,
                greeting=own.greeting,
                size=own.code_bytes or 0,
            )
            return Place("serial", source.id, link=f"serial:{own.port}", options=line, codes=source.codes, modes=own.modes)
        case MqttSource() as own:
            brokers = [key for key, link in house.links.items() if isinstance(link.options, MqttOptions)]
            return Place("mqtt", source.id, own.link or brokers[0], own.topic.replace("$house", house.id), codes=source.codes)
        case HttpSource() as own:
            return Place("http", source.id, host=own.host, port=own.port or 0, path=own.path, codes=source.codes)
        case TcpSource() as own:
            return Place(
                source.type, source.id, host=own.host, port=own.port or 0, frame=(own.start, own.end), codes=source.codes
            )
        case WebSocketSource() as own:
            return Place("websocket", source.id, url=own.url, token_env=own.token_env, codes=source.codes)
        case StdinSource():
            return Place("stdin", source.id)
        case own:
            return Place(source.type, source.id, codes=source.codes, own=own)


def _run(written: str, rest: str, house: House) -> Place:
    import shlex
    import shutil

    try:
        program = shlex.split(rest)
    except ValueError as error:
        raise PlaceError(f"'{rest}': {error}") from None
    if not program or shutil.which(program[0]) is None:
        raise PlaceError(f"there is no program '{program[0] if program else rest}'")
    return Place("run", written, program=tuple(program))
