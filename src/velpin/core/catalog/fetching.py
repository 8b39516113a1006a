"""Catalogs from an address: fetched, their signature checked, kept current.

    etc/velpin/catalogs/NAME.toml      the catalog, byte for byte as it was signed
    etc/velpin/catalogs/NAME.asc       the key that must sign it
    etc/velpin/catalogs/NAME.origin    where it is from, what it calls itself, the newest serial
                                       number seen (for root alone where a login is in the address)

The signature is at the catalog's address with `.asc` behind it. Whoever can serve an old version,
or another catalog by the same key, brings nothing about: the name is bound when the catalog is
added, the serial number only grows, and a catalog may say when it expires.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, NamedTuple
from urllib.parse import urlsplit

from velpin.change.plan import Plan, shown_key
from velpin.core.catalog.format import Catalog, check_expiry, read_catalog
from velpin.core.catalog.shelf import ENDING, FOLDER
from velpin.errors import BadSignature, NotThere, Refusal, ReleaseRefused, TrustError, UsageError
from velpin.files.toml import read_toml
from velpin.files.tree import Tree
from velpin.model.safe_text import has_login
from velpin.model.source_reasons import CatalogNoSerial, LoginInFile
from velpin.trust.certifications import is_fingerprint_of
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
    calls_itself: str = ""
    """The name inside it when it was added."""
    serial: int = 0
    """The newest that was seen; 0 for a catalog without one."""

    def written(self) -> bytes:
        """The file that keeps it."""
        import tomli_w

        told: dict[str, Any] = {"address": self.address}
        if self.calls_itself:
            told["catalog"] = self.calls_itself
        if self.serial:
            told["serial"] = self.serial
        return tomli_w.dumps(told).encode()


def origins(tree: Tree) -> list[Origin]:
    """The catalogs of a host that are fetched, by name."""
    found = []
    for file in tree.names(FOLDER):
        if file.endswith(_ORIGIN):
            table = read_toml(tree.read(f"{FOLDER}/{file}") or b"", f"{FOLDER}/{file}")
            found.append(
                Origin(
                    file.removesuffix(_ORIGIN), table.text("address", needed=True),
                    table.text("catalog"), table.number("serial") or 0,
                )
            )  # fmt: skip
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
    catalog = _read(data, f"{FOLDER}/{name}{ENDING}")
    check_expiry(catalog)
    plan = Plan(f"velpin catalog add {address}", f"add catalog {name}")
    mine = [each for each in keys if each.fingerprint in signers]
    origin = Origin(name, address, catalog.name, catalog.serial)
    origin_file = f"{FOLDER}/{name}{_ORIGIN}"
    private = [origin_file] if has_login(address) else []
    plan.propose(tree, {
        f"{FOLDER}/{name}{_KEY}": armoured(mine), origin_file: origin.written(),
        f"{FOLDER}/{name}{ENDING}": data,
    }, private=private)  # fmt: skip
    if private:
        plan.notes.append(LoginInFile(file=f"/{origin_file}"))
    if not catalog.serial:
        plan.notes.append(CatalogNoSerial(name=name))
    agrees = True if fingerprint else None
    plan.keys = [shown_key(each, signs=True, what="catalog", agrees=agrees) for each in mine]
    return plan


def _agreeing(keys: Sequence[Key], fingerprint: str) -> list[Key]:
    if not fingerprint:
        return list(keys)
    wanted = bare(fingerprint)
    fitting = [key for key in keys if is_fingerprint_of(wanted, key)]
    if not fitting:
        raise TrustError(
            f"the fingerprint does not agree: expected {wanted}, found"
            f" {', '.join(key.grouped for key in keys)}",
            "do not add it; ask who publishes the catalog",
        )
    return fitting


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
        catalog = _check_newer(tree, origin, f"{file}{ENDING}", data)
        edits[f"{file}{ENDING}"] = data
        edits[f"{file}{_ORIGIN}"] = origin._replace(
            calls_itself=catalog.name, serial=max(origin.serial, catalog.serial)
        ).written()
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


def _check_newer(tree: Tree, origin: Origin, file: str, data: bytes) -> Catalog:
    """The catalog that a server gave now.

    Raises ReleaseRefused for one that has expired, calls itself something else than when it was
    added, or is not newer than the one here.
    """
    catalog = _read(data, file)
    check_expiry(catalog)
    before = tree.read(file)
    known = _read(before, file) if before is not None else None
    name = origin.calls_itself or (known.name if known else "")
    hint = "the one here stays; ask who publishes it"
    if name and catalog.name != name:
        raise ReleaseRefused(
            f"{file}: the server gave another catalog by the same key: it calls itself"
            f" {catalog.name or 'nothing'}, not {name}",
            hint,
        )
    if data == before:
        return catalog
    seen = max(origin.serial, known.serial if known else 0)
    if seen:
        if catalog.serial <= seen:
            raise ReleaseRefused(
                f"{file}: the server gave a catalog with the serial number"
                f" {catalog.serial or '(none)'}, and number {seen} was seen already",
                hint,
            )
        return catalog
    day = known.issued if known else ""
    if day and not catalog.serial and catalog.issued <= day:
        raise ReleaseRefused(
            f"{file}: the server gave a catalog of {catalog.issued or 'no day'} that is not newer"
            f" than the one here, of {day}",
            f"{hint}; a serial number in it tells several of one day apart",
        )
    return catalog


def _read(data: bytes, file: str) -> Catalog:
    """A catalog; HostFileError where it is not understood."""
    from velpin.ports.kind import KIND_NAMES

    return read_catalog(data, file, list(KIND_NAMES))
