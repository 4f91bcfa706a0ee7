"""The picture of a house's phrases: how near each is to every other."""

from __future__ import annotations

from glossa.house.model import House
from glossa.pictures.save import save
from glossa.trials.findings import apart_by_sound
from glossa.trials.sentences import samples

MOST = 40


def draw_nearness(house: House, file: str, *, width: float = 12.8, height: float = 10.0, dpi: int = 100) -> None:
    """Draw the matrix of how near the phrases of a house are to each other by sound, 0 to 1.

    Args:
        house: the house; the first phrase of each intent is drawn, of at most 40 intents.
        file: the PNG, SVG or PDF file to write.
        width, height: in inches.
        dpi: dots per inch, for PNG.
    """
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt
    import numpy as np

    tag = house.languages[0]
    phrases = [found[0] for intent in list(house.intents.values())[:MOST] if (found := samples(house, intent, tag, 1))]
    count = len(phrases)
    near = np.ones((count, count))
    for i, one in enumerate(phrases):
        for j, other in enumerate(phrases[:i]):
            near[i, j] = near[j, i] = 1 - apart_by_sound(tuple(one.split()), tuple(other.split()), tag)
    np.fill_diagonal(near, np.nan)
    figure, axes = plt.subplots(figsize=(width, height), layout="constrained")
    image = axes.imshow(near, cmap="YlOrRd", vmin=0, vmax=1)
    axes.set_xticks(range(count), phrases, rotation=90, fontsize=8)
    axes.set_yticks(range(count), phrases, fontsize=8)
    axes.set_title(f"{house.name}: how near its phrases are to each other by sound", loc="left")
    figure.colorbar(image, ax=axes, shrink=0.6, label="1 is the same")
    save(figure, file, dpi)
    plt.close(figure)
