"""Texts that a spreadsheet program would take for formulas in delimited text: told, and written as texts if asked."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.table import arrays

if TYPE_CHECKING:
    from collections.abc import Iterator

    from kebrin.table import Table

# What such programs take for the beginning of a formula, blanks, tabs and line ends before it left out; plain numbers are none.
_FORMULA, _NUMBER = r"^[\s\x00]*[=+\-@\x{FF1D}\x{FF0B}\x{FF0D}\x{FF20}]", r"^\s*[+-]?[\d.,' ]*\d\s*%?$|^\s*[-+]+\s*$"
# The first bytes of what may be such a text: its signs, blanks, and the letters that begin wide signs and blanks.
_MAY_BEGIN = np.zeros(256, np.bool_)
_MAY_BEGIN[[*b"=+-@ \t\n\v\f\r\x00\x1c\x1d\x1e\x1f", 0xC2, 0xE1, 0xE2, 0xE3, 0xEF]] = True
#: This sign before a text has it shown as it is.
SIGN = "'"


def formulas_in(table: Table) -> dict[str, int]:
    """How many rows of each column hold a text that would be taken for a formula, and the headings that would ('' counts these).

    >>> from kebrin.table import Table
    >>> formulas_in(Table(pa.table({"ship": ["=1+1", "-4.5", "Gull"]}), ()))
    {'ship': 1}
    """
    if not any(_may_hold(chunk) for chunk in _texts_of(table)):
        return {}
    import pyarrow.compute as pc  # it takes longer to load than most tables to write

    found: dict[str, int] = {}
    heads = int(pc.sum(_like_formula(arrays.texts(list(table.columns)))).as_py())
    if heads:
        found[""] = heads
    for name in table.columns:
        for chunk in table.data.column(name).chunks:
            if pa.types.is_dictionary(chunk.type) and pa.types.is_string(chunk.type.value_type):
                count = _coded(chunk)
            elif pa.types.is_string(chunk.type) or pa.types.is_large_string(chunk.type):
                count = int(pc.sum(_like_formula(chunk)).as_py() or 0)
            else:
                continue
            if count:
                found[name] = found.get(name, 0) + count
    return found


def _texts_of(table: Table) -> Iterator[pa.Array]:
    """The headings of a table and its texts, each list of labels once."""
    yield arrays.texts(list(table.columns))
    for column in table.data.columns:
        for chunk in column.chunks:
            texts = chunk.dictionary if pa.types.is_dictionary(chunk.type) else chunk
            if pa.types.is_string(texts.type) or pa.types.is_large_string(texts.type):
                yield texts


def _may_hold(texts: pa.Array) -> bool:
    """Whether some text begins with a sign of a formula, or a blank that one may stand behind: by its first byte alone."""
    if pa.types.is_large_string(texts.type) or not len(texts):
        return len(texts) > 0
    places, raw = arrays.text_bytes(texts)
    begins = places[:-1][np.diff(places) > 0]
    return bool(_MAY_BEGIN[raw[begins]].any())


def _coded(chunk: pa.DictionaryArray) -> int:
    """How many rows bear a label like a formula."""
    odd = arrays.truths(_like_formula(chunk.dictionary))
    if not odd.any():
        return 0
    codes = arrays.codes_of(chunk)
    return int(odd[codes[codes >= 0]].sum())


def _like_formula(texts: pa.Array) -> Any:
    """Where texts are like formulas; null where there is none."""
    import pyarrow.compute as pc

    begins = pc.match_substring_regex(texts, _FORMULA)
    if not pc.any(begins).as_py():
        return begins
    return pc.and_not(begins, pc.match_substring_regex(texts, _NUMBER))


def guarded(table: Table) -> Table:
    """The table with a sign before each such text and heading.

    >>> from kebrin.table import Table
    >>> guarded(Table(pa.table({"ship": ["=1+1", "-4.5", "Gull"]}), ())).data.to_pydict()
    {'ship': ["'=1+1", '-4.5', 'Gull']}
    """
    import pyarrow.compute as pc

    columns = []
    for column in table.data.columns:
        plain = column.cast(column.type.value_type) if pa.types.is_dictionary(column.type) else column
        if pa.types.is_string(plain.type) or pa.types.is_large_string(plain.type):
            chunks = [
                pc.if_else(_like_formula(chunk), pc.binary_join_element_wise(SIGN, chunk, ""), chunk)
                for chunk in plain.chunks
            ]
            columns.append(pa.chunked_array(chunks, type=plain.type))
        else:
            columns.append(column)
    heads = [f"{SIGN}{name}" if _like_formula(arrays.texts([name]))[0].as_py() else name for name in table.columns]
    named = dict(zip(table.columns, heads, strict=True))
    measures = tuple(named[name] for name in table.measures)
    return replace(table, data=pa.Table.from_arrays(columns, names=heads), measures=measures)


def told(found: dict[str, int], *, guard: bool) -> str:
    """What is said of texts like formulas; '' where there are none."""
    if not found:
        return ""
    count = sum(found.values())
    where = ", ".join(name or "the headings" for name in list(found)[:4])
    if guard:
        return f"{count:,} texts like formulas ({where}) were written with {SIGN} before them"
    return (
        f"{count:,} texts ({where}) begin as formulas do: a spreadsheet program that opens this may compute them; "
        "guard has them written as texts"
    )
