"""A live house in virtual time: the real engine and outboxes, links that fail as they are told, and no threads."""

from __future__ import annotations

import random
from collections import Counter

import glossa
from glossa.commands import Command
from glossa.files import find_house
from glossa.links import Declined, Inbox, Link, LinkError, Unanswered, Unreachable
from glossa.live import Engine, Order, Outbox, Record, Result, read_heard
from tests import shared

MARIGOLD = shared.house("marigold")
MATCHER = glossa.Matcher(MARIGOLD, remember=2000)


class Wire(Link):
    """A link that counts what arrives. ``fault`` is raised instead while it is set, and the link can't be opened while it is ``down``."""

    def __init__(self, world: World) -> None:
        self.world = world
        self.down = ""
        self.fault: LinkError | None = None
        self.takes = 0.0
        self.arrived: list[tuple[float, str]] = []
        self.opened = 0

    def open(self, inbox: Inbox) -> None:
        self.opened += 1
        if self.down:
            raise Unreachable(self.down)

    def send(self, command: Command, seconds: float) -> None:
        assert seconds > 0, "sent too late"
        self.world.now += min(self.takes, seconds)
        if self.down:
            raise Unreachable(self.down)
        if self.fault is not None:
            raise self.fault
        self.arrived.append((round(self.world.now, 3), str(command)))


class World:
    """A house, its wires and its clock."""

    def __init__(
        self, house: glossa.House = MARIGOLD, matcher: glossa.Matcher = MATCHER, keep: bool = True, **options: object
    ) -> None:
        self.now = 0.0
        self.jump = 0.0
        self.records: list[Record] = []
        self.said: list[str] = []
        self.orders: dict[int, tuple[Order, list[Result]]] = {}
        self.kinds: Counter[str] = Counter()
        self._keep = keep
        self.wires = {name: Wire(self) for name in house.links}
        environment: object = options.pop("environment", {"MARIGOLD_HATCH_PIN": "8642"})
        self.engine = Engine(
            house, post=self._post, emit=self._emit, clock=lambda: self.now, wall=lambda: 1_800_000_000 + self.now + self.jump,
            environment=environment, matcher=matcher, say=lambda text, language: self.said.append(text), **options,  # type: ignore[arg-type]
        )  # fmt: skip
        self.boxes = {name: self._box(name) for name in house.links}
        self.run(0.0)

    def _box(self, name: str) -> Outbox:
        world = self

        class Hears:
            def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
                world.engine.arrived(name, place, data, retained)

            def lost(self, reason: str) -> None:
                world.boxes[name].lost(reason)

        return Outbox(
            name, self.wires[name], clock=lambda: self.now, inbox=Hears(), result=self._result, seed=7,
            changed=lambda up, reason: self.engine.link(name, up, reason),
        )  # fmt: skip

    def _post(self, link: str, order: Order) -> None:
        self.orders[id(order)] = (order, [])
        self.boxes[link].put(order)

    def _result(self, result: Result) -> None:
        self.orders[id(result.order)][1].append(result)
        self.engine.result(result)

    def _emit(self, record: Record) -> None:
        self.kinds[record.kind] += 1
        if self._keep:
            self.records.append(record)

    def run(self, seconds: float) -> None:
        """Let time pass."""
        until = self.now + seconds
        while True:
            due = min(*(box.work() for box in self.boxes.values()), self.engine.due())
            if due > until:
                break
            self.now = max(self.now, due)
            self.engine.tick()
        self.now = max(self.now, until)

    def hear(self, text: str | bytes, then: float = 0.5) -> Record | None:
        """Hear something now, and let some time pass."""
        record = self.engine.hear(read_heard(text), self.now, "test")
        self.run(then)
        return record

    def lines(self, *kinds: str) -> list[str]:
        """The records of some kinds in short."""
        return [
            " ".join(str(r.data[k]) for k in ("outcome", "command", "how", "reply", "link", "state", "why") if r.data.get(k))
            for r in self.records
            if r.kind in kinds
        ]


def soak(lines: int, days: float, seed: int = 1, faults: bool = True) -> World:
    """Live through days with faults, and check at every step that each command is sent once and in time, or reported.

    Args:
        lines: how many are heard.
        days: over how many days.
        seed: for what is heard and what goes wrong.
        faults: whether anything goes wrong.
    """
    chance = random.Random(seed)
    world = World(keep=False)
    commands = [str(row.utterance) for row in glossa.read_table(_table(), "phrases.csv", MARIGOLD) if not row.session]
    talk = [
        "pass the salt",
        "the kettle was a present",
        "what did he say",
        "it is raining again on the towpath",
        "turn that down he said",
    ]
    odd: list[str | bytes] = [
        b"\xff\xfe\x00\x13", '{"text": "galley', '{"error": "microphone"}', '{"text": "galley lamp on", "time": 1}', "", "x" * 70_000,
        '{"text": "galley lam", "final": false}', '{"alternatives": ["gally lamp of", {"text": "galley lamp off", "confidence": 0.8}]}',
    ]  # fmt: skip
    for number in range(lines * 2 // 3):  # every second time it is a wake word and a command
        world.run(chance.expovariate(lines * 2 / 3 / (days * 86_400)))
        if faults:
            _go_wrong(world, chance)
        draw = chance.random()
        if draw < 0.5:
            world.hear("ahoy barnacle", chance.uniform(0.8, 6))
            world.hear(chance.choice(commands))
        else:
            world.hear(chance.choice(talk) if draw < 0.9 else chance.choice(odd))
        if number % 500 == 499:
            _check(world)
    for wire in world.wires.values():
        wire.down, wire.fault = "", None
    world.run(1200)
    _check(world)
    assert not world.orders and not world.engine.busy, "something is still under way"
    return world


def _go_wrong(world: World, chance: random.Random) -> None:
    for name, wire in world.wires.items():
        draw = chance.random()
        wire.takes = chance.choice((0.001, 0.02, 0.3))
        if draw < 0.01:
            wire.down = "no route" if not wire.down else wire.down
            world.boxes[name].lost("the cable was pulled")
        elif draw < 0.08:
            wire.down = ""
        wire.fault = chance.choice((None,) * 30 + (Unanswered("no answer"), Declined("answered 500")))
    if chance.random() < 0.01:
        world.jump = chance.uniform(-86_400, 86_400)
    if chance.random() < 0.001:
        world.engine.reload(MARIGOLD, MATCHER)
    world.engine.arrived("boat", "marigold/galley_lamp/level", chance.choice((b"102", b"0", b"rubbish", b"\xff" * 5000)))


def _check(world: World) -> None:
    """Every order ended once, and none was sent too late; what has ended is forgotten."""
    for wire in world.wires.values():
        wire.arrived.clear()
    world.said.clear()
    for key, (order, results) in list(world.orders.items()):
        assert len(results) <= 1, f"{order.command} ended twice"
        if results:
            assert results[0].how != "sent" or results[0].at <= order.until + 0.301, f"{order.command} was sent late"
            del world.orders[key]
        else:
            assert world.now < order.until + 0.301, f"{order.command} was neither sent nor reported"


def _table() -> str:
    return (find_house("marigold").parent / "tests" / "phrases.csv").read_text()
