"""Commands in other words: ``python benchmarks/reworded.py`` says the commands of all houses in the ways of ``tests/talk/reworded``, and writes
``benchmarks/REWORDED.md``.

Ways are patterns, so that one of them stands for as many lines as there are commands that it can be made of. All mean what the command means.
"""

from __future__ import annotations

import argparse
import os
import random
import re
import tomllib
from collections import Counter
from collections.abc import Iterator, Sequence

from msgspec.structs import replace

import glossa
from accuracy import ROOT, houses, meant
from glossa.language import load_language
from glossa.trials.measures import kind
from glossa.trials.parallel import each

REWORDED = ROOT / "tests" / "talk" / "reworded"
OUTPUT = ROOT / "benchmarks" / "REWORDED.md"
COMMANDS = 3
"""Commands of each house for each way."""
LONGEST = 8
"""Words of a command that is taken, and of a name half as many."""


def filled(house: glossa.House, rows: Sequence[glossa.Row], *, show: str = "") -> Iterator[tuple[str, str, glossa.Row]]:
    """Rows of a house in other words, the same every time: each with its section and its way.

    Args:
        house: the house, which speaks one language.
        rows: its rows; those are taken that are carried out as they stand.
        show: the section to take, all by default.
    """
    file = REWORDED / f"{house.languages[0]}.toml"
    if len(house.languages) > 1 or not file.exists():
        return
    language, dice = load_language(house.languages[0]), random.Random(house.name)
    passed = {*language.grammar.joined, *language.negation.words, *(w.split()[0] for w in language.grammar.excepted)}
    single = [r for r in rows if not r.session and not r.parts and r.outcomes == ("accept",)]
    plain = [r.row for r in glossa.run_table(house, single) if r.right and r.row.utterance.count(" ") < LONGEST]
    led = {*language.grammar.articles, *language.grammar.all}
    for section, part in tomllib.loads(file.read_text(encoding="utf-8")).items():
        blanks: list[tuple[glossa.Row, dict[str, str]]] = []
        for row in plain:
            said = row.utterance.lower().strip(" .!?")
            found = next((m for pattern in part["command"] if (m := re.fullmatch(pattern, said))), None)
            if (
                found is None
                or (name := found.groupdict().get("name", "")).count(" ") >= LONGEST // 2
                or passed & set(name.split())
            ):
                continue
            parts = found.groupdict() | part.get("forms", {}).get(found.groupdict().get("state"), {})
            if name and "article" in part and name.split()[0] not in led:
                parts["name"] = f"{part['article']} {name}"
            blanks.append((row, parts))
        for kind_of, ways in (("ways", part["ways"]), ("aside", part["aside"])):
            for way in ways:
                for row, parts in dice.sample(blanks, min(COMMANDS, len(blanks))):
                    if not show or show == f"{section} {kind_of}":
                        yield f"{section} {kind_of}", way, replace(row, utterance=way.format(**parts))


def counted(name: str, show: str) -> dict[str, Counter[str]]:
    """What came of the rows of one house, by language and section; with ``show``, a section, those that were not carried out are printed."""
    house, rows = houses([name])[name]
    lines = list(filled(house, rows, show=show))
    counts: dict[str, Counter[str]] = {}
    for (section, way, _), result in zip(lines, glossa.run_table(house, [row for *_, row in lines]), strict=True):
        event = result.event
        asked = event is not None and event.outcome in ("confirm", "ask") and meant(house, result)
        here = counts.setdefault(f"{house.languages[0]} {section}", Counter())
        here.update(all=1, right=result.right, asked=asked, wrong=kind(result) in ("wrong action", "false accept"))
        if show and not result.right and event is not None:
            print(
                f"{name:12} {way:45} {result.row.utterance:60} {event.outcome} {event.intent} {dict(event.slots)} {event.detail}"
            )
    return counts


INTRODUCTION = """# Commands in other words

Made by `python benchmarks/reworded.py`: commands of every house said in the ways of `tests/talk/reworded`, as in "the lamp needs turning off" and
"turn the er turn the lamp off". All of them are to be carried out. "Aside" are ways that were written after the code and only counted.

| | lines | carried out | asked about | acted on otherwise |
|---|---|---|---|---|"""


def main() -> None:
    """Count, print and write."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--jobs", type=int, default=os.cpu_count() or 1, metavar="N", help="processes, one a core by default")
    parser.add_argument(
        "--show", default="", metavar="SECTION", help='list what was not carried out, as in "switch ways"; nothing is written'
    )
    options = parser.parse_args()
    totals: dict[str, Counter[str]] = {}
    for by_section in each(counted, [(name, options.show) for name in houses()], 1 if options.show else options.jobs):
        for section, counts in by_section.items():
            totals.setdefault(section, Counter()).update(counts)
    rows = [INTRODUCTION]
    for section, counts in sorted(totals.items()):
        every, title = counts["all"], section.removesuffix(" ways").replace(" aside", ", aside")
        shares = " | ".join(f"{counts[k]} ({counts[k] / every:.1%})" for k in ("right", "asked", "wrong"))
        rows.append(f"| {title} | {every:,} | {shares} |")
        print(rows[-1], flush=True)
    if not options.show:
        OUTPUT.write_text("\n".join([*rows, ""]), encoding="utf-8")


if __name__ == "__main__":
    main()
