"""Turning a new source into edits of an alpm host, checked before anything is written.

A source is a section at the end of the main file, where it wins over nothing; a rule about
its place comes after. Its key goes into the host's ring, and is trusted for this section only:
nothing is said in the ring of whom to trust, but the section takes any key that is there.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import NamedTuple
from urllib.parse import urlsplit

from velpin.change.adding import agreeing, keys_given, shown, take_result
from velpin.change.plan import NewSource, Plan
from velpin.change.snippet import is_shell_line, name_from
from velpin.errors import (
    BadSignature,
    HostFileError,
    MissingKey,
    Refusal,
    UsageError,
)
from velpin.fetch.download import Transport
from velpin.fetch.unpack import digest_of
from velpin.kinds.alpm.config import HEAD, OF_SOURCES, OPTIONS, address_of
from velpin.kinds.alpm.edit import ADDED, Text, main_text
from velpin.kinds.alpm.refresh import refresh_source
from velpin.kinds.alpm.source import AlpmSource
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import RING, ring
from velpin.model.host import RefreshResult
from velpin.model.reason import Reason
from velpin.model.safe_text import has_login
from velpin.trust.openpgp import Key, read_keys

_NAME = re.compile(r"[A-Za-z0-9@_+][A-Za-z0-9@._+-]*\Z")
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
        rest = tuple(one for one in self.lines if one[0] != "SigLevel")
        return self._replace(lines=(("SigLevel", level), *rest))


def plan_add(
    host: AlpmState,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float] = time.time,
) -> Plan:
    """What adding a source would write, and what there is to know before saying yes.

    Raises UsageError for a rule that says too little, Refusal where the source or its name
    is taken, TrustError where the key is not what it must be.
    """
    problem = host.refusal()
    if problem is not None:
        raise problem
    known = next((source for source in host.sources if source.handle == new.handle), None)
    if known and not new.address and not new.snippet:
        return _plan_key(host, known, new, transport, clock)
    wanted = _wanted(new)
    keys = agreeing(read_keys(new.key, new.key_name or "the key"), new) if new.key else []
    if new.fingerprint and not keys:
        agreeing(ring(host).keys, new)
    dropped = [value for one in wanted for key, value in one.lines if key == "SigLevel" and keys]
    if keys:
        wanted = [one.with_level(_SIGNED) for one in wanted]
    plan = _planned(host, wanted, keys)
    if dropped:
        settings = tuple(f"SigLevel = {value}" for value in dropped)
        plan.notes.append(Reason("checks-kept", {"settings": settings}))
    if _is_there(host, wanted) and plan.edits.keys() <= {_ring_file(host)}:
        plan.propose(host.tree, {})
        return plan
    _refuse_taken(host, wanted)
    _examine(host, plan, keys, new, transport, clock)
    if keys and isinstance(plan.error, BadSignature):
        plan = _planned(host, [one.with_level(_PACKAGES_SIGNED) for one in wanted], keys)
        _examine(host, plan, keys, new, transport, clock)
        for one in wanted:
            plan.notes.append(Reason("list-not-signed", {"source": one.handle}))
    return plan


def _planned(host: AlpmState, wanted: Sequence[AlpmSection], keys: Sequence[Key]) -> Plan:
    """The plan of writing some sections and taking some keys into the ring."""
    names = ", ".join(one.handle for one in wanted)
    plan = Plan(command=f"velpin add {wanted[0].handle}", summary=f"add source {names}")
    plan.handles = [one.handle for one in wanted]
    edits: dict[str, bytes | None] = {}
    if keys:
        edits.update(_with_keys(host, keys))
    text = main_text(host.tree)
    there = {source.handle for source in host.sources if source.on}
    for one in wanted:
        if one.handle not in there:
            text.append_section(one.text())
            edits[text.file] = text.data
    if any(has_login(value) for one in wanted for _, value in one.lines):
        plan.notes.append(Reason("login-for-all", {"file": f"/{text.file}"}))
    plan.propose(host.tree, edits)
    return plan


# -- what is asked for ----------------------------------------------------------------------


def _wanted(new: NewSource) -> list[AlpmSection]:
    if new.release or new.components or new.archs:
        raise UsageError(
            "--suite, --component and --arch are for deb hosts",
            "a source of this kind of host has an address alone, with $repo and $arch in it",
        )
    if new.snippet:
        found = read_snippet(new.snippet, new.snippet_name)
        if new.handle and len(found) > 1:
            names = ", ".join(one.handle for one in found)
            raise UsageError(
                f"the snippet names several sources: {names}",
                "leave the name away; each keeps its own",
            )
        found = [one._replace(handle=new.handle or one.handle) for one in found]
    else:
        found = [_plain(new)]
    for one in found:
        if not _NAME.match(one.handle) or one.handle in (OPTIONS, "local"):
            raise UsageError(
                f"{one.handle!r} cannot be a name: use letters, digits, `.`, `_`, `+`, `@` and `-`",
                "give the source a name of your own: velpin add NAME ...",
            )
    return found


def _plain(new: NewSource) -> AlpmSection:
    if not new.address:
        raise UsageError(
            f"no source is called {new.handle!r}, and no address was given",
            "velpin add NAME --url ADDRESS, or a snippet",
        )
    if not urlsplit(new.address).scheme:
        raise UsageError(f"{new.address!r} is not an address: it has no scheme such as https:")
    return AlpmSection(new.handle or name_from(new.address), (("Server", new.address),))


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
        elif line and not line.startswith("#") and not is_shell_line(line) and found:
            key, equals, value = (part.strip() for part in line.partition("="))
            if not equals or key not in OF_SOURCES or not value:
                raise HostFileError(shown_as, number, f"{line!r} means nothing in a source")
            found[-1] = found[-1]._replace(lines=(*found[-1].lines, (key, value)))
    if not found:
        raise UsageError(
            f"{shown_as} names no source", "expected a section `[name]` with `Server = ADDRESS`"
        )
    for one in found:
        if not any(key in ("Server", "Include") for key, _ in one.lines):
            raise HostFileError(shown_as, 0, f"{one.handle} has no Server line")
    return found


# -- what would be written ---------------------------------------------------------------


def _ring_file(host: AlpmState) -> str:
    return ring(host).file


def _with_keys(host: AlpmState, keys: Sequence[Key]) -> dict[str, bytes | None]:
    """The host's ring with some keys in it."""
    found = ring(host)
    if not found.file.endswith(RING):
        raise Refusal(
            f"the host's keyring is a keybox (/{found.file}), which is for its own tools",
            "bring the key into the ring with those, and add the source without --key",
        )
    have = {key.fingerprint for key in found.keys}
    new = [bytes(key.cert) for key in keys if key.fingerprint not in have]
    data = host.tree.read(found.file) or b""
    return {found.file: data + b"".join(new)} if new else {}


def _is_there(host: AlpmState, wanted: Sequence[AlpmSection]) -> bool:
    """Whether every wanted source is on the host already, word for word."""
    for one in wanted:
        source = next((s for s in host.sources if s.on and s.handle == one.handle), None)
        if source is None or set(_servers(host, one)) != set(source.servers):
            return False
    return True


def _servers(host: AlpmState, one: AlpmSection) -> list[str]:
    return [
        address_of(value, one.handle, host.first_arch)
        for key, value in one.lines
        if key == "Server"
    ]


def _refuse_taken(host: AlpmState, wanted: Sequence[AlpmSection]) -> None:
    for one in wanted:
        urls = set(_servers(host, one))
        for source in host.sources:
            if source.handle == one.handle:
                raise Refusal(
                    f"{one.handle} is the name of another source ({source.places[0]})"
                    f"{'' if source.on else ', switched off'}",
                    f"velpin on {source.handle}" if not source.on
                    else "its name is that of its list, so it cannot get another:"
                    f" velpin drop {source.handle} first, if this one is meant",
                )  # fmt: skip
            if source.on and urls.intersection(source.servers):
                raise Refusal(
                    f"{source.address} is on this host already, as {source.handle}"
                    f" ({source.places[0]})",
                    f"velpin drop {source.handle} first, if you want it written anew",
                )


# -- looking before writing --------------------------------------------------------------


def _examine(
    host: AlpmState,
    plan: Plan,
    keys: Sequence[Key],
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
) -> None:
    """Read the considered source back, fetch it as it would be fetched, and look at it."""
    after = host.with_edits(plan.edits)
    problem = after.refusal()
    if problem is not None:
        raise problem
    seen, signers = False, set[str]()
    for handle in plan.handles:
        source = after.source(handle)
        if not source.servers:
            raise Refusal(f"{handle} has no server", f"see {source.file}")
        result = refresh_source(after, source, transport, clock=clock)
        take_result(plan, source, result, partial(_no_list, source, result))
        signers.update(result.signed_by)
        seen = seen or bool(result.signed_by) or isinstance(result.error, MissingKey)
    known = keys or [key for key in ring(after).keys if key.fingerprint in signers]
    plan.keys = [shown(key, signers if seen else None, new, clock()) for key in known]
    if plan.error:
        return
    fresh = host.with_edits(plan.edits)
    for handle in plan.handles:
        _check_fit(fresh, plan, fresh.source(handle))


def _no_list(source: AlpmSource, result: RefreshResult) -> Reason:
    """Why a source has nothing: its list must be called as its section is."""
    what = result.error.message if result.error else ""
    return Reason("no-list-there", {"source": source.handle, "what": what})


def _check_fit(host: AlpmState, plan: Plan, source: AlpmSource) -> None:
    """What speaks against a source on this host: nothing for its architecture, no key."""
    index = host.index(source)
    if index is not None and index.count:
        archs = {row.arch for row in index.all_rows()}
        if not any(host.takes(arch) for arch in archs):
            facts = {"source": source.handle, "arch": host.native, "has": " ".join(sorted(archs))}
            plan.findings.append(Reason("wrong-arch", dict(facts)))
    for other in _with_same_list(host, source):
        plan.notes.append(Reason("list-of-other", {"source": source.handle, "other": other}))
    level = source.level
    if (level.of_index, level.of_packages) == ("never", "never"):
        plan.notes.append(Reason("nothing-checked", {"source": source.handle}))
    elif level.of_packages != "never" and not plan.keys:
        plan.notes.append(Reason("ring-must-know", {"source": source.handle}))
    elif plan.keys and level.any_key:
        plan.notes.append(Reason("key-for-section", {"source": source.handle}))


def _with_same_list(host: AlpmState, source: AlpmSource) -> Iterator[str]:
    """Other sources whose list holds the very same: a ring signs for all of its lists alike."""
    path = host.copies[source.handle].path
    mine = digest_of(path) if path else ""
    for other in host.sources:
        theirs = host.copies[other.handle].path
        if other.on and other.handle != source.handle and theirs and digest_of(theirs) == mine:
            yield other.handle


# -- a key for a source that is there ----------------------------------------------------


def _plan_key(
    host: AlpmState,
    source: AlpmSource,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
) -> Plan:
    """Bring a key into the ring for a source that is there, and let its section take it."""
    keys = keys_given(source, new)
    plan = Plan(f"velpin add {source.handle} --key", f"take a key for {source.handle}")
    plan.handles = [source.handle]
    edits = _with_keys(host, keys)
    if not source.level.any_key:
        text = Text(host.tree, source.file)
        block = text.block(source.handle)
        text.put(block.last, ["SigLevel = TrustAll"])
        edits[text.file] = text.data
    plan.propose(host.tree, edits)
    if not plan.unchanged:
        _examine(host, plan, keys, new, transport, clock)
    return plan
