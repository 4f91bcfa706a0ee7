"""Mutated house files, tables, lines and messages: whatever they hold, nothing but the library's own errors comes of it.

``python -m tests.fuzz --seconds 600`` (``make fuzz``) goes on with new seeds; the tests run a fixed one.
"""

from __future__ import annotations

import argparse
import random
import sys
import time
import traceback

import glossa
from glossa.files import find_house
from glossa.house import HouseError, read_house
from glossa.live import read_heard
from tests.virtual import MARIGOLD, MATCHER, World

HOUSE = find_house("marigold").read_text(encoding="utf-8")
SHEET = (find_house("marigold").parent / "codes.csv").read_text(encoding="utf-8")
TABLE = (find_house("marigold").parent / "tests" / "conversations.csv").read_text(encoding="utf-8")
VALUES = (
    "1", "-1", "nan", "-inf", "1e400", "true", "''", "'x'", "[]", "{}", "[1,2]", "{a=1}", "[[[]]]", "[['a']]", "[{}]", "'$'", "'${'", "'\\u0000'",
    "'" + "x" * 300 + "'", "1979-05-27", "07:32:00", "'(((('", "'a<0-9999>'", "9" * 30, "'[x'", "{en=['x']}", "{xx='y'}", "{en={a=1}}", "'*'",
    "'$device'", "['$device']", "'a/b'", "0x10", '"\\u202e"',
)  # fmt: skip
KEYS = (
    "nouns", "names", "phrases", "set", "change", "command", "initial", "type", "values", "spoken", "named", "pin", "modes", "ask", "defaults", "like",
    "kind", "room", "members", "steps", "unit", "unit_words", "raw", "also_heard", "state", "reply", "link", "port", "confirm", "matching",
    "content_type", "resume", "languages", "tables",
)  # fmt: skip
SIGNS = "\"'[]{}=$\x00\ufeffé/<>|(;,\n\u202e\ufdfa"
SAID = tuple(dict.fromkeys(w for w in TABLE.replace(",", " ").split() if w.isalpha()))
WORDS = (*SAID, "1e400", "²", "½", "٣", "\ufdfa" * 50, "-", "no", "and then")


def mutated(text: str, chance: random.Random) -> str:
    """A text with some of its lines changed, lost, doubled or broken."""
    lines = text.split("\n")
    for _ in range(chance.randint(1, 3)):
        at = chance.randrange(len(lines))
        line, draw = lines[at], chance.random()
        if "=" in line and draw < 0.6:
            lines[at] = line.partition("=")[0] + "= " + chance.choice(VALUES)
        elif draw < 0.7 and len(lines) > 1:
            del lines[at]
        elif draw < 0.8:
            lines.insert(at, chance.choice(lines))
        elif draw < 0.9:
            lines.insert(at, f"{chance.choice(KEYS)} = {chance.choice(VALUES)}")
        else:
            cut = chance.randrange(len(line) + 1)
            lines[at] = line[:cut] + chance.choice(SIGNS) + line[cut:]
    return "\n".join(lines)


def a_house(chance: random.Random) -> None:
    """A mutated house that is still one is matched against."""
    try:
        house = read_house(
            mutated(HOUSE, chance), {"codes.csv": mutated(SHEET, chance) if chance.random() < 0.2 else SHEET}, "h.toml", ("en",)
        )
    except HouseError as error:
        assert error.problems and all(p.message and p.line >= 0 for p in error.problems)
        return
    talk = glossa.Conversation(house, glossa.Matcher(house), awake=True)
    for text in ("galley lamp to forty", "turn everything off", "good night", "note in the log hi", "2468"):
        talk.hear(text)


def a_table(chance: random.Random) -> None:
    """A mutated table is read, and run where it can be."""
    try:
        rows = glossa.read_table(mutated(TABLE, chance), "t.csv", MARIGOLD, extra_columns=chance.random() < 0.5)
    except HouseError:
        return
    glossa.run_table(MARIGOLD, rows[:5], MATCHER)


def a_line(chance: random.Random) -> None:
    """Words and signs in any order are understood or not."""
    line = " ".join(chance.choice(WORDS) for _ in range(chance.choice((1, 3, 8, 20, 60, 200))))
    if chance.random() < 0.5:
        cut = chance.randrange(len(line) + 1)
        line = line[:cut] + chr(chance.choice((0, 27, 0x85, 0xFFFE, 0x202E, chance.randrange(0x110000)))) + line[cut:]
    event = glossa.Conversation(MARIGOLD, MATCHER, awake=True).hear(line)
    assert event.reply.isprintable() and all(str(c).isprintable() for c in event.commands)


def a_message(chance: random.Random) -> None:
    """Bytes from a recogniser end as a record, and no record holds the passcode."""
    world = World(awake=True)
    for _ in range(5):
        text = chance.choice(
            ("open the hatch", "8642", "eight six four two", "galley lamp on", "note in the log 8642", "ate sex for two")
        )
        data = chance.choice(
            (text, f'{{"text": "{text}", "time": "{text}"}}', f'{{"error": "{text}"}}', f'{{"alternatives": ["{text}", {{}}]}}')
        ).encode()
        if chance.random() < 0.5:
            cut = chance.randrange(len(data) + 1)
            data = data[:cut] + bytes(chance.randrange(256) for _ in range(chance.randint(1, 4))) + data[cut:]
        world.engine.hear(read_heard(data), world.now, "fuzz")
        world.run(chance.choice((0.1, 1.0, 70.0)))
    assert "8642" not in str([r.plain() for r in world.records])


FUZZERS = (a_house, a_table, a_line, a_message)


def main() -> int:
    """Go on until the time is up or something breaks; the seed of what broke is printed."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--seconds", type=float, default=60.0)
    parser.add_argument("--seed", type=int, default=int(time.time()))
    given = parser.parse_args()
    until, seed = time.monotonic() + given.seconds, given.seed
    while time.monotonic() < until:
        for fuzzer in FUZZERS:
            try:
                fuzzer(random.Random(seed))
            except Exception:
                traceback.print_exc()
                print(f"{fuzzer.__name__} broke with --seed {seed}")
                return 1
        seed += 1
    print(f"nothing broke in {seed - given.seed} rounds")
    return 0


if __name__ == "__main__":
    sys.exit(main())
