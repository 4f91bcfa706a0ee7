"""A wire to the simulated house."""

from __future__ import annotations

from glossa.commands import Command
from glossa.house.links import LinkOptions
from glossa.links.link import Link, Surroundings
from glossa.links.simulated import SimulatedHouse


class SimulatedLink(Link):
    """A wire to the simulated house: every command arrives at once."""

    def __init__(self, devices: SimulatedHouse) -> None:
        self._devices = devices

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> SimulatedLink:
        """The simulated devices of a house."""
        return cls(around.devices or SimulatedHouse(around.house))

    def send(self, command: Command, seconds: float) -> None:
        """Carry it out."""
        self._devices.take([command])
