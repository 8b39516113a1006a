"""Fetching and checking the lists of one source of an rpm host.

The chain, link by link: the signature of `repomd.xml`, where the source's configuration
asks for one, by exactly the keys it names; from its digests each list as fetched, and what
is inside it. Only when every link holds does a fetch count; until then the last good one
stays.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import (
    BadSignature,
    ChecksumMismatch,
    FetchError,
    HostFileError,
    MissingKey,
    NotThere,
    ReleaseRefused,
    VelpinError,
)
from velpin.fetch.unpack import MOST_UNPACKED, measured
from velpin.kinds.rpm.repomd import STRONG, PromisedList, Repomd, read_repomd
from velpin.kinds.rpm.source import RpmSource
from velpin.model.dates import day_and_time
from velpin.model.host import RefreshResult
from velpin.model.safe_text import bare_address
from velpin.store.cache import Fetched, is_as_fetched

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.kinds.rpm.state import RpmState

_LARGEST = 16 << 20


@dataclass(slots=True)
class RpmRefreshed(RefreshResult):
    """What came of refreshing one source of an rpm host."""

    fetched: Fetched | None = None
    repomd: Repomd = field(default_factory=Repomd)
    signed_by: tuple[str, ...] = ()


def refresh_source(
    host: RpmState,
    source: RpmSource,
    transport: Transport,
    clock: Callable[[], float] = time.time,
) -> RpmRefreshed:
    """Fetch and check one source; a failure is returned, never raised, and changes nothing."""
    result = RpmRefreshed(source.handle, "failed")
    try:
        _Fetch(host, source, transport, clock(), result).run()
    except VelpinError as problem:
        result.outcome, result.error = "failed", problem
    return result


class _Fetch:
    """One fetch of one source, step by step."""

    def __init__(
        self,
        host: RpmState,
        source: RpmSource,
        transport: Transport,
        now: float,
        result: RpmRefreshed,
    ) -> None:
        self.host, self.source, self.transport = host, source, transport
        self.now, self.result = now, result
        self.next = host.shelf.place(source.address, source.release)
        known = host.shelf.fetched(source.address, source.release)
        self.before = known if known and known.folder == self.next.folder else None

    def run(self) -> None:
        """Go through the chain at the first address that answers."""
        last: VelpinError | None = None
        for base in self._bases():
            try:
                self._from(base)
                return
            except FetchError as problem:
                last = last or problem
        raise last or FetchError(
            f"{self.source.handle}: no address to fetch from",
            f"give its section a baseurl in {self.source.file}",
        )

    def _bases(self) -> Iterator[str]:
        yield from (url.rstrip("/") + "/" for url in self.source.urls)
        if self.source.mirrors:
            from velpin.kinds.rpm.mirrors import read_mirrors

            data = self.transport.read(self.source.mirrors, most=_LARGEST)
            yield from read_mirrors(data, self.source.mirrors)

    def _from(self, base: str) -> None:
        url = f"{base}repodata/repomd.xml"
        target = self.next.path("repomd.new")
        validators: dict[str, str] = {}
        known = self.before
        if (
            known
            and known.remote.get("url") == bare_address(url)
            and self._same_trust(known)
            and known.is_whole()
        ):
            validators = {k: v for k, v in known.remote.items() if k != "url"}
        got = self.transport.get(
            url, target, label=f"{self.source.handle} repomd.xml", validators=validators
        )
        if not got.fresh and self.before:
            self._unchanged(self.before)
            return
        self.result.bytes += got.size
        data = target.read_bytes()
        repomd = read_repomd(data, url)
        self.result.signed_by = self._signers(url, data)
        self._tell_if_older(repomd)
        self.next.signed_by = list(self.result.signed_by)
        self.next.remote = {"url": bare_address(url), **got.validators}
        self._keep(data)
        self._lists(base, repomd)
        self.next.fetched = self.now
        same = self.before is not None and self.before.indexes == self.next.indexes
        self.host.shelf.keep(self.next)
        self.result.fetched, self.result.repomd = self.next, repomd
        self.result.outcome = "unchanged" if same else "new"

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

    def _same_trust(self, known: Fetched) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""
        if not self.source.signed_index:
            return True
        from velpin.kinds.rpm.trust import named_keys

        keys = named_keys(self.host, self.source).keys
        named = {key.fingerprint for key in keys if key.is_usable(self.now)}
        return bool(named.intersection(known.signed_by))

    def _unchanged(self, before: Fetched) -> None:
        before.fetched = self.now
        self.host.shelf.keep(before)
        self.result.fetched = before
        self.result.repomd = read_repomd(before.release_bytes(), self.source.address)
        self.result.signed_by = tuple(before.signed_by)
        self.result.outcome = "unchanged"

    def _signers(self, url: str, data: bytes) -> tuple[str, ...]:
        """Who signed it, where the source's configuration wants that to be known."""
        if not self.source.signed_index:
            return ()
        from velpin.kinds.rpm.trust import named_keys
        from velpin.trust.openpgp import explain_missing, verify_detached

        signature = self.next.path("repomd.asc.new")
        try:
            self.transport.get(f"{url}.asc", signature)
        except NotThere:
            raise BadSignature(
                f"{url} is not signed, and {self.source.handle} asks for a signed index",
                "set repo_gpgcheck=0 only if you trust the way to it",
            ) from None
        named = named_keys(self.host, self.source)
        try:
            return verify_detached(data, signature.read_bytes(), named.keys, url).signers
        except MissingKey as problem:
            raise explain_missing(problem, self.source.handle, named.problems) from problem

    def _keep(self, data: bytes) -> None:
        name = f"repomd.{hashlib.sha256(data).hexdigest()[:20]}.xml"
        self.next.put(name, data)
        self.next.release_file = name

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
            if not self._have(file, listed):
                self._download(base, listed, self.next.path(file))
            self.next.indexes[kind] = file

    def _have(self, file: str, listed: PromisedList) -> bool:
        if self.before is None or file not in self.before.indexes.values():
            return False
        path = self.next.path(file)
        same_size = path.exists() and (not listed.size or path.stat().st_size == listed.size)
        return same_size and is_as_fetched(path)

    def _download(self, base: str, listed: PromisedList, target: Path) -> None:
        url = base + listed.location
        label = f"{self.source.handle} {listed.kind}"
        if listed.size:
            got = self.transport.get(url, target, label=label, size=listed.size)
        else:
            got = self.transport.get(url, target, label=label, most=1 << 30)
        self.result.bytes += got.size
        with target.open("rb") as file:
            digest = hashlib.file_digest(file, listed.digest)
        if digest.hexdigest() != listed.value:
            target.unlink(missing_ok=True)
            raise ChecksumMismatch(
                f"{url}: its {listed.digest} is not the one repomd.xml promises",
                "the source may be in the middle of an update; try again in a few minutes",
            )
        self._check_inside(url, listed, target)

    def _check_inside(self, url: str, listed: PromisedList, path: Path) -> None:
        """What a compressed list holds must be what is promised of it."""
        check = listed.open_digest in STRONG and bool(listed.open_value)
        most = listed.open_size or path.stat().st_size * MOST_UNPACKED
        try:
            size, digest = measured(path, listed.open_digest if check else "", most)
        except HostFileError as problem:
            path.unlink(missing_ok=True)
            raise ChecksumMismatch(f"{url}: {problem.what}") from problem
        wrong = check and digest != listed.open_value
        if size > most or (listed.open_size and size != listed.open_size) or wrong:
            path.unlink(missing_ok=True)
            raise ChecksumMismatch(f"{url}: unpacked it is not what repomd.xml promises")
