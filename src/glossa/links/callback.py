"""Commands as calls of Python functions."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from glossa.commands import CallCommand, Command
from glossa.house.links import LinkOptions
from glossa.links.link import Declined, Link, Surroundings, of_form


class CallbackLink(Link):
    """Calls a registered function with the slots of what was said.

    Args:
        functions: name -> function; it is called with every slot as a keyword. A function that raises has declined.
    """

    def __init__(self, functions: Mapping[str, Callable[..., object]]) -> None:
        self._functions = functions

    @classmethod
    def of(cls, options: LinkOptions, around: Surroundings) -> CallbackLink:
        """The functions of a house file."""
        return cls(around.functions)

    def send(self, command: Command, seconds: float) -> None:
        """Call the function; it should be back within ``seconds``, and is not stopped if it isn't."""
        call = of_form(command, CallCommand)
        function = self._functions.get(call.call)
        if function is None:
            raise Declined(f"no function is registered as '{call.call}'")
        try:
            function(**(call.slots or {}))
        except Exception as error:
            raise Declined(f"{call.call} raised {type(error).__name__}: {error}") from error
