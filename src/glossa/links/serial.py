"""Commands over a serial line, as framed text or as bytes, and what comes back."""

from __future__ import annotations

import contextlib
import errno
import os
import threading
import time
from queue import Empty, SimpleQueue
from typing import Any

import serial

from glossa.commands import BytesCommand, Command, TextCommand
from glossa.house.links import LinkOptions, SerialOptions
from glossa.links.frames import Frames
from glossa.links.link import Inbox, Link, Surroundings, Unanswered, Unreachable, of_form

ACKNOWLEDGE_TIMEOUT = 1.0


class SerialLink(Link):
    """A serial line.

    Args:
        options: those of the house file: ``port`` (a device, or a URL as ``serial_for_url`` takes it), ``baud``, ``start`` and ``end``
            of frames, ``gap`` in seconds, and ``acknowledge``, the text that a line or frame begins with which confirms a
            command, with its ``timeout`` in seconds; ``settle``, the seconds that a board needs once its port was opened.
    """

    def __init__(self, options: SerialOptions) -> None:
        self._options = options
        self.gap = options.gap
        self._start, self._end = options.start, options.end
        self._acknowledge = options.acknowledge.encode()
        self._timeout = options.timeout
        self._port: Any = None
        self._answers: SimpleQueue[None] = SimpleQueue()

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> SerialLink:
        """The serial line of a house file."""
        assert isinstance(options, SerialOptions)
        return cls(options)

    def open(self, inbox: Inbox) -> None:
        """Open the port and start to read."""
        name = self._options.port
        own: dict[str, Any] = {} if "://" in name else {"exclusive": True}
        try:
            port = serial.serial_for_url(name, baudrate=self._options.baud, timeout=0.2, write_timeout=self._timeout, **own)
        except (serial.SerialException, OSError, ValueError) as error:
            raise Unreachable(_reason(error)) from error
        time.sleep(self._options.settle)
        self._port = port
        threading.Thread(target=self._read, args=(port, inbox), name=f"read {name}", daemon=True).start()

    def send(self, command: Command, seconds: float) -> None:
        """Write the command, and wait for its acknowledgement where there is one."""
        port = self._port
        if port is None:
            raise Unreachable("the port is closed")
        while not self._answers.empty():  # an answer to an earlier command is none to this one
            self._answers.get_nowait()
        if isinstance(command, BytesCommand):
            data = command.data
        else:
            data = f"{self._start}{of_form(command, TextCommand).text}{self._end}".encode()
        try:
            port.write_timeout = min(self._timeout, seconds)
            written = port.write(data)
            port.flush()
        except (serial.SerialException, OSError) as error:
            with contextlib.suppress(Exception):
                port.reset_output_buffer()  # what is still in it would arrive late
            raise Unanswered(f"only part of it could be written: {_reason(error)}") from error
        if written is not None and written < len(data):
            raise Unanswered("only part of it could be written")
        if self._acknowledge:
            wait = min(self._timeout, seconds)
            try:
                self._answers.get(timeout=wait)
            except Empty:
                raise Unanswered(f"no '{self._acknowledge.decode()}' came back within {wait:.3g} s") from None

    def close(self) -> None:
        """Close the port."""
        port, self._port = self._port, None
        if port is not None:
            with contextlib.suppress(Exception):
                port.close()

    def _read(self, port: Any, inbox: Inbox) -> None:
        frames = Frames(self._start, self._end)
        while self._port is port:
            try:
                data = port.read(max(1, min(port.in_waiting, 65_536)))
            except Exception as error:  # a pulled plug shows as one of many errors
                if self._port is port:
                    inbox.lost(_reason(error))
                return
            if not data:
                continue
            for frame in frames.feed(data, time.monotonic()):
                if self._acknowledge and frame.startswith(self._acknowledge):
                    self._answers.put(None)
                inbox.arrived("", frame)


def _reason(error: Exception) -> str:
    """An error as a person would say it."""
    if isinstance(error, OSError) and error.errno is not None:
        return "another program has it open" if error.errno in (errno.EAGAIN, errno.EBUSY) else os.strerror(error.errno)
    if "returned no data" in str(error):
        return "the device went away"
    return str(error) or type(error).__name__
