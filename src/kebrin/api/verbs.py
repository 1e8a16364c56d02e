"""The verbs that read and write out a column's values, as methods with the options that plans have."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, Literal, Self

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from kebrin.shape.converting import Rates
    from kebrin.shape.splitting import Share
    from kebrin.values.codes import CodeList
    from kebrin.values.conventions import DecimalSign
    from kebrin.values.ordering import Order as DateOrder
    from kebrin.values.periods import Kind
    from kebrin.values.recoding import Unknown
    from kebrin.values.wording import Case

    Where = Mapping[str, Any]


class Verbs:
    """Verbs of one column; `where` limits those that take it to the rows that fulfil a condition."""

    def _taken(self, verb: str, first: Any, options: dict[str, Any]) -> Self:
        raise NotImplementedError

    def number(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        decimal: DecimalSign = "",
        negative: Sequence[str] | None = None,
        percent: Literal["fraction", "keep"] = "fraction",
        currency: str = "",
        unit: str = "",
        scale: float = 1.0,
        missing: Sequence[str] = (),
        flip: Mapping[str, Sequence[str]] | bool = False,
        unread: Literal["refuse", "blank"] = "refuse",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Read a column of texts as numbers; options as in `kebrin.values.numbers.number`."""
        asked = {
            "decimal": decimal,
            "negative": negative,
            "percent": percent,
            "currency": currency,
            "unit": unit,
            "scale": scale,
            "missing": missing,
            "flip": flip,
            "unread": unread,
            "written": written,
            "where": where,
        }
        return self._taken("number", column, asked)

    def date(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        order: DateOrder = "",
        languages: Sequence[str] = ("en",),
        latest: int = 0,
        serial: Literal["", "1900", "1904"] = "",
        missing: Sequence[str] = (),
        unread: Literal["refuse", "blank"] = "refuse",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Read a column of texts as dates; options as in `kebrin.values.dates.date`."""
        asked = {
            "order": order,
            "languages": languages,
            "latest": latest,
            "serial": serial,
            "missing": missing,
            "unread": unread,
            "written": written,
            "where": where,
        }
        return self._taken("date", column, asked)

    def period(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        of: Kind = "",
        first_month: int = 1,
        year: str = "",
        languages: Sequence[str] = ("en",),
        into: str = "",
        unread: Literal["refuse", "blank"] = "refuse",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Read or make periods; options as in `kebrin.values.periods.period`."""
        asked = {
            "of": of,
            "first_month": first_month,
            "year": year,
            "languages": languages,
            "into": into,
            "unread": unread,
            "written": written,
            "where": where,
        }
        return self._taken("period", column, asked)

    def recode(
        self,
        column: str,
        using: CodeList | Mapping[str, str] | str | Path | None = None,
        *,
        unknown: Unknown = "stop",
        likeness: float = 0.0,
        label: str = "",
        written: str = "",
        spelt: Mapping[str, str] | None = None,
        where: Where | None = None,
    ) -> Self:
        """Replace texts by the codes of a list, or by what they stand for; options as in `kebrin.values.recoding.recode`."""
        if isinstance(using, Mapping):  # texts with what they stand for
            spelt, using = {**using, **(spelt or {})}, None
        asked = {
            "using": using,
            "unknown": unknown,
            "likeness": likeness,
            "label": label,
            "written": written,
            "spelt": spelt,
            "where": where,
        }
        return self._taken("recode", column, asked)

    def flag(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        yes: Sequence[str] = (),
        no: Sequence[str] = (),
        languages: Sequence[str] = ("en",),
        blank: Literal["", "missing", "no", "yes"] = "",
        labels: Sequence[str] = (),
        unread: Literal["refuse", "blank"] = "refuse",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Read a column of texts as yes and no; options as in `kebrin.values.marking.flag`."""
        asked = {
            "yes": yes,
            "no": no,
            "languages": languages,
            "blank": blank,
            "labels": labels,
            "unread": unread,
            "written": written,
            "where": where,
        }
        return self._taken("flag", column, asked)

    def missing(
        self,
        column: str,
        *,
        marks: Sequence[str] | Mapping[str, str] = (),
        only: bool = False,
        status: str = "",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Make marks that mean "no value" missing; options as in `kebrin.values.marking.missing`."""
        asked = {"marks": marks, "only": only, "status": status, "written": written, "where": where}
        return self._taken("missing", column, asked)

    def text(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        case: Case = "",
        spelled: Sequence[str] = (),
        between: Sequence[str] = (),
        pattern: str = "",
        without: Sequence[str] = (),
        into: str = "",
        unread: Literal["refuse", "blank"] = "refuse",
        written: str = "",
        where: Where | None = None,
    ) -> Self:
        """Make texts alike in form; options as in `kebrin.values.wording.text`."""
        asked = {
            "case": case,
            "spelled": spelled,
            "between": between,
            "pattern": pattern,
            "without": without,
            "into": into,
            "unread": unread,
            "written": written,
            "where": where,
        }
        return self._taken("text", column, asked)

    def convert(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        by: str,
        using: Rates | str | Path,
        into: str,
        to: str = "",
        on: str = "",
        places: int | None = None,
        rate: str = "",
        named: Mapping[str, str] | None = None,
        unrated: Literal["refuse", "blank"] = "refuse",
    ) -> Self:
        """Convert amounts through rates; options as in `kebrin.shape.converting.convert`."""
        asked = {
            "by": by,
            "using": using,
            "into": into,
            "to": to,
            "on": on,
            "places": places,
            "rate": rate,
            "named": named,
            "unrated": unrated,
        }
        return self._taken("convert", column, asked)

    def split(  # noqa: PLR0913 - all that a plan may state
        self,
        column: str,
        *,
        at: Sequence[str] = (",", ";"),
        into: Sequence[str] = (),
        position: str = "",
        along: Sequence[str] = (),
        share: Share = "",
        keep_empty: bool = False,
        widths: Sequence[int] = (),
        pattern: str = "",
        labelled: str = "",
    ) -> Self:
        """Split cells with several entries; options as in `kebrin.shape.splitting.split`."""
        asked = {
            "at": at,
            "into": into,
            "position": position,
            "along": along,
            "share": share,
            "keep_empty": keep_empty,
            "widths": widths,
            "pattern": pattern,
            "labelled": labelled,
        }
        return self._taken("split", column, asked)
