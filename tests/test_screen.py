"""What stands on the screen: tables on narrow terminals, colours on every ground, signs, progress."""

from __future__ import annotations

import io
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.front import session
from velpin.front.screen import SIGNS, STYLES, Screen, signed

WIDTHS = (60, 80, 100, 140)
WORDS = st.sampled_from(
    [
        "gull",
        "2.1-3~rc1+deb",
        "etc/apt/sources.list.d/mooring.sources:2",
        "mooring-jetty-fresh",
        "a",
    ]
)
CELLS = st.lists(WORDS, max_size=4).map(" ".join)
_COLOURED = re.compile(r"\x1b\[[0-9;]*m")


class Terminal(io.StringIO):
    """A stream that is drawn on."""

    def isatty(self) -> bool:
        return True


def drawn(heads: list[str], groups: list[tuple[str, list[list[str]]]], width: int) -> list[str]:
    """The lines of a table on a terminal of some width."""
    out = Terminal()
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("COLUMNS", str(width))
        patch.setenv("TERM", "xterm-256color")
        Screen(out).tables(heads, groups)
    return [_COLOURED.sub("", line).rstrip() for line in out.getvalue().split("\n")]


@given(st.lists(st.lists(CELLS, min_size=5, max_size=5), min_size=1, max_size=6),
       st.sampled_from(WIDTHS))  # fmt: skip
def test_no_word_is_broken_on_any_terminal(rows: list[list[str]], width: int) -> None:
    lines = drawn(["one", "two", "three", "four", "five"], [("", rows)], width)
    shown = " ".join(lines).replace(",", " ").split()
    for row in rows:
        for cell in row:
            assert set(cell.split()) <= set(shown), (cell, lines)
    longest = max(
        (len(word) for row in rows for word in row[0].split() + row[1].split()), default=0
    )
    assert max(map(len, lines)) <= max(width, 2 * longest + 4)


def test_columns_without_room_stand_on_a_line_below() -> None:
    path = "etc/apt/sources.list.d/mooring.sources:2"
    rows = [["mooring-jetty", path, "http://archive.mooring.example/mooring/dists/jetty"]]
    assert drawn(["source", "file", "address"], [("", rows)], 80) == [
        f"source         {'file'}", f"mooring-jetty  {path}",
        "    address http://archive.mooring.example/mooring/dists/jetty", "",
    ]  # fmt: skip


@pytest.mark.parametrize("is_drawn", [False, True])
def test_groups_share_one_line_of_heads(is_drawn: bool) -> None:
    groups = [("New (1)", [["gull", "1"]]), ("Removed", [["tern", "22"]])]
    if is_drawn:
        lines = drawn(["package", "version"], groups, 80)
    else:
        out = io.StringIO()
        Screen(out).tables(["package", "version"], groups)
        lines = out.getvalue().split("\n")
    assert lines == [
        "", "package  version", "New (1)", "gull     1", "", "Removed", "tern     22", "",
    ]  # fmt: skip


# -- colours -------------------------------------------------------------------------------------


def rgb(number: int) -> tuple[int, int, int]:
    """A colour of the 256, as every terminal has those from 16 on."""
    if number >= 232:
        grey = 8 + (number - 232) * 10
        return grey, grey, grey
    steps = (0, 95, 135, 175, 215, 255)
    cube = number - 16
    return steps[cube // 36], steps[cube // 6 % 6], steps[cube % 6]


def brightness(colour: tuple[int, int, int]) -> float:
    parts = (c / 255 for c in colour)
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


@pytest.mark.parametrize("style", [style for style in STYLES if "color(" in STYLES[style]])
@pytest.mark.parametrize("ground", [(0, 0, 0), (255, 255, 255), (250, 245, 235)])
def test_colours_can_be_read_on_light_and_dark(style: str, ground: tuple[int, int, int]) -> None:
    found = re.search(r"color\((\d+)\)", STYLES[style])
    assert found is not None
    low, high = sorted((brightness(rgb(int(found[1]))), brightness(ground)))
    assert (high + 0.05) / (low + 0.05) >= 3.5


def test_no_color_is_heeded(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NO_COLOR", "1")
    monkeypatch.setenv("TERM", "xterm-256color")
    out = Terminal()
    Screen(out).line(signed("refused", "bad"))
    assert "38;5" not in out.getvalue()
    assert f"{SIGNS['bad']} refused" in out.getvalue()


# -- progress ------------------------------------------------------------------------------------


def test_the_outermost_work_is_told_and_goes_away(monkeypatch: pytest.MonkeyPatch) -> None:
    told = Terminal()
    monkeypatch.setattr("sys.stderr", told)
    monkeypatch.setenv("TERM", "xterm")
    with session.busy("looking at the whole host"), session.busy("reading the indexes"):
        assert told.getvalue() == "looking at the whole host ..."
    assert told.getvalue().endswith("\r\x1b[K")
    with session.busy("again"):
        assert told.getvalue().endswith("again ...")


def test_nothing_is_told_where_nobody_looks(monkeypatch: pytest.MonkeyPatch) -> None:
    told = io.StringIO()
    monkeypatch.setattr("sys.stderr", told)
    with session.busy():
        pass
    assert told.getvalue() == ""
