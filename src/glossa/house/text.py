"""How written text is folded before anything is compared.

Case, accents and punctuation don't matter, and an apostrophe joins.  Folding follows Unicode normalisation form KD
(Unicode Standard Annex #15) with combining marks removed, and full case folding (Unicode, section 3.13).
"""

from __future__ import annotations

import re
import unicodedata
from functools import lru_cache

_APOSTROPHES = re.compile(r"['’‘ʼ`´]")
ELIDED = r"(?:[ldnsjmtcLDNSJMTC]|[Qq]u|[Jj]usqu|[Ll]orsqu|[Pp]uisqu|[Qq]uoiqu|(?:[Dd]|[Nn]|[Ss]u|[Dd]a)?[Ee]?[Aa]?ll|[Uu]n)['’ʼ](?=[aeiouhAEIOUHàâäéèêëîïôöùûüÀÂÄÉÈÊËÎÏÔÖÙÛÜœŒ]|[yY](?!\w))"
"""A small word that lost its vowel before another one: the "l'" of "l'ampoule". English has none of these at the beginning of a word."""
_ELIDED = re.compile(rf"(?<![\w'’ʼ]){ELIDED}")
_NOT_WORD = re.compile(r"[^\w]+", re.UNICODE)
_DIGITS_MEET_LETTERS = re.compile(r"(?<=\d)(?=[^\W\d_])|(?<=[^\W\d_])(?=\d)")
_KEPT = "\u200c\u200d\u00a0\u202f\u3000\u00ad"
"""Joiners, and spaces that Python counts as not printable."""
_LIGATURES = str.maketrans({"œ": "oe", "æ": "ae", "ø": "o", "đ": "d", "ł": "l", "ı": "i", "þ": "th", "ð": "d"})
"""Letters that Unicode takes for letters of their own, and people write without."""
_NOT_IDENTIFIER = re.compile(r"[^a-z0-9]+")


def fold(text: str) -> str:
    """Case-folded text without accents; nothing else is changed.

    >>> fold("Café ÖL")
    'cafe ol'
    """
    if text.isascii():
        return text.lower()
    decomposed = unicodedata.normalize("NFKD", text.casefold().translate(_LIGATURES))
    return "".join(c for c in decomposed if not unicodedata.combining(c)).casefold()


@lru_cache(maxsize=8192)
def words(text: str) -> tuple[str, ...]:
    """The folded words of a text; apostrophes join but for elisions, other punctuation separates, and digits stand apart from letters.

    >>> words("Don't touch the Bar-Light!"), words("hdmi2"), words("l'ampoule")
    (('dont', 'touch', 'the', 'bar', 'light'), ('hdmi', '2'), ('l', 'ampoule'))
    """
    text = _ELIDED.sub(lambda m: m[0][:-1] + " ", text)
    joined = _DIGITS_MEET_LETTERS.sub(" ", _APOSTROPHES.sub("", fold(text)))
    return tuple(w for w in _NOT_WORD.sub(" ", joined).replace("_", " ").split() if w)


def printable(text: str) -> str:
    """A text without characters that do something instead of being seen; a space stands for each.

    Those are controls (C0, C1 and DEL), marks that turn the direction of writing, surrogates, and code points that are no
    characters (The Unicode Standard, sections 23.1, 23.2, 23.6 and 23.7). Joiners within a word stay.

    >>> printable("lamp\u001b[2J on\ufffe")
    'lamp [2J on '
    """
    if text.isprintable():
        return text
    return "".join(c if c.isprintable() or c in _KEPT else " " for c in text)


def identifier(name: str) -> str:
    """An id made from a name: lower case, accents dropped, ``_`` for every run of other characters.

    >>> identifier("Old  Café!")
    'old_cafe'
    """
    return _NOT_IDENTIFIER.sub("_", fold(name)).strip("_")


def many(number: int, thing: str) -> str:
    """A number of things as a person writes it.

    >>> many(1, "phrase"), many(2_000, "finding")
    ('1 phrase', '2,000 findings')
    """
    return f"{number:,} {thing}{'s' * (number != 1)}"
