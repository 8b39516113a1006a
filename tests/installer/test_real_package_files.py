"""What installing package files does, held against the real installers."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, AlpmHarbour, RpmHarbour
from tests.installer import alpm_ask
from tests.installer.ask import INSTALLER, Installer
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.package_files import ROWS, Made, Row, harbour, wanted, write_package

BUILDER = shutil.which("rpmbuild")


def _differing(kind: str, row: Row, told: dict[str, str] | None) -> list[str]:
    return [] if told == wanted(row, kind) else [f"{row.title}: {told}, not {wanted(row, kind)}"]


def _files(kind: str, folder: Path, row: Row) -> list[str]:
    return [str(write_package(kind, folder / "files", one)) for one in row.files]


@pytest.mark.skipif(INSTALLER is None, reason="no deb installer on this machine")
def test_deb(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    installer = Installer(host.root)
    installer.refresh()
    wrong = []
    for row in ROWS:
        asked = ["install", *row.names, *_files(DEB, tmp_path, row)]
        done = installer.transaction(*asked)
        assert done is not None
        ok, changes = done
        told = {name: str(new) for name, (_, new) in changes.items()} if ok else None
        wrong += _differing(DEB, row, told)
    assert not wrong, "\n".join(wrong)


def _built(folder: Path, one: Made) -> str:
    """A package that the real installers read, whose file is complete and has its digests."""
    assert BUILDER
    spec = folder / f"{one.name}.spec"
    lines = [
        f"Name: {one.name}", f"Version: {one.version}", "Release: 1", "Summary: -", "License: -",
        *(f"Requires: {each}" for each in one.needs), *(f"Provides: {each}" for each in one.gives),
        *(f"Recommends: {each}" for each in one.recommends), "%description", "-", "%files",
    ]  # fmt: skip
    spec.write_text("\n".join(lines) + "\n")
    done = folder / "built" / one.version
    words = [BUILDER, "-bb", "--target", "noarch", "--define", f"_topdir {folder}/top"]
    subprocess.run(
        [*words, "--define", f"_rpmdir {done}", str(spec)], check=True, capture_output=True
    )
    return str(done / "noarch" / f"{one.name}-{one.version}-1.noarch.rpm")


@pytest.mark.skipif(BUILDER is None, reason="nothing builds rpm packages on this machine")
@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_rpm(kind: str, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    host = harbour(kind, tmp_path)
    assert isinstance(host, RpmHarbour)
    real = RealInstaller(host)
    wrong = []
    for row in ROWS:
        said = real.ask("install", *row.names, *(_built(tmp_path, one) for one in row.files))
        told = said.done and {
            name.rpartition(".")[0]: new.removesuffix("-1") for name, (new, _) in said.done.items()
        }
        wrong += _differing(kind, row, told)
    assert not wrong, "\n".join(wrong)


@pytest.mark.skipif(alpm_ask.PROGRAM is None, reason="no alpm installer on this machine")
def test_alpm(tmp_path: Path) -> None:
    wrong = []
    for number, row in enumerate(ROWS):
        if row.names or len({one.name for one in row.files}) < len(row.files):
            continue
        host = harbour(ALPM, tmp_path / str(number))
        assert isinstance(host, AlpmHarbour)
        said = alpm_ask.ask(host, "-U", *_files(ALPM, host.folder, row))
        told = said.done and {
            name: new.partition(" ")[0].removesuffix("-1") for name, new in said.done.items()
        }
        wrong += _differing(ALPM, row, told)
    assert not wrong, "\n".join(wrong)
