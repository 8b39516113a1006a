"""All offers of names or of one source, and searching names and summaries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.about import Met
from velpin.errors import Refusal
from velpin.kinds.alpm.pool import Package
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.version import version_key
from velpin.model import Offer, OfferState
from velpin.near import search
from velpin.store.index import Index, Row


def offers_of(host: AlpmState, names: Iterable[str]) -> list[Offer]:
    """Every offer of some names, newest first, also of sources switched off."""
    return [offer for name in names for offer in _offers(host, name)]


def _offers(host: AlpmState, name: str) -> list[Offer]:
    chosen = host.choice_of(name)
    here = host.pool.installed(name)
    shown = host.pool.offered(name)
    if here is not None and host.offered_as(here) is None:
        shown.append(here)
    found = [_offer(host, one, chosen) for one in shown]
    for source, index in host.indexes_off():
        found += [_off(source, row) for row in index.rows(name)]
    return sorted(found, key=lambda offer: version_key(offer.version), reverse=True)


def _offer(host: AlpmState, package: Package, chosen: Package | None) -> Offer:
    state: OfferState = "passed over"
    if package is chosen:
        state = "chosen"
    elif chosen is not None and (package.name, package.version) == (chosen.name, chosen.version):
        state = "candidate"
    source = package.origin.source
    here = host.pool.installed(package.name)
    return Offer(
        package.name, package.arch, package.version, package.origin.handle, "",
        host.base_of(source) if source else "", package.row.summary, package.origin.rank, state,
        here is not None and here.version == package.version,
    )  # fmt: skip


def _off(source: AlpmSource, row: Row) -> Offer:
    return Offer(
        row.name, row.arch, row.version, source.handle, "", source.url, row.summary, 0,
        "source off", False,
    )  # fmt: skip


def offers_from(host: AlpmState, handle: str, glob: str = "*") -> list[Offer]:
    """What one source offers, by name; Refusal where there is no such source or list."""
    source = host.source(handle)
    index = host.index(source)
    if index is None:
        raise Refusal(f"{handle} has no index here", f"fetch it: velpin refresh {source.handle}")
    rows = sorted(index.matching(glob), key=lambda row: row.name)
    if not source.on:
        return [_off(source, row) for row in rows]
    origin = next(one for one in host.pool.origins if one.handle == handle)
    packages = (origin.named(row.name) for row in rows)
    return [_offer(host, one, host.choice_of(one.name)) for one in packages if one is not None]


def find(host: AlpmState, text: str, most: int = 40) -> tuple[list[Met], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    found, count = search(_searched(host), text, most)
    return [_met(host, name, summary) for name, summary in found], count


def _searched(host: AlpmState) -> Iterator[Index]:
    yield from (index for _, index in host.indexes)
    if host.record:
        yield host.record
    yield from (index for _, index in host.indexes_off())


def _met(host: AlpmState, name: str, summary: str) -> Met:
    chosen = host.choice_of(name)
    here = host.pool.installed(name)
    return Met(
        name, summary, here.version if here else None,
        chosen.version if chosen else None, chosen.origin.handle if chosen else "",
    )  # fmt: skip
