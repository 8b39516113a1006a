"""All offers of names or of one source, and searching names and summaries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.about import Met
from velpin.errors import Refusal
from velpin.kinds.deb import choice
from velpin.kinds.deb.choice import Package
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.version import version_key
from velpin.model import Offer, OfferState
from velpin.near import search
from velpin.store.index import Index, Row


def offers_of(host: DebState, names: Iterable[str]) -> list[Offer]:
    """Every offer of some names, newest first, also of sources switched off."""
    return [offer for name in names for offer in _offers(host, name)]


def _offers(host: DebState, name: str) -> list[Offer]:
    found = [
        offer for package in host.packages(name).values() for offer in _live(package)
    ]  # fmt: skip
    for source, index in host.indexes_off():
        found += [_off(source, row) for row in index.rows(name)]
    return sorted(found, key=lambda offer: version_key(offer.version), reverse=True)


def _live(package: Package) -> Iterator[Offer]:
    chosen = choice.candidate(package)
    for version in package.versions:
        state: OfferState = "candidate" if version is chosen else "passed over"
        if not version.offered and version.installed:
            yield Offer(
                package.name, version.arch, version.text, "", "", "",
                version.holders[0].row.summary, version.number.value, state, True,
            )  # fmt: skip
        for place, held in enumerate(version.offered):
            taken = version is chosen and place == 0
            yield Offer(
                package.name, held.row.arch, version.text, held.origin.source,
                held.origin.section, held.origin.url, held.row.summary, version.number.value,
                "chosen" if taken else state, version.installed,
            )  # fmt: skip


def _off(source: DebSource, row: Row) -> Offer:
    return Offer(
        row.name, row.arch, row.version, source.handle, "", source.url, row.summary, 0,
        "source off", False,
    )  # fmt: skip


def offers_from(host: DebState, handle: str, glob: str = "*") -> list[Offer]:
    """What one source offers, by name; Refusal where there is no such source or index."""
    source = find_source(host, handle)
    copy = host.copies[source.handle]
    if not copy.files:
        raise Refusal(
            f"{handle} has no index here", f"fetch it: velpin refresh {source.handle}"
        )  # fmt: skip
    found: list[Offer] = []
    for path in copy.files.values():
        for row in host.index(path).matching(glob):
            found.append(_of_row(host, source, row))
    return sorted(found, key=lambda one: (one.name, _newest_first(one.version)))


class _newest_first:
    """Sorts versions newest first beside names that sort upwards."""

    def __init__(self, version: str) -> None:
        self._key = version_key(version)

    def __lt__(self, other: _newest_first) -> bool:
        return bool(self._key > other._key)


def _of_row(host: DebState, source: DebSource, row: Row) -> Offer:
    if not source.on:
        return _off(source, row)
    package = host.packages(row.name).get(host.native if row.arch == "all" else row.arch)
    for offer in _live(package) if package else ():
        if offer.source == source.handle and offer.version == row.version:
            return offer
    return _off(source, row)._replace(state="passed over")


def find_source(host: DebState, handle: str) -> DebSource:
    """The source with a handle; Refusal with near handles where there is none."""
    for source in host.sources:
        if source.handle == handle:
            return source
    family = [source.handle for source in host.sources if source.repository == handle]
    if len(family) == 1:
        return next(source for source in host.sources if source.handle == family[0])
    from velpin.near import nearest

    near = family or nearest(handle, [source.handle for source in host.sources])
    hint = f"did you mean {' or '.join(near)}?" if near else "velpin sources lists them"
    raise Refusal(f"no source is called {handle!r}", hint)


def find(host: DebState, text: str, most: int = 40) -> tuple[list[Met], int]:
    """Names and summaries that hold every word of a text, best first, and how many there are."""
    found, count = search(_searched(host), text, most)
    return [_met(host, name, summary) for name, summary in found], count


def _searched(host: DebState) -> Iterator[Index]:
    yield from (index for _, index in host.indexes)
    if host.record:
        yield host.record
    yield from (index for _, index in host.indexes_off())


def _met(host: DebState, name: str, summary: str) -> Met:
    for package in host.packages(name).values():
        installed = package.installed
        chosen = choice.candidate(package)
        if chosen or installed:
            offered = chosen.offered if chosen else []
            return Met(
                name, summary, installed.text if installed else None,
                chosen.text if chosen else None, offered[0].origin.source if offered else "",
            )  # fmt: skip
    return Met(name, summary, None, None, None)
