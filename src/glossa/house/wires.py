"""Wire commands as a house file writes them: exactly one form each, on a link that takes it."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection, Mapping
from typing import Any, Protocol

from msgspec.structs import replace

from glossa.house.effects import read_setting
from glossa.house.forms import BytesWire, CallWire, RequestWire, SetWire, TextualWire, TextWire, TopicWire, WaitWire, Wire
from glossa.house.links import Link
from glossa.house.problems import nearest
from glossa.house.schema import StepSection
from glossa.house.shapes import Path
from glossa.house.templates import content_of, json_start, placeholders, separators
from glossa.house.values import tidy

_BYTES = re.compile(r"(?:[0-9A-Fa-f]{2}|\$\w+|\$\{\w+\})(?:\s+(?:[0-9A-Fa-f]{2}|\$\w+|\$\{\w+\}))*")


class Context(Protocol):
    """What reading a wire command needs of the house around it."""

    links: Mapping[str, Link]

    @property
    def bad(self) -> Callable[..., None]:
        """Notes an error: path, message, hint."""


def read_wire(
    step: StepSection,
    device_link: str,
    path: Path,
    context: Context,
    fills: Collection[str],
    free: Collection[str] = (),
    *,
    state: bool = False,
) -> Wire | None:
    """A checked :class:`Wire`, or None where it was wrong and noted.

    Args:
        step: the section as written.
        device_link: the link of the device that the command belongs to, or ``""``.
        path: where it stands in the house file.
        context: takes the errors and knows the links.
        fills: the placeholders that will have a value.
        free: those of them that hold what somebody said, word for word.
        state: whether it is a place to listen at, which has no payload.
    """
    present = [
        form
        for form, given in (
            ("topic", step.topic),
            ("text", step.text),
            ("bytes", step.bytes),
            ("http", step.method if step.method is not None else step.path),
            ("call", step.call),
            ("wait", step.wait),
            ("set", step.set if step.set is not None else step.device),
        )
        if given is not None
    ]
    if len(present) != 1:
        held = "nothing that can be sent" if not present else "more than one command: " + ", ".join(present)
        context.bad(
            path, f"holds {held}", "write one of: topic and payload, text, bytes, method and path, call, wait, device and set"
        )
        return None
    form = present[0]
    missing = {
        "topic": None if step.payload is not None or state else "payload",
        "http": "method" if step.method is None else "path" if step.path is None else None,
        "set": "set" if step.set is None else "device" if step.device is None else None,
    }.get(form)
    if missing:
        context.bad(
            path, f"'{missing}' is missing", f"a command with {form} needs it" if form != "set" else "write device and set"
        )
        return None
    for key, belongs in (("payload", "topic"), ("qos", "topic"), ("retain", "topic"), ("body", "http"), ("json", "http")):
        if getattr(step, key) is not None and form != belongs:
            context.bad((*path, key), f"'{key}' doesn't belong to a command with {form}", f"it goes with {belongs}")
            return None
    link = _link(step.link or device_link, form, path, context)
    if link is None:
        return None
    if form == "bytes" and not _BYTES.fullmatch((step.bytes or "").strip()):
        context.bad((*path, "bytes"), f"'{step.bytes}' is not hex pairs", 'write them as in "5C 01 $raw"')
        return None
    if state and form not in ("topic", "text"):
        context.bad(path, f"a state doesn't arrive as {form}", "write the topic, or the text with $raw in it")
        return None
    if form == "topic" and not state and re.search(r"[+#\0]", step.topic or ""):
        context.bad((*path, "topic"), "a topic to publish to holds no wildcard", "write the whole topic without + and #")
        return None
    wire = _made(form, link, step, context)
    if isinstance(wire, TextualWire):
        wire = replace(wire, free=frozenset(free).intersection(wire.names))
        wire = replace(wire, content=_content(step, wire, path, context, state))
        if step.content_type is None and wire.content == "text":
            wire = replace(wire, separators=separators(wire.carried))
    elif step.content_type is not None:
        context.bad((*path, "content_type"), f"'content_type' doesn't belong to a command with {form}", "leave it out")
    for name in wire.names:
        if name not in fills:
            context.bad(path, f"${name} has no value here", nearest(name, sorted(fills)) or "name a slot of the phrase")
            return None
    if isinstance(wire, WaitWire) and not wire.names and not re.fullmatch(r"\d+(\.\d+)?", wire.wait):
        context.bad((*path, "wait"), f"'{wire.wait}' is not a time", "write seconds, 0 or more")
        return None
    return wire


def _made(form: str, link: str, step: StepSection, context: Context) -> Wire:
    match form:
        case "topic":
            defaults = context.links[link].options if link in context.links else None
            qos = getattr(defaults, "qos", 1) if step.qos is None else step.qos
            retain = getattr(defaults, "retain", False) if step.retain is None else step.retain
            return TopicWire(link, topic=step.topic or "", payload=_text(step.payload), qos=qos, retain=retain)
        case "text":
            return TextWire(link, text=step.text or "")
        case "bytes":
            return BytesWire(link, (step.bytes or "").strip())
        case "http":
            body = json.dumps(step.json, ensure_ascii=False) if step.json is not None else step.body or ""
            return RequestWire(link, method=step.method or "", path=step.path or "", body=body)
        case "call":
            return CallWire(link, step.call or "")
        case "wait":
            return WaitWire(link, _text(step.wait))
        case _:
            return SetWire(link, step.device or "", {k: read_setting(v) for k, v in (step.set or {}).items()})


def _content(step: StepSection, wire: TextualWire, path: Path, context: Context, state: bool) -> str:
    """What the text of a command is: as it says, or as it looks; where that is open, what was said must not decide."""
    key, template = wire.carries, wire.carried
    if step.content_type == "json" and json_start(template) < 0:
        context.bad((*path, key), "is not JSON", "check its quotes, commas and brackets")
    if step.content_type is not None:
        return step.content_type
    found = content_of(template, http=isinstance(wire, RequestWire))
    said = [n for n in placeholders(template) if n in wire.free]
    if not found and said and not state:
        context.bad(
            (*path, key), f"it can't be told what ${said[0]} fills here, and any words may be said for it",
            'write content_type = "json", "form" or "text" beside it ("text": the other side takes everything as it comes)',
        )  # fmt: skip
    return found or "text"


UNTOLD_LINK = "\0"
"""In place of the link of a device that names none, where that has been told of already."""


def _link(name: str, form: str, path: Path, context: Context) -> str | None:
    types = {key: link.type for key, link in context.links.items()}
    if form in ("wait", "set"):
        return name
    if name == UNTOLD_LINK:
        return None
    if not name:
        if len(types) != 1:
            context.bad(path, "no link is named, and the house has several", 'write link = "...": ' + ", ".join(types))
            return None
        name = next(iter(types))
    if name not in types:
        context.bad((*path, "link"), f"there is no link '{name}'", nearest(name, types))
        return None
    forms = context.links[name].options.takes
    if form not in forms:
        takes = " or ".join("method and path" if f == "http" else f for f in forms)
        context.bad(path, f"'{name}' is a {types[name]} link and takes no {form}", f"it takes {takes}")
        return None
    return name


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return str(tidy(value)) if isinstance(value, (int, float)) else str(value)
