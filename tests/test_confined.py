"""Nothing outside the root is read, written or removed, whatever links lie below it; and what
someone else could have put into Velpin's own folders is not believed."""

from __future__ import annotations

import json
import os
import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.harbours import AlpmHarbour, DebHarbour
from velpin.change.journal import Journal, hold
from velpin.demo.alpm_files import DemoArchive as AlpmPackage
from velpin.errors import CannotWrite, HostFileError, StoreError
from velpin.files import disk
from velpin.files.tree import Tree
from velpin.store.cache import open_cache
from velpin.store.index import write_index

OWN = "var/cache/velpin"
needs_root = pytest.mark.skipif(os.geteuid() != 0, reason="needs to give files away")


@pytest.fixture
def outside(tmp_path: Path) -> Iterator[Path]:
    """A folder beside the root, with a file that must stay as it is."""
    folder = tmp_path / "outside"
    folder.mkdir()
    (folder / "state.json").write_text("precious")
    (folder / "other").write_text("precious")
    before = {path.name: path.read_bytes() for path in folder.iterdir()}
    yield folder
    assert {path.name: path.read_bytes() for path in folder.iterdir()} == before


def states(harbour: DebHarbour) -> list[str]:
    """What is told of each source's index."""
    found = json.loads(harbour.run("sources", "--json").out)["sources"]
    return [source["state"] for source in found]


def link(harbour: DebHarbour, name: str, target: Path) -> None:
    path = harbour.root / name
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.is_dir() and not path.is_symlink():
        shutil.rmtree(path)
    path.symlink_to(target)


@pytest.mark.parametrize("name", [OWN, f"{OWN}/fetched", f"{OWN}/parsed", f"{OWN}/memo", "KEY"])
def test_a_link_out_of_the_store_is_made_anew(
    harbour: DebHarbour, outside: Path, name: str
) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    if name == "KEY":
        (key,) = (harbour.root / OWN / "fetched").iterdir()
        name = str(key.relative_to(harbour.root))
    link(harbour, name, outside)
    if name != OWN:  # a link at the top is followed inside the root, as links in etc are
        said = harbour.run("refresh")
        assert said.code == 0, said.err
        assert harbour.run("forecast", "gull").code == 0
        if not name.endswith("memo"):  # which nothing here is remembered in
            assert not (harbour.root / name).is_symlink()
    else:
        harbour.run("refresh")


@pytest.mark.parametrize(
    "name",
    [
        "etc/apt/sources.list.d/.one.list.velpin-part",
        "var/lib/velpin/journal/.000001.pending.json.velpin-part",
        "var/lib/velpin/lock",
        f"{OWN}/lock",
    ],
)
def test_a_planted_link_is_not_written_through(
    harbour: DebHarbour, outside: Path, name: str
) -> None:
    harbour.source("one", ("gull", "1"))
    link(harbour, name, outside / "other")
    assert harbour.run("refresh").code == 0
    said = harbour.run("off", "one", "--yes")
    assert said.code == 0, said.err
    assert harbour.read("etc/apt/sources.list.d/one.list").startswith("# deb")


@pytest.mark.parametrize("part", ["InRelease.new.part", "state.json", "Release.new"])
def test_links_among_fetched_files_are_not_written_through(
    harbour: DebHarbour, outside: Path, part: str
) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    (key,) = (harbour.root / OWN / "fetched").iterdir()
    (key / part).unlink(missing_ok=True)
    (key / part).symlink_to(outside / "other")
    assert harbour.run("refresh").code == 0


def test_links_that_stay_inside_work(harbour: DebHarbour) -> None:
    """In etc links are followed as the host would: an absolute one is meant below the root."""
    harbour.put("srv/lists/one.list", "deb http://a.example/x jetty main\n")
    link(harbour, "etc/apt/sources.list.d", Path("/srv/lists"))
    assert harbour.run("off", "x", "--yes").code == 0
    assert harbour.read("srv/lists/one.list").startswith("# deb")
    assert harbour.run("undo", "--yes").code == 0
    assert harbour.read("srv/lists/one.list").startswith("deb")


def test_a_link_put_there_between_looking_and_writing_is_not_followed(
    harbour: DebHarbour, outside: Path
) -> None:
    harbour.put("etc/apt/sources.list", "x")
    tree = Tree(harbour.root)
    tree.resolved("etc/apt/sources.list")
    shutil.rmtree(harbour.root / "etc/apt")
    link(harbour, "etc/apt", outside)
    with pytest.raises(CannotWrite):
        tree.write("etc/apt/other", b"overwritten")
    with pytest.raises((CannotWrite, HostFileError)):
        tree.remove("etc/apt/other")


def test_what_is_no_plain_file_is_not_read(harbour: DebHarbour) -> None:
    os.mkfifo(harbour.put("etc/apt/x", "").parent / "pipe")
    assert Tree(harbour.root).read("etc/apt/nothing") is None
    with pytest.raises(HostFileError, match="pipe"):
        Tree(harbour.root).read("etc/apt/pipe")


@pytest.mark.parametrize("how", ["link", "folder link", "pipe"])
def test_the_record_of_an_alpm_host_is_read_below_the_root(
    tmp_path: Path, outside: Path, how: str
) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", AlpmPackage("gull", "1-1"))
    harbour.installed(AlpmPackage("tern", "1-1"))
    folder = harbour.root / "var/lib/pacman/local/tern-1-1"
    (outside / "desc").write_text("%NAME%\nsecret\n")
    desc = folder / "desc"
    desc.unlink()
    if how == "link":
        desc.symlink_to(outside / "desc")
    elif how == "pipe":
        os.mkfifo(desc)
    else:
        shutil.rmtree(folder)
        folder.symlink_to(outside)
    assert harbour.refresh().host().packages.installed_names() == []
    assert harbour.run("host")[0] == 0
    (outside / "desc").unlink()


# -- whose they are, and who may write them --------------------------------------------------


def test_own_files_have_fixed_modes_whatever_the_umask(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    before = os.umask(0o000)
    try:
        assert harbour.run("refresh").code == 0
        assert harbour.run("forecast", "gull").code == 0
        assert harbour.run("off", "one", "--yes").code == 0
    finally:
        os.umask(before)
    modes = {
        str(path.relative_to(harbour.root)): path.stat().st_mode & 0o777
        for own in (OWN, "var/lib/velpin")
        for path in [harbour.root / own, *(harbour.root / own).rglob("*")]
    }
    for name, mode in modes.items():
        private = name.startswith("var/lib")
        if (harbour.root / name).is_dir():
            assert mode == (0o700 if private else 0o755), name
        else:
            assert mode == (0o600 if private or name.endswith("/lock") else 0o644), name
    assert len(modes) > 10


@pytest.mark.parametrize("folder", [OWN, f"{OWN}/fetched", f"{OWN}/parsed"])
def test_a_store_that_others_may_write_is_told_and_made_anew(
    harbour: DebHarbour, folder: str
) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    harbour.run("forecast", "gull")
    planted = harbour.put(f"{folder}/planted", "x")
    (harbour.root / folder).chmod(0o777)
    said = harbour.run("sources")
    assert f"{harbour.root / folder} may be written to by others" in said.err
    assert harbour.run("refresh").code == 0
    assert harbour.run("forecast", "gull").code == 0
    assert not planted.exists()
    assert "may be written" not in harbour.run("sources").err


@needs_root
def test_a_store_of_somebody_else_is_not_read(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    os.chown(harbour.root / OWN / "fetched", 4711, 4711)
    cache = open_cache(Tree(harbour.root))
    assert cache.doubts() == [f"{harbour.root / OWN / 'fetched'} belongs to user 4711"]
    assert states(harbour) == ["not fetched"]


@needs_root
@pytest.mark.parametrize("folder", ["var/lib/velpin", "var/lib/velpin/journal"])
def test_a_journal_of_somebody_else_is_refused(harbour: DebHarbour, folder: str) -> None:
    harbour.source("one", ("gull", "1"))
    assert harbour.run("off", "one", "--yes").code == 0
    entry = harbour.root / "var/lib/velpin/journal/000001.json"
    entry.rename(entry.with_name("000001.pending.json"))
    os.chown(harbour.root / folder, 4711, 4711)
    with pytest.raises(
        StoreError, match=r"belongs to user 4711, so the journal in it is not believed"
    ):
        Journal(Tree(harbour.root)).entries()
    said = harbour.run("off", "one", "--yes", "--preview")
    assert "an interrupted change is not repaired" in said.err
    assert harbour.read("etc/apt/sources.list.d/one.list").startswith("# deb")
    assert harbour.run("undo", "--yes").code == 3


def test_a_lock_that_others_could_hold_is_made_anew(tmp_path: Path) -> None:
    import fcntl

    lock = tmp_path / "own" / "lock"
    lock.parent.mkdir(mode=0o755)
    lock.write_text("")
    lock.chmod(0o666)
    with lock.open() as held:
        fcntl.flock(held, fcntl.LOCK_EX)
        with hold(lock, limit=0.05):
            assert lock.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize("planted", ["link", "file"])
def test_a_name_that_was_guessed_is_not_written_through(
    harbour: DebHarbour, outside: Path, planted: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("velpin.files.disk.part_of", lambda name: f".{name}.guessed")
    harbour.put("etc/apt/sources.list", "x")
    if planted == "link":
        link(harbour, "etc/apt/.sources.list.guessed", outside / "other")
    else:
        harbour.put("etc/apt/.sources.list.guessed", "someone else's")
    with pytest.raises(CannotWrite):
        Tree(harbour.root).write("etc/apt/sources.list", b"y")
    with pytest.raises(FileExistsError):
        disk.open_new(harbour.put("etc/there", ""))
    assert harbour.read("etc/apt/sources.list") == "x"


def test_a_part_left_by_a_kill_is_no_file_of_somebody_else(tmp_path: Path) -> None:
    names = [".a.list.0123456789abcdef.velpin-part", ".a.list.velpin-part", "a.velpin-part"]
    for name in names:
        (tmp_path / name).write_text("")
    disk.clear_parts(tmp_path, "a.list")
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(names[1:])


# -- the store checks itself -----------------------------------------------------------------


@pytest.mark.slow
def test_a_parsed_index_with_any_bit_turned_is_made_anew(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"), ("tern", "2-3"))
    harbour.ready()
    right = harbour.run("forecast", "--json", "gull", "tern").out
    found = (harbour.root / OWN / "parsed").glob("*.index")
    (parsed,) = (path for path in found if not path.name.startswith("status"))
    data = parsed.read_bytes()
    for at in range(0, len(data), 7):
        parsed.write_bytes(data[:at] + bytes([data[at] ^ 4]) + data[at + 1 :])
        said = harbour.run("forecast", "--json", "gull", "tern")
        assert (said.code, said.out) == (0, right), at
    for length in range(0, len(data), 61):
        parsed.write_bytes(data[:length])
        assert harbour.run("forecast", "--json", "gull", "tern").out == right


def test_an_entry_with_a_line_end_in_a_field_is_passed_over_and_told(tmp_path: Path) -> None:
    from velpin.store.index import Batch, Index, ParsedEntry, Stamp

    good = ParsedEntry("gull", "amd64", "1", "", "", 0, 1, "")
    bad = ParsedEntry("evil\nfog\t0\tamd64\t9\t\t\t0\t0\t1\t", "amd64", "1", "", "", 0, 1, "")
    file = tmp_path / "list"
    file.write_bytes(b"x")
    long = ParsedEntry("n" * 70_000, "amd64", "1", "", "", 0, 1, "")
    links = {"R": [("c\td", 1), ("e", 1)]}
    batch = Batch(b"x", [bad, good, long], [("fine", 1), ("a\nb", 0)], [], links)
    write_index(tmp_path / "x.index", Stamp.of(file), [lambda _notes: [batch]])
    index = Index(tmp_path / "x.index")
    assert index.names() == ["gull"]
    assert [row.name for row in index.providers("fine")] == ["gull"]
    assert index.provided_names() == ["fine"]
    assert index.all_linked("R") == ["e"]
    assert [(note.line, note.text) for note in index.notes] == [
        (0, "2 entries passed over, with a tab or a line end in a field, or far too long")
    ]


@pytest.mark.parametrize("value", ["[]", "null", '{"a": 1}', '{"address": 3}', "[" * 20_000, ""])
def test_a_damaged_record_of_what_was_fetched_is_as_none(harbour: DebHarbour, value: str) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    (state,) = (harbour.root / OWN / "fetched").glob("*/state.json")
    state.write_text(value)
    assert states(harbour) == ["not fetched"]
    assert harbour.run("refresh").code == 0
