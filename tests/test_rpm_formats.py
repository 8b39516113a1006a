"""What an rpm host's files look like, whole and broken: headers, lists, sections, patterns."""

from __future__ import annotations

import bz2
import gzip
import lzma
import re
import struct
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DNF, ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm, filelists_xml, header_of, primary_xml
from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.kinds.rpm import primary
from velpin.kinds.rpm.arch import Archs
from velpin.kinds.rpm.edit import with_value, without_section
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.filelists import holders
from velpin.kinds.rpm.header import files_of, read_header, relations_of, version_of
from velpin.kinds.rpm.ini import leading_number, read_sections, truth, words
from velpin.kinds.rpm.mirrors import read_mirrors
from velpin.kinds.rpm.pattern import Named, Patterns
from velpin.kinds.rpm.primary import Span, read_primary
from velpin.kinds.rpm.relation import Capability, Joined, meets, overlap, read_relation
from velpin.kinds.rpm.repomd import read_repomd
from velpin.kinds.rpm.variables import substituted
from velpin.kinds.rpm.version import compare
from velpin.kinds.rpm_dnf.rules import other_versions
from velpin.kinds.rpm_zypp.locks import Lock, Locks
from velpin.model.reason import Place
from velpin.store.index import IndexNote

NEAR = {"gull", "gull-wing", "gull-wing-tip", "gill", "tern"}
FULL = DemoRpm(
    "gull", "2:1.0~rc1-3.el9", "x86_64", "counts & <gulls>", requires=("tide >= 1.2", "(a or b)"),
    provides=("birds = 4",), conflicts=("crow < 3",), obsoletes=("old-gull",), recommends=("map",),
    suggests=("poster",), supplements=("pier",), enhances=("mast",),
    files=("/usr/bin/gull", "/etc/gull.conf", "/usr/share/gull/x"), vendor="Gull Works",
)  # fmt: skip


# -- headers and the record ----------------------------------------------------------------


def test_a_header_gives_back_what_was_put_in() -> None:
    header, end = read_header(header_of(FULL), "here")
    assert end == len(header_of(FULL))
    assert version_of(header) == FULL.version
    assert files_of(header) == list(FULL.files)
    found = relations_of(header)
    assert found["R"] == list(FULL.requires)
    assert found["P"] == ["birds = 4", f"gull = {FULL.version}", f"gull(x86-64) = {FULL.version}"]
    for letter, kind in (("C", "conflicts"), ("O", "obsoletes"), ("M", "recommends"),
                         ("G", "suggests"), ("S", "supplements"), ("E", "enhances")):  # fmt: skip
        assert found[letter] == list(getattr(FULL, kind))


def test_what_only_the_installing_program_can_meet_is_left_away() -> None:
    header, _ = read_header(header_of(DemoRpm("x", requires=("rpmlib(Zeta) <= 4", "tide"))), "")
    assert relations_of(header)["R"] == ["tide"]


@given(st.integers(0, 400))
def test_a_cut_off_header_is_told(length: int) -> None:
    data = header_of(FULL)
    if length < len(data):
        with pytest.raises(HostFileError):
            read_header(data[:length], "here")


@given(st.binary(max_size=200))
def test_no_bytes_break_the_reader_otherwise(data: bytes) -> None:
    try:
        read_header(data, "here")
    except HostFileError as problem:
        assert "here" in str(problem)


# -- lists ---------------------------------------------------------------------------------


def listed(path: Path, span: Span | None = None) -> list[str]:
    return [e.name for batch in read_primary(path, [], span) for e in batch.entries]


def test_the_main_list_says_what_the_header_says(tmp_path: Path) -> None:
    path = tmp_path / "primary.xml"
    path.write_bytes(primary_xml([DemoRpm("tern"), FULL]))
    (batch,) = read_primary(path, [])
    entry = batch.entries[1]
    assert (entry.name, entry.version, entry.arch, entry.summary) == (
        "gull", FULL.version, "x86_64", "counts & <gulls>",
    )  # fmt: skip
    facts = read_facts(batch.block[entry.start : entry.start + entry.length])
    assert facts.vendor == "Gull Works"
    assert facts.relations["R"] == FULL.requires
    assert facts.files == FULL.files[:2]
    assert (facts.size, facts.installed_size) == (FULL.size, FULL.disk)
    assert ("old-gull", 1) in batch.links["O"]
    assert ("pier", 1) in batch.links["S"]


@pytest.mark.parametrize("odd", [b"&#9;", b"&#10;"])
def test_names_of_relations_hold_no_line(tmp_path: Path, odd: bytes) -> None:
    """They are kept with one on a line, and what follows a tab means something else."""
    path = tmp_path / "primary.xml"
    made = primary_xml([DemoRpm("tern", requires=("one-two", "three"))])
    path.write_bytes(made.replace(b'"one-two"', b'"one' + odd + b'two"'))
    (batch,) = read_primary(path, [])
    entry = batch.entries[0]
    facts = read_facts(batch.block[entry.start : entry.start + entry.length])
    assert facts.relations["R"] == ("one two", "three")


@pytest.mark.parametrize("count", [0, 1, 47, 48, 49, 200])
def test_parts_together_are_the_whole(tmp_path: Path, count: int) -> None:
    path = tmp_path / "primary.xml"
    data = primary_xml([DemoRpm(f"p{n:03}") for n in range(count)])
    path.write_bytes(data)
    names = [f"p{n:03}" for n in range(count)]
    assert listed(path) == names
    for cut in (1, len(data) // 3, len(data) // 2, len(data) - 3):
        assert listed(path, Span(0, cut)) + listed(path, Span(cut)) == names


@pytest.mark.parametrize("count", [1, 2, 3, 5])
def test_parts_hold_every_package_once(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, count: int
) -> None:
    packages = [DemoRpm(f"p{number}", "1-1", summary="x" * (number % 700)) for number in range(500)]
    path = tmp_path / "primary.xml"
    data = primary_xml(packages)
    path.write_bytes(data)
    monkeypatch.setattr(primary, "processors", lambda: count)
    monkeypatch.setattr(primary, "_LARGE", len(data) // 6)
    parts = primary.parts_of(path, len(data))
    assert len(parts) == count
    names = [e.name for part in parts for batch in part([]) for e in batch.entries]
    assert names == [package.name for package in packages]


@pytest.mark.parametrize(
    "pack",
    [bytes, gzip.compress, lzma.compress, bz2.compress],
    ids=["plain", "gz", "xz", "bz2"],
)
def test_every_packing(tmp_path: Path, pack: Callable[[bytes], bytes]) -> None:
    path = tmp_path / "primary"
    path.write_bytes(pack(primary_xml([FULL])))
    assert listed(path) == ["gull"]
    assert b"".join(unpacked(path)) == primary_xml([FULL])


BOMB = b'<?xml version="1.0"?>\n<!DOCTYPE x [<!ENTITY a "aaaa">]>\n'


@pytest.mark.parametrize(
    ("data", "what"),
    [
        (BOMB + primary_xml([FULL]), "entities"),
        (primary_xml([FULL, FULL])[:-60], "cut off"),
        (primary_xml([FULL])[:80], "no list of packages"),
        (primary_xml([FULL])[:200], "cut off"),
        (b"", "no list of packages"),
        (b"<html><body>Moved</body></html>\n" * 9000, "no list of packages"),
        (primary_xml([FULL]).replace(b"<name>gull</name>", b"<name>gull"), "not well-formed"),
        (primary_xml([FULL]).replace(b"gulls&gt;", b"&a;"), "not well-formed"),
    ],
)
def test_broken_main_lists(tmp_path: Path, data: bytes, what: str) -> None:
    path = tmp_path / "primary.xml"
    path.write_bytes(data)
    with pytest.raises(HostFileError, match=what):
        listed(path)


def test_the_line_of_an_error_is_that_of_the_file(tmp_path: Path) -> None:
    path = tmp_path / "primary.xml"
    good = primary_xml([DemoRpm(f"p{n}") for n in range(100)])
    lines = good.split(b"\n")
    broken = next(at for at, line in enumerate(lines) if b"<name>p77</name>" in line)
    lines[broken] = b"<name>p77<name>"
    path.write_bytes(b"\n".join(lines))
    with pytest.raises(HostFileError) as problem:
        listed(path)
    assert broken + 1 <= problem.value.line <= broken + 18


def test_entries_without_a_name_are_noted_and_sources_left_out(tmp_path: Path) -> None:
    path = tmp_path / "primary.xml"
    data = primary_xml([FULL, DemoRpm("x", arch="src"), DemoRpm("tern")])
    path.write_bytes(data.replace(b"<name>gull</name>", b"<name></name>"))
    notes: list[IndexNote] = []
    names = [e.name for batch in read_primary(path, notes) for e in batch.entries]
    assert (names, [note.line for note in notes]) == (["tern"], [3])


def test_a_file_is_looked_up_in_the_full_list(tmp_path: Path) -> None:
    path = tmp_path / "filelists.xml"
    path.write_bytes(filelists_xml([DemoRpm("tern", files=("/a/b",)), FULL]))
    assert list(holders(path, "/usr/share/gull/x")) == [("gull", "x86_64", FULL.version)]
    assert list(holders(path, "/usr/share/gull")) == []


REPOMD = """<?xml version="1.0"?>
<repomd xmlns="http://linux.duke.edu/metadata/repo"><revision>7</revision>
<data type="primary"><checksum type="sha256">AB</checksum><location href="{href}"/>
<timestamp>12.5</timestamp><size>9</size></data></repomd>"""


def test_repomd() -> None:
    found = read_repomd(REPOMD.format(href="repodata/p.xml").encode(), "here")
    primary = found.of("primary")
    assert primary is not None
    assert (primary.value, primary.size, primary.open_size, found.date) == ("ab", 9, 0, 12.5)
    assert found.of("modules") is None
    for href in ("/etc/passwd", "../up.xml", "a/../../b"):
        with pytest.raises(HostFileError, match="below the repository") as problem:
            read_repomd(REPOMD.format(href=href).encode(), "here")
        assert problem.value.line == 3
    for data in (b"", b"<html/>", BOMB + b"<repomd/>", b"<repomd>"):
        with pytest.raises(HostFileError, match="here"):
            read_repomd(data, "here")


METALINK = b"""<?xml version="1.0"?><metalink xmlns="http://www.metalinker.org/"><files><file
name="repomd.xml"><resources><url preference="50">http://b.example/r/repodata/repomd.xml</url>
<url preference="90">http://a.example/r/repodata/repomd.xml</url>
<url preference="99">rsync://c.example/r/repodata/repomd.xml</url></resources></file></files>
</metalink>"""


def test_mirrors() -> None:
    assert read_mirrors(METALINK, "m") == ["http://a.example/r/", "http://b.example/r/"]
    assert read_mirrors(b"# all\nhttp://a.example/r\n\nftp://b/x/\n", "m") == [
        "http://a.example/r/", "ftp://b/x/",
    ]  # fmt: skip
    for data in (b"", b"nothing", b"<metalink></metalink>", BOMB + METALINK):
        with pytest.raises(HostFileError, match="m"):
            read_mirrors(data, "m")


# -- relations and patterns ----------------------------------------------------------------


@pytest.mark.parametrize(
    "text",
    ["a", "a = 1-1", "a >= 2:1.0", "/usr/bin/x", "lib.so.1()(64bit)", "(a or b)", "(a and b and c)",
     "(a >= 1 if b < 2 else c)", "(a with b)", "(a without b = 3)", "((a or b) and c)", "font(:lang=en)",
     "(pkg(x) >= 2 or y)", "(a unless b)"],
)  # fmt: skip
def test_a_relation_is_written_as_it_was_read(text: str) -> None:
    assert str(read_relation(text)) == text


@pytest.mark.parametrize("text", ["(", "()", "(a or)", "(a or b", "(a or b and c)", "(a else b)"])
def test_what_cannot_be_read_is_a_name_that_nothing_provides(text: str) -> None:
    assert read_relation(text) == Capability(text)


def test_one_in_parentheses_is_itself() -> None:
    assert read_relation("(a)") == Capability("a")
    assert isinstance(read_relation("((a or b))"), Joined)


@pytest.mark.parametrize(
    ("offered", "wanted", "fits"),
    [
        ("a = 1-1", "a", True), ("a = 1-1", "a = 1", True), ("a = 1-1", "a = 1-2", False),
        ("a = 1-1", "a >= 1-1", True), ("a = 1-1", "a > 1", False), ("a = 1-1", "a < 1", False),
        ("a = 2:1-1", "a = 1", False), ("a = 2:1-1", "a >= 9", True), ("a", "a = 1", True),
        ("a >= 2", "a < 3", True), ("a < 2", "a > 3", False), ("a < 2", "a < 1", True),
        ("a = 1", "a = 1-7", True), ("a > 1", "a = 1", False), ("a >= 1", "a <= 1", True),
        ("b = 1", "a = 1", False),
    ],
)  # fmt: skip
def test_what_meets_what(offered: str, wanted: str, fits: bool) -> None:
    one, other = read_relation(offered), read_relation(wanted)
    assert isinstance(one, Capability)
    assert isinstance(other, Capability)
    assert meets(one, other) is fits


versions = st.builds("{}-{}".format, st.text("012.", min_size=1, max_size=3), st.sampled_from("12"))


@given(versions, st.sampled_from((1, 2, 3, 4, 6)), versions, st.sampled_from((1, 2, 3, 4, 6)))
def test_overlap_is_mutual_and_what_comparing_says(
    one: str, sense: int, other: str, other_sense: int
) -> None:
    assert overlap(sense, one, other_sense, other) == overlap(other_sense, other, sense, one)
    order = {-1: 1, 0: 2, 1: 4}[compare(one, other)]
    assert overlap(2, one, other_sense, other) == bool(order & other_sense)


@pytest.mark.parametrize(
    ("pattern", "fits"),
    [
        ("gull", True), ("gull.x86_64", True), ("gull.i686", False), ("gul?", True), ("gull-2", True),
        ("gull-2-1", True), ("gull-2-1.x86_64", True), ("gull-3:2-1", True), ("gull-0:2-1", False),
        ("gull-2*", True), ("gull-[0-9]*", True), ("gull-3:[0-9]*", True), ("gull-1*", False),
        ("*", True), ("*.x86_64", True), ("birds", False), ("GULL", False), ("gull-2-[!2]", True),
    ],
)  # fmt: skip
def test_patterns(pattern: str, fits: bool) -> None:
    assert Patterns([pattern, "other"]).mean(Named("gull", "x86_64", "3:2-1")) is fits


pieces = st.lists(
    st.sampled_from(
        ("gull", "tide", "-", ".", "3:", "1", "2", "*", "?", "[0-9]", "[!2]", "x86_64", "i686")
    ),
    min_size=1,
    max_size=6,
)


@given(
    st.lists(pieces.map("".join), max_size=8),
    st.sampled_from(("gull", "gull-tide", "gul", "1", "tide.x86_64")),
    st.sampled_from(("2-1", "3:2-1", "1:1-2")),
)
def test_many_patterns_mean_what_each_alone_means(
    texts: list[str], name: str, version: str
) -> None:
    build, many = Named(name, "x86_64", version), Patterns(texts)
    alone = [Patterns([text]) for text in texts]
    assert many.mean(build) == any(one.mean(build) for one in alone)
    assert many.speak_of(name) == any(one.speak_of(name) for one in alone)
    assert many.mean(build) == bool(many.which(build))
    if many.mean(build) or many.speak_of(name):
        assert name in many.names_among(sorted({"a", name, "z"}))


@given(st.lists(st.tuples(st.sampled_from(("glob", "exact", "regex", "substring")), st.booleans(),
                          st.lists(st.sampled_from(("gull", "g*", "GULL", "ul", "*")), max_size=2),
                          st.sampled_from(("", "< 2"))), max_size=5))  # fmt: skip
def test_many_locks_mean_what_the_first_of_them_means(
    told: list[tuple[str, bool, list[str], str]],
) -> None:
    locks = [
        Lock(Place("locks", at), names=names, match=match, case=case, version=version)
        for at, (match, case, names, version) in enumerate(told)
    ]
    names = ["gull", "gulls", "tern"]
    for name in names:
        first = next((lock for lock in locks if lock.means("quay", name, "1-1")), None)
        assert Locks(locks).first("quay", name, "1-1") is first
        for lock in locks:
            assert not lock.means("quay", name, "1-1") or name in lock.names_among(names)


@pytest.mark.parametrize(
    ("pattern", "among"),
    [
        ("gull-*~*-*", {"gull", "gull-wing", "gull-wing-tip"}),
        ("gull-wing-1:*", {"gull-wing", "gull"}), ("g?ll-*", {"gull", "gull-wing", "gull-wing-tip", "gill"}),
        ("tern-0:2-1.*", {"tern"}), ("tern", {"tern"}), ("*.noarch", NEAR), ("nothing-*", set()),
    ],
)  # fmt: skip
def test_names_that_a_pattern_may_mean(pattern: str, among: set[str]) -> None:
    found = Patterns([pattern]).names_among(sorted(NEAR))
    assert found >= among
    assert found <= among | {"gull-wing-tip"}


@given(
    st.from_regex(r"[0-9][0-9a-z.~^]{0,4}-[0-9][0-9a-z.]{0,3}", fullmatch=True), st.lists(versions)
)
def test_the_patterns_of_a_pin_mean_all_versions_but_one(pinned: str, others: list[str]) -> None:
    kept_out = Patterns(other_versions("gull", pinned))
    assert not kept_out.mean(Named("gull", "x86_64", pinned))
    assert kept_out.mean(Named("gull", "x86_64", f"1:{pinned}"))
    for other in (*others, pinned + "0", pinned.replace("-", ".-"), pinned + ".1", "0" + pinned):
        assert kept_out.mean(Named("gull", "x86_64", other)) == (other != pinned), other


# -- sections ------------------------------------------------------------------------------

TEXT = """# a comment
[one]
name = One
baseurl=http://a.example/x
        http://b.example/y
enabled=1

; another
[two]
priority=5
priority = 7
"""


def test_sections() -> None:
    one, two = read_sections(TEXT.encode(), "f")
    assert (one.name, one.line, one.last, two.line) == ("one", 2, 6, 9)
    assert words(one.get("baseurl")) == ["http://a.example/x", "http://b.example/y"]
    assert (two.get("priority"), two.get("none", "x"), "name" in two) == ("7", "x", False)
    value = one.find("baseurl")
    assert value is not None
    assert (value.line, value.last) == (4, 5)


@pytest.mark.parametrize(
    ("text", "line"), [("a=1\n", 1), ("[x]\nno key\n", 2), ("\n[]\n", 2), ("[x]\n\xff\n", 0)]
)
def test_broken_sections(text: str, line: int) -> None:
    data = text.encode("latin-1")
    with pytest.raises(HostFileError) as problem:
        read_sections(data, "f")
    assert problem.value.line == (line or 2)


def test_switches_and_numbers() -> None:
    assert [truth(word, True) for word in ("1", "Yes", "off", "0", "maybe")] == [
        True, True, False, False, True,
    ]  # fmt: skip
    assert [leading_number(text) for text in ("10 # x", "-3", "x", "", "4x")] == [
        10, -3, None, None, None,
    ]  # fmt: skip


def test_variables() -> None:
    known = {"releasever": "9", "name": "x"}
    assert substituted("a$releasever/${name}/$other", known) == "a9/x/$other"
    assert substituted("${name:-y}${none:-z}${none:+w}", known) == "${name:-y}${none:-z}${none:+w}"
    assert substituted("${name:-y}${none:-z}${name:+w}", known, defaults=True) == "xzw"


@pytest.mark.parametrize(
    ("key", "value", "expected"),
    [
        ("enabled", "0", TEXT.replace("enabled=1", "enabled=0")),
        ("enabled", None, TEXT.replace("enabled=1\n", "")),
        ("cost", "7", TEXT.replace("enabled=1\n", "enabled=1\ncost = 7\n")),
        ("cost", None, TEXT),
    ],
)
def test_one_key_is_set_and_nothing_else(key: str, value: str | None, expected: str) -> None:
    found = with_value(TEXT.encode(), "f", "one", key, value)
    assert found.decode().replace("cost=7", "cost = 7") == expected


def test_line_ends_and_a_missing_last_one_are_kept() -> None:
    text = "[a]\r\nx=1\r\n[b]\r\ny=2"
    assert with_value(text.encode(), "f", "b", "y", "3") == b"[a]\r\nx=1\r\n[b]\r\ny=3"
    assert with_value(text.encode(), "f", "b", "z", "3") == (text + "\r\nz=3\r\n").encode()
    assert with_value(text.encode(), "f", "a", "x", "9") == b"[a]\r\nx=9\r\n[b]\r\ny=2"


def test_a_section_goes_with_its_lines() -> None:
    assert without_section(TEXT.encode(), "f", "two") == TEXT[: TEXT.index("[two]")].encode()
    assert without_section(b"# added by velpin\n[x]\na=1\n", "f", "x") is None


# -- what a host makes of it ---------------------------------------------------------------


def test_architectures() -> None:
    archs = Archs("x86_64")
    assert [archs.takes(a) for a in ("x86_64", "noarch", "i686", "aarch64")] == [
        True, True, True, False,
    ]  # fmt: skip
    assert archs.may_coexist("x86_64", "i686")
    assert not archs.may_coexist("noarch", "i686")
    assert (Archs("i686").base, Archs("sparc").taken) == ("i386", ("sparc", "noarch"))


@pytest.mark.parametrize("kind", [DNF, ZYPP])
@pytest.mark.parametrize(
    ("broken", "code", "what"),
    [
        ("[x\nbaseurl=http://a.example", 3, r"x.repo:1: '\[x'"),
        ("key=1\n", 3, "x.repo:1"),
        ("[x]\nname=nothing\n", 0, ""),
    ],
)
def test_a_broken_source_file(tmp_path: Path, kind: str, broken: str, code: int, what: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", DemoRpm("gull"))
    harbour.refresh()
    harbour.put(f"{harbour.sources}/x.repo", broken)
    found, out, told = harbour.run("forecast", "gull", "--json")
    assert found == code
    assert re.search(what, out + told)


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_addresses_with_variables_and_a_second_that_answers(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    base = harbour.repository("base-4-x86_64-low", DemoRpm("gull"))
    harbour.installed(DemoRpm("tern"))
    harbour.put("etc/dnf/vars/tide", "low\n")
    harbour.put("etc/zypp/vars.d/tide", "low\n")
    harbour.put("etc/products.d/mooring.prod", "<product><version>4</version></product>")
    address = f"file://{base.parent}/base-$releasever-${{basearch}}-$tide"
    harbour.put(
        f"{harbour.sources}/b.repo", f"[b]\nbaseurl={address}-gone\n        {address}\ngpgcheck=0\n"
    )
    found = harbour.refresh().forecast("gull")["answers"][0]
    assert (found["source"], found["url"]) == ("b", f"file://{base}")


def test_struct_sizes_are_those_of_the_format() -> None:
    count, size = struct.unpack(">II", header_of(FULL)[:8])
    assert len(header_of(FULL)) == 8 + 16 * count + size
