"""Changes: whole or not at all, recorded, and taken back byte for byte."""

from __future__ import annotations

import json
import os
import resource
import signal
import threading
from pathlib import Path

import pytest

from tests.harbours import DebHarbour
from tests.killing import in_a_child, killed_at
from velpin.change.journal import FileState, Journal, _state_in, _state_out, hold
from velpin.errors import Busy, CannotWrite, ChangedSince, Refusal, StoreError
from velpin.files.disk import write_file
from velpin.files.tree import Tree

EDITS: dict[str, bytes | None] = {
    "etc/apt/keyrings/new.asc": b"key",
    "etc/apt/sources.list": b"after\n",
    "etc/apt/gone.list": None,
}


@pytest.fixture
def journal(harbour: DebHarbour) -> Journal:
    harbour.put("etc/apt/sources.list", b"before \xff\n").chmod(0o640)
    harbour.put("etc/apt/gone.list", "gone\n").chmod(0o600)
    return Journal(Tree(harbour.root), clock=lambda: 1_700_000_000.0)


def modes(harbour: DebHarbour) -> dict[str, int]:
    return {name: (harbour.root / name).stat().st_mode for name in harbour.files()}


def folders(harbour: DebHarbour) -> set[str]:
    return {
        str(p.relative_to(harbour.root))
        for p in harbour.root.rglob("*")
        if p.is_dir() and "var/lib/velpin" not in str(p)
    }


def test_a_change_and_back_byte_for_byte(harbour: DebHarbour, journal: Journal) -> None:
    before, were, had = harbour.files(), modes(harbour), folders(harbour)
    entry = journal.make(EDITS, "velpin add x", "add source x")
    assert harbour.files()["etc/apt/sources.list"][0] == b"after\n"
    assert not (harbour.root / "etc/apt/gone.list").exists()
    assert (harbour.root / "etc/apt/sources.list").stat().st_mode & 0o777 == 0o640
    assert (harbour.root / "etc/apt/keyrings/new.asc").stat().st_mode & 0o777 == 0o644
    done = journal.undo()
    assert (done.number, done.undoes) == (2, entry.number)
    assert (harbour.files(), modes(harbour), folders(harbour)) == (before, were, had)
    assert [e.undone_by for e in journal.entries()] == [2, 0]
    with pytest.raises(Refusal, match="nothing to undo"):
        journal.undo()
    with pytest.raises(Refusal, match="already undone"):
        journal.undo(1)
    journal.undo(2)
    assert harbour.files()["etc/apt/sources.list"][0] == b"after\n"


def test_undo_refuses_what_has_changed_since(harbour: DebHarbour, journal: Journal) -> None:
    journal.make(EDITS, "c", "one")
    harbour.put("etc/apt/sources.list", "by hand\n")
    with pytest.raises(ChangedSince, match=r"etc/apt/sources\.list") as problem:
        journal.undo()
    assert "000001.json" in problem.value.hint
    assert harbour.read("etc/apt/sources.list") == "by hand\n"


def test_undo_names_the_later_change_that_is_in_the_way(journal: Journal) -> None:
    journal.make({"etc/apt/sources.list": b"1"}, "c", "one")
    journal.make({"etc/apt/sources.list": b"2"}, "c", "two")
    with pytest.raises(ChangedSince) as problem:
        journal.undo(1)
    assert problem.value.hint.endswith("velpin undo 2")


def test_a_plan_made_on_other_contents_is_not_carried_out(
    harbour: DebHarbour, journal: Journal
) -> None:
    planned_on = {"etc/apt/sources.list": b"something else"}
    with pytest.raises(ChangedSince, match="something else"):
        journal.make(EDITS, "c", "s", planned_on=planned_on)
    assert (harbour.root / "etc/apt/gone.list").exists()
    assert journal.entries() == []


# -- kills -------------------------------------------------------------------------------


@pytest.mark.slow
@pytest.mark.parametrize("what", ["make", "undo"])
def test_a_kill_at_any_point_leaves_the_old_or_the_new(
    harbour: DebHarbour, journal: Journal, what: str
) -> None:
    old = harbour.files()
    journal.make(EDITS, "c", "s")
    new = harbour.files()
    journal.undo()
    if what == "undo":
        journal.make(EDITS, "c", "s")
        old, new = new, old
    reached, seen, told, step = True, set(), set(), 0
    while reached:
        step += 1
        work = (
            (lambda: journal.undo()) if what == "undo" else (lambda: journal.make(EDITS, "c", "s"))
        )
        reached = killed_at(step, work)
        said = harbour.run("journal")
        assert said.code == 0
        now = harbour.files()
        assert now in (old, new), step
        seen.add(now == new)
        told.add(said.err.partition(" the interrupted")[0])
        assert not journal.pending()
        if now == new:
            if what == "make":
                journal.undo()
            else:
                journal.make(EDITS, "c", "s")
    assert seen == {True, False}
    assert step > 20
    assert {"velpin: took back", "velpin: finished"} <= told


def test_an_interrupted_change_that_somebody_edited_is_told(
    harbour: DebHarbour, journal: Journal
) -> None:
    for step in range(1, 60):
        killed_at(step, lambda: journal.make(EDITS, "c", "s"))
        if journal.pending() and harbour.files()["etc/apt/sources.list"][0] == b"after\n":
            break
        harbour.run("journal")
    harbour.put("etc/apt/sources.list", "by hand\n")
    said = harbour.run("host")
    assert said.code == 3
    assert said.err.splitlines()[0] == (
        "velpin: change 1 was interrupted, and since then somebody changed etc/apt/sources.list"
    )
    with pytest.raises(StoreError):
        journal.make(EDITS, "c", "s")


# -- no room, no right, no turn ----------------------------------------------------------


def test_a_full_disk_leaves_everything_as_it_was(harbour: DebHarbour, journal: Journal) -> None:
    before = harbour.files()
    big = {**EDITS, "etc/apt/sources.list": b"x" * 60_000}

    def child() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000))
        journal.make(EDITS, "c", "fits")
        journal.undo()
        resource.setrlimit(resource.RLIMIT_FSIZE, (20_000, 100_000))
        try:
            journal.make(big, "c", "does not")
        except CannotWrite:
            return
        raise AssertionError

    assert in_a_child(child) == 0
    assert harbour.files() == before
    assert not journal.pending()
    assert not list(harbour.root.rglob("*velpin-part"))


def test_a_full_disk_in_the_middle_of_a_change_rolls_back(
    harbour: DebHarbour, journal: Journal, monkeypatch: pytest.MonkeyPatch
) -> None:
    before = harbour.files()

    def write(base: Path, name: str, data: bytes, **named: object) -> None:
        if name == "etc/apt/sources.list" and data == b"after\n":
            raise CannotWrite(f"{base / name}: No space left on device")
        write_file(base, name, data, **named)  # type: ignore[arg-type]

    monkeypatch.setattr("velpin.files.disk.write_file", write)
    with pytest.raises(CannotWrite):
        journal.make(EDITS, "c", "s")
    assert harbour.files() == before
    assert journal.entries() == []
    assert not list((harbour.root / "var/lib/velpin/journal").iterdir())


@pytest.mark.parametrize("name", ["notes.json", "\u0663.json", "12a.json"])
def test_what_else_lies_in_its_folder_has_no_number(
    harbour: DebHarbour, journal: Journal, name: str
) -> None:
    harbour.put(f"var/lib/velpin/journal/{name}", "{}")
    assert journal.make(EDITS, "c", "s").number == 1


MOST = (1 << 32) - 2


@pytest.mark.parametrize(
    ("mode", "owner", "is_one"),
    [
        (0, (0, 0), True), (0o7777, (MOST, MOST), True), (0o10000, (0, 0), False), (-1, (0, 0), False),
        (0o644, (MOST + 1, 0), False), (0o644, (0, MOST + 1), False), (0o644, (-1, 0), False),
        (0o644, (0, -1), False),
    ],
)  # fmt: skip
def test_what_a_file_may_be(mode: int, owner: tuple[int, int], is_one: bool) -> None:
    state = FileState(b"data", mode, owner)
    if is_one:
        assert _state_in(_state_out(state)) == state
    else:
        with pytest.raises(ValueError):
            _state_in(_state_out(state))


@pytest.mark.skipif(os.geteuid() != 0, reason="needs to become another user")
def test_without_the_right_to_write(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    for folder in harbour.root.parents:
        if folder != Path("/") and folder.stat().st_uid == 0:
            folder.chmod(folder.stat().st_mode | 0o055)

    import platformdirs.unix  # the other user may not be able to read our libraries

    harbour.run("off", "one", "--preview")
    harbour.run("off", "one")

    def child() -> None:
        os.setuid(65534)
        os.environ["XDG_CACHE_HOME"] = str(platformdirs.unix.Unix("nonexistent").user_cache_path)
        said = harbour.run("off", "one", "--yes")
        os._exit(0 if (said.code, "no right to write" in said.err) == (3, True) else 1)

    assert in_a_child(child) == 0
    assert harbour.read("etc/apt/sources.list.d/one.list").startswith("deb")


def test_two_velpins_wait_for_each_other(tmp_path: Path) -> None:
    inside, go, told = threading.Event(), threading.Event(), []

    def first() -> None:
        with hold(tmp_path / "lock"):
            inside.set()
            go.wait(10)

    thread = threading.Thread(target=first)
    thread.start()
    inside.wait(10)
    with (
        pytest.raises(Busy, match="another velpin"),
        hold(tmp_path / "lock", lambda: told.append(1), 0.05),
    ):
        pass
    go.set()
    with hold(tmp_path / "lock", limit=10):
        told.append(2)
    thread.join()
    assert told == [1, 2]


@pytest.mark.parametrize("data", ["", "{", "[]", '{"number": 1}'])
def test_a_damaged_journal_entry_is_named(harbour: DebHarbour, data: str) -> None:
    harbour.put("var/lib/velpin/journal/000001.json", data)
    said = harbour.run("journal")
    assert said.code == 3
    assert "000001.json" in said.err
    told = harbour.run("journal", "--json")
    assert (told.code, json.loads(told.out)["entries"]) == (3, [])
    assert "000001.json" in told.err


@pytest.mark.parametrize("state", [[], "text", 3, None])
def test_a_state_that_is_none_in_an_entry_is_damage(
    harbour: DebHarbour, journal: Journal, state: object
) -> None:
    """It does not count as a file that was not there: undoing would delete what is."""
    journal.make(EDITS, "c", "s")
    path = harbour.root / "var/lib/velpin/journal/000001.json"
    entry = json.loads(path.read_text())
    entry["edits"][0]["before"] = state
    path.write_text(json.dumps(entry))
    before = harbour.files()
    said = harbour.run("undo", "--yes")
    assert (said.code, "000001.json" in said.err, harbour.files()) == (3, True, before), said.err


def test_a_link_in_the_place_of_a_file_that_was_deleted_is_a_change_since(
    harbour: DebHarbour, journal: Journal
) -> None:
    """Even one that leads nowhere, which looks like no file."""
    journal.make({"etc/apt/gone.list": None}, "c", "s")
    (harbour.root / "etc/apt/gone.list").symlink_to("nowhere")
    with pytest.raises(ChangedSince):
        journal.undo()
    assert (harbour.root / "etc/apt/gone.list").is_symlink()


def test_a_journal_that_may_not_be_read_is_not_called_damaged(
    harbour: DebHarbour, journal: Journal, monkeypatch: pytest.MonkeyPatch
) -> None:
    journal.make(EDITS, "c", "s")

    def refused(*_: object) -> bytes:
        raise PermissionError(13, "Permission denied")

    monkeypatch.setattr("velpin.files.disk.read_file", refused)
    said = harbour.run("undo", "--yes")
    assert said.code == 3
    assert said.err.splitlines()[0].endswith("000001.json: no right to read it")
    assert said.err.splitlines()[1] == "  run it as root"


def test_what_a_kill_left_is_cleared_by_the_next_change(
    harbour: DebHarbour, journal: Journal
) -> None:
    for step in range(1, 60):
        killed_at(step, lambda: journal.make(EDITS, "c", "s"))
        if list(harbour.root.rglob("*.velpin-part")):
            break
    assert list(harbour.root.rglob("*.velpin-part"))
    journal.make(EDITS, "c", "s")
    assert not list(harbour.root.rglob("*.velpin-part"))


def test_a_change_is_not_undone_below_a_later_one_of_the_same_file(journal: Journal) -> None:
    for text in (None, b"two", None):  # what the third leaves looks like what the first left
        journal.make({"etc/apt/gone.list": text}, "c", "s")
    with pytest.raises(ChangedSince) as refused:
        journal.undo(1)
    assert refused.value.hint == "undo the later change first: velpin undo 3"
    for number in (3, 2, 1):
        journal.undo(number)
