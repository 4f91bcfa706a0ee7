"""The reliability diagram: how often readings of a confidence were what was meant."""

from __future__ import annotations

from collections.abc import Sequence

from glossa.pictures.save import save

EDGES = (0.0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 1.0)
"""The limits of the bins of confidence; they are narrow where most readings are."""


Reading = tuple[float, bool, float]
"""The confidence of a reading, whether it was meant, and how much it counts: 1, or less for a line that was read in several houses."""


def bins(readings: Sequence[Reading]) -> list[tuple[float, float, float]]:
    """(mean confidence, share that was meant, readings) of every bin that holds any.

    >>> bins([(0.9, True, 1.0), (0.92, False, 1.0), (0.01, False, 0.5)])
    [(0.01, 0.0, 0.5), (0.91, 0.5, 2.0)]
    """
    rows = []
    for low, high in zip(EDGES, EDGES[1:], strict=False):
        inside = [r for r in readings if low <= r[0] < high or (high == 1.0 and r[0] == 1.0)]
        count = sum(weight for _, _, weight in inside)
        if inside:
            mean = sum(p * weight for p, _, weight in inside) / count
            rows.append((round(mean, 9), sum(weight for _, meant, weight in inside if meant) / count, count))
    return rows


def draw_reliability(readings: Sequence[Reading], file: str, *, width: float = 12.8, height: float = 8.0, dpi: int = 100) -> None:
    """Draw how often readings were meant against their confidence (a reliability diagram; A. H. Murphy and R. L. Winkler, 1977).

    Args:
        readings: best such that no fit has seen.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    from matplotlib.figure import Figure

    from glossa.trials.measures import wilson

    rows = bins(readings)
    total = sum(weight for _, _, weight in readings)
    figure = Figure(figsize=(width, height), layout="constrained")
    top, bottom = figure.subplots(2, 1, height_ratios=(3, 1), sharex=True)
    top.plot([0, 1], [0, 1], color="#999999", lw=1, ls="--", label="calibrated")
    for mean, share, count in rows:
        low, high = wilson(share * count, count)
        top.plot([mean, mean], [low, high], color="#9fb3c8", lw=2)
    top.plot([r[0] for r in rows], [r[1] for r in rows], marker="o", color="#2b6cb0", label="held out, with 95 % intervals")
    for mean, share, count in rows:
        top.annotate(f"{count:,.0f}", (mean, share), xytext=(7, -13), textcoords="offset points", fontsize=9, color="#666666")
    top.set_ylabel("share that was meant")
    top.set_ylim(-0.06, 1.04)  # room for the number under the lowest point
    top.set_title(f"how often a reading was meant, by its confidence ({total:,.0f} readings)", loc="left", fontsize=12)
    top.legend(frameon=False, loc="upper left")
    bottom.hist([r[0] for r in readings], bins=[n / 40 for n in range(41)], weights=[r[2] for r in readings], color="#9fb3c8")
    bottom.set_yscale("log")
    bottom.set_ylabel("readings")
    bottom.set_xlabel("confidence")
    bottom.set_xlim(-0.01, 1.05)  # and beside the highest
    for axes in (top, bottom):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    save(figure, file, dpi)
