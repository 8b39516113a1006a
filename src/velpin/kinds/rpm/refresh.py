"""Fetching and checking the lists of one source of an rpm host.

The chain, link by link: the signature of `repomd.xml`, by exactly the keys that the source's
configuration names; from its digests each list as fetched, and what is inside it. A signature that
is there is checked even where the host does not ask for one, since what it shows is the only thing
that can be said of who made the index; then it refuses nothing that the host's installer would
take. Where there is none, the signatures of a few packages are.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.errors import (
    FetchError,
    HostFileError,
    MissingKey,
    NotThere,
    ReleaseRefused,
    TrustError,
)
from velpin.kinds.rpm.mirrors import read_mirrors
from velpin.kinds.rpm.package_signature import look_at_packages
from velpin.kinds.rpm.repomd import STRONG, Repomd, read_repomd
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.trust import key_addresses, keys_given
from velpin.model.dates import day_and_time
from velpin.model.host import OfferedKey, RefreshResult
from velpin.model.safe_text import bare_address, grouped
from velpin.model.shell import shell_word
from velpin.model.source import Source
from velpin.ports.fetcher import Fetcher, RefreshOption
from velpin.store.source_fetch import Promised, SourceFetch
from velpin.trust.openpgp import key_with, read_keys

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.kinds.rpm.state import RpmState
    from velpin.store.cache import Fetched
    from velpin.trust.openpgp import Key

_LARGEST = 16 << 20
_LARGEST_KEY = 4 << 20


class RpmFetcher(Fetcher):
    """Fetches the indexes of an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def fetch(
        self,
        source: Source,
        transport: Transport,
        options: Collection[RefreshOption] = (),
        clock: Callable[[], float] = time.time,
    ) -> RefreshResult:
        """Fetch and check one source; a failure is returned, never raised, and changes nothing."""
        source = self._state.configuration.by_handle[source.handle]
        return _RpmFetch(self._state, source, transport, clock()).done()

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """When the lists at an address were made; FetchError where they cannot be reached."""
        url = f"{address}/repodata/repomd.xml"
        try:
            return read_repomd(transport.read(url, most=_LARGEST), url).date
        except HostFileError as problem:
            raise FetchError(f"{url}: {problem.what}") from problem


class _RpmFetch(SourceFetch):
    """One fetch of one source."""

    head = "repomd.xml"
    source: RpmSource

    def __init__(
        self, state: RpmState, source: RpmSource, transport: Transport, now: float
    ) -> None:
        result = RefreshResult(source.handle, "failed")
        super().__init__(state.cache, source, transport, now, result)
        self.state = state

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
        self.taken = keys_given(self.state, self.source)
        self.offered = self._offered(self.taken.keys)
        self.result.signed_by = self._signers(url, data)
        self._tell_if_older(repomd)
        self.keep_release(data, "repomd", ".xml")
        self._lists(base, repomd)
        if not self.result.signed_by and self.source.signed_packages:
            self._look_at_packages(base)
        self.commit(repomd.date)

    def _offered(self, taken: Sequence[Key]) -> list[Key]:
        """Keys at the addresses that a source names and that this host has not taken yet: its
        installer would ask about them."""
        known = {key.fingerprint for key in taken}
        found: list[Key] = []
        for address in key_addresses(self.source):
            try:
                keys = read_keys(self.transport.read(address, most=_LARGEST_KEY), address)
            except (FetchError, TrustError) as problem:
                self.result.warnings.append(f"names a key that cannot be used: {problem.message}")
                continue
            fresh = [key for key in keys if key.fingerprint not in known]
            known.update(key.fingerprint for key in fresh)
            found += fresh
            self.result.offered_keys += tuple(
                OfferedKey(bare_address(address), key.fingerprint, key.owner) for key in fresh
            )
        return found

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
        """Whether what was fetched before would be taken, and would be told, with the keys of
        today."""
        keys = keys_given(self.state, self.source).keys
        named = {key.fingerprint for key in keys if key.is_usable(self.now)}
        if self.source.signed_index:
            return bool(named.intersection(known.signed_by))
        named |= known.offered
        return bool(named & {*known.signed_by, *known.packages_signed_by})

    def _signers(self, url: str, data: bytes) -> tuple[str, ...]:
        """Who signed it. Where the source's configuration does not want that to be known, a
        signature that does not hold is told and stops nothing, as on the host; where it does, a
        key that is only offered at an address does not count, since nobody here has taken it."""
        must = self.source.signed_index
        keys = self.taken.keys if must else [*self.taken.keys, *self.offered]
        try:
            found = self.detached_signers(url, data, "asc", keys, self.taken.problems)
        except NotThere:
            if not must:
                return ()
            hint = "set repo_gpgcheck=0 only if you trust the way to it"
            raise self.not_signed(url, "index", hint) from None
        except MissingKey as problem:
            if must:
                raise self._to_be_taken(problem) from problem
            self._doubt(problem)
            return ()
        except TrustError as problem:
            if must:
                raise
            self._doubt(problem)
            return ()
        self.result.checked = "index"
        return found

    def _to_be_taken(self, problem: MissingKey) -> MissingKey:
        """The same error, saying which key the installer will ask about, where one is offered."""
        for offered in self.result.offered_keys:
            key = key_with(self.offered, offered.fingerprint)
            if key is None or not key.goes_by(problem.key_ids):
                continue
            return MissingKey(
                f"{problem.message}; the host's installer will ask about that key when it first"
                f" needs it: {grouped(key.fingerprint)} ({key.owner}), from {offered.address}",
                problem.key_ids,
                "compare the fingerprint with the one the vendor publishes, then: velpin add"
                f" {shell_word(self.source.handle)} --key {shell_word(offered.address)}"
                f" --fingerprint {key.fingerprint}",
                problem.refused,
            )
        return problem

    def _doubt(self, problem: TrustError) -> None:
        self.result.doubt = problem
        self.result.warnings.append(
            "has an index whose signature does not hold, and this host does not check it:"
            f" {problem.message}"
        )

    def _look_at_packages(self, base: str) -> None:
        """Check the signatures of a few packages, where the index has none that holds."""
        primary = self.next.path(self.next.indexes["primary"])
        keys = [*self.taken.keys, *self.offered]
        found = look_at_packages(base, primary, keys, self.transport)
        if found.problem is not None:
            self.result.doubt = self.result.doubt or found.problem
            self.result.warnings.append(
                f"has packages that the host's installer would refuse: {found.problem.message}"
            )
        elif found.seen:
            self.result.packages_signed_by = found.signers
            self.result.checked = "packages"

    def _lists(self, base: str, repomd: Repomd) -> None:
        if repomd.of("primary") is None:
            raise NotThere(f"{base}repodata/repomd.xml: names no list of packages (primary)")
        for kind in self.state.configuration.layout.lists_wanted:
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
