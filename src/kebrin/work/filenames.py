"""What file names differ in: the date, the year or the place in them, as a field."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from kebrin.grammar.periods import period_name

if TYPE_CHECKING:
    from collections.abc import Container, Sequence


class FilePart(NamedTuple):
    """The part that file names differ in: what to call it, the pattern that takes it, and its value by file name."""

    name: str
    pattern: str
    values: dict[str, str]


def file_part(files: Sequence[str], taken: Container[str] = ()) -> FilePart | None:
    r"""The part that some file names differ in; None if they have no beginning in common, or do not differ.

    It is called by the kind of period that it is, or 'file' if it is none or the name is taken.

    >>> file_part(["returns/traffic_2030.xlsx", "returns/traffic_2031.xlsx"])
    FilePart(name='year', pattern='traffic_(.+)\\.xlsx', values={'traffic_2030.xlsx': '2030', 'traffic_2031.xlsx': '2031'})
    >>> file_part(["a.csv", "b.csv"])
    """
    names = list(dict.fromkeys(Path(file).name for file in files))
    if len(names) < 2:
        return None
    first, last = min(names), max(names)
    head = next((at for at in range(min(len(first), len(last))) if first[at] != last[at]), 0)
    # What differs is taken whole: a number with all its digits, a word with all its letters.
    head = len(re.sub(r"(?:\d[\d-]*|[^\W\d_]+)$", "", first[:head]))
    tails = sorted(name[head:][::-1] for name in names)
    tail = next((at for at in range(min(map(len, tails))) if tails[0][at] != tails[-1][at]), min(map(len, tails)))
    end = re.sub(r"^(?:[\d-]*\d|[^\W\d_]+)", "", first[len(first) - tail :]) if tail else ""
    if head < 2:
        return None
    pattern = f"{_quoted(first[:head])}(.+){_quoted(end)}"
    matches = {name: re.fullmatch(pattern, name) for name in names}
    if not all(matches.values()):
        return None
    values = {name: match[1] for name, match in matches.items() if match}
    kind = period_name(list(values.values()))
    return FilePart("file" if kind in taken else kind or "file", pattern, values)


def _quoted(text: str) -> str:
    """A text as a pattern that fits it alone; only the signs that mean something are marked."""
    return re.sub(r"[.^$*+?{}\[\]|()\\]", lambda sign: "\\" + sign[0], text)
