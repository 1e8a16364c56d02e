"""What names of files and sheets, titles and fields say becomes columns, named for what they are."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import pytest

import kebrin as kb
from building import write_book
from kebrin.grammar.periods import period_name
from kebrin.work.filenames import file_parts

if TYPE_CHECKING:
    from pathlib import Path

BODY = [["Quay", "Foot", "Cars"], ["East", 1, 2], ["West", 3, 4]]


@pytest.mark.parametrize(
    ("names", "parts"),
    [
        (["lifts_2031-04-01.csv", "lifts_2031-04-02.csv"], {"date": ["2031-04-01", "2031-04-02"]}),
        (["lifts 20310401.csv", "lifts 20310402.csv"], {"date": ["20310401", "20310402"]}),
        (["01.04.2031 lifts.csv", "02.04.2031 lifts.csv"], {"date": ["01.04.2031", "02.04.2031"]}),
        (["lifts_Apr2031.csv", "lifts_May2031.csv"], {"month": ["Apr2031", "May2031"]}),
        (["lifts-2031-03.csv", "lifts-2031-04.csv"], {"month": ["2031-03", "2031-04"]}),
        (["2031_mars.csv", "2031_avril.csv"], {"month": ["2031_mars", "2031_avril"]}),
        (["dues 2031-Q1.csv", "dues 2031-Q2.csv"], {"quarter": ["2031-Q1", "2031-Q2"]}),
        (["log 2031W07.csv", "log 2031W08.csv"], {"week": ["2031W07", "2031W08"]}),
        (["traffic_2030.csv", "traffic_2031.csv"], {"year": ["2030", "2031"]}),
        (["log_north.csv", "log_south.csv"], {"file": ["north", "south"]}),
        (["garth_2031-02.csv", "hallan_2031-02.csv"], {"place": ["garth", "hallan"]}),
        (["garth_2031-02.csv", "hallan_2031-03.csv"], {"place": ["garth", "hallan"], "month": ["2031-02", "2031-03"]}),
        (["2031-02 garth.csv", "2031-03 hallan.csv"], {"month": ["2031-02", "2031-03"], "place": ["garth", "hallan"]}),
    ],
)
def test_parts_of_file_names(names: list[str], parts: dict[str, list[str]]) -> None:
    found = file_parts(names)
    assert {part.name: [part.values[name] for name in names] for part in found} == parts
    assert [part.name for part in found] == list(parts)


def test_names_with_nothing_in_common_give_no_part() -> None:
    assert file_parts(["a.csv", "b.csv"]) == []
    assert file_parts(["only.csv"]) == []


@pytest.mark.parametrize(
    ("labels", "kind"),
    [
        (["Jan", "Feb", "Mar"], "month"), (["Q1", "Q2"], "quarter"), (["2029", "2030"], "year"), (["Mon", "Tue"], "weekday"),
        (["Januar", "Februar"], "month"), (["Foot", "Cars"], ""), (["Jan*", "Feb"], "month"), (["2030/31", "2031/32"], "year"),
    ],
)  # fmt: skip
def test_headings_are_named_for_what_they_are(labels: list[str], kind: str) -> None:
    assert (period_name(labels) or "") == kind


def test_the_parts_become_columns_and_a_plan_takes_them_again(tmp_path: Path) -> None:
    for harbour, month in (("garth", "2031-02"), ("hallan", "2031-03")):
        write_book(tmp_path / f"{harbour}_{month}.xlsx", {"Log": BODY})
    files = sorted(tmp_path.glob("*.xlsx"))
    (table,) = kb.tidy_reports(*files).tables.values()
    assert table.columns[:2] == ("place", "month")
    (drafted,) = kb.draft(*files, base=tmp_path).run().tables.values()
    assert drafted.to_arrow().equals(table.to_arrow())
    write_book(tmp_path / "skarrow_2031-04.xlsx", {"Log": BODY})
    plan = kb.draft(*files, base=tmp_path)
    assert 'files = "*.xlsx"' in plan.text or "garth" in plan.text


def stamped(tmp_path: Path, *heads: list[list[Any]]) -> kb.Table:
    """The table of sheets with something above the same body."""
    sheets = {f"S{at}": [*head, [""], *BODY] for at, head in enumerate(heads, 1)}
    (table,) = kb.tidy_reports(write_book(tmp_path / "r.xlsx", sheets)).tables.values()
    return table


def test_fields_are_columns_on_every_row_constant_or_not(tmp_path: Path) -> None:
    table = stamped(tmp_path, [["Route:", "N4"], ["Season:", "summer"]], [["Route:", "S1"], ["Season:", "summer"]])
    assert table.columns[:3] == ("sheet", "Route", "Season")
    assert set(table.to_arrow().column("Route").to_pylist()) == {"N4", "S1"}
    assert set(table.to_arrow().column("Season").to_pylist()) == {"summer"}


@pytest.mark.parametrize("head", [[["Route: N4"]], [["Route", "N4"]], [["Route:", "N4"]], [["Route:"], ["N4"]]])
def test_a_field_is_found_with_and_without_a_colon_beside_and_below(tmp_path: Path, head: list[list[Any]]) -> None:
    assert stamped(tmp_path, head).to_arrow().column("Route").to_pylist()[0] == "N4"


@pytest.mark.parametrize("note", ["Source: harbour office", "Table 33", "Note: figures are provisional", "Page 2"])
def test_captions_and_notes_never_become_columns(tmp_path: Path, note: str) -> None:
    assert stamped(tmp_path, [[note]]).columns == ("Quay", "heading", "value")


def test_titles_tell_blocks_apart_beside_sheets_with_one_block(tmp_path: Path) -> None:
    two = [["Summer"], *BODY, [""], [""], ["Winter"], *BODY]
    (table,) = kb.tidy_reports(
        write_book(tmp_path / "r.xlsx", {"A": two, "B": [BODY[0], *BODY[:0:-1]]})
    ).tables.values()
    titles = table.to_arrow().column("title").to_pylist()
    assert titles[::4] == ["Summer", "Winter", None]
    drafted = kb.draft(tmp_path / "r.xlsx", base=tmp_path).run()
    assert drafted.holds
    (again,) = drafted.tables.values()
    assert again.to_arrow().to_pylist() == table.to_arrow().to_pylist()


def test_what_fields_say_of_each_file_is_no_column_twice(tmp_path: Path) -> None:
    for place, month, number in (
        ("East", "March 2031", "0331"),
        ("West", "March 2031", "0331"),
        ("East", "April 2031", "0431"),
    ):
        text = f"Quay:,{place}\nPeriod:,{month}\n\nboat,dues\nGull,4.5\nTern,3.5\n"
        (tmp_path / f"dues-{place}-{number}.csv").write_text(text, "utf-8")
    (table,) = kb.tidy(*sorted(tmp_path.glob("*.csv"))).tables.values()
    assert table.columns == ("Quay", "Period", "boat", "dues")


def test_a_list_that_lacks_a_column_of_the_others_is_one_table_with_them(tmp_path: Path) -> None:
    head, rows = "boat,fish,crates,dues", "Gull,cod,{},4.5\nTern,ling,3,3.5\nSkua,cod,2,9.25\n"
    (tmp_path / "catch_2031-01.csv").write_text(head + "\n" + rows.format(4), "utf-8")
    more = "boat,fish,crates,dues,ice\nGull,cod,5,4.5,1\nTern,ling,3,3.5,2\nSkua,cod,2,9.25,0\n"
    for month in ("02", "04"):
        (tmp_path / f"catch_2031-{month}.csv").write_text(more.replace("5,4.5", f"{month},4.5"), "utf-8")
    files = sorted(tmp_path.glob("*.csv"))
    run = kb.tidy(*files)
    (table,) = run.tables.values()
    assert run.holds
    assert table.data.column("ice").null_count == 3
    said = " ".join(one.what for one in run.proof.remarks)
    assert "it has no ice: missing on its 3 rows" in said
    assert "month: 2031-03 is missing between the first and the last" in said
    (tmp_path / "p.toml").write_text(kb.draft(*files, base=tmp_path).text, "utf-8")
    assert kb.load_plan(tmp_path / "p.toml").run().tables["catch"].data.num_rows == 9


def test_what_few_of_several_blocks_say_is_told(tmp_path: Path) -> None:
    body = [("East", 1, 2), ("West", 3, 4), ("Pier", 5, 6), ("Mole", 7, 8)]
    sheets: dict[str, list[list[Any]]] = {
        name: [["Quay", "Foot", "Cars"], *([quay, foot + number, cars] for quay, foot, cars in body)]
        for number, name in enumerate(("Ane", "Bo", "Cai", "Dag"))
    }
    sheets["Bo"].append(["Slip", 1, 1])
    for name in ("Cai", "Dag"):
        sheets[name][4] = ["Mole 2", *sheets[name][4][1:]]
    said = " ".join(one.what for one in kb.tidy(write_book(tmp_path / "r.xlsx", sheets)).proof.remarks)
    assert "Quay 'Slip' stands in Bo alone, and not in the other 3" in said
    assert "Quay 'Mole' ends before Cai, where 'Mole 2' begins: it may be one thing under two names" in said
