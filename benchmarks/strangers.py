"""Commands about what a house doesn't have: ``python benchmarks/strangers.py`` counts what comes of them in all houses, and writes
``benchmarks/STRANGERS.md``.

A word of ``tests/talk/strangers`` takes the place of what says which device is meant ("pantry lamp on" where there is none in a pantry), or stands
right behind its name ("kettle toaster off"); there also a word that only other phrases of the house hold ("lamp coffee on"). Nothing of that may
be carried out; the house may ask. Lists ``aside`` are only counted.
"""

from __future__ import annotations

import argparse
import os
import random
import tomllib
from collections import Counter
from collections.abc import Iterator, Sequence

from msgspec.structs import replace

import glossa
from accuracy import ROOT, houses
from glossa.hearing.costs import WEIGHT
from glossa.hearing.house_words import words_of
from glossa.hearing.roles import Role
from glossa.hearing.tokens import tokenize
from glossa.matching.grammar import Grammar
from glossa.trials.fit import best_language, is_meant
from glossa.trials.parallel import each

STRANGERS = ROOT / "tests" / "talk" / "strangers"
OUTPUT = ROOT / "benchmarks" / "STRANGERS.md"
LONGEST = 7
"""Words of a command that is taken."""

SHORTEST = 4
"""Letters of a word of a phrase that is taken."""

KNOWN = 0.3
"""A word that stands for one of the house for less than this is no stranger there."""


def strange(house: glossa.House, rows: Sequence[glossa.Row], *, aside: bool) -> Iterator[tuple[str, glossa.Row]]:
    """Rows of a house with a stranger in them, the same every time: each with its sort, ``instead``, ``behind`` or ``own``."""
    file = STRANGERS / f"{house.languages[0]}.toml"
    if len(house.languages) > 1 or not file.exists():
        return
    matcher, dice = glossa.Matcher(house), random.Random(house.name)
    lexicon = matcher.grammar(house.languages[0]).lexicon
    last = lexicon.language.grammar.head == "last"
    listed = tomllib.loads(file.read_text(encoding="utf-8"))

    def strangers(name: str) -> list[str]:
        words = listed[f"{name}_aside" if aside else name]
        tokens = {w: [t.word for t in tokenize(w)] for w in words}
        return [w for w in words if not any(n.cost < KNOWN for token in tokens[w] for n in lexicon.vocabulary.near(token))]

    places, things, own = strangers("places"), strangers("things"), said_elsewhere(matcher.grammar(house.languages[0]))
    for row in rows:
        if row.outcomes != ("accept",) or row.session or row.parts or row.utterance.count(" ") >= LONGEST:
            continue
        understood = best_language(matcher, row)
        device = understood.meanings[0].alignment.candidate("device") if understood and understood.meanings else None
        if understood is None or device is None or not device.used or not is_meant(house, row, understood.meanings[0]):
            continue
        words = list(understood.utterance.words)
        head = device.end - 1 if last else device.start
        none = replace(row, outcomes=("reject",), intent="", slots={}, commands=())
        if device.end - device.start > 1 and places and words[head] in lexicon.of_noun_word:
            place = dice.choice(places)
            name = [place, words[head]] if last else [words[head], place]
            yield "instead", replace(none, utterance=" ".join([*words[: device.start], *name, *words[device.end :]]))
        for sort, behind in (("behind", things), ("own", [] if aside else own)):
            if behind:
                said = [*words[: device.end], dice.choice(behind), *words[device.end :]]
                yield sort, replace(none, utterance=" ".join(said))


def said_elsewhere(grammar: Grammar) -> list[str]:
    """The words of some weight that only phrases about no device hold, and don't begin with."""
    lexicon = grammar.lexicon
    said = words_of((i for i in grammar.house.intents.values() if not (i.to_a_device or i.device)), grammar.tag)
    taken = lexicon.opening_words | lexicon.named | lexicon.of_noun_word.keys()
    return sorted(w for w in said - taken if grammar.weigh(w) >= WEIGHT[Role.WORD] and len(w) >= SHORTEST)


def counted(name: str) -> dict[str, Counter[str]]:
    """What came of the rows of one house, by language and sort."""
    house, rows = houses([name])[name]
    matcher = glossa.Matcher(house)
    counts: dict[str, Counter[str]] = {}
    for aside in (False, True):
        for sort, row in strange(house, rows, aside=aside):
            here = counts.setdefault(f"{house.languages[0]} {sort}{', aside' if aside else ''}", Counter())
            here.update(("all", matcher.match(row.utterance).outcome.value))
    return counts


def main() -> None:
    """Count, and write the report."""
    argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter).parse_args()
    total: dict[str, Counter[str]] = {}
    for counts in each(counted, [(name,) for name in houses()], os.cpu_count() or 1):
        for key, more in counts.items():
            total.setdefault(key, Counter()).update(more)
    rows = ["| commands | lines | acted on | asked about | left alone |", "|---|---|---|---|---|"]
    for key, count in sorted(total.items()):
        acted, asked = count["accept"], count["confirm"] + count["ask"]
        shares = (f"{100 * n / count['all']:.1f} %" for n in (acted, asked, count["all"] - acted - asked))
        rows.append(f"| {key} | {count['all']:,} | {' | '.join(shares)} |")
    OUTPUT.write_text(HEADER + "\n".join(rows) + "\n", encoding="utf-8")
    print("\n".join(rows))


HEADER = """# Commands about what a house doesn't have

Made by `python benchmarks/strangers.py`: commands of all houses with a word in them that is none of the house's, instead of what says which
device is meant ("pantry lamp on"), or right behind its name ("kettle toaster off"). "Own" words behind a name are of other phrases of the
house. Nothing of it should be acted on; asking is as good as leaving it alone. Lists "aside" were written at the same time, and nothing is fitted to them.

"""

if __name__ == "__main__":
    main()
