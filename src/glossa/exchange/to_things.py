"""Devices as W3C Thing Descriptions 1.1 (W3C Recommendation, 5 December 2023), a JSON-LD object for each.

A property is described as it is on the wire: a lamp whose 0 to 100 percent go out as 0 to 255 has a number from 0 to 255.
"""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

from glossa.house.forms import RequestWire, TopicWire, Wire
from glossa.house.links import HttpOptions, MqttOptions, SimulatedOptions
from glossa.house.model import Device, House, Property
from glossa.house.sorts import ColourValues, NumberValues
from glossa.house.values import Values, tidy

CONTEXT = [
    "https://www.w3.org/2022/wot/td/v1.1",
    {"htv": "http://www.w3.org/2011/http#", "mqv": "http://www.w3.org/2018/wot/mqtt#"},
]
_BARE = re.compile(r":\s*(\$\w+|\$\{\w+\})")
"""A placeholder in JSON that no quotation marks stand around."""
_RAW = ("$raw", "${raw}", "$value", "${value}")


def things_of(house: House, language: str = "") -> tuple[list[dict[str, Any]], list[str]]:
    """A Thing Description for each device that has one, and what could not be described: a line for each property that no form reaches.

    Args:
        house: the house.
        language: for titles, a BCP 47 tag; the house's first language by default.
    """
    tag = language or house.languages[0]
    made, left = [], []
    for device in house.devices.values():
        properties: dict[str, Any] = {}
        security: dict[str, dict[str, str]] = {}
        for prop in device.properties.values():
            described = _property(house, device, prop, tag, security)
            if described is None:
                left.append(f"{device.id}: {prop.name} goes over a wire that a Thing Description has no form for")
            else:
                properties[prop.name] = described
        if not properties:
            continue
        titles = {t: device.name(t) for t in house.languages}
        security = security or {"nosec_sc": {"scheme": "nosec"}}
        made.append(
            {
                "@context": [*CONTEXT, {"@language": tag}],
                "id": f"urn:{house.id.replace('_', '-')}:{device.id.replace('_', '-')}",
                "title": device.name(tag),
                **({"titles": titles} if len(titles) > 1 else {}),
                "securityDefinitions": security,
                "security": list(security),
                "properties": properties,
            }
        )
    return made, left


def _property(
    house: House, device: Device, prop: Property, tag: str, security: dict[str, dict[str, str]]
) -> dict[str, Any] | None:
    wire = prop.command[0] if len(prop.command) == 1 else None
    fills = {"house": house.id, "id": device.id, "name": device.name(tag), "room": device.room}
    forms, schema = [], None
    for one, op in ((wire, "writeproperty"), (prop.state, "observeproperty")):
        form = _form(house, one, op, fills, security) if one is not None else None
        held = _schema(prop.values, one, state=one is prop.state) if one is not None else None
        if form is not None and held is not None:
            schema = schema or held
            forms.append({**form, "contentType": "text/plain" if held.get("type") == "string" else "application/json"})
    if schema is None:
        return None
    only = {"readOnly": True} if not prop.command else {"writeOnly": True} if prop.state is None else {}
    return {
        "title": prop.name.replace("_", " "),
        **schema,
        **only,
        **({"observable": True} if prop.state is not None else {}),
        "forms": forms,
    }


def _form(
    house: House, wire: Wire, op: str, fills: Mapping[str, str], security: dict[str, dict[str, str]]
) -> dict[str, Any] | None:
    link = house.links.get(wire.link) or next(iter(house.links.values()), None)
    options = link.options if link is not None else SimulatedOptions()
    if isinstance(wire, TopicWire) and isinstance(options, (MqttOptions, SimulatedOptions)):
        if options.username:
            security["basic_sc"] = {"scheme": "basic", "in": "auto"}
        topic = _filled(wire.topic, fills)
        secure = isinstance(options, MqttOptions) and options.encrypted
        port = options.number if isinstance(options, MqttOptions) else options.port or 1883
        packet = "publish" if op == "writeproperty" else "subscribe"
        href = f"mqtt{'s' * secure}://{options.host}:{port}/{topic}"
        return {
            "href": href,
            "op": [op],
            "mqv:controlPacket": packet,
            "mqv:topic": topic,
            **({"mqv:retain": True} if wire.retain else {}),
        }
    if isinstance(wire, RequestWire) and isinstance(options, (HttpOptions, SimulatedOptions)):
        if options.token_env:
            security["bearer_sc"] = {"scheme": "bearer", "in": "header"}
        return {"href": options.url.rstrip("/") + _filled(wire.path, fills), "op": [op], "htv:methodName": wire.method or "POST"}
    return None


def _filled(template: str, fills: Mapping[str, str]) -> str:
    for name, text in fills.items():
        template = template.replace(f"${{{name}}}", text).replace(f"${name}", text)
    return template


def _schema(values: Values, wire: Wire, *, state: bool) -> dict[str, Any] | None:
    """What a wire carries, as a data schema; None where its text is neither the value nor JSON with the value in it."""
    text = wire.carried if isinstance(wire, (TopicWire, RequestWire)) else ""
    if not text and state:  # a state without a text is the value itself
        return _values(values, raw=True)
    if text in _RAW:
        return _values(values, raw="raw" in text)
    try:
        held = json.loads(_BARE.sub(r': "bare \1"', text))
    except ValueError:
        return None
    if not isinstance(held, dict):
        return None
    parts = {key: _part(values, told) for key, told in held.items()}
    if None in parts.values() or text.count("$") != sum("const" not in part for part in parts.values() if part):
        return None
    return {"type": "object", "properties": parts, "required": list(parts)}


def _part(values: Values, told: object) -> dict[str, Any] | None:
    """A value in a JSON object: a placeholder, bare or in quotation marks, or what is always the same."""
    bare = isinstance(told, str) and told.startswith("bare ")
    name = told.removeprefix("bare ") if isinstance(told, str) else ""
    if name in _RAW:
        own = _values(values, raw="raw" in name)
        return own if bare or own["type"] == "string" else {"type": "string"}
    if isinstance(values, ColourValues) and name.strip("${}") in values.fills("#000000"):
        return {"type": "integer" if bare else "string", **({"minimum": 0, "maximum": 255} if bare else {})}
    return {"const": told} if "$" not in name else None


def _values(values: Values, *, raw: bool) -> dict[str, Any]:
    if values.choices:
        wires = {name: (wire if raw else name) for name, wire in values.choices.items()}
        if set(wires.values()) == {"true", "false"}:
            return {"type": "boolean"}
        return {"type": "string", "oneOf": [{"const": wire, "title": name} for name, wire in wires.items()]}
    if isinstance(values, NumberValues):
        scaled = raw and values.raw is not None
        low, high = sorted(values.raw) if scaled and values.raw is not None else (values.minimum, values.maximum)
        step = values.raw_step if scaled else values.step
        whole = step is not None and float(step).is_integer()
        ends = {"minimum": low, "maximum": high, "multipleOf": step}
        held = {k: tidy(v) for k, v in ends.items() if v is not None}
        return {"type": "integer" if whole else "number", **held, **({"unit": values.unit} if values.unit and not scaled else {})}
    if isinstance(values, ColourValues):
        return {"type": "string", "pattern": "^#[0-9a-f]{6}$"}
    return {"type": "string"}
