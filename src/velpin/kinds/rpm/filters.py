"""What keeps packages of an rpm host out, of either layout."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from functools import cached_property
from typing import TYPE_CHECKING, Self

from velpin.kinds.rpm.entry import RpmLink

if TYPE_CHECKING:
    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.indexes import RpmIndexes
    from velpin.kinds.rpm.pool import RpmPackage, RpmPool
    from velpin.kinds.rpm.source import RpmSource
    from velpin.model.reason import Reason


class RpmFilters(ABC):
    """What takes part and what does not; `pool` is asked for when it is needed: it is made with
    these filters."""

    def __init__(
        self, configuration: RpmConfiguration, indexes: RpmIndexes, pool: Callable[[], RpmPool]
    ) -> None:
        self.configuration, self.indexes, self._pool = configuration, indexes, pool

    @property
    def pool(self) -> RpmPool:
        """All packages that can take part."""
        return self._pool()

    @abstractmethod
    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""

    @abstractmethod
    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""

    @abstractmethod
    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change, None where it may."""

    @property
    @abstractmethod
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""

    @abstractmethod
    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """Names of which single packages may be kept out on one of two states of this host and
        not on the other."""

    @abstractmethod
    def keeps_out(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out, modules aside."""

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Names for which more than their own lines in the lists decides."""
        return (
            frozenset(
                name
                for _, index in self.indexes.opened
                for name in index.all_linked(RpmLink.OBSOLETES)
            )
            | self.module_names
        )

    @property
    def module_names(self) -> frozenset[str]:
        """Names that modules mention."""
        return frozenset()

    def is_widened(self, name: str) -> bool:
        """Whether a request for a name may be met by another that replaces it."""
        return name in self.special_names
