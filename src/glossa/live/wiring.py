"""The links of a live house, each with its outbox at work in a thread of its own."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping
from typing import Any

from msgspec.structs import replace

from glossa.commands import Command
from glossa.house.links import Link as HouseLink
from glossa.house.model import House
from glossa.links.link import Inbox, Link, Surroundings
from glossa.links.make import make_link
from glossa.links.simulated import SimulatedHouse
from glossa.links.simulated_link import SimulatedLink
from glossa.live.courier import Courier, clock
from glossa.live.outbox import Order, Outbox, Result
from glossa.live.places import Place

PATIENCE = 3.0
"""Seconds in which a command that is under way may end when its link is let go."""

Arrived = Callable[[str, str, bytes, bool, float], None]
"""Takes what came in: the link, the topic, the data, whether a broker had kept it, and the seconds that it may have waited."""


class Wiring:
    """Opens the links of a house and keeps them as its file has them.

    All that is told comes from the links' own threads.

    Args:
        arrived: takes what comes in.
        result: takes what became of each order.
        changed: takes that a link, by its name, came up or went down, and why.
        environment: where secrets are found.
        functions: what callback links can call.
        links: link id -> a link that stands in the place of the one that the house file describes.
        dry: send nothing; links are only opened to be listened to.
    """

    def __init__(
        self,
        *,
        arrived: Arrived,
        result: Callable[[Result], None],
        changed: Callable[[str, bool, str], None],
        environment: Mapping[str, str],
        functions: Mapping[str, Callable[..., object]] | None = None,
        links: Mapping[str, Link] | None = None,
        dry: bool = False,
    ) -> None:
        self._arrived, self._result, self._changed = arrived, result, changed
        self._environment, self._functions, self._links, self._dry = environment, functions, dict(links or {}), dry
        self._devices: SimulatedHouse | None = None
        self._couriers: dict[str, Courier] = {}
        self._made_of: dict[str, tuple[HouseLink | None, tuple[str, ...]]] = {}

    def update(
        self, house: House, topics: Mapping[str, tuple[str, ...]], places: Mapping[str, Place], heard: Collection[str]
    ) -> None:
        """Open the links that are new or have changed, and let those go that are not there any more.

        Args:
            house: the house as it is now.
            topics: link -> what it subscribes to.
            places: links that are made for a place and are none of the house's.
            heard: the links that somebody speaks over.
        """
        self._devices = self._devices or SimulatedHouse(house)
        wanted = {name: (house.links.get(name), topics.get(name, ())) for name in (*house.links, *places)}
        for name in [n for n in self._couriers if self._made_of[n] != wanted.get(n)]:
            old = self._couriers.pop(name)
            old.end("the link was changed in the house file")
            old.join(PATIENCE)
        for name, made_of in wanted.items():
            if name not in self._couriers:
                link = (
                    self._of_place(places[name], house, made_of[1])
                    if name in places
                    else self._of_house(name, house, made_of[1], heard)
                )
                self._couriers[name] = self._courier(name, link)
                self._made_of[name] = made_of

    def _of_place(self, place: Place, house: House, topics: tuple[str, ...]) -> Link:
        assert place.options is not None
        own = replace(house, links={place.link: HouseLink(place.link, place.type, place.options)})
        return make_link(place.link, Surroundings(own, topics, self._environment, heard=True))

    def _of_house(self, name: str, house: House, topics: tuple[str, ...], heard: Collection[str]) -> Link:
        if name in self._links:
            return self._links[name]
        assert self._devices is not None
        if self._dry and name not in heard:
            return SimulatedLink(self._devices)
        around = Surroundings(
            house, topics, self._environment, self._functions or {}, self._devices, announce=not self._dry, heard=name in heard
        )
        made = make_link(name, around)
        return _Mute(made) if self._dry else made

    def _courier(self, name: str, link: Link) -> Courier:
        inbox = _Inbox(name, self._arrived)
        outbox = Outbox(
            name, link, clock=clock, inbox=inbox, result=self._result, changed=lambda up, reason: self._changed(name, up, reason)
        )
        inbox.courier = courier = Courier(outbox)
        courier.start()
        return courier

    def post(self, link: str, order: Order) -> None:
        """Hand an order to a link's outbox."""
        courier = self._couriers.get(link)
        if courier is None:
            self._result(Result(order, "dropped", clock(), "the link is not in the house file any more"))
        else:
            courier.put(order)

    @property
    def waiting(self) -> int:
        """How many orders have not been sent yet, on all links."""
        return sum(courier.outbox.waiting for courier in self._couriers.values())

    def end(self, reason: str, patience: float = PATIENCE) -> None:
        """Send nothing more, report everything, and let every link go.

        Args:
            reason: why.
            patience: seconds for what is under way to end, on all links together; it is reported as unconfirmed then.
        """
        until = clock() + patience
        for courier in self._couriers.values():
            courier.end(reason)
        for courier in self._couriers.values():
            courier.join(max(0.0, until - clock()))

    def health(self) -> dict[str, dict[str, Any]]:
        """The state of every link, how many orders wait there, and why it is down."""
        found = {}
        for name, courier in list(self._couriers.items()):
            box = courier.outbox
            why = box.said[1] if box.said and not box.up else ""
            found[name] = {"state": "up" if box.up else "down", "waiting": box.waiting, **({"reason": why} if why else {})}
        return found


class _Inbox:
    """What one link tells, with the name of the link."""

    def __init__(self, name: str, arrived: Arrived) -> None:
        self._name, self._arrived = name, arrived
        self.courier: Courier | None = None

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        self._arrived(self._name, place, data, retained, waited)

    def lost(self, reason: str) -> None:
        if self.courier is not None:
            self.courier.lost(reason)


class _Mute(Link):
    """A link that is only listened to."""

    def __init__(self, link: Link) -> None:
        self._link = link

    def open(self, inbox: Inbox) -> None:
        self._link.open(inbox)

    def send(self, command: Command, seconds: float) -> None:
        """Nothing is sent."""

    def close(self) -> None:
        self._link.close()
