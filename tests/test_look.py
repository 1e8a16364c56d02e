"""Charts: what they show is the sums, gaps stay gaps, what is put together is said, and what can't be drawn gets a clear word."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from kebrin.deliver.charts import draw, write
from kebrin.errors import PlanError
from kebrin.shape.looking import MOST_BARS, look
from kebrin.table import Table

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


def table(**columns: Any) -> Table:
    data = pa.table(columns)
    measures = tuple(name for name in data.column_names if pa.types.is_floating(data.column(name).type))
    return Table(data, measures)


def test_periods_are_a_line_in_their_order_and_gaps_stay_gaps() -> None:
    found = look(table(month=["2031-03", "2030-12", "2031-01"], cars=[3.0, 1.0, 2.0]))
    assert (found.kind, found.rows) == ("line", ("2030-12", "2031-01", "2031-02", "2031-03"))
    assert np.array_equal(found.values, [1.0, 2.0, np.nan, 3.0], equal_nan=True)
    assert found.said == ("no rows for 2031-02",)
    assert look(table(month=["Mar", "Jan", "Feb"], cars=[3.0, 1.0, 2.0])).rows == ("Jan", "Feb", "Mar")


def test_many_categories_are_the_largest_and_the_others_together() -> None:
    ports = [f"port {at}" for at in range(5_000)]
    found = look(table(port=ports, cars=[float(at) for at in range(5_000)]), ["port"])
    assert found.kind == "bars"
    assert len(found.rows) == MOST_BARS
    assert found.rows[0] == "port 4999"
    assert found.rows[-1] == "4,981 others"
    assert found.values.sum() == sum(range(5_000))


def test_two_columns_are_panels_or_shades() -> None:
    wide: dict[str, Any] = {
        "port": ["A", "B"] * 6,
        "month": [f"2031-{at // 2 + 1:02}" for at in range(12)],
        "cars": [1.0] * 12,
    }
    assert look(table(**wide), ["month", "port"]).kind == "multiples"
    many = {
        "port": [f"P{at % 30}" for at in range(900)],
        "ship": [f"S{at // 30}" for at in range(900)],
        "cars": [2.0] * 900,
    }
    found = look(table(**many), ["port", "ship"])
    assert (found.kind, found.values.shape) == ("heat", (30, 30))


def test_odd_values_are_named_by_their_rows() -> None:
    found = look(table(port=["A"] * 40, cars=[float(at % 7) for at in range(39)] + [9_999.0]), what="spread")
    assert any("row 40 has 9,999" in one for one in found.said)


BAD: list[tuple[dict[str, Any], dict[str, Any], str]] = [
    ({"port": ["A", "B"], "name": ["x", "y"]}, {"of": "name"}, "a chart needs numbers"),
    ({"port": ["A", "B"], "cars": [1.0, 2.0]}, {"by": ["prot"]}, "prot"),
    ({"port": ["A", "B"], "cars": [None, None]}, {"of": "cars"}, "nothing to draw|needs numbers"),
    ({"port": ["A", "B"], "cars": [1.0, 2.0]}, {"what": "pie"}, "no chart of 'pie'"),
    ({"port": ["A", "B"]}, {}, "no column of numbers"),
    ({"a": ["A"], "b": ["B"], "c": ["C"], "cars": [1.0]}, {"by": ["a", "b", "c"]}, "by one column or two"),
]


@pytest.mark.parametrize(("columns", "options", "said"), BAD)
def test_what_can_not_be_drawn_gets_a_clear_word(columns: dict[str, Any], options: dict[str, Any], said: str) -> None:
    data = {name: pa.array(one, pa.float64()) if name == "cars" else one for name, one in columns.items()}
    with pytest.raises(PlanError, match=said):
        look(table(**data), **options)


ODD: list[dict[str, Any]] = [
    {"port": ["only"], "cars": [3.0]},
    {"port": ["A", "B"], "cars": [1e300, float("inf")]},
    {"port": ["A", "B"], "cars": [0.0, 0.0]},
    {"port": ["A", "B"], "cars": [-5.0, 3.0]},
    {"port": ["الميناء", "港口", "a$b_{x}^", "x" * 90], "cars": [1.0, 2.0, 3.0, 4.0]},
    {"month": ["2031-01"], "cars": [3.0]},
    {"port": [None, "A"], "cars": [3.0, 4.0]},
]


@pytest.mark.parametrize("columns", ODD)
@pytest.mark.parametrize("ending", [".png", ".svg", ".pdf"])
def test_odd_tables_are_drawn_all_the_same(columns: dict[str, Any], ending: str, tmp_path: Path) -> None:
    for what in ("", "spread", "full"):
        found = look(table(**columns), what=what)
        assert len(write(draw(found, "title", sources=["x.csv"]), tmp_path / f"c{ending}")[0]) > 1000


@given(st.lists(st.tuples(st.sampled_from("ABCDEFGH"), st.integers(-1000, 1000)), min_size=1))
def test_what_is_drawn_is_all_there_is(rows: list[tuple[str, int]]) -> None:
    found = look(table(port=[port for port, _ in rows], cars=[float(value) for _, value in rows]), ["port"], "cars")
    assert np.nansum(found.values) == sum(value for _, value in rows)


def test_the_command_draws_what_the_table_says(demo: Path, kebrin: Kebrin) -> None:
    assert kebrin("run", "traffic.plan.toml").returncode == 0
    done = kebrin("look", "out/traffic.csv", "--by", "month", "--of", "carried", "-o", "c.png", "--json")
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    assert (said["kind"], said["rows"][:3], len(said["values"])) == ("line", ["Jan", "Feb", "Mar"], 12)
    assert round(sum(said["values"]), 1) == 129185.9
    assert (demo / "c.png").read_bytes()[:4] == b"\x89PNG"
    assert kebrin("look", "out/traffic.csv", "-o", "c.png").returncode == 0  # its own is replaced
    (demo / "mine.png").write_bytes(b"mine")
    assert "no chart of Kebrin's" in kebrin("look", "out/traffic.csv", "-o", "mine.png").stderr
    assert "Name a file that ends in .png" in kebrin("look", "out/traffic.csv", "-o", "c.gif").stderr
    both = kebrin("look", "out/traffic.csv", "--by", "route", "--against", "out/traffic.parquet", "-o", "d.svg")
    assert both.returncode == 0, both.stderr


def test_without_matplotlib_the_extra_is_named(monkeypatch: pytest.MonkeyPatch) -> None:
    for name in [name for name in sys.modules if name.startswith("matplotlib")]:
        monkeypatch.delitem(sys.modules, name)
    monkeypatch.setitem(sys.modules, "matplotlib", None)
    with pytest.raises(Exception, match="Charts need matplotlib"):
        draw(look(table(port=["A", "B"], cars=[1.0, 2.0])), "t")
