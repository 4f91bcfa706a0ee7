"""What is wrong with a language file beyond its form, and what a house in that language would lack."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import combinations
from typing import Any

from msgspec import Struct

from glossa.language.phrases import PhraseSet
from glossa.language.schema import LanguageFile, read_language
from glossa.language.spelling import Spelling

NEEDED = ("negation", "answers.yes", "answers.no", "answers.cancel")
"""Lists without which a house would do what was forbidden, or could not be answered."""
WANTED = (
    ("filler", "politeness and hesitation would count as strange words"),
    ("small", "articles and prepositions would count as strange words"),
    ("verbs", "an order and a report of it can't be told apart"),
    ("question", "a question would be taken for an order"),
    ("talk", "talk would be asked back about"),
    ("asides.governing", "a sentence beside a command can't be told from one that the command is a part of"),
    ("when.condition", "an order under a condition is carried out at once"),
    ("when.clock", "an order for another time is carried out at once"),
    ("grammar.articles", "articles would count as strange words"),
    ("grammar.and", "nothing can be joined"),
    ("grammar.except", "nothing can be taken out again"),
    ("grammar.all", "“all the lamps” is not understood"),
    ("grammar.inside", "“the lamp in the hall” is not understood"),
    ("grammar.correction", "nothing can be corrected"),
    ("grammar.pronouns", "“it” is not understood"),
    ("switch.on", "on and off are said as in the house file"),
    ("opposites", "one opposite could be taken for the other"),
    ("amounts.usual", "“a bit” is not understood"),
    ("colours.names", "only CSS names are colours"),
    ("numbers.minus", "no number is below zero"),
    ("numbers.point", "no number has decimals"),
    ("numbers.units", "units are not understood"),
    ("grammar.plural", "plurals are not understood"),
)
"""Lists that a house does worse without, and what it is like without them."""


class Fault(Struct, frozen=True):
    """Where in a language file something is wrong, what, and what to write instead."""

    path: tuple[str | int, ...]
    what: str
    instead: str = ""


def held(file: LanguageFile, path: str) -> Any:
    """What a file holds at a dotted path."""
    found: Any = file
    for name in path.split("."):
        found = getattr(found, {"and": "joined", "except": "excepted"}.get(name, name))
    return found


def faults(file: LanguageFile) -> Iterator[Fault]:
    """What makes a language file unusable: what is needed and missing, what contradicts itself, rules of numbers in no form."""
    for path in NEEDED:
        if not held(file, path):
            yield Fault(tuple(path.split(".")), "is missing", "write the words for it; `glossa show language en` has an example")
    if not (file.numbers.ones or file.numbers.spell):
        yield Fault(("numbers",), "is missing", 'write spell = ["0: zero", "1: one", ..., "20: twenty[ >>]"], or ones and tens')
    yield from _contradictions(file)
    try:
        Spelling(file.numbers.spell, file.numbers.spell_changes)
    except ValueError as error:
        yield Fault(("numbers", "spell"), str(error))


def read_own_language(text: str, name: str) -> LanguageFile:
    """A language file of a household, whole enough for a house to be in it.

    Raises:
        HouseError: where it is not, with file, line, key and what to write.
    """
    from glossa.house.check import LANGUAGE
    from glossa.house.lines import line_of
    from glossa.house.problems import HouseError, Problem

    file = read_language(text, name)
    found = list(faults(file))
    if not LANGUAGE.fullmatch(file.language):
        found.insert(
            0, Fault(("language",), f"'{file.language}' is not a language tag", 'write one as in "eo" or "pt-BR" (BCP 47)')
        )
    if found:
        raise HouseError(Problem(name, line_of(text, f.path), ".".join(map(str, f.path)), f.what, f.instead) for f in found)
    return file


def _contradictions(file: LanguageFile) -> Iterator[Fault]:
    """Words that two lists claim that can't both have them."""
    listed = {
        "negation": file.negation, "answers.yes": file.answers.yes, "answers.no": file.answers.no, "filler": file.filler,
        "switch.on": file.switch.on, "switch.off": file.switch.off,
    }  # fmt: skip
    lists = {name: {*phrases, *PhraseSet.of(phrases).single} for name, phrases in listed.items()}
    for one, other in (
        ("answers.yes", "answers.no"), ("switch.on", "switch.off"), ("filler", "negation"), ("answers.yes", "negation"),
    ):  # fmt: skip
        for word in sorted(lists[one] & lists[other]):
            yield Fault(
                tuple(one.split(".")), f"'{word}' stands under {other} too", f"keep it in one of the two: {one} or {other}"
            )
    for axis, sides in file.opposites.items():
        for word in sorted(set(sides[0]) & set(sides[1])):
            yield Fault(("opposites", axis), f"'{word}' is its own opposite", "keep it on one side")
    sides_of = {w: (axis, side) for axis, both in file.opposites.items() for side, listed in enumerate(both) for w in listed}
    for number, group in enumerate(file.synonyms.same):
        for one, other in combinations([w for w in group if w in sides_of], 2):
            (axis, side), (other_axis, other_side) = sides_of[one], sides_of[other]
            if axis == other_axis and side != other_side:
                yield Fault(
                    ("synonyms", "same", number), f"'{one}' and '{other}' are opposites of each other", "they can't mean the same"
                )


def lacking(file: LanguageFile, texts: Iterable[str]) -> Iterator[Fault]:
    """What a house in the language does worse without: lists that are missing, and texts that are said in English instead."""
    for path, why in WANTED:
        if not held(file, path):
            yield Fault(tuple(path.split(".")), "is missing", why)
    missing = [name for name in texts if name not in file.texts]
    if missing:
        shown = ", ".join(missing[:6]) + (f" and {len(missing) - 6} more" if len(missing) > 6 else "")
        yield Fault(("texts",), f"has no {shown}", "these replies are said in English")
