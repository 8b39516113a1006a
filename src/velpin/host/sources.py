"""The sources of a host: how they stand, their keys, fetching them, and plans that change them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, overload

from velpin.errors import TrustError
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from velpin.change.plan import NewSource, Plan
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.model.host import KeyUse, RefreshResult, SourceStatus
    from velpin.model.instructions import Reading
    from velpin.model.reason import Note
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.ports.fetcher import RefreshOption


class HostSources(Sequence["Source"]):
    """The sources of a host: those on, in the order of reading, then those switched off."""

    def __init__(self, ports: Ports, access: Access) -> None:
        self._ports, self._access = ports, access

    @overload
    def __getitem__(self, at: int) -> Source: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Source]: ...
    def __getitem__(self, at: int | slice) -> Source | Sequence[Source]:
        return self._all()[at]

    def __len__(self) -> int:
        return len(self._all())

    def __iter__(self) -> Iterator[Source]:
        return iter(self._all())

    def __repr__(self) -> str:
        return f"<sources {', '.join(source.handle for source in self)}>"

    def _all(self) -> Sequence[Source]:
        return self._ports.configuration.sources

    def find(self, handle: str) -> Source:
        """Return the source with a handle; Refusal with near handles if there is none."""
        return find_source(self._ports.configuration.by_handle, handle)

    def statuses(self) -> list[SourceStatus]:
        """Return every source in the order in which it wins: tier, priority, freshness,
        signature."""
        from velpin.core.source_status import source_statuses

        return source_statuses(self._ports)

    def keys(self) -> list[KeyUse]:
        """Return every key that may sign for something, for what, and what it was seen to sign."""
        from velpin.core.host_keys import key_uses

        return key_uses(self._ports)

    def key_problems(self) -> list[str]:
        """Return which keys are named and cannot be used, and why."""
        return self._ports.signers.problems()

    # -- fetching ----------------------------------------------------------------------------

    def transport(self) -> Transport:
        """Return what fetches, with the host's own proxies and logins and Velpin's settings."""
        return self._access.transport(self._ports)

    def refresh(
        self, handles: Sequence[str] = (), *, accept_changed: bool = False, files: bool = False
    ) -> list[RefreshResult]:
        """Fetch, check and parse the indexes of some sources, of all that are on without any.

        Each failure is in its result, and then the last good index stays. `accept_changed` takes a
        source that now calls itself something else; `files` fetches lists of files too, if this
        kind of host keeps them apart. Raises Refusal for a handle that is none.
        """
        from velpin.core.forecasting import refused
        from velpin.core.host_keys import remember_revoked
        from velpin.core.refreshing import refresh

        given = {"accept_changed": accept_changed, "files": files}

        def fetch(source: Source, transport: Transport) -> RefreshResult:
            options = [name for name in self._ports.fetcher.options if given[name]]
            return self._fetch_one(source, transport, options)

        def read(source: Source) -> tuple[int, list[Note]]:
            return self._again().read_indexes(source.handle)

        problem = refused(self._ports)
        if problem is not None:
            raise problem
        named = {source.handle: source for source in map(self.find, handles)}
        chosen = list(named.values()) or [source for source in self if source.on]
        results = refresh(self._ports, self._access, chosen, fetch, read)
        if any(isinstance(result.error, TrustError) for result in results):
            remember_revoked(self._ports)
        return results

    def _again(self) -> HostSources:
        """The same, to be read anew."""
        return HostSources(self._ports.with_edits({}), self._access)

    def _fetch_one(
        self, source: Source, transport: Transport, options: Sequence[RefreshOption]
    ) -> RefreshResult:
        return self._ports.fetcher.fetch(source, transport, options)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the indexes of a source now; return how many offers they hold, and what was odd."""
        from velpin.model.reason import Note, Place

        indexes = self._ports.indexes.of(self.find(handle))
        notes = [
            Note(Place(Path(index.stamp.path).name, note.line), note.text)
            for index in indexes
            for note in index.notes
        ]
        return sum(index.count for index in indexes), notes

    # -- planning ----------------------------------------------------------------------------

    def given(
        self, what: str, *, name: str = "", url: str = "", suite: str = "",
        components: Sequence[str] = (), archs: Sequence[str] = (), key: str = "",
        fingerprint: str = "", standard_input: str | None = None,
    ) -> NewSource:  # fmt: skip
        """Return a source as a person gives it; nothing of it is looked at yet.

        `what` is a name for it, with `url`; or a vendor's snippet or release package: its text,
        file or address, or `-` for `standard_input`. `key` is a file, an address, a whole
        fingerprint or a mail address. Raises UsageError if the words clash, HostFileError for a
        file that cannot be read, FetchError for an address that cannot be reached.
        """
        from velpin.core.new_source import new_source_from

        return new_source_from(
            self._ports, self._access, what, name=name, url=url, suite=suite,
            components=components, archs=archs, key=key, fingerprint=fingerprint,
            standard_input=standard_input,
        )  # fmt: skip

    def plan_add(
        self, new: NewSource, *, only: Sequence[str] = (), over: Sequence[str] = ()
    ) -> Plan:
        """Plan to add a source; it is fetched and looked at, with its key.

        With `only` it is confined to those names or globs, with `over` preferred over those
        sources. Raises UsageError for too little said, Refusal if the source or its name is taken,
        TrustError if the key is not what it must be.
        """
        from velpin.core.adding import plan_add

        return plan_add(self._ports, self._access, new, only, over)

    def read_instructions(
        self, text: str, name: str = "the instructions", *,
        files: Mapping[str, bytes] = MappingProxyType({}), arguments: Sequence[str] = (),
    ) -> list[Reading]:  # fmt: skip
        """Return what a vendor's instructions come to on this host; nothing of them is run.

        `files` come with a release package's script, and `arguments` are what it is called with.
        There are several if something that cannot be decided here leads to different sources. A
        script that the text hands to a shell is fetched and read in the same way. Raises
        HostFileError (with `name` and the line) for a text without end.
        """
        from velpin.core.instructions import read_instructions

        return read_instructions(
            self._ports, self._access, text, name, files=files, arguments=arguments
        )

    def plan_instructions(
        self, reading: Reading, *, name: str = "", suite: str = "", key: bytes = b"",
        fingerprint: str = "", only: Sequence[str] = (), over: Sequence[str] = (),
    ) -> Plan:  # fmt: skip
        """Plan what instructions come to; each source is fetched and looked at, with its key.

        `key`, `suite` and `name` take the place of what the text says. Raises UsageError if it
        brings this host nothing, and what `plan_add` raises.
        """
        from velpin.core.instructions import plan_instructions

        return plan_instructions(
            self._ports, self._access, reading, name=name, suite=suite, key=key,
            fingerprint=fingerprint, only=only, over=over,
        )  # fmt: skip

    def plan_add_recipes(self, handle: str, address: str) -> Plan:
        """Plan to add a source of build recipes; it is read before.

        Raises UsageError for a name or address that is none, Refusal if the name is taken.
        """
        from velpin.recipes.changing import plan_add

        with self._access.holding(self._ports):
            return plan_add(self._ports, self, handle, address, self.transport())

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """Plan to switch a source on or off; Refusal if that would do more."""
        from velpin.core.source_plans import plan_switch

        return plan_switch(self._ports, handle, on)

    def plan_drop(self, handle: str) -> Plan:
        """Plan to take a source away; Refusal if that would do more."""
        from velpin.core.source_plans import plan_drop

        return plan_drop(self._ports, handle)
