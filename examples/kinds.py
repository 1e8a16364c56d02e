"""Reports that are no workbooks: a print report, a page, a spreadsheet document, a PDF, and a list behind a service.

Each is drafted, its plan run, and its table held against what the report itself states.

    python examples/kinds.py [FOLDER]

It needs kebrin[http,pdf].
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from shutil import copyfile

import kebrin as kb
from kebrin.deliver.fetching import fetch
from kebrin.demo.service import serving
from kebrin.sources.services import Service

FILES = ("dues.prn", "berths.html", "fuel.ods", "tides.pdf")


def main(folder: Path) -> None:
    """Draft a plan for each report, run it, and say what came of it."""
    for name in FILES:
        copyfile(kb.demo_file(name), folder / name)
    with serving() as address:
        fetch(Service(f"{address}/calls"), folder / "calls.json")
    for name in (*FILES, "calls.json"):
        plan = kb.draft(folder / name, base=folder, output=f"{Path(name).stem}.csv")
        run = plan.run()
        for table, proof in ((run.tables[one], run.proofs[one]) for one in run.tables):
            tied = sum(ties.lines for ties in proof.ties)
            said = f"{tied} stated totals tie" if tied else "no totals stated"
            print(f"{name:12} {len(table):>4} rows, {said}: {proof.headline}")
        run.write()


if __name__ == "__main__":
    if len(sys.argv) > 1:
        main(Path(sys.argv[1]))
    else:
        with tempfile.TemporaryDirectory() as made:
            main(Path(made))
