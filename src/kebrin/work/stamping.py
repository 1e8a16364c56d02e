"""Stated fields: find each one's value on a sheet, to be stamped on every row."""

from __future__ import annotations

import datetime as dt
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.cells import Kind, Sheet, neat, parse_a1
from kebrin.errors import LayoutError, Place, nearest
from kebrin.grammar.patterns import searched
from kebrin.layout import FieldCell, find_fields, stated_field
from kebrin.work.places import FieldPlace
from kebrin.work.stamps import without_caption

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from kebrin.cells import Report
    from kebrin.layout import Layout


def field_values(sheet: Sheet, stated: Mapping[str, str]) -> tuple[dict[str, str | None], tuple[FieldCell, ...]]:
    """The value of each stated field, and the cells that the values came from.

    Raises:
        LayoutError: a label, a cell or a pattern that a field names is not there.
    """
    values: dict[str, str | None] = {}
    cells: list[FieldCell] = []
    for name, said in stated.items():
        place = FieldPlace.parse(said)
        try:
            if place.form in {"beside", "below", "cell"}:
                found = _in_cell(sheet, name, place)
                cells.append(found)
                values[name] = found.value
            else:
                values[name] = _around(sheet, name, place)
        except LayoutError:
            if not place.optional:
                raise
            values[name] = None
    return values, tuple(cells)


def per_block(
    values: dict[str, str | None],
    stated: Mapping[str, str],
    layouts: Sequence[Layout],
    file: str,
) -> list[dict[str, str | None]]:
    """The values for each block of a sheet: its own title, and a label that it states itself before the sheet's first.

    Raises:
        LayoutError: a block lacks a field that others of the sheet state for themselves.
    """
    places = {name: FieldPlace.parse(said) for name, said in stated.items()}
    labels = {name: neat(place.what).rstrip(" :").casefold() for name, place in places.items()}
    own = [{field.name.casefold(): field for field in reversed(layout.fields)} for layout in layouts]
    of_blocks = {label for fields in own for label in fields}
    stamps = []
    for layout, fields in zip(layouts, own, strict=True):
        stamp = dict(values)
        for name, place in places.items():
            if place.form == "block title":
                stamp[name] = without_caption(layout.title) or None
            elif place.form == "beside" and labels[name] in fields:
                stamp[name] = fields[labels[name]].value
            elif place.form == "beside" and labels[name] in of_blocks:
                if not place.optional:
                    raise _lacks(name, place, layout, file)
                stamp[name] = None
        stamps.append(stamp)
    return stamps


def _lacks(name: str, place: FieldPlace, layout: Layout, file: str) -> LayoutError:
    return LayoutError(
        f"the block from row {layout.area.top + 1} on has no field {name!r}", Place(file, layout.sheet),
        why=f"other blocks state {place.what!r} for themselves",
        do='Write ", if there" behind its place in the plan, if it may be missing',
    )  # fmt: skip


def _around(sheet: Sheet, name: str, place: FieldPlace) -> str:
    if place.form == "text":
        return place.what
    if place.form == "block title":
        return ""  # each block has its own; see `per_block`
    file = Path(sheet.source)
    if place.form == "file date":
        return dt.datetime.fromtimestamp(file.stat().st_mtime, tz=dt.UTC).astimezone().date().isoformat()
    said = {"sheet name": sheet.name, "file name": file.name, "folder name": file.resolve().parent.name}[place.form]
    if not place.what:
        return said
    match = searched(place.what, said)
    whole = place.form.partition(" ")[0]
    if match is None:
        raise LayoutError(
            f"the field {name!r} can't be taken from the {whole}'s name", Place(sheet.source),
            why=f"the pattern {place.what!r} does not fit {said!r}", do="Correct the pattern in the plan",
        )  # fmt: skip
    named = match.named
    if len(named) + len(match.groups) > 1 and name not in named:
        near = nearest(name, named)
        raise LayoutError(
            f"the pattern of the field {name!r} has no group of that name", Place(sheet.source),
            why=f"its groups are {', '.join(named)}", do=f"Did you mean {near!r}?" if near else "Name the field as one of them",
        )  # fmt: skip
    return named.get(name, match.part)


def _in_cell(sheet: Sheet, name: str, place: FieldPlace) -> FieldCell:
    if place.form == "cell":
        at = parse_a1(place.what)
        inside = at is not None and at[0] < sheet.shape[0] and at[1] < sheet.shape[1]
        if at is None or not inside or sheet.kinds[at] == Kind.BLANK:
            raise LayoutError(
                f"the field {name!r} names a cell that is blank", Place(sheet.source, sheet.name, place.what),
                do="Correct the address in the plan",
            )  # fmt: skip
        return FieldCell(name, sheet.text(*at), at, at)
    found = stated_field(sheet, name, place.what, below=place.form == "below")
    if found is not None and place.optional and place.form == "beside":
        found = _unless_heading(sheet, found)
    if found is None:
        known = [f"{field.name}:" for field in find_fields(sheet, None)]
        near = nearest(place.what, known)
        raise LayoutError(
            f"the field {name!r} is not there: no value stands {place.form} {place.what!r}", Place(sheet.source, sheet.name),
            why=f"the labels there are {', '.join(known)}" if known else "",
            do=f"Did you mean {near!r}?" if near else "Correct the label in the plan, or leave this sheet out",
        )  # fmt: skip
    return found


def _unless_heading(sheet: Sheet, found: FieldCell) -> FieldCell | None:
    """What was found for a field that may be missing; None where its label has no colon and heads a column of this sheet."""
    if ":" in sheet.text(*found.label_at) or found.label_at in {one.label_at for one in find_fields(sheet, None)}:
        return found
    return None


def refuse_unknown_sheets(report: Report, wanted: tuple[str, ...], key: str) -> None:
    """Refuse sheet names (no patterns) that the report does not have.

    Raises:
        LayoutError: a sheet that the plan names is not there.
    """
    for name in wanted:
        if name not in report.names and not any(mark in name for mark in "*?["):
            near = nearest(name, report.names)
            raise LayoutError(
                f"there is no sheet {name!r}, which the plan names in {key}", Place(report.path),
                why=f"the sheets are {', '.join(report.names)}", do=f"Did you mean {near!r}?" if near else "Correct the plan",
            )  # fmt: skip
