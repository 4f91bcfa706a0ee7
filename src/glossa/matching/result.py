"""What a match gives: readings with their scores and alignments, and the decision."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

from msgspec import Struct, field

from glossa.house.values import Value

HIDDEN = "****"
"""What stands for a passcode wherever it could be seen."""

SlotValue = Value | tuple[str, ...]


class Outcome(StrEnum):
    """What becomes of an utterance."""

    ACCEPT = "accept"
    CONFIRM = "confirm"
    ASK = "ask"
    REJECT = "reject"
    WAKE = "wake"
    SLEEP = "sleep"
    CANCEL = "cancel"
    ASLEEP = "asleep"


class Piece(Struct, frozen=True):
    """One row of an alignment.

    Attributes:
        heard: the text that was heard, ``""`` for a word of the phrase that was not.
        taken: what it was taken for, ``""`` for what nothing explains.
        role: ``word``, ``$slot``, ``skipped``, ``not heard``, ``order`` or ``rewritten``.
        cost: 0 or more, in units of one content word.
        why: the reason in a few words.
        start, end: the characters of the utterance.
    """

    heard: str
    taken: str
    role: str
    cost: float
    why: str
    start: int = 0
    end: int = 0


class Reading(Struct, frozen=True):
    """One way to understand an utterance.

    Attributes:
        intent: the intent's id.
        slots: slot -> value; ``device`` is a tuple of device ids in the file's order, the candidates where ``which``.
        score: 1 - cost / weight, 0 to 1: the share of what was said and expected that fits.
        cost: the sum of the costs of the pieces.
        weight: the weight of the utterance and of the phrase together.
        language: the language of the phrase.
        phrase: the phrase as written.
        pieces: the alignment; their costs add up to ``cost``.
        missing: slots that were not said and have no default.
        which: whether the device is a question.
        guards: the names of the guards that fired.
        outside: slots whose value is out of range.
        said: the slots that were said, defaults left out.
        meaning: equal for readings that do the same.
    """

    intent: str
    slots: Mapping[str, SlotValue]
    score: float
    cost: float
    weight: float
    language: str = ""
    phrase: str = ""
    pieces: tuple[Piece, ...] = ()
    missing: tuple[str, ...] = ()
    which: bool = False
    wrong_room: bool = False
    guards: tuple[str, ...] = ()
    outside: tuple[str, ...] = ()
    meaning: object = None
    said: tuple[str, ...] = ()


class Match(Struct, frozen=True):
    """What the matcher makes of an utterance.

    Attributes:
        utterance: the text.
        outcome: ``accept``, ``confirm``, ``ask``, ``reject`` or ``cancel``.
        readings: the best reading of every meaning, best first.
        margin: the lead of the best reading over the next one that means something else, 0 to 1.
        reason: why the outcome is what it is, as a short name: a guard, ``score``, ``margin``, ``missing``, ``which``, ``pin`` or ``""``.
        detail: the slot, word or mode that the reason is about.
    """

    utterance: str
    outcome: Outcome
    readings: tuple[Reading, ...] = ()
    margin: float = 0.0
    reason: str = ""
    detail: str = ""
    language: str = ""
    thresholds: Mapping[str, float] = field(default_factory=dict)

    @property
    def best(self) -> Reading | None:
        """The best reading, or None."""
        return self.readings[0] if self.readings else None

    @property
    def score(self) -> float:
        """The best reading's score, 0 where there is none."""
        return self.readings[0].score if self.readings else 0.0

    def explain(self) -> dict[str, object]:
        """The whole explanation as plain data, ready for JSON: alignment, sums, guards, and the next readings; no passcode."""
        return {
            "utterance": hide_passcode(self.utterance, self.best),
            "outcome": str(self.outcome),
            "reason": self.reason,
            "detail": self.detail,
            "score": round(self.score, 4),
            "margin": round(self.margin, 4),
            "language": self.language,
            "thresholds": dict(self.thresholds),
            "readings": [
                {
                    "intent": r.intent,
                    "slots": {k: list(v) if isinstance(v, tuple) else v for k, v in r.slots.items() if k != "pin"},
                    "phrase": r.phrase,
                    "score": round(r.score, 4),
                    "cost": round(r.cost, 4),
                    "weight": round(r.weight, 4),
                    "behind": round(self.score - r.score, 4),
                    "guards": list(r.guards),
                    "alignment": [
                        {
                            "heard": HIDDEN if p.role == "$pin" else p.heard,
                            "taken": p.taken,
                            "role": p.role,
                            "cost": round(p.cost, 4),
                            "why": p.why,
                        }
                        for p in r.pieces
                    ],
                }
                for r in self.readings
            ],
        }


def hide_passcode(text: str, reading: Reading | None) -> str:
    """A text with the passcode that a reading found in it starred out."""
    for piece in reading.pieces if reading else ():
        if piece.role == "$pin":
            return text[: piece.start] + HIDDEN + text[piece.end :]
    return text
