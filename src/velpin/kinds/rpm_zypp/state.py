"""One rpm-zypp host as read, and what its installer makes of requests.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Self

from velpin.errors import HostFileError
from velpin.kinds.rpm.asked import bound_fits, bound_of, named, spellings, version_fits
from velpin.kinds.rpm.logins import section_logins, shell_values
from velpin.kinds.rpm.namespaces import wanted_locales
from velpin.kinds.rpm.pattern import is_glob
from velpin.kinds.rpm.pool import RpmPackage, is_newer
from velpin.kinds.rpm.relation import Capability
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.kinds.rpm_zypp import KIND
from velpin.kinds.rpm_zypp.config import (
    SOURCES,
    ZyppConfig,
    base_product_version,
    read_config,
    read_variables,
)
from velpin.kinds.rpm_zypp.locks import FILE, Lock, Locks, read_locks
from velpin.model.installer import Installer
from velpin.model.reason import Fact, Note, Reason
from velpin.model.request import Request
from velpin.ports.refused import RequestRefused

if TYPE_CHECKING:
    from velpin.fetch.download import Login
    from velpin.kinds.rpm.rules.store import RuleLine
    from velpin.model.rule import Rule, RuleInForce

RETRACTED = "retracted-patch-package()"
"""What a package provides that was taken back after it was published."""
INSTALLER, NEWER_FROM = "libzypp", "17.38"
"""The package of the installer, and the version from which it decides in the newer way."""
NEWER_FILES = ("etc/zypp/zypp.conf.README", "usr/etc/zypp/zypp.conf", "usr/share/zypp/zypp.conf")
PATCHED_COPY = "ptf-package()"
"""What a package provides that is a patched copy of another."""
LOCALES = "var/lib/zypp/RequestedLocales"


class ZyppState(RpmState):
    """What is read of an rpm-zypp host."""

    kind = KIND
    lists_wanted = ("primary",)
    installed_first = False
    sources_folder = SOURCES
    ties_matter = True
    rule_keys = ("priority",)
    zero_counts = False
    lenient = False
    brings_splits = True

    # -- the installer ---------------------------------------------------------------------

    def recorded_installer(self) -> Installer:
        """The installer by the host's own record, else by files that only the newer generation
        brings (observed: docs/how-hosts-choose/rpm-zypp-newer.md, "Which hosts")."""
        found = self.recorded(INSTALLER)
        if found.version and compare(found.version, NEWER_FROM) >= 0:
            return found._replace(generation="newer", known_by="record")
        if any(self.tree.exists(file) for file in NEWER_FILES):
            return found._replace(generation="newer", known_by="files")
        if found.version:
            return found._replace(generation="older", known_by="record")
        return found

    # -- configuration ---------------------------------------------------------------------

    @cached_property
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""
        base = {"basearch": self.archs.base, "arch": self.archs.native}
        release = base_product_version(self.tree)
        if release:
            base["releasever"] = release
            major, _, minor = release.partition(".")
            base |= {"releasever_major": major, "releasever_minor": minor}
        return read_variables(self.tree, base)

    @cached_property
    def stated(self) -> frozenset[str]:  # type: ignore[override]
        """That the locales are wanted which were requested here."""
        data = self.tree.read(LOCALES) or b""
        lines = map(str.strip, data.decode("utf-8", "replace").splitlines())
        return wanted_locales(line for line in lines if line and not line.startswith("#"))

    @cached_property
    def config(self) -> ZyppConfig:
        """All that the configuration files say."""
        return read_config(self.tree, self.variables, newer=self.is_newer)

    @property
    def sources(self) -> list[RpmSource]:
        """Sources on, in the order of reading, then those switched off."""
        return self.config.sources

    @property
    def read_order(self) -> list[RpmSource]:
        """Sources that are on, in the order in which the installer loads their lists."""
        live = [source for source in self.sources if source.on]
        return sorted(live, key=lambda source: source.handle.encode("utf-8", "surrogateescape"))

    @property
    def settings_said(self) -> Mapping[str, str]:
        """What the settings of library and tool say."""
        return self.config.settings

    @property
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read."""
        return self.config.errors

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return self.config.skipped

    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of etc/sysconfig/proxy, where they are switched on."""
        found = shell_values(
            (self.tree.read("etc/sysconfig/proxy") or b"").decode("utf-8", "replace")
        )
        if found.get("PROXY_ENABLED", "no").lower() != "yes":
            return {}
        named = {"http": found.get("HTTP_PROXY", ""), "https": found.get("HTTPS_PROXY", "")}
        return {scheme: address for scheme, address in named.items() if address}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins that sections of private sources name."""
        return section_logins(self.sources)

    @property
    def config_notes(self) -> list[Note]:
        """What is odd in the configuration."""
        return self.config.notes

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        return self.config.errors[0] if self.config.errors else None

    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""
        name = source.handle.replace("/", "_").replace(":", "_")
        return [f"var/cache/zypp/raw/{folder}" for folder in dict.fromkeys((source.handle, name))]

    @cached_property
    def locks(self) -> list[Lock]:
        """What may neither come nor go."""
        if not self.config.switch("locksfile.apply", True):
            return []
        return read_locks(self.tree, self.block_files[0])

    @property
    def block_files(self) -> tuple[str, ...]:  # type: ignore[override]
        """The file of locks: the settings may name another (observed)."""
        return (self.config.settings.get("locksfile.path", "").strip().lstrip("/") or FILE,)

    def lock_of(self, build: RpmPackage) -> Lock | None:
        """The lock that means a build."""
        return self._lock(build.origin.handle, build.name, build.version)

    def _lock(self, handle: str, name: str, version: str) -> Lock | None:
        return self._locks.first(handle, name, version)

    @cached_property
    def _locks(self) -> Locks:
        return Locks(self.locks)

    def filters(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out."""
        return self._lock(source.handle, name, version) is not None

    @property
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""
        return bool(self.locks)

    @property
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""
        return tuple(self.config.vendors), self.any_vendor

    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """By the locks that only one of them has."""
        mine, others = ({lock.told: lock for lock in host.locks} for host in (self, other))
        unlike = [{**mine, **others}[told] for told in mine.keys() ^ others.keys()]
        return {name for lock in unlike for name in lock.names_among(self.all_names)}

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Those of every rpm host, and of builds that were taken back or patched for one
        customer."""
        odd = {
            row.name
            for _, index in self.opened
            for name in (RETRACTED, PATCHED_COPY)
            for row in index.providers(name)
        }
        return super().special_names | odd

    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""
        lock = self.lock_of(build)
        if lock:
            return Reason("is-locked", {"place": lock.place})
        return Reason("is-retracted", {}) if self._is_retracted(build) else None

    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change."""
        lock = self.lock_of(build)
        if lock is None:
            return None
        facts: dict[str, Fact] = {
            "name": build.name, "version": build.version, "place": lock.place
        }  # fmt: skip
        return Reason("locked-at", facts)

    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""
        return self.lock_of(build) is not None or self._is_retracted(build)

    def _is_retracted(self, build: RpmPackage) -> bool:
        """Whether its source took an offered build back: it only comes where it is asked for
        and nothing else of the name will do (observed)."""
        return (build.origin.handle, build.row.id) in self._retracted

    def _is_patched_copy(self, build: RpmPackage) -> bool:
        """Whether it is a copy patched for one customer, which no plain request takes in the
        newer generation (observed)."""
        return any(capability.name == PATCHED_COPY for capability in build.provides)

    @cached_property
    def _retracted(self) -> frozenset[tuple[str, int]]:
        return frozenset(
            (source.handle, row.id)
            for source, index in self.opened
            for row in index.providers(RETRACTED)
        )

    # -- vendors ---------------------------------------------------------------------------

    def same_vendor(self, one: RpmPackage, other: RpmPackage) -> bool:
        """Whether two builds are of one vendor, or of vendors that count as one."""
        return self._vendors(one.facts.vendor) == self._vendors(other.facts.vendor)

    def _vendors(self, vendor: str) -> str:
        """What stands for a vendor: its group's number, else its name, letter case ignored."""
        folded = vendor.strip().lower()
        for number, group in enumerate(self.config.vendors):
            if any(folded.startswith(vendor) for vendor in group):
                return f"\0{number}"
        return folded

    @property
    def any_vendor(self) -> bool:
        """Whether an installed package may change its vendor without being asked."""
        return self.config.switch("solver.allowVendorChange", False)

    @cached_property
    def solver_options(self) -> SolverOptions:
        """How this host decides."""
        config = self.config
        weak = not config.switch("solver.onlyRequires", False)
        told = config.settings.get("solver/installRecommends", "").strip()
        if told and self.is_newer:  # the tool's word goes before the library's (observed)
            weak = config.switch("solver/installRecommends", weak)
        elif told:
            weak = weak and config.switch("solver/installRecommends", True)
        focus = config.settings.get("solver.focus", "").strip().lower() == "update"
        found = SolverOptions(
            multilib=False,
            downgrades_for_needs=False,
            weak=weak,
            stay_first=self.is_newer,
            locked=lambda build: self.lock_of(build) is not None,
            multiple=frozenset(config.multiple),
            focus_update=focus,
            new_first=focus,
        )
        if not self.any_vendor:
            found.same_vendor = self.same_vendor
        return found

    # -- requests --------------------------------------------------------------------------

    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for; RequestRefused where it cannot be met."""
        found, how = self._meant(request)
        if how == "capability":
            builds = [
                package for package in found if package.installed or self.pool.visible(package)
            ]
            if request.source:
                builds = [
                    package for package in builds if package.origin.handle in (request.source, "")
                ]
            if not builds:
                raise RequestRefused("hidden" if found else "unknown", name=request.name)
            return [Job(request.text, builds)]
        names = dict.fromkeys(package.name for package in found) if is_glob(request.name) else [""]
        jobs = []
        for name in names:
            group = [package for package in found if name in ("", package.name)]
            jobs.append(self._job(request, group, how == "version"))
        return jobs

    def _job(self, request: Request, found: list[RpmPackage], exact: bool) -> Job:
        here = self.pool.installed(found[0].name)
        offered = [package for package in found if not package.installed]
        if request.source:
            offered = [package for package in offered if package.origin.handle == request.source]
            if not offered:
                raise self.nothing_from(request)
        free = exact or bool(request.source)
        candidate = self._candidate(offered, here, free=free, arch=bool(request.arch))
        if here and (candidate is None or not self._replaces(candidate, here, bool(request.arch))):
            locked = self._locked_update(offered, here, free)
            if locked is not None:
                raise RequestRefused(
                    "locked", name=locked.name, version=locked.version, place=self._place(locked)
                )
            return Job(request.text, here, meant=tuple(found), idle=True)
        if candidate is None:
            if offered:
                raise RequestRefused(
                    "locked", name=request.name, version="", place=self._place(offered[0])
                )
            raise RequestRefused("unknown", name=request.name)
        for package in here:
            if self.lock_of(package):
                raise RequestRefused(
                    "locked", name=package.name, version=package.version, place=self._place(package)
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
        for package in self.pool.all_named(candidate.name):
            if not package.installed and self.lock_of(package):
                raise RequestRefused(
                    "locked", name=package.name, version=package.version, place=self._place(package)
                )

    def _place(self, build: RpmPackage) -> str:
        lock = self.lock_of(build)
        return str(lock.place) if lock else ""

    def _candidate(
        self, offered: list[RpmPackage], here: list[RpmPackage], *, free: bool, arch: bool
    ) -> RpmPackage | None:
        """The one build that a request by name stands for (observed): the best source, the
        host's own architecture, the highest version, built last, not noarch, first by name."""
        found = [package for package in offered if self.pool.visible(package)]
        if self.is_newer and not free:
            found = [package for package in found if not self._is_patched_copy(package)]
        if not found and (free or not here):
            found = [package for package in offered if not self.lock_of(package)]
        if here and not free and not self.any_vendor:
            found = [
                package for package in found if any(self.same_vendor(old, package) for old in here)
            ]
        if here and not arch:
            rank = self.archs.rank
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
        best = Policy(self.pool).by_arch(by_priority(found))
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

        if any(self.pool.visible(package) and newer(package) for package in offered):
            return None
        allowed = [
            package for package in offered
            if free or self.any_vendor or any(self.same_vendor(old, package) for old in here)
        ]  # fmt: skip
        return next(
            (
                package
                for package in by_priority(allowed)
                if self.lock_of(package) and newer(package)
            ),
            None,
        )

    def _meant(self, request: Request) -> tuple[list[RpmPackage], str]:
        """Builds a request means, and whether as a name, a version or a capability."""
        if request.operator:
            found = named(self.pool, request.name, request.arch)
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
                raise RequestRefused(
                    "no-version", name=request.name, version=asked, versions=listed
                )
            return fits, "version"
        if request.arch:
            found = named(self.pool, request.name, request.arch)
            if not found:
                raise RequestRefused("unknown", name=request.name)
            return found, "name"
        for name, version, arch in self._spellings(request.name):
            found = named(self.pool, name, arch)
            if version:
                found = [b for b in found if version_fits(version, b.version, any_epoch=False)]
            if found:
                return found, "version" if version else "name"
        if request.name.startswith("/") and not self._is_needed(request.name):
            raise RequestRefused("unknown", name=request.name)
        found = self.pool.offering(bound_of(request.name) or Capability(request.name))
        if not found:
            raise RequestRefused("unknown", name=request.name)
        return found, "capability"

    def _spellings(self, text: str) -> Iterator[tuple[str, str, str]]:
        """As on the other layout, but a version of one part is tried before one of two."""
        found = list(spellings(text, self.archs.taken))
        yield from (variant for variant in found if not variant[1])
        yield from (variant for variant in found if variant[1] and "-" not in variant[1])
        yield from (variant for variant in found if "-" in variant[1])

    def _is_needed(self, path: str) -> bool:
        """Whether some package states a need for just that path; others are not found."""
        return any(
            next(iter(origin.index.linked(kind, path)), None) is not None
            for origin in self.pool.origins
            for kind in ("N", "R")
        )

    # -- rules ----------------------------------------------------------------------------

    @property
    def variables_folder(self) -> str:
        """The only one."""
        from velpin.kinds.rpm_zypp.config import VARIABLES

        return VARIABLES

    @property
    def section_files(self) -> list[str]:
        """Files of sections in which rules may stand."""
        return list(dict.fromkeys([*(source.file for source in self.sources)]))

    def check_rule(self, rule: Rule) -> None:
        """Refusal, with the nearest, where this kind of host cannot express a rule."""
        from velpin.kinds.rpm_zypp.rules import check

        check(self, rule)

    def pieces(self, rule: Rule) -> list[RuleLine]:
        """What a rule puts where, one about the order of sources aside."""
        from velpin.kinds.rpm_zypp.rules import pieces

        return pieces(self, rule)

    def common_rules(self) -> list[RuleInForce]:
        """Locks."""
        from velpin.kinds.rpm_zypp.lock_listing import rules_of_locks

        return rules_of_locks(self)

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
        for build in self.pool.all_installed():
            if self.lock_of(build):
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
        work = RpmSolver(self.pool, self.solver_options, jobs, upgrade)
        work.rules.targets = targets
        work.staying = staying
        return work

    def _realigned(self) -> RpmSolver:
        """Every installed package goes to the best source; what no source has may be removed
        where it is in the way (observed)."""
        work = RpmSolver(self.pool, self.solver_options, [])
        rules = work.rules
        rules.realign = True
        for build in self.pool.all_installed():
            if self.lock_of(build):
                work.jobs.append(Job("", [build]))
                rules.targets[build.id] = []
                continue
            rules.targets[build.id] = found = self._aligned(build)
            offered = [
                package for package in self.pool.all_named(build.name) if not package.installed
            ]
            alike = {package.id for package in offered if self.is_same(build, package)}
            rules.alike |= alike
            if found:
                work.upgrade.append(build)
            if not offered and not found:
                rules.may_go.add(build.id)
            elif not alike:
                rules.must_go.add(build.id)
        return work

    def _aligned(self, build: RpmPackage) -> list[RpmPackage]:
        """What an installed build may go to when all is realigned, as configured."""
        config = self.config
        found = [package for package in self.pool.named(build.name) if not package.installed]
        if config.switch("solver.dupAllowNameChange", True):
            found += [
                package for package in self.pool.obsoleting(build) if package.name != build.name
            ]
        if not config.switch("solver.dupAllowVendorChange", not self.is_newer):
            found = [package for package in found if self.same_vendor(build, package)]
        if not config.switch("solver.dupAllowDowngrade", True):
            found = [
                package for package in found
                if package.name != build.name or compare(package.version, build.version) >= 0
            ]  # fmt: skip
        return found
