"""Whose each source is. A name alone proves nothing, since whoever makes an index writes it: two
sources are one publisher's only if an address or a key says so too."""

from __future__ import annotations

from collections import Counter
from functools import cache
from itertools import chain, count
from typing import TYPE_CHECKING

from velpin.model.publisher import domain_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from velpin.model.forecast import Change
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.packages import Installed


def publishers(ports: Ports) -> dict[str, str]:
    """Return who publishes each source, by handle. Sources of one publisher have the same text;
    one that merely claims another's name has its domain behind it."""
    groups: dict[str, list[Source]] = {}
    found: dict[str, str] = {}
    for source in ports.configuration.sources:
        for text in _texts(ports.provenance.publisher_of(source), source):
            members = groups.setdefault(text, [])
            if not members or any(_is_vouched_for(ports, source, other) for other in members):
                members.append(source)
                found[source.handle] = text
                break
    return found


def home_of(known: Mapping[str, str], installed: Iterable[Installed]) -> str:
    """Return who publishes the distribution: whom most installed packages come from, of the
    publishers that are `known` by the handles of their sources; empty if none is."""
    counts = Counter(known[here.source] for here in installed if here.source in known)
    return counts.most_common(1)[0][0] if counts else ""


def _texts(name: str, source: Source) -> Iterator[str]:
    """What a publisher may be called here, the plainest first."""
    longer = f"{name} ({domain_of(source.address)})"
    return chain((name, longer), (f"{longer} {number}" for number in count(2)))


def _is_vouched_for(ports: Ports, one: Source, other: Source) -> bool:
    """Whether more than a name says that two sources have one publisher: a domain, a key that was
    verified to have signed both, or one that the host's files name for both."""
    if domain_of(one.address) == domain_of(other.address):
        return True
    signers = ports.signers
    if {*signers.index_signers(one)} & {*signers.index_signers(other)}:
        return True
    return bool(signers.keys_of(one).own & signers.keys_of(other).own)


def with_publishers(ports: Ports, changes: Sequence[Change]) -> tuple[Change, ...]:
    """Return some changes with whose each package was and whose it becomes, if those differ.

    If a kind knows vendors of packages that differ, they stand in the changes already; between two
    packages of one source they say nothing.
    """
    of_sources = cache(lambda: publishers(ports))

    def filled(change: Change) -> Change:
        if change.publisher and change.source == change.old_source:
            return change._replace(old_publisher="", publisher="")
        if change.publisher or not change.comes_from_elsewhere:
            return change
        was, becomes = (
            of_sources().get(handle or "", handle or "")
            for handle in (change.old_source, change.source)
        )
        return change._replace(old_publisher=was, publisher=becomes) if was != becomes else change

    return tuple(map(filled, changes))
