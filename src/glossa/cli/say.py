"""``glossa say``."""

from __future__ import annotations

import json
import os
import sys
from collections.abc import Iterator

import click

from glossa.cli.main import house_argument, picture_option, wrong_call
from glossa.conversation import Conversation, Event
from glossa.conversation.secrecy import Secrecy
from glossa.files import load_house
from glossa.house.model import House
from glossa.matching import Matcher


@click.command()
@house_argument()
@click.argument("texts", nargs=-1, metavar="[TEXT]...")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per line.")
@click.option("--why", is_flag=True, help="Explain: word by word what was heard, what it was taken for, and what that cost.")
@picture_option("Draw the explanation of the last TEXT into a PNG file.")
@click.option("--mode", default="", help="The mode that the house is in.")
@click.option("--language", default="", help="The language that is spoken; the others are off then.")
@click.option("--source", default="", metavar="ID", help="Each TEXT is a code of this source.")
def say(
    house: str, texts: tuple[str, ...], as_json: bool, why: bool, picture: str | None, mode: str, language: str, source: str
) -> None:
    """Show what a phrase would do: its intent, values, commands and reply. Nothing is sent.

    Each TEXT is taken on its own, with the house awake; without TEXT, each line of standard input.

    \b
    Examples:
      glossa say marigold "galley lamp to forty"
      glossa say marigold "turn of the galley lap" --why
      printf 'galley lamp on\\n' | glossa say marigold --json
    """
    home = load_house(house)
    matcher = Matcher(home)
    try:
        mode, language = matcher.mode(mode), matcher.language(language)
    except LookupError as error:
        raise wrong_call(error) from None
    secrecy = Secrecy(matcher, (None, os.environ))
    event = None
    for text in texts or lines():
        if source:
            try:
                text = home.meant_by(source, text)
            except LookupError as error:
                raise click.UsageError(str(error.args[0])) from None
        event = secrecy.shown(Conversation(home, matcher, awake=True, mode=mode).hear(text, 0.0, language))
        _print(event, home, as_json, why)
    if picture is not None and event is not None:
        if event.match is None or (event.match.best is None and not event.match.parts):
            raise click.ClickException("there is nothing to draw: no phrase comes near")
        from glossa.pictures import draw_match

        draw_match(event.match, picture)
        click.echo(f"wrote {picture}", err=True)


def lines() -> Iterator[str]:
    """The lines of standard input; what is not UTF-8 in them is replaced."""
    if sys.stdin.isatty():
        click.echo("Type phrases, one a line; Ctrl-D ends.", err=True)
    stream = sys.stdin.buffer if hasattr(sys.stdin, "buffer") else None
    if stream is None:
        yield from (line.rstrip("\r\n") for line in sys.stdin)
        return
    for raw in stream:
        yield raw.decode("utf-8", errors="replace").rstrip("\r\n")


def _print(event: Event, house: House, as_json: bool, why: bool) -> None:
    if as_json:
        found = event.plain()
        if why and event.match is not None:
            found["why"] = event.match.explain()
        click.echo(json.dumps(found, ensure_ascii=False))
        return
    from glossa.cli.terminal import console, event_lines, explanation

    out = console()
    out.print(event.utterance, style="bold", markup=False)
    out.print(event_lines(event, house), end="")
    if why:
        explanation(event, out)
        out.print()
