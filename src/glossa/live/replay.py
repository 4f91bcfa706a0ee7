"""A log played again, offline, against today's house."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any

from msgspec import Struct

from glossa.conversation import Conversation, Event
from glossa.house.model import House
from glossa.house.values import Value
from glossa.live.log import Entry
from glossa.matching import Matcher
from glossa.matching.result import HIDDEN


class Played(Struct, frozen=True):
    """One utterance of a log, played again.

    Attributes:
        entry: what the log says of it.
        event: what comes of it now; None where it can't be played, for it held a passcode.
        differs: the names of what is different: ``outcome``, ``intent``, ``slots``, ``commands``.
    """

    entry: Entry
    event: Event | None
    differs: tuple[str, ...] = ()


def replay(house: House, entries: Iterable[Entry], matcher: Matcher | None = None) -> Iterator[Played]:
    """Play what was heard again, in order, with its pauses, and each start of the house as a conversation of its own.

    Nothing is sent. What a device was at, where the outcome depended on it, is taken from the log; a several-text utterance
    is played with the text that won.

    Args:
        house: today's house.
        entries: of a log, oldest first.
        matcher: of the same house.
    """
    matcher = matcher or Matcher(house, remember=2000)
    talk = Conversation(house, matcher)
    run: float | None = None
    for entry in entries:
        if entry.kind != "heard":
            continue
        if entry.run != run:
            run, talk = entry.run, Conversation(house, matcher)
        text = str(entry.data.get("utterance", ""))
        if HIDDEN in text:
            yield Played(entry, None)
            continue
        _learn(talk, house, entry.data.get("before"))
        language = str(entry.data.get("language", ""))
        at = float(entry.data.get("at", entry.time))
        doubtful = entry.data.get("reason") == "alternatives"
        event = talk.hear(text, at, language if language in house.languages else "", doubtful=doubtful)
        yield Played(entry, event, _differences(entry.data, event.plain()))


def _learn(talk: Conversation, house: House, before: Any) -> None:
    known: Mapping[str, Value | None] = before if isinstance(before, dict) else {}
    for key, value in known.items():
        device, _, name = key.rpartition(".")
        if device in house.devices and name in house.devices[device].properties:
            if value is None:
                talk.state.pop((device, name), None)
            else:
                talk.state[device, name] = value


def _differences(then: Mapping[str, Any], now: Mapping[str, Any]) -> tuple[str, ...]:
    if then.get("outcome") != now["outcome"]:
        return ("outcome", *(k for k in ("intent",) if then.get(k) != now[k]))
    if now["outcome"] == "reject":  # of what was not understood, the nearest reading is no difference that anybody would notice
        return ()
    return tuple(k for k in ("intent", "slots", "commands") if then.get(k) != now[k])
