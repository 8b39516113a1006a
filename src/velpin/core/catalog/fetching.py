"""Catalogs from an address: fetched, their signature checked, kept current.

    etc/velpin/catalogs/NAME.toml      the catalog, byte for byte as it was signed
    etc/velpin/catalogs/NAME.asc       the key that must sign it
    etc/velpin/catalogs/NAME.origin    where it is from

The signature stands beside the catalog, at its address with `.asc` behind it. A version that is
older than the one that is here is not taken.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import urlsplit

from velpin.change.plan import KeyShown, Plan
from velpin.core.catalog.format import read_catalog
from velpin.core.catalog.shelf import ENDING, FOLDER
from velpin.errors import BadSignature, NotThere, Refusal, ReleaseRefused, TrustError, UsageError
from velpin.files.toml import read_toml
from velpin.files.tree import Tree
from velpin.trust.openpgp import Key, armoured, bare, read_keys, verify_detached

if TYPE_CHECKING:
    from velpin.fetch.download import Transport

_LARGEST = 8 << 20
_NAME = re.compile(r"[a-z0-9][a-z0-9.+_-]*\Z")
_KEY, _ORIGIN = ".asc", ".origin"


class Origin(NamedTuple):
    """Where a catalog is from."""

    name: str
    address: str


def origins(tree: Tree) -> list[Origin]:
    """The catalogs of a host that are fetched, by name."""
    found = []
    for file in tree.names(FOLDER):
        if file.endswith(_ORIGIN):
            table = read_toml(tree.read(f"{FOLDER}/{file}") or b"", f"{FOLDER}/{file}")
            found.append(Origin(file.removesuffix(_ORIGIN), table.text("address", needed=True)))
            table.done()
    return found


def plan_catalog(
    tree: Tree, address: str, key: bytes, fingerprint: str, transport: Transport, name: str = ""
) -> Plan:
    """What keeping a catalog from an address would write.

    Raises UsageError for an address or a name that is none, Refusal where the name is taken,
    TrustError where no key has the fingerprint or the catalog is not signed by it, HostFileError
    where it is no catalog.
    """
    if urlsplit(address).scheme not in ("http", "https", "file"):
        raise UsageError(
            f"{address!r} is not an address", "velpin catalog add URL --key FILE-or-URL"
        )
    name = name or urlsplit(address).path.rpartition("/")[2].removesuffix(ENDING).lower()
    if not _NAME.match(name):
        raise UsageError(f"{name!r} cannot be the name of a catalog", "give one with --name NAME")
    if tree.exists(f"{FOLDER}/{name}{ENDING}"):
        raise Refusal(
            f"there is a catalog {name} already ({FOLDER}/{name}{ENDING})",
            "velpin catalog refresh brings it up to date; --name gives this one another name",
        )
    keys = _agreeing(read_keys(key, "the key"), fingerprint)
    data, signers = _fetched(address, keys, transport)
    _read(data, f"{FOLDER}/{name}{ENDING}")
    plan = Plan(f"velpin catalog add {address}", f"add catalog {name}")
    mine = [each for each in keys if each.fingerprint in signers]
    origin = f'address = "{address}"\n'.encode()
    plan.propose(tree, {
        f"{FOLDER}/{name}{_KEY}": armoured(mine), f"{FOLDER}/{name}{_ORIGIN}": origin,
        f"{FOLDER}/{name}{ENDING}": data,
    })  # fmt: skip
    plan.keys = [_shown(each, bool(fingerprint)) for each in mine]
    return plan


def _agreeing(keys: Sequence[Key], fingerprint: str) -> list[Key]:
    if not fingerprint:
        return list(keys)
    fitting = [key for key in keys if key.fingerprint == bare(fingerprint)]
    if not fitting:
        raise TrustError(
            f"the fingerprint does not agree: expected {bare(fingerprint)}, found"
            f" {', '.join(key.grouped for key in keys)}",
            "do not add it; ask who publishes the catalog",
        )
    return fitting


def _shown(key: Key, agrees: bool) -> KeyShown:
    return KeyShown(
        key.owner, key.fingerprint, key.created, key.expires, key.algorithm,
        "revoked" if key.revoked else "good", signs=True, agrees=True if agrees else None,
    )  # fmt: skip


def plan_refresh(tree: Tree, names: Sequence[str], transport: Transport) -> Plan:
    """What bringing fetched catalogs up to date would write; all of them without names.

    Raises Refusal where there is none such, TrustError where one is no longer signed by its key,
    is older than the one here, or is none any more.
    """
    known = {origin.name: origin for origin in origins(tree)}
    for name in names:
        if name not in known:
            raise Refusal(
                f"no fetched catalog is called {name}",
                f"there are {', '.join(known)}" if known else "velpin catalog add URL --key KEY",
            )
    wanted = [known[name] for name in names] or list(known.values())
    if not wanted:
        raise Refusal("no catalog of this host is fetched", "velpin catalog add URL --key KEY")
    plan = Plan("velpin catalog refresh", f"refresh catalogs {', '.join(o.name for o in wanted)}")
    edits: dict[str, bytes | None] = {}
    for origin in wanted:
        file = f"{FOLDER}/{origin.name}"
        keys = read_keys(tree.read(f"{file}{_KEY}") or b"", f"{file}{_KEY}")
        data, _ = _fetched(origin.address, keys, transport)
        _check_newer(tree, f"{file}{ENDING}", data)
        edits[f"{file}{ENDING}"] = data
    plan.propose(tree, {f: data for f, data in edits.items() if data != tree.read(f)})
    return plan


def _fetched(address: str, keys: Sequence[Key], transport: Transport) -> tuple[bytes, set[str]]:
    data = transport.read(address, most=_LARGEST)
    try:
        signature = transport.read(f"{address}.asc", most=_LARGEST)
    except NotThere:
        raise BadSignature(
            f"{address} is not signed: there is no {address}.asc",
            f"a catalog that you trust for other reasons can be put into /{FOLDER} by hand",
        ) from None
    return data, set(verify_detached(data, signature, keys, address).signers)


def _check_newer(tree: Tree, file: str, data: bytes) -> None:
    """ReleaseRefused where a catalog is older than the one that is here."""
    issued = _read(data, file)
    before = tree.read(file)
    known = _read(before, file) if before is not None else ""
    if known and (not issued or issued < known):
        raise ReleaseRefused(
            f"{file}: the server gave a catalog of {issued or 'no day'}, older than the one here"
            f" of {known}",
            "the newer one stays; ask who publishes it",
        )


def _read(data: bytes, file: str) -> str:
    """The day of a catalog, once it is understood; HostFileError where it is not."""
    from velpin.kinds import KINDS

    return read_catalog(data, file, list(KINDS)).issued
