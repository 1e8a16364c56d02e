"""Values: each style in gives its value out, whatever can't be decided is asked, and nothing else is ever raised."""

from __future__ import annotations

import csv
import datetime as dt
import importlib.util
import json
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from kebrin.errors import KebrinError, PlanError, ValuesError
from kebrin.shape.converting import read_rates
from kebrin.table import Table
from kebrin.values.codes import read_codes
from kebrin.values.dates import date
from kebrin.values.numbers import number
from kebrin.values.profile import profile
from kebrin.values.suggesting import suggest
from kebrin.values.texts import Texts
from kebrin.work.stepping import TAKEN
from truths import TRUTHS, Truth

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

ROOT = Path(__file__).parent.parent


def table(**columns: list[Any]) -> Table:
    return Table(pa.table(columns), tuple(columns))


def out(verb: str, texts: list[Any], **options: Any) -> list[Any]:
    made = TAKEN[verb](Table(pa.table({"x": pa.array(texts, pa.string())}), ()), "x", **options)
    return [str(value) if isinstance(value, dt.date) else value for value in made.data.column("x").to_pylist()]


@pytest.mark.parametrize("truth", TRUTHS, ids=lambda truth: f"{truth[0]} {truth[2][0]}")
def test_each_style_in_gives_its_value_out(truth: Truth) -> None:
    verb, options, texts, values = truth
    assert out(verb, texts, **options) == values


QUESTIONS = [
    ("number", ["1,234", "2,345"], "can be read in two ways"),
    ("number", ["1.234,5", "1,234.5"], "holds both decimal signs"),
    ("number", ["1 CR", "2"], "which side is negative"),
    ("number", ["€ 1", "£ 2"], "holds several currencies"),
    ("number", ["1 t", "2 kg"], "holds several units"),
    ("number", ["12%", "0.5"], "has per cent signs in 1 cells and none in 1"),
    ("date", ["01/02/2031", "03/04/2031"], "can be read in two ways"),
    ("date", ["25/01/2031", "01/25/2031"], "holds dates of two orders"),
    ("date", ["25/01/31"], "years of two digits"),
    ("date", ["2031-01-01 10:00", "2031-01-01T10:00Z"], "with and without an offset"),
    ("period", ["Jan", "Feb"], "without a year"),
    ("flag", ["yes", ""], "has 1 blank cells"),
]


@pytest.mark.parametrize(("verb", "texts", "said"), QUESTIONS, ids=lambda value: str(value)[:24])
def test_what_cannot_be_decided_is_asked(verb: str, texts: list[str], said: str) -> None:
    with pytest.raises(ValuesError, match=said) as caught:
        out(verb, texts)
    assert caught.value.do


def test_a_leading_zero_shows_that_what_follows_are_decimals() -> None:
    assert out("number", ["1,234", "0,345"]) == [1.234, 0.345]


def test_rows_in_order_show_the_order_of_dates() -> None:
    days = [f"{month:02d}/{day:02d}/2031" for month in (1, 2, 3) for day in (1, 2, 3)]
    assert out("date", days)[-1] == "2031-03-03"


def test_unread_texts_break_the_proof_unless_they_may_be_blank() -> None:
    done = number(table(x=["1.5", "junk", "junk"]), "x")
    (said,) = [remark for remark in done.remarks if remark.breaks]
    assert "2 cells could not be read: 'junk' (2)" in said.what
    assert not any(remark.breaks for remark in number(table(x=["1.5", "junk"]), "x", unread="blank").remarks)


def test_what_was_written_can_be_kept() -> None:
    done = number(table(x=["(1.50)"]), "x", written="as written", currency="cur")
    assert done.data.to_pydict() == {"x": [-1.5], "as written": ["(1.50)"], "cur": [None]}


def test_signs_turn_by_another_column() -> None:
    done = number(table(x=["5", "7"], kind=["Refund", "fare"]), "x", flip={"kind": ["refund"]})
    assert done.data.column("x").to_pylist() == [-5.0, 7.0]


def test_serial_days_of_both_systems() -> None:
    days = table(x=[1.0, 60.0, 61.0])
    assert [str(day) for day in date(days, "x", serial="1900").data.column("x").to_pylist()][::2] == [
        "1900-01-01",
        "1900-03-01",
    ]
    assert str(date(table(x=[0.0]), "x", serial="1904").data.column("x").to_pylist()[0]) == "1904-01-01"


def test_periods_of_dates() -> None:
    days = date(table(x=["2031-01-01", "2031-03-31", "2030-12-30"]), "x")
    said = {kind: TAKEN["period"](days, "x", of=kind, into="p", first_month=4).data.column("p").to_pylist()
            for kind in ("month", "quarter", "half-year", "year", "week", "fiscal year")}  # fmt: skip
    assert said == {
        "month": ["2031-01", "2031-03", "2030-12"], "quarter": ["2031-Q1", "2031-Q1", "2030-Q4"],
        "half-year": ["2031-H1", "2031-H1", "2030-H2"], "year": ["2031", "2031", "2030"],
        "week": ["2031-W01", "2031-W14", "2031-W01"], "fiscal year": ["2030/31", "2030/31", "2030/31"],
    }  # fmt: skip


@given(st.lists(st.dates(dt.date(1900, 1, 1), dt.date(2100, 12, 31)), min_size=1, max_size=30), st.sampled_from(
    ["%Y-%m-%d", "%d/%m/%Y", "%d.%m.%Y", "%d %b %Y", "%B %d, %Y", "%a, %d %B %Y", "%Y%m%d", "%d-%b-%Y"]
))  # fmt: skip
def test_a_date_written_in_any_style_reads_back(days: list[dt.date], style: str) -> None:
    options = {"order": "day first"} if "%d/%m" in style or "%d.%m" in style else {}
    assert out("date", [day.strftime(style) for day in days], **options) == [str(day) for day in days]


NUMBERS = st.integers(-(10**13), 10**13).map(lambda cents: cents / 100)


@given(
    st.lists(NUMBERS, min_size=1, max_size=30),
    st.sampled_from(["-{}", "{}-", "({})", "−{}", "less {}"]),
    st.sampled_from([",.", ".,", " ,", "'."]),
)
def test_a_number_written_in_any_convention_reads_back(values: list[float], negative: str, signs: str) -> None:
    def written(value: float) -> str:
        text = f"{abs(value):,.2f}".replace(",", "t").replace(".", signs[1]).replace("t", signs[0])
        return negative.format(text) if value < 0 else text

    assert out("number", list(map(written, values))) == values


READERS = ["number", "date", "period", "flag", "missing", "text", "split"]


@given(st.lists(st.text(max_size=20), max_size=12), st.sampled_from(READERS))
def test_no_text_raises_anything_but_our_errors(texts: list[str], verb: str) -> None:
    safe = [text.encode("utf-8", "replace").decode() for text in texts]
    try:
        out(verb, safe)
    except KebrinError as error:
        assert error.what  # noqa: PT017 - any of ours will do


@pytest.mark.parametrize(
    "text", ["\x00", "\ufeff1", "1\x002", "9" * 400, "1" + "0" * 300 + ".5", "٣" * 40, "(", ")", "--5", "1,,2", "1.2.3"]
)
def test_odd_texts_are_read_or_told(text: str) -> None:
    made = number(table(x=[text, "1.5"]), "x", unread="blank")
    assert made.data.column("x").to_pylist()[1] == 1.5


def test_an_empty_column_stays_empty() -> None:
    assert out("number", [None, None]) == [None, None]
    assert suggest(Texts.of(pa.chunked_array([pa.array([None], pa.string())])), "x").meaning == "empty"


CODES = "code,label,other\nHAL,Hallan,Port Hallan\nWON,Wick of Ness,\n007,Old pier,\n"


def codes_file(folder: Path, text: str = CODES) -> Path:
    path = folder / "codes.csv"
    path.write_text(text, "utf-8")
    return path


def test_texts_become_codes_by_key_and_near_ones_are_proposed(tmp_path: Path) -> None:
    texts = ["hallan", "Ness, Wick of", "HAL Hallan", "old pier", "007", "Halan", "Brae"]
    done = TAKEN["recode"](table(x=texts), "x", using=codes_file(tmp_path), label="name")
    assert done.data.column("x").to_pylist() == ["HAL", "WON", "HAL", "007", "007", "Halan", "Brae"]
    (said,) = [remark for remark in done.remarks if remark.breaks]
    assert "2 cells bear no known code and stay as they are: 'Halan' (1, near 'Hallan' (91%)" in said.what
    done = TAKEN["recode"](table(x=texts), "x", using=codes_file(tmp_path), likeness=0.9, unknown="blank")
    assert done.data.column("x").to_pylist()[-2:] == ["HAL", None]


def test_of_two_near_codes_neither_is_applied(tmp_path: Path) -> None:
    path = codes_file(tmp_path, "code,label\nA,East pier A\nB,East pier B\n")
    done = TAKEN["recode"](table(x=["East pier C"]), "x", using=path, likeness=0.8, unknown="keep")
    assert done.data.column("x").to_pylist() == ["East pier C"]


BAD_LISTS = [
    ("name,label\nA,B\n", "this is no code list"), ("code,label\nA,B\nA,C\n", "has two labels"),
    ("code,label\nA,Hallan\nB,hallan\n", "two codes share"), ("code,label\n,B\n", "has no code"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "said"), BAD_LISTS)
def test_bad_code_lists_are_refused(tmp_path: Path, text: str, said: str) -> None:
    with pytest.raises(PlanError) as caught:
        read_codes(codes_file(tmp_path, text))
    assert said in str(caught.value)


def test_rates_change_with_the_day_and_gaps_are_told(tmp_path: Path) -> None:
    path = tmp_path / "rates.csv"
    path.write_text("code,date,rate\nEUR,2031-01-01,2\nEUR,2031-07-01,3\n", "utf-8")
    days = date(
        table(x=["2030-12-31", "2031-06-30", "2031-07-01", "2031-01-01"], cur=["EUR", "EUR", "EUR", "GBP"]), "x"
    )
    amounts = Table(days.data.append_column("a", pa.array([1.0, 1.0, 1.0, 1.0])), ("a",))
    done = TAKEN["convert"](amounts, "a", by="cur", on="x", using=path, into="b", rate="r")
    assert done.data.column("b").to_pylist() == [None, 2.0, 3.0, None]
    (said,) = [remark for remark in done.remarks if remark.breaks]
    assert "2 amounts have no rate, or none yet on the day: EUR (1), GBP (1)" in said.what


@pytest.mark.parametrize(("text", "said"), [("code\nA\n", "no rate table"), ("code,rate\nA,x\n", "a rate is no number"),
                                            ("code,rate\nA,1\nA,2\n", "two rates for 'A'")])  # fmt: skip
def test_bad_rates_are_refused(tmp_path: Path, text: str, said: str) -> None:
    path = tmp_path / "rates.csv"
    path.write_text(text, "utf-8")
    with pytest.raises(PlanError, match=said):
        read_rates(path)


def test_rates_under_their_own_column_names_and_per_so_many_units(tmp_path: Path) -> None:
    path = tmp_path / "rates.csv"
    path.write_text("Currency;Buys;Units\nEUR;150;100\nGBP;2;1\n", "utf-8")
    named = {"code": "Currency", "rate": "Buys", "per": "Units"}
    amounts = Table(pa.table({"due": [2.0, 3.0, 4.0], "cur": ["EUR", "GBP", "XXX"]}), ("due",))
    done = TAKEN["convert"](amounts, "due", by="cur", using=path, into="here", named=named, unrated="blank")
    assert done.data.column("here").to_pylist() == [3.0, 6.0, None]
    (said,) = [remark for remark in done.remarks if remark.kind == "missing rate"]
    assert "1 amount has no rate" in said.what
    assert not said.breaks
    with pytest.raises(PlanError, match=r"(?i)a rate table has no 'cod'"):
        read_rates(path, {"cod": "Currency"})
    with pytest.raises(PlanError, match="and 'Price' is none"):
        read_rates(path, {"code": "Currency", "rate": "Price"})


def test_split_never_counts_an_amount_twice() -> None:
    crew = Table(
        pa.table({"who": ["Ann", "Bo", "Cy"], "papers": ['A1; "B, 2"', "", "C3;C3"], "fee": [6.0, 1.0, 4.0]}), ("fee",)
    )
    for share, fees in (("first", [6.0, None, 1.0, 4.0, None]), ("equal", [3.0, 3.0, 1.0, 2.0, 2.0])):
        done = TAKEN["split"](crew, "papers", share=share, position="no")
        assert done.data.column("fee").to_pylist() == fees
        assert done.data.column("papers").to_pylist() == ["A1", "B, 2", None, "C3", "C3"]
        assert any(remark.kind == "entries twice" for remark in done.remarks)


def test_columns_split_in_step_and_unequal_counts_are_findings() -> None:
    done = TAKEN["split"](table(x=["a;b", "c"], y=["1;2", "3;4"]), "x", along=["y"])
    assert done.data.to_pydict() == {"x": ["a", "b", "c", None], "y": ["1", "2", "3", "4"]}
    assert any(remark.kind == "unequal entries" and remark.breaks for remark in done.remarks)


def test_split_into_columns_tells_what_does_not_fit() -> None:
    done = TAKEN["split"](table(x=["a;b", "c"]), "x", into=["p", "q"])
    assert done.data.column("q").to_pylist() == ["b", None]
    assert any(remark.breaks for remark in done.remarks)


def test_the_origin_survives_a_split(tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    path.write_text("Vessel,Papers,Fee\nGull,A;B,5.5\nTern,C,2.5\n", "utf-8")
    (done,) = kb.tidy_reports(path).tables.values()
    split = done.split("Papers")
    origin = split.origin(2, "Fee")
    assert origin is not None
    assert origin.cell == "C3"
    assert split.proof.holds


def test_tidying_unaided_standardises_only_what_is_conclusive(tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    path.write_text(
        'Vessel,Due,Code,Note\nGull,"1.234,50-",007,paid\nTern,"(7,25)",012,late\nAuk,"3,00",100,late\n', "utf-8"
    )
    (done,) = kb.tidy_reports(path).tables.values()
    assert done.to_arrow().column("Due").to_pylist() == [-1234.5, -7.25, 3.0]
    assert done.to_arrow().column("Code").to_pylist() == ["007", "012", "100"]
    plan = kb.draft(path, base=tmp_path)
    assert 'Due = "number"' in plan.text
    assert plan.run().tables["r"].to_arrow().to_pylist() == done.to_arrow().to_pylist()


def test_a_profile_shows_the_odd_ones_first() -> None:
    found = profile(table(due=["1,234.50"] * 40 + ["12.5O"])).columns[0]
    assert found.patterns[0].example == "12.5O"
    assert found.patterns[0].odd
    assert "12.5O" in found.suggestion.question


def make_refunds() -> Any:
    spec = importlib.util.spec_from_file_location("make_refunds", ROOT / "scripts" / "make_refunds.py")
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def test_the_refunds_come_out_exactly_as_they_were_made(demo: Path, kebrin: Kebrin) -> None:
    done = kebrin("run", "refunds.plan.toml")
    assert done.returncode == 0, done.stdout + done.stderr
    with (demo / "out/refunds.csv").open(encoding="utf-8", newline="") as lines:
        rows = list(csv.DictReader(lines))
    names = ("Refund", "Paid on", "Port", "currency", "Permit")
    card = {"true": "yes", "false": "no"}
    got = set()
    for row in rows:
        number_, day, port, currency, permit = (row[name] for name in names)
        got.add((number_, day, port, float(row["Amount"]), currency, permit, card[row["By card"]]))
    assert got == {one for branch in (0, 1) for one in make_refunds().rows_of(branch, 120)[1]}


def test_values_and_codes_on_the_command_line(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("tidy", "refunds_*.csv", "-o", "r.csv").returncode == 0
    shown = kebrin("values", "r.csv").stdout
    assert "likely dates" in shown
    assert "which side is negative depends on whose books they are" in shown
    told = json.loads(kebrin("values", "r.csv", "Amount", "--json").stdout)
    assert told["columns"][0]["step"] == {"number": "Amount", "currency": "Amount currency"}
    assert "Values names 'Amuont', which is no column" in kebrin("values", "r.csv", "Amuont").stderr
    assert kebrin("codes", "r.csv", "Port", "-o", "list.csv").returncode == 0
    lines = (demo / "list.csv").read_text("utf-8").splitlines()
    edited = [line + "yes" if line.startswith("HAL,Hallan,Hallan,") else line for line in lines]
    (demo / "list.csv").write_text("\n".join(edited) + "\n", "utf-8")
    assert kebrin("codes", "r.csv", "Port", "-o", "list.csv").returncode == 0
    assert "HAL,Hallan,Hallan,29,yes" in (demo / "list.csv").read_text("utf-8")


STEPS = [
    ('numbr = "x"', "no step is called 'numbr'"), ('number = "x"\ndecimal = "dot"', "decimal can't be 'dot'"),
    ('number = "x"\ndecimals = "point"', "unknown key 'decimals'"), ('recode = "x"', "'using' is missing"),
]  # fmt: skip


@pytest.mark.parametrize(("step", "said"), STEPS)
def test_a_wrong_step_is_told_with_its_line(step: str, said: str) -> None:
    from kebrin.plan.plan_file import parse_plan

    with pytest.raises(PlanError) as caught:
        parse_plan(f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\n{step}\n')
    assert said in str(caught.value)
    assert caught.value.where.line >= 4


def test_a_step_that_asks_says_which_one_it_is(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("Vessel;Due\nGull;1,234\nTern;2,345\n", "utf-8")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[[table.t.step]]\nnumber = "Due"\n', "utf-8"
    )
    with pytest.raises(ValuesError, match="Table t, step 1: the column 'Due' can be read in two ways"):
        kb.load_plan(tmp_path / "p.toml").run()


DECLARED = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n'


def plan_of(folder: Path, rest: str) -> kb.Plan:
    (folder / "r.csv").write_text("Vessel,Due,Code\nGull,1.5,007\nTern,2.5,012\n", "utf-8")
    (folder / "p.toml").write_text(DECLARED + rest, "utf-8")
    return kb.load_plan(folder / "p.toml")


def test_declared_kinds_are_held(tmp_path: Path) -> None:
    good = plan_of(tmp_path, '[table.t.kinds]\nDue = "number"\nCode = "text"\n').run()
    assert good.tables["t"].to_arrow().column("Code").to_pylist() == ["007", "012"]
    with pytest.raises(ValuesError, match="'Code' is declared to hold number: it holds text"):
        plan_of(tmp_path, '[table.t.kinds]\nCode = "number"\n').run()


def test_columns_are_chosen_by_place(tmp_path: Path) -> None:
    (done,) = plan_of(tmp_path, "[table.t.columns]\nboat = 1\nowed = 2\n").run().tables.values()
    assert done.to_arrow().to_pydict() == {"boat": ["Gull", "Tern"], "owed": [1.5, 2.5]}
    with pytest.raises(PlanError, match="place 9"):
        plan_of(tmp_path, "[table.t.columns]\nboat = 9\n").run()


def test_a_notebook_shows_what_is_in_a_table(tmp_path: Path) -> None:
    (done,) = plan_of(tmp_path, "").run().tables.values()
    assert "<td>Due</td><td>number</td>" in done.values()._repr_html_()
    assert "Code: text, 2 filled" in repr(done.values("Code"))


def test_a_number_of_more_digits_than_a_double_holds_is_not_changed_in_silence() -> None:
    done = number(table(x=["12345678901234567", "1.5"]), "x")
    assert done.data.column("x").to_pylist() == [None, 1.5]
    assert any(remark.breaks for remark in done.remarks)


def test_a_period_whose_year_cannot_be_read_breaks_the_proof() -> None:
    done = TAKEN["period"](table(x=["Jan", "Feb"], y=["2031", "?"]), "x", year="y")
    assert done.data.column("x").to_pylist() == ["2031-01", None]
    assert any(remark.breaks for remark in done.remarks)


def test_amounts_that_are_still_text_are_not_repeated_in_silence() -> None:
    crew = Table(pa.table({"papers": ["A;B", "C"], "fee": ["(6,50)", "4,00"]}), ("papers", "fee"))
    done = TAKEN["split"](crew, "papers")
    assert any(remark.kind == "repeated amount" and remark.breaks for remark in done.remarks)
    read = TAKEN["split"](number(crew, "fee"), "papers")
    assert read.data.column("fee").to_pylist() == [-6.5, None, 4.0]
    assert not any(remark.breaks for remark in read.remarks)


def test_longer_periods_of_texts() -> None:
    table = Table(pa.table({"month": ["Jan", "2031-05", "2031-H1"], "year": ["2031", "2031", "2031"]}), ())
    done = TAKEN["period"](table, "month", of="quarter", year="year")
    assert done.data.column("month").to_pylist() == ["2031-Q1", "2031-Q2", None]
    (lost,) = [remark for remark in done.remarks if remark.breaks]
    assert "1 cells lie in no single quarter: '2031-H1'" in lost.what
