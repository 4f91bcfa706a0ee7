"""What sentences beside a phrase can save at most, so that the search need not look at what costs more all the same."""

from __future__ import annotations

from collections.abc import Sequence

from msgspec import Struct

from glossa.hearing.costs import COSTS
from glossa.matching.aligner import Aligner
from glossa.matching.grammar import Pattern
from glossa.matching.options import Options


class Saved(Struct, frozen=True, gc=False):
    """What sentences beside a phrase save at most.

    Attributes:
        before: in front, by the first token that is taken so far; by the last entry where none is.
        behind: behind, by where the last token that is taken so far ends; by the first entry where none is.
        most: in all.
    """

    before: Sequence[float] = ()
    behind: Sequence[float] = ()
    most: float = 0.0


NOTHING = Saved()


class Savings:
    """What sentences beside the phrases of one utterance can save.

    Args:
        aligner: of the utterance.
        floors: what leaving each token unexplained costs at least.
    """

    def __init__(self, aligner: Aligner, floors: Sequence[float]) -> None:
        self.any, self.most = False, 0.0
        if not aligner.parted:
            return
        part, full = (aligner.saved_beside(floors, whole=whole) for whole in (False, True))
        full = (
            [max(f, p) for f, p in zip(full[0], part[0], strict=True)],
            [max(f, p) for f, p in zip(full[1], part[1], strict=True)],
        )
        self._by_token = part, full
        self._known: dict[tuple[int, bool], Saved] = {}
        self.any = any(full[0]) or any(full[1])
        self.most = self._beside((1 << len(floors)) - 1, whole=True).most

    def beside(self, pattern: Pattern, options: Sequence[Options]) -> Saved:
        """What they save beside a phrase whose places can take these options; less where it can't have been heard in full."""
        if not self.any:
            return NOTHING
        tokens, whole = 0, True
        for number in pattern.main:
            offered = options[number].all
            for option in offered:
                tokens |= option.tokens
            if whole and pattern.places[number].missing >= COSTS.missing_default:
                whole = any(o.cost < COSTS.form for o in offered)
        known = self._known.get((tokens, whole))
        if known is None:
            known = self._known[tokens, whole] = self._beside(tokens, whole=whole)
        return known

    def _beside(self, tokens: int, *, whole: bool) -> Saved:
        """What they save beside a phrase that takes some of these tokens and no others."""
        before, behind = self._by_token[whole]
        count = len(before)
        front, back = [0.0] * count, [0.0] * count
        so_far = most = 0.0
        for at in range(count - 1):
            if tokens >> at & 1:
                so_far = max(so_far, before[at])
                most = max(most, so_far + behind[at + 1])
            front[at] = so_far
        front[-1], so_far = so_far, 0.0
        for at in range(count - 1, 0, -1):
            if tokens >> at - 1 & 1:
                so_far = max(so_far, behind[at])
            back[at] = so_far
        back[0] = so_far
        return Saved(front, back, most)
