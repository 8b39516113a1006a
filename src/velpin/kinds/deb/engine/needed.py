"""What still serves a purpose: reached from what was asked for or installed for itself."""

from __future__ import annotations

from collections.abc import Iterable

from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.world import Candidate, Package, RelationKind


def reached(draft: Draft, roots: Iterable[Package], kinds: frozenset[RelationKind]) -> set[Package]:
    """The chosen units that are roots, or that one reached relates to by one of the kinds."""
    found = {unit for unit in roots if unit.chosen is not None}
    waiting = [unit.chosen for unit in found]
    while waiting:
        build = waiting.pop()
        assert build is not None
        for other in _served(draft, build, kinds):
            if other.unit not in found:
                found.add(other.unit)
                waiting.append(other)
    return found


def _served(draft: Draft, build: Candidate, kinds: frozenset[RelationKind]) -> Iterable[Candidate]:
    for relation in draft.world.terms.relations(build):
        if relation.kind in kinds:
            for target in relation.targets:
                yield from draft.meeting(target)
