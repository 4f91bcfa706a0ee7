"""``glossa send``."""

from __future__ import annotations

import os
import threading
import time

import click

from glossa.cli.main import house_argument
from glossa.commands import WaitCommand
from glossa.commands.states import States
from glossa.files import load_house


@click.command(context_settings={"ignore_unknown_options": True})
@house_argument()
@click.argument("command", nargs=-1, required=True)
@click.option("--wait", default=0.5, show_default=True, type=click.FloatRange(0), help="Seconds to show what comes back.")
@click.option("--dry-run", is_flag=True, help="Show the commands and send nothing.")
def send(house: str, command: tuple[str, ...], wait: float, dry_run: bool) -> None:
    """Send one command by hand, to try a wire; see what comes back.

    COMMAND is DEVICE PROPERTY=VALUE, for a group too, or a command as 'glossa say' prints it.

    \b
    Examples:
      glossa send marigold galley_lamp level=40
      glossa send marigold boat marigold/galley_lamp/level/set 102
      glossa send marigold panel '"K0"'
      glossa send marigold panel 5C 01
      glossa send marigold hooks POST /log '{"text": "hello"}'
    """
    from glossa.cli.terminal import console
    from glossa.links.link import Link, LinkError, Surroundings
    from glossa.links.make import make_link
    from glossa.live.by_hand import WrittenError, read_commands
    from glossa.matching import Matcher

    home = load_house(house)
    try:
        commands = read_commands(command, home, Matcher(home))
    except WrittenError as error:
        raise click.UsageError(str(error)) from None
    out, states = console(), States(home)
    if dry_run:
        for one in commands:
            out.print(str(one), markup=False)
        return
    links: dict[str, Link] = {}
    try:
        for one in commands:
            if isinstance(one, WaitCommand):
                out.print(f"wait {one.wait:g} s", style="bright_black")
                time.sleep(one.wait)
                continue
            name = one.link
            try:
                if name not in links:
                    links[name] = make_link(name, Surroundings(home, states.topics.get(name, ()), os.environ))
                    links[name].open(_Back(name, states))
                started = time.perf_counter()
                links[name].send(one, home.links[name].options.expires)
            except LinkError as error:
                raise click.ClickException(f"{one}: {error}") from None
            out.print(
                f"[blue]sent[/]  {str(one).replace('[', chr(92) + '[')}  [bright_black]{1000 * (time.perf_counter() - started):.0f} ms[/]"
            )
            time.sleep(links[name].gap)
        time.sleep(wait if any(home.links[n].type != "simulated" for n in links) else 0)
    finally:
        for link in links.values():
            link.close()


class _Back:
    """Prints what comes in over a link, retained messages left out."""

    def __init__(self, name: str, states: States) -> None:
        self._name, self._states = name, states
        self._lock = threading.Lock()

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        from glossa.cli.terminal import console
        from glossa.cli.watch import arrival_line

        if not retained:
            with self._lock:
                console().print(
                    arrival_line(self._name, place, data, self._states.read(self._name, place, data)[0]), soft_wrap=True
                )

    def lost(self, reason: str) -> None:
        click.echo(f"{self._name} was lost: {reason}", err=True)
