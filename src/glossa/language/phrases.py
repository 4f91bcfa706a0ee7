"""Sets of phrases of one or more words."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

from msgspec import Struct

Words = tuple[str, ...]


class PhraseSet(Struct, frozen=True, gc=False):
    """Phrases of one or more words, looked up by their first word, longest first."""

    by_first: Mapping[str, tuple[Words, ...]]

    @classmethod
    def of(cls, phrases: Iterable[str | Words]) -> PhraseSet:
        """A set of phrases given as text or as words."""
        split = {tuple(p.split()) if isinstance(p, str) else p for p in phrases}
        starting: dict[str, list[Words]] = {}
        for words in sorted((w for w in split if w), key=lambda w: (-len(w), w)):
            starting.setdefault(words[0], []).append(words)
        return cls({k: tuple(v) for k, v in starting.items()})

    def at(self, words: Sequence[str], here: int) -> int:
        """How many words the longest phrase has that starts at ``here``; 0 where none does."""
        for phrase in self.by_first.get(words[here], ()):
            if len(phrase) == 1 or tuple(words[here : here + len(phrase)]) == phrase:
                return len(phrase)
        return 0

    def starts(self, words: Sequence[str], here: int) -> tuple[int, ...]:
        """The lengths of all phrases that start at ``here``, longest first."""
        return tuple(len(p) for p in self.by_first.get(words[here], ()) if tuple(words[here : here + len(p)]) == p)

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

    @property
    def words(self) -> frozenset[str]:
        """Every word of a phrase."""
        return frozenset(w for phrases in self.by_first.values() for p in phrases for w in p)

    @property
    def single(self) -> frozenset[str]:
        """The phrases of one word."""
        return frozenset(p[0] for phrases in self.by_first.values() for p in phrases if len(p) == 1)
