"""Everything that is true of one language and not of another: a language file -> a checked :class:`Language`."""

from glossa.language.language import (
    Language,
    is_plural,
    languages,
    load_language,
    plural,
    plural_of,
    register_language,
    singulars_of,
)
from glossa.language.phrases import PhraseSet

__all__ = [
    "Language",
    "PhraseSet",
    "is_plural",
    "languages",
    "load_language",
    "plural",
    "plural_of",
    "register_language",
    "singulars_of",
]
