"""Roots that several modules here ask."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.installer.made import NEWER, given_root, make_root


@pytest.fixture(scope="session")
def newer_root(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A current root with the newer installers of every kind (or `VELPIN_NEWER_ROOT`)."""
    return given_root("VELPIN_NEWER_ROOT") or make_root(
        tmp_path_factory.mktemp("newer") / "root", "testing", *NEWER
    )
