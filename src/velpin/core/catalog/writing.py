"""Entries of a catalog made from the sources that a host has, variables put back in."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

from velpin.core.catalog.entries import variables
from velpin.core.catalog.format import VERSION
from velpin.errors import Refusal
from velpin.model.rule import Confine
from velpin.model.safe_text import bare_address
from velpin.ports.configuration import find_source
from velpin.trust.openpgp import armoured

if TYPE_CHECKING:
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_ORDER = ("codename", "release", "major", "arch")
"""Variables in the order in which they are put back."""


def write_entries(ports: Ports, handles: Sequence[str]) -> str:
    """A catalog with an entry for each of some sources.

    Raises Refusal for a handle that is none, or a source without an address of its own.
    """
    import tomli_w

    entries = [
        _entry(ports, find_source(ports.configuration.by_handle, handle)) for handle in handles
    ]
    head = {"velpin-catalog": VERSION, "serial": 1}
    return tomli_w.dumps({**head, "source": entries}, multiline_strings=True)


def _entry(ports: Ports, source: Source) -> dict[str, Any]:
    if "://" not in source.address:
        raise Refusal(f"{source.handle} has no address that a catalog could name")
    named = ports.signers.keys_of(source)
    keys = named.keys if named.how not in ("common", "ring", "none") else []
    confined = [
        rule.rule.names
        for rule in ports.rules.in_force()
        if isinstance(rule.rule, Confine) and rule.rule.source == source.handle
    ]
    place: dict[str, Any] = {"kind": ports.kind, "address": _general(ports, source.address)}
    place.update(ports.describer.catalog_fields(source))
    place = {
        key: _general(ports, value) if key == "suite" else value for key, value in place.items()
    }
    if ports.configuration.release.get("ID"):
        place["hosts"] = [ports.configuration.release["ID"]]
    entry: dict[str, Any] = {"name": re.sub(r"[^a-z0-9.+_-]+", "-", source.handle.lower())}
    if keys:
        entry["key"] = armoured(keys).decode()
        entry["fingerprints"] = [key.fingerprint for key in keys]
    if confined:
        entry["packages"] = list(confined[0])
        entry["confine"] = True
    return {**entry, "place": [place]}


def _general(ports: Ports, text: str) -> str:
    """An address or suite with this host's release and architecture as variables, where they are
    whole words of it; without any login."""
    text = bare_address(text)
    head, slashes, path = text.partition("://")
    place, slash, rest = path.partition("/") if slashes else ("", "", head)
    found = rest
    for name in _ORDER:
        value = variables(ports)[name]
        if value:
            found = re.sub(rf"(?<![\w.{{]){re.escape(value)}(?![\w.}}])", f"{{{name}}}", found)
    return f"{head}{slashes}{place}{slash}{found}" if slashes else found
