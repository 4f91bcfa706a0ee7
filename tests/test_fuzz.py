"""A fixed run of the fuzzers, and what a changed house file may do to a house that runs."""

import os
import random
import tempfile
import unittest
from pathlib import Path

from glossa.live.reload import Watch
from tests import shared
from tests.fuzz import FUZZERS, HOUSE


class Fuzz(unittest.TestCase):
    def test_nothing_breaks(self) -> None:
        for fuzzer in FUZZERS:
            for seed in shared.some(range(150 if fuzzer.__name__ == "a_house" else 60), 3):
                with self.subTest(fuzzer.__name__, seed=seed):
                    fuzzer(random.Random(seed))

    def test_the_watcher_survives_whatever_is_written(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "house.toml"
            plain = HOUSE.replace('tables = ["codes.csv"]', "")
            path.write_text(plain)
            watch = Watch(str(path))
            for number, broken in enumerate(
                ("nouns=[1,2]", "nouns={a=1}", "[rooms]\nr=[[[]]]", "initial=nan", 'tables = ["a\\u0000b", "%s"]' % ("x" * 300))
            ):
                where = "[house]" if "tables" in broken else "[kinds.lamp]"
                path.write_text(plain.replace(where, f"{where}\n{broken}", 1) if "rooms" not in broken else plain + broken)
                os.utime(path, (number, number))
                self.assertIsNone(watch.look())
                changed = watch.look()
                assert changed is not None
                self.assertTrue(changed.problems, broken)
                self.assertNotIn("an error in the program", str(changed.problems))
            path.unlink()
            os.mkfifo(path)
            watch.look()
            changed = watch.look()
            self.assertTrue(changed is None or changed.problems)


if __name__ == "__main__":
    unittest.main()
