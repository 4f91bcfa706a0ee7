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

    def end(self, reason: str) -> None:
        """Begin to send nothing more; what waits is reported at once."""
        self._ended = reason
        self.outbox.end(reason)
        self._wake.set()

    def join(self, seconds: float) -> None:
        """Wait for what is under way to end, and close the link; one that hangs is reported and left behind."""
        self._thread.join(seconds)
        if self._thread.is_alive():
            self.outbox.abandon(self._ended)

    def _work(self) -> None:
        while not self._ended:
            self._wake.clear()
            due = self.outbox.work()
            self._wake.wait(min(max(0.0, due - clock()), 3600.0))
        self.outbox.close(self._ended)
