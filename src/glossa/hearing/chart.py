"""A chart parser: edges over stretches of tokens, made from smaller ones by rules that are data.

Bottom up and from right to left, so that every edge that a rule may need is complete when it is looked for (Kay, "Algorithm Schemata
and Data Structures in Syntactic Processing", 1980, with a grammar whose symbols are in an order: the first symbol of a rule's body comes
before its head).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from heapq import heappop, heappush
from typing import Any

from msgspec import Struct

MOST_USEFUL = 512
"""Sets of symbols for which the rules that can be used are kept."""

MOST_IN_CELL = 24
"""Edges of one symbol that start at one token; the costliest beyond are dropped, so that no utterance takes long."""


class Edge(Struct, frozen=True, gc=False):
    """A stretch of tokens taken for a symbol.

    Attributes:
        start, end: the tokens, ``start`` included and ``end`` not.
        symbol: what it is; the first one where a unit production made another of it.
        value: what it means.
        cost: in units of one content word.
        used: the word edges that it is made of.
    """

    start: int
    end: int
    symbol: str
    value: Any
    cost: float = 0.0
    used: tuple[Any, ...] = ()


def identity(values: Sequence[Any]) -> Any:
    """What a head means whose body is one symbol that means the same."""
    return values[0]


Action = Callable[[Sequence[Any]], Any]
"""From the values of a rule's body to the value of its head, or to None where they don't go together."""

Cells = list[dict[str, list[Edge]]]
"""For every token, the edges that start there, by symbol."""


def _by_cost(edge: Edge) -> tuple[float, int]:
    return edge.cost, -edge.end


class Rule(Struct, frozen=True, gc=False):
    """``head -> body``: the meaning of the head is made of the meanings of the body, at a price."""

    head: str
    body: tuple[str, ...]
    action: Action
    price: float = 0.0


class Useful(Struct, frozen=True, gc=False):
    """The rules that can be used in an utterance.

    Attributes:
        starting: for a symbol, the rules that start with it, each with the place of its head.
        unit: for a symbol, the heads that are nothing but it (unit productions), so that its edges are theirs.
        goal: whether they may make what is looked for.
    """

    starting: Mapping[str, tuple[tuple[int, Rule], ...]]
    unit: Mapping[str, tuple[str, ...]]
    goal: bool


class Grammar:
    """Rules, in an order in which the head of each comes after the first symbol of its body.

    Args:
        rules: the rules.
        goals: the symbols that are looked for.
    """

    def __init__(self, rules: Sequence[Rule], goals: Sequence[str]) -> None:
        self._goals = frozenset(goals)
        heads = list(dict.fromkeys(r.head for r in rules))
        self._place = {head: i for i, head in enumerate(heads)}
        for rule in rules:
            if self._place.get(rule.body[0], -1) >= self._place[rule.head]:
                raise ValueError(f"the rule {rule.head} -> {' '.join(rule.body)} comes too early")
        self._rules, self._heads = tuple(rules), heads
        self._useful = lru_cache(MOST_USEFUL)(self._useful_with)

    def parse(self, cells: Cells, following: Sequence[Sequence[int]]) -> None:
        """Add everything that the rules make of the edges in ``cells``; nothing where they can't make what is looked for.

        Args:
            cells: the edges of single words and names.
            following: for every token and the end, where the next symbol of a body may start: there, or behind what can be passed over.
        """
        useful = self._useful(frozenset(symbol for cell in cells for symbol in cell))
        if not useful.goal:
            return
        padded = [*cells, {}]
        for start in range(len(cells) - 1, -1, -1):
            if cells[start]:
                _complete(cells[start], padded, following, useful, self._heads)

    def _useful_with(self, symbols: frozenset[str]) -> Useful:
        """The rules that can be used where only some symbols are heard: all of their bodies are among these, or made of them."""
        made, before = set(symbols), -1
        while len(made) > before:
            before = len(made)
            made.update(r.head for r in self._rules if made.issuperset(r.body))
        useful = [r for r in self._rules if made.issuperset(r.body)]
        ways = Counter(r.head for r in useful)
        starting: dict[str, list[tuple[int, Rule]]] = {}
        unit: dict[str, list[str]] = {}
        for rule in useful:
            if ways[rule.head] == 1 and len(rule.body) == 1 and rule.action is identity and not rule.price:
                unit.setdefault(rule.body[0], []).append(rule.head)
            else:
                starting.setdefault(rule.body[0], []).append((self._place[rule.head], rule))
        goal = not made.isdisjoint(self._goals)
        return Useful({s: tuple(rules) for s, rules in starting.items()}, {s: tuple(heads) for s, heads in unit.items()}, goal)


def _complete(
    cell: dict[str, list[Edge]], cells: Cells, following: Sequence[Sequence[int]], useful: Useful, heads: Sequence[str]
) -> None:
    """Everything that starts at one token. A head is complete when its turn comes: what its rules start with came before."""
    starting, unit = useful.starting, useful.unit
    made: dict[int, dict[Any, Edge]] = {}
    turns: list[int] = []
    waiting = list(cell)[::-1]
    while waiting:
        symbol = waiting.pop()
        here = cell[symbol]
        for same in unit.get(symbol, ()):
            cell[same] = here
            waiting.append(same)
        for head, rule in starting.get(symbol, ()):
            found = made.get(head)
            if found is None:
                found = made[head] = {}
                heappush(turns, head)
            _extend(rule, here, cells, following, found)
        while turns and not waiting:
            head = heappop(turns)
            edges = list(made[head].values())
            if edges:
                if len(edges) > 1:
                    edges.sort(key=_by_cost)
                cell[heads[head]] = edges[:MOST_IN_CELL]
                waiting.append(heads[head])


def _extend(rule: Rule, first: Sequence[Edge], cells: Cells, following: Sequence[Sequence[int]], made: dict[Any, Edge]) -> None:
    """Add what a rule makes of the edges for the first symbol of its body and those that follow them; the cheapest of each meaning stays."""
    body, action, head, price = rule.body, rule.action, rule.head, rule.price
    if len(body) == 1:
        for edge in first:
            value = action((edge.value,))
            if value is not None:
                _keep(made, Edge(edge.start, edge.end, head, value, price + edge.cost, edge.used))
        return
    ways: Sequence[tuple[Edge, ...]] = [(edge,) for edge in first]
    for symbol in body[1:]:
        ways = [(*way, edge) for way in ways for here in following[way[-1].end] for edge in cells[here].get(symbol, ())]
        if not ways:
            return
    for way in ways:
        value = action([edge.value for edge in way])
        if value is not None:
            cost = price
            for edge in way:
                cost += edge.cost
            used = tuple(u for edge in way for u in edge.used)
            _keep(made, Edge(way[0].start, way[-1].end, head, value, cost, used))


def _keep(made: dict[Any, Edge], edge: Edge) -> None:
    """Keep an edge that is the first of its meaning, or the cheapest."""
    key = edge.end, edge.value
    known = made.get(key)
    if known is None or edge.cost < known.cost:
        made[key] = edge
