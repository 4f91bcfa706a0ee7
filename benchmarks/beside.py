"""Commands with a sentence beside them: ``python benchmarks/beside.py`` counts what comes of them, house by house, over all lines of
``tests/talk/beside``.

Every line is put in front of or behind commands of every house that speaks nothing but English. ``front`` and ``behind`` are to be carried
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
from glossa.trials.parallel import each

BESIDE = ROOT / "tests" / "talk" / "beside"
CARRIED_OUT = ("front", "behind")
BEHIND = ("behind", "reporting")
COMMANDS = 3
"""Commands of each house for each line."""


def kinds(*, aside: bool) -> list[Path]:
    """The files, those that are only counted or the others."""
    return [p for p in sorted(BESIDE.glob("*.txt")) if p.stem.endswith("_aside") == aside]


def crossed(house: glossa.House, rows: Sequence[glossa.Row], file: Path, count: int = COMMANDS) -> Iterator[glossa.Row]:
    """Rows of a house with every line of a file beside them, ``count`` for each line, the same every time.

    A word that governs goes with commands that begin with a verb, and what tells of a thing with those that begin with its name.
    """
    if house.languages != ("en",):
        return
    kind = file.stem.removesuffix("_aside")
    language = glossa.Matcher(house).grammar("en").lexicon.language
    plain = [r for r in rows if not r.session and not r.parts and r.note in ("plain", "opposite") and r.outcomes == ("accept",)]
    verbs = language.verbs | language.light
    if kind == "governing":
        plain = [r for r in plain if r.utterance.lower().split()[0] in verbs]
    elif kind == "telling":
        plain = [r for r in plain if r.utterance.lower().split()[0] not in verbs | language.question]
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
    found = {}
    for file in (*kinds(aside=False), *kinds(aside=True)):
        counts = found[file.stem] = Counter()
        for result in glossa.run_table(house, list(crossed(house, rows, file)), matcher):
            event = result.event
            counts["all"] += 1
            counts["acted"] += event is not None and event.outcome == "accept"
            counts["right"] += result.right
            counts["asked"] += event is not None and event.outcome in ("confirm", "ask") and meant(house, result)
    return found


def main() -> None:
    """Print the counts."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, metavar="N", help="processes, one a core by default")
    totals: dict[str, Counter[str]] = {}
    for found in each(counted, [(name,) for name in houses()], parser.parse_args().jobs):
        for kind, counts in found.items():
            totals.setdefault(kind, Counter()).update(counts)
    for kind, counts in sorted(totals.items()):
        carried = kind.removesuffix("_aside") in CARRIED_OUT
        said = f"carried out {counts['right']}" if carried else f"acted on {counts['acted']}"
        share = counts["right" if carried else "acted"] / counts["all"]
        print(f"{kind:16s} {counts['all']:6d} lines  {said} ({share:.1%}), asked {counts['asked']} ({counts['asked'] / counts['all']:.1%})")


if __name__ == "__main__":
    main()
