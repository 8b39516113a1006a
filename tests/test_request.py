"""Requests: first as they stand, then taken apart."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.errors import UsageError
from velpin.model.request import Request, parse_request

KNOWN = {"gull", "gull@2", "tern%x", "kelp++", "a:b", "p@q%r"}


@pytest.mark.parametrize(
    ("text", "parts"),
    [
        ("gull", ("gull", "", "", "", "")),
        ("gull:i386", ("gull", "i386", "", "", "")),
        ("gull@1", ("gull", "", "=", "1", "")),
        ("gull@1:2-3*", ("gull", "", "=", "1:2-3*", "")),
        ("gull@>=1.0", ("gull", "", ">=", "1.0", "")),
        ("gull@==1", ("gull", "", "==", "1", "")),
        ("gull@< 2", ("gull", "", "<", "2", "")),
        ("gull%base", ("gull", "", "", "", "base")),
        ("gull:i386@1%base", ("gull", "i386", "=", "1", "base")),
        ("gull@2", ("gull@2", "", "", "", "")),
        ("gull@2@3", ("gull@2", "", "=", "3", "")),
        ("tern%x", ("tern%x", "", "", "", "")),
        ("tern%x%y", ("tern%x", "", "", "", "y")),
        ("p@q%r%s", ("p@q%r", "", "", "", "s")),
        ("a:b:i386", ("a:b", "i386", "", "", "")),
        ("kelp++", ("kelp++", "", "", "", "")),
        ("nobody@1%x", ("nobody", "", "=", "1", "x")),
        ("gull=1", ("gull", "", "=", "1", "")),
        ("gull==1", ("gull", "", "=", "1", "")),
        ("gull>=1", ("gull", "", ">=", "1", "")),
        ("gull <= 1:2-3", ("gull", "", "<=", "1:2-3", "")),
        ("gull:i386<2", ("gull", "i386", "<", "2", "")),
        ("gull>0", ("gull", "", ">", "0", "")),
        ("gull/quay", ("gull", "", "", "", "quay")),
        ("base/gull", ("gull", "", "", "", "base")),
        ("base:gull", ("gull", "", "", "", "base")),
        ("gull/gull@2", ("gull@2", "", "", "", "gull")),
        ("gull-1:2-3", ("gull", "", "=", "1:2-3", "")),
        ("gull-0:2-3.x86_64", ("gull", "x86_64", "=", "2-3", "")),
        ("gull-2-3", ("gull-2-3", "", "", "", "")),
        ("nobody=1", ("nobody=1", "", "", "", "")),
        ("base/nobody", ("base/nobody", "", "", "", "")),
        ("a/base/gull", ("a/base/gull", "", "", "", "")),
        ("nobody-1:2-3", ("nobody-1", "2-3", "", "", "")),
        ("gull=", ("gull=", "", "", "", "")),
        ("nobody:i386", ("nobody", "i386", "", "", "")),
    ],
)
def test_taken_apart(text: str, parts: tuple[str, ...]) -> None:
    assert parse_request(text, KNOWN.__contains__) == Request(text, *parts)


def test_a_source_for_all_gives_way_to_one_in_the_text() -> None:
    assert parse_request("gull", KNOWN.__contains__, "base").source == "base"
    assert parse_request("gull%other", KNOWN.__contains__, "base").source == "other"
    assert parse_request("nobody", KNOWN.__contains__, "base").source == "base"
    assert parse_request("gull=1", KNOWN.__contains__, "base").source == "base"
    assert parse_request("gull/quay", KNOWN.__contains__, "base").source == "quay"


@pytest.mark.parametrize("text", ["", " gull", "gull\n", "@1", ":i386", "gull@>=", "a\x1bb"])
def test_texts_that_are_no_requests(text: str) -> None:
    with pytest.raises(UsageError):
        parse_request(text, KNOWN.__contains__)


@given(st.text(alphabet="gul@%:+=><1. /-", max_size=12))
def test_any_text_is_taken_apart_or_refused(text: str) -> None:
    try:
        request = parse_request(text, KNOWN.__contains__)
    except UsageError:
        return
    assert request.text == text
    assert request.name
    assert request.name in text
