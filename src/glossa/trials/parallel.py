"""The same table on several workers, with the same results to the last digit."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from glossa.house.model import House
from glossa.matching import Matcher
from glossa.trials.run import REMEMBERED, Result, run_table
from glossa.trials.table import Row

CHUNK = 200
_matchers: dict[int, tuple[House, Matcher]] = {}


def run_table_parallel(
    house: House, rows: Iterable[Row], jobs: int = 1, progress: Callable[[int], None] | None = None
) -> list[Result]:
    """Run the rows of a table on several workers.

    It goes through joblib, so that any backend of joblib's that is set with ``joblib.parallel_config`` takes the work, a
    Dask cluster among them.

    Args:
        house: the house to test.
        rows: from :func:`read_table`; rows of one session stay together.
        jobs: workers; 1 runs here, -1 takes every core.
        progress: called with the number of rows done.

    Returns:
        One result for each row, in their order, whatever the number of workers.
    """
    ordered = list(rows)
    if jobs == 1:
        return run_table(house, ordered, progress=progress)
    chunks = list(_chunks(ordered))
    found: list[Result | None] = [None] * len(ordered)
    done = 0
    for chunk, results in zip(chunks, over(_run, [(house, [ordered[n] for n in c]) for c in chunks], jobs), strict=True):
        for number, result in zip(chunk, results, strict=True):
            found[number] = result
        done += len(chunk)
        if progress is not None:
            progress(done)
    return [r for r in found if r is not None]


def over(work: Callable[..., Any], calls: Sequence[tuple[Any, ...]], jobs: int) -> list[Any]:
    """The results of calls, in order, on so many workers."""
    if jobs == 1 or len(calls) < 2:
        return [work(*call) for call in calls]
    from joblib import Parallel, delayed

    return list(Parallel(n_jobs=jobs)(delayed(work)(*call) for call in calls))


def _chunks(rows: Sequence[Row]) -> Iterator[list[int]]:
    """Row numbers in chunks; a session is never split."""
    sessions: dict[tuple[str, str], list[int]] = {}
    chunk: list[int] = []
    for number, row in enumerate(rows):
        if row.session:
            sessions.setdefault((row.table, row.session), []).append(number)
            continue
        chunk.append(number)
        if len(chunk) >= CHUNK:
            yield chunk
            chunk = []
    for numbers in sessions.values():
        chunk += numbers
        if len(chunk) >= CHUNK:
            yield chunk
            chunk = []
    if chunk:
        yield chunk


def _run(house: House, rows: Sequence[Row]) -> list[Result]:
    """One chunk on a worker, which compiles the house once and keeps what it has learnt."""
    key = hash(house.name)
    known = _matchers.get(key)
    if known is None or known[0] != house:
        known = _matchers[key] = (house, Matcher(house, REMEMBERED))
    return run_table(house, rows, known[1])
