"""``glossa wake``."""

from __future__ import annotations

import json
from pathlib import Path

import click
import msgspec

from glossa.cli.main import house_argument, picture_option
from glossa.files import find_house, load_house, read_text
from glossa.house.notation import NotationError
from glossa.house.text import many


@click.command()
@house_argument()
@click.argument("words", nargs=-1, metavar="[WORD]...")
@click.option("--talk", type=click.Path(path_type=Path), help="Lines of household talk; talk.txt beside the house by default.")
@click.option("--language", default="", help="The language of the words.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per word.")
@picture_option("Draw how often talk fires each word, by threshold.")
def wake(house: str, words: tuple[str, ...], talk: Path | None, language: str, as_json: bool, picture: str | None) -> None:
    """Rate wake words: length, what they sound like, and how often talk would set them off.

    Without WORD, the wake words of the house are rated.

    \b
    Examples:
      glossa wake marigold
      glossa wake marigold "hello" "ahoy barnacle" "tin whistle" --picture wake.png
    """
    from glossa.trials.wake import THRESHOLDS, rate_wake_word, wake_words

    home = load_house(house)
    if language and language not in home.languages:
        raise click.UsageError(f"This house has no language '{language}'.")
    path = talk or find_house(house).parent / "talk.txt"
    lines = [line for line in read_text(path).splitlines() if line.strip()] if talk or path.is_file() else []
    rated = list(words) or wake_words(home)
    if not rated:
        raise click.UsageError("This house has no wake word; name one to rate.")
    try:
        ratings = [rate_wake_word(home, word, lines, language) for word in rated]
    except NotationError as error:
        raise click.UsageError(str(error)) from None
    if picture is not None:
        from glossa.pictures.wake import draw_wake

        draw_wake(ratings, picture)
        click.echo(f"wrote {picture}", err=True)
    if as_json:
        for rating in ratings:
            click.echo(json.dumps(msgspec.to_builtins(rating) | {"thresholds": THRESHOLDS}, ensure_ascii=False))
        return
    from rich.table import Table
    from rich.text import Text

    from glossa.cli.terminal import console

    out = console()
    table = Table(box=None, padding=(0, 1), header_style="bright_black")
    for name in ("wake word", "syllables", "sounds", "nearest", "apart"):
        text = name in ("wake word", "nearest")
        table.add_column(name, justify="left" if text else "right", no_wrap=not text, min_width=9 if text else len(name))
    for threshold in (0.6, 0.75, 0.85, 0.95) if lines else ():
        table.add_column(f"{threshold}", justify="right", no_wrap=True, min_width=4)
    table.add_column("accept", no_wrap=True, min_width=6)
    for rating in ratings:
        near = rating.neighbours[0] if rating.neighbours else None
        fired = [str(rating.fired[THRESHOLDS.index(t)]) for t in (0.6, 0.75, 0.85, 0.95)] if lines else []
        style = "red" if rating.faults else "green"
        table.add_row(
            Text(rating.word, style=f"bold {style}"),
            str(rating.syllables),
            str(rating.phones),
            near.text if near else "—",
            f"{near.apart:.2f}" if near else "—",
            *fired,
            f"{rating.threshold:.2f}",
        )
    out.print(table)
    if lines:
        out.print(
            f"  [bright_black]Under the thresholds: of {many(len(lines), 'line')} of talk, how many would wake the house.[/]"
        )
    for rating in ratings:
        for fault in rating.faults:
            out.print(Text.assemble(("  " + rating.word, "bold red"), f": {fault}"))
        if not rating.faults:
            out.print(
                Text.assemble(("  " + rating.word, "bold green"), f": nothing wrong with it; accept = {rating.threshold:.2f}")
            )
