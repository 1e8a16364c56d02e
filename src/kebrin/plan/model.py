"""The plan's model: what a plan file may say. The JSON Schema in this package is made from it."""

from __future__ import annotations

import posixpath
from typing import Annotated, Literal
from urllib.parse import urlsplit

from pydantic import BeforeValidator, Field, field_validator, model_validator

from kebrin.layout.parted import Pattern
from kebrin.plan.choices import (
    ChoosePlan,
    ExpectPlan,
    FetchPlan,
    SheetChoice,
    Strict,
    TextPlan,
    as_list,
    known_encoding,
)
from kebrin.plan.steps import DetailStep, LookupStep, Step
from kebrin.work.places import FieldPlace

OUTPUT_ENDINGS = (".csv", ".parquet", ".xlsx", ".ods", ".jsonl", ".json", ".sqlite", ".pdf", ".html")


def _as_choice(value: object) -> object:
    if isinstance(value, str):
        return {"only": [value]}
    return {"only": value} if isinstance(value, list) else value


def _as_names(value: object) -> object:
    return {str(name): name for name in value} if isinstance(value, list) else value


#: What a column can be declared to hold.
Kind = Literal["text", "number", "date", "moment", "yes and no"]
Position = Annotated[int, Field(ge=1)]


class LayoutPlan(Strict):
    """What is stated about the layout; whatever is left out is worked out on each sheet.

    `starts` is the text of a heading cell or the address of the block's top left cell; `ends` is the text of the first cell
    below the block or the address of its last cell. `boxhead` and `stub` give a name per heading row and label column;
    `boxhead = []` says that there are no headings, and `columns` then names columns by their place. `measures` names the
    boxhead row whose labels become value columns. `cutins` gives a name per level of cut-in heads, outermost first; none
    are looked for if it is empty. `beside` gives a name per label column right of the body. `marks` says whether footnote
    marks are kept, in a column beside their measure. `totals` lists labels of total lines that neither their wording nor
    their sums would show, `not_totals` those of lines that are called a total and are none. `records`
    lists labels of rows that are records, whatever they look like. `fill = "none"` stops filling blank labels from above,
    `merged` says whether a value that is merged over several cells of the body stands for "each" of them or "once"; a text
    stands for each if nothing is stated, of figures it is asked.
    `headings` parts headings that say several things in one: with "{measure} {year}" the heading "Sales 2031" is the measure
    Sales in the year 2031, and each measure a column; columns of other headings hold labels.
    `about_columns` lists labels of rows that say something of each column and are no records ("Stop no.", "Limit"): what they
    say becomes a column, or is left out where each column is a measure of its own.
    `parts_of_above` lists labels of rows that are a part of the row above ("of which cars", "of which*"), [] if none is: they
    keep its labels, and a column says which part each is. `lines_of_label` says what each of several lines under one label
    holds (["number", "per cent"]), which becomes a column, [] if there are none such.
    `minus` lists the texts that make the figure beside them negative ("CR", in a cell of its own).
    `missing` lists texts and figures that stand for no value in the whole table (`["closed", "-77.7"]`).
    `within` reads one rectangle of a sheet only ("C4:F7"), or what a table object or a named range of the workbook covers.
    `joined` gives one name to all heading rows, their labels joined ("Rehearsal" over "hours" is
    "Rehearsal hours"). `turn = true` reads a sheet whose records stand side by side; `form` names the labels of a filled-in
    form, of which each sheet is one record. `leave_out` leaves out rows and
    columns, by place ('row 7', 'rows 7-9', 'column C') or by a label, whole sheets ('sheet Test*'), blocks ('block 2',
    'block A7:D12', 'block Old figures') and cells that no value, label or heading is read from ('cell A2', 'cells A2:C2');
    names, labels and titles may hold `*`.
    """

    starts: str = ""
    ends: str = ""
    boxhead: tuple[str, ...] | None = None
    stub: tuple[str, ...] | None = None
    measure: str = ""
    measures: str | None = None
    cutins: tuple[str, ...] | None = None
    beside: tuple[str, ...] | None = None
    marks: Literal["keep", "leave out"] = "leave out"
    blanks: Literal["keep", "leave out"] = "leave out"
    totals: tuple[str, ...] = ()
    not_totals: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    records: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    find_totals: bool = True
    fill: Literal["", "none"] = ""
    turn: bool = False
    form: tuple[str, ...] = ()
    within: str = ""
    joined: str = ""
    leave_out: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    missing: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    headings: str = ""
    merged: Literal["", "each", "once"] = ""
    minus: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    about_columns: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    parts_of_above: tuple[str, ...] | None = None
    lines_of_label: tuple[str, ...] | None = None

    @field_validator("headings")
    @classmethod
    def _parts_headings(cls, value: str) -> str:
        if value:
            Pattern.of(value)
        return value

    @model_validator(mode="after")
    def _measures_is_a_row(self) -> LayoutPlan:
        # Without headings none names the measures; so the one line boxhead = [] answers a question of a drafted plan.
        if self.measures and self.boxhead and not self.headings and self.measures not in (*self.boxhead, self.joined):
            raise ValueError(f"measures names {self.measures!r}, but boxhead has {', '.join(self.boxhead)}")
        return self


class TablePlan(Strict):
    """One tidy table: the files and sheets it comes from, their layout, and the fields stamped on its rows.

    With `from` it is made of other tables of the plan instead, stacked by the names of their columns if there are several:
    `same` names columns that are one, `origin` a column for the table that a row comes from.

    `labels` lists the labels that each column was known to have: what is new and what is gone is said, and a sheet on
    which a level bears another level's labels is refused. `shorten` lists beginnings and ends that are dropped from every
    column name before the steps. `[[table.NAME.step]]` are steps, taken in their order; they
    name columns as they are before `columns` renames them. `kinds` declares what a column must hold after the steps: text,
    number, date, moment or yes and no; anything else is refused. `columns` chooses the columns that are written, in this order:
    a list of names, or a table of new names with the names that the columns have so far, or their places, counted from 1,
    where a heading changes every day. All are written if it is left out. `stored = "blank"` takes formulas without a stored
    result as empty, where no other formula of their sheet has one.

    `fetch` has the one file that is named fetched from an address first.

    `choose` says which of several files are read, `text` what a text file is where that can't be seen. `misfits` says what
    becomes of a sheet that is not as the plan states it or has other columns than most: the run stops, or the sheet is set
    aside and the proof says so. `optional` names columns that some sheets may lack. `expect` says what the finished table
    must be like.
    """

    files: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    made_of: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = Field(
        default=(), alias="from"
    )
    same: dict[str, Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])]] = {}
    origin: str = ""
    sheets: Annotated[
        SheetChoice, BeforeValidator(_as_choice, json_schema_input_type=str | list[str] | SheetChoice)
    ] = SheetChoice()
    fetch: FetchPlan | None = None
    choose: ChoosePlan = ChoosePlan()
    text: TextPlan = TextPlan()
    stored: Literal["", "blank"] = ""
    misfits: Literal["stop", "set aside"] = "stop"
    optional: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    layout: LayoutPlan = LayoutPlan()
    fields: dict[str, str] = {}
    labels: dict[str, tuple[str, ...]] = {}
    shorten: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    step: tuple[Step, ...] = ()
    kinds: dict[str, Kind] = {}
    columns: Annotated[
        dict[str, str | Position],
        BeforeValidator(_as_names, json_schema_input_type=list[str | Position] | dict[str, str | Position]),
    ] = {}
    expect: ExpectPlan | None = None

    @field_validator("fields")
    @classmethod
    def _known_places(cls, value: dict[str, str]) -> dict[str, str]:
        for said in value.values():
            FieldPlace.parse(said)
        return value

    @property
    def for_one_file(self) -> TablePlan:
        """What the work on one file needs to know: nothing of what is done to the whole table later."""
        blank = {
            "files": ("-",),
            "same": {},
            "origin": "",
            "choose": ChoosePlan(),
            "fetch": None,
            "optional": (),
            "kinds": {},
            "columns": {},
        }
        return self.model_copy(update={**blank, "shorten": (), "expect": None})

    @property
    def details(self) -> tuple[str, ...]:
        """The names of the tables that the steps make beside the table itself."""
        into = [step.into for step in self.step if isinstance(step, DetailStep)]
        return (*into, *(step.misses for step in self.step if isinstance(step, LookupStep) and step.misses))

    @property
    def needs(self) -> tuple[str, ...]:
        """The tables of the plan, or files, that must be there before."""
        return (*self.made_of, *(step.using for step in self.step if isinstance(step, LookupStep)))

    @model_validator(mode="after")
    def _comes_from_somewhere(self) -> TablePlan:
        if bool(self.files) == bool(self.made_of):
            raise ValueError("state either files or from" if self.files else "'files' is missing: state files, or from")
        if self.fetch is not None and (len(self.files) != 1 or any(mark in self.files[0] for mark in "*?[")):
            raise ValueError("fetch goes into one file: name it in files")
        return self


class KnownPlan(Strict):
    """A wrong total of the report that is known: its cell, what it states, what its parts sum to, and why it is so.

    The proof tells it each time. With other figures in the report it holds no longer, and the total is open again.
    """

    cell: str
    states: float
    sums: float
    sheet: str = ""
    file: str = ""
    why: Annotated[str, Field(min_length=1)]


class ProofPlan(Strict):
    """What must hold: whether stated totals must tie, and the largest difference that still does.

    `known` lists wrong totals that are accepted one by one, each with its figures.

    `repeats` says whether rows of a crosstab may bear the same labels. `leave_open` lists words of questions that a person
    leaves open; any other open question breaks the proof of a run.
    """

    totals: Literal["must tie", "report"] = "must tie"
    tolerance: Annotated[float, Field(ge=0)] | None = None
    repeats: Literal["refuse", "expected"] = "refuse"
    leave_open: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    known: tuple[KnownPlan, ...] = ()


class OutputPlan(Strict):
    """One file to write: the table, and a name that ends in .csv, .parquet, .xlsx, .ods, .jsonl, .json or .sqlite; or a database.

    Outputs with one name that ends in .xlsx or .ods are sheets of one workbook, in the plan's order, each named by `sheet` or as
    its table. `by` writes a sheet for each value of a column, or a file for each if the name holds `{value}`; with `heading` the
    value stands above, and `by_column = "leave out"` takes the column out of each part.

    A name may also hold `{run date}`, `{run time}`, `{number}` (the next that is free) and the name of any
    column that says the same on all rows, as in `traffic_{month}.csv`.

    `if_there` says what becomes of a file that stands there: "refuse" (only what Kebrin itself wrote, and nobody changed since,
    is replaced), "replace", "append" the rows to those of the same columns, take a "new name", "leave" it as it is, or, in a
    workbook, "keep other sheets" than those that are written. `stale` is for sheets and files that the run before wrote for a
    value that no row has now: "tell", or "remove".

    `what` writes the findings (what a person must look at) or the counts of the whole run (of cells, of rows by what they are:
    records, headings, total lines, blank, of the rows that went into steps and came out, sums of columns) instead of a
    table. `delimiter`, `encoding`, `line_ends` and `mark` (a byte order mark) are those of a .csv; with `quotes = "all"` each of
    its values stands in quotes; `guard` writes texts in it that a spreadsheet program would take for formulas so that it shows
    them; with `metadata` its columns are described beside it as the W3C has it for tables on the web. `template` names a
    prepared workbook whose formats, formulas
    and charts stay, and `at` the place there that the values go to: a defined name, or a cell as in `Board!B4`; `turned` puts
    rows into columns, `headings` puts the column names first. Where the table has more rows than the place,
    `more_rows = "insert"` puts rows in: what stands below moves down, and formulas, merges, names and charts move along; else it
    is refused.

    A .json is a list of records; `one_row = "object"` writes the one row of a table as an object.

    A name that ends in .pdf or .html is a hand-out: a heading, what is so on all rows as fields, the table with its totals,
    notes, "page n of m", contents if `by` gives it several parts; `letterhead` is the text above, `chart` a column to draw
    a chart by.

    `database` is an address as in `sqlite:///traffic.db`, or `env:NAME` for one in the environment; the table is called `into`
    there, or as it is here. `key` names columns that tell the rows apart: it is checked, stated in metadata, and the key in a
    database.
    """

    table: str = ""
    file: str = ""
    if_there: Literal["refuse", "replace", "append", "new name", "leave", "keep other sheets"] = "refuse"
    sheet: str = ""
    by: str = ""
    by_column: Literal["keep", "leave out"] = "keep"
    heading: bool = False
    stale: Literal["tell", "remove"] = "tell"
    what: Literal["table", "findings", "counts"] = "table"
    delimiter: Annotated[str, Field(min_length=1, max_length=1)] = ","
    encoding: str = "utf-8"
    line_ends: Literal["lf", "crlf"] = "lf"
    mark: bool = False
    quotes: Literal["where needed", "all"] = "where needed"
    one_row: Literal["list", "object"] = "list"
    guard: bool = False
    metadata: bool = False
    letterhead: str = ""
    chart: str = ""
    template: str = ""
    at: str = ""
    turned: bool = False
    headings: bool = False
    more_rows: Literal["refuse", "insert"] = "refuse"
    database: str = ""
    into: str = ""
    key: tuple[str, ...] = ()

    @field_validator("file")
    @classmethod
    def _known_ending(cls, value: str) -> str:
        if value and not value.lower().endswith(OUTPUT_ENDINGS):
            raise ValueError(f"the file must end in {', '.join(OUTPUT_ENDINGS)}")
        if value.count("{value}") > 1 or "{value}" in value.rpartition("/")[0]:
            raise ValueError("{value} stands once, in the last part of the name")
        return value

    @field_validator("encoding")
    @classmethod
    def _known_encoding(cls, value: str) -> str:
        return known_encoding(value)

    @model_validator(mode="after")
    def _fits_together(self) -> OutputPlan:
        if bool(self.file) == bool(self.database):
            raise ValueError("an output is a file or a database: name the one or the other")
        if self.what == "table" and not self.table:
            raise ValueError("'table' is missing: name the table that is written")
        if self.what != "table" and (self.table or self.by):
            raise ValueError(f"{self.what} are those of the whole run: leave table and by out")
        if bool(self.template) != bool(self.at):
            raise ValueError("template and at go together: the prepared workbook, and the place in it")
        if self.database and (self.by or self.if_there not in {"refuse", "replace", "append"}):
            raise ValueError("a database takes a whole table; if_there is refuse, replace or append")
        if self.more_rows == "insert" and (not self.template or self.turned):
            raise ValueError('more_rows = "insert" puts rows into a template, whose place is not turned')
        if self.into and not self.database:
            raise ValueError("into names a table of a database: name the database, or leave it out")
        return self._fits_its_kind()

    def _fits_its_kind(self) -> OutputPlan:
        ending = self.file.lower().rpartition(".")[2]
        handout = ending in {"pdf", "html"}
        book = ending in {"xlsx", "ods"} or handout
        if (self.sheet or self.heading) and not book:
            raise ValueError("sheet and heading are those of a workbook or a hand-out: .xlsx, .ods, .pdf or .html")
        if (self.letterhead or self.chart) and not handout:
            raise ValueError("letterhead and chart are those of a hand-out: the file must end in .pdf or .html")
        if (self.template or self.if_there == "keep other sheets") and ending != "xlsx":
            raise ValueError('template and "keep other sheets" are those of a workbook: the file must end in .xlsx')
        if self.if_there == "append" and (ending in {"ods", "json"} or handout or self.template):
            raise ValueError("rows can't be appended to an .ods, a .json, a hand-out or a template")
        if self.one_row == "object" and ending != "json":
            raise ValueError('one_row = "object" is that of a .json')
        if self.metadata and ending != "csv":
            raise ValueError("metadata stands beside delimited text: the file must end in .csv")
        if self.by and not book and "{value}" not in self.file:
            raise ValueError("by needs a workbook, or a file's name that holds {value}")
        if "{value}" in self.file and not self.by:
            raise ValueError("{value} is that of a column: state by")
        return self


class PlanModel(Strict):
    """A whole plan.

    `set` names values from outside with what they are where nothing else is said: `{name}` stands for them in every text of the
    plan, and `kebrin run PLAN --set name=value` says another. One that is empty must be said.

    `environment` names the variables of the environment that the plan takes (`env:NAME` in a header or as a database): no
    other is looked at, and a run says which.

    `tables_of` names other plans, relative to this one: their tables stand beside its own, so that steps can look things up in
    them, `from` and outputs can name them. Their files stay where they are; their outputs are not written.
    """

    kebrin: Literal[1]
    environment: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    tables_of: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    given: dict[str, str | float] = Field({}, alias="set")
    table: dict[str, TablePlan] = Field(min_length=1)
    proof: ProofPlan = ProofPlan()
    output: tuple[OutputPlan, ...] = ()

    @property
    def taken(self) -> tuple[tuple[str, str], ...]:
        """The variables of the environment that it takes, each with what for, and again for each other purpose."""
        headers = [
            (said[4:], f"the header {name} to {urlsplit(table.fetch.url).netloc}")
            for table in self.table.values()
            if table.fetch is not None
            for name, said in table.fetch.headers.items()
            if said.startswith("env:")
        ]
        databases = [
            (one.database[4:], "the address of a database") for one in self.output if one.database.startswith("env:")
        ]
        return tuple(dict.fromkeys([*headers, *databases]))

    @property
    def tables(self) -> tuple[str, ...]:
        """The names of all tables, those of details among them."""
        return tuple(name for own, table in self.table.items() for name in (own, *table.details))

    @property
    def order(self) -> tuple[str, ...]:
        """The tables in the order in which they are made: each after those that it is made of.

        Raises:
            ValueError: tables are made of one another in a circle, or of one that the plan does not have.
        """
        owner = {name: own for own, table in self.table.items() for name in (own, *table.details)}
        found: list[str] = []

        def visit(name: str, path: tuple[str, ...]) -> None:
            if name in path:
                raise ValueError(
                    f"tables are made of one another in a circle: {' from '.join((*path[path.index(name) :], name))}"
                )
            if name in found:
                return
            for need in self.table[name].needs:
                if need in owner and owner[need] != name:
                    visit(owner[need], (*path, name))
                elif need in self.table[name].made_of:
                    raise ValueError(f"{name} is made from {need!r}, which is no table of the plan")
            found.append(name)

        for name in self.table:
            visit(name, ())
        return tuple(found)

    @model_validator(mode="after")
    def _in_order(self) -> PlanModel:
        self.order  # noqa: B018 - it refuses circles
        return self

    @model_validator(mode="after")
    def _one_name_each(self) -> PlanModel:
        again = [name for name in self.tables if self.tables.count(name) > 1]
        if again:
            raise ValueError(f"two tables are named {again[0]!r}")
        files = [posixpath.normpath(output.file).casefold() for output in self.output]
        sheets = [
            (file, (one.sheet or one.table or one.what).casefold())
            for file, one in zip(files, self.output, strict=True)
        ]
        for output, file, sheet in zip(self.output, files, sheets, strict=True):
            shared = files.count(file) > 1 and (not file.endswith(".xlsx") or output.template)
            if shared or sheets.count(sheet) > 1:
                raise ValueError(f"two outputs are written to {output.file!r}: give each a file or a sheet of its own")
        return self
