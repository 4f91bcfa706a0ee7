"""Wake words by sound, follow-ups, answers, and houses with several languages."""

import unittest

import glossa
from glossa.conversation.passcode import Keeper, expected
from glossa.conversation.wake import WakeWords
from glossa.house import read_house
from glossa.house.model import Pin
from tests import shared

MARIGOLD, HORNO = shared.house("marigold"), shared.house("horno")
MATCHERS = {"marigold": shared.matcher("marigold"), "horno": shared.matcher("horno")}


def talk(*lines: str, house: glossa.House = MARIGOLD, matcher: str = "marigold", awake: bool = True) -> list[glossa.Event]:
    conversation = glossa.Conversation(house, MATCHERS[matcher], awake=awake)
    return [conversation.hear(text, 2.0 * at) for at, text in enumerate(lines)]


WORKSHOP = read_house("""
[house]
name = "Workshop"
[links.bus]
type = "simulated"
[kinds.tap.properties.run]
type = "number"
unit = "seconds"
minimum = 1
maximum = 3600
command = [{ topic = "$id", payload = "1" }, { wait = "$value" }, { topic = "$id", payload = "0" }]
[kinds.lamp]
nouns = ["lamp"]
properties.power = { type = "switch", command = { topic = "$id", payload = "$raw" } }
[kinds.dimmed]
like = "lamp"
properties.level = { type = "number", unit = "percent", command = { topic = "$id/level", payload = "$raw" } }
[devices.bean_tap]
kind = "tap"
names = ["bean tap"]
[devices.tomato_tap]
kind = "tap"
names = ["tomato tap"]
[devices.gate_lamp]
kind = "lamp"
names = ["gate lamp"]
[devices.lathe_lamp]
kind = "lamp"
names = ["lathe lamp"]
[devices.desk_lamp]
kind = "dimmed"
names = ["desk lamp"]
[devices.bench_lamp]
kind = "dimmed"
names = ["bench lamp"]
[devices.bunting]
names = ["bunting"]
properties.power = { type = "switch", command = { topic = "$id", payload = "$raw" } }
properties.colour = { type = "colour", command = { topic = "$id/colour", payload = "$raw" } }
[intents.run]
phrases = ["(open | run | start) [the] $device [for $run]"]
set = { run = "$run" }
ask = { run = "For how long?" }
[intents.switch]
phrases = ["[the] $device $power"]
set = { power = "$power" }
[intents.paint]
phrases = ["paint [the] $device $colour"]
set = { colour = "$colour" }
[intents.dim]
phrases = ["dim [the] $device to $level"]
set = { level = "$level" }
ask = { level = "How bright?" }
""")
MATCHERS["workshop"] = glossa.Matcher(WORKSHOP)


def shown(event: glossa.Event) -> tuple[str, str, dict[str, object]]:
    return str(event.outcome), event.intent or "", dict(event.slots)


class Waking(unittest.TestCase):
    words = WakeWords(MARIGOLD)

    def test_spellings_that_a_recogniser_makes(self) -> None:
        for text in (
            "ahoy barnacle",
            "a hoy barnacle",
            "ahoy bar nickel",
            "ahoi barnacle",
            "ahoy barnakle",
            "AHOY, Barnacle!",
            "um ahoy barnacle",
            "ahoy barnicle",
        ):
            with self.subTest(text):
                woken = self.words.hear(text)
                assert woken is not None
                self.assertEqual(woken.rest, "")

    def test_what_does_not_wake(self) -> None:
        for text in (
            "",
            "ahoy",
            "barnacle",
            "we met a barnacle",
            "a boy",
            "hello there",
            "the lamp",
            "ahoy captain",
            "a barn is cold",
        ):
            with self.subTest(text):
                self.assertIsNone(self.words.hear(text))

    def test_the_command_in_the_same_breath(self) -> None:
        for text, rest in (
            ("ahoy barnacle lamp on", "lamp on"),
            ("ahoy barnacle, Lamp: 40%!", "Lamp: 40%!"),
            ("er a hoy barnacle the lamp", "the lamp"),
        ):
            woken = self.words.hear(text)
            assert woken is not None
            self.assertEqual(woken.rest, rest)

    def test_several_wake_words_and_their_threshold(self) -> None:
        text = '[house]\nname = "W"\n[wake]\nwords = ["merry fiddler", "(dear | good) old house"]\naccept = {}\n[intents.a]\nphrases = ["go now"]\nreply = "x"\n'
        loose, strict = (WakeWords(read_house(text.format(a))) for a in ("0.6", "1.0"))
        for words in ("merry fiddler", "dear old house", "good old house"):
            self.assertIsNotNone(strict.hear(words))
        self.assertIsNone(strict.hear("merry fiddlers"))
        self.assertIsNotNone(loose.hear("merry fiddlers"))
        scores = [loose.score(("merry", w), ("merry", "fiddler"), "en") for w in ("fiddler", "fiddlers", "middler", "xyzzy")]
        self.assertEqual(scores, sorted(scores, reverse=True))

    def test_end_phrases(self) -> None:
        for text, ends in (("stand easy", True), ("please stand easy", True), ("stand easy on the lamp", False), ("easy", False)):
            self.assertEqual(self.words.ends(text), ends, text)


class FollowUps(unittest.TestCase):
    def test_the_last_command_for_other_devices(self) -> None:
        cases = {
            "and the saloon lamp": ("accept", "switch", {"device": ("saloon_lamp",), "power": "on"}),
            "the saloon lamp too": ("accept", "switch", {"device": ("saloon_lamp",), "power": "on"}),
            "the same for the engine room lamp": ("accept", "switch", {"device": ("engine_lamp",), "power": "on"}),
            "do the same with the stove fan": ("accept", "switch", {"device": ("stove_fan",), "power": "on"}),
            "the same in the saloon": ("ask", "switch", {"device": ("saloon_lamp", "reading_lamp"), "power": "on"}),
            "and all the cabin lamps as well": (
                "accept",
                "switch",
                {"device": ("big_cabin_lamp", "small_cabin_lamp"), "power": "on"},
            ),
        }
        for text, expected_event in cases.items():
            with self.subTest(text):
                self.assertEqual(shown(talk("galley lamp on", text)[1]), expected_event)

    def test_a_change_once_more_and_back(self) -> None:
        lines = ("galley lamp to fifty", "make it brighter", "more", "a bit less", "again please")
        self.assertEqual([dict(e.changes)["galley_lamp", "level"] for e in talk(*lines)], [50, 60, 70, 60, 50])

    def test_less_goes_on_and_more_goes_back(self) -> None:
        for lines, levels in (
            (("make it brighter", "too much", "a bit less", "less", "more"), [60, 50, 40, 30, 40]),
            (("a bit less", "less", "a bit more", "more", "less"), [40, 30, 40, 50, 40]),
            (("less", "the other way", "again", "less"), [40, 50, 60, 50]),
            (("even brighter", "brighter still", "as bright as possible"), [60, 70, 100]),
        ):
            with self.subTest(lines):
                events = talk("galley lamp to fifty", *lines)[1:]
                self.assertEqual([dict(e.changes)["galley_lamp", "level"] for e in events], levels)

    def test_it_and_that_one(self) -> None:
        lines = ("saloon lamp on", "turn it off", "turn that one on", "set it to forty", "make it half as bright")
        events = talk(*lines)
        self.assertEqual(
            [shown(e)[:2] for e in events], [("accept", "switch")] * 3 + [("accept", "set_level"), ("accept", "brighten")]
        )
        self.assertEqual(events[-1].changes, {("saloon_lamp", "level"): 20})

    def test_a_phrase_that_names_no_device_is_about_the_last_one(self) -> None:
        house = read_house(
            '[house]\nname = "T"\n[kinds.lamp.properties.power]\ntype = "switch"\ncommand = { text = "$id$raw" }\n'
            '[devices.a]\nkind = "lamp"\nnames = ["left lamp"]\n[devices.b]\nkind = "lamp"\nnames = ["right lamp"]\n'
            '[intents.wake]\nphrases = ["rouse [the] $device", "let there be light"]\nset = { power = "on" }\n'
        )
        talk = glossa.Conversation(house)
        alone = talk.hear("let there be light")
        self.assertEqual((alone.outcome, alone.commands), ("reject", ()))
        heard = [talk.hear(text) for text in ("rouse the right lamp", "let there be light", "let there be light left lamp")]
        self.assertEqual([" ".join(map(str, e.commands)) for e in heard], ['simulated "b1"', 'simulated "b1"', 'simulated "a1"'])

    def test_nothing_follows_on_nothing(self) -> None:
        for text in ("more", "again", "and the fan too", "the same in the saloon", "turn it off", "back to what it was", "forty"):
            with self.subTest(text):
                self.assertNotEqual(talk(text)[0].outcome, "accept")

    def test_it_is_forgotten_after_the_window(self) -> None:
        conversation = glossa.Conversation(MARIGOLD, MATCHERS["marigold"], awake=True)
        conversation.hear("galley lamp on", 0)
        self.assertNotEqual(conversation.hear("and the saloon lamp too", 30).outcome, "accept")


class Questions(unittest.TestCase):
    def test_answers(self) -> None:
        cases: dict[tuple[str, str], tuple[str, str]] = {
            ("the radio in the galley off", "yes"): ("accept", "switch"),
            ("the radio in the galley off", "aye do it"): ("accept", "switch"),
            ("the radio in the galley off", "um yes please"): ("accept", "switch"),
            ("the radio in the galley off", "nope"): ("cancel", ""),
            ("the radio in the galley off", "no not that"): ("cancel", ""),
            ("set the galley lamp", "forty percent"): ("accept", "set_level"),
            ("set the galley lamp", "to three quarters please"): ("accept", "set_level"),
            ("set the galley lamp", "night light"): ("accept", "set_level"),
            ("set the galley lamp", "yes"): ("reject", ""),
            ("set the galley lamp", "never mind"): ("cancel", ""),
            ("set the heater", "twenty one and a half degrees"): ("accept", "warmth"),
            ("set the heater", "sixty eight fahrenheit"): ("accept", "warmth"),
            ("fan on low", "stove"): ("accept", "fan_speed"),
            ("fan on low", "the one in the galley"): ("accept", "fan_speed"),
            ("fan on low", "the first"): ("accept", "fan_speed"),
            ("fan on low", "all of them"): ("accept", "fan_speed"),
            ("fan on low", "what"): ("reject", ""),
            ("open the hatch", "2 4 6 8"): ("accept", "open_hatch"),
            ("open the hatch", "it is two four six eight"): ("accept", "open_hatch"),
            ("open the hatch", "boil the kettle"): ("accept", "boil_kettle"),
        }
        for (question, answer), expected_event in cases.items():
            with self.subTest(question=question, answer=answer):
                first, second = talk(question, answer)
                self.assertIn(first.outcome, ("ask", "confirm"))
                got = shown(second)[:2]
                self.assertEqual(got if got[0] == "accept" else (got[0], ""), expected_event)

    def test_the_open_question_is_what_is_corrected(self) -> None:
        cases: dict[tuple[str, ...], tuple[str, object, object]] = {
            ("desk lamp on", "dim the desk lamp", "no, the bench lamp", "forty"): ("dim", ("bench_lamp",), 40),
            ("desk lamp on", "dim the desk lamp", "no, the bench lamp to forty"): ("dim", ("bench_lamp",), 40),
            ("run the bean tap", "no the tomato tap", "ten minutes"): ("run", ("tomato_tap",), 600),
            ("run the bean tap", "the tomato tap for ten minutes"): ("run", ("tomato_tap",), 600),
            ("dim a lamp to forty", "no, the desk lamp"): ("dim", ("desk_lamp",), 40),
        }
        for lines, (intent, devices, value) in cases.items():
            with self.subTest(lines):
                event = talk(*lines, house=WORKSHOP, matcher="workshop")[-1]
                self.assertEqual((event.outcome, event.intent), ("accept", intent))
                self.assertEqual((event.slots["device"], event.slots.get("run", event.slots.get("level"))), (devices, value))

    def test_a_correction_that_is_not_understood_does_nothing(self) -> None:
        for lines in (
            ("run the bean tap", "no the tap", "ten minutes"),
            ("run the bean tap", "no, the desk lamp", "ten minutes"),
            ("desk lamp on", "dim the gate lamp", "no, the bench lamp"),
        ):
            with self.subTest(lines):
                events = talk(*lines, house=WORKSHOP, matcher="workshop")
                self.assertEqual((events[-1].outcome, events[-1].commands), ("reject", ()))

    def test_what_ends_it_never_runs_it(self) -> None:
        for verb in ("stop", "close", "shut", "halt", "turn off"):
            for rest in ("", " for ten minutes"):
                with self.subTest(verb + rest):
                    events = talk(f"{verb} the bean tap{rest}", "ten minutes", house=WORKSHOP, matcher="workshop")
                    self.assertEqual([e.outcome for e in events], ["reject", "reject"])
                    self.assertNotIn("both", events[0].reply)

    def test_which_one_can_take_two_answers(self) -> None:
        events = talk("lamp on", "the saloon one", "reading")
        self.assertEqual([str(e.outcome) for e in events], ["ask", "ask", "accept"])
        self.assertEqual(events[-1].slots["device"], ("reading_lamp",))


class Passcodes(unittest.TestCase):
    def test_tries_and_lockout(self) -> None:
        pin, keeper = Pin("X", "1", tries=2, lockout=10), Keeper()
        self.assertFalse(keeper.check(pin, "12", "21", 0))
        self.assertTrue(keeper.check(pin, "12", "12", 1))
        self.assertFalse(keeper.check(pin, "12", "", 2))
        self.assertEqual(keeper.locked(2), 0)
        self.assertFalse(keeper.check(pin, "12", "122", 3))
        self.assertEqual((keeper.locked(3), keeper.locked(12.5), keeper.locked(13)), (10, 0.5, 0))

    def test_which_code_counts(self) -> None:
        pin = Pin("CODE", "1234")
        self.assertEqual(expected(pin, None), "1234")
        self.assertEqual(expected(pin, {"CODE": "99 88"}), "9988")
        self.assertEqual(expected(pin, {}), "")
        self.assertNotIn(expected(Pin("CODE", ""), None), ("", "1234"))


class Languages(unittest.TestCase):
    def test_each_is_answered_in_its_own(self) -> None:
        cases = {
            "enciende la luz de la cocina": ("es", "Enciendo luz de la cocina"),
            "turn on the kitchen light": ("en", "kitchen light on"),
            "pon la luz del salón al cuarenta": ("es", "luz del salón al 40 por ciento"),
            "horno grande a trescientos": ("es", "grados de horno grande va de 30 a 280 grados, no 300"),
            "pon el horno a doscientos": ("es", "¿Cuál: horno grande o horno pequeño?"),
            "cancela": ("es", "No había nada que cancelar"),
            "never mind": ("en", "There was nothing to cancel"),
        }
        for text, (language, reply) in cases.items():
            with self.subTest(text):
                event = talk(text, house=HORNO, matcher="horno")[0]
                self.assertEqual((event.language, event.reply), (language, reply))

    def test_answers_are_heard_in_the_language_of_the_question(self) -> None:
        events = talk("pon el horno a doscientos", "el grande", house=HORNO, matcher="horno")
        self.assertEqual(
            (events[1].outcome, events[1].slots["device"], events[1].reply),
            ("accept", ("horno_grande",), "horno grande a 200 grados"),
        )
        events = talk("enciende la luz del salón", "y la de la cocina también", house=HORNO, matcher="horno")
        self.assertEqual((events[1].outcome, events[1].slots["device"]), ("accept", ("luz_cocina",)))

    def test_most_known_words_win_the_line(self) -> None:
        house = read_house("""
[house]
name = "Kleeblatt"
languages = ["de", "en"]
[devices.lamp]
names = { de = ["Flurlampe"], en = ["hall lamp"] }
properties.power = { type = "switch", command = { text = "$raw" } }
[devices.desk]
names = { de = ["Tischlampe"], en = ["desk lamp"] }
properties.power = { type = "switch", command = { text = "$raw" } }
[devices.blind]
names = { de = ["Rollo"], en = ["hall blind"] }
properties.position = { type = "number", unit = "percent", named = { offen = 100, mitte = 50 }, command = { text = "$raw" } }
[intents.switch]
phrases = { de = ["(mach | schalte) [die] $device $power", "$device $power"], en = ["(turn | switch) [the] $device $power"] }
set = { power = "$power" }
[intents.move]
phrases = { de = ["(öffne | fahr) [das] $device [auf $position]"], en = ["open [the] $device"] }
set = { position = "$position" }
defaults = { position = 100 }
""")
        matcher = glossa.Matcher(house)
        for text, outcome, language in (
            ("hall blind off", "reject", "en"), ("no the", "reject", "en"), ("turn the Flurlampe off", "accept", "en"),
            ("mach die hall lamp aus", "accept", "de"), ("what a lovely day", "reject", "en"), ("Flurlampe an", "accept", "de"),
        ):  # fmt: skip
            match = matcher.match(text)
            self.assertEqual((match.outcome, match.language), (outcome, language), text)
        talk = glossa.Conversation(house, matcher, awake=True)
        events = [
            talk.hear(text, at) for at, text in enumerate(("mach die Flurlampe an", "no the desk lamp", "und die Flurlampe"))
        ]
        self.assertEqual([(e.outcome, e.slots["device"]) for e in events], [("accept", (d,)) for d in ("lamp", "desk", "lamp")])

    def test_wake_words_by_language(self) -> None:
        for text in ("oye panadero enciende la luz del salón", "hey baker turn on the lounge light"):
            event = talk(text, house=HORNO, matcher="horno", awake=False)[0]
            self.assertEqual((event.outcome, event.slots["device"]), ("accept", ("luz_salon",)), text)


if __name__ == "__main__":
    unittest.main()
