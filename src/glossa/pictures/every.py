"""What single errors can do, drawn: the words that are most worth changing, and which intent is taken for which; and all of it as one page."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape
from typing import TYPE_CHECKING

from glossa.house.model import House
from glossa.house.text import many
from glossa.pictures.page import STYLE
from glossa.pictures.save import save
from glossa.pictures.stress import stress_figure
from glossa.pictures.tables import matrix_figure, png
from glossa.trials.danger import Danger, worth_changing
from glossa.trials.every import DANGEROUS, OUTCOMES, EveryResult
from glossa.trials.measures import wilson
from glossa.trials.noise import SORTS
from glossa.trials.stress import StressResult

if TYPE_CHECKING:
    from matplotlib.figure import Figure

COLOURS = {
    "right": "#2c7a4b",
    "asked": "#e3b505",
    "refused": "#9fb3c8",
    "another action": "#d4694f",
    "opposite action": "#8e1b12",
}
MOST_WORDS = 14
MOST_ROWS = 60
MOST_MISHAPS = 3
MOST_HEARD = 8
NOTHING = "(nothing)"


def draw_every(result: EveryResult, found: Sequence[Danger], file: str, *, dpi: int = 100) -> None:
    """Draw what came of the errors by their sort, and the words that are most worth changing.

    Args:
        result: from :func:`glossa.trials.every.every_error`.
        found: from :func:`glossa.trials.danger.dangers`.
        file: the PNG, SVG or PDF file to write.
        dpi: dots per inch, for PNG.
    """
    save(every_figure(result, found), file, dpi)


def every_figure(result: EveryResult, found: Sequence[Danger]) -> Figure:
    """The figure of :func:`draw_every`."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(12.8, 6.0), layout="constrained")
    left, right = figure.subplots(1, 2, width_ratios=(3, 2))
    sorts = [s for s in SORTS if s in result.counts]
    totals = {s: sum(n for n, _ in result.counts[s].values()) for s in sorts}
    start = [0.0] * len(sorts)
    for outcome in OUTCOMES:
        shares = [100 * result.counts[s].get(outcome, (0, 0.0))[0] / totals[s] for s in sorts]
        left.barh(range(len(sorts)), shares, left=start, color=COLOURS[outcome], label=outcome)
        start = [a + b for a, b in zip(start, shares, strict=True)]
    left.set_yticks(range(len(sorts)), [f"{SORTS[s]}\n{totals[s]:,} errors" for s in sorts])
    left.invert_yaxis()
    left.set_xlabel("percent of the errors of a sort")
    left.set_xlim(0, 100)
    left.legend(frameon=False, ncols=len(OUTCOMES), loc="lower left", bbox_to_anchor=(0, 1), fontsize=9)
    worst = worth_changing(found)[:MOST_WORDS]
    right.barh(range(len(worst)), [weight for _, weight, _ in worst], color=COLOURS["another action"])
    right.set_yticks(range(len(worst)), [w for w, _, _ in worst])
    right.invert_yaxis()
    right.set_xlabel("how likely its errors are that lead to another action, together")
    right.set_title("the words that are most worth changing", loc="left", fontsize=11)
    for axes in (left, right):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    return figure


def page(house: House, result: EveryResult, found: Sequence[Danger], curve: StressResult | None) -> str:
    """The text of a self-contained page: counts, the words, the dangers by what was misheard, which intent is taken for which, the curve."""
    model = house.recogniser
    how = "as recognisers usually do" if not model.words else f"as it was estimated from {many(model.words, 'word')}"
    total = max(1, result.tried)
    weights = sum(result.of(o)[1] for o in OUTCOMES) or 1.0
    rows = []
    for outcome in OUTCOMES:
        number, weight = result.of(outcome)
        low, high = wilson(number, total)
        bad = " class='bad'" if outcome in DANGEROUS and number else ""
        rows.append(
            f"<tr><td{bad}>{outcome}</td><td class='n'>{number:,}</td><td class='n'>{number / total:.2%}</td>"
            f"<td class='n dim'>{low:.2%} to {high:.2%}</td><td class='n'>{weight / weights:.2%}</td></tr>"
        )
    taken = {
        (wanted or NOTHING, got or NOTHING): number
        for wanted, by in result.taken.items()
        for got, number in by.items()
        if wanted != got and got
    }
    left = f" The time was up before {result.sentences - result.done} of them were tried." if not result.ended else ""
    parts = [
        f"<!doctype html><html lang='en'><head><meta charset='utf-8'><title>{escape(house.name)}: what one mistake can do</title>",
        f"<meta name='viewport' content='width=device-width'><style>{STYLE}</style></head><body>",
        f"<h1>{escape(house.name)}: what one mistake can do</h1>",
        f"<p>{many(result.done, 'sentence')}, {result.tried:,} errors of one word each: the recogniser mishears {how}.{left}</p>",
        "<table><tr><th>what came of it</th><th class='n'>errors</th><th class='n'>share</th><th class='n'>95 % bounds</th>"
        "<th class='n'>by likelihood</th></tr>",
        *rows,
        "</table>",
        f"<p><img alt='what came of the errors, by their sort' src='{png(every_figure(result, found))}'></p>",
        f"<h2>{many(len(found), 'word')} misheard that lead to another action</h2>" if found else "",
    ]
    if found:
        parts.append(
            "<table><tr><th>said</th><th style='min-width:9rem'>heard</th><th class='n'>errors</th><th>what comes of it</th></tr>"
        )
        parts += [_danger(d) for d in found[:MOST_ROWS]]
        parts.append("</table>")
        if len(found) > MOST_ROWS:
            parts.append(f"<p class='dim'>and {len(found) - MOST_ROWS} less likely ones</p>")
    else:
        parts.append("<p class='good'>No single error leads to another action.</p>")
    if taken:
        picture = png(matrix_figure(taken), 90)
        parts.append(f"<h2>Which intent is taken for which</h2><img alt='intents wanted and carried out' src='{picture}'>")
    if curve is not None:
        picture = png(stress_figure(curve))
        parts.append(
            f"<h2>More than one error: the tables as the recogniser gets worse</h2><img alt='error rates' src='{picture}'>"
        )
    return "\n".join((*parts, "</body></html>"))


def _danger(danger: Danger) -> str:
    shown = "".join(
        f"<div><b>{escape(m.said)}</b>, heard as <b>{escape(m.heard)}</b>, does <span class='bad'>{escape(m.does)}</span>"
        f"{f', not {escape(m.wanted_does)}' if m.wanted_does else ', where nothing was to be done'}</div>"
        for m in danger.examples(MOST_MISHAPS)
    )
    gravest = f"<div class='bad'>{danger.outcome}</div>" if danger.outcome == OUTCOMES[-1] else ""
    heard = "<br>".join(escape(h.replace("/", " as ")) or "<span class='dim'>nothing</span>" for h in danger.heard[:MOST_HEARD])
    more = f"<br><span class='dim'>and {len(danger.heard) - MOST_HEARD} more</span>" if len(danger.heard) > MOST_HEARD else ""
    helps = "".join(f"<div class='dim'>helps: {escape(h)}</div>" for h in danger.helps)
    return (
        f"<tr><td>{escape(danger.said) or '<span class=dim>added</span>'}</td><td>{heard}{more}</td>"
        f"<td class='n'>{len(danger.mishaps)}</td><td>{gravest}{shown}{helps}</td></tr>"
    )
