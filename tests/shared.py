"""What several tests share: houses and their matchers, and how much of everything is run.

``make test`` runs a part of the houses, draws and numbers; ``make proof`` runs all of them.
"""

from __future__ import annotations

import os
import tomllib
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import TypeVar

import glossa

PROOF = bool(os.environ.get("GLOSSA_PROOF"))
HOUSES = Path(__file__).parent / "houses"
LISTED = tomllib.loads((HOUSES / "houses.toml").read_text(encoding="utf-8"))
"""Every house of the tests by its name, with what is known of its rows."""
SAMPLES = ("marigold", "horno", "dinghy", "schleuse")
KEPT = ("glasshouse", "townhouse", "workshop", "spanish", "rotdorn", "mirabelle", "azahar", "lanternrow")
"""Houses of which nothing is left out: those of other hands, one for each language, and one with several commands and conversations."""

Thing = TypeVar("Thing")


def some(things: Sequence[Thing], every: int) -> Sequence[Thing]:
    """Every so-manieth of things; in the proof all."""
    return things if PROOF else things[::every]


def draws(count: int) -> int:
    """Examples that a property is tried on; in the proof three times as many."""
    return count * 3 if PROOF else count


def some_houses() -> tuple[str, ...]:
    """The names of the houses that are run; in the proof all."""
    return (*SAMPLES, *(LISTED if PROOF else KEPT))


@cache
def house(name: str) -> glossa.House:
    """A sample house, or one of the tests."""
    return glossa.load_house(name if name in SAMPLES else HOUSES / name)


@cache
def matcher(name: str) -> glossa.Matcher:
    """The matcher of a house, for those who only match."""
    return glossa.Matcher(house(name))
