"""Grammars of other programs as phrases of a house: rules become intents or alternatives, and what stands for a value becomes a slot."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence

from msgspec import Struct, field
from msgspec.structs import replace

from glossa.exchange.abnf import written
from glossa.exchange.rules import SPECIAL, Grammar, GrammarProblem, Rule, parts_of, references
from glossa.house.model import House
from glossa.house.notation import (
    MOST_SEQUENCES,
    Choice,
    Node,
    NotationError,
    Reference,
    Repeat,
    Row,
    Tag,
    Word,
    count,
    expand,
    parse,
)
from glossa.house.sorts import UNITS
from glossa.house.text import identifier
from glossa.house.text import words as folded
from glossa.house.values import Values
from glossa.language import language_of

MOST_PARTS = 20_000
"""Parts of one phrase, rules of rules included, that are looked at."""
MOST_WAYS = 200
"""Ways to say what a rule stands for that are looked at, to tell what it names."""
MOST_MORE = 3
"""How many times more than it has to be a part may be said."""
_SCRIPT = re.compile(r"""(?:out(?:\.\w+)?|\$(?:\.\w+)?)\s*=\s*(?:"([^"\\]*)"|'([^'\\]*)'|(-?\d+(?:\.\d+)?|true|false))\s*;?""")
_NUMBER = re.compile(r"-?\d+(?:\.\d+)?")


Way = tuple[tuple[str, ...] | None, str]
"""The words of one way to say something, None where it is more than words, and its tag."""


class NewSlot(Struct, frozen=True):
    """A slot that a house does not have: (value, how it is said) for a choice; a number, perhaps with a unit, where every value is one."""

    name: str
    values: tuple[tuple[str, tuple[str, ...]], ...]
    unit: str = ""

    @property
    def numeric(self) -> bool:
        """Whether it is a number."""
        return all(_NUMBER.fullmatch(value) for value, _ in self.values)


class Taken(Struct, frozen=True):
    """What is taken over: intent -> (phrase, line), the slots that they need besides, what is not, and what is wrong, by the line."""

    phrases: Mapping[str, tuple[tuple[str, int], ...]] = field(default_factory=dict)
    slots: tuple[NewSlot, ...] = ()
    left: tuple[GrammarProblem, ...] = ()
    wrong: tuple[GrammarProblem, ...] = ()


MOST_WAKE = 100
"""Parts, and things to say, of what is looked at for wake words."""


class _Large(Exception):
    """A phrase that has too many parts."""


def phrases_of(grammar: Grammar, house: House, language: str = "") -> Taken:
    """The phrases in a grammar that has no problems (:func:`~glossa.exchange.rules.problems`), for a house.

    A rule that only chooses among rules makes each of them an intent, named by the literal tag behind it or by the rule; any other rule to
    begin with is an intent. Within one, a rule that names devices, rooms or values of the house is a slot, one whose alternatives all
    have a literal tag is a new slot, and everything else is written out in brackets.
    """
    return _Taking(grammar, house, language or house.languages[0]).taken()


class _Taking:
    def __init__(self, grammar: Grammar, house: House, tag: str) -> None:
        self.house, self.tag = house, tag
        self.left: list[GrammarProblem] = []
        self.wrong: list[GrammarProblem] = []
        self.slots: dict[str, NewSlot] = {}
        rules = {
            name: replace(rule, node=self._plain_tags(rule.node, rule, grammar.scripts)) for name, rule in grammar.rules.items()
        }
        self.grammar = replace(grammar, rules=rules)
        self._known: dict[str, str] = {}
        self._names = {
            "device": {" ".join(w) for d in house.devices.values() for ws in d.names.values() for w in ws}
            | {" ".join(w) for g in house.groups.values() for ws in g.names.values() for w in ws},
            "room": {" ".join(w) for r in house.rooms.values() for ws in r.values() for w in ws},
        }
        self._ids = {*house.devices, *house.groups}
        self._properties = {p: d.properties[p].values for d in house.devices.values() for p in d.properties}

    def taken(self) -> Taken:
        found: dict[str, dict[str, int]] = {}
        begun: set[str] = set()
        for start in self.grammar.starts:
            for name, tree, rule in self._intents(self.grammar.rules[start], "", begun):
                if self._wakes(tree):
                    continue
                for text in self._phrases(tree, rule):
                    found.setdefault(name, {}).setdefault(text, rule.line)
        phrases = {name: tuple((self._with_unit(text), line) for text, line in texts.items()) for name, texts in found.items()}
        used = {s for texts in phrases.values() for text, _ in texts for s in re.findall(r"\$(\w+)", text)}
        return Taken(phrases, tuple(s for s in self.slots.values() if s.name in used), tuple(self.left), tuple(self.wrong))

    def _plain_tags(self, node: Node, rule: Rule, scripts: bool) -> Node:
        """A tree whose tags are plain values: ``out = "tea";`` is "tea"; a script that does more is left out and told."""
        match node:
            case Tag(value):
                found = _SCRIPT.fullmatch(value.strip())
                if found is not None:
                    return Tag(next(group for group in found.groups() if group is not None))
                if scripts:
                    self.left.append(GrammarProblem(rule.line, f"${rule.name}: the tag '{value[:40]}', which is a script"))
                    return Reference("NULL")
                return node
            case Row(parts):
                return Row(tuple(self._plain_tags(p, rule, scripts) for p in parts))
            case Choice(options, weights):
                return Choice(tuple(self._plain_tags(o, rule, scripts) for o in options), weights)
            case Repeat(part, least, most):
                return Repeat(self._plain_tags(part, rule, scripts), least, most)
            case _:
                return node

    # --- which rules are intents ------------------------------------------------------------------------------------

    def _intents(self, rule: Rule, name: str, begun: set[str]) -> Iterator[tuple[str, Node, Rule]]:
        """(id, tree, rule) of the intents that a rule leads to, each rule once."""
        if rule.name in begun:
            return
        begun.add(rule.name)
        before, core, after = _peeled(rule.node)
        chosen = [_chosen(option) for option in core.options] if isinstance(core, Choice) else []
        if len(chosen) > 1 and all(chosen):
            for target, tag, first, last in filter(None, chosen):
                for inner, tree, of in self._intents(self.grammar.rules[target], tag, begun):
                    # "[please] $order": belongs to all that it leads to
                    front, back = ([p for p in side if not self._wakes(p)] for side in ((*before, *first), (*last, *after)))
                    yield inner, Row((*front, tree, *back)) if front or back else tree, of
        else:
            yield name or _id_of(rule.name), rule.node, rule

    def _wakes(self, part: Node) -> bool:
        """Whether a part is nothing but wake words or end phrases of the house, which are no part of a phrase."""
        wake = self.house.wake
        own = {way for words in (wake.words, wake.end) for ways in words.values() for way in ways} if wake is not None else set()
        said = self._said(part, [MOST_WAKE]) if own else set()
        return bool(said - {()}) and said <= {*own, ()}

    def _said(self, node: Node, left: list[int]) -> set[tuple[str, ...]]:
        """What a part may say, as far as that is little and plain: nothing where it is not, or after so many parts as are left to look at."""
        left[0] -= 1
        if left[0] < 0:
            return set()
        match node:
            case Word(text):
                return {tuple(folded(text))}
            case Reference(name) if name in self.grammar.rules:
                return self._said(self.grammar.rules[name].node, left)
            case Choice(options):
                ways = [self._said(o, left) for o in options] if len(options) <= left[0] else []
                return set().union(*ways) if ways and all(ways) else set()
            case Repeat(inner, least, 1):
                said = self._said(inner, left)
                return said | {()} if said and not least else said
            case Row(parts):
                found: set[tuple[str, ...]] = {()}
                for inner in parts if len(parts) <= left[0] else ():
                    behind = self._said(inner, left)
                    found = {(*a, *b) for a in found for b in behind} if len(found) * len(behind) <= MOST_WAKE else set()
                return found
            case _:
                return set()

    # --- phrases ----------------------------------------------------------------------------------------------------

    def _phrases(self, tree: Node, rule: Rule) -> Iterator[str]:
        """The phrases of an intent, one for each alternative that is written at the top."""
        for option in tree.options if isinstance(tree, Choice) and len(set(tree.weights)) == 1 else (tree,):
            try:
                inlined = self._inlined(option, rule, [0])
            except _Large:
                self.wrong.append(
                    GrammarProblem(rule.line, f"${rule.name} is too large to be written out; split it into several rules")
                )
                continue
            if not any(isinstance(p, (Word, Reference)) for p in _every(inlined)):
                self.left.append(GrammarProblem(rule.line, f"${rule.name}: an alternative says nothing"))
                continue
            for tag in dict.fromkeys(p.value for p in _every(inlined) if isinstance(p, Tag)):
                self.left.append(
                    GrammarProblem(rule.line, f"${rule.name}: the tag '{tag[:40]}', for which a phrase has no place")
                )
            text = written(_bare(inlined))
            number = count(parse(text))
            if number > MOST_SEQUENCES:
                self.wrong.append(
                    GrammarProblem(
                        rule.line,
                        f"${rule.name} stands for more than {MOST_SEQUENCES:,} sequences ({number:,}); split it into several rules",
                    )
                )
                continue
            try:
                expand(text)
            except NotationError as error:
                self.left.append(GrammarProblem(rule.line, f"${rule.name}: {error.reason}"))
                continue
            yield text

    def _inlined(self, node: Node, rule: Rule, size: list[int]) -> Node:
        """A tree with its rules as slots or written out."""
        size[0] += 1
        if size[0] > MOST_PARTS:
            raise _Large
        match node:
            case Reference(name) if name not in SPECIAL:
                slot = self._slot(name)
                return Reference(slot) if slot else self._inlined(self.grammar.rules[name].node, self.grammar.rules[name], size)
            case Row(parts):
                return Row(tuple(self._inlined(p, rule, size) for p in parts))
            case Choice(options, weights):
                ways = self._ways(node) if any(isinstance(p, Tag) for p in _every(node)) else []
                slot = (self._as_slot(ways) or self._new_slot(rule.name, ways)) if all(tag for _, tag in ways) else ""
                return Reference(slot) if slot else Choice(tuple(self._inlined(o, rule, size) for o in options), weights)
            case Repeat(part, least, most):
                if most - least > MOST_MORE:
                    what = f"${rule.name}: what is repeated more than {least + MOST_MORE} times"
                    self.left.append(GrammarProblem(rule.line, what))
                    most = least + MOST_MORE
                return Repeat(self._inlined(part, rule, size), least, most)
            case _:
                return node

    def _with_unit(self, text: str) -> str:
        """A phrase in which a unit behind a new number is the number's own: "$time minutes" is "$time", in minutes."""
        for slot in [s for s in self.slots.values() if s.numeric]:
            found = re.search(rf"\${slot.name} ([^\W\d_]+)", text)
            said = " ".join(folded(found[1])) if found else ""
            unit = next(
                (u for u, ways in language_of(self.house, self.tag).numbers.units.items() if said in ways and u in UNITS), ""
            )
            if found and unit and slot.unit in ("", unit):
                self.slots[slot.name] = replace(slot, unit=unit)
                text = text.replace(found[0], f"${slot.name}")
        return text

    # --- slots ------------------------------------------------------------------------------------------------------

    def _slot(self, name: str) -> str:
        """The slot that a rule is, ``""`` for none."""
        if name not in self._known:
            self._known[name] = self._find_slot(name)
        return self._known[name]

    def _find_slot(self, name: str) -> str:
        bare = re.sub(r"_\d+$", "", name)
        if name == "pin" and any(i.pin is not None for i in self.house.intents.values()):
            return "pin"
        ways = self._ways(self.grammar.rules[name].node)
        known = self._as_slot(ways)
        if known:
            return known
        for slot in (name, bare):
            if slot in self.house.slots or slot in self._properties:
                return slot
        return self._new_slot(bare, ways)

    def _new_slot(self, name: str, ways: Sequence[Way]) -> str:
        """A slot of the house to be, for ways that all have a tag of their own; ``""`` where they have not, or say more than words."""
        values: dict[str, tuple[str, ...]] = {}
        for words, tag in ways:
            if not words:
                return ""
            values[tag] = (*values.get(tag, ()), " ".join(words))
        if len(values) < 2 or "" in values:
            return ""
        held = tuple((v if _NUMBER.fullmatch(v) else identifier(v), said) for v, said in values.items())
        slot, number = identifier(name), 1
        taken = {*self.house.slots, *self._properties, "device", "room", "pin"}
        while slot in taken or (slot in self.slots and self.slots[slot].values != held):
            number += 1
            slot = f"{identifier(name)}_{number}"
        self.slots[slot] = NewSlot(slot, held)
        return slot

    def _as_slot(self, ways: Sequence[Way]) -> str:
        """The slot of the house whose values some ways name, by their tags or by what is said; ``""`` for none."""
        tags = {tag for _, tag in ways}
        said = {" ".join(folded(" ".join(words))) if words is not None else "" for words, _ in ways}
        if not ways:
            return ""
        if all(tag and set(tag.split("+")) <= self._ids for tag in tags) or said <= self._names["device"]:
            return "device"
        if tags <= set(self.house.rooms) or said <= self._names["room"]:
            return "room"
        if len(ways) > 1:
            for slot, values in (*self.house.slots.items(), *self._properties.items()):
                if values.choices and (tags <= set(values.choices) or said <= self._spoken(values)):
                    return slot
        return ""

    def _spoken(self, values: Values) -> set[str]:
        return {" ".join(form.words) for form in values.forms(self.tag, language_of(self.house, self.tag))}

    def _ways(self, node: Node) -> list[Way]:
        """Every way to say a rule that is but a list; nothing for one with too many."""
        found: list[Way] = []
        todo = [node]
        while todo:
            part = todo.pop(0)
            if isinstance(part, Choice):
                todo = [*part.options, *todo]
            elif isinstance(part, Reference) and part.name not in SPECIAL:
                todo = [self.grammar.rules[part.name].node, *todo]
            elif len(found) >= MOST_WAYS:
                return []
            else:
                parts = [
                    q
                    for p in (part.parts if isinstance(part, Row) else (part,))
                    for q in (p.parts if isinstance(p, Row) else (p,))
                ]
                plain = all(isinstance(p, (Word, Tag)) for p in parts)
                tag = next((p.value for p in parts if isinstance(p, Tag)), "")
                found.append((tuple(p.text for p in parts if isinstance(p, Word)) if plain else None, tag))
        return found


def _peeled(node: Node) -> tuple[tuple[Node, ...], Node, tuple[Node, ...]]:
    """What may be said before, what has to be said, and what may be said behind; the whole where several parts have to be."""
    parts = tuple(p for p in node.parts if not isinstance(p, Tag)) if isinstance(node, Row) else (node,)
    needed = [n for n, p in enumerate(parts) if not (isinstance(p, Repeat) and p.least == 0)]
    return (parts[: needed[0]], parts[needed[0]], parts[needed[0] + 1 :]) if len(needed) == 1 else ((), node, ())


def _chosen(option: Node) -> tuple[str, str, tuple[Node, ...], tuple[Node, ...]] | None:
    """The rule that an alternative is, the tag behind it, and what may be said before and behind; None where it is more than that."""
    before, target, after = _peeled(option)
    if not isinstance(target, Reference) or target.name in SPECIAL:
        return None
    tags = [p.value for p in option.parts if isinstance(p, Tag)] if isinstance(option, Row) else []
    return target.name, identifier(tags[0]) if len(tags) == 1 else "", before, after


def _id_of(rule: str) -> str:
    return identifier(rule.removeprefix("intent_")) or "imported"


def _bare(node: Node) -> Node:
    """A tree without tags, and without rows and choices of one."""
    match node:
        case Row(parts):
            kept = tuple(_bare(p) for p in parts if not isinstance(p, Tag))
            flat = tuple(q for p in kept for q in (p.parts if isinstance(p, Row) else (p,)) if q != Reference("NULL"))
            return flat[0] if len(flat) == 1 else Row(flat) if flat else Reference("NULL")
        case Choice(options, weights):
            return _bare_choice([_bare(o) for o in options], weights)
        case Repeat(part, least, most):
            inner = _bare(part)
            return inner if inner == Reference("NULL") or least == most == 1 else Repeat(inner, least, most)
        case Tag():
            return Reference("NULL")
        case _:
            return node


def _bare_choice(options: Sequence[Node], weights: Sequence[float]) -> Node:
    """A choice among trees that are bare: "(a | b) | c" is "a | b | c", and "[the] x | x" is "[the] x"."""
    if len(set(weights)) == 1:
        options = [p for o in options for p in (o.options if isinstance(o, Choice) and len(set(o.weights)) == 1 else (o,))]
        weights = (1.0,) * len(options)
    narrower = [o.parts[1] for o in options if isinstance(o, Row) and len(o.parts) == 2 and _optional(o.parts[0])]
    kept = {o: w for o, w in zip(options, weights, strict=True) if o != Reference("NULL") and o not in narrower}
    if not kept:
        return Reference("NULL")
    one = next(iter(kept)) if len(kept) == 1 else Choice(tuple(kept), tuple(kept.values()))
    return Repeat(one, 0, 1) if Reference("NULL") in options else one


def _optional(node: Node) -> bool:
    return isinstance(node, Repeat) and node.least == 0


def _every(node: Node) -> Iterator[Node]:
    yield node
    for part in parts_of(node):
        yield from _every(part)


def unused(grammar: Grammar, taken: Taken) -> Sequence[GrammarProblem]:
    """The rules of a grammar that nothing which was taken over comes from."""
    reached: set[str] = set()
    todo = list(grammar.starts)
    while todo:
        name = todo.pop()
        if name not in reached and name in grammar.rules:
            reached.add(name)
            todo += references(grammar.rules[name].node)
    return [
        GrammarProblem(r.line, f"${r.name} is not reached from where the grammar begins")
        for r in grammar.rules.values()
        if r.name not in reached
    ]
