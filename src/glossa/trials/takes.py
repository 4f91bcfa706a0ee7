"""Learning from what a recogniser writes: takes of one command, and misses in a log."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from msgspec import Struct

from glossa.house.model import House
from glossa.house.text import words
from glossa.matching import Matcher
from glossa.matching.stops import STOPS, Severity
from glossa.trials.findings import apart_by_sound, samples

AGREE = 0.25
"""Takes further apart than this do not agree."""

NEAR = 0.35
"""A miss nearer than this to a phrase is taken for that phrase misheard."""


_REFUSING = frozenset(s.name for s in STOPS if s.severity == Severity.REJECT)


class Proposal(Struct, frozen=True):
    """Something to add to the house file: a list's path, the text, and why."""

    path: tuple[str, ...]
    text: str
    why: str


class Lesson(Struct, frozen=True):
    """What several takes of one command say.

    Attributes:
        takes: what was written, with how often.
        agree: whether the takes agree with each other.
        apart: the largest distance between two takes, 0 to 1.
        understood: the takes that the house already understands as the command.
        nearest: the intent, other than this one, that a take came nearest to, and its score.
        proposals: what to add.
    """

    takes: tuple[tuple[str, int], ...]
    agree: bool
    apart: float
    understood: tuple[str, ...]
    nearest: tuple[str, float]
    proposals: tuple[Proposal, ...]


def teach(house: House, intent: str, takes: Sequence[str], matcher: Matcher | None = None) -> Lesson:
    """What several takes of one command say about how a recogniser writes it.

    Args:
        house: the house.
        intent: the intent that was meant.
        takes: the lines that the recogniser wrote.
        matcher: a matcher of the same house.

    Raises:
        KeyError: where the house has no such intent.
        ValueError: where nothing was heard.
    """
    matcher = matcher or Matcher(house)
    meant = house.intents[intent]
    tag = house.languages[0]
    counted = Counter(" ".join(words(t)) for t in takes if words(t))
    if not counted:
        raise ValueError("nothing was heard")
    distinct = [tuple(t.split()) for t in counted]
    apart = max((apart_by_sound(a, b, tag) for a in distinct for b in distinct), default=0.0)
    understood, proposals = [], []
    nearest = ("", 0.0)
    mode = meant.modes[0] if meant.modes else ""
    for take, _ in counted.most_common():
        match = matcher.match(take, mode=mode)
        if match.best is not None and match.best.intent == intent and match.outcome in ("accept", "ask", "confirm"):
            understood.append(take)
        else:
            proposals.append(_proposed(house, matcher, intent, take))
        for reading in match.readings:
            if reading.intent != intent and reading.score > nearest[1]:
                nearest = (reading.intent, reading.score)
    return Lesson(
        takes=tuple(counted.most_common()),
        agree=apart <= AGREE,
        apart=round(apart, 3),
        understood=tuple(understood),
        nearest=nearest,
        proposals=tuple(proposals),
    )


def _proposed(house: House, matcher: Matcher, intent: str, take: str) -> Proposal:
    """The smallest addition that makes a take understood: a name that was heard otherwise, else the whole phrase."""
    tag = house.languages[0]
    grammar = matcher.grammar(tag)
    heard = grammar.hearing.analyse(take).words
    best: tuple[float, str, tuple[str, ...], tuple[str, ...]] | None = None
    for sample in samples(house, house.intents[intent], tag):
        said = tuple(sample.split())
        for key, name in ((d.id, n) for d in house.devices.values() for n in (*d.names.get(tag, ()), *d.names.get("", ()))):
            at = next((i for i in range(len(said) - len(name) + 1) if said[i : i + len(name)] == name), None)
            if at is None:
                continue
            before, after = said[:at], said[at + len(name) :]
            middle = heard[len(before) : len(heard) - len(after) if after else None]
            if heard[: len(before)] == before and (not after or heard[-len(after) :] == after) and middle and middle != name:
                apart = apart_by_sound(middle, name, tag)
                if apart < 0.6 and (best is None or apart < best[0]):
                    best = (apart, key, middle, name)
    if best is not None:
        _, key, middle, name = best
        return Proposal(("devices", key, "also_heard"), " ".join(middle), f"“{' '.join(name)}” is written “{' '.join(middle)}”")
    return Proposal(("intents", intent, "phrases"), " ".join(heard), f"“{take}” is not understood as {intent} yet")


class Miss(Struct, frozen=True):
    """A group of misses in a log that are the same thing said, or misheard, again.

    Attributes:
        texts: the lines with how often each was heard, most often first.
        count: how often in all.
        intent: the intent that they are nearest to, ``""`` for none.
        score: the best score of its readings.
        outcome: what the house made of the first of them.
        row: a row to propose for the table: utterance, outcome, intent.
        proposal: a word or phrase to add, or None.
    """

    texts: tuple[tuple[str, int], ...]
    count: int
    intent: str
    score: float
    outcome: str
    row: tuple[str, str, str]
    proposal: Proposal | None


def learn(house: House, lines: Iterable[str], matcher: Matcher | None = None) -> list[Miss]:
    """The misses among heard lines, grouped, most often heard first.

    Args:
        house: the house.
        lines: what was heard; wake words in front are taken off.
        matcher: a matcher of the same house.
    """
    from glossa.conversation.wake import WakeWords

    matcher = matcher or Matcher(house)
    wake = WakeWords(house)
    tag = house.languages[0]
    counted: Counter[str] = Counter()
    for line in lines:
        woken = wake.hear(line) if house.wake else None
        text = " ".join(words(woken.rest if woken is not None else line))
        if text:
            counted[text] += 1
    groups: list[list[tuple[str, int]]] = []
    for text, count in counted.most_common():
        match = matcher.match(text)
        if match.outcome in ("accept", "ask", "cancel") or match.reason in ("range", "mode") or wake.ends(text):
            continue  # understood, whether it was done or not
        near = next((g for g in groups if apart_by_sound(tuple(g[0][0].split()), tuple(text.split()), tag) <= AGREE), None)
        if near is not None:
            near.append((text, count))
        else:
            groups.append([(text, count)])
    found = []
    for group in groups:
        first = group[0][0]
        match = matcher.match(first)
        best = match.best
        # What a stop kept from being done is no miss, however near a phrase it comes.
        meant = _nearest_phrase(house, first, tag) if match.reason not in _REFUSING else ""
        intent = best.intent if best is not None and match.outcome == "confirm" else meant
        proposal = _proposed(house, matcher, intent, first) if intent else None
        row = (first, "accept" if intent else "reject", intent)
        found.append(Miss(tuple(group), sum(n for _, n in group), intent, match.score, str(match.outcome), row, proposal))
    return sorted(found, key=lambda m: (-m.count, m.texts[0][0]))


def _nearest_phrase(house: House, text: str, tag: str) -> str:
    """The intent whose phrases sound most like a text, where one is near."""
    said = tuple(text.split())
    best = ("", NEAR)
    for intent in house.intents.values():
        for sample in samples(house, intent, tag):
            apart = apart_by_sound(said, tuple(sample.split()), tag)
            if apart < best[1]:
                best = (intent.id, apart)
    return best[0]
