"""What a link is: one wire, in three calls. Subclass :class:`Link` to reach something new."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from types import MappingProxyType
from typing import ClassVar, Protocol, TypeVar

from msgspec import Struct

from glossa.commands import Command
from glossa.house.links import LinkOptions
from glossa.house.model import House
from glossa.links.simulated import SimulatedHouse

Form = TypeVar("Form", bound=Command)


class LinkError(Exception):
    """A command that did not get through; the text says why, for a person."""


class Unreachable(LinkError):
    """Nothing was sent. The link is down; the command may be tried again within its time."""


class Unanswered(LinkError):
    """It may have arrived, and nobody can tell. It is never sent again, for it might act twice."""


class Declined(LinkError):
    """The other side took it and said no. It is not sent again."""


class Inbox(Protocol):
    """What a link tells the house; both may be called from any thread."""

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        """Something came in: a payload with its topic, or a line or frame with the place ``""``.

        ``retained`` says that the broker had kept it, so that nobody knows how old it is; ``waited`` are the seconds that it may
        have waited on its way.
        """

    def lost(self, reason: str) -> None:
        """The connection broke; the link will be closed and opened again."""


class Surroundings(Struct, frozen=True):
    """What a link may need to know beside its own keys.

    Attributes:
        house: the house.
        topics: what is to be subscribed to.
        environment: where passwords and tokens are found.
        functions: what can be called.
        devices: what a simulated link drives.
        announce: whether to tell the other side that the house is there.
        heard: whether somebody speaks over the link.
    """

    house: House
    topics: tuple[str, ...] = ()
    environment: Mapping[str, str] = MappingProxyType({})
    functions: Mapping[str, Callable[..., object]] = MappingProxyType({})
    devices: SimulatedHouse | None = None
    announce: bool = False
    heard: bool = False


class Link:
    """One wire.

    All three calls come from one thread, ``open`` first and again after every loss, and may take their time there:
    other links are not held up.

    Attributes:
        gap: least seconds between two commands, 0 or more.
    """

    Options: ClassVar[type[LinkOptions]] = LinkOptions
    """The keys of the house file, for a type of links that a package of its own brings."""

    gap: float = 0.0

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> Link:
        """A link that a house file describes, not open yet."""
        raise NotImplementedError(f"{cls.__name__} can't be made from a house file")

    def open(self, inbox: Inbox) -> None:
        """Connect, and from then on tell the inbox what comes in.

        Raises:
            Unreachable: where there is no connection; it is tried again, less and less often.
        """

    def send(self, command: Command, seconds: float) -> None:
        """Send one command and come back when it has arrived, as far as the wire can tell.

        Args:
            command: what to send, of a form that the link takes.
            seconds: how long it may take, more than 0; after that it is too old to be sent at all.

        Raises:
            Unreachable: nothing was sent.
            Unanswered: it was sent, and not confirmed in time.
            Declined: it was refused.
        """
        raise NotImplementedError

    def close(self) -> None:
        """Let the wire go; called after every loss and at the end, also when it was never open."""


def of_form(command: Command, form: type[Form]) -> Form:
    """A command of the form that a link takes; the house file has been checked for it.

    Raises:
        Declined: where it is of another one, as one that was made by hand may be.
    """
    if not isinstance(command, form):
        raise Declined(f"the link does not take: {command}")
    return command
