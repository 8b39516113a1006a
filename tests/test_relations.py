"""Relation fields, in which order names are come across, and what is remembered."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.kinds.deb.engine.world import Relation, RelationKind, Target
from velpin.kinds.deb.identity import is_same_version
from velpin.kinds.deb.relations import Provided, read_facts, satisfies
from velpin.kinds.deb.transaction.seen import in_order_of_sight
from velpin.store.cache import _usable
from velpin.store.index import SCHEMA, Batch, Index, ParsedEntry, Stamp, write_index
from velpin.store.memo import Memo


def relations(text: str) -> list[tuple[str, str]]:
    """Kind and alternatives of each relation of a stanza."""
    facts = read_facts(text.encode(), "amd64", "amd64")
    return [(relation.kind.value, str(relation)) for relation in facts.relations]


FIELDS = [
    ("Depends: gull", [("requires", "gull")]),
    ("Depends: gull (>= 1.0), tern | auk (<< 2)", [("requires", "gull >= 1.0"), ("requires", "tern | auk << 2")]),
    ("Depends: gull (>=1.0),tern", [("requires", "gull >= 1.0"), ("requires", "tern")]),
    ("Depends: gull (< 2), auk (> 1)", [("requires", "gull <= 2"), ("requires", "auk >= 1")]),
    ("Depends: gull:any, auk:native, kite:i386 (= 1)",
     [("requires", "gull:any"), ("requires", "auk:amd64"), ("requires", "kite:i386 = 1")]),
    ("Depends: gull,\n tern,\n  auk", [("requires", "gull"), ("requires", "tern"), ("requires", "auk")]),
    ("Recommends: a\nConflicts: b, c\nPre-Depends: d\nDepends: e\nBreaks: f (<< 1)",
     [("requires first", "d"), ("requires", "e"), ("conflicts with", "b"), ("conflicts with", "c"),
      ("breaks", "f << 1"), ("recommends", "a")]),
    ("depends: Gull\nSUGGESTS: tern", [("requires", "gull"), ("suggests", "tern")]),
    ("Depends: , gull, ", [("requires", "gull")]),
    ("Description: Depends: on nothing\n Depends: neither", []),
]  # fmt: skip


@pytest.mark.parametrize(("text", "wanted"), FIELDS)
def test_relation_fields(text: str, wanted: list[tuple[str, str]]) -> None:
    assert relations(text) == wanted


def test_facts() -> None:
    text = (
        "Package: gull\nProvides: wader (= 2), bird\nMulti-Arch: same\nImportant: yes\n"
        "Priority: standard\nSource: gulls (1.0)\nInstalled-Size: 12\nSize: 900\n"
        "Phased-Update-Percentage: 30\nSection: science\n"
    )
    facts = read_facts(text.encode(), "i386", "amd64")
    assert facts.provides == (Provided("wader", "2"), Provided("bird", ""))
    assert (facts.multi_arch, facts.essential, facts.priority) == ("same", True, 2)
    assert (facts.source, facts.source_version, facts.phased) == ("gulls", "1.0", 30)
    assert (facts.size, facts.disk, facts.section) == (900, 12288, "science")


NAMES = st.from_regex(r"[a-z0-9][a-z0-9+.-]{1,8}", fullmatch=True)
VERSIONS = st.from_regex(r"[0-9][0-9a-z.+~]{0,5}", fullmatch=True)
TARGETS = st.builds(
    lambda name, bound: Target(name, "amd64", *(bound or ("", ""))),
    NAMES,
    st.none() | st.tuples(st.sampled_from(("<<", "<=", "=", ">=", ">>")), VERSIONS),
)


@given(st.lists(st.lists(TARGETS, min_size=1, max_size=3), min_size=1, max_size=4))
def test_what_is_written_is_read(groups: list[list[Target]]) -> None:
    def written(target: Target) -> str:
        bound = f" ({target.operator} {target.version})" if target.operator else ""
        return target.name + bound

    text = ", ".join(" | ".join(map(written, group)) for group in groups)
    facts = read_facts(f"Depends: {text}\n".encode(), "amd64", "amd64")
    assert facts.relations == tuple(
        Relation(RelationKind.REQUIRES, tuple(group)) for group in groups
    )


@given(st.text(max_size=80))
def test_no_text_is_too_odd_to_read(text: str) -> None:
    read_facts(f"Depends: {text}\nProvides: {text}\n".encode("utf-8", "replace"), "amd64", "amd64")


@given(VERSIONS, VERSIONS)
def test_bounds_are_about_the_version_order(version: str, bound: str) -> None:
    def holds(operator: str) -> bool:
        return satisfies(version, Target("x", "", operator, bound))

    assert holds(">=") == (not holds("<<"))
    assert holds("<=") == (not holds(">>"))
    assert holds("=") == (holds(">=") and holds("<="))


SIGHTS = [
    (["Package: a\n\nPackage: b\n"], "b a", "a b"),
    (["Package: a\nDepends: b\n\nPackage: c\n"], "a b c", "a b c"),
    (["Package: x\nSuggests: c\nDepends: b\n"], "b c", "b c"),
    (["Package: x\nDescription: about b\n\nPackage: a\n\nPackage: b\n"], "a b", "a b"),
    (["Package: x\nDepends: bb, a-b, ab:any (>= 1) | b\n\nPackage: a\n"], "a b", "b a"),
    (["Package: x\nDepends: y,\n b\n", "Package: a\n"], "a b", "b a"),
    (["Package: a\n", "Package: b\n"], "a b z", "a b z"),
    (["Package: x\nDepends: b:any\n\nPackage: a\n\nPackage: b\n"], "a b", "a b"),
]


@pytest.mark.parametrize(("blocks", "names", "wanted"), SIGHTS)
def test_the_order_of_sight(blocks: list[str], names: str, wanted: str) -> None:
    found = in_order_of_sight([block.encode() for block in blocks], names.split())
    assert " ".join(found) == wanted


def test_one_version_in_two_forms() -> None:
    one = b"Package: gull\nDepends: a (>= 1)\nInstalled-Size: 3\n"
    assert is_same_version(one, b"Package: gull\nInstalled-Size: 3\nDepends: a (>=1)\n")
    assert not is_same_version(one, b"Package: gull\nInstalled-Size: 3\nDepends: b\n")


def index_at(path: Path, size: int, stamp: Stamp | None = None) -> Index:
    """A parsed index of one entry."""
    text = b"Package: gull\n"
    entry = ParsedEntry("gull", "amd64", "1", "", "", 0, len(text), "")
    write_index(
        path, stamp or Stamp("x", size, 0), [lambda notes: [Batch(text, [entry], [], ["gull"])]]
    )
    return Index(path)


@pytest.mark.parametrize(
    ("written", "asked", "schema", "is_read"),
    [
        (Stamp("x", 1, 0), Stamp("x", 1, 0), 0, True),
        (Stamp("x", 1, 0), Stamp("x", 2, 0), 0, False),
        (Stamp("x", 1, 0), Stamp("x", 1, 1), 0, False),
        (Stamp("x", 1, 0), Stamp("y", 1, 0), 0, False),
        (Stamp("x", 1, 0), Stamp("x", 1, 0), -1, False),
        (Stamp("x", 1, 0), Stamp("x", 1, 0), 1, False),
    ],
    ids=["as it was", "another time", "another size", "another file", "an older layout",
         "a newer layout"],
)  # fmt: skip
def test_a_parsed_index_is_of_this_file_and_this_layout(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, written: Stamp, asked: Stamp, schema: int,
    is_read: bool,
) -> None:  # fmt: skip
    path = tmp_path / "x.index"
    with monkeypatch.context() as patch:
        patch.setattr("velpin.store.index.SCHEMA", SCHEMA + schema)
        index_at(path, 1, written)
    assert (_usable(path, asked) is not None) == is_read


def test_a_memo_lasts_until_its_index_changes(tmp_path: Path) -> None:
    index = index_at(tmp_path / "x.index", 1)
    assert index.marked == {"gull"}
    assert list(index.blocks()) == [b"Package: gull\n"]
    assert Memo([tmp_path], [index]).names("k", lambda: ["a"]) == ["a"]
    assert Memo([tmp_path], [index]).names("k", lambda: ["b"]) == ["a"]
    assert Memo([tmp_path], [index]).names("other", lambda: ["b"]) == ["b"]
    changed = index_at(tmp_path / "x.index", 2)
    assert Memo([tmp_path], [changed]).names("k", lambda: ["c"]) == ["c"]


@pytest.mark.parametrize(
    "data", [b"", b"{", b'{"stamps": 1}', b"\xff", b'{"stamps": [], "values": 3}']
)
def test_a_damaged_memo_is_forgotten(tmp_path: Path, data: bytes) -> None:
    index = index_at(tmp_path / "x.index", 1)
    Memo([tmp_path], [index]).names("k", lambda: ["a"])
    (file,) = tmp_path.glob("*.json")
    file.write_bytes(data)
    assert Memo([tmp_path], [index]).names("k", lambda: ["b"]) == ["b"]


def test_a_memo_that_cannot_be_written_is_worked_out_anew(tmp_path: Path) -> None:
    index = index_at(tmp_path / "x.index", 1)
    (tmp_path / "memo").write_text("in the way")
    folder = tmp_path / "memo"
    assert Memo([folder], [index]).names("k", lambda: ["a"]) == ["a"]
    assert Memo([folder], [index]).names("k", lambda: ["b"]) == ["b"]
