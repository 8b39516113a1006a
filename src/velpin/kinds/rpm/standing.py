"""How the sources of an rpm host stand: the order in which they win, signed by whom, how old."""

from __future__ import annotations

from velpin.about import Standing
from velpin.errors import HostFileError, StoreError
from velpin.kinds.rpm.copies import Copy
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import named_keys
from velpin.trust.openpgp import grouped, key_with


def standings(host: RpmState) -> list[Standing]:
    """Every source: by tier, within one in the order of reading, those switched off last."""
    live = sorted({source.number for source in host.sources if source.on})
    tiers = {number: place for place, number in enumerate(live, 1)}
    found = [_standing(host, source, tiers) for source in host.sources]
    return sorted(found, key=lambda one: (not one.source.on, one.tier or 1 << 30))


def _standing(host: RpmState, source: RpmSource, tiers: dict[int, int]) -> Standing:
    copy = host.copies[source.handle]
    named = named_keys(host, source)
    signers: tuple[str, ...] = ()
    if copy.fetched and copy.fetched.signed_by:
        keys = [(one, key_with(named.keys, one)) for one in copy.fetched.signed_by]
        signers = tuple(
            f"{key.owner} {grouped(key.fingerprint[-16:])}" if key else grouped(one[-16:])
            for one, key in keys
        )
    elif named.how not in ("none", "common"):
        signers = tuple(f"{key.owner} {grouped(key.fingerprint[-16:])}" for key in named.keys)
    return Standing(
        source=source,
        state=host.state_of(source),
        tier=tiers.get(source.number) if source.on else None,
        numbers=((source.number, ()),),
        channel=_channel(source, copy),
        signed=named.how,
        signers=signers,
        offers=_count(host, source),
        dated=copy.repomd.date,
        copy=copy.holder,
        problem=_problem(host, source, copy),
    )


def _channel(source: RpmSource, copy: Copy) -> tuple[str, ...]:
    told = list(copy.repomd.tags[:2])
    if source.cost != 1000:
        told.append(f"cost {source.cost}")
    if source.includes:
        told.append("only some packages")
    if source.excludes:
        told.append("some packages barred")
    return tuple(told)


def _count(host: RpmState, source: RpmSource) -> int:
    try:
        index = host.index(source)
    except (HostFileError, StoreError):
        return 0
    return index.count if index else 0


def _problem(host: RpmState, source: RpmSource, copy: Copy) -> str:
    if copy.problem:
        return str(copy.problem)
    try:
        host.index(source)
    except (HostFileError, StoreError) as problem:
        return problem.message
    if source.on and (source.signed_index or source.signed_packages):
        problems = named_keys(host, source).problems
        if problems:
            return (
                "; ".join(problems) + "\nget its key from whoever runs the source, then:"
                f" velpin add {source.handle} --key FILE-or-URL"
            )
    return host.shelf.failure(source.address, source.release) if source.on else ""
