"""Many files: which are taken, what does not fit, what is expected, what changed since, and who does the work."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import time
from collections import OrderedDict
from concurrent.futures import BrokenExecutor, Executor, Future
from pathlib import Path
from typing import TYPE_CHECKING, Any

import openpyxl
import pytest

import kebrin as kb
from building import die_once
from kebrin.sources.inputs import Choice, choose
from kebrin.work.gathering import gather

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from kebrin.deliver.drift import Drift

CLASSES = ("Foot", "Cars", "Coaches")
TIMES = ("07:15", "09:00", "12:30", "18:00")
PLAN = """kebrin = 1
[table.traffic]
files = "in/t_*.xlsx"
{more}
[table.traffic.layout]
starts = "Sailing"
boxhead = ["class"]
stub = ["Sailing"]
measure = "carried"
[table.traffic.fields]
route = "sheet name"
month = 'file name, "(\\d{{4}}-\\d\\d)"'
{last}
[[output]]
table = "traffic"
file = "out/traffic.csv"
"""


def returns(path: Path, *, by: int = 10, classes: Sequence[str] = CLASSES, sheets: Sequence[str] = ("North", "South"),
            title: int = 1, times: Sequence[str] = TIMES) -> Path:  # fmt: skip
    """A month's returns: a sheet per route, its titles, a heading row, a row per sailing."""
    book = openpyxl.Workbook()
    book.remove(book.active)
    for at, name in enumerate(sheets):
        sheet = book.create_sheet(name)
        for line in range(title):
            sheet.append([f"Traffic, title {line}"])
        sheet.append([])
        sheet.append(["Sailing", *classes])
        for row, sailing in enumerate(times):
            sheet.append([sailing, *[by * (row + 2) + 3 * column + at for column in range(len(classes))]])
    path.parent.mkdir(exist_ok=True)
    book.save(path)
    return path


def plan(folder: Path, more: str = "", last: str = "") -> kb.Plan:
    (folder / "traffic.plan.toml").write_text(PLAN.format(more=more, last=last), "utf-8")
    return kb.load_plan(folder / "traffic.plan.toml")


def kebrin(folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
    env = os.environ | {"KEBRIN_KEEP": str(folder / "kept")}
    return subprocess.run(
        [sys.executable, "-m", "kebrin", *words], cwd=folder, capture_output=True, text=True, check=False, env=env
    )


@pytest.fixture
def year(tmp_path: Path) -> Path:
    for month, by in (("01", 10), ("02", 11), ("03", 12)):
        returns(tmp_path / f"in/t_2031-{month}.xlsx", by=by)
    return tmp_path


# --- which files are taken ---------------------------------------------------------------------------------------


def test_a_folder_gives_its_reports_and_says_what_it_passes_over(year: Path) -> None:
    for name in ("~$t_2031-01.xlsx", "t_2031-04.xlsx.part", "notes.docx", ".hidden.csv"):
        (year / "in" / name).write_text("x")
    chosen = choose(["in"], base=year)
    assert [path.name for path in chosen.paths] == ["t_2031-01.xlsx", "t_2031-02.xlsx", "t_2031-03.xlsx"]
    reasons = {path.name: why for path, why in chosen.passed}
    assert "lock" in reasons["~$t_2031-01.xlsx"]
    assert "arriving" in reasons["t_2031-04.xlsx.part"]
    assert ".docx" in reasons["notes.docx"]


def test_the_newest_is_told_by_its_name_or_its_time(year: Path) -> None:
    os.utime(year / "in/t_2031-01.xlsx", (2e9, 2e9))
    by_name = choose(["in/*.xlsx"], base=year, choice=Choice(newest=1, dated=r"t_(\d{4}-\d\d)"))
    by_time = choose(["in/*.xlsx"], base=year, choice=Choice(newest=1))
    assert [path.name for path in by_name.paths] == ["t_2031-03.xlsx"]
    assert [path.name for path in by_time.paths] == ["t_2031-01.xlsx"]
    with pytest.raises(kb.PlanError, match="has no date"):
        choose(["in/*.xlsx"], base=year, choice=Choice(newest=1, dated=r"u_(\d+)"))


def test_a_file_is_waited_for_until_it_is_there_and_still(tmp_path: Path) -> None:
    looks = 0

    def arrives(_: float) -> None:
        nonlocal looks
        looks += 1
        if looks == 2:
            path = returns(tmp_path / "in/t_2031-01.xlsx")
            os.utime(path, (1e9, 1e9))

    chosen = choose(["in/*.xlsx"], base=tmp_path, choice=Choice(wait=60), sleep=arrives)
    assert len(chosen.paths) == 1
    with pytest.raises(kb.SourceError, match="no report found"):
        choose(["out/*.xlsx"], base=tmp_path, choice=Choice(wait=0.01))


def test_a_folder_with_nothing_that_fits_says_what_is_there(tmp_path: Path) -> None:
    (tmp_path / "notes.docx").write_text("x")
    with pytest.raises(kb.SourceError, match=r"notes\.docx \(\.docx is no kind of report\)"):
        choose(["."], base=tmp_path)


# --- what does not fit -------------------------------------------------------------------------------------------


def test_one_bad_file_is_set_aside_and_the_rest_is_finished(year: Path) -> None:
    whole = (year / "in/t_2031-02.xlsx").read_bytes()
    (year / "in/t_2031-02.xlsx").write_bytes(whole[:1500])
    run = plan(year).run()
    assert not run.holds
    assert len(run.tables["traffic"]) == 48
    assert any(
        "set aside: " in one and "t_2031-02.xlsx: The workbook is cut short" in one for one in run.proof.failures
    )
    done = kebrin(year, "tidy", "in", "-o", "all.csv")
    assert done.returncode == 4
    assert "t_2031-02.xlsx" in done.stdout
    assert (year / "all.unproved.csv").exists()
    assert not kb.tidy(*sorted((year / "in").iterdir())).holds


def test_where_no_file_can_be_read_the_first_error_is_told(tmp_path: Path) -> None:
    for name in ("a.xlsx", "b.xlsx"):
        (tmp_path / name).write_bytes(b"PK\x03\x04")
    with pytest.raises(kb.SourceError, match=r"a\.xlsx"):
        kb.tidy(tmp_path / "a.xlsx", tmp_path / "b.xlsx")


def test_a_sheet_of_other_columns_stops_the_run_or_is_set_aside(year: Path) -> None:
    for name in ("North", "South"):
        book = openpyxl.load_workbook(year / "in/t_2031-03.xlsx")
        sheet = book[name]
    sheet.insert_rows(4)  # a second heading row that the others lack
    for column in (2, 3, 4):
        sheet.cell(3, column).value, sheet.cell(4, column).value = "Week 1", CLASSES[column - 2]
    book.save(year / "in/t_2031-03.xlsx")
    with pytest.raises(kb.LayoutError) as caught:
        plan(year).run()
    assert "t_2031-03.xlsx" in str(caught.value)
    assert "South" in str(caught.value)
    run = plan(year, 'misfits = "set aside"').run()
    assert len(run.tables["traffic"]) == 5 * 12
    assert any("South" in one and "set aside" in one for one in run.proof.failures)


def records(path: Path, rows: Sequence[Sequence[Any]]) -> None:
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(list(row))
    path.parent.mkdir(exist_ok=True)
    book.save(path)


LIST_PLAN = """kebrin = 1
[table.log]
files = "in/*.xlsx"
{more}
[[output]]
table = "log"
file = "log.csv"
"""


@pytest.fixture
def logs(tmp_path: Path) -> Path:
    head = ["Sailing", "Ship", "Cars", "Note"]
    records(
        tmp_path / "in/a.xlsx", [head, ["N1", "Gull", 12, "fog"], ["N2", "Tern", 15, "late"], ["N3", "Gull", 9, "calm"]]
    )
    records(
        tmp_path / "in/b.xlsx", [head, ["N4", "Gull", 11, "gale"], ["N5", "Tern", 7, "calm"], ["N6", "Skua", 8, "late"]]
    )
    return tmp_path


def test_swapped_columns_are_absorbed_and_an_optional_one_may_be_missing(logs: Path) -> None:
    records(logs / "in/c.xlsx", [["Ship", "Sailing", "cars "], ["Gull", "N7", 3], ["Skua", "N8", 4], ["Tern", "N9", 5]])
    (logs / "log.plan.toml").write_text(LIST_PLAN.format(more=""), "utf-8")
    with pytest.raises(kb.LayoutError, match="it has no Note"):
        kb.load_plan(logs / "log.plan.toml").run()
    (logs / "log.plan.toml").write_text(LIST_PLAN.format(more='optional = "Note"'), "utf-8")
    run = kb.load_plan(logs / "log.plan.toml").run()
    rows = run.tables["log"].data.to_pylist()
    assert run.holds, run.proof.failures
    assert rows[6] == {"Sailing": "N7", "Ship": "Gull", "Cars": 3.0, "Note": None}
    assert {remark.kind for remark in run.proof.remarks} >= {"spelling", "missing column"}


# --- stamps and repeats ------------------------------------------------------------------------------------------


def test_stamps_come_from_named_groups_folders_and_the_files_date(year: Path) -> None:
    os.utime(year / "in/t_2031-01.xlsx", (1_900_000_000, 1_900_000_000))
    text = PLAN.format(more="", last="").replace(
        "month = 'file name, \"(\\d{4}-\\d\\d)\"'",
        "jahr = 'file name, \"(?P<jahr>\\d{4})-(?P<mon>\\d\\d)\"'\nmon = 'file name, \"(?P<jahr>\\d{4})-(?P<mon>\\d\\d)\"'\n"
        'folder = "folder name"\nday = "file date"\nside = \'sheet name, "^(.)"\'',
    )
    (year / "p.toml").write_text(text, "utf-8")
    row = kb.load_plan(year / "p.toml").run().tables["traffic"].data.slice(0, 1).to_pylist()[0]
    assert (row["jahr"], row["mon"], row["folder"], row["side"]) == ("2031", "01", "in", "N")
    assert row["day"].startswith("2030-03-1")
    (year / "p.toml").write_text(text.replace("jahr = '", "year = '"), "utf-8")
    with pytest.raises(kb.LayoutError, match="has no group of that name: its groups are jahr, mon"):
        kb.load_plan(year / "p.toml").run()


def test_the_same_file_twice_and_a_month_delivered_again_are_found(year: Path) -> None:
    shutil.copy(year / "in/t_2031-02.xlsx", year / "in/t_2031-02 copy.xlsx")
    run = plan(year).run()
    assert not run.holds
    assert any("t_2031-02.xlsx is the same, byte for byte, as t_2031-02 copy.xlsx" in one for one in run.proof.failures)
    returns(year / "in/t_2031-02 copy.xlsx", by=99)
    said = " ".join(plan(year).run().proof.failures)
    assert "24 rows have the same labels" in said
    assert "those of t_2031-02.xlsx are in t_2031-02 copy.xlsx already" in said


# --- expectations ------------------------------------------------------------------------------------------------

EXPECTED = [
    ("rows = {at_least = 72, at_most = 72, exactly = 72}", ""),
    ("rows = {at_least = 73}", "expected at least 73 rows: there are 72"),
    ('columns = ["route", "month", "Sailing", "class", "carried"]', ""),
    ('columns = ["route", "months"]', "there is no months; there is month, Sailing, class, carried besides"),
    ('key = ["route", "month", "Sailing", "class"]', ""),
    ('key = ["route", "class"]', "66 rows say the same as another (North B5, North C5, North D5"),
    ('values = {class = ["Foot", "Cars"]}', "24 rows say Coaches (North D4"),
    ("values = {carried = {smallest = 0, largest = 62}}", "rows say 63, "),
    ('every = {month = ["2031-01", "2031-04"]}', "there is no 2031-04"),
    ('no_gaps = "month"', ""),
    ("sums = {carried = 3024}", ""),
    ("sums = {carried = 3025}", "its sum is 3,024, -1"),
    ('sums = {carried = "control.csv, total"}', ""),
    ('files = ["t_2031-0?.xlsx", "t_2031-12.xlsx"]', "expected the file t_2031-12.xlsx: it was not read"),
    ('sheets = ["North", "Outer"]', "expected the sheet Outer"),
]  # fmt: skip


@pytest.mark.parametrize(("expect", "said"), EXPECTED)
def test_what_a_plan_expects_is_checked(year: Path, expect: str, said: str) -> None:
    (year / "control.csv").write_text("route,total\nNorth,1494\nSouth,1530\n")
    run = plan(year, last=f"[table.traffic.expect]\n{expect}").run()
    assert run.holds == (not said)
    assert said in " ".join(run.proof.failures)
    assert run.proof.to_plain()["expectations"]


def test_a_missing_month_is_found(year: Path) -> None:
    (year / "in/t_2031-02.xlsx").unlink()
    run = plan(year, last='[table.traffic.expect]\nno_gaps = "month"').run()
    assert run.proof.failures == ("expected no gap in month: there is no 2031-02",)


def test_an_expectation_of_an_unknown_column_is_refused(year: Path) -> None:
    with pytest.raises(kb.PlanError, match="Expect names 'rout', which is no column"):
        plan(year, last='[table.traffic.expect]\nkey = ["rout"]').run()


# --- what changed since ------------------------------------------------------------------------------------------


def drifted(folder: Path) -> Drift:
    run = plan(
        folder, last='[table.traffic.expect]\nrows = {within = 0.9}\nkey = ["route", "month", "Sailing", "class"]'
    ).run()
    run.write(accept=True)
    return run.drift[0] if run.drift else pytest.fail("there was no run before")


def test_the_next_run_says_what_is_otherwise(year: Path) -> None:
    plan(year).run().write(accept=True)
    returns(year / "in/t_2031-04.xlsx", by=13, classes=(*CLASSES, "Bicycles"), sheets=("North", "South", "Outer"))
    book = openpyxl.load_workbook(year / "in/t_2031-02.xlsx")
    book["South"]["C5"] = 99
    book.save(year / "in/t_2031-02.xlsx")
    returns(year / "in/t_2031-01.xlsx", title=2)
    found = drifted(year)
    assert found.rows == (72, 72 + 48)
    assert [str(one) for one in found.unexpected] == [
        "sheet: new Outer",
        "label: class: new 'Bicycles'",
        "restated: carried: 1 value has changed",
    ]
    assert found.unexpected[-1].details == ("South, 2031-02, 09:00, Cars: 37 -> 99 (South C5)",)
    assert [one.what for one in found.changes if one.expected] == ["month: goes on from 2031-03 to 2031-04"]


def test_labels_rows_and_sheets_that_are_gone_are_said(year: Path) -> None:
    plan(year).run().write()
    returns(year / "in/t_2031-02.xlsx", by=11, times=TIMES[1:])
    (year / "in/t_2031-03.xlsx").unlink()
    said = [str(one) for one in drifted(year).unexpected]
    assert "period: month: ends with 2031-02, and went to 2031-03 before" in said
    assert any(
        one.startswith("rows: 6 rows are gone though their labels are not: North, 2031-02, 07:15, Foot") for one in said
    )


def test_figures_that_moved_are_said(tmp_path: Path) -> None:
    returns(tmp_path / "in/t_2031-01.xlsx")
    plan(tmp_path).run().write()
    returns(tmp_path / "in/t_2031-01.xlsx", title=3)
    (change, *rest) = drifted(tmp_path).changes
    assert change.what == "2 sheets: figures begin elsewhere"
    assert change.details[0] == "North: its figures begin at B6, they began at B4"
    assert not rest


def test_the_command_compares_reports_and_outputs(year: Path) -> None:
    done = kebrin(year, "drift", "in/t_2031-01.xlsx", "in/t_2031-02.xlsx")
    assert done.returncode == 0
    assert "restated: value: 24 values have changed" in done.stdout
    plain = json.loads(kebrin(year, "drift", "in/t_2031-01.xlsx", "in/t_2031-02.xlsx", "--json").stdout)
    assert len(plain["tables"][0]["changes"][0]["details"]) == 24


# --- again, cheaply, and by many ---------------------------------------------------------------------------------


def test_nothing_is_done_where_nothing_changed_and_only_changed_files_are_read(year: Path) -> None:
    plan(year)
    assert kebrin(year, "run", "traffic.plan.toml", "--if-changed").returncode == 0
    before = (year / "out/traffic.csv").stat().st_mtime_ns
    again = kebrin(year, "run", "traffic.plan.toml", "--if-changed")
    assert "Nothing has changed since the last run: the plan, 3 files" in again.stdout
    assert (year / "out/traffic.csv").stat().st_mtime_ns == before
    returns(year / "in/t_2031-03.xlsx", by=50)
    third = kebrin(year, "run", "traffic.plan.toml", "--if-changed")
    assert third.returncode == 0, third.stderr
    assert "24 values have changed" in third.stdout
    assert len(list((year / "kept").glob("*.part"))) == 4


def awaited(holds: Callable[[], bool], seconds: float = 60) -> bool:
    """Whether something comes true in time."""
    ends = time.monotonic() + seconds
    while time.monotonic() < ends:
        if holds():
            return True
        time.sleep(0.1)
    return False


@pytest.mark.skipif(os.name == "nt", reason="an interrupt is sent otherwise there")
def test_a_watch_runs_again_when_a_file_changes_and_ends_when_told_to(year: Path) -> None:
    plan(year)
    env = os.environ | {"KEBRIN_KEEP": str(year / "kept")}
    words = [sys.executable, "-m", "kebrin", "run", "traffic.plan.toml", "--watch"]
    told = year / "told.log"
    with told.open("w") as err, (year / "out.log").open("w") as out:
        running = subprocess.Popen(words, cwd=year, env=env, stdout=out, stderr=err)
    try:
        assert awaited(lambda: "Watching for changes" in told.read_text()), told.read_text()
        first = (year / "out/traffic.csv").read_bytes()
        returns(year / "in/t_2031-03.xlsx", by=50)
        assert awaited(lambda: (year / "out/traffic.csv").read_bytes() != first), told.read_text()
        assert awaited(lambda: "24 values have changed" in (year / "out.log").read_text())
        (year / "in/t_2031-03.xlsx").write_bytes(b"PK cut short")  # a bad file is told, and the watch goes on
        assert awaited(lambda: "t_2031-03" in told.read_text() or "set aside" in (year / "out.log").read_text())
        assert running.poll() is None
    finally:
        running.send_signal(signal.SIGINT)
        code = running.wait(30)
    assert code == 0, told.read_text()
    assert told.read_text().endswith("Watching ended\n")
    assert "Nothing has changed" not in (year / "out.log").read_text()


@pytest.mark.parametrize("how", ["cut", "foreign", "version"])
def test_a_damaged_cache_is_made_again(year: Path, how: str) -> None:
    plan(year)
    kebrin(year, "run", "traffic.plan.toml", "--if-changed")
    first = (year / "out/traffic.csv").read_bytes()
    for part in (year / "kept").glob("*.part"):
        content = part.read_bytes()
        part.write_bytes({"cut": content[:-9], "foreign": b"zz", "version": content.replace(b"part 1", b"part 9")}[how])
    memory = next((year / "kept/runs").iterdir())
    memory.write_text("{")
    assert kebrin(year, "run", "traffic.plan.toml", "--if-changed").returncode == 0
    assert (year / "out/traffic.csv").read_bytes() == first


def test_workers_give_the_same_bytes(year: Path) -> None:
    plan(year)
    kebrin(year, "run", "traffic.plan.toml")
    first = (year / "out/traffic.csv").read_bytes(), (year / "out/traffic.csv.proof.json").read_bytes()
    (year / "out/traffic.csv").unlink()
    done = kebrin(year, "run", "traffic.plan.toml", "--workers", "2")
    assert done.returncode == 0, done.stderr
    assert ((year / "out/traffic.csv").read_bytes(), (year / "out/traffic.csv.proof.json").read_bytes()) == first
    alone = kb.tidy(*sorted((year / "in").iterdir()))
    crowd = kb.tidy(*sorted((year / "in").iterdir()), workers=2)
    (one,), (other,) = alone.tables.values(), crowd.tables.values()
    assert one.data.equals(other.data)
    assert one.origin(70) == other.origin(70)


def test_the_work_of_a_worker_that_died_is_done_again(tmp_path: Path) -> None:
    from kebrin.work.crews import crew_of
    from kebrin.work.gathering import Aside, gather

    with crew_of(2) as crew:
        found = list(gather([tmp_path / name for name in "abcde"], die_once, crew=crew))
    assert [one for one in found if isinstance(one, str)] == ["a", "b", "c", "e"]
    aside = found[3]
    assert isinstance(aside, Aside)
    assert "died" in aside.said


class Fragile(Executor):
    """Takes three tasks and then no more, as a pool does one of whose workers has died."""

    def __init__(self) -> None:
        self.taken = 0

    def submit(self, fn: Any, /, *args: Any, **kwargs: Any) -> Future[Any]:
        self.taken += 1
        if self.taken > 3:
            raise BrokenExecutor
        done: Future[Any] = Future()
        done.set_result(fn(*args, **kwargs))
        return done


class FragileCrew:
    def executor(self) -> Executor:
        return Fragile()

    renew = executor


def test_files_that_a_broken_pool_did_not_take_are_given_to_the_next() -> None:
    paths = [Path(str(number)) for number in range(20)]
    assert list(gather(paths, str, crew=FragileCrew())) == [str(path) for path in paths]


def test_workers_and_a_scheduler_exclude_each_other(year: Path) -> None:
    plan(year)
    done = kebrin(year, "run", "traffic.plan.toml", "--workers", "2", "--scheduler", "tcp://127.0.0.1:1")
    assert done.returncode == 2
    assert "Name workers or a scheduler, not both" in done.stderr


CLUSTER = """
import os, signal, sys, threading, time
from collections import OrderedDict
from pathlib import Path
from distributed import LocalCluster
import kebrin as kb

if __name__ == "__main__":
    folder = Path(sys.argv[1])
    reports = sorted((folder / "in").iterdir())
    with LocalCluster(n_workers=2, threads_per_worker=1, processes=True, dashboard_address="", protocol="tcp://") as cluster:
        victim = next(iter(cluster.workers.values()))
        threading.Timer(1.0, lambda: os.kill(victim.process.pid, signal.SIGKILL)).start()
        run = kb.tidy(*reports, scheduler=cluster.scheduler_address)
        run.write({name: folder / "crowd.parquet" for name in run.tables})
"""


def test_a_cluster_gives_the_same_bytes_also_when_a_worker_is_killed(tmp_path: Path) -> None:
    for at in range(24):
        returns(tmp_path / f"in/t_{2031 + at // 12}-{at % 12 + 1:02d}.xlsx", by=at + 3)
    run = kb.tidy(*sorted((tmp_path / "in").iterdir()))
    run.write(dict.fromkeys(run.tables, tmp_path / "alone.parquet"))
    (tmp_path / "crowd.py").write_text(CLUSTER)
    done = subprocess.run(
        [sys.executable, str(tmp_path / "crowd.py"), str(tmp_path)],
        capture_output=True,
        text=True,
        check=False,
        timeout=120,
    )
    assert done.returncode == 0, done.stderr[-2000:]
    assert (tmp_path / "crowd.parquet").read_bytes() == (tmp_path / "alone.parquet").read_bytes()


def test_a_scheduler_that_does_not_answer_is_told(year: Path) -> None:
    plan(year)
    done = kebrin(year, "run", "traffic.plan.toml", "--scheduler", "tcp://127.0.0.1:9")
    assert done.returncode == 2
    assert "no scheduler answers at 'tcp://127.0.0.1:9'" in done.stderr.replace("No scheduler", "no scheduler")


def test_a_source_whose_column_is_empty_stands_out(logs: Path) -> None:
    head = ["Sailing", "Ship", "Cars", "Note"]
    records(logs / "in/c.xlsx", [head, ["N7", "Gull", 3, None], ["N8", "Skua", 4, None], ["N9", "Tern", 5, None]])
    (logs / "log.plan.toml").write_text(LIST_PLAN.format(more=""), "utf-8")
    run = kb.load_plan(logs / "log.plan.toml").run()
    said = [remark.what for remark in run.proof.remarks if remark.kind == "empty column"]
    assert said == ["Note is empty on nearly all rows of Sheet of c.xlsx, and filled elsewhere"]
    rows = {
        one["file"].rpartition("/")[2]: (one["rows"], one["filled"]["Note"])
        for one in run.proof.to_plain()["by source"]
    }
    assert rows == {"a.xlsx": (3, 1.0), "b.xlsx": (3, 1.0), "c.xlsx": (3, 0.0)}


# --- sheets of one form ------------------------------------------------------------------------------------------


def test_a_form_that_is_known_is_held_to_and_gives_the_same(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from kebrin.work import known_sheets

    paths = [
        returns(tmp_path / f"in/t_2031-{month:02d}.xlsx", by=month, sheets=("North", "South", "Outer"))
        for month in (1, 2, 3)
    ]
    held: list[object] = []
    known = known_sheets.recall
    monkeypatch.setattr(known_sheets, "_known", OrderedDict())

    def noted(*words: Any) -> Any:
        found = known(*words)
        held.append(found)
        return found

    monkeypatch.setattr("kebrin.work.weighing.recall", noted)
    quick = kb.tidy(*paths)
    assert sum(one is not None for one in held) == 8
    monkeypatch.setattr("kebrin.work.weighing.recall", lambda *_: None)
    slow = kb.tidy(*paths)
    (one,), (other,) = quick.tables.values(), slow.tables.values()
    assert one.data.equals(other.data)
    assert [str(one.origin(row)) for row in range(108)] == [str(other.origin(row)) for row in range(108)]
    assert quick.proof.to_plain() == slow.proof.to_plain()


@pytest.mark.parametrize("change", ["label", "total", "word", "moved"])
def test_a_sheet_that_is_otherwise_is_worked_out_in_full(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, change: str
) -> None:
    from kebrin.work import known_sheets

    monkeypatch.setattr(known_sheets, "_known", OrderedDict())
    first = returns(tmp_path / "in/t_2031-01.xlsx", sheets=("North",))
    path = returns(tmp_path / "in/t_2031-02.xlsx", sheets=("North",), by=7)
    book = openpyxl.load_workbook(path)
    sheet = book["North"]
    if change == "label":
        sheet["A7"] = "Total"
        for column in "BCD":
            sheet[f"{column}7"] = sum(sheet[f"{column}{row}"].value for row in (4, 5, 6))
    elif change == "total":
        sheet["A7"] = "All sailings together"
        for column in "BCD":
            sheet[f"{column}7"] = sum(sheet[f"{column}{row}"].value for row in (4, 5, 6))
    elif change == "word":
        sheet["C5"] = "closed"
    else:
        sheet.insert_rows(1)
    book.save(path)
    alone = kb.tidy(path)
    (whole,) = alone.tables.values()
    monkeypatch.setattr(known_sheets, "_known", OrderedDict())
    kb.tidy(first)
    again = kb.tidy(path)
    (other,) = again.tables.values()
    assert whole.data.equals(other.data)
    assert alone.proof.to_plain() == again.proof.to_plain()
