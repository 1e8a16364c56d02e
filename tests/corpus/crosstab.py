"""Lay a crosstab out on a sheet with the kinds of mess that were chosen."""

from __future__ import annotations

import datetime as dt
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from corpus.making import Maker, Sheet

Path = tuple[str, ...]


class Crosstab:
    """One crosstab being laid out, row by row."""

    def __init__(self, maker: Maker, sheet: Sheet, top: int, left: int, across: list[Path], down: list[Path]) -> None:
        self.maker, self.sheet, self.row, self.left = maker, sheet, top, left
        self.chance, self.mess, self.shape = maker.chance, maker.mess, maker.shape
        self.across, self.down = across, down
        self.depth = len(across[0])
        self.one_column = self.shape in {"cut_in", "spaces", "indents", "parent_sums", "two_cutins", "deep_spaces"}
        self.width = 1 if self.one_column else 2 if self.shape == "dotted_codes" else len(down[0])
        self.numbered = "running_number" in self.mess
        if self.numbered:
            self.left += 1
        self.flag = 0
        self.records: list[tuple[Any, ...]] = []
        self.quarters: dict[int, str] = {}
        self.last = 0
        self.columns = self.places()
        self.sums = dict.fromkeys(self.columns, 0.0)
        self.counts = dict.fromkeys(self.columns, 0)

    def places(self) -> dict[int, Path | None]:
        """The sheet's column of each path, with spacers between; None stands for the total column."""
        at = self.left + self.width
        places: dict[int, Path | None] = {}
        for number, path in enumerate(self.across):
            new_group = number and self.depth > 1 and self.across[number - 1][0] != path[0]
            if "spacer_column" in self.mess and new_group:
                at += 1
            places[at] = path
            at += 1
            if "flags" in self.mess and number == len(self.across) - 1:
                self.flag = at
                at += 1
            if self.shape == "quarters" and (number + 1 == len(self.across) or self.across[number + 1][0] != path[0]):
                self.quarters[at] = path[0]
                at += 1
        if "total_column" in self.mess and self.shape != "measures":
            places[at] = None
        self.last = at
        return places

    def lay_out(self) -> tuple[list[tuple[Any, ...]], int]:
        """All of it; returns the records and the row after the last."""
        head = self.row
        self.boxhead()
        if "units" in self.mess and self.shape != "measures":
            for at in self.columns:
                self.sheet.put(self.row, at, "(number)")
            self.row += 1
        if "spacer_row" in self.mess:
            self.row += 1
        self.body(head)
        self.closing()
        return (self.wide() if self.shape == "measures" else self.records), self.row

    def wide(self) -> list[tuple[Any, ...]]:
        """The records with a column per measure."""
        values = {record[:-1]: record[-1] for record in self.records}
        keys = dict.fromkeys((*record[:-2],) for record in self.records)
        kinds = list(dict.fromkeys(path[-1] for path in self.across))
        return [(*key, *(values.get((*key, kind)) for kind in kinds)) for key in keys]

    def boxhead(self) -> None:
        """The heading rows, with stub heads on the lowest."""
        paths = {at: path for at, path in self.columns.items() if path is not None}
        for level in range(self.depth):
            row, starts = self.row + level, self.starts(paths, level)
            for number, at in enumerate(starts):
                text: Any = paths[at][level]
                if text.isdigit():
                    text = float(text)
                elif self.shape == "dates_across":
                    text = dt.date.fromisoformat(text)
                    self.sheet.formats[row, at] = "d mmm yyyy"
                elif "head_marks" in self.mess and number == 1 and level == self.depth - 1:
                    text += "*"
                elif "name_breaks" in self.mess and " " in text:
                    text = text.replace(" ", "\n", 1)
                self.sheet.put(row, at, text)
                self.sheet.bold.add((row, at))
                after = starts[number + 1] if number + 1 < len(starts) else max(paths) + 1
                end = max(place for place in paths if place < after)
                if end > at and "first_cell" not in self.mess:
                    self.sheet.merges.append((row, at, row, end))
        last = self.row + self.depth - 1
        heads = {1: ["Place"], 2: ["Harbour", "Quay"], 3: ["Coast", "Harbour", "Class"]}[self.width]
        if self.shape in {"codes", "dotted_codes"}:
            heads = ["Code", "Place"]
        if self.numbered:
            self.sheet.put(last, self.left - 1, "No.")
        if "remarks" in self.mess:
            self.sheet.put(last, self.last, "Remarks")
        for at, quarter in self.quarters.items():
            self.sheet.put(last, at, quarter)
        for at, head in enumerate(heads if "no_stub_head" not in self.mess else []):
            self.sheet.put(last, self.left + at, head)
        for at, path in self.columns.items():
            if path is None:
                self.sheet.put(last, at, self.whole("Altogether here", "All of these"))
        self.row += self.depth

    def whole(self, unworded: str, words: str) -> str:
        """What a total is called."""
        if "whole_words" in self.mess:
            return words
        return unworded if "unworded_total" in self.mess else "Total"

    def starts(self, paths: dict[int, Path], level: int) -> list[int]:
        """Columns where a label of this level begins."""
        found: list[int] = []
        before: Path | None = None
        for at, path in paths.items():
            if before is None or level == self.depth - 1 or path[: level + 1] != before[: level + 1]:
                found.append(at)
            before = path
        return found

    def body(self, head: int) -> None:
        """The rows of figures, with group heads or subtotals as the shape has it."""
        first_row = self.row
        group = ""
        if "carried" in self.mess:
            self.carry("Brought forward")
        for number, path in enumerate(self.down):
            if self.shape == "dotted_codes":
                if path[0] != group:
                    group = path[0]
                    self.code_parent(path)
            elif len(path) > 1 and self.shape != "codes" and path[0] != group:
                if group and self.shape in {"subtotals", "named_subtotals"}:
                    self.subtotal(group)
                group = path[0]
                self.group_head(group, [other for other in self.down if other[0] == group])
            if self.shape in {"two_cutins", "deep_spaces"} and (number == 0 or self.down[number - 1][:2] != path[:2]):
                self.group_head(path[1], [])
            if number == len(self.down) // 2 and number and self.width == 1 and not self.one_column:
                self.between(head)
            self.line(path, new=number == 0 or path[0] != self.down[number - 1][0])
        if self.shape in {"subtotals", "named_subtotals"}:
            self.subtotal(group)
        if "hidden_row" in self.mess:
            self.sheet.put(self.row, self.left, "helper")
            for at in self.columns:
                self.sheet.put(self.row, at, 77.0)
            self.sheet.hidden_rows.add(self.row)
            self.row += 1
        if self.shape == "merged_labels":
            self.merge_labels(first_row)

    def between(self, head: int) -> None:
        """What stands between the rows: the headings once more, or a note."""
        if "repeated_head" in self.mess:
            for level in range(self.depth):
                for (row, at), value in list(self.sheet.cells.items()):
                    if row == head + level and at >= self.left and at <= max(self.columns):
                        self.sheet.put(self.row + level, at, value)
                        if (row, at) in self.sheet.formats:
                            self.sheet.formats[self.row + level, at] = self.sheet.formats[row, at]
            for level in range(self.depth):
                self.sheet.merges += [
                    (self.row + level, left, self.row + level, right)
                    for top, left, _, right in list(self.sheet.merges)
                    if top == head + level and self.left <= left <= max(self.columns)
                ]
            self.row += self.depth
        elif "middle_note" in self.mess:
            self.sheet.put(self.row, self.left, "Note: from here on as counted by the pursers.")
            self.row += 1

    def group_head(self, group: str, members: list[Path]) -> None:
        """The row that heads a group in a single label column."""
        if not self.one_column:
            return
        inner = self.shape == "deep_spaces" and not members
        self.sheet.put(self.row, self.left, f"  {group}" if inner else group)
        self.sheet.bold.add((self.row, self.left))
        self.head_row, self.group_sums = self.row, dict.fromkeys(self.columns, 0.0)
        del members
        self.row += 1

    def line(self, path: Path, *, new: bool) -> None:
        """One row of figures."""
        label = path[-1]
        if self.one_column:
            label = f"   {label}" if self.shape == "spaces" else label
            label = f"    {label}" if self.shape == "deep_spaces" else label
            if self.shape in {"indents", "parent_sums"}:
                self.sheet.indents[self.row, self.left] = 1
            self.sheet.put(self.row, self.left, label)
        elif self.shape == "dotted_codes":
            self.sheet.put(self.row, self.left, path[1])
            self.sheet.put(self.row, self.left + 1, path[2])
        elif self.shape == "codes":
            self.sheet.put(self.row, self.left, float(path[0]))
            self.sheet.put(self.row, self.left + 1, path[1])
        elif self.width == 3:
            before = self.down[self.down.index(path) - 1] if self.down.index(path) else ("", "", "")
            for level in range(3):
                if path[: level + 1] != before[: level + 1] or level == 2:
                    self.sheet.put(self.row, self.left + level, path[level])
        elif self.width == 2:
            if new:
                self.sheet.put(self.row, self.left, path[0])
            self.sheet.put(self.row, self.left + 1, path[1])
        else:
            self.sheet.put(self.row, self.left, path[0])
        self.rest: tuple[Any, ...] = ()
        if self.numbered:
            self.number = getattr(self, "number", 0) + 1
            self.sheet.put(self.row, self.left - 1, float(self.number))
            path = (str(self.number), *path)
        if "remarks" in self.mess:
            said = self.chance.choice(("as counted", "estimated", "late return"))
            self.sheet.put(self.row, self.last, said)
            self.rest = (said,)
        if self.flag and self.chance.random() < 0.4:
            self.sheet.put(self.row, self.flag, self.chance.choice(("p", "r")))
        if "stray_note" in self.mess and self.width == 1 and path == self.down[-1] and "total_column" not in self.mess:
            self.sheet.put(self.row, self.last + 2, "checked twice by the harbour office")
        total = 0.0
        for at, column in self.columns.items():
            if column is None:
                self.sheet.put(self.row, at, total)
                self.add(at, total)
                self.counts[at] += 1
                continue
            total += self.cell(at, path, column)
        self.quarter_sums(self.row, lambda at: self.figure(self.sheet.cells.get((self.row, at))))
        self.row += 1

    def quarter_sums(self, row: int, figure: Any) -> None:
        """The column that sums each quarter's months."""
        for at, quarter in self.quarters.items():
            months = [place for place, path in self.columns.items() if path and path[0] == quarter]
            self.sheet.put(row, at, sum(figure(place) for place in months))

    def carry(self, label: str) -> None:
        """A line that only carries a sum over."""
        self.sheet.put(self.row, self.left, label)
        for at in self.columns:
            if label == "Brought forward":
                brought = sum(self.sums[other] for other, path in self.columns.items() if path is not None)
                self.sums[at] = float(self.chance.randint(500, 9000)) if self.columns[at] is not None else brought
            self.sheet.put(self.row, at, self.sums[at])
        self.row += 1

    def code_parent(self, path: Path) -> None:
        """The line of a code that sums the codes below it."""
        self.sheet.put(self.row, self.left, path[1].split(".")[0])
        self.sheet.put(self.row, self.left + 1, path[0])
        self.head_row, self.group_sums = self.row, dict.fromkeys(self.columns, 0.0)
        self.row += 1

    def cell(self, at: int, path: Path, column: Path) -> float:
        """One figure, or what stands in its place; returns what it adds to totals."""
        value = self.maker.value()
        money = self.shape == "measures" and column[-1].endswith("€")
        if money:
            value = round(value / 7, 2)
            self.sheet.formats[self.row, at] = "#,##0.00 €"
        luck = self.chance.random()
        said: Any = value
        known: float | None = value
        if "missing" in self.mess and luck < 0.06:
            said, known = self.chance.choice(("n/a", "–", "..")), None
        elif "blanks" in self.mess and luck < 0.12 and path != self.down[0] and at != min(self.columns):
            said, known = None, None
        elif "text_numbers" in self.mess and 0.5 < luck < 0.56 and not money:
            said = f"{value:g}"
        elif "marks" in self.mess and luck > 0.93 and not money:
            said = f"{value:g}*"
        if said is not None:
            self.sheet.put(self.row, at, said)
            self.records.append((*path, *self.rest, *column, known))
        self.add(at, known or 0.0)
        self.counts[at] += known is not None
        return known or 0.0

    def add(self, at: int, value: float) -> None:
        """Count a figure into the running sums."""
        self.sums[at] += value
        if self.one_column or self.shape == "dotted_codes":
            self.group_sums[at] += value
            if self.shape in {"parent_sums", "dotted_codes"}:
                self.sheet.put(self.head_row, at, self.group_sums[at])

    def subtotal(self, group: str) -> None:
        """The sum of a group's rows, below them."""
        members = [path for path in self.down if path[0] == group]
        if self.shape == "named_subtotals":
            self.sheet.put(self.row, self.left, f"Total {group}")
        else:
            self.sheet.put(self.row, self.left + 1, "Subtotal")
        start = self.row - len(members)
        for at in self.columns:
            cells = [self.sheet.cells.get((row, at)) for row in range(start, self.row)]
            self.sheet.put(self.row, at, sum(self.figure(cell) for cell in cells))
        self.row += 1

    @staticmethod
    def figure(cell: Any) -> float:
        """The figure in a cell that was put, marks left out."""
        if isinstance(cell, float):
            return cell
        text = str(cell or "").rstrip("*")
        return float(text) if text.replace(".", "").isdigit() else 0.0

    def closing(self) -> None:
        """Total and average lines."""
        if "total_row" in self.mess and self.shape != "measures":
            self.sheet.put(self.row, self.left, self.whole("Archipelago", "All places"))
            for at in self.columns:
                self.sheet.put(self.row, at, self.sums[at])
                if "formulas" in self.mess and not self.one_column:
                    self.sheet.formulas.add((self.row, at))
            self.quarter_sums(self.row, self.sums.__getitem__)
            self.row += 1
        if "carried" in self.mess:
            self.carry("Carried forward")
        if "average" in self.mess and self.shape not in {"measures", "subtotals", "parent_sums"}:
            self.sheet.put(self.row, self.left, "Average")
            for at in self.columns:
                self.sheet.put(self.row, at, round(self.sums[at] / max(self.counts[at], 1), 1))
            self.row += 1

    def merge_labels(self, first_row: int) -> None:
        """Merge the outer labels over their rows."""
        rows = list(range(first_row, first_row + len(self.down)))
        start = rows[0]
        for number, row in enumerate(rows):
            last = number + 1 == len(rows) or self.down[number + 1][0] != self.down[number][0]
            if last:
                if row > start:
                    self.sheet.merges.append((start, self.left, row, self.left))
                start = row + 1
