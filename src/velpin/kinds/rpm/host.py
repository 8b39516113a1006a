"""An rpm host, of either layout, as the rest of Velpin asks it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.answering import Answering
from velpin.kinds.rpm.state import RpmState
from velpin.model import Note, Place

if TYPE_CHECKING:
    from velpin.about import HostFacts
    from velpin.change.readback import Meaning


class RpmHost(RpmState, Answering):
    """One rpm host of either layout."""

    folder = "velpin.kinds.rpm"
    snippet_endings = (".repo",)

    def facts(self) -> HostFacts:
        """What host this is."""
        installed = list(self.pool.all_installed())
        return self.facts_with(
            (self.copies[source.handle].repomd.date for source in self.sources if source.on),
            sorted({one.arch for one in installed if self.archs.is_secondary(one.arch)}),
            len(installed),
            sum(self.why_locked(one) is not None for one in installed),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (Note(Place(error.file, error.line), error.what) for error in self.config_errors)
        yield from self.config_notes
        if self.record and self.record_file:
            for line, text in self.record.notes:
                yield Note(Place(self.record_file, line), text)

    def meaning(self) -> Meaning:
        """What the source files state."""
        from velpin.kinds.rpm.edit import meaning

        return meaning(self)

    @property
    def rule_fields(self) -> tuple[str, ...]:
        """Keys of sections that are rules."""
        return self.rule_keys

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        found = self.refusal()
        return found if isinstance(found, HostFileError) else None

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the main list of a source now; how many offers it holds, and what was odd."""
        index = self.index(self.source(handle))
        if index is None:
            return 0, []
        name = self.copies[handle].files["primary"].name
        return index.count, [Note(Place(name, line), text) for line, text in index.notes]
