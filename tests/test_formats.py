"""What a house file, a table and the JSON output mean, rule by rule, on a house that holds every key."""

import json
import unittest

import glossa
from glossa.commands.action import State
from glossa.conversation.conversation import initial_state
from glossa.house import HouseError, read_house
from glossa.trials.run import run_alone

HOUSE = """
[house]
name = "Marsh End"
tables = ["codes.csv"]

[wake]
words = ["hello (marsh | mister) end"]
also_heard = ["hello march end"]
after_command = "sleep"
end = ["that is all"]

[words]
same = [["lounge", "saloon"], ["kill", "switch off"]]
ignore = ["matey"]

[links.boat]
type = "mqtt"
[links.panel]
type = "serial"
port = "COM4"
[links.hooks]
type = "http"
url = "http://127.0.0.1:8080"

[rooms]
galley = ["galley", "kitchen"]
saloon = ["saloon"]
shed = ["shed"]
study = ["study"]

[kinds.lamp]
nouns = ["lamp", "light"]
[kinds.lamp.properties.power]
type = "switch"
command = { topic = "$house/$id/power/set", payload = "$raw" }
[kinds.lamp.properties.level]
type = "number"
unit = "percent"
minimum = 0
maximum = 100
step = 1
raw = [0, 255]
named = { "night light" = 5 }
command = { topic = "$house/$id/level/set", payload = "$raw" }
[kinds.colour_lamp]
like = "lamp"
[kinds.colour_lamp.properties.colour]
type = "colour"
named = { "warm white" = "#ffd7a8" }
command = { topic = "$house/$id/colour", payload = "$red,$green,$blue" }
[kinds.vent]
nouns = ["vent", "roof vent"]
[kinds.vent.properties.position]
type = "number"
unit = "percent"
minimum = 0
maximum = 100
named = { open = 100, shut = 0, ajar = 15 }
command = { topic = "$house/$id/position/set", payload = "$raw" }
[kinds.fan]
nouns = ["fan"]
[kinds.fan.properties.speed]
type = "choice"
values = { low = "1", medium = "2", high = "3" }
spoken = { low = ["low", "slow"], high = ["high", "fast"] }
command = { text = "F$raw", link = "panel" }
[kinds.pump]
[kinds.pump.properties.run]
type = "number"
unit = "seconds"
minimum = 1
maximum = 600
command = [{ topic = "p", payload = "1" }, { wait = "$value" }, { topic = "p", payload = "0" }]

[devices.galley_lamp]
kind = "lamp"
names = ["galley lamp"]
room = "galley"
link = "boat"
[devices.saloon_lamp]
kind = "lamp"
names = ["saloon lamp"]
room = "saloon"
link = "boat"
[devices.deck]
kind = "colour_lamp"
names = ["deck lights"]
link = "boat"
[devices.reading]
kind = "lamp"
names = ["study reading lamp"]
room = "study"
link = "boat"
[devices.galley_vent]
kind = "vent"
names = ["galley vent"]
room = "galley"
link = "boat"
[devices.fan]
kind = "fan"
names = ["stove fan"]
[devices.bilge_pump]
kind = "pump"
names = ["bilge pump"]
link = "boat"
[devices.shed_radio]
names = ["radio"]
room = "shed"
link = "boat"
properties.power = { type = "switch", inverted = true, command = { topic = "r/$room", payload = "$raw" } }
[devices.study_radio]
names = ["radio"]
room = "study"
link = "boat"
properties.power = { type = "switch", command = { topic = "r/$room", payload = "$value" } }
[devices.radiator]
names = ["radiator"]
link = "boat"
properties.target = { type = "number", unit = "celsius", minimum = 5, maximum = 30, step = 0.5, initial = 20, command = { topic = "t", payload = "$raw" } }

[groups.cabin]
names = ["cabin lamps"]
members = ["galley_lamp", "saloon_lamp"]

[slots.amount]
type = "number"
minimum = 1
maximum = 100
[slots.degrees]
type = "number"
unit = "degrees"
[slots.number]
type = "digits"
[slots.what]
type = "words"

[intents.switch]
phrases = ["(turn | switch) $power [the] $device", "(turn | switch) [the] $device $power", "[the] $device $power"]
set = { power = "$power" }
reply = "$device $power"
[intents.set_level]
phrases = ["(set | dim | bring) [the] $device (to | at) $level", "[the] $device [at] $level"]
set = { level = "$level" }
ask = { level = "How bright?" }
[intents.brighten]
phrases = ["[make] [the] $device brighter [by $amount]", "brighten [the] $device [by $amount]"]
change = { level = "+$amount" }
defaults = { amount = 10 }
[intents.halve]
phrases = ["halve [the] $device"]
change = { level = "*0.5" }
[intents.target]
phrases = ["[the] $device to $target"]
set = { target = "$target" }
[intents.colour]
phrases = ["[the] $device [in] $colour"]
set = { colour = "$colour" }
[intents.speed]
phrases = ["[the] $device [on] $speed"]
set = { speed = "$speed" }
[intents.shut]
phrases = ["(shut | close) [the] $device"]
set = { position = "shut" }
[intents.level_of]
phrases = ["how bright is [the] $device"]
read = "level"
reply = "$device is at $value percent"
[intents.pump_out]
phrases = ["pump [the] bilge [for $run]"]
device = "bilge_pump"
set = { run = "$run" }
defaults = { run = 30 }
[intents.good_night]
phrases = ["good night [boat]"]
steps = [{ device = "cabin", set = { power = "off" } }, { wait = 2.0 }, { link = "panel", text = "K0" }]
reply = "Sleep well"
[intents.open_hatch]
phrases = ["(open | unlock) [the] hatch [$pin]"]
pin = { env = "HATCH_PIN", test = "2468", tries = 2, lockout = 60.0 }
steps = [{ link = "panel", bytes = "5C 01" }]
[intents.call]
phrases = ["call $number"]
steps = [{ link = "hooks", method = "POST", path = "/call/$number", body = "n=$number" }]
[intents.note]
phrases = ["take a note $what"]
steps = [{ link = "hooks", method = "POST", path = "/note", json = { text = "$what", at = "$house" } }]
[intents.scene]
phrases = ["/2.0/ film night | /1.0/ movie evening", "very<0-2> cosy please"]
steps = [{ link = "panel", text = "S1" }]
confirm = "always"
[intents.play]
phrases = ["play $GARBAGE on the gramophone"]
steps = [{ link = "panel", text = "G1" }]
[modes.steering]
idle = 30.0
exclusive = true
[intents.take_the_helm]
phrases = ["take the helm"]
enter_mode = "steering"
[intents.port]
phrases = ["to port [by $degrees]"]
modes = ["steering"]
steps = [{ link = "boat", topic = "$house/helm/port", payload = "$degrees" }]
defaults = { degrees = 5 }
[intents.helm_off]
phrases = ["helm off"]
modes = ["steering"]
leave_mode = true
"""
SHEET = "phrase,intent,link,text,bytes,topic,payload,method,path,body,reply\nboil it,,panel,K1,,,,,,,\nring bell,bell,boat,,,bell/x,a;b,,,,ding\nring the bell,bell,,,,,,,,,\nsend cake,,hooks,,,,,PUT,/cake,one two,\n"
MARSH = read_house(HOUSE, {"codes.csv": SHEET})
MATCHER = glossa.Matcher(MARSH)
LAMPS = "galley_lamp+saloon_lamp+deck+reading"

# utterance, outcome, intent, slots, commands; "" is not checked.
RULES = """utterance|outcome|intent|slots|commands
radiator to twenty|accept|target|device=radiator target=20|boat t 20
radiator to twenty one point three|accept|target|target=21.5|boat t 21.5
radiator to sixty eight fahrenheit|accept|target|target=20|boat t 20
radiator to fifty|reject|target||-
lamp to twenty|ask|set_level|level=20|-
shed radio on|accept|switch|device=shed_radio power=on|boat r/shed 0
the radio in the shed off|accept|switch|device=shed_radio power=off|boat r/shed 1
radio on|ask|switch|device=shed_radio+study_radio power=on|-
the radio in the study on|accept|switch|device=study_radio|boat r/study on
study reading lamp on|accept|switch|device=reading|boat marsh_end/reading/power/set 1
the reading lamp in the study on|accept|switch|device=reading|
galley light on|accept|switch|device=galley_lamp|
lounge lamp on|accept|switch|device=saloon_lamp|
galley lamps on|accept|switch|device=galley_lamp|
lamps in the galley on|accept|switch|device=galley_lamp|
all cabin lamps off|accept|switch|device=cabin power=off|boat marsh_end/galley_lamp/power/set 0 ; boat marsh_end/saloon_lamp/power/set 0
both cabin lamps on|accept|switch|device=cabin|
every lamp off|accept|switch|device=LAMPS|
each light on|accept|switch|device=LAMPS|
lamps off|accept|switch|device=LAMPS|
everything in the galley off|accept|switch|device=galley_lamp|
everything off|accept|switch|device=LAMPS+shed_radio+study_radio|
galley lamp and saloon lamp on|accept|switch|device=galley_lamp+saloon_lamp|
all lamps except the saloon lamp on|accept|switch|device=galley_lamp+deck+reading|
all lamps but the galley lamp and the saloon lamp on|accept|switch|device=deck+reading|
galley lamp night light|accept|set_level|level=5|boat marsh_end/galley_lamp/level/set 13
galley lamp to half|accept|set_level|level=50|boat marsh_end/galley_lamp/level/set 128
galley lamp to fifty no sixty|accept|set_level|level=60|
set the galley lamp|ask|set_level|device=galley_lamp|-
galley lamp to 110|reject|set_level|level=110|-
brighten the galley lamp by twenty|accept|brighten|amount=20|boat marsh_end/galley_lamp/level/set 51
make the galley lamp brighter|accept|brighten|amount=10|boat marsh_end/galley_lamp/level/set 26
halve the galley lamp|accept|halve|device=galley_lamp|boat marsh_end/galley_lamp/level/set 0
deck lights warm white|accept|colour|device=deck colour=#ffd7a8|boat marsh_end/deck/colour 255,215,168
deck lights in rebecca purple|accept|colour|colour=#663399|
deck light on|accept|switch|device=deck|
stove fan fast|accept|speed|speed=high|panel "F3"
stove fan on slow|accept|speed|speed=low|panel "F1"
shut the galley vent|accept|shut|device=galley_vent|boat marsh_end/galley_vent/position/set 0
open the galley vent|reject|||-
how bright is the galley lamp|accept|level_of|device=galley_lamp|-
pump the bilge|accept|pump_out|run=30|boat p 1 ; wait 30 ; boat p 0
pump the bilge for a minute and a half|accept|pump_out|run=90|
pump the bilge for half|reject|||-
good night boat|accept|good_night||boat marsh_end/galley_lamp/power/set 0 ; boat marsh_end/saloon_lamp/power/set 0 ; wait 2 ; panel "K0"
open the hatch|ask|open_hatch||panel 5C 01
open the hatch two four six eight|accept|open_hatch||panel 5C 01
open the hatch 1 1 1 1|reject|open_hatch||-
call two four double six|accept|call|number=2466|hooks POST /call/2466 n=2466
call 555 1234|accept|call|number=5551234|
take a note the gate is open|accept|note|what="the gate is open"|hooks POST /note {"text": "the gate is open", "at": "marsh_end"}
Take a note: Don't touch the gate!|accept|note|what="Don't touch the gate"|
play something slow on the gramophone|accept|play||panel "G1"
film night|confirm|scene||panel "S1"
movie evening|confirm|scene||panel "S1"
very very cosy please|confirm|scene||
boil it|accept|boil_it||panel "K1"
ring the bell|accept|bell||boat bell/x a\\;b
send cake|accept|send_cake||hooks PUT /cake one two
take the helm|accept|take_the_helm||-
to port by ten|reject|port||-
kill the galley lamp|accept|switch|device=galley_lamp power=off|
matey galley lamp on|accept|switch|device=galley_lamp|
GALLEY LÁMP, on!|accept|switch|device=galley_lamp|
don't turn on the galley lamp|reject|||-
do not turn on the galley lamp|reject|||-
never mind|cancel|||-
cancel|cancel|||-
hello marsh end|wake|||-
hello mister end|wake|||-
that is all|sleep|||-
"""


class Rules(unittest.TestCase):
    def test_one_by_one(self) -> None:
        for line in RULES.replace("LAMPS", LAMPS).splitlines()[1:]:
            utterance, outcome, intent, slots, commands = line.split("|")
            cells = [utterance, outcome, intent, slots, commands]
            table = "utterance,outcome,intent,slots,commands\n" + ",".join('"' + c.replace('"', '""') + '"' for c in cells) + "\n"
            with self.subTest(utterance):
                row = glossa.read_table(table, house=MARSH)[0]
                self.assertEqual(row.problem, "")
                self.assertEqual(run_alone(MARSH, row, MATCHER).wrong, ())

    def test_replies(self) -> None:
        cases = {
            "shed radio on": "radio on",
            "galley lamp to forty": "galley lamp 40",
            "how bright is the galley lamp": "galley lamp is at 0 percent",
            "set the galley lamp": "How bright?",
            "radio on": "Which one: shed radio or study radio?",
            "radiator to fifty": "target of radiator goes from 5 to 30 degrees, so not 50",
            "ring the bell": "ding",
            "boil it": "Done",
            "good night": "Sleep well",
        }
        for text, reply in cases.items():
            with self.subTest(text):
                self.assertEqual(glossa.Conversation(MARSH, MATCHER, awake=True).hear(text).reply, reply)

    def test_live_a_change_of_what_is_not_known_is_refused(self) -> None:
        talk = glossa.Conversation(MARSH, MATCHER, state={}, awake=True)
        event = talk.hear("make the galley lamp brighter")
        self.assertEqual((event.outcome, event.commands, event.reason), ("reject", (), "unknown"))
        talk.hear("galley lamp to forty", 1)
        self.assertEqual(talk.hear("make the galley lamp brighter", 2).changes, {("galley_lamp", "level"): 50})

    def test_tries_are_counted_over_all_utterances(self) -> None:
        talk = glossa.Conversation(MARSH, MATCHER, awake=True)
        outcomes = []
        for at, text in enumerate(
            ("open the hatch 1 1 1 1", "galley lamp on", "open the hatch 2 2 2 2", "open the hatch 2 4 6 8")
        ):
            outcomes.append(str(talk.hear(text, at).outcome))
        self.assertEqual(outcomes, ["reject", "accept", "reject", "reject"])
        self.assertEqual(talk.hear("open the hatch 2 4 6 8", 70).outcome, "accept")

    def test_after_a_command_it_sleeps_at_once(self) -> None:
        talk = glossa.Conversation(MARSH, MATCHER)
        lines = (
            (0, "hello march end"),
            (2, "galley lamp on"),
            (3, "galley lamp off"),
            (5, "hello marsh end galley lamp off"),
            (6, "saloon lamp on"),
        )
        self.assertEqual([str(talk.hear(t, at).outcome) for at, t in lines], ["wake", "accept", "asleep", "accept", "asleep"])

    def test_modes(self) -> None:
        talk = glossa.Conversation(MARSH, MATCHER)
        lines = (
            (0, "hello marsh end take the helm", "accept", "steering"),
            (5, "to port", "accept", "steering"),
            (10, "galley lamp on", "reject", "steering"),
            (34, "to port by ten", "accept", "steering"),
            (65, "to port", "asleep", ""),
        )
        for at, text, outcome, mode in lines:
            event = talk.hear(text, at)
            self.assertEqual((str(event.outcome), event.mode), (outcome, mode), text)

    def test_every_device_starts_where_the_file_says(self) -> None:
        state: State = initial_state(MARSH)
        self.assertEqual((state["radiator", "target"], state["galley_lamp", "level"], state["fan", "speed"]), (20, 0, "low"))
        self.assertEqual((state["galley_lamp", "power"], state["bilge_pump", "run"]), ("off", 1))

    def test_the_json_object(self) -> None:
        found = glossa.Conversation(MARSH, MATCHER, awake=True).hear("set galley lamp to forty").plain()
        self.assertEqual(json.loads(json.dumps(found)), found)
        self.assertEqual(found["slots"], {"device": ["galley_lamp"], "level": 40})
        self.assertTrue(all(set(a) == {"intent", "slots", "score"} for a in found["alternatives"]))

    def test_everything_is_optional_but_a_name_and_one_intent(self) -> None:
        house = read_house('[house]\nname = "x"\n[intents.a]\nphrases = ["hello world"]\nreply = "hi"\n')
        self.assertEqual(glossa.Conversation(house).hear("hello world").reply, "hi")
        for text in ('[house]\nname = ""\n[intents.a]\nphrases = ["x"]\nreply = "y"\n', "[house]\nname = 3\n", "", "x = 1"):
            with self.subTest(text), self.assertRaises(HouseError):
                read_house(text)


if __name__ == "__main__":
    unittest.main()
