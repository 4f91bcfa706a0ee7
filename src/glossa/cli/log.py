"""``glossa log``."""

from __future__ import annotations

import csv
import json
import re
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import click

from glossa.cli.main import house_argument
from glossa.files import log_path
from glossa.house.text import many

OUTCOMES = ("accept", "confirm", "ask", "reject", "wake", "sleep", "cancel", "asleep")
SESSION_PAUSE = 600.0
"""Seconds without a word after which the rows of a table begin a new session."""


class _Moment(click.ParamType):  # type: ignore[type-arg]
    """A point in time as a person writes it, as seconds since 1970."""

    name = "time"

    def convert(self, value: Any, param: click.Parameter | None, ctx: click.Context | None) -> float:
        if isinstance(value, float):
            return value
        ago = re.fullmatch(r"(\d+(?:\.\d+)?)\s*([smhd])", value.strip())
        if ago:
            span = timedelta(seconds=float(ago[1]) * {"s": 1, "m": 60, "h": 3600, "d": 86400}[ago[2]])
            return (datetime.now() - span).timestamp()
        try:
            return datetime.fromisoformat(value).timestamp()
        except (ValueError, OverflowError):
            self.fail(f"'{value}' is no time; write 2h or 3d for how long ago, or 2026-05-01 or '2026-05-01 18:30'.", param, ctx)


@click.command()
@house_argument()
@click.option("--log", type=click.Path(path_type=Path, dir_okay=False), help="The log file.  [default: beside the house file]")
@click.option("--last", type=click.IntRange(1), help="Only this many, the newest ones.  [default: 40, all with --json or --csv]")
@click.option("--since", type=_Moment(), help="Only from this time on: 2h, 3d, 2026-05-01, '2026-05-01 18:30'.")
@click.option("--until", type=_Moment(), help="Only before this time.")
@click.option("--outcome", "outcomes", multiple=True, type=click.Choice(OUTCOMES), help="Only this outcome; may be repeated.")
@click.option("--misses", is_flag=True, help="Only what was rejected or asked about.")
@click.option("--kind", "kinds", multiple=True, help="Only this kind, as in heard, sent, failed, link; may be repeated.")
@click.option("--intent", default="", help="Only this intent.")
@click.option("--text", default="", help="Only what holds this text.")
@click.option("--live", "live_only", is_flag=True, help="Leave out what was heard and done in rehearsals (--dry-run).")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per record.")
@click.option("--csv", "table", type=click.Path(path_type=Path, dir_okay=False), help="Write what was heard as a test table.")
def log(
    house: str,
    log: Path | None,
    last: int | None,
    since: float | None,
    until: float | None,
    outcomes: tuple[str, ...],
    misses: bool,
    kinds: tuple[str, ...],
    intent: str,
    text: str,
    live_only: bool,
    as_json: bool,
    table: Path | None,
) -> None:
    """Show what a live house heard, did and could not do; export it as rows for a test table.

    \b
    Examples:
      glossa log my-home --since 2h
      glossa log my-home --misses --csv misses.csv && glossa learn my-home misses.csv
      glossa log my-home --kind failed --json
    """
    from glossa.live.log import read_log
    from glossa.live.records import KINDS

    for kind in kinds:
        if kind not in KINDS:
            raise click.UsageError(f"There is no kind '{kind}'; known: {', '.join(KINDS)}.")
    if misses:
        outcomes = (*outcomes, "reject", "confirm", "ask")
    path = log or log_path(house)
    most = last or (None if as_json or table else 40)
    entries = list(read_log(
        path, kinds=kinds, outcomes=outcomes, intent=intent, text=text, since=since, until=until, last=most, live_only=live_only
    ))  # fmt: skip
    if table is not None:
        _write(table, entries)
        return
    if as_json:
        for entry in entries:
            click.echo(json.dumps(entry.record.plain(), ensure_ascii=False))
        return
    from glossa.cli.live_lines import record_line
    from glossa.cli.terminal import console, print_line

    out = console()
    for entry in entries:
        print_line(out, record_line(entry.record, date=True))
    if not entries:
        click.echo(f"{path}: nothing that fits", err=True)


def _as_text(cell: str) -> str:
    """A cell that no spreadsheet takes for a formula: an apostrophe goes in front, which matching passes over."""
    return f"'{cell}" if cell.lstrip()[:1] in ("=", "+", "-", "@") else cell


def _write(table: Path, entries: list[Any]) -> None:
    """What was heard as a test table: sessions, times, and what came of it."""
    from glossa.cli.terminal import slots_line
    from glossa.matching.result import HIDDEN

    if table.exists():
        raise click.ClickException(f"{table} is there already; name another file")
    session, last = "", float("-inf")
    begun = run = 0.0
    written = hidden = 0
    with table.open("x", encoding="utf-8", newline="") as file:
        writer = csv.writer(file, lineterminator="\n")
        writer.writerow(["utterance", "outcome", "intent", "slots", "language", "session", "at", "note"])
        for entry in entries:
            data = entry.data
            if entry.kind != "heard":
                continue
            if HIDDEN in data["utterance"]:
                hidden += 1
                continue
            at = float(data.get("at", entry.time))
            if not 0 <= at - last <= SESSION_PAUSE or entry.run != run:
                begun, run = at, entry.run
                session = datetime.fromtimestamp(entry.time).isoformat(sep=" ", timespec="seconds")
            last = at
            of_each = [part["slots"] for part in data.get("parts", ())] or [data["slots"]]
            slots = " ; ".join(slots_line({k: tuple(v) if isinstance(v, list) else v for k, v in one.items()}) for one in of_each)
            understood = data["outcome"] in ("accept", "confirm", "ask")
            writer.writerow([
                _as_text(data["utterance"]), data["outcome"], data["intent"] if understood else "", slots if understood else "",
                data.get("language", ""), session, round(at - begun, 2), "from the log" + (" of a rehearsal" if data.get("rehearsal") else ""),
            ])  # fmt: skip
            written += 1
    left = f"; {hidden} with a passcode were left out" if hidden else ""
    click.echo(
        f"wrote {table}: {many(written, 'row')}{left}. Check each before you keep it: this is what came of it, not what should have.",
        err=True,
    )
