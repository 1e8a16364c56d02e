"""Drift: what became of a table since the last time: columns, labels, rows, sums, and values that were stated otherwise."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.cells import as_label
from kebrin.errors import ValuesError, nearest
from kebrin.table import arrays
from kebrin.values.gaps import missing_between

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from kebrin.table import Table

_SHOWN = 6
# Of a column's labels so many must be the other's for one to be the other under a new name.
_MOSTLY = 0.8
_EQUAL = 1e-9
# Years that reports speak of; of a column of years so many may be left out between two.
_YEARS, _APART = (1800, 2150), 5
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")


@dataclass(frozen=True)
class Change:
    """One thing that is otherwise than before.

    Attributes:
        kind: what it is about: 'file', 'sheet', 'column', 'label', 'rows', 'restated', 'layout', ...
        what: the sentence for people.
        details: all single cases, a line each; for a restated value its labels, the old and the new value, and the cell.
        expected: whether time alone explains it: later dates, and the rows that they bring.
    """

    kind: str
    what: str
    details: tuple[str, ...] = ()
    expected: bool = False

    def __str__(self) -> str:
        return f"{self.kind}: {self.what}"


def changes_between(old: Table, new: Table, key: Sequence[str] = ()) -> list[Change]:
    """What is otherwise in the new table.

    Args:
        old: the table as it was.
        new: the table as it is; its origins tell the cells.
        key: the columns that tell its rows apart; all columns but the measures by default.

    >>> from kebrin.table import Table
    >>> old = Table(pa.table({"port": ["Brae", "Wick"], "boats": [3.0, 5.0]}), ("boats",))
    >>> new = Table(pa.table({"port": ["Brae", "Skarrow"], "boats": [4.0, 5.0]}), ("boats",))
    >>> for change in changes_between(old, new):
    ...     print(change)
    label: port: new 'Skarrow', gone 'Wick'
    restated: boats: 1 value has changed
    """
    renamed = _renamed(old, new)
    said = [Change("column", f"{before!r} is called {after!r} now") for after, before in renamed.items()]
    old = old.picked({next((new for new, was in renamed.items() if was == name), name): name for name in old.columns})
    more = [name for name in new.columns if name not in old.columns]
    gone = [name for name in old.columns if name not in new.columns]
    said += [Change("column", f"new {_some(more)}", tuple(more))] if more else []
    said += [Change("column", f"gone {_some(gone)}", tuple(gone))] if gone else []
    measures = [name for name in new.figures if name in old.columns]
    labels = [name for name in new.columns if name in old.columns and name not in measures]
    flat = {name: (_texts(old.data.column(name)), _texts(new.data.column(name))) for name in labels}
    for name, (before, after) in flat.items():
        said += _labels(name, before, after)
    names = [name for name in (key or labels) if name in flat]
    if names:
        said += _rows(old, new, flat, names, measures)
    return said


def _renamed(old: Table, new: Table) -> dict[str, str]:
    """New names of columns by old ones: not there before, and nearly all of what they say was said by one that is gone."""
    found: dict[str, str] = {}
    for name in new.columns:
        if name in old.columns or name in new.figures:
            continue
        own = set(arrays.distinct_texts(_texts(new.data.column(name))))
        for other in old.columns:
            if other in new.columns or other in old.figures or other in found.values():
                continue
            was = set(arrays.distinct_texts(_texts(old.data.column(other))))
            if own and len(own & was) >= _MOSTLY * max(len(own), len(was)):
                found[name] = other
                break
    gone = [name for name in old.columns if name not in new.columns and name not in found.values()]
    fresh = [name for name in new.columns if name not in old.columns and name not in found]
    measures = [name for name in fresh if name in new.figures]
    if len(gone) == len(fresh) == len(measures) == 1:
        found[fresh[0]] = gone[0]
    return found


def _texts(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column as the texts that a text file would have."""
    if pa.types.is_dictionary(column.type) or pa.types.is_string(column.type):
        return column
    if pa.types.is_temporal(column.type):
        import pyarrow.compute as pc

        form = "%Y-%m-%d" if pa.types.is_date(column.type) else "%Y-%m-%d %H:%M:%S"
        return column if pa.types.is_time(column.type) else pc.strftime(column, format=form)
    one = column.combine_chunks().dictionary_encode()
    one = one.combine_chunks() if isinstance(one, pa.ChunkedArray) else one
    values = [None if value is None else _label(value) for value in one.dictionary.to_pylist()]
    return pa.chunked_array([pa.DictionaryArray.from_arrays(one.indices, arrays.texts(values))])


def _label(value: Any) -> str:
    whole = isinstance(value, int) and not isinstance(value, bool)
    return as_label(float(value) if whole else value)


def _labels(name: str, before: pa.ChunkedArray, after: pa.ChunkedArray) -> list[Change]:
    was, now = arrays.distinct_texts(before), arrays.distinct_texts(after)
    old, new = set(was), set(now)
    more = [text for text in now if text not in old]
    gone = [text for text in was if text not in new]
    if not more and not gone:
        return []
    dated = _as_dates(was, now)
    if dated is not None:
        return _dates(name, dated[0], dated[1])
    pairs = _respelled(more, gone)
    more = [text for text in more if text not in pairs]
    gone = [text for text in gone if text not in pairs.values()]
    said = [f"{before!r} is spelled {after!r} now" for after, before in pairs.items()]
    said += [f"new {_some([repr(text) for text in more])}"] if more else []
    said += [f"gone {_some([repr(text) for text in gone])}"] if gone else []
    details = (
        *(f"{b} -> {a}" for a, b in pairs.items()),
        *(f"+ {text}" for text in more),
        *(f"- {text}" for text in gone),
    )
    return [Change("label", f"{name}: {', '.join(said)}", details)]


def _as_dates(was: Sequence[str], now: Sequence[str]) -> tuple[list[str], list[str]] | None:
    """Both lists in order, if they are dates or months in ISO form."""
    form = _DATE if was and _DATE.fullmatch(was[0]) else re.compile(r"\d{4}(?:-(?:\d{2}|Q\d|H\d|W\d{2}))?")
    both = [*was, *now]
    if not was or not now or not all(form.fullmatch(text) for text in both):
        return None
    if all(text.isdigit() for text in both) and not _are_years([int(text) for text in both]):
        return None
    return sorted(was), sorted(now)


def _are_years(numbers: Sequence[int]) -> bool:
    """Whether numbers of four digits are years and no ids: of a time that reports speak of, and most of a run.

    >>> _are_years([2029, 2031, 2032]), _are_years([1007, 1041, 1099]), _are_years([1907, 2048, 2099])
    (True, False, False)
    """
    least, most = min(numbers), max(numbers)
    return _YEARS[0] <= least and most <= _YEARS[1] and most - least < _APART * len(set(numbers))


def _dates(name: str, was: list[str], now: list[str]) -> list[Change]:
    """Dates that went on, and those that are missing."""
    said = []
    later = [text for text in now if text > was[-1]]
    if later:
        what = f"{name}: goes on from {was[-1]} to {now[-1]}"
        said.append(Change("period", what, tuple(later), expected=True))
    earlier = [text for text in now if text < was[0]]
    if earlier:
        said.append(Change("period", f"{name}: begins with {now[0]}, before {was[0]}", tuple(earlier)))
    between = [text for text in now if was[0] < text < was[-1] and text not in set(was)]
    if between:
        said.append(Change("label", f"{name}: new {_some(between)}", tuple(between)))
    if was[0] < now[0] <= was[-1]:
        gone = [text for text in was if text < now[0]]
        what = f"{name}: begins with {now[0]}, no longer with {was[0]}"
        said.append(Change("period", what, tuple(gone), expected=True))
    if now[-1] < was[-1]:
        gone = [text for text in was if text > now[-1]]
        said.append(Change("period", f"{name}: ends with {now[-1]}, and went to {was[-1]} before", tuple(gone)))
    gaps = [text for text in _gaps(now) if text not in set(_gaps(was))]
    if gaps:
        said.append(Change("gap", f"{name}: {_some(gaps)} {'are' if len(gaps) > 1 else 'is'} missing", tuple(gaps)))
    return said


def _gaps(texts: Sequence[str]) -> list[str]:
    said = arrays.texts(texts)
    column = pa.chunked_array([said.cast(pa.date32()) if _DATE.fullmatch(texts[0]) else said])
    try:
        return missing_between(column)
    except ValuesError:
        return []


def _respelled(more: Sequence[str], gone: Sequence[str]) -> dict[str, str]:
    """New labels that are an old one in other letters: no other label is as near."""
    pairs: dict[str, str] = {}
    for text in more:
        near = nearest(text, [other for other in gone if other not in pairs.values()])
        if near and " ".join(near.casefold().split()).strip(".") == " ".join(text.casefold().split()).strip("."):
            pairs[text] = near
    return pairs


def _rows(
    old: Table, new: Table, flat: dict[str, tuple[pa.ChunkedArray, pa.ChunkedArray]], names: Sequence[str],
    measures: Sequence[str],
) -> list[Change]:  # fmt: skip
    """Rows that are gone or new though all their labels were known, and values of the same labels that are others."""
    before, after = _codes([flat[name] for name in names])
    if len(arrays.distinct(before)) < len(before) or len(arrays.distinct(after)) < len(after):
        what = f"rows can't be told apart by {', '.join(names)}, so single values are not compared"
        return [Change("rows", what)] if measures else []
    size = int(max(before.max(initial=-1), after.max(initial=-1))) + 1
    place = np.full(size, -1, np.int64)
    place[before] = np.arange(len(before))
    at = place[after]
    there = np.zeros(size, np.bool_)
    there[after] = True
    said = _gone_and_new(flat, names, np.flatnonzero(~there[before]), np.flatnonzero(at < 0))
    for name in measures:
        said += _restated(old, new, name, names, at)
    return said


def _codes(columns: Sequence[tuple[pa.ChunkedArray, pa.ChunkedArray]]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """A number for each row of both tables, the same for rows that say the same."""
    both = [
        pa.chunked_array([*_coded(before).chunks, *_coded(after).chunks]).unify_dictionaries()
        for before, after in columns
    ]
    codes = arrays.row_codes(pa.Table.from_arrays(both, names=[str(at) for at in range(len(both))]))
    return codes[: len(columns[0][0])], codes[len(columns[0][0]) :]


def _coded(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column of texts as codes into a list of them."""
    if pa.types.is_dictionary(column.type) and column.type.value_type == pa.string():
        return column.cast(pa.dictionary(pa.int32(), pa.string()))
    return column.cast(pa.string()).dictionary_encode()


def _plain(column: pa.ChunkedArray) -> pa.ChunkedArray:
    return column.cast(pa.string())


def _gone_and_new(
    flat: dict[str, tuple[pa.ChunkedArray, pa.ChunkedArray]], names: Sequence[str], gone: NDArray[np.intp], more: NDArray[np.intp]
) -> list[Change]:  # fmt: skip
    """Rows that no new and no gone label explains."""
    said = []
    for rows, own, other, word in ((gone, 0, 1, "gone"), (more, 1, 0, "new")):
        explained = np.zeros(len(rows), np.bool_)
        for name in names:
            column = flat[name][own]
            known = set(arrays.distinct_texts(flat[name][other]))
            texts = _plain(column).take(arrays.whole(rows, pa.int64())).to_pylist()
            explained |= np.array([text is not None and text not in known for text in texts], np.bool_)
        left = rows[~explained]
        if len(left):
            details = tuple(_said(flat, names, int(row), own) for row in left)
            many = len(left) > 1
            what = (
                f"{len(left):,} rows are {word} though their labels are not"
                if many
                else f"a row is {word} though its labels are not"
            )
            said.append(Change("rows", f"{what}: {details[0]}{', ...' * many}", details))
    return said


def _said(flat: dict[str, tuple[pa.ChunkedArray, pa.ChunkedArray]], names: Sequence[str], row: int, own: int) -> str:
    return ", ".join(str(flat[name][own][row].as_py()) for name in names)


def _restated(old: Table, new: Table, name: str, names: Sequence[str], at: NDArray[np.int64]) -> list[Change]:
    """Values of one measure that are others than before for the same labels."""
    before, after = old.data.column(name), new.data.column(name)
    known = np.flatnonzero(at >= 0)
    figures = _numbers(before), _numbers(after)
    if figures[0] is not None and figures[1] is not None:
        was, now = figures[0][at[known]], figures[1][known]
        near = np.isclose(was, now, rtol=_EQUAL, atol=0.0, equal_nan=True)
    else:
        codes = _codes([(_texts(before), _texts(after))])
        near = codes[0][at[known]] == codes[1][known]
    rows = known[~near]
    if not len(rows):
        return []
    labels = [new.data.column(one) for one in names]
    details = []
    for row in rows.tolist():
        said = ", ".join(str(_plain_value(column[row].as_py())) for column in labels)
        details.append(f"{said}: {_shown(before[int(at[row])])} -> {_shown(after[row])}{_cell(new, row, name)}")
    count = len(rows)
    what = f"{name}: {count:,} value{'s have' if count > 1 else ' has'} changed"
    return [Change("restated", what, tuple(details))]


def _plain_value(value: object) -> str:
    return "no label" if value is None else as_label(value)


def _cell(table: Table, row: int, name: str) -> str:
    if len(table.origins) != len(table) or name not in table.measures:
        return ""
    origin = table.origins.of(row, name)
    return "" if origin is None else f" ({origin.sheet} {origin.cell})"


def _numbers(column: pa.ChunkedArray) -> NDArray[np.float64] | None:
    """A column's numbers, those of a text file among them; None if it holds other texts."""
    if pa.types.is_dictionary(column.type):
        column = column.cast(column.type.value_type)
    if pa.types.is_string(column.type):
        import pyarrow.compute as pc

        column = pc.if_else(pc.equal(column, ""), pa.scalar(None, pa.string()), column)
    elif not (pa.types.is_floating(column.type) or pa.types.is_integer(column.type)):
        return None  # dates, moments, yes and no: compared as what they say
    try:
        return arrays.floats_of(column.cast(pa.float64()))
    except pa.ArrowInvalid:
        return None


def _shown(value: pa.Scalar) -> str:
    said = value.as_py()
    if said is None or said == "":
        return "empty"
    return f"{said:,.10g}" if isinstance(said, (int, float)) else str(said)


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else ""
    return ", ".join(texts[:_SHOWN]) + more
