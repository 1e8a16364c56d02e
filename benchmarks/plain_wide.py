"""What people write by hand for the same job: read with pandas over calamine, reshape, write Parquet."""

from __future__ import annotations

import sys

import pandas as pd

frame = pd.read_excel(sys.argv[1], engine="calamine", header=[2, 3, 4], index_col=[0, 1])
frame.index.names = ["Route", "Sailing"]
frame.columns.names = ["year", "month", "class"]
long = frame.stack([0, 1, 2], future_stack=True).rename("value").reset_index()
for label in ("Route", "Sailing", "year", "month", "class"):
    long[label] = long[label].astype("category")
long.to_parquet(sys.argv[2])
