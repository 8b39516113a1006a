"""The program run upon a made-up host in this process, and what it printed kept for comparison."""

from __future__ import annotations

import io
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path
from typing import NamedTuple

from tests.transcripts import note
from velpin.front.running import run


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
