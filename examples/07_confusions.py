"""What will be confused, before anyone speaks: names, phrases and codes that are too near to each other."""

from glossa.house import read_house
from glossa.trials.findings import findings

house = read_house("""
[house]
name = "Mill"

[kinds.light]
nouns = ["light"]
properties.power = { type = "switch", command = { topic = "$house/$id", payload = "$raw" } }
[devices.hall_light]
kind = "light"
names = ["hall light"]
[devices.hull_light]
kind = "light"
names = ["hull light"]

[intents.switch]
phrases = ["[the] $device $power"]
set = { power = "$power" }
[intents.open_gate]
phrases = ["open the gate"]
steps = [{ topic = "gate", payload = "7" }]
[intents.open_crate]
phrases = ["open the crate"]
steps = [{ topic = "gate", payload = "7" }]
""")

for finding in findings(house):
    print(f"{finding.place}: {finding.name}\n    {finding.what}\n    {finding.why}; {finding.instead}")
