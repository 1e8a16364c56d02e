"""Sources: one module per format, each turning a file into a Report."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.errors import Place, SourceError
from kebrin.sources import files

if TYPE_CHECKING:
    from kebrin.cells import Report
    from kebrin.sources.workbook import Workbook

__all__ = ["files", "read"]


def read(path: str | Path, *, opened: Workbook | None = None, stored: str = "") -> Report:
    """Read a report by its ending: .xlsx, .xlsm, .csv, .tsv or .txt.

    Args:
        path: the file.
        opened: the same file, if it was opened ahead.
        stored: 'blank' if formulas without a stored result are empty.

    Raises:
        SourceError: another ending, or the file is not what its ending says.
    """
    path = Path(path)
    if path.suffix.lower() in files.WORKBOOK_ENDINGS:
        from kebrin.sources import xlsx

        return xlsx.read(path, opened=opened, stored=stored)
    if path.suffix.lower() in files.TEXT_ENDINGS:
        from kebrin.sources import delimited

        return delimited.read(path)
    files.first_bytes(path)
    raise SourceError(
        f"files that end in {path.suffix or 'nothing'!r} are not read", Place(str(path)),
        why=f"the endings known are {', '.join(sorted(files.ENDINGS))}", do="Save or export it as one of these",
    )  # fmt: skip
