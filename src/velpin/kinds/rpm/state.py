"""What an rpm host of either layout is made of.

Everything is read when it is first asked for, through one view, so the same classes serve the host
as it is and the host as an edit would make it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Self

from velpin.kinds.rpm.chooser import RpmChooser
from velpin.kinds.rpm.configuration import RpmConfiguration
from velpin.kinds.rpm.filters import RpmFilters
from velpin.kinds.rpm.indexes import RpmIndexes
from velpin.kinds.rpm.packages import RpmPackages
from velpin.kinds.rpm.recorded import RpmRecorded
from velpin.kinds.rpm.rule_files import RpmRuleFiles
from velpin.model.forecast import HostName

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.model.request import Request
    from velpin.ports.view import View


class RpmState:
    """One rpm host as it is read; its parts are made by each layout."""

    kind: str
    configuration: RpmConfiguration
    filters: RpmFilters
    packages: RpmPackages
    chooser: RpmChooser
    rule_files: RpmRuleFiles
    indexes: RpmIndexes

    def __init__(self, view: View) -> None:
        self.view, self.tree, self.cache = view, view.tree, view.cache
        self.recorded = RpmRecorded(view)

    @property
    def name(self) -> HostName:
        """Which host a forecast is for."""
        configuration = self.configuration
        return HostName(self.kind, configuration.native, configuration.installer.generation)

    def with_edits(self, edits: Edits) -> Self:
        """The same host as it would be after some edits."""
        return type(self)(self.view.with_edits(edits))

    def for_requests(self, requests: Sequence[Request]) -> Self:
        """The host as it is read for some requests."""
        return self
