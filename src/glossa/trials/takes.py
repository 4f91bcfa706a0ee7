"""Learning from what a recogniser writes: takes of one command, and misses in a log."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Sequence

from msgspec import Struct

from glossa.house.model import House
from glossa.house.text import words
from glossa.matching import Matcher
from glossa.matching.stops import STOPS, Severity
from glossa.trials.candidates import Likely
from glossa.trials.findings import apart_by_sound
from glossa.trials.proposals import Proposal, acts, propose, with_proposal
from glossa.trials.sentences import samples

AGREE = 0.25
"""Takes further apart than this do not agree."""

NEAR = 0.35
"""A miss nearer than this to a phrase is taken for that phrase misheard."""


MOST_PROPOSED = 50
"""Groups of misses for which additions are tried."""

_REFUSING = frozenset(s.name for s in STOPS if s.severity == Severity.REJECT)


class Lesson(Struct, frozen=True):
    """What several takes of one command say.

    Attributes:
        takes: what was written, with how often.
        agree: whether the takes agree with each other.
        apart: the largest distance between two takes, 0 to 1.
        understood: the takes that the house already understands as the command.
        nearest: the intent, other than this one, that a take came nearest to, and its score.
        proposals: what to add; each was tried, and carries its take out.
        beyond: the takes that no addition would have carried out, such as one that lacks a value that the intent sets.
    """

    takes: tuple[tuple[str, int], ...]
    agree: bool
    apart: float
    understood: tuple[str, ...]
    nearest: tuple[str, float]
    proposals: tuple[Proposal, ...]
    beyond: tuple[str, ...] = ()


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
    better = house
    understood: list[str] = []
    beyond: list[str] = []
    proposals: list[Proposal] = []
    nearest = ("", 0.0)
    mode = meant.modes[0] if meant.modes else ""
    for take, _ in counted.most_common():
        match = matcher.match(take, mode=mode)
        if match.best is not None and match.best.intent == intent and match.outcome in ("accept", "ask", "confirm"):
            understood.append(take)
        else:
            if proposals and acts(better, Matcher(better).match(take, mode=mode), better.intents[intent]):
                continue  # what is proposed for an earlier take is enough
            proposal = propose(house, matcher, intent, take)
            if proposal is None:
                beyond.append(take)
            else:
                proposals.append(proposal)
                better = with_proposal(better, proposal)
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
        beyond=tuple(beyond),
    )


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


def learn(house: House, lines: Iterable[str], matcher: Matcher | None = None, most: int = MOST_PROPOSED) -> list[Miss]:
    """The misses among heard lines, grouped, most often heard first.

    Args:
        house: the house.
        lines: what was heard; wake words in front are taken off.
        matcher: a matcher of the same house.
        most: additions are tried for so many groups, those that were heard most.
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
    likely = Likely(tag)
    phrases = _Phrases(house, tag)
    for text, count in counted.most_common():
        match = matcher.match(text)
        if match.outcome in ("accept", "ask", "cancel") or match.reason in ("range", "mode") or wake.ends(text):
            continue  # understood, whether it was done or not
        said = tuple(text.split())
        near = next((g for g in likely.near(said) if apart_by_sound(tuple(groups[g][0][0].split()), said, tag) <= AGREE), None)
        if near is not None:
            groups[near].append((text, count))
        else:
            groups.append([(text, count)])
            likely.add(said)
    found: list[Miss] = []
    for group in sorted(groups, key=lambda g: (-sum(n for _, n in g), g[0][0])):
        first = group[0][0]
        match = matcher.match(first)
        best = match.best
        # What a stop kept from being done is no miss, however near a phrase it comes.
        meant = phrases.nearest(first) if match.reason not in _REFUSING else ""
        intent = best.intent if best is not None and match.outcome == "confirm" else meant
        proposal = propose(house, matcher, intent, first) if intent and len(found) < most else None
        row = (first, "accept" if intent else "reject", intent)
        found.append(Miss(tuple(group), sum(n for _, n in group), intent, match.score, str(match.outcome), row, proposal))
    return found


class _Phrases:
    """The phrases of a house as plain sentences, to be found again by their sound."""

    def __init__(self, house: House, tag: str) -> None:
        self._tag = tag
        self._said = [(i.id, tuple(sample.split())) for i in house.intents.values() for sample in samples(house, i, tag)]
        self._likely = Likely(tag)
        for _, words_ in self._said:
            self._likely.add(words_)

    def nearest(self, text: str) -> str:
        """The intent whose phrases sound most like a text, ``""`` where none is near."""
        said = tuple(text.split())
        best = ("", NEAR)
        for number in self._likely.near(said):
            intent, sample = self._said[number]
            apart = apart_by_sound(said, sample, self._tag)
            if apart < best[1]:
                best = (intent, apart)
        return best[0]
