"""Commands over a serial line, as framed text or as bytes, and what comes back."""

from __future__ import annotations

import contextlib
import time
from typing import Any

import serial

from glossa.house.links import SerialOptions
from glossa.links.link import Unreachable
from glossa.links.stream import Stream, StreamLink, reason_of


class _Port(Stream):
    """An open serial port."""

    def __init__(self, port: Any) -> None:
        self._port = port

    def read(self) -> bytes:
        return bytes(self._port.read(max(1, min(self._port.in_waiting, 65_536))))

    def write(self, data: bytes, seconds: float) -> bool:
        try:
            self._port.write_timeout = seconds
            written = self._port.write(data)
            self._port.flush()
        except (serial.SerialException, OSError):
            with contextlib.suppress(Exception):
                self._port.reset_output_buffer()  # what is still in it would arrive late
            raise
        return written is None or written >= len(data)

    def close(self) -> None:
        with contextlib.suppress(Exception):
            self._port.close()


class SerialLink(StreamLink[SerialOptions]):
    """A serial line.

    Args:
        options: those of the house file. ``port`` is a device, or a URL as ``serial_for_url`` takes it.
    """

    def connect(self) -> Stream:
        """Open the port, and give the board the time that it needs."""
        name = self.options.port
        own: dict[str, Any] = {} if "://" in name else {"exclusive": True}
        timeout = self.options.timeout
        try:
            port = serial.serial_for_url(name, baudrate=self.options.baud, timeout=0.2, write_timeout=timeout, **own)
        except (serial.SerialException, OSError, ValueError) as error:
            raise Unreachable(reason_of(error)) from error
        time.sleep(self.options.settle)
        return _Port(port)
