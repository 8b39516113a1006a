"""How the sources of a deb host stand: the order in which they win, signed by whom, how old."""

from __future__ import annotations

from velpin.errors import HostFileError, StoreError
from velpin.kinds.deb.host import Copy, DebHost
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.trust import NamedKeys, named_keys
from velpin.model import Standing
from velpin.trust.openpgp import grouped


def standings(host: DebHost) -> list[Standing]:
    """Every source: by tier, within one in the order of reading, those switched off last."""
    numbers = {source.handle: _numbers(host, source) for source in host.sources}
    live = {n for s in host.sources if s.on for n, _ in numbers[s.handle] if n > 0}
    tiers = {number: place for place, number in enumerate(sorted(live, reverse=True), 1)}
    found = [_standing(host, source, numbers[source.handle], tiers) for source in host.sources]
    return sorted(found, key=_rank)


def _rank(one: Standing) -> tuple[bool, int]:
    return (not one.source.on, one.tier if one.tier is not None else 1_000_000)


def _standing(
    host: DebHost,
    source: DebSource,
    numbers: tuple[tuple[int, tuple[str, ...]], ...],
    tiers: dict[int, int],
) -> Standing:
    copy = host.copies[source.handle]
    named = named_keys(host.tree, source)
    best = max((number for number, _ in numbers), default=0)
    return Standing(
        source=source,
        state=host.state_of(source),
        tier=tiers.get(best) if source.on else None,
        numbers=numbers if copy.holder else (),
        channel=_channel(copy),
        signed=named.how,
        signers=_signers(copy, named),
        offers=_count(host, copy),
        dated=copy.release.date,
        copy=copy.holder,
        problem=_problem(host, source, copy, named),
    )


def _numbers(host: DebHost, source: DebSource) -> tuple[tuple[int, tuple[str, ...]], ...]:
    found: dict[int, dict[str, None]] = {}
    for origin, _ in host._origins_of(source, 0):
        found.setdefault(origin.number.value, {})[origin.section] = None
    return tuple((number, tuple(found[number])) for number in sorted(found, reverse=True))


def _channel(copy: Copy) -> tuple[str, ...]:
    release = copy.release
    names = [name for name in (release.suite, release.codename, release.version) if name]
    notes = list(dict.fromkeys(names))
    if release.but_automatic_upgrades:
        notes.append("upgrades only what came from it")
    elif release.not_automatic:
        notes.append("not automatic")
    return tuple(notes)


def _signers(copy: Copy, named: NamedKeys) -> tuple[str, ...]:
    """Who signed the copy that counts, as far as known, else who may sign."""
    if copy.fetched and copy.fetched.signed_by:
        names = {key.fingerprint: key.owner for key in named.keys}
        return tuple(
            f"{names.get(one, 'a key no longer named')} {grouped(one[-16:])}"
            for one in copy.fetched.signed_by
        )
    if named.how in ("common", "none"):
        return ()
    return tuple(f"{key.owner} {grouped(key.fingerprint[-16:])}" for key in named.keys)


def _count(host: DebHost, copy: Copy) -> int:
    count = 0
    for path in copy.files.values():
        try:
            count += host.index(path).count
        except (HostFileError, StoreError):
            continue
    return count


def _problem(host: DebHost, source: DebSource, copy: Copy, named: NamedKeys) -> str:
    if copy.problem:
        return str(copy.problem)
    for path in copy.files.values():
        try:
            host.index(path)
        except (HostFileError, StoreError) as problem:
            return problem.message
    if source.on and not source.trusted:
        if named.problems:
            return "; ".join(named.problems)
        if copy.fetched and not {k.fingerprint for k in named.keys} & set(copy.fetched.signed_by):
            return "its index was signed by a key that is no longer named for it"
    failed = host.shelf.failure(source.address, source.release) if source.on else ""
    return failed
