"""Several commands in one utterance, and whole conversations: tables of houses, all or nothing, questions, and why a request is refused."""

import json
import unittest
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st

import glossa
from glossa.matching import Matcher
from tests import shared

HOUSES = Path(__file__).parent / "houses"
MARIGOLD, LANTERN = shared.house("marigold"), shared.house("lanternrow")
MATCHER, LANTERN_MATCHER = shared.matcher("marigold"), shared.matcher("lanternrow")


def hear(*lines: str, house: glossa.House = MARIGOLD, matcher: Matcher = MATCHER) -> list[glossa.Event]:
    conversation = glossa.Conversation(house, matcher, awake=True)
    return [conversation.hear(text, 2.0 * at) for at, text in enumerate(lines)]


def lines(event: glossa.Event) -> list[str]:
    return [str(c).partition(" ")[2] for c in event.commands]


class Tables(unittest.TestCase):
    def test_rows_of_several_commands(self) -> None:
        text = (
            "utterance,intent,slots,commands\n"
            "galley lamp off then radio to ten,switch+volume,device=galley_lamp power=off ; volume=10,"
            "boat marigold/galley_lamp/power/set 0 ; boat marigold/radio/volume/set 10\n"
            "galley lamp off then radio to ten,switch+volume,device=galley_lamp power=on ; volume=11,\n"
            "galley lamp off,switch+volume,device=galley_lamp ; volume=1,\n"
            "galley lamp off,switch+volume,device=galley_lamp,\n"
        )
        right, wrong, other, broken = glossa.run_table(MARIGOLD, glossa.read_table(text, "t.csv", MARIGOLD), MATCHER)
        self.assertEqual(right.wrong, ())
        self.assertEqual(wrong.wrong, ("power: off, not on", "volume: 10, not 11"))
        self.assertIn("intent: switch, not switch+volume", other.wrong)
        self.assertIn("one group for each intent", broken.wrong[0])

    def test_what_stands_behind_a_joiner_is_a_command_of_its_own(self) -> None:
        match = MATCHER.match("galley lamp off and open the saloon vent, then the radio to ten")
        self.assertEqual([part.best.intent for part in match.parts if part.best], ["switch", "open_vent", "volume"])

    def test_a_clock_that_runs_backwards(self) -> None:
        text = "utterance,session,at\ngalley lamp on,a,5\ngalley lamp off,a,3\n"
        first, second = glossa.read_table(text, "t.csv", MARIGOLD)
        self.assertEqual((first.problem, second.problem), ("", "at: the clock of session 'a' runs backwards"))


class AllOrNothing(unittest.TestCase):
    def test_in_their_order_with_their_waits(self) -> None:
        (event,) = hear("pump the bilge for five seconds, then galley lamp on and set it to forty")
        self.assertEqual((event.outcome, event.intent), ("accept", "pump_out+switch+set_level"))
        self.assertEqual(
            [line.split("/")[-1] if "/" in line else line for line in lines(event)], ["set 1", "5", "set 0", "set 1", "set 102"]
        )
        self.assertEqual([part.utterance for part in event.parts][-1], "set it to forty")
        plain = json.loads(json.dumps(event.plain()))
        self.assertEqual(([p["intent"] for p in plain["parts"]], plain["slots"]), (["pump_out", "switch", "set_level"], {}))
        self.assertEqual(plain["confidence"], min(p["confidence"] for p in plain["parts"]))

    def test_one_part_holds_back_all_of_them(self) -> None:
        cases = {
            "galley lamp on and saloon lamp to three hundred": ("reject", "range"),
            "galley lamp on and don't open the galley vent": ("reject", "negation"),
            "galley lamp on and galley lamp off": ("confirm", "contradiction"),
            "galley lamp on and open the roof vent": ("ask", "which"),
            "galley lamp on and open the hatch": ("ask", "pin"),
            "galley lamp on and turn the dishwasher on": ("reject", "half"),
            "galley lamp on and to port by ten": ("reject", "mode"),
        }
        for text, expected in cases.items():
            with self.subTest(text):
                conversation = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
                before = dict(conversation.state)
                event = conversation.hear(text)
                self.assertEqual((event.outcome, event.reason), expected)
                self.assertEqual(conversation.state, before)
                self.assertTrue(event.reply)

    def test_a_question_about_one_part_goes_on_with_all(self) -> None:
        asked, answered = hear("galley lamp on and open the roof vent", "the saloon one")
        self.assertTrue(asked.reply.startswith("“open the roof vent”: Which one"), asked.reply)
        self.assertEqual(lines(answered), ["marigold/galley_lamp/power/set 1", "marigold/saloon_vent/position/set 0"])
        *_, right = hear("open the hatch and galley lamp on", "one one one one", "two four six eight")
        self.assertEqual((right.outcome, len(right.parts)), ("accept", 2))
        self.assertNotIn("2468", repr(right.plain()))
        _, no = hear("galley lamp on and galley lamp off", "no")
        self.assertEqual((no.outcome, no.commands), ("cancel", ()))

    def test_an_answer_may_carry_more(self) -> None:
        _, event = hear("dim the den lamp to", "no, sixty, and turn the den speaker off", house=LANTERN, matcher=LANTERN_MATCHER)
        self.assertEqual((event.outcome, event.intent), ("accept", "level+switch"))

    def test_back_takes_all_of_it_back(self) -> None:
        conversation = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
        before = dict(conversation.state)
        conversation.hear("galley lamp on and set it to forty then saloon lamp on", 0)
        conversation.hear("back to what it was", 2)
        self.assertEqual(conversation.state, before)

    def test_one_command_stays_one(self) -> None:
        for text in (
            "galley lamp and saloon lamp on",
            "turn off the galley lamp, the saloon lamp and the reading lamp",
            "galley lamp on, please, and thanks",
        ):
            with self.subTest(text):
                (event,) = hear(text)
                self.assertEqual((event.outcome, event.parts), ("accept", ()))
        for text in ("we had fish and chips", "up and away", "he turned the lamp on and went to bed"):
            self.assertNotEqual(hear(text)[0].outcome, "accept")

    def test_ten_in_one_line_and_more_than_that(self) -> None:
        names = ("galley lamp", "saloon lamp", "reading lamp", "stove fan", "radio")
        (event,) = hear(
            " and ".join(f"{name} {state}" for state in ("on", "off") for name in names).replace("stove fan", "galley fan")
        )
        self.assertEqual((event.outcome, len(event.parts), event.reason), ("confirm", 10, "contradiction"))
        (event,) = hear("galley lamp on and " * 40)
        self.assertNotEqual(event.outcome, "accept")

    @settings(max_examples=shared.draws(30))
    @given(
        st.lists(
            st.sampled_from(
                ("galley lamp on", "radio to ten", "and", "then", "it", "off", "please", ",", "open the galley vent")
            ),
            max_size=9,
        )
    )
    def test_any_line_has_an_outcome(self, words: list[str]) -> None:
        (event,) = hear(" ".join(words))
        self.assertEqual(len(event.commands), sum(len(p.commands) for p in event.parts) if event.parts else len(event.commands))


class Staying(unittest.TestCase):
    def test_a_conversation_that_is_used_goes_on(self) -> None:
        talk = glossa.Conversation(MARIGOLD, MATCHER)  # stays awake for 8 seconds after each command
        talk.hear("ahoy barnacle", 0)
        heard = [talk.hear(text, at) for text, at in (
            ("heater to twenty", 5), ("warmer by three hundred", 12), ("galley lamp to two hundred", 19), ("and the one in the saloon", 26), ("galley lamp on", 33)
        )]  # fmt: skip
        self.assertEqual(
            [e.outcome for e in heard[:1]] + [heard[-1].outcome], ["accept", "accept"], [(e.outcome, e.reply) for e in heard]
        )
        self.assertEqual(talk.hear("the weather is nice", 38).outcome, "reject")
        self.assertEqual(talk.hear("galley lamp off", 50).outcome, "asleep")


class Refusals(unittest.TestCase):
    def test_they_say_why(self) -> None:
        cases = {
            "turn the hall lamp on in ten minutes": "I can only do that now, not “in ten minutes”",
            "turn the garage lamp on": "There is no garage here",
            "switch the awning on": "awning can't do that",
            "don't turn the hall lamp off": "Then I leave that as it is",
            "hall lamp on off": "I can't do both: off, on",
            "hall lamp to a hundred and fifty": "level of hall lamp goes from 0 to 100 percent, so not 150",
            "purple monkey": "I didn't understand that",
        }
        for text, reply in cases.items():
            with self.subTest(text):
                (event,) = hear(text, house=LANTERN, matcher=LANTERN_MATCHER)
                self.assertEqual((event.outcome, event.reply), ("reject", reply))

    def test_both_is_never_everything(self) -> None:
        (event,) = hear("both off")
        self.assertNotEqual(event.outcome, "accept")


if __name__ == "__main__":
    unittest.main()
