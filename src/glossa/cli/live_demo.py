"""The live part of ``glossa demo``: Marigold on real wires of this machine, with faults."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import click
from msgspec.structs import replace
from rich.console import Console
from rich.text import Text

from glossa.cli.live_lines import record_line
from glossa.cli.terminal import print_line
from glossa.house.model import House
from glossa.links.household import Household
from glossa.links.household.broker import Broker, NoBroker
from glossa.live import Live, Record


def play(home: House, out: Console) -> bool:
    """Play it; whether most was sent, and what came while the broker was gone was not.

    Raises:
        click.ClickException: where no broker is installed.
    """
    try:
        broker = Broker()
    except NoBroker as error:
        raise click.ClickException(str(error)) from None
    panel = home.links["panel"]
    home = replace(home, links={**home.links, "panel": replace(panel, options=replace(panel.options, acknowledge="OK"))})
    household = Household(home, {"boat": broker.port, "hooks": 0})
    results: list[str] = []

    def show(record: Record) -> None:
        if record.kind in ("sent", "failed"):
            results.append(str(record.data["how"]))
        print_line(out, record_line(record))

    live = Live(household.house, (), show, environment={"MARIGOLD_HATCH_PIN": "2468"})
    live.engine.conversation.matcher.warm()
    house = threading.Thread(target=live.run)
    house.start()
    try:
        for pause, line in _script(broker):
            time.sleep(pause)
            if callable(line):
                line()
            elif line.startswith("# "):
                out.print(Text(f"\n{line[2:]}", style="bold cyan"))
            else:
                live.offer(line.encode(), "demo")
        time.sleep(1)
    finally:
        live.stop("the demo is over")
        house.join()
        household.close()
        broker.close()
    out.print(
        Text(
            f"\nThe lamps say: galley lamp {household.state['galley_lamp', 'power']}, saloon lamp {household.state['saloon_lamp', 'level']} percent."
        )
    )
    return "expired" in results and results.count("sent") > len(results) / 2


def _script(broker: Broker) -> list[tuple[float, str | Callable[[], None]]]:
    return [
        (0.5, "# Words in, commands out: a real broker, a serial board, a web hook"),
        (0.5, "ahoy barnacle"), (0.6, "um turn the galley lap on"), (0.6, "saloon lamp to forty percent"), (0.6, "a bit brighter"),
        (0.6, "mooring light on"), (0.6, '{"text": "galley lam", "alternatives": ["galley lamp to seventy", "gallery lamb"]}'),
        (0.6, "open the hatch"), (0.6, "two four six eight"),
        (0.6, "# The broker is gone; what can't be sent in five seconds is never sent"),
        (0.1, broker.kill), (0.7, "ahoy barnacle galley lamp off"),
        (6.0, "# It comes back, and so does the house"),
        (0.1, broker.start), (2.0, "ahoy barnacle worktop lamp on"), (1.0, "run the bilge pump for two seconds"),
        (2.5, "# And so to bed"),
        (0.1, "ahoy barnacle good night boat"), (2.6, "stand easy"),
    ]  # fmt: skip
