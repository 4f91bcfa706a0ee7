"""What stands right beside a name, a value or a number, has no place, and may be a part of it that was misheard.

The rest of a name, of a value or of a number may well be another one: "forty" of "forty five", "lamps" of "cabin lamps", "white" of "warm
white". So what is torn is asked back about.
"""

from __future__ import annotations

from collections.abc import Iterator

from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role
from glossa.hearing.utterance import Utterance
from glossa.house.sorts import NumberValues
from glossa.language import is_plural
from glossa.matching.alignment import Alignment, Candidate
from glossa.matching.grammar import Grammar

_PASSED = frozenset((Role.SMALL, Role.FILLER))
_OPENING = frozenset((Role.FILLER, Role.PREAMBLE))
_MISHEARD = frozenset((Role.UNKNOWN, Role.TALK, Role.WORD, Role.VERB))


def torn(utterance: Utterance, alignment: Alignment, grammar: Grammar) -> str:
    """The words that may be the rest of something that was only half heard, ``""`` for none."""
    if alignment.pattern.garbage:
        return ""
    look = _Beside(utterance, alignment, grammar)
    return next(
        (utterance.words[at] for option in alignment.chosen if option for at in look.at(option.candidate, option.spec)), ""
    )


class _Beside:
    def __init__(self, utterance: Utterance, alignment: Alignment, grammar: Grammar) -> None:
        self.utterance, self.covered, self.lexicon = utterance, alignment.covered | alignment.beside, grammar.lexicon
        self.measures = alignment.pattern.measures
        self.grammar = grammar.lexicon.language.grammar

    def at(self, candidate: Candidate | None, spec: int) -> Iterator[int]:
        """The tokens that may be a part of what a slot took."""
        if candidate is None:
            return
        if isinstance(candidate.value, Devices):
            yield from self._names(candidate, candidate.value)
        elif candidate.used:
            yield from self._values(candidate, spec)
        elif isinstance(candidate.value, (int, float)):
            yield from self._numbers(candidate)
            if self._rather_on(candidate, spec):
                yield candidate.start

    def _free(self, at: int) -> bool:
        return 0 <= at < len(self.utterance.words) and not self.covered >> at & 1

    def _misheard(self, at: int) -> bool:
        """Whether a word has no place and may be another one; what the phrase is about, and the verb that a request begins with, are themselves."""
        if not self._free(at) or self.utterance.roles[at] not in _MISHEARD or self.utterance.words[at] in self.measures:
            return False
        opens = all(role in _OPENING for role in self.utterance.roles[:at])
        return not (opens and self.utterance.roles[at] == Role.VERB)

    def _names(self, candidate: Candidate, devices: Devices) -> Iterator[int]:
        """The "beige" of "the beige lamps", the "big" of "big bathroom lamp": where a name has its other words; the "er" of "the lamp er
        the radio".

        Between parts of an expression that stand apart a word may have taken something out: "all the lamps exempt those in the hall".
        """
        for between in range(candidate.start, candidate.tokens.bit_length()):
            if self._free(between) and self.utterance.roles[between] in (Role.UNKNOWN, Role.TALK):
                yield between
        if devices.doubted:
            hesitation = self.lexicon.language.numbers.hesitation
            said = [i for i in range(len(self.utterance.words)) if candidate.tokens >> i & 1]
            yield next((i for i in said if self.utterance.words[i] in hesitation), said[-1])
        behind = candidate.end  # the "two" of "spot one two on" where there is a spot two
        if self._free(behind) and self.lexicon.series and self.utterance.roles[behind - 1 : behind + 1] == (Role.NUMBER,) * 2:
            if self.utterance.words[behind] in self.lexicon.named:
                yield behind
        several = devices.which or devices.devices.bit_count() > 1
        first = candidate.start
        if several and first and self.utterance.words[first - 1] in self.grammar.singular_articles:
            if is_plural(self.utterance.words[first], self.lexicon.language):
                yield first - 1  # the "la" of "apaga la estufas"
        if several:  # the "upstairs" of "all lights off upstairs", where there are upstairs lights
            for other, (word, role) in enumerate(zip(self.utterance.words, self.utterance.roles, strict=True)):
                if (
                    role == Role.WORD
                    and self._free(other)
                    and word in self.lexicon.named
                    and word not in self.lexicon.of_noun_word
                ):
                    yield other
        at = candidate.start - 1 if self.grammar.head == "last" else candidate.end
        if not self._free(at):
            return
        role, word = self.utterance.roles[at], self.utterance.words[at]
        if role == Role.WORD and word in self.lexicon.named:
            yield at
        if several and word in self.grammar.possessive:  # "his lamps" are not all of them
            yield at
        said_of_one = word in self.lexicon.articles or word in self.grammar.pronouns
        goes_on = at > 0 and self.utterance.roles[at - 1] == Role.NUMBER  # "forty for all the lights"
        described = at and self.utterance.words[at - 1] in self.lexicon.articles and role in (Role.WORD, Role.VERB)
        if several and (
            role in (Role.UNKNOWN, Role.TALK)
            or described
            or (role == Role.SMALL and self.grammar.head == "last" and not said_of_one and not goes_on)
        ):
            yield at

    def _values(self, candidate: Candidate, spec: int) -> Iterator[int]:
        """The "horn" of "horn white", where there is a "warm white"; the "low" of "on low", where there is no "low"."""
        if self._free(candidate.end) and self.utterance.roles[candidate.end] == Role.POLE:
            yield candidate.end
        longer = self.lexicon.of_longer_value.get(spec, set())
        if len(candidate.used) == 1 and candidate.used[0].word in longer:
            for at in (candidate.start - 1, candidate.end):
                if self._misheard(at):
                    yield at

    def _rather_on(self, candidate: Candidate, spec: int) -> bool:
        """Whether a share of one percent is rather a switch: the "one" of "pew lamp one"."""
        values, word = self.lexicon.specs[spec], self.utterance.words[candidate.start]
        alone = candidate.end == candidate.start + 1 and word in self.lexicon.language.numbers.like_on
        led = candidate.start and self.utterance.words[candidate.start - 1] in self.grammar.absolute
        return alone and not led and isinstance(values, NumberValues) and values.unit == "percent"

    def _numbers(self, candidate: Candidate) -> Iterator[int]:
        """The "certain" of "certain six", the "too" of "too and a half", the "move" of "forty move", the "will" of "to will sixty": it
        sounds like a part of a number, or stands where one begins."""
        words, roles = self.utterance.words, self.utterance.roles
        for at, step in ((candidate.start - 1, -1), (candidate.end, 1)):
            while self._free(at) and roles[at] in _PASSED:
                if step < 0 and words[at] in self.grammar.joined:
                    yield at
                at += step
            led = step < 0 and at > 0 and words[at - 1] in self.grammar.absolute
            if self._misheard(at) and (led or self.lexicon.vocabulary.may_be_number(words[at])):
                yield at
        at, end = candidate.end, len(roles) - 1
        numbers = self.lexicon.language.numbers
        if words[at - 1] in numbers.tens and self._free(at) and at == end and words[at] in numbers.like_ones:
            yield at  # the "on" of "channel forty on", the "in" of "channel forty in"
