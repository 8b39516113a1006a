"""Every statement about how rpm hosts choose, held against the real installer."""

from __future__ import annotations

import re
from pathlib import Path

import pytest

from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.rpm_harbour import DNF, ZYPP
from tests.test_rpm_choice import CASES, Case, built


def asked_of(kind: str, case: Case) -> list[str] | None:
    """The words for the real installer; None where it has none for this."""
    if any("%" in one for one in case.asked):
        return None
    if "--realign" in case.asked:
        return ["dist-upgrade"]
    if "--upgrade" in case.asked:
        return ["upgrade" if kind == DNF else "update"]
    words = []
    for one in case.asked:
        name, at, version = one.partition("@")
        joint = "-" if kind == DNF else "="
        operator = re.match("[<>=]*", version)
        if operator and operator.group():
            text = f"{name} {operator.group()} {version[operator.end() :]}"
            words.append(text if kind == DNF else text.replace(" ", ""))
        else:
            words.append(f"{name}{joint}{version}" if at else re.sub(r":(\w+)$", r".\1", name))
    return ["install", *words]


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_the_real_installer_says_so_too(kind: str, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    wrong = []
    for number, case in enumerate(one for one in CASES if kind in one.kinds):
        words = asked_of(kind, case)
        if words is None:
            continue
        said = RealInstaller(built(tmp_path / str(number), kind, case)).ask(*words)
        found = None if said.done is None else {key: new for key, (new, _) in said.done.items()}
        comes = None
        if case.comes is not None:
            comes = {key: one.split()[0].replace("gone", "") for key, one in case.comes.items()}
        if found != comes:
            wrong.append(f"{case.what}: {found}, not {comes}")
    assert not wrong, "\n".join(wrong)
