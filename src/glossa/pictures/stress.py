"""The picture of a stress run: what is right, wrong and asked about as the recogniser gets worse."""

from __future__ import annotations

from typing import TYPE_CHECKING

from glossa.pictures.save import save
from glossa.trials.stress import StressResult

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def draw_stress(result: StressResult, file: str, *, width: float = 12.8, height: float = 8.0, dpi: int = 100) -> None:
    """Draw frame accuracy, wrong actions and asked rate against the word error rate, and the words that cost most.

    Args:
        result: from :func:`glossa.trials.stress.stress`.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    save(stress_figure(result, width, height), file, dpi)


def stress_figure(result: StressResult, width: float = 12.8, height: float = 8.0) -> Figure:
    """The figure of :func:`draw_stress`."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), layout="constrained")
    left, right = figure.subplots(1, 2, width_ratios=(3, 2))
    rates = [100 * line.rate for line in result.lines]
    for name, colour, values in (
        ("frame accuracy", "#2c7a4b", [100 * line.frame_right / max(1, line.must) for line in result.lines]),
        ("asked rate", "#e3b505", [100 * line.asked / max(1, line.must) for line in result.lines]),
        ("missed request rate", "#9fb3c8", [100 * line.missed / max(1, line.must) for line in result.lines]),
        ("wrong actions, of all rows", "#b03a2e", [100 * line.wrong / max(1, line.rows) for line in result.lines]),
    ):
        left.plot(rates, values, marker="o", color=colour, label=name)
    left.set_xlabel("word error rate, percent")
    left.set_ylabel("percent")
    left.set_ylim(-2, 102)
    left.legend(frameon=False)
    left.set_title(f"{result.lines[0].rows if result.lines else 0} rows at each rate", loc="left", fontsize=11)
    words = [w for w, _, _ in result.costly]
    right.barh(range(len(words)), [n for _, n, _ in result.costly], color="#b03a2e")
    right.set_yticks(range(len(words)), words)
    right.invert_yaxis()
    right.set_xlabel("rows lost when it was misheard")
    right.set_title("the words that cost most", loc="left", fontsize=11)
    for axes in (left, right):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    return figure
