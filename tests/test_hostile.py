"""Hostile files: each is refused in our words within a limit that has a name, and none takes the process down."""

from __future__ import annotations

import json
import zipfile
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from kebrin.deliver.tracing import trace
from kebrin.errors import PlanError, SourceError
from kebrin.grammar.patterns import searched
from kebrin.sources import read
from kebrin.sources.extent import extent_of
from kebrin.sources.limits import Limits, stated

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

SPACE = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
RELATIONS = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
PACKAGE = "http://schemas.openxmlformats.org/package/2006/relationships"


def text(at: str, said: str) -> str:
    return f'<c r="{at}" t="inlineStr"><is><t>{said}</t></is></c>'


def number(at: str, said: object) -> str:
    return f'<c r="{at}"><v>{said}</v></c>'


ROWS = (
    f'<row r="1">{text("A1", "Port")}{text("B1", "Jan")}{text("C1", "Feb")}</row>'
    f'<row r="2">{text("A2", "Brae")}{number("B2", 3)}{number("C2", 5)}</row>'
    f'<row r="3">{text("A3", "Ness")}{number("B3", 4)}{number("C3", 6)}</row>'
)


def book(path: Path, rows: str, behind: str = "", before: str = "", sheets: int = 1) -> Path:
    """A workbook written part by part, as a hostile hand would."""
    every = range(1, sheets + 1)
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("[Content_Types].xml", f'<Types xmlns="{PACKAGE.replace("relationships", "content-types")}"/>')
        package.writestr(
            "_rels/.rels",
            f'<Relationships xmlns="{PACKAGE}"><Relationship Id="r1" Type="{RELATIONS}/officeDocument" '
            'Target="xl/workbook.xml"/></Relationships>',
        )
        links = "".join(
            f'<Relationship Id="r{at}" Type="{RELATIONS}/worksheet" Target="worksheets/sheet{at}.xml"/>' for at in every
        )
        package.writestr("xl/_rels/workbook.xml.rels", f'<Relationships xmlns="{PACKAGE}">{links}</Relationships>')
        named = "".join(f'<sheet name="S{at}" sheetId="{at}" r:id="r{at}"/>' for at in every)
        package.writestr(
            "xl/workbook.xml", f'<workbook {SPACE} xmlns:r="{RELATIONS}"><sheets>{named}</sheets></workbook>'
        )
        for at in every:
            package.writestr(
                f"xl/worksheets/sheet{at}.xml",
                f"<worksheet {SPACE}>{before}<sheetData>{rows}</sheetData>{behind}</worksheet>",
            )
    return path


def test_a_plain_package_of_this_hand_is_read(tmp_path: Path) -> None:
    run = kb.tidy(book(tmp_path / "x.xlsx", ROWS))
    assert run.holds
    assert len(run.tables["S1"]) == 4


BAD: list[tuple[str, str, str]] = [
    ("outside", f'<row r="1048577">{number("XFE1048577", 1)}</row>', "outside of the sheet"),
    ("far beyond", '<row r="4"><c r="ZZZZZZZ4"><v>1</v></c></row>', "outside of the sheet"),
    ("no row", f'<row r="9">{number("A99999999999", 1)}</row>', "outside of the sheet"),
    ("corner", f'<row r="1048576">{number("XFD1048576", 1)}</row>', "the limit 'crowd'"),
    ("comment", f'<row r="4">{text("A4", "Sk")}<c r="B4"><v>5<!-- x -->7</v></c></row>', "comments of the file format"),
    (
        "section",
        f'<row r="4">{text("A4", "Sk")}<c r="B4"><v><![CDATA[5]]></v></c></row>',
        "comments of the file format",
    ),
    ("rows", "<row/>" * 1_050_000, "more rows than a sheet can have"),
    ("blanks", " " * (70 << 20), "the limit 'ratio'"),
]


@pytest.mark.parametrize(("rows", "said"), [(rows, said) for _, rows, said in BAD], ids=[name for name, *_ in BAD])
def test_cells_that_no_sheet_has_are_refused_before_the_parser_sees_them(tmp_path: Path, rows: str, said: str) -> None:
    for before in ("", '<dimension ref="A1:C3"/>'):  # what a sheet states of itself is not believed
        with pytest.raises(SourceError, match=said):
            kb.tidy(book(tmp_path / "x.xlsx", ROWS + rows, before=before))


def test_a_cell_that_stands_there_twice_is_not_lost_in_silence(tmp_path: Path) -> None:
    twice = f'<row r="4">{text("A4", "Sk")}{number("B4", 5)}{number("B4", 7)}{number("C4", 7)}</row>'
    with pytest.raises(SourceError, match=r"some cells of this sheet would be lost: 1[34] of its cells hold something"):
        kb.tidy(book(tmp_path / "x.xlsx", ROWS + twice))


def test_blank_texts_are_no_lost_cells(tmp_path: Path) -> None:
    assert kb.tidy(book(tmp_path / "x.xlsx", ROWS + f'<row r="4">{text("A4", " ")}</row>')).holds


def test_too_many_sheets_and_merges_are_refused(tmp_path: Path, limited: Callable[[str], None]) -> None:
    limited("sheets=3")
    with pytest.raises(SourceError, match="the limit 'sheets' is 3"):
        read(book(tmp_path / "x.xlsx", ROWS, sheets=4))
    limited("merges=2")
    merges = "".join(f'<mergeCell ref="E{at}:F{at}"/>' for at in range(1, 5))
    with pytest.raises(SourceError, match="the limit 'merges' is 2"):
        kb.tidy(book(tmp_path / "x.xlsx", ROWS, f'<mergeCells count="4">{merges}</mergeCells>'))


TEXTS: list[tuple[str, str, str]] = [
    ("ragged.csv", "a,b\n" * 9000 + "," * 20_000 + "x\n", "columns"),
    ("sparse.csv", "a,b\n" * 5000 + "," * 9_000 + "x\n", "crowd"),
    ("cell.csv", "Port,Jan\nBrae," + "1" * 1_100_000 + "\n", "letters"),
    ("line.prn", "Port  Jan\nBrae  " + "1" * 1_100_000 + "  2\nNess  3\n", "letters"),
    ("keys.json", json.dumps([{f"k{at}": 1 for at in range(20_000)}, {"a": 1}]), "columns"),
    ("sparse.json", json.dumps([{f"k{at}": at} for at in range(3_000)]), "crowd"),
    ("tables.html", "<table><tr><td>a<td>1<tr><td>b<td>2</table>" * 2_100, "sheets"),
    ("spans.html", "<table>" + "<tr><td colspan=1000>2</td></tr>" * 5_200 + "</table>", "crowd"),
]


@pytest.mark.parametrize(("name", "content", "limit"), TEXTS, ids=[name for name, *_ in TEXTS])
def test_texts_that_would_fill_a_machine_are_refused_with_the_name_of_the_limit(
    tmp_path: Path, name: str, content: str, limit: str
) -> None:
    path = tmp_path / name
    path.write_text(content)
    with pytest.raises(SourceError, match=f"the limit '{limit}'") as told:
        kb.tidy(path)
    assert f"kebrin --limit {limit}=" in str(told.value)


def test_blank_lines_at_the_end_are_none(tmp_path: Path) -> None:
    path = tmp_path / "x.csv"
    path.write_text("Port,Jan,Feb\nBrae,1,2\nNess,3,4\n" + "\n" * 900_000)
    assert kb.tidy(path).holds


def test_limits_are_set_by_name_and_mistakes_are_told(tmp_path: Path, kebrin: Kebrin) -> None:
    assert stated(["cells=5_000", "sheets=7"]) == Limits(cells=5000, sheets=7)
    with pytest.raises(PlanError, match="Did you mean 'cells'"):
        stated(["cels=5"])
    with pytest.raises(PlanError, match="State a whole number"):
        stated(["cells=many"])
    (tmp_path / "x.csv").write_text("Port,Jan,Feb\nBrae,1,2\nNess,3,4\n")
    low = kebrin("--limit", "columns=2", "tidy", str(tmp_path / "x.csv"), "-o", str(tmp_path / "o.csv"))
    assert low.returncode == 3
    assert "3, and the limit 'columns' is 2" in low.stderr
    assert (
        kebrin("--limit", "columns=3", "tidy", str(tmp_path / "x.csv"), "-o", str(tmp_path / "o.csv")).returncode == 0
    )


@pytest.mark.parametrize("stretch", [1 << 13, 1 << 20])
def test_the_reach_of_cells_is_the_same_by_patterns_and_by_arithmetic(stretch: int) -> None:
    rows = "".join(
        f'<row r="{row}">' + "".join(number(f"{column}{row}", row) for column in ("A", "Z", "AB", "XFC")) + "</row>"
        for row in range(1, 4000)
    )
    content = f"<worksheet {SPACE}><sheetData>{rows}</sheetData></worksheet>".encode()
    pieces = [content[at : at + stretch] for at in range(0, len(content), stretch)]
    found = extent_of(pieces)
    assert (found.row, found.column, found.rows, found.cells, found.odd) == (3999, 16_383, 3999, 4 * 3999, False)
    assert extent_of([content.replace(b'r="AB77"', b'r="AB"')]).odd
    assert extent_of([content.replace(b'r="AB77"', b"r = 'AB1048577'")]).row == 1_048_577


def test_no_pattern_hangs() -> None:
    assert searched("(a+)+$", "a" * 60 + "!") is None
    fit = searched(r"(?P<year>\d{4})-(?P<month>\d\d)", "traffic_2031-04.csv")
    assert fit is not None
    assert fit.named == {"year": "2031", "month": "04"}
    with pytest.raises(ValueError, match="invalid perl operator"):
        searched("(?=x)", "x")


def test_a_report_that_says_nothing_but_its_page_has_no_table(tmp_path: Path) -> None:
    (tmp_path / "x.prn").write_text("BOARD     PAGE 1\n\fBOARD     PAGE 2\n\fBOARD     PAGE 3\n")
    with pytest.raises(kb.KebrinError):
        kb.tidy(tmp_path / "x.prn")


def test_labels_that_are_all_missing_are_no_trouble(tmp_path: Path) -> None:
    (tmp_path / "x.csv").write_text("Port,Note,Jan,Feb\nBrae,,1,2\nNess,,3,4\n")
    assert kb.tidy(tmp_path / "x.csv").holds


def test_a_damaged_proof_is_told_whatever_is_damaged_in_it(tmp_path: Path) -> None:
    (tmp_path / "in.csv").write_text("Port,Jan,Feb\nBrae,1,2\nNess,3,4\n")
    out = tmp_path / "out.csv"
    kb.tidy(tmp_path / "in.csv").write({"in": out})
    proof = out.with_name("out.csv.proof.json")
    whole = json.loads(proof.read_text())
    for key in ("output", "origin", "sources"):
        values: list[Any] = [None, [], {}, [{}], "x", [{"file": 3}]]
        for value in values:
            proof.write_text(json.dumps(whole | {key: value}))
            with pytest.raises(kb.KebrinError):
                trace(out, 1)
        proof.write_text(json.dumps({name: one for name, one in whole.items() if name != key}))
        with pytest.raises(kb.KebrinError):
            trace(out, 1)


def test_a_pdf_cut_anywhere_is_told_and_nothing_else_is_printed(tmp_path: Path, kebrin: Kebrin) -> None:
    content = kb.demo_file("tides.pdf").read_bytes()
    for share in (0.2, 0.5, 0.9):
        (tmp_path / "x.pdf").write_bytes(content[: int(len(content) * share)])
        with pytest.raises(SourceError):
            kb.tidy(tmp_path / "x.pdf")
    told = kebrin("tidy", "x.pdf", "-o", "o.csv").stderr
    assert told.startswith("kebrin: x.pdf: ")
    assert told.count("\n") == 1


def test_braces_in_a_heading_are_only_letters(tmp_path: Path) -> None:
    (tmp_path / "x.csv").write_text("Port,a {count} {x:\nBrae,1\nNess,n/a\nWick,5*\nLerr,7\n")
    assert kb.tidy(tmp_path / "x.csv").tables


@pytest.mark.parametrize(
    ("said", "instead"),
    [('"rows": [[1, 2]]', '"rows": [[1, 99999999999972]]'), ('"from here": "', '"from here": "' + "A" * 400)],
    ids=["too many lines", "a name that is too long"],
)
def test_a_proof_that_says_what_can_not_be_is_damaged(tmp_path: Path, said: str, instead: str) -> None:
    (tmp_path / "in.csv").write_text("Port,Jan,Feb\nBrae,1,2\nNess,3,4\n")
    out = tmp_path / "out.csv"
    kb.tidy(tmp_path / "in.csv").write({"in": out})
    proof = out.with_name("out.csv.proof.json")
    assert said in proof.read_text()
    proof.write_text(proof.read_text().replace(said, instead))
    with pytest.raises(SourceError, match="the proof is damaged"):
        trace(out, 1)


def test_a_package_of_an_unknown_version_is_told(tmp_path: Path) -> None:
    content = bytearray(kb.demo_file("fuel.ods").read_bytes())
    at = content.index(b"PK\x01\x02")
    content[at + 6] = 140  # the version that is needed to unpack it: 14.0
    (tmp_path / "x.ods").write_bytes(bytes(content))
    with pytest.raises(SourceError):
        kb.tidy(tmp_path / "x.ods")


@pytest.mark.parametrize("ending", [".fods", ".html"])
def test_no_file_comes_in_through_an_entity(tmp_path: Path, ending: str) -> None:
    (tmp_path / "secret.txt").write_text("SECRETPORT")
    entity = f'<!DOCTYPE x [<!ENTITY e SYSTEM "file://{tmp_path / "secret.txt"}">]>'
    rows = [["Port", "Jan", "Feb"], ["Brae &e;", "1", "2"], ["Ness", "3", "4"]]
    if ending == ".html":
        body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
        text = f"{entity}<html><body><table>{body}</table></body></html>"
    else:
        office, table, p = (f"urn:oasis:names:tc:opendocument:xmlns:{name}:1.0" for name in ("office", "table", "text"))
        cells = "".join(
            "<table:table-row>"
            + "".join(
                f'<table:table-cell office:value-type="string"><text:p>{cell}</text:p></table:table-cell>'
                for cell in row
            )
            + "</table:table-row>"
            for row in rows
        )
        text = (
            f'<?xml version="1.0"?>{entity}<office:document xmlns:office="{office}" xmlns:table="{table}" xmlns:text="{p}">'
            f'<office:body><office:spreadsheet><table:table table:name="S">{cells}</table:table>'
            "</office:spreadsheet></office:body></office:document>"
        )
    path = tmp_path / f"x{ending}"
    path.write_text(text)
    try:
        report = read(path)
        said = " ".join(map(str, report[report.names[0]].values.ravel()))
    except SourceError as error:
        said = str(error)
    assert "SECRETPORT" not in said


def test_no_file_comes_in_through_an_entity_of_a_workbook(tmp_path: Path) -> None:
    (tmp_path / "secret.txt").write_text("SECRETPORT")
    entity = f'<!DOCTYPE x [<!ENTITY e SYSTEM "file://{tmp_path / "secret.txt"}">]>'
    plain = book(tmp_path / "plain.xlsx", ROWS)
    with zipfile.ZipFile(plain) as package, zipfile.ZipFile(tmp_path / "x.xlsx", "w") as made:
        for name in package.namelist():
            part = package.read(name).decode()
            if name.startswith("xl/w") and name.endswith(".xml"):
                part = entity + part.replace("Brae", "Brae &e;").replace('name="S1"', 'name="S1 &e;"')
            made.writestr(name, part)
    try:
        report = read(tmp_path / "x.xlsx")
        said = " ".join([*report.names, *(str(cell) for cell in report[report.names[0]].values.ravel())])
    except SourceError as error:
        said = str(error)
    assert "SECRETPORT" not in said


SPACES = 'xmlns:o="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:t="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
SPACES += ' xmlns:x="urn:oasis:names:tc:opendocument:xmlns:text:1.0"'


def document(path: Path, tables: str) -> Path:
    """A spreadsheet document written part by part."""
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        content = f"<o:document-content {SPACES}><o:body><o:spreadsheet>{tables}</o:spreadsheet></o:body></o:document-content>"
        package.writestr("content.xml", content)
    return path


def said_again(down: int, across: int, cell: str) -> str:
    repeated = f'<t:table-cell t:number-columns-repeated="{across}" {cell}</t:table-cell>'
    return f'<t:table t:name="S"><t:table-row t:number-rows-repeated="{down}">{repeated}</t:table-row></t:table>'


@pytest.mark.parametrize(
    ("tables", "limit"),
    [
        (said_again(55_000, 1_000, 'o:value-type="float" o:value="3">'), "crowd"),
        (said_again(50_000, 1_000, 'o:value-type="string"><x:p>x</x:p>'), "crowd"),
        (said_again(1, 1, 'o:value-type="string"><x:p>a<x:s x:c="900000000"/>b</x:p>'), "letters"),
        (said_again(5_000, 1, 'o:value-type="string"><x:p>a<x:s x:c="900000"/>b</x:p>'), "text"),
        ("".join(f'<t:table t:name="S{at}"/>' for at in range(3_000)), "sheets"),
    ],
)
def test_what_stands_for_far_more_than_it_is_long_is_refused(tmp_path: Path, tables: str, limit: str) -> None:
    with pytest.raises(SourceError, match=f"limit '{limit}'") as refused:
        kb.tidy_reports(document(tmp_path / "report.ods", tables))
    assert str(refused.value).startswith(str(tmp_path / "report.ods"))


def test_a_file_may_hold_what_its_size_allows(tmp_path: Path) -> None:
    path = document(tmp_path / "report.ods", said_again(300, 1_000, 'o:value-type="float" o:value="3">'))
    assert read(path)["S"].shape == (300, 1_000)


def test_work_that_does_not_end_is_ended(tmp_path: Path, kebrin: Kebrin) -> None:
    # Drawing that no reader foresees; the parser beneath takes a minute of it.
    lines = b"0 0 m 100 100 l S " * 80_000
    parts = [
        b"<< /Type /Catalog /Pages 2 0 R >>", b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 612 792] /Contents 4 0 R >>",
        b"<< /Length %d >>\nstream\n" % len(lines) + lines + b"\nendstream",
    ]  # fmt: skip
    body = b"%PDF-1.4\n" + b"".join(b"%d 0 obj\n" % at + part + b"\nendobj\n" for at, part in enumerate(parts, 1))
    (tmp_path / "lines.pdf").write_bytes(body + b"trailer << /Size 5 /Root 1 0 R >>\n%%EOF")
    done = kebrin("--limit", "seconds=1", "tidy", "lines.pdf", "-o", "out.csv")
    assert done.returncode == 3
    assert "it took longer than a report of its size takes" in done.stderr
    assert "kebrin --limit seconds=10" in done.stderr
    assert not (tmp_path / "out.csv").exists()


def test_of_many_mistakes_in_a_plan_the_first_are_told(tmp_path: Path) -> None:
    keys = "\n".join(f"k{at} = 1" for at in range(5_000))
    (tmp_path / "plan.toml").write_text(f'kebrin = 1\n[table.a]\nfiles = "x.csv"\n{keys}\n', "utf-8")
    with pytest.raises(PlanError, match=r"unknown key .k0.*and 4,988 more"):
        kb.load_plan(tmp_path / "plan.toml")


def test_a_sheet_that_is_asked_for_later_is_held_to_its_file_too(tmp_path: Path) -> None:
    rows = "".join(f'<row r="{at}">{number(f"A{at}", 1)}</row>' for at in (1, 2, 1_000_000))
    report = kb.read(book(tmp_path / "x.xlsx", rows + f'<row r="1000001">{number("F1000001", 1)}</row>'))
    with pytest.raises(SourceError, match="limit 'crowd'"):
        report["S1"]
