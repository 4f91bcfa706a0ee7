"""What happened, one record each: the same for the terminal, for programs and for the log."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from msgspec import Struct, field

KINDS = (
    "start",
    "heard",
    "ignored",
    "error",
    "begun",
    "lock",
    "sent",
    "failed",
    "said",
    "state",
    "link",
    "mode",
    "house",
    "trouble",
    "stop",
)
"""Every kind of record.

start, stop: the house begins and ends to listen.
heard: an utterance and what came of it.
ignored: something heard that is not acted on: ``partial``, ``late``, ``unsure``, or no utterance at all.
error: the recogniser reports an error.
begun: commands with waits between them, before the first is sent; what of them has no ``sent`` or ``failed`` was cut off.
lock: the wrong passcodes so far, and how long the lock stays.
sent, failed: what became of a command.
said: a reply that comes later than its utterance.
state: a device reports another value.
link: a link is up or down.
mode: the house is in another mode, ``""`` for none; ``sources`` are those that were told.
house: the house file changed: ``loaded``, or ``kept`` with what is wrong with the new one.
trouble: anything else that a person should know.
"""


class Record(Struct, frozen=True):
    """One thing that happened.

    Attributes:
        kind: one of ``KINDS``.
        time: seconds since 1970 (UTC).
        number: of the utterance that it belongs to, counted from 1 since the start; 0 for none.
        data: the rest as plain data, ready for JSON; never a passcode.
    """

    kind: str
    time: float
    number: int = 0
    data: Mapping[str, Any] = field(default_factory=dict)

    def plain(self) -> dict[str, Any]:
        """The record as one JSON object: ``time`` (ISO 8601, UTC), ``event``, ``number``, and its data."""
        return {"time": iso(self.time), "event": self.kind, **({"number": self.number} if self.number else {}), **self.data}


def iso(time: float) -> str:
    """Seconds since 1970 as ISO 8601 in UTC with milliseconds.

    >>> iso(0.5)
    '1970-01-01T00:00:00.500Z'
    """
    return datetime.fromtimestamp(time, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
