"""The decision about a best reading: guards, thresholds, questions."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from glossa.hearing.counting import HOMOPHONE, twins
from glossa.hearing.heard import CONTENT, LIGHT, POLE, Heard, told_form
from glossa.hearing.language import load_language
from glossa.house.model import House, Intent
from glossa.house.values import tidy
from glossa.house.wires import placeholders
from glossa.matching.grammar import Grammar
from glossa.matching.meaning import slot_or, targets
from glossa.matching.result import Outcome, Reading
from glossa.matching.search import Leaf

MENTION = 0.34
"""Where more than this share of an utterance is unexplained, the house was merely mentioned."""

INCOMPLETE = 0.4
"""Where more than this share of a phrase was not said, it was not meant."""

BARRED = ("negation", "opposite", "mentioned", "question", "another place", "another word", "incomplete", "later")
"""Guards after which nothing is done; the others only make the house ask back."""


class Guard(Struct, frozen=True):
    """A guard that fired, and the words that made it."""

    name: str
    words: str = ""


def guards(heard: Heard, leaf: Leaf, grammar: Grammar) -> list[Guard]:
    """The guards that fire on one way to lay a phrase over an utterance."""
    found: list[Guard] = []
    left = [i for i in range(len(heard.words)) if not leaf.covered >> i & 1]
    kinds, words = heard.kinds, heard.words
    corrected = _correction_words(heard, leaf)
    negations = [words[i] for i in left if kinds[i] == "negation" and i not in corrected]
    if negations:
        found.append(Guard("negation", " ".join(negations)))
    if leaf.pattern.garbage:  # anything at all may stand beside such a phrase, but for a negation
        return found
    opposite = _opposites(heard, leaf, left, grammar)
    if opposite:
        found.append(Guard("opposite", opposite))
    first = next((i for i, k in enumerate(kinds) if k not in ("filler", "small", "twice")), None)
    if first is not None and first in left and words[first] in grammar.lexicon.language.question:
        found.append(Guard("question", words[first]))
    talk = [words[i] for i in left if kinds[i] == "talk"]
    talk += _told(heard, leaf, grammar)
    if talk:
        found.append(Guard("mentioned", " ".join(talk)))
    elif heard.times_at in left and not leaf.pattern.intent.change:
        found.append(Guard("mentioned", "a multiple"))
    else:
        unexplained = [
            i
            for i in left
            if words[i] not in leaf.pattern.measures and kinds[i] in ("unknown", "content", "number", "light", "pole")
        ]
        total = sum(heard.weights)
        share = sum(heard.weights[i] for i in unexplained) / total if total else 0.0
        if share > MENTION and any(kinds[i] in ("unknown", "content", "pole", "number") for i in unexplained):
            found.append(Guard("mentioned", " ".join(words[i] for i in unexplained)))
    incomplete = _incomplete(leaf, words, grammar.lexicon.language.question, grammar.lexicon.name_words)
    if incomplete:
        found.append(Guard("incomplete", incomplete))
    swapped = _swapped(heard, leaf, left)
    if swapped:
        found.append(Guard("another word", swapped))
    places = _places(heard, left, grammar)
    if places:
        found.append(Guard("another place", places))
    free = set(left)
    inside = grammar.lexicon.language.phrases("grammar", "inside")
    for quantity in heard.quantities:
        if quantity.cost < HOMOPHONE and all(i in free for i in range(quantity.start, quantity.end)):
            before = heard.words[max(0, quantity.start - 1) : quantity.start]
            if quantity.unit == "seconds" and before and inside.whole(before):
                found.append(Guard("later", " ".join(words[quantity.start - 1 : quantity.end])))
            found.append(Guard("unexplained number", " ".join(words[quantity.start : quantity.end])))
    found += _other_things(heard, leaf, free)
    value = _other_value(heard, free)
    if value:
        found.append(Guard("another value", value))
    return found


def _correction_words(heard: Heard, leaf: Leaf) -> set[int]:
    """Tokens inside a corrected value explain themselves: the "no" of "fifty no sixty" is covered by the value."""
    return {i for i in range(len(heard.words)) if leaf.covered >> i & 1}


def _said_words(leaf: Leaf) -> set[str]:
    """The words of the phrase and of the values that were matched or left out."""
    said: set[str] = set()
    for element, option in zip(leaf.pattern.elements, leaf.chosen, strict=True):
        if option is not None and option.step is not None:
            said.add(option.step.word)
        elif option is not None and option.candidate is not None:
            if element.slot != "device":
                said.update(option.candidate.said)
        elif element.words and element.missing:
            said.update(element.words)
    return said


def _opposites(heard: Heard, leaf: Leaf, left: Sequence[int], grammar: Grammar) -> str:
    """A word that nothing explains and that means the opposite of a word of the phrase, of a value, or of a device's name."""
    language = grammar.lexicon.language
    said = _said_words(leaf)
    devices: set[str] = set()
    for element, option in zip(leaf.pattern.elements, leaf.chosen, strict=True):
        if element.slot == "device" and option is not None and option.candidate is not None:
            devices.update(option.candidate.said)
    for at in left:
        if heard.kinds[at] not in ("pole", "content", "talk", "twice", "light"):
            continue
        word = heard.words[at]
        for other in (*sorted(said), *sorted(devices)):
            if language.opposite(word, other):
                return f"{word} / {other}"
    for a in left:
        for b in left:
            if a < b and heard.kinds[a] == heard.kinds[b] == "pole" and language.opposite(heard.words[a], heard.words[b]):
                return f"{heard.words[a]} / {heard.words[b]}"
    return ""


def _told(heard: Heard, leaf: Leaf, grammar: Grammar) -> list[str]:
    """Verbs of the phrase that were heard in a form that tells: "turned on the lamp". After "get" or "want" they order."""
    verbs = grammar.lexicon.language.verbs
    frame = any(
        k == "filler" and w in ("want", "like", "have", "get", "mind", "need", "about")
        for k, w in zip(heard.kinds, heard.words, strict=True)
    )
    if frame or any(w in ("have", "get") for w in heard.words):
        return []
    found = []
    for option in leaf.chosen:
        if option is not None and option.candidate is not None:  # a telling verb is no misheard name
            guessed = [s.start for s in option.candidate.steps if "sounds like" in s.why]
            found += [heard.words[i] for i in guessed if heard.kinds[i] == "talk" and told_form(heard.words[i], verbs)]
        if option is not None and option.step is not None and option.end - option.start == 1:
            word = heard.words[option.start]
            telling = told_form(word, verbs) or heard.kinds[option.start] == "talk"
            if (
                word != option.step.word
                and "sounds like" not in option.step.why
                and telling
                and word not in grammar.lexicon.vocabulary.words
            ):
                found.append(word)
    return found


def _incomplete(leaf: Leaf, heard: Sequence[str], question: frozenset[str], names: frozenset[str]) -> str:
    """The words of a phrase that were not heard, where they are too much of it: "off" alone is not "kettle off"."""
    missing = [e for e, o in zip(leaf.pattern.elements, leaf.chosen, strict=True) if o is None and e.words and e.missing >= 1]
    for element in missing:
        if all(w in question for w in element.words):
            return element.words[0]
    unsaid = [e for e, o in zip(leaf.pattern.elements, leaf.chosen, strict=True) if o is None and e.words and e.missing >= LIGHT]
    matched = [o for e, o in zip(leaf.pattern.elements, leaf.chosen, strict=True) if o is not None and not e.small]
    if unsaid and matched and all(o.step is not None and o.step.word in names for o in matched):
        return unsaid[0].words[0]  # nothing was said but the name of a thing
    named = not leaf.pattern.measures.isdisjoint(heard)
    if matched and not named and all(o.step is not None and o.step.why == "stands for" for o in matched):
        return str(matched[0].step and matched[0].step.word)  # "more" alone is not "warmer"
    telling = [o for o in matched if o.step is None or CONTENT <= o.weight < POLE]
    if missing and not telling and not named:
        return missing[0].words[0]  # "turn on" alone is not "put the kettle on"
    lost = sum(e.missing for e in missing)
    held = sum(abs(o.weight) for o in leaf.chosen if o is not None)
    return missing[0].words[0] if missing and lost > INCOMPLETE * (lost + held) else ""


def _swapped(heard: Heard, leaf: Leaf, left: Sequence[int]) -> str:
    """A word of weight that the phrase wants was not heard, and one that nothing explains was heard instead."""
    wanted = [e for e, o in zip(leaf.pattern.elements, leaf.chosen, strict=True) if o is None and e.words and e.missing >= 1]
    instead = [
        heard.words[i]
        for i in left
        if heard.words[i] not in leaf.pattern.measures and heard.kinds[i] in ("unknown", "content", "pole")
    ]
    free = [o.start for o in leaf.chosen if o is not None and o.candidate is not None and o.candidate.why == "words"]
    if wanted and free:  # free words fit anything, so the phrase around them has to be heard whole
        instead = instead or [heard.words[free[0]]]
    return f"{' '.join(instead)} / {wanted[0].words[0]}" if wanted and instead else ""


def _places(heard: Heard, left: Sequence[int], grammar: Grammar) -> str:
    """A room that this house doesn't have."""
    places = grammar.lexicon.language.phrases("grammar", "places")
    known = grammar.lexicon.vocabulary.words
    free = set(left)
    for at in left:
        length = places.at(heard.words, at) if heard.words[at] not in known else 0
        if (
            length
            and all(i in free for i in range(at, at + length))
            and all(heard.kinds[i] != "filler" for i in range(at, at + length))
        ):
            return " ".join(heard.words[at : at + length])
    return ""


def _other_value(heard: Heard, free: set[int]) -> str:
    """A value such as "on" that was said and that the reading leaves alone: "turn the lamp on at seven"."""
    for atoms in heard.atoms:
        for atom in atoms:
            entry = atom.entry
            choice = entry.kind == "value" and isinstance(entry.value, str)
            places = range(atom.start, atom.end)
            if choice and not atom.cost and all(i in free and heard.kinds[i] in ("pole", "content") for i in places):
                return " ".join(heard.words[atom.start : atom.end])
    return ""


def _other_things(heard: Heard, leaf: Leaf, free: set[int]) -> list[Guard]:
    """Devices or rooms that were named and that the reading leaves alone."""
    uses_device = any(e.slot == "device" for e in leaf.pattern.elements) or bool(leaf.pattern.intent.device)
    found: list[Guard] = []
    if not uses_device:
        return found
    for expression in heard.expressions:
        if expression.rank <= 3 and expression.cost < 0.15 and all(i in free for i in range(expression.start, expression.end)):
            if all(heard.kinds[i] != "twice" and heard.weights[i] >= 0.5 for i in range(expression.start, expression.end)):
                found.append(Guard("another device", " ".join(heard.words[expression.start : expression.end])))
                break
    if not found:
        named = [heard.words[i] for i in sorted(free) if heard.kinds[i] == "content" and heard.weights[i] >= 0.5]
        other = [w for w in named if w in heard.lexicon.name_words and w not in leaf.pattern.measures]
        found += [Guard("another device", " ".join(other))] if other else []
    for room in heard.rooms():
        places = range(room.start, room.end)
        if room.cost < 0.15 and all(i in free and heard.kinds[i] != "twice" for i in places):
            found.append(Guard("another room", " ".join(heard.words[room.start : room.end])))
            break
    return found


def out_of_range(house: House, intent: Intent, reading: Reading) -> tuple[str, ...]:
    """The slots whose value one of the devices that it is for does not take."""
    found = list(reading.outside)
    for name, value in intent.set.items():
        used = placeholders(value)
        number = slot_or(value, reading.slots)
        if not used or isinstance(number, (str, tuple)) or number is None or used[0] in found:
            continue
        for device in targets(house, intent, reading.slots):
            prop = house.devices[device].properties.get(name)
            if prop is not None and prop.values.outside == "refuse" and not prop.values.within(number):
                found.append(used[0])
                break
    return tuple(found)


def doubtful(house: House, intent: Intent, reading: Reading) -> str:
    """A number that has to be read back because one that sounds like it lies in range too: ``"13 or 30"``, else ``""``."""
    language = load_language(reading.language)
    for slot, value in reading.slots.items():
        if not isinstance(value, (int, float)) or slot not in reading.said:
            continue
        owners = [
            house.devices[d].properties[slot].values
            for d in targets(house, intent, reading.slots)
            if slot in house.devices[d].properties
        ]
        for values in [house.slots[slot]] if slot in house.slots else owners[:1]:
            low, high = values.limits()
            span = high - low
            for twin in twins(value / values.factor, language) if values.doubt else ():
                other = twin * values.factor
                if low <= other <= high and (span == float("inf") or abs(other - value) > values.doubt_share * span):
                    return f"{tidy(value)} or {tidy(other)}"
    return ""


def decide(
    house: House, intent: Intent, reading: Reading, fired: Sequence[Guard], margin: float, *, live: bool, confirmed: bool = False
) -> tuple[Outcome, str, str]:
    """The outcome of a best reading, the reason and its detail.

    Args:
        house: the house.
        intent: the reading's intent.
        reading: the best reading.
        fired: its guards.
        margin: its lead over the next meaning, 0 to 1.
        live: whether the intent counts in the mode that the house is in.
        confirmed: whether the house has asked back already.
    """
    limits = intent.matching
    if reading.score < limits.confirm:
        return Outcome.REJECT, "score", f"{reading.score:.2f} is under {limits.confirm:.2f}"
    for guard in fired:
        if guard.name in BARRED:
            return Outcome.REJECT, guard.name, guard.words
    if not live:
        return Outcome.REJECT, "mode", intent.modes[0] if intent.modes else ""
    outside = out_of_range(house, intent, reading)
    if outside:
        return Outcome.REJECT, "range", outside[0]
    asked = [slot for slot in reading.missing if slot in intent.ask]
    if reading.missing and (not asked or len(reading.missing) > 1):
        slot = next(s for s in reading.missing if s not in intent.ask or len(reading.missing) > 1)
        return Outcome.REJECT, "missing", slot
    unsure = intent.confirm != "never" and not confirmed
    if reading.which and reading.wrong_room:
        return Outcome.REJECT, "wrong room", ""
    if asked and fired:
        return Outcome.REJECT, fired[0].name, fired[0].words
    if asked or reading.which:
        least = (limits.accept + limits.confirm) / 2
        if reading.score < least:
            return Outcome.REJECT, "score", f"{reading.score:.2f} is under {least:.2f}, too little for a question"
        return (Outcome.ASK, "missing", asked[0]) if asked else (Outcome.ASK, "which", "")
    if intent.pin is not None and reading.score >= limits.confirm and not fired:
        return Outcome.ASK, "pin", ""
    if fired and not confirmed:
        return Outcome.CONFIRM, fired[0].name, fired[0].words
    if reading.wrong_room and not confirmed:
        return Outcome.CONFIRM, "wrong room", ""
    if unsure and reading.score < limits.accept:
        return Outcome.CONFIRM, "score", f"{reading.score:.2f} is under {limits.accept:.2f}"
    if unsure and margin < limits.margin:
        return Outcome.CONFIRM, "margin", f"{margin:.2f} is under {limits.margin:.2f}"
    twin = doubtful(house, intent, reading) if not confirmed else ""
    if twin:
        return Outcome.CONFIRM, "doubt", twin
    if intent.confirm == "always" and not confirmed:
        return Outcome.CONFIRM, "always", ""
    return Outcome.ACCEPT, "", ""
