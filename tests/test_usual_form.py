"""Main lists read by their usual form and by the XML parser: both give the same, or XML alone."""

from __future__ import annotations

from pathlib import Path
from xml.sax.saxutils import escape

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from velpin.errors import HostFileError
from velpin.kinds.rpm import primary
from velpin.kinds.rpm.listed import ListedPackage, read_element
from velpin.kinds.rpm.usual_form import packages_in

ROOT = (
    b'<metadata xmlns="http://linux.duke.edu/metadata/common"'
    b' xmlns:rpm="http://linux.duke.edu/metadata/rpm" packages="2">'
)
PACKAGE = """<package type="rpm">
  <name>gull</name>
  <arch>x86_64</arch>
  <version epoch="2" ver="1.2" rel="3"/>
  <checksum type="sha256" pkgid="YES">84ba62</checksum>
  <summary>counts &lt;gulls&gt; &amp; "terns"</summary>
  <description>in
two lines &amp; more</description>
  <packager></packager>
  <url>http://gull.example/?a=1&amp;b=2</url>
  <time file="1796175432" build="1796175431"/>
  <size package="6879" installed="0" archive="500"/>
  <location href="x/gull-1.2-3.x86_64.rpm"/>
  <format>
    <rpm:license>MIT</rpm:license>
    <rpm:vendor>Harbour &amp; Co</rpm:vendor>
    <rpm:group>Unspecified</rpm:group>
    <rpm:buildhost>pier</rpm:buildhost>
    <rpm:sourcerpm>gull-1.2-3.src.rpm</rpm:sourcerpm>
    <rpm:header-range start="4504" end="6749"/>
    <rpm:provides>
      <rpm:entry name="gull" flags="EQ" epoch="2" ver="1.2" rel="3"/>
      <rpm:entry name="locale(tern:de)"/>
      <rpm:entry name="virt" flags="EQ" epoch="0" ver="5"/>
    </rpm:provides>
    <rpm:requires>
      <rpm:entry name="(a if b)"/>
      <rpm:entry name="/usr/bin/env"/>
      <rpm:entry name="foo&amp;&lt;&quot;" flags="GE" epoch="1" ver="2.0" rel="3"/>
      <rpm:entry name="preq" flags="LT" epoch="0" ver="2" pre="1"/>
      <rpm:entry name="rpmlib(x)" flags="LE" epoch="0" ver="3" rel="1"/>
    </rpm:requires>
    <rpm:conflicts>
      <rpm:entry name="otherproviders(con)"/>
    </rpm:conflicts>
    <rpm:supplements>
      <rpm:entry name="packageand(a:b)"/>
    </rpm:supplements>
    <file>/etc/a.conf</file>
    <file type="dir">/etc/gull.d</file>
    <file type="ghost">/usr/bin/a b&amp;c</file>
  </format>
</package>
"""
OTHER = PACKAGE.replace("<name>gull<", "<name>tern<")


def by_xml(text: bytes) -> list[ListedPackage]:
    return list(map(read_element, primary._tree("x", 1, ROOT, text)))


def values(found: list[ListedPackage]) -> list[tuple[object, ...]]:
    return [
        tuple(
            {kind: list(told) for kind, told in value.items()} if isinstance(value, dict) else value
            for value in (getattr(package, name) for name in ListedPackage.__slots__)
        )
        for package in found
    ]


def alike(text: str, root: bytes = ROOT) -> bool:
    """Whether a text is read by its form, and then as XML reads it."""
    data = text.encode()
    found = packages_in(root, data)
    if found is None:
        return False
    assert values(found) == values(by_xml(data))
    return True


def test_the_form_itself_is_read_without_xml() -> None:
    assert alike(PACKAGE + OTHER)
    first, second = packages_in(ROOT, (PACKAGE + OTHER).encode()) or ()
    assert (first.name, second.name) == ("gull", "tern")
    assert first.version == "2:1.2-3"
    assert first.relations["R"] == dict.fromkeys(
        ["(a if b)", "/usr/bin/env", 'foo&<" >= 1:2.0-3', "preq < 2"]
    )
    assert first.relations["S"] == dict.fromkeys(["(tern and wanted-locale(de))", "(a and b)"])
    assert first.relations["C"] == {"con": None}
    assert first.files == ["/etc/a.conf", "/etc/gull.d", "/usr/bin/a b&c"]


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("<rpm:vendor>Harbour &amp; Co</rpm:vendor>", "<rpm:vendor/>"),
        ("<rpm:group>Unspecified</rpm:group>\n", ""), ("<rpm:buildhost>pier</rpm:buildhost>\n", ""),
        ('<rpm:header-range start="4504" end="6749"/>\n', ""), ("<name>gull<", "<name>gü\nll<"),
        ("<name>gull</name>", "<name></name>"), ('epoch="2" ver="1.2"', 'epoch="0" ver=""'),
        ("\n  ", ""), ("<summary>", "<summary>\t"), ("/etc/a.conf", "/etc/a\n.conf"),
        ("<rpm:requires>", "x<rpm:requires>"), ("/etc/a.conf", "&lt;&amp;lt;"), ("</rpm:conflicts>", "</rpm:conflicts><rpm:enhances></rpm:enhances>"),
    ],
)  # fmt: skip
def test_what_the_usual_tool_varies_is_read_without_xml(old: str, new: str) -> None:
    assert old in PACKAGE
    assert alike(PACKAGE.replace(old, new) + OTHER)
    assert alike(OTHER + PACKAGE.replace(old, new))


ODD = [
    ("<name>", "<!-- --><name>"), ("<name>gull", "<name><![CDATA[gull]]>"), ("<name>", "<?x?><name>"),
    ("<name>gull", "<name>g&#117;ll"), ("&amp; Co", "&and; Co"), ("&amp; Co", "& Co"),
    ('epoch="2" ver="1.2"', 'ver="1.2" epoch="2"'), ("<arch>x86_64</arch>\n", ""),
    ("<arch>x86_64</arch>", "<arch>x86_64</arch><arch>noarch</arch>"), ('"virt"', "'virt'"),
    ('name="virt"', 'name="vi\trt"'), ('name="virt"', 'name="vi\nrt"'), ("\n", "\r\n"),
    ("rpm:", "r:"), ("<format>", "<format x='1'>"), ('build="1796175431"', 'build="-1"'),
    ('build="1796175431"', f'build="{"1" * 19}"'), ("two lines", "two \x01"), ("two lines", "]]>"),
    ("two lines", "\ufffe"), ("<package type", "<package  type"), ("</format>", "<rpm:x/></format>"),
    ('<rpm:entry name="virt"', '<rpm:entry x="1" name="virt"'), ('pre="1"', 'pre="0"'),
    ("</rpm:provides>", "</rpm:requires>"), ('flags="GE"', 'flags="NE"'),
    ('rel="3"/>', 'rel="3" rel="4"/>'), ("<name>gull</name>", "<name>gull</nam>"),
]  # fmt: skip


@pytest.mark.parametrize(("old", "new"), ODD)
def test_what_is_of_another_form_is_left_to_xml(old: str, new: str) -> None:
    """And so is what stands beside it in one piece, behind it and before it."""
    assert old in PACKAGE
    assert not alike(PACKAGE.replace(old, new, 1) + OTHER)
    assert not alike(OTHER + PACKAGE.replace(old, new, 1))


@pytest.mark.parametrize(
    "root",
    [
        ROOT.replace(b"common", b"other"), ROOT.replace(b"xmlns:rpm", b"xmlns:r"),
        ROOT.replace(b"<metadata", b"<m:metadata"), ROOT.replace(b" packages", b" x='' packages"),
    ],
)  # fmt: skip
def test_another_start_of_the_whole_is_left_to_xml(root: bytes) -> None:
    assert not alike(PACKAGE, root)


def test_text_that_is_no_utf_8_is_left_to_xml() -> None:
    assert packages_in(ROOT, PACKAGE.encode().replace(b"gull<", b"g\xff<")) is None


PIECES = st.sampled_from([
    *PACKAGE.splitlines(keepends=True), "<name>a</name>", "<file>/b</file>", "<!-- -->", "&amp;", "&#65;",
    "<![CDATA[x]]>", '<rpm:entry name="e"/>', "</package>", "<package>", "\t", "\r", "é", '"', "'", "/>",
])  # fmt: skip


@settings(max_examples=300)
@given(st.data())
def test_a_changed_text_is_read_as_xml_reads_it_or_not_at_all(data: st.DataObject) -> None:
    """Lines go, come twice, change their places, and pieces come between."""
    lines = PACKAGE.splitlines(keepends=True)
    for _ in range(data.draw(st.integers(1, 3))):
        at = data.draw(st.integers(0, len(lines) - 1))
        match data.draw(st.sampled_from(["drop", "twice", "swap", "put", "cut"])):
            case "drop":
                del lines[at]
            case "twice":
                lines.insert(at, lines[at])
            case "swap":
                other = data.draw(st.integers(0, len(lines) - 1))
                lines[at], lines[other] = lines[other], lines[at]
            case "put":
                lines.insert(at, data.draw(PIECES))
            case _:
                place = data.draw(st.integers(0, len(lines[at])))
                lines[at] = lines[at][:place] + data.draw(PIECES) + lines[at][place:]
    text = "".join(lines) + OTHER
    found = packages_in(ROOT, text.encode())
    try:
        wanted = by_xml(text.encode())
    except HostFileError:
        assert found is None
    else:
        assert found is None or values(found) == values(wanted)


@given(
    st.lists(st.text(st.characters(exclude_categories=["Cs"]), max_size=8), min_size=8, max_size=8)
)
def test_any_texts_in_their_places_are_read_alike(texts: list[str]) -> None:
    text = PACKAGE
    for old, new in zip(
        ("gull</name", "x86_64</arch", 'ver="1.2"', "terns", "Harbour", '"virt"', "a.conf", "x/gull"),
        texts, strict=True,
    ):  # fmt: skip
        bare = old.strip('"').removesuffix("</name").removesuffix("</arch")
        told = escape(new, {'"': "&quot;", "'": "&apos;"})
        text = text.replace(old, old.replace(bare.removeprefix('ver="'), told), 1)
    try:
        by_xml(text.encode())
    except HostFileError:
        assert packages_in(ROOT, text.encode()) is None
    else:
        alike(text)


def test_a_list_of_both_forms_has_all_its_packages_in_order(tmp_path: Path) -> None:
    """Pieces of the usual form and of another, as they come."""
    names = [f"p{number:03}" for number in range(200)]
    body = "".join(
        PACKAGE.replace("<name>gull<", f"<name>{name}<").replace("<format>", "<format >", number // 60 % 2)
        for number, name in enumerate(names)
    )  # fmt: skip
    path = tmp_path / "primary.xml"
    path.write_bytes(b'<?xml version="1.0"?>\n' + ROOT + body.encode() + b"</metadata>")
    found = [entry.name for batch in primary.read_primary(path, []) for entry in batch.entries]
    assert found == names
