"""The types of links and their keys, a class each, checked when a house is read.

A type that comes with another package is found by its entry point, in the group ``glossa.links``: a :class:`glossa.links.Link` whose ``Options``
is a class over :class:`LinkOptions`. The house file then takes its name as ``type``, and its keys.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from types import MappingProxyType
from typing import Annotated, ClassVar, Literal

from msgspec import Meta, Struct

from glossa.house.added import added, added_names
from glossa.house.schema import NotNegative, Positive

GROUP = "glossa.links"
"""The group of entry points in which packages name their types of links."""

Port = Annotated[int, Meta(ge=1, le=65535)]
Qos = Annotated[int, Meta(ge=0, le=2)]
Baud = Annotated[int, Meta(gt=0)]
KeepAlive = Annotated[int, Meta(ge=5, le=65535)]
_HEX = re.compile(r"[0-9A-Fa-f]{2}( +[0-9A-Fa-f]{2})*")
Complaint = tuple[str, str, str]
"""A key, what is wrong with it, and what to write instead."""


class LinkOptions(Struct, forbid_unknown_fields=True, kw_only=True, frozen=True):
    """The keys of every link, beside its ``type``."""

    takes: ClassVar[tuple[str, ...]] = ()
    """The forms of command that a link of this type takes: ``topic``, ``text``, ``bytes``, ``http``, ``call``."""

    expires: Positive = 5.0

    @property
    def frame(self) -> str:
        """What stands around a text, and so can't stand in it."""
        return ""

    def complaints(self) -> Iterator[Complaint]:
        """What is wrong beyond the types and ranges of the keys."""
        yield from ()


class MqttOptions(LinkOptions, frozen=True):
    """``type = "mqtt"``."""

    takes = ("topic",)

    host: str = "127.0.0.1"
    port: Port | None = None
    username: str = ""
    password_env: str = ""
    qos: Qos = 1
    retain: bool = False
    version: Literal["3.1.1", "5"] = "3.1.1"
    tls: bool = False
    ca_file: str = ""
    keepalive: KeepAlive = 30
    will_topic: str = "$house/glossa"

    @property
    def encrypted(self) -> bool:
        """Whether the connection is encrypted."""
        return self.tls or bool(self.ca_file)

    @property
    def number(self) -> int:
        """The port, by default the registered one."""
        return self.port or (8883 if self.encrypted else 1883)

    def complaints(self) -> Iterator[Complaint]:
        """A topic that can't be published to."""
        if re.search(r"[+#\0]", self.will_topic):
            yield "will_topic", "a topic to publish to holds no wildcard", "write the whole topic without + and #"


class StreamOptions(LinkOptions, frozen=True):
    """The keys of all lines over which text and bytes go."""

    takes = ("text", "bytes")
    start: str = ""
    end: str = ""
    gap: NotNegative = 0.0
    greeting: tuple[str, ...] = ()
    acknowledge: str = ""
    timeout: Positive = 1.0

    @property
    def code_bytes(self) -> int:
        """The size of what comes in, where it is no text; 0 for text."""
        return 0

    def framed(self, text: str) -> bytes:
        """A text with its frame."""
        return f"{self.start}{text}{self.end}".encode()

    def written(self, text: str) -> bytes:
        """What a house file writes as hex pairs, or as text, which gets its frame."""
        return bytes.fromhex(text) if _HEX.fullmatch(text) else self.framed(text)

    @property
    def frame(self) -> str:
        """Start and end."""
        return self.start + self.end


class SerialOptions(StreamOptions, frozen=True):
    """``type = "serial"``."""

    port: str = ""
    baud: Baud = 9600
    settle: NotNegative = 0.0

    def complaints(self) -> Iterator[Complaint]:
        """A port that was not given."""
        if not self.port:
            yield "", "'port' is missing", 'write port = "/dev/ttyUSB0"'


class TcpOptions(StreamOptions, frozen=True):
    """``type = "tcp"``."""

    host: str = ""
    port: Port | None = None

    def complaints(self) -> Iterator[Complaint]:
        """An address that was not given."""
        if not self.host:
            yield "", "'host' is missing", 'write host = "192.168.1.40"'
        if self.port is None:
            yield "", "'port' is missing", "write port = 4000"


class UdpOptions(TcpOptions, frozen=True):
    """``type = "udp"``: a datagram for each command."""


PASSWORD_ELSEWHERE = (
    'leave them out of it; write username = "..." and password_env = "MY_PASSWORD", the variable that holds the password'
)


def without_password(url: str) -> str:
    """An address fit to be shown: without the name and the password in front of its host (RFC 3986, section 3.2.1)."""
    return re.sub(r"(//)[^/?#\s]*@", r"\1", url)


class HttpOptions(LinkOptions, frozen=True):
    """``type = "http"``."""

    takes = ("http",)

    url: str = ""
    timeout: Positive = 5.0
    token_env: str = ""
    username: str = ""
    password_env: str = ""
    ca_file: str = ""

    def complaints(self) -> Iterator[Complaint]:
        """An address that was not given, is none, or holds a password; two ways to say who it is."""
        if not self.url:
            yield "", "'url' is missing", 'write url = "http://127.0.0.1:8080"'
        elif not re.match(r"https?://[^/\s]", self.url):
            yield "url", f"'{without_password(self.url)}' is not a web address", 'write one as in "http://127.0.0.1:8080"'
        elif without_password(self.url) != self.url:
            yield "url", "holds a name or a password, which would be shown and logged", PASSWORD_ELSEWHERE
        if self.token_env and (self.username or self.password_env):
            yield "token_env", "stands beside a name and a password", "keep one of the two"


class CallbackOptions(LinkOptions, frozen=True):
    """``type = "callback"``."""

    takes = ("call",)


class SimulatedOptions(LinkOptions, frozen=True):
    """``type = "simulated"``: has the keys of every type, so that a link that will be another one can be tried as it will be."""

    takes = ("topic", "text", "bytes", "http", "call")

    host: str = "127.0.0.1"
    port: int | str | None = None
    username: str = ""
    password_env: str = ""
    qos: Qos = 1
    retain: bool = False
    version: Literal["3.1.1", "5"] = "3.1.1"
    tls: bool = False
    ca_file: str = ""
    keepalive: KeepAlive = 30
    will_topic: str = "$house/glossa"
    baud: Baud = 9600
    start: str = ""
    end: str = ""
    gap: NotNegative = 0.0
    greeting: tuple[str, ...] = ()
    acknowledge: str = ""
    settle: NotNegative = 0.0
    timeout: Positive | None = None
    url: str = ""
    token_env: str = ""

    @property
    def frame(self) -> str:
        """Start and end."""
        return self.start + self.end


class Link(Struct, frozen=True):
    """What a command travels over; ``options`` holds the keys of its type, defaults filled in."""

    id: str
    type: str = "simulated"
    options: LinkOptions = SimulatedOptions()


BUILT_IN: Mapping[str, type[LinkOptions]] = MappingProxyType(
    {
        "simulated": SimulatedOptions,
        "mqtt": MqttOptions,
        "serial": SerialOptions,
        "tcp": TcpOptions,
        "udp": UdpOptions,
        "http": HttpOptions,
        "callback": CallbackOptions,
    }
)


def link_types() -> tuple[str, ...]:
    """Every type that ``type`` of a link may name."""
    return tuple(dict.fromkeys((*BUILT_IN, *added_names(GROUP))))


def added_link(name: str) -> type | None:
    """The class of a type of links that another package brings; None where there is none of that name."""
    return added(GROUP, name)


def link_options(name: str) -> type[LinkOptions] | None:
    """The class of the keys of a type of links; None where there is no such type."""
    if name in BUILT_IN:
        return BUILT_IN[name]
    found = getattr(added_link(name), "Options", None)
    return found if isinstance(found, type) and issubclass(found, LinkOptions) else None
