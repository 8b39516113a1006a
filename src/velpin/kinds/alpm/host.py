"""An alpm host as the rest of Velpin asks it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.answering import Answering
from velpin.model import Note, Place

if TYPE_CHECKING:
    from velpin.about import HostFacts
    from velpin.change.readback import Meaning


class AlpmHost(AlpmState, Answering):
    """One alpm host."""

    folder = "velpin.kinds.alpm"
    snippet_endings = (".conf",)
    fetch_options = ("files",)

    def facts(self) -> HostFacts:
        """What host this is."""
        installed = list(self.pool.all_installed())
        return self.facts_with(
            (self.copies[source.handle].date for source in self.sources if source.on),
            self.archs[1:],
            len(installed),
            sum(self.ignored.why(one) is not None for one in installed),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (Note(Place(one.file, one.line), one.what) for one in self.config.errors)
        yield from self.config.notes
        for _, text in self.record.notes if self.record else ():
            yield Note(Place(f"{self.database}/local", 0), text)

    @property
    def rule_fields(self) -> tuple[str, ...]:
        """Settings that are rules."""
        return ("Usage", "IgnorePkg", "IgnoreGroup")

    def meaning(self) -> Meaning:
        """What the configuration states."""
        from velpin.kinds.alpm.edit import meaning

        return meaning(self.config)

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over: it has none."""
        return []

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        return self.refusal()

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the list of a source now; how many offers it holds, and what was odd."""
        index = self.index(self.source(handle))
        path = self.copies[handle].path
        if index is None or path is None:
            return 0, []
        return index.count, [Note(Place(path.name, line), text) for line, text in index.notes]
