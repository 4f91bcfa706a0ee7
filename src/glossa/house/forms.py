"""The steps of a house file, a class for each form, with their placeholders still in place.

A step is sent over a link (a message to a topic, a text or bytes on a line, a web request, a call of a function), waits, or sets a device.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from msgspec import Struct, field

from glossa.house.effects import Setting, slot_of
from glossa.house.templates import placeholders


class Wire(Struct, frozen=True):
    """A step of any form.

    Attributes:
        link: the id of the link, ``""`` where the device or the house's only link is meant, or none is needed.
    """

    form: ClassVar[str] = ""
    """The key of the house file that tells the form."""

    link: str = ""

    @property
    def templates(self) -> tuple[str, ...]:
        """The texts in which placeholders may stand."""
        return ()

    @property
    def names(self) -> tuple[str, ...]:
        """The placeholders and slots that it is filled from, each once."""
        return tuple(dict.fromkeys(placeholders(*self.templates)))


class TextualWire(Wire, frozen=True):
    """A step that carries a text which may hold what somebody said.

    Attributes:
        content: what the text is: ``json``, ``form`` or ``text``.
        free: the placeholders that hold what somebody said, word for word; ``separators`` are the signs that it must not hold.
    """

    carries: ClassVar[str] = ""
    """The field that holds the text."""

    content: str = "text"
    free: frozenset[str] = frozenset()
    separators: str = ""

    @property
    def carried(self) -> str:
        """The text."""
        return str(getattr(self, self.carries))


class TopicWire(TextualWire, frozen=True):
    """An MQTT message (MQTT 3.1.1, section 3.3): topic, payload, quality of service 0 to 2, retain flag."""

    form = "topic"
    carries = "payload"

    topic: str = ""
    payload: str = ""
    qos: int = 1
    retain: bool = False

    @property
    def templates(self) -> tuple[str, ...]:
        """Topic and payload."""
        return self.topic, self.payload


class TextWire(TextualWire, frozen=True):
    """A text, without the frame that its link puts around it."""

    form = "text"
    carries = "text"

    text: str = ""

    @property
    def templates(self) -> tuple[str, ...]:
        """The text."""
        return (self.text,)


class BytesWire(Wire, frozen=True):
    """Bytes: hex pairs and placeholders of one byte each."""

    form = "bytes"

    bytes: str = ""

    @property
    def templates(self) -> tuple[str, ...]:
        """The bytes as written."""
        return (self.bytes,)


class RequestWire(TextualWire, frozen=True):
    """An HTTP request: method, path behind the link's address, body."""

    form = "http"
    carries = "body"

    method: str = ""
    path: str = ""
    body: str = ""

    @property
    def templates(self) -> tuple[str, ...]:
        """Path and body."""
        return self.path, self.body


class CallWire(Wire, frozen=True):
    """The name of a registered function."""

    form = "call"

    call: str = ""


class WaitWire(Wire, frozen=True):
    """Seconds, as a number or a placeholder."""

    form = "wait"

    wait: str = ""

    @property
    def templates(self) -> tuple[str, ...]:
        """The time as written."""
        return (self.wait,)


class SetWire(Wire, frozen=True):
    """A device or group, and which of its properties become what."""

    form = "set"

    device: str = ""
    set: Mapping[str, Setting] = field(default_factory=dict)

    @property
    def names(self) -> tuple[str, ...]:
        """The slots that the properties are set from."""
        return tuple(dict.fromkeys(slot for v in self.set.values() if (slot := slot_of(v))))
