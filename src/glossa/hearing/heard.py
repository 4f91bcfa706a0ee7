"""One utterance taken apart: its tokens, what each weighs, and what every stretch of it could mean."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.counting import HOMOPHONE
from glossa.hearing.lexicon import Atom, Lexicon
from glossa.hearing.numbers import Quantity
from glossa.hearing.things import Devices, Expression, Things
from glossa.hearing.tokens import MOST_TOKENS, Token, tokenize
from glossa.hearing.vocabulary import TOWARD, Step
from glossa.house.values import Value, Values, tidy

FILLER, SMALL, LIGHT, CONTENT, UNKNOWN, POLE, TALK, NEGATION, NUMBER = 0.02, 0.06, 0.35, 1.0, 1.3, 1.4, 1.5, 2.0, 1.5
"""What a token weighs, by what it is; content words weigh 1."""

SAID_TWICE = 0.05
LITTLE, LOT = 0.5, 2.0
"""What "slightly" and "a lot" make of the usual amount of a change."""

UNIT_MISFIT, OUT_OF_RANGE = 1.6, 0.15
ASIDE = 0.15
"""Weight of "up" in "up to twenty", of "on" in "forty percent on the lamp": a preposition, not a direction."""


class Candidate(Struct, frozen=True):
    """A value for a slot over tokens ``start`` to ``end``.

    Attributes:
        value: in the slot's unit; a tuple of device ids for a device.
        cost: 0 or more, in units of one content word.
        why: how it was heard.
        outside: whether it lies outside the range.
        devices: for a device slot, what the expression stands for.
        said: the words of the house that it was taken for.
    """

    start: int
    end: int
    value: Value | tuple[str, ...]
    cost: float
    why: str = "value"
    outside: bool = False
    devices: Devices | None = None
    said: tuple[str, ...] = ()
    steps: tuple[Step, ...] = ()
    also: tuple[int, int] = (0, 0)


class Heard:
    """An utterance in one language of a house.

    Attributes:
        tokens, words: what was heard.
        text: the utterance, for free words.
        weights: what leaving each token unexplained costs.
        kinds: ``filler``, ``small``, ``light``, ``pole``, ``talk``, ``negation``, ``number``, ``content`` or ``unknown``.
        steps: for every token, the words of the house that start there.
    """

    def __init__(self, tokens: Sequence[Token], lexicon: Lexicon, things: Things, text: str = "") -> None:
        self.text = text
        self.lexicon, self._things = lexicon, things
        self.tokens = tuple(tokens)
        self.words = tuple(t.word for t in self.tokens)
        self.steps: list[list[Step]] = lexicon.vocabulary.steps(self.words)
        self.quantities: tuple[Quantity, ...] = lexicon.numbers.read(self.tokens)
        self.degree = 1.0
        self.times, self.times_at = 0.0, -1
        self.kinds, self.weights = self._weigh()
        if self.times:
            self._add_measures()
        joiners = {w for name in ("and", "except") for w in lexicon.language.phrases("grammar", name).by_first}
        skips = [
            w if k in ("filler", "small", "aside") and word not in joiners else math.inf
            for k, w, word in zip(self.kinds, self.weights, self.words, strict=True)
        ]
        self.atoms: list[list[Atom]] = lexicon.atoms(self.words, self.steps, skips)
        self._expressions: list[Expression] | None = None
        self._devices: dict[tuple[str, ...], list[Candidate]] = {}
        self._values: dict[int, list[Candidate]] = {}
        self._prefix = [0.0]
        for weight in self.weights:
            self._prefix.append(self._prefix[-1] + weight)

    def weight(self, start: int, end: int) -> float:
        """What the tokens from ``start`` to ``end`` weigh together."""
        return self._prefix[end] - self._prefix[start]

    def scaled(self, value: Value) -> Value:
        """A default amount of change, more or less of it where "a lot" or "slightly" was said."""
        return value if isinstance(value, str) else tidy(value * self.degree)

    def _add_measures(self) -> None:
        """In "double the brightness" the measure stands for the direction."""
        known = self.lexicon.vocabulary.words
        for at, word in enumerate(self.words):
            said = self.lexicon.language.section("amounts").get("measures", {}).get(word)
            if said in known:
                self.steps[at].append(Step(at, at + 1, said, TOWARD, "stands for"))

    def written(self, start: int, end: int) -> str:
        """The tokens from ``start`` to ``end`` as they were written, so that "don't" stays what it was."""
        if not self.text:
            return " ".join(self.words[start:end])
        return " ".join(self.text[self.tokens[start].start : self.tokens[end - 1].end].split())

    # --- weights ----------------------------------------------------------------------------------------------------

    def _weigh(self) -> tuple[list[str], list[float]]:
        language, words = self.lexicon.language, self.words
        known = self.lexicon.vocabulary.words
        kinds = [""] * len(words)
        at = 0
        while at < len(words):
            ignored = self.lexicon.ignored.at(words, at)
            filler = max(language.filler.at(words, at), ignored)
            negation, talk = language.negation.at(words, at), language.talk.at(words, at)
            times, factor = self._times(at)
            if times > max(filler, negation, talk):
                self.times, self.times_at = factor, at
                kinds[at : at + times] = ["filler"] * times
                self.quantities = tuple(q for q in self.quantities if q.end <= at or q.start >= at + times)
                at += times
                continue
            degree, share = self._degree(at)
            if degree >= max(filler, negation, talk, 1):
                self.degree = share
                kinds[at : at + degree] = ["filler"] * degree
                at += degree
                continue
            length = max(filler, negation, talk)
            if filler and filler == length and not (filler == 1 and words[at] in known and not ignored):
                kind = "filler"
            elif negation and negation == length:
                kind = "negation"
            elif talk and talk == length and not (talk == 1 and words[at] in known and words[at] not in language.question):
                kind = "talk"
            else:
                kind, length = self._one(at, known), 1
            for here in range(at, at + length):
                kinds[here] = kind
            at += length
        for quantity in self.quantities:
            if quantity.cost < HOMOPHONE:
                for here in range(quantity.start, quantity.end):
                    if kinds[here] != "pole" or quantity.end - quantity.start > 1:
                        kinds[here] = "number"
        weights = [self._weight_of(kind) for kind in kinds]
        if self.lexicon.house.matching.filler != 1:
            factor = self.lexicon.house.matching.filler
            weights = [w * factor if k == "filler" else w for k, w in zip(kinds, weights, strict=True)]
        self._number_weights(kinds, weights)
        self._asides(kinds, weights)
        self._said_twice(kinds, weights)
        return kinds, weights

    def _times(self, at: int) -> tuple[int, float]:
        """How many words ask for a multiple of what it is now, and which: "twice as"."""
        following = at + 1 < len(self.words)
        for factor, phrases in self.lexicon.multiples:
            length = phrases.at(self.words, at)
            if length and following and not any(q.start <= at < q.end and q.end > at + length for q in self.quantities):
                return length, factor
        return 0, 0.0

    def _degree(self, at: int) -> tuple[int, float]:
        """How many words say by how much, and the share of the usual amount: "a lot", "slightly"."""
        best = (0, 1.0)
        for name, share in (("usual", 1.0), ("little", LITTLE), ("lot", LOT)):
            length = self.lexicon.language.phrases("amounts", name).at(self.words, at)
            if length > best[0]:
                best = length, share
        return best

    def _one(self, at: int, known: frozenset[str]) -> str:
        language, word = self.lexicon.language, self.words[at]
        if word in language.small:
            return "small"
        if word in language.light:
            return "light"
        if word in language.poles:
            return "pole"
        if word in known:
            return "content"
        if self._tells(word):
            return "talk"
        if self.steps[at] and self.steps[at][0].cost < 0.2:
            return "content"
        return "unknown"

    def _tells(self, word: str) -> bool:
        """Whether a word is a form of a verb that tells of something rather than ordering it: turned, turning, turns."""
        return self.lexicon.language.tag.startswith("en") and told_form(word, self.lexicon.language.verbs)

    @staticmethod
    def _weight_of(kind: str) -> float:
        return {
            "filler": FILLER, "small": SMALL, "light": LIGHT, "pole": POLE, "talk": TALK, "negation": NEGATION, "content": CONTENT,
        }.get(kind, UNKNOWN)  # fmt: skip

    def _number_weights(self, kinds: list[str], weights: list[float]) -> None:
        """A number weighs the same however many words it takes."""
        for quantity in self.quantities:
            places = [i for i in range(quantity.start, quantity.end) if kinds[i] == "number"]
            for place in places:
                weights[place] = NUMBER / len(places)

    def _asides(self, kinds: list[str], weights: list[float]) -> None:
        grammar = self.lexicon.language.section("grammar")
        movable = frozenset(grammar.get("after_number_only", ()))
        directions = frozenset(grammar.get("directions", ()))
        articles, absolute = self.lexicon.articles, frozenset(grammar.get("absolute", ()))
        numbers = {i for i, k in enumerate(kinds) if k == "number"}
        for at, word in enumerate(self.words):
            if word not in movable or kinds[at] not in ("pole", "small"):
                continue
            following = self.words[at + 1] if at + 1 < len(self.words) else ""
            before_article = (
                following in articles
                and at > 0
                and (
                    at - 1 in numbers
                    or kinds[at - 1] in ("content", "unknown")
                    or (kinds[at - 1] == "pole" and self._leads(self.words[at - 1], word, movable))
                )
            )
            up_to = word in directions and following in absolute and (at + 2 in numbers or at + 3 in numbers)
            if before_article or up_to or (at - 1 in numbers and following):
                kinds[at], weights[at] = "aside", ASIDE

    def _leads(self, before: str, word: str, movable: frozenset[str]) -> bool:
        """Whether a direction such as "brighter" may stand before a preposition."""
        return before not in movable and not self.lexicon.language.opposite(before, word)

    def _said_twice(self, kinds: list[str], weights: list[float]) -> None:
        """A false start: the first of two same runs costs next to nothing; numbers, negations and poles are left alone."""
        count = len(self.words)
        for size in (4, 3, 2, 1):
            for at in range(count - size):
                for gap in (0, 1, 2):
                    again = at + size + gap
                    if again + size > count or self.words[at : at + size] != self.words[again : again + size]:
                        continue
                    if any(kinds[i] not in ("filler", "small") for i in range(at + size, again)):
                        continue
                    if any(
                        kinds[i] in ("number", "negation", "talk") or (kinds[i] == "pole" and size == 1 and gap)
                        for i in range(at, at + size)
                    ):
                        continue
                    for here in range(at, at + size):
                        if kinds[here] != "twice":
                            kinds[here], weights[here] = "twice", min(weights[here], SAID_TWICE)
        content = {w: i for i, w in enumerate(self.words) if kinds[i] in ("content", "light")}
        for at, word in enumerate(self.words):
            if kinds[at] in ("content", "light") and content[word] != at:
                weights[at] = min(weights[at], 0.3)

    # --- devices ----------------------------------------------------------------------------------------------------

    @property
    def expressions(self) -> list[Expression]:
        """Every device expression of the utterance."""
        if self._expressions is None:
            found = self._things.expressions(self.words, self.atoms)
            self._expressions = found + self._corrected_things(found)
        return self._expressions

    def _corrected_things(self, found: list[Expression]) -> list[Expression]:
        """ "the galley lamp no the saloon lamp": the last one counts."""
        corrections = self.lexicon.numbers.corrections
        corrected = []
        if any(w in corrections.by_first for w in self.words):
            for one in found:
                for other in found:
                    between = [w for w in self.words[one.end : other.start] if w not in self.lexicon.articles]
                    if between and corrections.whole(between):
                        corrected.append(replace(other, start=one.start, cost=other.cost + 0.05))
        return corrected

    def devices(self, properties: tuple[str, ...], most: int = 8) -> list[Candidate]:
        """Device candidates among the devices that have all the properties, best first."""
        known = self._devices.get(properties)
        if known is not None:
            return known
        best: dict[tuple[object, ...], tuple[Candidate, int]] = {}
        for expression in self.expressions:
            devices = self._things.resolve(expression, properties)
            if devices is None:
                continue
            key = (expression.start, expression.end, expression.also, devices.ids, devices.which)
            if key not in best or (expression.cost, expression.rank) < (best[key][0].cost, best[key][1]):
                said = tuple(s.word for s in expression.steps)
                cost = round(expression.cost, 6)
                made = Candidate(
                    expression.start,
                    expression.end,
                    devices.ids,
                    cost,
                    "device",
                    devices=devices,
                    said=said,
                    steps=expression.steps,
                    also=expression.also,
                )
                best[key] = made, expression.rank
        spans: dict[tuple[object, ...], list[tuple[Candidate, int]]] = {}
        for made, rank in best.values():
            spans.setdefault((made.start, made.end, made.also), []).append((made, rank))
        kept = [c for readings in spans.values() for c in _in_order(_in_right_room(readings))]
        kept = [c for c in kept if not any(_inside(c, o) and o.cost <= c.cost + 0.15 for o in kept)]
        kept.sort(key=lambda c: (c.cost - self.weight(c.start, c.end) - self.weight(*c.also), c.start, c.value))
        self._devices[properties] = kept[:most]
        return self._devices[properties]

    def rooms(self) -> list[Candidate]:
        """Rooms that are named."""
        return [
            Candidate(a.start, a.end, a.entry.ids[0], a.cost, "room", said=tuple(s.word for s in a.steps), steps=a.steps)
            for atoms in self.atoms
            for a in atoms
            if a.entry.kind == "room"
        ]

    # --- values -----------------------------------------------------------------------------------------------------

    def values(self, spec: int, most: int = 10) -> list[Candidate]:
        """Candidates for a slot or property of one specification, best first."""
        known = self._values.get(spec)
        if known is not None:
            return known
        values = self.lexicon.specs[spec]
        found: list[Candidate] = [
            Candidate(a.start, a.end, a.entry.value, a.cost, "named value", said=tuple(s.word for s in a.steps), steps=a.steps)
            for atoms in self.atoms
            for a in atoms
            if a.entry.kind == "value" and a.entry.spec == spec and a.entry.value is not None
        ]
        if values.type == "colour":  # the "lights" of "string lights grey" is no "light grey"
            found = [c for c in found if all(s.why != "another form of" for s in c.steps)]
        if values.type in ("switch", "choice", "colour"):
            found += self._corrected_values(found)
        if values.type == "number":
            found += [c for q in self.quantities if (c := self.fit(q, values)) is not None]
        elif values.type == "digits":
            found += self._digits()
        elif values.type == "words":
            count = len(self.words)
            ends = range(1, count + 1) if count <= 14 else (count,)
            found += [Candidate(i, j, self.written(i, j), 0.0, "words") for i in range(count) for j in ends if i < j]
            most = 120
        found.sort(key=lambda c: (c.cost - self.weight(c.start, c.end), c.start, str(c.value)))
        self._values[spec] = found[:most]
        return self._values[spec]

    def _corrected_values(self, found: list[Candidate]) -> list[Candidate]:
        corrections = self.lexicon.numbers.corrections
        if not any(w in corrections.by_first for w in self.words):
            return []
        return [
            replace(other, start=one.start, cost=other.cost + 0.05)
            for one in found
            for other in found
            if other.start > one.end and corrections.whole(self.words[one.end : other.start])
        ]

    def _digits(self) -> list[Candidate]:
        found = []
        at = 0
        while at < len(self.tokens):
            digits = self.lexicon.numbers.digits(self.tokens, at)
            if digits is None:
                at += 1
                continue
            found.append(Candidate(at, digits[0], digits[1], 0.0, "digits"))
            at = digits[0]
        return found

    def fit(self, quantity: Quantity, values: Values) -> Candidate | None:
        """A quantity as a value of a slot: its unit converted, its range looked at, rounded to the slot's step."""
        number, cost, unit = float(quantity.value), quantity.cost, quantity.unit
        why = quantity.note if quantity.note and not quantity.note.startswith("x") else "number"
        if quantity.share and values.unit == "percent" and values.ranged:
            low, high = values.limits()
            low = 0.0 if low == 1 else low  # a range that only leaves out 0
            number = low + number * (high - low)
        elif values.duration:
            if not unit:
                number *= values.factor
            elif unit != "seconds":
                cost += UNIT_MISFIT
        elif values.unit in ("celsius", "fahrenheit"):
            if unit == "fahrenheit":
                number = number * 5 / 9 if values.difference else (number - 32) * 5 / 9
            elif unit not in ("", "celsius", "degrees"):
                cost += UNIT_MISFIT
        elif values.unit == "degrees":
            if unit not in ("", "celsius", "degrees"):
                cost += UNIT_MISFIT
        elif unit and unit != values.unit:
            cost += UNIT_MISFIT
        if not math.isfinite(number):
            return None
        value = values.nearest(number)
        outside = not values.within(value)
        if outside and values.outside == "clamp":
            value, outside = values.clamp(value), False
        return Candidate(quantity.start, quantity.end, value, round(cost + (OUT_OF_RANGE if outside else 0), 6), why, outside)


def told_form(word: str, verbs: Iterable[str]) -> bool:
    """Whether a word is an -ed, -ing or -s form of one of the verbs.

    >>> told_form("turned", {"turn"}), told_form("dimming", {"dim"}), told_form("bed", {"b"})
    (True, True, False)
    """
    known = verbs if isinstance(verbs, (set, frozenset)) else frozenset(verbs)
    for ending in ("ed", "ing", "es", "s", "d"):
        if word.endswith(ending) and len(word) - len(ending) >= 2:
            stem = word[: -len(ending)]
            doubled = len(stem) > 2 and stem[-1] == stem[-2] and stem[:-1] in known
            if stem in known or (ending in ("ed", "ing") and stem + "e" in known) or doubled:
                return True
    return False


def _in_right_room(readings: list[tuple[Candidate, int]]) -> list[tuple[Candidate, int]]:
    """Readings that put a device in a room where it is not only count where no other reading is."""
    right = [r for r in readings if r[0].devices is not None and not r[0].devices.wrong_room]
    return right or readings


def _in_order(readings: list[tuple[Candidate, int]]) -> list[Candidate]:
    """Of the readings of the same words, those that no other goes before: a name before a group, a group before a noun.

    Beside the first one only those are kept that guess other words by their sound.
    """
    least = min(c.cost for c, _ in readings)
    first = min((r for r in readings if r[0].cost <= least + 0.03), key=lambda r: (r[1], r[0].cost))[0]
    return [first, *(c for c, _ in readings if c is not first and _guesses(c) - _guesses(first))]


def _guesses(candidate: Candidate) -> set[tuple[int, str]]:
    """The words of the house that were only guessed by sound, and where."""
    return {(s.start, s.word.removesuffix("s")) for s in candidate.steps if "sounds like" in s.why}


def _inside(one: Candidate, other: Candidate) -> bool:
    """Whether one candidate's tokens are some, not all, of the other's."""
    if one.also != other.also:
        return False
    return other.start <= one.start and one.end <= other.end and (other.end - other.start) > (one.end - one.start)


def prepare(text: str, lexicon: Lexicon) -> tuple[Token, ...]:
    """The tokens of a text as the matcher takes them: contractions folded, merged words taken apart, at most ``MOST_TOKENS`` + 1."""
    tokens = list(tokenize(text)[: MOST_TOKENS + 1])
    contractions = lexicon.language.contractions
    expansions = lexicon.language.section("expansions")
    known = lexicon.vocabulary.words
    found: list[Token] = []
    at = 0
    while at < len(tokens):
        pair = (tokens[at].word, tokens[at + 1].word) if at + 1 < len(tokens) else None
        if pair is not None and pair in contractions and pair[0] not in known:
            for word in contractions[pair]:
                found.append(Token(word, tokens[at].start, tokens[at + 1].end))
            at += 2
            continue
        token = tokens[at]
        written = text[token.start : token.end].lower().replace("’", "'")
        expanded = expansions.get(written) or expansions.get(token.word)
        if expanded and token.word not in known and all(w in known for w in expanded):
            found += [Token(w, token.start, token.end) for w in expanded]
            at += 1
            continue
        parts = lexicon.vocabulary.split(token.word) if token.number is None else None
        if parts is not None:
            half = token.start + len(parts[0])
            found += [
                Token(parts[0], token.start, min(half, token.end)),
                Token(parts[1], min(half, token.end), token.end, None, True),
            ]
        else:
            found.append(token)
        at += 1
    return tuple(found)
