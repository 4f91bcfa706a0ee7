"""German, French and Spanish: houses and tables of their own, how their words sound, and several languages in one house."""

import csv
import random
import tomllib
import unittest
from importlib import resources
from pathlib import Path

import glossa
from glossa.house import read_house
from glossa.house.notation import Choice, Node, Repeat, Row, Word, parse
from glossa.house.text import words
from glossa.language import load_language
from glossa.language.phones import phones
from glossa.language.phrases import is_pattern
from glossa.trials.languages import UP_TO, unread_numbers
from tests import shared

HERE = Path(__file__).parent
POLITELY = {
    "en": ("marigold", "galley lamp on", "turn the radio off", "close the galley vent", "saloon lamp to forty percent"),
    "de": ("rotdorn", "schalte die Küchenlampe ein", "mach das Flurlicht aus", "Küchenlampe auf vierzig Prozent"),
    "fr": ("mirabelle", "allume le plafonnier", "coupe la radio", "éteins la lampe de chevet"),
    "es": ("azahar", "enciende la luz de la cocina", "apaga la radio", "enciende la lamparita"),
}
LEAST_POLITE = 0.98
"""The share of commands with something polite beside them that are carried out."""


class Houses(unittest.TestCase):
    def test_spoken_numbers_are_read_back(self) -> None:
        for tag in ("de", "fr", "es", "en"):
            self.assertEqual(unread_numbers(load_language(tag), shared.some(range(UP_TO + 1), 7))[:3], [], tag)

    def test_ways_to_write_the_same(self) -> None:
        for tag, written, meant in (
            ("de", "stell die stehlampe auf fuenfundzwanzig", 25), ("de", "stehlampe auf zweitausenddreihundertvier", 2304),
            ("de", "stehlampe auf zwei tausend drei hundert vier", 2304), ("de", "stehlampe auf zweieinhalb", 2.5), ("de", "hundertfünfzig", 150),
            ("fr", "règle le lampadaire à deux mille deux", 2002), ("fr", "lampadaire à septante", 70), ("fr", "lampadaire à quatre vingt un", 81),
            ("es", "pon la lámpara a veintiún mil cien", 21100), ("es", "pon la lámpara a ciento uno", 101),
        ):  # fmt: skip
            from glossa.hearing.numbers import NumberReader
            from glossa.hearing.tokens import tokenize

            found = NumberReader(load_language(tag)).read(tokenize(written, load_language(tag).numbers.thousands))
            self.assertEqual([q.value for q in found], [meant], written)
        self.assertEqual(words("l'ampoule du cœur, qu'il"), ("l", "ampoule", "du", "coeur", "qu", "il"))
        self.assertEqual(words("don't d'you O'Brien's"), ("dont", "dyou", "obriens"))

    def test_sounds(self) -> None:
        rows = list(csv.DictReader((HERE / "sounds.csv").read_text(encoding="utf-8").splitlines()))
        for tag, least in (("es", 0.97), ("de", 0.93), ("fr", 0.88)):
            mine = [r for r in rows if r["language"] == tag]
            whole = sum(phones(r["word"].lower(), tag) == tuple(r["phones"].split()) for r in mine)
            self.assertGreaterEqual(whole / len(mine), least, tag)


class Politeness(unittest.TestCase):
    def test_a_courtesy_stays_one_beside_a_phrase_that_holds_it(self) -> None:
        house = read_house(
            '[house]\nname = "B"\n[devices.l]\nnames = ["lathe light"]\nproperties.power = { type = "switch", command = { text = "$raw" } }\n'
            '[modes.order]\n[intents.s]\nphrases = ["(turn | switch) $power [the] $device"]\nset = { power = "$power" }\n'
            '[intents.tea]\nphrases = ["tea please", "could you kindly make tea"]\nreply = "tea"\n'
            '[intents.bun]\nphrases = ["bun please thanks"]\nmodes = ["order"]\nreply = "bun"\n'
        )
        matcher = glossa.Matcher(house)
        for line, intent in (
            ("could you switch off the lathe light please", "s"), ("kindly turn on the lathe light please thanks", "s"),
            ("tea please", "tea"), ("could you kindly make tea", "tea"),
        ):  # fmt: skip
            match = matcher.match(line)
            self.assertEqual((match.outcome, match.best and match.best.intent), ("accept", intent), line)

    """What is said without meaning anything changes nothing, in front of a command and behind it."""

    def said(self, phrases: list[str], dice: random.Random) -> list[str]:
        """Each phrase once; of one with alternatives three that it stands for."""

        def drawn(node: Node) -> str:
            match node:
                case Row(parts):
                    return " ".join(filter(None, map(drawn, parts)))
                case Choice(options):
                    return drawn(dice.choice(options))
                case Repeat(part):
                    return drawn(part) if dice.random() < 0.4 else ""
            assert isinstance(node, Word)
            return node.text

        return [drawn(parse(phrase)) for phrase in phrases for _ in range(3 if is_pattern(phrase) else 1)]

    def test_courtesy_changes_no_command(self) -> None:
        for tag, (name, *commands) in POLITELY.items():
            dice = random.Random(7)
            plain = {command: shared.matcher(name).match(command).best for command in commands}
            written = tomllib.loads((resources.files("glossa.language") / "data" / f"{tag}.toml").read_text(encoding="utf-8"))
            lines = [
                (command, line)
                for filler in shared.some(self.said(written["filler"], dice), 2)
                for command in (dice.choice(commands),)
                for line in (f"{filler} {command}", f"{command} {filler}")
            ]
            matches = [(shared.matcher(name).match(line), plain[command], line) for command, line in lines]
            carried_out = [m.outcome == "accept" and m.best.meaning == best.meaning for m, best, _ in matches if m.best and best]
            self.assertGreater(sum(carried_out) / len(lines), LEAST_POLITE, tag)
            wrong = [
                line for m, best, line in matches if m.outcome == "accept" and m.best and best and m.best.meaning != best.meaning
            ]
            self.assertEqual(wrong, [], tag)


class Several(unittest.TestCase):
    LAMP = (
        '[house]\nname = "Two"\nlanguages = [{tags}]\n[devices.lamp]\nnames = {{ {names} }}\n'
        'properties.level = {{ type = "number", unit = "percent", minimum = 0, maximum = 100, command = {{ topic = "l", payload = "$raw" }} }}\n'
        '[intents.level]\nphrases = {{ {phrases} }}\nset = {{ level = "$level" }}\n'
    )

    def test_two_languages_in_one_house_and_in_one_line(self) -> None:
        for tags, names, phrases, plain, mixed in (
            (
                '"de", "en"', 'de = ["Stehlampe"], en = ["floor lamp"]',
                'de = ["stell [die] $device auf $level"], en = ["set [the] $device to $level"]',
                (("stell die Stehlampe auf vierzig", "de"), ("set the floor lamp to forty", "en")),
                ("stell die floor lamp auf forty", "set the Stehlampe to vierzig"),
            ),
            (
                '"es", "en"', 'es = ["lámpara de pie"], en = ["floor lamp"]',
                'es = ["pon [la] $device al $level"], en = ["set [the] $device to $level"]',
                (("pon la lámpara de pie al cuarenta", "es"), ("set the floor lamp to forty", "en")),
                ("pon la floor lamp al forty", "set the lámpara de pie to cuarenta"),
            ),
        ):  # fmt: skip
            house = read_house(self.LAMP.format(tags=tags, names=names, phrases=phrases))
            matcher = glossa.Matcher(house)
            for text, tag in plain:
                match = matcher.match(text)
                self.assertEqual(
                    (match.outcome, match.language, match.best and match.best.slots["level"]), ("accept", tag, 40), text
                )
            for text in mixed:
                match = matcher.match(text)
                self.assertIn(match.outcome, ("accept", "confirm", "ask"), text)
                self.assertEqual(match.best and dict(match.best.slots), {"device": ("lamp",), "level": 40}, text)

    def test_irregular_plurals_and_articles_in_names(self) -> None:
        house = read_house(
            '[house]\nname = "G"\nlanguages = ["fr"]\n[kinds.oeil]\nnouns = ["oeil-de-boeuf"]\nplurals = ["yeux-de-boeuf"]\n'
            'properties.power = { type = "switch", command = { topic = "$id", payload = "$raw" } }\n'
            '[devices.a]\nkind = "oeil"\nnames = ["l\'oeil-de-boeuf rouge"]\n[devices.b]\nkind = "oeil"\nnames = ["l\'oeil-de-boeuf vert"]\n'
            '[intents.allumer]\nphrases = ["allume [les | l\'] $device"]\nset = { power = "on" }\nreply = "J\'allume $device"\n'
        )
        conversation = glossa.Conversation(house)
        self.assertEqual(conversation.hear("allume l'œil-de-bœuf vert").reply, "J'allume l'oeil-de-boeuf vert")
        self.assertEqual(len(conversation.hear("allume tous les yeux-de-bœuf").commands), 2)

    def test_answers_are_in_the_language_that_was_spoken(self) -> None:
        conversation = glossa.Conversation(glossa.load_house("schleuse"))
        for text, reply in (
            ("mach die Laterne an", "Laterne an"), ("allume la lanterne", "J'allume lanterne"), ("lantern on", "lantern on"),
            ("Ofen auf neunzig Grad", "grad von Ofen geht von 10 bis 26 Grad, also nicht 90"), ("lass die Laterne an", "Dann lasse ich das, wie es ist"),
        ):  # fmt: skip
            self.assertEqual(conversation.hear(text).reply, reply)


if __name__ == "__main__":
    unittest.main()
