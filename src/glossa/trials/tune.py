"""Finding the thresholds, and the engine's own settings, from a household's own rows.

Every mistake has its price, set by the user.  Settings are chosen on part of the rows and judged on the others, by k-fold
cross-validation over whole utterances; thresholds are searched on a grid with SciPy.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House, Matching
from glossa.house.text import words
from glossa.matching import Match, Matcher, Outcome
from glossa.matching.decide import Guard, decide
from glossa.trials.parallel import over
from glossa.trials.run import same_value
from glossa.trials.table import Row

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

ACCEPTS = tuple(n / 100 for n in range(60, 99, 2))
CONFIRMS = tuple(n / 100 for n in range(40, 86, 5))
MARGINS = (0.0, 0.02, 0.05, 0.08, 0.12, 0.16)
ENGINE: Mapping[str, tuple[float, ...]] = {
    "sound": (0.7, 1.0, 1.4),
    "order": (0.5, 1.0, 2.0),
    "synonyms": (0.5, 1.0, 2.0),
    "filler": (1.0, 3.0),
}
"""The engine's own settings that are tried, each a factor on its built-in price."""

FOLDS = 5
FEW_ROWS = 60
Z95 = 1.959963984540054


class Prices(Struct, frozen=True):
    """What mistakes cost: a wrong action, an action on what was to be left alone, a request that was missed, a question."""

    wrong: float = 10.0
    false: float = 5.0
    miss: float = 1.0
    ask: float = 0.3


class Judged(Struct, frozen=True):
    """Mean price a row on held-out rows with its 95 % interval, and the counts behind it."""

    price: float
    low: float
    high: float
    wrong: int
    false: int
    missed: int
    asked: int
    rows: int


class Tuned(Struct, frozen=True):
    """What tuning found.

    Attributes:
        settings: the thresholds and engine settings to use, found on all rows.
        before, after: today's settings and the tuned ones, both judged on held-out rows.
        better: whether the tuned ones are better on held-out rows, by more than chance would do.
        warnings: where there are too few rows for a claim.
        intents: intents that want an ``accept`` of their own, with it.
        curve: (accept, price a row) over all thresholds with the rest as chosen.
        trade_before, trade_after: (false accept rate, missed request rate) over all thresholds.
    """

    settings: Matching
    before: Judged
    after: Judged
    better: bool
    warnings: tuple[str, ...]
    intents: Mapping[str, float]
    curve: tuple[tuple[float, float], ...]
    trade_before: tuple[tuple[float, float], ...]
    trade_after: tuple[tuple[float, float], ...]


class _Case(Struct, frozen=True):
    """A row and its match under one engine setting."""

    row: Row
    match: Match
    right: bool


def outcome_at(house: House, case: _Case, limits: Matching) -> str:
    """The outcome that a match would have with other thresholds."""
    match, best = case.match, case.match.best
    if best is None or match.outcome == Outcome.CANCEL:
        return str(match.outcome)
    intent = house.intents[best.intent]
    own = replace(intent, matching=limits if intent.matching == house.matching else intent.matching)
    fired = [Guard(name) for name in best.guards]
    return str(decide(house, own, best, fired, match.margin, live=match.reason != "mode")[0])


def cost(case: _Case, outcome: str, prices: Prices) -> float:
    """What an outcome costs on a row."""
    wanted = case.row.outcomes
    if outcome == "accept":
        if "accept" in wanted or not wanted:
            return 0.0 if case.right else prices.wrong
        return prices.false
    if wanted == ("accept",):
        if outcome in ("confirm", "ask"):
            return prices.ask if case.right else prices.ask + prices.miss
        return prices.miss
    return prices.ask if outcome == "confirm" and "confirm" not in wanted and wanted else 0.0


def _cases(house: House, rows: Sequence[Row], settings: Matching) -> list[_Case]:
    """Every row matched under engine settings."""
    matcher = Matcher(replace(house, matching=settings))
    found = []
    for row in rows:
        match = matcher.match(row.utterance, row.language, row.mode)
        best = match.best
        right = best is not None and (not row.intent or best.intent == row.intent)
        right = right and best is not None and all(same_value(house, k, best.slots.get(k), v) for k, v in row.slots.items())
        found.append(_Case(row, match, right))
    return found


def _price_table(house: House, cases: Sequence[_Case], prices: Prices) -> NDArray[np.float64]:
    """The price of every case at every point of the grid of thresholds: (cases, accepts, confirms, margins)."""
    import numpy as np

    table = np.zeros((len(cases), len(ACCEPTS), len(CONFIRMS), len(MARGINS)))
    for number, case in enumerate(cases):
        known: dict[tuple[bool, bool, bool, bool], float] = {}
        score, margin = case.match.score, case.match.margin
        for a, accept in enumerate(ACCEPTS):
            for c, confirm in enumerate(CONFIRMS):
                for m, least in enumerate(MARGINS):
                    key = (
                        score >= accept,
                        score >= min(confirm, accept),
                        margin >= least,
                        score >= (accept + min(confirm, accept)) / 2,
                    )
                    if key not in known:
                        limits = replace(house.matching, accept=accept, confirm=min(confirm, accept), margin=least)
                        known[key] = cost(case, outcome_at(house, case, limits), prices)
                    table[number, a, c, m] = known[key]
    return table


def _best_point(table: NDArray[np.float64]) -> tuple[int, int, int]:
    """The grid point of the lowest mean price; among equals the one in the middle of the strictest: fewer wrong actions on new rows."""
    from scipy.optimize import brute

    means = table.mean(axis=0)

    def price(point: NDArray[np.float64]) -> float:
        a, c, m = (int(x) for x in point)
        # A nudge of a millionth towards today's usual limits decides between equals.
        nudge = abs(ACCEPTS[a] - 0.8) + abs(CONFIRMS[c] - 0.6) + abs(MARGINS[m] - 0.08)
        return float(means[a, c, m]) + 1e-6 * nudge

    found = brute(price, tuple(slice(0, n, 1) for n in means.shape), finish=None)
    a, c, m = (int(x) for x in found)
    return a, c, m


def folds(rows: Sequence[Row], count: int = FOLDS) -> list[int]:
    """The fold of every row; rows of the same wording stay in one fold."""
    order: dict[tuple[str, ...], int] = {}
    for row in rows:
        order.setdefault(words(row.utterance), len(order))
    return [order[words(row.utterance)] % count for row in rows]


def _judge(priced: Sequence[float], cases: Sequence[_Case], outcomes: Sequence[str]) -> Judged:
    count = len(priced)
    mean = math.fsum(priced) / count
    spread = math.sqrt(math.fsum((p - mean) ** 2 for p in priced) / max(1, count - 1) / count)
    wrong = sum(o == "accept" and not c.right and "accept" in c.row.outcomes for c, o in zip(cases, outcomes, strict=True))
    false = sum(
        o == "accept" and "accept" not in c.row.outcomes and bool(c.row.outcomes) for c, o in zip(cases, outcomes, strict=True)
    )
    must = [(c, o) for c, o in zip(cases, outcomes, strict=True) if c.row.outcomes == ("accept",)]
    return Judged(
        price=mean,
        low=max(0.0, mean - Z95 * spread),
        high=mean + Z95 * spread,
        wrong=wrong,
        false=false,
        missed=sum(o == "reject" for _, o in must),
        asked=sum(o in ("confirm", "ask") for _, o in must),
        rows=count,
    )


def _trade(house: House, cases: Sequence[_Case]) -> tuple[tuple[float, float], ...]:
    """(false accept rate, missed request rate) over all thresholds, without questions."""
    must = [c for c in cases if c.row.outcomes == ("accept",)]
    ignore = [c for c in cases if c.row.outcomes and "accept" not in c.row.outcomes]
    found = []
    for accept in (n / 50 for n in range(51)):
        limits = replace(house.matching, accept=accept, confirm=accept, margin=0.0)
        missed = sum(outcome_at(house, c, limits) != "accept" for c in must)
        false = sum(outcome_at(house, c, limits) == "accept" for c in ignore)
        found.append((false / max(1, len(ignore)), missed / max(1, len(must))))
    return tuple(found)


def tune(
    house: House,
    rows: Sequence[Row],
    talk: Sequence[str] = (),
    prices: Prices | None = None,
    *,
    engine: bool = True,
    jobs: int = 1,
    progress: Callable[[int, int], None] | None = None,
) -> Tuned:
    """Find the settings that make mistakes cost least.

    Args:
        house: the house.
        rows: rows of test tables; those of sessions and those that can't be run are left out.
        talk: lines of household talk, each a row that must be rejected.
        prices: what each mistake costs.
        engine: whether the engine's own settings are tried too; each is a whole run of the table.
        jobs: workers; the result is the same.
        progress: called with the number of runs done and of all.

    Raises:
        ValueError: where there is no row to learn from.
    """
    import numpy as np

    price = prices or Prices()
    kept = [r for r in rows if not r.session and not r.problem]
    kept += [Row(line, ("reject",), table="talk", note="talk") for line in talk if line.strip()]
    if not kept:
        raise ValueError("there is no row to learn from; rows of sessions are left out")
    options = [house.matching]
    if engine:
        options += [replace(house.matching, **{k: v}) for k, vs in ENGINE.items() for v in vs if v != getattr(house.matching, k)]
    every: list[list[_Case]] = []
    size = max(1, jobs if jobs > 0 else 8)
    for start in range(0, len(options), size):
        every += over(_cases, [(house, kept, o) for o in options[start : start + size]], jobs)
        if progress is not None:
            progress(min(start + size, len(options)), len(options))
    tables = [_price_table(house, cases, price) for cases in every]
    fold = np.array(folds(kept))
    today = [(c, outcome_at(house, c, house.matching)) for c in every[0]]
    today_priced = [cost(c, o, price) for c, o in today]
    held: list[float] = [0.0] * len(kept)
    held_cases: list[_Case] = list(every[0])
    held_outcomes = [""] * len(kept)
    for number in range(FOLDS):
        inside, outside = fold != number, np.flatnonzero(fold == number)
        if not inside.any() or not outside.size:
            continue
        chosen, point = _choose([t[inside] for t in tables])
        limits = _limits(options[chosen], point)
        for index in outside:
            case = every[chosen][index]
            held_cases[index], held_outcomes[index] = case, outcome_at(house, case, limits)
            held[index] = cost(case, held_outcomes[index], price)
    chosen, point = _choose(tables)
    settings = _limits(options[chosen], point)
    before = _judge(today_priced, [c for c, _ in today], [o for _, o in today])
    after = _judge(held, held_cases, held_outcomes)
    gains = np.array(today_priced) - np.array(held)
    error = float(gains.std(ddof=1) / math.sqrt(len(gains))) if len(gains) > 1 else 0.0
    better = float(gains.mean()) > max(1e-9, Z95 * error)
    means = tables[chosen].mean(axis=0)
    if not better:  # what is no better on rows that were held out is not proposed
        settings, chosen = house.matching, 0
    return Tuned(
        settings=settings,
        before=before,
        after=after,
        better=better,
        warnings=_warnings(kept, better, float(gains.mean())),
        intents=_risky(house, every[chosen], settings, price) if better else {},
        curve=tuple((a, float(means[i, point[1], point[2]])) for i, a in enumerate(ACCEPTS)),
        trade_before=_trade(house, every[0]),
        trade_after=_trade(house, every[chosen]),
    )


def _choose(tables: Sequence[NDArray[Any]]) -> tuple[int, tuple[int, int, int]]:
    """The engine setting and the grid point of the lowest price; today's engine unless another is really cheaper."""
    points = [_best_point(t) for t in tables]
    prices = [float(t[:, p[0], p[1], p[2]].mean()) for t, p in zip(tables, points, strict=True)]
    best = min(range(len(tables)), key=lambda i: (round(prices[i], 9), i))
    return best, points[best]


def _limits(engine: Matching, point: tuple[int, int, int]) -> Matching:
    accept = ACCEPTS[point[0]]
    return replace(engine, accept=accept, confirm=min(CONFIRMS[point[1]], accept), margin=MARGINS[point[2]])


def _warnings(rows: Sequence[Row], better: bool, gain: float) -> tuple[str, ...]:
    found = []
    must, ignore = sum(r.outcomes == ("accept",) for r in rows), sum("accept" not in r.outcomes for r in rows)
    if len(rows) < FEW_ROWS:
        found.append(f"{len(rows)} rows are few for a claim; 200 or more are better")
    if ignore < max(20, must // 4):
        found.append(f"only {ignore} rows must be left alone; give a file of talk with --talk")
    if not better:
        found.append("on held-out rows the gain is no larger than chance" if gain > 0 else "on held-out rows nothing is gained")
    return tuple(found)


def _risky(house: House, cases: Sequence[_Case], settings: Matching, prices: Prices) -> dict[str, float]:
    """Intents whose own rows are cheaper with a stricter ``accept``: those with wrong or false actions at the common one."""
    found = {}
    for intent in house.intents:
        mine = [c for c in cases if c.match.best is not None and c.match.best.intent == intent]
        if len(mine) < 5:
            continue

        def price(accept: float, mine: list[_Case] = mine) -> float:
            limits = replace(settings, accept=accept, confirm=min(settings.confirm, accept))
            return sum(cost(c, outcome_at(house, c, limits), prices) for c in mine)

        base = price(settings.accept)
        best = min((a for a in ACCEPTS if a >= settings.accept), key=lambda a: (round(price(a), 9), a), default=settings.accept)
        if base - price(best) >= prices.false:
            found[intent] = best
    return found
