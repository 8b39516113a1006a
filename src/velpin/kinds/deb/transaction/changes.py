"""The changes of a transaction as the rest of Velpin is told them.

Observed rules: docs/how-hosts-choose/deb.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Mapping

from velpin.kinds.deb.choice import DebOrigin, DebVersion
from velpin.kinds.deb.engine.world import Candidate, Cause, CauseCode, Package, RelationKind
from velpin.kinds.deb.reasons import EntryIncomplete, IsHeld
from velpin.kinds.deb.transaction.builds import arch_field
from velpin.kinds.deb.transaction.steps import Transaction, no_longer_needed
from velpin.kinds.deb.transaction.units import label
from velpin.kinds.deb.transaction.world import DebWorld
from velpin.kinds.deb.version import compare
from velpin.model.forecast import Change, HeldBack, Role, outcome_of
from velpin.model.reason import Reason
from velpin.model.reasons import IsPhased

_ROLES: Mapping[CauseCode, Role] = {
    RelationKind.REQUIRES: "requires", RelationKind.REQUIRES_FIRST: "requires",
    RelationKind.RECOMMENDS: "recommends", RelationKind.SUGGESTS: "suggests",
    RelationKind.CONFLICTS: "conflicts", RelationKind.BREAKS: "breaks",
    "asked": "asked", "upgrade": "upgrade", "essential": "essential", "state": "state",
    "same source": "source", "unneeded": "unneeded", "unmet": "broken",
}  # fmt: skip
"""Roles of causes that are called otherwise."""


def changes_of(done: Transaction) -> tuple[Change, ...]:
    """Every change, in the order of names."""
    found = [_change(done.world, unit) for unit in done.changed]
    return tuple(sorted(found, key=lambda change: (change.name, change.arch)))


def held_back(done: Transaction) -> tuple[HeldBack, ...]:
    """Installed packages that stay as they are though there is something newer, and why."""
    found = []
    for unit in done.world.installed_units():
        aim, current = unit.intended, unit.installed
        if aim is None or current is None or unit.mode != "keep" or aim is current:
            continue
        origin = _origin(done.world, aim)
        arch = arch_field(aim)
        source = origin.source if origin else None
        why = _why_kept(done, unit, aim)
        found.append(HeldBack(unit.name, arch, current.version, aim.version, source, why))
    return tuple(sorted(found))


def _why_kept(done: Transaction, unit: Package, aim: Candidate) -> tuple[Reason, ...]:
    if unit.held:
        return (IsHeld(name=unit.name),)
    if unit in done.phased:
        share = done.world.state.packages.phasing.share(aim.offer)
        return (IsPhased(name=unit.name, share=share),)
    from velpin.kinds.deb.engine.causes import why_not
    from velpin.kinds.deb.transaction.explain import told

    return told(done.world, why_not(done.draft, aim))


def not_fetchable(done: Transaction) -> Reason | None:
    """Why the host refuses a transaction whose packages it cannot fetch: an entry that does
    not say where its file lies, or how large it is (observed)."""
    for unit in done.changed:
        build = unit.chosen
        if build is not None and build is not unit.installed:
            facts = done.world.terms.facts(build)
            if not facts.size or not facts.has_file:
                origin = _origin(done.world, build)
                return EntryIncomplete(
                    name=unit.name, version=build.version,
                    source=origin.source if origin else "",
                    field="Filename" if facts.size else "Size",
                )  # fmt: skip
    return None


def unneeded(done: Transaction) -> tuple[str, ...]:
    """Installed packages that stay and that nothing needs any more."""
    if not any(unit.installed for unit in done.changed):
        return ()
    return tuple(label(done.world, unit) for unit in no_longer_needed(done))


def _change(world: DebWorld, unit: Package) -> Change:
    old, new = unit.installed, unit.chosen
    shown = new or old
    assert shown is not None
    origin = _origin(world, new)
    before = _origin(world, old)
    cause = unit.cause or Cause("upgrade")
    return Change(
        name=unit.name,
        arch=arch_field(shown),
        old=old.version if old else None,
        new=new.version if new else None,
        source=origin.source if origin else None,
        url=origin.url if origin else None,
        role=_role(unit, cause),
        by=label(world, cause.by.unit) if cause.by else None,
        relation=str(cause.relation) if cause.relation else "",
        old_source=before.source if before else None,
        outcome=outcome_of(old, new, lambda one, other: compare(one.version, other.version)),
        download_bytes=world.terms.facts(new).size if new else 0,
        disk_bytes=(world.terms.facts(new).disk if new else 0)
        - (world.terms.facts(old).disk if old else 0),
        foreign=unit.arch != world.state.configuration.native,
    )


def _role(unit: Package, cause: Cause) -> Role:
    if cause.by is not None and cause.by.unit is unit:
        return "follows" if unit.chosen else "broken"
    return _ROLES[cause.code]


def _origin(world: DebWorld, build: Candidate | None) -> DebOrigin | None:
    if build is None:
        return None
    world.builds(build.unit)
    offer = build.offer
    if not isinstance(offer, DebVersion) or not offer.offered:
        return None
    return offer.offered[0].origin
