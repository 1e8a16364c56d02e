"""Filled-in forms among the sheets of some files: copies of one form are compared, and each becomes a record."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from kebrin.cells import Kind
from kebrin.errors import KebrinError
from kebrin.layout import Stated, alike_forms, labels_of
from kebrin.work.choose import complaints
from kebrin.work.weighing import weigh

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.cells import Sheet
    from kebrin.work.pieces import Ask, SheetWork

# A form has no more cells than this, and so many of them at least are texts: its labels.
_FEWEST_CELLS, _MOST_CELLS, _LEAST_TEXTS = 6, 160, 0.4
# Two sheets may be copies of one form if so many texts of the one stand at the same places on the other.
_ALIKE, _MOST_FORMS = 0.4, 24


@dataclass(frozen=True, eq=False)
class Copy:
    """A sheet that may be a copy of a form, and what is asked of it."""

    sheet: Sheet
    ask: Ask

    def as_record(self, names: tuple[str, ...]) -> SheetWork | None:
        """What comes of it as one record of these labels; None if that is not sound."""
        try:
            work = weigh(self.sheet, Stated(form=names), self.ask).work
        except KebrinError:
            return None
        sound = len(work.pieces) == 1 and not any(complaints(work)) and len(work.pieces[0].table) == 1
        return work if sound else None


def may_be_copy(sheet: Sheet) -> bool:
    """Whether a sheet is small enough for a form, and has texts enough for its labels."""
    if sheet.values.size > _MOST_CELLS * _MOST_CELLS or sheet.has_hidden_lines:
        return False
    filled = int(sheet.filled.sum())
    texts = int((sheet.kinds == Kind.TEXT).sum())
    return _FEWEST_CELLS <= filled <= _MOST_CELLS and texts >= _LEAST_TEXTS * filled


def with_copy(sheet: Sheet, work: SheetWork, ask: Ask) -> SheetWork:
    """The work on a sheet with the sheet itself, if it may be a copy of a form: that is seen over all sheets."""
    if not may_be_copy(sheet):
        return work
    return replace(work, copy=Copy(replace(sheet, look_up_formats=None), ask))


def form_labels(works: Sequence[SheetWork]) -> list[tuple[str, ...]]:
    """The labels of the form that each sheet is read by; () for one that is none.

    Copies of one form are compared. Sheets on which labels stand at other places, and one alone, are forms by what they are
    themselves: where no table was found on any sheet, where the same labels stand under unlike headings, or where cells are left.
    """
    found: list[tuple[str, ...]] = [() for _ in works]
    for group in _groups(works):
        if _are_lists([works[at] for at in group]):
            continue
        names = alike_forms([copy.sheet for at in group if (copy := works[at].copy) is not None])
        for at in group if names else ():
            found[at] = names
    own = {
        at: labels_of(work.copy.sheet, or_list=bool(work.pieces))
        for at, work in enumerate(works) if work.copy is not None and not found[at] and _odd(work)
    }  # fmt: skip
    alone = not any(work.pieces for work in works)
    for at, names in own.items():
        kin = [
            other
            for other, labels in own.items()
            if labels and (set(names) <= set(labels) or set(labels) <= set(names))
        ]
        heads = {works[other].pieces[0].table.columns if works[other].pieces else () for other in kin}
        alike = len(heads) > 1 if works[at].pieces else len(kin) > 1
        if names and (alike or (not works[at].pieces and (alone or works[at].ledger.unclaimed_count))):
            found[at] = max((own[other] for other in kin), key=len)
    return found


def with_records(works: Sequence[SheetWork]) -> list[SheetWork]:
    """The work on some sheets, forms as records."""
    labels = form_labels(works) if any(work.copy is not None for work in works) else []
    if not any(labels):
        return [replace(work, copy=None) for work in works]
    made = [
        work.copy.as_record(names) if names and work.copy is not None else None
        for work, names in zip(works, labels, strict=True)
    ]
    return [replace(one or work, copy=None) for work, one in zip(works, made, strict=True)]


def _are_lists(works: Sequence[SheetWork]) -> bool:
    """Whether all sheets hold the same tables, and nothing was left over: their headings are none that was filled in."""
    columns = {tuple((piece.table.columns, frozenset(piece.fields)) for piece in work.pieces) for work in works}
    headed = all(piece.layout.boxhead_rows for work in works for piece in work.pieces)
    return len(columns) == 1 and () not in columns and headed and not any(any(complaints(work)) for work in works)


def _odd(work: SheetWork) -> bool:
    """Whether what was found on a sheet is nothing, or a list of two columns that a form looks like."""
    return len(work.pieces) < 2 and all(len(piece.table.columns) <= 2 for piece in work.pieces)


def _groups(works: Sequence[SheetWork]) -> list[list[int]]:
    """Sheets that may be copies of one form."""
    groups: list[tuple[frozenset[tuple[int, int, str]], list[int]]] = []
    for at, work in enumerate(works):
        if work.copy is None:
            continue
        sheet = work.copy.sheet
        rows, columns = (sheet.kinds == Kind.TEXT).nonzero()
        cells = zip(rows.tolist(), columns.tolist(), strict=True)
        said = frozenset((row, column, sheet.text(row, column)) for row, column in cells)
        own = next((group for texts, group in groups if len(texts & said) >= _ALIKE * max(len(texts), len(said))), None)
        if own is not None:
            own.append(at)
        elif len(groups) < _MOST_FORMS:
            groups.append((said, [at]))
    return [group for _, group in groups if len(group) > 1]
