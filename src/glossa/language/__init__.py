"""Everything that is true of one language and not of another: a language file -> a checked :class:`Language`."""

from glossa.language.language import (
    Language,
    is_plural,
    language_of,
    languages,
    load_language,
    meant,
    plural,
    plural_of,
    singulars_of,
)
from glossa.language.phrases import PhraseSet

__all__ = [
    "Language",
    "PhraseSet",
    "is_plural",
    "language_of",
    "languages",
    "load_language",
    "meant",
    "plural",
    "plural_of",
    "singulars_of",
]
