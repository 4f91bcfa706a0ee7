"""``glossa check``."""

from __future__ import annotations

import json
import sys

import click

from glossa.cli.main import house_argument, picture_option
from glossa.files import find_house, load_house
from glossa.house import House, HouseError
from glossa.house.text import many, printable
from glossa.trials import Row
from glossa.trials.findings import Finding, findings


@click.command()
@house_argument()
@click.option("--strict", is_flag=True, help="Findings make the exit code 1.")
@click.option("--json", "as_json", is_flag=True, help="Problems and findings as one JSON list.")
@picture_option("Draw how near the phrases are to each other.")
def check(house: str, strict: bool, as_json: bool, picture: str | None) -> None:
    """Read a house and list everything that is wrong, with file, line, key and what to write instead.

    Where nothing is wrong, findings follow: names and phrases that will be confused, opposites under one intent, phrases that
    can never win, codes used twice, devices out of reach, intents that no test row covers.

    \b
    Examples:
      glossa check marigold
      glossa check my-home --strict --picture near.png
    """
    try:
        home = load_house(house)
    except HouseError as error:
        if not as_json:
            raise
        fields = ("file", "line", "key", "message", "hint")
        click.echo(json.dumps([{f: getattr(p, f) for f in fields} for p in error.problems], ensure_ascii=False, indent=1))
        sys.exit(2)
    found = findings(home, rows=_rows(house, home))
    if picture is not None:
        from glossa.pictures.nearness import draw_nearness

        draw_nearness(home, picture)
        click.echo(f"wrote {picture}", err=True)
    if as_json:
        fields = ("name", "place", "what", "why", "instead")
        click.echo(json.dumps([{f: getattr(p, f) for f in fields} for p in found], ensure_ascii=False, indent=1))
    else:
        _summary(home, len(found))
        _show(found)
    sys.exit(1 if strict and found else 0)


def _rows(house: str, home: House) -> list[Row] | None:
    from glossa.cli.tables import load_tables

    if not any((find_house(house).parent / "tests").glob("*.csv")):
        return None
    return load_tables(house, home)


def _summary(home: House, found: int) -> None:
    phrases = sum(len(ps) for i in home.intents.values() for ps in i.phrases.values())
    sequences = sum(len(p.sequences) for i in home.intents.values() for ps in i.phrases.values() for p in ps)
    counts = {
        "device": len(home.devices),
        "kind": len(home.kinds),
        "room": len(home.rooms),
        "group": len(home.groups),
        "intent": len(home.intents),
        "mode": len(home.modes),
        "link": len(home.links),
    }
    told = f"no errors, {many(found, 'finding')}" if found else "no errors, no findings"
    click.echo(click.style(f"{home.name}: {told}", fg="yellow" if found else "green", bold=True))
    click.echo("  " + ", ".join(many(n, what) for what, n in counts.items() if n))
    makes = "makes" if phrases == 1 else "make"
    click.echo(f"  {many(phrases, 'phrase')} that {makes} {many(sequences, 'sequence')}, in {', '.join(home.languages)}")


def _show(found: list[Finding]) -> None:
    for finding in found:
        click.echo(click.style(finding.name, fg="yellow", bold=True) + click.style(f"  {finding.place}", fg="cyan"))
        click.echo(f"    {printable(finding.what)}")
        click.echo(click.style(f"    {finding.why}; {printable(finding.instead)}", fg="bright_black"))
