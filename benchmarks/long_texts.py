"""Long delimited text: a list of 1M x 10, and 1M x 60 laid long, whole processes, as ratios to polars in the same run.

    python benchmarks/long_texts.py [MILLIONS]

The list is held against reading and writing it again, the wide one against the streaming engine.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv

from many_books import timed

PORTS = np.array(["Skarrow", "Hallan", "Brae", "Wick", "Garth", "Noup", "Sand", "Lerr"])
SHIPS = np.array(["Gull", "Tern", "Skua", "Auk", "Eider"])
KINDS = ("by the clock", "of the processor", "of memory")
PLAIN_LIST = """
import sys, polars as pl
pl.read_csv(sys.argv[1], try_parse_dates=True).write_parquet(sys.argv[2])
"""
PLAIN_WIDE = """
import sys, polars as pl
wide = pl.scan_csv(sys.argv[1])
wide.unpivot(index=["Sailing", "Port"], variable_name="month", value_name="value").sink_parquet(sys.argv[2])
"""


def write(path: Path, columns: dict[str, object]) -> None:
    """A plain .csv."""
    options = arrow_csv.WriteOptions(quoting_style="none", quoting_header="none")
    arrow_csv.write_csv(pa.table(columns), path, options)


def make_list(path: Path, rows: int) -> None:
    """Sailings, a line each: ten columns of codes, days, names, counts and amounts."""
    draw = np.random.default_rng(1)
    days = (np.datetime64("2031-01-01") + draw.integers(0, 365, rows)).astype(str)
    write(path, {
        "Sailing": np.char.add("S", np.arange(rows).astype(str)), "Date": days, "Port": PORTS[draw.integers(0, 8, rows)],
        "Ship": SHIPS[draw.integers(0, 5, rows)], "Master": np.char.add("M", draw.integers(0, 300, rows).astype(str)),
        "Foot": draw.integers(0, 500, rows), "Cars": draw.integers(0, 90, rows), "Coaches": draw.integers(0, 9, rows),
        "Freight t": np.round(draw.random(rows) * 30, 1), "Takings": np.round(draw.random(rows) * 5000, 2),
    })  # fmt: skip


def make_wide(path: Path, rows: int) -> None:
    """Sailings, a line each: two columns of labels, 58 months."""
    draw = np.random.default_rng(2)
    columns: dict[str, object] = {
        "Sailing": np.char.add("S", np.arange(rows).astype(str)),
        "Port": PORTS[draw.integers(0, 8, rows)],
    }
    columns |= {f"{2026 + at // 12}-{at % 12 + 1:02d}": draw.integers(0, 500, rows) for at in range(58)}
    write(path, columns)


def compare(name: str, path: Path, plain: str, folder: Path) -> None:
    """Both on one file: clock, processor, peak memory."""
    script = folder / "plain.py"
    script.write_text(plain)
    base = timed([sys.executable, str(script), str(path), str(folder / "plain.parquet")])
    own = timed([sys.executable, "-m", "kebrin", "tidy", str(path), "-o", str(folder / "own.parquet"), "--replace"])
    print(f"{name}, {path.stat().st_size / 1e6:,.0f} MB")
    print(f"  polars  {base[0]:6.2f} s, {base[1]:6.2f} s of processor, {base[2]:5.0f} MB")
    print(f"  kebrin  {own[0]:6.2f} s, {own[1]:6.2f} s of processor, {own[2]:5.0f} MB")
    ratios = [f"{one / other:.2f} {what}" for one, other, what in zip(own, base, KINDS, strict=True)]
    print(f"  ratio   {', '.join(ratios)}")


def made_apart(kind: str, path: Path, rows: int) -> None:
    """Make a file in a process of its own: what that one needs of memory is not counted with its children's."""
    subprocess.run([sys.executable, __file__, kind, str(path), str(rows)], check=True)


def main(millions: float) -> None:
    """The list once, the wide table in three sizes."""
    rows = int(millions * 1_000_000)
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        made_apart("list", folder / "list.csv", rows)
        compare(f"list of {rows:,} x 10", folder / "list.csv", PLAIN_LIST, folder)
        for part in (4, 2, 1):
            made_apart("wide", folder / "wide.csv", rows // part)
            compare(f"{rows // part:,} x 60 laid long", folder / "wide.csv", PLAIN_WIDE, folder)


if __name__ == "__main__":
    if len(sys.argv) > 3:
        {"list": make_list, "wide": make_wide}[sys.argv[1]](Path(sys.argv[2]), int(sys.argv[3]))
        raise SystemExit
    main(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0)
