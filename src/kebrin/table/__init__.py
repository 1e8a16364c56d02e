"""Table, its origins, its remarks, and Arrow arrays made without detours."""

from kebrin.table.origin import NO_CELL, CellOrigin, Labels, Origin, Segment
from kebrin.table.remarks import Remark
from kebrin.table.table import StepCount, Table

__all__ = ["NO_CELL", "CellOrigin", "Labels", "Origin", "Remark", "Segment", "StepCount", "Table"]
