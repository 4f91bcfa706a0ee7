"""Clauses beside a command, without a comma; names that are told apart by a number or share their end."""

from __future__ import annotations

import unittest
from pathlib import Path

import glossa

HOUSES = Path(__file__).parent / "houses"


class Lines(unittest.TestCase):
    def setUp(self) -> None:
        self.matchers = {name: glossa.Matcher(glossa.load_house(name)) for name in ("marigold",)}

    def matcher(self, name: str) -> glossa.Matcher:
        if name not in self.matchers:
            self.matchers[name] = glossa.Matcher(glossa.load_house(HOUSES / name))
        return self.matchers[name]

    def accepted(self, house: str, cases: dict[str, tuple[str, dict[str, object]]]) -> None:
        for text, (intent, slots) in cases.items():
            match = self.matcher(house).match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertEqual((match.outcome, match.reason, match.best.intent), ("accept", "", intent))
                self.assertEqual({k: match.best.slots[k] for k in slots}, slots)

    def refused(self, house: str, *texts: str) -> None:
        for text in texts:
            with self.subTest(text):
                self.assertEqual(self.matcher(house).match(text).outcome, "reject")


class Clauses(Lines):
    def test_a_request_behind_a_clause(self) -> None:
        on = {"power": "on"}
        self.accepted(
            "marigold",
            {
                "we're sinking run the bilge pump": ("pump_out", {}),
                "dinner is ready turn the saloon lamp on": ("switch", {"device": ("saloon_lamp",), **on}),
                "before you go to sleep switch the inverter off": ("switch", {"device": ("inverter",), "power": "off"}),
                "I can't see a thing turn the engine room lamp on": ("switch", {"device": ("engine_lamp",), **on}),
                "close the galley vent the smoke is in my eyes": ("shut_vent", {"device": ("galley_vent",)}),
                "the band are ready so galley lamp to forty": ("set_level", {"device": ("galley_lamp",), "level": 40}),
            },
        )
        self.refused(
            "marigold",
            "I can't turn the saloon lamp on",
            "he can't even turn the saloon lamp on",
            "I never said turn the saloon lamp on",
            "they left the stove fan on",
            "it was cold so he put the saloon lamp on",
            "the radio on my boat is awful",
            "we usually turn the heater down at night",
            "my uncle said he would turn the radio off",
        )

        for text in ("someone left the store light on again", "we saw the plumber turn the house lights off"):
            self.assertNotEqual(self.matcher("brockhall").match(text).outcome, "accept", text)

    def test_what_the_clause_says_of_the_command(self) -> None:
        lamps = ("galley_lamp", "worktop_lamp")
        self.accepted(
            "marigold",
            {
                "the galley is too dark turn the lamps on": ("switch", {"device": lamps, "power": "on"}),
                "it's stuffy in the saloon open the vent": ("open_vent", {"device": ("saloon_vent",)}),
                "the reading lamp is too bright dim it by twenty": ("dim", {"device": ("reading_lamp",), "amount": 20}),
            },
        )
        self.accepted(
            "lindenhof", {"mir ist kalt mach die Stubenheizung wärmer": ("waermer", {"device": ("heizung_stube",), "grad": 1})}
        )
        self.refused("marigold", "the telly was good turn it off")

    def test_a_scene_may_be_announced(self) -> None:
        self.accepted("millrace", {"it's film night": ("film", {}), "okay it is film night": ("film", {})})
        self.accepted("lindenhof", {"so jetzt ist Feierabend": ("feierabend", {})})
        self.refused("millrace", "is it film night")

    def test_a_command_is_taken_back(self) -> None:
        self.accepted("kestrel", {"map light off sorry hut light off": ("light_off", {"device": ("ceiling_led",)})})
        self.assertEqual(len(self.matcher("kestrel").match("map light off then hut light off").parts), 2)


class Names(Lines):
    def test_told_apart_by_a_number(self) -> None:
        def to(*devices: str) -> tuple[str, dict[str, object]]:
            return "dim", {"device": devices, "dim": 40}

        self.accepted(
            "brockhall",
            {
                "spots one and three to forty": to("spot_one", "spot_three"),
                "spot 2 to forty": to("spot_two"),
                "spot won to forty": to("spot_one"),
                "spotlights one, two and three to forty": to("spot_one", "spot_two", "spot_three"),
                "both spots one and two to forty": to("spot_one", "spot_two"),
                "spot one up ten percent": ("up", {"device": ("spot_one",), "percent": 10}),
            },
        )
        self.assertEqual(self.matcher("brockhall").match("set the spot to forty").outcome, "ask")
        self.refused("brockhall", "three quarters full", "give me the green one")

    def test_that_share_their_end(self) -> None:
        both = ("bed_left", "bed_right")
        self.accepted(
            "millrace",
            {
                "the left and right bedside lamps on": ("switch", {"device": both}),
                "mum's and dad's lamps to ten percent": ("level", {"device": both, "brightness": 10}),
            },
        )

    def test_a_plain_name_is_no_part_of_another_one(self) -> None:
        """The telly is the television, not the telly lights, and the hut light no other light in the wrong room."""
        self.accepted("millrace", {"turn the telly up by five": ("louder", {"device": ("telly",), "notches": 5})})
        self.accepted("kestrel", {"hut light on": ("light_on", {"device": ("ceiling_led",)})})


if __name__ == "__main__":
    unittest.main()
