"""Glossa: spoken phrases to device commands.

A house file says what can be said and what it does; a :class:`Matcher` finds what a line of text means, a
:class:`Conversation` adds wake words, questions and modes, and :func:`run_table` tests it all against a table.

>>> import glossa
>>> house = glossa.load_house("marigold")
>>> match = glossa.Matcher(house).match("galley lamp to forty")
>>> match.best.intent, match.best.slots["level"]
('set_level', 40)
"""

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
