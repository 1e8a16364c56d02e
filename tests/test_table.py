"""Tables as people hold them: interchange, display, origins, and proofs that can fail."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from decimal import Decimal
from typing import TYPE_CHECKING, Any

import polars as pl
import pyarrow as pa
import pytest

import kebrin as kb
from building import write_book
from kebrin.proof import conserve
from kebrin.proof.conservation import BodyAccount
from kebrin.table import Origin

if TYPE_CHECKING:
    from pathlib import Path

ROWS: list[list[Any]] = [["Sailing", "Foot", "Cars"], ["07:15", 120, 30], ["10:40", None, 25]]


@pytest.fixture
def table() -> kb.Table:
    return kb.Sheet.of(ROWS, name="North Loop").blocks()[0].tidy(boxhead=["class"], measure="carried")


def test_it_speaks_arrow_and_pandas(table: kb.Table) -> None:
    assert pa.table(table).to_pylist()[0] == {"Sailing": "07:15", "class": "Foot", "carried": 120.0}
    frame = table.to_pandas()
    assert frame["carried"].tolist() == [120.0, 30.0, 25.0]
    assert str(frame["class"].dtype) in {"object", "str"}
    assert str(frame["carried"].dtype) == "int64"
    assert str(table.to_pandas(categories=True)["class"].dtype) == "category"


def test_it_prints_its_first_rows(table: kb.Table) -> None:
    assert str(table).splitlines()[:2] == ["Sailing  class  carried", "07:15    Foot   120"]


def test_frames_of_other_libraries_come_in_as_tables(table: kb.Table) -> None:
    pd = pytest.importorskip("pandas")
    quays = {"Sailing": ["07:15", "10:40"], "quay": ["East", "West"], "since": [2029, 2031]}
    for frame in (pl.DataFrame(quays), pd.DataFrame(quays), pa.table(quays)):
        taken = kb.as_table(frame)
        assert taken.measures == ("since",)
        assert taken.only({"since": {"from": 2030}})["quay"] == ["West"]
        looked = table.lookup(["quay"], using=frame, by="Sailing")
        assert looked["quay"] == ["East", "East", "West"]
    assert kb.as_table(pd.DataFrame({"a": [1, 2]}, index=["x", "y"]))["index"] == ["x", "y"]
    assert kb.as_table(pd.DataFrame({"a": pd.Categorical([3, 4])}))["a"] == [3, 4]


@pytest.mark.parametrize(
    ("values", "said"),
    [
        ([[1], [2]], "holds list"),
        ([2**60 + 1, 5], "holds int64 of which some would change"),
        ([Decimal("12345678901234567.89")], "of which some would change"),
        ([dt.datetime(2031, 4, 1, 8, 0, 0, 5, dt.UTC)], "of which some would change"),
    ],
)
def test_a_frame_whose_values_would_change_is_refused(values: list[Any], said: str) -> None:
    with pytest.raises(kb.PlanError, match=said):
        kb.as_table(pa.table({"a": values}))


def test_patterns_folders_mappings_and_one_output(tmp_path: Path) -> None:
    for month in ("01", "02"):
        (tmp_path / f"trips_2031-{month}.csv").write_text(f"Quay,Foot,Cars\nEast,1{month},4\nWest,7,2\n", "utf-8")
    by_pattern, by_folder = kb.tidy(tmp_path / "trips_*.csv"), kb.tidy(tmp_path)
    assert by_pattern.tables["trips"] == by_folder.tables["trips"]
    trips = {"files": "trips_*.csv", "fields": {"month": "file name"}}
    plan = kb.load_plan({"kebrin": 1, "table": {"trips": trips}}, base=tmp_path)
    run = plan.run()
    run.write(tmp_path / "out.csv")
    assert (tmp_path / "out.csv").read_text("utf-8").count("\n") == 9
    assert run.tables["trips"].recode("Quay", {"East": "E", "West": "W"})["Quay"][:2] == ["E", "E"]


def test_it_shows_itself(table: kb.Table) -> None:
    assert repr(table) == "Table: 3 rows; Sailing, class, carried; proved"
    html = table._repr_html_()
    assert "<th" in html
    assert "3 rows; proved" in html
    rows: list[list[Any]] = [["<b>x", "a", "b"], ["<script>", 1, 2]]
    hostile = kb.Sheet.of(rows).blocks()[0].tidy()
    assert "<script>" not in hostile._repr_html_()


def test_origins_survive_being_written_down(table: kb.Table) -> None:
    again = Origin.from_plain(table.origins.to_plain())
    assert [str(again.of(row, "carried")) for row in range(3)] == [str(table.origin(row)) for row in range(3)]
    with pytest.raises(kb.PlanError, match="Did you mean 'carried'"):
        table.origin(0, "caried")
    with pytest.raises(kb.PlanError, match="There is no row 9"):
        table.origin(9)


def test_a_value_that_is_lost_or_changed_breaks_the_proof(table: kb.Table) -> None:
    assert table.proof.holds
    lost = replace(table, data=table.data.slice(1))
    assert not lost.proof.holds
    assert "carried: 3 cells" in lost.proof.failures[0]
    changed = table.data.set_column(2, "carried", pa.array([120.0, 31.0, 25.0]))
    assert not replace(table, data=changed).proof.holds
    (account,) = conserve(table, [{"carried": BodyAccount(4, 0, 175.0)}])
    assert not account.holds


def test_a_cell_that_nothing_claims_breaks_the_proof() -> None:
    block = kb.Sheet.of([*ROWS, [], [], [], ["", "", 999]]).blocks()[0]
    proof = block.tidy().proof
    (failure,) = proof.failures
    assert failure.startswith("Sheet: 1 source cell is unclaimed (C7); state leave_out = ['cell C7']")


def test_blanks_by_choice_and_always_counted(table: kb.Table) -> None:
    block = kb.Sheet.of(ROWS).blocks()[0]
    kept = block.tidy(blanks="keep")
    assert len(kept) == 4
    assert kept.to_arrow()["value"].null_count == 1
    assert table.steps[0][1:] == (4, 3, "1 empty cells left out")


def test_writing_is_whole_or_not_at_all(table: kb.Table, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    target = tmp_path / "t.parquet"
    table.write(target)
    before = target.read_bytes()
    monkeypatch.setattr("pyarrow.parquet.write_table", _half_written)
    with pytest.raises(kb.OutputError, match="the disk is full"):
        table.write(target)
    assert target.read_bytes() == before
    assert [path.name for path in tmp_path.iterdir()] == ["t.parquet"]


def _half_written(_data: object, path: Path, **_options: object) -> None:
    path.write_bytes(b"half")
    raise OSError(28, "the disk is full")


def test_csv_quotes_only_what_needs_it(tmp_path: Path) -> None:
    rows: list[list[Any]] = [["Quay, old", "Jan"], ['the "Gull"', 1.5], ["two\nlines", 2]]
    kb.Sheet.of(rows).blocks()[0].tidy(boxhead=["month"]).write(tmp_path / "t.csv")
    assert (tmp_path / "t.csv").read_text("utf-8") == (
        '"Quay, old",month,value\n"the ""Gull""",Jan,1.5\ntwo lines,Jan,2\n'
    )


def test_a_written_workbook_reads_back_the_same(table: kb.Table, tmp_path: Path) -> None:
    table.write(tmp_path / "t.xlsx")
    sheet = kb.read(tmp_path / "t.xlsx")["tidy"]
    assert [list(row) for row in sheet.values[:2]] == [["Sailing", "class", "carried"], ["07:15", "Foot", 120.0]]


def test_several_tables_have_proofs_of_their_own(tmp_path: Path) -> None:
    path = write_book(tmp_path / "r.xlsx", {"A": ROWS, "B": [["Vessel", "Litres"], ["Gull", 4]]})
    run = kb.tidy_reports(kb.read(path))
    assert set(run.proofs) == {"A", "B"}
    with pytest.raises(kb.OutputError, match="several tables"):
        _ = run.proof
