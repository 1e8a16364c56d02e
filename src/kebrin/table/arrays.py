"""Arrow arrays from NumPy vectors and lists, buffer by buffer.

`pyarrow.array` imports pandas where it is installed, which costs more than many a run; these do not.
"""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, Any, cast

import numpy as np
import pyarrow as pa

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

_EPOCH, _MIDNIGHT = dt.date(1970, 1, 1).toordinal(), dt.time()
_GOLDEN = (5**0.5 - 1) / 2


def numbers(values: NDArray[np.float64]) -> pa.DoubleArray:
    """A float64 array; NaN becomes null.

    >>> numbers(np.array([1.5, float("nan")])).to_pylist()
    [1.5, None]
    """
    values = np.ascontiguousarray(values, np.float64)
    gaps = np.isnan(values)
    return cast("pa.DoubleArray", _primitive(pa.float64(), values, ~gaps if gaps.any() else None))


def flags(values: NDArray[np.bool_], known: NDArray[np.bool_]) -> pa.BooleanArray:
    """A boolean array, null where not known."""
    bits = pa.py_buffer(np.packbits(values, bitorder="little").tobytes())
    return cast("pa.BooleanArray", pa.Array.from_buffers(pa.bool_(), len(values), [_bitmap(known), bits]))


def whole(values: NDArray[np.int64], kind: pa.DataType, known: NDArray[np.bool_] | None = None) -> pa.Array:
    """An array whose values are whole numbers of 32 or 64 bits: integers, dates, times, timestamps."""
    width = np.dtype(np.int32) if kind.bit_width == 32 else np.dtype(np.int64)
    return _primitive(kind, np.ascontiguousarray(values, width), known)


def moments(values: Sequence[Any], known: NDArray[np.bool_]) -> pa.Array:
    """Dates, or moments to the second where a time of day stands among them, null where not known.

    >>> days = [dt.date(2031, 4, 1), dt.datetime(2031, 4, 2)]
    >>> moments(days, np.array([True, True])).type, moments([dt.datetime(2031, 4, 1, 8)], np.array([True])).type
    (DataType(date32[day]), TimestampType(timestamp[s]))
    """
    own = [value if know else None for value, know in zip(values, known.tolist(), strict=True)]
    if any(isinstance(value, dt.datetime) and value.time() != _MIDNIGHT for value in own):
        return whole(np.array([_stamp(value) for value in own], np.int64), pa.timestamp("s"), known)
    days = [0 if value is None else value.toordinal() - _EPOCH for value in own]
    return whole(np.array(days, np.int64), pa.date32(), known)


def _stamp(value: dt.date | dt.datetime | None) -> int:
    if value is None:
        return 0
    moment = value if isinstance(value, dt.datetime) else dt.datetime.combine(value, _MIDNIGHT)
    return (moment.toordinal() - _EPOCH) * 86_400 + moment.hour * 3600 + moment.minute * 60 + moment.second


def texts(values: Sequence[str | None]) -> pa.StringArray:
    """A string array; None becomes null.

    >>> texts(["Gull", None, "Älv"]).to_pylist()
    ['Gull', None, 'Älv']
    """
    gaps = None in values
    filled = [value or "" for value in values] if gaps else cast("Sequence[str]", values)
    joined = "".join(filled)
    data = joined.encode("utf-8", "replace")
    offsets = np.zeros(len(filled) + 1, np.int64)
    if len(data) == len(joined):  # letters of a byte each
        sizes = np.fromiter(map(len, filled), np.int64, len(filled))
    else:
        sizes = np.fromiter((len(text.encode("utf-8", "replace")) for text in filled), np.int64, len(filled))
    np.cumsum(sizes, out=offsets[1:])
    kind = pa.string() if offsets[-1] < 2**31 else pa.large_string()
    ends = offsets.astype(np.int32 if kind == pa.string() else np.int64)
    known = np.array([value is not None for value in values], np.bool_) if gaps else None
    buffers = [None if known is None else _bitmap(known), pa.py_buffer(ends), pa.py_buffer(data)]
    return cast("pa.StringArray", pa.Array.from_buffers(kind, len(filled), buffers))


def labels(codes: NDArray[np.int32], distinct: Sequence[str]) -> pa.DictionaryArray:
    """Labels as codes into a short list; code -1 becomes null.

    >>> labels(np.array([1, 0, -1], np.int32), ["Foot", "Cars"]).to_pylist()
    ['Cars', 'Foot', None]
    """
    codes = np.ascontiguousarray(codes, np.int32)
    gaps = codes < 0
    known = ~gaps if gaps.any() else None
    indices = _primitive(pa.int32(), np.where(gaps, 0, codes).astype(np.int32) if gaps.any() else codes, known)
    return pa.DictionaryArray.from_arrays(cast("pa.Int32Array", indices), texts(distinct))


def run_of(code: int, length: int, distinct: pa.StringArray) -> pa.DictionaryArray:
    """One label, so many times over; code -1 is null.

    >>> run_of(1, 2, texts(["Foot", "Cars"])).to_pylist(), run_of(-1, 1, texts([])).to_pylist()
    (['Cars', 'Cars'], [None])
    """
    known = None if code >= 0 else np.zeros(length, np.bool_)
    indices = _primitive(pa.int32(), np.full(length, max(code, 0), np.int32), known)
    return pa.DictionaryArray.from_arrays(cast("pa.Int32Array", indices), distinct)


def codes32(codes: NDArray[np.int32]) -> pa.Int32Array:
    """Codes as an Arrow array, none of them null.

    >>> codes32(np.array([1, 0], np.int32)).to_pylist()
    [1, 0]
    """
    return cast("pa.Int32Array", _primitive(pa.int32(), np.ascontiguousarray(codes, np.int32), None))


def places(at: NDArray[np.intp]) -> pa.Int64Array:
    """Places in a column as an Arrow array, to take what stands there.

    >>> texts(["Gull", "Tern"]).take(places(np.array([1]))).to_pylist()
    ['Tern']
    """
    return cast("pa.Int64Array", _primitive(pa.int64(), np.ascontiguousarray(at, np.int64), None))


def truths(found: pa.BooleanArray) -> NDArray[np.bool_]:
    """Whether each is true, as a vector of our own; null is not.

    >>> truths(pa.array([True, None, False])).tolist()
    [True, False, False]
    """
    bits = np.unpackbits(np.frombuffer(found.buffers()[1], np.uint8), bitorder="little")
    values = bits[found.offset : found.offset + len(found)].astype(np.bool_)
    values[nulls_of(pa.chunked_array([found]))] = False
    return values


def sum_of(column: pa.ChunkedArray) -> float:
    """The sum of a float64 column, nulls left out.

    >>> sum_of(pa.chunked_array([numbers(np.array([1.5, float("nan"), 2.0]))]))
    3.5
    """
    total = 0.0
    for chunk in column.chunks:
        values = np.frombuffer(chunk.buffers()[1], np.float64, len(chunk), chunk.offset * 8)
        total += float(np.nansum(values) if chunk.null_count else values.sum())
    return total


def codes_of(column: pa.DictionaryArray) -> NDArray[np.int64]:
    """The codes of a dictionary-encoded column, -1 for null; through buffers, since Arrow's own way imports pandas.

    >>> codes_of(pa.array(["b", None, "a", "b"]).dictionary_encode()).tolist()
    [0, -1, 1, 0]
    """
    indices = column.indices
    bits, data = indices.buffers()
    kind = np.dtype(str(indices.type))
    codes = np.frombuffer(data, kind, len(indices) + indices.offset)[indices.offset :].astype(np.int64)
    if indices.null_count and bits is not None:
        known = np.unpackbits(np.frombuffer(bits, np.uint8), bitorder="little")[
            indices.offset : indices.offset + len(indices)
        ]
        codes[known == 0] = -1
    return codes


def text_bytes(texts: pa.StringArray) -> tuple[NDArray[np.int32], NDArray[np.uint8]]:
    """Where each text begins among the bytes of all (and behind them where the last one ends), and these bytes."""
    _, offsets, data = texts.buffers()
    starts = np.frombuffer(offsets, np.int32, len(texts) + 1 + texts.offset)[texts.offset :]
    return starts, np.frombuffer(data, np.uint8) if data is not None and data.size else np.zeros(0, np.uint8)


def floats_of(column: pa.ChunkedArray) -> NDArray[np.float64]:
    """The numbers of a column of doubles, NaN where there is none; pandas is not asked."""
    one = column.combine_chunks()
    if not len(one):
        return np.zeros(0, np.float64)
    values = np.frombuffer(one.buffers()[1], np.float64, len(one) + one.offset)[one.offset :].copy()
    values[nulls_of(column)] = np.nan
    return values


def days_of(days: pa.Array) -> NDArray[np.int64]:
    """The days of an array of dates since 1970, 0 where there is none; pandas is not asked.

    >>> days_of(moments([dt.date(1970, 1, 3), None], np.array([True, False]))).tolist()
    [2, 0]
    """
    if not len(days):
        return np.zeros(0, np.int64)
    values = np.frombuffer(days.buffers()[1], np.int32, len(days) + days.offset)[days.offset :]
    return np.where(truths_of(days.is_valid()), values, 0).astype(np.int64)


def truths_of(flags: pa.Array | pa.ChunkedArray) -> NDArray[np.bool_]:
    """An array of yes and no in which none is missing; pandas is not asked, which takes a third of a second to load.

    >>> truths_of(pa.array([True, False, True])[1:]).tolist()
    [False, True]
    """
    one = flags.combine_chunks() if isinstance(flags, pa.ChunkedArray) else flags
    if not len(one):
        return np.zeros(0, np.bool_)
    bits = np.unpackbits(np.frombuffer(one.buffers()[1], np.uint8), bitorder="little")
    return bits[one.offset : one.offset + len(one)].astype(np.bool_)


def places_of(found: pa.Array) -> NDArray[np.int64]:
    """The places that `index_in` gives, -1 where there is none.

    >>> places_of(pa.array([2, None, 0], pa.int32())).tolist()
    [2, -1, 0]
    """
    if not len(found):
        return np.zeros(0, np.int64)
    values = np.frombuffer(found.buffers()[1], np.int32, len(found) + found.offset)[found.offset :]
    return np.where(truths_of(found.is_valid()), values, -1).astype(np.int64)


def nulls_of(column: pa.ChunkedArray) -> NDArray[np.bool_]:
    """Where a column has no value.

    >>> nulls_of(pa.chunked_array([["a", None, "b"]])).tolist()
    [False, True, False]
    """
    one = column.combine_chunks()
    bits = one.buffers()[0]
    if not one.null_count or bits is None:
        return np.zeros(len(one), np.bool_)
    known = np.unpackbits(np.frombuffer(bits, np.uint8), bitorder="little")[one.offset : one.offset + len(one)]
    return np.asarray(known == 0)


def distinct_rows(data: pa.Table) -> int:
    """How many rows of a table of labels are distinct.

    >>> distinct_rows(pa.table({"class": ["Foot", "Cars", "Foot"], "month": ["Jan", "Jan", "Jan"]}))
    2
    """
    codes = row_codes(data)
    return int(codes.max()) + 1 if len(codes) else 0


def repeated_rows(data: pa.Table) -> NDArray[np.intp]:
    """The rows of a table that say what an earlier one says.

    >>> repeated_rows(pa.table({"class": ["Foot", "Cars", "Foot"]})).tolist()
    [2]
    """
    codes = row_codes(data)
    if not len(codes) or codes.max() + 1 == len(codes):
        return np.empty(0, np.intp)
    firsts = np.full(int(codes.max()) + 1, len(codes), np.int64)
    firsts[codes[::-1]] = np.arange(len(codes) - 1, -1, -1)
    return np.flatnonzero(firsts[codes] != np.arange(len(codes)))


def row_codes(data: pa.Table) -> NDArray[np.int64]:
    """A number for each row, the same for rows that say the same."""
    codes = np.zeros(data.num_rows, np.int64)
    for column in data.columns:
        one = column.combine_chunks()
        if not pa.types.is_dictionary(one.type):
            one = one.dictionary_encode()
        own = codes_of(one) + 1
        # Renumbered after every column, so that the product never outgrows an int64.
        codes = numbered(codes * (len(one.dictionary) + 1) + own)
        if len(codes) and codes.max() + 1 == len(codes):
            break  # every row is told from the others already
    return codes


def share_one_list(column: pa.ChunkedArray) -> bool:
    """Whether the chunks of a column of labels point into one list, which is there once in memory."""
    if not pa.types.is_dictionary(column.type) or not column.num_chunks:
        return False
    lists = {
        tuple(None if part is None else part.address for part in chunk.dictionary.buffers()) for chunk in column.chunks
    }
    return len(lists) == 1


def distinct_texts(column: pa.ChunkedArray, most: int = 0) -> list[str]:
    """The distinct texts that rows of a column of labels or texts bear; or the first of its list, borne or not."""
    if not most and pa.types.is_dictionary(column.type):
        column = compacted(column)
    known: dict[str, None] = {}
    last: pa.Array | None = None
    for chunk in column.chunks:
        own = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk.unique()
        if last is None or not own.equals(last):  # chunks of one column mostly share their list
            known |= {str(text): None for text in (own[:most] if most else own).to_pylist() if text is not None}
            last = own
            if most and len(known) >= most:
                break
    texts = list(known)
    return texts[:most] if most else texts


def compacted(column: pa.ChunkedArray) -> pa.ChunkedArray:
    """A column of labels without those in its list that no row bears: a list says what there was, rows say what there is.

    >>> column = pa.chunked_array([pa.DictionaryArray.from_arrays(pa.array([2, 0], pa.int32()), ["a", "b", "c"])])
    >>> compacted(column).chunk(0).dictionary.to_pylist(), compacted(column).to_pylist()
    (['a', 'c'], ['c', 'a'])
    """
    if not pa.types.is_dictionary(column.type) or not column.num_chunks:
        return column
    if column.num_chunks > 1 and not share_one_list(column):
        column = column.unify_dictionaries()
    values = column.chunk(0).dictionary
    used = np.zeros(len(values) + 1, np.bool_)
    codes = [codes_of(chunk) for chunk in column.chunks]
    for own in codes:
        used[own] = True  # -1, no label, marks the place behind the last
    if used[:-1].all():
        return column
    places = np.cumsum(used) - 1
    places[-1] = -1
    kept = values.take(whole(np.flatnonzero(used[:-1]), pa.int64()))
    chunks = [_as_labels(places[own].astype(np.int32), kept) for own in codes]
    return pa.chunked_array(chunks, type=pa.dictionary(pa.int32(), values.type))


def _as_labels(codes: NDArray[np.int32], values: pa.Array) -> pa.DictionaryArray:
    known = codes >= 0
    return pa.DictionaryArray.from_arrays(whole(np.maximum(codes, 0), pa.int32(), known), values)


def is_constant(column: pa.ChunkedArray) -> bool:
    """Whether a column of labels says the same on every row, and says something."""
    if column.null_count:
        return False
    said = set()
    for chunk in column.chunks:
        codes = np.frombuffer(chunk.indices.buffers()[1], np.int32, len(chunk), chunk.indices.offset * 4)
        said |= {chunk.dictionary[int(code)].as_py() for code in np.flatnonzero(np.bincount(codes, minlength=1))[:2]}
        if len(said) > 1:
            return False
    return True


def _primitive(kind: pa.DataType, values: NDArray[np.generic], known: NDArray[np.bool_] | None) -> pa.Array:
    validity = None if known is None or known.all() else _bitmap(known)
    return pa.Array.from_buffers(kind, len(values), [validity, pa.py_buffer(values)])


def _bitmap(known: NDArray[np.bool_]) -> pa.Buffer:
    return pa.py_buffer(np.packbits(known, bitorder="little").tobytes())


def kind_of(column: pa.ChunkedArray) -> str:
    """What a column holds, in a plan's words."""
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    if pa.types.is_floating(kind) or pa.types.is_integer(kind):
        return "number"
    if pa.types.is_date(kind):
        return "date"
    if pa.types.is_temporal(kind):
        return "moment"
    return "yes and no" if pa.types.is_boolean(kind) else "text"


def block(rows: NDArray[np.integer[Any]], columns: NDArray[np.integer[Any]]) -> Any:
    """The index of the cells where some ascending rows cross some columns: slices, which copy nothing, where none is left out.

    >>> grid = np.arange(12).reshape(3, 4)
    >>> grid[block(np.array([1, 2]), np.array([0, 1]))].tolist(), grid[block(np.array([0, 2]), np.array([1]))].tolist()
    ([[4, 5], [8, 9]], [[1], [9]])
    """
    if len(rows) and len(columns) and _in_a_row(rows) and _in_a_row(columns):
        return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)
    return np.ix_(rows, columns)


def _in_a_row(places: NDArray[np.integer[Any]]) -> bool:
    first, last = int(places[0]), int(places[-1])
    return first >= 0 and last - first + 1 == len(places) and bool((places[1:] > places[:-1]).all())


def distinct(values: NDArray[np.integer[Any]]) -> NDArray[np.integer[Any]]:
    """The distinct whole numbers of an array, in ascending order; by sorting, which is several times faster than by hashing.

    >>> distinct(np.array([3, 1, 3, 2])).tolist()
    [1, 2, 3]
    """
    ordered = np.sort(values)
    new = np.ones(len(ordered), np.bool_)
    np.not_equal(ordered[1:], ordered[:-1], out=new[1:])
    return ordered[new]


def uneven(count: int) -> NDArray[np.float64]:
    """Weights from 0.5 to 1.5 of which no few sum to others: multiples of the golden ratio's inverse, without the whole part.

    >>> uneven(3).round(3).tolist()
    [1.118, 0.736, 1.354]
    """
    return np.asarray(np.arange(1, count + 1) * _GOLDEN % 1.0 + 0.5, np.float64)


def numbered(values: NDArray[np.int64]) -> NDArray[np.int64]:
    """The place of each number among the distinct ones in ascending order; by sorting.

    >>> numbered(np.array([30, 10, 30, 20])).tolist()
    [2, 0, 2, 1]
    """
    order = np.argsort(values, kind="stable")
    ordered = values[order]
    new = np.zeros(len(ordered), np.int64)
    np.not_equal(ordered[1:], ordered[:-1], out=new[1:], casting="unsafe")
    places = np.empty(len(ordered), np.int64)
    places[order] = np.cumsum(new)
    return places
