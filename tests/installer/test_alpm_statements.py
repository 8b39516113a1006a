"""Every statement about how alpm hosts choose, held against the real installer."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path

import pytest

from tests.installer.alpm_ask import PROGRAM, ask
from tests.test_alpm_choice import CASES, built


def words_for(asked: Sequence[str]) -> list[str]:
    """The words for the real installer."""
    words = ["-Su" if "--upgrade" in asked else "-S"]
    for one in (text for text in asked if text != "--upgrade"):
        rest, _, source = one.partition("%")
        name, at, version = rest.partition("@")
        bound = version if re.match("[<>=]", version) else f"={version}" if at else ""
        words.append(f"{source}/{name}{bound}" if source else name + bound)
    return words


@pytest.mark.skipif(PROGRAM is None, reason="no installer of kind alpm on this machine")
def test_the_real_installer_says_so_too(tmp_path: Path) -> None:
    wrong = []
    for number, case in enumerate(CASES):
        said = ask(built(tmp_path / str(number), case), *words_for(case.asked))
        if said.done != case.comes:
            wrong.append(f"{case.what}: {said.done}, not {case.comes}")
    assert not wrong, "\n".join(wrong)
