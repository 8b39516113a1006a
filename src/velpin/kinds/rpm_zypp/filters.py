"""What keeps packages of an rpm-zypp host out: locks, and what was taken back.

Observed rules: docs/how-hosts-choose/rpm-zypp-newer.md.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import TYPE_CHECKING, Self

from velpin.kinds.rpm.filters import RpmFilters
from velpin.kinds.rpm.reasons import IsLocked, IsRetracted, LockedAt
from velpin.kinds.rpm_zypp.locks import Locks, read_locks
from velpin.model.reason import Reason

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm_zypp.configuration import ZyppConfiguration
    from velpin.kinds.rpm_zypp.locks import Lock

RETRACTED = "retracted-patch-package()"
"""What a package provides that was taken back after it was published."""
PATCHED_COPY = "ptf-package()"
"""What a package provides that is a patched copy of another."""


class ZyppFilters(RpmFilters):
    """Locks, retracted builds, and copies patched for one customer."""

    configuration: ZyppConfiguration

    @cached_property
    def locks(self) -> list[Lock]:
        """What may neither come nor go."""
        if not self.configuration.config.switch("locksfile.apply", True):
            return []
        return read_locks(self.configuration.tree, self.configuration.lock_file)

    def lock_of(self, build: RpmPackage) -> Lock | None:
        """The lock that means a build."""
        return self._lock(build.origin.handle, build.name, build.version)

    def _lock(self, handle: str, name: str, version: str) -> Lock | None:
        return self._locks.first(handle, name, version)

    @cached_property
    def _locks(self) -> Locks:
        return Locks(self.locks)

    def keeps_out(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out."""
        return self._lock(source.handle, name, version) is not None

    @property
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""
        return bool(self.locks)

    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """By the locks that only one of them has."""
        mine, others = ({lock.told: lock for lock in state.locks} for state in (self, other))
        unlike = [{**mine, **others}[told] for told in mine.keys() ^ others.keys()]
        return {name for lock in unlike for name in lock.names_among(self.indexes.all_names)}

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Those of every rpm host, and of builds that were taken back or patched for one
        customer."""
        odd = {
            row.name
            for _, index in self.indexes.opened
            for name in (RETRACTED, PATCHED_COPY)
            for row in index.providers(name)
        }
        return super().special_names | odd

    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""
        lock = self.lock_of(build)
        if lock:
            return IsLocked(place=lock.place)
        return IsRetracted() if self._is_retracted(build) else None

    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change."""
        lock = self.lock_of(build)
        if lock is None:
            return None
        return LockedAt(name=build.name, version=build.version, place=lock.place)

    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""
        return self.lock_of(build) is not None or self._is_retracted(build)

    def _is_retracted(self, build: RpmPackage) -> bool:
        """Whether its source took an offered build back: it only comes where it is asked for
        and nothing else of the name will do (observed)."""
        return (build.origin.handle, build.row.id) in self._retracted

    def is_patched_copy(self, build: RpmPackage) -> bool:
        """Whether it is a copy patched for one customer, which no plain request takes in the
        newer generation (observed)."""
        return any(capability.name == PATCHED_COPY for capability in build.provides)

    @cached_property
    def _retracted(self) -> frozenset[tuple[str, int]]:
        return frozenset(
            (source.handle, row.id)
            for source, index in self.indexes.opened
            for row in index.providers(RETRACTED)
        )
