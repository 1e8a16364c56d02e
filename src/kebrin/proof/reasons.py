"""Whether what was left out was left out for a reason that holds; and the account of cells while it is being made."""

from __future__ import annotations

import re
from collections import Counter
from dataclasses import dataclass, field
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Kind, Sheet
from kebrin.cells.arithmetic import DIFFERENCE, follows
from kebrin.grammar.periods import of_several_months
from kebrin.grammar.words import (
    KEYED,
    carried_word,
    is_drawn,
    is_ratio,
    is_unit,
    is_unit_said,
    says_whole,
    speaks_of_columns,
    total_word,
)
from kebrin.proof.ledger import Use
from kebrin.proof.left import Left, Why
from kebrin.table.findings import Finding, FindingKind, Settle

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

_FEW, _TITLE_CELLS, _SPANNING_WORDS = 6, 2, 3
_SIGN = 2
_LONGEST_TOLD = 60

_PAGE = re.compile(r"\b(?:page|sheet|seite|blatt|pagina|página|sida|side|strona)\s*:?\s*\d+", re.IGNORECASE)
_PAGE_ALONE = re.compile(rf"{_PAGE.pattern}(?:\s*(?:of|/|von|de|av|z)\s*\d+)?", re.IGNORECASE)

_STAMP = re.compile(r"\d{1,4}[-/.]\d{1,2}[-/.]\d{2,4}|\d{1,2}:\d{2}(?::\d{2})?")


_USE_OF = {
    Why.TOTAL: Use.TOTAL, Why.MEAN: Use.TOTAL, Why.CARRIED: Use.TOTAL, Why.REPEAT: Use.REPEAT, Why.UNIT: Use.HEADING,
    Why.PAGE: Use.NOTE,
    Why.TITLE: Use.TITLE, Why.NOTE: Use.NOTE, Why.MARK: Use.MARK, Why.HIDDEN: Use.HIDDEN, Why.STATED: Use.STATED,
    Why.COUNT: Use.TOTAL, Why.ABOUT: Use.ABOUT, Why.DERIVED: Use.DERIVED,
}  # fmt: skip


@dataclass
class Account:
    """The account while it is being made."""

    sheet: Sheet
    uses: NDArray[np.uint8]
    body: NDArray[np.bool_]  # body cells of all records that are in a table
    hulls: list[tuple[int, int, int, int]] = field(default_factory=list)
    objections: list[Finding] = field(default_factory=list)
    beside: list[tuple[int, int]] = field(
        default_factory=list
    )  # texts on the rows of a body that were left out as notes
    headless: list[tuple[int, int]] = field(default_factory=list)  # headings of columns without values
    via: dict[str, list[NDArray[np.intp]]] = field(default_factory=dict)
    sums: list[tuple[int, NDArray[np.int32]]] = field(
        default_factory=list
    )  # rows that were left out as sums, with their parts
    carries: bool = False  # whether most of the rows that are said to carry a sum over are seen to do so
    names: tuple[str, ...] = ()  # of the columns of all tables
    about: frozenset[int] = frozenset()  # rows that are seen to speak of the columns
    beside_pages: Counter[str] = field(default_factory=Counter)  # what the rows that say a page's number say beside it

    def came_by(self, column: str, cells: NDArray[np.intp]) -> None:
        """Note that cells (n x 2) arrived in a column."""
        self.via.setdefault(column, []).append(cells)

    def object(
        self,
        kind: FindingKind,
        what: str,
        cells: Sequence[Sequence[int]],
        *settle: Settle,
        count: int | None = None,
        breaks: bool = True,
    ) -> None:
        """Note an objection with its cells and the lines that settle it."""
        shown = tuple(self.sheet.address(int(row), int(column)) for row, column in list(cells)[:_FEW])
        self.objections.append(
            Finding(
                kind,
                what,
                self.sheet.source,
                self.sheet.name,
                shown,
                len(cells) if count is None else count,
                breaks=breaks,
                settle=settle,
            )
        )

    def told(self) -> tuple[Finding, ...]:
        """What is told of texts that are in no table, though they stand among records or over a column."""
        said = (
            (FindingKind.NOTE, self.beside, "on the rows of a table left out as notes"),
            (FindingKind.EMPTY_COLUMN, self.headless, "over columns without values"),
        )
        return tuple(self._told(kind, cells, what) for kind, cells, what in said if cells)

    def _told(self, kind: FindingKind, cells: Sequence[tuple[int, int]], what: str) -> Finding:
        shown = list(dict.fromkeys(repr(self.sheet.text(*cell)[:_LONGEST_TOLD]) for cell in cells))
        texts = ", ".join(shown[:_FEW]) + (", ..." if len(shown) > _FEW else "")
        count = f"{len(cells):,} text" + "s" * (len(cells) > 1)
        addresses = tuple(self.sheet.address(*cell) for cell in cells[:_FEW])
        return Finding(kind, f"{count} {what}: {texts}", self.sheet.source, self.sheet.name, addresses, len(cells))


def widen(account: Account, left: Left) -> None:
    """Let the hull of the block that a total line belongs to reach over the line; of several that it sums, the nearest one."""
    first, last = (0, 2) if left.axis == "row" else (1, 3)
    low, high = (int(left.parts.min()), int(left.parts.max())) if len(left.parts) else (left.at - 1, left.at + 1)
    own = [at for at, hull in enumerate(account.hulls) if hull[first] <= high and low <= hull[last]]
    off = {at: max(account.hulls[at][first] - left.at, left.at - account.hulls[at][last], 0) for at in own}
    for at in own:
        hull = account.hulls[at]
        if off[at] == min(off.values()):
            wide = list(hull)
            wide[first], wide[last] = min(hull[first], left.at), max(hull[last], left.at)
            account.hulls[at] = (wide[0], wide[1], wide[2], wide[3])


def account_for_left(account: Account, left: Sequence[Left], labels: NDArray[np.bool_]) -> None:
    """Account for what was left out, as far as its reasons hold."""
    pages = sorted({one.at for one in left if one.why == Why.PAGE and one.at >= 0})
    # Records follow one another, pages do not.
    apart = [at for at in pages if not {at - 1, at + 1} & {*pages} or int(account.sheet.filled[at].sum()) == 1]
    account.beside_pages = Counter(filter(None, (_beside_page(account.sheet, at) for at in apart)))
    carried = [one for one in left if one.why == Why.CARRIED]
    account.carries = 2 * sum(_carries(account.sheet, one) for one in carried) > len(carried)
    account.about = _about_columns(account, [one for one in left if one.why == Why.ABOUT])
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
    if left.why in {Why.COUNT, Why.ABOUT, Why.DERIVED}:
        return _refuted_line(account, left, cells)
    if left.why in {Why.REPEAT, Why.UNIT}:
        return {cell for cell in cells if not _is_lone(sheet, cell) and not _is_heading_said(account, left, cell)}
    if left.why == Why.PAGE:
        return _refuted_page(account, left, cells)
    if left.why in {Why.TITLE, Why.NOTE}:
        return {cell for cell in cells if not _is_around(account, cell)}
    return set()


def _refuted_line(account: Account, left: Left, cells: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """The cells of a line that does not count what it is said to count, or that is not seen to speak of the columns."""
    if left.why == Why.COUNT and not left.signs:
        return set() if _counts_records(account, left, cells) else set(cells)
    if left.why == Why.COUNT:
        return _refuted_count(account.sheet, left, cells)
    if left.why == Why.DERIVED:
        return _refuted_derived(account, left, cells)
    return set() if left.stated or left.at in account.about else set(cells)


def _refuted_derived(account: Account, left: Left, cells: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """The figures of a line that do not follow from its parts as it is said; all of them where few do."""
    sheet = account.sheet
    across = left.axis == "column"
    block = np.ix_(left.across, left.parts) if across else np.ix_(left.parts, left.across)
    parts = sheet.numbers[block].T if across else sheet.numbers[block]
    own = sheet.numbers[left.across, left.at] if across else sheet.numbers[left.at, left.across]
    wrong = {int(at) for at in left.across[~follows(left.cause, own, parts) & ~np.isnan(own)]}
    if left.cause == DIFFERENCE:  # shares and rates beside amounts are no differences of such
        wrong = {at for at in wrong if not _heads_a_rate(account, at)}
    if len(wrong) * 2 > len(left.across):
        return set(cells)
    # A figure of the line that stands among records which it does not cross is another table's.
    known, records = set(left.across.tolist()), np.asarray(account.body.any(axis=1 if across else 0))
    lines = [cell[0 if across else 1] for cell in cells]
    others = (sheet.data[cell] and records[at] and at not in known for cell, at in zip(cells, lines, strict=True))
    return {cell for cell, at, other in zip(cells, lines, others, strict=True) if at in wrong or other}


def _heads_a_rate(account: Account, column: int) -> bool:
    """Whether a heading above the records of a column speaks of shares or rates."""
    sheet = account.sheet
    records = np.flatnonzero(account.body[:, column])
    above = range(int(records[0])) if len(records) else ()
    return any(is_ratio(sheet.text(row, column)) for row in above if sheet.filled[row, column])


def _counts_records(account: Account, left: Left, cells: Sequence[tuple[int, int]]) -> bool:
    """Whether the one figure of a row is the number of the records that it is said to count, all of them in a table."""
    figures = [account.sheet.numbers[cell] for cell in cells if not np.isnan(account.sheet.numbers[cell])]
    return figures == [len(left.parts)] and bool(account.body[left.parts].any(axis=1).all())


def _refuted_count(sheet: Sheet, left: Left, cells: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """The cells of a line of figures that does not count the signs that it is said to count, in each line of the body."""
    texts = [[sheet.text(int(row), int(at)).casefold() in left.signs for at in left.across] for row in left.parts]
    axis, lines = (0, left.across) if left.axis == "row" else (1, left.parts)
    stated = sheet.numbers[(left.at, lines) if left.axis == "row" else (lines, left.at)]
    if not (np.array(texts).sum(axis=axis) == stated).all():
        return set(cells)
    own = set(lines.tolist())
    total = stated.sum()
    rest = [cell for cell in cells if sheet.data[cell] and cell[1 - axis] not in own]
    return {cell for cell in rest if sheet.numbers[cell] != total}  # one at the end of the line sums it


def _about_columns(account: Account, left: Sequence[Left]) -> frozenset[int]:
    """The rows that speak of the columns: by their label, or beside one that does; above or below all records of their block."""
    spoken = {one.at for one in left if speaks_of_columns(one.label)}
    rows = [one.at for one in left if one.at in spoken or {one.at - 1, one.at + 1} & spoken]
    records = np.asarray(account.body.any(axis=1))
    return frozenset(
        at for at in rows
        if not records[at] and not any(
            records[top:at].any() and records[at : bottom + 1].any() for top, _, bottom, _ in account.hulls if top <= at <= bottom
        )
    )  # fmt: skip


def _refuted_page(account: Account, left: Left, cells: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """Cells that say more than which page it is, or rows that do."""
    if left.axis == "cells":
        return {cell for cell in cells if not _PAGE_ALONE.fullmatch(account.sheet.text(*cell))}
    return set() if _is_page_line(account.sheet, left.at, account.beside_pages) else set(cells)


def _beside_page(sheet: Sheet, row: int) -> str:
    """What a row says beside which page it is and when it was printed."""
    texts = " ".join(sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist())
    rest = _STAMP.sub("", _PAGE_ALONE.sub("", texts))
    return re.sub(r"[\W_]+", " ", rest).strip() + ":" * (": " in rest)


def _is_page_line(sheet: Sheet, row: int, beside: Counter[str]) -> bool:
    """Whether a row says which page it is, or counts the columns.

    What such rows say beside that must be the same on all of them, said more than once if it stands in cells of its own, and no
    key with its value: that would be a record or a label.
    """
    columns = np.flatnonzero(sheet.filled[row])
    texts = [sheet.text(row, column) for column in columns.tolist()]
    numbers = np.abs(sheet.numbers[row, columns])
    if len(columns) > 2 and texts == [f"({at})" for at in range(1, len(texts) + 1)]:
        return row > 0
    if len(columns) > 2 and numbers[0] <= 1 and (np.diff(numbers) == 1).all():
        # Where the row below is numbered too, and does not begin anew, both are records.
        below = abs(float(sheet.numbers[row + 1, columns[0]])) if row + 1 < sheet.shape[0] else 0.0
        return row > 0 and (np.isnan(below) or below == numbers[0])
    said = _beside_page(sheet, row)
    if len(beside) > 1 or said.endswith(":") or (said and len(columns) > 1 and beside[said] < 2):
        return False
    return not sheet.data[row].any() and any(_PAGE.search(text) for text in texts)


def _is_heading_said(account: Account, left: Left, cell: tuple[int, int]) -> bool:
    """Whether a cell of headings says a unit, one that the name of its column bears, or what the headings say that it repeats."""
    sheet, said = account.sheet, account.sheet.text(*cell)
    if left.why == Why.UNIT:
        return is_unit(said) or any(name.endswith(f" ({said})") for name in account.names)
    return any(sheet.text(other, cell[1]).casefold() == said.casefold() for other in left.like)


def _is_lone(sheet: Sheet, cell: tuple[int, int]) -> bool:
    """Whether a text stands alone on its row."""
    return sheet.kinds[cell] == Kind.TEXT and int(sheet.filled[cell[0]].sum()) == 1


def _refuted_total(
    account: Account, left: Left, cells: Sequence[tuple[int, int]], labels: NDArray[np.bool_]
) -> set[tuple[int, int]]:
    """A total needs a cause, and figures that say so; in a hierarchy its label labels its parts.

    What a person states needs neither.
    """
    sheet = account.sheet
    if left.stated:
        return set()
    if left.why == Why.CARRIED:
        return set() if account.carries else set(cells)
    if not left.cause or not len(left.parts):
        return set(cells)
    if left.placed:
        texts = [cell for cell in cells if sheet.kinds[cell] == Kind.TEXT and not sheet.data[cell]]
        # The parent's label must label its parts, by this cell or another that says the same, or it is lost with its sum.
        said = {sheet.text(*cell) for cell in np.argwhere(labels).tolist()} if texts else set()
        return {cell for cell in texts if not labels[cell] and not _says_nothing_more(account, left, cell, said)}
    return set()


def _says_nothing_more(account: Account, left: Left, cell: tuple[int, int], said: set[str]) -> bool:
    """Whether the label of a total is lost without loss: others say it, it names what it sums, or it speaks of the sum."""
    sheet, text = account.sheet, account.sheet.text(*cell)
    if text in said or says_whole(text) or total_word(text) or of_several_months(text):
        return True
    if any(len(one) > 2 and one in text for one in said):
        return True  # "North, all fields" over the fields of North
    again = int(np.count_nonzero(sheet.values[:, cell[1]] == sheet.values[cell])) > 1
    return again or _is_in_codes(sheet, left, cell)


def _carries(sheet: Sheet, left: Left) -> bool:
    """Whether a row states the sum of a run of rows that ends above it, or what another row states that carries a sum."""
    own = sheet.numbers[left.at]
    stated = ~np.isnan(own) & (own != 0)
    if not stated.any() or left.axis != "row":
        return left.axis == "row"
    above = np.nan_to_num(sheet.numbers[: left.at][:, stated])
    sums = np.cumsum(above[::-1], axis=0)
    close = np.abs(sums - own[stated]) <= 1e-9 * np.maximum(np.abs(sums), 1.0)
    # A balance is carried as it stands: its column states again what stands last above.
    last = [column[np.flatnonzero(column)[-1:]] for column in above.T]
    close |= np.array(
        [len(one) == 1 and abs(one[0] - said) <= 1e-9 * abs(said) for one, said in zip(last, own[stated], strict=True)]
    )
    if len(close) and bool(close.all(axis=1).any()):
        return True
    if _goes_on_from(sheet, left.at, np.flatnonzero(stated)):
        return True
    # What begins a sum that is stated below carries over what came before.
    below = np.cumsum(np.nan_to_num(sheet.numbers[left.at :][:, stated]), axis=0)[:-1]
    later = np.nan_to_num(sheet.numbers[left.at + 1 :][:, stated])
    ties = np.asarray((np.abs(below - later) <= 1e-9 * np.maximum(np.abs(later), 1.0)).all(axis=1))
    if bool(ties[1:].any()):
        return True
    for row in range(sheet.shape[0]):
        columns = np.flatnonzero(sheet.filled[row]).tolist() if row != left.at else []
        same = np.nan_to_num(sheet.numbers[row][stated])
        near = bool((np.abs(same - own[stated]) <= 1e-9 * np.maximum(np.abs(same), 1.0)).all())
        if near and any(carried_word(sheet.text(row, one)) for one in columns):
            return True
    return False


def _goes_on_from(sheet: Sheet, row: int, columns: NDArray[np.intp]) -> bool:
    """Whether the next row states what one row does, with one figure of its own added and another taken away."""
    if len(columns) != 1 or row + 1 >= sheet.shape[0]:
        return False
    (column,) = columns.tolist()
    own = np.nan_to_num(sheet.numbers[row + 1])
    moved = own[column] - float(sheet.numbers[row, column])
    others = np.append(np.delete(own, column), 0.0)
    return bool((np.abs(others[:, np.newaxis] - others - moved) <= 1e-6 * max(abs(own[column]), 1.0)).any())


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
    if _labels_a_row(account, cell):
        return False
    if _is_explained(account, cell):
        return True
    if is_drawn(sheet.text(*cell)):
        columns = np.flatnonzero(sheet.filled[cell[0]]).tolist()
        return len(columns) > 1 and all(is_drawn(sheet.text(cell[0], column)) for column in columns)
    if sheet.data[cell] and not _is_lone(sheet, cell):
        # On a sheet without a table one figure beside its name is no observation.
        return not account.hulls and int(sheet.data.sum()) == 1 and int(sheet.filled[cell[0]].sum()) == _TITLE_CELLS
    if not all(_is_around_hull(sheet, hull, cell) for hull in account.hulls):
        return False
    if any(hull[0] <= cell[0] <= hull[2] for hull in account.hulls):
        account.beside.append(cell)
    return True


def _is_explained(account: Account, cell: tuple[int, int]) -> bool:
    """Whether a cell is a short sign below all blocks, or the text behind one that says what it stands for."""
    sheet, row = account.sheet, cell[0]
    columns = np.flatnonzero(sheet.filled[row]).tolist()
    below = all(row > bottom for _, _, bottom, _ in account.hulls)
    if len(columns) != _TITLE_CELLS or not below or sheet.data[row, columns[1]]:
        return False
    return sheet.kinds[row, columns[0]] == Kind.TEXT and len(sheet.text(row, columns[0])) <= _SIGN


def _labels_a_row(account: Account, cell: tuple[int, int]) -> bool:
    """Whether a text stands before the labels of a record's own row, or of a row among the records: it labels them.

    A sign or a footnote mark there says nothing; one on a row between blocks is a title.
    """
    text = account.sheet.text(*cell)
    if len(text) < 2 or not any(map(str.isalpha, text)):
        return False
    return any(
        top <= cell[0] <= bottom and cell[1] < first and bool(account.body[cell[0], first : last + 1].any())
        for top, first, bottom, last in account.hulls
    ) and not any(first <= cell[1] <= last and top <= cell[0] <= bottom for top, first, bottom, last in account.hulls)


def _is_stamp(text: str) -> bool:
    """Whether a text says which page it is, or when it was printed, and nothing else: "Page 2", "Run 02/07/31".

    >>> _is_stamp("RUN 02/07/31"), _is_stamp("Page 1 of 2"), _is_stamp("14 Brae 02/07/31 to 03/07/31")
    (True, True, False)
    """
    if _PAGE_ALONE.fullmatch(text):
        return True
    rest, count = _STAMP.subn("", text)
    return 0 < count <= 2 and len(rest.split()) <= 2 and not any(map(str.isdigit, rest))


def _spoken_beside(texts: Sequence[str]) -> int:
    """How many texts of a row only go with the others: a page or a date of printing, a unit, "key: value" in one cell or in two.

    >>> _spoken_beside(["Loads", "Unit: tonnes"]), _spoken_beside(["Loads", "Unit:", "tonnes"]), _spoken_beside(["In", "Out"])
    (1, 2, 0)
    """
    pairs = sum(2 for text, _ in pairwise(texts[1:]) if text.endswith(":"))
    units = sum(map(is_unit_said, texts[1:])) if not is_unit_said(texts[0]) else 0
    alone = sum(_is_stamp(one) or KEYED.fullmatch(one) is not None for one in texts)
    return min(pairs + alone + (units if units == 1 else 0), len(texts) - 1)


def _closes(sheet: Sheet, row: int) -> bool:
    """Whether a row holds nothing but keys with what they say, and the next row nothing: it speaks of what stands above."""
    texts = [sheet.text(row, column) for column in np.flatnonzero(sheet.filled[row]).tolist()]
    ends = row + 1 == sheet.shape[0] or not sheet.filled[row + 1].any()
    return ends and not sheet.data[row].any() and all(KEYED.fullmatch(text) for text in texts)


def _is_around_hull(sheet: Sheet, hull: tuple[int, int, int, int], cell: tuple[int, int]) -> bool:
    """The same for one block."""
    (top, first, bottom, last), (row, column) = hull, cell
    beside_rows, inside_columns = top <= row <= bottom, first <= column <= last
    if sheet.data[cell] and (beside_rows or inside_columns):
        return False
    if not inside_columns:
        return True
    filled = int(sheet.filled[row, first : last + 1].sum())
    apart = row < top and not sheet.filled[row + 1 : top].any(axis=1).all()
    if 1 < filled <= _FEW:  # beside which page it is, in which unit or of which key a title stands alone
        there = first + np.flatnonzero(sheet.filled[row, first : last + 1])
        filled -= _spoken_beside([sheet.text(row, int(one)) for one in there])
        # A blank row parts a title in two pieces from the headings, however narrow the table is.
        filled -= apart and filled == _TITLE_CELLS
    spoken = not beside_rows and _is_spoken(sheet, row)
    # A label with a colon and what stands beside it is a line of text, however narrow the table is.
    if filled > max(2 if spoken else 1, (last - first + 1) // 2) or (beside_rows and filled > 1):
        return _closes(sheet, row)
    if row < top and filled > _TITLE_CELLS and not spoken and not apart:
        return (
            False  # several texts side by side say more than a title does, unless a blank row parts them from the table
        )
    text = sheet.text(row, column)
    few = len(text.split()) <= _SPANNING_WORDS and ":" not in text and not is_unit(text)
    # Right over the headings it may span some of them.
    return not (row == top - 1 and first < column and few and filled > 1)
