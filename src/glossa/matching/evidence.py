"""The evidence for a reading: a sum of named terms in log-odds that makes its confidence.

Every term is a count of items of an alignment, or of what it leaves alone, with one weight; :mod:`glossa.matching.amounts` counts. The
weights are fitted to tables by maximum likelihood (logistic regression; D. R. Cox, "The Regression Analysis of Binary Sequences", 1958)
by ``make fit``, and stand in ``evidence.toml`` beside this module. The confidence is the logistic function of the sum: how likely it is
that the reading is what was meant, and that anything was meant for the house at all.
"""

from __future__ import annotations

import math
import tomllib
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources

from msgspec import Struct

from glossa.matching.result import Counted


class Term(Struct, frozen=True, gc=False):
    """A term of the evidence.

    Attributes:
        name: as it is shown.
        sign: -1 where it can only speak against a reading, 1 where it can only speak for it, 0 where it may do either.
        prior: the weight that it is thought to have before any row was seen, in log-odds.
        text: what it counts.
    """

    name: str
    sign: int
    prior: float
    text: str


TERMS = (
    Term("start", 0, 2.0, "1, always"),
    Term("words heard", 1, 0.5, "words and values of the phrase that were heard as they are, at most 4"),
    Term("about it", 1, 0.5, "words for what the phrase is about: \"the temperature\""),
    Term("misfit", -1, -3.0, "the share of what was said and expected that doesn't fit, 1 - score"),
    Term("lead", 1, 1.0, "the lead over the next reading that means something else, in words, at most 1"),
    Term("unknown before", -1, -0.3, "unknown words before the stretch that the phrase covers, as log2(1 + n)"),
    Term("unknown inside", -1, -1.5, "unknown words inside it"),
    Term("unknown behind", -1, -1.0, "unknown words behind it"),
    Term("talk before", -1, -0.6, "words of telling and asking before it"),
    Term("talk inside", -1, -2.0, "words of telling and asking inside it"),
    Term("talk behind", -1, -1.5, "words of telling and asking behind it"),
    Term("question", -1, -5.0, "the first word asks about a state, which the phrase doesn't"),
    Term("stated", -1, -5.0, "a word such as \"is\" inside or behind: something is told of"),
    Term("word before", -1, -1.0, "words of the house with no place in the phrase, before it"),
    Term("word inside", -1, -2.0, "words of the house with no place in the phrase, inside it"),
    Term("word behind", -1, -1.5, "words of the house with no place in the phrase, behind it"),
    Term("direction before", -1, -1.5, "words that have an opposite, with no place in the phrase, before it"),
    Term("direction inside", -1, -2.0, "words that have an opposite, with no place in the phrase, inside it"),
    Term("direction behind", -1, -2.0, "words that have an opposite, with no place in the phrase, behind it"),
    Term("led by a direction", -1, -2.0, "something unexplained right behind a direction that may be a preposition: \"on fire\""),
    Term("governed", -1, -2.0, "a word right before it that makes it a part of what is told: \"they should\", \"he said\""),
    Term("number before", -1, -3.0, "numbers with no place in the phrase, before it"),
    Term("number inside", -1, -4.0, "numbers with no place in the phrase, inside it"),
    Term("number behind", -1, -4.0, "numbers with no place in the phrase, behind it"),
    Term("verb before", -1, -0.2, "verbs that say little, left over before the stretch that the phrase covers"),
    Term("verb left", -1, -0.5, "verbs that say little, left over inside or behind it"),
    Term("another verb", -1, -0.2, "verbs that say little, one left over and another one not heard"),
    Term("implied direction", -1, -0.2, "words of direction that go without saying: the \"down\" of \"slow it down\""),
    Term("small before", -1, -0.1, "prepositions and pronouns left over before it"),
    Term("small inside", -1, -0.3, "prepositions and pronouns left over inside it"),
    Term("small behind", -1, -0.3, "prepositions and pronouns left over behind it"),
    Term("amount left", -1, -1.0, "\"a bit\" and its kin where nothing changes by an amount"),
    Term("broken off", -1, -3.0, "a preposition at the end that wants a value, where the phrase wants none"),
    Term("preamble", -1, -0.3, "a clause of its own in front"),
    Term("reason", -1, -0.3, "a clause of its own behind"),
    Term("beside a part", -1, -1.0, "a clause of its own beside a phrase that was not heard in full"),
    Term("another device", -1, -3.0, "a device that is named and left alone"),
    Term("another room", -1, -3.0, "a room that is named and left alone"),
    Term("foreign place", -1, -4.0, "a room that this house doesn't have"),
    Term("unheard word", -1, -2.5, "words of the phrase that were not heard"),
    Term("part of its name", -1, -0.5, "words that were not heard of a name that the phrase holds and of which others were heard"),
    Term("unheard direction", -1, -3.0, "words of the phrase that have an opposite and were not heard"),
    Term("unheard verb", -1, -0.3, "verbs of the phrase that say little and were not heard, where no other verb was"),
    Term("unheard measure", -1, -0.3, "a word for what a value measures that was not heard: \"speed\""),
    Term("unheard question", -1, -3.0, "question words of the phrase that were not heard"),
    Term("only a name", -1, -2.0, "nothing but a name was heard of a phrase that holds more"),
    Term("nothing named", -1, -2.0, "only verbs and directions were heard of a phrase that names something"),
    Term("all unsure", -1, -1.5, "no word of the phrase and no value was heard as it is"),
    Term("another form", -1, -0.2, "words heard in another form"),
    Term("one for many", -1, -0.5, "a singular heard for a plural, or a plural for a singular, where one device is meant"),
    Term("telling form", -1, -2.0, "verbs heard in a form that tells of something: \"turned on\""),
    Term("same meaning", -1, -0.2, "words heard as others that mean the same"),
    Term("stands for", -1, -0.7, "words heard as others that stand for them"),
    Term("other words", -1, -0.3, "words heard as other words altogether"),
    Term("sound", -1, -0.5, "words bridged by sound"),
    Term("sound distance", -1, -2.0, "how far they are apart by sound, summed up"),
    Term("taken by sound", -1, -0.7, "words bridged by sound from words that usually are others"),
    Term("split", -1, -0.2, "words written in several"),
    Term("order", -1, -0.4, "places out of their order"),
    Term("another order", -1, -0.1, "places out of their order, one of them a word that stands for the phrase's own: \"dim the lamp\" for \"the lamp dimmer\""),
    Term("preposition", -1, -3.0, "\"by\", \"up\" or \"brighter\" beside what a value becomes, or \"to\" before an amount of change"),
    Term("homophone", -1, -2.0, "numbers that usually are other words"),
    Term("rough number", -1, -0.5, "numbers strung together, ordinals, misspelt ones"),
    Term("unit", -1, -4.0, "units that are another value's"),
    Term("unnamed thing", -1, -2.0, "a device that is known by its room alone, and an unknown word that may be its name"),
    Term("named otherwise", -1, -1.0, "a word with no place right before a noun that alone says which device is meant: \"traffic light\""),
    Term("another noun", -1, -1.0, "a word that is unknown, or of other phrases, right behind what a device is called: \"kettle toaster\""),
    Term("first words", -1, -1.5, "names of which only the first words were said"),
    Term("which", -1, -0.3, "it is open which device is meant"),
    Term("missing", -1, -0.3, "slots that have to be asked for"),
    Term("guessed name", -1, -1.5, "a device whose name is one word that was only heard by sound"),
    Term("guessed which", -1, -1.0, "how far the words are apart by sound that alone tell a device from others of its kind"),
    Term("guessed value", -1, -1.0, "a value that was only heard by sound"),
    Term("counts something", -1, -1.5, "an unknown word, or a device, right behind a number without a unit: \"twenty pounds\""),
    Term("default", -1, -0.1, "slots of a default that were not said"),
    Term("spoken of", -1, -0.5, "the device was not said but spoken of before"),
    Term("wrong room", -1, -1.0, "a room was named in which the device is not"),
    Term("free words", -1, -0.2, "slots that take any words"),
    Term("free and unheard", -1, -3.0, "words that were not heard of a phrase that takes any words"),
    Term("anything", -1, 0.0, "the phrase takes anything beside it"),
    Term("length", -1, -0.5, "tens of tokens over 12"),
)  # fmt: skip
TERM_NAMES = tuple(t.name for t in TERMS)
_RANK = {name: number for number, name in enumerate(TERM_NAMES)}


@lru_cache(maxsize=1)
def fitted_weights() -> Mapping[str, float]:
    """The weights that ship with the package, by term."""
    text = (resources.files("glossa.matching") / "evidence.toml").read_text(encoding="utf-8")
    return {name: float(weight) for name, weight in tomllib.loads(text)["weights"].items()}


def confidence(amounts: Mapping[str, float], weights: Mapping[str, float]) -> float:
    """The confidence that some amounts of the terms make, 0 to 1.

    >>> confidence({"start": 1}, {"start": 0.0})
    0.5
    """
    total = log_odds(amounts, weights)
    return 1.0 / (1.0 + math.exp(-max(-60.0, min(60.0, total))))


def log_odds(amounts: Mapping[str, float], weights: Mapping[str, float]) -> float:
    """The sum of the terms."""
    return sum(amount * weights.get(term, 0.0) for term, amount in amounts.items())


def counted(amounts: Mapping[str, float], weights: Mapping[str, float]) -> tuple[Counted, ...]:
    """The terms that count, those that count most first."""
    rows = [Counted(term, amount, weights.get(term, 0.0)) for term, amount in amounts.items() if amount]
    return tuple(sorted((r for r in rows if r.weight), key=lambda r: (-abs(r.log_odds), _RANK[r.term])))
