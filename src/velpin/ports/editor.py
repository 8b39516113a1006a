"""Editing the sources of a host, and what its source files state before and after."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from collections.abc import Collection, Hashable, Iterable

    from velpin.change.readback import SourceStatements
    from velpin.files.tree import Edits
    from velpin.model.reason import Reason
    from velpin.model.source import Source


class Editor(Protocol):
    """Edits of source files; nothing is written by it."""

    @abstractmethod
    def switched(self, source: Source, on: bool) -> Edits:
        """Return the edits that switch a source on or off."""

    @abstractmethod
    def dropped(self, source: Source) -> Edits:
        """Return the edits that take a source away."""

    @abstractmethod
    def statements(self) -> SourceStatements:
        """Return what the source files state, to be held against what they stated before an
        edit."""

    def key_of(self, source: Source) -> Hashable:
        """Return what a source is known by in those statements."""
        return source.handle

    @property
    def rule_fields(self) -> Collection[str]:
        """Fields of those statements that rules are written in."""
        return ()

    def edit_notes(self, files: Collection[str]) -> Iterable[Reason]:
        """Return what to know before some of the host's files are edited."""
        return ()
