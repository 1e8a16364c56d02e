"""Reports that are not .xlsx: print reports, pages, spreadsheet documents, PDF; each read by what it is and proved alike."""

from __future__ import annotations

import json
import zipfile
from typing import TYPE_CHECKING, Any

import pytest
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import SimpleDocTemplate, Table

import kebrin as kb
from kebrin.sources import read
from kebrin.sources.delimited import delimiter

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


def rows(run: kb.Run, name: str = "") -> list[list[Any]]:
    table = run.tables[name] if name else next(iter(run.tables.values()))
    return [list(row.values()) for row in table.data.to_pylist()]


def written(path: Path, text: str) -> Path:
    path.write_text(text, "utf-8")
    return path


# --- the demo's ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "count", "first", "ties"),
    [("dues.prn", 15, ["Skarrow", "Petrel", 48.0, 16.1, 4180.69], 4),
     ("berths.html", 12, ["Berth 1", "Summer", 1951.0], 2),
     ("fuel.ods", 20, ["Gull", "Q1", 31.9], 4)],
)  # fmt: skip
def test_the_demos_reports_are_exact_and_their_totals_tie(name: str, count: int, first: list[Any], ties: int) -> None:
    run = kb.tidy(kb.demo_file(name))
    found = rows(run)
    assert (len(found), found[0]) == (count, first)
    assert run.proof.headline == "Proved: nothing was lost"
    assert sum(one["exact"] for one in run.proof.to_plain()["tie-outs"]) == ties


def test_a_pdf_of_two_pages_is_one_table() -> None:
    run = kb.tidy(kb.demo_file("tides.pdf"))
    found = rows(run)
    assert len(found) == 120
    assert [row[1:] for row in found[:4]] == [
        ["Skarrow", "High", 2.9],
        ["Skarrow", "Low", 0.2],
        ["Hallan", "High", 2.3],
        ["Hallan", "Low", 1.2],
    ]
    assert run.proof.headline == "Proved: nothing was lost"


@pytest.mark.parametrize("name", ["dues.prn", "berths.html", "fuel.ods", "tides.pdf"])
def test_a_drafted_plan_gives_the_same_and_a_trace_leads_back(name: str, tmp_path: Path, kebrin: Kebrin) -> None:
    path = tmp_path / name
    path.write_bytes(kb.demo_file(name).read_bytes())
    assert kebrin("draft", name, "-o", "p.toml").returncode == 0
    drafted = kb.load_plan(tmp_path / "p.toml").run()
    alone = kb.tidy(path)
    assert rows(drafted) == rows(alone)
    assert drafted.holds
    assert kebrin("tidy", name, "-o", "out.csv").returncode == 0
    traced = kebrin("trace", "out.csv", "3", *(["Dues"] if name == "dues.prn" else []))
    assert traced.returncode == 0, traced.stderr
    assert name in traced.stdout
    assert kebrin("survey", name).returncode == 0


# --- print reports ------------------------------------------------------------------------------------------------

PRINT = """HARBOUR DUES                                     PAGE 1
Berth          Jan 2031     Feb 2031     Mar 2031
-------------------------------------------------
North 1           1,204        1,310        1,150
North 2             904          810        1,050
\fHARBOUR DUES                                     PAGE 2
Berth          Jan 2031     Feb 2031     Mar 2031
-------------------------------------------------
South 1          12,204       11,310       11,150
TOTAL            14,312       13,430       13,350
"""


def test_pages_are_joined_and_thousands_part_no_cells(tmp_path: Path) -> None:
    assert delimiter(PRINT) == ""
    run = kb.tidy(written(tmp_path / "dues.lst", PRINT))
    assert [row[0] for row in rows(run)[::3]] == ["North 1", "North 2", "South 1"]
    assert sum(row[-1] for row in rows(run)) == 41_092
    assert run.proof.headline == "Proved: nothing was lost"


def test_headings_in_the_middle_stand_over_their_columns(tmp_path: Path) -> None:
    text = (
        "                 Summer                Winter\n"
        "Berth       Foot       Cars       Foot       Cars\n"
        "North 1      120         30         80         12\n"
        "North 2      220         31         81         13\n"
        "South 1      320         32         82         14\n"
    )
    found = rows(kb.tidy(written(tmp_path / "x.txt", text)))
    assert found[:4] == [["North 1", "Summer", "Foot", 120.0], ["North 1", "Summer", "Cars", 30.0],
                         ["North 1", "Winter", "Foot", 80.0], ["North 1", "Winter", "Cars", 12.0]]  # fmt: skip


def test_labels_that_are_set_in_are_levels(tmp_path: Path) -> None:
    text = (
        "Harbour / Berth        Jan      Feb\n"
        "Skarrow                 30       34\n"
        "   North 1              10       12\n"
        "   North 2              20       22\n"
        "Hallan                  70       74\n"
        "   South 1              30       32\n"
        "   South 2              40       42\n"
    )
    run = kb.tidy(written(tmp_path / "x.txt", text))
    assert rows(run)[0] == ["Skarrow", "North 1", "Jan", 10.0]
    assert len(rows(run)) == 8
    assert run.holds


def test_delimited_text_stays_delimited() -> None:
    assert delimiter('Sailing,Note\nN1,"fog,  late"\nN2,calm\n') == ","
    assert delimiter("Berth;Fee\nNorth 1;1,204\nNorth 2;904\n") == ";"
    assert delimiter("Berth,Fee\nNorth 1,204\nNorth 2,904\n") == ","


@pytest.mark.parametrize(("mark", "stated"), [("^", ""), ("~", ""), ("#", '"#"')])
def test_rare_delimiters_are_found_or_stated(mark: str, stated: str, tmp_path: Path) -> None:
    lines = ["Sailing", "N1", "N2", "N3"], ["Ship", "Gull", "Tern", "Skua"], ["Cars", "12", "7", "9"]
    written(tmp_path / "x.dat", "".join(mark.join(line) + "\n" for line in zip(*lines, strict=True)))
    text = f"text = {{ delimiter = {stated} }}" if stated else ""
    written(
        tmp_path / "p.toml",
        f'kebrin = 1\n[table.t]\nfiles = "x.dat"\n{text}\n[[output]]\ntable = "t"\nfile = "o.csv"\n',
    )
    assert rows(kb.load_plan(tmp_path / "p.toml").run())[0] == ["N1", "Gull", 12.0]


def test_a_stated_encoding_beats_a_found_one_and_is_held_to(tmp_path: Path) -> None:
    plan = 'kebrin = 1\n[table.t]\nfiles = "x.csv"\ntext = {{ encoding = "{}" }}\n[[output]]\ntable = "t"\nfile = "o.csv"\n'
    (tmp_path / "x.csv").write_bytes("Gäste;Boote\nÄste;4\nÖre;5\nÜrd;6\n".encode("cp850"))
    written(tmp_path / "p.toml", plan.format("cp850"))
    assert rows(kb.load_plan(tmp_path / "p.toml").run())[0][0] == "Äste"
    written(tmp_path / "p.toml", plan.format("utf-8"))
    with pytest.raises(kb.SourceError, match="line 1: the text is cut or damaged: it is said to be UTF-8"):
        kb.load_plan(tmp_path / "p.toml").run()


# --- pages --------------------------------------------------------------------------------------------------------


def test_spans_feet_marks_and_hidden_rows_of_a_page(tmp_path: Path) -> None:
    page = """<html><body><table><tr><td>Menu</td><td>
    <table><caption>Dues</caption><tfoot><tr><th>Total</th><td>$</td><td>2,110</td><td>(40)</td></tr></tfoot>
    <tr><th rowspan=2>Berth</th><th colspan=3>2031</th></tr><tr><th colspan=2>Q1</th><th>Q2</th></tr>
    <tr><td>North<br>1</td><td>$</td><td>1,204<sup>a</sup></td><td>310</td></tr>
    <tr style="display:none"><td>Secret</td><td>$</td><td>9</td><td>9</td></tr>
    <tr><td>&nbsp;North&nbsp;2</td><td>$</td><td>906</td><td>(350)</td></tr></table>
    <p>a Estimated.</p></td></tr></table></body></html>"""
    run = kb.tidy(written(tmp_path / "dues.xls", page))
    assert rows(run) == [
        ["North 1", "Q1", 1204.0],
        ["North 1", "Q2", 310.0],
        ["North 2", "Q1", 906.0],
        ["North 2", "Q2", -350.0],
    ]
    said = " ".join(remark.what for remark in run.proof.remarks)
    assert "its name ends in .xls, and it is a page" in said
    assert "1 of its rows and cells are hidden, and were passed over" in said
    assert run.holds


def test_a_table_each_of_several_on_a_page(tmp_path: Path) -> None:
    def table(caption: str, head: str, *lines: str) -> str:
        body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in line.split('|'))}</tr>" for line in (head, *lines))
        return f"<table><caption>{caption}</caption>{body}</table>"

    page = (
        table("Foot", "Quay|Jan|Feb", "East|1|2", "West|3|4")
        + "<p>and</p>"
        + table("Ships", "Ship|Built", "Gull|1999", "Tern|2004")
    )
    run = kb.tidy(written(tmp_path / "x.html", f"<html><body>{page}</body></html>"))
    assert list(run.tables) == ["Foot", "Ships"]
    assert len(rows(run, "Foot")) == 4


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [("x.html", b"<html><body><p>Nothing here</p></body></html>", "the page has no table"),
     ("x.pdf", b"%PDF-1.4\nbroken", "the PDF is cut short or damaged"),
     ("x.ods", None, "cut short or damaged"),
     ("x.dat", b"\0\1\2\3" * 40, "this is no report that can be read")],
)  # fmt: skip
def test_what_can_not_be_read_is_told(
    name: str, content: bytes | None, said: str, tmp_path: Path, kebrin: Kebrin
) -> None:
    whole = kb.demo_file("fuel.ods").read_bytes()
    (tmp_path / name).write_bytes(whole[: len(whole) // 2] if content is None else content)
    result = kebrin("tidy", name, "-o", "out.csv")
    assert result.returncode == 3
    assert said in result.stderr
    assert "Traceback" not in result.stderr
    assert not list(tmp_path.glob("out*"))


# --- spreadsheet documents ----------------------------------------------------------------------------------------

FLAT = """<?xml version="1.0" encoding="UTF-8"?>
<office:document xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"
 xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0">
<office:body><office:spreadsheet><table:table table:name="Log">
<table:table-row><table:table-cell office:value-type="string"><text:p>Day</text:p></table:table-cell>
<table:table-cell office:value-type="string"><text:p>Share</text:p></table:table-cell>
<table:table-cell office:value-type="string"><text:p>Fee<office:annotation><text:p>see above</text:p></office:annotation></text:p>
</table:table-cell></table:table-row>
<table:table-row table:number-rows-repeated="2">
<table:table-cell office:value-type="date" office:date-value="2031-04-01"><text:p>1 April</text:p></table:table-cell>
<table:table-cell office:value-type="percentage" office:value="0.25"><text:p>25%</text:p></table:table-cell>
<table:table-cell office:value-type="currency" office:value="12.5"><text:p>12.50</text:p></table:table-cell></table:table-row>
<table:table-row table:number-rows-repeated="1048000"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
</table:table></office:spreadsheet></office:body></office:document>"""


def test_a_flat_document_with_a_million_blank_rows(tmp_path: Path) -> None:
    sheet = read(written(tmp_path / "log.fods", FLAT))["Log"]
    assert sheet.shape == (3, 3)
    assert [str(value) for value in sheet.values[2]] == ["2031-04-01", "0.25", "12.5"]
    assert sheet.text(0, 2) == "Fee"


def test_a_locked_document_is_told(tmp_path: Path) -> None:
    path = tmp_path / "x.ods"
    with zipfile.ZipFile(path, "w") as package:
        package.writestr("content.xml", "")
        package.writestr("META-INF/manifest.xml", "<m><encryption-data/></m>")
    with pytest.raises(kb.SourceError, match="locked with a password"):
        kb.read(path)


# --- PDF ----------------------------------------------------------------------------------------------------------


def pdf(path: Path, lines: list[list[str]], style: list[tuple[Any, ...]] | None = None) -> Path:
    SimpleDocTemplate(str(path)).build([Table(lines, style=style or [])])
    return path


def test_cells_of_several_lines_in_a_pdf_are_one_cell(tmp_path: Path) -> None:
    lines = [
        ["Round", "Depot", "Taken"],
        ["1", "Skarrow", "12"],
        ["2", "Wick\nof Ness", "15"],
        ["3", "Hallan", "9"],
        ["4", "Brae", "7"],
    ]
    found = rows(kb.tidy(pdf(tmp_path / "x.pdf", lines)))
    assert [" ".join(str(row[1]).split()) for row in found] == ["Skarrow", "Wick of Ness", "Hallan", "Brae"]


def test_labels_below_their_rows_are_asked_about(tmp_path: Path) -> None:
    lines = [
        ["Harbour", "Berth", "Jan", "Feb"],
        ["", "N1", "10", "12"],
        ["Skarrow", "N2", "20", "22"],
        ["", "S1", "30", "32"],
        ["Hallan", "S2", "40", "42"],
    ]
    run = kb.tidy(pdf(tmp_path / "x.pdf", lines))
    assert run.proof.headline != "Proved: nothing was lost"
    assert any("has no label above row" in one.what for one in run.proof.questions)


def test_keys_below_one_another_in_a_pdf_are_fields(tmp_path: Path) -> None:
    page = Canvas(str(tmp_path / "x.pdf"))
    lines = ["Harbour: Skarrow", "Quarter: Q2", "", "Vessel Calls", "Gull 12", "Tern 9", "Skua 7"]
    for at, line in enumerate(lines):
        words = [line] if at < 2 else line.split()
        for place, word in enumerate(words):
            page.drawString(60 + 120 * place, 780 - (14 * at if at < 3 else 20 * at), word)
    page.save()
    (table,) = kb.tidy(tmp_path / "x.pdf").tables.values()
    assert table.columns[:2] == ("Harbour", "Quarter")
    assert len(table) == 3


def test_a_pdf_of_pictures_is_told(tmp_path: Path) -> None:
    from reportlab.pdfgen.canvas import Canvas

    canvas = Canvas(str(tmp_path / "x.pdf"))
    canvas.rect(10, 10, 300, 300)
    canvas.save()
    with pytest.raises(kb.SourceError, match="holds no text: its pages are pictures"):
        kb.read(tmp_path / "x.pdf")


# --- the way back -------------------------------------------------------------------------------------------------


def test_trace_points_at_the_letters_of_a_print_report(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", demo / "dues.prn", "-o", "dues.csv").returncode == 0
    shown = kebrin("trace", "dues.csv", 3, "Dues").stdout.splitlines()
    (line,) = [one for one in shown if one.strip().startswith("line 10")]
    mark = shown[shown.index(line) + 1]
    assert line[mark.index("^") : mark.rindex("^") + 1] == "2,459.24"
    assert "Fulmar" in line


def test_trace_says_the_page_of_a_pdf(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", demo / "tides.pdf", "-o", "tides.csv").returncode == 0
    found = json.loads(kebrin("trace", "tides.csv", 1, "--json").stdout)
    assert found["where"] == "page 1"
    assert found["said"] in found["line"]


def test_the_second_of_two_equal_figures_in_a_line_is_the_one_pointed_at(tmp_path: Path, kebrin: Kebrin) -> None:
    text = "Lane        Q1       Q2\nLane 37     12       12\nLane 31     18       35\nLane 30     19       36\n"
    written(tmp_path / "x.prn", text)
    assert kebrin("tidy", "x.prn", "-o", "x.csv").returncode == 0
    shown = kebrin("trace", "x.csv", 2).stdout.splitlines()
    (line,) = [one for one in shown if one.strip().startswith("line 2")]
    assert shown[shown.index(line) + 1].index("^") == line.rindex("12")


@pytest.mark.parametrize("turn", [90, 180, -90])
def test_pages_of_a_pdf_that_are_turned_are_read_as_they_are_shown(tmp_path: Path, turn: int) -> None:
    canvas = Canvas(str(tmp_path / "x.pdf"), pagesize=(600, 600))
    canvas.setPageRotation(turn % 360)
    canvas.translate(300, 300)
    canvas.rotate(turn)
    canvas.translate(-300, -300)
    for at, line in enumerate(
        [["Port", "Jan", "Feb"], ["Skarrow", "12", "14"], ["Hallan", "3", "5"], ["Total", "15", "19"]]
    ):
        canvas.drawString(100, 500 - 20 * at, line[0])
        canvas.drawRightString(240, 500 - 20 * at, line[1])
        canvas.drawRightString(320, 500 - 20 * at, line[2])
    canvas.showPage()
    canvas.save()
    assert [row[-1] for row in rows(kb.tidy(tmp_path / "x.pdf"))] == [12, 14, 3, 5]


def test_marks_in_cells_of_their_own_go_with_the_figures_on_their_side(tmp_path: Path) -> None:
    def page(*lines: str) -> list[list[Any]]:
        cells = "".join(f"<tr>{''.join(f'<td>{one}</td>' for one in line.split('|'))}</tr>" for line in lines)
        return rows(kb.tidy(written(tmp_path / "x.html", f"<table>{cells}</table>")))

    found = [["Skarrow", 1204, -45], ["Brae", 88, 3]]
    assert page("Harbour|Dues||Fines|", "Skarrow|kr|1,204|kr|(45)", "Brae|kr|88|kr|3") == found
    assert page("Harbour|Dues||Fines|", "Skarrow|1,204|€|(45)|€", "Brae|88|€|3|€") == found


def test_a_grid_drawn_with_signs_is_a_table(tmp_path: Path) -> None:
    line, heads = "+---------+------+------+\n", "| Harbour | 2030 | 2031 |\n"
    text = f"{line}{heads}{line.replace('-', '=')}| Skarrow |   12 |   14 |\n| Hallan  |  940 |  871 |\n{line}"
    assert [row[-1] for row in rows(kb.tidy(written(tmp_path / "x.txt", text)))] == [12, 14, 940, 871]


def test_totals_marked_by_asterisks_and_continued_heads_are_read(tmp_path: Path) -> None:
    head = "DUES {}\n\nBERTH   VESSEL              CALLS      FINES\n------  ------------------  -----  ---------\n"
    text = head.format("PAGE 1") + (
        "HARBOUR: SKARROW\nA1      Gull                   12        .00\n        Skua                    4      45.00-\n"
        "        ** BERTH A1            16      45.00-\n** SKARROW                     16      45.00-\n"
        "HARBOUR: HALLAN\nB1      Gull                    3        .00\n" + head.format("PAGE 2")
        + "HARBOUR: HALLAN (CONTINUED)\nB2      Auk                     9      12.00\n"
        "** HALLAN                      12      12.00\n*** GRAND TOTAL                28      33.00-\nEND OF REPORT   4 RECORDS\n"
    )  # fmt: skip
    run = kb.tidy(written(tmp_path / "x.prn", text))
    assert run.holds
    assert [row[:3] + row[-1:] for row in rows(run) if row[3] == "FINES"] == [
        ["SKARROW", "A1", "Gull", 0.0], ["SKARROW", "A1", "Skua", -45.0],
        ["HALLAN", "B1", "Gull", 0.0], ["HALLAN", "B2", "Auk", 12.0],
    ]  # fmt: skip


def test_a_field_beside_the_page_number_is_that_of_its_page(tmp_path: Path) -> None:
    text = "".join(
        f"VESSEL: {vessel}                              PAGE {page}\nDATE        PORT       FOOT    CARS\n"
        f"2031-04-01  {port:<8} {foot:>6}{cars:>8}\n2031-04-02  HALLAN   {foot + 1:>6}{cars + 1:>8}\n"
        f"VESSEL TOTAL         {2 * foot + 1:>6}{2 * cars + 1:>8}\n\f\n"
        for page, vessel, port, foot, cars in ((1, "GULL", "SKARROW", 120, 44), (2, "TERN", "BRAE", 80, 22))
    )
    run = kb.tidy(written(tmp_path / "x.prn", text))
    assert run.holds
    assert [row[:3:2] + row[-1:] for row in rows(run)] == [
        ["GULL", "SKARROW", 120], ["GULL", "SKARROW", 44], ["GULL", "HALLAN", 121], ["GULL", "HALLAN", 45],
        ["TERN", "BRAE", 80], ["TERN", "BRAE", 22], ["TERN", "HALLAN", 81], ["TERN", "HALLAN", 23],
    ]  # fmt: skip


def test_tables_of_a_page_are_told_apart_by_what_stands_above_them(tmp_path: Path) -> None:
    body = "<tr><th>Port</th><th>Foot</th><th>Cars</th></tr><tr><td>{}</td><td>10</td><td>1</td></tr>"
    body += "<tr><td>B</td><td>2</td><td>3</td></tr>"
    sides = (("North", "Skarrow"), ("South", "Hallan"))
    page = "".join(f"<h2>{side}</h2><table>{body.format(port)}</table>" for side, port in sides)
    found = rows(kb.tidy(written(tmp_path / "x.html", page)))
    assert [row[:2] for row in found if row[1] != "B"] == [["North", "Skarrow"]] * 2 + [["South", "Hallan"]] * 2


def test_a_table_of_labels_and_what_they_say_is_fields_of_the_next(tmp_path: Path) -> None:
    fields = "<table><tr><th>Vessel</th><td>Gull</td></tr><tr><th>Port</th><td>Skarrow</td></tr></table>"
    body = "<tr><th>Fish</th><th>Boxes</th><th>Kilos</th></tr><tr><td>Cod</td><td>12</td><td>480</td></tr>"
    body += "<tr><td>Sole</td><td>7</td><td>210</td></tr>"
    run = kb.tidy(written(tmp_path / "x.html", f"{fields}<table>{body}</table>"))
    (table,) = run.tables.values()
    assert run.holds
    assert {"Vessel", "Port", "Fish"} < set(table.columns)
