"""Offers of a name on a deb host, with what the choice makes of each."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING

from velpin.files.text import whole_number
from velpin.kinds.deb import choice
from velpin.model.forecast import Details, Offer
from velpin.ports.offers import Offers

if TYPE_CHECKING:
    from velpin.kinds.deb.choice import DebPackage
    from velpin.kinds.deb.state import DebState
    from velpin.model.forecast import OfferState
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


class DebOffers(Offers):
    """Offers of a name on a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def live(self, name: str) -> list[Offer]:
        """Every version of a name for each architecture, the host's own first."""
        return [
            offer
            for package in self._state.packages.named(name).values()
            for offer in _live(package)
        ]

    def versions_of(self, name: str, arch: str) -> Iterator[tuple[str, str, int]]:
        """Version, source and priority of all there is of a name for an architecture."""
        package = self._state.packages.named(name).get(arch)
        for version in package.versions if package else ():
            for source in [held.origin.source for held in version.offered] or [""]:
                yield version.text, source, version.priority.value

    def dated(self, index: Index, row: Row) -> float | None:
        """When the index of a source was made: the entries have no dates."""
        indexes = self._state.indexes
        sources = (origin.source for origin, opened in indexes.opened if opened is index)
        return next((indexes.copies[handle].release.date for handle in sources), None)

    def details(self, source: Source | None, index: Index, row: Row) -> Details:
        """The stanza of an index, its description from the installer's lists of translations where
        the stanza has a line of it alone."""
        from velpin.kinds.deb.control import parse_stanza
        from velpin.kinds.deb.translations import long_description

        fields = parse_stanza(index.text(row))
        copy = self._state.indexes.copies[source.handle] if source else None
        return Details(
            description=_behind_summary(
                (copy and long_description(self._state.tree, copy.files.values(), fields))
                or fields.get("description", "")
            ),
            homepage=fields.get("homepage", ""),
            maintainer=fields.get("maintainer", ""),
            download_bytes=whole_number(fields.get("size", "")),
            disk_bytes=_from_kilobytes(fields.get("installed-size", "")),
            needs=(*_listed(fields, "pre-depends"), *_listed(fields, "depends")),
            recommends=_listed(fields, "recommends"),
            suggests=_listed(fields, "suggests"),
            conflicts=(*_listed(fields, "breaks"), *_listed(fields, "conflicts")),
            replaces=_listed(fields, "replaces"),
            provides=_listed(fields, "provides"),
        )


def _behind_summary(text: str) -> str:
    """A description behind its first line, without the dots that stand for blank lines in it."""
    return "\n".join("" if line == "." else line for line in text.split("\n")[1:])


def _from_kilobytes(text: str) -> int | None:
    number = whole_number(text)
    return None if number is None else number * 1024


def _listed(fields: Mapping[str, str], name: str) -> tuple[str, ...]:
    """The relations of a field, as they are written."""
    parts = " ".join(fields.get(name, "").split()).split(",")
    return tuple(part.strip() for part in parts if part.strip())


def _live(package: DebPackage) -> Iterator[Offer]:
    chosen = choice.candidate(package)
    for version in package.versions:
        state: OfferState = "candidate" if version is chosen else "passed over"
        if not version.offered and version.installed:
            yield Offer(
                package.name, version.arch, version.text, "", "", "",
                version.holders[0].row.summary, version.priority.value, state, True,
            )  # fmt: skip
        for place, held in enumerate(version.offered):
            taken = version is chosen and place == 0
            yield Offer(
                package.name, held.row.arch, version.text, held.origin.source,
                held.origin.component, held.origin.url, held.row.summary, version.priority.value,
                "chosen" if taken else state, version.installed,
            )  # fmt: skip
