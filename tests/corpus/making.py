"""Make one report: choose a shape and kinds of mess, make the truth, lay it out as people do, write it as a workbook."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

import xlsxwriter
from xlsxwriter.utility import xl_col_to_name

if TYPE_CHECKING:
    from pathlib import Path

HARBOURS = ("Skarrow", "Hallan", "Tarn Skerry", "Wick of Ness", "Outer Holm", "Gullhaven", "Selsund", "Brae", "Norhamn")
QUAYS = ("East quay", "West quay", "Old pier", "North mole", "Slip", "Lock", "Inner basin", "Coal stage")
VESSELS = ("Gull", "Tern", "Petrel", "Skua", "Fulmar", "Eider", "Auk", "Plover")
CLASSES = ("Foot", "Cars", "Vans", "Coaches", "Bicycles")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
COASTS = ("North coast", "South coast", "Outer isles")
SEASONS = ("Summer", "Winter")

#: The kinds of mess that can be combined freely over a crosstab.
MESS = (
    "titles", "offset", "merged", "first_cell", "footnotes", "total_column", "total_row", "unworded_total", "spacer_column",
    "spacer_row", "fields", "marks", "missing", "blanks", "units", "average", "hidden_row", "repeated_head", "middle_note",
    "name_breaks", "sheets", "bold_ghosts", "title_over", "head_marks", "text_numbers", "no_stub_head",
    "small_numbers", "decimals", "remarks", "flags", "other_language", "carried", "whole_words", "running_number", "formulas",
    "stray_note",
)  # fmt: skip
#: Months as other languages have them.
OTHER_MONTHS = (
    ("Januar", "Februar", "März", "April", "Mai", "Juni", "Juli", "August", "September", "Oktober", "November", "Dezember"),
    ("janv.", "févr.", "mars", "avr.", "mai", "juin", "juil.", "août", "sept.", "oct.", "nov.", "déc."),
    ("enero", "febrero", "marzo", "abril", "mayo", "junio", "julio", "agosto", "septiembre", "octubre", "noviembre",
     "diciembre"),
    ("styczeń", "luty", "marzec", "kwiecień", "maj", "czerwiec", "lipiec", "sierpień", "wrzesień", "październik",
     "listopad", "grudzień"),
)  # fmt: skip
#: The shapes of table that a report can have.
SHAPES = (
    "one_level", "two_levels", "three_levels", "years", "two_labels", "merged_labels", "cut_in", "spaces", "indents",
    "parent_sums", "stacked", "beside", "list", "measures", "subtotals", "codes", "two_cutins", "days", "dates_across",
    "three_labels", "named_subtotals", "sections", "dotted_codes", "quarters", "deep_spaces", "word_list",
)  # fmt: skip


@dataclass
class Sheet:
    """A sheet being laid out: values, merges and formats by cell."""

    name: str
    cells: dict[tuple[int, int], Any] = field(default_factory=dict)
    merges: list[tuple[int, int, int, int]] = field(default_factory=list)
    bold: set[tuple[int, int]] = field(default_factory=set)
    indents: dict[tuple[int, int], int] = field(default_factory=dict)
    formats: dict[tuple[int, int], str] = field(default_factory=dict)
    hidden_rows: set[int] = field(default_factory=set)
    formulas: set[tuple[int, int]] = field(default_factory=set)

    def put(self, row: int, column: int, value: Any) -> None:
        """A value in a cell."""
        self.cells[row, column] = value


@dataclass
class Made:
    """A report and its truth: each table as a list of records, in no order that matters."""

    seed: int
    kinds: tuple[str, ...]
    sheets: list[Sheet]
    tables: list[list[tuple[Any, ...]]]

    def write(self, path: Path) -> None:
        """The report as a workbook."""
        with xlsxwriter.Workbook(str(path)) as book:
            made: dict[tuple[bool, int, str], Any] = {}
            for sheet in self.sheets:
                page = book.add_worksheet(sheet.name)
                for row in sheet.hidden_rows:
                    page.set_row(row, None, None, {"hidden": True})
                merged = {(top, left): (bottom, right) for top, left, bottom, right in sheet.merges}
                for at in sorted(set(sheet.cells) | sheet.bold):
                    key = (at in sheet.bold, sheet.indents.get(at, 0), sheet.formats.get(at, ""))
                    if key not in made:
                        made[key] = book.add_format(
                            {"bold": key[0], "indent": key[1], **({"num_format": key[2]} if key[2] else {})}
                        )
                    if at in merged:
                        page.merge_range(*at, *merged[at], sheet.cells[at], made[key])
                    elif at in sheet.formulas:
                        column = xl_col_to_name(at[1])
                        page.write_formula(*at, f"=SUM({column}1:{column}{at[0]})", made[key], sheet.cells[at])
                    else:
                        page.write(*at, sheet.cells.get(at), made[key])


class Maker:
    """Makes reports from a seed."""

    def __init__(self, seed: int, *, shape: str = "", mess: tuple[str, ...] | None = None) -> None:
        self.seed = seed
        self.chance = random.Random(seed)
        self.shape = shape or self.chance.choice(SHAPES)
        count = self.chance.randint(1, 6)
        self.mess = set(self.chance.sample(MESS, count) if mess is None else mess)
        if {"merged", "first_cell"} <= self.mess:
            self.mess.discard("first_cell")
        if "head_marks" in self.mess:
            self.mess.add("footnotes")
        if "title_over" in self.mess:
            self.mess.add("titles")
        if self.shape in {"codes", "sections", "beside", "stacked", "two_cutins", "three_labels", "merged_labels"}:
            self.mess.discard("no_stub_head")
        if self.shape == "sections":
            self.mess -= {"fields", "hidden_row"}
        if self.shape == "beside":
            self.mess.discard("hidden_row")  # it would hide a row of the neighbour
        if self.shape not in {"one_level", "two_levels", "three_levels", "years"}:
            self.mess -= {"running_number", "carried", "flags"}
        if self.shape not in {"one_level", "two_levels", "quarters"}:
            self.mess.discard("remarks")
        if "remarks" in self.mess or self.shape == "quarters":
            self.mess -= {
                "total_column",
                "name_breaks",
            }  # remarks are told from measures where periods stand beside them
        if "carried" in self.mess:
            self.mess -= {"total_row", "average", "hidden_row", "blanks"}
        if "flags" in self.mess:
            self.mess -= {"spacer_column", "repeated_head", "total_column", "merged", "first_cell"}
        if self.shape in {"list", "word_list"}:
            self.mess &= {"titles", "offset", "footnotes", "fields", "sheets", "name_breaks", "bold_ghosts", "missing"}
        self.note_marks: list[str] = []

    def value(self) -> float:
        """A figure: sometimes with a decimal, never a year."""
        if "small_numbers" in self.mess:
            return float(self.chance.randint(0, 30))
        if "decimals" in self.mess:
            return round(self.chance.uniform(0, 4000), 1)
        number = self.chance.choice(
            (self.chance.randint(3, 99), self.chance.randint(100, 1700), self.chance.randint(2200, 90_000))
        )
        return float(number)

    def make(self) -> Made:
        """One report."""
        names = self.chance.sample(HARBOURS, 3) if "sheets" in self.mess else ["Returns"]
        across = self.across()
        sheets, tables = [], []
        records: list[tuple[Any, ...]] = []
        for number, name in enumerate(names):
            sheet = Sheet(name)
            found = self.sheet(sheet, across, number)
            stamp = [name] if len(names) > 1 else []
            if "fields" in self.mess:
                stamp.append(f"F{number + 1}")
            records += [(*stamp, *record) for record in found]
            sheets.append(sheet)
        tables.append(records)
        return Made(self.seed, (self.shape, *sorted(self.mess)), sheets, tables)

    def across(self) -> list[tuple[str, ...]]:
        """Column paths, outermost label first."""
        pick = self.chance.sample
        names = self.chance.choice(OTHER_MONTHS) if "other_language" in self.mess else MONTHS
        months = [names[at] for at in range(self.chance.randint(0, 3), self.chance.randint(6, 12))]
        if self.shape == "quarters":
            return [(f"Q{1 + at // 3}", names[at]) for at in range(self.chance.choice((6, 9, 12)))]
        if self.shape == "two_levels" and "remarks" in self.mess:
            return [(year, month) for year in ("2030", "2031") for month in months[:4]]
        if self.shape == "two_levels":
            return [(season, kind) for season in SEASONS for kind in pick(CLASSES, 3)]
        if self.shape == "three_levels":
            return [(str(year), season, kind) for year in (2030, 2031) for season in SEASONS for kind in CLASSES[:3]]
        if self.shape == "years":
            first = self.chance.randint(1995, 2028)
            return [(str(year),) for year in range(first, first + self.chance.randint(3, 8))]
        if self.shape == "days":
            return [(str(day),) for day in range(1, self.chance.randint(8, 20))]
        if self.shape == "dates_across":
            return [(f"2031-0{month}-01",) for month in range(1, self.chance.randint(4, 9))]
        if self.shape == "measures":
            return [(month, what) for month in months[:4] for what in ("Passengers", "Fares €")]
        return (
            [(month,) for month in months]
            if self.chance.random() < 0.6 or "remarks" in self.mess
            else [(kind,) for kind in pick(CLASSES, 4)]
        )

    def sheet(self, sheet: Sheet, across: list[tuple[str, ...]], number: int) -> list[tuple[Any, ...]]:
        """Lay one sheet out and return its records."""
        row, left = 0, 0
        if "offset" in self.mess:
            row, left = self.chance.randint(1, 3), self.chance.randint(1, 3)
        if "titles" in self.mess:
            sheet.put(row, left, "Skarrow Isles Ferry Board")
            sheet.put(row + 1, left, f"Returns of the harbours, part {number + 1}")
            sheet.bold.add((row, left))
            if "title_over" in self.mess:
                sheet.merges.append((row, left, row, left + len(across)))
            row += 2 + self.chance.randint(0, 1)
        if "fields" in self.mess:
            sheet.put(row, left, "Form code:")
            sheet.put(row, left + 1, f"F{number + 1}")
            row += 2
        if self.shape == "list":
            records, row = self.list_block(sheet, row, left)
        elif self.shape == "word_list":
            records, row = self.word_list(sheet, row, left)
        elif self.shape == "sections":
            records = []
            for vessel in self.chance.sample(VESSELS, 3):
                sheet.put(row, left, "Vessel:")
                sheet.put(row, left + 1, vessel)
                found, row = self.block(sheet, row + 1, left, across)
                records += [(vessel, *record) for record in found]
                row += 1
        elif self.shape == "stacked":
            records = []
            for title in SEASONS:
                sheet.put(row, left, title)
                found, row = self.block(sheet, row + 1, left, across)
                records += [(title, *record) for record in found]
                row += self.chance.randint(1, 3)
        elif self.shape == "beside":
            first, row_a = self.block(sheet, row, left, across)
            width = max(column for _, column in sheet.cells) + 2
            other = self.block(
                sheet,
                row,
                width,
                [(f"{label} 2032",) for (*_, label) in across],
            )
            records, row = [*first, *other[0]], max(row_a, other[1])
        else:
            records, row = self.block(sheet, row, left, across)
        if "footnotes" in self.mess:
            sheet.put(row + 1, left, "* Includes the festival sailings.")
            sheet.put(row + 2, left, "Source: harbour offices")
        if "bold_ghosts" in self.mess:
            sheet.bold |= {(row + 400, left + at) for at in range(3)}
        return records

    def labels(self) -> list[tuple[str, ...]]:
        """Row paths."""
        pick = self.chance.sample
        if self.shape == "codes":
            first = self.chance.randrange(110, 800)
            names = pick((*HARBOURS, *QUAYS), self.chance.randint(4, 9))
            return [(str(first + 7 * at + self.chance.randrange(5)), name) for at, name in enumerate(names)]
        if self.shape == "dotted_codes":
            groups = pick(("Fuel", "Crew", "Upkeep", "Dues"), 3)
            return [
                (group, f"{number}.{at + 1}", f"{group} {word}")
                for number, group in enumerate(groups, 1)
                for at, word in enumerate(pick(("afloat", "ashore", "abroad", "by night"), self.chance.randint(1, 3)))
            ]
        if self.shape == "deep_spaces":
            return [
                (coast, name, kind) for coast in COASTS[:2] for name in pick(HARBOURS, 2) for kind in pick(CLASSES, 2)
            ]
        if self.shape == "two_cutins":
            return [(coast, season, name) for coast in COASTS for season in SEASONS for name in pick(QUAYS, 2)]
        if self.shape == "three_labels":
            return [
                (coast, name, kind) for coast in COASTS[:2] for name in pick(HARBOURS, 2) for kind in pick(CLASSES, 2)
            ]
        if self.shape in {"two_labels", "merged_labels", "subtotals", "named_subtotals"}:
            return [(harbour, quay) for harbour in pick(HARBOURS, 3) for quay in pick(QUAYS, self.chance.randint(2, 4))]
        if self.shape in {"cut_in", "spaces", "indents", "parent_sums"}:
            return [(coast, name) for coast in COASTS for name in pick(QUAYS, self.chance.randint(2, 4))]
        return [(name,) for name in pick((*HARBOURS, *QUAYS), self.chance.randint(3, 9))]

    def block(
        self, sheet: Sheet, top: int, left: int, across: list[tuple[str, ...]]
    ) -> tuple[list[tuple[Any, ...]], int]:
        """One crosstab; returns its records and the row after it."""
        from corpus.crosstab import Crosstab

        return Crosstab(self, sheet, top, left, across, self.labels()).lay_out()

    def list_block(self, sheet: Sheet, top: int, left: int) -> tuple[list[tuple[Any, ...]], int]:
        """A list that is one row per observation already: texts, dates and figures under one heading row."""
        heads = ["Vessel", "Harbour", "Litres", "Paid €", "Remark"]
        for at, head in enumerate(heads):
            sheet.put(top, left + at, head.replace(" ", "\n") if "name_breaks" in self.mess else head)
        records: list[tuple[Any, ...]] = []
        for row in range(top + 1, top + 1 + self.chance.randint(5, 20)):
            record: list[Any] = [
                self.chance.choice(VESSELS), self.chance.choice(HARBOURS), self.value(), round(self.value() / 7, 2),
                self.chance.choice(("paid late", "in order", "by agent")),
            ]  # fmt: skip
            for at, value in enumerate(record):
                if at == 2 and "missing" in self.mess and self.chance.random() < 0.1:
                    sheet.put(row, left + at, "n/a")
                    record[at] = None
                else:
                    sheet.put(row, left + at, value)
                if at == 3:
                    sheet.formats[row, left + at] = "#,##0.00 €"
            records.append(tuple(record))
        return records, top + 1 + len(records)

    def word_list(self, sheet: Sheet, top: int, left: int) -> tuple[list[tuple[Any, ...]], int]:
        """A list of nothing but words."""
        for at, head in enumerate(("Vessel", "Home port", "Master", "Remark")):
            sheet.put(top, left + at, head)
        records: list[tuple[Any, ...]] = []
        vessels = self.chance.sample(VESSELS, min(len(VESSELS), self.chance.randint(4, 8)))
        for row, vessel in enumerate(vessels, top + 1):
            record = (
                vessel, self.chance.choice(HARBOURS), self.chance.choice(("A. Purser", "B. Mate", "C. Pilot")),
                self.chance.choice(("in dock", "in service", "laid up for the winter")),
            )  # fmt: skip
            for at, text in enumerate(record):
                sheet.put(row, left + at, text)
            records.append(record)
        return records, top + 1 + len(records)
