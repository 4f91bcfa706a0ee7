"""Noticing that something stood still, for what comes in right behind a standstill may have waited all that time."""

from __future__ import annotations

import threading


class Standstill:
    """Watches the beats of something that should come regularly: this program's own, or a broker's answers.

    Args:
        now: the time of the first beat, in seconds on a clock that never goes back.
        still: seconds without a beat that are a standstill.
        after: seconds behind a standstill in which what comes in may have waited since it began.
    """

    def __init__(self, now: float, still: float = 1.0, after: float = 2.0) -> None:
        self._still, self._after = still, after
        self._beat, self._began, self._ended = now, now, float("-inf")
        self._lock = threading.Lock()

    def beat(self, now: float) -> None:
        """Take a beat; may be called from any thread."""
        with self._lock:
            if now - self._beat > self._still:
                self._began, self._ended = self._beat, now
            self._beat = now

    def waited(self, now: float) -> float:
        """The seconds that what comes in now may have waited unseen; 0 where all went on as it should.

        >>> pulse = Standstill(0.0)
        >>> pulse.beat(0.5); pulse.beat(12.5); pulse.waited(13.0)
        12.5
        """
        with self._lock:
            if now - self._beat > self._still:
                return now - self._beat
            return now - self._began if now - self._ended < self._after else 0.0
