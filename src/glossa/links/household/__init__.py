"""A simulated household on real wires: devices on a broker, a serial board on a pseudo-terminal, a web hook.

Its devices take the commands of a house and report their states, and fail on demand.
"""

from __future__ import annotations

import random
import threading
from collections.abc import Callable, Mapping

from msgspec.structs import replace

from glossa.commands import TopicCommand
from glossa.commands.command import Fill
from glossa.commands.states import Report, States
from glossa.commands.wire import fill
from glossa.conversation.conversation import initial_state
from glossa.house.forms import TopicWire
from glossa.house.links import HttpOptions, LinkOptions, MqttOptions, SerialOptions, TcpOptions
from glossa.house.model import House
from glossa.house.sources import SerialSource
from glossa.house.values import Value
from glossa.links.household.faults import Faults
from glossa.links.household.parts import CodeModule, MqttDevices, SerialBoard, SocketBoard, WebHook

__all__ = ["Faults", "Household"]


class Household:
    """The devices of a house, until closed.

    Args:
        house: the house.
        ports: link -> where it is to be reached: the port of a broker on 127.0.0.1, the port of the web hook (0 for any), or a
            path at which a serial board is linked. The ports of the house file by default, and any path.
        faults: what goes wrong, and how often; may be set anew at any time.
        seed: for the faults; the same seed gives the same ones.
        told: called with a line for everything that a device takes.
        patience: seconds in which a broker has to answer.

    Attributes:
        house: the house with its links leading here.
        state: the value of every (device, property).
        taken: (link, place, data) of everything that came in, in order.
        modules: the recognisers on serial ports, by the id of their source.

    Raises:
        OSError: where a port or path can't be had, or no broker answers.
    """

    def __init__(
        self,
        house: House,
        ports: Mapping[str, int | str] | None = None,
        *,
        faults: Faults | None = None,
        seed: int | None = None,
        told: Callable[[str], None] = lambda line: None,
        patience: float = 10.0,
    ) -> None:
        self.faults = faults or Faults()
        self.state: dict[tuple[str, str], Value] = initial_state(house)
        self.taken: list[tuple[str, str, bytes]] = []
        self._commands = States(house, commands=True)
        self._random = random.Random(seed)
        self._told = told
        self._lock = threading.Lock()
        self.parts: dict[str, MqttDevices | SerialBoard | SocketBoard | WebHook] = {}
        self.modules: dict[str, CodeModule] = {}
        links, sources = dict(house.links), dict(house.sources)
        try:
            for name, source in house.sources.items():
                own = source.options
                if isinstance(own, SerialSource) and own.port:
                    module = self.modules[name] = CodeModule(own, source.codes, str((ports or {}).get(name) or ""))
                    sources[name] = replace(source, options=replace(own, port=module.path))
            for name, link in house.links.items():
                port = (ports or {}).get(name)
                match link.options:
                    case MqttOptions() as options:
                        here: LinkOptions = replace(options, host="127.0.0.1", port=int(port or options.number))
                        assert isinstance(here, MqttOptions)
                        topics = self._commands.topics[name]
                        self.parts[name] = MqttDevices(here, house.id, topics, self._taker(name), patience)
                    case SerialOptions() as options:
                        board = SerialBoard(options, str(port or ""), self._taker(name), self._draw)
                        self.parts[name], here = board, replace(options, port=board.path)
                    case TcpOptions() as options:
                        socket_board = SocketBoard(options, int(port or 0), self._taker(name), self._draw)
                        self.parts[name], here = socket_board, replace(options, host="127.0.0.1", port=socket_board.port)
                    case HttpOptions() as options:
                        hook = WebHook(options.url, port, self._taker(name), self._draw)
                        self.parts[name], here = hook, replace(options, url=hook.url)
                    case _:
                        continue
                links[name] = replace(link, options=here)
        except BaseException:
            self.close()
            raise
        self.house: House = replace(house, links=links, sources=sources)
        for name, part in self.parts.items():
            if isinstance(part, MqttDevices):
                for (device, prop), value in self.state.items():
                    self._report(
                        name, part, Report(device, prop, value, house.devices[device].properties[prop].values.wire(value))
                    )

    def close(self) -> None:
        """Let every port go."""
        for part in (*self.parts.values(), *self.modules.values()):
            part.close()

    def _draw(self) -> tuple[str, float]:
        with self._lock:
            return self.faults.draw(self._random), self.faults.delay

    def _taker(self, name: str) -> Callable[[str, bytes], None]:
        def take(place: str, data: bytes) -> None:
            reports, _ = self._commands.read(name, place, data)
            with self._lock:
                self.taken.append((name, place, data))
                self.state.update({(r.device, r.property): r.value for r in reports})
            text = data.decode("utf-8", errors="replace")
            shown = f"“{text}”" if text.isprintable() and "\ufffd" not in text else data.hex(" ").upper()
            means = "  ".join(f"{r.device} {r.property} {r.value}" for r in reports)
            self._told(f"{name}  {place + '  ' if place else ''}{shown}  {means}".rstrip())
            part = self.parts[name]
            if isinstance(part, MqttDevices):
                fault, _ = self._draw()
                for report in reports:
                    self._report(name, part, report, fault)

        return take

    def _report(self, name: str, part: MqttDevices, report: Report, fault: str = "") -> None:
        device = self.house.devices[report.device]
        wire = device.properties[report.property].state
        if wire is None or wire.link != name or not isinstance(wire, TopicWire) or fault == "drop":
            return
        fills: dict[str, Fill] = {
            "raw": report.raw, "value": report.value, "id": device.id, "name": device.name(), "room": device.room,
            "house": self.house.id,
        }  # fmt: skip
        made = fill(wire, fills, self.house)
        assert isinstance(made, TopicCommand)
        payload = "\x07garbage\xfe" if fault == "garbage" else made.payload or report.raw
        part.report(made.topic, payload.encode("latin-1", errors="replace"), self.faults.delay, cut=fault == "disconnect")
