"""A vendor's release package: opened, its sources and keys shown and added, nothing run."""

from __future__ import annotations

import bz2
import gzip
import lzma
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, DebHarbour, RpmHarbour
from tests.release_packages import Files, Pack, deb_of, rpm_of
from velpin.demo.rpm_files import DemoRpm as P
from velpin.demo.rpm_files import write_rpm_repository
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.fetch.package import open_package, open_scripts

PACKS = [gzip.compress, bz2.compress, lzma.compress, lambda data: data]
FORMATS = pytest.mark.parametrize("made", [deb_of, rpm_of])


@FORMATS
@pytest.mark.parametrize("pack", PACKS)
def test_the_files_come_out_as_they_went_in(
    made: Callable[[Files, Pack], bytes], pack: Pack
) -> None:
    files = {"etc/x/a.repo": b"[a]\n", "usr/share/odd": bytes(range(256)), "etc/empty": b""}
    assert open_package(made(files, pack), "a package") == files


@FORMATS
def test_cut_off_anywhere_it_is_a_clear_error(made: Callable[[Files], bytes]) -> None:
    whole = made({"etc/a.repo": b"[a]\nbaseurl=http://a.example/\n" * 40})
    for length in range(8, len(whole) - 40, 7):
        with pytest.raises(HostFileError, match="package"):
            open_package(whole[:length], "vendor")


@pytest.mark.slow
@FORMATS
def test_a_bomb_is_refused(made: Callable[[Files], bytes]) -> None:
    with pytest.raises(HostFileError, match="far larger"):
        open_package(made({"etc/large": b"\0" * (65 << 20)}), "vendor")


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_of_an_rpm_host(tmp_path: Path, kind: str, signer: Signer, stranger: Signer) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", P("tool", "1-1"))
    harbour.refresh()
    made = write_rpm_repository(tmp_path / "v", [P("tool", "5-1")], sign=signer.detached)
    key = "etc/pki/rpm-gpg/RPM-GPG-KEY-watch"
    text = (
        f"[watch]\nname=Watch\nbaseurl=file://{made}\ngpgcheck=1\nrepo_gpgcheck=1\n"
        f"gpgkey=file:///{key}\nenabled=1\n"
    )
    name = f"{harbour.sources}/watch.repo"
    package = tmp_path / "watch-release.rpm"
    package.write_bytes(rpm_of({name: text.encode(), key: signer.public}))
    code, out, told = harbour.run("add", str(package), "--preview")
    assert (code, signer.fingerprint[-4:] in out, "/" + name in out) == (0, True, True), told
    assert not (harbour.root / name).exists()
    code, out, told = harbour.run("add", str(package), "--yes")
    assert code == 0, told
    assert harbour.changes("tool") == {"tool.x86_64": "5-1 watch"}
    assert "[watch]" in harbour.read(name)
    assert harbour.run("undo", "--yes")[0] == 0
    assert not (harbour.root / name).exists()
    package.write_bytes(rpm_of({name: text.encode(), key: stranger.public}))
    # what was fetched with the right key before does not sign for a wrong one
    assert harbour.run("add", str(package), "--yes")[0] == 4
    package.write_bytes(rpm_of({"etc/other.conf": b"x"}))
    code, _, told = harbour.run("add", str(package), "--yes")
    assert (code, "holds no source" in told) == (2, True)
    package.write_bytes(b"<html>not found</html>")
    code, _, told = harbour.run("add", str(package), "--yes")
    assert (code, told) == (3, f"velpin: {package}: is not a package\n")


def test_of_a_deb_host(harbour: DebHarbour, signer: Signer) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.repository("watch", ("gull", "2"), signer=signer)
    harbour.ready()
    key = "usr/share/keyrings/watch.asc"
    text = f"deb [signed-by=/{key}] file://{harbour.folder}/repos/watch jetty main\n"
    package = harbour.folder / "watch-release.deb"
    package.write_bytes(
        deb_of({"etc/apt/sources.list.d/watch.list": text.encode(), key: signer.public})
    )
    said = harbour.run("add", str(package), "--yes")
    assert said.code == 0, said.err
    assert signer.fingerprint[-4:] in said.out
    assert harbour.host().forecast(["gull"]).answers[0].source == "watch"
    assert harbour.run("undo", "--yes").code == 0
    assert harbour.host().forecast(["gull"]).answers[0].version == "1"


SCRIPT = """#!/bin/sh
set -e
case "$1" in
  configure)
    . /etc/os-release
    cat > /etc/apt/sources.list.d/watch.list <<EOF
deb [signed-by=/usr/share/keyrings/watch.gpg] ADDRESS $VERSION_CODENAME main
EOF
    ;;
esac
"""


def test_a_source_that_a_deb_packages_script_writes(harbour: DebHarbour, signer: Signer) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.repository("watch", ("gull", "2"), signer=signer)
    harbour.ready()
    package = harbour.folder / "watch-release.deb"
    address = f"file://{harbour.folder}/repos/watch"
    key = {"usr/share/keyrings/watch.gpg": signer.public}
    package.write_bytes(deb_of(key, script=SCRIPT.replace("ADDRESS", address).encode()))
    said = harbour.run("add", str(package), "--yes")
    assert said.code == 0, said.err
    assert "read, nothing of it was run" in said.out
    assert f"source {address}, release jetty" in said.out
    assert signer.fingerprint[-4:] in said.out
    assert harbour.host().forecast(["gull"]).answers[0].source == "watch"
    package.write_bytes(deb_of(key, script=b"#!/bin/sh\nldconfig\n"))
    assert "bring no source for this host" in harbour.run("add", str(package), "--yes").err


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_a_source_that_an_rpm_packages_script_writes(
    tmp_path: Path, kind: str, signer: Signer
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", P("tool", "1-1"))
    harbour.refresh()
    made = write_rpm_repository(tmp_path / "v", [P("tool", "5-1")], sign=signer.detached)
    script = (
        f'if [ "$1" -eq 1 ]; then\nprintf "[watch]\\nname=Watch\\nbaseurl=file://{made}\\ngpgcheck=1\\n'
        f'gpgkey=file:///etc/watch.asc\\n" > /{harbour.sources}/watch.repo\nfi\n'
    )
    package = tmp_path / "watch-release.rpm"
    package.write_bytes(rpm_of({"etc/watch.asc": signer.public}, script=script.encode()))
    said = harbour.run("add", str(package), "--yes")
    assert said.code == 0, said.err
    assert f"source file://{made}" in said.out
    assert harbour.changes("tool") == {"tool.x86_64": "5-1 watch"}


@FORMATS
def test_a_package_without_a_script_has_none(made: Callable[..., bytes]) -> None:
    assert open_scripts(made({"etc/a": b""}, script=b""), "a package")[0] == ""
    whole = made({"etc/a": b"x"}, script=b"echo\n")
    assert open_scripts(whole, "a package")[0].endswith("echo\n")
    for length in range(8, len(whole) - 200, 11):
        try:
            open_scripts(whole[:length], "vendor")
        except HostFileError as problem:
            assert "package" in problem.message
