"""Templates: texts with placeholders in them."""

from __future__ import annotations

import re

PLACEHOLDER = re.compile(r"\$(?:(\w+)|\{(\w+)\})")
"""``$name`` or ``${name}`` in a template."""


def placeholders(*templates: str) -> tuple[str, ...]:
    """The names of the placeholders in templates, in order, each once.

    >>> placeholders("$house/$id/set", "$raw of ${house}")
    ('house', 'id', 'raw')
    """
    return tuple(dict.fromkeys(a or b for template in templates for a, b in PLACEHOLDER.findall(template)))
