"""Large made-up rpm hosts against their real installers, and in all forms of the record.

That files of the real tools are read is `tests/test_rpm_records.py`; here, that nothing a
forecast needs gets lost in any form.
"""

from __future__ import annotations

import os
import shutil
import struct
import subprocess
import zlib
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.installer.rpm_made import MadeHost
from velpin.demo.rpm_files import DemoRpm, header_of

NAMES = int(os.environ.get("VELPIN_REAL_NAMES", "12"))
SEED = int(os.environ.get("VELPIN_SEED", "2"))
LOADER = shutil.which("db5.3_load")


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_names_and_the_upgrade_agree_with_the_real_installer(kind: str, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"this machine has no installer of kind {kind}")
    made = MadeHost(SEED, tmp_path, kind)
    made.harbour.refresh()
    real = RealInstaller(made.harbour)
    asked = [["install", name] for name in made.names(NAMES)]
    asked.append(["upgrade" if kind == DNF else "update"])
    different: list[object] = []
    for words in asked:
        said = real.ask(*words)
        told = made.harbour.forecast(*(words[1:] or ["--upgrade"]))
        ours = {f"{one['name']}.{one['arch']}": one["new"] or "" for one in told["changes"]}
        theirs = None if said.done is None else {name: new for name, (new, _) in said.done.items()}
        if (ours if told["ok"] else None) != theirs:
            different.append((words, told["problem"], ours, theirs))
    print(f"{kind}: {len(asked) - len(different)} of {len(asked)} on {made.count} offers")
    assert different == []


def write_ndb(packages: list[DemoRpm], folder: Path) -> None:
    """The form "ndb", as its page describes it."""
    pages = len(packages) // 250 + 1
    slots, blobs = b"", b""
    for number, one in enumerate(packages, start=1):
        header = header_of(one)
        body = struct.pack("<4s3I", b"BlbS", number, 1, len(header)) + header
        body += b"\0" * (-(len(body) + 12) % 16)
        body += struct.pack("<II4s", zlib.adler32(body), len(header), b"BlbE")
        place = pages * 4096 + len(blobs)
        slots += struct.pack("<4s3I", b"Slot", number, place // 16, len(body) // 16)
        blobs += body
    head = struct.pack("<4s7I", b"RpmP", 0, 1, pages, len(packages) + 1, 0, 0, 0)
    free = struct.pack("<4s3I", b"Slot", 0, 0, 0)
    slots += free * ((pages * 4096 - len(head) - len(slots)) // 16)
    (folder / "Packages.db").write_bytes(head + slots + blobs)


def write_berkeley(packages: list[DemoRpm], folder: Path) -> None:
    """The form "Berkeley DB hash", through that database's own loader."""
    if LOADER is None:
        pytest.skip("Berkeley DB's loader is not here")
    lines = ["VERSION=3", "format=bytevalue", "type=hash", "db_pagesize=4096", "HEADER=END"]
    pairs = [(0, struct.pack("=I", len(packages)))]
    pairs += [(number, header_of(one)) for number, one in enumerate(packages, start=1)]
    for number, value in pairs:
        lines += [" " + struct.pack("=I", number).hex(), " " + value.hex()]
    text = "\n".join([*lines, "DATA=END", ""])
    subprocess.run([str(LOADER), str(folder / "Packages")], input=text, text=True, check=True)


@pytest.mark.parametrize("write", [write_ndb, write_berkeley])
def test_every_form_of_the_record_gives_the_same_forecasts(
    write: Callable[[list[DemoRpm], Path], None], tmp_path: Path
) -> None:
    made = MadeHost(SEED, tmp_path, DNF)
    made.harbour.refresh()
    asked: list[list[str]] = [[name] for name in made.names(8)] + [["--upgrade"]]
    expected = [made.harbour.forecast(*words)["changes"] for words in asked]
    assert any(len(changes) > 100 for changes in expected)
    record = made.harbour.root / "var/lib/rpm"
    (record / "rpmdb.sqlite").unlink()
    assert made.harbour.forecast(*asked[-1])["changes"] == []
    write(made.installed, record)
    assert [made.harbour.forecast(*words)["changes"] for words in asked] == expected
