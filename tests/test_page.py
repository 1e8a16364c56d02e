"""The proof page: whole in one file, true to the run, safe from what stands in cells, and readable by machines and people."""

from __future__ import annotations

import hashlib
import json
import re
import shutil
import subprocess
from base64 import b64encode
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import pytest
from lxml import html

import kebrin as kb
from kebrin.deliver import page as pages
from kebrin.deliver.page import write_page
from kebrin.errors import OutputError

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]


def parsed(text: str) -> Any:
    return html.document_fromstring(text)


FEES = "Port,Jan,Feb\nBrae,1,2\nNess,3,4\nTotal,4,6\n"


@pytest.fixture(scope="module")
def text() -> str:
    return kb.load_plan(kb.demo_file("traffic.plan.toml")).run().page()


def test_the_page_of_the_demo_says_all_that_the_proof_does(text: str) -> None:
    run = kb.load_plan(kb.demo_file("traffic.plan.toml")).run()
    root = parsed(text)
    assert root.find(".//h1").text_content().split() == ["✓", "Proved:", "nothing", "was", "lost"]
    said = root.text_content()
    assert "1,267 rows" in said
    for line in (str(line) for ledger in run.proof.ledgers for line in ledger.lines):
        assert line in said
    assert len(root.findall(".//div[@class='wide map']")) == 6
    assert len(text) < 400_000


def test_every_cell_is_drawn_with_what_became_of_it(text: str) -> None:
    root = parsed(text)
    counts = kb.load_plan(kb.demo_file("traffic.plan.toml")).run().proof.counts
    drawn: dict[str, int] = {}
    for cell in root.iterfind(".//div[@class='wide map']//td[@class]"):
        drawn[cell.get("class", "")] = drawn.get(cell.get("class", ""), 0) + 1
    assert drawn["v"] == counts["used as values"]
    assert sum(drawn.values()) == sum(counts.values())
    assert "u" not in drawn


def test_sample_values_lead_to_their_cells(text: str) -> None:
    root = parsed(text)
    links = root.xpath("//section[@id='table-0']//a[starts-with(@href, '#s')]")
    assert len(links) == 8
    for link in links:
        (cell,) = root.xpath(f"//td[@id='{link.get('href')[1:]}']")
        assert cell.text_content().split("*")[0].strip() == link.text_content()
        said = json.loads(cell.getparent().getparent().getparent().getparent().get("data-said"))
        assert said[int(cell.get("data-s"))] == "a value of carried in traffic"


def test_nothing_is_loaded_and_only_its_own_script_and_style_may_run(text: str) -> None:
    root = parsed(text)
    assert not root.xpath("//@src | //link | //iframe | //img | //@onclick | //@style")
    assert all(one.startswith("#") for one in root.xpath("//@href"))
    (policy,) = root.xpath("//meta[@http-equiv='Content-Security-Policy']/@content")
    assert "default-src 'none'" in policy
    for name in ("style", "script"):
        own = root.find(f".//{name}").text
        assert f"sha256-{b64encode(hashlib.sha256(own.encode()).digest()).decode()}" in policy


def test_tables_have_captions_and_headings_and_the_page_its_parts(text: str) -> None:
    root = parsed(text)
    assert root.get("lang") == "en"
    assert len(root.findall(".//h1")) == 1
    for table in root.iterfind(".//table"):
        assert table.find("caption") is not None
        assert table.xpath(".//th[@scope]")
    levels = [int(one.tag[1]) for one in root.xpath("//h1 | //h2 | //h3")]
    assert all(after - before <= 1 for before, after in pairwise(levels))


def test_what_stands_in_cells_can_do_nothing(tmp_path: Path) -> None:
    evil = "<script>alert(1)</script>\"'><img src=x onerror=alert(1)>"
    path = tmp_path / "in.csv"
    path.write_text(f'Port,"{evil.replace(chr(34), chr(34) * 2)}",Feb\nBrae </td><td>,1,2\n&lt;b&gt;,3,4\n')
    root = parsed(kb.tidy(path).page())
    assert len(root.findall(".//script")) == 1
    assert not root.findall(".//img")
    assert evil[:8] in root.text_content()
    assert "&lt;b&gt;" in root.text_content()


def test_a_sheet_that_runs_across_is_drawn_as_it_lies(tmp_path: Path) -> None:
    heads = ["Vessel", "Built", "Home port", "Crew"]
    across = [[head, *values] for head, values in zip(heads, (
        ["Auk", "Gull", "Tern"], ["1998", "1985", "2020"], ["Wick", "Brae", "Wick"], ["8", "9", "3"]), strict=True)]  # fmt: skip
    (tmp_path / "in.csv").write_text("".join(",".join(line) + "\n" for line in across))
    run = kb.tidy(tmp_path / "in.csv")
    assert run.holds
    classes = [one.get("class") for one in parsed(run.page()).xpath("//div[@class='wide map']//tbody/tr[2]/td")]
    assert classes[1:] == ["v", "v", "v"]


def test_a_page_without_values_shows_none(tmp_path: Path) -> None:
    path = tmp_path / "in.csv"
    path.write_text("Secretport,Jan,Feb\nBraehead,7351,2\nNessmore,3,9004\nTotal,7354,9005\n")
    run = kb.tidy(path)
    assert not run.holds
    said = run.page(values=False)
    for word in ("Braehead", "7351", "9004", "Nessmore", "9,006"):
        assert word in run.page()
        assert word not in said


def test_open_questions_and_failures_come_first(tmp_path: Path) -> None:
    path = tmp_path / "in.csv"
    path.write_text(FEES.replace("Total,4", "Total,5"))
    root = parsed(kb.tidy(path).page())
    assert "Not proved" in root.find(".//h1").text_content()
    assert "states 5" in root.xpath("//section[@id='open']")[0].text_content()


def test_the_commands_write_it_and_replace_only_their_own(tmp_path: Path, kebrin: Kebrin) -> None:
    (tmp_path / "in.csv").write_text(FEES)
    done = kebrin("tidy", "in.csv", "-o", "out.csv", "--page", "proof.html")
    assert done.returncode == 0, done.stderr
    assert "proof.html  the proof as a page" in done.stdout
    assert kebrin("tidy", "in.csv", "-o", "out.csv", "--page", "proof.html").returncode == 0
    (tmp_path / "mine.html").write_text("<p>mine")
    with pytest.raises(OutputError, match="no proof page"):
        write_page("x", tmp_path / "mine.html")
    hidden = kebrin("tidy", "in.csv", "-o", "out.csv", "--page", "p2.html", "--page-without-values")
    assert hidden.returncode == 0
    assert "Brae" not in (tmp_path / "p2.html").read_text()


def test_many_cells_are_drawn_up_to_a_limit(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pages, "MOST_CELLS", 10)
    (tmp_path / "in.csv").write_text(FEES)
    text = kb.tidy(tmp_path / "in.csv").page()
    assert "wide map" not in re.sub(r"<style>.*?</style>", "", text, flags=re.DOTALL)


@pytest.mark.skipif(shutil.which("chromium") is None, reason="there is no browser here")
def test_a_browser_follows_a_value_to_its_cell(tmp_path: Path, text: str) -> None:
    target = re.findall(r'href="#(s\d+-[A-Z]+\d+)"', text)[2]
    (tmp_path / "proof.html").write_text(text)
    words = [
        "chromium", "--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-sync",
        "--disable-background-networking", "--disable-component-update", f"--user-data-dir={tmp_path / 'profile'}",
        "--virtual-time-budget=2000", "--dump-dom", f"file://{tmp_path / 'proof.html'}#{target}",
    ]  # fmt: skip
    shown = subprocess.run(words, capture_output=True, text=True, check=False, timeout=60)
    root = parsed(shown.stdout)
    (status,) = root.xpath("//*[@id='said']")
    assert status.text_content().startswith(target.partition("-")[2])
    assert "a value of carried in traffic, row" in status.text_content()
