"""Layout: what each row, column and cell of a sheet is for, and why; labels repaired."""

from kebrin.grammar.words import is_ratio
from kebrin.layout.about import lines_about
from kebrin.layout.attached import LINE, PART
from kebrin.layout.build import names_period
from kebrin.layout.calendars import CALENDAR_NAMES
from kebrin.layout.fields import find_fields, stated_field
from kebrin.layout.find import find_layouts
from kebrin.layout.form_labels import alike_forms, labels_of
from kebrin.layout.form_records import as_one_record
from kebrin.layout.model import (
    CALENDAR,
    DOUBTED,
    KEPT,
    NO_COLUMN,
    PLACED,
    STATED,
    TWICE,
    Evidence,
    FieldCell,
    Layout,
    Level,
    Role,
    Stated,
    TotalLine,
)
from kebrin.layout.naming import with_names_apart
from kebrin.layout.omitting import sheets_left_out
from kebrin.layout.page_lines import page_cells
from kebrin.layout.parted import MEASURE, likely_pattern

__all__ = [
    "CALENDAR",
    "CALENDAR_NAMES",
    "DOUBTED",
    "KEPT",
    "LINE",
    "MEASURE",
    "NO_COLUMN",
    "PART",
    "PLACED",
    "STATED",
    "TWICE",
    "Evidence",
    "FieldCell",
    "Layout",
    "Level",
    "Role",
    "Stated",
    "TotalLine",
    "alike_forms",
    "as_one_record",
    "find_fields",
    "find_layouts",
    "is_ratio",
    "labels_of",
    "likely_pattern",
    "lines_about",
    "names_period",
    "page_cells",
    "sheets_left_out",
    "stated_field",
    "with_names_apart",
]  # fmt: skip
