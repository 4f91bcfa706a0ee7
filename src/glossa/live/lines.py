"""Lines of a pipe or a terminal, however long they are."""

from __future__ import annotations

import os
from collections.abc import Iterator

from glossa.live.heard import MOST_BYTES


def read_lines(descriptor: int) -> Iterator[bytes]:
    """The lines of a file descriptor that are not blank, as they come, until it ends.

    Of a line that is too long to be an utterance only the start is given, once, still too long. The descriptor is read
    without a buffer of Python's, for a thread that waits in one keeps the program from ending.
    """
    held, skipping = b"", False
    while True:
        try:
            data = os.read(descriptor, 65_536)
        except OSError:
            data = b""
        *lines, held = (held + data).replace(b"\r\n", b"\n").split(b"\n")
        lines += [held] if not data else []
        for line in lines:
            if not skipping and line.strip():
                yield line
            skipping = False
        if len(held) > MOST_BYTES:
            if not skipping:
                yield held
            held, skipping = b"", True
        if not data:
            return
