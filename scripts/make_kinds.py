"""Write the demo's reports that never were a workbook: a print report, a page, a spreadsheet document, a PDF.

python scripts/make_kinds.py
"""

from __future__ import annotations

import random
from pathlib import Path

from odf.opendocument import OpenDocumentSpreadsheet
from odf.style import Style, TextProperties
from odf.table import CoveredTableCell, Table, TableCell, TableRow
from odf.text import P
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import getSampleStyleSheet
from reportlab.platypus import PageBreak, Paragraph, SimpleDocTemplate
from reportlab.platypus import Table as PdfTable

FOLDER = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files"
HARBOURS = ("Skarrow", "Hallan", "Wick of Ness")
VESSELS = ("Gull", "Tern", "Skua", "Auk", "Eider", "Fulmar", "Petrel")
QUARTERS = ("Q1", "Q2", "Q3", "Q4")


def dues(path: Path) -> None:
    """Harbour dues as the old system prints them: pages, a head on each, a total for each harbour and for all."""
    draw = random.Random("dues")
    lines: list[str] = []
    whole, page, left = 0.0, 0, 0

    def put(text: str) -> None:
        nonlocal page, left
        if left == 0:
            page += 1
            head = [f"SKARROW ISLES FERRY BOARD          HARBOUR DUES                 PAGE {page:>3}",
                    "                                                   PRINTED 2031-04-02", "",
                    "Vessel          Calls      Length m           Dues",
                    "------------  -------  ------------  -------------"]  # fmt: skip
            lines.extend([*(["\f" + head[0]] if page > 1 else [head[0]]), *head[1:]])
            left = 14
        lines.append(text)
        left -= 1

    for harbour in HARBOURS:
        total = 0.0
        put("")
        put(f"Harbour . . . : {harbour}")
        for vessel in draw.sample(VESSELS, 5):
            amount = round(draw.uniform(80, 4_800), 2)
            total += amount
            put(f"{vessel:<12}  {draw.randint(1, 60):>7}  {draw.uniform(12, 70):>12.1f}  {amount:>13,.2f}")
        put(f"{'TOTAL ' + harbour.upper():<36}  {total:>12,.2f}")
        whole += total
    put("")
    put(f"{'GRAND TOTAL':<36}  {whole:>12,.2f}")
    path.write_text("\n".join(lines) + "\n", "utf-8")


def berths(path: Path) -> None:
    """Berths as a page of the intranet: two heading rows, a currency mark in a cell of its own, a footnote, a foot."""
    draw = random.Random("berths")
    rows, sums = [], [0, 0]
    for at in range(6):
        fees = [draw.randint(100, 2_400) for _ in range(2)]
        sums = [one + other for one, other in zip(sums, fees, strict=True)]
        note = "<sup>1</sup>" if at == 3 else ""
        cells = "".join(f"<td>€</td><td>{fee:,}{note if place == 1 else ''}</td>" for place, fee in enumerate(fees))
        rows.append(f"<tr><th>Berth {at + 1}</th>{cells}</tr>")
    foot = "".join(f"<td>€</td><td>{one:,}</td>" for one in sums)
    path.write_text(
        "<!DOCTYPE html><html><head><title>Berths</title></head><body><nav><a href='/'>Home</a></nav>"
        "<h1>Berths at Skarrow</h1><p>Fees by season.</p><table>"
        f"<tfoot><tr><th>Total</th>{foot}</tr></tfoot>"
        "<thead><tr><th rowspan='2'>Berth</th><th colspan='4'>Fee</th></tr>"
        "<tr><th colspan='2'>Summer</th><th colspan='2'>Winter</th></tr></thead>"
        f"<tbody>{''.join(rows)}</tbody></table><p><sup>1</sup> From May on.</p></body></html>\n",
        "utf-8",
    )


def fuel(path: Path) -> None:
    """Fuel by vessel and quarter as a spreadsheet document: a spanner over the quarters, a total line."""
    draw = random.Random("fuel")
    document = OpenDocumentSpreadsheet()
    bold = Style(name="bold", family="table-cell")
    bold.addElement(TextProperties(fontweight="bold"))
    document.automaticstyles.addElement(bold)
    table = Table(name="Fuel")
    document.spreadsheet.addElement(table)

    def row(*cells: TableCell | CoveredTableCell) -> None:
        line = TableRow()
        for cell in cells:
            line.addElement(cell)
        table.addElement(line)

    def text(said: str, **more: object) -> TableCell:
        cell = TableCell(valuetype="string", stylename=bold, **more)
        cell.addElement(P(text=said))
        return cell

    def figure(value: float) -> TableCell:
        cell = TableCell(valuetype="float", value=str(value))
        cell.addElement(P(text=f"{value:,.1f}"))
        return cell

    row(text("Fuel taken on, tonnes"))
    row(TableCell())
    row(
        text("Vessel", numberrowsspanned=2),
        text("2031", numbercolumnsspanned=4),
        *(CoveredTableCell() for _ in range(3)),
    )
    row(CoveredTableCell(), *(text(quarter) for quarter in QUARTERS))
    figures = {vessel: [round(draw.uniform(5, 90), 1) for _ in QUARTERS] for vessel in VESSELS[:5]}
    for vessel, values in figures.items():
        row(text(vessel), *map(figure, values))
    row(text("Total"), *(figure(round(sum(column), 1)) for column in zip(*figures.values(), strict=True)))
    document.save(str(path))


def tides(path: Path) -> None:
    """Tides as a PDF: a table that goes on over two pages, its heading on each, each harbour in the middle over two columns."""
    draw = random.Random("tides")
    head = [["", "Skarrow", "", "Hallan", ""], ["Day", "High", "Low", "High", "Low"]]
    days = [
        [f"2031-04-{day:02d}", *(f"{draw.uniform(*reach):.1f}" for _ in range(2) for reach in ((2.0, 4.0), (0.0, 1.5)))]
        for day in range(1, 31)
    ]
    style = [("SPAN", (1, 0), (2, 0)), ("SPAN", (3, 0), (4, 0)), ("ALIGN", (1, 1), (-1, -1), "RIGHT"),
             ("ALIGN", (1, 0), (-1, 0), "CENTER")]  # fmt: skip
    title = Paragraph("Tides, April 2031, metres", getSampleStyleSheet()["Heading2"])
    pages = [PdfTable([*head, *part], style=style, colWidths=[80, 50, 50, 50, 50]) for part in (days[:20], days[20:])]
    document = SimpleDocTemplate(str(path), pagesize=A4, title="Tides", invariant=True)
    document.build([title, pages[0], PageBreak(), pages[1]])


def main() -> None:
    """Write all of them."""
    dues(FOLDER / "dues.prn")
    berths(FOLDER / "berths.html")
    fuel(FOLDER / "fuel.ods")
    tides(FOLDER / "tides.pdf")


if __name__ == "__main__":
    main()
