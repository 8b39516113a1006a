"""Putting right what an interrupted change left of a host.

Whether there is one is asked before every command, and must cost nothing: the journal is loaded
only to repair.
"""

from __future__ import annotations

import os
from pathlib import Path

from velpin.files.tree import Tree

_JOURNAL = "var/lib/velpin/journal"


def is_interrupted(root: Path | str = "/") -> bool:
    """Whether a change of a host was interrupted and waits to be repaired."""
    try:
        names = os.listdir(Tree(Path(root)).path(_JOURNAL))
    except OSError:
        return False
    return any(name.endswith(".pending.json") and not name.startswith(".") for name in names)


def recover(root: Path | str = "/", *, wait: float = 2.0) -> list[str]:
    """Put right what an interrupted change left of a host, and say what was done.

    Raises Busy where another Velpin still holds the host after `wait` seconds, CannotRead or
    CannotWrite without the right, StoreError where files are no longer as the change left them. A
    journal that others may have written is left alone, and that is what is said.
    """
    from velpin.change.journal import Journal

    journal = Journal(Tree(Path(root)))
    doubt = journal.why_doubted()
    if doubt:
        return [f"an interrupted change is not repaired: {doubt}"]
    with journal.lock(limit=wait):
        return journal.recover()
