"""Spoken numbers: a table by category, round trips through every supported language, and values on their way to a slot."""

import csv
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from num2words import num2words

import glossa
from glossa.hearing.numbers import NumberReader, twins
from glossa.hearing.tokens import tokenize
from glossa.house import read_house
from glossa.language import languages, load_language

TABLE = Path(__file__).parent / "numbers.csv"
READER = NumberReader(load_language("en"))

HOUSE = """
[house]
name = "N"
[devices.lamp]
names = ["lamp"]
[devices.lamp.properties.level]
type = "number"
unit = "percent"
minimum = 0
maximum = 100
doubt = "ask"
[devices.heater]
names = ["heater"]
[devices.heater.properties.warmth]
type = "number"
unit = "celsius"
minimum = 5
maximum = 30
step = 0.5
[devices.pump]
names = ["pump"]
[devices.pump.properties.run]
type = "number"
unit = "minutes"
minimum = 1
maximum = 90
outside = "clamp"
command = { topic = "pump", payload = "$raw" }
[devices.strip]
names = ["strip"]
[devices.strip.properties.colour]
type = "colour"
named = { "tea rose" = "#f4c2c2" }
[devices.door]
names = ["door"]
[devices.door.properties.code]
type = "digits"
[slots.by]
type = "number"
[slots.rise]
type = "number"
unit = "celsius"
difference = true
[intents.level]
phrases = ["[the] $device [to] $level"]
set = { level = "$level" }
[intents.more]
phrases = ["[make] [the] $device brighter [by $by]"]
change = { level = "+$by" }
defaults = { by = 10 }
[intents.warmth]
phrases = ["[the] $device [to] $warmth"]
set = { warmth = "$warmth" }
[intents.warmer]
phrases = ["[the] $device warmer by $rise"]
change = { warmth = "+$rise" }
[intents.run]
phrases = ["[the] $device for $run"]
set = { run = "$run" }
[intents.colour]
phrases = ["[the] $device [in] $colour"]
set = { colour = "$colour" }
[intents.code]
phrases = ["[the] $device code $code"]
set = { code = "$code" }
"""
MATCHER = glossa.Matcher(read_house(HOUSE))


class Table(unittest.TestCase):
    def test_every_row(self) -> None:
        with TABLE.open(encoding="utf-8") as file:
            rows = list(csv.DictReader(file))
        self.assertGreaterEqual(len(rows), 250)
        for row in rows:
            with self.subTest(row["text"], category=row["category"]):
                found = READER.read(tokenize(row["text"]))
                if not row["value"]:
                    self.assertEqual(found, ())
                    continue
                self.assertAlmostEqual(found[0].value, float(row["value"]), places=4)
                self.assertEqual(found[0].unit, row["unit"])


class RoundTrips(unittest.TestCase):
    def test_every_whole_number_and_every_tenth(self) -> None:
        for tag in languages():
            reader = NumberReader(load_language(tag))
            for number in [*range(10_000), *(n / 10 for n in range(1001))]:
                found = reader.read(tokenize(num2words(number, lang=tag)))
                self.assertEqual([q.value for q in found], [number], num2words(number, lang=tag))

    @settings(max_examples=200)
    @given(st.text(alphabet="0123456789./,-%° eE½٣", max_size=30))
    def test_any_digits_are_read_or_not(self, text: str) -> None:
        for quantity in READER.read(tokenize(text)):
            self.assertLess(quantity.start, quantity.end)

    def test_a_thousand_number_words(self) -> None:
        self.assertTrue(READER.read(tokenize("twenty one hundred and " * 250)))


class Slots(unittest.TestCase):
    def value(self, text: str, slot: str) -> object:
        match = MATCHER.match(text)
        assert match.best is not None, text
        return match.best.slots.get(slot)

    def test_values_in_the_slots_own_terms(self) -> None:
        cases = {
            ("lamp to three quarters", "level"): 75,
            ("lamp to maximum", "level"): 100,
            ("lamp halfway", "level"): 50,
            ("lamp forty no fifty", "level"): 50,
            ("heater to sixty eight fahrenheit", "warmth"): 20,
            ("heater to twenty one point three", "warmth"): 21.5,
            ("heater warmer by nine degrees fahrenheit", "rise"): 5,
            ("pump for ten", "run"): 600,
            ("pump for ninety seconds", "run"): 90,
            ("pump for three hours", "run"): 5400,
            ("strip dark blue", "colour"): "#00008b",
            ("strip in pale green", "colour"): "#98fb98",
            ("strip tea rose", "colour"): "#f4c2c2",
            ("strip oringe", "colour"): "#ffa500",
            ("door code two four double six", "code"): "2466",
            ("door code one oh oh seven", "code"): "1007",
            ("make the lamp twice as bright", "times"): 2,
            ("make the lamp slightly brighter", "by"): 5,
            ("make the lamp a lot brighter", "by"): 20,
        }
        for (text, slot), expected in cases.items():
            with self.subTest(text):
                self.assertEqual(self.value(text, slot), expected)

    def test_a_misfit_unit_is_no_value(self) -> None:
        for text in ("lamp to twenty degrees", "heater to forty percent", "pump for ten percent", "lamp for twenty pounds"):
            with self.subTest(text):
                self.assertNotEqual(MATCHER.match(text).outcome, "accept")

    def test_sound_alike_numbers_are_read_back(self) -> None:
        self.assertEqual(twins(13, load_language("en")), (30,))
        for text, outcome in (("lamp to thirty", "confirm"), ("lamp to fifteen", "confirm"), ("lamp to forty two", "accept")):
            with self.subTest(text):
                self.assertEqual(MATCHER.match(text).outcome, outcome)
        self.assertEqual(MATCHER.match("lamp to thirty").reason, "doubt")

    def test_a_value_out_of_range_is_refused_with_the_range(self) -> None:
        event = glossa.Conversation(MATCHER.house, MATCHER).hear("heater to fifty")
        self.assertEqual((event.outcome, event.reply), ("reject", "warmth of heater goes from 5 to 30 degrees, so not 50"))
        event = glossa.Conversation(MATCHER.house, MATCHER).hear("pump for three hours")
        self.assertEqual([str(c) for c in event.commands], ["simulated pump 90"])

    def test_back_to_what_it_was(self) -> None:
        talk = glossa.Conversation(MATCHER.house, MATCHER)
        replies = [
            talk.hear(text, at).reply for at, text in enumerate(("lamp to forty two", "make it brighter", "back to what it was"))
        ]
        self.assertEqual((replies, talk.state["lamp", "level"]), (["lamp 42", "lamp 52", "lamp 42"], 42))


if __name__ == "__main__":
    unittest.main()
