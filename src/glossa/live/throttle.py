"""Saying a thing once, and then how often it came again."""

from __future__ import annotations

MOST_KEYS = 1000


class Throttle:
    """Lets the same thing through once in a while.

    Args:
        seconds: how long it is kept back after it was let through.
    """

    def __init__(self, seconds: float = 60.0) -> None:
        self._seconds = seconds
        self._known: dict[str, tuple[float, int]] = {}

    def count(self, key: str, now: float) -> int:
        """How many times it has come since it was last let through, this time included; 0 where it is kept back now."""
        let, held = self._known.get(key, (float("-inf"), 0))
        if now - let < self._seconds:
            self._known[key] = (let, held + 1)
            return 0
        if len(self._known) >= MOST_KEYS:
            self._known.clear()
        self._known[key] = (now, 0)
        return held + 1
