"""More reports of the kinds that offices make: spanners, columns beside values, words in bodies, printed forms, lists."""

from __future__ import annotations

from typing import Any

from corpus.making import CLASSES, HARBOURS, MONTHS, QUAYS, VESSELS, Sheet
from corpus.office import CREW, WEEKDAYS, Chance, Records, Row, crosstab, long, sheet_of, sums

Given = tuple[list[Sheet], Records]


def centred_spanners(chance: Chance) -> Given:
    """Spanners placed by hand over the middle of what they span."""
    years = [str(2029 + at) for at in range(chance.randint(2, 3))]
    kinds = chance.some(CLASSES, 3, 3)
    labels = chance.some(QUAYS, 4, 6)
    grid = chance.grid(len(labels), len(years) * 3)
    spans: Row = ["", *(cell for year in years for cell in ("", int(year), ""))]
    rows: list[Row] = [spans, ["Quay", *(kinds * len(years))], *([a, *b] for a, b in zip(labels, grid, strict=True))]
    records = [(label, years[at // 3], kinds[at % 3], value) for label, row in zip(labels, grid, strict=True)
               for at, value in enumerate(row)]  # fmt: skip
    return [sheet_of([["Traffic"], [], *rows])], records


def quarter_sums(chance: Chance) -> Given:
    """Months with the sum of each quarter behind it, and of the year."""
    labels = chance.some(QUAYS, 4, 6)
    months = list(MONTHS[: chance.choice((6, 12))])
    grid = chance.grid(len(labels), len(months))
    heads: list[str] = []
    for quarter in range(len(months) // 3):
        heads += [*months[3 * quarter : 3 * quarter + 3], f"Q{quarter + 1}"]
    rows = [[x for at in range(0, len(row), 3) for x in (*row[at : at + 3], sum(row[at : at + 3]))] for row in grid]
    if chance.random() < 0.5:
        heads.append(chance.choice(("Total", "Year", "YTD")))
        rows = [[*wide, sum(row)] for wide, row in zip(rows, grid, strict=True)]
    return [sheet_of([["Takings by month"], [], *crosstab(labels, heads, rows)])], long(labels, months, grid)


def annual_mean(chance: Chance) -> Given:
    """Months with their mean beside them."""
    labels, months = chance.some(HARBOURS, 4, 6), list(MONTHS)
    grid = [[float(4 * chance.randint(100, 900)) for _ in months] for _ in labels]
    for row in grid:
        row[-1] += -sum(row) % 12  # so that the mean is whole
    heads = [*months, chance.choice(("Average", "Mean", "Annual average"))]
    rows = [[*row, sum(row) / 12] for row in grid]
    return [sheet_of([["Waiting time"], [], *crosstab(labels, heads, rows, "Harbour")])], long(labels, months, grid)


def of_which(chance: Chance) -> Given:
    """A whole with two parts that are said to be of it."""
    labels, months = chance.some(HARBOURS, 4, 6), chance.some(MONTHS, 1, 1)
    del months
    foot, cars = chance.grid(len(labels), 1), chance.grid(len(labels), 1)
    colon = chance.choice((":", ""))
    heads = ["Carried", f"of which{colon} foot", f"of which{colon} cars"]
    rows = [[a + b, a, b] for (a,), (b,) in zip(foot, cars, strict=True)]
    return [sheet_of(crosstab(labels, heads, rows, "Harbour"))], long(labels, heads[1:], [row[1:] for row in rows])


def extremes(chance: Chance) -> Given:
    """Lines for the least and the largest below a table."""
    labels, months = chance.some(QUAYS, 5, 7), chance.run(MONTHS, 3, 6)
    grid = chance.grid(len(labels), len(months))
    more: list[Row] = [["Minimum", *map(min, zip(*grid, strict=True))], ["Maximum", *map(max, zip(*grid, strict=True))]]
    return [sheet_of([*crosstab(labels, months, grid), *more])], long(labels, months, grid)


def labels_in_the_middle(chance: Chance) -> Given:
    """Labels right of the values that they label."""
    labels, months = chance.some(HARBOURS, 4, 6), chance.run(MONTHS, 3, 5)
    grid = chance.grid(len(labels), len(months))
    rows: list[Row] = [[*months, "Harbour"], *([*row, label] for label, row in zip(labels, grid, strict=True))]
    return [sheet_of([["Landings"], [], *rows])], long(labels, months, grid)


def records_across(chance: Chance) -> Given:
    """A vessel to each column, a field to each row."""
    vessels = chance.some(VESSELS, 3, 6)
    rows: list[Row] = [
        ["Vessel", *vessels], ["Built", *(float(chance.randint(1980, 2030)) for _ in vessels)],
        ["Home port", *(chance.choice(HARBOURS) for _ in vessels)], ["Crew", *(float(chance.randint(2, 30)) for _ in vessels)],
        ["Surveyed by", *(chance.choice(CREW) for _ in vessels)],
    ]  # fmt: skip
    return [sheet_of(rows)], [tuple(column) for column in zip(*(row[1:] for row in rows), strict=True)]


def calendar(chance: Chance) -> Given:
    """Weeks down, weekdays across, the day above who is on duty."""
    first, days = chance.randint(0, 6), chance.randint(28, 31)
    rows: list[Row] = [[*WEEKDAYS]]
    records: Records = []
    for week in range((first + days + 6) // 7):
        numbers: Row = []
        names: Row = []
        for at in range(7):
            day = 7 * week + at - first + 1
            there = 1 <= day <= days
            name = chance.choice(CREW) if there and chance.random() < 0.8 else ""
            numbers.append(day if there else "")
            names.append(name)
            if name:
                records.append((WEEKDAYS[at], str(day), name))
        rows += [numbers, names]
    return [sheet_of([["Rota of the Gull"], [], *rows])], records


def timetable(chance: Chance) -> Given:
    """Sailings down, piers across, times between."""
    piers = chance.some(HARBOURS, 3, 5)
    count = chance.randint(3, 7)
    names = [f"{chance.choice('NS')}{at}" for at in chance.sample(range(100, 200), count)]
    grid = [[f"{7 + at:02d}:{chance.randint(0, 59):02d}" if at == 0 or chance.random() < 0.9 else "|" for at in range(len(piers))]
            for _ in names]  # fmt: skip
    rows: list[Row] = [["Sailing", *piers], *([name, *row] for name, row in zip(names, grid, strict=True))]
    return [sheet_of([["Summer timetable"], [], *rows])], [
        (name, pier, value)
        for name, row in zip(names, grid, strict=True)
        for pier, value in zip(piers, row, strict=True)
    ]


def crosses(chance: Chance) -> Given:
    """A matrix of marks: who may do what."""
    skills = chance.some(("Radio", "Medical", "Deck", "Engine", "Lifeboat"), 3, 5)
    crew = chance.some(CREW, 4, 7)
    mark = chance.choice(("x", "X", "✓"))
    grid = [[mark if chance.random() < 0.5 else "" for _ in skills] for _ in crew]
    for row in grid:
        row[chance.randrange(len(row))] = mark
    rows: list[Row] = [["Crew", *skills], *([name, *row] for name, row in zip(crew, grid, strict=True))]
    records = [
        (name, skill, mark)
        for name, row in zip(crew, grid, strict=True)
        for skill, one in zip(skills, row, strict=True)
        if one
    ]
    return [sheet_of([["Certified"], [], *rows])], records


def intervals(chance: Chance) -> Given:
    """Figures in company: a mean with its range."""
    labels, years = chance.some(HARBOURS, 3, 6), [str(2029 + at) for at in range(chance.randint(2, 4))]
    dash = chance.choice("-–")
    grid = [[f"{(low := chance.randint(3, 30)) + 4} ({low}{dash}{low + 9})" for _ in years] for _ in labels]
    rows: list[Row] = [["Harbour", *map(int, years)], *([label, *row] for label, row in zip(labels, grid, strict=True))]
    records = [
        (a, year, value) for a, row in zip(labels, grid, strict=True) for year, value in zip(years, row, strict=True)
    ]
    return [sheet_of([["Waiting time in minutes"], [], *rows])], records


def printed(chance: Chance) -> Given:
    """A sheet made to be printed: every column is merged over several."""
    wide = chance.randint(2, 4)
    heads = ["Route", "Trips", "Foot", "Remarks"]
    rows: list[list[Any]] = [[f"R{at}", chance.figure(), chance.figure(), chance.choice(("fog", "relief vessel", "late"))]
            for at in range(chance.randint(3, 7))]  # fmt: skip
    sheet = Sheet("Log")
    sheet.put(0, 0, "Passage log")
    sheet.merges.append((0, 0, 0, 4 * wide - 1))
    for at, row in enumerate([heads, *rows], 2):
        for column, value in enumerate(row):
            sheet.put(at, column * wide, value)
            sheet.merges.append((at, column * wide, at, column * wide + wide - 1))
    return [sheet], [tuple(row) for row in rows]


def legend(chance: Chance) -> Given:
    """Signs in the body that a line below explains."""
    labels, months = chance.some(QUAYS, 4, 6), chance.run(MONTHS, 3, 6)
    sign = chance.choice(("x", "q", "nr"))
    grid: list[list[Any]] = [list(row) for row in chance.grid(len(labels), len(months))]
    grid[chance.randrange(len(grid))][chance.randrange(len(months))] = sign
    line = chance.choice((f"{sign} = not recorded", f"Legend: {sign} = not recorded"))
    records = [(label, month, None if value == sign else value) for label, row in zip(labels, grid, strict=True)
               for month, value in zip(months, row, strict=True)]  # fmt: skip
    return [sheet_of([*crosstab(labels, months, grid), [], [line]])], records


def label_footnotes(chance: Chance) -> Given:
    """Labels with the number of a note behind them."""
    labels, months = chance.some(HARBOURS, 4, 6), chance.run(MONTHS, 3, 5)
    grid = chance.grid(len(labels), len(months))
    at = chance.randrange(len(labels))
    shown = [f"{label} 1)" if place == at else label for place, label in enumerate(labels)]
    return [sheet_of([*crosstab(shown, months, grid, "Harbour"), [], ["1) without the old quay"]])], long(
        labels, months, grid
    )


def paged_list(chance: Chance) -> Given:
    """A list with page lines and its headings said again on every page."""
    head = ["Ticket", "Vessel", "Litres", "Port"]
    rows: list[Row] = []
    records: Records = []
    pages = chance.randint(2, 3)
    for page in range(1, pages + 1):
        rows += [
            ["FUEL REGISTER", "", "", f"Page {page} of {pages}"],
            [one.upper() if page > 1 else one for one in head],
        ]
        for at in range(chance.randint(3, 7)):
            row = [f"T{page}{at:02d}", chance.choice(VESSELS), chance.figure(), chance.choice(HARBOURS)]
            rows.append(row)
            records.append(tuple(row))
    return [sheet_of(rows)], records


def entries(chance: Chance) -> Given:
    """Cells with several entries, beside a key and nothing to count twice."""
    papers = ("Radio", "Medical", "Deck", "Engine", "Lifeboat")
    sign = chance.choice(("; ", "\n"))
    crew = chance.some(CREW, 5, 8)
    held = [chance.some(papers, 1, 3) for _ in crew]
    held[0] = ["Radio", "Deck"]
    rows: list[Row] = [["Crew", "Vessel", "Papers"]]
    ships = [chance.choice(VESSELS) for _ in crew]
    rows += [[name, ship, sign.join(own)] for name, ship, own in zip(crew, ships, held, strict=True)]
    return [sheet_of(rows)], [
        (name, ship, paper) for name, ship, own in zip(crew, ships, held, strict=True) for paper in own
    ]


def number_percent(chance: Chance) -> Given:
    """Pairs of a count and its share under each year; both are values."""
    labels, years = chance.some(HARBOURS, 4, 6), [str(2029 + at) for at in range(2)]
    counts = chance.grid(len(labels), 2)
    whole = sums(counts)
    spans: Row = ["", int(years[0]), "", int(years[1])]
    rows: list[Row] = [spans, ["Harbour", "n", "%", "n", "%"]]
    records: Records = []
    for label, row in zip(labels, counts, strict=True):
        shares = [round(100 * value / total, 1) for value, total in zip(row, whole, strict=True)]
        rows.append([label, row[0], shares[0], row[1], shares[1]])
        records += [(label, year, value, share) for year, value, share in zip(years, row, shares, strict=True)]
    return [sheet_of([["Boats"], [], *rows], merges=[(2, 1, 2, 2), (2, 3, 2, 4)])], records
