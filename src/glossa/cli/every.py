"""How the result of trying every single error is shown."""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import Any

from msgspec.structs import replace
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from glossa.cli.terminal import console
from glossa.conversation.secrecy import Secrecy
from glossa.house import House
from glossa.house.text import many
from glossa.matching import Matcher
from glossa.trials.danger import NUMBERS, Danger, worth_changing
from glossa.trials.every import OUTCOMES, EveryResult, Mishap
from glossa.trials.measures import wilson
from glossa.trials.noise import SORTS

STYLES = {"right": "green", "asked": "yellow", "refused": "bright_black", "another action": "red", "opposite action": "bold red"}
MOST_WORDS = 8
MOST_SKIPPED = 3
MOST_HEARD = 6
MOST_EXAMPLES = 2


def starred(home: House, result: EveryResult) -> EveryResult:
    """A result whose texts hold no passcode, those of the tests and those of this machine alike."""
    secrecy = Secrecy(Matcher(home), (None, os.environ))

    def plain(mishap: Mishap) -> Mishap:
        texts = {name: secrecy.text(getattr(mishap, name)) for name in ("said", "heard", "wanted_does", "does")}
        return replace(mishap, **texts)

    return replace(result, skipped=tuple(map(secrecy.text, result.skipped)), mishaps=tuple(map(plain, result.mishaps)))


def print_every(home: House, result: EveryResult, found: Sequence[Danger], most: int) -> None:
    """Print what came of the errors, by their sort, and the dangerous ones."""
    out = console()
    model = (
        "as recognisers usually do" if not home.recogniser.words else f"as estimated from {many(home.recogniser.words, 'word')}"
    )
    out.print(
        f"{many(result.done, 'sentence')}, {many(result.tried, 'error')} of one word each, {model}",
        highlight=False,
        soft_wrap=True,
    )
    if not result.ended:
        out.print(
            f"[yellow]the time was up: {result.sentences - result.done} of {many(result.sentences, 'sentence')} not tried[/]"
        )
    if result.skipped:
        some = ", ".join(f"“{s}”" for s in result.skipped[:MOST_SKIPPED])
        more = f" and {len(result.skipped) - MOST_SKIPPED} more" if len(result.skipped) > MOST_SKIPPED else ""
        out.print(Text(f"left out, for they come out wrong as they are: {some}{more}", style="yellow"))
    out.print(_counts(result))
    out.print()
    out.print(_by_sort(result))
    if not found:
        out.print("\n[green]No single error leads to another action.[/]" if result.tried else "")
        return
    what = "leads" if len(found) == 1 else "lead"
    out.print(f"\n{many(len(found), 'word')} misheard {what} to another action, the gravest first\n", highlight=False)
    for danger in found[:most]:
        for indent, line in _told(danger):
            if out.is_terminal:
                out.print(Padding(line, (0, 0, 0, indent)))
            else:
                out.print(Text(" " * indent) + line, soft_wrap=True)
    if len(found) > most:
        out.print(f"[bright_black]and {len(found) - most} more; --most {len(found)} or --json lists them[/]")
    words = worth_changing(found)[:MOST_WORDS]
    out.print(Text("\nthe words that are most worth changing", style="bright_black"))
    out.print("  " + ", ".join(f"{word} ({number})" for word, _, number in words), markup=False)


def _counts(result: EveryResult) -> Table:
    """What came of the errors, with bounds."""
    table = Table(box=None, padding=(0, 2), collapse_padding=True, header_style="bright_black")
    for name in ("what came of it", "errors", "share", "95 % bounds", "by likelihood"):
        table.add_column(name, justify="left" if name == "what came of it" else "right", no_wrap=True)
    total = max(1, result.tried)
    weights = sum(result.of(o)[1] for o in OUTCOMES) or 1.0
    for outcome in OUTCOMES:
        number, weight = result.of(outcome)
        low, high = wilson(number, total)
        bounds = f"{low:.2%} to {high:.2%}"
        table.add_row(
            Text(outcome, style=STYLES[outcome]), f"{number:,}", f"{number / total:.2%}", bounds, f"{weight / weights:.2%}"
        )
    return table


def _by_sort(result: EveryResult) -> Table:
    """What came of the errors, by their sort."""
    table = Table(box=None, padding=(0, 2), collapse_padding=True, header_style="bright_black")
    for name in ("a word is", *OUTCOMES):
        table.add_column(name, justify="left" if name == "a word is" else "right", no_wrap=True)
    for sort in SORTS:
        by = result.counts.get(sort, {})
        if by:
            table.add_row(SORTS[sort], *(f"{by[o][0]:,}" if o in by else "–" for o in OUTCOMES))
    return table


def told(danger: Danger) -> str:
    """What was said, and what was heard instead, for people."""
    heard = [f"“{h}”" if h else "nothing" for h in danger.heard[:MOST_HEARD]]
    more = f" and {len(danger.heard) - MOST_HEARD} more" if len(danger.heard) > MOST_HEARD else ""
    if not danger.said:
        return f"{', '.join(heard)} added"
    if danger.said == NUMBERS:
        return f"a number heard as another: {', '.join(h.replace('/', ' as ').strip('“”') for h in heard)}{more}"
    return f"“{danger.said}” heard as {', '.join(heard)}{more}"


def _told(danger: Danger) -> list[tuple[int, Text]]:
    """The lines for a danger, each with how far it is indented."""
    often = f", {many(len(danger.mishaps), 'error')}" if len(danger.mishaps) > 1 else ""
    lines = [(0, Text.assemble((told(danger), "bold"), (f"  {danger.outcome}{often}", STYLES[danger.outcome])))]
    for mishap in danger.examples(MOST_EXAMPLES):
        wanted = f", not {mishap.wanted_does}" if mishap.wanted_does else ", where nothing was to be done"
        does = f"{mishap.said}, heard as {mishap.heard}, does {mishap.does}"
        lines.append((4, Text(f"{does}{wanted}")))
    return [*lines, *((4, Text(f"helps: {help_}", style="bright_black")) for help_ in danger.helps)]


def as_plain(result: EveryResult, found: Sequence[Danger]) -> dict[str, Any]:
    """The result as plain data, ready for JSON."""
    return {
        "sentences": result.sentences,
        "done": result.done,
        "ended": result.ended,
        "skipped": list(result.skipped),
        "errors": result.tried,
        "outcomes": {o: {"errors": result.of(o)[0], "likelihood": round(result.of(o)[1], 4)} for o in OUTCOMES},
        "sorts": {s: {o: n for o, (n, _) in by.items()} for s, by in result.counts.items()},
        "taken": result.taken,
        "dangers": [
            {
                "said": d.said,
                "heard": list(d.heard),
                "outcome": d.outcome,
                "likelihood": d.weight,
                "helps": list(d.helps),
                "errors": [
                    {
                        "sort": m.slip.sort,
                        "said": m.said,
                        "heard": m.heard,
                        "outcome": m.outcome,
                        "wanted": m.wanted_does,
                        "does": m.does,
                        "where": m.where,
                        "likelihood": round(m.slip.likelihood, 4),
                    }
                    for m in d.mishaps
                ],
            }
            for d in found
        ],
        "words": [{"word": w, "likelihood": a, "errors": n} for w, a, n in worth_changing(found)],
    }
