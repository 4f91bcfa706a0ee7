"""Answers to open questions: yes, no, a value, one of several devices, a passcode."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from glossa.hearing.devices import Devices
from glossa.hearing.house_words import words_of
from glossa.hearing.roles import Role, first_said
from glossa.hearing.tokens import MOST_TOKENS, tokenize
from glossa.hearing.utterance import Utterance
from glossa.house.model import Intent
from glossa.language import Language
from glossa.matching import Matcher
from glossa.matching.alignment import Candidate
from glossa.matching.grammar import Grammar
from glossa.matching.options import Choices
from glossa.matching.result import Outcome, Reading, SlotValue


class Answer(Struct, frozen=True):
    """An answer: ``yes``, ``no``, ``cancel``, ``value``, or ``devices`` where only others are named for which the question stays.

    Attributes:
        kind, value: what it is.
        which: whether it is not clear which of the devices in ``value`` is meant. outside: whether the value is out of range.
        devices: the devices that the command is for instead of those that were said before.
    """

    kind: str
    value: SlotValue = ""
    which: bool = False
    outside: bool = False
    devices: tuple[str, ...] = ()


MOST_LEFT = 0.5
"""Weight of words beside the answer that is still an answer."""

MOST_COST = 0.6
"""What a value may cost as an answer."""

_LITTLE = frozenset((Role.FILLER, Role.SMALL, Role.VERB))

LONGEST = 24
"""Tokens of the longest answer."""


class Answers:
    """Reads answers with the word lists of the house's languages."""

    def __init__(self, matcher: Matcher) -> None:
        self._matcher = matcher

    def read(
        self,
        text: str,
        kind: str,
        slot: str,
        candidates: tuple[str, ...],
        intent: Intent,
        slots: Mapping[str, SlotValue],
        tag: str,
    ) -> Answer | None:
        """The answer that a text gives to a question, or None where it is none.

        Args:
            text: what was heard.
            kind: ``confirm``, ``missing``, ``which`` or ``pin``.
            slot: the slot that is asked for.
            candidates: the devices to choose from.
            intent, slots: what the question is about.
            tag: the language of the conversation.
        """
        grammar = self._matcher.grammar(tag)
        language = grammar.lexicon.language
        utterance = grammar.hearing.analyse(text)
        words = utterance.words
        if not words or len(words) > LONGEST:
            return None
        plain = _plainly(utterance, language)
        if plain and (plain != "yes" or kind == "confirm"):
            return Answer(plain)
        if kind != "pin":
            rest = _corrected(utterance, language)
            if rest:
                again = self.read(rest, kind if kind != "confirm" else "missing", slot, candidates, intent, slots, tag)
                if again is None and kind == "which":  # "no, the hall light", which was not among them
                    again = self.read(rest, "missing", slot, (), intent, slots, tag)
                if again is not None and again.kind in ("value", "devices"):
                    return again
        value = None
        if kind == "pin" and (digits := _passcode(utterance, grammar)):
            value = Answer("value", digits)
        elif kind in ("which", "missing"):
            asked = Asked(Choices(utterance, grammar), intent, slots)
            value = _one_of(asked, candidates) if kind == "which" else _value(asked, slot)
            value = value or _for_others(asked, slot)
        said = "" if value is not None else _in_other_words(utterance, language)
        return Answer(said) if said and (said != "yes" or kind == "confirm") else value

    def agrees(self, text: str, reading: Reading, device: SlotValue, mode: str) -> bool:
        """Whether a text says yes and then the command once more: "yes turn it on".

        Args:
            text: what was heard.
            reading: what is asked about. device: what it is done with.
            mode: the mode that is on.
        """
        utterance = self._matcher.grammar(reading.language).hearing.analyse(text)
        yes = self._matcher.grammar(reading.language).lexicon.language.phrases("answers", "yes")
        if not any(yes.at(utterance.words, at) for at in range(first_said(utterance.roles) + 1) if utterance.roles):
            return False
        match = self._matcher.match(text, reading.language, mode, device if isinstance(device, tuple) else ())
        understood = match.outcome in (Outcome.ACCEPT, Outcome.CONFIRM) and not match.parts
        return understood and match.best is not None and match.best.meaning == reading.meaning

    def is_back(self, text: str, tag: str) -> bool:
        """Whether a text asks for what was before the last change."""
        grammar = self._matcher.grammar(tag)
        utterance = grammar.hearing.analyse(text)
        language = grammar.lexicon.language
        known, words = language.phrases("back", "phrases"), utterance.words
        begun = language.phrases("followup", "before").at(words, 0) if words else 0
        return len(words) <= MOST_TOKENS and any(known.whole(w) for w in (words, utterance.bare, words[begun:]))


def _plainly(utterance: Utterance, language: Language) -> str:
    """``cancel``, ``no`` or ``yes`` where an utterance is one of their phrases, ``""`` where it is none."""
    written = tuple(t.word for t in tokenize(utterance.text))  # "déjalo", of which "deja" and "lo" were made
    ways = (utterance.words, utterance.bare or utterance.words, written)
    known = ((name, language.phrases("answers", name)) for name in ("cancel", "no", "yes"))
    return next((name for name, phrases in known if any(map(phrases.whole, ways))), "")


def _in_other_words(utterance: Utterance, language: Language) -> str:
    """``cancel``, ``no`` or ``yes`` where an utterance says that and nothing of a command, ``""`` where it does not.

    A negation without a name, a number or a direction is a no: "not now", "I didn't say that"; with strange words only where it comes first:
    "no I meant the curtains". A yes has only little words beside it: "er yes I did".
    """
    words, known = utterance.words, [(name, language.phrases("answers", name)) for name in ("yes", "no", "cancel")]
    first = first_said(utterance.roles)
    refused = any(phrases.at(words, first) for name, phrases in known if name != "yes")
    said: set[str] = set()
    at = 0
    while at < len(words):
        length, name = max((phrases.at(words, at), name) for name, phrases in known)
        role = utterance.roles[at]
        if length or role == Role.NEGATION:
            said.add(name if length else "no")
        elif role == Role.TALK or (role == Role.UNKNOWN and refused):
            said.add("")  # "sure she did" is no yes
        elif role not in _LITTLE:
            return ""
        at += max(length, 1)
    said_no = next((name for name in ("cancel", "no") if name in said), "")
    return said_no or ("yes" if said == {"yes"} else "")


def _corrected(utterance: Utterance, language: Language) -> str:
    """What stands behind the last correction: the "sixty" of "no, sixty" and of "fifty no sixty"; ``""`` for none."""
    words, last = utterance.words, 0
    for phrases in (language.phrases("grammar", "correction"), language.phrases("answers", "no")):
        for at in range(len(words)):
            length = phrases.at(words, at) if words[at] in phrases.first else 0
            last = max(last, at + length if length else 0)
    return utterance.written(last, len(words)) if 0 < last < len(words) else ""


def _passcode(utterance: Utterance, grammar: Grammar) -> str:
    """The digits that an utterance starts with, or the first that are more than one."""
    reader = grammar.lexicon.numbers
    for at in range(len(utterance.tokens)):
        digits = reader.digits(utterance.tokens, at)
        if digits is not None and (at == 0 or len(digits[1]) > 1):
            return digits[1]
    return ""


class Asked:
    """What is asked, and what an answer to it may hold besides.

    Args:
        choices: what the answer may be.
        intent, slots: what the question is about.

    Attributes:
        beside: the tokens that any answer may hold: "one" and its kin, what a measure is called, the "it's" and the "of course" of "it's the big
            one of course", and the "turn on" of "turn on the big one"; as a bit mask.
    """

    def __init__(self, choices: Choices, intent: Intent, slots: Mapping[str, SlotValue]) -> None:
        self.choices, self.intent, self.slots = choices, intent, slots
        utterance, lexicon = choices.utterance, choices.grammar.lexicon
        language = lexicon.language
        states, yes = {*language.grammar.copula, *language.grammar.modal}, language.phrases("answers", "yes")
        first = first_said(utterance.roles)
        free = {*language.grammar.one, *language.amounts.measures, *words_of([intent], lexicon.tag), *map(str, slots.values())}
        self.beside = 0
        for at, (word, role) in enumerate(zip(utterance.words, utterance.roles, strict=True)):
            if word in lexicon.named:
                continue
            little = (
                word in free or role == Role.VERB or (role == Role.TALK and word in states and at > first)
            )  # not "she is forty"
            self.beside |= (1 << at + max(little, yes.at(utterance.words, at))) - (1 << at)

    def left(self, tokens: int) -> float:
        """What the words beside some tokens weigh that an answer need not hold."""
        return self.choices.utterance.left(tokens | self.beside)


def _one_of(asked: Asked, candidates: tuple[str, ...]) -> Answer | None:
    """ "the galley one", "the second one", "both", "not the small one", or the whole name."""
    choices, intent = asked.choices, asked.intent
    utterance, lexicon = choices.utterance, choices.grammar.lexicon
    counted = _by_number(asked, candidates)
    if counted is not None:
        return counted
    offered = lexicon.mask(candidates)
    best: tuple[float, Answer] | None = None
    for found in choices.devices(lexicon.fitting(intent)):
        devices = found.value
        assert isinstance(devices, Devices)
        meant = devices.devices & offered
        if meant and asked.left(found.tokens) <= MOST_LEFT and (best is None or found.cost < best[0]):
            best = found.cost, Answer("value", lexicon.devices(meant), which=devices.which and meant.bit_count() > 1)
    for room in utterance.rooms():
        meant = room.entry.devices & offered
        tokens = (1 << room.end) - (1 << room.start)
        if meant and asked.left(tokens) <= MOST_LEFT and (best is None or room.cost <= best[0] or best[1].which):
            best = room.cost, Answer("value", lexicon.devices(meant), which=meant.bit_count() > 1)
    return best[1] if best else _told_apart(asked, candidates)


def _by_number(asked: Asked, candidates: tuple[str, ...]) -> Answer | None:
    """ "the second one", "number two", "the last one", "both of them"."""
    utterance, lexicon = asked.choices.utterance, asked.choices.grammar.lexicon
    language, answers = lexicon.language, lexicon.language.answers
    little = (Role.FILLER, Role.SMALL)
    told = {*(w for forms in answers.ordinals for w in forms), *answers.last}
    said = [
        w
        for i, (w, r) in enumerate(zip(utterance.words, utterance.roles, strict=True))
        if w in told or not (r in little or asked.beside >> i & 1 or w in language.numbers.labels)
    ]
    things = [w for w in said if w not in lexicon.of_noun_word]  # "both lamps"
    if any(language.phrases("grammar", name).whole(w) for name in ("all", "pair") for w in (things, utterance.words)):
        return Answer("value", candidates)
    if len(said) > 1 or not (said or utterance.quantities):
        return None
    places = {word: place for place, forms in enumerate(answers.ordinals) for word in forms}
    places |= {str(word): number - 1 for word, number in language.number_words.items()}
    places |= dict.fromkeys(answers.last, len(candidates) - 1)
    place = places.get(said[0] if said else utterance.words[-1], -1)
    return Answer("value", (candidates[place],)) if 0 <= place < len(candidates) else None


def _told_apart(asked: Asked, candidates: tuple[str, ...]) -> Answer | None:
    """ "the small one": the candidates whose names hold every word of the answer; "not the small one": the others."""
    utterance, lexicon = asked.choices.utterance, asked.choices.grammar.lexicon
    little, beside = (Role.FILLER, Role.SMALL, Role.NEGATION), asked.beside
    places = [i for i, r in enumerate(utterance.roles) if r not in little and not beside >> i & 1]
    names = {d: {w for ways in lexicon.house.devices[d].names.values() for way in ways for w in way} for d in candidates}

    def holding(tokens: Sequence[int]) -> list[str]:
        return [
            d
            for d, held in names.items()
            if all(any(e.word in held for e in utterance.edges[i] if e.end == i + 1) for i in tokens)
        ]

    ids, negation = holding(places), next((i for i, r in enumerate(utterance.roles) if r == Role.NEGATION), -1)
    if negation >= 0:
        behind = [i for i in places if i > negation]
        run = [i for number, i in enumerate(behind) if i == behind[0] + number]
        excluded = holding(run) if run else []
        ids = [d for d in holding([i for i in places if i not in run]) if d not in excluded] if excluded else []
    if not places or not ids or len(ids) == len(candidates):
        return None
    return Answer("value", tuple(ids), which=len(ids) > 1)


def _value(asked: Asked, slot: str) -> Answer | None:
    choices, intent, slots = asked.choices, asked.intent, asked.slots
    lexicon = choices.grammar.lexicon
    if slot == "device":
        devices = [c for c in choices.devices(lexicon.fitting(intent)) if asked.left(c.tokens) <= MOST_LEFT]
        if not devices:
            return None
        meant = devices[0].value
        assert isinstance(meant, Devices)
        return Answer("value", lexicon.devices(meant.devices), which=meant.which)
    fitting = _fitting(asked, slot, slots.get("device"), asked.beside)
    return Answer("value", fitting[0].value, outside=fitting[0].outside) if fitting else None  # type: ignore[arg-type]


def _fitting(asked: Asked, slot: str, device: SlotValue | None, beside: int) -> list[Candidate]:
    """The values for a slot of some devices that an answer is, but for some tokens, best first."""
    lexicon, intent = asked.choices.grammar.lexicon, asked.intent
    spec = lexicon.slot_spec.get(slot)
    if spec is None:
        house = lexicon.house
        ids = device if isinstance(device, tuple) else house.members(intent.device) if intent.device else tuple(house.devices)
        spec = next((lexicon.spec_of[d, slot] for d in ids if (d, slot) in lexicon.spec_of), None)
    return [c for c in whole_values(asked.choices, spec, beside) if c.cost < MOST_COST] if spec is not None else []


def _for_others(asked: Asked, slot: str) -> Answer | None:
    """Other devices than those that were said, alone or with what was asked for: "no, the bench lamp", "the bench lamp, forty"."""
    before = asked.slots.get("device")
    if slot == "device" or not isinstance(before, tuple):
        return None
    lexicon = asked.choices.grammar.lexicon
    for found in asked.choices.devices(lexicon.fitting(asked.intent)):
        meant = found.value
        assert isinstance(meant, Devices)
        devices = lexicon.devices(meant.devices)
        if meant.which or found.note == "assumed":
            continue
        if asked.left(found.tokens) <= MOST_LEFT:
            return Answer("devices", devices=devices)
        fitting = _fitting(asked, slot, devices, asked.beside | found.tokens)
        if fitting:
            return Answer("value", fitting[0].value, outside=fitting[0].outside, devices=devices)  # type: ignore[arg-type]
    return None


def whole_values(choices: Choices, spec: int, beside: int) -> list[Candidate]:
    """The values of a specification that an utterance is, but for words of little weight and some tokens, as a bit mask; best first."""
    options = (o.candidate for o in choices.values(spec))
    return [c for c in options if c is not None and choices.utterance.left(c.tokens | beside) <= MOST_LEFT]
