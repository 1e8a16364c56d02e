"""Tables under one another and beside one another, and what stands among records or beside them: parted, or objected to."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from settling import open_findings

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

VESSELS = [["Name", "Cars", "Crew"], ["Skarrow Star", 120, 14], ["Hallan Queen", 180, 18]]
BERTHS = [
    ["Harbour", "Berth", "Depth", "Crane"],
    ["Skarrow", "A1", 6.5, "yes"],
    ["Skarrow", "A2", 5, "no"],
    ["Brae", "B1", 7.1, "yes"],
]


def tidied(path: Path, rows: Sequence[Any]) -> kb.Run:
    return kb.tidy(write_book(path / "r.xlsx", {"Sheet1": rows}))


def objections(done: kb.Run) -> str:
    return " ".join(what for proof in done.proofs.values() for what in proof.failures)


def test_lists_under_one_another_with_titles_are_two_tables(tmp_path: Path) -> None:
    done = tidied(tmp_path, [["Vessels"], *VESSELS, [], ["Berths"], *BERTHS])
    first, second = done.tables.values()
    assert len(first) == 4
    assert second.columns == ("Harbour", "Berth", "Depth", "Crane")
    assert second.to_arrow()["Depth"].to_pylist() == [6.5, 5, 7.1]
    assert all(proof.holds for proof in done.proofs.values())


@pytest.mark.parametrize("between", [[[]], [["Berths"]]])
def test_headings_among_records_are_never_proved(tmp_path: Path, between: list[Any]) -> None:
    said = objections(tidied(tmp_path, [["Vessels"], *VESSELS, *between, *BERTHS]))
    assert "'Harbour' is a record, holds words where figures stand above and below, and may head another table" in said


def test_a_title_among_records_of_words_is_never_proved(tmp_path: Path) -> None:
    rows = [["Name", "Home", "Class"], ["Star", "Hallan", "B-2"], ["Queen", "Skarrow", "B-1"], [], ["Berths"],
            ["Harbour", "Berth", "Crane"], ["Skarrow", "A1", "yes"], ["Hallan", "B1", "no"]]  # fmt: skip
    assert "'Berths' is a record, stands alone behind a gap" in objections(tidied(tmp_path, rows))


def test_a_section_whose_first_record_has_no_figure_is_no_table_of_its_own(tmp_path: Path) -> None:
    rows = [["Harbour", "Berth", "Depth", "Crane"], ["North"], ["Skarrow", "A1", 6.5, "yes"], ["Skarrow", "A2", 5, "no"], [],
            ["South"], ["Hallan", "B1", "unknown", "yes"], ["Tambwick", "B2", 5.5, "no"]]  # fmt: skip
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert table.to_arrow()["section"].to_pylist() == ["North", "North", "South", "South"]
    assert not objections(done)


def test_a_column_without_a_heading_is_no_column_of_notes(tmp_path: Path) -> None:
    rows = [["Name", "Cars", "Crew"], ["Gull", 120, 14, "yes"], ["Tern", 180, 18, "no"], ["Skua", 80, 9, "yes"]]
    done = tidied(tmp_path, rows)
    assert "column D stands beside 3 of 3 rows without a heading and is in no table" in objections(done)
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\n[table.t.layout]\nleave_out = "column D"\n'
    )
    assert kb.load_plan(tmp_path / "p.toml").run().proofs["t"].holds


def test_a_note_beside_one_row_is_one(tmp_path: Path) -> None:
    rows = [["Name", "Cars", "Crew"], ["Gull", 120, 14], ["Tern", 180, 18, "counted twice"], ["Skua", 80, 9]]
    assert all(proof.holds for proof in tidied(tmp_path, rows).proofs.values())


def test_days_of_a_roster_stay_together(tmp_path: Path) -> None:
    days = ["Mon", "Tue", "Wed", "Thu"]
    rows = [["Name", *days, "Hours"], ["Brandvik", "E", "L", "N", "off", 32], ["Toller", "L", "N", "E", "E", 40]]
    (table,) = tidied(tmp_path, rows).tables.values()
    assert len(table) == 2
    assert table.columns == ("Name", *days, "Hours")


def test_tables_of_other_periods_stand_beside_one_another(tmp_path: Path) -> None:
    rows = [
        ["Quay", "Jan", "Feb", "Vessel", "2030", "2031"],
        ["East", 1, 2, "Gull", 30, 31],
        ["West", 3, 4, "Tern", 50, 60],
    ]
    first, second = tidied(tmp_path, rows).tables.values()
    assert (first.columns[0], second.columns[0]) == ("Quay", "Vessel")


@pytest.mark.parametrize(
    "values",
    [["4.9k", "3.7k", "0.8m", "1.1k"], ["£5.7m", "£638", "£3.2m", "£12"]],
    ids=["beside k", "behind a currency"],
)
def test_metres_that_may_be_millions_are_asked_about(tmp_path: Path, values: list[str]) -> None:
    rows = [["Harbour", "Takings"], *([name, value] for name, value in zip(["A", "B", "C", "D"], values, strict=True))]
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert values[2] in table.to_arrow()["Takings"].to_pylist()
    assert any(remark.kind == "question" for proof in done.proofs.values() for remark in proof.remarks)


def test_metres_among_metres_are_metres(tmp_path: Path) -> None:
    rows = [["Harbour", "Depth"], ["A", "4.9 m"], ["B", "3.7 m"], ["C", "0.8 m"]]
    (table,) = tidied(tmp_path, rows).tables.values()
    assert table.to_arrow()["Depth"].to_pylist() == [4.9, 3.7, 0.8]


def test_a_line_drawn_under_headings_is_no_row(tmp_path: Path) -> None:
    path = tmp_path / "r.txt"
    path.write_text(
        "| Harbour | Cars | Foot |\n|---------|-----:|-----:|\n| Brae | 1,200 | 40 |\n| Hallan | 13 | 44 |\n"
    )
    (table,) = kb.tidy(path).tables.values()
    assert table.to_arrow()["value"].to_pylist() == [1200, 40, 13, 44]


def test_three_dashes_are_marks_for_what_is_missing(tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    path.write_text("Harbour,Cars,Foot\nBrae,1,2\n,---,---\nHallan,3,4\n")
    assert sum(proof.cells for proof in kb.tidy(path).proofs.values()) == 11


@pytest.mark.parametrize("head", ["# as counted\n", ""])
def test_lines_behind_the_sign_that_a_text_begins_with_are_comments(tmp_path: Path, head: str) -> None:
    path = tmp_path / "r.csv"
    path.write_text(f"{head}harbour,cars\nBrae,1\n# late\nHallan,3\nOrlden,4\n")
    done = kb.tidy(path)
    (table,) = done.tables.values()
    assert table.to_arrow()["cars"].to_pylist() == [1, 3, 4]
    (proof,) = done.proofs.values()
    assert not proof.questions
    assert proof.cells == (10 if head else 9)


def test_totals_among_the_labels_of_a_list_are_left_out(tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    path.write_text(
        "region,harbour,cars\nNorth,Brae,1200\nNorth,Hallan,3100\nNorth,Total,4300\n"
        "South,Orlden,700\nSouth,Tarn,900\nSouth,Total,1600\nAll,,5900\n"
    )
    done = kb.tidy(path)
    (table,) = done.tables.values()
    assert table.to_arrow()["cars"].to_pylist() == [1200, 3100, 700, 900]
    assert all(proof.holds for proof in done.proofs.values())


def test_a_total_that_does_not_add_up_among_the_words_of_a_list_is_never_proved(tmp_path: Path) -> None:
    rows = [
        ["Ticket", "Port", "Cars", "State"],
        ["S1", "Brae", 5, "open"],
        ["S2", "Wick", 7, "shut"],
        ["S3", "Total", 46, "open"],
    ]
    assert "'Total' is called a total" in objections(tidied(tmp_path, rows))


def test_labels_before_a_gap_are_no_notes(tmp_path: Path) -> None:
    body = [
        ["Vessel", None, "Calls", "Dues"],
        ["Gull", None, 12, 120.5],
        ["Tern", None, 4, 31],
        ["Skua", None, 7, 51.25],
    ]
    done = tidied(tmp_path, [*body, ["End of report", "3 records"]])
    (table,) = done.tables.values()
    assert table.columns[0] == "Vessel"
    assert done.holds


def test_columns_between_periods_speak_of_these_and_not_of_the_whole_row(tmp_path: Path) -> None:
    rows = [
        ["Rank", "2030", "of which women %", "2031", "of which women %"],
        ["Master", 10, 20, 11, 30],
        ["Mate", 11, 21, 12, 31],
    ]
    done = tidied(tmp_path, rows)
    assert len(list(open_findings(done))) == 2
    (table,) = done.tables.values()
    assert table.columns == ("Rank", "2030", "of which women %", "2031", "of which women % 2")


def test_numbers_of_notes_speak_of_their_own_rows(tmp_path: Path) -> None:
    done = tidied(
        tmp_path,
        [
            ["Harbour", "Note", "2030", "2031"],
            ["Skarrow", None, 12, 14],
            ["Hallan", 1, 22, 25],
            ["Brae", 2, 9, 8],
            ["Wick", None, 7, 8],
        ],
    )
    (table,) = done.tables.values()
    assert done.holds
    assert table.to_arrow()["Note"].to_pylist() == [None, None, "1", "1", "2", "2", None, None]


def test_blocks_in_two_rows_and_two_columns_are_four(tmp_path: Path) -> None:
    def pair(north: str, south: str, *lines: list[Any]) -> list[list[Any]]:
        heads = ["Harbour", 2030, 2031]
        return [[north, None, None, None, south], [*heads, None, *heads], *([*line, None, *line] for line in lines)]

    done = tidied(
        tmp_path,
        [
            *pair("North, foot", "North, cars", ["Skarrow", 10, 12], ["Brae", 20, 22]), [],
            *pair("South, foot", "South, cars", ["Hallan", 30, 32], ["Wick", 40, 42]),
        ],
    )  # fmt: skip
    (table,) = done.tables.values()
    assert done.holds
    assert len(table) == 16
    assert set(table.to_arrow()["title"].to_pylist()) == {"North, foot", "North, cars", "South, foot", "South, cars"}


def test_codes_of_letters_and_digits_tell_parents(tmp_path: Path) -> None:
    rows = [
        ["Code", "Item", "2030", "2031"], ["A", "Income", 150, 170], ["A1", "Fares", 100, 110], ["A2", "Freight", 50, 60],
        ["B", "Costs", 120, 130], ["B1", "Fuel", 70, 75], ["B2", "Crew", 50, 55],
    ]  # fmt: skip
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert done.holds
    assert dict(zip(table.to_arrow()["Code"].to_pylist(), table.to_arrow()["section"].to_pylist(), strict=True)) == {
        "A1": "Income", "A2": "Income", "B1": "Costs", "B2": "Costs",
    }  # fmt: skip


def test_pairs_above_a_gap_are_fields_and_no_headings(tmp_path: Path) -> None:
    rows = [["Vessel", "Gull", "Port", "Skarrow"], ["Licence", "L-0042", "Day", "2031-04-03"], []]
    done = tidied(tmp_path, [*rows, ["Species", "Boxes", "Kilos"], ["Cod", 12, 480], ["Haddock", 7, 210]])
    (table,) = done.tables.values()
    assert done.holds
    assert {"Vessel", "Port", "Licence", "Day", "Species"} < set(table.columns)


@pytest.mark.parametrize(
    "heads",
    [
        lambda port, page: [[f"Harbour: {port}", f"Page {page}"]],
        lambda port, page: [[f"Dues, {port}", f"Page {page} of 2"]],
        lambda port, page: [[f"Dues, {port}"], [f"Page {page}"]],
    ],
)
def test_what_a_page_is_of_is_no_page_number(tmp_path: Path, heads: Any) -> None:
    rows = []
    for page, port in enumerate(("Skarrow", "Hallan"), start=1):
        rows += [*heads(port, page), ["Vessel", "Foot", "Cars"], ["Gull", 120 * page, 44], ["Tern", 131 * page, 40]]
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert done.holds
    first, *_, last = table.to_arrow().to_pylist()
    assert "Skarrow" in next(iter(first.values()))
    assert "Hallan" in next(iter(last.values()))


@pytest.mark.parametrize("mark", ['"', "do.", "〃"])
def test_ditto_marks_say_what_stands_above_them(tmp_path: Path, mark: str) -> None:
    rows = [
        ["Region", "Harbour", "Calls"],
        ["North", "Skarrow", 12],
        [mark, "Brae", 9],
        [mark, "Noup", 3],
        ["South", "Wick", 7],
    ]
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert table.to_arrow()["Region"].to_pylist() == ["North", "North", "North", "South"]
    assert any("2 ditto marks" in one.what for one in done.proof.remarks)
    long = tmp_path / "long.csv"
    lines = ["region;harbour;calls"] + [f"{mark if at % 2 else 'North'};Pier {at};{at}" for at in range(9)]
    long.write_text("\n".join(lines).replace('"', '""""'))
    (table,) = kb.tidy(long).tables.values()
    assert set(table.to_arrow()["region"].to_pylist()) == {"North"}


def test_columns_that_go_on_beside_are_one_table(tmp_path: Path) -> None:
    rows = [
        ["Harbour", "2030", "2031", "Harbour (cont.)", "2030", "2031"],
        ["Skarrow", 12, 14, "Wick", 7, 8],
        ["Brae", 9, 8, "Noup", 3, 4],
    ]
    (table,) = tidied(tmp_path, rows).tables.values()
    assert sorted(set(table.to_arrow()["Harbour"].to_pylist())) == ["Brae", "Noup", "Skarrow", "Wick"]


def test_labels_that_go_on_over_two_rows_are_asked_about(tmp_path: Path) -> None:
    done = tidied(tmp_path, [["Route", "Foot", "Cars"], ["North", 10, 1], ["Loop"], ["Outer", 20, 2], ["Sound"]])
    assert any("go on over two rows" in one.what for one in done.proof.questions)


@pytest.mark.parametrize(
    "said", [["see page 3"], ["Page 3"], ["see page 3", "see page 7"], ["Page 1", "Page 2", "Page 3"]]
)
def test_a_record_that_speaks_of_a_page_is_a_record(tmp_path: Path, said: list[str]) -> None:
    rows = [["Vessel", "Paper", "Where"], ["Gull", "Radio", "binder"]]
    rows += [[f"Tern {at}", "Deck", where] for at, where in enumerate(said)] + [["Skua", "Engine", "shelf"]]
    done = tidied(tmp_path, rows)
    (table,) = done.tables.values()
    assert len(table) == len(said) + 2
    assert table.to_arrow()["Where"].to_pylist() == ["binder", *said, "shelf"]
