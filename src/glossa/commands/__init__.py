"""From a reading to wire commands and a reply."""

from glossa.commands.action import Action, act, restore
from glossa.commands.wire import Command, Refused

__all__ = ["Action", "Command", "Refused", "act", "restore"]
