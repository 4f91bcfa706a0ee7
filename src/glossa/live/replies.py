"""Replies to a program of the user's choice: one run a reply, the text on its standard input, no shell."""

from __future__ import annotations

import subprocess
import threading
from collections.abc import Callable, Sequence
from queue import Empty, Full, Queue

TIMEOUT = 30.0
MOST_WAITING = 5
"""Replies that wait while one is spoken; more are dropped, oldest first, for an old answer helps nobody."""


class Speaker:
    """Runs a program for each reply, one after the other.

    Args:
        program: the program and its arguments.
        trouble: told what went wrong.
    """

    def __init__(self, program: Sequence[str], trouble: Callable[[str], None]) -> None:
        self._program, self._trouble = tuple(program), trouble
        self._texts: Queue[str | None] = Queue(MOST_WAITING)
        self._process: subprocess.Popen[bytes] | None = None
        self._thread = threading.Thread(target=self._work, name="replies", daemon=True)
        self._thread.start()

    def say(self, text: str) -> None:
        """Take a reply; comes back at once."""
        while True:
            try:
                self._texts.put_nowait(text)
                return
            except Full:
                try:
                    self._texts.get_nowait()
                except Empty:
                    continue

    def close(self, seconds: float = 5.0) -> None:
        """Let what is being said end, for so long."""
        try:
            self._texts.put(None, timeout=seconds)
            self._thread.join(seconds)
        except Full:
            pass
        self._end()

    def _end(self) -> None:
        if self._process is not None and self._process.poll() is None:
            self._process.kill()
            self._process.wait()

    def _work(self) -> None:
        while (text := self._texts.get()) is not None:
            name = self._program[0]
            try:
                self._process = subprocess.Popen(
                    self._program, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
                )
                self._process.communicate((text + "\n").encode(), timeout=TIMEOUT)
                if self._process.returncode:
                    self._trouble(f"{name} ended with exit code {self._process.returncode}")
            except subprocess.TimeoutExpired:
                self._end()
                self._trouble(f"{name} was not done after {TIMEOUT:.0f} s and was ended")
            except OSError as error:
                self._trouble(f"{name} can't be run: {error.strerror or error}")
