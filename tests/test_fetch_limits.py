"""The bounds of what is unpacked: as much as is allowed is taken, a byte or a file more is not."""

from __future__ import annotations

import bz2
import gzip
import hashlib
import lzma
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.release_packages import cpio_of, deb_of, rpm_of, tar_of
from velpin.errors import HostFileError
from velpin.fetch import package, unpack
from velpin.fetch.package import is_package, open_package
from velpin.fetch.unpack import compression_of, given, measured, unpacked

DATA = bytes(range(256)) * 40
PACKERS: dict[str, Callable[[bytes], bytes]] = {
    "": bytes, "gz": gzip.compress, "xz": lzma.compress, "bz2": bz2.compress,
    "lzma": lambda data: lzma.compress(data, format=lzma.FORMAT_ALONE),
}  # fmt: skip


@pytest.fixture(params=sorted(PACKERS))
def packed(request: pytest.FixtureRequest, tmp_path: Path) -> Path:
    path = tmp_path / "packed"
    path.write_bytes(PACKERS[request.param](DATA))
    return path


@pytest.mark.parametrize("piece", [1, 7, 4096, len(DATA) - 1, len(DATA), len(DATA) + 1])
def test_what_is_unpacked_in_pieces_is_whole(
    packed: Path, monkeypatch: pytest.MonkeyPatch, piece: int
) -> None:
    monkeypatch.setattr(unpack, "_PIECE", piece)
    monkeypatch.setattr(unpack, "_CHUNK", max(piece, 11))
    assert b"".join(unpacked(packed)) == DATA


@pytest.mark.parametrize(
    ("most", "digest"), [(len(DATA), True), (len(DATA) - 1, False), (len(DATA) + 1, True)]
)
def test_what_unpacks_to_more_is_not_read_on(packed: Path, most: int, digest: bool) -> None:
    size, told = measured(packed, "sha256", most)
    assert (size > most) != digest
    assert (told == hashlib.sha256(DATA).hexdigest()) == digest
    assert measured(packed, "", most)[1] == ""


@pytest.mark.parametrize("cut", [1, 5, 9])
@pytest.mark.parametrize("kind", ["gz", "xz", "bz2"])
def test_a_file_that_ends_too_early_is_damaged(tmp_path: Path, kind: str, cut: int) -> None:
    path = tmp_path / "packed"
    path.write_bytes(PACKERS[kind](DATA)[:-cut])
    with pytest.raises(HostFileError, match=f"damaged {kind} file"):
        list(unpacked(path))


@pytest.mark.parametrize(
    ("members", "data"),
    [([DATA, DATA], DATA * 2), ([b"", DATA], DATA), ([DATA, b""], DATA), ([b""] * 3, b"")],
)
def test_several_members_are_one_file(tmp_path: Path, members: list[bytes], data: bytes) -> None:
    path = tmp_path / "packed"
    for tail in (b"", b"\0" * 9):
        path.write_bytes(b"".join(map(gzip.compress, members)) + tail)
        assert b"".join(unpacked(path)) == data


@pytest.mark.parametrize(
    ("before", "behind", "good"),
    [(3, 0, True), (4, 0, False), (3, 3, True), (2, 4, False), (0, 3, True)],
)  # fmt: skip
def test_empty_members_are_counted_in_a_row(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, before: int, behind: int, good: bool
) -> None:
    monkeypatch.setattr(unpack, "_MOST_EMPTY", 3)
    path = tmp_path / "packed"
    nothing = gzip.compress(b"")
    path.write_bytes(nothing * before + gzip.compress(DATA) + nothing * behind)
    if good:
        assert b"".join(unpacked(path)) == DATA
    else:
        with pytest.raises(HostFileError, match="nothing but empty members"):
            list(unpacked(path))


def test_a_given_handle_is_read_from_its_beginning_each_time(packed: Path) -> None:
    with packed.open("rb") as file, given("elsewhere", file.fileno()):
        file.read(5)
        for _ in range(2):
            assert b"".join(unpacked(Path("elsewhere"))) == DATA
        assert unpack.size_of(Path("elsewhere")) == packed.stat().st_size
    with pytest.raises(OSError):
        list(unpacked(Path("elsewhere")))


@pytest.mark.parametrize(
    ("head", "kind"),
    [(b"", ""), (b"\x1f", ""), (b"\x1f\x8b", "gz"), (b"BZ", ""), (b"BZh9", "bz2"), (b"\xfd7zXZ", ""),
     (b"\xfd7zXZ\0x", "xz"), (b"x\x1f\x8b", ""), (b"\x28\xb5\x2f\xfd", "zst"), (b"]\0\0\x80", "lzma")],
)  # fmt: skip
def test_the_first_bytes_tell_the_compression(head: bytes, kind: str) -> None:
    assert compression_of(head) == kind


# -- release packages ----------------------------------------------------------------------

FILES = {"etc/a": b"a" * 30, "etc/b": b"b" * 20}
MAKERS = {"deb": deb_of, "rpm": rpm_of}


@pytest.fixture(params=sorted(MAKERS))
def made(request: pytest.FixtureRequest) -> bytes:
    return MAKERS[request.param](FILES)


def test_a_package_is_known_by_its_beginning(made: bytes) -> None:
    assert is_package(made)
    assert not is_package(b"x" + made)
    assert open_package(made, "x") == FILES


@pytest.mark.parametrize(("most", "good"), [(2, True), (1, False)])
def test_the_files_of_a_package_are_counted(
    made: bytes, monkeypatch: pytest.MonkeyPatch, most: int, good: bool
) -> None:
    monkeypatch.setattr(package, "_MOST_FILES", most)
    if good:
        assert open_package(made, "x") == FILES
    else:
        with pytest.raises(HostFileError, match="far more files"):
            open_package(made, "x")


@pytest.mark.parametrize(
    ("largest", "names"), [(30, {"etc/a", "etc/b"}), (29, {"etc/b"}), (20, {"etc/b"}), (19, set())]
)
def test_a_file_that_is_too_large_is_left_out(
    made: bytes, monkeypatch: pytest.MonkeyPatch, largest: int, names: set[str]
) -> None:
    monkeypatch.setattr(package, "_LARGEST", largest)
    assert set(open_package(made, "x")) == names


@pytest.mark.parametrize("kind", sorted(MAKERS))
def test_a_package_is_bounded_unpacked(monkeypatch: pytest.MonkeyPatch, kind: str) -> None:
    made = MAKERS[kind](FILES)
    size = len(tar_of(FILES) if kind == "deb" else cpio_of(FILES))
    monkeypatch.setattr(package, "_MOST", size)
    assert open_package(made, "x") == FILES
    monkeypatch.setattr(package, "_MOST", size - 1)
    with pytest.raises(HostFileError, match="far larger"):
        open_package(made, "x")


@pytest.mark.parametrize("kind", sorted(MAKERS))
def test_the_members_of_a_package_are_counted(monkeypatch: pytest.MonkeyPatch, kind: str) -> None:
    """A folder and what ends or is no file are members too."""
    count = 3 if kind == "deb" else 4
    monkeypatch.setattr(package, "_MOST_MEMBERS", count)
    assert open_package(MAKERS[kind](FILES), "x") == FILES
    monkeypatch.setattr(package, "_MOST_MEMBERS", 2)
    with pytest.raises(HostFileError):
        open_package(MAKERS[kind](FILES), "x")


@pytest.mark.parametrize("cut", [1, 40, 200])
def test_a_package_that_is_cut_off_is_damaged(made: bytes, cut: int) -> None:
    with pytest.raises(HostFileError):
        open_package(made[:-cut], "x")
