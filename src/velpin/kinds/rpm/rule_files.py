"""In which files rules of an rpm host stand."""

from __future__ import annotations

from abc import ABC, abstractmethod
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.rpm.ini import words
from velpin.kinds.rpm.pattern import Named, Patterns

if TYPE_CHECKING:
    from velpin.kinds.rpm.configuration import RpmConfiguration
    from velpin.kinds.rpm.filters import RpmFilters


class RpmRuleFiles(ABC):
    """Files of rules; each layout says which."""

    keys: tuple[str, ...]
    """Keys of sections that are rules."""
    zero_counts = True
    """Whether 0 is a priority like others for a source."""

    def __init__(self, configuration: RpmConfiguration, filters: RpmFilters) -> None:
        self.configuration, self.filters = configuration, filters

    @property
    @abstractmethod
    def sections(self) -> list[str]:
        """Files of sections in which rules may stand."""

    @property
    def blocks(self) -> tuple[str, ...]:
        """Files of blocks that are rules."""
        return ()

    @property
    def block_preamble(self) -> bytes:
        """What a new file of such blocks begins with."""
        return b""

    @property
    def lines(self) -> list[str]:
        """Files of lines that are rules."""
        return []

    def pattern_means(self, text: str, name: str, arch: str, version: str) -> bool:
        """Whether a list of patterns means a package."""
        if text not in self._lists:
            self._lists[text] = Patterns(words(text))
        return self._lists[text].mean(Named(name, arch, version))

    @cached_property
    def _lists(self) -> dict[str, Patterns]:
        return {}
