"""Package files as requests: what they are taken for, and what installing them does."""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.harbours import (
    ALPM,
    DEB,
    DNF,
    KINDS,
    RPM,
    ZYPP,
    AlpmHarbour,
    DebHarbour,
    RpmHarbour,
    harbour_of,
)
from tests.package_files import (
    A_NEEDS_B,
    ROWS,
    Made,
    Row,
    ar_of,
    archive_of,
    control_of,
    deb_of,
    demo_rpm,
    harbour,
    info_of,
    wanted,
    write_package,
)
from tests.program import run_on
from velpin.core.package_files import is_package_file
from velpin.demo.rpm_files import package_beginning
from velpin.errors import HostFileError, UsageError


@pytest.fixture(scope="module", params=KINDS)
def host(
    request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory
) -> DebHarbour | RpmHarbour | AlpmHarbour:
    return harbour(request.param, tmp_path_factory.mktemp(request.param))


@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)
def test_what_installing_a_file_does(row: Row, host: DebHarbour) -> None:
    files = [write_package(host.kind, host.folder / "files", one) for one in row.files]
    asked = [*row.names, *map(str, files)]
    if host.kind == ALPM and row.names:
        with pytest.raises(UsageError, match="separate commands"):
            host.host().forecast(asked)
        return
    if host.kind == ALPM and len({one.name for one in row.files}) < len(row.files):
        with pytest.raises(HostFileError, match="second file of foo"):
            host.host().forecast(asked)
        return
    found = host.host().forecast(asked)
    changes = {one.name: str(one.new).removesuffix("-1") for one in found.changes}
    assert (changes if found.ok else None) == wanted(row, host.kind)
    assert {answer.asked for answer in found.answers} <= set(asked)
    for change in found.changes:
        is_given = any(one.name == change.name for one in row.files)
        assert (change.source == "package-file") == is_given
        assert (change.download_bytes == 0) == is_given
    assert found.download_bytes == sum(one.download_bytes for one in found.changes)
    assert not [note for note in found.notes if "package-file" in note.text]


def test_a_file_counts_more_than_its_name(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    file = str(write_package(DEB, tmp_path, Made("foo", "1.7")))
    for asked in (["foo", file], [file, "foo"]):
        assert [one.new for one in host.host().forecast(asked).changes] == ["1.7"]


def test_the_same_version_again(host: DebHarbour) -> None:
    file = write_package(host.kind, host.folder / "same", Made("foo", "1.5"))
    found = host.host().forecast([str(file)])
    assert found.ok
    assert [one.outcome for one in found.changes] == (["reinstall"] if host.kind == ALPM else [])


def test_priorities_and_excludes(tmp_path: Path) -> None:
    host = harbour(DNF, tmp_path)
    file = str(write_package(DNF, tmp_path, Made("foo", "1.7")))
    text = host.read("etc/yum.repos.d/mooring.repo")
    host.put("etc/yum.repos.d/mooring.repo", text + "priority=1\n")
    assert [one.new for one in host.host().forecast([file]).changes] == ["1.7-1"]
    host.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=0\nexcludepkgs=foo\n")
    assert not host.host().forecast([file]).ok


def test_rules_of_deb_hosts_do_not_matter(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    host.put("etc/apt/preferences", "Package: *\nPin: release *\nPin-Priority: -1\n")
    file = str(write_package(DEB, tmp_path, Made("foo", "1.7")))
    assert [one.new for one in host.host().forecast([file]).changes] == ["1.7"]


def test_another_architecture_is_refused(host: DebHarbour) -> None:
    arch = "arm64" if host.kind == DEB else "aarch64"
    file = write_package(host.kind, host.folder / "other", Made("w", "1", arch=arch))
    found = host.host().forecast([str(file)])
    assert not found.ok
    assert found.problem is not None
    assert arch in found.problem.text


def test_a_host_as_it_is(host: DebHarbour) -> None:
    file = write_package(host.kind, host.folder / "as-is", Made("alone", "1"))
    found = host.host(as_is=True).forecast([str(file)])
    if host.kind == ALPM:  # its installer refuses everything without an index of its own
        assert found.problem is not None
        assert found.problem.code == "never-refreshed"
    else:
        assert [one.name for one in found.changes] == ["alone"]


def test_nothing_stays_of_it(host: DebHarbour) -> None:
    file = write_package(host.kind, host.folder / "gone", Made("alone", "1"))
    store = host.root / "var/cache/velpin"
    host.host().forecast(["lib"])
    before = sorted(path for path in store.rglob("*"))
    host.host().forecast([str(file)])
    assert sorted(path for path in store.rglob("*")) == before


def test_by_the_command(host: DebHarbour, monkeypatch: pytest.MonkeyPatch) -> None:
    file = write_package(host.kind, host.folder / "here", Made("alone", "1"))
    monkeypatch.chdir(file.parent)
    for text in (file.name, f"./{file.name}", str(file)):
        code, out, err = run_on(host.root, "forecast", text)
        assert code == 0, err
        assert "from package-file" in out
        assert (f"  ./{file.name}\n" if "/" not in text else f"  {text}\n") in out
        assert "0 B to download" in out


def test_what_is_refused_has_no_way_by_rules(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    file = write_package(DEB, tmp_path, A_NEEDS_B)
    code, out, _ = host.run("forecast", str(file))
    assert code == 1
    assert "needs b" in out
    assert "velpin want" not in out


# -- what is no package --------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("kind", "text", "is_one"),
    [
        (DEB, "./a.deb", True), (DNF, "/srv/a.rpm", True), (DEB, "a.deb", False),
        (ALPM, "a/b.pkg.tar.zst", True), (ALPM, "a/b.pkg.tar", True), (DEB, "a/b.debs", False),
        (DEB, "https://deb.gullwatch.example/a.deb", True), (DNF, "/usr/bin/rpm", False),
        (ALPM, "a/b.pkg.tar.zst.sig", False), (DNF, "/srv/.rpm", False), (DEB, "/a.deb/b", False),
        (DNF, "a/x\n.rpm", True), (DNF, "./x", True), (DNF, "../x", True), (DNF, ".x/y", False),
        (DEB, "/srv/a.rpm", False), (DNF, "/srv/arpm", False),
    ],
)  # fmt: skip
def test_which_requests_are_files(kind: str, text: str, is_one: bool, tmp_path: Path) -> None:
    host = harbour_of(kind, tmp_path)
    assert is_package_file(host.host()._ports, text) is is_one


BROKEN = {
    DEB: [
        ("no archive", b"hello"), ("cut off", deb_of(control_of(Made("a", "1")))[:100]),
        ("no description", ar_of({"debian-binary": b"2.0\n", "control.tar": b""})),
        ("two packages", deb_of("Package: a\nVersion: 1\n\nPackage: b\nVersion: 1\n")),
        ("no version", deb_of("Package: a\n")), ("no name", deb_of("Version: 1\n")),
        ("empty", b""),
    ],
    DNF: [
        ("no package", b"hello"), ("empty", b""),
        ("cut off", package_beginning(demo_rpm(Made("a", "1")), None)[:200]),
    ],
    ALPM: [
        ("no archive", b"hello"), ("empty", b""), ("no description", archive_of("")),
        ("no version", archive_of("pkgname = a\n")),
        ("two names", archive_of("pkgname = a\npkgname = b\npkgver = 1-1\n")),
        ("a name with a folder", archive_of("pkgname = ../a\npkgver = 1-1\n")),
    ],
}  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "what", "data"),
    [(kind, what, data) for kind, rows in BROKEN.items() for what, data in rows],
    ids=lambda value: value if isinstance(value, str) else "",
)
def test_what_is_no_package_is_told(kind: str, what: str, data: bytes, tmp_path: Path) -> None:
    host = harbour(kind, tmp_path)
    ending = {DEB: "deb", ALPM: "pkg.tar.gz"}.get(kind, "rpm")
    file = tmp_path / f"broken.{ending}"
    file.write_bytes(data)
    with pytest.raises(HostFileError) as told:
        host.host().forecast([str(file)])
    assert told.value.file == str(file)


def test_what_is_no_file(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    with pytest.raises(HostFileError, match="No such file"):
        host.host().forecast([str(tmp_path / "none.deb")])
    (tmp_path / "folder.deb").mkdir()
    os.mkfifo(tmp_path / "pipe.deb")
    for name in ("folder.deb", "pipe.deb"):
        with pytest.raises(HostFileError):
            host.host().forecast([str(tmp_path / name)])
    with pytest.raises(UsageError, match="no package for a host of kind deb"):
        host.host().forecast(["./a.rpm"])
    with pytest.raises(UsageError, match="more than 100"):
        host.host().forecast([f"./{number}.deb" for number in range(101)])


def test_only_the_beginning_of_a_large_package_is_read(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    file = write_package(DEB, tmp_path, Made("alone", "1"))
    size = 40 << 20
    with file.open("ab") as opened:
        opened.truncate(size)
    assert [one.name for one in host.host().forecast([str(file)]).changes] == ["alone"]


def test_fields_of_an_index_do_not_come_from_the_package(tmp_path: Path) -> None:
    host = harbour(DEB, tmp_path)
    file = tmp_path / "a.deb"
    file.write_bytes(deb_of(control_of(Made("a", "1")) + "Filename: ../../etc/passwd\nSize: 1\n"))
    found = host.host().forecast([str(file)])
    assert [(one.name, one.url, one.download_bytes) for one in found.changes] == [("a", None, 0)]


def test_a_package_of_the_demos_says_what_an_index_of_it_says() -> None:
    assert "depend = lib>=1" in info_of(Made("n", "1", ("lib >= 1",)))
    assert "Depends: lib (>= 1)" in control_of(Made("n", "1", ("lib >= 1",)))
    assert RPM == (DNF, ZYPP)
