"""Lists behind HTTP, against the stand-in service on loopback: paging, limits, retries, and the account beside the file."""

from __future__ import annotations

import json
from dataclasses import replace
from http.server import BaseHTTPRequestHandler, HTTPServer
from threading import Thread
from typing import TYPE_CHECKING, Any, ClassVar

import pytest

import kebrin as kb
from kebrin.deliver.fetching import fetch
from kebrin.demo.service import CALLS, calls, serving
from kebrin.errors import KebrinError, OutputError, PlanError, SourceError
from kebrin.sources import services
from kebrin.sources.services import Service, listed

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable, Iterator
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    with serving() as found:
        yield found


def no_wait(_: float) -> None:
    pass


@pytest.mark.parametrize("path", ["calls", "linked"])
def test_pages_are_followed_by_a_member_or_a_header(address: str, path: str) -> None:
    found = listed(Service(f"{address}/{path}"))
    assert found.records == calls()
    assert (found.sizes, found.stated, found.lacks, found.asks) == ([50, 50, 20], CALLS, (), ())


def test_a_fetched_list_is_tidied_with_its_account(address: str, tmp_path: Path) -> None:
    done = fetch(Service(f"{address}/calls"), tmp_path / "calls.json")
    run = kb.tidy(done.path)
    table = run.tables["calls"]
    assert run.holds
    assert [row["dues"] for row in table.data.to_pylist()] == [one["dues"] for one in calls()]
    assert any("120 records of 120 stated, pages: 3" in remark.what for remark in run.proof.remarks)


def test_delimited_pages_make_one_file_with_one_heading(address: str, tmp_path: Path) -> None:
    done = fetch(Service(f"{address}/calls.csv"), tmp_path / "calls.csv")
    assert len(done.path.read_text().splitlines()) == CALLS + 1
    assert kb.tidy(done.path).holds


def test_fewer_records_than_stated_are_held_back(address: str, tmp_path: Path) -> None:
    good = fetch(Service(f"{address}/calls"), tmp_path / "calls.json").path.read_bytes()
    done = fetch(Service(f"{address}/short"), tmp_path / "calls.json")
    assert done.path.name == "calls.unproved.json"
    assert done.listed.lacks == ("the service says 127 records, and 120 came",)
    assert (tmp_path / "calls.json").read_bytes() == good
    assert not kb.tidy(done.path).holds


def test_a_length_that_looks_like_a_limit_is_a_question(address: str, tmp_path: Path) -> None:
    done = fetch(Service(f"{address}/ceiling"), tmp_path / "calls.json")
    (asked,) = done.listed.asks
    assert asked.startswith("exactly 100 records came")
    remarks = kb.tidy(done.path).proof.remarks
    assert any(remark.kind == "question" and "may be cut at a limit" in remark.what for remark in remarks)


def test_a_busy_service_is_asked_again_after_a_while(address: str) -> None:
    waits: list[float] = []
    assert len(listed(Service(f"{address}/busy"), sleep=waits.append).records) == CALLS
    assert waits == [0.5, 1.0]


BAD: list[tuple[str, dict[str, Any], type[KebrinError], str]] = [
    ("again", {}, SourceError, "same page again"),
    ("turning", {}, SourceError, "same page again"),
    ("elsewhere", {}, SourceError, "the next page is said to be elsewhere"),
    ("page", {}, SourceError, "a page for people"),
    ("cut", {}, SourceError, "cut or no JSON"),
    ("broken", {}, SourceError, "answers 500, tried 4 times"),
    ("private", {}, SourceError, "does not let us in"),
    ("nowhere", {}, SourceError, "answers 404"),
    ("calls", {"pages": 2}, SourceError, "more pages than are taken"),
    ("calls", {"records": "rows"}, SourceError, "no list there"),
    ("calls", {"seconds": 0.0}, SourceError, "too long"),
]


@pytest.mark.parametrize(("path", "options", "kind", "said"), BAD)
def test_what_a_service_does_wrong_is_told(
    address: str, path: str, options: dict[str, Any], kind: type[KebrinError], said: str
) -> None:
    with pytest.raises(kind, match=said):
        listed(replace(Service(f"{address}/{path}"), **options), sleep=no_wait)


def test_a_service_that_is_not_there_and_a_wrong_address_are_told() -> None:
    with pytest.raises(SourceError, match="no answer"):
        listed(Service("http://127.0.0.1:9/calls"), sleep=no_wait)
    with pytest.raises(PlanError, match="no address of a list"):
        listed(Service("file:///etc/hosts"))


def test_too_many_bytes_are_refused(address: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(services, "MOST_BYTES", 1000)
    with pytest.raises(SourceError, match="too large"):
        listed(Service(f"{address}/calls"))


def test_a_secret_comes_from_the_environment(address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    service = Service(f"{address}/private", headers={"Authorization": "env:HARBOUR_TOKEN"})
    with pytest.raises(PlanError, match="HARBOUR_TOKEN is not set"):
        fetch(service, tmp_path / "calls.json")
    monkeypatch.setenv("HARBOUR_TOKEN", "Bearer made-up")
    assert fetch(service, tmp_path / "calls.json").listed.sizes == [3]


def test_a_file_of_ones_own_is_not_replaced(address: str, tmp_path: Path) -> None:
    (tmp_path / "calls.json").write_text("mine")
    with pytest.raises(OutputError, match="was not fetched"):
        fetch(Service(f"{address}/calls"), tmp_path / "calls.json")
    with pytest.raises(OutputError, match="name says something else"):
        fetch(Service(f"{address}/calls"), tmp_path / "calls.csv")


def test_the_command_tells_what_came(address: str, tmp_path: Path, kebrin: Kebrin) -> None:
    done = kebrin("fetch", f"{address}/calls", "-o", "calls.json")
    assert done.returncode == 0, done.stderr
    assert "120 records" in done.stdout
    assert "stated     120 records" in done.stdout
    short = kebrin("fetch", f"{address}/short", "-o", "calls.json")
    assert short.returncode == 4
    assert "not whole" in short.stderr
    plain = json.loads(kebrin("fetch", f"{address}/ceiling", "-o", "c.json", "--json").stdout)
    assert plain["records"] == 100
    assert "may be cut" in plain["asks"][0]
    assert (tmp_path / "calls.json.fetched.json").is_file()


def test_a_plan_fetches_its_list_first(address: str, tmp_path: Path, kebrin: Kebrin) -> None:
    plan = tmp_path / "calls.plan.toml"
    plan.write_text(
        'kebrin = 1\n[table.calls]\nfiles = "calls.json"\n'
        f'fetch = {{ url = "{address}/calls" }}\n[[output]]\ntable = "calls"\nfile = "out.csv"\n'
    )
    done = kebrin("run", str(plan), "--if-changed")
    assert done.returncode == 0, done.stderr
    assert "Proved" in done.stdout
    assert "Nothing has changed" in kebrin("run", str(plan), "--if-changed").stdout
    plan.write_text(plan.read_text().replace("/calls", "/short"))
    done = kebrin("run", str(plan))
    assert done.returncode == 3
    assert "not whole" in done.stderr


class _Elsewhere(BaseHTTPRequestHandler):
    """Sends whoever asks to another host, and keeps what was sent along."""

    seen: ClassVar[list[str]] = []
    to = ""

    def do_GET(self) -> None:
        self.seen.append(self.headers.get("X-Token", ""))
        self.send_response(302)
        self.send_header("Location", self.to)
        self.end_headers()

    def log_message(self, *_: object) -> None:
        """Nothing is said."""


def test_a_header_stays_with_the_host_that_it_was_stated_for(address: str) -> None:
    server = HTTPServer(("127.0.0.1", 0), _Elsewhere)
    Thread(target=server.serve_forever, daemon=True).start()
    _Elsewhere.to = f"{address}/calls"
    here = f"http://127.0.0.1:{server.server_port}/calls"
    try:
        with pytest.raises(SourceError, match="the service sends elsewhere"):
            listed(Service(here, headers={"X-Token": "secret"}))
    finally:
        server.shutdown()
        server.server_close()
    assert _Elsewhere.seen == ["secret"]


def test_a_plan_takes_only_the_variables_that_it_names(
    address: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, kebrin: Kebrin
) -> None:
    monkeypatch.setenv("HARBOUR_TOKEN", "Bearer made-up")
    text = f"""kebrin = 1
[table.calls]
files = "calls.json"
fetch = {{ url = "{address}/private", headers = {{ Authorization = "env:HARBOUR_TOKEN" }} }}
[[output]]
table = "calls"
file = "calls.csv"
"""
    (tmp_path / "plan.toml").write_text(text, "utf-8")
    with pytest.raises(PlanError, match="line 4: the plan takes 'HARBOUR_TOKEN' from the environment") as told:
        kb.load_plan(tmp_path / "plan.toml")
    assert "environment = ['HARBOUR_TOKEN']" in str(told.value)
    (tmp_path / "plan.toml").write_text(text.replace("= 1\n", '= 1\nenvironment = ["HARBOUR_TOKEN"]\n', 1), "utf-8")
    done = kebrin("run", "plan.toml", "--inside")
    assert done.returncode == 0, done.stderr
    assert "HARBOUR_TOKEN  taken from the environment, as the header Authorization to 127.0.0.1" in done.stdout


def test_inside_holds_for_what_is_fetched(address: str, tmp_path: Path, kebrin: Kebrin) -> None:
    plan = f"""kebrin = 1
[table.calls]
files = "../calls.json"
fetch = {{ url = "{address}/calls" }}
[[output]]
table = "calls"
file = "calls.csv"
"""
    (tmp_path / "plans").mkdir()
    (tmp_path / "plans" / "plan.toml").write_text(plan, "utf-8")
    done = kebrin("run", "plans/plan.toml", "--inside")
    assert done.returncode != 0
    assert "leave the plan's folder" in done.stderr
    assert not (tmp_path / "calls.json").exists()


def test_every_purpose_of_a_variable_is_said(tmp_path: Path) -> None:
    text = """kebrin = 1
environment = "BOOKS"
[table.calls]
files = "calls.json"
fetch = { url = "http://elsewhere.example/calls", headers = { X = "env:BOOKS" } }
[[output]]
table = "calls"
database = "env:BOOKS"
"""
    (tmp_path / "plan.toml").write_text(text, "utf-8")
    taken = kb.load_plan(tmp_path / "plan.toml").model.taken
    assert taken == (("BOOKS", "the header X to elsewhere.example"), ("BOOKS", "the address of a database"))
