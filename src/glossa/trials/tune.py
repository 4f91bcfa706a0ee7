"""Finding the limits of a household, and fitting the evidence to its own rows, by what its mistakes cost.

Settings are chosen on part of the rows and judged on the others, by k-fold cross-validation over whole utterances. The limits are searched on
a grid; the weights of the evidence are fitted only where there are enough rows, around those that ship with the package.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House, Matching, Prices
from glossa.house.text import many, words
from glossa.matching import Matcher, Outcome
from glossa.matching.decide import decide
from glossa.matching.evidence import confidence, fitted_weights
from glossa.matching.matcher import Meant
from glossa.trials.fit import Example, best_language, fit, is_meant, settled
from glossa.trials.parallel import over
from glossa.trials.table import Row

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

ACCEPTS = (0.5, 0.6, 0.7, 0.75, 0.8, 0.85, 0.88, 0.9, 0.92, 0.94, 0.95, 0.96, 0.97, 0.98, 0.99)
CONFIRMS = (0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7)
LEADS = (0.0, 0.25, 0.5, 0.75, 1.0)
"""The limits that are tried."""

FOLDS = 5
FEW_ROWS = 60
ENOUGH_ROWS = 150
"""Rows from which the weights of the evidence are fitted too."""

OWN_PRIOR = 20.0
"""How much the weights that ship with the package count in a household's own fit."""

Z95 = 1.959963984540054


class Judged(Struct, frozen=True):
    """Mean price a row on held-out rows with its 95 % interval, and the counts behind it."""

    price: float
    low: float
    high: float
    wrong: int
    talk: int
    missed: int
    asked: int
    rows: int


class Tuned(Struct, frozen=True):
    """What tuning found.

    Attributes:
        settings: the limits to use, found on all rows.
        evidence: weights of the evidence to use, by term; empty where those of today are to stay.
        before, after: today's settings and the tuned ones, both judged on held-out rows.
        better: whether the tuned ones are better on held-out rows, by more than chance would do.
        warnings: where there are too few rows for a claim.
        intents: intents that want an ``accept`` of their own, with it.
        curve: (accept, price a row) over all limits with the rest as chosen.
        trade_before, trade_after: (rate of actions on talk, rate of missed requests) over all limits.
    """

    settings: Matching
    evidence: Mapping[str, float]
    before: Judged
    after: Judged
    better: bool
    warnings: tuple[str, ...]
    intents: Mapping[str, float]
    curve: tuple[tuple[float, float], ...]
    trade_before: tuple[tuple[float, float], ...]
    trade_after: tuple[tuple[float, float], ...]


class Case(Struct, frozen=True):
    """A row with everything about its best reading that limits and weights decide on.

    Attributes:
        row: the row.
        best: its best meaning, None where nothing came near.
        amounts: of the terms of the evidence.
        lead: in words.
        right: whether the reading is what the row wants.
        fixed: the outcome where neither limits nor weights count, ``""`` where they do.
    """

    row: Row
    best: Meant | None = None
    amounts: Mapping[str, float] = {}
    lead: float = 0.0
    right: bool = False
    fixed: str = ""


def cases_of(house: House, rows: Sequence[Row]) -> list[Case]:
    """The rows of a house, understood."""
    matcher = Matcher(house)
    cases = []
    for row in rows:
        match = matcher.match(row.utterance, row.language, row.mode)
        understood = best_language(matcher, row) if match.readings else None
        if understood is None or match.outcome == Outcome.CANCEL:
            cases.append(Case(row, fixed=str(match.outcome)))
            continue
        best = understood.meanings[0]
        cases.append(Case(row, best, understood.amounts(), understood.lead, is_meant(house, row, best)))
    return cases


def outcome_at(house: House, case: Case, limits: Matching, sure: float) -> str:
    """The outcome that a case would have with some limits, given its confidence."""
    if case.best is None:
        return case.fixed
    best = case.best
    intent = house.intents[best.reading.intent]
    own = replace(intent, matching=limits if intent.matching == house.matching else intent.matching)
    reading = replace(best.reading, confidence=sure)
    return str(decide(house, own, reading, best.stops, case.lead, live=best.live)[0])


def cost(case: Case, outcome: str, prices: Prices) -> float:
    """What an outcome costs on a row."""
    wanted = case.row.outcomes
    if outcome == "accept":
        if "accept" in wanted or not wanted:
            return 0.0 if case.right else prices.wrong
        return prices.talk
    if wanted == ("accept",):
        if outcome in ("confirm", "ask"):
            return prices.ask if case.right else prices.ask + prices.missed
        return prices.missed
    return prices.ask if outcome == "confirm" and "confirm" not in wanted and wanted else 0.0


class _Priced(Struct, frozen=True):
    """Cases with their confidences and their prices at every point of the grid: (cases, accepts, confirms, leads)."""

    sure: tuple[float, ...]
    table: Any


def _priced(house: House, cases: Sequence[Case], weights: Mapping[str, float], prices: Prices) -> _Priced:
    import numpy as np

    table = np.zeros((len(cases), len(ACCEPTS), len(CONFIRMS), len(LEADS)))
    sure = tuple(confidence(case.amounts, weights) for case in cases)
    for number, case in enumerate(cases):
        known: dict[tuple[bool, bool, bool], float] = {}
        for a, accept in enumerate(ACCEPTS):
            for c, confirm in enumerate(CONFIRMS):
                for m, lead in enumerate(LEADS):
                    key = (sure[number] >= accept, sure[number] >= min(confirm, accept), case.lead >= lead)
                    if key not in known:
                        limits = replace(house.matching, accept=accept, confirm=min(confirm, accept), lead=lead)
                        known[key] = cost(case, outcome_at(house, case, limits, sure[number]), prices)
                    table[number, a, c, m] = known[key]
    return _Priced(sure, table)


def _best_point(house: House, table: NDArray[np.float64]) -> tuple[int, int, int]:
    """The grid point of the lowest mean price; among equals the one nearest to today's limits."""
    import numpy as np

    today = house.matching
    away = (
        np.abs(np.array(ACCEPTS) - today.accept)[:, None, None]
        + np.abs(np.array(CONFIRMS) - today.confirm)[None, :, None]
        + np.abs(np.array(LEADS) - today.lead)[None, None, :]
    )
    means = table.mean(axis=0) + 1e-6 * away
    a, c, m = np.unravel_index(int(means.argmin()), means.shape)
    return int(a), int(c), int(m)


def _limits(house: House, point: tuple[int, int, int]) -> Matching:
    accept = ACCEPTS[point[0]]
    return replace(house.matching, accept=accept, confirm=min(CONFIRMS[point[1]], accept), lead=LEADS[point[2]])


def folds(rows: Sequence[Row], count: int = FOLDS) -> list[int]:
    """The fold of every row; rows of the same wording stay in one fold."""
    order: dict[tuple[str, ...], int] = {}
    for row in rows:
        order.setdefault(words(row.utterance), len(order))
    return [order[words(row.utterance)] % count for row in rows]


def _own_weights(house: House, cases: Sequence[Case]) -> dict[str, float]:
    """The weights fitted to some cases, around today's."""
    examples = []
    for case in cases:
        if case.best is None or not case.row.outcomes:
            continue
        wanted = "reject" not in case.row.outcomes
        if case.best.refused if wanted else settled(house, case.best):
            continue
        examples.append(Example(house.name, case.amounts, wanted and case.right))
    return fit(examples, {**fitted_weights(), **house.evidence}, OWN_PRIOR)


def _chosen(
    house: House, cases: Sequence[Case], prices: Prices, *, evidence: bool
) -> tuple[dict[str, float], tuple[int, int, int], _Priced]:
    """The weights and the grid point that make mistakes cost least on some cases."""
    weights = _own_weights(house, cases) if evidence else {**fitted_weights(), **house.evidence}
    priced = _priced(house, cases, weights, prices)
    return weights, _best_point(house, priced.table), priced


def tune(
    house: House,
    rows: Sequence[Row],
    talk: Sequence[str] = (),
    prices: Prices | None = None,
    *,
    jobs: int = 1,
    progress: Callable[[int, int], None] | None = None,
) -> Tuned:
    """Find the limits, and with enough rows the weights of the evidence, that make mistakes cost least.

    Args:
        house: the house.
        rows: rows of test tables; those of sessions and those that can't be run are left out.
        talk: lines of household talk, each a row that must be rejected.
        prices: what each mistake costs; the house's own by default.
        jobs: workers; the result is the same.
        progress: called with the number of folds done and of all.

    Raises:
        ValueError: where there is no row to learn from.
    """
    import numpy as np

    price = prices or house.prices
    kept = [r for r in rows if not r.session and not r.problem]
    kept += [Row(line, ("reject",), table="talk", note="talk") for line in talk if line.strip()]
    if not kept:
        raise ValueError("there is no row to learn from; rows of sessions are left out")
    size = max(1, math.ceil(len(kept) / max(1, jobs if jobs > 0 else 8)))
    cases = [c for part in over(cases_of, [(house, kept[i : i + size]) for i in range(0, len(kept), size)], jobs) for c in part]
    evidence = len(kept) >= ENOUGH_ROWS
    today_weights = {**fitted_weights(), **house.evidence}
    today = [(c, outcome_at(house, c, house.matching, confidence(c.amounts, today_weights))) for c in cases]
    today_priced = [cost(c, o, price) for c, o in today]
    fold = folds(kept)
    held, held_outcomes = list(today_priced), [o for _, o in today]
    for number in range(FOLDS):
        inside = [c for c, f in zip(cases, fold, strict=True) if f != number]
        outside = [i for i, f in enumerate(fold) if f == number]
        if inside and outside:
            weights, point, _ = _chosen(house, inside, price, evidence=evidence)
            for index in outside:
                sure = confidence(cases[index].amounts, weights)
                held_outcomes[index] = outcome_at(house, cases[index], _limits(house, point), sure)
                held[index] = cost(cases[index], held_outcomes[index], price)
        if progress is not None:
            progress(number + 1, FOLDS)
    weights, point, priced = _chosen(house, cases, price, evidence=evidence)
    gains = np.array(today_priced) - np.array(held)
    error = float(gains.std(ddof=1) / math.sqrt(len(gains))) if len(gains) > 1 else 0.0
    better = float(gains.mean()) > max(1e-9, Z95 * error)
    settings = _limits(house, point) if better else house.matching  # what is no better on rows that were held out is not proposed
    means = priced.table.mean(axis=0)
    sure_today = [confidence(c.amounts, today_weights) for c in cases]
    return Tuned(
        settings=settings,
        evidence=weights if better and evidence else {},
        before=_judge(today_priced, cases, [o for _, o in today]),
        after=_judge(held, cases, held_outcomes),
        better=better,
        warnings=_warnings(kept, better, float(gains.mean())),
        intents=_risky(house, cases, priced.sure, settings, price) if better else {},
        curve=tuple((a, float(means[i, point[1], point[2]])) for i, a in enumerate(ACCEPTS)),
        trade_before=_trade(house, cases, sure_today),
        trade_after=_trade(house, cases, priced.sure),
    )


def _judge(priced: Sequence[float], cases: Sequence[Case], outcomes: Sequence[str]) -> Judged:
    count = len(priced)
    mean = math.fsum(priced) / count
    spread = math.sqrt(math.fsum((p - mean) ** 2 for p in priced) / max(1, count - 1) / count)
    pairs = list(zip(cases, outcomes, strict=True))
    must = [o for c, o in pairs if c.row.outcomes == ("accept",)]
    return Judged(
        price=mean,
        low=max(0.0, mean - Z95 * spread),
        high=mean + Z95 * spread,
        wrong=sum(o == "accept" and not c.right and "accept" in c.row.outcomes for c, o in pairs),
        talk=sum(o == "accept" and "accept" not in c.row.outcomes and bool(c.row.outcomes) for c, o in pairs),
        missed=must.count("reject"),
        asked=sum(o in ("confirm", "ask") for o in must),
        rows=count,
    )


def _trade(house: House, cases: Sequence[Case], sure: Sequence[float]) -> tuple[tuple[float, float], ...]:
    """(rate of actions on talk, rate of missed requests) over all limits, without questions."""
    pairs = list(zip(cases, sure, strict=True))
    must = [p for p in pairs if p[0].row.outcomes == ("accept",)]
    ignore = [p for p in pairs if "accept" not in p[0].row.outcomes]
    points = []
    for accept in (n / 50 for n in range(51)):
        limits = replace(house.matching, accept=accept, confirm=accept, lead=0.0)
        missed = sum(outcome_at(house, c, limits, s) != "accept" for c, s in must)
        acted = sum(outcome_at(house, c, limits, s) == "accept" for c, s in ignore)
        points.append((acted / max(1, len(ignore)), missed / max(1, len(must))))
    return tuple(points)


def _warnings(rows: Sequence[Row], better: bool, gain: float) -> tuple[str, ...]:
    warnings = []
    must, ignore = sum(r.outcomes == ("accept",) for r in rows), sum("accept" not in r.outcomes for r in rows)
    if len(rows) < FEW_ROWS:
        warnings.append(f"{many(len(rows), 'row')} {'is' if len(rows) == 1 else 'are'} few for a claim; 200 or more are better")
    if len(rows) < ENOUGH_ROWS:
        warnings.append(
            f"the weights of the evidence are fitted from {ENOUGH_ROWS} rows on; with {len(rows)} only the limits are"
        )
    if ignore < max(20, must // 4):
        warnings.append(f"only {ignore} rows must be left alone; give a file of talk with --talk")
    if not better:
        warnings.append(
            "on held-out rows the gain is no larger than chance" if gain > 0 else "on held-out rows nothing is gained"
        )
    return tuple(warnings)


def _risky(house: House, cases: Sequence[Case], sure: Sequence[float], settings: Matching, prices: Prices) -> dict[str, float]:
    """Intents whose own rows are cheaper with a stricter ``accept``: those with wrong actions at the common one."""
    risky = {}
    for intent in house.intents:
        mine = [(c, s) for c, s in zip(cases, sure, strict=True) if c.best is not None and c.best.reading.intent == intent]
        if len(mine) < 5:
            continue

        def price(accept: float, mine: list[tuple[Case, float]] = mine) -> float:
            limits = replace(settings, accept=accept, confirm=min(settings.confirm, accept))
            return sum(cost(c, outcome_at(house, c, limits, s), prices) for c, s in mine)

        base = price(settings.accept)
        best = min((a for a in ACCEPTS if a >= settings.accept), key=lambda a: (round(price(a), 9), a), default=settings.accept)
        if base - price(best) >= prices.talk:
            risky[intent] = best
    return risky
