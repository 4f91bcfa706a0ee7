"""A live house under load, and for a month; writes LIVE.md.

python benchmarks/live.py            about four minutes
python benchmarks/live.py --quick    small counts, to see that it runs

The load goes over a real broker (mosquitto where it is installed, else amqtt) to `glossa listen` as a process of its own, with
its log, and is compared with a relay that hands each message on without understanding it. The month is played in virtual time
with faults; every command must be sent once, in time, or be reported.
"""

from __future__ import annotations

import argparse
import gc
import subprocess
import sys
import tempfile
import threading
import time
from collections import defaultdict, deque
from functools import lru_cache
from itertools import product
from pathlib import Path

import numpy as np

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
from tests.virtual import MATCHER, soak  # noqa: E402

from glossa.house.links import MqttOptions  # noqa: E402
from glossa.links import Inbox  # noqa: E402
from glossa.links.household.broker import Broker  # noqa: E402
from glossa.links.mqtt import MqttLink  # noqa: E402

LAMPS = {"galley": "galley_lamp", "saloon": "saloon_lamp", "worktop": "worktop_lamp", "engine room": "engine_lamp"}
PHRASES = (
    "{lamp} lamp to {level}", "set the {lamp} lamp to {level} percent", "could you dim the {lamp} lamp to {level} please", "um {lamp} lamp at {level}",
    "bring the {lamp} lamp to {level}", "please set {lamp} lamp at {level} percent thanks", "{level} percent on the {lamp} lamp", "the {lamp} lamp {level}",
)  # fmt: skip


class Watcher:
    """Notes when each payload of each topic arrives."""

    def __init__(self) -> None:
        self.arrivals: dict[tuple[str, bytes], deque[float]] = defaultdict(deque)
        self.count = 0

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        """A message came."""
        self.arrivals[place, data].append(time.perf_counter())
        self.count += 1

    def lost(self, reason: str) -> None:
        """The broker went away."""
        raise RuntimeError(reason)


def load(port: int, lines: list[tuple[str, str, bytes]], rate: float, heard: str) -> np.ndarray:
    """Milliseconds from each line in to its message out, at so many lines a second."""
    watcher, mouth = Watcher(), MqttLink(MqttOptions(port=port), "mouth")
    ears = MqttLink(MqttOptions(port=port), "ears", {topic for _, topic, _ in lines})
    ears.open(watcher)
    mouth.open(Watcher())
    sent: dict[tuple[str, bytes], deque[float]] = defaultdict(deque)
    started = time.perf_counter()
    for number, (text, topic, payload) in enumerate(lines):
        time.sleep(max(0.0, started + number / rate - time.perf_counter()))
        sent[topic, payload].append(time.perf_counter())
        mouth.publish(heard, text.encode(), 0, False, 2.0)
    until = time.perf_counter() + 10
    while watcher.count < len(lines) and time.perf_counter() < until:
        time.sleep(0.01)
    took = [b - a for key, times in sent.items() for a, b in zip(times, watcher.arrivals[key], strict=False)]
    print(f"  {len(took)} of {len(lines)} arrived; sent at {len(lines) / (time.perf_counter() - started):.0f} a second")
    mouth.close()
    ears.close()
    return 1000 * np.array(took)


class Relay:
    """Hands every message on to the topic that its text names, and understands nothing: what the wires alone take."""

    def __init__(self, port: int) -> None:
        self._link = MqttLink(MqttOptions(port=port), "relay", ["bench/relay"])
        self._todo: deque[bytes] = deque()
        self._some = threading.Semaphore(0)
        inbox: Inbox = self
        self._link.open(inbox)
        threading.Thread(target=self._work, daemon=True).start()

    def arrived(self, place: str, data: bytes, retained: bool = False, waited: float = 0.0) -> None:
        """A message came."""
        self._todo.append(data)
        self._some.release()

    def lost(self, reason: str) -> None:
        """The broker went away."""

    def _work(self) -> None:
        while True:
            self._some.acquire()
            topic, _, payload = self._todo.popleft().partition(b" ")
            self._link.publish(topic.decode(), payload, 1, False, 2.0)


@lru_cache
def accepted() -> list[tuple[str, str, bytes]]:
    """Lines that are acted on at once, all different, with the topic and payload that must come of each."""
    made = []
    for level, phrase, (lamp, device) in product(range(101), PHRASES, LAMPS.items()):
        text = phrase.format(lamp=lamp, level=level)
        match = MATCHER.match(text)
        if match.outcome == "accept" and match.best is not None and match.best.slots.get("level") == level:
            made.append((text, f"marigold/{device}/level/set", str(int(level * 255 / 100 + 0.5)).encode()))
    return made


def lines(count: int, different: int = 100_000) -> list[tuple[str, str, bytes]]:
    """So many of them, in a mixed order, of which at most ``different`` are different."""
    made = [
        line for n, line in enumerate(accepted()) if n * different // len(accepted()) != (n - 1) * different // len(accepted())
    ]
    return [made[(n * 7919) % len(made)] for n in range(count)]


def under_load(quick: bool) -> list[str]:
    """The table of times from line in to message out."""
    rows = ["| lines a second | what | lines | 50th percentile | 99th percentile | longest |", "|---|---|---|---|---|---|"]
    broker = Broker()
    try:
        with tempfile.TemporaryDirectory() as name:
            house = (ROOT / "src/glossa/samples/marigold/house.toml").read_text().replace("port = 1883", f"port = {broker.port}")
            (Path(name) / "house.toml").write_text(house.replace('tables = ["codes.csv"]', ""))
            listen = subprocess.Popen(
                [sys.executable, "-m", "glossa", "listen", name, "--from", "mqtt:boat:bench/heard", "--awake", "--json"],
                stdout=subprocess.DEVNULL,
            )
            Relay(broker.port)
            time.sleep(3)
            seconds = 3 if quick else 20
            for rate in (20, 200):
                for what, heard, different in (
                    ("wires alone", "bench/relay", 100),
                    ("glossa listen, 100 different lines", "bench/heard", 100),
                    ("glossa listen, all different", "bench/heard", 100_000),
                ):
                    said = lines(rate * seconds, different)
                    if what == "wires alone":
                        said = [(f"{topic} {payload.decode()}", topic, payload) for _, topic, payload in said]
                    found = load(broker.port, said, rate, heard)
                    p50, p99 = np.percentile(found, (50, 99))
                    rows.append(
                        f"| {rate} | {what} | {len(found)} of {len(said)} | {p50:.1f} ms | {p99:.1f} ms | {found.max():.0f} ms |"
                    )
            listen.terminate()
            listen.wait(20)
    finally:
        broker.close()
    return [
        *rows,
        "",
        f"The broker was {broker.name}; quality of service 1, so a message counts as sent when the broker has confirmed it.",
    ]


def month(quick: bool) -> list[str]:
    """The month in virtual time."""
    count = 3000 if quick else 100_000
    soak(count // 10, 3.0 * count / 100_000, seed=2)  # fill what is cached
    gc.collect()
    before = _memory()
    started = time.perf_counter()
    world = soak(count, 30.0 * count / 100_000)
    took = time.perf_counter() - started
    gc.collect()
    counts = world.engine.counts
    return [
        f"{count:,} lines over {30 * count / 100_000:.1f} days of virtual time, in {took:.0f} s: {counts['accepted']:,} accepted, "
        f"{counts['sent']:,} commands sent, {counts['failed']:,} reported as not sent; each of them once, none of them late. "
        f"Links were opened {sum(w.opened for w in world.wires.values()):,} times. "
        f"Memory of the process: {before:.1f} MB after the first tenth, {_memory():.1f} MB at the end.",
        "",
        "Records: " + ", ".join(f"{kind} {number:,}" for kind, number in sorted(world.kinds.items())) + ".",
    ]


def _memory() -> float:
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * 4096 / 1e6


def main() -> None:
    """Run everything and write it down."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--quick", action="store_true")
    quick = parser.parse_args().quick
    text = [
        "# Live",
        "",
        "From line in to message out, over a real broker on 127.0.0.1:",
        "",
        *under_load(quick),
        "",
        "# A month",
        "",
        *month(quick),
    ]
    print("\n".join(text))
    if not quick:
        (Path(__file__).parent / "LIVE.md").write_text("\n".join(text) + "\n", encoding="utf-8")


if __name__ == "__main__":
    main()
