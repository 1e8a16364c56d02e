"""Delimited text files as reports of one sheet: encoding and delimiter found, every value kept as text."""

from __future__ import annotations

import csv
from collections import Counter
from typing import TYPE_CHECKING

import numpy as np

from kebrin.cells import Report, Sheet, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import files

if TYPE_CHECKING:
    from pathlib import Path

_DELIMITERS = (",", ";", "\t", "|")
_MARKS = ((b"\xef\xbb\xbf", "utf-8-sig"), (b"\xff\xfe", "utf-16"), (b"\xfe\xff", "utf-16"))
csv.field_size_limit(1 << 24)


def read(path: Path) -> Report:
    """Read a delimited text file; the sheet bears the file's name without its ending.

    Raises:
        SourceError: the file is missing, empty, or no text.
    """
    head = files.first_bytes(path)
    if files.nature(head) != "text":
        kind = "a workbook" if files.nature(head) == "zip" else f"a {files.nature(head)}"
        raise SourceError(
            "this is not delimited text",
            Place(str(path)),
            why=f"it starts like {kind}",
            do="Name it by what it is",
        )
    return Report(str(path), (path.stem,), lambda name: _sheet(path, name), {}, files.digest(path))


def _sheet(path: Path, name: str) -> Sheet:
    text = decode(path.read_bytes(), Place(str(path)))
    rows = _rows(text, delimiter(text), Place(str(path)))
    width = max(map(len, rows), default=0)
    values = np.full((len(rows), width), "", dtype=object)
    for number, row in enumerate(rows):
        values[number, : len(row)] = row
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    return Sheet(name, values, kinds, source=str(path), textual=True)


def _rows(text: str, mark: str, where: Place) -> list[list[str]]:
    reader = csv.reader(text.splitlines(keepends=True), delimiter=mark)
    try:
        return list(reader)
    except csv.Error as error:
        at = Place(where.file, line=reader.line_num)
        raise SourceError("a line can't be split into cells", at, why=str(error), do="Check its quotes") from error


def decode(content: bytes, where: Place) -> str:
    r"""The text in a file's bytes: by its byte order mark, else UTF-8, else the likeliest older encoding.

    >>> decode("Gäste;4\n".encode("cp1252"), Place("x.csv"))
    'Gäste;4\n'

    Raises:
        SourceError: no encoding fits.
    """
    for mark, encoding in _MARKS:
        if content.startswith(mark):
            return content.decode(encoding, errors="strict")
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError:
        from charset_normalizer import from_bytes

        best = from_bytes(content, cp_isolation=["cp1252", "cp1250", "cp1251", "mac_roman", "cp437"]).best()
        if best is None:
            raise SourceError("the text's encoding can't be told", where, do="Save the file as UTF-8") from None
        return str(best)


def delimiter(text: str) -> str:
    r"""The delimiter under which most lines have the same number of cells.

    >>> delimiter("Returns of 2031\nSailing;Cars\n08:00;1,5\n10:00;2,5\n")
    ';'
    """
    lines = text.splitlines()[:500]

    def worth(mark: str) -> tuple[int, int]:
        counts = Counter(max(len(row) - 1, 0) for row in csv.reader(lines, delimiter=mark))
        counts.pop(0, None)
        return max(((lines_alike * cells, cells) for cells, lines_alike in counts.items()), default=(0, 0))

    return max(_DELIMITERS, key=worth)
