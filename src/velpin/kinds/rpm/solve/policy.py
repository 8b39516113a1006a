"""Which of several builds the host takes first where more than one would do (observed).

The best priority of a source; the host's own architecture; of each name the highest
version, the lower cost, the source read first; what is installed before all others;
then those that a package already taken recommends; then, each time keeping the order so
far, those that no newer build of the same name leaves behind, the higher version that
all state for one capability, those of whose name something is installed, those that a
package already taken suggests. Names stand in byte order before all that.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from functools import cmp_to_key

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.namespaces import split_from
from velpin.kinds.rpm.pool import RpmPackage, RpmPool, is_newer, obsoletes, provides
from velpin.kinds.rpm.relation import EQUAL, Capability, RpmRelation
from velpin.kinds.rpm.version import compare


class Policy:
    """Orders candidates on one host, given what is taken so far."""

    def __init__(
        self,
        pool: RpmPool,
        is_taken: Callable[[int], bool | None] = lambda priority: None,
        taken: Callable[[], Iterable[RpmPackage]] = tuple,
    ) -> None:
        self.pool = pool
        self._is_taken = is_taken
        self._taken = taken
        """Gives the builds that are offered and taken."""

    def best(self, builds: Sequence[RpmPackage]) -> list[RpmPackage]:
        """Those of the best source, architecture and, of each name, version; names in order."""
        found = by_priority(builds)
        found = self.by_arch(found)
        return without_obsoleted(newest_of_each(found))

    def order(self, builds: Sequence[RpmPackage]) -> list[RpmPackage]:
        """Candidates left when all is weighed, the first is taken."""
        found = self.best(builds)
        found = [package for package in found if package.installed] or found
        if len(found) > 1:
            found = self._recommended(found)
        if len(found) > 1:
            found = self._left_behind_last(found)
            found = _by_common_statement(found)
            found = sorted(found, key=lambda package: not self.pool.installed(package.name))
            found = self._suggested_first(found)
        return found

    def by_arch(self, builds: Sequence[RpmPackage]) -> list[RpmPackage]:
        """Those of the host's own word size, where there are any."""
        archs = self.pool.archs
        ranks = [archs.rank(package.arch) for package in builds if package.arch != "noarch"]
        if not ranks:
            return list(builds)
        best = min(ranks)
        return [
            package
            for package in builds
            if package.arch == "noarch" or archs.rank(package.arch) == best
        ]

    def _recommended(self, builds: list[RpmPackage]) -> list[RpmPackage]:
        found = [
            package
            for package in builds
            if self._spoken_for(package, RpmLink.RECOMMENDS, RpmLink.SUPPLEMENTS)
        ]
        return found or builds

    def _suggested_first(self, builds: list[RpmPackage]) -> list[RpmPackage]:
        return sorted(
            builds,
            key=lambda package: not self._spoken_for(package, RpmLink.SUGGESTS, RpmLink.ENHANCES),
        )

    def _spoken_for(self, build: RpmPackage, forward: RpmLink, backward: RpmLink) -> bool:
        """Whether a package that is taken names it, or it names one that is."""
        for owner in self._taken():
            if any(self._means(relation, build) for relation in owner.facts.of(forward)):
                return True
        for name in dict.fromkeys(capability.name for capability in build.provides):
            for owner in self.pool.recorded(forward, name):
                if self._is_taken(owner.id) is not False and any(
                    self._means(relation, build) for relation in owner.facts.of(forward)
                ):
                    return True
        return any(self.is_met(relation) for relation in build.facts.of(backward))

    def _means(self, relation: RpmRelation, build: RpmPackage) -> bool:
        if isinstance(relation, Capability):
            return provides(build, relation)
        return build in self.pool.meeting(relation)

    def is_met(self, relation: RpmRelation) -> bool:
        """Whether what is taken meets a relation."""
        if isinstance(relation, Capability):
            if relation.name in self.pool.stated:
                return True
            split = split_from(relation.name) if self.pool.splits else None
            if split:
                return self._is_split(*split)
        if isinstance(relation, Capability) or relation.word in ("with", "without"):
            return any(self._stands(package) for package in self.pool.meeting(relation))
        parts = relation.parts
        if relation.word == "and":
            return all(map(self.is_met, parts))
        if relation.word == "or":
            return any(map(self.is_met, parts))
        second = self.is_met(parts[1])
        if relation.word == "if":
            return self.is_met(parts[0]) if second else len(parts) < 3 or self.is_met(parts[2])
        if second:
            return len(parts) == 3 and self.is_met(parts[2])
        return self.is_met(parts[0])

    def _is_split(self, name: str, path: str) -> bool:
        """Whether an installed build of a name that has a file goes."""
        return any(
            self._is_taken(build.id) is False and path in build.facts.files
            for build in self.pool.installed(name)
        )

    def _stands(self, build: RpmPackage) -> bool:
        value = self._is_taken(build.id)
        return build.installed if value is None else value

    def _left_behind_last(self, builds: list[RpmPackage]) -> list[RpmPackage]:
        """Last those of whose name and architecture a better source, or an equal one with a
        higher version, has another; what is hidden counts here (observed)."""

        def left_behind(build: RpmPackage) -> bool:
            priority = _priority(build)
            for package in self.pool.all_named(build.name):
                if package is build or package.arch != build.arch:
                    continue
                other = _priority(package)
                if other < priority or (other == priority and is_newer(package, build)):
                    return True
            return False

        return sorted(builds, key=left_behind)


def _priority(build: RpmPackage) -> int:
    """The priority of its source; what is installed stands at 0."""
    return 0 if build.installed else build.origin.priority


def by_priority(builds: Iterable[RpmPackage]) -> list[RpmPackage]:
    """Those of the source with the best priority; installed ones always stay."""
    held = list(builds)
    best = min((package.origin.priority for package in held if not package.installed), default=0)
    return [package for package in held if package.installed or package.origin.priority == best]


def newest_of_each(builds: Iterable[RpmPackage]) -> list[RpmPackage]:
    """Of each name the best version: installed first, lower cost, source read first."""
    found: dict[str, RpmPackage] = {}
    for package in builds:
        other = found.get(package.name)
        if other is None or _goes_before(package, other):
            found[package.name] = package
    return [found[name] for name in sorted(found)]


def without_obsoleted(builds: list[RpmPackage]) -> list[RpmPackage]:
    """Without those that another of them obsoletes, unless that goes both ways."""
    if len(builds) < 2:
        return builds
    return [
        package
        for package in builds
        if not any(obsoletes(other, package) and not obsoletes(package, other) for other in builds)
    ]


def _goes_before(one: RpmPackage, other: RpmPackage) -> bool:
    order = compare(one.version, other.version)
    if order:
        return order > 0
    if one.installed != other.installed:
        return one.installed
    left, right = (one.origin.cost, one.id), (other.origin.cost, other.id)
    return left < right


def _by_common_statement(builds: list[RpmPackage]) -> list[RpmPackage]:
    """By the version that all of them state for one and the same capability, highest first."""
    for stated in builds[0].provides:
        if stated.sense != EQUAL:
            continue
        versions = {}
        for package in builds:
            same = [p for p in package.provides if p.name == stated.name and p.sense == EQUAL]
            if not same:
                break
            versions[package.id] = same[0].version
        else:
            return sorted(builds, key=lambda candidate: _descending(versions[candidate.id]))
    return builds


_descending = cmp_to_key(lambda a, b: compare(b, a))
