"""What is kept of fetches: the newest of several, only what is sound and believed, no more than so
much of anything."""

from __future__ import annotations

import hashlib
import json
import os
import zlib
from pathlib import Path
from typing import Any

import pytest

from velpin.errors import CannotWrite, FetchError, MissingKey
from velpin.files import disk
from velpin.files.given import why_writable
from velpin.files.tree import Tree
from velpin.store import cache
from velpin.store.cache import Fetched, IndexCache, is_as_fetched

WHERE = ("http://gullwatch.example/apt", "jetty")


def store(*folders: Path) -> IndexCache:
    for folder in folders:
        folder.mkdir(exist_ok=True, mode=0o755)
    return IndexCache(folders)


def kept(folder: Path, fetched: float, **more: Any) -> Fetched:
    """A good fetch in a store."""
    record = store(folder).place(*WHERE)
    record.fetched, record.release_file = fetched, "Release"
    record.put("Release", b"head")
    for name, value in more.items():
        setattr(record, name, value)
    store(folder).keep(record)
    return record


@pytest.mark.parametrize(
    ("first", "second", "newest"),
    [(1.0, 2.0, 2.0), (2.0, 1.0, 2.0), (2.0, None, 2.0), (None, 1.0, 1.0), (None, None, None)],
)
def test_the_newest_of_several_stores_counts(
    tmp_path: Path, first: float | None, second: float | None, newest: float | None
) -> None:
    folders = [tmp_path / "a", tmp_path / "b"]
    for folder, time in zip(folders, (first, second), strict=True):
        if time is not None:
            kept(folder, time)
    found = store(*folders).fetched(*WHERE)
    assert (found.fetched if found else None) == newest


def test_a_record_is_of_its_address_and_release_alone(tmp_path: Path) -> None:
    kept(tmp_path / "a", 1.0)
    have = store(tmp_path / "a")
    assert have.fetched(*WHERE) is not None
    assert have.fetched("http://me:pw@gullwatch.example/apt", "jetty") is None  # another key
    assert have.fetched(WHERE[0], "quay") is None
    assert have.fetched(WHERE[0] + "/", "jetty") is None


@pytest.mark.parametrize("mode", [0o755, 0o775, 0o757])
def test_a_store_that_others_may_write_is_not_believed(tmp_path: Path, mode: int) -> None:
    kept(tmp_path / "a", 1.0)
    for inner in ("", "fetched"):
        place = tmp_path / "a" / inner
        place.chmod(mode)
        assert (store(tmp_path / "a").fetched(*WHERE) is not None) == (mode == 0o755)
        assert bool(store(tmp_path / "a").doubts()) == (mode != 0o755)
        place.chmod(0o755)


@pytest.mark.parametrize(("count", "left"), [(11, 11), (12, 12), (13, 12)])
def test_the_last_dates_are_remembered(tmp_path: Path, count: int, left: int) -> None:
    kept(tmp_path / "a", 1.0, dates=[float(day) for day in range(count)])
    found = store(tmp_path / "a").fetched(*WHERE)
    assert found is not None
    assert (len(found.dates), found.dates[-1]) == (left, count - 1)


def test_what_a_fetch_no_longer_names_is_removed(tmp_path: Path) -> None:
    record = store(tmp_path / "a").place(*WHERE)
    for name in ("old", "one", "two"):
        record.put(name, b"x")
    kept(tmp_path / "a", 1.0, indexes={"a": "one", "b": "two"})
    assert sorted(os.listdir(record.folder)) == ["Release", "one", "state.json", "two"]


@pytest.mark.parametrize(
    ("change", "sound"),
    [
        ({}, True), ({"fetched": -1.0}, False), ({"fetched": "x"}, False), ({"fetched": True}, False),
        ({"signed_by": "AB"}, False), ({"signed_by": [1]}, False), ({"signed_by": ["AB", "CD"]}, True),
        ({"dates": [1.0, 2.0]}, True), ({"dates": [1.0, "x"]}, False), ({"dates": {}}, False),
        ({"packages_signed_by": ["A", 1]}, False), ({"packages_signed_by": None}, False),
        ({"offered_keys": [["a", "b", "c"]]}, True), ({"offered_keys": [["a", "b"]]}, False),
        ({"offered_keys": [["a", "b", "c"], ["a", "b", 3]]}, False), ({"offered_keys": [["a", "b", "c", "d"]]}, False),
        ({"remote": []}, False), ({"remote": {"url": 1}}, False), ({"indexes": {"a": "Release"}}, True),
        ({"indexes": {"a": "gone"}}, False), ({"indexes": {"a": ""}}, False), ({"indexes": {"a": "../Release"}}, False),
        ({"release_file": ""}, False), ({"release_file": "gone"}, False), ({"release_file": "sub/Release"}, False),
        ({"release": 3}, False), ({"address": None}, False),
    ],
)  # fmt: skip
def test_a_record_that_is_not_sound_is_none(
    tmp_path: Path, change: dict[str, Any], sound: bool
) -> None:
    record = kept(tmp_path / "a", 1.0)
    (record.folder / "sub").mkdir()
    (record.folder / "sub/Release").write_text("x")
    file = record.folder / "state.json"
    state = json.loads(file.read_text())
    del state["sum"]
    state |= change
    state["sum"] = zlib.crc32(json.dumps(state, sort_keys=True).encode())
    file.write_text(json.dumps(state))
    assert (store(tmp_path / "a").fetched(*WHERE) is not None) == sound


@pytest.mark.parametrize("how", ["another sum", "no sum", "a link", "cut", "a list"])
def test_a_record_that_was_changed_is_none(tmp_path: Path, how: str) -> None:
    record = kept(tmp_path / "a", 1.0)
    file = record.folder / "state.json"
    state = json.loads(file.read_text())
    if how == "another sum":
        file.write_text(json.dumps({**state, "fetched": 2.0}))
    elif how == "no sum":
        del state["sum"]
        file.write_text(json.dumps(state))
    elif how == "a link":
        file.rename(record.folder / "other")
        file.symlink_to("other")
    else:
        file.write_text("[]" if how == "a list" else file.read_text()[:-3])
    assert store(tmp_path / "a").fetched(*WHERE) is None


# -- failures ------------------------------------------------------------------------------


def test_a_failure_is_remembered_until_the_next_good_fetch(tmp_path: Path) -> None:
    have = store(tmp_path / "a")
    assert have.failure(*WHERE) is None
    have.note_failure(*WHERE, MissingKey("no key", ("AB", "CD"), "get it", (b"head", b"signature")))
    found = have.failure(*WHERE)
    assert found is not None
    assert (found.message, found.hint, found.kind) == ("no key", "get it", "MissingKey")
    assert (found.keys, found.refused) == (("AB", "CD"), (b"head", b"signature"))
    have.note_failure(*WHERE, FetchError("http://me:pw@x.example/y: gone", "later"))
    found = have.failure(*WHERE)
    assert found is not None
    assert (found.kind, found.keys, found.refused) == ("FetchError", (), None)
    assert "pw" not in found.text
    assert found.text.endswith("\nlater")
    kept(tmp_path / "a", 1.0)
    assert store(tmp_path / "a").failure(*WHERE) is None


@pytest.mark.parametrize(("size", "is_kept"), [(10, True), (11, False)])
def test_a_head_that_is_too_large_is_not_kept(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, size: int, is_kept: bool
) -> None:
    monkeypatch.setattr(cache, "_LARGEST_RELEASE", 10)
    have = store(tmp_path / "a")
    have.note_failure(*WHERE, MissingKey("no key", ("AB",), "", (b"h" * size, None)))
    found = have.failure(*WHERE)
    assert found is not None
    assert found.refused == ((b"h" * size, None) if is_kept else None)


@pytest.mark.parametrize(("count", "told"), [(31, 31), (32, 32), (33, 32)])
def test_so_many_keys_of_a_failure_are_told(tmp_path: Path, count: int, told: int) -> None:
    have = store(tmp_path / "a")
    have.note_failure(*WHERE, MissingKey("no key", tuple(f"{n:016X}" for n in range(count))))
    found = have.failure(*WHERE)
    assert found is not None
    assert len(found.keys) == told


# -- files ---------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["sha256", "sha512", "sha384", "sha224"])
@pytest.mark.parametrize(
    ("length", "data", "good"),
    [
        (32, b"x", True),
        (20, b"x", True),
        (19, b"y", True),
        (33, b"y", True),
        (32, b"y", False),
        (20, b"y", False),
    ],
)
def test_a_file_that_is_called_after_its_digest_has_it(
    tmp_path: Path, kind: str, length: int, data: bytes, good: bool
) -> None:
    digest = hashlib.new(kind, b"x").hexdigest()[:length]
    for name in (digest, f"Packages.{digest}", f"{digest}.gz", f"a.{digest}.xz"):
        path = tmp_path / name
        path.write_bytes(data)
        assert is_as_fetched(path) == good
        path.unlink()
    assert is_as_fetched(tmp_path / f"x{digest}")


def test_a_fetch_is_whole_with_all_its_files(tmp_path: Path) -> None:
    name = hashlib.sha256(b"index").hexdigest()[:32]
    record = store(tmp_path / "a").place(*WHERE)
    record.put(name, b"index")
    record.put(name, b"something else")  # it is there
    found = kept(tmp_path / "a", 1.0, indexes={"a": name})
    assert found.is_whole()
    assert found.release_bytes() == b"head"
    found.path(name).write_bytes(b"changed")
    assert not found.is_whole()
    found.path(name).unlink()
    assert not found.is_whole()


def test_the_first_folder_that_may_be_written_is_home(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    one, two = tmp_path / "one", tmp_path / "two"
    for folder in (one, two):
        folder.mkdir()
    closed: set[Path] = set()
    monkeypatch.setattr(cache.os, "access", lambda place, _how: Path(place) not in closed)
    have = store(one, two)
    assert have.home == one
    closed.add(one)
    assert have.home == two
    closed.add(two)
    with pytest.raises(CannotWrite, match=r"one or .*two"):
        _ = have.home


def test_a_store_that_was_not_believed_is_made_anew_and_told(tmp_path: Path) -> None:
    kept(tmp_path / "a", 1.0)
    (tmp_path / "a").chmod(0o777)
    have = store(tmp_path / "a")
    assert have.home == tmp_path / "a"
    assert [line.partition(" ")[0] for line in have.remade] == [str(tmp_path / "a")]
    assert not disk.why_doubted(tmp_path / "a")
    assert store(tmp_path / "a").fetched(*WHERE) is None


@pytest.mark.parametrize(
    ("there", "doubt"),
    [
        (None, ""), (0o755, ""), (0o700, ""), (0o1755, ""), (0o775, "may be written to by others"),
        (0o757, "may be written to by others"), ("file", "is not a folder"),
        ("link", "is not a folder"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("mode", [0o755, 0o700])
def test_a_folder_of_ones_own_has_its_rights_and_only_what_is_believed(
    tmp_path: Path, there: int | str | None, doubt: str, mode: int
) -> None:
    path = tmp_path / "a/b"
    if there is not None:
        path.parent.mkdir()
    if isinstance(there, int):
        path.mkdir()
        (path / "kept").touch()
        path.chmod(there)
    elif there == "file":
        path.write_text("x")
    elif there:
        path.symlink_to(tmp_path)
    assert disk.make_own_folder(path, mode) == doubt
    assert path.is_dir()
    assert not path.is_symlink()
    assert path.stat().st_mode & 0o7777 == mode
    assert (path / "kept").exists() == (isinstance(there, int) and not doubt)


@pytest.mark.parametrize("deep", [0, 1, 3])
def test_folders_above_a_file_are_made_with_their_rights(tmp_path: Path, deep: int) -> None:
    base = tmp_path.joinpath(*"abc"[:deep])
    disk.write_file(base, "x/y/file", b"data", mode=0o640, folders=0o750)
    assert (base / "x/y/file").read_bytes() == b"data"
    assert (base / "x/y/file").stat().st_mode & 0o777 == 0o640
    made = [base / "x", base / "x/y", *[tmp_path.joinpath(*"abc"[:n]) for n in range(1, deep + 1)]]
    assert {folder.stat().st_mode & 0o777 for folder in made} == {0o750}


def test_what_is_no_plain_file_is_nobodys_word(tmp_path: Path) -> None:
    tmp_path.chmod(0o777)
    os.mkfifo(tmp_path / "pipe", 0o666)
    found = (tmp_path, tmp_path / "pipe", tmp_path / "none", "\0")
    assert [why_writable(path) for path in found] == ["", "", "", ""]


@pytest.mark.parametrize(("user", "folders"), [(0, 1), (7, 2)])
def test_whoever_is_not_root_has_a_store_at_home_as_well(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, user: int, folders: int
) -> None:
    monkeypatch.setattr(cache.os, "geteuid", lambda: user)
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "home"))
    found = cache.open_cache(Tree(tmp_path))._folders
    assert found[0] == tmp_path / "var/cache/velpin"
    assert [path.parent for path in found[1:]] == [tmp_path / "home/velpin"] * (folders - 1)
