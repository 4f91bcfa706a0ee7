"""Results -> Matplotlib figures."""

from glossa.pictures.match import draw_match

__all__ = ["draw_match"]
