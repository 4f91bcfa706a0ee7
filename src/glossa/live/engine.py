"""The house at work: heard lines into orders, results and reports into states, and a record of all of it.

Everything here happens in one thread and on clocks that are handed in.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Mapping
from copy import copy
from typing import Any

from glossa.commands import Command, WaitCommand
from glossa.commands.action import names
from glossa.commands.states import States
from glossa.conversation import Conversation, Event
from glossa.conversation.conversation import initial_state
from glossa.conversation.passcode import Keeper, guarded, keeper_of, lasting, unsayable
from glossa.conversation.secrecy import DOUBT, Secrecy
from glossa.house.links import LinkOptions
from glossa.house.model import House
from glossa.house.values import Value
from glossa.language import language_of, meant
from glossa.live.before import Before, Unfinished, as_plain
from glossa.live.echo import Echo
from glossa.live.heard import Heard
from glossa.live.outbox import Order, Result
from glossa.live.records import Record, iso
from glossa.live.sequence import Sequence
from glossa.live.throttle import MOST_KEYS, Throttle
from glossa.matching import Matcher, Outcome
from glossa.matching.meaning import targets
from glossa.matching.result import HIDDEN

MAX_AGE = 5.0
MOST_SHOWN = 500
MOST_SEQUENCES = 1000
REMEMBERED = 2000
"""How many utterances' matches are kept, for households say the same things."""


class Engine:
    """A house that listens and acts.

    Args:
        house: the house.
        post: takes the orders for a link.
        emit: takes the records.
        clock: seconds on a clock that never goes back.
        wall: seconds since 1970 (UTC), which may jump; only shown, and compared with the times that a recogniser gives.
        environment: where passcodes are found; without its variable an intent refuses.
        matcher: of the same house, to share what it has compiled.
        say: takes what the house says, with its language.
        awake: listen without the wake word.
        max_age: seconds after which something heard is too old to be acted on.
        least_confidence: what a recogniser is less sure of, 0 to 1, is not acted on.
        error_reply: what the house says when the recogniser reports an error; ``""`` for nothing.
        echo: seconds in which a text that is word for word what the house has just said is its own voice and not acted on.
        why: put the whole explanation of each reading into its record.
    """

    def __init__(
        self,
        house: House,
        *,
        post: Callable[[str, Order], None],
        emit: Callable[[Record], None],
        clock: Callable[[], float],
        wall: Callable[[], float],
        environment: Mapping[str, str],
        matcher: Matcher | None = None,
        say: Callable[[str, str], None] = lambda text, language: None,
        awake: bool = False,
        max_age: float = MAX_AGE,
        least_confidence: float = 0.0,
        error_reply: str = "",
        why: bool = False,
        echo: float = 0.0,
    ) -> None:
        self._post, self._emit_to, self._clock, self._wall, self._say_to = post, emit, clock, wall, say
        self._environment, self._awake = environment, awake
        self._max_age, self._least_confidence, self._error_reply = max_age, least_confidence, error_reply
        self._why, self._echo_seconds = why, echo
        self._throttle = Throttle()
        self._held: dict[tuple[str, str], Mapping[str, Any]] = {}
        self._number = 0
        self._up: dict[str, bool] = {}
        self._sequences: dict[int, Sequence] = {}
        self._timers: list[tuple[float, int]] = []
        self.started = clock()
        self._doubt_until = float("-inf")
        self.last_heard: float | None = None
        self.last_sent: float | None = None
        self.counts = {"heard": 0, "accepted": 0, "sent": 0, "failed": 0}
        self._use(house, matcher or Matcher(house, remember=REMEMBERED))

    def _use(self, house: House, matcher: Matcher) -> None:
        self.house = house
        self._states = States(house)
        self._secrecy = Secrecy(matcher, [self._environment])
        self._guarded = guarded(house)
        self._echo = Echo(matcher, self._echo_seconds)
        self.conversation = Conversation(
            house, matcher, state=_known_at_first(house), secrets=self._environment, awake=self._awake
        )

    @property
    def topics(self) -> Mapping[str, tuple[str, ...]]:
        """Where the devices of each link report."""
        return self._states.topics

    # --- heard ------------------------------------------------------------------------------------------------------

    def hear(self, heard: Heard, received: float | None = None, source: str = "", unseen: float = 0.0) -> Record | None:
        """What comes of something heard; the record of it, or None where it was nothing or kept back.

        Args:
            heard: what the recogniser sent.
            received: when, on the clock; now by default.
            source: where it came from, for the record.
            unseen: seconds that it may have waited before it was received; where the recogniser gives the time, that counts.
        """
        now = self._clock()
        received = now if received is None else received
        if heard.error or heard.problem:
            kind, why = ("error", heard.error) if heard.error else ("ignored", heard.problem)
            made = self._now_and_then(
                kind, f"{source} {why[:40]}", {"why": why, "text": self._shown(heard.text), "source": source}
            )
            if made is not None and heard.error and self._error_reply:
                self._say(0, self._error_reply, self.house.languages[0])
            return made
        if not heard.final or (not heard.text and len(heard.alternatives) < 2):
            return None
        here = max(0.0, now - received)
        said_ago = self._wall() - heard.time if heard.time is not None else here + unseen
        age = max(here, said_ago)
        self.last_heard = now
        self.counts["heard"] += 1
        if age > self._max_age:
            late = {"why": "late", "text": self._shown(heard.text), "age": round(age, 1), "source": source}
            return self._now_and_then("ignored", f"{source} late", late)
        if said_ago < -self._max_age:
            ahead = {
                "why": "its time is ahead",
                "text": self._shown(heard.text),
                "seconds": round(-said_ago, 1),
                "source": source,
            }
            return self._now_and_then("ignored", f"{source} ahead", ahead)
        if heard.confidence is not None and heard.confidence < self._least_confidence:
            unsure = {"why": "unsure", "text": self._shown(heard.text), "confidence": heard.confidence, "source": source}
            return self._emit("ignored", 0, unsure)
        if self._echo.heard(heard.text, now):
            return self._emit("ignored", 0, {"why": "the house's own voice", "text": self._shown(heard.text), "source": source})
        self._number += 1
        return self._understand(heard, received, now - age, source)

    def _understand(self, heard: Heard, received: float, said: float, source: str) -> Record:
        talk = self.conversation
        before, asked = dict(talk.state), self._asks_for_a_passcode
        wrong = {key: copy(keeper) for key, keeper in talk.keepers.items()}
        event = talk.hear_best(heard.alternatives, received, self._language(heard.language))
        if asked or self._asks_for_a_passcode or event.intent in self._guarded:
            self._doubt_until = self._clock() + DOUBT
        data = {**self._data(event, before, asked), "source": source, "at": round(received - self.started, 3)}
        if heard.confidence is not None:
            data["confidence"] = heard.confidence
        if event.alternative:
            data |= {"alternative": event.alternative, "of": len(heard.alternatives)}
        if self._why and event.match is not None and HIDDEN not in data["utterance"]:
            data["why"] = event.match.explain()
        self._note_locks(wrong)
        sequence = self._sequence(event, before, said)
        if sequence is not None:
            self.counts["accepted"] += 1
            self._sequences[sequence.number] = sequence
            if any(not self._up.get(link, False) for link in sequence.links):
                sequence.reply, data["reply"] = data["reply"], ""  # until it is clear whether it can be reached
            if sequence.waits:
                lasting = [as_plain(c) for c in event.commands if not isinstance(c, WaitCommand)]
                self._emit("begun", self._number, {"commands": lasting})
            self._advance(sequence)
        if data["reply"]:
            self._voice(data["reply"], event.language or self.house.languages[0])
        return self._emit("heard", self._number, data)

    def _language(self, tag: str) -> str:
        """The language of the house that a tag means, ``""`` where it has none such: all compete then."""
        return meant(tag, self.house.languages) if len(self.house.languages) > 1 and tag else ""

    @property
    def _asks_for_a_passcode(self) -> bool:
        return self.conversation.pending is not None and self.conversation.pending.kind == "pin"

    def _in_doubt(self, event: Event | None = None) -> bool:
        """Whether digits may be a passcode that nobody knows: not those of a command that was understood and needs none."""
        understood = event is not None and event.outcome not in (Outcome.REJECT, Outcome.ASLEEP)
        plain = understood and event is not None and event.intent is not None and event.intent not in self._guarded
        return self._clock() < self._doubt_until and not plain

    def _note_locks(self, before: Mapping[str, Keeper]) -> None:
        """Keep what is known of wrong passcodes, so that it outlives the program."""
        for key, keeper in self.conversation.keepers.items():
            if keeper != before.get(key, Keeper()):
                opens = keeper.locked_until - self._clock()
                until = {"until": self._wall() + opens} if opens > 0 else {}
                self._emit("lock", self._number, {"passcode": key, "wrong": keeper.wrong, "rounds": keeper.rounds, **until})

    def _data(self, event: Event, before: Mapping[tuple[str, str], Value], asked: bool) -> dict[str, Any]:
        data = event.plain()
        utterance = self._secrecy.utterance(event, asked=asked, doubt=self._in_doubt(event))
        if utterance != event.utterance:
            # Other readings of the same words would tell what was hidden.
            data["alternatives"] = []
            data["slots"] = {} if asked or self._in_doubt(event) else data["slots"]
        data |= {
            "utterance": utterance[:MOST_SHOWN],
            "reason": event.reason,
            "detail": "" if utterance != event.utterance else event.detail,
            "mode": event.mode,
            "awake": event.awake,
        }
        data = self._secrecy.record(data, doubt=self._in_doubt(event))
        data["reply"] = self._secrecy.reply(event.reply, event.utterance, doubt=self._in_doubt(event))
        keys = []
        for one in event.parts or (event,):
            intent = self.house.intents.get(one.intent or "")
            if intent is not None and (intent.change or intent.read):
                # What the answer depended on, so that it can be played again.
                keys += [(d, p) for d in targets(self.house, intent, one.slots) for p in intent.properties]
        if keys:
            data["before"] = {f"{d}.{p}": before.get((d, p)) for d, p in keys}
        return data

    def _shown(self, text: str) -> str:
        return self._secrecy.text(text[:MOST_SHOWN], doubt=self._in_doubt())

    # --- delivery ---------------------------------------------------------------------------------------------------

    def _sequence(self, event: Event, before: Mapping[tuple[str, str], Value], since: float) -> Sequence | None:
        if event.outcome != Outcome.ACCEPT or not event.commands:
            return None
        language = event.language or self.house.languages[0]
        changed = {key: before.get(key) for key in event.changes}
        return Sequence(self._number, event.commands, since=since, language=language, before=changed)

    def _advance(self, sequence: Sequence) -> None:
        """Post the next commands, or wait, or end."""
        wait = sequence.next_wait()
        if wait is not None:
            heapq.heappush(self._timers, (self._clock() + wait, sequence.number))
            return
        if len(self._sequences) > MOST_SEQUENCES:
            self._drop(sequence, "too much is under way")
            return
        group = sequence.next_group()
        if not group:
            self._sequences.pop(sequence.number, None)
            return
        since = sequence.posted = sequence.since if sequence.first else self._clock()
        for part, command in group:
            expires = (
                self.house.links[command.link].options.expires if command.link in self.house.links else LinkOptions().expires
            )
            self._post(command.link, Order(sequence.number, part, command, since + expires))

    def result(self, result: Result) -> None:
        """Take what became of an order."""
        order = result.order
        sent = result.how == "sent"
        self.counts["sent" if sent else "failed"] += 1
        sequence = self._sequences.get(order.number)
        data: dict[str, Any] = {"link": order.command.link, "command": str(order.command), "how": result.how}
        if result.reason:
            data["reason"] = result.reason
        if sequence is not None:
            data["seconds"] = round(result.at - sequence.posted, 4)
        if sent:
            self.last_sent = result.at
            self._emit("sent", order.number, data)
        else:
            self._emit("failed", order.number, data)
            self._unlearn(order.command, sequence, certain=result.how != "unconfirmed")
        if sequence is None:
            return
        sequence.take(result)
        if result.how in ("sent", "unconfirmed"):
            self._supersede(sequence)
        if sequence.waits_for_results:
            return
        self._tell(sequence)
        if sequence.nothing_sent and sequence.left:
            self._drop(sequence, "the step before it failed")
        else:
            self._advance(sequence)

    def _unlearn(self, command: Command, sequence: Sequence | None, *, certain: bool) -> None:
        """A state that a lost command was to set is what it was before; where the command may have arrived, it is unknown."""
        state = self.conversation.state
        for device, name, value in command.effects:
            if state.get((device, name)) != value:
                continue
            before = sequence.before.get((device, name)) if sequence and certain else None
            if before is None:
                state.pop((device, name), None)
            else:
                state[device, name] = before

    def _supersede(self, newer: Sequence) -> None:
        """What is left of an earlier command to the same property is not sent any more: its time was for another run."""
        for older in list(self._sequences.values()):
            if older.number < newer.number and not older.waits_for_results:
                gone = older.without({(d, n) for c in newer.commands for d, n, _ in c.effects})
                for _part, command in gone:
                    self._emit("failed", older.number, {
                        "link": command.link, "command": str(command), "how": "replaced",
                        "reason": f"by number {newer.number}",
                    })  # fmt: skip
                if gone and not older.left:
                    self._sequences.pop(older.number, None)

    def _tell(self, sequence: Sequence) -> None:
        """Say the held reply, or what could not be reached; once for an utterance."""
        failed, how = sequence.failures()
        if failed and not sequence.told:
            sequence.told = True
            text = language_of(self.house, sequence.language).text(
                {"unconfirmed": "unanswered", "declined": "declined"}.get(how, "unreachable"),
                device=self._things(sequence, failed),
            )
            self._say(sequence.number, text, sequence.language)
        elif sequence.reply and not failed:
            self._say(sequence.number, sequence.reply, sequence.language)
        sequence.reply = ""

    def _things(self, sequence: Sequence, failed: list[Result]) -> str:
        """What was to be reached: devices by name, else links."""
        found = {d for r in failed for d, _, _ in r.order.command.effects}
        links = {r.order.command.link for r in failed}
        found = found or {d for d, _ in sequence.before if self._link_of(d) in links}
        ids = [d for d in self.house.devices if d in found]
        return names(self.house, ids, language_of(self.house, sequence.language)) or ", ".join(sorted(links))

    def _link_of(self, device: str) -> str:
        known = self.house.devices.get(device)
        return known.link or next(iter(self.house.links)) if known else ""

    def _drop(self, sequence: Sequence, reason: str) -> None:
        for _part, command in sequence.rest():
            data = {"link": command.link, "command": str(command), "how": "dropped", "reason": reason}
            self._emit("failed", sequence.number, data)
            self.counts["failed"] += 1
            self._unlearn(command, sequence, certain=True)
        self._sequences.pop(sequence.number, None)

    # --- time -------------------------------------------------------------------------------------------------------

    def due(self) -> float:
        """When :meth:`tick` has something to do, infinity for never."""
        return self._timers[0][0] if self._timers else float("inf")

    def tick(self) -> None:
        """Go on with what waited."""
        while self._timers and self._timers[0][0] <= self._clock():
            sequence = self._sequences.get(heapq.heappop(self._timers)[1])
            if sequence is not None:
                self._advance(sequence)

    @property
    def busy(self) -> int:
        """How many utterances' commands are still under way."""
        return len(self._sequences)

    def stop(self, reason: str) -> None:
        """Report everything that was still to be sent, and how often came what was held back."""
        for kind, key in list(self._held):
            data, held = self._held[kind, key], self._throttle.held(f"{kind} {key}")
            self._emit(kind, 0, {**data, "count": held})
        self._held.clear()
        for sequence in list(self._sequences.values()):
            self._drop(sequence, reason)
        self._timers.clear()

    # --- links ------------------------------------------------------------------------------------------------------

    def arrived(self, link: str, place: str, data: bytes, retained: bool = False) -> None:
        """Take what came in over a link: the states in it; those that a broker had kept are no news."""
        reports, expected = self._states.read(link, place, data, self._clock())
        for report in reports:
            key = (report.device, report.property)
            if self.conversation.state.get(key) != report.value:
                self.conversation.state[key] = report.value
                if not retained:
                    self._emit("state", 0, {"device": report.device, "property": report.property, "value": report.value})
        if expected and not reports:
            shown = data[:60].decode("utf-8", errors="replace")
            self._now_and_then("trouble", f"{link} {place}", {"why": f"{link} {place} reports '{shown}', which is no value"})

    def link(self, name: str, up: bool, reason: str) -> None:
        """Take that a link came up or went down."""
        self._up[name] = up
        self._emit("link", 0, {"link": name, "state": "up" if up else "down", **({"reason": reason} if reason else {})})

    # --- the house file ---------------------------------------------------------------------------------------------

    def reload(self, house: House, matcher: Matcher) -> None:
        """Go on with a changed house: states, mode and window stay."""
        before = self.conversation
        self._use(house, matcher)
        self.conversation.resume(before)
        self._up = {name: up for name, up in self._up.items() if name in house.links}
        self._emit("house", 0, {"state": "loaded", "name": house.name})

    def keep(self, problems: list[str]) -> None:
        """Note that a changed house file is wrong, and the house as it was goes on."""
        self._emit("house", 0, {"state": "kept", "problems": problems})

    # --- records ----------------------------------------------------------------------------------------------------

    def begin(self, sources: list[str], before: Before | None = None) -> None:
        """Record that the house begins to listen, what keeps it from working as it should, and what was left from before.

        Args:
            sources: where it listens.
            before: what the log of an earlier run tells.
        """
        self._emit("start", 0, {"house": self.house.name, "sources": sources})
        for intent in self.house.intents.values():
            why = unsayable(intent.pin, self._environment) if intent.pin is not None else ""
            if why:
                self.trouble(f"{intent.id} refuses until this is mended: {why}")
        if before is None:
            return
        for lock in before.locks:
            opens = min(float(lock.get("until") or 0.0) - self._wall(), self._longest(lock["passcode"], lock["rounds"]))
            until = self._clock() + opens if opens > 0 else float("-inf")
            self.conversation.keepers[lock["passcode"]] = Keeper(lock["wrong"], lock["rounds"], until)
        for begun in before.unfinished:
            self._left_over(begun)

    def _longest(self, passcode: str, rounds: int) -> float:
        """How long the lock of a passcode lasts at most from now on, whatever clock it was set by."""
        pins = (i.pin for i in self.house.intents.values() if i.pin is not None and keeper_of(i) == passcode)
        return max((lasting(pin, rounds - 1) for pin in pins), default=0.0)

    def _left_over(self, begun: Unfinished) -> None:
        """Report what an earlier run was about to send when it ended, and send it where the house says so."""
        lines = "; ".join(map(str, begun.commands))
        left = f"number {begun.number} of {iso(begun.time)} was under way when the program ended, and was not sent: {lines}"
        send = self.house.resume == "send"
        self._emit("trouble", 0, {"why": left + ("; it is sent now" if send else "")})
        if send:
            self._number += 1
            sequence = Sequence(self._number, begun.commands, since=self._clock(), language=self.house.languages[0], before={})
            self._sequences[sequence.number] = sequence
            self._emit("begun", sequence.number, {"commands": [as_plain(c) for c in begun.commands]})
            self._advance(sequence)

    def note(self, kind: str, data: Mapping[str, Any]) -> None:
        """Record something that happened elsewhere."""
        self._emit(kind, 0, data)

    def trouble(self, why: str) -> None:
        """Record something that went wrong elsewhere; the same thing less and less often."""
        self._now_and_then("trouble", why, {"why": why})

    def _say(self, number: int, text: str, language: str) -> None:
        self._voice(text, language)
        self._emit("said", number, {"reply": text})

    def _voice(self, text: str, language: str) -> None:
        self._echo.said(text, self._clock())
        self._say_to(self._secrecy.text(text), language)

    def _now_and_then(self, kind: str, key: str, data: Mapping[str, Any]) -> Record | None:
        count = self._throttle.count(f"{kind} {key}", self._clock())
        if not count:
            if len(self._held) < MOST_KEYS or (kind, key) in self._held:
                self._held[kind, key] = data
            return None
        self._held.pop((kind, key), None)
        return self._emit(kind, 0, {**data, **({"count": count} if count > 1 else {})})

    def _emit(self, kind: str, number: int, data: Mapping[str, Any]) -> Record:
        # Whatever is shown, sent on or kept passes here.
        record = Record(
            kind, self._wall(), number, self._secrecy.record(data, doubt=kind in ("error", "ignored") and self._in_doubt())
        )
        self._emit_to(record)
        return record


def _known_at_first(house: House) -> dict[tuple[str, str], Value]:
    """What is known before anything was reported: only the simulated devices."""
    only = next(iter(house.links))
    simulated = {d.id for d in house.devices.values() if house.links[d.link or only].type == "simulated"}
    return {key: value for key, value in initial_state(house).items() if key[0] in simulated}
