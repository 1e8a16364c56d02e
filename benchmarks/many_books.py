"""Many small workbooks: N workbooks of 3 sheets of 40 x 26, whole processes, as ratios to a plain script in the same run.

    python benchmarks/many_books.py [N]

The plain script reads rows with python-calamine and lays them long with polars; it knows where all stands and
proves nothing.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import xlsxwriter

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
PORTS = ("Skarrow", "Hallan", "Brae", "Wick", "Garth", "Noup", "Sand", "Lerr")
ROUTES = ("North Loop", "Skerry Line", "Outer Sound")
ROWS, CLASSES = 37, ("Foot", "Cars")

PLAIN = """
import sys, glob
import polars as pl
from python_calamine import CalamineWorkbook
parts = []
for file in sorted(glob.glob(sys.argv[1] + "/*.xlsx")):
    book = CalamineWorkbook.from_path(file)
    for name in book.sheet_names:
        rows = book.get_sheet_by_name(name).to_python(skip_empty_area=False)
        months, heads, body = rows[1], rows[2], rows[3:]
        month, at = "", []
        for one in months[2:]:
            month = one or month
            at.append(month)
        names = [f"{m}|{c}" for m, c in zip(at, heads[2:])]
        wide = pl.DataFrame(body, schema=["port", "sailing", *names], orient="row")
        wide = wide.with_columns(pl.when(pl.col("port") == "").then(None).otherwise(pl.col("port")).forward_fill().alias("port"))
        long = wide.unpivot(index=["port", "sailing"], variable_name="head", value_name="carried")
        parts.append(long.with_columns(
            pl.lit(file).alias("file"), pl.lit(name).alias("route"),
            pl.col("head").str.split_exact("|", 1).struct.rename_fields(["month", "class"]).alias("f"),
        ).unnest("f").drop("head"))
pl.concat(parts).write_parquet(sys.argv[2])
"""


def make(folder: Path, count: int) -> None:
    """Workbooks of one form: a title, months over classes, ports over sailings, figures."""
    folder.mkdir(parents=True)
    for number in range(count):
        book = xlsxwriter.Workbook(str(folder / f"traffic_{2000 + number // 12}-{number % 12 + 1:02d}.xlsx"))
        for name in ROUTES:
            sheet = book.add_worksheet(name)
            sheet.write(0, 0, f"Carried by month and class, {name}")
            sheet.write_row(2, 0, ["Port", "Sailing"])
            for at, month in enumerate(MONTHS):
                sheet.merge_range(1, 2 + 2 * at, 1, 3 + 2 * at, month)
                sheet.write_row(2, 2 + 2 * at, CLASSES)
            for row in range(ROWS):
                if row % 5 == 0:
                    sheet.write(3 + row, 0, PORTS[row // 5])
                sheet.write(3 + row, 1, f"{6 + row % 5 * 3:02d}:{row:02d}")
                sheet.write_row(3 + row, 2, [(number * 7 + row * 31 + at * 13) % 400 + 1 for at in range(24)])
        book.close()


RUNS = 3


def timed(words: list[str]) -> tuple[float, float, float]:
    """Seconds by the clock, seconds of the processor, peak memory in MB: the least of several runs."""
    return min(once(words) for _ in range(RUNS))


def once(words: list[str]) -> tuple[float, float, float]:
    """One run."""
    begun = time.perf_counter()
    # Compiled once, as an installed package is.
    env = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    process = subprocess.Popen(words, stdout=subprocess.DEVNULL, env=env)
    _, status, usage = os.wait4(process.pid, 0)
    process.returncode = os.waitstatus_to_exitcode(status)
    if process.returncode:
        raise SystemExit(f"{words[0]} ended with {process.returncode}")
    return time.perf_counter() - begun, usage.ru_utime + usage.ru_stime, usage.ru_maxrss / 1024


def main(count: int) -> None:
    """Make the workbooks, run both, print ratios."""
    with tempfile.TemporaryDirectory() as made:
        folder = Path(made)
        make(folder / "in", count)
        plain = folder / "plain.py"
        plain.write_text(PLAIN)
        kebrin = [sys.executable, "-m", "kebrin", "tidy", str(folder / "in"), "-o"]
        base = timed([sys.executable, str(plain), str(folder / "in"), str(folder / "plain.parquet")])
        one = timed([*kebrin, str(folder / "one.parquet"), "--replace"])
        two = timed([*kebrin, str(folder / "two.parquet"), "--replace", "--workers", "2"])
        sheets = 3 * count
        print(f"{count} workbooks of 3 sheets")
        print(
            f"  plain script   {base[0]:6.2f} s, {base[1] / sheets * 1000:5.2f} ms of processor a sheet, {base[2]:5.0f} MB"
        )
        print(
            f"  kebrin tidy    {one[0]:6.2f} s, {one[1] / sheets * 1000:5.2f} ms of processor a sheet, {one[2]:5.0f} MB"
        )
        print(f"  two workers    {two[0]:6.2f} s, {two[2]:5.0f} MB")
        print(f"kebrin / plain: {one[0] / base[0]:.2f} by the clock, {one[1] / base[1]:.2f} of the processor")
        print(f"one process / two workers: {one[0] / two[0]:.2f}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 200)
