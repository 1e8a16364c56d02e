"""What outputs need is looked for before the first of them is written: packages, databases' drivers, names that they can hold."""

from __future__ import annotations

from importlib.util import find_spec
from typing import TYPE_CHECKING

from kebrin.errors import OutputError, Place

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from kebrin.deliver.outputs import Target

# The package that writes a kind of file, and the extra that brings it.
_NEEDED = {".ods": ("odf", "ods"), ".pdf": ("reportlab", "handouts")}
# A name has 255 bytes at most, and ".unproved" and ".proof.json" come to it.
_LONGEST = 230
# What holds no two columns whose names differ in case alone.
_CASELESS = frozenset({".sqlite", ".db"})


def refuse_unready(targets: Iterable[Target]) -> None:
    """Refuse outputs that could not be written, while none of them is.

    Raises:
        OutputError: a package or a database's driver is not installed, or columns differ in case alone where none may.
    """
    for target in targets:
        kind = target.path.suffix.lower()
        if (size := len(target.path.name.encode("utf-8", "surrogateescape"))) > _LONGEST:
            raise OutputError(
                "the output's name is too long", Place(f"{target.path.name[:60]}..."),
                why=f"it has {size} bytes, and with its proof beside it {_LONGEST} are what file systems hold", do="Shorten it",
            )  # fmt: skip
        if target.database:
            from kebrin.deliver.writing.database import engine_of

            engine_of(target.database, target.path.parent)[1].dispose()
        elif kind in _NEEDED and find_spec(_NEEDED[kind][0]) is None:
            package, extra = _NEEDED[kind]
            raise OutputError(
                f"this installation does not write {kind}", Place(str(target.path)), why=f"the package {package} is not there",
                do=f"Run: pip install 'kebrin[{extra}]'; nothing was written",
            )  # fmt: skip
        if target.database.startswith("sqlite") or (not target.database and kind in _CASELESS):
            for page in target.pages:
                _refuse_alike(page.table.columns, str(target.path))


def _refuse_alike(names: Sequence[str], where: str) -> None:
    known: dict[str, str] = {}
    for name in names:
        other = known.setdefault(name.casefold(), name)
        if other != name:
            raise OutputError(
                f"{other!r} and {name!r} differ in case alone", Place(where), why="this kind of output takes them for one column",
                do=f"Rename one in the plan: columns = {{ {name}_2 = {name!r}, ... }}",
            )  # fmt: skip
