"""Lines of a pipe or a terminal, however long they are, and since when each can have been waiting."""

from __future__ import annotations

import os
import select
from collections.abc import Callable, Iterator

from msgspec import Struct

from glossa.live.heard import MOST_BYTES


class Line(Struct, frozen=True):
    """A line.

    Attributes:
        data: the line without its end; of one that is too long to be an utterance only the start, still too long.
        since: the earliest time, in seconds, at which it may have been written.
        whole: False where the input ended within it.
    """

    data: bytes
    since: float
    whole: bool = True


def read_lines(descriptor: int, clock: Callable[[], float]) -> Iterator[Line]:
    """The lines of a file descriptor that are not blank, as they come, until it ends.

    What is there already when it is asked for may have been written any time since it was last read. The descriptor is
    read without a buffer of Python's, for a thread that waits in one keeps the program from ending.

    Args:
        descriptor: to read from.
        clock: seconds on a clock that never goes back.
    """
    held, skipping = b"", False
    before = since = clock()
    while True:
        waiting = _waits(descriptor)
        try:
            data = os.read(descriptor, 65_536)
        except OSError:
            data = b""
        now = clock()
        start, before = before if waiting else now, now
        since = since if held else start
        *lines, held = (held + data).replace(b"\r\n", b"\n").split(b"\n")
        for line in lines:
            if not skipping and line.strip():
                yield Line(line, since)
            skipping, since = False, start
        if len(held) > MOST_BYTES:
            if not skipping:
                yield Line(held, since)
            held, skipping = b"", True
        if not data:
            if held.strip() and not skipping:
                yield Line(held, since, whole=False)
            return


def _waits(descriptor: int) -> bool:
    """Whether there is something to read already; where that can't be known, nothing is."""
    try:
        return bool(select.select([descriptor], [], [], 0)[0])
    except (OSError, ValueError):
        return False
