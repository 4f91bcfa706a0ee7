"""What no row of a table exercises, and rows to suggest for it."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence

from msgspec import Struct

from glossa.house.model import House
from glossa.matching import Matcher
from glossa.trials.run import Result, shown
from glossa.trials.sentences import samples


class Coverage(Struct, frozen=True):
    """What no row exercises: phrases as (intent, phrase), devices, values as (property, value), intents, modes."""

    phrases: tuple[tuple[str, str], ...]
    devices: tuple[str, ...]
    values: tuple[tuple[str, str], ...]
    intents: tuple[str, ...]
    modes: tuple[str, ...]


def coverage(house: House, results: Sequence[Result]) -> Coverage:
    """What the rows of a table run leave out.

    A phrase is exercised by a row that is read with it; a device, value or mode by a row in which it appears.
    """
    phrases: set[tuple[str, str]] = set()
    devices: set[str] = set()
    values: set[tuple[str, str]] = set()
    intents: set[str] = set()
    modes: set[str] = set()
    for result in results:
        event = result.event
        if event is None:
            continue
        intents.update(result.row.intent.split("+"))
        modes.update({event.mode, result.row.mode})
        for one in event.parts or (event,):
            intents.update({one.intent or ""} if one.outcome in ("accept", "confirm", "ask") else ())
            if one.match is not None and one.match.best is not None:
                phrases.add((one.match.best.intent, one.match.best.phrase))
            for slot, value in one.slots.items():
                if isinstance(value, tuple):
                    devices.update(value)
                else:
                    values.add((slot, str(value)))
        for command in event.commands:
            devices.update(d for d, _, _ in command.effects)
            values.update((p, str(v)) for _, p, v in command.effects)
    every_phrase = [(i.id, p.text) for i in house.intents.values() for tag in house.languages for p in i.phrases_in(tag)]
    every_value = [(p.name, v) for d in house.devices.values() for p in d.properties.values() for v in p.values.choices]
    return Coverage(
        phrases=tuple(p for p in dict.fromkeys(every_phrase) if p not in phrases),
        devices=tuple(d for d in house.devices if d not in devices),
        values=tuple(v for v in dict.fromkeys(every_value) if v not in values),
        intents=tuple(i for i in house.intents if i not in intents),
        modes=tuple(m for m in house.modes if m not in modes),
    )


def suggested_rows(house: House, matcher: Matcher, missing: Coverage) -> str:
    """Rows for what is missing, as the text of a table to be checked by a person: what the house makes of each today."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["utterance", "outcome", "intent", "slots", "mode", "note"])
    said: dict[tuple[str, str], None] = {}
    wanted = {i for i, _ in missing.phrases} | set(missing.intents)
    for intent in house.intents.values():
        if intent.id in wanted:
            mode = intent.modes[0] if intent.modes else ""
            for tag in house.languages:
                said.update(dict.fromkeys((text, mode) for text in samples(house, intent, tag)))
    for name in missing.devices:
        device = house.devices[name]
        for tag in house.languages:
            for intent in house.intents.values():
                sample = samples(house, intent, tag, 1)
                fits = intent.properties and not intent.device and all(p in device.properties for p in intent.properties)
                first = next((d for d in house.devices.values() if all(p in d.properties for p in intent.properties)), None)
                if fits and sample and first is not None:
                    said[sample[0].replace(_way(first.names, tag), _way(device.names, tag)), ""] = None
                    break
    for text, mode in said:
        match = matcher.match(text, mode=mode)
        best = match.best
        slots = (
            " ".join(f'{k}="{v}"' if " " in str(v) else f"{k}={shown(v)}" for k, v in best.slots.items() if k != "pin")
            if best
            else ""
        )
        writer.writerow([text, match.outcome, best.intent if best else "", slots, mode, "suggested"])
    return out.getvalue()


def _way(names: object, tag: str) -> str:
    assert isinstance(names, dict)
    ways = (*names.get(tag, ()), *names.get("", ()))
    return " ".join(ways[0]) if ways else ""
