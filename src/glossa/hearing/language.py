"""The word lists of a language, read once from the package's data."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from importlib import resources
from typing import Any

from msgspec import Struct, field

Words = tuple[str, ...]


class PhraseSet(Struct, frozen=True):
    """Phrases of one or more words, found by their first word, longest first."""

    by_first: Mapping[str, tuple[Words, ...]]

    @classmethod
    def of(cls, phrases: Iterable[str | Words]) -> PhraseSet:
        """A set of phrases given as text or as words."""
        split = {tuple(p.split()) if isinstance(p, str) else p for p in phrases}
        found: dict[str, list[Words]] = {}
        for words in sorted((w for w in split if w), key=lambda w: (-len(w), w)):
            found.setdefault(words[0], []).append(words)
        return cls({k: tuple(v) for k, v in found.items()})

    def at(self, words: Sequence[str], here: int) -> int:
        """How many words the longest phrase has that starts at ``here``; 0 where none does."""
        for phrase in self.by_first.get(words[here], ()):
            if len(phrase) == 1 or tuple(words[here : here + len(phrase)]) == phrase:
                return len(phrase)
        return 0

    def whole(self, words: Sequence[str]) -> bool:
        """Whether the words are one of the phrases and nothing else."""
        return bool(words) and tuple(words) in self.by_first.get(words[0], ())

    def made_of(self, words: Sequence[str]) -> bool:
        """Whether the words are nothing but phrases of the set, one after the other."""
        at = 0
        while at < len(words):
            length = self.at(words, at)
            if not length:
                return False
            at += length
        return True

    def starts(self, words: Sequence[str], here: int) -> tuple[int, ...]:
        """The lengths of all phrases that start at ``here``, longest first."""
        return tuple(len(p) for p in self.by_first.get(words[here], ()) if tuple(words[here : here + len(p)]) == p)


class Language(Struct, frozen=True):
    """One language's word lists, ready to look words up in.

    Attributes:
        tag: BCP 47 tag.
        data: the lists as written, for what has no field of its own.
        filler, negation, talk: phrases by what they do to an utterance.
        small, light, verbs, question: sets of single words.
        poles: for a word, the (axis, sign) pairs that it stands for; words of one axis with other signs are opposites.
        same: for a word, the words that mean the same.
        toward: for a word, the words that it may stand for at a higher price.
        phrase_same, rewrites: (heard words, said words) that are tried instead.
        alike: for a short word, the words that a recogniser may have written it for.
    """

    tag: str
    data: Mapping[str, Any]
    filler: PhraseSet
    negation: PhraseSet
    talk: PhraseSet
    small: frozenset[str]
    light: frozenset[str]
    verbs: frozenset[str]
    question: frozenset[str]
    poles: Mapping[str, tuple[tuple[str, int], ...]]
    same: Mapping[str, frozenset[str]]
    toward: Mapping[str, frozenset[str]]
    rewrites: tuple[tuple[Words, Words], ...]
    contractions: Mapping[Words, Words]
    alike: Mapping[str, frozenset[str]]
    irregular: Mapping[str, str] = field(default_factory=dict)

    def section(self, name: str) -> Mapping[str, Any]:
        """A section of the lists, empty where the language has none."""
        found = self.data.get(name, {})
        return found if isinstance(found, dict) else {}

    def phrases(self, section: str, name: str) -> PhraseSet:
        """A list of a section as phrases."""
        return _phrases(self.tag, section, name)

    def text(self, name: str, **fills: object) -> str:
        """A text that the house says, with its blanks filled in."""
        template = self.section("texts").get(name) or base_language().section("texts")[name]
        return str(template).format(**fills)

    def opposite(self, one: str, other: str) -> bool:
        """Whether two words are opposites: on the same axis, and nowhere on the same side."""
        mine, theirs = self.poles.get(one, ()), self.poles.get(other, ())
        if not mine or not theirs:
            return False
        return any(a == b and s != t for a, s in mine for b, t in theirs) and not any(p in theirs for p in mine)


@lru_cache(maxsize=1024)
def _phrases(tag: str, section: str, name: str) -> PhraseSet:
    return PhraseSet.of(load_language(tag).section(section).get(name, ()))


def languages() -> tuple[str, ...]:
    """The tags of the languages whose lists are in the package."""
    folder = resources.files("glossa") / "languages"
    return tuple(sorted(p.name.removesuffix(".toml") for p in folder.iterdir() if p.name.endswith(".toml")))


def base_language() -> Language:
    """English, from which other languages take the texts that they lack."""
    return load_language("en")


@lru_cache(maxsize=16)
def load_language(tag: str) -> Language:
    """The lists of a language; of its base language where a region has none (``en-GB``), of none where that has none either.

    >>> "please" in load_language("en").filler.by_first
    True
    """
    folder = resources.files("glossa") / "languages"
    data: dict[str, Any] = {}
    for name in (tag, tag.split("-")[0]):
        file = folder / f"{name.lower()}.toml"
        if file.is_file():
            data = tomllib.loads(file.read_text(encoding="utf-8"))
            break
    synonyms = data.get("synonyms", {})
    same: dict[str, set[str]] = {}
    rewrites: list[tuple[Words, Words]] = [(tuple(a.split()), tuple(b.split())) for a, b in synonyms.get("rewrites", ())]
    for group in synonyms.get("same", ()):
        single = [w for w in group if " " not in w]
        for word in single:
            same.setdefault(word, set()).update(single)
        rewrites += [(tuple(w.split()), (single[0],)) for w in group if " " in w and single]
        several = [tuple(w.split()) for w in group if " " in w]
        rewrites += [(a, b) for a in several for b in several if a != b]
        rewrites += [((w,), tuple(v.split())) for w in single for v in group if " " in v]
    toward: dict[str, set[str]] = {}
    for rule in synonyms.get("toward", ()):
        for word in rule["say"]:
            toward.setdefault(word, set()).update(rule["means"])
    poles: dict[str, list[tuple[str, int]]] = {}
    for axis, sides in data.get("opposites", {}).items():
        for sign, side in enumerate(sides):
            for word in side:
                poles.setdefault(word, []).append((axis, sign))
    for word, means in toward.items():
        for axis, sign in [p for m in sorted(means) for p in poles.get(m, ())]:
            if (axis, sign) not in poles.get(word, ()):
                poles.setdefault(word, []).append((axis, sign))
    alike: dict[str, set[str]] = {}
    for heard, said in data.get("sounds", {}).get("alike", ()):
        alike.setdefault(heard, set()).add(said)
    return Language(
        tag=tag,
        data=data,
        filler=PhraseSet.of(data.get("filler", ())),
        negation=PhraseSet.of(data.get("negation", ())),
        talk=PhraseSet.of(data.get("talk", ())),
        small=frozenset(data.get("small", ())),
        light=frozenset(data.get("light", ())),
        verbs=frozenset(data.get("verbs", ())),
        question=frozenset(data.get("question", ())),
        poles={k: tuple(v) for k, v in poles.items()},
        same={k: frozenset(v) for k, v in same.items()},
        toward={k: frozenset(v) for k, v in toward.items()},
        rewrites=tuple(dict.fromkeys(rewrites)),
        contractions={tuple(a.split()): tuple(b.split()) for a, b in data.get("contractions", ())},
        alike={k: frozenset(v) for k, v in alike.items()},
        irregular=data.get("grammar", {}).get("irregular", {}),
    )


def plural(word: str, language: Language) -> str:
    """The plural of a noun.

    >>> plural("switch", load_language("en")), plural("lamp", load_language("en"))
    ('switches', 'lamps')
    """
    if word in language.irregular:
        return language.irregular[word]
    rules = language.section("grammar").get("plural", [["([^aeiou])y$", "\\1ies"], ["(s|x|z|ch|sh)$", "\\1es"], ["$", "s"]])
    import re

    for ending, becomes in rules:
        if re.search(ending, word):
            return re.sub(ending, becomes, word, count=1)
    return word
