"""What each link promises, measured: commands while the other side stands still, is gone, or is pulled out.

``python benchmarks/delivery.py`` writes ``benchmarks/DELIVERY.md``. It needs mosquitto; everything is on 127.0.0.1.
"""

from __future__ import annotations

import random
import signal
import sys
import tempfile
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from glossa.commands import Command, RequestCommand, TextCommand, TopicCommand
from glossa.house.links import HttpOptions, MqttOptions, SerialOptions
from glossa.links.household.broker import Broker
from glossa.links.household.parts import SerialBoard, WebHook
from glossa.links.mqtt import MqttLink
from glossa.links.serial import SerialLink
from glossa.links.web import WebLink
from glossa.live.courier import Courier, clock
from glossa.live.outbox import Order, Outbox, Result

EXPIRES = 1.0
STANDSTILL = 3.0
ROUNDS = 8
EACH = 12


class Deaf:
    """An inbox that only hears of losses."""

    courier: Courier

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        """Nothing is awaited."""

    def lost(self, reason: str) -> None:
        """The connection broke."""
        self.courier.lost(reason)


def measure(
    link: Any, make: Callable[[int], Command], seen: dict[str, float], still: Callable[[], None], go_on: Callable[[], None]
) -> list[str]:
    """One row of the table: commands every 50 ms, while the other side stands still at a moment that nobody knows."""
    inbox = Deaf()
    results: dict[int, Result] = {}
    box = Outbox(
        "x", link, clock=clock, inbox=inbox, result=lambda r: results.__setitem__(r.order.number, r), changed=lambda up, why: None
    )
    inbox.courier = courier = Courier(box)
    courier.start()
    chance, said = random.Random(4), dict[int, float]()
    while not box.up:
        time.sleep(0.05)
    for turn in range(ROUNDS):
        threading.Timer(chance.uniform(0.05, 0.05 * EACH), still).start()
        for number in range(turn * EACH, (turn + 1) * EACH):
            said[number] = clock()
            courier.put(Order(number, 0, make(number), said[number] + EXPIRES))
            time.sleep(0.05)
        time.sleep(STANDSTILL)
        go_on()
        time.sleep(2.0)
    time.sleep(3.0)
    courier.end("the end")
    late = [n for n, at in said.items() if str(n) in seen and seen[str(n)] > at + EXPIRES + 0.3]
    sent = [n for n in said if results[n].how == "sent"]
    return [
        str(len(said)), str(len(sent)), str(sum(str(n) not in seen for n in sent)), str(sum(results[n].how == "unconfirmed" for n in said)),
        str(sum(results[n].how in ("expired", "dropped", "declined") for n in said)), str(sum(str(n) in seen for n in said if results[n].how == "expired")), str(len(late)),
    ]  # fmt: skip


def mqtt(qos: int, version: str) -> list[str]:
    """A broker that is stopped and goes on."""
    broker = Broker()
    seen: dict[str, float] = {}

    class Watcher(Deaf):
        def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
            seen.setdefault(data.decode(), clock())

        def lost(self, reason: str) -> None:
            """It only watches."""

    watcher = MqttLink(MqttOptions(port=broker.port, keepalive=60), "w", ["h"])
    watcher.open(Watcher())
    process = broker._process
    try:
        return measure(
            MqttLink(MqttOptions(port=broker.port, version=version), "h"),
            lambda n: TopicCommand(topic="h", payload=str(n), qos=qos),
            seen,
            lambda: process.send_signal(signal.SIGSTOP),
            lambda: process.send_signal(signal.SIGCONT),
        )
    finally:
        watcher.close()
        broker.close()


def serial(acknowledge: str) -> list[str]:
    """A board that takes what comes and answers when it likes."""
    seen: dict[str, float] = {}
    paused = threading.Event()

    def take(place: str, data: bytes) -> None:
        seen.setdefault(data.decode(), clock())

    def draw() -> tuple[str, float]:
        while paused.is_set():
            time.sleep(0.01)
        return "", 0.0

    folder = tempfile.TemporaryDirectory(prefix="glossa-board-")
    path = f"{folder.name}/port"
    options = {"start": "<", "end": ">", "acknowledge": acknowledge, "timeout": 0.5}
    board = SerialBoard(options, path, take, draw)
    try:
        link = SerialLink(SerialOptions(port=path, **options))
        return measure(link, lambda n: TextCommand(text=str(n)), seen, paused.set, paused.clear)
    finally:
        board.close()
        folder.cleanup()


def http(method: str) -> list[str]:
    """A web server that takes requests and does not answer."""
    seen: dict[str, float] = {}
    paused = threading.Event()

    def draw() -> tuple[str, float]:
        while paused.is_set():
            time.sleep(0.01)
        return "", 0.0

    def take(place: str, data: bytes) -> None:
        seen.setdefault(data.decode(), clock())

    hook = WebHook("http://127.0.0.1/x", 0, take, draw)
    try:
        return measure(
            WebLink(HttpOptions(url=hook.url)),
            lambda n: RequestCommand(method=method, path="/", body=str(n)),
            seen,
            paused.set,
            paused.clear,
        )
    finally:
        hook.close()


HEADS = (
    "link",
    "commands",
    "called sent",
    "of these never arrived",
    "unconfirmed",
    "never sent, and told",
    "of these arrived",
    "arrived late",
)


def main() -> None:
    """Measure every link and write the table."""
    rows = [[f"mqtt {v}, QoS {q}", *mqtt(q, v)] for v in ("3.1.1", "5") for q in (0, 1, 2)]
    rows += [
        ["serial, `acknowledge`", *serial("OK")],
        ["serial", *serial("")],
        ["http POST", *http("POST")],
        ["http PUT", *http("PUT")],
    ]
    text = [
        "# What each link promises, measured",
        "",
        f"`python benchmarks/delivery.py`: a command every 50 ms with `expires = {EXPIRES:g}`, {ROUNDS} times {EACH} of them; each time the other side stands still "
        f"for {STANDSTILL:g} s, from a moment that nobody knows on (the broker is stopped with SIGSTOP, the board and the web server do not answer). "
        "Late is what arrived more than 0.3 s after it was too old.",
        "",
        "| " + " | ".join(HEADS) + " |",
        "|" + "---|" * len(HEADS),
        *("| " + " | ".join(row) + " |" for row in rows),
        "",
    ]
    Path(__file__).with_name("DELIVERY.md").write_text("\n".join(text), encoding="utf-8")
    sys.stdout.write("\n".join(text))


if __name__ == "__main__":
    main()
