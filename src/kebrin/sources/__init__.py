"""Sources: one module per format, each turning a file into a Report."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.errors import Place, SourceError
from kebrin.sources import files, piped, remote
from kebrin.sources.budget import budget_of
from kebrin.sources.fetch_records import with_account

if TYPE_CHECKING:
    from kebrin.cells import Report, Sheet
    from kebrin.sources.stated import StatedText
    from kebrin.sources.workbook import Workbook

__all__ = ["files", "read", "read_again"]


_KINDS = {
    **dict.fromkeys(files.WORKBOOK_ENDINGS, "workbook"), **dict.fromkeys(files.TEXT_ENDINGS, "text"),
    ".ods": "document", ".fods": "document", ".html": "page", ".htm": "page", ".pdf": "PDF", ".xls": "old workbook",
    ".xlsb": "binary workbook", **dict.fromkeys((".json", ".jsonl", ".ndjson"), "records"),
}  # fmt: skip
_NOUNS = {"workbook": "a workbook", "text": "plain text", "document": "a spreadsheet document", "page": "a page", "PDF": "a PDF",
          "old workbook": "an older workbook", "binary workbook": "a binary workbook",
          "records": "a list of records (JSON)"}  # fmt: skip


def read(
    path: str | Path, *, opened: Workbook | None = None, stored: str = "", text: StatedText | None = None
) -> Report:
    """Read a report by what it is, whatever its ending: a workbook, a spreadsheet document, a page, delimited or laid out text.

    Args:
        path: the file.
        opened: the same file, if it was opened ahead.
        stored: 'blank' if formulas without a stored result are empty.
        text: what is stated of a text that can't be seen.

    Raises:
        SourceError: it is nothing that is read, or is damaged.
    """
    path = remote.here(path)
    path = remote.brought(path)[0] if remote.is_address(path) else Path(path)
    name = piped.NAME if piped.is_spooled(path) else remote.address_of(path)
    with budget_of(path):
        report = _renamed(path, name, stored, text) if name else _as_named(path, opened, stored, text)
    report = _within_budget(report, path)
    said: dict[str, Any] = {"stored": stored} if stored else {}
    said |= {"text": text.to_plain()} if text is not None and text.to_plain() else {}
    return replace(report, read_as=said) if said else report


def _within_budget(report: Report, path: Path) -> Report:
    """The report whose sheets are read within the file's budget too, whenever they are asked for."""

    def load(name: str) -> Sheet:
        with budget_of(path):
            return report.load(name)

    def open_long(name: str) -> Any:
        with budget_of(path):
            return report.open_long(name) if report.open_long is not None else None

    return replace(report, load=load, open_long=open_long if report.open_long is not None else None)


def read_again(path: str | Path, read_as: dict[str, Any]) -> Report:
    """Read a report as it was read before, by what was stated then (`Report.read_as`).

    Raises:
        SourceError: it is nothing that is read, or is damaged.
    """
    from kebrin.sources.stated import StatedText

    text = read_as.get("text")
    return read(path, stored=str(read_as.get("stored", "")), text=StatedText.from_plain(text) if text else None)


def _renamed(path: Path, name: str, stored: str, text: StatedText | None) -> Report:
    """A report that is known by another name than that of the file that holds it."""
    try:
        report = _as_named(path, None, stored, text)
    except SourceError as error:
        raise SourceError(error.what, replace(error.where, file=name), why=error.why, do=error.do) from None

    def load(sheet: str) -> Sheet:
        try:
            return replace(report.load(sheet), source=name)
        except SourceError as error:
            raise SourceError(error.what, replace(error.where, file=name), why=error.why, do=error.do) from None

    return replace(report, path=name, load=load, open_long=None)


def _as_named(path: Path, opened: Workbook | None, stored: str, text: StatedText | None) -> Report:
    kind = "workbook" if opened is not None else files.kind_of(path)
    if kind in {"gzip archive", "zip archive"}:
        from kebrin.sources import packed

        return packed.read(path, kind, lambda inside: read(inside, stored=stored, text=text))
    report = _text(path, text) if kind == "text" else _read(path, kind, opened, stored)
    report = with_account(report, path) if kind in {"text", "records"} else report
    named = _KINDS.get(path.suffix.lower(), kind)
    if named == kind:
        return report
    return replace(
        report, said=(*report.said, f"its name ends in {path.suffix}, and it is {_NOUNS[kind]}: read as that")
    )


def _text(path: Path, stated: StatedText | None) -> Report:
    from kebrin.sources import delimited

    return delimited.read(path, stated)


def _read(path: Path, kind: str, opened: Workbook | None, stored: str) -> Report:
    """The report in a file of one kind."""
    if kind == "workbook":
        from kebrin.sources import xlsx

        return xlsx.read(path, opened=opened, stored=stored)
    if kind == "document":
        from kebrin.sources import opendocument

        return opendocument.read(path)
    if kind == "page":
        from kebrin.sources import pages

        return pages.read(path)
    if kind == "records":
        from kebrin.sources import nested

        return nested.read(path)
    if kind == "PDF":
        from kebrin.sources import portable

        return portable.read(path)
    if kind in {"old workbook", "binary workbook"}:
        from kebrin.sources import older

        return older.read(path)
    noun = kind if kind.startswith("unknown") else f"a {kind}"
    raise SourceError(
        "this is no report that can be read", Place(str(path)), why=f"it starts like {noun}",
        do="Export it as a workbook, a spreadsheet document, a page or text",
    )  # fmt: skip
