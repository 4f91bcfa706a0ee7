"""What goes wrong in a simulated household."""

from __future__ import annotations

import random

from msgspec import Struct


class Faults(Struct, frozen=True):
    """How often a command meets a fault, each a share from 0 to 1, together at most 1.

    Attributes:
        drop: it is taken and never answered.
        garbage: it is answered with rubbish.
        disconnect: the connection is cut.
        delay: seconds that every answer takes.
    """

    drop: float = 0.0
    garbage: float = 0.0
    disconnect: float = 0.0
    delay: float = 0.0

    def draw(self, source: random.Random) -> str:
        """``drop``, ``garbage``, ``disconnect`` or ``""``."""
        at = source.random()
        for name in ("drop", "garbage", "disconnect"):
            at -= getattr(self, name)
            if at < 0:
                return name
        return ""


def read_faults(text: str) -> Faults:
    """Faults as a person writes them: ``drop=0.1,delay=2``.

    Raises:
        ValueError: where it can't be read; the text says what to write instead.

    >>> read_faults("drop=0.1,delay=2").delay
    2.0
    """
    found: dict[str, float] = {}
    for part in filter(None, (p.strip() for p in text.split(","))):
        name, _, value = part.partition("=")
        if name not in Faults.__struct_fields__:
            raise ValueError(f"there is no fault '{name}'; known: {', '.join(Faults.__struct_fields__)}")
        try:
            found[name] = float(value)
        except ValueError:
            raise ValueError(f"'{part}' is no fault; write it as in drop=0.1,delay=2") from None
        if not 0 <= found[name] <= (3600 if name == "delay" else 1):
            raise ValueError(f"'{part}': write {'seconds' if name == 'delay' else 'a share from 0 to 1'}")
    if sum(v for k, v in found.items() if k != "delay") > 1:
        raise ValueError("the shares are more than 1 together")
    return Faults(**found)
