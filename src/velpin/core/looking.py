"""Looking at a repository by its address, before it is a source of the host; nothing is kept."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.core.adding import in_same_place
from velpin.core.offers import offers_from
from velpin.core.scratch import with_scratch_store
from velpin.core.source_plans import added_sources
from velpin.errors import (
    BadSignature,
    FetchError,
    MissingKey,
    NotSigned,
    NotThere,
    Refusal,
    UsageError,
)
from velpin.model.looks import IndexSignature, Look
from velpin.model.shell import shell_word

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.change.plan import NewSource
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.files.tree import Edits
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.unlisted import AtAddress


def look_at(
    ports: Ports, access: Access, address: str, release: str = "",
    components: Sequence[str] = (), glob: str = "*",
) -> Look:  # fmt: skip
    """What a repository at an address has for this host, and who signs it.

    Its offers are those that fit a glob, in the state that they would have if it were a source.
    Raises UsageError for what is no address, Refusal if it is a source already or its name is
    taken, NotThere if no repository for this kind of host is there, FetchError if it cannot be
    fetched.
    """
    if "://" not in address:
        raise UsageError(f"{address!r} is not an address", "velpin offers --at https://...")
    transport = access.transport(ports)
    there = ports.composer.unlisted.at_address(address, transport, release)
    if there is None:
        wanted = f" with a release {release}" if release else ""
        raise NotThere(
            f"no repository for a host of kind {ports.kind}{wanted} was found at {address}",
            f"see what it would bring: velpin add {shell_word(address)}",
        )
    new = there.new._replace(components=tuple(components) or there.new.components)
    with with_scratch_store(ports) as looking:
        signature, source, seen = _fetched(looking, new, transport)
        return _look(seen, there, new, signature, source, glob)


def _fetched(
    ports: Ports, new: NewSource, transport: Transport
) -> tuple[IndexSignature, Source, Ports]:
    """Fetch a source with the host's own keys, else unchecked, and tell which."""
    edits = _edits(ports, new._replace(signed_index=True), transport)
    checked = ports.with_edits(edits)
    source = added_sources(ports, checked)[0]
    result = checked.fetcher.fetch(source, transport)
    problem = result.error
    if problem is None and result.signed_by:
        keys = {use.fingerprint: use.owner for use in checked.signers.uses()}
        owners = tuple(keys.get(each, "") for each in result.signed_by)
        return IndexSignature("known", result.signed_by, owners), source, ports.with_edits(edits)
    if isinstance(problem, FetchError) and not isinstance(problem, NotThere):
        raise problem
    signature = IndexSignature("none")
    if isinstance(problem, MissingKey):
        signature = IndexSignature("unknown", problem.key_ids)
    elif isinstance(problem, BadSignature) and not isinstance(problem, NotSigned):
        signature = IndexSignature("bad")
    edits = _edits(ports, ports.composer.unlisted.unchecked(new), transport)
    unchecked = ports.with_edits(edits)
    source = added_sources(ports, unchecked)[0]
    result = unchecked.fetcher.fetch(source, transport)
    if result.error is not None:
        raise result.error
    return signature, source, ports.with_edits(edits)  # read anew: its indexes are here now


def _edits(ports: Ports, new: NewSource, transport: Transport) -> Edits:
    addition = ports.composer.compose(new, transport)
    for source, _ in in_same_place(ports, addition):
        raise Refusal(
            f"{new.address} is on this host already, as {source.handle}",
            f"velpin offers --from {shell_word(source.handle)}",
        )
    for source in ports.configuration.sources:
        if source.handle in addition.handles and ports.composer.names_indexes:
            raise Refusal(f"{source.handle} is the name of another source ({source.places[0]})")
    return addition.edits


def _look(
    ports: Ports,
    there: AtAddress,
    new: NewSource,
    signature: IndexSignature,
    source: Source,
    glob: str,
) -> Look:
    """What a source holds that was fetched for a look."""
    found = [(index, row) for index in ports.indexes.of(source) for row in index.all_rows()]
    taken = [(index, row) for index, row in found if ports.packages.takes_arch(row.arch)]
    built = [time for index, row in taken if (time := ports.offers.built(index, row)) is not None]
    here = ports.configuration.release.get("VERSION_CODENAME", "")
    return Look(
        address=new.address,
        release=new.release,
        releases=tuple(there.releases),
        is_for_host=_is_of(new.release, here) if here in there.releases else None,
        components=new.components,
        all_components=tuple(there.components),
        architectures=tuple(there.architectures) or tuple(sorted({row.arch for _, row in found})),
        packages=len({row.name for _, row in taken}),
        made=ports.standing.parts_of(source).dated,
        oldest=min(built, default=None),
        newest=max(built, default=None),
        signature=signature,
        offers=tuple(offers_from(ports, source.handle, glob) if found else ()),
    )


def _is_of(release: str, here: str) -> bool:
    """Whether a release is the host's, or a part of it: `jetty-updates` of `jetty`."""
    return release == here or release.startswith(f"{here}-")
