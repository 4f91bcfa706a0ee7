"""The house file as a JSON Schema (draft 2020-12), with which editors complete and check it while it is written."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import msgspec

from glossa.house.links import link_options
from glossa.house.schema import SECTIONS, TABLES
from glossa.house.sorts import sorts
from glossa.house.sources import source_options
from glossa.reference.keys import SHAPES, TYPED, Topic, topics

_NAMES = {
    shape.__name__: section for section, shape in SHAPES.items() if isinstance(shape, type) and issubclass(shape, msgspec.Struct)
}


def house_schema() -> dict[str, Any]:
    """The schema; every section and key carries what the reference says about it."""
    typed = {_options(section, kind): section for section, kinds in TYPED.items() for kind in kinds()}
    shapes = (*SECTIONS.values(), *TABLES.values(), *typed)
    made, parts = msgspec.json.schema_components(shapes)
    told = {topic.section: topic for topic in topics()}
    options = {shape.__name__: section for shape, section in typed.items()}
    for name, part in parts.items():
        section = options.get(name) or _NAMES.get(name, "steps" if name == "StepSection" else "")
        keys = (
            {key.name: key for key in (*told[section].keys, *(told["properties"].keys if section == "slots" else ()))}
            if section
            else {}
        )
        part["description"] = told[section].does if section else ""
        for key, shape in part.get("properties", {}).items():
            if key in keys:
                shape["description"] = keys[key].does + (f" Unit: {keys[key].unit}." if keys[key].unit else "")
        if section in ("slots", "properties"):
            part["properties"]["type"] = {"enum": list(sorts()), "description": keys["type"].does}
    sections = {}
    for name, shape in zip((*SECTIONS, *TABLES), made, strict=False):
        if name in TYPED:
            shape = {"anyOf": [_typed(name, kind, parts, told[name]) for kind in TYPED[name]()]}
        whole = {"type": "object", "additionalProperties": shape} if name in TABLES else shape
        sections[name] = {**whole, "description": told[name].does}
    for name in options:
        parts.pop(name, None)
    whole = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A house file of Glossa",
        "type": "object",
        "properties": sections,
        "required": ["house"],
        "additionalProperties": False,
        "$defs": parts,
    }
    plain: dict[str, Any] = msgspec.json.decode(msgspec.json.encode(whole))
    return plain


def _options(section: str, kind: str) -> type[msgspec.Struct]:
    found = link_options(kind) if section == "links" else source_options(kind)
    assert found is not None, kind
    return found


def _typed(section: str, kind: str, parts: Mapping[str, Any], topic: Topic) -> dict[str, Any]:
    """The keys of a type of links or sources, and the ``type`` that tells it."""
    part = parts[_options(section, kind).__name__]
    told = {"const": kind, "description": next(key.does for key in topic.keys if key.name == "type")}
    required = [] if kind == "simulated" else ["type"]
    return {**part, "title": f"{kind}, {topic.header}", "properties": {"type": told, **part["properties"]}, "required": required}
