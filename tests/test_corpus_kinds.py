"""The corpus as pages, documents, print reports and PDF: nearly all right, and none wrong under "Proved"."""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent.parent / "benchmarks"))

from accuracy import judge
from corpus.kinds import KINDS
from corpus.offices import OFFICE, make_office

# Printed on one line, nothing parts the entries of a cell any more.
GONE = {"print": {"entries"}}


@pytest.mark.parametrize("kind", KINDS)
def test_other_kinds_of_file_are_read_as_workbooks_are(tmp_path: Path, kind: str) -> None:
    found: Counter[str] = Counter()
    for name in OFFICE:
        made = make_office(name, 31)
        if len(made.sheets) > 1 or len(made.tables) > 1 or name in GONE.get(kind, ()):
            continue
        verdict = judge(made, tmp_path / "report.xlsx", kind)
        found[verdict] += 1
        assert verdict != "silent", name
    assert found["right"] >= 0.93 * found.total()
