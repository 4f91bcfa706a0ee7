"""The picture of tuning: price against limit, and actions on talk against missed requests."""

from __future__ import annotations

from typing import Any

import numpy as np

from glossa.pictures.save import save
from glossa.trials.tune import Tuned

LEAST = 0.001
"""The smallest share that is drawn; one that is less, or none, stands there."""
TICKS = (0.001, 0.005, 0.02, 0.05, 0.1, 0.2, 0.4, 0.6, 0.8, 0.9, 0.95, 0.99)


def draw_tuned(tuned: Tuned, file: str, today: float, *, width: float = 12.8, height: float = 7.0, dpi: int = 100) -> None:
    """Draw the price over all limits with the chosen point, and a DET plot (detection error trade-off; A. Martin and others, 1997) before and after.

    Args:
        tuned: from :func:`glossa.trials.tune.tune`.
        file: the PNG, SVG or PDF file to write.
        today: the ``accept`` of today, 0 to 1.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    from matplotlib.figure import Figure
    from matplotlib.ticker import NullLocator

    figure = Figure(figsize=(width, height), layout="constrained")
    left, right = figure.subplots(1, 2)
    left.plot([a for a, _ in tuned.curve], [p for _, p in tuned.curve], marker="o", ms=4, color="#2b6cb0")
    limits = sorted(tuned.curve)  # what was chosen may lie between two of them
    chosen = float(np.interp(tuned.settings.accept, [a for a, _ in limits], [p for _, p in limits])) if limits else 0.0
    left.plot([tuned.settings.accept], [chosen], marker="o", ms=12, mfc="none", mec="#b03a2e", mew=2)
    left.annotate(
        f"chosen: {tuned.settings.accept:.2f}",
        (tuned.settings.accept, chosen),
        xytext=(8, 14),
        textcoords="offset points",
        color="#b03a2e",
    )
    left.axvline(today, color="#777777", lw=1, ls="--")
    left.text(today, left.get_ylim()[1], " today", fontsize=9, va="top", color="#777777")
    left.set_xlabel("accept")
    left.set_ylabel("price a row")
    left.set_title("what mistakes cost, by limit", loc="left", fontsize=11)
    for points, name, colour, style in (
        (tuned.trade_before, "before", "#9fb3c8", "--"),
        (tuned.trade_after, "after", "#2c7a4b", "-"),
    ):
        shares = np.clip(np.reshape(sorted(points, key=lambda p: (p[0], -p[1])), (-1, 2)), LEAST, 1 - LEAST)
        right.plot(shares[:, 0], shares[:, 1], color=colour, ls=style, marker=".", label=name, clip_on=False)
    right.set_xlabel("acted on, percent of rows to leave alone")
    right.set_ylabel("missed requests, percent of rows to carry out")
    right.set_title("detection error trade-off, over all limits; normal-deviate axes", loc="left", fontsize=11)
    right.set_xscale("function", functions=(_deviate, _share))
    right.set_yscale("function", functions=(_deviate, _share))
    for axis in (right.xaxis, right.yaxis):
        axis.set_ticks(TICKS, labels=[f"{'≤ ' if t == LEAST else ''}{100 * t:g}" for t in TICKS])
        axis.set_minor_locator(NullLocator())
    right.set_xlim(LEAST, 1 - LEAST)
    right.set_ylim(LEAST, 1 - LEAST)
    right.grid(color="#e5e5e5", lw=0.6)
    right.legend(frameon=False)
    for axes in (left, right):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    save(figure, file, dpi)


def _deviate(share: Any) -> Any:
    """The normal deviate of a share, which makes the trade-off of two normal distributions a straight line."""
    from scipy.special import ndtri

    return ndtri(np.clip(share, LEAST / 10, 1 - LEAST / 10))


def _share(deviate: Any) -> Any:
    from scipy.special import ndtr

    return ndtr(deviate)
