"""The mode that a house is in, and those that it goes back to."""

from __future__ import annotations

from glossa.house.model import House

DEEPEST = 16
"""Modes that a house goes back to at most."""


class Modes:
    """The modes of one conversation.

    Args:
        house: the house.
        mode: the mode that it is in, ``""`` for none.

    Attributes:
        now: the mode that it is in, ``""`` for none.
    """

    def __init__(self, house: House, mode: str = "") -> None:
        self._house, self.now = house, mode
        self._before: tuple[str, ...] = ()
        self._until = float("inf")

    def enter(self, mode: str) -> None:
        """A mode begins; the one that was on is gone back to."""
        if self.now != mode:
            if self.now and len(self._before) < DEEPEST:
                self._before = (*self._before, self.now)
            self.now = mode

    def leave(self) -> None:
        """The mode ends."""
        *before, self.now = self._before or ("",)
        self._before = tuple(before)

    def used(self, at: float) -> None:
        """A command was carried out at a time: the mode goes on for as long as it may be idle."""
        if self.now:
            self._until = at + self._house.modes[self.now].idle

    def tick(self, now: float) -> None:
        """Let time pass: modes that were idle for too long end, one after the other."""
        while self.now and now > self._until:
            self._until += self._house.modes[self.now].idle
            self.leave()

    def resumed(self, before: Modes) -> None:
        """Go on where others were, with those that still exist."""
        modes = self._house.modes
        self.now = before.now if before.now in modes else ""
        self._before = tuple(m for m in before._before if m in modes)
        self._until = before._until if self.now else float("inf")
