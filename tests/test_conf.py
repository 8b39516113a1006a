"""The installer's own configuration: grammar, order of files, errors."""

from __future__ import annotations

import pytest

from tests.harbours import DebHarbour
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.deb.conf import Conf, is_yes, parse_conf, read_conf


def read(text: str) -> Conf:
    conf = Conf()
    parse_conf(text, "etc/apt/apt.conf", conf)
    return conf


@pytest.mark.parametrize(
    ("text", "name", "value"),
    [
        ('APT::Default-Release "jetty";', "APT::Default-Release", "jetty"),
        ('apt { default-release "jetty"; };', "APT::Default-Release", "jetty"),
        ('APT { Default-Release "a"; }; APT::Default-Release "b";', "apt::default-release", "b"),
        ('// no\n# no\n/* no "x"; */ A::B "1";', "A::B", "1"),
        ('A::B { C "1"; D { E "2"; }; };', "A::B::D::E", "2"),
        ('A "1" { B "2"; };', "A::B", "2"),
        ("A::B jetty;", "A::B", "jetty"),
        ('A::B "with; and { in } it";', "A::B", "with; and { in } it"),
        # a last value without ; before }, and what else a sound host may have
        ('A { B "1" };', "A::B", "1"),
        ('A { B "1"; C { D "2" } };', "A::C::D", "2"),
        ('A { B "1" } C::D "2";', "C::D", "2"),
        ('A { B "1";', "A::B", "1"),
        ('A::B "1" } C::D "2";', "C::D", "2"),
        ('} C::D "2";', "C::D", "2"),
        ('A::"b c"::D "1";', "A::b c::D", "1"),
        ('"A::B" "1";', "A::B", "1"),
        ("A::B x%20y;", "A::B", "x y"),
        ('A::B "x%20y";', "A::B", "x%20y"),
        ('A::B "1" "2";', "A::B", "1 2"),
        ('A::B "1""2";', "A::B", "12"),
        ('A::B b"c d"e;', "A::B", "bc de"),
        ("A::B [x y];", "A::B", "[x y]"),
        ('A::B "x//y";', "A::B", "x//y"),
        ('A::B "a" // x\n"b";', "A::B", "a b"),
        ('A::B "a" /* x\n y */ "b";', "A::B", "a b"),
        ("A::B x/*c*/y;", "A::B", "xy"),
        ('/* // */\n*/ A::B "1";', "A::B", "1"),
        ('A::B "1"; #clear A;', "A::B", ""),
        ('A::B "1"; #clear A::Bc;', "A::B", "1"),
        ('A\n{\nB\n"1"\n;\n}', "A::B", "1"),
        ("A::B;", "A::B", ""),
    ],
)
def test_settings(text: str, name: str, value: str) -> None:
    assert read(text).get(name) == value


def test_lists_add_up() -> None:
    assert read('A { "a"; "b" };').listed("A") == ["a", "b"]
    assert read('A { a; "b c"; d "1"; };').listed("A") == ["a", "b c"]
    conf = read('APT::Architectures { "amd64"; "i386"; };\nAPT::Architectures:: "arm64";')
    assert conf.listed("APT::Architectures") == ["amd64", "i386", "arm64"]


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ('A::B "1"', 1),
        ('A {\nB "1"\n', 2),
        ("A::B 1 2;", 1),
        ('A::B "1" x;', 1),
        ('A::B x "1";', 1),
        ('A::B "a"\nC "b";', 1),
        ('A::B "two\nlines";', 1),
        ("A::B x#y;", 1),
        ("A::B [x y;", 1),
        ('{ "a"; };', 1),
        ('A { { "a"; }; };', 1),
        ("A { #clear B; };", 1),
        ('#include "nothing";', 1),
        ("A::B /*c*///c\n;", 1),
        ('A "no end;\n', 1),
        ('x\nA "1"\nB "2";', 1),
    ],
)
def test_a_broken_file_stops_everything(text: str, line: int) -> None:
    with pytest.raises(HostFileError) as problem:
        read(text)
    assert (problem.value.file, problem.value.line) == ("etc/apt/apt.conf", line)


def test_files_in_byte_order_then_the_main_file(harbour: DebHarbour) -> None:
    for name, value in (("9", "a"), ("10", "b"), ("B.conf", "c"), ("z.txt", "no"), ("x~", "no")):
        harbour.put(f"etc/apt/apt.conf.d/{name}", f'X "{value}"; Only-{value} "1";')
    conf = read_conf(Tree(harbour.root))
    assert conf.get("X") == "c"
    assert [file for file, _ in conf.skipped] == [
        "etc/apt/apt.conf.d/x~",
        "etc/apt/apt.conf.d/z.txt",
    ]
    harbour.put("etc/apt/apt.conf", 'X "main";')
    assert read_conf(Tree(harbour.root)).get("X") == "main"


@pytest.mark.parametrize(
    ("text", "default", "told"),
    [("yes", False, True), ("On", False, True), ("1", False, True), ("no", True, False),
     ("FALSE", True, False), ("0", True, False), ("perhaps", True, True), ("", False, False)],
)  # fmt: skip
def test_yes_and_no(text: str, default: bool, told: bool) -> None:
    assert is_yes(text, default) is told
