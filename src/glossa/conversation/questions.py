"""The questions of a house: what is open, and how it is asked."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from glossa.commands import Action
from glossa.commands.action import names
from glossa.conversation.plan import Planned
from glossa.house.model import House, Intent
from glossa.house.values import texts_for
from glossa.language import language_of
from glossa.matching import Match, Reading
from glossa.matching.result import SlotValue


class Pending(Struct, frozen=True):
    """A question that is open: what it is about, what it asks for, and until when it may be answered.

    Of several commands, ``plan`` is all of them and ``number`` the one that it is about. ``asked`` is the question itself.
    """

    kind: str
    intent: str
    slots: Mapping[str, SlotValue]
    language: str
    until: float
    slot: str = ""
    candidates: tuple[str, ...] = ()
    reading: Reading | None = None
    plan: tuple[Planned, ...] = ()
    number: int = 0
    asked: str = ""

    def answered(self, value: SlotValue) -> dict[str, SlotValue]:
        """The slots with an answer; what was meant beside the devices in question is meant still."""
        sure = self.reading.sure if self.reading is not None and self.kind == "which" else ()
        devices = isinstance(value, tuple)
        return {**self.slots, self.slot: tuple(dict.fromkeys((*sure, *value))) if devices else value}  # type: ignore[misc]


def question(house: House, match: Match, best: Reading, intent: Intent, action: Action) -> str:
    """What is asked where a match is not to be carried out at once."""
    language = language_of(house, best.language)
    if match.reason == "missing":
        asked = next(iter(texts_for(intent.ask.get(match.detail, {}), best.language)), "")
        asked = asked or next((t[0] for t in intent.ask.get(match.detail, {}).values()), "")
        asked = asked or language.text("ask", slot=match.detail.replace("_", " "))
        return (
            about(house, best.slots.get("device"), asked, best.language) if best.stops else asked
        )  # what was only guessed is told
    if match.reason == "which":
        device = best.slots.get("device")
        return which_one(house, device if isinstance(device, tuple) else (), best.language)
    what = action.reply or intent.id.replace("_", " ")
    if not texts_for(intent.reply, best.language) and not intent.properties:
        what = intent.id.replace("_", " ")
    return language.text("confirm_action" if match.reason == "always" else "confirm", what=what)


def about(house: House, device: SlotValue | None, asked: str, tag: str) -> str:
    """A question with the devices that it is about."""
    language = language_of(house, tag)
    return language.text("part", part=names(house, device, language), reply=asked) if isinstance(device, tuple) else asked


def which_one(house: House, ids: tuple[str, ...], tag: str) -> str:
    """The question which of some devices is meant."""
    language = language_of(house, tag)
    return language.text("which", options=names(house, ids, language, "or"))
