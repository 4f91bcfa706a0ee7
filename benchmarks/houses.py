"""Houses of any size from a seed, and utterances for them."""

from __future__ import annotations

import random

SORTS = {
    "lamp": ("power", "level"),
    "blind": ("position",),
    "heater": ("temperature",),
    "fan": ("power", "speed"),
    "radio": ("power", "volume"),
    "socket": ("power",),
}
PROPERTIES = {
    "power": 'type = "switch"',
    "level": 'type = "number"\nunit = "percent"\nminimum = 0\nmaximum = 100\nraw = [0, 255]',
    "position": 'type = "number"\nunit = "percent"\nminimum = 0\nmaximum = 100\nnamed = { open = 100, shut = 0 }',
    "temperature": 'type = "number"\nunit = "celsius"\nminimum = 5\nmaximum = 30\nstep = 0.5',
    "speed": 'type = "choice"\nvalues = { low = "1", medium = "2", high = "3" }',
    "volume": 'type = "number"\nminimum = 0\nmaximum = 20',
}
ADJECTIVES = (
    "tall short round square old new wooden copper glass paper corner window ceiling floor wall desk shelf bed stair sofa".split()
)
ROOMS = (
    "kitchen lounge bedroom bathroom study hall attic cellar garage porch nursery pantry library studio gallery workshop laundry larder "
    "chapel stable orchard terrace balcony conservatory boathouse"
).split()
ACTIONS = "breakfast reading cinema party laundry garden holiday dinner homework painting music cleaning morning evening".split()


def house(devices: int, intents: int, seed: int = 1) -> str:
    """The text of a house file with so many devices and about so many intents."""
    dice = random.Random(seed)
    lines = ["[house]", f'name = "House {devices}"', "[rooms]"]
    rooms = ROOMS[: max(2, min(len(ROOMS), devices // 4))]
    lines += [f'{room} = ["{room}"]' for room in rooms]
    for sort, properties in SORTS.items():
        lines += [f"[kinds.{sort}]", f'nouns = ["{sort}"]']
        for name in properties:
            lines += [
                f"[kinds.{sort}.properties.{name}]",
                PROPERTIES[name],
                f'command = {{ topic = "$house/$id/{name}", payload = "$raw" }}',
            ]
    taken = set()
    while len(taken) < devices:
        sort, room = list(SORTS)[len(taken) % len(SORTS)], dice.choice(rooms)
        name = f"{dice.choice(ADJECTIVES)} {room} {sort}" if devices > 30 else f"{room} {sort}"
        if len(taken) > 900 or name in taken:
            name = f"{dice.choice(ADJECTIVES)} {dice.choice(ADJECTIVES)} {room} {sort}"
        if name in taken:
            continue
        taken.add(name)
        lines += [f"[devices.d{len(taken)}]", f'kind = "{sort}"', f'names = ["{name}"]', f'room = "{room}"']
    lines += [
        '[slots.by]\ntype = "number"',
        '[intents.power]\nphrases = ["(turn | switch) $power [the] $device", "(turn | switch) [the] $device $power", "[the] $device $power"]\nset = { power = "$power" }',
        '[intents.level]\nphrases = ["(set | dim) [the] $device to $level", "[the] $device [at] $level"]\nset = { level = "$level" }',
        '[intents.temperature]\nphrases = ["set [the] $device to $temperature", "[the] $device [at] $temperature"]\nset = { temperature = "$temperature" }',
        '[intents.speed]\nphrases = ["set [the] $device to $speed", "[the] $device [on] $speed"]\nset = { speed = "$speed" }',
        '[intents.volume]\nphrases = ["[the] $device volume $volume"]\nset = { volume = "$volume" }',
        '[intents.open]\nphrases = ["open [the] $device"]\nset = { position = "open" }',
        '[intents.shut]\nphrases = ["(shut | close) [the] $device"]\nset = { position = "shut" }',
        '[intents.brighter]\nphrases = ["[make] [the] $device brighter [by $by]"]\nchange = { level = "+$by" }\ndefaults = { by = 10 }',
    ]
    for number in range(max(0, intents - 8)):
        words = f"{dice.choice(ACTIONS)} {dice.choice(ADJECTIVES)} {dice.choice(['scene', 'time', 'mode', 'show', 'setting'])} {number}"
        lines.append(f'[intents.scene{number}]\nphrases = ["[start] [the] {words}", "it is time for {words}"]\nreply = "ok"')
    return "\n".join(lines)


def utterances(text: str, count: int, seed: int = 2) -> list[str]:
    """Utterances for a generated house, all different: plain, loose, misheard, and talk."""
    import tomllib

    raw = tomllib.loads(text)
    dice = random.Random(seed)
    found: dict[str, None] = {}
    while len(found) < count:
        device = raw["devices"][dice.choice(list(raw["devices"]))]
        name, sort = device["names"][0], device["kind"]
        what = {
            "power": dice.choice(["on", "off"]),
            "level": "to forty percent",
            "position": "shut",
            "temperature": "to twenty one",
            "speed": "high",
            "volume": "volume seven",
        }
        line = f"{name} {what[dice.choice(SORTS[sort])]}"
        kind = dice.random()
        if kind < 0.35:
            line = f"um could you please turn the {name} on"
        elif kind < 0.55:
            at = dice.randrange(1, len(line) - 1)
            line = line[:at] + line[at + 1 :]
        elif kind < 0.7:
            line = f"i think the {name} is lovely in the evening"
        if line in found:  # the same again, with a letter lost somewhere
            at = dice.randrange(1, len(line) - 1)
            line = line[:at] + line[at + 1 :]
        found[line] = None
    return list(found)
