"""Commands over a bare TCP or UDP socket, as framed text or as bytes, and what comes back (RFC 9293, RFC 768)."""

from __future__ import annotations

import contextlib
import select
import socket
import time
from collections.abc import Iterable

from glossa.house.links import TcpOptions, UdpOptions
from glossa.links.frames import MOST_BYTES, Chunks, Frames
from glossa.links.link import Unreachable
from glossa.links.stream import Stream, StreamLink, reason_of

CONNECT_TIMEOUT = 3.0
LOOK = 0.2
"""Seconds for which a read waits before it looks whether the link is still open."""


class _Socket(Stream):
    """An open socket."""

    def __init__(self, wire: socket.socket) -> None:
        self._wire = wire
        wire.settimeout(None)

    def read(self) -> bytes:
        if not select.select([self._wire], [], [], LOOK)[0]:
            return b""
        data = self._wire.recv(MOST_BYTES)
        if not data and self._wire.type == socket.SOCK_STREAM:
            raise ConnectionResetError("the other side closed the connection")
        return data

    def write(self, data: bytes, seconds: float) -> bool:
        """Hand the bytes to the connection; one that takes only a part of them in time is closed, so that the rest never comes late."""
        if self._gone():
            raise Unreachable("the other side closed the connection")
        until, left = time.monotonic() + seconds, memoryview(data)
        while left:
            if not select.select([], [self._wire], [], max(0.0, until - time.monotonic()))[1]:
                self.close()
                return False
            left = left[self._wire.send(left, socket.MSG_DONTWAIT) :]
        return True

    def _gone(self) -> bool:
        """Whether the other side has said that it takes nothing more."""
        if self._wire.fileno() < 0:
            return True
        try:
            return self._wire.type == socket.SOCK_STREAM and self._wire.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) == b""
        except BlockingIOError:
            return False
        except OSError:
            return True

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._wire.shutdown(socket.SHUT_RDWR)
        with contextlib.suppress(OSError):
            self._wire.close()


class _Datagrams(_Socket):
    """An open UDP socket: each datagram is whole, or not there."""

    def __init__(self, wire: socket.socket, start: str, end: str) -> None:
        super().__init__(wire)
        self._start, self._end = start.encode(), end.encode()

    def cut(self, data: bytes, frames: Frames | Chunks) -> Iterable[bytes]:
        if not data.startswith(self._start) or not data.endswith(self._end):
            return ()
        frame = data.removeprefix(self._start).removesuffix(self._end).strip(b"\r\n")
        return (frame,) if frame else ()


class TcpLink(StreamLink[TcpOptions]):
    """A device that listens on a TCP port.

    Args:
        options: those of the house file.
    """

    def connect(self) -> Stream:
        """Connect, and have every command sent at once."""
        place = self.options.host, self.options.port or 0
        try:
            wire = socket.create_connection(place, timeout=CONNECT_TIMEOUT)
        except OSError as error:
            raise Unreachable(f"{place[0]}:{place[1]}: {reason_of(error)}") from error
        wire.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        wire.setsockopt(socket.SOL_SOCKET, socket.SO_KEEPALIVE, 1)
        return _Socket(wire)


class UdpLink(StreamLink[UdpOptions]):
    """A device that takes datagrams: one for each command, and nobody knows whether it arrived unless the device confirms it.

    Args:
        options: those of the house file.
    """

    def connect(self) -> Stream:
        """Look the address up."""
        host, port = self.options.host, self.options.port or 0
        try:
            family, kind, protocol, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
            wire = socket.socket(family, kind, protocol)
            wire.connect(address)
        except OSError as error:
            raise Unreachable(f"{host}:{port}: {reason_of(error)}") from error
        return _Datagrams(wire, self.options.start, self.options.end)
