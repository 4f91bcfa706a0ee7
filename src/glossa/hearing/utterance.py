"""One utterance, analysed once: its tokens with their roles, and the chart of what every stretch of it could mean.

The matcher, answers and follow-ups share this one immutable value. Wake words are listened for before it is known whether anything else
in the line counts, and in which language, so that they look at its tokens only.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from itertools import pairwise

from msgspec import Struct

from glossa.hearing.asides import Beside
from glossa.hearing.clauses import ClauseGrammar
from glossa.hearing.costs import COSTS
from glossa.hearing.devices import PLAIN_NAME, DeviceExpression, DeviceGrammar
from glossa.hearing.house_words import doubled
from glossa.hearing.lexicon import Lexicon, NamedSpan
from glossa.hearing.merged import Merged, Shifted
from glossa.hearing.numbers import HOMOPHONE, Quantity
from glossa.hearing.repair import Dropped, Repairs
from glossa.hearing.roles import How, Role
from glossa.hearing.tagging import Tagging
from glossa.hearing.timing import Timed, Timing
from glossa.hearing.tokens import DASHES, MOST_TOKENS, Token, tokenize
from glossa.hearing.vocabulary import WordEdge

MOST_RECENT = 8
"""Utterances that are kept for whoever looks at them next."""


class Utterance(Struct, frozen=True, gc=False):
    """An utterance in one language of a house.

    Attributes:
        text: what was heard.
        tokens, words: its tokens, contractions folded, merged words taken apart and false starts left out, and their words.
        roles: what each token does.
        weights: what leaving each token unexplained costs, in content words.
        edges: for every token, the words of the house that start there.
        spans: for every token, the names that start there.
        quantities: all quantities, also inside others; ``widest`` of them count for roles.
        expressions: device expressions, the likeliest first.
        degree: the share of the usual amount that was asked for: "slightly" 0.5.
        times: the multiple of what it is now that was asked for, 0 for none; ``times_at`` its tokens as a bit mask.
        pauses: the tokens before which there is a pause in the writing, as a bit mask.
        requests: the tokens at which a request begins behind a sentence, as a bit mask: "it's cold in here, could you ...".
        telling: the tokens that no clause holds that is beside the command: names, directions, numbers; as a bit mask.
        pointed: the devices that "it" stands for because a clause in front names them, as a bit mask.
        beside: where sentences beside a command may end and begin.
        timed: the times other than now and the conditions that it holds.
        shares: where somebody speaks of a part of several: the "one of" of "one of them".
        dropped: the false starts and hesitations that were taken out before.
    """

    text: str
    tokens: tuple[Token, ...]
    words: tuple[str, ...]
    roles: tuple[Role, ...] = ()
    weights: tuple[float, ...] = ()
    edges: tuple[tuple[WordEdge, ...], ...] = ()
    spans: tuple[tuple[NamedSpan, ...], ...] = ()
    quantities: tuple[Quantity, ...] = ()
    expressions: tuple[DeviceExpression, ...] = ()
    degree: float = 1.0
    times: float = 0.0
    times_at: int = 0
    pauses: int = 0
    requests: int = 0
    telling: int = 0
    pointed: int = 0
    beside: Beside = Beside()
    timed: tuple[Timed, ...] = ()
    shares: tuple[tuple[int, int], ...] = ()
    dropped: tuple[Dropped, ...] = ()

    def weight(self, mask: int) -> float:
        """What the tokens of a bit mask weigh together."""
        total = 0.0
        weights = self.weights
        while mask:
            low = mask & -mask
            total += weights[low.bit_length() - 1]
            mask ^= low
        return total

    def left(self, mask: int) -> float:
        """What the tokens weigh together that are not in a bit mask."""
        return self.weight(((1 << len(self.words)) - 1) & ~mask)

    def written(self, start: int, end: int) -> str:
        """The tokens from ``start`` to ``end`` as they were written, so that "don't" stays what it was."""
        return " ".join(self.text[self.tokens[start].start : self.tokens[end - 1].end].split())

    @property
    def bare(self) -> tuple[str, ...]:
        """The words without filler."""
        return tuple(w for w, r in zip(self.words, self.roles, strict=True) if r != Role.FILLER)

    def rooms(self) -> list[NamedSpan]:
        """The rooms that are named."""
        return [s for spans in self.spans for s in spans if s.entry.kind == "room"]


class Hearing:
    """Analyses the utterances of one house in one language.

    Args:
        lexicon: the house's words.
    """

    def __init__(self, lexicon: Lexicon) -> None:
        self.lexicon, self.language = lexicon, lexicon.language
        self._devices, self._tagging, self._timing = DeviceGrammar(lexicon), Tagging(lexicon), Timing(lexicon.language)
        self._recent = lru_cache(MOST_RECENT)(self._analysed)
        language = lexicon.language
        grammar = language.grammar
        self._series = frozenset(lexicon.series) if grammar.through else frozenset()
        self._contracted = frozenset(first for first, _ in language.contractions)
        self._absolute = frozenset(grammar.absolute)
        self._leading_to = self._absolute.difference(language.poles)
        self._leading = tuple(w for w in grammar.absolute if w in language.small and w in lexicon.vocabulary.words)
        self._clauses = ClauseGrammar(lexicon)
        self._filler_factor = lexicon.house.matching.filler
        known = lexicon.vocabulary.words
        self._merged, self._shifted = Merged(lexicon.vocabulary, lexicon.pairs), Shifted(lexicon.vocabulary, lexicon.pairs)
        self._subtracting = language.amounts.taken_off.keys() | language.amounts.added.keys()
        self._measures = {m: d for m, d in language.amounts.measures.items() if d in known}
        others = (run for runs in lexicon.several.values() for run in runs)  # "bye bye"
        twice = doubled(lexicon.house.intents.values(), lexicon.tag) | {a for run in others for a, b in pairwise(run) if a == b}
        self._repairs = Repairs(language, lexicon.named, lexicon.pairs, known, twice, lexicon.series)

    def analyse(self, text: str) -> Utterance:
        """An utterance with its roles and chart; one that is empty or too long has only its tokens, at most ``MOST_TOKENS`` + 1.

        The last few are kept: the matcher, answers and follow-ups look at the same one.
        """
        return self._recent(text)

    def _analysed(self, text: str) -> Utterance:
        tokens = self._prepared(text)
        if not tokens or len(tokens) > MOST_TOKENS:
            return Utterance(text, tokens, tuple(t.word for t in tokens))
        tokens, dropped = self._repairs.of(tokens)
        words = tuple(t.word for t in tokens)
        edges = self._shifted.edges(words, self.lexicon.vocabulary.edges(words))
        quantities = tuple(self.lexicon.numbers.every(tokens))
        edges = self._without_numbers(words, edges, quantities)
        roles = self._tagging.of(words, edges, quantities)
        fixed = roles.fixed_at
        if fixed:  # the "mind" of "would you mind" stands for no other word; the "have" of "let's have a look at" may
            edges = tuple(
                tuple(e for e in here if e.how == How.SAME or not fixed >> e.end - 1 & 1) if fixed >> at & 1 else here
                for at, here in enumerate(edges)
            )
        if roles.unnumbered_at:  # the "un" of "un peu" and the "second" of "hang on a second" are no numbers
            quantities = tuple(q for q in quantities if ((1 << q.end) - (1 << q.start)) & ~roles.unnumbered_at)
            quantities = tuple(
                q for q in quantities if not roles.fixed_at >> q.end - 1 & 1
            )  # "forty, sorry to bother you" is no two
        if roles.times_at:
            quantities = tuple(q for q in quantities if not ((1 << q.end) - (1 << q.start)) & roles.times_at)
            edges = self._with_measures(words, edges)
        if roles.ordered >= 0:  # the "is" of "make sure it is locked" asks nothing
            edges = tuple(() if at == roles.ordered else here for at, here in enumerate(edges))
        weights = roles.weights(self._filler_factor)
        joiners = self._devices.joiners
        passed = (Role.SMALL, Role.ASIDE)
        hesitation = self.language.numbers.hesitation  # "reading er lamp", no "hen house light"
        skips = [
            w if (r in passed or (r == Role.FILLER and word in hesitation)) and word not in joiners else math.inf
            for r, w, word in zip(roles.roles, weights, words, strict=True)
        ]
        spans = self.lexicon.spans(edges, skips)
        edges = self._with_prepositions(words, edges, spans, quantities)
        if not self._subtracting.isdisjoint(words):
            edges = self._with_subtracted(words, edges, roles.roles, quantities)
        articles = self.lexicon.articles
        passable = [
            (word in articles and following not in joiners) or (r == Role.FILLER and word not in joiners)
            for r, word, following in zip(roles.roles, words, (*words[1:], ""), strict=True)
        ]
        expressions = self._devices.expressions(words, spans, passable, roles.fixed_at)
        clauses = self._clauses.of(text, tokens, roles.roles, spans, expressions)
        return Utterance(
            text, tokens, words, tuple(roles.roles), tuple(weights), edges, spans, quantities, clauses.expressions,
            roles.degree, roles.times, roles.times_at, clauses.pauses, clauses.requests, clauses.telling,
            clauses.pointed, clauses.beside, self._timing.of(words, roles.roles, quantities),
            self._devices.shares(words), dropped,
        )  # fmt: skip

    def _without_numbers(
        self, words: Sequence[str], edges: tuple[tuple[WordEdge, ...], ...], quantities: Sequence[Quantity]
    ) -> tuple[tuple[WordEdge, ...], ...]:
        """The edges without those that take a plain number for another word: the "ten" of "ten minutes" and of "to ten" is no "turn"."""
        plain = (q for q in quantities if q.cost < HOMOPHONE)
        firm = {
            at
            for q in plain
            if q.unit or q.end - q.start > 1 or (q.start and words[q.start - 1] in self._leading_to)
            for at in range(q.start, q.end)
        }
        if not firm:
            return edges
        return tuple(tuple(e for e in here if at not in firm or not e.how & How.TAKEN) for at, here in enumerate(edges))

    def _with_prepositions(
        self,
        words: Sequence[str],
        edges: Sequence[tuple[WordEdge, ...]],
        spans: Sequence[Sequence[NamedSpan]],
        quantities: Sequence[Quantity],
    ) -> tuple[tuple[WordEdge, ...], ...]:
        """Right before a value one preposition is as good as another: "at twenty" and "on twenty" for "to twenty"."""
        values = {q.start for q in quantities if q.cost < HOMOPHONE}
        values.update(at for at, here in enumerate(spans) if any(s.entry.kind == "value" and s.cost < PLAIN_NAME for s in here))
        made = list(edges)
        for at in (v - 1 for v in values if v and words[v - 1] in self._absolute):
            others = (w for w in self._leading if w != words[at])
            made[at] = (*made[at], *(WordEdge(at, at + 1, w, COSTS.synonym, How.SYNONYM) for w in others))
        return tuple(made)

    def _with_subtracted(
        self, words: Sequence[str], edges: Sequence[tuple[WordEdge, ...]], roles: Sequence[Role], quantities: Sequence[Quantity]
    ) -> tuple[tuple[WordEdge, ...], ...]:
        """Beside an amount the "off" of "ten percent off the lamp" and the "another" of "another ten percent" say which way."""
        made = list(edges)
        plain, amounts = [q for q in quantities if q.cost < HOMOPHONE], self.language.amounts
        behind = {q.end for q in plain} | {i + 1 for i, r in enumerate(roles) if r == Role.AMOUNT}
        ways = {at: amounts.taken_off.get(words[at], "") for at in behind if at + 1 < len(words)}
        ways |= {
            q.start - 1: amounts.added.get(words[q.start - 1], "")
            for q in plain
            if q.start and words[q.start - 1] in amounts.added
        }
        for at, way in ways.items():
            near = self.lexicon.vocabulary.near(way) if way else ()
            made[at] = (*made[at], *(WordEdge(at, at + 1, n.word, n.cost + COSTS.synonym, How.REWRITTEN) for n in near))
        return tuple(made)

    def _with_measures(self, words: Sequence[str], edges: Sequence[tuple[WordEdge, ...]]) -> tuple[tuple[WordEdge, ...], ...]:
        """In "double the brightness" the measure stands for the direction."""
        more = []
        for at, here in enumerate(edges):
            said = self._measures.get(words[at])
            extra = (WordEdge(at, at + 1, said, COSTS.toward, How.TOWARD),) if said else ()
            more.append((*here, *extra))
        return tuple(more)

    def _prepared(self, text: str) -> tuple[Token, ...]:
        """The tokens of a text: contractions folded, merged words taken apart, at most ``MOST_TOKENS`` + 1."""
        tokens = tokenize(text, self.language.numbers.thousands)[: MOST_TOKENS + 1]
        contractions, expansions = self.language.contractions, self.language.expansions
        vocabulary = self.lexicon.vocabulary
        known, numbers = vocabulary.words, self.language.numbers.ones
        done: list[Token] = []
        at = 0
        while at < len(tokens):
            token = tokens[at]
            if token.number is not None and self._series and self._runs_on(text, done, token):
                done.append(Token(self.language.grammar.through[0], token.start - 1, token.start))
            if token.word in self._contracted and at + 1 < len(tokens) and token.word not in known:
                pair = token.word, tokens[at + 1].word
                if pair in contractions:
                    done += [Token(word, token.start, tokens[at + 1].end) for word in contractions[pair]]
                    at += 2
                    continue
            at += 1
            expanded = expansions.get(token.word)
            if token.end - token.start != len(token.word) or not text.isascii():  # an apostrophe, an accent
                expanded = expansions.get(text[token.start : token.end].lower().replace("’", "'")) or expanded
            if expanded and token.word not in known and all(w in known or w in numbers for w in expanded):
                done += [Token(w, token.start, token.end) for w in expanded]
                continue
            one = token.word[:-1]
            if one in known and text[token.start : token.end].endswith(("'s", "’s")):  # "the stereo's too loud" is about one
                if one in self.lexicon.of_noun_word or token.word not in self.lexicon.named:
                    done.append(Token(one, token.start, token.end))
                    continue
            parts = self._merged.parts(token.word) if token.number is None else None
            if parts is None:
                done.append(token)
                continue
            start = token.start
            for number, part in enumerate(parts, 1):
                end = token.end if number == len(parts) else min(start + len(part), token.end)
                done.append(Token(part, start, end, None, start > token.start))
                start = end
        return tuple(done)

    def _runs_on(self, text: str, before: Sequence[Token], token: Token) -> bool:
        """Whether a number is the last one of a series that is written with a dash: "spots 1-3"."""
        if len(before) < 2 or before[-1].number is None or before[-2].word not in self._series:
            return False
        return text[before[-1].end : token.start].strip() in {*DASHES}
