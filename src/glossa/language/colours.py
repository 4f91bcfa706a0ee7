"""Colour names: those of CSS Color Module Level 4, section 6.1, with the lighter and darker shades of each."""

from __future__ import annotations

from glossa.house.colours import css_colours
from glossa.language.schema import Colours

LIGHTER, DARKER = 0.5, 0.4
"""How far "light" goes towards white, and "dark" towards black, where CSS has no name for the shade."""


def spoken_colours(lists: Colours) -> dict[tuple[str, ...], str]:
    """Colour names as they are spoken in a language, as folded words -> ``#rrggbb``."""
    css = css_colours()
    spoken: dict[tuple[str, ...], str] = {}
    if lists.names:
        spoken.update({tuple(text.split()): css.get(name, name) for text, name in lists.names.items()})
    else:
        spoken.update({(name,): code for name, code in css.items()})
        spoken.update({tuple(text.split()): css[text.replace(" ", "")] for text in lists.spoken})
    spoken.update({tuple(text.split()): css.get(name, name) for text, name in lists.other.items()})
    shades = ((lists.light, 255, LIGHTER), (lists.dark, 0, DARKER))
    for words, code in tuple(spoken.items()):
        if any(w in lists.light or w in lists.dark for w in words):
            continue
        for modifiers, end, share in shades:
            ways = [(m, *words) if lists.modifier == "before" else (*words, m) for m in modifiers]
            shade = next((spoken[w] for w in ways if w in spoken), _mixed(code, end, share))
            for way in ways:
                spoken.setdefault(way, shade)
    return spoken


def _mixed(code: str, end: int, share: float) -> str:
    parts = (int(code[i : i + 2], 16) for i in (1, 3, 5))
    return "#" + "".join(f"{round(p + (end - p) * share):02x}" for p in parts)
