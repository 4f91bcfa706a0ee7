"""What comes of an utterance."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from msgspec import Struct, field

from glossa.commands import Command
from glossa.house.values import Value
from glossa.matching.result import Match, Outcome, SlotValue


class Event(Struct, frozen=True):
    """What the house did with one utterance.

    Attributes:
        utterance: the text, a passcode in it starred out.
        at: seconds on the clock that was handed in.
        outcome: see :class:`~glossa.matching.Outcome`.
        intent, slots: the best reading, also where it was not carried out; never a passcode.
        commands: what is sent on ``accept``; on ``confirm`` and ``ask`` what would follow.
        reply: what the house says, ``""`` for nothing.
        changes: the values that the commands set.
        score, confidence, lead, language: of the match.
        reason, detail: why, in short names.
        mode: the mode afterwards, ``""`` for none.
        awake: whether the house listens afterwards.
        match: the match itself, where there was one.
        parts: where it holds several commands, an event for each, in their order.
        alternative: the number of the recogniser's text that this came of, from 1; 0 where it gave only one.
    """

    utterance: str
    at: float
    outcome: Outcome
    intent: str | None = None
    slots: Mapping[str, SlotValue] = field(default_factory=dict)
    commands: tuple[Command, ...] = ()
    reply: str = ""
    changes: Mapping[tuple[str, str], Value] = field(default_factory=dict)
    score: float = 0.0
    confidence: float = 0.0
    lead: float = 0.0
    language: str = ""
    reason: str = ""
    detail: str = ""
    mode: str = ""
    awake: bool = True
    match: Match | None = None
    parts: tuple[Event, ...] = ()
    alternative: int = 0

    def __repr__(self) -> str:
        return f"<Event {self.outcome} {self.intent or self.reason} {self.utterance!r}>"

    def plain(self) -> dict[str, Any]:
        """The event as plain data, ready for JSON."""
        rest = self.match.readings[1:] if self.match else ()
        parts = {"parts": [part.plain() for part in self.parts]} if self.parts else {}
        return {
            "utterance": self.utterance,
            "outcome": str(self.outcome),
            "intent": self.intent,
            "slots": _plain(self.slots),
            "confidence": round(self.confidence, 4),
            "score": round(self.score, 4),
            "lead": round(self.lead, 4),
            "language": self.language,
            "commands": [str(c) for c in self.commands],
            "reply": self.reply,
            "alternatives": [{"intent": r.intent, "slots": _plain(r.slots), "score": round(r.score, 4)} for r in rest],
            **parts,
        }


def _plain(slots: Mapping[str, SlotValue]) -> dict[str, Any]:
    return {k: list(v) if isinstance(v, tuple) else v for k, v in slots.items() if k != "pin"}
