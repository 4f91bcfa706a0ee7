"""Colour names: those of CSS Color Module Level 4, section 6.1, with the lighter and darker shades of each."""

from __future__ import annotations

from functools import lru_cache

from glossa.hearing.language import Language, load_language

LIGHTER, DARKER = 0.5, 0.4
"""How far "light" goes towards white, and "dark" towards black, where CSS has no name for the shade."""


def spoken_colours(language: Language) -> dict[tuple[str, ...], str]:
    """Colour names as they are spoken, as folded words -> ``#rrggbb``."""
    return _colours(language.tag)


@lru_cache(maxsize=8)
def _colours(tag: str) -> dict[tuple[str, ...], str]:
    import webcolors

    lists = load_language(tag).section("colours")
    css = {name: webcolors.name_to_hex(name) for name in webcolors.names()}
    found: dict[tuple[str, ...], str] = {}
    if "names" in lists:
        for spoken, name in lists["names"].items():
            found[tuple(spoken.split())] = css.get(name, name)
    else:
        found.update({(name,): code for name, code in css.items()})
        for spoken in lists.get("spoken", ()):
            name = spoken.replace(" ", "")
            found[tuple(spoken.split())] = css.get(name, "#663399")
    for spoken, name in lists.get("other", {}).items():
        found[tuple(spoken.split())] = css.get(name, name)
    plain = dict(found)
    for words, code in plain.items():
        if any(w in (*lists.get("light", ()), *lists.get("dark", ())) for w in words):
            continue
        for modifiers, shade in (
            (lists.get("light", ()), _mixed(code, 255, LIGHTER)),
            (lists.get("dark", ()), _mixed(code, 0, DARKER)),
        ):
            named = next((plain[m, *words] for m in modifiers if (m, *words) in plain), shade)
            for modifier in modifiers:
                found.setdefault((modifier, *words), named)
    return found


def _mixed(code: str, end: int, share: float) -> str:
    parts = (int(code[i : i + 2], 16) for i in (1, 3, 5))
    return "#" + "".join(f"{round(p + (end - p) * share):02x}" for p in parts)
