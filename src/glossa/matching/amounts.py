"""How much there is of each term of the evidence in an alignment: what was heard, what was left over, and what the utterance is as a whole."""

from __future__ import annotations

import math
from itertools import pairwise

from glossa.hearing.costs import COSTS
from glossa.hearing.device_rules import RANK
from glossa.hearing.devices import PLAIN_NAME, Devices
from glossa.hearing.numbers import GUESSED, HOMOPHONE, ORDINAL, Quantity, widest
from glossa.hearing.roles import How, Role, first_said
from glossa.hearing.utterance import Utterance
from glossa.hearing.vocabulary import WordEdge
from glossa.language import plural
from glossa.matching.alignment import (
    REWORDED,
    Alignment,
    Candidate,
    Item,
    Kind,
    Option,
    Where,
    guessed_apart,
    heard_in_full,
    leads_to_its_direction,
)
from glossa.matching.grammar import Grammar, Place

MOST_HEARD = 4
"""Words of a phrase that were heard count up to this many."""

MOST_LEAD = 1.0
"""A lead of more words than this says no more."""

LONG = 12
"""Tokens from which an utterance is long for a command."""

FAR = 0.2
"""A word that costs less than this share by its sound is misspelt rather than misheard."""

WEIGHTY = 0.5
"""A token that weighs less than this says little."""


_COUNTED = frozenset(("unknown before", "talk before", "small before"))
"""Terms of which the first says more than the next ones: they count with the logarithm to base 2 of one more."""


def _few(count: float) -> float:
    return math.log2(1.0 + count)


_LEFT = {
    Role.UNKNOWN: "unknown", Role.TALK: "talk", Role.WORD: "word", Role.POLE: "direction", Role.SMALL: "small",
}  # fmt: skip
_WHERE = {Where.BEFORE: "before", Where.INSIDE: "inside", Where.BEHIND: "behind"}


def amounts_of(utterance: Utterance, alignment: Alignment, grammar: Grammar, lead: float) -> dict[str, float]:
    """How much there is of each term in an alignment; terms of which there is nothing are left out.

    Args:
        utterance: what was heard.
        alignment: the alignment.
        grammar: the grammar that it comes from.
        lead: the lead over the next reading that means something else, in words.
    """
    return _Measured(utterance, alignment, grammar).amounts(lead)


class _Measured:
    def __init__(self, utterance: Utterance, alignment: Alignment, grammar: Grammar) -> None:
        self._utterance, self._alignment, self._grammar = utterance, alignment, grammar
        self._amounts: dict[str, float] = {}
        self._language = grammar.lexicon.language
        self._pronouns = frozenset(self._language.grammar.pronouns)
        verbs, light, covered = self._language.verbs, self._language.light, alignment.covered
        chosen = zip(alignment.pattern.places, alignment.chosen, strict=True)
        unsaid = {p.slot for p, o in chosen if o is None and p.relation} - alignment.pattern.intent.defaults.keys()
        self._begun = bool(unsaid) and Role.BROKEN in utterance.roles
        self._rooms = {e.tokens for e in utterance.expressions if e.things.rank == RANK["room"]}
        device = alignment.candidate("device")
        self._in_a_room = device is not None and bool(device.tokens) and self._only_a_room(device)
        self._guessed_at = 0
        for edge in (e for o in alignment.chosen if o is not None for e in o.edges):
            if edge.how & How.SOUND and edge.cost >= FAR:
                self._guessed_at |= (1 << edge.end) - (1 << edge.start)
        self._verb_heard = any(covered >> i & 1 and (w in verbs or w in light) for i, w in enumerate(utterance.words))

    def amounts(self, lead: float) -> dict[str, float]:
        alignment, utterance = self._alignment, self._utterance
        self._add("start", 1)
        self._add("misfit", 1.0 - alignment.score)
        self._add("lead", max(0.0, min(lead, MOST_LEAD)))
        self._add("length", max(0, len(utterance.words) - LONG) / 10)
        if alignment.pattern.garbage:
            self._add("anything", 1)
        for item in alignment.items:
            if item.kind == Kind.LEFT:
                self._left_over(item)
            elif item.kind == Kind.UNHEARD:
                self._unheard(item)
            elif item.kind == Kind.ORDER:
                self._order()
            elif item.kind == Kind.MISFIT:
                self._add("preposition", 1)
            elif item.option is not None:
                self._heard(item, item.option)
        for left in ("verb before", "verb left"):
            both = min(self._amounts.get(left, 0.0), self._amounts.get("unheard verb", 0.0))
            if both:  # "keep it at twenty" for "set it to twenty"
                self._add("another verb", both)
                self._add(left, -both)
                self._add("unheard verb", -both)
        self._whole()
        if not self._amounts.keys().isdisjoint(("preamble", "reason")):
            self._add("beside a part", not heard_in_full(alignment.pattern, alignment.chosen))
        if utterance.beside.governed and not alignment.pattern.intent.read:
            self._add("governed", self._governed())
        self._question()
        if not alignment.pattern.garbage:
            self._left_numbers()
            self._left_names()
        return {term: _few(amount) if term in _COUNTED else amount for term, amount in self._amounts.items() if amount}

    def _add(self, term: str, amount: float) -> None:
        self._amounts[term] = self._amounts.get(term, 0.0) + amount

    def _free(self, start: int, end: int) -> bool:
        return not self._alignment.covered & ((1 << end) - (1 << start))

    # --- items ------------------------------------------------------------------------------------------------------

    def _left_over(self, item: Item) -> None:
        utterance = self._utterance
        if self._alignment.pattern.garbage:
            return
        if utterance.words[item.start] in self._alignment.pattern.measures:
            self._add("about it", 1)
            return
        if item.role == Role.SMALL and utterance.words[item.start] in self._grammar.lexicon.articles:
            return
        if item.role == Role.SMALL and utterance.words[item.start] in self._pronouns and self._in_a_room:
            return  # the "it" of "make it warmer in the den"
        if item.role == Role.TALK and item.where != Where.BEFORE and utterance.words[item.start] in self._language.question:
            self._add("stated", 1)
        self._add("led by a direction", self._led(item))
        name = _LEFT.get(item.role)
        if name is not None:
            if item.role != Role.WORD or utterance.weights[item.start] >= WEIGHTY:
                self._add(f"{name} {_WHERE[item.where]}", 1)
        elif item.role == Role.VERB and utterance.roles[item.start] == Role.POLE:
            self._add("implied direction", 1)
        elif item.role == Role.VERB:
            self._add("verb before" if item.where == Where.BEFORE else "verb left", 1)
        elif item.role == Role.AMOUNT and item.cost > WEIGHTY / 5:
            self._add("amount left", 1)
        elif item.role == Role.BROKEN:
            self._add("broken off", not self._begun)
        elif item.role == Role.PREAMBLE:
            self._amounts["preamble"] = 1
        elif item.role == Role.REASON:
            self._amounts["reason"] = 1

    def _led(self, item: Item) -> bool:
        """Whether a direction that was understood rather is a preposition: the "on" of "on fire" and of "on its side"."""
        utterance, at = self._utterance, item.start
        if item.role not in (Role.UNKNOWN, Role.WORD, Role.TALK):
            return False
        before = at - 1
        while before >= 0 and utterance.words[before] in self._grammar.lexicon.articles:
            before -= 1
        parted = any(utterance.pauses >> i & 1 for i in range(before + 1, at + 1))
        movable = self._language.grammar.after_number_only
        return before >= 0 and not parted and utterance.words[before] in movable and not self._free(before, before + 1)

    def _last(self) -> int:
        return self._alignment.covered.bit_length()

    def _unheard(self, item: Item) -> None:
        place = self._alignment.pattern.places[item.place]
        if place.own and item.cost == COSTS.assumed:
            self._add("spoken of", 1)
        elif place.slot:
            intent = self._alignment.pattern.intent
            self._add("default" if place.slot in intent.defaults else "missing", 1)
        elif place.small or not item.cost:
            return
        elif place.measure:
            self._add("unheard measure", 1)
        elif all(w in self._language.question for w in place.words):
            self._add("unheard question", not self._asked())
        elif place.own and self._named_in_part():
            self._add("part of its name", 1)
        elif place.missing > 1.2:
            self._add("unheard direction", 1)
        elif place.missing >= WEIGHTY:
            self._add("unheard word", 1)
        elif not self._verb_heard:
            self._add("unheard verb", 1)

    def _named_in_part(self) -> bool:
        """Whether another word of the name of the intent's own device was heard as it is."""
        chosen = zip(self._alignment.pattern.places, self._alignment.chosen, strict=True)
        return any(p.own and o is not None and o.edge is not None and o.edge.how == How.SAME for p, o in chosen)

    def _asked(self) -> bool:
        """Whether another question word of the phrase was heard; a verb such as "is" asks only where it comes first."""
        words = [o.edge.word for o in self._alignment.chosen if o is not None and o.edge is not None]
        first = self._alignment.covered & -self._alignment.covered
        opens = [o.edge.word for o in self._alignment.chosen if o is not None and o.edge is not None and o.tokens & first]
        asking = self._language.question.difference(self._language.grammar.copula)
        return not asking.isdisjoint(words) or not self._language.question.isdisjoint(opens)

    def _heard(self, item: Item, option: Option) -> None:
        place = self._alignment.pattern.places[item.place]
        if place.small:
            return
        candidate = option.candidate
        if place.own and option.edge is not None:
            self._add("guessed name", bool(option.edge.how & How.SOUND) and option.edge.cost >= FAR)
        for edge in option.edges:
            how, span = edge.how, edge.end - edge.start
            if how & How.SOUND:
                self._add("sound", 1)
                self._add("sound distance", edge.cost)
                self._add("taken by sound", bool(how & How.TAKEN))
            if how & How.SPLIT:
                self._add("split", 1)
            if how & How.REWRITTEN:
                self._add("other words", 1)
            elif how & How.TOWARD:
                self._add("stands for", 1)
            elif how & How.SYNONYM:
                self._add("same meaning", option.weight >= WEIGHTY)
            elif how & How.FORM:
                self._add("one for many" if self._one_for_many(edge, candidate) else "another form", 1)
            if how & (How.FORM | How.SYNONYM | How.REWRITTEN) and span == 1 and self._tells(edge):
                self._add("telling form", 1)
        if candidate is None:
            return
        if candidate.note == "words":
            self._add("free words", 1)
        elif candidate.note == "assumed":
            self._add("spoken of", 1)
        elif isinstance(candidate.value, Devices):
            self._add("which", candidate.value.which)
            self._add("wrong room", candidate.value.wrong_room)
            self._add(
                "unnamed thing",
                self._only_a_room(candidate)
                and any(
                    i.kind == Kind.LEFT
                    and i.role == Role.UNKNOWN
                    and self._utterance.words[i.start] not in self._alignment.pattern.measures
                    for i in self._alignment.items
                ),
            )
            self._add("named otherwise", self._named_otherwise(candidate))
            self._add("another noun", self._another_noun(candidate))
            more = candidate.cost - sum(e.cost for e in candidate.used)
            self._add("first words", more >= COSTS.first_words - 1e-9 and not self._only_a_room(candidate))
            guess = guessed_apart(candidate, self._grammar.lexicon.of_noun_word)
            guess = guess if guess >= FAR else 0.0
            self._add(
                "guessed which" if len(candidate.used) > 1 else "guessed name", guess if len(candidate.used) > 1 else guess > 0
            )
        elif candidate.used:
            self._add(
                "guessed value", all(e.how & How.SOUND for e in candidate.used) and sum(e.cost for e in candidate.used) >= FAR
            )
        else:
            cost = candidate.cost - (COSTS.outside if candidate.outside else 0.0)
            if cost >= COSTS.unit:
                self._add("unit", 1)
            elif cost >= HOMOPHONE:
                self._add("homophone", 1)
            elif cost >= min(GUESSED, ORDINAL):
                self._add("rough number", 1)
            if isinstance(candidate.value, (int, float)):
                self._add("counts something", self._unknown_behind(candidate) or self._counts_devices(candidate))

    def _one_for_many(self, edge: WordEdge, candidate: Candidate | None) -> bool:
        """Whether a singular was heard for a plural, or a plural for a singular, where one device is meant."""
        if candidate is None or not isinstance(candidate.value, Devices) or candidate.value.devices.bit_count() > 1:
            return False
        heard = self._utterance.words[edge.start]
        return plural(heard, self._language) == edge.word or plural(edge.word, self._language) == heard

    def _named_otherwise(self, candidate: Candidate) -> bool:
        """Whether an unknown word stands where a noun that alone names the device has its other words."""
        nouns = self._grammar.lexicon.of_noun_word
        at = candidate.start - 1 if self._language.grammar.head == "last" else candidate.end
        if not candidate.used or any(e.word not in nouns for e in candidate.used) or not 0 <= at < len(self._utterance.words):
            return False
        words, role = self._utterance.words, self._utterance.roles[at]
        described = at and words[at - 1] in self._grammar.lexicon.articles and role in (Role.TALK, Role.VERB)
        guessed = bool(self._guessed_at >> at & 1)  # the "porch" of "porch blinds down" is hardly a "put"
        return (role == Role.UNKNOWN or bool(described)) and (guessed or self._free(at, at + 1))

    def _another_noun(self, candidate: Candidate) -> bool:
        """Whether one word that nothing says here stands right behind what a device is called: an unknown one, or one of other phrases.

        Several are a sentence of their own, and what orders something is another command.
        """
        at, utterance, lexicon = candidate.end, self._utterance, self._grammar.lexicon
        if not candidate.used or at >= len(utterance.words) or utterance.pauses >> at & 1:
            return False
        role, word = utterance.roles[at], utterance.words[at]
        orders = word in self._language.verbs or word in lexicon.ordering
        own = role == Role.WORD and utterance.weights[at] >= WEIGHTY and not orders
        noun = (role == Role.UNKNOWN or own) and word not in self._alignment.pattern.measures
        after = next((i for i in range(at + 1, len(utterance.words)) if utterance.roles[i] != Role.FILLER), len(utterance.words))
        alone = after == len(utterance.words) or not self._free(after, after + 1)
        return noun and alone and self._free(at, at + 1)

    def _only_a_room(self, candidate: Candidate) -> bool:
        """Whether a device is known by nothing but its room."""
        return candidate.tokens in self._rooms

    def _unknown_behind(self, candidate: Candidate) -> bool:
        """Whether an unknown word right behind a number without a unit may be what it counts."""
        at, utterance = candidate.end, self._utterance
        if at >= len(utterance.words) or utterance.roles[at] != Role.UNKNOWN or not self._free(at, at + 1):
            return False
        return not any(q.unit and q.start == candidate.start and q.end == candidate.end for q in utterance.quantities)

    def _counts_devices(self, candidate: Candidate) -> bool:
        """Whether a number without a unit stands right before devices: "open three vents", and the misheard "turn one the lamp"."""
        device, words = self._alignment.candidate("device"), self._utterance.words
        if device is None or any(q.unit and q.end == candidate.end for q in self._utterance.quantities):
            return False
        led = candidate.start and words[candidate.start - 1] in self._language.grammar.absolute
        articles = device.start == candidate.end + 1 and words[candidate.end] in self._grammar.lexicon.articles
        return device.start == candidate.end or (articles and not led)

    def _tells(self, edge: WordEdge) -> bool:
        at, meant = edge.start, edge.word
        word = self._utterance.words[at]
        if word == meant or word in self._grammar.lexicon.vocabulary.words:
            return False
        if self._utterance.roles[at] == Role.FILLER:  # "would you mind closing the blind"
            return False
        needing = at > 0 and self._utterance.words[at - 1] in self._language.grammar.needing
        if needing and self._utterance.roles[at - 1] == Role.FILLER:  # "table four needs clearing"
            return False
        relaying = (i for i in range(at) if self._utterance.words[i] in self._language.grammar.relaying)
        if any(self._utterance.roles[i] == Role.VERB for i in relaying):  # "get the pump running"
            return False
        if edge.how & How.FORM and at > first_said(self._utterance.roles) and self._begins_with(meant):
            return word.endswith(tuple(self._language.grammar.told))  # "he parked the scope"; "parked the scope" may be misheard
        ordering = meant in self._language.verbs or meant in self._language.light or edge.how & How.REWRITTEN
        return bool(ordering) and (self._language.tells(word) or self._utterance.roles[at] == Role.TALK)

    def _begins_with(self, word: str) -> bool:
        """Whether the phrase orders with a word: it begins with it, and holds more."""
        places = [p for p in self._alignment.pattern.places if not p.small]
        return len(places) > 1 and word in places[0].words

    # --- the alignment as a whole -----------------------------------------------------------------------------------

    def _order(self) -> None:
        """Places out of their order; a word in another form stands where that form stands."""
        taken = [(p, o) for p, o in self._taken() if o.tokens]
        for (_, before), (place, option) in pairwise(taken):
            if option.start >= before.start:
                continue
            if not leads_to_its_direction(self._utterance, self._language, place, option, self._alignment.chosen):
                moved = any(self._stands_anywhere(o) for o in (before, option))
                self._add("another order" if moved else "order", 1)

    def _stands_anywhere(self, option: Option) -> bool:
        """Whether a place took a word in another form, or a room instead of a device: "warmer in the den"."""
        if option.edge is not None:
            return bool(option.edge.how & REWORDED)
        return (
            option.candidate is not None and isinstance(option.candidate.value, Devices) and self._only_a_room(option.candidate)
        )

    def _taken(self) -> list[tuple[Place, Option]]:
        """The places that are not small and took something."""
        chosen = zip(self._alignment.pattern.places, self._alignment.chosen, strict=True)
        return [(p, o) for p, o in chosen if o is not None and not p.small]

    def _whole(self) -> None:
        alignment = self._alignment
        places = alignment.pattern.places
        taken = self._taken()
        unheard = [
            p
            for p, o in zip(places, alignment.chosen, strict=True)
            if o is None and not p.small and p.missing >= COSTS.missing_default
        ]
        plain = [o for _, o in taken if o.cost <= COSTS.form and o.weight >= WEIGHTY]
        self._add("words heard", min(len(plain), MOST_HEARD))
        if not plain:
            self._add("all unsure", 1)
        if any(o.candidate is not None and o.candidate.note == "words" for _, o in taken):
            self._add("free and unheard", sum(not p.slot and p.missing >= WEIGHTY for p in unheard))
        named = self._grammar.lexicon.named
        if (
            unheard
            and taken
            and not self._begun
            and all(p.slot == "device" or (o.edge is not None and o.edge.word in named) for p, o in taken)
        ):
            self._add("only a name", 1)
        telling = [o for p, o in taken if p.slot or (WEIGHTY <= o.weight < 1.2)]
        assumed = any(i.kind == Kind.UNHEARD and places[i.place].own and i.cost == COSTS.assumed for i in alignment.items)
        if unheard and not telling and not assumed and alignment.pattern.measures.isdisjoint(self._utterance.words):
            self._add("nothing named", 1)

    def _governed(self) -> bool:
        """Whether the phrase stands behind a word that makes it a part of what is told."""
        utterance = self._utterance
        at = min((o.start for _, o in self._taken() if o.tokens), default=0)
        passed = (Role.FILLER, Role.AMOUNT, Role.VERB, Role.SMALL)  # a verb that is left over is governed too
        said = utterance.beside
        while at > 0 and not (said.governed | said.ended) >> at & 1 and utterance.roles[at - 1] in passed:
            at -= 1
        if not at or not said.governed >> at & 1:
            return False
        left = (i for i in self._alignment.items if i.kind == Kind.LEFT and i.start == at - 1)
        return not any(i.role == Role.FILLER != utterance.roles[at - 1] for i in left)  # "it's film night" announces one

    def _question(self) -> None:
        utterance = self._utterance
        articles, skipped = self._grammar.lexicon.articles, (Role.FILLER,)
        beginning = zip(utterance.words, utterance.roles, strict=True)
        first = next(
            (i for i, (w, r) in enumerate(beginning) if r not in skipped and (w not in articles or w in self._pronouns)), None
        )
        announcing = (Role.PREAMBLE, Role.REASON, Role.FILLER)
        beside = {i.start for i in self._alignment.items if i.kind == Kind.LEFT and i.role in announcing}
        if first is None or first in beside or utterance.words[first] not in self._language.question:
            return
        if self._free(first, first + 1) or self._turned_into_a_question(first):
            self._add("question", 1)

    def _turned_into_a_question(self, first: int) -> bool:
        """Whether a verb opens what was heard that stands behind something in the phrase: "is supper ready" for "supper is ready"."""
        if self._utterance.words[first] not in self._language.grammar.copula or self._alignment.pattern.intent.read:
            return False
        return self._alignment.turned_round(first)

    def _left_numbers(self) -> None:
        covered, told = self._alignment.covered, self._alignment.told_of(self._utterance)
        first = (covered & -covered).bit_length() - 1 if covered else 0
        for quantity in widest([q for q in self._utterance.quantities if q.cost < HOMOPHONE]):
            if told >> quantity.start & 1 or self._about_the_measure(quantity):
                continue
            if self._free(quantity.start, quantity.end):
                where = "before" if quantity.end <= first else "behind" if quantity.start >= self._last() else "inside"
                self._add(f"number {where}", 1)

    def _about_the_measure(self, quantity: Quantity) -> bool:
        words = self._utterance.words[quantity.start : quantity.end]
        return any(w in self._alignment.pattern.measures for w in words)

    def _left_names(self) -> None:
        utterance, alignment = self._utterance, self._alignment
        beside = alignment.beside if alignment.pattern.device_at >= 0 else 0  # it may say what "it" is
        if alignment.pattern.device_at >= 0 or alignment.pattern.intent.device:
            device_id = alignment.pattern.intent.device
            own = self._grammar.lexicon.mask(self._grammar.house.members(device_id)) if device_id else 0
            for expression in utterance.expressions:
                plain = expression.cost < PLAIN_NAME and RANK["all"] != expression.things.rank < RANK["part"]
                free = not expression.tokens & (alignment.covered | beside) and expression.things.devices != own
                if plain and free and self._says_something(expression.start, expression.end):
                    self._add("another device", 1)
                    break
            for room in utterance.rooms():
                free = self._free(room.start, room.end) and not beside >> room.start & 1
                if room.cost < PLAIN_NAME and free and self._says_something(room.start, room.end):
                    self._add("another room", 1)
                    break
        device = alignment.candidate("device")
        if device is not None and self._in_a_foreign_place(device):
            self._add("foreign place", 1)
            return
        places = self._language.phrases("grammar", "places")
        known = self._grammar.lexicon.vocabulary.words
        for at, word in enumerate(utterance.words):
            length = places.at(utterance.words, at) if word in places.first and word not in known else 0
            told_of = alignment.beside >> at & 1
            if length and self._free(at, at + length) and utterance.roles[at] != Role.FILLER and not told_of:
                self._add("foreign place", 1)
                break

    def _in_a_foreign_place(self, device: Candidate) -> bool:
        """Whether devices of no name are said to be in something that the house doesn't have: "everything in the can off"."""
        words, roles, at = self._utterance.words, self._utterance.roles, device.end
        inside = self._language.phrases("grammar", "inside")
        length = inside.at(words, at) if at < len(words) and self._rank(device) >= RANK["all"] else 0
        place = at + length + 1
        if not length or place >= len(words) or words[place - 1] not in self._grammar.lexicon.articles:
            return False
        if roles[at] == Role.FILLER:  # "in the whole house"
            return False
        return self._free(at, at + length) and self._free(place, place + 1) and roles[place] not in (Role.NUMBER, Role.POLE)

    def _rank(self, candidate: Candidate) -> int:
        return min((e.things.rank for e in self._utterance.expressions if e.tokens == candidate.tokens), default=-1)

    def _says_something(self, start: int, end: int) -> bool:
        """Whether words weigh enough together: little ones, and those that are said again, count beside another one."""
        roles, weights, light = self._utterance.roles, self._utterance.weights, (Role.SMALL, Role.WORD)
        span = range(start, end)
        return all(weights[i] >= WEIGHTY or roles[i] in light for i in span) and any(weights[i] >= WEIGHTY for i in span)
