"""Matching: one utterance -> its readings, the evidence for the best one, and what to do about it."""

from __future__ import annotations

from collections.abc import Container, Mapping, Sequence
from functools import lru_cache
from threading import Lock

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.roles import How, Role
from glossa.hearing.timing import CONDITION, LATER
from glossa.hearing.tokens import MOST_TOKENS
from glossa.hearing.utterance import Utterance
from glossa.house.frozen import Frozen
from glossa.house.model import House, Intent
from glossa.house.problems import HouseError, Problem, nearest
from glossa.house.text import printable
from glossa.language import meant
from glossa.matching.alignment import Alignment
from glossa.matching.amounts import amounts_of
from glossa.matching.compound import LEAST_TOLD, TELLING, boundaries, compound, parted
from glossa.matching.decide import decide
from glossa.matching.evidence import TERM_NAMES, confidence, counted, fitted_weights
from glossa.matching.grammar import Grammar
from glossa.matching.reading import filled, pieces_of, reading_of
from glossa.matching.result import Match, Outcome, Reading
from glossa.matching.search import MOST_STEPS, Search
from glossa.matching.stops import Fired, Severity, fired

MOST_READINGS = 4
"""Meanings of an utterance that are looked at."""

MOST_OTHERS = 3
"""Alignments beside the cheapest one of a meaning for which there may be more evidence."""

MOST_STEPS_OF_A_LINE = 2_600
"""Steps of all searches for one line, about 10 µs each."""
STEPS_OF_A_PART, STEPS_OF_A_WORD = 30, 3
"""What it costs to analyse a part of an utterance that may hold several commands, in steps of a search, and each word in it."""


class Meant(Struct, frozen=True, gc=False):
    """One meaning of an utterance: its cheapest alignment, as a reading, and what fired on it.

    Attributes:
        others: dearer alignments that mean the same, cheapest first, at most ``MOST_OTHERS``.
    """

    alignment: Alignment
    reading: Reading
    stops: tuple[Fired, ...]
    live: bool
    others: tuple[Alignment, ...] = ()

    @property
    def refused(self) -> bool:
        """Whether a stop keeps it from being carried out."""
        return any(s.severity == Severity.REJECT for s in self.stops)

    @property
    def not_now(self) -> bool:
        """Whether it is refused for its time, or a condition; it may be what was meant all the same."""
        return any(s.name in (LATER, CONDITION) for s in self.stops)


class Understood(Struct, frozen=True, gc=False):
    """An utterance in one language with everything that the decision looks at.

    Attributes:
        utterance: what was heard.
        grammar: of the language.
        meanings: the best one first.
        lead: by how many words of cost the next different meaning is behind.
        steps: how many steps the search took.
        ended: whether it came to its end; one that takes too many steps does not.
    """

    utterance: Utterance
    grammar: Grammar
    meanings: tuple[Meant, ...] = ()
    lead: float = 0.0
    steps: int = 0
    ended: bool = True

    @property
    def guessed(self) -> bool:
        """Whether the best meaning takes a word for another one by its sound, or for a form of it."""
        chosen = self.meanings[0].alignment.chosen if self.meanings else ()
        return any(e.how & (How.SOUND | How.FORM) for o in chosen if o is not None for e in o.edges)

    def amounts(self) -> dict[str, float]:
        """How much there is of each term of the evidence for the best meaning."""
        return amounts_of(self.utterance, self.meanings[0].alignment, self.grammar, self.lead)


class Matcher:
    """Matches text against the phrases of a house.

    Compiling takes a fraction of a second; a match about a millisecond. The same text in the same house always gives
    the same answer, from any number of threads.

    Args:
        house: a checked house, as :func:`glossa.load_house` gives it.
        remember: how many matches to keep for when the same text comes again, as it does in tables; 0 for none.
        weights: weights of the evidence by term, instead of the fitted ones and the house's own.

    Raises:
        HouseError: where the house has a weight for a term that there is not.

    >>> from glossa import load_house
    >>> Matcher(load_house("marigold")).match("galley lamp on please").outcome
    <Outcome.ACCEPT: 'accept'>
    """

    def __init__(self, house: House, remember: int = 0, weights: Mapping[str, float] | None = None) -> None:
        self.house = house
        unknown = [term for term in house.evidence if term not in TERM_NAMES]
        if unknown:
            raise HouseError(
                Problem("house.toml", 0, f"evidence.{t}", "there is no such term", nearest(t, TERM_NAMES)) for t in unknown
            )
        self.weights: Mapping[str, float] = Frozen(weights if weights is not None else {**fitted_weights(), **house.evidence})
        self._known = lru_cache(remember)(self._match) if remember else self._match
        self._grammars: dict[str, Grammar] = {}
        self._compiling = Lock()

    def grammar(self, language: str) -> Grammar:
        """The compiled phrases of a language, compiled at first use."""
        known = self._grammars.get(language)
        if known is None:
            with self._compiling:
                known = self._grammars.get(language)
                if known is None:
                    known = self._grammars[language] = Grammar(self.house, language)
        return known

    def warm(self) -> None:
        """Do now what the first utterance would have to wait for: compile every language, and sound out the house's words."""
        for language in self.house.languages:
            self.grammar(language)
            self.match("one mumble", language, "")

    def match(self, text: str, language: str = "", mode: str = "", about: Sequence[str] = ()) -> Match:
        """Match one utterance.

        Args:
            text: what was heard, at most 10,000 characters of which are looked at.
            language: a BCP 47 tag to switch the house's other languages off, "en", "en-GB" or "en_gb"; ``""`` lets all compete.
            mode: the mode that the house is in, ``""`` for none.
            about: device ids that were spoken of before, which "it" means and which need not be named again.

        Returns:
            The readings, at most four, the best of every meaning first, and the outcome.

        Raises:
            LookupError: where the house has no such language or mode, with those that it has.
        """
        return self._known(printable(text), self.language(language), self.mode(mode), tuple(about))

    def language(self, tag: str) -> str:
        """The language of the house that a BCP 47 tag means, ``""`` for ``""``.

        Raises:
            LookupError: where it has none such.
        """
        found = meant(tag, self.house.languages) if tag else ""
        if tag and not found:
            raise LookupError(f"the house speaks {', '.join(self.house.languages)}, not '{tag}'")
        return found

    def mode(self, name: str) -> str:
        """A mode of the house, ``""`` for none.

        Raises:
            LookupError: where it has none such.
        """
        if name and name not in self.house.modes:
            raise LookupError(f"the house has no mode '{name}' ({nearest(name, self.house.modes) or 'it has none'})")
        return name

    def live(self, intent: Intent, mode: str) -> bool:
        """Whether an intent's phrases count in a mode, ``""`` being none."""
        if intent.modes:
            return mode in intent.modes
        return not (mode and mode in self.house.modes and self.house.modes[mode].exclusive)

    def spoken(self, text: str, usual: str = "") -> str:
        """The language of the house in which most words of a text are known; ``usual``, or else the house's first one, where several are even."""
        if len(self.house.languages) == 1:
            return self.house.languages[0]
        known = self._known_words(text)
        most = max(known.values())
        return usual if known.get(usual) == most else next(tag for tag, count in known.items() if count == most)

    def _known_words(self, text: str) -> dict[str, int]:
        """How many words of a text each language of the house knows, exactly."""
        if len(self.house.languages) == 1:
            return dict.fromkeys(self.house.languages, 0)
        found = {}
        for tag in self.house.languages:
            grammar = self.grammar(tag)
            general, own = grammar.lexicon.language.known, grammar.lexicon.vocabulary.words
            found[tag] = sum(w in general or w in own for w in grammar.hearing.analyse(text).words)
        return found

    # --- one utterance ----------------------------------------------------------------------------------------------

    def _match(self, text: str, language: str, mode: str, about: Sequence[str]) -> Match:
        known = self._known_words(text) if not language else {language: 0}
        tags = sorted(known, key=lambda tag: -known[tag])
        best, understood = self._in_language(text, tags[0], mode, about)
        steps = understood.steps
        for tag in tags[1:]:
            other, its = self._in_language(text, tag, mode, about)
            steps += its.steps
            guessed = known[tag] < known[tags[0]] and its.guessed  # "off" is no "öffne" where English was spoken
            if _better(other, best) and not guessed:
                best, understood = other, its
        return self._parted(best, understood, mode, about, steps)

    def _parted(self, whole: Match, understood: Understood, mode: str, about: Sequence[str], steps: int) -> Match:
        """An utterance that may hold several commands, after so many steps; a phrase that fits the whole line wins."""
        utterance, tag = understood.utterance, understood.grammar.tag
        language = understood.grammar.lexicon.language
        known = sum(r in TELLING for r in utterance.roles)
        if whole.outcome == Outcome.CANCEL or known < LEAST_TOLD or _fits(whole, understood):
            return whole
        covered = [m.alignment.covered for m in understood.meanings]
        places = boundaries(utterance, covered, language)
        understood_so_far: dict[tuple[str, tuple[str, ...]], Match] = {}

        def understand(part: str, devices: Sequence[str]) -> Match:
            nonlocal steps
            key = part, tuple(devices) or tuple(about)
            if key not in understood_so_far:
                steps += STEPS_OF_A_PART + STEPS_OF_A_WORD * (part.count(" ") + 1)
                if steps > MOST_STEPS_OF_A_LINE:
                    return Match(part, Outcome.REJECT, reason="too much", language=tag)
                most = min(MOST_STEPS, MOST_STEPS_OF_A_LINE - steps)
                understood_so_far[key], its = self._in_language(part, tag, mode, key[1], most)
                steps += its.steps
            return understood_so_far[key]

        path = parted(utterance, places, language, understood.grammar.lexicon.of_noun_word, understand)
        return whole if path is None else compound(whole, path, language)

    def _in_language(
        self, text: str, tag: str, mode: str, about: Sequence[str], most: int = MOST_STEPS
    ) -> tuple[Match, Understood]:
        """An utterance as one command in one language."""
        understood = self.understand(text, tag, mode, about, most)
        utterance, words = understood.utterance, understood.utterance.words
        if not words or len(words) > MOST_TOKENS:
            return Match(text, Outcome.REJECT, reason="too long" if words else "empty", language=tag), understood
        if not understood.ended:
            return Match(text, Outcome.REJECT, reason="too much", language=tag), understood
        if self._is_cancel(understood):
            return Match(text, Outcome.CANCEL, language=tag), understood
        if not understood.meanings:
            idle = all(r in (Role.FILLER, Role.SMALL, Role.AMOUNT) for r in utterance.roles)
            return Match(text, Outcome.REJECT, reason="filler" if idle else "nothing", language=tag), understood
        return self._decided(text, understood), understood

    def understand(self, text: str, tag: str, mode: str = "", about: Sequence[str] = (), most: int = MOST_STEPS) -> Understood:
        """Everything that the decision about an utterance looks at, in one language; see :meth:`match`."""
        grammar = self.grammar(tag)
        utterance = grammar.hearing.analyse(text)
        if not utterance.words or len(utterance.words) > MOST_TOKENS:
            return Understood(utterance, grammar)
        search = Search(utterance, grammar, about, most)
        meanings = self._meanings(search.alignments(), utterance, grammar, mode)
        lead = _lead(meanings, utterance.words, grammar.lexicon.vocabulary.words)
        return Understood(utterance, grammar, meanings, lead, search.steps, search.ended)

    def _meanings(self, alignments: Sequence[Alignment], utterance: Utterance, grammar: Grammar, mode: str) -> tuple[Meant, ...]:
        """The cheapest alignment of every meaning; those that count in the mode and are not refused go first where they are about as cheap."""
        meanings: list[Meant] = []
        seen: set[object] = set()
        others: dict[object, list[Alignment]] = {}
        for alignment in alignments:
            if len(meanings) >= MOST_READINGS:
                break
            slots = filled(utterance, alignment)
            if slots in seen:
                others.setdefault(slots, []).append(alignment)
                continue
            reading = reading_of(utterance, alignment, grammar)
            known = reading.meaning in seen
            seen |= {slots, reading.meaning}
            if known:
                continue
            live = self.live(alignment.pattern.intent, mode)
            meanings.append(Meant(alignment, reading, fired(utterance, alignment, grammar), live))
        if others:
            more = others.get(filled(utterance, meanings[0].alignment), ())
            meanings[0] = replace(meanings[0], others=tuple(more[:MOST_OTHERS]))
        if meanings and ((meanings[0].refused and not meanings[0].not_now) or not meanings[0].live):
            least = meanings[0].reading.cost
            meanings.sort(key=lambda m: not (m.live and not m.refused and m.reading.cost <= least + SLIP))
        return tuple(meanings)

    def _is_cancel(self, understood: Understood) -> bool:
        """Whether an utterance is nothing but "never mind" or "cancel", and no phrase of the house."""
        answers = understood.grammar.lexicon.language.phrases("answers", "cancel")
        utterance = understood.utterance
        if not (answers.whole(utterance.words) or answers.whole(utterance.bare)):
            return False
        return not any(m.reading.score >= WHOLE for m in understood.meanings)

    def _strongest(self, understood: Understood, enough: float) -> tuple[Alignment, Mapping[str, float]]:
        """The alignment of the best meaning for which there is most evidence, with how much there is of each term.

        It need not be the cheapest one: the "flipping" of "flipping heck I'm late lamp on" may be a "turn", at the price of all that stands
        between. The others are looked at only where the evidence for the cheapest one is not ``enough``.
        """
        best, utterance, grammar = understood.meanings[0], understood.utterance, understood.grammar
        strongest, amounts = best.alignment, understood.amounts()
        most = confidence(amounts, self.weights)
        for other in best.others if most < enough and not best.refused else ():
            its = amounts_of(utterance, other, grammar, understood.lead)
            sure = confidence(its, self.weights)
            if sure > most and not any(s.severity == Severity.REJECT for s in fired(utterance, other, grammar)):
                strongest, amounts, most = other, its, sure
        return strongest, amounts

    def _decided(self, text: str, understood: Understood) -> Match:
        utterance, grammar = understood.utterance, understood.grammar
        best = understood.meanings[0]
        intent = self.house.intents[best.reading.intent]
        alignment, amounts = self._strongest(understood, intent.matching.accept)
        reading = best.reading if alignment is best.alignment else reading_of(utterance, alignment, grammar)
        first = replace(
            reading, confidence=confidence(amounts, self.weights), evidence=counted(amounts, self.weights),
            pieces=pieces_of(utterance, alignment, grammar), stops=tuple(s.name for s in best.stops),
        )  # fmt: skip
        outcome, reason, detail = decide(self.house, intent, first, best.stops, understood.lead, live=best.live)
        others = tuple(replace(m.reading, stops=tuple(s.name for s in m.stops)) for m in understood.meanings[1:])
        limits = intent.matching
        held = Frozen(accept=limits.accept, confirm=limits.confirm, lead=limits.lead)
        return Match(text, outcome, (first, *others), understood.lead, reason, detail, grammar.tag, held)


WHOLE = 0.9
"""A phrase of the house fits an utterance as a whole from this score on."""

SLIP = 0.3
"""A phrase that counts in the mode, and that no stop refuses, goes before others where it costs no more than this many words more."""


def _fits(whole: Match, understood: Understood) -> bool:
    """Whether a command explains all of an utterance that could be another one."""
    if whole.outcome != Outcome.ACCEPT:
        return False
    alignment, utterance = understood.meanings[0].alignment, understood.utterance
    left = [i for i in range(len(utterance.roles)) if not alignment.covered >> i & 1]
    roles, joined = {utterance.roles[i] for i in left}, understood.grammar.lexicon.language.grammar.then
    another = Role.VERB in roles and any(utterance.words[i] in joined for i in left)  # "turn it on and play some music"
    return roles.isdisjoint(TELLING) and not another


def _lead(meanings: Sequence[Meant], said: Sequence[str], vocabulary: Container[str]) -> float:
    """By how many words of cost the best meaning leads.

    No rival is what does not count in the mode, what is refused where the best is not, what lies out of range or still lacks something where
    the best does not, what explains only a part of the same words with the same intent, and what takes a word of the house for another one
    of it where the best takes it as it is.

    Args:
        meanings: the best one first.
        said: the words of the utterance.
        vocabulary: the words of the house.
    """
    if not meanings:
        return 0.0
    best = meanings[0]
    rivals = [m for m in meanings[1:] if m.live and not (m.refused and not m.not_now and not best.refused)]
    if not best.reading.outside:
        rivals = [m for m in rivals if not m.reading.outside]
    if not best.reading.missing:
        rivals = [m for m in rivals if not m.reading.missing]
    plain = 0
    for option in best.alignment.chosen if rivals else ():
        if option is not None and not any(e.how & (How.SOUND | How.FORM) for e in option.edges):
            plain |= option.tokens
    rivals = [m for m in rivals if not (_part_of(m.alignment, best.alignment) or _mishears(m.alignment, plain, said, vocabulary))]
    return round(max(0.0, rivals[0].reading.cost - best.reading.cost), 9) if rivals else best.reading.weight


def _part_of(one: Alignment, other: Alignment) -> bool:
    """Whether an alignment explains only a part of what another one does, with the same intent."""
    if one.pattern.intent is not other.pattern.intent:
        return False
    return one.covered != other.covered and one.covered & other.covered == one.covered


def _mishears(alignment: Alignment, plain: int, said: Sequence[str], vocabulary: Container[str]) -> bool:
    """Whether an alignment takes one of these tokens for another word of the house than that which it is."""
    edges = (e for option in alignment.chosen if option is not None for e in option.edges)
    return any(e.how & How.SOUND and plain >> e.start & 1 and said[e.start] in vocabulary for e in edges)


def _better(one: Match, other: Match) -> bool:
    """Whether one language's match goes before another's: by what it costs, for the confidence is about what was meant within a language."""
    if Outcome.CANCEL in (one.outcome, other.outcome):
        return one.outcome == Outcome.CANCEL and other.outcome != Outcome.CANCEL
    return one.score > other.score + 1e-9
