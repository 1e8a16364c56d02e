"""Long print reports: whole columns at a time they give the sheet that line by line they give."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest
from hypothesis import given
from hypothesis import strategies as st

import kebrin as kb
from kebrin.sources import long_text, printed, read
from kebrin.work.long_texts import begun
from kebrin.work.weighing import work_sheet

if TYPE_CHECKING:
    from pathlib import Path

HARBOURS = ("Skarrow", "Hallan", "Noup Head", "Südwick", "Øyra", "Pier 7", "n/a", "Total", "Mar", "x  y")
FIGURES = (
    "0",
    "7",
    "12",
    "940",
    "1,204",
    "12.50",
    "(310)",
    "-",
    "2031",
    "2031.04",
    "08:15",
    "1 204",
    "12 31",
    "45%",
    "7 t",
)


def columns(label: str, figures: list[str]) -> str:
    return f"{label:<16}" + "".join(f"{one:>10}" for one in figures)


one_line = st.one_of(
    st.builds(columns, st.sampled_from(HARBOURS), st.lists(st.sampled_from(FIGURES), min_size=3, max_size=3)),
    st.builds(columns, st.sampled_from(HARBOURS).map("  ".__add__), st.lists(st.sampled_from(FIGURES), max_size=4)),
    st.sampled_from([
        "", "", "-" * 46, "Harbour dues 2031", "Page 2", "Master: Ada Holm", "Berth: 4     Crew: 12", "12.03.2031", "* * *",
        "Harbour            Foot      Cars     Takings",
        "                      2031 to 2032", "  of which", "Tern        12   remarks here",
    ]),
    st.text("ab 1.:-", max_size=30),
)  # fmt: skip


def told(text: str, many: int) -> object:
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(printed, "_MANY", many)
        sheet = printed.lay_out(text, "dues", "dues.prn")
    return sheet.values.tolist(), sheet.kinds.tolist(), sheet.merges, list(sheet.spots), sheet.told


@given(st.lists(one_line, min_size=1, max_size=40).map("\n".join))
def test_all_lines_at_once_give_what_they_give_one_by_one(text: str) -> None:
    assert told(text, 1) == told(text, 10_000)


def test_a_long_report_is_an_exact_table_and_leads_back_to_its_lines(tmp_path: Path) -> None:
    said = [columns("Harbour", ["Foot", "Cars", "Takings"]), "-" * 46]
    truth = [(f"Pier {at}", at % 900 + 1, at % 90, at * 3 + 0.5) for at in range(4_000)]
    for at, (pier, foot, cars, takings) in enumerate(truth):
        if at and at % 50 == 0:
            said += ["\f", *said[:2]]
        said.append(columns(pier, [str(foot), str(cars), f"{takings:,.2f}"]))
    path = tmp_path / "dues.prn"
    path.write_text("\n".join(said))
    run = kb.tidy(path)
    assert run.holds
    (table,) = run.tables.values()
    assert [tuple(row.values()) for row in table.to_arrow().to_pylist()] == truth
    assert any("set aside: 79" in one.what for one in run.proof.remarks)


def test_pages_under_heads_of_their_own_are_read_in_batches_as_they_are_whole(tmp_path: Path) -> None:
    lines = []
    for page in range(90):
        lines += [
            f"{'HARBOUR TRAFFIC':<60}PAGE {page + 1:5d}",
            "",
            "BERTH      VESSEL          TONNES     CREW",
            "-" * 60,
        ]
        lines += [f"B{page * 50 + at:06d}    Skua {at:<10d} {at * 37 % 997:9.1f} {at % 9:8d}" for at in range(50)]
        lines += ["\f"] if page % 2 else ["", ""]
    (tmp_path / "berths.prn").write_text("\n".join(lines), "utf-8")

    def tidied() -> tuple[object, ...]:
        run = kb.tidy(tmp_path / "berths.prn")
        assert run.holds
        (table,) = run.tables.values()
        counts = [line.split() for line in str(run.proof).splitlines()[1:4]]
        return table.to_arrow().to_pylist(), counts, str(table.origins.of(2_777, "CREW"))

    in_batches = tidied()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(long_text, "LONG_ROWS", 1_000_000)
        whole = tidied()
    assert in_batches == whole
    assert len(whole[0]) == 4_500  # type: ignore[arg-type]


def test_a_run_of_pages_does_not_need_the_whole_sheet(tmp_path: Path) -> None:
    lines = [f"{'HARBOUR TRAFFIC':<60}PAGE {1:5d}", "", "BERTH      VESSEL          TONNES     CREW", "-" * 60]
    lines += [f"B{at:06d}    Skua {at:<10d} {at * 37 % 997:9.1f} {at % 9:8d}" for at in range(4_000)]
    (tmp_path / "berths.prn").write_text("\n".join(lines), "utf-8")
    report = read(tmp_path / "berths.prn")
    assert begun(report, "berths", lambda head: (head, work_sheet(head))) is not None
