"""Changes to the text of a house file that keep its comments and its order."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import tomlkit


def with_settings(
    text: str,
    settings: Mapping[str, float],
    intents: Mapping[str, float] | None = None,
    evidence: Mapping[str, float] | None = None,
) -> str:
    """The text of a house file with values of ``[matching]``, an ``accept`` of their own for some intents, and weights of the evidence.

    Args:
        text: the house file.
        settings: key of ``[matching]`` -> value; values that are there already keep their comments.
        intents: intent -> accept.
        evidence: term -> weight, for the section ``[evidence]``.
    """
    document: Any = tomlkit.parse(text)
    if "matching" not in document:
        section = tomlkit.table()
        document.add("matching", section)
    for key, value in settings.items():
        document["matching"][key] = value
    for intent, accept in (intents or {}).items():
        table = document["intents"][intent]
        if "matching" in table:
            table["matching"]["accept"] = accept
        else:
            inline = tomlkit.inline_table()
            inline["accept"] = accept
            table["matching"] = inline
    if evidence:
        if "evidence" not in document:
            document.add("evidence", tomlkit.table())
        for term, weight in evidence.items():
            document["evidence"][term] = weight
    return tomlkit.dumps(document)


def has_table(text: str, path: Sequence[str]) -> bool:
    """Whether a house file holds the table that some keys lead to; an intent may come from a phrase table instead."""
    place: Any = tomlkit.parse(text)
    for key in path:
        place = place.get(key) if isinstance(place, Mapping) else None
    return place is not None


def with_word(text: str, path: Sequence[str], words: Sequence[str], language: str = "") -> str:
    """The text of a house file with further texts at the end of a list.

    Args:
        text: the house file.
        path: the keys that lead to the list; tables and the list are made where they are missing.
        words: the texts to add; those that stand there already are left out.
        language: where they go if texts stand there by language.
    """
    document: Any = tomlkit.parse(text)
    place = document
    for key in path[:-1]:
        if key not in place:
            place[key] = tomlkit.table()
        place = place[key]
    held = place.get(path[-1], [])
    if isinstance(held, Mapping):
        return with_word(text, (*path, language or next(iter(held))), words)
    if isinstance(held, str) or path[-1] not in place:
        place[path[-1]] = tomlkit.array()
        for item in [held] if isinstance(held, str) else held:
            place[path[-1]].append(item)
    listed = place[path[-1]]
    for word in words:
        if word not in list(listed):
            listed.append(word)
    return tomlkit.dumps(document)
