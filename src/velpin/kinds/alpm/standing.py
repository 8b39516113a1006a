"""How the sources of an alpm host stand: the order in which they win, signed how, how old."""

from __future__ import annotations

from velpin.about import Standing
from velpin.errors import HostFileError, StoreError
from velpin.kinds.alpm.source import ALL_USES, AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import ring
from velpin.trust.openpgp import grouped, key_with


def standings(host: AlpmState) -> list[Standing]:
    """Every source in the order of sections, a tier for each; those switched off last."""
    return [_standing(host, source) for source in host.sources]


def _standing(host: AlpmState, source: AlpmSource) -> Standing:
    copy = host.copies[source.handle]
    signers: tuple[str, ...] = ()
    if copy.fetched and copy.fetched.signed_by:
        keys = [(one, key_with(ring(host).keys, one)) for one in copy.fetched.signed_by]
        signers = tuple(
            f"{key.owner} {grouped(key.fingerprint[-16:])}" if key else grouped(one[-16:])
            for one, key in keys
        )
    return Standing(
        source=source,
        state=host.state_of(source),
        tier=source.rank if source.on else None,
        numbers=((source.rank, ()),) if source.on else (),
        channel=_channel(source),
        signed=_signed(host, source, signers),
        signers=signers,
        offers=_count(host, source),
        dated=copy.date,
        copy=copy.holder,
        problem=_problem(host, source),
    )


def _signed(host: AlpmState, source: AlpmSource, signers: tuple[str, ...]) -> str:
    levels = (source.level.of_index, source.level.of_packages)
    if signers:
        return "ring"
    if "required" in levels:
        return "common" if ring(host).keys else "ring"
    return "common" if "optional" in levels and ring(host).keys else "none"


def _channel(source: AlpmSource) -> tuple[str, ...]:
    if source.uses == ALL_USES:
        return ()
    return ("only " + " ".join(use.lower() for use in sorted(source.uses)),)


def _count(host: AlpmState, source: AlpmSource) -> int:
    try:
        index = host.index(source)
    except (HostFileError, StoreError):
        return 0
    return index.count if index else 0


def _problem(host: AlpmState, source: AlpmSource) -> str:
    try:
        host.index(source)
    except (HostFileError, StoreError) as problem:
        return problem.message
    if not source.on:
        return ""
    if not source.servers:
        return f"no Server line\ngive its section one in {source.file}"
    return host.shelf.failure(source.address, source.release)
