"""How a recogniser mishears: how often it does what, which sounds it takes for each other, and which words it wrote for others."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Annotated

from msgspec import Meta, Struct, field
from msgspec.structs import replace

from glossa.house.checked import read_checked
from glossa.house.frozen import Frozen
from glossa.house.lines import line_of
from glossa.house.problems import HouseError, Problem
from glossa.house.text import words

Share = Annotated[float, Meta(ge=0, le=1)]
Count = Annotated[int, Meta(ge=0)]
PAIR = re.compile(r"\S+ \S+")


class Sorts(Struct, frozen=True, forbid_unknown_fields=True):
    """How often each sort of error is made, relative to the others.

    Attributes:
        substitution: a word is taken for one that sounds like it.
        deletion, insertion: a word is lost, or a small one added.
        merge, split: two words are written as one, one as two.
        twin: a number is taken for one that sounds like it: 13 and 30.
    """

    substitution: Annotated[float, Meta(ge=0)] = 10.0
    deletion: Annotated[float, Meta(ge=0)] = 3.0
    insertion: Annotated[float, Meta(ge=0)] = 1.0
    merge: Annotated[float, Meta(ge=0)] = 2.0
    split: Annotated[float, Meta(ge=0)] = 1.0
    twin: Annotated[float, Meta(ge=0)] = 1.0


class Sounds(Struct, frozen=True, forbid_unknown_fields=True):
    """Prices of sounds, 0 to 1, where they are not the usual ones: ``swapped`` by two phones, ``lost`` by one that is lost or added."""

    swapped: Mapping[str, Share] = field(default_factory=Frozen)
    lost: Mapping[str, Share] = field(default_factory=Frozen)


class Recogniser(Struct, frozen=True, forbid_unknown_fields=True):
    """A recogniser.

    Attributes:
        words: how many words it was estimated from, 0 for a recogniser as they usually are.
        rate: the share of words that it gets wrong.
        sorts: how often each sort of error is made, relative to the others.
        sounds: the prices of sounds.
        written: for a word, the words that it wrote instead, with how often.
    """

    words: Count = 0
    rate: Share = 0.1
    sorts: Sorts = Sorts()
    sounds: Sounds = Sounds()
    written: Mapping[str, Mapping[str, Count]] = field(default_factory=Frozen)


USUAL = Recogniser()


def read_recogniser(text: str, name: str) -> Recogniser:
    """A recogniser from a TOML file, as :func:`recogniser_text` makes it.

    Args:
        text: TOML.
        name: what to call the file in errors.

    Raises:
        HouseError: where it is no TOML or not of the form, with the line and the key.
    """
    found = read_checked(text, name, Recogniser)
    for key in found.sounds.swapped:
        if not PAIR.fullmatch(key):
            place = ("sounds", "swapped", key)
            raise HouseError(
                [Problem(name, line_of(text, place), ".".join(place), f"'{key}' is no pair of sounds", 'as in "AE EH"')]
            )
    written = {
        " ".join(words(said)): {" ".join(words(w)): n for w, n in heard.items() if words(w)}
        for said, heard in found.written.items()
    }
    return replace(found, written=written)


def recogniser_text(recogniser: Recogniser) -> str:
    """A recogniser as the text of a TOML file."""
    import json

    def quoted(text: str) -> str:
        return json.dumps(text, ensure_ascii=False)

    sorts = [f"{name} = {round(getattr(recogniser.sorts, name), 2)}" for name in Sorts.__struct_fields__]
    tables = [
        f"words = {recogniser.words}",
        f"rate = {round(recogniser.rate, 4)}",
        "",
        "# How often each sort of error is made, relative to the others.",
        "[sorts]",
        *sorts,
    ]
    for name, prices in (("swapped", recogniser.sounds.swapped), ("lost", recogniser.sounds.lost)):
        if prices:
            what = "one sound for another" if name == "swapped" else "a sound that is lost or added"
            tables += ["", f"# What {what} costs, 0 to 1, where it is not the usual price.", f"[sounds.{name}]"]
            tables += [f"{quoted(key)} = {round(price, 2)}" for key, price in sorted(prices.items())]
    if recogniser.written:
        tables += ["", "# What was written for a word, and how often.", "[written]"]
        for said, heard in sorted(recogniser.written.items()):
            inside = ", ".join(f"{quoted(w)} = {n}" for w, n in sorted(heard.items(), key=lambda p: (-p[1], p[0])))
            tables.append(f"{quoted(said)} = {{ {inside} }}")
    return "\n".join(("# How a recogniser mishears.", *tables)) + "\n"
