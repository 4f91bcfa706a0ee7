"""The conversation: asleep, awake, a question open, a mode; time comes in with every call."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from copy import copy

from msgspec.structs import replace

from glossa.commands import Action, act, restore
from glossa.commands.action import range_reply
from glossa.conversation.alternatives import MOST_ALTERNATIVES, Candidate
from glossa.conversation.answers import Answer, Answers
from glossa.conversation.event import Event
from glossa.conversation.followup import FollowUps, corrects
from glossa.conversation.modes import Modes
from glossa.conversation.passcode import Keeper, expected, guarded, keeper_of
from glossa.conversation.plan import Planned, about_part, commands_in, heads, next_step, planned
from glossa.conversation.questions import Pending, about, question, which_one
from glossa.conversation.recent import Recent
from glossa.conversation.refusals import why_not
from glossa.conversation.wake import WakeWords
from glossa.house.model import House, Intent
from glossa.house.text import printable
from glossa.house.values import Value
from glossa.language import language_of
from glossa.matching import Match, Matcher, Outcome, Reading
from glossa.matching.result import HIDDEN, SlotValue, hide_passcode

UNCLEAR = frozenset(("confidence", "lead", "missing", "nothing", "filler", "half"))
"""Reasons for which nothing was done at once, after which a text may still be about what was spoken of last."""


class Conversation:
    """One conversation with a house.

    A pure state machine: the clock is handed in with every utterance, in seconds from any start. Time that goes
    backwards counts as standing still.

    Args:
        house: the house.
        matcher: a matcher of the same house, to share what it has compiled.
        state: the known value of every (device, property); the initial ones by default, as for simulated devices.
        secrets: the environment that holds the passcodes; None is offline, where each passcode's ``test`` counts.
        awake: start awake even though the house has a wake word.

    Attributes:
        state: the known value of every (device, property).
        modes: the mode that it is in, and those that it goes back to.
        keepers: the wrong passcodes so far, by :func:`~glossa.conversation.passcode.keeper_of`.
    """

    def __init__(
        self,
        house: House,
        matcher: Matcher | None = None,
        *,
        state: Mapping[tuple[str, str], Value] | None = None,
        secrets: Mapping[str, str] | None = None,
        awake: bool = False,
        mode: str = "",
    ) -> None:
        self.house = house
        self.matcher = matcher or Matcher(house)
        self.state: dict[tuple[str, str], Value] = dict(state) if state is not None else initial_state(house)
        self.modes = Modes(house, self.matcher.mode(mode))
        self.pending: Pending | None = None
        self._always = awake
        self._secrets = secrets
        self._wake = WakeWords(house)
        self._awake_until = float("-inf")
        self._now = float("-inf")
        self.keepers: dict[str, Keeper] = {}
        self._last: tuple[str, float] | None = None
        self._recent = Recent()
        self._spoken = house.languages[0]
        self._follow_ups = FollowUps(self.matcher)
        self._answers = Answers(self.matcher)
        self._doubtful = False

    @property
    def mode(self) -> str:
        """The mode that the house is in, ``""`` for none."""
        return self.modes.now

    # --- time -------------------------------------------------------------------------------------------------------

    def awake(self, at: float) -> bool:
        """Whether the house listens without a wake word at a time."""
        if self._always or self.house.wake is None:
            return True
        if self.mode and self.house.modes[self.mode].awake:
            return True
        return at <= self._awake_until or (self.pending is not None and at <= self.pending.until)

    def tick(self, at: float) -> None:
        """Let time pass: questions and modes run out."""
        self._now = max(self._now, at)
        if self.pending is not None and self._now > self.pending.until:
            self.pending = None
        self.modes.tick(self._now)

    def _listen(self, at: float) -> None:
        if self.house.wake is not None:
            self._awake_until = at + self.house.wake.window

    def _stay(self, at: float) -> None:
        """A conversation that is being used goes on, where the house stays awake after a command."""
        if self._recent.followed is not None:
            self._recent = replace(self._recent, until=max(self._recent.until, at + self.house.window))
        if self.house.wake is not None and self.house.wake.after_command == "stay":
            self._listen(at)

    def _sleep(self) -> None:
        self._awake_until = float("-inf")
        self.pending = None

    # --- utterances -------------------------------------------------------------------------------------------------

    def hear(self, text: str, at: float = 0.0, language: str = "", *, doubtful: bool = False) -> Event:
        """What comes of an utterance.

        Args:
            text: what was heard.
            at: the time in seconds.
            language: a BCP 47 tag, where the recogniser knows it; the house's other languages are off then.
            doubtful: ask back before anything is done, for the recogniser was not sure of the text.

        Raises:
            LookupError: where the house has no such language.
        """
        self._doubtful = doubtful
        text, language = printable(text), self.matcher.language(language)
        self.tick(at)
        at = self._now
        if self._last is not None and text == self._last[0] and at - self._last[1] < self.house.repeat:
            return self._event(text, at, Outcome.ASLEEP, reason="repeated")
        self._last = (text, at)
        woken = self._wake.hear(text) if self.house.wake is not None else None
        if woken is not None:
            self._listen(at)
            if self._wake.idle(woken.rest, language or self.house.languages[0]):
                self.pending = None
                return self._event(
                    text, at, Outcome.WAKE, reply=language_of(self.house, language or self.house.languages[0]).text("awake")
                )
            event = self._understand(woken.rest, at, language)
            return replace(event, utterance=text.removesuffix(woken.rest) + event.utterance)
        if not self.awake(at):
            return self._event(text, at, Outcome.ASLEEP, reason="asleep")
        return self._understand(text, at, language)

    def hear_best(self, alternatives: Sequence[tuple[str, float]], at: float = 0.0, language: str = "") -> Event:
        """What comes of one utterance of which a recogniser gives several texts: the best reading over all of them wins.

        Where another text means something else and is nearly as good, or one that the recogniser is surer of was kept from
        acting by a stop, the house asks back. Of several passcodes only the first counts, so that many texts are no more tries than one.

        Args:
            alternatives: texts with the recogniser's confidence, 0 to 1, its first choice first; at most ``MOST_ALTERNATIVES`` are looked at.
            at: the time in seconds.
            language: as in :meth:`hear`.

        Returns:
            The event; its ``alternative`` is the number of the text that won, from 1, or 0 where there was only one.
        """
        offered = list(dict.fromkeys(alternatives))[:MOST_ALTERNATIVES] or [("", 1.0)]
        if len(offered) == 1:
            return self.hear(offered[0][0], at, language)
        surest = max(c for _, c in offered)
        heard: list[tuple[Candidate, Conversation]] = []
        for number, (text, confidence) in enumerate(offered, 1):
            fork = self._fork()
            event = fork.hear(text, at, language)
            heard.append((Candidate(number, event, confidence, surest), fork))
            if event.reason in ("passcode", "locked") or self._unlocked(event):
                break
        best, fork = max(heard, key=lambda h: h[0].rank)
        last, last_fork = heard[-1]
        if last.event.reason in ("passcode", "locked"):
            best, fork = last, last_fork
        event = best.event
        if best.doubted([c for c, _ in heard], self.house.matching.lead):
            fork = self._fork()
            event = fork.hear(offered[best.number - 1][0], at, language, doubtful=True)
        fork._last = (offered[0][0], fork._now)
        if self._last is not None and offered[0][0] == self._last[0] and fork._now - self._last[1] < self.house.repeat:
            event = self._event(offered[0][0], fork._now, Outcome.ASLEEP, reason="repeated")
            fork = self
        self.__dict__.update(fork.__dict__)
        return replace(event, alternative=best.number)

    def _unlocked(self, event: Event) -> bool:
        return event.outcome == Outcome.ACCEPT and event.intent in guarded(self.house)

    def _fork(self) -> Conversation:
        """The same conversation, to try a text on without any trace in this one."""
        fork = copy(self)
        fork.state, fork.modes = dict(self.state), copy(self.modes)
        fork.keepers = {key: copy(keeper) for key, keeper in self.keepers.items()}
        return fork

    def resume(self, before: Conversation) -> None:
        """Go on where another conversation was, after the house file changed: what still exists is kept.

        Known states, the mode, the window, and the tries and locks of passcodes stay; a question that was open is dropped.
        """
        known = {(d.id, name) for d in self.house.devices.values() for name in d.properties}
        self.state.update({key: value for key, value in before.state.items() if key in known})
        self.modes.resumed(before.modes)
        self._awake_until, self._now, self._last = before._awake_until, before._now, before._last
        self.keepers = dict(before.keepers)
        self._recent = Recent(tuple(d for d in before._recent.devices if d in self.house.devices))

    def _understand(self, text: str, at: float, language: str) -> Event:
        tag = language or (self.pending.language if self.pending else self.matcher.spoken(text, self._spoken))
        self._spoken = tag
        if self.house.wake is not None and self._wake.ends(text):
            self._sleep()
            return self._event(text, at, Outcome.SLEEP, reply=language_of(self.house, tag).text("asleep"))
        if self.pending is not None:
            event = self._answered(text, at, tag, self.pending)
            if event is not None:
                return event
        recent = self._recent
        corrected = self._corrects(text, tag)
        about_another = corrected and (self.pending is not None or recent.refused)
        if recent.followed is not None and at <= recent.until and not about_another:
            event = self._follow_up(text, at, tag, recent.followed, recent.slots)
            if event is not None:
                return event
        match = self.matcher.match(text, language, self.mode)
        if corrected and match.outcome == Outcome.REJECT:
            self.pending = None  # whatever was wrong, what is asked for is not to be done as it was begun
        if match.outcome == Outcome.CANCEL:
            text_id = "cancelled" if self.pending else "nothing"
            self.pending = None
            return self._event(
                text, at, Outcome.CANCEL, reply=language_of(self.house, match.language).text(text_id), language=match.language
            )
        if match.outcome == Outcome.REJECT and recent.changed and self._answers.is_back(text, match.language or tag):
            return self._restore(text, at, match.language or tag)
        if match.outcome != Outcome.ACCEPT and match.reason in UNCLEAR and recent.devices:
            match = self._about_last(text, language, match)
        return self._carry(text, match, at)

    def _corrects(self, text: str, tag: str) -> bool:
        """Whether a text begins with "no" or another word that takes back what was said."""
        grammar = self.matcher.grammar(tag)
        return bool(corrects(grammar.hearing.analyse(text).words, grammar.lexicon.language))

    def _follow_up(self, text: str, at: float, tag: str, intent: Intent, slots: Mapping[str, SlotValue]) -> Event | None:
        """The last command for other devices, or once more; None where the text is no follow-up."""
        if not self.matcher.live(intent, self.mode) or intent.pin is not None:
            return None
        found = self._follow_ups.read(text, intent, slots, tag, less=self._recent.less)
        if found is None:
            return self._followed_and_more(text, at, tag, intent, slots)
        meant, said = found.applied(intent, slots)
        self._stay(at)
        if found.which:
            self.pending = Pending("which", intent.id, said, tag, at + self.house.window, "device", found.devices)
            self._listen(at)
            return self._event(
                text,
                at,
                Outcome.ASK,
                slots=said,
                reply=which_one(self.house, found.devices, tag),
                intent=intent.id,
                reason="which",
            )
        action = act(self.house, meant, said, self.state, tag)
        if action.refused:
            return replace(
                self._event(text, at, Outcome.REJECT, slots=said, reply=action.reply, intent=intent.id), reason=action.refused
            )
        event = self._do(text, at, meant, said, action, None)
        self._recent = replace(self._recent, less=found.less)
        return event

    def _followed_and_more(self, text: str, at: float, tag: str, intent: Intent, slots: Mapping[str, SlotValue]) -> Event | None:
        """A follow-up with further commands behind it: "and the saloon one, then the fan off"; None where it is none."""
        for head, rest in heads(self.matcher, text, tag):
            found = self._follow_ups.read(head, intent, slots, tag, less=self._recent.less)
            parts = commands_in(self.matcher, rest, tag, self.mode) if found is not None and not found.which else ()
            if found is None or not parts:
                continue
            meant, said = found.applied(intent, slots)
            reading = Reading(meant.id, said, 1.0, 0.0, 1.0, 1.0, language=tag)
            first = Planned(Match(head, Outcome.ACCEPT, (reading,), language=tag), meant, said, True)
            return self._carry_all(text, at, (first, *planned(self.house, parts)), None)
        return None

    def _about_last(self, text: str, language: str, match: Match) -> Match:
        """ "a bit brighter", "turn it off": what names no device is about the last one."""
        other = self.matcher.match(text, language, self.mode, self._spoken_of(text, match.language))
        if other.parts and other.outcome == Outcome.ACCEPT:
            return other
        best = other.best
        likelier = match.outcome == Outcome.REJECT or other.outcome == Outcome.ACCEPT or other.confidence > match.confidence
        if best is None or other.outcome == Outcome.REJECT or not likelier:
            return match
        heard = [p for p in best.pieces if p.heard and p.role != "left over"]
        if heard and all(isinstance(best.slots.get(p.role[1:]), (int, float)) for p in heard):
            counted = self.matcher.grammar(best.language).hearing.analyse(text).quantities
            return match if counted else other  # a bare number is an answer where one was asked for, unlike "all the way up"
        return other

    def _spoken_of(self, text: str, tag: str) -> tuple[str, ...]:
        """The devices that the "it" or the "them" of a text means."""
        grammar = self.matcher.grammar(tag or self.house.languages[0])
        said = grammar.hearing.analyse(text).words
        return self._recent.meant(self.house, several=any(w in grammar.lexicon.language.grammar.them for w in said))

    def _carry(self, text: str, match: Match, at: float) -> Event:
        if match.parts:
            return self._carry_all(match.hidden, at, planned(self.house, match.parts), match)
        best = match.best
        if match.reason == "half":
            reply = language_of(self.house, match.language).text("half", part=match.detail)
            return self._event(text, at, Outcome.REJECT, match, reply=reply)
        if best is None:
            reply = language_of(self.house, self._spoken).text("rejected")
            return self._event(text, at, Outcome.REJECT, reply=reply, match=match)
        intent = self.house.intents[best.intent]
        slots = dict(best.slots)
        said_pin = str(slots.pop("pin", ""))
        text = hide_passcode(text, best)
        action = act(self.house, intent, slots, self.state, best.language) if not best.missing and not best.which else Action()
        if match.outcome == Outcome.REJECT:
            self._recent = replace(self._recent, refused=self._recent.refused or "device" in best.said)
            if match.confidence >= intent.matching.confirm:
                self._stay(at)
            if match.reason == "range" and not best.missing and not best.which:
                # The range was just told, so a bare number is an answer.
                self._listen(at)
                self.pending = Pending("missing", intent.id, slots, best.language, at + self.house.window, match.detail, (), best)
            return self._event(text, at, Outcome.REJECT, match, slots, reply=why_not(self.matcher, match, best, intent))
        if action.refused and not best.missing and not best.which:
            self._stay(at)
            return replace(self._event(text, at, Outcome.REJECT, match, slots, reply=action.reply), reason=action.refused)
        if match.outcome in (Outcome.CONFIRM, Outcome.ASK):
            if match.reason == "pin":
                return self._passcode(text, at, match, intent, slots, said_pin, best.language)
            self._listen(at)
            asked = question(self.house, match, best, intent, action)
            device = slots.get("device")
            self.pending = Pending(
                kind=match.reason if match.outcome == Outcome.ASK else "confirm",
                intent=intent.id,
                slots=slots,
                language=best.language,
                until=at + self.house.window,
                slot=match.detail if match.reason == "missing" else "device",
                candidates=device if match.reason == "which" and isinstance(device, tuple) else (),
                reading=best,
                asked=asked,
            )
            return self._event(text, at, match.outcome, match, slots, action, asked)
        return self._do(text, at, intent, slots, action, match)

    def _do(
        self, text: str, at: float, intent: Intent, slots: Mapping[str, SlotValue], action: Action, match: Match | None
    ) -> Event:
        if self._doubtful and intent.confirm != "never":
            return self._in_doubt(text, at, intent, slots, action, match)
        self._changed(self._done(intent, slots, action, at))
        return self._event(text, at, Outcome.ACCEPT, match, slots, action, action.reply, intent=intent.id)

    def _done(self, intent: Intent, slots: Mapping[str, SlotValue], action: Action, at: float) -> dict[tuple[str, str], Value]:
        """Take note of what is carried out; -> the values that it changed, as they were."""
        self.pending = None
        changes = dict(action.changes or {})
        before = {k: self.state[k] for k in changes if k in self.state}
        self.state.update(changes)
        self._recent = self._recent.after(self.house, intent, slots, at + self.house.window)
        if intent.leave_mode:
            self.modes.leave()
        if intent.enter_mode:
            self.modes.enter(intent.enter_mode)
        self.modes.used(at)
        if self.house.wake is not None:
            if self.house.wake.after_command == "stay":
                self._listen(at)
            else:
                self._sleep()
        return before

    def _changed(self, before: Mapping[tuple[str, str], Value]) -> None:
        """Take note of values as they were, to go back to them."""
        if before:
            self._recent = replace(self._recent, changed=before)

    def _in_doubt(
        self, text: str, at: float, intent: Intent, slots: Mapping[str, SlotValue], action: Action, match: Match | None
    ) -> Event:
        """Ask back before doing what is clear enough as a text, but not the only text that was offered."""
        tag = match.language if match else self.house.languages[0]
        self._listen(at)
        self.pending = Pending("confirm", intent.id, slots, tag, at + self.house.window, reading=match.best if match else None)
        question = language_of(self.house, tag).text("confirm", what=action.reply or intent.id.replace("_", " "))
        event = self._event(text, at, Outcome.CONFIRM, match, slots, action, question, intent=intent.id)
        return replace(event, reason="alternatives", detail="")

    def _restore(self, text: str, at: float, tag: str) -> Event:
        """ "back to what it was": the values before the last change."""
        recent = self._recent
        action = restore(self.house, recent.changed, tag)
        return self._do(text, at, recent.intent, {"device": tuple(dict.fromkeys(d for d, _ in recent.changed))}, action, None)

    # --- several commands -------------------------------------------------------------------------------------------

    def _carry_all(self, text: str, at: float, plan: tuple[Planned, ...], match: Match | None) -> Event:
        """Several commands, all or nothing: refused, asked back or confirmed for one of them, or carried out one after the other."""
        doubted = self._doubtful or (match is not None and match.outcome == Outcome.CONFIRM)
        step = next_step(self.matcher, plan, self.state, doubted=doubted)
        if step.outcome == Outcome.REJECT:
            return self._of_several(text, at, step.outcome, plan, (), step.reply, match, step.reason, step.detail)
        if step.outcome == Outcome.ASK:
            return self._ask_part(text, at, plan, step.number, step.actions, match)
        if step.outcome == Outcome.CONFIRM:
            self._listen(at)
            tag = plan[0].match.language
            self.pending = Pending("confirm", plan[0].intent.id, {}, tag, at + self.house.window, plan=plan)
            return self._of_several(text, at, step.outcome, plan, step.actions, step.reply, match)
        before: dict[tuple[str, str], Value] = {}
        for part, action in zip(plan, step.actions, strict=True):
            changed = self._done(part.intent, part.slots, action, at)
            before |= {key: value for key, value in changed.items() if key not in before}
        self._changed(before)
        return self._of_several(text, at, step.outcome, plan, step.actions, step.reply, match)

    def _ask_part(
        self, text: str, at: float, plan: tuple[Planned, ...], number: int, actions: Sequence[Action], match: Match | None
    ) -> Event:
        """Ask what one of several commands needs: a value, which device, or its passcode."""
        part = plan[number]
        asked, best, tag = part.match, part.match.best, part.match.language
        assert best is not None
        if asked.reason == "pin":
            said = str(best.slots.get("pin", ""))
            event = self._passcode(text, at, match, part.intent, part.slots, said, tag, plan, number)
            if event.outcome == Outcome.ACCEPT:
                return event
            reply = about_part(self.house, part, event.reply)
            return self._of_several(text, at, event.outcome, plan, actions, reply, match, event.reason or "pin")
        self._listen(at)
        device, said = part.slots.get("device"), question(self.house, asked, best, part.intent, Action())
        self.pending = Pending(
            kind=asked.reason,
            intent=part.intent.id,
            slots=part.slots,
            language=tag,
            until=at + self.house.window,
            slot=asked.detail if asked.reason == "missing" else "device",
            candidates=device if asked.reason == "which" and isinstance(device, tuple) else (),
            reading=best,
            plan=plan,
            number=number,
            asked=said,
        )
        reply = about_part(self.house, part, said)
        return self._of_several(text, at, Outcome.ASK, plan, actions, reply, match, asked.reason, asked.detail)

    def _settle(self, text: str, at: float, plan: tuple[Planned, ...], number: int, slots: Mapping[str, SlotValue]) -> Event:
        """One of several commands has all that it needs; the others may still be asked about."""
        done = replace(plan[number], slots=slots, settled=True)
        return self._carry_all(text, at, (*plan[:number], done, *plan[number + 1 :]), None)

    def _of_several(
        self,
        text: str,
        at: float,
        outcome: Outcome,
        plan: Sequence[Planned],
        actions: Sequence[Action],
        reply: str,
        match: Match | None,
        reason: str = "",
        detail: str = "",
    ) -> Event:
        """The event of several commands, with one for each of them."""
        taken = [*actions, *([Action()] * (len(plan) - len(actions)))]
        parts = tuple(
            self._event(p.match.hidden, at, outcome, p.match, p.slots, a, a.reply, intent=p.intent.id)
            for p, a in zip(plan, taken, strict=True)
        )
        whole = self._event(text, at, outcome, match, reply=reply, intent="+".join(p.intent.id for p in plan), reason=reason)
        changes = {k: v for part in parts for k, v in part.changes.items()}
        return replace(
            whole,
            commands=tuple(c for part in parts for c in part.commands),
            changes=changes,
            confidence=min(part.confidence for part in parts),
            language=plan[0].match.language,
            detail=detail or whole.detail,
            parts=parts,
        )

    # --- questions --------------------------------------------------------------------------------------------------

    def _answered(self, text: str, at: float, tag: str, pending: Pending) -> Event | None:
        """What comes of an answer to the open question; None where the text is no answer."""
        answer = self._answers.read(
            text,
            pending.kind,
            pending.slot,
            pending.candidates,
            self.house.intents[pending.intent],
            pending.slots,
            pending.language,
        )
        reading, device = pending.reading, pending.slots.get("device", "")
        if answer is None and pending.kind == "confirm" and reading is not None:
            answer = Answer("yes") if self._answers.agrees(text, reading, device, self.mode) else None
        if answer is None:
            spoken = self.matcher.spoken(text, pending.language)
            if spoken != pending.language:
                return self._answered(text, at, tag, replace(pending, language=spoken))
            return self._answered_and_more(text, at, pending)
        intent = self.house.intents[pending.intent]
        if answer.kind in ("no", "cancel"):
            self.pending = None
            return self._event(text, at, Outcome.CANCEL, reply=language_of(self.house, pending.language).text("cancelled"))
        slots = dict(pending.slots)
        if pending.kind == "pin":
            said = answer.value if isinstance(answer.value, str) else ""
            return self._passcode(HIDDEN, at, None, intent, slots, said, pending.language, pending.plan, pending.number)
        if pending.plan and pending.kind == "confirm":
            return self._carry_all(text, at, tuple(replace(part, settled=True) for part in pending.plan), None)
        return self._complete(text, at, pending, intent, slots, answer)

    def _answered_and_more(self, text: str, at: float, pending: Pending) -> Event | None:
        """An answer with further commands behind it: "forty, and the fan off"; None where it is none."""
        reading, intent, tag = pending.reading, self.house.intents[pending.intent], pending.language
        if reading is None or pending.kind == "pin":
            return None
        for head, rest in heads(self.matcher, text, tag):
            answer = self._answers.read(head, pending.kind, pending.slot, pending.candidates, intent, pending.slots, tag)
            if answer is None or answer.kind not in ("value", "yes") or answer.which or answer.outside:
                continue
            parts = commands_in(self.matcher, rest, tag, self.mode)
            if not parts:
                continue
            slots = pending.answered(answer.value) if answer.kind == "value" else pending.slots
            done = Planned(Match(head, Outcome.ACCEPT, (reading,), language=tag), intent, slots, True)
            plan = (*pending.plan[: pending.number], done, *pending.plan[pending.number + 1 :]) if pending.plan else (done,)
            return self._carry_all(text, at, (*plan, *planned(self.house, parts)), None)
        return None

    def _complete(
        self, text: str, at: float, pending: Pending, intent: Intent, slots: dict[str, SlotValue], answer: Answer
    ) -> Event:
        if answer.kind == "value":
            slots = {**slots, pending.slot: answer.value} if answer.which else pending.answered(answer.value)
        if answer.devices:  # "no, the bench lamp"
            slots["device"] = answer.devices
            pending = replace(pending, slots=slots, until=at + self.house.window)
        if answer.kind == "devices":
            self.pending = pending
            self._listen(at)
            reply = about(self.house, answer.devices, pending.asked, pending.language)
            event = self._event(text, at, Outcome.ASK, slots=slots, reply=reply, intent=intent.id)
            return replace(event, reason=pending.kind, detail=pending.slot)
        if answer.outside:
            reply = range_reply(self.house, intent, slots, pending.slot, pending.language)
            self.pending = replace(pending, until=at + self.house.window)
            return replace(
                self._event(text, at, Outcome.REJECT, slots=slots, reply=reply, intent=intent.id),
                reason="range",
                detail=pending.slot,
            )
        if answer.which and isinstance(answer.value, tuple):
            self.pending = replace(pending, slots=slots, candidates=answer.value, until=at + self.house.window)
            self._listen(at)
            question = which_one(self.house, answer.value, pending.language)
            return self._event(text, at, Outcome.ASK, slots=slots, reply=question, intent=intent.id)
        if pending.plan:
            return self._settle(text, at, pending.plan, pending.number, slots)
        action = act(self.house, intent, slots, self.state, pending.language)
        if action.refused:
            self.pending = replace(pending, until=at + self.house.window) if action.refused == "range" else None
            return replace(
                self._event(text, at, Outcome.REJECT, slots=slots, reply=action.reply, intent=intent.id), reason=action.refused
            )
        if intent.pin is not None:
            return self._passcode(text, at, None, intent, slots, "", pending.language)
        if intent.confirm == "always" and pending.kind != "confirm":
            reading = Reading(intent.id, slots, 1.0, 0.0, 1.0, 1.0, language=pending.language)
            return self._carry(text, Match(text, Outcome.CONFIRM, (reading,), 1.0, "always", "", pending.language), at)
        return self._do(text, at, intent, slots, action, None)

    def _passcode(
        self,
        text: str,
        at: float,
        match: Match | None,
        intent: Intent,
        slots: Mapping[str, SlotValue],
        said: str,
        tag: str,
        plan: tuple[Planned, ...] = (),
        number: int = 0,
    ) -> Event:
        language = language_of(self.house, tag)
        pin = intent.pin
        assert pin is not None
        keeper = self.keepers.setdefault(keeper_of(intent), Keeper())
        code = expected(pin, self._secrets)
        wait = keeper.locked(at)
        if not code or wait:
            self.pending = None
            reply = language.text("pin_locked", seconds=round(wait)) if wait else language.text("pin_missing")
            return replace(
                self._event(text, at, Outcome.REJECT, match, slots, reply=reply, intent=intent.id),
                reason="locked" if wait else "no passcode",
            )
        action = act(self.house, intent, slots, self.state, tag)
        if said and keeper.check(pin, code, said, at):
            return self._settle(text, at, plan, number, slots) if plan else self._do(text, at, intent, slots, action, match)
        self._listen(at)
        locked = keeper.locked(at)
        asked = Pending("pin", intent.id, slots, tag, at + self.house.window, "pin", plan=plan, number=number)
        self.pending = None if locked else asked
        if not said:
            return self._event(text, at, Outcome.ASK, match, slots, action, language.text("pin"), intent=intent.id)
        reply = language.text("pin_locked", seconds=round(locked)) if locked else language.text("pin_wrong")
        return replace(self._event(text, at, Outcome.REJECT, match, slots, reply=reply, intent=intent.id), reason="passcode")

    def _event(
        self,
        text: str,
        at: float,
        outcome: Outcome,
        match: Match | None = None,
        slots: Mapping[str, SlotValue] | None = None,
        action: Action | None = None,
        reply: str = "",
        *,
        intent: str | None = None,
        reason: str = "",
        language: str = "",
    ) -> Event:
        best = match.best if match else None
        return Event(
            utterance=text,
            at=at,
            outcome=outcome,
            intent=intent or (best.intent if best else None),
            slots={k: v for k, v in (slots or {}).items() if k != "pin"},
            commands=action.commands if action else (),
            reply=reply,
            changes=dict(action.changes or {}) if action and outcome == Outcome.ACCEPT else {},
            score=match.score if match else 0.0,
            confidence=match.confidence if match else 0.0,
            lead=match.lead if match else 0.0,
            language=language or (match.language if match else ""),
            reason=reason or (match.reason if match else ""),
            detail=match.detail if match else "",
            mode=self.mode,
            awake=self.awake(at),
            match=match,
        )


def initial_state(house: House) -> dict[tuple[str, str], Value]:
    """Where the simulated devices of a house start."""
    return {(d.id, name): p.values.start() for d in house.devices.values() for name, p in d.properties.items()}
