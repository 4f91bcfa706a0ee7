"""The commands of one utterance, with their waits, on their way."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Mapping
from collections.abc import Sequence as Commands

from glossa.commands import Command, WaitCommand
from glossa.house.values import Value
from glossa.live.outbox import Result

Numbered = tuple[int, Command]


class Sequence:
    """What is left to be done for an utterance.

    Commands between two waits are a group and go out together, in order on each link; a wait begins when every command before
    it is through.

    Args:
        number: of the utterance.
        commands: in order, waits included.
        since: when it was said, in seconds on the clock.
        language: of the utterance.
        before: the values that the commands change, as they were; None for unknown.

    Attributes:
        reply: what is said when it worked, where the reply had to wait.
        told: whether a failure was said.
        posted: when the last group was due, in seconds on the clock.
        first: whether nothing but the first group was posted.
    """

    def __init__(
        self,
        number: int,
        commands: Commands[Command],
        *,
        since: float,
        language: str,
        before: Mapping[tuple[str, str], Value | None],
    ) -> None:
        self.number, self.commands, self.since, self.language, self.before = number, tuple(commands), since, language, before
        self.reply = ""
        self.told = False
        self.posted = since
        self.first = True
        self._left: deque[Numbered] = deque(enumerate(self.commands))
        self._posted: set[int] = set()
        self._results: list[Result] = []
        self._groups = 0

    @property
    def links(self) -> set[str]:
        """The links that it needs."""
        return {c.link for c in self.commands if not isinstance(c, WaitCommand)}

    @property
    def waits(self) -> bool:
        """Whether something has to wait for its turn."""
        return any(isinstance(c, WaitCommand) for c in self.commands)

    @property
    def left(self) -> bool:
        """Whether anything is still to be posted."""
        return any(not isinstance(c, WaitCommand) for _, c in self._left)

    @property
    def waits_for_results(self) -> bool:
        """Whether posted commands are still on their way."""
        return bool(self._posted)

    @property
    def nothing_sent(self) -> bool:
        """Whether no command of the last group can have arrived."""
        return bool(self._results) and all(r.how not in ("sent", "unconfirmed") for r in self._results)

    def next_wait(self) -> float | None:
        """The seconds to wait now, taken off; None where no wait is next."""
        if not self.left:
            self._left.clear()
        first = self._left[0][1] if self._left else None
        if not isinstance(first, WaitCommand):
            return None
        self._left.popleft()
        return first.wait

    def next_group(self) -> list[Numbered]:
        """The commands up to the next wait, taken off."""
        group = []
        while self._left and not isinstance(self._left[0][1], WaitCommand):
            group.append(self._left.popleft())
        self._posted = {part for part, _ in group}
        self._results = []
        self._groups += 1
        self.first = self._groups == 1
        return group

    def take(self, result: Result) -> None:
        """Take what became of a posted command."""
        self._posted.discard(result.order.part)
        self._results.append(result)

    def failures(self) -> tuple[list[Result], str]:
        """The commands of the last group that did not get through, and how the first of them ended."""
        failed = [r for r in self._results if r.how != "sent"]
        return failed, failed[0].how if failed else ""

    def without(self, changes: Collection[tuple[str, str]]) -> list[Numbered]:
        """Take off and give back what is still to come and sets one of these properties."""
        gone = [(p, c) for p, c in self._left if any((d, n) in changes for d, n, _ in c.effects)]
        self._left = deque(entry for entry in self._left if entry not in gone)
        return gone

    def rest(self) -> list[Numbered]:
        """Take off and give back everything that is still to come."""
        rest = [(p, c) for p, c in self._left if not isinstance(c, WaitCommand)]
        self._left.clear()
        return rest
