"""A small web server for this machine: takes heard text, and tells how the house is."""

from __future__ import annotations

import contextlib
import hmac
import json
import threading
from collections.abc import Callable, Mapping
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

from glossa.live.heard import MOST_BYTES

MOST_CONNECTIONS = 64
_TOO_MANY = b"HTTP/1.1 503 Service Unavailable\r\nRetry-After: 1\r\nContent-Length: 0\r\nConnection: close\r\n\r\n"
READ_TIMEOUT = 10.0

Hear = Callable[[bytes], Mapping[str, Any] | None]
"""Takes a body; gives what came of it, or None where nothing is said of it."""


class Busy(Exception):
    """Too much has been heard at once."""


class Endpoint:
    """Serves ``POST PATH`` with text or JSON, and ``GET`` on any path with the health line.

    It is meant for programs: a request with an ``Origin`` (RFC 6454) comes from a web page and is refused, for any page that
    is open in a browser here could send one.

    Args:
        host, port: where to listen.
        path: where text is taken; ``""`` where none is.
        hear: takes what was posted.
        health: gives the health line.
        token: a bearer token (RFC 6750) that a POST must have; ``""`` for none.

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
    ) -> None:
        free = threading.BoundedSemaphore(MOST_CONNECTIONS)

        class Server(ThreadingHTTPServer):
            daemon_threads = True
            request_queue_size = 64

            def process_request(self, request: Any, address: Any) -> None:
                if free.acquire(blocking=False):
                    super().process_request(request, address)
                else:
                    with contextlib.suppress(OSError):
                        request.setblocking(False)
                        request.recv(MOST_BYTES)  # what was not read would make the answer be thrown away
                        request.sendall(_TOO_MANY)
                    self.shutdown_request(request)

            def process_request_thread(self, request: Any, address: Any) -> None:
                try:
                    super().process_request_thread(request, address)
                finally:
                    free.release()

            def handle_error(self, request: Any, address: Any) -> None:
                """A client that went away is no news."""

        class Handler(BaseHTTPRequestHandler):
            timeout = READ_TIMEOUT
            server_version = "glossa"
            sys_version = ""

            def log_message(self, format: str, *args: Any) -> None:
                """Nothing: the house keeps its own record."""

            def do_GET(self) -> None:
                if health is None:
                    self._answer(404, {"error": "text is taken by POST here"})
                else:
                    self._answer(200, health())

            def do_POST(self) -> None:
                refused = self._refused()
                if refused is not None:
                    self.close_connection = True
                    self._answer(*refused)
                    return
                assert hear is not None
                try:
                    found = hear(self.rfile.read(int(self.headers["Content-Length"])))
                except Busy:
                    self._answer(503, {"error": "too much was heard at once"})
                    return
                self._answer(200 if found else 204, found)

            def _refused(self) -> tuple[int, Mapping[str, Any]] | None:
                if hear is None or self.path.split("?")[0].rstrip("/") != path.rstrip("/"):
                    return 404, {"error": f"text is taken at POST {path}" if hear is not None else "nothing is taken here"}
                if self.headers.get("Origin"):
                    return 403, {"error": "not from a web page"}
                given = self.headers.get("Authorization", "")
                if token and not hmac.compare_digest(given.encode(), f"Bearer {token}".encode()):
                    return 401, {"error": "the bearer token is missing or wrong"}
                length = self.headers.get("Content-Length", "")
                if not (length.isascii() and length.isdigit()):
                    return 411, {"error": "a Content-Length is needed"}
                return (413, {"error": f"longer than {MOST_BYTES} bytes"}) if int(length) > MOST_BYTES else None

            def _answer(self, status: int, found: Mapping[str, Any] | None) -> None:
                body = (json.dumps(found, ensure_ascii=False) + "\n").encode() if found is not None else b""
                self.send_response(status)
                if body:
                    self.send_header("Content-Type", "application/json; charset=utf-8")
                self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

        self._server = Server((host, port), Handler)
        self.port = int(self._server.server_address[1])
        threading.Thread(target=self._server.serve_forever, args=(0.1,), name=f"http {port}", daemon=True).start()

    def close(self) -> None:
        """Take no more requests."""
        self._server.shutdown()
        self._server.server_close()
