"""Houses of any size from a seed, and utterances for them."""

from __future__ import annotations

import random
import tomllib
from typing import Any

from num2words import num2words

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


MOST_TRIES = 50
"""Tries to find one more line of a kind."""

VERBS = ("turn", "switch", "set", "dim", "open", "shut")

KINDS = {"plain": 0.3, "polite": 0.35, "misheard": 0.2, "talk": 0.15}
"""How often each kind of line comes: as a phrase has it, with what people say around it, with a letter lost, and no command at all."""
BEFORE = (
    "um could you please",
    "would you mind",
    "I'd like you to",
    "right then",
    "oh and",
    "sorry can you",
    "when you have a minute",
    "please",
)
BEHIND = ("", "please", "for me", "now", "thanks", "if you don't mind", "before I forget", "would you")
TOLD = (
    "I think the {} is lovely",
    "we bought the {} from my aunt",
    "she asked me about the {}",
    "the {} was never any good",
    "who broke the {}",
)
TOLD_BEHIND = (
    "in the evening",
    "last summer",
    "and nobody noticed",
    "when it rains",
    "on a Sunday",
    "I suppose",
    "as you know",
    "these days",
)


def utterances(text: str, count: int, seed: int = 2) -> dict[str, str]:
    """Utterances for a generated house, all different: each line, and its kind of ``KINDS``."""
    raw = tomllib.loads(text)
    dice = random.Random(seed)
    found: dict[str, str] = {}

    def command(device: dict[str, Any], led: bool) -> str:
        """What is said to one device, beginning with a verb where it is ``led`` by something else."""
        name, number = device["names"][0], said(dice.randint(0, 100))
        power = dice.choice(["on", "off"])
        article = dice.choice(["the ", "the ", ""])
        ways = {
            "power": [f"turn {article}{name} {power}", f"switch {power} {article}{name}", f"{name} {power}"],
            "level": [
                f"set {article}{name} to {number} percent",
                f"dim {article}{name} to {number}",
                f"{name} at {number} percent",
            ],
            "position": [f"shut {article}{name}", f"open {article}{name}"],
            "temperature": [
                f"set {article}{name} to {said(dice.randint(10, 60) / 2)} degrees",
                f"{name} at {said(dice.randint(5, 30))}",
            ],
            "speed": [f"set {article}{name} to {dice.choice(['low', 'medium', 'high'])}"],
            "volume": [f"{name} volume {said(dice.randint(0, 20))}"],
        }[dice.choice(SORTS[device["kind"]])]
        return dice.choice([w for w in ways if not led or w.split()[0] in VERBS] or ways)

    def line_of(kind: str) -> str:
        device = raw["devices"][dice.choice(list(raw["devices"]))]
        if kind == "talk":
            return f"{dice.choice(TOLD).format(device['names'][0])} {dice.choice(TOLD_BEHIND)}"
        line = command(device, kind == "polite")
        if kind == "polite":
            return " ".join(f"{dice.choice(BEFORE)} {line} {dice.choice(BEHIND)}".split())
        if kind == "misheard":
            at = dice.choice([i for i in range(1, len(line) - 1) if line[i] != " "])
            return line[:at] + line[at + 1 :]
        return line

    while len(found) < count:
        kind = dice.choices(list(KINDS), list(KINDS.values()))[0]
        new = next((line for line in (line_of(kind) for _ in range(MOST_TRIES)) if line not in found), "")
        if new:  # there are only so many plain lines for a few devices
            found[new] = kind
    return found


def said(number: float) -> str:
    """A number in words, as a recogniser writes them."""
    return str(num2words(number)).replace("-", " ")
