"""The order of versions on every kind of host: ordered lists expanded to every pair, rules."""

from __future__ import annotations

import json
from itertools import combinations
from pathlib import Path
from types import ModuleType

import pytest
from hypothesis import given
from hypothesis import strategies as st

from velpin.kinds.alpm import version as alpm
from velpin.kinds.deb import version as deb
from velpin.kinds.rpm import version as rpm

ORDERS = {"deb": deb, "rpm": rpm, "alpm": alpm}
VERSIONS = {
    "deb": [
        "0~~", "0~~a", "0~", "0", "0a", "0+", "0.~1", "0.", "0.1~rc1", "0.1-0~1", "0.1", "0.1-1",
        "0.1-1+b1", "0.1+dfsg", "0.2", "0.10", "1~beta", "1", "1a", "1aa", "1+b", "1.0~", "1.0.1",
        "2-1", "2.0-1", "10", "20240107.9f", "1:0", "1:0.1", "1:2~", "1:2", "2:0~",
    ],
    "rpm": [
        "~1-1", "a-1", "0~rc1-1", "0-1", "0^git1-1", "0^git1.2-1", "0.a-1", "0.1~beta-9", "0.1-1",
        "0.1-1.1", "0.1-2", "0.1-10", "0.1a-1", "0.2-1", "0.10-1", "1-1", "1.0-1", "1.0.a-1",
        "1.0.1-1", "2.0-1", "10-1", "20240107-1", "1:0-1", "1:0.1-1", "2:0~-1",
    ],
    "alpm": [
        "1.0a-1", "1.0alpha-1", "1.0b-1", "1.0beta-1", "1.0p-1", "1.0pre-1", "1.0rc-1", "1.0-1",
        "1.0-2", "1.0.a-1", "1.0.1-1", "1.1-1", "2-1", "10-1", "1:0-1", "1:1-1", "2:0-1",
    ],
}  # fmt: skip
EQUAL = {
    "deb": [("1", "0:1"), ("1", "1-0"), ("1.0", "1.00"), ("1.05", "1.5"), ("a", "a0"), ("1-0", "1-00")],
    "rpm": [("1-1", "0:1-1"), ("1.0-1", "1.00-1"), ("1.05-1", "1.5-1"), ("1_0-1", "1.0-1"), ("1..0-1", "1.0-1")],
    "alpm": [("1-1", "0:1-1"), ("1.0-1", "1.00-1"), ("1.05-1", "1.5-1"), ("1-1", "1"), ("1_0-1", "1.0-1")],
}  # fmt: skip
BESIDE = Path(__file__).parents[2] / "shared" / "version-order"
SAMPLES = Path(__file__).parent / "data"

texts = st.text(alphabet="0129aZ~+^.-:", min_size=0, max_size=12)
every_order = pytest.mark.parametrize("order", ORDERS.values(), ids=ORDERS)


@pytest.mark.parametrize("kind", VERSIONS)
def test_every_pair_of_the_list(kind: str) -> None:
    compare = ORDERS[kind].compare
    wrong = [
        (older, newer)
        for older, newer in combinations(VERSIONS[kind], 2)
        if (compare(older, newer), compare(newer, older)) != (-1, 1)
    ]
    assert wrong == []


@pytest.mark.parametrize(
    ("kind", "one", "other"), [(kind, *pair) for kind, pairs in EQUAL.items() for pair in pairs]
)
def test_spelled_apart_but_equal(kind: str, one: str, other: str) -> None:
    assert ORDERS[kind].compare(one, other) == 0
    assert ORDERS[kind].version_key(one) == ORDERS[kind].version_key(other)


@pytest.mark.parametrize("kind", ORDERS)
@pytest.mark.parametrize("which", ["sample", "whole"])
def test_observed_orders(kind: str, which: str) -> None:
    file = (
        SAMPLES / f"version-order-{kind}.jsonl" if which == "sample" else BESIDE / f"{kind}.jsonl"
    )
    if not file.exists():
        pytest.skip("the observed orders do not stand beside this checkout")
    rows = [json.loads(line) for line in file.read_text().splitlines()]
    wrong = [row for row in rows if ORDERS[kind].compare(row["a"], row["b"]) != row["order"]]
    assert (len(wrong), wrong[:3]) == (0, [])


@every_order
@given(texts, texts)
def test_turned_around_the_order_turns(order: ModuleType, one: str, other: str) -> None:
    assert order.compare(one, other) == -order.compare(other, one)


@pytest.mark.parametrize("order", [deb, rpm], ids=["deb", "rpm"])
@given(texts, texts, texts)
def test_order_is_transitive(order: ModuleType, one: str, two: str, three: str) -> None:
    if order is rpm and len({"-" in text for text in (one, two, three)}) > 1:
        return  # a release against none: what is compared is not a full version
    low, middle, high = sorted((one, two, three), key=order.version_key)
    assert order.compare(low, middle) <= 0
    assert order.compare(middle, high) <= 0
    assert order.compare(low, high) <= 0


@pytest.mark.parametrize("order", [deb, rpm], ids=["deb", "rpm"])
@given(st.text(alphabet="0129a.+", min_size=1, max_size=8))
def test_a_tilde_sorts_before_the_end(order: ModuleType, version: str) -> None:
    assert order.compare(version + "~", version) == -1
    assert order.compare(version + "~~", version + "~") == -1


@given(st.text(alphabet="0129a.", min_size=1, max_size=8), st.sampled_from("019ab"))
def test_a_caret_sorts_after_the_end_and_before_more(version: str, more: str) -> None:
    assert rpm.compare(version + "^", version) == 1
    assert rpm.compare(version + "^", f"{version}.{more}") == -1


@every_order
@given(st.integers(0, 10**30), st.integers(0, 10**30))
def test_digits_compare_as_numbers_of_any_size(order: ModuleType, one: int, other: int) -> None:
    assert order.compare(str(one), str(other)) == (one > other) - (one < other)


@every_order
@given(st.integers(1, 9), texts.filter(lambda text: ":" not in text))
def test_an_epoch_beats_everything_without_one(order: ModuleType, epoch: int, version: str) -> None:
    assert order.compare(f"{epoch}:0~~", version) == 1


@given(st.text(alphabet="0129a.+~:-", max_size=6), st.text(alphabet="019ab+~.:-", max_size=4))
def test_the_faster_order_of_an_index_is_the_order(begin: str, rest: str) -> None:
    """Of two versions of which one has something behind the other, either way round."""
    one, other = begin, begin + rest
    for left, right in ((one, other), (other, one)):
        assert deb.is_newer_text(left.encode(), right.encode()) == (deb.compare(left, right) > 0)
