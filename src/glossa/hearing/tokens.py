"""From a line of text to tokens: folded words that remember where they stood."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from fractions import Fraction
from functools import lru_cache

from msgspec import Struct
from msgspec.structs import replace

from glossa.house.text import ELIDED, fold

MOST_LETTERS = 10_000
"""Letters of an utterance that are looked at; what is beyond is not a command."""

LONGEST_WORD = 60
"""Letters of a word that are looked at, before and after folding: one character may stand for eighteen letters."""

MOST_TOKENS = 60
"""Tokens that one command can have; a longer line is talk."""


def _pieces(thousands: str) -> re.Pattern[str]:
    """Numbers, signs and words; a number may hold marks of thousands, and one mark of decimals."""
    mark = re.escape(thousands)
    other = re.escape("." if thousands == "," else ",")
    sign = r"(?:(?<![\w.,%°-])-(?=\d))?"
    return re.compile(
        rf"""(?P<number>{sign}\d+(?:{mark}\d{{3}})+(?:{other}\d+)?(?!\d)|{sign}\d+(?:[.,]\d+)?|(?<!\w)\.\d+)
          |(?P<percent>%|٪|°)|(?P<elided>(?<![\w'’ʼ]){ELIDED})|(?P<word>[^\W\d_]+(?:['’‘ʼ`´][^\W\d_]+)*['’]?)""",
        re.VERBOSE,
    )


_PIECES = {mark: _pieces(mark) for mark in (",", ".")}
_EXPONENT = re.compile(r"\d[\d.,]*[eE][+-]?\d+")
_FRACTION_SLASH = re.compile(r"\s*[/⁄]\s*")


_PLAIN, _RUN = re.compile(r"[a-zA-Z ]*"), re.compile(r"[^ ]+")
"""A line as most recognisers write it, nothing but words and spaces."""

_APOSTROPHE = re.compile(r"['’‘ʼ`´]")
DASHES = "−–—‐‑‒-"
"""The Unicode minus, the dashes that are written for it, and the hyphen."""
_DASHES = str.maketrans(DASHES, "-" * len(DASHES))


class Token(Struct, frozen=True, gc=False):
    """One word or number of an utterance.

    Attributes:
        word: the folded word; a number's digits as written, without separators.
        start, end: where it stood in the text, as character indices.
        number: the value of digits, else None. A fraction such as 1/2 is one token.
        glued: whether nothing stands between it and the token before, as in ``90s`` and ``75%``.
    """

    word: str
    start: int
    end: int
    number: float | None = None
    glued: bool = False


@lru_cache(maxsize=16)  # every package looks at the same utterance
def tokenize(text: str, thousands: str = ",") -> tuple[Token, ...]:
    """The tokens of a text; control characters and punctuation are dropped.

    Args:
        text: what was heard.
        thousands: the mark between the thousands of a number, ``,`` or ``.``; the other one is the mark of decimals.

    >>> [t.word for t in tokenize("Don't set it to 1,000 or 75%, please!")]
    ['dont', 'set', 'it', 'to', '1000', 'or', '75', 'percent', 'please']
    """
    text = text[:MOST_LETTERS]
    if _PLAIN.fullmatch(text):
        return tuple(Token(m[0][:LONGEST_WORD].lower(), *m.span()) for m in _RUN.finditer(text))
    text = text.translate(_DASHES)
    found: list[Token] = []
    last = -1
    exponents = [m.span() for m in _EXPONENT.finditer(text)] if "e" in text or "E" in text else []
    begun = {start for start, _ in exponents}
    inside = {at for span in exponents for at in range(*span)}
    plain = _without_small_numbers(text) if not text.isascii() else text
    for piece in _PIECES[thousands].finditer(plain):
        start, end = piece.span()
        if start in inside:
            if (found and found[-1].end == end) or start in begun:
                found.append(Token(fold(plain[start:end][:LONGEST_WORD]) + "e", start, end))
            continue
        glued = start == last
        last = end
        if piece.lastgroup == "number":
            token = _number(piece.group(), start, end, glued, thousands)
        elif piece.lastgroup == "percent":
            token = Token("degrees" if piece.group() == "°" else "percent", start, end, None, glued)
        else:
            token = Token(_folded(piece.group()[:LONGEST_WORD]), start, end, None, glued)
        if token.word:
            found.append(token)
    return tuple(_join_fractions(found, text))


@lru_cache(maxsize=8192)
def _folded(word: str) -> str:
    return _APOSTROPHE.sub("", fold(word))[:LONGEST_WORD]


def _without_small_numbers(text: str) -> str:
    """The text with ``½``, ``²`` and their like blanked out, each in its own place; fractions are put back as tokens."""
    return "".join(" " if unicodedata.category(c) == "No" else c for c in text)


def _number(written: str, start: int, end: int, glued: bool, thousands: str) -> Token:
    digits = "".join(str(unicodedata.digit(c)) if c.isdigit() and not c.isascii() else c for c in written)
    mark = re.escape(thousands)
    if re.fullmatch(rf"-?\d+({mark}\d{{3}})+([.,]\d+)?", digits):
        digits = digits.replace(thousands, "")
    digits = digits.replace(",", ".")
    value = float(digits) if len(digits) < 300 else float("inf")
    return Token(digits, start, end, value, glued)


@lru_cache(maxsize=256)
def _vulgar_fraction(char: str) -> Fraction | None:
    """The fraction that a character such as ``½`` is, None where it is none."""
    if unicodedata.category(char) != "No":
        return None
    return Fraction(unicodedata.numeric(char, 2.0)).limit_denominator(100)


def _join_fractions(tokens: list[Token], text: str) -> list[Token]:
    """Digits with a slash between them become one token; vulgar fractions become tokens of their own."""
    found: list[Token] = []
    if not any(t.number is not None for t in tokens) and text.isascii():
        return tokens
    for token in tokens:
        before = found[-1] if found else None
        if (
            before is not None
            and before.number is not None
            and token.number is not None
            and _FRACTION_SLASH.fullmatch(text[before.end : token.start])
        ):
            value = before.number / token.number if token.number else None
            word = f"{before.word}/{token.word}"
            found[-1] = replace(before, word=word, end=token.end, number=value)  # 1/0 keeps no number
        else:
            found.append(token)
    if text.isascii():
        return found
    for at, char in enumerate(text):
        if not char.isascii() and (share := _vulgar_fraction(char)) is not None:
            if 0 < share < 1:
                found.append(Token(f"{share.numerator}/{share.denominator}", at, at + 1, float(share)))
    return sorted(found, key=lambda t: t.start)


def places_of(value: object, values: Sequence[object]) -> int:
    """Where a value stands in a sequence, as a bit mask."""
    return mask_of(v == value for v in values) if value in values else 0


def mask_of(bits: Iterable[bool]) -> int:
    """Truths as a bit mask, the first the lowest bit."""
    mask = 0
    for at, bit in enumerate(bits):
        mask |= bit << at
    return mask
