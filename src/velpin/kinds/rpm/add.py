"""Turning a new source into edits of an rpm host, checked before anything is written.

The considered source is read back by the ordinary reader through the overlay, fetched with
exactly the key it would be given, and only then shown.
"""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Sequence
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
from velpin.files.text import encode
from velpin.kinds.rpm.edit import ADDED, with_value
from velpin.kinds.rpm.ini import IniSection, read_sections, words
from velpin.kinds.rpm.refresh import refresh_source
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import OWN_FOLDER, named_keys, weakens
from velpin.kinds.rpm.variables import substituted
from velpin.model.reason import Reason
from velpin.model.safe_text import has_login
from velpin.trust.openpgp import Key, armoured, read_keys

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._:+-]*\Z")
_LARGEST_KEY = 4 << 20


class RpmSection(NamedTuple):
    """One section to be written: its handle, its values, and the keys it is to name."""

    handle: str
    values: tuple[tuple[str, str], ...]
    keys: tuple[Key, ...] = ()


def plan_add(
    host: RpmState,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float] = time.time,
) -> Plan:
    """What adding a source would write, and what there is to know before saying yes.

    Raises UsageError for a rule that says too little, Refusal where the source or its name
    is taken, TrustError where the key is not what it must be.
    """
    known = next((source for source in host.sources if source.handle == new.handle), None)
    if known and not new.address and not new.snippet:
        return _plan_key(host, known, new, transport, clock)
    wanted = _wanted(host, new, transport)
    handle = wanted[0].handle
    plan = Plan(command=f"velpin add {handle}", summary=f"add source {handle}")
    if new.key:
        wanted = [_with_checks(one, plan) for one in wanted]
    file = _file_for(host, handle)
    edits: dict[str, bytes | None] = {}
    texts = []
    for one in wanted:
        key_file = _key_file_for(host, one.handle, one.keys) if one.keys else ""
        if key_file:
            edits[key_file] = armoured(one.keys)
        texts.append(_section_text(one, key_file))
    if any(has_login(value) or key == "password" for one in wanted for key, value in one.values):
        plan.private.add(file)
        plan.notes.append(Reason("login-in-file", {"file": f"/{file}"}))
    edits[file] = (f"{ADDED}\n" + "\n".join(texts)).encode("utf-8", "surrogateescape")
    plan.propose(host.tree, edits)
    plan.handles = [one.handle for one in wanted]
    if plan.unchanged:
        return plan
    _refuse_taken(host, wanted, file)
    keys = [key for one in wanted for key in one.keys]
    _examine(host, plan, keys, new, transport, clock)
    return plan


def _with_checks(wanted: RpmSection, plan: Plan) -> RpmSection:
    """A section without what switches checks off: a key was given to check with."""
    dropped = [f"{key}={value}" for key, value in wanted.values if weakens(key, value)]
    if dropped:
        plan.notes.append(Reason("checks-kept", {"settings": tuple(dropped)}))
    return wanted._replace(
        values=tuple((key, value) for key, value in wanted.values if not weakens(key, value))
    )


# -- what is asked for ----------------------------------------------------------------------


def _wanted(host: RpmState, new: NewSource, transport: Transport) -> list[RpmSection]:
    if new.release or new.components:
        raise UsageError(
            "--suite and --component are for deb hosts", f"this host is of kind {host.kind}"
        )
    given = new.snippet, new.snippet_name
    sections = read_snippet(*given) if new.snippet else [_plain(host, new)]
    if new.handle and len(sections) > 1:
        names = ", ".join(section.name for section in sections)
        raise UsageError(
            f"the snippet names several sources: {names}", "leave the name away; each keeps its own"
        )
    return [_one(host, new, section, transport) for section in sections]


def _plain(host: RpmState, new: NewSource) -> IniSection:
    if not new.address:
        raise UsageError(
            f"no source is called {new.handle!r}, and no address was given",
            "velpin add NAME --url ADDRESS, or a snippet",
        )
    if not urlsplit(new.address).scheme:
        raise UsageError(f"{new.address!r} is not an address: it has no scheme such as https:")
    name = new.handle or name_from(new.address)
    text = f"[{name}]\nname={name}\nbaseurl={new.address}\nenabled=1\ngpgcheck=1\n"
    return read_sections(encode(text), "the address")[0]


def read_snippet(text: str, name: str = "") -> list[IniSection]:
    """The sources a vendor's snippet names.

    Raises HostFileError (snippet and line) where the host would not read it, UsageError
    where it names no source.
    """
    shown_as = name or "snippet"
    lines = text.replace("\r\n", "\n").split("\n")
    first = next((at for at, line in enumerate(lines) if line.strip().startswith("[")), None)
    if first is None:
        raise UsageError(
            f"{shown_as} names no source", "expected a section `[name]` with `baseurl=ADDRESS`"
        )
    body = [line if at >= first else "" for at, line in enumerate(lines)]
    body = ["" if is_shell_line(line) else line for line in body]
    found = read_sections(encode("\n".join(body)), shown_as, joined=True)
    sections = [one for one in found if one.name != "main"]
    for section in sections:
        if not any(key in section for key in ("baseurl", "mirrorlist", "metalink")):
            raise HostFileError(
                shown_as, section.line, f"{section.name} has no baseurl, mirrorlist or metalink"
            )
    return sections


def _one(host: RpmState, new: NewSource, section: IniSection, transport: Transport) -> RpmSection:
    handle = new.handle or section.name
    if not _NAME.match(handle):
        raise UsageError(
            f"{handle!r} cannot be a name: use letters, digits, `.`, `_`, `:`, `+` and `-`",
            "give the source a name of your own: velpin add NAME ...",
        )
    values = {value.key: value.text for value in section.values}
    keys = _keys(host, new, values, transport)
    return RpmSection(handle, tuple(values.items()), tuple(keys))


def _keys(
    host: RpmState, new: NewSource, values: dict[str, str], transport: Transport
) -> list[Key]:
    """Keys given with it, else those at the addresses that the snippet names."""
    if new.key:
        return agreeing(read_keys(new.key, new.key_name or "the key"), new)
    keys: list[Key] = []
    for address in words(substituted(values.get("gpgkey", ""), host.variables)):
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


def _key_file_for(host: RpmState, handle: str, keys: Sequence[Key]) -> str:
    file = f"{OWN_FOLDER}/RPM-GPG-KEY-{handle.replace(':', '-')}"
    there = host.tree.read(file)
    return file if there in (None, armoured(keys)) else f"{file}-velpin"


def _file_for(host: RpmState, handle: str) -> str:
    file = f"{host.sources_folder}/{handle.replace(':', '-')}.repo"
    there = host.tree.read(file)
    if there is not None and not there.startswith(ADDED.encode()):
        return f"{host.sources_folder}/{handle.replace(':', '-')}-velpin.repo"
    return file


def _refuse_taken(host: RpmState, wanted: Sequence[RpmSection], file: str) -> None:
    for one in wanted:
        values = dict(one.values)
        urls = {
            url.rstrip("/") for url in words(substituted(values.get("baseurl", ""), host.variables))
        }
        for source in host.sources:
            if source.file == file:
                continue
            if urls.intersection(source.urls):
                raise Refusal(
                    f"{source.address} is on this host already, as {source.handle}"
                    f" ({source.places[0]}){'' if source.on else ', switched off'}",
                    f"velpin on {source.handle}" if not source.on
                    else f"velpin drop {source.handle} first, if you want it written anew",
                )  # fmt: skip
            if source.handle == one.handle:
                raise Refusal(
                    f"{one.handle} is the name of another source ({source.places[0]})",
                    "give this one another name",
                )


# -- looking before writing --------------------------------------------------------------


def _examine(
    host: RpmState,
    plan: Plan,
    keys: Sequence[Key],
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
) -> None:
    after = host.with_edits(plan.edits)
    transport = transport.with_logins(after.fetch_logins())
    if after.config_errors:
        raise after.config_errors[0]
    added = [source for source in after.sources if source.on and source.handle in plan.handles]
    signers: set[str] = set()
    seen = False
    for source in added:
        result = refresh_source(after, source, transport, clock)
        take_result(plan, source, result)
        signers.update(result.signed_by)
        seen = seen or bool(result.signed_by) or isinstance(result.error, MissingKey | BadSignature)
    known = keys or [key for source in added for key in named_keys(after, source).keys]
    plan.keys = [shown(key, signers if seen else None, new, clock()) for key in known]
    if plan.error:
        return
    fresh = host.with_edits(plan.edits)
    for handle in plan.handles:
        _check_fit(fresh, plan, fresh.source(handle))


def _check_fit(host: RpmState, plan: Plan, source: RpmSource) -> None:
    """What speaks against a source on this host: nothing for its architecture, no key."""
    if not source.on:
        return
    index = host.index(source)
    if index is not None and index.count:
        archs = {row.arch for row in index.all_rows()}
        if not any(host.archs.takes(arch) for arch in archs):
            has = " ".join(sorted(archs))
            facts = {"source": source.handle, "arch": host.native, "has": has}
            plan.findings.append(Reason("wrong-arch", dict(facts)))
    if source.signed_packages and not named_keys(host, source).keys:
        plan.notes.append(Reason("no-key-named", {"source": source.handle}))
    if not (source.signed_packages or source.signed_index):
        plan.notes.append(Reason("nothing-checked", {"source": source.handle}))


# -- a key for a source that is there ----------------------------------------------------


def _plan_key(
    host: RpmState,
    source: RpmSource,
    new: NewSource,
    transport: Transport,
    clock: Callable[[], float],
) -> Plan:
    keys = keys_given(source, new)
    key_file = _key_file_for(host, source.handle, keys)
    data = host.tree.read(source.file) or b""
    data = with_value(data, source.file, source.handle, "gpgkey", f"file:///{key_file}")
    if not source.signed_packages:
        data = with_value(data, source.file, source.handle, "gpgcheck", "1")
    plan = Plan(f"velpin add {source.handle} --key", f"name a key for {source.handle}")
    plan.propose(host.tree, {key_file: armoured(keys), source.file: data})
    plan.handles = [source.handle]
    if not plan.unchanged:
        _examine(host, plan, keys, new, transport, clock)
    return plan
