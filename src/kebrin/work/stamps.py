"""Stamps: what tells the blocks of one table apart, or is said once for all of a block, as columns of its rows.

Fields always become columns, whether they differ or not: they are said of every row. The file, the sheet and a block's title
do so where they differ.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from kebrin.work.filenames import file_parts, says_all

if TYPE_CHECKING:
    from collections.abc import Sequence

    from kebrin.work.pieces import Piece


_CAPTION = re.compile(
    r"^(?:table|tab|figure|fig|chart|exhibit|annex|appendix|tabelle|tableau|tabla|tabell|schedule)\b\.?\s*"
    r"(?:\d+(?:[.\-]\d+)*[a-z]?|[ivxlIVXL]+|[A-Z])\b\s*[.:–—-]*\s*",
    re.IGNORECASE,
)

# What programs call sheets that nobody has named.
_COUNTED = re.compile(
    r"(?:sheet|table|page|tabelle|blatt|feuille?|tableau|hoja|tabla|foglio|blad|ark|list)\s*\d+", re.IGNORECASE
)


@dataclass(frozen=True)
class Stamp:
    """One column that is stamped on blocks.

    Attributes:
        name: the column.
        kind: 'file', 'sheet', 'field' or 'title'.
        place: where a plan finds it.
        values: its value on each block; None where the block has none.
    """

    name: str
    kind: str
    place: str
    values: tuple[str | None, ...]

    @property
    def tells(self) -> bool:
        """Whether it differs from block to block."""
        return len(set(self.values)) > 1


def stamps_of(pieces: Sequence[Piece]) -> list[Stamp]:
    """The stamps of some blocks of one layout: file, sheet, fields, titles, in this order."""
    taken = set(pieces[0].table.columns)
    found = [*_of_files(pieces), *_of_sheets(pieces), *_of_fields(pieces), *_of_titles(pieces)]
    used: list[Stamp] = []
    for stamp in found:
        name = stamp.name if stamp.name not in taken else f"{stamp.name} ({stamp.kind})"
        taken.add(name)
        used.append(Stamp(name, stamp.kind, stamp.place, stamp.values))
    return used


def _of_files(pieces: Sequence[Piece]) -> list[Stamp]:
    names = [Path(piece.file).name for piece in pieces]
    if len(set(names)) < 2:
        return []
    parts = file_parts(names, {name for piece in pieces for name in piece.fields})
    if not parts:
        return [Stamp("file", "file", "file name", tuple(names))]
    return [
        Stamp(part.name, "file", f"file name, '{part.pattern}'", tuple(part.values[name] for name in names))
        for part in parts
        if not _fields_say([(_said(piece), part.values[Path(piece.file).name]) for piece in pieces])
    ]


def _said(piece: Piece) -> tuple[str, ...]:
    return tuple(text for text in piece.fields.values() if text)


def _fields_say(parts: Sequence[tuple[tuple[str, ...], str]]) -> bool:
    """Whether the fields of each file say what its name does, each another thing: one column tells it."""
    return len({fields for fields, _ in parts}) == len(set(parts)) and all(says_all(*one) for one in parts)


def _of_sheets(pieces: Sequence[Piece]) -> list[Stamp]:
    sheets = tuple(piece.sheet for piece in pieces)
    # A text file's one sheet is called like the file.
    others = {piece.sheet for piece in pieces if piece.sheet != Path(piece.file).stem}
    alone = len({(piece.file, piece.sheet) for piece in pieces}) == len({piece.file for piece in pieces})
    if len(set(sheets)) < 2 or not others or (alone and len(others) == 1) or _only_counted(pieces):
        return []
    return [Stamp("sheet", "sheet", "sheet name", sheets)]


def _only_counted(pieces: Sequence[Piece]) -> bool:
    """Whether sheets are only numbered, as programs do ("Sheet1", "Table 2"), and their titles say more, one each."""
    if not all(_COUNTED.fullmatch(piece.sheet) for piece in pieces):
        return False
    titles = {piece.sheet: without_caption(piece.layout.title) for piece in pieces}
    return 1 < len(titles) == len(pieces) and all(titles.values()) and len(set(titles.values())) == len(titles)


def _of_fields(pieces: Sequence[Piece]) -> list[Stamp]:
    names = dict.fromkeys(name for piece in pieces for name in piece.fields)
    found = []
    for name in names:
        values = tuple(piece.fields.get(name) for piece in pieces)
        found.append(Stamp(name, "field", beside(name, everywhere=all(value is not None for value in values)), values))
    return found


def _of_titles(pieces: Sequence[Piece]) -> list[Stamp]:
    """Titles, where several blocks of one sheet have one each and they differ."""
    by_sheet: dict[tuple[str, str], list[str | None]] = {}
    periods = {piece.layout.title_name for piece in pieces}
    titles = tuple(without_caption(piece.layout.title) or None for piece in pieces)
    if len(periods) == 1 and "" not in periods:
        return [Stamp(periods.pop(), "title", "block title", titles)]
    if _only_counted(pieces):
        return [Stamp("title", "title", "block title", titles)]
    for piece, title in zip(pieces, titles, strict=True):
        by_sheet.setdefault((piece.file, piece.sheet), []).append(title)
    # A sheet with one block only may have no title: its rows are told apart by the sheet.
    told = [own for own in by_sheet.values() if len(own) > 1]
    if not told or any(None in own or len(set(own)) < 2 for own in told):
        return []
    return [Stamp("title", "title", "block title", titles)]


def without_caption(title: str) -> str:
    """A title without the number that it bears ("Table 33: ..."), which tells nothing of its block.

    >>> without_caption("Table 3. North quay"), without_caption("Table 33"), without_caption("North quay")
    ('North quay', '', 'North quay')
    """
    return _CAPTION.sub("", title).strip()


def beside(label: str, *, everywhere: bool) -> str:
    """The place beside a label, which may be missing on some sheets.

    >>> beside("Route code", everywhere=False)
    "beside 'Route code:', if there"
    """
    quote = '"' if "'" in label else "'"
    return f"beside {quote}{label}:{quote}" + ("" if everywhere else ", if there")
