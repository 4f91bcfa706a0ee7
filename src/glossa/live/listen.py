"""The house, live: threads, real clocks, and everything put together."""

from __future__ import annotations

import json
import logging
import os
import sys
import threading
import time
import traceback
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import partial
from pathlib import Path
from queue import Empty, SimpleQueue
from typing import Any

from msgspec.structs import replace

from glossa.commands import BytesCommand, TopicCommand
from glossa.house import House
from glossa.house.links import StreamOptions
from glossa.house.sources import added_source
from glossa.links.link import Link
from glossa.links.standstill import Standstill
from glossa.live.before import Before
from glossa.live.courier import clock
from glossa.live.ear import Ear, Told
from glossa.live.ears import Ears
from glossa.live.endpoint import Busy, Endpoint, Unusable, is_loopback
from glossa.live.engine import Engine
from glossa.live.heard import Heard, read_heard
from glossa.live.lines import read_lines
from glossa.live.log import EventLog
from glossa.live.outbox import Order, Result
from glossa.live.places import Place, PlaceError, read_place
from glossa.live.records import Record, iso
from glossa.live.reload import Changed, Watch
from glossa.live.replies import Speaker
from glossa.live.websocket import WebSocketEars
from glossa.live.wiring import PATIENCE, Wiring
from glossa.matching import Matcher

_log = logging.getLogger(__name__)
LOOK = 1.0
"""Seconds between two looks at the house file."""
MOST_HEARD = 500
"""How many lines may wait to be understood; a pipe is read no faster, everything else is told to come later."""
MOST_REPORTS = 5000
AT_ONCE = 50
"""How many of the things that came in over links may wait to be read, and how many are read before somebody is listened to."""
HEALTH = 30.0
ECHO = 6.0
"""Seconds in which a microphone may hear what the house itself has said."""
HURRY = 0.3
"""Seconds that a command under way has at the second Ctrl-C, before it is reported as unconfirmed."""
ANSWER = 10.0
TWICE = 0.5
"""Seconds after which a second call to stop means: at once."""
BEAT = 0.2
"""Seconds between two looks at whether this program stood still."""
INPUT_ENDED = "the input ended"
MODE_EXPIRES = 10.0
"""Seconds in which a source is told of a mode; one whose port was closed meanwhile is told when it is open again."""


def _place(found: Place | str, house: House, takes: tuple[str, ...]) -> Place:
    return read_place(found, house, takes) if isinstance(found, str) else found


class Live:
    """A house that listens until it is stopped.

    Args:
        house: the house.
        sources: where text comes from, as :func:`~glossa.live.places.read_place` takes them.
        emit: takes every record, in the order of what happened, in one thread.
        matcher: of the same house.
        replies: where the house's answers go, besides into the records.
        health: where its health line goes: an ``http`` or ``mqtt`` place, or None.
        log: keeps the records, or None.
        watch: looks after the house file, or None.
        before: what an earlier run left, or None.
        links: link id -> a link of your own, in the place of the one that the house file describes.
        functions: what callback links can call.
        environment: where secrets are found.
        token: what a program must show that posts text over HTTP; ``""`` for nothing.
        dry: a rehearsal: send nothing, count every command as sent, and mark every record with ``rehearsal``.
        grace: seconds that :meth:`run` goes on for, once it is stopped, so that what is under way can end.
        engine: further arguments for :class:`~glossa.live.Engine`.

    Raises:
        PlaceError: where a place can't be, or replies would come back as heard text.
        OSError: where a port to listen at is taken.
    """

    def __init__(
        self,
        house: House,
        sources: Iterable[Place | str],
        emit: Callable[[Record], None],
        *,
        matcher: Matcher | None = None,
        replies: Iterable[Place | str] = (),
        health: Place | str | None = None,
        log: EventLog | None = None,
        watch: Watch | None = None,
        before: Before | None = None,
        links: Mapping[str, Link] | None = None,
        functions: Mapping[str, Callable[..., object]] | None = None,
        environment: Mapping[str, str] | None = None,
        token: str = "",
        grace: float = 10.0,
        dry: bool = False,
        **engine: Any,
    ) -> None:
        environment = os.environ if environment is None else environment
        self._token, self._environment = token, environment
        self._sources = tuple(_place(s, house, ("stdin", "mqtt", "serial", "http", "tcp", "udp")) for s in sources)
        self._replies = tuple(_place(r, house, ("mqtt", "run")) for r in replies)
        self._health = _place(health, house, ("http", "mqtt")) if health is not None else None
        self._emit_to, self._log, self._watch, self._grace, self._before = emit, log, watch, grace, before
        self._todo: SimpleQueue[Callable[[], object]] = SimpleQueue()
        self._room = threading.BoundedSemaphore(MOST_HEARD)
        self._reports: SimpleQueue[tuple[str, str, bytes, bool]] = SimpleQueue()
        self._reading = False
        self._pulse = Standstill(clock())
        self._shown_badly, self._rehearsal = False, dry
        self._complaints: set[str] = set()
        self._stop = ""
        self._stopped_at = 0.0
        self._hurry = False
        self._open_sources = len(self._sources)
        self._check_loops()
        self._wiring = Wiring(
            arrived=self.arrived, result=partial(self._later, self._result), changed=partial(self._later, self._link_changed),
            environment=environment, functions=functions, links=links, dry=dry,
        )  # fmt: skip
        self._speakers = [Speaker(p.program, partial(self._later, self._trouble)) for p in self._replies if p.type == "run"]
        self.engine = Engine(
            house, post=self._wiring.post, emit=self._emit, clock=clock, wall=time.time, environment=environment, matcher=matcher,
            say=self._say, echo=ECHO if self._replies else 0.0, **engine,
        )  # fmt: skip
        self._endpoints = [
            self._endpoint(p, token) for p in (*self._sources, *((self._health,) if self._health else ())) if p.type == "http"
        ]

        self._ears: list[Ear] = []
        self._mode = ""
        self._codes = {p.written: p.codes for p in self._sources if p.codes is not None}

    # --- putting it together ----------------------------------------------------------------------------------------

    def _check_loops(self) -> None:
        from paho.mqtt.client import topic_matches_sub

        for source in self._sources:
            for reply in self._replies:
                if (
                    source.type == reply.type == "mqtt"
                    and source.link == reply.link
                    and topic_matches_sub(source.topic, reply.topic)
                ):
                    raise PlaceError(f"replies to '{reply.topic}' would be heard as text from '{source.topic}'")

    def _variables(self) -> Iterator[tuple[str, str]]:
        """The variables of the environment that links and sources need, each with who needs it; a rehearsal needs few."""
        for name, link in self.engine.house.links.items():
            for key in ("token_env", "password_env"):
                if (variable := getattr(link.options, key, "")) and not self._rehearsal:
                    yield f"link {name}", variable
        for place in self._sources:
            if place.token_env:
                yield f"source {place.written}", place.token_env

    def _endpoint(self, place: Place, token: str) -> Endpoint:
        if place is self._health:
            return Endpoint(place.host, place.port, health=self.health, token=token)
        hear = partial(self._posted, place.written)
        trouble = partial(self._later, self._trouble)
        path = place.path or "/"
        return Endpoint(place.host, place.port, path=path, hear=hear, health=self.health, token=token, trouble=trouble)

    def _wire(self) -> None:
        """Bring the links to what the house file and the places ask for."""
        places = (*self._sources, *self._replies, *((self._health,) if self._health else ()))
        own = {p.link: p for p in places if p.options}
        topics = {
            name: (*self.engine.topics.get(name, ()), *(s.topic for s in self._sources if s.type == "mqtt" and s.link == name))
            for name in (*self.engine.house.links, *own)
        }
        self._wiring.update(self.engine.house, topics, own, {s.link for s in self._sources})

    # --- in the house's own thread ----------------------------------------------------------------------------------

    def _later(self, call: Callable[..., object], *arguments: object) -> None:
        self._todo.put(partial(call, *arguments))

    def _trouble(self, why: str) -> None:
        self.engine.trouble(why)

    def _emit(self, record: Record) -> None:
        if self._rehearsal:
            record = replace(record, data={**record.data, "rehearsal": True})
        if self._log is not None:
            self._log.write(record)
        try:
            self._emit_to(record)
        except Exception as error:  # what is shown changes nothing of what is done, and of what is answered
            _log.error("an error where a record is shown", exc_info=error)
            if not self._shown_badly:  # told once, for this may be shown no better
                self._shown_badly = True
                self._later(self.engine.trouble, f"'{record.kind}' can't be shown: {type(error).__name__}: {error}")

    def _result(self, result: Result) -> None:
        if result.order.number >= 0:
            self.engine.result(result)
        elif result.how != "sent":
            command = result.order.command
            what = f"{command.link} {command.topic}" if isinstance(command, TopicCommand) else str(command)
            self.engine.trouble(f"{what}: {result.reason}")

    def _link_changed(self, name: str, up: bool, reason: str) -> None:
        self.engine.link(name, up, reason)
        for place in self._sources if up else ():
            if place.link == name and place.modes:
                self._tell_mode(place)

    def _look_at_mode(self) -> None:
        """Tell the sources when the house is in another mode."""
        talk = self.engine.conversation
        if talk.mode and self._todo.empty():  # what was said in time and waits still counts
            talk.tick(clock())
        mode = talk.mode
        if mode != self._mode:
            self._mode = mode
            told = [place.written for place in self._sources if self._tell_mode(place)]
            self.engine.note("mode", {"mode": mode, **({"sources": told} if told else {})})

    def _tell_mode(self, place: Place) -> bool:
        """Send a source what it is to be told in the mode that is on; False for nothing."""
        line = place.options
        for text in place.modes.get(self._mode, ()):
            assert isinstance(line, StreamOptions), "only serial sources have modes"
            command = BytesCommand(place.link, data=line.written(text))
            self._wiring.post(place.link, Order(-1, 0, command, clock() + MODE_EXPIRES))
        return self._mode in place.modes

    def _say(self, text: str, language: str) -> None:
        for place in self._replies:
            if place.type == "mqtt":
                self._publish(place, text)
        for speaker in self._speakers:
            speaker.say(text)

    def _publish(self, place: Place, text: str, *, retain: bool = False, seconds: float = 5.0) -> None:
        command = TopicCommand(place.link, topic=place.topic, payload=text, qos=1, retain=retain)
        self._wiring.post(place.link, Order(-1, 0, command, clock() + seconds))

    def _hear(
        self, heard: Heard, received: float, source: str, unseen: float, answer: SimpleQueue[Record | None] | None = None
    ) -> None:
        self._room.release()
        record = self.engine.hear(heard, received, source, unseen) if self._stop in ("", INPUT_ENDED) else None
        if answer is not None:
            answer.put(record)

    def _complain(self, why: str) -> None:
        """Have something told of that may come a thousand times before anybody gets to it."""
        if why not in self._complaints:
            self._complaints.add(why)
            self._later(self._complained, why)

    def _complained(self, why: str) -> None:
        self._complaints.discard(why)
        self.engine.trouble(why)

    def _read_reports(self) -> None:
        """Read some of what came in; the rest when those had their turn who spoke meanwhile."""
        for _ in range(AT_ONCE):
            try:
                report = self._reports.get_nowait()
            except Empty:
                break
            self.engine.arrived(*report)
        self._reading = False
        if not self._reports.empty():
            self._reading = True
            self._later(self._read_reports)

    def _changed(self, changed: Changed) -> None:
        if changed.house is not None and changed.matcher is not None:
            if changed.house.sources != self.engine.house.sources:
                self.engine.trouble("the sources were changed; the new ones count from the next start on")
            self.engine.reload(changed.house, changed.matcher)
            self._wire()
        else:
            self.engine.keep(list(changed.problems))

    # --- from other threads -----------------------------------------------------------------------------------------

    def offer(
        self,
        data: bytes,
        source: str,
        answer: SimpleQueue[Record | None] | None = None,
        *,
        wait: bool = False,
        since: float | None = None,
        waited: float = 0.0,
    ) -> bool:
        """Take something heard; False where too much of it waits already.

        Args:
            data: what came in.
            source: where it came from.
            answer: takes the record of it.
            wait: wait for room instead.
            since: when it came in, in seconds on the clock; now by default.
            waited: seconds that it may have waited before.
        """
        codes = self._codes.get(source)
        if codes is not None:
            code = codes.read(data)
            if code not in codes.utterances:
                self._complain(f"{source} sends the code {code[:40]}, which its table does not know")
                if answer is not None:
                    answer.put(None)
                return True
            data = codes.utterances[code].encode()
            if not data:
                if answer is not None:
                    answer.put(None)
                return True
        now = clock()
        received = now if since is None else since
        waited = max(waited, self._pulse.waited(now))
        if not self._room.acquire(blocking=wait):
            self._complain(f"{source} sends faster than the house can listen; some of it is not heard")
            return False
        self._later(self._hear, read_heard(data), received, source, waited, answer)
        return True

    def arrived(self, link: str, place: str, data: bytes, retained: bool, waited: float) -> None:
        """Take what came in over a link, as heard text or as a state."""
        from paho.mqtt.client import topic_matches_sub

        for source in self._sources:
            if source.link != link or not link or (source.type == "mqtt" and not topic_matches_sub(source.topic, place)):
                continue
            known = self.engine.house.links.get(link)
            acknowledge = known.options.acknowledge if known is not None and isinstance(known.options, StreamOptions) else ""
            if retained:
                self._complain(f"{place} keeps a retained message; nobody knows how old it is, and it is not acted on")
            elif not (acknowledge and data.startswith(acknowledge.encode())):
                self.offer(data, source.written, waited=waited)
            break
        if self._reports.qsize() >= MOST_REPORTS:
            self._complain(f"{link} brings in more than the house can read; some of it is lost")
            return
        self._reports.put((link, place, data, retained))
        if not self._reading:
            self._reading = True
            self._later(self._read_reports)

    def _posted(self, source: str, body: bytes, waited: float) -> Mapping[str, Any] | None:
        answer: SimpleQueue[Record | None] = SimpleQueue()
        if not self.offer(body, source, answer, waited=waited):
            raise Busy
        problem = read_heard(body).problem
        if problem:
            raise Unusable(problem)
        try:
            record = answer.get(timeout=ANSWER)
        except Empty:
            raise Busy from None
        return record.plain() if record is not None else None

    def _read_stdin(self, source: str) -> None:
        for line in read_lines(sys.stdin.fileno(), clock):
            if self._stop:
                return
            if line.whole:
                self.offer(line.data, source, wait=True, since=line.since)
            else:
                self._later(self._trouble, "the input ended within a line, which is not acted on")
        self._later(self._source_ended)

    def _source_ended(self) -> None:
        self._open_sources -= 1
        if not self._open_sources:
            self.stop(INPUT_ENDED)

    def _ear(self, place: Place) -> Ear | None:
        """What listens at a place, where that is neither a link nor standard input."""
        hear, trouble = partial(self.offer, source=place.written), partial(self._later, self._trouble)
        changed = partial(self._later, self._link_changed, place.written)
        if place.type in ("tcp", "udp"):
            return Ears(place.type, place.host, place.port, place.frame, place.codes.size if place.codes else 0, hear, trouble)
        if place.type == "websocket":
            return WebSocketEars(place.url, self._environment.get(place.token_env, ""), hear, changed)
        if place.own is None:
            return None
        found = added_source(place.type)
        assert found is not None and issubclass(found, Ear), place.type
        return found.of(place.own, Told(hear, changed, trouble, self._environment))

    def _beat(self) -> None:
        """Notice when this program itself is stopped, or the machine sleeps."""
        while True:
            self._pulse.beat(clock())
            time.sleep(BEAT)

    def _look_after_file(self, watch: Watch) -> None:
        while not self._stop:
            time.sleep(LOOK)
            changed = watch.look()
            if changed is not None:
                self._later(self._changed, changed)

    # --- running ----------------------------------------------------------------------------------------------------

    def stop(self, reason: str) -> None:
        """Listen no more and end, the second time without waiting for what is under way; may be called from a signal handler."""
        now = clock()
        # One Ctrl-C may come twice, to this program and again from the one that started it.
        self._hurry = bool(self._stop) and now - self._stopped_at > TWICE
        if not self._stop:
            self._stop, self._stopped_at = reason, now
        self._todo.put(lambda: None)

    def run(self) -> None:
        """Listen until :meth:`stop`, or until every input has ended."""
        self._pulse = Standstill(clock())  # however long it took to get ready, nothing was waiting meanwhile
        engine = self.engine
        self._wire()
        engine.begin([s.written for s in self._sources], self._before)
        if self._log is not None and self._log.mended:
            engine.trouble(self._log.mended)
        for where, variable in self._variables():
            if variable not in self._environment:
                engine.trouble(f"{where}: the variable {variable} with its token or password is not set")
        for place in (*self._sources, *((self._health,) if self._health else ())):
            if place.type == "http" and not self._token and not is_loopback(place.host):
                engine.trouble(
                    f"{place.written} can be reached by other machines and asks for no token; give it one with --token-env"
                )
            elif place.type in ("tcp", "udp") and not is_loopback(place.host):
                engine.trouble(f"{place.written} can be reached by other machines, and whoever reaches it can speak to the house")
        for source in self._sources:
            ear = self._ear(source)
            if ear is not None:
                self._ears.append(ear)
            if source.type == "stdin":
                threading.Thread(target=self._read_stdin, args=(source.written,), name="stdin", daemon=True).start()
        threading.Thread(target=self._beat, name="pulse", daemon=True).start()
        if self._watch is not None:
            threading.Thread(target=self._look_after_file, args=(self._watch,), name="house file", daemon=True).start()
        next_health = clock() + 1.0
        while not self._stop:
            self._step(min(1.0, max(0.0, engine.due() - clock())))
            if self._health is not None and self._health.type == "mqtt" and clock() >= next_health:
                next_health = clock() + HEALTH
                self._publish(self._health, json.dumps(self.health(), ensure_ascii=False), retain=True, seconds=HEALTH)
        self._end()

    def _step(self, seconds: float) -> None:
        try:
            call = self._todo.get(timeout=seconds)
        except Empty:
            call = self.engine.tick
        try:
            call()
            self.engine.tick()
            self._look_at_mode()
        except Exception as error:  # one line that nobody thought of must not end a house that runs for months
            self._bug(error)

    def _bug(self, error: Exception) -> None:
        _log.error("an error in the program itself", exc_info=error)
        frame = traceback.extract_tb(error.__traceback__)[-1]
        place = f"{Path(frame.filename).stem}:{frame.lineno}"
        self.engine.trouble(f"an error in the program itself at {place}: {type(error).__name__}: {error}")

    def _end(self) -> None:
        """Let what is under way end, report the rest, and close everything."""
        for endpoint in self._endpoints:
            endpoint.close()
        for ears in self._ears:
            ears.close()
        until = clock() + (float("inf") if self._stop == INPUT_ENDED else self._grace)
        while clock() < until and not self._hurry and self._under_way:
            self._step(min(0.2, max(0.0, self.engine.due() - clock())))
        self.engine.stop(self._stop)
        self._wiring.end(self._stop, HURRY if self._hurry else PATIENCE)
        while not self._todo.empty():
            self._todo.get()()
        for speaker in self._speakers:
            speaker.close()
        self.engine.note("stop", {"why": self._stop, **self.engine.counts})
        if self._log is not None:
            self._log.close()

    @property
    def _under_way(self) -> bool:
        return bool(self.engine.busy or not self._todo.empty() or self._wiring.waiting)

    def health(self) -> dict[str, Any]:
        """How the house is: ``uptime`` in seconds, seconds since it last heard and sent something (null for never), and its links."""
        engine, now = self.engine, clock()

        def ago(at: float | None) -> float | None:
            return None if at is None else round(now - at, 1)

        return {
            "house": engine.house.name,
            "time": iso(time.time()),
            "uptime": round(now - engine.started, 1),
            "heard_ago": ago(engine.last_heard),
            "sent_ago": ago(engine.last_sent),
            **engine.counts,
            "links": self._wiring.health(),
            "log": self._log.state if self._log is not None else "none",
        }
