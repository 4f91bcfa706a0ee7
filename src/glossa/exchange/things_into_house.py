"""Things as kinds, devices, links and intents in the text of a house file."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import tomlkit
from msgspec import Struct

from glossa.exchange.from_things import Affordance, Reach, Thing
from glossa.exchange.into_house import Edited, with_links_named
from glossa.exchange.rules import GrammarProblem
from glossa.house import read_house
from glossa.house.effects import FromSlot
from glossa.house.model import House
from glossa.house.text import identifier
from glossa.house.text import words as folded
from glossa.language import language_of, languages, singulars_of

MAIN = frozenset(("on", "power", "state", "status", "switch", "onoff", "on_off", "value", "level"))
"""What a property is called that needs no name of its own where something is said to its device."""
_ADDRESSES = ("topic", "path")
_NOTATION = re.compile(r"[()\[\]|<>{}$/\"!;]")
"""What means something in a phrase."""


class _Placed(Struct, frozen=True):
    """A Thing with the id that it gets, and the part of its addresses that stands for it, ``""`` for none."""

    thing: Thing
    id: str
    segment: str


def with_things(text: str, house: House, things: Sequence[Thing], sheets: Mapping[str, str]) -> Edited:
    """The text of a house file with Things.

    Things of one shape become one kind. Where their addresses differ in one part only, that part is the device's id, and the kind holds the
    commands; else each device has its own. A Thing that is called as a device of the house is there already.

    Args:
        text: the house file.
        house: the same, read.
        things: what was read.
        sheets: the other files of the house, by name.

    Raises:
        HouseError: where the house would not be one any more.
    """
    made = _Making(house)
    edited = made.written(text, things)
    read_house(edited, sheets, "house.toml", languages())
    return Edited(edited, made.already, tuple(GrammarProblem(0, what) for what in made.left))


class _Making:
    def __init__(self, house: House) -> None:
        self.house = house
        self.tag = house.languages[0]
        self.already = 0
        self.left: list[str] = []
        named = (*(d.names for d in house.devices.values()), *(g.names for g in house.groups.values()))
        self._names = {w for names in named for ways in names.values() for w in ways}
        self._ids = {*house.devices, *house.groups}
        self._links = house.links
        self._new_links: dict[str, dict[str, Any]] = {}
        self._kinds = set(house.kinds)
        self._sections: list[tuple[str, Any]] = []
        self._intents: set[str] = set(house.intents)
        self._sayable = {
            p
            for i in house.intents.values()
            if not i.device
            for p, how in i.set.items()
            if isinstance(how, FromSlot) and how.slot == p
        } | {i.read for i in house.intents.values() if i.read}

    def written(self, text: str, things: Sequence[Thing]) -> str:
        new = []
        for thing in things:
            names = {folded(thing.title(tag)) for tag in self.house.languages}
            if names & self._names:
                self.already += 1
            elif thing.properties or thing.actions:
                new.append(thing)
                self._names |= names
        for group in self._grouped(new):
            self._add_kind(group)
        if self._new_links:
            text = with_links_named(text, self.house)
        links = [(f"links.{key}", keys) for key, keys in self._new_links.items()]
        body = "".join(f"\n[{path}]\n{_table(keys)}" for path, keys in (*links, *self._sections))
        return (text if not text or text.endswith("\n") else text + "\n") + body if body else text

    # --- what goes together -----------------------------------------------------------------------------------------

    def _grouped(self, things: Sequence[Thing]) -> list[list[_Placed]]:
        """Things of one shape; as many of them as can be differ in one part of their addresses only."""
        ways = [[(s, _signature(thing, s)) for s in ("", *_segments(thing))] for thing in things]
        shared = Counter(signature for options in ways for segment, signature in options if segment)
        groups: dict[str, list[_Placed]] = {}
        for thing, options in zip(things, ways, strict=True):
            own = identifier(thing.title(self.tag))
            segment, _ = max(options, key=lambda o: ((bool(o[0]) and (shared[o[1]], o[0] == own)) or (0, False), not o[0]))
            if segment and shared[_signature(thing, segment)] == 1 and segment != own:
                segment = ""
            if segment in self._ids:
                segment = ""
            key = segment or self._free(own or "thing", self._ids)
            self._ids.add(key)
            signature = _signature(thing, segment) if segment else _shape(thing)
            groups.setdefault(signature, []).append(_Placed(thing, key, segment))
        return list(groups.values())

    @staticmethod
    def _free(name: str, taken: Iterable[str]) -> str:
        """A name that is not taken: itself, or with a number."""
        held, number, made = set(taken), 1, name
        while made in held:
            number += 1
            made = f"{name}_{number}"
        return made

    # --- sections ---------------------------------------------------------------------------------------------------

    def _add_kind(self, group: Sequence[_Placed]) -> None:
        thing, shared = group[0].thing, bool(group[0].segment)
        noun = self._noun(group)
        kind = self._free(identifier(noun) or "thing", self._kinds)
        links: dict[str, str] = {}
        if thing.properties:
            self._kinds.add(kind)
            self._sections.append((f"kinds.{kind}", {"nouns": [noun]} if noun else {}))
            for prop in thing.properties:
                keys = dict(prop.values)
                if shared:
                    keys |= self._wires(prop, group[0].segment)
                self._sections.append((f"kinds.{kind}.properties.{prop.name}", keys))
        for placed in group:
            reach = next(
                r for a in (*placed.thing.properties, *placed.thing.actions) for r in (a.write, a.watch) if r is not None
            )
            links[placed.id] = self._link(reach)
            own = {} if shared else {p.name: self._wires(p, "") for p in placed.thing.properties}
            titles = placed.thing.titles
            named = {t: [titles[t]] for t in self.house.languages if t in titles}
            names: Any = named if len(named) > 1 else [placed.thing.title(self.tag)]
            keys = {
                **({"kind": kind} if thing.properties else {}),
                "names": names,
                "link": links[placed.id],
                **({"properties": own} if own else {}),
            }
            if thing.properties:
                self._sections.append((f"devices.{placed.id}", keys))
            for action in placed.thing.actions:
                self._add_action(placed, action)
        for prop in thing.properties:
            self._add_intent(prop, thing)

    def _noun(self, group: Sequence[_Placed]) -> str:
        """The class word that all titles of a group end with, or begin with where the language puts it there."""
        at = -1 if language_of(self.house, self.tag).grammar.head == "last" else 0
        language = language_of(self.house, self.tag)
        found = {
            next(singulars_of((words[at],), language), (words[at],))[0]
            for p in group
            if (words := folded(p.thing.title(self.tag)))
        }
        return found.pop() if len(found) == 1 and not any(c.isdigit() for c in next(iter(found))) else ""

    def _wires(self, prop: Affordance, segment: str) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for key, reach in (("command", prop.write), ("state", prop.watch)):
            if reach is not None:
                wire = {k: _with_id(v, segment) if k in _ADDRESSES else v for k, v in reach.wire}
                if key == "state" and wire.get("payload") == "$raw":
                    wire.pop("payload")
                made[key] = wire
        return made

    def _link(self, reach: Reach) -> str:
        """The link of the house for a form, made where there is none."""
        keys = dict(reach.link)
        where = ("url",) if keys["type"] == "http" else ("host", "port")
        for key, link in self._links.items():
            held = {k: getattr(link.options, k, None) for k in where}
            if link.type == keys["type"] and {**held, **({"port": held["port"] or 1883} if "port" in held else {})} == {
                k: keys[k] for k in where
            }:
                return key
        for key, own in self._new_links.items():
            if {k: own.get(k) for k in ("type", *where)} == {k: keys[k] for k in ("type", *where)}:
                return key
        name = self._free("web" if keys["type"] == "http" else "broker", (*self._links, *self._new_links))
        for secret in ("token_env", "password_env"):
            if secret in keys:
                keys[secret] = f"{self.house.id}_{name}_{keys[secret]}".upper()
        self._new_links[name] = keys
        return name

    # --- what is said -----------------------------------------------------------------------------------------------

    def _texts(self, form: str, **fills: Mapping[str, str] | str) -> Any:
        """The phrases that the languages of the house propose, by language where it has several."""
        found: dict[str, list[str]] = {}
        for tag in self.house.languages:
            texts = getattr(language_of(self.house, tag).proposals, form)
            made = [t.format(**{k: v if isinstance(v, str) else v[tag] for k, v in fills.items()}) for t in texts]
            if made:
                found[tag] = made
        return found if len(self.house.languages) > 1 else next(iter(found.values()), [])

    def _parts(self, one: Affordance | Thing) -> dict[str, str]:
        """What something is called in each language, as words of a phrase."""
        return {tag: " ".join(_NOTATION.sub(" ", one.title(tag)).lower().split()) for tag in self.house.languages}

    def _add_intent(self, prop: Affordance, thing: Thing) -> None:
        """An intent for a property that nothing is said to yet."""
        if prop.name in self._sayable:
            return
        self._sayable.add(prop.name)
        sort = dict(prop.values)["type"]
        alike = [
            p for p in thing.properties if p.write is not None and (dict(p.values)["type"] == "switch") == (sort == "switch")
        ]
        main = (prop.name in MAIN or sort == "colour" or len(alike) == 1) and not any(
            p.name in MAIN for p in alike if p is not prop
        )
        form = "read" if prop.write is None else ("switch" if sort == "switch" else "value") + ("" if main else "_part")
        phrases = self._texts(form, slot=f"${prop.name}", part=self._parts(prop))
        if not phrases:
            self.left.append(f"{prop.name}: no language of the house has words to propose for it; write an intent")
            return
        name = self._free(f"{'read' if form == 'read' else 'set'}_{prop.name}", self._intents)
        self._intents.add(name)
        does = (
            {"read": prop.name, "reply": f"$device {prop.title(self.tag)} $value"}
            if form == "read"
            else {"set": {prop.name: f"${prop.name}"}}
        )
        self._sections.append((f"intents.{name}", {"phrases": phrases, **does}))

    def _add_action(self, placed: _Placed, action: Affordance) -> None:
        assert action.write is not None
        name = self._free(f"{placed.id}_{action.name}", self._intents)
        slot = f"{placed.id}_{action.name}"
        phrases = self._texts(
            "action_value" if action.values else "action",
            action=self._parts(action),
            name=self._parts(placed.thing),
            slot=f"${slot}",
        )
        if not phrases:
            self.left.append(f"{name}: no language of the house has words to propose for it; write an intent")
            return
        self._intents.add(name)
        wire = {k: v.replace(f"${action.name}", f"${slot}") if isinstance(v, str) else v for k, v in action.write.wire}
        if action.values:
            self._sections.append((f"slots.{slot}", dict(action.values)))
        self._sections.append((f"intents.{name}", {"phrases": phrases, "steps": [{"link": self._link(action.write), **wire}]}))


def _addresses(thing: Thing) -> Iterator[str]:
    for affordance in (*thing.properties, *thing.actions):
        for reach in (affordance.write, affordance.watch):
            if reach is not None:
                yield from (v for k, v in reach.wire if k in _ADDRESSES)


def _segments(thing: Thing) -> list[str]:
    """The parts that all addresses of a Thing have in common and that could be its id."""
    lists = [address.split("/") for address in _addresses(thing)]
    return [
        s for s in dict.fromkeys(lists[0] if lists else []) if s and identifier(s) == s and all(s in parts for parts in lists)
    ]


def _with_id(address: str, segment: str) -> str:
    return "/".join("$id" if segment and part == segment else part for part in address.split("/"))


def _signature(thing: Thing, segment: str) -> str:
    """Everything of a Thing but what it is called, with one part of its addresses as its id."""

    def reach(one: Reach | None) -> object:
        return one and [dict(one.link), {k: _with_id(v, segment) if k in _ADDRESSES else v for k, v in one.wire}]

    return json.dumps(
        [[p.name, p.values, reach(p.write), reach(p.watch)] for p in thing.properties] or [thing.title("")], default=str
    )


def _shape(thing: Thing) -> str:
    """What a Thing has, wherever it is reached."""
    return json.dumps(["", *([p.name, p.values, p.write is None, p.watch is None] for p in thing.properties)], default=str)


def _table(keys: Mapping[str, Any]) -> str:
    """Keys as the lines of a TOML table, tables within it on one line each."""
    lines = [(key, value) for key, value in keys.items() if key != "properties"]
    for name, wires in keys.get("properties", {}).items():  # devices override key by key
        lines += [(f"properties.{_key(name)}.{_key(wire)}", parts) for wire, parts in wires.items()]
    return "".join(f"{key if '.' in key else _key(key)} = {tomlkit.item(_inline(value)).as_string()}\n" for key, value in lines)


def _key(name: str) -> str:
    return tomlkit.key(name).as_string()


def _inline(value: Any) -> Any:
    if isinstance(value, Mapping):
        made = tomlkit.inline_table()
        for key, inner in value.items():
            made[key] = _inline(inner)
        return made
    if isinstance(value, (list, tuple)):
        array = tomlkit.array()
        for item in value:
            array.append(_inline(item))
        return array.multiline(len(value) > 1 and all(isinstance(v, (str, Mapping)) for v in value) and len(str(value)) > 80)
    return value
