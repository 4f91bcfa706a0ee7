"""A small web server for this machine: takes heard text, and tells how the house is."""

from __future__ import annotations

import contextlib
import hmac
import io
import ipaddress
import json
import socket
import threading
import time
from collections import Counter
from collections.abc import Callable, Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from msgspec import Struct

from glossa.live.heard import MOST_BYTES

MOST_CONNECTIONS = 64
REQUEST_TIME = 5.0
"""Seconds from a connection to the end of its request; speech that takes longer is old."""
LONGEST_LENGTH = 9
"""Digits of the longest length that is looked at."""
_TOO_MANY = b"HTTP/1.1 503 Service Unavailable\r\nRetry-After: 1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"

Hear = Callable[[bytes, float], Mapping[str, Any] | None]
"""Takes a body and the seconds since its connection was made; gives what came of it, or None where nothing is said of it."""
Answer = tuple[int, Mapping[str, Any] | None]


class Busy(Exception):
    """Too much has been heard at once."""


class Unusable(Exception):
    """What was posted is no utterance; the text says why."""


class Endpoint:
    """Serves ``POST PATH`` with text or JSON, and ``GET`` on any path with the health line.

    It is meant for programs: a request with an ``Origin`` (RFC 6454) comes from a web page and is refused, for any page that
    is open in a browser here could send one; so is one with the ``Host`` of another machine (RFC 9110, 15.5.20), which a name
    that leads here by a trick would bring.

    Args:
        host, port: where to listen.
        path: where text is taken; ``""`` where none is.
        hear: takes what was posted.
        health: gives the health line.
        token: a bearer token (RFC 6750) that every request must have; ``""`` for none.
        trouble: told of what was posted and could not be taken as a whole.

    Raises:
        OSError: where the port is taken.
    """

    def __init__(
        self,
        host: str,
        port: int,
        *,
        path: str = "",
        hear: Hear | None = None,
        health: Callable[[], Mapping[str, Any]] | None = None,
        token: str = "",
        trouble: Callable[[str], None] = lambda why: None,
    ) -> None:
        self._trouble = trouble
        self._host, self._path, self._hear, self._health, self._token = host, path, hear, health, token
        self._server = _server(host, port, self._get, self._post)
        self.port = int(self._server.server_address[1])
        threading.Thread(target=self._server.serve_forever, args=(0.1,), name=f"http {port}", daemon=True).start()

    def close(self) -> None:
        """Take no more requests."""
        self._server.shutdown()
        self._server.server_close()

    def _get(self, request: _Request) -> Answer:
        if self._health is None:
            return 404, {"error": "text is taken by POST here"}
        return self._refused(request) or (200, self._health())

    def _post(self, request: _Request) -> Answer:
        if self._hear is None or request.path.split("?")[0].rstrip("/") != self._path.rstrip("/"):
            return 404, {"error": f"text is taken at POST {self._path}" if self._hear is not None else "nothing is taken here"}
        refused = self._refused(request)
        if refused is not None:
            return refused
        length = request.headers.get("Content-Length", "")
        if not (length.isascii() and length.isdigit()):
            return 411, {"error": "a Content-Length is needed"}
        if len(length) > LONGEST_LENGTH or int(length) > MOST_BYTES:
            return self._not_taken(413, f"longer than {MOST_BYTES} bytes")
        try:
            body = request.body(int(length))
        except TimeoutError:
            return self._not_taken(408, f"the body took longer than {REQUEST_TIME:g} seconds")
        if len(body) < int(length):
            return self._not_taken(400, f"the body ended after {len(body)} of {length} bytes")
        try:
            found = self._hear(body, time.monotonic() - request.began)
        except Unusable as error:
            return 400, {"error": str(error)}
        except Busy:
            return 503, {"error": "too much was heard at once"}
        return (200 if found else 204), found

    def _not_taken(self, status: int, why: str) -> Answer:
        self._trouble(f"what was posted at {self._path} was not taken: {why}")
        return status, {"error": why}

    def _refused(self, request: _Request) -> Answer | None:
        if request.headers.get("Origin"):
            return 403, {"error": "not from a web page"}
        name = request.headers.get("Host", "")
        if name and not _is_here(name, self._host):
            return 421, {"error": f"this is not {name}"}
        # A header is read as Latin-1; the token in it was written in UTF-8.
        given = request.headers.get("Authorization", "").encode("latin-1", errors="replace")
        if self._token and not hmac.compare_digest(given, f"Bearer {self._token}".encode()):
            return 401, {"error": "the bearer token is missing or wrong"}
        return None


class _Request(Struct):
    """A request as far as it was read; ``began`` is when its connection was made."""

    path: str
    headers: Any
    body: Callable[[int], bytes]
    began: float


def is_loopback(host: str) -> bool:
    """Whether only this machine can reach an address."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host.lower() == "localhost"


def _is_here(name: str, host: str) -> bool:
    """Whether a ``Host`` means this machine: an address, ``localhost``, its own name, or the one that it listens at."""
    name = name.rpartition("]")[0].lstrip("[") if name.startswith("[") else name.partition(":")[0]
    with contextlib.suppress(ValueError):
        return bool(ipaddress.ip_address(name))
    own = socket.gethostname().lower()
    return name.lower() in ("localhost", host.lower(), own, f"{own.partition('.')[0]}.local")


class _Patience(io.RawIOBase):
    """Reads a connection until its time is up, however slowly it comes."""

    def __init__(self, connection: socket.socket, until: float) -> None:
        self._connection, self._until = connection, until

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        left = self._until - time.monotonic()
        if left <= 0:
            raise TimeoutError
        self._connection.settimeout(left)
        return self._connection.recv_into(buffer)


class _Reading:
    """The connections whose requests are still being read, with the address and the time of each."""

    def __init__(self) -> None:
        self._open: dict[socket.socket, tuple[str, float]] = {}
        self._lock = threading.Lock()

    def add(self, connection: socket.socket, address: str) -> None:
        with self._lock:
            self._open[connection] = (address, time.monotonic())

    def began(self, connection: socket.socket) -> float:
        with self._lock:
            return self._open[connection][1] if connection in self._open else time.monotonic()

    def done(self, connection: socket.socket) -> None:
        with self._lock:
            self._open.pop(connection, None)

    def make_room(self) -> bool:
        """Give up the oldest connection of the address that has most of them; False where all requests are read."""
        with self._lock:
            addresses = Counter(address for address, _ in self._open.values())
            most = max(addresses.values(), default=0)
            victim = next((c for c, (a, _) in self._open.items() if addresses[a] == most), None)
            self._open.pop(victim, None) if victim is not None else None
        if victim is None:
            return False
        with contextlib.suppress(OSError):
            victim.shutdown(socket.SHUT_RDWR)
        return True


def _server(host: str, port: int, get: Callable[[_Request], Answer], post: Callable[[_Request], Answer]) -> ThreadingHTTPServer:
    free = threading.BoundedSemaphore(MOST_CONNECTIONS)
    reading = _Reading()

    class Server(ThreadingHTTPServer):
        daemon_threads = True
        request_queue_size = 64
        address_family = socket.AF_INET6 if ":" in host else socket.AF_INET

        def process_request(self, request: Any, address: Any) -> None:
            if free.acquire(blocking=False) or (reading.make_room() and free.acquire(timeout=1.0)):
                reading.add(request, str(address[0]))
                super().process_request(request, address)
                return
            with contextlib.suppress(OSError):
                request.setblocking(False)
                request.recv(MOST_BYTES)  # what was not read would make the answer be thrown away
                request.sendall(_TOO_MANY)
            self.shutdown_request(request)

        def process_request_thread(self, request: Any, address: Any) -> None:
            try:
                super().process_request_thread(request, address)
            finally:
                reading.done(request)
                free.release()

        def handle_error(self, request: Any, address: Any) -> None:
            """A client that went away is no news."""

    class Handler(BaseHTTPRequestHandler):
        server_version = "glossa"
        sys_version = ""

        def setup(self) -> None:
            super().setup()
            self.began = reading.began(self.connection)
            self.rfile = io.BufferedReader(_Patience(self.connection, self.began + REQUEST_TIME))

        def log_message(self, format: str, *args: Any) -> None:
            """Nothing: the house keeps its own record."""

        def do_GET(self) -> None:
            self._answer(*get(self._request()))

        def do_POST(self) -> None:
            self._answer(*post(self._request()))

        def _request(self) -> _Request:
            return _Request(self.path, self.headers, self._body, self.began)

        def _body(self, length: int) -> bytes:
            body = self.rfile.read(length)
            reading.done(self.connection)
            return body

        def _answer(self, status: int, found: Mapping[str, Any] | None) -> None:
            reading.done(self.connection)
            self.connection.settimeout(REQUEST_TIME)
            self.close_connection = True
            body = (json.dumps(found, ensure_ascii=False) + "\n").encode() if found is not None else b""
            self.send_response(status)
            if body:
                self.send_header("Content-Type", "application/json; charset=utf-8")
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

    return Server((host, port), Handler)
