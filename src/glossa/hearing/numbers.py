"""Numbers and quantities: the words of a language, read with the grammar of numbers."""

from __future__ import annotations

import math
import re
from collections.abc import Collection, Mapping, Sequence
from fractions import Fraction
from functools import lru_cache
from typing import Any

from msgspec import Struct

from glossa.hearing.chart import Cells, Edge
from glossa.hearing.number_rules import CLOCK, GRAMMAR, GUESSED, HOMOPHONE, MISHEARD, MOST_DIGITS, ORDINAL, RESPELT, Num
from glossa.hearing.tokens import Token
from glossa.house.text import fold
from glossa.house.values import tidy
from glossa.language import Language, PhraseSet
from glossa.language.language import is_plural
from glossa.language.phones import phones
from glossa.language.spelling import Spelling

__all__ = ["GUESSED", "HOMOPHONE", "ORDINAL", "ROUGH", "NumberReader", "Quantity", "twins", "widest"]

ROUGH = 0.1
"""A quantity inside another one is kept where the other costs more than this."""

LEAST_MISSPELT = 6
"""Letters of a number word that a slip of the finger leaves recognisable; shorter ones are too near other words ("eight", "light")."""

_COUNTS = frozenset(("numeral", "ten", "teen", "digit", "part"))
"""What a letter for thousands may stand behind."""

SIGNS = {"percent": "percent", "celsius": "degrees", "degrees": "degrees"}
"""Units by the words that stand for their signs, ``%`` and ``°``, in the tokens of every language."""


class Quantity(Struct, frozen=True, gc=False):
    """A number as it was said.

    Attributes:
        start, end: the tokens that it takes, ``start`` included and ``end`` not.
        value: the number, in ``unit``; times are in seconds.
        unit: ``percent``, ``celsius``, ``fahrenheit``, ``degrees``, ``seconds`` (for every time), a word of the house's own, or ``""``.
        share: whether it is a bare fraction such as "three quarters", which is a share of the range for a percent.
        cost: what the reading costs, 0 for a plain one.
        note: how it was read, where that is not plain: ``corrected``, ``about``, ``ordinal``, ``sounds like``, ``strung together``, ``digits``.
    """

    start: int
    end: int
    value: float
    unit: str = ""
    share: bool = False
    cost: float = 0.0
    note: str = ""


MOST_CACHED = 20_000
"""Words whose place in the grammar is remembered."""


MOST_FOREIGN = 100
"""Numbers of the house's other languages that are read in a sentence of this one."""


class NumberReader:
    """Reads the quantities of one language.

    Args:
        language: the language.
        units: further unit words of the house, spoken form -> unit.
        known: the words of the house, which are no misspelt numbers.
        others: languages whose numbers up to ``MOST_FOREIGN`` are read too, where their words are none of this language or the house.

    Attributes:
        unit_words: the words that units are said with, letters aside.
    """

    def __init__(
        self,
        language: Language,
        units: Mapping[str, str] | None = None,
        known: Collection[str] = (),
        others: Sequence[Language] = (),
    ) -> None:
        words = language.numbers
        self.language, self.words = language, words
        self.ones = dict(words.ones)
        self.table = _table(language)
        self._longest = max((len(k) for k in self.table), default=0)
        if self.table:
            self.ones = {k[0]: v for k, v in self.table.items() if len(k) == 1 and v < 10}
        named = {unit: list(texts) for unit, texts in words.units.items()}
        for unit, sign in SIGNS.items():
            named.setdefault(unit, []).append(sign)
        for word, unit in (units or {}).items():
            named.setdefault(unit, []).append(word)
        for other in others:
            for unit, texts in other.numbers.units.items():
                named.setdefault(unit, []).extend(t for t in texts if len(t) > 2 and t not in known and t not in language.small)
        self._units = {unit: PhraseSet.of(texts) for unit, texts in named.items()}
        self._first_of_unit = {first for phrases in self._units.values() for first in phrases.first}
        self.unit_words = frozenset(w for w in self._first_of_unit if len(w) > 1)
        self._fractions = {k: Fraction(v) for k, v in words.fractions.items()}
        self._groups = PhraseSet.of(words.groups)
        self._hesitation = frozenset(words.hesitation)
        self._sets = {
            "below": PhraseSet.of(words.below_zero),
            "of_all": PhraseSet.of(words.of_all),
            "about": PhraseSet.of(words.about),
            "roughly": PhraseSet.of(words.roughly),
            "correction": language.phrases("grammar", "correction"),
            "hesitation": PhraseSet.of(words.hesitation),
        }
        self._single_words = {
            "and": words.joined, "point": words.point, "minus": words.minus, "of": words.of, "one": words.single,
            "preposition": [*language.grammar.relative, *language.grammar.absolute],
        }  # fmt: skip
        led = {number for heard, number in words.homophones.items() if heard in language.grammar.absolute}
        self.like_prepositions = frozenset(w for w, number in words.ones.items() if number in led)
        spoken = (*words.tens, *(w for w, n in words.ones.items() if n > 9))
        self._by_sound = {phones(w, language.tag): w for w in spoken}
        self._long = [w for w in (*spoken, *words.hundred, *words.scales) if len(w) >= LEAST_MISSPELT]
        lists = (*self._units.values(), *self._sets.values(), language.filler, language.talk, self._groups)
        every = (words.ones, words.tens, words.hundred, words.scales, words.fractions, words.ordinals, words.homophones, known)
        self._known = (
            {w for held in every for w in held} | {w for held in lists for w in held.words} | language.small | language.verbs
        )
        self._foreign = self._numbers_of(others)
        self._longest_foreign = max((len(k) for k in self._foreign), default=0)
        self._symbols = lru_cache(MOST_CACHED)(self._look_up)
        self._begins = lru_cache(MOST_CACHED)(self._may_begin)
        self._split = lru_cache(MOST_CACHED)(self._written_in_two)
        phrases = (*self._sets.values(), self._groups, *self._units.values())
        self._first = {w for p in phrases for w in p.first} | {k[0] for held in (self.table, self._foreign) for k in held}

    def _numbers_of(self, others: Sequence[Language]) -> dict[tuple[str, ...], int]:
        """The numbers of other languages, in words that mean nothing in this one."""
        taken = self._known | self.language.filler.words | self.language.talk.words | {w for k in self.table for w in k}
        found: dict[tuple[str, ...], int] = {}
        for other in others:
            for said, number in _said(other.spelling):
                if not any(w in taken for w in said):
                    found.setdefault(said, number)
        return found

    @property
    def known(self) -> bool:
        """Whether the language has number words."""
        return bool(self.ones)

    # --- whole utterances -------------------------------------------------------------------------------------------

    def read(self, tokens: Sequence[Token]) -> tuple[Quantity, ...]:
        """Every quantity of an utterance, from left to right, none inside another; corrected ones joined with what corrects them."""
        return widest(self.every(tokens))

    def every(self, tokens: Sequence[Token]) -> list[Quantity]:
        """Every quantity of an utterance, those inside others too, by start and length."""
        words = tuple(t.word for t in tokens)
        cells = self._cells(tokens, words)
        if not any(cells):
            return []
        following = self._following(words)
        GRAMMAR.parse(cells, following)
        made = [self._quantity(edge) for cell in cells for edge in cell.get("corrected", ())]
        kept = [q for q in made if q is not None and not self._stands_for_a_thing(words, q)]
        return sorted(kept, key=lambda q: (q.start, q.start - q.end, q.cost))

    @staticmethod
    def _quantity(edge: Edge) -> Quantity | None:
        number: Num = edge.value
        if not math.isfinite(number.value) or abs(number.value) >= 10**MOST_DIGITS:
            return None
        cost = edge.cost
        if cost >= HOMOPHONE and number.unit:  # a unit behind it makes "to" a number
            cost = cost - HOMOPHONE + GUESSED
        note = number.note or ("sounds like" if cost >= HOMOPHONE else "ordinal" if cost == ORDINAL else "")
        return Quantity(edge.start, edge.end, tidy(number.value), number.unit, number.share, round(cost, 9), note)

    def _stands_for_a_thing(self, words: tuple[str, ...], quantity: Quantity) -> bool:
        """Whether a number means what was named, counts it, or is the article of it: "the near one", "one of those", "un minuteur"."""
        at, grammar = quantity.start, self.language.grammar
        if (
            not quantity.share
            and not quantity.unit
            and words[quantity.end : quantity.end + 1]
            and words[quantity.end] in self.words.of[:1]
        ):
            behind = words[quantity.end + 1 : quantity.end + 2]
            if any(w in grammar.articles or w in grammar.pronouns for w in behind):
                return True
        if quantity.end != at + 1 or (at and words[at - 1] in grammar.absolute):
            return False  # "set that to one" is a value
        if words[at] in grammar.articles and words[at + 1 : at + 2] and self._may_be_named(words[at + 1]):
            return True
        if words[at] not in grammar.one or at == 0:
            return False
        before = words[max(0, at - 2) : at]
        return any(w in grammar.articles or w in grammar.all for w in before)

    def _may_be_named(self, word: str) -> bool:
        """Whether a word may be the name of something: no small word, no filler, and no part of a number or a unit."""
        return not (
            word in self.language.small or word in self.language.filler.first or self._begins(word) or self._symbols(word)
        )

    def _following(self, words: tuple[str, ...]) -> list[tuple[int, ...]]:
        """Hesitation may stand between the words of a number."""
        places: list[tuple[int, ...]] = [(len(words),)]
        for at in range(len(words) - 1, -1, -1):
            places.append((at, *places[-1]) if words[at] in self._hesitation else (at,))
        return places[::-1]

    # --- single words -----------------------------------------------------------------------------------------------

    def _cells(self, tokens: Sequence[Token], words: tuple[str, ...]) -> Cells:
        cells: Cells = []
        for at, token in enumerate(tokens):
            cell: dict[str, list[Edge]] = {}
            cells.append(cell)
            if token.number is not None:
                self._add_numeral(cell, token, at)
            for symbol, value, cost in self._symbols(words[at]):
                if symbol == "scale" and len(words[at]) == 1 and (not at or cells[-2].keys().isdisjoint(_COUNTS)):
                    continue  # the "k" of "2.5 k" is one, no other "k"
                if symbol in cell:
                    cell[symbol].append(Edge(at, at + 1, symbol, value, cost))
                else:
                    cell[symbol] = [Edge(at, at + 1, symbol, value, cost)]
            if self._begins(words[at]):
                self._add_phrases(cell, tokens, words, at)
            if at + 1 < len(words) and tokens[at + 1].number is None:
                for symbol, value, cost in self._split(words[at], words[at + 1]):
                    cell.setdefault(symbol, []).append(Edge(at, at + 2, symbol, value, cost))
        return cells

    def begins_number(self, word: str) -> bool:
        """Whether a number may begin with a word: "four", "viertausendachthundert"."""
        return (
            word in self.language.number_words
            or word in self.words.hundred
            or word in self.words.scales
            or self._glued(word) is not None
        )

    def _may_begin(self, word: str) -> bool:
        """Whether a number, a unit or what goes with them may begin with a word that is written so."""
        return word in self._first or self._respelt(word) in self._first or self._glued(word) is not None

    @staticmethod
    def _add_numeral(cell: dict[str, list[Edge]], token: Token, at: int) -> None:
        number = token.number
        assert number is not None
        if "/" in token.word:
            cell["slashed"] = [Edge(at, at + 1, "slashed", Num(number, share=True))]
        elif math.isfinite(number) and len(token.word.lstrip("-")) <= MOST_DIGITS:
            cell["numeral"] = [Edge(at, at + 1, "numeral", Num(number))]
            if token.word.isdigit() and len(token.word) == 1:
                cell["figure_digit"] = [Edge(at, at + 1, "figure_digit", token.word)]

    def _look_up(self, word: str) -> tuple[tuple[str, Any, float], ...]:
        words = self.words
        spelt = words.spellings.get(word) or self._misspelt(word)
        cost = RESPELT if spelt != word else 0.0
        symbols: list[tuple[str, Any, float]] = []
        value = self.ones.get(spelt)
        if value is not None:
            symbols.append(("zero" if value == 0 else "digit" if value < 10 else "teen", Num(value), cost))
            if value < 10:
                symbols.append(("figure_digit", str(value), cost))
        if spelt in words.hundred and spelt != word:
            symbols.append(("hundred", Num(100), cost))
        if spelt in words.tens:
            symbols.append(("ten", Num(words.tens[spelt], size=10), cost))
        figure = words.digits_only.get(word)
        if figure is not None:
            symbols.append(("twice", -figure, 0.0) if figure < 0 else ("figure_digit", str(figure), 0.0))
            symbols += [("oh", Num(0), 0.0)] if figure == 0 else []
        if word in words.hundred:
            symbols.append(("hundred", Num(100), 0.0))
        scale = words.scales.get(spelt, 1000 if spelt == words.thousand else None)
        if scale:
            symbols.append(("scale", Num(scale), 0.0))
        if word in self._fractions:
            symbols.append(("part", self._fractions[word], 0.0))
            if is_plural(word, self.language):
                symbols.append(("parts", self._fractions[word], 0.0))
        if word in words.ordinals:
            symbols.append(("ordinal", Num(words.ordinals[word], note="ordinal"), 0.0))
        if word in words.homophones and word not in words.single:
            symbols.append(("homophone", Num(words.homophones[word], note="sounds like"), 0.0))
            if word not in self.language.small:
                symbols.append(("misheard", Num(words.homophones[word]), 0.0))
        half = words.glued_half
        if half and word.endswith(half) and (whole := self.table.get((word.removesuffix(half),))) is not None:
            symbols.append(("decimal", Num(whole + 0.5), 0.0))
        return (*symbols, *((name, Num(1), 0.0) for name, listed in self._single_words.items() if word in listed))

    def _misspelt(self, word: str) -> str:
        """The longer number word that a word is with one slip of the finger, or the word itself."""
        if len(word) < LEAST_MISSPELT or word in self._known or is_plural(word, self.language):
            return word
        sounding = self._by_sound.get(phones(word, self.language.tag))
        if sounding:
            return sounding
        near = [w for w in self._long if abs(len(w) - len(word)) < 2 and one_slip(word, w)]
        return near[0] if len(near) == 1 else word

    def _add_phrases(self, cell: dict[str, list[Edge]], tokens: Sequence[Token], words: tuple[str, ...], at: int) -> None:
        def add(symbol: str, length: int, value: Any, cost: float = 0.0) -> None:
            cell.setdefault(symbol, []).append(Edge(at, at + length, symbol, value, cost))

        word = words[at]
        for name, phrases in self._sets.items():
            if word in phrases.first:
                for length in phrases.starts(words, at):
                    add(name, length, word)
        if word in self._groups.first:
            for length in self._groups.starts(words, at):
                value = self.words.groups[" ".join(words[at : at + length])]
                following = words[at + length : at + length + 1]
                length += following[:1] == ("of",) and "of" in self.words.of
                add("counted", length, Num(value, note="about" if value == 2 else ""))
                if value >= 12:
                    add("dozen", length, Num(value))
        if word in self._first_of_unit and self._may_be_unit(tokens, at):
            for unit, phrases in self._units.items():
                for length in phrases.starts(words, at):
                    add("clock" if unit in CLOCK else "unit", length, unit)
                    if unit in CLOCK and len(word) > 3 and not is_plural(words[at + length - 1], self.language):
                        add("moment", length, unit)
                    if unit in ("celsius", "degrees"):
                        add("degree", length, unit)
        for length in range(min(self._longest, len(words) - at), 0, -1):
            spelt = tuple(self._respelt(w) for w in words[at : at + length])
            known = self.table.get(
                words[at : at + length], self.table.get(spelt) if length > 1 or word not in self.words.single else None
            )
            if known is not None:
                add("spelled_out", length, Num(known, size=1))
                if known < 100 and self.words.hundred:  # "zwei hundert zwanzig", in a language that writes numbers together
                    add("teen", length, Num(known))
        for length in range(min(self._longest_foreign, len(words) - at), 0, -1):
            number = self._foreign.get(words[at : at + length])
            if number is not None:
                add("spelled_out", length, Num(number, size=1), RESPELT)
        if (large := self._glued(word)) is not None:
            add("spelled_out", 1, Num(large, size=1))

    def _respelt(self, word: str) -> str:
        """A number word as the list has it, whatever way it is written."""
        for written, meant in self.language.grammar.spellings:
            if (word,) not in self.table:
                word = word.replace(written, meant)
        return self.words.spellings.get(word, word)

    def _glued(self, word: str) -> int | None:
        """A number over a thousand that was written in one word: "zweitausenddreihundert"."""
        for thousand in self.words.glued:
            many, found, rest = word.partition(thousand)
            if found and word not in (thousand, *self.words.scales):
                one = not many or many in self.words.single
                times, left = 1 if one else self.table.get((many,)), self.table.get((rest,), None if rest else 0)
                if times and left is not None:
                    return times * 1000 + left
        return None

    def _written_in_two(self, word: str, following: str) -> tuple[tuple[str, Any, float], ...]:
        """What a number word that was written as two is in the grammar: "six ty", "four teen"."""
        if len(following) > 5 or not self.words.tens or following in self.ones or following in self.words.tens:
            return ()
        tag, joined, more = self.language.tag, word + following, RESPELT
        if joined not in self.ones and joined not in self.words.tens and joined not in self.words.spellings:
            joined, more = self._by_sound.get(phones(word, tag) + phones(following, tag), ""), MISHEARD
        symbols = self._symbols(joined) if joined else ()
        return tuple((symbol, value, cost + more) for symbol, value, cost in symbols if symbol in ("ten", "teen", "digit"))

    def _may_be_unit(self, tokens: Sequence[Token], at: int) -> bool:
        """Whether a letter is a unit here: only where it stands right behind digits."""
        return len(tokens[at].word) > 1 or tokens[at].glued or (at > 0 and tokens[at - 1].number is not None)

    # --- digits one by one ------------------------------------------------------------------------------------------

    def digits(self, tokens: Sequence[Token], start: int) -> tuple[int, str] | None:
        """Digits said one by one or in groups: "two four double six" is ``2466``. The end and the digits, or None."""
        said, here, times, end = "", start, 1, start
        words = tuple(t.word for t in tokens)
        while here < len(tokens) and len(said) < 32:
            word = self.words.spellings.get(words[here], words[here])
            figure = self.words.digits_only.get(word)
            if figure is not None and figure < 0:
                times, here = -figure, here + 1
                continue
            if tokens[here].number is not None and word.isdigit():
                piece, length = word, 1
            elif figure is not None:
                piece, length = str(figure), 1
            elif self.ones.get(word, 10) < 10:
                piece, length = str(self.ones[word]), 1
            elif word in self.words.homophones and said and word not in self.words.single:
                piece, length = str(self.words.homophones[word]), 1
            elif (value := self.below_1000(words, here)) is not None:
                piece, length = value
            elif word in self._hesitation and said:
                here += 1
                continue
            else:
                break
            said += piece * times
            times, here = 1, here + length
            end = here
        return (end, said) if said else None

    def below_1000(self, words: tuple[str, ...], at: int) -> tuple[str, int] | None:
        """A tens, a teen or a number out of the table, as digits and how many words it takes."""
        tens, word = self.words.tens, words[at]
        if word in tens:
            one = self.ones.get(words[at + 1], 10) if at + 1 < len(words) else 10
            return (str(tens[word] + one), 2) if 0 < one < 10 else (str(tens[word]), 1)
        if self.ones.get(word, 0) >= 10:
            return str(self.ones[word]), 1
        for length in range(min(self._longest, len(words) - at), 0, -1):
            if words[at : at + length] in self.table:
                return str(self.table[words[at : at + length]]), length
        return None

    def alternatives(self, tokens: Sequence[Token], quantity: Quantity) -> list[str]:
        """Other readings of the same words: its parts, the first of a correction, digits, and what it could be mistaken for by sound."""
        others = []
        inside = [q for q in self.every(tokens) if quantity.start <= q.start and q.end <= quantity.end and q.cost < HOMOPHONE]
        if quantity.note == "strung together":
            parts = widest([q for q in inside if q.end - q.start < quantity.end - quantity.start])
            others.append(" and ".join(str(p.value) for p in parts))
        if quantity.note == "corrected":
            others += [f"{q.value} first" for q in inside if q.start == quantity.start and q.note != "corrected"][:1]
        if quantity.note in ("sounds like", "ordinal"):
            others.append("no number")
        if quantity.unit != "seconds":
            others += [f"{t}?" for t in twins(quantity.value, self.language)]
        digits = self.digits(tokens, quantity.start)
        if digits is not None and digits[0] > quantity.end:
            others.append(f"digits {digits[1]}")
        return others


@lru_cache(maxsize=16)
def _said(spelling: Spelling) -> tuple[tuple[tuple[str, ...], int], ...]:
    """The numbers up to ``MOST_FOREIGN`` in words."""
    plain = spelling.folded()
    return tuple((said, number) for number in range(MOST_FOREIGN + 1) if (said := tuple(plain.say(number).split())))


@lru_cache(maxsize=16)
def _table_of(spelling: Spelling, also: tuple[tuple[str, str], ...]) -> Mapping[tuple[str, ...], int]:
    found: dict[tuple[str, ...], int] = {}
    plain = spelling.folded()
    patterns = [(re.compile(fold(pattern).replace("-", " ")), fold(other).replace("-", " ")) for pattern, other in also]
    for number in range(1000):
        said = plain.say(number)
        found.setdefault(tuple(said.split()), number)
        for pattern, other in patterns:
            if pattern.search(said):
                found.setdefault(tuple(pattern.sub(other, said).split()), number)
    found.pop((), None)
    return found


def _table(language: Language) -> Mapping[tuple[str, ...], int]:
    """Folded number words -> number, for 0 to 999, where the language has no lists that the grammar of numbers could read."""
    also = tuple((pattern, other) for pattern, other in language.numbers.spell_also)
    return {} if language.numbers.ones else _table_of(language.spelling, also)


def widest(quantities: Sequence[Quantity]) -> tuple[Quantity, ...]:
    """From left to right the longest quantities, none inside another; a homophone right before a number is none: "to forty"."""
    kept: list[Quantity] = []
    by_start: dict[int, Quantity] = {}
    for quantity in quantities:
        known = by_start.get(quantity.start)
        if known is None or (-quantity.end, quantity.cost) < (-known.end, known.cost):
            by_start[quantity.start] = quantity
    at = 0
    for start in sorted(by_start):
        quantity = by_start[start]
        if start < at:
            continue
        after = by_start.get(quantity.end)
        if quantity.cost >= HOMOPHONE and after is not None and after.cost < HOMOPHONE:
            continue
        kept.append(quantity)
        at = quantity.end
    return tuple(kept)


def twins(value: float, language: Language) -> tuple[int, ...]:
    """The numbers that sound like one: 13 and 30, ... 19 and 90, within larger numbers too, and the pairs of the language's list.

    >>> from glossa.language import load_language
    >>> twins(13, load_language("en")), twins(115, load_language("en")), twins(42, load_language("en"))
    ((30,), (150,), ())
    """
    if not float(value).is_integer() or value < 0:
        return ()
    alike = []
    if language.numbers.teens:
        rest = int(value) % 100
        base = int(value) - rest
        alike += [base + (rest - 10) * 10] if 13 <= rest <= 19 else []
        alike += [base + rest // 10 + 10] if rest in range(30, 100, 10) else []
    for one, other in language.numbers.alike:
        alike += [b for a, b in ((one, other), (other, one)) if a == value]
    return tuple(dict.fromkeys(alike))


def one_slip(one: str, other: str) -> bool:
    """Whether two words are one slip of the finger apart: a letter too many, too few, wrong, or two turned round.

    F. J. Damerau, "A Technique for Computer Detection and Correction of Spelling Errors", 1964.

    >>> one_slip("nintey", "ninety"), one_slip("thirten", "thirty")
    (True, False)
    """
    short, long = sorted((one, other), key=len)
    at = next((i for i, (a, b) in enumerate(zip(short, long, strict=False)) if a != b), len(short))
    if len(long) > len(short):
        return short[at:] == long[at + 1 :]
    turned = short[at : at + 2] == long[at : at + 2][::-1] and short[at + 2 :] == long[at + 2 :]
    return one != other and (turned or short[at + 1 :] == long[at + 1 :])
