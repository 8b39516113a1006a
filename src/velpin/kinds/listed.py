"""What is read alike of hosts whose sources have one list each: lists, sources by handle."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Generic, Self, TypeVar

from velpin.errors import HostFileError, Refusal, StoreError
from velpin.model import Source
from velpin.store.index import Index
from velpin.store.shelf import Shelf
from velpin.tree import Edits, Tree

S = TypeVar("S", bound=Source)


class Listed(ABC, Generic[S]):
    """What is read of a host."""

    def __init__(self, tree: Tree, shelf: Shelf, *, as_is: bool = False) -> None:
        self.tree, self.shelf, self.as_is = tree, shelf, as_is

    def with_edits(self, edits: Edits) -> Self:
        """The same host as it would be after some edits, read by the same code."""
        return type(self)(self.tree.with_edits(edits), self.shelf, as_is=self.as_is)

    # -- said by each kind -----------------------------------------------------------------

    @property
    @abstractmethod
    def sources(self) -> list[S]:
        """Sources on, in the order of reading, then those switched off."""

    @property
    @abstractmethod
    def read_order(self) -> list[S]:
        """Sources that are on, as the installer loads them."""

    @property
    @abstractmethod
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""

    @abstractmethod
    def index(self, source: S) -> Index | None:
        """The parsed list of a source; None where there is none."""

    @abstractmethod
    def refusal(self) -> object | None:
        """Why this host would refuse every request; None where it would not."""

    # -- lists -----------------------------------------------------------------------------

    @cached_property
    def damage(self) -> dict[str, HostFileError | StoreError]:
        """Sources whose lists could not be read, filled while they are opened."""
        return {}

    @cached_property
    def indexes(self) -> list[tuple[S, Index]]:
        """Parsed lists of the sources that are on, as the installer loads them."""
        found = []
        for source in self.read_order:
            try:
                index = self.index(source)
            except (HostFileError, StoreError) as problem:
                self.damage[source.handle] = problem
                continue
            if index is not None:
                found.append((source, index))
        return found

    def indexes_off(self) -> Iterator[tuple[S, Index]]:
        """Parsed lists that are still there of sources switched off."""
        for source in self.sources:
            if source.on:
                continue
            try:
                index = self.index(source)
            except (HostFileError, StoreError):
                continue
            if index is not None:
                yield source, index

    def open_indexes(self) -> None:
        """Parse what is not parsed yet of the sources that are on; what is damaged is left."""
        if self.refusal() is None:
            _ = self.indexes, self.record

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self.record.names() if self.record else []

    # -- sources ---------------------------------------------------------------------------

    def source(self, handle: str) -> S:
        """The source with a handle; Refusal where there is none."""
        found = self.by_handle.get(handle)
        if found:
            return found
        from velpin.near import nearest

        near: Sequence[str] = nearest(handle, list(self.by_handle))
        hint = f"did you mean {' or '.join(near)}?" if near else "velpin sources lists them"
        raise Refusal(f"no source is called {handle!r}", hint)

    @cached_property
    def by_handle(self) -> dict[str, S]:
        """The sources by their handles."""
        return {source.handle: source for source in self.sources}
