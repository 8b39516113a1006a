"""The order of versions on deb hosts: one ordered list expanded to every pair, and its rules."""

from __future__ import annotations

import json
from itertools import combinations
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.kinds.deb.version import compare, version_key

VERSIONS = [
    "0~~", "0~~a", "0~", "0", "0a", "0+", "0.~1", "0.", "0.1~rc1", "0.1-0~1", "0.1", "0.1-1",
    "0.1-1+b1", "0.1+dfsg", "0.2", "0.10", "1~beta", "1", "1a", "1aa", "1+b", "1.0~", "1.0.1",
    "2-1", "2.0-1", "10", "20240107.9f", "1:0", "1:0.1", "1:2~", "1:2", "2:0~",
]  # fmt: skip
EQUAL = [("1", "0:1"), ("1", "1-0"), ("1.0", "1.00"), ("1.05", "1.5"), ("a", "a0"), ("1-0", "1-00")]
BESIDE = Path(__file__).parents[2] / "shared" / "version-order" / "deb.jsonl"
SAMPLE = Path(__file__).parent / "data" / "version-order-deb.jsonl"

texts = st.text(alphabet="0129aZ~+.-:", min_size=0, max_size=12)


@pytest.mark.parametrize(("older", "newer"), list(combinations(VERSIONS, 2)))
def test_every_pair_of_the_list(older: str, newer: str) -> None:
    assert (compare(older, newer), compare(newer, older)) == (-1, 1)


@pytest.mark.parametrize(("one", "other"), EQUAL)
def test_spelled_apart_but_equal(one: str, other: str) -> None:
    assert compare(one, other) == 0
    assert version_key(one) == version_key(other)


@pytest.mark.parametrize("file", [SAMPLE, BESIDE], ids=["sample", "whole"])
def test_observed_orders(file: Path) -> None:
    if not file.exists():
        pytest.skip("the observed orders do not stand beside this checkout")
    rows = [json.loads(line) for line in file.read_text().splitlines()]
    wrong = [row for row in rows if compare(row["a"], row["b"]) != row["order"]]
    assert (len(wrong), wrong[:3]) == (0, [])


@given(texts, texts)
def test_turned_around_the_order_turns(one: str, other: str) -> None:
    assert compare(one, other) == -compare(other, one)


@given(texts, texts, texts)
def test_order_is_transitive(one: str, two: str, three: str) -> None:
    low, middle, high = sorted((one, two, three), key=version_key)
    assert compare(low, middle) <= 0
    assert compare(middle, high) <= 0
    assert compare(low, high) <= 0


@given(st.text(alphabet="0129a.+", min_size=1, max_size=8))
def test_a_tilde_sorts_before_the_end(version: str) -> None:
    assert compare(version + "~", version) == -1
    assert compare(version + "~~", version + "~") == -1


@given(st.integers(0, 10**30), st.integers(0, 10**30))
def test_digits_compare_as_numbers_of_any_size(one: int, other: int) -> None:
    assert compare(str(one), str(other)) == (one > other) - (one < other)


@given(st.integers(1, 9), texts.filter(lambda text: ":" not in text))
def test_an_epoch_beats_everything_without_one(epoch: int, version: str) -> None:
    assert compare(f"{epoch}:0~~", version) == 1
