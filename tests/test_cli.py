"""The command line, as a user calls it."""

import json
import signal
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from glossa.cli.main import COMMANDS
from shell import call as run


class Say(unittest.TestCase):
    def test_json_is_one_object_a_line_in_order(self) -> None:
        code, out, _ = run("say", "marigold", "--json", typed="galley lamp to forty\r\n\nlamp on\nñ \xff".encode("latin-1"))
        found = [json.loads(line) for line in out.splitlines()]
        self.assertEqual((code, [f["outcome"] for f in found]), (0, ["accept", "reject", "ask", "reject"]))
        keys = [
            "utterance",
            "outcome",
            "intent",
            "slots",
            "confidence",
            "score",
            "lead",
            "language",
            "commands",
            "reply",
            "alternatives",
        ]
        self.assertEqual(list(found[0]), keys)
        self.assertEqual(found[0]["slots"], {"device": ["galley_lamp"], "level": 40})
        self.assertEqual(found[0]["commands"], ["boat marigold/galley_lamp/level/set 102"])
        self.assertEqual((found[1]["intent"], found[1]["slots"]), (None, {}))

    def test_the_module_starts_as_a_process(self) -> None:
        done = subprocess.run(
            [sys.executable, "-m", "glossa", "say", "marigold", "galley lamp on", "--json"], capture_output=True, check=True
        )
        self.assertEqual(json.loads(done.stdout)["outcome"], "accept")

    def test_why_and_picture(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            picture = Path(folder) / "why.png"
            code, out, _ = run("say", "marigold", "turn of the galley lap", "--why", "--picture", str(picture))
            self.assertEqual(code, 0)
            for part in ("sounds like off", "score   1 - ", "sum", "log-odds", "accept from 0.96"):
                self.assertIn(part, out)
            self.assertTrue(all(len(line) <= 100 for line in out.splitlines()))
            self.assertTrue(picture.read_bytes().startswith(b"\x89PNG"))

    def test_a_passcode_is_not_shown(self) -> None:
        for options in ((), ("--json",), ("--why",), ("--json", "--why")):
            _, out, _ = run("say", "marigold", "open the hatch two four six eight", *options)
            self.assertNotIn("2468", out)
            self.assertNotIn("two four six", out)

    def test_what_a_file_holds_does_nothing_to_the_terminal(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            house, table = Path(folder) / "house.toml", Path(folder) / "rows.csv"
            house.write_text('[house]\nname = "E"\n[intents.x]\nphrases = ["go now"]\nreply = "bang \\u001b[2J\\u0007"\n')
            table.write_text('utterance,outcome,intent\n"stop \x1b[2J\x07now",accept,x\n')
            for call in (
                ("say", str(house), "go now", "--why"),
                ("test", str(house), str(table)),
                ("say", str(house), "go \x1b[2J now"),
            ):
                out = run(*call)[1]
                self.assertNotRegex(out, "[\x1b\x07]", call)
                self.assertIn("[2J", out, call)

    def test_what_is_far_too_much_is_told_at_once(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            chain = "".join(f"<r{i}> = <r{i + 1}>;\n" for i in range(5000))
            thing = {
                "title": "t",
                "properties": {f"p{i}": {"type": "integer", "forms": [{"href": f"mqtt://x/{i}"}]} for i in range(3000)},
            }
            for file, content, told in (
                ("chain.jsgf", f"#JSGF V1.0;\ngrammar g;\npublic <g> = <r0>;\n{chain}<r5000> = lamp on;\n", "too deep"),
                ("thing.json", json.dumps(thing), "3,000 properties and actions, more than 1,000"),
                ("rows.csv", "phrase,reply\n" + "go on,yes\n" * 20_000, "more than 10,000"),
            ):
                (folder / file).write_text(content)
                code, _, err = run("import", "marigold", str(folder / file))
                self.assertEqual((code, told in err), (2, True), err[-300:])
            (folder / "house.toml").write_text(f'[house]\nname = "x"\n{".".join(["a"] * 5000)} = 1\n')
            code, _, err = run("check", str(folder))
            self.assertEqual((code, "nested too deep" in err), (2, True), err[-300:])

    def test_an_input_that_is_closed_is_an_empty_one(self) -> None:
        for call in (("talk", "marigold"), ("listen", "marigold", "--dry-run", "--no-log")):
            done = subprocess.run(
                f"exec {sys.executable} -m glossa {' '.join(call)} <&-", shell=True, capture_output=True, timeout=60
            )
            self.assertEqual((done.returncode, b"Traceback" in done.stderr), (0, False), done.stderr)

    def test_an_interrupt_while_it_starts_ends_it_quietly(self) -> None:
        for wait in (0.1, 0.3):
            call = [
                sys.executable,
                "-c",
                "import sys, glossa.__main__ as m; print(1, flush=True); sys.argv = ['glossa', 'talk', 'marigold']; m.main()",
            ]
            process = subprocess.Popen(call, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE)
            assert process.stdout is not None
            process.stdout.readline()
            time.sleep(wait)
            process.send_signal(signal.SIGINT)
            _, err = process.communicate(timeout=60)
            self.assertEqual((process.returncode in (0, 130), b"Traceback" in err), (True, False), err)

    def test_wrong_calls(self) -> None:
        for arguments, expected in (
            (("say", "nowhere", "x"), "there is no such file or folder"),
            (("say", "marigold", "x", "--mode", "steerin"), "did you mean 'steering'?"),
            (("say", "marigold", "x", "--language", "fr"), "The house speaks en, not 'fr'"),
            (("sya",), "did you mean 'say'?"),
            (("say",), "Missing argument 'HOUSE'"),
            (("numbers", "x", "--language", "xx"), "no word lists for 'xx'"),
        ):
            with self.subTest(arguments):
                code, _, err = run(*arguments)
                self.assertEqual(code, 2)
                self.assertIn(expected, err)
                self.assertNotIn("Traceback", err)


class Tables(unittest.TestCase):
    def test_exit_codes_and_what_is_shown(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "t.csv"
            table.write_text(
                "utterance,outcome,intent,note\ngalley lamp on,,switch,fine\ngalley lamp on,reject,,bad\nlamp,,nothing,odd\n"
            )
            code, out, _ = run("test", "marigold", str(table))
            self.assertEqual(code, 1)
            for part in ("t.csv:3  galley lamp on", "outcome: accept, not reject", "1 of 3 rows right", "there is no 'nothing'"):
                self.assertIn(part, out)
            self.assertEqual(run("test", "marigold", str(table), "--note", "fine")[0], 0)
            code, out, _ = run("test", "marigold", str(table), "--json")
            self.assertEqual([json.loads(line)["right"] for line in out.splitlines()], [True, False, False])
            table.write_text("utterance\n")
            self.assertEqual(run("test", "marigold", str(table))[0], 2)
            self.assertEqual(run("test", folder)[0], 2)


class Starting(unittest.TestCase):
    def test_a_new_house_works_and_is_never_overwritten(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            home = str(Path(folder) / "home")
            self.assertEqual(run("new", home)[0], 0)
            self.assertEqual((run("check", home)[0], run("test", home)[0]), (0, 0))
            house = Path(home) / "house.toml"
            house.write_text("mine")
            code, _, err = run("new", home)
            self.assertEqual((code, house.read_text()), (2, "mine"))
            self.assertIn("is there already", err)

    def test_a_picture_that_cannot_be_drawn_is_refused_first(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for name, problem in (("a.xyz", "does not end in .png"), ("none/a.png", "there is no folder")):
                code, out, err = run("say", "marigold", "ahoy barnacle lamp on", "--picture", str(Path(folder) / name))
                self.assertEqual((code, out), (2, ""))
                self.assertIn(problem, err)

    def test_check_lists_everything(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            house = Path(folder) / "house.toml"
            house.write_text(
                '[house]\nname = "X"\nlangages = ["en"]\n[devices.a]\nkind = "lam"\nnames = ["a (b"]\n[kinds.lamp]\n'
            )
            code, _, err = run("check", folder)
            self.assertEqual(code, 2)
            for part in (
                "house.toml:3",
                "did you mean 'languages'?",
                "house.toml:5",
                "did you mean 'lamp'?",
                "'(' is not closed",
                "3 problems",
            ):
                self.assertIn(part, err)
            code, out, _ = run("check", folder, "--json")
            self.assertEqual((code, json.loads(out)[0]["line"]), (2, 3))

    def test_every_command_has_help_with_an_example(self) -> None:
        for name in COMMANDS:
            code, out, _ = run(name, "--help")
            self.assertEqual(code, 0)
            self.assertRegex(out, rf"Examples?:\n(.*\n)?  +.*glossa {name}")

    def test_talk_and_demo(self) -> None:
        typed = b"0 ahoy barnacle\n2 lamp off\n4 the reading lamp\n/state\n/why\nnow x\n99 lamp off\n"
        code, out, _ = run("talk", "marigold", "--at", typed=typed)
        self.assertEqual(code, 0)
        for part in ("Which one:", "reading_lamp/power/set 0", "is no time", "asleep"):
            self.assertIn(part, out)
        code, out, _ = run("demo")
        self.assertEqual(code, 0, out)
        for part in ("An evening aboard the Marigold", "rows right", "You have the helm"):
            self.assertIn(part, out)

    def test_numbers(self) -> None:
        _, out, _ = run("numbers", "half an hour", "fifty no sixty", "nothing", "--json")
        found = [json.loads(line)["numbers"] for line in out.splitlines()]
        self.assertEqual([[(n["value"], n["unit"]) for n in row] for row in found], [[(1800, "seconds")], [(60, "")], []])
        self.assertIn("strung together", run("numbers", "one twenty")[1])


if __name__ == "__main__":
    unittest.main()
