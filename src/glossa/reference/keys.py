"""Every key of a house file: type, range and default out of the schema, and what it does out of ``keys.toml``."""

from __future__ import annotations

import json
import tomllib
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from importlib import resources
from types import MappingProxyType, NoneType
from typing import Annotated, Any, Literal, get_args, get_origin

import msgspec
from msgspec import NODEFAULT, Meta, Struct

from glossa.house import schema
from glossa.house.links import SimulatedOptions, link_types
from glossa.house.sources import SOURCES, source_types


def _merged(shapes: Iterable[type[Struct]]) -> type[Struct]:
    """The keys of several types in one class, each once."""
    fields = {
        f.name: (f.name, f.type, f.default if f.default is not NODEFAULT else None)
        for shape in shapes
        for f in msgspec.structs.fields(shape)
    }
    return msgspec.defstruct("AnySource", list(fields.values()), kw_only=True)


SHAPES: Mapping[str, Any] = MappingProxyType(
    {
        "house": schema.HouseSection,
        "wake": schema.WakeSection,
        "matching": schema.MatchingSection,
        "prices": schema.PricesSection,
        "evidence": dict[str, float],
        "words": schema.WordsSection,
        "sounds": dict[str, str],
        "links": SimulatedOptions,
        "sources": _merged(SOURCES.values()),
        "rooms": schema.Texts,
        "kinds": schema.KindSection,
        "properties": schema.PropertySection,
        "devices": schema.DeviceSection,
        "groups": schema.GroupSection,
        "slots": schema.ValuesSection,
        "intents": schema.IntentSection,
        "steps": schema.StateSection,
        "pin": schema.PinSection,
        "modes": schema.ModeSection,
    }
)
"""The sections, in the order in which a house is written, with the shape of each or of one entry in it."""

HEADERS: Mapping[str, str] = MappingProxyType(
    {
        "links": "[links.ID]",
        "sources": "[sources.ID]",
        "kinds": "[kinds.ID]",
        "properties": "[kinds.ID.properties.NAME]",
        "devices": "[devices.ID]",
        "groups": "[groups.ID]",
        "slots": "[slots.NAME]",
        "intents": "[intents.ID]",
        "steps": "[[intents.ID.steps]], command = { ... }, state = { ... }",
        "pin": "[intents.ID.pin]",
        "modes": "[modes.ID]",
    }
)
"""How the sections are written whose header is not their name alone."""

FREE: Mapping[str, str] = MappingProxyType(
    {
        "evidence": '"part of its name" = -1.2',
        "sounds": 'Wren = "ren"',
        "rooms": 'study = ["study", "office"]',
    }
)
"""Sections whose keys are the household's own, with a line of each."""


TYPED: Mapping[str, Callable[[], Sequence[str]]] = MappingProxyType({"links": link_types, "sources": source_types})
"""Sections whose entries have a ``type``, and the types that there are."""


class Key(Struct, frozen=True):
    """A key of a house file.

    Attributes:
        section, name: where it stands and what it is called.
        type: in words, with range and known values.
        default: as it would be written, or in words; ``"must be given"`` where there is none.
        unit: of a number, or "".
        does: what it does.
        example: one line of a house file.
        wrong: what goes wrong with it, or "".
    """

    section: str
    name: str
    type: str
    default: str
    unit: str
    does: str
    example: str
    wrong: str = ""

    @property
    def path(self) -> str:
        """Section and key: ``properties.raw``."""
        return f"{self.section}.{self.name}"


class Topic(Struct, frozen=True):
    """A section of a house file: its header, what it is for, an example and its keys."""

    section: str
    header: str
    does: str
    example: str
    keys: tuple[Key, ...]


@lru_cache(maxsize=1)
def topics() -> tuple[Topic, ...]:
    """All sections, in the order in which a house is written."""
    told = tomllib.loads((resources.files("glossa.reference") / "keys.toml").read_text(encoding="utf-8"))
    return tuple(_topic(section, shape, told[section]) for section, shape in SHAPES.items())


def _topic(section: str, shape: Any, told: Mapping[str, Any]) -> Topic:
    keys = []
    if section not in FREE:
        if section in TYPED:
            said = told["type"]
            default = '"simulated"' if section == "links" else "must be given"
            keys.append(Key(section, "type", _either(TYPED[section]()), default, "", said["does"], said["example"]))
        inherited = {f.name for f in msgspec.structs.fields(schema.ValuesSection)} if section == "slots" else set()
        for field in msgspec.structs.fields(shape):
            if field.name in inherited:
                continue
            said = told[field.name]
            default = said.get("default") or _default(field)
            keys.append(
                Key(
                    section, field.name, said.get("type") or type_in_words(field.type), default, said.get("unit", ""), said["does"], said["example"],
                    said.get("wrong", ""),
                )
            )  # fmt: skip
    example = told["example"] + (f"\n{FREE[section]}" if section in FREE else "")
    return Topic(section, HEADERS.get(section, f"[{section}]"), told["does"], example, tuple(keys))


def _default(field: msgspec.structs.FieldInfo) -> str:
    if field.default is not NODEFAULT:
        value = field.default
    elif field.default_factory is not NODEFAULT:
        value = field.default_factory()
    else:
        return "must be given"
    if value in (None, "", [], {}, ()) or isinstance(value, Struct):
        return "none"
    return json.dumps(value)


def found_keys(name: str) -> list[Key]:
    """The keys that a name may mean: ``properties.raw``, ``raw``, or a whole path such as ``kinds.lamp.properties.level.raw``.

    >>> [key.path for key in found_keys("kinds.lamp.properties.level.raw")]
    ['properties.raw']
    """
    every = [key for topic in topics() for key in topic.keys]
    exact = [key for key in every if key.path == name]
    if exact:
        return exact
    parts = name.replace("[", "").replace("]", "").split(".")
    same = [key for key in every if key.name == parts[-1]]
    around = [key for key in same if key.section in parts or (key.section == "steps" and {"command", "state"} & set(parts))]
    inner = max((parts.index(key.section) for key in around if key.section in parts), default=-1)
    return [k for k in around if k.section not in parts or parts.index(k.section) == inner] if around else same


# --- types in words -----------------------------------------------------------------------------------------------------------

_WORDS: Mapping[Any, str] = MappingProxyType(
    {str: "a text", bool: "true or false", int: "a whole number", float: "a number", Any: "anything"}
)


def type_in_words(shape: Any) -> str:
    """What may stand for a key, as a person says it.

    >>> type_in_words(schema.Share), type_in_words(schema.Texts)
    ('a number from 0 to 1', 'a text, a list of texts, or a table of these by language')
    """
    if shape == schema.Text:
        return "a text, or a table of texts by language"
    if shape == schema.Texts:
        return "a text, a list of texts, or a table of these by language"
    kinds = list(_kinds(shape))
    if {"a whole number", "a number"} <= set(kinds):
        kinds.remove("a whole number")
    return " or ".join([", ".join(kinds[:-1]), kinds[-1]] if len(kinds) > 1 else kinds)


def _kinds(shape: Any) -> Iterator[str]:
    origin, inner = get_origin(shape), get_args(shape)
    if origin is Annotated:
        yield _limited(inner[0], inner[1])
    elif origin is Literal:
        yield " or ".join(
            [", ".join(map(json.dumps, inner[:-1])), json.dumps(inner[-1])] if len(inner) > 1 else [json.dumps(inner[0])]
        )
    elif origin in (list, tuple):
        yield f"a list of {_plural(type_in_words(inner[0]))}"
    elif origin is dict:
        yield f"a table of {_plural(type_in_words(inner[1]))}"
    elif inner:
        for part in inner:
            if part is not NoneType:
                yield from _kinds(part)
    elif isinstance(shape, type) and issubclass(shape, Struct):
        yield f"a table with the keys of {_SECTION_OF.get(shape, shape.__name__)}"
    else:
        yield _WORDS[shape]


_SECTION_OF = {
    shape: f"`{HEADERS.get(section, f'[{section}]').split(',')[0]}`"
    for section, shape in SHAPES.items()
    if isinstance(shape, type)
}


def _either(values: Sequence[str]) -> str:
    written = [json.dumps(v) for v in values]
    return " or ".join([", ".join(written[:-1]), written[-1]] if len(written) > 1 else written)


def _limited(shape: Any, meta: Meta) -> str:
    kind = type_in_words(shape)
    if meta.ge is not None and meta.le is not None:
        return f"{kind} from {meta.ge} to {meta.le}"
    if meta.ge is not None:
        return f"{kind}, {meta.ge} or more"
    if meta.gt is not None:
        return f"{kind} over {meta.gt}"
    if meta.min_length is not None and meta.min_length == meta.max_length:
        return kind.replace("a list of", f"a list of {meta.min_length}")
    return f"{kind}, not empty"


def _plural(kind: str) -> str:
    for one, many in (
        ("a text", "texts"),
        ("a number", "numbers"),
        ("a list of texts", "lists of texts"),
        ("a table with", "tables with"),
    ):
        if kind.startswith(one):
            return many + kind.removeprefix(one)
    return kind
