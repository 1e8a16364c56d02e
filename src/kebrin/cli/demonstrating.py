"""`kebrin demo`: write the demo, run it, say what to look at."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from kebrin.api import load_plan
from kebrin.cli import running, show
from kebrin.cli.ending import Exit
from kebrin.demo import copy_demo

if TYPE_CHECKING:
    from pathlib import Path


def demo(folder: Path, *, as_json: bool) -> int:
    """Write the demo reports and plan into a folder, and run them."""
    copied = copy_demo(folder)
    plan_file = folder / "traffic.plan.toml"
    done = load_plan(plan_file).run()
    published = done.write()
    if as_json:
        print(json.dumps({"written": list(map(str, copied)), **running.plain(done, published)}, ensure_ascii=False))
        return Exit.DONE if done.holds else Exit.NOT_PROVED
    out = show.console()
    show.heading(
        out,
        f"The demo is in {folder}: returns of the Skarrow Isles Ferry Board, a made-up archipelago's ferries",
    )
    show.rows(out, [(path.name, _about(path.name)) for path in copied])
    running.tell(out, done, published)
    csv = next(item.path for item in published if item.path.suffix == ".csv")
    kebrin = show.command()
    show.heading(out, "Look at")
    for words, about in [
        (f"{kebrin} survey {folder / 'traffic_2031.xlsx'}", "what each row and column was taken for, and why"),
        (f"{kebrin} trace {csv} 100", "the source cell behind a value"),
        (f"{kebrin} draft {folder / 'traffic_*.xlsx'} --like {folder / 'wanted.csv'} -o {folder / 'new.plan.toml'}",
         "a plan from three wanted rows"),
        (f"{kebrin} run {folder / 'refunds.plan.toml'}", "refunds in every style, made one table"),
        (f"{kebrin} tidy {folder / 'refunds_*.csv'} -o {folder / 'r.csv'}; {kebrin} values {folder / 'r.csv'}",
         "what is in each column, and what to do about it"),
        (f"{kebrin} run {folder / 'certificates.plan.toml'}", "several entries in a cell, parted"),
        (f"{kebrin} run {folder / 'board.plan.toml'}",
         "what the Board is handed: a workbook of tables, its own form filled in, what must be looked at"),
        (f"{kebrin} drift {folder / 'daily_2031-03.xlsx'} {folder / 'daily_2031-04.xlsx'}",
         "what April's daily returns have that March's had not"),
        (f"{kebrin} tidy {folder / 'crew_*.xlsx'} -o {folder / 'crew.csv'}", "a form from each harbour, made one table"),
        (f"{kebrin} tidy {folder / 'dues.prn'} -o {folder / 'dues.csv'}", "a print report: pages joined, totals tied out"),
        (str(plan_file), "the plan: change a name in it, then kebrin run it"),
    ]:  # fmt: skip
        show.line(out, words)
        show.line(out, f"  {about}", "dim")
    return Exit.DONE if done.holds else Exit.NOT_PROVED


def _about(name: str) -> str:
    if name.endswith(".toml"):
        return "a plan"
    told = {
        "dues.prn": "a print report of the old system: pages, a section per harbour, totals",
        "berths.html": "a page of the intranet: currency marks in cells of their own, a footnote, a foot",
        "fuel.ods": "a spreadsheet document: a year over its quarters",
        "tides.pdf": "a PDF of two pages, the heading on each; needs kebrin[pdf]",
        "certificates.csv": "the crew's papers, several in one cell, and the days they run out on in step",
        "wanted.csv": "three rows of a table as somebody wants it, retyped by hand",
        "ports.csv": "the ports' code list, which nobody's spelling follows",
        "rates.csv": "what a currency is worth, from a day on",
        "routes.csv": "where the routes run, one missing and one too many",
        "board_form.xlsx": "the Board's own form, formats and chart and all, waiting for figures",
    }  # fmt: skip
    if name in told:
        return told[name]
    if name.startswith("daily"):
        return "daily returns, the year to date: a sheet per route, a row per day"
    if name.startswith("crew"):
        return "a harbour's form: fields above, a line for each of the crew, a total"
    if name.startswith("refunds"):
        return "a branch's export: every sign, four date styles, nine spellings a port, three currencies"
    return "a sheet per route: three merged heading rows, subtotals, footnotes"
