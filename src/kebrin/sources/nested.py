"""JSON, and lines of it: nested records as sheets, a column for each path; lists within records are sheets of details.

What is read is RFC 8259 (JSON) and one such text a line. A record's number joins its details to it; where records say words
alone beside one list each, these words label the records within.
"""

from __future__ import annotations

import json
import math
import re
from dataclasses import dataclass, field
from decimal import Decimal
from typing import TYPE_CHECKING, Any, NoReturn

import numpy as np

from kebrin.cells import Hints, Report, Sheet, Spots, kinds_of
from kebrin.errors import Place, SourceError
from kebrin.sources import files
from kebrin.sources.encodings import decode
from kebrin.sources.limits import hold, hold_room, limits

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Sequence
    from pathlib import Path

RECORD = "record"
_KEY, _VALUE = "key", "value"
# Names of what says how many records there are.
_COUNTS = frozenset({"count", "total", "totalcount", "totalresults", "totalrecords", "records", "recordcount"})
# Whole numbers up to this one are the same as floating point numbers; larger ones stay texts, digit for digit.
_EXACT = 2**53
_GAP = 1


@dataclass
class _Listed:
    """Records under one path, as rows: cells by column; the column that comes first, and where each record stands.

    `holders` is how many records there are where those within them are the rows.
    """

    rows: list[dict[str, Any]] = field(default_factory=list)
    first: str = ""
    places: list[str] = field(default_factory=list)
    holders: int = 0


@dataclass(frozen=True)
class Nested:
    """What a text of records holds: lists of records by path, what is said of all of them, and the one list it is said of."""

    lists: dict[str, _Listed]
    said: dict[str, Any]
    main: str = ""


def read(path: Path) -> Report:
    """Read JSON or lines of JSON: a sheet for each list of records.

    Raises:
        SourceError: it is no JSON, names something twice, lies too deep, or holds no records.
    """
    fixed = files.Fixed.of(path)
    content = path.read_bytes()
    fixed.check()
    where = Place(str(path))
    found = _nested(_parsed(decode(content, where).text, where), path.stem, where)
    lacks, counts = _counted(found)
    hold("sheets", len(found.lists), where)
    sheets = {name: _sheet(listed, name, str(path), counts, found.said) for name, listed in found.lists.items()}
    return Report(
        str(path), tuple(sheets), sheets.__getitem__, {}, lambda: fixed.digest, said=_told(counts), lacks=lacks
    )  # fmt: skip


def _parsed(text: str, where: Place) -> Any:
    """The value that a text stands for; the list of values of several lines."""
    text = text.removeprefix("\ufeff")
    decoder = json.JSONDecoder(object_pairs_hook=members, parse_int=_whole, parse_float=real, parse_constant=str)
    try:
        try:
            value, end = decoder.raw_decode(text, _skipped(text, 0))
        except json.JSONDecodeError as error:
            _refuse(error, text, where)
        if _skipped(text, end) == len(text):
            return value
        return _each_line(text, decoder, where)
    except TwiceError as error:
        raise SourceError(
            f"{error} is named twice in one record", where, why="one of the two would be lost",
            do="Ask for the list again, every name once",
        ) from None  # fmt: skip
    except RecursionError:
        raise _too_deep(where) from None


def _each_line(text: str, decoder: json.JSONDecoder, where: Place) -> list[Any]:
    found = []
    for number, line in enumerate(text.split("\n"), 1):
        if not line.strip():
            continue
        try:
            found.append(decoder.decode(line))
        except json.JSONDecodeError as error:
            _refuse(error, line, Place(where.file, line=number))
    return found


def _skipped(text: str, at: int) -> int:
    while at < len(text) and text[at] in " \t\r\n":
        at += 1
    return at


class TwiceError(ValueError):
    """A name that one record has twice."""


def members(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    """The members of a record, none of them lost.

    Raises:
        TwiceError: two bear one name.
    """
    found = dict(pairs)
    if len(found) < len(pairs):
        names = [name for name, _ in pairs]
        raise TwiceError(repr(next(name for name in names if names.count(name) > 1)))
    return found


def _whole(digits: str) -> float | str:
    exact = len(digits) < 17 and abs(int(digits)) <= _EXACT
    return float(digits) if exact else digits


def real(digits: str) -> float | str:
    """A number with a point; as text where floating point would lose digits of it.

    >>> real("1.10"), real("0.1234567890123456789"), real("1e999")
    (1.1, '0.1234567890123456789', '1e999')
    """
    number = float(digits)
    return number if math.isfinite(number) and Decimal(digits) == Decimal(repr(number)) else digits


def _refuse(error: json.JSONDecodeError, text: str, where: Place) -> NoReturn:
    cut = not text[error.pos :].strip() or error.msg.startswith("Unterminated")
    line = where.line or error.lineno
    raise SourceError(
        "the list breaks off" if cut else "this is no JSON from here on", Place(where.file, line=line),
        why=f"{error.msg}, letter {error.colno}", do="Ask for it again" if cut else "Ask for it again, as JSON or delimited text",
    ) from None  # fmt: skip


def _too_deep(where: Place) -> SourceError:
    return SourceError(
        "records lie in one another too deep", where, why=f"more than {limits().depth} levels, which is the limit 'depth'",
        do="Ask for the part that is a list",
    )  # fmt: skip


def _nested(value: Any, name: str, where: Place) -> Nested:
    """The lists of records in a value."""
    lists: dict[str, _Listed] = {}
    said: dict[str, Any] = {}
    tables: dict[str, Any] = {}
    if isinstance(value, list):
        _add_all(value, name, "$", lists, where)
    elif isinstance(value, dict):
        value = {key: _with_keyed_listed(one) for key, one in value.items()}
        flat = _row(_leaves(value, "", where), where)
        tables = {path: one for path, one in flat.items() if isinstance(one, list) and one}
        said = {path: one for path, one in flat.items() if not isinstance(one, list)}
        if not tables and _is_keyed(value):
            _add_all([{_KEY: key, **one} for key, one in value.items()], name, "$", lists, where)
            said = {}
        elif named := _rows_by_name(tables):
            _add_all(named, name, "$", lists, where)
        elif _are_columns(tables):
            _add_all(_across(tables), name, "$", lists, where)
        else:
            for path, one in tables.items():
                _add_all(one, path if len(tables) > 1 else name, f"$.{path}", lists, where)
            if not tables:
                _add_all([value], name, "$", lists, where)
                said = {}
    if not any(listed.rows for listed in lists.values()):
        raise SourceError(
            "there are no records in it", where, why="no list in it holds anything", do="Ask for it again"
        )
    return Nested(lists, said, next(iter(lists)) if len(tables) < 2 else "")


def _is_keyed(value: dict[str, Any]) -> bool:
    """Whether each member is a record of its own: its name is a key."""
    return len(value) > 1 and all(isinstance(one, dict) and one and _KEY not in one for one in value.values())


def _with_keyed_listed(value: Any, depth: int = 0) -> Any:
    """A member of what is no record itself, records of one form that are named by their keys as a list of records."""
    if not isinstance(value, dict) or depth > limits().depth:
        return value
    forms = {tuple(one) if isinstance(one, dict) else () for one in value.values()}
    if _is_keyed(value) and len(forms) == 1:
        return [{_KEY: key, **one} for key, one in value.items()]
    return {key: _with_keyed_listed(one, depth + 1) for key, one in value.items()}


def _are_columns(tables: dict[str, Any]) -> bool:
    """Whether lists of plain values, all of one length, are the columns of one table."""
    lengths = {len(one) for one in tables.values()}
    plain = all(not isinstance(cell, (list, dict)) for one in tables.values() for cell in one)
    return len(tables) > 1 and len(lengths) == 1 and plain


def _rows_by_name(tables: dict[str, Any]) -> list[dict[str, Any]]:
    """Rows of plain values as records, by the names that another list gives for their columns; empty where there is no such pair.

    >>> _rows_by_name({"columns": ["boat", "trips"], "rows": [["Gull", 4], ["Tern", 2]]})
    [{'boat': 'Gull', 'trips': 4}, {'boat': 'Tern', 'trips': 2}]
    """
    if len(tables) != 2:
        return []
    for names, rows in (list(tables.values()), list(tables.values())[::-1]):
        heads: list[Any] = [one.get("name", one.get("id")) if isinstance(one, dict) else one for one in names]
        said = all(isinstance(one, str) and one for one in heads) and len(set(heads)) == len(heads)
        if said and all(isinstance(row, list) and len(row) == len(heads) for row in rows):
            return [dict(zip(heads, row, strict=True)) for row in rows]
    return []


def _across(tables: dict[str, list[Any]]) -> list[dict[str, Any]]:
    return [dict(zip(tables, cells, strict=True)) for cells in zip(*tables.values(), strict=True)]


def _add_all(values: list[Any], name: str, at: str, lists: dict[str, _Listed], where: Place) -> None:
    """Add the members of a list as records; the lists within them become lists of details."""
    own = lists.setdefault(name, _Listed())
    names = {path for value in values if isinstance(value, dict) for path, _ in _leaves(value, "", where)}
    record = next(one for one in (RECORD, *(f"{RECORD} {at}" for at in range(2, len(names) + 3))) if one not in names)
    details: list[tuple[int, str, list[Any]]] = []
    for number, value in enumerate(values):
        if value is None or value in ({}, []):
            continue
        row: dict[str, Any] = {}
        for path, one in _row(_leaves_of(value, where), where).items():
            if isinstance(one, list):
                details.append((len(own.rows), path, one))
            else:
                row[path] = one
        own.rows.append(row)
        own.places.append(f"{at}[{number}]")
    if _only_label(own.rows, details):
        _put_together(own, details, where)
        return
    if details:
        own.first = record
        for number, row in enumerate(own.rows, 1):
            row[record] = float(number)
    for number, path, one in details:
        listed = lists.setdefault(f"{name} {path}".strip(), _Listed())
        for place, value in enumerate(one):
            row = _row(_leaves_of(value, where), where)
            inner = {key: json.dumps(cell, ensure_ascii=False) for key, cell in row.items() if isinstance(cell, list)}
            number_of = f"{name} {RECORD}" if RECORD in row else RECORD
            listed.rows.append({number_of: float(number + 1), **row, **inner})
            listed.first = number_of
            listed.places.append(f"{own.places[number]}.{path}[{place}]")


def _only_label(rows: Sequence[dict[str, Any]], details: Sequence[tuple[int, str, list[Any]]]) -> bool:
    """Whether records say words alone beside one list of records each: they label these, and no figure would count twice."""
    if len({path for _, path, _ in details}) != 1 or 2 * len(details) < len(rows) or not any(rows):
        return False
    words = all(cell is None or isinstance(cell, (str, bool)) for row in rows for cell in row.values())
    return words and all(isinstance(value, dict) and value for _, _, one in details for value in one)


def _put_together(own: _Listed, details: Sequence[tuple[int, str, list[Any]]], where: Place) -> None:
    """Make the records within others the rows, each with what its holder says; of one name within both, the path is said."""
    holders, places = own.rows, own.places
    own.rows, own.places, own.holders = [], [], len(holders)
    taken = {path for row in holders for path in row}
    lists = {number: (path, one) for number, path, one in details}
    for number, holder in enumerate(holders):
        if number not in lists:  # nothing within it: it stays as a row that says no more
            own.rows.append(holder)
            own.places.append(places[number])
            continue
        path, one = lists[number]
        for place, value in enumerate(one):
            inner = {
                f"{path}.{key}" if key in taken else key: json.dumps(cell, ensure_ascii=False)
                if isinstance(cell, list)
                else cell
                for key, cell in _row(_leaves_of(value, where), where).items()
            }
            own.rows.append({**holder, **inner})
            own.places.append(f"{places[number]}.{path}[{place}]")


def _row(leaves: Iterable[tuple[str, Any]], where: Place) -> dict[str, Any]:
    """Paths with what stands there.

    Raises:
        SourceError: two members have one path ("a.b" beside "b" within "a").
    """
    try:
        return members(list(leaves))
    except TwiceError as error:
        raise SourceError(
            f"two members of a record would both be the column {error}", where, why="one of the two would be lost",
            do="Ask for the list with other names",
        ) from None  # fmt: skip


def _leaves_of(value: Any, where: Place) -> Iterator[tuple[str, Any]]:
    if isinstance(value, dict):
        yield from _leaves(value, "", where)
    elif isinstance(value, list) and not any(isinstance(one, (list, dict)) for one in value):
        yield from ((str(at + 1), one) for at, one in enumerate(value))
    else:
        yield _VALUE, value


def _leaves(value: dict[str, Any], prefix: str, where: Place, depth: int = 0) -> Iterator[tuple[str, Any]]:
    """Paths and what stands there: plain values and lists; empty lists and records are nothing."""
    if depth > limits().depth:
        raise _too_deep(where)
    for key, one in value.items():
        path = f"{prefix}.{key}" if prefix else key
        if isinstance(one, dict):
            yield from _leaves(one, path, where, depth + 1)
        elif one != []:
            yield path, one


def _counted(found: Nested) -> tuple[tuple[str, ...], dict[str, int]]:
    """What a list says of its own length: where it holds fewer or more, and where it is as it says."""
    lacks, counts = [], {}
    if not found.main:
        return (), {}
    listed = found.lists[found.main]
    for path, said in found.said.items():
        name = re.sub(r"[^a-z]", "", path.rpartition(".")[2].casefold())
        if name in _COUNTS and isinstance(said, float) and said.is_integer():
            held = listed.holders or len(listed.rows)
            if int(said) == held:
                counts[path] = int(said)
            elif (
                name != "total"
            ):  # a total that is no count may be the sum of what is listed: that is looked at with the figures
                lacks.append(f"it says {path} = {int(said):,}, and {held:,} records are in it")
    return tuple(lacks), counts


def _told(counts: dict[str, int]) -> tuple[str, ...]:
    return tuple(f"it says {path} = {count:,}, and so many records are in it" for path, count in counts.items())


def _sheet(listed: _Listed, name: str, source: str, counts: dict[str, int], said: dict[str, Any]) -> Sheet:
    """Records as a sheet: what is said of all of them above, then a heading for each path and a row for each record."""
    heads = list(dict.fromkeys(path for row in listed.rows for path in row))
    if listed.first:
        heads = [listed.first, *(path for path in heads if path != listed.first)]
    plain = all(head.isdigit() for head in heads) and any(heads)
    above = [[path, one] for path, one in said.items() if path not in counts and one is not None and one != ""]
    lines: list[Sequence[Any]] = [*above, *([[]] * (_GAP if above else 0)), *([] if plain else [heads])]
    head = -1 if plain else len(lines) - 1
    top = len(lines)

    def spot(row: int) -> tuple[str, str]:
        if row < top:
            return "", ""
        return listed.places[row - top], _said(listed.rows[row - top])

    height, width = len(lines) + len(listed.rows), max([len(heads), *map(len, lines)])
    hold_room(height, width, Place(source, name))
    values = np.full((height, width), "", dtype=object)
    for number, line in enumerate(lines):
        values[number, : len(line)] = line
    column = {head: at for at, head in enumerate(heads)}
    for number, row in enumerate(listed.rows, len(lines)):
        for path, cell in row.items():
            if cell is not None:
                values[number, column[path]] = cell
    kinds = kinds_of(values)
    values.flags.writeable = kinds.flags.writeable = False
    return Sheet(name, values, kinds, (), source, spots=Spots(height, spot), hints=Hints(heads=head))


def _said(row: dict[str, Any]) -> str:
    """A record as the file may have it: whole numbers without a point."""
    plain = {key: int(one) if isinstance(one, float) and one.is_integer() else one for key, one in row.items()}
    return json.dumps(plain, ensure_ascii=False)
