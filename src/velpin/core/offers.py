"""All offers of names or of one source, and searching names and summaries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from velpin.errors import Refusal
from velpin.model.forecast import Offer
from velpin.model.host import SearchHit
from velpin.model.rule import shell_word
from velpin.store.name_search import search

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


def offers_of(host: Adapter[Source], names: Iterable[str]) -> list[Offer]:
    """Every offer of some names, newest first, also of sources switched off."""
    return [offer for name in names for offer in _all_offers(host, name)]


def _all_offers(host: Adapter[Source], name: str) -> list[Offer]:
    found = list(host.offers.live(name))
    for source, index in host.indexes_off():
        found += [_of_row(source, row) for row in index.rows(name) if host.takes_arch(row.arch)]
    return _newest_first(host, found)


def _newest_first(host: Adapter[Source], offers: list[Offer]) -> list[Offer]:
    return sorted(offers, key=lambda offer: host.version_key(offer.version), reverse=True)


def _of_row(source: Source, row: Row) -> Offer:
    """What a source has that takes no part."""
    return Offer(
        row.name, row.arch, row.version, source.handle, "", source.url, row.summary, 0,
        "passed over" if source.on else "source off", False,
    )  # fmt: skip


def offers_from(host: Adapter[Source], handle: str, glob: str = "*") -> list[Offer]:
    """What one source offers, by name; Refusal where there is no such source or index."""
    source = host.source(handle)
    indexes = host.indexes_of(source.handle)
    if not host.reads(source):
        raise Refusal(f"the lists of {handle} are of a form that velpin does not read")
    if not indexes:
        raise Refusal(
            f"{handle} has no index here", f"fetch it: velpin refresh {shell_word(source.handle)}"
        )
    live: dict[str, dict[tuple[str, str], Offer]] = {}
    found = []
    for row in (row for index in indexes for row in index.matching(glob)):
        if not host.takes_arch(row.arch):
            continue
        if source.on and row.name not in live:
            live[row.name] = {
                (offer.version, offer.arch): offer
                for offer in reversed(host.offers.live(row.name))
                if offer.source == source.handle
            }
        same = live.get(row.name, {}).get((row.version, row.arch))
        found.append(same or _of_row(source, row))
    return sorted(_newest_first(host, found), key=lambda offer: offer.name)


def find(host: Adapter[Source], text: str, most: int = 40) -> tuple[list[SearchHit], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    found, count = search(_searched(host), text, most)
    return [_hit(host, name, summary) for name, summary in found], count


def _searched(host: Adapter[Source]) -> Iterator[Index]:
    yield from host.indexes_on()
    if host.record:
        yield host.record
    yield from (index for _, index in host.indexes_off())


def _hit(host: Adapter[Source], name: str, summary: str) -> SearchHit:
    """A name with what is installed of it and what the host would take."""
    offers = host.offers.live(name)
    installed = next((offer.version for offer in offers if offer.installed), None)
    for state in ("chosen", "candidate"):
        for offer in offers:
            if offer.state == state:
                return SearchHit(name, summary, installed, offer.version, offer.source)
    return SearchHit(name, summary, installed, None, None)
