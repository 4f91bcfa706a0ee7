"""Answers to open questions: yes, no, a value, one of several devices, a passcode."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role
from glossa.hearing.tokens import MOST_TOKENS
from glossa.hearing.utterance import Utterance
from glossa.house.model import Intent
from glossa.language import Language
from glossa.matching import Matcher
from glossa.matching.alignment import Candidate
from glossa.matching.grammar import Grammar
from glossa.matching.options import Choices
from glossa.matching.result import SlotValue


class Answer(Struct, frozen=True):
    """An answer: ``yes``, ``no``, ``cancel`` or ``value``."""

    kind: str
    value: SlotValue = ""
    which: bool = False
    outside: bool = False


MOST_LEFT = 0.5
"""Weight of words beside the answer that is still an answer."""

MOST_COST = 0.6
"""What a value may cost as an answer."""

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
        if kind != "pin":
            rest = _corrected(utterance, language)
            if rest:
                again = self.read(rest, kind if kind != "confirm" else "missing", slot, candidates, intent, slots, tag)
                if again is not None and again.kind == "value":
                    return again
        bare = utterance.bare or words
        for name in ("cancel", "no", "yes"):
            known = language.phrases("answers", name)
            if known.whole(words) or known.whole(bare) or (name != "yes" and known.made_of(words)):
                return None if name == "yes" and kind != "confirm" else Answer(name)
        if kind == "confirm":
            return Answer("yes") if language.phrases("answers", "yes").made_of(words) else None
        if kind == "pin":
            digits = _passcode(utterance, grammar)
            return Answer("value", digits) if digits else None
        choices = Choices(utterance, grammar)
        if kind == "which":
            return _one_of(choices, candidates, intent)
        return _value(choices, slot, intent, slots)

    def is_back(self, text: str, tag: str) -> bool:
        """Whether a text asks for what was before the last change."""
        grammar = self._matcher.grammar(tag)
        utterance = grammar.hearing.analyse(text)
        language = grammar.lexicon.language
        known, words = language.phrases("back", "phrases"), utterance.words
        begun = language.phrases("followup", "before").at(words, 0) if words else 0
        return len(words) <= MOST_TOKENS and any(known.whole(w) for w in (words, utterance.bare, words[begun:]))


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


def _left(choices: Choices, tokens: int) -> float:
    """What the words beside some tokens weigh, "one" and its kin aside."""
    utterance, ones = choices.utterance, choices.grammar.lexicon.language.grammar.one
    return sum(
        w
        for i, (w, word) in enumerate(zip(utterance.weights, utterance.words, strict=True))
        if not tokens >> i & 1 and word not in ones
    )


def _one_of(choices: Choices, candidates: tuple[str, ...], intent: Intent) -> Answer | None:
    """ "the galley one", "the second one", "both", or the whole name."""
    utterance, lexicon = choices.utterance, choices.grammar.lexicon
    language = lexicon.language
    ordinals, ones = language.answers.ordinals, language.grammar.one
    bare = [
        w
        for w, r in zip(utterance.words, utterance.roles, strict=True)
        if r not in (Role.FILLER, Role.SMALL) and w not in (*ones, "1")
    ]
    if len(bare) == 1 and bare[0] in ordinals and ordinals.index(bare[0]) < len(candidates):
        return Answer("value", (candidates[ordinals.index(bare[0])],))
    if any(language.phrases("grammar", name).whole(bare) for name in ("all", "pair")):
        return Answer("value", candidates)
    offered = lexicon.mask(candidates)
    best: tuple[float, Answer] | None = None
    for found in choices.devices(lexicon.fitting(intent)):
        devices = found.value
        assert isinstance(devices, Devices)
        meant = devices.devices & offered
        if meant and _left(choices, found.tokens) <= MOST_LEFT and (best is None or found.cost < best[0]):
            best = found.cost, Answer("value", lexicon.devices(meant), which=devices.which and meant.bit_count() > 1)
    for room in utterance.rooms():
        meant = room.entry.devices & offered
        tokens = (1 << room.end) - (1 << room.start)
        if meant and _left(choices, tokens) <= MOST_LEFT and (best is None or room.cost <= best[0] or best[1].which):
            best = room.cost, Answer("value", lexicon.devices(meant), which=meant.bit_count() > 1)
    return best[1] if best else _told_apart(choices, candidates)


def _told_apart(choices: Choices, candidates: tuple[str, ...]) -> Answer | None:
    """ "the small one": the candidates whose names hold every word of the answer."""
    utterance, lexicon = choices.utterance, choices.grammar.lexicon
    ones = lexicon.language.grammar.one
    places = [i for i, r in enumerate(utterance.roles) if r not in (Role.FILLER, Role.SMALL) and utterance.words[i] not in ones]
    ids = []
    for device in candidates:
        held = {w for ways in lexicon.house.devices[device].names.values() for way in ways for w in way}
        if all(any(e.word in held for e in utterance.edges[i] if e.end == i + 1) for i in places):
            ids.append(device)
    if not places or not ids or len(ids) == len(candidates):
        return None
    return Answer("value", tuple(ids), which=len(ids) > 1)


def _value(choices: Choices, slot: str, intent: Intent, slots: Mapping[str, SlotValue]) -> Answer | None:
    lexicon = choices.grammar.lexicon
    house = lexicon.house
    if slot == "device":
        devices = [c for c in choices.devices(lexicon.fitting(intent)) if _left(choices, c.tokens) <= MOST_LEFT]
        if not devices:
            return None
        meant = devices[0].value
        assert isinstance(meant, Devices)
        return Answer("value", lexicon.devices(meant.devices), which=meant.which)
    spec = lexicon.slot_spec.get(slot)
    if spec is None:
        device = slots.get("device")
        ids = device if isinstance(device, tuple) else house.members(intent.device) if intent.device else tuple(house.devices)
        spec = next((lexicon.spec_of[d, slot] for d in ids if (d, slot) in lexicon.spec_of), None)
    if spec is None:
        return None
    fitting = [c for c in whole_values(choices, spec) if c.cost < MOST_COST]
    return Answer("value", fitting[0].value, outside=fitting[0].outside) if fitting else None  # type: ignore[arg-type]


def whole_values(choices: Choices, spec: int) -> list[Candidate]:
    """The values of a specification that an utterance is, but for words of little weight, best first."""
    options = (o.candidate for o in choices.values(spec))
    return [c for c in options if c is not None and _left(choices, c.tokens) <= MOST_LEFT]
