"""Checks of trust that are alike for all kinds of host: keys, signers, checks that are off."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.core.checkup.examination import DAY, Check, Draft, Examination, Make, Mend, note_of
from velpin.errors import BadKey, VelpinError
from velpin.model.dates import day
from velpin.model.reason import Reason
from velpin.model.rule import as_typed
from velpin.trust.openpgp import Key, bare, key_with, read_keys

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.model.source import Source
    from velpin.trust.named import NamedKeys

_SOON = 30 * DAY
_LEAST_RSA = 2048
_LARGEST_KEY = 4 << 20
_MOST_ADDRESSES = 4
_READABLE, _WRITABLE = 0o044, 0o022
_UNCHECKED = ("none",)
_ADDRESS = re.compile(r"https?://[^\s'\"<>|;)]+\.(?:asc|gpg|key|pgp|pub)\b")


def keys_that_count(check: Examination, source: Source) -> tuple[list[Key], bool]:
    """The keys that a source now depends on, and whether they were seen to sign its index: those
    that did, else all that are named for it."""
    named = check.named_keys(source)
    signers = check.facts.index_signers(source)
    seen = [key for key in named.keys if any(key_with([key], signer) for signer in signers)]
    return (seen, True) if seen else (list(named.keys), False)


def check_keys(check: Examination) -> Iterator[Draft]:
    """Keys that cannot be used, or not for long: of several that sign an index, one good one is
    enough."""
    for source in check.sources_on:
        named = check.named_keys(source)
        if named.how in _UNCHECKED:
            continue
        keys, seen = keys_that_count(check, source)
        if named.problems and named.how not in ("common", "ring") and not seen:
            yield _missing(check, source, named)
        if named.how in ("common", "ring") and not seen:
            continue  # of a host's many keys nobody knows which is this source's
        yield from _worn(check, source, keys)


def _missing(check: Examination, source: Source, named: NamedKeys) -> Draft:
    gone = next((file for file in named.files if not check.host.tree.exists(file)), "")
    facts = {"source": source.handle, "what": "; ".join(named.problems)}
    return Draft(
        "key-missing", Reason("key-missing", dict(facts)), source.places[0], source.handle, gone,
        list(_key_mends(check, source, check.facts.index_signers(source))),
        note_of("name-key", source=source.handle),
        None if not any(key.is_usable(check.now) for key in named.keys) else "hint",
    )  # fmt: skip


def _worn(check: Examination, source: Source, keys: Sequence[Key]) -> Iterator[Draft]:
    if not keys:
        return
    good = [key for key in keys if key.is_usable(check.now)]
    if not good:
        for key in keys[:1]:
            code = "key-revoked" if key.revoked else "key-expired"
            yield _of_key(check, code, source, key)
        return
    lasting = [key for key in good if key.expires is None or key.expires > check.now + _SOON]
    if not lasting:
        last = max(good, key=lambda key: key.expires or 0)
        yield _of_key(check, "key-expiring", source, last)
    if all(is_weak(key) for key in good):
        yield _of_key(check, "key-weak", source, good[0])


def is_weak(key: Key) -> bool:
    """Whether a key is of a form that is no longer thought safe."""
    name, _, size = key.algorithm.partition(" ")
    return name == "DSA" or (name == "RSA" and size.isdigit() and int(size) < _LEAST_RSA)


def _of_key(check: Examination, code: str, source: Source, key: Key) -> Draft:
    what = note_of(
        code, source=source.handle, owner=key.owner, key=key.grouped, day=day(key.expires),
        algorithm=key.algorithm, where=key.where,
    )  # fmt: skip
    mends = list(_key_mends(check, source, [key.fingerprint], instead=key))
    advice = note_of("renew-key", source=source.handle)
    return Draft(code, what, source.places[0], source.handle, key.fingerprint, mends, advice)


# -- signed by another ---------------------------------------------------------------------


def check_signers(check: Examination) -> Iterator[Draft]:
    """Indexes that are signed by keys that are not named for them, as the copy here or the last
    fetch shows."""
    for source in check.sources_on:
        named = check.named_keys(source)
        if named.how in _UNCHECKED:
            continue
        failure = check.failure(source)
        signers: Sequence[str] = failure.keys if failure else ()
        if not signers and named.keys and not named.problems:
            signers = check.facts.index_signers(source)
        if not signers or any(key_with(named.keys, signer) for signer in signers):
            continue
        found = list(keys_to_be_had(check, source, signers))
        facts = note_of(
            "other-key", source=source.handle, keys=", ".join(signers),
            named=", ".join(key.fingerprint for key in named.keys[:3]) or "none",
        )  # fmt: skip
        what = facts._replace(because=tuple(_about(key, place, named) for key, place in found))
        yield Draft(
            "other-key", what, source.places[0], source.handle, " ".join(signers),
            list(_key_mends(check, source, signers, found=found)),
            note_of("name-key", source=source.handle),
        )  # fmt: skip


def _about(key: Key, place: str, named: NamedKeys) -> Reason:
    """What ties a key to those that are named."""
    facts = {"key": key.grouped, "owner": key.owner, "where": place}
    if key_with(named.keys, key.fingerprint):
        return Reason("key-renewed", dict(facts))
    if _certifier(key, named):
        old = _certifier(key, named)
        return Reason("key-certified", {**facts, "old": old.grouped if old else ""})
    return Reason("key-stranger", dict(facts))


def _certifier(key: Key, named: NamedKeys) -> Key | None:
    from velpin.trust.certifications import is_certified_by

    return next((old for old in named.keys if is_certified_by(key, old)), None)


def keys_to_be_had(
    check: Examination, source: Source, signers: Iterable[str]
) -> Iterator[tuple[Key, str]]:
    """Keys by some signers that lie on this host or at an address that the source's own files
    name, and where."""
    wanted = list(signers)
    named = check.named_keys(source)
    for file in check.facts.key_files():
        place = str(check.host.tree.path(file))
        for key in _read(check.host.tree.read(file) or b"", place):
            if any(key_with([key], signer) for signer in wanted) and not _is_among(key, named.keys):
                yield key, place
    addresses = [*check.facts.key_addresses(source), *addresses_in_comments(check.host, source)]
    for address in list(dict.fromkeys(addresses))[:_MOST_ADDRESSES]:
        transport = check.ask(source)
        if transport is None:
            return
        try:
            data = transport.read(address, most=_LARGEST_KEY)
        except VelpinError:
            continue
        for key in _read(data, address):
            if any(key_with([key], signer) for signer in wanted):
                yield key, address


def _is_among(key: Key, others: Iterable[Key]) -> bool:
    return any(
        (other.fingerprint, other.expires) == (key.fingerprint, key.expires) for other in others
    )


def _read(data: bytes, where: str) -> list[Key]:
    try:
        return read_keys(data, where) if data.strip() else []
    except BadKey:
        return []


def addresses_in_comments(host: Adapter[Source], source: Source) -> list[str]:
    """Addresses of key files in the comments of the files that a source stands in."""
    found: list[str] = []
    for file in dict.fromkeys(place.file for place in source.places):
        text = (host.tree.read(file) or b"").decode("utf-8", "replace")
        for line in text.splitlines():
            if line.lstrip().startswith(("#", ";")):
                found += _ADDRESS.findall(line)
    return found


def _key_mends(
    check: Examination, source: Source, signers: Sequence[str], *, instead: Key | None = None,
    found: Sequence[tuple[Key, str]] | None = None,
) -> Iterator[Mend]:  # fmt: skip
    """To name a key that is to be had; one that a named key vouches for needs no choice."""
    named = check.named_keys(source)
    for key, place in keys_to_be_had(check, source, signers) if found is None else found:
        if not key.is_usable(check.now):
            continue
        if instead is not None and key.fingerprint != instead.fingerprint:
            continue
        known = key_with(named.keys, key.fingerprint) or place.startswith("/")
        command = as_typed(
            ["velpin", "add", source.handle, "--key", place, "--fingerprint", bare(key.fingerprint)]
        )
        yield Mend(command, _naming(source, key), is_choice=not known)


def _naming(source: Source, key: Key) -> Make:
    def make(host: Adapter[Source]) -> Plan:
        plan = Plan(f"velpin add {source.handle} --key", f"name a key for {source.handle}")
        plan.propose(host.tree, host.compose_key(host.source(source.handle), [key]))
        plan.handles = [source.handle]
        return plan

    return make


# -- nothing checked -----------------------------------------------------------------------


def check_checks(check: Examination) -> Iterator[Draft]:
    """Checks of signatures that are switched off, and sources of which nothing is checked."""
    for source in check.sources_on:
        told = list(check.host.checks_off(source))
        for reason in told:
            place = check.facts.place_of_check(source, reason)
            plain = reason.code == "plain-way"
            mends = check.facts.check_mends(source, reason)
            yield Draft(
                ("checks-off", "plain-http")[plain], reason, place, source.handle,
                reason.code, mends, note_of("check-again", source=source.handle),
            )  # fmt: skip
        if not told and not check.facts.is_checked(source):
            yield Draft(
                "unsigned", note_of("nothing-checked", source=source.handle), source.places[0],
                source.handle, advice=note_of("ask-for-signatures", source=source.handle),
            )  # fmt: skip


# -- files of keys and logins --------------------------------------------------------------


def check_rights(check: Examination) -> Iterator[Draft]:
    """Key files that others may write, and logins that they may read."""
    for file in dict.fromkeys(check.facts.key_files()):
        yield from _open_to_others(check, file, "key-writable", _WRITABLE)
    for file in dict.fromkeys(check.facts.login_files()):
        yield from _open_to_others(check, file, "login-readable", _READABLE | _WRITABLE)


def _open_to_others(check: Examination, file: str, code: str, bits: int) -> Iterator[Draft]:
    mode = check.host.tree.mode(file)
    if mode is not None and mode & bits:
        yield rights_draft(file, code, mode, mode & ~bits)


def rights_draft(file: str, code: str, mode: int, better: int) -> Draft:
    """A file that others may do too much with, and the mend: fewer rights."""
    from velpin.model.reason import Place

    def make(host: Adapter[Source]) -> Plan:
        plan = Plan("", f"rights of /{file}: {better:04o} instead of {mode:04o}")
        plan.propose_modes(host.tree, {file: better})
        return plan

    what = note_of(code, file=f"/{file}", mode=f"{mode:04o}")
    return Draft(code, what, Place(file, 0), subject=file, mends=[Mend("", make)])


CHECKS: tuple[Check, ...] = (check_keys, check_signers, check_checks, check_rights)
