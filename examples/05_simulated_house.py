"""Devices that take the commands and can be looked at, with no hardware."""

import glossa

house = glossa.load_house("marigold")
devices = glossa.SimulatedHouse(house)
talk = glossa.Conversation(house)
talk.hear("ahoy barnacle", at=0.0)

for second, text in enumerate(
    ("saloon lamp to a third", "brighter", "all the lamps on except the galley lamp", "heater to nineteen and a half")
):
    event = talk.hear(text, at=2.0 + second)
    for change in devices.take(event.commands):
        print(f"{text:42} {change}")
