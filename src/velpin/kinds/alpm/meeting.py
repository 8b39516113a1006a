"""What meets a relation on an alpm host."""

from __future__ import annotations

from velpin.kinds.alpm.relation import read_relation
from velpin.kinds.alpm.state import AlpmState
from velpin.recipes.recipe import Meeting


def meeting(host: AlpmState, relation: str) -> Meeting | None:
    """What is installed and meets it, else what would come for it as a dependency."""
    wanted = read_relation(relation)
    for here in host.pool.installed_satisfying(wanted):
        return Meeting(here.name, here.version, "")
    origins = [one for one in host.pool.origins if one.source and one.source.installs]
    found = host.work().find(wanted, origins)
    return Meeting(found.name, found.version, found.origin.handle) if found else None
