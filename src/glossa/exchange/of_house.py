"""All that a house understands when it is said plainly, as a grammar.

What it understands beside that, other words for the same, another order, filler, numbers with a slip, is no grammar; a recogniser that keeps to
this one hears nothing that the house would not take.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from itertools import pairwise

from msgspec import Struct

from glossa.exchange.rules import Grammar, Rule, parts_of
from glossa.hearing.lexicon import Lexicon
from glossa.house.model import House, Intent
from glossa.house.notation import Choice, Node, Reference, Repeat, Row, Tag, Word, parse, slots
from glossa.house.sorts import DigitsValues, NumberValues, WordsValues
from glossa.house.text import fold
from glossa.house.text import words as folded
from glossa.house.values import Values, tidy
from glossa.language import language_of, plural_of

MOST_NUMBERS = 1_200
"""Numbers that are listed one by one; of a range with more, the whole ones, or every tenth, hundredth, ..."""
THIN = 12
"""Numbers that a range is thinned to where it is wanted thin."""
MOST_DIGITS = 8
ROOT = "heard"
Phrase = tuple[str, ...]


def grammar_of(house: House, language: str = "", mode: str = "", *, thin: bool = False, commands: bool = False) -> Grammar:
    """The grammar of a house in one language and mode.

    Rules: ``heard``, the root; ``command``, and ``intent_ID`` for each intent that is live; ``wake``, ``end`` and ``answer``; and what they need.
    Literal tags (Semantic Interpretation for Speech Recognition 1.0, section 3.3) say the intent, the devices' ids joined by ``+``, and values.

    Args:
        house: the house.
        language: a BCP 47 tag, the house's first language by default.
        mode: the mode that it is in, ``""`` for none.
        thin: list a few numbers of each range instead of all.
        commands: begin with ``command``, and leave out wake words and answers.
    """
    return _Maker(house, language or house.languages[0], mode, thin).grammar(commands)


class _Phrase(Struct, frozen=True):
    """A phrase that is filled: the intent, the devices that take the same in it, what that is by slot, and its words."""

    intent: Intent
    devices: Sequence[str]
    held: Mapping[str, Values]
    said: frozenset[str]


class _Maker:
    def __init__(self, house: House, tag: str, mode: str, thin: bool) -> None:
        self.house, self.tag, self.mode, self.thin = house, tag, mode, thin
        self.language = language_of(self.house, tag)
        self.lexicon = Lexicon(house, tag)
        self.rules: dict[str, Rule] = {}
        self._values: list[tuple[Values, tuple[str, bool, frozenset[str]], str]] = []
        self._written = {fold(w): w for text in self._texts() for w in text.split()}
        self._nouns_said = {w for k in house.kinds.values() for n in self.lexicon.texts(k.nouns) for w in n}
        said = [w for i in house.intents.values() for p in self._phrases(i) for w in _before_device(parse(p))]
        articles = [a for a in self.language.grammar.articles if a not in self.language.grammar.inside]
        self._articles = [w for w in dict.fromkeys(said) if " ".join(folded(w)) in articles] or articles[:1]

    def _phrases(self, intent: Intent) -> list[str]:
        return [p.text for p in intent.phrases_in(self.tag)]

    def _texts(self) -> Iterator[str]:
        """What the household wrote, as it wrote it: with the accents that names lose when they are folded."""
        house = self.house
        shown = (
            *house.rooms_shown.values(),
            *(d.shown for d in house.devices.values()),
            *(g.shown for g in house.groups.values()),
        )
        spoken = (s for d in house.devices.values() for p in d.properties.values() for s in p.values.spoken.values())
        yield from (*self.language.switch.on, *self.language.switch.off)
        for texts in (*shown, *spoken):
            for key in ("", self.tag):
                yield from texts.get(key, ())

    # --- the whole --------------------------------------------------------------------------------------------------

    def grammar(self, commands: bool) -> Grammar:
        house, exclusive = self.house, self.mode in self.house.modes and self.house.modes[self.mode].exclusive
        live = [i for i in house.intents.values() if self.mode in i.modes or not (i.modes or exclusive)]
        intents = [(i, node) for i in live if (node := self._intent(i)) is not None]
        for intent, node in intents:
            self._add(f"intent_{intent.id}", node)
        made = [Row((Reference(f"intent_{i.id}"), Tag(i.id))) for i, _ in intents]
        title = f"what the house {house.name} understands" + (f" in the mode {self.mode}" if self.mode else "")
        if commands or not made:
            self._add("command", _any(made) or Reference("VOID"), public=True)
            return Grammar(self.rules, "command", self.tag, title)
        self._add("command", _choice(made), public=True)
        starts: list[Node] = [Reference("command")]
        if house.wake is not None and (wake := self._said(house.wake.words)) is not None:
            self._add("wake", wake)
            starts = [Row((Repeat(Reference("wake"), 0, 1), Reference("command"))), Reference("wake")]
            if (end := self._said(house.wake.end)) is not None:
                self._add("end", end)
                starts.append(Reference("end"))
        answers = self.language.answers
        kinds: list[Node] = [
            Row((_plain(ways), Tag(kind)))
            for kind, said in (("yes", answers.yes), ("no", answers.no), ("cancel", answers.cancel))
            if (ways := self._in_full(said))
        ]
        if kinds:
            self._add("answer", _choice(kinds))
            starts.append(Reference("answer"))
        self._add(ROOT, _choice(starts), public=True)
        first = {ROOT: self.rules.pop(ROOT), "command": self.rules.pop("command")}
        return Grammar({**first, **self.rules}, ROOT, self.tag, title)

    def _add(self, name: str, node: Node, public: bool = False) -> str:
        self.rules.setdefault(name, Rule(name, node, public))
        return name

    def _said(self, texts: Mapping[str, tuple[Phrase, ...]]) -> Node | None:
        ways = (*texts.get(self.tag, ()), *texts.get("", ()))
        return _plain(map(self._as_written, ways)) if ways else None

    def _in_full(self, texts: Iterable[str]) -> list[list[str]]:
        """The phrases that hold no word which the language file has without its apostrophe: a recogniser knows no "thats"."""
        short = {*self.language.expansions, *(w for together in self.language.contractions.values() for w in together)}
        return [words for text in texts if short.isdisjoint(words := text.split())]

    def _as_written(self, words: Iterable[str]) -> Phrase:
        return tuple(self._written.get(w, w) for w in words)

    # --- an intent --------------------------------------------------------------------------------------------------

    def _intent(self, intent: Intent) -> Node | None:
        fit = self.lexicon.devices(self.lexicon.fitting(intent))
        made: list[Node] = []
        for text in self._phrases(intent):
            node = parse(text)
            asked = [s for s in slots(node) if s not in ("device", "room", "pin") and s not in self.house.slots]
            devices = self.house.members(intent.device) if intent.device else fit
            for group, held in self._alike(devices, asked):
                for tree in self._free_of_contradictions(node, held):
                    filled = self._filled(tree, _Phrase(intent, group, held, frozenset(_words_in(tree))))
                    if filled is not None and filled not in made:
                        made.append(filled)
        return _any(made)

    def _free_of_contradictions(self, node: Node, held: Mapping[str, Values]) -> list[Node]:
        """A phrase, and the same without what may be left out and contradicts a value: "fan [on] $speed" where that is "off"."""
        values = {w for v in held.values() for f in v.forms(self.tag, self.language) for w in f.words}
        opposed = {w for w in _words_in(node) if self._opposed(w, values) and w not in self.language.grammar.absolute}
        bare = _without(node, opposed) if opposed else node
        return [node] if bare == node or opposed & set(_words_in(bare)) else [node, bare]

    def _alike(self, devices: Sequence[str], asked: Sequence[str]) -> list[tuple[list[str], dict[str, Values]]]:
        """Devices that take the same for every slot of a phrase, together, with what they take."""
        groups: list[tuple[list[str], dict[str, Values]]] = []
        for device in devices if asked else ():
            properties = self.house.devices[device].properties
            if all(s in properties for s in asked):
                held = {s: properties[s].values for s in asked}
                known = next((g for g, h in groups if all(self._same(h[s], held[s]) for s in asked)), None)
                if known is None:
                    groups.append(([device], held))
                else:
                    known.append(device)
        return groups if asked else [(list(devices), {})]

    def _same(self, one: Values, other: Values) -> bool:
        """Whether two properties are said with the same words, whatever they send."""
        if one == other:
            return True
        if isinstance(one, NumberValues) and isinstance(other, NumberValues):
            if (one.limits(), one.step, one.unit, one.unit_words) != (other.limits(), other.step, other.unit, other.unit_words):
                return False
        return type(one) is type(other) and list(one.forms(self.tag, self.language)) == list(other.forms(self.tag, self.language))

    def _filled(self, node: Node, phrase: _Phrase) -> Node | None:
        """A phrase with its slots as rules; None where one of them can't be said at all."""
        match node:
            case Reference("device"):
                return _any([n for n in (self._devices(phrase), self._all(phrase)) if n is not None])
            case Reference("room"):
                return self._rooms()
            case Reference("pin"):
                return Reference(self._add("pin", Reference(self._digits())))
            case Reference(name) if name in self.house.slots or name in phrase.held:
                return self._slot(name, self.house.slots[name] if name in self.house.slots else phrase.held[name], phrase)
            case Reference(name):
                return node if name in ("GARBAGE", "NULL", "VOID") else None
            case Row((article, Reference("device"), *rest)) if self._is_article(article):
                one, every = self._devices(phrase), self._all(phrase)
                ways = [n for n in (one and Row((article, one)), every) if n is not None]
                behind = self._filled(Row(tuple(rest)), phrase)
                return Row((_choice(ways), *parts_of(behind))) if ways and behind is not None else None
            case Row((first, *rest)) if any(self._is_article(p) for p in rest):
                before, behind = self._filled(first, phrase), self._filled(Row(tuple(rest)), phrase)
                return Row((before, *parts_of(behind))) if before is not None and behind is not None else None
            case Row(parts):
                filled = [self._filled(p, phrase) for p in parts]
                return None if None in filled else Row(tuple(p for p in filled if p is not None))
            case Choice(options, weights):
                kept = [(f, w) for o, w in zip(options, weights, strict=True) if (f := self._filled(o, phrase)) is not None]
                return (
                    Choice(tuple(f for f, _ in kept), tuple(w for _, w in kept))
                    if len(kept) > 1
                    else kept[0][0]
                    if kept
                    else None
                )
            case Repeat(part, least, most):
                inner = self._filled(part, phrase)
                return Repeat(inner, least, most) if inner is not None else (Reference("NULL") if not least else None)
            case _:
                return node

    # --- what slots take --------------------------------------------------------------------------------------------

    def _is_article(self, node: Node) -> bool:
        """Whether a tree is an article, or one that may be left out."""
        articles = self.language.grammar.articles
        return bool(said := tuple(_words_in(node))) and all(w in articles for w in said) and not tuple(slots(node))

    def _slot(self, name: str, values: Values, phrase: _Phrase) -> Node | None:
        """What a slot takes in a phrase, as a rule."""
        opposed = frozenset(w for f in values.forms(self.tag, self.language) for w in f.words if self._opposed(w, phrase.said))
        amount = name in phrase.intent.changed_by
        known = next((rule for v, how, rule in self._values if v == values and how == (name, amount, opposed)), None)
        if known is None:
            node = self._of_values(values, amount, opposed)
            if node is None:
                return None
            known = self._rule(name, node)
            self._values.append((values, (name, amount, opposed), known))
        return Reference(known)

    def _opposed(self, word: str, others: Iterable[str]) -> bool:
        """Whether a word contradicts another one; what may be a preposition says nothing against a value: "auf geschlossen"."""
        return any(self.language.opposite(word, o) for o in others if o not in self.language.grammar.absolute)

    def _rule(self, name: str, node: Node) -> str:
        """The name of the rule for a tree: the one given, or where another tree has it, with a number."""
        own, number = name, 1
        while own in self.rules and self.rules[own].node != node:
            number += 1
            own = f"{name}_{number}"
        return self._add(own, node)

    def _of_values(self, values: Values, amount: bool, opposed: frozenset[str]) -> Node | None:
        """What values are said with; an ``amount`` of a change knows no maximum, and "open ... to shut" is a contradiction."""
        if isinstance(values, WordsValues):
            return Reference("GARBAGE")
        if isinstance(values, DigitsValues):
            return Reference(self._digits())
        ways: list[Node] = []
        seen: set[Phrase] = set()
        extremes: set[object] = set()
        joined = {"".join(f.words) for f in values.forms(self.tag, self.language) if len(f.words) > 1}
        for form in values.forms(self.tag, self.language):
            built_in = form.cost > 0  # "maximum"; one of its many forms is enough, and a fraction is a number in its own right
            fraction = any(w in self.language.numbers.fractions for w in form.words)
            # Of colours, "light blue" may be a light, and nobody says "aliceblue" in one word.
            many = form.kin and (
                (self.thin and len(seen) >= THIN) or form.words[0] in self._nouns_said or form.words[0] in joined
            )
            if (
                form.words not in seen
                and not many
                and opposed.isdisjoint(form.words)
                and not (built_in and (amount or fraction or form.value in extremes))
            ):
                seen.add(form.words)
                if built_in:
                    extremes.add(form.value)
                ways.append(_tagged(self._as_written(form.words), str(form.value)))
        if isinstance(values, NumberValues):
            numbers = self._numbers(values)
            if numbers is not None:
                unit = self._unit(values)
                ways.append(Row((numbers, Repeat(unit, 0, 1))) if unit is not None else numbers)
        return _any(ways)

    def _numbers(self, values: NumberValues) -> Node | None:
        """The rule for the numbers of a range."""
        listed = self._listed(values)
        ways = [n for number in listed if (n := self._number(number)) is not None]
        return (
            Reference(self._rule(f"number_{listed[0]}_{listed[-1]}".replace("-", "minus_").replace(".", "_"), _choice(ways)))
            if ways
            else None
        )

    def _listed(self, values: NumberValues) -> list[int | float]:
        """The numbers of a range, as many as can be listed."""
        low, high = values.limits()
        low, high = (0.0 if math.isinf(low) else low), (max(low, 0.0) + 100.0 if math.isinf(high) else high)
        step = max(values.step or 1.0, 10.0 ** math.floor(math.log10(max(high - low, 1.0) / 1e6)))
        while (high - low) / step > (THIN if self.thin else MOST_NUMBERS):
            step = 1.0 if step < 1 else step * 10 if not self.thin or str(step)[0] != "1" else step * 5
        first = math.ceil(round(low / step, 9)) * step
        found = [tidy(first + n * step) for n in range(int((high - first) / step + 1e-9) + 1)]
        ends = [tidy(n) for n in (low, high) if float(n).is_integer()]
        return sorted({v for n in (*found, *ends) if values.within(v := values.nearest(n))})

    def _number(self, number: int | float) -> Node | None:
        said = self.language.spelling.say(number).split()
        if not said:
            return None
        hundred, joined = self.language.numbers.hundred, self.language.numbers.joined
        parts: list[Node] = [
            Repeat(Word(word), 0, 1) if at and said[at - 1] in hundred and word in joined else Word(word)
            for at, word in enumerate(said)
        ]
        return Row((*parts, Tag(str(number))))

    def _unit(self, values: NumberValues) -> Node | None:
        own = [w for key in (self.tag, "") for w in values.unit_words.get(key, ())]
        built_in = [folded(w) for w in self.language.numbers.units.get(values.unit, ())[:2]]
        ways = own or built_in or ([folded(values.unit)] if values.unit and folded(values.unit) else [])
        return _plain(map(self._as_written, ways)) if ways else None

    def _digits(self) -> str:
        if "digits" not in self.rules:
            ones = [w for n in range(10) if (w := self.language.spelling.say(n))]
            self._add("digits", Repeat(_plain((w,) for w in ones), 1, MOST_DIGITS))
        return "digits"

    def _rooms(self) -> Node | None:
        ways = [_tagged(way, room) for room in self.house.rooms for way in self._room_ways(room)]
        if "room" not in self.rules and ways:
            self._add("room", _choice(ways))
        return Reference("room") if ways else None

    def _room_ways(self, room: str) -> list[Phrase]:
        names = self.house.rooms.get(room, {})
        return [self._as_written(w) for key in (self.tag, "") for w in names.get(key, ())]

    # --- devices ----------------------------------------------------------------------------------------------------

    def _devices(self, phrase: _Phrase) -> Node | None:
        """The rule for what may stand behind an article."""
        return self._named(f"device_{'_'.join(phrase.intent.properties) or 'any'}", self._expressions(phrase))

    def _all(self, phrase: _Phrase) -> Node | None:
        """The rule for "all the lamps", where an article stands inside."""
        article = Repeat(_plain((a,) for a in self._articles), 0, 1)
        return self._named(
            f"all_{'_'.join(phrase.intent.properties) or 'any'}",
            self._nouns(phrase),
            (*map(Word, self.language.grammar.all[0].split()), article),
        )

    def _named(
        self, name: str, expressions: Iterable[tuple[Phrase, str, tuple[str, ...]]], before: tuple[Node, ...] = ()
    ) -> Node | None:
        ways: dict[Node, None] = {}
        for words, room, ids in expressions:
            behind = (self._inside(room),) if room else ()
            ways[Row((*before, *map(Word, self._as_written(words)), *behind, Tag("+".join(ids))))] = None
        if not ways:
            return None
        return Reference(self._rule(name, _choice(list(ways))))

    def _inside(self, room: str) -> Node:
        """ "in the galley": a rule of its own for each room."""
        articles = Repeat(_plain((a,) for a in self._articles), 0, 1)
        return Reference(
            self._add(
                f"in_{room}", Row((*map(Word, self.language.grammar.inside[0].split()), articles, _plain(self._room_ways(room))))
            )
        )

    def _expressions(self, phrase: _Phrase) -> Iterator[tuple[Phrase, str, tuple[str, ...]]]:
        """How some devices can be named: the words, the room that is said behind them, and who is meant."""
        house, able, mine = self.house, self.lexicon.devices(self.lexicon.fitting(phrase.intent)), set(phrase.devices)
        for device in (house.devices[d] for d in phrase.devices):
            misheard = self.lexicon.texts(device.also_heard)
            for name in (n for n in self.lexicon.texts(device.names) if n not in misheard):
                yield name, "", (device.id,)
                rooms = self._room_ways(device.room)
                if rooms and not any(set(folded(" ".join(room))) <= set(name) for room in rooms):
                    yield name, device.room, (device.id,)
        for group in house.groups.values():
            members = tuple(d for d in group.members if d in able)
            if members and mine.issuperset(members):
                for name in self.lexicon.texts(group.names):
                    yield name, "", members
        yield from self._nouns(phrase)

    def _nouns(self, phrase: _Phrase) -> Iterator[tuple[Phrase, str, tuple[str, ...]]]:
        """The plurals of class words, in a room or anywhere."""
        house, able, mine = self.house, self.lexicon.devices(self.lexicon.fitting(phrase.intent)), set(phrase.devices)
        for kind in house.kinds.values():
            for noun in self.lexicon.texts(kind.nouns):
                many = plural_of(noun, self.language)
                of_kind = tuple(
                    d
                    for d in able
                    if noun in self.lexicon.texts(house.kinds[house.devices[d].kind].nouns if house.devices[d].kind else {})
                )
                for room in ("", *house.rooms):
                    there = tuple(d for d in of_kind if not room or house.devices[d].room == room)
                    if len(there) > 1 and mine.issuperset(there) and many != noun and (not room or self._room_ways(room)):
                        yield many, room, there


def _texts_in(node: Node) -> Iterator[str]:
    """The words of a tree as they are written."""
    if isinstance(node, Word):
        yield node.text
    for part in parts_of(node):
        yield from _texts_in(part)


def _words_in(node: Node) -> Iterator[str]:
    """The folded words of a tree."""
    return (w for text in _texts_in(node) for w in folded(text))


def _before_device(node: Node) -> Iterator[str]:
    """The words that stand right before ``$device`` in a phrase, as they are written."""
    parts = parts_of(node)
    for part, following in pairwise(parts if isinstance(node, Row) else ()):
        if following == Reference("device"):
            yield from _texts_in(part)
    for part in parts:
        yield from _before_device(part)


def _without(node: Node, words: Collection[str]) -> Node:
    """A tree without the optional parts that hold some words."""
    match node:
        case Repeat(part, 0) if not set(words).isdisjoint(_words_in(part)):
            return Reference("NULL")
        case Row(parts):
            return Row(tuple(p for part in parts if (p := _without(part, words)) != Reference("NULL") or part == p))
        case _:
            return node


def _tagged(words: Iterable[str], tag: str) -> Node:
    return Row((*map(Word, words), Tag(tag)))


def _plain(ways: Iterable[Iterable[str]]) -> Node:
    rows = dict.fromkeys(tuple(Word(w) for w in way) for way in ways)
    return _choice([row[0] if len(row) == 1 else Row(row) for row in rows if row])


def _choice(options: Sequence[Node]) -> Node:
    return options[0] if len(options) == 1 else Choice(tuple(options), (1.0,) * len(options))


def _any(options: Sequence[Node]) -> Node | None:
    return _choice(options) if options else None
