"""``glossa watch``."""

from __future__ import annotations

import json
import os
import signal
import time
from collections.abc import Sequence
from queue import Empty, SimpleQueue
from typing import Any

import click
from msgspec.structs import replace
from rich.text import Text

from glossa.cli.main import house_argument
from glossa.commands.states import Report, States
from glossa.files import load_house
from glossa.house.problems import nearest

MOST_BYTES = 12


@click.command()
@house_argument()
@click.option("--link", "names", multiple=True, help="Only this link; may be repeated.")
@click.option(
    "--topic", "topics", multiple=True, metavar="FILTER", help="MQTT topics to look at.  [default: the house's own, $house/#]"
)
@click.option("--seconds", type=click.FloatRange(0.1), help="Stop after this many seconds.")
@click.option("--count", type=click.IntRange(1), help="Stop after this many arrivals.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object for each thing that arrives.")
def watch(
    house: str, names: tuple[str, ...], topics: tuple[str, ...], seconds: float | None, count: int | None, as_json: bool
) -> None:
    """See what arrives on every link: as text, in hex, and as the states that the house reads in it. Nothing is sent.

    \b
    Examples:
      glossa watch marigold
      glossa watch marigold --link boat --topic 'marigold/+/level' --seconds 10
    """
    from glossa.cli.terminal import console, print_line
    from glossa.live.courier import clock
    from glossa.live.wiring import Wiring

    home = load_house(house)
    for name in names:
        if name not in home.links:
            raise click.UsageError(f"This house has no link '{name}' ({nearest(name, home.links)}).")
    states = States(home)
    wanted = names or tuple(home.links)
    events: SimpleQueue[tuple[Any, ...]] = SimpleQueue()
    wiring = Wiring(
        arrived=lambda *found: events.put(found), changed=lambda *found: events.put(found), result=lambda result: None,
        environment=os.environ, dry=True,
    )  # fmt: skip
    filters = {
        name: topics or (f"{home.id}/#", *(t for t in states.topics.get(name, ()) if not t.startswith(f"{home.id}/")))
        for name in wanted
    }
    wiring.update(replace(home, links={name: home.links[name] for name in wanted}), filters, {}, wanted)
    out = console()
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    until = clock() + seconds if seconds else float("inf")
    seen = 0
    try:
        while clock() < until and (count is None or seen < count):
            try:
                event = events.get(timeout=min(0.5, max(0.01, until - clock())))
            except Empty:
                continue
            if len(event) == 3:  # a link came up or went down
                name, up, reason = event
                text = f"{name} is {'up' if up else 'down'}{': ' if reason else ''}{reason}"
                click.echo(click.style(text, fg="green" if up else "red"), err=True)
                continue
            name, place, data, retained, _ = event
            seen += 1
            reports = states.read(name, place, data, clock())[0]
            if as_json:
                click.echo(json.dumps(_plain(name, place, data, retained, reports), ensure_ascii=False))
            else:
                print_line(out, arrival_line(name, place, data, reports, retained))
    except KeyboardInterrupt:
        pass
    finally:
        wiring.end("the end")


def _plain(name: str, place: str, data: bytes, retained: bool, reports: Sequence[Report]) -> dict[str, Any]:
    return {
        "link": name, "topic": place, "text": data.decode("utf-8", errors="replace"), "hex": data.hex(), "retained": retained,
        "states": [{"device": r.device, "property": r.property, "value": r.value} for r in reports],
    }  # fmt: skip


def arrival_line(name: str, place: str, data: bytes, reports: Sequence[Report], retained: bool = False) -> Text:
    """What arrived on one line: the link, the topic, text, hex, and the states in it."""
    shown = "".join(c if c.isprintable() else "·" for c in data[:200].decode("utf-8", errors="replace"))
    line = Text().append(time.strftime("%H:%M:%S") + "  ", style="bright_black")
    line.append(f"{name}  ", style="cyan")
    line.append(f"{place}  " if place else "")
    line.append(f"“{shown}”", style="bold")
    rest = f" … {len(data)} bytes" if len(data) > MOST_BYTES else ""
    line.append(f"  {data[:MOST_BYTES].hex(' ').upper()}{rest}", style="bright_black")
    line.append("  kept" if retained else "", style="bright_black")
    for report in reports:
        line.append(f"  {report.device} {report.property} {report.value}", style="green")
    return line
