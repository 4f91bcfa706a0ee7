"""Which of several texts that a recogniser gives for one utterance wins."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from glossa.conversation.event import Event
from glossa.matching import Outcome

MOST_ALTERNATIVES = 10
LESS_SURE = 1.0
"""What a text costs, in words, that the recogniser gives no chance at all."""

_RANK = {
    Outcome.ACCEPT: 3, Outcome.WAKE: 3, Outcome.SLEEP: 3, Outcome.CANCEL: 3,
    Outcome.CONFIRM: 2, Outcome.ASK: 2, Outcome.REJECT: 1, Outcome.ASLEEP: 0,
}  # fmt: skip
_UNSTOPPED = ("", "confidence", "lead", "missing", "nothing", "filler", "empty", "too long", "asleep", "repeated")


class Candidate(Struct, frozen=True):
    """What came of one of the texts.

    Attributes:
        number: its place, from 1, in the recogniser's order.
        event: what would come of it.
        confidence: the recogniser's, 0 to 1.
        surest: the highest confidence among the texts.
    """

    number: int
    event: Event
    confidence: float
    surest: float

    @property
    def cost(self) -> float:
        """What its reading costs, in words, with what the recogniser's doubt costs; answers and wake words cost nothing."""
        match = self.event.match
        readings = [m.best for m in (match.parts or (match,)) if m.best is not None] if match is not None else []
        return sum(r.cost for r in readings) + LESS_SURE * (self.surest - self.confidence)

    @property
    def rank(self) -> tuple[int, float, int]:
        """What is understood goes before what is not, then the cost, then the recogniser's order."""
        return _RANK[self.event.outcome], -self.cost, -self.number

    def doubted(self, others: Sequence[Candidate], lead: float) -> bool:
        """Whether another text is a reason not to act on this one at once."""
        mine = self.event
        if mine.outcome != Outcome.ACCEPT:
            return False
        for other in others:
            its = other.event
            same = its.intent == mine.intent and (its.slots == mine.slots or its.outcome == Outcome.ASK)
            same = same and [p.slots for p in its.parts] == [p.slots for p in mine.parts]
            if other is self or (same and its.outcome != Outcome.REJECT):
                continue
            if _RANK[its.outcome] >= 2 and other.cost < self.cost + lead:
                return True
            surer = other.confidence > self.confidence or (other.confidence == self.confidence and other.number < self.number)
            if surer and its.outcome == Outcome.REJECT and its.reason not in _UNSTOPPED and its.intent == mine.intent:
                return True
        return False
