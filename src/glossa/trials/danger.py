"""The errors that lead to another action, grouped by what was misheard, with what would help."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

from msgspec import Struct

from glossa.hearing.house_words import words_of
from glossa.hearing.lexicon import Lexicon
from glossa.house.model import House
from glossa.house.sorts import NumberValues
from glossa.language import language_of, plural
from glossa.language.phones import apart, phones
from glossa.matching import Matcher
from glossa.trials.every import OUTCOMES, Mishap, one_error_away

NEAR = 0.34
"""Names that are further apart by sound are not taken for each other often enough to be told of beforehand."""

NUMBERS = "a number"
SHORT = 3
"""A word of no more sounds is easily taken for another one."""


class Danger(Struct, frozen=True):
    """Everything that one word leads to when it is misheard; all numbers together are one.

    Attributes:
        said: what was said, ``""`` for what was added.
        heard: what was heard instead, the likeliest first; ``""`` for nothing.
        outcome: ``opposite action`` or ``another action``.
        weight: how likely the errors are together.
        mishaps: the errors, the likeliest first.
        helps: what would help, each in a few words.
        named: whether different things of the house are named with what was said and with what was heard.
    """

    said: str
    heard: tuple[str, ...]
    outcome: str
    weight: float
    mishaps: tuple[Mishap, ...]
    helps: tuple[str, ...]
    named: bool = False

    def examples(self, most: int) -> list[Mishap]:
        """So many of the errors, each of another word that was heard as far as there are such."""
        first: dict[tuple[str, str], Mishap] = {}
        for mishap in self.mishaps:
            first.setdefault((mishap.slip.said, mishap.slip.heard), mishap)
        return list(first.values())[:most]


def dangers(house: House, mishaps: Iterable[Mishap]) -> list[Danger]:
    """Mishaps grouped by what was misheard: what does the opposite first, then one thing of the house for another, the likeliest first.

    Args:
        house: the house.
        mishaps: of :func:`~glossa.trials.every.every_error`, in their order.
    """
    advice = {tag: _Advice(house, tag) for tag in house.languages}
    groups: dict[tuple[str, str, str, bool], list[Mishap]] = {}
    for mishap in mishaps:
        slip, known = mishap.slip, advice[mishap.language]
        cause = NUMBERS if slip.sort == "twin" or known.numbers(slip.said, slip.heard) else slip.said
        named = known.named_apart(slip.said, slip.heard)
        groups.setdefault((mishap.language, cause or f"+{slip.heard}", mishap.outcome, named), []).append(mishap)
    found = []
    for (tag, cause, outcome, named), group in groups.items():
        heard: dict[str, float] = {}
        for mishap in group:
            what = f"{mishap.slip.said}/{mishap.slip.heard}" if cause == NUMBERS else mishap.slip.heard
            heard[what] = heard.get(what, 0.0) + mishap.slip.likelihood
        likeliest = tuple(sorted(heard, key=lambda w: (-heard[w], w)))
        weight = round(sum(heard.values()), 4)
        said = "" if cause.startswith("+") else cause
        helps = tuple(dict.fromkeys(advice[tag].of(group, named)))
        found.append(Danger(said, likeliest, outcome, weight, tuple(group), helps, named))
    return sorted(found, key=lambda d: (-OUTCOMES.index(d.outcome), not d.named, -d.weight, d.said, d.heard))


def certain_dangers(house: House, matcher: Matcher, tag: str, known: str = "") -> Iterator[tuple[str, str, str, str, str]]:
    """What is only one misheard word away, as findings: their place, name, what, why and what to do instead.

    Args:
        house: the house.
        matcher: of the house.
        tag: the language.
        known: what was found already; of words that are both in it nothing is told.
    """
    told = set(known.replace("“", " ").replace("”", " ").split())
    for danger in dangers(house, one_error_away(house, matcher, tag)):
        first = danger.mishaps[0]
        opposite = danger.outcome == OUTCOMES[-1]
        far = apart(first.slip.said, first.slip.heard, tag) > NEAR
        if not opposite and (not danger.named or far or {first.slip.said, first.slip.heard} <= told):
            continue
        if all(_guarded(house, m.wanted) for m in danger.mishaps):  # whoever is misheard finds the hatch locked, as it should be
            continue
        yield (
            first.where.split(":")[0],
            "opposite one error away" if opposite else "one error away",
            f"“{first.said}”, heard as “{first.heard}”, does {first.does}",
            f"a recogniser that mishears one word does {'the opposite' if opposite else 'something else'}",
            "; ".join(danger.helps) or "call one of the two otherwise",
        )


def _guarded(house: House, wanted: str) -> bool:
    """Whether what was wanted is what the household guards; its opposite is what it need not fear."""
    intents = [house.intents[i] for i in wanted.split("+") if i]
    return any(i.pin is not None or i.confirm == "always" for i in intents)


def worth_changing(found: Iterable[Danger]) -> list[tuple[str, float, int]]:
    """The words whose errors weigh most, with what they weigh together and how many they are, the worst first."""
    weights: dict[str, list[float]] = {}
    for danger in found:
        for mishap in danger.mishaps:
            for word in mishap.slip.said.split():
                kept = weights.setdefault(word, [0.0, 0])
                kept[0] += mishap.slip.likelihood
                kept[1] += 1
    return sorted(((w, round(a, 4), int(n)) for w, (a, n) in weights.items()), key=lambda w: (-w[1], w[0]))


class _Advice:
    """What would help against an error, from what the house file can say."""

    def __init__(self, house: House, tag: str) -> None:
        self.house, self.language = house, language_of(house, tag)
        lexicon = Lexicon(house, tag)
        self._owners: dict[str, list[str]] = {}
        for section, named in (("devices", house.devices), ("groups", house.groups)):
            for key, one in named.items():
                for name in lexicon.texts(one.names):
                    self._own(name, f"{section}.{key}")
        for key, names in house.rooms.items():
            for name in lexicon.texts(names):
                self._own(name, f"rooms.{key}")

    def _own(self, name: Sequence[str], owner: str) -> None:
        for word in name:
            owners = self._owners.setdefault(word, [])
            if owner not in owners:
                owners.append(owner)

    def of(self, group: Sequence[Mishap], named: bool) -> Iterator[str]:
        """What would help, the likeliest first."""
        first = group[0]
        intents = list(dict.fromkeys(i for m in group for i in m.got.split("+") if i))
        wanted = list(dict.fromkeys(i for m in group for i in m.wanted.split("+") if i))
        if first.slip.sort == "twin" or self.numbers(first.slip.said, first.slip.heard):
            yield from self._twins(intents)
            return
        if named:
            yield f"another name for what is named “{first.slip.said}”, or for what is named “{first.slip.heard}”"
        if first.outcome == "opposite action" or not first.wanted:
            unasked = [i for i in intents if self.house.intents[i].confirm != "always"]
            if unasked:
                yield f'confirm = "always" for {_listed(unasked)}'
        said = first.slip.said.split()
        if named or not said or not wanted or said[0] not in self._phrase_words(wanted):
            return
        if any(m.slip.heard for m in group):
            short = len(phones(said[0], self.language.tag)) <= SHORT
            yield f"something {'longer' if short else 'else'} for “{first.slip.said}” in the phrases of {_listed(wanted)}"
        else:
            yield f"phrases of {_listed(wanted)} that differ from others by more than “{first.slip.said}”"

    def _phrase_words(self, intents: Sequence[str]) -> set[str]:
        return words_of((self.house.intents[i] for i in intents), self.language.tag)

    def named_apart(self, said: str, heard: str) -> bool:
        """Whether different things of the house are named with two texts; the plural of a word is no other name."""
        if plural(said, self.language) == heard or plural(heard, self.language) == said:
            return False
        mine = {o for w in said.split() for o in self._owners.get(w, ())}
        others = {o for w in heard.split() for o in self._owners.get(w, ())}
        return bool(mine and others and mine != others)

    def numbers(self, *texts: str) -> bool:
        """Whether texts hold nothing but numbers."""
        known = self.language.number_words
        every = [w for text in texts for w in text.split() or [""]]
        return all(w.isdigit() or w in known for w in every)

    def _twins(self, intents: Sequence[str]) -> Iterator[str]:
        """The numbers of some intents that are not read back where another one sounds like them."""
        places = []
        for key in intents:
            intent = self.house.intents[key]
            for slot in intent.needs:
                if slot in self.house.slots:
                    owners = [(f"slots.{slot}", self.house.slots[slot])]
                else:
                    fit = [d for d in self.house.devices.values() if slot in d.properties]
                    owners = [(f"{d.kind or d.id}.{slot}", d.properties[slot].values) for d in fit]
                places += [p for p, v in owners if isinstance(v, NumberValues) and not v.doubt]
        if places:
            yield f'doubt = "ask" for {_listed(list(dict.fromkeys(places)))}'


def _listed(names: Sequence[str], most: int = 3) -> str:
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more
