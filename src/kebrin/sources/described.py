"""Texts of fixed width that say themselves where their columns are: "Bytes 1-4: station", a line for each, above the records.

The description is set aside and counted; its names head the columns. It is believed where the records keep to it.
"""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from kebrin.cells import Hints, Sheet, kinds_of
from kebrin.errors import Place
from kebrin.sources.limits import hold_room
from kebrin.sources.lines import cut, fields_of, is_rule

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from kebrin.sources.lines import Lines

_WORD = r"(?:bytes?|cols?|columns?|pos(?:itions?)?|char(?:acter)?s?|spalten?|stellen?|colonnes?|columnas?)\b\.?"
_SPOKEN = re.compile(rf"\b{_WORD}", re.IGNORECASE)
_LINE = re.compile(
    rf"[\W_]*(?P<word>{_WORD})?\s*(?P<first>\d{{1,4}})(?:\s*(?:-|–|to|bis|\.\.)\s*(?P<last>\d{{1,4}}))?(?:\s*[:=.)|]\s*|\s+)"
    r"(?P<rest>[^\W\d_].*)",
    re.IGNORECASE,
)
# A format, a unit and a name, as tables of catalogues describe each column: "A4   ---   Name   name of the station".
_FORMATTED = re.compile(r"[AIFEDX]\d{1,3}(?:\.\d{1,2})?\s+(?P<unit>\S+)\s+(?P<name>\S+)")
_NAME_ENDS = re.compile(r"\s{2,}|[;,(\[|]|\s[-–—]\s|:\s")
_LOOKED_AT, _FEWEST, _MOSTLY, _SPOKEN_ABOVE = 200, 2, 0.9, 3


class Column(NamedTuple):
    """One column that a text describes: its first and last letter (1-based), and its name."""

    first: int
    last: int
    name: str


class Description(NamedTuple):
    """The columns that a text describes, and the lines that do it: the first, and the one behind the last."""

    columns: tuple[Column, ...]
    begins: int
    ends: int


def find_description(texts: Sequence[str]) -> Description | None:
    """The description of a text's columns, if the lines below it keep to it; None if there is none.

    >>> lines = ["Bytes 1-4: quay", "Bytes 6-10: level (m)", "", "BRAE  1.20", "WICK  0.95", "FOSS -0.31"]
    >>> find_description(lines)
    Description(columns=(Column(first=1, last=4, name='quay'), Column(first=6, last=10, name='level')), begins=0, ends=2)
    """
    for begins, ends, columns in _described(texts[:_LOOKED_AT]):
        places = [(one.first, one.last) for one in columns]
        below = [text for text in texts[ends : ends + _LOOKED_AT] if text.strip() and not is_rule(text)]
        # The names may stand once more over the records.
        kept = [bool(cut(text, places)) and len(text) >= places[1][0] for text in below]
        if len(below) >= _FEWEST and sum(kept) >= _MOSTLY * len(kept):
            return Description(tuple(columns), begins, ends)
    return None


def _described(texts: Sequence[str]) -> Iterator[tuple[int, int, list[Column]]]:
    """Runs of lines that each describe a column, behind one another and in order."""
    run: list[Column] = []
    begins = 0
    spoken = False
    for at, text in enumerate([*texts, ""]):
        match = _LINE.fullmatch(text.rstrip())
        column = _column(match) if match else None
        if column is not None and (not run or column.first > run[-1].last):
            begins = at if not run else begins
            above = " ".join(texts[max(at - _SPOKEN_ABOVE, 0) : at]) if not run else ""
            spoken = spoken or bool(match and match["word"]) or _SPOKEN.search(above) is not None
            run.append(column)
            continue
        if run and is_rule(text):
            continue
        if len(run) >= _FEWEST and spoken:
            yield begins, at, run
        run, spoken = [], False


def _column(match: re.Match[str]) -> Column | None:
    """The column that a line describes."""
    first, last = int(match["first"]), int(match["last"] or match["first"])
    formatted = _FORMATTED.match(match["rest"])
    name = formatted["name"] if formatted else _NAME_ENDS.split(match["rest"])[0].strip()
    return Column(first, last, name) if 0 < first <= last and name else None


def described_sheet(lines: Lines, name: str, source: str) -> Sheet | None:
    """A text as a sheet by the description of its columns; None if it has none."""
    found = find_description(lines.texts)
    if found is None:
        return None
    places = [(one.first, one.last) for one in found.columns]
    rows: list[list[str]] = []
    spots: list[tuple[str, str]] = []
    head = -1
    for at, text in enumerate(lines.texts):
        if at == found.begins:
            head = len(rows)
            rows.append([one.name for one in found.columns])
            spots.append((lines.where(at), text))
        if found.begins <= at < found.ends or not text.strip() or is_rule(text):
            continue
        cells = (
            [text[left - 1 : right].strip() for left, right in places] if at >= found.ends and cut(text, places) else []
        )
        rows.append(cells or [" ".join(text.split()), *[""] * (len(places) - 1)])
        spots.append((lines.where(at), text))
    hold_room(len(rows), len(places), Place(source, name))
    values = np.array(rows, dtype=object)
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    said = sum(len(fields_of(text)) for text in lines.texts[found.begins : found.ends])
    names = ", ".join(one.name for one in found.columns)
    told = f"columns by their description in {lines.where(found.begins)} and below it: {names}"
    return Sheet(
        name, values, kinds, source=source, textual=True, hints=Hints(heads=head), spots=spots, told=(told,),
        aside={"cells of the description of the columns": said},
    )  # fmt: skip
