"""Command lines as a user types them, with ``glossa`` run in this process: what the documentation and the help show is run so.

A line is commands joined by ``&&`` and ``|``, with ``> FILE`` and ``>> FILE``. Every other program is started.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import os
import shlex
import signal
import subprocess
import sys
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from types import FrameType
from unittest import mock

from glossa.cli.main import main

JOINED = ("&&", "|", ">", ">>")


def call(*arguments: str, typed: bytes = b"") -> tuple[int, str, str]:
    """Exit code, standard output and standard error of ``glossa`` with these arguments."""
    out, err = io.StringIO(), io.StringIO()
    return _glossa(arguments, typed, out, err), out.getvalue(), err.getvalue()


def _glossa(arguments: Sequence[str], typed: bytes, out: io.StringIO, err: io.StringIO) -> int:
    stdin = io.TextIOWrapper(io.BytesIO(typed), encoding="utf-8")
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err), mock.patch.object(sys, "stdin", stdin):
        try:
            main(list(arguments))
        except SystemExit as end:
            return end.code if isinstance(end.code, int) else 1
    return 0


def run_line(
    line: str, folder: Path, variables: Mapping[str, str], typed: bytes = b"", seconds: float = 120.0
) -> tuple[int, str]:
    """The exit code of the last command that ran, and what was printed, errors among it.

    Args:
        line: the command line.
        folder: where it is typed.
        variables: of the environment, set meanwhile.
        typed: standard input of the first command.
        seconds: after which a command that still runs gets Ctrl-C.
    """
    code, printed, piped = 0, "", typed
    with mock.patch.dict(os.environ, variables), contextlib.chdir(folder):
        for command, joined, target in _commands(line):
            if command[0] == "glossa":
                out, err = io.StringIO(), io.StringIO()
                with _interrupted(seconds):
                    code = _glossa(command[1:], piped, out, err if joined in ("|", ">", ">>") else out)
                piped, printed = out.getvalue().encode(), printed + err.getvalue()
            else:
                done = subprocess.run(command, input=piped, capture_output=True, timeout=seconds)
                code, piped, printed = done.returncode, done.stdout, printed + done.stderr.decode(errors="replace")
            if target:
                with Path(target).expanduser().open("ab" if joined == ">>" else "wb") as file:
                    file.write(piped)
            if joined != "|":
                printed += "" if target else piped.decode(errors="replace")
                piped = b""
            if code and joined == "&&":
                break
    return code, printed


def _commands(line: str) -> Iterator[tuple[list[str], str, str]]:
    """Each command of a line with what joins it to the next one, and the file that it writes to."""
    lexer = shlex.shlex(line, posix=True, punctuation_chars="&|>")
    lexer.whitespace_split = True
    parts = [list(group) for _, group in itertools.groupby(lexer, lambda word: word in JOINED)]
    for at in range(0, len(parts), 2):
        joined = parts[at + 1][0] if at + 1 < len(parts) else ""
        if joined.startswith(">"):
            yield parts[at], joined, parts[at + 2][0]
            return
        yield parts[at], joined, ""


@contextlib.contextmanager
def _interrupted(seconds: float) -> Iterator[None]:
    """Ctrl-C for this process after so many seconds; what a command does about signals ends with it."""

    def interrupt(number: int, frame: FrameType | None) -> None:
        signal.raise_signal(signal.SIGINT)

    before = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM, signal.SIGALRM)}
    signal.signal(signal.SIGALRM, interrupt)
    signal.setitimer(signal.ITIMER_REAL, seconds)
    try:
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        for number, handler in before.items():
            signal.signal(number, handler)
