"""The demo: reports of the made-up Skarrow Isles Ferry Board, and a plan for them."""

from __future__ import annotations

from pathlib import Path

from kebrin.errors import OutputError, Place, PlanError, nearest

_FILES = Path(__file__).parent / "files"


def demo_names() -> tuple[str, ...]:
    """Names of the demo's files."""
    return tuple(sorted(file.name for file in _FILES.iterdir() if file.is_file()))


def demo_file(name: str) -> Path:
    """The path of a demo file inside the package.

    >>> demo_file("traffic_2031.xlsx").is_file()
    True

    Raises:
        PlanError: there is no demo file of that name.
    """
    if name not in demo_names():
        raise PlanError(
            f"there is no demo file {name!r}", why=f"there is {', '.join(demo_names())}",
            do=f"Did you mean {nearest(name, demo_names())!r}?" if nearest(name, demo_names()) else "",
        )  # fmt: skip
    return _FILES / name


def copy_demo(folder: Path) -> list[Path]:
    """Copy the demo's files into a folder.

    Raises:
        OutputError: a file of one of these names is there and says something else, or the folder can't be written to.
    """
    from shutil import copyfile

    try:
        folder.mkdir(parents=True, exist_ok=True)
        others = [name for name in demo_names() if _is_other(folder / name, _FILES / name)]
        if others:
            raise OutputError(
                "the demo would replace other files", Place(str(folder)), why=f"there is {', '.join(others[:4])} already, with "
                "other content", do="Name a folder of its own: kebrin demo DIR",
            )  # fmt: skip
        for name in demo_names():
            if not (folder / name).exists():
                copyfile(_FILES / name, folder / name)
    except OSError as error:
        raise OutputError(
            "the demo can't be written", Place(str(folder)), why=error.strerror or str(error), do="Name another folder"
        ) from error
    return [folder / name for name in demo_names()]


def _is_other(there: Path, own: Path) -> bool:
    return there.exists() and (not there.is_file() or there.read_bytes() != own.read_bytes())
