"""The links of a house as its file describes them."""

from __future__ import annotations

import importlib
from collections.abc import Mapping
from types import MappingProxyType

from glossa.house.links import added_link
from glossa.links.link import Link, Surroundings

LINKS: Mapping[str, str] = MappingProxyType(
    {
        "simulated": "glossa.links.simulated_link:SimulatedLink",
        "mqtt": "glossa.links.mqtt:MqttLink",
        "serial": "glossa.links.serial:SerialLink",
        "tcp": "glossa.links.network:TcpLink",
        "udp": "glossa.links.network:UdpLink",
        "http": "glossa.links.web:WebLink",
        "callback": "glossa.links.callback:CallbackLink",
    }
)
"""Type -> module and class of the links that are built in; a client is only loaded when a house has such a link."""


def make_link(name: str, around: Surroundings) -> Link:
    """One link of a house, not open yet.

    Args:
        name: the id of the link.
        around: the house, and what else the link may need to know.
    """
    link = around.house.links[name]
    if link.type in LINKS:
        module, _, cls = LINKS[link.type].partition(":")
        found = getattr(importlib.import_module(module), cls)
    else:
        found = added_link(link.type)
    assert isinstance(found, type) and issubclass(found, Link), link.type
    return found.of(link.options, around)
