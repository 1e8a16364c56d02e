"""Proposals: what a column likely means, what is done unaided, and what a draft leaves to be answered."""

from __future__ import annotations

import csv
import importlib.util
import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from building import write_book
from kebrin.errors import PlanError, ValuesError
from kebrin.plan.plan_file import parse_plan
from kebrin.shape.detailing import detail
from kebrin.table import Table
from kebrin.values.entries import entries_of, find_lists
from kebrin.values.numbers import number
from kebrin.values.proposing import propose
from kebrin.values.spellings import folded, plain_variants
from kebrin.values.suggesting import suggest, suggestions
from kebrin.values.texts import Texts
from kebrin.values.wording import text
from kebrin.work.standardising import standardised

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

ROOT = Path(__file__).parent.parent


def table(measures: tuple[str, ...] = (), **columns: list[Any]) -> Table:
    return Table(pa.table(columns), measures or tuple(columns))


def meant(texts: list[str | None], column: str = "x") -> Any:
    return suggest(Texts.of(pa.chunked_array([pa.array(texts, pa.string())])), column)


def script(name: str) -> Any:
    spec = importlib.util.spec_from_file_location(name, ROOT / "scripts" / f"{name}.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def answered(draft: str) -> str:
    """A draft with every proposed step taken, by its first answer."""
    return re.sub(r"^# (\[\[|\w+ = )", r"\1", draft, flags=re.MULTILINE)


# Plain variants.


def test_names_that_differ_in_case_and_blanks_take_the_commonest_form() -> None:
    done, steps = standardised(table(port=["Hallan", "HALLAN", "Hallan ", "Brae", "Hallan"]))
    assert done.data.column("port").to_pylist() == ["Hallan", "Hallan", "Hallan", "Brae", "Hallan"]
    assert steps == [{"text": "port", "spelled": ["Hallan"]}]
    assert any("'HALLAN' is now 'Hallan'" in remark.what for remark in done.remarks)


def test_in_short_texts_case_may_mean_something() -> None:
    found = meant(["m", "M", "m", "kg"])
    assert "differ in case only" in found.question
    assert not found.conclusive
    assert standardised(table(unit=["m", "M"]))[1] == []


def test_rows_that_would_bear_the_same_labels_are_asked_about() -> None:
    labels = pa.array(["Foot", "FOOT", "Cars"]).dictionary_encode()
    both = Table(pa.table({"class": labels, "value": [1.0, 2.0, 3.0]}), ("value",))
    done, steps = standardised(both)
    assert steps == []
    assert done.data.column("class").to_pylist() == ["Foot", "FOOT", "Cars"]
    assert "would then bear the same labels" in done.remarks[-1].what


def test_line_breaks_in_a_cell_are_not_smoothed_away() -> None:
    assert standardised(table(note=["one  day", "first\nthen more of it"]))[1] == []


@given(st.lists(st.sampled_from(["Hallan", "hallan", "HALLAN", " Hallan", "Brae", "brae ", "m", "M"]), max_size=30))
def test_a_form_never_leaves_its_group(said: list[str]) -> None:
    counts = {one: said.count(one) for one in said}
    forms = plain_variants(counts).forms
    if said:
        made = text(table(x=said), "x", spelled=forms).data.column("x").to_pylist()
        assert [folded(one) for one in made] == [folded(one) for one in said]


# Marks, scales and answers.


def test_a_few_words_among_numbers_are_proposed_as_marks() -> None:
    found = meant(["1.5", "2.5", "closed", "closed", "3.25"])
    assert found.step == {"number": "x", "missing": ["closed"]}
    assert "do they mean that there is no value?" in found.question
    assert not found.conclusive
    assert meant(["1.5", "2.5", "12.5O"]).step == {"number": "x"}


def test_the_answers_to_a_question_are_steps_to_choose_from() -> None:
    found = meant(["€ 1,50 CR", "£ 2,50", "€ 3,25"], "due")
    assert found.step == {"number": "due", "currency": "due currency"}
    assert found.answers == ({"negative": ["CR"]}, {"negative": ["DR"]})
    assert meant(["25.04.31", "25/04/2032"]).answers == ({"latest": 2032},)
    assert [answer["order"] for answer in meant(["03/04/2031", "05/06/2031"]).answers] == ["day first", "month first"]


def test_a_scale_in_the_title_is_told_and_not_taken(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Takings (in thousands),\n,\nRoute,2031\nNorth,1.5\nSouth,2.0\n", "utf-8")
    (done,) = kb.tidy_reports(tmp_path / "r.csv").tables.values()
    assert done.to_arrow().column("2031").to_pylist() == [1.5, 2.0]
    (said,) = [remark for remark in done.proof.remarks if remark.kind == "scale"]
    assert said.what.startswith("A1 says 'in thousands'")
    scaled = number(done, "2031", scale=1000)
    assert scaled.data.column("2031").to_pylist() == [1500.0, 2000.0]
    assert "sum 3.5 before and 3,500 after" in scaled.remarks[-1].what


def test_a_scale_that_a_sheet_does_not_state_is_told(tmp_path: Path) -> None:
    for name, title in (("a", "Takings (in thousands)"), ("b", "Takings"), ("c", "Takings (in millions)")):
        (tmp_path / f"{name}.csv").write_text(f"{title},\n,\nRoute,Foot\nNorth,1.5\nSouth,2.25\n", "utf-8")
    plan = 'kebrin = 1\n[table.t]\nfiles = "*.csv"\n[table.t.layout]\nmeasure = "sum"\n'
    (tmp_path / "p.toml").write_text(f'{plan}[[table.t.step]]\nnumber = "sum"\nscale = 1000\n', "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    told = [remark.what for remark in run.proof.remarks if remark.kind == "scale"]
    assert told == [
        "the plan multiplies by 1,000, and nothing here says so", "the plan multiplies by 1,000, and A1 says 'in millions'",
    ]  # fmt: skip


def test_the_refunds_run_from_their_draft_with_three_answers(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("draft", "refunds_*.csv", "-o", "d.plan.toml").returncode == 0
    plan = answered((demo / "d.plan.toml").read_text("utf-8"))
    plan = plan.replace('"codes.csv"', '"ports.csv"\nlikeness = 0.85').replace("Amount currency", "currency")
    (demo / "d.plan.toml").write_text(plan, "utf-8")
    done = kebrin("run", "d.plan.toml")
    assert done.returncode == 0, done.stdout + done.stderr
    with (demo / "out/refunds.csv").open(encoding="utf-8", newline="") as lines:
        rows = list(csv.DictReader(lines))
    card = {"true": "yes", "false": "no"}
    got = {
        (
            row["Refund"],
            row["Paid on"],
            row["Port"],
            float(row["Amount"]),
            row["currency"],
            row["Permit"],
            card[row["By card"]],
        )
        for row in rows
    }
    assert got == {one for branch in (0, 1) for one in script("make_refunds").rows_of(branch, 120)[1]}


# Code lists.


def test_a_code_beside_its_label_is_taken_as_the_code() -> None:
    lines = propose({"Hallan": 9, "HN Hallan": 3, "HN": 2, "Halan": 1, "Brae": 5, "BRA": 2, "Bracken": 1})
    codes = {line.spelling: line.code for line in lines}
    assert {codes[one] for one in ("Hallan", "HN Hallan", "HN", "Halan")} == {"HN"}
    assert codes["Brae"] != codes["Bracken"]
    assert codes["BRA"] not in {codes["Brae"], codes["Bracken"]}  # it may be either


# Lists and details.


@given(st.lists(st.text('abc," ', min_size=1, max_size=6).filter(lambda one: one.strip(' "')), max_size=5))
def test_entries_in_quotes_come_back_whole(entries: list[str]) -> None:
    bare = [" ".join(entry.replace('"', "").split()) for entry in entries]
    bare = [entry for entry in bare if entry]
    joined = "; ".join(f'"{entry}"' for entry in bare)
    assert [one for one in entries_of(joined, [";", ","]) if one] == bare


def test_a_column_of_lists_is_told_from_one_of_names() -> None:
    assert find_lists(["Radio; Medical", "Radio", "Lifeboat / Radio", "Medical", "Lifeboat"]).signs == (";", " / ")  # type: ignore[union-attr]
    assert find_lists(["Wick of Ness", "Hallan", "Port Hallan, old quay"]) is None
    assert find_lists(["2033-01-02; 2034-02-03", "2035-03-04"]) is not None


def test_lists_are_split_unaided_only_where_no_amount_could_be_counted_twice() -> None:
    papers = ["Radio; Medical", "Radio", "Medical;Lifeboat", "Lifeboat", "Radio"]
    done, steps = standardised(table(crew=list("abcde"), papers=papers))
    assert steps == [{"split": "papers", "at": [";"]}]
    assert done.data.column("papers").to_pylist()[:3] == ["Radio", "Medical", "Radio"]
    paid = table(crew=list("abcde"), papers=papers, fee=[1.0, 2.0, 3.0, 4.0, 5.0])
    assert standardised(paid)[1] == []
    assert suggestions(paid)["papers"].step == {"detail": "papers", "into": "papers_entries", "at": [";"]}


def test_a_table_of_details_keeps_every_entry_and_no_amount_twice() -> None:
    crew = table(("papers", "until", "fee"), name=["Ann", "Bo", "Cy"], papers=["A;B", None, "C"], until=["1;2", None, "3"],
                 fee=[6.0, 1.0, 2.0])  # fmt: skip
    records, entries = detail(crew, "papers", at=[";"], along=["until"], position="no")
    assert records.data.to_pydict() == {"record": [1, 2, 3], "name": ["Ann", "Bo", "Cy"], "fee": [6.0, 1.0, 2.0]}
    assert entries.data.to_pydict() == {
        "record": [1, 1, 3], "papers": ["A", "B", "C"], "no": [1, 2, 1], "until": ["1", "2", "3"],
    }  # fmt: skip
    assert "3 records hold 3 entries; 1 record holds none" in entries.remarks[-1].what


def test_a_second_column_of_entries_takes_the_numbers_of_the_first() -> None:
    crew = table(("papers", "langs", "fee"), papers=["A;B", "C"], langs=["x", "y;z"], fee=[1.0, 2.0])
    records, _ = detail(crew, "papers")
    records, langs = detail(records, "langs")
    assert records.columns == ("record", "fee")
    assert langs.data.to_pydict() == {"record": [1, 2, 2], "langs": ["x", "y", "z"]}


def test_a_key_that_does_not_tell_records_apart_is_refused() -> None:
    crew = table(name=["Ann", "Ann"], papers=["A;B", "C"])
    with pytest.raises(ValuesError, match=r"does not tell the records apart.*'Ann' \(2\)"):
        detail(crew, "papers", key="name")
    with pytest.raises(ValuesError, match="is missing in 1 of 2 records"):
        detail(table(name=["Ann", None], papers=["A", "B"]), "papers", key="name")
    with pytest.raises(PlanError, match="can't move its key"):
        detail(crew, "papers", key="papers")


def test_the_certificates_come_out_exactly_as_they_were_made(demo: Path, kebrin: Kebrin) -> None:
    done = kebrin("run", "certificates.plan.toml")
    assert done.returncode == 0, done.stdout + done.stderr
    truth = script("make_certificates").crew()
    with (demo / "out/crew.csv").open(encoding="utf-8", newline="") as lines:
        assert [(row["Crew"], row["Vessel"], float(row["Fee paid"])) for row in csv.DictReader(lines)] == [
            (name, vessel, fee) for name, vessel, _, fee in truth
        ]
    with (demo / "out/certificates.csv").open(encoding="utf-8", newline="") as lines:
        assert [
            (row["Crew"], row["Certificates"], int(row["place"]), row["Valid until"]) for row in csv.DictReader(lines)
        ] == [
            (name, paper, place, day.isoformat())
            for name, _, held, _ in truth
            for place, (paper, day) in enumerate(held, 1)
        ]
    assert "only the values of measures know their cell" in kebrin("trace", "out/certificates.csv", "1").stderr


def test_two_tables_of_one_name_are_refused() -> None:
    with pytest.raises(PlanError, match="two tables are named 'crew'"):
        parse_plan('kebrin = 1\n[table.crew]\nfiles = "r.csv"\n[[table.crew.step]]\ndetail = "x"\ninto = "crew"\n')


# Names of columns.


def test_beginnings_are_dropped_from_many_column_names(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Vessel,Due: Jan,Due: Feb\nGull,1.5,2.5\nTern,3.5,4.5\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\nshorten = ["Due: "]\n[table.t.layout]\nboxhead = ["heading"]\n'
        'measures = "heading"\n', "utf-8",
    )  # fmt: skip
    (done,) = kb.load_plan(tmp_path / "p.toml").run().tables.values()
    assert done.columns == ("Vessel", "Jan", "Feb")
    assert str(done.origin(1, "Feb")).endswith("cell C3")
    with pytest.raises(PlanError, match="o column name begins or ends with 'Paid'"):
        done.shortened(["Paid"])
    with pytest.raises(PlanError, match="would be called 'value'"):
        Table(pa.table({"a value": [1.0], "b value": [2.0]}), ()).shortened(["a ", "b "])


def test_a_draft_leaves_out_what_stated_would_read_another_table(tmp_path: Path) -> None:
    quays = [["Port:", "Brae", None], [None] * 3, ["Port", "Q1", "Q2"], ["North quay", 2, 3], ["South quay", 3, 4]]
    write_book(tmp_path / "report.xlsx", {"All": [["Port", "Q1", "Q2"], ["Brae", 5, 7], ["Wick", 6, 8]], "Brae": quays})
    plan = kb.draft(tmp_path / "report.xlsx", base=tmp_path)
    assert "left to be worked out: starts. Stated, this would stop the run" in plan.text
    (tmp_path / "p.toml").write_text(plan.text, "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    (table,), (unaided,) = run.tables.values(), kb.tidy_reports(tmp_path / "report.xlsx").tables.values()
    assert table.to_arrow().to_pylist() == unaided.to_arrow().to_pylist()
    # The heading of one sheet is the field of another.
    assert [row["Port (field)"] for row in table.to_arrow().to_pylist()[::4]] == [None, "Brae"]
