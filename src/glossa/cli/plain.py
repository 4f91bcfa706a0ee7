"""Output for programs: nothing here needs the terminal library."""

from __future__ import annotations

from typing import Any

from glossa.conversation import Event


def event_json(event: Event) -> dict[str, Any]:
    """An event as the JSON object of ``say --json``."""
    rest = event.match.readings[1:] if event.match else ()
    return {
        "utterance": event.utterance,
        "outcome": str(event.outcome),
        "intent": event.intent,
        "slots": {k: list(v) if isinstance(v, tuple) else v for k, v in event.slots.items()},
        "score": round(event.score, 4),
        "margin": round(event.margin, 4),
        "language": event.language,
        "commands": [str(c) for c in event.commands],
        "reply": event.reply,
        "alternatives": [
            {
                "intent": r.intent,
                "slots": {k: list(v) if isinstance(v, tuple) else v for k, v in r.slots.items() if k != "pin"},
                "score": round(r.score, 4),
            }
            for r in rest
        ],
    }
