"""A request for packages to go: on alpm hosts a transaction of its own, before the rest.

Observed rules: docs/how-hosts-choose/alpm.md, "Packages that are to go".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.alpm.entry import AlpmLink
from velpin.kinds.alpm.relation import AlpmRelation
from velpin.model.forecast import Answer
from velpin.model.reasons import Needs, Unknown
from velpin.store.amended import Amendment

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.kinds.alpm.pool import AlpmPackage
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.reason import Reason
    from velpin.model.request import Request


def going(state: AlpmState, requests: Sequence[Request]) -> list[AlpmPackage]:
    """The installed packages that some requests want to go."""
    found = (state.packages.pool.installed(request.name) for request in requests)
    return [package for package in found if package is not None]


def why_needed(state: AlpmState, gone: Sequence[AlpmPackage]) -> tuple[Reason, ...]:
    """What installed packages need of those that are to go, and nothing else installed gives."""
    return tuple(
        Needs(package=user.name, version=user.version, relation=str(relation))
        for user, relation in _broken(state, gone)
    )


def _broken(
    state: AlpmState, gone: Sequence[AlpmPackage]
) -> Iterator[tuple[AlpmPackage, AlpmRelation]]:
    pool, names = state.packages.pool, {package.name for package in gone}
    given = {name for package in gone for name in _given(package)}
    users = {
        user.name: user
        for name in sorted(given)
        for user in (pool.own.linked(AlpmLink.DEPENDS, name) if pool.own else ())
    }
    for user in users.values():
        if user.name in names:
            continue
        for relation in user.facts.depends:
            if relation.name in given and any(each.satisfies(relation) for each in gone):
                left = (each.name not in names for each in pool.installed_satisfying(relation))
                if not any(left):
                    yield user, relation


def _given(package: AlpmPackage) -> list[str]:
    return [package.name, *(relation.name for relation in package.facts.provides)]


def without(state: AlpmState, gone: Sequence[AlpmPackage]) -> AlpmState:
    """The host once some packages are gone."""
    ids = frozenset(package.row.id for package in gone)
    return type(state)(state.view.amended(Amendment(ids)))


def answer(state: AlpmState, request: Request) -> Answer:
    """What a request for a package to go comes to."""
    old = state.packages.pool.installed(request.name)
    known = old is not None or state.packages.knows(request.name)
    return Answer(
        asked=request.text,
        package=request.name,
        arch=old.arch if old else state.configuration.native,
        outcome="remove" if old else "keep" if known else "none",
        installed=old.version if old else None,
        version=None, source=None, url=None,
        decided_by="request" if old else "",
        problem=None if known else Unknown(name=request.name),
        disk_bytes=-old.facts.installed_size if old else 0,
    )  # fmt: skip
