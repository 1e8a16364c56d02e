"""`kebrin check`: what is installed, what it reads and writes, and whether it works here."""

from __future__ import annotations

import json
import platform
import sys
import tempfile
import time
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from kebrin.cli import show
from kebrin.cli.ending import Exit
from kebrin.version import VERSION

_EXTRAS = (
    ("pdf", "pdfminer.six", "reads PDF"),
    ("http", "httpx", "fetches lists from services"),
    ("pictures", "matplotlib", "draws sheet maps and charts"),
    ("handouts", "reportlab", "writes hand-outs as PDF"),
    ("ods", "odfpy", "writes .ods"),
    ("database", "SQLAlchemy", "writes into databases"),
    ("watch", "watchfiles", "runs again when a file changes"),
    ("cluster", "distributed", "has a Dask cluster do the work"),
    ("pandas", "pandas", "gives tables to pandas"),
    ("polars", "polars", "gives tables to polars"),
)


def check(*, as_json: bool) -> int:
    """Say what is installed, and tidy, write and trace a demo report."""
    extras = [(name, package, what, _version(package)) for name, package, what in _EXTRAS]
    begun = time.perf_counter()
    wrong = _tried()
    seconds = time.perf_counter() - begun
    if as_json:
        said = {"kebrin": VERSION, "python": platform.python_version(), "works": not wrong, "why": wrong}
        print(json.dumps(said | {"extras": {name: found for name, _, _, found in extras}}, ensure_ascii=False))
        return Exit.UNFORESEEN if wrong else Exit.DONE
    out = show.console()
    show.heading(out, f"Kebrin {VERSION}, Python {platform.python_version()}, {sys.platform}")
    show.rows(out, [("reads", "workbooks, spreadsheet documents, pages, text, print reports, JSON; gzip, zip, a pipe"),
                    ("writes", ".csv .parquet .xlsx .jsonl .json .sqlite .html")])  # fmt: skip
    show.heading(out, "Extras")
    rows = [(name, f"{what}: {package} {found}" if found else f"{what}: not installed, pip install 'kebrin[{name}]'")
            for name, package, what, found in extras]  # fmt: skip
    show.rows(out, rows)
    show.heading(out, f"It works here: a demo report was tidied, proved, written and traced in {seconds:.1f} s" if not wrong
                 else f"It does not work here: {wrong}")  # fmt: skip
    return Exit.UNFORESEEN if wrong else Exit.DONE


def _version(package: str) -> str:
    try:
        return version(package)
    except PackageNotFoundError:
        return ""


def _tried() -> str:
    """What goes wrong where a demo report is tidied, proved, written and traced; '' if nothing does."""
    import kebrin as kb
    from kebrin.deliver.tracing import trace

    try:
        with tempfile.TemporaryDirectory() as folder:
            run = kb.tidy(kb.demo_file("traffic_2031.xlsx"))
            out = Path(folder) / "traffic.csv"
            run.write({"traffic_2031": out})
            found = trace(out, 17)
            same = str(found.value) == f"{found.said:g}"
            return "" if run.holds and same else "the demo report gives another table than it should"
    except Exception as error:  # noqa: BLE001 - whatever it is, it is what is looked for
        return f"{type(error).__name__}: {error}"
