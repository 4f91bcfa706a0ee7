"""The live part of ``glossa demo``: Marigold on real wires of this machine, with faults, and her dinghy, whose recogniser sends codes."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Sequence

import click
from msgspec.structs import replace
from rich.console import Console
from rich.text import Text

from glossa.cli.live_lines import record_line
from glossa.cli.terminal import print_line
from glossa.house.model import House
from glossa.links.household import Household
from glossa.links.household.broker import Broker, NoBroker
from glossa.links.household.parts import CodeModule
from glossa.live import Live, Record
from glossa.live.places import Place, place_of

Step = tuple[float, str | Callable[[], object]]
"""The seconds to wait, and what is said, a heading that begins with #, or what happens."""


def play(home: House, dinghy: House, out: Console) -> bool:
    """Play both; whether most was sent, and what came while the broker was gone was not.

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
    live = _live(household, (), results, out)
    _played(live, _script(broker), lambda line: live.offer(line.encode(), "demo"), out)
    household.close()
    broker.close()
    out.print(
        Text(
            f"\nThe lamps say: galley lamp {household.state['galley_lamp', 'power']}, saloon lamp {household.state['saloon_lamp', 'level']} percent."
        )
    )
    if not ("expired" in results and results.count("sent") > len(results) / 2):
        return False
    household = Household(dinghy)
    (module,) = household.modules.values()
    results.clear()
    live = _live(household, [place_of(source, household.house) for source in household.house.sources.values()], results, out)

    def say(phrase: str) -> None:
        heard = module.hear(phrase)
        out.print(Text.assemble((f"“{phrase}” is said", "bold"), "" if heard else ", and the module does not listen for it now"))

    _played(live, _aboard_the_dinghy(module), say, out)
    household.close()
    out.print(Text(f"\nThe panel took: {', '.join(data.decode() for _, _, data in household.taken)}"))
    return results.count("sent") == len(results) > 0


def _live(household: Household, sources: Sequence[Place], results: list[str], out: Console) -> Live:
    def show(record: Record) -> None:
        if record.kind in ("sent", "failed"):
            results.append(str(record.data["how"]))
        print_line(out, record_line(record))

    live = Live(household.house, sources, show, environment={"MARIGOLD_HATCH_PIN": "2468"})
    live.engine.conversation.matcher.warm()
    return live


def _played(live: Live, script: Sequence[Step], say: Callable[[str], object], out: Console) -> None:
    house = threading.Thread(target=live.run)
    house.start()
    try:
        for pause, line in script:
            time.sleep(pause)
            if callable(line):
                line()
            elif line.startswith("# "):
                out.print(Text(f"\n{line[2:]}", style="bold cyan"))
            else:
                say(line)
        time.sleep(1)
    finally:
        live.stop("the demo is over")
        house.join()


def _aboard_the_dinghy(module: CodeModule) -> list[Step]:
    return [
        (0.5, "# In the dinghy: a small recogniser that sends a byte for each phrase that it was taught"),
        (0.8, "bow light on"), (1.2, "full ahead"), (1.2, "more slack"), (1.2, "take the tow"), (1.5, "more slack"),
        (1.2, "# It is pulled out, forgets everything, and is told again what to listen for"),
        (0.1, module.unplug), (2.5, "cast off"), (1.5, "horn"),
    ]  # fmt: skip


def _script(broker: Broker) -> list[Step]:
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
