"""A house in open notations, and open notations as a house.

:func:`grammar_of` makes the rules of a house; ``write_abnf``, ``write_grxml``, ``write_jsgf`` and ``write_pls`` write them, their ``read_...``
read others'. :func:`phrases_of` finds intents in a grammar, :func:`things_of` and :func:`read_things` are for W3C Thing Descriptions,
:func:`teaching_plan` is for recognisers that send codes. The XML notations need the package ``lxml`` (extra ``exchange``).
"""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from types import MappingProxyType
from typing import Any

_WHERE: Mapping[str, str] = MappingProxyType(
    {
        "Grammar": "rules", "Rule": "rules", "accepts": "rules", "draw": "rules", "likeliest": "rules", "problems": "rules", "vocabulary": "rules",
        "grammar_of": "of_house", "phrases_of": "phrases", "read_abnf": "abnf", "write_abnf": "abnf", "read_jsgf": "jsgf", "write_jsgf": "jsgf",
        "read_grxml": "grxml", "write_grxml": "grxml", "read_pls": "pls", "write_pls": "pls", "read_things": "from_things", "things_of": "to_things",
        "teaching_plan": "teaching",
    }
)  # fmt: skip

__all__ = list(_WHERE)


def __getattr__(name: str) -> Any:
    """Load what is asked for, and nothing that needs a package which is not asked for."""
    if name not in _WHERE:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return getattr(importlib.import_module(f"{__name__}.{_WHERE[name]}"), name)
