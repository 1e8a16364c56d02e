"""Open a workbook and read its raw rows. No NumPy here: it loads while the parser works (see `kebrin.cli.ahead`).

The values and merges come from python-calamine. What that parser passes over in silence (error cells, formulas
without a stored result, hidden lines) is looked for in the sheet's own bytes, in a thread beside it.
"""

from __future__ import annotations

import re
import zipfile
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from dataclasses import dataclass, field, replace
from io import BytesIO
from typing import TYPE_CHECKING, Any

import python_calamine as calamine
from lxml import etree

from kebrin.errors import Place, SourceError
from kebrin.sources import files, second
from kebrin.sources.extent import extent_of
from kebrin.sources.limits import hold, hold_package
from kebrin.sources.package_parts import damaged, part_name, telling

if TYPE_CHECKING:
    from collections.abc import Iterable
    from pathlib import Path

# Signs that a plain search finds (attributes in double quotes, no name prefixes: what nearly every program writes);
# a search costs a tenth of a regular expression.
_ERROR, _FORMULA, _HIDDEN, _OTHER_QUOTES = b't="e"', b"<f", b' hidden="', b"='"
# The same in full, for the files that are written otherwise.
_ANY_ERROR = re.compile(rb"""\st=["']e["']""")
_ANY_FORMULA = re.compile(rb"<(?:\w+:)?f[\s>/]")
_ANY_HIDDEN = re.compile(rb"""\shidden=["'](?:1|true)["']""")
# A formula whose cell ends with no stored result, or with an empty one.
_UNSTORED = re.compile(
    rb"(?:</(?:\w+:)?f>|<(?:\w+:)?f(?:\s[^>]*)?/>)\s*(?:<(?:\w+:)?v\s*/>|<(?:\w+:)?v></(?:\w+:)?v>)?\s*</"
)
_PADS = re.compile(rb"""formatCode=["']00""" rb"""|formatCode=["']0(?:\\|&quot;)?[-/ ]""")
_CHUNK, _OVERLAP, _HEAD = 8 << 20, 1024, 4096
# Sheets of so many bytes are read at once.
_SMALL = 1 << 20
_RELATION = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
_STRICT_RELATION = "{http://purl.oclc.org/ooxml/officeDocument/relationships}id"
_VISIBLE = {"hidden": "hidden", "veryHidden": "very hidden"}


@dataclass(frozen=True)
class Signs:
    """What a sheet's bytes show at a glance; each calls for the second look when it matters."""

    errors: bool = False
    unstored: bool = False
    hidden_lines: bool = False
    formulas: bool = False


@dataclass(frozen=True)
class RawSheet:
    """A sheet's rows from A1 on, its merges (top, left, bottom, right; 0-based) and signs; `stated` values are in its bytes."""

    name: str
    rows: list[list[Any]]
    merges: list[tuple[int, int, int, int]]
    signs: Signs
    stated: int = 0


@dataclass(frozen=True, eq=False)
class Workbook:
    """An opened workbook: names in order, hidden names, the zip part of each sheet, and rows on demand.

    `pads_digits` says whether one of its number formats only pads with zeros, `spreads` whether some cells show their text over
    blank ones behind them ("centred across a selection").
    """

    path: Path
    names: tuple[str, ...]
    hidden: dict[str, str]
    parts: dict[str, str]
    fixed: files.Fixed
    pads_digits: bool = field(repr=False)
    spreads: bool = field(repr=False)
    _book: calamine.CalamineWorkbook = field(repr=False)
    _package: zipfile.ZipFile | None = field(default=None, repr=False)
    _kept: dict[str, RawSheet] = field(default_factory=dict, repr=False)

    def load(self, name: str) -> RawSheet:
        """The raw rows of one sheet; a sheet that was read ahead is handed over and forgotten."""
        return self._kept.pop(name, None) or self._parse(name)

    def read_ahead(self, most: int = 1) -> None:
        """Parse the first visible sheets now, for a caller that will ask for them soon."""
        for name in [name for name in self.names if name not in self.hidden][:most]:
            self._kept[name] = self._parse(name)

    def _parse(self, name: str) -> RawSheet:
        where = Place(str(self.path), sheet=name)
        with telling(where):
            raw = self._parsed(name, where)
        self.fixed.check()
        return raw

    def _parsed(self, name: str, where: Place) -> RawSheet:
        with nullcontext(self._package) if self._package is not None else zipfile.ZipFile(self.path) as package:
            part = package.getinfo(self.parts[name])
            if part.file_size <= _SMALL:  # it is read at once: to start a thread would take longer
                content = package.read(part)
                extent = extent_of([content])
                second.refuse_far_cells(self.path, part.filename, where, extent)
                return replace(self._rows(name, where, _signs([content])), stated=extent.values)
            with package.open(part) as stream:
                extent = extent_of(iter(lambda: stream.read(_CHUNK), b""))
            second.refuse_far_cells(self.path, part.filename, where, extent)
        with ThreadPoolExecutor(1) as beside:
            signs = beside.submit(_signs_of_part, self.path, self.parts[name])
            return replace(self._rows(name, where, Signs()), signs=signs.result(), stated=extent.values)

    def _rows(self, name: str, where: Place, signs: Signs) -> RawSheet:
        try:
            sheet = self._book.get_sheet_by_name(name)
            rows = sheet.to_python(skip_empty_area=False)
        except (calamine.CalamineError, ValueError) as error:
            raise damaged(where, error) from error
        merges = [(*first, *last) for first, last in sheet.merged_cell_ranges or ()]
        return RawSheet(name, rows, merges, signs)


def open_workbook(path: Path) -> Workbook:
    """Open an .xlsx or .xlsm workbook without reading its sheets.

    Raises:
        SourceError: it is missing, empty, no workbook, password-protected, cut short or damaged.
    """
    _refuse_what_is_none(path, files.nature(files.first_bytes(path)))
    where = Place(str(path))
    fixed = files.Fixed.of(path)
    try:
        with telling(where):
            # A small package is read whole, once; no file stays open.
            small = BytesIO(path.read_bytes()) if fixed.state[1] <= _SMALL else None
            with zipfile.ZipFile(path) if small is None else nullcontext(zipfile.ZipFile(small)) as package:
                hold_package([(one.compress_size, one.file_size) for one in package.infolist()], where)
                parts, states = _contents(package)
                hold("sheets", len(parts), where)
                pads, spreads = _says_in_styles(package)
        book = calamine.CalamineWorkbook.from_path(str(path))
    except (zipfile.BadZipFile, KeyError, etree.XMLSyntaxError, calamine.CalamineError, EOFError) as error:
        raise damaged(where, error) from error
    hidden = {name: _VISIBLE[state] for name, state in states.items() if state in _VISIBLE}
    return Workbook(path, tuple(parts), hidden, parts, fixed, pads, spreads, book, None if small is None else package)


def _refuse_what_is_none(path: Path, nature: str) -> None:
    where = Place(str(path))
    if nature == "compound file":
        raise SourceError(
            "this workbook is locked with a password or is of the old .xls kind", where,
            why="its bytes are those of a compound file, which holds either",
            do="Open it in a spreadsheet program, take the password off, and save it as .xlsx",
        )  # fmt: skip
    if nature == "text":
        raise SourceError(
            "this is not a workbook",
            where,
            why="it holds plain text",
            do="If it is delimited text, name it .csv",
        )
    if nature != "zip":
        raise SourceError("this is not a workbook", where, why=f"it starts like {_a(nature)}", do="Export it as .xlsx")


def _a(noun: str) -> str:
    return noun if noun.startswith("unknown") else f"a {noun}"


def _contents(package: zipfile.ZipFile) -> tuple[dict[str, str], dict[str, str]]:
    """Zip part and visibility of each worksheet, by name, in the workbook's order."""
    names = package.namelist()
    targets = {
        relation.get("Id"): relation.get("Target", "")
        for relation in etree.fromstring(package.read(part_name(names, "xl/_rels/workbook.xml.rels")))
        if relation.get("Type", "").endswith("/worksheet")
    }
    parts: dict[str, str] = {}
    states: dict[str, str] = {}
    book = etree.fromstring(package.read(part_name(names, "xl/workbook.xml")))
    for sheet in book.iter("{*}sheet"):
        target = targets.get(sheet.get(_RELATION) or sheet.get(_STRICT_RELATION))
        name = sheet.get("name")
        if target is None or name is None:
            continue  # a chart sheet: it has no cells
        stated = target.lstrip("/") if target.startswith("/") else f"xl/{target}"
        parts[name] = part_name(names, stated)
        states[name] = sheet.get("state") or "visible"
    return parts, states


def _says_in_styles(package: zipfile.ZipFile) -> tuple[bool, bool]:
    """Whether some number format only pads with zeros (`00000`), and whether some cells are centred across those behind them."""
    if "xl/styles.xml" not in package.namelist():
        return False, False
    styles = package.read("xl/styles.xml")
    return _PADS.search(styles) is not None, b"centerContinuous" in styles


def _signs_of_part(path: Path, part: str) -> Signs:
    with zipfile.ZipFile(path) as package, package.open(part) as stream:
        return _signs(iter(lambda: stream.read(_CHUNK), b""))


def _signs(chunks: Iterable[bytes]) -> Signs:
    signs, plain, tail = Signs(), True, b""
    for chunk in chunks:
        seen = tail + chunk if tail else chunk
        plain = plain and _OTHER_QUOTES not in seen and (bool(tail) or b":worksheet" not in seen[:_HEAD])
        formulas = _FORMULA in seen if plain else _ANY_FORMULA.search(seen) is not None
        signs = Signs(
            signs.errors or (_ERROR in seen if plain else _ANY_ERROR.search(seen) is not None),
            signs.unstored or (formulas and _UNSTORED.search(seen) is not None),
            signs.hidden_lines or ((not plain or _HIDDEN in seen) and _ANY_HIDDEN.search(seen) is not None),
            signs.formulas or formulas,
        )
        tail = seen[-_OVERLAP:]
    return signs
