"""Answers to open questions: yes, no, a value, one of several devices, a passcode."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct

from glossa.hearing.heard import Candidate, Heard, prepare
from glossa.hearing.tokens import tokenize
from glossa.house.model import Intent
from glossa.matching import Matcher
from glossa.matching.result import SlotValue


class Answer(Struct, frozen=True):
    """An answer: ``yes``, ``no``, ``cancel`` or ``value``."""

    kind: str
    value: SlotValue = ""
    which: bool = False
    outside: bool = False


MOST_LEFT = 0.5
"""Weight of words beside the answer that is still an answer."""


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
        tokens = prepare(text, grammar.lexicon)
        if not tokens or len(tokens) > 24:
            return None
        heard = Heard(tokens, grammar.lexicon, grammar.things)
        words = heard.words
        bare = tuple(w for w, k in zip(words, heard.kinds, strict=True) if k != "filler") or words
        for name in ("cancel", "no", "yes"):
            known = language.phrases("answers", name)
            if known.whole(words) or known.whole(bare) or (name != "yes" and known.made_of(words)):
                if name == "yes" and kind != "confirm":
                    return None
                return Answer(name)
        if kind == "confirm":
            yes = language.phrases("answers", "yes")
            return Answer("yes") if yes.made_of(words) else None
        if kind == "pin":
            digits = grammar.lexicon.numbers.digits(tokens, 0) or self._first_digits(heard)
            return Answer("value", digits[1]) if digits else None
        if kind == "which":
            return self._device(heard, candidates, intent)
        return self._value(heard, slot, intent, slots)

    def without_pronouns(self, text: str, tag: str) -> str:
        """A text without "that one" and its kin, which mean what was named last."""
        language = self._matcher.grammar(tag).lexicon.language
        pronouns = language.phrases("grammar", "pronouns")
        words = [t.word for t in tokenize(text)]
        kept, at = [], 0
        while at < len(words):
            length = pronouns.at(words, at)
            if not length:
                kept.append(words[at])
            at += length or 1
        return " ".join(kept) if len(kept) < len(words) else text

    def is_back(self, text: str, tag: str) -> bool:
        """Whether a text asks for what was before the last change."""
        grammar = self._matcher.grammar(tag)
        heard = Heard(prepare(text, grammar.lexicon)[:24], grammar.lexicon, grammar.things)
        known = grammar.lexicon.language.phrases("back", "phrases")
        bare = tuple(w for w, k in zip(heard.words, heard.kinds, strict=True) if k != "filler")
        return known.whole(heard.words) or known.whole(bare)

    @staticmethod
    def _first_digits(heard: Heard) -> tuple[int, str] | None:
        for at in range(len(heard.tokens)):
            found = heard.lexicon.numbers.digits(heard.tokens, at)
            if found and len(found[1]) > 1:
                return found
        return None

    @staticmethod
    def _left(heard: Heard, candidate: Candidate) -> float:
        ones = heard.lexicon.language.section("grammar").get("one", ("one", "ones"))
        places = (*range(candidate.start), *range(candidate.end, len(heard.words)))
        return float(sum(heard.weights[i] for i in places if heard.words[i] not in ones))

    def _device(self, heard: Heard, candidates: tuple[str, ...], intent: Intent) -> Answer | None:
        """ "the galley one", "the second one", "both", or the whole name."""
        language = heard.lexicon.language
        ordinals = language.section("answers").get("ordinals", ())
        bare = [
            w for w, k in zip(heard.words, heard.kinds, strict=True) if k not in ("filler", "small") and w not in ("one", "1")
        ]
        if len(bare) == 1 and bare[0] in ordinals and ordinals.index(bare[0]) < len(candidates):
            return Answer("value", (candidates[ordinals.index(bare[0])],))
        if len(bare) == 1 and language.phrases("grammar", "all").whole(bare):
            return Answer("value", candidates)
        best: tuple[float, Answer] | None = None
        for found in heard.devices(intent.properties):
            if found.devices is None or self._left(heard, found) > MOST_LEFT:
                continue
            ids = tuple(d for d in found.devices.ids if d in candidates)
            if ids and (best is None or found.cost < best[0]):
                best = found.cost, Answer("value", ids, which=found.devices.which and len(ids) > 1)
        for room in heard.rooms():
            ids = tuple(d for d in candidates if heard.lexicon.house.devices[d].room == room.value)
            if ids and self._left(heard, room) <= MOST_LEFT and (best is None or room.cost <= best[0] or best[1].which):
                best = room.cost, Answer("value", ids, which=len(ids) > 1)
        return best[1] if best else self._told_apart(heard, candidates)

    @staticmethod
    def _told_apart(heard: Heard, candidates: tuple[str, ...]) -> Answer | None:
        """ "the small one": the candidates whose names hold every word of the answer."""
        devices = heard.lexicon.house.devices
        ones = heard.lexicon.language.section("grammar").get("one", ("one", "ones"))
        places = [i for i, k in enumerate(heard.kinds) if k not in ("filler", "small") and heard.words[i] not in ones]
        ids = []
        for device in candidates:
            held = {w for ways in devices[device].names.values() for way in ways for w in way}
            if all(any(s.word in held for s in heard.steps[i] if s.end == i + 1) for i in places):
                ids.append(device)
        return Answer("value", tuple(ids), which=len(ids) > 1) if places and ids and len(ids) < len(candidates) else None

    def _value(self, heard: Heard, slot: str, intent: Intent, slots: Mapping[str, SlotValue]) -> Answer | None:
        house, lexicon = heard.lexicon.house, heard.lexicon
        if slot == "device":
            devices = [c for c in heard.devices(intent.properties) if self._left(heard, c) <= MOST_LEFT]
            if not devices or devices[0].devices is None:
                return None
            return Answer("value", devices[0].devices.ids, which=devices[0].devices.which)
        spec = lexicon.slot_spec.get(slot)
        if spec is None:
            device = slots.get("device")
            ids = device if isinstance(device, tuple) else house.members(intent.device) if intent.device else tuple(house.devices)
            spec = next((lexicon.spec_of[d, slot] for d in ids if (d, slot) in lexicon.spec_of), None)
        if spec is None:
            return None
        fitting = [c for c in heard.values(spec) if self._left(heard, c) <= MOST_LEFT and c.cost < 0.6]
        if not fitting:
            return None
        return Answer("value", fitting[0].value, outside=fitting[0].outside)
