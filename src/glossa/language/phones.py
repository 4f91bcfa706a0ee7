"""How words sound, and how near two words are to each other by letters and by phones.

Phones are ARPAbet symbols without stress.  The rules of a language are a table in the package's data; a language that has
none is compared by its folded spelling.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from importlib import resources

from msgspec import Struct

from glossa.house.recogniser import USUAL, Sounds
from glossa.house.text import fold

Phones = tuple[str, ...]

# Classes of phones in which a swap is cheap: made with the same parts of the mouth, apart from the voice or the manner.
_CLASSES = (
    ("P", "B"), ("T", "D"), ("K", "G"), ("F", "V"), ("S", "Z"), ("TH", "DH"), ("SH", "ZH"), ("CH", "JH"),
    ("M", "N", "NG"), ("L", "R"), ("W", "V"), ("F", "TH"), ("V", "DH"), ("S", "SH"), ("Z", "ZH"), ("T", "CH"), ("D", "JH"), ("D", "DH"), ("T", "TH"), ("S", "TH"),
)  # fmt: skip
VOWELS = frozenset(
    ("AA", "AE", "AH", "AO", "AW", "AY", "EH", "ER", "EY", "IH", "IY", "OW", "OY", "UH", "UW", "a", "e", "i", "o", "u", "y")
)
_NEAR_VOWELS = (
    ("AA", "AO", "AH"), ("AE", "EH"), ("EH", "IH"), ("IH", "IY"), ("UH", "UW"), ("AH", "UH"), ("AH", "IH"), ("AH", "ER"), ("OW", "AO"), ("EY", "EH"), ("AA", "AE"), ("AH", "AE"), ("AH", "EH"),
    ("AY", "AA"), ("AW", "AA"), ("OY", "AO"), ("ER", "EH"),
)  # fmt: skip
SAME_CLASS, NEAR_VOWEL, ANY_VOWEL, OTHER = 0.35, 0.35, 0.6, 1.0
SMALL_GAP = 0.55
"""Price of a phone that is easily lost or added: H, a glide, a weak vowel, R and L behind a vowel, T and D beside another consonant."""

_WEAK = frozenset(("HH", "AH", "Y", "W", "h"))


def _swaps() -> dict[tuple[str, str], float]:
    prices = {(a, b): ANY_VOWEL for a in VOWELS for b in VOWELS}
    for group, price in (*((g, SAME_CLASS) for g in _CLASSES), *((g, NEAR_VOWEL) for g in _NEAR_VOWELS)):
        for a in group:
            for b in group:
                prices[a, b] = price
                prices[a.lower(), b.lower()] = price
    return prices


_SWAP = _swaps()


class SoundPrices:
    """What it costs, 0 to 1, to take one phone, or letter, for another, and to leave one out.

    Args:
        sounds: of a recogniser, whose own prices go before the usual ones, in both directions.
    """

    def __init__(self, sounds: Sounds = USUAL.sounds) -> None:
        own = {(a, b): price for key, price in sounds.swapped.items() for a, b in [key.split()]}
        self._swaps = {**_SWAP, **own, **{(b, a): price for (a, b), price in own.items()}}
        self._gaps = dict(sounds.lost)

    def swap(self, one: str, other: str) -> float:
        """The price of one phone, or letter, for another."""
        return 0.0 if one == other else self._swaps.get((one, other), OTHER)

    def gap(self, phones: Sequence[str], at: int) -> float:
        """The price of leaving out the phone at ``at``."""
        phone = phones[at]
        if phone in self._gaps:
            return self._gaps[phone]
        if phone in _WEAK:
            return SMALL_GAP
        if phone in ("R", "L") and at and phones[at - 1] in VOWELS:
            return SMALL_GAP
        if phone in ("T", "D", "t", "d"):
            beside = (*phones[max(0, at - 1) : at], *phones[at + 1 : at + 2])
            if any(b not in VOWELS for b in beside):
                return SMALL_GAP
        return 1.0


PLAIN = SoundPrices()


@lru_cache(maxsize=65536)
def distance(one: Phones, other: Phones) -> float:
    """How far two sequences of phones, or letters, are apart: 0 for the same, 1 for nothing in common.

    A weighted edit distance (Wagner and Fischer, 1974) over the length of the longer one.

    >>> distance(("K", "AE", "T"), ("K", "AE", "T"))
    0.0
    """
    if one == other:
        return 0.0
    longest = max(len(one), len(other))
    if not one or not other:
        return 1.0
    gaps = [PLAIN.gap(other, j) for j in range(len(other))]
    row = [0.0]
    for gap in gaps:
        row.append(row[-1] + gap)
    for i, mine in enumerate(one):
        skip = PLAIN.gap(one, i)
        left = row[0] + skip
        new = [left]
        for j, theirs in enumerate(other):
            cost = row[j] if mine == theirs else row[j] + _SWAP.get((mine, theirs), OTHER)
            up = row[j + 1] + skip
            left += gaps[j]
            if up < cost:
                cost = up
            if left < cost:
                cost = left
            left = cost
            new.append(cost)
        row = new
    return min(1.0, row[-1] / longest)


class _Rule(Struct, frozen=True):
    before: re.Pattern[str] | None
    letters: str
    after: re.Pattern[str] | None
    phones: Phones


_VOWEL = "aeiouyàáâäåèéêëìíîïòóôöùúûüœæø"
_PARTS = {
    "^": "$", "V": f"[{_VOWEL}]+", "C": f"[^{_VOWEL}\\W]", "*": f"[^{_VOWEL}\\W]*", "+": "[eiyéèêëîï]", ".": "[bdgjlmnrvwz]",
    "S": "(?:e|es|ed|er|ers|ely|ing|ings)$", " ": "",
}  # fmt: skip
_LINE = re.compile(r"^(?P<before>[^\[]*)\[(?P<letters>[^\]\s]+)\](?P<after>[^=]*)=(?P<phones>.*)$")


class _Rules(dict[str, tuple[_Rule, ...]]):
    """The rules that may hold where a word goes on with two letters, in their order; found once for each pair."""

    def __init__(self, rules: Sequence[_Rule]) -> None:
        super().__init__()
        self._all = rules
        self.letters = frozenset(c for r in rules for c in r.letters)

    def __missing__(self, pair: str) -> tuple[_Rule, ...]:
        held = self[pair] = tuple(r for r in self._all if pair.startswith(r.letters[:2]))
        return held


@lru_cache(maxsize=8)
def _rules(tag: str) -> _Rules | None:
    file = resources.files("glossa.language") / "data" / f"{tag.split('-')[0].lower()}.sounds"
    found: list[_Rule] = []
    if not file.is_file():
        return None
    for line in file.read_text(encoding="utf-8").splitlines():
        rule = _LINE.match(line) if line and not line.startswith("#") else None
        if rule:
            before = "".join("^" if c == "^" else _PARTS.get(c, c) for c in rule["before"].strip())
            after = "".join(_PARTS.get(c, c) for c in rule["after"].strip())
            phones = tuple(p for p in rule["phones"].split() if p != "-")
            compiled = (re.compile(f"(?:{before})$") if before else None, re.compile(after) if after else None)
            found.append(_Rule(compiled[0], rule["letters"], compiled[1], phones))
    return _Rules(found)


@lru_cache(maxsize=16384)
def phones(word: str, tag: str = "en") -> Phones:
    """The phones of a word in lower case; its letters where the language has no rules. An accent counts where a rule has it.

    >>> phones("lamp"), phones("fence")
    (('L', 'AE', 'M', 'P'), ('F', 'EH', 'N', 'S'))
    """
    word = word[:40]
    rules = _rules(tag)
    if rules is None:
        return tuple(word)
    if not word.isascii():
        word = "".join(c if c in rules.letters else fold(c) for c in word)
    found: list[str] = []
    at = 0
    while at < len(word):
        for rule in rules[word[at : at + 2]]:
            end = at + len(rule.letters)
            if end > at + 2 and not word.startswith(rule.letters, at):
                continue
            before, after = rule.before, rule.after
            if (after is None or after.match(word, end)) and (before is None or before.search(word[:at])):
                found += rule.phones
                at = end
                break
        else:
            if word[at].isdigit():
                found.append(word[at])
            at += 1
    return tuple(found)


@lru_cache(maxsize=16384)
def letters(word: str) -> Phones:
    """The letters of a word, doubled ones once."""
    word = word[:40]
    return tuple(c for i, c in enumerate(word) if i == 0 or word[i - 1] != c)


def apart(one: str, other: str, tag: str = "en", sounds: tuple[Phones, Phones] | None = None) -> float:
    """How far two words are apart, 0 to 1: the smaller of a distance by phones and one by letters, with some of the other.

    Args:
        one, other: folded words.
        tag: BCP 47 tag of the language.
        sounds: their phones, where they are known already, as for a respelt word.
    """
    heard, said = sounds or (phones(one, tag), phones(other, tag))
    by_sound = distance(heard, said)
    by_letter = distance(letters(one), letters(other))
    near, far = sorted((by_sound, by_letter))
    return 0.8 * near + 0.2 * far
