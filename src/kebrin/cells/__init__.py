"""Cells: addresses, kinds, looks, formats, and Sheet, the first of the two things that travel."""

from kebrin.address import Area, a1, addresses, column_letters, parse_a1
from kebrin.cells.dittos import DITTOS
from kebrin.cells.formats import Formats
from kebrin.cells.kinds import Kind
from kebrin.cells.readings import Hints, Readings
from kebrin.cells.sheet import Report, Sheet, as_label, kinds_of
from kebrin.cells.spots import Spots
from kebrin.grammar import MISSING_MARKS, Look, Reading, lettered_mark, neat, read_text, trailing_mark

__all__ = [
    "DITTOS",
    "MISSING_MARKS",
    "Area",
    "Formats",
    "Hints",
    "Kind",
    "Look",
    "Reading",
    "Readings",
    "Report",
    "Sheet",
    "Spots",
    "a1",
    "addresses",
    "as_label",
    "column_letters",
    "kinds_of",
    "lettered_mark",
    "neat",
    "parse_a1",
    "read_text",
    "trailing_mark",
]  # fmt: skip
