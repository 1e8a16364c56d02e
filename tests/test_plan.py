"""Plans: each mistake is told with line, key and the nearest valid word."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from kebrin.errors import PlanError
from kebrin.plan.plan_file import parse_plan
from kebrin.work.places import FieldPlace

if TYPE_CHECKING:
    from pathlib import Path

GOOD = 'kebrin = 1\n[table.t]\nfiles = "r.xlsx"\n'

MISTAKES = [
    ("kebrin = 1\n[table.t\n", "line 2: the plan is no valid TOML"),
    (GOOD + "sheet = 3", "line 4: unknown key 'sheet' in table.t: the keys there are choose, columns, expect, fetch, fields, "
     "files, from, kinds, labels, layout, misfits, optional, origin, same, sheets, shorten, step, stored, text. "
     "Did you mean 'sheets'?"),
    (GOOD + "[table.t.layout]\nboxhaed = []", "line 5: unknown key 'boxhaed' in table.t.layout"),
    (GOOD + '[table.t.layout]\nblanks = "kept"', "line 5: blanks can't be 'kept': input should be 'keep' or 'leave out'. "
     "Did you mean 'keep'?"),
    (GOOD + '[table.t.layout]\nboxhead = ["a"]\nmeasures = "b"', "measures names 'b', but boxhead has a"),
    (GOOD + '[table.t.fields]\nroute = "beneath the title"', "'beneath the title' names no place; a field is 'sheet name'"),
    (GOOD + "[table.t.fields]\nyear = \"file name, '('\"", "the pattern '(' can't be read"),
    (GOOD + '[[output]]\ntable = "u"\nfile = "x.csv"', "line 5: the output names the table 'u': the plan has t."),
    (GOOD + '[[output]]\ntable = "t"\nfile = "x.doc"', "line 6: file in output.0 is wrong: the file must end in .csv"),
    (GOOD + "[proof]\ntolerance = -1", "line 5: tolerance in proof is wrong"),
    ("kebrin = 2\n[table.t]\nfiles = 'r.xlsx'\n", "line 1: kebrin can't be 2"),
    ("kebrin = 1\n", "'table' is missing in the plan. Add it."),
]  # fmt: skip


@pytest.mark.parametrize(("text", "said"), MISTAKES)
def test_a_mistake_is_told_with_its_line(text: str, said: str) -> None:
    with pytest.raises(PlanError) as caught:
        parse_plan(text)
    assert said.casefold() in str(caught.value).casefold()


def test_all_mistakes_are_told_at_once() -> None:
    with pytest.raises(PlanError) as caught:
        parse_plan(GOOD + 'sheeds = ["A"]\n[proof]\ntotal = 1\n')
    assert "line 4: unknown key 'sheeds'" in str(caught.value)
    assert "line 6: unknown key 'total'" in str(caught.value)


@pytest.mark.parametrize(
    ("said", "form", "what"),
    [
        ("sheet name", "sheet name", ""),
        ("file name", "file name", ""),
        ("file name, 'traffic_(\\d{4})'", "file name", "traffic_(\\d{4})"),
        ('beside "Skipper\'s name:"', "beside", "Skipper's name:"),
        ("below 'Route'", "below", "Route"),
        ("cell B3", "cell", "B3"),
        ("text 'Skarrow'", "text", "Skarrow"),
    ],
)
def test_places_are_read(said: str, form: str, what: str) -> None:
    place = FieldPlace.parse(said)
    assert (place.form, place.what) == (form, what)


def test_one_name_or_a_list_will_do() -> None:
    plan = parse_plan(GOOD + 'sheets = "North*"\n')
    assert plan.table["t"].files == ("r.xlsx",)
    assert plan.table["t"].sheets.takes("North Loop")
    assert not plan.table["t"].sheets.takes("Cover")


def test_lines_about_columns_that_are_gone_are_asked_about_and_stop_nothing(tmp_path: Path) -> None:
    (tmp_path / "r.csv").write_text("port,boats\nBrae,3\nWick,5\nLerr,1\n", "utf-8")
    plan = 'kebrin = 1\n[table.t]\nfiles = "r.csv"\n[table.t.labels]\nharbor = ["Brae"]\n[table.t.kinds]\nboat = "number"\n'
    (tmp_path / "p.toml").write_text(plan, "utf-8")
    run = kb.load_plan(tmp_path / "p.toml").run()
    assert len(run.tables["t"]) == 3
    said = " | ".join(run.proof.failures)
    assert "labels in the plan names 'harbor': the columns are port, boats. Take out what no longer fits" in said
    assert "kinds in the plan names 'boat': the columns are port, boats. Did you mean 'boats'?" in said


SET = """kebrin = 1
[set]
month = "2031-01"
least = 1
[table.trips]
files = "trips.csv"
[[table.trips.step]]
only = { Month = "{month}", Trips = { from = "{least}" } }
[[output]]
table = "trips"
file = "out_{month}.csv"
"""


def test_values_from_outside_are_filled_in(tmp_path: Path) -> None:
    text = "Route,Class,Month,Trips\nN4,Foot,2031-01,10\nN4,Cars,2031-01,2\nS1,Foot,2031-02,5\nS1,Cars,2031-02,9\n"
    (tmp_path / "trips.csv").write_text(text, "utf-8")
    (tmp_path / "p.toml").write_text(SET, "utf-8")
    kb.load_plan(tmp_path / "p.toml").run().write()
    run = kb.load_plan(tmp_path / "p.toml", given={"month": "2031-02", "least": "6"}).run()
    run.write()
    assert (tmp_path / "out_2031-01.csv").exists()
    assert (tmp_path / "out_2031-02.csv").read_text("utf-8").splitlines()[1:] == ["S1,Cars,2031-02,9"]


@pytest.mark.parametrize(
    ("text", "given", "said"),
    [
        (
            SET,
            {"mont": "1"},
            "'mont', which is not under .set. in the plan: there are month, least. Did you mean 'month'",
        ),
        (SET, {"least": "few"}, "east must be a number, and is 'few'"),
        (SET.replace('"2031-01"', '""'), {}, "needs month: it is empty under .set."),
        (SET.replace("[set]", '[set]\nyear = "2031"'), {}, "names 'year', and .year. stands nowhere"),
        (SET.replace("[set]", '[set]\nvalue = "2031"'), {}, "names 'value', which outputs fill in themselves"),
    ],
)
def test_values_from_outside_that_do_not_fit_are_told(text: str, given: dict[str, str], said: str) -> None:
    with pytest.raises(PlanError, match=said):
        parse_plan(text, given=given)


def test_a_plan_whose_values_are_still_to_be_said_can_be_looked_at() -> None:
    plan = parse_plan(SET.replace('"2031-01"', '""'), needed=False)
    assert plan.output[0].file == "out_{month}.csv"


def test_a_pattern_of_headings_keeps_the_names_of_its_parts() -> None:
    text = 'kebrin = 1\n[set]\nyear = "2031"\n[table.t]\nfiles = "t_{year}.csv"\nlayout = { headings = "{measure} {year}" }\n'
    plan = parse_plan(text).table["t"]
    assert (plan.files, plan.layout.headings) == (("t_2031.csv",), "{measure} {year}")
