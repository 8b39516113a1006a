"""Roots of real hosts, made for a test from this machine's package archive."""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

import pytest

from velpin import open_host

NEWER = ("dnf5", "zypper", "pacman-package-manager", "rpm", "createrepo-c", "python3")
"""What a current suite brings beside its own installer."""


def make_root(folder: Path, suite: str, *packages: str) -> Path:
    """A root of a suite, its indexes fetched; skips the test, saying why, where none can be made.

    It takes `mmdebstrap`, being root, and one to four minutes.
    """
    maker = shutil.which("mmdebstrap")
    if maker is None or os.geteuid() != 0:
        pytest.skip("a root cannot be made here: that takes mmdebstrap, and being root")
    archive = next((source.url for source in open_host("/").sources if source.on), "")
    words = [maker, "--variant=apt", '--aptopt=Acquire::Check-Valid-Until "false"']
    words += [f"--include={','.join(packages)}"] if packages else []
    words += [suite, str(folder), archive.partition("/dists/")[0]]
    done = subprocess.run(words, capture_output=True, text=True, check=False, timeout=900)
    if done.returncode:
        shutil.rmtree(folder, ignore_errors=True)
        pytest.skip(f"a root could not be made: {done.stderr.strip().splitlines()[-1:]}")
    return folder


def given_root(variable: str) -> Path | None:
    """A root that is there already, named by a variable of the environment."""
    told = os.environ.get(variable)
    return Path(told) if told else None
