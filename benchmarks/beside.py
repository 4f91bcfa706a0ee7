"""Commands with a sentence beside them: ``python benchmarks/beside.py`` counts what comes of them over all lines of ``tests/talk/beside``, and
writes ``benchmarks/BESIDE.md``.

Every line is put in front of or behind commands of every house that speaks its language and no other. ``front`` and ``behind`` are to be carried
out all the same, the others are none: ``governing`` and ``telling`` make a part of what is told of a command, in front of it, and ``reporting``
behind it. Lines of ``*_aside`` are only counted; nothing is fitted to them.
"""

from __future__ import annotations

import argparse
import os
import random
from collections import Counter
from collections.abc import Iterator, Sequence
from pathlib import Path

from msgspec.structs import replace

import glossa
from accuracy import ROOT, houses, meant
from glossa.language import load_language
from glossa.trials.parallel import each

BESIDE = ROOT / "tests" / "talk" / "beside"
OUTPUT = ROOT / "benchmarks" / "BESIDE.md"
CARRIED_OUT = ("front", "behind")
BEHIND = ("behind", "reporting")
PLAIN = ("plain", "opposite", "")
"""Notes of rows that are commands as the house file has them; "" where a table has no notes."""
COMMANDS = 3
"""Commands of each house for each line."""


LONGEST = 6
"""Words of a command that is taken."""


def kinds(house: glossa.House, *, aside: bool) -> list[Path]:
    """The files in the language of a house, those that are only counted or the others; none where it speaks several."""
    files = sorted((BESIDE / house.languages[0]).glob("*.txt")) if len(house.languages) == 1 else ()
    return [p for p in files if p.stem.endswith("_aside") == aside]


def crossed(house: glossa.House, rows: Sequence[glossa.Row], file: Path, count: int = COMMANDS) -> Iterator[glossa.Row]:
    """Rows of a house with every line of a file beside them, ``count`` for each line, the same every time.

    A word that governs goes with commands that begin with a verb, and what tells of a thing with those that begin with its name.
    """
    kind = file.stem.removesuffix("_aside")
    language = load_language(house.languages[0])
    plain = [r for r in rows if not r.session and not r.parts and r.note in PLAIN and r.outcomes == ("accept",)]
    plain = [r for r in plain if r.utterance.count(" ") < LONGEST]

    def ordering(row: glossa.Row) -> bool:
        first = row.utterance.lower().split()[0]
        return first in language.light or any(first.startswith(verb) for verb in language.verbs)

    if kind == "governing":
        plain = [r for r in plain if ordering(r)]
    elif kind == "telling":
        plain = [r for r in plain if not ordering(r) and r.utterance.lower().split()[0] not in language.question]
    dice = random.Random(f"{house.name} {kind}")
    for line in file.read_text(encoding="utf-8").splitlines():
        for row in dice.sample(plain, min(count, len(plain))):
            said = f"{row.utterance} {line}" if kind in BEHIND else f"{line} {row.utterance}"
            if kind in CARRIED_OUT:
                yield replace(row, utterance=said)
            else:
                yield replace(row, utterance=said, outcomes=("reject",), intent="", slots={})


def counted(name: str) -> dict[str, Counter[str]]:
    """What came of the lines of each file in one house."""
    house, rows = houses([name])[name]
    matcher = glossa.Matcher(house)
    by_file: dict[str, Counter[str]] = {}
    for file in (*kinds(house, aside=False), *kinds(house, aside=True)):
        counts = by_file[f"{file.parent.name} {file.stem}"] = Counter()
        for result in glossa.run_table(house, list(crossed(house, rows, file)), matcher):
            event = result.event
            counts["all"] += 1
            counts["acted"] += event is not None and event.outcome == "accept"
            counts["right"] += result.right
            counts["asked"] += event is not None and event.outcome in ("confirm", "ask") and meant(house, result)
    return by_file


INTRODUCTION = """# Commands with a sentence beside them

Made by `python benchmarks/beside.py`: every line of `tests/talk/beside` is put in front of or behind commands of every house that speaks its language.
"Front" and "behind" leave the command what it is: "I can't find my keys turn the lamp on". "Governing" and "telling" in front of it, and "reporting"
behind it, make it a part of what is told: "the advert said to turn the lamp on". Nothing is fitted to the lines of "aside", which were written after the code.
Whether a line makes sense with a command is not asked.

| | lines | carried out, or acted on | asked about |
|---|---|---|---|"""


def main() -> None:
    """Count, print and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, metavar="N", help="processes, one a core by default")
    totals: dict[str, Counter[str]] = {}
    for by_file in each(counted, [(name,) for name in houses()], parser.parse_args().jobs):
        for kind, counts in by_file.items():
            totals.setdefault(kind, Counter()).update(counts)
    rows = [INTRODUCTION]
    for kind, counts in sorted(totals.items()):
        carried = kind.split()[1].removesuffix("_aside") in CARRIED_OUT
        count, every = counts["right" if carried else "acted"], counts["all"]
        said = f"{'carried out' if carried else 'acted on'} {count} ({count / every:.1%})"
        rows.append(f"| {kind.replace('_', ', ')} | {every:,} | {said} | {counts['asked']} ({counts['asked'] / every:.1%}) |")
        print(rows[-1], flush=True)
    OUTPUT.write_text("\n".join([*rows, ""]), encoding="utf-8")


if __name__ == "__main__":
    main()
