"""Look-up: columns brought in from another table by one or more keys; rows never multiply, and what finds no match is told."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from kebrin.errors import Place, PlanError
from kebrin.shape.groups import Groups, factor, groups_of
from kebrin.shape.summing import like_parts
from kebrin.sources.tidy_tables import read_table
from kebrin.table import Finding, FindingKind, Origin, Table, arrays
from kebrin.values.spellings import folded

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

_SHOWN = 6
_APART = "\x1f"


def lookup(
    table: Table, columns: Sequence[str] | Mapping[str, str], *, using: Table | str | Path, by: Sequence[str] | Mapping[str, str],
    alike: bool = False, numbers: bool = False, unmatched: Literal["ask", "keep", "leave out"] = "ask", sheet: str = "",
) -> Table:  # fmt: skip
    """Columns from another table, by keys.

    A key that stands several times there does no harm if it always says the same; if not, the look-up stops.

    Args:
        table: the table.
        columns: the columns to bring in; new names with the other table's.
        using: the other table, or its file.
        by: the key columns; the table's own names with the other table's where they differ.
        alike: whether case and stray blanks of keys count for nothing.
        numbers: whether keys that are numbers or texts of digits are compared as numbers ("007" is 7).
        sheet: the sheet of the file, where it is a workbook.
        unmatched: whether rows without a match are asked about, kept without a word, or left out and counted.

    >>> ports = Table(pa.table({"code": ["BR", "WK"], "port": ["Brae", "Wick"]}), ())
    >>> table = Table(pa.table({"code": ["WK", "BR", "WK"], "boats": [3.0, 5.0, 4.0]}), ("boats",))
    >>> lookup(table, ["port"], using=ports, by=["code"]).data.column("port").to_pylist()
    ['Wick', 'Brae', 'Wick']

    Raises:
        PlanError: a column is not there or there already, or a key says two things.
        SourceError: the file can't be read.
    """
    other, name = (
        (using, "the other table") if isinstance(using, Table) else (read_table(using, sheet), Path(using).name)
    )
    keys = _pairs(by)
    wanted = _pairs(columns)
    _refuse(table, other, keys, wanted, name)
    own = _keys(table, list(keys), alike=alike, numbers=numbers)
    theirs = _keys(other, list(keys.values()), alike=alike, numbers=numbers)
    texts, rows = _first_rows(other, theirs, wanted, name)
    place = pc.index_in(own.texts, value_set=texts)
    form = arrays.places_of(place)
    # The row of the other table for each row of this one, -1 where there is none.
    of_key = np.append(np.where(form >= 0, np.append(rows, -1)[form], -1), -1)
    at = of_key[own.codes]
    data = table.data
    for new, old in wanted.items():
        one = factor(other.data.column(old))
        codes = np.append(one.codes, -1)[at]
        found = arrays.compacted(pa.chunked_array([one.taken(codes)]))
        data = data.append_column(new, found)
    looked = {new: "looked up" for new in wanted if arrays.kind_of(data.column(new)) == "number"}
    made = replace(table, data=data, origins=table.origins).with_made(**looked)
    made = made.with_way(f"it was looked up in {name} by {', '.join(keys)}", keys, *wanted)
    said = _said(table, keys, at, int((rows >= 0).sum()), name)
    if unmatched == "keep":
        said = [replace(one, kind=FindingKind.UNMATCHED) for one in said]
    made = made.remarked(said)
    gone = int((at < 0).sum())
    if unmatched == "leave out" and gone:
        from kebrin.shape.choosing import rows_of

        made = rows_of(
            made.with_remarks([replace(one, kind=FindingKind.UNMATCHED) for one in made.remarks]),
            np.flatnonzero(at >= 0),
        )
    note = f"{len(table) - gone:,} of {len(table):,} rows found a match in {name}"
    return made.step(f"lookup {', '.join(wanted)}", len(table), note)


def unmatched(
    table: Table,
    *,
    using: Table | str | Path,
    by: Sequence[str] | Mapping[str, str],
    alike: bool = False,
    numbers: bool = False,
    sheet: str = "",
) -> Table:
    """The keys of either side that the other does not have: one row each, with how many rows bear it and their sums.

    >>> ports = Table(pa.table({"code": ["BR", "NS"], "port": ["Brae", "Ness"]}), ())
    >>> table = Table(pa.table({"code": ["WK", "BR", "WK"], "boats": [3.0, 5.0, 4.0]}), ("boats",))
    >>> unmatched(table, using=ports, by=["code"]).data.to_pylist()
    [{'side': 'here', 'code': 'WK', 'rows': 2, 'boats': 7.0}, {'side': 'there', 'code': 'NS', 'rows': 1, 'boats': None}]

    Raises:
        PlanError: a column is not there.
        SourceError: the file can't be read.
    """
    other = using if isinstance(using, Table) else read_table(using, sheet)
    keys = _pairs(by)
    _refuse(table, other, keys, {}, "the other table")
    own = _keys(table, list(keys), alike=alike, numbers=numbers)
    theirs = _keys(other, list(keys.values()), alike=alike, numbers=numbers)
    columns: dict[str, list[Any]] = {"side": [], **{name: [] for name in keys}, "rows": []}
    sums = [name for name in table.measures if pa.types.is_floating(table.data.column(name).type)]
    columns |= {name: [] for name in sums}
    for side, part, mine, yours in (("here", table, own, theirs), ("there", other, theirs, own)):
        missing = arrays.truths_of(pc.index_in(mine.texts, value_set=yours.texts).is_null())
        groups = groups_of(part, list(keys) if side == "here" else list(keys.values()))
        gone = missing[np.maximum(mine.codes, 0)] | (mine.codes < 0) if len(missing) else np.ones(len(part), np.bool_)
        counts = np.bincount(groups.of[gone], minlength=len(groups))
        totals = {name: _sums(part, name, groups) for name in sums if side == "here"}
        for at in np.flatnonzero(counts).tolist():
            columns["side"].append(side)
            columns["rows"].append(float(counts[at]))
            for name, column in zip(keys, groups.columns.values(), strict=True):
                value = column[at].as_py()
                columns[name].append(None if value is None else str(value))
            for name in sums:
                columns[name].append(float(totals[name][at]) if side == "here" else np.nan)
    data = {name: arrays.numbers(np.array(values, np.float64)) if name in sums else
            arrays.whole(np.array(values, np.int64), pa.int64()) if name == "rows" else arrays.texts(values)
            for name, values in columns.items()}  # fmt: skip
    made = pa.Table.from_arrays(list(data.values()), names=list(data))
    return Table(made, (), Origin()).step("unmatched", len(table), f"{made.num_rows:,} keys")


def _pairs(names: Sequence[str] | Mapping[str, str]) -> dict[str, str]:
    """Names here with names there; one name where both are alike."""
    return dict(names) if isinstance(names, Mapping) else {one: one for one in names}


def _sums(table: Table, name: str, groups: Groups) -> NDArray[np.float64]:
    numbers = arrays.floats_of(table.data.column(name))
    return like_parts(np.bincount(groups.of, np.nan_to_num(numbers), len(groups)), numbers)


class _Keys:
    """The distinct keys of a table as texts, and the key of each row; -1 where a part is missing."""

    def __init__(self, codes: NDArray[np.int64], texts: pa.Array) -> None:
        self.codes, self.texts = codes, texts


def _keys(table: Table, names: Sequence[str], *, alike: bool, numbers: bool) -> _Keys:
    column = table.data.column(names[0])
    plain = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    if len(names) == 1 and pa.types.is_string(plain) and not (alike or numbers):
        one = factor(column)  # one column of texts: its distinct texts are the keys
        return _Keys(one.codes, one.values)
    groups = groups_of(table, names)
    columns = [
        [_form(value, alike=alike, numbers=numbers) for value in column.to_pylist()]
        for column in groups.columns.values()
    ]
    texts: list[str | None] = []
    for path in zip(*columns, strict=True):
        known = [one for one in path if one is not None]
        texts.append(_APART.join(known) if len(known) == len(path) else None)
    blank = np.array([text is None for text in texts], np.bool_)
    codes = groups.of.copy()
    if blank.any():
        codes[blank[groups.of]] = -1
    return _Keys(codes, arrays.texts(["\0" if text is None else text for text in texts]))


def _form(value: Any, *, alike: bool, numbers: bool) -> str | None:
    if value is None:
        return None
    text = value if isinstance(value, str) else f"{value:g}" if isinstance(value, float) else str(value)
    text = folded(text) if alike else text
    if numbers and text.strip().lstrip("-").replace(".", "", 1).isdigit():
        return f"{float(text):.15g}"
    # A number is no text: 41 and "41" are two keys, unless keys are compared as numbers.
    return text if isinstance(value, str) or numbers else f"\x02{text}"


def _refuse(table: Table, other: Table, keys: Mapping[str, str], wanted: Mapping[str, str], name: str) -> None:
    if not keys:
        raise PlanError("a look-up needs a key", do="State by, the column that both tables have")
    for one in keys:
        table.refuse_absent(one, "by")
    for one in (*keys.values(), *wanted.values()):
        if one not in other.columns:
            raise PlanError(
                f"{name} has no column {one!r}", why=f"it has {', '.join(other.columns)}", do="Correct the name"
            )
    taken = next((one for one in wanted if one in table.columns), "")
    if taken:
        raise PlanError(
            f"there is a column {taken!r} already", do=f"Give it another name: {{ new = {wanted[taken]!r} }}"
        )


def _first_rows(other: Table, keys: _Keys, wanted: Mapping[str, str], name: str) -> tuple[pa.Array, NDArray[np.int64]]:
    """The distinct keys, and the first row of each; keys that say two things are refused."""
    known = np.flatnonzero(keys.codes >= 0)
    distinct = keys.texts.dictionary_encode()
    forms, form = distinct.dictionary, arrays.codes_of(distinct)
    own = form[keys.codes[known]]
    first = np.full(len(forms), -1, np.int64)
    first[own[::-1]] = known[::-1]
    for column in wanted.values():
        codes = factor(other.data.column(column)).codes
        differ = np.flatnonzero(codes[known] != codes[first[own]])
        if len(differ):
            at = int(differ[0])
            values = other.data.column(column)
            one, two = values[int(first[own[at]])].as_py(), values[int(known[at])].as_py()
            shown = str(forms[int(own[at])]).replace("\x02", "").replace(_APART, ", ")
            odd = len(np.unique(own[differ]))
            raise PlanError(
                f"{name} says two things of the key {shown!r}", Place(),
                why=f"its {column} is {one!r} and {two!r}" + f"; {odd - 1:,} more keys do so" * (odd > 1),
                do="Make each key say one thing there, or add a key column that tells them apart",
            )  # fmt: skip
    return forms, first


def _said(table: Table, keys: Mapping[str, str], at: NDArray[np.int64], known: int, name: str) -> list[Finding]:
    """What is said of keys without a match, on either side."""
    said = []
    gone = at < 0
    if gone.any():
        groups = groups_of(table, list(keys))
        counts = np.bincount(groups.of[gone], minlength=len(groups))
        worst = np.argsort(-counts, kind="stable")[: min(_SHOWN, int((counts > 0).sum()))].tolist()
        shown = [f"{_path(groups, place)!r} ({int(counts[place]):,})" for place in worst]
        more = int((counts > 0).sum()) - len(worst)
        count = int(gone.sum())
        what = f"{count:,} row{'s find' if count != 1 else ' finds'} no match in {name} by {', '.join(keys)}: {', '.join(shown)}"
        said.append(
            Finding(FindingKind.QUESTION, what + f" and {more:,} more keys" * (more > 0), count=int(gone.sum()))
        )
    used = np.zeros(int(at.max(initial=-1)) + 2, np.bool_)
    used[at] = True  # -1 marks the last place
    unused = known - int(used[:-1].sum())
    if unused:
        said.append(
            Finding(
                FindingKind.UNUSED_KEY,
                f"{unused:,} key{'s' * (unused > 1)} of {name} {'are' if unused > 1 else 'is'} on no row here",
                count=unused,
            )
        )
    return said


def _path(groups: Groups, at: int) -> str:
    return " / ".join(str(column[at].as_py()) for column in groups.columns.values())
