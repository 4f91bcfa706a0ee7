"""How well houses are understood that the engine knows nothing about: counts for every house in ``tests/houses`` and the samples.

``python benchmarks/accuracy.py`` prints them; ``--show`` lists the rows that came out otherwise, but for those whose column ``_split``
says ``aside``, so that nobody tunes to them.
"""

from __future__ import annotations

import argparse
import random
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path

from msgspec.structs import replace

import glossa
from glossa.files import find_house
from glossa.trials.fit import PLAIN
from glossa.trials.measures import kind
from glossa.trials.noise import noises
from glossa.trials.run import same_value

ROOT = Path(__file__).resolve().parent.parent
HOUSES = ROOT / "tests" / "houses"
TALK = [*sorted((ROOT / "tests" / "talk").glob("*.txt")), find_house("marigold").parent / "talk.txt"]


def houses(names: Sequence[str] = ()) -> dict[str, tuple[glossa.House, list[glossa.Row]]]:
    """Every house with its rows, by name."""
    found = {}
    folders = [p for p in sorted(HOUSES.iterdir()) if (p / "house.toml").exists() and p.name not in ("numbers", "counting")]
    for folder in folders:
        if not names or folder.name in names:
            house = glossa.load_house(folder)
            found[folder.name] = house, rows_of(house, sorted(folder.glob("*.csv")))
    for sample in ("marigold", "horno"):
        if not names or sample in names:
            house = glossa.load_house(sample)
            found[sample] = house, rows_of(house, sorted((find_house(sample).parent / "tests").glob("*.csv")))
    return found


def rows_of(house: glossa.House, files: Iterable[Path]) -> list[glossa.Row]:
    """The rows of tables; files without utterances, such as sheets of relays, have none."""
    tables = [f for f in files if "utterance" in f.read_text(encoding="utf-8").split("\n", 1)[0]]
    return [row for f in tables for row in glossa.read_table(f.read_text(encoding="utf-8"), f.name, house)]


def aside(row: glossa.Row) -> bool:
    """Whether a row is only counted, and never shown."""
    return row.others.get("_split") == "aside"


def one_error(house: glossa.House, rows: Sequence[glossa.Row], seed: int = 1) -> list[glossa.Row]:
    """The rows that must be carried out or asked about, with exactly one recognition error in each."""
    makers = noises(house)
    dice = random.Random(seed)
    found = []
    for row in rows:
        if row.session or not row.outcomes or "reject" in row.outcomes:
            continue
        heard = makers[row.language or house.languages[0]].one_error(row.utterance, dice)
        if heard is not None:
            found.append(replace(row, utterance=heard))
    return found


class Counts:
    """Counts of one run, named as the aims are."""

    def __init__(self) -> None:
        self.rows = self.must = self.right = self.asked = self.wrong = self.literal = self.questions = self.questions_right = 0
        self.sessions = self.sessions_right = 0

    def add(self, house: glossa.House, result: glossa.Result) -> None:
        """Count one result."""
        row, event = result.row, result.event
        if row.session:
            self.sessions += 1
            self.sessions_right += result.right
            return
        self.rows += 1
        wrong = kind(result) in ("wrong action", "false accept")
        self.wrong += wrong
        self.literal += wrong and event is not None and event.match is not None and word_for_word(event.match)
        if row.outcomes and "accept" in row.outcomes:
            self.must += 1
            self.right += result.right
            self.asked += not result.right and event is not None and event.outcome in ("confirm", "ask") and meant(house, result)
        elif set(row.outcomes) & {"ask", "confirm"}:
            self.questions += 1
            self.questions_right += result.right

    def merge(self, other: Counts) -> None:
        """Add another run's counts."""
        for name, value in vars(other).items():
            setattr(self, name, getattr(self, name) + value)

    def __str__(self) -> str:
        def of(a: int, b: int) -> str:
            return f"{a:4d}/{b:<4d} {100 * a / b if b else 100:5.1f} %"

        return (
            f"right {of(self.right, self.must)}  or asked {of(self.right + self.asked, self.must)}  wrong {of(self.wrong, self.rows)}"
            f"  questions {of(self.questions_right, self.questions)}  sessions {of(self.sessions_right, self.sessions)}"
        )


def word_for_word(match: glossa.Match) -> bool:
    """Whether what was heard is a command of the house, word for word."""
    return all(part.best is not None and part.best.cost < PLAIN for part in match.parts or (match,))


def meant(house: glossa.House, result: glossa.Result) -> bool:
    """Whether a row's intent and slots were understood, whatever came of it."""
    row, event = result.row, result.event
    if event is None or (row.intent and event.intent != row.intent):
        return False
    return all(same_value(house, k, event.slots.get(k), v) for k, v in row.slots.items())


def run(house: glossa.House, rows: Sequence[glossa.Row], show: str = "", weights: Mapping[str, float] | None = None) -> Counts:
    """Run rows and count; with ``show``, a heading, print those that are not kept aside and came out otherwise."""
    counts = Counts()
    for result in glossa.run_table(house, rows, glossa.Matcher(house, weights=weights)):
        counts.add(house, result)
        if show and not result.right and not aside(result.row):
            event = result.event
            got = f"{event.outcome} {event.intent} {dict(event.slots)} {event.reason}/{event.detail}" if event else ""
            print(
                f"  {show}:{result.row.line} [{result.row.note}] {result.row.utterance!r}: {'; '.join(result.wrong)[:150]} | {got[:170]}"
            )
    return counts


def talk_lines() -> list[str]:
    """Every line of household talk."""
    return [line.strip() for file in TALK for line in file.read_text(encoding="utf-8").splitlines() if line.strip()]


def talk(house: glossa.House, show: bool = False) -> tuple[int, int, int]:
    """(lines, acted on, asked back about) of household talk, awake."""
    matcher, lines = glossa.Matcher(house), talk_lines()
    acted = asked = 0
    for line in lines:
        match = matcher.match(line)
        acted += match.outcome == "accept"
        asked += match.outcome in ("confirm", "ask")
        if show and match.outcome in ("accept", "confirm", "ask"):
            print(f"  talk {house.name}: {match.outcome} {line!r} as {match.best.intent if match.best else ''} {match.reason}")
    return len(lines), acted, asked


def main() -> None:
    """Print the counts."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("houses", nargs="*", help="names; all by default")
    parser.add_argument("--show", action="store_true", help="list what came out otherwise, but for rows kept aside")
    parser.add_argument("--skip-noise", action="store_true", help="leave out the rows with one error")
    parser.add_argument("--only-noise", action="store_true", help="show the rows with one error only")
    options = parser.parse_args()
    total, noisy, lines = Counts(), Counts(), [0, 0, 0]
    aside_total = Counts()
    for name, (house, rows) in houses(options.houses).items():
        if not options.only_noise:
            counts = run(house, rows, name if options.show else "")
            aside_total.merge(run(house, [r for r in rows if aside(r) and not r.session]))
            print(f"{name:12s} {counts}")
            total.merge(counts)
            if "en" in house.languages:
                for at, n in enumerate(talk(house, options.show)):
                    lines[at] += n
        if not options.skip_noise:
            noisy.merge(run(house, one_error(house, rows), f"{name} noise" if options.show else ""))
    print(f"{'all':12s} {total}")
    print(f"{'kept aside':12s} {aside_total}")
    print(f"talk: {lines[0]} lines, acted on {lines[1]}, asked back {lines[2]}")
    if not options.skip_noise:
        print(f"{'one error':12s} {noisy}")


if __name__ == "__main__":
    main()
