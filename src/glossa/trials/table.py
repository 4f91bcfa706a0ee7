"""Test tables: CSV (RFC 4180), UTF-8 with or without a byte order mark, any line end."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping
from difflib import get_close_matches

from msgspec import Struct, field
from msgspec.structs import replace

from glossa.house.model import House
from glossa.house.problems import HouseError, Problem, nearest
from glossa.matching import Outcome

COLUMNS = ("utterance", "outcome", "intent", "slots", "commands", "reply", "language", "mode", "source", "session", "at", "note")
OWN = "_"
"""A column that begins with it is the writer's own, whatever it looks like."""
OUTCOMES = tuple(str(o) for o in Outcome)
_SLOT = re.compile(r'(?<![\w.-])([\w.-]+)\s*=\s*("(?:[^"]|"")*"|\S*)')


class Row(Struct, frozen=True):
    """One thing heard, and what must come of it.

    Attributes:
        utterance: the text as the recogniser gives it.
        outcomes: the outcomes that are right; empty for any.
        intent: the intent's id, ``""`` where it is not checked; those of several commands joined by ``+``.
        slots: slot -> value as written.
        parts: the slots of each of several commands; empty for one.
        commands: the commands in one line each; None where they are not checked.
        reply, language, mode, note: as in the table.
        source: the source whose code stood in the table; the utterance is what it stands for.
        session, at: the conversation that the row belongs to, and seconds from its start.
        table, line: where it stands.
        problem: what is wrong with the row, ``""`` where it can be run.
        others: columns that have no meaning here, kept as they are.
    """

    utterance: str
    outcomes: tuple[str, ...] = ("accept",)
    intent: str = ""
    slots: Mapping[str, str] = field(default_factory=dict)
    parts: tuple[Mapping[str, str], ...] = ()
    commands: tuple[str, ...] | None = None
    reply: str = ""
    language: str = ""
    mode: str = ""
    source: str = ""
    session: str = ""
    at: float | None = None
    note: str = ""
    table: str = ""
    line: int = 0
    problem: str = ""
    others: Mapping[str, str] = field(default_factory=dict)


def read_table(text: str, name: str = "table.csv", house: House | None = None, *, extra_columns: bool = False) -> list[Row]:
    """The rows of a table.

    A column without a meaning is kept and not used. One that looks like a misspelt column is an error, because its rows would
    be right whatever came of them.

    Args:
        text: the CSV text.
        name: what to call the table in errors.
        house: where given, unknown intents, devices, slots, modes and languages become the ``problem`` of their row.
        extra_columns: take columns that look misspelt as columns of the writer's own; a leading ``_`` says so for one.

    Raises:
        HouseError: where the table has no column ``utterance``, a column twice or a misspelt one, or is not CSV.
    """
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=False)
    rows: list[Row] = []
    csv.field_size_limit(10_000_000)
    try:
        header = [cell.strip().lower() for cell in next(reader, [])]
        doubled = [c for i, c in enumerate(header) if c and c in header[:i]]
        if doubled:
            raise HouseError([Problem(name, 1, doubled[0], "the column stands twice", "keep one of them")])
        if "utterance" not in header:
            hint = nearest("utterance", header, "is it") if header else "write it in the first row"
            raise HouseError([Problem(name, 1, "utterance", "the column 'utterance' is missing", hint)])
        misspelt = [] if extra_columns else _misspelt(header)
        if misspelt:
            hint = "{}, or put _ before it where it is a column of your own"
            raise HouseError(Problem(name, 1, c, "unknown column", hint.format(f"did you mean '{k}'?")) for c, k in misspelt)
        line = reader.line_num + 1
        for cells in reader:
            if any(cell.strip() for cell in cells):
                rows.append(_row(dict(zip(header, cells, strict=False)), name, line, house))
            line = reader.line_num + 1
    except csv.Error as error:
        raise HouseError([Problem(name, reader.line_num, "", f"not CSV: {error}")]) from None
    return _in_time(rows)


def _misspelt(header: list[str]) -> list[tuple[str, str]]:
    """The columns that look like another column that the table does not have, each with that one."""
    free = [c for c in COLUMNS if c not in header]
    near = ((c, get_close_matches(c, free, 1, 0.7)) for c in header if c and c not in COLUMNS and not c.startswith(OWN))
    return [(column, known[0]) for column, known in near if known]


def _in_time(rows: list[Row]) -> list[Row]:
    """Rows of a session whose clock runs backwards can't be run."""
    latest: dict[str, float] = {}
    checked = []
    for row in rows:
        at = row.at
        if row.session and at is not None:
            before = latest.get(row.session, at)
            latest[row.session] = max(at, before)
            if at < before:
                row = replace(row, problem=f"at: the clock of session '{row.session}' runs backwards")
        checked.append(row)
    return checked


def _row(cells: dict[str, str], name: str, line: int, house: House | None) -> Row:
    value = {k: cells.get(k, "").strip() for k in COLUMNS}
    problems = []
    written = value["outcome"].lower()
    outcomes = () if written == "*" else tuple(o.strip() for o in (written or "accept").split("|"))
    problems += [f"outcome: '{o}' is none ({nearest(o, OUTCOMES)})" for o in outcomes if o not in OUTCOMES]
    at = None
    if value["at"]:
        try:
            at = float(value["at"])
        except ValueError:
            problems.append(f"at: '{value['at']}' is no number of seconds")
    parts = tuple(_slots(part) for part in _parts(value["slots"])) if "+" in value["intent"] else ()
    slots = {} if parts else _slots(value["slots"])
    if value["slots"] and not slots and not any(parts):
        problems.append(f"slots: '{value['slots']}' is not of the form device=galley_lamp level=40")
    if house is not None:
        for intent in value["intent"].split("+"):
            problems += _unknown({**value, "intent": intent}, {}, house)
        for one in (slots, *parts):
            problems += [
                p for p in _unknown({**value, "intent": "", "mode": "", "language": ""}, one, house) if p not in problems
            ]
        if parts and value["slots"] and len(parts) != value["intent"].count("+") + 1:
            problems.append("slots: one group for each intent, with ' ; ' between them")
    utterance = cells.get("utterance", "")
    if value["source"] and house is not None:
        try:
            utterance = house.meant_by(value["source"], utterance)
        except LookupError as error:
            problems.append(f"source: {error.args[0]}")
    return Row(
        utterance=utterance,
        outcomes=outcomes,
        intent=value["intent"],
        slots=slots,
        parts=parts if value["slots"] else tuple({} for _ in parts),
        commands=_commands(value["commands"]),
        reply=value["reply"],
        language=value["language"],
        mode=value["mode"],
        source=value["source"],
        session=value["session"],
        at=at,
        note=value["note"],
        table=name,
        line=line,
        problem="; ".join(problems),
        others={k: v for k, v in cells.items() if k not in COLUMNS},
    )


def _slots(written: str) -> dict[str, str]:
    return {k: v[1:-1].replace('""', '"') if v.startswith('"') else v for k, v in _SLOT.findall(written)}


def _parts(written: str) -> list[str]:
    """The slots of each of several commands: what stands between semicolons that are in no quotes."""
    parts, start, quoted = [], 0, False
    for at, sign in enumerate(written):
        quoted ^= sign == '"'
        if sign == ";" and not quoted:
            parts.append(written[start:at])
            start = at + 1
    return [*parts, written[start:]]


def _commands(written: str) -> tuple[str, ...] | None:
    if not written:
        return None
    if written == "-":
        return ()
    return tuple(" ".join(part.split()) for part in re.split(r"(?<!\\);", written) if part.strip())


def _unknown(value: Mapping[str, str], slots: Mapping[str, str], house: House) -> list[str]:
    found = []
    for column, known in (("intent", house.intents), ("mode", house.modes)):
        if value[column] and value[column] not in known:
            found.append(f"{column}: there is no '{value[column]}' ({nearest(value[column], known)})")
    if value["language"] and value["language"] not in house.languages:
        found.append(
            f"language: '{value['language']}' is not a language of this house ({nearest(value['language'], house.languages)})"
        )
    for device in slots.get("device", "").split("+") if slots.get("device") else ():
        if device not in house.devices and device not in house.groups:
            found.append(f"slots: there is no device '{device}' ({nearest(device, (*house.devices, *house.groups))})")
    return found
