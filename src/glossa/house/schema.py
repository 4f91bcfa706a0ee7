"""The keys of a house file and the types of their values, section by section.

Only shapes live here; what the values mean together is checked in :mod:`glossa.house.reader`.  A text that is spoken or
shown may be a table by language instead, hence ``Text`` and ``Texts``.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

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
    language_files: list[str] = []
    recogniser: str = ""
    repeat: NotNegative = 0.7
    resume: Literal["report", "send"] = "report"


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
    content_type: Literal["json", "form", "text"] | None = None
    call: str | None = None
    wait: Number | str | None = None
    device: str | None = None
    set: dict[str, Scalar] | None = None


class StateSection(StepSection):
    """The ``state`` of a property."""

    average: Positive | None = None


class ValuesSection(Section):
    """``[slots.ID]``, and what a property has in common with it."""

    type: str | None = None
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
    state: StateSection | None = None


class KindSection(Section):
    """``[kinds.ID]``."""

    like: str = ""
    nouns: Texts = []
    plurals: Texts = []
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
    "links": dict[str, Any],
    "sources": dict[str, Any],
    "rooms": Texts,
    "kinds": KindSection,
    "devices": DeviceSection,
    "groups": GroupSection,
    "slots": ValuesSection,
    "intents": IntentSection,
    "modes": ModeSection,
}
"""Sections that hold one entry per id, with the type of each entry."""


MEANT = {
    "enum": "choice", "select": "choice", "list": "choice", "bool": "switch", "boolean": "switch", "onoff": "switch", "int": "number",
    "integer": "number", "float": "number", "percent": "number", "string": "words", "str": "words", "text": "words", "color": "colour",
    "rgb": "colour", "min": "minimum", "max": "maximum", "name": "names", "phrase": "phrases", "alias": "also_heard", "aliases": "also_heard",
    "host_name": "host", "availability": "will_topic", "response": "reply", "answer": "reply", "default": "defaults", "action": "steps", "commands": "command",
}  # fmt: skip
"""What other notations call a key or a value -> what it is here."""
