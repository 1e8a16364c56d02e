"""The demo: reports of the made-up Skarrow Isles Ferry Board, and a plan for them."""

from __future__ import annotations

from pathlib import Path

from kebrin.errors import PlanError, nearest

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
    """Copy the demo's files into a folder; files of these names that are there already are replaced."""
    from shutil import copyfile

    folder.mkdir(parents=True, exist_ok=True)
    copied = []
    for name in demo_names():
        copyfile(_FILES / name, folder / name)
        copied.append(folder / name)
    return copied
