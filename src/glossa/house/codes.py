"""What a recogniser that sends a code for each phrase means by it: a table of codes and utterances (CSV, RFC 4180)."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Mapping

from msgspec import Struct, field

from glossa.house.problems import Problem, nearest

COLUMNS = ("code", "utterance")
_HEX = re.compile(r"[0-9A-Fa-f]{2}(\s*[0-9A-Fa-f]{2})*")


class Codes(Struct, frozen=True):
    """The codes of one source.

    Attributes:
        size: the bytes of a code; 0 where a whole line, frame or message is one, and codes are text.
        utterances: code -> what it stands for, ``""`` for nothing: an answer of the recogniser, or a place in it that is free. Codes of bytes are
            written as hex pairs, ``5C 0D``.
    """

    size: int = 0
    utterances: Mapping[str, str] = field(default_factory=dict)

    @property
    def phrases(self) -> tuple[str, ...]:
        """What the codes stand for, each once, in the order of the table."""
        return tuple(dict.fromkeys(filter(None, self.utterances.values())))

    @property
    def silent(self) -> tuple[str, ...]:
        """The codes that stand for nothing."""
        return tuple(code for code, utterance in self.utterances.items() if not utterance)

    def groups(self, size: int) -> tuple[tuple[str, ...], ...]:
        """The phrases by the groups that are live at once: so many rows of the table each."""
        rows = list(self.utterances.values())
        return tuple(tuple(filter(None, rows[at : at + size])) for at in range(0, len(rows), size))

    def read(self, data: bytes) -> str:
        """The code in what came in."""
        return data.hex(" ").upper() if self.size else data.decode("utf-8", errors="replace").strip()

    def written(self, text: str) -> str:
        """A code as a person writes it, in its one form.

        >>> Codes(2).written("5c0d"), Codes().written(" K7 ")
        ('5C 0D', 'K7')
        """
        return bytes.fromhex(text).hex(" ").upper() if self.size and _HEX.fullmatch(text.strip()) else text.strip()


def read_codes(text: str, file: str, size: int, problems: list[Problem]) -> Codes:
    """The codes in a table; what is wrong is added to ``problems``.

    Args:
        text: the CSV text, with the columns ``code`` and ``utterance``; two codes may stand for one utterance, never one for two.
        file: what to call it in errors.
        size: the bytes of a code, 0 for text.
        problems: takes what is wrong.
    """
    rows = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""))
    codes, found = Codes(size), dict[str, str]()
    lines: dict[str, int] = {}
    try:
        header = [cell.strip().lower() for cell in next(rows, [])]
        for name in COLUMNS:
            if name not in header:
                hint = nearest(name, header, "is it") if header else "write it in the first row"
                problems.append(Problem(file, 1, name, f"the column '{name}' is missing", hint))
        if set(COLUMNS) - set(header):
            return codes
        line = rows.line_num + 1
        for row in rows:
            cells = dict(zip(header, (cell.strip() for cell in row), strict=False))
            written, utterance = cells.get("code", ""), cells.get("utterance", "")
            code = codes.written(written)
            if not written and not utterance:
                pass
            elif not written:
                problems.append(Problem(file, line, "code", "the cell is empty", "write the code that the utterance is sent as"))
            elif size and (not _HEX.fullmatch(written) or len(bytes.fromhex(code)) != size):
                problems.append(
                    Problem(
                        file,
                        line,
                        "code",
                        f"'{written}' is not {size} bytes",
                        f"write hex pairs, as in {' '.join(['5C'] * size)}",
                    )
                )
            elif found.setdefault(code, utterance) != utterance:
                problems.append(
                    Problem(
                        file, line, "code", f"'{code}' stands for “{found[code]}” on line {lines[code]}", "a code has one meaning"
                    )
                )
            lines.setdefault(code, line)
            line = rows.line_num + 1
    except csv.Error as error:
        problems.append(Problem(file, rows.line_num, "", f"not CSV: {error}"))
    return Codes(size, found)
