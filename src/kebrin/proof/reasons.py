"""Whether what was left out was left out for a reason that holds; and the account of cells while it is being made."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.grammar.words import is_drawn, is_unit
from kebrin.proof.ledger import Objection, Use
from kebrin.proof.left import Left, Why

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

_FEW, _TITLE_CELLS, _SPANNING_WORDS = 6, 2, 3

_PAGE = re.compile(r"\b(?:page|seite|pagina|página|sida|side|strona)\s*:?\s*\d+", re.IGNORECASE)
_PAGE_ALONE = re.compile(rf"{_PAGE.pattern}(?:\s*(?:of|/|von|de|av|z)\s*\d+)?", re.IGNORECASE)

_STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}(?::\d{2})?")


_USE_OF = {
    Why.TOTAL: Use.TOTAL, Why.MEAN: Use.TOTAL, Why.CARRIED: Use.TOTAL, Why.REPEAT: Use.REPEAT, Why.UNIT: Use.HEADING,
    Why.PAGE: Use.NOTE,
    Why.TITLE: Use.TITLE, Why.NOTE: Use.NOTE, Why.MARK: Use.MARK, Why.HIDDEN: Use.HIDDEN, Why.STATED: Use.STATED,
}  # fmt: skip


@dataclass
class Account:
    """The account while it is being made."""

    sheet: Sheet
    uses: NDArray[np.uint8]
    body: NDArray[np.bool_]  # body cells of all records that are in a table
    hulls: list[tuple[int, int, int, int]] = field(default_factory=list)
    objections: list[Objection] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    via: dict[str, list[NDArray[np.intp]]] = field(default_factory=dict)
    beside_pages: Counter[str] = field(default_factory=Counter)  # what the rows that say a page's number say beside it

    def came_by(self, column: str, cells: NDArray[np.intp]) -> None:
        """Note that cells (n x 2) arrived in a column."""
        self.via.setdefault(column, []).append(cells)

    def object(self, rule: str, what: str, cells: Sequence[Sequence[int]], settle: str = "") -> None:
        """Note an objection with its cells."""
        shown = tuple(self.sheet.address(int(row), int(column)) for row, column in list(cells)[:_FEW])
        self.objections.append(Objection(rule, what, shown, len(cells), settle))


def widen(account: Account, left: Left) -> None:
    """Let the hull of the block that a total line belongs to reach over the line."""
    first, last = (0, 2) if left.axis == "row" else (1, 3)
    low, high = (int(left.parts.min()), int(left.parts.max())) if len(left.parts) else (left.at - 1, left.at + 1)
    for at, hull in enumerate(account.hulls):
        if hull[first] <= high and low <= hull[last]:
            wide = list(hull)
            wide[first], wide[last] = min(hull[first], left.at), max(hull[last], left.at)
            account.hulls[at] = (wide[0], wide[1], wide[2], wide[3])


def account_for_left(account: Account, left: Sequence[Left], labels: NDArray[np.bool_]) -> None:
    """Account for what was left out, as far as its reasons hold."""
    pages = sorted({one.at for one in left if one.why == Why.PAGE and one.at >= 0})
    # Records follow one another, pages do not.
    apart = [at for at in pages if not {at - 1, at + 1} & {*pages} or int(account.sheet.filled[at].sum()) == 1]
    account.beside_pages = Counter(filter(None, (_beside_page(account.sheet, at) for at in apart)))
    for one in left:
        cells = _cells_of(account, one)
        open_cells = [cell for cell in cells if account.uses[cell] == Use.UNCLAIMED and account.sheet.filled[cell]]
        wrong = _refuted(account, one, open_cells, labels)
        for cell in open_cells:
            if cell not in wrong:
                account.uses[cell] = _USE_OF[one.why]


def _cells_of(account: Account, left: Left) -> Sequence[tuple[int, int]]:
    if left.cells or left.axis == "cells":
        return left.cells
    if left.axis == "row":
        columns = np.flatnonzero(account.sheet.filled[left.at]).tolist()
        spans = [(hull[1], hull[3]) for hull in account.hulls if hull[0] <= left.at <= hull[2] + 1] or [
            (hull[1], hull[3]) for hull in account.hulls
        ]
        if left.why in {Why.HIDDEN, Why.PAGE, Why.STATED} or not spans:
            return [(left.at, column) for column in columns]
        return [(left.at, column) for column in columns if any(first <= column <= last for first, last in spans)]
    rows = np.flatnonzero(account.sheet.filled[:, left.at]).tolist()
    if left.why in {Why.HIDDEN, Why.STATED}:
        return [(row, left.at) for row in rows]
    return [(row, left.at) for row in rows if any(hull[0] <= row <= hull[2] for hull in account.hulls)]


def _refuted(
    account: Account, left: Left, cells: Sequence[tuple[int, int]], labels: NDArray[np.bool_]
) -> set[tuple[int, int]]:
    """The cells of something left out for which the reason does not hold."""
    sheet = account.sheet
    if left.why in {Why.TOTAL, Why.MEAN, Why.CARRIED}:
        return _refuted_total(account, left, cells, labels)
    if left.why == Why.REPEAT:
        return {(row, column) for row, column in cells if not _said_in(sheet, left.like, row, column)}
    if left.why == Why.UNIT:
        return {cell for cell in cells if not is_unit(sheet.text(*cell)) and not _is_lone(sheet, cell)}
    if left.why == Why.PAGE:
        return _refuted_page(account, left, cells)
    if left.why in {Why.TITLE, Why.NOTE}:
        return {cell for cell in cells if not _is_around(account, cell)}
    return set()


def _refuted_page(account: Account, left: Left, cells: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """Cells that say more than which page it is, or rows that do."""
    if left.axis == "cells":
        return {cell for cell in cells if not _PAGE_ALONE.fullmatch(account.sheet.text(*cell))}
    return set() if _is_page_line(account.sheet, left.at, account.beside_pages) else set(cells)


def _beside_page(sheet: Sheet, row: int) -> str:
    """What a row says beside which page it is and when it was printed."""
    texts = " ".join(sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist())
    return re.sub(r"[\W_]+", " ", _STAMP.sub("", _PAGE_ALONE.sub("", texts))).strip() + ":" * (": " in texts)


def _is_page_line(sheet: Sheet, row: int, beside: Counter[str]) -> bool:
    """Whether a row says which page it is, or counts the columns.

    What such rows say beside that must be the same on all of them, said more than once if it stands in cells of its own, and no
    key with its value: that would be a record or a label.
    """
    columns = np.flatnonzero(sheet.filled[row])
    texts = [sheet.text(row, column) for column in columns.tolist()]
    numbers = np.abs(sheet.numbers[row, columns])
    if len(columns) > 2 and numbers[0] <= 1 and (np.diff(numbers) == 1).all():
        # Where the row below is numbered too, and does not begin anew, both are records.
        below = abs(float(sheet.numbers[row + 1, columns[0]])) if row + 1 < sheet.shape[0] else 0.0
        return row > 0 and (np.isnan(below) or below == numbers[0])
    said = _beside_page(sheet, row)
    if len(beside) > 1 or said.endswith(":") or (said and len(columns) > 1 and beside[said] < 2):
        return False
    return not sheet.data[row].any() and any(_PAGE.search(text) for text in texts)


def _said_in(sheet: Sheet, rows: Sequence[int], row: int, column: int) -> bool:
    said = sheet.text(row, column).casefold()
    return any(sheet.text(other, column).casefold() == said for other in rows) or _is_lone(sheet, (row, column))


def _is_lone(sheet: Sheet, cell: tuple[int, int]) -> bool:
    """Whether a text stands alone on its row."""
    return sheet.kinds[cell] == Kind.TEXT and int(sheet.filled[cell[0]].sum()) == 1


def _refuted_total(
    account: Account, left: Left, cells: Sequence[tuple[int, int]], labels: NDArray[np.bool_]
) -> set[tuple[int, int]]:
    """A total needs a cause; a line said to be one by its words must bear them; in a hierarchy its label labels its parts."""
    sheet = account.sheet
    texts = [cell for cell in cells if sheet.kinds[cell] == Kind.TEXT and not sheet.data[cell]]
    if left.why == Why.CARRIED:
        return set()
    if not left.cause or not len(left.parts):
        return set(cells)
    if left.cause.startswith("those lines are set in") or left.cause.startswith("such lines part"):
        # The parent's label must label its parts, by this cell or another that says the same, or it is lost with its sum.
        said = {sheet.text(*cell) for cell in np.argwhere(labels).tolist()} if texts else set()
        return {
            cell for cell in texts
            if not labels[cell] and sheet.text(*cell) not in said and not _is_in_codes(sheet, left, cell)
        }  # fmt: skip
    return set()


def _is_in_codes(sheet: Sheet, left: Left, cell: tuple[int, int]) -> bool:
    """Whether the code of a parent begins those of its parts: A of A1 and A2."""
    own = sheet.text(*cell)
    others = [sheet.text(int(part), cell[1]) for part in left.parts] if left.axis == "row" else []
    return bool(others) and all(other.startswith(own) and other != own for other in others)


def _is_spoken(sheet: Sheet, row: int) -> bool:
    """Whether the first text of a row ends with a colon."""
    return sheet.text(row, int(sheet.filled[row].argmax())).endswith(":")


def _is_around(account: Account, cell: tuple[int, int]) -> bool:
    """Whether a text stands where a title or a note may: off the rows and columns of a body, or alone on its row there.

    A row that fills more than half of a body's columns is no note, wherever it stands.
    """
    sheet = account.sheet
    if is_drawn(sheet.text(*cell)):
        columns = np.flatnonzero(sheet.filled[cell[0]]).tolist()
        return len(columns) > 1 and all(is_drawn(sheet.text(cell[0], column)) for column in columns)
    if sheet.data[cell] and not _is_lone(sheet, cell):
        # On a sheet without a table one figure beside its name is no observation.
        return not account.hulls and int(sheet.data.sum()) == 1 and int(sheet.filled[cell[0]].sum()) == _TITLE_CELLS
    if not all(_is_around_hull(sheet, hull, cell) for hull in account.hulls):
        return False
    if any(hull[0] <= cell[0] <= hull[2] for hull in account.hulls):
        account.notes.append(f"{sheet.address(*cell)}: {sheet.text(*cell)[:80]!r}")
    return True


def _is_stamp(text: str) -> bool:
    """Whether a text says which page it is, or when it was printed, and nothing else: "Page 2", "Run 02/07/31".

    >>> _is_stamp("RUN 02/07/31"), _is_stamp("Page 1 of 2"), _is_stamp("14 Brae 02/07/31 to 03/07/31")
    (True, True, False)
    """
    if _PAGE_ALONE.fullmatch(text):
        return True
    rest, count = _STAMP.subn("", text)
    return 0 < count <= 2 and len(rest.split()) <= 2 and not any(map(str.isdigit, rest))


def _is_around_hull(sheet: Sheet, hull: tuple[int, int, int, int], cell: tuple[int, int]) -> bool:
    """The same for one block."""
    (top, first, bottom, last), (row, column) = hull, cell
    beside_rows, inside_columns = top <= row <= bottom, first <= column <= last
    if sheet.data[cell] and (beside_rows or inside_columns):
        return False
    if not inside_columns:
        return True
    filled = int(sheet.filled[row, first : last + 1].sum())
    if 1 < filled <= _FEW:  # beside which page it is a title stands alone
        there = first + np.flatnonzero(sheet.filled[row, first : last + 1])
        filled -= sum(_is_stamp(sheet.text(row, int(one))) for one in there)
    spoken = not beside_rows and _is_spoken(sheet, row)
    # A label with a colon and what stands beside it is a line of text, however narrow the table is.
    if filled > max(2 if spoken else 1, (last - first + 1) // 2) or (beside_rows and filled > 1):
        return False
    if row < top and filled > _TITLE_CELLS and not spoken:
        return False  # several texts side by side say more than a title does
    text = sheet.text(row, column)
    few = len(text.split()) <= _SPANNING_WORDS and ":" not in text and not is_unit(text)
    # Right over the headings it may span some of them.
    return not (row == top - 1 and first < column and few and filled > 1)
