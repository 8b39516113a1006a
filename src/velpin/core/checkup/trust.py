"""Checks of trust that are alike for all kinds of host: keys, signers, checks that are off."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple, TypedDict

from velpin.change.plan import Plan, shown_key
from velpin.core.catalog.shelf import FOLDER
from velpin.core.checkup.examination import DAY, Check, Examination
from velpin.errors import VelpinError
from velpin.model import findings
from velpin.model.dates import day
from velpin.model.reason import Place, Reason
from velpin.model.shell import as_typed, shell_word
from velpin.model.source_reasons import NothingChecked, PlainIndex, PlainWay, Unchecked
from velpin.ports.checks import Draft, Make, Mend
from velpin.ports.configuration import find_source
from velpin.trust.certifications import is_certified_by
from velpin.trust.named import OWN_KEYS
from velpin.trust.openpgp import Key, SignedHead, bare, key_with, read_sound_keys

if TYPE_CHECKING:
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.trust.named import NamedKeys

_SOON = 30 * DAY
_LEAST_RSA = 2048
_LARGEST_KEY = 4 << 20
_MOST_ADDRESSES = 4
_READABLE, _WRITABLE = 0o044, 0o022
_UNCHECKED = ("none",)
_LOGIN = re.compile(rb"://[^/\s\"']*@")
_ADDRESS = re.compile(r"https?://[^\s'\"<>|;)]+\.(?:asc|gpg|key|pgp|pub)\b")


def keys_that_count(check: Examination, source: Source) -> tuple[list[Key], bool]:
    """The keys that a source now depends on, and whether they were seen to sign its index: those
    that did, else all that are named for it."""
    named = check.named_keys(source)
    signers = check.ports.signers.index_signers(source)
    head = None if signers else check.ports.signers.index_head(source)
    if head is not None:  # made by a key that was revoked since, say
        signers = head.claimed()
    seen = [key for key in named.keys if key.goes_by(signers)]
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
    gone = next((file for file in named.files if not check.ports.tree.exists(file)), "")
    what = findings.KeyMissing(source=source.handle, what="; ".join(named.problems))
    signers = check.ports.signers.index_signers(source)
    return Draft(
        findings.KeyMissing, what, source.places[0], source.handle, gone,
        [*check.examiner.key_file_mends(source),
         *_key_mends(check, source, candidates(check, source, signers))],
        findings.NameKey(source=source.handle),
        None if not any(key.is_usable(check.now) for key in named.keys) else "hint",
    )  # fmt: skip


def _worn(check: Examination, source: Source, keys: Sequence[Key]) -> Iterator[Draft]:
    if not keys:
        return
    good = [key for key in keys if key.is_usable(check.now)]
    if not good:
        for key in keys[:1]:
            about = _about_key(source, key)
            yield _of_key(
                check, findings.KeyRevoked(**about) if key.revoked
                else findings.KeyExpired(**about, day=day(key.expires)), source, key,
            )  # fmt: skip
        return
    lasting = [key for key in good if key.expires is None or key.expires > check.now + _SOON]
    if not lasting:
        last = max(good, key=lambda key: key.expires or 0)
        expiring = findings.KeyExpiring(**_about_key(source, last), day=day(last.expires))
        yield _of_key(check, expiring, source, last)
    if all(is_weak(key) for key in good):
        weak = good[0]
        what = findings.KeyWeak(**_about_key(source, weak), algorithm=weak.algorithm)
        yield _of_key(check, what, source, weak)


class _AboutKey(TypedDict):
    source: str
    owner: str
    key: str


def _about_key(source: Source, key: Key) -> _AboutKey:
    return {"source": source.handle, "owner": key.owner, "key": key.grouped}


def is_weak(key: Key) -> bool:
    """Whether a key is of a form that is no longer thought safe."""
    name, _, size = key.algorithm.partition(" ")
    return name == "DSA" or (name == "RSA" and size.isdigit() and int(size) < _LEAST_RSA)


def _of_key(check: Examination, what: findings.FindingKind, source: Source, key: Key) -> Draft:
    mends = list(_key_mends(check, source, _renewed(check, source, key)))
    advice = findings.RenewKey(source=source.handle)
    place = source.places[0]
    return Draft(type(what), what, place, source.handle, key.fingerprint, mends, advice)


def _renewed(check: Examination, source: Source, old: Key) -> Iterator[Candidate]:
    """The same key with a later end; none for one that its owner has revoked."""
    for found in candidates(check, source, [old.fingerprint]):
        if found.key.fingerprint == old.fingerprint and not old.revoked:
            yield found


# -- signed by another ---------------------------------------------------------------------


class Candidate(NamedTuple):
    """A key that a source could name, and where it was found."""

    key: Key
    place: str


def check_signers(check: Examination) -> Iterator[Draft]:
    """Indexes whose signatures name keys that are not named for them, in the copy here or in the
    one that the last fetch refused."""
    for source in check.sources_on:
        named = check.named_keys(source)
        if named.how in _UNCHECKED:
            continue
        head, claimed = _doubtful_head(check, source, named)
        if not claimed or any(key_with(named.keys, each) for each in claimed):
            continue
        found = list(candidates(check, source, claimed))
        proved = [each for each in found if head and head.verified_by([each.key])]
        what = findings.OtherKey(
            source=source.handle,
            keys=", ".join(_primary(claimed, found)),
            named=", ".join(key.fingerprint for key in named.keys[:3]) or "none",
            because=tuple(
                _about(check, source, each, named, is_proved=each in proved) for each in found
            ),
        )
        yield Draft(
            findings.OtherKey, what, source.places[0], source.handle,
            " ".join(claimed), list(_key_mends(check, source, proved)),
            findings.NameKey(source=source.handle),
        )  # fmt: skip


def _primary(claimed: Iterable[str], found: Iterable[Candidate]) -> list[str]:
    """The fingerprints of whole keys, of those that are known: signatures name subkeys."""
    keys = [each.key for each in found]
    known = ((each, key_with(keys, each)) for each in claimed)
    return list(dict.fromkeys(key.fingerprint if key else each for each, key in known))


def _doubtful_head(
    check: Examination, source: Source, named: NamedKeys
) -> tuple[SignedHead | None, Sequence[str]]:
    """A head that no named key has been seen to sign, and the keys that its signatures claim."""
    failure = check.failure(source)
    if failure and failure.keys:
        return (SignedHead(*failure.refused) if failure.refused else None), failure.keys
    if not named.keys or named.problems:
        return None, ()
    head = check.ports.signers.index_head(source)
    if head is not None:
        return head, head.claimed()
    return None, check.ports.signers.index_signers(source)


def _about(
    check: Examination, source: Source, found: Candidate, named: NamedKeys, *, is_proved: bool
) -> Reason:
    """What ties a key to those that are named."""
    key = found.key
    about = _about_key(source, key)
    revoked = check.revocations.where(key.fingerprint)
    old = _certifier(key, named)
    if not is_proved:
        return findings.KeyDidNotSign(**about, where=found.place)
    if revoked:
        return findings.KeyRevokedElsewhere(**about, where=found.place, revoked=revoked)
    if key_with(named.keys, key.fingerprint):
        return findings.KeyRenewed(**about, where=found.place)
    if old:
        return findings.KeyCertified(**about, where=found.place, old=old.grouped)
    return findings.KeyStranger(**about, where=found.place)


def _certifier(key: Key, named: NamedKeys) -> Key | None:
    return next((old for old in named.keys if is_certified_by(key, old)), None)


def candidates(
    check: Examination, source: Source, fingerprints: Iterable[str]
) -> Iterator[Candidate]:
    """Keys with some fingerprints that are on this host or at an address that the source's own
    files name. That a key is here says nothing about whose source it may sign."""
    wanted = list(fingerprints)
    named = check.named_keys(source)
    for key in check.keys_on_host:
        if key.goes_by(wanted) and not _is_among(key, named.keys):
            yield Candidate(key, str(check.ports.tree.path(key.where)))
    addresses = [
        *check.ports.signers.key_addresses(source),
        *addresses_in_comments(check.ports, source),
    ]
    for address in list(dict.fromkeys(addresses))[:_MOST_ADDRESSES]:
        transport = check.ask(source)
        if transport is None:
            return
        try:
            data = transport.read(address, most=_LARGEST_KEY)
        except VelpinError:
            continue
        for key in read_sound_keys(data, address):
            if key.goes_by(wanted):
                yield Candidate(key, address)


def _is_among(key: Key, others: Iterable[Key]) -> bool:
    return any(
        (other.fingerprint, other.expires) == (key.fingerprint, key.expires) for other in others
    )


def addresses_in_comments(ports: Ports, source: Source) -> list[str]:
    """Addresses of key files in the comments of the files that a source stands in."""
    found: list[str] = []
    for file in dict.fromkeys(place.file for place in source.places):
        text = (ports.tree.read(file) or b"").decode("utf-8", "replace")
        for line in text.splitlines():
            if line.lstrip().startswith(("#", ";")):
                found += _ADDRESS.findall(line)
    return found


def _key_mends(check: Examination, source: Source, found: Iterable[Candidate]) -> Iterator[Mend]:
    """To name a key that was found. Only the same key, renewed, needs no choice: its own owner
    has signed the new date; and one that was named when Velpin fetched the index and verified it.
    Any other is somebody's word: that it is on this host already, that it signed the copy that the
    installer has, that an address offers it or that another key vouches for it does not make it
    this source's. A key
    that was revoked is never named again, whatever copy of it lacks the revocation."""
    named = check.named_keys(source)
    is_own = check.ports.signers.index_head(source) is None
    for key, place in found:
        if not key.is_usable(check.now) or check.revocations.where(key.fingerprint):
            continue
        is_same = any(key.fingerprint == old.fingerprint for old in named.keys)
        is_verified = is_own and key.fingerprint in check.ports.signers.index_signers(source)
        command = as_typed(
            ["velpin", "add", source.handle, "--key", place, "--fingerprint", bare(key.fingerprint)]
        )
        make = _naming(source, key, [old for old in named.keys if named.how in OWN_KEYS])
        yield Mend(command, make, is_choice=not (is_same or is_verified))


def _naming(source: Source, key: Key, old: Sequence[Key]) -> Make:
    def make(ports: Ports) -> Plan:
        plan = Plan(
            f"velpin add {shell_word(source.handle)} --key", f"name a key for {source.handle}"
        )
        plan.propose(
            ports.tree,
            ports.composer.compose_key(
                find_source(ports.configuration.by_handle, source.handle), [key]
            ),
        )
        plan.handles = [source.handle]
        plan.keys = [shown_key(key, signs=True)]
        plan.notes = [
            findings.KeyReplaces(source=source.handle, owner=each.owner, key=each.grouped)
            for each in old if each.fingerprint != key.fingerprint
        ]  # fmt: skip
        return plan

    return make


# -- nothing checked -----------------------------------------------------------------------


def check_checks(check: Examination) -> Iterator[Draft]:
    """Checks of signatures that are switched off, and sources of which nothing is checked."""
    for source in check.sources_on:
        told = list(check.ports.signers.checks_off(source))
        for reason in told:
            yield Draft(
                _PLAIN.get(type(reason), findings.ChecksOff), reason,
                check.examiner.place_of_check(source, reason), source.handle, reason.code,
                check.examiner.check_mends(source, reason),
                findings.CheckAgain(source=source.handle),
                why=_why_off(check, source, reason),
            )  # fmt: skip
        if not told and not check.examiner.is_checked(source):
            yield Draft(
                findings.Unsigned, NothingChecked(source=source.handle), source.places[0],
                source.handle, advice=findings.AskForSignatures(source=source.handle),
            )  # fmt: skip


_PLAIN: dict[type[Unchecked], type[findings.FindingKind]] = {
    PlainWay: findings.PlainHttp, PlainIndex: findings.PlainIndex,
}  # fmt: skip


def _why_off(check: Examination, source: Source, reason: Unchecked) -> str:
    """Why a check that is off matters here; empty if that is always so."""
    return reason.why or (reason.why_half if check.examiner.is_checked(source) else "")


# -- files of keys and logins --------------------------------------------------------------


def check_rights(check: Examination) -> Iterator[Draft]:
    """Key files that others may write, and logins that they may read."""
    for file in dict.fromkeys(check.ports.signers.key_files()):
        yield from _open_to_others(check, file, findings.KeyWritable, _WRITABLE)
    for file in dict.fromkeys([*check.examiner.login_files(), *_origins_with_login(check)]):
        yield from _open_to_others(check, file, findings.LoginReadable, _READABLE | _WRITABLE)


def _origins_with_login(check: Examination) -> list[str]:
    """Files that keep where a catalog is from, those with a login in the address."""
    tree = check.ports.tree
    files = (f"{FOLDER}/{name}" for name in tree.names(FOLDER) if name.endswith(".origin"))
    return [file for file in files if _LOGIN.search(tree.read(file) or b"")]


def _open_to_others(
    check: Examination, file: str, kind: type[findings.TooOpen], bits: int
) -> Iterator[Draft]:
    mode = check.ports.tree.mode(file)
    if mode is not None and mode & bits:
        yield rights_draft(file, kind, mode, mode & ~bits)


def rights_draft(file: str, kind: type[findings.TooOpen], mode: int, better: int) -> Draft:
    """A file that others may do too much with, and the mend: fewer rights."""

    def make(ports: Ports) -> Plan:
        plan = Plan("", f"rights of /{file}: {better:04o} instead of {mode:04o}")
        plan.propose_modes(ports.tree, {file: better})
        return plan

    what = kind(file=f"/{file}", mode=f"{mode:04o}")
    return Draft(kind, what, Place(file, 0), subject=file, mends=[Mend("", make)])


CHECKS: tuple[Check, ...] = (check_keys, check_signers, check_checks, check_rights)
