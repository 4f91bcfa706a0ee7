"""A chart parser: edges over stretches of tokens, made from smaller ones by rules that are data.

Bottom up and from right to left, so that every edge that a rule may need is complete when it is looked for (Kay, "Algorithm Schemata
and Data Structures in Syntactic Processing", 1980, with a grammar whose symbols are in an order: the first symbol of a rule's body comes
before its head).
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from heapq import heappop, heappush
from typing import Any

from msgspec import Struct

MOST_IN_CELL = 24
"""Edges of one symbol that start at one token; the costliest beyond are dropped, so that no utterance takes long."""


class Edge(Struct, frozen=True):
    """A stretch of tokens taken for a symbol.

    Attributes:
        start, end: the tokens, ``start`` included and ``end`` not.
        symbol: what it is.
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


Action = Callable[[Sequence[Any]], Any]
"""From the values of a rule's body to the value of its head, or to None where they don't go together."""

Cells = list[dict[str, list[Edge]]]
"""For every token, the edges that start there, by symbol."""


def _by_cost(edge: Edge) -> tuple[float, int]:
    return edge.cost, -edge.end


class Rule(Struct, frozen=True):
    """``head -> body``: the meaning of the head is made of the meanings of the body, at a price."""

    head: str
    body: tuple[str, ...]
    action: Action
    price: float = 0.0


class Grammar:
    """Rules, in an order in which the head of each comes after the first symbol of its body."""

    def __init__(self, rules: Sequence[Rule]) -> None:
        heads = list(dict.fromkeys(r.head for r in rules))
        place = {head: i for i, head in enumerate(heads)}
        for rule in rules:
            if place.get(rule.body[0], -1) >= place[rule.head]:
                raise ValueError(f"the rule {rule.head} -> {' '.join(rule.body)} comes too early")
        self._heads = heads
        self._starting: dict[str, tuple[tuple[int, Rule], ...]] = {}
        for rule in rules:
            self._starting[rule.body[0]] = (*self._starting.get(rule.body[0], ()), (place[rule.head], rule))

    def parse(self, cells: Cells, following: Sequence[Sequence[int]]) -> None:
        """Add everything that the rules make of the edges in ``cells``.

        Args:
            cells: the edges of single words and names.
            following: for every token and the end, where the next symbol of a body may start: there, or behind what can be passed over.
        """
        for start in range(len(cells) - 1, -1, -1):
            cell = cells[start]
            if cell:
                self._complete(cell, cells, following)

    def _complete(self, cell: dict[str, list[Edge]], cells: Cells, following: Sequence[Sequence[int]]) -> None:
        """Everything that starts at one token. A head is complete when its turn comes: what its rules start with came before."""
        made: dict[int, dict[Any, Edge]] = {}
        turns: list[int] = []

        def use(symbol: str) -> None:
            for head, rule in self._starting.get(symbol, ()):
                if head not in made:
                    made[head] = {}
                    heappush(turns, head)
                for first in cell[symbol]:
                    self._extend(rule, 1, [first], cells, following, made[head])

        for symbol in tuple(cell):
            use(symbol)
        while turns:
            head = heappop(turns)
            if made[head]:
                edges = sorted(made[head].values(), key=_by_cost)
                cell[self._heads[head]] = edges[:MOST_IN_CELL]
                use(self._heads[head])

    def _extend(
        self, rule: Rule, at: int, edges: list[Edge], cells: Cells, following: Sequence[Sequence[int]], made: dict[Any, Edge]
    ) -> None:
        if at == len(rule.body):
            value = rule.action([e.value for e in edges])
            if value is not None:
                cost = rule.price
                for edge in edges:
                    cost += edge.cost
                key = (edges[-1].end, value)
                if key not in made or cost < made[key].cost:
                    used = edges[0].used if len(edges) == 1 else tuple(u for e in edges for u in e.used)
                    made[key] = Edge(edges[0].start, edges[-1].end, rule.head, value, cost, used)
            return
        symbol = rule.body[at]
        for here in following[edges[-1].end]:
            if here < len(cells):
                for edge in cells[here].get(symbol, ()):
                    edges.append(edge)
                    self._extend(rule, at + 1, edges, cells, following, made)
                    edges.pop()
