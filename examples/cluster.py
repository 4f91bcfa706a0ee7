"""A big stress run on a Dask cluster: the work goes through joblib, so joblib's own backend for Dask takes it.

pip install distributed
python examples/cluster.py                      a local cluster of two workers
python examples/cluster.py tcp://scheduler:8786     your own
"""

from __future__ import annotations

import sys

import joblib
from distributed import Client, LocalCluster

import glossa
from glossa.files import find_house, read_text
from glossa.trials.noise import StressResult, stress


def run(client: Client, rates: tuple[float, ...] = (0.0, 0.1, 0.2)) -> StressResult:
    """The stress of Marigold's tables, on the workers of a cluster."""
    house = glossa.load_house("marigold")
    folder = find_house("marigold").parent / "tests"
    rows = [row for path in sorted(folder.glob("*.csv")) for row in glossa.read_table(read_text(path), path.name, house)]
    with joblib.parallel_config(backend="dask", client=client):
        return stress(house, rows, rates, jobs=-1)


def main() -> None:
    """Connect, run, print."""
    if len(sys.argv) > 1:
        client = Client(sys.argv[1])
    else:
        client = Client(LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None))
    with client:
        for line in run(client).lines:
            print(f"{line.rate:4.0%}  {line.frame_right} of {line.must} right, {line.wrong} wrong actions")


if __name__ == "__main__":
    main()
