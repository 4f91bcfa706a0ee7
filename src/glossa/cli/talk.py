"""``glossa talk``."""

from __future__ import annotations

import os
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import click
from rich.console import Console
from rich.table import Table

from glossa.cli.main import house_argument
from glossa.cli.terminal import console, event_lines, explanation
from glossa.conversation import Conversation
from glossa.conversation.secrecy import Secrecy
from glossa.files import load_house
from glossa.links.simulated import SimulatedHouse

HELP = "/state shows every device, /why explains the last line, /quit ends"


@click.command()
@house_argument()
@click.option("--at", "stamped", is_flag=True, help="Each line starts with its time in seconds, as in '12.5 galley lamp on'.")
@click.option("--awake", is_flag=True, help="Listen without the wake word.")
@click.option("--why", is_flag=True, help="Explain every line.")
@click.option("--language", default="", help="The language that is spoken.")
def talk(house: str, stamped: bool, awake: bool, why: bool, language: str) -> None:
    """Type lines to the house: see the outcome, the commands, the reply, and what changes in the simulated house.

    \b
    Examples:
      glossa talk marigold
      printf '0 ahoy barnacle\\n2 lamp on\\n4 the saloon one\\n' | glossa talk marigold --at
    """
    home = load_house(house)
    simulated = SimulatedHouse(home)
    conversation = Conversation(home, awake=awake)
    out = console()
    started = time.monotonic()
    if home.wake is not None and not awake:
        words = [t[0] for t in home.wake.shown.values() if t]
        out.print(f"[bold]{home.name}[/] is asleep; say “{words[0] if words else ''}” first.  [bright_black]{HELP}[/]")
    else:
        out.print(f"[bold]{home.name}[/] listens.  [bright_black]{HELP}[/]")
    last = None
    for line in _lines(home.name, conversation):
        at = time.monotonic() - started
        if stamped:
            first, _, line = line.partition(" ")
            try:
                at = float(first)
            except ValueError:
                out.print(f"[red]'{first}' is no time; write seconds before the text, as in '12.5 lamp on'[/]")
                continue
        command = line.strip()
        if command in ("/quit", "/exit"):
            break
        if command == "/state":
            _state(simulated, out)
            continue
        if command == "/why":
            if last is not None:
                explanation(last, out)
            continue
        if command.startswith("/"):
            out.print(f"  [bright_black]{HELP}[/]")
            continue
        if not command:
            continue
        last = conversation.hear(line, at, language)
        changes = simulated.take(last.commands) if last.outcome == "accept" else []
        if not sys.stdin.isatty():
            out.print(f"{at:7.1f}  {last.utterance}" if stamped else last.utterance, style="bold", markup=False)
        out.print(event_lines(last, home, changes), end="")
        if why:
            explanation(last, out)


def _lines(name: str, conversation: Conversation) -> Iterator[str]:
    """Lines from a line editor with history, or from standard input where that is no terminal."""
    if not sys.stdin.isatty():
        for raw in sys.stdin.buffer:
            yield raw.decode("utf-8", errors="replace").rstrip("\r\n")
        return
    from prompt_toolkit import PromptSession
    from prompt_toolkit.auto_suggest import AutoSuggestFromHistory
    from prompt_toolkit.history import FileHistory, History, InMemoryHistory

    secrecy = Secrecy(conversation.matcher, (None, os.environ))

    class Discreet(FileHistory):
        """Keeps no line that holds a passcode."""

        def store_string(self, string: str) -> None:
            if secrecy.text(string) == string:
                super().store_string(string)

    path = Path(click.get_app_dir("glossa")) / "talk-history"
    history: History
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        path.touch(mode=0o600)
        path.chmod(0o600)
        history = Discreet(str(path))
    except OSError:
        history = InMemoryHistory()
    session: PromptSession[str] = PromptSession(history=history, auto_suggest=AutoSuggestFromHistory())
    secret: PromptSession[str] = PromptSession(history=InMemoryHistory())
    while True:
        asked = conversation.pending is not None and conversation.pending.kind == "pin"
        try:
            # A passcode is neither shown nor kept in the history.
            yield (
                secret.prompt("passcode> ", is_password=True)
                if asked
                else session.prompt(f"{conversation.mode or name.lower()}> ")
            )
        except EOFError:
            return


def _state(simulated: SimulatedHouse, out: Console) -> None:
    table = Table(box=None, padding=(0, 2))
    table.add_column("device", style="bold")
    table.add_column("state")
    for device in simulated.house.devices:
        table.add_row(device, "  ".join(f"{k} {v}" for k, v in simulated.of(device).items()))
    out.print(table)
