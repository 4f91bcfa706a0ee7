"""The keys of a house file and the types of their values, section by section.

Only shapes live here; what the values mean together is checked in :mod:`glossa.house.reading`.  A text that is spoken or
shown may be a table by language instead, hence ``Text`` and ``Texts``.
"""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal, get_args, get_origin

import msgspec
from msgspec import Meta, Struct

Number = int | float
Positive = Annotated[float, Meta(gt=0)]
Share = Annotated[float, Meta(ge=0, le=1)]
Factor = Annotated[float, Meta(ge=0, le=20)]
NotNegative = Annotated[float, Meta(ge=0)]
Text = str | dict[str, str]
Texts = str | list[str] | dict[str, str | list[str]]
Scalar = str | int | float


class Section(Struct, forbid_unknown_fields=True, kw_only=True):
    """A section of the file; unknown keys are errors."""


class HouseSection(Section):
    """``[house]``."""

    name: Annotated[str, Meta(min_length=1)]
    languages: list[str] = msgspec.field(default_factory=lambda: ["en"])
    tables: list[str] = []
    repeat: NotNegative = 0.7


class WakeSection(Section):
    """``[wake]``."""

    words: Texts
    also_heard: Texts = []
    accept: Share = 0.85
    window: Positive = 8.0
    after_command: Literal["sleep", "stay"] = "sleep"
    end: Texts = []


class PricesSection(Section):
    """``[prices]``."""

    wrong: NotNegative = 10.0
    talk: NotNegative = 5.0
    missed: NotNegative = 1.0
    ask: NotNegative = 0.3


class MatchingSection(Section):
    """``[matching]``, of the house or of an intent."""

    accept: Share | None = None
    confirm: Share | None = None
    lead: NotNegative | None = None
    sound: Factor | None = None
    order: Factor | None = None
    synonyms: Factor | None = None
    filler: Factor | None = None


class WordsSection(Section):
    """``[words]``."""

    same: list[list[str] | dict[str, list[str]]] | dict[str, list[list[str]]] = []
    ignore: Texts = []


class LinkSection(Section):
    """``[links.ID]``."""

    type: Literal["simulated", "mqtt", "serial", "http", "callback"] = "simulated"
    host: str = "127.0.0.1"
    port: int | str | None = None
    username: str = ""
    password_env: str = ""
    qos: Annotated[int, Meta(ge=0, le=2)] = 1
    retain: bool = False
    baud: Annotated[int, Meta(gt=0)] = 9600
    start: str = ""
    end: str = ""
    gap: NotNegative = 0.0
    url: str = ""
    expires: Positive = 5.0
    version: Literal["3.1.1", "5"] = "3.1.1"
    tls: bool = False
    ca_file: str = ""
    keepalive: Annotated[int, Meta(ge=5, le=65535)] = 30
    availability: str = "$house/glossa"
    acknowledge: str = ""
    settle: NotNegative = 0.0
    timeout: Positive | None = None
    token_env: str = ""


class StepSection(Section):
    """A step or a wire command."""

    link: str = ""
    topic: str | None = None
    payload: str | int | float | bool | None = None
    qos: Annotated[int, Meta(ge=0, le=2)] | None = None
    retain: bool | None = None
    text: str | None = None
    bytes: str | None = None
    method: Literal["GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS"] | None = None
    path: str | None = None
    json: Any = None
    body: str | None = None
    call: str | None = None
    wait: Number | str | None = None
    device: str | None = None
    set: dict[str, Scalar] | None = None


class ValuesSection(Section):
    """``[slots.ID]``, and what a property has in common with it."""

    type: Literal["switch", "number", "choice", "colour", "digits", "words"] | None = None
    unit: str = ""
    unit_words: Texts = []
    minimum: Number | None = None
    maximum: Number | None = None
    step: Positive | None = None
    raw: Annotated[list[Number], Meta(min_length=2, max_length=2)] | None = None
    raw_step: Positive | None = None
    values: dict[str, Scalar] | list[str] | None = None
    spoken: dict[str, Texts] = {}
    named: dict[str, Scalar | dict[str, Scalar]] = {}
    initial: Scalar | None = None
    outside: Literal["refuse", "clamp"] = "refuse"
    difference: bool = False
    cyclic: bool = False
    inverted: bool = False
    doubt: Literal["ask", "never"] = "never"
    doubt_share: Share = 0.1


class PropertySection(ValuesSection):
    """``[kinds.ID.properties.NAME]``, also of a device."""

    command: StepSection | list[StepSection] | None = None
    state: StepSection | None = None


class KindSection(Section):
    """``[kinds.ID]``."""

    like: str = ""
    nouns: Texts = []
    properties: dict[str, PropertySection] = {}


class DeviceSection(Section):
    """``[devices.ID]``."""

    names: Texts = []
    also_heard: Texts = []
    kind: str = ""
    room: str = ""
    link: str = ""
    properties: dict[str, PropertySection] = {}


class GroupSection(Section):
    """``[groups.ID]``."""

    members: Annotated[list[str], Meta(min_length=1)]
    names: Texts = []


class PinSection(Section):
    """The ``pin`` of an intent."""

    env: str = ""
    test: str = ""
    tries: Annotated[int, Meta(ge=1)] = 3
    lockout: NotNegative = 60.0


class IntentSection(Section):
    """``[intents.ID]``."""

    phrases: Texts
    set: dict[str, Scalar] | None = None
    change: dict[str, Scalar] | None = None
    read: str | None = None
    steps: list[StepSection] | None = None
    device: str = ""
    defaults: dict[str, Scalar] = {}
    ask: dict[str, Text] = {}
    reply: Text = ""
    confirm: Literal["unsure", "always", "never"] = "unsure"
    matching: MatchingSection = msgspec.field(default_factory=MatchingSection)
    pin: PinSection | None = None
    modes: list[str] = []
    enter_mode: str = ""
    leave_mode: bool = False


class ModeSection(Section):
    """``[modes.ID]``."""

    idle: Positive = 30.0
    exclusive: bool = False
    awake: bool = True


SECTIONS: dict[str, Any] = {
    "house": HouseSection,
    "wake": WakeSection,
    "matching": MatchingSection,
    "prices": PricesSection,
    "evidence": dict[str, float],
    "words": WordsSection,
    "sounds": dict[str, str],
}
TABLES: dict[str, Any] = {
    "links": LinkSection,
    "rooms": Texts,
    "kinds": KindSection,
    "devices": DeviceSection,
    "groups": GroupSection,
    "slots": ValuesSection,
    "intents": IntentSection,
    "modes": ModeSection,
}
"""Sections that hold one entry per id, with the type of each entry."""

Path = tuple[str | int, ...]
_AT = re.compile(r"^(?P<what>.*?)(?: - at `(?:key in )?\$(?P<path>.*)`)?$", re.DOTALL)
_STEP = re.compile(r"\[(\d+)\]|\[\.\.\.\]|\.([^.\[\]]+)")
_TYPES = {
    "str": "text",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "object": "a table",
    "array": "a list",
    "null": "nothing",
}


def convert(raw: Any, shape: Any) -> tuple[Any, list[tuple[Path, str]]]:
    """Fit raw TOML data to a shape.

    The validator stops at its first error, so each offending key is noted, taken out, and the rest tried again.

    Returns:
        The converted section, or None where a needed key is missing or nothing could be kept, and every error as
        (path inside the section, what is wrong).
    """
    raw = _copy(raw)
    errors: list[tuple[Path, str]] = []
    while len(errors) < 100:
        try:
            return msgspec.convert(raw, shape, strict=True), errors
        except msgspec.ValidationError as error:
            found = _AT.match(str(error))
            what = found["what"] if found else str(error)
            path = _path(raw, shape, found["path"] or "" if found else "")
            unknown = re.match(r"Object contains unknown field `(.*)`", what)
            if unknown:
                path = (*path, unknown[1])
            missing = re.match(r"Object missing required field `(.*)`", what)
            if not missing or all(missing[1] != p[-1] for p, _ in errors if len(p) == len(path) + 1):
                errors.append((path, _plain(what, _value(raw, path))))
            if not path or not _remove(raw, path):
                return None, errors
    return None, errors


def shape_at(shape: Any, path: Path) -> Any:
    """The type that stands where ``path`` ends inside a shape, or None where nothing may stand."""
    for key in path:
        shape = _section(shape) or shape
        if isinstance(key, int):
            continue
        if isinstance(shape, type) and issubclass(shape, Struct):
            shape = {f.name: f.type for f in msgspec.structs.fields(shape)}.get(key)
        elif get_origin(shape) is dict:
            shape = get_args(shape)[1]
    return shape


def options_at(shape: Any, path: Path) -> tuple[str, ...]:
    """The keys, or the values, that may stand where ``path`` ends inside a shape."""
    found = shape_at(shape, path)
    section = _section(found)
    if section is not None:
        return tuple(section.__struct_fields__)
    for part in (found, *get_args(found)):
        if get_origin(part) is Literal:
            return tuple(get_args(part))
    return ()


def _section(shape: Any) -> Any:
    """The section type that a shape is, or that its options or its list hold."""
    if isinstance(shape, type) and issubclass(shape, Struct):
        return shape
    if get_origin(shape) is dict:
        return None
    return next((found for part in get_args(shape) if (found := _section(part)) is not None), None)


def _copy(raw: Any) -> Any:
    if isinstance(raw, dict):
        return {k: _copy(v) for k, v in raw.items()}
    return [_copy(v) for v in raw] if isinstance(raw, list) else raw


def _path(raw: Any, shape: Any, text: str) -> Path:
    """The keys of an error's path. Where the validator only says ``[...]`` for "some key", the key is the first that fails alone."""
    path: Path = ()
    for found in _STEP.finditer(text):
        if found[0] != "[...]":
            path = (*path, int(found[1]) if found[1] else found[2])
            continue
        for key in _value(raw, path):
            alone = _copy(raw)
            table = _value(alone, path)
            for other in [k for k in table if k != key]:
                del table[other]
            try:
                msgspec.convert(alone, shape, strict=True)
            except msgspec.ValidationError as error:
                if "[...]" in str(error):
                    path = (*path, key)
                    break
        else:
            break
    return path


def _value(raw: Any, path: Path) -> Any:
    for key in path:
        try:
            raw = raw[key]
        except (KeyError, IndexError, TypeError):
            return None
    return raw


def _remove(raw: Any, path: Path) -> bool:
    parent = _value(raw, path[:-1])
    if isinstance(parent, dict) and path[-1] in parent:
        del parent[path[-1]]
        return True
    if isinstance(parent, list) and isinstance(path[-1], int) and path[-1] < len(parent):
        return _remove(raw, path[:-1])
    return False


def _plain(what: str, value: Any) -> str:
    """The validator's message in the words of a person who writes a file."""
    missing = re.match(r"Object missing required field `(.*)`", what)
    if missing:
        return f"'{missing[1]}' is missing"
    unknown = re.match(r"Object contains unknown field `(.*)`", what)
    if unknown:
        return f"unknown key '{unknown[1]}'"
    types = re.match(r"Expected `(.*)`, got `(.*)`", what)
    if types:
        wanted = " or ".join(dict.fromkeys(_TYPES.get(t, t) for t in types[1].split(" | ") if t != "null"))
        return f"must be {wanted}, not {_TYPES.get(types[2], types[2])}"
    wrong = re.match(r"Invalid enum value (.*)", what)
    if wrong:
        return f"unknown value '{value}'"
    limits = re.match(r"Expected `(\w+)` (.*)", what)
    if limits:
        return f"must be {_TYPES.get(limits[1], limits[1])} {limits[2]}, not {value!r}"
    return what[:1].lower() + what[1:]
