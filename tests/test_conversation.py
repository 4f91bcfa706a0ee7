"""Conversations in virtual time; whole sessions are in Marigold's tables, what a table can't say is here."""

import unittest

import glossa
from glossa.house import read_house

MARIGOLD = glossa.load_house("marigold")
MATCHER = glossa.Matcher(MARIGOLD)


def talk(*lines: tuple[float, str], **options: object) -> list[glossa.Event]:
    conversation = glossa.Conversation(MARIGOLD, MATCHER, **options)  # type: ignore[arg-type]
    return [conversation.hear(text, at) for at, text in lines]


class Conversations(unittest.TestCase):
    def test_a_line_that_comes_twice_is_one(self) -> None:
        events = talk((0, "ahoy barnacle"), (1, "galley lamp on"), (1.3, "galley lamp on"), (4, "galley lamp on"))
        self.assertEqual([e.outcome for e in events], ["wake", "accept", "asleep", "accept"])
        self.assertEqual((events[2].reason, events[2].commands), ("repeated", ()))

    def test_time_that_goes_backwards_stands_still(self) -> None:
        events = talk((100, "ahoy barnacle"), (50, "galley lamp on"), (107, "galley lamp off"), (200, "galley lamp on"))
        self.assertEqual([e.outcome for e in events], ["wake", "accept", "accept", "asleep"])

    def test_a_wake_word_inside_a_sentence_does_not_wake(self) -> None:
        for text in ("we met a barnacle", "the barnacle says ahoy", "he said ahoy barnacle to me", "a barn", "annoy"):
            with self.subTest(text):
                self.assertEqual(talk((0, text))[0].outcome, "asleep")

    def test_a_wake_word_that_is_begun_again_wakes(self) -> None:
        for text in (
            "ahoy ahoy barnacle",
            "ahoy er barnacle",
            "um ahoy um barnacle galley lamp on",
            "ahoy barnacle barnacle galley lamp on",
        ):
            with self.subTest(text):
                self.assertIn(talk((0, text))[0].outcome, ("wake", "accept"))

    def test_a_passcode_is_seen_nowhere(self) -> None:
        events = talk((0, "ahoy barnacle"), (1, "open the hatch"), (2, "nine nine nine nine"), (3, "two four six eight"))
        events += talk((0, "ahoy barnacle open the hatch two four six eight"))
        for event in events:
            seen = repr((event.utterance, event.slots, event.reply, event.commands, event.changes, event.reason, event.detail))
            for secret in ("2468", "two four", "9999", "nine nine"):
                self.assertNotIn(secret, seen)
        self.assertEqual([e.outcome for e in events[1:]], ["ask", "reject", "accept", "accept"])

    def test_live_the_passcode_comes_from_the_environment(self) -> None:
        live = {"secrets": {"MARIGOLD_HATCH_PIN": "1111"}}
        self.assertEqual(talk((0, "ahoy barnacle open the hatch two four six eight"), **live)[0].outcome, "reject")
        self.assertEqual(talk((0, "ahoy barnacle open the hatch one one one one"), **live)[0].outcome, "accept")
        refused = talk((0, "ahoy barnacle open the hatch"), secrets={})[0]
        self.assertEqual((refused.outcome, refused.reply), ("reject", "No passcode is set, so I won't do that"))

    def test_one_question_at_a_time_and_nothing_grows(self) -> None:
        conversation = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
        conversation.hear("set the galley lamp", 0)
        for number in range(300):
            conversation.hear(f"nothing of note {number % 7}", 1 + number / 1000)
        self.assertEqual(conversation.hear("forty", 3).slots["level"], 40)
        self.assertIsNone(conversation.pending)

    def test_answers_to_which_one(self) -> None:
        for answer, devices in (
            ("the second one", ("galley_fan",)),
            ("stove fan", ("stove_fan",)),
            ("the galley one please", ("galley_fan",)),
            ("both", ("stove_fan", "galley_fan")),
        ):
            with self.subTest(answer):
                event = talk((0, "ahoy barnacle fan on low"), (2, answer))[1]
                self.assertEqual((event.outcome, event.slots["device"]), ("accept", devices))

    def test_modes_that_leave_and_enter(self) -> None:
        house = read_house(
            '[house]\nname = "M"\n[modes.a]\nidle = 10\n[modes.b]\nexclusive = true\n'
            '[intents.into_a]\nphrases = ["enter alpha"]\nenter_mode = "a"\n[intents.into_b]\nphrases = ["enter bravo"]\nenter_mode = "b"\nmodes = ["a"]\n'
            '[intents.self]\nphrases = ["stay here"]\nmodes = ["b"]\nenter_mode = "b"\nleave_mode = true\n[intents.out]\nphrases = ["leave now"]\nmodes = ["a", "b"]\nleave_mode = true\n'
        )
        conversation = glossa.Conversation(house)
        seen = []
        for at, text in enumerate(
            ("enter bravo", "enter alpha", "enter bravo", "enter alpha", "stay here", "leave now", "leave now", "leave now")
        ):
            event = conversation.hear(text, at)
            seen.append((str(event.outcome), event.mode))
        self.assertEqual(
            seen,
            [
                ("reject", ""),
                ("accept", "a"),
                ("accept", "b"),
                ("reject", "b"),
                ("accept", "b"),
                ("accept", "a"),
                ("accept", ""),
                ("reject", ""),
            ],
        )
        conversation.hear("enter alpha", 20)
        self.assertEqual(conversation.hear("nothing", 31).mode, "")


class BadInput(unittest.TestCase):
    def test_ten_thousand_lines_while_a_question_is_open(self) -> None:
        conversation = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
        conversation.hear("set the galley lamp", 0)
        for number in range(10_000):
            conversation.tick(number / 2000)
            if number % 100 == 0:
                conversation.hear(f"so {'la ' * (number % 7)}", number / 2000)
        self.assertEqual(conversation.hear("forty", 6).slots["level"], 40)
        sizes = [len(v) for v in vars(conversation).values() if isinstance(v, (list, dict, tuple))]
        self.assertLess(sum(sizes), 200)

    def test_an_hour_between_two_lines_closes_everything(self) -> None:
        events = talk(
            (0, "ahoy barnacle take the helm"), (2, "port five"), (3602, "port five"), (3603, "ahoy barnacle galley lamp on")
        )
        self.assertEqual(
            [(str(e.outcome), e.mode) for e in events],
            [("accept", "steering"), ("accept", "steering"), ("asleep", ""), ("accept", "")],
        )

    def test_a_wake_word_that_is_a_phrase_too(self) -> None:
        house = read_house(
            '[house]\nname = "W"\n[wake]\nwords = ["good morning"]\n[intents.rise]\nphrases = ["good morning"]\nreply = "up"\n'
            '[intents.day]\nphrases = ["open the day"]\nreply = "ok"\n'
        )
        conversation = glossa.Conversation(house)
        lines = ("good morning", "open the day", "open the day", "good morning open the day")
        self.assertEqual([conversation.hear(t, at).outcome for at, t in enumerate(lines)], ["wake", "accept", "asleep", "accept"])

    def test_an_empty_line_and_noise(self) -> None:
        for text in ("", "   ", "\x00", "...", "\u202e", "1", "yes", "no"):
            with self.subTest(repr(text)):
                event = glossa.Conversation(MARIGOLD, MATCHER, awake=True).hear(text)
                self.assertIn(event.outcome, ("reject", "cancel"))
                self.assertEqual(event.commands, ())


class Tables(unittest.TestCase):
    def test_rows_that_can_not_run_say_why_and_the_others_run(self) -> None:
        text = "\ufeffutterance,outcome,intent,slots,mode,extra\r\ngalley lamp on,,switch,device=galley_lamp,,kept\r\nx,,swich,,,\r\ny,,,device=gally_lamp,,\r\nz,,,,sleeping,\r\nw,maybe,,,,\r\n"
        rows = glossa.read_table(text, "t.csv", MARIGOLD)
        results = glossa.run_table(MARIGOLD, rows, MATCHER)
        self.assertEqual([r.right for r in results], [True, False, False, False, False])
        self.assertEqual(rows[0].others, {"extra": "kept"})
        for result, expected in zip(
            results[1:],
            ("did you mean 'switch'", "did you mean 'galley_lamp'", "there is no 'sleeping'", "'maybe' is none"),
            strict=True,
        ):
            self.assertIn(expected, result.wrong[0])

    def test_a_table_that_is_none(self) -> None:
        for text, expected in (
            ("heard,outcome\na,b\n", "'utterance' is missing"),
            ("utterance,note,note\n", "stands twice"),
            ("", "'utterance' is missing"),
        ):
            with self.subTest(expected), self.assertRaisesRegex(glossa.HouseError, expected):
                glossa.read_table(text)

    def test_what_is_checked(self) -> None:
        text = "utterance,outcome,slots,commands,reply\nlamps in the galley on,accept|ask,device=galley_lamp+worktop_lamp,-,nothing\ncabin lamps off,*,device=cabin_lamps,,\n"
        first, second = glossa.run_table(MARIGOLD, glossa.read_table(text, house=MARIGOLD), MATCHER)
        self.assertEqual([w.split(":")[0] for w in first.wrong], ["commands", "reply"])
        self.assertTrue(second.right)


if __name__ == "__main__":
    unittest.main()
