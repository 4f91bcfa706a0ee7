"""A real MQTT broker on 127.0.0.1 for practice and tests: mosquitto where it is installed, else amqtt."""

from __future__ import annotations

import contextlib
import importlib.util
import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path

START = 10.0


_AMQTT = """
import asyncio, sys
from amqtt.broker import Broker

async def serve():
    listeners = {"default": {"type": "tcp", "bind": "127.0.0.1:" + sys.argv[1]}}
    plugins = {"amqtt.plugins.authentication.AnonymousAuthPlugin": {"allow_anonymous": True}}
    await Broker({"listeners": listeners, "plugins": plugins}).start()
    await asyncio.Event().wait()

asyncio.run(serve())
"""


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
        if self.name == "amqtt" and importlib.util.find_spec("amqtt") is None:
            raise NoBroker("no broker is installed; install the Debian package mosquitto, or: pip install glossa[practice]")
        self._folder = tempfile.TemporaryDirectory(prefix="glossa-broker-")
        self.start()

    def start(self) -> None:
        """Begin to listen."""
        with socket.socket() as asking:
            asking.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                asking.bind(("127.0.0.1", self.port))
            except OSError:
                raise OSError(f"port {self.port} is taken by another program; name a free one, or leave it out") from None
        command = self._mosquitto() if self.name == "mosquitto" else [sys.executable, "-c", _AMQTT, str(self.port)]
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        until = time.monotonic() + START
        while time.monotonic() < until and self._process.poll() is None:
            with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1.0):
                return
            time.sleep(0.02)
        raise OSError(f"the broker does not start on port {self.port}")

    def _mosquitto(self) -> list[str]:
        folder = Path(self._folder.name)
        lines = [
            f"listener {self.port} 127.0.0.1",
            "set_tcp_nodelay true",
            f"allow_anonymous {'false' if self._users else 'true'}",
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
        return [str(mosquitto()), "-c", str(folder / "broker.conf")]

    def kill(self) -> None:
        """End it at once, as a power cut would."""
        self._process.send_signal(signal.SIGKILL)
        self._process.wait()

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
