"""What a house file lacks for a take to be understood; nothing is proposed that was not tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

from msgspec import Struct
from msgspec.structs import replace

from glossa.commands import act
from glossa.conversation.conversation import initial_state
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Utterance
from glossa.house.model import Device, House, Intent, Phrase
from glossa.house.notation import expand
from glossa.matching import Match, Matcher
from glossa.matching.alignment import Candidate
from glossa.matching.grammar import Grammar
from glossa.matching.options import Choices
from glossa.trials.findings import apart_by_sound

Words = tuple[str, ...]

PLAIN = 0.5
"""What a value may cost, in words, to be taken for what was meant."""

LIKE_THE_NAME = 0.6
"""What was heard in a name's place may be as far from the name as this, by sound, 0 to 1."""

MOST_TRIED = 3
"""Names that are tried for a take, the nearest first."""


class Proposal(Struct, frozen=True):
    """Something to add to the house file: a list's path, the text, and why."""

    path: tuple[str, ...]
    text: str
    why: str


def acts(house: House, match: Match, intent: Intent) -> bool:
    """Whether a match carries an intent out, commands and all, or would once it was told which device or the passcode."""
    best = match.best
    if best is None or best.intent != intent.id:
        return False
    if match.outcome == "ask" and match.reason in ("pin", "which"):
        return True
    if match.outcome != "accept" and match.reason != "always":
        return False
    action = act(house, intent, dict(best.slots), initial_state(house), best.language)
    return not action.refused and bool(action.commands or not intent.sends)


def propose(house: House, matcher: Matcher, intent: str, take: str) -> Proposal | None:
    """The smallest addition that has a take carried out: a device's name that is heard otherwise, else a phrase with its slots.

    Args:
        house: the house.
        matcher: of the same house.
        intent: the intent that was meant.
        take: what was heard.

    Returns:
        The first addition with which the take is carried out as that intent, or None where none does.
    """
    tag = house.languages[0]
    grammar = matcher.grammar(tag)
    meant = house.intents[intent]
    mode = meant.modes[0] if meant.modes else ""
    utterance = grammar.hearing.analyse(take)
    for device, heard in _misheard(house, grammar, meant, utterance):
        match = Matcher(_with_name(house, device, tag, heard)).match(take, tag, mode)
        if (
            acts(house, match, meant)
            and match.best is not None
            and device.id in str(match.best.slots.get("device", meant.device))
        ):
            name = " ".join(device.names.get(tag, device.names.get("", ((),)))[0])
            said = " ".join(heard)
            return Proposal(("devices", device.id, "also_heard"), said, f"“{name}” is written “{said}”")
    text = _as_phrase(grammar, meant, utterance)
    trial = _with_phrase(house, meant, text)
    if text and acts(trial, Matcher(trial).match(take, tag, mode), trial.intents[intent]):
        return Proposal(("intents", intent, "phrases"), text, f"“{take}” is not understood as {intent} yet")
    return None


def with_proposal(house: House, proposal: Proposal) -> House:
    """A house as it would be with an addition."""
    section, key, _ = proposal.path
    if section == "devices":
        return _with_name(house, house.devices[key], house.languages[0], tuple(proposal.text.split()))
    return _with_phrase(house, house.intents[key], proposal.text)


# --- a name that is heard otherwise -----------------------------------------------------------------------------------


def _misheard(house: House, grammar: Grammar, intent: Intent, utterance: Utterance) -> list[tuple[Device, Words]]:
    """Devices with what was heard in the place of their name, the likeliest first: a stretch that no phrase and no value explains."""
    fitting = set(grammar.lexicon.devices(grammar.lexicon.fitting(intent))) if intent.to_a_device else set()
    stretches = list(dict.fromkeys(_unexplained(grammar, intent, utterance)))
    near: list[tuple[float, str, Words]] = []
    for key in house.devices:
        if key not in fitting:
            continue
        device = house.devices[key]
        for name in (*device.names.get(grammar.tag, ()), *device.names.get("", ())):
            for stretch in stretches:
                apart = apart_by_sound(stretch, name, grammar.tag) if stretch != name else 1.0
                if apart < LIKE_THE_NAME:
                    near.append((apart, key, stretch))
    return [(house.devices[key], stretch) for _, key, stretch in sorted(near)[:MOST_TRIED]]


def _unexplained(grammar: Grammar, intent: Intent, utterance: Utterance) -> Iterator[Words]:
    """Stretches of an utterance between what a phrase of the intent says word for word, with and without the words of its values."""
    worded = {w for p in grammar.patterns if p.intent.id == intent.id for place in p.places for w in place.words}
    language = grammar.lexicon.language
    values = _values(grammar, intent, utterance)
    numbers = {i for c in values if not c.used for i in range(c.start, c.end)}
    named = {i for c in values for i in range(c.start, c.end)}
    verbs = language.verbs | language.light  # a name is not a verb alone
    for taken in (numbers, named):
        passed = [
            word in worded or at in taken or word in language.small or utterance.roles[at] in (Role.FILLER, Role.TALK)
            for at, word in enumerate(utterance.words)
        ]
        for outside, run in groupby(range(len(passed)), key=passed.__getitem__):
            stretch = tuple(utterance.words[at] for at in run)
            if not outside and not verbs.issuperset(stretch):
                yield stretch


def _with_name(house: House, device: Device, tag: str, name: Words) -> House:
    names = {**device.names, tag: (*device.names.get(tag, ()), name)}
    return replace(house, devices={**house.devices, device.id: replace(device, names=names)})


# --- a phrase -----------------------------------------------------------------------------------------------------------


def _as_phrase(grammar: Grammar, intent: Intent, utterance: Utterance) -> str:
    """What was said in the phrase notation: what an intent's slots can take as slots, filler left out, the rest word for word."""
    spans = {c.start: (c.end, slot) for slot, c in _slots(grammar, intent, utterance)}
    articles = frozenset(grammar.lexicon.language.grammar.articles)
    written: list[str] = []
    at = 0
    while at < len(utterance.words):
        if at in spans:
            at, slot = spans[at]
            if slot == "device" and written and written[-1] in articles:
                written[-1] = f"[{written[-1]}]"
            written.append(f"${slot}")
            continue
        if utterance.roles[at] != Role.FILLER:
            written.append(utterance.words[at])
        at += 1
    return " ".join(written)


def _slots(grammar: Grammar, intent: Intent, utterance: Utterance) -> list[tuple[str, Candidate]]:
    """What was said for each slot of an intent, the device first, no word twice."""
    choices = Choices(utterance, grammar)
    places = {
        place.slot: place
        for pattern in grammar.patterns
        if pattern.intent.id == intent.id
        for place in pattern.places
        if place.slot and place.slot not in grammar.free
    }
    taken, kept = 0, list[tuple[str, Candidate]]()
    for slot in sorted(places, key=lambda s: s != "device"):
        for option in choices.of_slot(places[slot]).all:
            candidate = option.candidate
            if candidate is None or not candidate.tokens or candidate.cost > PLAIN:
                continue
            whole = (1 << candidate.end) - (1 << candidate.start)
            if not whole & taken and candidate.tokens == whole:
                taken |= whole
                kept.append((slot, candidate))
                break
    return kept


def _values(grammar: Grammar, intent: Intent, utterance: Utterance) -> Sequence[Candidate]:
    return [c for slot, c in _slots(grammar, intent, utterance) if slot != "device"]


def _with_phrase(house: House, intent: Intent, text: str) -> House:
    key = next((k for k in (house.languages[0], "") if intent.phrases.get(k)), "")
    phrases = {**intent.phrases, key: (*intent.phrases.get(key, ()), Phrase(text, expand(text)))} if text else intent.phrases
    return replace(house, intents={**house.intents, intent.id: replace(intent, phrases=phrases)})
