"""All kinds of office reports by name, and one report of a kind from a seed."""

from __future__ import annotations

from corpus import office, office_more
from corpus.making import Made
from corpus.office import Chance

#: The makers by the name of their kind.
OFFICE = {
    name.replace("_", " "): make
    for module in (office, office_more)
    for name, make in vars(module).items()
    if getattr(make, "__module__", "") == module.__name__
    and name not in {"Chance", "sheet_of", "sums", "long", "crosstab", "_plain"}
}


def make_office(kind: str, seed: int) -> Made:
    """One report of a kind, with its truth."""
    sheets, records = OFFICE[kind](Chance(f"{kind} {seed}"))
    return Made(seed, (kind,), sheets, [records])
