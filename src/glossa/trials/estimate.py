"""Estimating how a recogniser mishears from what was said and what it wrote."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from itertools import product

from msgspec import Struct

from glossa.hearing.roles import How
from glossa.house.model import House
from glossa.house.recogniser import Recogniser, Sorts, Sounds
from glossa.house.text import words
from glossa.language import Language
from glossa.language.phones import PLAIN, Phones, distance, phones
from glossa.language.phrases import Words
from glossa.matching import Matcher, Outcome
from glossa.trials.findings import apart_by_sound
from glossa.trials.sentences import samples

SLOPE = 0.25
"""The price over which a sound gets e times less likely to be taken for another."""

PRIOR = 2.0
"""A pair of sounds counts as if it had been misheard so often already where it usually is (a gamma prior), so that a single one says little."""

PRIOR_WORDS = 20.0
"""The same for words, and for the sorts of errors."""

LEAST_CHANGE, LEAST_PRICE = 0.1, 0.05
"""A price that moves by less is left as it usually is; none falls lower."""

DROP, JOIN = 0.7, 0.1
"""What a word that was lost or added costs in laying two lines beside each other, and what one that was merged or split costs at least."""

TOO_FAR = 0.65
"""Words further apart than this are not one heard for the other."""

NOT_IT = 0.4
"""A take that is further than this from every phrase is none of them."""

GAP = ""

Pair = tuple[str, str]
"""What was said, and what was written."""


class _Step(Struct, frozen=True):
    """Some said words and the heard words that stand for them."""

    said: Words
    heard: Words

    @property
    def sort(self) -> str:
        """Which sort of error it is, ``""`` for none."""
        if self.said == self.heard:
            return ""
        counts = len(self.said), len(self.heard)
        return {(1, 0): "deletion", (0, 1): "insertion", (2, 1): "merge", (1, 2): "split"}.get(counts, "substitution")


def estimate(pairs: Iterable[Pair], language: Language) -> Recogniser:
    """How a recogniser mishears, as far as some lines show it.

    Rates are posterior means around those of a recogniser as they usually are (a Dirichlet prior, A. Gelman and others, "Bayesian Data
    Analysis", 3.4); the price of a sound is the usual one, moved by the logarithm of how much more often than usual it was misheard so.

    Args:
        pairs: what was said, and what was written.
        language: the language that was spoken.
    """
    steps = [step for said, heard in pairs for step in _beside(words(said), words(heard), language.tag)]
    total = sum(len(s.said) for s in steps)
    sorts: Counter[str] = Counter(s.sort for s in steps if s.sort)
    usual = Recogniser()
    prior = {name: getattr(usual.sorts, name) for name in Sorts.__struct_fields__}
    scale = PRIOR_WORDS * usual.rate / sum(prior.values())
    numbers = set(language.number_words)
    twins = sum(s.sort == "substitution" and {*s.said, *s.heard} <= numbers for s in steps)
    sorts["twin"], sorts["substitution"] = twins, sorts["substitution"] - twins
    errors = sum(sorts.values())
    rates = {name: share * scale + sorts[name] for name, share in prior.items()}
    size = sum(prior.values()) / sum(rates.values())
    written: dict[str, Counter[str]] = {}
    for step in steps:
        if step.sort == "substitution":
            written.setdefault(step.said[0], Counter())[step.heard[0]] += 1
    return Recogniser(
        words=total,
        rate=round((errors + PRIOR_WORDS * usual.rate) / (total + PRIOR_WORDS), 4),
        sorts=Sorts(**{name: round(rate * size, 2) for name, rate in rates.items()}),
        sounds=_sounds(steps, language.tag),
        written={said: dict(heard.most_common()) for said, heard in sorted(written.items())},
    )


def understood_pairs(house: House, lines: Iterable[str], matcher: Matcher | None = None) -> list[Pair]:
    """What was said and what was written, for the lines that a house carries out: a word that it takes for another by its sound was that one.

    Args:
        house: the house.
        lines: what was heard.
        matcher: a matcher of the same house.
    """
    matcher = matcher or Matcher(house)
    found = []
    for line in lines:
        match = matcher.match(line)
        if match.outcome != Outcome.ACCEPT or match.parts:
            continue
        understood = matcher.understand(line, match.language)
        heard = understood.utterance.words
        said = list(heard)
        for item in understood.meanings[0].alignment.items:
            for edge in item.option.edges if item.option is not None else ():
                if edge.how & How.SOUND:
                    said[edge.start : edge.end] = [edge.word, *[""] * (edge.end - edge.start - 1)]
        found.append((" ".join(w for w in said if w), " ".join(heard)))
    return found


def taken_pairs(house: House, intent: str, takes: Iterable[str]) -> list[Pair]:
    """What was said and what was written, for takes of one command: of its phrases the one that sounds most like each was said.

    A take that sounds like none of them was something else.
    """
    tag = house.languages[0]
    phrases = [tuple(words(s)) for s in samples(house, house.intents[intent], tag)]
    found = []
    for take in takes if phrases else ():
        heard = tuple(words(take))
        apart, said = min((apart_by_sound(p, heard, tag), p) for p in phrases)
        if heard and apart <= NOT_IT:
            found.append((" ".join(said), " ".join(heard)))
    return found


# --- words ----------------------------------------------------------------------------------------------------------


def _beside(said: Words, heard: Words, tag: str) -> list[_Step]:
    """Two lines laid beside each other, the cheapest way; words further apart than ``TOO_FAR`` are one lost and one added."""
    sound = {w: phones(w, tag) for w in (*said, *heard)}
    best: dict[tuple[int, int], tuple[float, tuple[_Step, ...]]] = {(0, 0): (0.0, ())}
    for i, j in product(range(len(said) + 1), range(len(heard) + 1)):
        ways = []
        for many, few in ((1, 1), (1, 0), (0, 1), (2, 1), (1, 2)):
            before = best.get((i - many, j - few))
            if before is None:
                continue
            step = _Step(said[i - many : i], heard[j - few : j])
            price = _price(step, sound)
            if price < 1:
                ways.append((before[0] + price, (*before[1], step)))
        if ways:
            best[i, j] = min(ways, key=lambda w: w[0])
    return list(best[len(said), len(heard)][1])


def _price(step: _Step, sound: Mapping[str, Phones]) -> float:
    if step.said == step.heard:
        return 0.0
    if not step.said or not step.heard:
        return DROP
    if len(step.said) != len(step.heard) and not {*step.said}.isdisjoint(step.heard):
        return 1.0  # one of the two was heard as it is, so that the other was lost or added
    one, other = (tuple(p for w in side for p in sound[w]) for side in (step.said, step.heard))
    apart = distance(one, other)
    return (apart if apart <= TOO_FAR else 1.0) + (JOIN if len(step.said) != len(step.heard) else 0.0)


# --- sounds ---------------------------------------------------------------------------------------------------------


def _sounds(steps: Iterable[_Step], tag: str) -> Sounds:
    """The prices of sounds that were misheard more often, or less often, than usual."""
    spoken: Counter[str] = Counter()
    slips: Counter[tuple[str, str]] = Counter()
    for step in steps:
        mine, written = (tuple(p for w in side for p in phones(w, tag)) for side in (step.said, step.heard))
        spoken.update(mine)
        if step.sort in ("substitution", "merge", "split"):
            slips.update(_swapped(mine, written))
    if not slips:
        return Sounds()
    symbols = sorted({*spoken, *(s for pair in slips for s in pair if s)})
    usual = _usual(symbols)
    rate = sum(slips.values()) / max(1, sum(spoken.values()))
    swapped: dict[str, float] = {}
    lost: dict[str, float] = {}
    for (one, other), count in sorted(slips.items()):
        times = spoken[one] + (spoken[other] if other else 0)
        seen = count + (slips[other, one] if other else 0)
        ratio = (seen + PRIOR) / (usual[one, other] * rate * times + PRIOR)
        before = PLAIN.swap(one, other) if other else PLAIN.gap((one,), 0)
        price = round(min(1.0, max(LEAST_PRICE, before - SLOPE * math.log(ratio))), 2)
        if abs(price - before) >= LEAST_CHANGE and other:
            swapped[" ".join(sorted((one, other)))] = price
        elif abs(price - before) >= LEAST_CHANGE:
            lost[one] = price
    return Sounds(swapped, lost)


def _usual(symbols: Iterable[str]) -> dict[tuple[str, str], float]:
    """For each sound what it is usually misheard as, where it is misheard: shares that add up to 1, ``""`` for being lost."""
    shares: dict[tuple[str, str], float] = {}
    every = list(symbols)
    for one in every:
        mine = {(one, other): math.exp(-PLAIN.swap(one, other) / SLOPE) for other in every if other != one}
        mine[one, GAP] = math.exp(-PLAIN.gap((one,), 0) / SLOPE)
        total = sum(mine.values())
        shares.update({pair: share / total for pair, share in mine.items()})
    return shares


def _swapped(one: Phones, other: Phones) -> Iterator[tuple[str, str]]:
    """The sounds of one that another has others for, the cheapest way; one that is added counts as it would if it were lost."""
    rows: list[list[tuple[float, tuple[tuple[str, str], ...]]]] = [[(0.0, ())]]
    for j in range(len(other)):
        cost, way = rows[0][j]
        rows[0].append((cost + PLAIN.gap(other, j), (*way, (other[j], GAP))))
    for i in range(len(one)):
        cost, way = rows[i][0]
        rows.append([(cost + PLAIN.gap(one, i), (*way, (one[i], GAP)))])
        for j in range(len(other)):
            (both, to_both), (up, to_up), (left, to_left) = rows[i][j], rows[i][j + 1], rows[i + 1][j]
            rows[i + 1].append(
                min(
                    (both + PLAIN.swap(one[i], other[j]), (*to_both, (one[i], other[j]))),
                    (up + PLAIN.gap(one, i), (*to_up, (one[i], GAP))),
                    (left + PLAIN.gap(other, j), (*to_left, (other[j], GAP))),
                    key=lambda w: w[0],
                )
            )
    return (pair for pair in rows[-1][-1][1] if pair[0] != pair[1])
