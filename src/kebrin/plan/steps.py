"""The steps that a plan may take on a table: one model for each verb, whose first key is the verb itself.

A step's options are those of the table method of the same name.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Discriminator, Field, Tag, ValidationInfo, field_validator

if TYPE_CHECKING:
    from collections.abc import Mapping


def _as_list(value: object) -> object:
    return [value] if isinstance(value, str) else value


Words = Annotated[tuple[str, ...], BeforeValidator(_as_list, json_schema_input_type=str | list[str])]
Unread = Literal["refuse", "blank"]


def verb_of(model: type[BaseModel]) -> str:
    """The verb of a step's model: the first of its own keys."""
    return next(iter(model.__annotations__))


class Taken(BaseModel):
    """One step: the verb's own key names the column that it reads."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    def options(self) -> dict[str, Any]:
        """The options that were given, by the names of the method's arguments; the column is the verb's own key."""
        given = self.model_dump(exclude_unset=True)
        return {name: value for name, value in given.items() if name != self.verb}

    @property
    def verb(self) -> str:
        """The verb."""
        return verb_of(type(self))

    @property
    def column(self) -> str:
        """The column that the verb reads, '' if it reads the whole table."""
        value = getattr(self, self.verb)
        return value if isinstance(value, str) and self.verb not in TABLE_WIDE else ""

    @property
    def first(self) -> Any:
        """What stands at the verb's own key."""
        return self.model_dump(exclude_unset=True)[self.verb]


class Reader(Taken):
    """A step that reads one column; `where` limits it to the rows that fulfil a condition."""

    where: dict[str, Any] = {}


class NumberStep(Reader):
    """Reads a column of texts as numbers: decimal sign, negatives, per cent, currencies, units, missing marks."""

    number: str
    decimal: Literal["", "point", "comma"] = ""
    negative: Words | None = None
    percent: Literal["fraction", "keep"] = "fraction"
    currency: str = ""
    unit: str = ""
    scale: float = 1.0
    missing: Words = ()
    flip: bool | dict[str, Words] = False
    unread: Unread = "refuse"
    written: str = ""


class DateStep(Reader):
    """Reads a column of texts as dates, or as moments where it has times of day."""

    date: str
    order: Literal["", "day first", "month first", "year first"] = ""
    languages: Words = ("en",)
    latest: int = 0
    serial: Literal["", "1900", "1904"] = ""
    missing: Words = ()
    unread: Unread = "refuse"
    written: str = ""


class PeriodStep(Reader):
    """Reads a column of texts as periods, written in ISO 8601 form; or makes periods of a column of dates."""

    period: str
    of: Literal["", "year", "half-year", "quarter", "month", "week", "fiscal year"] = ""
    first_month: Annotated[int, Field(ge=1, le=12)] = 1
    year: str = ""
    languages: Words = ("en",)
    into: str = ""
    unread: Unread = "refuse"
    written: str = ""


class RecodeStep(Reader):
    """Replaces the texts of a column by the codes of a list; `using` names its file, or `spelt` says what texts mean."""

    recode: str
    using: str = ""
    spelt: dict[str, str] = Field(default={}, validate_default=True)
    unknown: Literal["stop", "keep", "blank"] = "stop"
    likeness: Annotated[float, Field(ge=0, le=1)] = 0.0
    label: str = ""
    written: str = ""

    @field_validator("spelt")
    @classmethod
    def _has_codes(cls, value: dict[str, str], info: ValidationInfo) -> dict[str, str]:
        if not value and not info.data.get("using"):
            raise ValueError(
                "'using' is missing: name the file of a code list, or state spelt, texts with their meaning"
            )
        return value


class FlagStep(Reader):
    """Reads a column of texts as yes and no; `blank` says what a blank cell means."""

    flag: str
    yes: Words = ()
    no: Words = ()
    languages: Words = ("en",)
    blank: Literal["", "missing", "no", "yes"] = ""
    labels: Words = ()
    unread: Unread = "refuse"
    written: str = ""


class MissingStep(Reader):
    """Makes the marks of a column that mean "no value" missing; a status column can keep what each meant."""

    missing: str
    marks: Words | dict[str, str] = ()
    only: bool = False
    status: str = ""
    written: str = ""


class TextStep(Reader):
    """Makes the texts of a column alike in form, and takes out of them what is wanted."""

    text: str
    case: Literal["", "lower", "upper", "title"] = ""
    spelled: Words = ()
    between: Words = ()
    pattern: str = ""
    without: Words = ()
    into: str = ""
    unread: Unread = "refuse"
    written: str = ""


class ConvertStep(Taken):
    """Converts amounts to one currency or unit through a table of rates, into a new column."""

    convert: str
    by: str
    using: str
    into: str
    to: str = ""
    on: str = ""
    places: int | None = None
    rate: str = ""
    named: dict[str, str] = {}
    unrated: Unread = "refuse"


class SplitStep(Taken):
    """Splits cells with several entries into a row for each, or into columns."""

    split: str
    at: Words = ()
    into: Words = ()
    position: str = ""
    along: Words = ()
    share: Literal["", "first", "equal"] = ""
    keep_empty: bool = False
    widths: tuple[Annotated[int, Field(ge=1)], ...] = ()
    pattern: str = ""
    labelled: str = ""


class DetailStep(Taken):
    """Moves the entries of a column to a table of their own, which `into` names; `key` joins it to the records."""

    detail: str
    into: str
    key: str = ""
    at: Words = ()
    along: Words = ()
    position: str = ""
    keep_empty: bool = False


class OnlyStep(Taken):
    """Keeps the rows that fulfil a condition; with `into` all rows, and a column that says which do."""

    only: dict[str, Any]
    alike: bool = False
    into: str = ""


class LeaveOutStep(Taken):
    """Leaves out the rows that fulfil a condition; a row without a value is never lost to it."""

    leave_out: dict[str, Any]
    alike: bool = False


class OnceStep(Taken):
    """Keeps each record once: the first or the last of rows that say the same in some columns, or in all (`once = []`)."""

    once: Words
    keep: Literal["first", "last"] = "first"


class LookupStep(Taken):
    """Brings in columns from another table, by keys; `using` names a file or a table of the plan."""

    lookup: Words | dict[str, str]
    using: str
    sheet: str = ""
    by: Words | dict[str, str]
    alike: bool = False
    numbers: bool = False
    unmatched: Literal["ask", "keep", "leave out"] = "ask"
    misses: str = ""


class SumsStep(Taken):
    """One row for each group of rows, with sums, counts, means and the like."""

    sums: Words
    of: Words | dict[str, str] = ()
    per: str = ""
    rows: str = ""


class CrosstabStep(Taken):
    """A row for each group down, a column for each group across, sums where they meet."""

    crosstab: Words
    across: Words
    of: Words = ()
    order: Literal["natural", "as it comes", "a to z"] = "natural"
    totals: Literal["", "rows", "columns", "both"] = ""
    blank: Literal["missing", "zero"] = "missing"
    by: Literal["label", "measure"] = "label"


class SortStep(Taken):
    """Puts the rows in the order of some columns."""

    sort: Words
    falling: Words = ()
    order: Literal["natural", "as it comes", "a to z"] = "natural"


class RankStep(Taken):
    """Adds the place of each row by a column of numbers."""

    rank: str
    into: str
    within: Words = ()
    rising: bool = False


class TopStep(Taken):
    """Keeps the groups with the largest sums, and one row for the rest."""

    top: Annotated[int, Field(ge=1)]
    of: str
    by: Words
    rest: str = "other"


class ShareStep(Taken):
    """Adds each row's share of a column's sum, over all rows or within groups."""

    share: str
    into: str
    within: Words = ()
    percent: bool = False
    places: Annotated[int, Field(ge=0, le=9)] | None = None


class RunningStep(Taken):
    """Adds the sum of a column up to each row."""

    running: str
    into: str
    within: Words = ()


class ChangeStep(Taken):
    """Adds the change of a column on the period before."""

    change: str
    into: str
    on: str
    within: Words = ()
    way: Literal["difference", "percent"] = "difference"
    places: Annotated[int, Field(ge=0, le=9)] | None = None


class TotalRowStep(Taken):
    """Adds a row of sums below the table, under this label."""

    total_row: str


class JoinStep(Taken):
    """Joins several columns into one, empty parts skipped."""

    join: Words
    into: str
    between: str = " / "
    keep: bool = False


class FixedStep(Taken):
    """Adds a column that says the same on every row."""

    fixed: str
    value: str | bool | float


class ComputeStep(Taken):
    """Adds a column computed from others: numbers, columns, `+ - * /` and brackets."""

    compute: str
    formula: str
    places: Annotated[int, Field(ge=0, le=9)] | None = None


class FirstOfStep(Taken):
    """Takes the first of several columns that says something, and a text or a number where none does; one column is filled."""

    first_of: Words
    into: str = ""
    otherwise: str | float | None = None


class TurnStep(Taken):
    """Lays the table on its side: a column for each row, named by its text in one column."""

    turn: str
    into: str = "field"


#: Verbs that read the whole table, whatever stands at their own key.
TABLE_WIDE = frozenset({
    "only", "leave_out", "once", "lookup", "sums", "crosstab", "sort", "top", "total_row", "join", "fixed", "compute",
    "first_of",
})  # fmt: skip
_MODELS: tuple[type[Taken], ...] = (
    NumberStep, DateStep, PeriodStep, RecodeStep, FlagStep, MissingStep, TextStep, ConvertStep, SplitStep,
    DetailStep, OnlyStep, LeaveOutStep, OnceStep, LookupStep, SumsStep, CrosstabStep, SortStep, RankStep, TopStep, ShareStep,
    RunningStep, ChangeStep, TotalRowStep, JoinStep, FixedStep, ComputeStep, FirstOfStep, TurnStep,
)  # fmt: skip
#: The model of each verb.
VERBS: Mapping[str, type[Taken]] = {verb_of(model): model for model in _MODELS}


def _verb_of(value: Any) -> str | None:
    if isinstance(value, Taken):
        return value.verb
    first = next(iter(value), None) if isinstance(value, dict) else None
    return first if first in VERBS else None


Step = Annotated[
    Annotated[NumberStep, Tag("number")] | Annotated[DateStep, Tag("date")] | Annotated[PeriodStep, Tag("period")]
    | Annotated[RecodeStep, Tag("recode")] | Annotated[FlagStep, Tag("flag")] | Annotated[MissingStep, Tag("missing")]
    | Annotated[TextStep, Tag("text")] | Annotated[ConvertStep, Tag("convert")] | Annotated[SplitStep, Tag("split")]
    | Annotated[DetailStep, Tag("detail")] | Annotated[OnlyStep, Tag("only")] | Annotated[LeaveOutStep, Tag("leave_out")]
    | Annotated[OnceStep, Tag("once")] | Annotated[LookupStep, Tag("lookup")] | Annotated[SumsStep, Tag("sums")]
    | Annotated[CrosstabStep, Tag("crosstab")] | Annotated[SortStep, Tag("sort")] | Annotated[RankStep, Tag("rank")]
    | Annotated[TopStep, Tag("top")] | Annotated[ShareStep, Tag("share")] | Annotated[RunningStep, Tag("running")]
    | Annotated[ChangeStep, Tag("change")] | Annotated[TotalRowStep, Tag("total_row")] | Annotated[JoinStep, Tag("join")]
    | Annotated[FixedStep, Tag("fixed")] | Annotated[ComputeStep, Tag("compute")] | Annotated[TurnStep, Tag("turn")]
    | Annotated[FirstOfStep, Tag("first_of")],
    Discriminator(
        _verb_of, custom_error_type="no_verb",
        custom_error_message=f"the first key of a step is its verb: {', '.join(VERBS)}",
    ),
]  # fmt: skip
