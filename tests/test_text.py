"""A host's text file: what is not touched stays byte for byte, and the line that was read is the
line that is edited, whatever characters, encodings and line ends stand around it."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from velpin.errors import HostFileError, Refusal
from velpin.files.text import HostText
from velpin.files.tree import Tree
from velpin.host.opening import open_host
from velpin.kinds import open_ports
from velpin.kinds.alpm import AlpmPorts
from velpin.kinds.deb import DebPorts
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm_dnf import DnfPorts
from velpin.kinds.rpm_zypp import ZyppPorts
from velpin.ports.view import View
from velpin.store.cache import IndexCache

NO_LINE_ENDS = ["\x85", "\u2028", "\u2029", "\x0b", "\x0c", "\x1c", "\r"]
"""What other programs take for the end of a line, and no installer does."""

odd_bytes = st.text(
    st.sampled_from(["a", " ", "=", "#", "[", "]", ":", "é", "\xa0", "\ufeff", *NO_LINE_ENDS]),
    max_size=12,
).map(str.encode) | st.sampled_from([b"caf\xe9", b"\xff\xfe", b"\x00"])


@given(st.binary(max_size=200))
def test_bytes_in_bytes_out(data: bytes) -> None:
    text = HostText(data)
    assert text.data == data
    assert len(text.lines) == data.count(b"\n") + (
        not data.endswith(b"\n") and data not in (b"", text.mark)
    )


@given(st.lists(odd_bytes, min_size=1, max_size=6), st.sampled_from([b"\n", b"\r\n"]), st.data())
def test_only_the_lines_meant_are_replaced(
    rows: list[bytes], end: bytes, data: st.DataObject
) -> None:
    rows = [row.replace(b"\n", b"").rstrip(b"\r") + end for row in rows]
    text = HostText(b"".join(rows))
    at = data.draw(st.integers(0, len(rows) - 1))
    mark = text.mark if at == 0 else b""
    ending = text.ending.encode()
    text.replace(at, at + 1, ["new"])
    assert text.data == b"".join([*rows[:at], mark + b"new" + ending, *rows[at + 1 :]])


def test_a_last_line_without_an_end_keeps_none_when_replaced_and_gets_one_before_another() -> None:
    text = HostText(b"one\r\ntwo")
    text.replace(1, 2, ["three"])
    assert text.data == b"one\r\nthree"
    text.put_last(["four"])
    assert text.data == b"one\r\nthree\r\nfour\r\n"
    text = HostText(b"one\ntwo")
    text.replace(1, 1, ["between"])
    assert text.data == b"one\nbetween\ntwo"
    text.replace(3, 3, ["last"])
    assert text.data == b"one\nbetween\ntwo\nlast\n"


# -- hosts of all kinds --------------------------------------------------------------------

FILES = {
    "deb": "etc/apt/sources.list",
    "deb-stanza": "etc/apt/sources.list.d/a.sources",
    "rpm-dnf": "etc/yum.repos.d/a.repo",
    "rpm-zypp": "etc/zypp/repos.d/a.repo",
    "alpm": "etc/pacman.conf",
}
CLASSES = {
    "deb": DebPorts, "deb-stanza": DebPorts, "rpm-dnf": DnfPorts, "rpm-zypp": ZyppPorts,
    "alpm": AlpmPorts,
}  # fmt: skip


PIECES = {
    "deb": ("deb http://NAME.example/NAME jetty main",),
    "deb-stanza": (
        "", "Types: deb", "URIs: http://NAME.example/NAME", "Suites: jetty", "Components: main", "",
    ),
    "rpm-dnf": ("[NAME]", "baseurl=http://NAME.example/", "gpgcheck=1"),
    "rpm-zypp": ("[NAME]", "baseurl=http://NAME.example/", "gpgcheck=1"),
    "alpm": ("[NAME]", "Server = http://NAME.example/"),
}  # fmt: skip
"""The lines of one source in each form of file."""

comments = odd_bytes.map(lambda odd: b"# " + odd.replace(b"\n", b""))


def file_of(form: str, notes: list[list[bytes]], end: bytes) -> bytes:
    """A file of three sources with comments above each."""
    rows = [b"[options]", b"Architecture = x86_64"] if form == "alpm" else []
    for name, above in zip(("one", "two", "three"), notes, strict=True):
        rows += above
        rows += [line.replace("NAME", name).encode() for line in PIECES[form]]
    return b"".join(row + end for row in rows)


def opened(folder: Path, form: str, data: bytes):  # type: ignore[no-untyped-def]
    """A host whose one source file holds some bytes."""
    file = folder / FILES[form]
    file.parent.mkdir(parents=True, exist_ok=True)
    file.write_bytes(data)
    return open_host(folder, store=folder / "store")


def is_kept(before: bytes, after: bytes) -> bool:
    """Whether all lines of one text but blank ones stand in another, in order, byte for byte."""
    rest = iter(after.split(b"\n"))
    return all(any(line == other for other in rest) for line in before.split(b"\n") if line.strip())


def without(form: str, notes: list[list[bytes]], end: bytes) -> bytes:
    """The file of three sources without the second."""
    gone = b"".join(line.replace("NAME", "two").encode() + end for line in PIECES[form])
    return file_of(form, notes, end).replace(gone, b"")


@pytest.mark.parametrize("form", FILES)
@given(notes=st.lists(st.lists(comments, max_size=2), min_size=3, max_size=3),
       end=st.sampled_from([b"\n", b"\r\n"]))  # fmt: skip
@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_source_is_switched_off_and_dropped_where_it_was_read(
    tmp_path: Path, form: str, notes: list[list[bytes]], end: bytes
) -> None:
    data = file_of(form, notes, end)
    host = opened(tmp_path, form, data)
    for plan in (host.sources.plan_switch("two", False), host.sources.plan_drop("two")):
        (edit,) = plan.edits.values()
        assert edit is not None
        with_head = form == "alpm" and "drop" in plan.command
        # What stands right above a section's head goes with it there.
        kept = [notes[0], [], notes[2]] if with_head else notes
        assert is_kept(without(form, kept, end), edit)
        after = host.with_edits(plan.edits)
        found = {source.handle: source.on for source in after.sources}
        told = {"two": False} if "off" in plan.command else {}
        assert found == {"one": True, "three": True, **told}


@pytest.mark.parametrize("odd", NO_LINE_ENDS)
@pytest.mark.parametrize("form", FILES)
def test_a_comment_with_what_ends_no_line_moves_no_edit(
    tmp_path: Path, form: str, odd: str
) -> None:
    notes = [[f"# a{odd}b{odd}c".encode()], [], []]
    host = opened(tmp_path, form, file_of(form, notes, b"\n"))
    (edit,) = host.sources.plan_switch("three", False).edits.values()
    assert edit is not None
    expected = {
        "deb": b"# deb http://three.example/three jetty main\n",
        "deb-stanza": b"Enabled: no\nTypes: deb\nURIs: http://three.example/three\n",
        "rpm-dnf": b"baseurl=http://three.example/\ngpgcheck=1\nenabled=0\n",
        "rpm-zypp": b"baseurl=http://three.example/\ngpgcheck=1\nenabled=0\n",
        "alpm": b"#[three]\n#Server = http://three.example/\n",
    }[form]
    assert expected in edit
    assert edit.startswith(b"[options]" if form == "alpm" else notes[0][0])


# -- what installers refuse (docs/how-hosts-choose/text.md) ----------------------------------


@pytest.mark.parametrize(
    ("form", "refused"),
    [("deb", True), ("deb-stanza", True), ("rpm-dnf", False), ("rpm-zypp", True), ("alpm", True)],
)
def test_a_byte_order_mark(tmp_path: Path, form: str, refused: bool) -> None:
    data = b"\xef\xbb\xbf" + file_of(form, [[], [], []], b"\n").lstrip(b"\n")
    host = opened(tmp_path, form, data)
    assert (host.checkup.refused() is not None) == refused
    if not refused:
        (edit,) = host.sources.plan_switch("one", False).edits.values()
        assert edit is not None
        assert edit == data.replace(b"gpgcheck=1\n", b"gpgcheck=1\nenabled=0\n", 1)


def test_bytes_that_are_no_utf8_make_a_dnf_file_unreadable_in_a_value_but_not_in_a_comment() -> (
    None
):
    comment, value = b"# caf\xe9\n[a]\nname=x\n", b"[a]\nname=caf\xe9\n"
    assert read_sections(comment, "etc/yum.repos.d/a.repo")[0].get("name") == "x"
    with pytest.raises(HostFileError, match=r"^etc/yum.repos.d/a.repo:2: not UTF-8 text$"):
        read_sections(value, "etc/yum.repos.d/a.repo")
    assert read_sections(value, "etc/zypp/repos.d/a.repo")[0].get("name") == "caf\udce9"


def test_an_indented_key_is_one_in_the_files_of_zypp_hosts_alone() -> None:
    data = b"[a]\nbaseurl=http://a.example/\n  enabled=0\n"
    (dnf,) = read_sections(data, "etc/yum.repos.d/a.repo")
    (zypp,) = read_sections(data, "etc/zypp/repos.d/a.repo")
    assert (dnf.get("enabled"), zypp.get("enabled")) == ("", "0")


# -- every plan is read back -----------------------------------------------------------------


def test_dropping_a_source_whose_second_section_would_come_to_life_is_refused(
    tmp_path: Path,
) -> None:
    host = opened(tmp_path, "rpm-dnf", file_of("rpm-dnf", [[], [], []], b"\n"))
    other = tmp_path / "etc/yum.repos.d/b.repo"
    other.write_bytes(b"[two]\nbaseurl=http://other.example/\n")
    with pytest.raises(Refusal) as found:
        host.sources.plan_drop("two")
    assert found.value.message == (
        "not written: read back, the changed files would do more than that: two: baseurl"
        " http://other.example/ would come (etc/yum.repos.d/b.repo:1); two: file"
        " etc/yum.repos.d/b.repo would come (etc/yum.repos.d/b.repo:1)"
    )


def test_a_comment_that_would_become_a_setting_stops_an_edit(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An editor at fault is noticed before anything is shown."""
    host = opened(tmp_path, "rpm-dnf", file_of("rpm-dnf", [[], [], []], b"\n"))
    broken = file_of("rpm-dnf", [[], [], []], b"\n").replace(b"gpgcheck=1", b"gpgcheck=0", 1)
    monkeypatch.setattr("velpin.kinds.rpm.edit.with_value", lambda *_: broken)
    with pytest.raises(Refusal, match="one: gpgcheck 1 would be gone"):
        host.sources.plan_switch("two", False)


def test_a_host_of_each_form_is_recognised(tmp_path: Path) -> None:
    for form, host_class in CLASSES.items():
        folder = tmp_path / form
        opened(folder, form, file_of(form, [[], [], []], b"\n"))
        tree = Tree(folder)
        assert isinstance(open_ports(View(tree, IndexCache([folder / "store"]))), host_class)
