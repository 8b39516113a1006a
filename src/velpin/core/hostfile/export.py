"""A host written into a file: its sources, their keys, the rules that Velpin wrote, what is off."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from velpin.core.hostfile.format import VERSION
from velpin.core.hostfile.writing import table_text
from velpin.model.rule import short_of
from velpin.trust.openpgp import armoured

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.core.adapter import Adapter
    from velpin.model.source import Source

_OWN_KEYS = ("file", "fingerprint", "embedded", "packages")


def export(host: Adapter[Source]) -> str:
    """The host as a file; what it cannot hold is told in comments at its head."""
    when = _when(host)
    tables = [
        ("key", {"name": name, "when": when, "key": armoured(keys).decode()})
        for name, keys in host.describer.common_keys()
    ]
    tables += [("source", _source(host, source, when)) for source in host.sources]
    rules = dict.fromkeys(rule.rule for rule in host.rules.in_force() if rule.rule)
    tables += [("rule", {"says": short_of(rule), "when": when}) for rule in rules]
    head = "".join(f"# {line}\n" for line in _left_out(host)) + f"velpin-host = {VERSION}\n"
    return head + "".join(table_text(name, fields) for name, fields in tables)


def _when(host: Adapter[Source]) -> dict[str, Any]:
    """Which hosts a written source is for: its words are this kind's own."""
    found: dict[str, Any] = {"kind": host.kind}
    if host.release.get("ID"):
        found["host"] = host.release["ID"]
    return found


def _source(host: Adapter[Source], source: Source, when: dict[str, Any]) -> dict[str, Any]:
    told = host.describer.describe(source)
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
    named = host.signers.keys_of(source)
    keys = named.keys if named.how in _OWN_KEYS else []
    mine = [key for key in keys if key.where in named.files or named.how != "packages"]
    if mine:
        found["fingerprints"] = [key.fingerprint for key in mine]
        found["key"] = armoured(mine).decode()
    return found


def _left_out(host: Adapter[Source]) -> Sequence[str]:
    """Passwords; and rules of others: they are not said in Velpin's words; those in the entry of a
    source are among its settings."""
    entries = {place.file for source in host.sources for place in source.places}
    found = [
        f"not written down: the rule at {rule.place}, which velpin did not write"
        for rule in host.rules.in_force()
        if rule.rule is None and rule.dead is None
        and rule.place.file.startswith("etc/") and rule.place.file not in entries
    ]  # fmt: skip
    logins = sorted(set(host.examiner.login_files()))
    found += [f"not written down: the passwords in {file}" for file in logins]
    return list(dict.fromkeys(found))
