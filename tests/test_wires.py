"""Real wires on 127.0.0.1: a broker, a pseudo-terminal, a web server, and the command line as a process."""

from __future__ import annotations

import contextlib
import gc
import http.client
import json
import os
import resource
import select
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
import tty
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from queue import SimpleQueue
from typing import Any
from unittest import mock

from msgspec.structs import replace
from paho.mqtt.client import Client, MQTTv5
from paho.mqtt.enums import CallbackAPIVersion
from websockets.sync.server import ServerConnection, serve

import glossa
from glossa.cli.live_lines import record_line
from glossa.commands import BytesCommand, Command, RequestCommand, TextCommand, TopicCommand
from glossa.house import HouseError
from glossa.house.links import HttpOptions, MqttOptions, SerialOptions, TcpOptions, UdpOptions
from glossa.links import Declined, Link, LinkError, Unanswered, Unreachable
from glossa.links.household import Faults, Household
from glossa.links.household.broker import Broker, free_port, mosquitto
from glossa.links.household.parts import SocketBoard
from glossa.links.link import Surroundings
from glossa.links.make import make_link
from glossa.links.mqtt import FRESH, MqttLink
from glossa.links.network import TcpLink, UdpLink
from glossa.links.serial import SerialLink
from glossa.links.simulated_link import SimulatedLink
from glossa.links.web import WebLink
from glossa.live import Record
from glossa.live.endpoint import MOST_CONNECTIONS, Endpoint
from glossa.live.listen import MOST_HEARD, Live
from glossa.live.log import EventLog, read_log
from glossa.live.places import Place, place_of
from glossa.live.reload import Watch
from glossa.live.replies import Speaker
from shell import call as run
from tests.virtual import MARIGOLD

SECRETS = mock.patch.dict(os.environ, {"MARIGOLD_HATCH_PIN": "8642"})


def setUpModule() -> None:
    SECRETS.start()


def tearDownModule() -> None:
    SECRETS.stop()


class Ears:
    """Keeps what a link tells."""

    def __init__(self) -> None:
        self.heard: list[tuple[str, bytes]] = []
        self.waited: list[float] = []
        self.losses: list[str] = []

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        self.heard.append((place, data))
        self.waited.append(waited)

    def lost(self, reason: str) -> None:
        self.losses.append(reason)


def until(true: Callable[[], Any], seconds: float = 40.0) -> bool:
    """Wait for something to become true."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        if true():
            return True
        time.sleep(0.01)
    return bool(true())


class Clock:
    """Seconds that go on by themselves, and ahead when a test says so."""

    def __init__(self) -> None:
        self.ahead = 0.0

    def __call__(self) -> float:
        return time.monotonic() + self.ahead


def send(link: Any, command: Command, seconds: float = 10.0) -> str:
    """How a sending ended."""
    try:
        link.send(command, seconds)
    except LinkError as error:
        return type(error).__name__
    return "sent"


class Wires(unittest.TestCase):
    """Has a broker, and lets everything go afterwards."""

    broker: Broker

    @classmethod
    def setUpClass(cls) -> None:
        cls.broker = Broker()
        cls.addClassCleanup(cls.broker.close)

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def household(self, house: glossa.House = MARIGOLD, **options: Any) -> Household:
        ports = {
            n: self.broker.port if k.type == "mqtt" else 0 if k.type in ("http", "tcp", "udp") else str(self.folder / n)
            for n, k in house.links.items()
        } | {n: str(self.folder / n) for n, k in house.sources.items() if k.type == "serial"}
        found = Household(house, ports, seed=1, **options)  # type: ignore[arg-type]
        self.addCleanup(found.close)
        return found

    def opened(self, link: Any) -> tuple[Any, Ears]:
        ears = Ears()
        link.open(ears)
        self.addCleanup(link.close)
        return link, ears

    @contextlib.contextmanager
    def live(
        self, house: glossa.House, source: str | tuple[()], sources: tuple[Place, ...] = (), **options: Any
    ) -> Iterator[tuple[Live, list[Record]]]:
        """A house that listens in a thread of its own."""
        records: list[Record] = []
        made = Live(
            house, [source] if source else sources, records.append, awake=True, matcher=glossa.Matcher(house, 100), **options
        )
        thread = threading.Thread(target=made.run)
        thread.start()
        try:
            self.assertTrue(until(lambda: sum(r.kind == "link" for r in records) >= len(house.links)), records)
            yield made, records
        finally:
            made.stop("ended")
            thread.join(60)
            self.assertFalse(thread.is_alive())


LAMPS = glossa.house.read_house(
    '[house]\nname = "Quay"\n[links.web]\ntype = "http"\nurl = "http://127.0.0.1:9"\n[kinds.lamp]\nnouns = ["lamp"]\n'
    'properties.power = { type = "switch", command = { method = "POST", path = "/$id", body = "$raw" } }\n'
    + "".join(f'[devices.l{n}]\nkind = "lamp"\nnames = ["lamp {n}"]\n' for n in range(12))
    + '[intents.s]\nphrases = ["$device $power"]\nset = { power = "$power" }\n'
)
"""A dozen lamps on one web server."""


def of(records: list[Record], *kinds: str) -> list[dict[str, Any]]:
    """The data of the records of some kinds."""
    return [dict(r.data) for r in records if r.kind in kinds]


class Brokers(Wires):
    def test_messages_and_states_in_both_protocol_versions(self) -> None:
        for version in ("3.1.1", "5") if mosquitto() else ("3.1.1",):
            with self.subTest(version):
                self.there_and_back(version)

    def there_and_back(self, version: str) -> None:
        link, ears = self.opened(MqttLink(MqttOptions(port=self.broker.port, version=version), "h", ["h/+/state"]))
        watcher, seen = self.opened(MqttLink(MqttOptions(port=self.broker.port, version=version), "w", ["h/#"]))
        self.assertEqual(send(link, TopicCommand(topic="h/lamp/state", payload='ünï "x"')), "sent")
        self.assertTrue(until(lambda: seen.heard and ears.heard))
        self.assertEqual(ears.heard, [("h/lamp/state", 'ünï "x"'.encode())])
        watcher.close()
        link.close()

    def test_the_broker_says_when_the_house_is_gone(self) -> None:
        _, seen = self.opened(MqttLink(MqttOptions(port=self.broker.port), "w", ["gone/#"]))
        link, _ = self.opened(MqttLink(MqttOptions(port=self.broker.port, will_topic="$house/there"), "gone", announce=True))
        self.assertTrue(until(lambda: ("gone/there", b"online") in seen.heard))
        link._session.client.socket().shutdown(socket.SHUT_RDWR)
        self.assertTrue(until(lambda: ("gone/there", b"offline") in seen.heard))

    def test_a_dead_broker_is_noticed_and_nothing_comes_out_later(self) -> None:
        broker = Broker()
        self.addCleanup(broker.close)
        link, ears = self.opened(MqttLink(MqttOptions(port=broker.port), "h"))
        broker.kill()
        self.assertTrue(until(lambda: ears.losses))
        self.assertEqual(send(link, TopicCommand(topic="h/lamp", payload="1")), "Unreachable")
        link.close()
        with self.assertRaises(Unreachable):
            link.open(ears)
        broker.start()
        watcher, seen = self.opened(MqttLink(MqttOptions(port=broker.port), "w", ["h/#"]))
        link.open(ears)
        self.assertEqual(send(link, TopicCommand(topic="h/lamp", payload="2")), "sent")
        self.assertTrue(until(lambda: seen.heard))
        time.sleep(0.2)
        self.assertEqual(seen.heard, [("h/lamp", b"2")])
        watcher.close()

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_a_link_that_comes_and_goes_holds_no_sockets(self) -> None:
        broker = Broker()
        self.addCleanup(broker.close)
        link = MqttLink(MqttOptions(port=broker.port), "h", ["h/#"])
        held = len(os.listdir("/proc/self/fd"))
        before = resource.getrlimit(resource.RLIMIT_NOFILE)
        self.addCleanup(resource.setrlimit, resource.RLIMIT_NOFILE, before)
        gc.disable()
        self.addCleanup(gc.enable)
        resource.setrlimit(resource.RLIMIT_NOFILE, (held + 20, before[1]))
        for number in range(200):
            ears = Ears()
            link.open(ears)
            if number % 2:  # the connection is lost
                link._session.client.socket().shutdown(socket.SHUT_RDWR)
                self.assertTrue(until(lambda e=ears: e.losses))  # type: ignore[misc]
            link.close()
        self.assertLessEqual(len(os.listdir("/proc/self/fd")), held + 2)

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_a_broker_that_stops_answering_gets_nothing_later(self) -> None:
        broker = Broker()
        self.addCleanup(broker.close)
        _, seen = self.opened(MqttLink(MqttOptions(port=broker.port), "w", ["h/#"]))
        clock = Clock()
        for qos in (0, 1, 2):
            link, ears = self.opened(MqttLink(MqttOptions(port=broker.port), "h", clock=clock))
            self.assertEqual(send(link, TopicCommand(topic="h/lamp", payload=f"in time {qos}", qos=qos)), "sent")
            clock.ahead += 2 * FRESH
            broker._process.send_signal(signal.SIGSTOP)
            self.assertEqual(send(link, TopicCommand(topic="h/lamp", payload="late", qos=qos), 0.5), "Unreachable")
            link.close()
            broker._process.send_signal(signal.SIGCONT)
            link.open(ears)
            self.assertEqual(send(link, TopicCommand(topic="h/lamp", payload=f"after {qos}", qos=qos)), "sent")
        self.assertTrue(until(lambda: seen.heard[-1:] == [("h/lamp", b"after 2")]))
        self.assertEqual(
            [data.decode() for _, data in seen.heard], [f"{when} {q}" for q in (0, 1, 2) for when in ("in time", "after")]
        )

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_what_waited_in_a_broker_is_known_to_be_old(self) -> None:
        broker = Broker()
        self.addCleanup(broker.close)
        clock = Clock()
        _, ears = self.opened(MqttLink(MqttOptions(port=broker.port), "h", ["heard"], heard=True, clock=clock))
        speaker = Client(CallbackAPIVersion.VERSION2)
        speaker.connect("127.0.0.1", broker.port)
        speaker.loop_start()
        self.addCleanup(speaker.loop_stop)
        speaker.publish("heard", b"fresh").wait_for_publish(5)
        self.assertTrue(until(lambda: ears.heard))
        broker._process.send_signal(signal.SIGSTOP)
        speaker.publish("heard", b"old").wait_for_publish(5)
        clock.ahead += 60.0
        broker._process.send_signal(signal.SIGCONT)
        self.assertTrue(until(lambda: len(ears.heard) == 2))
        self.assertEqual(ears.waited[0], 0.0)
        self.assertGreater(ears.waited[1], 55.0)

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_passwords_come_from_the_environment(self) -> None:
        broker = Broker(users={"marigold": "kelp"})
        self.addCleanup(broker.close)
        options = MqttOptions(port=broker.port, username="marigold", password_env="PW")
        self.opened(MqttLink(options, "h", environment={"PW": "kelp"}))
        for environment, why in (({"PW": "wrong"}, "[Nn]ot auth"), ({}, "PW is not set")):
            with self.subTest(why), self.assertRaisesRegex(Unreachable, why):
                MqttLink(options, "h", environment=environment).open(Ears())

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_tls_with_a_ca_file(self) -> None:
        ca, key = self.folder / "ca.pem", self.folder / "key.pem"
        make = (
            "openssl",
            "req",
            "-x509",
            "-newkey",
            "rsa:2048",
            "-nodes",
            "-days",
            "2",
            "-subj",
            "/CN=127.0.0.1",
            "-addext",
            "subjectAltName=IP:127.0.0.1",
        )
        subprocess.run([*make, "-keyout", str(key), "-out", str(ca)], check=True, capture_output=True)
        broker = Broker(tls=(ca, ca, key))
        self.addCleanup(broker.close)
        link, _ = self.opened(MqttLink(MqttOptions(port=broker.port, ca_file=str(ca)), "h"))
        self.assertEqual(send(link, TopicCommand(topic="h", payload="1")), "sent")
        for wrong in ({"tls": True}, {"ca_file": str(self.folder / "none.pem")}):
            with self.subTest(wrong), self.assertRaises(Unreachable):
                MqttLink(MqttOptions(port=broker.port, **wrong), "h").open(Ears())

    @unittest.skipUnless(mosquitto(), "mosquitto is not installed")
    def test_a_broker_is_told_how_long_a_command_is_of_use(self) -> None:
        got: dict[bytes, Any] = {}
        watcher = Client(CallbackAPIVersion.VERSION2, protocol=MQTTv5)
        watcher.on_message = lambda c, u, message: got.update({message.payload: message.properties})
        subscribed = threading.Event()
        watcher.on_subscribe = lambda *told: subscribed.set()
        watcher.connect("127.0.0.1", self.broker.port)
        watcher.loop_start()
        self.addCleanup(watcher.loop_stop)
        watcher.subscribe("h/sleepy", qos=1)
        self.assertTrue(subscribed.wait(10))
        link, _ = self.opened(MqttLink(MqttOptions(port=self.broker.port, version="5"), "h"))
        for payload, seconds, retain in (("soon", 2.0, False), ("later", 29.5, False), ("kept", 5.0, True)):
            self.assertEqual(send(link, TopicCommand(topic="h/sleepy", payload=payload, retain=retain), seconds), "sent")
        self.assertTrue(until(lambda: len(got) == 3))
        expiries = {payload.decode(): getattr(told, "MessageExpiryInterval", None) for payload, told in got.items()}
        self.assertEqual(expiries, {"soon": 2, "later": 30, "kept": None})

    def test_devices_with_faults(self) -> None:
        household = self.household()
        link, ears = self.opened(MqttLink(MqttOptions(port=self.broker.port), "h", ["marigold/galley_lamp/level"]))
        self.assertTrue(until(lambda: ears.heard), "what the device is at is kept by the broker")

        def answers(faults: Faults, payload: str, seconds: float = 20.0) -> list[bytes]:
            household.faults = faults
            ears.heard.clear()
            link.send(TopicCommand(topic="marigold/galley_lamp/level/set", payload=payload), 10.0)
            until(lambda: ears.heard, seconds)
            return [data for _, data in ears.heard]

        self.assertEqual(answers(Faults(), "102"), [b"102"])
        self.assertEqual(answers(Faults(drop=1), "26", 0.5), [])
        self.assertNotIn(b"51", answers(Faults(garbage=1), "51", 3.0))
        started = time.monotonic()
        self.assertEqual(answers(Faults(delay=0.4), "77"), [b"77"])
        self.assertGreater(time.monotonic() - started, 0.35)
        self.assertEqual(answers(Faults(disconnect=1), "128", 0.7), [])
        self.assertTrue(until(lambda: answers(Faults(), "204", 3.0) == [b"204"]), "the devices come back")
        self.assertEqual(household.state["galley_lamp", "level"], 80)


class Boards(Wires):
    def link(self, household: Household, **options: Any) -> tuple[SerialLink, Ears]:
        board = household.parts["panel"]
        link, ears = self.opened(SerialLink(SerialOptions(port=board.path, start="<", end=">", **options)))  # type: ignore[union-attr]
        return link, ears

    def test_text_bytes_and_acknowledgements(self) -> None:
        house = _with(MARIGOLD, "panel", acknowledge="OK", timeout=0.4)
        household = self.household(house)
        link, ears = self.link(household, acknowledge="OK", timeout=0.4)
        self.assertEqual(send(link, TextCommand(text="mooring_light=1")), "sent")
        self.assertEqual(send(link, BytesCommand(data=b"\xaa\x21")), "sent")
        self.assertEqual([d for _, _, d in household.taken], [b"mooring_light=1", b"\xaa\x21"])
        self.assertEqual(household.state["mooring_light", "power"], "on")
        for faults in (Faults(drop=1), Faults(garbage=1)):
            household.faults = faults
            self.assertEqual(send(link, TextCommand(text="K0")), "Unanswered")
        household.faults = Faults()
        self.assertEqual(send(link, TextCommand(text="K0")), "sent")
        self.assertTrue(all(data.startswith(b"OK") for _, data in ears.heard))

    def test_noise_half_frames_and_a_pulled_plug(self) -> None:
        household = self.household()
        link, ears = self.link(household)
        board: Any = household.parts["panel"]
        for data in (b"\xff\x00\x80", b"<half", b"<whole>", os.urandom(3000).replace(b"<", b"").replace(b">", b""), b"<again>"):
            board.say(data)
        self.assertTrue(until(lambda: [d for _, d in ears.heard] == [b"whole", b"again"]), ears.heard)
        board.unplug(0.0)
        self.assertTrue(until(lambda: ears.losses))
        self.assertIn(send(link, TextCommand(text="K0")), ("Unanswered", "Unreachable"))
        link.close()
        link.open(ears)
        self.assertEqual(send(link, TextCommand(text="K1")), "sent")
        self.assertTrue(until(lambda: household.taken and household.taken[-1][2] == b"K1"))

    def test_a_port_that_is_not_there_or_taken(self) -> None:
        with self.assertRaisesRegex(Unreachable, "No such file"):
            SerialLink(SerialOptions(port="/dev/no-such-port")).open(Ears())
        household = self.household()
        self.link(household)
        with self.assertRaisesRegex(Unreachable, "another program"):
            self.link(household)


class Sockets(Wires):
    HOUSE = glossa.house.read_house(
        '[house]\nname = "Quay"\n'
        '[links.lift]\ntype = "tcp"\nhost = "192.0.2.1"\nport = 4000\nstart = "<"\nend = ">"\ngreeting = ["E4 01", "HELLO"]\ngap = 0.05\n'
        'acknowledge = "OK"\n'
        '[links.bell]\ntype = "udp"\nhost = "192.0.2.1"\nport = 4001\nacknowledge = "OK"\n'
        "[devices.hoist]\nnames = ['hoist']\nlink = 'lift'\n"
        "properties.height = { type = 'number', unit = 'percent', minimum = 0, maximum = 100, command = { text = 'H$raw' }, state = { text = 'H=$raw' } }\n"
        "[intents.hoist]\nphrases = ['[the] $device [to] $height']\nset = { height = '$height' }\n"
        "[intents.ring]\nphrases = ['ring the bell']\nsteps = [{ link = 'bell', bytes = '5C 01' }]\n"
    )

    def links(self) -> tuple[Household, TcpLink, Ears, UdpLink]:
        household = self.household(self.HOUSE)
        lift, bell = (household.house.links[n].options for n in ("lift", "bell"))
        assert isinstance(lift, TcpOptions) and isinstance(bell, UdpOptions)
        link, ears = self.opened(TcpLink(lift))
        return household, link, ears, self.opened(UdpLink(bell))[0]

    def test_the_greeting_goes_first_and_what_comes_back_is_read(self) -> None:
        household, lift, ears, bell = self.links()
        self.assertEqual(send(lift, TextCommand(text="H40")), "sent")
        self.assertEqual(send(lift, BytesCommand(data=b"\x5c\x02")), "sent")
        self.assertEqual(send(bell, BytesCommand(data=b"\x5c\x01")), "sent")
        lifted = b"".join(d for n, _, d in household.taken if n == "lift")
        self.assertEqual(lifted, b"\xe4\x01HELLOH40\x5c\x02")
        self.assertEqual([d for n, _, d in household.taken if n == "bell"], [b"\x5c\x01"])
        board = household.parts["lift"]
        assert isinstance(board, SocketBoard)
        for data in (b"\xff\x00noise", b"<half", b"<H=55>"):
            board.say(data)
        self.assertTrue(until(lambda: ("", b"H=55") in ears.heard), ears.heard)

    def test_once_and_in_time_or_reported(self) -> None:
        household, lift, ears, bell = self.links()
        for faults, how, within in (
            (Faults(drop=1), "Unanswered", 0.8),
            (Faults(garbage=1), "Unanswered", 0.8),
            (Faults(), "sent", 10.0),
        ):
            household.faults = faults
            self.assertEqual([send(k, TextCommand(text=t), within) for k, t in ((lift, "H1"), (bell, "R"))], [how, how])
        board = household.parts["lift"]
        assert isinstance(board, SocketBoard)
        board.hang_up()
        self.assertTrue(until(lambda: ears.losses))
        self.assertEqual(send(lift, TextCommand(text="H2")), "Unreachable")
        lift.close()
        lift.open(ears)
        self.assertEqual(send(lift, TextCommand(text="H3")), "sent")
        self.assertNotIn(b"H2", [d for _, _, d in household.taken])
        with self.assertRaisesRegex(Unreachable, "refused"):
            TcpLink(TcpOptions(host="127.0.0.1", port=9)).open(Ears())

    def test_a_half_taken_message_is_never_finished_later(self) -> None:
        with socket.socket() as server:
            server.bind(("127.0.0.1", 0))
            server.listen(1)
            link, _ = self.opened(TcpLink(TcpOptions(host="127.0.0.1", port=server.getsockname()[1], timeout=0.3)))
            house, _ = server.accept()
            whole = b"x" * 20_000_000
            self.assertEqual(send(link, BytesCommand(data=whole)), "Unanswered")
            came = 0
            while data := house.recv(1 << 20):
                came += len(data)
            self.assertLess(came, len(whole))
            house.close()

    def test_a_house_practises_here_and_nowhere_else(self) -> None:
        household = self.household(self.HOUSE)
        places = [(k.options.host, k.options.port) for k in household.house.links.values() if isinstance(k.options, TcpOptions)]
        self.assertEqual([host for host, _ in places], ["127.0.0.1"] * 2)
        with self.live(household.house, ()) as (live, records):
            for text in (b"hoist to forty", b"ring the bell"):
                live.offer(text, "test")
            self.assertTrue(until(lambda: len(of(records, "sent")) == 2), records)
        self.assertEqual(household.state["hoist", "height"], 40)


class Hooks(Wires):
    def test_answers_redirects_and_silence(self) -> None:
        household = self.household()
        hook: Any = household.parts["hooks"]
        link, _ = self.opened(WebLink(HttpOptions(url=hook.url, timeout=0.5, token_env="TOKEN"), {"TOKEN": "kelp"}))
        post, put = (RequestCommand(method=m, path="/log", body='{"a": 1}') for m in ("POST", "PUT"))
        self.assertEqual((send(link, post), household.taken), ("sent", [("hooks", "POST /log", b'{"a": 1}')]))
        hook.status, hook.location = 302, "http://127.0.0.1:9/elsewhere"
        with self.assertRaisesRegex(Declined, "redirect to http://127.0.0.1:9/elsewhere"):
            link.send(post, 10.0)
        hook.location = ""
        for number, (status, faults, command, wanted, repeated) in enumerate((
            (500, Faults(), post, Declined, False), (500, Faults(), put, Declined, False), (503, Faults(), post, Declined, False),
            (503, Faults(), put, Unanswered, True), (200, Faults(drop=1), post, Unanswered, False),
            (200, Faults(disconnect=1), post, Unanswered, False), (200, Faults(disconnect=1), put, Unanswered, True),
        )):  # fmt: skip
            with self.subTest(f"{status} {faults} {command.method}"):
                hook.status, household.faults = status, faults
                started = time.monotonic()
                with self.assertRaises(wanted):
                    link.send(replace(command, path=f"/log/{number}"), 10.0)
                self.assertLess(time.monotonic() - started, 8.0)
                tries = [place for _, place, _ in household.taken if place.endswith(f"/{number}")]
                self.assertEqual(len(tries) > 1, repeated)

    def test_a_server_that_answers_drop_by_drop_is_left(self) -> None:
        with socket.create_server(("127.0.0.1", 0)) as server:

            def drip() -> None:
                for _ in range(2):
                    talk, _ = server.accept()
                    with talk, contextlib.suppress(OSError):
                        for byte in b"HTTP/1.1 200 OK\r\nX-Slow: " + b"y" * 200:
                            talk.sendall(bytes([byte]))
                            time.sleep(0.05)

            threading.Thread(target=drip, daemon=True).start()
            link, _ = self.opened(WebLink(HttpOptions(url=f"http://127.0.0.1:{server.getsockname()[1]}", timeout=0.5)))
            started = time.monotonic()
            self.assertEqual(send(link, RequestCommand(method="POST", path="/x")), "Unanswered")
            self.assertLess(time.monotonic() - started, 8.0)

    def test_nobody_there(self) -> None:
        with self.assertRaisesRegex(Unreachable, "refused"):
            WebLink(HttpOptions(url="http://127.0.0.1:9")).open(Ears())


class Added(unittest.TestCase):
    """A type of links that another package brings."""

    MODULE = """
from glossa.house.links import LinkOptions
from glossa.links import Link

class LiftOptions(LinkOptions, frozen=True):
    takes = ("text",)
    shaft: int = 1

class LiftLink(Link):
    Options = LiftOptions

    @classmethod
    def of(cls, options, around):
        made = cls()
        made.shaft = options.shaft
        return made

    def open(self, inbox):
        pass

    def send(self, command, seconds):
        print(f"shaft {self.shaft} takes {command.text}")

    def close(self):
        pass
"""
    HOUSE = '[house]\nname = "Tower"\n[links.lift]\ntype = "lift"\nshaft = 2\n[intents.up]\nphrases = ["lift up"]\nsteps = [{ text = "UP" }]\n'

    def glossa(self, folder: Path, *arguments: str) -> tuple[int, str]:
        environment = os.environ | {"PYTHONPATH": str(folder)}
        command = [sys.executable, "-m", "glossa", *arguments]
        done = subprocess.run(command, cwd=folder, env=environment, capture_output=True, encoding="utf-8", input="lift up\n")
        return done.returncode, done.stdout + done.stderr

    def test_its_entry_point_is_all_it_takes(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "lifts.py").write_text(self.MODULE, encoding="utf-8")
            (folder / "house.toml").write_text(self.HOUSE, encoding="utf-8")
            self.assertEqual(self.glossa(folder, "check", ".")[0], 2)
            info = folder / "lifts-1.0.dist-info"
            info.mkdir()
            (info / "METADATA").write_text("Metadata-Version: 2.1\nName: lifts\nVersion: 1.0\n", encoding="utf-8")
            (info / "entry_points.txt").write_text("[glossa.links]\nlift = lifts:LiftLink\n", encoding="utf-8")
            self.assertEqual(self.glossa(folder, "check", ".")[0], 0)
            self.assertIn("shaft 2 takes UP", self.glossa(folder, "listen", ".", "--log", "/dev/null")[1])
            for written, told in (
                ("shaft = 'x'", "must be"),
                ("shafts = 2", "a lift link has no 'shafts'"),
                ("shaft = 2\nqos = 1", "no 'qos'"),
            ):
                (folder / "house.toml").write_text(self.HOUSE.replace("shaft = 2", written), encoding="utf-8")
                code, out = self.glossa(folder, "check", ".")
                self.assertEqual((code, told in out), (2, True), out)


class Callbacks(unittest.TestCase):
    def test_a_function_is_called_with_the_slots(self) -> None:
        house = glossa.house.read_house(
            '[house]\nname = "H"\n[links.py]\ntype = "callback"\n[slots.n]\ntype = "number"\n[intents.tune]\nphrases = ["station $n"]\nsteps = [{ call = "tune" }]\n'
        )
        event = glossa.Conversation(house).hear("station twelve")
        called: list[object] = []
        link = make_link("py", Surroundings(house, functions={"tune": lambda n: called.append(n)}))
        self.assertEqual((send(link, event.commands[0]), called), ("sent", [12]))
        self.assertEqual(
            send(make_link("py", Surroundings(house, functions={"tune": lambda: None})), event.commands[0]), "Declined"
        )
        self.assertEqual(send(make_link("py", Surroundings(house)), event.commands[0]), "Declined")


class Listening(Wires):
    def test_from_a_topic_to_every_wire_and_back(self) -> None:
        household = self.household()
        options = {"replies": ["mqtt:marigold/answers"], "health": "mqtt:marigold/health"}
        speaker, seen = self.opened(MqttLink(MqttOptions(port=self.broker.port), "r", ["marigold/answers", "marigold/health"]))
        speaker.publish("marigold/heard/old", b"radio on", 1, True, 2.0)
        with self.live(household.house, "mqtt:boat:marigold/heard/#", **options) as (_, records):
            for said in (
                "galley lamp to forty",
                "mooring light on",
                "note in the log stopped for lunch",
                '{"text": "saloon lam", "alternatives": ["saloon lamp on"]}',
            ):
                speaker.publish("marigold/heard/galley", said.encode(), 1, False, 2.0)
            self.assertTrue(until(lambda: len(of(records, "sent")) == 4), records)
            self.assertTrue(until(lambda: household.state["saloon_lamp", "power"] == "on"))
            self.assertEqual((household.state["galley_lamp", "level"], household.state["mooring_light", "power"]), (40, "on"))
            self.assertTrue(until(lambda: ("marigold/answers", b"galley lamp at 40 percent") in seen.heard))
            speaker.publish("marigold/heard/galley", b"how bright is the galley lamp", 1, False, 2.0)
            self.assertTrue(until(lambda: ("marigold/answers", b"galley lamp is at 40 percent") in seen.heard), seen.heard)
            self.assertTrue(until(lambda: any(p == "marigold/health" for p, _ in seen.heard)))
        self.assertNotIn("radio on", [r.get("utterance") for r in of(records, "heard")])
        self.assertIn("retained", of(records, "trouble")[0]["why"])
        speaker.publish("marigold/heard/old", b"", 1, True, 2.0)

    def test_a_broker_that_is_killed_in_mid_flight(self) -> None:
        broker = Broker()
        self.addCleanup(broker.close)
        house = _with(_with(MARIGOLD, "boat", port=broker.port), "panel", port=self.household().house.links["panel"].options.port)
        lamps = ("galley", "saloon", "worktop", "reading", "engine room")
        with self.live(house, "http:0/heard") as (live, records):
            for number in range(120):
                live.offer(f"{lamps[number % 5]} lamp to {number % 60}".encode(), "test")
                time.sleep(0.005)
                if number == 40:
                    broker.kill()
                if number == 70:
                    broker.start()
            self.assertTrue(until(lambda: len(of(records, "sent", "failed")) == 120, 20), len(of(records, "sent", "failed")))
            self.assertTrue(until(lambda: len(of(records, "sent")) > 60))
        links = [r["state"] for r in of(records, "link") if r["link"] == "boat"]
        self.assertEqual(links[:2], ["up", "down"])
        self.assertLessEqual(len(links), 3)

    def test_posted_text_is_answered_and_pages_are_refused(self) -> None:
        household = self.household()
        with self.live(household.house, "http:0/heard", token="kelp") as (live, _):
            port = live._endpoints[0].port

            def post(body: bytes, path: str = "/heard", **headers: str) -> tuple[int, Any]:
                talk = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
                talk.request("POST", path, body, {"Authorization": "Bearer kelp", **headers})
                answer = talk.getresponse()
                text = answer.read()
                return answer.status, json.loads(text) if text else None

            status, found = post(b"galley lamp on")
            self.assertEqual((status, found["outcome"], found["reply"]), (200, "accept", "galley lamp on"))
            self.assertEqual(post(b'{"text": "saloon lamp off", "confidence": 0.9}')[1]["intent"], "switch")
            for wanted, sent in (
                (204, {"body": b'{"text": "galley", "final": false}'}), (403, {"body": b"x", "Origin": "http://example.org"}), (401, {"body": b"x", "Authorization": "Bearer k"}),
                (404, {"body": b"x", "path": "/"}), (413, {"body": b"x", "Content-Length": "99999999"}), (411, {"body": b"x", "Content-Length": "-5"}),
                (400, {"body": b'{"text": ' * 7000}), (400, {"body": b'{"text": ' * 7000}), (421, {"body": b"x", "Host": "lamps.example"}),
                (400, {"body": b'{"text": "galley lamp on", "time": "nan"}'}),
            ):  # fmt: skip
                with self.subTest(wanted):
                    self.assertEqual(post(**sent)[0], wanted)  # type: ignore[arg-type]
            for wanted, headers in ((401, {}), (421, {"Host": "lamps.example", "Authorization": "Bearer kelp"})):
                talk = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
                talk.request("GET", "/health", headers=headers)
                self.assertEqual(talk.getresponse().status, wanted)
            talk = http.client.HTTPConnection("127.0.0.1", port, timeout=10)
            talk.request("GET", "/health", headers={"Authorization": "Bearer kelp"})
            health = json.loads(talk.getresponse().read())
            self.assertEqual(
                {name: link["state"] for name, link in health["links"].items()}, {"boat": "up", "panel": "up", "hooks": "up"}
            )
            self.assertGreaterEqual(health["accepted"], 2)

    def test_half_requests_do_nothing_and_slow_ones_make_room(self) -> None:
        heard: list[bytes] = []

        def hear(body: bytes, waited: float) -> dict[str, int]:
            heard.append(body)
            return {"n": len(heard)}

        told: list[str] = []
        endpoint = Endpoint("127.0.0.1", 0, path="/heard", hear=hear, token="kélp", trouble=told.append)
        self.addCleanup(endpoint.close)

        def connection(length: int | str, body: bytes) -> socket.socket:
            made = socket.create_connection(("127.0.0.1", endpoint.port), timeout=20)
            self.addCleanup(made.close)
            head = f"POST /heard HTTP/1.1\r\nHost: localhost\r\nAuthorization: Bearer kélp\r\nContent-Length: {length}\r\n\r\n"
            made.sendall(head.encode() + body)
            return made

        self.assertIn(b" 413 ", connection("9" * 5000, b"galley").recv(1000).splitlines()[0])
        with mock.patch("glossa.live.endpoint.REQUEST_TIME", 0.5):
            self.assertIn(b" 408 ", connection(14, b"galley").recv(1000).splitlines()[0])
        self.assertEqual([why.split(": ")[1][:16] for why in told], ["longer than 6553", "the body took lo"])
        cut = connection(14, b"galley")
        cut.shutdown(socket.SHUT_WR)
        self.assertIn(b" 400 ", cut.recv(1000).splitlines()[0])
        slow = [connection(14, b"g") for _ in range(MOST_CONNECTIONS + 6)]
        self.assertIn(b" 200 ", connection(14, b"galley lamp on").recv(1000).splitlines()[0])
        slow[-1].sendall(b"alley lamp on")
        self.assertIn(b" 200 ", slow[-1].recv(1000).splitlines()[0])
        self.assertEqual(heard, [b"galley lamp on"] * 2)
        with self.live(
            MARIGOLD, ("http:0.0.0.0:0/heard"), links={n: SimulatedLink(glossa.SimulatedHouse(MARIGOLD)) for n in MARIGOLD.links}
        ) as (_, records):
            self.assertIn("asks for no token", of(records, "trouble")[0]["why"])
        six = Endpoint("::1", 0, health=lambda: {"up": 1})
        self.addCleanup(six.close)
        talk = http.client.HTTPConnection("::1", six.port, timeout=10)
        talk.request("GET", "/")
        self.assertEqual(talk.getresponse().status, 200)

    def test_a_serial_recogniser_and_a_program_that_speaks(self) -> None:
        house = _with(MARIGOLD, "panel", acknowledge="OK")
        household = self.household(house)
        told = self.folder / "told.txt"
        with self.live(household.house, "serial:panel", replies=[f"run:sh -c 'cat >> {told}'"]) as (_, records):
            board: Any = household.parts["panel"]
            for data in (b"\xff\xf0<galley lamp", b" on>", b"<\x01\x02>", b"<the kettle was a present>", b"<mooring light on>"):
                board.say(data)
            self.assertTrue(until(lambda: len(of(records, "sent")) == 2), records)
            self.assertTrue(until(lambda: told.exists() and "galley lamp on" in told.read_text()))
        self.assertEqual([r["outcome"] for r in of(records, "heard")], ["accept", "reject", "accept"])
        self.assertIn("noise", of(records, "ignored")[0]["why"])

    def test_sources_of_the_house_file_on_bare_ports(self) -> None:
        ports = [free_port(), free_port()]
        house = glossa.house.read_house(
            '[house]\nname = "Quay"\n'
            f'[sources.radio]\ntype = "tcp"\nport = {ports[0]}\n[sources.buzzer]\ntype = "udp"\nport = {ports[1]}\nstart = "<"\nend = ">"\n'
            "[devices.lamp]\nnames = ['lamp']\nproperties.power = { type = 'switch', command = { topic = 'lamp', payload = '$raw' } }\n"
            "[intents.s]\nphrases = ['[the] $device $power']\nset = { power = '$power' }\n"
        )
        radio, buzzer = (place_of(source, house) for source in house.sources.values())
        with self.live(house, (), sources=(radio, buzzer)) as (_, records):
            with socket.create_connection(("127.0.0.1", ports[0])) as wire:
                wire.sendall(b"lamp on\nla")
                self.assertTrue(until(lambda: len(of(records, "heard")) == 1), records)
                wire.sendall(b'mp off\r\n{"text": "lamp on", "final": false}\n\xff\xfe\x00 half a line')
                self.assertTrue(until(lambda: len(of(records, "heard")) == 2), records)
            with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as wire:
                for data in (b"lamp on", b"<lamp on", b"<the lamp on>", os.urandom(60_000)):
                    wire.sendto(data, ("127.0.0.1", ports[1]))
            self.assertTrue(until(lambda: len(of(records, "heard")) == 3 and len(of(records, "trouble")) == 2), records)
        heard = [(r["source"], r["utterance"], r["outcome"]) for r in of(records, "heard")]
        self.assertEqual(
            heard, [("radio", "lamp on", "accept"), ("radio", "lamp off", "accept"), ("buzzer", "the lamp on", "accept")]
        )
        told = " ".join(r["why"] for r in of(records, "trouble"))
        self.assertIn("ended within a line", told)
        self.assertIn("not between '<' and '>'", told)
        with self.live(house, (), sources=(radio,)), self.assertRaisesRegex(OSError, "in use"):
            Live(house, [radio], lambda record: None).run()

    def test_a_slow_start_makes_nothing_late(self) -> None:
        house = glossa.house.read_house(
            '[house]\nname = "Quay"\n[links.bus]\ntype = "simulated"\n'
            "[devices.lamp]\nnames = ['lamp']\nproperties.power = { type = 'switch', command = { topic = 'lamp', payload = '$raw' } }\n"
            "[intents.s]\nphrases = ['[the] $device $power']\nset = { power = '$power' }\n"
        )
        records: list[Record] = []
        clock = Clock()
        for room in ("listen", "courier"):
            self.enterContext(mock.patch(f"glossa.live.{room}.clock", clock))
        live = Live(house, [f"udp:127.0.0.1:{free_port()}"], records.append, awake=True, max_age=1.0)
        clock.ahead += 30.0  # a small machine, and a large house to compile
        thread = threading.Thread(target=live.run)
        thread.start()
        self.assertTrue(until(lambda: of(records, "start")))
        live.offer(b"lamp on", "udp")
        self.assertTrue(until(lambda: of(records, "heard", "ignored")), records)
        live.stop("ended")
        thread.join(60)
        self.assertEqual([r["outcome"] for r in of(records, "heard")], ["accept"])

    def test_a_recogniser_that_sends_codes(self) -> None:
        board, other = os.openpty()
        tty.setraw(other)
        self.addCleanup(os.close, board)
        port = free_port()
        house = glossa.house.read_house(
            '[house]\nname = "Quay"\nrepeat = 0.3\n'
            f'[sources.module]\ntype = "serial"\nport = "{os.ttyname(other)}"\ncode_bytes = 2\ncodes = "module.csv"\n'
            f'[sources.panel]\ntype = "tcp"\nport = {port}\nstart = "<"\nend = ">"\ncodes = "panel.csv"\n'
            "[devices.lamp]\nnames = ['lamp']\nproperties.power = { type = 'switch', command = { topic = 'lamp', payload = '$raw' } }\n"
            "[intents.s]\nphrases = ['[the] $device $power']\nset = { power = '$power' }\n",
            {
                "module.csv": "code,utterance\n5C 01,lamp on\n5c02,lamp off\n5C 03,lamp on\n",
                "panel.csv": "code,utterance\nK1,lamp off\n",
            },
        )
        os.close(other)
        places = tuple(place_of(source, house) for source in house.sources.values())
        with mock.patch("glossa.links.frames.STALE", 0.2), self.live(house, (), sources=places) as (_, records):

            def heard(count: int) -> list[str]:
                self.assertTrue(until(lambda: len(of(records, "heard")) >= count), records)
                return [f"{r['source']} {r['utterance']} {r['outcome']}" for r in of(records, "heard")]

            self.assertTrue(until(lambda: sum(r.kind == "link" for r in records) == 2), records)
            os.write(board, b"\x5c")
            time.sleep(0.02)
            os.write(board, b"\x01")
            self.assertEqual(heard(1), ["module lamp on accept"])
            os.write(board, b"\x5c\x01\x5c\x01\x5c\x09\x5c\x09\x5c")  # it chatters, sends what nobody knows, and half a code
            self.assertEqual(heard(3)[1:], ["module lamp on asleep"] * 2)
            time.sleep(0.3)  # half a code is dropped meanwhile
            os.write(board, b"\x5c\x02")
            heard(4)
            time.sleep(0.4)
            with socket.create_connection(("127.0.0.1", port)) as wire:
                wire.sendall(b"noise<K1><K1")
                self.assertEqual(heard(5)[3:], ["module lamp off accept", "panel lamp off accept"])
        told = [r["why"] for r in of(records, "trouble")]
        self.assertEqual(sum("5C 09" in why for why in told), 1, told)

    def test_a_websocket_that_closes_and_says_too_much(self) -> None:
        said: SimpleQueue[str | None] = SimpleQueue()

        def serve_one(wire: ServerConnection) -> None:
            tokens.append(wire.request.headers.get("Authorization") if wire.request is not None else None)
            while (text := said.get()) is not None:
                wire.send(text)

        tokens: list[str | None] = []
        server = serve(serve_one, "127.0.0.1", 0)
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        self.addCleanup(server.shutdown)
        self.addCleanup(lambda: [said.put(None) for _ in range(5)])
        house = glossa.house.read_house(
            f'[house]\nname = "Ear"\n[sources.ear]\ntype = "websocket"\nurl = "ws://127.0.0.1:{server.socket.getsockname()[1]}"\ntoken_env = "T"\n'
            "[devices.lamp]\nnames = ['lamp']\nproperties.power = { type = 'switch', command = { topic = 'lamp', payload = '$raw' } }\n"
            "[intents.s]\nphrases = ['[the] $device $power']\nset = { power = '$power' }\n"
        )
        (ear,) = (place_of(source, house) for source in house.sources.values())
        with self.live(house, (), sources=(ear,), environment={"T": "kelp"}) as (_, records):
            for text in ('{"text": "lamp", "final": false}', '{"text": "lamp on", "final": true}'):
                said.put(text)
            self.assertTrue(until(lambda: len(of(records, "heard")) == 1), records)
            said.put("lamp off " * 1_000_000)  # the connection ends there
            self.assertTrue(
                until(lambda: [r["state"] for r in of(records, "link") if r["link"] == "ear"] == ["up", "down", "up"]), records
            )
            said.put(None)  # the server's first end, which waits for something to say
            said.put("the lamp off")
            self.assertTrue(until(lambda: len(of(records, "heard")) == 2), records)
        self.assertEqual([r["utterance"] for r in of(records, "heard")], ["lamp on", "the lamp off"])
        self.assertEqual(tokens, ["Bearer kelp"] * 2)

    def test_the_dinghy_with_a_module_that_forgets(self) -> None:
        household = self.household(glossa.load_house("dinghy"))
        (module,) = household.modules.values()
        self.assertFalse(module.hear("full ahead"), "nobody has greeted it")
        places = tuple(place_of(source, household.house) for source in household.house.sources.values())
        with self.live(household.house, (), sources=places) as (_, records):
            self.assertTrue(until(lambda: module.ready and module.loaded == ""))
            self.assertFalse(module.hear("make tea"))
            self.assertTrue(module.hear("take the tow"))
            self.assertTrue(until(lambda: module.loaded == "towing"))
            module.unplug(0.2)
            self.assertFalse(module.ready)
            self.assertTrue(
                until(lambda: module.ready and module.loaded == "towing"), "greeted again, and told of the mode that is on"
            )
            self.assertTrue(module.hear("more slack"))
            self.assertTrue(until(lambda: [d for _, _, d in household.taken] == [b"HELLO", b"S+"]), household.taken)
        self.assertEqual([(r["mode"], r["sources"]) for r in of(records, "mode")], [("towing", ["module"])])

    def test_a_recogniser_is_told_what_to_listen_for(self) -> None:
        text = (
            '[house]\nname = "Helm"\n[sources.module]\ntype = "serial"\nport = "PORT"\ncode_bytes = 1\ncodes = "m.csv"\ngap = 0.02\n'
            'greeting = ["D1 02", "GO"]\nmodes = { steering = ["D1 42", "D1 43"], "" = ["D1 41"] }\n[modes.steering]\nidle = 0.6\n'
            '[intents.take]\nphrases = ["take the helm"]\nenter_mode = "steering"\n'
        )
        sheets = {"m.csv": "code,utterance\n01,take the helm\n"}
        with self.assertRaisesRegex(HouseError, "there is no mode 'stering'"):
            glossa.house.read_house(text.replace("{ steering", "{ stering"), sheets)
        board, other = os.openpty()
        tty.setraw(other)
        self.addCleanup(os.close, board)
        house = glossa.house.read_house(text.replace("PORT", os.ttyname(other)), sheets)
        os.close(other)
        told = bytearray()

        def read(whole: bytes) -> None:
            while len(told) < len(whole) and select.select([board], [], [], 10.0)[0]:
                told.extend(os.read(board, 100))
            self.assertEqual(bytes(told), whole)

        with self.live(house, (), sources=tuple(place_of(source, house) for source in house.sources.values())) as (_, records):
            read(b"\xd1\x02GO\xd1\x41")
            os.write(board, b"\x01")
            read(b"\xd1\x02GO\xd1\x41\xd1\x42\xd1\x43")
            read(b"\xd1\x02GO\xd1\x41\xd1\x42\xd1\x43\xd1\x41")
        self.assertEqual([(r["mode"], r["sources"]) for r in of(records, "mode")], [("steering", ["module"]), ("", ["module"])])

    def test_only_a_valid_changed_house_is_loaded(self) -> None:
        path = self.folder / "house.toml"
        text = (glossa.files.find_house("marigold")).read_text().replace('tables = ["codes.csv"]', "")
        household = self.household()
        for name, key in (("boat", 1883), ("panel", '"/dev/ttyUSB0"')):
            new = household.house.links[name].options.port
            text = text.replace(f"port = {key}", f"port = {json.dumps(new)}")
        text = text.replace("http://127.0.0.1:8080", str(household.house.links["hooks"].options.url))
        path.write_text(text)
        self.enterContext(mock.patch("glossa.live.listen.LOOK", 0.05))
        with self.live(glossa.load_house(path), "http:0/heard", watch=Watch(str(path))) as (live, records):
            live.offer(b"galley lamp on", "test")
            path.write_text(text.replace('kind = "lamp"\nnames = ["galley lamp"]', 'kind = "lmap"\nnames = ["galley lamp"]'))
            self.assertTrue(until(lambda: of(records, "house")))
            self.assertIn("did you mean 'lamp'?", of(records, "house")[0]["problems"][0])
            live.offer(b"galley lamp off", "test")
            path.write_text(text.replace('names = ["galley lamp"]', 'names = ["lantern"]'))
            self.assertTrue(until(lambda: len(of(records, "house")) == 2))
            live.offer(b"lantern on", "test")
            self.assertTrue(until(lambda: len(of(records, "sent")) == 3), records)
        self.assertEqual([r["state"] for r in of(records, "house")], ["kept", "loaded"])
        self.assertEqual(len(of(records, "link")), 3, "links that did not change stay")

    def test_what_is_under_way_may_end_and_no_longer(self) -> None:
        for grace, sent in ((5.0, 2), (0.2, 1)):
            with self.live(MARIGOLD, (), grace=grace, dry=True) as (live, records):
                live.offer(b"run the bilge pump for one second", "test")
                self.assertTrue(until(lambda r=records: of(r, "sent")))  # type: ignore[misc]
                live.stop("ended")
                live.stop("ended")
            self.assertEqual(
                [r["how"] for r in of(records, "sent", "failed")], ["sent", "sent"] if sent == 2 else ["sent", "dropped"]
            )

    def test_a_variable_that_is_not_set_is_told_at_the_start(self) -> None:
        house = _with(MARIGOLD, "hooks", token_env="HOOK_TOKEN")
        links: dict[str, Link] = {name: SimulatedLink(glossa.SimulatedHouse(MARIGOLD)) for name in MARIGOLD.links}
        for environment, told in (({}, 1), ({"HOOK_TOKEN": "kelp"}, 0)):
            with self.live(house, (), links=links, environment=environment) as (_, records):
                self.assertTrue(until(lambda r=records: of(r, "start")))  # type: ignore[misc]
            found = [r["why"] for r in of(records, "trouble") if "HOOK_TOKEN" in r["why"]]
            self.assertEqual(len(found), told, found)

    def test_every_command_ends_and_none_leaves_after_the_end(self) -> None:
        household = self.household(LAMPS)
        for grace, hurry in ((0.0, False), (5.0, True)):
            with self.subTest(grace=grace, hurry=hurry):
                household.faults = Faults(delay=0.5)
                household.taken.clear()
                with self.live(household.house, (), grace=grace) as (live, records):
                    live.offer(b"all the lamps on", "test")
                    self.assertTrue(until(lambda r=records: of(r, "sent")))  # type: ignore[misc]
                    live.stop("ended")
                    if hurry:
                        live._stopped_at -= 1.0
                        live.stop("ended")
                told, left = records[-1].data, len(household.taken)
                self.assertEqual((records[-1].kind, told["sent"] + told["failed"]), ("stop", 12))
                ended = [r["command"] for r in of(records, "sent", "failed")]
                self.assertEqual((len(ended), len(set(ended))), (12, 12))
                time.sleep(0.7)  # one more would have gone out
                self.assertEqual(len(household.taken), left)
                self.assertLessEqual(told["sent"], left)

    def test_a_link_of_ones_own_and_functions(self) -> None:
        class Shelf(Link):
            def __init__(self) -> None:
                self.taken: list[str] = []

            def send(self, command: Command, seconds: float) -> None:
                if "saloon" in command.topic:
                    raise RuntimeError("a bug in somebody's link")
                self.taken.append(str(command))

        shelf = Shelf()
        with self.live(MARIGOLD, (), links={"boat": shelf}, dry=True) as (live, records):
            for said in (b"galley lamp on", b"saloon lamp on", b"worktop lamp on"):
                live.offer(said, "test")
            self.assertTrue(until(lambda: len(of(records, "sent", "failed")) == 3))
        self.assertEqual(shelf.taken, [f"boat marigold/{lamp}_lamp/power/set 1" for lamp in ("galley", "worktop")])
        self.assertEqual(
            (of(records, "failed")[0]["how"], of(records, "said")[0]["reply"]), ("unconfirmed", "No answer from saloon lamp")
        )

    def test_more_than_it_can_hear_is_told_of_once(self) -> None:
        with self.live(MARIGOLD, (), dry=True, max_age=120.0) as (live, records):
            hear, all_said = live.engine.hear, threading.Event()
            live.engine.hear = lambda *a: (all_said.wait(60), hear(*a))[1]  # type: ignore[method-assign]
            taken = sum(live.offer(b"galley lamp to %d" % (n % 90), "test") for n in range(MOST_HEARD + 50))
            all_said.set()
            self.assertTrue(until(lambda: len(of(records, "heard")) == taken, 60))
        self.assertIn(taken - MOST_HEARD, (0, 1), "one may be in hand")
        self.assertEqual([r["why"][:16] for r in of(records, "trouble")], ["test sends faste"])

    def test_programs_that_speak_badly(self) -> None:
        told: list[str] = []
        speaker = Speaker(("sh", "-c", "exit 3"), told.append)
        speaker.say("hello")
        self.assertTrue(until(lambda: told == ["sh ended with exit code 3"]), told)
        speaker.close()
        slow = Speaker(("sh", "-c", f"cat >> {self.folder}/said; sleep 0.3"), told.append)
        for number in range(20):
            slow.say(f"reply {number}")
        self.assertTrue(
            until(lambda: "reply 19" in (self.folder / "said").read_text() if (self.folder / "said").exists() else False)
        )
        self.assertLess(len((self.folder / "said").read_text().splitlines()), 9, "old answers are dropped")
        slow.close()

    def test_nothing_that_shows_changes_what_is_answered(self) -> None:
        shown: list[str] = []
        heard: list[Record] = []

        def show(record: Record) -> None:
            shown.append(record.kind)
            if record.kind == "heard":
                heard.append(record)
                raise KeyError("readings")

        live = Live(MARIGOLD, ["http:0/heard"], show, awake=True, dry=True, why=True, matcher=glossa.Matcher(MARIGOLD))
        thread = threading.Thread(target=live.run)
        thread.start()
        self.assertTrue(until(lambda: "link" in shown and live._endpoints))
        for _ in range(2):
            talk = http.client.HTTPConnection("127.0.0.1", live._endpoints[0].port, timeout=10)
            talk.request("POST", "/heard", b"galley lamp on then the stove fan off")
            answer = talk.getresponse()
            self.assertEqual((answer.status, len(json.loads(answer.read())["parts"])), (200, 2))
            time.sleep(0.8)  # the same text at once would be one text
        live.stop("ended")
        thread.join(60)
        self.assertEqual((shown.count("heard"), shown.count("sent"), shown[-1]), (2, 4, "stop"))
        self.assertIn("stove fan = stove_fan", record_line(heard[0]).plain)

    def test_an_internal_error_ends_one_line_only(self) -> None:
        with self.live(MARIGOLD, (), dry=True) as (live, records):
            hear = live.engine.hear
            live.engine.hear = lambda *a: 1 / 0  # type: ignore[method-assign, assignment]
            live.offer(b"galley lamp on", "test")
            self.assertTrue(until(lambda: of(records, "trouble")))
            live.engine.hear = hear  # type: ignore[method-assign]
            live.offer(b"galley lamp on", "test")
            self.assertTrue(until(lambda: of(records, "sent")))
        self.assertIn("ZeroDivisionError", of(records, "trouble")[0]["why"])


class Processes(Wires):
    """The command line as somebody runs it."""

    def start(self, *arguments: str, **options: Any) -> subprocess.Popen[bytes]:
        process = subprocess.Popen(
            [sys.executable, "-m", "glossa", *arguments],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            cwd=self.folder,
            **options,
        )
        self.addCleanup(self.end, process)
        return process

    @staticmethod
    def end(process: subprocess.Popen[bytes]) -> None:
        process.terminate()
        try:
            process.communicate(timeout=120)
        except subprocess.TimeoutExpired:
            process.kill()
            process.communicate()

    def practice(self) -> Path:
        """A household that runs as a program, with a house that leads to it."""
        process = self.start("household", "marigold", "--broker", "--write", "practice")
        assert process.stdout is not None
        self.assertTrue(until(lambda: (self.folder / "practice" / "house.toml").exists(), 20))
        return self.folder / "practice"

    def test_a_session_is_logged_and_replayed(self) -> None:
        place = self.practice()
        said = (
            b"ahoy barnacle\ngalley lamp to forty\n"
            + b"x" * 10_000_000
            + b"\n\xff\xfe galley\nmooring light on\n"
            + b'{"text": ' * 5000
            + b"\nnote in the log all is well\nmooring light off"
        )
        process = self.start("listen", str(place), "--json", "--reply", "run:cat")
        out, err = process.communicate(said, timeout=120)
        self.assertEqual((process.returncode, err), (0, b""))
        records = [json.loads(line) for line in out.splitlines()]
        self.assertEqual(
            (records[0]["event"], records[-1]["event"], records[-1]["sent"], records[-1]["failed"]), ("start", "stop", 3, 0)
        )
        self.assertEqual(len([r for r in records if r["event"] == "ignored"]), 2)
        self.assertIn("ended within a line", next(r["why"] for r in records if r["event"] == "trouble"))
        code, shown, _ = run("log", str(place), "--outcome", "accept")
        self.assertEqual((code, shown.count("accept")), (0, 3))
        self.assertEqual(run("replay", str(place))[1].split("\n")[-2].split(" would")[0], "0 of 5")

    def test_send_and_watch(self) -> None:
        place = str(self.practice())
        watching = self.start(
            "watch", place, "--link", "boat", "--topic", "marigold/galley_lamp/#", "--json", "--count", "4", "--seconds", "60"
        )
        assert watching.stderr is not None
        self.assertIn(b"boat is up", watching.stderr.readline())
        code, out, _ = run("send", place, "galley_lamp", "level=half", "--wait", "2")
        self.assertEqual((code, out.count("boat marigold/galley_lamp/level/set 128")), (0, 1))
        self.assertIn("galley_lamp level 50", out)
        for call in (("panel", '"K0"'), ("panel", "5C", "01"), ("hooks", "POST", "/log", '{"text": "hi"}')):
            self.assertEqual(run("send", place, *call, "--wait", "0")[0], 0)
        seen = [json.loads(line) for line in watching.communicate(timeout=90)[0].splitlines()]
        states = [r["states"] for r in seen if r["topic"] == "marigold/galley_lamp/level" and not r["retained"]]
        self.assertEqual(states, [[{"device": "galley_lamp", "property": "level", "value": 50}]])
        for wrong in (
            ("galley_lamp", "level=banana"),
            ("galley_lamp", "level=400"),
            ("lamp",),
            ("panel", "K0"),
            ("boat", "a/#", "1"),
        ):
            with self.subTest(wrong):
                code, _, err = run("send", place, *wrong)
                self.assertEqual(code, 2)
                self.assertNotIn("Traceback", err)
        self.assertEqual(run("send", "marigold", "boat", "a/b", "1")[0], 2)

    def test_a_signal_ends_it_cleanly_and_two_share_no_log(self) -> None:
        place = str(self.practice())
        for number in (signal.SIGINT, signal.SIGTERM):
            process = self.start("listen", place, "--from", "http:127.0.0.1:0", "--json")
            assert process.stdout is not None
            self.assertIn(b'"start"', process.stdout.readline())
            second = self.start("listen", place)
            out, err = second.communicate(b"", timeout=120)
            self.assertEqual((second.returncode, out), (2, b""))
            self.assertIn(b"another glossa listen is writing this log", err)
            process.send_signal(number)
            out, err = process.communicate(timeout=120)
            self.assertEqual((process.returncode, json.loads(out.splitlines()[-1])["event"], err), (0, "stop", b""))

    def test_words_heard_while_suspended_are_late(self) -> None:
        place = self.practice()
        port = glossa.load_house(place).links["boat"].options.port
        process = self.start(
            "listen", str(place), "--awake", "--json", "--max-age", "0.5", "--no-log",
            "--from", "stdin", "--from", "mqtt:boat:heard", "--from", "http:127.0.0.1:0/heard",
        )  # fmt: skip
        assert process.stdin is not None and process.stdout is not None
        records: list[dict[str, Any]] = []

        def of(*events: str) -> list[dict[str, Any]]:
            return [r for r in records if r["event"] in events]

        reader = threading.Thread(target=lambda: records.extend(map(json.loads, process.stdout or ())), daemon=True)
        reader.start()
        self.assertTrue(until(lambda: [r for r in of("link") if r["link"] == "boat"]))
        speaker = MqttLink(MqttOptions(port=port), "s")
        speaker.open(Ears())
        self.addCleanup(speaker.close)

        def say(text: bytes) -> None:
            assert process.stdin is not None
            process.stdin.write(text + b" on\n")
            process.stdin.flush()
            speaker.publish("heard", text + b" off", 1, False, 2.0)

        say(b"mooring light")
        self.assertTrue(until(lambda: len(of("heard")) == 2), records)
        process.send_signal(signal.SIGSTOP)
        say(b"galley lamp")
        time.sleep(1.5)
        process.send_signal(signal.SIGCONT)
        self.assertTrue(until(lambda: of("ignored")), records)
        for _ in range(40):
            say(b"saloon lamp")
            if until(lambda: len(of("heard")) >= 4, 0.2):
                break
        self.assertGreaterEqual(len(of("heard")), 4, records)
        self.assertNotIn("galley", json.dumps(of("heard", "sent")))
        self.assertEqual({r["why"] for r in of("ignored")}, {"late"})

    def test_what_was_cut_off_is_known_at_the_next_start(self) -> None:
        place = self.practice()
        text = (place / "house.toml").read_text()
        for resume in ("report", "send"):
            (place / "house.toml").write_text(text.replace("[house]", f'[house]\nresume = "{resume}"'))
            process = self.start("listen", str(place), "--awake", "--json")
            assert process.stdin is not None and process.stdout is not None
            process.stdin.write(b"run the bilge pump for 600 seconds\n")
            process.stdin.flush()
            for line in process.stdout:
                if json.loads(line)["event"] == "sent":
                    break
            process.kill()
            process.wait()
            out, _ = self.start("listen", str(place), "--json").communicate(b"", timeout=60)
            records = [json.loads(line) for line in out.splitlines()]
            told = [r["why"] for r in records if r["event"] == "trouble"]
            self.assertEqual(len(told), 1, records)
            self.assertRegex(told[0], "was not sent: boat marigold/bilge_pump/set 0")
            sent = [r["command"] for r in records if r["event"] == "sent"]
            self.assertEqual(sent, ["boat marigold/bilge_pump/set 0"] if resume == "send" else [])
            out, _ = self.start("listen", str(place), "--json").communicate(b"", timeout=60)
            self.assertNotIn(b"trouble", out)

    def test_a_household_dials_this_machine_alone_and_ends(self) -> None:
        elsewhere = self.folder / "elsewhere"
        shutil.copytree(glossa.files.find_house("marigold").parent, elsewhere)
        text = (elsewhere / "house.toml").read_text()
        (elsewhere / "house.toml").write_text(
            text.replace('host = "127.0.0.1"', 'host = "192.0.2.7"\npassword_env = "NOT_SET"\nusername = "x"')
        )
        out, err = self.start("household", str(elsewhere), "--broker", "--write", "copy", "--seconds", "0.5").communicate(
            timeout=60
        )
        self.assertIn(b"127.0.0.1", out, err)
        code, _, err_text = run("household", "marigold", "--broker", "--broker-port", str(self.broker.port))
        self.assertEqual((code, f"port {self.broker.port} is taken by another program" in err_text), (2, True), err_text)
        code, _, err_text = run("household", str(elsewhere), "--broker-port", "9", "--seconds", "1")
        self.assertEqual(code, 2)
        self.assertRegex(err_text, "NOT_SET|127.0.0.1:9")
        (elsewhere / "house.toml").write_text('[house]\nname = "T"\n[intents.a]\nphrases = ["a b"]\nreply = "x"\n')
        code, _, err_text = run("household", str(elsewhere), "--broker")
        self.assertEqual((code, "no MQTT link" in err_text), (2, True))

    def test_a_full_disk_stops_the_log_and_not_the_house(self) -> None:
        def small() -> None:
            resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000))

        said = b"".join(b"galley lamp to %d\n" % (n % 90) for n in range(300))
        process = self.start(
            "listen", "marigold", "--dry-run", "--awake", "--json", "--log", str(self.folder / "full.db"), preexec_fn=small
        )
        out, _ = process.communicate(said, timeout=120)
        records = [json.loads(line) for line in out.splitlines()]
        self.assertEqual((process.returncode, records[-1]["sent"], records[-1]["failed"]), (0, 300, 0))
        trouble = [r["why"] for r in records if r["event"] == "trouble"]
        self.assertEqual(len(trouble), 1, trouble)
        self.assertIn("the house goes on without a log", trouble[0])
        self.assertGreater(len(list(read_log(self.folder / "full.db"))), 10)

    def test_options_of_listen(self) -> None:
        said = b'{"text": "galley lam", "alternatives": ["galley lamp on"]}\n{"error": "deaf"}\n{"text": "radio on", "confidence": 0.2}\npass the salt\n'
        log = self.folder / "some.db"
        options = (
            "--dry-run",
            "--why",
            "--error-reply",
            "Pardon?",
            "--least-confidence",
            "0.5",
            "--no-talk",
            "--log",
            str(log),
            "--log-size",
            "1",
        )
        out, err = self.start("listen", "marigold", *options).communicate(
            b"ahoy barnacle\n" + said + b"stand easy\n" + said, timeout=60
        )
        self.assertEqual(err, b"")
        lines = out.decode().splitlines()
        for wanted in (
            "galley lamp on  (text 2 of 2)",
            "galley lamp = galley_lamp, on = on; confidence 1.00",
            "“Pardon?”",
            "unsure  radio on",
        ):
            self.assertTrue(any(wanted in line for line in lines), wanted)
        self.assertEqual([e.data["outcome"] for e in read_log(log, kinds=("heard",))], ["wake", "accept", "reject", "sleep"])
        plain = (
            self.start("listen", "marigold", "--dry-run", "--awake", "--no-log")
            .communicate(b"galley lamp on", timeout=60)[0]
            .decode()
        )
        self.assertNotIn("\x1b", plain, "no colour where it is no terminal")

    def test_nobody_reads_the_output(self) -> None:
        process = self.start("listen", "marigold", "--dry-run", "--awake", "--no-log", "--json")
        assert process.stdout is not None and process.stdin is not None
        process.stdout.readline()
        process.stdout.close()
        process.stdout = None
        with contextlib.suppress(BrokenPipeError):
            for number in range(50):
                process.stdin.write(b"galley lamp to %d\n" % number)
                process.stdin.flush()
                time.sleep(0.05)
        self.assertEqual(process.wait(60), 0)

    @unittest.skipUnless(os.path.exists("/dev/full"), "there is no /dev/full")
    def test_a_full_disk_behind_the_output(self) -> None:
        log = self.folder / "some.db"
        with open("/dev/full", "wb") as full:
            call = [sys.executable, "-m", "glossa", "listen", "marigold", "--dry-run", "--awake", "--log", str(log)]
            done = subprocess.run(
                call, input=b"galley lamp on\nsaloon lamp on\n", stdout=full, stderr=subprocess.PIPE, timeout=60
            )
        self.assertEqual((done.returncode, done.stderr), (0, b""))
        self.assertEqual(len(list(read_log(log, kinds=("sent",)))), 2)

    def test_wrong_calls_say_what_to_write(self) -> None:
        for call, wanted in (
            (("listen", "marigold", "--from", "mqtt:panel:x"), "an mqtt link is needed"), (("listen", "marigold", "--from", "telepathy"), "write one of"),
            (("listen", "marigold", "--from", "mqtt:a/#", "--reply", "mqtt:a/b"), "would be heard as text"), (("listen", "marigold", "--token-env", "NO_SUCH"), "is not set"),
            (("household", "marigold", "--faults", "drop=2"), "a share from 0 to 1"), (("watch", "marigold", "--link", "boot"), "did you mean 'boat'?"),
        ):  # fmt: skip
            with self.subTest(call):
                code, _, err = run(*call)
                self.assertEqual((code, wanted in " ".join(err.split())), (2, True), err)


class Logs(Wires):
    def test_the_log_comes_back_when_there_is_room_again(self) -> None:
        now, told = [0.0], list[str]()
        log = EventLog(self.folder / "x.db", clock=lambda: now[0], trouble=told.append)
        self.addCleanup(log.close)
        assert log._base is not None
        pages = log._base.execute("pragma page_count").fetchone()[0]
        log._base.execute(f"pragma max_page_count = {pages}")
        for number in range(200):
            log.write(Record("heard", number, number, {"utterance": "x" * 200}))
        self.assertEqual((len(told), log.state != "ok"), (1, True))
        now[0] = 61.0
        log.write(Record("heard", 1, 1, {}))
        self.assertEqual((len(told), log.state), (2, "ok"))


def _with(house: glossa.House, link: str, **options: Any) -> glossa.House:
    changed = replace(house.links[link], options=replace(house.links[link].options, **options))
    return replace(house, links={**house.links, link: changed})
