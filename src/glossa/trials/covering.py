"""A covering set of sentences: what a house should understand, so that every alternative of a phrase, every name and every value is said once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from msgspec import Struct

from glossa.hearing.lexicon import Lexicon
from glossa.house.model import House
from glossa.house.notation import Position
from glossa.house.notation import Sequence as Line
from glossa.trials.sentences import own_sentences, sentence_of
from glossa.trials.table import Row

MOST_OF_A_PHRASE = 12
"""Sentences for the alternatives of one phrase."""


class Said(Struct, frozen=True):
    """A sentence that is said in a house.

    Attributes:
        text: the sentence.
        language, mode: in which, and in which mode the house is.
        where: the phrase, or the table and the line, that it stands for.
        row: the row of a table that says what must come of it; None where it has to be understood as it is without an error.
    """

    text: str
    language: str
    mode: str
    where: str
    row: Row | None = None


def covering(house: House, rows: Sequence[Row] = ()) -> list[Said]:
    """The sentences of a house and of the rows of its tables, each once; rows of conversations are left out.

    A phrase is said so often that each of its words was; the devices that it may be said with take turns.
    """
    found: dict[tuple[str, str, str], Said] = {}
    for said in (*_of_rows(house, rows), *(s for tag in house.languages for s in _of_house(house, tag))):
        found.setdefault((said.text.lower(), said.language, said.mode), said)
    return list(found.values())


def _of_rows(house: House, rows: Sequence[Row]) -> Iterator[Said]:
    for row in rows:
        if not row.session and not row.problem and row.outcomes:
            yield Said(row.utterance, row.language or house.languages[0], row.mode, f"{row.table}:{row.line}", row)


def _of_house(house: House, tag: str) -> Iterator[Said]:
    lexicon = Lexicon(house, tag)
    for intent in house.intents.values():
        mode = intent.modes[0] if intent.modes else ""
        fit = lexicon.devices(lexicon.fitting(intent)) if intent.to_a_device else ()
        number = 0
        for phrase in intent.phrases_in(tag):
            for line in _lines(phrase.sequences):
                device = house.devices[fit[number % len(fit)]] if fit else None
                text = sentence_of(house, intent, line, tag, None, device)
                number += 1
                if text:
                    yield Said(text, tag, mode, f"intents.{intent.id}: {phrase.text}")
    for sentence in own_sentences(house, tag):
        modes = house.intents[sentence.intent].modes
        yield Said(sentence.text, tag, modes[0] if modes else "", sentence.place)


def _lines(sequences: Sequence[Line]) -> Iterator[Line]:
    """Sequences with one word in each place, so few that every word of every place stands in one of them."""
    left = {w for s in sequences for p in s.positions for w in p.words}
    made = 0
    for sequence in sequences:
        said = {w for p in sequence.positions for w in p.words}
        while made < MOST_OF_A_PHRASE and (not made or left & said):
            positions = tuple(_one(p, left) for p in sequence.positions)
            left -= {w for p in positions for w in p.words}
            made += 1
            yield Line(tuple(p for p in positions if p.words or p.slot))


def _one(position: Position, left: set[str]) -> Position:
    """A place with one of its words: the first that was not said yet; what may be left out is said where it was not said yet."""
    if not position.words:
        return Position((), position.slot) if not position.optional else Position()
    new = [w for w in position.words if w in left]
    if position.optional and not new:
        return Position()
    return Position(((new or position.words)[0],))
