"""Repositories and package files that are no source of an rpm host."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from velpin.change.plan import NewSource
from velpin.change.snippets import name_from
from velpin.errors import FetchError, TrustError
from velpin.fetch.download import Transport
from velpin.kinds.rpm.package_file import as_source
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.variables import substituted
from velpin.model.forecast import PACKAGE_FILE
from velpin.ports.unlisted import AtAddress, PackageFile, PackagesAsSource, Unlisted


class RpmUnlisted(Unlisted):
    """Looks at what is no source of an rpm host."""

    package_ending = r"\.rpm"

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def at_address(self, address: str, transport: Transport, release: str = "") -> AtAddress | None:
        """The repository whose list of lists is there."""
        there = substituted(address, self._state.configuration.variables).rstrip("/")
        try:
            transport.read(f"{there}/repodata/repomd.xml")
        except (FetchError, TrustError):
            return None
        return AtAddress(NewSource(address=address))

    def unchecked(self, new: NewSource) -> NewSource:
        """The same as a section with both checks off."""
        name = new.handle or name_from(new.address)
        text = f"[{name}]\nbaseurl={new.address}\nenabled=1\ngpgcheck=0\nrepo_gpgcheck=0\n"
        return NewSource(snippet=text, snippet_name="a look", keep_options=True)

    def of_packages(self, packages: Sequence[PackageFile], folder: Path) -> PackagesAsSource:
        """Some package files as a source of the host."""
        # rpm-dnf looks at no priorities for these; with the best one nothing hides them here
        return as_source(packages, folder, PACKAGE_FILE, more="priority=1\n")
