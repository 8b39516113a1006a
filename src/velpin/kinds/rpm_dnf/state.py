"""One rpm-dnf host as read, and what its installer makes of requests."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Self

from velpin.errors import HostFileError
from velpin.kinds.rpm.asked import bound_fits, bound_of, named, spellings, version_fits
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.ini import IniSection, words
from velpin.kinds.rpm.logins import section_certificates, section_logins
from velpin.kinds.rpm.pattern import Named, Patterns, is_glob
from velpin.kinds.rpm.pool import RpmPackage, is_newer, obsoletes
from velpin.kinds.rpm.relation import Capability
from velpin.kinds.rpm.solve.options import SolverOptions
from velpin.kinds.rpm.solve.policy import Policy, by_priority
from velpin.kinds.rpm.solve.solver import Job, RpmSolver
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.variables import substituted
from velpin.kinds.rpm_dnf import KIND, own_locks
from velpin.kinds.rpm_dnf.config import (
    DnfConfig,
    is_yum_host,
    listed,
    main_file,
    read_config,
    read_protected,
    read_variables,
)
from velpin.kinds.rpm_dnf.generation import NEWER, OLDER, DnfGeneration
from velpin.kinds.rpm_dnf.locks import VersionLock, VersionLocks, list_file, read_version_locks
from velpin.kinds.rpm_dnf.modules import Hiding, read_modules, read_states
from velpin.kinds.rpm_dnf.vendors import VendorChange, read_vendor_changes
from velpin.kinds.rpm_dnf.weak import Unwanted
from velpin.model.installer import Installer
from velpin.model.reason import Fact, Note, Place, Reason
from velpin.model.request import Request
from velpin.ports.refused import RequestRefused

if TYPE_CHECKING:
    from velpin.fetch.download import Certificates, Login
    from velpin.kinds.rpm.rules.store import RuleLine
    from velpin.model.rule import Rule, RuleInForce


NEWER_PACKAGES, OLDER_PACKAGES = ("dnf5", "libdnf5"), ("dnf", "python3-dnf", "yum")
"""Packages of the installer of each generation, of which the first that is installed tells."""
COMMAND_FOLDERS = ("/usr/bin", "/usr/sbin")
"""Where a request's name is looked for as a command."""
COMMAND, NEWER_PROGRAM = "usr/bin/dnf", "usr/bin/dnf5"


class DnfState(RpmState):
    """What is read of an rpm-dnf host."""

    kind = KIND
    lists_wanted = ("primary", "filelists", "modules")
    installed_first = True
    sources_folder = OLDER.folders[0]
    ties_matter = False
    rule_keys = ("priority", "includepkgs", "excludepkgs", "exclude")

    @cached_property
    def lock_file(self) -> str:
        """The list of locked versions; empty where this host has none in force."""
        return own_locks.FILE if self.ways.own_locks else list_file(self.tree)

    @property
    def block_files(self) -> tuple[str, ...]:  # type: ignore[override]
        """Files of blocks that are rules."""
        return (self.lock_file,) if self.lock_file else ()

    @property
    def block_preamble(self) -> bytes:
        """What a new file of such blocks begins with."""
        return own_locks.PREAMBLE if self.ways.own_locks else b""

    @property
    def line_files(self) -> list[str]:
        """Files of lines that are rules."""
        return list(dict.fromkeys(lock.place.file for lock in self.version_locks.lines))

    # -- the installer ---------------------------------------------------------------------

    def recorded_installer(self) -> Installer:
        """The installer by the host's own record; where both generations are there, the one that
        its command leads to (docs/how-hosts-choose/rpm-dnf-newer.md, "Which hosts")."""
        found = self.recorded(*NEWER_PACKAGES)
        if found.version and not self._leads_to_older():
            return found._replace(generation="newer", known_by="record")
        if not found.version and self.tree.exists(NEWER_PROGRAM):
            return found._replace(generation="newer", known_by="files")
        found = self.recorded(*OLDER_PACKAGES)
        if found.version:
            return found._replace(generation="older", known_by="record")
        return found

    def _leads_to_older(self) -> bool:
        """Whether the installer's command is that of the older generation though both are there."""
        if not self.recorded(*OLDER_PACKAGES).version:
            return False
        return self.tree.resolved(COMMAND) not in (COMMAND, NEWER_PROGRAM)

    @property
    def ways(self) -> DnfGeneration:
        """What is so in this generation."""
        return NEWER if self.is_newer else OLDER

    # -- configuration ---------------------------------------------------------------------

    @cached_property
    def variables(self) -> Mapping[str, str]:
        """Variables of source files."""
        base = {"basearch": self.archs.base, "arch": self.archs.native}
        release = self._release_version()
        if release:
            base["releasever"] = release
        return read_variables(self.tree, base, self.ways.variables)

    def _release_version(self) -> str:
        """The version that an installed package states for the system's release."""
        if self.record is None:
            return ""
        for name in ("system-release(releasever)", "system-release", "redhat-release"):
            for row in self.record.providers(name):
                from velpin.kinds.rpm.entry import read_facts
                from velpin.kinds.rpm.version import parse

                for capability in read_facts(self.record.text(row)).provides:
                    if capability.name == name:
                        return (
                            parse(capability.version).version
                            if capability.version
                            else parse(row.version).version
                        )
        return ""

    @cached_property
    def config(self) -> DnfConfig:
        """All that the configuration files say."""
        return read_config(self.tree, self.variables, self.ways)

    @property
    def sources(self) -> list[RpmSource]:
        """Sources on, in the order of reading, then those switched off."""
        return self.config.sources

    @property
    def read_order(self) -> list[RpmSource]:
        """Sources that are on, in the order in which the installer loads their lists."""
        live = [source for source in self.sources if source.on]
        live.sort(key=lambda source: (source.priority, source.cost))
        if self.ways.ties_by_name:
            live.sort(key=lambda source: source.handle.encode("utf-8", "surrogateescape"))
        return live

    @property
    def settings_said(self) -> Mapping[str, str]:
        """What the main section says."""
        return {value.key: value.text for value in self.config.main.values}

    @property
    def config_errors(self) -> list[HostFileError]:
        """Files of the configuration that cannot be read."""
        return self.config.errors

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return self.config.skipped

    def fetch_proxies(self) -> Mapping[str, str]:
        """The proxy of the main file, for both schemes."""
        proxy = self.config.main.get("proxy").strip()
        return {"http": proxy, "https": proxy} if proxy and proxy != "_none_" else {}

    def fetch_logins(self) -> Sequence[Login]:
        """Logins that sections of private sources name."""
        return section_logins(self.sources)

    def fetch_certificates(self) -> Sequence[Certificates]:
        """Certificates that sections, or the main one for all, name."""
        return section_certificates(self.tree, self.sources, self.config.main)

    def index_notes(self) -> Iterator[Reason]:
        """What to know of a forecast: also whether the installer's own rules are known."""
        yield from super().index_notes()
        if is_yum_host(self.tree):
            yield Reason("older-generation", {"file": main_file(self.tree)})

    @property
    def config_notes(self) -> list[Note]:
        """What is odd in the configuration."""
        return self.config.notes

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        _ = self.version_locks, self.vendor_changes
        if self.config.errors:
            return self.config.errors[0]
        for source in self.read_order:
            if source.optional or self.copies[source.handle].files:
                continue
            failed = self.cache.failure(source.address, source.release)
            if failed:
                what = failed.message
                return Reason("source-unreachable", {"source": source.handle, "what": what})
        try:
            unmet = self.hiding.unmet if self.is_newer else []
        except HostFileError as problem:
            return problem
        for module, stream in unmet:
            return Reason("module-unmet", {"module": module, "stream": stream})
        return None

    def copy_folders(self, source: RpmSource) -> list[str]:
        """Where the installer may keep its copy of a source."""
        cache = self.ways.copies
        if not self.tree.exists(cache):
            return []
        import hashlib

        key = source.mirrors or (source.urls[0] if source.urls else source.handle)
        if self.ways is NEWER and not source.mirrors and source.urls:
            written = words(source.section.get("baseurl"))[0]
            key = substituted(written, self.variables, defaults=True)
        mark = hashlib.sha256(key.encode("utf-8", "surrogateescape")).hexdigest()[:16]
        return [f"{cache}/{source.handle}-{mark}"]

    # -- lists of files --------------------------------------------------------------------

    paths_asked = False
    """Whether some request is for a path."""

    @property
    def reads_files(self) -> bool:
        """Whether the installer reads the full lists of files (observed: in the newer generation
        only where a request is for a path, or the settings want them)."""
        wanted = self.config.main.get("optional_metadata_types")
        return not self.ways.files_when_asked or self.paths_asked or "filelists" in words(wanted)

    def for_requests(self, requests: Sequence[Request]) -> Self:
        """The host as it is read for some requests."""
        paths = any(request.name.startswith(("/", "*/")) for request in requests)
        if not paths or self.reads_files:
            return self
        found = self.with_edits({})
        found.paths_asked = True
        return found

    # -- what takes part -------------------------------------------------------------------

    @cached_property
    def _excluded(self) -> tuple[Patterns, Patterns]:
        main = self.config
        return Patterns(main.listed("exclude", "excludepkgs")), Patterns(main.listed("includepkgs"))

    @cached_property
    def _excluded_in(self) -> dict[str, tuple[Patterns, Patterns]]:
        return {s.handle: (Patterns(s.excludes), Patterns(s.includes)) for s in self.sources}

    @cached_property
    def version_locks(self) -> VersionLocks | own_locks.OwnLocks:
        """The list of locked versions."""
        if not self.ways.own_locks:
            return VersionLocks(read_version_locks(self.tree))
        try:
            return own_locks.OwnLocks(own_locks.read_own_locks(self.tree))
        except HostFileError as problem:
            self.config.errors.append(problem)
            return own_locks.OwnLocks(())

    @cached_property
    def vendor_changes(self) -> list[VendorChange]:
        """From which vendors to which a package may go, where that is not free."""
        if not self.is_newer:
            return []
        try:
            return read_vendor_changes(self.tree)
        except HostFileError as problem:
            self.config.errors.append(problem)
            return []

    def _same_vendor(self, one: RpmPackage, other: RpmPackage) -> bool:
        old, new = one.facts.vendor, other.facts.vendor
        return old == new or any(change.allows(old, new) for change in self.vendor_changes)

    @cached_property
    def hiding(self) -> Hiding:
        """Which builds the modules hide."""
        paths = []
        for source in self.read_order:
            path = self.copies[source.handle].files.get("modules")
            if path:
                paths.append((f"{source.handle}: {path.name}", path))
        modules = read_modules(paths, read_states(self.tree, newer=self.is_newer))
        return Hiding(modules, self.release.get("PLATFORM_ID", "").partition(":")[2])

    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""
        if self.pool.visible(build):
            return None
        own = self.by_handle.get(build.origin.handle)
        exclude, include = self._excluded
        own_exclude, own_include = self._excluded_in[build.origin.handle]
        mains = [(exclude, section, file) for file, section in self.config.parts]
        here = [(own_exclude, own.section, own.file)] if own else []
        for patterns, section, file in (*mains, *here):
            pattern = patterns.which(Named(build.name, build.arch, build.version))
            if pattern and pattern in listed(section, "exclude", "excludepkgs"):
                return Reason(
                    "is-excluded", {"pattern": pattern, "place": _place(section, file, pattern)}
                )
        lock = self.version_locks.which(self.pool, build)
        if lock is not None:
            return Reason("is-excluded", {"pattern": lock.pattern, "place": lock.place})
        if self.excluded(build):
            told = (*include.texts, *own_include.texts)[:4]
            return Reason("not-included", {"patterns": told, "source": build.origin.handle})
        stream = self.hiding.hides(build)
        if stream is None:
            return None
        chosen = self.hiding.active.get(stream.module)
        active = chosen.name if chosen else ""
        facts: dict[str, Fact] = {"module": stream.module, "stream": stream.name, "active": active}
        code = "module-off" if not active else "module-other"
        return Reason("module-plain" if active == stream.name else code, facts)

    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change; nothing here keeps one."""
        return None

    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""
        if self.excluded(build):
            return True
        if self.version_locks and self.version_locks.hide_replacing(self.pool, build):
            return True
        return bool(self.hiding) and self.hiding.hides(build) is not None

    def excluded(self, build: RpmPackage) -> bool:
        """Whether excludes and includes keep an offered build out."""
        return self._excludes(build.origin.handle, build.name, build.arch, build.version)

    def filters(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out, modules aside."""
        return self._excludes(source.handle, name, arch, version)

    def _excludes(self, handle: str, name: str, arch: str, version: str) -> bool:
        exclude, include = self._excluded
        own_exclude, own_include = self._excluded_in[handle]
        build = Named(name, arch, version)
        if exclude.mean(build) or own_exclude.mean(build) or self.version_locks.hide(build):
            return True
        if include or own_include:
            return not (include.mean(build) or own_include.mean(build))
        return False

    @property
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""
        pairs = (self._excluded, *self._excluded_in.values())
        return bool(self.version_locks) or any(exclude or include for exclude, include in pairs)

    @property
    def common_settings(self) -> tuple[object, ...]:
        """All beside the sources that decides what a name gets, whatever it is called."""
        _, include = self._excluded
        return (
            bool(include), self.hiding.chosen, self.best,
            self.config.switch("obsoletes", True), self.config.main.get("multilib_policy"),
        )  # fmt: skip

    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """By the patterns of excludes, includes and version locks that only one of them has."""
        unlike = {told[0] for told in self.version_locks.told ^ other.version_locks.told}
        for handle, pair in self._filters.items():
            others = other._filters.get(handle, pair)
            for one, two in zip(pair, others, strict=True):
                unlike |= set(one.texts) ^ set(two.texts)
        return Patterns(sorted(unlike)).names_among(self.all_names) if unlike else ()

    @property
    def _filters(self) -> dict[str, tuple[Patterns, Patterns]]:
        """Excludes and includes of each source, and of all."""
        return {**self._excluded_in, "": self._excluded}

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Those of every rpm host, and of packages that replace what a version lock speaks of."""
        found = super().special_names
        locks = self.version_locks
        if not locks:
            return found
        return found | {
            owner
            for _, index in self.opened
            for name, owners in index.link_table(RpmLink.OBSOLETES).items()
            if locks.speak_of(name)
            for owner, _ in owners
        }

    @property
    def module_names(self) -> frozenset[str]:
        """Names that modules mention, and of packages that provide such a name."""
        names = self.hiding.names
        providers = {
            row.name for name in names for _, index in self.opened for row in index.providers(name)
        }
        return names | providers

    # -- how it decides --------------------------------------------------------------------

    @property
    def lenient(self) -> bool:
        """Whether what no source has is left out of a request."""
        return self._leaves_out("skip_unavailable")

    @property
    def leaves_out_broken(self) -> bool:
        """Whether what cannot be had though a source has it is left out of a request."""
        return self._leaves_out("skip_broken")

    def _leaves_out(self, key: str) -> bool:
        strict = self.config.switch("strict", True)
        return self.config.switch(key, not strict) if self.ways.skips else not strict

    @property
    def best(self) -> bool:
        """Whether only the best candidate will do."""
        return self.config.switch("best", self.ways.best)

    @cached_property
    def solver_options(self) -> SolverOptions:
        """How this host decides."""
        found = SolverOptions(
            weak=self.config.switch("install_weak_deps", True),
            best=self.best,
            new_first=self.ways.new_first,
            follows_arch=self.is_newer,
            downgrades_for_needs=not self.is_newer or self.config.switch("allow_downgrade", True),
            protects_from_replacing=not self.is_newer,
            multiple=self.config.multiple,
            replaced_by_all=True,
            not_weak=Unwanted(
                self.pool,
                self.config.listed("exclude_from_weak"),
                self.config.switch("exclude_from_weak_autodetect", True),
            ),
            protected=read_protected(self.tree, self.config.main),
        )
        if not self.config.switch("allow_vendor_change", True):
            found.same_vendor = self._same_vendor
        return found

    def jobs(self, request: Request) -> list[Job]:
        """What a request asks for; RequestRefused where it cannot be met."""
        found, how = self._meant(request)
        here = [package for package in found if package.installed and self._askable(package)]
        visible = [
            package for package in found if not package.installed and self.pool.visible(package)
        ]
        if request.source:
            visible = self._from(request, visible)
            versions = {package.version for package in visible}
            here = [package for package in here if package.version in versions]
        if not visible and not here:
            raise (
                RequestRefused("hidden", name=request.text)
                if found
                else RequestRefused("unknown", name=request.name)
            )
        if how == "capability" and here and self.best:
            return [self._met(request, here, visible)]
        groups = self._groups(request, here + visible)
        jobs = []
        for group in groups:
            builds = group
            if how == "name" and self.config.switch("obsoletes", True):
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
        names = {package.name for package in builds} if self.is_newer else set()
        return tuple(old for name in sorted(names) for old in self.pool.installed(name))

    def _met(self, request: Request, here: list[RpmPackage], visible: list[RpmPackage]) -> Job:
        """A capability that something installed has: nothing, unless the best source has a newer
        build of that name; then another name that is not here yet, else that one (observed)."""
        best = by_priority(visible)
        alike = [(old, new) for new in best for old in here if old.name == new.name]
        newer = [new for old, new in alike if is_newer(new, old)]
        if not newer or {old.name for old, _ in alike} - {new.name for new in newer}:
            return Job(request.text, here, weak=self.leaves_out_broken, idle=True)
        others = [package for package in best if not self.pool.installed(package.name)]
        first = min((package.name for package in others), default=newer[0].name)
        builds = [package for package in best if package.name == first]
        return Job(request.text, builds, weak=self.leaves_out_broken, best=True, fresh=True)

    def _askable(self, build: RpmPackage) -> bool:
        """Whether a request can mean a build: the main file's filters hide installed ones too."""
        if not build.installed:
            return self.pool.visible(build)
        exclude, include = self._excluded
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
        if self.config.main.get("multilib_policy", "best").strip().lower() == "all":
            each = _each_architecture if not self.is_newer else _by_architecture
            groups = [part for group in groups for part in each(group)]
        return groups

    def _widened(self, builds: list[RpmPackage]) -> list[RpmPackage]:
        """With what obsoletes any of them, installed already or not; in the newer generation,
        of that alone which would be taken (observed)."""
        offered = [package for package in builds if not package.installed] or builds
        if self.is_newer:
            offered = Policy(self.pool).best(offered)
        names = {package.name for package in builds}
        more = {
            package.id: package
            for build in offered
            for package in (
                *self.pool.obsoleting(build),
                *self.pool.recorded(RpmLink.OBSOLETES, build.name),
            )
            if package.name not in names and obsoletes(package, build)
        }
        return [*builds, *more.values()]

    def _meant(self, request: Request) -> tuple[list[RpmPackage], str]:
        """Builds a request means, hidden ones too, and whether as a name, a version or a
        capability."""
        if request.operator:
            found = named(self.pool, request.name, request.arch)
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
                raise RequestRefused(
                    "no-version", name=request.name, version=asked, versions=listed
                )
            return fits, "version"
        if request.arch:
            return named(self.pool, request.name, request.arch), "name"
        for name, version, arch in spellings(request.name, self.archs.taken):
            found = named(self.pool, name, arch)
            if version:
                found = [b for b in found if version_fits(version, b.version, any_epoch=True)]
            if any(map(self._askable, found)):
                return found, "version" if version else "name"
        bound = bound_of(request.name) or Capability(request.name)
        found = self.pool.offering(bound)
        for folder in COMMAND_FOLDERS if self.ways.commands else ():
            if not any(map(self._askable, found)) and "/" not in request.name:
                found = self.pool.offering(Capability(f"{folder}/{request.name}")) or found
        if any(map(self._askable, found)):
            return found, "capability"
        hidden = named(self.pool, request.name)
        return (hidden, "name") if hidden else (found, "capability")

    # -- rules ----------------------------------------------------------------------------

    @property
    def variables_folder(self) -> str:
        """The last one read."""
        return self.ways.variables[-1]

    @property
    def section_files(self) -> list[str]:
        """Files of sections in which rules may stand."""
        return list(
            dict.fromkeys(
                [
                    main_file(self.tree),
                    *(source.file for source in self.sources),
                    *(file for source in self.sources for _, file in source.elsewhere),
                ]
            )
        )

    def check_rule(self, rule: Rule) -> None:
        """Refusal, with the nearest, where this kind of host cannot express a rule."""
        from velpin.kinds.rpm_dnf.rules import check

        check(self, rule)

    def pieces(self, rule: Rule) -> list[RuleLine]:
        """What a rule puts where, one about the order of sources aside."""
        from velpin.kinds.rpm_dnf.rules import pieces

        return pieces(self, rule)

    def common_rules(self) -> list[RuleInForce]:
        """Rules of the main file."""
        from velpin.kinds.rpm.rules.listing import list_rule

        main = self.config.main
        codes = {"includepkgs": "says-only", "excludepkgs": "says-bar", "exclude": "says-bar"}
        found = [
            list_rule(self, main, main_file(self.tree), key, code, None)
            for key, code in codes.items()
            if key in main
        ]
        return found + [self._told_lock(lock) for lock in self.version_locks.lines]

    def _told_lock(self, lock: VersionLock | own_locks.OwnLock) -> RuleInForce:
        from velpin.model.rule import RuleInForce

        offers = sum(
            lock.allows(Named(row.name, row.arch, row.version))
            for _, index in self.opened
            for row in index.all_rows()
        )
        here = {
            package.name for package in self.pool.all_installed() if lock.speaks_of(package.name)
        }
        code = "says-never" if lock.never else "says-only-version"
        dead = None if offers or here else Reason("rule-not-there", {"names": lock.pattern})
        facts: dict[str, Fact] = {"names": lock.pattern}
        return RuleInForce(
            lock.place, Reason(code, facts), None, 0, offers, tuple(sorted(here)), dead
        )

    # -- the full upgrade ------------------------------------------------------------------

    def upgrade_work(self, *, realign: bool = False) -> RpmSolver:
        """The full upgrade, not yet worked out; it has no other. In the older generation nothing
        goes down in it, not even for what another needs (observed)."""
        targets: dict[int, list[RpmPackage]] = {}
        upgrade: list[RpmPackage] = []
        jobs: list[Job] = []
        staying: set[int] = set()
        for build in self.pool.all_installed():
            if self.is_outdone(build):
                continue
            found, of_itself = self.moves(build)
            if found or not self.is_newer:
                targets[build.id] = found
            if found:
                upgrade.append(build)
            if not of_itself:
                staying.add(build.id)
            if self.best:
                jobs.append(Job("", self._best_update(build, found, of_itself), fresh=True))
        work = RpmSolver(self.pool, self.solver_options, jobs, upgrade)
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
        if self.is_newer:
            replacing = self.pool.recorded(RpmLink.OBSOLETES, build.name)
            if any(obsoletes(other, build) for other in replacing if other.name != build.name):
                return [build]
            others = [
                package
                for package in self.pool.obsoleting(build)
                if package.name != build.name and self.solver_options.same_vendor(build, package)
            ]
            found = list(dict.fromkeys([*found, *others]))
        return Policy(self.pool).best(by_priority(found))

    def moves(self, build: RpmPackage) -> tuple[list[RpmPackage], bool]:
        """What an installed build may change to, and whether it does so of itself: where the
        best source of a name counts, lower versions count too (observed)."""
        if not self.ways.priority_over_all:
            return super().moves(build)
        found, _ = super().moves(build)
        options = self.solver_options
        lower = [
            package
            for package in self.pool.named(build.name)
            if not package.installed
            and not is_newer(package, build)
            and options.same_vendor(build, package)
            and self.archs.may_follow(build.arch, package.arch)
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


def _place(section: IniSection, file: str, pattern: str) -> Place:
    """Where a pattern stands."""
    for value in section.values:
        if value.key in ("exclude", "excludepkgs") and pattern in words(value.text):
            return Place(value.file or file, value.line)
    return Place(file, 0)
