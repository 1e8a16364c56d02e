"""A year: a plan drafted in January meets twelve months of returns and a correction, and says what is otherwise each time.

April brings a new quay, May its columns in another order, June a quay under another name, July a cell that says no figure, which
a person answers with a line of the plan. August's file is late and comes in October; in November March is corrected; December's
total is wrong.

    python examples/a_year.py [FOLDER]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

import openpyxl

import kebrin as kb

MONTHS = [
    "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December",
]  # fmt: skip
MARCH, APRIL, MAY, JUNE, JULY, AUGUST, OCTOBER, NOVEMBER, DECEMBER = 3, 4, 5, 6, 7, 8, 10, 11, 12
QUAYS = ["East pier", "North steps", "Skerry slip"]


def main(folder: Path) -> None:
    """Draft a plan from January's returns, then run it month by month."""
    write_returns(folder, 1)
    draft = kb.draft(folder / "returns_2031-01.xlsx", base=folder, output="out/returns.csv").text
    (folder / "returns.plan.toml").write_text(for_every_month(draft), "utf-8")
    for month, name in enumerate(MONTHS, start=1):
        if month > 1:
            arrive(folder, month)
        run = kb.load_plan(folder / "returns.plan.toml").run()
        tell(name, run)
        if month == JULY:
            answer(folder, 'missing = ["not counted"]')
            run = kb.load_plan(folder / "returns.plan.toml").run()
            tell("July, answered", run)
        run.write(accept=True)


def answer(folder: Path, line: str) -> None:
    """A line that settles what was asked, put into the plan's layout."""
    plan = folder / "returns.plan.toml"
    head = "[table.returns.layout]\n"
    plan.write_text(plan.read_text("utf-8").replace(head, f"{head}{line}\n"), "utf-8")


def for_every_month(draft: str) -> str:
    """The draft with what a person changes in it: the pattern and the month that its comment proposes."""
    lines = draft.splitlines()
    (proposed,) = (line for line in lines if line.startswith("# the next ones too: "))
    files, _, month = proposed.removeprefix("# the next ones too: ").partition(", and under fields: ")
    lines[lines.index(proposed) - 1] = files
    lines.remove(proposed)
    fields = lines.index("[table.returns.fields]") if "[table.returns.fields]" in lines else -1
    if fields < 0:
        fields = next(at for at, line in enumerate(lines) if line.startswith("[table.returns.labels]"))
        lines[fields:fields] = ["[table.returns.fields]", ""]
    lines.insert(fields + 1, month)
    return "\n".join(lines) + "\n"


def arrive(folder: Path, month: int) -> None:
    """What comes in a month: its returns, or none, or others too."""
    if month != AUGUST:
        write_returns(folder, month)
    if month == OCTOBER:
        write_returns(folder, AUGUST)
    if month == NOVEMBER:
        write_returns(folder, MARCH, corrected=True)


def write_returns(folder: Path, month: int, *, corrected: bool = False) -> None:
    """One month's returns as the harbour sends them."""
    quays = [*QUAYS, "Mole"] if month >= APRIL else QUAYS
    heads = ["Foot", "Cars"] if month < MAY else ["Cars", "Foot"]
    figures = {
        (quay, head): 40 * (at + 1) + 7 * month + (300 if head == "Foot" else 0)
        for at, quay in enumerate(quays)
        for head in heads
    }
    if corrected:
        figures["East pier", "Cars"] += 12
    book = openpyxl.Workbook()
    sheet = book.worksheets[0]
    sheet.title = "Returns"
    sheet.append([f"Skerry harbour, returns for {MONTHS[month - 1]} 2031{', corrected' if corrected else ''}"])
    sheet.append([])
    sheet.append(["Quay", *heads])
    for quay in quays:
        said = "N. steps" if quay == "North steps" and month >= JUNE else quay
        sheet.append([said, *(figures[quay, head] for head in heads)])
    totals = [sum(figures[quay, head] for quay in quays) for head in heads]
    sheet.append(["All quays", totals[0] + (5 if month == DECEMBER else 0), totals[1]])
    if month == JULY:
        sheet["B5"] = "not counted"
        sheet[f"B{4 + len(quays)}"] = totals[0] - figures["North steps", heads[0]]
    book.save(folder / f"returns_2031-{month:02}.xlsx")


def tell(month: str, run: kb.Run) -> None:
    """What a month's run says: its rows, whether all is proved, what a person must look at, what changed and was not expected."""
    (proof,) = run.proofs.values()
    print(f"{month}: {len(run.tables['returns']):,} rows. {proof.headline}")
    for line in [*proof.failures, *(question.what for question in proof.questions)]:
        print(f"  ! {line}")
    for drift in run.drift:
        for change in drift.unexpected:
            print(f"  {change}")
            for case in change.details if change.kind == "restated" else ():
                print(f"    {case}")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        main(Path(sys.argv[1]))
    else:
        with tempfile.TemporaryDirectory() as made:
            main(Path(made))
