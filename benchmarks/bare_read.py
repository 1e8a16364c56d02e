"""The floor: the workbook's cells as lists of rows, and nothing done with them."""

from __future__ import annotations

import sys

from python_calamine import CalamineWorkbook

rows = CalamineWorkbook.from_path(sys.argv[1]).get_sheet_by_index(0).to_python()
print(len(rows))
