"""Clauses beside a command: where one may begin and end, where a request follows without a pause, and what it has to do with it.

"I can't hear a word, turn the radio up", "the galley is too dark turn the lamps on", "turn it down, I'm on the phone": nobody writes commas
when a recogniser listens, so that the end of a clause shows by what begins behind it: a verb that gives an order, what opens a request, or
a device with something to be done.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.asides import Asides, Beside
from glossa.hearing.costs import COSTS
from glossa.hearing.device_rules import RANK, Things
from glossa.hearing.devices import PLAIN_NAME, DeviceExpression
from glossa.hearing.lexicon import Lexicon, NamedSpan
from glossa.hearing.roles import Role, first_said
from glossa.hearing.tokens import Token, mask_of, places_of
from glossa.hearing.vocabulary import MOST_CACHED
from glossa.language import plural

_PAUSE = re.compile("[,.;:!?…]")
_TELLING = frozenset((Role.POLE, Role.NUMBER, Role.EXCEPTION, Role.BROKEN))
_SAYING = frozenset((Role.UNKNOWN, Role.WORD))


class Clauses(Struct, frozen=True, gc=False):
    """The clauses of an utterance, each a bit mask of tokens.

    Attributes:
        pauses: the tokens before which there is a pause in the writing.
        requests: those at which a request begins behind a clause, without a pause.
        telling: those that no clause holds that is beside the command: names, directions, numbers.
        expressions: the device expressions, with what the clause in front says of them: "it", and the room that they are in.
        pointed: the devices that "it" stands for, as a bit mask; 0 for none.
        beside: where sentences beside a command may end and begin.
    """

    pauses: int
    requests: int
    telling: int
    expressions: tuple[DeviceExpression, ...]
    pointed: int = 0
    beside: Beside = Beside()


class ClauseGrammar:
    """Finds the clauses of the utterances of one house in one language.

    Args:
        lexicon: the house's words.

    Attributes:
        orders: whether a word is a verb that gives orders: one of the language, in a form that the house knows, or of a phrase itself.
    """

    def __init__(self, lexicon: Lexicon) -> None:
        self.lexicon, self.language = lexicon, lexicon.language
        language = lexicon.language
        self.opened, self.consequence = (language.phrases("grammar", name) for name in ("request", "consequence"))
        self.orders = lru_cache(MOST_CACHED)(self._orders)
        self.pronouns = language.phrases("grammar", "pronouns").single
        self.particles = frozenset(language.asides.particles)
        self.asides = Asides(lexicon, self.orders)
        self.movable = frozenset(language.grammar.after_number_only)
        self.belonging = (frozenset(language.numbers.of) & language.small) - frozenset(language.numbers.single)

    def of(
        self,
        text: str,
        tokens: Sequence[Token],
        roles: Sequence[Role],
        spans: Sequence[Sequence[NamedSpan]],
        expressions: tuple[DeviceExpression, ...],
    ) -> Clauses:
        """The clauses of an utterance.

        Args:
            text: what was heard.
            tokens: its tokens, one at least.
            roles: what each of them does.
            spans: for every token, the names that start there.
            expressions: its device expressions, the likeliest first.
        """
        return _Line(self, text, tokens, roles, spans, expressions).clauses()

    def _orders(self, word: str) -> bool:
        language, words = self.language, self.lexicon.vocabulary.words
        known = word in words or not words.isdisjoint(language.same.get(word, ()))
        known = known or (bool(language.grammar.particles) and word in language.light)  # the "mach" of "ausmachen"
        if word in self.lexicon.of_noun_word or word in self.lexicon.named:
            return False  # the "light" of "the store light"
        stems = any(word.startswith(stem) and plural(stem, language) != word for stem in language.verbs)
        return word in language.verbs or word in self.lexicon.ordering or (known and (word in language.light or stems))


class _Line:
    def __init__(
        self,
        grammar: ClauseGrammar,
        text: str,
        tokens: Sequence[Token],
        roles: Sequence[Role],
        spans: Sequence[Sequence[NamedSpan]],
        expressions: tuple[DeviceExpression, ...],
    ) -> None:
        self.grammar, self.language = grammar, grammar.language
        self.text, self.tokens, self.roles, self.spans, self.expressions = text, tokens, roles, spans, expressions
        self.words = tuple(t.word for t in tokens)
        self.written = [text[t.start : t.end].replace("’", "'") for t in tokens]
        self.first = first_said(roles)
        self.names = {e.start: e for e in reversed(expressions) if e.cost < PLAIN_NAME and e.things.rank <= RANK["group"]}

    def clauses(self) -> Clauses:
        pauses = pauses_of(self.text, self.tokens)
        telling, names = self._telling(), {at: e.end for at, e in self.names.items()}
        beside = self.grammar.asides.of(self.words, self.written, self.roles, telling, names)
        requests = self._requests(beside.ended)
        begins = next((at for at in range(1, len(self.words)) if (pauses | requests) >> at & 1), 0)
        if self.roles[begins] == Role.POLE and requests >> begins + 1 & 1:  # "... encendida apágala": how it is
            begins += 1
        if requests >> begins & 1 and begins:
            telling &= ~self._said_of_it(begins)
        expressions, pointing, pointed = self.expressions, self._spoken_of(begins) if begins else None, 0
        if pointing is not None:
            expressions, telling = (pointing[0], *expressions), telling & ~pointing[1]
            pointed = pointing[0].things.devices
        elif begins and (again := self._named_again(begins)):
            telling &= ~again
        elif begins and requests >> begins & 1:
            expressions = self._in_the_room_told_of(begins)
        return Clauses(pauses, requests, telling, expressions, pointed, beside)

    def _telling(self) -> int:
        """The tokens that no clause holds that is beside the command: what it names, says and counts is meant for the house."""
        words, roles, language = self.words, self.roles, self.language
        mask = 1 << self.first if words[self.first] in language.verbs else 0  # "turn the sauna on, ..." is no statement
        for e in self.expressions:
            if e.cost < PLAIN_NAME and e.things.rank < RANK["part"] and e.tokens == (1 << e.end) - (1 << e.start):
                mask |= e.tokens
        for at, role in enumerate(roles):
            if role in _TELLING and not (role == Role.NUMBER and words[at] in language.small):
                mask |= 1 << at
        for at, (word, role) in enumerate(zip(words, roles, strict=True)):
            steamed_up = at and ((word in self.grammar.movable and roles[at - 1] == Role.UNKNOWN) or roles[at - 1] == Role.TALK)
            doing = at > 1 and roles[at - 1] in _SAYING and Role.TALK in roles[max(0, at - 3) : at - 1]  # "I'm just going out"
            steamed_up = steamed_up or (doing and word in self.grammar.particles)
            out_of = at + 1 < len(words) and words[at + 1] in self.grammar.belonging
            if word in language.felt or (role == Role.POLE and (steamed_up or out_of)):
                mask &= ~(1 << at)
        return mask

    # --- requests without a pause ------------------------------------------------------------------------------------

    def _requests(self, ended: int) -> int:
        """The tokens at which a request begins behind a sentence that ended."""
        if not ended:
            return 0
        words, grammar, felt = self.words, self.grammar, self.language.felt
        things = {e.start: e for e in reversed(self.expressions) if e.cost < PLAIN_NAME and e.things.rank <= RANK["part"]}

        def begins(at: int) -> bool:
            ordered = grammar.orders(words[at]) or grammar.opened.at(words, at) > 0
            return ordered or words[at - 1] in felt or self._does(things.get(at))

        return mask_of(ended >> at & 1 == 1 and begins(at) for at in range(len(words)))

    def _does(self, named: DeviceExpression | None) -> bool:
        """Whether something is to be done with a device that is named: a direction or a number follows, and nothing is told."""
        behind = self.roles[named.end :] if named is not None else ()
        return Role.TALK not in behind and not {Role.POLE, Role.NUMBER}.isdisjoint(behind)

    # --- what the clause in front says of the command ----------------------------------------------------------------

    def _spoken_of(self, begins: int) -> tuple[DeviceExpression, int] | None:
        """The "it" of "the radio is too loud, turn it down" as what the clause in front names, and the tokens of that name."""
        pronoun = next((at for at in range(begins + 1, len(self.words)) if self._points(at)), 0)
        plain = [e for e in self.expressions if e.end <= begins and e.cost < PLAIN_NAME and e.things.rank <= RANK["part"]]
        if not pronoun or not plain or any(e.start >= begins and e.cost < PLAIN_NAME for e in self.expressions):
            return None
        widest = max(plain, key=lambda e: (e.end - e.start, -e.cost, -e.things.rank))
        told = any(r in (Role.TALK, Role.UNKNOWN) and not widest.tokens >> i & 1 for i, r in enumerate(self.roles[:begins]))
        if not told or any(e.tokens & ~widest.tokens for e in plain):
            return None
        return replace(widest, start=pronoun, end=pronoun + 1, tokens=1 << pronoun, cost=COSTS.assumed / 2), widest.tokens

    def _said_of_it(self, begins: int) -> int:
        """What the clause in front only tells: how something is, in its last word, and the numbers before "so"."""
        mask = 1 << begins - 1 if self.roles[begins - 1] == Role.POLE else 0  # "they left the fan on turn it off"
        starts = (at for at in range(1, begins) if self.words[at] in self.grammar.consequence.first)
        if any(at + self.grammar.consequence.at(self.words, at) == begins for at in starts):
            mask |= places_of(Role.NUMBER, self.roles[:begins])  # "tea is in ten minutes so put the urn on"
        return mask

    def _named_again(self, begins: int) -> int:
        """The tokens of names in front that the command names too: "I forgot the heater turn the heater on"."""
        plain = [e for e in self.expressions if e.cost < PLAIN_NAME and e.things.rank <= RANK["group"]]
        behind = {e.things.devices for e in plain if e.start >= begins}
        return mask_of(
            any(e.tokens >> at & 1 for e in plain if e.end <= begins and e.things.devices in behind) for at in range(begins)
        )

    def _points(self, at: int) -> bool:
        """Whether a word is a pronoun that a verb is for: the "it" of "turn it down", not the one of "it's too loud"."""
        if self.words[at] not in self.grammar.pronouns or self.roles[at - 1] not in (Role.VERB, Role.WORD, Role.POLE):
            return False
        return at + 1 == len(self.words) or self.roles[at + 1] not in (Role.UNKNOWN, Role.WORD, Role.TALK)

    def _in_the_room_told_of(self, begins: int) -> tuple[DeviceExpression, ...]:
        """The "lamps" of "the galley is too dark turn the lamps on" are those of the galley."""
        rooms: Mapping[str, int] = {
            s.entry.room: s.entry.devices
            for here in self.spans[:begins]
            for s in here
            if s.entry.kind == "room" and s.cost < PLAIN_NAME
        }
        if len(rooms) != 1:
            return self.expressions
        (room,) = rooms.values()
        return tuple(_there(e, room) if e.start >= begins else e for e in self.expressions)


def _there(expression: DeviceExpression, room: int) -> DeviceExpression:
    """An expression of nouns narrowed to a room, where there are such devices in it."""
    things = expression.things
    inside = [r for r in things.references if r.devices & room and r.rank in (RANK["nouns"], RANK["part"])]
    if len(inside) < len(things.references):
        return expression
    narrowed = Things(tuple(replace(r, devices=r.devices & room) for r in inside), things.excepted)
    return replace(expression, things=narrowed)


def pauses_of(text: str, tokens: Sequence[Token]) -> int:
    """The tokens before which there is a pause in the writing, as a bit mask."""
    if not _PAUSE.search(text):
        return 0
    between = ((tokens[at - 1].end, tokens[at].start) for at in range(1, len(tokens)))
    return mask_of(_PAUSE.search(text, start, end) is not None for start, end in between) << 1
