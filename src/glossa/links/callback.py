"""Commands as calls of Python functions."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from glossa.commands import Command
from glossa.links.link import Declined, Link


class CallbackLink(Link):
    """Calls a registered function with the slots of what was said.

    Args:
        functions: name -> function; it is called with every slot as a keyword. A function that raises has declined.
    """

    def __init__(self, functions: Mapping[str, Callable[..., object]]) -> None:
        self._functions = functions

    def send(self, command: Command, seconds: float) -> None:
        """Call the function; it should be back within ``seconds``, and is not stopped if it isn't."""
        function = self._functions.get(command.call)
        if function is None:
            raise Declined(f"no function is registered as '{command.call}'")
        try:
            function(**(command.slots or {}))
        except Exception as error:
            raise Declined(f"{command.call} raised {type(error).__name__}: {error}") from error
