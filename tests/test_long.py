"""Long texts: held to their first part and read whole columns at a time, with the same result as read whole."""

from __future__ import annotations

import datetime as dt
import random
from typing import TYPE_CHECKING, Any

import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import kebrin as kb
from building import document_cell, document_row, write_book, write_document
from kebrin.sources import long_text, plain_cells, plain_rows
from kebrin.work import flowing, long_texts

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence
    from pathlib import Path

PORTS = ("Skarrow", "Hallan", "Brae", "Wick")
Lines = list[list[str]]


def log(rows: int = 2_500) -> Lines:
    """A list of sailings."""
    draw = random.Random(3)  # noqa: S311
    lines = [["Sailing", "Date", "Port", "Foot", "Takings"]]
    for at in range(rows):
        day = f"2031-{at % 12 + 1:02d}-{at % 28 + 1:02d}"
        lines.append([f"S{at}", day, PORTS[at % 4], str(draw.randint(0, 400)), f"{draw.random() * 900:.2f}"])
    return lines


def months(rows: int = 2_500) -> Lines:
    """A line per sailing, months across."""
    draw = random.Random(4)  # noqa: S311
    lines = [["Sailing", *(f"2031-{month:02d}" for month in range(1, 13))]]
    return lines + [[f"S{at}", *(str(draw.randint(0, 400)) for _ in range(12))] for at in range(rows)]


def changed(lines: Lines, *cells: tuple[int, int, str]) -> Lines:
    for row, column, text in cells:
        lines[row][column] = text
    return lines


def comma(lines: Lines) -> Lines:
    return [lines[0], *([*row[:4], row[4].replace(".", ",")] for row in lines[1:])]


STEADY: list[tuple[str, Callable[[], Lines], str]] = [
    ("a list", log, ","),
    ("months across", months, ","),
    ("a decimal comma", lambda: comma(log()), ";"),
    ("marks for no value", lambda: changed(log(), (2_000, 3, "n/a"), (2_001, 4, "–"), (2_002, 2, "")), ","),
    ("gaps among months", lambda: changed(months(), (2_000, 3, ""), (2_001, 4, "")), ","),
    ("a preamble", lambda: [["Sailings of 2031"], [], *log()], ","),
]
UNEVEN: list[tuple[str, Callable[[], Lines], str]] = [
    ("a word among figures", lambda: changed(log(), (2_100, 3, "closed")), ","),
    ("headings said again", lambda: [*log()[:2_000], log()[0], *log()[2_000:]], ","),
    ("leading zeros", lambda: changed(log(), (2_100, 3, "007")), ","),
    ("a number that reads in two ways", lambda: changed(log(), (2_100, 3, "1.204")), ","),
    ("a total at the end", lambda: [*log(), ["Total", "", "", "499012", "1134877.16"]], ","),
    ("a label alone", lambda: [*months()[:2_000], ["Region South", *[""] * 12], *months()[2_000:]], ","),
    ("a blank label", lambda: changed(months(), (2_100, 0, "")), ","),
    ("a second table", lambda: [*log(), [], [], ["Ship", "Built"], *([f"Gull {at}", str(1990 + at)] for at in range(9))], ","),
]  # fmt: skip


def written(path: Path, lines: Lines, mark: str) -> Path:
    path.write_text("\n".join(mark.join(row) for row in lines) + "\n", "utf-8")
    return path


def plain(run: kb.Run) -> list[Any]:
    """What a run says, sums to nine figures."""
    said: list[Any] = []
    for name, table in run.tables.items():
        proof = run.proofs[name].to_plain()
        sums = [(one["measure"], one["cells"], one["missing"], one["values"]) for one in proof["conservation"]]
        cells = [str(table.origin(row, table.measures[0])) for row in (0, len(table) // 2, len(table) - 1)]
        kinds = [str(field.type) for field in table.data.schema]
        marks = [one["count"] for one in proof["findings"] if one["kind"] == "missing mark"]
        said.append(
            [name, table.data.to_pylist(), kinds, sums, proof["ledger"]["counts"], cells, sum(marks), proof["headline"]]
        )
    return said


def both(monkeypatch: pytest.MonkeyPatch, work: Callable[[], kb.Run]) -> tuple[list[Any], list[Any]]:
    monkeypatch.setattr(long_text, "_SHORT", 1 << 40)
    whole = plain(work())
    monkeypatch.setattr(long_text, "_SHORT", 0)
    return whole, plain(work())


@pytest.fixture
def taken(monkeypatch: pytest.MonkeyPatch) -> list[object]:
    """The readings of long files that were finished, batch by batch."""
    runs: list[object] = []
    finished = long_texts.Run.finished

    def noted(run: Any, data: Any) -> Any:
        runs.append(run)
        return finished(run, data)

    monkeypatch.setattr(long_texts.Run, "finished", noted)
    return runs


@pytest.mark.parametrize(("lines", "mark"), [case[1:] for case in STEADY], ids=[case[0] for case in STEADY])
def test_a_long_text_gives_what_it_gives_read_whole(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, lines: Callable[[], Lines], mark: str, taken: list[object]
) -> None:
    path = written(tmp_path / "log.csv", lines(), mark)
    whole, long = both(monkeypatch, lambda: kb.tidy(path))
    assert taken, "it was read whole"
    assert long == whole


@pytest.mark.parametrize(("lines", "mark"), [case[1:] for case in UNEVEN], ids=[case[0] for case in UNEVEN])
def test_where_the_rest_is_otherwise_the_file_is_read_whole(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, lines: Callable[[], Lines], mark: str
) -> None:
    whole, long = both(monkeypatch, lambda: kb.tidy(written(tmp_path / "log.csv", lines(), mark)))
    assert long == whole


def test_a_sailing_that_never_went_keeps_its_empty_cells(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(long_text, "_SHORT", 0)
    run = kb.tidy(written(tmp_path / "log.csv", [*months()[:2_000], ["S9999", *[""] * 12], *months()[2_000:]], ","))
    (table,) = run.tables.values()
    assert table.to_arrow()["value"].null_count == 12
    assert run.holds


def test_a_label_without_values_is_kept_where_other_gaps_are_left_out(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, taken: list[object]
) -> None:
    lines = [["Berth", "Jan", "Feb", "Mar"]]
    for at in range(1, 9_000):
        figures = [str(at % 90), "" if at % 3 else "7", "" if at % 2 else "5"]
        lines.append([f"B{at}", *(["", "", ""] if at in {5, 700, 8_000} else figures)])
    path = written(tmp_path / "berths.csv", lines, ";")
    whole, long = both(monkeypatch, lambda: kb.tidy(path))
    assert taken, "it was read whole"
    assert long == whole
    rows = kb.tidy(path).tables["berths"].to_arrow().to_pylist()
    assert [row["value"] for row in rows if row["Berth"] == "B8000"] == [None] * 3
    assert len([row for row in rows if row["Berth"] == "B8001"]) == 2


def test_notes_behind_the_table_are_accounted_for(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    path = written(tmp_path / "log.csv", [*log(), [], ["Source: the harbour office"]], ",")
    monkeypatch.setattr(long_text, "_SHORT", 0)
    run = kb.tidy(path)
    assert run.holds
    assert run.proof.to_plain()["ledger"]["counts"]["left out: notes"] == 1
    assert len(next(iter(run.tables.values()))) == 2_500


def test_a_plan_reads_a_long_text_with_its_steps(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    written(tmp_path / "log.csv", comma(log()), ";")
    (tmp_path / "p.toml").write_text(
        'kebrin = 1\n[table.log]\nfiles = "log.csv"\n[[table.log.step]]\nnumber = "Takings"\ndecimal = "comma"\n'
        '[[table.log.step]]\nonly = { Port = ["Brae"] }\n[[output]]\ntable = "log"\nfile = "out.csv"\n'
    )
    whole, long = both(monkeypatch, lambda: kb.load_plan(tmp_path / "p.toml").run())
    assert long == whole
    assert len(long[0][1]) == 625


@pytest.mark.parametrize("ending", ["parquet", "csv"])
def test_what_does_not_fit_into_memory_flows_through(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path, ending: str
) -> None:
    from kebrin.cli import tidying

    path = written(tmp_path / "log.csv", months(), ",")
    tidying.tidy([str(path)], tmp_path / f"whole.{ending}")
    monkeypatch.setattr(long_text, "_SHORT", 0)
    monkeypatch.setattr(long_text, "_BLOCK", 20_000)
    monkeypatch.setattr(flowing, "_MOST_IN_MEMORY", 0)
    monkeypatch.setattr(tidying, "_LONG_BYTES", 0)
    assert tidying.tidy([str(path)], tmp_path / f"flow.{ending}") == 0
    if ending == "csv":
        assert (tmp_path / "flow.csv").read_bytes() == (tmp_path / "whole.csv").read_bytes()
    else:
        assert (
            pq.read_table(tmp_path / "flow.parquet").to_pylist()
            == pq.read_table(tmp_path / "whole.parquet").to_pylist()
        )
        assert pq.ParquetFile(tmp_path / "flow.parquet").num_row_groups > 3
    assert kb_trace(tmp_path / f"flow.{ending}", 20_000) == kb_trace(tmp_path / f"whole.{ending}", 20_000)


def kb_trace(output: Path, row: int) -> str:
    from kebrin.deliver.tracing import trace

    return str(trace(output, row).origin)


def test_rows_that_repeat_are_found_on_the_way(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    from kebrin.cli import tidying

    path = written(tmp_path / "log.csv", changed(months(), (2_400, 0, "S7")), ",")
    monkeypatch.setattr(long_text, "_SHORT", 0)
    monkeypatch.setattr(flowing, "_MOST_IN_MEMORY", 0)
    monkeypatch.setattr(tidying, "_LONG_BYTES", 0)
    assert tidying.tidy([str(path)], tmp_path / "flow.parquet") == 4
    assert (tmp_path / "flow.unproved.parquet").exists()
    assert not (tmp_path / "flow.parquet").exists()


def test_columns_of_figures_are_read_or_left() -> None:
    import pyarrow as pa

    from kebrin.values.plain_numbers import figures_of

    def read(texts: Sequence[str | None], decimal: str = "") -> list[float | None] | None:
        found = figures_of(pa.array(texts, pa.string()), decimal)
        return None if found is None else found.to_pylist()

    assert read(["1", "2.5", None]) == [1.0, 2.5, None]
    assert read(["1,204.50", "7"], ".") == [1204.5, 7.0]
    assert read(["1.204,50", "n/a"], ",") == [1204.5, None]
    for odd in ("1e", "nan", "inf", "007", "1.204", "1,204", "(3)", "12 t"):
        assert read(["5", odd]) is None, odd
    assert read(["5", "6"], "?") is None


@pytest.mark.parametrize("kind", ["page", "print"])
def test_a_long_page_and_a_long_print_report_give_what_they_give_read_whole(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kind: str
) -> None:
    rows = [
        ("Sailing", "Port", "Jan", "Feb"),
        *((f"S {at}", "Brae", str(at % 97), f"{at % 31}.5") for at in range(4_000)),
    ]
    if kind == "page":
        path = tmp_path / "r.html"
        body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
        path.write_text(f"<h1>Carried</h1><table>{body}</table>", "utf-8")
    else:
        path = tmp_path / "r.prn"
        path.write_text("\n".join(f"{a:<12}{b:<10}{c:>8}{d:>8}" for a, b, c, d in rows) + "\n", "utf-8")
    quick = kb.tidy(path)
    monkeypatch.setattr(long_text, "LONG_ROWS", 1 << 30)
    monkeypatch.setattr(plain_rows, "LONG_ROWS", 1 << 30)
    whole = kb.tidy(path)
    ((name, table),) = quick.tables.items()
    assert table.to_arrow().equals(whole.tables[name].to_arrow())
    assert len(table) == 8_000
    ours, theirs = quick.proofs[name], whole.proofs[name]
    assert (ours.cells, ours.counts, ours.holds) == (theirs.cells, theirs.counts, theirs.holds)
    assert table.origin(7_999, "value") == whole.tables[name].origin(7_999, "value")


def read_both_ways(path: Path) -> tuple[object, object]:
    """What a file gives with its long sheets read whole columns at a time, and read whole."""

    def said(shortest: int) -> object:
        with pytest.MonkeyPatch.context() as patch:
            for module in (long_text, plain_rows, plain_cells):
                patch.setattr(module, "LONG_ROWS", shortest)
                patch.setattr(module, "HEAD_ROWS", 60)
            try:
                return plain(kb.tidy(path))
            except kb.KebrinError as error:
                return str(error)

    return said(80), said(1 << 30)


MIDNIGHT = dt.datetime.combine(dt.date(2031, 4, 1), dt.time())
MORNING = MIDNIGHT.replace(hour=8, minute=30)
odd_cells = st.sampled_from([
    None, "Total", "n/a", "-", "closed", "12", 12.5, 7.0, -0.0, True, dt.date(2031, 4, 1), MORNING,
    MIDNIGHT, dt.time(8, 30), "do.", " set in", "Brae", "Takings", "2031-04-01",
])  # fmt: skip


@pytest.mark.parametrize("ending", ["xlsx", "ods"])
@settings(deadline=None, max_examples=20, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    odd=st.lists(st.tuples(st.integers(3, 160), st.integers(1, 6), odd_cells), max_size=2), count=st.integers(90, 160)
)
def test_long_lists_of_cells_that_have_kinds_give_what_they_give_read_whole(
    tmp_path: Path, ending: str, odd: list[tuple[int, int, Any]], count: int
) -> None:
    rows: list[list[Any]] = [["Sailing", "Date", "Port", "Trip", "Foot", "Takings", "Open"]]
    for at in range(count):
        day = dt.date(2031, at % 12 + 1, at % 28 + 1)
        rows.append([f"S{at}", day, PORTS[at % 4], float(at), float(at % 7), at * 1.25, at % 3 == 0])
    for row, column, value in odd:
        rows[min(row, count)][column] = value
    path = tmp_path / f"r.{ending}"
    if ending == "xlsx":
        write_book(path, {"Log": rows})
    else:
        write_document(path, {"Log": "".join(map(document_row, rows))})
    quick, whole = read_both_ways(path)
    assert quick == whole


def office_row(at: int, dress: str = "") -> str:
    """A row as office programs write it: what is the same side by side stands there once."""
    cells = [document_cell(f"S{at}", dress), document_cell(dt.date(2031, at % 12 + 1, at % 28 + 1), dress)]
    if at % 7 == at % 5:
        cells.append(document_cell(float(at % 7), f'{dress} table:number-columns-repeated="2"'))
    else:
        cells += [document_cell(float(at % 7), dress), document_cell(float(at % 5), dress)]
    return f"<table:table-row{dress}>{''.join(cells)}{FILL}</table:table-row>\n"


FILL = '<table:table-cell table:number-columns-repeated="1020"/>'
odd_document_rows = st.sampled_from([
    office_row(3), document_row(["S 1", dt.date(2031, 4, 1), "n/a", 4.0]), document_row(["Total", None, 12.0, 9.0]),
    document_row(["A & B", dt.date(2031, 4, 1), 3.0, None]), document_row([]), f"<table:table-row>{FILL}</table:table-row>",
    office_row(4).replace("table-row>", 'table-row table:number-rows-repeated="3">', 1), f"<!-- {office_row(5)} -->",
    office_row(6).replace("table-row>", 'table-row table:visibility="collapse">', 1), "<table:table-row-group/>",
    f'<table:table-row table:number-rows-repeated="1048">{FILL}</table:table-row>', office_row(2) + "</table:table><table:table>",
    office_row(8).replace("<text:p>", "<text:p> <text:s/>", 1), office_row(8).replace('value="1.0"', 'value=""'),
    office_row(9).replace("table-cell ", 'table-cell table:number-columns-spanned="2" ', 1), office_row(9).replace("S9", "\r\n"),
    office_row(7).replace("table-cell ", 'table-cell table:formula="of:=1" ', 1), office_row(1) * 3,
    office_row(3, ' table:style-name="b"'),
])  # fmt: skip


@settings(deadline=None, max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.lists(st.tuples(st.integers(0, 300), odd_document_rows), max_size=3), st.integers(90, 300))
def test_documents_with_anything_among_their_rows_give_what_they_give_read_whole(
    tmp_path: Path, odd: list[tuple[int, str]], count: int
) -> None:
    rows = [office_row(at) for at in range(count)]
    for at, row in odd:
        rows.insert(at, row)
    head = document_row(["Sailing", "Date", "Foot", "Cars"])
    quick, whole = read_both_ways(write_document(tmp_path / "r.ods", {"Log": head + "".join(rows)}))
    assert quick == whole


def page_of(rows: Sequence[str], around: str) -> str:
    return around.format(f"<table><tr><th>Sailing</th><th>Port</th><th>Cars</th></tr>{''.join(rows)}</table>")


def record(at: int) -> str:
    return f"<tr><td>S {at}</td><td>Brae</td><td>{at % 97}</td></tr>"


odd_rows = st.sampled_from([
    '<tr class="even"><td id="x">S 1</td>\n <td> Noup  Head </td><td>4</td></tr>\n', "<tr><td>S 2</td><td>Brae</td></tr>",
    "<tr><td>S 3</td><td>A &amp; B</td><td>1</td></tr>", "<tr><td>S 4</td><td>Südwick</td><td>1\xa0204</td></tr>",
    "<tr hidden><td>S 5</td><td>Brae</td><td>9</td></tr>", '<tr><td colspan="2">S 6</td><td>9</td></tr>',
    "<tr><td>S 7</td><td></td><td>-</td></tr>", "<tr><td>Total</td><td></td><td>{}</td></tr>", "<tr><td>a<td>b<td>7",
    "<!-- <tr><td>S 8</td><td>Brae</td><td>9</td></tr> -->", "</table><p>And now</p><table>", "<tr></tr>", "<tbody>",
    "<tr><td></td><td></td><td></td></tr>", "</tbody><tfoot>", "<tr><td>\xa0\xa0S 9</td><td>Brae</td><td>\x1f</td></tr>",
])  # fmt: skip
around = st.sampled_from(["{}", "<h1>Sailings</h1>{}<p>* Counted by hand</p>", "<p>x<!--{}--><table><tr><td>1</table>"])


@settings(deadline=None, max_examples=40)
@given(st.lists(st.tuples(st.integers(0, 400), odd_rows), max_size=3), around, st.integers(90, 400))
def test_pages_with_anything_among_their_rows_give_what_they_give_read_whole(
    tmp_path_factory: pytest.TempPathFactory, odd: list[tuple[int, str]], around: str, count: int
) -> None:
    rows = [record(at) for at in range(count)]
    for at, row in odd:
        rows.insert(at, row)
    path = tmp_path_factory.mktemp("pages") / "r.html"
    path.write_text(page_of(rows, around), "utf-8")

    quick, whole = read_both_ways(path)
    assert quick == whole


@pytest.mark.parametrize("ending", ["html", "ods", "xlsx"])
def test_long_sheets_of_plain_rows_go_by_columns(tmp_path: Path, ending: str, taken: list[object]) -> None:
    rows: list[list[Any]] = [["Sailing", "Port", "Cars"], *([f"S {at}", "Brae", float(at % 97)] for at in range(3_500))]
    path = tmp_path / f"r.{ending}"
    if ending == "xlsx":
        write_book(path, {"Log": rows})
    elif ending == "ods":
        write_document(path, {"Log": "".join(map(document_row, rows))})
    else:
        path.write_text(page_of([record(at) for at in range(3_500)], "{}"), "utf-8")
    (table,) = kb.tidy(path).tables.values()
    assert (len(table), len(taken)) == (3_500, 1)


@pytest.mark.parametrize("odd", ["   set in", "", "Total"])
def test_a_long_page_that_changes_behind_its_first_part_is_read_whole(tmp_path: Path, odd: str) -> None:
    rows = [("Sailing", "Jan", "Feb"), *((f"S {at}", str(at % 97), str(at % 31)) for at in range(3_500))]
    rows[3_000] = (odd.replace(" ", "&nbsp;"), "1", "2")
    body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
    (tmp_path / "r.html").write_text(f"<table>{body}</table>", "utf-8")
    run = kb.tidy(tmp_path / "r.html")
    assert sum(proof.cells for proof in run.proofs.values()) == 3_501 * 3 - (not odd)
    (table,) = run.tables.values()
    assert "set in" not in table.to_arrow()["Sailing"].to_pylist() or odd


def test_a_column_that_begins_behind_the_first_part_is_not_lost(tmp_path: Path) -> None:
    rows = [("Sailing", "Jan", "Feb"), *((f"S {at}", str(at % 97), str(at % 31)) for at in range(3_500))]
    rows[3_000] = (*rows[3_000], "late")  # type: ignore[assignment]
    body = "".join(f"<tr>{''.join(f'<td>{cell}</td>' for cell in row)}</tr>" for row in rows)
    (tmp_path / "r.html").write_text(f"<table>{body}</table>", "utf-8")
    (proof,) = kb.tidy(tmp_path / "r.html").proofs.values()
    assert proof.cells == 3_501 * 3 + 1


@pytest.mark.parametrize(
    "row",
    ["Brought forward,{sum},3", "Maximum,96,30", "Total,{sum},3"],
    ids=["carried over", "the largest", "a total"],
)
def test_a_row_that_speaks_of_others_behind_the_first_part_is_no_record(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, row: str
) -> None:
    monkeypatch.setattr(long_text, "_SHORT", 1 << 12)
    lines = [f"Sailing number {at:06} of the year,{at % 97},{at % 31}" for at in range(3_000)]
    lines.insert(2_000, row.format(sum=sum(at % 97 for at in range(2_000))))
    (tmp_path / "r.csv").write_text("Sailing,Jan,Feb\n" + "\n".join(lines) + "\n", "utf-8")
    run = kb.tidy(tmp_path / "r.csv")
    (table,) = run.tables.values()
    assert len(table) == 6_000 or not run.holds


def test_a_total_among_the_words_of_a_long_list_is_no_record(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(long_text, "_SHORT", 1 << 12)
    lines = [f"Sailing number {at:06} of the year,Brae,{at % 97},open" for at in range(3_000)]
    for at in (1_500, 2_000):
        lines.insert(at, f",Total,{sum(n % 97 for n in range(at))},")
    (tmp_path / "r.csv").write_text("Sailing,Port,Cars,State\n" + "\n".join(lines) + "\n", "utf-8")
    run = kb.tidy(tmp_path / "r.csv")
    assert not run.holds or all(len(table) == 3_000 for table in run.tables.values())
