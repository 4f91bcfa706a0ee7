"""House files: what is read, and what is said about mistakes."""

import re
import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import msgspec
from hypothesis import given, settings
from hypothesis import strategies as st

import glossa
from glossa.house import HouseError, read_house
from glossa.house.links import BUILT_IN
from glossa.house.notation import NotationError, count, expand, parse
from glossa.house.sorts import NumberValues, SwitchValues
from glossa.language.phrases import PhraseSet
from glossa.trials.findings import findings
from glossa.trials.parallel import run_table_parallel
from tests import shared

HOUSE = """
[house]
name = "Test"
[rooms]
den = ["den", "snug"]
[kinds.lamp]
nouns = ["lamp"]
[kinds.lamp.properties.power]
type = "switch"
command = { topic = "$house/$id", payload = "$raw" }
[kinds.dimmer]
like = "lamp"
properties.level = { type = "number", minimum = 0, maximum = 100, raw = [10, 0], command = { topic = "a/$id", payload = "$raw" } }
[devices.one]
kind = "dimmer"
names = ["$room lamp"]
room = "den"
properties.level.maximum = 50
properties.power.inverted = true
[devices.two]
kind = "dimmer"
names = ["top lamp"]
[intents.switch]
phrases = ["[the] $device $power"]
set = { power = "$power" }
"""


def problems(text: str, **sheets: str) -> list[str]:
    try:
        read_house(text, sheets)
    except HouseError as error:
        return [str(p) for p in error.problems]
    return []


class Reading(unittest.TestCase):
    def test_kinds_merge_key_by_key_at_every_depth(self) -> None:
        house = read_house(HOUSE)
        one, two = house.devices["one"], house.devices["two"]
        self.assertEqual((one.properties["level"].values.maximum, two.properties["level"].values.maximum), (50, 100))
        self.assertEqual((one.properties["power"].values.wire("on"), two.properties["power"].values.wire("on")), ("0", "1"))
        self.assertEqual(one.names[""], (("den", "lamp"), ("snug", "lamp")))
        self.assertEqual(one.properties["level"].values.wire(50), "0")

    def test_a_simulated_link_can_be_written_as_any_other(self) -> None:
        known = {f.name for f in msgspec.structs.fields(BUILT_IN["simulated"])}
        for kind, options in BUILT_IN.items():
            self.assertLessEqual({f.name for f in msgspec.structs.fields(options)}, known, kind)

    def test_defaults(self) -> None:
        wake = '[wake]\nwords = ["hey"]\n[intents.x]\nphrases = ["x"]\nreply = "x"\n'
        house = read_house('[house]\nname = "T"\n[links.a]\ntype = "serial"\nport = "COM4"\n' + wake)
        self.assertEqual((house.matching.accept, house.matching.confirm, house.matching.lead), (0.957, 0.3, 0.5))
        self.assertEqual(house.links["a"].options.baud, 9600)
        assert house.wake is not None
        self.assertEqual((house.wake.accept, house.wake.window, house.wake.after_command), (0.85, 8.0, "sleep"))

    def test_mistakes_have_line_key_and_nearest_word(self) -> None:
        text = HOUSE.replace('room = "den"', 'room = "dne"').replace("set = {", "sett = 1\nset = {")
        text += '[intents.x]\nphrases = ["turn (on | off $device"]\nread = "lvl"\n[links.l]\ntype = "serail"\n[matching]\naccept = 2\n'
        found = "\n".join(problems(text))
        for expected in (
            "house.toml:17: devices.one.room: there is no room 'dne' (did you mean 'den'?)",
            "intents.switch.sett: unknown key 'sett' (did you mean 'set'?)",
            "intents.x.phrases.0: '(' is not closed",
            "no device has a property 'lvl' (did you mean 'level'?)",
            "links.l.type: unknown value 'serail' (did you mean 'serial'?)",
            "matching.accept: must be a number <= 1, not 2",
        ):
            self.assertIn(expected, found)

    def test_single_mistakes(self) -> None:
        cases = {
            "[house\n": "house.toml:1: not TOML",
            "[intents.a]\nphrases = 'x'\n": "[house] with a name is missing",
            '[house]\nname = "x"\n': "no intent and no table",
            HOUSE.replace('"top lamp"', '"den lamp"').replace(
                "[devices.two]", '[devices.two]\nroom = "den"'
            ): "is what 'one' is called too",
            HOUSE.replace('like = "lamp"', 'like = "dimmer"'): "a kind can't be like itself",
            HOUSE.replace("$device $power", "$device $pwer"): "$pwer in '[the] $device $pwer' is no slot",
            HOUSE + '[groups.g]\nnames = ["all"]\nmembers = ["three"]\n': "there is no device or group 'three'",
            HOUSE.replace('payload = "$raw" }\n[kinds.d', 'payload = "$nope" }\n[kinds.d'): "$nope has no value here",
            HOUSE
            + "[intents.s]\nphrases = ['x']\nsteps = [{ text = 'K' }]\nset = { power = 'on' }\n": "one of set, change, read, steps",
            HOUSE + "[intents.s]\nphrases = ['x']\nsteps = [{ text = 'K', bytes = '5C' }]\n": "more than one command",
            HOUSE + "[intents.s]\nphrases = ['x']\nsteps = [{ bytes = 'AAA' }]\n": "is not hex pairs",
            HOUSE
            + "[links.m]\ntype = 'mqtt'\n[intents.s]\nphrases = ['x']\nsteps = [{ text = 'K' }]\n": "is a mqtt link and takes no text",
            HOUSE + "[intents.s]\nphrases = ['x']\nenter_mode = 'stering'\n[modes.steering]\n": "did you mean 'steering'?",
            HOUSE + "[intents.s]\nphrases = ['$pin']\nreply = 'a'\n": "$pin needs a passcode",
        }
        for text, expected in cases.items():
            with self.subTest(expected):
                self.assertIn(expected, "\n".join(problems(text)))

    def test_sheets(self) -> None:
        text = HOUSE.replace('name = "Test"', 'name = "Test"\ntables = ["c.csv"]')
        sheet = "\ufeffphrase,text,reply\r\n(boil | heat) it,K1,on\r\nOld Café!,K2,\r\n"
        house = read_house(text, {"c.csv": sheet})
        self.assertEqual(house.intents["old_cafe"].steps[0].text, "K2")
        self.assertIn("boil_heat_it", house.intents)
        self.assertIn("the column 'phrase' is missing", "\n".join(problems(text, **{"c.csv": "phrases,text\na,b\n"})))
        self.assertIn("c.csv:2: phrase: '(' is not closed", "\n".join(problems(text, **{"c.csv": "phrase,text\n(a,b\n"})))
        self.assertIn("there is no phrase table 'c.csv'", "\n".join(problems(text)))

    def test_files(self) -> None:
        with TemporaryDirectory() as folder:
            path = Path(folder) / "house.toml"
            path.write_bytes(HOUSE.encode() + b"# \xff\n")
            with self.assertRaisesRegex(HouseError, "not UTF-8"):
                glossa.load_house(folder)
            with self.assertRaisesRegex(HouseError, "no such file"):
                glossa.load_house(folder + "/nowhere")


class Notation(unittest.TestCase):
    def test_sequences(self) -> None:
        spoken = {
            " ".join(p.words[0] if p.words else f"${p.slot}" for p in s.positions) for s in expand("(a b | c) [d $x] very<1-2>")
        }
        self.assertEqual(spoken, {f"{a}{b} {c}" for a in ("a b", "c") for b in ("", " d $x") for c in ("very", "very very")})
        self.assertEqual([s.weight for s in expand("/4/ a b | /1/ c d")], [1.0, 0.25])

    def test_errors_point_at_the_character(self) -> None:
        for phrase, at in (
            ("turn (on", 5),
            ("a ] b", 2),
            ("a <2", 2),
            ("$", 0),
            ("", 0),
            ("a | | b", 4),
            ("x<3-1>", 1),
            ("(a | b]", 6),
        ):
            with self.subTest(phrase), self.assertRaises(NotationError) as caught:
                parse(phrase)
            self.assertEqual(caught.exception.at, at)
        with self.assertRaisesRegex(NotationError, "more than 10,000 sequences"):
            expand(" ".join(["[a b]"] * 14))

    @settings(max_examples=shared.draws(100))
    @given(st.text(alphabet='ab $()[]|<>{}/"0123-ñ\x00', max_size=40))
    def test_any_text_is_a_phrase_or_a_clear_error(self, text: str) -> None:
        try:
            found = expand(text)
        except NotationError as error:
            self.assertTrue(0 <= error.at <= len(text) and error.reason)
        else:
            self.assertTrue(0 < len(found) <= count(parse(text)))


class OwnLanguages(unittest.TestCase):
    """A language file beside a house file; the page on languages is the house that works."""

    def setUp(self) -> None:
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        page = (Path(__file__).parents[1] / "docs" / "languages.md").read_text(encoding="utf-8")
        for name, body in re.findall(r"<!-- file: domo/(\S+) -->\n```\w+\n(.*?)^```$", page, re.DOTALL | re.MULTILINE):
            (Path(folder.name) / name).parent.mkdir(exist_ok=True)
            (Path(folder.name) / name).write_text(body, encoding="utf-8")
        self.folder, self.language = Path(folder.name), Path(folder.name) / "eo.toml"

    def problems(self, old: str, new: str) -> list[str]:
        text = self.language.read_text(encoding="utf-8")
        self.assertIn(old, text)
        self.language.write_text(text.replace(old, new), encoding="utf-8")
        try:
            glossa.load_house(self.folder)
        except HouseError as error:
            return [str(p) for p in error.problems]
        finally:
            self.language.write_text(text, encoding="utf-8")
        return []

    def test_what_is_wrong_is_told_with_its_line(self) -> None:
        for old, new, told in (
            ('language = "eo"', 'language = "e_o"', "eo.toml:1: language: 'e_o' is not a language tag"),
            ('no = ["ne"]\n', "", "answers.no: is missing"),
            ('"neniam"]', '"neniam", "nu"]', "filler: 'nu' stands under negation too"),
            ('"neniam"]', '"neniam", "[jam] nu"]', "filler: 'nu' stands under negation too"),
            ('"mi petas"', '"mi (petas"', "eo.toml:4: filler.2: '(' is not closed"),
            ('"mi petas"', '"[mi] $petas"', "eo.toml:4: filler.2: a phrase of a language holds words"),
            ('"ŝaltu"], [', '"ŝaltu", "malŝaltu"], [', "opposites.power: 'malsaltu' is its own opposite"),
            ('"20: <<dek[ >>]"', '"20 <<dek"', "numbers.spell: '20 <<dek' is no rule; write one as in"),
            ("[switch]", "[swich]", "swich: unknown key 'swich'"),
            ("[grammar]", "[grammar", "no TOML"),
        ):
            with self.subTest(told):
                self.assertIn(told, " ".join(self.problems(old, new)))
        self.assertIn(
            "no language file 'eo.toml'",
            " ".join(
                problems(
                    '[house]\nname = "D"\nlanguages = ["eo"]\nlanguage_files = ["eo.toml"]\n[intents.a]\nphrases = ["jes"]\nsteps = []\n'
                )
            ),
        )

    def test_a_house_keeps_its_languages(self) -> None:
        first = glossa.load_house(self.folder)
        before = glossa.Matcher(first)
        negated = "ne ŝaltu la lampon"
        outcomes = {line: before.match(line).outcome for line in (negated, "ŝaltu la lampon")}
        text = self.language.read_text(encoding="utf-8")
        self.language.write_text(text.replace('negation = ["ne"', 'negation = ["neniel"'), encoding="utf-8")
        other = glossa.Matcher(glossa.load_house(self.folder))
        self.assertNotEqual(other.match(negated).reason, "negation")
        for matcher in (before, glossa.Matcher(first)):  # one that was there before, and one of the house as it was read
            self.assertEqual({line: matcher.match(line).outcome for line in outcomes}, outcomes)
            self.assertEqual(matcher.match(negated).reason, "negation")
        with self.assertRaises(HouseError):
            self.language.write_text("language = 3", encoding="utf-8")
            glossa.load_house(self.folder)
        self.assertEqual(glossa.Matcher(first).match(negated).reason, "negation")

    def test_a_tag_means_a_language_of_the_house_or_is_an_error(self) -> None:
        matcher = shared.matcher("marigold")
        for tag in ("en", "EN", "en-GB", "en_US", "en-Latn-GB"):
            self.assertEqual(matcher.match("don't turn the galley lamp on", tag).reason, "negation", tag)
        with self.assertRaisesRegex(LookupError, "the house speaks en, not 'fr'"):
            matcher.match("galley lamp on", "fr")
        with self.assertRaisesRegex(LookupError, "no mode 'steerin'.*steering"):
            matcher.match("port ten", mode="steerin")
        talk = glossa.Conversation(shared.house("marigold"), matcher, awake=True)
        self.assertRaises(LookupError, talk.hear, "galley lamp on", 0.0, "x-nowhere")
        self.assertRaises(LookupError, glossa.Conversation, shared.house("marigold"), matcher, mode="steerin")

    def test_unread_numbers_and_missing_lists_are_found(self) -> None:
        house = glossa.load_house(self.folder)
        found = {f.place: f.what for f in findings(house)}
        self.assertIn("eo.toml: grammar.except", found)
        self.assertNotIn("eo.toml: numbers.spell", found)
        self.assertEqual(self.problems('"6: ses"', '"6: sep"'), [])
        self.language.write_text(self.language.read_text(encoding="utf-8").replace('"6: ses"', '"6: sep"'), encoding="utf-8")
        found = {f.place: f.what for f in findings(glossa.load_house(self.folder))}
        self.assertIn("7 (“sep” is 6)", found["eo.toml: numbers.spell"])

    def test_another_process_learns_it_from_the_house(self) -> None:
        house = glossa.load_house(self.folder)
        rows = glossa.read_table((self.folder / "tests" / "first.csv").read_text(encoding="utf-8"), "first.csv", house)
        for jobs in (1, 2):
            self.assertEqual([r.wrong for r in run_table_parallel(house, rows, jobs) if not r.right], [])

    @given(
        st.lists(st.lists(st.sampled_from("abc"), min_size=1, max_size=3), min_size=1, max_size=5),
        st.lists(st.sampled_from("abc"), max_size=6),
    )
    def test_patterns_equal_their_expansions(self, listed, words) -> None:  # type: ignore[no-untyped-def]
        one = "(" + " | ".join(" ".join(p) for p in listed) + ") [c] [a b]"
        each = [(*p, *c, *ab) for p in listed for c in ((), ("c",)) for ab in ((), ("a", "b"))]
        patterned, plain = PhraseSet.of([one]), PhraseSet.of(each)
        self.assertEqual((patterned.single, patterned.words), (plain.single, plain.words))
        for at in range(len(words)):
            self.assertEqual(patterned.starts(words, at), plain.starts(words, at))
            fitting = [len(p) for p in each if tuple(words[at : at + len(p)]) == p]
            self.assertEqual(
                (plain.at(words, at), plain.whole(words[at:])), (max(fitting, default=0), len(words) - at in fitting)
            )


class Codes(unittest.TestCase):
    def test_codes_that_differ_only_in_case(self) -> None:
        values = SwitchValues(choices={"on": "A", "off": "a"})
        self.assertEqual([values.unwire(t) for t in ("A", "a", " a ", "b")], ["on", "off", "off", None])
        self.assertEqual(SwitchValues(choices={"on": "ON", "off": "OFF"}).unwire("on"), "on")


class Scaling(unittest.TestCase):
    @given(st.floats(-50, 50), st.floats(1, 500), st.integers(-1000, 1000), st.integers(1, 1000), st.booleans(), st.floats(0, 1))
    def test_to_the_wire_and_back_stays_within_half_a_step(self, low, span, start, width, down, share) -> None:  # type: ignore[no-untyped-def]
        raw = (start, start - width) if down else (start, start + width)
        values = NumberValues(minimum=low, maximum=low + span, raw=raw, raw_step=1)
        value = low + share * span
        back = values.unwire(values.wire(value))
        assert isinstance(back, (int, float))
        self.assertLessEqual(abs(back - value), span / width / 2 + 1e-6)

    def test_halves_go_up_and_numbers_are_tidy(self) -> None:
        lamp = NumberValues(minimum=0, maximum=100, raw=(0, 255), raw_step=1)
        self.assertEqual([lamp.wire(v) for v in (0, 10, 50, 100)], ["0", "26", "128", "255"])
        self.assertEqual(NumberValues(step=0.5).nearest(21.25), 21.5)
        self.assertEqual(NumberValues().wire(0.1 + 0.2), "0.3")


if __name__ == "__main__":
    unittest.main()
