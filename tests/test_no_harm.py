"""Nothing is deleted, run or injected that a person did not see: links, files of the user's, words on
a command line, texts with line breaks, empty changes."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest

from tests.checkup_hosts import THEIRS, VENDOR, Post
from tests.harbours import ALPM, DEB, DNF, KINDS, RPM, ZYPP, DebHarbour, Item
from tests.program import state
from velpin.change.journal import Journal
from velpin.demo.alpm_files import DemoArchive, write_alpm_repository
from velpin.demo.rpm_files import DemoRpm, primary_xml
from velpin.demo.signer import Signer
from velpin.errors import Refusal
from velpin.files.tree import Tree
from velpin.kinds.alpm import archive
from velpin.kinds.alpm.archive import parts_of as alpm_parts
from velpin.kinds.deb import stanzas as deb_packages
from velpin.kinds.deb.stanzas import read_packages
from velpin.kinds.rpm import primary
from velpin.model import package_names
from velpin.store.index import Notes

each_kind = pytest.mark.parametrize("post", KINDS, indirect=True)
on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)
PREFERENCES = "etc/apt/preferences.d"
RULE = "Package: tern\nPin: version 1*\nPin-Priority: 700\n"


# -- links ---------------------------------------------------------------------------------


@on_deb
@pytest.mark.parametrize("target", ["/usr/share/mine/rules", "../../../usr/share/mine/rules"])
@pytest.mark.parametrize(
    ("name", "code"), [("old.pref.bak", "leftover"), ("mine.conf", "skipped-file")]
)
def test_a_link_is_removed_or_renamed_itself(post: Post, target: str, name: str, code: str) -> None:
    post.put("usr/share/mine/rules", RULE)
    (post.root / PREFERENCES).mkdir(parents=True, exist_ok=True)
    (post.root / PREFERENCES / name).symlink_to(target)
    before = state(post.root)
    said = post.run("checkup", "--mend", code, "--preview")
    assert "usr/share/mine/rules" in said.out, "where it really is, is shown"
    assert post.run("checkup", "--mend", code, "--yes").code == 0
    assert post.read("usr/share/mine/rules") == RULE, "what it leads to stays"
    left = [path for path in (post.root / PREFERENCES).iterdir() if path.name == name]
    assert not left
    if code == "skipped-file":
        assert os.readlink(post.root / PREFERENCES / "mine.pref") == target
    assert post.run("undo", "--yes").code == 0
    assert state(post.root) == before


@pytest.mark.parametrize("post", [DEB, *RPM], indirect=True)
def test_a_source_behind_a_link_is_dropped_and_what_it_leads_to_stays(post: Post) -> None:
    path = post.root / post.source_file
    post.put("srv/mine/vendor", path.read_bytes())
    path.unlink()
    path.symlink_to("/srv/mine/vendor")
    before = state(post.root)
    said = post.run("drop", "vendor", "--preview")
    assert f"{post.source_file} → /srv/mine/vendor" in said.out
    assert post.run("drop", "vendor", "--yes").code == 0
    assert not path.is_symlink()
    assert (post.root / "srv/mine/vendor").exists()
    assert post.run("undo", "--yes").code == 0
    assert state(post.root) == before
    assert post.run("off", "vendor", "--yes").code == 0, "an edit goes where the link leads"
    assert path.is_symlink()
    assert post.run("undo", "--yes").code == 0
    assert state(post.root) == before


def test_an_interrupted_removal_of_a_link_is_put_right(harbour: DebHarbour) -> None:
    tree = Tree(harbour.root)
    harbour.put("srv/mine", "text")
    link = harbour.root / "etc/apt/here.list"
    link.parent.mkdir(parents=True, exist_ok=True)
    link.symlink_to("/srv/mine")
    journal = Journal(tree)
    journal.make({"etc/apt/here.list": None}, "c", "s")
    (done,) = (harbour.root / "var/lib/velpin/journal").glob("*.json")
    done.rename(done.with_name(done.name.replace(".json", ".pending.json")))
    link.symlink_to("/srv/mine")
    with journal.lock():
        assert journal.recover() == ["took back the interrupted change 1 (s)"]
    assert os.readlink(link) == "/srv/mine"


def test_what_a_change_replaces_keeps_owner_rights_and_attributes(tmp_path: Path) -> None:
    (tmp_path / "etc").mkdir()
    file = tmp_path / "etc/a"
    file.write_text("one")
    file.chmod(0o640)
    try:
        os.setxattr(file, "user.note", b"kept")
    except OSError:
        pytest.skip("this file system keeps no attributes")
    before = state(tmp_path)
    journal = Journal(Tree(tmp_path))
    journal.make({"etc/a": b"two"}, "c", "s")
    assert os.getxattr(file, "user.note") == b"kept"
    journal.make({"etc/a": None}, "c", "s")
    journal.undo()
    journal.undo()
    assert state(tmp_path) == before


@on_deb
def test_a_renamed_file_keeps_its_rights(post: Post) -> None:
    post.put(f"{PREFERENCES}/mine.conf", RULE, mode=0o640)
    before = state(post.root)
    assert post.run("checkup", "--mend", "skipped-file", "--yes").code == 0
    assert (post.root / PREFERENCES / "mine.pref").stat().st_mode & 0o777 == 0o640
    assert post.run("undo", "--yes").code == 0
    assert state(post.root) == before


# -- files of the user's -------------------------------------------------------------------


@on_deb
def test_no_file_of_the_users_is_deleted_without_a_choice(post: Post, signer: Signer) -> None:
    post.put(f"{PREFERENCES}/mine.conf", RULE)
    post.put(f"{PREFERENCES}/notes.pref.bak", "Package: skua\nmine\n")
    post.put("etc/apt/sources.list.d/x.repo", "[x]\nbaseurl=http://x.example\n")
    post.put("etc/apt/trusted.gpg", signer.public)
    post.put("etc/apt/trusted.gpg.d/vendor.asc", signer.public)
    post.edit(post.source_file, f"Signed-By: /{post.key_file}\n", "")
    before = post.files()
    post.run("checkup", "--mend", "--yes")
    gone = [name for name in before if not (post.root / name).exists()]
    assert gone == []
    for each in post.checkup()["findings"]:
        if each["code"] in (
            "leftover",
            "other-kind",
            "skipped-file",
            "key-for-all",
            "key-old-place",
        ):
            assert each["is_choice"] is True, each
    said = post.run("checkup", "--mend", "leftover", "--preview")
    assert "- Package: skua" in said.out, "its first lines are shown"


@on_deb
@pytest.mark.parametrize(
    ("name", "text", "code", "better"),
    [
        ("mine.conf", RULE, "skipped-file", "mine.pref"),
        ("mine.repo", RULE, "skipped-file", "mine.pref"),
        ("mine.conf", "[section]\nkey=value\n", "other-kind", ""),
        ("mine.conf", "", "other-kind", ""),
    ],
)
def test_a_file_that_would_be_read_under_another_ending_is_offered_that(
    post: Post, name: str, text: str, code: str, better: str
) -> None:
    post.put(f"{PREFERENCES}/{name}", text)
    assert code in post.codes()
    assert {"skipped-file", "other-kind"} - {code} not in set(post.codes())
    if better:
        assert post.run("checkup", "--mend", code, "--yes").code == 0
        assert post.read(f"{PREFERENCES}/{better}") == text


# -- names on command lines ----------------------------------------------------------------


NASTY = ["zztool$(id>{mark})", "zztool;id", "zztool`id`", "zz tool", "zz'tool", 'zz"tool', "zz\\tool",
         "-zztool", "zz\ttool", "zz|tool", "zz&tool", "zz(tool)", "zz<tool>", "zz!tool", "zz\u202etool",
         "z" * 256]  # fmt: skip


@pytest.mark.parametrize("name", NASTY)
@pytest.mark.parametrize("names", [deb_packages.NAMES, primary.NAMES, archive.NAMES])
def test_a_name_that_no_package_has_is_left_out(
    names: package_names.NameGrammar, name: str
) -> None:
    check = package_names.check(names)
    assert check.why_odd(name, "1-1")
    assert check.why_odd("zztool", name if name[:1] != "-" else "1;2")
    assert not check.are_all_sound(["gull", name], ["1", "2"])
    assert not check.are_all_sound(["gull"], ["1", "1$2"])
    assert not check.are_all_sound(["gull"], ["1", "1" * 256])
    assert not check.why_odd("gull-2.0_x+y", "1:2.0~rc1+b1-3")
    assert check.are_all_sound(["gull", "z" * 255], ["1"])


@pytest.mark.parametrize("most", [2, 3, 4])
def test_so_many_odd_names_are_told_and_no_more(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, most: int
) -> None:
    monkeypatch.setattr(package_names, "MOST_TOLD", most)
    odd = [f"zz$({n})" for n in range(3)]
    of_deb: Notes = []
    text = "\n\n".join(f"Package: {n}\nVersion: 1\nArchitecture: all" for n in (*odd, "gull"))
    list(read_packages([text.encode()], of_deb))
    of_rpm: Notes = []
    (tmp_path / "primary.xml").write_bytes(primary_xml([DemoRpm(n) for n in (*odd, "gull")]))
    list(primary.read_primary(tmp_path / "primary.xml", of_rpm))
    of_alpm: Notes = []
    rows = [DemoArchive(n, "1-1") for n in (*odd, "gull")]
    write_alpm_repository(tmp_path, "birds", rows)
    for read in alpm_parts(tmp_path / "birds.db"):
        list(read(of_alpm))
    assert [len(notes) for notes in (of_deb, of_rpm, of_alpm)] == [min(most, 3)] * 3


def test_odd_names_of_an_index_are_told_and_counted() -> None:
    text = "\n\n".join(
        f"Package: {name}\nVersion: {version}\nArchitecture: all"
        for name, version in (("gull", "1"), ("zz$(id)", "1"), ("tern", "1;2"), ("skua", "3"))
    )
    notes: Notes = []
    (batch,) = read_packages([text.encode()], notes)
    assert [entry[0] for entry in batch.entries] == ["gull", "skua"]
    assert [(note.line, "cannot be a" in note.text) for note in notes] == [(5, True), (9, True)]
    (own,) = read_packages([text.replace("Architecture", "Status: install ok installed\nArchitecture")
                            .encode()], [], record=True)  # fmt: skip
    assert len(own.entries) == 4, "what is installed is what it is"


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_completing_runs_nothing_of_what_is_completed(tmp_path: Path, shell: str) -> None:
    """The candidates come from a program that offers a command substitution, as an index could."""
    if shutil.which(shell) is None:
        pytest.skip(f"no {shell} here")
    mark, folder = tmp_path / "mark", tmp_path / "bin"
    folder.mkdir()
    program = folder / "velpin"
    program.write_text(f"#!/bin/sh\nprintf '%s\\t\\n' 'zztool$(touch$IFS{mark})'\n")
    program.chmod(0o755)
    from velpin.front.completion import script

    (tmp_path / "script").write_text(script(shell))
    if shell == "bash":
        text = (
            f"source {tmp_path}/script; COMP_LINE='velpin forecast zz' COMP_POINT=18 COMP_CWORD=2;"
            ' COMP_WORDS=(velpin forecast zz); _velpin; eval "echo ${COMPREPLY[0]}"'
        )
    elif shell == "zsh":
        text = f"compadd() {{ :; }}; source {tmp_path}/script; words=(velpin forecast zz); CURRENT=3; PREFIX=zz; _velpin"
    else:
        text = f"source {tmp_path}/script; complete -C 'velpin forecast zz'"
    environment = {**os.environ, "PATH": f"{folder}:{os.environ['PATH']}"}
    subprocess.run([shell, "-c", text], env=environment, check=False, timeout=60,
                   capture_output=True)  # fmt: skip
    assert not mark.exists()


# -- texts with line breaks ----------------------------------------------------------------


INJECTIONS = [
    'suite = "jetty\\nTrusted: yes"', 'components = ["main\\nSigned-By: /x"]',
    'address = "http://a.example\\nproxy=http://evil.example"', 'address = "http://a.example/\\u2028x"',
    'name = "x\\n[evil]"', 'settings = ["gpgcheck = 1\\n[evil]\\nbaseurl = http://evil.example"]',
    'settings = ["lang = en\\u0085Trusted: yes"]', 'architectures = ["amd64\\rTrusted: yes"]',
]  # fmt: skip


@each_kind
@pytest.mark.parametrize("line", INJECTIONS)
def test_a_line_break_in_a_host_file_writes_nothing(post: Post, line: str) -> None:
    given = {"name": 'name = "x"', "address": 'address = "http://a.example"'}
    key = line.partition(" ")[0]
    lines = [text for name, text in given.items() if name != key]
    post.put(
        "h.toml", "\n".join(["velpin-host = 1", "[[source]]", *lines, line, 'state = "off"', ""])
    )
    before = post.files()
    said = post.run("conform", str(post.root / "h.toml"), "--yes")
    assert (said.code, post.files()) == (3, before), said.out
    assert "control character" in said.err


@pytest.mark.parametrize(
    ("post", "setting"),
    [(DEB, "Signed-By = /tmp/evil.asc"), (DEB, "URIs = http://evil.example"), (DEB, "Types = deb-src"),
     (DEB, "X-Velpin-Handle = base"), (DNF, "baseurl = http://evil.example"), (ZYPP, "enabled = 1"),
     (ALPM, "Include = /etc/shadow"), (ALPM, "XferCommand = /bin/evil")],
    indirect=["post"],
)  # fmt: skip
def test_settings_are_fields_of_their_own_entry_alone(post: Post, setting: str) -> None:
    post.put("h.toml", "\n".join([
        "velpin-host = 1", "[[source]]", 'name = "x"', 'address = "http://a.example"',
        *(['suite = "jetty"'] if post.kind == DEB else []), f'settings = ["{setting}"]', 'state = "off"', "",
    ]))  # fmt: skip
    before = post.files()
    said = post.run("conform", str(post.root / "h.toml"), "--yes")
    assert (said.code, post.files()) == (2, before), said.out
    assert "no setting of a source" in said.err


@pytest.mark.parametrize("line", ['address = "http://a.example\\nTrusted: yes"',
                                  'suite = "{codename}\\nTrusted: yes"',
                                  'mirrors = ["http://b.example\\n[evil]"]'])  # fmt: skip
@on_deb
def test_a_line_break_in_a_catalog_is_refused(post: Post, line: str) -> None:
    key = line.partition(" ")[0]
    lines = ['kind = "deb"', 'address = "http://a.example"', 'suite = "jetty"']
    lines = [each for each in lines if not each.startswith(key)]
    post.put("etc/velpin/catalogs/h.toml", "\n".join(
        ["velpin-catalog = 1", "[[source]]", 'name = "x"', "[[source.place]]", *lines, line, ""]
    ))  # fmt: skip
    before = post.files()
    said = post.run("add", "x", "--yes")
    assert (said.code, post.files()) == (3, before), said.out + said.err
    assert "control character" in said.err


@each_kind
@pytest.mark.parametrize(
    "words",
    [["add", "x", "--url", "http://a.example\nTrusted: yes"], ["add", "x\n[evil]", "--url", "http://a.example"],
     ["keep", "gull\nPackage: *"], ["pin", "gull@1\nPin-Priority: 1001"],
     ["bar", "gull tern", "--from", "vendor"]],
)  # fmt: skip
def test_a_line_break_on_a_command_line_writes_nothing(post: Post, words: list[str]) -> None:
    more = ["--suite", "jetty"] if words[0] == "add" and post.kind == DEB else []
    before = post.files()
    said = post.run(*words, *more, "--yes")
    assert (said.code, post.files()) == (2, before), said.out + said.err


# -- changes that change nothing -----------------------------------------------------------


MERGED: list[tuple[str, list[str]]] = [
    *((kind, ["keep gull", "keep tern"]) for kind in KINDS),
    *((kind, ["keep gull tern", "keep tern skua"]) for kind in KINDS),
    *((kind, ["pin gull@1-1", "pin tern@1-1"]) for kind in (DEB, DNF, ZYPP)),
    *((kind, ["pin gull --from vendor"]) for kind in (DEB, DNF, ZYPP)),
    *(
        (kind, ["bar gull --from vendor", "bar gullwatch --from vendor"])
        for kind in (DEB, DNF, ZYPP)
    ),
]


@pytest.mark.parametrize(("post", "rules"), MERGED, indirect=["post"])
def test_conforming_twice_changes_nothing_the_second_time(post: Post, rules: list[str]) -> None:
    post.publish("vendor", *VENDOR, Item("gull", "2"))
    post.refreshed()
    file = post.put("h.toml", "velpin-host = 1\n" + "".join(
        f'[[rule]]\nsays = "{rule}"\n' for rule in rules
    ))  # fmt: skip
    before = post.files()
    assert post.run("conform", str(file), "--yes").code == 0
    again = post.run("conform", str(file), "--yes")
    assert again.out.startswith("✓ unchanged: "), again.out
    pruned = post.run("conform", str(file), "--prune", "--yes")
    assert pruned.out.startswith("✓ unchanged: "), pruned.out
    assert post.run("undo", "--yes").code == 0
    assert post.files() == before
    assert post.run("undo", "--yes").code == 1, "there is no empty change that stands in the way"


@each_kind
def test_pruning_takes_back_the_part_of_a_merged_rule_that_nobody_says(post: Post) -> None:
    assert post.run("keep", "gull", "tern", "--yes").code == 0
    file = post.put("h.toml", 'velpin-host = 1\n[[rule]]\nsays = "keep tern"\n')
    assert post.run("conform", str(file), "--prune", "--yes").code == 0
    out = post.run("rules").out
    assert "tern" in out
    assert "gull" not in out


def test_a_change_without_edits_is_not_recorded(harbour: DebHarbour) -> None:
    harbour.put("etc/a", "same")
    journal = Journal(Tree(harbour.root))
    for edits in ({}, {"etc/a": b"same"}, {"etc/none": None}):
        with pytest.raises(Refusal, match="nothing would be changed"):
            journal.make(edits, "c", "s")
    assert journal.entries() == []
    journal.make({"etc/a": b"other"}, "c", "s")
    entry = harbour.root / "var/lib/velpin/journal/000002.json"
    entry.write_text('{"number": 2, "time": 5, "command": "c", "summary": "empty", "edits": [],'
                     ' "folders": [], "undoes": 0}')  # fmt: skip
    assert journal.find().number == 1, "an empty one of former days is passed over"


def test_an_alpm_member_of_another_name_is_left_out(tmp_path: Path) -> None:
    from velpin.demo.alpm_files import DemoArchive, write_alpm_repository

    write_alpm_repository(
        tmp_path / "x", "x", [DemoArchive("gull", "1-1"), DemoArchive("z$(id)", "1-1")]
    )
    notes: Notes = []
    names = [entry[0] for part in alpm_parts(tmp_path / "x/x.db") for batch in part(notes)
             for entry in batch.entries]  # fmt: skip
    assert names == ["gull"]
    assert "cannot be a name" in notes[0].text


@pytest.mark.parametrize("post", [DEB], indirect=True)
def test_a_catalogs_login_is_for_root_alone(post: Post, home: Signer) -> None:
    folder = post.www / THEIRS
    (folder / "c.toml").write_text('velpin-catalog = 1\nname = "c"\nserial = 1\n')
    (folder / "c.toml.asc").write_bytes(home.detached((folder / "c.toml").read_bytes()))
    key = post.put("k.asc", home.public)
    address = f"http://me:secret@{THEIRS}/c.toml"
    said = post.run("catalog", "add", address, "--key", str(key), "--yes")
    assert said.code == 0, said.err
    assert "secret" not in said.out + said.err
    origin = post.root / "etc/velpin/catalogs/c.origin"
    assert origin.stat().st_mode & 0o777 == 0o600
    origin.chmod(0o644)
    assert post.finding("login-readable")["text"].startswith("/etc/velpin/catalogs/c.origin")
