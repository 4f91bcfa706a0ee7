"""From an alignment to a reading: what the slots hold, what is missing, and the rows that people see."""

from __future__ import annotations

from operator import itemgetter

from glossa.hearing.costs import COSTS
from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role, shown
from glossa.hearing.tokens import places_of
from glossa.hearing.utterance import Utterance
from glossa.house.frozen import Frozen
from glossa.house.model import Intent
from glossa.house.values import Value, tidy
from glossa.matching.alignment import Alignment, Candidate, Item, Kind, Where, scales
from glossa.matching.grammar import Grammar
from glossa.matching.meaning import meaning
from glossa.matching.result import Piece, Reading, SlotValue


def filled(utterance: Utterance, alignment: Alignment) -> object:
    """Equal for alignments whose readings mean the same, though what they cost may differ: what the slots took, and what amounts are left over."""
    places, chosen = alignment.pattern.places, alignment.chosen
    said = []
    for number in alignment.pattern.slots_at:
        option = chosen[number]
        candidate = option.candidate if option is not None else None
        said.append((places[number].slot, candidate and (candidate.value, candidate.outside)))
    amounts = places_of(Role.AMOUNT, utterance.roles)
    return alignment.pattern.intent.id, tuple(sorted(said, key=itemgetter(0))), alignment.covered & (utterance.times_at | amounts)


def reading_of(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> Reading:
    """The reading that an alignment stands for, still without its confidence and its rows."""
    pattern, intent = alignment.pattern, alignment.pattern.intent
    slots: dict[str, SlotValue] = {}
    missing: list[str] = []
    outside: list[str] = []
    which = wrong = False
    sure = 0
    for number in pattern.slots_at:
        slot, option = pattern.places[number].slot, alignment.chosen[number]
        if option is None or option.candidate is None:
            if slot not in intent.defaults and slot != "pin":
                missing.append(slot)
            continue
        value = option.candidate.value
        if isinstance(value, Devices):
            slots[slot] = grammar.lexicon.devices(value.devices)
            which, wrong, sure = value.which, value.wrong_room, value.sure
        else:
            slots[slot] = value
        if option.candidate.outside:
            outside.append(slot)
    said = tuple(slots)
    _fill_in(slots, utterance, alignment, intent)
    by_times = intent.changed_by if "times" in slots else frozenset[str]()
    missing += [slot for slot in pattern.needs if slot not in slots and slot not in by_times]
    open_question = missing or which
    known = {k: v for k, v in slots.items() if k not in grammar.free}
    return Reading(
        intent=intent.id,
        slots=Frozen(slots),
        score=alignment.score,
        cost=alignment.cost,
        weight=alignment.weight,
        language=grammar.tag,
        phrase=pattern.phrase,
        missing=tuple(dict.fromkeys(missing)),
        which=which,
        sure=grammar.lexicon.devices(sure),
        wrong_room=wrong,
        outside=tuple(outside),
        said=said,
        meaning=("ask", intent.id, tuple(missing), repr(slots)) if open_question else meaning(grammar.house, intent, known),
    )


def _fill_in(slots: dict[str, SlotValue], utterance: Utterance, alignment: Alignment, intent: Intent) -> None:
    """Slots that were not said take their defaults; a change by an amount may be more or less of it, or a multiple of what there is."""
    changed = intent.changed_by
    free = not utterance.times_at & alignment.covered
    if intent.change and utterance.times and free and changed.isdisjoint(slots):
        slots["times"] = tidy(utterance.times)
        changed_default = False
    else:
        changed_default = True
    for name, value in intent.defaults.items():
        if name not in slots and (name not in changed or changed_default):
            slots[name] = scaled(value, utterance, alignment) if name in changed else value


def scaled(value: Value, utterance: Utterance, alignment: Alignment) -> Value:
    """A default amount of change, more or less of it where "a lot" or "slightly" was said and has no other place."""
    amounts = (1 << i for i, r in enumerate(utterance.roles) if r == Role.AMOUNT)
    said = any(not alignment.covered & bit for bit in amounts)
    if isinstance(value, str) or not said or not scales(alignment.pattern, alignment.chosen):
        return value
    return tidy(value * utterance.degree)


# --- rows for people ------------------------------------------------------------------------------------------------

_LEFT_OVER = {
    Role.FILLER: "filler", Role.SMALL: "small word", Role.VERB: "a verb that says little", Role.POLE: "a word that has an opposite",
    Role.TALK: "tells or asks", Role.NEGATION: "negation", Role.NUMBER: "a number with no place", Role.WORD: "a word of the house with no place",
    Role.UNKNOWN: "unknown word", Role.AMOUNT: "by how much", Role.ASIDE: "a preposition here",
    Role.BROKEN: "broken off", Role.EXCEPTION: "takes something out", Role.PREAMBLE: "a clause in front",
    Role.REASON: "a clause behind",
}  # fmt: skip
_WHERE = {Where.BEFORE: "before", Where.INSIDE: "inside", Where.BEHIND: "behind"}


def pieces_of(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> tuple[Piece, ...]:
    """The items of an alignment as rows, in the order in which they were heard; their costs add up to the alignment's."""
    count = len(utterance.tokens)
    rows = [
        ((d.at, 0), Piece(utterance.text[d.start : d.end], "", "left over", 0.0, d.why, "", d.start, d.end))
        for d in utterance.dropped
    ]
    rows += [((item.start if item.end else count, 1), _piece(utterance, alignment, grammar, item)) for item in alignment.items]
    return tuple(piece for _, piece in sorted(rows, key=lambda r: r[0]) if piece.cost or piece.heard)


def _piece(utterance: Utterance, alignment: Alignment, grammar: Grammar, item: Item) -> Piece:
    words, tokens = utterance.words, utterance.tokens
    place = alignment.pattern.places[item.place] if item.place >= 0 else None
    named = "" if place is None else f"${place.slot}" if place.slot else " | ".join(place.words)
    heard = " ".join(words[item.start : item.end])
    span = (tokens[item.start].start, tokens[item.end - 1].end) if item.end else (0, 0)
    if item.kind == Kind.UNHEARD:
        return Piece("", named, "not heard", item.cost, "not said")
    if item.kind == Kind.ORDER:
        return Piece("", "", "order", item.cost, f"{round(item.cost / COSTS.order)} out of order")
    if item.kind == Kind.ELSEWHERE:
        return Piece("", "", "order", item.cost, "another device was spoken of")
    if item.kind == Kind.RARE:
        return Piece("", "", "order", item.cost, "a rare alternative")
    if item.kind in (Kind.MISFIT, Kind.AIMLESS):
        return Piece("", named, "order", item.cost, f"“{heard}” does not fit here")
    if item.kind == Kind.LEFT:
        about = words[item.start] in alignment.pattern.measures
        why = "what the phrase is about" if about else _LEFT_OVER[item.role]
        return Piece(heard, "", "left over", item.cost, why, _WHERE[item.where], *span)
    option = item.option
    assert option is not None
    if option.edge is not None:
        return Piece(heard, option.edge.word, "word", item.cost, shown(option.edge.how, option.edge.word) or "same", "", *span)
    candidate = option.candidate
    assert candidate is not None
    apart = [words[i] for i in range(len(words)) if candidate.tokens >> i & 1 and not candidate.start <= i < candidate.end]
    heard += f" … {' '.join(apart)}" if apart else ""
    taken = "****" if named == "$pin" else _value_shown(candidate, grammar)
    return Piece(heard, taken, named, item.cost, _value_why(candidate), "", *span)


def _value_shown(candidate: Candidate, grammar: Grammar) -> str:
    value = candidate.value
    return ", ".join(grammar.lexicon.devices(value.devices)) if isinstance(value, Devices) else str(value)


def _value_why(candidate: Candidate) -> str:
    value = candidate.value
    if isinstance(value, Devices) and value.wrong_room:
        return "not in that room"
    if isinstance(value, Devices) and value.which:
        return "which one?"
    if candidate.note == "assumed":
        return "spoken of before"
    unsure = [text for e in candidate.used if (text := shown(e.how, e.word))]
    plain = "device" if isinstance(value, Devices) else "named value" if candidate.used else candidate.note or "number"
    return "; ".join(dict.fromkeys(unsure)) or ("out of range" if candidate.outside else plain)
