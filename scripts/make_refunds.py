"""Write the demo's refunds into the package: `python scripts/make_refunds.py`. Seeded: the same files every time.

The branches' exports are made from their truth: each refund is written in the styles of the branch that keeps it.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files"
HEADER = ("Refund", "Paid on", "Port", "Amount", "Permit", "By card")
PORTS = {
    "SKA": ("Skarrow", ("Skarrow", "SKARROW", "skarrow", "Skarrow ", "Skarow", "Skarrow.", "Skårrow", "SKA", "Port Skarrow")),
    "HAL": ("Hallan", ("Hallan", "hallan", "HALLAN", " Hallan", "Halan", "Hallan,", "Hállan", "HAL", "HAL Hallan")),
    "WON": (
        "Wick of Ness",
        ("Wick of Ness", "Wick-of-Ness", "WICK OF NESS", "Ness, Wick of", "Wick of  Ness", "Wik of Ness", "wick of ness", "WON",
         "Wick of Ness (WON)"),
    ),
}  # fmt: skip
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
CURRENCIES = ("€", "SKC", "£")
MISSING = ("n/a", "---", "..")


def day_text(day: dt.date, style: int) -> str:
    """A date in one of four styles."""
    return (
        day.isoformat(), f"{day:%d/%m/%Y}", f"{day.day} {MONTHS[day.month - 1]} {day.year}", f"{day:%d.%m.%y}",
    )[style]  # fmt: skip


def amount_text(amount: float, currency: str, style: int) -> str:
    """An amount with a decimal comma and its sign in one of six styles."""
    whole, _, rest = f"{abs(amount):,.2f}".replace(",", ".").rpartition(".")
    bare = f"{whole},{rest}"
    if amount >= 0:
        return f"{currency} {bare}"
    return (
        f"{currency} -{bare}", f"{currency} {bare}-", f"({currency} {bare})", f"less {currency} {bare}", f"{currency} {bare} CR",
        f"{currency} \u2212{bare}",
    )[style]  # fmt: skip


def rows_of(branch: int, count: int) -> tuple[list[tuple[str, ...]], list[tuple[object, ...]]]:
    """A branch's rows as it writes them, and the truth of each."""
    chance = random.Random(2031 + branch)
    shown: list[tuple[str, ...]] = []
    truth: list[tuple[object, ...]] = []
    for number in range(1, count + 1):
        day = dt.date(2031, 1, 1) + dt.timedelta(days=chance.randrange(365))
        code = chance.choice(list(PORTS))
        currency = chance.choice(CURRENCIES)
        amount = round(chance.uniform(3, 2400), 2) * (-1 if chance.random() < 0.3 else 1)
        permit = f"{chance.randint(1, 999):03d}" if chance.random() < 0.8 else ""
        card = chance.choice(("yes", "no"))
        name = f"{'SH'[branch]}{number:04d}"
        shown.append((
            name, day_text(day, chance.randrange(4)), chance.choice(PORTS[code][1]),
            amount_text(amount, currency, chance.randrange(6)), permit or chance.choice(MISSING),
            chance.choice({"yes": ("yes", "Y", "true"), "no": ("no", "N", "false")}[card]),
        ))  # fmt: skip
        truth.append((name, day.isoformat(), code, amount, currency, permit, card))
    return shown, truth


def write(name: str, rows: list[tuple[str, ...]], encoding: str) -> None:
    """An export: every fifty rows the header comes again, as in files pasted together."""
    with (FOLDER / name).open("w", encoding=encoding, newline="") as out:
        writer = csv.writer(out, delimiter=";")
        for at in range(0, len(rows), 50):
            writer.writerow(HEADER)
            writer.writerows(rows[at : at + 50])


def main() -> None:
    """The exports, the code list and the rates."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    for branch, (name, encoding) in enumerate((("skarrow", "utf-8"), ("hallan", "cp1252"))):
        shown, _ = rows_of(branch, 120)
        safe = [tuple(text.replace("\u2212", "-") if encoding == "cp1252" else text for text in row) for row in shown]
        write(f"refunds_{name}.csv", safe, encoding)
    with (FOLDER / "ports.csv").open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(("code", "label", "other"))
        writer.writerows((code, label, f"Port {label}") for code, (label, _) in PORTS.items())
    with (FOLDER / "rates.csv").open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(("code", "date", "rate"))
        writer.writerows((
            ("€", "2031-01-01", "11.20"), ("€", "2031-07-01", "11.45"),
            ("£", "2031-01-01", "13.05"), ("£", "2031-07-01", "12.80"),
        ))  # fmt: skip
    print("refunds, ports and rates written")


if __name__ == "__main__":
    main()
