"""The sheets of the benchmark on what can be said: none comes out otherwise than it is written there."""

from __future__ import annotations

import importlib.util
from pathlib import Path

import pytest

BENCHMARKS = Path(__file__).parent.parent / "benchmarks"
# What no line of a plan can have yet.
NOT_YET: set[str] = set()

spec = importlib.util.spec_from_file_location("sayable", BENCHMARKS / "sayable.py")
assert spec is not None
assert spec.loader is not None
sayable = importlib.util.module_from_spec(spec)
spec.loader.exec_module(sayable)


@pytest.mark.parametrize("path", sorted((BENCHMARKS / "sheets").glob("*.txt")), ids=lambda path: path.stem)
def test_a_sheet_is_had_unaided_or_by_its_lines(path: Path) -> None:
    needs_lines = "\nlines:\n" in path.read_text("utf-8")
    wanted = (
        {"not at all"}
        if path.stem in NOT_YET
        else {"among the first five", "by its lines"}
        if needs_lines
        else {"unaided"}
    )
    assert sayable.outcome(path) in wanted
