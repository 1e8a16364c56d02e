"""What people hold: reports, sheets, blocks, tables, plans and runs, with every step a method."""

from kebrin.api.plan import Plan, draft, drift, load_plan, readings, tidy, tidy_reports
from kebrin.api.report import Block, Report, Sheet, read
from kebrin.api.run import Run
from kebrin.api.showing import Proof
from kebrin.api.table import Table, as_table

__all__ = [
    "Block",
    "Plan",
    "Proof",
    "Report",
    "Run",
    "Sheet",
    "Table",
    "as_table",
    "draft",
    "drift",
    "load_plan",
    "read",
    "readings",
    "tidy",
    "tidy_reports",
]
