"""Templates: texts with placeholders in them, and what each placeholder fills: JSON (RFC 8259), a form, or plain text."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Collection
from urllib.parse import quote_plus

PLACEHOLDER = re.compile(r"\$(?:(\w+)|\{(\w+)\})")
"""``$name`` or ``${name}`` in a template."""

_STRING = re.compile(r'"(?:[^"\\]|\\.)*"')
_PAIRS = re.compile(r"[^=&\s]+=[^=&]*(?:&[^=&\s]+=[^=&]*)*")
_BRACKETS = frozenset("\"'`<>{}[]&\\")
"""Signs that give a text a shape; which one, has to be known before anything is put between them."""
_SEPARATORS = frozenset("=,;|")
"""Signs between the parts of a text."""
_MARK = "\ue000"
"""Stands for a placeholder while a template is looked at; no file holds it, for it is for private use."""


def placeholders(*templates: str) -> tuple[str, ...]:
    """The names of the placeholders in templates, in order, each once.

    >>> placeholders("$house/$id/set", "$raw of ${house}")
    ('house', 'id', 'raw')
    """
    return tuple(dict.fromkeys(a or b for template in templates for a, b in PLACEHOLDER.findall(template)))


def json_start(template: str) -> int:
    """Where one JSON value begins that goes on to the end of a template, -1 where there is none.

    >>> json_start('{"a": $b}'), json_start('cmd {"q": "$w"}'), json_start("a=$b")
    (0, 4, -1)
    """
    marked = PLACEHOLDER.sub(lambda m: _MARK * len(m[0]), template)
    starts = [at for at in (marked.find("{"), marked.find("[")) if at >= 0]
    start = min(starts, default=-1) if not marked.lstrip().startswith('"') else 0
    if start < 0:
        return -1
    # Outside of strings a value stands for a number, inside for itself.
    parts = _STRING.split(marked[start:])
    strings = _STRING.findall(marked[start:])
    bare = [re.sub(f"{_MARK}+", "0", part) for part in parts]
    text = "".join(part + string for part, string in zip(bare, [*strings, ""], strict=True))
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return -1
    return start


def content_of(template: str, *, http: bool = False) -> str:
    """What a template is, as far as its text tells: ``json``, ``form``, ``text``, or ``""`` where its punctuation leaves it open.

    Args:
        template: the payload, the body or the text.
        http: whether it is the body of a request, where one ``name=value`` is a form already.

    >>> content_of('{"a": $b}'), content_of("a=$b&c=1"), content_of("say $w"), content_of("<q>$w</q>")
    ('json', 'form', 'text', '')
    """
    if json_start(template) >= 0:
        return "json"
    marked = PLACEHOLDER.sub(_MARK, template)
    if _PAIRS.fullmatch(marked) and (http or "&" in marked):
        return "form"
    return "" if placeholders(template) and _BRACKETS.intersection(marked) else "text"


def separators(template: str) -> str:
    """The signs that part a plain text; what was said must not hold them, or it would be more parts.

    >>> separators("SAY;$words;1")
    ';'
    """
    return "".join(sorted(_SEPARATORS.intersection(template)))


def fill_template(template: str, content: str, value: Callable[[str], object], free: Collection[str]) -> str:
    """A template with its placeholders filled in, each escaped for what it fills.

    Args:
        template: the template.
        content: ``json``, ``form`` or ``text``.
        value: gives the value of a placeholder: text, or a number.
        free: the placeholders that hold what somebody said, word for word: they are text, whatever they look like.
    """
    if content == "form":
        return PLACEHOLDER.sub(lambda m: quote_plus(str(value(m[1] or m[2]))), template)
    if content != "json":
        return PLACEHOLDER.sub(lambda m: str(value(m[1] or m[2])), template)
    start = max(0, json_start(template))

    def in_string(found: re.Match[str]) -> str:
        return PLACEHOLDER.sub(lambda m: json.dumps(str(value(m[1] or m[2])), ensure_ascii=False)[1:-1], found[0])

    def bare(text: str) -> str:
        return PLACEHOLDER.sub(lambda m: _literal(value(m[1] or m[2]), (m[1] or m[2]) in free), text)

    before = PLACEHOLDER.sub(lambda m: str(value(m[1] or m[2])), template[:start])
    parts, at = [before], start
    for found in _STRING.finditer(template, start):
        parts += [bare(template[at : found.start()]), in_string(found)]
        at = found.end()
    return "".join((*parts, bare(template[at:])))


def _literal(value: object, free: bool) -> str:
    """A value that stands by itself in JSON: a number, or a literal that the house file writes; what was said is a string."""
    text = str(value)
    if not free:
        try:
            if not isinstance(json.loads(text), (str, list, dict)):
                return text
        except ValueError:
            pass
    return json.dumps(text, ensure_ascii=False)
