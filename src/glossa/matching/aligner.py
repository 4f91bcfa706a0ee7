"""What lays phrases over an utterance: the items of every way to do so, and what they cost."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence

from glossa.hearing.costs import COSTS, WEIGHT
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.tokens import mask_of, places_of
from glossa.hearing.utterance import Utterance
from glossa.language import Language
from glossa.matching.alignment import About, Alignment, Item, Kind, Option, Where, heard_in_full, leads_to_its_direction, scales
from glossa.matching.grammar import Pattern, Place

_Poles = tuple[tuple[str, int], ...]

_LIGHT = (Role.FILLER, Role.SMALL, Role.AMOUNT)
"""Roles of tokens that may stand between a clause and a command."""

_SAID_IN_ASKING = frozenset((Role.TALK, Role.VERB, Role.AMOUNT, Role.UNKNOWN, Role.SMALL))

MOST_AMOUNT = 0.5
"""What a token of an amount costs where nothing changes by an amount."""


class Aligner:
    """Makes the alignments of one utterance.

    Attributes:
        parted: where a sentence beside a phrase may begin or end, as a bit mask.
        others: words that count as said with another one: the "turn" that "kill" stands for.

    Args:
        utterance: what was heard.
        language: its language.
        order: what two places out of their order cost.
    """

    def __init__(self, utterance: Utterance, language: Language, order: float) -> None:
        self._utterance, self._language, self._order = utterance, language, order
        self._weight = sum(utterance.weights)
        self._relative, self._absolute, alike = language.grammar.relative, language.grammar.absolute, language.alike
        self._heard_as = {  # the "too" of "up too sixty"
            w: said
            for w in utterance.words
            if w in alike
            for said in alike[w]
            if said in self._absolute and w not in self._absolute
        }
        self._directions, self._measuring = language.grammar.directions, frozenset(language.numbers.most)
        words, roles = utterance.words, utterance.roles
        self.others = frozenset(w for edges in utterance.edges for e in edges for w in e.also)
        verbs = (Role.VERB, Role.POLE, Role.WORD)
        self._separable = (
            mask_of(w in self.others and r in verbs for w, r in zip(words, roles, strict=True)) if self.others else 0
        )
        self._every, self._said = (1 << len(words)) - 1, frozenset(words)
        asking = language.grammar.asking
        self._asked = mask_of(w in asking for w in words)
        self._poles = places_of(Role.POLE, roles)
        self._depends = self._poles | places_of(Role.AMOUNT, roles)  # on what else the phrase takes
        self._left: tuple[dict[int, Item], ...] = ({}, {}, {})
        self._ended, self._begun = self._before_a_phrase(), self._behind_a_phrase()
        self.parted = utterance.pauses | self._ended | self._begun
        self._rooms = 0  # "it's dark in the hall": where it is so may stand in a complaint
        for room in utterance.rooms() if utterance.requests else ():
            self._rooms |= (1 << room.end) - (1 << room.start)
        self._telling = utterance.telling & ~self._rooms
        self._announced = self._announcing()
        self._beside: dict[tuple[int, int, bool], tuple[int, int]] = {}

    def align(self, pattern: Pattern, chosen: tuple[Option | None, ...], *, about: About, claimed: int) -> Alignment:
        """The alignment in which the places of a phrase take what was chosen for them.

        Args:
            pattern: the phrase.
            chosen: for every place what it takes, or None.
            about: whether the intent's own device is what was spoken of last, so that it need not be named, or another one.
            claimed: tokens that a slot of the intent has a value for, as a bit mask, so that they can't just say by how much.
        """
        items: list[Item] = []
        covered = main = inversions = 0
        changing = -1, -1  # what says that a value is an amount of change, and whose value
        weight, last_start = self._weight, -1
        towards = False
        also: list[str] = []
        unheard: list[tuple[int, Place]] = []
        values = 0
        for option in chosen:
            if option is not None and option.candidate is not None:
                values |= option.tokens
        for number, (place, option) in enumerate(zip(pattern.places, chosen, strict=True)):
            if option is None:
                if place.missing:
                    unheard.append((number, place))
                continue
            tokens, edge, start = option.tokens, option.edge, option.start
            covered |= tokens
            if tokens and not place.small:
                main |= tokens
                if start >= last_start:
                    last_start = start
                elif not leads_to_its_direction(self._utterance, self._language, place, option, chosen):
                    inversions += 1
                    last_start = start
            kind = Kind.WORD if edge is not None else Kind.SLOT
            if edge is not None and edge.also:
                also += edge.also
            items.append(Item(kind, option.cost, start, option.end, number, Role.FILLER, Where.INSIDE, option))
            weight += option.weight
            candidate = option.candidate
            if place.relation and candidate is not None and isinstance(candidate.value, (int, float)):
                at, before = self._before(option.start, values)
                towards = towards or (place.relation == "to" and before in self._absolute)
                becomes, directed = place.relation == "to", before in self._directions
                leads = pattern.moves or candidate.used  # "the blind up forty", "the lamp up full"
                if directed and (leads if becomes else candidate.outside):
                    items.append(Item(Kind.AIMLESS, COSTS.aimless, at, at + 1, number))
                elif directed and becomes:
                    changing = changing if self._says(chosen, at) else (at, number)
                elif before in (self._relative if becomes else self._absolute):
                    items.append(Item(Kind.MISFIT, COSTS.misfit, at, at + 1, number))
                if becomes and not candidate.used and self._compared(option, chosen, moves=pattern.moves):
                    changing = option.end, number
                elif self._measured(option, chosen) and becomes:
                    covered |= 1 << option.end
                elif self._measured(option, chosen):
                    changing = option.end, number
        for number, option in _changed_places(chosen) if pattern.numbers > 1 else ():
            items.append(Item(Kind.MISFIT, COSTS.misfit, option.start, option.end, number))
        at, number = changing
        if at >= 0:
            cost = COSTS.misfit if covered >> at & 1 else COSTS.aimless + self._utterance.weights[at]
            items.append(Item(Kind.MISFIT, cost, at, at + 1, number))
            covered |= 1 << at
        for number, place in unheard:
            cost = place.missing
            if place.own and about == About.OWN:
                cost = COSTS.assumed
            elif also and any(w in also for w in place.words):
                cost = 0.0
            items.append(Item(Kind.UNHEARD, cost, 0, 0, number))
            weight += place.missing
        self._leave(items, pattern, chosen, covered, main, towards=towards, claimed=claimed)
        if inversions:
            items.append(Item(Kind.ORDER, self._order * inversions))
        if about == About.OTHER:
            items.append(Item(Kind.ELSEWHERE, COSTS.elsewhere))
        if pattern.prior:
            items.append(Item(Kind.RARE, pattern.prior))
        total, left = 0.0, 0
        for item in items:
            total += item.cost
            if item.kind == Kind.LEFT:
                left |= 1 << item.role
        cost, weight = round(total, 9), round(weight, 9)
        score = round(1.0 - cost / weight, 9) if cost < weight else 0.0
        return Alignment(pattern, chosen, tuple(items), cost, weight, score, covered, left)

    def _leave(
        self,
        items: list[Item],
        pattern: Pattern,
        chosen: tuple[Option | None, ...],
        covered: int,
        main: int,
        *,
        towards: bool,
        claimed: int,
    ) -> None:
        """The tokens that nothing explains, with where they stand."""
        utterance = self._utterance
        first, last = (main & -main).bit_length() - 1, main.bit_length()
        preamble, reason = 0, 0
        if main and self.parted:
            preamble, reason = self._clauses_beside(first, last, whole=heard_in_full(pattern, chosen))
        if (preamble | reason) & self._telling & self._poles and self._contradicts((preamble | reason) & self._poles, chosen):
            preamble, reason = self._clauses_beside(first, last, whole=False)
        left, known = self._every & ~covered, self._left
        beside = preamble | reason
        asked = self._asked if pattern.intent.read else 0
        depends = self._depends | beside | asked | ((1 << self._announced) - 1)
        if pattern.garbage:
            depends = left
        elif not pattern.measures.isdisjoint(self._said):
            depends |= mask_of(w in pattern.measures for w in utterance.words)
        directed = self._directed(chosen) if left & self._poles else {}
        separable = self._separable & left
        if separable:  # the "shut" of "shut the lamp down"
            also = {w for o in chosen if o is not None for e in o.edges for w in e.also}
            separable &= mask_of(w in also for w in utterance.words)
            depends |= separable
        while left:
            bit = left & -left
            left ^= bit
            at = bit.bit_length() - 1
            where = Where.BEFORE if at < first else Where.BEHIND if at >= last else Where.INSIDE
            plain = known[where].get(at)
            if plain is None:
                plain = known[where][at] = Item(Kind.LEFT, utterance.weights[at], at, at + 1, -1, utterance.roles[at], where)
            if not bit & depends:
                items.append(plain)
                continue
            word, role, cost = utterance.words[at], plain.role, plain.cost
            if bit & beside:  # words of the house are less likely to be beside the command
                clause = Role.PREAMBLE if bit & preamble else Role.REASON
                cost = min(cost, COSTS.beside if role == Role.WORD else WEIGHT[clause])
                role = clause
            if role == Role.POLE and self._goes_without_saying(word, directed, pattern, towards=towards):
                role, cost = Role.VERB, WEIGHT[Role.VERB]
            if at < first == self._announced and not pattern.slots and _plain(chosen):  # "it's film night"
                role, cost = Role.FILLER, WEIGHT[Role.FILLER]
            if bit & separable or (bit & asked and role in _SAID_IN_ASKING):
                role, cost = Role.FILLER, WEIGHT[Role.FILLER]
            if pattern.garbage:
                cost *= COSTS.garbage
            elif word in pattern.measures:
                cost = min(cost, WEIGHT[Role.SMALL])
            elif role == Role.AMOUNT and (claimed & bit or not scales(pattern, chosen)):
                cost = MOST_AMOUNT
            items.append(Item(Kind.LEFT, cost, at, at + 1, -1, role, where))

    def floors(self) -> tuple[float, ...]:
        """What leaving each token costs at least, whatever the phrase: little where a word of direction may go without saying."""
        utterance, poles = self._utterance, self._language.poles
        floors = [*utterance.weights]
        floors[: self._announced] = [min(f, WEIGHT[Role.FILLER]) for f in floors[: self._announced]]
        for q in utterance.quantities:
            if q.end < len(floors) and utterance.words[q.end] in self._measuring:
                floors[q.end] = 0.0
        if self._separable:
            floors = [min(f, WEIGHT[Role.FILLER]) if self._separable >> at & 1 else f for at, f in enumerate(floors)]
        if self._poles:
            heard = {(at, e.word) for at, edges in enumerate(utterance.edges) for e in edges if e.word in poles}
            led = not self._said.isdisjoint(self._absolute)
            for at, word in enumerate(utterance.words):
                if self._poles >> at & 1:
                    others = {other for where, other in heard if where != at and other != word}
                    same = any(not set(poles[other]).isdisjoint(poles[word]) for other in others)
                    if same or (led and self._language.changes(word)):
                        floors[at] = min(floors[at], WEIGHT[Role.VERB])
        return tuple(floors)

    def _announcing(self) -> int:
        """Where what leads to the name of a scene ends: behind "it's"; 0 where nothing leads."""
        utterance = self._utterance
        announcing = self._language.phrases("grammar", "announcing")
        start = first_said(utterance.roles)
        return next((i + n for i in range(start + 1) if (n := announcing.at(utterance.words, i)) and i + n > start), 0)

    def _before_a_phrase(self) -> int:
        """Where a sentence may have ended, and a phrase heard in full may begin, as a bit mask."""
        utterance = self._utterance
        begins = utterance.requests
        ended = utterance.beside.ended & ~begins
        if not ended:
            return begins
        numbers = {q.start for q in utterance.quantities}
        plain = False
        for at in range(len(utterance.words) - 1, 0, -1):
            heard = at in numbers or not all(e.how & How.SOUND for e in utterance.edges[at])
            plain = heard or (plain and utterance.roles[at] in _LIGHT)
            if plain and ended >> at & 1:
                begins |= 1 << at
        return begins

    def _behind_a_phrase(self) -> int:
        """Where a sentence may begin, and a phrase may have ended, as a bit mask."""
        utterance = self._utterance
        begun = utterance.beside.begun
        if not begun:
            return 0
        ends = {e.end for edges in utterance.edges for e in edges} | {q.end for q in utterance.quantities}
        mask, ended = 0, False
        for at in range(1, len(utterance.words)):
            ended = at in ends or (ended and utterance.roles[at - 1] in _LIGHT)
            if ended and begun >> at & 1:
                mask |= 1 << at
        return mask

    def most_asked(self) -> float:
        """What words that only ask can save at most, where a phrase asks."""
        utterance, filler = self._utterance, WEIGHT[Role.FILLER]
        if not self._asked:
            return 0.0
        tokens = zip(utterance.roles, utterance.weights, strict=True)
        return sum(max(0.0, w - filler) for i, (r, w) in enumerate(tokens) if self._asked >> i & 1 and r in _SAID_IN_ASKING)

    def saved_beside(self, floors: Sequence[float], *, whole: bool) -> tuple[list[float], list[float]]:
        """What sentences beside a phrase save: in front, by the first token that it covers, and behind, by where what it covers ends.

        Args:
            floors: what leaving each token costs at least where no sentence holds it.
            whole: whether the phrase was heard in full.
        """
        utterance = self._utterance
        count = len(utterance.words)
        before, behind = [0.0] * (count + 1), [0.0] * (count + 1)
        least = min(WEIGHT[Role.PREAMBLE], WEIGHT[Role.REASON])
        saved = [
            max(0.0, floor - (COSTS.beside if role == Role.WORD else least))
            for floor, role in zip(floors, utterance.roles, strict=True)
        ]
        ends, begins = utterance.pauses | self._ended | utterance.requests, utterance.pauses | self._begun
        for at in range(1, count):
            if ends & (2 << at) - 1:  # a sentence ended somewhere in front
                before[at] = sum(saved[: self._clauses_beside(at, count, whole=whole)[0].bit_length()])
            if begins >> at:
                reason = self._clauses_beside(0, at, whole=whole)[1]
                behind[at] = sum(saved[(reason & -reason).bit_length() - 1 :]) if reason else 0.0
        return before, behind

    def _clauses_beside(self, first: int, last: int, *, whole: bool) -> tuple[int, int]:
        """The tokens of sentences of their own in front of what a phrase covers and behind it, as bit masks.

        Beside a phrase that was not heard in full, no sentence holds what may belong to the phrase.
        """
        known = self._beside.get((first, last, whole))
        if known is None:
            preamble, reason = self._ended_before(first, whole=whole), self._begun_behind(last)
            if not whole:
                preamble = 0 if preamble & self._telling else preamble
                reason = 0 if reason & self._telling & self._poles else reason  # "... it's half past eleven" is when it is
            known = self._beside[first, last, whole] = preamble, reason
        return known

    def _contradicts(self, tokens: int, chosen: tuple[Option | None, ...]) -> bool:
        """Whether some words mean the opposite of what a phrase or a value says: the "off" of "it should be off turn it on"."""
        said = {
            e.word for o in chosen if o is not None for e in (*o.edges, *(o.candidate.used if o.candidate is not None else ()))
        }
        words = [w for at, w in enumerate(self._utterance.words) if tokens >> at & 1]
        return any(self._language.opposite(w, other) for w in words for other in said)

    def _ended_before(self, first: int, *, whole: bool) -> int:
        """The tokens of a sentence that ended right before what a phrase covers, as a bit mask."""
        utterance, said = self._utterance, self._utterance.beside
        ends = utterance.pauses | (self._ended if whole else utterance.requests)
        passed = self._rooms | utterance.requests  # what opens a request may be left over
        for at in range(first, 0, -1):
            if ends >> at & 1:
                sentence = (1 << at) - 1
                if said.ended >> at & 1:
                    return sentence  # "I can't see, ...", and not "don't, ..."
                return 0 if sentence & self._telling or Role.NEGATION in utterance.roles[:at] else sentence
            if (utterance.roles[at - 1] not in _LIGHT and not passed >> at - 1 & 1) or said.governed >> at & 1:
                break
        return 0

    def _begun_behind(self, last: int) -> int:
        """The tokens of a sentence that begins right behind what a phrase covers, as a bit mask."""
        utterance = self._utterance
        count = len(utterance.words)
        for at in range(last, count):
            paused = utterance.pauses >> at & 1 and utterance.roles[at] != Role.NEGATION
            if paused or self._begun >> at & 1:
                sentence = (1 << count) - (1 << at)
                only_paused = not self._begun >> at & 1 and sentence & self._telling
                polite = all(r in _LIGHT for r in utterance.roles[at:])  # "por favor" behind a pause is no sentence
                return 0 if only_paused or polite else sentence
            if utterance.roles[at] not in _LIGHT:
                break
        return 0

    def _directed(self, chosen: tuple[Option | None, ...]) -> dict[str, _Poles]:
        """The words of direction within what was chosen, with the poles they are at."""
        taken = (o for o in chosen if o is not None)
        edges = (e for o in taken for e in o.edges)
        return {e.word: self._language.poles[e.word] for e in edges if e.word in self._language.poles}

    def _goes_without_saying(self, word: str, directed: Mapping[str, _Poles], pattern: Pattern, *, towards: bool) -> bool:
        """Whether a word of direction says no more than the value or another word: "raise it to twenty", "slow it down"."""
        if towards and word not in pattern.elsewhere and self._language.changes(word):
            return True
        poles = self._language.poles[word]
        most = 1 if word in pattern.elsewhere else None  # "warm the den up" is not for its lamps
        return any(said != word and not set(its[:most]).isdisjoint(poles[:most]) for said, its in directed.items())

    def _compared(self, value: Option, chosen: Sequence[Option | None], *, moves: bool) -> bool:
        """Whether a word right behind a value says that it is an amount of change, in place of the phrase's own: "ten percent dimmer", "forty up".

        Of what opens or moves to an end "forty up" says where it is to be.
        """
        word = self._utterance.words[value.end] if value.end < len(self._utterance.words) else ""
        if not self._language.changes(word) or word in self._measuring or (moves and word in self._directions):
            return False
        return not self._says(chosen, value.end)

    def _measured(self, value: Option, chosen: Sequence[Option | None]) -> bool:
        """Whether an adjective right behind a number says what it measures, and not by how much it changes: "forty percent bright"."""
        words = self._utterance.words
        return value.end < len(words) and words[value.end] in self._measuring and not self._says(chosen, value.end)

    def _says(self, chosen: Sequence[Option | None], at: int) -> bool:
        """Whether a phrase itself says a word that was heard."""
        return any(e.start == at and e.how == How.SAME for o in chosen if o is not None for e in o.edges)

    def _before(self, start: int, values: int) -> tuple[int, str]:
        """What leads to what starts at a token, but for filler: its token and the word; one that is no value itself may be a preposition by its sound."""
        at = start - 1
        while (
            at >= 0
            and self._utterance.roles[at] in (Role.FILLER, Role.AMOUNT)
            and self._utterance.words[at] not in self._heard_as
        ):
            at -= 1
        word = self._utterance.words[at] if at >= 0 else ""
        return at, word if values >> max(at, 0) & 1 else self._heard_as.get(word, word)


def _changed_places(chosen: tuple[Option | None, ...]) -> Iterator[tuple[int, Option]]:
    """The places that take a number from somewhere else, though their own word leads to a number that another place takes."""
    numbers = {n: o for n, o in enumerate(chosen) if o is not None and o.candidate is not None and _is_number(o.candidate.value)}
    starts = {o.start for o in numbers.values()}
    for number, option in numbers.items():
        leading = chosen[number - 1] if number else None
        if leading is not None and leading.edge is not None and leading.end != option.start and leading.end in starts:
            yield number, option


def _is_number(value: object) -> bool:
    return isinstance(value, (int, float)) and not isinstance(value, bool)


def _plain(chosen: tuple[Option | None, ...]) -> bool:
    """Whether everything was heard as it is."""
    return all(o is None or o.cost < COSTS.form for o in chosen)
