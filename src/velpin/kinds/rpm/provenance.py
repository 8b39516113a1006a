"""Whose sources and packages of an rpm host are whose."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice

from velpin.errors import HostFileError, StoreError
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.state import RpmState
from velpin.model.source import Source
from velpin.ports.packages import Installed
from velpin.ports.provenance import Provenance

_SAMPLE = 60


_SOURCE_RPM = re.compile(r"(.+)-([^-]+-[^-]+)\.(?:no)?src\.rpm\Z")


class RpmProvenance(Provenance):
    """Publishers of sources of an rpm host, and what its packages were built from."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def publisher_of(self, source: Source) -> str:
        """The vendor its packages name, else the domain of its address."""
        for facts in self.sample(source, 1):
            if facts.vendor:
                return facts.vendor
        return super().publisher_of(source)

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """The source package it was built from."""
        for package in self._state.packages.pool.installed(here.name):
            if (package.arch, package.version) == (here.arch, here.version):
                found = _SOURCE_RPM.fullmatch(package.facts.source)
                return (found.group(1), found.group(2)) if found else None
        return None

    def sample(self, source: Source, most: int = _SAMPLE) -> Iterator[_Sampled]:
        """Some of a source's packages; none where it cannot be read."""
        try:
            for index in self._state.indexes.of(source):
                for row in islice(index.all_rows(), most):
                    facts = read_facts(index.text(row))
                    yield _Sampled(facts.vendor, row.version, row.arch)
        except (HostFileError, StoreError):
            return


class _Sampled:
    """One of a source's packages, as far as a checkup asks."""

    __slots__ = ("arch", "vendor", "version")

    def __init__(self, vendor: str, version: str, arch: str) -> None:
        self.vendor, self.version, self.arch = vendor, version, arch
