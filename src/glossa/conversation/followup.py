"""What is said about the last command: "and the fan too", "the same in the saloon", "a bit more"."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from glossa.conversation.answers import MOST_COST, whole_values
from glossa.hearing.device_rules import RANK
from glossa.hearing.devices import Devices
from glossa.hearing.tokens import mask_of
from glossa.house.effects import Shift, slot_of
from glossa.house.model import Intent
from glossa.language import Language, PhraseSet
from glossa.matching import Matcher
from glossa.matching.grammar import Grammar
from glossa.matching.options import Choices
from glossa.matching.result import SlotValue

LONGEST = 16
"""Tokens of the longest follow-up."""

MOST_LEFT = 0.4
"""Weight of words beside the device that is still a follow-up."""


class FollowUp(Struct, frozen=True):
    """The last command again: for other devices, with another value, or a relative change once more (``again`` 1) or back (-1)."""

    devices: tuple[str, ...] = ()
    which: bool = False
    again: int = 0
    slots: Mapping[str, SlotValue] = {}


class FollowUps:
    """Reads follow-ups with the word lists of the house's languages."""

    def __init__(self, matcher: Matcher) -> None:
        self._matcher = matcher

    def read(self, text: str, intent: Intent, slots: Mapping[str, SlotValue], tag: str) -> FollowUp | None:
        """The follow-up on a command that a text is, or None.

        Args:
            text: what was heard.
            intent, slots: the last command.
            tag: the language of the conversation.
        """
        grammar = self._matcher.grammar(tag)
        language = grammar.lexicon.language
        whole = grammar.hearing.analyse(text)
        words = whole.words
        if not words or len(words) > LONGEST:
            return None
        if intent.change:
            for name, sign in (("more", 1), ("less", -1)):
                says = language.phrases("followup", name)
                if says.whole(_bare(words, language.filler, says)):
                    return FollowUp(again=sign)
        before, after = language.phrases("followup", "before"), language.phrases("followup", "after")
        marked, start, end = _marks(words, before, after)
        corrected = corrects(words, language)
        start = start or corrected
        device = slots.get("device")
        if start >= end or not isinstance(device, tuple):
            return None
        if language.phrases("followup", "other").whole(words[start:end]):
            return self._other(grammar, intent, device)
        if not marked and not corrected:
            return None
        choices = Choices(grammar.hearing.analyse(whole.written(start, end)), grammar)
        found = self._devices(choices, intent, device)
        return self._value(choices, intent, device) if found is None and corrected else found

    @staticmethod
    def _other(grammar: Grammar, intent: Intent, last: tuple[str, ...]) -> FollowUp | None:
        """The other one of its kind: those that share the last word of the name go before others."""
        devices, lexicon = grammar.house.devices, grammar.lexicon

        def noun(device: str) -> str:
            return devices[device].name(grammar.tag).rpartition(" ")[2]

        kinds, rooms, nouns = {devices[d].kind for d in last}, {devices[d].room for d in last}, {noun(d) for d in last}
        kin = [d for d in lexicon.devices(lexicon.fitting(intent)) if devices[d].kind in kinds and d not in last]
        called = [d for d in kin if noun(d) in nouns]
        near = [d for d in called if devices[d].room in rooms]
        meant = next((tuple(ids) for ids in (near, called, kin) if len(ids) == 1), tuple(called or kin))
        return FollowUp(meant, which=len(meant) > 1) if meant else None

    @staticmethod
    def _value(choices: Choices, intent: Intent, last: tuple[str, ...]) -> FollowUp | None:
        """Another value for what was set last: "no, sixty"."""
        lexicon = choices.grammar.lexicon
        ones = mask_of(w in lexicon.language.grammar.one for w in choices.utterance.words)
        for name, setting in intent.set.items():
            slot = slot_of(setting)
            spec = lexicon.slot_spec.get(slot, lexicon.spec_of.get((last[0], name), -1)) if slot else -1
            fitting = [c for c in whole_values(choices, spec, ones) if c.cost < MOST_COST and not c.outside] if spec >= 0 else []
            if fitting and not isinstance(fitting[0].value, Devices):
                return FollowUp(slots={slot: fitting[0].value})
        return None

    @staticmethod
    def _devices(choices: Choices, intent: Intent, last: tuple[str, ...]) -> FollowUp | None:
        utterance, lexicon = choices.utterance, choices.grammar.lexicon
        # Where nothing but a room is named, what is of the same kind in it is meant.
        rooms = {e.tokens for e in utterance.expressions if e.things.rank == RANK["room"]}
        for candidate in choices.devices(lexicon.fitting(intent)):
            named = isinstance(candidate.value, Devices) and candidate.tokens not in rooms
            if named and utterance.left(candidate.tokens) <= MOST_LEFT:
                assert isinstance(candidate.value, Devices)
                return FollowUp(lexicon.devices(candidate.value.devices), candidate.value.which)
        devices = lexicon.house.devices
        kinds = {devices[d].kind for d in last}
        for room in utterance.rooms():
            if utterance.left((1 << room.end) - (1 << room.start)) <= MOST_LEFT:
                ids = tuple(d for d in lexicon.devices(room.entry.devices) if devices[d].kind in kinds)
                if ids:
                    return FollowUp(ids, which=len(ids) > 1 and len(last) == 1)
        return None


def corrects(words: tuple[str, ...], language: Language) -> int:
    """How many words at the start say that what comes next is to be instead: "no", "sorry, i mean"."""
    length = 0
    for phrases in (language.phrases("answers", "no"), language.phrases("grammar", "correction")):
        while length < len(words) and words[length] in phrases.first and phrases.at(words, length):
            length += phrases.at(words, length)
    return length if length < len(words) else 0


def _bare(words: tuple[str, ...], filler: PhraseSet, says: PhraseSet) -> tuple[str, ...]:
    """Words without "please" and its kin at either end."""
    kept = list(words)
    while len(kept) > 1 and filler.whole(kept[-1:]) and not says.whole(kept):
        kept.pop()
    while len(kept) > 1 and filler.whole(kept[:1]) and not says.whole(kept):
        kept.pop(0)
    return tuple(kept)


def _marks(words: tuple[str, ...], before: PhraseSet, after: PhraseSet) -> tuple[bool, int, int]:
    """Whether words before or after say that the last command is meant, and the words between them."""
    start = next(iter(before.starts(words, 0)), 0)
    end = len(words)
    for length in range(min(3, len(words) - start), 0, -1):
        if after.whole(words[-length:]):
            end -= length
            break
    return start > 0 or end < len(words), start, end


def reversed_change(intent: Intent) -> Intent:
    """An intent whose relative changes go the other way."""
    turned = {k: replace(v, sign=-v.sign) if isinstance(v, Shift) else v for k, v in intent.change.items()}
    return replace(intent, change=turned)
