"""The picture of tuning: price against limit, and actions on talk against missed requests."""

from __future__ import annotations

from glossa.pictures.save import save
from glossa.trials.tune import Tuned


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

    figure = Figure(figsize=(width, height), layout="constrained")
    left, right = figure.subplots(1, 2)
    left.plot([a for a, _ in tuned.curve], [p for _, p in tuned.curve], marker="o", ms=4, color="#2b6cb0")
    chosen = next((p for a, p in tuned.curve if abs(a - tuned.settings.accept) < 1e-9), 0.0)
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
        right.plot([100 * f for f, _ in points], [100 * m for _, m in points], color=colour, ls=style, marker=".", label=name)
    right.set_xlabel("acted on, percent of rows to leave alone")
    right.set_ylabel("missed requests, percent of rows to carry out")
    right.set_title("detection error trade-off, over all limits", loc="left", fontsize=11)
    worst = max((100 * f for f, _ in (*tuned.trade_before, *tuned.trade_after)), default=0.0)
    right.set_xlim(-0.3, max(5.0, worst * 1.05))
    right.legend(frameon=False)
    for axes in (left, right):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    save(figure, file, dpi)
