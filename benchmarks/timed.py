"""Orders for another time or under a condition, and lines that only look like it: what comes of them in four languages.

``python benchmarks/timed.py`` prints counts; ``--show`` lists the lines that came out otherwise, but for those of lists ``aside``.
"""

from __future__ import annotations

import argparse
import tomllib
from collections import Counter
from collections.abc import Iterator

import glossa
from accuracy import HOUSES, ROOT

WHEN = ROOT / "tests" / "talk" / "when"
ORDERS = {
    "en": {
        "marigold": ("turn the galley lamp on", "stove fan off", "close the galley vent", "set the heater to twenty"),
        "townhouse": ("switch the desk lamp on", "turn off the desk lamp"),
    },
    "de": {"rotdorn": ("schalte die Küchenlampe ein", "mach das Flurlicht aus", "Küchenlampe auf vierzig Prozent")},
    "fr": {"mirabelle": ("allume le plafonnier", "coupe la radio", "éteins la lampe de chevet")},
    "es": {"azahar": ("enciende la luz de la cocina", "apaga la radio", "enciende la lamparita")},
}
"""Orders that are carried out as they stand."""


def lines(tag: str) -> Iterator[tuple[str, str, str, str]]:
    """Every line of a language with an order put in: its list, the house, the order, the line."""
    for listed, patterns in tomllib.loads((WHEN / f"{tag}.toml").read_text(encoding="utf-8")).items():
        for number, pattern in enumerate(patterns):
            for house, orders in ORDERS[tag].items():
                order = orders[number % len(orders)]
                yield listed, house, order, pattern.format(order)


def main() -> None:
    """Print the counts."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--show", action="store_true", help="list what came out otherwise, but for lists that are kept aside")
    options = parser.parse_args()
    matchers: dict[str, glossa.Matcher] = {}
    for tag in ORDERS:
        counts: dict[str, Counter[str]] = {}
        for listed, name, order, line in lines(tag):
            place = name if name == "marigold" else HOUSES / name
            matcher = matchers.setdefault(name, glossa.Matcher(glossa.load_house(place)))
            match, plain = matcher.match(line), matcher.match(order)
            assert plain.outcome == "accept", (name, order)
            same = bool(match.best and plain.best and match.best.meaning == plain.best.meaning)
            named = match.reason in ("later", "condition")
            counts.setdefault(listed, Counter()).update(
                all=1,
                acted=match.outcome == "accept",
                asked=match.outcome in ("confirm", "ask"),
                named=named,
                right=match.outcome == "accept" and same,
            )
            good = (match.outcome == "accept" and same) if listed.startswith("now") else named
            if options.show and not good and "aside" not in listed:
                print(f"  {tag} {listed}: {match.outcome}/{match.reason}/{match.detail}  {line}")
        for listed, count in counts.items():
            shares = ", ".join(f"{key} {count[key]}" for key in ("acted", "asked", "named", "right"))
            print(f"{tag} {listed:16s} {count['all']:4d} lines: {shares}")


if __name__ == "__main__":
    main()
