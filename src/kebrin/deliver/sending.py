"""Outputs at addresses: each is written into a folder of our own that stands for the one there, and sent when all is well."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from kebrin.errors import KebrinError, OutputError, Place
from kebrin.sources import remote, temporary
from kebrin.sources.files import state

_SIGN = ".address"


@dataclass
class _Mirror:
    """A folder elsewhere, ours that stands for it, and what was there when it was looked at."""

    system: Any
    parent: str
    folder: Path
    before: dict[str, tuple[int, int, int]] = field(default_factory=dict)

    def bring(self, begins: str) -> None:
        """Copy the files whose names begin so, as they are now: what stands there decides on what may be written."""
        for path in [one for one in self.folder.iterdir() if one.name.startswith(begins) and one.name != _SIGN]:
            path.unlink()
            self.before.pop(path.name, None)
        there = self.system.ls(self.parent, detail=False) if self.system.isdir(self.parent) else []
        for path in there:
            name = str(path).rpartition("/")[2]
            if name.startswith(begins) and name != _SIGN and not self.system.isdir(path):
                self.system.get_file(path, str(self.folder / name))
                self.before[name] = state(self.folder / name)

    def send(self) -> None:
        """Send what is new or has changed, and take away what is gone; each file is whole there or not there."""
        now = {path.name: state(path) for path in self.folder.iterdir() if path.name != _SIGN}
        changed = [name for name in now if now[name] != self.before.get(name)]
        if changed:
            self.system.makedirs(self.parent, exist_ok=True)
        for name in sorted(
            changed, key=lambda name: (name.endswith(".proof.json"), name)
        ):  # a proof vouches for its data
            part = f"{self.parent}/.{name}.part"
            self.system.put_file(str(self.folder / name), part)
            self.system.mv(part, f"{self.parent}/{name}")
        for name in self.before.keys() - now.keys():
            self.system.rm_file(f"{self.parent}/{name}")
        self.before = now


_mirrors: dict[str, _Mirror] = {}


def at_hand(output: str | Path) -> Path:
    """The path of an output: its own, or, of an address, that of a file of ours which stands for the one there.

    >>> at_hand("out/traffic.csv").as_posix()
    'out/traffic.csv'

    Raises:
        OutputError: the address can't be reached, or its folder has a field in braces.
    """
    output = remote.here(output)
    if not remote.is_address(output):
        return Path(output)
    address = remote.whole_address(output)
    folder, _, name = address.rpartition("/")
    if "{" in folder:
        raise OutputError(
            "a field stands in the folder of an address", Place(address), do="Fields may stand in the file's name"
        )
    try:
        system, path = remote.file_system(address)
        with remote.telling(address):
            parent = path.rpartition("/")[0]
            whole = str(system.unstrip_protocol(parent)).rstrip("/")
            mirror = _mirrors.get(whole)
            if mirror is None or not mirror.folder.is_dir():
                mirror = _mirrors[whole] = _Mirror(system, parent, temporary.folder())
                remote.mark(mirror.folder, whole)
            mirror.bring(name.partition("{")[0].rpartition(".")[0] if "{" not in name else name.partition("{")[0])
    except KebrinError as error:
        raise OutputError(error.what, error.where, why=error.why, do=error.do) from None
    return mirror.folder / name


def send() -> None:
    """Send what was written for addresses.

    Raises:
        OutputError: one can't be written to; what was sent before it is there.
    """
    for whole, mirror in _mirrors.items():
        try:
            with remote.telling(whole):
                mirror.send()
        except KebrinError as error:
            raise OutputError(
                "the output can't be written at its address",
                Place(whole),
                why=error.why or error.what,
                do="Check that you may write there",
            ) from None


def shown(path: Path) -> str:
    """A path for people: the address that it stands for, or itself."""
    return remote.address_of(path) or str(path)
