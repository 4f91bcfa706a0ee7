"""Fit the weights of the evidence to the tables in the repository, and judge them by leaving one house out.

``python benchmarks/fit.py`` prints the held-out figures and writes ``src/glossa/matching/evidence.toml``; the result is the same
every time. ``--held-out`` only prints.
"""

from __future__ import annotations

import argparse
from collections.abc import Mapping

import glossa
from accuracy import ROOT, TALK, Counts, houses, one_error, run
from glossa.matching.evidence import TERMS
from glossa.trials.fit import Example, example, fit_calibrated, pointing_back, without
from glossa.trials.table import Row

NOISE_SEEDS = (11, 12, 13)
NOISE_WEIGHT = 0.05
"""A row with an error in it counts this much: such rows are made, and there are many of them."""

TALK_WEIGHT = 3.0
"""A line of talk counts this much over all houses together."""

PRONOUNS, POINTING_WEIGHT = ("it", ""), 0.2
"""Rows count as well with a pronoun, or nothing, for the device that was spoken of before."""

OUTPUT = ROOT / "src" / "glossa" / "matching" / "evidence.toml"


def gather() -> list[Example]:
    """The examples of all houses."""
    every = houses()
    lines = [line.strip() for file in TALK for line in file.read_text(encoding="utf-8").splitlines() if line.strip()]
    english = [name for name, (house, _) in every.items() if "en" in house.languages]
    found: list[Example | None] = []
    for name, (house, rows) in every.items():
        matcher = glossa.Matcher(house)
        found += [example(matcher, row) for row in rows]
        for seed in NOISE_SEEDS:
            found += [example(matcher, row, NOISE_WEIGHT, made=True) for row in one_error(house, rows, seed)]
        for row in rows if name in english else ():
            for pronoun in PRONOUNS:
                pointing = pointing_back(matcher, row, pronoun)
                if pointing is not None:
                    found.append(example(matcher, pointing[0], POINTING_WEIGHT, pointing[1], made=True))
        if name in english:
            device = next(iter(house.devices), "")
            if device:
                found += [example(matcher, Row(line, ("reject",)), TALK_WEIGHT / 6 / len(english), (device,), made=True) for line in lines]
            found += [example(matcher, Row(line, ("reject",)), TALK_WEIGHT / len(english)) for line in lines]
    return [e for e in found if e is not None]


def written(weights: Mapping[str, float]) -> str:
    """The weights as the text of a TOML file."""
    lines = [
        "# The weights of the evidence in log-odds, fitted by `make fit`; what each term counts is in evidence.py.",
        "",
        "[weights]",
    ]
    return "\n".join([*lines, *(f'"{t.name}" = {weights[t.name]}' for t in TERMS)]) + "\n"


def main() -> None:
    """Fit, judge, write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--held-out", action="store_true", help="only print the held-out figures")
    parser.add_argument("--quick", action="store_true", help="write without the held-out figures")
    options = parser.parse_args()
    examples = gather()
    print(f"{len(examples)} examples, {sum(e.meant for e in examples)} of them meant")
    total, noisy = Counts(), Counts()
    for name, (house, rows) in {} if options.quick else houses().items():
        weights = fit_calibrated(without(examples, house.name))
        counts = run(house, rows, weights=weights)
        noise = run(house, one_error(house, rows), weights=weights)
        print(f"{name:12s} {counts}\n{'':12s} with one error: {noise}")
        total.merge(counts)
        noisy.merge(noise)
    if not options.quick:
        print(f"{'all':12s} {total}\n{'':12s} with one error: {noisy}")
    if not options.held_out:
        OUTPUT.write_text(written(fit_calibrated(examples)), encoding="utf-8")
        print(f"wrote {OUTPUT.relative_to(ROOT)}")


if __name__ == "__main__":
    main()
