"""The outbox of one link: each command once, in order, in time, or reported."""

from __future__ import annotations

import contextlib
import random
import threading
from collections import deque
from collections.abc import Callable

from msgspec import Struct

from glossa.commands import Command
from glossa.links.link import Declined, Inbox, Link, LinkError, Unanswered, Unreachable

FIRST_PAUSE = 0.5
LONGEST_PAUSE = 60.0
"""Seconds between two tries to connect: doubled from the first to the longest, each less a random part of up to half."""
URGENT_PAUSE = 1.0
"""Seconds between two tries while a command waits."""
STEADY = 30.0
"""Seconds that a connection must have lasted for the pauses to begin anew."""
MOST_WAITING = 1000


class Order(Struct, frozen=True):
    """A command to be delivered.

    Attributes:
        number: of the utterance.
        part: its place among the utterance's commands, from 0.
        command: the command.
        until: the time, in seconds, from which on it is too old.
    """

    number: int
    part: int
    command: Command
    until: float


class Result(Struct, frozen=True):
    """What became of an order.

    Attributes:
        order: the order.
        how: ``sent``, ``unconfirmed`` (it may have arrived), ``declined``, ``expired`` (never sent), ``dropped`` (never sent).
        at: the time in seconds.
        reason: why, for a person; ``""`` where it was sent.
    """

    order: Order
    how: str
    at: float
    reason: str = ""


class Outbox:
    """Delivers the commands of one link.

    Call :meth:`work` whenever something was put in and at the time that it gave back; it is the only call that may take long, and
    everything but :meth:`put`, :meth:`end` and :meth:`abandon` belongs to one thread. Every order has one result.

    Args:
        name: the id of the link.
        link: the link, not open yet.
        clock: seconds on a clock that never goes back.
        inbox: what the link tells of incoming things.
        result: called with what became of each order.
        changed: called with True and ``""`` when the link comes up, with False and the reason when it goes down; once for each.
    """

    def __init__(
        self,
        name: str,
        link: Link,
        *,
        clock: Callable[[], float],
        inbox: Inbox,
        result: Callable[[Result], None],
        changed: Callable[[bool, str], None],
        seed: int | None = None,
    ) -> None:
        self.name, self.link = name, link
        self.up = False
        self.said: tuple[bool, str] | None = None
        self._clock, self._inbox, self._result, self._changed = clock, inbox, result, changed
        self._orders: deque[Order] = deque()
        self._random = random.Random(seed)
        self._lost: str | None = None
        self._tries = 0
        self._next_try = self._last_try = float("-inf")
        self._up_since = float("-inf")
        self._next_send = float("-inf")
        self._unsaid = False
        self._short = 0
        self._closed = False
        self._under_way: Order | None = None
        self._lock = threading.Lock()

    @property
    def waiting(self) -> int:
        """How many commands have not been sent yet."""
        return len(self._orders)

    def put(self, order: Order) -> None:
        """Take an order; may be called from any thread."""
        with self._lock:
            why = "the link is closed" if self._closed else "too many are waiting" if len(self._orders) >= MOST_WAITING else ""
            if not why:
                self._orders.append(order)
        if why:
            self._result(Result(order, "dropped", self._clock(), why))

    def lost(self, reason: str) -> None:
        """The connection broke; may be called from any thread."""
        self._lost = reason

    def work(self) -> float:
        """Do what can be done now. Gives the time when there is something to do again, infinity for never."""
        if self._closed:
            return float("inf")
        if self._lost is not None:
            self._down(self._lost)
        if not self.up and self._clock() >= self._try_at():
            self._open()
        if self.up and self._unsaid and self._clock() >= self._up_since + STEADY:
            self._say(True, "")
        while not self._closed:
            self._expire()
            with self._lock:
                order = self._orders[0] if self._orders else None
                first = min((o.until for o in self._orders), default=float("inf"))
            if not self.up:
                return min(self._try_at(), first)
            if order is None:
                return self._up_since + STEADY if self._unsaid else float("inf")
            if self._clock() < self._next_send:
                return min(self._next_send, first)
            self._send()
        return float("inf")

    def _try_at(self) -> float:
        return min(self._next_try, self._last_try + URGENT_PAUSE) if self._orders else self._next_try

    def _expire(self) -> None:
        now = self._clock()
        with self._lock:
            late = [o for o in self._orders if now >= o.until]
            for order in late:
                self._orders.remove(order)
        why = "others went first" if self.up else self.said[1] if self.said and self.said[1] else "the link is not up yet"
        for order in late:
            self._result(Result(order, "expired", now, why))

    def end(self, reason: str) -> None:
        """Begin to send nothing any more, and report what waits; may be called from any thread."""
        with self._lock:
            self._closed = True
            left = list(self._orders)
            self._orders.clear()
        for order in left:
            self._result(Result(order, "dropped", self._clock(), reason))

    def abandon(self, reason: str) -> None:
        """Report what is under way still, and let the link go whatever it does; may be called from any thread."""
        self._ended("unconfirmed", f"no answer yet: {reason}")
        with contextlib.suppress(Exception):
            self.link.close()

    def close(self, reason: str) -> None:
        """Send nothing any more, report what is left, and let the link go."""
        self.end(reason)
        self.link.close()
        self.up = False

    def _open(self) -> None:
        self._lost = None
        self._last_try = self._clock()
        try:
            self.link.open(self._inbox)
        except LinkError as error:
            self._down(str(error))
        except Exception as error:  # a link that somebody wrote themselves must not end the house
            self._down(f"{type(error).__name__}: {error}")
        else:
            self.up = True
            self._up_since = self._clock()
            if not self._unsaid:
                self._say(True, "")

    def _down(self, reason: str) -> None:
        self._lost = None
        now = self._clock()
        if self.up:
            # One that comes and goes is told of again only when it stays.
            short = now - self._up_since < STEADY
            self._short = self._short + 1 if short else 0
            self._tries = self._tries if short else 0
            self._unsaid = self._short > 1
        self.up = False
        try:
            self.link.close()
        except Exception as error:
            reason = f"{reason}; {type(error).__name__}: {error}"
        pause = min(LONGEST_PAUSE, FIRST_PAUSE * 2.0 ** min(self._tries, 10))
        self._tries += 1
        self._next_try = now + pause * (1 - 0.5 * self._random.random())
        self._say(False, reason)

    def _say(self, up: bool, reason: str) -> None:
        """Tell of a change once: as long as the link stays down, another reason is no news."""
        news = self.said is None or self.said[0] != up
        self.said = (up, reason)
        if up:
            self._unsaid = False
        if news:
            self._changed(up, reason)

    def _send(self) -> None:
        with self._lock:
            if not self._orders:  # they were taken away meanwhile
                return
            order = self._under_way = self._orders.popleft()
        how, reason = "sent", ""
        try:
            self.link.send(order.command, order.until - self._clock())
        except Unreachable as error:
            self._put_back(str(error))
            return
        except Unanswered as error:
            how, reason = "unconfirmed", str(error)
        except Declined as error:
            how, reason = "declined", str(error)
        except Exception as error:
            how, reason = "unconfirmed", f"{type(error).__name__}: {error}"
        self._next_send = self._clock() + self.link.gap
        self._ended(how, reason)

    def _put_back(self, reason: str) -> None:
        """What was under way waits for the link to come back, or is reported where the end has come."""
        with self._lock:
            order = None if self._closed else self._under_way
            if order is not None:
                self._under_way = None
                self._orders.appendleft(order)
        if order is None:
            self._ended("dropped", reason)
        self._down(reason)

    def _ended(self, how: str, reason: str) -> None:
        """Report what was under way, once: whoever comes first says how it ended."""
        with self._lock:
            order, self._under_way = self._under_way, None
        if order is not None:
            self._result(Result(order, how, self._clock(), reason))
