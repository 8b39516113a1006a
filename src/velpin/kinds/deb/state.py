"""What a deb host is made of.

Everything is read when it is first asked for, through one view, so the same classes serve the host
as it is and the host as an edit would make it.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.deb.configuration import DebConfiguration
from velpin.kinds.deb.indexes import DebIndexes
from velpin.kinds.deb.packages import DebPackages
from velpin.kinds.deb.record import DebRecord
from velpin.model.forecast import HostName

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.kinds.deb.source_keys import DebSourceKeys
    from velpin.ports.view import View


class DebState:
    """One deb host as it is read."""

    def __init__(self, view: View) -> None:
        self.view, self.tree, self.cache = view, view.tree, view.cache
        self.recorded = DebRecord(view)
        self.configuration = DebConfiguration(view, self.recorded)
        self.indexes = DebIndexes(view, self.recorded, self.configuration)
        self.packages = DebPackages(self.recorded, self.configuration, self.indexes)

    @cached_property
    def keys(self) -> DebSourceKeys:
        """The keys of its sources; a forecast needs none."""
        from velpin.kinds.deb.source_keys import DebSourceKeys

        return DebSourceKeys(self.tree, self.configuration)

    @property
    def name(self) -> HostName:
        """Which host a forecast is for."""
        configuration = self.configuration
        return HostName("deb", configuration.native, configuration.installer.generation)

    def with_edits(self, edits: Edits) -> DebState:
        """The same host as it would be after some edits."""
        return DebState(self.view.with_edits(edits))
