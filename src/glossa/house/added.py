"""What other packages bring: types of links and sources, found by their entry points and loaded when a house names them."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache


@lru_cache
def _points(group: str) -> Mapping[str, object]:
    from importlib.metadata import entry_points

    return {point.name: point for point in entry_points(group=group)}


def added_names(group: str) -> tuple[str, ...]:
    """The names under which packages offer something in a group of entry points."""
    return tuple(_points(group))


@lru_cache
def added(group: str, name: str) -> type | None:
    """The class that a package offers under a name; None where none does."""
    point = _points(group).get(name)
    return point.load() if point is not None else None  # type: ignore[attr-defined]
