"""The changes of a transaction as the rest of Velpin is told them."""

from __future__ import annotations

from velpin.kinds.deb.choice import Held, Version
from velpin.kinds.deb.transaction import Transaction
from velpin.kinds.deb.version import compare
from velpin.kinds.deb.world import DebWorld
from velpin.model import Change, Outcome
from velpin.resolve.world import Build, Cause, Unit

_ROLES = {"requires first": "requires", "conflicts with": "conflicts", "same source": "source"}


def changes_of(done: Transaction) -> tuple[Change, ...]:
    """Every change, in the order of names."""
    found = [_change(done.world, unit) for unit in done.changed]
    return tuple(sorted(found, key=lambda change: (change.name, change.arch)))


def _change(world: DebWorld, unit: Unit) -> Change:
    old, new = unit.installed, unit.chosen
    shown = new or old
    assert shown is not None
    origin = _origin(world, new)
    before = _origin(world, old)
    cause = unit.cause or Cause("upgrade")
    return Change(
        name=unit.name,
        arch=world.arch_field(shown),
        old=old.version if old else None,
        new=new.version if new else None,
        source=origin.source if origin else None,
        url=origin.url if origin else None,
        role=_role(unit, cause),
        by=cause.by.unit.name if cause.by else None,
        relation=str(cause.relation) if cause.relation else "",
        old_source=before.source if before else None,
        outcome=_outcome(old, new),
        download_bytes=world.download(new) if new else 0,
        disk_bytes=world.disk(new) - world.disk(old),
    )


def _role(unit: Unit, cause: Cause) -> str:
    return _ROLES.get(cause.code, cause.code)


def _origin(world: DebWorld, build: Build | None):
    if build is None:
        return None
    world.builds(build.unit)
    offer = build.offer
    if not isinstance(offer, Version) or not offer.offered:
        return None
    return offer.offered[0].origin


def _outcome(old: Build | None, new: Build | None) -> Outcome:
    if new is None:
        return "remove"
    if old is None:
        return "install"
    order = compare(new.version, old.version)
    return "upgrade" if order > 0 else "downgrade" if order < 0 else "reinstall"
