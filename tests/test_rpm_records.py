"""The record of installed packages in its three forms, as the real tools wrote them.

`data/rpm-records.tar.xz` holds the same packages as ndb, and with one more, whose header takes
eleven pages, as Berkeley DB in both byte orders. The numbers have holes: three were removed.
"""

from __future__ import annotations

import sqlite3
import tarfile
from contextlib import closing
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DNF, ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm, header_of, write_record
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.rpm import header as h
from velpin.kinds.rpm.record.packages import read_record, stamp_of
from velpin.kinds.rpm.record.place import find_record, headers

DATA = Path(__file__).parent / "data" / "rpm-records.tar.xz"
FORMS = ("ndb/Packages.db", "bdb/Packages", "bdb-big-endian/Packages")
GULL = DemoRpm("gull")
LARGE = "gull 0:1.0-1 x86_64"


@pytest.fixture(scope="module")
def records(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("records")
    with tarfile.open(DATA) as archive:
        archive.extractall(folder, filter="data")
    return folder


def listed(path: Path) -> list[str]:
    found = []
    for header in headers(path):
        version = h.version_of(header)
        version = version if ":" in version else f"0:{version}"
        found.append(f"{h.text_of(header, h.NAME)} {version} {h.text_of(header, h.ARCH)}")
    return found


# -- forms ---------------------------------------------------------------------------------


@pytest.mark.parametrize("form", FORMS)
def test_what_the_real_tools_wrote_is_read_in_the_order_of_installation(
    records: Path, form: str
) -> None:
    told = (records / "packages.list").read_text().splitlines()
    found = listed(records / form)
    if not form.startswith("ndb"):
        assert found.pop() == LARGE
    assert found == told


@pytest.mark.parametrize("form", FORMS[1:])
def test_a_header_of_many_pages_is_put_together(records: Path, form: str) -> None:
    *_, last = headers(records / form)
    assert h.files_of(last) == [f"/usr/share/gull/feather-{number:04}" for number in range(900)]


@pytest.mark.parametrize("form", FORMS)
def test_a_host_with_it_knows_what_is_installed(records: Path, form: str, tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("base", DemoRpm("kraipledo-libs", "1.25-1"))
    record = harbour.root / "var/lib/rpm"
    (record / "rpmdb.sqlite").unlink()
    (record / Path(form).name).write_bytes((records / form).read_bytes())
    (answer,) = harbour.refresh().forecast("kraipledo-libs")["answers"]
    assert answer["installed"] == "1.24.2-3.vx9"


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_a_host_without_any_says_that_nothing_is_known_as_installed(
    tmp_path: Path, kind: str
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    (harbour.root / "var/lib/rpm/rpmdb.sqlite").unlink()
    harbour.source("base", GULL)
    code, out, _ = harbour.refresh().run("forecast", "gull")
    assert code == 0
    assert "base" in out
    assert "the host has no record of installed packages: nothing is known as installed" in out
    assert "no record here: nothing is known as installed" in harbour.run("host")[1]


@pytest.mark.parametrize("form", FORMS)
def test_a_record_behind_a_link_is_read_by_its_form(
    records: Path, form: str, tmp_path: Path
) -> None:
    folder = tmp_path / "var/lib/rpm"
    folder.mkdir(parents=True)
    (tmp_path / "store").write_bytes((records / form).read_bytes())
    (folder / Path(form).name).symlink_to("/store")
    tree = Tree(tmp_path)
    file = find_record(tree)
    assert file is not None
    assert len(listed(tree.path(file))) == len(listed(records / form))


def test_the_newest_form_counts_and_then_the_newer_place(tmp_path: Path) -> None:
    tree = Tree(tmp_path)
    assert find_record(tree) is None
    order = (
        "var/lib/rpm/Packages",
        "usr/lib/sysimage/rpm/Packages",
        "var/lib/rpm/Packages.db",
        "usr/lib/sysimage/rpm/Packages.db",
        "var/lib/rpm/rpmdb.sqlite",
        "usr/lib/sysimage/rpm/rpmdb.sqlite",
    )
    for name in order:
        path = tmp_path / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(b"")
        assert find_record(tree) == name


# -- damage --------------------------------------------------------------------------------


@pytest.mark.parametrize("form", FORMS)
@given(share=st.floats(0, 1, exclude_max=True))
def test_a_file_that_is_cut_off_is_told(records: Path, form: str, share: float) -> None:
    data = (records / form).read_bytes()
    path = records / "cut" / Path(form).name
    path.parent.mkdir(exist_ok=True)
    path.write_bytes(data[: int(len(data) * share)])
    with pytest.raises(HostFileError, match=r"damaged|package \d+"):
        listed(path)


@pytest.mark.parametrize("form", FORMS)
@given(flips=st.lists(st.tuples(st.floats(0, 1, exclude_max=True), st.integers(0, 7)), min_size=1))
def test_flipped_bits_break_the_reader_no_other_way(
    records: Path, form: str, flips: list[tuple[float, int]]
) -> None:
    data = bytearray((records / form).read_bytes())
    for share, bit in flips:
        data[int(len(data) * share)] ^= 1 << bit
    path = records / "flipped" / Path(form).name
    path.parent.mkdir(exist_ok=True)
    path.write_bytes(data)
    try:
        listed(path)
    except HostFileError as problem:
        assert str(path) in problem.file


def test_a_changed_header_is_noticed_by_its_checksum(records: Path, tmp_path: Path) -> None:
    data = (records / FORMS[0]).read_bytes()
    path = tmp_path / "Packages.db"
    path.write_bytes(data.replace(b"kraipledo", b"kraipledi", 1))
    with pytest.raises(HostFileError, match="package 2 cannot be read"):
        listed(path)


WRONG = {
    "ndb/Packages.db": [
        (4, b"\x07", "version 7"),
        (32, b"Slat", "no table of packages"),
        (36, b"\x02", "package 2 is cut off"),
        (0, b"x", "not of the form"),
    ],
    "bdb/Packages": [
        (12, b"\0", "not of the form"),
        (16, b"\x0a", "hash file of version 10: only versions 8 and 9 without either are known"),
        (24, b"\x01", "with encryption"),
        (26, b"\x01", "with checksums"),
        (21, b"\x11", "it is cut off"),
        (4096 + 25, b"\x07", "page 1 holds no items"),
        (4096 + 16, b"\x01", "page 1 is named twice"),
        (4096 + 20, b"\x03", "an odd number of items"),
    ],
}


@pytest.mark.parametrize(
    ("form", "at", "bytes_there", "told"),
    [(form, *wrong) for form, several in WRONG.items() for wrong in several],
)
def test_what_is_damaged_is_said(
    records: Path, tmp_path: Path, form: str, at: int, bytes_there: bytes, told: str
) -> None:
    data = bytearray((records / form).read_bytes())
    data[at : at + len(bytes_there)] = bytes_there
    path = tmp_path / Path(form).name
    path.write_bytes(data)
    with pytest.raises(HostFileError) as problem:
        listed(path)
    assert told in problem.value.what


# -- the SQLite form -----------------------------------------------------------------------


def test_a_record_that_is_damaged(tmp_path: Path) -> None:
    path = tmp_path / "rpmdb.sqlite"
    write_record(path, [GULL] * 40)
    data = path.read_bytes()
    for broken in (b"", b"no database at all" * 100, data[: len(data) // 2]):
        path.write_bytes(broken)
        with pytest.raises(HostFileError):
            list(headers(path))
    write_record(path, [GULL])
    with closing(sqlite3.connect(path)) as record:
        record.execute("UPDATE Packages SET blob = ?", (header_of(GULL)[:50],))
        record.commit()
    with pytest.raises(HostFileError, match="package 1"):
        list(headers(path))


def test_a_record_with_a_log_beside_it(tmp_path: Path) -> None:
    path = tmp_path / "rpmdb.sqlite"
    write_record(path, [GULL])
    writer = sqlite3.connect(path)
    writer.execute("PRAGMA journal_mode=WAL")
    writer.execute("INSERT INTO Packages (blob) VALUES (?)", (header_of(DemoRpm("tern")),))
    writer.commit()
    names = [entry.name for batch in read_record(path, []) for entry in batch.entries]
    writer.close()
    assert names == ["gull", "tern"]


def test_keys_are_no_packages(tmp_path: Path) -> None:
    path = tmp_path / "rpmdb.sqlite"
    write_record(path, [DemoRpm("gpg-pubkey", "abc-1", "noarch", more={"key": "KEY"}), GULL])
    assert [e.name for batch in read_record(path, []) for e in batch.entries] == ["gull"]


def test_what_stands_only_in_the_log_makes_the_record_another(tmp_path: Path) -> None:
    path = tmp_path / "rpmdb.sqlite"
    write_record(path, [GULL])
    before = stamp_of(path)
    path.with_name("rpmdb.sqlite-wal").write_bytes(b"a change")
    assert stamp_of(path) != before
