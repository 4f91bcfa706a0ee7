"""What a match gives: readings with their scores and alignments, and the decision."""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

from msgspec import Struct

from glossa.house.frozen import Frozen
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


class Piece(Struct, frozen=True, gc=False):
    """One row of an alignment, for people.

    Attributes:
        heard: the text that was heard, ``""`` for a word of the phrase that was not.
        taken: what it was taken for, ``""`` for what nothing explains.
        role: ``word``, ``$slot``, ``left over``, ``not heard`` or ``order``.
        cost: 0 or more, in units of one content word.
        why: the reason in a few words.
        where: for what is left over ``before``, ``inside`` or ``behind`` what the phrase explains, else ``""``.
        start, end: the characters of the utterance.
    """

    heard: str
    taken: str
    role: str
    cost: float
    why: str
    where: str = ""
    start: int = 0
    end: int = 0


class Counted(Struct, frozen=True, gc=False):
    """A term of the evidence that counted: how much there was of it, and what it adds to the log-odds."""

    term: str
    amount: float
    weight: float

    @property
    def log_odds(self) -> float:
        """What it adds to the log-odds."""
        return self.amount * self.weight


class Reading(Struct, frozen=True, gc=False):
    """One way to understand an utterance.

    Attributes:
        intent: the intent's id.
        slots: slot -> value; ``device`` is a tuple of device ids in the file's order, the candidates where ``which``.
        score: 1 - cost / weight, 0 to 1: the share of what was said and expected that fits.
        cost: the sum of the costs of the pieces.
        weight: the weight of the utterance and of the phrase together.
        confidence: how likely it is that this was meant, 0 to 1; calibrated.
        evidence: the terms that the confidence is made of, those that count most first.
        language: the language of the phrase.
        phrase: the phrase as written.
        pieces: the alignment; their costs add up to ``cost``.
        missing: slots that were not said and have no default.
        which: whether the device is a question; ``sure`` the devices that are meant whatever its answer is.
        wrong_room: whether a room was named in which the device is not.
        stops: the names of what keeps it from being carried out.
        outside: slots whose value is out of range.
        said: the slots that were said, defaults left out.
        meaning: equal for readings that do the same.
    """

    intent: str
    slots: Mapping[str, SlotValue]
    score: float
    cost: float
    weight: float
    confidence: float = 0.0
    evidence: tuple[Counted, ...] = ()
    language: str = ""
    phrase: str = ""
    pieces: tuple[Piece, ...] = ()
    missing: tuple[str, ...] = ()
    which: bool = False
    sure: tuple[str, ...] = ()
    wrong_room: bool = False
    stops: tuple[str, ...] = ()
    outside: tuple[str, ...] = ()
    said: tuple[str, ...] = ()
    meaning: object = None

    def __repr__(self) -> str:
        slots = {name: value for name, value in self.slots.items() if name != "pin"}
        return f"<Reading {self.intent} {slots} {self.confidence:.2f}>"


class Match(Struct, frozen=True, gc=False):
    """What the matcher makes of an utterance.

    Attributes:
        utterance: the text.
        outcome: ``accept``, ``confirm``, ``ask``, ``reject`` or ``cancel``.
        readings: the best reading of every meaning, best first.
        lead: by how many words of cost the next reading that means something else is behind the best one.
        reason: why the outcome is what it is, as a short name: a stop, ``confidence``, ``lead``, ``missing``, ``which``, ``pin`` or ``""``.
        detail: the slot, word or mode that the reason is about.
        language: the language of the best reading.
        limits: ``accept``, ``confirm`` and ``lead`` as they count for the best reading.
        parts: where it holds several commands, what each of them is; there are no readings of the whole then.
    """

    utterance: str
    outcome: Outcome
    readings: tuple[Reading, ...] = ()
    lead: float = 0.0
    reason: str = ""
    detail: str = ""
    language: str = ""
    limits: Mapping[str, float] = Frozen()
    parts: tuple[Match, ...] = ()

    @property
    def best(self) -> Reading | None:
        """The best reading, or None."""
        return self.readings[0] if self.readings else None

    @property
    def score(self) -> float:
        """The best reading's score, 0 where there is none; the least of several commands."""
        if self.parts:
            return min(part.score for part in self.parts)
        return self.readings[0].score if self.readings else 0.0

    @property
    def confidence(self) -> float:
        """The best reading's confidence, 0 where there is none; the least of several commands."""
        if self.parts:
            return min(part.confidence for part in self.parts)
        return self.readings[0].confidence if self.readings else 0.0

    def __repr__(self) -> str:
        best = f" {self.best.intent}" if self.best is not None else ""
        return f"<Match {self.outcome}{best} {self.confidence:.2f} {self.hidden!r}>"

    @property
    def hidden(self) -> str:
        """The utterance with a passcode in it starred out."""
        text = hide_passcode(self.utterance, self.best)
        for part in self.parts:
            text = text.replace(part.utterance, part.hidden)
        return text

    def explain(self) -> dict[str, object]:
        """The whole explanation as plain data, ready for JSON: alignment, evidence, stops, and the next readings; no passcode."""
        if self.parts:
            return {
                "utterance": self.hidden,
                "outcome": str(self.outcome),
                "reason": self.reason,
                "detail": self.detail,
                "language": self.language,
                "parts": [part.explain() for part in self.parts],
            }
        return {
            "utterance": self.hidden,
            "outcome": str(self.outcome),
            "reason": self.reason,
            "detail": self.detail,
            "score": round(self.score, 4),
            "confidence": round(self.confidence, 4),
            "lead": round(self.lead, 4),
            "language": self.language,
            "limits": dict(self.limits),
            "readings": [
                {
                    "intent": r.intent,
                    "slots": {k: list(v) if isinstance(v, tuple) else v for k, v in r.slots.items() if k != "pin"},
                    "phrase": r.phrase,
                    "score": round(r.score, 4),
                    "cost": round(r.cost, 4),
                    "weight": round(r.weight, 4),
                    "behind": round(r.cost - self.readings[0].cost, 4),
                    "confidence": round(r.confidence, 4),
                    "stops": list(r.stops),
                    "evidence": [
                        {
                            "term": c.term,
                            "amount": round(c.amount, 4),
                            "weight": round(c.weight, 4),
                            "log_odds": round(c.log_odds, 4),
                        }
                        for c in r.evidence
                    ],
                    "alignment": [
                        {
                            "heard": HIDDEN if p.role == "$pin" else p.heard,
                            "taken": p.taken,
                            "role": p.role,
                            "cost": round(p.cost, 4),
                            "why": p.why,
                            "where": p.where,
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
