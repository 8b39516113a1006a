"""In which files rules of an rpm-dnf host stand."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.rpm.rule_files import RpmRuleFiles
from velpin.kinds.rpm_dnf import own_locks
from velpin.kinds.rpm_dnf.config import (
    main_file,
)
from velpin.kinds.rpm_dnf.locks import list_file

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.configuration import DnfConfiguration


class DnfRuleFiles(RpmRuleFiles):
    """Sections, the main file, and the list of locked versions."""

    configuration: DnfConfiguration
    keys = ("priority", "includepkgs", "excludepkgs", "exclude")

    @property
    def sections(self) -> list[str]:
        """Files of sections in which rules may stand."""
        return list(
            dict.fromkeys(
                [
                    main_file(self.configuration.tree),
                    *(source.file for source in self.configuration.sources),
                    *(
                        file
                        for source in self.configuration.sources
                        for _, file in source.elsewhere
                    ),
                ]
            )
        )

    @cached_property
    def lock_file(self) -> str:
        """The list of locked versions; empty where this host has none in force."""
        return (
            own_locks.FILE
            if self.configuration.ways.own_files
            else list_file(self.configuration.tree)
        )

    @property
    def blocks(self) -> tuple[str, ...]:
        """Files of blocks that are rules."""
        return (self.lock_file,) if self.lock_file else ()

    @property
    def block_preamble(self) -> bytes:
        """What a new file of such blocks begins with."""
        return own_locks.PREAMBLE if self.configuration.ways.own_files else b""

    @property
    def lines(self) -> list[str]:
        """Files of lines that are rules."""
        return list(
            dict.fromkeys(lock.place.file for lock in self.configuration.version_locks.lines)
        )
