"""How the time to work a layout out grows with the sheet, over four sizes: `python benchmarks/layout_growth.py`."""

from __future__ import annotations

import time

import numpy as np

from kebrin.cells import Sheet
from kebrin.layout import find_layouts

COLUMNS = 28

for size in (2_000, 8_000, 32_000, 50_000):
    body = np.random.default_rng(1).integers(0, 9000, (size, COLUMNS)).astype(float)
    heads = ["Route", "Sailing", *(f"c{at}" for at in range(COLUMNS))]
    rows = [[f"R{at // 50}", f"S{at % 50}", *row] for at, row in enumerate(body.tolist())]
    sheet = Sheet.of([heads, *rows])
    _ = sheet.numbers  # what texts look like is looked up once and kept; it is part of reading
    start = time.process_time()
    find_layouts(sheet)
    spent = time.process_time() - start
    print(f"{size:>6,} rows: {spent:6.2f} s of CPU, {spent / size * 1e6:5.1f} µs a row")
