"""JSON and lines of it: records as sheets, lists within them as details, and what is refused."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from kebrin.errors import SourceError
from kebrin.sources import read
from tidying import tidied_text

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

CALLS = {
    "month": "2031-04", "count": 3, "next": None, "calls": [
        {"id": "C1", "harbour": {"name": "Skarrow", "code": "SK"}, "dues": 120.5, "cars": 12, "crew": ["Ane", "Bo"]},
        {"id": "C2", "harbour": {"name": "Hallan", "code": "HA"}, "dues": 80, "cars": None, "crew": []},
        {"id": "C3", "harbour": {"name": "Ness"}, "dues": 44.25, "cars": 9, "crew": ["Cai"]},
    ],
}  # fmt: skip


def written(path: Path, text: str) -> Path:
    path.write_text(text, "utf-8")
    return path


def rows_of(run: kb.Run, name: str) -> list[dict[str, Any]]:
    rows: list[dict[str, Any]] = run.tables[name].data.to_pylist()
    return rows


def test_nested_records_give_a_column_for_each_path_and_a_table_of_details(tmp_path: Path) -> None:
    run = kb.tidy(written(tmp_path / "calls.json", json.dumps(CALLS)))
    assert run.holds
    names = ("month", "record", "id", "harbour.name", "harbour.code", "dues", "cars")
    assert rows_of(run, "calls") == [dict(zip(names, row, strict=True)) for row in (
        ("2031-04", "1", "C1", "Skarrow", "SK", 120.5, 12),
        ("2031-04", "2", "C2", "Hallan", "HA", 80, None),
        ("2031-04", "3", "C3", "Ness", None, 44.25, 9),
    )]  # fmt: skip
    crew = rows_of(run, "calls crew")
    assert [(row["record"], row["value"]) for row in crew] == [("1", "Ane"), ("1", "Bo"), ("3", "Cai")]


def test_a_list_that_says_how_many_records_it_has_is_held_to_it(tmp_path: Path) -> None:
    short = CALLS | {"calls": CALLS["calls"][:2]}  # type: ignore[index]
    run = kb.tidy(written(tmp_path / "calls.json", json.dumps(short)))
    assert not run.holds
    assert any("it says count = 3, and 2 records are in it" in remark.what for remark in run.proofs["calls"].remarks)


@pytest.mark.parametrize("ending", ["json", "jsonl", "txt"])
def test_lines_of_records_are_read_whatever_the_ending(tmp_path: Path, ending: str) -> None:
    lines = [{"day": f"2031-04-0{at}", "port": "Skarrow", "foot": 100 + at, "cars": at} for at in range(1, 5)]
    path = written(tmp_path / f"days.{ending}", "\n".join(map(json.dumps, lines)) + "\n")
    (table,) = kb.tidy(path).tables.values()
    assert table.columns == ("day", "port", "foot", "cars")
    assert [row["foot"] for row in table.data.to_pylist()] == [101, 102, 103, 104]


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ('{"Skarrow": {"Jan": 12, "Feb": 14}, "Hallan": {"Jan": 3, "Feb": 5}}', [12, 14, 3, 5]),
        ('[["Port", "Jan", "Feb"], ["Skarrow", 12, 14], ["Hallan", 3, 5], ["Total", 15, 19]]', [12, 14, 3, 5]),
        ('{"data": {"rows": [{"port": "Brae", "t": 1}, {"port": "Wick", "t": 2}]}}', [1, 2]),
        ('{"port": ["Brae", "Wick", "Ness"], "t": [1, 2, 3]}', [1, 2, 3]),
    ],
    ids=["keyed", "rows", "wrapped", "columns"],
)
def test_other_shapes_of_json_are_tables_too(tmp_path: Path, text: str, rows: list[float]) -> None:
    run = kb.tidy(written(tmp_path / "t.json", text))
    (table,) = run.tables.values()
    assert run.holds
    assert [list(row.values())[-1] for row in table.data.to_pylist()] == rows


def test_a_record_that_has_a_number_of_its_own_keeps_it_beside_ours(tmp_path: Path) -> None:
    text = '[{"record": 7, "t": 1, "crew": [{"record": 1}, {"record": 2}]}, {"record": 7, "t": 2, "crew": [{"record": 3}]}]'
    run = kb.tidy(written(tmp_path / "t.json", text))
    assert [(row["record 2"], row["record"]) for row in rows_of(run, "t")] == [("1", 7), ("2", 7)]
    assert [tuple(row.values()) for row in rows_of(run, "t crew")] == [("1", 1), ("1", 2), ("2", 3)]


def test_large_numbers_keep_every_digit(tmp_path: Path) -> None:
    text = '[{"key": 12345678901234567890, "t": 1}, {"key": 12345678901234567891, "t": 2}, {"key": 1e999, "t": 3}]'
    sheet = read(written(tmp_path / "t.json", text))["t"]
    assert [sheet.at(row, 0) for row in (1, 2, 3)] == ["12345678901234567890", "12345678901234567891", "1e999"]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('[{"a": "x", "b": 1}, {"a": "y", "b"', "the list breaks off"),
        ('{"a": "x", "b": 1}\n{"a": "y" "b": 2}\n', "line 2: this is no JSON from here on"),
        ('[{"a": 1, "a": 2}]', "'a' is named twice in one record"),
        ('[{"a.b": 1, "a": {"b": 2}}, {"a.b": 3}]', "two members of a record would both be the column 'a.b'"),
        ("[" * 3000 + "]" * 3000, "too deep"),
        ('{"a": ' * 200 + "1" + "}" * 200, "too deep"),
        ("[]", "there are no records in it"),
        ("[{}, {}]", "there are no records in it"),
    ],
)
def test_what_is_no_list_is_refused_in_our_words(tmp_path: Path, text: str, said: str) -> None:
    with pytest.raises(SourceError, match=said):
        kb.tidy(written(tmp_path / "t.json", text))


def test_trace_shows_the_record_and_the_row_of_a_page(tmp_path: Path, kebrin: Kebrin) -> None:
    written(tmp_path / "calls.json", json.dumps(CALLS))
    page = "<html><body><table><tr><th>Port<th>Jan<th>Feb<tr><td>Brae<td>12<td>14<tr><td>Wick<td>3<td>5</table></body></html>"
    written(tmp_path / "page.html", page)
    calls, found = str(tmp_path / "calls.csv"), str(tmp_path / "page.csv")
    assert kebrin("tidy", str(tmp_path / "calls.json"), "-o", calls).returncode == 0
    said = kebrin("trace", calls, "3", "dues").stdout
    assert "$.calls[2]" in said
    assert '"id": "C3"' in said
    assert kebrin("tidy", str(tmp_path / "page.html"), "-o", found).returncode == 0
    said = kebrin("trace", found, "3").stdout
    assert "/html/body/table/tr[3]" in said
    assert "Wick  3  5" in said


words = st.text("abcdefgh", min_size=3, max_size=6)
cells = st.one_of(st.none(), st.integers(-(10**6), 10**6), words, st.booleans())


@given(st.lists(st.fixed_dictionaries({"id": words, "a": cells, "b": st.fixed_dictionaries({"c": cells})}), min_size=3))
def test_every_value_of_any_records_is_a_cell(
    tmp_path_factory: pytest.TempPathFactory, records: list[dict[str, Any]]
) -> None:
    path = written(tmp_path_factory.mktemp("json") / "t.json", json.dumps(records))
    sheet = read(path)["t"]
    values = [one for record in records for one in (record["id"], record["a"], record["b"]["c"]) if one is not None]
    heads = len({name for name, own in (("a", "a"), ("b", "b")) if any(own in record for record in records)}) + 1
    assert int(sheet.filled.sum()) == len(values) + heads


def test_records_that_are_named_by_their_keys_within_a_member_are_rows(tmp_path: Path) -> None:
    text = (
        '{"made": "2031-07-02", "quays": {"N1": {"name": "North", "berths": 4}, "S2": {"name": "South", "berths": 7}}}'
    )
    (tmp_path / "r.json").write_text(text, "utf-8")
    (table,) = kb.tidy_reports(tmp_path / "r.json").tables.values()
    assert [(row["key"], row["name"], row["berths"]) for row in table.to_arrow().to_pylist()] == [
        ("N1", "North", 4), ("S2", "South", 7),
    ]  # fmt: skip


def test_comments_that_say_unlike_things_under_one_key_head_what_follows(tmp_path: Path) -> None:
    head = "day,foot,cars\n"
    text = f"# Quay counts\n# Quay: North\n{head}Mon,12,3\nTue,9,4\n# Quay: South\n{head}Mon,7,2\nTue,8,1\n"
    (tmp_path / "r.csv").write_text(text, "utf-8")
    run = kb.tidy_reports(tmp_path / "r.csv")
    assert run.holds
    (table,) = run.tables.values()
    assert [row["Quay"] for row in table.to_arrow().to_pylist()] == ["North"] * 4 + ["South"] * 4


def test_figures_before_a_line_of_months_are_its_labels(tmp_path: Path) -> None:
    months = {f"2031-0{at}": at * 1.5 for at in range(1, 6)}
    stations = {
        f"Q{at}": {"name": name, "depth": depth, "waves": months}
        for at, (name, depth) in enumerate([("East", 31), ("West", 12), ("Pier", 24)])
    }
    run = tidied_text(tmp_path, json.dumps({"quays": stations}), "r.json")
    assert run.holds
    assert not run.proof.questions


def test_letters_before_a_number_that_are_no_currency_stay_a_code(tmp_path: Path) -> None:
    run = tidied_text(tmp_path, json.dumps([{"tag": f"TAG{at}", "dues": at * 2.5} for at in range(11, 19)]), "r.json")
    (table,) = run.tables.values()
    assert table.to_arrow().column("tag").to_pylist()[0] == "TAG11"


def test_words_of_a_record_label_the_records_within_it(tmp_path: Path) -> None:
    slips: list[dict[str, Any]] = [
        {"slip": "A1", "port": {"name": "Brae"}, "items": [{"what": "rope", "count": 4}, {"what": "oil", "count": 1}]},
        {"slip": "A2", "port": {"name": "Wick"}, "items": [{"what": "rope", "count": 2}]},
        {"slip": "A3", "port": {"name": "Lerr"}, "items": []},
    ]
    path = tmp_path / "slips.json"
    path.write_text(json.dumps({"count": 3, "slips": slips}), "utf-8")
    run = kb.tidy(path)
    (table,) = run.tables.values()
    assert table.columns == ("slip", "port.name", "what", "count")
    assert [tuple(row.values()) for row in table.to_arrow().to_pylist()] == [
        ("A1", "Brae", "rope", 4.0),
        ("A1", "Brae", "oil", 1.0),
        ("A2", "Wick", "rope", 2.0),
        ("A3", "Lerr", None, None),
    ]
    assert run.holds
    # A figure of the holder would count twice: the two stay apart, and the record's number joins them.
    slips[0]["due"] = 12.5
    path.write_text(json.dumps(slips), "utf-8")
    assert len(kb.tidy(path).tables) == 2
