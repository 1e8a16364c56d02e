"""Limits: how much a report may hold before it is refused, each with a name, so that a person can raise it for one file.

They are far above what reports made for people hold, and low enough that no file of a few megabytes takes a machine down.
They are set by name: `KEBRIN_LIMITS="cells=90000000"` in the environment, or `--limit cells=90000000` before a command.
"""

from __future__ import annotations

import os
from dataclasses import dataclass, fields, replace
from threading import local
from typing import TYPE_CHECKING, Any, Self

from kebrin.errors import Place, PlanError, SourceError, nearest

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

VARIABLE = "KEBRIN_LIMITS"


@dataclass(frozen=True)
class Limits:
    """All limits with what they are unless set.

    Attributes:
        unpacked: bytes that a packed file unpacks to, all its parts together.
        ratio: how many times its size a packed file of more than 64 MiB unpacked may unpack to.
        parts: files in a package.
        sheets: sheets in a report, or tables on a page.
        rows: rows of a sheet.
        columns: columns of a sheet.
        cells: cells that a sheet is laid out in, blank ones too.
        crowd: the same for each byte of its file, above the first four million.
        merges: merged rectangles of a sheet.
        letters: letters of one cell.
        text: letters of all cells of a sheet for each byte of its file, above the first hundred million.
        seconds: seconds of processor for one file, and two more for each MB of it; only commands and workers count them.
        depth: how deep records lie in one another.
        plan: bytes of a plan.
    """

    unpacked: int = 4 << 30
    ratio: int = 250
    parts: int = 20_000
    sheets: int = 2_000
    rows: int = 20_000_000
    columns: int = 16_384
    cells: int = 60_000_000
    crowd: int = 4
    merges: int = 300_000
    letters: int = 1_000_000
    text: int = 20
    seconds: int = 20
    depth: int = 64
    plan: int = 4 << 20


_RATIO_FROM = 64 << 20
_WORDS = {
    "unpacked": "bytes when it is unpacked", "parts": "files in it", "sheets": "sheets", "rows": "rows", "columns": "columns",
    "cells": "cells, blank ones too", "merges": "merged cells",
    "letters": "letters in one cell", "depth": "levels of records in one another", "plan": "bytes",
}  # fmt: skip
FREE_CELLS, _FREE_LETTERS = 4_000_000, 100_000_000
_current: list[Limits] = []
_spending = local()


class Budget:
    """What the work on one file may take, by its size; it holds in one thread while it is entered."""

    def __init__(self, size: int, path: str = "") -> None:
        self.size, self.path = size, path
        self.before: Any = None  # the handler of the timer's signal, where it runs
        self.armed = 0  # the seconds that it was set to

    def __enter__(self) -> Self:
        _spending.budget = self
        return self

    def __exit__(self, *_: object) -> None:
        _spending.budget = None


def spending() -> Budget | None:
    """The budget of the file that is being worked on in this thread; None where there is none."""
    return getattr(_spending, "budget", None)


def limits() -> Limits:
    """The limits that hold now: as they are, as the environment has them, or as they were set.

    Raises:
        PlanError: the environment states one that there is not.
    """
    if not _current:
        said = os.environ.get(VARIABLE, "")
        _current.append(stated(filter(None, (one.strip() for one in said.split(",")))))
    return _current[0]


def stated(said: Iterable[str]) -> Limits:
    """Limits from texts like "cells=90000000".

    >>> stated(["sheets=3_000"]).sheets
    3000

    Raises:
        PlanError: one is none, or not a whole number.
    """
    found = Limits()
    names = [one.name for one in fields(Limits)]
    for text in said:
        name, _, value = text.partition("=")
        name = name.strip()
        if name not in names:
            near = nearest(name, names)
            raise PlanError(
                f"there is no limit {name!r}",
                why=f"there are {', '.join(names)}",
                do=f"Did you mean {near!r}?" if near else "",
            )
        digits = value.strip().replace("_", "")
        if not digits.isdigit() or int(digits) < 1:
            raise PlanError(
                f"the limit {name} can't be {value.strip()!r}", do="State a whole number, as in cells=90000000"
            )
        found = replace(found, **{name: int(digits)})
    return found


def set_limits(new: Limits | None) -> None:
    """Let other limits hold from now on; None goes back to those of the environment."""
    _current.clear()
    if new is not None:
        _current.append(new)


def for_all(said: Sequence[str]) -> None:
    """Let limits hold in this process and in those that it starts.

    Raises:
        PlanError: one is none, or not a whole number.
    """
    both = ",".join(filter(None, (os.environ.get(VARIABLE, ""), *said)))
    set_limits(stated(both.split(",")))
    os.environ[VARIABLE] = both


def hold(name: str, found: int, where: Place) -> None:
    """Hold what a report has against the limit of a name.

    Raises:
        SourceError: it is more.
    """
    if name == "cells":
        _hold_by_size("crowd", "cells, blank ones too,", found, FREE_CELLS, where)
    most = getattr(limits(), name)
    if found > most:
        raise SourceError(
            f"more {_WORDS[name]} than a report has", _placed(where), why=f"{found:,}, and the limit {name!r} is {most:,}",
            do=f"If you trust the file, raise it: kebrin --limit {name}={_rounded(found)} ...",
        )  # fmt: skip


def _placed(where: Place) -> Place:
    """A place with its file: a reader does not always know it."""
    budget = spending()
    return replace(where, file=budget.path) if budget is not None and not where.file else where


def hold_letters(texts: Sequence[str], where: Place) -> None:
    """Hold the letters of all texts of a sheet against its file's size: a few bytes can stand for any number of them.

    Raises:
        SourceError: there are more.
    """
    _hold_by_size("text", "letters in all cells", sum(map(len, texts)), _FREE_LETTERS, where)


def _hold_by_size(name: str, what: str, found: int, free: int, where: Place) -> None:
    """Hold a count against what a file of its size may have; where none is read, nothing is held."""
    budget = spending()
    if budget is None or found <= free or found <= free + getattr(limits(), name) * budget.size:
        return
    raise SourceError(
        f"more {what} than a file of its size has", _placed(where),
        why=f"{found:,} from {budget.size:,} bytes, and the limit {name!r} is {getattr(limits(), name):,} for each byte",
        do=f"If you trust the file, raise it: kebrin --limit {name}={_rounded(found // max(budget.size, 1))} ...",
    )  # fmt: skip


def hold_room(rows: int, columns: int, where: Place) -> None:
    """Hold a sheet's size against the limits before it is laid out.

    Args:
        rows: its rows.
        columns: its columns.
        where: the sheet.

    Raises:
        SourceError: it is larger.
    """
    hold("rows", rows, where)
    hold("columns", columns, where)
    hold("cells", rows * columns, where)


def hold_package(sizes: list[tuple[int, int]], where: Place) -> None:
    """Hold a package's parts, each with its packed and its unpacked size, against the limits.

    Raises:
        SourceError: there are too many, or they unpack to too much.
    """
    hold("parts", len(sizes), where)
    whole = sum(size for _, size in sizes)
    hold("unpacked", whole, where)
    packed = sum(size for size, _ in sizes)
    most = limits().ratio
    if whole > _RATIO_FROM and whole > most * max(packed, 1):
        raise SourceError(
            "the file unpacks to far more than reports do", where,
            why=f"{whole:,} bytes from {packed:,}, and the limit 'ratio' is {most:,} times",
            do=f"If you trust the file, raise it: kebrin --limit ratio={_rounded(whole // max(packed, 1))} ...",
        )  # fmt: skip


def _rounded(number: int) -> int:
    """A number with room to spare, of two digits and noughts."""
    size = int(10 ** max(len(str(number)) - 2, 0))
    return (number // size + 1) * size
