"""Stanzas: grammar, line numbers, and that nothing is dropped silently."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.files.text import decode, encode, split_lines
from velpin.kinds.deb.control import parse_stanza, read_stanzas

names = st.from_regex(r"[A-Za-z][A-Za-z0-9-]{0,10}", fullmatch=True)
values = st.text(alphabet="abc XYZ.:/#=,", min_size=1, max_size=20).map(str.strip).filter(bool)


@pytest.mark.parametrize(
    ("text", "fields"),
    [
        ("A: 1\nB: 2\n", [{"a": "1", "b": "2"}]),
        ("A: 1\n\n\nB: 2", [{"a": "1"}, {"b": "2"}]),
        ("A: 1\n \t \nB: 2\n", [{"a": "1"}, {"b": "2"}]),
        ("# said\nA: 1\n# more\nB: 2\n", [{"a": "1", "b": "2"}]),
        ("# said\n\nA: 1\n", [{"a": "1"}]),
        ("A: 1\r\nB: 2\r\n\r\nC: 3\r\n", [{"a": "1", "b": "2"}, {"c": "3"}]),
        ("A: 1\n 2\n\t3\n", [{"a": "1\n2\n3"}]),
        ("a: 1\nA: 2\n", [{"a": "2"}]),
        ("A:1\nB:\n", [{"a": "1", "b": ""}]),
        ("A: x\x0cy\n", [{"a": "x\x0cy"}]),
        ("", []),
    ],
)
def test_stanzas(text: str, fields: list[dict[str, str]]) -> None:
    found = [{k: f.value for k, f in s.fields.items()} for s in read_stanzas(text)]
    assert found == fields


def test_lines_are_told() -> None:
    first, second = read_stanzas("\n# c\nA: 1\nB: 2\n 3\n\nno colon\nC: 4\n")
    assert (first.line, first.end, first.line_of("b"), first.fields["b"].end) == (3, 6, 4, 6)
    assert second.odd == [(7, "no colon")]
    assert second.get("c") == "4"


def test_a_continuation_without_a_field_is_odd() -> None:
    (stanza,) = read_stanzas(" floating\nA: 1\n")
    assert stanza.odd == [(1, " floating")]


@given(st.lists(st.dictionaries(names.map(str.lower), values, min_size=1, max_size=4), max_size=4))
def test_what_is_written_is_read(stanzas: list[dict[str, str]]) -> None:
    text = "\n".join("".join(f"{k}: {v}\n" for k, v in one.items()) for one in stanzas)
    found = [{k: f.value for k, f in s.fields.items()} for s in read_stanzas(text, comments=False)]
    assert found == stanzas
    for one, raw in zip(stanzas, text.split("\n\n"), strict=False):
        assert parse_stanza(encode(raw)) == one


@given(st.binary(max_size=80))
def test_any_bytes_survive_decoding(data: bytes) -> None:
    assert encode(decode(data)) == data


@given(st.text(alphabet="ab\n\r\x0c", max_size=30))
def test_split_lines_loses_nothing(text: str) -> None:
    assert "".join(split_lines(text)) == text
