"""What is done to whole tables: rows chosen, sums, crosstabs, look-ups, orders, columns; and plans that make tables of tables."""

from __future__ import annotations

import math
import subprocess
import sys
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from building import write_book
from kebrin.errors import PlanError
from kebrin.shape.choosing import leave_out, once, only
from kebrin.shape.columns import compute, fixed, join, turn
from kebrin.shape.conditions import fulfilled
from kebrin.shape.crosstabs import crosstab
from kebrin.shape.looking_up import lookup, unmatched
from kebrin.shape.ranking import change, rank, running, share, sort, top, total_row
from kebrin.shape.stacking import stack_tables
from kebrin.shape.summing import sums
from kebrin.table import Table

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path


def table(measures: tuple[str, ...] = (), **columns: list[Any]) -> Table:
    return Table(pa.table(columns), measures)


def rows(made: Table) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = made.data.to_pylist()
    return found


LOG = table(
    ("boats",), port=["Brae", "Wick", "brae ", None, "Ness"], code=["0410250", "410250", "7", "007", None],
    boats=[3.0, 5.0, None, 9.0, 4.0], month=["Feb", "Jan", "Jan", "Mar", "Jan"],
)  # fmt: skip


SHEET = [
    ["Route", "Class", "Mar", "Jan", "Feb"], ["N4", "Foot", 10, 12, 14], ["N4", "Cars", 1, 2, 3], ["S1", "Foot", 5, 6, 7],
]  # fmt: skip


@pytest.fixture
def traffic(tmp_path: Path) -> kb.Table:
    """A tidied table with origins."""
    (made,) = kb.tidy_reports(write_book(tmp_path / "r.xlsx", {"Traffic": SHEET})).tables.values()
    return made


# Rows.


@pytest.mark.parametrize(
    ("where", "kept"),
    [
        ({"port": "Brae"}, [0]),
        ({"port": ["Brae", "Ness"]}, [0, 4]),
        ({"port": {"like": "?r*"}}, [0, 2]),
        ({"port": {"blank": True}}, [3]),
        ({"port": {"blank": False}}, [0, 1, 2, 4]),
        ({"boats": {"from": 4, "to": 5}}, [1, 4]),
        ({"boats": {"above": 4, "below": 9}}, [1]),
        ({"boats": 9}, [3]),
        ({"code": "0410250"}, [0]),
        ({"code": "410250"}, [1]),
        ({"port": {"but": "Brae"}}, [1, 2, 3, 4]),
        ({"but_not": {"port": "Brae"}}, [1, 2, 3, 4]),
        ({"any": [{"port": "Wick"}, {"boats": {"above": 8}}]}, [1, 3]),
        ({"all": [{"month": "Jan"}, {"boats": {"blank": False}}]}, [1, 4]),
        ({"month": "Jan", "port": "Ness"}, [4]),
    ],
)
def test_conditions_choose_rows(where: dict[str, Any], kept: list[int]) -> None:
    assert np.flatnonzero(fulfilled(LOG, where)).tolist() == kept
    made, rest = only(LOG, where), leave_out(LOG, where)
    assert len(made) == len(kept)
    assert len(made) + len(rest) == len(LOG)
    assert f"{len(kept):,} of 5 rows kept, {5 - len(kept):,} left out" in made.remarks[0].what


def test_case_and_blanks_are_passed_over_if_asked() -> None:
    assert len(only(LOG, {"port": "BRAE"}, alike=True)) == 2


@pytest.mark.parametrize(
    ("where", "why"),
    [
        ({"port": "brae"}, "differs in case or blanks; state alike = true"),
        ({"code": "00410250"}, "port|which is another text"),
        ({"port": "Hallan"}, "port says 'Brae', 'Wick'"),
    ],
)
def test_nothing_kept_says_why_it_may_be(where: dict[str, Any], why: str) -> None:
    made = only(LOG, where)
    assert len(made) == 0
    question = made.remarks[-1]
    assert question.kind == "question"
    assert why.partition("|")[2] in question.what or why in question.what


def test_a_number_is_no_text_and_a_text_no_number() -> None:
    with pytest.raises(PlanError, match="holds texts, and the condition says the number 41"):
        only(LOG, {"code": 41})
    with pytest.raises(PlanError, match="holds numbers, and the condition says '9'"):
        only(LOG, {"boats": "9"})
    with pytest.raises(PlanError, match=r"(?i)no test is called 'frm'.*Did you mean 'from'\?"):
        only(LOG, {"boats": {"frm": 1}})
    with pytest.raises(PlanError, match="'prt', which is no column"):
        only(LOG, {"prt": "x"})


def test_the_same_test_makes_a_column_of_yes_and_no() -> None:
    made = only(LOG, {"month": "Jan"}, into="in January")
    assert [row["in January"] for row in rows(made)] == [False, True, True, False, True]


def test_records_once_by_all_columns_or_by_a_key() -> None:
    twice = table(port=["Brae", "Wick", "Brae"], boats=[3.0, 5.0, 3.0])
    assert len(once(twice)) == 2
    assert "1 of 3 rows say what another says, 1 record; the first of each is kept" in once(twice).remarks[0].what
    assert [row["boats"] for row in rows(once(LOG, ["month"], keep="last"))] == [3.0, 9.0, 4.0]


def test_origins_follow_rows_through_choosing_and_sorting(traffic: kb.Table) -> None:
    kept = traffic.only({"Class": "Foot"}).sort(["value"], falling=["value"])
    assert [row["value"] for row in kept] == [14, 12, 10, 7, 6, 5]
    assert str(kept.origin(0)).endswith("cell E2")
    assert str(kept.origin(5)).endswith("cell C4")
    assert kept.proof.holds
    again = kept.only({"Route": "S1"})
    assert str(again.origin(0)).endswith("cell E4")
    from kebrin.table import Origin

    back = Origin.from_plain(kept.origins.to_plain())
    assert [back.of(at, "value") for at in range(6)] == [kept.origins.of(at, "value") for at in range(6)]


# Sums and crosstabs.


def test_sums_by_groups_in_the_order_of_their_first_row() -> None:
    made = sums(LOG, ["month"], of={
        "boats": "sum boats", "n": "count boats", "ports": "distinct port", "mean": "mean boats", "low": "least boats",
        "high": "largest boats", "first": "first port", "last": "last port",
    }, rows="rows")  # fmt: skip
    assert rows(made)[1] == {
        "month": "Jan", "boats": 9.0, "n": 2, "ports": 3, "mean": 4.5, "low": 4.0, "high": 5.0, "first": "Wick", "last": "Ness",
        "rows": 3,
    }  # fmt: skip
    assert [row["month"] for row in rows(made)] == ["Feb", "Jan", "Mar"]


def test_a_mean_over_the_periods_that_have_data() -> None:
    log = table(port=["Brae"] * 4, month=["Jan", "Jan", "Feb", "Mar"], boats=[1.0, 2.0, 6.0, None])
    assert rows(sums(log, ["port"], of={"a month": "mean boats"}, per="month"))[0]["a month"] == 4.5


def test_wrong_ways_are_told() -> None:
    with pytest.raises(PlanError, match=r"Did you mean 'largest'\?"):
        sums(LOG, ["port"], of={"x": "largst boats"})
    with pytest.raises(PlanError, match=r"(?i)sums needs numbers, and 'port' holds text"):
        sums(LOG, ["month"], of=["port"])
    with pytest.raises(PlanError, match=r"(?i)two columns would be named 'month'"):
        sums(LOG, ["month"], of={"month": "sum boats"})


@given(
    st.lists(st.tuples(st.sampled_from("ABC"), st.sampled_from("xyz"), st.integers(-99, 99)), min_size=1, max_size=40)
)
def test_a_crosstab_cross_foots_and_gives_the_sums_back(records: list[tuple[str, str, int]]) -> None:
    down, across, values = (
        [float(one) if isinstance(one, int) else one for one in column] for column in zip(*records, strict=True)
    )
    long = table(("v",), a=list(down), b=list(across), v=list(values))
    wide = rows(crosstab(long, ["a"], ["b"], totals="both"))
    heads = [name for name in wide[0] if name not in {"a", "Total"}]
    for row in wide:
        assert math.isclose(sum(row[head] or 0 for head in heads), row["Total"] or 0)
    assert math.isclose(wide[-1]["Total"] or 0, sum(values))
    for row in wide[:-1]:
        for head in heads:
            own = [value for a, b, value in records if (a, b) == (row["a"], head)]
            assert row[head] == (float(sum(own)) if own else None)


def test_periods_stand_in_their_natural_order_and_new_ones_appear(traffic: kb.Table) -> None:
    wide = traffic.crosstab(["Route"], ["month"])
    assert wide.columns == ("Route", "Jan", "Feb", "Mar")
    assert wide["Jan"] == [14, 6]
    both = traffic.crosstab(["Route", "Class"], ["month"], totals="rows", order="as it comes")
    assert both.columns == ("Route", "Class", "Mar", "Jan", "Feb", "Total")
    assert any("crosstab: value sums to 60" in str(remark) for remark in both.remarks)
    assert both.proof.holds


def test_several_measures_stand_by_label_or_by_measure() -> None:
    log = table(("boats", "dues"), port=["Brae", "Wick"], month=["Jan", "Jan"], boats=[1.0, 2.0], dues=[10.0, 20.0])
    assert crosstab(log, ["port"], ["month"], ["boats", "dues"]).columns == ("port", "Jan / boats", "Jan / dues")
    with pytest.raises(PlanError, match=r"(?i)crosstab needs to know which column to sum"):
        crosstab(log, ["port"], ["month"])
    zero = crosstab(table(a=["x", "y"], b=["p", "q"], v=[1.0, 2.0]), ["a"], ["b"], ["v"], blank="zero")
    assert rows(zero) == [{"a": "x", "p": 1.0, "q": 0.0}, {"a": "y", "p": 0.0, "q": 2.0}]


# Orders, ranks, shares.


def test_natural_order_knows_periods_numbers_and_names() -> None:
    log = table(when=["Q2 2031", "Q1 2032", "Q1 2031"], n=[10.0, 9.0, None])
    assert [row["when"] for row in rows(sort(log, ["when"]))] == ["Q1 2031", "Q2 2031", "Q1 2032"]
    assert [row["n"] for row in rows(sort(log, ["n"], falling=["n"]))] == [10.0, 9.0, None]
    quays = table(quay=["Quay 10", "Quay 9", "Mole"])
    assert [row["quay"] for row in rows(sort(quays, ["quay"]))] == ["Mole", "Quay 9", "Quay 10"]


def test_ranks_share_a_place_within_groups() -> None:
    log = table(port=["A", "A", "B", "B", "A"], boats=[3.0, 5.0, 1.0, 1.0, 5.0])
    assert rank(log, "boats", "place").data.column("place").to_pylist() == [3, 1, 4, 4, 1]
    assert rank(log, "boats", "place", within=["port"]).data.column("place").to_pylist() == [3, 1, 1, 1, 1]
    assert rank(log, "boats", "place", rising=True).data.column("place").to_pylist() == [3, 4, 1, 1, 4]


@given(st.lists(st.integers(1, 50), min_size=1, max_size=30), st.integers(1, 8))
def test_the_first_and_the_rest_add_up(boats: list[int], count: int) -> None:
    log = table(port=[f"P{at % 7}" for at in range(len(boats))], boats=[float(one) for one in boats])
    made = rows(top(log, count, "boats", by=["port"]))
    assert math.isclose(sum(row["boats"] for row in made), sum(boats))
    assert len(made) <= count + 1


@given(st.lists(st.integers(0, 500), min_size=1, max_size=30).filter(any), st.integers(0, 3))
def test_rounded_shares_add_up_to_the_whole(boats: list[int], places: int) -> None:
    made = share(table(boats=[float(one) for one in boats]), "boats", "part", percent=True, places=places)
    assert round(sum(made.data.column("part").to_pylist()), 6) == 100


def test_running_sums_and_changes_go_by_groups_and_periods() -> None:
    log = table(port=["A", "B", "A", "B"], month=["Feb", "Jan", "Jan", "Feb"], boats=[6.0, 1.0, 4.0, 3.0])
    assert running(log, "boats", "so far", within=["port"]).data.column("so far").to_pylist() == [6.0, 1.0, 10.0, 4.0]
    assert change(log, "boats", "more", on="month", within=["port"]).data.column("more").to_pylist() == [
        2.0,
        None,
        None,
        2.0,
    ]
    grown = change(log, "boats", "per cent", on="month", within=["port"], way="percent")
    assert grown.data.column("per cent").to_pylist() == [50.0, None, None, 200.0]
    with pytest.raises(PlanError, match="stands twice in a group"):
        change(log, "boats", "more", on="month")


def test_a_total_row_sums_what_are_numbers() -> None:
    made = rows(total_row(table(port=["A", "B"], boats=[1.0, 2.0], note=["x", None]), label="In all"))
    assert made[-1] == {"port": "In all", "boats": 3.0, "note": None}
    with pytest.raises(PlanError, match="no place for the total's label"):
        total_row(table(boats=[1.0]))


# Columns.


def test_columns_are_joined_without_their_empty_parts() -> None:
    log = table(a=["Income", "Income", None], b=["Dues", None, "Fuel"], c=["Berths", None, None])
    assert join(log, ["a", "b", "c"], "path").data.column("path").to_pylist() == [
        "Income / Dues / Berths",
        "Income",
        "Fuel",
    ]
    kept = join(log, ["a", "b"], "ab", between=" ", keep=True)
    assert kept.columns == ("ab", "a", "b", "c")
    with pytest.raises(PlanError, match=r"(?i)there is a column 'c' already"):
        join(log, ["a", "b"], "c")


@pytest.mark.parametrize(
    ("formula", "values"),
    [("a + b * 2", [5.0, None]), ("(a + b) * 2", [6.0, None]), ("-a / b", [-0.5, None]), ("'c d' / a", [10.0, None]),
     ("a - -1", [2.0, 1.0]), ("100 * a / (a + b)", [100 / 3, None]), ("2.5", [2.5, 2.5])],
)  # fmt: skip
def test_formulas_over_columns(formula: str, values: list[float | None]) -> None:
    log = Table(pa.table({"a": [1.0, 0.0], "b": [2.0, None], "c d": [10.0, 4.0]}), ())
    got = compute(log, "x", formula).data.column("x").to_pylist()
    assert got == [None if value is None else pytest.approx(value) for value in values]


@pytest.mark.parametrize(
    "formula", ["a +", "a b", "(a", "a ** 2", "a; b", "__import__('os')", "", "a + x", "((" * 60 + "a"]
)
def test_what_is_no_formula_is_refused(formula: str) -> None:
    with pytest.raises(PlanError):
        compute(table(a=[1.0]), "y", formula)


def test_fixed_columns_and_tables_on_their_side() -> None:
    assert fixed(table(a=[1.0]), "unit", value="t").data.column("unit").to_pylist() == ["t"]
    vessels = table(vessel=["Gull", "Tern"], crew=[4.0, 7.0], port=["Brae", None])
    made = rows(turn(vessels, "vessel"))
    assert made == [{"field": "crew", "Gull": "4", "Tern": "7"}, {"field": "port", "Gull": "Brae", "Tern": None}]
    with pytest.raises(PlanError, match=r"(?i)two columns would be named 'Gull'"):
        turn(table(vessel=["Gull", "Gull"], crew=[1.0, 2.0]), "vessel")


# Look-ups.

PORTS = table(code=["BR", "WK", "BR", "NS"], port=["Brae", "Wick", "Brae", "Ness"], coast=["N", "N", "N", "S"])


def test_a_lookup_brings_columns_in_and_tells_what_finds_no_match() -> None:
    log = table(("boats",), code=["WK", "BR", "XX", None], boats=[1.0, 2.0, 3.0, 4.0])
    made = lookup(log, {"harbour": "port"}, using=PORTS, by=["code"])
    assert made.data.column("harbour").to_pylist() == ["Wick", "Brae", None, None]
    assert "2 rows find no match in the other table by code: 'XX' (1), 'None' (1)" in made.remarks[0].what
    assert "1 key of the other table is on no row here" in made.remarks[1].what
    assert len(lookup(log, ["coast"], using=PORTS, by=["code"], unmatched="leave out")) == 2
    assert rows(unmatched(log, using=PORTS, by=["code"]))[0] == {"side": "here", "code": "XX", "rows": 1, "boats": 3.0}


def test_a_key_that_says_two_things_stops_and_rows_never_multiply() -> None:
    log = table(code=["BR", "BR"], boats=[1.0, 2.0])
    assert len(lookup(log, ["port"], using=PORTS, by=["code"])) == 2
    odd = table(code=["BR", "BR"], port=["Brae", "Braes"])
    with pytest.raises(PlanError, match="says two things of the key 'BR': its port is 'Brae' and 'Braes'"):
        lookup(log, ["port"], using=odd, by=["code"])


def test_keys_are_compared_as_texts_unless_numbers_are_meant() -> None:
    ports = table(code=["7", "041"], port=["Brae", "Wick"])
    log = table(code=[7.0, 41.0])
    assert lookup(log, ["port"], using=ports, by=["code"], unmatched="keep").data.column("port").to_pylist() == [
        None,
        None,
    ]
    assert lookup(log, ["port"], using=ports, by=["code"], numbers=True).data.column("port").to_pylist() == [
        "Brae",
        "Wick",
    ]
    alike = table(code=[" br", "Wk"])
    assert lookup(alike, ["port"], using=PORTS, by=["code"], alike=True).data.column("port").to_pylist() == [
        "Brae",
        "Wick",
    ]


def test_several_keys_and_other_names_there(tmp_path: Path) -> None:
    (tmp_path / "fares.csv").write_text("line,kind,fare\nN4,Foot,3\nN4,Cars,9\n", "utf-8")
    log = table(route=["N4", "N4", "S1"], cls=["Cars", "Foot", "Foot"])
    made = lookup(log, ["fare"], using=tmp_path / "fares.csv", by={"route": "line", "cls": "kind"})
    assert made.data.column("fare").to_pylist() == ["9", "3", None]
    with pytest.raises(PlanError, match="has no column 'fair'"):
        lookup(log, ["fair"], using=tmp_path / "fares.csv", by={"route": "line"})
    with pytest.raises(PlanError, match=r"(?i)there is a column 'route' already"):
        lookup(log, {"route": "fare"}, using=tmp_path / "fares.csv", by={"route": "line"})


# Stacking by name.


def test_tables_are_stacked_by_the_names_of_their_columns() -> None:
    made = stack_tables({
        "a": table(port=["Brae"], boats=[1.0]), "b": Table(pa.table({" BOATS": [2.0], "Port ": ["Wick"]}), ()),
        "c": table(harbour=["Ness"], dues=[9.0]),
    }, same={"port": ["harbour"]}, origin="from")  # fmt: skip
    assert rows(made)[1:] == [
        {"from": "b", "port": "Wick", "boats": 2.0, "dues": None}, {"from": "c", "port": "Ness", "boats": None, "dues": 9.0},
    ]  # fmt: skip
    assert "stacked 1 of a, 1 of b, 1 of c" in made.remarks[-1].what


def test_clashing_kinds_are_asked_about_and_likeness_is_only_told() -> None:
    made = stack_tables({"a": table(boats=[1.0]), "b": table(boats=["two"])})
    assert made.remarks[0].kind == "question"
    assert made.data.column("boats").to_pylist() == ["1", "two"]
    likely = stack_tables({"a": table(passengers=[1.0]), "b": table(pasengers=[2.0])})
    assert len(likely.columns) == 2
    assert any("are alike and in no table together" in remark.what for remark in likely.remarks)


# Plans.

PLAN = """kebrin = 1
[table.traffic]
files = "r.xlsx"
[table.traffic.layout]
measure = "carried"
[[table.traffic.step]]
only = { Class = ["Foot", "Cars"] }
[[table.traffic.step]]
lookup = { name = "port" }
using = "ports.csv"
by = { Route = "code" }
misses = "unknown_ports"
unmatched = "keep"

[table.board]
from = "traffic"
[[table.board.step]]
crosstab = ["Route"]
across = ["month"]
of = "carried"
totals = "both"

[table.shares]
from = "traffic"
[[table.shares.step]]
sums = ["Route"]
of = "carried"
[[table.shares.step]]
share = "carried"
into = "share"
percent = true
places = 1

[[output]]
table = "board"
file = "board.csv"
[[output]]
table = "unknown_ports"
file = "unknown.csv"
"""


@pytest.fixture
def planned(tmp_path: Path) -> Callable[[str], kb.Run]:
    write_book(tmp_path / "r.xlsx", {"Traffic": SHEET})
    (tmp_path / "ports.csv").write_text("code,port\nN4,Hallan\nX9,Brae\n", "utf-8")

    def run(text: str) -> kb.Run:
        (tmp_path / "p.toml").write_text(text, "utf-8")
        return kb.load_plan(tmp_path / "p.toml").run()

    return run


def test_a_plan_makes_tables_of_tables_and_proves_them(planned: Callable[[str], kb.Run], tmp_path: Path) -> None:
    run = planned(PLAN)
    assert run.holds, run.proofs
    board = run.tables["board"]
    assert board.columns == ("Route", "Jan", "Feb", "Mar", "Total")
    assert list(board)[-1] == {"Route": "Total", "Jan": 20, "Feb": 24, "Mar": 16, "Total": 60}
    assert sum(run.tables["shares"]["share"]) == 100
    assert list(run.tables["unknown_ports"]) == [
        {"side": "here", "Route": "S1", "rows": 3, "carried": 18}, {"side": "there", "Route": "X9", "rows": 1, "carried": None},
    ]  # fmt: skip
    assert "made of traffic, proved: 9 rows" in str(run.proofs["board"].remarks[0])
    run.write()
    assert (tmp_path / "board.csv").read_text("utf-8").splitlines()[0] == "Route,Jan,Feb,Mar,Total"


def test_what_is_made_of_an_unproved_table_is_not_proved(planned: Callable[[str], kb.Run]) -> None:
    run = planned(PLAN.replace('unmatched = "keep"', ""))
    assert not run.proofs["traffic"].holds
    assert not run.proofs["board"].holds
    assert "made of traffic, which is not proved" in run.proofs["board"].failures[0]


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ('from = "traffic"', 'from = "trafic"', "board is made from 'trafic', which is no table of the plan"),
        ('[table.traffic]\nfiles = "r.xlsx"', '[table.traffic]\nfrom = "board"', "made of one another in a circle"),
        (
            '[table.board]\nfrom = "traffic"',
            '[table.board]\nfrom = "traffic"\nfiles = "r.xlsx"',
            "state either files or from",
        ),
        ('across = ["month"]', 'acros = ["month"]', "unknown key 'acros'"),
        ('sums = ["Route"]', 'suns = ["Route"]', r"no step is called 'suns'.*Did you mean 'sums'"),
    ],
)
def test_mistakes_in_such_plans_are_told(planned: Callable[[str], kb.Run], old: str, new: str, said: str) -> None:
    with pytest.raises(PlanError, match=rf"(?i){said}"):
        planned(PLAN.replace(old, new, 1))


def test_what_is_handed_over_wrongly_in_python_is_told(traffic: kb.Table) -> None:
    with pytest.raises(TypeError, match="decimals"):
        traffic.number("value", decimals="point")  # type: ignore[call-arg]
    with pytest.raises(PlanError, match="Sums takes names of columns, and no int"):
        traffic.sums(3)  # type: ignore[arg-type]
    with pytest.raises(PlanError, match="int is no table"):
        kb.as_table(3)  # type: ignore[arg-type]


def test_the_table_as_people_expect_it(traffic: kb.Table) -> None:
    assert traffic.shape == (9, 4)
    assert len(traffic.head(2)) == 2
    assert traffic["Route"][:2] == ["N4", "N4"]
    assert next(iter(traffic))["Class"] == "Foot"
    assert traffic.rename({"value": "carried"}).columns[-1] == "carried"
    assert traffic.drop("Class").columns == ("Route", "month", "value")
    assert traffic == traffic.head(9)
    assert traffic != traffic.head(8)
    assert len(traffic.stack(traffic, origin="of", names=["one", "two"])) == 18
    with pytest.raises(PlanError, match=r"Did you mean 'Class'\?"):
        traffic["Clas"]


def test_survey_draws_the_flow_of_a_plan(demo: Path) -> None:
    done = subprocess.run(
        [sys.executable, "-m", "kebrin", "survey", "board.plan.toml"], cwd=demo, capture_output=True, text=True, check=True,
        encoding="utf-8",
    )  # fmt: skip
    assert "    step  crosstab route by month" in done.stdout
    assert "    to    out/board.xlsx (one for each route)" in done.stdout
    assert done.stdout.index("  traffic\n") < done.stdout.index("  foot\n")
    assert "    from  papers" in done.stdout


def test_a_lookup_may_read_another_sheet_of_a_workbook(tmp_path: Path) -> None:
    path = write_book(
        tmp_path / "r.xlsx", {"Traffic": SHEET, "Ports": [["code", "port"], ["N4", "Hallan"], ["S1", "Brae"]]}
    )
    log = table(code=["S1", "N4"])
    assert lookup(log, ["port"], using=path, by=["code"], sheet="Ports").data.column("port").to_pylist() == [
        "Brae",
        "Hallan",
    ]
    with pytest.raises(kb.SourceError, match="there is no sheet 'Prots': the sheets are Traffic, Ports"):
        lookup(log, ["port"], using=path, by=["code"], sheet="Prots")


def test_steps_limited_to_rows_read_each_branch_in_its_own_convention(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text(
        'branch;due;paid\nHallan;"1.234,50";03/04/2031\nSkarrow;"1,234.50";03/04/2031\nHallan;7,25;25/12/2031\nSkarrow;7.25;12/25/2031\n',
        "utf-8",
    )
    steps = "".join(
        f'[[table.t.step]]\nnumber = "due"\ndecimal = "{sign}"\nwhere = {{ branch = "{branch}" }}\n'
        f'[[table.t.step]]\ndate = "paid"\norder = "{order}"\nwhere = {{ branch = "{branch}" }}\n'
        for branch, sign, order in (("Hallan", "comma", "day first"), ("Skarrow", "point", "month first"))
    )
    (tmp_path / "p.toml").write_text(f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n{steps}', "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert run.tables["t"]["due"] == [1234.5, 1234.5, 7.25, 7.25]
    assert [day.isoformat() for day in run.tables["t"]["paid"]] == [
        "2031-04-03",
        "2031-03-04",
        "2031-12-25",
        "2031-12-25",
    ]
    (tmp_path / "p.toml").write_text(
        f'kebrin = 1\n[table.t]\nfiles = "r.csv"\n{steps.replace("Skarrow", "Skarow")}', "utf-8"
    )
    with pytest.raises(PlanError, match="no row fulfils where: branch is 'Skarow'"):
        kb.load_plan(tmp_path / "p.toml").run()


def test_the_first_that_says_something_and_what_is_said_where_none_does() -> None:
    table = kb.as_table(pa.table({"desk": ["12", None, None], "mobile": [None, "77", None], "boats": [1.0, None, 3.0]}))
    assert table.first_of(["desk", "mobile"], into="call", otherwise="none")["call"] == ["12", "77", "none"]
    assert table.first_of("boats", otherwise=0)["boats"] == [1, 0, 3]
    assert table.first_of(["desk", "boats"], into="either")["either"] == ["12", None, "3"]
    assert table.compute("part", "boats / 3", places=2)["part"] == [0.33, None, 1.0]
    with pytest.raises(PlanError, match="'few' can't stand in 'boats': the column holds numbers"):
        table.first_of("boats", otherwise="few")
    with pytest.raises(PlanError, match="There is a column 'mobile' already"):
        table.first_of("desk", into="mobile")
