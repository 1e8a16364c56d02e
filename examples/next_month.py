"""Next month: the plan for March's daily returns meets April's, and says what is otherwise.

April brings a new sheet, a new column, one figure that was changed and a day for which nothing was sent.

    python examples/next_month.py [FOLDER]
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path
from shutil import copyfile

import kebrin as kb


def main(folder: Path) -> None:
    """Run the plan on March, then let April arrive and run it again."""
    for name in ("daily_2031-03.xlsx", "daily.plan.toml"):
        copyfile(kb.demo_file(name), folder / name)
    march = kb.load_plan(folder / "daily.plan.toml").run()
    march.write()
    print(f"March: {len(march.tables['daily']):,} rows, {march.proof.headline}")

    copyfile(kb.demo_file("daily_2031-04.xlsx"), folder / "daily_2031-04.xlsx")
    april = kb.load_plan(folder / "daily.plan.toml").run()
    print(f"April: {len(april.tables['daily']):,} rows, {april.proof.headline}")
    (drift,) = april.drift
    for change in drift.unexpected:
        print(f"  {change}")
        for case in change.details if change.kind == "restated" else ():
            print(f"    {case}")
    april.write()


if __name__ == "__main__":
    if len(sys.argv) > 1:
        main(Path(sys.argv[1]))
    else:
        with tempfile.TemporaryDirectory() as made:
            main(Path(made))
