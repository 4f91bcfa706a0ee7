"""Glossa: spoken phrases to device commands.

A house file says what can be said and what it does; a :class:`Matcher` finds what a line of text means, a
:class:`Conversation` adds wake words, questions and modes, and :func:`run_table` tests it all against a table.

>>> import glossa
>>> house = glossa.load_house("marigold")
>>> match = glossa.Matcher(house).match("galley lamp to forty")
>>> match.best.intent, match.best.slots["level"]
('set_level', 40)
"""

import importlib.util
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from glossa.conversation import Conversation, Event
    from glossa.files import load_house
    from glossa.house import House, HouseError
    from glossa.links.simulated import SimulatedHouse
    from glossa.matching import Match, Matcher, Outcome, Reading
    from glossa.trials import Result, Row, read_table, run_table

__version__ = "0.1.0"
__all__ = [
    "Conversation",
    "Event",
    "House",
    "HouseError",
    "Match",
    "Matcher",
    "Outcome",
    "Reading",
    "Result",
    "Row",
    "SimulatedHouse",
    "__version__",
    "load_house",
    "read_table",
    "run_table",
]

_HOME = {
    "Conversation": "conversation", "Event": "conversation", "load_house": "files", "House": "house", "HouseError": "house",
    "SimulatedHouse": "links.simulated", "Match": "matching", "Matcher": "matching", "Outcome": "matching", "Reading": "matching",
    "Result": "trials", "Row": "trials", "read_table": "trials", "run_table": "trials",
}  # fmt: skip


def __getattr__(name: str) -> Any:
    """What is used is loaded then (PEP 562): a program that is ended while it starts has hardly begun to load anything."""
    if name in _HOME:
        found = getattr(importlib.import_module(f"glossa.{_HOME[name]}"), name)
        globals()[name] = found
        return found
    if not name.startswith("_") and importlib.util.find_spec(f"glossa.{name}") is not None:
        return importlib.import_module(f"glossa.{name}")
    raise AttributeError(f"module 'glossa' has no attribute '{name}'")


def __dir__() -> list[str]:
    return sorted({*globals(), *__all__})
