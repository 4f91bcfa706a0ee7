"""The text of a house file with what came from elsewhere; its comments and its order stay."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Collection, Mapping, Sequence
from itertools import islice, product
from typing import Any

import tomlkit
from msgspec import Struct, field

from glossa.exchange.phrases import NewSlot, Taken
from glossa.exchange.rules import GrammarProblem
from glossa.house import HouseError, read_house
from glossa.house.model import House
from glossa.house.notation import expand
from glossa.house.sheets import COLUMNS as SHEET_COLUMNS
from glossa.house.text import identifier, words
from glossa.language import Language, language_of, languages
from glossa.trials.edit import with_word

MOST_TRIES = 200
NOTHING_YET = "nothing is sent yet: write what it does"


class Edited(Struct, frozen=True):
    """A house file's text with something added, how much was there already, and what was left out, by the line of where it came from."""

    text: str
    already: int = 0
    left: tuple[GrammarProblem, ...] = ()
    files: Mapping[str, str] = field(default_factory=dict)
    """Files beside the house file that it needs, by name."""


def with_phrases(text: str, house: House, taken: Taken, sheets: Mapping[str, str], language: str = "") -> Edited:
    """The text of a house file with the phrases of a grammar.

    A phrase goes to the intent of that id; where there is none, an intent is made that sends nothing. What the house would not take, a phrase
    that can't say what its intent sets, say, is left out and told.

    Args:
        text: the house file.
        house: the same, read.
        taken: phrases by intent, and slots.
        sheets: the phrase tables of the house.
        language: of the phrases, for texts that stand there by language; the house's first by default.
    """
    tag = language or house.languages[0]
    adding: dict[tuple[str, str], int] = {}
    already = 0
    left: list[GrammarProblem] = []
    in_file = tomlkit.parse(text).get("intents", {})
    for intent, phrases in taken.phrases.items():
        known = house.intents.get(intent)
        said = {s.positions for ps in (known.phrases.values() if known else ()) for p in ps for s in p.sequences}
        for phrase, line in phrases:
            if {s.positions for s in expand(phrase)} <= said or (known is None and _answers(phrase, language_of(house, tag))):
                already += 1
            elif known is not None and intent not in in_file:
                left.append(GrammarProblem(line, f"“{phrase}” is for {intent}, which stands in a phrase table; add a row there"))
            else:
                adding[intent, phrase] = line
    for _ in range(MOST_TRIES):
        edited = _with(text, house, list(adding), taken.slots, tag)
        try:
            read_house(edited, sheets, "house.toml", languages())
        except HouseError as error:
            wrong = {p.key.split(".")[1]: p for p in error.problems if p.key.startswith("intents.")}
            out = [key for key in adding if key[0] in wrong]
            if not out:
                raise
            number = _number(wrong[out[0][0]].key)
            key = _nth(edited, out[0][0], number, out)
            problem = wrong[key[0]]
            left.append(
                GrammarProblem(adding.pop(key), f"“{key[1]}” can't be a phrase of {key[0]}: {problem.message.splitlines()[0]}")
            )
        else:
            return Edited(edited if adding else text, already, tuple(left))
    left += [
        GrammarProblem(line, f"“{phrase}” was left out with others of {intent}") for (intent, phrase), line in adding.items()
    ]
    return Edited(text, already, tuple(left))


def _answers(phrase: str, language: Language) -> bool:
    """Whether a phrase is nothing but answers, "yes" and "never mind", which every house understands."""
    built_in = language.answers
    known = {tuple(words(text)) for text in (*built_in.yes, *built_in.no, *built_in.cancel)}
    lines = expand(phrase)
    if any(not p.words for s in lines for p in s.positions):
        return False
    return all(way in known for s in lines for way in islice(product(*(p.words for p in s.positions)), MOST_TRIES))


def _number(key: str) -> int | None:
    last = key.rsplit(".", 1)[-1]
    return int(last) - 1 if last.isdigit() else None


def _nth(edited: str, intent: str, number: int | None, adding: Sequence[tuple[str, str]]) -> tuple[str, str]:
    """Which of the phrases that are added a problem is about: the one at its place in the list, else the last of the intent."""
    mine = [key for key in adding if key[0] == intent]
    listed: Any = tomlkit.parse(edited)["intents"][intent].get("phrases", [])
    if number is not None and isinstance(listed, list) and 0 <= number < len(listed):
        for key in mine:
            if key[1] == listed[number]:
                return key
    return mine[-1]


def _with(text: str, house: House, adding: Sequence[tuple[str, str]], slots: Sequence[NewSlot], tag: str) -> str:
    for intent in dict.fromkeys(intent for intent, _ in adding):
        phrases = [phrase for key, phrase in adding if key == intent]
        text = (
            with_word(text, ("intents", intent, "phrases"), phrases, tag)
            if intent in house.intents
            else _new_intent(text, intent, phrases)
        )
    needed = [s for s in slots if any(f"${s.name}" in phrase for _, phrase in adding)]
    for slot in needed:
        text = _new_slot(text, slot)
    return text


def _ends(text: str) -> str:
    return text if not text or text.endswith("\n") else text + "\n"


def _new_intent(text: str, intent: str, phrases: Sequence[str]) -> str:
    table = tomlkit.table()
    listed = tomlkit.array()
    listed.extend(phrases)
    table["phrases"] = listed.multiline(len(phrases) > 1)
    table["steps"] = tomlkit.array()
    table["steps"].comment(NOTHING_YET)
    return _ends(text) + _section(f"intents.{intent}", table)


def _new_slot(text: str, slot: NewSlot) -> str:
    table = tomlkit.table()
    if slot.numeric:
        numbers = [float(v) for v, _ in slot.values]
        table["type"] = "number"
        if slot.unit:
            table["unit"] = slot.unit
        table["minimum"], table["maximum"] = (int(n) if n.is_integer() else n for n in (min(numbers), max(numbers)))
    else:
        table["type"] = "choice"
        table["values"] = [value for value, _ in slot.values]
        spoken = {value: list(said) for value, said in slot.values if list(said) != [value]}
        if spoken:
            inline = tomlkit.inline_table()
            inline.update(spoken)
            table["spoken"] = inline
    return _ends(text) + _section(f"slots.{slot.name}", table)


def _section(path: str, table: Any) -> str:
    return f"\n[{path}]\n{tomlkit.dumps(table)}"


def with_sounds(text: str, sounds: Mapping[str, str]) -> Edited:
    """The text of a house file with respellings; those that are there already stay as they are."""
    document: Any = tomlkit.parse(text)
    held = {identifier(k): k for k in document.get("sounds", {})}
    new = {word: spelling for word, spelling in sounds.items() if identifier(word) not in held}
    if not new:
        return Edited(text, len(sounds))
    if "sounds" not in document:
        document.add("sounds", tomlkit.table())
    for word, spelling in new.items():
        document["sounds"][word] = spelling
    return Edited(tomlkit.dumps(document), len(sounds) - len(new))


def with_sheet(text: str, name: str, content: str) -> Edited:
    """The text of a house file that names a phrase table, with the table beside it."""
    document: Any = tomlkit.parse(text)
    if "tables" in document["house"]:
        return Edited(with_word(text, ("house", "tables"), [name]), files={name: content})
    line = re.search(r"(?m)^\[house\][^\n]*\n(?:(?!\[)[^\n]*\n)*?name\s*=[^\n]*(\n|$)", text)
    at = line.end() if line is not None else len(text)  # beside the name, not behind what comments may follow
    key = f"tables = [{json.dumps(name, ensure_ascii=False)}]\n"
    return Edited(text[:at] + ("" if text[:at].endswith("\n") else "\n") + key + text[at:], files={name: content})


def with_links_named(text: str, house: House) -> str:
    """The text of a house file with one link, or none, in which everything names that link, so that others can come beside it."""
    document: Any = tomlkit.parse(text)
    only = next(iter(house.links), "")
    if not only or len(house.links) != 1:
        return text
    for intent in document.get("intents", {}).values():
        for step in intent.get("steps", []):
            if "link" not in step and not {"device", "wait"} & set(step):
                step["link"] = only
    lacking = [key for key, device in document.get("devices", {}).items() if "link" not in device]
    headers = {key: re.compile(rf"(?m)^\[devices\.{re.escape(key)}\][^\n]*\n") for key in lacking}
    for key in lacking:
        if not headers[key].search(text):
            document["devices"][key]["link"] = only
    edited = tomlkit.dumps(document)
    for header in headers.values():  # right below the header, for behind the last key there may be comments on what follows
        edited = header.sub(lambda found: f'{found[0]}link = "{only}"\n', edited, count=1)
    return edited if "links" in document or edited == text else edited + f'\n[links.{only}]\ntype = "simulated"\n'


def read_columns(text: str, columns: Mapping[str, str], links: Collection[str] = ()) -> tuple[str, list[str]]:
    """A table of phrases and codes with the columns that a phrase table has, and what is wrong with it.

    Args:
        text: CSV with any separator that is a comma, a semicolon or a tab.
        columns: our column -> theirs; columns that are called as ours need not be named. For ``link`` a link will do, which then is that of every row.
        links: the links of the house.
    """
    head = text.lstrip("\ufeff").split("\n", 1)[0]
    separator = max(",;\t", key=head.count)
    rows = [
        r for r in csv.reader(io.StringIO(text.lstrip("\ufeff"), newline=""), delimiter=separator) if any(c.strip() for c in r)
    ]
    header = [c.strip() for c in rows[0]] if rows else []
    wanted = {own: own for own in SHEET_COLUMNS if own in [h.lower() for h in header]} | dict(columns)
    problems = [
        f"a phrase table has no column '{own}'; it has: {', '.join(SHEET_COLUMNS)}" for own in columns if own not in SHEET_COLUMNS
    ]
    where = {own: next((n for n, h in enumerate(header) if h.lower() == theirs.lower()), None) for own, theirs in wanted.items()}
    always = wanted["link"] if where.get("link", 0) is None and wanted["link"] in links else ""
    if always:
        del where["link"]
    problems += [
        f"the file has no column '{wanted[own]}'; it has: {', '.join(header)}" for own, at in where.items() if at is None
    ]
    if "phrase" not in wanted:
        problems.append(f"which column holds the phrases? Write --columns phrase=NAME with one of: {', '.join(header)}")
    if problems:
        return "", problems
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    own = [c for c in SHEET_COLUMNS if c in where]
    writer.writerow([*own, *(["link"] if always else [])])
    for row in rows[1:]:
        writer.writerow(
            [
                *(row[at].strip() if (at := where[c]) is not None and at < len(row) else "" for c in own),
                *([always] if always else []),
            ]
        )
    return out.getvalue(), []
