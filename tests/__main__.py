"""Runs the tests over the cores, the slowest first: ``python -m tests``, or ``make test``.

    python -m tests                          all of them
    python -m tests test_wires Measures      those with one of these in their name
    python -m tests --jobs 1 --fail-fast     one after another, up to the first that fails
    python -m tests --proof                  in their full size: every house, every draw, every number

A test runs in a process that was forked off this one, so that what all tests share is loaded once. What a test prints is
kept and shown with it. ``tests/slowest.txt`` names the tests to begin with; ``--times`` writes it anew.
"""

from __future__ import annotations

import argparse
import contextlib
import gc
import importlib
import io
import multiprocessing
import os
import resource
import shutil
import signal
import sys
import tempfile
import time
import unittest
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from multiprocessing.connection import Connection, wait
from pathlib import Path

from tests import shared

HERE = Path(__file__).parent
SLOWEST = HERE / "slowest.txt"
SLOW = 1.0
"""Seconds from which a test is named in the list of the slowest."""
LONGEST = 120.0
"""Seconds that a test may take; its process is ended then, and the test has failed."""
WAITING = 2
"""Processes beyond the number of cores: about so many tests wait for a wire at any time."""
GRACE = 1.0
"""Seconds that processes have to end after Ctrl-C."""


@dataclass(frozen=True)
class Outcome:
    """What came of one test: its counts, the tracebacks, what it printed, and the seconds that it took by the clock and of the processor."""

    test: str
    run: int
    skipped: int
    failures: tuple[str, ...]
    printed: str
    seconds: float
    cpu: float


class Worker:
    """A process that runs one test after another."""

    def __init__(self, tests: dict[str, unittest.TestCase]) -> None:
        self.talk, there = multiprocessing.Pipe()
        self.process = multiprocessing.get_context("fork").Process(target=_work, args=(tests, there, self.talk))
        self.process.start()
        there.close()
        self.test = ""
        self.since = 0.0

    def begin(self, test: str) -> None:
        """Start a test."""
        self.test, self.since = test, time.monotonic()
        self.talk.send(test)

    def finish(self) -> Outcome:
        """What came of the test; where the process ended under it, that is the failure."""
        try:
            found: Outcome = self.talk.recv()
        except (EOFError, OSError):
            self.process.join(GRACE)
            why = f"{self.test}\nits process ended with exit code {self.process.exitcode}\n"
            return Outcome(self.test, 1, 0, (why,), "", time.monotonic() - self.since, 0.0)
        return found

    def end(self, how: int) -> None:
        """Send a signal to the process and to all that it started."""
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(self.process.pid or 0, how)


def _work(tests: dict[str, unittest.TestCase], talk: Connection, other_end: Connection) -> None:
    """Run what is asked for until nothing more is."""
    os.setpgid(0, 0)  # so that whatever a test starts can be ended with it
    other_end.close()
    with contextlib.suppress(EOFError, OSError, KeyboardInterrupt):
        while True:
            talk.send(_run(talk.recv(), tests))
    signal.signal(signal.SIGTERM, signal.SIG_IGN)  # it is ending anyway


def _run(name: str, tests: dict[str, unittest.TestCase]) -> Outcome:
    result = unittest.TestResult()
    began, cpu = time.perf_counter(), _cpu()
    with _kept_output() as printed:
        unittest.TestSuite([tests[name]]).run(result)
    failures = tuple(f"{test}\n{text}" for test, text in (*result.errors, *result.failures)) + tuple(
        f"{test}\nsucceeded, which was not expected\n" for test in result.unexpectedSuccesses
    )
    return Outcome(
        name, result.testsRun, len(result.skipped), failures, printed.getvalue(), time.perf_counter() - began, _cpu() - cpu
    )


@contextlib.contextmanager
def _kept_output() -> Iterator[io.StringIO]:
    """What is written to standard output and standard error meanwhile, by this process and by those that it starts."""
    kept = io.StringIO()
    with tempfile.TemporaryFile() as file:
        before = [os.dup(number) for number in (1, 2)]
        for number in (1, 2):
            os.dup2(file.fileno(), number)
        try:
            yield kept
        finally:
            sys.stdout.flush()
            sys.stderr.flush()
            for number, old in zip((1, 2), before, strict=True):
                os.dup2(old, number)
                os.close(old)
            file.seek(0)
            kept.write(file.read().decode(errors="replace"))


def _cpu() -> float:
    used = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
    return sum(u.ru_utime + u.ru_stime for u in used)


class Progress:
    """What is shown meanwhile: a line for each module that is through, each failure at once, and on a terminal where it stands."""

    def __init__(self, names: list[str], out: io.TextIOBase) -> None:
        self._out, self._live = out, out.isatty()
        self._left = Counter(_module(name) for name in names)
        self._modules, self._tests = len(self._left), Counter(self._left)
        self._seconds: Counter[str] = Counter()
        self._failed: Counter[str] = Counter()
        self._all, self._done = len(names), 0

    def show(self, outcome: Outcome) -> None:
        """Take in what came of a test."""
        module = _module(outcome.test)
        self._done += 1
        self._left[module] -= 1
        self._seconds[module] += outcome.seconds  # type: ignore[assignment]
        if outcome.failures:
            self._failed[module] += 1
            self._line(f"FAILED {outcome.test}: {outcome.failures[0].strip().splitlines()[-1][:100]}")
        if not self._left[module]:
            through = sum(not n for n in self._left.values())
            state = f"{self._failed[module]} FAILED" if self._failed[module] else "ok"
            self._line(
                f"[{through:2d}/{self._modules}] {module:18s} {self._tests[module]:4d} tests {self._seconds[module]:6.1f} s  {state}"
            )
        if self._live:
            self._out.write(f"\r\x1b[K{self._done} of {self._all} tests, {sum(self._failed.values())} failed  {module} ")
            self._out.flush()

    def _line(self, text: str) -> None:
        self._out.write(f"\r\x1b[K{text}\n" if self._live else f"{text}\n")
        self._out.flush()

    def end(self) -> None:
        """Leave the line that is written over."""
        if self._live:
            self._out.write("\r\x1b[K")


def _module(test: str) -> str:
    return test.split(".")[1]


def chosen(patterns: list[str]) -> dict[str, unittest.TestCase]:
    """The tests with one of the patterns in their name, the slowest first, by name."""

    def flat(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
        for test in suite:
            yield from flat(test) if isinstance(test, unittest.TestSuite) else (test,)

    found = unittest.defaultTestLoader.discover(str(HERE), top_level_dir=str(HERE.parent))
    slowest = {name: at for at, name in enumerate(SLOWEST.read_text(encoding="utf-8").split())}
    tests = {test.id(): test for test in flat(found)}
    names = [n for n in tests if not patterns or any(p in n for p in patterns)]
    return {name: tests[name] for name in sorted(names, key=lambda n: (slowest.get(n, len(slowest)), _module(n)))}


def _load() -> None:
    """Load what most processes would load for themselves: packages that are slow to import, and the samples, compiled."""
    for package in ("matplotlib.figure", "matplotlib.backends.backend_agg", "pandas", "scipy.optimize"):
        importlib.import_module(package)
    for name in shared.SAMPLES:
        shared.matcher(name).match("on")


def run_all(tests: dict[str, unittest.TestCase], jobs: int, fail_fast: bool) -> list[Outcome]:
    """Run tests in so many processes."""
    waiting, outcomes = list(tests), list[Outcome]()
    _load()
    gc.freeze()
    gc.set_threshold(50_000, 20, 20)  # as the command line has it
    progress = Progress(waiting, sys.stdout)  # type: ignore[arg-type]
    workers = [Worker(tests) for _ in range(min(jobs, len(tests)))]
    try:
        for worker in workers:
            worker.begin(waiting.pop(0))
        while busy := [w for w in workers if w.test]:
            for worker in busy:
                if time.monotonic() - worker.since > LONGEST:
                    worker.end(signal.SIGKILL)
            ready = wait([w.talk for w in busy], timeout=5.0)
            for worker in (w for w in busy if w.talk in ready):
                outcome = worker.finish()
                outcomes.append(outcome)
                progress.show(outcome)
                worker.test = ""
                if fail_fast and outcome.failures:
                    waiting.clear()
                if not worker.process.is_alive():
                    worker.end(signal.SIGKILL)
                    workers[workers.index(worker)] = worker = Worker(tests)
                if waiting:
                    worker.begin(waiting.pop(0))
    finally:
        progress.end()
        _end(workers)
    return outcomes


def _end(workers: list[Worker]) -> None:
    """End every process and whatever it started."""
    for worker in workers:
        worker.end(signal.SIGTERM)
    until = time.monotonic() + GRACE
    for worker in workers:
        worker.process.join(max(0.0, until - time.monotonic()))
        worker.end(signal.SIGKILL)


def report(outcomes: list[Outcome], began: float) -> bool:
    """Print what failed with its tracebacks, what was printed, and the sums; whether all passed."""
    for outcome in outcomes:
        for text in outcome.failures:
            print(f"{'=' * 70}\nFAILED {text}")
        if outcome.printed.strip():
            print(f"{'-' * 70}\nprinted by {outcome.test}:\n{outcome.printed.rstrip()[-2000:]}")
    failed, skipped = sum(bool(o.failures) for o in outcomes), sum(o.skipped for o in outcomes)
    slowest = sorted(outcomes, key=lambda o: -o.seconds)[:5]
    print("slowest: " + ", ".join(f"{o.test.removeprefix('tests.')} {o.seconds:.1f} s" for o in slowest))
    print(f"{time.monotonic() - began:.0f} s, {sum(o.cpu for o in outcomes):.0f} s of the processor")
    print(f"{len(outcomes) - failed - skipped} passed, {failed} failed" + (f", {skipped} skipped" if skipped else ""))
    return not failed


def main() -> int:
    """Run what was asked for; 0 where all passed, 1 where any failed, 130 after Ctrl-C."""
    parser = argparse.ArgumentParser(prog="python -m tests", description=(__doc__ or "").split("\n")[0])
    parser.add_argument("patterns", nargs="*", metavar="NAME", help="only tests with one of these in their name")
    parser.add_argument("--jobs", type=int, default=0, help="processes; by default two more than there are cores")
    parser.add_argument("--fail-fast", action="store_true", help="begin no further test once one has failed")
    parser.add_argument("--proof", action="store_true", help="every house, every draw, every number")
    parser.add_argument("--times", action="store_true", help=f"write {SLOWEST.name} anew")
    options = parser.parse_args()
    began = time.monotonic()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, signal.default_int_handler)
    if options.proof and not shared.PROOF:  # the sizes are read when the tests are imported
        os.environ["GLOSSA_PROOF"] = "1"
        os.execv(sys.executable, [sys.executable, "-m", "tests", *sys.argv[1:]])
    tests = chosen(options.patterns)
    if not tests:
        parser.error(f"no test has {' or '.join(options.patterns)} in its name")
    jobs = options.jobs or (os.cpu_count() or 1) + WAITING
    folder = tempfile.mkdtemp(prefix="glossa-tests-")  # all that tests leave behind, also where they are ended
    os.environ["TMPDIR"] = tempfile.tempdir = folder
    os.environ.pop("PYTHONDONTWRITEBYTECODE", None)  # a process that a test starts need not compile everything again
    try:
        outcomes = run_all(tests, jobs, options.fail_fast)
    except KeyboardInterrupt:
        print("\nstopped")
        return 130
    finally:
        shutil.rmtree(folder, ignore_errors=True)
    if options.times:
        slow = sorted((o for o in outcomes if o.seconds > SLOW), key=lambda o: -o.seconds)
        SLOWEST.write_text("".join(f"{o.test}\n" for o in slow), encoding="utf-8")
    return 0 if report(outcomes, began) else 1


if __name__ == "__main__":
    sys.exit(main())
