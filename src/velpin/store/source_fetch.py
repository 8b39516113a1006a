"""Fetching one source, step by step: a signed head, the files it promises, then the commit.

Until every link of the chain holds, the last good fetch stays. What signs a head, what it promises
and what its files are called is for each kind of host to say.
"""

from __future__ import annotations

import hashlib
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from velpin import apart
from velpin.errors import (
    ChecksumMismatch,
    FetchError,
    HostFileError,
    MissingKey,
    NotSigned,
    NotThere,
    VelpinError,
)
from velpin.fetch.unpack import MOST_UNPACKED, given, measured
from velpin.model.host import OfferedKey, RefreshResult
from velpin.model.safe_text import bare_address
from velpin.model.source import Source
from velpin.store.cache import Fetched, IndexCache, is_as_fetched

if TYPE_CHECKING:
    from velpin.apart import Handles
    from velpin.fetch.download import Got, Transport
    from velpin.trust.openpgp import Key

_LARGEST = 1 << 30
"""No file whose size is not promised may be larger, in bytes."""


class Promised(NamedTuple):
    """What a head promises of one file: bytes (0 where unsaid), name of the digest, its hex."""

    size: int
    digest: str
    value: str


def _measured_apart(path: Path, digest: str, most: int) -> tuple[int, str]:
    """What `measured` says of a file, unpacked by a process without rights."""
    with path.open("rb") as file:
        try:
            size, value = apart.run(
                partial(_measure, str(path), digest, most), {"source": file.fileno()},
                network=False,
            )  # fmt: skip
        except apart.Stopped:
            raise HostFileError(str(path), 0, "unpacking it was stopped") from None
    return int(size), str(value)


def _measure(path: str, digest: str, most: int, handles: Handles) -> tuple[int, str]:
    with given(path, handles.files["source"]):
        return measured(Path(path), digest, most)


class SourceFetch(ABC):
    """One fetch of one source; `now` is in seconds since 1970."""

    head = "the release file"
    """What makes the promises, in messages."""

    def __init__(
        self,
        cache: IndexCache,
        source: Source,
        transport: Transport,
        now: float,
        result: RefreshResult,
    ) -> None:
        self.cache, self.source, self.transport = cache, source, transport
        self.now, self.result = now, result
        self.next = cache.place(source.address, source.release)
        self.before = self.known()

    def known(self) -> Fetched | None:
        """The last good fetch, where it can be gone on from."""
        found = self.cache.fetched(self.source.address, self.source.release)
        return found if found and found.folder == self.next.folder else None

    @abstractmethod
    def run(self) -> None:
        """Go through the chain; raises the first link's error, and changes nothing then."""

    def done(self) -> RefreshResult:
        """The result; a failure is told in it, never raised."""
        try:
            self.run()
        except VelpinError as problem:
            self.result.outcome, self.result.error = "failed", problem
        return self.result

    # -- the head ----------------------------------------------------------------------------

    @abstractmethod
    def is_trusted_as_before(self, known: Fetched) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""

    def from_first_that_answers(
        self, addresses: Iterable[str], fetch: Callable[[str], None], missing: FetchError,
        passing: tuple[type[VelpinError], ...] = (FetchError,),
    ) -> None:  # fmt: skip
        """Fetch from one address after the other; the first error where none answers."""
        first: VelpinError | None = None
        for address in addresses:
            try:
                fetch(address)
                return
            except passing as problem:
                first = first or problem
        raise first or missing

    def get_head(self, url: str, target: Path, name: str, most: int = 0) -> Got:
        """Fetch a head, asking only for news where the last good fetch came from the same place,
        is whole, and is trusted as before."""
        known = self.before
        validators: dict[str, str] = {}
        if (
            known
            and known.remote.get("url") == bare_address(url)
            and self.is_trusted_as_before(known)
            and known.is_whole()
        ):
            validators = {
                key: text for key, text in known.remote.items() if key not in ("url", "date")
            }
        got = self.transport.get(
            url, target, label=f"{self.source.handle} {name}", most=most, validators=validators
        )  # fmt: skip
        if got.fresh:
            self.result.bytes += got.size
            self.next.remote = {"url": bare_address(url), **got.validators}
        return got

    def detached_signers(
        self, url: str, data: bytes, ending: str, keys: Sequence[Key],
        problems: Sequence[str], *, every: bool = False,
    ) -> tuple[str, ...]:  # fmt: skip
        """Who signed a head in a file beside it; NotThere where there is no such file."""
        from velpin.trust.openpgp import explain_missing, verify_detached

        signature = self.next.path(f"{ending}.new")
        self.transport.get(f"{url}.{ending}", signature)
        text = signature.read_bytes()
        signature.unlink(missing_ok=True)
        try:
            return verify_detached(data, text, keys, url, every=every).signers
        except MissingKey as problem:
            raise explain_missing(problem, self.source.handle, list(problems)) from problem

    def not_signed(self, url: str, what: str, hint: str) -> NotSigned:
        """The error for a head without a signature that must have one."""
        return NotSigned(
            f"{url} is not signed, and {self.source.handle} asks for a signed {what}", hint
        )

    # -- what it promises --------------------------------------------------------------------

    def have(self, file: str, size: int) -> bool:
        """Whether a promised file is there from the last good fetch, as it was fetched."""
        if self.before is None or file not in self.before.indexes.values():
            return False
        path = self.next.path(file)
        return path.exists() and (not size or path.stat().st_size == size) and is_as_fetched(path)

    def download(self, urls: Sequence[str], target: Path, name: str, promised: Promised) -> None:
        """Fetch a promised file from the first address that has it, and hold it against the
        promise; ChecksumMismatch where it is another, and then it is gone."""
        label = f"{self.source.handle} {name}"
        for place, url in enumerate(urls, 1):
            try:
                got = self.transport.get(
                    url, target, label=label, size=promised.size, most=_LARGEST
                )
            except NotThere:
                if place == len(urls):
                    raise
                continue
            self.result.bytes += got.size
            break
        with target.open("rb") as file:
            digest = hashlib.file_digest(file, promised.digest).hexdigest()
        wrong_size = promised.size and target.stat().st_size != promised.size
        if digest != promised.value or wrong_size:
            target.unlink(missing_ok=True)
            raise ChecksumMismatch(
                f"{urls[-1]}: its {promised.digest} is not the one {self.head} promises",
                "the source may be in the middle of an update; try again in a few minutes",
            )

    def check_inside(self, url: str, path: Path, promised: Promised | None) -> None:
        """ChecksumMismatch where a compressed file does not hold what is promised of it, or holds
        more than the bounds allow."""
        size, digest = (promised.size, promised.digest) if promised else (0, "")
        most = size or path.stat().st_size * MOST_UNPACKED
        try:
            measured_size, value = _measured_apart(path, digest, most)
        except HostFileError as problem:
            path.unlink(missing_ok=True)
            raise ChecksumMismatch(f"{url}: {problem.what}") from problem
        wrong = bool(promised and digest and value != promised.value)
        if measured_size > most or (size and measured_size != size) or wrong:
            path.unlink(missing_ok=True)
            raise ChecksumMismatch(f"{url}: unpacked it is not what {self.head} promises")

    # -- the commit --------------------------------------------------------------------------

    def keep_release(self, data: bytes, name: str, ending: str = "") -> None:
        """Keep a head under a name made of its digest."""
        self.next.release_file = f"{name}.{hashlib.sha256(data).hexdigest()[:20]}{ending}"
        self.next.put(self.next.release_file, data)

    def keep_file(self, target: Path, name: str, ending: str = "") -> str:
        """Keep what was fetched under a name made of its digest, by which it is seen later whether
        it is as it was fetched; gives the name."""
        with target.open("rb") as file:
            digest = hashlib.file_digest(file, "sha256").hexdigest()[:20]
        kept = f"{name}.{digest}{ending}"
        target.replace(self.next.path(kept))
        return kept

    def commit(self, dated: float | None) -> None:
        """Let the fetch count; `dated` is when the index was made, in seconds since 1970."""
        self.next.fetched = self.now
        self.next.dates = list(self.before.dates) if self.before else []
        if dated is not None and dated not in self.next.dates[-1:]:
            self.next.dates.append(dated)
        if self.result.signed_by:
            self.result.checked = "index"
        self.next.signed_by = list(self.result.signed_by)
        self.next.packages_signed_by = list(self.result.packages_signed_by)
        self.next.offered_keys = [list(each) for each in self.result.offered_keys]
        same = self.before is not None and self.before.indexes == self.next.indexes
        self.cache.keep(self.next)
        self.result.outcome = "unchanged" if same else "new"

    def stay(self, before: Fetched) -> None:
        """Let the last good fetch go on counting, looked at now."""
        before.fetched = self.now
        self.cache.keep(before)
        self.result.signed_by = tuple(before.signed_by)
        self.result.packages_signed_by = tuple(before.packages_signed_by)
        self.result.offered_keys = tuple(OfferedKey(*each) for each in before.offered_keys)
        self.result.checked = (
            "index" if before.signed_by else "packages" if before.packages_signed_by else ""
        )
        self.result.outcome = "unchanged"
