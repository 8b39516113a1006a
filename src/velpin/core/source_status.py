"""How the sources of a host stand: the order in which they win, signed by whom, how old."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError, StoreError
from velpin.model.host import SourceStatus
from velpin.model.safe_text import grouped
from velpin.trust.named import OWN_KEYS
from velpin.trust.openpgp import key_with

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.standing import StatusParts
    from velpin.trust.openpgp import Key

_LAST = 1 << 30


def source_statuses(ports: Ports) -> list[SourceStatus]:
    """Every source: by tier, within one in the order of reading, those switched off last."""
    tiers = ports.standing.tiers()
    found = [
        _status(ports, source, tiers.get(source.handle)) for source in ports.configuration.sources
    ]
    return sorted(found, key=lambda status: (not status.source.on, status.tier or _LAST))


def _status(ports: Ports, source: Source, tier: int | None) -> SourceStatus:
    parts = ports.standing.parts_of(source)
    offers, damage = 0, ""
    try:
        offers = sum(index.count for index in ports.indexes.of(source))
    except (HostFileError, StoreError) as problem:
        damage = problem.message
    failure = ports.view.cache.failure(source.address, source.release) if source.on else None
    return SourceStatus(
        source=source,
        state=ports.indexes.state_of(source),
        tier=tier if source.on else None,
        priorities=parts.priorities,
        channel=parts.channel,
        signed=parts.signed,
        signers=_shown_all(parts, parts.signed_by),
        package_signers=_shown_all(parts, parts.packages_signed_by),
        named_keys=tuple(map(_shown, parts.keys)) if parts.signed in OWN_KEYS else (),
        to_import=tuple(parts.to_import),
        offers=offers,
        dated=parts.dated,
        copy=ports.indexes.holder(source),
        problem=parts.copy_problem
        or damage
        or parts.key_problem
        or (failure.text if failure else ""),
    )


def _shown_all(parts: StatusParts, fingerprints: Sequence[str]) -> tuple[str, ...]:
    found = [(fingerprint, key_with(parts.keys, fingerprint)) for fingerprint in fingerprints]
    return tuple(_shown(key) if key else grouped(fingerprint[-16:]) for fingerprint, key in found)


def _shown(key: Key) -> str:
    return f"{key.owner} {grouped(key.fingerprint[-16:])}"
