"""What an alpm host is made of.

Everything is read when it is first asked for, through one view, so the same classes serve the host
as it is and the host as an edit would make it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.alpm.configuration import AlpmConfiguration
from velpin.kinds.alpm.indexes import AlpmIndexes
from velpin.kinds.alpm.packages import AlpmPackages
from velpin.model.forecast import HostName

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.ports.view import View


class AlpmState:
    """One alpm host as it is read."""

    def __init__(self, view: View) -> None:
        self.view, self.tree, self.cache = view, view.tree, view.cache
        self.configuration = AlpmConfiguration(view)
        self.indexes = AlpmIndexes(view, self.configuration)
        self.packages = AlpmPackages(self.configuration, self.indexes)

    @property
    def name(self) -> HostName:
        """Which host a forecast is for."""
        return HostName("alpm", self.configuration.native)

    def with_edits(self, edits: Edits) -> AlpmState:
        """The same host as it would be after some edits."""
        return AlpmState(self.view.with_edits(edits))
