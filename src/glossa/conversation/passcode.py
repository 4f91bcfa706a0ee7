"""Passcodes: tries, lockout, and a comparison that takes the same time for every answer."""

from __future__ import annotations

import hmac
from collections.abc import Mapping

from msgspec import Struct

from glossa.house.model import Pin


class Keeper(Struct):
    """Counts the wrong passcodes of one intent."""

    wrong: int = 0
    locked_until: float = float("-inf")

    def locked(self, at: float) -> float:
        """Seconds until the lock opens, 0 where it is open."""
        return max(0.0, self.locked_until - at)

    def check(self, pin: Pin, expected: str, said: str, at: float) -> bool:
        """Whether a passcode is right; too many wrong ones lock the intent."""
        right = hmac.compare_digest(expected.encode(), said.encode())
        if right:
            self.wrong = 0
            return True
        self.wrong += 1
        if self.wrong >= pin.tries:
            self.wrong = 0
            self.locked_until = at + pin.lockout
        return False


def expected(pin: Pin, secrets: Mapping[str, str] | None) -> str:
    """The passcode that counts: the test one where ``secrets`` is None (offline), else what the environment holds."""
    if secrets is None:
        return pin.test or "\0"
    return "".join(secrets.get(pin.env, "").split()) if pin.env else ""
