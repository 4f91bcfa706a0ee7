"""``glossa listen``."""

from __future__ import annotations

import json
import logging
import os
import signal
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from glossa.cli.main import house_argument
from glossa.extras import need
from glossa.files import load_house, log_path
from glossa.live.records import Record


@click.command()
@house_argument()
@click.option(
    "--from",
    "sources",
    multiple=True,
    metavar="PLACE",
    help="Where text comes from; may be repeated.  [default: the sources of the house file, else stdin]",
)
@click.option(
    "--reply", "replies", multiple=True, metavar="PLACE", help="Where answers go besides this output: mqtt:... or run:..."
)
@click.option("--health", metavar="PLACE", help="Where the health line is: http:... (GET) or mqtt:... (every 30 s, retained).")
@click.option("--json", "as_json", is_flag=True, help="One JSON object per event.")
@click.option("--log", type=click.Path(path_type=Path, dir_okay=False), help="The log file.  [default: beside the house file]")
@click.option("--no-log", is_flag=True, help="Keep no log.")
@click.option(
    "--log-size", type=click.FloatRange(0.25), default=50.0, show_default=True, help="Megabytes; the oldest records go first."
)
@click.option("--no-talk", is_flag=True, help="Don't log what was not addressed to the house.")
@click.option("--why", is_flag=True, help="Explain every reading: what each stretch of words was taken for.")
@click.option("--awake", is_flag=True, help="Listen without the wake word.")
@click.option("--dry-run", is_flag=True, help="Send nothing: every command counts as sent.")
@click.option(
    "--max-age", type=click.FloatRange(0.1), default=5.0, show_default=True, help="Seconds after which what was heard is too old."
)
@click.option(
    "--least-confidence", type=click.FloatRange(0, 1), default=0.0, help="Don't act where the recogniser is less sure than this."
)
@click.option("--error-reply", default="", metavar="TEXT", help="What to answer when the recogniser reports an error.")
@click.option("--token-env", default="", metavar="NAME", help="Variable with the bearer token that a POST must have.")
@click.option("-v", "--verbose", is_flag=True, help="Show the program's own errors in full on standard error.")
@click.option("--trace", type=click.Path(path_type=Path, dir_okay=False), help="Write the program's own errors to this file.")
@click.option(
    "--grace", type=click.FloatRange(0), default=10.0, show_default=True, help="Seconds to finish what is under way when stopped."
)
def listen(
    house: str,
    sources: tuple[str, ...],
    replies: tuple[str, ...],
    health: str | None,
    as_json: bool,
    log: Path | None,
    no_log: bool,
    log_size: float,
    no_talk: bool,
    dry_run: bool,
    token_env: str,
    verbose: bool,
    trace: Path | None,
    **options: Any,
) -> None:
    """Listen to a recogniser and send commands over the house's links, until Ctrl-C or SIGTERM.

    Each line, message or POST is plain text, or JSON with text and, where known, alternatives, confidence, final, language, time, error.

    \b
    A PLACE is one of:
      stdin                                   lines; listening ends with the input
      mqtt:LINK:TOPIC, mqtt:TOPIC             on a link of the house, + and # allowed
      mqtt://127.0.0.1:1883/TOPIC             on another broker
      serial:LINK                             a serial link of the house
      serial:/dev/ttyUSB1?baud=115200&start=<&end=>
      http:8090/heard                         POST there, on this machine only
      tcp:4000, udp:4000                      lines, or a datagram for each utterance; ?start=<&end=> for frames
      run:PROGRAM ARGUMENT...                 for --reply: the text comes on its standard input

    \b
    Examples:
      recogniser | glossa listen marigold --dry-run
      glossa listen marigold --from mqtt:boat:marigold/heard --reply 'run:speak -v en' --health http:8091
      glossa listen my-home --from http:8090/heard --json
    """
    from glossa.live.before import before
    from glossa.live.courier import clock
    from glossa.live.engine import REMEMBERED
    from glossa.live.listen import Live
    from glossa.live.log import EventLog, read_log
    from glossa.live.places import Place, PlaceError, place_of
    from glossa.live.reload import Watch
    from glossa.matching import Matcher

    _log_errors(verbose, trace)
    home = load_house(house)
    watch = Watch(house, REMEMBERED)
    if token_env and not os.environ.get(token_env):
        raise click.UsageError(f"The environment variable {token_env} is not set.")
    emit, matcher = _Printer(as_json), Matcher(home, remember=REMEMBERED)
    kept, left = None, None
    no_log = no_log or str(log) == os.devnull
    if not no_log:
        if log is None:
            log = log_path(house)
            log.parent.mkdir(parents=True, exist_ok=True)
        kept = EventLog(
            log, clock=clock, megabytes=log_size, talk=not no_talk,
            trouble=lambda why: live.engine.trouble(why),
        )  # fmt: skip
        left = before((e.record for e in read_log(log, kinds=("start", "begun", "sent", "failed", "lock"))), kept.locks())
    places: tuple[Place | str, ...] = sources or tuple(place_of(source, home) for source in home.sources.values()) or ("stdin",)
    if any(getattr(p, "type", "") == "websocket" for p in places):
        need("websockets")
    try:
        live = Live(
            home, places, emit, matcher=matcher, replies=replies, health=health, log=kept,
            watch=watch, before=left, token=os.environ.get(token_env, "") if token_env else "", dry=dry_run, **options,
        )  # fmt: skip
    except PlaceError as error:
        raise click.UsageError(str(error)) from None
    emit.ends = lambda: live.stop("nobody reads the output")
    for number, reason in ((signal.SIGINT, "interrupted"), (signal.SIGTERM, "ended")):
        signal.signal(number, lambda *_, reason=reason: live.stop(reason))
    if not as_json and any(p == "stdin" or getattr(p, "type", "") == "stdin" for p in places) and sys.stdin.isatty():
        click.echo("Type what is heard, one a line; Ctrl-D ends.", err=True)
    matcher.warm()
    # Links work in threads; while a line is understood they would else wait 5 ms each time that they have something to do.
    sys.setswitchinterval(0.0005)
    live.run()


def _log_errors(verbose: bool, trace: Path | None) -> None:
    """Have the program's own errors kept with their tracebacks; nothing is kept where nobody asks for it."""
    kept = logging.getLogger("glossa")
    kept.propagate = False
    handlers: list[logging.Handler] = [logging.StreamHandler()] if verbose else []
    if trace is not None:
        handlers.append(logging.FileHandler(trace, encoding="utf-8", delay=True))
    for handler in handlers:
        handler.setFormatter(logging.Formatter("%(asctime)s %(name)s %(levelname)s %(message)s"))
        kept.addHandler(handler)


class _Printer:
    """Prints records; when nobody reads them any more, the house ends."""

    def __init__(self, as_json: bool) -> None:
        self.ends: Callable[[], None] = lambda: None
        self._broken = False
        if as_json:
            self._print = self._json
        else:
            from glossa.cli.terminal import console

            self._console = console()
            self._print = self._line

    def __call__(self, record: Record) -> None:
        if self._broken:
            return
        try:
            self._print(record)
        except BrokenPipeError:
            self._broken = True
            sys.stdout = open(os.devnull, "w")  # noqa: SIM115 - what is still buffered has nowhere to go
            self.ends()
        except OSError:
            self._broken = True  # a full disk, say; the house goes on, and its log and health line still tell

    @staticmethod
    def _json(record: Record) -> None:
        sys.stdout.write(json.dumps(record.plain(), ensure_ascii=False) + "\n")
        sys.stdout.flush()

    def _line(self, record: Record) -> None:
        from glossa.cli.live_lines import record_line
        from glossa.cli.terminal import print_line

        print_line(self._console, record_line(record))
        sys.stdout.flush()
