"""The picture of a match: what was heard over what it was taken for."""

from __future__ import annotations

from math import log
from typing import TYPE_CHECKING, Any

from glossa.matching import Match, Piece
from glossa.matching.result import HIDDEN
from glossa.pictures.save import save

if TYPE_CHECKING:
    from matplotlib.axes import Axes

OUTCOME_COLOURS = {"accept": "#2c7a4b", "confirm": "#b7791f", "ask": "#b7791f", "reject": "#b03a2e", "cancel": "#6b4c9a"}
LEAST_DRAWN, MOST_TERMS = 0.05, 9
"""Terms that add less than this are not drawn, and no more than so many are."""

MATCHED, UNSURE, SKIPPED, MISSED = "#dcebe2", "#fbeccb", "#ececec", "#f6d9d5"


WIDEST = 46
"""Letters of a reading beside its bar."""


def draw_match(match: Match, file: str, *, width: float = 12.8, height: float = 8.0, dpi: int = 100) -> None:
    """Draw the alignment of a match's best reading, the evidence for it, and the readings behind it; of several commands their alignments.

    Args:
        match: a match with at least one reading, or with several commands.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.

    Raises:
        ValueError: where the match has no reading.
    """
    best = match.best
    if best is None and not match.parts:
        raise ValueError("nothing came near, so there is nothing to draw")
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    figure = plt.figure(figsize=(width, height), layout="constrained")
    figure.suptitle(f"“{match.hidden[:90]}”", fontsize=17, x=0.02, ha="left")
    if best is None:
        for axes, part in zip(figure.subplots(len(match.parts), 1, squeeze=False)[:, 0], match.parts, strict=True):
            if part.best is not None:
                _titled(axes, part)
                _alignment(axes, part.best.pieces)
        save(figure, file, dpi)
        plt.close(figure)
        return
    grid = figure.add_gridspec(2, 2, height_ratios=(1, 1), width_ratios=(1, 1))
    top, left, right = figure.add_subplot(grid[0, :]), figure.add_subplot(grid[1, 0]), figure.add_subplot(grid[1, 1])
    _titled(top, match)
    _alignment(top, best.pieces)
    _evidence(left, match)
    _rivals(right, match)
    save(figure, file, dpi)
    plt.close(figure)


def _titled(axes: Axes, match: Match) -> None:
    """The outcome, the intent and the confidence over an alignment."""
    best = match.best
    assert best is not None
    reason = f" ({match.reason}{': ' + match.detail if match.detail else ''})" if match.reason else ""
    axes.set_title(
        f"{match.outcome}{reason}   {best.intent}   confidence {best.confidence:.2f}, lead {match.lead:.2f} words   (score 1 - {best.cost:.2f}/{best.weight:.2f} = {best.score:.2f})",
        loc="left", color=OUTCOME_COLOURS.get(str(match.outcome), "#333333"), fontsize=13,
    )  # fmt: skip


def _alignment(axes: Axes, pieces: tuple[Piece, ...]) -> None:
    columns = [p for p in pieces if p.role != "order"]
    notes = [p for p in pieces if p.role == "order"]
    widths = [max(len(_heard(p)), len(p.taken), min(len(p.why), 18), 5) + 2 for p in columns]
    total = max(sum(widths), 40)
    size = max(7.0, min(13.0, 1150 / total))
    at = 0.0
    for piece, width in zip(columns, widths, strict=True):
        middle = at + width / 2
        face = MISSED if not piece.heard else SKIPPED if piece.role == "left over" else UNSURE if piece.cost else MATCHED
        box: dict[str, Any] = {"boxstyle": "round,pad=0.45", "facecolor": face, "edgecolor": "none"}
        axes.text(
            middle,
            3.0,
            _heard(piece) or "not heard",
            ha="center",
            va="center",
            fontsize=size,
            bbox=box,
            color="#111111" if piece.heard else "#b03a2e",
        )
        if piece.taken:
            axes.plot([middle, middle], [2.35, 2.65], color="#888888", lw=1)
            axes.text(middle, 2.0, _wrapped(piece.taken), ha="center", va="center", fontsize=size, fontweight="bold")
        axes.text(middle, 1.2, piece.role, ha="center", va="center", fontsize=size * 0.85, color="#2b6cb0")
        axes.text(
            middle,
            0.7,
            f"{piece.cost:.2f}",
            ha="center",
            va="center",
            fontsize=size * 0.9,
            color="#b03a2e" if piece.cost >= 0.3 else "#444444",
        )
        axes.text(middle, 0.2, _wrapped(piece.why, 18), ha="center", va="top", fontsize=size * 0.75, color="#666666")
        at += width
    for row, name in ((3.0, "heard"), (2.0, "taken for"), (1.2, "as"), (0.7, "cost"), (0.1, "why")):
        axes.text(-1.5, row, name, ha="right", va="center", fontsize=10, color="#888888")
    if notes:
        shown = "; ".join(f"{n.why}{f': {n.heard} → {n.taken}' if n.heard else ''} ({n.cost:.2f})" for n in notes)
        axes.text(0, -1.0, shown, fontsize=10, color="#b7791f")
    axes.set_xlim(-9, max(total, at) + 1)
    axes.set_ylim(-1.3, 3.6)
    axes.axis("off")


def _heard(piece: Piece) -> str:
    return HIDDEN if piece.role == "$pin" else piece.heard


def _wrapped(text: str, width: int = 22) -> str:
    import textwrap

    lines = textwrap.wrap(text, width) or [""]
    return "\n".join([*lines[:3], "…"] if len(lines) > 3 else lines)


def _evidence(axes: Axes, match: Match) -> None:
    """The sum of the evidence as steps, from nothing to the whole, with the limits in log-odds."""
    best = match.best
    assert best is not None
    rows = [r for r in best.evidence if abs(r.log_odds) >= LEAST_DRAWN][:MOST_TERMS]
    at = 0.0
    for place, row in enumerate(rows):
        colour = "#2c7a4b" if row.log_odds > 0 else "#b03a2e"
        axes.barh(place, row.log_odds, left=at, color=colour, height=0.6)
        axes.text(max(at, at + row.log_odds) + 0.1, place, f"{row.log_odds:+.2f}", va="center", fontsize=9, color=colour)
        at += row.log_odds
    rest = sum(r.log_odds for r in best.evidence) - at
    names = [f"{r.term}" + (f" × {r.amount:.2g}" if r.amount != 1 else "") for r in rows]
    total = at + rest
    axes.barh(len(rows), total, color="#4a6fa5", height=0.6)
    axes.text(max(total, 0) + 0.1, len(rows), f"{total:+.2f}", va="center", fontsize=9, color="#4a6fa5")
    axes.set_yticks(range(len(rows) + 1), [*names, "sum"], fontsize=9)
    axes.invert_yaxis()
    axes.axvline(0, color="#888888", lw=0.8)
    for name in ("confirm", "accept"):
        if name in match.limits:
            odds = log(match.limits[name] / (1 - match.limits[name])) if 0 < match.limits[name] < 1 else 0.0
            axes.axvline(odds, color="#555555", lw=1, ls="--")
            axes.text(odds, -0.62, f" {name}", fontsize=9, color="#555555", va="bottom")
    low, high = axes.get_xlim()
    axes.set_xlim(low - 0.3, high + 0.12 * (high - low))
    axes.set_xlabel("log-odds")
    axes.set_title("evidence", loc="left", fontsize=11, color="#555555", pad=18)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _rivals(axes: Axes, match: Match) -> None:
    """The readings of every meaning by what they cost, with how far the next one has to be behind."""
    readings = match.readings
    names = []
    for reading in readings:
        slots = " ".join(f"{k}={_short(v)}" for k, v in reading.slots.items() if k != "pin")
        missing = f" (no {', '.join(reading.missing)})" if reading.missing else ""
        name = f"{reading.intent}  {slots}{missing}"
        names.append(name if len(name) <= WIDEST else f"{name[: WIDEST - 1].rstrip()}…")
    places = range(len(readings))
    colours = [OUTCOME_COLOURS.get(str(match.outcome), "#333333"), *("#9fb3c8" for _ in readings[1:])]
    axes.barh(list(places), [r.cost for r in readings], color=colours, height=0.5)
    for place, reading in enumerate(readings):
        axes.text(reading.cost + 0.03, place, f"{reading.cost:.2f}", va="center", fontsize=9)
    axes.set_yticks(list(places), names, fontsize=9)
    axes.set_ylim(max(len(readings), 3) - 0.4, -0.8)
    if "lead" in match.limits and readings:
        edge = readings[0].cost + match.limits["lead"]
        axes.axvline(edge, color="#555555", lw=1, ls="--")
        axes.text(edge, -0.7, " lead", fontsize=9, color="#555555", va="top")
    axes.set_xlim(0, max(1.0, *(r.cost for r in readings)) * 1.25)
    axes.set_xlabel("cost in words: less is better")
    axes.set_title("readings, the best of every meaning", loc="left", fontsize=11, color="#555555", pad=18)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)


def _short(value: object) -> str:
    if isinstance(value, tuple):
        return "+".join(value[:2]) + (f"+… ({len(value)})" if len(value) > 2 else "")
    return str(value)
