"""The parsed index: what is written is found again, whole or not at all."""

from __future__ import annotations

import bz2
import gzip
import lzma
import os
from pathlib import Path

import lz4.frame
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.harbours import offer
from velpin.demo.build import text_of
from velpin.errors import CannotWrite, HostFileError, StoreError
from velpin.fetch.unpack import unpacked
from velpin.kinds.deb import stanzas
from velpin.store.cache import IndexCache
from velpin.store.index import Index, IndexPart, Stamp, write_index

try:
    from compression import zstd  # type: ignore[import-not-found,unused-ignore]
except ImportError:
    from backports import zstd

PACKERS = {
    "plain": lambda data: data,
    "gz": gzip.compress,
    "xz": lzma.compress,
    "lzma": lambda data: lzma.compress(data, format=lzma.FORMAT_ALONE),
    "bz2": bz2.compress,
    "lz4": lz4.frame.compress,
    "zst": lambda data: zstd.compress(data, options={zstd.CompressionParameter.checksum_flag: 1}),
}
ROWS = [
    offer("tern", "1", Provides="bird (= 2), wader,\n sea-bird"),
    offer("gull", "2", "all", Source="nest (1.0)"),
    offer("gull", "10", Description="eats TIDE tables"),
    offer("gull-doc", "1"),
]


def store(tmp_path: Path, data: bytes, *, record: bool = False) -> Index:
    file = tmp_path / "Packages"
    file.write_bytes(data)
    target = tmp_path / "x.index"
    write_index(target, Stamp.of(file), stanzas.parts_of(unpacked(file), record=record))
    return Index(target)


@pytest.mark.parametrize("kind", PACKERS)
def test_every_compression(tmp_path: Path, kind: str) -> None:
    index = store(tmp_path, PACKERS[kind](text_of(ROWS)))
    assert index.count == 4
    assert [(r.version, r.arch, r.built_from) for r in index.rows("gull")] == [
        ("2", "all", "nest"),
        ("10", "amd64", ""),
    ]
    assert index.names() == ["gull", "gull-doc", "tern"]
    assert [r.name for r in index.providers("sea-bird")] == ["tern"]
    assert index.provided_names() == ["bird", "sea-bird", "wader"]
    assert list(index.speaking_of(["TIDE", "gu"])) == [("gull", "eats TIDE tables")]
    assert {name for name, _ in index.speaking_of(["gull"])} == {"gull", "gull-doc"}
    assert list(index.speaking_of(["amd64"])) == []
    assert [r.name for r in index.matching("g*c")] == ["gull-doc"]
    assert b"eats TIDE" in index.text(index.rows("gull")[1])
    assert index.rows("gul") == index.rows("zebra") == index.rows("") == []


@pytest.mark.parametrize("kind", [kind for kind in PACKERS if kind != "plain"])
def test_a_small_file_that_holds_much_comes_in_pieces(tmp_path: Path, kind: str) -> None:
    data = b"x" * 20_000_000
    (tmp_path / "a").write_bytes(PACKERS[kind](data))
    sizes = [len(piece) for piece in unpacked(tmp_path / "a")]
    assert sum(sizes) == len(data)
    assert max(sizes) <= 4 << 20


@pytest.mark.parametrize("kind", ["gz", "xz", "bz2", "lz4", "zst"])
def test_several_members_are_one_text(tmp_path: Path, kind: str) -> None:
    (tmp_path / "a").write_bytes(PACKERS[kind](b"one ") + PACKERS[kind](b"two") + b"\0" * 8)
    assert b"".join(unpacked(tmp_path / "a")) == b"one two"


@pytest.mark.parametrize("kind", [kind for kind in PACKERS if kind != "plain"])
@pytest.mark.parametrize("hurt", ["cut", "flip"])
def test_damaged_files_are_told_and_leave_nothing(tmp_path: Path, kind: str, hurt: str) -> None:
    data = bytearray(PACKERS[kind](text_of(ROWS * 60)))
    if hurt == "cut":
        data = data[: len(data) // 2]
    else:
        at = len(data) // 2
        data[at : at + 8] = bytes(byte ^ 0xFF for byte in data[at : at + 8])
    with pytest.raises(HostFileError, match="damaged"):
        store(tmp_path, bytes(data))
    assert [path.name for path in tmp_path.iterdir()] == ["Packages"]


def test_odd_stanzas_are_told_with_their_line(tmp_path: Path) -> None:
    good = text_of([ROWS[0]]).decode().rstrip("\n")
    index = store(
        tmp_path,
        f"{good}\n\nPackage: a\nArchitecture: all\n\nVersion: 1\n\npackage: Kelp\nversion: 1\narchitecture: all".encode(),
    )
    lines = good.count("\n") + 1
    assert index.notes == [
        (lines + 2, "a: a stanza without Version", ""),
        (lines + 5, "a stanza without Package", "unreadable"),
    ]
    assert index.names() == ["kelp", "tern"]


@pytest.mark.parametrize(
    "text", [b"", b"\n\n", b"Package: a\r\nVersion: 1\r\nArchitecture: all\r\n\r\n"]
)
def test_empty_and_foreign_line_ends(tmp_path: Path, text: bytes) -> None:
    index = store(tmp_path, text)
    assert index.notes == []
    assert [(r.name, r.version) for r in index.rows("a")] == ([("a", "1")] if text.strip() else [])


def test_a_record_cut_in_the_middle_is_told(tmp_path: Path) -> None:
    row = {"Package": "gull", "Status": "hold ok installed", "Version": "1", "Architecture": "all"}
    text = text_of([row]).decode() + "\nPackage: tern\nVersion: 2\nArchi"
    index = store(tmp_path, text.encode(), record=True)
    assert [r.state for r in index.rows("gull")] == ["hold ok installed"]
    assert index.notes == [
        (6, "tern: no Status; the file may be cut off", ""),
        (
            8,
            "the last line has no end, which the host's installer refuses; the file may be cut off",
            "",
        ),
        (8, "a line that is not a field; the file may be cut off", "unreadable"),
    ]


def test_large_indexes_are_read_in_parts_like_small_ones(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    rows = [offer(f"p{n % 700:03}", str(n), Provides=f"v{n % 9}") for n in range(1500)]
    rows[900]["Version"] = ""
    small = store(tmp_path, text_of(rows))
    monkeypatch.setattr(stanzas, "_LARGE", 1 << 15)
    monkeypatch.setattr(os, "sched_getaffinity", lambda _pid: {0, 1, 2})
    (tmp_path / "b").mkdir()
    large = store(tmp_path / "b", text_of(rows))
    assert len(large._parts) == 3
    assert large.notes == small.notes
    assert len(large.notes) == 1
    for name in (*small.names(), "nobody"):
        assert [(r.version, large.text(r)) for r in large.rows(name)] == [
            (r.version, small.text(r)) for r in small.rows(name)
        ]
    assert {r.name for r in large.providers("v3")} == {r.name for r in small.providers("v3")}
    assert len(list(large.all_rows())) == 1499


def test_a_part_that_fails_elsewhere_fails_here(tmp_path: Path) -> None:
    def broken(_notes: object) -> object:
        raise HostFileError("Packages", 3, "no good")

    file = tmp_path / "Packages"
    file.write_bytes(b"")
    good = stanzas.parts_of([b""])
    with pytest.raises(HostFileError, match="Packages:3"):
        write_index(tmp_path / "x.index", Stamp.of(file), [*good, broken])  # type: ignore[list-item]
    assert [path.name for path in tmp_path.iterdir()] == ["Packages"]


@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(
    st.lists(
        st.tuples(st.from_regex(r"[a-z][a-z0-9+.-]{0,6}", fullmatch=True), st.integers(0, 99)),
        max_size=60,
    )
)
def test_every_entry_is_found_by_its_name(tmp_path: Path, offers: list[tuple[str, int]]) -> None:
    index = store(tmp_path, text_of(offer(name, str(version)) for name, version in offers))
    for name in {name for name, _ in offers}:
        assert [int(r.version) for r in index.rows(name)] == [v for n, v in offers if n == name]
    assert index.names() == sorted({name for name, _ in offers})


@pytest.mark.parametrize("data", [b"", b"junk", b"x" * 100, b"{}" + (2).to_bytes(8, "little")])
def test_a_damaged_index_is_made_anew(tmp_path: Path, data: bytes) -> None:
    cache = IndexCache([tmp_path / "store"])
    file = tmp_path / "Packages"
    file.write_bytes(text_of(ROWS))

    def parts(path: Path) -> list[IndexPart]:
        return stanzas.parts_of(unpacked(path))

    made = cache.parsed(file, parts).path
    made.write_bytes(data)
    with pytest.raises(StoreError):
        Index(made)
    assert IndexCache([tmp_path / "store"]).parsed(file, parts).count == 4


def test_unchanged_files_are_not_read_again(tmp_path: Path) -> None:
    file = tmp_path / "Packages"
    file.write_bytes(text_of(ROWS))

    def parts(path: Path) -> list[IndexPart]:
        return stanzas.parts_of(unpacked(path))

    for fresh in (1, 0):
        cache = IndexCache([tmp_path / "store"])
        cache.parsed(file, parts)
        assert len(cache.fresh) == fresh
    file.write_bytes(text_of(ROWS[:2]))
    cache = IndexCache([tmp_path / "store"])
    assert cache.parsed(file, parts).count == 2
    assert len(cache.fresh) == 1


def test_without_room_it_works_in_a_temporary_place(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    file = tmp_path / "Packages"
    file.write_bytes(text_of(ROWS))
    (tmp_path / "store").write_text("a file where the folder should be")
    cache = IndexCache([tmp_path / "store"])
    assert cache.parsed(file, lambda path: stanzas.parts_of(unpacked(path))).count == 4
    with pytest.raises(CannotWrite):
        write_index(tmp_path / "store" / "x.index", Stamp.of(file), stanzas.parts_of([b""]))
