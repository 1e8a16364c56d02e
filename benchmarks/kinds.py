"""Other kinds of file: what reading and tidying them costs beside what their bytes cost alone.

    python benchmarks/kinds.py [ROWS]

A page beside lxml's parse, a spreadsheet document beside unzipping and parsing its XML, a PDF beside the places that pdfminer.six
gives, a print report beside polars slices that know where the columns stand.
"""

from __future__ import annotations

import random
import sys
import tempfile
import time
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

from lxml import etree, html
from odf.opendocument import OpenDocumentSpreadsheet
from odf.table import Table, TableCell, TableRow
from odf.text import P
from pdfminer.high_level import extract_pages
from pdfminer.layout import LAParams
from reportlab.platypus import LongTable, SimpleDocTemplate

import kebrin as kb
from kebrin.sources import read
from many_books import timed as processes

if TYPE_CHECKING:
    from collections.abc import Callable

HEADS = ("Sailing", "Foot", "Cars", "Takings")


def lines_of(rows: int) -> list[tuple[str, str, str, str]]:
    """Rows of figures."""
    draw = random.Random(3)
    return [
        (f"Sailing {at}", str(draw.randrange(900)), str(draw.randrange(90)), f"{draw.random() * 9000:.2f}")
        for at in range(rows)
    ]


def timed(do: Callable[[], object]) -> float:
    """Seconds, the less of two runs."""
    found = []
    for _ in range(2):
        begun = time.perf_counter()
        do()
        found.append(time.perf_counter() - begun)
    return min(found)


def report(name: str, path: Path, alone: Callable[[], object], than: str) -> None:
    """One kind: reading, all of tidying, and the bytes alone."""
    bare = timed(alone)

    def sheets() -> None:
        found = read(path)
        for sheet in found.names:
            found[sheet]

    reading = timed(sheets)
    whole = timed(lambda: kb.tidy(path))
    shares = f"{reading / bare:.1f} and {whole / bare:.1f} of it"
    print(f"{name:<24} read {reading:6.2f} s, tidied {whole:6.2f} s; {than} {bare:6.2f} s: {shares}", flush=True)


def page(folder: Path, rows: int) -> None:
    """HTML."""
    path = folder / "x.html"
    body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in line)}</tr>" for line in (HEADS, *lines_of(rows)))
    path.write_text(f"<html><body><table>{body}</table></body></html>")
    report(f"page, {rows:,} rows", path, lambda: html.document_fromstring(path.read_text()), "lxml's parse")


def document(folder: Path, rows: int) -> None:
    """OpenDocument."""
    path = folder / "x.ods"
    book = OpenDocumentSpreadsheet()
    table = Table(name="x")
    for number, line in enumerate((HEADS, *lines_of(rows))):
        row = TableRow()
        for at, text in enumerate(line):
            cell = TableCell(valuetype="float", value=text) if number and at else TableCell(valuetype="string")
            cell.addElement(P(text=text))
            row.addElement(cell)
        table.addElement(row)
    book.spreadsheet.addElement(table)
    book.save(str(path))

    def alone() -> None:
        with zipfile.ZipFile(path) as package:
            etree.fromstring(package.read("content.xml"))

    report(f"document, {rows * 4:,} cells", path, alone, "unzipped and parsed")


def pdf(folder: Path, rows: int) -> None:
    """PDF with text."""
    path = folder / "x.pdf"
    SimpleDocTemplate(str(path)).build([LongTable([HEADS, *lines_of(rows)], repeatRows=1)])
    report(
        f"PDF, {rows:,} rows",
        path,
        lambda: list(extract_pages(str(path), laparams=LAParams(boxes_flow=None))),
        "the places",
    )


SLICES = """
import sys, polars as pl
text = pl.read_csv(sys.argv[1], has_header=False, separator="\\x01", new_columns=["line"], skip_rows=1)
places = (("Sailing", 0, 18), ("Foot", 18, 8), ("Cars", 26, 8), ("Takings", 34, 12))
table = text.select(pl.col("line").str.slice(left, wide).str.strip_chars().alias(name) for name, left, wide in places)
table.with_columns(pl.col("Foot", "Cars", "Takings").cast(pl.Float64)).write_parquet(sys.argv[2])
"""
LOOP = """
import re, sys, pyarrow as pa, pyarrow.parquet as pq
line = re.compile(r"(?P<Sailing>\\S+(?: \\S+)*) {2,}(?P<Foot>[\\d.,]+) +(?P<Cars>[\\d.,]+) +(?P<Takings>[\\d.,]+)")
rows = [found.groupdict() for found in map(line.match, open(sys.argv[1])) if found]
for row in rows:
    for name in ("Foot", "Cars", "Takings"):
        row[name] = float(row[name].replace(",", ""))
pq.write_table(pa.Table.from_pylist(rows), sys.argv[2])
"""


def printed(folder: Path, rows: int) -> None:
    """A print report, whole processes: beside polars slices that know the places, and beside a loop over a regular expression."""
    path, out = folder / "x.prn", str(folder / "x.parquet")
    said = [f"{a:<18}{b:>8}{c:>8}{d:>12}" for a, b, c, d in (HEADS, *lines_of(rows))]
    path.write_text("\n".join(said) + "\n")
    own, _, peak = processes([sys.executable, "-m", "kebrin", "tidy", str(path), "-o", out, "--replace"])
    slices, _, _ = processes([sys.executable, "-c", SLICES, str(path), out])
    loop, _, _ = processes([sys.executable, "-c", LOOP, str(path), out])
    print(
        f"print report, {rows:,} lines: tidied {own:.2f} s, {peak:.0f} MB; polars slices {slices:.2f} s, a loop {loop:.2f} s: "
        f"{own / slices:.1f} and {own / loop:.2f} of them",
        flush=True,
    )


def main(rows: int) -> None:
    """All kinds."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        printed(folder, rows * 2)  # first: what a process takes is measured while this one is small
        page(folder, rows)
        document(folder, rows // 2)
        pdf(folder, rows // 50)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 100_000)
