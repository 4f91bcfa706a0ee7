"""Commands, a class for each form, ready to be sent or waited for."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from glossa.house.values import Value, tidy

Fill = Value | tuple[str, ...]
"""What a placeholder may be filled with."""


class Command(Struct, frozen=True, tag_field="form", tag=lambda name: name.removesuffix("Command").lower()):
    """A command of any form.

    Attributes:
        link: the id of the link, ``""`` for a wait.
        effects: (device, property, value) of everything that it changes.
    """

    link: str = ""
    effects: tuple[tuple[str, str, Value], ...] = ()

    def _line(self) -> str:
        raise NotImplementedError

    def __str__(self) -> str:
        """The command in one line, ``;`` escaped."""
        return self._line().replace(";", "\\;")


class TopicCommand(Command, frozen=True):
    """An MQTT message."""

    topic: str = ""
    payload: str = ""
    qos: int = 1
    retain: bool = False

    def _line(self) -> str:
        return f"{self.link} {self.topic} {self.payload}".rstrip()


class TextCommand(Command, frozen=True):
    """A text, without the frame that its link puts around it."""

    text: str = ""

    def _line(self) -> str:
        return f'{self.link} "{self.text}"'


class BytesCommand(Command, frozen=True):
    """Bytes, which go bare."""

    data: bytes = b""

    def _line(self) -> str:
        return f"{self.link} {self.data.hex(' ').upper()}"


class RequestCommand(Command, frozen=True):
    """An HTTP request; ``content`` says whether its body is ``json``, a ``form`` or ``text``."""

    method: str = ""
    path: str = ""
    body: str = ""
    content: str = ""

    def _line(self) -> str:
        return f"{self.link} {self.method} {self.path} {self.body}".rstrip()


class CallCommand(Command, frozen=True):
    """The name of a function, and what it is called with."""

    call: str = ""
    slots: Mapping[str, Fill] | None = None

    def _line(self) -> str:
        return f"{self.link} call {self.call}"


class WaitCommand(Command, frozen=True):
    """Seconds to wait, 0 or more."""

    wait: float = 0.0

    def _line(self) -> str:
        return f"wait {tidy(self.wait)}"


AnyCommand = TopicCommand | TextCommand | BytesCommand | RequestCommand | CallCommand | WaitCommand
"""What plain data of a command is read as; its key ``form`` tells which."""
