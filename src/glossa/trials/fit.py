"""Fitting the evidence: the weights of its terms from rows of tables, by maximum likelihood.

A logistic regression (D. R. Cox, 1958) of "this is what was meant" on the amounts of the terms, with a normal prior around what each term is
thought to weigh (ridge, A. E. Hoerl and R. W. Kennard, 1970) and with the terms' signs held, by L-BFGS-B (R. H. Byrd and others, 1995).
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House
from glossa.matching.decide import out_of_range
from glossa.matching.evidence import TERM_NAMES, TERMS, confidence, log_odds
from glossa.matching.matcher import Matcher, Meant, Understood
from glossa.trials.run import same_value
from glossa.trials.table import Row

PRIOR_ROWS = 1.0
"""How much the prior counts: the inverse variance of a weight around what it is thought to be."""

PLAIN = 0.15
"""A row that costs less than this, in words, and means something else than it should is another command word for word: it was misheard beyond
help, or the table is wrong, and it teaches nothing."""

HOPELESS = 0.03
"""A row that was meant, and to which a first fit gives less than this, is left out of the second: the evidence can't tell it from what was not
meant for the house, and a few such rows would make the house ask back about everything that is like them."""

FOLDS = 12
"""Groups of houses that are left out, one after the other, for the calibration."""

DIGITS = 3
"""Decimals of a fitted weight."""


class Example(Struct, frozen=True):
    """What the fit learns from: the evidence for the best reading of a row, and whether it was what was meant.

    Attributes:
        house: the name of the house, so that houses can be left out.
        amounts: of the terms.
        meant: whether the reading was meant.
        weight: how much the row counts.
        made: whether the row was made of another one, so that the confidence is not calibrated on it.
    """

    house: str
    amounts: Mapping[str, float]
    meant: bool
    weight: float = 1.0
    made: bool = False


def example(matcher: Matcher, row: Row, weight: float = 1.0, about: Sequence[str] = (), *, made: bool = False) -> Example | None:
    """What a row teaches; None where it has no reading, where a stop decides, and for rows of conversations.

    Args:
        matcher: of the house.
        row: the row.
        weight: how much it counts.
        about: devices that were spoken of before.
        made: whether it was made of another row.
    """
    if row.session or row.problem or not row.outcomes or row.parts:
        return None
    understood = best_language(matcher, row, about)
    if understood is None:
        return None
    best = understood.meanings[0]
    wanted = bool({"accept", "confirm", "ask"} & set(row.outcomes))
    if not wanted and (row.outcomes != ("reject",) or settled(matcher.house, best)):
        return None
    if wanted and (best.refused or not (row.intent or row.slots)):
        return None
    meant = wanted and is_meant(matcher.house, row, best)
    if wanted and not meant and best.reading.cost < PLAIN:
        return None
    return Example(matcher.house.name, understood.amounts(), meant, weight, made)


def pointing_back(matcher: Matcher, row: Row, pronoun: str) -> tuple[Row, tuple[str, ...]] | None:
    """A row with a pronoun, or nothing, for the device that it names, and the device; None where it names none, or not just one."""
    understood = (
        best_language(matcher, row)
        if row.outcomes == ("accept",) and row.slots.get("device") and not row.session and not row.parts
        else None
    )
    device = understood.meanings[0].alignment.candidate("device") if understood is not None else None
    if understood is None or device is None or not is_meant(matcher.house, row, understood.meanings[0]):
        return None
    words = [w for i, w in enumerate(understood.utterance.words) if not device.tokens >> i & 1 or i == device.start]
    at = device.start - sum(1 for i in range(device.start) if device.tokens >> i & 1)
    words[at : at + 1] = pronoun.split()
    told = understood.meanings[0].reading.slots["device"]
    assert isinstance(told, tuple)
    return replace(row, utterance=" ".join(words)), told


def best_language(matcher: Matcher, row: Row, about: Sequence[str] = ()) -> Understood | None:
    """A row in the language in which it fits best; None where it has no reading."""
    tags = (row.language,) if row.language else matcher.house.languages
    every = [matcher.understand(row.utterance, tag, row.mode, about) for tag in tags]
    readable = [u for u in every if u.meanings]
    return max(readable, key=lambda u: u.meanings[0].reading.score) if readable else None


def settled(house: House, best: Meant) -> bool:
    """Whether something else than the evidence keeps a reading from being carried out."""
    intent = house.intents[best.reading.intent]
    return best.refused or not best.live or bool(out_of_range(house, intent, best.reading))


def is_meant(house: House, row: Row, best: Meant) -> bool:
    """Whether a reading has the intent and the slots of a row."""
    if row.intent and best.reading.intent != row.intent:
        return False
    return all(same_value(house, slot, best.reading.slots.get(slot), value) for slot, value in row.slots.items())


def fit(
    examples: Sequence[Example],
    start: Mapping[str, float] | None = None,
    prior_rows: float = PRIOR_ROWS,
    near: Mapping[str, float] | None = None,
) -> dict[str, float]:
    """The weights of the terms that make the examples likeliest.

    Args:
        examples: from :func:`example`.
        start: the weights that the prior stands around; what each term is thought to weigh by default.
        prior_rows: how much the prior counts, 0 for nothing.
        near: weights to search from, which the result does not depend on but for the time that it takes.

    Returns:
        Weights in log-odds, by term, in the order of the table of terms.
    """
    import numpy as np
    from scipy.optimize import minimize

    column = {name: i for i, name in enumerate(TERM_NAMES)}
    amounts = np.zeros((len(examples), len(TERMS)))
    for number, one in enumerate(examples):
        for term, amount in one.amounts.items():
            amounts[number, column[term]] = amount
    sign = np.array([1.0 if e.meant else -1.0 for e in examples])
    counts = np.array([e.weight for e in examples])
    prior = np.array([t.prior if start is None else start.get(t.name, t.prior) for t in TERMS])

    def loss(weights: np.ndarray) -> tuple[float, np.ndarray]:
        margin = sign * (amounts @ weights)
        likelihood = counts @ np.logaddexp(0.0, -margin)
        slope = -(counts * sign / (1.0 + np.exp(np.clip(margin, -60, 60)))) @ amounts
        off = weights - prior
        return float(likelihood + prior_rows / 2 * off @ off), slope + prior_rows * off

    bounds = [(None, 0.0) if t.sign < 0 else (0.0, None) if t.sign > 0 else (None, None) for t in TERMS]
    first = np.array([near.get(t.name, t.prior) for t in TERMS]) if near is not None else prior
    best = minimize(loss, first, jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": 2000})
    return {name: round(float(w), DIGITS) + 0.0 for name, w in zip(TERM_NAMES, best.x, strict=True)}


def fit_calibrated(examples: Sequence[Example], start: Mapping[str, float] | None = None) -> dict[str, float]:
    """The weights of the terms, stretched so that the confidence is right on houses that were left out.

    The prior keeps weights small, and a fit flatters its own rows; so the log-odds that houses get from a fit to all the others are laid
    over what was meant by a line (J. Platt, "Probabilistic Outputs for Support Vector Machines", 1999), which all weights are scaled with.
    Rows that are hopeless teach nothing (trimmed likelihoods: N. Neykov and P. Neytchev, 1990).
    """
    houses = sorted({e.house for e in examples})
    weights = fit(examples, start)
    examples = [e for e in examples if not e.meant or confidence(e.amounts, weights) >= HOPELESS]
    weights = fit(examples, start, near=weights)
    if len(houses) < 2:
        return weights
    held: list[tuple[float, Example]] = []
    for fold in (houses[n::FOLDS] for n in range(min(FOLDS, len(houses)))):
        others = fit(without(examples, *fold), start, near=weights)
        held += [(log_odds(e.amounts, others), e) for e in examples if e.house in fold and not e.made]
    slope, shift = _line(held)
    return {name: round(weight * slope + (shift if name == TERM_NAMES[0] else 0.0), DIGITS) for name, weight in weights.items()}


def _line(held: Sequence[tuple[float, Example]]) -> tuple[float, float]:
    """The line over log-odds that makes held-out examples likeliest: its slope and its shift."""
    import numpy as np
    from scipy.optimize import minimize

    odds = np.array([z for z, _ in held])
    sign = np.array([1.0 if e.meant else -1.0 for _, e in held])
    counts = np.array([e.weight for _, e in held])

    def loss(line: np.ndarray) -> float:
        return float(counts @ np.logaddexp(0.0, -sign * (line[0] * odds + line[1])))

    best = minimize(loss, np.array([1.0, 0.0]), method="Nelder-Mead", options={"xatol": 1e-4, "fatol": 1e-6})
    return float(best.x[0]), float(best.x[1])


def without(examples: Iterable[Example], *houses: str) -> list[Example]:
    """The examples of all other houses."""
    return [e for e in examples if e.house not in houses]
