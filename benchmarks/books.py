"""Workbooks of many rows: one sheet, and a sheet per value, against the usual frame-to-workbook call.

`python benchmarks/books.py [ROWS] [VALUES]`: whole processes, each given the same Parquet file; wall clock, CPU seconds and peak
memory, and their ratios.
"""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

ROWS, VALUES = 500_000, 500

READ = """
import sys, pyarrow.parquet as pq
from pathlib import Path
data = pq.read_table(sys.argv[1])
"""
OURS = f"""{READ}
from kebrin.table import Table
from kebrin.deliver.writing.books import Page, write_book
write_book([Page("tidy", Table(data, ("carried",)))], Path(sys.argv[2]))
"""
PER_VALUE = f"""{READ}
from kebrin.table import Table
from kebrin.deliver.outputs import _by_value
from kebrin.deliver.writing.books import Page, write_book
table = Table(data, ("carried",))
write_book([Page(value, part) for value, part in _by_value(table, "route")], Path(sys.argv[2]))
"""
USUAL = f"""{READ}
data.to_pandas().to_excel(sys.argv[2], index=False)
"""


def make(path: Path, rows: int, values: int) -> None:
    """A tidy table: routes, months, sailings, figures."""
    draw = np.random.default_rng(2)
    routes = pa.DictionaryArray.from_arrays(
        pa.array(draw.integers(0, values, rows).astype(np.int32)), pa.array([f"R{at}" for at in range(values)])
    )
    months = pa.DictionaryArray.from_arrays(
        pa.array((np.arange(rows) % 12).astype(np.int32)), pa.array([f"2031-{at:02}" for at in range(1, 13)])
    )
    hours = pa.array([f"{at % 24:02}:{at % 60:02}" for at in range(rows)])
    figures = pa.array(draw.integers(0, 900, rows) / 2)
    pq.write_table(
        pa.table({"route": routes, "month": months, "sailing": hours, "carried": figures}), path, use_dictionary=True
    )


def timed(code: str, source: Path, out: Path) -> tuple[float, float, float]:
    """Wall clock, CPU and peak memory (MB) of a process."""
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    whole = f"{code}\nimport resource; print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
    done = subprocess.run(
        [sys.executable, "-c", whole, str(source), str(out)], check=True, capture_output=True, text=True
    )
    wall, after = time.perf_counter() - start, resource.getrusage(resource.RUSAGE_CHILDREN)
    cpu = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    return wall, cpu, int(done.stdout.split()[-1]) / 1024


def main() -> None:
    """Print times and ratios."""
    rows = int(sys.argv[1]) if len(sys.argv) > 1 else ROWS
    values = int(sys.argv[2]) if len(sys.argv) > 2 else VALUES
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "tidy.parquet"
        make(source, rows, values)
        found = {}
        for name, code in (("the usual call", USUAL), ("one sheet", OURS), ("a sheet per value", PER_VALUE)):
            found[name] = min(timed(code, source, Path(folder) / "out.xlsx") for _ in range(2))
            print(
                f"{name:<18} {found[name][0]:6.1f} s  CPU {found[name][1]:6.1f} s  {found[name][2]:6.0f} MB", flush=True
            )
        one, usual, each = (found[name] for name in ("one sheet", "the usual call", "a sheet per value"))
        print(f"one sheet against the usual call: {one[0] / usual[0]:.2f}x, CPU {one[1] / usual[1]:.2f}x")
        print(
            f"a sheet for each of {values} values against one sheet: {each[0] / one[0]:.2f}x, CPU {each[1] / one[1]:.2f}x"
        )


if __name__ == "__main__":
    main()
