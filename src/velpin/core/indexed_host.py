"""What is read alike of hosts whose sources have one list each: lists, sources by handle."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Generic, Self, TypeVar

from velpin.core.adapter import Adapter
from velpin.errors import HostFileError, StoreError
from velpin.files.tree import Tree
from velpin.model.reason import Reason
from velpin.model.source import Source
from velpin.store.cache import IndexCache
from velpin.store.index import Index

S = TypeVar("S", bound=Source)


class IndexedHost(Adapter[S], Generic[S]):
    """A host of whose sources each has one list of packages."""

    def __init__(self, tree: Tree, cache: IndexCache, *, as_is: bool = False) -> None:
        self.tree, self.cache, self.as_is = tree, cache, as_is

    def again(self, tree: Tree) -> Self:
        """The same host, read anew through a tree."""
        return type(self)(tree, self.cache, as_is=self.as_is)

    # -- said by each kind -----------------------------------------------------------------

    @property
    @abstractmethod
    def read_order(self) -> list[S]:
        """Sources that are on, as the installer loads them."""

    @abstractmethod
    def index(self, source: S) -> Index | None:
        """The parsed list of a source; None where there is none."""

    # -- lists -----------------------------------------------------------------------------

    @cached_property
    def damage(self) -> dict[str, HostFileError | StoreError]:
        """Sources whose lists could not be read, filled while they are opened."""
        return {}

    @cached_property
    def opened(self) -> list[tuple[S, Index]]:
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

    def indexes_on(self) -> Sequence[Index]:
        """Lists of the sources that are on, as the installer loads them."""
        return [index for _, index in self.opened]

    def indexes_of(self, handle: str) -> Sequence[Index]:
        """The list of one source, on or off, where there is one."""
        index = self.index(self.source(handle))
        return [index] if index is not None else []

    def index_notes(self) -> Iterator[Reason]:
        """What is odd in the record of packages."""
        if self.record is None:
            yield Reason("no-record", {})
        if self.record and self.record.notes:
            notes = self.record.notes
            yield Reason("record-odd", {"count": len(notes), "what": notes[0].text})

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

    def installed_names(self) -> list[str]:
        """Names of all installed packages, in byte order."""
        return self.record.names() if self.record else []
