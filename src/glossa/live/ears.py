"""Text that comes in over bare TCP and UDP ports: lines, frames and datagrams."""

from __future__ import annotations

import contextlib
import socket
import threading
import time
from collections.abc import Callable

from glossa.links.frames import MOST_BYTES, cutter
from glossa.live.ear import Ear

MOST_CONNECTIONS = 8
"""Connections that are listened to at once; a further one is closed at once, and told of."""


class Ears(Ear):
    """Listens at a port until closed.

    Args:
        kind: ``tcp`` or ``udp``.
        host, port: where; port 0 for any.
        frame: start and end of a frame, both empty for lines and whole datagrams.
        size: the bytes of a code, where no text comes in; 0 else.
        hear: takes each whole line, frame or datagram; called in threads of this listener.
        trouble: told what a person should know.

    Attributes:
        port: where it listens.

    Raises:
        OSError: where the port can't be had.
    """

    def __init__(
        self,
        kind: str,
        host: str,
        port: int,
        frame: tuple[str, str],
        size: int,
        hear: Callable[[bytes], object],
        trouble: Callable[[str], object],
    ) -> None:
        self._frame, self._size, self._hear, self._trouble, self._closed = frame, size, hear, trouble, False
        family = socket.AF_INET6 if ":" in host else socket.AF_INET
        self._socket = socket.socket(family, socket.SOCK_STREAM if kind == "tcp" else socket.SOCK_DGRAM)
        try:
            if kind == "tcp":
                self._socket.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            self._socket.bind((host, port))
            if kind == "tcp":
                self._socket.listen(MOST_CONNECTIONS)
        except OSError as error:
            self._socket.close()
            raise OSError(error.errno, error.strerror, f"{kind}:{host}:{port}") from None
        self.port = int(self._socket.getsockname()[1])
        self._open: set[socket.socket] = set()
        work = self._accept if kind == "tcp" else self._datagrams
        threading.Thread(target=work, name=f"{kind} ears", daemon=True).start()

    def _accept(self) -> None:
        while not self._closed:
            try:
                speaker, address = self._socket.accept()
            except OSError:
                return
            if len(self._open) >= MOST_CONNECTIONS:
                self._trouble(f"more than {MOST_CONNECTIONS} connections at port {self.port}; {address[0]} is not listened to")
                speaker.close()
                continue
            self._open.add(speaker)
            threading.Thread(target=self._listen, args=(speaker,), name="tcp speaker", daemon=True).start()

    def _listen(self, speaker: socket.socket) -> None:
        frames = cutter(*self._frame, self._size)
        noisy = False
        with contextlib.suppress(OSError):
            while data := speaker.recv(MOST_BYTES):
                for frame in frames.feed(data, time.monotonic()):
                    self._hear(frame)
                if frames.noise and not noisy:
                    noisy = True
                    self._trouble(
                        f"what comes in at port {self.port} holds bytes that belong to no line or frame; they are ignored"
                    )
        if frames.held and not self._closed:
            self._trouble(f"a connection at port {self.port} ended within a line, which is not acted on")
        self._open.discard(speaker)
        speaker.close()

    def _datagrams(self) -> None:
        start, end = (part.encode() for part in self._frame)
        noisy = False
        while not self._closed:
            try:
                data, _ = self._socket.recvfrom(MOST_BYTES)
            except OSError:
                return
            if self._closed:
                return
            if data.startswith(start) and data.endswith(end):
                bare = data.removeprefix(start).removesuffix(end)
                self._hear(bare if self._size else bare.strip(b"\r\n"))
            elif not noisy:
                noisy = True
                self._trouble(
                    f"what comes in at port {self.port} is not between '{self._frame[0]}' and '{self._frame[1]}'; it is ignored"
                )

    def close(self) -> None:
        """Listen no more."""
        self._closed = True
        for wire in (*self._open, self._socket):
            with contextlib.suppress(OSError):
                wire.shutdown(socket.SHUT_RDWR)
            wire.close()
