"""Results that are kept, and what has changed since: JSON lines, one a row."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from glossa.house.problems import HouseError, Problem
from glossa.trials.run import Result

MOST_MOVED = 10


class Change(Struct, frozen=True):
    """A row that came out otherwise than before: what it was and what it is, as (outcome, intent, commands, score, right)."""

    utterance: str
    table: str
    line: int
    before: dict[str, Any]
    after: dict[str, Any]

    @property
    def moved(self) -> float:
        """How far its score moved, -1 to 1."""
        return float(self.after["score"]) - float(self.before["score"])


class Comparison(Struct, frozen=True):
    """What has changed between two runs of the same rows."""

    newly_right: tuple[Change, ...]
    newly_wrong: tuple[Change, ...]
    different: tuple[Change, ...]
    moved: tuple[Change, ...]
    added: int
    gone: int


def kept(results: Sequence[Result]) -> str:
    """Results as JSON lines, to be written to a file."""
    return "".join(json.dumps(_kept(r), ensure_ascii=False, sort_keys=True) + "\n" for r in results)


def _kept(result: Result) -> dict[str, Any]:
    row, event = result.row, result.event
    return {
        "table": row.table,
        "line": row.line,
        "session": row.session,
        "at": row.at,
        "language": row.language,
        "mode": row.mode,
        "utterance": row.utterance,
        "right": result.right,
        "outcome": str(event.outcome) if event else "",
        "intent": (event.intent or "") if event else "",
        "commands": [str(c) for c in event.commands] if event else [],
        "reply": event.reply if event else "",
        "score": round(event.score, 6) if event else 0.0,
    }


def compare_runs(before: str, results: Sequence[Result], name: str = "results") -> Comparison:
    """What has changed since a run that was kept.

    Args:
        before: the text that :func:`kept` gave then.
        results: today's results.
        name: what to call the kept run in errors.

    Raises:
        HouseError: where the text is none of :func:`kept`.
    """
    old: dict[tuple[str, ...], list[dict[str, Any]]] = {}
    for number, line in enumerate(before.splitlines(), 1):
        try:
            item = json.loads(line)
            old.setdefault(_key(item), []).append(item)
        except (ValueError, KeyError, TypeError):
            raise HouseError(
                [Problem(name, number, "", "is not a kept result", "write it anew with 'glossa test --save'")]
            ) from None
    right: list[Change] = []
    wrong: list[Change] = []
    different: list[Change] = []
    moved: list[Change] = []
    added = 0
    for result in results:
        now = _kept(result)
        items = old.get(_key(now))
        if not items:
            added += 1
            continue
        then = items.pop(0)
        change = Change(now["utterance"], now["table"], now["line"], then, now)
        if now["right"] != then["right"]:
            (right if now["right"] else wrong).append(change)
        elif any(now[k] != then.get(k) for k in ("outcome", "intent", "commands", "reply")):
            different.append(change)
        if abs(change.moved) > 1e-6:
            moved.append(change)
    moved.sort(key=lambda c: (-abs(c.moved), c.table, c.line))
    gone = sum(len(items) for items in old.values())
    return Comparison(tuple(right), tuple(wrong), tuple(different), tuple(moved[:MOST_MOVED]), added, gone)


def _key(item: dict[str, Any]) -> tuple[str, ...]:
    table = str(item["table"]).replace("\\", "/").rsplit("/", 1)[-1]
    return (table, *(str(item[k]) for k in ("session", "at", "language", "mode", "utterance")))
