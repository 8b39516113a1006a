"""What the installer of an rpm host makes of requests and of the full upgrade, as jobs of the
solver.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING

from velpin.kinds.rpm.pool import is_newer
from velpin.kinds.rpm.reasons import TypeNotRead
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.model.reasons import NotInSource, SourceIsOff, SourceNotFetched
from velpin.model.request import Request
from velpin.ports.refused import RequestRefused

if TYPE_CHECKING:
    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.filters import RpmFilters
    from velpin.kinds.rpm.indexes import RpmIndexes
    from velpin.kinds.rpm.packages import RpmPackages
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.solve.options import SolverOptions
    from velpin.kinds.rpm.solve.solver import Job, RpmSolver


class RpmChooser(ABC):
    """How an rpm host decides; each layout says what a request means."""

    ties_matter: bool
    """Whether more than the order of reading decides between builds of one version."""

    def __init__(
        self,
        configuration: RpmConfiguration,
        indexes: RpmIndexes,
        filters: RpmFilters,
        packages: RpmPackages,
    ) -> None:
        self.configuration, self.indexes = configuration, indexes
        self.filters, self.packages = filters, packages

    @property
    @abstractmethod
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""

    @property
    @abstractmethod
    def solver_options(self) -> SolverOptions:
        """How this host decides."""

    @property
    @abstractmethod
    def lenient(self) -> bool:
        """Whether what cannot be had is left out of a request."""

    @abstractmethod
    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for."""

    @abstractmethod
    def upgrade_work(self, *, realign: bool = False) -> RpmSolver:
        """The full upgrade, not yet worked out."""

    def nothing_from(self, request: Request) -> RequestRefused:
        """Why a request gets nothing from the source it names."""
        source = self.configuration.by_handle.get(request.source)
        if source is not None and source.unread:
            return RequestRefused(TypeNotRead(source=source.handle, type=source.unread))
        if source is not None and not source.on:
            return RequestRefused(SourceIsOff(source=source.handle))
        if source is not None and not self.indexes.copies[source.handle].files:
            return RequestRefused(SourceNotFetched(source=source.handle))
        return RequestRefused(NotInSource(name=request.name, source=request.source))

    def moves(self, build: RpmPackage) -> tuple[list[RpmPackage], bool]:
        """What an installed build may change to in an upgrade, from any source; and whether it
        does so of itself, as the best source that has anything for it has something newer."""
        found = self._alike_or_newer(build)
        newer = [package for package in found if self.is_change(build, package)]
        return newer, any(self.is_change(build, package) for package in by_priority(found))

    def targets(self, build: RpmPackage) -> list[RpmPackage]:
        """What an installed build changes to of itself in the upgrade."""
        found, of_itself = self.moves(build)
        return found if of_itself else []

    def is_outdone(self, build: RpmPackage) -> bool:
        """Whether a newer version of an installed build stands beside it: the upgrade then
        goes by that alone (observed)."""
        return any(
            is_newer(other, build) and self.configuration.archs.may_follow(build.arch, other.arch)
            for other in self.packages.pool.installed(build.name)
        )

    def is_change(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Whether it would be an upgrade to come from one to the other."""
        return other.name != build.name or is_newer(other, build)

    def _alike_or_newer(self, build: RpmPackage) -> list[RpmPackage]:
        may_follow = self.solver_options.same_vendor
        found = [
            package
            for package in self.packages.pool.named(build.name)
            if not package.installed
            and not is_newer(build, package)
            and may_follow(build, package)
            and self.configuration.archs.may_follow(build.arch, package.arch)
        ]
        return found + [
            package
            for package in self.packages.pool.obsoleting(build)
            if package.name != build.name
            and may_follow(build, package)
            and self.configuration.archs.may_follow(build.arch, package.arch)
            and all(is_newer(package, here) for here in self.packages.pool.installed(package.name))
        ]

    def choice_of(self, name: str) -> RpmPackage | None:
        """What a request for a name would take, its needs aside; of an installed package
        what the upgrade would. None where there is nothing available."""
        policy = Policy(self.packages.pool)
        here = [build for build in self.packages.pool.installed(name) if not self.is_outdone(build)]
        if here:
            found = policy.best(by_priority(self.targets(here[0])))
            return found[0] if found else here[0]
        try:
            jobs = self.jobs(Request(name, name))
        except RequestRefused:
            return None
        found = policy.order(jobs[0].builds) if jobs else []
        return found[0] if found else None
