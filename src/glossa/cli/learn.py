"""``glossa learn``."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import click
import msgspec

from glossa.cli.main import house_argument
from glossa.cli.teach import offer
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, write_file


@click.command()
@house_argument()
@click.argument("log", type=click.Path(path_type=Path))
@click.option("--rows", type=click.Path(path_type=Path), help="Write the proposed rows as a table, to be checked by you.")
@click.option("--yes", is_flag=True, help="Add the proposed words to the house without asking.")
@click.option("--most", default=20, show_default=True, help="How many groups to show.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per group.")
def learn(house: str, log: Path, rows: Path | None, yes: bool, most: int, as_json: bool) -> None:
    """Group the misses in a LOG of heard lines; propose rows for the table and words to add.

    LOG holds one utterance per line, or is a CSV file with the column 'utterance'.

    \b
    Example:
      glossa learn my-home heard.txt --rows tests/from-log.csv
    """
    from glossa.cli.terminal import console
    from glossa.trials.takes import learn as run

    if not as_json:
        need("tomlkit")
    home = load_house(house)
    misses = run(home, _lines(log, read_text(log)), most=most)
    if as_json:
        for miss in misses:
            click.echo(json.dumps(msgspec.to_builtins(miss), ensure_ascii=False))
        return
    out = console()
    if not misses:
        out.print("[green]Everything in the log was understood.[/]")
        return
    for miss in misses[:most]:
        head = f"{miss.count} x  [bold]{_plain(miss.texts[0][0])}[/]"
        also = f"  [bright_black]also {', '.join(_plain(t) for t, _ in miss.texts[1:4])}[/]" if len(miss.texts) > 1 else ""
        out.print(head + also)
        out.print(
            f"     {miss.outcome}, score {miss.score:.2f}; "
            + (f"sounds like [bold]{miss.intent}[/]" if miss.intent else "like nothing of this house")
        )
        if miss.proposal is not None:
            out.print(f"     [bright_black]{_plain(miss.proposal.why)}; add it to {'.'.join(miss.proposal.path)}[/]")
    if len(misses) > most:
        out.print(f"and {len(misses) - most} more; --most shows them")
    if rows is not None:
        if rows.exists():
            raise click.ClickException(f"{rows} is there already; name another file")
        table = io.StringIO()
        writer = csv.writer(table, lineterminator="\n")
        writer.writerow(["utterance", "outcome", "intent", "note"])
        writer.writerows((*miss.row, "from the log") for miss in misses)
        write_file(rows, table.getvalue())
        click.echo(f"wrote {rows}: check each row before you keep it", err=True)
    proposals = [m.proposal for m in misses if m.proposal is not None]
    if proposals:
        offer(find_house(house), proposals, home.languages[0], yes)


def _lines(log: Path, text: str) -> list[str]:
    if log.suffix.lower() == ".csv":
        from glossa.trials import read_table

        return [row.utterance for row in read_table(text, str(log), extra_columns=True)]
    return text.splitlines()


def _plain(text: str) -> str:
    return text.replace("[", "\\[")
