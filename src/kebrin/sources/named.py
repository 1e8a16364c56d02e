"""Named places of a workbook: its table objects and named ranges, as places to read."""

from __future__ import annotations

import posixpath
import re
import zipfile
from typing import TYPE_CHECKING

from lxml import etree

from kebrin.errors import Place
from kebrin.sources.package_parts import part_name, telling

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from pathlib import Path

# A name that means one rectangle of one sheet ('Fuel log'!$C$4:$F$7); all others are formulas, constants or print titles.
_RANGE = re.compile(
    r"(?:'(?P<quoted>(?:[^']|'')+)'|(?P<plain>[^'!(),:]+))!(?P<ref>\$?[A-Z]{1,3}\$?\d+(?::\$?[A-Z]{1,3}\$?\d+)?)"
)


def named_places(path: Path, parts: Mapping[str, str]) -> dict[str, tuple[str, str]]:
    """The sheet and the rectangle ("C4:F7") of each table object and named range, by its name.

    Args:
        path: the workbook.
        parts: the zip part of each sheet.

    Raises:
        SourceError: the workbook is damaged.
    """
    with telling(Place(str(path))), zipfile.ZipFile(path) as package:
        names = package.namelist()
        found = dict(_ranges(package, names))
        for sheet, part in parts.items():
            found |= {name: (sheet, ref) for name, ref in _tables(package, names, part)}
    return found


def _ranges(package: zipfile.ZipFile, names: list[str]) -> Iterator[tuple[str, tuple[str, str]]]:
    book = etree.fromstring(package.read(part_name(names, "xl/workbook.xml")))
    for one in book.iter("{*}definedName"):
        match = _RANGE.fullmatch((one.text or "").strip())
        name = one.get("name") or ""
        if match is not None and not name.startswith("_xlnm."):
            sheet = match["plain"] or match["quoted"].replace("''", "'")
            yield name, (sheet, match["ref"].replace("$", ""))


def _tables(package: zipfile.ZipFile, names: list[str], part: str) -> Iterator[tuple[str, str]]:
    folder, file = posixpath.split(part)
    relations = f"{folder}/_rels/{file}.rels"
    if relations not in names:
        return
    for relation in etree.fromstring(package.read(relations)):
        if relation.get("Type", "").endswith("/table"):
            target = relation.get("Target", "")
            stated = target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"{folder}/{target}")
            table = etree.fromstring(package.read(part_name(names, stated)))
            yield table.get("displayName") or table.get("name") or "", table.get("ref") or ""
