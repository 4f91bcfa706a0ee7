"""``glossa teach``."""

from __future__ import annotations

import csv
import difflib
import io
import sys
from collections.abc import Iterable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from glossa.cli.main import house_argument
from glossa.extras import need
from glossa.files import find_house, load_house, read_text, write_file, write_house
from glossa.house import House, HouseError, Problem
from glossa.house.problems import nearest
from glossa.house.text import many

if TYPE_CHECKING:
    from glossa.trials.proposals import Proposal


@click.command()
@house_argument()
@click.argument("intent")
@click.option("--times", default=3, show_default=True, type=click.IntRange(1, 50), help="How often to say it.")
@click.option("--yes", is_flag=True, help="Write what is proposed without asking.")
@click.option("--keep", type=click.Path(path_type=Path), help="Add the takes to a CSV file, for `glossa stress --heard`.")
def teach(house: str, intent: str, times: int, yes: bool, keep: Path | None) -> None:
    """Say a command a few times and see how your recogniser writes it; add what it takes to be understood.

    The takes are lines on standard input: typed, or from the recogniser. What would be added is shown as a diff and only
    written with your consent.

    \b
    Examples:
      glossa teach my-home good_night
      my-recogniser | glossa teach my-home good_night --times 5 --yes
      my-recogniser | glossa teach my-home good_night --keep takes.csv
    """
    from glossa.cli.terminal import console
    from glossa.trials.takes import teach as run

    need("tomlkit")
    home = load_house(house)
    if intent not in home.intents:
        raise click.UsageError(f"This house has no intent '{intent}' ({nearest(intent, home.intents)}).")
    out = console()
    takes = _takes(times)
    try:
        lesson = run(home, intent, takes)
    except ValueError:
        raise click.UsageError("Nothing was heard; type a line for each take, or pipe your recogniser in.") from None
    if keep is not None:
        _keep(home, intent, takes, keep)
    for text, count in lesson.takes:
        known = text in lesson.understood
        out.print(
            f"  {'[green]understood[/]' if known else '[yellow]not yet   [/]'}  {text}  [bright_black]{count} of {len(takes)}[/]"
        )
    agree = "the takes agree" if lesson.agree else "[yellow]the takes do not agree; say it more clearly, or choose other words[/]"
    out.print(f"  {agree} [bright_black](largest distance {lesson.apart:.2f})[/]")
    if lesson.nearest[0]:
        out.print(f"  nearest other command: {lesson.nearest[0]}, score {lesson.nearest[1]:.2f}")
    for take in lesson.beyond:
        needs = ", ".join(
            f"${slot}" for slot in (*(("device",) if home.intents[intent].to_a_device else ()), *home.intents[intent].needs)
        )
        lacks = f"; {intent} needs {needs} to be said" if needs else ""
        out.print(f"  [yellow]no phrase would make “{take}” do what {intent} does[/]{lacks}", highlight=False)
    if not lesson.proposals:
        out.print("  nothing to add" if lesson.beyond else "  [green]nothing to add[/]")
        return
    for proposal in lesson.proposals:
        out.print(f"  {proposal.why}")
    offer(find_house(house), lesson.proposals, home.languages[0], yes)


def _keep(home: House, intent: str, takes: Iterable[str], path: Path) -> None:
    """Add takes to a table of what was said and what was heard."""
    from glossa.trials.estimate import taken_pairs

    before = read_text(path) if path.exists() else "said,heard\n"
    if before.split("\n", 1)[0].strip().lower().replace(" ", "") != "said,heard":
        raise HouseError(
            [Problem(str(path), 1, "", "is no table of takes", "it begins with the line said,heard; name another file")]
        )
    added = io.StringIO()
    pairs = taken_pairs(home, intent, takes)
    csv.writer(added, lineterminator="\n").writerows(pairs)
    write_file(path, before + ("" if before.endswith("\n") else "\n") + added.getvalue())
    click.echo(f"kept {many(len(pairs), 'take')} in {path}; takes that sound like no phrase of {intent} are left out", err=True)


def _takes(times: int) -> list[str]:
    found = []
    for number in range(times):
        if sys.stdin.isatty():
            click.echo("Say it." if number == 0 else f"Say it again ({number + 1} of {times}).", err=True)
        line = sys.stdin.readline()
        if not line:
            break
        found.append(line.strip())
    return found


def offer(file: Path, proposals: Iterable[Proposal], language: str, yes: bool) -> None:
    """Show what would change in a house file as a unified diff, and write it with the user's consent.

    A phrase for an intent of a phrase table is named as a row for it; only the house file is written.
    """
    from glossa.trials.edit import has_table, with_word

    before = after = read_text(file)
    for proposal in proposals:
        if has_table(before, proposal.path[:-1]):
            after = with_word(after, proposal.path, [proposal.text], language)
        else:
            click.echo(f"  add a row to the phrase table: phrase “{proposal.text}”, intent {proposal.path[1]}")
    if after == before:
        return
    for line in difflib.unified_diff(before.splitlines(), after.splitlines(), str(file), str(file), lineterm="", n=1):
        colour = {"+": "green", "-": "red", "@": "cyan"}.get(line[:1])
        click.echo(click.style(line, fg=colour))
    if yes or (sys.stdin.isatty() and click.confirm("Write this?", default=False)):
        click.echo(f"wrote {file}; what it was is in {write_house(file, after)}")
    else:
        click.echo("not written" + ("" if sys.stdin.isatty() else "; --yes writes it"))
