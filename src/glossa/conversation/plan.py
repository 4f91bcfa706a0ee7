"""Several commands of one utterance: what is to be done next about all of them, and where an answer ends and further commands begin."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from msgspec import Struct

from glossa.commands import Action, act
from glossa.commands.action import State
from glossa.conversation.refusals import why_not
from glossa.hearing.tokens import MOST_TOKENS
from glossa.house.model import House, Intent
from glossa.language import language_of
from glossa.matching import Match, Matcher, Outcome
from glossa.matching.compound import boundaries
from glossa.matching.result import SlotValue


class Planned(Struct, frozen=True):
    """One of several commands of an utterance: what it does, what it was understood by, and whether nothing more has to be asked about it."""

    match: Match
    intent: Intent
    slots: Mapping[str, SlotValue]
    settled: bool = False


class Step(Struct, frozen=True):
    """What is to be done next about several commands.

    Attributes:
        outcome: ``reject``, ``ask``, ``confirm`` or ``accept``, for all of them.
        reply: what the house says; ``""`` where a part is asked about.
        number: the part that is refused or asked about.
        reason, detail: why, in short names.
        actions: of every part, empty for one that still lacks something.
    """

    outcome: Outcome
    reply: str = ""
    number: int = 0
    reason: str = ""
    detail: str = ""
    actions: tuple[Action, ...] = ()


def planned(house: House, parts: Sequence[Match]) -> tuple[Planned, ...]:
    """The parts of an utterance as they were understood; a passcode is left to whoever asks for it."""
    known = [(part, part.best) for part in parts]
    return tuple(
        Planned(m, house.intents[best.intent], {k: v for k, v in best.slots.items() if k != "pin"})
        for m, best in known
        if best is not None
    )


def next_step(matcher: Matcher, plan: Sequence[Planned], state: State, *, doubted: bool) -> Step:
    """What is to be done next: all or nothing, so that one part that is refused or unclear holds back the others.

    Args:
        matcher: of the house.
        plan: the commands in their order.
        state: the known values; each command works on what those before it leave.
        doubted: whether the house asks back before it does anything.
    """
    for number, part in enumerate(plan):
        refused = part.match.best if part.match.outcome == Outcome.REJECT and not part.settled else None
        if refused is not None:
            reply = about_part(matcher.house, part, why_not(matcher, part.match, refused, part.intent))
            return Step(Outcome.REJECT, reply, number, part.match.reason, part.match.detail)
    values, actions = dict(state), []
    for number, part in enumerate(plan):
        best = part.match.best
        lacking = best is not None and not part.settled and (best.missing or best.which)
        action = Action() if lacking else act(matcher.house, part.intent, part.slots, values, part.match.language)
        if action.refused:
            return Step(Outcome.REJECT, about_part(matcher.house, part, action.reply), number, action.refused)
        values.update(action.changes or {})
        actions.append(action)
    for number, part in enumerate(plan):
        if part.match.outcome == Outcome.ASK and not part.settled:
            return Step(Outcome.ASK, "", number, actions=tuple(actions))
    reply = ", ".join(dict.fromkeys(a.reply for a in actions if a.reply))
    if doubted and any(not part.settled for part in plan):
        question = language_of(matcher.house, plan[0].match.language).text("confirm", what=reply)
        return Step(Outcome.CONFIRM, question, actions=tuple(actions))
    return Step(Outcome.ACCEPT, reply, actions=tuple(actions))


def about_part(house: House, part: Planned, reply: str) -> str:
    """A reply that says which part it is about."""
    return language_of(house, part.match.language).text("part", part=part.match.hidden, reply=reply)


def heads(matcher: Matcher, text: str, tag: str) -> list[tuple[str, str]]:
    """The ways to part a text in two where a command may end, at a word such as "and" or a pause."""
    grammar = matcher.grammar(tag)
    utterance = grammar.hearing.analyse(text)
    count = len(utterance.words)
    places = boundaries(utterance, (), grammar.lexicon.language) if 0 < count <= MOST_TOKENS else []
    return [(utterance.written(0, p.end), utterance.written(p.start, count)) for p in places if p.joined or p.pause]


def commands_in(matcher: Matcher, text: str, tag: str, mode: str) -> tuple[Match, ...]:
    """The commands that stand behind an answer or a follow-up; none where they are not understood."""
    more = matcher.match(text, tag, mode)
    clear = more.outcome not in (Outcome.REJECT, Outcome.CANCEL)
    return tuple(m for m in (more.parts or (more,)) if m.best is not None) if clear else ()
