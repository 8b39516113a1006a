"""The recorded hosts: whole transactions, every choice, every refusal."""

from __future__ import annotations

import pytest

from tests.agreement.hosts import KINDS, archive, compare, names

OF_EACH_KIND = 40
EVERY = 4
"""`python -m tests.agreement` asks all of them."""


@pytest.mark.full
@pytest.mark.parametrize("number", range(0, OF_EACH_KIND, EVERY))
@pytest.mark.parametrize("kind", KINDS)
def test_a_recorded_host_agrees(kind: str, number: int) -> None:
    result = compare(archive(kind), kind, names(kind)[number])
    assert sum(figure.asked for figure in result) > 5
    assert [figure.unknown for figure in result] == [[], [], []]


@pytest.mark.full
def test_as_many_hosts_are_recorded_of_each_kind() -> None:
    assert [len(names(kind)) for kind in KINDS] == [OF_EACH_KIND] * len(KINDS)
