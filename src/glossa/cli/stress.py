"""``glossa stress``."""

from __future__ import annotations

import json
from pathlib import Path

import click
import msgspec

from glossa.cli.main import house_argument, jobs_option, picture_option
from glossa.cli.tables import load_tables, tables_argument
from glossa.files import load_house
from glossa.house.text import many


@click.command()
@house_argument()
@tables_argument()
@click.option("--errors", default="0,5,10,20,30", show_default=True, help="Word error rates in percent.")
@click.option("--seed", default=1, show_default=True, help="The same seed makes the same errors.")
@jobs_option("The result is the same.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
@picture_option("Draw the result into a file.")
def stress(
    house: str,
    tables: tuple[Path, ...],
    extra_columns: bool,
    errors: str,
    seed: int,
    jobs: int,
    as_json: bool,
    picture: str | None,
) -> None:
    """See how the tables hold up when the recogniser mishears: sound-alikes, dropped, merged and split words, numbers.

    \b
    Example:
      glossa stress marigold --errors 0,10,20 --picture stress.png
    """
    from glossa.cli.terminal import console
    from glossa.trials.stress import stress as run

    home = load_house(house)
    try:
        rates = [float(e) / 100 for e in errors.split(",") if e.strip()]
    except ValueError:
        raise click.UsageError(f"'{errors}' is no list of percents, as in 0,5,10.") from None
    if not rates or not all(0 <= r <= 1 for r in rates):
        raise click.UsageError("Word error rates go from 0 to 100 percent.")
    rows = load_tables(house, home, tables, extra_columns=extra_columns)
    from rich.progress import Progress

    with Progress(console=console(error=True), transient=True, disable=as_json) as bar:
        task = bar.add_task("rows", total=len(rows) * len(rates))
        result = run(home, rows, rates, seed, jobs, lambda done: bar.update(task, completed=done))
    if picture is not None:
        from glossa.pictures.stress import draw_stress

        draw_stress(result, picture)
        click.echo(f"wrote {picture}", err=True)
    if as_json:
        click.echo(json.dumps(msgspec.to_builtins(result), ensure_ascii=False))
        return
    from rich.table import Table

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
