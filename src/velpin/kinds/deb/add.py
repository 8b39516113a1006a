"""Turning a new source into edits of a deb host, checked before anything is written.

The considered source is read back by the ordinary reader through the overlay, fetched with
exactly the key it would be given, and only then shown.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from urllib.parse import unquote, urlsplit

from velpin.change.adding import agreeing, keys_given, take_result
from velpin.change.adding import shown as shown_key
from velpin.change.plan import NewSource, Plan
from velpin.errors import (
    BadSignature,
    FetchError,
    HostFileError,
    MissingKey,
    Refusal,
    TrustError,
    UsageError,
)
from velpin.fetch.download import Transport, file_path
from velpin.files.text import decode, encode
from velpin.kinds.deb import edit
from velpin.kinds.deb.logins import login_file, read_logins
from velpin.kinds.deb.refresh import DebRefreshed, refresh_source
from velpin.kinds.deb.sources import (
    OPTIONS,
    DebSource,
    SourceEntry,
    SourceFiles,
    has_scheme,
    parse_file,
    plain_handle,
    repository_name,
)
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.trust import OWN_FOLDER, named_keys, weakens, written_out
from velpin.model.reason import Fact, Reason
from velpin.model.safe_text import bare_address, has_login
from velpin.trust.openpgp import Key, armoured, read_keys

_FOLDER = "etc/apt/sources.list.d"
_COMMON_SUITES = ("stable", "main", "testing", "release", "any", "all", "unstable")
"""Suites that are named after no release of any distribution."""


def plan_add(
    host: DebState,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float] = time.time,
) -> Plan:
    """What adding a source would write, and what there is to know before saying yes.

    Raises UsageError for a rule that says too little, Refusal where the source or its name
    is taken, TrustError where the key is not what it must be.
    """
    known = _known_source(host, new)
    if known and not new.address and not new.snippet:
        return _plan_key(host, known, new, transport, clock)
    entries = _entries(new)
    handle = _handle(new, entries, host)
    keys = _keys(new, entries)
    plan = Plan(command=f"velpin add {handle}", summary=f"add source {handle}")
    if new.key:
        entries = _with_checks(entries, plan)
    logins, entries = _logins_apart(entries)
    edits = _compose(host, handle, entries, keys)
    if logins:
        file = login_file(handle)
        edits = {file: encode("".join(logins)), **edits}
        plan.private.add(file)
        plan.notes.append(Reason("login-apart", {"file": f"/{file}"}))
    plan.propose(host.tree, edits)
    if plan.unchanged:
        plan.handles = [s.handle for s in host.sources if _is_of(s, plan.edits)]
        return plan
    _refuse_taken(host, handle, entries)
    _examine(host, plan, keys, new, transport, clock)
    return plan


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


def _with_checks(entries: list[SourceEntry], plan: Plan) -> list[SourceEntry]:
    """The entries without what switches checks off: a key was given to check with."""
    dropped = [
        f"{name}={value}"
        for entry in entries
        for name, value in entry.options.items()
        if weakens(name, value)
    ]
    if dropped:
        plan.notes.append(Reason("checks-kept", {"settings": tuple(dict.fromkeys(dropped))}))
    return [
        entry._replace(options={n: v for n, v in entry.options.items() if not weakens(n, v)})
        for entry in entries
    ]


def _known_source(host: DebState, new: NewSource) -> DebSource | None:
    return next((source for source in host.sources if source.handle == new.handle), None)


# -- what is asked for ----------------------------------------------------------------------


def _entries(new: NewSource) -> list[SourceEntry]:
    if new.snippet:
        entries = parse_snippet(new.snippet, new.snippet_name)
        if not new.release:
            return entries
        if any(len(entry.suites) > 1 for entry in entries):
            raise UsageError("the snippet names several suites", "edit it, and give the file")
        return [entry._replace(suites=(new.release,)) for entry in entries]
    if not new.address:
        raise UsageError(
            f"no source is called {new.handle!r}, and no address was given",
            "velpin add NAME --url ADDRESS --suite SUITE --component SECTION, or a snippet",
        )
    if not new.release:
        raise UsageError("no suite was given", "add --suite NAME, or --suite ./ for a flat one")
    flat = new.release.endswith("/")
    if flat and new.components:
        raise UsageError(f"{new.release!r} is a folder and takes no components")
    components = new.components or (() if flat else ("main",))
    options = {"arch": ",".join(new.archs)} if new.archs else {}
    if not has_scheme(new.address):
        raise UsageError(f"{new.address!r} is not an address: it has no scheme such as https:")
    entry = SourceEntry("", 0, 0, "stanza", True, ("deb",), (), (), components, options)
    return [entry._replace(addresses=(new.address,), suites=(new.release,))]


def parse_snippet(text: str, name: str = "") -> list[SourceEntry]:
    """The sources a vendor's snippet names, in either of the host's formats.

    Raises HostFileError (snippet and line) where the host would not read it, UsageError
    where it names no source.
    """
    body = "\n".join(_bare_line(line) for line in text.replace("\r\n", "\n").split("\n"))
    stanza = re.search(r"(?mi)^(Types|URIs|Suites):", body) is not None
    found = SourceFiles()
    shown = name or "snippet"
    parse_file(body, f"{shown}.sources" if stanza else f"{shown}.list", found)
    if found.errors:
        first = found.errors[0]
        raise HostFileError(shown, first.line, first.what)
    entries = [entry for entry in found.entries if "deb" in entry.types and entry.on]
    if not entries:
        raise UsageError(f"{shown} names no source", "expected a line `deb ADDRESS SUITE SECTION`")
    return entries


def _bare_line(line: str) -> str:
    """Vendors print lines as arguments of a shell command: take the source out of it."""
    found = re.search(r"""echo\s+(?:-e\s+)?(["'])(deb\s.*?)\1""", line)
    return found.group(2) if found else line


def _handle(new: NewSource, entries: list[SourceEntry], host: DebState) -> str:
    if new.handle:
        if plain_handle(new.handle) != new.handle:
            raise UsageError(
                f"{new.handle!r} cannot be a name: use a-z, 0-9, `.`, `+` and `-`",
                f"for example {plain_handle(new.handle)}",
            )
        return new.handle
    return repository_name(entries[0].addresses[0], host.release.get("ID", ""))


def _keys(new: NewSource, entries: list[SourceEntry]) -> list[Key]:
    """Keys given with it, or written out in its snippet."""
    keys: list[Key] = []
    if new.key:
        keys = read_keys(new.key, new.key_name or "the key")
    else:
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
    host: DebState, handle: str, entries: list[SourceEntry], keys: list[Key]
) -> dict[str, bytes | None]:
    """The key's file first, so that no source ever names one that is not there."""
    edits: dict[str, bytes | None] = {}
    signed_by = ""
    if keys:
        key_file = _key_file_for(host, handle, keys)
        edits[key_file] = armoured(keys)
        signed_by = "/" + key_file
    texts = [edit.new_source(handle, _fields(entry, signed_by)) for entry in entries]
    head = (edit.ADDED + "\n").encode()
    text = texts[0] + b"".join(b"\n" + one.removeprefix(head) for one in texts[1:])
    edits[_file_for(host, handle)] = text
    return edits


def _key_file_for(host: DebState, handle: str, keys: list[Key]) -> str:
    file = f"{OWN_FOLDER}/{handle}.asc"
    there = host.tree.read(file)
    if there is not None and there != armoured(keys):
        return f"{OWN_FOLDER}/{handle}-velpin.asc"
    return file


def _file_for(host: DebState, handle: str) -> str:
    file = f"{_FOLDER}/{handle}.sources"
    there = host.tree.read(file)
    if there is not None and not there.startswith(edit.ADDED.encode()):
        return f"{_FOLDER}/{handle}-velpin.sources"
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


def _is_of(source: DebSource, edits: dict[str, bytes | None]) -> bool:
    return any(place.file in edits for place in source.places)


def _refuse_taken(host: DebState, handle: str, entries: list[SourceEntry]) -> None:
    for source in host.sources:
        for entry in entries:
            same = source.address in [a.rstrip("/") for a in entry.addresses]
            if same and source.release in entry.suites:
                raise Refusal(
                    f"{source.address} {source.release} is on this host already, as"
                    f" {source.handle} ({source.places[0]}){'' if source.on else ', switched off'}",
                    f"velpin on {source.handle}" if not source.on
                    else f"velpin drop {source.handle} first, if you want it written anew",
                )  # fmt: skip
        if source.handle == handle:
            raise Refusal(
                f"{handle} is the name of another source ({source.places[0]})",
                "give this one another name",
            )


# -- looking before writing --------------------------------------------------------------


def _examine(
    host: DebState,
    plan: Plan,
    keys: list[Key],
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
    only: tuple[str, str] | None = None,
) -> None:
    after = host.with_edits(plan.edits)
    transport = transport.with_logins(read_logins(after.tree))
    if after.source_files.errors:
        raise after.source_files.errors[0]
    added = [
        source
        for source in after.sources
        if source.on
        and _is_of(source, plan.edits)
        and only in (None, (source.address, source.release))
    ]
    plan.handles = [source.handle for source in added]
    signers: set[str] = set()
    seen = False
    reached = []
    for source in added:
        result = refresh_source(after, source, transport, clock)
        reached += [source] if result.fetched else []
        take_result(plan, source, result, partial(_not_for_us, host, source, result, transport))
        if result.fetched or result.signed_by:
            seen = True
            signers.update(result.signed_by)
        if result.fetched:
            signers.update(result.fetched.signed_by)
        elif isinstance(result.error, MissingKey | BadSignature):
            seen = True
    shown = keys or [
        key
        for source in added
        for key in named_keys(after.tree, source).keys
        if key.fingerprint in signers
    ]
    plan.keys = [shown_key(key, signers if seen else None, new, clock()) for key in shown]
    if not plan.error:
        for source in reached:
            _check_release(after, plan, source, transport)


def _not_for_us(
    host: DebState, source: DebSource, result: DebRefreshed, transport: Transport
) -> Reason:
    """Why a source has nothing for this host: no such suite, or nothing for its architecture."""
    asked: dict[str, Fact] = {"source": source.handle, "asked": source.release}
    release = result.release
    if release.architectures and not set(host.archs) & set(release.architectures):
        facts = {**asked, "arch": host.native, "has": " ".join(release.architectures)}
        return Reason("wrong-arch", facts)
    suites = [one for one in suites_of(source, transport, host.release) if one != source.release]
    if suites and not release.date_text:
        return Reason("no-suite", {**asked, "has": tuple(suites), "better": suites[0]})
    what = result.error.message if result.error else ""
    return Reason("nothing-there", {**asked, "what": what})


def _check_release(after: DebState, plan: Plan, source: DebSource, transport: Transport) -> None:
    release = after.copies[source.handle].release
    here = after.release.get("VERSION_CODENAME", "")
    if source.flat or not here or here in (source.release, release.codename, release.suite):
        return
    if source.release.startswith(here + "-") or (release.codename or "").startswith(here + "-"):
        return
    if source.release in _COMMON_SUITES:
        return
    better = [one for one in suites_of(source, transport, after.release) if one == here]
    if better:
        plan.findings.append(
            Reason(
                "wrong-release",
                {
                    "source": source.handle,
                    "asked": source.release,
                    "here": here,
                    "better": better[0],
                },
            )
        )


def suites_of(source: DebSource, transport: Transport, release: dict[str, str]) -> list[str]:
    """Suites a repository is seen to have: from its folder's listing, else by trying names."""
    base = f"{source.address}/dists/"
    listed = _listed(base, transport)
    if listed:
        return listed
    names = [release.get("VERSION_CODENAME", ""), release.get("VERSION_ID", ""), *_COMMON_SUITES]
    return [name for name in dict.fromkeys(names) if name and _has_suite(base + name, transport)]


def _listed(base: str, transport: Transport) -> list[str]:
    if urlsplit(base).scheme in ("file", "copy"):
        folder = Path(file_path(base))
        return (
            sorted(entry.name for entry in folder.iterdir() if entry.is_dir())
            if folder.is_dir()
            else []
        )
    try:
        page = decode(transport.read(base, most=1 << 20))
    except (FetchError, TrustError):
        return []
    names = re.findall(r'href="(?:\./)?([A-Za-z0-9][A-Za-z0-9._+-]*)/"', page)
    return [name for name in dict.fromkeys(names) if _has_suite(base + name, transport)]


def _has_suite(url: str, transport: Transport) -> bool:
    for name in ("InRelease", "Release"):
        try:
            transport.read(f"{url}/{name}")
            return True
        except (FetchError, TrustError):
            continue
    return False


# -- a key for a source that is there ----------------------------------------------------


def _plan_key(
    host: DebState,
    source: DebSource,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
) -> Plan:
    keys = keys_given(source, new)
    key_file = _key_file_for(host, source.handle, keys)
    plan = Plan(f"velpin add {source.handle} --key", f"name a key for {source.handle}")
    edits: dict[str, bytes | None] = {key_file: armoured(keys)}
    plan.propose(host.tree, edits | edit.set_key(host.tree, source, "/" + key_file))
    if not plan.unchanged:
        _examine(host, plan, keys, new, transport, clock, (source.address, source.release))
    return plan
