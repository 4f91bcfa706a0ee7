"""Colours as a house file writes them: CSS names and hexadecimal codes (CSS Color Module Level 4, sections 5.2 and 6.1)."""

from __future__ import annotations

import re
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources

_HEX = re.compile("#(?:[0-9a-f]{3}|[0-9a-f]{6})", re.IGNORECASE)


@lru_cache(maxsize=1)
def css_colours() -> Mapping[str, str]:
    """The named colours of CSS Color Module Level 4, section 6.1: name -> ``#rrggbb``."""
    import tomllib

    return tomllib.loads((resources.files("glossa.house") / "css_colours.toml").read_text(encoding="utf-8"))


def colour_code(text: str) -> str | None:
    """A CSS colour name, spaces or not, or ``#rgb`` or ``#rrggbb`` as ``#rrggbb``; None for anything else.

    >>> colour_code("dark orange"), colour_code("#FA0"), colour_code("mud")
    ('#ff8c00', '#ffaa00', None)
    """
    if _HEX.fullmatch(text):
        digits = text[1:].lower()
        return "#" + (digits if len(digits) == 6 else "".join(2 * d for d in digits))
    return css_colours().get(text.replace(" ", "").lower())
