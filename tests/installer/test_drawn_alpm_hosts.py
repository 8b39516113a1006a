"""On random alpm hosts: does the real installer do what the forecast says?"""

from __future__ import annotations

import os
from pathlib import Path

import pytest

from tests.installer.alpm_ask import PROGRAM, ask, words_for
from tests.installer.alpm_drawn import AlpmDrawn

HOSTS = int(os.environ.get("VELPIN_DRAWN_ALPM_HOSTS", "12"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))


@pytest.mark.skipif(PROGRAM is None, reason="no installer of kind alpm on this machine")
@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_the_real_installer_does_what_is_foreseen(seed: int, tmp_path: Path) -> None:
    drawn = AlpmDrawn(seed, tmp_path)
    drawn.harbour.refresh()
    wrong = []
    for words in drawn.requests():
        ours = drawn.harbour.changes(*words)
        said = ask(drawn.harbour, *words_for(words))
        if ours != said.done:
            wrong.append(f"{seed} {' '.join(words)}: {ours}, not {said.done}\n{said.text[-400:]}")
    assert not wrong, "\n".join(wrong)
