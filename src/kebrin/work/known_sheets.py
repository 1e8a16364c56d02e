"""Known sheets: one that is laid out cell for cell as one before it is not worked out again, it is held to what that one showed.

Same form means: the same cells hold something of the same kind, every label and heading says the same, and only figures of
the body, and what titles, notes and fields say, are others. Then every decision about the layout that rests on places and words
is the same. What rests on figures is checked anew: stated totals must tie, no line may have become a sum of others, the values go
through conservation. Where anything is not as it was, the sheet is worked out in full.
"""

from __future__ import annotations

import re
from collections import OrderedDict
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import Kind, Look, read_text
from kebrin.cells.readings import Readings
from kebrin.grammar.words import look_of, scale_words
from kebrin.layout import Role, names_period
from kebrin.proof import Use, body_accounts, tie_out, totals_elsewhere
from kebrin.proof.stray_figures import kept_sums
from kebrin.table import arrays
from kebrin.unpivoting import unpivot
from kebrin.work.choose import complaints
from kebrin.work.pieces import Ask, Piece, SheetWork, measure_of

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from kebrin.cells import Sheet
    from kebrin.layout import FieldCell, Layout, Stated
    from kebrin.table import Table

# So many forms are known at a time, and so many cells a sheet may have to be one of them.
_FORMS, _CELLS = 24, 200_000
# A line of the body may lack so many of its cells without its role being another one.
_HALF = 0.5
# Words behind one another, in what a text looks like.
_WORDS = re.compile(r"a(?: a)+")

_known: OrderedDict[Any, list[_Form]] = OrderedDict()


@dataclass(frozen=True, eq=False)
class _Form:
    """A sheet that was worked out, and which of its cells must say the same on any other of its form.

    Attributes:
        sheet: the sheet.
        work: all that came of it.
        figures: where figures may be others (rows x columns): the body and its total lines.
        free: the cells of titles, notes and values of fields.
        fixed: places of all other cells that hold something, in the flattened grid.
        said: what these say.
    """

    sheet: Sheet
    work: SheetWork
    figures: NDArray[np.bool_]
    free: tuple[tuple[int, int], ...]
    fixed: NDArray[np.intp]
    said: list[Any]
    _behind: dict[tuple[int, str], tuple[NDArray[np.intp], NDArray[np.bool_] | None]] = field(default_factory=dict)

    def behind(self, table: Table, measure: str) -> tuple[NDArray[np.intp], NDArray[np.bool_] | None]:
        """Where the cells of a table's measure stand in the flattened grid, and which records have none, if any."""
        key = id(table), measure
        if key not in self._behind:
            (segment,) = table.origins.segments
            rows, columns = segment.cells(measure)
            none = columns < 0
            self._behind[key] = rows.astype(np.intp) * self.sheet.shape[1] + columns, none if none.any() else None
        return self._behind[key]


def remember(sheet: Sheet, stated: Stated | None, ask: Ask, work: SheetWork) -> None:
    """Know a sheet's form from now on, if all that was decided about it is beyond doubt and nothing odd is on it."""
    if not _may_be_form(sheet, work) or any(complaints(work)):
        return
    figures, free = _places(sheet, work)
    fixed = sheet.filled.copy()
    fixed &= ~(figures & (sheet.kinds == Kind.NUMBER))
    for cell in free:
        fixed[cell] = False
    places = np.flatnonzero(fixed)
    forms = _known.setdefault(_key(sheet, stated, ask), [])
    forms.insert(0, _Form(sheet, work, figures, free, places, sheet.values.ravel()[places].tolist()))
    del forms[4:]
    while len(_known) > _FORMS:
        _known.popitem(last=False)


def recall(sheet: Sheet, stated: Stated | None, ask: Ask) -> SheetWork | None:
    """The work on a sheet of a form that is known; None if it must be worked out."""
    if not _known or sheet.values.size > _CELLS or sheet.has_hidden_lines or sheet.emptied or sheet.is_turned:
        return None
    key = _key(sheet, stated, ask)
    for form in _known.get(key, ()):
        if _fits(sheet, form):
            _known.move_to_end(key)
            return _held(sheet, form, stated, ask)
    return None


def _key(sheet: Sheet, stated: Stated | None, ask: Ask) -> Any:
    fields = tuple((one.name, one.label_at, one.value_at) for one in ask.fields)
    return sheet.shape, sheet.merges, sheet.textual, sheet.hints, stated, ask.keep, ask.tolerance, fields


def _may_be_form(sheet: Sheet, work: SheetWork) -> bool:
    """Whether a sheet is small and plain enough, and its work says nothing that holds for it alone."""
    readings = sheet.readings
    plain = not (sheet.has_hidden_lines or sheet.emptied or sheet.is_turned or readings.decimals or readings.legend)
    odd = any(piece.scale is not None or piece.layout.mark_columns or piece.layout.questions for piece in work.pieces)
    # That a line speaks of the columns, or follows from others, is seen by its figures, and these are others on the next sheet.
    odd |= any(piece.layout.about or piece.layout.derived or piece.layout.attached for piece in work.pieces)
    return plain and 0 < sheet.values.size <= _CELLS and bool(work.pieces) and not (odd or work.remarks or work.absent)


def _places(sheet: Sheet, work: SheetWork) -> tuple[NDArray[np.bool_], tuple[tuple[int, int], ...]]:
    """Where figures may be others, and which texts may."""
    figures = np.zeros(sheet.shape, np.bool_)
    free: dict[tuple[int, int], None] = {}
    for piece in work.pieces:
        layout = piece.layout
        rows = [*layout.body_rows.tolist(), *(line.at for line in layout.total_lines("row"))]
        columns = [*layout.body_columns.tolist(), *(line.at for line in layout.total_lines("column"))]
        figures[np.ix_(np.array(rows, np.intp), np.array(columns, np.intp))] = True
        free |= dict.fromkeys(at for at, role in layout.texts.items() if role != Role.FIELD)
        free |= dict.fromkeys(field.value_at for field in layout.fields)
    return figures, tuple(free)


def _fits(sheet: Sheet, form: _Form) -> bool:
    """Whether a sheet is of a form, as far as places and words go."""
    other = sheet.kinds != form.sheet.kinds
    if other.any() and not _lacks_little(sheet, form, other):
        return False
    if sheet.values.ravel()[form.fixed].tolist() != form.said:
        return False
    for cell in form.free:
        text, before = sheet.values[cell], form.sheet.values[cell]
        if text != before and isinstance(text, str):
            other = _build_of(text) != _build_of(str(before)) or "=" in text or scale_words(text)[0]
            if other or read_text(text).look != form.sheet.looks[cell]:
                return False
    return True


def _build_of(text: str) -> str:
    """How a text is built: its signs, with words and numbers between.

    "first count" may stand where "final count" did, and "Harbour: Brae" may not: it is a field, which the sheet before did
    not have.

    >>> _build_of("North Loop, 2031"), _build_of("Inner Sound Ring, 2032"), _build_of("Harbour: Brae")
    ('a, 0', 'a, 0', 'a: a')
    """
    return _WORDS.sub("a", look_of(text))


def _lacks_little(sheet: Sheet, form: _Form, other: NDArray[np.bool_]) -> bool:
    """Whether kinds differ in cells of the body only, some of which are empty here or there, and few in each line."""
    if (other & ~form.figures).any():
        return False
    for one in (sheet.kinds, form.sheet.kinds):
        if not ((one[other] == Kind.NUMBER) | (one[other] == Kind.BLANK)).all():
            return False
    for piece in form.work.pieces:
        at = np.ix_(piece.layout.body_rows, piece.layout.body_columns)
        if any(line.at in np.flatnonzero(other.any(axis=int(line.axis == "row"))) for line in piece.layout.totals):
            return False
        for grid in (sheet.filled[at], form.sheet.filled[at]):
            if grid.mean(axis=0).min() < _HALF or grid.mean(axis=1).min() < _HALF:
                return False
    return True


def _held(sheet: Sheet, form: _Form, stated: Stated | None, ask: Ask) -> SheetWork | None:
    """The work on a sheet of a known form, what rests on figures and texts checked anew; None where it is otherwise."""
    vars(sheet)["readings"] = _readings(sheet, form)
    pieces = []
    for piece in form.work.pieces:
        layout = _layout(sheet, form.sheet, piece.layout)
        own = None if layout is None else _piece(sheet, form, piece, layout, stated, ask)
        if own is None:
            del vars(sheet)["readings"]
            return None
        pieces.append(own)
    found, told = totals_elsewhere(sheet, [piece.layout for piece in pieces])
    if found.failed or told:
        del vars(sheet)["readings"]
        return None
    if found.cells:
        pieces[0] = replace(pieces[0], ties=pieces[0].ties.with_more(found))
    counts = dict(form.work.ledger.counts)
    more = int(sheet.filled.sum()) - int(form.sheet.filled.sum())
    counts[Use.VALUE.word] = counts.get(Use.VALUE.word, 0) + more
    ledger = replace(form.work.ledger, file=sheet.source, sheet=sheet.name, counts=counts)
    return SheetWork(tuple(pieces), ledger, ())


def _readings(sheet: Sheet, form: _Form) -> Readings:
    """The readings of a sheet whose texts all read as those of its form do."""
    before = form.sheet.readings
    real = sheet.kinds == Kind.NUMBER
    looks, numbers = before.looks.copy(), before.numbers.copy()
    other = sheet.kinds != form.sheet.kinds
    looks[other], numbers[other] = Look.WORDS, np.nan
    looks[real] = Look.NUMBER
    numbers[real] = sheet.values[real].astype(np.float64)
    return Readings(looks, numbers, {}, {}, {})


def _layout(sheet: Sheet, before: Sheet, layout: Layout) -> Layout | None:
    """A layout with the sheet's own title and fields; None if one of them is of another kind than it was."""
    fields = [_field(sheet, before, field) for field in layout.fields]
    unit = layout.unit and _field(sheet, before, layout.unit)
    if any(field is None for field in fields) or (layout.unit and unit is None):
        return None
    title, name = layout.title, layout.title_name
    if layout.title_at is not None:
        title = sheet.text(*layout.title_at)
        if name != names_period(sheet, layout.area, layout.title_at):
            return None
    return replace(layout, sheet=sheet.name, fields=tuple(filter(None, fields)), title=title, unit=unit)


def _field(sheet: Sheet, before: Sheet, field: FieldCell) -> FieldCell | None:
    was, now = before.text(*field.value_at), sheet.text(*field.value_at)
    if was == now:
        return field
    if field.value_at != field.label_at:
        value = now if was == field.value else ""
    else:  # "Route code: N4": what stands before the value is the same
        label = was[: len(was) - len(field.value)]
        same = was.endswith(field.value) and now.startswith(label) and label.rstrip().endswith(":")
        value = now[len(label) :].strip() if same else ""
    short = 0 < len(value) <= 80 and any(map(str.isalnum, value)) and not value.endswith(":")
    return replace(field, value=value) if short else None


def _piece(sheet: Sheet, form: _Form, before: Piece, layout: Layout, stated: Stated | None, ask: Ask) -> Piece | None:
    """One block's table and checks; None if a total does not tie, a line sums others, or a scale is stated."""
    ties = tie_out(sheet, layout, ask.tolerance)
    if ties.failed or ties.apart:
        return None
    table = _table(sheet, form, before)
    if table is None:
        table = unpivot(sheet, layout, measure=measure_of(layout, stated), keep=ask.keep)
    if any(kept_sums(sheet, segment) for segment in table.origins.segments):
        return None
    fields: dict[str, str | None] = {found.name: found.value for found in layout.fields}
    return Piece(
        sheet.source, sheet.name, table, layout, ties, body_accounts(sheet, layout, table.measures), fields
    )  # fmt: skip


def _table(sheet: Sheet, form: _Form, before: Piece) -> Table | None:
    """The table of a block, its labels taken over as they are; None if other cells are empty, or values are no plain numbers."""
    table = before.table
    plain = all(pa.types.is_floating(table.data.column(name).type) for name in table.measures)
    if not plain or (sheet.kinds != form.sheet.kinds).any():
        return None
    (segment,) = table.origins.segments
    gathered = {}
    for name in table.measures:
        cells, none = form.behind(table, name)
        values = sheet.numbers.ravel()[cells]
        if none is not None:
            values[none] = np.nan
        gathered[name] = arrays.numbers(values)
    names = table.data.column_names
    data = pa.Table.from_arrays([gathered.get(name, table.data.column(name)) for name in names], names=names)
    origins = replace(table.origins, segments=(replace(segment, file=sheet.source, sheet=sheet.name),))
    remarks = tuple(replace(one, file=sheet.source, sheet=sheet.name) for one in table.remarks)
    steps = tuple(one._replace(step=one.step.replace(before.sheet, sheet.name)) for one in table.steps)
    return replace(table, data=data, origins=origins, remarks=remarks, steps=steps)
