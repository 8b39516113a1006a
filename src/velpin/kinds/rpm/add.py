"""A new source of an rpm host: the files it would write, and what speaks against it."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Sequence
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import urlsplit

from velpin.change.given_keys import agreeing, given_keys
from velpin.change.plan import NewSource
from velpin.change.snippets import check_names, name_from, plain_address
from velpin.errors import HostFileError, UsageError, ending_in_near
from velpin.fetch.download import Transport
from velpin.files.text import encode
from velpin.files.tree import Edits
from velpin.kinds.rpm.edit import ADDED, with_value
from velpin.kinds.rpm.ini import IniSection, read_sections, words
from velpin.kinds.rpm.source_reasons import NoKeyNamed, VariableNotSet
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import OWN_FOLDER, named_keys, weakens
from velpin.kinds.rpm.variables import substituted, unset_in
from velpin.model.host import RefreshResult
from velpin.model.reason import Reason
from velpin.model.safe_text import has_login
from velpin.model.source import Source
from velpin.model.source_reasons import (
    ChecksKept,
    IndexCheckAsked,
    LoginInFile,
    NothingChecked,
    NothingThere,
    WrongArch,
)
from velpin.ports.composer import Addition, Composer, Examined
from velpin.trust.openpgp import Key, armoured, read_keys

if TYPE_CHECKING:
    from velpin.kinds.rpm.unlisted import RpmUnlisted

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._:+-]*\Z")
_LARGEST_KEY = 4 << 20


class RpmSection(NamedTuple):
    """One section to be written: its handle, its values, and the keys it is to name."""

    handle: str
    values: tuple[tuple[str, str], ...]
    keys: tuple[Key, ...] = ()

    def with_checks(self) -> RpmSection:
        """The same without what switches checks off."""
        kept = tuple((key, value) for key, value in self.values if not weakens(key, value))
        return self._replace(values=kept)

    def with_index_check(self) -> RpmSection:
        """The same, asking for a signed index too, unless it says something of that itself."""
        if not self.keys or "repo_gpgcheck" in dict(self.values):
            return self
        return self._replace(values=(*self.values, ("repo_gpgcheck", "1")))

    @property
    def has_login(self) -> bool:
        """Whether a password is in it."""
        return any(has_login(value) or key == "password" for key, value in self.values)


class RpmComposer(Composer):
    """New sources of an rpm host."""

    snippet_endings = (".repo",)
    other_endings = (".list", ".sources")

    def __init__(self, state: RpmState, unlisted: Callable[[], RpmUnlisted]) -> None:
        self._state, self._unlisted = state, unlisted

    def compose(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write; keys at the addresses that a snippet names are fetched.

        Raises UsageError for a source that says too little, HostFileError for a snippet that the
        host would not read, TrustError where the key is not what it must be.
        """
        sections = _sections(self._state, new, transport)
        notes: list[Reason] = []
        dropped = [
            f"{key}={value}"
            for section in sections
            for key, value in section.values
            if new.key and not new.keep_options and weakens(key, value)
        ]
        if dropped:
            sections = [section.with_checks() for section in sections]
            notes.append(ChecksKept(settings=tuple(dropped)))
        private = []
        file = _file_for(self._state, sections[0].handle)
        if any(section.has_login for section in sections):
            private.append(file)
            notes.append(LoginInFile(file=f"/{file}"))
        urls = [
            url.rstrip("/")
            for section in sections
            for url in words(
                substituted(
                    dict(section.values).get("baseurl", ""), self._state.configuration.variables
                )
            )
        ]
        keys = list(dict.fromkeys(key for section in sections for key in section.keys))
        handles = [section.handle for section in sections]
        edits = _edits(self._state, file, sections)
        plain = Addition(handles, urls, edits, keys, notes, private)
        checked = [section.with_index_check() for section in sections]
        if not keys or checked == sections:
            return plain
        asked = IndexCheckAsked(source=", ".join(handles))
        return plain._replace(
            index_signed=plain._replace(
                edits=_edits(self._state, file, checked), notes=[*notes, asked]
            )
        )

    def addresses_of(self, source: Source) -> Collection[str]:
        """Its base addresses."""
        return self._state.configuration.by_handle[source.handle].urls

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a new source has nothing for this host: a variable in its address that nothing sets,
        else what the server said."""
        known = self._state.configuration.variables
        for name, near in unset_in(" ".join(self.addresses_of(source)), known):
            return VariableNotSet(source=source.handle, name=name, near=ending_in_near(near))
        what = result.error.message if result.error else ""
        return NothingThere(source=source.handle, what=what)

    @property
    def unlisted(self) -> RpmUnlisted:
        """What finds out about what is no source."""
        return self._unlisted()

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that name a key for a source, and let its packages be checked with it."""
        source = self._state.configuration.by_handle[source.handle]
        key_file = _key_file_for(self._state, source.handle, keys)
        data = self._state.tree.read(source.file) or b""
        data = with_value(data, source.file, source.handle, "gpgkey", f"file:///{key_file}")
        if not source.signed_packages:
            data = with_value(data, source.file, source.handle, "gpgcheck", "1")
        return {key_file: armoured(keys), source.file: data}

    def keys_here(self, source: Source, signers: Collection[str]) -> list[Key]:
        """Keys that a new source's own section names: they sign its packages."""
        source = self._state.configuration.by_handle[source.handle]
        return named_keys(self._state, source).keys

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """What speaks against a source on this host: nothing for its architecture, no key."""
        source = self._state.configuration.by_handle[source.handle]
        findings: list[Reason] = []
        notes: list[Reason] = []
        index = self._state.indexes.index(source)
        if index is not None and index.count:
            archs = {row.arch for row in index.all_rows()}
            if not any(self._state.configuration.archs.takes(arch) for arch in archs):
                has = " ".join(sorted(archs))
                findings.append(
                    WrongArch(source=source.handle, arch=self._state.configuration.native, has=has)
                )
        if source.signed_packages and not named_keys(self._state, source).keys:
            notes.append(NoKeyNamed(source=source.handle))
        if not (source.signed_packages or source.signed_index):
            notes.append(NothingChecked(source=source.handle))
        return Examined(findings, notes)


def _edits(state: RpmState, file: str, sections: Sequence[RpmSection]) -> Edits:
    """The file of the sections, and a file for each set of keys that they name."""
    edits: dict[str, bytes | None] = {}
    key_files: dict[bytes, str] = {}
    texts = []
    for section in sections:
        data = armoured(section.keys)
        if section.keys and data not in key_files:
            key_files[data] = _key_file_for(state, section.handle, section.keys)
            edits[key_files[data]] = data
        texts.append(_section_text(section, key_files.get(data, "")))
    edits[file] = (f"{ADDED}\n" + "\n".join(texts)).encode("utf-8", "surrogateescape")
    return edits


# -- what is asked for ----------------------------------------------------------------------


def _sections(state: RpmState, new: NewSource, transport: Transport) -> list[RpmSection]:
    if new.release or new.components:
        raise UsageError(
            "--suite and --component are for deb hosts", f"this host is of kind {state.kind}"
        )
    given = new.snippet, new.snippet_name
    sections = read_snippet(*given) if new.snippet else [_plain(state, new)]
    check_names(new, [section.name for section in sections])
    return [_section(state, new, section, transport) for section in sections]


def _plain(state: RpmState, new: NewSource) -> IniSection:
    address = plain_address(new)
    name = new.handle or name_from(address)
    text = f"[{name}]\nname={name}\nbaseurl={address}\nenabled=1\ngpgcheck=1\n"
    if new.signed_index:
        text += "repo_gpgcheck=1\n"
    return read_sections(encode(text), "the address")[0]


def read_snippet(text: str, name: str = "") -> list[IniSection]:
    """The sources a vendor's snippet names.

    Raises HostFileError (snippet and line) where the host would not read it, UsageError
    where it names no source.
    """
    shown_as = name or "snippet"
    lines = text.replace("\r\n", "\n").split("\n")
    heads = (at for at, line in enumerate(lines) if line.strip().startswith("["))
    first = next(heads, len(lines))
    body = [line if at >= first else "" for at, line in enumerate(lines)]
    found = read_sections(encode("\n".join(body)), shown_as, joined=True)
    sections = [section for section in found if section.name != "main"]
    if not sections:
        raise UsageError(
            f"{shown_as} names no source", "expected a section `[name]` with `baseurl=ADDRESS`"
        )
    for section in sections:
        if not any(key in section for key in ("baseurl", "mirrorlist", "metalink")):
            raise HostFileError(
                shown_as, section.line, f"{section.name} has no baseurl, mirrorlist or metalink"
            )
    return sections


def _section(
    state: RpmState, new: NewSource, section: IniSection, transport: Transport
) -> RpmSection:
    handle = new.handle or section.name
    if not _NAME.match(handle):
        raise UsageError(
            f"{handle!r} cannot be a name: use letters, digits, `.`, `_`, `:`, `+` and `-`",
            "give the source a name of your own: velpin add NAME ...",
        )
    values = {value.key: value.text for value in section.values}
    keys = _keys(state, new, values, transport)
    if new.key_files:
        values["gpgkey"] = " ".join(f"file:///{file}" for file in new.key_files)
    return RpmSection(handle, tuple(values.items()), tuple(keys))


def _keys(
    state: RpmState, new: NewSource, values: dict[str, str], transport: Transport
) -> list[Key]:
    """Keys given with it, else those at the addresses that the snippet names."""
    if new.key:
        return given_keys(new)
    keys: list[Key] = []
    for address in words(substituted(values.get("gpgkey", ""), state.configuration.variables)):
        file = address.removeprefix("file://").lstrip("/")
        if file in new.files:
            keys += read_keys(new.files[file], file)
        elif urlsplit(address).scheme in ("http", "https", "ftp"):
            keys += read_keys(transport.read(address, most=_LARGEST_KEY), address)
    if keys or new.fingerprint:
        return agreeing(keys, new)
    return []


# -- what would be written ---------------------------------------------------------------


def _section_text(wanted: RpmSection, key_file: str) -> str:
    values = dict(wanted.values)
    values.setdefault("name", wanted.handle)
    if key_file:
        values["gpgkey"] = f"file:///{key_file}"
        values.setdefault("gpgcheck", "1")
    lines = [f"[{wanted.handle}]"]
    lines += [f"{key}={value}".replace("\n", "\n        ") for key, value in values.items()]
    return "\n".join(lines) + "\n"


def _key_file_for(state: RpmState, handle: str, keys: Sequence[Key]) -> str:
    file = f"{OWN_FOLDER}/RPM-GPG-KEY-{handle.replace(':', '-')}"
    there = state.tree.read(file)
    return file if there in (None, armoured(keys)) else f"{file}-velpin"


def _file_for(state: RpmState, handle: str) -> str:
    file = f"{state.configuration.layout.sources_folder}/{handle.replace(':', '-')}.repo"
    there = state.tree.read(file)
    if there is not None and not there.startswith(ADDED.encode()):
        return f"{state.configuration.layout.sources_folder}/{handle.replace(':', '-')}-velpin.repo"
    return file


# -- looking before writing --------------------------------------------------------------
