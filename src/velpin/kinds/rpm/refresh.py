"""Fetching and checking the lists of one source of an rpm host.

The chain, link by link: the signature of `repomd.xml`, where the source's configuration
asks for one, by exactly the keys it names; from its digests each list as fetched, and what
is inside it.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING

from velpin.core.fetching import Promised, SourceFetch
from velpin.errors import FetchError, HostFileError, NotThere, ReleaseRefused
from velpin.kinds.rpm.repomd import STRONG, Repomd, read_repomd
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.trust import named_keys
from velpin.model.dates import day_and_time
from velpin.model.host import RefreshResult

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.kinds.rpm.state import RpmState
    from velpin.store.cache import Fetched

_LARGEST = 16 << 20


def refresh_source(
    host: RpmState,
    source: RpmSource,
    transport: Transport,
    clock: Callable[[], float] = time.time,
) -> RefreshResult:
    """Fetch and check one source; a failure is returned, never raised, and changes nothing."""
    return _RpmFetch(host, source, transport, clock()).done()


class _RpmFetch(SourceFetch):
    """One fetch of one source."""

    head = "repomd.xml"
    source: RpmSource

    def __init__(self, host: RpmState, source: RpmSource, transport: Transport, now: float) -> None:
        result = RefreshResult(source.handle, "failed")
        super().__init__(host.cache, source, transport, now, result)
        self.host = host

    def run(self) -> None:
        """Go through the chain at the first address that answers; of a source whose lists are
        not read here nothing is fetched."""
        if self.source.unread:
            self.result.outcome = "unchanged"
            self.result.warnings.append(f"is of type {self.source.unread}, which is not read here")
            return
        missing = FetchError(
            f"{self.source.handle}: no address to fetch from",
            f"give its section a baseurl in {self.source.file}",
        )
        self.from_first_that_answers(self._bases(), self._from, missing)

    def _bases(self) -> Iterator[str]:
        yield from (url.rstrip("/") + "/" for url in self.source.urls)
        if self.source.mirrors:
            from velpin.kinds.rpm.mirrors import read_mirrors

            data = self.transport.read(self.source.mirrors, most=_LARGEST)
            yield from read_mirrors(data, self.source.mirrors)

    def _from(self, base: str) -> None:
        url = f"{base}repodata/repomd.xml"
        target = self.next.path("repomd.new")
        if not self.get_head(url, target, "repomd.xml").fresh and self.before:
            self.stay(self.before)
            return
        data = target.read_bytes()
        repomd = read_repomd(data, url)
        self.result.signed_by = self._signers(url, data)
        self._tell_if_older(repomd)
        self.keep_release(data, "repomd", ".xml")
        self._lists(base, repomd)
        self.commit(repomd.date)

    def _tell_if_older(self, now: Repomd) -> None:
        """The installer takes a list that is older than the one before; so it is taken here, and
        told: it may be an old state that somebody put there."""
        if self.before is None:
            return
        seen = read_repomd(self.before.release_bytes(), self.source.address)
        if seen.date and now.date and now.date < seen.date:
            self.result.warnings.append(
                f"gave an index of {day_and_time(now.date)}, older than the one of"
                f" {day_and_time(seen.date)} seen before; the host's installer takes it"
            )

    def is_trusted_as_before(self, known: Fetched) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""
        if not self.source.signed_index:
            return True
        keys = named_keys(self.host, self.source).keys
        named = {key.fingerprint for key in keys if key.is_usable(self.now)}
        return bool(named.intersection(known.signed_by))

    def _signers(self, url: str, data: bytes) -> tuple[str, ...]:
        """Who signed it, where the source's configuration wants that to be known."""
        if not self.source.signed_index:
            return ()
        named = named_keys(self.host, self.source)
        try:
            return self.detached_signers(url, data, "asc", named.keys, named.problems)
        except NotThere:
            hint = "set repo_gpgcheck=0 only if you trust the way to it"
            raise self.not_signed(url, "index", hint) from None

    def _lists(self, base: str, repomd: Repomd) -> None:
        if repomd.of("primary") is None:
            raise NotThere(f"{base}repodata/repomd.xml: names no list of packages (primary)")
        for kind in self.host.lists_wanted:
            listed = repomd.of(kind)
            if listed is None:
                continue
            if listed.digest not in STRONG:
                raise ReleaseRefused(
                    f"{base}{listed.location}: promised by {listed.digest or 'no digest'} only,"
                    " which is too weak"
                )
            ending = listed.location.rpartition("/")[2].rpartition(".")[2]
            file = f"{kind}.{listed.value[:32]}.{ending}"
            if not self.have(file, listed.size):
                url, target = base + listed.location, self.next.path(file)
                self.download([url], target, kind, Promised(*listed.promise))
                self.check_inside(url, target, Promised(*listed.open_promise))
            self.next.indexes[kind] = file


def head_date(address: str, transport: Transport) -> float | None:
    """When the lists at an address were made; FetchError where they cannot be reached."""
    url = f"{address}/repodata/repomd.xml"
    try:
        return read_repomd(transport.read(url, most=_LARGEST), url).date
    except HostFileError as problem:
        raise FetchError(f"{url}: {problem.what}") from problem
