"""All offers of names or of one source, and searching names and summaries."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from functools import cache, cmp_to_key
from typing import TYPE_CHECKING

from velpin.errors import Refusal
from velpin.model.forecast import Offer, Rhythm
from velpin.model.host import SearchHit
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.store.name_search import search

if TYPE_CHECKING:
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.store.index import Index, Row


def offers_of(ports: Ports, names: Iterable[str]) -> list[Offer]:
    """Every offer of some names, newest first, also of sources switched off."""
    return [offer for name in names for offer in _all_offers(ports, name)]


def versions_of(ports: Ports, name: str) -> list[tuple[str, str]]:
    """Every version of a name that is on offer or installed, the newest first, each with the handle
    of a source that has it, empty if none does."""
    found: dict[str, str] = {}
    for version, source, _ in ports.offers.versions_of(name, ports.configuration.native):
        found[version] = found.get(version) or source
    newest = sorted(found, key=cmp_to_key(ports.packages.compare), reverse=True)
    return [(version, found[version]) for version in newest]


def dated_offers(ports: Ports, names: Iterable[str]) -> list[Offer]:
    """The same with the date of each."""
    return [_dated(ports, offer) for offer in offers_of(ports, names)]


def detailed_offers(ports: Ports, names: Iterable[str]) -> list[Offer]:
    """The same with all that the index of each says of it."""
    rhythm_of = cache(lambda handle: _rhythm(ports, ports.configuration.by_handle[handle]))
    return [_detailed(ports, offer, rhythm_of) for offer in offers_of(ports, names)]


def _dated(ports: Ports, offer: Offer) -> Offer:
    source = ports.configuration.by_handle.get(offer.source)
    index, row = _entry_of(ports, source, offer) if source else (None, None)
    if index is None or row is None:
        return offer
    return offer._replace(dated=ports.offers.dated(index, row))


def _detailed(ports: Ports, offer: Offer, rhythm_of: Callable[[str], Rhythm | None]) -> Offer:
    source = ports.configuration.by_handle.get(offer.source)
    index, row = _entry_of(ports, source, offer)
    if index is None or row is None:
        return offer
    details = ports.offers.details(source, index, row)
    if source is None:
        return offer._replace(details=details)
    details = details._replace(rhythm=rhythm_of(source.handle))
    return offer._replace(dated=ports.offers.dated(index, row), details=details)


_DAY, _YEAR = 86400, 365
"""Seconds, days."""


def _rhythm(ports: Ports, source: Source) -> Rhythm | None:
    built = [
        when
        for index in ports.indexes.of(source)
        for row in index.all_rows()
        if (when := ports.offers.built(index, row)) is not None
    ]
    if not built:
        return None
    newest = max(built)
    last = newest // _DAY
    days = {when // _DAY for when in built}
    return Rhythm(newest, sum(day > last - _YEAR for day in days))


def _entry_of(ports: Ports, source: Source | None, offer: Offer) -> tuple[Index | None, Row | None]:
    """The index that an offer stands in, and its entry; the record's for what no source has."""
    record = ports.indexes.record
    for index in ports.indexes.of(source) if source else [record] if record else []:
        for row in index.rows(offer.name):
            if (row.version, row.arch) == (offer.version, offer.arch):
                return index, row
    return None, None


def _all_offers(ports: Ports, name: str) -> list[Offer]:
    found = list(ports.offers.live(name))
    for source, index in ports.indexes.off():
        found += [
            _of_row(source, row) for row in index.rows(name) if ports.packages.takes_arch(row.arch)
        ]
    return _newest_first(ports, found)


def _newest_first(ports: Ports, offers: list[Offer]) -> list[Offer]:
    return sorted(offers, key=lambda offer: ports.packages.version_key(offer.version), reverse=True)


def _of_row(source: Source, row: Row) -> Offer:
    """What a source has that takes no part."""
    return Offer(
        row.name, row.arch, row.version, source.handle, "", source.url, row.summary, 0,
        "passed over" if source.on else "source off", False,
    )  # fmt: skip


def offers_from(ports: Ports, handle: str, glob: str = "*") -> list[Offer]:
    """What one source offers, by name; Refusal where there is no such source or index."""
    source = find_source(ports.configuration.by_handle, handle)
    indexes = ports.indexes.of(source)
    if not ports.indexes.reads(source):
        raise Refusal(f"the lists of {handle} are of a form that velpin does not read")
    if not indexes:
        raise Refusal(
            f"{handle} has no index here", f"fetch it: velpin refresh {shell_word(source.handle)}"
        )
    live: dict[str, dict[tuple[str, str], Offer]] = {}
    found = []
    for row in (row for index in indexes for row in index.matching(glob)):
        if not ports.packages.takes_arch(row.arch):
            continue
        if source.on and row.name not in live:
            live[row.name] = {
                (offer.version, offer.arch): offer
                for offer in reversed(ports.offers.live(row.name))
                if offer.source == source.handle
            }
        same = live.get(row.name, {}).get((row.version, row.arch))
        found.append(same or _of_row(source, row))
    return sorted(_newest_first(ports, found), key=lambda offer: offer.name)


def find(ports: Ports, text: str, most: int = 40) -> tuple[list[SearchHit], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    found, count = search(_searched(ports), text, most)
    return [_hit(ports, name, summary) for name, summary in found], count


def _searched(ports: Ports) -> Iterator[Index]:
    yield from ports.indexes.on()
    if ports.indexes.record:
        yield ports.indexes.record
    yield from (index for _, index in ports.indexes.off())


def _hit(ports: Ports, name: str, summary: str) -> SearchHit:
    """A name with what is installed of it and what the host would take."""
    offers = ports.offers.live(name)
    installed = next((offer.version for offer in offers if offer.installed), None)
    for state in ("chosen", "candidate"):
        for offer in offers:
            if offer.state == state:
                return SearchHit(name, summary, installed, offer.version, offer.source)
    return SearchHit(name, summary, installed, None, None)
