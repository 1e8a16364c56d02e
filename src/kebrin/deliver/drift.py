"""Drift between two runs, or a run and what the last one left: files, sheets, columns, labels, rows, values, layout."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa

from kebrin.address import a1
from kebrin.deliver.guard import is_own, proof_path
from kebrin.errors import KebrinError, SourceError
from kebrin.shape.drifting import Change, changes_between
from kebrin.shape.groups import ADD_UP
from kebrin.sources.inputs import choose
from kebrin.sources.tidy_tables import read_table
from kebrin.table import Origin, Table, arrays
from kebrin.work.unaided import opened, tidy_reports

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from kebrin.plan.model import OutputPlan
    from kebrin.work.joining import Done

_SHOWN = 6
# Outputs of more rows than this are not read again unasked.
_MOST_ROWS = 5_000_000


@dataclass(frozen=True, eq=False)
class Version:
    """A table as it was at one time: where it came from, and where its figures begin on each sheet."""

    name: str
    table: Table
    files: tuple[str, ...] = ()
    sheets: tuple[str, ...] = ()
    begins: dict[str, str] = field(default_factory=dict)

    @property
    def sums(self) -> dict[str, float]:
        """The sum of each measure."""
        adding = [name for name, way in self.table.made.items() if way in ADD_UP and name in self.table.columns]
        columns = {name: self.table.data.column(name) for name in (*self.table.measures, *adding)}
        return {name: arrays.sum_of(one) for name, one in columns.items() if pa.types.is_floating(one.type)}


@dataclass(frozen=True)
class Drift:
    """What is otherwise in one table than it was: rows and sums then and now, and the changes, the shortest first."""

    table: str
    rows: tuple[int, int]
    sums: dict[str, tuple[float | None, float | None]]
    changes: tuple[Change, ...]

    @property
    def unexpected(self) -> tuple[Change, ...]:
        """The changes that time alone does not explain."""
        return tuple(change for change in self.changes if not change.expected)

    def to_plain(self) -> dict[str, Any]:
        """Plain values, for programs; complete."""
        return {
            "table": self.table, "rows": list(self.rows), "sums": {name: list(both) for name, both in self.sums.items()},
            "changes": [
                {"kind": one.kind, "what": one.what, "details": list(one.details), "expected": one.expected}
                for one in self.changes
            ],
        }  # fmt: skip


def version_of(done: Done) -> Version:
    """A table that was just made."""
    sources = done.proof.sources
    return Version(
        done.name, done.table, tuple(Path(one.file).name for one in sources if one.used),
        tuple(dict.fromkeys(name for one in sources for name in one.used)), _begins(done.table.origins),
    )  # fmt: skip


def version_in(output: Path) -> Version | None:
    """A table that a run before left in a file, None if it is none of ours, or no single table."""
    try:
        if not is_own(output):
            return None
        proof = json.loads(proof_path(output).read_text("utf-8"))
        about = proof["output"]
        if not about["columns"] or about.get("above") or about.get("form") or about["rows"] > _MOST_ROWS:
            return None
        table = _table(output, about["measures"], about.get("made", {}))
        origins = Origin.from_plain(proof["origin"])
    except (OSError, ValueError, KeyError, TypeError, SourceError):
        return None
    used = dict.fromkeys(name for one in proof["sources"] for name in one["used"])
    files = tuple(Path(one["file"]).name for one in proof["sources"] if one["used"])
    return Version(proof["table"], table, files, tuple(used), _begins(origins))


def before_of(outputs: Iterable[OutputPlan], base: Path) -> tuple[Version, ...]:
    """The tables that the run before left in the outputs of a plan; only plain files of one table can be read again."""
    found: dict[str, Version] = {}
    for output in outputs:
        if output.what != "table" or output.table in found or not output.file or "{" in output.file or output.by:
            continue
        version = version_in(base / output.file)
        if version is not None and version.name == output.table:
            found[output.table] = version
    return tuple(found.values())


def _table(output: Path, measures: Sequence[str], made: Mapping[str, str]) -> Table:
    """An output read again, its measures and what steps made as numbers where all of them are."""
    if output.suffix.lower() not in {".csv", ".parquet", ".xlsx"}:
        raise SourceError("only .csv, .parquet and .xlsx are read again")
    table = read_table(output)
    data = table.data
    for name in (*measures, *made):
        column = data.column(name)
        if pa.types.is_string(column.type):
            try:
                data = data.set_column(data.column_names.index(name), name, column.cast(pa.float64()))
            except pa.ArrowInvalid:
                continue
    return Table(data, tuple(measures), made=dict(made))


def versions_of(said: str) -> list[Version]:
    """The tables in an output that Kebrin wrote, or those that reports (a file, a folder, a pattern) give without a plan.

    Raises:
        SourceError: nothing is there, or it can't be read.
        LayoutError: the reports hold no table.
    """
    path = Path(said.removesuffix(".proof.json"))
    own = version_in(path) if path.is_file() else None
    if own is not None:
        return [own]
    return [version_of(done) for done in tidy_reports(opened(choose([said]).paths))]


def drift_between(old: Iterable[Version], new: Iterable[Version], key: Sequence[str] = ()) -> list[Drift]:
    """What became of each table; tables are paired by name, the only ones of both by being so."""
    before, after = list(old), list(new)
    if len(before) == len(after) == 1:
        return [_drift(before[0], after[0], key)]
    by_name = {one.name: one for one in before}
    found = []
    for one in after:
        was = by_name.pop(one.name, None) or next(
            (other for other in by_name.values() if set(other.table.columns) == set(one.table.columns)), None
        )
        if was is not None:
            by_name.pop(was.name, None)
            found.append(_drift(was, one, key))
        else:
            found.append(Drift(one.name, (0, len(one.table)), {}, (Change("table", f"new: {len(one.table):,} rows"),)))
    gone = [Change("table", f"gone: it had {len(was.table):,} rows") for was in by_name.values()]
    return found + [
        Drift(was.name, (len(was.table), 0), {}, (one,)) for was, one in zip(by_name.values(), gone, strict=True)
    ]


def _drift(old: Version, new: Version, key: Sequence[str]) -> Drift:
    said = [*_of_files(old, new), *_of_sheets(old, new), *_of_layout(old, new)]
    try:
        said += _without_said(changes_between(old.table, new.table, key), said, new)
    except (KebrinError, pa.ArrowException, ArithmeticError, LookupError, TypeError, ValueError) as error:
        # The outputs are right and written whatever is said of the last run: saying it must not end this one.
        what = (
            f"single values could not be compared with those of the last run ({type(error).__name__}); please report it"
        )
        said.append(Change("comparison", what))
    sums = {name: (old.sums.get(name), new.sums.get(name)) for name in {**old.sums, **new.sums}}
    order = sorted(said, key=lambda change: (len(change.details), len(change.what)))
    return Drift(new.name, (len(old.table), len(new.table)), sums, tuple(order))


def _without_said(changes: Iterable[Change], said: Sequence[Change], new: Version) -> list[Change]:
    """The changes without what a new or gone sheet says already: the column of sheets has one more label then."""
    told = {f"+ {text}" for one in said if one.kind == "sheet" for text in one.details if text in new.sheets}
    told |= {f"- {text}" for one in said if one.kind == "sheet" for text in one.details if text not in new.sheets}
    return [one for one in changes if one.kind != "label" or not one.details or not set(one.details) <= told]


def _of_files(old: Version, new: Version) -> list[Change]:
    """Files whose names differ from all others in more than digits."""
    was, now = ({re.sub(r"\d+", "#", name): name for name in one.files} for one in (old, new))
    if not old.files or not new.files or (len(old.files) == 1 and len(new.files) == 1):
        return []
    more = [name for form, name in now.items() if form not in was]
    gone = [name for form, name in was.items() if form not in now]
    said = [Change("file", f"new {_some(more)}", tuple(more))] if more else []
    return said + ([Change("file", f"gone {_some(gone)}", tuple(gone))] if gone else [])


def _of_sheets(old: Version, new: Version) -> list[Change]:
    if not old.sheets or (old.sheets, new.sheets) == (_stems(old), _stems(new)):
        return []
    more = [name for name in new.sheets if name not in old.sheets]
    gone = [name for name in old.sheets if name not in new.sheets]
    said = [Change("sheet", f"new {_some(more)}", tuple(more))] if more else []
    return said + ([Change("sheet", f"gone {_some(gone)}", tuple(gone))] if gone else [])


def _stems(version: Version) -> tuple[str, ...]:
    return tuple(Path(name).stem for name in version.files)


def _of_layout(old: Version, new: Version) -> list[Change]:
    moved = [
        f"{sheet}: its figures begin at {cell}, they began at {old.begins[sheet]}"
        for sheet, cell in new.begins.items()
        if sheet in old.begins and old.begins[sheet] != cell
    ]
    if not moved:
        return []
    what = moved[0] if len(moved) == 1 else f"{len(moved)} sheets: figures begin elsewhere"
    return [Change("layout", what, tuple(moved))]


def _begins(origins: Origin) -> dict[str, str]:
    """The first cell with a figure of each sheet that gave one block."""
    found: dict[str, str] = {}
    for part in origins.segments:
        columns = [int(one[one >= 0].min()) for one in part.columns.values() if len(one) and (one >= 0).any()]
        if len(part.rows) and columns:
            row, column = int(part.rows.min()), min(columns)
            found[part.sheet] = "" if part.sheet in found else a1(*part.in_file(row, column))
    return {sheet: cell for sheet, cell in found.items() if cell}


def _some(texts: Sequence[str]) -> str:
    more = f" and {len(texts) - _SHOWN} more" if len(texts) > _SHOWN else ""
    return ", ".join(texts[:_SHOWN]) + more
