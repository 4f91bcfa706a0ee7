"""Phrases in a spreadsheet: CSV (RFC 4180) with a column ``phrase`` and what it sends."""

from __future__ import annotations

import csv
import io
from collections.abc import Collection, Mapping

from msgspec import Struct, field

from glossa.house.forms import Wire
from glossa.house.links import Link
from glossa.house.notation import NotationError, parse, slots
from glossa.house.problems import Problem, nearest
from glossa.house.schema import StepSection
from glossa.house.shapes import convert
from glossa.house.text import identifier
from glossa.house.wires import Context, read_wire

COLUMNS = ("phrase", "intent", "link", "text", "bytes", "topic", "payload", "method", "path", "body", "reply")
_WIRE = ("text", "bytes", "topic", "payload", "method", "path", "body")


class SheetIntent(Struct):
    """The rows of one intent: its phrases with the line of each, and what it sends."""

    intent: str
    phrases: list[str] = field(default_factory=list)
    lines: list[int] = field(default_factory=list)
    cells: Mapping[str, str] = field(default_factory=dict)
    wire: Wire | None = None
    reply: str = ""


class _RowContext(Struct):
    """Notes a wire's errors at a row of the sheet."""

    file: str
    line: int
    problems: list[Problem]
    links: Mapping[str, Link]

    def bad(self, path: tuple[str | int, ...], message: str, hint: str = "") -> None:
        column = str(path[-1]) if path else ""
        self.problems.append(Problem(self.file, self.line, column, message, hint))


def read_sheet(text: str, file: str, context: Context, problems: list[Problem], free: Collection[str] = ()) -> list[SheetIntent]:
    """The intents of a phrase table, in the order of their first rows; what is wrong is added to ``problems``.

    ``free`` are the slots that take any words.
    """
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""))
    found: dict[str, SheetIntent] = {}
    try:
        header = [cell.strip().lower() for cell in next(rows, [])]
        for number, name in enumerate(header):
            if name not in COLUMNS:
                problems.append(
                    Problem(file, 1, name or f"column {number + 1}", f"unknown column '{name}'", nearest(name, COLUMNS))
                )
            elif name in header[:number]:
                problems.append(Problem(file, 1, name, "the column stands twice", "keep one of them"))
        if "phrase" not in header:
            problems.append(Problem(file, 1, "phrase", "the column 'phrase' is missing", "write it in the first row"))
            return []
        line = rows.line_num + 1
        for row in rows:
            _row(dict(zip(header, (cell.strip() for cell in row), strict=False)), file, line, found, context, problems, free)
            line = rows.line_num + 1
    except csv.Error as error:
        problems.append(Problem(file, rows.line_num, "", f"not CSV: {error}"))
    return list(found.values())


def _row(
    cells: dict[str, str],
    file: str,
    line: int,
    found: dict[str, SheetIntent],
    context: Context,
    problems: list[Problem],
    free: Collection[str],
) -> None:
    if not any(cells.values()):
        return
    phrase = cells.get("phrase", "")
    if not phrase:
        problems.append(Problem(file, line, "phrase", "the phrase is empty", "write what is said"))
        return
    key = cells.get("intent") or identifier(phrase)
    wired = {k: cells[k] for k in (*_WIRE, "link") if cells.get(k)}
    known = found.get(key)
    if known is None:
        here = _RowContext(file, line, problems, context.links)
        wire = None
        if any(k in wired for k in _WIRE):
            step, faults = convert(wired, StepSection)
            problems += [Problem(file, line, str(f.path[-1]), f.message, nearest(f.written, f.known)) for f in faults]
            wire = read_wire(step, "", (), here, _fills(cells), free) if not faults else None
        elif not cells.get("reply"):
            problems.append(
                Problem(file, line, "text", "the row sends nothing and replies nothing", "fill one of: " + ", ".join(_WIRE))
            )
        known = found[key] = SheetIntent(key, cells=wired, wire=wire, reply=cells.get("reply", ""))
    elif wired and wired != known.cells:
        first = known.lines[0]
        problems.append(
            Problem(file, line, "intent", f"'{key}' sends something else on line {first}", "give the row an intent of its own")
        )
    known.phrases.append(phrase)
    known.lines.append(line)


def _fills(cells: Mapping[str, str]) -> frozenset[str]:
    try:
        return frozenset({"house", *slots(parse(cells["phrase"]))})
    except NotationError:
        return frozenset({"house"})
