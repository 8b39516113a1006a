"""What an rpm-dnf host is made of."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.kinds.rpm.ini import words
from velpin.kinds.rpm.packages import RpmPackages
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm_dnf.chooser import DnfChooser
from velpin.kinds.rpm_dnf.configuration import DnfConfiguration
from velpin.kinds.rpm_dnf.filters import DnfFilters
from velpin.kinds.rpm_dnf.indexes import DnfIndexes
from velpin.kinds.rpm_dnf.rule_files import DnfRuleFiles

if TYPE_CHECKING:
    from velpin.model.request import Request
    from velpin.ports.view import View


class DnfState(RpmState):
    """One rpm-dnf host as it is read.

    `paths_asked`: some request is for a path, for which the newer installer reads full lists of
    files (observed: docs/how-hosts-choose/rpm-dnf-newer.md)."""

    kind = "rpm-dnf"
    configuration: DnfConfiguration
    filters: DnfFilters
    chooser: DnfChooser
    rule_files: DnfRuleFiles

    def __init__(self, view: View, *, paths_asked: bool = False) -> None:
        super().__init__(view)
        self.configuration = DnfConfiguration(view, self.recorded)
        self.indexes = DnfIndexes(view, self.recorded, self.configuration)
        self._paths_asked = paths_asked
        self.packages = RpmPackages(
            self.recorded, self.configuration, self.indexes, lambda: self.reads_files
        )
        self.filters = DnfFilters(self.configuration, self.indexes, lambda: self.packages.pool)
        self.packages.filters = self.filters
        self.chooser = DnfChooser(self.configuration, self.indexes, self.filters, self.packages)
        self.rule_files = DnfRuleFiles(self.configuration, self.filters)

    @property
    def reads_files(self) -> bool:
        """Whether the installer reads the full lists of files (observed: in the newer generation
        only where a request is for a path, or the settings want them)."""
        configuration = self.configuration
        wanted = configuration.config.main.get("optional_metadata_types")
        asked = self._paths_asked or "filelists" in words(wanted)
        return not configuration.ways.files_when_asked or asked

    def for_requests(self, requests: Sequence[Request]) -> DnfState:
        """The host as it is read for some requests."""
        paths = any(request.name.startswith(("/", "*/")) for request in requests)
        return DnfState(self.view, paths_asked=True) if paths and not self.reads_files else self
