"""The shell as instructions are written in it: what is read is what a shell would print."""

from __future__ import annotations

import shutil
import subprocess
from pathlib import Path

import pytest

from tests.instruction_cases import MadeUp, fetch
from velpin.instructions.arithmetic import NotKnown, worked_out
from velpin.instructions.commands import COMMANDS
from velpin.instructions.conditions import decided
from velpin.instructions.data import Overlay, Spot
from velpin.instructions.machine import Machine, Ways
from velpin.instructions.words import UNKNOWN

_FILE = Path(__file__).parent / "instructions" / "shell.txt"
PRINTED = [
    (text, printed)
    for part in _FILE.read_text().split("=== ")[1:]
    for text, _, printed in [part.partition("\n")[2].partition("\n---\n")]
]
"""Lines, and what a shell prints for them."""


def printed(text: str, kind: str = "deb", generation: str = "older") -> str:
    """What a text prints as it is read."""
    machine = Machine(Overlay(MadeUp(kind, generation)), fetch, Ways(), COMMANDS, "page")
    lines = list(range(1, text.count("\n") + 3))
    machine.run_text(f"{{\n{text}\n}} > /printed\n", lines)
    data = machine.overlay.read("/printed")
    if data is None:  # it ended itself, and nothing was put into the file
        machine = Machine(Overlay(MadeUp(kind)), fetch, Ways(), COMMANDS, "page")
        machine.run_text(f"({text}\n) > /printed\n", lines)
        data = machine.overlay.read("/printed")
    assert data is not None
    return machine.text(data, Spot(0))


@pytest.mark.parametrize(("text", "wanted"), PRINTED, ids=[text for text, _ in PRINTED])
def test_what_is_printed(text: str, wanted: str) -> None:
    assert printed(text) == wanted


@pytest.mark.slow
@pytest.mark.parametrize(("text", "wanted"), PRINTED, ids=[text for text, _ in PRINTED])
def test_a_real_shell_prints_the_same(text: str, wanted: str, tmp_path: Path) -> None:
    if not shutil.which("bash"):
        pytest.skip("there is no bash on this machine")
    done = subprocess.run(
        ["bash", "--norc"], input=f"{text}\n", text=True, capture_output=True, check=False,
        env={"PATH": "/usr/bin:/bin", "HOME": "/root"}, cwd=tmp_path,
    )  # fmt: skip
    assert done.stdout == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("uname -m; uname -s; uname; arch; dpkg --print-architecture", "x86_64\nLinux\nLinux\nx86_64\namd64\n"),
        ("lsb_release -cs; lsb_release -sr; lsb_release -is; lsb_release --codename --short", "jetty\n4\nMooring\njetty\n"),
        ("lsb_release -c; lsb_release -d", "Codename:\tjetty\nDescription:\tMooring 4 (jetty)\n"),
        ("id -u; id -un; whoami; echo $EUID; getconf LONG_BIT", "0\nroot\nroot\n0\n64\n"),
        (". /etc/os-release; echo $ID $VERSION_ID $VERSION_CODENAME", "mooring 4 jetty\n"),
        ("source /etc/os-release; echo $PRETTY_NAME", "Mooring 4 (jetty)\n"),
        ("command -v apt-get; command -v dnf || echo none; which curl", "/usr/bin/apt-get\nnone\n/usr/bin/curl\n"),
        ("x=$(mktemp); echo a > $x; cat $x; rm $x; cat $x || echo gone", "a\ngone\n"),
        ("cd /tmp; echo a > b; cat /tmp/b; mv b c; cat c; [ -f b ] || echo moved", "a\na\nmoved\n"),
        ("echo a > /tmp/f; echo b >> /tmp/f; cat /tmp/f; cp /tmp/f /tmp/g; cat /tmp/g", "a\nb\na\nb\n"),
        ("echo a | tee /tmp/f > /dev/null; echo b | tee -a /tmp/f; cat /tmp/f", "b\na\nb\n"),
        ("echo a > /tmp/f; sed -i 's/a/b/' /tmp/f; cat /tmp/f", "b\n"),
        ("touch /tmp/f; [ -s /tmp/f ] || echo empty; [ -e /tmp/f ] && echo there", "empty\nthere\n"),
        ("install -D /etc/os-release /opt/x; grep -c ID= /opt/x", "2\n"),
        ("echo a > /tmp/f; ln -s /tmp/f /tmp/l; cat /tmp/l", "a\n"),
        ("[ -d /tmp/x ] || echo no; echo a > /tmp/x/y; [ -d /tmp/x ] && echo yes", "no\nyes\n"),
        ("echo '$releasever' $releasever ${basearch} $repo/$arch", "$releasever $releasever $basearch $repo/$arch\n"),
        ("echo 'echo $1 $#' > /tmp/s; sh /tmp/s a b; bash -s c < /tmp/s", "a 2\nc 1\n"),
        ("d=$(mktemp -d); [ -d $d ] || echo no; echo a > $d/x; cat $d/x; [ -d $d ] && echo dir", "no\na\ndir\n"),
        ('[ -n "x$(hostname)" ] && echo yes; [ -z "x$(hostname)" ] || echo full', "yes\nfull\n"),
        ("echo " + "${x:-" * 38 + "a" + "}" * 38, "a\n"),
        ("cat /tmp/nothing || echo none; . /tmp/nothing || echo nothing", "none\nnothing\n"),
    ],
)  # fmt: skip
def test_what_the_host_answers(text: str, wanted: str) -> None:
    assert printed(text) == wanted


@pytest.mark.parametrize(
    "text",
    ["date", "hostname", "curl -s http://deb.gullwatch.example/nothing", "cat /etc/pacman.conf", "nproc",
     "openssl rand 4", "echo $RANDOM", "uname -r", "echo x | sed 's/(a+)+/b/e'", "awk 'BEGIN {print 1}'",
     "ls /etc", "echo ${x:a:b}", "sort -n /etc/os-release", "echo $((1/0))", "echo $((1 ^ 2))",
     "echo $((1 << 2))", "echo $((08))", "x=a; echo $((x))", "echo $((1 2))",
     "echo $((1 ? 2))", "echo $((1%0))", "a=(1 2); echo ${!a[@]}",
     "declare -A m; m[a]=1; echo ${m[$(hostname)]}", "a=(x); echo ${a[y]}",
     "echo $((999999999999999 * 10))", "echo ${!nothing}", "echo " + "${x:-" * 60 + "a" + "}" * 60,
     "echo aaa | sed 's/a/b/2'", "printf '%x' 255", "printf '%d' 07", "printf '%c' xy", "x=$(hostname); echo $((x + 1))"],
)  # fmt: skip
def test_what_cannot_be_known_is_not_guessed(text: str) -> None:
    assert UNKNOWN in printed(text)


@pytest.mark.parametrize(
    ("kind", "wanted"),
    [("rpm-dnf", "9\n9.4\nx86_64\n"), ("rpm-zypp", "9\n9.4\nx86_64\n")],
)  # fmt: skip
def test_macros_of_rpm_hosts(kind: str, wanted: str) -> None:
    assert (
        printed("rpm -E %rhel; . /etc/os-release; echo $VERSION_ID; rpm --eval '%{_arch}'", kind)
        == wanted
    )


@pytest.mark.parametrize(
    ("generation", "wanted"), [("older", "no\nyes\nyes\n"), ("newer", "yes\nno\nyes\n"), ("", "no\nno\nyes\n")]
)  # fmt: skip
def test_commands_of_one_generation(generation: str, wanted: str) -> None:
    text = "for x in dnf5 dnf4 dnf; do command -v $x > /dev/null && echo yes || echo no; done"
    assert printed(text, "rpm-dnf", generation) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("+".join(["1"] * 250), 250), ("+".join(["1"] * 252), None),
        ("(" * 40 + "7" + ")" * 40, 7), ("(" * 60 + "7" + ")" * 60, None),
        ("1000000 * 1000000000", 10**15), ("1000001 * 1000000000", None),
        ("-1000000 * 1000000000", -(10**15)), ("999999999999999", 10**15 - 1),
        ("1000000000000000", None), ("", 0), ("   ", 0), ("0", 0), ("00", None), ("-0", 0),
    ],
)  # fmt: skip
def test_arithmetic_has_bounds(text: str, wanted: int | None) -> None:
    def worked() -> int | None:
        try:
            return worked_out(text, lambda _: None, lambda _name, _value: None)
        except NotKnown:
            return None

    assert worked() == wanted


class _Known:
    """Names of which one is not known."""

    def value(self, name: str, key: str | None = None) -> str | None:
        return {"who": UNKNOWN, "one": "1"}.get(name)

    def values(self, name: str) -> list[str]:
        return []

    def assign(self, name: str, value: str) -> None:
        raise AssertionError

    def output(self, command: str) -> str:
        return UNKNOWN

    def as_file(self, command: str) -> str:
        return "/tmp/x"


@pytest.mark.parametrize(
    ("raw", "status"),
    [
        ("$who = a", None), ("a = b -o $who = a", None), ("a = a -o $who = a", 0),
        ("$who = a -o a = a", 0), ("$who = a -o a = b", None), ("a = b -a $who = a", 1),
        ("$who = a -a a = b", 1), ("a = a -a $who = a", None), ("$who = a -a a = a", None),
        ("! $who = a", None), ("! a = a", 1), ("$who", None), ("$one", 0), ('""', 1),
        ("-n $who", None), ("-n x$who", 0), ("-z x$who", 1), ("-f $who", None), ("-t 0", 1),
        ("$one -eq 1", 0), ("$one -lt 1", 1), ("$one -le 1", 0), ("$one -gt 0", 0), ("$one -ge 2", 1),
        ("$one -ne 1", 1), ("$who -eq 1", None), ("a -eq a", 1), ("-v one", 0), ("-v two", 1),
        ("-f /there", 0), ("-e /nothing", 1), ("a < b", 0), ("b < a", 1), ("b > a", 0), ("a > a", 1),
        ("a != b", 0), ("a != a", 1), ("a == a", 0), ("-q x", None), ("$who =~ a", None),
    ],
)  # fmt: skip
@pytest.mark.parametrize("patterns", [False, True])
def test_what_a_test_comes_to(raw: str, status: int | None, patterns: bool) -> None:
    text = raw.replace(" -o ", " || ").replace(" -a ", " && ") if patterns else raw
    found = decided(text, _Known(), lambda file, _: file == "/there", patterns=patterns)
    assert found == status


def test_macros_of_other_distributions_are_left() -> None:
    text = "rpm -E %fedora; rpm -E '%{?fedora}'; rpm -E %rhel; rpm -E '%{?dist}'; rpm -E %_arch"
    assert printed(text, "rpm-dnf") == "%fedora\n\n9\n.el9\nx86_64\n"
