"""Saying a thing once, and then how often it came again."""

from __future__ import annotations

from msgspec import Struct

FIRST = 60.0
LONGEST = 86_400.0
"""Seconds for which a thing is kept back after it was let through: doubled each time, from the first to the longest."""
MOST_KEYS = 1000


class _Known(Struct):
    let: float
    pause: float = FIRST
    held: int = 0
    last: float = 0.0


class Throttle:
    """Lets the same thing through less and less often, until it has not come for a while."""

    def __init__(self) -> None:
        self._known: dict[str, _Known] = {}

    def held(self, key: str) -> int:
        """How many times it has come since it was last let through; none is kept back from now on."""
        known = self._known.get(key, _Known(0.0))
        held, known.held = known.held, 0
        return held

    def count(self, key: str, now: float) -> int:
        """How many times it has come since it was last let through, this time included; 0 where it is kept back now."""
        known = self._known.pop(key, None)
        if known is None or now - known.last > 2 * known.pause:
            held = known.held if known else 0
            if len(self._known) >= MOST_KEYS:
                self._known.pop(next(iter(self._known)))  # the one that has not come for longest
            self._known[key] = _Known(now, last=now)
            return held + 1
        self._known[key] = known
        known.last = now
        if now - known.let < known.pause:
            known.held += 1
            return 0
        count, known.held = known.held + 1, 0
        known.let, known.pause = now, min(2 * known.pause, LONGEST)
        return count
