"""A real MQTT broker on 127.0.0.1 for practice and tests: mosquitto where it is installed, else amqtt."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shutil
import signal
import socket
import subprocess
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

START = 10.0


class NoBroker(RuntimeError):
    """Neither broker is installed."""


def mosquitto() -> str | None:
    """The program, also where only an administrator's path has it."""
    return shutil.which("mosquitto") or shutil.which("mosquitto", path="/usr/sbin:/usr/local/sbin:/opt/homebrew/sbin")


class Broker:
    """A broker that can be stopped and started again on the same port.

    Args:
        port: where it listens; any free one by default.
        users: name -> password; nobody else may come in then. Only with mosquitto.
        tls: paths of the CA's, the server's certificate and its key. Only with mosquitto.

    Raises:
        NoBroker: where none is installed.
    """

    def __init__(self, port: int = 0, users: dict[str, str] | None = None, tls: tuple[Path, Path, Path] | None = None) -> None:
        self.port = port or free_port()
        self.name = "mosquitto" if mosquitto() else "amqtt"
        self._users, self._tls = users or {}, tls
        self._process: subprocess.Popen[bytes] | None = None
        self._folder = tempfile.TemporaryDirectory(prefix="glossa-broker-")
        self._loop: asyncio.AbstractEventLoop | None = None
        self._server: Any = None
        self.start()

    def start(self) -> None:
        """Begin to listen."""
        if self.name == "mosquitto":
            self._start_mosquitto()
        else:
            self._start_amqtt()
        until = time.monotonic() + START
        while time.monotonic() < until:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1.0):
                return
            if self._process is not None and self._process.poll() is not None:
                break
            time.sleep(0.02)
        raise OSError(f"the broker does not start on port {self.port}")

    def _start_mosquitto(self) -> None:
        folder = Path(self._folder.name)
        lines = [
            f"listener {self.port} 127.0.0.1",
            f"allow_anonymous {'false' if self._users else 'true'}",
            "max_queued_messages 10000",
        ]
        if self._users:
            passwords = folder / "passwords"
            passwords.write_text("".join(f"{name}:{word}\n" for name, word in self._users.items()))
            subprocess.run([shutil.which("mosquitto_passwd") or "mosquitto_passwd", "-U", str(passwords)], check=True)
            lines.append(f"password_file {passwords}")
        if self._tls is not None:
            lines += [f"{k} {p}" for k, p in zip(("cafile", "certfile", "keyfile"), self._tls, strict=True)]
        if os.geteuid() == 0:
            lines.append("user root")
        (folder / "broker.conf").write_text("\n".join(lines) + "\n")
        self._process = subprocess.Popen(
            [str(mosquitto()), "-c", str(folder / "broker.conf")], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )

    def _start_amqtt(self) -> None:
        try:
            from amqtt.broker import Broker as Server
        except ImportError:
            raise NoBroker("no broker is installed; install the Debian package mosquitto, or amqtt from PyPI") from None
        config = {
            "listeners": {"default": {"type": "tcp", "bind": f"127.0.0.1:{self.port}"}},
            "plugins": {"amqtt.plugins.authentication.AnonymousAuthPlugin": {"allow_anonymous": True}},
        }
        ready = threading.Event()

        def work() -> None:
            self._loop = asyncio.new_event_loop()
            asyncio.set_event_loop(self._loop)

            async def begin() -> None:
                self._server = Server(config)
                await self._server.start()
                ready.set()

            self._loop.run_until_complete(begin())
            self._loop.run_forever()

        threading.Thread(target=work, name="broker", daemon=True).start()
        ready.wait(START)

    def kill(self) -> None:
        """End it at once, as a power cut would."""
        if self._process is not None:
            self._process.send_signal(signal.SIGKILL)
            self._process.wait()
        elif self._loop is not None:
            asyncio.run_coroutine_threadsafe(self._server.shutdown(), self._loop).result(START)
            self._loop.call_soon_threadsafe(self._loop.stop)

    def close(self) -> None:
        """End it."""
        with contextlib.suppress(Exception):
            self.kill()
        self._folder.cleanup()


def free_port() -> int:
    """A port of 127.0.0.1 that nobody has."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])
