"""Older and binary workbooks (.xls, .xlsb) as reports, as far as python-calamine reads them: values, merges and hidden sheets."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import python_calamine as calamine

from kebrin.cells import Area, Report, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import files
from kebrin.sources.limits import hold_room
from kebrin.sources.package_parts import damaged

if TYPE_CHECKING:
    from pathlib import Path

_HIDDEN = ((calamine.SheetVisibleEnum.Hidden, "hidden"), (calamine.SheetVisibleEnum.VeryHidden, "very hidden"))

_CANT_TELL = "this kind of workbook does not say which cells are in bold or indented, or which lines are hidden"


def read(path: Path) -> Report:
    """Read an older or binary workbook.

    What it can't tell: which cells are in bold or set in, which lines are hidden, what the formulas are.

    Raises:
        SourceError: it is damaged or locked with a password.
    """
    fixed = files.Fixed.of(path)
    where = Place(str(path))
    try:
        book = calamine.CalamineWorkbook.from_path(str(path))
    except (calamine.CalamineError, ValueError, OSError) as error:
        if "password" in str(error).lower() or "encrypt" in str(error).lower():
            raise SourceError(
                "this workbook is locked with a password",
                where,
                do="Open it in a spreadsheet program, take the password off, save it",
            ) from error
        raise SourceError(
            "this workbook is locked with a password or damaged", where, why=str(error).partition("\n")[0],
            do="Open it in a spreadsheet program, take the password off, and save it as .xlsx",
        ) from error  # fmt: skip
    about = [one for one in book.sheets_metadata if one.typ == calamine.SheetTypeEnum.WorkSheet]
    hidden = {one.name: word for one in about for state, word in _HIDDEN if one.visible == state}

    def load(name: str) -> Sheet:
        try:
            sheet = book.get_sheet_by_name(name)
            rows = sheet.to_python(skip_empty_area=False)
            merges = [(*first, *last) for first, last in sheet.merged_cell_ranges or ()]
        except (calamine.CalamineError, ValueError) as error:
            raise damaged(Place(str(path), sheet=name), error) from error
        fixed.check()
        hold_room(len(rows), len(rows[0]) if rows else 0, Place(str(path), sheet=name))
        values = np.full((len(rows), len(rows[0]) if rows else 0), None, dtype=object)
        for number, row in enumerate(rows):
            values[number, :] = row
        kinds = kinds_of(values)
        values.flags.writeable = kinds.flags.writeable = False
        height, width = values.shape
        areas = tuple(
            Area(top, left, min(bottom, height - 1), min(right, width - 1))
            for top, left, bottom, right in merges
            if top < height and left < width
        )
        return Sheet(name, values, kinds, areas, str(path), hidden.get(name, ""))

    return Report(str(path), tuple(one.name for one in about), load, hidden, lambda: fixed.digest, said=(_CANT_TELL,))
