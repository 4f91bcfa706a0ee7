"""The word lists of a language, ready to look words up in."""

from __future__ import annotations

import re
from collections.abc import Container, Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from importlib import resources

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.model import House
from glossa.language.colours import spoken_colours
from glossa.language.phrases import PhraseSet, Words
from glossa.language.schema import (
    Amounts,
    Answers,
    AsideWords,
    Colours,
    FollowUpWords,
    GrammarWords,
    LanguageFile,
    NumberWords,
    Proposals,
    Switch,
    Synonyms,
    WhenWords,
    read_language,
)
from glossa.language.spelling import Spelling

ENGLISH = "en"
"""The language whose texts stand in where another has none of its own."""


class Rewriting(Struct, frozen=True):
    """Heard words that may stand for others, or hardly mean anything else where they are ``plain``."""

    heard: Words
    said: Words
    plain: bool = False


class Language(Struct, frozen=True, eq=False):
    """One language; two are the same only where they are one and the same object.

    Attributes:
        tag: BCP 47 tag.
        filler, negation, talk: phrases by what they do to an utterance.
        small, light, verbs, question: sets of single words. common: those that a recogniser may write for others, and how common, 0 the most.
        poles: for a word, the (axis, side) pairs that it stands for; words of one axis and other sides are opposites.
        same: for a word, the words that mean the same.
        toward: for a word, the words that it may stand for at a higher price.
        rewritings: heard words -> said words that are tried instead.
        alike: for a short word, the words that a recogniser may have written it for.
        felt: what people feel and give as a reason: "cold", "dark".
        grammar, asides, when, numbers, amounts, answers, followup, switch, colours, proposals, texts, units: the sections of the file.
    """

    tag: str
    filler: PhraseSet
    negation: PhraseSet
    talk: PhraseSet
    small: frozenset[str]
    light: frozenset[str]
    verbs: frozenset[str]
    question: frozenset[str]
    common: Mapping[str, int]
    poles: Mapping[str, tuple[tuple[str, int], ...]]
    same: Mapping[str, frozenset[str]]
    toward: Mapping[str, frozenset[str]]
    rewritings: tuple[Rewriting, ...]
    contractions: Mapping[Words, Words]
    expansions: Mapping[str, Words]
    alike: Mapping[str, frozenset[str]]
    felt: frozenset[str]
    grammar: GrammarWords
    asides: AsideWords
    when: WhenWords
    numbers: NumberWords
    amounts: Amounts
    answers: Answers
    followup: FollowUpWords
    back: tuple[str, ...]
    switch: Switch
    colours: Colours
    proposals: Proposals
    texts: Mapping[str, str]
    units: Mapping[str, str]

    def switched(self, value: str) -> tuple[tuple[str, ...], bool]:
        """The built-in words for ``on`` or ``off``, and whether the value's own name is said too."""
        return tuple(getattr(self.switch, value, ())), self.switch.own

    @property
    def extremes(self) -> tuple[Sequence[str], Sequence[str], Sequence[str]]:
        """How the highest, the lowest and the middle of a range are said."""
        return self.numbers.maximum, self.numbers.minimum, self.numbers.halfway

    @property
    def colour_names(self) -> Mapping[Words, str]:
        """The names of colours, and their codes."""
        return _colour_names(self)

    @property
    def spelling(self) -> Spelling:
        """How numbers are said."""
        return _spelling(self)

    @property
    def number_words(self) -> Mapping[str, int]:
        """The numbers to a hundred that are one word."""
        return _number_words(self)

    @property
    def known(self) -> frozenset[str]:
        """Every word of the lists: what shows that something was said in this language."""
        return _known(self)

    def phrases(self, section: str, name: str) -> PhraseSet:
        """A list of a section as phrases."""
        return _phrases(self, section, name)

    def text(self, name: str, **fills: object) -> str:
        """A text that the house says, with its blanks filled in."""
        template = self.texts.get(name) or load_language(ENGLISH).texts[name]
        return template.format(**fills)

    def opposite(self, one: str, other: str) -> bool:
        """Whether two words are opposites: on the same axis, and nowhere on the same side."""
        mine, theirs = self.poles.get(one, ()), self.poles.get(other, ())
        if not mine or not theirs:
            return False
        return any(a == b and s != t for a, s in mine for b, t in theirs) and not any(p in theirs for p in mine)

    def changes(self, word: str) -> bool:
        """Whether a word says in which direction something changes by degrees: "raise", "warmer"."""
        return any(axis in self.grammar.changing for axis, _ in self.poles.get(word, ()))

    def tells(self, word: str, verbs: Container[str] = ()) -> bool:
        """Whether a word is a form of a verb that tells of something instead of ordering it.

        Args:
            word: the word.
            verbs: the verbs that count, all that the language file names by default.

        >>> [load_language("en").tells(w) for w in ("turned", "dimming", "bed")]
        [True, True, False]
        """
        verbs = verbs or self.verbs
        for ending in self.grammar.told:
            if word.endswith(ending) and len(word) - len(ending) >= 2:
                stem = word[: -len(ending)]
                doubled = len(stem) > 2 and stem[-1] == stem[-2] and stem[:-1] in verbs
                if stem in verbs or (len(ending) > 1 and stem + "e" in verbs) or doubled:
                    return True
        return False


@lru_cache(maxsize=32)
def _number_words(language: Language) -> Mapping[str, int]:
    said = language.spelling.folded()
    spelt = {word: number for number in range(101) if (word := said.say(number)).isalpha()}
    return {**spelt, **language.numbers.tens, **language.numbers.ones}


@lru_cache(maxsize=32)
def _known(language: Language) -> frozenset[str]:
    sets = (language.filler, language.negation, language.talk, *(language.phrases("answers", n) for n in ("yes", "no", "cancel")))
    single = (language.small, language.light, language.verbs, language.question, language.felt, language.grammar.articles)
    listed = (language.common, language.poles, language.same, language.toward, language.number_words)
    return frozenset().union(*(s.words for s in sets), *single, *listed, *language.contractions.values())


@lru_cache(maxsize=2048)
def _phrases(language: Language, section: str, name: str) -> PhraseSet:
    return PhraseSet.of(language.back if section == "back" else getattr(getattr(language, section), name))


@lru_cache(maxsize=32)
def _spelling(language: Language) -> Spelling:
    numbers = language.numbers
    return Spelling(
        numbers.spell, numbers.spell_changes, *((words[0] if words else "") for words in (numbers.minus, numbers.point))
    )


@lru_cache(maxsize=16)
def _colour_names(language: Language) -> Mapping[Words, str]:
    return spoken_colours(language.colours)


def languages() -> tuple[str, ...]:
    """The tags of the languages that ship with the package."""
    folder = resources.files("glossa.language") / "data"
    return tuple(sorted(p.name.removesuffix(".toml") for p in folder.iterdir() if p.name.endswith(".toml")))


@lru_cache(maxsize=32)
def load_language(tag: str) -> Language:
    """A language that ships with the package, its base language for a region ("en-GB", "en_us").

    Args:
        tag: a BCP 47 tag.

    Raises:
        LookupError: where there are no word lists for it, with those that there are.

    >>> "please" in load_language("en").filler.first
    True
    """
    name = meant(tag, languages())
    if not name:
        raise LookupError(f"there are no word lists for '{tag}'; there are for: {', '.join(languages())}")
    if name != tag:
        return replace(load_language(name), tag=tag)
    file = resources.files("glossa.language") / "data" / f"{name}.toml"
    return compiled(read_language(file.read_text(encoding="utf-8"), file.name), tag)


def language_of(house: House, tag: str) -> Language:
    """A language as a house has it: its own version of it, or else the one that ships with the package.

    Args:
        house: the house; ``language_files`` are its own languages.
        tag: a BCP 47 tag.

    Raises:
        LookupError: where there are no word lists for it.
    """
    own = {_own(text, name).tag: (text, name) for name, text in house.language_files.items()}
    found = meant(tag, own)
    return _own(*own[found], tag) if found else load_language(tag)


@lru_cache(maxsize=32)
def _own(text: str, name: str, tag: str = "") -> Language:
    if tag:
        found = _own(text, name)
        return found if found.tag == tag else replace(found, tag=tag)
    file = read_language(text, name)
    return compiled(file, file.language)


def meant(tag: str, known: Iterable[str]) -> str:
    """Which of some languages a tag means: the same one, its base language, or the first variety of it (BCP 47, RFC 4647); ``""`` for none.

    Case does not count, nor whether "-" or "_" stands between the parts.

    >>> meant("en_us", ["de", "en"]), meant("EN", ["en-GB"]), meant("fr", ["en"])
    ('en', 'en-GB', '')
    """
    wanted = tag.replace("_", "-").lower()
    tags = {t.lower(): t for t in reversed([*known])}
    parts = wanted.split("-")
    for length in range(len(parts), 0, -1):
        if found := tags.get("-".join(parts[:length])):
            return found
    return next((t for plain, t in reversed(tags.items()) if plain.split("-")[0] == parts[0]), "")


def compiled(file: LanguageFile, tag: str) -> Language:
    """A language file made ready to look words up in."""
    same, rewritings = _synonyms(file.synonyms, file.grammar.particles)
    rewritings = (*rewritings, *_utmost(file.numbers, file.grammar.absolute))
    toward: dict[str, set[str]] = {}
    for rule in file.synonyms.toward:
        for word in rule.say:
            toward.setdefault(word, set()).update(rule.means)
    poles: dict[str, list[tuple[str, int]]] = {}
    for axis, sides in file.opposites.items():
        for side, words in enumerate(sides):
            for word in words:
                poles.setdefault(word, []).append((axis, side))
    for word, means in toward.items():
        for pole in [p for m in sorted(means) for p in poles.get(m, ())]:
            if pole not in poles.get(word, ()):
                poles.setdefault(word, []).append(pole)
    alike: dict[str, set[str]] = {}
    for heard, said in file.sounds.alike:
        alike.setdefault(heard, set()).add(said)
    return Language(
        tag=tag,
        filler=PhraseSet.of(file.filler),
        negation=PhraseSet.of(file.negation),
        talk=PhraseSet.of(file.talk),
        small=frozenset(file.small),
        light=frozenset(file.light),
        verbs=frozenset(file.verbs),
        question=frozenset(file.question),
        common={w: n for n, w in enumerate(dict.fromkeys(w for text in file.common for w in text.split()))},
        poles={k: tuple(v) for k, v in poles.items()},
        same={k: frozenset(v) for k, v in same.items()},
        toward={k: frozenset(v) for k, v in toward.items()},
        rewritings=rewritings,
        contractions={tuple(a.split()): tuple(b.split()) for a, b in file.contractions},
        expansions={k: tuple(v) for k, v in file.expansions.items()},
        alike={k: frozenset(v) for k, v in alike.items()},
        felt=frozenset(file.grammar.felt),
        grammar=file.grammar,
        asides=file.asides,
        when=file.when,
        numbers=file.numbers,
        amounts=file.amounts,
        answers=file.answers,
        followup=file.followup,
        back=tuple(file.back.phrases),
        switch=file.switch,
        colours=file.colours,
        proposals=file.proposals,
        texts=file.texts,
        units=file.units,
    )


def _synonyms(synonyms: Synonyms, particles: Sequence[str]) -> tuple[dict[str, set[str]], tuple[Rewriting, ...]]:
    """Single words that mean the same, and everything that takes more than one word on either side: "sperr ... auf" for "aufsperren"."""
    same: dict[str, set[str]] = {}
    rewritings = [Rewriting(tuple(a.split()), tuple(b.split())) for a, b in synonyms.rewrites]
    for group in synonyms.same:
        for word in group:
            if " " not in word:
                same.setdefault(word, set()).update(w for w in group if " " not in w)
        apart = [
            (w.removeprefix(p).removesuffix("en"), p) for w in group for p in particles if w.startswith(p) and w.endswith("en")
        ]
        forms = [*(tuple(w.split()) for w in group), *(form for form in apart if len(form[0]) > 2)]
        rewritings += [Rewriting(a, b) for a in forms for b in forms if a != b and (len(a) > 1 or len(b) > 1)]
    return same, tuple(dict.fromkeys(rewritings))


def _utmost(numbers: NumberWords, leading: Sequence[str]) -> Iterator[Rewriting]:
    """The ways to ask for the most and the least of a range: "as bright as possible" for "to maximum"."""
    for words, extremes in ((numbers.most, numbers.maximum), (numbers.least, numbers.minimum)):
        said = (*leading[:1], *extremes[:1])
        yield from (
            Rewriting(tuple(way.replace("*", word).split()), said, plain=True) for way in numbers.utmost for word in words
        )


def plural(word: str, language: Language) -> str:
    """The plural of a noun.

    >>> plural("switch", load_language("en")), plural("lamp", load_language("en"))
    ('switches', 'lamps')
    """
    if word in language.grammar.irregular:
        return language.grammar.irregular[word]
    for ending, becomes in language.grammar.plural:
        if re.search(ending, word):
            return re.sub(ending, becomes, word, count=1)
    return word


def is_plural(word: str, language: Language) -> bool:
    """Whether a word already is a plural, by its ending."""
    many = language.grammar.many
    return bool(many) and re.search(many, word) is not None and word not in language.grammar.singular


def plural_of(words: Words, language: Language) -> Words:
    """A noun of several words in the plural; one that is a plural already stays."""
    at = -1 if language.grammar.head == "last" else 0
    if is_plural(words[at], language):
        return words
    many = plural(words[at], language)
    return (*words[:-1], many) if at else (many, *words[1:])


def singulars_of(words: Words, language: Language) -> Iterator[Words]:
    """The singular of a name that is a plural; nothing where it is none."""
    at = -1 if language.grammar.head == "last" else 0
    word = words[at]
    for stem in (word[:-1], word[:-2], word[:-3] + "y") if is_plural(word, language) else ():
        if len(stem) > 2 and plural(stem, language) == word:
            yield (*words[:-1], stem) if at else (stem, *words[1:])
            return
