"""Make the table of period words that layouts are recognised by, from the locale data of Babel (CLDR).

Run it again when Babel has newer data; the table is part of the package, so that the package itself needs no Babel.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from babel import Locale

TABLE = Path(__file__).parent.parent / "src/kebrin/grammar/periods.json"
LOCALES = """
en de fr es it pt nl sv da nb fi is et lv lt pl cs sk hu sl hr sr ro bg el tr ru uk be sq mt ga cy ca eu gl
id ms vi ja zh ko ar he hi th
""".split()  # noqa: SIM905 - a list of them would fill a page
FORMS = [(context, width) for context in ("format", "stand-alone") for width in ("wide", "abbreviated")]


def words(names: Any) -> dict[str, int]:
    """Every spelling of some names, without dots and in one case, with its number; spellings of two are left out."""
    found: dict[str, set[int]] = {}
    for context, width in FORMS:
        for number, name in names.get(context, {}).get(width, {}).items():
            found.setdefault(name.casefold().strip(" ."), set()).add(number)
    return {word: min(numbers) for word, numbers in sorted(found.items()) if len(numbers) == 1 and not word.isdigit()}


def table() -> dict[str, dict[str, dict[str, int]]]:
    """Period words by language and by kind of period."""
    told = {}
    for name in LOCALES:
        locale = Locale.parse(name)
        told[name] = {"month": words(locale.months), "weekday": words(locale.days), "quarter": words(locale.quarters)}
    return told


if __name__ == "__main__":
    TABLE.write_text(json.dumps(table(), ensure_ascii=False, indent=None, separators=(",", ":")) + "\n", "utf-8")
    print(f"{TABLE.name}: {len(LOCALES)} languages")
