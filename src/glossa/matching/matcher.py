"""The matcher: from a line of text to ranked readings and a decision."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from msgspec.structs import replace

from glossa.hearing.heard import Heard, prepare
from glossa.hearing.lexicon import Words
from glossa.hearing.tokens import MOST_TOKENS, Token
from glossa.house.model import House, Intent
from glossa.matching.decide import Guard, decide, guards
from glossa.matching.grammar import MISSING_SLOT, Grammar
from glossa.matching.meaning import meaning
from glossa.matching.result import Match, Outcome, Piece, Reading
from glossa.matching.search import BEHIND, FLOOR, MOST_READINGS, Leaf, Search

MOST_REWRITES = 3
MOST_TRIES = 6
GOOD_ENOUGH = 0.93
"""From this score on no other wording is tried."""


class Matcher:
    """Matches text against the phrases of a house.

    Compiling takes a fraction of a second; a match about a millisecond. The same text in the same house always gives
    the same answer.

    Args:
        house: a checked house, as :func:`glossa.load_house` gives it.
        remember: how many matches to keep for when the same text comes again, as it does in tables; 0 for none.

    >>> from glossa import load_house
    >>> Matcher(load_house("marigold")).match("galley lamp on please").outcome
    <Outcome.ACCEPT: 'accept'>
    """

    def __init__(self, house: House, remember: int = 0) -> None:
        self.house = house
        self._remember = remember
        self._known: dict[tuple[str, str, str], Match] = {}
        self._grammars: dict[str, Grammar] = {}

    def grammar(self, language: str) -> Grammar:
        """The compiled phrases of a language, compiled at first use."""
        if language not in self._grammars:
            self._grammars[language] = Grammar(self.house, language)
        return self._grammars[language]

    def warm(self) -> None:
        """Do now what the first utterance would have to wait for: compile every language, and sound out the house's words."""
        for language in self.house.languages:
            self.grammar(language)
            self._match("one mumble", language, "")

    def match_many(self, texts: Iterable[str], language: str = "", mode: str = "") -> list[Match]:
        """Match a whole table; the same as :meth:`match` for each text, in order, with equal texts matched once."""
        known: dict[str, Match] = {}
        found = []
        for text in texts:
            if text not in known:
                known[text] = self.match(text, language, mode)
            found.append(known[text])
        return found

    def match(self, text: str, language: str = "", mode: str = "") -> Match:
        """Match one utterance.

        Args:
            text: what was heard, at most 10,000 characters of which are looked at.
            language: a BCP 47 tag to switch the house's other languages off; ``""`` lets all compete.
            mode: the mode that the house is in.

        Returns:
            The readings with a score of at least 0.3, at most eight, the best of every meaning first, and the outcome.
        """
        if not self._remember:
            return self._match(text, language, mode)
        key = (text, language, mode)
        if key not in self._known:
            if len(self._known) >= self._remember:
                self._known.clear()
            self._known[key] = self._match(text, language, mode)
        return self._known[key]

    def _match(self, text: str, language: str, mode: str) -> Match:
        tags = (language,) if language else self.house.languages
        best: Match | None = None
        for tag in tags:
            found = self._in_language(text, tag, mode)
            if best is None or self._better(found, best):
                best = found
        assert best is not None
        return best

    @staticmethod
    def _better(one: Match, other: Match) -> bool:
        if Outcome.CANCEL in (one.outcome, other.outcome):
            return one.outcome == Outcome.CANCEL and other.outcome != Outcome.CANCEL
        return one.score > other.score + 1e-9

    def live(self, intent: Intent, mode: str) -> bool:
        """Whether an intent's phrases count in a mode, ``""`` being none."""
        if intent.modes:
            return mode in intent.modes
        return not (mode and mode in self.house.modes and self.house.modes[mode].exclusive)

    def about(self, match: Match, devices: tuple[str, ...], mode: str) -> Match | None:
        """A match whose best reading lacked only its device, completed with devices that were named before; None where they don't fit.

        Args:
            match: a match with the reason ``missing``.
            devices: device ids.
            mode: the mode that the house is in.
        """
        best = match.best
        if best is None:
            return None
        intent = self.house.intents[best.intent]
        fitting = tuple(d for d in devices if all(p in self.house.devices[d].properties for p in intent.properties))
        if not fitting:
            return None
        slots = {"device": fitting, **best.slots}
        cost = round(best.cost - MISSING_SLOT, 9)
        weight = best.weight - MISSING_SLOT
        pieces = tuple(
            p if p.taken != "$device" else replace(p, taken=", ".join(fitting), cost=0.0, why="the last one") for p in best.pieces
        )
        done = replace(
            best, slots=slots, missing=(), cost=cost, weight=weight, pieces=pieces,
            score=round(max(0.0, 1 - cost / max(weight, 1e-9)), 9), meaning=meaning(self.house, intent, slots),
        )  # fmt: skip
        fired = [Guard(name) for name in done.guards]
        outcome, reason, detail = decide(self.house, intent, done, fired, done.score, live=self.live(intent, mode))
        return replace(
            match, outcome=outcome, reason=reason, detail=detail, readings=(done, *match.readings[1:]), margin=done.score
        )

    def completed(self, match: Match, mode: str) -> Match:
        """A match whose phrase was only named in part, decided again as if the rest had been said."""
        best = match.best
        if best is None:
            return match
        lost = sum(p.cost for p in best.pieces if p.role == "not heard")
        done = replace(best, guards=(), cost=best.cost - lost, score=round(max(0.0, 1 - (best.cost - lost) / best.weight), 9))
        intent = self.house.intents[best.intent]
        outcome, reason, detail = decide(self.house, intent, done, (), done.score, live=self.live(intent, mode))
        return replace(
            match, outcome=outcome, reason=reason, detail=detail, readings=(done, *match.readings[1:]), margin=done.score
        )

    def _in_language(self, text: str, tag: str, mode: str) -> Match:
        grammar = self.grammar(tag)
        tokens = prepare(text, grammar.lexicon)
        if not tokens or len(tokens) > MOST_TOKENS:
            reason = "empty" if not tokens else "too long"
            return Match(text, Outcome.REJECT, reason=reason, language=tag)
        heard = Heard(tokens, grammar.lexicon, grammar.things, text)
        if self.is_cancel(heard, grammar):
            return Match(text, Outcome.CANCEL, language=tag)
        readings, fired = self._readings(heard, grammar)
        if not readings:
            reason = "filler" if all(k in ("filler", "small") for k in heard.kinds) else "nothing"
            return Match(text, Outcome.REJECT, reason=reason, language=tag)
        return self._decided(text, tag, mode, readings, fired)

    def is_cancel(self, heard: Heard, grammar: Grammar) -> bool:
        """Whether an utterance is nothing but "never mind" or "cancel", and no phrase of the house."""
        answers = grammar.lexicon.language.phrases("answers", "cancel")
        words = heard.words
        bare = tuple(w for w, k in zip(words, heard.kinds, strict=True) if k != "filler")
        if not (answers.whole(words) or answers.whole(bare)):
            return False
        leaves = Search(heard, grammar).leaves(0.9)
        return not leaves

    def _readings(self, heard: Heard, grammar: Grammar) -> tuple[list[Reading], dict[int, list[Guard]]]:
        """The best reading of every meaning, with the guards of each; other wordings are tried as long as they do better."""
        search = Search(heard, grammar)
        leaves = search.leaves()
        pieces: tuple[Piece, ...] = ()
        for _ in range(MOST_REWRITES):
            better = self._rewritten(search, leaves, grammar, pieces)
            if better is None:
                break
            search, leaves, pieces = better
        return self._by_meaning(search, leaves, pieces)

    def _rewritten(
        self, search: Search, leaves: list[Leaf], grammar: Grammar, pieces: tuple[Piece, ...]
    ) -> tuple[Search, list[Leaf], tuple[Piece, ...]] | None:
        """The search with one run of words exchanged for another that means the same, where that reads better."""
        best = leaves[0].score if leaves else 0.0
        if best >= GOOD_ENOUGH or any(k in ("talk", "negation") for k in search.heard.kinds):
            return None
        tries = MOST_TRIES
        chosen = None
        words = search.heard.words
        for old, new, cost in (r for w in dict.fromkeys(words) for r in grammar.lexicon.rewrites.get(w, ())):
            for at in range(len(words) - len(old) + 1):
                if words[at : at + len(old)] != old or words[at : at + len(new)] == new:
                    continue
                if not tries:
                    return chosen
                tries -= 1
                heard = Heard(
                    _exchanged(search.heard.tokens, at, len(old), new), grammar.lexicon, grammar.things, search.heard.text
                )
                other = Search(heard, grammar, search.extra + cost, search.live)
                found = other.leaves(max(FLOOR, best))
                if found and found[0].score > best + 1e-6:
                    best = found[0].score
                    row = Piece(" ".join(old), " ".join(new), "rewritten", cost, "another way to say it")
                    chosen = other, other.leaves(), (*pieces, row)
        return chosen

    def _by_meaning(
        self, search: Search, leaves: list[Leaf], pieces: tuple[Piece, ...]
    ) -> tuple[list[Reading], dict[int, list[Guard]]]:
        readings: list[Reading] = []
        fired: dict[int, list[Guard]] = {}
        seen: list[object] = []
        for leaf in leaves:
            if len(readings) >= MOST_READINGS:
                break
            reading = search.reading(leaf)
            if reading.meaning in seen:
                continue
            seen.append(reading.meaning)
            found = guards(search.heard, leaf, search.grammar)
            fired[len(readings)] = found
            aligned = (*pieces, *search.pieces(leaf))
            readings.append(replace(reading, pieces=aligned, guards=tuple(g.name for g in found)))
        return readings, fired

    def _decided(self, text: str, tag: str, mode: str, readings: Sequence[Reading], fired: dict[int, list[Guard]]) -> Match:
        order = list(range(len(readings)))
        alive = [i for i in order if self.live(self.house.intents[readings[i].intent], mode)]
        if alive and alive[0] != 0:
            first, intent = readings[alive[0]], self.house.intents[readings[alive[0]].intent]
            if first.score >= min(intent.matching.confirm, readings[0].score - 1e-9):
                order = [*alive, *(i for i in order if i not in alive)]
        best = readings[order[0]]
        rivals = [readings[i] for i in order[1:] if i in alive]
        if not best.missing:
            rivals = [r for r in rivals if not r.missing]
        if not best.guards:  # what a guard keeps from being done is no rival of what none does
            rivals = [r for r in rivals if not r.guards]
        margin = round(best.score - rivals[0].score, 9) if rivals else best.score
        intent = self.house.intents[best.intent]
        outcome, reason, detail = decide(self.house, intent, best, fired[order[0]], margin, live=order[0] in alive)
        limits = intent.matching
        thresholds = {"accept": limits.accept, "confirm": limits.confirm, "margin": limits.margin}
        kept = tuple(readings[i] for i in order if readings[i].score >= best.score - BEHIND)
        return Match(text, outcome, kept, max(0.0, margin), reason, detail, tag, thresholds)


def _exchanged(tokens: Sequence[Token], at: int, count: int, words: Words) -> tuple[Token, ...]:
    start, end = tokens[at].start, tokens[at + count - 1].end
    return (*tokens[:at], *(Token(w, start, end) for w in words), *tokens[at + count :])
