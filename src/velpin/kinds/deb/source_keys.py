"""The keys that sign for the sources of a deb host, named or for all.

Observed rules: docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

from velpin.kinds.deb.key_files import KeyFileReader
from velpin.kinds.deb.trust import common_keys, named_keys

if TYPE_CHECKING:
    from velpin.files.tree import Tree
    from velpin.kinds.deb.configuration import DebConfiguration
    from velpin.kinds.deb.sources import DebSource
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import Key


class DebSourceKeys:
    """Which keys the host's installer would take for a source."""

    def __init__(self, tree: Tree, configuration: DebConfiguration) -> None:
        self.tree, self.configuration = tree, configuration

    @property
    def _reads_common_file(self) -> bool:
        """Whether the one old file of keys for all sources is read (observed: no more in the
        newer generation, unless the settings name it)."""
        return self.configuration.ways.reads_common_file or bool(
            self.configuration.conf.get("Dir::Etc::trusted")
        )

    def of(self, source: DebSource) -> NamedKeys:
        """The keys that a source's configuration names, or that count for all."""
        said = (source.signed_by, source.trusted, str(source.places[0]))
        if said not in self._named_keys:
            self._named_keys[said] = named_keys(
                self.tree, source, common_file=self._reads_common_file, reader=self.files
            )
        return self._named_keys[said]

    @cached_property
    def _named_keys(self) -> dict[tuple[str, bool, str], NamedKeys]:
        return {}

    def for_all(self, problems: list[str]) -> list[Key]:
        """Keys that sign for every source that names none; files that cannot be used are told."""
        return common_keys(
            self.tree, problems, common_file=self._reads_common_file, reader=self.files
        )

    @cached_property
    def files(self) -> KeyFileReader:
        """Reads key files as the host's installer does."""
        user = self.configuration.conf.get("APT::Sandbox::User")
        return KeyFileReader(self.tree, user, by_content=self.configuration.ways.keys_by_content)
