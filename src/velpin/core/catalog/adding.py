"""From a catalog's entry to a new source: its mirror chosen, its key compared, its confinement
offered."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import NewSource, Plan
from velpin.core.adding import plan_add
from velpin.core.catalog.entries import find_entry, handle_of, no_entry
from velpin.core.catalog.format import ARMOUR
from velpin.errors import FetchError, PlanRefused, TrustError, UsageError, VelpinError
from velpin.files.text import whole_number
from velpin.model.catalog import CatalogEntry, MirrorLook
from velpin.model.dates import day
from velpin.model.reason import Reason
from velpin.model.shell import as_typed
from velpin.model.source_reasons import CatalogSuggests, MirrorChosen
from velpin.trust.openpgp import Key, armoured, read_keys

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.ports.bundle import Ports

_LARGEST_KEY = 1 << 20
_BEHIND = 86400.0
"""A mirror that is older than the newest by more than this many seconds is behind."""


def plan_add_entry(
    ports: Ports, access: Access, asked: str, *, channel: str = "", mirror: str = "",
    only: Sequence[str] = (), over: Sequence[str] = (),
) -> Plan:  # fmt: skip
    """What adding a source of a catalog would write.

    Raises Refusal where no catalog has it, PlanRefused where it is not for this host, UsageError
    for a channel or mirror that it does not have, FetchError where none of its addresses can be
    reached, TrustError where its key is not one of those that the catalog names.
    """
    entry = find_entry(ports, asked, channel)
    if entry is None:
        raise no_entry(ports, asked)
    if not entry.address:
        assert entry.why_not is not None
        raise PlanRefused(entry.why_not)
    transport = access.transport(ports)
    looks = look_at_mirrors(ports, entry, mirror, transport.hasty())
    address = choose_mirror(entry, looks)
    new = _new_source(entry, address, keys_of_entry(entry, transport))
    plan = plan_add(ports, access, new, only, over)
    if entry.why_not is not None:
        plan.findings.insert(0, entry.why_not)
    plan.notes[:0] = [*_about_mirrors(looks, address), *_suggestions(entry, only, plan)]
    return plan


def _new_source(entry: CatalogEntry, address: str, keys: Sequence[Key]) -> NewSource:
    return NewSource(
        handle=handle_of(entry), address=address, release=entry.suite,
        components=entry.components, key=armoured(keys) if keys else b"",
        key_name=entry.key if not entry.key.startswith(ARMOUR) else str(entry.place),
        fingerprint=",".join(key.fingerprint for key in keys), signed_index=entry.signed_index,
    )  # fmt: skip


def keys_of_entry(entry: CatalogEntry, transport: Transport) -> list[Key]:
    """The entry's keys with the fingerprints that the catalog names.

    Raises BadKey where it names none that can be read, TrustError where none has one of its
    fingerprints, FetchError where they cannot be reached.
    """
    if not entry.key:
        return []
    embedded = entry.key.startswith(ARMOUR)
    data = entry.key.encode() if embedded else transport.read(entry.key, most=_LARGEST_KEY)
    where = str(entry.place) if embedded else entry.key
    keys = read_keys(data, where)
    fitting = [key for key in keys if key.fingerprint in entry.fingerprints]
    if not fitting:
        found = ", ".join(key.grouped for key in keys)
        raise TrustError(
            f"{where}: the catalog names other fingerprints: {', '.join(entry.fingerprints)};"
            f" found {found}",
            "do not add it; ask the vendor which key is theirs",
        )
    return fitting


# -- mirrors -------------------------------------------------------------------------------


def look_at_mirrors(
    ports: Ports, entry: CatalogEntry, mirror: str, transport: Transport
) -> list[MirrorLook]:
    """The entry's address and its mirrors, each asked how old its index is; with `mirror`, an
    address or a number from 1, just that one."""
    addresses = [entry.address, *entry.mirrors]
    if mirror:
        addresses = [_named(addresses, mirror)]
    if len(addresses) == 1:
        return [MirrorLook(addresses[0], None)]
    return [_look(ports, entry, address, transport) for address in addresses]


def _named(addresses: Sequence[str], mirror: str) -> str:
    number = whole_number(mirror)
    if number is not None and 1 <= number <= len(addresses):
        return addresses[number - 1]
    if mirror.rstrip("/") in addresses:
        return mirror.rstrip("/")
    told = ", ".join(f"{at} {address}" for at, address in enumerate(addresses, 1))
    raise UsageError(f"{mirror} is none of its mirrors", f"there are {told}")


def _look(ports: Ports, entry: CatalogEntry, address: str, transport: Transport) -> MirrorLook:
    try:
        dated = ports.fetcher.head_date(address, entry.suite or handle_of(entry), transport)
    except VelpinError as problem:
        return MirrorLook(address, None, problem.message)
    return MirrorLook(address, dated)


def choose_mirror(entry: CatalogEntry, looks: Sequence[MirrorLook]) -> str:
    """The first that can be reached and is not behind; FetchError where none can be."""
    if len(looks) == 1:
        return looks[0].address
    reached = [look for look in looks if not look.problem]
    if not reached:
        raise FetchError(
            f"{entry.name}: none of its addresses can be reached: {looks[0].problem}",
            "velpin catalog NAME shows them; --mirror tries one",
        )
    newest = max((look.dated or 0 for look in reached), default=0)
    return next(look.address for look in reached if (look.dated or 0) >= newest - _BEHIND)


def _about_mirrors(looks: Sequence[MirrorLook], chosen: str) -> list[Reason]:
    if len(looks) == 1:
        return []
    told = []
    for look in looks:
        how = look.problem or (f"of {day(look.dated)}" if look.dated else "reached")
        told.append(f"{look.address} ({how})")
    return [MirrorChosen(address=chosen, mirrors=tuple(told))]


def _suggestions(entry: CatalogEntry, only: Sequence[str], plan: Plan) -> list[Reason]:
    if not entry.confine or only or plan.unchanged:
        return []
    options = [word for glob in entry.packages for word in ("--only", glob)]
    return [CatalogSuggests(options=as_typed(options), names=entry.packages)]
