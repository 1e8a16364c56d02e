"""Table, its origins, what is found of it, and Arrow arrays made without detours."""

from kebrin.table.findings import EACH_A_COLUMN, Does, Finding, FindingKind, Settle, without_asked_of
from kebrin.table.origin import NO_CELL, CellOrigin, Labels, Origin, Parts, Segment
from kebrin.table.table import StepCount, Table, Way

__all__ = [
    "EACH_A_COLUMN", "NO_CELL", "CellOrigin", "Does", "Finding", "FindingKind", "Labels", "Origin", "Parts", "Segment",
    "Settle", "StepCount", "Table", "Way", "without_asked_of",
]  # fmt: skip
