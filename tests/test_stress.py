"""What a recogniser's errors do: the errors, how likely they are, what is estimated from a log, and every single one of them."""

import csv
import json
import random
import tempfile
import time
import unittest
from functools import cache
from pathlib import Path

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

import glossa
from glossa.cli.every import starred
from glossa.files import find_house
from glossa.house import HouseError, read_house
from glossa.house.recogniser import Recogniser, Sounds, read_recogniser, recogniser_text
from glossa.house.text import words
from glossa.language import load_language
from glossa.live.log import EventLog
from glossa.live.records import Record
from glossa.trials.covering import covering
from glossa.trials.danger import dangers
from glossa.trials.estimate import estimate, understood_pairs
from glossa.trials.every import OUTCOMES, every_error, one_error_away
from glossa.trials.findings import findings
from glossa.trials.noise import SORTS, noises
from glossa.trials.sentences import Sentence
from glossa.trials.stress import stress
from shell import call as run
from tests import shared

HOUSES = Path(__file__).parent / "houses"
MARIGOLD = shared.house("marigold")
PHRASES = find_house("marigold").parent / "tests" / "phrases.csv"
ROWS = glossa.read_table(PHRASES.read_text(encoding="utf-8"), "phrases.csv", MARIGOLD)
MAKERS = {n: noises(shared.house(n)) for n in ("marigold", "rotdorn", "mirabelle", "azahar")}

TRAP = """[house]
name = "Cellar"
[rooms]
cellar = ["cellar"]
[kinds.lamp]
nouns = ["lamp"]
properties.power = { type = "switch", command = { topic = "cellar/$id", payload = "$raw" } }
[kinds.pump]
nouns = ["pump"]
properties.power = { type = "switch", command = { topic = "cellar/$id", payload = "$raw" } }
[devices.bin_lamp]
kind = "lamp"
names = ["bin lamp"]
[devices.pin_lamp]
kind = "lamp"
names = ["pin lamp"]
[devices.pump]
kind = "pump"
names = ["pump"]
[intents.switch]
phrases = ["turn $power [the] $device", "[the] $device $power"]
set = { power = "$power" }
[intents.keep_running]
phrases = ["keep the pump running"]
device = "pump"
set = { power = "on" }
[intents.let_stop]
phrases = ["don't keep the pump running"]
device = "pump"
set = { power = "off" }
"""
CELLAR = read_house(TRAP, {}, "cellar.toml")
LOST = Recogniser(sounds=Sounds(swapped={"L R": 0.05}))
"""A recogniser that takes L for R."""


@cache
def covered(name: str) -> tuple[Sentence, ...]:
    """The sentences that cover a house."""
    return tuple(covering(shared.house(name)))


class Errors(unittest.TestCase):
    @settings(max_examples=shared.draws(50))
    @given(st.sampled_from(sorted(MAKERS)), st.randoms(use_true_random=False))
    def test_one_error_changes_one_place_and_nothing_else(self, name: str, dice: random.Random) -> None:
        for tag, maker in MAKERS[name].items():
            said = dice.choice([s for s in covered(name) if s.language == tag])
            for slip in dice.sample(every := maker.every(said.text), min(8, len(every))):
                heard = maker.heard(said.text, slip)
                before, after = words(said.text), words(heard)
                same = next(
                    (i for i, (a, b) in enumerate(zip(before, after, strict=False)) if a != b), min(len(before), len(after))
                )
                back = next(
                    (i for i, (a, b) in enumerate(zip(before[::-1], after[::-1], strict=False)) if a != b),
                    min(len(before), len(after)),
                )
                self.assertGreaterEqual(same + back, min(len(before), len(after)) - 2, (said.text, heard))
                self.assertIn(slip.sort, SORTS)
                self.assertGreater(slip.likelihood, 0)

    def test_errors_are_similar_sounding_common_words(self) -> None:
        english = MAKERS["marigold"]["en"]
        heard = [w for w, _ in english.alike("lamp")]
        self.assertLessEqual({"lamb", "lump", "ramp"}, set(heard))
        self.assertNotIn("kettle", heard)
        likely = dict(english.alike("to"))
        self.assertGreater(likely["too"], likely["toe"])  # as near, and more common
        self.assertIn("licht", {w for w, _ in MAKERS["rotdorn"]["de"].alike("nicht")} | {"licht"})
        self.assertTrue(MAKERS["mirabelle"]["fr"].alike("lampe") and MAKERS["azahar"]["es"].alike("lampara"))
        twins = {s.heard for s in english.every("galley lamp to 30") if s.sort == "twin"}
        self.assertEqual(twins, {"13"})

    def test_the_rest_of_a_line_stays_as_it_is_written(self) -> None:
        maker, text = MAKERS["marigold"]["en"], "Don't -- turn the Galley lamp on, please!"
        for slip in maker.every(text):
            heard = maker.heard(text, slip)
            self.assertTrue(slip.end > 6 or heard.endswith("please!") or slip.start >= 6, heard)

    def test_the_same_seed_makes_the_same_errors(self) -> None:
        rows = ROWS[-20:]
        self.assertEqual(stress(MARIGOLD, rows, (0.0, 0.2), seed=5), stress(MARIGOLD, rows, (0.0, 0.2), seed=5))
        self.assertNotEqual(stress(MARIGOLD, rows, (0.3,), seed=5), stress(MARIGOLD, rows, (0.3,), seed=6))

    def test_no_errors_change_nothing_and_errors_cost(self) -> None:
        result = stress(MARIGOLD, shared.some(ROWS, 3), (0.0, 0.3))
        self.assertEqual(result.lines[0].frame_right, result.lines[0].must)
        self.assertLess(result.lines[1].frame_right, result.lines[0].frame_right)
        self.assertTrue(all(lost <= struck for _, lost, struck in result.costly))
        self.assertLessEqual(len(result.costly), 10)


class Model(unittest.TestCase):
    def test_what_was_planted_is_estimated(self) -> None:
        prices = []
        for model in (LOST, Recogniser()):
            maker, dice = noises(MARIGOLD, model)["en"], random.Random(3)
            found = estimate([(r.utterance, maker.hear(r.utterance, 0.15, dice)[0]) for r in ROWS], load_language("en"))
            prices.append(found.sounds.swapped.get("L R", 0.35))
            self.assertTrue(0.08 < found.rate < 0.22, found.rate)
        self.assertLess(prices[0], prices[1] - 0.05)
        self.assertEqual(read_recogniser(recogniser_text(found), "r.toml"), found)
        pairs = [("turn the lamp on", "turn lamp on")] * 30 + [("turn the lamp on", "turn the lap on")] * 3
        found = estimate(pairs, load_language("en"))
        self.assertGreater(found.sorts.deletion, found.sorts.substitution)
        self.assertEqual(found.written, {"lamp": {"lap": 3}})

    def test_a_log_tells_what_was_misheard(self) -> None:
        pairs = understood_pairs(MARIGOLD, ["turn on the gally lamp", "galley lamb off", "what a lovely day", "radio to ten"])
        self.assertIn(("turn on the galley lamp", "turn on the gally lamp"), pairs)
        self.assertIn(("galley lamp off", "galley lamb off"), pairs)
        self.assertEqual(len(pairs), 3)

    def test_what_only_the_household_knows_helps_reading(self) -> None:
        heard = "turn on the window lamp"
        self.assertNotEqual(glossa.Matcher(MARIGOLD).match(heard).outcome, "accept")
        knowing = replace(MARIGOLD, recogniser=Recogniser(written={"galley": {"window": 4}}))
        best = glossa.Matcher(knowing).match(heard).best
        assert best is not None
        self.assertEqual(best.slots["device"], ("galley_lamp",))
        far, near = (
            glossa.Matcher(MARIGOLD).match("sarong ramp on"),
            glossa.Matcher(replace(MARIGOLD, recogniser=LOST)).match("sarong ramp on"),
        )
        self.assertGreater(near.score, far.score)

    def test_a_house_names_its_model(self) -> None:
        text = TRAP.replace('name = "Cellar"', 'name = "Cellar"\nrecogniser = "r.toml"')
        house = read_house(text, {"r.toml": recogniser_text(LOST)}, "cellar.toml")
        self.assertEqual(house.recogniser.sounds.swapped, {"L R": 0.05})
        for model, line in (
            ("words = = 1", 1),
            ("[sorts]\nsubstitution = -1", 2),
            ("[sounds.swapped]\nAE = 0.2", 2),
            ("rate = 2", 1),
            ("rte = 1", 1),
        ):
            with self.assertRaises(HouseError) as raised:
                read_house(text, {"r.toml": model}, "cellar.toml")
            self.assertEqual((raised.exception.problems[0].file, raised.exception.problems[0].line), ("r.toml", line))
        with self.assertRaises(HouseError):
            read_house(text, {}, "cellar.toml")


class EverySingleOne(unittest.TestCase):
    def test_planted_traps_are_found_and_named_first(self) -> None:
        result = every_error(CELLAR)
        found = dangers(CELLAR, result.mishaps)
        self.assertEqual((found[0].said, found[0].outcome), ("dont", "opposite action"))
        self.assertIn("", found[0].heard)
        self.assertEqual(found[0].helps[0], 'confirm = "always" for keep_running')
        self.assertEqual({d.said for d in found[1:3]}, {"bin", "pin"})
        self.assertEqual(sum(result.of(o)[0] for o in OUTCOMES), result.tried)
        names = [f.name for f in findings(CELLAR)]
        self.assertIn("sound alike", names)
        self.assertIn("opposite one error away", names)

    def test_the_result_is_the_same_for_any_number_of_workers(self) -> None:
        self.assertEqual(every_error(CELLAR), every_error(CELLAR, jobs=2))

    def test_what_helps_helps(self) -> None:
        asked = read_house(
            TRAP.replace(
                'device = "pump"\nset = { power = "on" }', 'device = "pump"\nset = { power = "on" }\nconfirm = "always"'
            ),
            {},
            "c.toml",
        )
        renamed = read_house(TRAP.replace('["pin lamp"]', '["corner lamp"]'), {}, "c.toml")
        self.assertNotIn("keep_running", {m.got for m in every_error(asked).mishaps})
        self.assertFalse([m for m in every_error(renamed).mishaps if "lamp" in m.does and m.slip.sort == "substitution"])

    def test_rows_count_too(self) -> None:
        table = "utterance,outcome,intent\nkeep the pump running,accept,keep_running\nnot the bin lamp on,reject,\nbin lamp blue,accept,switch\n"
        result = every_error(CELLAR, glossa.read_table(table, "t.csv", CELLAR))
        self.assertEqual(result.skipped, ("bin lamp blue",))
        dropped = [m for m in result.mishaps if m.where == "t.csv:3"]
        self.assertTrue(dropped)
        self.assertEqual({(m.outcome, m.wanted) for m in dropped if m.slip.said == "not"}, {("opposite action", "")})

    def test_the_time_is_up(self) -> None:
        result = every_error(MARIGOLD, go_on=lambda: False)
        self.assertEqual((result.done, result.tried, result.ended), (0, 0, False))

    def test_every_alternative_and_every_name_is_said(self) -> None:
        for house in (MARIGOLD, shared.house("townhouse"), shared.house("spanish")):
            said = {w for s in covering(house) for w in words(s.text)}
            general = [i for i in house.intents.values() if i.to_a_device and not i.pin]
            for device in house.devices.values():
                if any(all(p in device.properties for p in i.properties) for i in general):
                    self.assertLessEqual({w for ways in device.names.values() for way in ways for w in way}, said)
            for intent in house.intents.values():
                for phrase in (
                    (p for ps in intent.phrases.values() for p in ps) if not intent.pin and intent.id != "alarm_off" else ()
                ):
                    if "GARBAGE" not in phrase.text and len(phrase.sequences) < 12:
                        alternatives = {w for s in phrase.sequences for q in s.positions for w in q.words}
                        self.assertLessEqual(alternatives, said, phrase.text)

    def test_what_is_one_word_away_is_told_in_a_moment(self) -> None:
        matcher = glossa.Matcher(MARIGOLD)
        matcher.match("lamp on")
        started = time.process_time()
        found = {(m.slip.said, m.slip.heard) for m in one_error_away(MARIGOLD, matcher, "en")}
        self.assertIn(("unlock", "lock"), found)
        self.assertLess(time.process_time() - started, 5)


class Command(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        (self.folder / "cellar.toml").write_text(TRAP)
        self.house = str(self.folder / "cellar.toml")

    def test_error_rates(self) -> None:
        picture = self.folder / "s.png"
        code, out, _ = run("stress", "marigold", str(PHRASES), "--errors", "0,20", "--picture", str(picture))
        self.assertEqual(code, 0)
        self.assertIn("the words that cost most", out)
        self.assertTrue(picture.exists())
        for wrong in ("a,b", "", "120"):
            self.assertEqual(run("stress", "marigold", "--errors", wrong)[0], 2)

    def test_every_error(self) -> None:
        page, picture = self.folder / "r.html", self.folder / "p.svg"
        code, out, err = run("stress", self.house, "--every", "--report", str(page), "--picture", str(picture))
        self.assertEqual((code, err.count("wrote")), (0, 2), err)
        first = out.index("“dont” heard as")
        self.assertLess(first, out.index("“bin” heard as “pin”"))
        self.assertIn("helps: another name for what is named “bin”", out)
        self.assertIn("opposite action", page.read_text(encoding="utf-8"))
        self.assertIn("<svg", picture.read_text(encoding="utf-8"))
        code, out, _ = run("stress", self.house, "--every", "--json")
        told = json.loads(out)
        self.assertEqual((code, told["ended"], told["dangers"][0]["said"]), (0, True, "dont"))
        self.assertEqual(sum(o["errors"] for o in told["outcomes"].values()), told["errors"])

    def test_no_passcode_is_shown(self) -> None:
        result = every_error(CELLAR)
        told = replace(result.mishaps[0], said="hatch two four six eight", heard="hatch 2468", does="open_hatch")
        shown = starred(MARIGOLD, replace(result, skipped=("hatch 2468",), mishaps=(told,)))
        texts = (*shown.skipped, shown.mishaps[0].said, shown.mishaps[0].heard)
        self.assertTrue(all("****" in t and "2468" not in t and "four" not in t for t in texts), texts)

    def test_a_limit_of_time(self) -> None:
        code, out, _ = run("stress", "marigold", str(PHRASES), "--every", "--seconds", "0.001")
        self.assertEqual(code, 0)
        self.assertIn("the time was up", out)

    def test_the_model_goes_from_takes_and_logs_into_the_house(self) -> None:
        takes, model, log = self.folder / "takes.csv", self.folder / "recogniser.toml", self.folder / "cellar.db"
        for _ in range(2):
            code, _, err = run(
                "teach",
                self.house,
                "keep_running",
                "--keep",
                str(takes),
                typed=b"keep the bump running\nkeep the pump\nwhat a day\n",
            )
            self.assertEqual(code, 0, err)
        rows = list(csv.DictReader(takes.read_text(encoding="utf-8").splitlines()))
        self.assertEqual(rows.count({"said": "keep the pump running", "heard": "keep the bump running"}), 2)
        self.assertNotIn("what a day", {r["heard"] for r in rows})
        written = EventLog(log, clock=time.time)
        for n in range(5):
            written.write(Record("heard", 1.0 + n, n, {"utterance": "turn on the bin lamb", "outcome": "accept"}))
        written.close()
        code, _, err = run("stress", self.house, "--heard", str(takes), "--heard", str(log), "--save", str(model))
        self.assertEqual(code, 0, err)
        known = read_recogniser(model.read_text(encoding="utf-8"), "r")
        self.assertEqual((known.written["pump"]["bump"], known.written["lamp"]["lamb"]), (2, 5))
        self.assertEqual(run("stress", self.house, "--every", "--model", str(model), "--json")[0], 0)

    def test_wrong_calls_and_files(self) -> None:
        bad = self.folder / "bad.csv"
        bad.write_text("a,b\n1,2\n")
        (self.folder / "bad.toml").write_text("rate = 7\n")
        (self.folder / "none.toml").write_text('[house]\nname = "None"\n')
        empty = self.folder / "empty.txt"
        empty.write_text("what a day\n")
        for arguments, told in (
            (("--seconds", "3"), "--seconds goes with --every"),
            (("--report", "x.html"), "--report goes with --every"),
            (("--every", "--report", self.house), "name an .html file"),
            (("--every", "--report", str(self.folder / "nowhere" / "x.html")), "name an .html file"),
            (("--save", self.house), "a file of another sort"),
            (("--heard", str(bad)), "has neither the columns said and heard"),
            (("--heard", str(empty)), "holds no line that this house carries out"),
            (("--model", str(self.folder / "bad.toml")), "rate"),
            (("--model", str(self.folder / "nowhere.toml")), "nowhere.toml"),
            (("--model", "a", "--heard", "b"), "not both"),
            (("--every", "--seconds", "0"), "seconds"),
        ):
            code, out, err = run("stress", self.house, *arguments)
            self.assertEqual((code, "Traceback" in err + out), (2, False), arguments)
            self.assertIn(told, err + out)
        self.assertEqual(run("stress", str(self.folder / "none.toml"), "--every")[0], 2)  # a house without phrases
        takes = self.folder / "takes.csv"
        takes.write_text("utterance\nlamp\n")
        self.assertEqual(run("teach", self.house, "switch", "--keep", str(takes), typed=b"bin lamp on\n")[0], 2)
        self.assertEqual((takes.read_text(), Path(self.house).read_text()), ("utterance\nlamp\n", TRAP))


if __name__ == "__main__":
    unittest.main()
