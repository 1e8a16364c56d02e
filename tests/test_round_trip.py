"""Unpivoting loses nothing: the table says what the report says, and gives the body back cell for cell."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from kebrin.layout import Layout, Stated, find_layouts
from kebrin.proof import body_accounts, conserve, tie_out
from kebrin.unpivoting import Keep, rebuild, unpivot
from kebrin.work.leaving import verdict_of
from strategies import Made, reports


def laid_out(made: Made) -> Layout:
    stated = Stated(
        starts=made.corner,
        boxhead=tuple(made.boxhead_names),
        stub=tuple(made.stub_names),
        totals_found=bool(made.totals),
    )
    (layout,) = find_layouts(made.sheet, stated)
    return layout


@given(reports(), st.sampled_from(["keep", "leave out"]))
def test_the_body_comes_back_cell_for_cell(made: Made, blanks: str) -> None:
    layout = laid_out(made)
    table = unpivot(made.sheet, layout, keep=Keep(blanks))  # type: ignore[arg-type]
    assert rebuild(table, layout).tolist() == made.body.tolist()


@given(reports())
def test_every_value_bears_its_labels(made: Made) -> None:
    layout = laid_out(made)
    table = unpivot(made.sheet, layout, keep=Keep("keep"))
    wanted = [
        (*row, *column, made.body[at_row, at_column])
        for at_row, row in enumerate(made.stub)
        for at_column, column in enumerate(made.boxhead)
    ]
    assert [tuple(record.values()) for record in table.data.to_pylist()] == wanted


@given(reports())
def test_every_cell_is_accounted_for(made: Made) -> None:
    layout = laid_out(made)
    table = unpivot(made.sheet, layout)
    ledger = verdict_of(made.sheet, [layout], [table]).ledger()
    assert ledger.unclaimed_count == 0
    assert ledger.cells == int(made.sheet.filled.sum())
    (account_of_values,) = conserve(table, [body_accounts(made.sheet, layout, table.measures)])
    assert account_of_values.holds
    assert account_of_values.values == sum(cell is not None for cell in made.body.ravel())


@given(reports())
def test_every_origin_names_the_cell_that_holds_the_value(made: Made) -> None:
    layout = laid_out(made)
    table = unpivot(made.sheet, layout)
    for row, value in enumerate(table.data.column("value").to_pylist()):
        origin = table.origin(row)
        assert origin is not None
        assert made.sheet.at(origin.row, origin.column) == value


@given(reports(totals=True))
def test_a_grand_total_is_found_left_out_and_tied(made: Made) -> None:
    layout = laid_out(made)
    assert [line.at for line in layout.total_lines("row")] == [made.sheet.shape[0] - 1]
    tie = tie_out(made.sheet, layout)
    assert tie.holds
    assert tie.exact == len(made.boxhead)


@given(reports(totals=True, blanks=False), st.data())
def test_a_total_that_is_off_is_told_with_cell_and_difference(made: Made, data: st.DataObject) -> None:
    column = data.draw(st.integers(made.sheet.shape[1] - len(made.boxhead), made.sheet.shape[1] - 1))
    values = made.sheet.values.copy()
    values[-1, column] += 1_000_000.0
    sheet = type(made.sheet).of(values.tolist(), merges=made.sheet.merges)
    layout = laid_out(Made(**{**vars(made), "sheet": sheet}))
    if len(made.boxhead) > 2:  # one total of one or two alone may be no total at all
        tie = tie_out(sheet, layout)
        assert [gap.cell for gap in tie.gaps] == [sheet.address(sheet.shape[0] - 1, column)]
        assert tie.gaps[0].difference == 1_000_000.0
