"""What an earlier run left behind, as its log tells: commands that were under way, and wrong passcodes."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any

import msgspec
from msgspec import Struct

from glossa.commands import AnyCommand, Command
from glossa.live.records import Record


class Unfinished(Struct, frozen=True):
    """Commands of an utterance, of which nobody knows that they were sent or why not; ``time`` is when it was said (seconds since 1970)."""

    number: int
    time: float
    commands: tuple[Command, ...]


class Before(Struct, frozen=True):
    """What an earlier run left: commands that were cut off, and the last record of each passcode that was wrong."""

    unfinished: tuple[Unfinished, ...] = ()
    locks: tuple[Mapping[str, Any], ...] = ()


def as_plain(command: Command) -> dict[str, Any]:
    """A command as plain data that :func:`before` reads again."""
    plain: dict[str, Any] = msgspec.to_builtins(command)
    return {k: v for k, v in plain.items() if v not in ("", None, [], 0.0)}


def before(records: Iterable[Record], locks: Iterable[Mapping[str, Any]] = ()) -> Before:
    """What the records of a log leave open, oldest first: the begun commands of the last run, and the locks of all.

    Args:
        records: of the log; those of rehearsals leave nothing.
        locks: the last state of each lock, which a log keeps however old it is.
    """
    begun: dict[int, tuple[float, list[Command]]] = {}
    results: dict[int, Counter[str]] = {}
    last: dict[str, Mapping[str, Any]] = {}
    for record in records:
        if record.data.get("rehearsal"):
            continue
        if record.kind == "start":
            begun, results = {}, {}
        elif record.kind == "begun":
            begun[record.number] = (record.time, [msgspec.convert(c, AnyCommand) for c in record.data["commands"]])
        elif record.kind in ("sent", "failed"):
            results.setdefault(record.number, Counter())[str(record.data["command"])] += 1
        elif record.kind == "lock":
            last[record.data["passcode"]] = record.data
    unfinished = []
    for number, (time, commands) in begun.items():
        known = results.get(number, Counter())
        left = []
        for command in commands:
            if known[str(command)]:
                known[str(command)] -= 1
            else:
                left.append(command)
        if left:
            unfinished.append(Unfinished(number, time, tuple(left)))
    return Before(tuple(unfinished), tuple({**last, **{lock["passcode"]: lock for lock in locks}}.values()))
