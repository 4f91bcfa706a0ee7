"""What will go wrong before anyone speaks: names and phrases that are confused, codes used twice, things out of reach."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import combinations, islice

from msgspec import Struct

from glossa.commands import act
from glossa.commands.wire import fill
from glossa.conversation.conversation import initial_state
from glossa.house.effects import FromSlot
from glossa.house.forms import SetWire, WaitWire
from glossa.house.model import House, Intent
from glossa.house.text import words
from glossa.house.values import Value
from glossa.language.phones import distance, letters, phones
from glossa.matching import Match, Matcher
from glossa.matching.grammar import Grammar
from glossa.matching.result import SlotValue
from glossa.matching.search import MOST_STEPS
from glossa.trials.candidates import candidates
from glossa.trials.danger import certain_dangers
from glossa.trials.languages import of_languages
from glossa.trials.modules import of_modules
from glossa.trials.sentences import own_sentences, samples, sentence_of
from glossa.trials.table import Row

TOO_NEAR = 0.21
"""Names whose telling words are nearer than this by sound are confused by recognisers."""

MANY_SEQUENCES = 100
"""From so many sequences on it is tried what a phrase costs."""
MOST_SENTENCES = 1000
"""Names and values that are tried; a house that is larger is tried in part."""

Words = tuple[str, ...]


class Finding(Struct, frozen=True, order=True):
    """One thing that is likely to go wrong.

    Attributes:
        name: the sort of finding.
        place: the dotted key in the house file.
        what: what was found.
        why: why it matters.
        instead: what to write instead.
    """

    place: str
    name: str
    what: str
    why: str
    instead: str


def findings(house: House, matcher: Matcher | None = None, rows: Iterable[Row] | None = None) -> list[Finding]:
    """Everything that is likely to go wrong with a house, in the order of the places.

    Args:
        house: a checked house.
        matcher: a matcher of the same house.
        rows: the rows of its test tables; without them coverage is not looked at.
    """
    matcher = matcher or Matcher(house)
    found: dict[Finding, None] = {}
    for tag in house.languages:
        grammar = matcher.grammar(tag)
        for finding in (
            *_near_names(house, tag),
            *_near_phrases(house, tag),
            *_near_values(house, tag),
            *_homophones(house, grammar),
            *_opposites(house, grammar),
        ):
            found[finding] = None
        for finding in (*_rivals(house, matcher, tag), *_not_itself(house, matcher, tag), *_costly(house, matcher, tag)):
            found[finding] = None
        told = " ".join(f.what for f in found if f.name == "sound alike")
        found.update(dict.fromkeys(Finding(*one) for one in certain_dangers(house, matcher, tag, told)))
    found.update(dict.fromkeys(Finding(*told) for told in (*of_modules(matcher, apart_by_sound), *of_languages(house))))
    found.update(dict.fromkeys((*_codes(house), *_unreached(house), *_unreported(house), *_wake_phrases(house, matcher))))
    if rows is not None:
        found.update(dict.fromkeys(_uncovered(house, rows, matcher)))
    return sorted(found)


def apart_by_sound(one: Words, other: Words, tag: str) -> float:
    """How far two runs of words are apart by sound and letters, 0 to 1."""
    by_sound = distance(tuple(p for w in one for p in phones(w, tag)), tuple(p for w in other for p in phones(w, tag)))
    by_letter = distance(letters("".join(one)), letters("".join(other)))
    return 0.8 * min(by_sound, by_letter) + 0.2 * max(by_sound, by_letter)


def telling_words(one: Words, other: Words) -> tuple[Words, Words]:
    """What is left of two names when the words that they share are taken away."""
    return tuple(w for w in one if w not in other), tuple(w for w in other if w not in one)


def _unreported(house: House) -> Iterator[Finding]:
    """Properties that are read or changed by an amount, on wires that could report them and do not."""
    only = next(iter(house.links))
    silent: dict[tuple[str, str], list[str]] = {}
    for intent in house.intents.values():
        for name in (*intent.change, *((intent.read,) if intent.read else ())):
            for key in house.members(intent.device) if intent.device else house.devices:
                device = house.devices[key]
                prop = device.properties.get(name)
                if prop is not None and prop.state is None and house.links[device.link or only].type in ("mqtt", "serial"):
                    place = f"kinds.{device.kind}" if device.kind else f"devices.{key}"
                    silent.setdefault((place, name), []).append(key)
    for (place, name), keys in silent.items():
        ids = list(dict.fromkeys(keys))
        more = f" and {len(ids) - 3} more" if len(ids) > 3 else ""
        yield Finding(
            f"{place}.properties.{name}",
            "unreported",
            f"nothing reports the {name} of {', '.join(ids[:3])}{more}, and it is changed by amounts or asked for",
            "live it is unknown until a command has set it, and the house says so instead",
            f'write where it is reported, as in: state = {{ topic = "$house/$id/{name}" }}',
        )


def _spoken(house: House, tag: str) -> Iterator[tuple[str, str, Words]]:
    """(section, id, name) of every device and group in a language."""
    for section, items in (("devices", house.devices), ("groups", house.groups)):
        for key, item in items.items():
            for way in (*item.names.get(tag, ()), *item.names.get("", ())):
                yield section, key, way


def _near_names(house: House, tag: str) -> Iterator[Finding]:
    names = list(_spoken(house, tag))
    for at, beside in candidates([way for _, _, way in names], tag):
        (section, one, mine), (_, other, theirs) = names[at], names[beside]
        if one == other or _together(house, one, other):
            continue
        left, right = telling_words(mine, theirs)
        if not left or not right or len(left) != len(right):
            continue
        apart = apart_by_sound(left, right, tag)
        if 0 < apart < TOO_NEAR:
            yield Finding(
                f"{section}.{one}.names",
                "sound alike",
                f"“{' '.join(mine)}” and “{' '.join(theirs)}” ({other}) differ only in “{' '.join(left)}” and “{' '.join(right)}”",
                "a recogniser writes one for the other, and the wrong one answers",
                "give one of them a name that starts or ends with another sound",
            )


def _near_phrases(house: House, tag: str) -> Iterator[Finding]:
    said = [(intent.id, tuple(s.split())) for intent in house.intents.values() for s in samples(house, intent, tag)]
    for at, beside in candidates([words_ for _, words_ in said], tag):
        (one, mine), (other, theirs) = said[at], said[beside]
        left, right = telling_words(mine, theirs)
        if one != other and left and len(left) == len(right) and 0 < apart_by_sound(left, right, tag) < TOO_NEAR:
            yield Finding(
                f"intents.{one}.phrases",
                "sound alike",
                f"“{' '.join(mine)}” and “{' '.join(theirs)}” ({other}) differ only in “{' '.join(left)}” and “{' '.join(right)}”",
                "a recogniser writes one for the other, and the wrong thing is done",
                "use another word in one of the two phrases",
            )


def _together(house: House, one: str, other: str) -> bool:
    """Whether one is a group that holds the other."""
    return any(a in house.groups and b in house.groups[a].members for a, b in ((one, other), (other, one)))


def _near_values(house: House, tag: str) -> Iterator[Finding]:
    specs = [(f"slots.{name}", values) for name, values in house.slots.items()]
    specs += [(f"devices.{d.id}.properties.{p.name}", p.values) for d in house.devices.values() for p in d.properties.values()]
    seen: set[str] = set()
    for place, values in specs:
        key = repr(values)
        if key in seen:
            continue
        seen.add(key)
        spoken: list[tuple[Value, Words]] = [(v, (v,)) for v in values.choices]
        for value, texts in values.spoken.items():
            spoken += [(value, tuple(t.lower().split())) for t in (*texts.get(tag, ()), *texts.get("", ()))]
        spoken += [(v, tuple(n.split())) for key in (tag, "") for n, v in values.named.get(key, {}).items()]
        for (one, mine), (other, theirs) in combinations(spoken, 2):
            left, right = telling_words(mine, theirs)
            if (
                one != other
                and left
                and right
                and apart_by_sound(left, right, tag) < TOO_NEAR
                and {mine, theirs} != {("on",), ("off",)}
            ):
                yield Finding(
                    place,
                    "values sound alike",
                    f"“{' '.join(mine)}” ({one}) and “{' '.join(theirs)}” ({other})",
                    "one is written for the other",
                    "use another spoken form for one of them",
                )
        wires: dict[str, str] = {}
        for value, wire in values.choices.items():
            if wires.setdefault(wire, value) != value:
                yield Finding(
                    f"{place}.values",
                    "code used twice",
                    f"{wires[wire]} and {value} both send {wire}",
                    "one of the two does what the other should",
                    "give each value its own wire value",
                )


def _homophones(house: House, grammar: Grammar) -> Iterator[Finding]:
    language = grammar.lexicon.language
    numbers = language.numbers
    lexicon = grammar.lexicon
    known = {(key, way) for _, key, way in _spoken(house, grammar.tag)}
    for section, key, way in _spoken(house, grammar.tag):
        if section == "devices" and way in lexicon.texts(house.devices[key].also_heard):
            continue
        for word in way:
            other = ""
            if word in numbers.homophones and word not in language.small:
                other = next((n for n, v in numbers.ones.items() if v == numbers.homophones[word]), "")
            elif word in numbers.ones:
                other = next((h for h, v in numbers.homophones.items() if v == numbers.ones[word] and len(h) > 1), "")
            written = tuple(other if w == word else w for w in way)
            if other and (key, written) not in known and not _covered(house, word, other):
                yield Finding(
                    f"{section}.{key}.names",
                    "written otherwise",
                    f"“{word}” in “{' '.join(way)}” is likely to be written “{other}”",
                    "the recogniser's spelling is no name of the house",
                    f'add "{" ".join(written)}" to {"also_heard" if section == "devices" else "the names"}, or call it otherwise',
                )


def _covered(house: House, word: str, other: str) -> bool:
    """Whether the household's own words say already that one is written for the other."""
    groups = [g for gs in house.words.same.values() for g in gs]
    return other in house.words.sounds or any(any(word in f for f in g) and any(other in f for f in g) for g in groups)


def _opposites(house: House, grammar: Grammar) -> Iterator[Finding]:
    """Phrases of one intent that mean opposite things, where nothing in the intent tells them apart."""
    language = grammar.lexicon.language
    for intent in house.intents.values():
        phrases = [
            (p.text, {w for s in p.sequences for q in s.positions for w in q.words}) for p in intent.phrases_in(grammar.tag)
        ]
        for (one, mine), (other, theirs) in combinations(phrases, 2):
            for a in sorted(mine - theirs):
                for b in sorted(theirs - mine):
                    if language.opposite(a, b) and _alike_but_for(one, other, a, b):
                        yield Finding(
                            f"intents.{intent.id}.phrases",
                            "opposites together",
                            f"“{one}” and “{other}” say “{a}” and “{b}” and do the same",
                            "whoever says one gets what the other should do",
                            "move one of them to an intent of its own",
                        )


def _alike_but_for(one: str, other: str, a: str, b: str) -> bool:
    left, right = set(words(one)) - {a}, set(words(other)) - {b}
    return not left or not right or len(left & right) >= min(len(left), len(right)) * 0.5


def _rivals(house: House, matcher: Matcher, tag: str) -> Iterator[Finding]:
    """Phrases that another intent wins, or comes too near to."""
    for intent in house.intents.values():
        mode = intent.modes[0] if intent.modes else ""
        for sample in samples(house, intent, tag):
            match = matcher.match(sample, tag, mode)
            best = match.best
            if best is None:
                continue
            place = f"intents.{intent.id}.phrases"
            if best.intent != intent.id and not _same(match, intent):
                yield Finding(
                    place,
                    "never wins",
                    f"“{sample}” is taken for {best.intent} (“{best.phrase}”)",
                    "the intent can't be reached with this phrase",
                    f"change one of the two phrases, or drop it from {intent.id}",
                )
            elif best.intent == intent.id and match.reason == "lead" and match.lead:  # at 0 the other one never wins
                rival = next((r for r in match.readings[1:] if r.intent != intent.id and not r.missing), None)
                if rival is not None:
                    yield Finding(
                        place,
                        "too near",
                        f"“{sample}” is only {match.lead:.2f} words ahead of {rival.intent} (“{rival.phrase}”)",
                        "the house will ask back every time",
                        "add a word that tells the two apart",
                    )


def _costly(house: House, matcher: Matcher, tag: str) -> Iterator[Finding]:
    """Phrases that stand for so many sequences that a line can't be laid over all of them."""
    for intent in house.intents.values():
        for phrase in intent.phrases_in(tag):
            if len(phrase.sequences) < MANY_SEQUENCES:
                continue
            middle = sorted(phrase.sequences, key=lambda s: len(s.positions))[len(phrase.sequences) // 2]
            said = matcher.understand(sentence_of(house, intent, middle, tag), tag)
            if said.steps > MOST_STEPS / 2:
                share = "more than the search has" if not said.ended else f"{said.steps / MOST_STEPS:.0%} of what the search has"
                yield Finding(
                    f"intents.{intent.id}.phrases",
                    "costs too much",
                    f"“{phrase.text}” stands for {len(phrase.sequences)} sequences; a line with its words takes {share}",
                    "longer lines with these words are not understood",
                    "repeat fewer words, or write the phrases that are really said",
                )


def _not_itself(house: House, matcher: Matcher, tag: str) -> Iterator[Finding]:
    """Names and values of the house that are taken for something else, or for nothing."""
    shared = {way for way, n in Counter(way for _, _, way in _spoken(house, tag)).items() if n > 1}
    for sentence in islice(own_sentences(house, tag), MOST_SENTENCES):
        if not sentence.slot or tuple(sentence.about.split()) in shared:
            continue  # a phrase that another one wins is told otherwise; a shared name is a question
        intent = house.intents[sentence.intent]
        match = matcher.match(sentence.text, tag, intent.modes[0] if intent.modes else "")
        mine = (
            r for r in match.readings if r.intent == intent.id or (match.best is not None and r.meaning == match.best.meaning)
        )
        first = next(mine, None)
        if match.outcome == "reject" or first is None or not _holds(first.slots.get(sentence.slot), sentence.value):
            best = match.best if match.outcome != "reject" else None
            taken = best.slots.get(sentence.slot) if best is not None else None
            yield Finding(
                sentence.place,
                "not understood as itself",
                f"“{sentence.about}” in “{sentence.text}” is taken for {'nothing' if taken is None else _written(taken)}",
                "whoever says it gets something else, or nothing",
                "call it otherwise, or change the phrase around it",
            )


def _holds(got: SlotValue | None, wanted: SlotValue | None) -> bool:
    return set(got) == set(wanted) if isinstance(got, tuple) and isinstance(wanted, tuple) else got == wanted


def _written(value: SlotValue) -> str:
    return ", ".join(value) if isinstance(value, tuple) else str(value)


def _same(match: Match, intent: Intent) -> bool:
    """Whether the winner does the same as the intent that was meant."""
    best = match.best
    return best is not None and any(r.intent == intent.id and r.meaning == best.meaning for r in match.readings)


def _codes(house: House) -> Iterator[Finding]:
    """The same command for different things: the eighth copy with the wrong pin."""
    state = initial_state(house)
    seen: dict[str, tuple[str, str]] = {}
    told: set[tuple[str, str]] = set()  # two devices on one wire are one mistake, whatever they send
    for device in house.devices.values():
        for prop in device.properties.values():
            values = prop.values
            for value in values.examples() if prop.command else ():
                intent = Intent("probe", {}, set={prop.name: FromSlot("probe")})
                action = act(house, intent, {"device": (device.id,), "probe": value}, state)
                line = " ; ".join(str(c) for c in action.commands)
                what = f"{device.id} {prop.name}" + (f" {value}" if values.choices else "")
                owner, first = seen.setdefault(line, (device.id, what))
                if line and first != what and owner != device.id and (owner, device.id) not in told:
                    told.add((owner, device.id))
                    yield Finding(
                        f"devices.{device.id}",
                        "code used twice",
                        f"{what} sends {line}, as {first} does",
                        "saying one moves the other",
                        "give each device its own topic, pin or code",
                    )
    steps: dict[str, str] = {}
    for intent in house.intents.values():
        wires = [w for w in intent.steps if not isinstance(w, (WaitWire, SetWire))]
        for wire in wires if len(intent.steps) == 1 else ():
            if set(wire.names) - {"house"}:
                continue
            line = str(fill(wire, {"house": house.id}, house))
            other = steps.setdefault(line, intent.id)
            if other != intent.id:
                yield Finding(
                    f"intents.{intent.id}.steps",
                    "code used twice",
                    f"sends {' '.join(line.split())}, as {other} does",
                    "two different phrases do the same",
                    "give one of them its own code, or make both phrases of one intent",
                )


def _unreached(house: House) -> Iterator[Finding]:
    """Devices that no intent sets, changes, reads or names."""
    named = {d for i in house.intents.values() if i.device for d in house.members(i.device)}
    named |= {
        d
        for i in house.intents.values()
        for s in i.steps
        if isinstance(s, SetWire) and not s.device.startswith("$")
        for d in house.members(s.device)
    }
    general = [i for i in house.intents.values() if not i.device]
    for device in house.devices.values():
        reached = any(
            (i.properties and all(p in device.properties for p in i.properties)) or (i.steps and _holds_device(i))
            for i in general
        )
        if not reached and device.id not in named:
            yield Finding(
                f"devices.{device.id}",
                "out of reach",
                f"no phrase reaches {device.id}",
                "it can't be spoken to",
                f"write an intent that sets one of: {', '.join(device.properties) or 'its properties (it has none)'}",
            )


def _holds_device(intent: Intent) -> bool:
    return any(
        p.slot == "device" for ps in intent.phrases.values() for phrase in ps for s in phrase.sequences for p in s.positions
    )


def _wake_phrases(house: House, matcher: Matcher) -> Iterator[Finding]:
    """Wake words that are phrases of the house too."""
    if house.wake is None:
        return
    for language, ways in house.wake.words.items():
        for way in ways:
            match = matcher.match(" ".join(way), language)
            if match.best is not None and match.score >= 0.8:
                yield Finding(
                    "wake.words",
                    "wake word is a phrase",
                    f"“{' '.join(way)}” is taken for {match.best.intent} too",
                    "a command would wake the house, and waking it would give a command",
                    "choose a wake word that no phrase holds",
                )


def _uncovered(house: House, rows: Iterable[Row], matcher: Matcher) -> Iterator[Finding]:
    """Intents that no row of the tables expects, or, where rows leave the intent blank, is taken for."""
    covered = set()
    for row in rows:
        if row.intent:
            covered.update(row.intent.split("+"))
        elif not {"reject", "asleep"} & set(row.outcomes):
            match = matcher.match(row.utterance, row.language, row.mode)
            covered.update(r.intent for m in (match, *match.parts) if (r := m.best) is not None)
    for intent in house.intents.values():
        if intent.id not in covered:
            yield Finding(
                f"intents.{intent.id}",
                "not tested",
                f"no test row has the intent {intent.id}",
                "a change can break it unseen",
                "add a row with what people say for it",
            )
