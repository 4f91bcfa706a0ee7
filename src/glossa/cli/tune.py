"""``glossa tune``."""

from __future__ import annotations

import json
from pathlib import Path

import click
import msgspec
from msgspec.structs import replace

from glossa.cli.main import house_argument, jobs_option, picture_option
from glossa.cli.tables import load_tables, tables_argument
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, write_house
from glossa.house.model import Prices
from glossa.house.problems import nearest


@click.command()
@house_argument()
@tables_argument()
@click.option("--talk", type=click.Path(path_type=Path), help="Lines of household talk, each to be left alone.")
@click.option(
    "--price", "priced", multiple=True, metavar="NAME=VALUE", help="A price, instead of the house's: wrong, talk, missed or ask."
)
@jobs_option("The result is the same.")
@click.option("--write", is_flag=True, help="Change the house file; comments are kept, and so is a backup beside it.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object.")
@picture_option("Draw price and trade-off into a file.")
def tune(
    house: str,
    tables: tuple[Path, ...],
    extra_columns: bool,
    talk: Path | None,
    priced: tuple[str, ...],
    jobs: int,
    write: bool,
    as_json: bool,
    picture: str | None,
) -> None:
    """Find the limits at which mistakes cost least, from your own rows, judged on rows that were held out.

    The prices are those of the house, under [prices]. With 150 rows or more the weights of the evidence are fitted to your rows too.
    The house file is only changed with --write.

    \b
    Examples:
      glossa tune marigold --talk talk.txt --picture tune.png
      glossa tune my-home my-home/tests/first.csv --price wrong=20 --write
    """
    from glossa.cli.terminal import console
    from glossa.trials.tune import tune as run

    need("scipy", *(["tomlkit"] if write else []))
    home = load_house(house)
    prices = _prices(home.prices, priced)
    rows = load_tables(house, home, tables, extra_columns=extra_columns)
    beside = find_house(house).parent / talk if talk else None
    path = talk if talk is None or talk.exists() or beside is None or not beside.exists() else beside
    lines = read_text(path).splitlines() if path else []
    from rich.progress import Progress

    with Progress(console=console(error=True), transient=True, disable=as_json) as bar:
        task = bar.add_task("folds", total=None)
        try:
            found = run(
                home,
                rows,
                lines,
                prices,
                jobs=jobs,
                progress=lambda done, total: bar.update(task, completed=done, total=total),
            )
        except ValueError as error:
            raise click.UsageError(str(error)) from None
    if picture is not None:
        from glossa.pictures.tune import draw_tuned

        draw_tuned(found, picture, home.matching.accept)
        click.echo(f"wrote {picture}", err=True)
    changed = {k: v for k in ("accept", "confirm", "lead") if (v := getattr(found.settings, k)) != getattr(home.matching, k)}
    if as_json:
        click.echo(json.dumps(msgspec.to_builtins(found) | {"changed": changed}, ensure_ascii=False))
    else:
        _print(found, changed)
    if write:
        from glossa.trials.edit import with_settings

        if not changed and not found.intents and not found.evidence:
            click.echo("nothing to write: today's settings are the best", err=True)
            return
        file = find_house(house)
        backup = write_house(file, with_settings(read_text(file), changed, found.intents, found.evidence))
        click.echo(f"wrote {file}; what it was is in {backup}", err=True)


def _prices(own: Prices, given: tuple[str, ...]) -> Prices:
    """The house's prices with those that were given instead."""
    names = Prices.__struct_fields__
    found = {}
    for pair in given:
        name, _, value = pair.partition("=")
        try:
            found[name] = float(value)
        except ValueError:
            raise click.UsageError(f"'{pair}' is no price; write it as in --price wrong=20") from None
        if name not in names:
            raise click.UsageError(f"there is no price '{name}' ({nearest(name, names)})")
        if not 0 <= found[name] < float("inf"):
            raise click.UsageError("a price is 0 or more")
    return replace(own, **found)


def _print(found: object, changed: dict[str, float]) -> None:
    from rich.table import Table

    from glossa.cli.terminal import console
    from glossa.trials.tune import Tuned

    assert isinstance(found, Tuned)
    out = console()
    table = Table(box=None, padding=(0, 2), collapse_padding=True, pad_edge=False, header_style="bright_black")
    for name in ("held out", "price a row", "95 % interval", "wrong", "on talk", "missed", "asked", "rows"):
        table.add_column(name, justify="left" if name == "held out" else "right", no_wrap=True)
    for name, judged in (("today", found.before), ("tuned", found.after)):
        interval = f"{judged.low:.4f} to {judged.high:.4f}"
        counts = (judged.wrong, judged.talk, judged.missed, judged.asked, judged.rows)
        table.add_row(name, f"{judged.price:.4f}", interval, *(str(c) for c in counts))
    out.print(table)
    verdict = (
        "[green]better by more than chance[/]"
        if found.better
        else "[yellow]no better than today, as far as these rows can tell[/]"
    )
    out.print(f"\n  {verdict}")
    if changed:
        out.print("  would change  " + "  ".join(f"[bold]{k}[/] = {v:g}" for k, v in changed.items()))
    else:
        out.print("  today's settings are the best that was found")
    if found.evidence:
        out.print("  and the weights of the evidence, fitted to these rows")
    for intent, accept in found.intents.items():
        out.print(f"  [bold]{intent}[/] wants an accept of its own: {accept:g}")
    for warning in found.warnings:
        out.print(f"  [yellow]{warning}[/]")
