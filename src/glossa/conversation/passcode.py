"""Passcodes: tries, lockout, and a comparison that takes the same time for every answer."""

from __future__ import annotations

import hmac
from collections.abc import Mapping

from msgspec import Struct

from glossa.house.model import House, Intent, Pin

LONGEST_LOCK = 86_400.0
"""Seconds that a lock lasts at most, however many rounds of wrong passcodes there were."""


class Keeper(Struct):
    """Counts the wrong passcodes; all intents with the same passcode share one.

    Attributes:
        wrong: how many were wrong in a row since the last lock.
        rounds: how many locks there were since the last right one; each lasts twice as long as the one before.
        locked_until: when the lock opens, in seconds on the conversation's clock.
    """

    wrong: int = 0
    rounds: int = 0
    locked_until: float = float("-inf")

    def locked(self, at: float) -> float:
        """Seconds until the lock opens, 0 where it is open."""
        return max(0.0, self.locked_until - at)

    def check(self, pin: Pin, expected: str, said: str, at: float) -> bool:
        """Whether a passcode is right; too many wrong ones lock all intents that have it."""
        right = hmac.compare_digest(expected.encode(), said.encode())
        if right:
            self.wrong = self.rounds = 0
            return True
        self.wrong += 1
        if self.wrong >= pin.tries:
            self.wrong = 0
            self.locked_until = at + lasting(pin, self.rounds)
            self.rounds = min(self.rounds + 1, 32)
        return False


def lasting(pin: Pin, rounds: int) -> float:
    """How many seconds a lock lasts after so many rounds before it."""
    return min(pin.lockout * 2.0 ** max(rounds, 0), max(LONGEST_LOCK, pin.lockout))


def keeper_of(intent: Intent) -> str:
    """Whose wrong passcodes count together: those of the same variable, else of one intent.

    >>> keeper_of(Intent("open", {}, pin=Pin(env="CODE")))
    'CODE'
    """
    return (intent.pin.env if intent.pin is not None else "") or intent.id


def guarded(house: House) -> frozenset[str]:
    """The intents that need a passcode."""
    return frozenset(i.id for i in house.intents.values() if i.pin is not None)


def unsayable(pin: Pin, secrets: Mapping[str, str]) -> str:
    """Why an intent would refuse every passcode, ``""`` where it would not.

    >>> unsayable(Pin(env="CODE"), {"CODE": "24-46"})
    'the variable CODE holds more than digits, which nobody can say'
    """
    if not pin.env:
        return "it has a passcode for tests alone, none from the environment"
    code = expected(pin, secrets)
    if not code:
        return f"the variable {pin.env} with its passcode is not set"
    return "" if code.isascii() and code.isdigit() else f"the variable {pin.env} holds more than digits, which nobody can say"


def expected(pin: Pin, secrets: Mapping[str, str] | None) -> str:
    """The passcode that counts: the test one where ``secrets`` is None (offline), else what the environment holds."""
    if secrets is None:
        return pin.test or "\0"
    return "".join(secrets.get(pin.env, "").split()) if pin.env else ""
