"""How the sources of a deb host stand: the order in which they win, signed by whom, how old."""

from __future__ import annotations

from velpin.about import Standing
from velpin.errors import BadSignature, HostFileError, StoreError
from velpin.kinds.deb.copies import Copy
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.trust import NamedKeys, named_keys
from velpin.trust.openpgp import Key, clear_issuers, grouped, key_with


def standings(host: DebState) -> list[Standing]:
    """Every source: by tier, within one in the order of reading, those switched off last."""
    numbers = {source.handle: _numbers(host, source) for source in host.sources}
    live = {n for s in host.sources if s.on for n, _ in numbers[s.handle] if n > 0}
    tiers = {number: place for place, number in enumerate(sorted(live, reverse=True), 1)}
    found = [_standing(host, source, numbers[source.handle], tiers) for source in host.sources]
    return sorted(found, key=_rank)


def _rank(one: Standing) -> tuple[bool, int]:
    return (not one.source.on, one.tier if one.tier is not None else 1_000_000)


def _standing(
    host: DebState,
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
        signers=_signers(host, copy, named),
        offers=_count(host, copy),
        dated=copy.release.date,
        copy=copy.holder,
        problem=_problem(host, source, copy, named),
    )


def _numbers(host: DebState, source: DebSource) -> tuple[tuple[int, tuple[str, ...]], ...]:
    found: dict[int, dict[str, None]] = {}
    for origin, _ in host.origins_of(source):
        found.setdefault(origin.number.value, {})[origin.section] = None
    return tuple((number, tuple(found[number])) for number in sorted(found, reverse=True))


def _channel(copy: Copy) -> tuple[str, ...]:
    release = copy.release
    names = [name for name in (release.suite, release.codename, release.version) if name]
    notes = list(dict.fromkeys(names))
    if release.but_automatic_upgrades:
        notes.append("upgrades only")
    elif release.not_automatic:
        notes.append("not automatic")
    return tuple(notes)


def _signers(host: DebState, copy: Copy, named: NamedKeys) -> tuple[str, ...]:
    """Who signed the copy that counts; before there is one, who may sign."""
    if copy.holder:
        found = [(one, key_with(named.keys, one)) for one in _issuers(host, copy)]
        return tuple(_shown(key) if key else grouped(one[-16:]) for one, key in found)
    return () if named.how in ("common", "none") else tuple(map(_shown, named.keys))


def _shown(key: Key) -> str:
    return f"{key.owner} {grouped(key.fingerprint[-16:])}"


def _issuers(host: DebState, copy: Copy) -> tuple[str, ...]:
    """Fingerprints of the keys that signed the copy that counts."""
    if copy.fetched:
        return tuple(copy.fetched.signed_by)
    data = host.tree.read(copy.release_file) if copy.release_file else None
    try:
        return clear_issuers(data or b"", copy.release_file)
    except BadSignature:
        return ()


def _count(host: DebState, copy: Copy) -> int:
    count = 0
    for path in copy.files.values():
        try:
            count += host.index(path).count
        except (HostFileError, StoreError):
            continue
    return count


def _problem(host: DebState, source: DebSource, copy: Copy, named: NamedKeys) -> str:
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
        issuers = _issuers(host, copy)
        if issuers and not any(key_with(named.keys, one) for one in issuers):
            return (
                f"its index is signed by {', '.join(issuers)}, a key not named for it\n"
                f"get that key from whoever runs the source, then:"
                f" velpin add {source.handle} --key FILE-or-URL"
            )
    failed = host.shelf.failure(source.address, source.release) if source.on else ""
    return failed
