"""Print reports whose records take several lines, and what a plan states of a text that its reader can't see."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from kebrin.deliver.tracing import trace
from kebrin.sources import read
from kebrin.sources.stated import StatedText

if TYPE_CHECKING:
    from pathlib import Path

CALLS = """\
SKARROW ISLES FERRY BOARD      CALLS REGISTER        PAGE 1

Call   Vessel            Berth   Arrived
       Agent              Dues   Cargo t
-----------------------------------------
C001   Gull                  3   2031-04-01
       Skarrow Lines    120.50         44.2
C002   Tern                  1   2031-04-01
       Ness & Sons       80.00         12.0
C003   Skua                  2   2031-04-02
       Skarrow Lines     44.25          8.5
C004   Gull                  3   2031-04-03
       Brae Marine      120.50         61.0
-----------------------------------------
TOTAL DUES              365.25
"""
DUES = """\
CALL  VESSEL     HARBOUR        DUES     CARGO
      MASTER     NEXT PORT      LIGHTS   PILOT
      REMARK

1001  Gull       Skarrow      120.50      44.2
      A. Holm    Ness          12.00      30.0
      none

1002  Tern       Hallan        80.00      12.0
      B. Rask    Brae           8.00       0.0
      late

1003  Skua       Ness          44.25       8.5
      C. Vik     Skarrow        4.40      15.0
      none

TOTAL                         244.75      64.7
                               24.40      45.0
"""


def rows_of(path: Path) -> list[dict[str, Any]]:
    run = kb.tidy(path)
    assert run.holds, run
    (table,) = run.tables.values()
    rows: list[dict[str, Any]] = table.data.to_pylist()
    return rows


def test_records_of_two_lines_are_rows_and_their_total_finds_its_line(tmp_path: Path) -> None:
    path = tmp_path / "calls.prn"
    path.write_text(CALLS)
    rows = rows_of(path)
    assert [tuple(map(str, row.values())) for row in rows][:2] == [
        ("C001", "Gull", "3.0", "2031-04-01", "Skarrow Lines", "120.5", "44.2"),
        ("C002", "Tern", "1.0", "2031-04-01", "Ness & Sons", "80.0", "12.0"),
    ]
    path.write_text(CALLS.replace("365.25", "365.26"))
    assert not kb.tidy(path).holds


def test_records_of_three_lines_with_blanks_between_them(tmp_path: Path) -> None:
    path = tmp_path / "dues.prn"
    path.write_text(DUES)
    rows = rows_of(path)
    names = ["CALL", "VESSEL", "HARBOUR", "DUES", "CARGO", "MASTER", "NEXT PORT", "LIGHTS", "PILOT", "REMARK"]
    assert list(rows[0]) == names
    assert list(rows[2].values()) == ["1003", "Skua", "Ness", 44.25, 8.5, "C. Vik", "Skarrow", 4.4, 15.0, "none"]


@pytest.mark.parametrize(
    "text",
    [
        "Port      Class      Jan     Feb\n          (seats)  (t)     (t)\n",  # what heads it, and its unit below it
        "Port      Class      Jan     Feb\n",
    ],
)
def test_labels_with_two_lines_of_figures_are_no_records_of_two_lines(tmp_path: Path, text: str) -> None:
    path = tmp_path / "two.prn"
    body = [f"{port:<10}Foot       {at:3}     {at + 3:3}\n          Cars        {at // 9:2}      {at // 8:2}\n"
            for at, port in ((120, "Skarrow"), (98, "Hallan"), (50, "Ness"))]  # fmt: skip
    path.write_text(text + "".join(body))
    sheet = read(path)["two"]
    assert (
        sum(bool(sheet.text(at, 0) or sheet.text(at, 1)) for at in range(sheet.shape[0])) == len(text.splitlines()) + 6
    )


def test_stated_columns_part_what_stands_close(tmp_path: Path) -> None:
    text = "Code NameFee\nA101 Brae 12\nA102 Wick  7\nA103Garth103\nA104 Ness 20\n"
    path = tmp_path / "close.txt"
    path.write_text(text)
    stated = StatedText(columns=((1, 4), (5, 9), (10, 12)))
    sheet = read(path, text=stated)["close"]
    assert [sheet.text(3, at) for at in range(3)] == ["A103", "Garth", "103"]
    plan = tmp_path / "close.plan.toml"
    plan.write_text(
        'kebrin = 1\n[table.fees]\nfiles = "close.txt"\ntext = { columns = ["1-4", "5-9", "10-12"] }\n'
        '[[output]]\ntable = "fees"\nfile = "out.csv"\n'
    )
    run = kb.load_plan(plan).run()
    assert run.holds
    assert [row["Fee"] for row in run.tables["fees"].data.to_pylist()] == [12, 7, 103, 20]
    run.write()
    found = trace(tmp_path / "out.csv", 3, "Fee")  # read again by what was stated
    assert (found.said, found.spot) == ("103", ("line 4", "A103Garth103"))
    assert re.search(r"<td class=v data-r=3 [^>]*>103", run.page())


def test_stated_sections_pages_and_lines_to_pass_over(tmp_path: Path) -> None:
    head = "Berth list of the Board\nBerth        Fee     Light\n"
    pages = [
        f"{head}QUAY Skarrow\nNorth      12.00      1.00\nSouth       7.00      2.00\n# printed at night\n",
        f"{head}QUAY Hallan\nInner       3.00      1.50\nOuter       4.00      2.50\n# printed at night\n",
    ]
    path = tmp_path / "berths.txt"
    path.write_text("".join(pages))
    report = read(path, text=StatedText(pages="Berth list", sections=("QUAY",), skip=("#",)))
    sheet = report["berths"]
    texts = [sheet.text(at, 0) for at in range(sheet.shape[0]) if sheet.text(at, 0)]
    assert texts == [
        "Berth list of the Board",
        "Berth",
        "QUAY Skarrow",
        "North",
        "South",
        "QUAY Hallan",
        "Inner",
        "Outer",
    ]
    assert sheet.told == (
        "page heads that say the same again, set aside: 1 (the first in lines 7 to 8: 'Berth list of the Board')",
        "lines passed over, as the plan states: 2",
    )


@pytest.mark.parametrize("text", [CALLS, "Vessel;Calls\nGull;3\nTern;4\n"])
def test_what_no_line_begins_with_is_told(tmp_path: Path, text: str) -> None:
    (tmp_path / "calls.txt").write_text(text)
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.calls]\nfiles = "calls.txt"\ntext = { skip = ["RUN DATE"] }\n'
        '[[output]]\ntable = "calls"\nfile = "out.csv"\n'
    )
    said = [remark.what for remark in kb.load_plan(tmp_path / "p.toml").run().proof.remarks]
    assert any("no line begins with 'RUN DATE', which the plan states in text" in one for one in said)


@pytest.mark.parametrize("stated", [StatedText(lines=3), StatedText(pages="Nowhere")])
def test_what_is_stated_without_effect_is_refused(tmp_path: Path, stated: StatedText) -> None:
    (tmp_path / "calls.prn").write_text(CALLS)
    with pytest.raises(kb.SourceError, match="has no effect"):
        read(tmp_path / "calls.prn", text=stated)["calls"]


@pytest.mark.parametrize(
    ("said", "why"),
    [('columns = ["1-4", "4-9"]', "overlap"), ('columns = ["4-1"]', "no place of a column"), ("lines = -1", "lines")],
)
def test_wrong_places_are_refused_with_their_key(tmp_path: Path, said: str, why: str) -> None:
    plan = tmp_path / "x.plan.toml"
    plan.write_text(f'kebrin = 1\n[table.t]\nfiles = "x.txt"\ntext = {{ {said} }}\n')
    with pytest.raises(kb.PlanError, match=why):
        kb.load_plan(plan)
