"""Fetching and checking the indexes of one source of a deb host.

The chain of trust, link by link: the signature of the release file by exactly the keys the
source's configuration names; the release file's own dates and names; from its digests each
index file as fetched, and what is inside it. Only when every link holds does a fetch count;
until then the last good one stays.

Observed rules: docs/how-hosts-choose/deb.md, "Sources and copies".
"""

from __future__ import annotations

import contextlib
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from velpin.errors import (
    FetchError,
    HostFileError,
    MissingKey,
    NotSigned,
    NotThere,
    ReleaseRefused,
    TrustError,
)
from velpin.fetch.download import Login, Transport
from velpin.files.text import whole_number
from velpin.kinds.deb.conf import is_yes
from velpin.kinds.deb.copies import index_name, wanted_indexes
from velpin.kinds.deb.logins import read_logins
from velpin.kinds.deb.mirrors import LARGEST, list_address, read_mirrors
from velpin.kinds.deb.release import STRONG, Promise, Release, read_promises, read_release, unwrap
from velpin.kinds.deb.sources import DebSource, base_url
from velpin.kinds.deb.state import DebState
from velpin.model.dates import day_and_time
from velpin.model.host import RefreshResult
from velpin.model.shell import shell_word
from velpin.model.source import Source
from velpin.ports.fetcher import Fetcher, RefreshOption
from velpin.store.cache import Fetched
from velpin.store.source_fetch import Promised, SourceFetch
from velpin.trust.openpgp import Signed, explain_missing, verify_clear, verify_detached

_ENDINGS = (".xz", ".zst", ".gz", ".bz2", ".lz4", ".lzma", "")
_IDENTITY = ("origin", "label", "codename")
_AUTOMATIC = {
    "not_automatic": "NotAutomatic", "but_automatic_upgrades": "ButAutomaticUpgrades",
}  # fmt: skip
_MAY_CHANGE = ("suite", "version")
_LARGEST_UNPROMISED = 512 << 20


@dataclass(slots=True)
class DebRefreshed(RefreshResult):
    """What came of refreshing one source of a deb host."""

    fetched: Fetched | None = None
    release: Release = field(default_factory=Release)


class DebFetcher(Fetcher):
    """Fetches the indexes of a deb host."""

    options = frozenset[RefreshOption]({"accept_changed"})

    def __init__(self, state: DebState) -> None:
        self._state = state

    def fetch(
        self,
        source: Source,
        transport: Transport,
        options: Collection[RefreshOption] = (),
        clock: Callable[[], float] = time.time,
    ) -> DebRefreshed:
        """Fetch and check one source; a failure is returned, never raised, and changes nothing.

        `accept_changed` takes a source that now calls itself something else than before.
        """
        source = self._state.configuration.by_handle[source.handle]
        accept_changed = "accept_changed" in options
        fetch = _DebFetch(self._state, source, transport, clock(), accept_changed)
        fetch.done()
        return fetch.result

    def proxies(self) -> Mapping[str, str]:
        """Those of the settings for each scheme."""
        named = {
            s: self._state.configuration.conf.get(f"Acquire::{s}::Proxy") for s in ("http", "https")
        }
        return {scheme: address for scheme, address in named.items() if address}

    def logins(self) -> Sequence[Login]:
        """Those of the files of logins."""
        return read_logins(self._state.tree)

    def head_date(self, address: str, release: str, transport: Transport) -> float | None:
        """When the release file at an address was made; FetchError where it cannot be reached."""
        base = base_url(address, release)
        try:
            data = transport.read(f"{base}/InRelease")
        except NotThere:
            data = transport.read(f"{base}/Release")
        try:
            return read_release(data, base).date
        except HostFileError as problem:
            raise FetchError(f"{base}: {problem.what}") from problem


class _DebFetch(SourceFetch):
    """One fetch of one source."""

    source: DebSource
    result: DebRefreshed

    def __init__(
        self,
        state: DebState,
        source: DebSource,
        transport: Transport,
        now: float,
        accept_changed: bool,
    ) -> None:
        result = DebRefreshed(source.handle, "failed")
        super().__init__(state.cache, source, transport, now, result)
        self._state, self._accept_changed = state, accept_changed
        self._named = state.keys.of(source)
        self._base = _release_base(source)

    def run(self) -> None:
        """Go through the chain, at one mirror after the other where the source names a list of
        them; raises the first link's error, FetchError where nothing came. Media are not asked."""
        if self.source.is_medium:
            self.result.outcome = "unchanged"
            self.result.warnings.append("is an installation medium, which cannot be fetched")
            return
        missing = FetchError(f"{self._base}: nothing came")
        self.from_first_that_answers(self._bases(), self._run_at, missing, (FetchError, NotThere))

    def _bases(self) -> Iterator[str]:
        """Base addresses of the release, the first to be tried first."""
        if not self.source.address.startswith("mirror"):
            yield self._base
            return
        listed = list_address(self.source.address)
        release = self._base.removeprefix(self.source.address)
        for address in read_mirrors(self.transport.read(listed, most=LARGEST), self.source):
            yield address + release

    def _run_at(self, base: str) -> None:
        self._base = base
        self.result.warnings.clear()
        signed = self._release_file()
        if signed is None and self.before:
            release = read_release(self.before.release_bytes(), self._base)
            self._check_dates(release)
            if self._complete(self.before, release):
                self.result.fetched, self.result.release = self.before, release
                self.stay(self.before)
                return
            signed = Signed(self.before.release_bytes(), tuple(self.before.signed_by))
            self.next.remote = self.before.remote
        if signed is None:
            raise FetchError(f"{self._base}: nothing came")
        release = read_release(signed.data, self._base)
        self.result.release, self.result.signed_by = release, signed.signers
        if self._is_older(release):
            return
        self._check_release(release)
        self.keep_release(signed.data, "Release")
        self._fetch_indexes(release, signed.data)
        self.commit(release.date)
        self.result.fetched = self.next

    def _complete(self, fetched: Fetched, release: Release) -> bool:
        wanted = [
            f"{component}/{arch}"
            for component, arch in wanted_indexes(self.source, release)
            if component in release.components or not release.components or not component
        ]
        return all(name in fetched.indexes for name in wanted)

    # -- the release file and its signature ----------------------------------------------

    def _release_file(self) -> Signed | None:
        """The signed text of the release file; None where the server says it is unchanged."""
        target = self.next.path("InRelease.new")
        inside = self.source.option("inrelease-path") or "InRelease"
        try:
            fresh = self._get(inside, target)
        except NotThere:
            return self._release_and_signature()
        if not fresh:
            return None
        return self._verified(target.read_bytes(), None, "InRelease")

    def _release_and_signature(self) -> Signed | None:
        target, signature = self.next.path("Release.new"), self.next.path("Release.gpg.new")
        try:
            if not self._get("Release", target):
                return None
        except NotThere:
            return self._no_release()
        sign: bytes | None = None
        try:
            self.transport.get(self._base + "Release.gpg", signature)
            sign = signature.read_bytes()
        except NotThere:
            if not self._may_be_unsigned():
                raise NotSigned(
                    f"{self._base}Release is not signed",
                    "add trusted=yes to the source only if you trust the way to it",
                ) from None
        return self._verified(target.read_bytes(), sign, "Release")

    def _no_release(self) -> Signed:
        if not self._may_be_unsigned():
            raise NotThere(
                f"{self._base}: has neither InRelease nor Release",
                f"is {self.source.release!r} a release of it?",
            )
        self.result.warnings.append("has no release file; nothing of it is checked")
        return Signed(b"", ())

    def _get(self, name: str, target: Path) -> bool:
        """Fetch a release file; whether it is new."""
        return self.get_head(self._base + name, target, name).fresh

    def is_trusted_as_before(self, known: Fetched) -> bool:
        """Whether what was fetched before would be taken with the keys of today."""
        named = {key.fingerprint for key in self._named.keys if key.is_usable(self.now)}
        return self.source.trusted or bool(named.intersection(known.signed_by))

    def _may_be_unsigned(self) -> bool:
        if self.source.trusted:
            return True
        allowed = self._allows("insecure")
        if allowed and self._was_signed() and not self._may_lose_signature():
            raise ReleaseRefused(
                f"{self._base}: was signed before and no longer is; the host would not accept that"
                " without being asked",
                "ask the vendor, then: velpin refresh"
                f" {shell_word(self.source.handle)} --accept-changed",
            )
        if allowed:
            self.result.warnings.append("is not signed; its configuration allows that")
        return allowed

    def _may_lose_signature(self) -> bool:
        return self._accept_changed or self._allows("downgrade-to-insecure")

    def _verified(self, data: bytes, signature: bytes | None, name: str) -> Signed:
        where = self._base + name
        if self.source.trusted or (name == "Release" and signature is None):
            with contextlib.suppress(TrustError):
                return self._check_signature(data, signature, where)
            return Signed(unwrap(data), ())
        try:
            return self._check_signature(data, signature, where)
        except MissingKey as problem:
            raise explain_missing(problem, self.source.handle, self._named.problems) from problem

    def _check_signature(self, data: bytes, signature: bytes | None, where: str) -> Signed:
        if signature is None:
            return verify_clear(data, self._named.keys, where)
        return verify_detached(data, signature, self._named.keys, where, binary=False)

    # -- what the release file says ------------------------------------------------------

    def _is_older(self, release: Release) -> bool:
        """A release file older than one seen before is not taken, as on the host."""
        if not (self.before and self.before.release_file and release.date):
            return False
        seen = read_release(self.before.release_bytes(), self._base)
        if not seen.date or release.date >= seen.date:
            return False
        self.result.warnings.append(
            f"the server gave a release file of {day_and_time(release.date)}, older than the one of"
            f" {day_and_time(seen.date)} seen before; the newer one stays"
        )
        self._check_dates(seen)
        self.result.fetched, self.result.release = self.before, seen
        self.stay(self.before)
        return True

    def _check_release(self, release: Release) -> None:
        self._check_dates(release)
        self._check_names(release)
        seen = self._seen()
        if seen is not None:
            self._check_identity(seen, release)

    def _seen(self) -> Release | None:
        """The release file of the last good fetch, else the one the installer has."""
        if self.before and self.before.release_file:
            return read_release(self.before.release_bytes(), self._base)
        theirs = self._state.indexes.copies.get(self.source.handle)
        return theirs.release if theirs and theirs.holder == "installer" else None

    def _was_signed(self) -> bool:
        """Whether the last one that was taken carried a signature."""
        if self.before and self.before.release_file:
            return bool(self.before.signed_by)
        theirs = self._state.indexes.copies.get(self.source.handle)
        file = theirs.release_file if theirs else ""
        return file.endswith("InRelease") or bool(file and self._state.tree.stat(f"{file}.gpg"))

    def _check_dates(self, release: Release) -> None:
        conf = self._state.configuration.conf
        until = self._valid_until(release)
        check = is_yes(
            self.source.option("check-valid-until"),
            conf.switch("Acquire::Check-Valid-Until", True),
        )
        if until and check and until < self.now:
            raise ReleaseRefused(
                f"{self._base}: the release file expired on {day_and_time(until)}"
                f" ({_ago(self.now - until)} ago)",
                "the source is not kept up, a mirror is behind, or this host's clock is wrong",
            )
        if not is_yes(self.source.option("check-date"), conf.switch("Acquire::Check-Date", True)):
            return
        ahead = self.source.option("date-max-future") or conf.get("Acquire::Max-FutureTime")
        allowed = float(whole_number(ahead) or 0) if ahead else 10.0
        if release.date and release.date > self.now + allowed:
            raise ReleaseRefused(
                f"{self._base}: the release file is not valid yet: it is dated"
                f" {day_and_time(release.date)}",
                "is this host's clock right?",
            )

    def _valid_until(self, release: Release) -> float | None:
        until = release.valid_until
        longest = self._seconds("valid-until-max", "Acquire::Max-ValidTime", release)
        least = self._seconds("valid-until-min", "Acquire::Min-ValidTime", release)
        if least and release.date and until:
            until = max(until, release.date + least)
        if longest and release.date:  # goes before the least (observed)
            until = min(until or release.date + longest, release.date + longest)
        return until

    def _seconds(self, option: str, setting: str, release: Release) -> float:
        """A time that the source's own option, the setting for its label or the setting for
        all gives, in this order; 0 where none does."""
        conf = self._state.configuration.conf
        of_label = conf.get(f"{setting}::{release.label}") if release.label else ""
        text = self.source.option(option) or of_label or conf.get(setting)
        return float(whole_number(text) or 0)

    def _check_names(self, release: Release) -> None:
        asked = self.source.release
        if self.source.flat or release.names(asked) or not (release.suite or release.codename):
            return
        said = " or ".join(name for name in (release.suite, release.codename) if name)
        tails = {name.rpartition("/")[2] for name in (release.suite, release.codename) if name}
        if asked.rpartition("/")[2] not in tails:
            self.result.warnings.append(f"asked for {asked}, but it calls itself {said}")

    def _check_identity(self, seen: Release, now: Release) -> None:
        for name in (*_IDENTITY, *_AUTOMATIC, *_MAY_CHANGE):
            before, after = getattr(seen, name), getattr(now, name)
            if before == after or before is None:
                continue
            what = f"changed its {name} from {before!r} to {after!r}"
            if name in _AUTOMATIC:
                what = f"changed its {_AUTOMATIC[name]} from {_word(before)} to {_word(after)}"
            if self._accept_changed or self._may_change(name):
                self.result.warnings.append(what)
                continue
            raise ReleaseRefused(
                f"{self._base}: {what}; the host would not accept that without being asked",
                "look whether that is meant, then:"
                f" velpin refresh {shell_word(self.source.handle)} --accept-changed",
            )

    def _may_change(self, name: str) -> bool:
        """Whether what a source says of itself may change without being asked: suite and
        version may; the configuration can say otherwise for each and for all (observed)."""
        conf, setting = self._state.configuration.conf, "Acquire::AllowReleaseInfoChange"
        word = "DefaultPin" if name in _AUTOMATIC else name
        return conf.switch(f"{setting}::{word}", name in _MAY_CHANGE or conf.switch(setting, False))

    # -- the indexes ---------------------------------------------------------------------

    def _fetch_indexes(self, release: Release, data: bytes) -> None:
        promises = read_promises(data, self._base)
        for component, arch in wanted_indexes(self.source, release):
            if component and release.components and not has_component(release, component):
                self._warn_once(
                    f"has no component {component}; it has {' '.join(release.components)}"
                )
                continue
            plain = index_name(self.source, component, arch)
            file = self._fetch_index(plain, promises, release) if data else self._unpromised(plain)
            if file:
                self.next.indexes[f"{component}/{arch}"] = file
            elif data:
                self._warn_once(f"has no index {plain}")
        for arch in self.source.archs:
            if release.architectures and arch not in release.architectures:
                self._warn_once(
                    f"has nothing for {arch}; it has {' '.join(release.architectures)}"
                )  # fmt: skip
        if not self.next.indexes and self.source.archs and self.source.component_order:
            raise NotThere(
                f"{self._base}: has no index for this host: {'; '.join(self.result.warnings)}"
            )

    def _warn_once(self, text: str) -> None:
        if text not in self.result.warnings:
            self.result.warnings.append(text)

    def _fetch_index(
        self, plain: str, promises: dict[str, Promise], release: Release
    ) -> str | None:
        for name, promise in _variants(plain, promises):
            is_strong = promise.digest in STRONG
            if not is_strong:
                self._check_weak(name, promise)
            ending = name[len(plain) :]
            file = f"{promise.value[:32]}{ending}"
            if is_strong and self.have(file, promise.size):
                return file
            target, inside = self.next.path(file), promises.get(plain)
            try:
                urls = self._urls(name, promise, release)
                self.download(urls, target, name, _promised(promise))
            except NotThere:
                continue
            self.check_inside(self._base + plain, target, _promised(inside) if inside else None)
            return file if is_strong else self.keep_file(target, "index", ending)
        if any(name == plain or name.startswith(plain + ".") for name in promises):
            raise NotThere(f"{self._base}{plain}: promised, but the server has none of its forms")
        return None

    def _check_weak(self, name: str, promise: Promise) -> None:
        """ReleaseRefused for a promise that anybody could keep with another file, unless the
        configuration allows that; what may be unsigned may be weak as well (observed)."""
        if self.source.trusted:
            return
        what = f"promises {name} by {promise.digest} only, which is too weak"
        if not (self._allows("weak") or self._allows("insecure")):
            raise ReleaseRefused(f"{self._base}: {what}")
        self._warn_once(f"{what}; its configuration allows that")

    def _allows(self, what: str) -> bool:
        """Whether the source's own option or the host's setting allows `weak`, `insecure` or
        `downgrade-to-insecure` repositories."""
        setting = f"Acquire::Allow{what.title().replace('-', '')}Repositories"
        return self.source.switch(f"allow-{what}", False) or self._state.configuration.conf.switch(
            setting, False
        )

    def _urls(self, name: str, promise: Promise, release: Release) -> list[str]:
        """Where a promised file may be: by its digest first, where the source has that."""
        urls = [self._base + name]
        kinds = {"sha256": "SHA256", "sha512": "SHA512"}
        if self._by_hash(release) and promise.digest in kinds:
            folder, slash, _ = name.rpartition("/")
            way = f"{folder}{slash}by-hash/{kinds[promise.digest]}/{promise.value}"
            urls.insert(0, self._base + way)
        return urls

    def _by_hash(self, release: Release) -> bool:
        """Whether files may be asked for by their digest: `force` does so whatever the release
        file says, `no` never."""
        said = self.source.option("by-hash") or self._state.configuration.conf.get(
            "Acquire::By-Hash"
        )
        return said.lower() == "force" or (is_yes(said, True) and release.by_hash)

    def _unpromised(self, plain: str) -> str | None:
        """An index of a source without a release file, which its configuration trusts."""
        for ending in _ENDINGS:
            name = plain.replace("/", "_") + ending
            with contextlib.suppress(NotThere):
                got = self.transport.get(
                    self._base + plain + ending, self.next.path(name), most=_LARGEST_UNPROMISED
                )
                self.result.bytes += got.size
                return name
        return None


def _variants(plain: str, promises: dict[str, Promise]) -> Iterator[tuple[str, Promise]]:
    """The promised forms of an index, smallest first, plain last."""
    found = [(plain + end, promises[plain + end]) for end in _ENDINGS if plain + end in promises]
    yield from sorted(found, key=lambda item: (item[0] == plain, item[1].size))


def has_component(release: Release, component: str) -> bool:
    """Whether a release has a component; some list them with the folder of their suite in front."""
    return any(
        component == listed or component.endswith("/" + listed) or listed.endswith("/" + component)
        for listed in release.components
    )


def _promised(promise: Promise) -> Promised:
    return Promised(promise.size, promise.digest.replace("sum", ""), promise.value)


def _release_base(source: DebSource) -> str:
    if not source.flat:
        return source.url + "/"
    inner = source.release.lstrip("/")
    return f"{source.address}/{inner}" if inner else source.address + "/"


def _word(yes: bool) -> str:
    return "yes" if yes else "no"


def _ago(seconds: float) -> str:
    days = int(seconds // 86400)
    return f"{days} days" if days > 1 else f"{int(seconds // 3600)} hours"
