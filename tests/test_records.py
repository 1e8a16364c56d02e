"""Lists of records with messy values come out with their headings as columns, a row each, and so does their draft."""

from __future__ import annotations

from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from corpus.records import write_records
from kebrin.sources.delimited import delimiter

if TYPE_CHECKING:
    from pathlib import Path


@pytest.mark.parametrize("seed", range(40))
def test_a_list_of_records_keeps_its_headings_and_rows(seed: int, tmp_path: Path) -> None:
    path = tmp_path / "r.csv"
    names, count = write_records(path, seed)
    run = kb.tidy_reports(path)
    (table,) = run.tables.values()
    assert [name for name in table.columns if not name.endswith(" currency")] == names
    assert len(set(table.to_arrow().column("Ticket").to_pylist())) == count
    assert run.holds
    (drafted,) = kb.draft(path, base=tmp_path).run().tables.values()
    assert drafted.to_arrow().to_pydict() == table.to_arrow().to_pydict()


def lines(path: Path, text: str) -> kb.Table:
    path.write_text(text, "utf-8")
    (table,) = kb.tidy_reports(path).tables.values()
    return table


def test_a_record_without_a_value_is_still_a_record(tmp_path: Path) -> None:
    table = lines(tmp_path / "r.csv", "Vessel,Active\nGull 1,yes\nGull 2,\nGull 3,no\nGull 4,yes\nGull 5,\n")
    assert table.to_arrow().to_pydict() == {
        "Vessel": [f"Gull {at}" for at in range(1, 6)], "Active": ["yes", None, "no", "yes", None],
    }  # fmt: skip


def test_a_key_with_nothing_beside_it_is_a_record_and_no_note(tmp_path: Path) -> None:
    rows = "".join(f"Gull {at};{at};{'full' if at % 2 else 'short'}\n" for at in range(1, 7))
    table = lines(tmp_path / "r.csv", f"Vessel;Berth;Crew\n{rows}Gull 7;;\nGull 8;4;full\nGull 9;;\n")
    assert table.to_arrow().column("Vessel").to_pylist() == [f"Gull {at}" for at in range(1, 10)]


def test_a_record_of_words_alone_starts_no_new_table(tmp_path: Path) -> None:
    rows = "".join(f"Gull {at};{at + 2};{'closed' if at == 4 else at * 1.5}\n" for at in range(1, 9))
    table = lines(tmp_path / "r.csv", f"Vessel;Berth;Due\n{rows}Gull 9;?;?\nGull 10;3;4\n")
    assert len(set(table.to_arrow().column("Vessel").to_pylist())) == 10


def test_many_label_columns_are_all_kept(tmp_path: Path) -> None:
    head = "Vessel;Quay;Crew;Side;Watch;Flag;Due\n"
    rows = "".join(f"Gull;East {at};full;port;early;{'ab'[at % 2]};{at * 1.25}\n" for at in range(1, 7))
    table = lines(tmp_path / "r.csv", head + rows)
    assert table.columns == ("Vessel", "Quay", "Crew", "Side", "Watch", "Flag", "Due")


def test_signs_inside_cells_are_no_delimiters() -> None:
    assert delimiter("Crew,Papers\nAnn,Radio; Deck\nBo,Radio; Boat\nCy,Deck; Boat\n") == ","
    assert delimiter("Crew;Due\nAnn;1,5\nBo;2,5\nCy;3,5\n") == ";"
