"""The parts of a simulated household: what stands at the other end of each type of link."""

from __future__ import annotations

import contextlib
import os
import select
import socket
import threading
import time
from collections.abc import Callable, Iterable
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from queue import SimpleQueue
from typing import Any
from urllib.parse import urlsplit

from msgspec.structs import replace

from glossa.house.codes import Codes
from glossa.house.links import MqttOptions, SerialOptions, TcpOptions, UdpOptions
from glossa.house.sources import SerialSource
from glossa.links.frames import Frames
from glossa.links.link import LinkError
from glossa.links.mqtt import MqttLink

Take = Callable[[str, bytes], None]
Draw = Callable[[], tuple[str, float]]
"""Gives the fault that comes next, and the seconds that an answer takes."""
HANG = 30.0
LONGEST_PAUSE = 5.0
"""Seconds between two tries to reach the broker again."""


class MqttDevices:
    """Devices that hear their topics on a broker of this machine and report, retained, where the house listens.

    They connect again by themselves.

    Args:
        options: those of the link; whatever host they name, only 127.0.0.1 is dialled.
        house: the house's id.
        topics: what they listen to.
        take: takes what came in.
        patience: seconds in which the broker has to answer at first.

    Raises:
        OSError: where it does not.
    """

    def __init__(self, options: MqttOptions, house: str, topics: Iterable[str], take: Take, patience: float) -> None:
        here = replace(options, host="127.0.0.1", will_topic="")
        self._link = MqttLink(here, f"{house}-devices", topics)
        self._take = take
        self._todo: SimpleQueue[Callable[[], None] | None] = SimpleQueue()
        self._broken = threading.Event()
        self._closed = False
        self._broken.set()
        reason = self._connect(time.monotonic() + patience)
        if reason:
            raise OSError(f"no broker answers: {reason}")
        threading.Thread(target=self._work, name="devices", daemon=True).start()

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        """A command came in."""
        if not retained:
            self._todo.put(lambda: self._take(place, data))

    def lost(self, reason: str) -> None:
        """The broker went away."""
        self._broken.set()

    def report(self, topic: str, payload: bytes, delay: float, *, cut: bool = False) -> None:
        """Publish a state; ``cut`` breaks the connection instead."""

        def publish() -> None:
            time.sleep(delay)
            if cut:
                self._broken.set()
                return
            with contextlib.suppress(LinkError):
                self._link.publish(topic, payload, 1, True, 2.0)

        self._todo.put(publish)

    def _connect(self, until: float) -> str:
        """Connect, and say why it could not be done in time."""
        pause = 0.2
        while self._broken.is_set() and not self._closed:
            self._link.close()
            try:
                self._link.open(self)
                self._broken.clear()
            except LinkError as error:
                if time.monotonic() + pause > until:
                    return str(error)
                time.sleep(pause)
                pause = min(2 * pause, LONGEST_PAUSE)
        return ""

    def _work(self) -> None:
        while not self._closed:
            self._connect(float("inf"))
            with contextlib.suppress(Exception):
                call = self._todo.get(timeout=0.1)
                if call is not None:
                    call()

    def close(self) -> None:
        """Go away."""
        self._closed = True
        self._todo.put(None)
        self._link.close()


class SerialBoard:
    """A board behind a pseudo-terminal that acknowledges what it takes, where the house waits for that.

    Attributes:
        path: the port to open.
    """

    def __init__(self, options: SerialOptions, path: str, take: Take, draw: Draw) -> None:
        self._start, self._end, self._answer = options.start, options.end, options.acknowledge
        self._take, self._draw, self._link = take, draw, path
        self._closed = False
        self._plug()
        threading.Thread(target=self._work, name="board", daemon=True).start()

    def _plug(self) -> None:
        import tty

        self._board, self._port = os.openpty()
        tty.setraw(self._port)
        name = os.ttyname(self._port)
        self.path = self._link or name
        if self._link:
            new = f"{self._link}.new"
            with contextlib.suppress(FileNotFoundError):
                os.unlink(new)
            os.symlink(name, new)
            os.replace(new, self._link)

    def say(self, data: bytes) -> None:
        """Send bytes to the house, whatever they are."""
        with contextlib.suppress(OSError):
            os.write(self._board, data)

    def unplug(self, seconds: float = 0.3) -> None:
        """Pull the plug, and put it in again after a while; at the same path only where one was given."""
        for end in (self._board, self._port):
            with contextlib.suppress(OSError):
                os.close(end)
        time.sleep(seconds)
        if not self._closed:
            self._plug()

    def _work(self) -> None:
        frames = Frames(self._start, self._end)
        while not self._closed:
            try:
                if not select.select([self._board], [], [], 0.1)[0]:
                    continue
                data = os.read(self._board, 65_536)
            except (OSError, ValueError):
                time.sleep(0.05)
                continue
            framed = frames.feed(data, time.monotonic()) if self._end else []
            for one in framed or [data]:
                self._take("", one)
                self._acknowledge()

    def _acknowledge(self) -> None:
        fault, delay = self._draw()
        time.sleep(delay)
        if fault == "disconnect":
            self.unplug()
        elif fault == "garbage":
            self.say(b"\xff\x00\x13rub")
        elif self._answer and fault != "drop":
            self.say(f"{self._start}{self._answer}{self._end or chr(10)}".encode())

    def close(self) -> None:
        """Pull the plug for good."""
        self._closed = True
        for end in (self._board, self._port):
            with contextlib.suppress(OSError):
                os.close(end)
        if self._link and os.path.islink(self._link):
            os.unlink(self._link)


class CodeModule(SerialBoard):
    """A small recogniser on a pseudo-terminal: it knows some phrases, and sends the code of each that it hears; one without codes sends text.

    It hears nothing until it was greeted, then only the group that was loaded, and forgets everything when it is unplugged. Where its table has a
    code that stands for nothing, it answers with that when it was greeted and when a group was loaded.

    Attributes:
        ready: whether it was greeted.
        loaded: the mode whose set was loaded last, None for none.
    """

    def __init__(self, source: SerialSource, codes: Codes | None, path: str) -> None:
        ends = SerialOptions(start=source.start, end=source.end)
        self._size, self._ends = codes.size if codes is not None else 0, replace(ends, end=source.end or "\n")
        self._greeting = b"".join(map(ends.written, source.greeting))
        self._sets = {mode: b"".join(map(ends.written, texts)) for mode, texts in source.modes.items()}
        self._code_of = (
            {said: code for code, said in reversed(list(codes.utterances.items())) if said} if codes is not None else None
        )
        groups = codes.groups(source.group) if codes is not None and source.group is not None and source.modes else ()
        self._groups = dict(zip(source.sets, groups, strict=False))
        self._answer = codes.silent[0] if codes is not None and codes.silent else ""
        self._forget()
        super().__init__(SerialOptions(), path, self._told, lambda: ("", 0.0))

    def _forget(self) -> None:
        self._heard = b""
        self.ready, self.loaded = not self._greeting, None if self._sets else ""

    def _told(self, place: str, data: bytes) -> None:
        self._heard = (self._heard + data)[-4096:]
        before = self.ready, self.loaded
        self.ready = self.ready or self._greeting in self._heard
        for mode, loading in self._sets.items():
            if self.ready and self._heard.endswith(loading):
                self.loaded = mode
        if self._answer and before != (self.ready, self.loaded):
            self.say(bytes.fromhex(self._answer) if self._size else self._ends.framed(self._answer))

    def hear(self, utterance: str) -> bool:
        """Somebody speaks; False where the module does not know the phrase, or listens to nothing yet."""
        said = utterance.strip()
        code = said if self._code_of is None else self._code_of.get(said.lower())
        group = self._groups.get(self.loaded or "")
        if not code or not self.ready or (group is not None and said.lower() not in group):
            return False
        self.say(bytes.fromhex(code) if self._size else self._ends.framed(code))
        return True

    def unplug(self, seconds: float = 0.3) -> None:
        """Pull the plug, and put it in again after a while."""
        self._forget()
        super().unplug(seconds)


class SocketBoard:
    """A board behind a TCP or UDP port of this machine, that acknowledges what it takes, where the house waits for that.

    Attributes:
        port: where it listens, on 127.0.0.1.
    """

    def __init__(self, options: TcpOptions, port: int, take: Take, draw: Draw) -> None:
        self._start, self._end, self._answer = options.start, options.end, options.acknowledge
        self._take, self._draw, self._closed = take, draw, False
        self._datagrams = isinstance(options, UdpOptions)
        self._ears = socket.socket(socket.AF_INET, socket.SOCK_DGRAM if self._datagrams else socket.SOCK_STREAM)
        self._ears.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        self._ears.bind(("127.0.0.1", port))
        if not self._datagrams:
            self._ears.listen(1)
        self.port = int(self._ears.getsockname()[1])
        self._house: socket.socket | None = None
        threading.Thread(target=self._work, name="socket board", daemon=True).start()

    def say(self, data: bytes) -> None:
        """Send bytes to the house, whatever they are; nothing where it has not come yet."""
        with contextlib.suppress(OSError):
            if self._house is not None:
                self._house.sendall(data)

    def hang_up(self) -> None:
        """Close the connection; the house may come again."""
        house, self._house = self._house, None
        if house is not None and house is not self._ears:
            with contextlib.suppress(OSError):
                house.shutdown(socket.SHUT_RDWR)
            house.close()

    def _work(self) -> None:
        while not self._closed:
            with contextlib.suppress(OSError):
                if self._datagrams:
                    self._datagram()
                else:
                    self._house, _ = self._ears.accept()
                    self._serve(self._house)

    def _datagram(self) -> None:
        data, there = self._ears.recvfrom(65_536)
        if self._closed:
            return
        framed = data.removeprefix(self._start.encode()).removesuffix(self._end.encode())
        self._took(framed, lambda answer: self._ears.sendto(answer, there))

    def _serve(self, house: socket.socket) -> None:
        frames = Frames(self._start, self._end)
        while data := house.recv(65_536):
            framed = frames.feed(data, time.monotonic()) if self._end else []
            for one in framed or [data]:
                self._took(one, house.sendall)
        self.hang_up()

    def _took(self, data: bytes, answer: Callable[[bytes], object]) -> None:
        self._take("", data)
        fault, delay = self._draw()
        time.sleep(delay)
        if fault == "disconnect":
            self.hang_up()
        elif fault == "garbage":
            answer(b"\xff\x00\x13rub")
        elif self._answer and fault != "drop":
            answer(f"{self._start}{self._answer}{self._end or chr(10)}".encode())

    def close(self) -> None:
        """Go away."""
        self._closed = True
        self.hang_up()
        with contextlib.suppress(OSError):
            self._ears.shutdown(socket.SHUT_RDWR)
        self._ears.close()


class WebHook:
    """A web server that takes every request.

    Attributes:
        url: where it is.
        status: what it answers with.
        location: where it redirects to, with a ``status`` from 300 to 399.
    """

    def __init__(self, url: str, port: int | str | None, take: Take, draw: Draw) -> None:
        self.status = 200
        self.location = ""
        self._closed = threading.Event()
        hook = self

        class Handler(BaseHTTPRequestHandler):
            protocol_version = "HTTP/1.1"

            def _serve(self) -> None:
                body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
                take(f"{self.command} {self.path}", body)
                fault, delay = draw()
                hook._closed.wait(HANG if fault == "drop" else delay)
                if fault in ("drop", "disconnect"):
                    self.close_connection = True
                    return
                self.send_response(500 if fault == "garbage" else hook.status)
                if hook.location:
                    self.send_header("Location", hook.location)
                self.send_header("Content-Length", "0")
                self.end_headers()

            def log_message(self, format: str, *args: Any) -> None:
                pass

        for method in ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"):
            setattr(Handler, f"do_{method}", Handler._serve)

        class Server(ThreadingHTTPServer):
            daemon_threads = True

            def handle_error(self, request: Any, address: Any) -> None:
                pass

        wanted = int(port) if port is not None else urlsplit(url).port or 80
        self._server = Server(("127.0.0.1", wanted), Handler)
        self.url = f"http://127.0.0.1:{self._server.server_address[1]}{urlsplit(url).path}".rstrip("/")
        threading.Thread(target=self._server.serve_forever, args=(0.1,), name="web hook", daemon=True).start()

    def close(self) -> None:
        """Take no more requests."""
        self._closed.set()
        self._server.shutdown()
        self._server.server_close()
