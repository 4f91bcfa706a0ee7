"""A slow matcher that tries everything: no bounds, no pruning, no bit masks. It holds the fast search to its word.

It takes an analysed utterance and compiled phrases, and knows nothing of how they are searched: what places may take, what alignments cost,
and how much there is of each term of the evidence is worked out here anew, in the plainest way.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import product
from math import log2
from typing import Any

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.numbers import GUESSED, HOMOPHONE, ROUGH, widest
from glossa.hearing.roles import How, Role
from glossa.hearing.utterance import Utterance
from glossa.house.effects import FromSlot, Shift
from glossa.house.sorts import NumberValues, SwitchValues
from glossa.language import Language, plural
from glossa.matching.grammar import Grammar, Pattern, Place
from glossa.matching.meaning import meaning

GROUP, ROOM, PLAIN = 1, 5, 0.15
"""The ranks of a group and of a room, and the cost under which a name was named plainly."""

MOST_WORDS, MOST_DEVICES, MOST_VALUES = 4, 8, 10


@dataclass(frozen=True)
class Took:
    """What a place took: its tokens, where it starts and ends, its cost, its weight in the phrase, and what it stands for."""

    tokens: frozenset[int]
    start: int
    end: int
    cost: float
    weight: float
    value: Any = None
    spec: int = -1
    edges: tuple[Any, ...] = ()
    word: str = ""
    outside: bool = False


@dataclass
class Laid:
    """One way to lay a phrase over an utterance."""

    pattern: Pattern
    took: list[Took | None]
    cost: float = 0.0
    weight: float = 0.0
    amounts: dict[str, float] = field(default_factory=dict)
    slots: dict[str, Any] = field(default_factory=dict)
    missing: tuple[str, ...] = ()
    which: bool = False

    @property
    def score(self) -> float:
        return round(max(0.0, 1 - self.cost / self.weight), 9)


def every_way(utterance: Utterance, grammar: Grammar) -> list[Laid]:
    """Every way to lay every phrase, cheapest first."""
    ways = [laid for pattern in grammar.patterns for laid in lay(utterance, grammar, pattern)]
    return sorted(ways, key=lambda w: (w.cost, -w.score, w.pattern.number, [t.start if t else -1 for t in w.took]))


def lay(utterance: Utterance, grammar: Grammar, pattern: Pattern) -> Iterator[Laid]:
    options = [list(takes(utterance, grammar, pattern, place)) for place in pattern.places]
    if pattern.worded and not any(o for o, p in zip(options, pattern.places, strict=True) if p.words):
        return  # of a phrase with words of weight, one at least has to be heard
    lists = [[None] if place.small else [None, *some] for place, some in zip(pattern.places, options, strict=True)]
    for chosen in product(*lists):
        took = list(chosen)
        covered = [i for t in took if t is not None for i in t.tokens]
        if len(covered) == len(set(covered)) and specs_agree(grammar, pattern, took):
            for number, place in enumerate(pattern.places):
                if place.small:
                    took[number] = small_word(utterance, took, number, options[number])
            yield weighed(utterance, grammar, Laid(pattern, took))


def specs_agree(grammar: Grammar, pattern: Pattern, took: list[Took | None]) -> bool:
    """A value of a property has to be one of the device that is meant."""
    device = took[pattern.device_at] if pattern.device_at >= 0 else None
    first = (
        device.value[0][0]
        if device is not None
        else grammar.house.members(pattern.intent.device)[0]
        if pattern.intent.device
        else ""
    )
    for place, one in zip(pattern.places, took, strict=True):
        wanted = grammar.lexicon.spec_of.get((first, place.slot), -1)
        if (
            one is not None
            and place.slot
            and place.slot not in grammar.lexicon.slot_spec
            and wanted >= 0
            and one.spec >= 0
            and one.spec != wanted
        ):
            return False
    return True


def small_word(utterance: Utterance, took: list[Took | None], number: int, options: list[Took]) -> Took | None:
    """A small word is taken where it stands free, best between its neighbours."""
    covered = {i for t in took if t is not None for i in t.tokens}
    starts = {t.start for t in took if t is not None and t.tokens}
    free = [o for o in options if not o.tokens & covered and weight(utterance, o.tokens) - o.cost > 0]
    free = [o for o in free if not o.edges[0].how & How.SOUND or o.end in starts]
    before = max((t.end for t in took[:number] if t is not None), default=0)
    after = min((t.start for t in took[number + 1 :] if t is not None), default=len(utterance.words))
    return min(free, key=lambda o: (not before <= o.start < after, o.cost, o.start), default=None)


def weight(utterance: Utterance, tokens: frozenset[int] | set[int]) -> float:
    return sum(utterance.weights[i] for i in tokens)


# --- what a place may take ------------------------------------------------------------------------------------------


def takes(utterance: Utterance, grammar: Grammar, pattern: Pattern, place: Place) -> Iterator[Took]:
    if place.words:
        yield from words(utterance, grammar, place)
    elif place.slot == "device":
        yield from devices(utterance, grammar, pattern)
    else:
        lexicon = grammar.lexicon
        specs = [lexicon.slot_spec[place.slot]] if place.slot in lexicon.slot_spec else lexicon.specs_of.get(place.slot, [])
        for spec in specs:
            yield from values(utterance, grammar, spec)


def words(utterance: Utterance, grammar: Grammar, place: Place) -> list[Took]:
    best: dict[tuple[int, int], Took] = {}
    for edge in (e for edges in utterance.edges for e in edges if e.word in place.words):
        said = grammar.weigh(edge.word)
        took = Took(
            frozenset(range(edge.start, edge.end)), edge.start, edge.end, edge.cost * said, said, edges=(edge,), word=edge.word
        )
        if (edge.start, edge.end) not in best or took.cost < best[edge.start, edge.end].cost:
            best[edge.start, edge.end] = took
    return sorted(best.values(), key=lambda t: (t.cost - weight(utterance, t.tokens), t.start))[:MOST_WORDS]


def devices(utterance: Utterance, grammar: Grammar, pattern: Pattern) -> list[Took]:
    """What the expressions stand for; of the readings of the same words the first, and those that guess other words by sound."""
    house = grammar.house
    fitting = {d for d, device in house.devices.items() if all(p in device.properties for p in pattern.intent.properties)}
    spans: dict[frozenset[int], list[tuple[int, Took, bool]]] = {}
    unfit: list[frozenset[int]] = []
    for expression in utterance.expressions:
        meant = stands_for(expression.things, fitting, grammar)
        if meant is None and expression.things.rank <= GROUP and expression.cost < PLAIN:
            unfit.append(frozenset(i for i in range(len(utterance.words)) if expression.tokens >> i & 1))
        if meant is not None:
            tokens = frozenset(i for i in range(len(utterance.words)) if expression.tokens >> i & 1)
            counts = max(weight(utterance, tokens), COSTS.least)
            took = Took(
                tokens, expression.start, expression.end, round(expression.cost, 9), counts, meant[:2], edges=expression.used
            )
            spans.setdefault(tokens, []).append((expression.things.rank, took, meant[2]))
    kept: list[Took] = []
    for readings in spans.values():
        right = [r for r in readings if not r[2]] or readings
        least = min(t.cost for _, t, _ in right)
        first = min((r for r in right if r[1].cost <= least + COSTS.moved), key=lambda r: (r[0], r[1].cost))[1]
        others: dict[Any, Took] = {}
        for _, took, _ in right:
            if took.value != first.value and guesses(took) - guesses(first):
                if took.value not in others or took.cost < others[took.value].cost:
                    others[took.value] = took
        kept += [first, *others.values()]
    kept = [t for t in kept if not any(t.tokens < name for name in unfit)]

    def hidden(took: Took, other: Took) -> bool:
        most = took.cost + COSTS.outside if took.value != other.value else took.cost - COSTS.outside
        return took.tokens < other.tokens and other.cost <= most

    plain = [t for t in kept if not any(hidden(t, o) for o in kept)]
    return sorted(plain, key=lambda t: (t.cost - weight(utterance, t.tokens), t.start))[:MOST_DEVICES]


def guesses(took: Took) -> set[tuple[int, str]]:
    return {(e.start, e.word.removesuffix("s")) for e in took.edges if e.how & How.SOUND}


def stands_for(things: Any, fitting: set[str], grammar: Grammar) -> tuple[tuple[str, ...], bool, bool] | None:
    """The devices of an expression in the file's order, whether it asks which of them, and whether a wrong room was named."""
    every = list(grammar.house.devices)
    out = {d for i, d in enumerate(every) if things.excepted >> i & 1}
    held: set[str] = set()
    which: set[str] = set()
    wrong = any(r.wrong_room for r in things.references)
    for reference in things.references:
        named = {d for i, d in enumerate(every) if reference.devices >> i & 1} & fitting
        if reference.count and len(named) != reference.count:  # "both shutters" where there are three blinds
            named = {d for i, d in enumerate(every) if reference.called >> i & 1} & fitting
        if not named or (reference.count and len(named) != reference.count):
            return None
        if reference.many or len(named) == 1:
            held |= named
        elif which:
            return None
        else:
            which = named
    if which:
        left = which - held - out or which
        return (order(every, held | left), False, wrong) if len(left) == 1 else (order(every, left), True, wrong)
    return (order(every, held - out), False, wrong) if held - out else None


def order(every: list[str], some: set[str]) -> tuple[str, ...]:
    return tuple(d for d in every if d in some)


def guessed(utterance: Utterance, grammar: Grammar, quantity: Any) -> float:
    """What a number costs more that usually is an article or a preposition."""
    if quantity.cost < HOMOPHONE or utterance.words[quantity.start] not in grammar.lexicon.language.small:
        return 0.0
    return COSTS.article


def led_by_a_number(utterance: Utterance, grammar: Grammar, quantity: Any) -> list[Any]:
    """What a number is where its first word was a preposition: the "to forty" of "lamp two forty"."""
    language, words, start = grammar.lexicon.language, utterance.words, quantity.start
    scales = (*language.numbers.hundred, *language.numbers.scales)
    if start and words[start - 1] in language.grammar.absolute:
        return []
    if words[start] not in grammar.lexicon.numbers.like_prepositions or words[start + 1 : start + 2][:1] in [
        (s,) for s in scales
    ]:
        return []
    rest = [q for q in utterance.quantities if (q.start, q.end) == (start + 1, quantity.end)]
    return [q for q in rest if q.cost < HOMOPHONE]


def values(utterance: Utterance, grammar: Grammar, spec: int) -> list[Took]:
    about = grammar.lexicon.specs[spec]
    made: list[Took] = []

    def add(start: int, end: int, cost: float, value: Any, edges: tuple[Any, ...] = (), outside: bool = False) -> None:
        tokens = frozenset(range(start, end))
        made.append(
            Took(tokens, start, end, cost, max(weight(utterance, tokens), COSTS.least), value, spec, edges, outside=outside)
        )

    for span in (s for spans in utterance.spans for s in spans if s.entry.spec == spec):
        add(span.start, span.end, span.cost, span.entry.value, span.used)
    begun = {i for i, r in enumerate(utterance.roles) if r == Role.BROKEN}
    quantities = [q for q in utterance.quantities if q.cost < HOMOPHONE or q.start not in begun]
    numbers = [(q, q.cost + guessed(utterance, grammar, q)) for q in quantities]
    for quantity, cost in numbers if isinstance(about, NumberValues) else ():
        leads = cost >= HOMOPHONE and any(r.start == quantity.end and c < HOMOPHONE for r, c in numbers)
        inside = any(
            r.start <= quantity.start
            and quantity.end <= r.end
            and r.end - r.start > quantity.end - quantity.start
            and c < cost + ROUGH
            for r, c in numbers
        )
        if not leads and not inside:
            misfit = COSTS.unit if quantity.unit and quantity.unit != about.unit else 0.0
            value = quantity.value * 100 if quantity.share and about.unit == "percent" else quantity.value
            outside = not about.within(value)
            add(quantity.start, quantity.end, round(cost + misfit + (COSTS.outside if outside else 0), 9), value, outside=outside)
            for rest in led_by_a_number(utterance, grammar, quantity) if outside else ():
                cost = rest.cost + (COSTS.unit if rest.unit and rest.unit != about.unit else 0.0) + GUESSED
                if about.within(rest.value):
                    add(quantity.start, quantity.end, round(cost, 9), rest.value)
    if isinstance(about, SwitchValues):
        corrections = grammar.lexicon.language.phrases("grammar", "correction")
        passed = {*grammar.lexicon.language.grammar.absolute, *grammar.lexicon.articles}
        for a, b in [(a, b) for a in made for b in made if b.start > a.end]:
            if corrections.whole([w for w in utterance.words[a.end : b.start] if w not in passed]):
                add(a.start, b.end, b.cost + COSTS.apart, b.value, b.edges)
    return sorted(made, key=lambda t: (t.cost - weight(utterance, t.tokens), t.start, str(t.value)))[:MOST_VALUES]


# --- what an alignment costs ----------------------------------------------------------------------------------------


def weighed(utterance: Utterance, grammar: Grammar, laid: Laid) -> Laid:
    """The cost, the weight and the slots of a way to lay a phrase."""
    pattern, language = laid.pattern, grammar.lexicon.language
    cost, total = pattern.prior, sum(utterance.weights)
    covered = {i for t in laid.took if t is not None for i in t.tokens}
    said_with = {w for t in laid.took if t is not None and t.word for e in t.edges for w in e.also}
    towards = False
    for place, took in zip(pattern.places, laid.took, strict=True):
        if took is None:
            cost += 0.0 if said_with & set(place.words) else place.missing
            total += place.missing
            continue
        cost, total = cost + took.cost, total + took.weight
        if place.relation and isinstance(took.value, (int, float)):
            before, becomes = leading(utterance, took.start, language, held_by(laid)), place.relation == "to"
            cost += COSTS.misfit if before in (language.grammar.relative if becomes else language.grammar.absolute) else 0.0
            leads = pattern.moves or took.edges
            aimless = (leads if becomes else took.outside) and before in language.grammar.directions
            cost += COSTS.aimless if aimless else 0.0
            towards = towards or (place.relation == "to" and before in language.grammar.absolute)
    cost += COSTS.misfit * changed_places(laid)
    main = [(p, t) for p, t in zip(pattern.places, laid.took, strict=True) if t is not None and not p.small]
    starts = [t.start for p, t in main if not leads_to(utterance, grammar, p, t, main)]
    cost += COSTS.order * sum(b < a for a, b in zip(starts, starts[1:], strict=False))
    covered |= measured(utterance, grammar, laid, "to")
    changing = changed_by(utterance, grammar, laid)
    for at in changing:
        cost += COSTS.misfit if at in covered else COSTS.aimless + utterance.weights[at]
    for at in set(range(len(utterance.words))) - covered - changing:
        cost += left(utterance, grammar, laid, at, towards)
    laid.cost, laid.weight = round(cost, 9), round(total, 9)
    fill_slots(utterance, laid)
    return laid


def own_words(laid: Laid) -> set[int]:
    """The tokens that a phrase itself says."""
    return {t.start for t in laid.took if t is not None and t.word and t.edges[0].how == How.SAME}


def measured(utterance: Utterance, grammar: Grammar, laid: Laid, relation: str) -> set[int]:
    """The adjectives right behind numbers, which say what these measure: the "bright" of "forty percent bright"."""
    ends = {
        t.end
        for p, t in zip(laid.pattern.places, laid.took, strict=True)
        if p.relation == relation and t is not None and isinstance(t.value, (int, float)) and t.end < len(utterance.words)
    }
    return {e for e in ends - own_words(laid) if utterance.words[e] in grammar.lexicon.language.numbers.most}


def changed_by(utterance: Utterance, grammar: Grammar, laid: Laid) -> set[int]:
    """The last word that says of a value that it is an amount of change: the "up" of "up forty" and of "forty up"."""
    language, found = grammar.lexicon.language, -1
    own = own_words(laid)
    for place, took in zip(laid.pattern.places, laid.took, strict=True):
        if place.relation != "to" or took is None or took.edges or not isinstance(took.value, (int, float)):
            continue
        directions = () if laid.pattern.moves else language.grammar.directions
        if leading(utterance, took.start, language, held_by(laid)) in directions:
            before = max(i for i in range(took.start) if utterance.words[i] in directions)
            found = found if before in own else before
        behind = utterance.words[took.end] if took.end < len(utterance.words) else ""
        positions = language.grammar.directions if laid.pattern.moves else ()
        plain = behind not in positions and behind not in language.numbers.most
        if language.changes(behind) and plain and took.end not in own:
            found = took.end
    return ({found} - {-1}) | set(sorted(measured(utterance, grammar, laid, "by"))[:1])


def changed_places(laid: Laid) -> int:
    """How many numbers stand elsewhere than behind the word that leads to them, where another number stands there."""
    numbers = [t for t in laid.took if t is not None and not t.word and isinstance(t.value, (int, float))]
    pairs = zip(laid.took, laid.took[1:], strict=False)
    apart = [a.end for a, b in pairs if a is not None and a.word and b is not None and b in numbers and a.end != b.start]
    return sum(any(n.start == end for n in numbers) for end in apart)


def held_by(laid: Laid) -> set[int]:
    """The tokens of devices and values."""
    return {i for t in laid.took if t is not None and not t.word for i in t.tokens}


def leading(utterance: Utterance, start: int, language: Language, held: set[int]) -> str:
    absolute = language.grammar.absolute
    for at, word, role in reversed([*zip(range(start), utterance.words, utterance.roles, strict=False)]):
        meant = [a for a in absolute if a in language.alike.get(word, ())]
        if at in held and (role not in (Role.FILLER, Role.AMOUNT) or (meant and word not in absolute)):
            return word
        if meant and word not in absolute:
            return meant[0]
        if role not in (Role.FILLER, Role.AMOUNT):
            return word
    return ""


def apart(utterance: Utterance, laid: Laid, at: int) -> bool:
    """Whether a word is the verb of a separable one that was taken: the "shut" of "shut the lamp down"."""
    said_with = {w for t in laid.took if t is not None for e in t.edges for w in e.also}
    return utterance.roles[at] in (Role.VERB, Role.POLE, Role.WORD) and utterance.words[at] in said_with


def left(utterance: Utterance, grammar: Grammar, laid: Laid, at: int, towards: bool) -> float:
    language, word, role = grammar.lexicon.language, utterance.words[at], utterance.roles[at]
    cost = utterance.weights[at]
    if role == Role.POLE:
        heard = {e.word for t in laid.took if t is not None for e in t.edges} - {word}
        strange = word in laid.pattern.elsewhere
        most = 1 if strange else None
        redundant = any(p in language.poles[word][:most] for w in heard for p in language.poles.get(w, ())[:most])
        cost = WEIGHT[Role.VERB] if redundant or (towards and not strange and language.changes(word)) else cost
    if apart(utterance, laid, at):
        return WEIGHT[Role.FILLER]
    if word in laid.pattern.measures:
        return min(cost, WEIGHT[Role.SMALL])
    scaled = [i for i, p in enumerate(laid.pattern.places) if p.slot in laid.pattern.scaled]
    if role == Role.AMOUNT and not (laid.pattern.scaled and (not scaled or any(laid.took[i] is None for i in scaled))):
        return 0.5
    return cost


def fill_slots(utterance: Utterance, laid: Laid) -> None:
    intent = laid.pattern.intent
    missing = []
    for place, took in zip(laid.pattern.places, laid.took, strict=True):
        if place.slot and took is not None:
            laid.slots[place.slot] = took.value[0] if place.slot == "device" else took.value
            laid.which = laid.which or (place.slot == "device" and took.value[1])
        elif place.slot and place.slot not in intent.defaults:
            missing.append(place.slot)
    changed = {v.amount.slot for v in intent.change.values() if isinstance(v, Shift) and isinstance(v.amount, FromSlot)}
    said = utterance.times and not any(
        took is not None and utterance.times_at >> i & 1 for took in laid.took for i in (took.tokens if took else ())
    )
    if intent.change and said and not changed & set(laid.slots):
        laid.slots["times"] = utterance.times
    for name, value in intent.defaults.items():
        if name not in laid.slots and not ("times" in laid.slots and name in changed):
            laid.slots[name] = value
    laid.missing = tuple(missing)


def meanings(ways: list[Laid], grammar: Grammar) -> dict[Any, Laid]:
    """The cheapest way of every meaning, of ways that are sorted."""
    best: dict[Any, Laid] = {}
    for laid in ways:
        intent = laid.pattern.intent
        asks = laid.missing or laid.which
        what = (
            ("ask", intent.id, laid.missing, repr(sorted(laid.slots.items())))
            if asks
            else meaning(grammar.house, intent, laid.slots)
        )
        best.setdefault(what, laid)
    return best


# --- the evidence ---------------------------------------------------------------------------------------------------


def leads_to(utterance: Utterance, grammar: Grammar, place: Place, took: Took, taken: list[tuple[Place, Took]]) -> bool:
    """Whether an amount of change stands right before the word for its direction: "a degree warmer"."""
    light, poles = (Role.SMALL, Role.FILLER), grammar.lexicon.language.poles
    reworded = How.FORM | How.SYNONYM | How.TOWARD | How.REWRITTEN
    behind = next((i for i in range(took.end, len(utterance.roles)) if utterance.roles[i] not in light), -1)
    words = [t for _, t in taken if t.word and t.start == behind]
    return place.relation == "by" and any(t.edges[0].how & reworded or t.edges[0].word in poles for t in words)


def amounts(utterance: Utterance, grammar: Grammar, laid: Laid, lead: float) -> dict[str, float]:
    """How much there is of each term, as the table of terms says; of those that a small alphabet can make."""
    language, lexicon, pattern = grammar.lexicon.language, grammar.lexicon, laid.pattern
    taken = [(p, t) for p, t in zip(pattern.places, laid.took, strict=True) if t is not None]
    weighty = [(p, t) for p, t in taken if not p.small]
    covered = {i for _, t in taken for i in t.tokens} | measured(utterance, grammar, laid, "to")
    main = {i for _, t in weighty for i in t.tokens}
    changing = changed_by(utterance, grammar, laid)
    free = [i for i in range(len(utterance.words)) if i not in covered | changing]
    said_with = {w for _, t in taken for e in t.edges if t.word for w in e.also}
    unsaid = [p for p, t in zip(pattern.places, laid.took, strict=True) if t is None and p.missing]
    wanting = any(p.relation and p.slot not in pattern.intent.defaults for p in unsaid)
    begun = wanting and Role.BROKEN in utterance.roles
    count: dict[str, float] = {"start": 1, "misfit": 1 - laid.score, "lead": max(0.0, min(lead, 1.0))}

    def add(term: str, amount: float = 1) -> None:
        count[term] = count.get(term, 0) + amount

    def only_a_room(took: Took) -> bool:
        mask = sum(1 << i for i in took.tokens)
        return any(e.tokens == mask and e.things.rank == ROOM for e in utterance.expressions)

    in_a_room = any(p.slot == "device" and t.tokens and only_a_room(t) for p, t in taken)
    towards = any(
        p.relation == "to" and leading(utterance, t.start, language, held_by(laid)) in language.grammar.absolute
        for p, t in taken
        if isinstance(t.value, (int, float))
    )
    for at in free:
        role, word = utterance.roles[at], utterance.words[at]
        where = "before" if at < min(main, default=-1) else "behind" if at > max(main, default=-1) else "inside"
        if word in pattern.measures:
            add("about it")
            continue
        if apart(utterance, laid, at):
            continue
        if role == Role.POLE and left(utterance, grammar, laid, at, towards) == WEIGHT[Role.VERB]:
            role = Role.VERB
        if role == Role.SMALL and (word in lexicon.articles or (word in language.grammar.pronouns and in_a_room)):
            continue
        names = {Role.UNKNOWN: "unknown", Role.TALK: "talk", Role.WORD: "word", Role.POLE: "direction", Role.SMALL: "small"}
        prepositions = language.grammar.after_number_only
        led = at - 1
        while led >= 0 and utterance.words[led] in lexicon.articles:
            led -= 1
        add(
            "led by a direction",
            role in (Role.UNKNOWN, Role.WORD, Role.TALK) and led in covered and utterance.words[led] in prepositions,
        )
        if role in names and (role != Role.WORD or utterance.weights[at] >= 0.5):
            add(f"{names[role]} {where}")
        implied = role == Role.VERB and utterance.roles[at] == Role.POLE
        add("implied direction" if implied else "verb before" if where == "before" else "verb left", role == Role.VERB)
        add("broken off", role == Role.BROKEN and not begun)
        add("amount left", role == Role.AMOUNT and left(utterance, grammar, laid, at, towards) > 0.1)
    verbs = language.verbs | language.light
    for place in unsaid:
        if place.slot:
            add("default" if place.slot in pattern.intent.defaults else "missing")
        elif not place.small and not said_with & set(place.words):
            verb_heard = any(utterance.words[i] in verbs for i in covered)
            add(
                "unheard measure"
                if place.measure
                else "unheard direction"
                if place.missing > 1.2
                else "unheard word"
                if place.missing >= 0.5
                else "unheard verb",
                place.measure or not (place.missing < 0.5 and verb_heard),
            )
    for place, took in weighty:
        for edge in took.edges:
            add("sound", bool(edge.how & How.SOUND))
            add("sound distance", edge.cost if edge.how & How.SOUND else 0)
            add("taken by sound", bool(edge.how & How.SOUND and edge.how & How.TAKEN))
            add("split", bool(edge.how & How.SPLIT))
            names_of = (
                (How.REWRITTEN, "other words", 0.0),
                (How.TOWARD, "stands for", 0.0),
                (How.SYNONYM, "same meaning", 0.5),
                (How.FORM, "another form", 0.0),
            )
            name = next((n for bit, n, least in names_of if edge.how & bit and took.weight >= least), "")
            one = place.slot == "device" and len(took.value[0]) == 1
            heard = utterance.words[edge.start]
            if name == "another form" and one and (plural(heard, language) == edge.word or plural(edge.word, language) == heard):
                name = "one for many"
            add(name, bool(name))
        guessed = bool(took.edges) and all(e.how & How.SOUND for e in took.edges) and sum(e.cost for e in took.edges) >= 0.2
        if place.slot == "device":
            add("which", took.value[1])
            at = took.start - 1
            nouns = bool(took.edges) and all(e.word in lexicon.of_noun_word for e in took.edges)
            described = at > 0 and utterance.words[at - 1] in lexicon.articles
            strange = (Role.UNKNOWN, Role.TALK, Role.VERB) if described else (Role.UNKNOWN,)
            misheard = {
                i
                for t in laid.took
                if t is not None
                for e in t.edges
                if e.how & How.SOUND and e.cost >= 0.2
                for i in range(e.start, e.end)
            }
            add("named otherwise", nouns and at >= 0 and (at in free or at in misheard) and utterance.roles[at] in strange)
            end = len(utterance.words)
            after = next((i for i in range(took.end + 1, end) if utterance.roles[i] != Role.FILLER), end)
            strange_behind = took.end in free and (
                utterance.roles[took.end] == Role.UNKNOWN
                or (
                    utterance.roles[took.end] == Role.WORD
                    and utterance.weights[took.end] >= 0.5
                    and utterance.words[took.end] not in language.verbs | lexicon.ordering
                )
            )
            add("another noun", bool(took.edges) and strange_behind and after not in free)
            at_room = only_a_room(took)
            add("first words", took.cost - sum(e.cost for e in took.edges) > COSTS.first_words - 1e-6 and not at_room)
            add("unnamed thing", at_room and any(utterance.roles[i] == Role.UNKNOWN for i in free))
            sounding = sum(e.cost for e in took.edges if e.how & How.SOUND)
            others = [lexicon.of_noun_word.get(e.word, 0) for e in took.edges if not e.how & How.SOUND]
            mine = sum(1 << i for i, d in enumerate(grammar.house.devices) if d in took.value[0])
            alone = sounding >= 0.2 and all(mask and mask != mine for mask in others)
            add("guessed name", alone and len(took.edges) == 1)
            add("guessed which", sounding if alone and len(took.edges) > 1 else 0)
        elif place.slot and took.edges:
            add("guessed value", guessed)
        elif place.slot:
            cost = took.cost - (COSTS.outside if took.outside else 0)
            add("unit" if cost >= COSTS.unit else "homophone" if cost >= HOMOPHONE else "rough number", cost >= 0.1)
        if isinstance(took.value, (int, float)) and not took.edges:
            unknown = took.end < len(utterance.words) and took.end not in covered and utterance.roles[took.end] == Role.UNKNOWN
            device = next((t for p, t in taken if p.slot == "device"), None)
            led = took.start > 0 and utterance.words[took.start - 1] in language.grammar.absolute
            by_article = not led and utterance.words[took.end : took.end + 1] and utterance.words[took.end] in lexicon.articles
            before_devices = device is not None and device.start in ((took.end, took.end + 1) if by_article else (took.end,))
            same = any(q.unit and (q.start, q.end) == (took.start, took.end) for q in utterance.quantities)
            ending = any(q.unit and q.end == took.end for q in utterance.quantities)
            add("counts something", (unknown and not same) or (before_devices and not ending))
        if place.relation and isinstance(took.value, (int, float)):
            against = language.grammar.relative if place.relation == "to" else language.grammar.absolute
            add("preposition", leading(utterance, took.start, language, held_by(laid)) in against)
    add("preposition", changed_places(laid) + len(changing))
    reworded = How.FORM | How.SYNONYM | How.TOWARD | How.REWRITTEN
    for (_, first), (place, second) in zip(weighty, weighty[1:], strict=False):
        moved = any(
            t.edges[0].how & reworded if t.word else isinstance(t.value, tuple) and only_a_room(t) for t in (first, second)
        )
        inverted = second.start < first.start and not leads_to(utterance, grammar, place, second, weighty)
        add("another order" if moved else "order", inverted)
    for verb in ("verb before", "verb left"):
        both = min(count.get(verb, 0), count.get("unheard verb", 0))
        for term, more in (("another verb", both), (verb, -both), ("unheard verb", -both)):
            add(term, more)
    plain = [t for _, t in weighty if t.cost <= COSTS.form and t.weight >= 0.5]
    add("words heard", min(4, len(plain)))
    add("all unsure", not plain)
    heavy = [p for p in unsaid if not p.small and p.missing >= COSTS.missing_default]
    add(
        "only a name",
        bool(heavy and weighty) and not begun and all(p.slot == "device" or t.word in lexicon.named for p, t in weighty),
    )
    telling = [t for p, t in weighty if p.slot or 0.5 <= t.weight < 1.2]
    add("nothing named", bool(heavy) and not telling and pattern.measures.isdisjoint(utterance.words))
    passed = (Role.FILLER, Role.AMOUNT, Role.VERB, Role.SMALL)
    first = min(main, default=0)
    back = next((i for i in range(first, 0, -1) if utterance.beside.governed >> i & 1 or utterance.roles[i - 1] not in passed), 0)
    add("governed", bool(back and utterance.beside.governed >> back & 1 and not pattern.intent.read))
    numbers = [q for q in widest(utterance.quantities) if q.cost < HOMOPHONE]
    covered |= changing
    for quantity in numbers:
        if not covered & set(range(quantity.start, quantity.end)):
            where = (
                "before"
                if quantity.end <= min(covered, default=0)
                else "behind"
                if quantity.start > max(covered, default=-1)
                else "inside"
            )
            add(f"number {where}")
    unnamed = [t for p, t in taken if p.slot == "device" and not any(e.word in lexicon.named for e in t.edges)]
    words, inside = utterance.words, language.phrases("grammar", "inside").single
    for place in (t.end + 2 for t in unnamed if t.tokens and t.end + 2 < len(words)):  # "everything in the can"
        strange = utterance.roles[place] not in (Role.NUMBER, Role.POLE)
        led = words[place - 2] in inside and words[place - 1] in lexicon.articles
        add("foreign place", strange and led and {place - 2, place} <= set(free))
    if pattern.device_at >= 0:

        def says(span: range) -> bool:
            heavy = [utterance.weights[i] >= 0.5 for i in span]
            return any(heavy) and all(
                h or utterance.roles[i] in (Role.SMALL, Role.WORD) for h, i in zip(heavy, span, strict=True)
            )

        others = [e for e in utterance.expressions if e.cost < 0.15 and e.things.rank in (0, 1, 3)]
        add(
            "another device",
            any(not covered & {i for i in range(64) if e.tokens >> i & 1} and says(range(e.start, e.end)) for e in others),
        )
        rooms = [s for s in utterance.rooms() if s.cost < 0.15 and not covered & set(range(s.start, s.end))]
        add("another room", any(says(range(s.start, s.end)) for s in rooms))
    few = ("unknown before", "talk before", "small before")
    return {term: log2(1 + amount) if term in few else amount for term, amount in count.items() if term and amount}
