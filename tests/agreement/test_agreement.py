"""The recorded hosts: whole transactions, every choice, every refusal."""

from __future__ import annotations

import pytest

from tests.agreement.hosts import KINDS, archive, compare, names

EVERY = 4
"""`python -m tests.agreement` asks all of them."""


@pytest.mark.full
@pytest.mark.parametrize(
    ("kind", "name"), [(kind, name) for kind in KINDS for name in names(kind)[::EVERY]]
)
def test_a_recorded_host_agrees(kind: str, name: str) -> None:
    result = compare(archive(kind), kind, name)
    assert sum(figure.asked for figure in result) > 5
    assert [figure.unknown for figure in result] == [[], [], []]
