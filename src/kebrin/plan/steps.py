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
        return next(iter(type(self).model_fields))

    @property
    def column(self) -> str:
        """The column that the verb reads."""
        return str(getattr(self, self.verb))


class NumberStep(Taken):
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


class DateStep(Taken):
    """Reads a column of texts as dates, or as moments where it has times of day."""

    date: str
    order: Literal["", "day first", "month first", "year first"] = ""
    languages: Words = ("en",)
    latest: int = 0
    serial: Literal["", "1900", "1904"] = ""
    missing: Words = ()
    unread: Unread = "refuse"
    written: str = ""


class PeriodStep(Taken):
    """Reads a column of texts as periods, written in ISO 8601 form; or makes periods of a column of dates."""

    period: str
    of: Literal["", "year", "half-year", "quarter", "month", "week", "fiscal year"] = ""
    first_month: Annotated[int, Field(ge=1, le=12)] = 1
    year: str = ""
    languages: Words = ("en",)
    into: str = ""
    unread: Unread = "refuse"
    written: str = ""


class RecodeStep(Taken):
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


class FlagStep(Taken):
    """Reads a column of texts as yes and no; `blank` says what a blank cell means."""

    flag: str
    yes: Words = ()
    no: Words = ()
    languages: Words = ("en",)
    blank: Literal["", "missing", "no", "yes"] = ""
    labels: Words = ()
    unread: Unread = "refuse"
    written: str = ""


class MissingStep(Taken):
    """Makes the marks of a column that mean "no value" missing; a status column can keep what each meant."""

    missing: str
    marks: Words | dict[str, str] = ()
    only: bool = False
    status: str = ""
    written: str = ""


class TextStep(Taken):
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


_MODELS: tuple[type[Taken], ...] = (
    NumberStep, DateStep, PeriodStep, RecodeStep, FlagStep, MissingStep, TextStep, ConvertStep, SplitStep,
    DetailStep,
)  # fmt: skip
#: The model of each verb.
VERBS: Mapping[str, type[Taken]] = {next(iter(model.model_fields)): model for model in _MODELS}


def _verb_of(value: Any) -> str | None:
    if isinstance(value, Taken):
        return value.verb
    first = next(iter(value), None) if isinstance(value, dict) else None
    return first if first in VERBS else None


Step = Annotated[
    Annotated[NumberStep, Tag("number")] | Annotated[DateStep, Tag("date")] | Annotated[PeriodStep, Tag("period")]
    | Annotated[RecodeStep, Tag("recode")] | Annotated[FlagStep, Tag("flag")] | Annotated[MissingStep, Tag("missing")]
    | Annotated[TextStep, Tag("text")] | Annotated[ConvertStep, Tag("convert")] | Annotated[SplitStep, Tag("split")]
    | Annotated[DetailStep, Tag("detail")],
    Discriminator(
        _verb_of, custom_error_type="no_verb",
        custom_error_message=f"the first key of a step is its verb: {', '.join(VERBS)}",
    ),
]  # fmt: skip
