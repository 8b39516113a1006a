"""What the installer of an rpm-zypp host makes of requests and of the full upgrade.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.rpm.asked import bound_fits, bound_of, named, version_fits
from velpin.kinds.rpm.chooser import RpmChooser
from velpin.kinds.rpm.pattern import is_glob
from velpin.kinds.rpm.pool import is_newer
from velpin.kinds.rpm.reasons import Hidden, Locked
from velpin.kinds.rpm.relation import Capability
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm.version import compare
from velpin.model.reasons import NoVersion, Unknown
from velpin.ports.refused import RequestRefused

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm_zypp.configuration import ZyppConfiguration
    from velpin.kinds.rpm_zypp.filters import ZyppFilters
    from velpin.model.request import Request
    from velpin.store.index import Row


class ZyppChooser(RpmChooser):
    """How an rpm-zypp host decides."""

    configuration: ZyppConfiguration
    filters: ZyppFilters
    ties_matter = True
    lenient = False

    @property
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""
        return tuple(self.configuration.config.vendors), self.any_vendor

    def same_vendor(self, one: RpmPackage, other: RpmPackage) -> bool:
        """Whether two builds are of one vendor, or of vendors that count as one."""
        return self._vendors(one.facts.vendor) == self._vendors(other.facts.vendor)

    def _vendors(self, vendor: str) -> str:
        """What stands for a vendor, letter case ignored: the group of the longest beginning that is
        said of it, else its name."""
        folded = vendor.strip().lower()
        said = [start for start in self._group_of if folded.startswith(start)]
        return f"\0{self._group_of[max(said, key=len)]}" if said else folded

    @cached_property
    def _group_of(self) -> dict[str, str]:
        """For each beginning of a vendor's name what stands for its group; groups that have one in
        common are one."""
        found: dict[str, str] = {}
        for group in self.configuration.config.vendors:
            one = min((*group, *(found[each] for each in group if each in found)))
            joined = {found[each] for each in group if each in found}
            found.update(dict.fromkeys((n for n, of in found.items() if of in joined), one))
            found.update(dict.fromkeys(group, one))
        return found

    @property
    def any_vendor(self) -> bool:
        """Whether an installed package may change its vendor without being asked."""
        return self.configuration.config.switch("solver.allowVendorChange", False)

    @cached_property
    def solver_options(self) -> SolverOptions:
        """How this host decides."""
        config = self.configuration.config
        weak = not config.switch("solver.onlyRequires", False)
        told = config.settings.get("solver/installRecommends", "").strip()
        if (
            told and self.configuration.ways.tool_decides_weak
        ):  # the tool's word goes before the library's (observed)
            weak = config.switch("solver/installRecommends", weak)
        elif told:
            weak = weak and config.switch("solver/installRecommends", True)
        focus = config.settings.get("solver.focus", "").strip().lower() == "update"
        found = SolverOptions(
            trace=self.configuration.view.trace,
            multilib=False,
            downgrades_for_needs=False,
            weak=weak,
            stay_first=self.configuration.ways.stay_first,
            locked=lambda build: self.filters.lock_of(build) is not None,
            multiple=frozenset(config.multiple),
            focus_update=focus,
            new_first=focus,
        )
        if not self.any_vendor:
            found.same_vendor = self.same_vendor
        return found

    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for; RequestRefused where it cannot be met."""
        found, how = self._meant(request)
        if how == "capability":
            builds = [
                package
                for package in found
                if package.installed or self.packages.pool.visible(package)
            ]
            if request.source:
                builds = [
                    package for package in builds if package.origin.handle in (request.source, "")
                ]
            if not builds:
                why = Hidden if found else Unknown
                raise RequestRefused(why(name=request.name))
            return [Job(request.text, builds)]
        names = dict.fromkeys(package.name for package in found) if is_glob(request.name) else [""]
        jobs = []
        for name in names:
            group = [package for package in found if name in ("", package.name)]
            jobs.append(self._job(request, group, how == "version"))
        return jobs

    def _job(self, request: Request, found: list[RpmPackage], exact: bool) -> Job:
        here = self.packages.pool.installed(found[0].name)
        offered = [package for package in found if not package.installed]
        if request.source:
            offered = [package for package in offered if package.origin.handle == request.source]
            if not offered:
                raise self.nothing_from(request)
        free = exact or bool(request.source)
        candidate = self._candidate(offered, here, free=free, arch=bool(request.arch))
        goes_back = request.allows_older and exact and candidate is not None
        if (
            here
            and not goes_back
            and (candidate is None or not self._replaces(candidate, here, bool(request.arch)))
        ):
            locked = self._locked_update(offered, here, free)
            if locked is not None:
                raise RequestRefused(
                    Locked(name=locked.name, version=locked.version, place=self._place(locked))
                )
            return Job(request.text, here, meant=tuple(found), idle=True)
        if candidate is None:
            if offered:
                raise RequestRefused(
                    Locked(name=request.name, version="", place=self._place(offered[0]))
                )
            raise RequestRefused(Unknown(name=request.name))
        for package in here:
            if self.filters.lock_of(package):
                raise RequestRefused(
                    Locked(name=package.name, version=package.version, place=self._place(package))
                )
        self._check_vendor(candidate, here)
        return Job(
            request.text,
            [candidate],
            fresh=True,
            meant=tuple(found),
            frees=tuple(here),
            granted=True,
        )

    def _check_vendor(self, candidate: RpmPackage, here: list[RpmPackage]) -> None:
        """Another vendor's build cannot come while any of the name is locked (observed)."""
        if not here or self.any_vendor or any(self.same_vendor(old, candidate) for old in here):
            return
        for package in self.packages.pool.all_named(candidate.name):
            if not package.installed and self.filters.lock_of(package):
                raise RequestRefused(
                    Locked(name=package.name, version=package.version, place=self._place(package))
                )

    def _place(self, build: RpmPackage) -> str:
        lock = self.filters.lock_of(build)
        return str(lock.place) if lock else ""

    def _candidate(
        self, offered: list[RpmPackage], here: list[RpmPackage], *, free: bool, arch: bool
    ) -> RpmPackage | None:
        """The one build that a request by name stands for (observed): the best source, the
        host's own architecture, the highest version, built last, not noarch, first by name."""
        found = [package for package in offered if self.packages.pool.visible(package)]
        if not self.configuration.ways.takes_patched_copies and not free:
            found = [package for package in found if not self.filters.is_patched_copy(package)]
        if not found and (free or not here):
            found = [package for package in offered if not self.filters.lock_of(package)]
        if here and not free and not self.any_vendor:
            found = [
                package for package in found if any(self.same_vendor(old, package) for old in here)
            ]
        if here and not arch:
            rank = self.configuration.archs.rank
            best_here = min(rank(old.arch) for old in here)
            same = {old.arch for old in here if rank(old.arch) == best_here}
            alike = [
                package
                for package in found
                if package.arch in same or "noarch" in (package.arch, *same)
            ]
            if not any(is_newer(package, old) for package in alike for old in here):
                better = [package for package in found if rank(package.arch) < best_here]
                alike = better or alike
            found = alike or (found if free else [])
        best = Policy(self.packages.pool).by_arch(by_priority(found))
        chosen: RpmPackage | None = None
        for package in best:
            if chosen is None or self._goes_before(package, chosen):
                chosen = package
        return chosen

    def _goes_before(self, one: RpmPackage, other: RpmPackage) -> bool:
        order = compare(one.version, other.version)
        if order:
            return order > 0
        if one.facts.built != other.facts.built:
            return one.facts.built > other.facts.built
        if (one.arch == "noarch") != (other.arch == "noarch"):
            return other.arch == "noarch"
        return one.id < other.id

    def _replaces(self, candidate: RpmPackage, here: list[RpmPackage], arch: bool) -> bool:
        """Whether a candidate is taken where some version is installed."""
        if arch and all(candidate.arch != old.arch for old in here):
            return True
        return all(is_newer(candidate, old) for old in here)

    def _locked_update(
        self, offered: list[RpmPackage], here: list[RpmPackage], free: bool
    ) -> RpmPackage | None:
        """The newer build that a lock keeps out, where nothing else newer is available."""

        def newer(one: RpmPackage) -> bool:
            return all(is_newer(one, old) for old in here)

        if any(self.packages.pool.visible(package) and newer(package) for package in offered):
            return None
        allowed = [
            package for package in offered
            if free or self.any_vendor or any(self.same_vendor(old, package) for old in here)
        ]  # fmt: skip
        return next(
            (
                package
                for package in by_priority(allowed)
                if self.filters.lock_of(package) and newer(package)
            ),
            None,
        )

    def _meant(self, request: Request) -> tuple[list[RpmPackage], str]:
        """Builds a request means, and whether as a name, a version or a capability."""
        if request.operator:
            found = named(self.packages.pool, request.name, request.arch)
            if request.operator == "=":
                fits = [
                    b for b in found if version_fits(request.version, b.version, any_epoch=False)
                ]
            else:
                fits = [
                    b for b in found if bound_fits(request.operator, request.version, b.version)
                ]
            if not fits:
                versions = dict.fromkeys(
                    package.version for package in found if not package.installed
                )
                asked = request.operator.lstrip("=") + request.version
                listed = tuple(versions)
                raise RequestRefused(NoVersion(name=request.name, version=asked, versions=listed))
            return fits, "version"
        if request.arch:
            found = named(self.packages.pool, request.name, request.arch)
            if not found:
                raise RequestRefused(Unknown(name=request.name))
            return found, "name"
        for name, version, arch in self.packages.spellings(request.name):
            found = named(self.packages.pool, name, arch)
            if version:
                found = [b for b in found if version_fits(version, b.version, any_epoch=False)]
            if found:
                return found, "version" if version else "name"
        if request.name.startswith("/") and not self._is_needed(request.name):
            raise RequestRefused(Unknown(name=request.name))
        found = self.packages.pool.offering(bound_of(request.name) or Capability(request.name))
        if not found:
            raise RequestRefused(Unknown(name=request.name))
        return found, "capability"

    def _is_needed(self, path: str) -> bool:
        """Whether some package states a need for just that path; others are not found."""
        return any(
            next(iter(origin.index.linked(kind, path)), None) is not None
            for origin in self.packages.pool.origins
            for kind in ("N", "R")
        )

    # -- the full upgrade ------------------------------------------------------------------

    def upgrade_work(self, *, realign: bool = False) -> RpmSolver:
        """The full upgrade, not yet worked out; `realign`: every installed package goes to
        the best source."""
        if realign:
            return self._realigned()
        targets: dict[int, list[RpmPackage]] = {}
        upgrade: list[RpmPackage] = []
        jobs: list[Job] = []
        staying: set[int] = set()
        for build in self.packages.pool.all_installed():
            if self.filters.lock_of(build):
                jobs.append(Job("", [build]))
                continue
            if self.is_outdone(build):
                continue
            found, of_itself = self.moves(build)
            if found:
                targets[build.id] = found
                upgrade.append(build)
            if not of_itself:
                staying.add(build.id)
        work = RpmSolver(self.packages.pool, self.solver_options, jobs, upgrade)
        work.rules.targets = targets
        work.staying = staying
        return work

    def _realigned(self) -> RpmSolver:
        """Every installed package goes to the best source; what no source has may be removed
        where it is in the way (observed)."""
        work = RpmSolver(self.packages.pool, self.solver_options, [])
        rules = work.rules
        rules.realign = True
        for build in self.packages.pool.all_installed():
            if self.filters.lock_of(build):
                work.jobs.append(Job("", [build]))
                rules.targets[build.id] = []
                continue
            rules.targets[build.id] = found = self._aligned(build)
            offered = [
                package
                for package in self.packages.pool.all_named(build.name)
                if not package.installed
            ]
            alike = {package.id for package in offered if self.packages.is_same(build, package)}
            rules.alike |= alike
            if found:
                work.upgrade.append(build)
            if not offered and not found:
                rules.may_go.add(build.id)
            elif not alike:
                rules.must_go.add(build.id)
        return work

    def upgrade_work_from(self, handle: str) -> RpmSolver:
        """The upgrade to one source: every installed package that it has, or has something in the
        place of, goes to it, back too; what it has may come from nowhere else, and the rest of the
        host moves as if that was asked for (observed)."""
        work = RpmSolver(self.packages.pool, self.solver_options, [])
        rules = work.rules
        names = {row.name for row in self._rows_of(handle)}
        rules.is_elsewhere = lambda build: build.name in names and build.origin.handle != handle
        for build in self.packages.pool.all_installed():
            if self.filters.lock_of(build):
                work.jobs.append(Job("", [build]))
                rules.targets[build.id] = []
                continue
            found = [other for other in self._aligned(build) if other.origin.handle == handle]
            if not found and build.name not in names:
                continue
            rules.targets[build.id] = found
            alike = {other.id for other in found if self.packages.is_same(build, other)}
            rules.alike |= alike
            if found:
                work.upgrade.append(build)
            if not alike:
                rules.must_go.add(build.id)
        return work

    def _rows_of(self, handle: str) -> Iterator[Row]:
        for origin in self.packages.pool.origins:
            if origin.handle == handle:
                yield from origin.index.all_rows()

    def _aligned(self, build: RpmPackage) -> list[RpmPackage]:
        """What an installed build may go to when all is realigned, as configured."""
        config = self.configuration.config
        found = [
            package for package in self.packages.pool.named(build.name) if not package.installed
        ]
        if config.switch("solver.dupAllowNameChange", True):
            found += [
                package
                for package in self.packages.pool.obsoleting(build)
                if package.name != build.name
            ]
        if not config.switch(
            "solver.dupAllowVendorChange", self.configuration.ways.realigns_across_vendors
        ):
            found = [package for package in found if self.same_vendor(build, package)]
        if not config.switch("solver.dupAllowDowngrade", True):
            found = [
                package for package in found
                if package.name != build.name or compare(package.version, build.version) >= 0
            ]  # fmt: skip
        return found
