"""Text out of a stream of bytes: framed or in lines, whatever else arrives in between."""

from __future__ import annotations

from collections.abc import Iterator

MOST_BYTES = 65_536
STALE = 2.0
"""Seconds after which the first half of a frame waits no longer for the second."""


class Frames:
    """Cuts a stream of bytes into frames or lines.

    A new start within a frame begins anew, so that a lost end costs one frame and not two. Bytes between frames are noise.

    Args:
        start, end: delimiters as text; without an end, lines end with CR, LF or both.

    Attributes:
        noise: the bytes that belonged to no frame so far: between frames, halves that waited too long, frames over ``MOST_BYTES``.
    """

    def __init__(self, start: str = "", end: str = "") -> None:
        self._start, self._end = start.encode(), end.encode()
        self._held = bytearray()
        self._last = float("-inf")
        self.noise = 0

    @property
    def held(self) -> bool:
        """Whether the beginning of a frame waits for the rest."""
        return bool(self._held)

    def feed(self, data: bytes, now: float) -> list[bytes]:
        """The whole frames that these bytes complete, without their delimiters and without empty ones.

        Args:
            data: what came in.
            now: the time in seconds; a half that is older than ``STALE`` is dropped.
        """
        if self._held and now - self._last > STALE:
            self._drop(len(self._held))
        self._last = now
        self._held += data
        return [frame for frame in self._whole() if frame]

    def _drop(self, count: int) -> None:
        self.noise += count
        del self._held[:count]

    def _whole(self) -> Iterator[bytes]:
        while True:
            if self._start:
                at = self._held.find(self._start)
                self._drop(at if at >= 0 else max(0, len(self._held) - len(self._start) + 1))
                if at < 0:
                    return
            begin = len(self._start)
            end, width = self._next_end(begin)
            if end < 0:
                if len(self._held) > MOST_BYTES:
                    self._drop(len(self._held))
                return
            frame = bytes(self._held[begin:end])
            if self._start and self._start in frame:
                self._drop(begin + frame.rfind(self._start))
                continue
            del self._held[: end + width]
            if len(frame) > MOST_BYTES:
                self.noise += len(frame)
            else:
                yield frame

    def _next_end(self, begin: int) -> tuple[int, int]:
        if self._end:
            return self._held.find(self._end, begin), len(self._end)
        ends = [at for at in (self._held.find(b"\n", begin), self._held.find(b"\r", begin)) if at >= 0]
        return (min(ends), 1) if ends else (-1, 0)


class Chunks:
    """Cuts a stream of bytes into codes of one size; half a code that waits longer than ``STALE`` is dropped.

    Attributes:
        noise: the bytes that were dropped so far.
    """

    def __init__(self, size: int) -> None:
        self._size, self._held = size, bytearray()
        self._last = float("-inf")
        self.noise = 0

    @property
    def held(self) -> bool:
        """Whether half a code waits for the rest."""
        return bool(self._held)

    def feed(self, data: bytes, now: float) -> list[bytes]:
        """The whole codes that these bytes complete; ``now`` is the time in seconds."""
        if self._held and now - self._last > STALE:
            self.noise += len(self._held)
            self._held.clear()
        self._last = now
        self._held += data
        whole = len(self._held) // self._size * self._size
        found = [bytes(self._held[at : at + self._size]) for at in range(0, whole, self._size)]
        del self._held[:whole]
        return found


def cutter(start: str, end: str, size: int = 0) -> Frames | Chunks:
    """What cuts a stream: into codes of one size, else into frames or lines."""
    return Chunks(size) if size else Frames(start, end)
