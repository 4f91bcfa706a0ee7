"""The phrase notation: the ABNF form of the W3C Speech Recognition Grammar Specification 1.0, for one phrase.

Words, ``(a | b)`` alternatives, ``[x]`` optional, ``x<0-3>`` repeats, ``$slot`` references, ``/2.0/`` weights, ``{value}``
literal tags, ``"quoted words"`` and the special rules ``$GARBAGE``, ``$NULL`` and ``$VOID``.

:func:`parse` gives a tree, :func:`expand` the linear sequences of positions that the tree stands for.
"""

from __future__ import annotations

import math
import re
from functools import lru_cache
from itertools import product

from msgspec import Struct

from glossa.house.text import words as fold_words

MOST_SEQUENCES = 10_000
MOST_REPEATS = 32
MOST_DEPTH = 60
_TOKEN = re.compile(
    r"""(?P<space>\s+)|(?P<slot>\$\w+|\$\{\w+\})|(?P<quoted>"[^"]*")|(?P<tag>\{!\{.*?\}!\}|\{[^{}]*\})
      |(?P<weight>/\s*\d+(?:\.\d*)?\s*/)|(?P<repeat><[^<>]*>)|(?P<mark>[()\[\]|])|(?P<word>[^\s()\[\]|<>{}$/"]+)""",
    re.VERBOSE | re.DOTALL,
)
_REPEAT = re.compile(r"<\s*(\d+)\s*(?:(-)\s*(\d*))?\s*(?:/[\d.\s]+/)?\s*>")


class NotationError(ValueError):
    """A phrase that is not in the notation.

    Attributes:
        phrase: the text of the phrase.
        at: index of the offending character, 0 to ``len(phrase)``.
        reason: what is wrong and what to write instead.
    """

    def __init__(self, phrase: str, at: int, reason: str) -> None:
        super().__init__(phrase, at, reason)
        self.phrase, self.at, self.reason = phrase, at, reason

    def __str__(self) -> str:
        start = max(0, self.at - 30)
        shown = self.phrase[start : self.at + 30].replace("\n", " ")
        return f"{self.reason}\n  {shown}\n  {' ' * (self.at - start)}^ character {self.at + 1}"


class Word(Struct, frozen=True):
    """One word, as written."""

    text: str


class Reference(Struct, frozen=True):
    """A ``$slot``, or one of the special rules ``GARBAGE``, ``NULL``, ``VOID``."""

    name: str


class Tag(Struct, frozen=True):
    """A literal tag; it is carried through exchange and changes nothing in matching."""

    value: str


class Row(Struct, frozen=True):
    """Parts one after the other."""

    parts: tuple[Node, ...]


class Choice(Struct, frozen=True):
    """Alternatives with their weights (greater than 0; 1 where none is written)."""

    options: tuple[Node, ...]
    weights: tuple[float, ...]


class Repeat(Struct, frozen=True):
    """A part that stands ``least`` to ``most`` times; an optional part stands 0 or 1 times."""

    part: Node
    least: int
    most: int


Node = Word | Reference | Tag | Row | Choice | Repeat


class Position(Struct, frozen=True):
    """One place in a linear sequence.

    Attributes:
        words: the folded words that may stand here, empty for a slot.
        slot: the slot's name, or ``"GARBAGE"``, or ``""`` for words.
        optional: whether the place may stay empty at no cost.
    """

    words: tuple[str, ...] = ()
    slot: str = ""
    optional: bool = False


class Sequence(Struct, frozen=True):
    """A linear sequence of positions; ``weight`` is relative to the heaviest of its alternatives, in (0, 1]."""

    positions: tuple[Position, ...]
    weight: float = 1.0


class _Parser(Struct):
    phrase: str
    tokens: list[tuple[str, str, int]]
    here: int = 0
    depth: int = 0

    def fail(self, reason: str, at: int | None = None) -> NotationError:
        return NotationError(self.phrase, self.peek()[2] if at is None else at, reason)

    def peek(self) -> tuple[str, str, int]:
        return self.tokens[self.here] if self.here < len(self.tokens) else ("end", "", len(self.phrase))

    def alternatives(self) -> Node:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            raise self.fail(f"brackets are nested more than {MOST_DEPTH} deep")
        options, weights = [], []
        while True:
            kind, text, at = self.peek()
            weight = 1.0
            if kind == "weight":
                self.here += 1
                weight = float(text.strip("/ "))
                if weight <= 0:
                    raise self.fail("a weight must be greater than 0", at)
            options.append(self.row())
            weights.append(weight)
            if self.peek()[1] != "|" or self.peek()[0] != "mark":
                break
            self.here += 1
        self.depth -= 1
        return options[0] if len(options) == 1 else Choice(tuple(options), tuple(weights))

    def row(self) -> Node:
        parts: list[Node] = []
        start = self.peek()[2]
        while True:
            kind, text, at = self.peek()
            if kind == "end" or (kind == "mark" and text in "|)]"):
                break
            if kind == "weight":
                raise self.fail("a weight stands before an alternative, as in (/2/ a | b)")
            if kind == "repeat":
                raise self.fail("a repeat stands behind what is repeated, as in very<0-3>")
            self.here += 1
            part: Node
            if kind == "mark":
                part = self.bracket(text, at)
            elif kind == "slot":
                part = Reference(text.strip("${}"))
            elif kind == "tag":
                part = Tag(text.strip("{}!").strip())
            elif kind == "quoted":
                part = Row(tuple(Word(w) for w in text.strip('"').split()))
            else:
                part = Word(text)
            if self.peek()[0] == "repeat":
                part = self.repeat(part)
            parts.append(part)
        if not parts:
            raise self.fail("nothing stands here; write a word, or [brackets] around what may be left out", start)
        return parts[0] if len(parts) == 1 else Row(tuple(parts))

    def bracket(self, opened: str, at: int) -> Node:
        inner = self.alternatives()
        closing = ")" if opened == "(" else "]"
        kind, text, _ = self.peek()
        if kind == "end":
            raise self.fail(f"'{opened}' is not closed; write '{closing}' behind what it holds", at)
        if text != closing:
            raise self.fail(f"'{text}' closes nothing here; '{opened}' wants '{closing}'")
        self.here += 1
        return inner if opened == "(" else Repeat(inner, 0, 1)

    def repeat(self, part: Node) -> Node:
        _, text, at = self.peek()
        found = _REPEAT.fullmatch(text)
        if not found:
            raise self.fail("a repeat is a number or a range, as in <2> or <0-3>", at)
        self.here += 1
        least = int(found[1])
        most = least if not found[2] else int(found[3]) if found[3] else max(least, MOST_REPEATS)
        if most < least or most == 0:
            raise self.fail("a repeat's upper end must be at least 1 and not below its lower end", at)
        if most > MOST_REPEATS:
            raise self.fail(f"a part can be repeated {MOST_REPEATS} times at the most", at)
        return Repeat(part, least, most)


_WRONG = {
    "$": "a slot needs a name, as in $device",
    "<": "'<' opens a repeat, as in very<0-3>",
    ">": "'>' has no '<' before it",
    "{": "'{' opens a tag and must be closed with '}'",
    "}": "'}' has no '{' before it",
    "/": "'/' encloses a weight, as in (/2/ a | b); write a pause or a word instead",
    '"': "a quotation mark is not closed",
}


@lru_cache(maxsize=512)
def parse(phrase: str) -> Node:
    """Parse one phrase.

    Args:
        phrase: text in the notation.

    Raises:
        NotationError: with the index of the offending character.

    >>> parse("(turn | switch) on")
    Row(parts=(Choice(options=(Word(text='turn'), Word(text='switch')), weights=(1.0, 1.0)), Word(text='on')))
    """
    tokens, at = [], 0
    while at < len(phrase):
        found = _TOKEN.match(phrase, at)
        if not found or found.end() == at:
            raise NotationError(phrase, at, _WRONG.get(phrase[at], "this character can't stand in a phrase"))
        if found.lastgroup != "space":
            tokens.append((str(found.lastgroup), found.group(), at))
        at = found.end()
    if not tokens:
        raise NotationError(phrase, 0, "the phrase is empty; write at least one word")
    parser = _Parser(phrase, tokens)
    tree = parser.alternatives()
    if parser.here < len(tokens):
        raise parser.fail(f"'{parser.peek()[1]}' closes nothing; open it before, or leave it out")
    return tree


def count(node: Node) -> int:
    """How many linear sequences :func:`expand` would make; no work is done for it."""
    match node:
        case Row(parts):
            return math.prod(count(p) for p in parts)
        case Choice(options):
            single = [o for o in options if _single(o)]
            return sum(count(o) for o in options if not _single(o)) + bool(single)
        case Repeat(part, least, most):
            if most == 1 and _single(part):
                return 1
            inner = count(part)
            return sum(min(inner**n, 10**9) for n in range(least, most + 1))
        case _:
            return 1


def _single(node: Node) -> bool:
    """Whether a node is one word wherever it stands, or a choice of such."""
    match node:
        case Word(text):
            return len(fold_words(text)) == 1
        case Choice(options, weights):
            return all(w == weights[0] for w in weights) and all(_single(o) for o in options)
        case _:
            return False


def _single_words(node: Node) -> tuple[str, ...]:
    match node:
        case Word(text):
            return fold_words(text)
        case Choice(options):
            return tuple(dict.fromkeys(w for o in options for w in _single_words(o)))
        case _:
            return ()


def _expand(node: Node) -> list[Sequence]:
    match node:
        case Word(text):
            return [Sequence(tuple(Position((w,)) for w in fold_words(text)))]
        case Reference("NULL") | Tag():
            return [Sequence(())]
        case Reference("VOID"):
            return []
        case Reference(name):
            return [Sequence((Position(slot=name),))]
        case Row(parts):
            return [
                Sequence(tuple(p for s in picked for p in s.positions), math.prod(s.weight for s in picked))
                for picked in product(*(_expand(p) for p in parts))
            ]
        case Choice(options, weights):
            top = max(weights)
            found = []
            if all(w == top for w in weights):
                single = tuple(dict.fromkeys(w for o in options if _single(o) for w in _single_words(o)))
                if single:
                    found.append(Sequence((Position(single),)))
                options = tuple(o for o in options if not _single(o))
                weights = (top,) * len(options)
            for option, weight in zip(options, weights, strict=True):
                found += [Sequence(s.positions, s.weight * weight / top) for s in _expand(option)]
            return found
        case Repeat(part, 0, 1) if _single(part):
            return [Sequence((Position(_single_words(part), optional=True),))]
        case Repeat(part, least, most):
            return [s for n in range(least, most + 1) for s in _expand(Row((part,) * n))]


def expand(phrase: str) -> tuple[Sequence, ...]:
    """The linear sequences of a phrase, without doubles, in the order written.

    Alternatives of one word each share one position; every other alternative makes sequences of its own.

    Args:
        phrase: text in the notation.

    Raises:
        NotationError: where the phrase is wrong, says nothing, or makes more than ``MOST_SEQUENCES`` sequences.

    >>> [len(s.positions) for s in expand("(turn | switch) [the] lamp [by $amount]")]
    [3, 5]
    """
    tree = parse(phrase)
    number = count(tree)
    if number > MOST_SEQUENCES:
        raise NotationError(
            phrase, 0, f"the phrase stands for more than {MOST_SEQUENCES:,} sequences ({number:,}); split it into several phrases"
        )
    found = tuple(dict.fromkeys(s for s in _expand(tree) if s.positions))
    if not found:
        raise NotationError(phrase, 0, "the phrase can never be said: it holds no word and no slot")
    return found


def slots(node: Node) -> tuple[str, ...]:
    """The names of the slots in a phrase, each once, special rules left out."""
    match node:
        case Reference(name):
            return () if name in ("GARBAGE", "NULL", "VOID") else (name,)
        case Row(parts):
            inner = parts
        case Choice(options):
            inner = options
        case Repeat(part):
            inner = (part,)
        case _:
            return ()
    return tuple(dict.fromkeys(name for part in inner for name in slots(part)))
