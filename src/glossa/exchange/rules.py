"""A grammar as a set of named rules, whatever notation it is written in, and what can be asked of it.

The trees are those of the phrase notation (:mod:`glossa.house.notation`); a :class:`~glossa.house.notation.Reference` names another rule, or
one of the special rules ``GARBAGE``, ``NULL`` and ``VOID`` (W3C Speech Recognition Grammar Specification 1.0, section 2.2.3).
"""

from __future__ import annotations

import heapq
import math
import random
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from functools import partial

from msgspec import Struct, field

from glossa.house.notation import Choice, Node, Reference, Repeat, Row, Tag, Word
from glossa.house.text import words as folded

SPECIAL = ("GARBAGE", "NULL", "VOID")
GARBAGE_WORDS = ("something", "whatever")
"""What stands for anything at all where a sentence is made."""
MOST_STEPS = 2_000_000
"""Steps in which a grammar has to take or refuse a sentence."""


class GrammarProblem(Struct, frozen=True):
    """What is wrong in a grammar, and on which line of its file."""

    line: int
    what: str


class Rule(Struct, frozen=True):
    """A rule: its tree, whether others may use it, the line of the file that it stands on, and what it says of itself."""

    name: str
    node: Node
    public: bool = False
    line: int = 0
    doc: str = ""


class Grammar(Struct, frozen=True):
    """A grammar.

    Attributes:
        rules: by name, in the order of the file.
        root: the rule to begin with, or "".
        language: a BCP 47 tag, or "".
        title: what it is, in a few words.
        mode: ``voice`` or ``dtmf``.
        notes: what is no mistake, but was read over.
        scripts: whether its tags are scripts (``semantics/1.0``) and not plain values.
    """

    rules: Mapping[str, Rule] = field(default_factory=dict)
    root: str = ""
    language: str = ""
    title: str = ""
    mode: str = "voice"
    scripts: bool = False
    notes: tuple[GrammarProblem, ...] = ()

    @property
    def starts(self) -> tuple[str, ...]:
        """The rules with which a sentence may begin: the root, else every public one, else the first."""
        public = tuple(n for n, r in self.rules.items() if r.public)
        return (self.root,) if self.root in self.rules else public or tuple(self.rules)[:1]


BROKEN = Reference("VOID")
"""What stands for a rule that can't be read, so that it is not missed besides."""
SCRIPTS = "semantics/1.0"
"""The tag format of which tags are scripts (Semantic Interpretation for Speech Recognition 1.0, section 3.1)."""


def parts_of(node: Node) -> tuple[Node, ...]:
    """The trees right below a tree."""
    match node:
        case Row(parts):
            return parts
        case Choice(options):
            return options
        case Repeat(part):
            return (part,)
        case _:
            return ()


def alternatives(node: Choice, written: Callable[[Node], str]) -> Iterator[str]:
    """The alternatives of a choice, each written by itself, with its weight in front where they differ: "/2/ lamp"."""
    weighted = len(set(node.weights)) > 1
    for option, weight in zip(node.options, node.weights, strict=True):
        text = f"({written(option)})" if isinstance(option, Choice) else written(option)
        yield f"/{weight:g}/ {text}" if weighted else text


def references(node: Node) -> Iterator[str]:
    """The rules that a tree names, in order, special ones left out."""
    if isinstance(node, Reference) and node.name not in SPECIAL:
        yield node.name
    for part in parts_of(node):
        yield from references(part)


def problems(grammar: Grammar) -> list[GrammarProblem]:
    """Rules that are named and not there, and rules that hold themselves, by the line."""
    found = [
        GrammarProblem(rule.line, f"${rule.name} names the rule ${name}, which is not there")
        for rule in grammar.rules.values()
        for name in dict.fromkeys(references(rule.node))
        if name not in grammar.rules
    ]
    if grammar.root and grammar.root not in grammar.rules:
        found.append(GrammarProblem(0, f"the root is ${grammar.root}, which is not there"))
    done: set[str] = set()
    for start in grammar.rules:
        found += (GrammarProblem(grammar.rules[way[0]].line, _round(way)) for way in _circles(grammar, start, done))
    return sorted(found, key=lambda p: p.line)


def _round(way: Sequence[str]) -> str:
    return "the rule holds itself: " + " > ".join(f"${name}" for name in (*way, way[0]))


def _circles(grammar: Grammar, start: str, done: set[str]) -> Iterator[tuple[str, ...]]:
    """The ways that lead from a rule back to itself; each rule is looked into once."""
    way: list[str] = []
    todo: list[tuple[str, Iterator[str]]] = []

    def enter(name: str) -> None:
        way.append(name)
        todo.append((name, iter(dict.fromkeys(references(grammar.rules[name].node)))))

    if start not in done:
        enter(start)
    while todo:
        name, below = todo[-1]
        following = next(below, None)
        if following is None:
            todo.pop()
            way.pop()
            done.add(name)
        elif following in way:
            yield tuple(way[way.index(following) :])
        elif following in grammar.rules and following not in done:
            enter(following)


def used(grammar: Grammar, start: str) -> tuple[str, ...]:
    """A rule and all that it needs, in the order of the file."""
    found, todo = {start}, [start]
    while todo:
        for name in references(grammar.rules[todo.pop()].node):
            if name in grammar.rules and name not in found:
                found.add(name)
                todo.append(name)
    return tuple(n for n in grammar.rules if n in found)


def vocabulary(grammar: Grammar) -> tuple[str, ...]:
    """Every word of a grammar once, sorted."""

    def words(node: Node) -> Iterator[str]:
        if isinstance(node, Word):
            yield node.text
        for part in parts_of(node):
            yield from words(part)

    return tuple(sorted({w for rule in grammar.rules.values() for w in words(rule.node)}, key=lambda w: (w.casefold(), w)))


# --- sentences ------------------------------------------------------------------------------------------------------


def draw(grammar: Grammar, start: str, dice: random.Random) -> tuple[str, ...]:
    """A random sentence of a rule, alternatives as often as they weigh.

    Raises:
        ValueError: where nothing can be said, for every way leads to ``$VOID``.
    """

    def drawn(node: Node) -> list[str]:
        match node:
            case Word(text):
                return [text]
            case Reference("NULL") | Tag():
                return []
            case Reference("VOID"):
                raise ValueError("nothing can be said here")
            case Reference("GARBAGE"):
                return list(GARBAGE_WORDS)
            case Reference(name):
                return drawn(grammar.rules[name].node)
            case Row(parts):
                return [w for p in parts for w in drawn(p)]
            case Choice(options, weights):
                return drawn(dice.choices(options, weights)[0])
            case Repeat(part, least, most):
                return [w for _ in range(dice.randint(least, min(most, least + 3))) for w in drawn(part)]

    return tuple(drawn(grammar.rules[start].node))


def accepts(grammar: Grammar, sentence: Sequence[str]) -> bool:
    """Whether a grammar without circles takes a sentence, word by word and whole; case and accents don't matter.

    Raises:
        ValueError: where that can't be told in a bearable time.
    """
    known: dict[tuple[int, int], frozenset[int]] = {}
    said = tuple(w for word in sentence for w in folded(word))
    steps = 0

    def ends(node: Node, at: int) -> frozenset[int]:
        """Where a tree may end that begins at a word."""
        nonlocal steps
        key = id(node), at
        if key not in known:
            steps += 1
            if steps > MOST_STEPS:
                raise ValueError("the grammar is too large")
            known[key] = frozenset(_ends(node, at))
        return known[key]

    def after(node: Node, places: Iterable[int]) -> frozenset[int]:
        return frozenset(e for at in places for e in ends(node, at))

    def _ends(node: Node, at: int) -> Iterable[int]:
        match node:
            case Word(text):
                own = folded(text)
                return (at + len(own),) if said[at : at + len(own)] == own else ()
            case Reference("NULL") | Tag():
                return (at,)
            case Reference("VOID"):
                return ()
            case Reference("GARBAGE"):
                return range(at, len(said) + 1)
            case Reference(name):
                return ends(grammar.rules[name].node, at)
            case Row(parts):
                places: Iterable[int] = (at,)
                for part in parts:
                    places = after(part, places)
                return places
            case Choice(options):
                return frozenset(e for option in options for e in ends(option, at))
            case Repeat(part, least, most):
                places, found = frozenset((at,)), frozenset((at,) if least == 0 else ())
                for number in range(1, most + 1):
                    places = after(part, places) - found
                    found |= places if number >= least else frozenset()
                    if not places:
                        break
                return found

    return any(len(said) in ends(grammar.rules[start].node, 0) for start in grammar.starts)


class Sentence(Struct, frozen=True, order=True):
    """A sentence, and how unlikely it is: the negative natural logarithm of its share, by the weights of the alternatives."""

    cost: float
    words: tuple[str, ...]


def likeliest(grammar: Grammar, start: str, most: int) -> list[Sentence]:
    """The likeliest sentences of a rule, the likeliest first; what is optional is there every other time.

    Each tree gives its best ``most`` sentences, so that a grammar of any size takes a bearable time.
    """
    known: dict[str, list[Sentence]] = {}

    def best(node: Node) -> list[Sentence]:
        match node:
            case Word(text):
                return [Sentence(0.0, (text,))]
            case Reference("NULL") | Tag():
                return [Sentence(0.0, ())]
            case Reference("VOID"):
                return []
            case Reference("GARBAGE"):
                return [Sentence(0.0, GARBAGE_WORDS)]
            case Reference(name):
                if name not in known:
                    known[name] = best(grammar.rules[name].node)
                return known[name]
            case Row(parts):
                found = [Sentence(0.0, ())]
                for part in parts:
                    found = _joined(found, best(part), most)
                return found
            case Choice(options, weights):
                total = sum(weights)
                return _merged((best(o), -math.log(w / total)) for o, w in zip(options, weights, strict=True))
            case Repeat(part, least, most_times):
                times = range(least, most_times + 1)
                return _merged((best(Row((part,) * n)), math.log(len(times))) for n in times)

    def _merged(ways: Iterable[tuple[list[Sentence], float]]) -> list[Sentence]:
        dearer = [[Sentence(s.cost + more, s.words) for s in ways_here] for ways_here, more in ways]
        seen: dict[tuple[str, ...], Sentence] = {}
        for sentence in heapq.merge(*dearer, key=lambda s: s.cost):  # in the order of the file where they are as likely
            seen.setdefault(sentence.words, sentence)
            if len(seen) >= most:
                break
        return list(seen.values())

    return best(grammar.rules[start].node)


def _joined(ones: Sequence[Sentence], others: Sequence[Sentence], most: int) -> list[Sentence]:
    """The likeliest of all sentences that begin with one and end with another."""
    if not ones or not others:
        return []
    cost = partial(_cost, ones, others)
    found: list[Sentence] = []
    heap, seen = [cost(0, 0)], {(0, 0)}
    while heap and len(found) < most:
        both, i, j = heapq.heappop(heap)
        found.append(Sentence(both, ones[i].words + others[j].words))
        for a, b in ((i, j + 1), (i + 1, j)):
            if a < len(ones) and b < len(others) and (a, b) not in seen:
                seen.add((a, b))
                heapq.heappush(heap, cost(a, b))
    return found


def _cost(ones: Sequence[Sentence], others: Sequence[Sentence], i: int, j: int) -> tuple[float, int, int]:
    return round(ones[i].cost + others[j].cost, 9), i, j
