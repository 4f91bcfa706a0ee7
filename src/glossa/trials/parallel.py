"""The same table on several workers, with the same results to the last digit."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import takewhile
from typing import Any

from glossa.house.model import House
from glossa.matching import Matcher
from glossa.trials.run import REMEMBERED, Result, run_table
from glossa.trials.table import Row

CHUNK = 200
AHEAD = 3
"""Calls for each worker that are handed over before they are worked on, so that none of them has to wait."""
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
    for chunk, results in zip(chunks, each(_run, [(house, [ordered[n] for n in c]) for c in chunks], jobs), strict=True):
        for number, result in zip(chunk, results, strict=True):
            found[number] = result
        done += len(chunk)
        if progress is not None:
            progress(done)
    return [r for r in found if r is not None]


def over(work: Callable[..., Any], calls: Sequence[tuple[Any, ...]], jobs: int) -> list[Any]:
    """The results of calls, in order, on so many workers."""
    return list(each(work, calls, jobs))


def each(
    work: Callable[..., Any], calls: Sequence[tuple[Any, ...]], jobs: int, go_on: Callable[[], bool] = lambda: True
) -> Iterator[Any]:
    """The results of calls, in order, as they come from so many workers; no more of them once ``go_on`` says no."""
    if jobs == 1 or len(calls) < 2:
        yield from (work(*call) for call in calls if go_on())
        return
    from joblib import Parallel, delayed

    workers = Parallel(n_jobs=jobs, return_as="generator", batch_size=1, pre_dispatch=f"{AHEAD} * n_jobs")
    yield from workers(delayed(work)(*call) for call in takewhile(lambda _: go_on(), calls))


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
    """One chunk on a worker."""
    return run_table(house, rows, matcher_here(house))


def matcher_here(house: House) -> Matcher:
    """A worker's matcher of a house, which is compiled once and keeps what it has learnt."""
    key = hash(house.name)
    known = _matchers.get(key)
    if known is None or known[0] != house:
        known = _matchers[key] = (house, Matcher(house, REMEMBERED))
    return known[1]
