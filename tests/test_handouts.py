"""Hand-outs: what they say is the table, on every page with its headings; several parts have contents; bad input gets a word."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pytest
from lxml import html
from pdfminer.high_level import extract_text

import kebrin as kb
from kebrin.deliver.writing.books import Page
from kebrin.deliver.writing.handouts import About, write_handout
from kebrin.errors import OutputError
from kebrin.table import Table

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

PLAN = """
kebrin = 1
[table.fees]
files = "fees.csv"
[table.fees.layout]
starts = "Quay"
boxhead = ["month"]
stub = ["Quay", "Berth"]
measure = "fee"
blanks = "keep"
"""
FEES = "Quay,Berth,Jan,Feb\nSkarrow,North,12.5,13\nSkarrow,South,7,8\nHallan <b>,Inner,3,4\nHallan <b>,Outer,5,\n"


def ran(folder: Path, outputs: str) -> tuple[Any, ...]:
    (folder / "fees.csv").write_text(FEES)
    (folder / "p.toml").write_text(PLAN + outputs)
    return kb.load_plan(folder / "p.toml").run().write()


def test_a_pdf_for_each_value_says_its_rows_and_totals(tmp_path: Path) -> None:
    ran(
        tmp_path,
        '[[output]]\ntable="fees"\nfile="h/{value}.pdf"\nby="Quay"\nheading=true\nletterhead="Ferry Board\\nDues"\n',
    )
    assert {path.name for path in (tmp_path / "h").glob("*.pdf")} == {"Skarrow.pdf", "Hallan_b.pdf"}
    said = extract_text(str(tmp_path / "h" / "Skarrow.pdf"))
    for words in ("Ferry Board", "Dues", "Skarrow", "North", "12.5", "Total", "40.5", "page 1 of 1", "From fees.csv"):
        assert words in said
    assert "Hallan <b>" in extract_text(str(tmp_path / "h" / "Hallan_b.pdf"))
    proof = json.loads((tmp_path / "h" / "Skarrow.pdf.proof.json").read_text())
    assert proof["holds"]


def test_parts_in_one_file_have_contents(tmp_path: Path) -> None:
    ran(tmp_path, '[[output]]\ntable="fees"\nfile="all.html"\nby="Quay"\nheading=true\nchart="month"\n')
    root: Any = html.document_fromstring((tmp_path / "all.html").read_text())
    links = root.xpath("//nav//a")
    assert [one.text for one in links] == ["Skarrow", "Hallan <b>"]
    assert all(root.xpath(f"//*[@id='{one.get('href')[1:]}']") for one in links)
    rows = root.xpath("//section[1]//tbody/tr")
    assert [one.text for one in rows[0]] == ["North", "Jan", "12.5"]
    assert [one.text for one in root.xpath("//section[1]//tfoot//td")] == ["Total", None, "40.5"]
    assert root.xpath("//img/@alt")[0].startswith("fee by month: Jan")
    assert "1 of 4 have no fee" in root.text_content()
    assert not root.xpath("//script")


def test_a_long_table_says_its_headings_on_each_page(tmp_path: Path) -> None:
    data = pa.table({"port": [f"Port {at}" for at in range(2_500)], "cars": [float(at) for at in range(2_500)]})
    write_handout([Page("long", Table(data, ("cars",)))], tmp_path / "x.pdf", About("long"), kind=".pdf")
    said = extract_text(str(tmp_path / "x.pdf"), page_numbers=[0, 20])
    pages = said.split("\f")
    assert all("port" in page and "cars" in page for page in pages[:2])
    assert "page 21 of" in pages[1]
    assert "3,123,750" in extract_text(str(tmp_path / "x.pdf"), page_numbers=range(30, 60))


@pytest.mark.parametrize("said", ["Łódź port", "Порт", "λιμάνι"])
def test_other_letters_are_written_with_a_font_that_has_them(tmp_path: Path, said: str) -> None:
    table = Table(pa.table({"port": [said, "Brae"], "cars": [1.0, 2.0]}), ("cars",))
    write_handout([Page(said, table)], tmp_path / "x.pdf", About(said), kind=".pdf")
    assert said in extract_text(str(tmp_path / "x.pdf"))


def test_what_can_not_be_written_gets_a_clear_word(tmp_path: Path) -> None:
    table = Table(pa.table({"port": ["港口", "Brae"], "cars": [1.0, 2.0]}), ("cars",))
    with pytest.raises(OutputError, match="is in no font"):
        write_handout([Page("x", table)], tmp_path / "x.pdf", About("x"), kind=".pdf")
    write_handout([Page("x", table)], tmp_path / "x.html", About("x"), kind=".html")
    many = Table(pa.table({"cars": pa.array([1.0] * 50_001)}), ("cars",))
    with pytest.raises(OutputError, match="a hand-out is for people"):
        write_handout([Page("x", many)], tmp_path / "x.html", About("x"), kind=".html")
    with pytest.raises(kb.PlanError, match="letterhead and chart are those of a hand-out"):
        ran(tmp_path, '[[output]]\ntable="fees"\nfile="x.csv"\nchart="month"\n')


def test_check_says_what_is_installed_and_that_it_works(kebrin: Kebrin) -> None:
    done = kebrin("check")
    assert done.returncode == 0, done.stdout
    assert "It works here" in done.stdout
    assert "reads PDF: pdfminer.six" in done.stdout
    plain = json.loads(kebrin("check", "--json").stdout)
    assert plain["works"]
    assert plain["extras"]["pictures"]
