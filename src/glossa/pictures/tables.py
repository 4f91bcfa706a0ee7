"""Pictures of table runs: results by note, the confusion matrix of intents, scores."""

from __future__ import annotations

import base64
import io
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING

from glossa.trials.measures import by, confusion, kind
from glossa.trials.run import Result

if TYPE_CHECKING:
    from matplotlib.figure import Figure

COLOURS = {
    "right": "#2c7a4b", "left alone": "#7fb69a", "asked": "#e3b505", "missed": "#9fb3c8", "wrong action": "#b03a2e", "false accept": "#e0725f", "other": "#cccccc",
}  # fmt: skip


def results_figure(results: Sequence[Result]) -> Figure:
    """What became of the rows, by note."""
    from matplotlib.figure import Figure

    notes = list(by(results, "note"))[:30]
    figure = Figure(figsize=(9, max(2.4, 0.34 * len(notes) + 1.2)), layout="constrained")
    axes = figure.subplots()
    left = [0.0] * len(notes)
    for name, colour in COLOURS.items():
        widths = [float(sum(kind(r) == name for r in results if r.row.note == note)) for note in notes]
        if any(widths):
            axes.barh(range(len(notes)), widths, left=left, color=colour, label=name, height=0.7)
            left = [a + b for a, b in zip(left, widths, strict=True)]
    axes.set_yticks(range(len(notes)), [n or "—" for n in notes], fontsize=9)
    axes.invert_yaxis()
    axes.set_xlabel("rows")
    axes.legend(frameon=False, fontsize=8, ncols=4, loc="lower right", bbox_to_anchor=(1, 1))
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return figure


def confusion_figure(results: Sequence[Result]) -> Figure:
    """The confusion matrix of intents: rows expected, columns got."""
    return matrix_figure(confusion(results))


def matrix_figure(counts: Mapping[tuple[str, str], int]) -> Figure:
    """A matrix of counts by what was wanted and what was got: rows wanted, columns got; what was got and not wanted stands out."""
    import numpy as np
    from matplotlib.figure import Figure

    wanted = list(dict.fromkeys(a for a, _ in counts))
    got = list(dict.fromkeys((*wanted, *(b for _, b in counts))))
    matrix = np.zeros((len(wanted), len(got)))
    for (one, other), count in counts.items():
        matrix[wanted.index(one), got.index(other)] = count
    size = max(4.0, 0.3 * len(got) + 2)
    figure = Figure(figsize=(size + 1, max(3.0, 0.3 * len(wanted) + 2)), layout="constrained")
    axes = figure.subplots()
    axes.imshow(np.log1p(matrix), cmap="Greens", aspect="auto")
    for i in range(len(wanted)):
        for j in range(len(got)):
            if matrix[i, j]:
                wrong = wanted[i] != got[j]
                axes.text(
                    j,
                    i,
                    str(int(matrix[i, j])),
                    ha="center",
                    va="center",
                    fontsize=7,
                    color="#b03a2e" if wrong else "#123",
                    fontweight="bold" if wrong else None,
                )
    axes.set_xticks(range(len(got)), got, rotation=90, fontsize=8)
    axes.set_yticks(range(len(wanted)), wanted, fontsize=8)
    axes.set_xlabel("got")
    axes.set_ylabel("expected")
    return figure


def scores_figure(results: Sequence[Result], accept: float, confirm: float) -> Figure:
    """The scores of rows to carry out and of rows to leave alone."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(9, 3.2), layout="constrained")
    axes = figure.subplots()
    for name, colour, must in (("to carry out", "#2c7a4b", True), ("to leave alone", "#b03a2e", False)):
        scores = [
            r.event.score
            for r in results
            if r.event and (r.row.outcomes == ("accept",)) is must and r.row.outcomes and r.event.match
        ]
        axes.hist(scores, bins=[n / 40 for n in range(41)], color=colour, alpha=0.65, label=f"{name} ({len(scores)})")
    for limit, name in ((accept, "accept"), (confirm, "confirm")):
        axes.axvline(limit, color="#555555", ls="--", lw=1)
        axes.text(limit, axes.get_ylim()[1], f" {name}", fontsize=8, va="top")
    axes.set_xlabel("score")
    axes.set_ylabel("rows")
    axes.legend(frameon=False, fontsize=8)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return figure


def png(figure: Figure, dpi: int = 100) -> str:
    """A figure as a ``data:`` URL (RFC 2397) for a self-contained page."""
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=dpi)
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode("ascii")
