"""Fetching and checking the list of one source of an alpm host.

The list's own signature is what vouches for it, where the source's level asks for one: by a
key of the host's keyring. Nothing else promises its bytes, so it is read whole before it counts.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection
from typing import TYPE_CHECKING

from velpin.errors import BadSignature, FetchError, HostFileError, NotThere
from velpin.files.text import whole_number
from velpin.kinds.alpm import archive
from velpin.kinds.alpm.config import address_of
from velpin.kinds.alpm.copies import FILES, LIST
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.trust import ring
from velpin.model.dates import day_and_time
from velpin.model.host import RefreshResult
from velpin.model.source import Source
from velpin.ports.fetcher import Fetcher, RefreshOption
from velpin.store.source_fetch import SourceFetch

if TYPE_CHECKING:
    from velpin.fetch.download import Got, Transport
    from velpin.kinds.alpm.state import AlpmState
    from velpin.store.cache import Fetched

_LARGEST = 1 << 30


class AlpmFetcher(Fetcher):
    """Fetches the indexes of an alpm host."""

    options = frozenset[RefreshOption]({"files"})

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def fetch(
        self,
        source: Source,
        transport: Transport,
        options: Collection[RefreshOption] = (),
        clock: Callable[[], float] = time.time,
    ) -> RefreshResult:
        """Fetch and check one source, with `files` its list of files too; a failure is returned,
        never raised, and changes nothing."""
        source = self._state.configuration.by_handle[source.handle]
        return _AlpmFetch(self._state, source, transport, clock(), "files" in options).done()

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """When the list of a name at an address was changed; FetchError where it cannot be
        reached."""
        import tempfile
        from pathlib import Path

        url = f"{address_of(address, release, self._state.configuration.native)}/{release}.{LIST}"
        with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
            got = transport.get(url, Path(folder) / LIST, most=_LARGEST)
        return whole_number(_date(got))


class _AlpmFetch(SourceFetch):
    """One fetch of one source."""

    source: AlpmSource

    def __init__(
        self, state: AlpmState, source: AlpmSource, transport: Transport, now: float, files: bool
    ) -> None:
        self.state = state
        result = RefreshResult(source.handle, "failed")
        super().__init__(state.cache, source, transport, now, result)
        self.files = files or bool(self.before and FILES in self.before.indexes)

    def known(self) -> Fetched | None:
        """The last good fetch, from whichever server."""
        return self.state.indexes.finder.find(self.source).fetched

    def run(self) -> None:
        """Try one server after the other."""
        if not self.source.syncs:
            self.result.warnings.append(
                "is never refreshed by the host's installer: its Usage excludes Sync, so the list"
                " that is there counts"
            )
        missing = FetchError(
            f"{self.source.handle}: no server to fetch from",
            f"give its section a Server line in {self.source.file}",
        )
        passing = (FetchError, BadSignature)
        self.from_first_that_answers(self.source.servers, self._from, missing, passing)

    def _from(self, server: str) -> None:
        url = f"{server}/{self.source.handle}.{LIST}"
        known = self.before
        place = self.next = self.cache.place(server, self.source.release)
        target = place.path(f"{LIST}.new")
        got = self.get_head(url, target, LIST, _LARGEST)
        if not got.fresh and known:
            if self.files:
                known.indexes[FILES] = self._files(server)
            self.stay(known)
            return
        if known and self._is_older(known, got):
            self.stay(known)
            return
        data = target.read_bytes()
        self.result.signed_by = self._signers(url, data)
        name = self.keep_file(target, LIST)
        try:
            self.cache.parsed(place.path(name), archive.parts_of)
        except HostFileError as problem:
            if known is None or name not in known.indexes.values():
                place.path(name).unlink(missing_ok=True)
            raise FetchError(f"{url}: {problem.what}") from problem
        place.release_file = name
        place.indexes = {LIST: name, **({FILES: self._files(server)} if self.files else {})}
        place.remote["date"] = _date(got)
        same = known is not None and known.indexes.get(LIST) == name
        self.commit(whole_number(place.remote["date"]))
        self.result.outcome = "unchanged" if same else "new"

    def _is_older(self, known: Fetched, got: Got) -> bool:
        """Whether a list is older than the one seen before: the installer asks for newer ones
        only, so the newer stays here too."""
        before, now = (
            whole_number(handle) for handle in (known.remote.get("date", ""), _date(got))
        )
        if not (before and now and now < before):
            return False
        self.result.warnings.append(
            f"gave a list of {day_and_time(now)}, older than the one of"
            f" {day_and_time(before)} seen before; the newer one stays"
        )
        return True

    def _files(self, server: str) -> str:
        """Fetch the list with the files of each package."""
        url = f"{server}/{self.source.handle}.{FILES}"
        target = self.next.path(f"{FILES}.new")
        label = f"{self.source.handle} {FILES}"
        got = self.transport.get(url, target, label=label, most=_LARGEST)
        self.result.bytes += got.size
        data = target.read_bytes()
        self._signers(url, data)
        return self.keep_file(target, FILES)

    def is_trusted_as_before(self, known: Fetched) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""
        if self.source.level.of_index == "never":
            return True
        if not known.signed_by:
            return self.source.level.of_index == "optional"
        keys = (key for key in ring(self.state).keys if key.is_usable(self.now))
        return bool({part for key in keys for part in key.parts}.intersection(known.signed_by))

    def _signers(self, url: str, data: bytes) -> tuple[str, ...]:
        """Who signed it, where the source's level wants that to be known."""
        level = self.source.level
        if level.of_index == "never":
            return ()
        found = ring(self.state)
        try:
            return self.detached_signers(url, data, "sig", found.keys, found.problems, every=True)
        except NotThere:
            if level.of_index == "optional":
                return ()
            hint = (
                "its SigLevel asks for that; DatabaseOptional takes a list without a signature,"
                " if you trust the way to it"
            )
            raise self.not_signed(url, "list", hint) from None


def _date(got: Got) -> str:
    """When the server says a list was last changed, in whole seconds since 1970."""
    text = got.validators.get("last_modified", "")
    nanoseconds = text.partition(" ")[0]
    told = whole_number(nanoseconds[:-9]) if nanoseconds.isdigit() else None
    if told is not None:
        return str(told)
    if not text:
        return ""
    from email.utils import parsedate_to_datetime

    try:
        return str(int(parsedate_to_datetime(text).timestamp()))
    except (ValueError, TypeError, OverflowError):
        return ""
