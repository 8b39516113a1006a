"""A deb host as the rest of Velpin asks it."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Sequence
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.answering import Answering
from velpin.kinds.deb import KIND
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.model import Note, Place, Source

if TYPE_CHECKING:
    from velpin.about import HostFacts
    from velpin.change.plan import Plan
    from velpin.change.readback import Meaning
    from velpin.fetch.download import Login
    from velpin.wish import Wish


class DebHost(DebState, Answering):
    """One deb host."""

    kind = KIND
    folder = "velpin.kinds.deb"
    snippet_endings = (".list", ".sources")
    fetch_options = ("accept_changed",)

    def facts(self) -> HostFacts:
        """What host this is."""
        states = [row.state for row in self.installed_rows()]
        return self.facts_with(
            (self.copies[source.handle].release.date for source in self.sources if source.on),
            self.archs[1:],
            len(states),
            sum(state.startswith("hold ") for state in states),
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""
        yield from (
            Note(Place(error.file, error.line), error.what) for error in self.source_files.errors
        )
        yield from self.source_files.notes
        if self.preferences.error:
            error = self.preferences.error
            yield Note(Place(error.file, error.line), error.what)
        yield from self.preferences.notes
        if self.record:
            for line, text in self.record.notes:
                yield Note(Place(self.record_file, line), text)

    def meaning(self) -> Meaning:
        """What the source files state."""
        from velpin.kinds.deb.edit import meaning

        return meaning(self)

    def key_of(self, source: Source) -> Hashable:
        """What a source is known by: handles may change with what stands beside it."""
        return (source.address, source.release)

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""
        return [*self.source_files.skipped, *self.preferences.skipped, *self.conf.skipped]

    def source(self, handle: str) -> DebSource:
        """The source with a handle; Refusal where there is none."""
        from velpin.kinds.deb.offers import find_source

        return find_source(self, handle)

    def fetch_proxies(self) -> dict[str, str]:
        """Proxies of the installer's configuration, by scheme."""
        named = {s: self.conf.get(f"Acquire::{s}::Proxy") for s in ("http", "https")}
        return {scheme: address for scheme, address in named.items() if address}

    def fetch_logins(self) -> list[Login]:
        """Logins for private sources."""
        from velpin.kinds.deb.logins import read_logins

        return read_logins(self.tree)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the indexes of a source now; how many offers they hold, and what was odd."""
        indexes = [(path, self.index(path)) for path in self.copies[handle].files.values()]
        notes = [
            Note(Place(path.name, line), text)
            for path, index in indexes
            for line, text in index.notes
        ]
        return sum(index.count for _, index in indexes), notes

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""
        found = self.refusal()
        return found if isinstance(found, HostFileError) else None

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        from velpin.kinds.deb.rules.noted import notes_on_drop

        plan = super().plan_drop(handle)
        plan.notes += notes_on_drop(self, handle)
        return plan

    def plan_wishes(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write."""
        from velpin.kinds.deb.rules.noted import notes_on

        plan = super().plan_wishes(wishes, foremost=foremost)
        plan.notes += notes_on(self, plan)
        return plan
