"""What a rule may have meant by a name or version that nothing has."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.core.offers import offers_of, versions_of
from velpin.model.rule_reasons import NoNameThere, NoSuchName, NoSuchVersion
from velpin.ports.packages import near_names

if TYPE_CHECKING:
    from collections.abc import Iterator

    from velpin.model.reason import Reason
    from velpin.ports.bundle import Ports

_MOST_VERSIONS = 3


def with_near(ports: Ports, reason: Reason) -> Reason:
    """Return a reason that says that something is not there, with what is like it."""
    match reason:
        case NoSuchName(name=name):
            near = near_names(ports.packages, ports.indexes, name)
            return NoSuchName(name=name, near=near)
        case NoNameThere(name=name, source=handle):
            return NoNameThere(name=name, source=handle, near=tuple(_there(ports, name, handle)))
        case NoSuchVersion(name=name, version=version, source=source):
            near = tuple(each for each, _ in versions_of(ports, name)[:_MOST_VERSIONS])
            return NoSuchVersion(name=name, version=version, source=source, near=near)
        case _:
            return reason


def _there(ports: Ports, name: str, handle: str) -> Iterator[str]:
    """Yield names like another that a source has."""
    for near in near_names(ports.packages, ports.indexes, name):
        if any(offer.source == handle for offer in offers_of(ports, [near])):
            yield near
