"""What every kind of host offers to the rest of Velpin.

A kind lives in one folder below this one and is named once, in `kinds/__init__.py`. The
rest of Velpin asks a `Host` questions and gets values of `velpin.model`; it never looks
into a kind's files.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING, Protocol

from velpin.model import (
    Answer,
    Forecast,
    HostFacts,
    Moved,
    Note,
    Offer,
    Source,
    SourceState,
    Standing,
)
from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.change.edits import Change, Wanted
    from velpin.fetch.download import Transport
    from velpin.store.shelf import Shelf
    from velpin.trust.openpgp import Key

Edits = Mapping[str, bytes | None]
"""New contents by file name below the root; None removes a file."""


class Found(Protocol):
    """One name that a search met."""

    name: str
    summary: str


class Host(Protocol):
    """One host of some kind, read through a tree and a store."""

    kind: str
    tree: Tree
    shelf: Shelf

    def with_edits(self, edits: Edits) -> Host:
        """The same host as it would be after some edits."""
        ...


__all__ = [
    "Answer", "Callable", "Change", "Edits", "Forecast", "Found", "Host", "HostFacts",
    "Iterable", "Key", "Moved", "Note", "Offer", "Sequence", "Source", "SourceState",
    "Standing", "Transport", "Wanted",
]  # fmt: skip
