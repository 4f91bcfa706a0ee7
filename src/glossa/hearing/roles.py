"""What a token is in an utterance, what it costs to leave it unexplained, and how a word was heard."""

from __future__ import annotations

from collections.abc import Sequence
from typing import ClassVar

from glossa.house.enumeration import Enumeration


class Role(Enumeration):
    """What a token does; see ``WEIGHT`` for what leaving it unexplained costs."""

    FILLER: ClassVar[Role]
    """Says nothing: hesitation, politeness, haste."""
    SMALL: ClassVar[Role]
    """An article, a preposition, a pronoun."""
    VERB: ClassVar[Role]
    """A verb that only says that something is to be done."""
    WORD: ClassVar[Role]
    """A word of the house."""
    POLE: ClassVar[Role]
    """A word that has an opposite."""
    TALK: ClassVar[Role]
    """A word of telling or asking."""
    NEGATION: ClassVar[Role]
    NUMBER: ClassVar[Role]
    UNKNOWN: ClassVar[Role]
    AMOUNT: ClassVar[Role]
    """By how much something changes: "a bit", "a lot"."""
    ASIDE: ClassVar[Role]
    """A word with an opposite that is a preposition here: the "on" of "forty percent on the lamp"."""
    BROKEN: ClassVar[Role]
    """A preposition or an article at the end, with nothing behind it: the "to" of "dim the lamp to"."""
    EXCEPTION: ClassVar[Role]
    """A word that takes something out again: "except"."""
    PREAMBLE: ClassVar[Role]
    """Of a clause of its own in front: "what did I want, ah, ..."."""
    REASON: ClassVar[Role]
    """Of a clause of its own behind: "..., I can't hear myself think"."""


class How:
    """How a word of the house was heard: bits that may be set together. Plain integers, for they are looked at a lot."""

    SAME = 0
    FORM = 1
    """Another form of the word: lamps for lamp."""
    SYNONYM = 2
    TOWARD = 4
    """A word that stands for it: "up" for "brighter"."""
    SOUND = 8
    TAKEN = 16
    """By sound, from a word that is usually another one."""
    SPLIT = 32
    """Written in several words."""
    REWRITTEN = 128
    """Other words altogether: "fire up" for "turn on"."""
    HOUSEHOLD = 256
    """What this household says instead."""


def first_said(roles: Sequence[Role]) -> int:
    """The first token that is no filler; 0 where all are."""
    filler = Role.FILLER
    for at, role in enumerate(roles):
        if role != filler:
            return at
    return 0


SHOWN = {
    How.HOUSEHOLD: "means the same as", How.FORM: "another form of", How.SYNONYM: "means the same as", How.TOWARD: "stands for",
    How.REWRITTEN: "another way to say", How.SPLIT: "split in two:", How.SOUND: "sounds like", How.TAKEN: "sounds like",
}  # fmt: skip


def shown(how: int, word: str) -> str:
    """How a word was heard, for people: ``sounds like lamp``; ``""`` for the word itself."""
    for flag, text in SHOWN.items():
        if how & flag:
            return f"{text} {word}"
    return ""
