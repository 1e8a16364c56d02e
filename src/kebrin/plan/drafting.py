"""Draft a plan from reports: what was worked out, stated so that next month's file still fits, with the reasons.

Running the draft gives what tidying unaided gives. Rows and columns are named by their words, never by their numbers,
wherever the report has words for them.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from dataclasses import dataclass, field
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import tomlkit
from tomlkit import comment, document, nl, table

from kebrin.address import parse_a1
from kebrin.cells import a1
from kebrin.grammar.patterns import searched
from kebrin.layout import LINE, MEASURE, NO_COLUMN
from kebrin.plan.asking import NO
from kebrin.plan.reaching import taken
from kebrin.plan.trying import tried
from kebrin.sources.remote import is_address
from kebrin.table import Settle
from kebrin.table.arrays import distinct_texts, kind_of
from kebrin.values.profile import step_lines
from kebrin.values.spellings import folded
from kebrin.values.suggesting import TABLE, suggestions
from kebrin.work.filenames import part_of_one
from kebrin.work.joining import join
from kebrin.work.places import FieldPlace
from kebrin.work.standardising import questions_of
from kebrin.work.unaided import Found, Group, standardised_group, survey_reports

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from tomlkit.items import Table

    from kebrin.cells import Report
    from kebrin.layout import Layout
    from kebrin.table import Table as Joined
    from kebrin.work.pieces import Piece

_REASONS = 6
_ASKED_OF_LABELS = {"lists", "codes in several spellings"}
# A level with more labels than this is not listed: sailings, vessels, days.
_MOST_LABELS = 24


@dataclass(frozen=True, eq=False)
class Draft:
    """One table to be drafted: blocks of one layout, and what is stated beyond what they show.

    Attributes:
        group: the blocks.
        extras: more keys of the layout, beside those that every draft states.
        columns: the columns to write, new name to old; all if it is empty.
        said: what is said above the layout.
        unstated: keys of the layout that are left to be worked out.
        steps: more steps, behind those that standardise.
        as_written: whether nothing is standardised.
        others: the tables that steps look things up in, by their names in the plan.
        wanted: whether a person has said what the columns say, so that nothing is asked of their texts.
        name: the table's name, where it is settled already.
    """

    group: Group
    extras: Mapping[str, Any] = field(default_factory=dict)
    columns: Mapping[str, str] = field(default_factory=dict)
    said: Sequence[str] = ()
    unstated: frozenset[str] = frozenset()
    steps: Sequence[dict[str, Any]] = ()
    as_written: bool = False
    others: Mapping[str, Joined] = field(default_factory=dict)
    wanted: bool = False
    name: str = ""

    @cached_property
    def stepped(self) -> tuple[Joined, list[dict[str, Any]]]:
        """The blocks as one table after all steps, standardised as tidying unaided does it, and the steps that this took."""
        joined, _ = self.joined
        after, steps = (joined, []) if self.as_written else standardised_group(self.group, joined)
        if not self.steps:
            return after, steps
        made = taken(after, tuple(self.steps), self.others)
        return (after if made is None else made), [*steps, *self.steps]

    @cached_property
    def joined(self) -> tuple[Joined, tuple[str, ...]]:
        """The blocks as one table, and the heading levels that it lacks since they say the same on every row."""
        _, constant = join(self.group.pieces, self.group.stamps, drop_constant=True)
        dropped = tuple(name for name in constant if name not in self._needed)
        table, _ = join(self.group.pieces, self.group.stamps)
        return table.narrowed([name for name in table.columns if name not in dropped]), dropped

    @property
    def _needed(self) -> set[str]:
        """The columns that are written, or that steps read."""
        said = [value for step in self.steps for value in step.values()]
        lists = [value if isinstance(value, (list, dict)) else [value] for value in said]
        return {*self.columns.values(), *(one for names in lists for one in names if isinstance(one, str))}


def draft_plan(reports: Iterable[Report], *, base: Path, output: str = "") -> str:
    """The text of a plan for some reports.

    Args:
        reports: the reports, of one kind or several.
        base: the folder that the plan will stand in; files are named relative to it.
        output: the file for the first table; by default out/NAME.csv.

    Raises:
        LayoutError: no table was found.
    """
    found = survey_reports(reports)
    head = "Drafted by `kebrin draft`: names and reasons are proposals. Change what is wrong, then run it."
    return compose(found, [Draft(group) for group in found.groups], [head], base=base, output=output)


def names_of(groups: Iterable[Group]) -> list[str]:
    """The names that some blocks get in a plan, in their order."""
    names: list[str] = []
    for group in groups:
        names.append(_free_name(group.name, names))
    return names


def compose(
    found: Found, drafts: Sequence[Draft], head: Sequence[str], *, base: Path, output: str = "",
    written: Sequence[str] = (), stacked: str = "",
) -> str:  # fmt: skip
    """The text of a plan: what is said at its head, its tables, its outputs.

    Args:
        found: all that the reports gave.
        drafts: the tables.
        head: the comments at the head.
        base: the folder that the plan will stand in.
        output: the file for the first table that is written.
        written: the tables that are written; all by default.
        stacked: a table that is made of all of them, one below the other; it alone is written.
    """
    plan = document()
    for line in head:
        plan.add(comment(line))
    plan.add("kebrin", tomlkit.item(1))
    parts = [plan.as_string()]
    free = names_of(draft.group for draft in drafts)
    names = [draft.name or name for draft, name in zip(drafts, free, strict=True)]
    for draft, name in zip(drafts, names, strict=True):
        fit = tried(draft, partial(_written, name=name, found=found, base=base), base)
        parts += [_written(fit, name, found, base), *_questions(fit, name)]
    if stacked:
        tables = table(is_super_table=True)
        tables.add(tomlkit.key(stacked), table().add("from", tomlkit.item(names)))
        parts.append(document().add("table", tables).as_string())
    return "\n".join([*parts, _outputs([stacked] if stacked else written or names, output)])


def _written(draft: Draft, name: str, found: Found, base: Path) -> str:
    """One table's part of a plan."""
    tables = table(is_super_table=True)
    tables.add(tomlkit.key(name), _table(draft, found, base))
    part = document()
    part.add("table", tables)
    return part.as_string().rstrip() + "\n"


def _free_name(wanted: str, taken: Sequence[str]) -> str:
    """A name that reads well as a key and is not taken."""
    bare = re.sub(r"[^a-z0-9_]+", "_", wanted.casefold()).strip("_") or "tidy"
    bare = re.sub(r"_?(?:\d{4}(?:_\d{2}){0,2}|\d{6}|\d{8})$", "", bare) or bare
    return bare if bare not in taken else f"{bare}_{len(taken) + 1}"


def _table(draft: Draft, found: Found, base: Path) -> Table:
    group = draft.group
    one = table()
    lacking = _lacking(group, found, base)
    one.add("files", lacking or _files(group, base))
    alone = len({piece.file for piece in group.pieces}) == 1 and "*" not in str(one["files"])
    if alone and (said := _next_files(group.pieces[0], base)):
        one.add(comment(said))
    sheets = _sheets(group, found, may_lack=bool(lacking))
    empty = {work.ledger.sheet: work.ledger.cells for work in found.works if not work.pieces}
    if empty:
        shown = ", ".join(f"{name} ({cells:,} cell{'s' * (cells > 1)})" for name, cells in empty.items())
        one.add(comment(f"no table was found on {shown}"))
    if sheets is not None:
        one.add("sheets", sheets)
    if lacks := list(dict.fromkeys(name for piece in group.pieces for name in piece.lacks)):
        one.add("optional", tomlkit.item(lacks))
    one.add(nl())
    one.add("layout", _layout(draft, found))
    one["layout"].add(nl())
    fields = _named({stamp.name: stamp.place for stamp in group.columns})
    if fields is not None:
        one.add("fields", fields)
    labels = _labels(draft)
    if labels is not None:
        one.add("labels", labels)
    steps = _steps(draft)
    if steps is not None:
        one.add("step", steps)
    kinds = _kinds(draft)
    if kinds is not None:
        one.add("kinds", kinds)
    columns = _named(draft.columns)
    if columns is not None:
        one.add("columns", columns)
    return one


def _next_files(piece: Piece, base: Path) -> str:
    """How the next month's file is read too, where the name of the only one holds a date or a period; '' where it does not."""
    part = None if is_address(piece.file) else part_of_one(piece.file, piece.fields)
    if part is None:
        return ""
    name = _relative(Path(piece.file), base)
    pattern = name.replace(part.values[Path(piece.file).name], "*")
    place = json.dumps(f"file name, '{part.pattern}'")
    return f'the next ones too: files = "{pattern}", and under fields: {part.name} = {place}'


def _files(group: Group, base: Path) -> tomlkit.items.Item:
    used = list(dict.fromkeys(piece.file for piece in group.pieces))
    seen = [file if is_address(file) else _relative(Path(file), base) for file in used]
    pattern = _pattern_of_one(group, seen[0]) if len(seen) == 1 else _pattern(seen)
    if len(seen) == 1 and not pattern:
        return tomlkit.item(seen[0])
    there = {str(path) for path in base.glob(pattern)} if pattern and not Path(pattern).is_absolute() else set()
    fits = there == {str(base / name) for name in seen}
    return tomlkit.item(pattern if fits else seen if len(seen) > 1 else seen[0])


def _pattern_of_one(group: Group, name: str) -> str:
    """A pattern for the next files too, where a part of the only one's name is stamped; '' where none is."""
    stem = Path(name).name
    for stamp in group.columns:
        place = FieldPlace.parse(stamp.place)
        match = searched(place.what, stem) if place.form == "file name" and place.what else None
        if match is not None and any(map(str.isdigit, match.part)) and stem.count(match.part) == 1:
            return f"{name[: len(name) - len(stem)]}{stem.replace(match.part, '*')}"
    return ""


def _lacking(group: Group, found: Found, base: Path) -> str:
    """A pattern for the group's files and others that were read beside them and lack its sheets; '' if there are none such.

    Named one by one, next month's file would not be read, and nothing would say so.
    """
    used = {piece.file for piece in group.pieces}
    sheets = Counter(piece.sheet for piece in group.pieces)
    others = {source.file: source for source in found.sources if source.file not in used}
    if len(used) < 2 or any(is_address(file) for file in used) or min(sheets.values()) < 2:
        return ""  # sheets of a name of their own, as a text's is, say nothing of the next file's
    pattern = _pattern([_relative(Path(file), base) for file in used])
    there = {str(path) for path in base.glob(pattern)} if pattern and not Path(pattern).is_absolute() else set()
    known = {str(base / _relative(Path(file), base)): file for file in (*used, *others)}
    more = {known.get(file, "") for file in there} - used
    lack = all(file in others and sheets.keys().isdisjoint(others[file].used) for file in more)
    return pattern if more and lack and {str(base / _relative(Path(file), base)) for file in used} <= there else ""


def _relative(path: Path, base: Path) -> str:
    try:
        return path.resolve().relative_to(base.resolve()).as_posix()
    except ValueError:
        return path.resolve().as_posix()


def _pattern(names: Sequence[str]) -> str:
    """What several names have in common, with a `*` for the rest; '' if that is next to nothing."""
    first, last = min(names), max(names)
    head = next((at for at in range(min(len(first), len(last))) if first[at] != last[at]), len(first))
    tails = [name[::-1] for name in names]
    low, high = min(tails), max(tails)
    tail = next((at for at in range(min(len(low), len(high))) if low[at] != high[at]), len(low))
    shortest = min(map(len, names))
    # A number that differs in its last digits only differs as a whole.
    start = first[:head].rstrip("0123456789")
    end = first[len(first) - min(tail, shortest - head) :].lstrip("0123456789")
    return f"{start}*{end}" if len(start) >= 3 else ""


def _sheets(group: Group, found: Found, *, may_lack: bool) -> tomlkit.items.Item | None:
    """The sheets left out, if a new sheet next month should be read; the sheets read, if it should not."""
    mine = {piece.sheet for piece in group.pieces}
    files = {piece.file for piece in group.pieces}
    # The plan names these files alone, or all that were read where some lack the sheets.
    sources = [source for source in found.sources if may_lack or source.file in files]
    every = list(dict.fromkeys(name for source in sources for name in source.used))
    others = [name for name in every if name not in mine]
    hidden = list(dict.fromkeys(name for source in sources for name in source.left_out))
    if not others and len(every) + len(hidden) <= len(sources):
        return None
    choice = tomlkit.inline_table()
    if others and (len(found.groups) > 1 or len(others) > len(mine)):
        choice.add("only", tomlkit.item(sorted(mine, key=every.index)))
    elif others:
        choice.add("except", tomlkit.item(others))
    choice.add("seen", tomlkit.item([*every, *hidden]))
    if may_lack:
        choice.add("may_lack", tomlkit.item(True))
    return choice


def _layout(draft: Draft, found: Found) -> Table:
    group = draft.group
    piece = group.pieces[0]
    layout = piece.layout
    said = table()
    if any(segment.places is not None for segment in piece.table.origins.segments):
        said.add(
            comment(
                "each sheet is a copy of one form: these are its labels, what is filled in beside or below them is one record"
            )
        )
        said.add("form", tomlkit.item(list(piece.table.columns)))
        return said
    for line in _comments(draft):
        said.add(comment(line))
    head = _anchor(group, found)
    if head:
        said.add("starts", tomlkit.item(head))
    _add_boxhead(said, layout, set(draft.joined[1]))
    _add_stub(said, layout)
    _add_measures(said, piece)
    for key, value in draft.extras.items():
        if key not in said:
            said.add(key, tomlkit.item(value))
    for key in draft.unstated & set(said):
        said.remove(key)
    return said


def _add_measures(said: Table, piece: Piece) -> None:
    layout = piece.layout
    if layout.measures and not (layout.pattern and layout.measures == MEASURE):
        said.add("measures", tomlkit.item(layout.measures))
    elif not layout.measures:
        said.add("measure", tomlkit.item(piece.table.measures[0]))
    if layout.about:
        said.add("about_columns", tomlkit.item([one.label for one in layout.about]))
    if any(segment.turned for segment in piece.table.origins.segments):
        said.add("turn", tomlkit.item(True))


def _add_boxhead(said: Table, layout: Layout, dropped: set[str]) -> None:
    if layout.pattern:
        said.add("headings", tomlkit.item(layout.pattern))
        return
    said.add("boxhead", tomlkit.item([NO_COLUMN if name in dropped else name for name in layout.boxhead_names]))
    if layout.boxhead and layout.boxhead[0].joined:
        said.add("joined", tomlkit.item(layout.boxhead[0].name))


def _add_stub(said: Table, layout: Layout) -> None:
    if layout.head_levels:
        said.add("cutins", tomlkit.item([level.name for level in layout.head_levels]))
    if not layout.numbered:
        said.add("stub", tomlkit.item(layout.stub_names))
    if layout.beside_levels:
        said.add("beside", tomlkit.item([level.name for level in layout.beside_levels]))
    if under := [one for one in layout.attached if one.level == LINE]:
        said.add("lines_of_label", tomlkit.item(list(dict.fromkeys((under[0].first, *(one.label for one in under))))))


# What else becomes of a plan's lines with an answer: labels that headings named are named by their place.
_NAMED_BY_PLACE = {
    "boxhead = []": " of all lines below, and name the columns by place above: columns = { Port = 1, Vessel = 2 }"
}


def _comments(draft: Draft) -> list[str]:
    """What is said above a layout: what is wanted, what must be answered, and the reasons."""
    layout = draft.group.pieces[0].layout
    asked = [
        f"? {one.what}, {one.where}: {one.why}. If so, state {one.settle} instead{_NAMED_BY_PLACE.get(one.settle, '')}."
        for one in layout.questions
    ]
    return [*draft.said, *asked, *_reasons(layout)]


def _reasons(layout: Layout) -> list[str]:
    told = [f"{what}: {why}" for what, why in layout.reasons()]
    more = [f"and {len(told) - _REASONS} more reasons: see `kebrin survey`"] if len(told) > _REASONS else []
    return [f"{layout.address} of {layout.sheet!r}", *told[:_REASONS], *more]


def _anchor(group: Group, found: Found) -> str:
    """Where the blocks of a table start: their stub head, if it is theirs alone; the first cell where it is not.

    Nothing is stated where a sheet has several blocks of this table: each is found by itself.
    """
    places = {(piece.file, piece.sheet) for piece in group.pieces}
    if len(places) != len(group.pieces):
        return ""
    others = {
        piece.layout.stub_head
        for one in found.groups
        for piece in one.pieces
        if one is not group and (piece.file, piece.sheet) in places
    }
    heads = {piece.layout.stub_head for piece in group.pieces}
    if len(heads) == 1 and heads != {""} and not heads & others:
        head = heads.pop()
        if parse_a1(head) is None:
            return head  # a heading such as S1 would be taken for the address of a cell
    corners = {a1(piece.layout.area.top, piece.layout.area.left) for piece in group.pieces}
    shared = any(
        (piece.file, piece.sheet) in places for one in found.groups if one is not group for piece in one.pieces
    )
    named = len(heads) == 0
    return corners.pop() if (shared or named) and len(corners) == 1 else ""


def _questions(draft: Draft, name_of: str) -> list[str]:
    """What a person must answer before a column can be standardised, each with the step to take, as comments."""
    if draft.wanted:
        return []
    after, _ = draft.stepped
    key = tomlkit.key(name_of).as_string()
    asked = []
    for name, found in suggestions(after).items():
        # Labels of a crosstab are what they are, unless there is a question in them.
        wanted = name in after.measures or draft.group.pieces[0].layout.measures or found.meaning in _ASKED_OF_LABELS
        if not wanted or found.meaning == "text" or not (found.step or found.question):
            continue
        said = [f"? {name}, likely {found.meaning}: {found.question or found.why}"]
        if found.step and "text" not in found.step:
            said += [f"[[table.{key}.step]]", *step_lines(found.step)]
            said += [line for answer in found.answers[:1] for line in step_lines(answer)]
            said += [f"or: {line}" for answer in found.answers[1:] for line in step_lines(answer)]
        if found.meaning.startswith("codes"):
            said[0] = f"{said[0].replace(TABLE, 'OUTPUT')}, when this plan has written its OUTPUT"
            said += [f"[[table.{key}.step]]", *step_lines({"recode": name, "using": "codes.csv"})]
        if len(said) > 1:
            said.append(f"{NO}{Settle(name, 'text', 'kinds').line}")
        asked.append(_as_comment(said))
    scale = draft.group.pieces[0].scale
    if scale is not None:  # last, since texts must be numbers before
        asked.append(_as_comment([f"? {scale}", f"[[table.{key}.step]]", *step_lines(scale.step)]))
    return asked


def _as_comment(lines: Sequence[str]) -> str:
    return "".join(f"# {line}\n" for line in lines)


def _steps(draft: Draft) -> tomlkit.items.AoT | None:
    """The steps that tidying unaided takes, and the questions that it puts."""
    after, all_taken = draft.stepped
    if not all_taken:
        return None
    steps = tomlkit.aot()
    said = {str(remark.kind): remark.what for remark in after.remarks}
    for step in all_taken:
        verb = next(iter(step))
        one = table()
        if verb in said:
            one.add(comment(said[verb]))
        for name, value in step.items():
            one.add(name, _in_line(value) if isinstance(value, dict) else tomlkit.item(value))
        steps.append(one)
    return steps


def _in_line(named: Mapping[str, Any]) -> tomlkit.items.InlineTable:
    """Names with their values on one line, so that the verb stays a step's first key."""
    said = tomlkit.inline_table()
    for name, value in named.items():
        said.add(tomlkit.key(name), tomlkit.item(value))
    return said


def _kinds(draft: Draft) -> Table | None:
    """What the columns hold that are no texts: next month's file is held against it."""
    after, steps = draft.stepped
    # What heads the columns of a crosstab is otherwise next month.
    names = next((step["crosstab"] for step in steps if "crosstab" in step), after.columns)
    found = {name: kind_of(after.data.column(name)) for name in names if name in after.columns}
    # What a run would ask of is text: the wanted rows say so.
    told = {one.column for one in questions_of(after, ())} if draft.wanted else set()
    written = draft.columns.values() or names
    return _named({
        name: kind for name, kind in found.items()
        if kind in {"number", "date", "moment", "yes and no"} or (kind == "text" and name in told and name in written)
    })  # fmt: skip


def _labels(draft: Draft) -> Table | None:
    """The labels of each level that has few, as the rows bear them, so that next month's new ones are seen."""
    usual = {folded(name): name for name in draft.group.pieces[0].table.columns}  # however each file spells them
    pieces = draft.group.pieces
    levels = [level.name for piece in pieces for level in (*piece.layout.stub, *piece.layout.boxhead)]
    joined, constant = draft.joined
    dropped = {*constant, pieces[0].layout.measures} - set(draft.columns.values())
    after, _ = draft.stepped  # dates, and what steps make other columns of, are no labels to know
    plain = {name for name in after.columns if name in joined.columns and kind_of(after.data.column(name)) == "text"}
    names = [name for name in dict.fromkeys(usual.get(folded(one), one) for one in levels) if name in plain]
    known = {name: distinct_texts(joined.data.column(name)) for name in names}
    few = {
        name: list(texts) for name, texts in known.items()
        if name not in dropped and 1 < len(texts) <= _MOST_LABELS and not _are_ids(texts, len(joined))
    }  # fmt: skip
    if not few:
        return None
    said = table()
    for name, texts in few.items():
        said.add(tomlkit.key(name), tomlkit.item(texts))
    said.add(nl())
    return said


def _are_ids(labels: Sequence[str], rows: int) -> bool:
    """Whether labels are numbers of single records, which next month's are others of: each on one row, with digits in most.

    >>> _are_ids(["K1", "K2", "K7"], 3), _are_ids(["Q1", "Q2"], 8), _are_ids(["East", "West"], 2)
    (True, False, False)
    """
    return len(labels) == rows and 2 * sum(any(map(str.isdigit, label)) for label in labels) > rows


def _named(named: Mapping[str, str]) -> Table | None:
    if not named:
        return None
    said = table()
    for name, value in named.items():
        said.add(tomlkit.key(name), tomlkit.item(value))
    said.add(nl())
    return said


def _outputs(names: Sequence[str], output: str) -> str:
    plan = document()
    outputs = tomlkit.aot()
    for at, name in enumerate(names):
        one = table()
        one.add("table", name)
        one.add("file", output if output and at == 0 else f"out/{name}.csv")
        outputs.append(one)
    plan.add("output", outputs)
    return plan.as_string()
