"""Standardise a table unaided: the steps that its values ask for, taken only where the evidence is conclusive."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING, Any

import numpy as np
import pyarrow as pa

from kebrin.errors import ValuesError
from kebrin.grammar.moments import may_be_times
from kebrin.grammar.periods import period_name, words_for
from kebrin.layout import CALENDAR_NAMES
from kebrin.shape.columns import join
from kebrin.shape.splitting import split
from kebrin.table import Finding, FindingKind, Settle, arrays
from kebrin.values.dates import date, language_of, read_dates
from kebrin.values.entries import has_plain_sign, labelled
from kebrin.values.numbers import number
from kebrin.values.periods import period, read_period
from kebrin.values.recoding import recode
from kebrin.values.spellings import folded
from kebrin.values.suggesting import Suggestion, suggest, suggestions
from kebrin.values.texts import Texts, is_text
from kebrin.values.wording import text

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence

    from kebrin.table import Table
    from kebrin.values.dates import Dates

_SECTION = "section"
_YEAR_OF_MONTH = re.compile(r"\b\d{4}\b")
_NAMED = re.compile(r"(?P<key>[^\W\d_][^:]{0,38}?)\s*:\s*(?P<value>\S.*)")
_LOOKED_AT = 2000
# Years of two digits mean those up to this one, as the POSIX standard reads them: 68 is 2068, and 69 is 1969.
LATEST_SHORT_YEAR = 2068
# Of a column's labels so many must be dates for the others to be a question.
_MOSTLY = 0.5
# Two figures in one cell: "120/20", "120 (20)"; nearly all cells hold such.
_TWO_FIGURES = re.compile(r"\s*[-+−]?\d[\d.,]*\s*(?:/\s*[-+−]?\d[\d.,]*|\(\s*[-+−]?\d[\d.,]*\s*%?\s*\))\s*")
# An interval, behind its figure or alone: "12 (9–15)", "2.5 - 4.0".
_AMOUNT = r"[-+−]?\d[\d.,]*"
_INTERVAL = re.compile(rf"\s*{_AMOUNT}\s*[(\[]\s*{_AMOUNT}\s*(?:[-–—;,]|to)\s*{_AMOUNT}\s*[)\]]\s*")
# A bare hyphen parts numbers of parts and telephones too.
_RANGE = re.compile(rf"\s*{_AMOUNT}(?:\s+-\s+|\s*[–—]\s*|\s+to\s+){_AMOUNT}\s*")
_NEARLY = 0.8
_ARROW = re.compile(r"\s*[▲△▼▽↑↓⬆⬇]\s*\d[\d.,]*\s*%?\s*|\s*\d[\d.,]*\s*%?\s*[▲△▼▽↑↓⬆⬇]\s*")
# A label and an amount in one entry.
_PAIR = r"^(.*?)\s*[:=]\s*([-−]?\d[\d.,' ]*)$"


def standardised(
    table: Table, *, legend: Mapping[str, str] | None = None, answered: Collection[str] = ()
) -> tuple[Table, list[dict[str, Any]]]:
    """The table with every column standardised for which the evidence is conclusive, and the steps taken.

    Dates in labels and measures become dates, months of a year take their ISO form, text measures
    become numbers; names that differ in case and blanks alone take one
    form, signs that a key explains become what it says; cells of lists are split. Where the evidence is not conclusive,
    the texts stay as they are and the question is put.

    Args:
        table: the table.
        legend: signs that a text on the sheets explains, with what it says of each.
        answered: columns that a person has spoken of, which stay as they are.
    """
    table, steps = _with_dates_of_calendar(table)
    for name in table.columns:
        kind = table.data.column(name).type
        if name in answered:
            continue
        if pa.types.is_dictionary(kind) and pa.types.is_string(kind.value_type):
            table, found = _with_plain_labels(table, name, legend=legend or {})
        elif pa.types.is_string(kind) and name in table.measures:
            table, found = _with_key(table, name, legend or {})
            table, step = _with_read_measure(table, name)
            found += [step] if step else []
        else:
            continue
        steps += found
    table, more = _with_lists_split(table)
    return table, [*steps, *more]


def _with_dates_of_calendar(table: Table) -> tuple[Table, list[dict[str, Any]]]:
    """A calendar whose month stands above it with its year: its days are dates."""
    if not {*CALENDAR_NAMES, "month"} <= set(table.dimensions):
        return table, []
    weekdays, days, months = (arrays.distinct_texts(table.data.column(name)) for name in (*CALENDAR_NAMES, "month"))
    whole = all(day.isdigit() for day in days) and all(map(_YEAR_OF_MONTH.search, months))
    if not whole or period_name(weekdays) != "weekday":
        return table, []
    step = {"join": [CALENDAR_NAMES[1], "month"], "into": "date", "between": " "}
    return join(table, step["join"], "date", between=" "), [step]


def _with_plain_labels(table: Table, name: str, *, legend: Mapping[str, str]) -> tuple[Table, list[dict[str, Any]]]:
    texts = Texts.of(table.data.column(name))
    said = [str(one) for one in texts.values.slice(0, _LOOKED_AT + 1).to_pylist()]
    dated, step = _with_dates(table, name, texts, said)
    if step or dated is not table:
        return dated, [step] if step else []
    table, step = _with_months(table, name, said)
    if step:
        return table, [step]
    table, step = _with_name_apart(table, name, said)
    if step:
        return table, [step]
    table, steps = _with_key(table, name, legend)
    table, step = _with_plain_names(table, name, Texts.of(table.data.column(name)))
    return table, [*steps, step] if step else steps


def _with_name_apart(table: Table, name: str, said: Sequence[str]) -> tuple[Table, dict[str, Any]]:
    """The table with heads that all say what they are ("Harbour: Hallan") as a column of that name."""
    if not name.startswith(_SECTION) or not 1 < len(said) <= _LOOKED_AT:
        return table, {}
    matches = [_NAMED.fullmatch(one) for one in said]
    keys = {match["key"] for match in matches if match}
    if None in matches or len(keys) != 1:
        return table, {}
    (key,) = keys
    if key in table.columns:
        return table, {}
    step: dict[str, Any] = {"split": name, "into": [key], "pattern": rf"{re.escape(key)}\s*:\s*(.+)"}
    return split(table, name, into=[key], pattern=step["pattern"]), step


def _with_key(table: Table, name: str, legend: Mapping[str, str]) -> tuple[Table, list[dict[str, Any]]]:
    """The table with the signs of a key on the sheet replaced by what it says of them."""
    if not legend:
        return table, []
    spelt = _spelt([str(one) for one in Texts.of(table.data.column(name)).values.to_pylist()], legend)
    if not spelt:
        return table, []
    step: dict[str, Any] = {"recode": name, "spelt": spelt, "unknown": "keep"}
    what = f"{name}: the sheet's key says {', '.join(f'{sign} = {meaning}' for sign, meaning in spelt.items())}"
    done = recode(table, name, spelt=spelt, unknown="keep").remarked([Finding(FindingKind.KEY, what, count=len(spelt))])
    return done, [step]


def _with_dates(table: Table, name: str, texts: Texts, said: list[str]) -> tuple[Table, dict[str, Any]]:
    """The table with a column of dates as dates, if every label is one; half of them being dates is told."""
    looked = said[:_LOOKED_AT]
    if not looked or sum(sum(map(str.isdigit, one)) >= 3 for one in looked) < _MOSTLY * len(looked):
        return table, {}
    try:
        read, options = _read_as_dates(texts, name)
    except ValuesError as error:
        what = f"{name} stays text: {error.what}: {error.why}. {error.do}"
        return table.remarked([Finding(FindingKind.QUESTION, what, column=name)]), {}
    known = ~read.unread & ~read.missing
    if read.unread.any() and known.any():
        serial = _with_serials(texts, name, read.units, known, read.per_second, options)
        if serial:
            options |= {"serial": "1900"}
            read = read_dates(texts, name, **options)
    lost = texts.cells_of(read.unread)
    count = texts.cells_of(~read.unread & ~read.missing)
    if not count or count < _MOSTLY * (count + lost):
        return table, {}
    if lost:
        odd = ", ".join(repr(texts.values[at].as_py()) for at in np.flatnonzero(read.unread)[:4].tolist())
        what = f"{name} stays text: {count:,} of its labels are dates, {lost:,} are none ({odd})"
        return table.remarked([Finding(FindingKind.QUESTION, what, count=lost, column=name)]), {}
    return _dated(table, name, options), {"date": name, **options}


def _dated(table: Table, name: str, options: Mapping[str, Any]) -> Table:
    """The table with a column read as dates, what had to be assumed told."""
    said = []
    if "latest" in options:
        said.append(f"{name}: years of two digits are taken for {LATEST_SHORT_YEAR - 99} to {LATEST_SHORT_YEAR}")
    if "languages" in options:
        said.append(f"{name}: its months are named in the language {', '.join(options['languages'])!r}")
    return date(table, name, **options).remarked([Finding(FindingKind.ASSUMED, one) for one in said])


def _read_as_dates(texts: Texts, name: str) -> tuple[Dates, dict[str, Any]]:
    """The dates that texts say, and what had to be assumed to read them: a latest short year, a language.

    Raises:
        ValuesError: they read in two ways; or years of two digits that those written out take for others.
    """
    options: dict[str, Any] = {}
    try:
        read = read_dates(texts, name)
    except ValuesError as error:
        options = {"latest": LATEST_SHORT_YEAR} if "two digits" in error.what else {}
        read = read_dates(texts, name, latest=LATEST_SHORT_YEAR)
        told: dict[str, Any] = dict(error.answers[0]) if options and error.answers else options
        if told != options and not np.array_equal(read_dates(texts, name, **told).units, read.units):
            raise
    if (read.unread | read.missing).all() and (language := language_of(texts, name)):
        options = {"languages": [language]}
        read = read_dates(texts, name, **options)
    return read, options


def _with_serials(
    texts: Texts, name: str, units: np.ndarray[Any, Any], known: np.ndarray[Any, Any], per_second: int,
    options: Mapping[str, Any],
) -> bool:  # fmt: skip
    """Whether figures among dates are a spreadsheet's days: read so, they fall among the others."""
    try:
        again = read_dates(texts, name, **options, serial="1900")
    except ValuesError:
        return False
    days = units[known] // (86_400 * per_second)
    gained = again.units[~known & ~again.unread & ~again.missing] // (86_400 * again.per_second)
    room = max(int(days.max() - days.min()), 366)
    return bool(len(gained) and (gained >= days.min() - room).all() and (gained <= days.max() + room).all())


def _with_months(table: Table, name: str, said: list[str]) -> tuple[Table, dict[str, Any]]:
    """The table with months of a year in ISO form, if every label is one."""
    if not said or len(said) > _LOOKED_AT or not any(map(str.isdigit, said[0])):
        return table, {}
    months = words_for("month", ["en"])
    read = [read_period(one, months) for one in said]
    if any(one is None or one.startswith("?") or len(one) != 7 or not one[5:].isdigit() for one in read):
        return table, {}
    if all(map(_is_iso_month, said)):
        return table, {}
    return period(table, name), {"period": name}


def _is_iso_month(text: str) -> bool:
    return len(text) == 7 and text[4] == "-" and text[:4].isdigit() and text[5:].isdigit()


def _spelt(said: list[str], legend: Mapping[str, str]) -> dict[str, str]:
    """The signs of a key that stand among labels, if what most of them stand for stands there too: all of them, or none."""
    if not legend or period_name(said):
        return {}
    bare = {one.strip().rstrip(".").casefold() for one in said}
    used = {sign: meaning.strip(" .") for sign, meaning in legend.items() if sign.rstrip(".").casefold() in bare}
    meant = sum(meaning.casefold() in bare for meaning in used.values())
    return used if used and meant * 2 >= len(used) else {}


def _with_plain_names(table: Table, name: str, texts: Texts) -> tuple[Table, dict[str, Any]]:
    if len({folded(str(one)) for one in texts.values.slice(0, _LOOKED_AT).to_pylist()}) >= min(len(texts), _LOOKED_AT):
        return table, {}
    return _with_one_form(table, name, suggest(texts, name))


def _with_read_measure(table: Table, name: str) -> tuple[Table, dict[str, Any]]:
    column = table.data.column(name)
    if column.null_count == len(column):
        return table, {}
    texts = Texts.of(column)
    found = suggest(texts, name)
    if found.question and found.meaning == "dates":
        dated, step = _with_dates(table, name, texts, texts.values.slice(0, _LOOKED_AT + 1).to_pylist())
        if step:
            return _answered(dated, name), step
    times = "number" in found.step and may_be_times(name, texts.values.slice(0, _LOOKED_AT).to_pylist())
    if found.conclusive and not (found.question or times) and ("number" in found.step or "date" in found.step):
        verb, options = next(iter(found.step)), dict(found.step)
        del options[verb]
        return (number(table, name, **options) if verb == "number" else _dated(table, name, options)), found.step
    if found.meaning == "identifiers":
        return _answered(table, name), {}
    asked = _asked_of_measure(name, texts, found, times=times)
    return (_answered(table, name).remarked([asked]), {}) if asked else _with_one_form(table, name, found)


def _asked_of_measure(name: str, texts: Texts, found: Suggestion, *, times: bool) -> Finding | None:
    """What is asked of a measure that stays text; None if nothing is."""
    what, said = "", texts.values.slice(0, _LOOKED_AT).to_pylist()
    if times:
        what = (
            f"{texts.values[0].as_py()!r} may be a time of day or a number: take a step number = {name!r} if it is one"
        )
    elif found.question and found.meaning in {"numbers", "dates"}:
        what = found.question
    elif found.meaning != "lists" and (arrow := next(filter(_ARROW.fullmatch, said), "")):
        what = f"{arrow!r} bears an arrow, which may mean more or less: recode the arrows, then read numbers"
    elif found.meaning != "lists" and (pair := _two_figures(said)):
        pattern = r"(.+)/(.+)" if "/" in pair else r"(.+)\((.+)\)"
        step = f"split = {name!r}, into = ['first', 'second'], pattern = '{pattern}'"
        what = f"its cells hold two figures each, such as {pair!r}: part them with a step {step}"
    elif found.meaning != "lists" and (interval := _nearly_all(_INTERVAL, said)):
        pattern = r"(.+?)\s*[(\[](.+?)\s*(?:[-–—;,]|to)\s*(.+)[)\]]"
        step = f"split = {name!r}, into = [{name!r}, 'lower', 'upper'], pattern = '{pattern}'"
        what = f"its cells hold a figure and an interval, such as {interval!r}: part them with a step {step}"
    elif found.meaning != "lists" and (interval := _nearly_all(_RANGE, said)):
        step = f"split = {name!r}, into = ['lower', 'upper'], pattern = '(.+?)\\s*(?:[-–—]|to)\\s*(.+)'"
        what = f"its cells hold an interval, such as {interval!r}: part them with a step {step}"
    if not what:
        return None
    marks = [str(mark) for mark in found.step.get("missing", ())] if found.question == what else []
    settle = (Settle("missing", marks, says="they mean that there is no value"),) if marks else ()
    settle = (*settle, _stays(name))
    return Finding(
        FindingKind.QUESTION, f"{name} stays text: {what}", count=len(texts.codes), column=name, settle=settle
    )


def _stays(name: str) -> Settle:
    return Settle(name, "text", "kinds", says="it is text")


def _two_figures(said: Sequence[str]) -> str:
    """An example of cells that hold two figures each, nearly all of them; ''.

    >>> _two_figures(["120/20", "80/11"]), _two_figures(["12 (3)", "9 (1)"]), _two_figures(["2030/31", "2031/32"])
    ('120/20', '12 (3)', '')
    """
    return _nearly_all(_TWO_FIGURES, said)


def _nearly_all(form: re.Pattern[str], said: Sequence[str]) -> str:
    """An example of texts of a form, if nearly all of some are of it and they are no periods; ''.

    >>> _nearly_all(_INTERVAL, ["12 (9–15)", "8 (6 to 11)"]), _nearly_all(_RANGE, ["2.5 - 4.0", "3–5"])
    ('12 (9–15)', '2.5 - 4.0')
    >>> _nearly_all(_RANGE, ["555-1234"])
    ''
    """
    found = [one for one in said if form.fullmatch(one)]
    return found[0] if found and len(found) >= _NEARLY * len(said) and not period_name(list(said)) else ""


def _with_one_form(table: Table, name: str, found: Suggestion) -> tuple[Table, dict[str, Any]]:
    """The table with the plain variants of a column in one form, unless rows would then bear the same labels."""
    if "text" not in found.step or not found.conclusive:
        return table, {}
    made = text(table, name, spelled=found.step.get("spelled", ()))
    if name in table.dimensions:
        labels = list(table.dimensions)
        if arrays.distinct_rows(made.data.select(labels)) < arrays.distinct_rows(table.data.select(labels)):
            what = (
                f"{name} has names that differ in case and blanks alone, on rows that would then bear the same labels"
            )
            return table.remarked(
                [
                    Finding(
                        FindingKind.QUESTION,
                        what,
                        count=len(found.step.get("spelled", ())) or 1,
                        column=name,
                        settle=(_stays(name),),
                    )
                ]
            ), {}
    return made, found.step


def _with_lists_split(table: Table) -> tuple[Table, list[dict[str, Any]]]:
    """The table with its one column of lists split, where every sign says list and no amount could be counted twice."""
    lists = _lists_in(table)
    if len(lists) != 1:
        return table.remarked([_asked_of(name, found) for name, found in lists.items()]), []
    ((name, found),) = lists.items()
    if not found.conclusive or found.question:
        return table.remarked([_asked_of(name, found)]), []
    said = [str(one) for one in Texts.of(table.data.column(name)).values.to_pylist()]
    at, along = found.step["at"], found.step.get("along", ())
    pairs = labelled(said, at)
    table = split(table, name, at=at, along=along)
    steps: list[dict[str, Any]] = [found.step]
    if pairs:
        label, amount = _pair_names(table, name)
        step = {"split": name, "into": [label, amount], "pattern": _PAIR}
        table = number(split(table, name, into=step["into"], pattern=_PAIR), amount)
        steps += [step, {"number": amount}]
    for other in along:
        suggestion = suggest(Texts.of(table.data.column(other)), other)
        if suggestion.meaning == "numbers" and not suggestion.question:
            table = number(table, other)
            steps.append({"number": other})
    return table, steps


def _lists_in(table: Table) -> dict[str, Suggestion]:
    """The columns whose cells may hold several entries."""
    texts = [name for name in table.columns if is_text(table, name)]
    if not any(has_plain_sign(arrays.distinct_texts(table.data.column(name), _LOOKED_AT)) for name in texts):
        return {}
    return {name: found for name, found in suggestions(table).items() if found.meaning == "lists"}


def _asked_of(name: str, found: Suggestion) -> Finding:
    signs = ", ".join(map(repr, found.step.get("at", ())))
    step = f"detail = {name!r}, into = {found.step['into']!r}" if "detail" in found.step else f"split = {name!r}"
    so = f": {found.question}" if found.question else ""
    what = f"{name} may hold several entries in a cell: {found.why}; if so, take a step {step}, at = [{signs}]{so}"
    return Finding(FindingKind.QUESTION, what, count=1, column=name, settle=(_stays(name),))


def questions_of(table: Table, answered: Collection[str]) -> list[Finding]:
    """What is asked of a finished table without a plan, but for the columns that a person has spoken of."""
    before = list(table.remarks)
    done, _ = standardised(table, answered=answered)
    return [one for one in done.remarks if one.asks and one not in before and one.column not in answered]


def _pair_names(table: Table, name: str) -> tuple[str, str]:
    """Names for the label and the amount of entries that hold both: the column's own, its unit apart."""
    bare = re.sub(r"\s*[(\[][^)\]]*[)\]]\s*$", "", name) or name
    return name, f"{bare} amount" if f"{bare} amount" not in table.columns else f"{bare} amount 2"


def _answered(table: Table, name: str) -> Table:
    """The table without what was asked about a column before its texts were looked at."""
    return table.with_remarks(
        [one for one in table.remarks if not (one.kind == FindingKind.QUESTION and one.column == name)]
    )
