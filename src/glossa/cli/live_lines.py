"""Records of a live house, one line each."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from rich.text import Text

from glossa.cli.terminal import COLOURS, WHY, slots_line
from glossa.live.records import Record

STYLES = {
    "sent": "blue", "failed": "bold red", "link up": "green", "link down": "bold red", "trouble": "bold red", "error": "red",
    "house loaded": "green", "house kept": "bold red", "said": "italic",
}  # fmt: skip


def record_line(record: Record, *, date: bool = False) -> Text:
    """A record as one line: the local time, what happened, and the rest.

    Args:
        record: the record.
        date: whether the day is shown as well.
    """
    data: dict[str, Any] = dict(record.data)
    when = datetime.fromtimestamp(record.time)
    line = Text().append(when.strftime("%Y-%m-%d %H:%M:%S" if date else "%H:%M:%S") + "  ", style="bright_black")
    word = str(data.get("outcome") or record.kind)
    style = (
        COLOURS.get(word)
        or STYLES.get(f"{record.kind} {data.get('state', '')}".strip())
        or STYLES.get(record.kind, "bright_black")
    )
    line.append(f"{'  ' if record.kind in ('sent', 'failed', 'said') else ''}{word}".ljust(9), style=style)
    line.append_text(_rest(record.kind, data))
    if date and data.get("rehearsal"):
        line.append("  (rehearsal)", style="magenta")
    if data.get("count"):
        line.append(f"  ({data['count']} times)", style="bright_black")
    return line


def _why(found: dict[str, Any]) -> str:
    """The best reading's alignment on one line, or that of each of several commands."""
    if "parts" in found:
        return "; then ".join(_why(part) for part in found["parts"])
    best = next(iter(found["readings"]), None)
    if best is None:
        return "no phrase comes near"
    parts = []
    for piece in best["alignment"]:
        if piece["role"] == "left over":
            parts.append(f"({piece['heard']})")
        else:
            cost = f" {piece['cost']:.2f}" if piece["cost"] else ""
            parts.append(f"{piece['heard'] or '—'} = {piece['taken'] or '—'}{cost}")
    return f"{', '.join(parts)}; confidence {found['confidence']:.2f}, lead {found['lead']:.2f}"


def _rest(kind: str, data: dict[str, Any]) -> Text:
    text = Text()
    match kind:
        case "heard":
            text.append(f"{data['utterance']}", style="bold" if data["outcome"] != "asleep" else "bright_black")
            if data.get("alternative"):
                text.append(f"  (text {data['alternative']} of {data['of']})", style="bright_black")
            if data.get("reply"):
                text.append(f"  “{data['reply']}”", style="italic")
            if data.get("intent") and data["outcome"] not in ("asleep", "reject"):
                slots = slots_line({k: tuple(v) if isinstance(v, list) else v for k, v in data["slots"].items()})
                text.append(f"  {data['intent']} {slots}".rstrip(), style="cyan")
            if data.get("reason") and data["outcome"] != "asleep":
                text.append(f"  {WHY.get(data['reason'], data['reason'])}", style="bright_black")
            if data.get("why"):
                text.append(f"\n{'':19}{_why(data['why'])}", style="bright_black")
        case "sent":
            text.append(data["command"])
            text.append(f"  {1000 * data['seconds']:.0f} ms" if "seconds" in data else "", style="bright_black")
        case "failed":
            text.append(f"{data['command']}  ").append(data["how"], style="red").append(
                f": {data['reason']}" if data.get("reason") else ""
            )
        case "said":
            text.append(f"“{data['reply']}”", style="italic")
        case "begun":
            text.append(f"{len(data['commands'])} commands with waits between them", style="bright_black")
        case "lock":
            state = "locked" if data.get("until") else f"{data['wrong']} wrong in a row" if data["wrong"] else "right again"
            text.append(f"{data['passcode']}  {state}", style="yellow" if data["wrong"] or data.get("until") else "green")
        case "state":
            text.append(f"{data['device']} {data['property']} {data['value']}", style="green")
        case "link":
            reason = f": {data['reason']}" if data.get("reason") else ""
            text.append(f"{data['link']} is {data['state']}{reason}", style=STYLES[f"link {data['state']}"])
        case "mode":
            told = f"  {', '.join(data['sources'])} was told" if data.get("sources") else ""
            text.append(data["mode"] or "none", style="cyan").append(told, style="bright_black")
        case "house":
            problems = data.get("problems", [])
            text.append(
                f"{data['name']} was loaded again"
                if not problems
                else f"the file is wrong, the house stays as it was: {'; '.join(problems)}"
            )
        case "start":
            text.append(f"{data['house']} listens" + (f" to {', '.join(data['sources'])}" if data["sources"] else ""))
        case "stop":
            text.append(
                f"{data['why']}; heard {data['heard']}, accepted {data['accepted']}, sent {data['sent']}, failed {data['failed']}"
            )
        case _:
            text.append(str(data.get("why", "")))
            text.append(f"  {data['text']}" if data.get("text") else "", style="bright_black")
    return text
