"""The types of sources, where heard text comes from, and their keys, a class each, checked when a house is read.

A type that comes with another package is found by its entry point, in the group ``glossa.sources``: a :class:`glossa.live.Ear` whose
``Options`` is a class over :class:`SourceOptions` or :class:`CodedSource`. The house file then takes its name as ``type``, and its keys.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import Annotated

from msgspec import Meta, Struct, field

from glossa.house.added import added, added_names
from glossa.house.codes import Codes
from glossa.house.links import Baud, Complaint, Link, MqttOptions, Port, SerialOptions, without_password
from glossa.house.schema import NotNegative, Positive

GROUP = "glossa.sources"
"""The group of entry points in which packages name their types of sources."""

Count = Annotated[int, Meta(ge=1)]
CodeBytes = Annotated[int, Meta(ge=1, le=64)]


class SourceOptions(Struct, forbid_unknown_fields=True, kw_only=True, frozen=True):
    """The keys of every source, beside its ``type``."""

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """What is wrong beyond the types and ranges of the keys, in a house with some links."""
        yield from ()


class CodedSource(SourceOptions, frozen=True):
    """The keys of sources that may send a code for each phrase instead of text."""

    codes: str = ""
    code_bytes: CodeBytes | None = None
    most: Count | None = None
    group: Count | None = None
    seconds: Positive | None = None

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """A size of codes that nothing explains."""
        for key in ("code_bytes", "most", "group", "seconds"):
            if getattr(self, key) is not None and not self.codes:
                yield key, "the source has no codes", 'write codes = "codes.csv": what each code stands for'


class StdinSource(SourceOptions, frozen=True):
    """``type = "stdin"``: lines on standard input."""


class SerialSource(CodedSource, frozen=True):
    """``type = "serial"``: lines or frames, of a port of its own or of a link of the house."""

    link: str = ""
    port: str = ""
    baud: Baud = 9600
    start: str = ""
    end: str = ""
    gap: NotNegative = 0.0
    greeting: tuple[str, ...] = ()
    modes: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    @property
    def sets(self) -> tuple[str, ...]:
        """The modes in the order of the groups that belong to them: none first, then as they are written."""
        return tuple(sorted(self.modes, key=lambda mode: mode != ""))

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """Neither a port nor a link, both, or a link that is no serial one."""
        yield from CodedSource.complaints(self, links)
        if self.link and self.code_bytes is not None:
            yield "code_bytes", "bytes of a link of the house can't be told from its frames", "give the source a port of its own"
        if self.link and (self.greeting or self.modes):
            yield "link", "a link of the house has a greeting of its own", "give the source a port of its own"
        if bool(self.link) == bool(self.port):
            yield (
                "",
                "needs a port or a link, and not both",
                'write port = "/dev/ttyUSB1", or link = "..." for a serial link of the house',
            )
        elif self.link:
            yield from _linked(self.link, "serial", SerialOptions, links)


class MqttSource(CodedSource, frozen=True):
    """``type = "mqtt"``: what arrives at a topic, wildcards allowed, on an MQTT link of the house."""

    topic: str = ""
    link: str = ""

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """No topic, or no link that it could arrive on."""
        yield from CodedSource.complaints(self, links)
        brokers = [key for key, link in links.items() if isinstance(link.options, MqttOptions)]
        if not self.topic:
            yield "", "'topic' is missing", 'write topic = "my-home/heard"'
        if self.link:
            yield from _linked(self.link, "mqtt", MqttOptions, links)
        elif len(brokers) != 1:
            yield "", "the house has no mqtt link" if not brokers else "the house has several mqtt links", 'write link = "..."'


class ListeningSource(CodedSource, frozen=True):
    """The keys of sources that listen at a port of this machine."""

    host: str = "127.0.0.1"
    port: Port | None = None

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """A port that was not given."""
        yield from CodedSource.complaints(self, links)
        if self.port is None:
            yield "", "'port' is missing", "write port = 8090"


class HttpSource(ListeningSource, frozen=True):
    """``type = "http"``: POST requests with text or JSON."""

    path: str = "/"


class TcpSource(ListeningSource, frozen=True):
    """``type = "tcp"``: lines or frames of everybody who connects."""

    start: str = ""
    end: str = ""


class UdpSource(TcpSource, frozen=True):
    """``type = "udp"``: each datagram is one utterance."""


class WebSocketSource(CodedSource, frozen=True):
    """``type = "websocket"``: each message that a server sends is text, or JSON with partial and final results."""

    url: str = ""
    token_env: str = ""

    def complaints(self, links: Mapping[str, Link]) -> Iterator[Complaint]:
        """An address that was not given, or is none of a WebSocket."""
        yield from CodedSource.complaints(self, links)
        if not re.match(r"wss?://[^/\s]", self.url):
            what = f"'{without_password(self.url)}' is not the address of a WebSocket" if self.url else "'url' is missing"
            yield "url" if self.url else "", what, 'write url = "ws://192.168.1.30:2700"'
        elif without_password(self.url) != self.url:
            yield (
                "url",
                "holds a name or a password, which would be shown and logged",
                'leave them out; token_env = "EAR_TOKEN" names a variable with a token',
            )


SOURCES: Mapping[str, type[SourceOptions]] = MappingProxyType(
    {
        "stdin": StdinSource,
        "serial": SerialSource,
        "mqtt": MqttSource,
        "http": HttpSource,
        "tcp": TcpSource,
        "udp": UdpSource,
        "websocket": WebSocketSource,
    }
)
"""Type -> class of its keys, of those that are built in."""


def source_types() -> tuple[str, ...]:
    """Every type that ``type`` of a source may name."""
    return tuple(dict.fromkeys((*SOURCES, *added_names(GROUP))))


def added_source(name: str) -> type | None:
    """The class of a type of sources that another package brings; None where there is none of that name."""
    return added(GROUP, name)


def source_options(name: str) -> type[SourceOptions] | None:
    """The class of the keys of a type of sources; None where there is no such type."""
    if name in SOURCES:
        return SOURCES[name]
    found = getattr(added_source(name), "Options", None)
    return found if isinstance(found, type) and issubclass(found, SourceOptions) else None


class Source(Struct, frozen=True):
    """Where heard text comes from."""

    id: str
    type: str
    options: SourceOptions
    codes: Codes | None = None


def _linked(name: str, kind: str, wanted: type, links: Mapping[str, Link]) -> Iterator[Complaint]:
    from glossa.house.problems import nearest

    if name not in links:
        yield "link", f"there is no link '{name}'", nearest(name, links)
    elif not isinstance(links[name].options, wanted):
        yield "link", f"'{name}' is a {links[name].type} link", f"name a {kind} link"
