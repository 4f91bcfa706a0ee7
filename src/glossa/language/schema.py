"""The form of a language file (TOML): which lists there are, and what each holds.

Words are compared folded: lower case, no accents, no apostrophes; the long lists may be written as one writes, all others have to be folded. A
phrase of several words is matched as a whole.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from msgspec import Meta, Struct, field
from msgspec.structs import asdict, replace

from glossa.house.notation import NotationError
from glossa.house.text import words
from glossa.language.phrases import PhraseSet, is_pattern

Words = list[str]
Sides = Annotated[list[Words], Meta(min_length=2, max_length=2)]
Pair = Annotated[Words, Meta(min_length=2, max_length=2)]
Numbers = Annotated[list[int], Meta(min_length=2, max_length=2)]


class Section(Struct, forbid_unknown_fields=True, frozen=True):
    """A section; unknown keys are errors."""


class Toward(Section, frozen=True):
    """Words that may stand for others, at a price and one way only."""

    say: Words
    means: Words


class Synonyms(Section, frozen=True):
    """``same``: groups that mean the same; ``toward``: one way only; ``rewrites``: (heard, said) where the words as they are don't fit."""

    same: list[Words] = []
    toward: list[Toward] = []
    rewrites: list[Pair] = []


class GrammarWords(Section, frozen=True):
    """Small words with a job, and how words are inflected.

    Attributes:
        through: what leads from the first to the last of a series: "spots one to three". origin: what leads to what a value was until now:
            "from sixty to twenty".
        leaving: what leaves something as it is: "but leave"; as_it_is: how it is left: "on", "alone". pair: words for two: "both".
        some: words for an indefinite number of several: "half", "a few of"; any_one: those for one that is left open: "one of", "just one".
        relative, absolute: prepositions before an amount of change, and before what a value becomes.
        returning: words that say no more than "again" before a direction or a preposition: the "back" of "turn it back on".
        after_number_only: words that are prepositions where a number or a name stands before and an article behind.
        directions: the smallest words of direction. changing: the axes of opposites on which something changes by degrees.
        clause: what a sentence in front of a command begins with: "it is", "because".
        then: what stands between two commands. them: words for all of what was named before.
        singular_articles: articles that stand before one thing only.
        excess: words before what there is more of than is wanted, so that the opposite is asked for: the "too" of "too loud".
        felt: what people feel and give as a reason: "it's too dark".
        request: what opens a request behind a sentence: "can you". consequence: what a request follows from: "so".
        nothing: negations that forbid nothing where a sentence begins with them: "nobody", "nichts", "can't".
        relaying: verbs that send a command on, before ``relayed``: "tell the lamp to ...". announcing: what leads to the name of a scene: "it's".
        possessive: articles that say that something is somebody else's: "his", so that not all such things are meant.
        auxiliary: verbs that a negation stands behind, before another verb: "do".
        keeping: verbs that leave something as it is, before a word of ``as_it_is``, and set it otherwise.
        ordering: what makes a statement of how something is to be an order: "make sure". copula: the verb of such a statement.
        needing: verbs before what is to be done: "needs turning off". modal, passive: "can" and "be", as in "can it be turned off".
        going: verbs of what moves by itself, as in "can it go up".
        asking: words that a question about a state may hold beside those of its phrase.
        distributive: those of ``all`` that a noun follows: "every", so that "every evening" is not everything.
        head: where the noun of a name stands, ``last`` or ``first``.
        told: endings of verbs that tell of something instead of ordering it.
        plural: [pattern, replacement] pairs, the first that fits counts; many: the pattern of a word that is a plural already; ``singular``
            are words that end like a plural and are none.
        endings: endings that may be taken off a word.
        turning: beginnings that turn the meaning of a word round, as "un" does.
        particles: what a verb may be written together with, "an" in "anmachen"; particle_infix: what may stand between, "zu" in "anzumachen".
        spellings: (written, meant) letters that are two ways to write one sound, as "ae" for "ä", folded.
    """

    joined: Words = field(name="and", default_factory=list)
    through: Words = []
    origin: Words = []
    excepted: Words = field(name="except", default_factory=list)
    leaving: Words = []
    as_it_is: Words = []
    all: Words = []
    distributive: Words = []
    pair: Words = []
    some: Words = []
    any_one: Words = []
    everything: Words = []
    inside: Words = []
    articles: Words = []
    pronouns: Words = []
    one: Words = []
    relative: Words = []
    absolute: Words = []
    after_number_only: Words = []
    returning: Words = []
    directions: Words = []
    changing: Words = []
    places: Words = []
    correction: Words = []
    clause: Words = []
    then: Words = []
    them: Words = []
    excess: Words = []
    singular_articles: Words = []
    felt: Words = []
    request: Words = []
    consequence: Words = []
    nothing: Words = []
    relaying: Words = []
    relayed: Words = []
    announcing: Words = []
    ordering: Words = []
    needing: Words = []
    modal: Words = []
    passive: Words = []
    going: Words = []
    auxiliary: Words = []
    keeping: Words = []
    possessive: Words = []
    copula: Words = []
    asking: Words = []
    head: Annotated[str, Meta(pattern="^(first|last)$")] = "last"
    told: Words = []
    plural: list[Pair] = []
    many: str = ""
    singular: Words = []
    irregular: dict[str, str] = {}
    endings: Words = []
    turning: Words = []
    spellings: list[Pair] = []
    particles: Words = []
    particle_infix: str = ""


class AsideWords(Section, frozen=True):
    """What shows where a sentence beside a command ends and begins.

    Attributes:
        governing: words that make what follows a part of what is told: "to", "should", "he"; with their apostrophe where a word without it is
            another one: "she'd".
        taking: verbs that make a name behind them what is told of: "they left the lamp on".
        passing: adverbs that may stand between them and what they govern: "he never just turned".
        objects: pronouns that a verb of ``causing`` makes the doer of what follows: "let him turn".
        ending: words that may end a sentence before the name of a device, though they usually lead on or are talked with: "late".
        asked: two words that lead to a request though the second one governs: the "if you" of "I'd be glad if you turned".
        subjects, linking: words that begin a sentence behind a command: "I", "because".
        particles: words with an opposite that go with a verb that tells: the "out" of "going out".
        speech: verbs that report what stands before or behind them: "said".
    """

    governing: Words = []
    taking: Words = []
    passing: Words = []
    objects: Words = []
    causing: Words = []
    ending: Words = []
    asked: Words = []
    subjects: Words = []
    linking: Words = []
    particles: Words = []
    speech: Words = []


class WhenWords(Section, frozen=True):
    """Words for other times than now, and for conditions; with either an order is refused.

    Attributes:
        later: times without a number: "tomorrow", "every evening".
        clock: what leads to a time of day: "at". past: what stands between that and the number: "half past". between: what stands between two
            numbers: the "to" of "ten to nine". hour: what stands behind the number: "o'clock".
        delay: what leads to how long it is until then: "in ten minutes". hence: what stands behind that: "from now".
        condition: what a condition begins with: "as soon as".
        now: what only looks like any of these: "as soon as possible".
    """

    later: Words = []
    clock: Words = []
    past: Words = []
    between: Words = []
    hour: Words = []
    delay: Words = []
    hence: Words = []
    condition: Words = []
    now: Words = []


class Answers(Section, frozen=True):
    """What answers a question; ``ordinals`` in their order, each with its forms, ``last`` is said of the last one that was offered."""

    yes: Words = []
    no: Words = []
    cancel: Words = []
    ordinals: list[Words] = []
    last: Words = []


class Sounds(Section, frozen=True):
    """``alike``: (heard, said) of short words that a recogniser writes for each other."""

    alike: list[Pair] = []


class NumberWords(Section, frozen=True):
    """Number words. Where ``ones`` is missing, whole numbers to 999 are read as ``spell`` composes them.

    Attributes:
        spell: the rules by which whole numbers are said (:mod:`glossa.language.spelling`); spell_changes: (pattern, replacement), applied to that;
            spell_also: the same for other ways to say it.
        glued_half: what is written together with a number that is a half more: "zweieinhalb".
        glued: the words for thousand within one word, where numbers are written together: "zweitausendzwei".
        decimal, thousands: the marks in digits, ``.`` and ``,`` in English.
        digits_only: digits that are only such among other digits; -2 and -3 double and triple the next one.
        about, roughly: words before and behind a number that is not meant to the point.
        labels: what may stand before a number and says no more: "number four". steps: what may stand behind one and
            says no more, whatever a house calls its steps: "two notches".
        single: words for one that stand before "hundred" and units.
        utmost: ways to say the most or the least of a range, ``*`` for one of ``most`` or ``least``: "as * as possible" with "bright".
        like_ones: words that may be a number under ten behind a ten: the "in" of "forty in" for forty one.
        like_on: numbers that a recogniser writes for the word that switches on: "one".
        alike: pairs of numbers that are taken for each other by their sound; with ``teens`` beside 13 and 30 ... 19 and 90.
    """

    decimal: Annotated[str, Meta(pattern="^[.,]$")] = "."
    thousands: Annotated[str, Meta(pattern="^[.,]$")] = ","
    ones: dict[str, int] = {}
    tens: dict[str, int] = {}
    spell: Words = []
    spell_changes: list[Pair] = []
    spell_also: list[Pair] = []
    glued: Words = []
    glued_half: str = ""
    spellings: dict[str, str] = {}
    homophones: dict[str, int] = {}
    digits_only: dict[str, int] = {}
    hundred: Words = []
    scales: dict[str, int] = {}
    thousand: str = ""
    joined: Words = field(name="and", default_factory=list)
    of: Words = []
    single: Words = []
    labels: Words = []
    steps: Words = []
    point: Words = []
    minus: Words = []
    below_zero: Words = []
    fractions: dict[str, str] = {}
    of_all: Words = []
    groups: dict[str, int] = {}
    ordinals: dict[str, int] = {}
    about: Words = []
    roughly: Words = []
    maximum: Words = []
    minimum: Words = []
    utmost: Words = []
    most: Words = []
    least: Words = []
    halfway: Words = []
    hesitation: Words = []
    like_ones: Words = []
    like_on: Words = []
    alike: list[Numbers] = []
    teens: bool = False
    units: dict[str, Words] = {}


class Amounts(Section, frozen=True):
    """How much a change is: ``usual``, half (``little``) or twice (``lot``) of what it is when nothing is said, or a multiple of what there is.

    ``even``: what stands right beside a word that compares and says no more: "even louder", "louder still".
    ``measures``: a measure -> the word of change that it stands for in "double the brightness"; ``taken_off`` and ``added``: the same for a
    word behind an amount and before one, "ten percent off the lamp", "another ten percent"; ``of_units``: for a unit, or for ``choice``,
    what is measured in it, whatever a house calls the property; ``asked``: for a unit, or for an axis of opposites, how one asks what it
    is now, before the device.
    """

    usual: Words = []
    even: Words = []
    little: Words = []
    lot: Words = []
    times: dict[str, Words] = {}
    measures: dict[str, str] = {}
    taken_off: dict[str, str] = {}
    added: dict[str, str] = {}
    asked: dict[str, Words] = {}
    of_units: dict[str, Words] = {}


class FollowUpWords(Section, frozen=True):
    """What makes a text a follow-up: words before or after what is named; as whole texts "more" and "less", "again" for the last change once
    more and ``turned`` for the other way; and the one that was not meant."""

    before: Words = []
    after: Words = []
    more: Words = []
    less: Words = []
    again: Words = []
    turned: Words = []
    other: Words = []


class Back(Section, frozen=True):
    """Texts that ask for what was before the last change."""

    phrases: Words = []


class Switch(Section, frozen=True):
    """Spoken forms of on and off. ``own`` says whether the words of the house file, on and off, are spoken too."""

    on: Words = []
    off: Words = []
    own: bool = False


class Colours(Section, frozen=True):
    """Colour names: CSS names by their spoken form (``names``), or the CSS names themselves with those ``spoken`` in several words."""

    light: Words = []
    dark: Words = []
    modifier: Annotated[str, Meta(pattern="^(before|after)$")] = "before"
    names: dict[str, str] = {}
    spoken: Words = []
    other: dict[str, str] = {}


class Proposals(Section, frozen=True):
    """Phrases that are proposed for devices that were described elsewhere, in the phrase notation.

    ``{slot}`` is the slot of a property, ``{part}`` what the property is called, ``{action}`` and ``{name}`` what an action and a device are called.

    Attributes:
        switch, value: for what a device is mostly about. switch_part, value_part: for anything else of it.
        read: a question. action, action_value: an order that names no value, and one that does.
    """

    switch: Words = []
    switch_part: Words = []
    value: Words = []
    value_part: Words = []
    read: Words = []
    action: Words = []
    action_value: Words = []


class LanguageFile(Section, frozen=True):
    """A whole language file.

    ``common`` are the words that a recogniser may write for others, the commonest first, several in a text.
    """

    language: str
    name: str
    filler: Words = []
    small: Words = []
    light: Words = []
    verbs: Words = []
    negation: Words = []
    common: Words = []
    contractions: list[Pair] = []
    talk: Words = []
    question: Words = []
    opposites: dict[str, Sides] = {}
    synonyms: Synonyms = Synonyms()
    grammar: GrammarWords = GrammarWords()
    asides: AsideWords = AsideWords()
    when: WhenWords = WhenWords()
    answers: Answers = Answers()
    sounds: Sounds = Sounds()
    numbers: NumberWords = NumberWords()
    amounts: Amounts = Amounts()
    followup: FollowUpWords = FollowUpWords()
    back: Back = Back()
    switch: Switch = Switch()
    colours: Colours = Colours()
    proposals: Proposals = Proposals()
    texts: dict[str, str] = {}
    units: dict[str, str] = {}
    expansions: dict[str, Words] = {}


def read_language(text: str, name: str) -> LanguageFile:
    """A language file, checked.

    Args:
        text: TOML.
        name: what to call the file in errors.

    Raises:
        HouseError: where it is no TOML or not of the form, with the line and the key.
    """
    from glossa.house.checked import read_checked
    from glossa.house.lines import line_of
    from glossa.house.problems import HouseError, Problem

    file = read_checked(text, name, LanguageFile)
    wrong = list(_wrong_patterns(file))
    if wrong:
        raise HouseError(Problem(name, line_of(text, path), ".".join(map(str, path)), str(error)) for path, error in wrong)
    return _folded(file)


def _wrong_patterns(file: LanguageFile) -> Iterator[tuple[tuple[str | int, ...], NotationError]]:
    """The phrases with alternatives that are not in the notation, and where they stand."""
    lists = {(name,): getattr(file, name) for name in PATTERNED} | {
        ("when", name): phrases for name, phrases in asdict(file.when).items()
    }
    for path, phrases in lists.items():
        for number, text in enumerate(phrases):
            try:
                PhraseSet.of((text,) if is_pattern(text) else ())
            except NotationError as error:
                yield (*path, number), error


PATTERNED = ("filler", "negation", "talk")
"""The lists whose phrases may have alternatives and optional words, beside those of ``when``."""
_LISTS = ("common", "filler", "small", "light", "verbs", "negation", "talk", "question")


def _folded(file: LanguageFile) -> LanguageFile:
    """The file with the words of its lists as everything that is heard is: in lower case, without accents and apostrophes."""

    def plain(texts: Words) -> Words:
        return list(dict.fromkeys(text if is_pattern(text) else " ".join(words(text)) for text in texts))

    said_back = {name: plain(getattr(file.answers, name)) for name in ("yes", "no", "cancel", "last")}
    answers = Answers(**said_back, ordinals=[plain(forms) for forms in file.answers.ordinals])
    opposites = {axis: [plain(side) for side in sides] for axis, sides in file.opposites.items()}
    said = file.synonyms
    synonyms = Synonyms(
        same=[plain(group) for group in said.same],
        toward=[Toward(say=plain(rule.say), means=plain(rule.means)) for rule in said.toward],
        rewrites=[[" ".join(words(text)) for text in pair] for pair in said.rewrites],
    )
    return replace(
        file,
        **{name: plain(getattr(file, name)) for name in _LISTS},
        answers=answers,
        opposites=opposites,
        synonyms=synonyms,
        when=WhenWords(**{name: plain(phrases) for name, phrases in asdict(file.when).items()}),
    )
