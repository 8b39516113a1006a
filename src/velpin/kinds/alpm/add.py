"""A new source of an alpm host: the files it would write, and what speaks against it.

A source is a section at the end of the main file, where it wins over nothing; a rule about
its place comes after. Its key goes into the host's ring, and is trusted for this section only:
nothing is said in the ring of whom to trust, but the section takes any key that is there.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.given_keys import agreeing, given_keys
from velpin.change.plan import NewSource
from velpin.change.snippets import check_names, name_from, plain_address
from velpin.errors import HostFileError, Refusal, UsageError
from velpin.fetch.download import Transport
from velpin.fetch.unpack import digest_of
from velpin.files.tree import Edits
from velpin.kinds.alpm.config import HEAD, NAME, OF_SOURCES, OPTIONS, address_of
from velpin.kinds.alpm.edit import ADDED, Text, main_text
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.source_reasons import (
    KeyForSection,
    ListNotSigned,
    ListOfOther,
    LoginForAll,
    NoListThere,
    RingMustKnow,
)
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import RING, ring
from velpin.model.host import RefreshResult
from velpin.model.reason import Reason
from velpin.model.safe_text import has_login
from velpin.model.source import Source
from velpin.model.source_reasons import ChecksKept, NothingChecked, WrongArch
from velpin.ports.composer import Addition, Composer, Examined
from velpin.trust.openpgp import Key

if TYPE_CHECKING:
    from velpin.kinds.alpm.unlisted import AlpmUnlisted

_SIGNED = "Required TrustAll"
_PACKAGES_SIGNED = "PackageRequired DatabaseOptional TrustAll"


class AlpmSection(NamedTuple):
    """One section to be written: its handle and its lines."""

    handle: str
    lines: tuple[tuple[str, str], ...]

    def text(self) -> list[str]:
        """Its lines as they are written."""
        return [ADDED, f"[{self.handle}]", *(f"{key} = {value}" for key, value in self.lines)]

    def with_level(self, level: str) -> AlpmSection:
        """The same with another level of signatures."""
        rest = tuple(line for line in self.lines if line[0] != "SigLevel")
        return self._replace(lines=(("SigLevel", level), *rest))


class AlpmComposer(Composer):
    """New sources of an alpm host."""

    snippet_endings = (".conf",)
    names_indexes = True

    def __init__(self, state: AlpmState, unlisted: Callable[[], AlpmUnlisted]) -> None:
        self._state, self._unlisted = state, unlisted

    def compose(self, new: NewSource, transport: Transport) -> Addition:
        """What a new source would write; no edits where all of it is there word for word.

        Raises UsageError for a source that says too little, HostFileError for a snippet that the
        host would not read, TrustError where the key is not what it must be.
        """
        sections = _sections(new)
        keys = given_keys(new)
        if new.fingerprint and not keys:
            agreeing(ring(self._state).keys, new)
        if not keys:
            return _addition(self._state, sections, keys)
        dropped = tuple(
            f"SigLevel = {value}"
            for section in sections
            for key, value in section.lines
            if key == "SigLevel" and re.search(r"Never|Optional", value)
        )
        notes = [ChecksKept(settings=dropped)] if dropped else []
        unsigned = [ListNotSigned(source=section.handle) for section in sections]
        packages = [section.with_level(_PACKAGES_SIGNED) for section in sections]
        addition = _addition(
            self._state, [section.with_level(_SIGNED) for section in sections], keys, notes
        )
        return addition._replace(
            index_unsigned=_addition(self._state, packages, keys, [*notes, *unsigned])
        )

    def addresses_of(self, source: Source) -> Collection[str]:
        """Its servers."""
        return self._state.configuration.by_handle[source.handle].servers

    @property
    def unlisted(self) -> AlpmUnlisted:
        """What finds out about what is no source."""
        return self._unlisted()

    def compose_key(self, source: Source, keys: Sequence[Key]) -> Edits:
        """The edits that bring a key into the ring, and let a source's section take it."""
        source = self._state.configuration.by_handle[source.handle]
        edits = dict(with_keys(self._state, keys))
        if not source.level.any_key:
            text = Text(self._state.tree, source.file)
            block = text.block(source.handle)
            text.put(block.last, ["SigLevel = TrustAll"])
            edits[text.file] = text.data
        return edits

    def keys_here(self, source: Source, signers: Collection[str]) -> list[Key]:
        """Keys of the ring that sign a new source."""
        return [key for key in ring(self._state).keys if key.fingerprint in signers]

    def nothing_there(self, source: Source, result: RefreshResult, transport: Transport) -> Reason:
        """Why a source has nothing: its list must be called as its section is."""
        what = result.error.message if result.error else ""
        return NoListThere(source=source.handle, what=what)

    def examine(self, source: Source, keys: Sequence[Key], transport: Transport) -> Examined:
        """What speaks against a source on this host: nothing for its architecture, no key."""
        source = self._state.configuration.by_handle[source.handle]
        findings: list[Reason] = []
        notes: list[Reason] = []
        index = self._state.indexes.index(source)
        if index is not None and index.count:
            archs = {row.arch for row in index.all_rows()}
            if not any(self._state.configuration.takes(arch) for arch in archs):
                findings.append(
                    WrongArch(
                        source=source.handle,
                        arch=self._state.configuration.native,
                        has=" ".join(sorted(archs)),
                    )
                )
        for other in _with_same_list(self._state, source):
            notes.append(ListOfOther(source=source.handle, other=other))
        level = source.level
        if (level.of_index, level.of_packages) == ("never", "never"):
            notes.append(NothingChecked(source=source.handle))
        elif level.of_packages != "never" and not keys:
            notes.append(RingMustKnow(source=source.handle))
        elif keys and level.any_key:
            notes.append(KeyForSection(source=source.handle))
        return Examined(findings, notes)


def _addition(
    state: AlpmState,
    sections: Sequence[AlpmSection],
    keys: Sequence[Key],
    notes: Sequence[Reason] = (),
) -> Addition:
    """What writing some sections and taking some keys into the ring comes to."""
    edits: dict[str, bytes | None] = dict(with_keys(state, keys)) if keys else {}
    text = main_text(state.tree)
    there = {source.handle for source in state.configuration.sources if source.on}
    for section in sections:
        if section.handle not in there:
            text.append_section(section.text())
            edits[text.file] = text.data
    if any(has_login(value) for section in sections for _, value in section.lines):
        notes = [*notes, LoginForAll(file=f"/{text.file}")]
    if _is_there(state, sections) and text.file not in edits:
        edits = {}
    servers = [server for section in sections for server in _servers(state, section)]
    return Addition([section.handle for section in sections], servers, edits, keys, notes)


# -- what is asked for ----------------------------------------------------------------------


def _sections(new: NewSource) -> list[AlpmSection]:
    if new.release or new.components or new.archs:
        raise UsageError(
            "--suite, --component and --arch are for deb hosts",
            "a source of this kind of host has an address alone, with $repo and $arch in it",
        )
    if new.snippet:
        found = read_snippet(new.snippet, new.snippet_name)
        check_names(new, [section.handle for section in found])
        found = [section._replace(handle=new.handle or section.handle) for section in found]
    else:
        found = [_plain(new)]
    for section in found:
        if not NAME.match(section.handle) or section.handle in (OPTIONS, "local"):
            raise UsageError(
                f"{section.handle!r} cannot be a name:"
                " use letters, digits, `.`, `_`, `+`, `@` and `-`",
                "give the source a name of your own: velpin add NAME ...",
            )
    return found


def _plain(new: NewSource) -> AlpmSection:
    address = plain_address(new)
    section = AlpmSection(new.handle or name_from(address), (("Server", address),))
    return section.with_level(_SIGNED) if new.signed_index else section


def read_snippet(text: str, name: str = "") -> list[AlpmSection]:
    """The sources a vendor's snippet names.

    Raises HostFileError (snippet and line) where the host would not read it, UsageError
    where it names no source.
    """
    shown_as = name or "snippet"
    found: list[AlpmSection] = []
    for number, raw in enumerate(text.replace("\r\n", "\n").split("\n"), 1):
        line = raw.strip()
        head = HEAD.match(line)
        if head and head.group(1) != OPTIONS:
            found.append(AlpmSection(head.group(1), ()))
        elif head:
            raise HostFileError(shown_as, number, "it would change settings of the whole host")
        elif line and not line.startswith("#") and found:
            key, equals, value = (part.strip() for part in line.partition("="))
            if not equals or key not in OF_SOURCES or not value:
                raise HostFileError(shown_as, number, f"{line!r} means nothing in a source")
            found[-1] = found[-1]._replace(lines=(*found[-1].lines, (key, value)))
    if not found:
        raise UsageError(
            f"{shown_as} names no source", "expected a section `[name]` with `Server = ADDRESS`"
        )
    for section in found:
        if not any(key in ("Server", "Include") for key, _ in section.lines):
            raise HostFileError(shown_as, 0, f"{section.handle} has no Server line")
    return found


# -- what would be written ---------------------------------------------------------------


def with_keys(state: AlpmState, keys: Sequence[Key]) -> Edits:
    """The host's ring with some keys in it; Refusal where it is a keybox."""
    found = ring(state)
    if not found.file.endswith(RING):
        raise Refusal(
            f"the host's keyring is a keybox (/{found.file}), which is for its own tools",
            "bring the key into the ring with those, and add the source without --key",
        )
    have = {key.fingerprint for key in found.keys}
    new = [bytes(key.cert) for key in keys if key.fingerprint not in have]
    data = state.tree.read(found.file) or b""
    return {found.file: data + b"".join(new)} if new else {}


def _is_there(state: AlpmState, wanted: Sequence[AlpmSection]) -> bool:
    """Whether every wanted source is on the host already, word for word."""
    for section in wanted:
        source = next(
            (s for s in state.configuration.sources if s.on and s.handle == section.handle), None
        )
        if source is None or set(_servers(state, section)) != set(source.servers):
            return False
    return True


def _servers(state: AlpmState, one: AlpmSection) -> list[str]:
    return [
        address_of(value, one.handle, state.configuration.first_arch)
        for key, value in one.lines
        if key == "Server"
    ]


# -- looking before writing --------------------------------------------------------------


def _with_same_list(state: AlpmState, source: AlpmSource) -> Iterator[str]:
    """Other sources whose list holds the very same: a ring signs for all of its lists alike."""
    path = state.indexes.copies[source.handle].path
    mine = digest_of(path) if path else ""
    for other in state.configuration.sources:
        theirs = state.indexes.copies[other.handle].path
        if other.on and other.handle != source.handle and theirs and digest_of(theirs) == mine:
            yield other.handle
