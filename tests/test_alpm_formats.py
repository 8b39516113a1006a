"""What an alpm host's files look like, whole and broken: configuration, lists, record, ring."""

from __future__ import annotations

import gzip
import io
import os
import tarfile
import time
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import CONF, RECORD, AlpmHarbour
from velpin.demo.alpm_files import PACKERS, archive, desc, write_alpm_record
from velpin.demo.alpm_files import DemoArchive as P
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.alpm.archive import Share, _batches_of, members, name_and_version, parts_of
from velpin.kinds.alpm.config import included, read_config, sources_of
from velpin.kinds.alpm.entry import read_desc, read_facts, read_lines, written
from velpin.kinds.alpm.ignored import takes
from velpin.kinds.alpm.relation import AlpmRelation, fits, provision_fits, read_relation
from velpin.kinds.alpm.source import Level
from velpin.kinds.alpm.trust import blobs, ring
from velpin.store.cache import open_cache
from velpin.store.index import Batch

FULL = P(
    "gull", "2:1.0rc1-3.1", "x86_64", "counts gulls", depends=("tide>=1.2", "sh"),
    provides=("birds=4",), conflicts=("crow<3",), replaces=("old-gull",), optional=("map: maps",),
    groups=("birds",),
)  # fmt: skip


def tree_of(folder: Path, **files: str) -> Tree:
    """A host of some files; `/` in their names is written `__`."""
    return Tree(folder).with_edits(
        {
            name.replace("__", "/").replace("_conf", ".conf"): text.encode()
            for name, text in files.items()
        }
    )


# -- configuration -------------------------------------------------------------------------


def told(folder: Path, text: str, **more: str) -> list[tuple[str, tuple[str, ...]]]:
    tree = tree_of(folder, etc__pacman_conf=text, **more)
    return [(one.handle, one.servers) for one in sources_of(read_config(tree), "x86_64") if one.on]


def test_sections_that_are_commented_out(tmp_path: Path) -> None:
    text = (
        "# A source is written so:\n#       [name]\n#       Server = ServerName\n#       Include = Path\n\n"
        "#[testing]\n#Include = /etc/none\n\n[a]\nServer = u\n#[custom]\n#SigLevel = Never\n#Server = file:///x\n"
        "#[a]\n#Server = file:///y\n"
    )
    found = sources_of(read_config(tree_of(tmp_path, etc__pacman_conf=text)), "x86_64")
    assert [(one.handle, one.on) for one in found] == [
        ("a", True), ("testing", False), ("custom", False),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "sources"),
    [
        ("[a]\nServer = u/$repo/$arch/\n", [("a", ("u/a/x86_64",))]),
        ("[a]\r\n  Server  =  u  \r\n", [("a", ("u",))]),
        ("[a]\nServer=u\n[options]\n[b]\nServer=v\nServer=w", [("a", ("u",)), ("b", ("v", "w"))]),
        ("[a] # no\n", None),
        ("[a]\nServer = u # kept\n", [("a", ("u # kept",))]),
        ("; no comment\n", None),
        ("[a]\n; unknown\nServer=u\n", [("a", ("u",))]),
        ("Server = u\n[a]\n", None),
        ("[local]\nServer = u\n[a]\nServer = v\n", [("a", ("v",))]),
        ("[]\nServer = u\n[a]\nServer = v\n", [("a", ("v",))]),
        ("[a]\nUsage =\nServer = u\n", [("a", ("u",))]),
        ("[a]\nUsage\nServer = u\n", None),
        ("[a]\nUsage = sync\n", None),
        ("[a]\nSigLevel = PackageSometimes\n", None),
        ("[a]\nServer = u\nServer =\nServer = v\n", [("a", ("u",))]),
        ("[a]\nServer\n", None),
        ("[a]\nSigLevel =\nServer = u\n", [("a", ("u",))]),
        ("Include = /etc/none\n", None),
        ("[a]\nInclude = /etc/m/*.conf\nServer = z\n", [("a", ("u",)), ("b", ("v", "z"))]),
        ("#[off]\n#Server = u\n[a]\nServer = v\n", [("a", ("v",))]),
        ("[a]\nServer = u\n[b]\nServer = v\n[a]\nServer = w\n", [("a", ("u",)), ("b", ("v",))]),
    ],
)
def test_sections(
    tmp_path: Path, text: str, sources: list[tuple[str, tuple[str, ...]]] | None
) -> None:
    more = {"etc__m__1_conf": "Server = u\n", "etc__m__2_conf": "[b]\nServer = v\n"}
    tree = tree_of(tmp_path, etc__pacman_conf=text, **more)
    if sources is None:
        (problem,) = read_config(tree).errors
        assert problem.file.startswith("etc/")
        assert problem.line or "there" in problem.what
    else:
        assert told(tmp_path, text, **more) == sources


@pytest.mark.parametrize(
    ("common", "own", "level"),
    [
        ("", "", Level("optional", "optional")),
        ("Never", "", Level("never", "never")),
        ("Required DatabaseOptional", "", Level("optional", "required")),
        ("Never", "Optional TrustAll", Level("optional", "optional", True)),
        ("Required", "PackageNever", Level("required", "never")),
        ("Required TrustAll", "DatabaseTrustedOnly", Level("required", "required")),
        ("Required", "PackageTrustAll", Level("required", "required")),
    ],
)
def test_levels(tmp_path: Path, common: str, own: str, level: Level) -> None:
    text = "[options]\n" + (f"SigLevel = {common}\n" if common else "")
    text += "[a]\nServer = u\n" + (f"SigLevel = {own}\n" if own else "")
    (source,) = sources_of(read_config(tree_of(tmp_path, etc__pacman_conf=text)), "")
    assert source.level == level


def test_an_include_that_includes_itself_ends(tmp_path: Path) -> None:
    tree = tree_of(tmp_path, etc__pacman_conf="[a]\nInclude = /etc/pacman.conf\n")
    (problem,) = read_config(tree).errors
    assert problem.what == "includes go too deep, at etc/pacman.conf"


def test_globs_of_includes(tmp_path: Path) -> None:
    for name in ("b.conf", "a.conf", ".hidden.conf", "c.txt", "sub/a.conf"):
        path = tmp_path / "etc/d" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text("")
    tree = Tree(tmp_path)
    assert included(tree, "/etc/d/*.conf") == ["etc/d/a.conf", "etc/d/b.conf"]
    assert included(tree, "/etc/*/*/a.conf") == ["etc/d/sub/a.conf"]
    assert included(tree, "/etc/d/x*") == ["etc/d/x*"]
    assert included(tree, "/etc/d/.h*") == ["etc/d/.hidden.conf"]
    assert included(tree, "/etc/d/[ab].conf") == ["etc/d/a.conf", "etc/d/b.conf"]


@given(st.text(alphabet="[]=#ab \nServUsgInclud*/.", max_size=80))
def test_any_text_is_read_or_refused_with_its_place(
    tmp_path_factory: pytest.TempPathFactory, text: str
) -> None:
    tree = Tree(tmp_path_factory.getbasetemp()).with_edits({CONF: text.encode()})
    config = read_config(tree)
    assert all(one.file for one in config.errors)
    for section in config.sections:
        assert section.places[0].line <= text.count("\n") + 1


@pytest.mark.parametrize(
    ("glob", "name", "fits"),
    [("a", "a", True), ("a", "ab", False), ("a*", "ab", True), ("?b", "ab", True), ("[!a]b", "ab", False),
     ("[^a]b", "cb", True), ("A", "a", False), ("!a", "a", False), ("a,b", "a", False)],
)  # fmt: skip
def test_globs_of_names(glob: str, name: str, fits: bool) -> None:
    assert takes(glob, name) is fits


# -- relations -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "relation"),
    [
        ("a", AlpmRelation("a")), ("a>=1:2-3", AlpmRelation("a", ">=", "1:2-3")), ("a<2", AlpmRelation("a", "<", "2")),
        ("liba.so=3-64", AlpmRelation("liba.so", "=", "3-64")), ("a: for more", AlpmRelation("a")),
        ("a=1:2: for more", AlpmRelation("a", "=", "1:2")),
    ],
)  # fmt: skip
def test_relations(text: str, relation: AlpmRelation) -> None:
    assert read_relation(text) == relation


@given(
    st.sampled_from(["1", "1-1", "2-1", "1:1-1", "1.0-2"]),
    st.sampled_from(["1", "1-1", "2", "1:1"]),
)
def test_bounds_agree_with_each_other(version: str, wanted: str) -> None:
    below, same, above = (fits(version, sign, wanted) for sign in ("<", "=", ">"))
    assert (below, same, above).count(True) == 1
    assert fits(version, "<=", wanted) == (below or same)
    assert fits(version, ">=", wanted) == (above or same)
    assert fits(version, "", wanted)
    stated = AlpmRelation("x", "=", version)
    assert provision_fits(stated, AlpmRelation("x", ">=", wanted)) == (above or same)
    assert not provision_fits(AlpmRelation("x"), AlpmRelation("x", ">=", wanted))


# -- lists ---------------------------------------------------------------------------------


def test_a_desc_gives_back_what_was_put_in() -> None:
    facts = read_facts(written(read_desc(desc(FULL).decode())).encode())
    assert (facts.file, facts.size, facts.installed_size, facts.built) == (
        "gull-2:1.0rc1-3.1-x86_64.pkg.tar.gz", 10_000, 30_000, 1_700_000_000,
    )  # fmt: skip
    assert tuple(map(str, facts.depends)) == FULL.depends
    assert tuple(map(str, facts.provides)) == FULL.provides
    assert tuple(map(str, facts.conflicts)) == FULL.conflicts
    assert facts.groups == FULL.groups


FIELDS = st.dictionaries(
    st.sampled_from(["NAME", "DEPENDS", "PROVIDES", "GROUPS", "CSIZE", "ODD"]),
    st.lists(st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=12)
             .map(str.strip).filter(bool), min_size=1, max_size=4),
)  # fmt: skip


@given(FIELDS)
def test_any_desc_is_read(fields: dict[str, list[str]]) -> None:
    text = "".join(
        f"%{name}%\n" + "".join(f"{one}\n" for one in values) + "\n"
        for name, values in fields.items()
    )
    found = read_desc(text)
    assert {name: len(values) for name, values in found.fields.items()} == {
        name: len(values) for name, values in fields.items()
    }
    facts = read_facts(written(found).encode())
    assert len(facts.texts.get("D", ())) == len(fields.get("DEPENDS", []))


@given(st.text(alphabet="%AB\n\n \r\tx", max_size=40))
def test_both_ways_of_reading_a_desc_agree(text: str) -> None:
    assert read_desc(text) == read_lines(text)


def test_a_list_read_in_two_parts_is_the_same(tmp_path: Path) -> None:
    rows = [P(f"gull{n % 300}", f"{n}-1", provides=(f"cap{n}=1",)) for n in range(400)]
    path = tmp_path / "base.db"
    path.write_bytes(archive((f"{one.folder}/desc", desc(one)) for one in rows))
    whole, *halves = (
        [one for batch in _batches_of(path, [], share) for one in texts_of(batch)]
        for share in (Share(), Share(0, 2), Share(1, 2))
    )
    assert (len(whole), whole[0][0], whole[-1][0]) == (300, "gull0", "gull299")
    assert all(halves)
    assert sorted(halves[0] + halves[1]) == sorted(whole)


def texts_of(batch: Batch) -> list[tuple[str, bytes]]:
    """Names of a batch with what is kept of each."""
    return [(one.name, batch.block[one.start : one.start + one.length]) for one in batch.entries]


@pytest.mark.parametrize("packed", list(PACKERS))
def test_lists_in_every_form(tmp_path: Path, packed: str) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", FULL, P("tern"), packed=packed)
    harbour.refresh()
    assert [one.version for one in harbour.host().packages.offers(["gull"])] == [FULL.version]


@pytest.mark.parametrize("form", [tarfile.PAX_FORMAT, tarfile.GNU_FORMAT, tarfile.USTAR_FORMAT])
def test_long_names(tmp_path: Path, form: int) -> None:
    name = "/".join(("long" * 24, "x" * 40)) if form == tarfile.USTAR_FORMAT else "n" * 180
    out = io.BytesIO()
    with tarfile.open(fileobj=out, mode="w", format=form) as tar:
        for one, data in ((f"{name}/desc", b"one"), ("b-1-1/desc", b"two"), ("b-1-1/files", b"no")):
            head = tarfile.TarInfo(one)
            head.size = len(data)
            tar.addfile(head, io.BytesIO(data))
    path = tmp_path / "x.db"
    path.write_bytes(out.getvalue())
    assert list(members(path, "/desc")) == [(f"{name}/desc", b"one"), ("b-1-1/desc", b"two")]


WHOLE = archive([(f"p{n}-1-1/desc", desc(P(f"p{n}", "1-1"))) for n in range(5)])


@given(st.integers(0, len(WHOLE) - 1), st.sampled_from(list(PACKERS)))
def test_a_cut_list_is_never_taken_for_a_whole_one(
    tmp_path_factory: pytest.TempPathFactory, at: int, packed: str
) -> None:
    path = tmp_path_factory.getbasetemp() / f"cut-{packed}.db"
    data = PACKERS[packed](WHOLE)
    path.write_bytes(data[: at * len(data) // len(WHOLE)])
    try:
        found = [name for name, _ in members(path, "/desc")]
    except HostFileError as problem:
        assert "damaged" in problem.what
    else:
        assert packed == "" or not found
        assert len(found) <= 5


@given(st.integers(0, len(WHOLE) - 1), st.integers(1, 255))
def test_a_changed_byte_never_ends_in_a_crash(
    tmp_path_factory: pytest.TempPathFactory, at: int, other: int
) -> None:
    path = tmp_path_factory.getbasetemp() / "changed.db"
    path.write_bytes(WHOLE[:at] + bytes([WHOLE[at] ^ other]) + WHOLE[at + 1 :])
    try:
        for part in parts_of(path):
            list(part([]))
    except HostFileError as problem:
        assert "damaged" in problem.what


def test_a_damaged_list_refuses_a_refresh_and_the_last_good_one_stays(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    folder = harbour.source("base", P("gull", "1-1"))
    harbour.refresh()
    (folder / "base.db").write_bytes(gzip.compress(WHOLE)[:200])
    code, _, told = harbour.run("refresh")
    assert code == 5
    assert "damaged" in told
    assert harbour.changes("gull") == {"gull": "1-1 base"}


def test_entries_that_are_none_are_told_and_passed_over(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    folder = harbour.source("base")
    files = [
        ("odd/desc", b"%NAME%\nodd\n"),
        ("a-1-1/desc", desc(P("a", "1-1"))),
        ("a-2-1/desc", desc(P("a", "2-1"))),
    ]
    (folder / "base.db").write_bytes(archive(files))
    out = harbour.run("refresh")
    assert "odd: no name, version and release" in out[2]
    assert harbour.changes("a") == {"a": "1-1 base"}


@pytest.mark.parametrize(
    ("folder", "parts"),
    [
        ("a-1-1", ("a", "1-1")),
        ("a-b-2:1.0-1.1", ("a-b", "2:1.0-1.1")),
        ("a-1", ("", "")),
        ("a", ("", "")),
        ("-1-1", ("", "")),
    ],
)
def test_names_of_folders(folder: str, parts: tuple[str, str]) -> None:
    assert name_and_version(folder) == parts


@pytest.mark.slow
def test_a_bomb_is_not_unpacked(tmp_path: Path) -> None:
    path = tmp_path / "bomb.db"
    path.write_bytes(gzip.compress(WHOLE + bytes(100 << 20)))
    with pytest.raises(HostFileError, match="far more"):
        list(members(path, "/desc"))


# -- copies and the record -----------------------------------------------------------------


def test_the_newer_copy_counts(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", "1-1"))
    harbour.refresh()
    saved = harbour.put(
        "var/lib/pacman/sync/base.db", archive([("gull-3-1/desc", desc(P("gull", "3-1")))])
    )
    os.utime(saved, (1_000_000_000, 1_000_000_000))
    assert harbour.changes("gull") == {"gull": "1-1 base"}
    assert harbour.changes("gull", "--as-is") == {"gull": "3-1 base"}
    later = time.time() + 1000
    os.utime(saved, (later, later))
    assert harbour.changes("gull") == {"gull": "3-1 base"}
    assert not harbour.forecast("gull")["notes"]


def test_a_source_that_is_never_refreshed(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", "2-1"), settings="Usage = Install Upgrade\n")
    harbour.refresh()
    found = harbour.forecast("gull")
    assert not found["ok"]
    assert found["problem"] == "no enabled source has a package called gull"
    harbour.put("var/lib/pacman/sync/base.db", archive([("gull-1-1/desc", desc(P("gull", "1-1")))]))
    assert harbour.changes("gull") == {"gull": "1-1 base"}


def test_the_record_is_read_anew_when_a_package_came_or_changed(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.installed(P("gull", "1-1"))
    assert harbour.host().packages.installed_names() == ["gull"]
    write_alpm_record(harbour.root / RECORD, [P("tern", "1-1")])
    assert harbour.host().packages.installed_names() == ["gull", "tern"]
    path = harbour.root / RECORD / "tern-1-1/desc"
    path.write_bytes(path.read_bytes() + b"%PROVIDES%\nbird\n\n")
    os.utime(path, (2_000_000_000, 2_000_000_000))
    host = harbour.ports()
    assert [
        one.name for one in host.state.packages.pool.installed_satisfying(AlpmRelation("bird"))
    ] == ["tern"]


def test_an_odd_record_is_told(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    (harbour.root / RECORD / "nonsense").mkdir()
    (harbour.root / RECORD / "gull-1-1").mkdir()
    harbour.installed(P("tern", "1-1"), P("tern", "2-1"))
    out = harbour.done("host")
    for text in ("nonsense", "gull-1-1: No such file", "tern is there as tern-1-1 too"):
        assert text in out


def test_a_path_is_looked_up_where_lists_of_files_are_here(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("gull", files=("usr/", "usr/bin/", "usr/bin/gull")), with_files=True)
    harbour.refresh()
    assert "velpin refresh --files" in harbour.forecast("/usr/bin/gull")["problem"]
    harbour.done("refresh", "--files")
    found = harbour.forecast("/usr/bin/gull")
    assert (found["ok"], found["problem"]) == (
        False, "the host's installer takes no file paths; /usr/bin/gull is in gull 1.0-1 (base)",
    )  # fmt: skip
    assert "has /usr/bin" in harbour.forecast("/usr/bin/gul")["problem"]
    birds = [P("gull", files=("usr/bin/gull",)), P("tern", files=("usr/bin/tern",))]
    harbour.repository("base", *birds, with_files=True)
    harbour.done("refresh")  # what was fetched before is kept current
    assert "/usr/bin/tern is in tern" in harbour.forecast("/usr/bin/tern")["problem"]


# -- the ring ------------------------------------------------------------------------------


def keybox(certificates: list[bytes]) -> bytes:
    """A keybox file (GnuPG, kbx/keybox-blob.c): a first blob, then one for each."""
    data = (32).to_bytes(4, "big") + b"\x01\x01\x00\x00KBXf" + bytes(20)
    for one in certificates:
        head = bytes([2, 1]) + b"\x00\x00" + (32).to_bytes(4, "big") + len(one).to_bytes(4, "big")
        body = head + bytes(16) + one
        data += (len(body) + 4).to_bytes(4, "big") + body
    return data


def test_rings_of_both_forms(tmp_path: Path, signer: Signer, stranger: Signer) -> None:
    certificates = [bytes(one.secret.extract_certificate()) for one in (signer, stranger)]
    assert list(blobs(keybox(certificates))) == certificates
    for name, data in (
        ("pubring.gpg", b"".join(certificates)),
        ("pubring.kbx", keybox(certificates)),
    ):
        harbour = AlpmHarbour(tmp_path / name)
        harbour.put(f"etc/pacman.d/gnupg/{name}", data)
        found = ring(harbour.ports().state)
        assert [key.fingerprint for key in found.keys] == [signer.fingerprint, stranger.fingerprint]


@given(st.binary(max_size=120))
def test_any_keybox_is_read_to_its_end(data: bytes) -> None:
    assert len(list(blobs(keybox([]) + data))) < 20


def test_nothing_in_the_folder_is_no_ring(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    assert ring(harbour.ports().state).problems == ["/etc/pacman.d/gnupg holds no keyring"]
    assert open_cache(Tree(harbour.root)).home.is_relative_to(harbour.root)
