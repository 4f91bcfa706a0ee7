"""What is said about the last command: "and the fan too", "the same in the saloon", "a bit more"."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.devices import Devices
from glossa.house.effects import Shift
from glossa.house.model import Intent
from glossa.language import PhraseSet
from glossa.matching import Matcher
from glossa.matching.options import Choices
from glossa.matching.result import SlotValue

LONGEST = 16
"""Tokens of the longest follow-up."""

MOST_LEFT = 0.4
"""Weight of words beside the device that is still a follow-up."""


class FollowUp(Struct, frozen=True):
    """The last command again: for other devices, or a relative change once more (``again`` 1) or back (``again`` -1)."""

    devices: tuple[str, ...] = ()
    which: bool = False
    again: int = 0


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
        marked, start, end = _marks(words, language.phrases("followup", "before"), language.phrases("followup", "after"))
        device = slots.get("device")
        if not marked or start >= end or not isinstance(device, tuple):
            return None
        return self._devices(Choices(grammar.hearing.analyse(whole.written(start, end)), grammar), intent, device)

    @staticmethod
    def _devices(choices: Choices, intent: Intent, last: tuple[str, ...]) -> FollowUp | None:
        utterance, lexicon = choices.utterance, choices.grammar.lexicon
        every = (1 << len(utterance.words)) - 1
        for candidate in choices.devices(lexicon.fitting(intent)):
            if isinstance(candidate.value, Devices) and utterance.weight(every & ~candidate.tokens) <= MOST_LEFT:
                return FollowUp(lexicon.devices(candidate.value.devices), candidate.value.which)
        devices = lexicon.house.devices
        kinds = {devices[d].kind for d in last}
        for room in utterance.rooms():
            if utterance.weight(every & ~((1 << room.end) - (1 << room.start))) <= MOST_LEFT:
                ids = tuple(d for d in lexicon.devices(room.entry.devices) if devices[d].kind in kinds)
                if ids:
                    return FollowUp(ids, which=len(ids) > 1 and len(last) == 1)
        return None


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
