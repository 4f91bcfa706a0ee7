"""Readings to wire commands: forms, placeholders by place, ranges, relative changes, replies."""

import json
import unittest
from urllib.parse import parse_qsl

from hypothesis import given, settings
from hypothesis import strategies as st

import glossa
from glossa.commands import Refused, TextCommand, act
from glossa.commands.states import States
from glossa.commands.wire import fill
from glossa.conversation.conversation import initial_state
from glossa.house import HouseError, read_house
from glossa.house.forms import BytesWire, RequestWire, TextWire, TopicWire
from glossa.house.templates import content_of
from tests import shared

HOUSE = read_house(
    """
[house]
name = "Old Mill"
[links.bus]
type = "mqtt"
[links.line]
type = "serial"
port = "COM3"
start = "<"
end = ">"
[links.web]
type = "http"
url = "http://127.0.0.1:1"
[links.code]
type = "callback"
[rooms]
den = ["den"]
[kinds.lamp]
nouns = ["lamp"]
properties.power = { type = "switch", command = { topic = "$house/$room/$id", payload = '{"on": $raw, "name": "$name"}' } }
properties.level = { type = "number", unit = "percent", minimum = 0, maximum = 100, raw = [0, 255], command = { bytes = "A0 $raw", link = "line" } }
[devices.a]
kind = "lamp"
names = ["tall lamp"]
room = "den"
link = "bus"
[devices.b]
kind = "lamp"
names = ["desk lamp"]
room = "den"
link = "bus"
properties.level.maximum = 50
properties.level.outside = "clamp"
[groups.both]
names = ["den lamps"]
members = ["a", "b"]
[devices.strip]
names = ["strip"]
properties.colour = { type = "colour", command = { link = "web", method = "PUT", path = "/c/$red-$green-$blue", json = { hex = "$raw" } } }
[devices.pump]
names = ["pump"]
link = "line"
properties.run = { type = "number", unit = "seconds", minimum = 1, maximum = 9, command = [{ text = "P1" }, { wait = "$value" }, { text = "P0" }] }
[slots.word]
type = "words"
[slots.by]
type = "number"
[intents.on]
phrases = ["$device $power"]
set = { power = "$power" }
[intents.level]
phrases = ["$device at $level"]
set = { level = "$level" }
[intents.up]
phrases = ["$device brighter by $by"]
change = { level = "+$by" }
[intents.halve]
phrases = ["halve $device"]
change = { level = "*0.5" }
[intents.how]
phrases = ["how bright is $device"]
read = "level"
reply = "$device is at $value"
[intents.paint]
phrases = ["$device $colour"]
set = { colour = "$colour" }
[intents.run]
phrases = ["$device for $run"]
set = { run = "$run" }
[intents.say]
phrases = ["say $word"]
steps = [{ link = "web", method = "POST", path = "/say/$word", json = { text = "$word", from = "$house" } }, { wait = 0.5 }, { link = "line", text = "S:$word" }, { link = "code", call = "spoken" }]
"""
)
STATE = initial_state(HOUSE)


def lines(intent: str, state: object = None, **slots: object) -> list[str]:
    return [str(c) for c in act(HOUSE, HOUSE.intents[intent], slots, STATE if state is None else state).commands]  # type: ignore[arg-type]


class Commands(unittest.TestCase):
    def test_every_form_in_one_line(self) -> None:
        self.assertEqual(lines("on", device=("a",), power="on"), ['bus old_mill/den/a {"on": 1, "name": "tall lamp"}'])
        self.assertEqual(lines("level", device=("a",), level=50), ["line A0 80"])
        self.assertEqual(lines("paint", device=("strip",), colour="#0080ff"), ['web PUT /c/0-128-255 {"hex": "#0080ff"}'])
        self.assertEqual(lines("run", device=("pump",), run=2), ['line "P1"', "wait 2", 'line "P0"'])
        self.assertEqual(
            lines("say", word="a b"),
            ['web POST /say/a%20b {"text": "a b", "from": "old_mill"}', "wait 0.5", 'line "S:a b"', "code call spoken"],
        )

    def test_each_device_has_its_own_range(self) -> None:
        action = act(HOUSE, HOUSE.intents["level"], {"device": ("a", "b"), "level": 80}, STATE)
        self.assertEqual(
            ([str(c) for c in action.commands], action.reply), (["line A0 CC", "line A0 FF"], "tall lamp and desk lamp 50")
        )
        self.assertEqual(dict(action.changes or {}), {("a", "level"): 80, ("b", "level"): 50})

    def test_out_of_range_sends_nothing_at_all(self) -> None:
        action = act(HOUSE, HOUSE.intents["level"], {"device": ("b", "a"), "level": 200}, STATE)
        self.assertEqual((action.commands, action.refused), ((), "range"))
        self.assertEqual(action.reply, "level of tall lamp goes from 0 to 100 percent, so not 200")

    def test_relative_changes_keep_within_the_range_and_say_so(self) -> None:
        state = {**STATE, ("a", "level"): 95}
        up = act(HOUSE, HOUSE.intents["up"], {"device": ("a",), "by": 10}, state)
        self.assertEqual((up.changes, up.reply), ({("a", "level"): 100}, "tall lamp 100"))
        top = act(HOUSE, HOUSE.intents["up"], {"device": ("a",), "by": 10}, {**state, ("a", "level"): 100})
        self.assertEqual(top.reply, "tall lamp is at its highest: 100 percent")
        self.assertEqual(act(HOUSE, HOUSE.intents["halve"], {"device": ("a",)}, state).changes, {("a", "level"): 47.5})

    def test_what_is_not_known_is_refused(self) -> None:
        for intent, slots in (("up", {"by": 5}), ("how", {})):
            action = act(HOUSE, HOUSE.intents[intent], {"device": ("a",), **slots}, {})
            self.assertEqual((action.commands, action.refused), ((), "unknown"))
            self.assertIn("don't know yet", action.reply)
        self.assertEqual(act(HOUSE, HOUSE.intents["how"], {"device": ("a",)}, STATE).reply, "tall lamp is at 0")

    def test_what_a_placeholder_fills_is_told_or_declared(self) -> None:
        text = '[house]\nname = "T"\n[links.web]\ntype = "http"\nurl = "http://127.0.0.1:9"\n[slots.word]\ntype = "words"\n[slots.code]\ntype = "digits"\n'
        text += "[intents.a]\nphrases = ['note $word', 'code $code']\ndefaults = { word = 'x', code = '7' }\nsteps = [{ method = 'POST', path = '/', STEP }]\n"
        for body, said, wanted in (
            ("body = '{\"n\": $word}'", "note null", '{"n": "null"}'), ("body = '{\"n\": $code}'", "code oh oh seven", '{"n": "007"}'),
            ("body = 'a=$word'", "note b & c", "a=b+%26+c"), ("body = '<q>$word</q>', content_type = 'text'", "note hi", "<q>hi</q>"),
            ("body = 'say $word'", "note hi", "say hi"), ("body = 'say;$word'", "note hi, you", "say;hi, you"),
        ):  # fmt: skip
            command = glossa.Conversation(read_house(text.replace("STEP", body))).hear(said).commands[0]
            self.assertEqual(command.body, wanted)
        refused = glossa.Conversation(read_house(text.replace("STEP", "body = 'say,$word'"))).hear("note hi, you")
        self.assertEqual((refused.commands, refused.reason), ((), "value"))
        for body, why in (
            ("body = '<q>$word</q>'", "content_type"),
            ("body = '{\"a\" $word}', content_type = 'json'", "is not JSON"),
        ):
            with self.assertRaisesRegex(HouseError, why):
                read_house(text.replace("STEP", body))

    @settings(max_examples=shared.draws(66))
    @given(st.text(max_size=30))
    def test_no_spoken_word_changes_the_shape_of_a_command(self, word: str) -> None:
        shapes = {
            '{"say": $word}': lambda t: json.loads(t) == {"say": word},
            '{"say": "<$word>", "n": [1, {"a\\"": "$word"}]}': lambda t: (
                json.loads(t) == {"say": f"<{word}>", "n": [1, {'a"': word}]}
            ),
            'cmd {"q": "$word"}': lambda t: json.loads(t.removeprefix("cmd ")) == {"q": word},
            '["a\\\\", $word]': lambda t: json.loads(t) == ["a\\", word],
            "text=$word&admin=0": lambda t: parse_qsl(t, keep_blank_values=True) == [("text", word), ("admin", "0")],
            "say $word": lambda t: t == f"say {word}",
        }
        for template, holds in shapes.items():
            wire = TopicWire("bus", topic="t", payload=template, content=content_of(template), free=frozenset(("word",)))
            payload = fill(wire, {"word": word}, HOUSE).payload
            self.assertTrue(holds(payload), (template, payload))
        web = RequestWire("web", method="GET", path="/a/$word")
        if word in (".", ".."):
            self.assertRaises(Refused, fill, web, {"word": word}, HOUSE)
            return
        path = fill(web, {"word": word}, HOUSE).path
        self.assertEqual((path.count("/"), path.count("?"), path.count("#")), (2, 0, 0))
        for wire, bad in (
            (TopicWire("bus", topic="a/$word/b"), "+#/\0"),
            (TextWire("line", text="$word"), "<>\n\r\0\x1b"),
        ):
            try:
                made = fill(wire, {"word": word}, HOUSE)
            except Refused:
                continue
            inside = made.text if isinstance(made, TextCommand) else made.topic.removeprefix("a/").removesuffix("/b")
            self.assertFalse(set(inside) & set(bad))

    def test_reports_of_a_noisy_sensor_are_averaged(self) -> None:
        text = (
            '[house]\nname = "Mill"\n[devices.cellar]\nnames = ["cellar"]\n[devices.cellar.properties.warmth]\ntype = "number"\nunit = "celsius"\n'
            'minimum = 0\nmaximum = 50\nraw = [0, 1000]\nstate = { topic = "c", average = 2.0 }\n'
            '[intents.how]\nphrases = ["how warm is the $device"]\nread = "warmth"\n'
        )
        states = States(read_house(text))
        told = [
            states.read("simulated", "c", raw, at)[0][0].value
            for raw, at in ((b"400", 0.0), (b"420", 1.0), (b"380", 2.0), (b"500", 3.5))
        ]
        self.assertEqual(told, [20, 20.5, 20, 22])
        self.assertEqual(states.read("simulated", "c", b"500")[0][0].value, 25)
        with self.assertRaisesRegex(HouseError, "a choice has no average"):
            read_house(
                text.replace(
                    'type = "number"\nunit = "celsius"\nminimum = 0\nmaximum = 50\nraw = [0, 1000]',
                    'type = "choice"\nvalues = ["a", "b"]',
                )
            )

    def test_bytes_take_whole_numbers_from_0_to_255(self) -> None:
        wire = BytesWire("line", bytes="5C $n")
        self.assertEqual(str(fill(wire, {"n": 255}, HOUSE)), "line 5C FF")
        for value in (256, -1, 1.5, "x"):
            with self.assertRaises(Refused):
                fill(wire, {"n": value}, HOUSE)

    def test_semicolons_are_escaped(self) -> None:
        self.assertEqual(str(fill(TopicWire("bus", topic="t", payload="a;b"), {}, HOUSE)), "bus t a\\;b")


class Simulated(unittest.TestCase):
    def test_it_keeps_the_state_and_says_what_changed(self) -> None:
        house = glossa.SimulatedHouse(HOUSE)
        commands = act(HOUSE, HOUSE.intents["level"], {"device": ("a", "b"), "level": 20}, STATE).commands
        self.assertEqual([str(c) for c in house.take(commands)], ["a.level: 0 -> 20", "b.level: 0 -> 20"])
        self.assertEqual((house.take(commands), house.of("a")["level"]), ([], 20))


if __name__ == "__main__":
    unittest.main()
