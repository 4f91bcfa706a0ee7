"""Findings on a house with planted mistakes, and ratings of wake words."""

import tempfile
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

import glossa
from glossa.files import find_house
from glossa.house import read_house
from glossa.trials.findings import findings
from glossa.trials.wake import THRESHOLDS, rate_wake_word
from shell import call as run
from tests import shared

TALK = (find_house("marigold").parent / "talk.txt").read_text(encoding="utf-8").splitlines()
ACTED = 0.002
"""The share of everyday talk that may be acted on while the house is awake."""
MARIGOLD = shared.house("marigold")

PLANTED = """
[house]
name = "Trouble"
[wake]
words = ["sound the gong"]
[links.line]
type = "serial"
port = "COM1"
[kinds.relay]
properties.power = { type = "switch", command = { text = "P$value" } }
[devices.bath]
kind = "relay"
names = ["bath heater"]
properties.power.command.text = "P1=$raw"
[devices.path]
kind = "relay"
names = ["path heater"]
properties.power.command.text = "P2=$raw"
[devices.pump]
kind = "relay"
names = ["pump"]
properties.power.command.text = "P2=$raw"
[devices.four]
kind = "relay"
names = ["valve four"]
properties.power.command.text = "P4=$raw"
[devices.sensor]
names = ["rain sensor"]
properties.rain = { type = "choice", values = { wet = "1", dry = "1" } }
[devices.wheel]
names = ["wheel"]
properties.gear = { type = "choice", values = { bow = "b", beau = "c", low = "d" }, command = { text = "W$raw" } }
[intents.switch]
phrases = ["[the] $device $power"]
set = { power = "$power" }
[intents.gear]
phrases = ["$device in $gear"]
set = { gear = "$gear" }
[intents.gong]
phrases = ["sound the gong"]
steps = [{ text = "G" }]
[intents.bell]
phrases = ["ring the bell"]
steps = [{ text = "G" }]
[intents.cinema]
phrases = ["cinema lights on", "cinema lights off"]
steps = [{ text = "C" }]
[intents.gong_again]
phrases = ["sound the gong"]
steps = [{ text = "H" }]
[intents.alarm]
phrases = ["raise the alarm bell"]
steps = [{ text = "A" }]
[intents.alarm_off]
phrases = ["raise the alarm ball"]
steps = [{ text = "B" }]
[intents.rinse]
phrases = ["rinse the deck"]
steps = [{ text = "R" }]
[intents.rinse_now]
phrases = ["rinse the deck please"]
steps = [{ text = "N" }]
"""


BLINDS = """
[house]
name = "Blinds"
[links.hub]
type = "{link}"
[kinds.blind]
nouns = ["blind"]
[kinds.blind.properties.height]
type = "number"
minimum = 0
maximum = 100
command = {{ topic = "b/$id/set", payload = "$raw" }}
{state}
[devices.east]
kind = "blind"
names = ["east blind"]
[devices.west]
kind = "blind"
names = ["west blind"]
[intents.raise]
phrases = ["raise [the] $device"]
change = {{ height = "+10" }}
[intents.where]
phrases = ["how high is [the] $device"]
read = "height"
"""


class Unreported(unittest.TestCase):
    def test_unreported_changes_are_found_once(self) -> None:
        for link, state, wanted in (
            ("mqtt", "", [("kinds.blind.properties.height", "nothing reports the height of east, west")]), ("simulated", "", []),
            ("mqtt", 'state = { topic = "b/$id" }', []),
        ):  # fmt: skip
            with self.subTest(f"{link} {state}"):
                house = read_house(BLINDS.format(link=link, state=state))
                found = [(f.place, f.what.partition(", and it")[0]) for f in findings(house) if f.name == "unreported"]
                self.assertEqual(found, wanted)


class Planted(unittest.TestCase):
    def test_every_planted_mistake_is_found_in_its_place(self) -> None:
        house = read_house(PLANTED)
        rows = glossa.read_table("utterance,intent\npump on,switch\n")
        found = {(f.name, f.place) for f in findings(house, rows=rows)}
        for expected in (
            ("sound alike", "devices.bath.names"),
            ("code used twice", "devices.pump"),
            ("written otherwise", "devices.four.names"),
            ("code used twice", "devices.sensor.properties.rain.values"),
            ("values sound alike", "devices.wheel.properties.gear"),
            ("out of reach", "devices.sensor"),
            ("code used twice", "intents.bell.steps"),
            ("opposites together", "intents.cinema.phrases"),
            ("never wins", "intents.gong_again.phrases"),
            ("wake word is a phrase", "wake.words"),
            ("sound alike", "intents.alarm.phrases"),
            ("too near", "intents.rinse.phrases"),
            ("not tested", "intents.gear"),
        ):
            self.assertIn(expected, found)
        self.assertTrue(all(f.what and f.why and f.instead for f in findings(house)))

    def test_the_samples_have_none(self) -> None:
        for name in ("marigold", "horno"):
            code, out, _ = run("check", name, "--strict")
            self.assertEqual((code, out.splitlines()[0].partition(": ")[2]), (0, "no errors, no findings"), out)

    def test_strict_and_pictures(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            (Path(folder) / "house.toml").write_text(PLANTED)
            picture = Path(folder) / "near.png"
            self.assertEqual(run("check", folder, "--strict", "--picture", str(picture))[0], 1)
            self.assertEqual(run("check", folder)[0], 0)
            self.assertTrue(picture.read_bytes().startswith(b"\x89PNG"))


NAMES = (
    "lamp", "lamp 2", "lamp three", "hdmi2", "tv 2", "b12 pump", "mp3 player", "channel5", "4k screen", "pump 10", "pump 1", "x",
    "lamp b", "i", "m8", "r2d2", "2nd heater", "zone 12", "zone 21", "ten", "no 7 fan", "co2 meter", "#5 valve", "anna's lamp",
    "o'clock light", "st john's door", "don't panic light", "café lampe", "señal", "über heater", "switch on", "off grid pump",
    "to do board", "not lamp", "stop lamp", "all clear light", "up lamp", "and gate", "please lamp", "one light", "half light",
    "percent lamp", "door to door", "left", "right lamp", "ceiling light", "3d printer", "wi-fi plug", "five and dime",
)  # fmt: skip
"""Names that are hard: digits, one letter, apostrophes, accents, words of the language, words that others share."""
NAMED = """
[house]
name = "Names"
[kinds.thing.properties.power]
type = "switch"
command = { text = "$id$raw" }
[kinds.thing.properties.level]
type = "number"
unit = "percent"
minimum = 0
maximum = 100
command = { text = "$id=$raw" }
[intents.switch]
phrases = ["(turn | switch) $power [the] $device", "(turn | switch) [the] $device $power"]
set = { power = "$power" }
[intents.level]
phrases = ["set [the] $device to $level"]
set = { level = "$level" }
"""


HOMOPHONES = (
    "hall haul, peer pier, made maid, bow beau, blue blew, pair pear, sun son, stair stare, flour flower, plane plain, wood would, hole whole, "
    "night knight, sea see, board bored, main mane, mail male, rain reign, road rode, sale sail, steel steal, tail tale, wait weight, bare bear, "
    "brake break, cell sell, fair fare, gate gait, great grate, heal heel, hour our, meat meet, pail pale, peace piece, poor pour, "
    "sole soul, toe tow, vain vein, waist waste, hose hoes, mist missed, pane pain, pole poll, sight site, tied tide"
)


class SoundAlikes(unittest.TestCase):
    def test_plain_homophones_are_found(self) -> None:
        missed = []
        for pair in shared.some(HOMOPHONES.split(", "), 3):
            devices = "".join(f'[devices.{w}]\nkind = "thing"\nnames = ["{w} lamp"]\n' for w in pair.split())
            if not any(f.name == "sound alike" for f in findings(read_house(NAMED + devices))):
                missed.append(pair)
        self.assertEqual(missed, [])


class Itself(unittest.TestCase):
    @settings(max_examples=shared.draws(15))
    @given(st.lists(st.sampled_from(NAMES), min_size=2, max_size=6, unique=True))
    def test_every_name_is_understood_as_itself(self, names: list[str]) -> None:
        devices = "".join(f'[devices.d{i}]\nkind = "thing"\nnames = ["{n}"]\n' for i, n in enumerate(names))
        matcher = glossa.Matcher(read_house(NAMED + devices))
        for number, name in enumerate(names):
            for text, intent in (
                (f"turn on {name}", "switch"),
                (f"turn the {name} off", "switch"),
                (f"set {name} to 40", "level"),
            ):
                match = matcher.match(text)
                best = match.best
                assert best is not None, (text, names)
                self.assertEqual((best.intent, best.slots.get("device")), (intent, (f"d{number}",)), (text, names))
                self.assertIn(match.outcome, ("accept", "confirm"), (text, names))

    def test_a_name_that_is_not_is_told(self) -> None:
        house = NAMED.replace("maximum = 100", "maximum = 100\nnamed = { thirty = 5, cosy = 20 }")
        devices = '[devices.a]\nkind = "thing"\nnames = ["plain lamp"]\n'
        told = [f for f in findings(read_house(house + devices)) if f.name == "not understood as itself"]
        self.assertEqual([f.place for f in told], ["intents.level"])
        self.assertIn("“thirty” in “set plain lamp to thirty” is taken for 30", told[0].what)


class WakeWords(unittest.TestCase):
    def test_good_and_bad_ones(self) -> None:
        self.assertEqual(rate_wake_word(MARIGOLD, "ahoy barnacle", TALK).faults, ())
        for bad, fault in (
            ("light", "syllable"),
            ("galley lamp on", "the device"),
            ("good night", "a phrase of good_night"),
            ("the thing", "everyday words only"),
        ):
            with self.subTest(bad):
                self.assertIn(fault, " ".join(rate_wake_word(MARIGOLD, bad, TALK).faults))

    def test_talk_fires_less_the_higher_the_threshold(self) -> None:
        for word in ("light", "come on", "ahoy barnacle"):
            fired = rate_wake_word(MARIGOLD, word, TALK).fired
            self.assertEqual(len(fired), len(THRESHOLDS))
            self.assertEqual(list(fired), sorted(fired, reverse=True))

    def test_the_command(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            picture = Path(folder) / "wake.png"
            code, out, _ = run("wake", "marigold", "hello", "ahoy barnacle", "--picture", str(picture))
            self.assertEqual(code, 0)
            for part in ("made of everyday words only", "nothing wrong with it", f"of {len(TALK)} lines"):
                self.assertIn(part, out)
            self.assertTrue(picture.exists())
            self.assertEqual(run("wake", "marigold", "(hello")[0], 2)
            self.assertIn('"word": "hello"', run("wake", "marigold", "hello", "--json")[1])


class Talk(unittest.TestCase):
    def test_talk_is_left_alone(self) -> None:
        asleep = glossa.Conversation(MARIGOLD, shared.matcher("marigold"))
        outcomes = [asleep.hear(line, at * 5).outcome for at, line in enumerate(TALK)]
        self.assertEqual(set(outcomes), {"asleep"})
        acted = [
            line
            for line in TALK
            if glossa.Conversation(MARIGOLD, shared.matcher("marigold"), awake=True).hear(line).outcome == "accept"
        ]
        self.assertLessEqual(len(acted), len(TALK) * ACTED, acted)


class Modules(unittest.TestCase):
    """Recognisers that send a code for each phrase."""

    def test_module_codes_that_cannot_work_are_found(self) -> None:
        text = (
            '[house]\nname = "M"\n[sources.ear]\ntype = "serial"\nport = "/dev/x"\ncode_bytes = 1\ncodes = "ear.csv"\nmost = 4\ngroup = 3\nseconds = 1.2\n'
            "[devices.lamp]\nnames = ['lamp']\nproperties.power = { type = 'switch', command = { topic = 'l', payload = '$raw' } }\n"
            "[intents.s]\nphrases = ['[the] $device $power', 'kill the $device', 'illuminate everything immediately']\ndefaults = { power = 'off' }\n"
            "set = { power = '$power' }\ndevice = 'lamp'\n"
        )
        rows = (
            "01,lamp on",
            "02,lamp of",
            "03,kill the lamp",
            "04,lamp off",
            "05,illuminate everything immediately",
            "06,pass the salt",
        )
        house = read_house(text, {"ear.csv": "code,utterance\n" + "\n".join(rows) + "\n"})
        found = {(f.name, f.what) for f in findings(house) if f.place.startswith("sources.")}
        names = {name for name, _ in found}
        self.assertEqual(
            names, {"code without a meaning", "too many phrases", "phrase too long", "sound alike in one group"}, found
        )
        alike = [what for name, what in found if name == "sound alike in one group"]
        self.assertTrue(all("“lamp on” and “lamp of”" in what for what in alike), "off stands in another group")
        self.assertIn(("code without a meaning", "“pass the salt” is no command of this house"), found)
        fitting = read_house(text, {"ear.csv": "code,utterance\n01,lamp on\n02,kill the lamp\n03,lamp on\n"})
        self.assertEqual([f for f in findings(fitting) if f.place.startswith("sources.")], [])


if __name__ == "__main__":
    unittest.main()
