"""From a reading to wire commands and a reply."""

from glossa.commands.action import Action, act, restore
from glossa.commands.command import (
    AnyCommand,
    BytesCommand,
    CallCommand,
    Command,
    RequestCommand,
    TextCommand,
    TopicCommand,
    WaitCommand,
)
from glossa.commands.wire import Refused

__all__ = [
    "Action",
    "AnyCommand",
    "BytesCommand",
    "CallCommand",
    "Command",
    "Refused",
    "RequestCommand",
    "TextCommand",
    "TopicCommand",
    "WaitCommand",
    "act",
    "restore",
]
