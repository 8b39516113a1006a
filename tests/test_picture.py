"""Saved pictures of a host, what drifted since, and why."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.harbours import DebHarbour


@pytest.fixture
def seen(harbour: DebHarbour) -> DebHarbour:
    """A host with a saved picture, `gull-watch` watched."""
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.source("vendor", ("gull-watch", "1"))
    harbour.installed(("gull", "1"), ("tern", "1"))
    harbour.ready()
    said = harbour.run("shift", "--save", str(harbour.folder / "pic"), "gull-watch")
    assert said.code == 0, said.err
    assert "saved: 3 packages" in said.out
    return harbour


def drift(harbour: DebHarbour) -> list[tuple[str, str | None, str | None, list[str]]]:
    """Name, version then, version now, causes."""
    said = harbour.run("shift", "--since", str(harbour.folder / "pic"), "--json")
    found = json.loads(said.out)["drift"]
    assert said.code == (1 if found else 0)
    return [
        (
            one["name"], one["before"] and one["before"]["version"],
            one["after"] and one["after"]["version"], one["causes"],
        )
        for one in found
    ]  # fmt: skip


def test_nothing(seen: DebHarbour) -> None:
    assert drift(seen) == []
    assert "nothing has drifted since" in seen.run("shift", "--since", str(seen.folder / "pic")).out


def test_a_source_has_something_new(seen: DebHarbour) -> None:
    seen.repository("base", ("gull", "2"), ("tern", "1"))
    seen.ready()
    assert drift(seen) == [("gull", "1", "2", ["content"])]
    said = seen.run("shift", "--since", str(seen.folder / "pic"))
    assert "gull     1 from base  2 from base  a source's content" in said.out


def test_a_rule(seen: DebHarbour) -> None:
    assert seen.run("bar", "gull-watch", "--from", "vendor", "--yes").code == 0
    assert drift(seen) == [("gull-watch", "1", None, ["rule"])]
    assert "1 new rule since then" in seen.run("shift", "--since", str(seen.folder / "pic")).out


def test_a_source_came_or_went(seen: DebHarbour) -> None:
    assert seen.run("off", "vendor", "--yes").code == 0
    assert drift(seen) == [("gull-watch", "1", None, ["sources"])]
    assert "sources that went: vendor" in seen.run("shift", "--since", str(seen.folder / "pic")).out
    seen.source("third", ("tern", "7"))
    seen.ready()
    assert ("tern", "1", "7", ["sources"]) in drift(seen)


def test_the_host_itself(seen: DebHarbour) -> None:
    seen.installed(("gull", "3"))
    assert drift(seen) == [("gull", "1", "3", ["host"]), ("tern", "1", None, ["host"])]


def test_two_causes_at_once_and_a_name_that_comes(seen: DebHarbour) -> None:
    seen.repository("base", ("gull", "2"), ("tern", "1"))
    seen.installed(("gull", "1"), ("tern", "1"), ("kelp", "1"))
    seen.ready()
    assert seen.run("prefer", "vendor", "--over", "base", "--yes").code == 0
    assert drift(seen) == [("gull", "1", "2", ["content"]), ("kelp", None, "1", ["host"])]


def test_what_holds_it_back(seen: DebHarbour) -> None:
    seen.repository("base", ("gull", "2"), ("tern", "1"))
    seen.ready()
    assert seen.run("shift", "--save", str(seen.folder / "pic")).code == 0
    assert seen.run("keep", "gull", "--yes").code == 0
    assert drift(seen) == [("gull", "2", "1", ["rule"])]


def test_the_file_is_open_lines(seen: DebHarbour) -> None:
    first, *rest = map(json.loads, (seen.folder / "pic").read_text().splitlines())
    assert (first["velpin"], first["format"], first["watched"]) == ("picture", 1, ["gull-watch"])
    assert first["sources"]["vendor"]["on"] is True
    assert rest[0] == {
        "name": "gull", "arch": "amd64", "installed": "1", "next": ["1", "base"], "held": False,
        "offers": [["1", "base", 500]],
    }  # fmt: skip


@pytest.mark.parametrize(
    ("change", "line"),
    [
        (lambda text: "", 1),
        (lambda text: "nonsense", 1),
        (lambda text: text.replace('"format": 1', '"format": 99'), 1),
        (lambda text: text.replace('"name": "gull"', '"name2": "gull"', 1), 2),
        (lambda text: text[:-20], 4),
        (lambda text: text + "\xff[]", 5),
        (lambda text: text.replace("[[", "[["[:1], 1), 2),
    ],
)
def test_what_is_no_picture(seen: DebHarbour, change: object, line: int) -> None:
    path = seen.folder / "pic"
    assert callable(change)
    path.write_text(change(path.read_text()))
    said = seen.run("shift", "--since", str(path))
    assert (said.code, f"pic:{line}: not a snapshot" in said.err) == (3, True), said.err


def test_only_a_picture_is_written_over(seen: DebHarbour) -> None:
    path = seen.folder / "pic"
    assert seen.run("shift", "--save", str(path)).code == 0
    path.write_text("something dear\n")
    said = seen.run("shift", "--save", str(path))
    assert (said.code, "left alone" in said.err) == (3, True)
    assert path.read_text() == "something dear\n"


@pytest.mark.parametrize(
    ("words", "code"),
    [
        (["--save", "absent/pic"], 3),
        (["--since", "absent"], 3),
        ([], 2),
        (["--save", "a", "--since", "b"], 2),
        (["--since", "a", "gull"], 2),
    ],
)
def test_wrong_use(
    seen: DebHarbour, words: list[str], code: int, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)
    assert seen.run("shift", *words).code == code
