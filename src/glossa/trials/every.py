"""What one mistake of a recogniser can do: every single error that is likely enough, in every sentence of a covering set."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from itertools import islice
from typing import NamedTuple

from msgspec import Struct

from glossa.commands.action import act
from glossa.conversation.conversation import initial_state
from glossa.hearing.house_words import words_of
from glossa.house.effects import Shift
from glossa.house.model import House
from glossa.house.sorts import NumberValues
from glossa.house.text import words as folded
from glossa.house.values import Value
from glossa.language import Language, language_of, plural
from glossa.matching import Match, Matcher, Outcome
from glossa.matching.meaning import targets
from glossa.matching.result import Reading
from glossa.trials.covering import Said, covering
from glossa.trials.noise import Noise, Slip, noises
from glossa.trials.parallel import each, matcher_here
from glossa.trials.run import run_alone
from glossa.trials.table import Row

SENTENCES_AT_ONCE = 6
"""Sentences that a worker gets at a time."""

MOST_SENTENCES = 400
"""Sentences that are looked through for words that are one error from another one."""

LIKELY = 0.01
"""An error is likely enough where it is at least this share of what can go wrong in one word."""

MOST_DEVICES = 2
"""Devices that are named in what an error does."""

OUTCOMES = ("right", "asked", "refused", "another action", "opposite action")
DANGEROUS = OUTCOMES[3:]


class Mishap(Struct, frozen=True):
    """One error that led to another action: what was said, what was heard, what it does.

    Attributes:
        said, heard: the texts.
        slip: the error.
        outcome: ``another action`` or ``opposite action``.
        wanted, got: the intents, ``""`` where nothing was to be done.
        wanted_does, does: what should have been done, and what is.
        where: the phrase, or the table and line, that was said.
        language: of the sentence.
    """

    said: str
    heard: str
    slip: Slip
    outcome: str
    wanted: str
    got: str
    wanted_does: str
    does: str
    where: str
    language: str


class EveryResult(Struct, frozen=True):
    """What came of every error.

    Attributes:
        sentences: how many were said, and how many of them a worker came to; ``skipped`` those that come out wrong without any error.
        tried: how many errors.
        counts: for a sort of error and an outcome, how many, and what they weigh by how likely they are.
        taken: for an intent that was wanted and one that was carried out, how many errors; ``""`` for none.
        mishaps: every error that led to another action, the gravest and likeliest first.
        ended: whether everything was tried before the time was up.
    """

    sentences: int
    done: int
    skipped: tuple[str, ...]
    tried: int
    counts: dict[str, dict[str, tuple[int, float]]]
    taken: dict[str, dict[str, int]]
    mishaps: tuple[Mishap, ...]
    ended: bool

    def of(self, outcome: str) -> tuple[int, float]:
        """How many errors came to an outcome, and what they weigh."""
        found = [by[outcome] for by in self.counts.values() if outcome in by]
        return sum(n for n, _ in found), sum(w for _, w in found)


class _Tried(NamedTuple):
    sort: str
    likelihood: float
    outcome: str
    wanted: str
    got: str
    mishap: Mishap | None


def every_error(
    house: House,
    rows: Sequence[Row] = (),
    jobs: int = 1,
    progress: Callable[[int, int], None] | None = None,
    go_on: Callable[[], bool] = lambda: True,
) -> EveryResult:
    """Try every single error that a house's recogniser is likely to make, in what the house understands and in the rows of its tables.

    Args:
        house: the house; its ``recogniser`` says how it mishears.
        rows: of its tables; those of conversations are left out.
        jobs: workers; the result is the same.
        progress: called with the number of sentences done, and of all.
        go_on: asked now and then whether to go on; what was not tried by then is left out.
    """
    sentences = covering(house, rows)
    chunks = [tuple(sentences[n : n + SENTENCES_AT_ONCE]) for n in range(0, len(sentences), SENTENCES_AT_ONCE)]
    counts: dict[str, dict[str, tuple[int, float]]] = {}
    taken: dict[str, Counter[str]] = {}
    mishaps: list[Mishap] = []
    skipped: list[str] = []
    done = tried = 0
    for chunk, (found, left_out) in zip(chunks, each(_try_all, [(house, c) for c in chunks], jobs, go_on), strict=False):
        done += len(chunk)
        skipped += left_out
        tried += len(found)
        for one in found:
            by = counts.setdefault(one.sort, {})
            number, weight = by.get(one.outcome, (0, 0.0))
            by[one.outcome] = number + 1, weight + one.likelihood
            if one.wanted or one.got:
                taken.setdefault(one.wanted, Counter())[one.got] += 1
            if one.mishap is not None:
                mishaps.append(one.mishap)
        if progress is not None:
            progress(done, len(sentences))
    mishaps.sort(key=_gravest_first)
    matrix = {wanted: dict(sorted(got.items())) for wanted, got in sorted(taken.items())}
    return EveryResult(len(sentences), done, tuple(skipped), tried, counts, matrix, tuple(mishaps), done == len(sentences))


def one_error_away(house: House, matcher: Matcher, tag: str) -> list[Mishap]:
    """Another action that is one word of the house away: a name, a direction or a word of a phrase that is likely to be taken for another one.

    Only words that the house file holds are tried, each pair in one sentence, which takes a moment where trying everything takes minutes.

    Args:
        house: the house.
        matcher: of the house.
        tag: the language.
    """
    language = language_of(house, tag)
    lexicon = matcher.grammar(tag).lexicon
    maker = Noise(language, sorted(lexicon.vocabulary.words), house.recogniser)
    words = words_of(house.intents.values(), tag) | lexicon.named
    words |= {w for names in house.rooms.values() for name in lexicon.texts(names) for w in name}
    words |= {w for v in lexicon.specs for f in v.forms(tag, language) if not f.cost and not f.kin for w in f.words}
    tries = _Tries(house, matcher, {tag: maker})
    switched = {w for text in (*language.switch.on, *language.switch.off) for w in folded(text)}  # nobody chose these
    words -= {*language.small, *language.light, *language.number_words, *switched}
    seen: set[tuple[str, str]] = set()
    found: list[Mishap] = []
    for said in islice((s for s in covering(house) if s.language == tag), MOST_SENTENCES):
        slips = []
        for slip in maker.substitutions(said.text):
            pair = slip.said, slip.heard
            other_form = plural(slip.said, language) == slip.heard or plural(slip.heard, language) == slip.said
            if slip.heard in words and slip.said in words and not other_form and pair not in seen:
                seen.add(pair)
                slips.append(slip)
        if not language.negation.single.isdisjoint(folded(said.text)):
            slips += [s for s in maker.every(said.text) if s.sort == "deletion" and s.said in language.negation.single]
        if slips:
            found += [t.mishap for t in tries.of(said, slips) or () if t.mishap is not None]
    return sorted(found, key=_gravest_first)


def _gravest_first(mishap: Mishap) -> tuple[int, float, str, str]:
    return -OUTCOMES.index(mishap.outcome), -mishap.slip.likelihood, mishap.said, mishap.heard


# --- on a worker ----------------------------------------------------------------------------------------------------

_makers: dict[int, tuple[House, dict[str, Noise]]] = {}


def _noises_here(house: House) -> dict[str, Noise]:
    key = hash(house.name)
    known = _makers.get(key)
    if known is None or known[0] != house:
        known = _makers[key] = (house, dict(noises(house, house.recogniser)))
    return known[1]


def _try_all(house: House, sentences: Sequence[Said]) -> tuple[list[_Tried], list[str]]:
    """Every error in some sentences, and the sentences that come out wrong without any."""
    tries = _Tries(house, matcher_here(house), _noises_here(house))
    found: list[_Tried] = []
    skipped: list[str] = []
    for said in sentences:
        one = tries.of(said)
        if one is None:
            skipped.append(said.text)
        else:
            found += one
    return found, skipped


class _Tries:
    def __init__(self, house: House, matcher: Matcher, makers: dict[str, Noise]) -> None:
        self.house, self.matcher, self.makers = house, matcher, makers
        self.state = initial_state(house)

    def of(self, said: Said, slips: Sequence[Slip] | None = None) -> list[_Tried] | None:
        """Every error in a sentence, or some; None where it comes out wrong without one."""
        clean = self._match(said.text, said)
        if said.row is not None:
            if not run_alone(self.house, said.row, self.matcher, self.state).right:
                return None
        elif clean.outcome == Outcome.REJECT:
            return None
        maker = self.makers[said.language]
        wanted = self._effects(clean)
        found = []
        for slip in maker.every(said.text) if slips is None else slips:
            if slip.likelihood < LIKELY:
                continue
            heard = maker.heard(said.text, slip)
            match = self._match(heard, said)
            outcome = self._outcome(said, clean, wanted, match, slip)
            got = _intent(match) if match.outcome == Outcome.ACCEPT else ""
            want = _intent(clean) if clean.outcome != Outcome.REJECT else ""
            mishap = None
            if outcome in DANGEROUS:
                does, wanted_does = self._told(match), self._told(clean) if want else ""
                mishap = Mishap(said.text, heard, slip, outcome, want, got, wanted_does, does, said.where, said.language)
            found.append(_Tried(slip.sort, slip.likelihood, outcome, want, got, mishap))
        return found

    def _match(self, text: str, said: Said) -> Match:
        tag = said.language if len(self.house.languages) > 1 else ""
        return self.matcher.match(text, tag, said.mode)

    def _outcome(self, said: Said, clean: Match, wanted: _Effects, match: Match, slip: Slip) -> str:
        if match.outcome != Outcome.ACCEPT:
            if match.outcome in (Outcome.CONFIRM, Outcome.ASK):
                same = match.outcome == clean.outcome and _meanings(match) == _meanings(clean)
                return "right" if same else "asked"
            return "right" if clean.outcome == match.outcome else "refused"
        if clean.outcome != Outcome.REJECT and _meanings(match) == _meanings(clean):
            return "right" if clean.outcome == Outcome.ACCEPT else "another action"
        language = language_of(self.house, said.language)
        if clean.outcome == Outcome.REJECT:
            negated = any(w in language.negation.words for w in slip.said.split())
            return "opposite action" if negated else "another action"
        return "opposite action" if self._opposite(wanted, self._effects(match), language) else "another action"

    def _effects(self, match: Match) -> _Effects:
        """What a match would change, and the words of its phrases."""
        changes: dict[tuple[str, str], Value] = {}
        moves: dict[tuple[str, str], int] = {}
        words: set[str] = set()
        for reading in _readings(match):
            intent = self.house.intents[reading.intent]
            action = act(self.house, intent, reading.slots, self.state, reading.language)
            changes.update(action.changes or {})
            for name, change in intent.change.items():
                if isinstance(change, Shift):
                    moves.update({(d, name): change.sign for d in targets(self.house, intent, reading.slots)})
            words.update(w for piece in reading.pieces if piece.role == "word" for w in piece.taken.split())
        return _Effects(changes, moves, frozenset(words), tuple(r.intent for r in _readings(match)))

    def _opposite(self, wanted: _Effects, got: _Effects, language: Language) -> bool:
        """Whether a match does the opposite of what was wanted: to one thing at least, or by the words of its phrase."""
        shared = wanted.changes.keys() & got.changes.keys()
        if any(self._at_other_ends(p, wanted.changes[p], got.changes[p]) for p in shared):
            return True
        if any(wanted.moves[p] * got.moves[p] < 0 for p in wanted.moves.keys() & got.moves.keys()):
            return True
        if wanted.changes or got.changes:
            return False
        return wanted.intents != got.intents and any(language.opposite(a, b) for a in wanted.words for b in got.words)

    def _at_other_ends(self, place: tuple[str, str], one: Value, other: Value) -> bool:
        device, name = place
        values = self.house.devices[device].properties[name].values
        if one == other:
            return False
        ends = set(values.limits()) if isinstance(values, NumberValues) else set(values.choices)
        return len(ends) == 2 and {one, other} == ends

    def _told(self, match: Match) -> str:
        """What a match does, in short: the commands that it sends."""
        parts = []
        for reading in _readings(match):
            intent = self.house.intents[reading.intent]
            slots = {k: _few(v) if isinstance(v, tuple) else v for k, v in reading.slots.items() if k != "pin"}
            parts.append(" ".join((intent.id, *(f"{k}={v}" for k, v in slots.items()))))
        return " and ".join(parts)


class _Effects(NamedTuple):
    """What is set, and for what changes by an amount, whether up (1) or down (-1); the words of the phrases."""

    changes: dict[tuple[str, str], Value]
    moves: dict[tuple[str, str], int]
    words: frozenset[str]
    intents: tuple[str, ...]


def _few(devices: Sequence[str]) -> str:
    """Device ids, the first of many."""
    more = f"+{len(devices) - MOST_DEVICES} more" if len(devices) > MOST_DEVICES + 1 else ""
    return "+".join(devices[:MOST_DEVICES] if more else devices) + more


def _readings(match: Match) -> list[Reading]:
    return [r for part in match.parts or (match,) if (r := part.best) is not None]


def _meanings(match: Match) -> list[object]:
    return [r.meaning for r in _readings(match)]


def _intent(match: Match) -> str:
    return "+".join(r.intent for r in _readings(match))
