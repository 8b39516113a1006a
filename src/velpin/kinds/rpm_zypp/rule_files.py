"""In which files rules of an rpm-zypp host stand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.rule_files import RpmRuleFiles

if TYPE_CHECKING:
    from velpin.kinds.rpm_zypp.configuration import ZyppConfiguration


class ZyppRuleFiles(RpmRuleFiles):
    """Sections, and the file of locks."""

    configuration: ZyppConfiguration
    keys = ("priority",)
    zero_counts = False

    @property
    def sections(self) -> list[str]:
        """Files of sections in which rules may stand."""
        return list(dict.fromkeys([*(source.file for source in self.configuration.sources)]))

    @property
    def blocks(self) -> tuple[str, ...]:
        """The file of locks."""
        return (self.configuration.lock_file,)
