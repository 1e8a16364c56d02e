"""Reports that come packed: gzip, and a zip file with one report inside; bounded, and told clearly where they can't be read."""

from __future__ import annotations

import gc
import gzip
import tempfile
import zipfile
from typing import TYPE_CHECKING

import pytest

import kebrin as kb
from kebrin.sources import read

if TYPE_CHECKING:
    import subprocess
    from collections.abc import Callable
    from pathlib import Path

    Kebrin = Callable[..., subprocess.CompletedProcess[str]]

TEXT = "Harbour;Jan;Feb\nSkarrow;1204;1310\nHallan;980;1002\nTotal;2184;2312\n"


def zipped(path: Path, members: dict[str, bytes]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as package:
        for name, content in members.items():
            package.writestr(name, content)
    return path


def gzipped(path: Path, content: bytes) -> Path:
    path.write_bytes(gzip.compress(content))
    return path


@pytest.mark.parametrize("kind", ["gz", "zip", "plain"])
def test_a_packed_report_gives_the_table_of_the_bare_one(tmp_path: Path, kind: str) -> None:
    path = tmp_path / {"gz": "fees.csv.gz", "zip": "fees.zip", "plain": "fees.csv"}[kind]
    if kind == "gz":
        gzipped(path, TEXT.encode())
    elif kind == "zip":
        zipped(path, {"april/fees.csv": TEXT.encode()})
    else:
        path.write_text(TEXT)
    run = kb.tidy(path)
    (table,) = run.tables.values()
    assert [list(row.values())[-1] for row in table.data.to_pylist()] == [1204, 1310, 980, 1002]
    assert run.proof.holds
    assert {source.file for source in run.proof.sources} == {str(path)}
    assert read(path).names == ("fees",)


def test_a_packed_workbook_is_read_and_said(demo: Path) -> None:
    tmp_path, traffic = demo, demo / "traffic_2031.xlsx"
    bare, found = read(traffic), read(gzipped(tmp_path / "traffic.xlsx.gz", traffic.read_bytes()))
    assert found.names == bare.names
    assert any("gzip" in one for one in found.said)
    first = bare.names[0]
    assert found[first].values.tolist() == bare[first].values.tolist()
    assert found[first].source == str(tmp_path / "traffic.xlsx.gz")


def test_a_folder_may_hold_packed_reports(tmp_path: Path, kebrin: Kebrin) -> None:
    gzipped(tmp_path / "fees.csv.gz", TEXT.encode())
    done = kebrin("survey", str(tmp_path))
    assert done.returncode == 0, done.stderr
    assert "fees" in done.stdout


def cut(folder: Path) -> Path:
    path = folder / "x.csv.gz"
    path.write_bytes(gzip.compress(TEXT.encode() * 200)[:-40])
    return path


BAD: list[tuple[Callable[[Path], Path], str]] = [
    (cut, "cut short or damaged"),
    (lambda folder: gzipped(folder / "x.gz", b""), "nothing in it"),
    (lambda folder: gzipped(folder / "x.gz", gzip.compress(b"a;b\n")), "packed more than once"),
    (lambda folder: zipped(folder / "x.zip", {"a.png": b"\x89PNG....", "b.png": b"\x89PNG...."}), "picture"),
    (lambda folder: zipped(folder / "x.zip", {f"{at}.csv": b"a;b\n" for at in range(2001)}), "limit 'sheets'"),
    (lambda folder: zipped(folder / "x.zip", {"y.zip": b"PK\x05\x06" + b"\0" * 18}), "packed more than once"),
    (lambda folder: zipped(folder / "x.zip", {"p.png": b"\x89PNG...."}), "picture"),
]  # fmt: skip


@pytest.mark.parametrize(("make", "said"), BAD)
def test_what_can_not_be_unpacked_is_told(tmp_path: Path, make: Callable[[Path], Path], said: str) -> None:
    path = make(tmp_path)
    with pytest.raises(kb.SourceError, match=said) as told:
        read(path)
    assert told.value.where.file == str(path)


def test_more_than_the_limit_is_refused(tmp_path: Path, limited: Callable[[str], None]) -> None:
    limited("unpacked=1000")
    with pytest.raises(kb.SourceError, match="the limit 'unpacked' is 1,000"):
        read(gzipped(tmp_path / "x.csv.gz", TEXT.encode() * 100))
    with pytest.raises(kb.SourceError, match="the limit 'unpacked' is 1,000"):
        read(zipped(tmp_path / "x.zip", {"x.csv": TEXT.encode() * 100}))


def test_several_packed_reports_are_the_sheets_of_one(tmp_path: Path) -> None:
    other = TEXT.replace("1204", "7").replace("2184", "987")
    path = zipped(tmp_path / "fees.zip", {
        "april/fees.csv": TEXT.encode(), "may/fees.csv": other.encode(), "logo.png": b"\x89PNG",
        "__MACOSX/april/._fees.csv": b"x",
    })  # fmt: skip
    assert read(path).names == ("fees", "fees (2)")
    run = kb.tidy(path)
    (table,) = run.tables.values()
    assert run.proof.holds
    assert [row["value"] for row in table.data.to_pylist()] == [1204, 1310, 980, 1002, 7, 1310, 980, 1002]
    assert any("passed over logo.png in it" in remark.what for remark in run.proof.remarks)


def test_a_damaged_report_among_packed_ones_breaks_the_proof(tmp_path: Path) -> None:
    path = zipped(tmp_path / "fees.zip", {"fees.csv": TEXT.encode(), "more.json": b'[{"a": 1}, {"a"'})
    assert not kb.tidy(path).holds


def test_a_report_may_come_through_a_pipe(tmp_path: Path, kebrin: Kebrin) -> None:
    out = tmp_path / "out.csv"
    done = kebrin("tidy", "-", "-o", str(out), stdin=TEXT)
    assert done.returncode == 0, done.stderr
    assert len(out.read_text().splitlines()) == 5
    again = kebrin("trace", str(out), "1")
    assert again.returncode == 3
    assert "came through a pipe" in again.stderr
    assert "standard input: the file is empty" in kebrin("survey", "-", stdin="").stderr


def test_a_locked_zip_is_told(tmp_path: Path) -> None:
    path = zipped(tmp_path / "x.zip", {"x.csv": TEXT.encode()})
    content = bytearray(path.read_bytes())
    content[6] |= 1  # the flag of a locked member, in its own head ...
    at = content.index(b"PK\x01\x02")
    content[at + 8] |= 1  # ... and in the list of members
    path.write_bytes(bytes(content))
    with pytest.raises(kb.SourceError, match="locked with a password"):
        read(path)


def test_nothing_unpacked_stays_behind(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "temporary"))
    (tmp_path / "temporary").mkdir()
    report = read(gzipped(tmp_path / "fees.csv.gz", TEXT.encode()))
    assert len(list((tmp_path / "temporary").iterdir())) == 1
    del report
    gc.collect()
    with pytest.raises(kb.SourceError, match="cut short"):
        read(cut(tmp_path))
    assert not list((tmp_path / "temporary").iterdir())


def test_a_packed_file_without_a_name_is_no_report(tmp_path: Path) -> None:
    path = zipped(tmp_path / "fees.zip", {"N": b"x", "fees.csv": TEXT.encode()})
    content = bytearray(path.read_bytes())
    for sign, at in ((b"PK\3\4", 26), (b"PK\1\2", 28)):  # the name's one letter is said to be an extra field
        start = content.index(sign) + at
        content[start : start + 4] = b"\0\0\1\0"
    path.write_bytes(content)
    (table,) = kb.tidy(path).tables.values()
    assert len(table)
