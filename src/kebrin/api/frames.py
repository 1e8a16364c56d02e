"""Frames of other libraries, taken in as tables: whatever speaks the Arrow C stream protocol."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any, Protocol, runtime_checkable

import pyarrow as pa

from kebrin.errors import PlanError
from kebrin.table import Table as CoreTable

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path


# What pandas calls an index without a name when it hands it over.
_INDEX = re.compile(r"__index_level_\d+__")
_LABELS = pa.dictionary(pa.int32(), pa.string())


@runtime_checkable
class Stream(Protocol):
    """What speaks the Arrow C stream protocol."""

    def __arrow_c_stream__(self, requested_schema: object = None) -> object: ...


def core_of(frame: Stream, measures: Sequence[str] | None = None) -> CoreTable:
    """A frame as a table of the core: texts, numbers as float64, yes and no, dates and moments.

    Args:
        frame: what speaks the protocol.
        measures: the columns that hold values; those of numbers by default.

    >>> core_of(pa.table({"quay": ["East", "West"], "boats": [4, 2]})).measures
    ('boats',)

    Raises:
        PlanError: it does not speak the protocol, or holds a column that is no plain list of values.
    """
    if isinstance(frame, CoreTable):
        return frame
    if not isinstance(frame, Stream):
        raise PlanError(
            f"a {type(frame).__name__} is no table", why="it does not speak the Arrow protocol",
            do="Hand over a frame of pandas or polars, or an Arrow table",
        )  # fmt: skip
    data = pa.table(frame)
    data = data.rename_columns([_INDEX.sub("index", name) for name in data.column_names])
    data = pa.table({name: _plain(name, data.column(name)) for name in data.column_names})
    numbers = tuple(name for name in data.column_names if pa.types.is_floating(data.column(name).type))
    made = CoreTable(data, numbers)
    if measures is not None:
        for name in measures:
            made.refuse_absent(name, "measures")
        made = CoreTable(data, tuple(measures))
    return made


def as_other(using: CoreTable | Stream | str | Path) -> Any:
    """Another table as it is, a frame of another library as a table, the name of a file as it is."""
    return using if isinstance(using, CoreTable) or not isinstance(using, Stream) else core_of(using)


def _plain(name: str, column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column in the type that tables keep values of its kind in, none of them changed.

    Raises:
        PlanError: it holds another kind of values, or some that would change.
    """
    kind = column.type
    if pa.types.is_dictionary(kind):
        text = _is_text(kind.value_type)
        return column.cast(_LABELS) if text else _plain(name, column.cast(kind.value_type))
    wanted = _kept_as(kind)
    if wanted is None:
        raise PlanError(
            f"the column {name!r} holds {kind}", why="a table holds texts, numbers, dates, moments, and yes and no",
            do="Leave the column out, or turn it into one of these",
        )  # fmt: skip
    try:
        made = column.cast(wanted)
        same = not pa.types.is_decimal(kind) or made.cast(kind).equals(column)
    except pa.ArrowInvalid:
        same = False
    if not same:
        raise PlanError(
            f"the column {name!r} holds {kind} of which some would change", why=f"a table keeps {wanted}, which is less fine",
            do="Turn the column into texts before, or round it",
        )  # fmt: skip
    return made


def _is_text(kind: pa.DataType) -> bool:
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind) or pa.types.is_string_view(kind))


def _kept_as(kind: pa.DataType) -> pa.DataType | None:
    """The type that a table keeps values of a type in; None where it has none."""
    if _is_text(kind) or pa.types.is_null(kind):
        return pa.string()
    if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
        return pa.float64()
    if pa.types.is_timestamp(kind):
        return pa.timestamp("s", kind.tz)
    return pa.date32() if pa.types.is_date(kind) else kind if pa.types.is_boolean(kind) else None
