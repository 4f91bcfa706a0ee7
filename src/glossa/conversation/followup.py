"""What is said about the last command: "and the fan too", "the same in the saloon", "a bit more"."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from glossa.conversation.answers import MOST_COST, whole_values
from glossa.hearing.device_rules import RANK
from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role
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
    """The last command again: for other devices, with another value, or a relative change once more or back.

    Attributes:
        devices: the devices, those of the last command where there are none; ``which`` if it is not clear which of them.
        slots: what becomes another value.
        intent: what is to be done, where that is something else: a change of what was set. less: whether that was "less".
    """

    devices: tuple[str, ...] = ()
    which: bool = False
    slots: Mapping[str, SlotValue] = {}
    intent: Intent | None = None
    less: bool = False

    def applied(self, intent: Intent, slots: Mapping[str, SlotValue]) -> tuple[Intent, dict[str, SlotValue]]:
        """The intent and the slots that it makes of those of the last command."""
        meant = self.intent or intent
        kept = slots if meant.id == intent.id else {**meant.defaults, **{k: v for k, v in slots.items() if k == "device"}}
        return meant, {**kept, **({"device": self.devices} if self.devices else {}), **self.slots}


class FollowUps:
    """Reads follow-ups with the word lists of the house's languages."""

    def __init__(self, matcher: Matcher) -> None:
        self._matcher = matcher

    def read(self, text: str, intent: Intent, slots: Mapping[str, SlotValue], tag: str, *, less: bool = False) -> FollowUp | None:
        """The follow-up on a command that a text is, or None.

        Args:
            text: what was heard.
            intent, slots: the last command.
            tag: the language of the conversation.
            less: whether the last command was "less", so that "more" goes back.
        """
        grammar = self._matcher.grammar(tag)
        language = grammar.lexicon.language
        whole = grammar.hearing.analyse(text)
        words = whole.words
        if not words or len(words) > LONGEST:
            return None
        back = -1 if less else 1  # "more" is more of what was asked for first, however much less it was since
        ways = (("more", back, False), ("less", -back, True), ("again", 1, less), ("turned", -1, not less))
        for name, sign, now_less in ways:
            says = language.phrases("followup", name)
            if says.whole(_bare(words, language.filler, says)):
                changing = self._changing(grammar, intent, sign)
                return None if changing is None else FollowUp(intent=changing, less=now_less)
        before, after = language.phrases("followup", "before"), language.phrases("followup", "after")
        hesitating = next((i for i, r in enumerate(whole.roles) if r != Role.FILLER), 0)
        starts = (i for i in range(hesitating + 1) if before.starts(words, i))
        marked, start, end = _marks(words, next(starts, 0), before, after)
        corrected = corrects(words, language)
        start = start or corrected
        if start and words[start - 1] in grammar.lexicon.articles:
            start -= 1  # the "one" of "now the saloon one" is no number
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
    def _changing(grammar: Grammar, intent: Intent, sign: int) -> Intent | None:
        """What makes more or less of what an intent changed, or of what it set."""
        if intent.change:
            return intent if sign > 0 else reversed_change(intent)
        found: list[tuple[int, Intent]] = []
        for other in grammar.house.intents.values():
            if other.pin is None and other.device == intent.device:
                found += [(v.sign, other) for k, v in other.change.items() if k in intent.set and isinstance(v, Shift)]
        same = next((other for its, other in found if its == sign), None)
        return same or (reversed_change(found[0][1]) if found else None)

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
        kinds, single = {devices[d].kind for d in last}, any(w in lexicon.language.grammar.one for w in utterance.words)
        for room in utterance.rooms():
            if utterance.left((1 << room.end) - (1 << room.start)) <= MOST_LEFT:
                inside = lexicon.one_of(room.entry.devices) if single else room.entry.devices
                ids = tuple(d for d in lexicon.devices(inside) if devices[d].kind in kinds)
                if ids:
                    return FollowUp(ids, which=len(ids) > 1 and len(last) == 1)
        return None


def corrects(words: tuple[str, ...], language: Language) -> int:
    """How many words at the start say that what comes next is to be instead: "no", "sorry, i mean"."""
    both, length = (language.phrases("answers", "no"), language.phrases("grammar", "correction")), 0
    while length < len(words) and (more := max(phrases.at(words, length) for phrases in both)):
        length += more
    return length if length < len(words) else 0


def _bare(words: tuple[str, ...], filler: PhraseSet, says: PhraseSet) -> tuple[str, ...]:
    """Words without "please" and its kin at either end."""
    kept = list(words)
    while len(kept) > 1 and filler.whole(kept[-1:]) and not says.whole(kept):
        kept.pop()
    while len(kept) > 1 and filler.whole(kept[:1]) and not says.whole(kept):
        kept.pop(0)
    return tuple(kept)


def _marks(words: tuple[str, ...], at: int, before: PhraseSet, after: PhraseSet) -> tuple[bool, int, int]:
    """Whether words from ``at`` on or at the end say that the last command is meant, and the words between them."""
    start = next((at + length for length in before.starts(words, at)), 0)
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
