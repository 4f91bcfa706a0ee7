"""False starts and hesitations, taken out of an utterance before anything else is made of its words.

Whoever begins again says the same words again: "turn off the er turn off the strip light", "dim the sofa no dim the desk lamp". What
was given up can be left out safely, for all of its words, a negation too, come again; so it is looked for by its words alone. (W. J. M. Levelt,
"Monitoring and self-repair in speech", Cognition 14, 1983, has what speakers do.)
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence, Set
from itertools import combinations

from msgspec import Struct

from glossa.hearing.tokens import Token
from glossa.language import Language

FEW_WORDS = 2
"""So many words that mean nothing may stand between a false start and the words that begin again."""

GIVEN_UP = 8
"""So many words at most are given up with a correction: "dim the sofa no dim ..."."""


class Dropped(Struct, frozen=True, gc=False):
    """What was taken out.

    Attributes:
        at: the token that it stood before.
        start, end: where it stood in the text, as character indices.
        why: ``said again``, ``hesitation`` or ``until now``.
    """

    at: int
    start: int
    end: int
    why: str


class Repairs:
    """Finds what was taken back in the utterances of one house in one language.

    Args:
        language: the language.
        named: the words of the names of devices and groups.
        pairs: words that follow each other in them, and in the names of rooms.
        known: the words of the house.
        doubled: those that it says twice in a row.
        series: the words before the numbers of names, so that "rooms from one to three" are three rooms.
    """

    def __init__(
        self,
        language: Language,
        named: Iterable[str],
        pairs: Set[tuple[str, str]],
        known: Iterable[str],
        doubled: Iterable[str],
        series: Set[str],
    ) -> None:
        numbers, phrases = language.numbers, (language.filler, language.negation, language.talk)
        self._correction, self._pairs = language.phrases("grammar", "correction"), pairs
        counting = {*numbers.ones, *numbers.tens, *numbers.hundred, *numbers.scales, *numbers.digits_only, *numbers.homophones}
        self._counting = frozenset(counting)
        answers = (language.phrases("answers", name) for name in ("yes", "no", "cancel"))  # "uh uh"
        self._kept = self._counting.union(language.negation.single, doubled, *(p.doubled for p in (*phrases, *answers)))
        self._named = frozenset(named) | language.number_words.keys() | counting - {*numbers.homophones}
        # The "like" of "would you like" is more than a hesitation.
        self._hesitation = frozenset(numbers.hesitation).difference(known, *(p.among for p in phrases))
        self._small = language.small
        self._states = frozenset((*language.switch.on, *language.switch.off))
        self._verbs = (language.light | language.verbs) - self._states
        self._joined = frozenset(language.grammar.joined)
        self._light = (language.small | language.filler.single) - self._joined  # of "spot and spot two" both are meant
        self._opposite = language.opposite
        self._absolute, self._origin = frozenset(language.grammar.absolute), frozenset(language.grammar.origin)
        self._directions, self._series = frozenset(language.grammar.directions), series
        units = {w for texts in numbers.units.values() for text in texts for w in text.split()}
        self._numeral = (
            counting.union(language.number_words, numbers.fractions, numbers.joined, numbers.point, numbers.minus, units)
            - self._absolute
        )

    def of(self, tokens: Sequence[Token]) -> tuple[tuple[Token, ...], tuple[Dropped, ...]]:
        """The tokens that are left, and what was taken out."""
        words = [t.word for t in tokens]
        twice, corrected = len(set(words)) < len(words), not self._correction.first.keys().isdisjoint(words)
        again = self._begun_again(words) if twice or corrected else {}
        until_now = {} if self._origin.isdisjoint(words) else self._until_now(words)
        hesitating = not self._hesitation.isdisjoint(words)
        if not again and not hesitating and not until_now:
            return tuple(tokens), ()
        left: list[Token] = []
        dropped: list[Dropped] = []
        at = 0
        while at < len(tokens):
            end, why = (until_now[at], "until now") if at in until_now else (again.get(at, 0), "said again")
            if not end and left and words[at] in self._hesitation:
                end, why = at + 1, "hesitation"
                while end < len(tokens) and words[end] in self._hesitation:
                    end += 1
                following = next((w for w in words[end:] if w not in self._small), "")
                if end == len(tokens) or {words[at - 1], following} <= self._named:  # "the lamp er the radio" is one of them
                    end = 0
            if end:
                dropped.append(Dropped(len(left), tokens[at].start, tokens[end - 1].end, why))
                at = end
            else:
                left.append(tokens[at])
                at += 1
        return tuple(left), tuple(dropped)

    def _until_now(self, words: Sequence[str]) -> dict[int, int]:
        """What a value was before it becomes another one: the "from sixty" of "from sixty to twenty"; for its first word where it ends."""
        found = {}
        for at, word in enumerate(words):
            if word not in self._origin or not at or words[at - 1] in self._series or words[at - 1] in self._states:
                continue  # "the radio on from ten to eleven" is when
            end = at + 1
            while end < len(words) and self._is_numeral(words[end]):
                end += 1
            to = end + (end < len(words) and words[end] in self._directions)
            becomes = to + 1 < len(words) and words[to] in self._absolute and self._is_numeral(words[to + 1])
            if end > at + 1 and becomes:
                found[at] = end
        return found

    def _is_numeral(self, word: str) -> bool:
        return word in self._numeral or word[0].isdigit()

    def _begun_again(self, words: Sequence[str]) -> dict[int, int]:
        """For every word with which something begins that is begun again, where what is given up ends."""
        found: dict[int, int] = {}
        places: dict[str, list[int]] = {}
        for at, word in enumerate(words):
            places.setdefault(word, []).append(at)
        at = 0
        while at < len(words):
            ends = (self._given_up(words, at, again) for again in places[words[at]] if again > at)
            end = next((e for e in ends if e), 0) or self._corrected(words, at)
            if end:
                found[at] = end
            at = end or at + 1
        return found

    def _corrected(self, words: Sequence[str], at: int) -> int:
        """Where the number of another name stands that a number is corrected to: the "one no two" of "spot one no two"; 0 for none."""
        if not at or (words[at - 1], words[at]) not in self._pairs or words[at] not in self._counting:
            return 0
        end = at + 1 + (self._correction.at(words, at + 1) if at + 1 < len(words) else 0)
        return end if at + 1 < end < len(words) and (words[at - 1], words[end]) in self._pairs else 0

    def _given_up(self, words: Sequence[str], at: int, again: int) -> int:
        """Where what starts at ``at`` ends that is given up for what starts at ``again``; 0 where nothing is given up."""
        same = 1
        while again + same < len(words) and at + same < again and words[at + same] == words[again + same]:
            same += 1
        between = words[at + same : again]
        if same == 1:
            return 0 if between or words[at] in self._kept or words[at][0].isdigit() else again
        run = words[at : at + same]
        counted = all((w in self._counting and w not in self._absolute) or w[0].isdigit() for w in run)
        if counted or run[0] in self._joined or any(self._opposite(a, b) for a, b in combinations(run, 2)):
            return 0  # "one two one two", "camera and camera cooler", "up down up down"
        if len(between) <= FEW_WORDS and all(w in self._light or w in self._hesitation for w in between):
            return again
        if at == 0 and len(between) <= FEW_WORDS and between[0] in self._verbs and all(w in self._light for w in between[1:]):
            return same  # "desk lamp dim the desk lamp"
        corrected = len(between) <= GIVEN_UP and any(self._correction.whole(between[i:]) for i in range(len(between)))
        return again if corrected else 0
