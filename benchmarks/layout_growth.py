"""How the time to work a layout out grows with the sheet, and how it compares with reading it.

`python benchmarks/layout_growth.py`: four sizes of one report as workbooks; CPU time of this process, medians of three.
"""

from __future__ import annotations

import statistics
import tempfile
import time
from pathlib import Path

import numpy as np
import xlsxwriter

from kebrin.layout import find_layouts
from kebrin.sources import read

COLUMNS, ROUNDS = 28, 3


def make(path: Path, size: int) -> None:
    """A report of so many rows: two label columns, a boxhead, figures, a total row."""
    body = np.random.default_rng(1).integers(0, 9000, (size, COLUMNS)).astype(float)
    with xlsxwriter.Workbook(str(path), {"constant_memory": True}) as book:
        page = book.add_worksheet("Returns")
        page.write_row(0, 0, ["Route", "Sailing", *(f"c{at}" for at in range(COLUMNS))])
        for at, row in enumerate(body.tolist()):
            page.write_row(at + 1, 0, [f"R{at // 50}", f"S{at % 50}", *row])
        page.write_row(size + 1, 0, ["Total", "", *body.sum(axis=0).tolist()])


def times(path: Path) -> tuple[float, float]:
    """CPU seconds to read the sheet and to work out its layout."""
    start = time.process_time()
    sheet = read(path)["Returns"]
    between = time.process_time()
    find_layouts(sheet)
    return between - start, time.process_time() - between


def main() -> None:
    """Print each size's times and their ratio."""
    with tempfile.TemporaryDirectory() as folder:
        for size in (2_000, 8_000, 32_000, 50_000):
            path = Path(folder) / f"{size}.xlsx"
            make(path, size)
            runs = [times(path) for _ in range(ROUNDS)]
            reading, laying = (statistics.median(run[at] for run in runs) for at in (0, 1))
            print(
                f"{size:>6,} rows: read {reading:5.2f} s, layout {laying:5.2f} s "
                f"({laying / size * 1e6:5.1f} µs a row), {laying / reading:4.2f}x of reading"
            )


if __name__ == "__main__":
    main()
