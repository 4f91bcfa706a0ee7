"""Numbers in words, as a grammar has to list them."""

from __future__ import annotations

from decimal import Decimal

from glossa.house.text import words as folded
from glossa.language import Language

GROUP = 1000


def in_words(number: float, language: Language) -> str:
    """A number as it is said, ``""`` where the language has no words for it.

    >>> from glossa.language import load_language
    >>> in_words(-42, load_language("en")), in_words(21.5, load_language("en"))
    ('minus forty two', 'twenty one point five')
    """
    lists = language.numbers
    if number < 0:
        return " ".join((lists.minus[0], rest)) if lists.minus and (rest := in_words(-number, language)) else ""
    whole, _, decimals = f"{Decimal(repr(number)):f}".partition(".")
    said = _whole(int(whole), language)
    if not decimals.strip("0") or not said:
        return said
    digits = [_whole(int(d), language) for d in decimals.rstrip("0")]
    return " ".join((said, lists.point[0], *digits)) if lists.point and all(digits) else ""


def _whole(number: int, language: Language) -> str:
    """A whole number from 0 on: groups of three digits, each before the word of its scale."""
    if number < GROUP:
        return _below_1000(number, language)
    many, rest = divmod(number, GROUP)
    scale = next((w for w, n in language.numbers.scales.items() if n == GROUP), language.numbers.thousand)
    if many >= GROUP or not scale:
        return ""
    alone = many == 1 and scale == language.numbers.thousand
    return " ".join(p for p in ("" if alone else _below_1000(many, language), scale, _whole(rest, language) if rest else "") if p)


def _below_1000(number: int, language: Language) -> str:
    lists = language.numbers
    if lists.whole is not None:
        return _composed(language).get(number, "")
    ones = {n: w for w, n in reversed(lists.ones.items())}
    tens = {n: w for w, n in reversed(lists.tens.items())}
    hundreds, rest = divmod(number, 100)
    if hundreds and (hundreds not in ones or not lists.hundred):
        return ""
    parts = [ones[hundreds], lists.hundred[0]] if hundreds else []
    if rest in ones:
        parts += [ones[rest]] if rest or not hundreds else []
    elif rest // 10 * 10 in tens:
        parts += [tens[rest // 10 * 10], *([ones[rest % 10]] if rest % 10 else [])]
    else:
        return ""
    return " ".join(parts)


_COMPOSED: dict[str, dict[int, str]] = {}


def _composed(language: Language) -> dict[int, str]:
    if language.tag not in _COMPOSED:
        assert language.numbers.whole is not None
        found: dict[int, str] = {}
        for said, number in language.numbers.whole.table().items():
            if number not in found or said in {folded(w) for w in language.numbers.whole.alone}:
                found[number] = " ".join(said)
        _COMPOSED[language.tag] = found
    return _COMPOSED[language.tag]
