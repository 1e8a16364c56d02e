"""Texts in blocks, cells in parts: what is done to bytes agrees with the plain way, whatever the block and the thread."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import kebrin as kb
from kebrin.errors import PlanError
from kebrin.grammar.patterns import groups_of
from kebrin.shape.parting import Entries
from kebrin.shape.splitting import split
from kebrin.sources.tidy_tables import read_table
from kebrin.table import Table
from kebrin.values import shapes
from kebrin.values.codes import CodeList, nearest_keys
from kebrin.values.dates import date
from kebrin.values.entries import entries_of
from kebrin.values.named_parts import fitting
from kebrin.values.numbers import number
from kebrin.values.shapes import Shapes
from kebrin.values.texts import Texts

if TYPE_CHECKING:
    from pathlib import Path

TEXTS = st.lists(st.text("0123456789-/ aé\0", max_size=60), max_size=40)
CELLS = st.lists(st.text('ab;,/ "é', max_size=12), max_size=20)


def table(**columns: list[Any]) -> Table:
    return Table(pa.table(columns), tuple(columns))


def out(made: Table, name: str) -> list[Any]:
    return list(made.data.column(name).to_pylist())


@pytest.fixture(params=[3, 1_000], ids=["blocks of three", "one block"])
def block(request: pytest.FixtureRequest, monkeypatch: pytest.MonkeyPatch) -> int:
    monkeypatch.setattr(shapes, "_BLOCK", request.param)
    return int(request.param)


def test_shapes_are_texts_with_every_digit_as_zero(block: int) -> None:
    assert block

    @settings(deadline=None)
    @given(TEXTS)
    def held(texts: list[str]) -> None:
        found = Shapes.of(pa.array(texts, pa.string()))
        plain = ["".join("0" if letter in "0123456789" else letter for letter in text) for text in texts]
        short = [len(text.encode()) <= shapes.LONGEST for text in texts]
        assert [found.texts[code] if code >= 0 else None for code in found.codes.tolist()] == [
            shape if fits else None for shape, fits in zip(plain, short, strict=True)
        ]
        assert list(found.texts) == list(dict.fromkeys(shape for shape, fits in zip(plain, short, strict=True) if fits))
        assert int(found.counts.sum()) == sum(short)

    held()


def test_digits_are_decoded_at_any_place_and_width(block: int) -> None:
    assert block

    @settings(deadline=None)
    @given(st.integers(0, 21), st.lists(st.integers(0, 10**15 - 1), min_size=1, max_size=12), st.integers(1, 15))
    def held(offset: int, numbers: list[int], width: int) -> None:
        numbers = [one % 10**width for one in numbers]
        texts = [f"{'x' * offset}{one:0{width}d}kg" for one in numbers]
        found = Shapes.of(pa.array(texts, pa.string()))
        read = np.zeros(len(texts), np.int64)
        for chunk in found.chunks(range(len(found.texts))):
            read[chunk.rows] = chunk.digits(offset, width)
        assert read.tolist() == numbers

    held()


def test_a_sliced_column_is_read_from_where_it_begins() -> None:
    column = pa.array(["skip", "12.5", "7.25", "9"]).slice(1)
    assert out(number(Table(pa.table({"x": column}), ()), "x"), "x") == [12.5, 7.25, 9.0]


def test_many_blocks_side_by_side_give_what_one_gives(monkeypatch: pytest.MonkeyPatch) -> None:
    start = dt.date(2031, 1, 1)
    days = [start + dt.timedelta(days=at % 700) for at in range(5_000)]
    texts = [f"{day:%d/%m/%Y}" if at % 3 else day.isoformat() for at, day in enumerate(days)]
    whole = out(date(table(x=texts), "x"), "x")
    monkeypatch.setattr(shapes, "_BLOCK", 64)
    assert out(date(table(x=texts), "x"), "x") == whole == days


@settings(deadline=None)
@given(CELLS, st.sampled_from([[";"], [",", ";"], ["/", ";"], [" / ", ";"], [" / "]]), st.booleans())
def test_entries_found_in_bytes_are_those_of_each_text(cells: list[str], at: list[str], keep: bool) -> None:  # noqa: FBT001
    texts = Texts.of(pa.chunked_array([pa.array(cells, pa.string())]))
    found = Entries.of(texts, at, keep_empty=keep)
    ends = np.cumsum(found.counts)
    for text, stop, count in zip(texts.values.to_pylist(), ends.tolist(), found.counts.tolist(), strict=True):
        own = [found.words[code] for code in found.codes[stop - count : stop].tolist()]
        assert own == [entry for entry in entries_of(text, at) if entry or keep]
    plain = [place for place, (stop, count) in enumerate(zip(ends.tolist(), found.counts.tolist(), strict=True))
             if len(set(found.codes[stop - count : stop].tolist())) < count]  # fmt: skip
    assert found.twice() == plain


def test_whole_columns_split_as_distinct_ones_do() -> None:
    cells = [f"a{at}; b{at}" if at % 3 else "" for at in range(50_000)]
    made = split(table(x=cells), "x", at=[";"])
    assert Texts.of(pa.chunked_array([cells]), whole=True).whole
    assert out(made, "x") == [entry for cell in cells for entry in (cell.split("; ") if cell else [None])]


def test_shared_amounts_keep_their_sum() -> None:
    crew = Table(pa.table({"papers": ["A;B;C", "", "D"], "fee": [10.0, 2.5, None]}), ("fee",))
    for share in ("first", "equal"):
        made = split(crew, "papers", share=share)
        assert sum(one for one in out(made, "fee") if one is not None) == pytest.approx(12.5)
        assert "sum 12.5 before and after" in made.remarks[-1].what


def test_cells_become_columns_by_place_by_pattern_and_by_label() -> None:
    made = split(table(x=["N4Gull", "S1Old Skua"]), "x", widths=[2], into=["route", "vessel"])
    assert (out(made, "route"), out(made, "vessel")) == (["N4", "S1"], ["Gull", "Old Skua"])
    made = split(table(x=["2 t, 40 kg", "none"]), "x", pattern=r"(\d+) t, (\d+) kg", into=["t", "kg"])
    assert (out(made, "t"), out(made, "kg")) == (["2", None], ["40", None])
    assert made.remarks[-1].breaks
    made = split(table(x=["deck: 2; engine: 3", "Engine: 1", "cook: 1"]), "x", labelled=":", into=["deck", "engine"])
    assert (out(made, "deck"), out(made, "engine")) == (["2", None, None], ["3", "1", None])
    assert "'cook: 1' (1)" in made.remarks[-1].what


WRONG = [
    ({"widths": [2]}, "needs the names of columns"), ({"widths": [2], "into": ["a"]}, "1 widths and 1 columns"),
    ({"widths": [1], "pattern": "x", "into": ["a", "b"]}, "widths or pattern, not both"),
    ({"pattern": "(a)(b)", "into": ["a"]}, "has 2 groups"), ({"pattern": "(a", "into": ["a"]}, "can't be read"),
    ({"pattern": "(?P<u>N)", "into": ["a"]}, "groups of the pattern are named u"),
]  # fmt: skip


@pytest.mark.parametrize(("options", "said"), WRONG)
def test_a_wrong_way_of_splitting_is_refused(options: dict[str, Any], said: str) -> None:
    with pytest.raises(PlanError) as caught:
        split(table(x=["N4"]), "x", **options)
    assert said in str(caught.value)


def test_brackets_in_classes_are_no_groups() -> None:
    assert groups_of(r"[(](\d+)[)]") == [3]
    assert fitting(["(12)"], r"[(](\d+)[)]", ["found"]) == [{"found": "12"}]


def test_repeating_columns_of_a_parquet_file_are_read_as_they_are_kept(tmp_path: Path) -> None:
    from pyarrow import parquet

    said = ["Hallan", None, "Brae"] * 4_000
    distinct = [f"ticket {at} of the North Loop" for at in range(12_000)]
    parquet.write_table(pa.table({"port": said, "ticket": distinct, "n": [1.5] * 12_000}), tmp_path / "t.parquet",
                        row_group_size=5_000)  # fmt: skip
    read = read_table(tmp_path / "t.parquet")
    assert pa.types.is_dictionary(read.data.column("port").type)
    assert not pa.types.is_dictionary(read.data.column("ticket").type)
    assert (out(read, "port"), out(read, "ticket"), read.measures) == (said, distinct, ("n",))


@given(
    st.lists(st.text("abcd", min_size=4, max_size=8), max_size=12), st.lists(st.text("abcd", min_size=1, max_size=8))
)
def test_all_scored_at_once_are_near_as_one_by_one(known: list[str], asked: list[str]) -> None:
    from rapidfuzz import fuzz

    known = list(dict.fromkeys(known))
    for key, near in zip(asked, nearest_keys(asked, known), strict=True):
        scores = sorted((fuzz.ratio(key, one) / 100 for one in known), reverse=True) if len(key) >= 4 else []
        assert [score for _, score in near] == pytest.approx([score for score in scores if score >= 0.6][: len(near)])
        assert len(near) == min(sum(score >= 0.6 for score in scores), 6)


def test_codes_with_figures_in_them_are_near_nothing_but_themselves() -> None:
    codes = CodeList.of([("C0001", "Hallan", (), True), ("C0002", "Brae", (), True)])
    assert codes.find("c0001") == "C0001"
    assert codes.likely(["C0003"]) == [[]]
    assert codes.likely(["Halan"])[0][0].code == "C0001"


def test_total_rows_are_no_records_of_later_steps() -> None:
    rows = pa.table({"route": ["N4", "N4", "S1", "S1"], "class": ["Foot", "Cars"] * 2, "trips": [10.0, 2.0, 5.0, 9.0]})
    table = kb.as_table(rows)
    across = table.crosstab("route", across="class", of="trips", totals="both")
    assert across["route"] == ["N4", "S1", "Total"]
    assert across.sums(of="Foot")["Foot"] == [15.0]
    assert across.rank("Foot", "place")["route"] == ["N4", "S1"]
    assert across.rename({"route": "line"}).sums(of="Total")["Total"] == [26.0]
    assert table.total_row().sums(of="trips")["trips"] == [26.0]
    means = table.sums(["route", "class"], of={"usual": "mean trips"})
    laid = means.crosstab("route", across="class", of="usual", totals="both")
    assert laid.columns == ("route", "Foot", "Cars")
    assert laid["Foot"] == [10.0, 5.0, None]
    with pytest.raises(PlanError, match="row of 'route' is called 'Total' already"):
        table.total_row().total_row()
    with pytest.raises(PlanError, match="would sum 'usual', which is a mean"):
        means.crosstab("route", across="route", of="usual")


def test_a_total_row_is_no_part_of_an_output_by_its_column(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("route,class,trips\nN4,Foot,10\nN4,Cars,2\nS1,Foot,5\n", "utf-8")
    step = 'crosstab = "route"\nacross = "class"\nof = "trips"\ntotals = "both"'
    output = 'table = "t"\nfile = "by_{value}.csv"\nby = "route"'
    plan = f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\n{step}\n[[output]]\n{output}'
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    kb.load_plan(tmp_path / "p.toml").run().write()
    assert {path.name for path in tmp_path.glob("by_*.csv")} == {"by_N4.csv", "by_S1.csv"}
