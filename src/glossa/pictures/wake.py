"""The picture of wake words: how often talk would set each off, by threshold."""

from __future__ import annotations

from collections.abc import Sequence

from glossa.pictures.save import save
from glossa.trials.wake import THRESHOLDS, WakeRating


def draw_wake(ratings: Sequence[WakeRating], file: str, *, width: float = 12.8, height: float = 8.0, dpi: int = 100) -> None:
    """Draw the share of talk that fires each wake word at each threshold, and what each word is nearest to.

    Args:
        ratings: of the words to compare.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    figure, (left, right) = plt.subplots(1, 2, figsize=(width, height), layout="constrained", width_ratios=(3, 2))
    for rating in ratings:
        lines = max(1, rating.lines)
        (line,) = left.plot(THRESHOLDS, [100 * n / lines for n in rating.fired], marker="o", label=rating.word)
        left.axvline(rating.threshold, color=line.get_color(), lw=0.8, ls=":")
    left.set_xlabel("threshold (accept)")
    left.set_ylabel("lines of talk that wake the house, percent")
    left.set_title(
        f"{ratings[0].lines if ratings else 0} lines of household talk; dotted: the suggested threshold", loc="left", fontsize=11
    )
    left.set_ylim(bottom=0)
    left.legend(frameon=False)
    names, apart, colours = [], [], []
    for rating in ratings:
        for near in rating.neighbours:
            names.append(f"{rating.word} ~ {near.text}")
            apart.append(near.apart)
            colours.append("#b03a2e" if near.apart < 0.3 else "#9fb3c8")
    right.barh(range(len(names)), apart, color=colours)
    right.set_yticks(range(len(names)), names, fontsize=9)
    right.invert_yaxis()
    right.axvline(0.3, color="#b03a2e", lw=0.8, ls="--")
    right.set_xlabel("how far apart by sound")
    right.set_title("what each is nearest to", loc="left", fontsize=11)
    for axes in (left, right):
        for side in ("top", "right"):
            axes.spines[side].set_visible(False)
    save(figure, file, dpi)
    plt.close(figure)
