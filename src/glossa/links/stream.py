"""What all lines have in common over which text and bytes go: frames, the greeting, the confirmation, and what comes back."""

from __future__ import annotations

import errno
import os
import threading
import time
from collections.abc import Iterable
from queue import Empty, SimpleQueue
from typing import Generic, TypeVar, cast

from glossa.commands import BytesCommand, Command, TextCommand
from glossa.house.links import LinkOptions, StreamOptions
from glossa.links.frames import Chunks, Frames, cutter
from glossa.links.link import Inbox, Link, Surroundings, Unanswered, Unreachable, of_form

Options = TypeVar("Options", bound=StreamOptions)


class Stream:
    """The open end of a line."""

    def read(self) -> bytes:
        """What came in, ``b""`` where nothing did for a while.

        Raises:
            OSError: where the line is gone.
        """
        raise NotImplementedError

    def write(self, data: bytes, seconds: float) -> bool:
        """Hand bytes over within a time; False where only a part of them could be.

        Raises:
            OSError: where it is not known how much of them.
        """
        raise NotImplementedError

    def close(self) -> None:
        """Let it go."""
        raise NotImplementedError

    def cut(self, data: bytes, frames: Frames | Chunks) -> Iterable[bytes]:
        """The frames or lines that bytes complete."""
        return frames.feed(data, time.monotonic())


class StreamLink(Link, Generic[Options]):
    """A line; what it is made of is for :meth:`connect` to say.

    Args:
        options: those of the house file.
    """

    def __init__(self, options: Options) -> None:
        self.gap = options.gap
        self.options = options
        self._acknowledge = options.acknowledge.encode()
        self._stream: Stream | None = None
        self._answers: SimpleQueue[None] = SimpleQueue()

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> Link:
        """The line of a house file, whose keys have been checked."""
        return cls(cast(Options, options))

    def connect(self) -> Stream:
        """Open the line.

        Raises:
            Unreachable: where it can't be.
        """
        raise NotImplementedError

    def open(self, inbox: Inbox) -> None:
        """Open the line, send the greeting and start to read."""
        stream = self.connect()
        try:
            for number, text in enumerate(self.options.greeting):
                time.sleep(self.gap if number else 0.0)
                if not stream.write(self.options.written(text), self.options.timeout):
                    raise Unreachable(f"only part of the greeting '{text}' could be sent")
            time.sleep(self.gap if self.options.greeting else 0.0)
        except OSError as error:
            stream.close()
            raise Unreachable(f"the greeting could not be sent: {reason_of(error)}") from error
        except Unreachable:
            stream.close()
            raise
        self._stream = stream
        threading.Thread(target=self._read, args=(stream, inbox), name="read a line", daemon=True).start()

    def send(self, command: Command, seconds: float) -> None:
        """Write the command, and wait for its acknowledgement where there is one."""
        stream = self._stream
        if stream is None:
            raise Unreachable("the line is closed")
        while not self._answers.empty():  # an answer to an earlier command is none to this one
            self._answers.get_nowait()
        data = command.data if isinstance(command, BytesCommand) else self.options.framed(of_form(command, TextCommand).text)
        wait = min(self.options.timeout, seconds)
        try:
            whole = stream.write(data, wait)
        except OSError as error:
            raise Unanswered(f"only part of it could be written: {reason_of(error)}") from error
        if not whole:
            raise Unanswered("only part of it could be written")
        if self._acknowledge:
            try:
                self._answers.get(timeout=wait)
            except Empty:
                raise Unanswered(f"no '{self._acknowledge.decode()}' came back within {wait:.3g} s") from None

    def close(self) -> None:
        """Close the line."""
        stream, self._stream = self._stream, None
        if stream is not None:
            stream.close()

    def _read(self, stream: Stream, inbox: Inbox) -> None:
        options = self.options
        frames = cutter(options.start, options.end, options.code_bytes)
        while self._stream is stream:
            try:
                data = stream.read()
            except Exception as error:  # a pulled plug shows as one of many errors
                if self._stream is stream:
                    inbox.lost(reason_of(error))
                return
            for frame in stream.cut(data, frames) if data else ():
                if self._acknowledge and frame.startswith(self._acknowledge):
                    self._answers.put(None)
                inbox.arrived("", frame)


def reason_of(error: Exception) -> str:
    """An error as a person would say it."""
    if isinstance(error, OSError) and error.errno is not None:
        return "another program has it open" if error.errno in (errno.EAGAIN, errno.EBUSY) else os.strerror(error.errno)
    if "returned no data" in str(error):
        return "the device went away"
    return str(error) or type(error).__name__
