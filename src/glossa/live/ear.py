"""What a source of a type of one's own is: something that listens until it is closed. Subclass :class:`Ear`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

from msgspec import Struct

from glossa.house.sources import SourceOptions


class Told(Struct, frozen=True):
    """What a source tells the house; all may be called from any thread.

    Attributes:
        heard: takes each whole text (plain, or JSON with alternatives, as everywhere) or code; says whether there was room for it.
        changed: takes whether the source is there, and why not.
        trouble: takes what a person should know.
        environment: where passwords and tokens are found.
    """

    heard: Callable[[bytes], object]
    changed: Callable[[bool, str], object]
    trouble: Callable[[str], object]
    environment: Mapping[str, str]


class Ear:
    """Listens from its making on, in a thread of its own, until it is closed."""

    Options: ClassVar[type[SourceOptions]] = SourceOptions
    """The class of its keys in the house file."""

    @classmethod
    def of(cls, options: Any, told: Told) -> Ear:
        """The source of a house file, whose keys have been checked, an object of ``Options``."""
        raise NotImplementedError

    def close(self) -> None:
        """Listen no more."""
        raise NotImplementedError
