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
from glossa.house import HouseError, read_house
from glossa.language import languages, load_language
from tests import shared

TABLE = Path(__file__).parent / "numbers.csv"
LANGUAGES = languages()
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
command = { topic = "$id/level", payload = "$raw" }
[devices.heater]
names = ["heater"]
[devices.heater.properties.warmth]
type = "number"
unit = "celsius"
minimum = 5
maximum = 30
step = 0.5
command = { topic = "$id/warmth", payload = "$raw" }
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
command = { topic = "$id/colour", payload = "$raw" }
[devices.door]
names = ["door"]
[devices.door.properties.code]
type = "digits"
command = { topic = "$id/code", payload = "$raw" }
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
CYCLIC = """
[house]
name = "C"
[devices.vane]
names = ["vane"]
[devices.vane.properties.bearing]
type = "number"
unit = "degrees"
minimum = 0
maximum = 359
cyclic = true
command = { topic = "vane", payload = "$raw" }
[devices.hose]
names = ["hose"]
[devices.hose.properties.run]
type = "number"
unit = "minutes"
maximum = 240
minimum = 0
command = [ { topic = "soak", payload = "$raw" }, { wait = "$value" }, { topic = "soak", payload = "0" } ]
[slots.by]
type = "number"
[intents.point]
phrases = ["[the] $device to $bearing"]
set = { bearing = "$bearing" }
[intents.right]
phrases = ["turn [the] $device right [by $by]"]
change = { bearing = "+$by" }
defaults = { by = 20 }
[intents.left]
phrases = ["turn [the] $device left [by $by]"]
change = { bearing = "-$by" }
defaults = { by = 20 }
[intents.soak]
phrases = ["soak for $run"]
device = "hose"
set = { run = "$run" }
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


class Bench(unittest.TestCase):
    """Two tables of numbers in sentences: one that was looked at, and one that was only counted."""

    def test_tables(self) -> None:
        folder = Path(__file__).parent / "houses" / "counting"
        understands = shared.matcher("counting")
        for name, least in (("seen", 0.99), ("aside", 0.98)):
            with (folder / f"{name}.csv").open(encoding="utf-8") as file:
                rows = list(csv.DictReader(file))
            right = wrong = 0
            for row in rows:
                match = understands.match(f"reading {'number' if row['slot'] == 'plain' else row['slot']} {row['spoken']}")
                said = match.best.slots.get(row["slot"]) if match.best is not None and match.best.intent == row["slot"] else None
                same = bool(row["value"]) and isinstance(said, (int, float)) and abs(said - float(row["value"])) < 1e-6
                acted = match.outcome == "accept"
                right += same and acted if row["value"] else not acted
                wrong += acted and not same
            with self.subTest(name):
                self.assertGreaterEqual(right / len(rows), least)
                self.assertLessEqual(wrong / len(rows), 0.005)


class RoundTrips(unittest.TestCase):
    @settings(max_examples=shared.draws(100))
    @given(st.integers(-(10**9) + 1, 10**9 - 1) | st.decimals(-1000, 1000, places=2).map(float), st.sampled_from(LANGUAGES))
    def test_every_number_that_is_spelled_out(self, number: float, tag: str) -> None:
        language = load_language(tag)
        text = f"{language.numbers.minus[0] if number < 0 else ''} {num2words(abs(number), lang=tag)}"
        found = NumberReader(language).read(tokenize(text))
        self.assertEqual([q.value for q in found], [number], text)

    def test_whole_numbers_and_tenths_are_read_as_they_are_spelled(self) -> None:
        for tag in LANGUAGES:
            reader = NumberReader(load_language(tag))
            for number in shared.some([*range(10_000), *(n / 10 for n in range(1001))], 11):
                found = reader.read(tokenize(num2words(number, lang=tag)))
                self.assertEqual([q.value for q in found], [number], num2words(number, lang=tag))

    @settings(max_examples=shared.draws(66))
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
        assert match.outcome != "reject", text
        return match.best.slots.get(slot)

    def test_values_in_the_slots_own_terms(self) -> None:
        cases = {
            ("lamp to three quarters", "level"): 75,
            ("lamp too thirds", "level"): 66.67,
            ("lamp to maximum", "level"): 100,
            ("lamp halfway", "level"): 50,
            ("lamp forty no fifty", "level"): 50,
            ("heater to sixty eight fahrenheit", "warmth"): 20,
            ("heater to twenty one point three", "warmth"): 21.5,
            ("heater warmer by nine degrees fahrenheit", "rise"): 5,
            ("pump for ten", "run"): 10,
            ("pump for ninety seconds", "run"): 1.5,
            ("pump for three hours", "run"): 90,
            ("lamp to a third", "level"): 33.33,
            ("lamp to ½", "level"): 50,
            ("lamp to half a percent", "level"): 0.5,
            ("door code oh oh seven", "code"): "007",
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

    def test_a_percentage_without_limits_has_its_usual_ends(self) -> None:
        import re

        open_ended = re.sub(r"minimum = 0\nmaximum = 100\n(raw = .*\n)?", "", HOUSE, count=1)
        event = glossa.Conversation(read_house(open_ended)).hear("lamp to three quarters")
        self.assertEqual((event.outcome, event.slots.get("level")), ("accept", 75))

    def test_a_misfit_unit_is_no_value(self) -> None:
        for text in (
            "lamp to ten percent degrees",
            "lamp to ten minutes percent",
            "lamp to twenty degrees",
            "heater to forty percent",
            "pump for ten percent",
            "lamp for twenty pounds",
        ):
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

    def test_what_was_begun_is_asked_for_and_never_guessed(self) -> None:
        for text in ("lamp to", "lamp to um", "heater to the"):
            with self.subTest(text):
                match = MATCHER.match(text)
                self.assertEqual(match.outcome, "ask")
                self.assertNotIn(2, match.best.slots.values() if match.best is not None else ())
        for text in ("make the lamp brighter by", "make the lamp brighter by er"):
            with self.subTest(text):
                self.assertNotEqual(MATCHER.match(text).outcome, "accept")

    def test_what_goes_over_the_wire(self) -> None:
        cases = {
            "lamp to a third": "lamp/level 33.33",
            "door code oh oh seven": "door/code 007",
            "pump for ninety seconds": "pump 1.5",
        }
        for text, line in cases.items():
            with self.subTest(text):
                event = glossa.Conversation(MATCHER.house, MATCHER).hear(text)
                self.assertEqual([str(c) for c in event.commands], [f"simulated {line}"])

    def test_a_misspelt_unit_is_no_unit_of_ones_own(self) -> None:
        for written, meant in (
            ("celcius", "celsius"),
            ("%", "percent"),
            ("C", "celsius"),
            ("mins", "minutes"),
            ("persent", "percent"),
        ):
            with self.subTest(written), self.assertRaises(HouseError) as caught:
                read_house(HOUSE.replace('unit = "percent"', f'unit = "{written}"', 1))
            self.assertIn(f'write unit = "{meant}"', str(caught.exception))
        self.assertTrue(read_house(HOUSE.replace('unit = "percent"', 'unit = "lux"', 1)))

    def test_a_unit_of_ones_own_has_its_words(self) -> None:
        own = HOUSE.replace('unit = "percent"', 'unit = "mins"\nunit_words = ["marks a turn"]', 1)
        talk = glossa.Conversation(read_house(own))
        for text in ("lamp to forty five marks a turn", "lamp to 45 mins"):
            event = talk.hear(text)
            self.assertEqual((event.outcome, event.slots.get("level")), ("accept", 45), text)

    def test_a_closed_range_runs_round(self) -> None:
        house = read_house(CYCLIC)
        talk = glossa.Conversation(house)
        replies = [
            talk.hear(text).reply for text in ("vane to three fifty", "turn the vane right", "turn the vane left by forty")
        ]
        self.assertEqual(replies, ["vane 350", "vane 10", "vane 330"])

    def test_a_wait_is_in_seconds_whatever_the_unit(self) -> None:
        commands = glossa.Conversation(read_house(CYCLIC)).hear("soak for two hours").commands
        self.assertEqual([str(c) for c in commands], ["simulated soak 120", "wait 7200", "simulated soak 0"])

    def test_back_to_what_it_was(self) -> None:
        talk = glossa.Conversation(MATCHER.house, MATCHER)
        replies = [
            talk.hear(text, at).reply for at, text in enumerate(("lamp to forty two", "make it brighter", "back to what it was"))
        ]
        self.assertEqual((replies, talk.state["lamp", "level"]), (["lamp 42", "lamp 52", "lamp 42"], 42))


if __name__ == "__main__":
    unittest.main()
