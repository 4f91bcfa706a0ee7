"""From the text of a house file to a checked :class:`~glossa.house.model.House`.

The reader goes on after an error, so that everything that is wrong is told at once; nothing is returned unless all is
well.
"""

from __future__ import annotations

import tomllib
from collections.abc import Collection, Mapping
from typing import Any

from msgspec.structs import replace

from glossa.house import check, schema, sheets
from glossa.house.codes import read_codes
from glossa.house.effects import read_change, read_setting
from glossa.house.forms import SetWire
from glossa.house.frozen import deep_frozen
from glossa.house.links import Link
from glossa.house.model import (
    Device,
    Group,
    House,
    HouseWords,
    Intent,
    Kind,
    Matching,
    Mode,
    Phrase,
    Pin,
    Prices,
    Property,
    Wake,
)
from glossa.house.notation import NotationError, expand
from glossa.house.problems import HouseError, Problem, nearest
from glossa.house.reader import Reader
from glossa.house.recogniser import USUAL, Recogniser, read_recogniser
from glossa.house.schema import SECTIONS, TABLES, StepSection
from glossa.house.shapes import Path, convert
from glossa.house.sorts import FREE, NumberValues
from glossa.house.sources import CodedSource, SerialSource, Source
from glossa.house.text import words
from glossa.house.values import NO_TEXTS, Texts
from glossa.house.wires import UNTOLD_LINK, read_wire

ONLY_LINK = "simulated"


def _merge(below: Mapping[str, Any], above: Mapping[str, Any]) -> dict[str, Any]:
    """``above`` over ``below``, key by key at every depth; a list is replaced whole."""
    merged = dict(below)
    for key, value in above.items():
        old = merged.get(key)
        merged[key] = _merge(old, value) if isinstance(old, dict) and isinstance(value, dict) else value
    return merged


def _properties(entry: Any) -> dict[str, Any]:
    """The properties of a kind or a device as they are written, where they are any."""
    found = entry.get("properties") if isinstance(entry, dict) else None
    return found if isinstance(found, dict) else {}


def read_house(
    text: str, sheets: Mapping[str, str] | None = None, file: str = "house.toml", languages: Collection[str] = ()
) -> House:
    """Read and check a house.

    Args:
        text: the house file.
        sheets: the text of every file that the house names, phrase tables, codes and languages, by that name.
        file: what to call the house file in errors.
        languages: the languages that there are word lists for; where given, a house in another one is an error, for its
            negations and politeness would not be known.

    Raises:
        HouseError: with every problem found.
    """
    reader = Reader(text, file)
    try:
        raw = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        message = str(error)
        line = int(message.split("at line ")[1].split(",")[0]) if "at line " in message else text.count("\n") + 1
        raise HouseError(
            [_twice(text, file, line) or Problem(file, line, "", f"not TOML: {message}", "see toml.io for the notation")]
        ) from None
    except RecursionError:
        raise HouseError([Problem(file, 0, "", "tables are nested too deep")]) from None
    try:
        house = _Builder(reader, raw, sheets or {}, languages).house()
    except RecursionError:
        raise HouseError([Problem(file, 0, "", "tables or keys are nested too deep")]) from None
    if house is None or reader.problems:
        raise HouseError(reader.problems)
    frozen: House = deep_frozen(house)
    return frozen


def _twice(text: str, file: str, line: int) -> Problem | None:
    """A table or a key that stands twice, with the line of the first; None where the mistake is another one."""
    lines = text.splitlines()
    header = lines[line - 1].split("#")[0].strip() if 0 < line <= len(lines) else ""
    if header.startswith("[") and not header.startswith("[["):
        above = next((n for n, other in enumerate(lines[: line - 1], 1) if other.split("#")[0].strip() == header), 0)
        if above:
            return Problem(
                file,
                line,
                header.strip("[]"),
                f"stands twice; the first is on line {above}",
                "write both into one, or give it another id",
            )
    return None


def _needs_link(written: Any) -> bool:
    """Whether a property has a command or a state that names no link and needs one."""
    wires = [w for key in ("command", "state") for w in _listed(written.get(key) if isinstance(written, dict) else None)]
    return any(isinstance(w, dict) and "link" not in w and not {"wait", "set"} & w.keys() for w in wires)


def _listed(found: Any) -> list[Any]:
    return found if isinstance(found, list) else [found]


def _tag(language_file: str) -> str:
    """The tag of a language file, ``""`` where it can't be read; what is wrong with it is told elsewhere."""
    try:
        return str(tomllib.loads(language_file).get("language", "")).lower()
    except (ValueError, RecursionError):
        return ""


class _Builder:
    """Puts the sections together, each on top of those before it."""

    def __init__(self, reader: Reader, raw: dict[str, Any], sheets: Mapping[str, str], languages: Collection[str]) -> None:
        self.reader, self.raw, self.sheets, self.with_words = reader, raw, sheets, languages
        self.bad = reader.bad
        self.of_kind: dict[tuple[int, str], tuple[Any, Property | None]] = {}
        """What is written and the property that it is, by its identity and the link: that of a kind is the same for a thousand devices."""

    def house(self) -> House | None:
        reader, raw = self.reader, self.raw
        known = (*SECTIONS, *TABLES)
        for key in raw:
            if key not in known:
                self.bad((key,), f"unknown section '{key}'", nearest(key, known))
        if "house" not in raw:
            self.bad((), "[house] with a name is missing", 'write [house] and name = "..."')
            return None
        base = reader.section(raw, "house")
        if base is None:
            return None
        if not base.languages or len(set(base.languages)) != len(base.languages):
            self.bad(("house", "languages"), "needs one or more languages, each once", 'write languages = ["en"]')
            return None
        own = self._language_files(base.language_files)
        with_words = {*self.with_words, *map(_tag, own.values())} if self.with_words else set()
        check.languages(base.languages, with_words, self.bad)
        reader.languages = tuple(base.languages)
        written = reader.section(raw, "prices")
        prices = Prices(written.wrong, written.talk, written.missed, written.ask) if written is not None else Prices()
        evidence = reader.section(raw, "evidence") or {}
        limits = Matching(accept=prices.accept, confirm=prices.confirm)
        matching = self._matching(reader.section(raw, "matching"), limits, ("matching",))
        links = self._links()
        reader.links = links
        rooms_shown = self._rooms()
        kinds, kinds_raw = self._kinds()
        devices = self._devices(kinds_raw)
        groups = self._groups(devices)
        check.names(devices, groups, self.bad)
        slots = {
            name: values
            for name, section in reader.entries(raw, "slots").items()
            if (values := reader.values(section, ("slots", name))) is not None
        }
        check.slot_names(raw.get("slots", {}), self.bad)
        modes = {k: Mode(k, s.idle, s.exclusive, s.awake) for k, s in reader.entries(raw, "modes").items()}
        wake = self._wake()
        parts = check.Parts(reader, raw, devices, groups, slots, modes, links)
        intents = self._intents(matching, parts)
        intents.update(self._sheets(base.tables, intents, matching, parts))
        if not intents and not reader.problems:
            self.bad(
                (),
                "the house has no intent and no table",
                'write [intents.some_id] with phrases, or [house] tables = ["codes.csv"]',
            )
        sources = self._sources(links)
        return House(
            name=base.name,
            languages=reader.languages,
            matching=matching,
            wake=wake,
            words=self._words(),
            links=links,
            rooms=reader.rooms,
            rooms_shown=rooms_shown,
            kinds=kinds,
            devices=devices,
            groups=groups,
            slots=slots,
            intents=intents,
            modes=modes,
            prices=prices,
            evidence=evidence,
            repeat=base.repeat,
            window=wake.window if wake else 8.0,
            resume=base.resume,
            sources=sources,
            language_files=own,
            recogniser=self._recogniser(base.recogniser),
        )

    def _recogniser(self, name: str) -> Recogniser:
        if name and name not in self.sheets:
            self.bad(
                ("house", "recogniser"),
                f"there is no file '{name}'",
                "it is looked for beside the house file; `glossa stress HOUSE --heard FILE --save recogniser.toml` makes one",
            )
        if name not in self.sheets:
            return USUAL
        try:
            return read_recogniser(self.sheets[name], name)
        except HouseError as error:
            self.reader.problems += error.problems
            return USUAL

    def _language_files(self, names: list[str]) -> dict[str, str]:
        for number, name in enumerate(names):
            if name not in self.sheets:
                self.bad(
                    ("house", "language_files", number),
                    f"there is no language file '{name}'",
                    "it is looked for beside the house file",
                )
        return {name: self.sheets[name] for name in names if name in self.sheets}

    def _matching(self, section: Any, above: Matching, path: Path) -> Matching:
        if section is None:
            return above
        given = {k: v for k in Matching.__struct_fields__ if (v := getattr(section, k)) is not None}
        if "accept" in given and "confirm" not in given:
            given["confirm"] = min(above.confirm, given["accept"])
        found = replace(above, **given)
        if found.confirm > found.accept:
            self.bad((*path, "confirm"), f"confirm ({found.confirm}) must not be above accept ({found.accept})")
        return found

    def _links(self) -> dict[str, Link]:
        written = self.reader.entries(self.raw, "links")
        found = {key: check.link(key, section, self.reader) for key, section in written.items()}
        links = {
            key: link if link is not None else Link(key) for key, link in found.items()
        }  # one that is wrong is known to be there
        return links or {ONLY_LINK: Link(ONLY_LINK)}

    def _sources(self, links: Mapping[str, Link]) -> dict[str, Source]:
        written = self.reader.entries(self.raw, "sources")
        found = {key: check.source(key, section, links, self.reader) for key, section in written.items()}
        return {key: self._coded(source) for key, source in found.items() if source is not None}

    def _coded(self, source: Source) -> Source:
        """A source with its codes, where it has any, and with modes that there are."""
        options = source.options
        known = self.raw.get("modes", {})
        for mode in options.modes if isinstance(options, SerialSource) else ():
            if mode and mode not in known:
                self.bad(
                    ("sources", source.id, "modes", mode),
                    f"there is no mode '{mode}'",
                    nearest(mode, known) or 'write "" for none',
                )
        if not isinstance(options, CodedSource) or not options.codes:
            return source
        if options.codes not in self.sheets:
            self.bad(("sources", source.id, "codes"), f"there is no file '{options.codes}'", "paths lead from the house file")
            return source
        codes = read_codes(self.sheets[options.codes], options.codes, options.code_bytes or 0, self.reader.problems)
        return replace(source, codes=codes)

    def _rooms(self) -> dict[str, Texts]:
        shown: dict[str, Texts] = {}
        for key, texts in self.reader.entries(self.raw, "rooms").items():
            self.reader.rooms[key], shown[key] = self.reader.spoken(texts, ("rooms", key))
        return shown

    def _kinds(self) -> tuple[dict[str, Kind], dict[str, dict[str, Any]]]:
        sections = self.reader.entries(self.raw, "kinds")
        written = (
            {k: v for k, v in self.raw.get("kinds", {}).items() if isinstance(v, dict)}
            if isinstance(self.raw.get("kinds", {}), dict)
            else {}
        )
        merged: dict[str, dict[str, Any]] = {}

        def resolve(key: str, trail: tuple[str, ...]) -> dict[str, Any]:
            if key in merged:
                return merged[key]
            like = sections[key].like if key in sections else ""
            if like and like not in written:
                self.bad(("kinds", key, "like"), f"there is no kind '{like}'", nearest(like, written))
                like = ""
            if like in (*trail, key):
                self.bad(("kinds", key, "like"), "a kind can't be like itself: " + " -> ".join((*trail, key, like)))
                like = ""
            below = resolve(like, (*trail, key)) if like else {}
            merged[key] = _merge(below, {k: v for k, v in written[key].items() if k != "like"})
            return merged[key]

        kinds = {}
        for key in written:
            spoken = {}
            for name in ("nouns", "plurals"):
                texts, faults = convert(resolve(key, ()).get(name, []), schema.Texts)
                spoken[name] = self.reader.plain([] if faults else texts, ("kinds", key, name))
            if key in sections:
                for name, section in sections[key].properties.items():
                    self.reader.known_sort(section.type, ("kinds", key, "properties", name))
                kinds[key] = Kind(key, spoken["nouns"], spoken["plurals"])
        return kinds, merged

    def _devices(self, kinds: Mapping[str, dict[str, Any]]) -> dict[str, Device]:
        reader, devices = self.reader, {}
        for key, section in reader.entries(self.raw, "devices").items():
            path: Path = ("devices", key)
            if section.kind and section.kind not in kinds:
                self.bad(
                    (*path, "kind"),
                    f"there is no kind '{section.kind}'",
                    nearest(section.kind, kinds) or "write [kinds." + section.kind + "]",
                )
            if section.room and section.room not in reader.rooms:
                self.bad((*path, "room"), f"there is no room '{section.room}'", nearest(section.room, reader.rooms))
            if section.link and section.link not in reader.links and section.link != ONLY_LINK:
                self.bad((*path, "link"), f"there is no link '{section.link}'", nearest(section.link, reader.links))
            names, shown = reader.spoken(section.names, (*path, "names"), section.room)
            heard, _ = reader.spoken(section.also_heard, (*path, "also_heard"), section.room)
            names = {tag: (*names.get(tag, ()), *heard.get(tag, ())) for tag in (*names, *(t for t in heard if t not in names))}
            raw = _merge(_properties(kinds.get(section.kind, {})), _properties(self.raw["devices"][key]))
            properties, link = {}, section.link
            if not link and len(reader.links) > 1 and any(map(_needs_link, raw.values())):
                said = next((way for ways in shown.values() for way in ways), key)
                self.bad(path, f"{said} has no link, and the house has several", f'write link = "...": {", ".join(reader.links)}')
                link = UNTOLD_LINK
            for name, written in raw.items():
                found = self._property(name, written, link, self._origin(key, section.kind, name))
                if found is not None:
                    properties[name] = found
            devices[key] = Device(key, section.kind, names, shown, section.room, section.link, properties, heard)
        return devices

    def _origin(self, device: str, kind: str, name: str) -> Path:
        """Where a property is written: in the device, or in the nearest kind that has it."""
        if name in _properties(self.raw["devices"][device]):
            return ("devices", device, "properties", name)
        trail: list[str] = []
        while kind not in trail and name not in _properties(self.raw["kinds"].get(kind)):
            trail.append(kind)
            above = self.raw["kinds"].get(kind)
            like = above.get("like") if isinstance(above, dict) else None
            kind = like if isinstance(like, str) else ""
        return ("kinds", kind, "properties", name)

    def _property(self, name: str, written: Any, link: str, path: Path) -> Property | None:
        known = self.of_kind.get((id(written), link))
        if known is None:
            # What is written is held, too: of what is gone, something else may have the identity.
            known = self.of_kind[id(written), link] = (written, self._read_property(name, written, link, path))
        return known[1]

    def _read_property(self, name: str, written: Any, link: str, path: Path) -> Property | None:
        section, faults = convert(written, schema.PropertySection)
        if section is None or faults:
            return None
        values = self.reader.values(section, path)
        command = section.command
        steps: list[StepSection] = command if isinstance(command, list) else [command] if command is not None else []
        fills = frozenset({"raw", "value", "id", "name", "room", "house", "red", "green", "blue"})
        wires = []
        for number, step in enumerate(steps):
            at: Path = (*path, "command", number) if isinstance(command, list) else (*path, "command")
            wire = read_wire(step, link, at, self.reader, fills, ("raw", "value") if section.type in FREE else ())
            if wire is not None and isinstance(wire, SetWire):
                self.bad(at, "a property's command can't set another device", "write the wire command itself")
            elif wire is not None:
                wires.append(wire)
        state = read_wire(section.state, link, (*path, "state"), self.reader, fills, state=True) if section.state else None
        average = section.state.average or 0.0 if section.state else 0.0
        if average and values is not None and not isinstance(values, NumberValues):
            self.bad((*path, "state", "average"), f"a {values.sort} has no average", 'it is for type = "number"')
        return Property(name, values, tuple(wires), state, average) if values is not None else None

    def _groups(self, devices: Mapping[str, Device]) -> dict[str, Group]:
        sections = self.reader.entries(self.raw, "groups")
        groups = {}

        def members(key: str, trail: tuple[str, ...]) -> set[str]:
            found: set[str] = set()
            for number, member in enumerate(sections[key].members):
                path = ("groups", key, "members", number)
                if member in devices:
                    found.add(member)
                elif member in (*trail, key):
                    self.bad(path, "a group can't hold itself: " + " -> ".join((*trail, key, member)))
                elif member in sections:
                    found |= members(member, (*trail, key))
                elif member not in self.raw.get("devices", {}):
                    self.bad(path, f"there is no device or group '{member}'", nearest(member, (*devices, *sections)))
            return found

        for key, section in sections.items():
            if key in self.raw.get("devices", {}):
                self.bad(("groups", key), f"'{key}' is a device's id already", "ids are unique over devices and groups")
            names, shown = self.reader.spoken(section.names, ("groups", key, "names"))
            held = members(key, ())
            groups[key] = Group(key, names, shown, tuple(d for d in devices if d in held))
        return groups

    def _wake(self) -> Wake | None:
        if "wake" not in self.raw:
            return None
        section = self.reader.section(self.raw, "wake")
        if section is None:
            return None
        found, shown = self.reader.spoken(section.words, ("wake", "words"))
        if not any(found.values()):
            self.bad(("wake", "words"), "needs at least one wake word", 'write words = ["..."]')
        return Wake(
            words=found,
            also_heard=self.reader.plain(section.also_heard, ("wake", "also_heard")),
            end=self.reader.spoken(section.end, ("wake", "end"))[0],
            shown=shown,
            accept=section.accept,
            window=section.window,
            after_command=section.after_command,
        )

    def _words(self) -> HouseWords:
        section = self.reader.section(self.raw, "words")
        sounds = self.reader.section(self.raw, "sounds") or {}
        if section is None:
            return HouseWords()
        same: dict[str, list[tuple[tuple[str, ...], ...]]] = {}
        by_language = section.same.items() if isinstance(section.same, dict) else [("", section.same)]
        for language, sets in by_language:
            for number, one in enumerate(sets):
                tables_ = one.items() if isinstance(one, dict) else [(language, one)]
                for tag, texts in tables_:
                    forms = tuple(dict.fromkeys(words(t) for t in texts if words(t)))
                    if len(forms) < 2:
                        self.bad(("words", "same", number), "needs two or more words that mean the same")
                    same.setdefault(tag, []).append(forms)
        return HouseWords(
            same={k: tuple(v) for k, v in same.items()},
            ignore=self.reader.plain(section.ignore, ("words", "ignore")),
            sounds={" ".join(words(k)): words(v) for k, v in sounds.items() if words(k) and words(v)},
        )

    def phrases(self, texts: Any, path: Path, file: str = "", line: int = 0) -> dict[str, tuple[Phrase, ...]]:
        """Phrases parsed and expanded, by language."""
        found: dict[str, tuple[Phrase, ...]] = {}
        for language, written in self.reader.by_language(texts, path).items():
            kept = []
            for number, text in enumerate(written):
                try:
                    kept.append(Phrase(text, expand(text)))
                except NotationError as error:
                    if file:
                        self.reader.problems.append(Problem(file, line, "phrase", str(error)))
                    else:
                        self.bad((*path, number), str(error))
            found[language] = tuple(kept)
        return found

    def _intents(self, matching: Matching, parts: check.Parts) -> dict[str, Intent]:
        intents, free = {}, parts.free
        for key, section in self.reader.entries(self.raw, "intents").items():
            path: Path = ("intents", key)
            phrases = self.phrases(section.phrases, (*path, "phrases"))
            before = len(self.reader.problems)
            check.intent(key, section, phrases, parts)
            steps = tuple(
                wire
                for number, step in enumerate(section.steps or ())
                if (wire := read_wire(step, "", (*path, "steps", number), self.reader, check.fills(phrases, section), free))
                is not None
            )
            if len(self.reader.problems) > before:
                continue
            pin = section.pin
            intents[key] = Intent(
                id=key,
                phrases=phrases,
                set={k: read_setting(v) for k, v in (section.set or {}).items()},
                change={k: change for k, v in (section.change or {}).items() if (change := read_change(v)) is not None},
                read=section.read or "",
                steps=steps,
                device=section.device,
                defaults={k: parts.default(k, v, section) for k, v in section.defaults.items()},
                ask={k: self.reader.by_language(v, (*path, "ask", k)) for k, v in section.ask.items()},
                reply=self.reader.by_language(section.reply, (*path, "reply")),
                confirm=section.confirm,
                matching=self._matching(section.matching, matching, (*path, "matching")),
                pin=Pin(pin.env, "".join(words(pin.test)), pin.tries, pin.lockout) if pin else None,
                modes=tuple(section.modes),
                enter_mode=section.enter_mode,
                leave_mode=section.leave_mode,
            )
        return intents

    def _sheets(self, names: list[str], known: Mapping[str, Intent], matching: Matching, parts: check.Parts) -> dict[str, Intent]:
        intents: dict[str, Intent] = {}
        for number, name in enumerate(names):
            if name not in self.sheets:
                self.bad(
                    ("house", "tables", number), f"there is no phrase table '{name}'", "it is looked for beside the house file"
                )
                continue
            for sheet in sheets.read_sheet(self.sheets[name], name, self.reader, self.reader.problems, parts.free):
                if sheet.intent in (*known, *intents, *self.raw.get("intents", {})):
                    self.reader.problems.append(
                        Problem(
                            name,
                            sheet.lines[0],
                            "intent",
                            f"'{sheet.intent}' is an intent elsewhere already",
                            "give it another id",
                        )
                    )
                    continue
                phrases: tuple[Phrase, ...] = ()
                for text, line in zip(sheet.phrases, sheet.lines, strict=True):
                    phrases += self.phrases([text], (), name, line).get("", ())
                check.sheet_slots(name, sheet, phrases, parts)
                intents[sheet.intent] = Intent(
                    id=sheet.intent,
                    phrases={"": phrases},
                    steps=(sheet.wire,) if sheet.wire else (),
                    reply={"": (sheet.reply,)} if sheet.reply else NO_TEXTS,
                    matching=matching,
                )
        return intents
