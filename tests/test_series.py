"""Which devices a sentence means: names that are told apart by numbers, runs of them, what is left as it is, and the noun that is said once."""

from __future__ import annotations

import unittest
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

import glossa
from glossa.house import read_house
from tests import shared
from tests.test_phrasing import Lines

HOUSES = Path(__file__).parent / "houses"
COUNT = ("one", "two", "three", "four", "five", "six", "seven", "eight", "nine")

LAMPS = """
[house]
name = "H"
languages = ["{tag}"]
[kinds.lamp]
nouns = ["{noun}"]
properties.level = {{ type = "number", unit = "percent", minimum = 0, maximum = 100, command = {{ text = "$raw" }} }}
[intents.level]
phrases = ["{phrase}"]
set = {{ level = "$level" }}
"""


def lamps(tag: str, noun: str, phrase: str, numbers: tuple[str, ...], front: str = "") -> glossa.Matcher:
    """A house whose lamps are all called the same, with a number behind."""
    text = LAMPS.format(tag=tag, noun=noun, phrase=phrase)
    for at, number in enumerate(numbers, 1):
        text += f'[devices.lamp_{at}]\nkind = "lamp"\nnames = ["{front}{noun} {number}"]\n'
    return glossa.Matcher(read_house(text))


ENGLISH = lamps("en", "spot", "[set] [the] $device to $level", COUNT)
GERMAN = lamps("de", "Strahler", "[stell] [den] $device auf $level", ("eins", "zwei", "drei", "vier"))
FRENCH = lamps("fr", "lampe", "[mets] [la] $device à $level", ("un", "deux", "trois", "quatre"))
SPANISH = lamps("es", "foco", "[pon] [el] $device a $level", ("uno", "dos", "tres", "cuatro"))


class Numbered(unittest.TestCase):
    def test_rooms_without_devices_are_told_apart(self) -> None:
        text = "[house]\nname = 'H'\n[rooms]\nr_one = ['room one']\nr_two = ['room two']\n"
        text += "[kinds.lamp]\nproperties.power = { type = 'switch', command = { text = '$raw' } }\n[devices.lamp]\nkind = 'lamp'\nnames = ['lamp']\n"
        text += "[intents.sweep]\nphrases = ['sweep [the] $room']\nset = { power = 'on' }\ndevice = 'lamp'\n"
        matcher = glossa.Matcher(read_house(text))
        for line in ("sweep room number two", "sweep the second room", "sweep room two"):
            match = matcher.match(line)
            with self.subTest(line):
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.slots["room"]), ("accept", "r_two"))

    def means(self, matcher: glossa.Matcher, text: str, numbers: tuple[int, ...], level: int) -> None:
        match = matcher.match(text)
        assert match.best is not None
        expected = {"device": tuple(f"lamp_{n}" for n in numbers), "level": level}
        self.assertEqual((match.outcome, dict(match.best.slots)), ("accept", expected), text)

    @given(
        st.integers(1, 8).flatmap(lambda first: st.tuples(st.just(first), st.integers(first + 1, 9))),
        st.sampled_from(("to", "through", "till", "up to", "-", "thru")),
        st.booleans(),
    )
    def test_a_run_is_all_from_its_first_to_its_last(self, run: tuple[int, int], through: str, spelt: bool) -> None:
        spelt = spelt and through != "-"
        ends = [COUNT[n - 1] if spelt else str(n) for n in run]
        said = f"{ends[0]}-{ends[1]}" if through == "-" else f"{ends[0]} {through} {ends[1]}"
        self.means(ENGLISH, f"spots {said} to forty", tuple(range(run[0], run[1] + 1)), 40)

    @given(st.integers(1, 9), st.integers(0, 100))
    def test_one_of_a_series_is_set_to_a_number(self, lamp: int, level: int) -> None:
        self.means(ENGLISH, f"spot {COUNT[lamp - 1]} to {level}", (lamp,), level)

    def test_other_ways_to_say_which(self) -> None:
        for text, numbers in (
            ("spot number four to ten", (4,)),
            ("the third spot to ten", (3,)),
            ("set the 2nd spot to ten", (2,)),
            ("spot nr 5 to ten", (5,)),
            ("spots two and four to ten", (2, 4)),
            ("spot two to spot four to ten", (2, 3, 4)),
            ("spot two through four to ten", (2, 3, 4)),
            ("all spots but the first one to ten", (2, 3, 4, 5, 6, 7, 8, 9)),
            ("every spot except number two to ten", (1, 3, 4, 5, 6, 7, 8, 9)),
        ):
            self.means(ENGLISH, text, numbers, 10)

    def test_in_other_languages(self) -> None:
        for text, numbers in (
            ("Strahler eins bis drei auf zehn", (1, 2, 3)),
            ("der zweite Strahler auf zehn", (2,)),
            ("den ersten Strahler auf zehn", (1,)),
            ("Strahler Nummer vier auf zehn", (4,)),
            ("Strahler eins und drei auf zehn", (1, 3)),
        ):
            self.means(GERMAN, text, numbers, 10)
        for text, numbers in (
            ("lampes un à trois à dix", (1, 2, 3)),
            ("la deuxième lampe à dix", (2,)),
            ("lampe numéro trois à dix", (3,)),
        ):
            self.means(FRENCH, text, numbers, 10)
        for text, numbers in (
            ("focos uno a tres a diez", (1, 2, 3)),
            ("el segundo foco a diez", (2,)),
            ("foco número cuatro a diez", (4,)),
            ("el primer foco a diez", (1,)),
        ):
            self.means(SPANISH, text, numbers, 10)

    def test_what_is_no_run(self) -> None:
        for text in ("spots three to one to ten", "spots one to twelve to ten"):
            match = ENGLISH.match(text)
            with self.subTest(text):
                self.assertNotEqual(match.outcome, "accept")

    def test_surplus_numbers_and_both_states_switch_nothing(self) -> None:
        brockhall = shared.matcher("brockhall")
        for text in ("spot one two on", "spots one two three off"):  # half of them are not to be done
            with self.subTest(text):
                self.assertEqual(brockhall.match(text).outcome, "confirm")
        for text in ("spot one on or off", "spots one and two on or off", "spots one to three on or off"):
            with self.subTest(text):
                self.assertEqual(brockhall.match(text).outcome, "reject")

    def test_rooms_are_numbered_too(self) -> None:
        tidewell = shared.matcher("tidewell")
        for text, devices in (
            ("room number two light on", ("light_two",)),
            ("close the curtains in rooms one to three", ("curtains_one", "curtains_two", "curtains_three")),
            ("curtains closed in rooms 1-2", ("curtains_one", "curtains_two")),
        ):
            match = tidewell.match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.slots["device"]), ("accept", devices))


class Joined(Lines):
    def test_what_counts_devices_may_stand_behind_them(self) -> None:
        both = ("hall_ceiling", "desk_lamp")
        self.accepted(
            "townhouse",
            {
                "desk lamp and hall ceiling light both to forty": ("set_level", {"device": both, "level": 40}),
                "the desk lamp and the hall ceiling light both off": ("switch", {"device": both, "power": "off"}),
                "hall lights each to forty": (
                    "set_level",
                    {"device": ("hall_ceiling", "hall_table_lamp", "hall_pictures"), "level": 40},
                ),
                "turn off the desk lamp and then the kettle": ("switch", {"device": ("kettle", "desk_lamp"), "power": "off"}),
                "first turn off the desk lamp then the kettle": ("switch", {"device": ("kettle", "desk_lamp"), "power": "off"}),
            },
        )

    def test_what_is_left_as_it_is_may_be_something_else(self) -> None:
        off = {"device": ("kettle",), "power": "off"}
        self.accepted(
            "townhouse",
            {
                "turn the kettle off and leave the desk lamp on": ("switch", off),
                "kettle off but keep the desk lamp on": ("switch", off),
                "turn the kettle off and leave the desk lamp alone": ("switch", off),
                "hall lights off but leave the table lamp on": (
                    "switch",
                    {"device": ("hall_ceiling", "hall_pictures"), "power": "off"},
                ),
            },
        )
        self.accepted("lindenhof", {"Esstischlampe aus aber lass das Küchenradio an": ("schalten", {"device": ("esstisch",)})})
        self.refused("townhouse", "leave the desk lamp on", "kettle off but leave the kettle on")

    def test_a_noun_is_said_once(self) -> None:
        kitchen, hall = ("kitchen_ceiling", "worktop_lights"), ("hall_ceiling", "hall_table_lamp", "hall_pictures")
        for text, first, second in (
            ("lights on in the hall and off in the kitchen", (hall, "on"), (kitchen, "off")),
            ("kitchen lights on and the hall ones off", (kitchen, "on"), (hall, "off")),
            ("turn the kitchen lights on and the hall off", (kitchen, "on"), (hall, "off")),
        ):
            match = shared.matcher("townhouse").match(text)
            with self.subTest(text):
                readings = [part.best for part in match.parts]
                told = [(r.slots["device"], r.slots["power"]) for r in readings if r is not None]
                self.assertEqual((match.outcome, told), ("accept", [first, second]))

    def test_a_room_may_be_called_like_an_exception(self) -> None:
        self.accepted("ciderhouse", {"set the jukebox in the bar to nine": ("loud", {"device": ("jukebox",), "loudness": 9})})

    def test_relative_clauses_are_places(self) -> None:
        for text in ("turn off the light which is in the bathroom", "the light that's in the bathroom off"):
            match = shared.matcher("townhouse").match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.slots["device"]), ("accept", ("bath_ceiling",)))


class Amounts(Lines):
    def test_a_change_is_never_taken_for_a_value(self) -> None:
        """In a house where nothing changes by an amount it is asked about at most; a blind has a position."""
        for text in (
            "dining room pendant forty up",
            "dining room pendant up forty",
            "dining room pendant down forty percent",
            "dining room pendant forty percent brighter",
            "thermostat down sixteen",
        ):
            with self.subTest(text):
                self.assertNotEqual(shared.matcher("quarry").match(text).outcome, "accept")
        self.accepted(
            "townhouse",
            {
                "desk lamp forty up": ("brighten", {"device": ("desk_lamp",), "amount": 40}),
                "desk lamp down forty": ("darken", {"device": ("desk_lamp",), "amount": 40}),
                "desk lamp up to forty": ("set_level", {"device": ("desk_lamp",), "level": 40}),
                "kitchen blind forty up": ("set_blind", {"device": ("kitchen_blind",), "position": 40}),
            },
        )

    def test_an_adjective_says_what_a_number_measures(self) -> None:
        self.accepted(
            "townhouse",
            {
                "make the desk lamp forty percent bright": ("set_level", {"level": 40}),
                "make the desk lamp forty percent brighter": ("brighten", {"amount": 40}),
                "kitchen speaker ten loud": ("set_volume", {"volume": 10}),
                "study radiator twenty degrees warm": ("set_heat", {"target": 20}),
            },
        )

    def test_the_most_and_the_least(self) -> None:
        self.accepted(
            "townhouse",
            {
                "desk lamp as bright as possible": ("set_level", {"level": 100}),
                "desk lamp as bright as it will go": ("set_level", {"level": 100}),
                "kitchen speaker as quiet as it goes": ("set_volume", {"volume": 0}),
                "study radiator as hot as it gets": ("set_heat", {"target": 30}),
                "kitchen blind as wide as it will go": ("set_blind", {"position": 100}),
            },
        )
        self.accepted("lindenhof", {"Esstischlampe so hell wie möglich": ("helligkeit", {"helligkeit": 100})})
        self.accepted("colombier", {"le ruban lumineux aussi fort que possible": ("regler", {"intensite": 100})})
        self.accepted("solana", {"la luz del salón lo más fuerte posible": ("brillo", {"brillo": 100})})

    def test_what_it_was_until_now_is_left_out(self) -> None:
        self.accepted(
            "townhouse",
            {
                "dim the desk lamp from sixty to twenty": ("set_level", {"level": 20}),
                "turn the kitchen speaker from thirty percent down to ten": ("set_volume", {"volume": 10}),
                "take the study radiator from 21 to 19": ("set_heat", {"target": 19}),
            },
        )
        self.accepted("lindenhof", {"Esstischlampe von sechzig auf zwanzig": ("helligkeit", {"helligkeit": 20})})
        self.accepted("solana", {"baja la luz del salón de sesenta a veinte": ("brillo", {"brillo": 20})})
        for text in ("turn the radio on from ten to eleven", "from ten to eleven turn the radio on"):  # that is when
            with self.subTest(text):
                self.assertNotEqual(shared.matcher("marigold").match(text).outcome, "accept")
        pieces = shared.matcher("townhouse").match("desk lamp from sixty to twenty").best
        assert pieces is not None
        self.assertIn(("from sixty", "until now"), [(p.heard, p.why) for p in pieces.pieces])


class OtherThings(Lines):
    def test_a_known_word_after_a_name_is_another_noun(self) -> None:
        for text in ("galley lamp kettle to forty", "galley lamp toaster to forty"):
            match = shared.matcher("marigold").match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertNotEqual(match.outcome, "accept")
                self.assertIn("another noun", [term.term for term in match.best.evidence])

    def test_what_is_named_plainly_is_never_another_one_by_sound(self) -> None:
        match = shared.matcher("brockhall").match("carpark footlights on")
        assert match.best is not None
        self.assertEqual((match.outcome, match.best.stops), ("confirm", ("another name",)))

    def test_what_only_sounds_roughly_like_a_name_is_asked_about(self) -> None:
        for line in ("harpoon lamp on", "open the platoon vent"):
            self.assertNotEqual(shared.matcher("marigold").match(line).outcome, "accept", line)

    def test_words_as_they_were_heard_go_before_guesses(self) -> None:
        house = read_house(
            '[house]\nname = "Barn"\n[intents.switch]\nphrases = ["[the] $device $power"]\nset = { power = "$power" }\n'
            '[intents.paint]\nphrases = ["paint [the] $device $colour"]\nset = { colour = "$colour" }\n'
            + "".join(
                f'[devices.{name}]\nnames = ["{name} {noun}"]\nproperties.power = {{ type = "switch", command = {{ text = "{name} $raw" }} }}\n'
                for name, noun in (("lathe", "lamp"), ("gate", "lamp"), ("string", "bunting"))
            )
            + 'properties.colour = { type = "colour", command = { text = "paint $raw" } }\n'
        )
        for line in ("make the string bunting red, then the gate lamp off", "string bunting red and the gate lamp off"):
            event = glossa.Conversation(house, awake=True).hear(line)
            self.assertEqual((event.outcome, len(event.commands)), ("accept", 2), line)

    def test_what_changes_otherwise_is_asked_about(self) -> None:
        for text in ("desk lamp louder", "kitchen speaker brighter", "study radiator dimmer"):
            match = shared.matcher("townhouse").match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.stops), ("confirm", ("another measure",)))

    def test_anything_but_one_is_all_others(self) -> None:
        match = shared.matcher("townhouse").match("anything in the kitchen but the kettle off")
        assert match.best is not None
        devices = ("kitchen_ceiling", "worktop_lights", "kitchen_fan", "kitchen_speaker")
        self.assertEqual((match.outcome, match.best.slots["device"]), ("accept", devices))

    def test_separable_verbs_need_their_particle(self) -> None:
        for text in ("shut the kettle down", "shut down the kettle", "power the kettle down"):
            match = shared.matcher("townhouse").match(text)
            with self.subTest(text):
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.slots["power"]), ("accept", "off"))


if __name__ == "__main__":
    unittest.main()
