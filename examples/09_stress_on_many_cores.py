"""A big stress run on several cores, or on a cluster: the work goes through joblib, whose backends take it.

python examples/09_stress_on_many_cores.py                     two processes of this machine (pip install joblib)
python examples/09_stress_on_many_cores.py tcp://scheduler:8786     a Dask cluster of yours (pip install distributed)
"""

import contextlib
import sys
from collections.abc import Iterator

import glossa
from glossa.extras import need
from glossa.files import find_house, read_text
from glossa.trials.every import EveryResult, every_error
from glossa.trials.stress import StressResult, stress


@contextlib.contextmanager
def cluster(scheduler: str) -> Iterator[None]:
    """Work of joblib's goes to a Dask cluster meanwhile; without one it stays on this machine."""
    if not scheduler:
        yield
        return
    import joblib
    from distributed import Client

    with Client(scheduler) as client, joblib.parallel_config(backend="dask", client=client):
        yield


def run(scheduler: str = "", rates: tuple[float, ...] = (0.0, 0.1, 0.2)) -> StressResult:
    """The stress of Marigold's phrases; the result is the same wherever it ran."""
    house = glossa.load_house("marigold")
    path = find_house("marigold").parent / "tests" / "phrases.csv"
    rows = glossa.read_table(read_text(path), path.name, house)
    with cluster(scheduler):
        return stress(house, rows, rates, jobs=2)


def every(scheduler: str = "", name: str = "dinghy") -> EveryResult:
    """Every single error in what a house understands."""
    with cluster(scheduler):
        return every_error(glossa.load_house(name), jobs=2)


def main() -> None:
    """Run and print."""
    scheduler = sys.argv[1] if len(sys.argv) > 1 else ""
    try:
        need("joblib", *(["distributed"] if scheduler else []))
    except ModuleNotFoundError as error:
        sys.exit(str(error))
    for line in run(scheduler).lines:
        print(f"{line.rate:4.0%}  {line.frame_right} of {line.must} right, {line.asked} asked, {line.wrong} wrong actions")
    print(f"{(result := every(scheduler)).tried} single errors, {len(result.mishaps)} of them lead to another action")


if __name__ == "__main__":
    main()
