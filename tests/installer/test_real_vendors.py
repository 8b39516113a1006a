"""Vendors that count as one, held against the real installers."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

import pytest

from tests.harbours import ZYPP
from tests.installer.newer_ask import NewerRpmInstaller
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.vendor_hosts import GROUPS, vendor_host

rows = pytest.mark.parametrize(("what", "groups", "comes"), GROUPS)


def versions(real: RealInstaller | NewerRpmInstaller) -> list[list[str]]:
    asked = (real.ask("install", "gull"), real.ask("update"))
    return [[new for new, _ in (said.done or {}).values()] for said in asked]


@pytest.mark.skipif(PROGRAMS[ZYPP] is None, reason="no zypp installer on this machine")
@rows
def test_older(tmp_path: Path, what: str, groups: Mapping[str, str], comes: str | None) -> None:
    found = versions(RealInstaller(vendor_host(tmp_path, groups)))
    assert found == [[comes] if comes else []] * 2, what


@rows
def test_newer(
    newer_root: Path, folder: Path, what: str, groups: Mapping[str, str], comes: str | None
) -> None:
    found = versions(NewerRpmInstaller(newer_root, vendor_host(folder, groups)))
    assert found == [[comes] if comes else []] * 2, what
