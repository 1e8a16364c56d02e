"""Ditto marks: signs and words that say of a label what stands above it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from kebrin.cells.kinds import Kind
from kebrin.grammar.reading import Look, read_text

if TYPE_CHECKING:
    from kebrin.cells.sheet import Sheet

DITTOS = frozenset({
    '"', "″", "〃", "”", "“", "„", "''", "´´", "do.", "Do.", "ditto", "Ditto", "dto.", "Dto.", "idem", "Idem",
    '-"-', "-„-", "-”-", "–„–", '–"–', '—"—', '- " -',
})  # fmt: skip
_SHOWN = 6


def without_dittos(sheet: Sheet) -> Sheet:
    """The sheet with every mark right below a label or a date, or below a mark for one, as what it stands for; it is told.

    >>> from kebrin.cells import Sheet
    >>> sheet = without_dittos(Sheet.of([["Region", "Port"], ["North", "Brae"], ["do.", "Wick"], ["do.", '"']]))
    >>> sheet.values[2:].tolist(), sheet.told
    ([['North', 'Wick'], ['North', 'Wick']], ('3 ditto marks were read as what stands above them: A3, A4, B4',))
    """
    flat = sheet.values.ravel().tolist()
    if DITTOS.isdisjoint(flat):
        return sheet
    values, kinds = sheet.values.copy(), sheet.kinds.copy()
    found = []
    for at in [at for at, value in enumerate(flat) if value.__class__ is str and value in DITTOS]:
        row, column = divmod(at, sheet.shape[1])
        above = row - 1
        said, kind = (values[above, column], kinds[above, column]) if row else ("", Kind.BLANK)
        labels = kind == Kind.TEXT and said not in DITTOS and read_text(said).look in {Look.WORDS, Look.CODE}
        if labels or kind == Kind.DATE:
            values[row, column], kinds[row, column] = said, kind
            found.append(sheet.address(row, column))
    if not found:
        return sheet
    values.flags.writeable = kinds.flags.writeable = False
    shown = ", ".join(found[:_SHOWN]) + (", ..." if len(found) > _SHOWN else "")
    marks = f"{len(found):,} ditto marks were" if len(found) > 1 else "1 ditto mark was"
    told = f"{marks} read as what stands above {'them' if len(found) > 1 else 'it'}: {shown}"
    return replace(sheet, values=values, kinds=kinds, told=(*sheet.told, told))
