"""What keeps packages of an rpm-dnf host out: excludes, version locks, modules."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import TYPE_CHECKING, Self

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.filters import RpmFilters
from velpin.kinds.rpm.ini import words
from velpin.kinds.rpm.pattern import Named, Patterns
from velpin.kinds.rpm.reasons import (
    HiddenByModule,
    IsExcluded,
    ModuleOff,
    ModuleOther,
    ModulePlain,
    NotIncluded,
)
from velpin.kinds.rpm_dnf.config import (
    listed,
)
from velpin.kinds.rpm_dnf.modules import Hiding, read_modules, read_states
from velpin.model.reason import Place, Reason

if TYPE_CHECKING:
    from velpin.kinds.rpm.ini import IniSection
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm_dnf.configuration import DnfConfiguration


class DnfFilters(RpmFilters):
    """Excludes and includes, version locks, and modules."""

    configuration: DnfConfiguration

    @cached_property
    def _excluded(self) -> tuple[Patterns, Patterns]:
        main = self.configuration.config
        return Patterns(main.listed("exclude", "excludepkgs")), Patterns(main.listed("includepkgs"))

    @cached_property
    def _excluded_in(self) -> dict[str, tuple[Patterns, Patterns]]:
        return {
            s.handle: (Patterns(s.excludes), Patterns(s.includes))
            for s in self.configuration.sources
        }

    @cached_property
    def hiding(self) -> Hiding:
        """Which builds the modules hide."""
        paths = []
        for source in self.configuration.read_order:
            path = self.indexes.copies[source.handle].files.get("modules")
            if path:
                paths.append((f"{source.handle}: {path.name}", path))
        configuration, own_file = self.configuration, self.configuration.ways.own_files
        archs = configuration.archs.taken if own_file else (*configuration.archs.taken, "")
        modules = read_modules(paths, read_states(configuration.tree, own_file=own_file), archs)
        return Hiding(modules, self.configuration.release.get("PLATFORM_ID", "").partition(":")[2])

    def why_hidden(self, build: RpmPackage) -> Reason | None:
        """Why an offered build takes no part, None where it does."""
        if self.pool.visible(build):
            return None
        own = self.configuration.by_handle.get(build.origin.handle)
        exclude, include = self._excluded
        own_exclude, own_include = self._excluded_in[build.origin.handle]
        mains = [(exclude, section, file) for file, section in self.configuration.config.parts]
        here = [(own_exclude, own.section, own.file)] if own else []
        for patterns, section, file in (*mains, *here):
            pattern = patterns.which(Named(build.name, build.arch, build.version))
            if pattern and pattern in listed(section, "exclude", "excludepkgs"):
                return IsExcluded(pattern=pattern, place=_place(section, file, pattern))
        lock = self.configuration.version_locks.which(self.pool, build)
        if lock is not None:
            return IsExcluded(pattern=lock.pattern, place=lock.place)
        if self.excluded(build):
            told = (*include.texts, *own_include.texts)[:4]
            return NotIncluded(patterns=told, source=build.origin.handle)
        stream = self.hiding.hides(build)
        if stream is None:
            return None
        chosen = self.hiding.active.get(stream.module)
        active = chosen.name if chosen else ""
        kind: type[HiddenByModule] = ModuleOff if not active else ModuleOther
        if active == stream.name:
            kind = ModulePlain
        return kind(module=stream.module, stream=stream.name, active=active)

    def why_locked(self, build: RpmPackage) -> Reason | None:
        """Why an installed build may not change; nothing here keeps one."""
        return None

    def hides(self, build: RpmPackage) -> bool:
        """Whether the configuration keeps an offered build out of everything."""
        if self.excluded(build):
            return True
        if self.configuration.version_locks and self.configuration.version_locks.hide_replacing(
            self.pool, build
        ):
            return True
        return bool(self.hiding) and self.hiding.hides(build) is not None

    def excluded(self, build: RpmPackage) -> bool:
        """Whether excludes and includes keep an offered build out."""
        return self._excludes(build.origin.handle, build.name, build.arch, build.version)

    def keeps_out(self, source: RpmSource, name: str, arch: str, version: str) -> bool:
        """Whether a package of a source is kept out, modules aside."""
        return self._excludes(source.handle, name, arch, version)

    def _excludes(self, handle: str, name: str, arch: str, version: str) -> bool:
        exclude, include = self._excluded
        own_exclude, own_include = self._excluded_in[handle]
        build = Named(name, arch, version)
        if (
            exclude.mean(build)
            or own_exclude.mean(build)
            or self.configuration.version_locks.hide(build)
        ):
            return True
        if include or own_include:
            return not (include.mean(build) or own_include.mean(build))
        return False

    @property
    def has_filters(self) -> bool:
        """Whether anything keeps single packages out."""
        pairs = (self._excluded, *self._excluded_in.values())
        return bool(self.configuration.version_locks) or any(
            exclude or include for exclude, include in pairs
        )

    def filtered_unlike(self, other: Self) -> Iterable[str]:
        """By the patterns of excludes, includes and version locks that only one of them has."""
        unlike = {
            told[0]
            for told in self.configuration.version_locks.told
            ^ other.configuration.version_locks.told
        }
        for handle, pair in self._filters.items():
            others = other._filters.get(handle, pair)
            for one, two in zip(pair, others, strict=True):
                unlike |= set(one.texts) ^ set(two.texts)
        return Patterns(sorted(unlike)).names_among(self.indexes.all_names) if unlike else ()

    @property
    def _filters(self) -> dict[str, tuple[Patterns, Patterns]]:
        """Excludes and includes of each source, and of all."""
        return {**self._excluded_in, "": self._excluded}

    @cached_property
    def special_names(self) -> frozenset[str]:
        """Those of every rpm host, and of packages that replace what a version lock speaks of."""
        found = super().special_names
        locks = self.configuration.version_locks
        if not locks:
            return found
        return found | {
            owner
            for _, index in self.indexes.opened
            for name, owners in index.link_table(RpmLink.OBSOLETES).items()
            if locks.speak_of(name)
            for owner, _ in owners
        }

    @property
    def module_names(self) -> frozenset[str]:
        """Names that modules mention, and of packages that provide such a name."""
        names = self.hiding.names
        providers = {
            row.name
            for name in names
            for _, index in self.indexes.opened
            for row in index.providers(name)
        }
        return names | providers


def _place(section: IniSection, file: str, pattern: str) -> Place:
    """Where a pattern stands."""
    for value in section.values:
        if value.key in ("exclude", "excludepkgs") and pattern in words(value.text):
            return Place(value.file or file, value.line)
    return Place(file, 0)
