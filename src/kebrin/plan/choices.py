"""What a plan may say of its inputs and of what must be so: sheets, files, expectations."""

from __future__ import annotations

import codecs
import re
from fnmatch import fnmatchcase
from itertools import pairwise
from typing import Annotated

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, field_validator

from kebrin.grammar.patterns import groups_of, searched
from kebrin.sources.stated import StatedText


class Strict(BaseModel):
    """A part of a plan: unknown keys are refused."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


def as_list(value: object) -> object:
    """A single text as a list of one."""
    return [value] if isinstance(value, str) else value


class SheetChoice(Strict):
    """Which sheets a table is read from: some only, or all except some. Names may hold `*` and `?`.

    With `may_lack` a file may lack those that `only` names: it is told, where the plan has seen them.
    `seen` are the sheets that were there when the plan was drafted: what is new since is told.
    """

    only: tuple[str, ...] = ()
    but: tuple[str, ...] = Field(default=(), alias="except")
    seen: tuple[str, ...] = ()
    hidden: bool = False
    may_lack: bool = False

    def takes(self, name: str) -> bool:
        """Whether a sheet of this name is chosen.

        >>> SheetChoice(but=("Cover", "Notes*")).takes("Notes 2")
        False
        """
        chosen = not self.only or any(fnmatchcase(name, pattern) for pattern in self.only)
        return chosen and not any(fnmatchcase(name, pattern) for pattern in self.but)


class FetchPlan(Strict):
    """A list behind an address, fetched before the table's one file is read, into that file.

    `url` is the first page. `records` is the path of the list within a page, where it holds several; `next` that of the member
    that holds the next page's address, where it is not called so and no `Link` header tells. `headers` are sent along; one whose
    value is `env:NAME` comes from the environment. At most so many `pages` are taken, within so many `seconds`.
    """

    url: str
    records: str = ""
    next: str = ""
    headers: dict[str, str] = {}
    pages: Annotated[int, Field(ge=1)] = 1_000
    seconds: Annotated[float, Field(gt=0)] = 300.0


class ChoosePlan(Strict):
    r"""Which of the files that are named are read.

    `newest = 1` takes the newest only, by the date in its name if `dated` gives a pattern with one group for it
    ("traffic_(\\d{4}-\\d{2})"), else by its time. `wait` is how many seconds a file that is not there yet, or still arriving,
    is waited for.
    """

    newest: Annotated[int, Field(ge=0)] = 0
    dated: str = ""
    wait: Annotated[float, Field(ge=0)] = 0.0

    @field_validator("dated")
    @classmethod
    def _one_group(cls, value: str) -> str:
        try:
            searched(value, "")
        except ValueError as error:
            raise ValueError(f"the pattern {value!r} can't be read: {error}") from None
        groups = len(groups_of(value)) + value.count("(?P<")
        if groups > 1:
            raise ValueError(f"the pattern {value!r} has {groups} groups; it must have one, or none")
        return value


class TextPlan(Strict):
    """What a text file is, where it can't be seen.

    `delimiter` is a sign, or "none" if the file is laid out by blanks; `encoding` the name of its encoding. `skip` lists
    what lines begin with that are passed over. Of a text laid out by blanks, `columns` says where its columns are, by
    letters counted from 1 (["1-12", "14-20"]); `pages` what the first line of a page begins with, `sections` what lines
    begin with that head those below them; `lines` how many lines each record takes.
    """

    delimiter: str = ""
    encoding: str = ""
    skip: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    columns: tuple[str, ...] = ()
    pages: str = ""
    sections: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    lines: Annotated[int, Field(ge=0)] = 0

    @property
    def stated(self) -> StatedText:
        """The same as the readers take it."""
        places = tuple(_place(one) for one in self.columns)
        return StatedText(self.delimiter, self.encoding, places, self.pages, self.sections, self.skip, self.lines)

    @field_validator("columns")
    @classmethod
    def _in_order(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        places = [_place(one) for one in value]
        for (_, before), (left, _) in pairwise(places):
            if left <= before:
                raise ValueError(f"columns overlap, or are not in their order: {left} stands behind {before}")
        return value

    @field_validator("delimiter")
    @classmethod
    def _one_sign(cls, value: str) -> str:
        if len(value) > 1 and value != "none":
            raise ValueError(f"{value!r} is no delimiter; it is one sign, or 'none'")
        return value

    @field_validator("encoding")
    @classmethod
    def _known_encoding(cls, value: str) -> str:
        return known_encoding(value)


def _place(said: str) -> tuple[int, int]:
    match = re.fullmatch(r"\s*(\d+)\s*-\s*(\d+)\s*", said)
    if match is None or not 0 < int(match[1]) <= int(match[2]):
        raise ValueError(f"{said!r} is no place of a column; it is first and last letter, as in '1-12'")
    return int(match[1]), int(match[2])


def known_encoding(value: str) -> str:
    """An encoding that there is.

    Raises:
        ValueError: there is none of that name.
    """
    try:
        codecs.lookup(value or "utf-8")
    except LookupError:
        raise ValueError(f"no encoding is called {value!r}") from None
    return value


class RowsPlan(Strict):
    """How many rows are expected: at least, at most, exactly, or within a share of those of the last run (0.2 is a fifth)."""

    at_least: int | None = None
    at_most: int | None = None
    exactly: int | None = None
    within: Annotated[float, Field(gt=0)] | None = None


class RangePlan(Strict):
    """The smallest and the largest value that is expected, either may be left out."""

    smallest: float | None = None
    largest: float | None = None


class ExpectPlan(Strict):
    """What is expected of a finished table; each is a check in its proof, which does not hold if one fails.

    `columns` are all its columns, in any order. `key` names columns that no two rows share the values of. `values` gives a list
    of the values that a column may hold, or the smallest and largest; `every` lists those that must all be there; `no_gaps` names
    columns of dates or periods in which none is missing between the first and the last. `sums` gives the sum of a measure, as a
    number or as "FILE, COLUMN" for the sum of a column of another table. `files` and `sheets` are those that must be there, names
    may hold `*`.
    """

    columns: tuple[str, ...] = ()
    rows: RowsPlan | None = None
    key: tuple[str, ...] = ()
    values: dict[str, tuple[str, ...] | RangePlan] = {}
    every: dict[str, tuple[str, ...]] = {}
    no_gaps: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    sums: dict[str, float | str] = {}
    files: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
    sheets: Annotated[tuple[str, ...], BeforeValidator(as_list, json_schema_input_type=str | list[str])] = ()
