"""Names of outputs: patterns filled with a value, a column that says one thing, the run's day and hour, the next number."""

from __future__ import annotations

import datetime as dt
import re
from typing import TYPE_CHECKING

from kebrin.cells import as_label
from kebrin.errors import OutputError, Place, nearest

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

    from kebrin.table import Table

_FIELD = re.compile(r"\{([^{}]+)\}")
# What some file systems take for devices, whatever the ending.
_RESERVED = frozenset({"CON", "PRN", "AUX", "NUL", *(f"{name}{at}" for name in ("COM", "LPT") for at in range(1, 10))})
_LONGEST = 160
_OWN = ("value", "run date", "run time", "number")


def file_word(value: str) -> str:
    """A value as a part of a file's name: no letter that means something to a file system, and never empty.

    >>> file_word("../../etc"), file_word("North / South"), file_word(""), file_word("Con")
    ('etc', 'North_South', 'blank', 'Con_')
    """
    bare = re.sub(r"[^\w.-]+", "_", value.replace("..", "_")).strip("._-")[:80]
    while len(bare.encode("utf-8")) > _LONGEST:  # file systems count bytes
        bare = bare[:-1]
    return f"{bare}_" if bare.partition(".")[0].upper() in _RESERVED else bare or "blank"


def filled(pattern: str, table: Table | None, base: Path, *, now: dt.datetime | None = None) -> str:
    """A file's name with its fields filled, all but `{value}`.

    `{run date}` and `{run time}` are those of the run, `{number}` the one after the highest that stands there, and any other
    field a column of the table that says the same on all rows.

    Args:
        pattern: the name as the plan states it.
        table: the table that is written.
        base: the folder that the name starts from.
        now: the time of the run.

    >>> from pathlib import Path
    >>> import pyarrow as pa
    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"month": ["2031-04", "2031-04"]}), ())
    >>> filled("out/traffic_{month}.csv", table, Path())
    'out/traffic_2031-04.csv'

    Raises:
        OutputError: a field is neither, or its column says several things.
    """
    moment = now or dt.datetime.now().astimezone()
    known = {"run date": f"{moment:%Y-%m-%d}", "run time": f"{moment:%Y-%m-%dT%H%M%S}"}

    def fill(match: re.Match[str]) -> str:
        field = match[1]
        if field in {"value", "number"}:
            return match[0]
        return known[field] if field in known else file_word(_one_of(table, field, pattern))

    name = _FIELD.sub(fill, pattern)
    return _numbered(name, base) if "{number}" in name else name


def _one_of(table: Table | None, field: str, pattern: str) -> str:
    columns = table.columns if table is not None else ()
    if table is None or field not in columns:
        near = nearest(field, [*columns, *_OWN])
        raise OutputError(
            f"the file's name asks for {field!r}", Place(pattern),
            why=f"it can hold {', '.join(_OWN)} and the columns {', '.join(columns)}",
            do=f"Did you mean {{{near}}}?" if near else "Take one of these",
        )  # fmt: skip
    values = table.data.column(field).unique().to_pylist()
    if len(values) != 1:
        some = ", ".join(as_label(one) for one in values[:3] if one is not None)
        raise OutputError(
            f"the file's name asks for one {field!r}", Place(pattern),
            why=f"the table has {len(values):,}" + (f": {some}, ..." if some else ""),
            do=f'Write a file for each: by = "{field}" and {{value}} in the name',
        )  # fmt: skip
    return "blank" if values[0] is None else as_label(values[0])


def _numbered(name: str, base: Path) -> str:
    """The name with the number after the highest of those that stand there."""
    taken = [
        int(match[1]) for match, _ in standing_like(name.replace("{number}", "{value}"), base) if match[1].isdigit()
    ]
    return name.replace("{number}", str(max(taken, default=0) + 1))


def standing_like(pattern: str, base: Path) -> Iterator[tuple[re.Match[str], Path]]:
    """The files that stand there under names of a pattern with one `{value}` in its last part."""
    whole = base / pattern
    before, _, after = whole.name.partition("{value}")
    form = re.compile(re.escape(before) + "(.+)" + re.escape(after))
    if whole.parent.is_dir():
        for path in sorted(whole.parent.iterdir()):
            if match := form.fullmatch(path.name):
                yield match, path


def next_name(path: Path) -> Path:
    """A name beside a file that is free: the same with the next number.

    >>> from pathlib import Path
    >>> next_name(Path("no such folder/traffic.csv")).name
    'traffic.csv'
    """
    found, count = path, 1
    while found.exists():
        count += 1
        found = path.with_name(f"{path.stem}_{count}{path.suffix}")
    return found
