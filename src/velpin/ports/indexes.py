"""The indexes of the host's sources, and its record of installed packages."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, Literal, Protocol

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from velpin.errors import HostFileError, StoreError
    from velpin.model.host import SourceState
    from velpin.model.reason import Reason
    from velpin.model.source import Source
    from velpin.store.index import Index

Holder = Literal["installer", "velpin", ""]
"""Who fetched an index; empty if there is none."""


class Indexes(Protocol):
    """Parsed indexes. Parsing one that is not in the store yet takes seconds for a large one."""

    @property
    @abstractmethod
    def record(self) -> Index | None:
        """The record of installed packages; None on a host without one."""

    @abstractmethod
    def on(self) -> Sequence[Index]:
        """Return the indexes of the sources that are on, in the order of reading."""

    @abstractmethod
    def off(self) -> Iterator[tuple[Source, Index]]:
        """Return the indexes that are still there of sources switched off."""

    @abstractmethod
    def of(self, source: Source) -> Sequence[Index]:
        """Return the indexes of one source, on or off.

        Raises HostFileError or StoreError for a damaged one."""

    @property
    @abstractmethod
    def damage(self) -> Mapping[str, HostFileError | StoreError]:
        """Sources that are on whose indexes could not be read, by handle."""

    @abstractmethod
    def holder(self, source: Source) -> Holder:
        """Return who fetched the indexes of a source that count."""

    @abstractmethod
    def state_of(self, source: Source) -> SourceState:
        """Return whether a source takes part."""

    def reads(self, source: Source) -> bool:
        """Return whether the indexes of a source are of a form that is read here."""
        return True

    def dates(self) -> Iterable[float | None]:
        """Return when the indexes that take part were made, in seconds since 1970."""
        return ()

    def notes(self) -> Iterable[Reason]:
        """Return what there is to know of the indexes behind a forecast."""
        return ()


def parse_all(indexes: Indexes) -> None:
    """Parse what is not parsed yet of the sources that are on, and the record: here, not once in
    each process that follows."""
    indexes.on()
    _ = indexes.record
