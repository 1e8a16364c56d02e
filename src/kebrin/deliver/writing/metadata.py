"""Metadata beside delimited text, as the W3C's "Metadata Vocabulary for Tabular Data" (2015) has it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pyarrow as pa

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.deliver.writing.tables import TextForm
    from kebrin.table import Table

_KINDS = (
    (pa.types.is_boolean, "boolean"), (pa.types.is_integer, "integer"), (pa.types.is_floating, "double"),
    (pa.types.is_date, "date"), (pa.types.is_timestamp, "dateTime"), (pa.types.is_time, "time"),
)  # fmt: skip


def metadata_path(path: Path) -> Path:
    """The file that holds the metadata of a file, where the standard has it looked for.

    >>> from pathlib import Path
    >>> metadata_path(Path("out/traffic.csv")).as_posix()
    'out/traffic.csv-metadata.json'
    """
    return path.with_name(f"{path.name}-metadata.json")


def metadata(table: Table, name: str, form: TextForm, key: Sequence[str] = ()) -> str:
    """The metadata of a table that is written as a file of this name: its columns, their kinds, its key, its form.

    >>> from kebrin.deliver.writing.tables import TextForm
    >>> from kebrin.table import Table
    >>> table = Table(pa.table({"route": ["N4"], "carried": [12.0]}), ("carried",))
    >>> made = json.loads(metadata(table, "t.csv", TextForm(), ["route"]))
    >>> made["tableSchema"]["columns"][1], made["tableSchema"]["primaryKey"]
    ({'name': 'carried', 'titles': 'carried', 'datatype': 'double'}, ['route'])
    """
    names = _names(table.columns)
    columns = [
        {"name": names[field.name], "titles": field.name, "datatype": _kind(field.type)} for field in table.data.schema
    ]
    for column, title in zip(columns, table.columns, strict=True):
        if title in key:
            column["required"] = True
    schema: dict[str, Any] = {"columns": columns}
    if key:
        schema["primaryKey"] = [names[one] for one in key]
    said = {
        "@context": "http://www.w3.org/ns/csvw",
        "url": name,
        "dialect": {
            "encoding": form.encoding, "delimiter": form.delimiter, "lineTerminators": [form.line_ends], "header": True,
            "doubleQuote": True,
        },
        "tableSchema": schema,
    }  # fmt: skip
    return json.dumps(said, ensure_ascii=False, indent=1) + "\n"


def _names(titles: Sequence[str]) -> dict[str, str]:
    """Names that the standard allows (no blanks, no signs at the front), each its own."""
    made: dict[str, str] = {}
    for title in titles:
        bare = "".join(letter if letter.isalnum() or letter == "_" else "_" for letter in title).lstrip("_") or "column"
        name, count = bare, 1
        while name in made.values():
            count += 1
            name = f"{bare}_{count}"
        made[title] = name
    return made


def _kind(kind: pa.DataType) -> str:
    return next((name for fits, name in _KINDS if fits(kind)), "string")
