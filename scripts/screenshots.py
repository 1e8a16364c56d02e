"""Take the pictures in docs/screenshots from the demo data: `python scripts/screenshots.py [NAME]...`, all or some.

Needs Xvfb, xterm and ImageMagick's `import` (Debian: xvfb, xterm, imagemagick).
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import openpyxl

import kebrin as kb
from kebrin.demo import copy_demo
from kebrin.demo.service import serving

SHOTS = Path(__file__).parent.parent / "docs" / "screenshots"
DISPLAY = ":97"
WINDOWS = {"10": "157x46", "11": "139x41", "14": "113x33"}  # columns and rows that fill the screen, by type size
SIZE = "1280x800"


# A sheet of which nobody can tell what its first line is.
LOADS = """Tonnes of load by vessel and month
Vessel,Jan,Feb,Mar
Limit,95,95,80
Dunlin,71,64,58
Petrel,80,77,61
Skua,44,52,49
"""


def spoil(path: Path) -> None:
    """Put a wrong figure into one total of the demo workbook."""
    book = openpyxl.load_workbook(path)
    sheet = book["Skerry Line"]
    sheet["L13"] = sheet["L13"].value + 40
    book.save(path)


def shoot(name: str, command: str, folder: Path, size: str) -> None:
    """Run a command in a terminal window and take its picture; where others were asked for, only run it."""
    if sys.argv[1:] and name not in sys.argv[1:]:
        environment = {**os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
        subprocess.run(["bash", "-c", command], cwd=folder, env=environment, check=False, stdout=subprocess.DEVNULL)
        return
    env = {**os.environ, "DISPLAY": DISPLAY, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    ended = folder / "ended.txt"
    shown = f"PS1=; set -o pipefail; clear; printf '$ {command}\\n'; {command}; echo $? > {ended}; tput civis; sleep 30"
    words = ["xterm", "-fa", "DejaVu Sans Mono", "-fs", size, "-geometry", f"{WINDOWS[size]}+0+0", "-bg", "white",
             "-fg", "#222222",
             "-b", "10", "+sb", "-e", "bash", "-c", shown]  # fmt: skip
    with subprocess.Popen(words, env=env, cwd=folder, stderr=subprocess.DEVNULL) as terminal:
        time.sleep(6)
        subprocess.run(["import", "-window", "root", "-strip", str(SHOTS / f"{name}.png")], env=env, check=True)
        terminal.kill()
    if ended.read_text().strip() not in {"0", "4"}:  # 4: done, and the proof does not hold
        raise SystemExit(f"{name}: {command} ended with {ended.read_text().strip()}")


def shoot_form(folder: Path) -> None:
    """The Board's form, filled in by a plan, as an office program shows it; left as it is where there is none."""
    if any(shutil.which(tool) is None for tool in ("soffice", "pdftoppm")):
        return
    kb.load_plan(folder / "board.plan.toml").run().write()
    out = folder / "out"
    office = ["soffice", "--headless", "--convert-to", "pdf", "--outdir", str(out), str(out / "board_form.xlsx")]
    subprocess.run(office, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    picture = ["pdftoppm", "-png", "-r", "110", "-singlefile", str(out / "board_form.pdf"), str(SHOTS / "board")]
    subprocess.run(picture, check=True)


def shoot_page(name: str, page: Path) -> None:
    """A page in a browser without a screen; left as it is where there is none."""
    if shutil.which("chromium") is None or (sys.argv[1:] and name not in sys.argv[1:]):
        return
    with tempfile.TemporaryDirectory() as profile:
        words = [
            "chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync",
            "--disable-background-networking", "--disable-component-update", "--hide-scrollbars", f"--user-data-dir={profile}",
            f"--window-size={SIZE.replace('x', ',')}", f"--screenshot={SHOTS / f'{name}.png'}", f"file://{page}",
        ]  # fmt: skip
        subprocess.run(words, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def shoot_all(folder: Path) -> None:
    """All pictures, in the order of the demo."""
    copy_demo(folder)
    shoot("demo", "kebrin run traffic.plan.toml", folder, "11")
    shoot("survey", "kebrin survey traffic_2031.xlsx | sed -n 1,42p", folder, "10")
    shoot("tidy", "kebrin tidy traffic_2031.xlsx -o traffic.csv", folder, "11")
    shoot("draft", "kebrin draft traffic_*.xlsx -o new.plan.toml", folder, "11")
    shoot(
        "like",
        "cat wanted.csv; kebrin draft traffic_2031.xlsx --like wanted.csv -o like.plan.toml | tail -30",
        folder,
        "11",
    )
    kb.read(folder / "traffic_2031.xlsx")["North Loop"].map().write(SHOTS / "map.png")
    example = [sys.executable, str(Path(__file__).parent.parent / "examples" / "office_sheets.py"), str(folder)]
    subprocess.run(example, check=True, stdout=subprocess.DEVNULL)
    (SHOTS / "map-office.png").write_bytes((folder / "dues.png").read_bytes())
    shoot("drift", "kebrin drift daily_2031-03.xlsx daily_2031-04.xlsx", folder, "14")
    shoot("refunds", "kebrin run refunds.plan.toml", folder, "11")
    shoot("values", "kebrin tidy refunds_*.csv -o r.csv >/dev/null; kebrin values r.csv | tail -44", folder, "10")
    (folder / "loads.csv").write_text(LOADS, "utf-8")
    shoot("readings", "kebrin survey loads.csv --readings ways", folder, "10")
    shoot("dues", "sed -n 1,14p dues.prn; kebrin tidy dues.prn -o dues.csv", folder, "11")
    shoot_form(folder)
    run = kb.load_plan(folder / "traffic.plan.toml").run()
    run.write(replace=True)
    (folder / "proof.html").write_text(run.page(), "utf-8")
    shoot_page("proof-page", folder / "proof.html")
    chart = ["kebrin", "look", "out/traffic.csv", "--by", "sailing", "--by", "class", "-o", str(SHOTS / "look.png")]
    environment = {**os.environ, "PATH": f"{Path(sys.executable).parent}:{os.environ['PATH']}"}
    subprocess.run([*chart, "--replace"], cwd=folder, env=environment, check=True, stdout=subprocess.DEVNULL)
    shoot("codes", "kebrin codes r.csv Port -o list.csv", folder, "11")
    with serving(8031) as address:
        shoot(
            "fetch",
            f"kebrin fetch {address}/calls -o calls.json; kebrin tidy calls.json -o calls.csv | sed -n 1,11p; "
            "kebrin trace calls.csv 77 dues",
            folder,
            "11",
        )
    shoot("trace", "kebrin trace traffic.csv 100", folder, "14")
    spoil(folder / "traffic_2031.xlsx")
    shoot("not-proved", "kebrin tidy traffic_2031.xlsx -o traffic.csv", folder, "11")


def main() -> None:
    """All pictures."""
    if any(shutil.which(tool) is None for tool in ("Xvfb", "xterm", "import")):
        raise SystemExit("this needs Xvfb, xterm and ImageMagick's import")
    SHOTS.mkdir(parents=True, exist_ok=True)
    with (
        subprocess.Popen(["Xvfb", DISPLAY, "-screen", "0", f"{SIZE}x24"], stderr=subprocess.DEVNULL) as screen,
        tempfile.TemporaryDirectory() as name,
    ):
        time.sleep(2)
        try:
            shoot_all(Path(name))
        finally:
            screen.kill()


if __name__ == "__main__":
    main()
