"""The recorded hosts: whole transactions, every choice, every refusal."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.agreement.__main__ import KINDS
from tests.agreement.hosts import archive, compare, sample


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("which", ["sample", "whole"])
def test_all_agree(kind: str, which: str, capsys: pytest.CaptureFixture[str]) -> None:
    file: Path | None = sample(kind) if which == "sample" else archive(kind)
    if file is None:
        pytest.skip("the recorded hosts do not stand beside this checkout")
    result = compare(file)
    with capsys.disabled():
        print(
            f"\nagreement {kind} ({which}): choices {result.choices},"
            f" transactions {result.transactions}, refusals {result.refusals}"
        )
    assert result.choices.asked > 10
    assert result.choices.differences == ()
    assert result.refusals.differences == ()
    assert result.transactions.unknown == []
