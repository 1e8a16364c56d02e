"""Reports of the kinds that offices make, from their truths: one maker a kind, each with sizes, words and figures by chance."""

from __future__ import annotations

import random
from typing import TYPE_CHECKING, Any

from corpus.making import CLASSES, HARBOURS, MONTHS, QUAYS, VESSELS, Sheet

if TYPE_CHECKING:
    from collections.abc import Sequence

Row = list[Any]
Records = list[tuple[Any, ...]]
WEEKDAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
CREW = ("Ada Holm", "Bo Lind", "Cy Marr", "Di Voss", "Ed Quist", "Fay Stroud", "Gil Orme", "Hana Roe")


class Chance(random.Random):
    """Chance with the draws that reports need."""

    def some(self, words: Sequence[str], least: int, most: int) -> list[str]:
        """Some of the words, in any order."""
        return self.sample(list(words), self.randint(least, min(most, len(words))))

    def run(self, words: Sequence[str], least: int, most: int) -> list[str]:
        """Some of the words, in their order."""
        count = self.randint(least, min(most, len(words)))
        start = self.randint(0, len(words) - count)
        return list(words[start : start + count])

    def figure(self) -> float:
        """A figure that is large enough to tell sums from chance."""
        return float(self.randint(120, 9800))

    def grid(self, rows: int, columns: int) -> list[list[float]]:
        """Figures, a row each."""
        return [[self.figure() for _ in range(columns)] for _ in range(rows)]


def sheet_of(rows: Sequence[Row], name: str = "Report", merges: Sequence[tuple[int, int, int, int]] = ()) -> Sheet:
    """A sheet from rows; None and '' are blank."""
    sheet = Sheet(name)
    for at, row in enumerate(rows):
        for column, value in enumerate(row):
            if value not in {None, ""}:
                sheet.put(at, column, value)
    sheet.merges += merges
    return sheet


def sums(grid: Sequence[Sequence[float]]) -> list[float]:
    """The sum of each column."""
    return [sum(column) for column in zip(*grid, strict=True)]


def long(labels: Sequence[str], heads: Sequence[str], grid: Sequence[Sequence[float]]) -> Records:
    """The records of a crosstab."""
    return [(label, head, value) for label, row in zip(labels, grid, strict=True)
            for head, value in zip(heads, row, strict=True)]  # fmt: skip


def crosstab(
    labels: Sequence[str], heads: Sequence[str], grid: Sequence[Sequence[float]], corner: str = "Quay"
) -> list[Row]:
    """The rows of a crosstab."""
    return [[corner, *heads], *([label, *row] for label, row in zip(labels, grid, strict=True))]


def keyed_list(chance: Chance) -> tuple[list[Sheet], Records]:
    """Line numbers, codes, names, and columns of unlike kinds."""
    count = chance.randint(5, 14)
    rows: list[Row] = [
        [at, f"{chance.randint(10, 999):04d}", chance.choice(VESSELS), 1980 + chance.randint(0, 50), chance.figure()]
        for at in range(1, count + 1)
    ]
    head = ["Line", "Permit", "Vessel", "Year built", chance.choice(("Dues (EUR)", "Fee", "Tonnage"))]
    return [sheet_of([["Register of vessels"], [], head, *rows])], [
        (str(row[0]), *map(_plain, row[1:])) for row in rows
    ]


def _plain(value: Any) -> Any:
    return float(value) if isinstance(value, int) else value


def numbers_list(chance: Chance) -> tuple[list[Sheet], Records]:
    """A list of nothing but numbers: ids, months and kilos."""
    ids = sorted(chance.sample(range(1000, 9999), chance.randint(6, 12)))
    rows = [[at, chance.randint(1, 12), chance.randint(3, 90), chance.figure()] for at in ids]
    head = ["Ticket no.", "Month", "Parcels", "Kilos"]
    return [sheet_of([head, *rows])], [(str(row[0]), *(float(value) for value in row[1:])) for row in rows]


def words_in_years(chance: Chance) -> tuple[list[Sheet], Records]:
    """A crosstab by year, one year of which says "closed" almost throughout."""
    labels = chance.some(QUAYS, 4, 7)
    years = [str(2027 + at) for at in range(chance.randint(3, 5))]
    odd = chance.randrange(len(years))
    grid: list[Row] = [["closed" if at == odd else chance.figure() for at in range(len(years))] for _ in labels]
    records = [(label, year, str(int(value)) if value != "closed" else value)
               for label, row in zip(labels, grid, strict=True) for year, value in zip(years, row, strict=True)]  # fmt: skip
    return [
        sheet_of([["Traffic"], [], ["Quay", *map(int, years)], *([a, *b] for a, b in zip(labels, grid, strict=True))])
    ], records


def cutins_two_labels(chance: Chance) -> tuple[list[Sheet], Records]:
    """Heads of rows above two label columns."""
    months = chance.run(MONTHS, 3, 6)
    rows: list[Row] = [["Quay", "Class", *months]]
    records: Records = []
    for harbour in chance.some(HARBOURS, 2, 3):
        rows.append([harbour])
        for quay in chance.some(QUAYS, 2, 3):
            for place, kind in enumerate(chance.some(CLASSES, 2, 3)):
                row = chance.grid(1, len(months))[0]
                rows.append(["" if place else quay, kind, *row])
                records += [(harbour, quay, kind, month, value) for month, value in zip(months, row, strict=True)]
    return [sheet_of([["Traffic by quay"], [], *rows])], records


def days_under_months(chance: Chance) -> tuple[list[Sheet], Records]:
    """Days in rows under headings that are months."""
    rows: list[Row] = [["Day", *CLASSES[:3]]]
    records: Records = []
    first = chance.randint(1, 9)
    for month in range(first, first + chance.randint(2, 3)):
        rows.append([f"{MONTHS[month - 1]} 2031"])
        for day in range(1, chance.randint(4, 9)):
            row = chance.grid(1, 3)[0]
            rows.append([day, *row])
            records += [(f"2031-{month:02d}", str(day), kind, value) for kind, value in zip(CLASSES, row, strict=False)]
    return [sheet_of(rows)], records


def section_totals(chance: Chance) -> tuple[list[Sheet], Records]:
    """Section lines that bear the sums of what is below them."""
    months = chance.run(MONTHS, 3, 6)
    rows: list[Row] = [["Place", *months]]
    records: Records = []
    for harbour in chance.some(HARBOURS, 2, 4):
        quays = chance.some(QUAYS, 2, 4)
        grid = chance.grid(len(quays), len(months))
        rows += [[harbour, *sums(grid)], *([f"   {quay}", *row] for quay, row in zip(quays, grid, strict=True))]
        records += [(harbour, quay, month, value) for quay, month, value in long(quays, months, grid)]
    return [sheet_of([["Traffic by place"], [], *rows])], records


def form_pairs(chance: Chance) -> tuple[list[Sheet], Records]:
    """A form with pairs of labels and values above its table, with or without colons."""
    colon = chance.choice((":", ":", ""))
    name, vessel, season = chance.choice(CREW), chance.choice(VESSELS), chance.choice(("summer", "winter"))
    labels, months = chance.some(QUAYS, 3, 5), chance.run(MONTHS, 3, 5)
    grid = chance.grid(len(labels), len(months))
    head: list[Row] = [
        [f"Master{colon}", name, "", f"Vessel{colon}", vessel],
        [f"Season{colon}", season, "", f"Port{colon}", "Brae"],
    ]
    records = [(name, vessel, season, "Brae", *one) for one in long(labels, months, grid)]
    foot: list[Row] = [[], [], ["Signed", "", "Date"], ["_______", "", "_______"]] if chance.random() < 0.5 else []
    return [sheet_of([["Return of traffic"], [], *head, [], *crosstab(labels, months, grid), *foot])], records


def fields_beside(chance: Chance) -> tuple[list[Sheet], Records]:
    """A box of fields behind a gap beside the table."""
    labels, months = chance.some(QUAYS, 4, 6), chance.run(MONTHS, 3, 5)
    grid = chance.grid(len(labels), len(months))
    rows = crosstab(labels, months, grid)
    name, port = chance.choice(CREW), chance.choice(HARBOURS)
    for at, (label, value) in enumerate((("Harbour master:", name), ("Port:", port), ("Status:", "final"))):
        rows[at] += ["", label, value]
    return [sheet_of([["Dues"], [], *rows])], [(name, port, "final", *one) for one in long(labels, months, grid)]


def touching_blocks(chance: Chance) -> tuple[list[Sheet], Records]:
    """Blocks of one form below one another without a gap, each under a title of its own."""
    months = chance.run(MONTHS, 3, 5)
    rows: list[Row] = []
    records: Records = []
    for harbour in chance.some(HARBOURS, 2, 3):
        labels = chance.some(QUAYS, 3, 4)
        grid = chance.grid(len(labels), len(months))
        rows += [[harbour], *crosstab(labels, months, grid), *([[]] * chance.randint(1, 2))]
        records += [(harbour, *one) for one in long(labels, months, grid)]
    return [sheet_of(rows)], records


def year_titles(chance: Chance) -> tuple[list[Sheet], Records]:
    """Blocks below one another, each under its year."""
    labels, months = chance.some(QUAYS, 3, 5), chance.run(MONTHS, 3, 5)
    rows: list[Row] = []
    records: Records = []
    for year in range(2029, 2029 + chance.randint(2, 3)):
        grid = chance.grid(len(labels), len(months))
        rows += [[year], *crosstab(labels, months, grid), [], []]
        records += [(str(year), *one) for one in long(labels, months, grid)]
    return [sheet_of(rows)], records


def side_by_side(chance: Chance) -> tuple[list[Sheet], Records]:
    """Two blocks beside one another, with their titles above and a source below."""
    months = chance.run(MONTHS, 2, 4)
    blocks = []
    records: Records = []
    for harbour in chance.sample(list(HARBOURS), 2):
        labels = chance.some(QUAYS, 3, 5)
        grid = chance.grid(len(labels), len(months))
        blocks.append([[harbour, *[""] * len(months)], *crosstab(labels, months, grid)])
        records += [(harbour, *one) for one in long(labels, months, grid)]
    height = max(map(len, blocks))
    wide = [[*block, *([[""] * (len(months) + 1)] * (height - len(block)))] for block in blocks]
    rows = [[*left, "", "", *right] for left, right in zip(*wide, strict=True)]
    return [sheet_of([*rows, [], ["Source: pursers' returns"]])], records


def bands(chance: Chance) -> tuple[list[Sheet], Records]:
    """Columns for all, men and women, of which the first are the sums of the others."""
    years = [2029, 2030, 2031][: chance.randint(2, 3)]
    labels = chance.some(HARBOURS, 4, 7)
    men, women = chance.grid(len(labels), len(years)), chance.grid(len(labels), len(years))
    whole = chance.choice(("All", "Persons", "Total"))
    spans: Row = ["", whole, *[""] * (len(years) - 1), "Men", *[""] * (len(years) - 1), "Women"]
    rows: list[Row] = [spans, ["Harbour", *years, *years, *years]]
    for label, one, two in zip(labels, men, women, strict=True):
        rows.append([label, *(a + b for a, b in zip(one, two, strict=True)), *one, *two])
    width = len(years)
    merges = [(2, 1 + at * width, 2, (at + 1) * width) for at in range(3)]
    records = [(label, sex, str(year), value) for sex, grid in (("Men", men), ("Women", women))
               for label, year, value in long(labels, years, grid)]  # type: ignore[arg-type]  # fmt: skip
    return [sheet_of([["Passengers"], [], *rows], merges=merges)], records


def sum_sheet(chance: Chance) -> tuple[list[Sheet], Records]:
    """A sheet that sums its siblings, first or last, called as it likes."""
    labels, months = chance.some(VESSELS, 3, 5), chance.run(MONTHS, 3, 5)
    names = chance.some(HARBOURS, 2, 4)
    grids = {name: chance.grid(len(labels), len(months)) for name in names}
    whole = [
        [sum(grids[name][row][column] for name in names) for column in range(len(months))] for row in range(len(labels))
    ]
    sheets = [sheet_of(crosstab(labels, months, grids[name], "Vessel"), name) for name in names]
    extra = sheet_of(crosstab(labels, months, whole, "Vessel"), chance.choice(("All ports", "Isles", "Summary")))
    sheets.insert(chance.choice((0, len(sheets))), extra)
    return sheets, [(name, *one) for name in names for one in long(labels, months, grids[name])]
