"""What never comes on an rpm-dnf host because something recommends it (observed).

Names the configuration lists; and what an installed package recommends, or what
supplements one, as long as it is not there: somebody did without it already.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from collections.abc import Sequence

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.pattern import Named, Patterns
from velpin.kinds.rpm.pool import RpmPackage, RpmPool, provides
from velpin.kinds.rpm.relation import Capability, RpmRelation


class Unwanted:
    """Asked whether a build never comes because of a weak relation alone."""

    def __init__(self, pool: RpmPool, listed: Sequence[str], detect: bool) -> None:
        self._pool = pool
        self._listed = Patterns(listed)
        self._detect = detect
        self._there: dict[Capability, bool] = {}

    def __call__(self, build: RpmPackage) -> bool:
        """True for a build that is listed, or that somebody did without."""
        if self._listed.mean(Named(build.name, build.arch, build.version)):
            return True
        return self._detect and (self._done_without(build) or self._supplements_old(build))

    def _done_without(self, build: RpmPackage) -> bool:
        """Whether an installed package recommends it, and nothing installed is that."""
        for name in dict.fromkeys(
            [capability.name for capability in build.provides] + list(build.facts.files)
        ):
            for owner in self._pool.recorded(RpmLink.RECOMMENDS, name):
                for relation in owner.facts.of(RpmLink.RECOMMENDS):
                    wanted = _of_any_version(relation)
                    if wanted and provides(build, wanted) and not self._is_there(wanted):
                        return True
        return False

    def _supplements_old(self, build: RpmPackage) -> bool:
        """Whether it goes along with something installed, and is not installed itself."""
        if self._pool.installed(build.name):
            return False
        return any(
            isinstance(relation, Capability) and self._is_there(relation)
            for relation in build.facts.of(RpmLink.SUPPLEMENTS)
        )

    def _is_there(self, wanted: Capability) -> bool:
        found = self._there.get(wanted)
        if found is None:
            here = (package for package in self._pool.offering(wanted) if package.installed)
            found = self._there[wanted] = any(here)
        return found


def _of_any_version(relation: RpmRelation) -> Capability | None:
    """What is recommended, whatever the version; None where it is several joined."""
    return Capability(relation.name) if isinstance(relation, Capability) else None
