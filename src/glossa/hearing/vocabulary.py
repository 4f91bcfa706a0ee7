"""Which words of a house a heard word may stand for, and what that costs.

What was worked out for a word is kept, for people say the same words again and again. It only depends on the house, so that it does
not matter which utterance asked first, nor from which thread.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.costs import COSTS
from glossa.hearing.roles import How
from glossa.hearing.sounding import Like, SoundTable
from glossa.house.recogniser import USUAL, Recogniser
from glossa.language import Language, is_plural, plural
from glossa.language.phones import Phones, SoundPrices, phones
from glossa.language.phrases import Words

MOST_NEAR = 12
"""Words of the house that one heard word may stand for; ``MOST_SOUNDING`` of them by sound."""

MOST_SOUNDING = 5
MOST_CACHED = 20_000
MOST_SPAN = 3
"""Tokens that one word may have been split into."""

FARTHEST_SEPARATED = 7
"""Tokens from a separable verb within which its particle is looked for."""

LONGEST_SPLIT = 16
"""Letters that the parts of a split word may have together."""

LEAST_SPLIT = 6
"""Letters at least of a word that is heard as two words of the house ("bed time")."""

SHORT_PART = 4
"""Letters that one part at least of a word that was split and misheard has at most."""

DOUBTFUL, DOUBTFUL_NEGATION = 0.42, 0.3
"""A word beside a number may be a part of it that was misheard, and a word that has no place a negation, up to such a distance by sound."""

FARTHEST_KNOWN = 0.12
"""How far by sound a word may be that was split into words which usually are others: "grammar phone"."""

SURE = 0.5
"""A word that was split in two and misheard besides may cost this much at most."""


_MEANING = How.SYNONYM | How.TOWARD | How.REWRITTEN


class Near(Struct, frozen=True, gc=False):
    """A word of the house that a heard word may stand for.

    Attributes:
        word: the word of the house.
        cost: the share of its weight, 0 to 1.
        how: how it was heard, of :class:`~glossa.hearing.roles.How`.
        also: verbs that are taken as said with it: the "turn" of "kill" for "turn off".
    """

    word: str
    cost: float
    how: int
    also: Words = ()


class WordEdge(Struct, frozen=True, gc=False):
    """Tokens ``start`` to ``end`` taken for one word of the house; the rest as in :class:`Near`."""

    start: int
    end: int
    word: str
    cost: float
    how: int
    also: Words = ()


class Vocabulary:
    """The words of one house in one language.

    Args:
        words: every folded word that a phrase, name or value of the house holds.
        language: the language.
        same: what the household says beside it, as (heard words, said words).
        sounds: respelt words, word -> the words that say how it sounds.
        strict: words that are only bridged by sound up to a distance of their own.
        kin: words that are never taken for each other by sound, such as the names of colours.
        sound_price, synonym_price: factors on what sound-alikes and words that mean the same cost.
        recogniser: how it mishears.
        pairs: words that stand side by side in a name.

    Attributes:
        joined: the words of the house that were split into some parts.
        prices: what it costs to take one phone for another.
        number_parts: the words that numbers are made of. ordinary: words of the language that say nothing about the house.
        may_be_number: whether a word may be a number word, or a unit, that was misheard; may_be_negation: a negation.
    """

    def __init__(
        self,
        words: Iterable[str],
        language: Language,
        same: Sequence[tuple[Words, Words]] = (),
        sounds: Mapping[str, Words] | None = None,
        strict: Mapping[str, float] | None = None,
        kin: frozenset[str] = frozenset(),
        sound_price: float = 1.0,
        synonym_price: float = 1.0,
        recogniser: Recogniser = USUAL,
        pairs: Iterable[tuple[str, str]] = (),
    ) -> None:
        self.language = language
        self.words = frozenset(words)
        self._order = tuple(sorted(self.words))
        self._sounds = dict(sounds or {})
        self._strict, self._kin = dict(strict or {}), kin
        self._sound_price, self._synonym_price = sound_price, synonym_price
        self._near = lru_cache(MOST_CACHED)(self._find)
        self.joined = lru_cache(MOST_CACHED)(self._join)
        self._table: SoundTable | None = None
        self.prices = SoundPrices(recogniser.sounds)
        self._pairs = frozenset(pairs)
        self._named_behind = frozenset(b for _, b in self._pairs)
        self._written_for: dict[str, tuple[str, ...]] = {}
        for meant, every in recogniser.written.items():
            for written in every:
                self._written_for[written] = (*self._written_for.get(written, ()), meant)
        self._plurals: dict[str, list[str]] = {}
        for word in self._order:
            self._plurals.setdefault(plural(word, language), []).append(word)
        self._spelt = {self.respelt(w): w for w in self._order} if language.grammar.spellings else {}
        numbers = language.numbers
        self._counted = frozenset(
            (
                *numbers.ones,
                *numbers.tens,
                *numbers.scales,
                *numbers.hundred,
                *numbers.fractions,
                *numbers.ordinals,
                *numbers.spellings,
                *numbers.minus,
                *(w for text in numbers.below_zero for w in text.split()),
            )
        )
        extremes = (*numbers.maximum, *numbers.minimum, *numbers.halfway)
        self._amounts = self._counted | {text for text in extremes if " " not in text}
        self._same_number: dict[str, tuple[str, ...]] = {}  # "lamp two" is "lamp 2"
        for spelt, number in (*numbers.ones.items(), *numbers.tens.items()):
            self._same_number[spelt] = (*self._same_number.get(spelt, ()), str(number))
            self._same_number[str(number)] = (*self._same_number.get(str(number), ()), spelt)
        same_sound = {
            heard: (*(s for s, n in numbers.ones.items() if n == number), str(number))
            for heard, number in numbers.homophones.items()
        }
        # The "won" of "lamp won"; small words are homophones of too much, but for the "to" of "lamp to at forty".
        self._homophones = {heard: said for heard, said in same_sound.items() if heard not in language.small}
        self._small_homophones = {heard: said for heard, said in same_sound.items() if heard in language.small}
        units = (w for texts in numbers.units.values() for w in texts)
        parts = (
            *numbers.ones,
            *numbers.tens,
            *numbers.spellings,
            *numbers.scales,
            *numbers.hundred,
            *numbers.fractions,
            *units,
            *numbers.roughly,
        )
        self.number_parts = frozenset(w for w in parts if len(w) > 2)
        said_with_numbers = {*self.number_parts, *numbers.minus, *(w for text in numbers.below_zero for w in text.split())}
        self.may_be_number = lru_cache(MOST_CACHED)(Like(said_with_numbers, language.tag, DOUBTFUL))
        self._fixed = language.negation.single | self._counted
        self.may_be_negation = lru_cache(MOST_CACHED)(
            Like(language.negation.single, language.tag, DOUBTFUL_NEGATION, begins=True)
        )
        self._usual = language.filler.single | language.talk.single | language.small | language.light | frozenset(language.poles)
        listed = (
            language.filler,
            language.talk,
            *(language.phrases("grammar", k) for k in ("excepted", "everything", "all", "pair", "inside")),
        )
        self.ordinary = frozenset(w for phrases in listed for w in phrases.words)
        self.ordinary |= language.small | language.light | language.negation.single
        self._apart = self._parted()
        self._household: dict[str, list[tuple[Words, Near]]] = {}
        self._rewritten: dict[str, list[tuple[Words, Near]]] = {}
        for heard, said in same:
            self._add_rewriting(self._household, heard, said, COSTS.household, How.HOUSEHOLD)
        for rewriting in language.rewritings:
            cost = COSTS.household if rewriting.plain else COSTS.rewritten
            self._add_rewriting(self._rewritten, rewriting.heard, rewriting.said, cost, How.REWRITTEN)

    def _add_rewriting(self, held: dict[str, list[tuple[Words, Near]]], heard: Words, said: Words, cost: float, how: int) -> None:
        """What one run of words may stand for: the one word of it that says something, or what means the same; the others go with it."""
        telling = [w for w in said if w not in self.language.light and w not in self.language.small] or [said[0]]
        if len(telling) > 1 or heard == said:
            return
        also = tuple(w for w in said if w != telling[0])
        for word in (telling[0], *sorted(self.language.same.get(telling[0], frozenset()) - {telling[0]})):
            if word in self.words:
                price = cost if word == telling[0] else cost + COSTS.synonym
                held.setdefault(heard[0], []).append((heard, Near(word, price, how, also)))

    def sound(self, word: str) -> Phones:
        """The phones of a word, by the household's respelling where there is one."""
        respelt = self._sounds.get(word)
        if respelt:
            return tuple(p for part in respelt for p in phones(part, self.language.tag))
        return phones(word, self.language.tag)

    def edges(self, tokens: Words) -> tuple[tuple[WordEdge, ...], ...]:
        """For every token the words of the house that start there, alone or over several tokens."""
        found: list[list[WordEdge]] = []
        for at, word in enumerate(tokens):
            here = [WordEdge(at, at + 1, n.word, n.cost, n.how, n.also) for n in self.near(word)]
            if word in self._named_behind and (at + 1 == len(tokens) or tokens[at + 1] in self.language.poles):
                here = [e for e in here if e.how != How.REWRITTEN]  # "box room light on" lights nothing
            if word in self._household or word in self._rewritten:
                here += self._other_words(tokens, at)
            if at and tokens[at - 1] in self.language.grammar.excess and self.language.changes(word):
                plain = [replace(e, cost=COSTS.toward) for e in here if not e.how]  # "too dim" may be the value "to dim"
                here = [*plain, *(e for e in here if e.how and not self.language.changes(e.word))]
                found[at - 1] += self._less(at, word)
            if word in self._small_homophones and 0 < at < len(tokens) - 1:
                here += self._number_of_a_name(tokens, at)
            letters = len(word)
            for end in range(at + 2, min(at + MOST_SPAN, len(tokens)) + 1):  # a word that was split
                letters += len(tokens[end - 1])
                if letters > LONGEST_SPLIT:
                    break
                for near in self.joined(tokens[at:end]):
                    here.append(WordEdge(at, end, near.word, near.cost, near.how))
            found.append(here)
        for edge in self._separated(tokens):
            found[edge.start].append(edge)
        return tuple(map(tuple, found))

    def _number_of_a_name(self, tokens: Words, at: int) -> Iterator[WordEdge]:
        """The "two" of "lamp to at forty" and "room to light": within a name, where another preposition or the rest of the name follows."""
        following = tokens[at + 1]
        leads = following in self.language.grammar.absolute or following in self.language.grammar.relative
        for said in self._small_homophones[tokens[at]]:
            if (tokens[at - 1], said) in self._pairs and (leads or (said, following) in self._pairs):
                yield WordEdge(at, at + 1, said, COSTS.household, How.SOUND | How.TAKEN)

    # --- one word ---------------------------------------------------------------------------------------------------

    def near(self, word: str) -> tuple[Near, ...]:
        """The words of the house that a heard word may stand for, cheapest first."""
        if self._spelt and word not in self.words:
            word = self._spelt.get(self.respelt(word), word)
        return self._near(word)

    def _find(self, word: str) -> tuple[Near, ...]:
        best: dict[str, Near] = {}
        for near in self._offers(word):
            factor = self._sound_price if near.how & How.SOUND else self._synonym_price if near.how & _MEANING else 1.0
            cost = near.cost * factor
            if near.word in self.words and (near.word not in best or cost < best[near.word].cost):
                if not self.language.opposite(word, near.word):
                    best[near.word] = Near(near.word, cost, near.how, near.also)
        return tuple(sorted(best.values(), key=lambda n: (n.cost, n.word))[:MOST_NEAR])

    def _offers(self, word: str) -> Iterator[Near]:
        language, same = self.language, self.language.same
        yield Near(word, 0.0, How.SAME)
        for heard, near in self._household.get(word, ()):
            if len(heard) == 1:
                yield near
        for said in self._same_number.get(word, ()):
            yield Near(said, COSTS.household, How.SYNONYM)
        for said in same.get(word, ()):
            yield Near(said, COSTS.synonym, How.SYNONYM)
        yield from self._particle(word)
        for said, also in self._apart.get(word, ()):
            yield Near(said, COSTS.form, How.FORM, also)
        own = COSTS.own_word if word in self.words and not is_plural(word, language) else 0.0  # "milking" and the milk pump
        based = word not in language.grammar.articles
        based = based and not language.changes(word)  # "dimmer" is no "dim" that something is set to
        for base in self.bases(word) if based else ():
            yield Near(base, COSTS.form + own, How.FORM)
            for said in same.get(base, ()):
                yield Near(said, COSTS.synonym + COSTS.form, How.SYNONYM)
        for said in self._plurals.get(word, ()):
            yield Near(said, COSTS.form, How.FORM)
        yield Near(plural(word, language), COSTS.many_for_one, How.FORM)
        for said in language.toward.get(word, ()):
            own = word in self.words and word not in language.grammar.directions
            cost = COSTS.toward + (COSTS.own_word if own else 0.0)
            yield Near(said, cost, How.TOWARD)
            for other in same.get(said, ()):
                yield Near(other, cost + COSTS.synonym, How.TOWARD)
        # "Run the pump" is no "turn on" where a phrase of the house runs it for a time.
        own = 2 * COSTS.own_word if word in self.words and word not in language.poles else 0.0
        for heard, near in self._rewritten.get(word, ()):
            if len(heard) == 1:
                yield replace(near, cost=near.cost + own) if own else near
        taken = How.TAKEN if word in self._usual or word in self._counted or word in language.verbs else How.SAME
        for said in language.alike.get(word, ()):
            yield Near(said, COSTS.alike, How.SOUND)
            for other in same.get(said, ()):
                yield Near(other, COSTS.alike + COSTS.synonym, How.SOUND)
        for said in self._written_for.get(word, ()):
            yield Near(said, COSTS.alike, How.SOUND)
        for said in self._homophones.get(word, ()):
            yield Near(said, COSTS.household, How.SOUND)
        if self._may_be_misheard(word):
            own = self._in_vocabulary(word)
            farthest = COSTS.vocabulary_farthest if own else COSTS.taken_farthest if taken else COSTS.farthest
            more = (COSTS.taken if taken else 0.0) + (COSTS.vocabulary if own else 0.0)
            if word in language.light:  # "get off" is hardly the kettle
                farthest = min(farthest, COSTS.light_farthest)
            for said, distance in self._sounding(word, self.sound(word), farthest):
                if distance <= self._strict.get(said, farthest) and not (word in self._kin and said in self._kin):
                    numbers = word in self._counted and said in self._amounts  # one number is never taken for another
                    if said not in language.small and not numbers and not self._turned(word, said):
                        yield Near(said, COSTS.sound + COSTS.sound_slope * distance + more, How.SOUND | taken)

    def _particle(self, word: str) -> Iterator[Near]:
        """The particle of a verb that is written together with it, with what the verb is said as: "an" of "anmachen" and "anzumachen"."""
        grammar, language = self.language.grammar, self.language
        for particle in grammar.particles:
            rest = word.removeprefix(particle)
            if rest != word and len(rest) > 2 and particle in self.words:
                verb = rest.removeprefix(grammar.particle_infix) if grammar.particle_infix else rest
                for way in (rest, verb):
                    stems = [way, *(way.removesuffix(e) for e in grammar.endings if way.endswith(e))]
                    known = [s for s in stems if s in language.light or s in language.verbs or s in self.words]
                    if known:
                        yield Near(particle, COSTS.form, How.FORM, tuple(dict.fromkeys((*known, *self._said_as(known)))))
                        break

    def _parted(self) -> dict[str, list[tuple[str, Words]]]:
        """For a particle, the verbs of the house that are written together with it, each with what the verb is said as: "hochfahren"."""
        language = self.language
        found: dict[str, list[tuple[str, Words]]] = {}
        for word in self._order:
            for particle in language.grammar.particles:
                rest = word.removeprefix(particle)
                if rest == word or len(rest) < 4 or not any(rest.startswith(v) for v in (*language.verbs, *language.light)):
                    continue
                stems = dict.fromkeys((rest, *(rest.removesuffix(e) for e in language.grammar.endings)))
                said = [s for stem in stems for s in (stem, *sorted(language.same.get(stem, ())))]
                for same in (particle, *language.same.get(particle, ())):
                    found.setdefault(same, []).append((word, tuple(dict.fromkeys(said))))
        return found

    def _said_as(self, verbs: Iterable[str]) -> Iterator[str]:
        """Verbs of the house that mean the same as some."""
        return (s for v in verbs for s in sorted(self.language.same.get(v, ())) if s in self.words)

    def respelt(self, word: str) -> str:
        """A word with letters that are two ways to write one sound written one way: "kuechenlampe" as "kuchenlampe"."""
        for written, meant in self.language.grammar.spellings:
            word = word.replace(written, meant)
        return word

    def _in_vocabulary(self, word: str) -> bool:
        """Whether a word is one of the house; one that is only a value of a kind that knows its own may be any word."""
        return word in self.words and word not in self._strict

    def _may_be_misheard(self, word: str) -> bool:
        """Whether a word may have been written for another one; one of the house only where nothing turns on it, as on a direction or a number."""
        language = self.language
        itself = word in language.negation.single or word in language.grammar.copula
        if self._in_vocabulary(word):
            itself = itself or word in language.poles or word in self._counted or word in language.small or word in language.light
        return not itself and 2 <= len(word) <= 30 and not word[0].isdigit()

    def bases(self, word: str) -> Words:
        """What a word may be a form of: "turned" of "turn", "dimming" of "dim"."""
        stems: list[str] = []
        for ending in self.language.grammar.endings:
            if word.endswith(ending) and len(word) - len(ending) >= 3:
                stem = word[: -len(ending)]
                stems += [stem, stem + "e"]
                if len(stem) > 3 and stem[-1] == stem[-2]:
                    stems.append(stem[:-1])
        known = (self.words, self.language.verbs, self.language.same)
        return tuple(s for s in dict.fromkeys(stems) if any(s in k for k in known))

    def _turned(self, word: str, said: str) -> bool:
        """Whether a syllable that turns the meaning round tells the two apart: unlock and lock, "unlok" and lock, dislike and like."""
        for turning in self.language.grammar.turning:
            heard, meant = word.startswith(turning), said.startswith(turning)
            long, short = (word, said) if heard else (said, word)
            if heard != meant and (
                long.removeprefix(turning) == short or (turning + said if heard else said[len(turning) :]) in self.words
            ):
                return True
        return False

    def _sounding(self, word: str, sound: Phones, farthest: float) -> list[tuple[str, float]]:
        """Words of the house within a distance by sound, nearest first."""
        if self._table is None:
            words = [w for w in self._order if len(w) >= 2 and w not in self.language.small and not w.isdigit()]
            self._table = SoundTable(words, [self.sound(w) for w in words], self.prices)
        return self._table.within(word, sound, farthest, MOST_SOUNDING)

    # --- several tokens ---------------------------------------------------------------------------------------------

    def _other_words(self, tokens: Words, at: int) -> Iterator[WordEdge]:
        """Several tokens for other words altogether."""
        for held in (self._household, self._rewritten):
            for heard, near in held.get(tokens[at], ()):
                end = at + len(heard)
                trusted = near.how == How.REWRITTEN or not self._turns(heard, near.word)  # "less bright" is dimmer
                if len(heard) > 1 and tokens[at:end] == heard and trusted:
                    yield WordEdge(at, end, near.word, near.cost, near.how, near.also)

    def _separated(self, tokens: Words) -> Iterator[WordEdge]:
        """The particle of a separable verb behind what it is about: the "up" of "start the compressor up"."""
        for at, word in enumerate(tokens):
            for heard, near in self._rewritten.get(word, ()):
                if len(heard) == 2 and heard[1] in tokens[at + 2 : at + FARTHEST_SEPARATED]:
                    behind = tokens.index(heard[1], at + 2)
                    also = tuple(dict.fromkeys((*near.also, word)))
                    yield WordEdge(behind, behind + 1, near.word, near.cost + COSTS.apart, near.how, also)

    def _less(self, at: int, word: str) -> Iterator[WordEdge]:
        """What is asked for where something is too much: "louder" by "too quiet"."""
        best: dict[str, Near] = {}
        language, (axis, side) = self.language, self.language.poles[word][0]
        others = (w for w in language.toward if language.poles[w][0] == (axis, 1 - side))
        for other in sorted(others):
            for near in self.near(other):
                if not near.how & (How.SOUND | How.SPLIT) and (near.word not in best or near.cost < best[near.word].cost):
                    best[near.word] = near
        for near in best.values():
            yield WordEdge(at - 1, at + 1, near.word, near.cost + COSTS.rewritten, How.REWRITTEN, near.also)

    def _turns(self, heard: Words, said: str) -> bool:
        return any(self.language.opposite(w, said) for w in heard)

    def _join(self, parts: Words) -> tuple[Near, ...]:
        return tuple(self._one_word(parts))

    def _one_word(self, parts: Words) -> Iterator[Near]:
        joined = "".join(parts)
        if not 4 <= len(joined) <= LONGEST_SPLIT or any(p[0].isdigit() or p in self._fixed for p in parts):
            return
        strange = [p for p in parts if p not in self.words]
        if joined in self.words:
            if strange or len(joined) >= LEAST_SPLIT:  # "bed time"
                yield Near(joined, COSTS.split, How.SPLIT)
            return
        if any(p not in strange and p not in self.language.small for p in parts):
            return
        known = len(strange) < len(parts) or all(p in self._usual for p in parts) or min(map(len, parts)) > SHORT_PART
        sound = tuple(p for part in parts for p in self.sound(part))
        for said, distance in self._sounding(joined, sound, FARTHEST_KNOWN if known else COSTS.farthest):
            cost = COSTS.split + COSTS.sound + COSTS.sound_slope * distance
            longer = len(said) > max(map(len, parts))
            if cost <= SURE + COSTS.split and longer and not any(self.language.opposite(p, said) for p in parts):
                yield Near(said, cost, How.SPLIT | How.SOUND)

    def knows(self, word: str) -> bool:
        """Whether a word is one of the house, or one that everybody says."""
        language = self.language
        lists = (
            self.words,
            self._fixed,
            self._usual,
            self.ordinary,
            self.number_parts,
            language.verbs,
            language.common,
            language.same,
            language.phrases("when", "later").words,
        )
        return any(word in k for k in lists) or self.respelt(word) in self._spelt

    def says(self, word: str) -> bool:
        """Whether a word is one of the house, one that means the same, or a number word."""
        if word in self.words or word in self._plurals or word in self.number_parts:
            return True
        return len(word) > 2 and any(w in self.words for w in (*self.language.same.get(word, ()), *self.bases(word)))
