"""A TOML file of one shape, read and checked: how a recogniser mishears, a language."""

from __future__ import annotations

import re
import tomllib
from typing import Any, TypeVar

from glossa.house.lines import line_of
from glossa.house.problems import HouseError, Problem, nearest
from glossa.house.shapes import convert

Shape = TypeVar("Shape")


def read_checked(text: str, name: str, shape: type[Shape]) -> Shape:
    """A TOML file as a value of a shape.

    Args:
        text: TOML.
        name: what to call the file in errors.
        shape: the class that says what it holds.

    Raises:
        HouseError: where it is no TOML or not of the form, with the line and the key.
    """
    try:
        raw: dict[str, Any] = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        line = re.search(r"line (\d+)", str(error))
        raise HouseError([Problem(name, int(line[1]) if line else 0, "", f"no TOML: {error}")]) from None
    found: Shape | None
    found, wrong = convert(raw, shape)
    if wrong or found is None:
        raise HouseError(
            Problem(name, line_of(text, f.path), ".".join(map(str, f.path)), f.message, nearest(f.written, f.known))
            for f in wrong
        )
    return found
