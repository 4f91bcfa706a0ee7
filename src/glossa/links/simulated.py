"""The simulated house: every device as a small stand-in that keeps its state."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from msgspec import Struct

from glossa.commands import Command
from glossa.conversation.conversation import initial_state
from glossa.house.model import House
from glossa.house.values import Value


class Change(Struct, frozen=True):
    """A property of a device that got another value."""

    device: str
    property: str
    before: Value
    after: Value

    def __str__(self) -> str:
        return f"{self.device}.{self.property}: {self.before} -> {self.after}"


class SimulatedHouse:
    """Takes every form of command and says what changed.

    Attributes:
        state: the value of every (device, property).
        sent: every command that was taken, waits included; the last ``keep`` of them.
    """

    def __init__(self, house: House, keep: int = 10_000) -> None:
        self.house = house
        self.state: dict[tuple[str, str], Value] = initial_state(house)
        self.sent: list[Command] = []
        self._keep = keep

    def take(self, commands: Iterable[Command]) -> list[Change]:
        """Carry commands out, in order, and list what they changed; waits take no time here."""
        changed = []
        for command in commands:
            self.sent.append(command)
            for device, name, value in command.effects:
                before = self.state.get((device, name), "")
                if before != value:
                    changed.append(Change(device, name, before, value))
                self.state[device, name] = value
        del self.sent[: max(0, len(self.sent) - self._keep)]
        return changed

    def of(self, device: str) -> Mapping[str, Value]:
        """The state of one device, property -> value."""
        return {name: value for (owner, name), value in self.state.items() if owner == device}
