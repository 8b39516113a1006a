"""Offers of a name on an alpm host, with what the choice makes of each."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from velpin.files.text import whole_number
from velpin.kinds.alpm import archive, local
from velpin.kinds.alpm.entry import Desc, built
from velpin.model.forecast import Details, Offer
from velpin.ports.offers import Offers

if TYPE_CHECKING:
    from velpin.kinds.alpm.pool import AlpmPackage
    from velpin.kinds.alpm.state import AlpmState
    from velpin.model.forecast import OfferState
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


class AlpmOffers(Offers):
    """Offers of a name on an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def built(self, index: Index, row: Row) -> float | None:
        """When a package was built, by the list."""
        return float(built(index.text(row))) or None

    def details(self, source: Source | None, index: Index, row: Row) -> Details:
        """The `desc` of a package in a source's list, or in the record."""
        folder = f"{row.name}-{row.version}"
        if source is None:
            desc = local.desc_of(self._state.configuration.record_path, folder)
        else:
            path = self._state.indexes.copies[source.handle].path
            desc = archive.desc_of(path, folder) if path else Desc({})
        packager = desc.one("PACKAGER")
        return Details(
            description=desc.one("DESC"),
            homepage=desc.one("URL"),
            license=", ".join(desc.all("LICENSE")),
            maintainer="" if packager == "Unknown Packager" else packager,
            download_bytes=whole_number(desc.one("CSIZE")),
            disk_bytes=whole_number(desc.one("ISIZE") or desc.one("SIZE")),
            needs=desc.all("DEPENDS"),
            suggests=desc.all("OPTDEPENDS"),
            conflicts=desc.all("CONFLICTS"),
            replaces=desc.all("REPLACES"),
            provides=desc.all("PROVIDES"),
        )

    def live(self, name: str) -> list[Offer]:
        """Every offer of a name, and what is installed where no source has that."""
        chosen = self._state.packages.choice_of(name)
        here = self._state.packages.pool.installed(name)
        shown = self._state.packages.pool.offered(name)
        if here is not None and self._state.packages.offered_as(here) is None:
            shown.append(here)
        return [_offer(self._state, package, chosen) for package in shown]

    def versions_of(self, name: str, arch: str) -> Iterable[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name."""
        return [
            (package.version, package.origin.handle, package.origin.rank)
            for package in self._state.packages.pool.all_named(name)
            if not package.installed or self._state.packages.offered_as(package) is None
        ]


def _offer(state: AlpmState, package: AlpmPackage, chosen: AlpmPackage | None) -> Offer:
    shown: OfferState = "passed over"
    if package is chosen:
        shown = "chosen"
    elif chosen is not None and (package.name, package.version) == (chosen.name, chosen.version):
        shown = "candidate"
    source = package.origin.source
    here = state.packages.pool.installed(package.name)
    address = state.indexes.base_of(source) if source else ""
    return Offer(
        package.name, package.arch, package.version, package.origin.handle, "",
        address, package.row.summary, package.origin.rank, shown,
        here is not None and here.version == package.version,
    )  # fmt: skip
