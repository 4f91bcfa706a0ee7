"""Fit the weights of the evidence to the tables in the repository, and judge them by leaving one house out.

``python benchmarks/fit.py`` writes ``src/glossa/matching/evidence.toml``; the result is the same every time. ``--held-out`` judges, and
writes ``benchmarks/ACCURACY.md`` with a reliability diagram.
"""

from __future__ import annotations

import argparse
import os
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

import glossa
from accuracy import ROOT, Counts, houses, one_error, run, talk_lines
from beside import crossed, kinds
from glossa.matching.evidence import TERMS, confidence
from glossa.pictures.reliability import draw_reliability
from glossa.trials.fit import Example, example, fit_calibrated, pointing_back, without
from glossa.trials.parallel import each
from glossa.trials.table import Row
from strangers import strange

NOISE_SEEDS = (11, 12, 13)
NOISE_WEIGHT = 0.05
"""A row with an error in it counts this much: such rows are made, and there are many of them."""

TALK_WEIGHT = 0.3
"""A line of talk counts this much in each house."""

BESIDE_WEIGHT = 0.04
"""A command with a sentence beside it counts this much."""

STRANGER_WEIGHT = 0.005
"""A command about what a house doesn't have counts this much."""

PRONOUNS, POINTING_WEIGHT = ("it", ""), 0.2
"""Rows count as well with a pronoun, or nothing, for the device that was spoken of before."""

OUTPUT = ROOT / "src" / "glossa" / "matching" / "evidence.toml"


def gather(jobs: int) -> list[Example]:
    """The examples of all houses."""
    return [one for found in each(examples_of, [(name,) for name in houses()], jobs) for one in found]


def examples_of(name: str) -> list[Example]:
    """The examples of one house."""
    house, rows = houses([name])[name]
    matcher = glossa.Matcher(house)
    found = [example(matcher, row) for row in rows]
    for seed in NOISE_SEEDS:
        found += [example(matcher, row, NOISE_WEIGHT, made=True) for row in one_error(house, rows, seed)]
    for file in kinds(house, aside=False):
        found += [example(matcher, row, BESIDE_WEIGHT, made=True) for row in crossed(house, rows, file, 1)]
    found += [example(matcher, row, STRANGER_WEIGHT, made=True) for _, row in strange(house, rows, aside=False)]
    if "en" not in house.languages:
        return [e for e in found if e is not None]
    for row in rows:
        for pronoun in PRONOUNS:
            pointing = pointing_back(matcher, row, pronoun)
            if pointing is not None:
                found.append(example(matcher, pointing[0], POINTING_WEIGHT, pointing[1], made=True))
    lines, device = talk_lines(), next(iter(house.devices), "")
    if device:
        found += [example(matcher, Row(line, ("reject",)), TALK_WEIGHT / 6, (device,), made=True) for line in lines]
    found += [example(matcher, Row(line, ("reject",)), TALK_WEIGHT) for line in lines]
    return [e for e in found if e is not None]


def written(weights: Mapping[str, float]) -> str:
    """The weights as the text of a TOML file."""
    lines = [
        "# The weights of the evidence in log-odds, fitted by `make fit`; what each term counts is in evidence.py.",
        "",
        "[weights]",
    ]
    return "\n".join([*lines, *(f'"{t.name}" = {weights[t.name]}' for t in TERMS)]) + "\n"


class Judged(NamedTuple):
    """One house under weights that were fitted to all the others.

    Attributes:
        counts: of its rows.
        noisy: of its rows with one error each.
        seen: of its rows with the weights that ship.
        talk: what came of the lines of talk.
        pairs: for each row that is no conversation the confidence of its best reading, whether it was meant, and how much it counts.
    """

    counts: Counts
    noisy: Counts
    seen: Counts
    talk: list[glossa.Outcome]
    pairs: list[tuple[float, bool, float]]


def judge(name: str, examples: Sequence[Example]) -> Judged:
    """Judge one house with weights that are fitted to all the others."""
    house, table = houses([name])[name]
    weights = fit_calibrated(without(examples, house.name))
    matcher = glossa.Matcher(house, weights=weights)
    return Judged(
        run(house, table, weights=weights),
        run(house, one_error(house, table), weights=weights),
        run(house, table),
        [matcher.match(line).outcome for line in talk_lines()] if "en" in house.languages else [],
        [
            (confidence(e.amounts, weights), e.meant, min(e.weight, 1.0))
            for e in examples
            if e.house == house.name and not e.made
        ],
    )  # fmt: skip


def held_out(examples: Sequence[Example], file: Path, jobs: int) -> None:
    """Judge every house with weights that were fitted to all the others, and write the report and the reliability diagram."""
    total, noisy, seen = Counts(), Counts(), Counts()
    pairs: list[tuple[float, bool, float]] = []
    talk: list[glossa.Outcome] = []
    rows = [HEADER, "|---|---|---|---|---|---|---|---|---|"]
    names = list(houses())
    for name, judged in zip(names, each(judge, [(name, examples) for name in names], jobs), strict=True):
        rows.append(report_row(name, judged.counts, judged.noisy))
        total.merge(judged.counts)
        noisy.merge(judged.noisy)
        seen.merge(judged.seen)
        talk += judged.talk
        pairs += judged.pairs
        print(rows[-1], flush=True)
    rows.append(report_row("**all, left out**", total, noisy))
    rows.append(report_row("all, with the weights that ship", seen, None))
    print("\n".join(rows[-2:]))
    acted = talk.count(glossa.Outcome.ACCEPT)
    asked = sum(o in (glossa.Outcome.CONFIRM, glossa.Outcome.ASK) for o in talk)
    said = f"Household talk, awake, {len(talk):,} lines over the houses: acted on {acted}, asked back {asked} ({asked / len(talk):.1%})."
    print(said)
    file.write_text("\n".join([INTRODUCTION, "", *rows, "", said, "", "![reliability](reliability.png)", ""]), encoding="utf-8")
    draw_reliability(pairs, str(file.with_name("reliability.png")))


HEADER = "| house | right | right or asked | acted wrongly, of all rows | questions right | rows of conversations | one error: right or asked | one error: wrong | of these word for word another command |"
INTRODUCTION = """# What is understood in houses that were left out

Made by `python benchmarks/fit.py --held-out`: each house is judged with weights of the evidence that were fitted to all the other ones. The
search, the word lists and the costs were written with these tables in view, but for every third row; new houses come out worse. "One error" are the
rows that must be carried out or asked about, with exactly one recognition error each, drawn by how likely each is (`glossa.trials.noise`); some
errors make another command of a line, word for word, which nobody can hear."""


def report_row(name: str, counts: Counts, noise: Counts | None) -> str:
    """One line of the report."""

    def of(count: int, total: int) -> str:
        return f"{count} of {total} ({count / total:.1%})" if total else "-"

    cells = [
        of(counts.right, counts.must), of(counts.right + counts.asked, counts.must), of(counts.wrong, counts.rows),
        of(counts.questions_right, counts.questions), of(counts.sessions_right, counts.sessions),
        of(noise.right + noise.asked, noise.must) if noise else "-", of(noise.wrong, noise.rows) if noise else "-",
        str(noise.literal) if noise else "-",
    ]  # fmt: skip
    return f"| {name} | {' | '.join(cells)} |"


def main() -> None:
    """Fit and write, or judge."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--held-out", action="store_true", help="judge by leaving one house out; writes benchmarks/ACCURACY.md")
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, metavar="N", help="processes, one a core by default")
    options = parser.parse_args()
    examples = gather(options.jobs)
    print(f"{len(examples)} examples, {sum(e.meant for e in examples)} of them meant")
    if options.held_out:
        held_out(examples, ROOT / "benchmarks" / "ACCURACY.md", options.jobs)
        return
    OUTPUT.write_text(written(fit_calibrated(examples)), encoding="utf-8")
    print(f"wrote {OUTPUT.relative_to(ROOT)}")


if __name__ == "__main__":
    main()
