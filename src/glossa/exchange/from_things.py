"""W3C Thing Descriptions 1.1 (W3C Recommendation, 5 December 2023), read: what each Thing has, and how it is reached.

JSON-LD is read as JSON. What a Thing says of its security becomes the name of an environment variable, never a secret.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Any
from urllib.parse import unquote, urljoin, urlsplit

from msgspec import Struct

from glossa.house.sorts import UNIT_SIGNS, UNITS
from glossa.house.text import identifier

JSON_TYPE = "application/json"
MOST_DEPTH = 6
"""How deep a value may lie in the objects that a property takes."""
METHODS = {"readproperty": "GET", "writeproperty": "PUT", "invokeaction": "POST"}
"""The methods of HTTP where a form names none (Thing Description 1.1, section 8.3.1)."""
_UNITS = {
    "degree celsius": "celsius",
    "degreecelsius": "celsius",
    "celsius": "celsius",
    "percentage": "percent",
    "degree": "degrees",
    "second": "seconds",
}


class Reach(Struct, frozen=True):
    """A form that we can speak: the link that it takes, as keys of the house file, and the wire, likewise."""

    link: tuple[tuple[str, Any], ...]
    wire: tuple[tuple[str, Any], ...]


class Affordance(Struct, frozen=True):
    """A property, or the input of an action.

    Attributes:
        name: its id.
        titles: what it is called, by language, ``""`` for a title without one.
        values: what it takes, as keys of the house file; empty for an action without input.
        write, watch: how it is set or carried out, and where it is reported.
    """

    name: str
    titles: Mapping[str, str]
    values: tuple[tuple[str, Any], ...] = ()
    write: Reach | None = None
    watch: Reach | None = None

    def title(self, tag: str) -> str:
        """What it is called in a language."""
        return self.titles.get(tag) or self.titles.get("") or self.name.replace("_", " ")


class Thing(Struct, frozen=True):
    """A Thing."""

    titles: Mapping[str, str]
    properties: tuple[Affordance, ...] = ()
    actions: tuple[Affordance, ...] = ()

    def title(self, tag: str) -> str:
        """What it is called in a language."""
        return self.titles.get(tag) or self.titles.get("") or next(iter(self.titles.values()), "")


def read_things(text: str) -> tuple[list[Thing], list[str]]:
    """The Things in a JSON text, an object or a list of them, and what can't be taken over, by its place in the text.

    Properties and actions that no form reaches which we can speak, HTTP and MQTT, are told and left out.
    """
    problems: list[str] = []
    try:
        raw = json.loads(text)
    except RecursionError:
        return [], ["not JSON that can be read: it is nested too deep"]
    except ValueError as error:
        return [], [f"not JSON that can be read: {error}"]
    things = []
    for number, one in enumerate(raw if isinstance(raw, list) else [raw]):
        place = f"[{number}]" if isinstance(raw, list) else ""
        if not isinstance(one, dict) or not isinstance(one.get("title"), str) or not one["title"].strip():
            problems.append(f"{place or 'the file'}: no Thing; it is a JSON object with a 'title'")
            continue
        things.append(_Reading(one, f"{place or ''} {one['title']}".strip(), problems).thing())
    return things, problems


class _Reading:
    def __init__(self, raw: Mapping[str, Any], place: str, problems: list[str]) -> None:
        self.raw, self.place, self._problems = raw, place, problems

    def _bad(self, place: str, what: str) -> None:
        self._problems.append(f"{self.place}, {place}: {what}")

    def thing(self) -> Thing:
        properties = [p for name, raw in self._entries("properties") if (p := self._property(name, raw)) is not None]
        actions = [a for name, raw in self._entries("actions") if (a := self._action(name, raw)) is not None]
        for name, _ in self._entries("events"):
            self._bad(f"events.{name}", "a house takes no events; it is left out")
        if not properties and not actions:
            self._bad("forms", "there is no form that can be spoken here; MQTT and HTTP are")
        return Thing(_titles(self.raw), tuple(properties), tuple(actions))

    def _entries(self, section: str) -> Iterator[tuple[str, Mapping[str, Any]]]:
        held = self.raw.get(section, {})
        if not isinstance(held, dict):
            self._bad(section, "it has to be a JSON object")
            return
        for name, raw in held.items():
            if isinstance(raw, dict):
                yield name, raw
            else:
                self._bad(f"{section}.{name}", "it has to be a JSON object")

    def _property(self, name: str, raw: Mapping[str, Any]) -> Affordance | None:
        place, key = f"properties.{name}", identifier(name)
        found = _values(raw)
        if found is None or not key:
            self._bad(
                place, "what it takes is neither a truth, a number, a text of some choices nor a colour, alone or in an object"
            )
            return None
        values, template = found
        only_read, only_write = raw.get("readOnly") is True, raw.get("writeOnly") is True
        write = None if only_read else self._reach(raw, place, "writeproperty", ("readproperty", "writeproperty"), template)
        watch = None if only_write else self._reach(raw, place, "observeproperty", (), template)
        if write is None and watch is None:
            self._bad(
                place,
                "it can only be asked for, and a house waits to be told" if only_read else "no form of it can be spoken here",
            )
            return None
        return Affordance(key, _titles(raw), tuple(values.items()), write, watch)

    def _action(self, name: str, raw: Mapping[str, Any]) -> Affordance | None:
        place, key = f"actions.{name}", identifier(name)
        given = raw.get("input")
        found = _values(given) if isinstance(given, dict) else ({}, "")
        if found is None or not key:
            self._bad(
                f"{place}.input",
                "what it takes is neither a truth, a number, a text of some choices nor a colour, alone or in an object",
            )
            return None
        write = self._reach(raw, place, "invokeaction", ("invokeaction",), found[1].replace("$raw", f"${key}"))
        if write is None:
            self._bad(place, "no form of it can be spoken here")
            return None
        return Affordance(key, _titles(raw), tuple(found[0].items()), write)

    # --- forms ------------------------------------------------------------------------------------------------------

    def _reach(self, raw: Mapping[str, Any], place: str, op: str, usual: Sequence[str], template: str) -> Reach | None:
        forms = raw.get("forms")
        for number, form in enumerate(forms if isinstance(forms, list) else []):
            if not isinstance(form, dict) or not isinstance(form.get("href"), str):
                self._bad(f"{place}.forms[{number}]", "a form is an object with a 'href'")
                continue
            ops = form.get("op", list(usual))
            if op not in ([ops] if isinstance(ops, str) else ops):
                continue
            try:
                reach = self._of_form(form, op, template)
            except ValueError as error:
                self._bad(f"{place}.forms[{number}]", f"'{form['href'][:60]}' is no address: {error}")
                continue
            if reach is not None:
                return reach
        return None

    def _of_form(self, form: Mapping[str, Any], op: str, template: str) -> Reach | None:
        base = self.raw.get("base")
        href = _joined(base, form["href"]) if isinstance(base, str) else form["href"]
        parts = urlsplit(href)
        content = str(form.get("contentType") or JSON_TYPE).split(";")[0].strip()
        payload = template if content == JSON_TYPE else template.strip('"') if template in ("$raw", '"$raw"') else template
        if re.search(r"[{}]", href):
            return None
        if parts.scheme in ("mqtt", "mqtts") and parts.hostname:
            topic = form.get("mqv:topic") or form.get("mqv:filter") or unquote(parts.path.lstrip("/"))
            if (
                not isinstance(topic, str)
                or not topic
                or (op == "observeproperty")
                != (form.get("mqv:controlPacket", "publish" if op != "observeproperty" else "subscribe") == "subscribe")
            ):
                return None
            link = {"type": "mqtt", "host": parts.hostname, "port": parts.port or (8883 if parts.scheme == "mqtts" else 1883)}
            retained = {"retain": True} if op != "observeproperty" and form.get("mqv:retain") is True else {}
            secure = {"tls": True} if parts.scheme == "mqtts" else {}
            return Reach(
                tuple({**link, **secure, **self._secret("mqtt")}.items()),
                tuple({"topic": topic, "payload": payload, **retained}.items()),
            )
        if parts.scheme in ("http", "https") and parts.netloc and op != "observeproperty":
            url = f"{parts.scheme}://{parts.hostname}" + (f":{parts.port}" if parts.port else "")
            path = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
            method = str(form.get("htv:methodName") or METHODS[op]).upper()
            body = {"body": payload} if payload else {}
            return Reach(
                tuple({"type": "http", "url": url, **self._secret("http")}.items()),
                tuple({"method": method, "path": path, **body}.items()),
            )
        return None

    def _secret(self, kind: str) -> dict[str, str]:
        """The key of a link that names the variable with a secret, where the Thing asks for one."""
        named = self.raw.get("security", [])
        schemes = self.raw.get("securityDefinitions", {})
        for name in [named] if isinstance(named, str) else named if isinstance(named, list) else []:
            scheme = (
                schemes.get(name, {}).get("scheme") if isinstance(schemes, dict) and isinstance(schemes.get(name), dict) else None
            )
            if scheme == "bearer" and kind == "http":
                return {"token_env": "TOKEN"}
            if scheme == "basic" and kind == "mqtt":
                return {"username": "USER", "password_env": "PASSWORD"}
            if scheme not in (None, "nosec", "auto"):
                self._bad(
                    f"securityDefinitions.{name}", f"the scheme '{scheme}' can't be used over {kind}; add what it needs by hand"
                )
        return {}


def _joined(base: str, href: str) -> str:
    """A reference resolved against a base (RFC 3986, section 5), whatever the scheme; the library does so for some schemes only."""
    scheme, colon, rest = base.partition(":")
    if not colon or re.match(r"[a-zA-Z][\w+.-]*:", href):
        return href
    return scheme + urljoin(f"http:{rest}", href).removeprefix("http")


def _titles(raw: Mapping[str, Any]) -> dict[str, str]:
    """Titles by language, ``""`` for the one without."""
    found = {"": raw["title"].strip()} if isinstance(raw.get("title"), str) and raw["title"].strip() else {}
    titles = raw.get("titles")
    more = {str(k): v.strip() for k, v in titles.items() if isinstance(v, str) and v.strip()} if isinstance(titles, dict) else {}
    return {**found, **more}


# --- what values are ------------------------------------------------------------------------------------------------


def _values(raw: Mapping[str, Any], depth: int = 0) -> tuple[dict[str, Any], str] | None:
    """A data schema as keys of the house file, and the JSON text that carries a value at ``$raw``; None where it is none of ours."""
    kind = raw.get("type")
    if kind == "object" and isinstance(raw.get("properties"), dict) and depth < MOST_DEPTH:
        return _object(raw["properties"], depth)
    choices = _choices(raw)
    if choices is not None:
        values, numeric = choices
        return values, "$raw" if numeric else '"$raw"'
    if kind == "boolean":
        return {"type": "switch", "values": {"on": "true", "off": "false"}}, "$raw"
    if kind in ("integer", "number"):
        ends = {
            ours: raw[theirs] for theirs, ours in (("minimum", "minimum"), ("maximum", "maximum")) if _is_number(raw.get(theirs))
        }
        step = (
            raw["multipleOf"] if _is_number(raw.get("multipleOf")) and raw["multipleOf"] > 0 else 1 if kind == "integer" else None
        )
        unit = _unit(raw.get("unit"))
        return {"type": "number", **({"unit": unit} if unit else {}), **ends, **({"step": step} if step else {})}, "$raw"
    if kind == "string" and "#" in str(raw.get("pattern", "")) + str(raw.get("format", "")):
        return {"type": "colour"}, '"$raw"'
    return None


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def _unit(written: object) -> str:
    if not isinstance(written, str):
        return ""
    plain = written.strip().rsplit(":", 1)[-1].lower()
    known = _UNITS.get(plain) or UNIT_SIGNS.get(plain) or plain
    return known if known in UNITS or known.replace(" ", "").isalpha() else ""


def _choices(raw: Mapping[str, Any]) -> tuple[dict[str, Any], bool] | None:
    """``enum``, or ``oneOf`` with a ``const`` and a title each: the values, and whether they are numbers."""
    listed: list[tuple[Any, str]] = []
    if isinstance(raw.get("enum"), list):
        listed = [(v, str(v)) for v in raw["enum"]]
    elif isinstance(raw.get("oneOf"), list):
        listed = [(o["const"], str(o.get("title") or o["const"])) for o in raw["oneOf"] if isinstance(o, dict) and "const" in o]
    kinds = {type(v) for v, _ in listed}
    if not listed or not (kinds <= {int, float} or kinds == {str}):
        return None
    wires = {identifier(title): str(value) for value, title in listed}
    if len(wires) != len(listed) or "" in wires:
        return None
    if set(wires) == {"on", "off"}:
        return {"type": "switch", "values": {"on": wires["on"], "off": wires["off"]}}, str not in kinds
    spoken = {name: [name.replace("_", " ")] for name in wires if "_" in name}
    return {"type": "choice", "values": wires, **({"spoken": spoken} if spoken else {})}, str not in kinds


def _object(properties: Mapping[str, Any], depth: int) -> tuple[dict[str, Any], str] | None:
    """An object in which one part is the value, or three are the parts of a colour; others have to be constants."""
    parts: dict[str, str] = {}
    values: dict[str, Any] = {}
    colour = {k: name for k in properties for name in ("red", "green", "blue") if k.lower() in (name, name[0])}
    if len(set(colour.values())) == 3:
        values = {"type": "colour"}
        parts = {k: f"${name}" for k, name in colour.items()}
    for key, raw in properties.items():
        if key in parts:
            continue
        if not isinstance(raw, dict):
            return None
        if "const" in raw or "default" in raw:
            parts[key] = json.dumps(raw.get("const", raw.get("default")), ensure_ascii=False)
            if "$" in parts[key]:
                return None
            continue
        found = _values(raw, depth + 1)
        if found is None or values:
            return None
        values, parts[key] = found
    text = "{" + ", ".join(f"{json.dumps(k, ensure_ascii=False)}: {parts[k]}" for k in properties) + "}"
    return (values, text) if values else None
