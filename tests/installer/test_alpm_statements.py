"""Every statement about how alpm hosts choose, held against the real installer."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.installer.alpm_ask import PROGRAM, ask, words_for
from tests.statements import alpm_host, cases


@pytest.mark.skipif(PROGRAM is None, reason="no installer of kind alpm on this machine")
def test_the_real_installer_says_so_too(tmp_path: Path) -> None:
    wrong = []
    for number, case in enumerate(cases("alpm")):
        said = ask(alpm_host(tmp_path / str(number), case), *words_for(case.asked))
        if said.done != case.comes:
            wrong.append(f"{case.what}: {said.done}, not {case.comes}")
    assert not wrong, "\n".join(wrong)
