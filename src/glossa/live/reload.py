"""Noticing that a house file has changed, and taking the change only when it is whole and valid."""

from __future__ import annotations

import logging

from msgspec import Struct

from glossa.files import find_house, house_files, load_house
from glossa.house import House, HouseError
from glossa.matching import Matcher

_log = logging.getLogger(__name__)
Signature = tuple[tuple[str, int, int], ...]


class Changed(Struct, frozen=True):
    """A changed house: the house with its matcher, or what is wrong with it."""

    house: House | None = None
    matcher: Matcher | None = None
    problems: tuple[str, ...] = ()


class Watch:
    """Looks at the files of a house.

    Args:
        place: as :func:`~glossa.load_house` takes it.
        remember: for the :class:`~glossa.Matcher` of a changed house.
    """

    def __init__(self, place: str, remember: int = 0) -> None:
        self._place, self._remember = place, remember
        self._path = find_house(place)
        self._taken = self._last = self._signature()

    def look(self) -> Changed | None:
        """What changed since the last change that was told of; None where nothing did, or somebody is still writing.

        A change counts when two looks in a row see the same.
        """
        now = self._signature()
        quiet, self._last = now == self._last, now
        if not quiet or now == self._taken:
            return None
        self._taken = now
        try:
            house = load_house(self._place)
            matcher = Matcher(house, remember=self._remember)
            matcher.warm()
        except HouseError as error:
            return Changed(problems=tuple(map(str, error.problems)))
        except Exception as error:  # whatever a file holds, the house that runs goes on
            _log.exception("the changed house file")
            return Changed(problems=(f"an error in the program itself: {type(error).__name__}: {error}",))
        return Changed(house, matcher)

    def _signature(self) -> Signature:
        found = []
        for path in house_files(self._path):
            try:
                stat = path.stat()
                found.append((str(path), stat.st_mtime_ns, stat.st_size))
            except (OSError, ValueError):
                found.append((str(path), 0, 0))
        return tuple(found)
