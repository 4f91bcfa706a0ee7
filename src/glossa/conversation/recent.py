"""What a conversation was about last: the devices that "it" and "them" mean, the command that a follow-up repeats, the values to go back to."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House, Intent
from glossa.house.values import Value
from glossa.matching.result import SlotValue


class Recent(Struct, frozen=True):
    """What was carried out last.

    Attributes:
        devices: the ids of the devices that were spoken of last. before: those that were spoken of before them.
        intent: the last one.
        changed: the values that it changed, as they were.
        followed, slots: the last command about a property of devices, which a follow-up says for others. less: whether it was a "less",
            so that one more goes the same way.
        until: the time up to which it may be followed up. refused: whether an order for a device was refused since, which a "no, ..." is rather about.
    """

    devices: tuple[str, ...] = ()
    before: tuple[str, ...] = ()
    intent: Intent = Intent("restore", {})
    changed: Mapping[tuple[str, str], Value] = {}
    followed: Intent | None = None
    slots: Mapping[str, SlotValue] = {}
    less: bool = False
    until: float = float("-inf")
    refused: bool = False

    def after(self, house: House, intent: Intent, slots: Mapping[str, SlotValue], until: float) -> Recent:
        """What was carried out last once one more command is, which may be followed up until a time."""
        device = slots.get("device")
        named = device if isinstance(device, tuple) else house.members(intent.device) if intent.device else ()
        new = self if not named or named == self.devices else replace(self, devices=named, before=self.devices)
        if not intent.properties:
            return replace(new, intent=intent)
        return replace(new, intent=intent, followed=intent, slots=dict(slots), less=False, until=until, refused=False)

    def meant(self, house: House, *, several: bool) -> tuple[str, ...]:
        """The devices that "it" means, or where ``several`` are meant "them": what was spoken of last, and where that is one, what was before it too."""
        if len(self.devices) > 1 or not several:
            return self.devices
        return tuple(d for d in house.devices if d in (*self.devices, *self.before))
