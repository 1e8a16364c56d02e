"""`kebrin survey`: what is on each sheet, and why Kebrin thinks so."""

from __future__ import annotations

import json
import tomllib
from pathlib import Path
from typing import TYPE_CHECKING, Any

from rich.text import Text

from kebrin.cells import column_letters
from kebrin.cli import show
from kebrin.cli.ahead import reports_ahead
from kebrin.cli.ending import Exit
from kebrin.errors import KebrinError
from kebrin.layout import Stated
from kebrin.plan.flow import flow_of
from kebrin.plan.model import LayoutPlan
from kebrin.plan.parts import stated_layout
from kebrin.plan.plan_file import read_plan
from kebrin.sources.budget import budget_of
from kebrin.sources.inputs import choose
from kebrin.work.filled import form_labels, with_copy
from kebrin.work.pieces import Ask
from kebrin.work.weighing import weigh

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from rich.console import Console

    from kebrin.cells import Report, Sheet
    from kebrin.layout import Evidence, Layout
    from kebrin.proof.ties import TieOut
    from kebrin.work.pieces import Piece
    from kebrin.work.weighing import Weighed


# So many files are looked at together before anything is said of them.
_TOGETHER = 200


def survey(inputs: Sequence[str], *, picture: Path | None, as_json: bool) -> int:
    """Survey reports sheet by sheet; with `picture`, draw the map of each sheet that holds a block."""
    out = show.console()
    plans = [item for item in inputs if item.lower().endswith(".toml")]
    if plans:
        return _survey_plans(out, plans, as_json=as_json)
    reports: list[dict[str, Any]] = []
    drawn: list[Path] = []
    told: dict[tuple[Any, ...], _Surveyed] = {}
    paths = list(choose(inputs).paths)
    for report, surveyed in _surveyed(reports_ahead(inputs, progress=not as_json), len(paths)):
        if picture is not None:
            drawn += _draw([sheet for sheet in surveyed if sheet.layouts], picture, paths, drawn)
        if as_json:
            reports.append({
                "file": report.path, "hidden": report.hidden, "sheets": [sheet.plain() for sheet in surveyed],
            })  # fmt: skip
            continue
        _tell_report(out, report, surveyed, told)
    if as_json:
        print(json.dumps({"reports": reports, "pictures": list(map(str, drawn))}, ensure_ascii=False))
    elif drawn:
        show.heading(out, "Drawn")
        for path in drawn:
            show.line(out, str(path))
    return Exit.DONE


def _tell_report(
    out: Console, report: Report, surveyed: Sequence[_Surveyed], told: dict[tuple[Any, ...], _Surveyed]
) -> None:
    """A report for people; `told` holds the first sheet of each form, for so many forms."""
    show.heading(out, report.path)
    for name, state in report.hidden.items():
        out.print(Text(f"  {name}: {state}, left out unless a plan names it", style="bold"))
    for sheet in surveyed:
        first = told.get(sheet.form, sheet)
        if len(told) < _TOGETHER:
            told[sheet.form] = first
        sheet.tell(out, first)


def _surveyed(reports: Iterable[Report], count: int) -> Iterator[tuple[Report, list[_Surveyed]]]:
    """Each report with its sheets; so that copies of a form are seen, all sheets of so many files are looked at together."""
    found = ((report, _looked_at(report)) for report in reports)
    if count > _TOGETHER:
        for report, surveyed in found:
            _take_records(surveyed)
            yield report, surveyed
        return
    whole = list(found)
    _take_records([one for _, surveyed in whole for one in surveyed])
    yield from whole


def _looked_at(report: Report) -> list[_Surveyed]:
    with budget_of(report.path):
        return [_Surveyed(report[name]) for name in report.shown]


def _survey_plans(out: Console, plans: Sequence[str], *, as_json: bool) -> int:
    """Draw the flow of plans: what each table is made of, its steps, where it goes."""
    flows = {path: flow_of(read_plan(path, needed=False)) for path in plans}
    if as_json:
        print(json.dumps({"plans": flows}, ensure_ascii=False))
        return Exit.DONE
    for path, lines in flows.items():
        show.heading(out, path)
        for text in lines:
            show.line(out, text, "" if text.startswith(" ") else "bold")
    return Exit.DONE


def _draw(surveyed: Sequence[_Surveyed], picture: Path, paths: Sequence[Path], before: Sequence[Path]) -> list[Path]:
    """The maps: under the name given if there is one, else each with its sheet's name, and its file's, in it."""
    from kebrin.deliver.atomic import whole_file
    from kebrin.deliver.guard import refuse_foreign_picture, refuse_sources
    from kebrin.deliver.mapping import map_of

    drawn: list[Path] = []
    for sheet in surveyed:
        own = [Path(sheet.sheet.source).stem] * (len(paths) > 1) + [sheet.sheet.name] * (len(surveyed) > 1)
        names = ["".join(letter if letter.isalnum() or letter in "-_" else "_" for letter in name) for name in own]
        path = picture.with_name(".".join([picture.stem, *names]) + (picture.suffix or ".png"))
        count = 2
        while path in {*before, *drawn}:
            path, count = path.with_name(f"{picture.stem}.{count}{picture.suffix or '.png'}"), count + 1
        refuse_sources(path, paths)
        refuse_foreign_picture(path)
        with whole_file(path) as part:
            part.write_bytes(map_of(sheet.weighed))
        drawn.append(path)
    return drawn


def _take_records(surveyed: Sequence[_Surveyed]) -> None:
    """Copies of a form as the records that tidying makes of them; that is seen over all sheets."""
    works = [with_copy(one.sheet, one.work, Ask()) for one in surveyed]
    for one, names in zip(surveyed, form_labels(works), strict=True):
        if names:
            one.take(weigh(one.sheet, Stated(form=names)))


class _Surveyed:
    """One sheet in the reading that tidying takes: its layouts, tables, ties, ledger, and the readings that were weighed."""

    def __init__(self, sheet: Sheet) -> None:
        self.take(weigh(sheet))

    def take(self, weighed: Weighed) -> None:
        """The reading that is taken."""
        self.weighed = weighed
        self.sheet, self.work = self.weighed.sheet, self.weighed.work
        self.layouts = [piece.layout for piece in self.work.pieces]
        self.tables = [piece.table for piece in self.work.pieces]
        self.ties = [piece.ties for piece in self.work.pieces]
        self.ledger = self.work.ledger

    def plain(self) -> dict[str, Any]:
        """For programs."""
        return {
            "sheet": self.sheet.name,
            "blocks": [_plain_layout(layout) for layout in self.layouts],
            "ledger": self.ledger.to_plain(),
            "tie-outs": [tie.to_plain() for tie in self.ties],
            "weighed": [vars(one) for one in self.weighed.readings],
            "trouble": self.trouble(),
        }

    def trouble(self) -> list[str]:
        """What a person should look at: what the proof objects to, totals that do not tie, questions, remarks."""
        said = [str(one) for one in self.ledger.objections]
        if self.ledger.unclaimed_count:
            cells = show.counted(self.ledger.unclaimed_count, "cell")
            said.append(f"{cells} unclaimed: {', '.join(self.ledger.unclaimed[:6])}")
        said += [gap.said for tie in self.ties for gap in tie.gaps]
        said += [
            f"can be read in two ways: the {one.what}, {one.where}: {one.why}; {one.settle} settles it"
            for layout in self.layouts
            for one in layout.questions
        ]
        said += [str(remark) for remark in self.work.remarks if remark.kind != "reading"]
        said += [str(remark) for table in self.tables for remark in table.remarks]
        return said

    @property
    def form(self) -> tuple[Any, ...]:
        """What sheets laid out alike have in common: the rows and columns of their labels, and what these are called."""
        if not self.layouts or self.sheet.laid is not None or any(layout.questions for layout in self.layouts):
            return (self.sheet.source, self.sheet.name)
        levels = [[*layout.boxhead, *layout.stub] for layout in self.layouts]
        return tuple(
            (tuple((level.line, level.name) for level in own), layout.measures, layout.listed)
            for own, layout in zip(levels, self.layouts, strict=True)
        )

    def tell(self, out: Console, first: _Surveyed) -> None:
        """For people; of a sheet laid out as another one, the first of its form, only what differs from that."""
        rows, columns = (self.sheet.laid or self.sheet).shape
        show.heading(out, f"Sheet {self.sheet.name}", "bold underline")
        filled = int(self.sheet.filled.sum())
        out.print(f"  {rows:,} rows x {columns:,} columns, {filled:,} cells filled, {len(self.sheet.merges):,} merges")
        if self.sheet.is_turned:
            out.print("  turned round: its rows are columns here, and rows and columns are named as they stand then")
        if not self.layouts:
            out.print("  no table; what is there is text")
        if first is self:
            self._tell_blocks(out)
        else:
            self._tell_unlike(out, first)
        if len(self.weighed.readings) > 1:
            show.rows(out, [("weighed" * (not at), str(one)) for at, one in enumerate(self.weighed.readings)])
        for said in self.trouble():
            show.line(out, f"! {said}", "bold")

    def _tell_blocks(self, out: Console) -> None:
        """Each block of the sheet, why it is read so, and its first rows."""
        for piece, layout, table, tie in zip(self.work.pieces, self.layouts, self.tables, self.ties, strict=True):
            show.rows(out, _roles(layout) if self.sheet.laid is None else _labels_of_form(self.sheet))
            if self.sheet.laid is None:
                _tell_evidence(out, layout)
            _tell_ties(out, tie)
            out.print(Text(f"  tidy: {show.counted(len(table), 'row')}"))
            show.sample(out, table, 3)
            for question in layout.questions:
                self._tell_other(out, piece, question)

    def _tell_unlike(self, out: Console, first: _Surveyed) -> None:
        """What differs from the first sheet of the same form."""
        where = "" if first.sheet.source == self.sheet.source else f" of {Path(first.sheet.source).name}"
        blocks = list(zip(self.layouts, first.layouts, strict=True))
        unlike = [_unlike(_roles(layout), dict(_roles(other))) for layout, other in blocks]
        show.line(out, f"laid out as {first.sheet.name}{where}{'; what differs:' if any(unlike) else ''}")
        for roles, table, tie in zip(unlike, self.tables, self.ties, strict=True):
            show.rows(out, roles)
            _tell_ties(out, tie)
            out.print(Text(f"  tidy: {show.counted(len(table), 'row')}"))

    def _tell_other(self, out: Console, piece: Piece, question: Evidence) -> None:
        """The table that the other answer to a question would give, in three rows."""
        try:
            answer = LayoutPlan.model_validate(tomllib.loads(question.settle))
            others = [
                other
                for other in weigh(self.sheet, stated_layout(answer)).work.pieces
                if other.layout.area.touches(piece.layout.area)
            ]
        except (KebrinError, ValueError):
            return
        for other in others:
            out.print(Text(f"  or, with {question.settle}: {show.counted(len(other.table), 'row')}"))
            show.sample(out, other.table, 3)


def _roles(layout: Layout) -> list[tuple[str, str]]:
    heads = [f"row {level.line + 1} = {level.name} ({_some(level.texts)})" for level in layout.boxhead]
    stub = [f"column {column_letters(level.line)} = {level.name} ({_some(level.texts)})" for level in layout.stub]
    rows, columns = layout.shape
    said = [
        ("block", layout.address),
        ("boxhead", "; ".join(heads) or "none"),
        ("stub", "; ".join(stub) or "none"),
    ]
    said.append(("body", f"{rows:,} rows x {columns:,} columns"))
    if layout.measures:
        said.append(("measures", f"the labels of {layout.measures}, a column each"))
    for axis in ("row", "column"):
        lines = [line.name.split(" ", 1)[1] for line in layout.total_lines(axis)]
        if lines:
            said.append((f"total {axis}s", ", ".join(lines)))
    if layout.fields:
        said.append(("fields", "; ".join(f"{field.name}: {field.value} ({field.address})" for field in layout.fields)))
    return said


def _unlike(roles: Sequence[tuple[str, str]], known: Mapping[str, str]) -> list[tuple[str, str]]:
    """What is said of a block and not of another one, of each role what is new of it.

    >>> _unlike([("stub", "A = Quay; B = Boat"), ("body", "3 rows")], {"stub": "A = Quay; B = Crew", "fields": "Year: 2031"})
    [('stub', 'B = Boat'), ('body', '3 rows'), ('fields', 'none')]
    """
    found = [
        (role, "; ".join(one for one in said.split("; ") if one not in known.get(role, "").split("; ")))
        for role, said in roles
    ]
    lacks = [(role, "none") for role in known if role not in dict(roles)]
    return [*((role, said) for role, said in found if said), *lacks]


def _some(texts: tuple[str, ...]) -> str:
    return ", ".join(texts[:4]) + (f", ... {len(texts)} in all" if len(texts) > 4 else "")


def _tell_ties(out: Console, tie: TieOut) -> None:
    if tie.cells:
        out.print(Text(f"  totals: {tie.cells:,} stated, {tie.exact:,} tie exactly, {tie.failed:,} do not"))


def _tell_evidence(out: Console, layout: Layout) -> None:
    for what, why in layout.reasons():
        show.line(out, f"because {what}: {why}", "dim")


def _plain_layout(layout: Layout) -> dict[str, Any]:
    return {
        "block": layout.address,
        "boxhead": [
            {"row": level.line + 1, "name": level.name, "labels": list(level.texts)} for level in layout.boxhead
        ],
        "stub": [
            {"column": column_letters(level.line), "name": level.name, "labels": list(level.texts)}
            for level in layout.stub
        ],
        "body": {
            "rows": (layout.body_rows + 1).tolist(),
            "columns": list(map(column_letters, layout.body_columns.tolist())),
        },
        "measures": layout.measures,
        "totals": [{"line": line.name, "why": line.why, "agree": line.agree} for line in layout.totals],
        "fields": [{"name": field.name, "value": field.value, "cell": field.address} for field in layout.fields],
        "evidence": [{"what": e.what, "where": e.where, "why": e.why, "sure": e.sure} for e in layout.evidence],
    }


def _labels_of_form(sheet: Sheet) -> list[tuple[str, str]]:
    """The labels of a form that was read as one record, each with the cell that is filled in."""
    head = sheet.hints.heads
    said = [
        f"{sheet.text(head, column)} ({sheet.address(head + 1, column)})"
        for column in range(sheet.shape[1])
        if sheet.places is not None and sheet.places[head + 1, column, 0] >= 0
    ]
    return [("form", "one record; labels and the cells that are filled in: " + ", ".join(said))]
