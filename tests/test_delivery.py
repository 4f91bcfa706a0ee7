"""Properties of delivery that hold whatever happens: random faults, random times, every command of the samples."""

from __future__ import annotations

import unittest
from collections.abc import Iterator

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import glossa
from glossa.commands import Command, TextCommand, WaitCommand
from glossa.commands.states import States
from glossa.house.values import Value
from glossa.links import Declined, Inbox, Link, Unanswered, Unreachable
from glossa.links.household.faults import Faults, read_faults
from glossa.live import Order, Outbox, Result
from glossa.live.by_hand import WrittenError, read_commands, read_line, read_value
from glossa.live.outbox import MOST_WAITING
from glossa.live.sequence import Sequence
from tests import shared
from tests.virtual import MARIGOLD, MATCHER

HORNO = glossa.load_house("horno")
FAULTS = st.sampled_from(
    [
        None,
        None,
        None,
        Unreachable("gone"),
        Unanswered("no answer"),
        Declined("no"),
        ZeroDivisionError("a bug in somebody's link"),
    ]
)


class Flaky(Link):
    """A link that does as it is told, and notes what it was handed and when."""

    def __init__(self, clock: list[float]) -> None:
        self.clock = clock
        self.fault: Exception | None = None
        self.closed_to: Exception | None = None
        self.handed: list[tuple[float, str, str]] = []
        self.gap = 0.1

    def open(self, inbox: Inbox) -> None:
        if self.closed_to is not None:
            raise self.closed_to

    def send(self, command: Command, seconds: float) -> None:
        how = type(self.fault).__name__ if self.fault else "sent"
        self.handed.append((self.clock[0], command.text, how))
        self.clock[0] += 0.01
        if self.fault is not None:
            raise self.fault


STEPS = st.lists(
    st.one_of(
        st.tuples(st.just("put"), st.floats(0.1, 8)), st.tuples(st.just("pass"), st.floats(0, 20)), st.tuples(st.just("fault"), FAULTS),
        st.tuples(st.just("closed"), st.sampled_from([None, None, Unreachable("no route")])), st.tuples(st.just("lost"), st.just(0.0)),
    ),
    max_size=40,
)  # fmt: skip


class Boxes(unittest.TestCase):
    @settings(max_examples=shared.draws(100))
    @given(STEPS)
    def test_every_order_ends_once_in_time_and_in_order(self, steps: list[tuple[str, object]]) -> None:
        clock, results, changes = [0.0], list[Result](), list[tuple[bool, str]]()
        link = Flaky(clock)
        box = Outbox(
            "x", link, clock=lambda: clock[0], inbox=None, result=results.append, changed=lambda u, r: changes.append((u, r)), seed=1  # type: ignore[arg-type]
        )  # fmt: skip
        orders: list[Order] = []

        def work(until: float) -> None:
            for _ in range(2000):
                due = box.work()
                if due > until:
                    break
                clock[0] = max(clock[0], due)
            else:
                self.fail("it never rests")
            clock[0] = max(clock[0], until)

        for step, what in steps:
            match step:
                case "put":
                    orders.append(Order(len(orders), 0, TextCommand("x", text=str(len(orders))), clock[0] + what))  # type: ignore[operator]
                    box.put(orders[-1])
                    work(clock[0])
                case "pass":
                    work(clock[0] + what)  # type: ignore[operator]
                case "fault":
                    link.fault = what  # type: ignore[assignment]
                case "closed":
                    link.closed_to = what  # type: ignore[assignment]
                case _:
                    box.lost("the cable was pulled")
        work(clock[0] + 60)
        self.assertEqual(sorted(r.order.number for r in results), list(range(len(orders))), "each ends once")
        through = [(at, int(text)) for at, text, how in link.handed if how == "sent"]
        self.assertEqual([n for _, n in through], sorted({n for _, n in through}), "once, and in order")
        for at, text, how in link.handed:
            self.assertLess(at, orders[int(text)].until, "nothing is handed over late")
            if how not in ("sent", "Unreachable"):
                self.assertEqual(
                    sum(t == text and h != "Unreachable" for _, t, h in link.handed), 1, "what may have arrived is not repeated"
                )
        self.assertEqual({r.order.number for r in results if r.how == "sent"}, {n for _, n in through})
        times = [at for at, _, how in link.handed if how != "Unreachable"]
        self.assertTrue(all(b - a >= 0.1 for a, b in zip(times, times[1:], strict=False)), "the gap is kept")
        self.assertTrue(all(a[0] != b[0] for a, b in zip(changes, changes[1:], strict=False)), "up and down are told in turn")

    def test_a_full_outbox_refuses_and_reports_the_rest(self) -> None:
        results: list[Result] = []
        link = Flaky([0.0])
        link.closed_to = Unreachable("no route")
        box = Outbox("x", link, clock=lambda: 0.0, inbox=None, result=results.append, changed=lambda u, r: None)  # type: ignore[arg-type]
        for number in range(MOST_WAITING + 5):
            box.put(Order(number, 0, TextCommand("x", text="a"), 5.0))
        self.assertEqual([r.reason for r in results], ["too many are waiting"] * 5)
        box.close("the end")
        self.assertEqual((len(results), {r.how for r in results}), (MOST_WAITING + 5, {"dropped"}))
        box.put(Order(MOST_WAITING + 5, 0, TextCommand("x", text="a"), 5.0))
        self.assertEqual((len(results), box.work()), (MOST_WAITING + 6, float("inf")))

    @given(st.lists(st.sampled_from(["a", "b", "wait"]), max_size=8))
    def test_a_sequence_gives_each_command_once_with_its_waits(self, names: list[str]) -> None:
        commands = [WaitCommand(wait=1.0) if n == "wait" else TextCommand("x", text=n) for n in names]
        sequence = Sequence(1, commands, since=0.0, language="en", before={})
        given_out: list[str] = []
        for _ in range(20):
            wait = sequence.next_wait()
            if wait is not None:
                given_out.append("wait")
                continue
            group = sequence.next_group()
            if not group:
                break
            self.assertTrue(sequence.waits_for_results)
            for part, command in group:
                given_out.append(command.text)
                sequence.take(Result(Order(1, part, command, 5.0), "sent", 0.0))
        last = max((i for i, n in enumerate(names) if n != "wait"), default=-1)
        self.assertEqual(given_out, names[: last + 1])


def accepted(house: glossa.House, matcher: glossa.Matcher, name: str) -> Iterator[glossa.Event]:
    """What the rows of a sample's table that are carried out come to."""
    folder = glossa.files.find_house(name).parent / "tests"
    for row in (r for t in sorted(folder.glob("*.csv")) for r in glossa.read_table(t.read_text(), t.name, house)):
        if not row.session:
            event = glossa.Conversation(house, matcher, awake=True).hear(row.utterance)
            if event.outcome == "accept" and event.commands:
                yield event


class Written(unittest.TestCase):
    def test_every_command_that_is_shown_can_be_sent_by_hand(self) -> None:
        count = 0
        for name, house, matcher in (("marigold", MARIGOLD, MATCHER), ("horno", HORNO, glossa.Matcher(HORNO))):
            for event in accepted(house, matcher, name):
                line = " ; ".join(map(str, event.commands))
                self.assertEqual([str(c) for c in read_commands([line], house, matcher)], [str(c) for c in event.commands])
                for command in event.commands:
                    again = read_line(str(command).replace("\\;", ";"), house)
                    said = ("qos", "retain", "slots")  # what the line does not show
                    same = replace(command, effects=(), **{k: getattr(again, k) for k in said if hasattr(again, k)})
                    self.assertEqual(again, same)
                    count += 1
        self.assertGreater(count, 150)

    def test_what_a_device_is_told_it_understands(self) -> None:
        read = States(MARIGOLD, commands=True)
        count = 0
        for event in accepted(MARIGOLD, MATCHER, "marigold"):
            for command in event.commands:
                topic, told = getattr(command, "topic", ""), getattr(command, "payload", getattr(command, "text", ""))
                reports = read.read(command.link, topic, told.encode())[0]
                found = {(r.device, r.property): r.value for r in reports}
                for device, prop, value in command.effects:
                    wires = MARIGOLD.devices[device].properties[prop].command
                    if (device, prop) in found and len(wires) == 1:
                        self.assertTrue(self.near(found[device, prop], value, device, prop), f"{command}: {found} {value}")
                        count += 1
        self.assertGreater(count, 100)

    @staticmethod
    def near(one: Value, other: Value, device: str, prop: str) -> bool:
        """The same, but for what the steps of the wire lose."""
        values = MARIGOLD.devices[device].properties[prop].values
        if isinstance(one, str) or isinstance(other, str):
            return one == other
        return values.wire(one) == values.wire(other)

    def test_values_are_read_as_they_would_be_said(self) -> None:
        for device, prop, text, wanted in (
            ("galley_lamp", "level", "40", 40), ("galley_lamp", "level", "40%", 40), ("galley_lamp", "level", "three quarters", 75),
            ("galley_lamp", "power", "on", "on"), ("galley_lamp", "level", "night light", 5), ("bilge_pump", "run", "90", 90),
            ("bilge_pump", "run", "two minutes thirty", 150), ("heater", "temperature", "21.5", 21.5), ("heater", "temperature", "70 fahrenheit", 21),
            ("deck_lights", "colour", "harbour green", "#008060"), ("deck_lights", "colour", "#FFAA00", "#ffaa00"), ("stove_fan", "speed", "fast", "high"),
        ):  # fmt: skip
            with self.subTest(f"{device} {prop}={text}"):
                self.assertEqual(read_value(MATCHER, device, prop, text), wanted)
        for device, prop, text in (
            ("galley_lamp", "level", "4o"),
            ("galley_lamp", "power", "onn"),
            ("galley_lamp", "level", "40 lumps"),
            ("stove_fan", "speed", "warp"),
        ):
            with self.subTest(text), self.assertRaises(WrittenError):
                read_value(MATCHER, device, prop, text)

    def test_faults_as_a_person_writes_them(self) -> None:
        self.assertEqual(read_faults(" drop=0.1, delay=2 "), Faults(drop=0.1, delay=2.0))
        for wrong in ("drop", "drop=x", "drop=-1", "drip=0.1", "drop=0.6,garbage=0.6", "delay=1e9"):
            with self.subTest(wrong), self.assertRaises(ValueError):
                read_faults(wrong)


class Forks(unittest.TestCase):
    @settings(max_examples=shared.draws(30))
    @given(st.lists(st.sampled_from([
        "ahoy barnacle", "galley lamp on", "a bit brighter", "set the reading lamp", "seventy", "fan on low", "the stove fan", "open the hatch",
        "one two three four", "two four six eight", "take the helm", "helm off", "never mind", "stand easy", "back to what it was", "pass the salt",
    ]), max_size=10), st.booleans())  # fmt: skip
    def test_the_same_text_twice_over_is_one_text(self, said: list[str], awake: bool) -> None:
        one, other = (glossa.Conversation(MARIGOLD, MATCHER, awake=awake) for _ in range(2))
        for at, text in enumerate(said):
            plain = one.hear(text, 2.0 * at)
            best = other.hear_best([(text, 0.9), (f" {text} ", 0.8)], 2.0 * at)
            self.assertEqual(
                (best.outcome, best.intent, best.slots, best.reply), (plain.outcome, plain.intent, plain.slots, plain.reply)
            )
            self.assertEqual((other.state, other.mode, other.pending is None), (one.state, one.mode, one.pending is None))
