"""The decision about a best reading: stops, limits, questions."""

from __future__ import annotations

from collections.abc import Sequence

from glossa.hearing.numbers import twins
from glossa.house.effects import slot_of
from glossa.house.model import House, Intent
from glossa.house.sorts import NumberValues
from glossa.house.values import OutsideRange, Values, tidy
from glossa.language import language_of
from glossa.matching.meaning import given, targets
from glossa.matching.result import Outcome, Reading
from glossa.matching.stops import Fired, Severity

Decision = tuple[Outcome, str, str]
"""The outcome, the reason as a short name, and the slot, word or mode that it is about."""


def decide(
    house: House, intent: Intent, reading: Reading, stops: Sequence[Fired], lead: float, *, live: bool, confirmed: bool = False
) -> Decision:
    """The decision about a best reading.

    Args:
        house: the house.
        intent: the reading's intent.
        reading: the best reading.
        stops: what fired on it.
        lead: its lead over the next meaning, in words.
        live: whether the intent counts in the mode that the house is in.
        confirmed: whether the house has asked back already.
    """
    return (
        _refused(house, intent, reading, stops, live=live)
        or _asked(intent, reading, stops)
        or (None if confirmed else _asked_back(house, intent, reading, stops, lead))
        or (Outcome.ACCEPT, "", "")
    )


def _refused(house: House, intent: Intent, reading: Reading, stops: Sequence[Fired], *, live: bool) -> Decision | None:
    for stop in stops:
        if stop.severity == Severity.REJECT:
            return Outcome.REJECT, stop.name, stop.words
    limits = intent.matching
    if reading.confidence < limits.confirm:
        return Outcome.REJECT, "confidence", f"{reading.confidence:.2f} is under {limits.confirm:.2f}"
    if not live:
        return Outcome.REJECT, "mode", intent.modes[0] if intent.modes else ""
    outside = out_of_range(house, intent, reading)
    if outside:
        return Outcome.REJECT, "range", outside[0]
    unasked = [slot for slot in reading.missing if slot not in intent.ask]
    if (unasked and not _begun(stops)) or len(reading.missing) > 1:
        return Outcome.REJECT, "missing", (unasked or reading.missing)[0]
    if reading.which and reading.wrong_room:
        return Outcome.REJECT, "wrong room", ""
    return None


def _begun(stops: Sequence[Fired]) -> bool:
    """Whether a value was begun and not said; it is asked for, whatever the house file says about that."""
    return any(s.name == "broken off" for s in stops)


def _asked(intent: Intent, reading: Reading, stops: Sequence[Fired]) -> Decision | None:
    unsaid = reading.missing or [s for s in intent.defaults if s in intent.changed_by and s not in reading.said and _begun(stops)]
    if unsaid:
        return Outcome.ASK, "missing", unsaid[0]
    if reading.which:
        return Outcome.ASK, "which", ""
    if intent.pin is not None:
        return Outcome.ASK, "pin", ""
    return None


def _asked_back(house: House, intent: Intent, reading: Reading, stops: Sequence[Fired], lead: float) -> Decision | None:
    limits = intent.matching
    if stops:
        return Outcome.CONFIRM, stops[0].name, stops[0].words
    if reading.wrong_room:
        return Outcome.CONFIRM, "wrong room", ""
    if intent.confirm != "never":
        if reading.confidence < limits.accept:
            return Outcome.CONFIRM, "confidence", f"{reading.confidence:.2f} is under {limits.accept:.2f}"
        if lead < limits.lead:
            return Outcome.CONFIRM, "lead", f"{lead:.2f} is under {limits.lead:.2f}"
    twin = doubtful(house, intent, reading)
    if twin:
        return Outcome.CONFIRM, "doubt", twin
    return (Outcome.CONFIRM, "always", "") if intent.confirm == "always" else None


def out_of_range(house: House, intent: Intent, reading: Reading) -> tuple[str, ...]:
    """The slots whose value one of the devices that it is for does not take."""
    outside = list(reading.outside)
    for name, setting in intent.set.items():
        slot = slot_of(setting)
        if not slot or slot in outside:
            continue
        for device in targets(house, intent, reading.slots):
            prop = house.devices[device].properties.get(name)
            value = given(house, setting, reading.slots, prop.values) if prop is not None else None
            if prop is not None and isinstance(value, (int, float)) and not _takes(prop.values, value):
                outside.append(slot)
                break
    return tuple(outside)


def _takes(values: Values, number: int | float) -> bool:
    try:
        values.settle(number)
    except OutsideRange:
        return False
    return True


def doubtful(house: House, intent: Intent, reading: Reading) -> str:
    """A number that has to be read back because one that sounds like it lies in range too: ``"13 or 30"``, else ``""``."""
    language = language_of(house, reading.language)
    for slot, value in reading.slots.items():
        if not isinstance(value, (int, float)) or slot not in reading.said:
            continue
        owners = [
            house.devices[d].properties[slot].values
            for d in targets(house, intent, reading.slots)
            if slot in house.devices[d].properties
        ]
        for values in [house.slots[slot]] if slot in house.slots else owners[:1]:
            if not isinstance(values, NumberValues) or not values.doubt:
                continue
            low, high = values.limits()
            span = high - low
            for other in twins(value, language):
                if low <= other <= high and (span == float("inf") or abs(other - value) > values.doubt_share * span):
                    return f"{tidy(value)} or {tidy(other)}"
    return ""
