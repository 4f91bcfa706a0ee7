"""``glossa test``."""

from __future__ import annotations

import json
import os
import sys
import time
from collections.abc import Sequence
from pathlib import Path

import click
import msgspec
from msgspec.structs import replace

from glossa.cli.main import house_argument, jobs_option
from glossa.cli.tables import load_tables, tables_argument
from glossa.conversation.secrecy import Secrecy
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, write_file
from glossa.house import House
from glossa.house.text import many
from glossa.matching import Matcher
from glossa.trials import Result, Row, run_table
from glossa.trials.history import compare_runs
from glossa.trials.measures import by

SLOW = 400
"""From so many rows on a progress bar is shown."""


@click.command()
@house_argument()
@tables_argument()
@click.option("--note", multiple=True, help="Only the rows with this note; may be repeated.")
@click.option("--only-failed", is_flag=True, help="List the failed rows and nothing else.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per row.")
@click.option("--junit", type=click.Path(path_type=Path), help="Write the results as JUnit XML.")
@click.option("--html", type=click.Path(path_type=Path), help="Write one self-contained page with pictures.")
@click.option("--suggest", type=click.Path(path_type=Path), help="Write rows for what no row exercises, to be checked by you.")
@click.option("--save", help="Keep the results under this name, in results/ beside the house.")
@click.option("--against", help="Show what changed since the results of this name.")
@click.option("--results", type=click.Path(path_type=Path), help="The folder for --save and --against.")
@jobs_option("The results are the same.")
def test(
    house: str,
    tables: tuple[Path, ...],
    extra_columns: bool,
    note: tuple[str, ...],
    only_failed: bool,
    as_json: bool,
    junit: Path | None,
    html: Path | None,
    suggest: Path | None,
    save: str | None,
    against: str | None,
    results: Path | None,
    jobs: int,
) -> None:
    """Run test tables: what was heard, and what must come of it. Exit code 1 if any row fails.

    Without TABLE, the files tests/*.csv beside the house are run.

    \b
    Examples:
      glossa test marigold
      glossa test my-home my-home/tests/first.csv --note switch
      glossa test my-home --save before        then, after a change:
      glossa test my-home --against before --html results.html
    """
    if html is not None:
        need("matplotlib")
    home = load_house(house)
    rows = load_tables(house, home, tables, extra_columns=extra_columns)
    if note:
        rows = [r for r in rows if r.note in note]
        if not rows:
            raise click.UsageError(f"No row has the note {' or '.join(note)}.")
    folder = results or find_house(house).parent / "results"
    before = _kept(folder, against) if against else None
    started = time.perf_counter()
    found = _starred(home, _run(home, rows, as_json, jobs))
    taken = time.perf_counter() - started
    if as_json:
        for result in found:
            if not (only_failed and result.right):
                click.echo(json.dumps(_as_json(result), ensure_ascii=False))
    else:
        _print(found, taken, only_failed)
        if not only_failed:
            _print_measures(home, found)
    if before is not None:
        if as_json:
            click.echo(
                json.dumps(
                    {"against": str(against)} | msgspec.to_builtins(compare_runs(before, found, str(against))), ensure_ascii=False
                )
            )
        else:
            _print_changes(before, found, str(against))
    _write(home, found, taken, junit, html, suggest)
    if save:
        from glossa.trials.history import kept

        folder.mkdir(parents=True, exist_ok=True)
        write_file(folder / f"{_plain_name(save)}.jsonl", kept(found))
        click.echo(f"kept as {folder / save}.jsonl", err=True)
    sys.exit(0 if all(r.right for r in found) else 1)


def _starred(home: House, found: list[Result]) -> list[Result]:
    """Results whose texts hold no passcode, those of the tests and those of this machine alike, and can be printed."""
    secrecy = Secrecy(Matcher(home), (None, os.environ))
    return [
        replace(
            r,
            row=replace(r.row, utterance=secrecy.text(r.row.utterance)),
            event=replace(r.event, utterance=secrecy.text(r.event.utterance)) if r.event is not None else None,
            wrong=tuple(secrecy.text(w) for w in r.wrong),
        )
        for r in found
    ]


def _plain_name(name: str) -> str:
    if not name.replace("-", "").replace("_", "").replace(".", "").isalnum() or name.startswith("."):
        raise click.UsageError(f"'{name}' is no name for results; use letters, digits, - and _.")
    return name


def _kept(folder: Path, name: str) -> str:
    path = folder / f"{_plain_name(name)}.jsonl"
    if not path.is_file():
        known = ", ".join(sorted(p.stem for p in folder.glob("*.jsonl"))) or "none yet"
        raise click.UsageError(f"There are no results '{name}' in {folder}; kept are: {known}.")
    return read_text(path)


def _write(
    home: House, found: Sequence[Result], taken: float, to_junit: Path | None, to_html: Path | None, to_suggest: Path | None
) -> None:
    from glossa.trials.coverage import coverage, suggested_rows

    if to_junit is not None:
        from glossa.trials.junit import junit

        write_file(to_junit, junit(found, taken), ".xml")
        click.echo(f"wrote {to_junit}", err=True)
    if to_html is not None:
        from glossa.pictures.page import page
        from glossa.trials.measures import measures

        write_file(to_html, page(home, found, measures(home, found), coverage(home, found)), ".html")
        click.echo(f"wrote {to_html}", err=True)
    if to_suggest is not None:
        if to_suggest.exists():
            raise click.ClickException(f"{to_suggest} is there already; name another file")
        write_file(to_suggest, suggested_rows(home, Matcher(home), coverage(home, found)))
        click.echo(f"wrote {to_suggest}: check each row before you add it to a table", err=True)


def _print_measures(home: House, found: Sequence[Result]) -> None:
    from rich.table import Table
    from rich.text import Text

    from glossa.cli.terminal import console
    from glossa.trials.coverage import coverage
    from glossa.trials.measures import measures

    out = console()
    table = Table(box=None, padding=(0, 2), header_style="bright_black")
    table.add_column("measure")
    for name in ("share", "count", "95 % interval"):
        table.add_column(name, justify="right")
    for measure in measures(home, found)[:-1]:
        if measure.total:
            fine = measure.share >= 0.95 if measure.good else measure.share <= 0.005
            share = Text(f"{measure.share:.1%}", style="green" if fine else "yellow")
            table.add_row(
                measure.name, share, f"{measure.count:g} of {measure.total:g}", f"{measure.low:.1%} to {measure.high:.1%}"
            )
    out.print()
    out.print(table)
    missing = coverage(home, found)
    lists = {
        "intent": missing.intents,
        "phrase": [f"{i}: {p}" for i, p in missing.phrases],
        "device": missing.devices,
        "mode": missing.modes,
    }
    told = [many(len(found_), name) for name, found_ in lists.items() if found_]
    if told:
        out.print(f"  [bright_black]No row exercises {', '.join(told)}; --suggest FILE writes rows for them.[/]")


def _print_changes(before: str, found: Sequence[Result], name: str) -> None:
    from rich.text import Text

    from glossa.cli.terminal import console
    from glossa.trials.history import Change

    out = console()
    changes = compare_runs(before, found, name)
    out.print(Text(f"\nAgainst {name}", style="bold"))

    def show(title: str, rows: Sequence[Change], style: str) -> None:
        out.print(Text(f"  {title}: {len(rows)}", style=style if rows else "bright_black"))
        for change in rows[:20]:
            then, now = change.before, change.after
            out.print(
                Text.assemble(
                    "    ",
                    (change.utterance[:50], "bold"),
                    f"  {then['outcome']} {then['intent']} -> {now['outcome']} {now['intent']}",
                )
            )
            if then["commands"] != now["commands"]:
                line = f"{' ; '.join(then['commands']) or '-'}  ->  {' ; '.join(now['commands']) or '-'}"
                out.print(Text("      " + (line if len(line) < 92 else line[:91] + "…"), style="bright_black"))

    show("newly right", changes.newly_right, "green")
    show("newly wrong", changes.newly_wrong, "bold red")
    show("newly different", changes.different, "yellow")
    if changes.moved:
        out.print(Text("  scores that moved most", style="bright_black"))
        for change in changes.moved:
            out.print(f"    {change.moved:+.2f}  {change.utterance[:60]}", markup=False)
    if changes.added or changes.gone:
        out.print(f"  [bright_black]{many(changes.added, 'row')} new, {changes.gone} gone[/]")


def _run(home: House, rows: Sequence[Row], quiet: bool, jobs: int = 1) -> list[Result]:
    from glossa.trials.parallel import run_table_parallel

    if len(rows) < SLOW or quiet or not sys.stderr.isatty():
        return run_table_parallel(home, rows, jobs)
    from rich.progress import Progress

    from glossa.cli.terminal import console

    with Progress(console=console(error=True), transient=True) as bar:
        task = bar.add_task("rows", total=len(rows))
        return run_table_parallel(home, rows, jobs, lambda done: bar.update(task, completed=done))


def report(home: House, rows: Sequence[Row], matcher: Matcher) -> int:
    """Run rows, print the results, and give the number of those that failed."""
    started = time.perf_counter()
    results = run_table(home, rows, matcher)
    _print(results, time.perf_counter() - started, False)
    return sum(not r.right for r in results)


def _as_json(result: Result) -> dict[str, object]:
    row = {
        "table": result.row.table,
        "line": result.row.line,
        "note": result.row.note,
        "right": result.right,
        "wrong": list(result.wrong),
    }
    return row | (result.event.plain() if result.event else {"utterance": result.row.utterance})


def _print(results: Sequence[Result], taken: float, only_failed: bool) -> None:
    from rich.table import Table
    from rich.text import Text

    from glossa.cli.terminal import console, reason_line

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
                    f"    {got}, confidence {event.confidence:.2f}, lead {event.lead:.2f}" + (f"; {why}" if why else ""),
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
    for note, (right, count) in by(results, "note").items():
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
            (f"{right} of {many(len(results), 'row')} right", style),
            (f"  in {taken:.2f} s, {1000 * taken / len(results):.1f} ms a row", "bright_black"),
        )
    )
