"""``glossa demo``."""

from __future__ import annotations

import sys
import time

import click

from glossa.files import find_house, load_house, read_text
from glossa.matching import Matcher
from glossa.trials import read_table

SAMPLE, DINGHY = "marigold", "dinghy"


@click.command()
@click.option(
    "--pace", type=click.FloatRange(0, 5), default=None, help="Seconds between two lines.  [default: 0.3 on a terminal, else 0]"
)
@click.option("--no-tables", is_flag=True, help="Play the evening only.")
@click.option(
    "--live",
    is_flag=True,
    help="Play on real wires of this machine instead: a broker, boards, a web hook, a module that sends codes, and faults.",
)
def demo(pace: float | None, no_tables: bool, live: bool) -> None:
    """Play a scripted evening aboard the narrowboat Marigold, line by line, then run her test tables.

    \b
    Examples:
      glossa demo --pace 0
      glossa demo --live
    """
    if live:
        from glossa.cli.live_demo import play
        from glossa.cli.terminal import console

        sys.exit(0 if play(load_house(SAMPLE), load_house(DINGHY), console()) else 1)
    from rich.rule import Rule
    from rich.text import Text

    from glossa.cli.terminal import console, event_lines
    from glossa.conversation import Conversation
    from glossa.links.simulated import SimulatedHouse

    home = load_house(SAMPLE)
    matcher = Matcher(home)
    conversation, simulated = Conversation(home, matcher), SimulatedHouse(home)
    pause = pace if pace is not None else 0.3 if sys.stdout.isatty() else 0.0
    out = console()
    script = find_house(SAMPLE).parent / "evening.csv"
    out.print(Rule(f"An evening aboard the {home.name}", style="bright_black"))
    clock = 0.0
    for row in read_table(read_text(script), script.name, home):
        clock = row.at if row.at is not None else clock + 1
        if row.note:
            out.print(Text(f"\n{row.note}", style="bold cyan"))
        event = conversation.hear(row.utterance, clock)
        changes = simulated.take(event.commands) if event.outcome == "accept" else []
        out.print(Text.assemble((f"{_clock(clock)}  ", "bright_black"), (f"heard “{event.utterance}”", "bold")))
        out.print(event_lines(event, home, changes), end="")
        time.sleep(pause)
    if no_tables:
        return
    from glossa.cli.tables import load_tables
    from glossa.cli.test import report

    out.print(Rule("Her test tables", style="bright_black"))
    failed = report(home, load_tables(SAMPLE, home), matcher)
    out.print(
        "\nNext: [bold]glossa talk marigold[/] to type to her yourself, [bold]glossa new my-home[/] to start your own house."
    )
    sys.exit(1 if failed else 0)


def _clock(seconds: float) -> str:
    minutes, rest = divmod(int(seconds), 60)
    return f"{18 + minutes // 60}:{minutes % 60:02}:{rest:02}"
