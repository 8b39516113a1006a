"""Repositories and package files that are no source of an alpm host."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path
from urllib.parse import urlsplit

from velpin.change.plan import NewSource
from velpin.errors import FetchError, TrustError
from velpin.fetch.download import Transport
from velpin.kinds.alpm.config import NAME, address_of
from velpin.kinds.alpm.package_file import as_source
from velpin.kinds.alpm.state import AlpmState
from velpin.model.forecast import PACKAGE_FILE
from velpin.ports.unlisted import AtAddress, PackageFile, PackagesAsSource, Unlisted


class AlpmUnlisted(Unlisted):
    """Looks at what is no source of an alpm host."""

    package_ending = r"\.pkg\.tar(\.\w+)?"
    mixes_files_and_names = False

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def at_address(self, address: str, transport: Transport, release: str = "") -> AtAddress | None:
        """The repository whose list is there: a list is called as its section, so the names in the
        address are tried."""
        arch = self._state.configuration.first_arch
        for name in _names_in(address, arch):
            with contextlib.suppress(FetchError, TrustError):
                transport.read(f"{address_of(address, name, arch).rstrip('/')}/{name}.db")
                return AtAddress(NewSource(handle=name, address=address))
        return None

    def unchecked(self, new: NewSource) -> NewSource:
        """The same as a section that checks nothing."""
        text = f"[{new.handle}]\nSigLevel = Never\nServer = {new.address}\n"
        return NewSource(snippet=text, snippet_name="a look", keep_options=True)

    def of_packages(self, packages: Sequence[PackageFile], folder: Path) -> PackagesAsSource:
        """Some package files as a source of the host."""
        return as_source(packages, folder, PACKAGE_FILE)


def _names_in(address: str, arch: str) -> list[str]:
    """Names that a repository at an address may have: parts of its path, the last first, and of
    its machine's name."""
    parts = urlsplit(address)
    found = [part for part in reversed(parts.path.split("/")) if part != arch]
    found += (parts.hostname or "").split(".")
    return [name for name in dict.fromkeys(found) if name.strip(".") and NAME.match(name)][:8]
