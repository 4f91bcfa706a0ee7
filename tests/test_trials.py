"""Tables and what is made of them: measures, reports, kept results, coverage, noise, tuning, takes, logs."""

import contextlib
import gc
import io
import json
import logging
import os
import shutil
import sqlite3
import tempfile
import unittest
from pathlib import Path
from unittest import mock
from xml.etree import ElementTree as ET

from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

import glossa
from glossa.files import find_house, write_house
from glossa.house import HouseError, read_house
from glossa.house.model import Prices
from glossa.live.log import EventLog
from glossa.matching.evidence import confidence, fitted_weights
from glossa.trials.coverage import coverage, suggested_rows
from glossa.trials.edit import with_settings, with_word
from glossa.trials.every import every_error
from glossa.trials.history import compare_runs, kept
from glossa.trials.junit import junit
from glossa.trials.measures import by, confusion, frame, kind, measures, wilson
from glossa.trials.parallel import run_table_parallel
from glossa.trials.run import compare
from glossa.trials.stress import stress
from glossa.trials.takes import learn, teach
from glossa.trials.tune import cases_of, cost, folds, outcome_at, tune
from shell import call as run
from tests import shared

HOUSES = Path(__file__).parent / "houses"
MARIGOLD = shared.house("marigold")
FOLDER = find_house("marigold").parent
ROWS = [
    r
    for p in sorted((FOLDER / "tests").glob("*.csv"))
    for r in glossa.read_table(p.read_text(encoding="utf-8"), p.name, MARIGOLD)
]
MIXED = """utterance,outcome,intent,slots,note
galley lamp on,,switch,device=galley_lamp power=on,right
saloon lamp off,,switch,device=galley_lamp power=off,wrong
galley lamp on,reject,,,false
lamp off,,switch,power=off,asked
what a lovely day,,switch,,missed
what a lovely day,reject,,,left
galley lamp to forty,,set_level,device=galley_lamp level=50,wrong
stove fan low,*,,,any
"""


def mixed() -> list[glossa.Result]:
    return glossa.run_table(MARIGOLD, glossa.read_table(MIXED, "mixed.csv", MARIGOLD))


class Measures(unittest.TestCase):
    def test_every_row_is_counted_where_it_belongs(self) -> None:
        results = mixed()
        self.assertEqual(
            [kind(r) for r in results],
            ["right", "wrong action", "false accept", "asked", "missed", "left alone", "wrong action", "right"],
        )
        found = {m.name: (m.count, m.total) for m in measures(MARIGOLD, results)}
        self.assertEqual(
            found,
            {
                "frame accuracy": (1, 5),
                "intent accuracy": (4, 5),
                "slot F1": (10, 14),
                "false accept rate": (1, 2),
                "missed request rate": (1, 5),
                "asked rate": (1, 5),
                "wrong-action rate": (2, 8),
                "rows right": (3, 8),
            },
        )

    def test_sums_and_the_confusion_matrix(self) -> None:
        results = mixed()
        self.assertEqual(by(results, "note")["wrong"], (0, 2))
        self.assertEqual(by(results, "intent"), {"switch": (1, 4), "set_level": (0, 1)})
        self.assertEqual(by(results, "device"), {"galley_lamp": (1, 3)})
        self.assertEqual(confusion(results), {("switch", "switch"): 3, ("switch", "(none)"): 1, ("set_level", "set_level"): 1})

    def test_the_table_as_a_data_frame(self) -> None:
        table = frame(mixed())
        self.assertEqual(len(table), 8)
        self.assertEqual(table.groupby("kind").size()["wrong action"], 2)
        self.assertEqual(table.loc[0, "slots"], "device=galley_lamp power=on")

    @given(st.integers(0, 500), st.integers(1, 500))
    def test_the_interval_holds_the_share(self, count: int, extra: int) -> None:
        total = count + extra
        low, high = wilson(count, total)
        self.assertTrue(0 <= low <= count / total <= high <= 1)
        wider = wilson(count * 4, total * 4)
        self.assertLessEqual(wider[1] - wider[0], high - low + 1e-12)

    def test_known_interval(self) -> None:
        low, high = wilson(81, 263)  # R. G. Newcombe, 1998, table I
        self.assertAlmostEqual(low, 0.2553, places=4)
        self.assertAlmostEqual(high, 0.3662, places=4)


class Reports(unittest.TestCase):
    def test_junit(self) -> None:
        root = ET.fromstring(junit(mixed(), 1.5))
        self.assertEqual((root.get("tests"), root.get("failures")), ("8", "5"))
        case = root.findall(".//testcase")[1]
        self.assertEqual(case.get("name"), "line 3: saloon lamp off")
        self.assertIn("saloon_lamp, not galley_lamp", str(case.findall("failure")[0].get("message")))
        odd = glossa.run_table(MARIGOLD, glossa.read_table("utterance\n\x00\x1b<&>\n"))
        ET.fromstring(junit(odd))

    def test_the_page_needs_nothing_from_elsewhere(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table, page, xml, rows = (Path(folder) / n for n in ("t.csv", "p.html", "j.xml", "s.csv"))
            table.write_text(MIXED.replace("lovely", "<lovely>"))
            code, out, _ = run("test", "marigold", str(table), "--html", str(page), "--junit", str(xml), "--suggest", str(rows))
            self.assertEqual(code, 1)
            for part in ("frame accuracy", "20.0%", "No row exercises"):
                self.assertIn(part, out)
            text = page.read_text()
            self.assertNotRegex(text, r"(src|href)='?\"?http")
            for part in ("&lt;lovely&gt;", "data:image/png;base64,", "wrong-action rate", "What no row exercises"):
                self.assertIn(part, text)
            self.assertTrue(xml.exists())
            again = glossa.read_table(rows.read_text(), house=MARIGOLD)
            self.assertTrue(all(not r.problem for r in again))
            code, _, err = run("test", "marigold", str(table), "--suggest", str(rows))
            self.assertIn("is there already", err)


class Coverage(unittest.TestCase):
    def test_what_is_left_out_and_rows_for_it(self) -> None:
        missing = coverage(MARIGOLD, mixed())
        self.assertIn("radio", missing.devices)
        self.assertNotIn("galley_lamp", missing.devices)
        self.assertIn("good_night", missing.intents)
        self.assertEqual(missing.modes, ("steering",))
        self.assertIn(("speed", "high"), missing.values)
        self.assertNotIn(("speed", "low"), missing.values)
        rows = glossa.read_table(suggested_rows(MARIGOLD, glossa.Matcher(MARIGOLD), missing), house=MARIGOLD)
        results = glossa.run_table(MARIGOLD, rows)
        self.assertEqual([r.wrong for r in results if not r.right], [])
        self.assertLess(len(coverage(MARIGOLD, results).phrases), len(missing.phrases) / 2)


class Kept(unittest.TestCase):
    def test_a_planted_regression_is_shown(self) -> None:
        before = kept(glossa.run_table(MARIGOLD, ROWS))
        text = (FOLDER / "house.toml").read_text(encoding="utf-8")
        worse = (
            text.replace('"[the] $device $power",', "")
            .replace("raw = [0, 255]", "raw = [0, 100]")
            .replace('reply = "Sleep well"', 'reply = "Bye"')
        )
        sheets = {"codes.csv": (FOLDER / "codes.csv").read_text(encoding="utf-8")}
        house = read_house(worse, sheets)
        changes = compare_runs(before, glossa.run_table(house, ROWS))
        self.assertIn("galley lamp to forty", [c.utterance for c in changes.newly_wrong])
        self.assertIn("good night", [c.utterance for c in changes.newly_wrong])
        self.assertIn("bring the worktop lamp to three quarters", [c.utterance for c in changes.different])
        self.assertEqual((changes.newly_right, changes.added, changes.gone), ((), 0, 0))
        self.assertTrue(all(abs(a.moved) >= abs(b.moved) for a, b in zip(changes.moved, changes.moved[1:], strict=False)))

    def test_the_command(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "t.csv"
            table.write_text("utterance,outcome,intent\ngalley lamp on,,switch\nstove fan on,,switch\n")
            call = ("test", "marigold", str(table), "--results", folder)
            self.assertEqual(run(*call, "--save", "one")[0], 0)
            table.write_text("utterance,outcome,intent\ngalley lamp on,reject,\nradio on,,switch\n")
            code, out, _ = run(*call, "--against", "one")
            self.assertEqual(code, 1)
            for part in ("newly wrong: 1", "galley lamp on", "1 row new, 1 gone"):
                self.assertIn(part, out)
            self.assertIn("kept are: one", run(*call, "--against", "two")[2])
            self.assertEqual(run(*call, "--save", "../x")[0], 2)
            (Path(folder) / "bad.jsonl").write_text("no json\n")
            self.assertIn("is not a kept result", run(*call, "--against", "bad")[2])


class Workers(unittest.TestCase):
    def test_the_same_to_the_last_digit(self) -> None:
        rows = shared.some(ROWS, 3)
        one, two = run_table_parallel(MARIGOLD, rows, 1), run_table_parallel(MARIGOLD, rows, 2)
        self.assertEqual([kept([r]) for r in one], [kept([r]) for r in two])
        self.assertEqual([r.event for r in one], [r.event for r in two])

    def test_a_cluster_takes_the_work(self) -> None:
        import joblib
        from distributed import Client, LocalCluster

        rows = shared.some([r for r in ROWS if not r.session], 8)
        told = logging.getLogger("asyncio")  # of futures that the cluster leaves behind when it closes on a busy machine
        with contextlib.redirect_stderr(io.StringIO()), mock.patch.object(told, "disabled", True):
            cluster = LocalCluster(n_workers=1, threads_per_worker=1, processes=False, dashboard_address=None)
            with cluster, Client(cluster) as client, joblib.parallel_config(backend="dask", client=client):
                found = stress(MARIGOLD, rows, (0.1,), jobs=-1)
                every = every_error(shared.house("dinghy"), jobs=2)
            gc.collect()
        self.assertEqual(found.lines, stress(MARIGOLD, rows, (0.1,)).lines)
        self.assertEqual(every, every_error(shared.house("dinghy")))


class Tuning(unittest.TestCase):
    def test_rows_of_the_same_wording_stay_in_one_fold(self) -> None:
        rows = glossa.read_table("utterance\nA lamp!\nb\na lamp\nc\nd\ne\nf\nB\n")
        numbers = folds(rows)
        self.assertEqual((numbers[0], numbers[1]), (numbers[2], numbers[7]))
        self.assertEqual(len(set(numbers)), 5)

    def test_today_is_decided_as_the_matcher_does(self) -> None:
        rows = [r for r in ROWS if not r.session]
        matcher = glossa.Matcher(MARIGOLD)
        for case in cases_of(MARIGOLD, rows):
            outcome = outcome_at(MARIGOLD, case, MARIGOLD.matching, confidence(case.amounts, fitted_weights()))
            expected = str(matcher.match(case.row.utterance, case.row.language, case.row.mode).outcome)
            self.assertEqual(outcome, expected, case.row.utterance)

    def test_prices(self) -> None:
        rows = glossa.read_table(MIXED, house=MARIGOLD)
        prices = Prices(10, 5, 1, 0.3)
        outcomes = [str(glossa.Matcher(MARIGOLD).match(r.utterance).outcome) for r in rows]
        priced = [cost(c, o, prices) for c, o in zip(cases_of(MARIGOLD, rows), outcomes, strict=True)]
        self.assertEqual(priced, [0, 10, 5, 0.3, 1, 0, 10, 0])

    def test_a_bad_threshold_is_put_right_on_held_out_rows(self) -> None:
        house = glossa.load_house(HOUSES / "larkspur")
        from msgspec.structs import replace

        strict = replace(house, matching=replace(house.matching, accept=0.9995, confirm=0.999))
        intents = {k: replace(i, matching=strict.matching) for k, i in strict.intents.items()}
        strict = replace(strict, intents=intents)
        rows = glossa.read_table((HOUSES / "larkspur" / "tuned.csv").read_text(), "t", strict)
        tuned = tune(strict, rows)
        self.assertTrue(tuned.better)
        self.assertLess(tuned.after.price, tuned.before.price / 1.3)
        self.assertLess(tuned.settings.accept, 0.95)
        self.assertEqual(tuned, tune(strict, rows))

    def test_what_is_no_better_is_not_proposed(self) -> None:
        tuned = tune(MARIGOLD, [r for r in ROWS if not r.session][:50])
        self.assertFalse(tuned.better)
        self.assertEqual(tuned.settings, MARIGOLD.matching)
        self.assertIn("are few for a claim", " ".join(tuned.warnings))
        with self.assertRaises(ValueError):
            tune(MARIGOLD, [])

    def test_tune_writes_only_on_request_and_keeps_comments(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(HOUSES / "larkspur", folder, dirs_exist_ok=True)
            house = Path(folder) / "house.toml"
            text = house.read_text() + "\n[matching] # how strict\naccept = 0.99 # far too strict\nconfirm = 0.98\n"
            house.write_text(text)
            picture = Path(folder) / "t.png"
            call = ("tune", folder, str(Path(folder) / "tuned.csv"), "--picture", str(picture))
            code, out, _ = run(*call)
            self.assertEqual((code, house.read_text()), (0, text))
            self.assertIn("better by more than chance", out)
            self.assertEqual(run(*call, "--write")[0], 0)
            after = house.read_text()
            self.assertIn("# far too strict", after)
            self.assertLess(glossa.load_house(folder).matching.accept, 0.95)
            self.assertEqual((Path(folder) / "house.toml.bak").read_text(), text)
            self.assertTrue(picture.exists())
            self.assertEqual(run("tune", folder, str(Path(folder) / "tuned.csv"), "--price", "wrong=-1")[0], 2)


class Writing(unittest.TestCase):
    def test_all_or_nothing(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            house = Path(folder) / "house.toml"
            shutil.copy(HOUSES / "larkspur" / "house.toml", house)
            text = house.read_text()
            earlier = Path(folder) / "house.toml.bak"
            earlier.write_text("an earlier backup")
            with self.assertRaises(HouseError):
                write_house(house, text.replace("[house]", "[hose]"))
            for name in ("replace", "fsync"):
                with (
                    mock.patch.object(os, name, side_effect=OSError(28, "No space left on device")),
                    self.assertRaisesRegex(HouseError, "No space left"),
                ):
                    write_house(house, text + "# more\n")
                self.assertEqual((house.read_text(), earlier.read_text()), (text, "an earlier backup"))
            with mock.patch.object(os, "access", return_value=False), self.assertRaisesRegex(HouseError, "can't be written"):
                write_house(house, text + "# more\n")
            self.assertEqual(house.read_text(), text)
            self.assertEqual(list(Path(folder).glob(".house*")), [])

    def test_links_modes_and_backups_stay(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            real, link = folder / "real.toml", folder / "house.toml"
            shutil.copy(HOUSES / "larkspur" / "house.toml", real)
            real.chmod(0o600)
            link.symlink_to(real)
            text, planted = real.read_text(), folder / "planted"
            (folder / ".house.toml.new").symlink_to(planted)
            backups = [write_house(link, text + f"# {n}\n") for n in range(3)]
            self.assertTrue(link.is_symlink())
            self.assertEqual([b.read_text().removeprefix(text) for b in backups], ["", "# 0\n", "# 1\n"])
            self.assertEqual({p.stat().st_mode & 0o777 for p in (real, *backups)}, {0o600})
            self.assertEqual((real.read_text(), planted.exists()), (text + "# 2\n", False))

    def test_nothing_is_written_over_a_file_of_another_sort(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            shutil.copytree(HOUSES / "larkspur", folder, dirs_exist_ok=True)
            house, table = folder / "house.toml", str(folder / "short.csv")
            Path(table).write_text("utterance,outcome\nkitchen lamp on,accept\nwhat a day,accept\n")
            text = house.read_text()
            for option in ("--junit", "--html"):
                code, _, err = run("test", name, table, option, str(house))
                self.assertEqual((code, house.read_text()), (2, text))
                self.assertIn("a file of another sort", err)
            self.assertEqual(run("listen", name, "--log", str(house), typed=b"")[0], 2)
            self.assertEqual(house.read_text(), text)
            for option, file in (("--junit", "r.xml"), ("--html", "r.html"), ("--save", "x")):
                for _ in range(2):
                    self.assertLess(run("test", name, table, option, str(folder / file) if option != "--save" else file)[0], 2)
            whole = (folder / "r.html").read_text()
            with mock.patch.object(os, "fsync", side_effect=OSError(28, "No space left on device")):
                self.assertEqual(run("test", name, table, "--html", str(folder / "r.html"))[0], 2)
            self.assertEqual((folder / "r.html").read_text(), whole)
            self.assertEqual(list(folder.glob(".*")), [])
            with sqlite3.connect(folder / "other.db") as base:
                base.execute("create table mine (x)")
            with self.assertRaisesRegex(HouseError, "another program"):
                EventLog(folder / "other.db", clock=lambda: 0.0)

    def test_no_file_of_results_holds_a_passcode(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            table = folder / "t.csv"
            rows = "ahoy barnacle open the hatch,ask,1,0\n2 4 6 8,accept,1,2\nopen the hatch two four six eight,reject,,\n"
            table.write_text("utterance,outcome,session,at\n" + rows)
            code, out, _ = run(
                "test", "marigold", str(table), "--junit", f"{name}/r.xml", "--html", f"{name}/r.html", "--save", "s", "--results", name, "--json"
            )  # fmt: skip
            texts = [out, *((folder / f).read_text() for f in ("r.xml", "r.html", "s.jsonl"))]
            self.assertEqual(code, 1)
            for text in texts:
                self.assertIn("****", text)
                self.assertNotRegex(text, "2 4 6 8|two four six|2468")
            code, out, _ = run("test", "marigold", str(table), "--json", "--only-failed", "--against", "s", "--results", name)
            lines = [json.loads(line) for line in out.splitlines()]
            self.assertEqual((len(lines), lines[-1]["against"], lines[-1]["newly_wrong"]), (2, "s", []))

    def test_comments_and_order_survive(self) -> None:
        text = '# top\n[house]\nname = "X" # here\n\n[matching]\naccept = 0.8 # why\n\n[intents.a]\nphrases = ["x"] # p\nreply = "r"\n'
        self.assertEqual(with_settings(text, {"accept": 0.9}), text.replace("0.8 #", "0.9 #"))
        self.assertIn("matching = {accept = 0.95}", with_settings(text, {}, {"a": 0.95}))
        self.assertIn('phrases = ["x", "y"] # p', with_word(text, ("intents", "a", "phrases"), ["y", "x"]))
        self.assertIn('[wake]\nalso_heard = ["q"]', with_word(text, ("wake", "also_heard"), ["q"]))
        self.assertIn('names = ["a", "b"]', with_word('[devices.d]\nnames = "a"\n', ("devices", "d", "names"), ["b"]))


class Columns(unittest.TestCase):
    def test_a_misspelt_column_is_no_column_of_ones_own(self) -> None:
        rows = "galley lamp on,reject,x,y"
        for header in ("utterance,outcom,who,room", "utterance,outcomes,who,room"):
            with self.assertRaises(HouseError) as caught:
                glossa.read_table(f"{header}\n{rows}\n", "t.csv")
            self.assertIn("t.csv:1: outcom", str(caught.exception))
            self.assertIn("did you mean 'outcome'?", str(caught.exception))
        own = (
            glossa.read_table(f"utterance,outcom,who,room\n{rows}\n", extra_columns=True),
            glossa.read_table(f"utterance,_outcom,who,room\n{rows}\n"),
        )
        for (row,) in own:
            self.assertEqual(row.outcomes, ("accept",))
            self.assertEqual(row.others["who"], "x")

    def test_the_commands_take_extra_columns(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "t.csv"
            table.write_text("utterance,outcom,room\ngalley lamp on,accept,galley\n")
            self.assertEqual(run("test", "marigold", str(table))[0], 2)
            code, _, err = run("test", "marigold", str(table), "--extra-columns")
            self.assertEqual((code, err), (0, ""))
            table.write_text("utterance,room\ngalley lamp on,galley\n")
            code, _, err = run("test", "marigold", str(table))
            self.assertEqual(code, 0)
            self.assertIn("not used: room", err)


class Takes(unittest.TestCase):
    def test_what_takes_say(self) -> None:
        house = glossa.load_house(HOUSES / "larkspur")
        lesson = teach(house, "power", ["floor lamp on", "floor lamp on", "florence on"])
        self.assertEqual(lesson.takes[0], ("floor lamp on", 2))
        self.assertEqual(lesson.understood, ("floor lamp on",))
        self.assertFalse(lesson.agree)
        self.assertEqual(len(lesson.proposals), 1)
        lesson = teach(house, "lock_gate", ["look the gate", "lock the gate"])
        self.assertEqual(lesson.proposals, ())
        lesson = teach(house, "good_night", ["slumberland"])
        self.assertEqual(
            (lesson.proposals[0].path, lesson.proposals[0].text), (("intents", "good_night", "phrases"), "slumberland")
        )
        with self.assertRaises(ValueError):
            teach(house, "power", [" "])

    def test_a_phrase_is_proposed_with_its_slots_or_not_at_all(self) -> None:
        matcher = glossa.Matcher(MARIGOLD)
        lesson = teach(MARIGOLD, "set_level", ["crank forty percent lumen juice into the galley lamp"], matcher)
        self.assertEqual([p.text for p in lesson.proposals], ["crank $level lumen juice into [the] $device"])
        lesson = teach(MARIGOLD, "warmth", ["heater on", "stove fan banana"], matcher)
        self.assertEqual((lesson.proposals, lesson.beyond), ((), ("heater on", "stove fan banana")))
        out = run("teach", "marigold", "warmth", "--times", "1", typed=b"heater on\n")[1]
        self.assertIn("no phrase would make “heater on” do what warmth does", out)

    def test_accepted_and_nothing_sent_is_wrong(self) -> None:
        table = '[house]\nname = "T"\n[slots.word]\ntype = "words"\n[intents.a]\nphrases = ["alpha"]\nsteps = [{ wait = 1 }]\n'
        house = read_house(table + '[intents.b]\nphrases = ["beta"]\nsteps = [{ text = "B" }, { wait = 1 }]\n')
        for text, commands, right in (("alpha", (), True), ("beta", (), False)):
            event = replace(glossa.Conversation(house).hear(text), commands=commands)
            row = glossa.read_table(f"utterance\n{text}\n")[0]
            self.assertEqual(compare(house, row, event) == (), right)

    def test_what_a_log_says(self) -> None:
        lines = [
            "galley lamp on",
            "ahoy barnacle",
            "what a day",
            "what a day",
            "what a bay",
            "ahoy barnacle good mite boat",
            "stand easy",
            "galley lamp on",
        ]
        misses = learn(MARIGOLD, lines)
        self.assertEqual((misses[0].texts, misses[0].count, misses[0].intent), ((("what a day", 2), ("what a bay", 1)), 3, ""))
        self.assertEqual(misses[0].row, ("what a day", "reject", ""))
        self.assertTrue(all(m.count for m in misses))

    def test_what_is_proposed_is_understood_afterwards(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(HOUSES / "larkspur", folder, dirs_exist_ok=True)
            typed = b"slumberland\nslumberland ahoy\n"
            code, out, _ = run("teach", folder, "good_night", "--times", "2", typed=typed)
            self.assertEqual(code, 0)
            self.assertIn('+phrases = ["good night", "time for bed", "slumberland"', out)
            self.assertIn("not written", out)
            code, out, _ = run("teach", folder, "good_night", "--times", "2", "--yes", typed=typed)
            matcher = glossa.Matcher(glossa.load_house(folder))
            for text in ("slumberland", "slumberland ahoy"):
                match = matcher.match(text)
                assert match.best is not None
                self.assertEqual((match.outcome, match.best.intent), ("accept", "good_night"))
            self.assertEqual(run("teach", folder, "goodnight")[0], 2)
            shutil.copytree(find_house("marigold").parent, f"{folder}/boat")
            house = Path(folder) / "boat" / "house.toml"
            text = house.read_text()
            code, out, err = run("teach", f"{folder}/boat", "horn", "--times", "1", "--yes", typed=b"blow that foghorn now\n")
            self.assertEqual((code, house.read_text(), err), (0, text, ""))
            self.assertIn("add a row to the phrase table: phrase “blow that foghorn”, intent horn", out)
            self.assertEqual(run("teach", folder, "good_night")[0], 2)

    def test_the_log_command(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            shutil.copytree(HOUSES / "larkspur", folder, dirs_exist_ok=True)
            log, rows = Path(folder) / "log.txt", Path(folder) / "rows.csv"
            log.write_text("kitchen lamp on\nset the tables\nwhat a day\n\n")
            code, out, _ = run("learn", folder, str(log), "--rows", str(rows))
            self.assertEqual(code, 0)
            self.assertIn("what a day", out)
            self.assertEqual(len(glossa.read_table(rows.read_text())), 2)
            code, out, _ = run("learn", folder, str(log), "--json")
            self.assertEqual(len([json.loads(line) for line in out.splitlines()]), 2)
            log.write_text("kitchen lamp on\n")
            self.assertIn("was understood", run("learn", folder, str(log))[1])
            self.assertEqual(run("learn", folder, folder + "/none.txt")[0], 2)


if __name__ == "__main__":
    unittest.main()
