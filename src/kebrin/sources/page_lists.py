"""What a page holds beside tables: texts laid out by blanks (`pre`), and lists of terms that are records (`dl`)."""

from __future__ import annotations

from itertools import islice
from typing import TYPE_CHECKING

from lxml import etree

from kebrin.sources.page_grid import all_text
from kebrin.sources.printed import is_printed

if TYPE_CHECKING:
    from typing import TypeAlias

    Element: TypeAlias = etree._Element  # noqa: SLF001 - its public name is a function

#: A table made of lists of terms says so by this attribute: its first row heads records.
RECORDS = "data-records"
_HEADS = ("h1", "h2", "h3", "h4", "h5", "h6")
_FEWEST_LINES, _FEWEST_RECORDS, _FEWEST_TERMS, _ABOVE = 2, 2, 2, 3


def laid_out_texts(root: Element) -> list[str]:
    """Texts of a page that are laid out by blanks, each with the headings above it; they are taken out of the page."""
    found = []
    for element in list(root.iter("pre")):
        text = all_text(element).strip("\n")
        if (
            text.count("\n") < _FEWEST_LINES
            or not is_printed(text)
            or next(element.iterancestors("table"), None) is not None
        ):
            continue
        above = [_plain(one) for one in islice(element.itersiblings(*_HEADS, "p", preceding=True), _ABOVE)][::-1]
        found.append("\n\n".join([*above, text]))
        _taken_out(element)
    return found


def lists_as_tables(root: Element) -> None:
    """Put a table in place of lists of terms that are alike, a row for each; the headings above them name the rows."""
    records = [(one, said) for one in root.iter("dl") if (said := _terms(one))]
    heads = list(dict.fromkeys(key for _, said in records for key in said))
    if len(records) < _FEWEST_RECORDS or any(2 * len(said) < len(heads) for _, said in records):
        return
    above = [next(one.itersiblings(*_HEADS, preceding=True), None) for one, _ in records]
    names = ["" if one is None else _plain(one) for one in above]
    named = len(set(names)) == len(names) and all(names)
    rows = [
        [*([name] if named else []), *(said.get(key, "") for key in heads)]
        for name, (_, said) in zip(names, records, strict=True)
    ]
    first = records[0][0]
    parent = first.getparent()
    if parent is None:
        return
    parent.replace(first, _table([*(["name"] if named else []), *heads], rows))
    for element in (*(one for one, _ in records[1:]), *(above if named else ())):
        if element is not None:
            _taken_out(element)


def _terms(element: Element) -> dict[str, str]:
    """What a list says of each of its terms; empty if it is no plain list of terms, each with one text."""
    cells = [one for one in element if one.tag in {"dt", "dd"}]
    if [one.tag for one in cells] != ["dt", "dd"] * (len(cells) // 2) or element.find(".//table") is not None:
        return {}
    said = {_plain(term): _plain(text) for term, text in zip(cells[::2], cells[1::2], strict=True)}
    return said if len(said) == len(cells) // 2 >= _FEWEST_TERMS else {}


def _table(heads: list[str], rows: list[list[str]]) -> Element:
    table = etree.Element("table", {RECORDS: "1"})
    for texts, tag in ((heads, "th"), *((row, "td") for row in rows)):
        row = etree.SubElement(table, "tr")
        for text in texts:
            etree.SubElement(row, tag).text = text
    return table


def _plain(element: Element) -> str:
    return " ".join(all_text(element).split())


def _taken_out(element: Element) -> None:
    """Take an element out of its page; what follows it stays."""
    parent, before = element.getparent(), element.getprevious()
    if parent is None:
        return
    if element.tail and before is not None:
        before.tail = (before.tail or "") + element.tail
    elif element.tail:
        parent.text = (parent.text or "") + element.tail
    parent.remove(element)
