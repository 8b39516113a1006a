"""Lists of the sources of an rpm-dnf host."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.kinds.rpm.indexes import RpmIndexes
from velpin.kinds.rpm.reasons import OlderGeneration
from velpin.kinds.rpm_dnf.config import (
    is_yum_host,
    main_file,
)
from velpin.model.reason import Reason


class DnfIndexes(RpmIndexes):
    """The lists of an rpm-dnf host."""

    def notes(self) -> Iterator[Reason]:
        """What to know of a forecast: also whether the installer's own rules are known."""
        yield from super().notes()
        if is_yum_host(self.tree):
            yield OlderGeneration(file=main_file(self.tree))
