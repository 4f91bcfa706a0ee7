"""A stand-in for a poor recogniser: seeded errors in what was heard, at a given word error rate."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence

from msgspec import Struct
from msgspec.structs import replace

from glossa.hearing.numbers import twins
from glossa.house.model import House
from glossa.house.text import words
from glossa.language import Language, load_language, plural
from glossa.language.phones import distance, phones
from glossa.trials.measures import kind
from glossa.trials.parallel import run_table_parallel
from glossa.trials.run import Result
from glossa.trials.table import Row

ERRORS = (0.0, 0.05, 0.1, 0.2, 0.3)
FARTHEST = 0.45
MOST_COSTLY = 10
# How often each sort of error is made, relative to the others.
SORTS = {"sound alike": 8, "dropped": 4, "merged": 2, "split": 2, "plural": 2, "filler": 2, "number": 2, "cut off": 1}


class Noise:
    """Makes errors like a recogniser's, the same ones for the same seed.

    Args:
        language: whose words are mistaken for each other.
        pool: further words that may be heard instead, such as those of the house.
    """

    def __init__(self, language: Language, pool: Sequence[str] = ()) -> None:
        self.language = language
        listed = {w for ps in (language.filler, language.talk) for fs in ps.by_first.values() for p in fs for w in p}
        known = {*listed, *language.same, *language.poles, *language.light, *language.small, *pool, *_OFTEN}
        self._pool = [(w, phones(w, language.tag)) for w in sorted(known) if len(w) > 2]
        self._alike: dict[str, list[str]] = {}
        self._filler = [p[0] for fs in language.filler.by_first.values() for p in fs if len(p) == 1]
        self._number_words = {**language.numbers.ones, **language.numbers.tens}

    def alike(self, word: str) -> list[str]:
        """The words that sound most like a word, nearest first."""
        if word not in self._alike:
            sound = phones(word, self.language.tag)
            near = [(distance(sound, s), w) for w, s in self._pool if w != word and abs(len(s) - len(sound)) <= 2]
            self._alike[word] = [w for d, w in sorted(near)[:4] if d <= FARTHEST]
        return self._alike[word]

    def hear(self, text: str, rate: float, dice: random.Random) -> tuple[str, list[str]]:
        """A text with errors at a word error rate, and the words that were struck."""
        heard: list[str] = []
        struck: list[str] = []
        said = list(words(text))
        at = 0
        while at < len(said):
            word = said[at]
            if dice.random() >= rate:
                heard.append(word)
                at += 1
                continue
            struck.append(word)
            sort = dice.choices(list(SORTS), list(SORTS.values()))[0]
            if sort == "merged" and at + 1 < len(said):
                heard.append(word + said[at + 1])
                at += 2
                continue
            if sort == "cut off" and at >= len(said) - 2 and heard:
                break
            heard += self._mistaken(sort, word, dice)
            at += 1
        return " ".join(heard), struck

    def one_error(self, text: str, dice: random.Random, tries: int = 12) -> str | None:
        """A text with exactly one error in it; None where none could be made that changes it."""
        said = list(words(text))
        for _ in range(tries if said else 0):
            at = dice.randrange(len(said))
            sort = dice.choices(list(SORTS), list(SORTS.values()))[0]
            if sort == "merged" and at + 1 < len(said):
                heard = [*said[:at], said[at] + said[at + 1], *said[at + 2 :]]
            elif sort == "cut off":
                heard = said[:-1]
            else:
                heard = [*said[:at], *self._mistaken(sort, said[at], dice), *said[at + 1 :]]
            if heard and heard != said:
                return " ".join(heard)
        return None

    def _mistaken(self, sort: str, word: str, dice: random.Random) -> list[str]:
        if sort == "dropped" and word in (*self.language.small, *self.language.light):
            return []
        if sort == "split" and len(word) > 5:
            middle = len(word) // 2
            return [word[:middle], word[middle:]]
        if sort == "plural" and word.isalpha():
            return [word[:-1] if word.endswith("s") else plural(word, self.language)]
        if sort == "filler":
            return [dice.choice(self._filler), word] if self._filler else [word]
        if sort == "number":
            value = int(word) if word.isdigit() and len(word) < 5 else self._number_words.get(word)
            twin = twins(value, self.language) if value is not None else ()
            if twin:
                spelled = next((w for w, v in self._number_words.items() if v == twin[0]), str(twin[0]))
                return [str(twin[0]) if word.isdigit() else spelled]
        near = self.alike(word)
        return [dice.choice(near)] if near else [word]


_OFTEN = [
    "lap",
    "lab",
    "land",
    "lamb",
    "let",
    "late",
    "light",
    "lie",
    "like",
    "live",
    "love",
    "rain",
    "ran",
    "run",
    "red",
    "read",
    "said",
    "set",
    "seat",
    "see",
    "sea",
    "shot",
    "shop",
    "ship",
    "sheet",
    "white",
    "wide",
    "wait",
    "way",
    "work",
    "word",
    "world",
    "room",
    "roof",
    "rude",
    "road",
    "rope",
    "fan",
    "van",
    "fun",
    "fin",
    "for",
    "far",
    "fire",
    "tire",
    "time",
    "dime",
    "dim",
    "thin",
    "think",
    "pump",
    "bump",
    "jump",
    "lump",
    "bench",
    "beach",
    "hatch",
    "match",
    "patch",
    "catch",
    "cattle",
    "kettle",
    "metal",
    "medal",
    "heat",
    "heater",
    "theatre",
    "neater",
    "winter",
    "water",
    "waiter",
    "later",
    "latter",
    "letter",
    "ladder",
    "leather",
    "weather",
    "feather",
    "father",
    "kitchen",
    "chicken",
    "garden",
    "pardon",
    "hall",
    "ball",
    "call",
    "fall",
    "tall",
    "wall",
    "door",
    "four",
    "more",
    "floor",
    "store",
    "stair",
    "chair",
    "share",
    "curtain",
    "certain",
    "blind",
    "mind",
    "find",
    "kind",
    "lock",
    "look",
    "book",
    "log",
    "dog",
    "clock",
    "block",
    "open",
    "over",
    "oven",
    "ocean",
    "close",
    "clothes",
    "cold",
    "gold",
    "old",
    "told",
    "bed",
    "bad",
    "bath",
    "path",
    "study",
    "steady",
    "buddy",
    "muddy",
    "gate",
    "great",
    "late",
    "date",
]


class Stress(Struct, frozen=True):
    """How a house holds up at one word error rate: counts over all rows."""

    rate: float
    rows: int
    frame_right: int
    must: int
    wrong: int
    asked: int
    missed: int


class StressResult(Struct, frozen=True):
    """A stress run: one line for each word error rate, and the words whose errors cost most, as (word, lost rows, struck rows)."""

    lines: tuple[Stress, ...]
    costly: tuple[tuple[str, int, int], ...]


def stress(
    house: House,
    rows: Sequence[Row],
    errors: Sequence[float] = ERRORS,
    seed: int = 1,
    jobs: int = 1,
    progress: Callable[[int], None] | None = None,
) -> StressResult:
    """Run a table through a poor recogniser.

    Args:
        house: the house to test.
        rows: the rows of a table; those of a session are tested like the others, as one conversation.
        errors: word error rates, 0 to 1.
        seed: the same seed makes the same errors.
        jobs: workers; the results are the same.
        progress: called with the number of rows done.
    """
    makers = noises(house)
    lines = []
    cost: dict[str, list[int]] = {}
    clean: list[bool] = []
    for number, rate in enumerate(errors):
        dice = random.Random(f"{seed}/{rate}")
        heard, struck = [], []
        for row in rows:
            text, hit = makers[row.language or house.languages[0]].hear(row.utterance, rate, dice)
            heard.append(replace(row, utterance=text if hit else row.utterance))
            struck.append(hit)
        base = number * len(rows)
        results = run_table_parallel(house, heard, jobs, _from(base, progress))
        if not clean:
            clean = [r.right for r in results] if rate == 0 else [True] * len(results)
        lines.append(_line(rate, results))
        for result, hit, fine in zip(results, struck, clean, strict=True):
            for word in dict.fromkeys(hit):
                counts = cost.setdefault(word, [0, 0])
                counts[1] += 1
                counts[0] += fine and not result.right
    worst = sorted(((w, a, b) for w, (a, b) in cost.items() if a), key=lambda c: (-c[1], c[0]))
    return StressResult(tuple(lines), tuple(worst[:MOST_COSTLY]))


def noises(house: House) -> dict[str, Noise]:
    """What makes the errors, for every language of a house."""
    from glossa.hearing.lexicon import Lexicon

    return {tag: Noise(load_language(tag), sorted(Lexicon(house, tag).vocabulary.words)) for tag in house.languages}


def _line(rate: float, results: Sequence[Result]) -> Stress:
    kinds = [kind(r) for r in results]
    must = [k for r, k in zip(results, kinds, strict=True) if r.row.outcomes == ("accept",)]
    return Stress(
        rate=rate,
        rows=len(results),
        frame_right=must.count("right"),
        must=len(must),
        wrong=kinds.count("wrong action") + kinds.count("false accept"),
        asked=must.count("asked"),
        missed=must.count("missed"),
    )


def _from(base: int, progress: Callable[[int], None] | None) -> Callable[[int], None] | None:
    """Progress that counts on from ``base``."""
    return None if progress is None else lambda done: progress(base + done)
