"""How events and matches are shown on a terminal."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from rich.console import Console, ConsoleOptions, RenderableType
from rich.segment import Segment
from rich.table import Table
from rich.text import Text

from glossa.commands import Command
from glossa.conversation import Event
from glossa.house.model import House
from glossa.house.text import printable
from glossa.links.simulated import Change
from glossa.matching import Match, Reading
from glossa.matching.evidence import TERMS
from glossa.matching.result import HIDDEN, SlotValue
from glossa.matching.stops import STOPS
from glossa.trials.run import shown

COLOURS = {
    "accept": "green", "confirm": "yellow", "ask": "yellow", "reject": "red",
    "wake": "cyan", "sleep": "cyan", "cancel": "magenta", "asleep": "bright_black",
}  # fmt: skip

MOST_COMMANDS = 12
"""Commands of one intent that are shown one by one."""

LEAST_SHOWN = 0.005
"""A term that adds less than this to the log-odds is not shown."""

WHY = {
    "confidence": "the confidence",
    "lead": "the lead over the next meaning, in words",
    **{stop.name: stop.text for stop in STOPS},
    "half": "a part was not understood",
    "contradiction": "two commands that contradict each other",
    "wrong room": "the device is not in that room",
    "mode": "another mode is needed",
    "range": "out of range",
    "missing": "a slot was not said",
    "which": "several devices fit",
    "pin": "a passcode is needed",
    "passcode": "the passcode is wrong",
    "locked": "locked after wrong passcodes",
    "no passcode": "no passcode is set",
    "doubt": "a number that sounds like it would do too",
    "always": "this intent is always confirmed",
    "asleep": "not addressed",
    "repeated": "heard twice",
    "filler": "nothing but filler",
    "nothing": "nothing fits",
    "empty": "nothing was said",
    "too long": "too long for a command",
    "too much": "the phrases of the house can be laid over it in too many ways; the search was ended",
    "unknown": "the state is not known yet",
    "value": "the value has no place in the command",
}


class _Plain(Console):
    """A console on which nothing that comes out of a file or of what was heard does more than be seen.

    It leaves to the program what becomes of it when nobody reads any more: ``| head`` is no failed test.
    """

    def on_broken_pipe(self) -> None:
        raise BrokenPipeError

    def render(self, renderable: RenderableType, options: ConsoleOptions | None = None) -> Iterable[Segment]:
        for segment in super().render(renderable, options):
            seen = segment.control or segment.text.replace("\n", "").isprintable()
            yield segment if seen else Segment("\n".join(map(printable, segment.text.split("\n"))), segment.style)


def console(*, error: bool = False) -> Console:
    """A console that wraps nothing when it is no terminal."""
    made = _Plain(stderr=error, highlight=False)
    return made if made.is_terminal else _Plain(stderr=error, highlight=False, width=max(made.width, 100), soft_wrap=False)


def print_line(out: Console, line: Text) -> None:
    """One line: cut on a terminal, whole in a file."""
    whole = not out.is_terminal
    out.print(line, soft_wrap=whole, no_wrap=True, overflow="ignore" if whole else "ellipsis")


def slots_line(slots: Mapping[str, SlotValue], house: House | None = None) -> str:
    """Slots in a row as a table writes them."""
    parts = []
    for name, value in slots.items():
        text = shown(value)
        if house is not None and isinstance(value, tuple) and len(value) > 3:
            text = "+".join(value[:2]) + f"+{len(value) - 2}…"
        parts.append(f"{name}={text}" if " " not in text else f'{name}="{text}"')
    return " ".join(parts)


def reason_line(event: Event) -> str:
    """Why an event came out as it did, in words."""
    if not event.reason:
        return ""
    words = WHY.get(event.reason, event.reason)
    return f"{words}: {event.detail}" if event.detail and event.reason not in ("asleep",) else words


def event_lines(event: Event, house: House, changes: list[Change] | None = None) -> Text:
    """An event in a few lines: outcome, reading, commands, reply, what changed."""
    text = Text()
    outcome = str(event.outcome)
    text.append(f"  {outcome:<8}", style=f"bold {COLOURS.get(outcome, '')}")
    if event.intent:
        text.append(event.intent, style="bold")
        slots = slots_line(event.slots, house)
        if slots:
            text.append(f"  {slots}")
    if event.match is not None and (event.match.readings or event.match.parts):
        text.append(f"  confidence {event.confidence:.2f}, lead {event.lead:.2f}", style="bright_black")
    text.append("\n")
    reason = reason_line(event)
    if reason:
        text.append(f"          {reason}\n", style="bright_black")
    for number, part in enumerate(event.parts, 1):
        text.append(f"      {number}   ", style="bright_black")
        text.append(f"{part.utterance}  ", style="italic")
        text.append(part.intent or "", style="bold")
        slots = slots_line(part.slots, house)
        text.append(f"  {slots}\n" if slots else "\n")
        _commands(text, part.commands, sent=outcome == "accept")
    if not event.parts:
        _commands(text, event.commands, sent=outcome == "accept")
    if event.reply:
        text.append(f"          “{event.reply}”\n", style="italic")
    for change in changes or ():
        text.append(f"          {change.device} {change.property}: {change.before} -> ", style="bright_black")
        text.append(f"{change.after}\n", style="green")
    return text


def _commands(text: Text, commands: Sequence[Command], *, sent: bool) -> None:
    for command in commands[:MOST_COMMANDS]:
        text.append("       -> " if sent else "        … ", style="blue" if sent else "bright_black")
        text.append(f"{command}\n", style="" if sent else "bright_black")
    if len(commands) > MOST_COMMANDS:
        text.append(f"          and {len(commands) - MOST_COMMANDS} more\n", style="bright_black")


def why_table(match: Match, reading: Reading) -> Table:
    """The alignment of a reading: what was heard over what it was taken for, the cost and the reason of each."""
    table = Table(box=None, padding=(0, 2), show_edge=False, header_style="bright_black", pad_edge=False)
    table.add_column("heard", no_wrap=False, max_width=26)
    table.add_column("taken for", max_width=30)
    table.add_column("as", style="cyan")
    table.add_column("cost", justify="right")
    table.add_column("why", max_width=30)
    for piece in reading.pieces:
        heard = HIDDEN if piece.role == "$pin" else piece.heard
        style = "bright_black" if piece.role == "left over" and piece.cost < 0.1 else "yellow" if piece.cost >= 0.5 else ""
        cost = f"{piece.cost:.2f}" if piece.cost else "0"
        role = f"{piece.role}, {piece.where}" if piece.where else piece.role
        table.add_row(heard or "—", piece.taken or "—", role, cost, piece.why, style=style)
    return table


def evidence_table(reading: Reading) -> Table:
    """The terms that counted, those that count most first: how much there was of each, its weight, and the sum so far."""
    table = Table(box=None, padding=(0, 2), show_edge=False, header_style="bright_black", pad_edge=False)
    table.add_column("evidence", style="cyan")
    for name in ("amount", "weight", "log-odds"):
        table.add_column(name, justify="right")
    table.add_column("what it counts", style="bright_black")
    texts = {term.name: term.text for term in TERMS}
    for row in reading.evidence:
        if abs(row.log_odds) >= LEAST_SHOWN:
            table.add_row(row.term, f"{row.amount:.3g}", f"{row.weight:+.2f}", f"{row.log_odds:+.2f}", texts[row.term])
    total = sum(row.log_odds for row in reading.evidence)
    table.add_row("sum", "", "", f"{total:+.2f}", f"confidence 1 / (1 + e^{-total:.2f}) = {reading.confidence:.2f}", style="bold")
    return table


def explanation(event: Event, out: Console) -> None:
    """The whole of ``say --why``: alignment, evidence, decision, and the next best readings; of several commands one after the other."""
    for number, part in enumerate(event.parts, 1):
        out.print(f"\n  [bold]{number}  {_plain(part.utterance)}[/]")
        explanation(part, out)
    if event.parts:
        return
    match = event.match
    if (match is None or match.best is None) and event.intent:
        about = _plain(f"{event.intent}  {slots_line(event.slots)}".rstrip())
        out.print(f"  [bright_black]an answer or a follow-up: taken together with what was said before, it means[/] {about}")
        return
    if match is None or match.best is None:
        out.print(f"  [bright_black]no phrase comes near: {WHY.get(event.reason, event.reason)}[/]")
        return
    best = match.best
    out.print(f"  [bright_black]phrase[/]  {_plain(best.phrase)}   [bright_black]language {best.language}[/]")
    out.print()
    from rich.padding import Padding

    out.print(Padding(why_table(match, best), (0, 0, 0, 2)))
    out.print()
    out.print(
        f"  [bright_black]score[/]   1 - {best.cost:.2f} / {best.weight:.2f} = [bold]{best.score:.2f}[/]"
        f"   [bright_black]cost over the weight of what was said and expected[/]"
    )
    out.print()
    out.print(Padding(evidence_table(best), (0, 0, 0, 2)))
    out.print()
    limits = match.limits
    if limits:
        out.print(
            f"  [bright_black]limits[/]  accept from {limits['accept']:.2f}, confirm from {limits['confirm']:.2f}, lead of {limits['lead']:.2f} words"
            f"   [bright_black]lead is[/] {match.lead:.2f}"
        )
    for name in best.stops:
        out.print(f"  [red]stop[/]    {name}: {WHY.get(name, name)}")
    if event.reason:
        out.print(
            f"  [bright_black]so[/]      [bold {COLOURS[str(event.outcome)]}]{event.outcome}[/]: {_plain(reason_line(event))}"
        )
    if len(match.readings) > 1:
        out.print("  [bright_black]next best[/]")
        for reading in match.readings[1:4]:
            line = f"{reading.intent}  {slots_line({k: v for k, v in reading.slots.items() if k != 'pin'})}"
            missing = f"  without {', '.join('$' + m for m in reading.missing)}" if reading.missing else ""
            out.print(f"    {reading.cost - best.cost:.2f} words behind  {_plain(line[:64])}[bright_black]{missing}[/]")


def _plain(text: str) -> str:
    return text.replace("[", "\\[")
