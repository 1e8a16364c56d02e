"""Write docs/gallery.md: messy sheets, what became of their cells, and the tables. `python scripts/make_gallery.py [--check]`."""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

import kebrin as kb  # noqa: E402
from corpus.offices import make_office  # noqa: E402
from kebrin.cells import as_label  # noqa: E402
from kebrin.deliver.cell_uses import account_of  # noqa: E402

PAGE = ROOT / "docs" / "gallery.md"
SHOWN = (
    ("fields beside", "A box of fields beside the table: what it says holds for every row, and becomes columns."),
    (
        "quarter sums",
        "Quarters and a year among months: sums of their neighbours are left out, each held against its parts.",
    ),
    ("centred spanners", "Spanners written in the middle of what they span, not merged."),
    ("section totals", "Sections, each with its sum, and a sum of the sums."),
    ("days under months", "Days under months: headings of two levels."),
    ("labels in the middle", "Labels behind the figures."),
    ("records across", "Records that run across instead of down."),
    ("bands", "Heads between the rows, one of them above the headings."),
    ("label footnotes", "Footnote marks on labels."),
    ("crosses", "A table of crosses."),
)
_SEED, _ROWS, _WIDE = 3, 6, 14
LEGEND = {"v": "", "l": "‹›", "h": "«»", "o": "()", "u": "!!"}


def gallery_text() -> str:
    """The whole page."""
    parts = [
        "# A gallery of messy sheets", "",
        "Each sheet as it is, then the table that `kebrin tidy` makes of it unaided. Made by `scripts/make_gallery.py`; a test",
        "holds it. Values stand bare, labels in ‹ ›, names of columns in « », what is left out in ( ).",
    ]  # fmt: skip
    with tempfile.TemporaryDirectory() as folder:
        for kind, said in SHOWN:
            parts += ["", f"## {kind.capitalize()}", "", said, "", *_one(kind, Path(folder))]
    return "\n".join(parts) + "\n"


def _one(kind: str, folder: Path) -> list[str]:
    made = make_office(kind, _SEED)
    path = folder / f"{kind.replace(' ', '_')}.xlsx"
    made.write(path)
    run = kb.tidy(path)
    (done, *_) = run.done
    sheet = kb.read(path).core[made.sheets[0].name]
    account = account_of(sheet, str(path), [done.table], done.proof.ledgers)
    lines = []
    for row in range(min(sheet.shape[0], 14)):
        cells = []
        for column in range(min(sheet.shape[1], 12)):
            use = account.uses.get((row, column))
            signs = LEGEND[use.letter] if use is not None else ""
            text = sheet.text(row, column)[: _WIDE - 3]
            cells.append((f"{signs[:1]}{text}{signs[1:]}" if text else "").ljust(_WIDE))
        lines.append("".join(cells).rstrip())
    table = done.table
    rows = table.data.slice(0, _ROWS).to_pylist()
    head = ["| " + " | ".join(table.columns) + " |", "|" + "---|" * len(table.columns)]
    body = [
        "| " + " | ".join("·" if row[name] is None else as_label(row[name]) for name in table.columns) + " |"
        for row in rows
    ]
    return ["```text", *lines, "```", "", *head, *body, "", f"{len(table):,} rows. {done.proof.headline}."]


if __name__ == "__main__":
    if "--check" in sys.argv:
        sys.exit(0 if PAGE.read_text("utf-8") == gallery_text() else "docs/gallery.md: made anew it would differ")
    PAGE.write_text(gallery_text(), "utf-8")
    print("gallery.md written")
