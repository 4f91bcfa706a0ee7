"""Outboxes at work, each in a thread of its own."""

from __future__ import annotations

import threading
import time

from glossa.live.outbox import Order, Outbox


def clock() -> float:
    """Seconds on a clock that never goes back, and that goes on while the machine sleeps where there is such a one."""
    boot = getattr(time, "CLOCK_BOOTTIME", None)
    return time.clock_gettime(boot) if boot is not None else time.monotonic()


class Courier:
    """Works an outbox in a thread of its own."""

    def __init__(self, outbox: Outbox) -> None:
        self.outbox = outbox
        self._wake = threading.Event()
        self._ended = ""
        self._thread = threading.Thread(target=self._work, name=f"link {outbox.name}", daemon=True)

    def start(self) -> None:
        """Connect and begin to deliver."""
        self._thread.start()

    def put(self, order: Order) -> None:
        """Take an order."""
        self.outbox.put(order)
        self._wake.set()

    def lost(self, reason: str) -> None:
        """Take that the connection broke."""
        self.outbox.lost(reason)
        self._wake.set()

    def end(self, reason: str, seconds: float = 3.0) -> None:
        """Send nothing more and close the link; a link that hangs is left behind."""
        self._ended = reason
        self._wake.set()
        self._thread.join(seconds)

    def _work(self) -> None:
        while not self._ended:
            self._wake.clear()
            due = self.outbox.work()
            self._wake.wait(min(max(0.0, due - clock()), 3600.0))
        self.outbox.close(self._ended)
