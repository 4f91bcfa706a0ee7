"""``glossa test``."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Sequence
from pathlib import Path

import click

from glossa.cli.main import house_argument
from glossa.files import find_house, load_house, read_text
from glossa.house import House, HouseError, Problem
from glossa.matching import Matcher
from glossa.trials import Result, Row, read_table, run_table
from glossa.trials.run import by_note

SLOW = 400
"""From so many rows on a progress bar is shown."""


@click.command()
@house_argument()
@click.argument("tables", nargs=-1, type=click.Path(path_type=Path), metavar="[TABLE]...")
@click.option("--note", multiple=True, help="Only the rows with this note; may be given several times.")
@click.option("--only-failed", is_flag=True, help="List the failed rows and nothing else.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object a row.")
def test(house: str, tables: tuple[Path, ...], note: tuple[str, ...], only_failed: bool, as_json: bool) -> None:
    """Run test tables: what was heard, and what must come of it. Exit code 1 if any row fails.

    Without TABLE, the files tests/*.csv beside the house are run.

    \b
    Examples:
      glossa test marigold
      glossa test my-home tests/evening.csv --note numbers
    """
    home = load_house(house)
    rows = load_tables(house, home, tables)
    if note:
        rows = [r for r in rows if r.note in note]
        if not rows:
            raise click.UsageError(f"No row has the note {' or '.join(note)}.")
    started = time.perf_counter()
    results = _run(home, rows, as_json)
    taken = time.perf_counter() - started
    if as_json:
        for result in results:
            click.echo(json.dumps(_as_json(result), ensure_ascii=False))
    else:
        _print(results, taken, only_failed)
    sys.exit(0 if all(r.right for r in results) else 1)


def load_tables(house: str, home: House, tables: Sequence[Path]) -> list[Row]:
    """The rows of the tables that are named, or of all beside the house."""
    named = list(tables)
    if not named:
        folder = find_house(house).parent / "tests"
        named = sorted(folder.glob("*.csv"))
        if not named:
            raise HouseError(
                [
                    Problem(
                        str(folder),
                        0,
                        "",
                        "holds no test table",
                        "name one, or write tests/first.csv with the column 'utterance'",
                    )
                ]
            )
    problems: list[Problem] = []
    rows: list[Row] = []
    for path in named:
        beside = find_house(house).parent / path
        real = beside if not path.exists() and beside.exists() else path
        try:
            rows += read_table(read_text(real, str(path)), path.name if not tables else str(path), home)
        except HouseError as error:
            problems += error.problems
    if problems:
        raise HouseError(problems)
    if not rows:
        raise HouseError([Problem(str(named[0]), 0, "", "the table has no rows", "write one line for each thing that is heard")])
    return rows


def _run(home: House, rows: Sequence[Row], quiet: bool) -> list[Result]:
    matcher = Matcher(home)
    if len(rows) < SLOW or quiet or not sys.stderr.isatty():
        return run_table(home, rows, matcher)
    from rich.progress import Progress

    from glossa.cli.show import console

    with Progress(console=console(error=True), transient=True) as bar:
        task = bar.add_task("rows", total=len(rows))
        return run_table(home, rows, matcher, lambda done: bar.update(task, completed=done))


def report(home: House, rows: Sequence[Row], matcher: Matcher) -> int:
    """Run rows, print the results, and give the number of those that failed."""
    started = time.perf_counter()
    results = run_table(home, rows, matcher)
    _print(results, time.perf_counter() - started, False)
    return sum(not r.right for r in results)


def _as_json(result: Result) -> dict[str, object]:
    from glossa.cli.plain import event_json

    row = {
        "table": result.row.table,
        "line": result.row.line,
        "note": result.row.note,
        "right": result.right,
        "wrong": list(result.wrong),
    }
    return row | (event_json(result.event) if result.event else {"utterance": result.row.utterance})


def _print(results: Sequence[Result], taken: float, only_failed: bool) -> None:
    from rich.table import Table
    from rich.text import Text

    from glossa.cli.show import console, reason_line

    out = console()
    failed = [r for r in results if not r.right]
    for result in failed:
        row = result.row
        out.print(
            Text.assemble(
                (f"{row.table}:{row.line}  ", "bright_black"),
                (row.utterance, "bold"),
                (f"  {row.session}" if row.session else "", "bright_black"),
            )
        )
        for wrong in result.wrong:
            out.print(Text.assemble("    ", (wrong, "red")))
        event = result.event
        if event is not None:
            got = event.intent or "no intent"
            why = reason_line(event)
            out.print(
                Text(
                    f"    {got}, score {event.score:.2f}, lead {event.margin:.2f}" + (f"; {why}" if why else ""),
                    style="bright_black",
                )
            )
    if only_failed:
        return
    if failed:
        out.print()
    table = Table(box=None, padding=(0, 2), header_style="bright_black")
    table.add_column("note")
    table.add_column("right", justify="right")
    table.add_column("of", justify="right")
    table.add_column("")
    for note, (right, count) in by_note(results).items():
        missed = count - right
        table.add_row(
            note or "—",
            str(right),
            str(count),
            Text(f"{missed} wrong", style="red") if missed else Text("all right", style="green"),
        )
    out.print(table)
    right = len(results) - len(failed)
    style = "bold red" if failed else "bold green"
    out.print(
        Text.assemble(
            (f"{right} of {len(results)} rows right", style),
            (f"  in {taken:.2f} s, {1000 * taken / len(results):.1f} ms a row", "bright_black"),
        )
    )
