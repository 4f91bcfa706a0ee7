"""From the text of a house file to a checked, immutable :class:`House`; the phrase notation lives here."""

from glossa.house.build import read_house
from glossa.house.model import House, Intent
from glossa.house.problems import HouseError, Problem

__all__ = ["House", "HouseError", "Intent", "Problem", "read_house"]
