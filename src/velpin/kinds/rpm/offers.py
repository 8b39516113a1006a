"""All offers of names or of one source, and searching names and summaries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.about import Met
from velpin.errors import Refusal
from velpin.kinds.rpm.pool import Build
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import version_key
from velpin.model import Offer, OfferState
from velpin.near import search
from velpin.store.index import Index, Row


def offers_of(host: RpmState, names: Iterable[str]) -> list[Offer]:
    """Every offer of some names, newest first, also of sources switched off."""
    return [offer for name in names for offer in _offers(host, name)]


def _offers(host: RpmState, name: str) -> list[Offer]:
    chosen = host.choice_of(name)
    found = [_offer(host, one, chosen) for one in _shown(host, name)]
    for source, index in host.indexes_off():
        found += [_off(source, row) for row in index.rows(name) if host.archs.takes(row.arch)]
    return sorted(found, key=lambda offer: version_key(offer.version), reverse=True)


def _shown(host: RpmState, name: str) -> Iterator[Build]:
    """Builds of a name; an installed one only where no source has the very same."""
    for one in host.pool.all_named(name):
        if not one.installed or host.offered_as(one) is None:
            yield one


def _offer(host: RpmState, build: Build, chosen: Build | None) -> Offer:
    state: OfferState = "passed over"
    if chosen is not None:
        if build is chosen or (chosen.installed and host.offered_as(chosen) is build):
            state = "chosen"
        elif (build.name, build.version) == (chosen.name, chosen.version):
            state = "candidate"
    source = host.source_of(build)
    here = {(one.version, one.arch) for one in host.pool.installed(build.name)}
    return Offer(
        build.name, build.arch, build.version, build.origin.handle, "",
        host.base_of(source) if source else "", build.row.summary, build.origin.number, state,
        build.installed or (build.version, build.arch) in here,
    )  # fmt: skip


def _off(source: RpmSource, row: Row) -> Offer:
    return Offer(
        row.name, row.arch, row.version, source.handle, "", source.url, row.summary, 0,
        "source off", False,
    )  # fmt: skip


def offers_from(host: RpmState, handle: str, glob: str = "*") -> list[Offer]:
    """What one source offers, by name; Refusal where there is no such source or index."""
    source = host.source(handle)
    index = host.index(source)
    if index is None:
        raise Refusal(
            f"{handle} has no index here", f"fetch it: velpin refresh {source.handle}"
        )  # fmt: skip
    rows = [row for row in index.matching(glob) if host.archs.takes(row.arch)]
    rows.sort(key=lambda row: version_key(row.version), reverse=True)
    rows.sort(key=lambda row: row.name)
    if not source.on:
        return [_off(source, row) for row in rows]
    found = []
    for row in rows:
        for one in host.pool.all_named(row.name):
            if one.origin.handle == handle and (one.version, one.arch) == (row.version, row.arch):
                found.append(_offer(host, one, host.choice_of(row.name)))
                break
    return found


def find(host: RpmState, text: str, most: int = 40) -> tuple[list[Met], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    found, count = search(_searched(host), text, most)
    return [_met(host, name, summary) for name, summary in found], count


def _searched(host: RpmState) -> Iterator[Index]:
    yield from (index for _, index in host.indexes)
    if host.record:
        yield host.record
    yield from (index for _, index in host.indexes_off())


def _met(host: RpmState, name: str, summary: str) -> Met:
    chosen = host.choice_of(name)
    here = host.pool.installed(name)
    offered = host.offered_as(chosen) if chosen and chosen.installed else chosen
    return Met(
        name, summary, here[0].version if here else None,
        chosen.version if chosen else None, offered.origin.handle if offered else "",
    )  # fmt: skip
