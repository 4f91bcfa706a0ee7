"""``glossa replay``."""

from __future__ import annotations

import json
from pathlib import Path

import click

from glossa.cli.main import house_argument
from glossa.files import load_house, log_path


@click.command()
@house_argument()
@click.argument("log", required=False, type=click.Path(path_type=Path, dir_okay=False))
@click.option("--all", "everything", is_flag=True, help="Show what stays the same, too.")
@click.option("--json", "as_json", is_flag=True, help="One JSON object for each utterance that differs.")
def replay(house: str, log: Path | None, everything: bool, as_json: bool) -> None:
    """Play a LOG again offline, with its pauses, against today's house; show what would now come out differently.

    LOG is the house's own by default. Nothing is sent. Lines that held a passcode can't be replayed.

    \b
    Example:
      glossa replay my-home                   after a change to my-home/house.toml
    """
    from rich.progress import track
    from rich.text import Text

    from glossa.cli.terminal import COLOURS, console, reason_line, slots_line
    from glossa.live.log import read_log
    from glossa.live.replay import Played
    from glossa.live.replay import replay as play

    home = load_house(house)
    entries = list(read_log(log or log_path(house), kinds=("heard",)))
    out = console()
    counts = {"same": 0, "differs": 0, "hidden": 0}
    changes: dict[str, int] = {}

    def line(outcome: str, intent: str | None, slots: str, rest: str) -> Text:
        text = Text().append(f"{outcome:<8}", style=COLOURS.get(outcome, ""))
        return text.append(f" {intent or ''} {slots}".rstrip(), style="cyan").append(
            f"  {rest}" if rest else "", style="bright_black"
        )

    def show(played: Played) -> None:
        then, now = played.entry.data, played.event
        assert now is not None
        rehearsed = "  (rehearsal)" if then.get("rehearsal") else ""
        out.print(Text(str(then["utterance"]), style="bold").append(rehearsed, style="magenta"))
        was = {k: tuple(v) if isinstance(v, list) else v for k, v in then["slots"].items()}
        for word, text, commands in (
            ("then", line(then["outcome"], then["intent"], slots_line(was), ""), then["commands"]),
            ("now", line(str(now.outcome), now.intent, slots_line(now.slots), reason_line(now)), [str(c) for c in now.commands]),
        ):
            out.print(Text().append(f"  {word:<6}", style="bright_black").append_text(text))
            if "commands" in played.differs or (word == "then") != (now.outcome == "accept"):
                for command in commands[:6] if played.differs else ():
                    out.print(Text(f"        {command}", style="bright_black"))

    quiet = as_json or not console(error=True).is_terminal
    for played in track(play(home, entries), "playing", len(entries), console=console(error=True), transient=True, disable=quiet):
        word = "hidden" if played.event is None else "differs" if played.differs else "same"
        counts[word] += 1
        if played.event is None:
            continue
        if played.differs:
            key = (
                f"{played.entry.data['outcome']} -> {played.event.outcome}"
                if "outcome" in played.differs
                else ", ".join(played.differs)
            )
            changes[key] = changes.get(key, 0) + 1
        if as_json and (played.differs or everything):
            then = {k: played.entry.data.get(k) for k in ("outcome", "intent", "slots", "commands", "reply")}
            now = {k: v for k, v in played.event.plain().items() if k in then}
            found = {"utterance": played.entry.data["utterance"], "differs": played.differs, "then": then, "now": now}
            found |= {"rehearsal": True} if played.entry.data.get("rehearsal") else {}
            click.echo(json.dumps(found, ensure_ascii=False))
        elif not as_json and (played.differs or everything):
            show(played)
    if as_json:
        return
    hidden = f", {counts['hidden']} with a passcode not played" if counts["hidden"] else ""
    out.print(f"\n[bold]{counts['differs']} of {counts['same'] + counts['differs']} would now come out differently[/]{hidden}")
    for key, count in sorted(changes.items(), key=lambda c: (-c[1], c[0])):
        out.print(f"  {count:>5}  {key}")
