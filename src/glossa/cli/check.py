"""``glossa check``."""

from __future__ import annotations

import json
import sys

import click

from glossa.cli.main import house_argument
from glossa.files import load_house
from glossa.house import HouseError


@click.command()
@house_argument()
@click.option("--json", "as_json", is_flag=True, help="Problems as one JSON list.")
def check(house: str, as_json: bool) -> None:
    """Read a house and list everything that is wrong, with file, line, key and what to write instead.

    \b
    Examples:
      glossa check marigold
      glossa check my-home/house.toml
    """
    try:
        home = load_house(house)
    except HouseError as error:
        if not as_json:
            raise
        fields = ("file", "line", "key", "message", "hint")
        click.echo(json.dumps([{f: getattr(p, f) for f in fields} for p in error.problems], ensure_ascii=False, indent=1))
        sys.exit(2)
    if as_json:
        click.echo("[]")
        return
    phrases = sum(len(ps) for i in home.intents.values() for ps in i.phrases.values())
    sequences = sum(len(p.sequences) for i in home.intents.values() for ps in i.phrases.values() for p in ps)
    counts = {
        "devices": len(home.devices),
        "kinds": len(home.kinds),
        "rooms": len(home.rooms),
        "groups": len(home.groups),
        "intents": len(home.intents),
        "modes": len(home.modes),
        "links": len(home.links),
    }
    click.echo(click.style(f"{home.name}: no problems", fg="green", bold=True))
    click.echo("  " + ", ".join(f"{n} {what if n != 1 else what[:-1]}" for what, n in counts.items() if n))
    click.echo(f"  {phrases} phrases that make {sequences} sequences, in {', '.join(home.languages)}")
