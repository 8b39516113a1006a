"""What is said to have been meant, of names and versions that nothing has."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, Item, harbour_of

KINDS = (DEB, DNF, ZYPP, ALPM)
OFFERED = {
    "one": (Item("gull", "2.4"), Item("gull", "2.5"), Item("tern", "1")), "two": (Item("auk", "1"),)
}  # fmt: skip
CASES = [
    (KINDS, "find gulll", "  similar names: gull\n"),
    (KINDS, "find gull xyz", "  try fewer or other words\n"),
    (KINDS, "find qqqq", "  try fewer or other words\n"),
    (KINDS, "keep ternn", "  did you mean tern?\n"),
    (KINDS, "offers gulll", "  similar names: gull\n"), (KINDS, "want gulll", "  there is gull\n"),
    ((DEB, DNF, ZYPP), "keep gull", "  to pin it later: velpin pin gull@VERSION\n"),
    ((DEB, DNF, ZYPP), "pin gulll@2", "and none is installed; did you mean gull?\n"),
    ((DEB, DNF, ZYPP), "pin qqqq@2", "and none is installed\n"),
    ((DEB, DNF, ZYPP), "pin gull@2.6", "has gull in version 2.6; it comes in 2.5-1, 2.4-1\n"),
    ((DEB, DNF), "confine one gulll", "one has no package called gulll; did you mean gull?\n"),
    ((DEB, DNF), "confine two gulll", "two has no package called gulll\n"),
    (KINDS, "on onee", "  did you mean one?\n"),
    (KINDS, "forecats gull", "  did you mean velpin forecast?\n"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "words", "told"),
    [(kind, words, told) for kinds, words, told in CASES for kind in kinds],
)
def test_what_was_meant(kind: str, words: str, told: str, tmp_path: Path) -> None:
    harbour = harbour_of(kind, tmp_path)
    for source, items in OFFERED.items():
        harbour.source(source, *(item.on(kind) for item in items))
    harbour.installed(Item("tern", "1").on(kind))
    changes = words.startswith(("pin", "confine", "keep"))
    found = harbour.refresh().run(*words.split(), *["--preview"] * changes)
    assert found.code
    assert told in found.out + found.err


VERSIONS = [
    ("gull@2.4", ("2.4-1", "2.5-1"), "gull@2.4*"), ("gull@2.4", ("2.40-1", "2.4-1"), "gull@2.4-1"),
    ("gull@2", ("2.4-1",), "gull@2*"), ("gull@2.", ("2.4-1",), None), ("gull@2.4", ("2.41-1",), None),
    ("gull@2.4", ("1:2.4-1",), "gull@1:2.4*"), ("gull@2.4", ("1:2.40-1", "1:2.4-1"), "gull@1:2.4-1"),
    ("gull@2.4", ("2.4~rc1-1",), "gull@2.4*"), ("gull@2.4-1", ("2.4-1~x2",), "gull@2.4-1*"),
    ("gull=2.4", ("2.4-1",), "gull=2.4*"), ("gull@2.4%one", ("2.4-1",), "gull@2.4*%one"),
    ("gull@2.6", ("2.5-1",), None), ("gull@2.4*", ("2.5-1",), None), ("gull@>=3", ("2.4-1",), None),
]  # fmt: skip


@pytest.mark.parametrize(("asked", "versions", "helps"), VERSIONS)
def test_the_whole_version_of_one_that_was_cut(
    asked: str, versions: tuple[str, ...], helps: str | None, tmp_path: Path
) -> None:
    harbour = harbour_of(DEB, tmp_path)
    rows = [{**Item("gull", "0").on(DEB), "Version": version} for version in versions]
    harbour.source("one", *rows, Item("tern", "1").on(DEB))
    found = harbour.refresh().forecast("tern", asked)
    assert not found["ok"]
    told = [remedy["command"].replace("'", "") for remedy in found["remedies"]]
    assert told == ([f"velpin forecast tern {helps}"] if helps else [])
    if helps:
        assert harbour.forecast("tern", helps)["ok"]
