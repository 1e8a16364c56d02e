"""What holds when things go wrong around a run: formulas in values, outputs elsewhere, two runs at once, stops, full disks."""

from __future__ import annotations

import errno
import hashlib
import json
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest
from filelock import FileLock

import kebrin as kb
from kebrin.deliver import locks
from kebrin.deliver.locks import held
from kebrin.errors import OutputError, SourceError
from kebrin.sources import read

if TYPE_CHECKING:
    from collections.abc import Callable

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

NOTES = 'Ship,Note,Jan\nGull,"=HYPERLINK(""x"")",1\nTern,ok,-2\nSkua,\t@a,3\n'
PLAN = 'kebrin = 1\n[table.t]\nfiles = "in.csv"\n[[output]]\ntable = "t"\nfile = "{file}"\n'
FEES = "Port,Jan,Feb\nBrae,1,2\nNess,3,4\n"


def test_texts_like_formulas_are_told_and_guarded_if_asked(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "in.csv").write_text(NOTES)
    told = kebrin("tidy", "in.csv", "-o", "out.csv")
    assert "2 texts (Note) begin as formulas do" in " ".join(told.stdout.split())
    assert kebrin("tidy", "in.csv", "-o", "safe.csv", "--guard").returncode == 0
    safe = (tmp_path / "safe.csv").read_text()
    assert "'=HYPERLINK" in safe
    assert ",-2" in safe
    assert "'ok" not in safe


def test_an_output_that_leaves_the_folder_is_said_and_refused_if_asked(tmp_path: Path, kebrin: Kebrin) -> None:
    inner = tmp_path / "plans"
    inner.mkdir()
    (inner / "in.csv").write_text(FEES)
    (inner / "link").symlink_to(tmp_path)
    for file in ("../out.csv", "link/other.csv"):
        (inner / "p.toml").write_text(PLAN.format(file=file))
        refused = kebrin("run", "plans/p.toml", "--inside")
        assert refused.returncode == 2
        assert "would leave the plan's folder" in refused.stderr
        assert "outside of the plan's folder" in " ".join(kebrin("run", "plans/p.toml").stdout.split())


def test_pipes_and_devices_get_a_clear_word(tmp_path: Path, kebrin: Kebrin) -> None:
    os.mkfifo(tmp_path / "pipe.csv")
    with pytest.raises(SourceError, match="a pipe or a device"):
        read(tmp_path / "pipe.csv")
    (tmp_path / "in.csv").write_text(FEES)
    done = kebrin("tidy", "in.csv", "-o", "pipe.csv", "--replace")
    assert done.returncode == 2
    assert "an output must be a file" in done.stderr


def test_a_second_run_waits_or_is_told_who_holds_the_output(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("KEBRIN_KEEP", str(tmp_path / "keep"))
    out = tmp_path / "out.csv"
    with held([out]):
        (lock,) = (tmp_path / "keep" / "locks").glob("*.lock")
    order: list[str] = []

    def hold_a_while() -> None:
        with FileLock(lock):
            order.append("first")
            time.sleep(0.3)
            order.append("first is done")

    other = threading.Thread(target=hold_a_while)
    other.start()
    while not order:
        time.sleep(0.01)
    with held([out]):
        order.append("second")
    other.join()
    assert order == ["first", "first is done", "second"]
    monkeypatch.setattr(locks, "SECONDS", 0.05)
    with FileLock(lock), pytest.raises(OutputError, match=rf"process {os.getpid()} has held it"), held([out]):
        pass
    assert {path.name for path in tmp_path.iterdir()} == {"keep"}  # no lock stands beside an output


@pytest.mark.parametrize("sent", [signal.SIGTERM, signal.SIGHUP])
def test_a_request_to_end_leaves_nothing_half_done(tmp_path: Path, sent: signal.Signals) -> None:
    rows = "".join(f"2031-01-{at % 28 + 1:02},P{at},{at},{at * 2}\n" for at in range(200_000))
    (tmp_path / "in.csv").write_text("day,port,a,b\n" + rows)
    words = [sys.executable, "-m", "kebrin", "tidy", "in.csv", "-o", "out.xlsx"]
    process = subprocess.Popen(words, cwd=tmp_path, stderr=subprocess.PIPE, stdout=subprocess.DEVNULL, text=True)
    time.sleep(2.5)
    process.send_signal(sent)
    _, told = process.communicate(timeout=30)
    assert process.returncode == 128 + sent, told  # a workbook of so many rows takes longer than that
    assert "stopped; no output was changed" in told
    assert {path.name for path in tmp_path.iterdir()} == {"in.csv"}


def test_a_log_has_no_words_of_cells_unless_asked(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "in.csv").write_text("Port,Jan,Feb\nSecretPort,1,2\nNess,3,4\nTotal,4,7\n")
    assert kebrin("--log", "log.jsonl", "tidy", "in.csv", "-o", "out.csv").returncode == 4
    assert kebrin("--log", "log.jsonl", "tidy", "SecretPort.csv", "-o", "out.csv").returncode == 3
    lines = [json.loads(line) for line in (tmp_path / "log.jsonl").read_text().splitlines()]
    assert [line["event"] for line in lines] == [
        "begun",
        "reads",
        "written",
        "ended",
        "begun",
        "reads",
        "error",
        "ended",
    ]
    assert lines[0]["command"] == "tidy"
    assert lines[3]["code"] == 4
    assert "what" not in lines[6]
    kebrin("--log", "more.jsonl", "--log-values", "tidy", "none.csv", "-o", "out.csv")
    assert any(
        json.loads(line).get("what") == "no such file" for line in (tmp_path / "more.jsonl").read_text().splitlines()
    )


def test_a_plan_that_is_no_plan_by_its_length_is_refused(tmp_path: Path, limited: Callable[[str], None]) -> None:
    limited("plan=100")
    (tmp_path / "p.toml").write_text(PLAN.format(file="o.csv") + "#" * 100)
    with pytest.raises(kb.PlanError, match="the limit 'plan' is 100"):
        kb.load_plan(tmp_path / "p.toml")


def faults(monkeypatch: pytest.MonkeyPatch, name: str, which: int) -> list[int]:
    """Have the n-th call of one of the system's functions fail as a full disk does; how often it was called is counted."""
    calls = [0]
    real = getattr(os, name)

    def failing(*arguments: Any, **named: Any) -> Any:
        calls[0] += 1
        if calls[0] == which:
            raise OSError(errno.ENOSPC, "No space left on device")
        return real(*arguments, **named)

    monkeypatch.setattr(os, name, failing)
    return calls


@pytest.mark.parametrize("name", ["replace", "fsync", "open", "close", "chmod"])
@pytest.mark.parametrize("which", range(1, 7))
def test_whichever_call_of_the_system_fails_the_old_pair_stands_or_the_new_one_does(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str, which: int
) -> None:
    source, out = tmp_path / "in.csv", tmp_path / "out" / "out.csv"
    source.write_text(FEES)
    kb.tidy(source).write({"in": out})
    before = {path.name: path.read_bytes() for path in out.parent.iterdir()}
    source.write_text(FEES.replace("4", "5"))
    run = kb.tidy(source)
    with monkeypatch.context() as patch:
        calls = faults(patch, name, which)
        try:
            run.write({"in": out})
            failed = False
        except OutputError:
            failed = True
    kb.tidy(source).write({"in": tmp_path / "out" / "other.csv"})  # the next run mends what a fault left
    after = {path.name: path.read_bytes() for path in out.parent.iterdir() if not path.name.startswith("other")}
    assert set(after) == set(before)
    assert json.loads(after["out.csv.proof.json"])["output"]["sha256"] == digest_of(after["out.csv"])
    assert not failed or calls[0] >= which


def digest_of(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()


def test_no_code_path_but_fetching_opens_a_connection(demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def refuse(*_: object, **__: object) -> None:
        raise AssertionError("a connection was asked for")

    monkeypatch.setattr(socket, "socket", refuse)
    monkeypatch.setattr(socket, "create_connection", refuse)
    for name in ("traffic_2031.xlsx", "dues.prn", "berths.html", "fuel.ods", "tides.pdf", "refunds_skarrow.csv"):
        assert kb.tidy(demo / name).tables
    assert kb.load_plan(demo / "traffic.plan.toml").run().holds


LITTLE = """
import resource, sys
from pathlib import Path
from kebrin.cli import main, tidying
tidying.tidy(["small.csv"], Path("out.csv"))  # all that is needed is loaded, and an old pair stands
pages = int(Path("/proc/self/statm").read_text().split()[0])
most = pages * resource.getpagesize() + (24 << 20)
resource.setrlimit(resource.RLIMIT_AS, (most, most))
sys.argv = ["kebrin", "tidy", "large.json", "-o", "out.csv"]
main()
"""


@pytest.mark.skipif(not Path("/proc/self/statm").exists(), reason="the room in use can't be told")
def test_little_memory_is_told_and_the_old_pair_stands(tmp_path: Path) -> None:
    (tmp_path / "small.csv").write_text("port,cars\nBrae,1\nWick,2\n")
    rows = [{"port": f"P{at}", **{f"c{k}": at * k % 997 for k in range(30)}} for at in range(30_000)]
    (tmp_path / "large.json").write_text(json.dumps(rows))
    done = subprocess.run(
        [sys.executable, "-c", LITTLE], cwd=tmp_path, capture_output=True, text=True, check=False, timeout=120
    )
    assert done.returncode not in {0, -9}, done.stdout[-500:]
    assert "memory" in done.stderr, done.stderr[-2000:]
    assert "Traceback" not in done.stderr, done.stderr[-2000:]
    assert (tmp_path / "out.csv").read_text() == "port,cars\nBrae,1\nWick,2\n"
    assert {path.name for path in tmp_path.iterdir()} == {"small.csv", "large.json", "out.csv", "out.csv.proof.json"}


def test_inside_holds_for_databases(tmp_path: Path, kebrin: Kebrin) -> None:
    inner = tmp_path / "plans"
    inner.mkdir()
    (inner / "in.csv").write_text(FEES)
    plan = PLAN.format(file="out.csv")

    def run(said: str) -> kb.Run:
        (inner / "p.toml").write_text(plan.replace('file = "out.csv"', f'database = "{said}"'))
        return kb.load_plan(inner / "p.toml").run()

    for said in ("sqlite:///../out.db", f"sqlite:///{tmp_path / 'out.db'}", "postgresql://books/x", "sqlite://"):
        with pytest.raises(kb.OutputError, match="leave the plan's folder"):
            run(said).write(inside=True)
    assert kebrin("run", "plans/p.toml", "--inside").returncode == 2
    assert not (tmp_path / "out.db").exists()
    run("sqlite:///own.db").write(inside=True)
    assert (inner / "own.db").exists()


def test_logs_and_pages_leave_sources_alone(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "in.csv").write_text(FEES)
    done = kebrin("--log", "in.csv", "tidy", "in.csv", "-o", "out.csv")
    assert done.returncode == 2
    assert "the log would be added to another file" in done.stderr
    assert (tmp_path / "in.csv").read_text() == FEES
    assert kebrin("tidy", "in.csv", "-o", "out.csv", "--page", "page.html").returncode == 0
    page = (tmp_path / "page.html").read_bytes()
    again = kebrin("tidy", "page.html", "-o", "page.csv", "--page", "page.html", "--accept")
    assert "written over a source" in again.stderr
    assert (tmp_path / "page.html").read_bytes() == page


def test_parts_are_not_kept_where_others_may_write(
    tmp_path: Path, kebrin: Kebrin, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "in.csv").write_text(FEES)
    (tmp_path / "p.toml").write_text(PLAN.format(file="out.csv"))
    kept = tmp_path / "kept"
    kept.mkdir()
    kept.chmod(0o777)
    monkeypatch.setenv("KEBRIN_KEEP", str(kept))
    done = kebrin("run", "p.toml", "--if-changed")
    assert done.returncode == 2
    assert "parts are not kept where others may write" in done.stderr
    kept.chmod(0o700)
    assert kebrin("run", "p.toml", "--if-changed").returncode == 0


def test_the_folder_of_kept_parts_is_the_users_own_from_the_first_run_on(
    tmp_path: Path, kebrin: Kebrin, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "in.csv").write_text(FEES)
    (tmp_path / "p.toml").write_text(PLAN.format(file="out.csv"))
    monkeypatch.setenv("KEBRIN_KEEP", str(tmp_path / "kept"))
    before = os.umask(0o002)  # as where each user has a group of their own
    try:
        assert kebrin("run", "p.toml").returncode == 0
        done = kebrin("run", "p.toml", "--if-changed")
    finally:
        os.umask(before)
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "kept").stat().st_mode & 0o077 == 0


def test_a_page_that_is_refused_leaves_no_output(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "in.csv").write_text(FEES)
    (tmp_path / "p.toml").write_text(PLAN.format(file="out.csv"))
    for words in (("tidy", "in.csv", "-o", "out.csv"), ("run", "p.toml")):
        assert kebrin(*words, "--page", "in.csv").returncode == 2
        assert not (tmp_path / "out.csv").exists()
    assert (tmp_path / "in.csv").read_text() == FEES
