"""Checks of the catalogs that a host has: a new version of one never changes the host, so what it
says otherwise is told."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.core.catalog.adding import keys_of_entry
from velpin.core.catalog.entries import all_entries
from velpin.core.catalog.format import ARMOUR
from velpin.core.catalog.shelf import read_shelf
from velpin.core.checkup.examination import Check, Examination
from velpin.errors import VelpinError
from velpin.model import findings
from velpin.model.reason import Place
from velpin.model.shell import as_typed
from velpin.ports.checks import Draft, Make, Mend
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from velpin.model.catalog import CatalogEntry
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.trust.openpgp import Key

_NAMED = ("file", "fingerprint", "embedded", "packages")


def check_catalogs(check: Examination) -> Iterator[Draft]:
    """Catalogs that are not believed or not understood."""
    shelf = read_shelf(check.ports.tree)
    for note in shelf.notes:
        what = findings.CatalogDoubted(file=f"/{note.place.file}", what=note.text)
        yield Draft(findings.CatalogUnread, what, note.place, "", note.place.file)
    for error in shelf.errors:
        what = findings.CatalogDoubted(file=f"/{error.file}", what=error.what)
        yield Draft(findings.CatalogUnread, what, Place(error.file, error.line), "", error.file,
                    advice=findings.EditByHand(file=f"/{error.file}"))  # fmt: skip


def check_entries(check: Examination) -> Iterator[Draft]:
    """Sources of this host of which a catalog says another address, suite or key."""
    if not check.ports.tree.exists("etc/velpin/catalogs"):
        return
    for entry in all_entries(check.ports):
        if not (entry.fits and entry.on_host):
            continue
        source = find_source(check.ports.configuration.by_handle, entry.on_host)
        yield from _address(entry, source)
        yield from _key(check, entry, source)


def _address(entry: CatalogEntry, source: Source) -> Iterator[Draft]:
    addresses = [entry.address, *entry.mirrors]
    mine = f"{source.address} {source.release if entry.suite else ''}".strip()
    theirs = f"{entry.address} {entry.suite}".strip()
    if "$" in entry.address or (
        source.address in addresses and source.release in (entry.suite, source.handle, "")
    ):
        return
    what = findings.CatalogDiffers(
        source=source.handle, catalog=str(entry.place), theirs=theirs, mine=mine
    )
    advice = findings.TakeFromCatalog(source=source.handle, name=entry.name)
    yield Draft(
        findings.CatalogDiffers, what, source.places[0], source.handle, "address", advice=advice
    )


def _key(check: Examination, entry: CatalogEntry, source: Source) -> Iterator[Draft]:
    named = check.named_keys(source)
    if not entry.fingerprints or named.how not in _NAMED or not named.keys:
        return
    if any(key.fingerprint in entry.fingerprints for key in named.keys):
        return
    what = findings.CatalogOtherKey(
        source=source.handle,
        catalog=str(entry.place),
        theirs=", ".join(entry.fingerprints),
        mine=", ".join(k.fingerprint for k in named.keys),
    )
    yield Draft(findings.CatalogDiffers, what, source.places[0], source.handle, "key",
                list(_key_mends(check, entry, source)),
                findings.NameKey(source=source.handle))  # fmt: skip


def _key_mends(check: Examination, entry: CatalogEntry, source: Source) -> Iterator[Mend]:
    transport = check.ask(source)
    if transport is None or not entry.key:
        return
    try:
        keys = keys_of_entry(entry, transport)
    except VelpinError:
        return
    if any(check.revocations.where(key.fingerprint) for key in keys):
        return
    command = ""
    if not entry.key.startswith(ARMOUR):
        command = as_typed(["velpin", "add", source.handle, "--key", entry.key, "--fingerprint",
                            keys[0].fingerprint])  # fmt: skip
    yield Mend(command, _naming(source.handle, keys), is_choice=True)


def _naming(handle: str, keys: list[Key]) -> Make:
    def make(ports: Ports) -> Plan:
        plan = Plan("", f"name the key of the catalog for {handle}")
        plan.propose(
            ports.tree,
            ports.composer.compose_key(find_source(ports.configuration.by_handle, handle), keys),
        )
        return plan

    return make


CHECKS: tuple[Check, ...] = (check_catalogs, check_entries)
