"""One house in a text, one phrase, one command."""

import glossa
from glossa.house import read_house

house = read_house("""
[house]
name = "Den"

[kinds.lamp]
nouns = ["lamp"]
properties.power = { type = "switch", command = { topic = "$house/$id", payload = "$raw" } }

[devices.desk_lamp]
kind = "lamp"
names = ["desk lamp"]

[intents.switch]
phrases = ["(turn | switch) $power [the] $device", "[the] $device $power"]
set = { power = "$power" }
reply = "$device $power"
""")

matcher = glossa.Matcher(house)
for text in ("turn on the desk lamp", "uh could you switch the desk lamp off", "don't turn on the lamp", "nice weather"):
    match = matcher.match(text)
    meant = f"{match.best.intent} {dict(match.best.slots)}" if match.best else "nothing"
    print(f"{match.outcome:8} {match.confidence:.2f}  {text}  ->  {meant}")
