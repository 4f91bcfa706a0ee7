"""What goes out to other notations and what comes in from them, on every house that there is."""

import json
import os
import signal
import subprocess
import sys
import tempfile
import tomllib
import unittest
from pathlib import Path

import glossa
from glossa.exchange.abnf import read_abnf
from glossa.exchange.from_things import read_things
from glossa.exchange.pls import from_ipa, read_pls, respellings, write_pls
from glossa.exchange.rules import accepts, likeliest
from glossa.exchange.teaching import teaching_plan
from glossa.exchange.to_things import things_of
from glossa.house.codes import read_codes
from glossa.language.phones import phones
from shell import call as run
from tests import shared

EVERY_NUMBER = 1_000
"""Ranges with at most so many numbers are listed whole."""


class Grammars(unittest.TestCase):
    def test_the_likeliest_come_first(self) -> None:
        grammar, _ = read_abnf("#ABNF 1.0;\nroot $a;\n$a = (/3/ up | /1/ down) [now] | $GARBAGE<0-1> stop;\n")
        found = likeliest(grammar, "a", 10)
        self.assertEqual([" ".join(s.words) for s in found][:3], ["stop", "something whatever stop", "up"])
        self.assertEqual([s.cost for s in found], sorted(s.cost for s in found))
        self.assertEqual(
            [accepts(grammar, t.split()) for t in ("UP now", "now up", "any old thing stop", "")], [True, False, True, False]
        )

    def test_what_a_house_exports_is_all_there_already(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for form in ("jsgf", "abnf", "grxml"):
                path = Path(folder) / f"own.{form}"
                self.assertEqual(run("export", "marigold", "--form", form, "--output", str(path))[0], 0)
                code, out, err = run("import", "marigold", str(path))
                self.assertEqual((code, "nothing to add" in out + err), (0, True), (form, out[-300:]))

    def test_lists_and_what_a_wrong_call_says(self) -> None:
        code, out, _ = run("export", "marigold", "--form", "sentences", "--most", "40")
        self.assertEqual((code, len(out.splitlines()), len(set(out.splitlines()))), (0, 40, 40))
        words = run("export", "horno", "--form", "words", "--language", "es")[1].split()
        self.assertIn("salón", words, "with its accent")
        self.assertEqual(words, sorted(words, key=lambda w: (w.casefold(), w)))
        for arguments in (
            ("marigold", "--form", "abn"),
            ("marigold", "--form", "abnf", "--language", "de"),
            ("dinghy", "--form", "jsgf", "--mode", "tow"),
            ("marigold", "--form", "teaching"),
        ):
            self.assertEqual(run("export", *arguments)[0], 2, arguments)
        with tempfile.TemporaryDirectory() as folder:
            house = Path(folder) / "home" / "house.toml"
            self.assertEqual(run("new", str(house.parent))[0], 0)
            before = house.read_bytes()
            for form in ("abnf", "words", "teaching"):
                self.assertEqual(run("export", str(house), "--form", form, "--output", str(house))[0], 2, form)
            self.assertEqual(house.read_bytes(), before, "a house file is never written over")
        self.assertIn("towing", run("export", "dinghy", "--form", "jsgf", "--mode", "tow")[2])


class In(unittest.TestCase):
    """What is taken over into a house file."""

    ORDER = """#ABNF 1.0 UTF-8;
language en-GB; mode voice; root $order; tag-format <semantics/1.0-literals>;
/** what one may order */
public $order = [$polite] ($make | $light {lighting}) [please];   // with manners
$polite = could you | please;
$make = make $drink [with (milk | sugar)];
$drink = tea {tea} | black coffee {coffee} | "hot water" {water};
$light = [the] $lamp (on {on} | off {off});
$lamp = desk lamp | hall lamp;
$spare = never;
"""

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.assertEqual(run("new", str(self.folder / "home"))[0], 0)
        self.house = self.folder / "home" / "house.toml"
        self.before = self.house.read_text()

    def take(self, name: str, content: str | bytes, *arguments: str, code: int = 0) -> str:
        path = self.folder / name
        path.write_bytes(content.encode() if isinstance(content, str) else content)
        got, out, err = run("import", str(self.house), str(path), *arguments)
        self.assertEqual(got, code, out + err)
        return out + err

    def test_a_grammar_becomes_intents_slots_and_alternatives(self) -> None:
        told = self.take("order.abnf", self.ORDER)
        self.assertIn("order.abnf:10: left out: $spare", told)
        self.assertIn("not written", told)
        self.assertEqual(self.house.read_text(), self.before)
        self.take("order.abnf", self.ORDER, "--write")
        text = self.house.read_text()
        self.assertTrue(text.startswith(self.before.rstrip("\n")), "comments and order stay")
        house = glossa.load_house(self.house)
        self.assertEqual(
            [p.text for p in house.intents["make"].phrases[""]],
            ["[could you | please] make $drink [with (milk | sugar)] [please]"],
        )
        self.assertEqual(
            [p.text for p in house.intents["lighting"].phrases[""]],
            ["[could you | please] [the] $device $power [please]"],
        )
        match = glossa.Matcher(house).match("could you make hot water with milk please")
        self.assertEqual((match.outcome, match.best and match.best.slots), ("accept", {"drink": "water"}))
        self.assertIn("2 things there already", self.take("order.abnf", self.ORDER, "--write"))

    def test_a_grammar_of_ones_own_adds_nothing_and_no_answers(self) -> None:
        for form in ("abnf", "grxml", "jsgf"):
            path = self.folder / f"own.{form}"
            self.assertEqual(run("export", str(self.house), "--form", form, "--output", str(path))[0], 0)
            self.assertIn("nothing to add", self.take(path.name, path.read_bytes(), "--write"))
        self.assertEqual(self.house.read_text(), self.before)

    def test_the_examples_that_the_recommendation_prints(self) -> None:
        people = """#ABNF 1.0 ISO-8859-1;
// Default grammar language is US English
language en-US;
// Single language attachment to tokens
$yes = yes | oui!fr-CA;
// Single language attachment to an expansion
$people1 = (Michel Tremblay | Andr\xe9 Roy)!fr-CA;
$people2 = Jose!en-US | Jose!es-MX;
/**
 * Multi-lingual input possible
 * @example may I speak to Andr\xe9 Roy
 */
public $request = may I speak to ($people1 | $people2);
"""
        grammar, wrong = read_abnf(people)
        self.assertEqual((wrong, grammar.starts, grammar.rules["request"].line), ([], ("request",), 13))
        self.assertTrue(accepts(grammar, ["may", "I", "speak", "to", "André", "Roy"]))
        told = self.take("people.abnf", people.encode("latin-1"))
        self.assertIn("Andr\xe9 Roy", told)
        self.assertIn("people.abnf:7: left out: $people1: the language 'fr-CA' of some words", told)
        commands = """<?xml version="1.0" encoding="UTF-8"?>
<!DOCTYPE grammar PUBLIC "-//W3C//DTD GRAMMAR 1.0//EN" "http://www.w3.org/TR/speech-grammar/grammar.dtd">
<grammar xmlns="http://www.w3.org/2001/06/grammar" xml:lang="en" version="1.0" mode="voice" root="basicCmd">
<meta name="author" content="somebody"/>
<rule id="basicCmd" scope="public">
  <example> please move the window </example>
  <ruleref uri="http://grammar.example.com/politeness.grxml#startPolite"/>
  <ruleref uri="#command"/>
</rule>
<rule id="command"> <ruleref uri="#action"/> <ruleref uri="#object"/> </rule>
<rule id="action">
   <one-of>
      <item weight="10"> open   <tag>TAG-CONTENT-1</tag> </item>
      <item weight="2">  close  <tag>TAG-CONTENT-2</tag> </item>
      <item weight="1">  delete <tag>TAG-CONTENT-3</tag> </item>
    </one-of>
</rule>
<rule id="object">
  <item repeat="0-1"> <one-of> <item>the</item> <item>a</item> </one-of> </item>
  <one-of> <item>window</item> <item>file</item> <item>menu</item> </one-of>
</rule>
</grammar>
"""
        told = self.take("commands.grxml", commands, code=2)
        self.assertIn(
            "commands.grxml:7: the rule 'http://grammar.example.com/politeness.grxml#startPolite' is not in this file", told
        )
        local = commands.replace('  <ruleref uri="http://grammar.example.com/politeness.grxml#startPolite"/>\n', "")
        told = self.take("commands.grxml", local)
        self.assertIn("$action [the | a] (window | file | menu)", told)
        self.assertIn('spoken = {tag_content_1 = ["open"]', told)
        scripts = (
            local.replace("TAG-CONTENT-1", "out = 'opened';")
            .replace("TAG-CONTENT-2", "out.x = f(y);")
            .replace("root=", 'tag-format="semantics/1.0" root=')
        )
        self.assertIn("the tag 'out.x = f(y);', which is a script", self.take("commands.grxml", scripts))
        repeats, wrong = read_abnf(
            '#ABNF 1.0;\n$digit = (one | two);\n$pin = $digit <4>;\n$very = [very <1-3 /0.6/>] big;\n$any = call $GARBAGE "New York" [<0-1>];\n'
        )
        self.assertEqual((sorted(repeats.rules), [p.line for p in wrong]), (["any", "digit", "pin", "very"], [5]))

    def test_jsgf_with_weights_tags_and_endless_repeats(self) -> None:
        text = "#JSGF V1.0 ISO8859-1 en;\ngrammar com.example.tea;\nimport <com.example.polite.*>;\n"
        self.assertIn(
            "jsgf:3: <com.example.polite.*> is of another grammar", self.take("tea.jsgf", text + "public <a> = tea;\n", code=2)
        )
        text = (
            text.replace("import <com.example.polite.*>;\n", "")
            + 'public <brew> = (brew | make) [a] (pot | cup)* of (/10/ tea | /2.5e0/ "green tea" {g\\}1});\n'
        )
        told = self.take("tea.jsgf", text, "--write")
        self.assertIn("tea.jsgf:3: left out: $brew: what is repeated more than 3 times", told)
        self.assertEqual(glossa.Matcher(glossa.load_house(self.house)).match("brew a pot of green tea").outcome, "accept")

    def test_tagged_numbers_become_slots_with_units(self) -> None:
        text = "#JSGF V1.0;\npublic <water> = water the (roses {roses} | lawn {lawn}) [<time>];\n<time> = for (five {5} | ten {10}) minutes;\n"
        self.take("garden.jsgf", text, "--write")
        house = glossa.load_house(self.house)
        self.assertEqual([p.text for p in house.intents["water"].phrases[""]], ["water the $water [for $time]"])
        match = glossa.Matcher(house).match("water the lawn for ten minutes please")
        self.assertEqual((match.outcome, match.best and dict(match.best.slots)), ("accept", {"water": "lawn", "time": 10}))

    def test_lexicons(self) -> None:
        house = glossa.load_house("marigold")
        lexemes, tag, wrong = read_pls(write_pls(house).encode())
        self.assertEqual((tag, wrong), ("en", []))
        for lexeme in lexemes[:200]:
            for ipa in lexeme.phonemes:
                self.assertEqual(from_ipa(ipa), phones(lexeme.graphemes[0].lower().replace("'", "")))
        self.assertEqual(respellings(lexemes, "en")[0], {}, "a word that reads as it is said needs no respelling")
        text = '<lexicon version="1.0" xmlns="http://www.w3.org/2005/01/pronunciation-lexicon" alphabet="ipa" xml:lang="en-GB">%s</lexicon>'
        entries = "<lexeme><grapheme>Siobhan</grapheme><phoneme>ʃɪˈvɔːn</phoneme></lexeme><lexeme><grapheme>quay</grapheme><alias>key</alias></lexeme>"
        self.take("l.pls", text % (entries + "<lexeme><grapheme>quay wall</grapheme><alias>key wall</alias></lexeme>"), "--write")
        sounds = tomllib.loads(self.house.read_text())["sounds"]
        self.assertEqual((phones(sounds["Siobhan"]), sounds["quay"]), (("SH", "IH", "V", "AO", "N"), "key"))

    def test_a_table_with_columns_of_its_own(self) -> None:
        table = '\ufeffBefehl;Kode;Anmerkung\r\nthree cheers;CHEER 3;x\r\n"play; maestro";PLAY;\r\n'
        self.assertIn("Write --columns phrase=NAME", self.take("codes.csv", table, code=2))
        self.assertIn("no column 'Codes'", self.take("codes.csv", table, "--columns", "phrase=Befehl,text=Codes", code=2))
        self.take("codes.csv", table, "--columns", "phrase=Befehl,text=Kode", "--write")
        self.assertIn('name = "My home"\ntables = ["codes.csv"]\n', self.house.read_text())
        code, out, _ = run("say", str(self.house), "play maestro", "--json")
        self.assertEqual((code, json.loads(out)["commands"]), (0, ['home "PLAY"']))

    def test_nothing_is_written_of_what_is_broken(self) -> None:
        xml = '<grammar root="r" xmlns="http://www.w3.org/2001/06/grammar"><rule id="r">%s</rule></grammar>'
        lines = "#ABNF 1.0;\nroot $a;\n"
        (self.folder / "plain.abnf").write_text("#ABNF 1.0;\n$a = hello there;\n")
        broken: dict[str, tuple[str | bytes, str]] = {
            "circle.abnf": (f"{lines}$a = hello $b;\n$b = you $a;\n", "circle.abnf:3: the rule holds itself: $a > $b > $a"),
            "none.abnf": (f"{lines}$a = hello\n  $b;\n", "none.abnf:3: $a names the rule $b"),
            "twice.abnf": (f"{lines}$a = x;\n$a = y;\n$c = (open ;\nlanguage en", "twice.abnf:6: no ';' ends this"),
            "deep.abnf": (f"{lines}$a = {'(' * 500_000}x{')' * 500_000};\n", "nested more than 60 deep"),
            "many.abnf": (
                f"{lines}$b = one two | three four | five six | a b | c d;\n$a = {'$b ' * 7};\n",
                "more than 10,000 sequences",
            ),
            "huge.abnf": (lines + "x" * 6_000_000, "more than 5 MB"),
            "keys.abnf": ("#ABNF 1.0;\nmode dtmf;\n$a = 1;\n", "not for speech"),
            "french.abnf": ("#ABNF 1.0;\nlanguage fr;\n$a = allume;\n", "give it with --language"),
            "bytes.abnf": (b"#ABNF 1.0;\n$a = \xff;\n", "no text in UTF-8"),
            "laughs.xml": ('<!DOCTYPE g [<!ENTITY a "ha"><!ENTITY b "&a;&a;">]>' + xml % "&b;", "declares entities"),
            "file.xml": ('<!DOCTYPE g [<!ENTITY x SYSTEM "file:///etc/hostname">]>' + xml % "&x;", "declares entities"),
            "deep.xml": (xml % ("<item>" * 100_000 + "x" + "</item>" * 100_000), "nested more than 256 deep"),
            "cut.xml": (xml[:60], "not XML that can be read"),
            "odd.xml": (xml % '<item repeat="3-1">x</item><p/><ruleref special="WHAT"/>', '"3-1" is no range'),
            "other.xml": ("<html/>", "neither a <grammar> nor a <lexicon>"),
            "alphabet.pls": (
                '<lexicon alphabet="x"><lexeme><grapheme>a</grapheme><phoneme>A</phoneme></lexeme><lexeme/></lexicon>',
                "write ipa",
            ),
            "half.jsgf": ("#JSGF V1.0;\npublic <a> = (open;\n<a> tea;\n", "half.jsgf:3: this is no rule"),
            "deep.json": ("[" * 500_000, "nested too deep"),
            "coap.json": (
                '{"title":"Toaster","actions":{"eject":{"forms":[{"href":"coap://x/y"}]}}}',
                "Toaster, forms: there is no form",
            ),
            "empty.json": ("{}", "a JSON object with a 'title'"),
            "plain.txt": ("hello", "in no notation that is known here"),
        }
        for name, (content, told) in broken.items():
            with self.subTest(name):
                self.assertIn(told, self.take(name, content, "--write", code=2))
        self.assertEqual(run("import", str(self.house), str(self.folder / "missing.abnf"))[0], 2)
        self.assertEqual(run("import", str(self.house), str(self.folder / "circle.abnf"), "--columns", "phrase")[0], 2)
        self.assertIn("is a sample house", run("import", "marigold", str(self.folder / "plain.abnf"), "--write")[2])
        self.assertEqual(self.house.read_text(), self.before)
        self.assertEqual([p.name for p in self.house.parent.glob("*.bak*")], [])


LAMP = {
    "title": "Shelf Lamp",
    "titles": {"en": "Shelf Lamp", "es": "lámpara del estante"},
    "base": "mqtt://broker.example/lamps/shelf/",
    "properties": {
        "power": {"type": "boolean", "forms": [{"href": "power/set", "op": "writeproperty"}, {"href": "power", "op": "observeproperty"}]},
        "bri": {"title": "brightness", "type": "object", "properties": {"b": {"type": "integer", "minimum": 0, "maximum": 100, "unit": "percent"}, "t": {"const": 0.5}},
                "forms": [{"href": "bri/set", "op": ["writeproperty"]}]},
    },
}  # fmt: skip
HEATER = {
    "title": "Hall Heater",
    "securityDefinitions": {"b": {"scheme": "bearer"}},
    "security": ["b"],
    "properties": {
        "target": {"type": "number", "minimum": 5, "maximum": 30, "multipleOf": 0.5, "unit": "degree celsius", "forms": [{"href": "http://10.0.0.7/heater/target"}]},
        "mode": {"type": "string", "enum": ["comfort", "frost guard"], "forms": [{"href": "http://10.0.0.7/heater/mode", "htv:methodName": "POST"}]},
        "measured": {"type": "number", "readOnly": True, "forms": [{"href": "http://10.0.0.7/heater/now"}]},
    },
    "actions": {"boost": {"input": {"type": "integer", "minimum": 1, "maximum": 60, "unit": "minutes"}, "forms": [{"href": "http://10.0.0.7/heater/boost"}]}},
}  # fmt: skip


class Things(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def started(self, *things: object) -> tuple[Path, str]:
        names = []
        for number, thing in enumerate(things):
            names += ["--from", str(self.folder / f"{number}.td.json")]
            Path(names[-1]).write_text(json.dumps(thing))
        code, out, err = run("new", str(self.folder / "flat"), *names)
        self.assertEqual(code, 0, out + err)
        return self.folder / "flat", err

    def test_a_house_of_several(self) -> None:
        bench = json.loads(json.dumps(LAMP).replace("shelf", "bench").replace("Shelf", "Bench"))
        flat, told = self.started(LAMP, [HEATER, bench])
        self.assertIn("Hall Heater, properties.measured: it can only be asked for", told)
        house = glossa.load_house(flat)
        self.assertEqual(
            sorted(house.devices),
            ["bench_lamp", "hall_heater", "shelf_lamp"] if "shelf_lamp" in house.devices else ["bench", "hall_heater", "shelf"],
        )
        self.assertEqual(house.links["web"].options.token_env, "FLAT_WEB_TOKEN")  # type: ignore[attr-defined]
        conversation = glossa.Conversation(house)
        for said, sent in (
            ("turn the shelf lamp on", "broker lamps/shelf/power/set true"),
            ("bench lamp to forty percent", 'broker lamps/bench/bri/set {"b": 40, "t": 0.5}'),
            ("hall heater target to twenty one and a half", "web PUT /heater/target 21.5"),
            ("set the mode of the hall heater to frost guard", 'web POST /heater/mode "frost guard"'),
            ("boost the hall heater for ten minutes", "web POST /heater/boost 10"),
        ):
            event = conversation.hear(said)
            self.assertEqual((event.outcome, [str(c) for c in event.commands]), ("accept", [sent]), said)
        self.assertEqual(run("test", str(flat))[0], 0)
        self.assertEqual(run("new", str(flat), "--from", str(self.folder / "0.td.json"))[0], 1 + 1, "nothing is overwritten")

    def test_things_of_one_shape_share_a_kind(self) -> None:
        lamps = [
            json.loads(json.dumps(LAMP).replace("shelf", name).replace("Shelf", name.title())) for name in ("shelf", "bench")
        ]
        self.assertEqual(run("new", str(self.folder / "home"))[0], 0)
        (self.folder / "lamps.json").write_text(json.dumps(lamps))
        code, out, err = run("import", str(self.folder / "home"), str(self.folder / "lamps.json"), "--write")
        self.assertEqual(code, 0, out + err)
        house = glossa.load_house(self.folder / "home")
        shelf, bench = house.devices["shelf"], house.devices["bench"]
        self.assertEqual((shelf.kind, shelf.names[""]), (bench.kind, (("shelf", "lamp"),)))
        self.assertEqual((house.devices["desk_lamp"].link, shelf.link), ("home", "broker"))
        events = glossa.Conversation(house).hear("all the lamps off")
        self.assertEqual(
            [str(c).split()[1:] for c in events.commands],
            [
                ["my_home/desk_lamp/power/set", "0"],
                ["my_home/hall_lamp/power/set", "0"],
                ["lamps/shelf/power/set", "false"],
                ["lamps/bench/power/set", "false"],
            ],
        )
        self.assertIn("2 things there already", run("import", str(self.folder / "home"), str(self.folder / "lamps.json"))[2])

    def test_what_every_house_gives_out_is_read_again(self) -> None:
        for name in shared.some_houses():
            house = shared.house(name)
            things, _ = things_of(house)
            back, _ = read_things(json.dumps(things))
            self.assertEqual([t.title("") for t in back], [t["title"] for t in things], name)
            for thing, described in zip(back, things, strict=True):
                self.assertEqual({p.name for p in thing.properties} - set(described["properties"]), set(), name)
                for prop in thing.properties:
                    topic = dict(prop.write.wire).get("topic", "") if prop.write is not None else ""
                    self.assertNotIn("$house", str(topic))
        lamp = next(t for t in things_of(glossa.load_house("marigold"))[0] if t["title"] == "galley lamp")
        level = lamp["properties"]["level"]
        self.assertEqual(
            (level["minimum"], level["maximum"], level["forms"][0]["mqv:topic"]), (0, 255, "marigold/galley_lamp/level/set")
        )


class Teaching(unittest.TestCase):
    HOUSE = """
[house]
name = "Cellar"
[sources.module]
type = "serial"
port = "/dev/ttyUSB1"
code_bytes = 1
codes = "m.csv"
most = 6
group = 3
seconds = 1.2
[intents.lift]
phrases = ["lift up", "raise the lift"]
steps = []
[intents.wine]
phrases = ["fine wine", "find the wine"]
steps = []
[intents.line]
phrases = ["fine line"]
steps = []
[intents.long]
phrases = ["would you open the enormous iron cellar shutter"]
steps = []
[intents.door]
phrases = ["open the door"]
steps = []
"""

    def plan(self, table: str, **options: bool):  # type: ignore[no-untyped-def]
        house = glossa.house.read_house(self.HOUSE, {"m.csv": table})
        return teaching_plan(glossa.Matcher(house), house.sources["module"], **options)

    def test_similar_phrases_go_into_different_groups(self) -> None:
        plan = self.plan(
            "code,utterance\n10,fine wine\n20,fine line\n30,lift up\n40,open the door\n50,nonsense words\n60,would you open the enormous iron cellar shutter\nFF,\n"
        )
        place = {lesson.phrase: n for n, group in enumerate(plan.groups) for lesson in group.lessons}
        self.assertNotEqual(place["fine wine"], place["fine line"])
        self.assertEqual(
            [(p, why.split(",")[0]) for p, why in plan.left],
            [
                ("nonsense words", "the house does not understand it"),
                ("would you open the enormous iron cellar shutter", "it takes about 3.1 s"),
            ],
        )
        wrong: list[object] = []
        codes = read_codes(plan.table(), "m.csv", 1, wrong)  # type: ignore[arg-type]
        self.assertEqual((wrong, codes.phrases, codes.silent), ([], plan.phrases, ("FF",)))
        self.assertEqual(list(codes.utterances)[:4], ["10", "20", "30", "40"], "the module's places keep their codes")

    def test_an_empty_table_gets_every_intent_first(self) -> None:
        plan = self.plan("code,utterance\n")
        self.assertEqual(sorted(lesson.intent for g in plan.groups for lesson in g.lessons), ["door", "lift", "line", "wine"])
        self.assertTrue(all(not lesson.near for g in plan.groups for lesson in g.lessons))
        more = self.plan("code,utterance\n7F,lift up\n", more=True)
        self.assertEqual((more.phrases[0], len(set(more.phrases))), ("lift up", 4))
        self.assertEqual([lesson.code for g in more.groups for lesson in g.lessons][:3], ["7F", "80", "81"])

    def test_the_sheet_of_the_dinghy(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            table = Path(folder) / "module.csv"
            table.write_text("code,utterance\n01,old\n")
            code, out, err = run("export", "dinghy", "--form", "teaching", "--output", str(table))
            self.assertEqual(code, 0, err)
            self.assertIn("Group 2  live in the mode towing, loaded with D1 42", out)
            self.assertEqual(sorted(table.read_text().splitlines()[1:], key=lambda r: r[3:])[0], "06,")
            self.assertEqual((Path(folder) / "module.csv.bak").read_text(), "code,utterance\n01,old\n")
        self.assertIn("stands for nothing", run("say", "dinghy", "--source", "module", "06")[2])
        house = glossa.load_house("dinghy")
        self.assertEqual(len(house.sources["module"].codes.groups(12)[1]), 2)  # type: ignore[union-attr]


class Sources(unittest.TestCase):
    MODULE = """
import threading, time
from glossa.house.sources import CodedSource
from glossa.live import Ear


class DrumOptions(CodedSource, frozen=True):
    beats: int = 2


class Drum(Ear):
    Options = DrumOptions

    @classmethod
    def of(cls, options, told):
        made = cls()
        threading.Thread(target=made.beat, args=(options, told), daemon=True).start()
        return made

    def beat(self, options, told):
        told.changed(True, "")
        for _ in range(options.beats):
            told.heard(b"drum on")
            time.sleep(1)

    def close(self):
        pass
"""

    def test_an_entry_point_adds_a_source(self) -> None:
        text = '[house]\nname = "Band"\n[sources.drum]\ntype = "drum"\nbeats = 1\n[intents.drum]\nphrases = ["drum on"]\nsteps = [{ text = "D" }]\n'
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            (folder / "drums.py").write_text(self.MODULE)
            (folder / "house.toml").write_text(text)
            environment = os.environ | {"PYTHONPATH": name, "PYTHONUNBUFFERED": "1"}
            check = [sys.executable, "-m", "glossa", "check", "."]
            self.assertEqual(subprocess.run(check, cwd=name, env=environment, capture_output=True).returncode, 2)
            info = folder / "drums-1.0.dist-info"
            info.mkdir()
            (info / "METADATA").write_text("Metadata-Version: 2.1\nName: drums\nVersion: 1.0\n")
            (info / "entry_points.txt").write_text("[glossa.sources]\ndrum = drums:Drum\n")
            listening = subprocess.Popen(
                [*check[:3], "listen", ".", "--no-log"], cwd=name, env=environment, stdout=subprocess.PIPE, encoding="utf-8"
            )
            assert listening.stdout is not None
            lines = []
            for line in listening.stdout:
                lines.append(line)
                if "sent" in line:
                    listening.send_signal(signal.SIGTERM)
            listening.stdout.close()
            listening.wait(10)
            self.assertIn('simulated "D"', "".join(lines))
            (folder / "house.toml").write_text(text.replace("beats", "beat"))
            done = subprocess.run(check, cwd=name, env=environment, capture_output=True, encoding="utf-8")
            self.assertIn("a drum source has no 'beat'", done.stderr)


if __name__ == "__main__":
    unittest.main()
