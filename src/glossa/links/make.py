"""The links of a house as its file describes them."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping

from glossa.house.model import House
from glossa.links.link import Link
from glossa.links.simulated import SimulatedHouse, SimulatedLink


def make_link(
    house: House,
    link: str,
    *,
    topics: Iterable[str] = (),
    environment: Mapping[str, str] = os.environ,
    functions: Mapping[str, Callable[..., object]] | None = None,
    devices: SimulatedHouse | None = None,
    announce: bool = False,
    heard: bool = False,
) -> Link:
    """One link of a house, not open yet. The client of its type is only loaded here.

    Args:
        house: the house.
        link: the id of the link.
        topics: what an MQTT link subscribes to.
        environment: where passwords and tokens are found.
        functions: what a callback link can call.
        devices: what a simulated link drives; a new simulated house by default.
        announce: whether an MQTT link tells its broker that the house is there.
        heard: whether somebody speaks over the link.
    """
    options = house.links[link].options
    match house.links[link].type:
        case "mqtt":
            from glossa.links.mqtt import MqttLink

            return MqttLink(options, house.id, topics, environment, announce=announce, heard=heard)
        case "serial":
            from glossa.links.serial import SerialLink

            return SerialLink(options)
        case "http":
            from glossa.links.web import WebLink

            return WebLink(options, environment)
        case "callback":
            from glossa.links.callback import CallbackLink

            return CallbackLink(functions or {})
        case _:
            return SimulatedLink(devices or SimulatedHouse(house))
