"""The documentation: what is made in it is as it would be made now, what it shows runs, and what it lists is all there is."""

from __future__ import annotations

import io
import json
import os
import re
import runpy
import sys
import tempfile
import tomllib
import unittest
from collections.abc import Iterator
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from unittest.mock import patch

import click
import jsonschema
import msgspec

import docs
import glossa
from glossa.cli.main import COMMANDS, cli
from glossa.house.problems import Problem
from glossa.house.schema import SECTIONS, TABLES
from glossa.live.records import KINDS
from glossa.reference import house_schema, topics
from glossa.reference.keys import FREE, TYPED
from glossa.trials import Result
from glossa.trials.findings import Finding, findings
from glossa.trials.table import COLUMNS, OUTCOMES
from shell import call as run
from shell import run_line
from tests import ROOT, shared

DOCS = ROOT / "docs"
ENDLESS = re.compile("glossa (household|listen|watch)|--every|--live" + ("" if shared.PROOF else "|(stress|tune) marigold"))
ENDLESS_SECONDS = 0.7
"""How long an example of the help that goes on by itself, or takes long, runs before it gets Ctrl-C."""
MOST_SECONDS = 60.0
STOPPED = 130
"""The exit code after Ctrl-C."""


def listed(page: str, table: str) -> set[str]:
    """The names in the first column of the table below a mark."""
    text = (DOCS / page).read_text(encoding="utf-8")
    rows = text.split(f"<!-- {table} -->\n", 1)[1].split("\n\n", 1)[0].splitlines()[2:]
    return {name for row in rows for name in re.findall(r"`(\w+)`", row.split(" | ")[0])}


class Made(unittest.TestCase):
    def test_every_page_is_as_it_would_be_made_now(self) -> None:
        for name in docs.every_page():
            with self.subTest(name):
                self.assertEqual((ROOT / name).read_text(encoding="utf-8"), docs.made(name), "python scripts/docs.py writes it")

    def test_what_pages_list_is_all_there_is(self) -> None:
        house = glossa.load_house("marigold")
        talk = glossa.Conversation(house)
        talk.hear("ahoy barnacle", at=0.0)
        event = talk.hear("galley lamp on and the radio to ten", at=1.0)
        match = glossa.Matcher(house).match("galley lamp on")
        explained = match.explain()
        result = json.loads(run("test", "marigold", "--json")[1].splitlines()[0])
        everything = {
            ("tables.md", "columns"): set(COLUMNS),
            ("tables.md", "outcomes"): set(OUTCOMES),
            ("json.md", "event"): set(event.plain()),
            ("json.md", "explain"): set(explained),
            ("json.md", "reading"): set(explained["readings"][0]),  # type: ignore[index]
            ("json.md", "test"): set(result) - set(event.plain()),
            ("json.md", "problem"): set(Problem.__struct_fields__),
            ("json.md", "finding"): set(Finding.__struct_fields__),
            ("json.md", "records"): set(KINDS),
            ("json.md", "every"): set(json.loads(run("stress", "dinghy", "--every", "--seconds", "1", "--json")[1])),
            ("python.md", "names"): set(glossa.__all__) - {"__version__"},
        }
        for (page, table), names in everything.items():
            with self.subTest(page=page, table=table):
                self.assertEqual(listed(page, table), names)

    def test_links_lead_somewhere(self) -> None:
        for page in (*DOCS.glob("*.md"), ROOT / "README.md", ROOT / "CONTRIBUTING.md"):
            for target in re.findall(r"\]\(([^)#]+)(?:#[^)]*)?\)", page.read_text(encoding="utf-8")):
                with self.subTest(page=page.name, target=target):
                    self.assertTrue(target.startswith("http") or (page.parent / target).exists())


class Cookbook(unittest.TestCase):
    def test_every_recipe_passes_its_rows(self) -> None:
        text = (DOCS / "cookbook.md").read_text(encoding="utf-8")
        with tempfile.TemporaryDirectory() as folder:
            for name, body in re.findall(r"<!-- file: (\S+) -->\n```\w+\n(.*?)^```$", text, re.DOTALL | re.MULTILINE):
                file = Path(folder) / name
                file.parent.mkdir(parents=True, exist_ok=True)
                file.write_text(body, encoding="utf-8")
            recipes = sorted(Path(folder).iterdir())
            self.assertGreaterEqual(len(recipes), 25)
            for recipe in recipes:
                house = glossa.load_house(recipe)
                rows = glossa.read_table((recipe / "tests" / "rows.csv").read_text(encoding="utf-8"), "rows.csv", house)
                with self.subTest(house.name):
                    wrong: list[Result] = [r for r in glossa.run_table(house, rows) if not r.right]
                    self.assertEqual([(r.row.utterance, r.wrong) for r in wrong], [])
                    self.assertEqual(findings(house, rows=rows), [])


class Examples(unittest.TestCase):
    def test_every_program_runs_and_prints_something(self) -> None:
        programs = sorted((ROOT / "examples").glob("[0-9]*.py"))
        self.assertEqual(len(programs), 10)
        listed = (ROOT / "examples" / "README.md").read_text(encoding="utf-8")
        for program in programs:
            with self.subTest(program.name):
                out, err = io.StringIO(), io.StringIO()
                with redirect_stdout(out), redirect_stderr(err), patch.object(sys, "argv", [str(program)]):
                    runpy.run_path(str(program), run_name="__main__")
                self.assertEqual(err.getvalue(), "")
                self.assertGreater(len(out.getvalue().splitlines()), 2)
                self.assertLess(len(program.read_text(encoding="utf-8").splitlines()), 60)
                self.assertIn(program.name, listed)


class Reference(unittest.TestCase):
    def test_every_example_of_a_key_is_a_line_of_a_house(self) -> None:
        shapes = {**SECTIONS, **TABLES}
        from glossa.reference.keys import SHAPES

        for topic in topics():
            self.assertEqual(bool(topic.keys) or topic.section in FREE or topic.section == "slots", True, topic.section)
            for key in topic.keys:
                with self.subTest(key.path):
                    written = tomllib.loads(key.example)
                    shapes_of = {f.name: f.type for f in msgspec.structs.fields(SHAPES[topic.section])}
                    if key.name == "type" and topic.section in TYPED:
                        self.assertIn(written["type"], TYPED[topic.section]())
                    else:
                        msgspec.convert(written[key.name], shapes_of[key.name], strict=True)
        self.assertEqual({t.section for t in topics()} & set(shapes), set(shapes))

    def test_the_schema_takes_the_samples_and_knows_every_key(self) -> None:
        schema = house_schema()
        self.assertEqual(set(schema["properties"]), {*SECTIONS, *TABLES})
        described = [p for part in schema["$defs"].values() for p in part["properties"].values()]
        self.assertTrue(all(p.get("description") for p in described))
        for sample in ("marigold", "dinghy", "horno", "schleuse"):
            house = tomllib.loads((ROOT / "src/glossa/samples" / sample / "house.toml").read_text(encoding="utf-8"))
            jsonschema.validate(house, schema)
        house["kinds"][next(iter(house["kinds"]))]["noun"] = "oven"
        with self.assertRaises(jsonschema.ValidationError):
            jsonschema.validate(house, schema)

    def test_show(self) -> None:
        self.assertIn("0, 255", run("show", "key", "kinds.lamp.properties.level.raw")[1])
        self.assertIn("[x] may be left out", run("show", "key", "intents")[1], "what stands in brackets is no mark-up")
        code, _, told = run("show", "key", "minimun")
        self.assertEqual((code, "did you mean 'minimum'" in told), (2, True))
        self.assertEqual(json.loads(run("show", "schema")[1]), house_schema())
        self.assertEqual(run("show", "language")[1].split(), ["de", "en", "es", "fr"])
        self.assertIn("_GLOSSA_COMPLETE", run("show", "completion", "fish")[1])

    def test_every_example_of_the_help_runs_as_it_stands(self) -> None:
        lines = [line for name in COMMANDS for line in self.examples(cli.get_command(click.Context(cli), name))]
        self.assertGreater(len(lines), 40)
        stubs = {
            "my-recogniser": "yes good night | head -5",
            "recogniser": "echo ahoy barnacle; echo galley lamp on",
            "speak": "cat > /dev/null",
        }
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            for stub, body in stubs.items():
                (folder / stub).write_text(f"#!/bin/sh\n{body}\n", encoding="utf-8")
                (folder / stub).chmod(0o755)
            (folder / ".config/fish/completions").mkdir(parents=True)
            (folder / "talk.txt").write_text("nice weather\n", encoding="utf-8")
            (folder / "heard.txt").write_text("desk clamp on\n", encoding="utf-8")
            (folder / "phrases.abnf").write_text("#ABNF 1.0;\npublic $tea = make tea;\n", encoding="utf-8")
            (folder / "codes.csv").write_text("Spoken;Code\nthree cheers;CHEER 3\n", encoding="utf-8")
            for thing in ("lamp", "heater"):
                power = {"type": "boolean", "forms": [{"href": f"mqtt://127.0.0.1/{thing}/set", "op": "writeproperty"}]}
                text = json.dumps({"title": f"Blue {thing}", "properties": {"power": power}})
                (folder / f"{thing}.td.json").write_text(text, encoding="utf-8")
            variables = {"PATH": f"{folder}:{os.environ['PATH']}", "HOME": name}
            for line in lines:
                with self.subTest(line):
                    seconds = ENDLESS_SECONDS if ENDLESS.search(line) else MOST_SECONDS
                    code, printed = run_line(line, folder, variables, b"good night\n" * 3, seconds)
                    unreachable = "send" in line and re.search("refused|No such file", printed)
                    self.assertTrue(code in (0, STOPPED) or unreachable, printed)

    def examples(self, command: click.Command | None) -> Iterator[str]:
        """The lines of a command's help that are to be typed."""
        assert command is not None
        for line in (command.help or "").splitlines():
            if found := re.match(r"  +((?:glossa|printf|my-recogniser|recogniser) .*)", line):
                yield re.split("  +", found[1])[0]
        for inner in command.commands.values() if isinstance(command, click.Group) else ():
            yield from self.examples(inner)

    def test_the_help_has_every_command_in_the_order_of_the_work(self) -> None:
        text = run("--help")[1]
        places = [text.index(f"\n  {name} ") for name in COMMANDS]
        self.assertEqual(places, sorted(places))
        self.assertLessEqual(len(COMMANDS), 21)


if __name__ == "__main__":
    unittest.main()
