"""Bounds and the values on either side of each, second elements, and the other order."""

from __future__ import annotations

import os
import time
from dataclasses import replace
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest

from tests.harbours import DNF, AlpmHarbour, DebHarbour, RpmHarbour
from velpin.change.journal import Journal
from velpin.demo.alpm_files import DemoArchive, archive, desc
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer
from velpin.errors import CannotWrite, FetchError, HostFileError
from velpin.fetch import download
from velpin.fetch.download import FetchSettings, Transport
from velpin.files import disk
from velpin.files.tree import Tree
from velpin.kinds.alpm import archive as alpm_archive
from velpin.kinds.alpm.archive import members
from velpin.kinds.alpm.entry import read_lines
from velpin.kinds.deb.rules.priorities import _between
from velpin.kinds.rpm import trust as rpm_trust
from velpin.store import index as index_store
from velpin.trust import certifications, openpgp
from velpin.trust.openpgp import BadKey, read_keys


@pytest.mark.parametrize(
    ("lowest", "highest", "others", "down", "between"),
    [
        pytest.param(500, 501, [], False, None, id="no room"),
        pytest.param(500, 502, [], False, 501, id="room for one"),
        pytest.param(500, 502, [], True, 501, id="room for one, from above"),
        pytest.param(-1, 1, [], False, None, id="nothing above 0"),
        pytest.param(-1, 2, [], False, 1, id="one above 0"),
        pytest.param(500, 990, [], False, 510, id="one step up"),
        pytest.param(500, 990, [], True, 980, id="one step down"),
        pytest.param(500, 510, [], False, 505, id="a step would be the other"),
        pytest.param(500, 511, [], False, 510, id="a step is just below the other"),
        pytest.param(500, 510, [], True, 505, id="a step down would be the other"),
        pytest.param(499, 510, [], True, 500, id="a step down is just above the other"),
        pytest.param(500, 990, [505, 700], False, 502, id="below the next of two"),
        pytest.param(500, 990, [700, 505], False, 502, id="below the next of two, the other order"),
        pytest.param(500, 990, [400, 500], False, 510, id="those below do not matter"),
        pytest.param(500, 990, [985, 700], True, 987, id="above the last of two"),
        pytest.param(500, 990, [990, 995], True, 980, id="those above do not matter"),
        pytest.param(-1, 101, [], True, 91, id="nothing is kept free for what only upgrades"),
        pytest.param(-1, 102, [], True, 101, id="what only upgrades stays below"),
    ],
)  # fmt: skip
def test_a_priority_between_two(
    lowest: int, highest: int, others: list[int], down: bool, between: int | None
) -> None:
    assert _between(lowest, highest, others, down=down) == between


def test_a_member_of_an_archive_may_be_so_large(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = tmp_path / "x.db"
    path.write_bytes(archive([("a-1-1/desc", b"x" * 600)]))
    monkeypatch.setattr(alpm_archive, "_LARGEST", 600)
    assert [len(data) for _, data in members(path, "/desc")] == [600]
    monkeypatch.setattr(alpm_archive, "_LARGEST", 599)
    with pytest.raises(HostFileError, match="a member of 600 bytes"):
        list(members(path, "/desc"))


@pytest.mark.parametrize("left", [1, 4, 8])
def test_an_archive_without_the_end_of_its_compression_is_damaged(
    tmp_path: Path, left: int
) -> None:
    import gzip

    path = tmp_path / "x.db"
    path.write_bytes(gzip.compress(archive([("a-1-1/desc", b"x")]))[:-left])
    with pytest.raises(HostFileError, match="damaged"):
        list(members(path, "/desc"))


def test_a_field_begins_after_a_blank_line_alone() -> None:
    text = "%NAME%\ngull\n%VERSION%\n\n%BASE%\r\ntern \n\nlost\n"
    assert read_lines(text).fields == {"NAME": ["gull", "%VERSION%"], "BASE": ["tern"]}


@pytest.mark.parametrize(("ours", "version"), [(-10, "3-1"), (10, "1-1")])
def test_a_list_is_as_old_as_its_server_says(tmp_path: Path, ours: int, version: str) -> None:
    """Not as old as the fetch: what was fetched later may have been made earlier."""
    harbour = AlpmHarbour(tmp_path)
    folder = harbour.source("base", DemoArchive("gull", "1-1"))
    made = time.time() - 5000
    for path in folder.rglob("*"):
        os.utime(path, (made + ours, made + ours))
    harbour.refresh()
    copy = harbour.put(
        "var/lib/pacman/sync/base.db",
        archive([("gull-3-1/desc", desc(DemoArchive("gull", "3-1")))]),
    )
    os.utime(copy, (made, made))
    assert harbour.changes("gull") == {"gull": f"{version} base"}


def test_an_installed_version_counts_once_where_a_source_has_it(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", DemoArchive("gull", "1-1"), DemoArchive("tern", "2-1"))
    harbour.installed(DemoArchive("gull", "1-1"), DemoArchive("tern", "1-1"))
    adapter = harbour.refresh().ports()
    assert [row[:2] for row in adapter.offers.versions_of("gull", "x86_64")] == [("1-1", "base")]
    assert sorted(row[:2] for row in adapter.offers.versions_of("tern", "x86_64")) == [
        ("1-1", ""), ("2-1", "base"),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("", {"apt"}),
        ('pkgCacheGen::ForceEssential "gull";', {"gull"}),
        ('pkgCacheGen::ForceEssential { "gull"; "tern"; };', {"gull", "tern"}),
    ],
)
def test_what_counts_as_essential_whatever_it_says(
    harbour: DebHarbour, text: str, names: set[str]
) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.put("etc/apt/apt.conf", text)
    assert harbour.ready_ports().state.configuration.forced_essential == names


@pytest.mark.parametrize(("target", "rules"), [("jetty", 1), ("", 0)])
def test_a_target_of_no_name_is_no_rule(harbour: DebHarbour, target: str, rules: int) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.put("etc/apt/apt.conf", f'APT::Default-Release "{target}";')
    assert len(harbour.ready().rules.in_force()) == rules


@pytest.mark.parametrize(("spare", "is_read"), [(0, True), (1, False)])
def test_so_many_packets_a_key_of_its_size_may_have(
    signer: Signer, monkeypatch: pytest.MonkeyPatch, spare: int, is_read: bool
) -> None:
    import pysequoia

    good = bytes(pysequoia.Cert.from_bytes(signer.public))
    _, count = openpgp._packets_end(good)
    allowed = count - len(good) // openpgp._SMALL_PACKET
    monkeypatch.setattr(openpgp, "_FEW_PACKETS", allowed - spare)
    openpgp._certificates.cache_clear()
    if is_read:
        assert read_keys(good, "x")
    else:
        with pytest.raises(BadKey, match=f"holds {count} packets"):
            read_keys(good, "x")
    openpgp._certificates.cache_clear()


@pytest.mark.parametrize(
    ("keys", "files", "asks_ring"),
    [
        ("gpgkey=file:///etc/pki/it.asc\n", 1, False),
        ("gpgkey=file:///etc/pki/it.asc http://x.example/key\n", 1, True),
        ("gpgkey=http://x.example/key\n", 0, True),
        ("", 0, True),
    ],
)
def test_a_key_at_an_address_may_be_in_the_ring_already(
    tmp_path: Path, signer: Signer, stranger: Signer, monkeypatch: pytest.MonkeyPatch, keys: str,
    files: int, asks_ring: bool,
) -> None:  # fmt: skip
    """A file of the host is no reason to look there, one more at an address is."""
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.put("etc/pki/it.asc", signer.public)
    harbour.source("base", DemoRpm("gull"), settings=f"repo_gpgcheck=1\n{keys}")
    host = harbour.host()
    monkeypatch.setattr(rpm_trust, "ring", lambda _host: read_keys(stranger.public, "ring"))
    found = rpm_trust.keys_given(host._ports, host.sources.find("base"))  # type: ignore[arg-type]
    prints = [key.fingerprint for key in found.keys]
    assert prints == [signer.fingerprint] * files + [stranger.fingerprint] * asks_ring
    assert (found.how == "ring") == (files == 0)


@pytest.mark.parametrize(
    ("data", "numbers"),
    [
        (b"", []), (b"\x00", []), (b"\x00\x00", [0]), (b"\x00\x03\x05\x00\x00", [5, 0]),
        (b"\x00\x09\x01\x00\x00\x08\xff", [256, 255]), (b"\x00\x03\x05\x00", [5]),
    ],
)  # fmt: skip
def test_numbers_one_after_the_other(data: bytes, numbers: list[int]) -> None:
    assert certifications._numbers(data) == numbers


def test_a_part_that_is_not_the_key_itself_is_called_one(signer: Signer) -> None:
    (key,) = read_keys(signer.public, "x")
    later = time.time()
    parts = [part._replace(expires=later - 1) for part in key.all_parts]
    worn = replace(key, all_parts=tuple(parts))
    names = {part.fingerprint for part in parts}
    assert key.fingerprint in names
    for name in names:
        is_itself = name == key.fingerprint
        assert ("(a subkey)" in worn.why_unusable(name, later)) != is_itself
        assert key.why_unusable(name, later) == ""


@pytest.mark.parametrize("is_whole", [True, False])
def test_an_interrupted_change_is_finished_if_all_is_done_else_taken_back(
    tmp_path: Path, is_whole: bool
) -> None:
    """From its end: a folder that was made goes after what is in it."""
    (tmp_path / "etc").mkdir()
    (tmp_path / "etc/a").write_text("one")
    journal = Journal(Tree(tmp_path))
    entry = journal.make({"etc/new/deep/b": b"two", "etc/a": None}, "c", "s")
    (done,) = (tmp_path / "var/lib/velpin/journal").glob("*.json")
    done.rename(done.with_name(done.name.replace(".json", ".pending.json")))
    if not is_whole:  # its last step was not made
        (tmp_path / "etc/a").write_text("one")
    with journal.lock():
        (told,) = journal.recover()
        assert journal.recover() == []
    word = "finished" if is_whole else "took back"
    assert told == f"{word} the interrupted change {entry.number} (s)"
    assert (tmp_path / "etc/new").exists() == is_whole
    assert (tmp_path / "etc/a").exists() != is_whole
    assert len(journal.entries()) == is_whole


@pytest.mark.parametrize(("most", "count"), [(1, 1), (2, 2), (3, 3), (4, 3)])
def test_names_that_begin_so_come_once_with_what_they_are(
    harbour: DebHarbour, most: int, count: int
) -> None:
    names = (("gull", "1"), ("gull", "2"), ("gull-doc", "1"), ("gulp", "1"), ("tern", "1"))
    harbour.source("base", *names)
    ((_, index),) = harbour.ready_ports().state.indexes.opened
    every = [(name, f"{name} for the harbour") for name in ("gull", "gull-doc", "gulp")]
    assert list(index.beginning_with("gul", most)) == every[:count]
    assert list(index.beginning_with("gulx", most)) == []


def test_what_cannot_be_written_leaves_nothing_behind(tmp_path: Path) -> None:
    (tmp_path / "etc/a").mkdir(parents=True)
    with pytest.raises(CannotWrite):
        disk.write_file(tmp_path, "etc/a", b"text")
    assert os.listdir(tmp_path / "etc") == ["a"]


@pytest.mark.skipif(os.geteuid() != 0, reason="needs to give a file away")
def test_a_file_that_is_written_anew_stays_its_owners(tmp_path: Path) -> None:
    path = tmp_path / "a"
    path.write_text("one")
    os.chown(path, 1234, 4321)
    disk.write_file(tmp_path, "a", b"two")
    assert (path.read_text(), path.stat().st_uid, path.stat().st_gid) == ("two", 1234, 4321)
    disk.write_file(tmp_path, "b", b"two", owner=(1, 2))
    assert (tmp_path / "b").stat().st_gid == 2


@pytest.mark.parametrize(
    ("lines", "kept"),
    [
        (["a\tb\n", "c\td\n"], 2),
        (["a\tb\n", "c\td\te\n"], 1),
        (["a\tb\n", "c\nd\t\n"], 1),
        (["a\tb\n", "c\t" + "x" * 96 + "\n"], 1),
        (["a\t" + "x" * 96 + "\n", "c\td\n"], 1),
        (["a\tb\n", "c\t" + "x" * 95 + "\n"], 2),
    ],
)
def test_lines_of_an_index_are_whole_and_not_too_long(
    monkeypatch: pytest.MonkeyPatch, lines: list[str], kept: int
) -> None:
    monkeypatch.setattr(index_store, "_LONGEST_LINE", 98)
    assert len(index_store._whole(lines, 1)) == kept


@pytest.mark.parametrize(("status", "is_asked_again"), [(407, False), (408, True), (429, True),
                                                        (430, False), (499, False), (500, True),
                                                        (503, True), (404, False)])  # fmt: skip
def test_which_answers_of_a_server_are_worth_another_try(status: int, is_asked_again: bool) -> None:
    answer: Any = SimpleNamespace(status=status, headers={})
    with pytest.raises((FetchError, download._Again)) as told:
        Transport(FetchSettings())._check_status("http://x.example/y", answer, 0, None)
    assert isinstance(told.value, download._Again) == is_asked_again


def test_a_source_that_is_off_is_told_apart_from_one_that_nobody_has(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", DemoArchive("gull", "1-1"))
    harbour.source("vendor", DemoArchive("gull", "2-1"))
    harbour.refresh().done("off", "vendor", "--yes")
    codes = [
        harbour.forecast(f"gull%{source}")["answers"][0]["problem"]["code"]
        for source in ("vendor", "vendr")
    ]
    assert codes == ["source-is-off", "no-source-called"]
