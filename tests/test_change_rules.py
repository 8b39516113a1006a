"""Rules of changing a host, each as a sentence and the smallest host that shows it."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import CONF, AlpmHarbour, DebHarbour
from velpin.change.journal import Journal
from velpin.demo.alpm_files import DemoArchive
from velpin.errors import CannotWrite
from velpin.files.tree import Tree
from velpin.kinds.deb.edit import set_key

EDITS = {"etc/apt/keyrings/a.asc": b"key", "etc/apt/sources.list.d/a.sources": b"source"}


@pytest.fixture
def written(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """Names of the host's files in the order in which they are written or removed."""
    found: list[str] = []
    write, remove = Tree.write, Tree.remove

    def writing(tree: Tree, name: str, data: bytes, **more: object) -> None:
        write(tree, name, data, **more)  # type: ignore[arg-type]
        found.append(name)

    def removing(tree: Tree, name: str) -> None:
        remove(tree, name)
        found.append(name)

    monkeypatch.setattr(Tree, "write", writing)
    monkeypatch.setattr(Tree, "remove", removing)
    return found


def test_files_are_written_in_the_order_of_the_plan_and_undone_the_other_way_round(
    harbour: DebHarbour, written: list[str]
) -> None:
    journal = Journal(Tree(harbour.root))
    journal.make(EDITS, "c", "s")
    assert written == list(EDITS)
    written.clear()
    journal.undo()
    assert written == list(EDITS)[::-1]


def test_what_was_written_before_a_full_disk_is_rolled_back_the_other_way_round(
    harbour: DebHarbour, written: list[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    write = Tree.write

    def full(tree: Tree, name: str, data: bytes, **more: object) -> None:
        if data == b"third":
            raise CannotWrite("no space left on the device")
        write(tree, name, data, **more)  # type: ignore[arg-type]

    monkeypatch.setattr(Tree, "write", full)
    with pytest.raises(CannotWrite):
        Journal(Tree(harbour.root)).make({**EDITS, "etc/apt/apt.conf.d/x": b"third"}, "c", "s")
    assert written == [*EDITS, *reversed(EDITS)]
    assert not (harbour.root / "etc/apt/keyrings").exists()


def test_a_key_that_another_source_names_stays_when_one_is_dropped(harbour: DebHarbour) -> None:
    stanza = (
        "# Added by velpin.\nTypes: deb\nURIs: http://{0}.example/\nSuites: jetty\n"
        "Components: main\nSigned-By: /etc/apt/keyrings/shared.asc\nX-Velpin-Handle: {0}\n"
    )
    harbour.put("etc/apt/keyrings/shared.asc", "key")
    for name in ("one", "two"):
        harbour.put(f"etc/apt/sources.list.d/{name}.sources", stanza.format(name))
    assert set(harbour.host().sources.plan_drop("one").edits) == {
        "etc/apt/sources.list.d/one.sources"
    }
    (harbour.root / "etc/apt/sources.list.d/two.sources").unlink()
    assert set(harbour.host().sources.plan_drop("one").edits) == {
        "etc/apt/sources.list.d/one.sources", "etc/apt/keyrings/shared.asc",
    }  # fmt: skip


COMMENTED = "#[two]\n#Server = http://two.example\n#Usage = All\n"


@pytest.mark.parametrize("what", ["off", "drop"])
def test_a_section_that_is_commented_out_stays_whole_beside_one_that_changes(
    tmp_path: Path, what: str
) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("one", DemoArchive("gull"))
    harbour.put(CONF, harbour.read(CONF) + COMMENTED + "\n[three]\nServer = file:///three\n")
    host = harbour.host()
    plan = (
        host.sources.plan_switch("one", False) if what == "off" else host.sources.plan_drop("one")
    )
    after = plan.edits[CONF]
    assert after is not None
    assert COMMENTED in after.decode()
    sources = {source.handle: source.on for source in host.considering(plan).sources}
    assert sources == {"three": True, "two": False, **({"one": False} if what == "off" else {})}


def test_a_comment_in_brackets_that_nothing_follows_is_no_section(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("one", DemoArchive("gull"))
    note = "#[see the manual]\n"
    harbour.put(CONF, harbour.read(CONF) + note)
    assert [source.handle for source in harbour.host().sources] == ["one"]
    after = harbour.host().sources.plan_drop("one").edits[CONF]
    assert after is not None
    assert "[one]" not in after.decode()


def test_the_blank_lines_before_a_last_section_go_with_it(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("one", DemoArchive("gull"))
    before = harbour.read(CONF).rstrip("\n") + "\n"
    harbour.put(CONF, f"{before}\n \n\n[two]\nServer = file:///two\n")
    assert harbour.host().sources.plan_drop("two").edits[CONF] == before.encode()


def test_a_key_is_named_in_a_line_whose_address_has_brackets(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", "deb http://[::1]/pool jetty main\n")
    (source,) = harbour.ports().configuration.sources
    edits = set_key(harbour.ports().tree, source, "/etc/apt/keyrings/a.asc")
    assert edits["etc/apt/sources.list"] == (
        b"deb [signed-by=/etc/apt/keyrings/a.asc] http://[::1]/pool jetty main\n"
    )


def test_a_dropped_source_takes_no_key_along_that_is_not_velpins(harbour: DebHarbour) -> None:
    line = "deb [signed-by={}] http://a.example/pool jetty main\n"
    for key in ("/usr/share/keyrings/vendor.asc", "/etc/apt/keyrings/gone.asc"):
        harbour.put("usr/share/keyrings/vendor.asc", "key")
        harbour.put("etc/apt/sources.list", line.format(key))
        (source,) = harbour.host().sources
        assert set(harbour.host().sources.plan_drop(source.handle).edits) == {
            "etc/apt/sources.list"
        }
