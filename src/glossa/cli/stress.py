"""``glossa stress``."""

from __future__ import annotations

import csv
import io
import json
import time
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

import click
import msgspec
from msgspec.structs import replace

from glossa.cli.main import house_argument, jobs_option, picture_option
from glossa.cli.tables import load_tables, tables_argument
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, write_file
from glossa.house import House, HouseError, Problem
from glossa.house.recogniser import Recogniser, read_recogniser, recogniser_text
from glossa.house.text import many
from glossa.language import language_of

if TYPE_CHECKING:
    from glossa.trials import Row
    from glossa.trials.estimate import Pair
    from glossa.trials.stress import StressResult

PAIRS = ("said", "heard")


@click.command()
@house_argument()
@tables_argument()
@click.option("--errors", default="0,5,10,20,30", show_default=True, help="Word error rates in percent.")
@click.option("--seed", default=1, show_default=True, help="The same seed makes the same errors.")
@click.option("--every", is_flag=True, help="Try every single error that is likely, in all that the house understands.")
@click.option("--seconds", type=click.FloatRange(0, min_open=True), help="With --every: stop after so long, with what was tried.")
@click.option("--most", default=12, show_default=True, type=click.IntRange(0), help="With --every: dangers that are listed.")
@click.option("--model", type=click.Path(path_type=Path), help="How the recogniser mishears: a file that --save wrote.")
@click.option(
    "--heard", multiple=True, type=click.Path(path_type=Path), help="Estimate that from a log, from lines, or from said,heard."
)
@click.option("--save", type=click.Path(path_type=Path), help="Write the model to a file, for --model and for the house.")
@click.option("--report", type=click.Path(path_type=Path), help="With --every: write one self-contained page with pictures.")
@jobs_option("The result is the same.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
@picture_option("Draw the result into a file.")
def stress(
    house: str,
    tables: tuple[Path, ...],
    extra_columns: bool,
    errors: str,
    seed: int,
    every: bool,
    seconds: float | None,
    most: int,
    model: Path | None,
    heard: tuple[Path, ...],
    save: Path | None,
    report: Path | None,
    jobs: int,
    as_json: bool,
    picture: str | None,
) -> None:
    """See how the tables hold up when the recogniser mishears: sound-alikes, dropped, merged and split words, numbers.

    With --every, every single error is tried, in what the house understands and in its tables, and those that lead to another action are
    listed by what was misheard. With --heard, errors are made as your recogniser makes them: FILE is a log (.db), a text file with a line
    for each utterance, or a CSV file with the columns said and heard, as `glossa teach --keep` writes it.

    \b
    Examples:
      glossa stress marigold --errors 0,10,20 --picture stress.png
      glossa stress marigold --every --jobs 2 --report stress.html
      glossa stress my-home --heard heard.txt --save my-home/recogniser.toml
    """
    rates = _rates(errors)
    for given, name in ((seconds, "--seconds"), (report, "--report")):
        if given is not None and not every:
            raise click.UsageError(f"{name} goes with --every.")
    if model is not None and heard:
        raise click.UsageError("Name a --model, or what to estimate it from with --heard, not both.")
    if report is not None:
        need("matplotlib")
        if report.suffix.lower() not in (".html", ".htm") or not report.parent.is_dir():
            raise click.UsageError(f"'{report}' is no page that could be written: name an .html file in a folder that is there.")
    home = load_house(house)
    home = replace(home, recogniser=_recogniser(home, model, heard))
    if save is not None:
        write_file(save, recogniser_text(home.recogniser), ".recogniser")
        click.echo(f'wrote {save}; name it under [house] as recogniser = "{save.name}", and it helps reading too', err=True)
        if not every and not picture and not as_json:
            return
    if every:
        _every(house, home, tables, extra_columns, rates, seed, seconds, most, jobs, as_json, report, picture)
        return
    rows = load_tables(house, home, tables, extra_columns=extra_columns)
    result = _run(home, rows, rates, seed, jobs, as_json)
    if picture is not None:
        from glossa.pictures.stress import draw_stress

        draw_stress(result, picture)
        click.echo(f"wrote {picture}", err=True)
    if as_json:
        click.echo(json.dumps(msgspec.to_builtins(result), ensure_ascii=False))
    else:
        _print(result)


def _rates(errors: str) -> list[float]:
    try:
        rates = [float(e) / 100 for e in errors.split(",") if e.strip()]
    except ValueError:
        raise click.UsageError(f"'{errors}' is no list of percents, as in 0,5,10.") from None
    if not rates or not all(0 <= r <= 1 for r in rates):
        raise click.UsageError("Word error rates go from 0 to 100 percent.")
    return rates


def _run(home: House, rows: Sequence[Row], rates: Sequence[float], seed: int, jobs: int, quiet: bool) -> StressResult:
    from rich.progress import Progress

    from glossa.cli.terminal import console
    from glossa.trials.stress import stress as run

    with Progress(console=console(error=True), transient=True, disable=quiet) as bar:
        task = bar.add_task("rows", total=len(rows) * len(rates))
        return run(home, rows, rates, seed, jobs, lambda done: bar.update(task, completed=done), home.recogniser)


def _print(result: StressResult) -> None:
    from rich.table import Table

    from glossa.cli.terminal import console

    out = console()
    table = Table(box=None, padding=(0, 2), collapse_padding=True, header_style="bright_black")
    for name in ("word error rate", "frame accuracy", "asked", "missed", "wrong, of all rows"):
        table.add_column(name, justify="right", no_wrap=True)
    for line in result.lines:
        must = max(1, line.must)
        table.add_row(
            f"{line.rate:.0%}",
            f"{line.frame_right / must:.1%}  ({line.frame_right} of {line.must})",
            f"{line.asked / must:.1%}",
            f"{line.missed / must:.1%}",
            f"{line.wrong / max(1, line.rows):.1%}  ({line.wrong} of {line.rows})",
        )
    out.print(table)
    if result.costly:
        out.print("\n  [bright_black]the words that cost most when they were misheard[/]")
        for word, lost, struck in result.costly:
            out.print(f"    {word}: {lost} of {many(struck, 'row')} lost", markup=False)


# --- the model ------------------------------------------------------------------------------------------------------


def _recogniser(home: House, model: Path | None, heard: Sequence[Path]) -> Recogniser:
    """The recogniser that is named, or estimated from what it wrote; else the house's own."""
    if model is not None:
        return read_recogniser(read_text(model), str(model))
    if not heard:
        return home.recogniser
    from glossa.trials.estimate import estimate

    pairs = [pair for path in heard for pair in _pairs(home, path)]
    if not pairs:
        raise HouseError([Problem(str(heard[0]), 0, "", "holds no line that this house carries out", "a few dozen are needed")])
    found = estimate(pairs, language_of(home, home.languages[0]))
    words = f"{many(found.words, 'word')} of {many(len(pairs), 'line')}"
    click.echo(f"estimated from {words}: {found.rate:.1%} of words wrong, {many(len(found.written), 'word')} misheard", err=True)
    return found


def _pairs(home: House, path: Path) -> list[Pair]:
    """What was said and what was written, from a file of any of the forms."""
    from glossa.trials.estimate import understood_pairs

    if path.suffix.lower() == ".db":
        from glossa.live.log import read_log

        return understood_pairs(home, [str(e.data.get("utterance", "")) for e in read_log(path, kinds=("heard",))])
    text = read_text(path)
    if path.suffix.lower() != ".csv":
        return understood_pairs(home, text.splitlines())
    reader = csv.DictReader(io.StringIO(text))
    columns = [c.strip().lower() for c in reader.fieldnames or ()]
    reader.fieldnames = columns
    if set(PAIRS) <= set(columns):
        return [(row["said"] or "", row["heard"] or "") for row in reader if row["said"] and row["heard"]]
    if "utterance" in columns:
        return understood_pairs(home, [row["utterance"] or "" for row in reader])
    raise HouseError([Problem(str(path), 1, "", "has neither the columns said and heard nor the column utterance")])


# --- every single error ---------------------------------------------------------------------------------------------


def _every(
    house: str,
    home: House,
    tables: Sequence[Path],
    extra_columns: bool,
    rates: Sequence[float],
    seed: int,
    seconds: float | None,
    most: int,
    jobs: int,
    as_json: bool,
    report: Path | None,
    picture: str | None,
) -> None:
    from rich.progress import Progress

    from glossa.cli.every import as_plain, print_every, starred
    from glossa.cli.terminal import console
    from glossa.trials.danger import dangers
    from glossa.trials.every import every_error

    beside = tables or (find_house(house).parent / "tests").is_dir()
    rows = load_tables(house, home, tables, extra_columns=extra_columns) if beside else []
    end = time.monotonic() + seconds if seconds is not None else None
    with Progress(console=console(error=True), transient=True, disable=as_json) as bar:
        task = bar.add_task("sentences", total=None)
        result = every_error(
            home,
            rows,
            jobs,
            lambda done, total: bar.update(task, completed=done, total=total),
            lambda: end is None or time.monotonic() < end,
        )
    result = starred(home, result)
    found = dangers(home, result.mishaps)
    if report is not None:
        from glossa.pictures.every import page

        curve = _run(home, rows, rates, seed, jobs, as_json) if rows else None
        write_file(report, page(home, result, found, curve), ".html")
        click.echo(f"wrote {report}", err=True)
    if picture is not None:
        from glossa.pictures.every import draw_every

        draw_every(result, found, picture)
        click.echo(f"wrote {picture}", err=True)
    if as_json:
        click.echo(json.dumps(as_plain(result, found), ensure_ascii=False))
    else:
        print_every(home, result, found, most)
