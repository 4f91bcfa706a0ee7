"""What does not fit a shape, with the place of each fault: plain data against classes and types."""

from __future__ import annotations

import datetime
import math
import operator
from collections.abc import Iterator, Mapping
from difflib import get_close_matches
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

import msgspec
from msgspec import Meta, Struct

Path = tuple[str | int, ...]

LARGEST = 1e15
"""Numbers beyond it are no figure of a household, and not exact as floats."""
MOST_FAULTS = 100
_NAMES = {
    str: "text", bool: "true or false", int: "a whole number", float: "a number", dict: "a table", list: "a list", tuple: "a list", NoneType: "nothing",
    datetime.datetime: "a date", datetime.date: "a date", datetime.time: "a time of day",
}  # fmt: skip


class Fault(Struct, frozen=True):
    """One thing that does not fit.

    Attributes:
        path: the keys and list numbers that lead to it.
        message: what is wrong.
        kind: ``unknown key``, ``unknown value``, ``missing``, ``type`` or ``limit``.
        written: the unknown key or value.
        known: the keys or values that may stand there.
    """

    path: Path
    message: str
    kind: str
    written: str = ""
    known: tuple[str, ...] = ()


def convert(raw: Any, shape: Any) -> tuple[Any, list[Fault]]:
    """Fit plain data to a shape.

    Returns:
        The converted data without what does not fit, or None where a needed key is missing or nothing could be kept; and all faults.
    """
    try:
        return msgspec.convert(raw, shape, strict=True), list(_numbers(raw, ()))
    except msgspec.ValidationError:
        found = list(faults(raw, shape))
    try:
        return msgspec.convert(_without(raw, [f.path for f in found if f.path], ()), shape, strict=True), found[:MOST_FAULTS]
    except msgspec.ValidationError:
        return None, found[:MOST_FAULTS]


def faults(raw: Any, shape: Any, path: Path = ()) -> Iterator[Fault]:
    """Everything in plain data that does not fit a shape, in the order of the data."""
    shape, limits = _bare(shape)
    if shape is Any:
        yield from _numbers(raw, path)
    elif isinstance(shape, type) and issubclass(shape, Struct):
        yield from _in_section(raw, shape, path)
    elif get_origin(shape) is Literal:
        if raw not in get_args(shape):
            yield _unknown_value(raw, shape, path)
    elif get_origin(shape) in (Union, UnionType):
        yield from _in_union(raw, shape, path)
    elif get_origin(shape) is dict:
        if not isinstance(raw, dict):
            yield _wrong_type(raw, shape, path)
            return
        for key, value in raw.items():
            yield from faults(value, get_args(shape)[1], (*path, key))
    elif get_origin(shape) in (list, tuple):
        if not isinstance(raw, list):
            yield _wrong_type(raw, shape, path)
            return
        for number, value in enumerate(raw):
            yield from faults(value, get_args(shape)[0], (*path, number))
    elif not _is_a(raw, shape):
        yield _wrong_type(raw, shape, path)
    else:
        yield from _numbers(raw, path)
    if limits is not None and _is_a(raw, get_origin(shape) or shape):
        yield from _beyond(raw, limits, path)


def _bare(shape: Any) -> tuple[Any, Meta | None]:
    """A type without its limits, and the limits."""
    if get_origin(shape) is Annotated:
        inner, *notes = get_args(shape)
        return inner, next((n for n in notes if isinstance(n, Meta)), None)
    return shape, None


def _is_a(raw: Any, shape: Any) -> bool:
    if shape is float:
        return isinstance(raw, (int, float)) and not isinstance(raw, bool)
    if shape is int:
        return isinstance(raw, int) and not isinstance(raw, bool)
    return isinstance(raw, shape) if isinstance(shape, type) else False


def _in_section(raw: Any, shape: type[Struct], path: Path) -> Iterator[Fault]:
    if not isinstance(raw, dict):
        yield Fault(path, f"must be a table, not {_named(raw)}", "type")
        return
    fields = {f.encode_name: f for f in msgspec.structs.fields(shape)}
    for key, value in raw.items():
        if key in fields:
            yield from faults(value, fields[key].type, (*path, key))
        else:
            yield Fault((*path, key), f"unknown key '{key}'", "unknown key", str(key), tuple(fields))
    strange = [str(key) for key in raw if key not in fields]
    for name, info in fields.items():
        if info.required and name not in raw and not get_close_matches(name, strange, 1, 0.75):  # misspelt is not missing
            yield Fault(path, f"'{name}' is missing", "missing", name)


def _in_union(raw: Any, shape: Any, path: Path) -> Iterator[Fault]:
    """Against the option of a union that the data looks like: a table, a list, or a plain value."""
    options = [o for o in get_args(shape) if o is not NoneType]
    for option in options:
        bare = _bare(option)[0]
        origin = get_origin(bare) or bare
        section = isinstance(origin, type) and issubclass(origin, Struct)
        if (isinstance(raw, dict) and (section or origin is dict)) or (isinstance(raw, list) and origin is list):
            yield from faults(raw, option, path)
            return
    plain = [list(faults(raw, o, path)) for o in options]
    if all(plain):
        literal = next((o for o in options if get_origin(o) is Literal), None)
        fitting = [f for f, o in zip(plain, options, strict=True) if _is_a(raw, _bare(o)[0])]
        yield (
            _unknown_value(raw, literal, path)
            if literal is not None
            else fitting[0][0]
            if fitting
            else _wrong_type(raw, shape, path)
        )


def _unknown_value(raw: Any, shape: Any, path: Path) -> Fault:
    known = tuple(str(v) for v in get_args(shape))
    if not isinstance(raw, str):
        return Fault(path, f"must be text, not {_named(raw)}", "type", known=known)
    return Fault(path, f"unknown value '{raw}'", "unknown value", raw, known)


def _wrong_type(raw: Any, shape: Any, path: Path) -> Fault:
    return Fault(path, f"must be {' or '.join(dict.fromkeys(_wanted(shape)))}, not {_named(raw)}", "type")


def _wanted(shape: Any) -> Iterator[str]:
    shape, _ = _bare(shape)
    if get_origin(shape) in (Union, UnionType):
        for option in get_args(shape):
            if option is not NoneType:
                yield from _wanted(option)
        return
    origin = get_origin(shape) or shape
    if isinstance(origin, type) and issubclass(origin, (Struct, Mapping)):
        yield "a table"
    else:
        yield _NAMES.get(origin, "text")


def _named(raw: Any) -> str:
    return _NAMES.get(type(raw), "a number" if isinstance(raw, float) else type(raw).__name__)


def _beyond(raw: Any, limits: Meta, path: Path) -> Iterator[Fault]:
    """Against the limits of a number or of a length."""
    if isinstance(raw, (int, float)):
        bounds = (
            (limits.gt, ">", operator.gt),
            (limits.ge, ">=", operator.ge),
            (limits.lt, "<", operator.lt),
            (limits.le, "<=", operator.le),
        )
        size, what = float(raw), "a number"
    else:
        bounds = (
            (limits.min_length, ">=", operator.ge),
            (limits.max_length, "<=", operator.le),
            (None, "", operator.eq),
            (None, "", operator.eq),
        )
        size, what = float(len(raw)), "text of length" if isinstance(raw, str) else "a list of length"
    for bound, sign, holds in bounds:
        if bound is not None and math.isfinite(size) and not holds(size, bound):
            yield Fault(path, f"must be {what} {sign} {bound:g}, not {raw!r:.200}", "limit")


def _numbers(raw: Any, path: Path) -> Iterator[Fault]:
    """Numbers that are no figures, at any depth."""
    if isinstance(raw, dict):
        for key, value in raw.items():
            yield from _numbers(value, (*path, key))
    elif isinstance(raw, list):
        for number, value in enumerate(raw):
            yield from _numbers(value, (*path, number))
    elif isinstance(raw, (int, float)) and not abs(raw) <= LARGEST:
        yield Fault(path, f"must be a number up to {LARGEST:g}, not {raw!r:.40}", "limit")


def _without(raw: Any, paths: list[Path], path: Path) -> Any:
    """The data without what lies at some paths; a list with a wrong item goes as a whole."""
    if isinstance(raw, dict):
        kept = {k: v for k, v in raw.items() if (*path, k) not in paths}
        lists = {k for k, v in kept.items() if isinstance(v, list) and any(p[:-1] == (*path, k) for p in paths)}
        return {k: _without(v, paths, (*path, k)) for k, v in kept.items() if k not in lists}
    if isinstance(raw, list):
        return [_without(v, paths, (*path, i)) for i, v in enumerate(raw)]
    return raw
