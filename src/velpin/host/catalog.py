"""The catalogs of a host: sources that it could have, by name."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.core.access import Access
    from velpin.model.catalog import CatalogEntry
    from velpin.model.reason import Note
    from velpin.ports.bundle import Ports


class HostCatalog:
    """What the host's catalogs have."""

    def __init__(self, ports: Ports, access: Access) -> None:
        self._ports, self._access = ports, access

    def entries(self, words: Sequence[str] = ()) -> tuple[list[CatalogEntry], list[Note]]:
        """Return what the host's catalogs have, filled in for it, also what is not for it; with
        `words` what holds them all. And what is odd about the catalogs."""
        from velpin.core.catalog.entries import all_entries, search
        from velpin.core.catalog.shelf import read_shelf
        from velpin.model.reason import Note, Place

        shelf = read_shelf(self._ports.tree)
        errors = [Note(Place(e.file, e.line), e.what, "refused") for e in shelf.errors]
        return search(all_entries(self._ports), words), [*shelf.notes, *errors]

    def entry(self, name: str, channel: str = "") -> CatalogEntry | None:
        """Return the source of a catalog by its name, parts and all; None if no catalog has it.

        Raises UsageError for parts or a channel that it does not have, HostFileError if a catalog
        that might have it is not understood.
        """
        from velpin.core.catalog.entries import find_entry
        from velpin.core.new_source import is_plain_name

        return find_entry(self._ports, name, channel) if is_plain_name(name) else None

    def plan_add_entry(
        self, name: str, *, channel: str = "", mirror: str = "", only: Sequence[str] = (),
        over: Sequence[str] = (),
    ) -> Plan:  # fmt: skip
        """Plan to add a source of a catalog; its mirrors are tried, its key is held against the
        fingerprints in the catalog.

        Raises Refusal if no catalog has it or it is not for this host, UsageError for parts, a
        channel or a mirror that it does not have, FetchError if it cannot be reached, TrustError
        if its key is not what it must be.
        """
        from velpin.core.catalog.adding import plan_add_entry

        return plan_add_entry(
            self._ports, self._access, name, channel=channel, mirror=mirror, only=only, over=over
        )

    def plan_add_catalog(
        self, address: str, key: str, fingerprint: str = "", name: str = ""
    ) -> Plan:
        """Plan to keep a catalog from an address; it must be signed by `key`, a file or an address.

        Raises UsageError for an address or name that is none, Refusal if the name is taken,
        TrustError if it is not signed by that key, HostFileError if it is no catalog or the key
        cannot be read.
        """
        from velpin.core.catalog.fetching import plan_catalog
        from velpin.core.new_source import read_key

        keys = read_key(self._ports, self._access, key, fingerprint)
        transport = self._access.transport(self._ports)
        return plan_catalog(self._ports.tree, address, keys, fingerprint, transport, name)

    def plan_refresh(self, names: Sequence[str] = ()) -> Plan:
        """Plan to bring fetched catalogs up to date; no source is changed by that.

        Raises Refusal if there is none such, TrustError if one is not signed as it was or is older
        than the one here.
        """
        from velpin.core.catalog.fetching import plan_refresh

        return plan_refresh(self._ports.tree, names, self._access.transport(self._ports))

    def write(self, handles: Sequence[str]) -> str:
        """Return a catalog with entries for some of the host's sources, variables put back in.

        Raises Refusal for a handle that is none, or a source that no catalog could name.
        """
        from velpin.core.catalog.writing import write_entries

        return write_entries(self._ports, handles)
