"""The recorded hosts: whole transactions, every choice, every refusal."""

from __future__ import annotations

import pytest

from tests.agreement.hosts import KINDS, archive, compare

EVERY = 4
"""`python -m tests.agreement` asks all of them."""


@pytest.mark.parametrize("kind", KINDS)
def test_all_agree(kind: str) -> None:
    result = compare(archive(kind), kind, EVERY)
    assert result.choices.asked > 10
    assert result.choices.differences == ()
    assert result.refusals.differences == ()
    assert result.transactions.unknown == []
