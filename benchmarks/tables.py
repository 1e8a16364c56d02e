"""Whole tables against plain scripts of polars and of pandas, whole processes, ratios in one run.

`python benchmarks/tables.py [SHARE [PYTHON]]`: SHARE scales the rows (1 is 10 million); PYTHON is an interpreter that has polars
and pandas, this one by default. Each job runs three times a side; the least is taken.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time

MAKE = """
import numpy as np, pyarrow as pa, pyarrow.parquet as pq, sys
folder, rows = sys.argv[1], int(sys.argv[2])
chance = np.random.default_rng(7)
berths = [f"B{at:05d}" for at in range(50_000)]
months = [f"{year}-{month:02d}" for year in (2030, 2031) for month in range(1, 13)]
keys = [f"K{at:07d}" for at in range(max(rows // 10, 1))]
def labels(words, size):
    return pa.DictionaryArray.from_arrays(chance.integers(0, len(words), size).astype("int32"), words)
pq.write_table(pa.table({"berth": labels(berths, rows), "month": labels(months, rows), "key": labels(keys, rows),
    "dues": chance.integers(1, 90_000, rows) / 100}), f"{folder}/log.parquet")
pq.write_table(pa.table({"key": keys, "owner": [f"owner {at % 1000}" for at in range(len(keys))]}), f"{folder}/keys.parquet")
"""
OURS = {
    "crosstab": 'table.crosstab(["berth"], ["month"], ["dues"])',
    "lookup": 'table.lookup(["owner"], using=f"{folder}/keys.parquet", by=["key"])',
    "only and sums": 'table.only({"month": {"from": "2031-01"}}).sums(["berth"], of=["dues"])',
}
POLARS = {
    "crosstab": 'frame.group_by("berth", "month").agg(pl.col("dues").sum()).pivot("month", index="berth", values="dues")',
    "lookup": 'frame.with_columns(pl.col("key").cast(pl.String)).join(pl.read_parquet(f"{folder}/keys.parquet"), '
    'on="key", how="left")',
    "only and sums": 'frame.filter(pl.col("month").cast(pl.String) >= "2031-01").group_by("berth").agg(pl.col("dues").sum())',
}
PANDAS = {
    "crosstab": 'frame.pivot_table(index="berth", columns="month", values="dues", aggfunc="sum", observed=True)',
    "lookup": 'frame.merge(pd.read_parquet(f"{folder}/keys.parquet"), on="key", how="left")',
    "only and sums": 'frame[frame["month"].astype(str) >= "2031-01"].groupby("berth", observed=True)["dues"].sum()',
}
HEADS = {
    "kebrin": "import sys; folder = sys.argv[1]\nfrom kebrin.sources.tidy_tables import read_table\n"
    "from kebrin.api import Table\n"
    'table = Table.of(read_table(f"{folder}/log.parquet"), None)\nlen(',
    "polars": "import sys; folder = sys.argv[1]\nimport polars as pl\n"
    'frame = pl.read_parquet(f"{folder}/log.parquet")\nlen(',
    "pandas": 'import sys; folder = sys.argv[1]\nimport pandas as pd\nframe = pd.read_parquet(f"{folder}/log.parquet")\nlen(',
}


def timed(python: str, code: str, folder: str) -> tuple[float, float]:
    """The least wall and CPU seconds of three runs."""
    best = (float("inf"), float("inf"))
    for _ in range(3):
        before = resource.getrusage(resource.RUSAGE_CHILDREN)
        start = time.perf_counter()
        done = subprocess.run([python, "-c", code, folder], check=False, capture_output=True, text=True)
        wall = time.perf_counter() - start
        after = resource.getrusage(resource.RUSAGE_CHILDREN)
        if done.returncode:
            print(done.stderr.splitlines()[-1])
            return best
        cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
        best = min(best[0], wall), min(best[1], cpu)
    return best


def main() -> None:
    """Print seconds and ratios."""
    share = float(sys.argv[1]) if len(sys.argv) > 1 else 1.0
    other = sys.argv[2] if len(sys.argv) > 2 else sys.executable
    with tempfile.TemporaryDirectory() as folder:
        subprocess.run([sys.executable, "-c", MAKE, folder, str(int(10_000_000 * share))], check=True)
        for job, ours in OURS.items():
            own = timed(sys.executable, f"{HEADS['kebrin']}{ours})", folder)
            print(f"{job:<14} kebrin {own[0]:6.2f} s wall {own[1]:6.2f} s CPU", end="")
            for name, jobs in (("polars", POLARS), ("pandas", PANDAS)):
                found = timed(other, f"{HEADS[name]}{jobs[job]})", folder)
                print(
                    f"   {name} {found[0]:6.2f} {found[1]:6.2f}: {own[0] / found[0]:4.2f}x wall {own[1] / found[1]:4.2f}x CPU",
                    end="",
                )
            print()


if __name__ == "__main__":
    main()
