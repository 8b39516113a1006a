"""A new source of a deb host: the files it would write, and what speaks against it."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from velpin.change.given_keys import agreeing, given_keys
from velpin.change.plan import NewSource
from velpin.change.snippets import plain_address
from velpin.errors import HostFileError, NotThere, UsageError
from velpin.fetch.download import Transport
from velpin.files.text import encode
from velpin.files.tree import Edits
from velpin.kinds.deb import edit
from velpin.kinds.deb.logins import login_file
from velpin.kinds.deb.refresh import DebRefreshed, has_component
from velpin.kinds.deb.release import Release
from velpin.kinds.deb.source_reasons import LoginApart, NoSuite, WrongRelease
from velpin.kinds.deb.sources import (
    ADDED,
    ASIDE,
    OPTIONS,
    DebSource,
    SourceEntry,
    SourceFiles,
    parse_file,
    plain_handle,
    repository_name,
    sources_folder,
    with_release,
)
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.suites import COMMON_SUITES, suites_of
from velpin.kinds.deb.trust import OWN_FOLDER, weakens, written_out
from velpin.model.host import RefreshResult
from velpin.model.reason import Reason
from velpin.model.safe_text import bare_address, has_login
from velpin.model.source import Source
from velpin.model.source_reasons import (
    ChecksKept,
    GivesNothing,
    NoOwnSuite,
    NothingThere,
    WrongArch,
)
from velpin.ports.composer import Addition, Composer, Examined
from velpin.trust.openpgp import Key, armoured, read_keys

if TYPE_CHECKING:
    from velpin.kinds.deb.unlisted import DebUnlisted


class DebComposer(Composer):
    """New sources of a deb host."""

    snippet_endings = (".list", ".sources")
    other_endings = (".repo", ".conf")

    def __init__(self, state: DebState, unlisted: Callable[[], DebUnlisted]) -> None:
        self._state, self._unlisted = state, unlisted

    def compose(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write.

        Raises UsageError for a source that says too little, HostFileError for a snippet that the
        host would not read, TrustError where the key is not what it must be.
        """
        entries = _entries(new)
        handle = _handle(new, entries, self._state)
        keys = _keys(new, entries)
        notes: list[Reason] = []
        if new.key and not new.keep_options:
            entries, dropped = _with_checks(entries)
            notes += [ChecksKept(settings=dropped)] if dropped else []
        logins, entries = _logins_apart(entries)
        edits = _compose(self._state, handle, entries, keys, new.key_files)
        private = []
        if logins:
            private = [login_file(handle)]
            edits = {private[0]: encode("".join(logins)), **edits}
            notes.append(LoginApart(file=f"/{private[0]}"))
        return Addition([handle], _places(entries), edits, keys, notes, private)

    def addresses_of(self, source: Source) -> list[str]:
        """Its address and its suite: several suites of one address are several sources."""
        return [_place(source.address, source.release)]

    @property
    def unlisted(self) -> DebUnlisted:
        """What finds out about what is no source."""
        return self._unlisted()

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that name a key for a source."""
        return key_edits(self._state, source, keys)

    def keys_here(self, source: Source, signers: Collection[str]) -> list[Key]:
        """Keys of the host that sign a new source."""
        source = self._state.configuration.by_handle[source.handle]
        return [key for key in self._state.keys.of(source).keys if key.fingerprint in signers]

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a source has nothing for this host: no such suite, or nothing for its
        architecture."""
        source = self._state.configuration.by_handle[source.handle]
        release = result.release if isinstance(result, DebRefreshed) else Release()
        if release.architectures and not set(self._state.configuration.archs) & set(
            release.architectures
        ):
            return WrongArch(
                source=source.handle,
                asked=source.release,
                arch=self._state.configuration.native,
                has=" ".join(release.architectures),
            )
        suites = [
            suite
            for suite in suites_of(source.address, transport, self._state.configuration.release)
            if suite != source.release
        ]
        if suites and not release.date_text:
            return NoSuite(
                source=source.handle, asked=source.release, has=tuple(suites), better=suites[0]
            )
        what = result.error.message if result.error else ""
        if result.warnings and isinstance(result.error, NotThere):
            what = f"it {'; it '.join(result.warnings)}"
        return NothingThere(source=source.handle, asked=source.release, what=what)

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """Whether a source is for the host's own release, where it has one for that."""
        return examined(self._state, source, transport)


def key_edits(state: DebState, source: Source, keys: Sequence[Key]) -> Edits:
    """The edits that name a key for a source."""
    source = state.configuration.by_handle[source.handle]
    key_file = _key_file_for(state, source.handle, keys)
    return {key_file: armoured(keys), **edit.set_key(state.tree, source, "/" + key_file)}


def examined(state: DebState, source: Source, transport: Transport) -> Examined:
    """Whether a source is for the host's own release, where it has one for that."""
    source = state.configuration.by_handle[source.handle]
    release = state.indexes.copies[source.handle].release
    nothing = _why_nothing(state, source, release)
    if nothing:
        return Examined([GivesNothing(source=source.handle, what=nothing)])
    here = state.configuration.release.get("VERSION_CODENAME", "")
    if source.flat or not here or here in (source.release, release.codename, release.suite):
        return Examined()
    if source.release.startswith(here + "-") or (release.codename or "").startswith(here + "-"):
        return Examined()
    if source.release in COMMON_SUITES:
        return Examined()
    suites = suites_of(source.address, transport, state.configuration.release)
    if here not in suites:
        has = tuple(suites) or (source.release,)
        none = NoOwnSuite(source=source.handle, asked=source.release, here=here, has=has)
        return Examined(notes=[none])
    wrong = WrongRelease(source=source.handle, asked=source.release, here=here, better=here)
    return Examined([wrong])


def _places(entries: Sequence[SourceEntry]) -> list[str]:
    return [
        _place(address.rstrip("/"), suite)
        for entry in entries
        for address in entry.addresses
        for suite in entry.suites
    ]


def _place(address: str, suite: str) -> str:
    return f"{address} {suite}"


def _logins_apart(entries: list[SourceEntry]) -> tuple[list[str], list[SourceEntry]]:
    """Lines for the host's file of logins, and the entries without the logins in their addresses:
    source files may be read by everybody."""
    logins: dict[str, None] = {}
    bare = []
    for entry in entries:
        addresses = []
        for address in entry.addresses:
            parts = urlsplit(address)
            if not has_login(address) or not parts.username or parts.hostname is None:
                addresses.append(address)
                continue
            place = bare_address(address)
            name, password = unquote(parts.username), unquote(parts.password or "")
            logins[f"machine {place} login {name} password {password}\n"] = None
            addresses.append(place)
        bare.append(entry._replace(addresses=tuple(addresses)))
    return list(logins), bare


def _with_checks(entries: list[SourceEntry]) -> tuple[list[SourceEntry], tuple[str, ...]]:
    """The entries without what switches checks off, and what that was."""
    dropped = [
        f"{name}={value}"
        for entry in entries
        for name, value in entry.options.items()
        if weakens(name, value)
    ]
    kept = [
        entry._replace(options={n: v for n, v in entry.options.items() if not weakens(n, v)})
        for entry in entries
    ]
    return kept, tuple(dict.fromkeys(dropped))


# -- what is asked for ----------------------------------------------------------------------


def _entries(new: NewSource) -> list[SourceEntry]:
    if new.snippet:
        entries = parse_snippet(new.snippet, new.snippet_name)
        if not new.release:
            return entries
        if any(len(entry.suites) > 1 for entry in entries):
            raise UsageError("the snippet names several suites", "edit it, and give the file")
        return [entry._replace(suites=(new.release,)) for entry in entries]
    address = plain_address(new, " --suite SUITE --component COMPONENT")
    if not new.release:
        raise UsageError("no suite was given", "add --suite NAME, or --suite ./ for a flat one")
    flat = new.release.endswith("/")
    if flat and new.components:
        raise UsageError(f"{new.release!r} is a folder and takes no components")
    components = new.components or (() if flat else ("main",))
    options = {"arch": ",".join(new.archs)} if new.archs else {}
    entry = SourceEntry("", 0, 0, "stanza", True, ("deb",), (), (), components, options)
    return [entry._replace(addresses=(address,), suites=(new.release,))]


def parse_snippet(text: str, name: str = "") -> list[SourceEntry]:
    """The sources a vendor's snippet names, in either of the host's formats.

    Raises HostFileError (snippet and line) where the host would not read it, UsageError
    where it names no source.
    """
    body = text.replace("\r\n", "\n")
    stanza = re.search(r"(?mi)^(Types|URIs|Suites):", body) is not None
    found = SourceFiles()
    shown = name or "snippet"
    parse_file(body, f"{shown}.sources" if stanza else f"{shown}.list", found)
    if found.errors:
        first = found.errors[0]
        raise HostFileError(shown, first.line, first.what)
    entries = [entry for entry in found.entries if "deb" in entry.types and entry.on]
    if not entries and any("deb" in entry.types for entry in found.entries):
        raise UsageError(
            f"{shown}: every source in it is switched off (Enabled: no, or behind a #)",
            "take that out, if you want it",
        )
    if not entries:
        raise UsageError(
            f"{shown} names no source", "expected a line `deb ADDRESS SUITE COMPONENT`"
        )
    return entries


def _handle(new: NewSource, entries: list[SourceEntry], state: DebState) -> str:
    if new.handle:
        if plain_handle(new.handle) != new.handle:
            raise UsageError(
                f"{new.handle!r} cannot be a name: use a-z, 0-9, `.`, `+` and `-`",
                f"for example {plain_handle(new.handle)}",
            )
        if new.handle.endswith(ASIDE):
            raise UsageError(
                f"no name ends in {ASIDE}", f"for example {new.handle.removesuffix(ASIDE)}"
            )
        return new.handle
    places = _places(entries)
    for source in state.configuration.sources:
        if _place(source.address, source.release) in places:
            return source.handle
    name = repository_name(entries[0].addresses[0], state.configuration.release.get("ID", ""))
    if any(source.repository == name for source in state.configuration.sources):
        return with_release(name, entries[0].suites[0])  # another channel of what is there
    return name


def _keys(new: NewSource, entries: list[SourceEntry]) -> list[Key]:
    """Keys given with it, or written out in its snippet."""
    if new.key:
        return given_keys(new)
    keys: list[Key] = []
    for entry in entries:
        value = entry.options.get("signed-by", "")
        if "BEGIN PGP" in value:
            keys += read_keys(written_out(value), "the snippet's key")
        for file in value.split():
            if file.lstrip("/") in new.files:
                keys += read_keys(new.files[file.lstrip("/")], file)
    return agreeing(keys, new)


# -- what would be written ---------------------------------------------------------------


def _compose(
    state: DebState, handle: str, entries: list[SourceEntry], keys: list[Key],
    key_files: Sequence[str],
) -> dict[str, bytes | None]:  # fmt: skip
    """The key's file first, so that no source ever names one that is not there."""
    edits: dict[str, bytes | None] = {}
    signed_by = " ".join(f"/{file}" for file in key_files)
    if keys:
        key_file = _key_file_for(state, handle, keys)
        edits[key_file] = armoured(keys)
        signed_by = "/" + key_file
    texts = [edit.new_source(_fields(entry, signed_by)) for entry in entries]
    head = (ADDED + "\n").encode()
    text = texts[0] + b"".join(b"\n" + text.removeprefix(head) for text in texts[1:])
    file = _file_for(state, handle)
    there = state.tree.read(file)
    edits[file] = there if there is not None and edit.without_handles(there) == text else text
    return edits


def _key_file_for(state: DebState, handle: str, keys: Sequence[Key]) -> str:
    file = f"{OWN_FOLDER}/{handle}.asc"
    there = state.tree.read(file)
    if there is not None and there != armoured(keys):
        return f"{OWN_FOLDER}/{handle}-velpin.asc"
    return file


def _file_for(state: DebState, handle: str) -> str:
    folder = sources_folder(state.configuration.conf)
    file = f"{folder}/{handle}.sources"
    there = state.tree.read(file)
    if there is not None and not there.startswith(ADDED.encode()):
        return f"{folder}/{handle}{ASIDE}.sources"
    return file


def _fields(entry: SourceEntry, signed_by: str) -> list[tuple[str, str]]:
    fields = [
        ("Types", "deb"),
        ("URIs", " ".join(entry.addresses)),
        ("Suites", " ".join(entry.suites)),
        ("Components", " ".join(entry.components)),
    ]
    for name, option in OPTIONS.items():
        if option in entry.options and option != "signed-by":
            written = "-".join(word.capitalize() for word in name.split("-"))
            fields.append((written, entry.options[option].replace(",", " ")))
    value = signed_by or entry.options.get("signed-by", "")
    fields.append(("Signed-By", value.replace("\n", "\n ")))
    return fields


# -- looking before writing --------------------------------------------------------------


def _why_nothing(state: DebState, source: DebSource, release: Release) -> str:
    """Why a source that was fetched has nothing for this host, by what its entries ask for; empty
    for one that has something, and for one of which that cannot be told."""
    asked = {arch for entry in source.entries for arch in entry.options.get("arch", "").split(",")}
    asked.discard("")
    if asked and not asked.intersection((*state.configuration.archs, "all")):
        return (
            f"it is limited to {' '.join(sorted(asked))}, and this host takes"
            f" {' '.join(state.configuration.archs)}"
        )
    missing = [name for name in source.components if not has_component(release, name)]
    if missing and len(missing) == len(source.components) and release.components:
        return f"it has no {' '.join(missing)}; it has {' '.join(release.components)}"
    return ""
