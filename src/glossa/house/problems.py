"""What is wrong with a file, and where; and the nearest known word."""

from __future__ import annotations

from collections.abc import Iterable
from difflib import SequenceMatcher, get_close_matches

from msgspec import Struct

MOST_KNOWN = 20
"""Known words in a hint."""


class Problem(Struct, frozen=True, order=True):
    """One thing wrong with a file.

    Attributes:
        file: the file's name as it was given.
        line: the line in it, from 1; 0 where the whole file is meant.
        key: the dotted key or the column.
        message: what is wrong.
        hint: what to write instead, or ``""``.
    """

    file: str
    line: int
    key: str
    message: str
    hint: str = ""

    def __str__(self) -> str:
        place = f"{self.file}:{self.line}" if self.line else self.file
        hint = f" ({self.hint})" if self.hint else ""
        return f"{place}: {self.key + ': ' if self.key else ''}{self.message}{hint}"


class HouseError(ValueError):
    """A house that can't be used; ``problems`` lists everything that is wrong, in the order of file and line."""

    def __init__(self, problems: Iterable[Problem]) -> None:
        self.problems = tuple(sorted(set(problems)))
        super().__init__("\n".join(map(str, self.problems)))


def nearest(word: str, known: Iterable[str], lead: str = "did you mean") -> str:
    """A hint with the nearest known word, or with those that are most like it, at most twenty.

    >>> nearest("nmae", ["name", "tables"])
    "did you mean 'name'?"
    """
    options = list(dict.fromkeys(str(k) for k in known))
    if len(options) > MOST_KNOWN:  # those that the word is most like, so that the one that is looked for is among them
        likest = set(sorted(options, key=lambda o: -SequenceMatcher(None, word.lower(), o.lower()).ratio())[:MOST_KNOWN])
        shown = [o for o in options if o in likest]
    else:
        shown = options
    close = get_close_matches(word, options, 1, 0.6)
    if close:
        return f"{lead} '{close[0]}'?"
    more = f" and {len(options) - len(shown)} more" if len(options) > len(shown) else ""
    return f"known: {', '.join(shown)}{more}" if options else ""
