"""What an rpm-zypp host is made of."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.indexes import RpmIndexes
from velpin.kinds.rpm.packages import RpmPackages
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm_zypp.chooser import ZyppChooser
from velpin.kinds.rpm_zypp.configuration import ZyppConfiguration
from velpin.kinds.rpm_zypp.filters import ZyppFilters
from velpin.kinds.rpm_zypp.rule_files import ZyppRuleFiles

if TYPE_CHECKING:
    from velpin.ports.view import View


class ZyppState(RpmState):
    """One rpm-zypp host as it is read."""

    kind = "rpm-zypp"
    configuration: ZyppConfiguration
    filters: ZyppFilters
    chooser: ZyppChooser

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.configuration = ZyppConfiguration(view, self.recorded)
        self.indexes = RpmIndexes(view, self.recorded, self.configuration)
        self.packages = RpmPackages(self.recorded, self.configuration, self.indexes)
        self.filters = ZyppFilters(self.configuration, self.indexes, lambda: self.packages.pool)
        self.packages.filters = self.filters
        self.chooser = ZyppChooser(self.configuration, self.indexes, self.filters, self.packages)
        self.rule_files = ZyppRuleFiles(self.configuration, self.filters)
