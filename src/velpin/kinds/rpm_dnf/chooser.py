"""What the installer of an rpm-dnf host makes of requests and of the full upgrade.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.rpm.asked import bound_fits, bound_of, named, version_fits
from velpin.kinds.rpm.chooser import RpmChooser
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.pattern import Named, is_glob
from velpin.kinds.rpm.pool import is_newer, obsoletes
from velpin.kinds.rpm.reasons import Hidden
from velpin.kinds.rpm.relation import Capability
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm_dnf.config import (
    read_protected,
)
from velpin.kinds.rpm_dnf.weak import Unwanted
from velpin.model.reasons import NoVersion, Unknown
from velpin.ports.refused import RequestRefused

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm_dnf.configuration import DnfConfiguration
    from velpin.kinds.rpm_dnf.filters import DnfFilters
    from velpin.model.request import Request

COMMAND_FOLDERS = ("/usr/bin", "/usr/sbin")
"""Where a request's name is looked for as a command."""


class DnfChooser(RpmChooser):
    """How an rpm-dnf host decides."""

    configuration: DnfConfiguration
    filters: DnfFilters
    ties_matter = False

    @property
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""
        _, include = self.filters._excluded
        config = self.configuration.config
        return (
            bool(include), self.filters.hiding.chosen, self.best,
            config.switch("obsoletes", True), config.main.get("multilib_policy"),
        )  # fmt: skip

    @property
    def lenient(self) -> bool:
        """Whether what no source has is left out of a request."""
        return self._leaves_out("skip_unavailable")

    @property
    def leaves_out_broken(self) -> bool:
        """Whether what cannot be had though a source has it is left out of a request."""
        return self._leaves_out("skip_broken")

    def _leaves_out(self, key: str) -> bool:
        strict = self.configuration.config.switch("strict", True)
        return (
            self.configuration.config.switch(key, not strict)
            if self.configuration.ways.skips
            else not strict
        )

    @property
    def best(self) -> bool:
        """Whether only the best candidate will do."""
        return self.configuration.config.switch("best", self.configuration.ways.best)

    @cached_property
    def solver_options(self) -> SolverOptions:
        """How this host decides."""
        found = SolverOptions(
            trace=self.configuration.view.trace,
            weak=self.configuration.config.switch("install_weak_deps", True),
            best=self.best,
            new_first=self.configuration.ways.new_first,
            follows_arch=self.configuration.ways.follows_arch,
            downgrades_for_needs=not self.configuration.ways.may_refuse_to_go_back
            or self.configuration.config.switch("allow_downgrade", True),
            protects_from_replacing=self.configuration.ways.protects_from_replacing,
            multiple=self.configuration.config.multiple,
            replaced_by_all=True,
            not_weak=Unwanted(
                self.packages.pool,
                self.configuration.config.listed("exclude_from_weak"),
                self.configuration.config.switch("exclude_from_weak_autodetect", True),
            ),
            protected=read_protected(self.configuration.tree, self.configuration.config.main),
        )
        if not self.configuration.config.switch("allow_vendor_change", True):
            found.same_vendor = self._same_vendor
        return found

    def _same_vendor(self, one: RpmPackage, other: RpmPackage) -> bool:
        old, new = one.facts.vendor, other.facts.vendor
        return old == new or any(
            change.allows(old, new) for change in self.configuration.vendor_changes
        )

    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for; RequestRefused where it cannot be met."""
        found, how = self._meant(request)
        here = [package for package in found if package.installed and self._askable(package)]
        visible = [
            package
            for package in found
            if not package.installed and self.packages.pool.visible(package)
        ]
        if request.source:
            visible = self._from(request, visible)
            versions = {package.version for package in visible}
            here = [package for package in here if package.version in versions]
        if not visible and not here:
            raise (
                RequestRefused(Hidden(name=request.text))
                if found
                else RequestRefused(Unknown(name=request.name))
            )
        if how == "capability" and here and self.best:
            return [self._met(request, here, visible)]
        groups = self._groups(request, here + visible)
        jobs = []
        for group in groups:
            builds = group
            if how == "name" and self.configuration.config.switch("obsoletes", True):
                builds = self._widened(group)
            jobs.append(
                Job(
                    request.text,
                    builds,
                    weak=self.leaves_out_broken,
                    best=self.best,
                    fresh=self.best,
                    frees=self._freed(group) if how == "version" else (),
                )
            )
        return jobs

    def _freed(self, builds: Sequence[RpmPackage]) -> tuple[RpmPackage, ...]:
        """Installed builds that may go back where a version is asked for (observed, in the newer
        generation)."""
        names = (
            {package.name for package in builds}
            if self.configuration.ways.frees_asked_versions
            else set()
        )
        return tuple(old for name in sorted(names) for old in self.packages.pool.installed(name))

    def _met(self, request: Request, here: list[RpmPackage], visible: list[RpmPackage]) -> Job:
        """A capability that something installed has: nothing, unless the best source has a newer
        build of that name; then another name that is not here yet, else that one (observed)."""
        best = by_priority(visible)
        alike = [(old, new) for new in best for old in here if old.name == new.name]
        newer = [new for old, new in alike if is_newer(new, old)]
        if not newer or {old.name for old, _ in alike} - {new.name for new in newer}:
            return Job(request.text, here, weak=self.leaves_out_broken, idle=True)
        others = [package for package in best if not self.packages.pool.installed(package.name)]
        first = min((package.name for package in others), default=newer[0].name)
        builds = [package for package in best if package.name == first]
        return Job(request.text, builds, weak=self.leaves_out_broken, best=True, fresh=True)

    def _askable(self, build: RpmPackage) -> bool:
        """Whether a request can mean a build: the main file's filters hide installed ones too."""
        if not build.installed:
            return self.packages.pool.visible(build)
        exclude, include = self.filters._excluded
        named = Named(build.name, build.arch, build.version)
        return not exclude.mean(named) and (not include or include.mean(named))

    def _from(self, request: Request, builds: list[RpmPackage]) -> list[RpmPackage]:
        found = [package for package in builds if package.origin.handle == request.source]
        if not found:
            raise self.nothing_from(request)
        return found

    def _groups(self, request: Request, builds: list[RpmPackage]) -> list[list[RpmPackage]]:
        """Each name of a glob by itself; each architecture, where the host asks for all."""
        groups = [builds]
        if is_glob(request.name):
            names = dict.fromkeys(package.name for package in builds)
            groups = [[package for package in builds if package.name == name] for name in names]
        if self.configuration.config.main.get("multilib_policy", "best").strip().lower() == "all":
            by_arch = self.configuration.ways.groups_by_architecture
            each = _by_architecture if by_arch else _each_architecture
            groups = [part for group in groups for part in each(group)]
        return groups

    def _widened(self, builds: list[RpmPackage]) -> list[RpmPackage]:
        """With what obsoletes any of them, installed already or not; in the newer generation,
        of that alone which would be taken (observed)."""
        offered = [package for package in builds if not package.installed] or builds
        if self.configuration.ways.obsoletes_best_alone:
            offered = Policy(self.packages.pool).best(offered)
        names = {package.name for package in builds}
        more = {
            package.id: package
            for build in offered
            for package in (
                *self.packages.pool.obsoleting(build),
                *self.packages.pool.recorded(RpmLink.OBSOLETES, build.name),
            )
            if package.name not in names and obsoletes(package, build)
        }
        return [*builds, *more.values()]

    def _meant(self, request: Request) -> tuple[list[RpmPackage], str]:
        """Builds a request means, hidden ones too, and whether as a name, a version or a
        capability."""
        if request.operator:
            found = named(self.packages.pool, request.name, request.arch)
            if request.operator == "=":
                fits = [
                    b for b in found if version_fits(request.version, b.version, any_epoch=True)
                ]
            else:
                fits = [
                    b for b in found if bound_fits(request.operator, request.version, b.version)
                ]
            if found and not fits:
                versions = dict.fromkeys(
                    package.version for package in found if not package.installed
                )
                asked = request.operator.lstrip("=") + request.version
                listed = tuple(versions)
                raise RequestRefused(NoVersion(name=request.name, version=asked, versions=listed))
            return fits, "version"
        if request.arch:
            return named(self.packages.pool, request.name, request.arch), "name"
        for name, version, arch in self.packages.spellings(request.name):
            found = named(self.packages.pool, name, arch)
            if version:
                found = [b for b in found if version_fits(version, b.version, any_epoch=True)]
            if any(map(self._askable, found)):
                return found, "version" if version else "name"
        bound = bound_of(request.name) or Capability(request.name)
        found = self.packages.pool.offering(bound)
        for folder in COMMAND_FOLDERS if self.configuration.ways.commands else ():
            if not any(map(self._askable, found)) and "/" not in request.name:
                found = self.packages.pool.offering(Capability(f"{folder}/{request.name}")) or found
        if any(map(self._askable, found)):
            return found, "capability"
        hidden = named(self.packages.pool, request.name)
        return (hidden, "name") if hidden else (found, "capability")

    # -- the full upgrade ------------------------------------------------------------------

    def upgrade_work(self, *, realign: bool = False) -> RpmSolver:
        """The full upgrade, not yet worked out; it has no other. In the older generation nothing
        goes down in it, not even for what another needs (observed)."""
        targets: dict[int, list[RpmPackage]] = {}
        upgrade: list[RpmPackage] = []
        jobs: list[Job] = []
        staying: set[int] = set()
        for build in self.packages.pool.all_installed():
            if self.is_outdone(build):
                continue
            found, of_itself = self.moves(build)
            if found or not self.configuration.ways.upgrades_listed_alone:
                targets[build.id] = found
            if found:
                upgrade.append(build)
            if not of_itself:
                staying.add(build.id)
            if self.best:
                jobs.append(Job("", self._best_update(build, found, of_itself), fresh=True))
        work = RpmSolver(self.packages.pool, self.solver_options, jobs, upgrade)
        work.rules.targets = targets
        work.staying = staying
        return work

    def _best_update(
        self, build: RpmPackage, found: list[RpmPackage], of_itself: bool
    ) -> list[RpmPackage]:
        """What alone will do for an installed build in an upgrade that takes only the best.

        In the newer generation an installed one that something installed replaces stays, and
        what replaces it counts even where that would itself go back (observed).
        """
        if not of_itself:
            return [build]
        if self.configuration.ways.keeps_replaced:
            replacing = self.packages.pool.recorded(RpmLink.OBSOLETES, build.name)
            if any(obsoletes(other, build) for other in replacing if other.name != build.name):
                return [build]
            others = [
                package
                for package in self.packages.pool.obsoleting(build)
                if package.name != build.name and self.solver_options.same_vendor(build, package)
            ]
            found = list(dict.fromkeys([*found, *others]))
        return Policy(self.packages.pool).best(by_priority(found))

    def moves(self, build: RpmPackage) -> tuple[list[RpmPackage], bool]:
        """What an installed build may change to, and whether it does so of itself: where the
        best source of a name counts, lower versions count too (observed)."""
        if not self.configuration.ways.priority_over_all:
            return super().moves(build)
        found, _ = super().moves(build)
        options = self.solver_options
        lower = [
            package
            for package in self.packages.pool.named(build.name)
            if not package.installed
            and not is_newer(package, build)
            and options.same_vendor(build, package)
            and self.configuration.archs.may_follow(build.arch, package.arch)
        ]
        best = by_priority([*found, *lower])
        return found, any(self.is_change(build, package) for package in best)

    def is_change(self, build: RpmPackage, other: RpmPackage) -> bool:
        """Also to one of the same version that obsoletes its own name."""
        return super().is_change(build, other) or obsoletes(other, build)


def _by_architecture(builds: list[RpmPackage]) -> list[list[RpmPackage]]:
    """Those of each name and architecture by themselves."""
    parts: dict[tuple[str, str], list[RpmPackage]] = {}
    for package in builds:
        parts.setdefault((package.name, package.arch), []).append(package)
    return list(parts.values())


def _each_architecture(builds: list[RpmPackage]) -> list[list[RpmPackage]]:
    """Those of each name and architecture by themselves, where none of them is installed."""
    parts = _by_architecture(builds)
    new = [part for part in parts if not any(package.installed for package in part)]
    return new or [[package for package in builds if package.installed]]
