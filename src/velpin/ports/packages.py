"""Installed packages, the names that are known, and the order of versions."""

from __future__ import annotations

from typing import NamedTuple


class Installed(NamedTuple):
    """One installed package."""

    name: str
    arch: str
    version: str
    source: str
    """The source that the host takes its version from, empty if none has it."""
    held: bool
    """Whether something keeps it as it is."""
