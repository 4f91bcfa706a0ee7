"""Numbers as people say them, and what they are on the wire."""

import glossa
from glossa.house import read_house

house = read_house("""
[house]
name = "Attic"

[devices.blind]
names = ["blind"]
[devices.blind.properties.position]
type = "number"
unit = "percent"
minimum = 0
maximum = 100
step = 5
raw = [30, 0]                   # thirty steps, and 0 percent is all the way down
named = { ajar = 10 }
command = { topic = "blind", payload = "$raw" }

[intents.move]
phrases = ["[set] [the] $device [to] $position"]
set = { position = "$position" }
""")

talk = glossa.Conversation(house)
spoken = ("forty", "a third", "ninety nine", "fifty no sixty", "ajar", "one hundred and ten", "three quarters", "minimum")
for second, number in enumerate(spoken):
    event = talk.hear(f"set the blind to {number}", at=10.0 * second)
    value = event.slots.get("position")
    print(f"{number:20} {event.outcome:8} {value!s:>5} percent   {'; '.join(map(str, event.commands)) or event.reply}")
