"""The proof page: one HTML file that shows what a run made, what holds, what is open, and what became of every cell.

Nothing is loaded from elsewhere, and a content security policy keeps it so; it works from a mail attachment, by keyboard, in
print, in dark and light.
"""

from __future__ import annotations

import hashlib
import json
from base64 import b64encode
from datetime import UTC, datetime
from html import escape
from importlib.resources import files as packaged
from pathlib import Path
from typing import TYPE_CHECKING, Any

from kebrin.address import a1, column_letters
from kebrin.cells import as_label
from kebrin.deliver.atomic import whole_file
from kebrin.deliver.cell_uses import LABEL, LEFT, VALUE, account_of, sampled
from kebrin.deliver.guard import refuse_sources
from kebrin.errors import KebrinError, OutputError, Place
from kebrin.table import FindingKind
from kebrin.version import VERSION

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from kebrin.deliver.cell_uses import CellUse, SheetAccount
    from kebrin.deliver.drift import Drift
    from kebrin.proof import Proof, Source
    from kebrin.work.joining import Done

#: What stands at the beginning of the file: such a page may be replaced by the next one.
SIGN = "Kebrin proof page"
# So many cells of sheets are drawn at most, so many sheets of one report, and so many lines of each list.
MOST_CELLS, _LINES, _ROWS = 100_000, 400, 8
_HIDDEN = "•"


def proof_page(
    done: Sequence[Done], drifts: Sequence[Drift] = (), *, base: Path | None = None, values: bool = True
) -> str:
    """The page of a run.

    Args:
        done: its tables with their proofs.
        drifts: what changed since the run before.
        base: the folder that file names are shown from.
        values: whether what stands in cells is shown; without it the page can be passed on where the data may not be.
    """
    from jinja2 import Environment
    from markupsafe import Markup

    sources = list({source.file: source for one in done for source in one.proof.sources}.values())
    maps = _maps(done, sources, values=values)
    linked = {(one["file"], one["sheet"]): one for one in maps}
    style, script = _asset("proof.css"), _asset("proof.js")
    failures = [one for part in done for one in part.proof.failures]
    asked = list(dict.fromkeys(str(one) for part in done for one in part.proof.questions))
    sign = "not" if failures else "asks" if asked or any("Proved" not in one.proof.headline for one in done) else "sure"
    tables = [_table(one, number, linked, values=values) for number, one in enumerate(done)]
    contents = [("open", "What is open"), *((one["id"], one["name"]) for one in tables)]
    contents += [("drift", "Since the last run")] if drifts else []
    contents += [("sources", "Sources"), *([("maps", "The sheets")] if maps else [])]
    for one in maps:  # drawn when it is known which cells something leads to
        body, said = one["draw"](one["wanted"])
        one |= {"body": Markup(body), "said": said}  # noqa: S704 - every text in it is escaped where it is made
    page = Environment(autoescape=True, trim_blocks=True).from_string(_asset("proof.html"))
    return page.render(
        title=", ".join(one.name for one in done[:4]), outcome=_outcome(done, sign), summary=_summary(done, sources), sign=sign,
        version=VERSION, made=datetime.now(UTC).astimezone().strftime("%Y-%m-%d %H:%M %Z"), contents=contents,
        failures=failures if values else _counted(failures), questions=asked if values else _counted(asked), tables=tables,
        drifts=[{"table": one.table, "changes": [str(change) for change in one.changes]} for one in drifts] if values else [],
        sources=[_source(one, base) for one in sources], maps=maps, values=values,
        style=Markup(style), script=Markup(script), style_hash=_hash(style), script_hash=_hash(script),  # noqa: S704 - ours
    )  # fmt: skip


def _asset(name: str) -> str:
    return (packaged("kebrin.deliver") / "templates" / name).read_text("utf-8")


def _hash(text: str) -> str:
    return b64encode(hashlib.sha256(text.encode()).digest()).decode()


def _counted(said: Sequence[str]) -> list[str]:
    """How many there are: their words may hold what stands in cells."""
    return [f"{len(said):,}; their words are not shown here"] if said else []


def _outcome(done: Sequence[Done], sign: str) -> str:
    heads = list(dict.fromkeys(one.proof.headline for one in done))
    if len(heads) == 1:
        return heads[0]
    bad = [one.name for one in done if not one.proof.holds]
    if bad:
        return f"Not proved: {', '.join(bad[:4])}"
    return "Nothing was lost; some questions are open" if sign == "asks" else "Proved: nothing was lost"


def _summary(done: Sequence[Done], sources: Sequence[Source]) -> str:
    rows = ", ".join(f"{one.name} {len(one.table):,} rows" for one in done[:6])
    cells = sum(one.proof.cells for one in done)
    open_cells = sum(one.proof.unclaimed for one in done)
    claimed = f"{open_cells:,} of them unclaimed" if open_cells else "all accounted for"
    many = f"{len(sources):,} file{'s' * (len(sources) != 1)}"
    return f"{rows}; from {many} with {cells:,} filled cells, {claimed}."


def _source(source: Source, base: Path | None) -> dict[str, str]:
    left = "; ".join(f"{name}: {why}" for name, why in list(source.left_out.items())[:20])
    return {"file": _shown(source.file, base), "used": ", ".join(source.used), "left": left, "digest": source.digest}


def _shown(file: str, base: Path | None) -> str:
    try:
        return str(Path(file).resolve().relative_to((base or Path()).resolve()))
    except ValueError:
        return Path(file).name


def _table(done: Done, number: int, linked: dict[tuple[str, str], dict[str, Any]], *, values: bool) -> dict[str, Any]:
    proof = done.proof
    ties = [one for one in proof.ties if one.cells]
    several = len({ledger.file for ledger in proof.ledgers}) > 1

    def place(file: str, sheet: str) -> str:
        return f"{Path(file).stem}, {sheet}" if several else sheet

    lines = [(place(ledger.file, ledger.sheet), str(line)) for ledger in proof.ledgers for line in ledger.lines]
    names = list(dict.fromkeys(name for one in proof.fills for name in one.shares))[:24]
    remarks = [one for one in proof.remarks if one.kind != FindingKind.QUESTION and not one.breaks]
    return {
        "id": f"table-{number}", "name": done.name, "headline": proof.headline, "count": len(done.table),
        "columns": done.table.columns, "sample": _sample(done, linked) if values else [],
        "conservation": [
            {"measure": one.measure, "cells": one.cells, "values": one.values, "missing": one.missing,
             "sum_in": _number(one.sum_in), "sum_out": _number(one.sum_out), "holds": one.holds}
            for one in proof.conservation
        ],
        "counts": [*proof.counts.items(), ("unclaimed", proof.unclaimed)],
        "ties": [{"where": place(one.file, one.sheet), "lines": one.lines, "cells": one.cells, "exact": one.exact,
                  "rounded": one.rounded, "failed": one.failed} for one in ties[:_LINES]],
        "gaps": [{"where": f"{place(one.file, one.sheet)} {gap.cell}", "line": gap.line, "stated": _number(gap.stated),
                  "computed": _number(gap.computed), "gap": _number(gap.stated - gap.computed)}
                 for one in ties for gap in one.gaps][:_LINES],
        "left": lines[:_LINES] if values else [], "left_more": max(len(lines) - _LINES, 0) if values else 0,
        "steps": proof.steps[:_LINES], "fill_names": names,
        "fills": [{"where": f"{place(one.file, one.sheet)} {one.block}", "rows": one.rows,
                   "shares": [one.shares.get(name) for name in names]} for one in proof.fills[:_LINES]],
        "remarks": _remarks(proof, remarks, values=values),
    }  # fmt: skip


def _remarks(proof: Proof, remarks: Sequence[Any], *, values: bool) -> list[str]:
    if values:
        return [str(one) for one in remarks[:_LINES]]
    kinds: dict[str, int] = {}
    for one in remarks:
        kinds[one.kind] = kinds.get(one.kind, 0) + max(one.count, 1)
    return [f"{kind}: {count:,}" for kind, count in kinds.items()] if proof.remarks else []


def _number(value: float | None) -> str:
    return "–" if value is None else f"{value:,.10g}"


def _sample(done: Done, linked: dict[tuple[str, str], dict[str, Any]]) -> list[dict[str, Any]]:
    table = done.table
    rows = []
    for at in sampled(done, _ROWS):
        record = table.data.slice(at, 1).to_pylist()[0]
        cells = []
        for name in table.columns:
            link = ""
            if name in table.measures and len(table.origins) == len(table):
                origin = table.origins.of(at, name)
                drawn = linked.get((origin.file, origin.sheet)) if origin is not None else None
                if origin is not None and drawn is not None:
                    link = f"{drawn['id']}-{a1(origin.row, origin.column)}"
                    drawn["wanted"].add((origin.row, origin.column))
            value = record[name]
            cells.append(
                {"text": "·" if value is None else as_label(value), "link": link, "number": name in table.measures}
            )
        rows.append({"number": at + 1, "cells": cells})
    return rows


def _maps(done: Sequence[Done], sources: Sequence[Source], *, values: bool) -> list[dict[str, Any]]:
    """The sheets that gave cells, drawn until there are too many of them."""
    from kebrin.sources import read_again

    found: list[dict[str, Any]] = []
    room = MOST_CELLS
    for source in sources:
        try:
            report = read_again(source.file, source.read_as) if Path(source.file).is_file() else None
        except KebrinError:
            report = None
        for name in source.used:
            if report is None or name not in report.names:
                continue
            sheet = report[name]
            size = sheet.shape[0] * sheet.shape[1]
            if size > room or not size:
                continue
            room -= size
            ledgers = [
                one for part in done for one in part.proof.ledgers if (one.file, one.sheet) == (source.file, name)
            ]
            account = account_of(sheet, source.file, [part.table for part in done], ledgers)
            found.append(_map(account, len(found), done, changed=report.digest != source.digest, values=values))
    return found


def _map(account: SheetAccount, number: int, done: Sequence[Done], *, changed: bool, values: bool) -> dict[str, Any]:
    """One sheet as a table; `draw` makes its body and what is said of its cells, those marked that something leads to."""
    where = f"s{number}"

    def draw(wanted: set[tuple[int, int]]) -> tuple[str, str]:
        sheet, said = account.sheet, dict[str, int]()
        rows, columns = sheet.shape
        heads = "".join(f"<th scope=col>{column_letters(at)}" for at in range(columns))
        lines = [f"<thead><tr><th>{heads}<tbody>"]
        for row in range(rows):
            cells = []
            for column in range(columns):
                use = account.uses.get((row, column))
                if use is None:
                    cells.append("<td>")
                    continue
                text = escape(sheet.text(row, column)[:60], quote=False) if values else _HIDDEN
                mark = f' id="{where}-{a1(row, column)}"' if (row, column) in wanted else ""
                place = said.setdefault(_said_of(use, done, values=values), len(said))
                cells.append(f"<td class={use.letter}{_row(use)} data-s={place}{mark}>{text}")
            lines.append(f"<tr><th scope=row>{row + 1}{''.join(cells)}")
        return "".join(lines), json.dumps(list(said), ensure_ascii=False)

    return {
        "id": where, "name": f"{Path(account.file).name}, sheet {account.sheet.name}", "file": account.file,
        "sheet": account.sheet.name, "rows": f"{account.sheet.shape[0]:,}", "across": f"{account.sheet.shape[1]:,}",
        "note": "The file has changed since: what is drawn is what it holds now." if changed else "", "wanted": set(),
        "draw": draw,
    }  # fmt: skip


def _said_of(use: CellUse, done: Sequence[Done], *, values: bool) -> str:
    """What became of a cell, in words."""
    if use.letter == VALUE:
        return f"a value of {use.said} in {done[use.table].name}"
    if use.table >= 0:
        return (
            f"{'a label' if use.letter == LABEL else 'names labels or values'} of {use.said} in {done[use.table].name}"
        )
    if use.letter == LEFT:
        return f"left out: {use.said}" if values else "left out"
    return use.said


def _row(use: CellUse) -> str:
    return f" data-r={use.row}" if use.letter == VALUE else ""


def refuse_page(path: Path, sources: Iterable[str | Path]) -> None:
    """Refuse a page that would be written over a source, or over a file that is no proof page, before anything is written.

    Raises:
        OutputError: it would.
    """
    refuse_sources(path, sources)
    if path.exists() and (not path.is_file() or SIGN not in path.read_text("utf-8", "replace")[:2000]):
        raise OutputError(
            "a file that is no proof page stands there", Place(str(path)), do="Name another file for the page"
        )


def write_page(text: str, path: Path) -> None:
    """Write a page; a file that is no such page is not replaced.

    Raises:
        OutputError: another file stands there, or it can't be written.
    """
    refuse_page(path, ())
    with whole_file(path) as part:
        part.write_text(text, "utf-8")
