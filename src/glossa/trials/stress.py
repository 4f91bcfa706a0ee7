"""Tables through a poor recogniser: what is left right at some word error rates, and which words cost most when they are misheard."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House
from glossa.house.recogniser import USUAL, Recogniser
from glossa.trials.measures import kind
from glossa.trials.noise import noises
from glossa.trials.parallel import run_table_parallel
from glossa.trials.run import Result
from glossa.trials.table import Row

ERRORS = (0.0, 0.05, 0.1, 0.2, 0.3)
MOST_COSTLY = 10


class Stress(Struct, frozen=True):
    """How a house holds up at one word error rate: counts over all rows."""

    rate: float
    rows: int
    frame_right: int
    must: int
    wrong: int
    asked: int
    missed: int


class StressResult(Struct, frozen=True):
    """A stress run: one line for each word error rate, and the words whose errors cost most, as (word, lost rows, struck rows)."""

    lines: tuple[Stress, ...]
    costly: tuple[tuple[str, int, int], ...]


def stress(
    house: House,
    rows: Sequence[Row],
    errors: Sequence[float] = ERRORS,
    seed: int = 1,
    jobs: int = 1,
    progress: Callable[[int], None] | None = None,
    recogniser: Recogniser = USUAL,
) -> StressResult:
    """Run a table through a poor recogniser.

    Args:
        house: the house to test.
        rows: the rows of a table; those of a session are tested like the others, as one conversation.
        errors: word error rates, 0 to 1.
        seed: the same seed makes the same errors.
        jobs: workers; the results are the same.
        progress: called with the number of rows done.
        recogniser: how it mishears.
    """
    makers = noises(house, recogniser)
    lines = []
    cost: dict[str, list[int]] = {}
    clean: list[bool] = []
    for number, rate in enumerate(errors):
        dice = random.Random(f"{seed}/{rate}")
        heard, struck = [], []
        for row in rows:
            text, hit = makers[row.language or house.languages[0]].hear(row.utterance, rate, dice)
            heard.append(replace(row, utterance=text if hit else row.utterance))
            struck.append(hit)
        base = number * len(rows)
        results = run_table_parallel(house, heard, jobs, _from(base, progress))
        if not clean:
            clean = [r.right for r in results] if rate == 0 else [True] * len(results)
        lines.append(_line(rate, results))
        for result, hit, fine in zip(results, struck, clean, strict=True):
            for word in dict.fromkeys(hit):
                counts = cost.setdefault(word, [0, 0])
                counts[1] += 1
                counts[0] += fine and not result.right
    worst = sorted(((w, a, b) for w, (a, b) in cost.items() if a), key=lambda c: (-c[1], c[0]))
    return StressResult(tuple(lines), tuple(worst[:MOST_COSTLY]))


def _line(rate: float, results: Sequence[Result]) -> Stress:
    kinds = [kind(r) for r in results]
    must = [k for r, k in zip(results, kinds, strict=True) if r.row.outcomes == ("accept",)]
    return Stress(
        rate=rate,
        rows=len(results),
        frame_right=must.count("right"),
        must=len(must),
        wrong=kinds.count("wrong action") + kinds.count("false accept"),
        asked=must.count("asked"),
        missed=must.count("missed"),
    )


def _from(base: int, progress: Callable[[int], None] | None) -> Callable[[int], None] | None:
    """Progress that counts on from ``base``."""
    return None if progress is None else lambda done: progress(base + done)
