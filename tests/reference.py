"""A slow matcher that tries everything: no bounds, no pruning, no caches. It holds the fast search to its word."""

from __future__ import annotations

from itertools import product

from glossa.hearing.heard import SMALL, Heard, prepare
from glossa.matching.grammar import Element, Grammar, Pattern
from glossa.matching.search import (
    GARBAGE_SHARE,
    MISFIT_RELATION,
    ORDER,
    UNKNOWN_UNIT,
    Option,
    Search,
)


def options(search: Search, pattern: Pattern, element: Element) -> list[Option | None]:
    return [None, *search.options(pattern, element).all]


def fits(grammar: Grammar, pattern: Pattern, chosen: tuple[Option | None, ...]) -> bool:
    """No token twice, and every value in the terms of the device that it is for."""
    taken = 0
    device = None
    for element, option in zip(pattern.elements, chosen, strict=True):
        if option is None:
            continue
        if element.slot == "device" and option.candidate is not None:
            device = option.candidate.value[0]  # type: ignore[index]
        if not element.small:
            if option.mask & taken:
                return False
            taken |= option.mask
    if device is None and pattern.intent.device:
        device = grammar.house.members(pattern.intent.device)[0]
    for element, option in zip(pattern.elements, chosen, strict=True):
        if option is not None and option.spec >= 0 and element.slot not in grammar.lexicon.slot_spec and device is not None:
            wanted = grammar.lexicon.spec_of.get((str(device), element.slot), -1)
            if wanted >= 0 and option.spec != wanted:
                return False
    return True


def score(search: Search, pattern: Pattern, chosen: list[Option | None]) -> float:
    """One minus the cost over the weight, added up piece by piece."""
    heard, cost = search.heard, search.extra + pattern.prior
    weight = sum(heard.weights)
    covered: set[int] = set()
    for element, option in zip(pattern.elements, chosen, strict=True):
        if option is not None and not element.small:
            covered.update(range(option.start, option.end))
    order = [i for _, i in sorted((o.start, i) for i, o in enumerate(chosen) if o is not None and not pattern.elements[i].small)]
    cost += ORDER * sum(b < a for a, b in zip(order, order[1:], strict=False))
    for index, element in enumerate(pattern.elements):
        option = chosen[index]
        if element.small:
            mask = sum(1 << i for i in covered)
            option = chosen[index] = search._small(pattern, element, index, chosen, mask)
            covered.update(range(option.start, option.end) if option else ())
        if option is None:
            cost, weight = cost + element.missing, weight + element.weight
            continue
        cost, weight = cost + option.cost, weight + option.weight
        if element.relation and search._misfit(element, option):
            cost += MISFIT_RELATION
        if search._unexpected(chosen, option) or search._counts_something_else(option, sum(1 << i for i in covered)):
            cost += UNKNOWN_UNIT
    share = GARBAGE_SHARE if pattern.garbage else 1.0
    for i, w in enumerate(heard.weights):
        if i not in covered:
            cost += min(w, SMALL) if heard.words[i] in pattern.measures else w * share
    return max(0.0, 1.0 - cost / max(weight, 1e-9))


def best(grammar: Grammar, text: str) -> tuple[float, set[str]]:
    """The best score over every way to lay every phrase over a text, and the intents that reach it."""
    heard = Heard(prepare(text, grammar.lexicon), grammar.lexicon, grammar.things)
    search = Search(heard, grammar)
    found: dict[str, float] = {}
    for pattern in grammar.patterns:
        words = [e for e in pattern.elements if e.words]
        if pattern.worded and not any(options(search, pattern, e)[1:] for e in words):
            continue  # of a phrase with words of weight, one at least has to be heard
        lists = [[None] if e.small else options(search, pattern, e) for e in pattern.elements]
        for chosen in product(*lists):
            if fits(grammar, pattern, chosen):
                found[pattern.intent.id] = max(found.get(pattern.intent.id, 0.0), score(search, pattern, list(chosen)))
    top = max(found.values(), default=0.0)
    return top, {intent for intent, value in found.items() if value > top - 1e-9}
