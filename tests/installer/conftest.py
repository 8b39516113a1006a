"""Roots that several modules here ask."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from shutil import rmtree

import pytest
from filelock import FileLock

from tests.installer.made import NEWER, given_root, make_root
from tests.installer.newer_ask import folder_in


@pytest.fixture(scope="session")
def newer_root(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A current root with the newer installers of every kind (or `VELPIN_NEWER_ROOT`)."""
    given = given_root("VELPIN_NEWER_ROOT")
    if given:
        return given
    base = tmp_path_factory.getbasetemp()
    base = base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base  # one for all processes
    folder = base / "newer-root"
    done = folder.parent / "newer-root.made"
    with FileLock(f"{folder}.lock"):
        if not done.exists():
            make_root(folder, "testing", *NEWER)
            done.touch()
    return folder


@pytest.fixture
def folder(newer_root: Path) -> Iterator[Path]:
    """A folder that the newer installers find."""
    made = folder_in(newer_root)
    yield made
    rmtree(made, ignore_errors=True)
