"""Repositories and package files that are no source of a deb host."""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from pathlib import Path

from velpin.change.plan import NewSource
from velpin.errors import FetchError, TrustError
from velpin.fetch.download import Transport
from velpin.kinds.deb.package_file import as_source
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.suites import head_at, suites_of
from velpin.model.forecast import PACKAGE_FILE
from velpin.ports.unlisted import AtAddress, PackageFile, PackagesAsSource, Unlisted

_LARGEST_FLAT = 64 << 20
"""Bytes of a flat repository's index, where it has no release file."""


class DebUnlisted(Unlisted):
    """Looks at what is no source of a deb host."""

    package_ending = r"\.deb"

    def __init__(self, state: DebState) -> None:
        self._state = state

    def at_address(self, address: str, transport: Transport, release: str = "") -> AtAddress | None:
        """The suite that is asked for, else that of this host's release, else the first, with its
        main component; or a flat repository."""
        base = address.rstrip("/")
        suites = suites_of(base, transport, self._state.configuration.release)
        if not suites and (not release or release == "./"):
            return _flat(base, transport)
        here = self._state.configuration.release.get("VERSION_CODENAME", "")
        suite = release or (here if here in suites else suites[0])
        head = head_at(f"{base}/dists/{suite}", transport)
        if head is None:
            return None
        main = ("main",) if "main" in head.components else head.components
        new = NewSource(address=base, release=suite, components=main)
        return AtAddress(new, suites or [suite], head.components, head.architectures)

    def unchecked(self, new: NewSource) -> NewSource:
        """The same as a line that trusts whatever comes."""
        archs = f" arch={','.join(new.archs)}" if new.archs else ""
        flat = new.release.endswith("/")
        components = "" if flat else " ".join(new.components or ("main",))
        line = f"deb [trusted=yes{archs}] {new.address} {new.release} {components}\n"
        return NewSource(new.handle, snippet=line, snippet_name="a look", keep_options=True)

    def of_packages(self, packages: Sequence[PackageFile], folder: Path) -> PackagesAsSource:
        """Some package files as a source of the host."""
        return as_source(packages, folder, PACKAGE_FILE)


def _flat(base: str, transport: Transport) -> AtAddress | None:
    """The flat repository at an address."""
    new = NewSource(address=base, release="./")
    head = head_at(base, transport)
    if head is not None:
        return AtAddress(new, ["./"], (), head.architectures)
    for name in ("Packages.gz", "Packages.xz", "Packages"):
        with contextlib.suppress(FetchError, TrustError):
            transport.read(f"{base}/{name}", most=_LARGEST_FLAT)
            return AtAddress(new, ["./"])
    return None
