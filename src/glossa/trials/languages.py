"""What a house in a language of its own lacks, and which numbers that language can't read back."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from glossa.hearing.numbers import NumberReader
from glossa.hearing.tokens import tokenize
from glossa.house.model import House
from glossa.house.text import many
from glossa.language import Language, language_of, load_language
from glossa.language.check import lacking
from glossa.language.schema import read_language
from glossa.trials.modules import Told

UP_TO = 10_000
"""Whole numbers from 0 up to this one are tried."""
SHOWN = 5


def of_languages(house: House) -> Iterator[Told]:
    """What the languages that a house brings along lack."""
    texts = load_language("en").texts
    for name, text in house.language_files.items():
        file = read_language(text, name)
        for fault in lacking(file, texts):
            place = f"{name}: {'.'.join(map(str, fault.path))}"
            yield (
                place,
                "lacking in a language",
                f"{file.language}: {fault.path[-1]} {fault.what}",
                fault.instead,
                "write the words for it",
            )
        wrong = unread_numbers(language_of(house, file.language))
        if wrong:
            shown = ", ".join(f"{n} (“{said}” is {read})" for n, said, read in wrong[:SHOWN])
            yield (
                f"{name}: numbers.spell", "numbers are not read back", f"{file.language}: {many(len(wrong), 'number')} up to {UP_TO:,}: {shown}",
                "what is said for them is taken for another number, or for none", "mend the rules, or add the words to spellings",
            )  # fmt: skip


def unread_numbers(language: Language, numbers: Iterable[int] = range(UP_TO + 1)) -> list[tuple[int, str, str]]:
    """Those of some whole numbers that a language says and does not read as themselves: the number, what is said, and what is read."""
    reader, found = NumberReader(language), []
    for number in numbers:
        said = language.spelling.say(number)
        read = [q.value for q in reader.read(tokenize(said, language.numbers.thousands))] if said else []
        if read != [number]:
            found.append((number, said or "nothing", " and ".join(map(str, read)) or "none"))
    return found
