"""The reliability diagram: how often readings of a confidence were what was meant."""

from __future__ import annotations

from collections.abc import Sequence

EDGES = (0.0, 0.05, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 0.95, 0.98, 1.0)
"""The limits of the bins of confidence; they are narrow where most readings are."""


def bins(pairs: Sequence[tuple[float, bool]]) -> list[tuple[float, float, int]]:
    """(mean confidence, share that was meant, readings) of every bin that holds any.

    >>> bins([(0.9, True), (0.92, True), (0.91, False), (0.01, False)])
    [(0.01, 0.0, 1), (0.91, 0.6666666666666666, 3)]
    """
    rows = []
    for low, high in zip(EDGES, EDGES[1:], strict=False):
        inside = [(p, meant) for p, meant in pairs if low <= p < high or (high == 1.0 and p == 1.0)]
        if inside:
            mean = sum(p for p, _ in inside) / len(inside)
            rows.append((round(mean, 9), sum(meant for _, meant in inside) / len(inside), len(inside)))
    return rows


def draw_reliability(
    pairs: Sequence[tuple[float, bool]], file: str, *, width: float = 12.8, height: float = 8.0, dpi: int = 100
) -> None:
    """Draw how often readings were meant against their confidence (a reliability diagram; A. H. Murphy and R. L. Winkler, 1977).

    Args:
        pairs: (confidence, whether the reading was meant), best of readings that no fit has seen.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    from matplotlib.figure import Figure

    from glossa.trials.measures import wilson

    rows = bins(pairs)
    figure = Figure(figsize=(width, height), layout="constrained")
    top, bottom = figure.subplots(2, 1, height_ratios=(3, 1), sharex=True)
    top.plot([0, 1], [0, 1], color="#999999", lw=1, ls="--", label="calibrated")
    for mean, share, count in rows:
        low, high = wilson(share * count, count)
        top.plot([mean, mean], [low, high], color="#9fb3c8", lw=2)
    top.plot([r[0] for r in rows], [r[1] for r in rows], marker="o", color="#2b6cb0", label="held out, with 95 % intervals")
    for mean, share, count in rows:
        top.annotate(f"{count:,}", (mean, share), xytext=(7, -13), textcoords="offset points", fontsize=9, color="#666666")
    top.set_ylabel("share that was meant")
    top.set_ylim(-0.03, 1.03)
    top.set_title(f"how often a reading was meant, by its confidence ({len(pairs):,} readings)", loc="left", fontsize=12)
    top.legend(frameon=False, loc="upper left")
    bottom.hist([p for p, _ in pairs], bins=[n / 40 for n in range(41)], color="#9fb3c8")
    bottom.set_yscale("log")
    bottom.set_ylabel("readings")
    bottom.set_xlabel("confidence")
    bottom.set_xlim(-0.01, 1.01)
    for axes in (top, bottom):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    figure.savefig(file, dpi=dpi)
