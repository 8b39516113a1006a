"""What a worked-out transaction of an rpm host changes, as values for the rest of Velpin.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from velpin.kinds.rpm.pool import RpmPackage, is_newer, obsoletes
from velpin.kinds.rpm.relation import RpmRelation
from velpin.kinds.rpm.solve.rules import Why
from velpin.kinds.rpm.solve.solver import JobWhy, RpmSolution, RpmSolver
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.model.forecast import Change, Outcome, Role, outcome_of


class Roles:
    """Why each package comes or goes."""

    def __init__(self, work: RpmSolver, done: RpmSolution) -> None:
        self._work, self._done = work, done
        self._asked = {package.id for job in work.jobs for package in job.builds}
        self._upgraded = {
            package.id for build in work.upgrade for package in work.rules.targets.get(build.id, ())
        }

    def of(self, build: RpmPackage) -> tuple[Role, RpmPackage | None, RpmRelation | None]:
        """A role, the package because of which, and what that says."""
        code, clause = self._done.causes[build.id]
        why = clause.why if clause is not None else None
        if isinstance(why, JobWhy) or code == "asked":
            named = not isinstance(why, JobWhy) or bool(why.job.text)
            return ("asked", None, None) if named else self._of_upgrade(build)
        if build.id in self._upgraded:
            return self._of_upgrade(build)
        if isinstance(why, Why) and why.owner is not None and why.owner is not build:
            match why.code:
                case "requires" | "recommends" as role:
                    return role, why.owner, why.relation
                case "installed":
                    return "upgrade", why.owner, None
        if isinstance(why, Why) and why.code == "replaces along":
            return "replaces", why.other, None
        if isinstance(why, Why) and why.code == "supplements":
            return "supplements", None, why.relation
        if build.id in self._asked:
            return "asked", None, None
        return self._found(build)

    def _of_upgrade(self, build: RpmPackage) -> tuple[Role, RpmPackage | None, RpmRelation | None]:
        """A package of the upgrade under a new name is told by the one it replaces."""
        if not self._work.pool.installed(build.name):
            for old in self._done.gone:
                if obsoletes(build, old):
                    return "replaces", old, None
        return "upgrade", None, None

    def _found(self, build: RpmPackage) -> tuple[Role, RpmPackage | None, RpmRelation | None]:
        """Of what follows from several rules at once: who needs it."""
        for owner in self._done.taken:
            if owner is build:
                continue
            for relation in owner.facts.requires:
                if build in self._work.pool.meeting(relation):
                    return "requires", owner, relation
        return "upgrade", None, None


def changes_of(state: RpmState, work: RpmSolver, done: RpmSolution) -> tuple[Change, ...]:
    """Every change, in the order of names."""
    roles = Roles(work, done)
    followed = _followed(work, done)
    found = [
        _change(state, package, followed.get(package.id), *roles.of(package))
        for package in done.taken
    ]
    followers = {old.id for old in followed.values()}
    for old in done.gone:
        if old.id in followers:
            continue
        by, relation = _remover(done, old)
        role: Role = "replaced" if by is not None else "removed"
        if any(job.goes and old in job.builds for job in work.jobs):
            role, by, relation = "asked", None, None
        found.append(_change(state, None, old, role, by, relation))
    return tuple(sorted(found, key=lambda change: (change.name, change.arch)))


def _followed(work: RpmSolver, done: RpmSolution) -> dict[int, RpmPackage]:
    """For builds that come, by number, the installed one whose place each takes: of several
    the one read first, whatever its architecture, or that of its own, as the installer tells
    it (observed)."""
    found: dict[int, RpmPackage] = {}
    coming: dict[str, list[RpmPackage]] = {}
    for build in sorted(done.taken, key=lambda package: package.id):
        if not work.rules.multiple(build):
            coming.setdefault(build.name, []).append(build)
    going: dict[str, list[RpmPackage]] = {}
    for old in done.gone:
        going.setdefault(old.name, []).append(old)
    for name, olds in going.items():
        for old in sorted(olds, key=lambda old: any(_outdoes(other, old) for other in olds)):
            others = {package.arch for package in olds} - {old.arch}
            here = coming.get(name, [])
            if work.options.follows_arch:
                here = sorted(here, key=lambda build: build.arch != old.arch)
            for build in here:
                if build.id not in found and build.arch not in others:
                    found[build.id] = old
                    break
    return found


def _outdoes(build: RpmPackage, other: RpmPackage) -> bool:
    return build.arch == other.arch and is_newer(build, other)


def _remover(done: RpmSolution, old: RpmPackage) -> tuple[RpmPackage | None, RpmRelation | None]:
    for build in done.taken:
        if build.name == old.name:
            return build, None
    for build in done.taken:
        if obsoletes(build, old):
            for relation in build.facts.obsoletes:
                if str(relation).partition(" ")[0] == old.name:
                    return build, relation
    return None, None


def _change(
    state: RpmState,
    new: RpmPackage | None,
    old: RpmPackage | None,
    role: Role,
    by: RpmPackage | None,
    relation: RpmRelation | None,
) -> Change:
    shown = new or old
    assert shown is not None
    source = state.packages.source_of(new) if new else None
    before = state.packages.offered_as(old) if old else None
    vendors = (old.facts.vendor, new.facts.vendor) if old and new else ("", "")
    was, becomes = vendors if all(vendors) and vendors[0] != vendors[1] else ("", "")
    return Change(
        name=shown.name,
        arch=shown.arch,
        old=old.version if old else None,
        new=new.version if new else None,
        source=source.handle if source else None,
        url=state.indexes.base_of(source) if source else None,
        role=role,
        by=by.name if by else None,
        relation=str(relation) if relation is not None else "",
        old_source=before.origin.handle if before else None,
        publisher=becomes,
        old_publisher=was,
        outcome=outcome(old, new),
        download_bytes=new.facts.size if new else 0,
        disk_bytes=(new.facts.installed_size if new else 0)
        - (old.facts.installed_size if old else 0),
        foreign=state.configuration.archs.is_secondary(shown.arch),
    )


def outcome(old: RpmPackage | None, new: RpmPackage | None) -> Outcome:
    """What happens to a package, in a word."""
    return outcome_of(old, new, lambda one, other: compare(one.version, other.version))
