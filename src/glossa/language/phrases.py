"""Sets of phrases of one or more words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache

from msgspec import Struct

from glossa.house.notation import Choice, Node, NotationError, Repeat, Row, Word, parse
from glossa.house.text import words as fold_words

Words = tuple[str, ...]

Branches = dict[str, "Branches"]
"""The words that may follow, each with what may follow it; ``END`` where a phrase may end. Phrases of one ending share it, so that it is
never changed once it is made."""

END = ""
_NOTATION = frozenset("([|<")


def is_pattern(text: str) -> bool:
    """Whether a phrase has alternatives or optional words: "(could | would) you [please]"."""
    return not _NOTATION.isdisjoint(text)


class PhraseSet(Struct, frozen=True, gc=False):
    """Phrases of one or more words, looked up word by word.

    Attributes:
        first: for every first word, what may follow it.
        single: the phrases of one word.
        words: every word of a phrase.
        among: every word of a phrase of several.
    """

    first: Mapping[str, Branches]
    single: frozenset[str]
    words: frozenset[str]
    among: frozenset[str]

    @classmethod
    def of(cls, phrases: Iterable[str | Words]) -> PhraseSet:
        """A set of phrases given as words, or as text in the notation of a house's phrases, without slots.

        Raises:
            NotationError: where a phrase is not in the notation.
        """
        tree: Branches = {}
        patterns: list[Branches] = []
        said: set[str] = set()
        among: set[str] = set()
        for phrase in phrases:
            if isinstance(phrase, str) and is_pattern(phrase):
                patterns.append(_pattern(phrase))
                among.update(fold_words(phrase))
                continue
            here = tree
            run = phrase.split() if isinstance(phrase, str) else phrase
            for word in run:
                here = here.setdefault(word, {})
            (among if len(run) > 1 else said).update(run)
            if here is not tree:
                here[END] = {}
        for pattern in patterns:
            tree = _merged(tree, pattern)
        single = frozenset(word for word, branches in tree.items() if END in branches)
        return cls(tree, single, frozenset(said | among), frozenset(among))

    @property
    def doubled(self) -> frozenset[str]:
        """The words with which a phrase begins twice: "chop chop"."""
        return frozenset(word for word, branches in self.first.items() if word in branches)

    def at(self, words: Sequence[str], here: int) -> int:
        """How many words the longest phrase has that starts at ``here``; 0 where none does."""
        branches = self.first.get(words[here])
        length, at, count = 0, here + 1, len(words)
        while branches is not None:
            if END in branches:
                length = at - here
            if at == count:
                break
            branches = branches.get(words[at])
            at += 1
        return length

    def starts(self, words: Sequence[str], here: int) -> tuple[int, ...]:
        """The lengths of all phrases that start at ``here``, longest first."""
        branches = self.first.get(words[here])
        found: tuple[int, ...] = ()
        at = here + 1
        while branches is not None:
            if END in branches:
                found = (at - here, *found)
            branches = branches.get(words[at]) if at < len(words) else None
            at += 1
        return found

    def whole(self, words: Sequence[str]) -> bool:
        """Whether the words are one of the phrases and nothing else."""
        return bool(words) and len(words) in self.starts(words, 0)

    def made_of(self, words: Sequence[str]) -> bool:
        """Whether the words are nothing but phrases of the set, one after the other."""
        at = 0
        while at < len(words):
            length = self.at(words, at)
            if not length:
                return False
            at += length
        return True


@lru_cache(maxsize=1024)
def _pattern(phrase: str) -> Branches:
    """What a phrase with alternatives stands for; kept, for a language file is checked before its lists are made."""
    branches = _branches(parse(phrase), {END: {}}, phrase)
    if END in branches:
        raise NotationError(phrase, 0, "all of it may be left out; a phrase has to hold a word")
    return branches


def _branches(node: Node, then: Branches, phrase: str) -> Branches:
    """A part of a pattern, and what follows it."""
    match node:
        case Word(text):
            for word in reversed(fold_words(text)):
                then = {word: then}
            return then
        case Row(parts):
            for part in reversed(parts):
                then = _branches(part, then, phrase)
            return then
        case Choice(options):
            found: Branches = {}
            for option in options:
                found = _merged(found, _branches(option, then, phrase))
            return found
        case Repeat(part, 0, 1):
            return _merged(then, _branches(part, then, phrase))
        case _:
            raise NotationError(phrase, 0, "a phrase of a language holds words, (alternatives | of them) and [optional ones]")


def _merged(one: Branches, other: Branches) -> Branches:
    """What follows in either."""
    if not one or one is other:
        return other
    return {**one, **{word: _merged(one[word], then) if word in one else then for word, then in other.items()}}
