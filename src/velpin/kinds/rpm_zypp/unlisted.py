"""Repositories and package files that are no source of an rpm-zypp host."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from velpin.kinds.rpm.package_file import as_source
from velpin.kinds.rpm.unlisted import RpmUnlisted
from velpin.model.forecast import PACKAGE_FILE
from velpin.ports.unlisted import PackageFile, PackagesAsSource


class ZyppUnlisted(RpmUnlisted):
    """Looks at what is no source of an rpm-zypp host."""

    def of_packages(self, packages: Sequence[PackageFile], folder: Path) -> PackagesAsSource:
        """Some package files as a source of the host; of one package's versions the newest."""
        return as_source(packages, folder, PACKAGE_FILE, newest_alone=True)
