"""Some of several devices ("one of the lamps"), and all of them: what comes of such orders in four languages.

``python benchmarks/shares.py`` prints counts; ``--show`` lists the lines that came out otherwise, but for those of lists ``aside``.
"""

from __future__ import annotations

import argparse
import tomllib
from collections import Counter

import glossa
from accuracy import HOUSES, ROOT

SHARES = ROOT / "tests" / "talk" / "share"


def main() -> None:
    """Print the counts."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--show", action="store_true", help="list what came out otherwise, but for lists that are kept aside")
    options = parser.parse_args()
    for path in sorted(SHARES.glob("*.toml")):
        for name, lists in tomllib.loads(path.read_text(encoding="utf-8")).items():
            matcher = glossa.Matcher(glossa.load_house(name if name == "marigold" else HOUSES / name))
            for listed, lines in lists.items():
                counts: Counter[str] = Counter()
                for line in lines:
                    match = matcher.match(line)
                    which = match.outcome == "ask" and match.reason == "which"
                    counts.update(acted=match.outcome == "accept", which=which, asked=match.outcome in ("ask", "confirm"))
                    good = which if listed.startswith("part") else match.outcome == "accept"
                    if options.show and not good and "aside" not in listed:
                        print(
                            f"  {match.outcome}/{match.reason}/{match.detail}  {line}  {match.best.meaning if match.best else ''}"
                        )
                shares = ", ".join(f"{key} {counts[key]}" for key in ("acted", "asked", "which"))
                print(f"{path.stem} {name:10s} {listed:12s} {len(lines):4d} lines: {shares}")


if __name__ == "__main__":
    main()
