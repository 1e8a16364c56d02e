"""Reports and outputs at addresses: brought, named by where they are, sent whole, and never written over."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path
from typing import TYPE_CHECKING

import fsspec
import pytest

import kebrin as kb
from kebrin.deliver.tracing import trace
from kebrin.errors import KebrinError, OutputError, SourceError

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator

LIST = "harbour,cars\nBrae,12\nHallan,14\n"


@pytest.fixture
def port() -> Iterator[fsspec.AbstractFileSystem]:
    """A file system that is elsewhere."""
    system = fsspec.filesystem("memory")
    system.pipe("/port/in/april.csv", LIST.encode())
    system.pipe("/port/in/may.csv", LIST.replace("12", "15").encode())
    system.pipe("/port/in/notes.docx", b"words")
    yield system
    system.rm("/port", recursive=True)


def plan_of(folder: Path, files: str, output: str, more: str = "") -> kb.Plan:
    path = folder / "p.toml"
    path.write_text(
        f'kebrin = 1\n[table.t]\nfiles = "{files}"\n[[output]]\ntable = "t"\nfile = "{output}"\n{more}', "utf-8"
    )
    return kb.load_plan(path)


def test_a_report_elsewhere_is_named_by_its_address(port: fsspec.AbstractFileSystem) -> None:
    assert port.exists("/port/in/april.csv")
    run = kb.tidy("memory://port/in/april.csv")
    (proof,) = run.proofs.values()
    assert [source.file for source in proof.sources] == ["memory:///port/in/april.csv"]
    assert next(iter(run.tables.values())).to_arrow()["cars"].to_pylist() == [12, 14]


@pytest.mark.parametrize("files", ["memory://port/in", "memory://port/in/*.csv"])
def test_a_folder_there_is_stacked_and_the_output_sent_with_its_proof(
    port: fsspec.AbstractFileSystem, tmp_path: Path, files: str
) -> None:
    run = plan_of(tmp_path, files, "memory://port/out/cars.csv").run()
    assert len(run.tables["t"]) == 4
    (published,) = run.write()
    assert published.place == "memory:///port/out/cars.csv"
    assert sorted(name.rpartition("/")[2] for name in port.ls("/port/out", detail=False)) == [
        "cars.csv",
        "cars.csv.proof.json",
    ]
    proof = json.loads(port.cat("/port/out/cars.csv.proof.json"))
    assert proof["sources"][0]["from here"] == "memory:///port/in/april.csv"
    found = trace(Path("memory://port/out/cars.csv"), 3, "cars")
    assert (found.said, found.origin.file, found.output) == (
        "15",
        "memory:///port/in/may.csv",
        "memory:///port/out/cars.csv",
    )


def test_a_source_elsewhere_is_never_written_over(port: fsspec.AbstractFileSystem, tmp_path: Path) -> None:
    run = plan_of(tmp_path, "memory://port/in/april.csv", "memory://port/in/april.csv").run()
    with pytest.raises(OutputError, match="written over a source"):
        run.write(replace=True)
    assert port.cat("/port/in/april.csv") == LIST.encode()


def test_a_file_that_stands_there_is_not_replaced_unasked(port: fsspec.AbstractFileSystem, tmp_path: Path) -> None:
    port.pipe("/port/out/cars.csv", b"mine")
    run = plan_of(tmp_path, "memory://port/in/april.csv", "memory://port/out/cars.csv").run()
    with pytest.raises(OutputError, match=r"^memory:///port/out/cars.csv: the output would replace another file"):
        run.write()
    assert port.cat("/port/out/cars.csv") == b"mine"


def test_files_by_value_are_sent_and_stale_ones_taken_away(port: fsspec.AbstractFileSystem, tmp_path: Path) -> None:
    output = "memory://port/out/{value}.csv"
    more = 'by = "harbour"\nstale = "remove"\n'
    plan_of(tmp_path, "memory://port/in/april.csv", output, more).run().write()
    assert port.exists("/port/out/Brae.csv")
    (first, _) = plan_of(tmp_path, "memory://port/in/april.csv", output, more).run().write()
    assert first.place == "memory:///port/out/Brae.csv"
    port.pipe("/port/in/april.csv", LIST.replace("Brae", "Tarn").encode())
    plan_of(tmp_path, "memory://port/in/april.csv", output, more).run().write()
    assert port.exists("/port/out/Tarn.csv")
    assert not port.exists("/port/out/Brae.csv")


def test_an_output_elsewhere_leaves_the_plans_folder(port: fsspec.AbstractFileSystem, tmp_path: Path) -> None:
    run = plan_of(tmp_path, "memory://port/in/april.csv", "memory://port/out/cars.csv").run()
    with pytest.raises(OutputError, match="leave the plan's folder"):
        run.write(inside=True)
    assert not port.exists("/port/out")


def test_what_can_not_be_sent_is_told(
    port: fsspec.AbstractFileSystem, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(*_: object, **__: object) -> None:
        raise PermissionError("no room for you")

    monkeypatch.setattr(type(port), "put_file", full)
    run = plan_of(tmp_path, "memory://port/in/april.csv", "memory://port/out/cars.csv").run()
    with pytest.raises(OutputError, match="can't be written at its address: no room for you"):
        run.write()


@pytest.mark.parametrize(
    ("address", "said"),
    [("memory://port/none.csv", "no such file"), ("nope://port/x.csv", "can't be reached"),
     ("memory://port/*.xml", "no report found"), ("s3://port/x.csv", "needs a package")],
)  # fmt: skip
def test_what_is_not_there_is_told_with_its_address(address: str, said: str) -> None:
    with pytest.raises(SourceError, match=said) as told:
        kb.tidy(address)
    assert address in str(told.value)


def test_a_field_in_the_folder_of_an_address_is_refused(port: fsspec.AbstractFileSystem, tmp_path: Path) -> None:
    assert port.exists("/port/in")
    run = plan_of(tmp_path, "memory://port/in/april.csv", "memory://port/{harbour}/cars.csv").run()
    with pytest.raises(KebrinError, match="a field stands in the folder"):
        run.write()


def test_the_command_reads_inside_of_a_package_and_an_address_of_this_machine(
    kebrin: Callable[..., object], tmp_path: Path
) -> None:
    with zipfile.ZipFile(tmp_path / "in.zip", "w") as package:
        package.writestr("deep/april.csv", LIST)
    run = kebrin("tidy", f"zip://deep/april.csv::{tmp_path / 'in.zip'}", "-o", f"file://{tmp_path}/out.csv")
    assert run.returncode == 0, run.stderr  # type: ignore[attr-defined]
    assert (tmp_path / "out.csv").read_text() == LIST
