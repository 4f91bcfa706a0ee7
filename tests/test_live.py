"""A live house in virtual time: what is heard, what is sent, when, how often, and what is said about it."""

import contextlib
import csv
import json
import os
import pydoc
import sqlite3
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from hypothesis import given
from hypothesis import strategies as st

import glossa
from glossa.commands.states import States
from glossa.conversation.secrecy import Secrecy
from glossa.house import read_house
from glossa.house.links import SerialOptions
from glossa.links import Declined, Unanswered
from glossa.links.frames import MOST_BYTES, Frames
from glossa.live import Record, read_heard
from glossa.live.before import before
from glossa.live.log import EventLog, read_log
from glossa.live.places import PlaceError, read_place
from glossa.live.replay import replay
from glossa.live.throttle import Throttle
from shell import call as run
from tests.virtual import MARIGOLD, MATCHER, World, soak


class Hearing(unittest.TestCase):
    def test_text_and_json_in_all_their_forms(self) -> None:
        for sent, text, rest in (
            (b"galley lamp on\r\n", "galley lamp on", {}),
            (b"\xef\xbb\xbflamp on", "lamp on", {}),
            ("lámpara 75%", "lámpara 75%", {}),
            ('{"text": " lamp on ", "confidence": 1.7, "language": "en-GB"}', "lamp on", {"confidence": 1.0, "language": "en-GB"}),
            ('{"text": "lamp", "final": false}', "lamp", {"final": False}),
            ('{"text": "lamp", "time": "2026-01-01T00:00:00Z"}', "lamp", {"time": 1767225600.0}),
            ('{"text": "lamp", "time": 1767225600000}', "lamp", {"time": 1767225600.0}),
            ('{"alternatives": ["a", {"text": "b", "confidence": 0.5}]}', "a", {"alternatives": (("a", 1.0), ("b", 0.5))}),
            ('{"text": "a", "confidence": 0.9, "alternatives": [{"text": "a", "confidence": 0.9}, {"text": "b"}]}', "a",
             {"alternatives": (("a", 0.9), ("b", 0.9))}),
            ('{"error": {"message": "no microphone"}}', "", {"error": "no microphone"}),
        ):  # fmt: skip
            with self.subTest(sent):
                heard = read_heard(sent)
                self.assertEqual((heard.text, heard.problem), (text, ""))
                self.assertEqual({k: getattr(heard, k) for k in rest}, rest)

    def test_what_is_no_utterance_says_so(self) -> None:
        deep = '{"text": ' + "[" * 30_000 + "]" * 30_000 + "}"
        for sent, why in (
            (b"\x00\x01\x02beep", "noise"), (b"x" * 10_000_000, "longer than"), ('{"text": "lamp on"', "not JSON"), ('{"a": 1}', "without 'text'"),
            (deep, "JSON"), ('{"x": ' * 9000 + "1" + "}" * 9000, "JSON"), ('{"text": "a", "time": "noon"}', "no time"), ('{"text": {}}', "wrong JSON"),
        ):  # fmt: skip
            with self.subTest(str(sent[:20])):
                heard = read_heard(sent)
                self.assertIn(why, heard.problem)
                self.assertLessEqual(len(heard.text), 200)

    @given(
        st.one_of(
            st.binary(max_size=200),
            st.text(max_size=80).map(lambda t: json.dumps({"text": t, "alternatives": [t, "x"]}).encode()),
        )
    )
    def test_nothing_raises(self, sent: bytes) -> None:
        heard = read_heard(sent)
        self.assertTrue(heard.problem or heard.error or heard.alternatives)

    def test_frames_out_of_noise(self) -> None:
        for name, frames, fed, wanted in (
            ("whole", Frames("*", "#"), [b"*K1#*K2#"], [b"K1", b"K2"]),
            ("in pieces", Frames("*", "#"), [b"*K", b"1", b"#x*K2#"], [b"K1", b"K2"]),
            ("half, then whole", Frames("*", "#"), [b"*K", b"*K2#"], [b"K2"]),
            ("noise", Frames("*", "#"), [b"\xff\x00#\x80*ok#\x13"], [b"ok"]),
            ("lines", Frames(), [b"one\r\ntwo\rthree\n\nfo"], [b"one", b"two", b"three"]),
            ("long marks", Frames("<<", ">>"), [b"<", b"<a>", b"><<b>>"], [b"a", b"b"]),
            ("endless", Frames("*", "#"), [b"*" + b"x" * (MOST_BYTES + 10), b"*a#"], [b"a"]),
        ):
            with self.subTest(name):
                self.assertEqual([f for at, data in enumerate(fed) for f in frames.feed(data, at)], wanted)
        late = Frames("", ";")
        self.assertEqual(late.feed(b"galley la", 0) + late.feed(b"radio on;", 60), [b"radio on"])
        self.assertEqual(late.noise, 9)

    @given(st.lists(st.text("abc ", min_size=1, max_size=8), max_size=6), st.integers(1, 5))
    def test_frames_come_whole_however_they_are_cut(self, texts: list[str], size: int) -> None:
        stream = "".join(f"*{t}#" for t in texts).encode()
        frames = Frames("*", "#")
        found = [f for at in range(0, len(stream), size) for f in frames.feed(stream[at : at + size], 0)]
        self.assertEqual(found, [t.encode() for t in texts])

    def test_the_best_reading_over_all_alternatives_wins(self) -> None:
        for texts, outcome, number in (
            ([("gally lam phone", 0.9), ("galley lamp on", 0.6)], "accept", 2),
            ([("galley lamp on", 0.9), ("galley lamp off", 0.85)], "confirm", 1),
            ([("galley lamp on", 0.9), ("galley lamp off", 0.1)], "accept", 1),
            ([("don't turn the galley lamp on", 0.9), ("do turn the galley lamp on", 0.8)], "confirm", 2),
            ([("galley lamp to thirteen", 1.0), ("galley lamp to thirty", 1.0)], "confirm", 1),
            ([("pass the salt", 1.0), ("what is this", 0.5)], "reject", 1),
        ):
            with self.subTest(texts):
                talk = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
                event = talk.hear_best(texts, 1.0)
                self.assertEqual((event.outcome, event.alternative), (outcome, number))
                if outcome == "confirm":
                    self.assertEqual(talk.hear("yes", 2.0).outcome, "accept")

    def test_many_alternatives_are_no_more_tries_at_a_passcode(self) -> None:
        for opened in (False, True):
            talk = glossa.Conversation(MARIGOLD, MATCHER, awake=True)
            start = "" if opened else "open the hatch "
            if opened:
                talk.hear("open the hatch", 0.0)
            for at in (1, 2, 3):
                event = talk.hear_best([(f"{start}one one one {at}", 1.0), (f"{start}two four six eight", 0.9)], float(at))
                self.assertEqual(event.reason, "passcode")
            self.assertEqual(talk.hear("open the hatch two four six eight", 5.0).reason, "locked")

    def test_places(self) -> None:
        for written, wanted in (
            ("mqtt:boat:a/+/b", ("boat", "a/+/b")), ("mqtt:a/b", ("boat", "a/b")), ("mqtt://10.0.0.2:1884/a/#", ("mqtt://10.0.0.2:1884", "a/#")),
            ("serial:panel", ("panel", "")), ("serial:/dev/ttyS9?baud=115200&start=<&end=>", ("serial:/dev/ttyS9", "")),
        ):  # fmt: skip
            place = read_place(written, MARIGOLD, ("mqtt", "serial"))
            self.assertEqual((place.link, place.topic), wanted)
        self.assertEqual(place.options, SerialOptions(port="/dev/ttyS9", baud=115200, start="<", end=">"))
        self.assertEqual(read_place("http:8090/heard", MARIGOLD, ("http",)).host, "127.0.0.1")
        for written in (
            "mqtt:",
            "ftp:x",
            "serial:boat",
            "mqtt:panel:x",
            "http:heard",
            "serial:/dev/x?bauds=1",
            "run:no-such-program-here",
        ):
            with self.subTest(written), self.assertRaises(PlaceError):
                read_place(written, MARIGOLD, ("mqtt", "serial", "http", "run"))


class Delivery(unittest.TestCase):
    def setUp(self) -> None:
        self.world = World(awake=True)
        self.boat = self.world.wires["boat"]

    def test_a_command_goes_out_once_and_its_result_is_recorded(self) -> None:
        self.world.hear("galley lamp on")
        self.assertEqual([c for _, c in self.boat.arrived], ["boat marigold/galley_lamp/power/set 1"])
        self.assertEqual(self.world.lines("sent"), ["boat marigold/galley_lamp/power/set 1 sent boat"])
        self.assertEqual(self.world.said, ["galley lamp on"])

    def test_nothing_is_sent_late(self) -> None:
        self.boat.down = "no route"
        self.world.boxes["boat"].lost("the cable was pulled")
        self.world.run(1)
        record = self.world.hear("galley lamp on", 10)
        self.boat.down = ""
        self.world.run(120)
        self.assertEqual(self.boat.arrived, [])
        self.assertEqual(self.world.lines("failed"), ["boat marigold/galley_lamp/power/set 1 expired boat"])
        assert record is not None
        self.assertEqual((record.data["reply"], self.world.said), ("", ["I can't reach galley lamp"]))
        self.assertEqual(self.world.lines("link")[-1], "boat up")
        self.world.hear("galley lamp on")
        self.assertEqual(len(self.boat.arrived), 1)

    def test_a_link_that_comes_back_in_time_gets_the_command(self) -> None:
        self.boat.down = "no route"
        self.world.boxes["boat"].lost("the cable was pulled")
        self.world.hear("galley lamp on", 2)
        self.boat.down = ""
        self.world.run(3)
        self.assertEqual(len(self.boat.arrived), 1)
        self.assertLess(self.boat.arrived[0][0], 5.0)
        self.assertEqual(self.world.said, ["galley lamp on"])

    def test_what_may_have_arrived_is_never_repeated(self) -> None:
        for fault, said in ((Unanswered("no answer"), "No answer from galley lamp"), (Declined("500"), "Refused by galley lamp")):
            self.boat.fault, attempts = fault, self.boat.arrived.copy()
            self.world.hear("galley lamp to 40", 30)
            self.assertEqual((self.boat.arrived, self.world.said[-1]), (attempts, said))
            self.boat.fault = None
            self.world.hear("galley lamp brighter")
            self.assertEqual(self.world.said[-1], "I don't know yet what level galley lamp is at")

    def test_a_dead_link_is_reported_once_and_retried_less_often(self) -> None:
        self.boat.down = "no route"
        self.world.boxes["boat"].lost("the cable was pulled")
        before = self.boat.opened
        self.world.run(86_400)
        self.assertEqual(len([r for r in self.world.lines("link") if r.startswith("boat down")]), 1)
        self.assertTrue(86_400 / 60 * 0.9 < self.boat.opened - before < 86_400 / 30 * 1.1)

    def test_a_link_that_comes_and_goes_is_not_told_of_every_time(self) -> None:
        for _ in range(500):
            self.world.boxes["boat"].lost("again")
            self.world.run(2)
        self.world.run(200)
        self.assertLess(len(self.world.lines("link")), 8)
        self.assertEqual(self.world.lines("link")[-1], "boat up")

    def test_waits_and_what_a_later_command_replaces(self) -> None:
        self.world.hear("run the bilge pump for 20 seconds", 10)
        self.world.hear("run the bilge pump for 30 seconds", 60)
        self.assertEqual(self.boat.arrived, [(t, f"boat marigold/bilge_pump/set {v}") for t, v in ((0, 1), (10, 1), (40, 0))])
        self.assertIn("boat marigold/bilge_pump/set 0 replaced boat", self.world.lines("failed"))

    def test_a_step_behind_one_that_failed_is_not_taken(self) -> None:
        self.boat.down = "no route"
        self.world.boxes["boat"].lost("the cable was pulled")
        self.world.run(1)
        self.world.hear("good night boat", 60)
        self.assertEqual(self.world.wires["panel"].arrived, [])
        self.assertEqual([line.split()[-2] for line in self.world.lines("failed")], ["expired", "expired", "dropped", "dropped"])
        self.assertEqual(self.world.said, ["I can't reach big fore cabin lamp and small fore cabin lamp"])

    def test_old_words_are_not_acted_on_whatever_the_clocks_do(self) -> None:
        now = 1_800_000_000
        self.assertEqual(self.world.hear(f'{{"text": "galley lamp on", "time": {now - 60}}}').kind, "ignored")  # type: ignore[union-attr]
        self.world.jump = 3600
        self.world.hear("saloon lamp on")
        self.world.jump = -3600
        self.world.hear("worktop lamp on")
        self.world.engine.hear(read_heard("radio on"), self.world.now - 9, "test")
        self.world.engine.hear(read_heard("radio on"), self.world.now, "test", unseen=9)
        self.world.jump = 0
        for wrong in (now + 86_400, '"nan"', '"1e999"', '"soon"'):
            self.assertEqual(self.world.hear(f'{{"text": "radio on", "time": {wrong}}}').kind, "ignored")  # type: ignore[union-attr]
        self.world.run(5)
        self.assertEqual([c.split("/")[1] for _, c in self.boat.arrived], ["saloon_lamp", "worktop_lamp"])

    def test_stopping_reports_what_was_still_to_come(self) -> None:
        self.world.hear("run the bilge pump for 20 seconds")
        self.world.engine.stop("ended")
        self.assertEqual(self.world.lines("failed"), ["boat marigold/bilge_pump/set 0 dropped boat"])

    def test_a_topic_takes_no_wildcards_from_what_was_said(self) -> None:
        house = read_house(
            '[house]\nname = "H"\n[slots.what]\ntype = "words"\n[intents.note]\nphrases = ["note $what"]\nsteps = [{ topic = "h/$what", payload = "1" }]\n'
        )
        world = World(house, glossa.Matcher(house))
        for said in ("note a/b", "note everything #", "note +", "note fine"):
            world.hear(said)
        self.assertEqual(
            [c for _, c in next(iter(world.wires.values())).arrived], ["simulated h/everything 1", "simulated h/fine 1"]
        )


class Knowing(unittest.TestCase):
    def setUp(self) -> None:
        self.world = World(awake=True)

    def test_a_state_is_unknown_until_it_is_reported_or_set(self) -> None:
        self.world.hear("saloon lamp brighter", 1)
        self.world.engine.arrived("boat", "marigold/saloon_lamp/level", b"128")
        self.world.hear("saloon lamp brighter")
        self.assertEqual(self.world.wires["boat"].arrived[-1][1], "boat marigold/saloon_lamp/level/set 153")
        self.assertEqual(self.world.said, ["I don't know yet what level saloon lamp is at", "saloon lamp 60"])

    def test_only_news_is_recorded_as_a_state(self) -> None:
        for retained in (True, False, False):  # what a broker had kept, news, and the same once more
            level = b"26" if retained else b"51"
            self.world.engine.arrived("boat", "marigold/saloon_lamp/level", level, retained)
        states = [r.data["value"] for r in self.world.records if r.kind == "state"]
        self.assertEqual(states, [20])

    def test_rubbish_is_no_state_and_is_told_of_once(self) -> None:
        for _ in range(5000):
            self.world.engine.arrived("boat", "marigold/saloon_lamp/level", b"\xff\x00 NaN {")
            self.world.run(0.1)
        self.assertLess(len(self.world.lines("trouble")), 5)
        self.assertEqual(self.world.hear("how bright is the saloon lamp").data["reason"], "unknown")  # type: ignore[union-attr]

    def test_states_in_json_and_in_lines(self) -> None:
        house = read_house("""
[house]
name = "H"
[links.air]
type = "mqtt"
[links.line]
type = "serial"
port = "/dev/x"
start = "<"
end = ">"
[kinds.lamp.properties.level]
type = "number"
minimum = 0
maximum = 100
raw = [0, 255]
command = { topic = "h/$id/set", payload = '{"level": $raw}' }
state = { topic = "h/$id", payload = '{"state": {"level": $raw}}' }
[kinds.relay.properties.power]
type = "switch"
command = { text = "$id=$raw" }
state = { text = "$id=$raw" }
[devices.lamp]
kind = "lamp"
names = ["lamp"]
link = "air"
[devices.pump]
kind = "relay"
names = ["pump"]
link = "line"
[intents.switch]
phrases = ["$device $power"]
set = { power = "$power" }
""")
        states = States(house)
        for link, place, data, wanted in (
            ("air", "h/lamp", b'{"rssi": -60, "state": {"level": 51, "x": []}}', [20]), ("air", "h/lamp", b'{"state": 3}', []),
            ("air", "h/lamp", b"51", []), ("air", "h/other", b"1", []), ("line", "", b"pump=1", ["on"]), ("line", "", b"pump=7", []),
            ("line", "", b"pumps=1", []),
        ):  # fmt: skip
            with self.subTest(data):
                self.assertEqual([r.value for r in states.read(link, place, data)[0]], wanted)
        self.assertEqual(States(house, commands=True).read("air", "h/lamp/set", b'{"level": 255}')[0][0].value, 100)

    def test_a_changed_house_takes_over_what_is_known(self) -> None:
        world = World()
        world.engine.arrived("boat", "marigold/saloon_lamp/level", b"128")
        world.hear("ahoy barnacle", 1)
        text = (glossa.files.find_house("marigold")).read_text().replace('"turn', '"flip')
        sheet = (glossa.files.find_house("marigold").parent / "codes.csv").read_text()
        changed = read_house(text, {"codes.csv": sheet})
        world.engine.reload(changed, glossa.Matcher(changed))
        self.assertEqual(world.hear("saloon lamp brighter").data["outcome"], "accept")  # type: ignore[union-attr]

    def test_a_lock_outlives_a_changed_house(self) -> None:
        self.world.hear("open the hatch")
        for code in ("one one one one", "two two two two", "three three three three"):
            self.world.hear(code, 1)
        self.world.engine.reload(MARIGOLD, MATCHER)
        self.assertEqual(self.world.hear("open the hatch eight six four two").data["reason"], "locked")  # type: ignore[union-attr]

    def test_a_passcode_is_in_no_record(self) -> None:
        asleep = World()
        for world in (self.world, asleep):
            for said in (
                "open the hatch", "eight six four two", "open the hatch 8642", "open the hatch", "eight six for to", "it is eighty six forty two",
                "8642", "log entry the code is eight six four two", '{"alternatives": ["open the hatch", "hatch eight six four two"]}',
            ):  # fmt: skip
                world.hear(said, 1)
            kept = json.dumps([r.plain() for r in world.records], ensure_ascii=False) + " ".join(world.said)
            for secret in ("8642", "eight six", "eighty six", "six for"):
                self.assertNotIn(secret, kept)
        self.assertIn("panel 5C 01", [c for _, c in self.world.wires["panel"].arrived])

    def test_passcodes_are_starred_in_every_spelling(self) -> None:
        secrecy = Secrecy(MATCHER, [{"MARIGOLD_HATCH_PIN": "2446"}])
        for said in (
            "2446", "２４４６", "²⁴⁴⁶", "2.4.4.6", "24-46", "2 4 4 sex", "too for for six", "two double four six", "twenty four forty six", "2 um 4 and 4 6",
            "two thousand four hundred and forty six", "5512446119", "24.46", "24,46", "two well four then four and six", "twenty four er yes forty six",
        ):  # fmt: skip
            self.assertEqual(secrecy.text(f"ahoy {said}"), "ahoy ****", said)
        self.assertEqual(
            secrecy.data({"level": 2446, "at": [2446.5, 40], "why": "'2446' is no time"})["why"], "'****' is no time"
        )
        self.assertEqual(secrecy.reply("after 2446 seconds, or 300", "one two three", doubt=True), "after **** seconds, or 300")
        self.assertEqual(secrecy.reply("“go 123”: wait 300 seconds", "go 123", doubt=True), "“go ****”: wait 300 seconds")
        for plain in ("galley lamp to forty", "two lamps for the cabin", "in 1999 we had four"):
            self.assertEqual(secrecy.text(plain), plain)
        self.assertEqual(secrecy.text("a\x1b[2Jb\ufffe\u202e"), "a [2Jb  ")

    def test_numbers_in_one_word_are_starred_and_orders_are_not(self) -> None:
        house = read_house(
            '[house]\nname = "L"\nlanguages = ["de"]\n[intents.auf]\nphrases = ["öffne das Lager [mit dem Code $pin]"]\nreply = "offen"\n'
            'pin = { env = "P", test = "4826" }\n'
        )
        matcher = glossa.Matcher(house)
        secrecy = Secrecy(matcher, [{"P": "4826"}])
        said = "öffne das Lager viertausendachthundertsechsundzwanzig"
        self.assertEqual(secrecy.text(said), "öffne das Lager ****")
        talk = glossa.Conversation(house, matcher, awake=True)
        for line, kept in (
            (said, "öffne das Lager ****"),
            ("das Wetter ist schön", "das Wetter ist schön"),
            ("vier acht zwo", "****"),
        ):
            asked = talk.pending is not None
            self.assertEqual(secrecy.utterance(talk.hear(line, 1.0 + len(line)), asked=asked, doubt=asked), kept, line)
        shown = secrecy.shown(glossa.Conversation(house, matcher, awake=True).hear(said))
        self.assertNotIn(
            "viertausend", json.dumps([shown.plain(), shown.match.explain() if shown.match else ""], ensure_ascii=False)
        )

    def test_what_is_printed_of_a_result_is_short_and_holds_no_secret(self) -> None:
        row, *_ = glossa.read_table("utterance,outcome\nopen the hatch two four six eight,accept\n", "t", MARIGOLD)
        event = glossa.Conversation(MARIGOLD, MATCHER, awake=True).hear("open the hatch two four six eight")
        assert event.match is not None
        for found in (
            event,
            event.match,
            event.match.best,
            MARIGOLD,
            MARIGOLD.intents["open_hatch"].pin,
            *glossa.run_table(MARIGOLD, [row]),
        ):
            self.assertLess(len(repr(found)), 200)
            self.assertNotRegex(repr(found), "2468|two four|eight")
        with mock.patch.dict(os.environ, {"KELP": "kelpkelp"}):
            self.assertNotIn("kelpkelp", pydoc.render_doc(glossa.live.Live))

    def test_digits_near_a_passcode_question_are_starred(self) -> None:
        world = World(awake=True, environment={})  # no variable: the passcode is known to nobody
        world.hear("open the hatch", 1)
        for said in (
            "one three five seven",
            '{"error": "1357 unclear"}',
            '{"text": "one three five seven", "time": "1357 o clock"}',
            "my code is 1357",
        ):
            world.hear(said, 5)
        self.assertIn("galley lamp to forty", str(world.hear("galley lamp to forty", 90).data))  # type: ignore[union-attr]
        kept = json.dumps([r.plain() for r in world.records])
        self.assertNotIn("three five", kept)
        self.assertNotIn("1357", kept)
        self.assertIn("one three five seven", str(world.hear("one three five seven").data))  # type: ignore[union-attr]

    def test_a_lock_outlives_the_program_and_grows(self) -> None:
        for code in ("one one one one", "two two two two", "three three three three"):
            self.world.hear(f"open the hatch {code}", 1)
        again = World(awake=True)
        again.engine.begin([], before(self.world.records))
        self.assertEqual(again.hear("open the hatch eight six four two", 70).data["reason"], "locked")  # type: ignore[union-attr]
        for code in ("one one one one", "two two two two", "three three three three"):
            again.hear(f"open the hatch {code}", 1)
        again.run(90)
        self.assertEqual(again.hear("open the hatch eight six four two", 40).data["reason"], "locked")  # type: ignore[union-attr]
        self.assertEqual(again.hear("open the hatch eight six four two").data["outcome"], "accept")  # type: ignore[union-attr]

    def test_missing_passcodes_are_reported_at_the_start(self) -> None:
        for environment, why in (
            ({}, "is not set"),
            ({"MARIGOLD_HATCH_PIN": "24-46"}, "nobody can say"),
            ({"MARIGOLD_HATCH_PIN": "2446"}, ""),
        ):
            world = World(environment=environment)
            world.engine.begin([])
            self.assertEqual([why in line for line in world.lines("trouble")], [True] if why else [])

    def test_partial_unsure_and_wrong_are_not_acted_on(self) -> None:
        world = World(awake=True, least_confidence=0.5, error_reply="Pardon?")
        for said in (
            '{"text": "galley lamp on", "final": false}',
            '{"text": "galley lamp on", "confidence": 0.2}',
            "",
            '{"text": "galley',
        ):
            world.hear(said)
        for _ in range(500):
            world.hear('{"error": "no microphone"}', 0.1)
        self.assertEqual((world.wires["boat"].arrived, world.said), ([], ["Pardon?"]))
        self.assertEqual(next(r.data["why"] for r in world.records if r.kind == "ignored"), "unsure")
        self.assertEqual(len(world.lines("error")), 1)

    def test_the_house_does_not_listen_to_itself(self) -> None:
        world = World(awake=True, echo=6.0)
        for said, then in (
            ("galley lamp to forty", 2), ("galley lamp at forty percent", 2), ("galley lamp at fifty percent", 10), ("galley lamp at 50 percent", 2),
            ("saloon lamp on", 1), ("Saloon lamp, on!", 1), ("saloon lamp off", 1),
        ):  # fmt: skip
            world.hear(said, then)
        self.assertEqual([c.rpartition(" ")[2] for _, c in world.wires["boat"].arrived], ["102", "128", "128", "1", "0"])
        self.assertEqual(
            [r.data["text"] for r in world.records if r.kind == "ignored"], ["galley lamp at forty percent", "Saloon lamp, on!"]
        )

    def test_the_same_thing_is_said_less_and_less(self) -> None:
        throttle = Throttle()
        told = [at for at in range(0, 100_000, 5) if throttle.count("x", at)]
        self.assertEqual(told[:4], [0, 60, 180, 420])
        self.assertEqual((len(told) < 13, throttle.count("x", 1e6) > 1, throttle.count("y", 0)), (True, True, 1))


class Logging(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.path = self.folder / "marigold.db"

    def log(self, world: World, **options: object) -> EventLog:
        log = EventLog(self.path, clock=lambda: world.now, trouble=world.engine.trouble, **options)  # type: ignore[arg-type]
        self.addCleanup(log.close)
        return log

    def evening(self) -> World:
        """An evening in the log: a start, commands, a question, a passcode, talk, a link that is down."""
        world = World()
        log = self.log(world)
        log.write(Record("start", 1_800_000_000, 0, {"house": "Marigold", "sources": ["test"]}))
        world.engine.arrived("boat", "marigold/galley_lamp/level", b"102")
        for said, then in (
            ("pass the salt", 5), ("ahoy barnacle", 2), ("galley lamp brighter", 3), ("set the reading lamp", 2), ("seventy", 3), ("the moon is up", 2),
            ("open the hatch", 2), ("eight six four two", 700), ("ahoy barnacle", 2), ("saloon lamp on", 3),
        ):  # fmt: skip
            world.hear(said, then)
        for record in world.records:
            log.write(record)
        log.close()
        return world

    def test_shown_filtered_and_exported(self) -> None:
        self.evening()
        self.assertEqual(self.path.stat().st_mode & 0o077, 0)
        log = ("log", "marigold", "--log", str(self.path))
        code, out, _ = run(*log, "--outcome", "accept", "--json")
        self.assertEqual(
            (code, [json.loads(line)["intent"] for line in out.splitlines()]),
            (0, ["brighten", "set_level", "open_hatch", "switch"]),
        )
        self.assertIn("galley lamp 50", run(*log)[1])
        self.assertEqual(run(*log, "--misses", "--text", "MOON")[1].count("\n"), 1)
        self.assertEqual(run(*log, "--last", "2", "--kind", "heard")[1].count("\n"), 2)
        self.assertEqual(run(*log, "--until", "2h")[1], "")
        table = self.folder / "rows.csv"
        self.assertEqual(run(*log, "--csv", str(table))[0], 0)
        rows = list(csv.DictReader(table.read_text().splitlines()))
        self.assertEqual([r["utterance"] for r in rows[:3]], ["pass the salt", "ahoy barnacle", "galley lamp brighter"])
        self.assertEqual(len({r["session"] for r in rows}), 2)
        self.assertEqual(run("test", "marigold", str(table), "--json")[0], 0)
        self.assertEqual(run(*log, "--csv", str(table))[0], 2)
        for wrong in (("--since", "yesterday-ish"), ("--kind", "herd"), ("--last", "0")):
            self.assertEqual(run(*log, *wrong)[0], 2)
        self.assertEqual(run("log", "marigold", "--log", str(self.folder / "none.db"))[0], 2)

    def test_played_again_it_shows_what_would_differ(self) -> None:
        self.evening()
        same = list(replay(MARIGOLD, read_log(self.path), MATCHER))
        self.assertEqual(([p.differs for p in same if p.differs], sum(p.event is None for p in same)), ([], 1))
        text = glossa.files.find_house("marigold").read_text().replace("maximum = 80 ", "maximum = 60 ")
        (self.folder / "house.toml").write_text(text.replace('tables = ["codes.csv"]', ""))
        code, out, _ = run("replay", str(self.folder / "house.toml"), str(self.path), "--json")
        found = [json.loads(line) for line in out.splitlines()]
        self.assertEqual(
            (code, [(f["utterance"], f["differs"][0], f["now"]["outcome"]) for f in found]),
            (0, [("seventy", "outcome", "reject")]),
        )
        self.assertIn("1 of 9 would now come out differently", run("replay", str(self.folder / "house.toml"), str(self.path))[1])

    def test_doubts_and_clocks_that_jump_are_played_as_they_were(self) -> None:
        world = World()
        log = self.log(world)
        for said, then, jump in (
            ("ahoy barnacle", 2, 0), ('{"text": "galley lamp on", "alternatives": ["galley lamp off"]}', 2, 90_000), ("yes", 3, -7200),
            ("brighten the galley lamp", 5, 0), ("galley lamp to forty", 20, 0), ("saloon lamp on", 1, 0),
        ):  # fmt: skip
            world.hear(said, then)
            world.jump = jump
        for record in world.records:
            log.write(record)
        log.close()
        played = list(replay(MARIGOLD, read_log(self.path), MATCHER))
        self.assertEqual(
            [str(p.event.outcome) for p in played if p.event], ["wake", "confirm", "accept", "reject", "accept", "asleep"]
        )
        self.assertEqual([p.differs for p in played if p.differs], [])

    def test_the_size_is_limited_and_the_newest_stay(self) -> None:
        world = World()
        log = self.log(world, megabytes=0.25)
        for number in range(4000):
            log.write(Record("heard", number, number, {"utterance": f"line {number} " + "x" * 300, "outcome": "reject"}))
        self.assertLess(sum(p.stat().st_size for p in self.folder.glob("marigold.db*")), 1_500_000)
        kept = [e.number for e in read_log(self.path)]
        self.assertEqual((kept[-1], kept), (3999, list(range(kept[0], 4000))))
        self.assertGreater(len(kept), 100)

    def test_locks_outlive_whatever_was_said_since(self) -> None:
        log = self.log(World(), megabytes=0.25)
        lock = {"passcode": "MARIGOLD_HATCH_PIN", "wrong": 0, "rounds": 2, "until": 1e12}
        log.write(Record("lock", 1.0, 1, lock))
        log.write(Record("lock", 2.0, 1, {**lock, "passcode": "OTHER", "rehearsal": True}))
        for number in range(3000):
            log.write(Record("heard", number, number, {"utterance": "x" * 300, "outcome": "reject"}))
        self.assertEqual(list(read_log(self.path, kinds=("lock",))), [])
        self.assertEqual([kept["passcode"] for kept in log.locks()], ["MARIGOLD_HATCH_PIN"])
        world = World(awake=True)
        world.engine.begin([], before([], log.locks()))  # it was set by a clock that was thousands of years ahead
        (keeper,) = world.engine.conversation.keepers.values()
        pin = MARIGOLD.intents["open_hatch"].pin
        assert pin is not None
        self.assertEqual(keeper.locked_until - world.now, 2 * pin.lockout)

    def test_a_log_that_broke_begins_anew(self) -> None:
        self.path.touch()
        self.assertEqual(list(read_log(self.path)), [])
        log = self.log(World())
        for number in range(200):
            log.write(Record("heard", number, number, {"utterance": "x" * 300, "outcome": "reject"}))
        log.close()
        self.assertEqual(log.mended, "")
        with self.path.open("r+b") as file:
            file.truncate(9000)
        log = self.log(World())
        self.assertIn("marigold.db.broken", log.mended)
        self.assertEqual((list(read_log(self.path)), (self.folder / "marigold.db.broken").stat().st_size), ([], 9000))
        log.close()
        with contextlib.closing(sqlite3.connect(self.path)) as other:  # a log that is only locked is left where it is
            other.execute("pragma journal_mode = delete")
            other.execute("begin exclusive")
            with mock.patch("glossa.live.log.BUSY", 0.05), self.assertRaisesRegex(glossa.HouseError, "locked"):
                EventLog(self.path, clock=lambda: 0.0)
        self.assertEqual(len(list(self.folder.glob("*.broken*"))), 1)
        log = self.log(World())
        assert log._base is not None
        for kind, data in (("heard", "{}"), ("sent", "[3"), ("link", "3")):
            with log._base:
                log._base.execute("insert into records values (null, 1, 1, 1, ?, '', '', '', ?)", (kind, data))
        code, out, err = run("log", "marigold", "--log", str(self.path))
        self.assertEqual((code, out.count("is no record"), err), (0, 3, ""))

    def test_rehearsals_are_told_apart(self) -> None:
        world = World(awake=True)
        world.hear("run the bilge pump for ten minutes", 1)
        played = [Record(r.kind, r.time, r.number, {**r.data, "rehearsal": True}) for r in world.records]
        self.assertTrue(before(world.records).unfinished)
        self.assertFalse(before(played).unfinished)
        log = self.log(World())
        for record in (
            *played,
            Record("heard", 9.0, 9, {"utterance": "galley lamp on", "outcome": "accept", "intent": "switch"}),
        ):
            log.write(record)
        self.assertEqual([e.data["utterance"] for e in read_log(self.path, kinds=("heard",), live_only=True)], ["galley lamp on"])
        self.assertIn("(rehearsal)", run("log", "marigold", "--log", str(self.path))[1])
        self.assertNotIn("bilge", run("log", "marigold", "--log", str(self.path), "--live")[1])

    def test_what_was_held_back_is_counted_at_the_end(self) -> None:
        world = World(awake=True)
        for _ in range(38):
            world.engine.trouble("the same thing again")
        world.engine.stop("ended")
        self.assertEqual([r.data.get("count", 1) for r in world.records if r.kind == "trouble"], [1, 37])

    def test_only_one_may_write_and_a_wrong_file_is_refused(self) -> None:
        world = World()
        self.log(world)
        with self.assertRaisesRegex(glossa.HouseError, "another glossa listen"):
            EventLog(self.path, clock=lambda: 0.0)
        other = self.folder / "other.db"
        other.write_text("this is no database, whatever its name says" * 100)
        with self.assertRaisesRegex(glossa.HouseError, "can't be used as a log"):
            EventLog(other, clock=lambda: 0.0)
        self.assertEqual(run("log", "marigold", "--log", str(other))[0], 2)
        with self.assertRaisesRegex(glossa.HouseError, "No such file"):
            EventLog(self.folder / "slip" / "x.db", clock=lambda: 0.0)
        self.assertFalse((self.folder / "slip").exists())

    def test_talk_can_be_left_out(self) -> None:
        log = self.log(World(), talk=False)
        for outcome in ("asleep", "accept"):
            log.write(Record("heard", 1.0, 1, {"utterance": "x", "outcome": outcome}))
        self.assertEqual([e.data["outcome"] for e in read_log(self.path)], ["accept"])


class Months(unittest.TestCase):
    def test_a_day_of_faults_loses_nothing_and_does_nothing_twice(self) -> None:
        world = soak(3000, 1.0)
        self.assertGreater(world.engine.counts["sent"], 500)
        self.assertGreater(world.engine.counts["failed"], 100)
