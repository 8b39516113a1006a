"""Inputs made to stop the program, and files that belong to somebody else: told, bounded, and read
below the root."""

from __future__ import annotations

import json
import os
import socket
import stat
import threading
from pathlib import Path

import pytest

from tests.checkup_hosts import Post
from tests.harbours import DEB, DebHarbour, RpmHarbour
from velpin.change.journal import Journal
from velpin.demo.rpm_files import DemoRpm
from velpin.errors import HostFileError
from velpin.files import given
from velpin.files.given import read_given, why_writable
from velpin.files.tree import Tree
from velpin.kinds.deb.release import read_promises, read_release
from velpin.kinds.rpm_dnf import module_documents
from velpin.kinds.rpm_dnf.module_documents import read_documents
from velpin.kinds.rpm_dnf.modules import read_modules

pytestmark = pytest.mark.full

on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)

# -- lists of modules ----------------------------------------------------------------------


def written(folder: Path, text: str) -> Path:
    path = folder / "modules.yaml"
    path.write_text(text)
    return path


@pytest.mark.parametrize(
    ("text", "told"),
    [
        (
            "a: &x [1]\nb: *x\n",
            "modules:2: a list of modules with an alias, which no list of modules has",
        ),
        ("[" * 40 + "]" * 40, "modules:1: a list of modules with values within values, too deep"),
        ("a: [1\n", "modules:2: a list of modules that is not well-formed"),
        ("? {a: b}\n: c\n", "modules:1: a list of modules with a key that is no text"),
    ],
)
def test_what_a_list_of_modules_may_not_have(tmp_path: Path, text: str, told: str) -> None:
    with pytest.raises(HostFileError) as problem:
        list(read_documents(written(tmp_path, text), "modules"))
    assert str(problem.value) == told


def test_the_bounds_of_a_list_of_modules(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(module_documents, "_DEEPEST", 3)
    assert list(read_documents(written(tmp_path, "[[[a]]]\n"), "m")) == [[[["a"]]]]
    with pytest.raises(HostFileError):
        list(read_documents(written(tmp_path, "[[[[a]]]]\n"), "m"))
    monkeypatch.setattr(module_documents, "_MOST_VALUES", 6)
    assert list(read_documents(written(tmp_path, "[1, 2, 3, 4]\n"), "m"))
    with pytest.raises(HostFileError):
        list(read_documents(written(tmp_path, "[1, 2, 3, 4, 5]\n"), "m"))


WRONG = ("3", "[]", "{}", "text", "[[1]]", "{a: [b]}", "null", "")


@pytest.mark.parametrize("wrong", WRONG)
@pytest.mark.parametrize(
    "field", ["document", "data", "name", "stream", "artifacts", "rpms", "dependencies", "requires"]
)
def test_wrong_types_in_a_module_are_passed_over(tmp_path: Path, field: str, wrong: str) -> None:
    fields = {
        "document": "modulemd", "data": "", "name": "tide", "stream": '"1"', "artifacts": "",
        "rpms": '["a-0:1-1.x86_64"]', "dependencies": "", "requires": "{platform: [el9]}",
    }  # fmt: skip
    fields[field] = wrong
    artifacts = fields["artifacts"] or f"{{rpms: {fields['rpms']}}}"
    needs = fields["dependencies"] or f"[{{requires: {fields['requires']}}}]"
    data = fields["data"] or (
        f"{{name: {fields['name']}, stream: {fields['stream']}, summary: s,"
        f" description: d, license: {{module: [MIT]}}, artifacts: {artifacts},"
        f" dependencies: {needs}}}"
    )
    path = written(
        tmp_path, f"---\ndocument: {fields['document']}\nversion: 2\ndata: {data}\n...\n"
    )
    modules = read_modules([("m", path)], {})
    assert modules.active("platform:el9") is not None


# -- lists of many -------------------------------------------------------------------------


def test_a_release_file_of_a_hundred_thousand_files_is_read_in_one_pass() -> None:
    line = b" %s 1 main/binary-amd64/Packages%d\n"
    text = b"Origin: x\nSuite: jetty\nSHA256:\n" + b"".join(
        line % (b"a" * 64, number) for number in range(100_000)
    )
    assert read_release(text, "Release").suite == "jetty"
    assert len(read_promises(text, "Release")) == 100_000


# -- what Velpin keeps itself --------------------------------------------------------------


@pytest.mark.parametrize("value", [None, 3, 1e400, "text", [], [[1]], {}, {"a": [1]}, True])
def test_no_type_in_a_journal_stops_a_change(harbour: DebHarbour, value: object) -> None:
    journal = Journal(Tree(harbour.root))
    harbour.put("etc/apt/a", "one")
    journal.make({"etc/apt/a": b"two"}, "c", "s")
    (path,) = (harbour.root / "var/lib/velpin/journal").glob("*.json")
    good = json.loads(path.read_text())
    for field in [*good, "file", "before", "after", "mode", "text", "owner", "attributes"]:
        entry = json.loads(json.dumps(good))
        if field in entry:
            entry[field] = value
        else:
            where = entry["edits"][0]
            (where if field in where else where["before"])[field] = value
        path.write_text(json.dumps(entry))
        for words in (["journal"], ["journal", "--json"], ["undo", "--preview"], ["undo", "2"]):
            said = harbour.run(*words)
            assert said.code in (0, 1, 3), (field, words, said.err)
        made = journal.make({"etc/apt/b": b"x"}, "c", "s")
        journal.undo(made.number)


# -- files that are named on the command line -----------------------------------------------


def test_a_plain_file_and_a_pipe_are_read_whole(tmp_path: Path) -> None:
    (tmp_path / "plain").write_bytes(b"x" * 100_000)
    assert len(read_given(tmp_path / "plain", 100_000)) == 100_000
    with pytest.raises(HostFileError, match="larger than 99999 bytes"):
        read_given(tmp_path / "plain", 99_999)
    os.mkfifo(tmp_path / "pipe")
    writer = threading.Thread(target=(tmp_path / "pipe").write_bytes, args=(b"y" * 100_000,))
    handle = os.open(tmp_path / "pipe", os.O_RDONLY | os.O_NONBLOCK)
    writer.start()
    assert len(read_given(f"/proc/self/fd/{handle}", 1 << 20)) == 100_000
    writer.join()
    os.close(handle)


def test_what_never_ends_and_what_is_no_file(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(given, "_LONGEST", 0.01)
    os.mkfifo(tmp_path / "pipe")
    keeper = os.open(tmp_path / "pipe", os.O_RDWR)
    with pytest.raises(HostFileError, match="gave nothing more"):
        read_given(tmp_path / "pipe", 10)
    os.close(keeper)
    for path, told in (
        ("/dev/zero", "is neither a plain file nor a pipe"), (tmp_path, "is a folder"),
        (tmp_path / "absent", "No such file"), ("a\0b", "cannot be read"),
    ):  # fmt: skip
        with pytest.raises(HostFileError, match=told):
            read_given(path, 10)
    held = socket.socket(socket.AF_UNIX)
    held.bind(str(tmp_path / "socket"))
    with pytest.raises(HostFileError):
        read_given(tmp_path / "socket", 10)
    held.close()


@pytest.mark.parametrize(
    ("mode", "group", "told"),
    [
        (0o644, 0, ""), (0o664, 0, ""), (0o664, os.getuid(), ""), (0o664, 1234, "group 1234 may"),
        (0o646, 0, "everybody may"), (0o640, 1234, ""),
    ],
)  # fmt: skip
def test_who_else_may_write_it(tmp_path: Path, mode: int, group: int, told: str) -> None:
    path = tmp_path / "host"
    path.write_text("")
    if os.geteuid() and group not in os.getgroups():
        pytest.skip("needs root to give a file away")
    os.chown(path, -1, group)
    path.chmod(mode)
    assert why_writable(path).startswith(told)
    assert bool(why_writable(path)) == bool(told)


@on_deb
def test_a_host_file_that_others_may_write_makes_nothing(post: Post) -> None:
    file = post.root.parent / "host"
    file.write_text(post.run("export").out.replace("[[rule]]", "[[rule]]") + "\n")
    file.chmod(0o646)
    for words in (["conform", str(file), "--yes"], ["expect", str(file)]):
        said = post.run(*words)
        assert (said.code, "everybody may write it" in said.err) == (3, True), said.err
    file.chmod(0o644)
    assert post.run("conform", str(file), "--yes").code == 0


@on_deb
def test_a_key_file_that_others_may_write_needs_its_fingerprint(post: Post) -> None:
    key = post.root.parent / "key.asc"
    key.write_bytes(post.signers["vendor"].public)
    key.chmod(0o646)
    words = ["add", "vendor", "--key", str(key), "--preview"]
    said = post.run(*words)
    assert (said.code, "everybody may write it" in said.err) == (3, True), said.err
    print_of = post.signers["vendor"].fingerprint
    assert "everybody" not in post.run(*words, "--fingerprint", print_of).err


def test_a_host_file_of_twenty_thousand_dots_is_told(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    file = harbour.folder / "host"
    for text in (
        "a" + ".a" * 20_000 + " = 1\n",
        "[" + "a." * 20_000 + "a]\n",
        "a = " + "[" * 20_000,
    ):
        file.write_text(text)
        said = harbour.run("conform", str(file), "--preview")
        assert said.code == 3, said.err[:500]


# -- below the root ------------------------------------------------------------------------


def test_a_file_address_is_read_below_the_root(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    harbour = RpmHarbour(tmp_path)
    outside = harbour.source("inside", DemoRpm("gull", "2-1"))
    inner = harbour.root / str(outside)[1:]
    inner.parent.mkdir(parents=True)
    os.rename(outside, inner)
    harbour.refresh()
    assert harbour.changes("gull") == {"gull.x86_64": "2-1 inside"}, "it is found below the root"
    os.rename(inner, outside)
    tmp_path.chmod(0o777)
    harbour.put("etc/yum.repos.d/inside.repo", harbour.read("etc/yum.repos.d/inside.repo") + "#\n")
    code, _, told = harbour.run("refresh")
    assert code != 0, "in a folder that anybody may write, nothing beside the root is read"
    assert f"no such file below {harbour.root}" in told
    tmp_path.chmod(0o755)
    monkeypatch.setattr("velpin.fetch.download.os.path.ismount", lambda _path: True)
    code, _, told = harbour.run("refresh")
    assert (code != 0, "no such file below" in told) == (True, True), "nor beside a mounted root"


@on_deb
def test_a_list_of_mirrors_outside_the_root_is_not_shown(post: Post) -> None:
    secret = post.root.parent.parent / "secret"
    secret.write_text("http://password.example/ \n")
    post.put(
        post.source_file,
        f"Types: deb\nURIs: mirror+file:{secret}\nSuites: jetty\nComponents: main\n"
        f"Signed-By: /{post.key_file}\nX-Velpin-Handle: vendor\n",
    )
    link = post.root / "etc/apt/list"
    link.symlink_to(secret)
    for words in (["refresh"], ["checkup"], ["sources"]):
        said = post.run(*words)
        assert "password" not in said.out + said.err
    post.edit(post.source_file, str(secret), "/etc/apt/list")
    said = post.run("refresh")
    assert "password" not in said.out + said.err


def test_a_fifo_among_the_hosts_files_is_not_waited_for(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.ready()
    os.mkfifo(harbour.root / "etc/apt/sources.list.d/pipe.list")
    assert harbour.run("sources").code in (0, 3)
    assert stat.S_ISFIFO(os.stat(harbour.root / "etc/apt/sources.list.d/pipe.list").st_mode)


# -- files that are written where a person says --------------------------------------------

WRITTEN = [
    ("export --out", b"# a host\nvelpin-host = 1\n"), ("report --out", b"<!DOCTYPE html>"),
    ("report --png", b"\x89PNG\r\n"),
    ("shift --save", b'{"velpin": "picture", "format": 1, "time": 1, "host": "x"}\n'),
]  # fmt: skip


@pytest.mark.parametrize(("words", "own"), WRITTEN)
def test_nothing_is_written_over_what_is_something_else(
    harbour: DebHarbour, words: str, own: bytes
) -> None:
    if "--png" in words:
        pytest.importorskip("matplotlib")
    harbour.source("one", ("gull", "1"))
    harbour.installed(("gull", "1"))
    harbour.ready()
    file = harbour.folder / "out"
    write = [*words.split(), str(file)]
    assert harbour.run(*write).code == 0
    assert harbour.run(*write).code == 0, "its own is written anew"
    if "--save" not in words:  # that of a picture is read whole
        file.write_bytes(own + b"old")
        assert harbour.run(*write).code == 0
    for foreign in (b"root:x:0:0\n", b"\x89PMG", b"velpin-hust"):
        file.write_bytes(foreign)
        said = harbour.run(*write)
        assert (said.code != 0, "is left alone" in said.err) == (True, True), said.err
        assert file.read_bytes() == foreign
    file.write_bytes(b"")
    assert harbour.run(*write).code == 0, "nothing is lost with an empty file"
    file.unlink()
    file.mkdir()
    assert harbour.run(*write).code != 0
    file.rmdir()
    os.mkfifo(file)
    with os.fdopen(os.open(file, os.O_RDWR | os.O_NONBLOCK), "rb", buffering=0) as held:
        assert harbour.run(*write).code == 0
        assert held.read(4)
    assert stat.S_ISFIFO(os.stat(file).st_mode), "a pipe stays one"


@pytest.mark.skipif(os.geteuid() != 0, reason="needs root to make a device and give a link away")
def test_a_device_stays_one_and_a_foreign_link_is_not_followed(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    null = harbour.folder / "null"
    try:
        os.mknod(null, 0o666 | stat.S_IFCHR, os.makedev(1, 3))
        null.write_bytes(b"x")
    except OSError:
        pytest.skip("no devices here")
    link = harbour.folder / "link"
    link.symlink_to(null)
    for path in (null, link):
        assert harbour.run("export", "--out", str(path)).code == 0
        assert stat.S_ISCHR(os.stat(null).st_mode)
    assert link.is_symlink()
    target = harbour.folder / "target"
    link.unlink()
    link.symlink_to(target)
    os.lchown(link, 1234, 1234)
    said = harbour.run("export", "--out", str(link))
    assert (said.code, "another user's" in said.err, target.exists()) == (3, True, False)
    os.lchown(link, 0, 0)
    assert harbour.run("export", "--out", str(link)).code == 0
    assert (target.exists(), link.is_symlink()) == (True, True)
