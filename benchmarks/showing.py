"""What showing costs: the proof page beside its run, a chart of a million rows, hand-outs beside reportlab alone.

python benchmarks/showing.py
"""

from __future__ import annotations

import io
import tempfile
import time
from pathlib import Path

import matplotlib.backends.backend_agg
import matplotlib.backends.backend_pdf
import matplotlib.backends.backend_svg
import matplotlib.figure  # noqa: F401 - loaded before anything is timed
import numpy as np
import pyarrow as pa
from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import LongTable, Paragraph, SimpleDocTemplate

import kebrin as kb
from kebrin.deliver import charts
from kebrin.deliver.writing.books import Page
from kebrin.deliver.writing.handouts import About, write_handout
from kebrin.shape.looking import look
from kebrin.table import Table

HANDOUTS, ROWS, MANY = 200, 30, 1_000_000


def page() -> None:
    """The page of the demo, beside the run that it shows."""
    plan = kb.load_plan(kb.demo_file("traffic.plan.toml"))
    plan.run().page()
    begun = time.perf_counter()
    run = plan.run()
    ran = time.perf_counter() - begun
    begun = time.perf_counter()
    text = run.page()
    took = time.perf_counter() - begun
    print(f"proof page: {len(text) / 1000:.0f} kB in {took:.2f} s beside {ran:.2f} s of the run in the same process")


def chart() -> None:
    """A chart of many rows, from the table to the picture."""
    draw = np.random.default_rng(1)
    days = np.datetime_as_string(np.datetime64("2031-01-01") + draw.integers(0, 365, MANY))
    table = Table(pa.table({"day": pa.array(days).dictionary_encode(), "cars": draw.random(MANY)}), ("cars",))
    begun = time.perf_counter()
    charts.write(charts.draw(look(table, ["day"]), "cars by day"), Path("x.png"))
    print(f"chart of {MANY:,} rows: {time.perf_counter() - begun:.2f} s")


def handouts(folder: Path) -> None:
    """Hand-outs of a page each, and the same lines drawn by reportlab alone."""
    tables = [
        {"port": [f"P{at}"] * ROWS, "month": [f"2031-{1 + row % 12:02}" for row in range(ROWS)],
         "cars": [float(at + row) for row in range(ROWS)]}
        for at in range(HANDOUTS)
    ]  # fmt: skip
    begun = time.perf_counter()
    for at, data in enumerate(tables):
        write_handout([Page(f"P{at}", Table(pa.table(data), ("cars",)))], folder / "x.pdf", About("x"), kind=".pdf")
    ours = time.perf_counter() - begun
    begun = time.perf_counter()
    for at, data in enumerate(tables):
        out = io.BytesIO()
        lines = [
            ["month", "cars"],
            *([month, f"{cars:,.10g}"] for month, cars in zip(data["month"], data["cars"], strict=True)),
        ]
        style = [("FONT", (0, 0), (-1, -1), "Helvetica", 8.5), ("LINEBELOW", (0, 0), (-1, -1), 0.25, "#bbbbbb")]
        story = [
            Paragraph(f"P{at}", ParagraphStyle("head", fontSize=15)),
            Paragraph(f"port: P{at}", ParagraphStyle("plain")),
        ]
        SimpleDocTemplate(out).build([*story, LongTable([*lines, ["Total", ""]], repeatRows=1, style=style)])
        (folder / "y.pdf").write_bytes(out.getvalue())
    alone = time.perf_counter() - begun
    print(f"{HANDOUTS} hand-outs: {ours:.2f} s, {ours / alone:.2f} of reportlab alone")


if __name__ == "__main__":
    page()
    chart()
    with tempfile.TemporaryDirectory() as made:
        handouts(Path(made))
