"""A cluster on this machine: a Dask scheduler and two workers read the demo's reports, and the result is that of one process.

    python examples/cluster.py

Needs kebrin[cluster]. The scheduler and the workers are this example's own, and are gone when it ends.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path
from shutil import copyfile

import kebrin as kb


def main() -> None:
    """Read twelve reports by one process and by a cluster, and hold the two Parquet files against each other."""
    from distributed import LocalCluster

    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        for at in range(6):
            for year in (2030, 2031):
                copyfile(kb.demo_file(f"traffic_{year}.xlsx"), folder / f"traffic_{year - at * 2}.xlsx")
        reports = sorted(folder.glob("traffic_*.xlsx"))

        begun = time.perf_counter()
        alone = kb.tidy(*reports)
        alone.write({"traffic": folder / "alone.parquet"}, accept=True)
        print(f"one process:  {len(alone.tables['traffic']):,} rows in {time.perf_counter() - begun:.1f} s")

        with LocalCluster(
            n_workers=2, threads_per_worker=1, processes=True, dashboard_address="", protocol="tcp://"
        ) as cluster:
            begun = time.perf_counter()
            crowd = kb.tidy(*reports, scheduler=cluster.scheduler_address)
            crowd.write({"traffic": folder / "crowd.parquet"}, accept=True)
            print(f"two workers:  {len(crowd.tables['traffic']):,} rows in {time.perf_counter() - begun:.1f} s")

        same = (folder / "alone.parquet").read_bytes() == (folder / "crowd.parquet").read_bytes()
        print(f"the same, byte for byte: {'yes' if same else 'no'}")


if __name__ == "__main__":
    main()
