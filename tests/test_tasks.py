# ruff: noqa: S311 - figures of made-up reports
"""Tasks over two months: a plan drafted from a few wanted rows of the first month gives the whole table of both.

Each task makes its reports for a month and works out by itself what the table must be; no step is written by hand.
"""

from __future__ import annotations

import csv
import json
import random
from collections import defaultdict
from typing import TYPE_CHECKING, Any, NamedTuple

import pytest

import kebrin as kb
from building import write_book

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun")


class Month(NamedTuple):
    """One month of a task: its reports, the columns and the rows of the wanted table, and which rows a person types."""

    files: list[Path]
    columns: list[str]
    rows: list[list[Any]]
    typed: list[int]


TASKS: dict[str, Callable[[Path, int], Month]] = {}


def task(function: Callable[[Path, int], Month]) -> Callable[[Path, int], Month]:
    TASKS[function.__name__] = function
    return function


def listed(path: Path, rows: list[list[Any]]) -> Path:
    with path.open("w", newline="", encoding="utf-8") as out:
        csv.writer(out).writerows(rows)
    return path


@task
def years_whose_columns_stand_in_another_order(folder: Path, month: int) -> Month:
    files, wanted = [], []
    for year in range(2029, 2030 + month):
        names = ["Quay", "Calls", "Dues"] if year % 2 else ["Dues", "Quay", "Calls"]
        rows: list[list[Any]] = [[f"Harbour returns {year}"], [], names]
        for at, quay in enumerate(("East", "West", "Mole")):
            said = {"Quay": quay, "Calls": 10.0 * at + year - 2000, "Dues": (100.0 * at + year) / 4}
            rows.append([said[name] for name in names])
            wanted.append([str(year), quay, said["Calls"], said["Dues"]])
        files.append(write_book(folder / f"returns_{year}.xlsx", {"Returns": rows}))
    return Month(files, ["year", "quay", "calls", "dues"], wanted, [0, 4])


@task
def four_branches_in_four_styles(folder: Path, month: int) -> Month:
    styles: dict[str, tuple[list[str], Callable[[int], str]]] = {
        "north": (["Vessel", "Day", "Fee"], lambda day: f"{day}/0{month}/2031"),
        "south": (["Ship", "Date", "Charge"], lambda day: f"2031-0{month}-{day}"),
        "east": (["Boat", "When", "Due"], lambda day: f"{day}.{month}.2031"),
        "west": (["Name", "On", "Amount"], lambda day: f"{day} {MONTHS[month - 1]} 2031"),
    }
    files, wanted = [], []
    for name, (heads, written) in styles.items():
        rows: list[list[Any]] = [heads]
        for day in range(13, 25, 2):
            vessel, fee = random.choice(["Skua", "Tern", "Auk", "Gannet"]), round(random.uniform(1, 100), 2)
            rows.append([vessel, written(day), fee])
            wanted.append([vessel, f"2031-0{month}-{day}", fee])
        files.append(listed(folder / f"{name}.csv", rows))
    return Month(files, ["vessel", "day", "fee"], wanted, [0, 7, 13, 19])


@task
def the_day_from_the_files_name(folder: Path, month: int) -> Month:
    for old in folder.glob("*.xlsx"):
        old.unlink()
    day, sums = f"2031-0{month}-14", defaultdict[str, float](float)
    rows: list[list[Any]] = [[f"Landings of {day}"], ["Quay", "Vessel", "Boxes"]]
    for _ in range(12):
        quay, boxes = random.choice(["East", "West"]), float(random.randint(1, 40))
        rows.append([quay, random.choice(["Skua", "Tern", "Auk"]), boxes])
        sums[quay] += boxes
    files = [write_book(folder / f"landings_{day}.xlsx", {"Landings": rows})]
    return Month(files, ["day", "quay", "boxes"], [[day, *pair] for pair in sums.items()], [0, 1])


@task
def a_listing_in_sections(folder: Path, month: int) -> Month:
    lines = [f"BERTH LIST 0{month}/2031", ""]
    wanted: list[list[Any]] = []
    for area in ("North Basin", "South Basin"):
        lines += [f"Area: {area}", "", f"{'Berth':<8}{'Vessel':<12}{'Metres':>8}"]
        for number in range(1, 5):
            berth, vessel, metres = f"{area[0]}{number}", random.choice(["Skua", "Tern", "Auk"]), random.randint(5, 30)
            lines.append(f"{berth:<8}{vessel:<12}{metres:>8}")
            wanted.append([area, berth, vessel, float(metres)])
        lines += [f"{'Total':<20}{sum(row[3] for row in wanted[-4:]):>8.0f}", ""]
    (folder / "berths.txt").write_text("\n".join(lines), "utf-8")
    return Month([folder / "berths.txt"], ["area", "berth", "vessel", "metres"], wanted, [0, 5])


@task
def a_statement_summed_by_the_class_of_its_codes(folder: Path, month: int) -> Month:
    codes = listed(
        folder / "codes.csv",
        [["Code", "Kind", "Class"], ["D1", "Dues", "in"], ["F2", "Fuel", "out"], ["R3", "Repair", "out"]],
    )
    rows: list[list[Any]] = [["Date", "Code", "Amount"]]
    sums = defaultdict[str, float](float)
    for day in range(13, 27):
        code, amount = random.choice(["D1", "F2", "R3"]), random.randint(1, 900)
        rows.append([f"{day}.0{month}.2031", code, str(amount) if code == "D1" else f"{amount}-"])
        sums["in" if code == "D1" else "out"] += amount if code == "D1" else -amount
    wanted = [list(pair) for pair in sums.items()]
    return Month([listed(folder / "statement.csv", rows), codes], ["class", "amount"], wanted, [0, 1])


@task
def months_summed_to_quarters(folder: Path, month: int) -> Month:
    heads, wanted = MONTHS[: 3 * month], []
    rows: list[list[Any]] = [["Loads 2031"], ["Quay", *heads]]
    for quay in ("East", "West", "Mole"):
        loads = [float(random.randint(1, 50)) for _ in heads]
        rows.append([quay, *loads])
        wanted += [[quay, f"2031-Q{at + 1}", sum(loads[3 * at : 3 * at + 3])] for at in range(month)]
    rows.append(["Total", *(sum(column) for column in zip(*(row[1:] for row in rows[2:]), strict=True))])
    return Month([write_book(folder / "loads_2031.xlsx", {"Loads": rows})], ["quay", "quarter", "tons"], wanted, [0, 1])


@task
def lists_in_cells_as_rows(folder: Path, month: int) -> Month:
    rows: list[list[Any]] = [["Vessel", "Crew", "Sailed"]]
    wanted = []
    for vessel in ("Skua", "Tern", "Auk", "Gannet"):
        crew = random.sample(["Ann", "Bo", "Cal", "Dee", "Eve"], 3 if vessel == "Skua" else 2)
        rows.append([vessel, "; ".join(crew), f"2031-0{month}-{random.randint(10, 28)}"])
        wanted += [[vessel, one] for one in crew]
    return Month([listed(folder / "crew.csv", rows)], ["vessel", "sailor"], wanted, [0, 1, 3])


@task
def two_names_in_one_cell(folder: Path, month: int) -> Month:
    pairs = [("Brae", "Wick"), ("Wick", "Ulsta"), ("Ulsta", "Brae"), ("Brae", "Ulsta")]
    wanted = [[*pair, float(random.randint(month, 90))] for pair in pairs]
    rows: list[list[Any]] = [["Trip", "Boats"], *([f"{one} - {other}", boats] for one, other, boats in wanted)]
    return Month([listed(folder / "trips.csv", rows)], ["from", "to", "boats"], wanted, [0, 1])


@task
def a_sheet_for_each_month(folder: Path, month: int) -> Month:
    book, wanted = {}, []
    for name in MONTHS[: 2 + month]:
        rows: list[list[Any]] = [[f"Traffic {name} 2031"], [], ["Route", "Foot", "Cars"]]
        for route in ("N4", "S2"):
            rows.append([route, float(random.randint(1, 500)), float(random.randint(1, 90))])
            wanted += [[name, route, kind, rows[-1][at]] for at, kind in ((1, "Foot"), (2, "Cars"))]
        book[name] = [*rows, ["Total", *(rows[3][at] + rows[4][at] for at in (1, 2))]]
    return Month([write_book(folder / "traffic.xlsx", book)], ["month", "route", "class", "carried"], wanted, [0, 3, 5])


@task
def means_by_month(folder: Path, month: int) -> Month:
    rows: list[list[Any]] = [["Day", "Gauge", "mm"]]
    values = defaultdict[tuple[str, str], list[int]](list)
    for at in range(1, 2 + month):
        for day in (3, 13, 17, 23):
            for gauge in ("North", "Mole"):
                values[f"2031-0{at}", gauge].append(random.randint(0, 40))
                rows.append([f"{day:02}/0{at}/2031", gauge, float(values[f"2031-0{at}", gauge][-1])])
    wanted = [[*key, sum(one) / len(one)] for key, one in values.items()]
    return Month([listed(folder / "rain.csv", rows)], ["month", "gauge", "mean mm"], wanted, [0, 3])


@task
def a_product_of_two_columns(folder: Path, month: int) -> Month:
    wanted = []
    for item in ("Rope", "Lamp", "Buoy", "Net"):
        pieces, price = float(random.randint(1 + month, 30)), random.randint(10, 900) / 4
        wanted.append([item, pieces, price, round(pieces * price, 2)])
    rows: list[list[Any]] = [["Item", "Pieces", "Price"], *(row[:3] for row in wanted)]
    return Month([listed(folder / "stores.csv", rows)], ["item", "pieces", "price", "value"], wanted, [0, 1, 2])


@task
def a_crosstab_of_a_list(folder: Path, month: int) -> Month:
    cells = defaultdict[tuple[str, str], float](float)
    rows: list[list[Any]] = [["Port", "Vessel", "Boats"]]
    for at in range(20):
        port, vessel, boats = ("Brae", "Wick")[at % 2], ("Skua", "Tern")[at // 2 % 2], float(random.randint(month, 9))
        rows.append([port, vessel, boats])
        cells[port, vessel] += boats
    wanted = [[port, cells[port, "Skua"], cells[port, "Tern"]] for port in ("Brae", "Wick")]
    return Month([listed(folder / "calls.csv", rows)], ["Port", "Skua", "Tern"], wanted, [0, 1])


@task
def records_that_hold_records(folder: Path, month: int) -> Month:
    orders, wanted = [], []
    for at in range(4):
        lines = [{"item": random.choice(["Rope", "Lamp"]), "pieces": random.randint(1, 9)} for _ in range(1 + at % 3)]
        orders.append({"order": f"O{month}{at}", "quay": ("East", "West")[at % 2], "lines": lines})
        wanted += [[f"O{month}{at}", ("East", "West")[at % 2], one["item"], float(str(one["pieces"]))] for one in lines]
    (folder / "orders.json").write_text(json.dumps(orders), "utf-8")
    return Month([folder / "orders.json"], ["order", "quay", "item", "pieces"], wanted, [0, -1])


@task
def a_table_on_a_page_summed(folder: Path, month: int) -> Month:
    sums, lines = defaultdict[str, float](float), []
    for at in range(9):
        route, fare = ("N4", "S2")[at % 2], random.randint(month, 90) + 0.5
        lines.append(f"<tr><td>{route}</td><td>{('Foot', 'Cars')[at % 3 % 2]}</td><td>{fare}</td></tr>")
        sums[route] += fare
    heads = "<tr><th>Route</th><th>Class</th><th>Fare</th></tr>"
    (folder / "fares.html").write_text(f"<h1>Fares</h1><table>{heads}{''.join(lines)}</table>", "utf-8")
    return Month([folder / "fares.html"], ["route", "fares"], [list(pair) for pair in sums.items()], [0, 1])


@task
def amounts_in_one_column_or_the_other(folder: Path, month: int) -> Month:
    rows: list[list[Any]] = [["Date", "Text", "In", "Out"]]
    wanted = []
    for at in range(8):
        amount, comes = float(random.randint(10, 900)), at % 3 > 0
        rows.append([f"{13 + at}/0{month}/2031", f"Bill {at}", amount if comes else None, None if comes else amount])
        wanted.append([f"2031-0{month}-{13 + at}", f"Bill {at}", amount if comes else -amount])
    return Month([listed(folder / "book.csv", rows)], ["day", "text", "amount"], wanted, [0, 1])


@task
def a_form_for_each_vessel(folder: Path, month: int) -> Month:
    book, wanted = {}, []
    for vessel in ("Skua", "Tern", "Auk")[: 1 + month]:
        said = [
            vessel,
            float(random.randint(2001, 2029)),
            float(random.randint(20, 90)),
            random.choice(["Brae", "Wick"]),
        ]
        book[vessel] = [
            ["Vessel record"],
            [],
            *map(list, zip(("Vessel", "Built", "Tonnes", "Home port"), said, strict=True)),
        ]
        wanted.append(said)
    files = [write_book(folder / "vessels.xlsx", book)]
    return Month(files, ["vessel", "built", "tonnes", "home port"], wanted, [0, 1])


@task
def several_tables_told_apart_by_their_titles(folder: Path, month: int) -> Month:
    rows: list[list[Any]] = []
    wanted = []
    for basin in ("North Basin", "South Basin"):
        own = [[f"B{at}", float(random.randint(month, 20)), float(random.randint(20, 400))] for at in (1, 2, 3)]
        rows += [[basin], ["Berth", "Boats", "Fees"], *own, []]
        wanted += [[basin, *row] for row in own]
    return Month(
        [write_book(folder / "basins.xlsx", {"Basins": rows})], ["basin", "berth", "boats", "fees"], wanted, [0, 4]
    )


@task
def sums_so_far(folder: Path, month: int) -> Month:
    boats = [float(random.randint(1, 20)) for _ in range(6)]
    wanted = [[f"2031-0{month}-{13 + at}", one, sum(boats[: at + 1])] for at, one in enumerate(boats)]
    rows: list[list[Any]] = [["Day", "Boats"], *([f"{13 + at}/0{month}/2031", one] for at, one in enumerate(boats))]
    return Month([listed(folder / "boats.csv", rows)], ["day", "boats", "so far"], wanted, [0, 1, 3])


@task
def shares_within_a_group(folder: Path, month: int) -> Month:
    boats = {
        (port, vessel): random.randint(month, 20) for port in ("Brae", "Wick") for vessel in ("Skua", "Tern", "Auk")
    }
    whole = {port: sum(one for (other, _), one in boats.items() if other == port) for port in ("Brae", "Wick")}
    wanted = [[*key, float(one), round(100 * one / whole[key[0]], 1)] for key, one in boats.items()]
    rows: list[list[Any]] = [["Port", "Vessel", "Boats"], *(row[:3] for row in wanted)]
    return Month([listed(folder / "calls.csv", rows)], ["port", "vessel", "boats", "%"], wanted, [0, 1, 4])


@task
def a_print_whose_dates_read_two_ways(folder: Path, month: int) -> Month:
    lines, wanted = ["PORT LEDGER                 Page 1", "", f"{'Date':<12}{'Text':<16}{'Amount':>10}", "-" * 38], []
    for at in range(8):
        text, amount = random.choice(["Dues", "Fuel", "Rope"]), random.randint(100, 90000) / 100
        lines.append(f"{13 + at}/0{month}/31    {text:<16}{amount:>10,.2f}{'-' if at % 3 else ''}")
        wanted.append([f"2031-0{month}-{13 + at}", text, -amount if at % 3 else amount])
    (folder / "ledger.txt").write_text("\n".join(lines), "utf-8")
    return Month([folder / "ledger.txt"], ["day", "text", "amount"], wanted, [0, 1, 2])


@task
def a_rate_looked_up_and_multiplied(folder: Path, month: int) -> Month:
    rates = {"Foot": 2.5, "Cars": 11.25}
    carried: list[list[Any]] = [
        [route, kind, float(random.randint(month, 99))] for route in ("N4", "S2", "O7") for kind in rates
    ]
    wanted = [[route, kind, round(count * rates[kind], 2)] for route, kind, count in carried]
    files = [listed(folder / "carried.csv", [["Route", "Class", "Carried"], *carried])]
    files.append(listed(folder / "rates.csv", [["Class", "Rate"], *map(list, rates.items())]))
    return Month(files, ["route", "class", "takings"], wanted, [0, 1, 2])


@task
def halves_of_a_year(folder: Path, month: int) -> Month:
    sums = defaultdict[tuple[str, str], float](float)
    rows: list[list[Any]] = [["Day", "Port", "Boats"]]
    for at in range(1, 13):
        for port in ("Brae", "Wick"):
            boats = float(random.randint(1, 20))
            rows.append([f"15/{at:02}/203{month}", port, boats])
            sums[f"203{month}-H{1 + (at > 6)}", port] += boats
    wanted = [[*key, one] for key, one in sums.items()]
    return Month([listed(folder / "year.csv", rows)], ["half", "port", "boats"], wanted, [0, 1])


def plain(rows: list[list[Any]]) -> list[tuple[str, ...]]:
    return sorted(tuple(f"{one:.6g}" if isinstance(one, float | int) else str(one) for one in row) for row in rows)


@pytest.mark.parametrize("name", TASKS)
def test_a_few_rows_give_the_plan_for_this_month_and_the_next(tmp_path: Path, name: str) -> None:
    random.seed(name)
    first = TASKS[name](tmp_path, 1)
    wanted = listed(tmp_path / "wanted.csv", [first.columns, *(first.rows[at] for at in first.typed)])
    plan = kb.draft(*first.files, base=tmp_path, like=wanted)
    table = plan.model.output[0].table
    for number in (1, 2):
        month = first if number == 1 else TASKS[name](tmp_path, 2)
        run = plan.run()
        said = run.tables[table].to_arrow().select(first.columns).to_pylist()
        assert plain([list(row.values()) for row in said]) == plain(month.rows)
        assert run.holds
