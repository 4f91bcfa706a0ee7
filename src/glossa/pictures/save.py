"""Figures to files."""

from __future__ import annotations

import io
from pathlib import Path
from typing import TYPE_CHECKING

from glossa.files import write_file

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def save(figure: Figure, file: str, dpi: int) -> None:
    """Write a figure in the format that the file's ending names, all at once or not at all."""
    drawn = io.BytesIO()
    figure.savefig(drawn, format=Path(file).suffix.lstrip(".").lower() or "png", dpi=dpi)
    write_file(Path(file), drawn.getvalue())
