"""Commands in other words than those of the tables, and commands that are begun again."""

from __future__ import annotations

import tomllib
import unittest
from collections import Counter

from hypothesis import given, settings
from hypothesis import strategies as st

import accuracy
import glossa
import reworded
import shares
import strangers
import timed
from glossa.house import read_house
from glossa.trials.measures import kind
from tests import shared

MATCHER = shared.matcher("marigold")
LEAST_NAMED, LEAST_AT_ONCE = 0.85, 0.6
"""The least shares of orders for later that are refused as such, and of lines that only look like them that are carried out."""
LEAST_SHARED = 0.8
"""Of orders for a part of several, those that ask which one; and of those for all of them, those that are carried out."""
LEAST = {"switch": 0.9, "value": 0.95, "any": 0.97}
"""The shares of commands in other words that are carried out."""
TAKEN_BACK = ("", "uh ", "no ", "sorry ", "i mean ", "no wait ")


class OtherWords(unittest.TestCase):
    def test_other_wordings_are_carried_out_and_never_mistaken(self) -> None:
        for name in shared.some(("townhouse", "mirabelle", "marigold", "azahar", "rotdorn"), 3):
            house, rows = accuracy.houses([name])[name]
            lines = [line for line in reworded.filled(house, rows) if line[0].endswith("ways")]
            counts: dict[str, Counter[str]] = {}
            for (section, _, row), result in zip(lines, glossa.run_table(house, [row for *_, row in lines]), strict=True):
                counts.setdefault(section.split()[0], Counter()).update(all=1, right=result.right)
                self.assertNotIn(kind(result), ("wrong action", "false accept"), f"{name}: {row.utterance}")
            for section, count in counts.items():
                self.assertGreaterEqual(count["right"] / count["all"], LEAST[section], f"{name} {section}")


class Strangers(unittest.TestCase):
    def test_unknown_devices_are_rarely_acted_on(self) -> None:
        acted: Counter[str] = Counter()
        every: Counter[str] = Counter()
        for name in shared.some(("townhouse", "marigold", "glasshouse", "rotdorn", "mirabelle", "azahar"), 3):
            house, rows = accuracy.houses([name])[name]
            matcher = glossa.Matcher(house)
            for aside in (False, True):
                for sort, row in strangers.strange(house, rows, aside=aside):
                    every[sort] += 1
                    acted[sort] += matcher.match(row.utterance).outcome == "accept"
        for sort, most in (("instead", 0.04), ("behind", 0.07)):
            self.assertGreater(every[sort], 100)
            self.assertLess(acted[sort] / every[sort], most, sort)


class OtherTimes(unittest.TestCase):
    def test_orders_for_later_or_under_a_condition_are_refused_by_name(self) -> None:
        for tag in timed.ORDERS:
            counts: dict[str, Counter[str]] = {}
            for listed, name, order, line in timed.lines(tag):
                match, plain = shared.matcher(name).match(line), shared.matcher(name).match(order)
                sort = listed.removesuffix("_aside")
                same = match.outcome == "accept" and match.best and plain.best and match.best.meaning == plain.best.meaning
                counts.setdefault(sort, Counter()).update(all=1, named=match.reason in ("later", "condition"), same=bool(same))
                if sort != "now":
                    self.assertNotEqual(match.outcome, "accept", line)
            for sort in ("later", "condition"):
                self.assertGreater(counts[sort]["named"] / counts[sort]["all"], LEAST_NAMED, f"{tag} {sort}")
            self.assertGreater(counts["now"]["same"] / counts["now"]["all"], LEAST_AT_ONCE, tag)

    def test_what_a_phrase_takes_is_no_other_time(self) -> None:
        house = read_house(
            '[house]\nname = "T"\n[slots.time]\ntype = "number"\nunit = "minutes"\n'
            '[intents.remind]\nphrases = ["remind me in $time", "tea at eight o\'clock", "lights when the film starts"]\ndefaults = { time = 5 }\nreply = "yes"\n'
        )
        for line in ("remind me in ten minutes", "tea at eight o'clock", "lights when the film starts please"):
            self.assertEqual(glossa.Matcher(house).match(line).outcome, "accept", line)


class Shares(unittest.TestCase):
    def test_which_of_several_is_asked(self) -> None:
        for path in sorted(shares.SHARES.glob("*.toml")):
            for name, lists in tomllib.loads(path.read_text(encoding="utf-8")).items():
                for listed, lines in lists.items():
                    found = [shared.matcher(name).match(line) for line in lines]
                    asked = [m for m in found if (m.outcome, m.reason) == ("ask", "which")]
                    acted = [m for m in found if m.outcome == "accept"]
                    part = listed.startswith("part")
                    self.assertEqual(len(acted) if part else len(asked), 0, f"{name} {listed}")
                    self.assertGreaterEqual((len(asked) if part else len(acted)) / len(found), LEAST_SHARED, f"{name} {listed}")

    def test_what_is_known_beside_them_is_kept(self) -> None:
        talk = glossa.Conversation(shared.house("marigold"), shared.matcher("marigold"), awake=True)
        self.assertEqual(talk.hear("galley lamp and one of the fans on", 0).reason, "which")
        self.assertEqual(talk.hear("the stove fan", 2).slots["device"], ("galley_lamp", "stove_fan"))
        self.assertEqual(talk.hear("turn one of them off", 4).reason, "which")
        self.assertEqual(talk.hear("the stove fan", 6).slots["device"], ("stove_fan",))
        for line in (
            "three of the galley lamps on",
            "turn off all the lights but leave one of them on",
            "all the lamps off except one of the galley lamps",
        ):
            self.assertNotEqual(shared.matcher("marigold").match(line).outcome, "accept", line)


class BegunAgain(unittest.TestCase):
    house, rows = accuracy.houses(["marigold"])["marigold"]
    matcher = glossa.Matcher(house)
    plain = tuple(r.utterance for r in rows if not r.session and not r.parts and r.outcomes == ("accept",) and " " in r.utterance)

    @settings(max_examples=shared.draws(100))
    @given(st.sampled_from(plain), st.integers(1, 8), st.sampled_from(TAKEN_BACK))
    def test_means_what_was_begun_again_or_is_not_carried_out(self, line: str, given_up: int, taken_back: str) -> None:
        words = line.split()
        again = self.matcher.match(f"{' '.join(words[:given_up])} {taken_back}{line}")
        once = self.matcher.match(line)
        if again.outcome == once.outcome == "accept" and again.best and once.best and not again.parts:
            self.assertEqual(again.best.meaning, once.best.meaning)

    def means(self, line: str, other: str, outcome: str = "accept") -> None:
        match, expected = self.matcher.match(line), self.matcher.match(other)
        assert match.best is not None and expected.best is not None
        self.assertEqual((match.outcome, match.best.meaning), (outcome, expected.best.meaning), line)

    def test_what_is_given_up_is_left_out_and_shown(self) -> None:
        for line in (
            "turn on the er turn on the saloon lamp",
            "turn on the galley lamp no turn on the saloon lamp",
            "turn turn on the the saloon lamp",
            "turn on the saloon lamp turn on the saloon lamp",
            "saloon lamp turn on the saloon lamp",
            "could um you turn on the saloon lamp",
        ):
            self.means(line, "turn on the saloon lamp")
        best = self.matcher.match("turn on the galley lamp no turn on the saloon lamp").best
        assert best is not None
        self.assertEqual((best.pieces[0].heard, best.pieces[0].why), ("turn on the galley lamp no", "said again"))
        self.assertEqual((best.pieces[0].start, best.pieces[0].end), (0, 26))

    def test_what_only_looks_like_it_is_left_alone(self) -> None:
        self.means("night night", "good night")
        self.means("saloon lamp er galley lamp on", "galley lamp on", "confirm")
        for line in ("one two one two", "1 1 1 1", "forty four", "up down up down", "galley lamp and galley lamp"):
            self.assertEqual(self.matcher.grammar("en").hearing.analyse(line).dropped, (), line)
        self.assertEqual(len(self.matcher.match("galley lamp on and galley fan on").parts), 2)
        for line in ("don't don't turn on the saloon lamp", "not the saloon lamp not the saloon lamp on"):
            self.assertNotEqual(self.matcher.match(line).outcome, "accept", line)

    def test_one_number_of_a_name_is_corrected_to_another(self) -> None:
        house, _ = accuracy.houses(["brockhall"])["brockhall"]
        matcher = glossa.Matcher(house)
        for line, spot in (("spot one no two to blue", "spot_two"), ("spot one sorry three to blue", "spot_three")):
            best = matcher.match(line).best
            self.assertEqual(best and best.slots["device"], (spot,), line)

    def test_no_in_front_of_an_order_is_asked_about(self) -> None:
        self.means("no turn the saloon lamp on", "turn the saloon lamp on", "confirm")
        for line in ("no saloon lamp on", "don't turn the saloon lamp on", "no need to turn the saloon lamp on"):
            self.assertEqual(self.matcher.match(line).outcome, "reject", line)


class Unjoined(unittest.TestCase):
    def test_a_verb_begins_a_command_of_its_own(self) -> None:
        for line, intents in (
            ("kettle on lock the hatch please", ["boil_kettle", "lock_hatch"]),
            ("turn off the radio close the galley vent", ["switch", "shut_vent"]),
            ("set the galley fan to medium raise the temperature by two degrees", ["fan_speed", "warmer"]),
        ):
            match = MATCHER.match(line)
            self.assertEqual((match.outcome, [p.best and p.best.intent for p in match.parts]), ("accept", intents), line)


class Answers(unittest.TestCase):
    """Answers to a question, in the words that people have for them."""

    house = MATCHER.house

    def answered(self, asked: str, answer: str) -> glossa.Event:
        conversation = glossa.Conversation(self.house, MATCHER)
        question = conversation.hear(f"ahoy barnacle {asked}")
        self.assertIn(question.outcome, ("ask", "confirm"), asked)
        return conversation.hear(answer, 2.0)

    def test_yes_and_no(self) -> None:
        asked = "saloon lamp er galley lamp on"
        for answer in (
            "er yes", "oh yes please", "yes I did", "yes that's what I said", "go for it", "sure thing", "yes thanks", "I think so", "alright then",
            "yes turn it on", "yes the galley lamp on", "that would be lovely", "yes you may",
        ):  # fmt: skip
            event = self.answered(asked, answer)
            self.assertEqual((event.outcome, event.slots.get("device")), ("accept", ("galley_lamp",)), answer)
        for answer in (
            "not now", "certainly not", "no I didn't say that", "let's not", "I don't want that", "no that was wrong", "don't do it", "uh uh",
            "no that's not it", "of course not", "no sorry", "scrap that", "better not", "no no no", "yes and no",
        ):  # fmt: skip
            self.assertEqual(self.answered(asked, answer).outcome, "cancel", answer)
        for answer in (
            "sure he did",
            "yeah I saw him",
            "of course she did",
            "I did my homework",
            "right let's eat",
            "yes turn it off",
        ):
            self.assertEqual(self.answered(asked, answer).outcome, "reject", answer)

    def test_in_other_languages(self) -> None:
        for name, asked, yes, no in (
            ("rotdorn", "Küchenlampe äh Flurlicht an", ("ach ja bitte", "ja mach das", "äh ja"), ("nein die nicht", "das hab ich nicht gesagt", "weiß nicht")),
            ("azahar", "enciende la luz de la cocina eh la guirnalda", ("pues sí", "sí gracias", "sí enciéndela"), ("no he dicho eso", "déjalo", "no sé")),
            ("mirabelle", "allume le plafonnier euh la lampe de chevet", ("euh oui", "mais oui", "oui allume-la"), ("je n'ai pas dit ça", "non merci", "laisse tomber")),
        ):  # fmt: skip
            house, _ = accuracy.houses([name])[name]
            for answer in (*yes, *no):
                conversation = glossa.Conversation(house, awake=True)
                self.assertEqual(conversation.hear(asked).outcome, "confirm")
                self.assertEqual(conversation.hear(answer, 2.0).outcome, "accept" if answer in yes else "cancel", answer)

    def test_which_one(self) -> None:
        for device, answers in {
            "big_cabin_lamp": ("um the big one", "it's the big one", "the big one of course", "number one", "the first please", "turn on the big one", "not the small one the big one", "not the small one"),
            "small_cabin_lamp": ("the last one", "two", "the second one I think", "it's the small one I want", "the big one no the small one"),
        }.items():  # fmt: skip
            for answer in answers:
                event = self.answered("cabin lamp on", answer)
                self.assertEqual((event.outcome, event.slots.get("device")), ("accept", (device,)), answer)
        for answer in ("both lamps", "the two of them", "I want both"):
            self.assertEqual(
                set(self.answered("cabin lamp on", answer).slots["device"]), {"big_cabin_lamp", "small_cabin_lamp"}, answer
            )
        for answer in (
            "she is big",
            "is the big one broken",
            "I like the big one",
            "I'm not big on that",
            "who was in the big cabin",
        ):
            self.assertEqual(self.answered("cabin lamp on", answer).outcome, "reject", answer)
        for answer in ("neither", "I don't know", "not sure", "none of them"):
            self.assertEqual(self.answered("cabin lamp on", answer).outcome, "cancel", answer)

    def test_what_value(self) -> None:
        for level, answers in {
            40: ("I'd say forty", "forty should do", "thirty no forty", "set it to forty percent thanks", "let me think forty"),
            100: ("full brightness", "all the way up"),
        }.items():
            for answer in answers:
                event = self.answered("dim the saloon lamp to", answer)
                self.assertEqual((event.outcome, event.slots.get("level")), ("accept", level), answer)
        for answer in ("she is forty", "they said forty", "I have forty sheep", "we are two", "I don't like broccoli"):
            self.assertEqual(self.answered("dim the saloon lamp to", answer).outcome, "reject", answer)
        self.assertEqual(self.answered("dim the saloon lamp to", "no idea").outcome, "cancel")


class FollowUps(unittest.TestCase):
    """What is said about the last command, in the words that people have for it."""

    house = MATCHER.house

    def followed(self, first: str, text: str) -> glossa.Event:
        conversation = glossa.Conversation(self.house, MATCHER)
        self.assertEqual(conversation.hear(f"ahoy barnacle {first}").outcome, "accept", first)
        return conversation.hear(text, 3.0)

    def test_another_device(self) -> None:
        for text in (
            "and the saloon one", "ok now the saloon one", "um and the saloon lamp", "then the saloon lamp", "how about the saloon lamp as well", "saloon lamp I mean",
            "the saloon lamp instead", "oops the saloon lamp", "not that one the saloon lamp", "repeat that for the saloon lamp",
            "could you do the saloon one too", "no no the saloon lamp",
        ):  # fmt: skip
            event = self.followed("galley lamp on", text)
            self.assertEqual(
                (event.outcome, event.slots.get("device"), event.slots.get("power")), ("accept", ("saloon_lamp",), "on"), text
            )

    def test_more_and_less_of_what_was_set(self) -> None:
        for text, intent in (
            ("more", "brighten"),
            ("a bit more please", "brighten"),
            ("less", "dim"),
            ("turn it up", "brighten"),
        ):
            event = self.followed("galley lamp to thirty", text)
            self.assertEqual((event.outcome, event.intent, event.slots["device"]), ("accept", intent, ("galley_lamp",)), text)
        self.assertEqual(
            self.followed("galley lamp to thirty", "too dark").intent, "brighten"
        )  # asked about, for it may be said of anything
        self.assertEqual(
            self.followed("galley lamp to thirty", "it should be forty").slots, {"device": ("galley_lamp",), "level": 40}
        )
        self.assertNotEqual(self.followed("galley fan to low", "more").outcome, "accept")


class NoOrders(unittest.TestCase):
    """What only sounds like one of the ways to ask for something."""

    def test_questions_reports_and_wishes_for_later(self) -> None:
        for line in (
            "let me know if the galley lamp is on", "check if the galley lamp is on", "do you know how to turn the galley lamp on",
            "first I turned the galley lamp on", "mum wants the galley lamp turned on", "someone got the galley lamp turned on",
            "I want to turn the galley lamp on tomorrow", "have someone turn the galley lamp on tomorrow", "the galley lamp needs cleaning",
            "they keep telling me to turn the galley lamp off", "I said turn the galley lamp on yesterday", "when can the galley lamp go off",
            "the milk can go off", "no I turned the galley lamp off", "I wonder if the galley lamp is on", "the galley lamp is on again",
        ):  # fmt: skip
            self.assertEqual(MATCHER.match(line).outcome, "reject", line)
