"""The program run upon a made-up host in this process, and what it printed kept for comparison."""

from __future__ import annotations

import io
import os
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import NamedTuple

from tests.answers import note
from tests.host_files import host_files
from velpin.front.running import run

CODES = range(6)
"""Exit codes of what is foreseen, refused or not understood; a fault of the program's own has
another."""


class Said(NamedTuple):
    """What a run of the program printed, and its exit code."""

    code: int
    out: str
    err: str


def run_on(root: Path, *words: str) -> Said:
    """Run the program on a host, with nobody at the terminal."""
    out, err = io.StringIO(), io.StringIO()
    with redirect_stdout(out), redirect_stderr(err):
        code = run(["--root", str(root), *words])
    said = Said(code, out.getvalue(), err.getvalue())
    note(root, words, *said)
    return said


def state(root: Path, *, folders: bool = False) -> dict[str, tuple[object, ...]]:
    """Everything below a root but Velpin's own: links as links, rights, owners, attributes."""
    found: dict[str, tuple[object, ...]] = {}
    for name, path in host_files(root):
        if path.is_dir() and not path.is_symlink():
            if folders and name not in ("var/lib", "var/cache", "var"):
                found[name] = ("folder", path.stat().st_mode)
            continue
        if path.is_symlink():
            found[name] = ("link", os.readlink(path))
            continue
        status = path.stat()
        extra = {each: os.getxattr(path, each) for each in os.listxattr(path)}
        found[name] = (path.read_bytes(), status.st_mode, status.st_uid, status.st_gid, str(extra))
    return found
