"""Every statement about how rpm hosts choose, held against the real installer."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP
from tests.installer.rpm_ask import PROGRAMS, RealInstaller, asked_of
from tests.statements import cases, rpm_host


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_the_real_installer_says_so_too(kind: str, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    wrong = []
    for number, case in enumerate(one for one in cases("rpm") if kind in one.kinds):
        words = asked_of(kind, case)
        if words is None:
            continue
        said = RealInstaller(rpm_host(tmp_path / str(number), kind, case)).ask(*words)
        found = None if said.done is None else {key: new for key, (new, _) in said.done.items()}
        comes = None
        if case.comes is not None:
            comes = {key: one.split()[0].replace("gone", "") for key, one in case.comes.items()}
        if found != comes:
            wrong.append(f"{case.what}: {found}, not {comes}")
    assert not wrong, "\n".join(wrong)
