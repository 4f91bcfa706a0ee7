"""Measures of a table run by their standard names, each with its counts and a 95 % interval."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from msgspec import Struct

from glossa.house.model import House
from glossa.trials.run import Result, commands_of, same_value, shown

if TYPE_CHECKING:
    import pandas as pd
    from numpy.typing import NDArray

Z95 = 1.959963984540054
NONE = "(none)"


class Measure(Struct, frozen=True):
    """A share with its counts.

    Attributes:
        name: the standard name.
        count: how many.
        total: of how many.
        low, high: the 95 % interval of the share, 0 to 1: Wilson's, and for slot F1, which is no share of trials, by bootstrap.
        good: whether more of it is better.
    """

    name: str
    count: float
    total: float
    low: float
    high: float
    good: bool

    @property
    def share(self) -> float:
        """The share, 0 to 1; 0 where there is nothing to count."""
        return self.count / self.total if self.total else 0.0


def wilson(count: float, total: float) -> tuple[float, float]:
    """The 95 % interval of a share (E. B. Wilson, 1927); (0, 1) where there is nothing to count.

    >>> [round(x, 3) for x in wilson(9, 10)]
    [0.596, 0.982]
    """
    if not total:
        return 0.0, 1.0
    share = count / total
    middle = share + Z95**2 / (2 * total)
    spread = Z95 * math.sqrt(share * (1 - share) / total + Z95**2 / (4 * total**2))
    below = 1 + Z95**2 / total
    return max(0.0, min(share, (middle - spread) / below)), min(1.0, max(share, (middle + spread) / below))


def kind(result: Result) -> str:
    """What became of a row: ``right``, ``wrong action``, ``false accept``, ``asked``, ``missed``, ``left alone`` or ``other``."""
    event, row = result.event, result.row
    if event is None:
        return "other"
    acted = event.outcome == "accept"
    if row.outcomes == ("accept",):
        if acted:
            return "right" if result.right else "wrong action"
        return "asked" if event.outcome in ("confirm", "ask") else "missed"
    if row.outcomes and "accept" not in row.outcomes:
        return "false accept" if acted else "left alone"
    if acted and not result.right:
        return "wrong action"
    return "right" if result.right else "other"


def measures(house: House, results: Sequence[Result]) -> list[Measure]:
    """The measures of a table run.

    Args:
        house: the house that was tested.
        results: from :func:`run_table`.

    Returns:
        Frame accuracy (intent and all slots right and carried out), intent accuracy, slot F1 (harmonic mean of precision and recall
        over the slots that rows name), false accept rate (acted on what had to be left alone), missed request rate, asked rate (of
        what had to be carried out), wrong-action rate (carried out, but another thing, of all rows), rows right.
    """
    import numpy as np

    kinds = [kind(r) for r in results]
    must = [k for r, k in zip(results, kinds, strict=True) if r.row.outcomes == ("accept",)]
    ignore = [k for r, k in zip(results, kinds, strict=True) if r.row.outcomes and "accept" not in r.row.outcomes]
    named = [r for r in results if r.row.intent and r.event is not None]
    slots = np.array([_slots(house, r) for r in results], dtype=float).reshape(-1, 2)
    hits, named_slots = (int(n) for n in slots.sum(axis=0))
    counts = (
        ("frame accuracy", must.count("right"), len(must), True),
        ("intent accuracy", sum(r.event is not None and r.event.intent == r.row.intent for r in named), len(named), True),
        ("slot F1", 2 * hits, named_slots, True),
        ("false accept rate", ignore.count("false accept"), len(ignore), False),
        ("missed request rate", must.count("missed"), len(must), False),
        ("asked rate", must.count("asked"), len(must), False),
        ("wrong-action rate", kinds.count("wrong action"), len(results), False),
        ("rows right", sum(r.right for r in results), len(results), True),
    )
    return [
        Measure(
            name, count, total, *(wilson(count, total) if name != "slot F1" else bootstrap(2 * slots[:, 0], slots[:, 1])), good
        )
        for name, count, total, good in counts
    ]


def _slots(house: House, result: Result) -> tuple[int, int]:
    """The slots of a row that were right, and those that were wanted or found."""
    hit = named = 0
    for slots, event in commands_of(result.row, result.event) if result.event is not None else ():
        for slot, value in slots.items():
            got = event.slots.get(slot)
            named += 1 + (got is not None)
            hit += got is not None and same_value(house, slot, got, value)
    return hit, named


def bootstrap(counts: NDArray[Any], totals: NDArray[Any], rounds: int = 1000) -> tuple[float, float]:
    """The 95 % interval of a ratio of sums over rows, for what is no share of independent trials.

    The percentile bootstrap (B. Efron, 1979), with a fixed seed.

    Args:
        counts, totals: of each row, shape (n,); the ratio is the sum of one over the sum of the other.
        rounds: how many samples of rows are drawn.
    """
    if not totals.sum():
        return 0.0, 1.0
    import numpy as np

    chance = np.random.default_rng(1)
    ratios = []
    for _ in range(rounds):
        drawn = chance.integers(0, len(totals), len(totals))
        total = totals[drawn].sum()
        if total:
            ratios.append(counts[drawn].sum() / total)
    low, high = np.percentile(ratios, (2.5, 97.5))
    return float(low), float(high)


def by(results: Sequence[Result], key: str) -> Mapping[str, tuple[int, int]]:
    """(right, all) rows by ``note``, ``intent`` or ``device``, in the order of first appearance."""
    found: dict[str, tuple[int, int]] = {}
    for result in results:
        row = result.row
        names = [row.note] if key == "note" else [row.intent] if key == "intent" else row.slots.get("device", "").split("+")
        for name in names:
            if name or key == "note":
                right, count = found.get(name, (0, 0))
                found[name] = right + result.right, count + 1
    return found


def confusion(results: Sequence[Result]) -> Mapping[tuple[str, str], int]:
    """How often an expected intent came out as another: (expected, got) -> rows. Rows that are rejected got none."""
    found: dict[tuple[str, str], int] = {}
    for result in results:
        if result.row.intent and result.event is not None:
            got = result.event.intent if result.event.outcome in ("accept", "confirm", "ask") else None
            pair = (result.row.intent, got or NONE)
            found[pair] = found.get(pair, 0) + 1
    return found


def frame(results: Sequence[Result]) -> pd.DataFrame:
    """The results as a pandas table, one line a row of the table."""
    import pandas as pd

    rows = []
    for result in results:
        row, event = result.row, result.event
        rows.append(
            {
                "table": row.table,
                "line": row.line,
                "session": row.session,
                "note": row.note,
                "utterance": row.utterance,
                "expected": "|".join(row.outcomes),
                "expected_intent": row.intent,
                "outcome": str(event.outcome) if event else "",
                "intent": (event.intent or "") if event else "",
                "slots": " ; ".join(" ".join(f"{k}={shown(v)}" for k, v in e.slots.items()) for e in event.parts or (event,))
                if event
                else "",
                "score": event.score if event else float("nan"),
                "confidence": event.confidence if event else float("nan"),
                "lead": event.lead if event else float("nan"),
                "reason": event.reason if event else "",
                "right": result.right,
                "kind": kind(result),
                "wrong": "; ".join(result.wrong),
            }
        )
    return pd.DataFrame(rows)
