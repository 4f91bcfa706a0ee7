"""Reading parts of a house file: sections, texts by language, names, values. Errors are noted, and the reading goes on."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from difflib import get_close_matches
from itertools import product
from typing import Any

from msgspec.structs import replace

from glossa.house.lines import line_of
from glossa.house.links import Link
from glossa.house.notation import NotationError, expand
from glossa.house.problems import Problem, nearest
from glossa.house.schema import MEANT, SECTIONS, TABLES, ValuesSection
from glossa.house.shapes import Fault, Path, convert
from glossa.house.sorts import UNIT_SIGNS, UNITS, NumberValues, sorts
from glossa.house.text import words
from glossa.house.values import NO_TEXTS, Texts, Value, Values, tidy

Spoken = dict[str, tuple[tuple[str, ...], ...]]
MOST_NAMES = 500
NEAR_UNIT = 0.75
"""How like a built-in unit a word must be to be taken for a misspelt one, 0 to 1."""


class Reader:
    """Reads one house; ``problems`` grows as it goes."""

    def __init__(self, text: str, file: str) -> None:
        self.text, self.file = text, file
        self.problems: list[Problem] = []
        self.languages: tuple[str, ...] = ("en",)
        self.rooms: dict[str, Spoken] = {}
        self.links: Mapping[str, Link] = {}

    def bad(self, path: Path, message: str, hint: str = "") -> None:
        """Note a problem at a key path of the house file."""
        key = ".".join(str(p) for p in path)
        problem = Problem(self.file, line_of(self.text, path), key, message, hint)
        if problem not in self.problems:  # what a kind has wrong is wrong for each of its devices
            self.problems.append(problem)

    def note(self, at: Path, faults: Iterable[Fault]) -> None:
        """Note what does not fit the schema, with the nearest known word."""
        for fault in faults:
            self.bad((*at, *fault.path), fault.message, meant(fault.written, fault.known))

    def section(self, raw: Mapping[str, Any], name: str) -> Any:
        """One section converted, with its defaults where it is missing; None where it can't be used."""
        shape = SECTIONS[name]
        if not isinstance(raw.get(name, {}), dict):
            self.bad((name,), "must be a table", f"write [{name}]")
            return None
        found, faults = convert(raw.get(name, {}), shape)
        self.note((name,), faults)
        return found

    def entries(self, raw: Mapping[str, Any], name: str) -> dict[str, Any]:
        """Every entry of a section that has one per id; those that can't be used are left out and noted."""
        found: dict[str, Any] = {}
        entries = raw.get(name, {})
        if not isinstance(entries, dict):
            self.bad((name,), "must be a table", f"write [{name}.some_id]")
            return found
        for key, value in entries.items():
            section, faults = convert(value, TABLES[name])
            self.note((name, key), faults)
            # A slot of an unknown type is known to be there, and that it then has none is no news.
            if section is not None and not (name == "slots" and any(f.path == ("type",) for f in faults)):
                found[key] = section
        return found

    # --- texts -----------------------------------------------------------------------------------------------------

    def by_language(self, text: Any, path: Path) -> Texts:
        """Texts by language from text, a list, or a table by language."""
        if isinstance(text, str):
            return {"": (text,)} if text else NO_TEXTS
        if isinstance(text, list):
            return {"": tuple(text)} if text else NO_TEXTS
        found = {}
        for language, value in text.items():
            if language not in self.languages:
                self.bad((*path, language), f"'{language}' is not a language of this house", nearest(language, self.languages))
            found[language] = (value,) if isinstance(value, str) else tuple(value)
        return found

    def plain(self, text: Any, path: Path) -> Spoken:
        """Folded words of plain texts, by language."""
        return {
            language: tuple(dict.fromkeys(words(t) for t in texts if words(t)))
            for language, texts in self.by_language(text, path).items()
        }

    def spoken(self, text: Any, path: Path, room: str | None = None) -> tuple[Spoken, Texts]:
        """Every way to say a name in the phrase notation, as folded words, and how it is shown."""
        found: Spoken = {}
        shown: dict[str, tuple[str, ...]] = {}
        for language, names in self.by_language(text, path).items():
            all_ways: dict[tuple[str, ...], None] = {}
            for number, name in enumerate(names):
                ways = self._ways(name, (*path, number), language, room)
                all_ways.update(dict.fromkeys(ways))
                plain = not any(c in name for c in '()[]|<>{}$/"')
                if plain:
                    shown[language] = (*shown.get(language, ()), name.strip())
                elif ways:
                    shown[language] = (*shown.get(language, ()), " ".join(ways[0]))
            found[language] = tuple(all_ways)
        return found, shown

    def _ways(self, name: str, path: Path, language: str, room: str | None) -> list[tuple[str, ...]]:
        try:
            sequences = expand(name)
        except NotationError as error:
            self.bad(path, str(error))
            return []
        ways: dict[tuple[str, ...], None] = {}
        for sequence in sequences:
            parts: list[tuple[tuple[str, ...], ...]] = []
            for position in sequence.positions:
                if position.slot == "room" and room is not None:
                    names = self.rooms.get(room, {})
                    options = (*names.get(language, ()), *(names.get("", ()) if language else ()))
                    options = options or tuple(w for ws in names.values() for w in ws)
                    if not options:
                        self.bad(path, "$room is used, but no room is given", 'write room = "..."')
                        return []
                    parts.append(options)
                elif position.slot:
                    self.bad(path, f"${position.slot} can't stand in a name", "only $room can")
                    return []
                else:
                    options = tuple((w,) for w in position.words)
                    parts.append((*options, ()) if position.optional else options)
            for picked in product(*parts):
                way = tuple(w for part in picked for w in part)
                if way:
                    ways[way] = None
                if len(ways) > MOST_NAMES:
                    self.bad(path, f"stands for more than {MOST_NAMES} names", "list the names that are really said")
                    return []
        if not ways:
            self.bad(path, "the name holds no word", "write what is said")
        return list(ways)

    def known_sort(self, kind: str | None, path: Path) -> bool:
        """Whether there are values of a sort, or none is named."""
        if kind is None or kind in sorts():
            return True
        self.bad((*path, "type"), f"unknown value '{kind}'", meant(kind, sorts()))
        return False

    # --- values ----------------------------------------------------------------------------------------------------

    def values(self, section: ValuesSection, path: Path) -> Values | None:
        """A slot's or property's values, checked; None where they can't be used."""
        before = len(self.problems)
        kind = section.type
        if kind is None:
            self.bad(path, "'type' is missing", "one of: " + ", ".join(sorts()))
            return None
        if not self.known_sort(kind, path):
            return None
        choices = self._choices(section, kind, path)
        number_keys = {k: getattr(section, k) or None for k in ("minimum", "maximum", "step", "raw", "cyclic")}
        if kind != "number":
            for key, value in number_keys.items():
                if value is not None:
                    self.bad((*path, key), f"a {kind} has no {key}", 'it is for type = "number"')
        low, high = section.minimum, section.maximum
        if low is not None and high is not None and not low < high:
            self.bad((*path, "maximum"), f"maximum {high} must be above minimum {low}")
        raw = (float(section.raw[0]), float(section.raw[1])) if section.raw else None
        if raw is not None:
            if low is None or high is None:
                self.bad((*path, "raw"), "raw needs a minimum and a maximum to map from", "write both")
            if raw[0] == raw[1]:
                self.bad((*path, "raw"), "the two ends of raw must differ")
        if section.cyclic and (low is None or high is None):
            self.bad((*path, "cyclic"), "a range that closes on itself needs a minimum and a maximum", "write both")
        if section.inverted and kind != "switch":
            self.bad((*path, "inverted"), f"a {kind} can't be inverted", "turn the two numbers of raw round")
        common: dict[str, Any] = {"choices": choices, "spoken": self._spoken_choices(section, choices, path)}
        found = NumberValues(**self._number(section, raw, path), **common) if kind == "number" else sorts()[kind](**common)
        if isinstance(found, NumberValues) and found.unit not in ("", *UNITS) and not any(found.unit_words.values()):
            unit = (
                UNIT_SIGNS.get(found.unit)
                or UNIT_SIGNS.get(found.unit.removesuffix("s"))
                or next(iter(get_close_matches(found.unit, UNITS, 1, NEAR_UNIT)), "")
            )
            if unit:
                also = "; fahrenheit is understood and converted" if unit == "celsius" else ""
                self.bad(
                    (*path, "unit"),
                    f"'{section.unit}' is not a unit that is built in",
                    f'write unit = "{unit}"{also}; or unit_words = ["..."] where it is a unit of your own',
                )
        named = self._named(section, found, path)
        found = replace(found, named=named)
        if section.initial is not None:
            initial = found.written(section.initial)
            if initial is None:
                self.bad((*path, "initial"), f"'{section.initial}' is not a value of it", self.value_hint(section.initial, found))
            found = replace(found, initial=initial)
        return found if len(self.problems) == before else None

    def _number(self, section: ValuesSection, raw: tuple[float, float] | None, path: Path) -> dict[str, Any]:
        """The fields of a number."""
        unit_words = self.plain(section.unit_words, (*path, "unit_words"))
        if any(unit_words.values()) and not section.unit.strip():
            self.bad((*path, "unit_words"), "words of a unit that has no name", 'write unit = "..." besides')
        return {
            "unit": section.unit.strip().lower(),
            "unit_words": unit_words,
            "minimum": section.minimum,
            "maximum": section.maximum,
            "step": section.step,
            "raw": raw,
            "raw_step": section.raw_step if section.raw_step is not None else 1.0 if raw else None,
            "outside": section.outside,
            "difference": section.difference,
            "cyclic": section.cyclic,
            "doubt": "ask" if section.doubt == "ask" else "",
            "doubt_share": section.doubt_share,
        }

    def _choices(self, section: ValuesSection, kind: str, path: Path) -> dict[str, str]:
        values = section.values
        if kind not in ("switch", "choice"):
            if values is not None:
                self.bad((*path, "values"), f"a {kind} has no values", 'they are for type = "choice" or "switch"')
            return {}
        if values is None:
            if kind == "choice":
                self.bad(path, "'values' is missing", 'write values = { low = "1", high = "2" }')
                return {}
            values = {"on": "1", "off": "0"}
        pairs = (
            {v: v for v in values}
            if isinstance(values, list)
            else {k: str(tidy(v) if not isinstance(v, str) else v) for k, v in values.items()}
        )
        if not pairs:
            self.bad((*path, "values"), "needs at least one value")
        if kind == "switch" and set(pairs) != {"on", "off"}:
            self.bad((*path, "values"), "a switch has the values on and off", 'use type = "choice" for others')
        elif section.inverted and kind == "switch":
            pairs = {"on": pairs["off"], "off": pairs["on"]}
        return pairs

    def _spoken_choices(self, section: ValuesSection, choices: Mapping[str, str], path: Path) -> dict[str, Texts]:
        found: dict[str, Texts] = {}
        for value, texts in section.spoken.items():
            if value not in choices:
                self.bad((*path, "spoken", value), f"'{value}' is not one of the values", nearest(value, choices))
                continue
            found[value] = self.by_language(texts, (*path, "spoken", value))
        return found

    def _named(self, section: ValuesSection, values: Values, path: Path) -> dict[str, dict[str, Value]]:
        found: dict[str, dict[str, Value]] = {}
        if section.named and not values.takes_names:
            self.bad((*path, "named"), f"a {values.sort} has no named values", "use 'spoken'")
            return found
        for spoken, value in section.named.items():
            language, pairs = ("", {spoken: value}) if not isinstance(value, dict) else (spoken, value)
            at: Path = (*path, "named", spoken)
            if language and language not in self.languages:
                self.bad(at, f"'{language}' is not a language of this house", nearest(language, self.languages))
            for name, one in pairs.items():
                real = values.literal(one)
                if real is None or (isinstance(values, NumberValues) and not isinstance(real, str) and not values.within(real)):
                    self.bad(at, f"'{one}' is not a value of it", self.value_hint(one, values))
                elif not words(name):
                    self.bad(at, "the name holds no word")
                else:
                    found.setdefault(language, {})[" ".join(words(name))] = real
        return found

    def value_hint(self, written: object, values: Values) -> str:
        """What could have been meant by a value that is none."""
        known = [*values.choices, *(n for table in values.named.values() for n in table)]
        return nearest(str(written), known) or values.hint()


def meant(written: str, known: Collection[str]) -> str:
    """What to write instead of a key or a value that nobody knows."""
    said = MEANT.get(written.lower(), "")
    return f"did you mean '{said}'?" if said in known else nearest(written, known)
