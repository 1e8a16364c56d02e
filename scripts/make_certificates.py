"""Write the demo's crew certificates into the package: `python scripts/make_certificates.py`. Seeded.

One row a crew member, with several certificates in one cell and the days they run out on in the cell beside.
"""

from __future__ import annotations

import csv
import datetime as dt
import random
from pathlib import Path

FOLDER = Path(__file__).parent.parent / "src" / "kebrin" / "demo" / "files"
HEADER = ("Crew", "Vessel", "Certificates", "Valid until", "Fee paid")
VESSELS = ("Grey Gull", "Tern", "Old Skua", "Puffin")
FIRST = ("Ada", "Bo", "Cato", "Dot", "Edda", "Finn", "Greta", "Hal", "Ines", "Jory", "Kit", "Lune")
LAST = ("Brine", "Shoal", "Reef", "Tarn", "Skerry", "Holm", "Fathom", "Locker")
PAPERS = ("Deck officer, coastal", "Radio", "Medical", "Engine watch", "Lifeboat", "Ropes and moorings")
COUNT = 60


def crew() -> list[tuple[str, str, list[tuple[str, dt.date]], float]]:
    """The truth: name, vessel, certificates with the day each runs out on, and the fee for all of them."""
    chance = random.Random(2031)
    people = [f"{first} {last}" for first in FIRST for last in LAST]
    chance.shuffle(people)
    rows = []
    for name in people[:COUNT]:
        papers = chance.sample(PAPERS, chance.choice((0, 1, 1, 2, 2, 3, 4)))
        held = [(paper, dt.date(2032, 1, 1) + dt.timedelta(days=chance.randrange(1500))) for paper in papers]
        rows.append((name, chance.choice(VESSELS), held, 45.5 * len(held)))
    return rows


def main() -> None:
    """The list as the crewing office keeps it."""
    chance = random.Random(7)
    with (FOLDER / "certificates.csv").open("w", encoding="utf-8", newline="") as out:
        writer = csv.writer(out)
        writer.writerow(HEADER)
        for name, vessel, held, fee in crew():
            sign = chance.choice(("; ", ";", " ; ", " / "))
            papers = sign.join(f'"{paper}"' if "," in paper else paper for paper, _ in held)
            days = sign.join(f"{day:%d.%m.%Y}" for _, day in held)
            writer.writerow((name, vessel, papers, days, f"{fee:.2f}"))
    print("certificates written")


if __name__ == "__main__":
    main()
