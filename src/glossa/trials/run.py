"""Running a table: rows on their own are tested awake; rows of one session run as one conversation in virtual time."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec import Struct

from glossa.commands.action import State
from glossa.conversation import Conversation, Event
from glossa.conversation.conversation import initial_state
from glossa.house.model import House
from glossa.house.values import tidy
from glossa.matching import Matcher
from glossa.matching.result import SlotValue
from glossa.trials.table import Row

REMEMBERED = 5_000
"""Matches that a table run keeps for rows of the same wording."""

BETWEEN = 1.0
"""Seconds between two rows of a session where the table gives no time."""


class Result(Struct, frozen=True):
    """What came of one row: the event, and what of it was not as the row wants it."""

    row: Row
    event: Event | None
    wrong: tuple[str, ...] = ()

    def __repr__(self) -> str:
        what = "right" if self.right else "; ".join(self.wrong)
        return f"<Result {self.row.table}:{self.row.line} {what} {self.event!r}>"

    @property
    def right(self) -> bool:
        """Whether everything was as the row wants it."""
        return not self.wrong


def run_table(
    house: House, rows: Iterable[Row], matcher: Matcher | None = None, progress: Callable[[int], None] | None = None
) -> list[Result]:
    """Run the rows of a table.

    Args:
        house: the house to test.
        rows: from :func:`read_table`.
        matcher: a matcher of the same house, to share what it has compiled.
        progress: called with the number of rows done.

    Returns:
        One result for each row, in their order; a row that can't be run is wrong and says why.
    """
    matcher = matcher or Matcher(house, REMEMBERED)
    state = initial_state(house)
    ordered = list(rows)
    results: dict[int, Result] = {}
    sessions: dict[tuple[str, str], list[int]] = {}
    done = 0
    for number, row in enumerate(ordered):
        if row.session:
            sessions.setdefault((row.table, row.session), []).append(number)
            continue
        results[number] = run_alone(house, row, matcher, state)
        done += 1
        if progress is not None:
            progress(done)
    for numbers in sessions.values():
        for number, result in zip(numbers, _session(house, [ordered[n] for n in numbers], matcher), strict=True):
            results[number] = result
        done += len(numbers)
        if progress is not None:
            progress(done)
    return [results[n] for n in range(len(ordered))]


def run_alone(house: House, row: Row, matcher: Matcher, state: State | None = None) -> Result:
    """One row, awake and on its own."""
    if row.problem:
        return Result(row, None, (row.problem,))
    event = Conversation(house, matcher, state=state, awake=True, mode=row.mode).hear(row.utterance, 0.0, row.language)
    return Result(row, event, compare(house, row, event))


def _session(house: House, rows: Sequence[Row], matcher: Matcher) -> list[Result]:
    conversation = Conversation(house, matcher, mode=rows[0].mode)
    found = []
    now = -BETWEEN
    for row in rows:
        now = row.at if row.at is not None else now + BETWEEN
        if row.problem:
            found.append(Result(row, None, (row.problem,)))
            continue
        event = conversation.hear(row.utterance, now, row.language)
        found.append(Result(row, event, compare(house, row, event)))
    return found


def compare(house: House, row: Row, event: Event) -> tuple[str, ...]:
    """What of an event is not as a row wants it, each as ``column: got, not expected``."""
    wrong = []
    if row.outcomes and event.outcome not in row.outcomes:
        wrong.append(f"outcome: {event.outcome}, not {'|'.join(row.outcomes)}")
    if row.intent and event.intent != row.intent:
        wrong.append(f"intent: {event.intent or 'none'}, not {row.intent}")
    for slots, one in commands_of(row, event):
        for slot, wanted in slots.items():
            got = shown(one.slots.get(slot))
            if not same_value(house, slot, one.slots.get(slot), wanted):
                wrong.append(f"{slot}: {got or 'none'}, not {wanted}")
    silent = next(
        (i for one in event.parts or (event,) if (i := one.intent or "") and not one.commands and house.intents[i].sends), ""
    )
    if silent and event.outcome == "accept" and row.commands is None:
        wrong.append(f"commands: {silent} was accepted, and nothing is sent")
    if row.commands is not None:
        got_commands = tuple(" ".join(str(c).split()) for c in event.commands)
        if got_commands != row.commands:
            wrong.append(f"commands: {' ; '.join(got_commands) or '-'}, not {' ; '.join(row.commands) or '-'}")
    if row.reply and event.reply.strip() != row.reply:
        wrong.append(f"reply: “{event.reply}”, not “{row.reply}”")
    return tuple(wrong)


def commands_of(row: Row, event: Event) -> list[tuple[Mapping[str, str], Event]]:
    """The slots that a row wants of each command, and what came of it; of commands that were not found there is nothing."""
    if not row.parts:
        return [(row.slots, event)]
    return list(zip(row.parts, event.parts or (event,), strict=False))


def shown(value: SlotValue | None) -> str:
    """A slot's value as a table writes it."""
    if value is None:
        return ""
    if isinstance(value, tuple):
        return "+".join(value)
    return str(tidy(value)) if isinstance(value, (int, float)) else value


def same_value(house: House, slot: str, got: SlotValue | None, wanted: str) -> bool:
    """Whether a slot has the value that a table writes; a group's id stands for its members."""
    if isinstance(got, tuple):
        ids = {d for name in wanted.split("+") for d in house.members(name)}
        return set(got) == ids
    if isinstance(got, (int, float)):
        try:
            return abs(float(wanted) - got) < 1e-6
        except ValueError:
            return False
    return shown(got) == wanted or (isinstance(got, str) and got.lower() == wanted.lower())
