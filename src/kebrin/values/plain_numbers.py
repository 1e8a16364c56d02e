"""Figures of a long text, whole columns at a time: plain numbers under one convention, and marks for "no value"; nothing else.

What is neither is not read here: the caller looks at it cell by cell.
"""

from __future__ import annotations

import numpy as np
import pyarrow as pa

from kebrin.cells import MISSING_MARKS
from kebrin.table import arrays

_DIGITS = np.zeros(256, np.bool_)
_DIGITS[list(b"0123456789+-.")] = True
_GROUPED = r"^[+-]?(?:[1-9]\d{0,2}(?:,\d{3})+|0|[1-9]\d*)(?:\.\d+)?$"
_TWO_WAYS = r"^[+-]?[1-9]\d{0,2}\.\d{3}$"
_POINT, _COMMA, _ZERO, _NINE = b".,09"


def figures_of(texts: pa.StringArray, decimal: str = "") -> pa.DoubleArray | None:
    """The numbers of a column of texts, null where a cell is empty or says "no value"; None if one is anything else.

    Args:
        texts: the column.
        decimal: its decimal sign; '' where nothing shows it yet, '?' where its parts differ.

    >>> figures_of(pa.array(["12", None, "-3.5", "n/a"]), ".").to_pylist()
    [12.0, None, -3.5, None]
    >>> figures_of(pa.array(["1.204,50", "3,5"]), ",").to_pylist()
    [1204.5, 3.5]
    >>> figures_of(pa.array(["007", "12"]), "."), figures_of(pa.array(["12", "1.204"]))
    (None, None)
    """
    found = _plain(texts, decimal)
    if found is not None:
        return found
    bare = without_marks(texts)
    return None if bare is None else _plain(bare, decimal)


def without_marks(texts: pa.StringArray, coded: pa.DictionaryArray | None = None) -> pa.StringArray | None:
    """The texts, null where one is a mark for "no value"; None if there is none of them. `coded` are the same, encoded."""
    import pyarrow.compute as pc

    coded = texts.dictionary_encode() if coded is None else coded
    bare = pc.utf8_lower(pc.utf8_trim_whitespace(coded.dictionary))
    marks = arrays.truths(pc.is_in(bare, value_set=arrays.texts(sorted(MISSING_MARKS))))
    if not marks.any():
        return None
    codes = arrays.codes_of(coded)
    gone = (codes < 0) | marks[codes]
    # Decoded anew, so that the bytes of the marks are gone too.
    kept = arrays.whole(np.where(gone, 0, codes), pa.int32(), ~gone)
    return pa.DictionaryArray.from_arrays(kept, coded.dictionary).dictionary_decode()


def _plain(texts: pa.StringArray, decimal: str) -> pa.DoubleArray | None:
    """Numbers of digits, a sign before them and a decimal sign among them, with or without groups."""
    import pyarrow.compute as pc

    if decimal == "?":
        return None
    offsets, data = arrays.text_bytes(texts)
    offsets, data = offsets - offsets[0], data[offsets[0] : offsets[-1]]
    if decimal == "," or bool((data == _COMMA).any()):
        swapped = _swapped(texts) if decimal == "," else texts
        grouped = decimal and pc.all(pc.match_substring_regex(swapped, _GROUPED)).as_py()
        return pc.replace_substring(swapped, ",", "").cast(pa.float64()) if grouped else None
    unsure = not decimal and bool((data == _POINT).any())
    if (
        not _DIGITS[data].all()
        or _has_leading_zero(offsets, data)
        or (unsure and pc.any(pc.match_substring_regex(texts, _TWO_WAYS)).as_py())
    ):
        return None
    try:
        return texts.cast(pa.float64())
    except pa.ArrowInvalid:
        return None


def _swapped(texts: pa.StringArray) -> pa.StringArray:
    """The texts with points for commas and commas for points."""
    table = np.arange(256, dtype=np.uint8)
    table[_POINT], table[_COMMA] = _COMMA, _POINT
    validity, offsets, _ = texts.buffers()
    whole = np.frombuffer(texts.buffers()[2], np.uint8)
    return pa.StringArray.from_buffers(
        len(texts), offsets, pa.py_buffer(table[whole]), validity, texts.null_count, texts.offset
    )  # fmt: skip


def _has_leading_zero(offsets: np.ndarray, data: np.ndarray) -> bool:
    """Whether some text is digits behind a zero, as names are."""
    starts = offsets[:-1][np.diff(offsets) > 1]
    if not len(starts):
        return False
    second = data[starts + 1]
    return bool(((data[starts] == _ZERO) & (second >= _ZERO) & (second <= _NINE)).any())
