"""Commands that a person writes: in one line, or as a device and what it should be."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

from glossa.commands import BytesCommand, CallCommand, Command, RequestCommand, TextCommand, TopicCommand, WaitCommand, act
from glossa.hearing.devices import Devices
from glossa.hearing.tokens import MOST_TOKENS
from glossa.house.effects import FromSlot
from glossa.house.model import House, Intent
from glossa.house.problems import nearest
from glossa.house.templates import content_of
from glossa.house.values import Value
from glossa.matching import Matcher
from glossa.matching.options import Choices

MOST_COST = 0.04
"""What a written value may cost as a spoken one: next to nothing is guessed here."""


class WrittenError(ValueError):
    """A command that can't be read; the text says what to write instead."""


def read_commands(words: Sequence[str], house: House, matcher: Matcher) -> tuple[Command, ...]:
    """The commands that a person wrote.

    Args:
        words: ``DEVICE PROPERTY=VALUE ...`` where the first word is a device or group and the others hold a ``=``; else one or more
            commands in their one-line form, with `` ; `` between them.
        house: the house.
        matcher: of the house; values are read as they would be spoken or written: ``40``, ``on``, ``warm white``, ``#ffd7a8``.

    Raises:
        WrittenError: where it is neither.
    """
    if words and (words[0] in house.devices or words[0] in house.groups) and words[0] not in house.links:
        return _settings(words[0], words[1:], house, matcher)
    lines = re.split(r"(?<!\\); ?", " ".join(words))
    return tuple(read_line(line.replace("\\;", ";").strip(), house) for line in lines if line.strip())


_EXAMPLES = {
    "topic": "{} some/topic 1", "text": "{0} '\"TEXT\"' (the shell takes one pair of quotes away) or {0} 5C 01", "http": "{} POST /path BODY",
    "call": "{} call NAME",
}  # fmt: skip


def read_line(line: str, house: House) -> Command:
    """A command in its one-line form, as ``say`` prints it.

    Raises:
        WrittenError: where it is none.
    """
    name, _, rest = line.partition(" ")
    rest = rest.strip()
    if name == "wait" and "wait" not in house.links:
        if not re.fullmatch(r"\d+(\.\d+)?", rest):
            raise WrittenError(f"'{rest}' is not a time; write seconds, as in 'wait 2'")
        return WaitCommand(wait=float(rest))
    if name not in house.links:
        hint = nearest(name, (*house.links, *house.devices, *house.groups))
        raise WrittenError(f"'{name}' is no link, device or group of this house ({hint})")
    form = _form(house.links[name].options.takes, rest)
    if form is None:
        takes = house.links[name].options.takes
        example = next(_EXAMPLES[form] for form in ("topic", "text", "http", "call") if form in takes).format(name)
        raise WrittenError(f"'{rest}' is nothing that a {house.links[name].type} link takes; write it as in: {example}")
    first, _, second = rest.partition(" ")
    match form:
        case "text":
            return TextCommand(name, text=rest[1:-1])
        case "bytes":
            return BytesCommand(name, data=bytes.fromhex(rest))
        case "http":
            path, _, body = second.partition(" ")
            return RequestCommand(name, method=first, path=path, body=body, content=content_of(body, http=True))
        case "call":
            return CallCommand(name, call=second.strip())
    if re.search(r"[+#\0]", first):
        raise WrittenError(f"'{first}' holds a wildcard; a command goes to one whole topic")
    options = house.links[name].options
    qos, retain = getattr(options, "qos", 1), getattr(options, "retain", False)
    return TopicCommand(name, topic=first, payload=second, qos=qos, retain=retain)


def _form(takes: Collection[str], rest: str) -> str | None:
    """What a link that takes some forms would take the rest of a line for."""
    found = (
        "text" if re.fullmatch(r'".*"', rest, re.DOTALL)
        else "http" if re.match(r"(GET|POST|PUT|PATCH|DELETE|HEAD|OPTIONS) /", rest)
        else "call" if re.fullmatch(r"call \S+", rest)
        else "bytes" if re.fullmatch(r"[0-9A-Fa-f]{2}( +[0-9A-Fa-f]{2})*", rest)
        else "topic" if rest
        else None
    )  # fmt: skip
    if tuple(takes) == ("topic",) and rest:
        found = "topic"  # a topic may look like anything
    return found if found in takes else None


def _settings(target: str, written: Sequence[str], house: House, matcher: Matcher) -> tuple[Command, ...]:
    ids = house.members(target)
    known = list(dict.fromkeys(p for d in ids for p in house.devices[d].properties))
    if not written or not all("=" in w for w in written):
        raise WrittenError(f"write what {target} should be, as in: {target} {known[0] if known else 'PROPERTY'}=VALUE")
    commands: list[Command] = []
    for pair in written:
        name, _, text = pair.partition("=")
        if name not in known:
            raise WrittenError(f"{target} has no '{name}' ({nearest(name, known)})")
        for device in ids:
            if name in house.devices[device].properties:
                value = read_value(matcher, device, name, text)
                intent = Intent("by hand", {}, set={name: FromSlot(name)}, device=device)
                action = act(house, intent, {name: value}, {})
                if action.refused:
                    raise WrittenError(action.reply)
                commands += action.commands
    return tuple(commands)


def read_value(matcher: Matcher, device: str, name: str, text: str) -> Value:
    """A value of a property, written as it would be spoken or as the house file has it.

    Raises:
        WrittenError: where it is none.
    """
    values = matcher.house.devices[device].properties[name].values
    if text in values.choices or (text.startswith("#") and values.literal(text) is not None):
        return str(values.literal(text))
    for tag in matcher.house.languages:
        grammar = matcher.grammar(tag)
        utterance = grammar.hearing.analyse(text)
        if not 0 < len(utterance.words) <= MOST_TOKENS:
            continue
        for option in Choices(utterance, grammar).values(grammar.lexicon.spec_of[device, name]):
            candidate = option.candidate
            assert candidate is not None
            all_of_it = candidate.start == 0 and candidate.end == len(utterance.words)
            if all_of_it and (candidate.cost <= MOST_COST or candidate.outside) and not isinstance(candidate.value, Devices):
                return candidate.value
    named = [n for names in values.named.values() for n in names]
    general = [] if values.choices else [values.described()]
    raise WrittenError(f"'{text}' is no {name} of {device}; write {', '.join([*general, *values.choices, *named])}")
