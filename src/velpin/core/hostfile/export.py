"""A host written into a file: its sources, their keys, the rules that Velpin wrote, what is off."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from velpin.core.hostfile.format import VERSION
from velpin.core.hostfile.writing import table_text
from velpin.model.rule import short_of
from velpin.trust.openpgp import armoured

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_OWN_KEYS = ("file", "fingerprint", "embedded", "packages")


def export(ports: Ports) -> str:
    """The host as a file; what it cannot hold is told in comments at its head."""
    when = _when(ports)
    tables = [
        ("key", {"name": name, "when": when, "key": armoured(keys).decode()})
        for name, keys in ports.describer.common_keys()
    ]
    tables += [("source", _source(ports, source, when)) for source in ports.configuration.sources]
    rules = dict.fromkeys(rule.rule for rule in ports.rules.in_force() if rule.rule)
    tables += [("rule", {"says": short_of(rule), "when": when}) for rule in rules]
    head = "".join(f"# {line}\n" for line in _left_out(ports)) + f"velpin-host = {VERSION}\n"
    return head + "".join(table_text(name, fields) for name, fields in tables)


def _when(ports: Ports) -> dict[str, Any]:
    """Which hosts a written source is for: its words are this kind's own."""
    found: dict[str, Any] = {"kind": ports.kind}
    if ports.configuration.release.get("ID"):
        found["host"] = ports.configuration.release["ID"]
    return found


def _source(ports: Ports, source: Source, when: dict[str, Any]) -> dict[str, Any]:
    told = ports.describer.describe(source)
    found: dict[str, Any] = {"name": told.handle, "when": when}
    if told.address:
        found["address"] = told.address
    for name, value in (
        ("suite", told.suite), ("components", list(told.components)),
        ("architectures", list(told.archs)), ("settings", list(told.settings)),
    ):  # fmt: skip
        if value:
            found[name] = value
    if not source.on:
        found["state"] = "off"
    named = ports.signers.keys_of(source)
    keys = named.keys if named.how in _OWN_KEYS else []
    mine = [key for key in keys if key.where in named.files or named.how != "packages"]
    if mine:
        found["fingerprints"] = [key.fingerprint for key in mine]
        found["key"] = armoured(mine).decode()
    return found


def _left_out(ports: Ports) -> Sequence[str]:
    """Passwords; and rules of others: they are not said in Velpin's words; those in the entry of a
    source are among its settings."""
    entries = {place.file for source in ports.configuration.sources for place in source.places}
    found = [
        f"not written down: the rule at {rule.place}, which velpin did not write"
        for rule in ports.rules.in_force()
        if rule.rule is None and rule.dead is None
        and rule.place.file.startswith("etc/") and rule.place.file not in entries
    ]  # fmt: skip
    logins = sorted(set(ports.examiner.login_files()))
    found += [f"not written down: the passwords in {file}" for file in logins]
    return list(dict.fromkeys(found))
