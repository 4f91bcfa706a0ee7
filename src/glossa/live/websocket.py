"""Text that comes in over a WebSocket of somebody else (RFC 6455): a client that comes back by itself."""

from __future__ import annotations

import contextlib
import threading
from collections.abc import Callable
from typing import Any

from glossa.links.frames import MOST_BYTES
from glossa.live.ear import Ear

FIRST, LONGEST = 0.5, 60.0
"""Seconds until a connection is tried again: at first, and at most."""
OPEN_TIMEOUT = 5.0


class WebSocketEars(Ear):
    """Listens to a WebSocket until closed.

    Args:
        url: where: ``ws://`` or ``wss://``.
        token: a bearer token (RFC 6750), or "".
        hear: takes each whole message; called in a thread of this listener.
        changed: told whether it is connected, and why not; once for each loss.

    Raises:
        ModuleNotFoundError: where the package ``websockets`` is not installed.
    """

    def __init__(self, url: str, token: str, hear: Callable[[bytes], object], changed: Callable[[bool, str], object]) -> None:
        from websockets.sync.client import connect

        self._url, self._token, self._hear, self._changed, self._connect = url, token, hear, changed, connect
        self._end = threading.Event()
        self._socket: Any = None
        threading.Thread(target=self._work, name="websocket ears", daemon=True).start()

    def _work(self) -> None:
        pause, lost = FIRST, False
        while not self._end.is_set():
            reason = "the other side closed the connection"
            try:
                headers = {"Authorization": f"Bearer {self._token}"} if self._token else {}
                with self._connect(
                    self._url,
                    additional_headers=headers,
                    max_size=MOST_BYTES,
                    open_timeout=OPEN_TIMEOUT,
                    close_timeout=1.0,
                    proxy=None,
                ) as self._socket:
                    self._changed(True, "")
                    pause, lost = FIRST, False
                    for message in self._socket:
                        self._hear(message.encode() if isinstance(message, str) else bytes(message))
                    self._socket.recv()  # says how it was closed
            except Exception as error:  # a connection breaks in many ways, and none of them may end a house
                reason = str(error) or type(error).__name__
            if not lost and not self._end.is_set():
                self._changed(False, reason)
            lost = True
            self._end.wait(pause)
            pause = min(2 * pause, LONGEST)

    def close(self) -> None:
        """Listen no more."""
        self._end.set()
        if self._socket is not None:
            with contextlib.suppress(Exception):
                self._socket.close()
