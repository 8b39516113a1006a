"""Fetching and checking the list of one source of an alpm host.

The list's own signature is what signs for it, where the source's level asks for one: by a
key of the host's ring. Nothing else promises its bytes, so it is read whole before it counts;
until then the last good one stays.
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from velpin.errors import (
    BadSignature,
    FetchError,
    HostFileError,
    MissingKey,
    NotThere,
    VelpinError,
)
from velpin.files.text import whole_number
from velpin.kinds.alpm import archive
from velpin.kinds.alpm.copies import FILES, LIST
from velpin.kinds.alpm.source import AlpmSource
from velpin.model.dates import day_and_time
from velpin.model.host import RefreshResult
from velpin.model.safe_text import bare_address

if TYPE_CHECKING:
    from velpin.fetch.download import Got, Transport
    from velpin.kinds.alpm.state import AlpmState
    from velpin.store.cache import Fetched

_LARGEST = 1 << 30


@dataclass(slots=True)
class AlpmRefreshed(RefreshResult):
    """What came of refreshing one source of an alpm host."""

    signed_by: tuple[str, ...] = ()


def refresh_source(
    host: AlpmState,
    source: AlpmSource,
    transport: Transport,
    *,
    files: bool = False,
    clock: Callable[[], float] = time.time,
) -> AlpmRefreshed:
    """Fetch and check one source, with `files` its list of files too; a failure is returned,
    never raised, and changes nothing."""
    result = AlpmRefreshed(source.handle, "failed")
    try:
        _Fetch(host, source, transport, clock(), result, files).run()
    except VelpinError as problem:
        result.outcome, result.error = "failed", problem
    return result


class _Fetch:
    """One fetch of one source, step by step."""

    def __init__(
        self,
        host: AlpmState,
        source: AlpmSource,
        transport: Transport,
        now: float,
        result: AlpmRefreshed,
        files: bool,
    ) -> None:
        self.host, self.source, self.transport = host, source, transport
        self.now, self.result = now, result
        self.before = host.finder.find(source).fetched
        self.files = files or bool(self.before and FILES in self.before.indexes)

    def run(self) -> None:
        """Try one server after the other."""
        if not self.source.syncs:
            self.result.warnings.append(
                "is never fetched anew by the host's installer: its Usage leaves out Sync, and the"
                " list that is there counts"
            )
        last: VelpinError | None = None
        for server in self.source.servers:
            try:
                self._from(server)
                return
            except (FetchError, BadSignature) as problem:
                last = last or problem
        raise last or FetchError(
            f"{self.source.handle}: no server to fetch from",
            f"give its section a Server line in {self.source.file}",
        )

    def _from(self, server: str) -> None:
        url = f"{server}/{self.source.handle}.{LIST}"
        known = self.before
        validators: dict[str, str] = {}
        if (
            known
            and known.address == bare_address(server)
            and self._same_trust(known.signed_by)
            and known.is_whole()
        ):
            validators = {key: text for key, text in known.remote.items() if key != "date"}
        place = self.host.shelf.place(server, self.source.release)
        target = place.path(f"{LIST}.new")
        label = f"{self.source.handle} {LIST}"
        got = self.transport.get(url, target, label=label, most=_LARGEST, validators=validators)
        if not got.fresh and known:
            known.fetched = self.now
            if self.files:
                known.indexes[FILES] = self._files(server)
            self.host.shelf.keep(known)
            self.result.signed_by = tuple(known.signed_by)
            self.result.outcome = "unchanged"
            return
        self.result.bytes += got.size
        if known and self._is_older(known, got):
            self.host.shelf.keep(known)
            self.result.signed_by = tuple(known.signed_by)
            self.result.outcome = "unchanged"
            return
        data = target.read_bytes()
        self.result.signed_by = self._signers(url, data)
        name = f"{LIST}.{hashlib.sha256(data).hexdigest()[:20]}"
        target.replace(place.path(name))
        try:
            self.host.shelf.parsed(place.path(name), archive.parts_of)
        except HostFileError as problem:
            if known is None or name not in known.indexes.values():
                place.path(name).unlink(missing_ok=True)
            raise FetchError(f"{url}: {problem.what}") from problem
        place.release_file = name
        place.indexes = {LIST: name}
        if self.files:
            place.indexes[FILES] = self._files(server)
        place.signed_by = list(self.result.signed_by)
        place.remote = {**got.validators, "date": _date(got)}
        place.fetched = self.now
        same = known is not None and known.indexes.get(LIST) == name
        self.host.shelf.keep(place)
        self.result.outcome = "unchanged" if same else "new"

    def _is_older(self, known: Fetched, got: Got) -> bool:
        """Whether a list is older than the one seen before: the installer asks for newer ones
        only, so the newer stays here too."""
        before, now = (whole_number(one) for one in (known.remote.get("date", ""), _date(got)))
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
        place = self.host.shelf.place(server, self.source.release)
        target = place.path(f"{FILES}.new")
        got = self.transport.get(url, target, label=f"{self.source.handle} {FILES}", most=_LARGEST)
        self.result.bytes += got.size
        data = target.read_bytes()
        self._signers(url, data)
        name = f"{FILES}.{hashlib.sha256(data).hexdigest()[:20]}"
        target.replace(place.path(name))
        return name

    def _same_trust(self, signers: list[str]) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""
        if self.source.level.of_index == "never":
            return True
        from velpin.kinds.alpm.trust import ring

        keys = (key for key in ring(self.host).keys if key.is_usable(self.now))
        known = {part for key in keys for part in key.parts}
        if not signers:
            return self.source.level.of_index == "optional"
        return bool(known.intersection(signers))

    def _signers(self, url: str, data: bytes) -> tuple[str, ...]:
        """Who signed it, where the source's level wants that to be known."""
        level = self.source.level
        if level.of_index == "never":
            return ()
        from velpin.kinds.alpm.trust import ring
        from velpin.trust.openpgp import explain_missing, verify_detached

        place = self.host.shelf.place(self.source.address, self.source.release)
        signature = place.path("sig.new")
        try:
            self.transport.get(f"{url}.sig", signature)
        except NotThere:
            if level.of_index == "optional":
                return ()
            raise BadSignature(
                f"{url} is not signed, and {self.source.handle} asks for a signed list",
                "its SigLevel asks for that; DatabaseOptional takes a list without a signature,"
                " if you trust the way to it",
            ) from None
        found = ring(self.host)
        text = signature.read_bytes()
        signature.unlink(missing_ok=True)
        try:
            return verify_detached(data, text, found.keys, url, every=True).signers
        except MissingKey as problem:
            raise explain_missing(problem, self.source.handle, found.problems) from problem


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
